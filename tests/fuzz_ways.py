"""Statements through which a few names go in many ways: what they hold where they are read depends on the way taken.

A name holds the event, a part of it, something of one's own, or nothing; it is given another value in branches, loops,
handlers of exceptions, patterns and expressions, and is read behind them, in functions inside and from objects. Any
statement may leave the block in which it stands. Nothing here knows a provider.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence


class Ways:
    """Writes such statements: `sources` are what a name may be given, `read` how what it holds is shown."""

    def __init__(
        self,
        choices: random.Random,
        names: Sequence[str],
        sources: Sequence[str],
        read: Callable[[str], str],
        fresh: Callable[[str], str],
    ) -> None:
        self.random, self.names, self.sources = choices, names, sources
        self.reads, self.fresh = read, fresh
        self.late: list[str] = []  # functions inside that can be called

    def lines(self) -> list[str]:
        """Return the statements; what they raise at their end is for whoever stands around them."""
        given = [f"{name} = {self.value()}" for name in self.names if self.random.random() < 0.85]
        return [*given, *self.block(3), *(line for name in self.names for line in self.shown(name))]

    def value(self) -> str:
        return self.random.choice([*self.sources, *self.sources, *self.names])

    def name(self) -> str:
        return self.random.choice(self.names)

    def test(self) -> str:
        number = self.random.randrange(2, 4)
        return self.random.choice(
            [f"len(seen) % {number}", f"len(seen) % {number} == 1", "seen", "not seen", "len(seen) > 3", self.bound()]
        )

    def bound(self) -> str:
        """Return an expression that gives a name a value, on some ways."""
        one, value = self.name(), self.value()
        return self.random.choice(
            [
                f"({one} := {value})",
                f"(len(seen) % 2 and ({one} := {value}))",
                f"(seen or ({one} := {value}))",
                f"(({one} := {value}) if len(seen) % 2 else 1)",
                f"[{one} := {value} for _ in range(len(seen) % 3)]",
                f"any(({one} := {value}) for _ in seen)",
                f"(1 < len(seen) < len(str({one} := {value})))",
            ]
        )

    def shown(self, name: str) -> list[str]:
        """Return statements that show what a name holds, with or without a net."""
        line = f"seen.append(show({self.reads(name)}))"
        if self.random.random() < 0.2:
            return [line]
        caught = self.random.choice(["Exception", "Exception", "(NameError, KeyError, TypeError, AttributeError)"])
        return ["try:", f"    {line}", f"except {caught} as error:", "    seen.append(type(error).__name__)"]

    def block(self, depth: int, *, loops: bool = False) -> list[str]:
        """Return a few statements; inside of a loop one may leave it, or its turn."""
        lines: list[str] = []
        for _ in range(self.random.randint(1, 3)):
            lines += self.statement(depth, loops=loops)
        if loops and self.random.random() < 0.3:
            lines.append(self.random.choice(["break", "continue"]))
        elif self.random.random() < 0.08:
            lines.append(self.random.choice(['raise KeyError("k")', '{}["q"]', 'raise ValueError("v")']))
        return lines

    def statement(self, depth: int, *, loops: bool) -> list[str]:
        simple = [
            lambda: [f"{self.name()} = {self.value()}"],
            lambda: [f"{self.name()} = {self.value()}"],
            lambda: self.shown(self.name()),
            lambda: self.shown(self.name()),
            lambda: [self.bound()],
            lambda: [f"{self.name()}, {self.name()} = {self.value()}, {self.value()}"],
            lambda: [f"for {self.name()} in [{self.value()}, {self.value()}]:", "    pass"],
            lambda: [f"if {self.test()}:", f"    del {self.name()}"],
            self.inside,
        ]
        deep = [
            lambda: self.branch(depth, loops=loops),
            lambda: self.branch(depth, loops=loops),
            lambda: self.counted(depth),
            lambda: self.while_true(depth),
            lambda: self.tried(depth, loops=loops),
            lambda: self.swallowed(depth, loops=loops),
            lambda: self.matched(depth, loops=loops),
        ]
        return self.random.choice(simple if depth <= 0 or self.random.random() < 0.5 else deep)()

    def within(self, depth: int, *, loops: bool) -> list[str]:
        return [f"    {line}" for line in self.block(depth - 1, loops=loops)]

    def branch(self, depth: int, *, loops: bool) -> list[str]:
        lines = [f"if {self.test()}:", *self.within(depth, loops=loops)]
        if self.random.random() < 0.3:
            lines += [f"elif {self.test()}:", *self.within(depth, loops=loops)]
        return lines + (["else:", *self.within(depth, loops=loops)] if self.random.random() < 0.5 else [])

    def counted(self, depth: int) -> list[str]:
        over = self.random.choice(["for _ in range(3):", f"for _ in range(len(seen) % 3, {self.random.randrange(3)}):"])
        lines = [over, *self.within(depth, loops=True)]
        return lines + (["else:", *self.within(depth, loops=False)] if self.random.random() < 0.3 else [])

    def while_true(self, depth: int) -> list[str]:
        left = self.fresh("left")
        test = self.random.choice(["True", self.test(), f"{left} < 2"])
        lines = [f"{left} = 0", f"while {test}:", f"    {left} += 1", f"    if {left} > 3:", "        break"]
        lines += self.within(depth, loops=True)
        return lines + (["else:", *self.within(depth, loops=False)] if self.random.random() < 0.3 else [])

    def tried(self, depth: int, *, loops: bool) -> list[str]:
        lines = ["try:", *self.within(depth, loops=loops)]
        if self.random.random() < 0.5:
            lines += [f"    if {self.test()}:", '        raise KeyError("k")', f"    {self.name()} = {self.value()}"]
        last = self.random.random()
        if last < 0.8:
            lines += [f"except KeyError as {self.random.choice(['error', 'error', self.name()])}:"]
            lines += self.within(depth, loops=loops)
            lines += ["else:", *self.within(depth, loops=loops)] if last < 0.2 else []
        return lines + (["finally:", *self.within(depth, loops=False)] if last > 0.6 else [])

    def swallowed(self, depth: int, *, loops: bool) -> list[str]:
        lines = ["with contextlib.suppress(KeyError):", *self.within(depth, loops=loops)]
        return [*lines, f"    if {self.test()}:", '        raise KeyError("k")', f"    {self.name()} = {self.value()}"]

    def matched(self, depth: int, *, loops: bool) -> list[str]:
        one = self.name()
        lines = [f"match {{'a': {self.value()}, 'n': len(seen) % 2}}:"]
        lines += [f"    case {{'a': {one}, 'n': {self.random.choice(['1', 'int()', '7'])}}}:"]
        lines += [f"    {line}" for line in self.within(depth, loops=loops)]
        if self.random.random() < 0.5:
            lines += ["    case _:", *(f"    {line}" for line in self.within(depth, loops=loops))]
        return lines

    def inside(self) -> list[str]:
        """A function inside reads a name when it is called, or changes it; or one that is there already is called."""
        if self.late and self.random.random() < 0.5:
            return [f"seen.append({self.random.choice(self.late)}())"]
        name, read = self.fresh("late"), self.name()
        self.late.append(name)
        changes = self.random.random() < 0.2
        head = [f"    nonlocal {read}", f"    {read} = {self.value()}"] if changes else []
        bound = [f"for {read} in ():", "    pass"] if changes else []  # else Python may refuse the program
        lines = [*bound, f"def {name}():", *head, "    try:", f"        return show({self.reads(read)})"]
        return [
            *lines,
            "    except Exception as error:",
            "        return type(error).__name__",
            f"seen.append({name}())",
        ]


def of_objects(choices: random.Random, cls: str, source: str, read: Callable[[str], str], attribute: str) -> list[str]:
    """Return statements by which objects keep what a source gives, get other things, and are read by whoever can.

    `cls` takes it, keeps it under the attribute, and gives it shown by its method `told`.
    """
    one, other = f"{cls}_one".lower(), f"{cls}_other".lower()
    value = choices.choice(["{}", source, "None", '{"one": "own"}'])
    asked = [f"getattr({one}, {attribute!r})", f"getattr({one}, ''.join([{attribute!r}]))", f"{one}.{attribute}"]
    asked += [f"vars({one})[{attribute!r}]", f"{one}.__dict__[{attribute!r}]", f"copy.copy({one}).{attribute}"]
    asked += [f"operator.attrgetter({attribute!r})({one})", f"next(iter([{one}, {other}])).{attribute}"]
    asked += [
        f"({one} or {other}).{attribute}",
        f"dict(o={other})['o'].{attribute}",
        f"(lambda x: x.{attribute})({one})",
    ]
    shown = [f"seen.append(show({read(choices.choice(asked))}))" for _ in range(2)]
    shown += [f"seen.append({one}.told())", f"seen.append(show({choices.choice([one, other])}.told()))"]
    shown += [f"seen.append('{{0.{attribute}}}'.format({other})[:1])", f"seen.append({cls}.told({other}))"]
    shown += [f"seen.append([x.told() for x in ({one}, {other})])", f"seen.append(copy.copy({one}).told())"]
    changes = [
        f"setattr({one}, {attribute!r}, {value})",
        f"{one}.__dict__[{attribute!r}] = {value}",
        f"vars({one}).update({attribute}={value})",
        f"del {one}.{attribute}",
        f"delattr({one}, {attribute!r})",
        f"{one}.{attribute} = {value}",
        f"for x in [{one}]: x.{attribute} = {value}",
        f"object.__setattr__({one}, {attribute!r}, {value})",
        f"{one}.{attribute}, {other}.{attribute} = {other}.{attribute}, {one}.{attribute}",
        f"{one} = {other}",
        f"{one} = copy.copy({other})",
        f"{cls}.{attribute} = {value}",
        f"{one}.__init__({value})",
        f"{cls}.__init__({one}, {value})",
    ]
    told = [choices.choice(shown), choices.choice(changes), *choices.sample(shown, 2)]
    lines = [f"{one}, {other} = {cls}({source}), {cls}({choices.choice([value, source])})"]
    for line in told[choices.randrange(2) :]:
        lines += ["try:", f"    {line}", "except Exception as error:", "    seen.append(type(error).__name__)"]
    return lines
