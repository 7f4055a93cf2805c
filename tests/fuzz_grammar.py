"""A generator of handlers: programs that read, pass on, keep, change and answer with parts of events, anywhere.

What a handler may touch is read off the profile (its rows, its answers, its clients), so the generator knows no
provider. A program is a list of pieces, each a few statements with the definitions that they need; what a piece finds
is shown in the answer. A failing program is shrunk by leaving pieces out.
"""

from __future__ import annotations

import random
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import partial, wraps

from fuzz_apart import defined, stand_apart, ways_to_ask
from fuzz_handed import Lines, by_name, handed, hidden, in_data_classes, in_families, in_short
from fuzz_ways import Ways, of_objects

from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping.inline import at_text
from vast_ferry.mapping.lenses.lens import Plain
from vast_ferry.mapping.lenses.packed import InFile
from vast_ferry.mapping.lenses.pairs import MultiMap
from vast_ferry.mapping.places import Access, Attr, Call, Item, Through
from vast_ferry.mapping.tables import Level, ReplyForm, taken
from vast_ferry.mapping.writers import ByWriter
from vast_ferry.profiles.profile import Profile

#: What stands at the top of each program: how a value is shown, whatever it is.
SHOW = """
def show(value):
    try:
        return json.dumps(value, default=lambda other: "an object")
    except Exception as error:
        return type(error).__name__
"""


#: How an error is seen.
NAMED = "seen.append(type(error).__name__)"


@dataclass(frozen=True)
class Part:
    """Something of an event as a handler writes it: `sort` is text, bytes, number, mapping, lookup or any."""

    code: str
    sort: str
    awaited: bool = False
    content: bool = False
    headers: bool = False


@dataclass(frozen=True)
class Piece:
    """Some statements of a handler, and the definitions at the top that they need."""

    lines: tuple[str, ...]
    top: tuple[str, ...] = ()


@dataclass(frozen=True)
class Program:
    """One generated handler: its provider's surface, the pieces, and whether it goes through a batch."""

    surface: Surface
    pieces: tuple[Piece, ...]
    ending: Piece
    loop: tuple[str, ...] = ()  # the statements by which it comes to one event, each inside the one before
    shared: tuple[tuple[str, str], ...] = ()  # files that others use as well
    before: tuple[str, ...] = ()  # decorators of its own, outermost first
    more: tuple[str, ...] = ()  # parameters that these fill
    first: tuple[str, ...] = ()  # and those that they fill before the provider's
    unboxed: tuple[str, ...] = ()  # how it takes the provider's out of the `box` that it gets in their place
    way: int | None = (
        None  # in which its helpers stand apart, negative if they don't; as it happens where it is not said
    )

    def files(self, name: str) -> dict[str, str]:
        """Return the handler's file, and those of its helpers where they stand apart."""
        whole = self.source(name)
        return {**dict(self.shared), **self._files(name, whole)}

    def _files(self, name: str, whole: str) -> dict[str, str]:
        head, at, handler = whole.rpartition(
            "\n\n" + ("async def " if self.surface.asynchronous else "def ") + f"{name}("
        )
        names = defined(head)
        together = len(self.pieces) % 3 if self.way is None else self.way < 0
        if together or not at or len(names) < 2:
            return {f"h_{name}.py": whole}
        imports = [line for line in head.split("\n") if line.startswith(("import ", "from "))]
        choices = random.Random(len(whole) if self.way is None else self.way)
        files = stand_apart(f"lib_{name}", head, choices)
        line, ask = ways_to_ask(f"lib_{name}", files, names, choices)
        main = "\n".join([*imports, line])
        return {f"h_{name}.py": f"{main}\n{at}{ask(handler)}", **files}

    def source(self, name: str) -> str:
        """Return the file of the handler."""
        surface = self.surface
        given = surface.parameters
        if surface.writer is not None and any(f"{surface.writer.name}." in line for line in self.ending.lines):
            given = surface.writer.among(given)
        given = ("box",) if self.unboxed else given
        entries = surface.profile.kinds[surface.kind].event.spread
        given = tuple(taken(list(given), entries, ()))
        head = "*, " * surface.by_name + ", ".join([*self.first, *given, *self.more])
        lines = [*self.before, f"{'async ' if surface.asynchronous else ''}def {name}({head}):", "    seen = []"]
        shown = [one for one in (*self.first, *self.more) if one != "*"]
        lines += [f"    seen.append(show({one.partition('=')[0]}))" for one in shown]
        lines += [f"    {line}" for line in self.unboxed]
        inside = "    "
        if surface.method:
            lines = [f"class {name}:", f"    def {surface.setup}(self, {', '.join(surface.told)}):"]
            lines += [f"        self.{one} = {one}" for one in surface.told]
            lines += [
                "",
                f"    {'async ' * surface.asynchronous}def {surface.method}(self, {', '.join(surface.parameters)}):",
                "        seen = []",
            ]
            inside = "        "
        outside = inside
        for line in self.loop:
            lines.append(inside + line)
            inside += "    " * line.endswith(":")
        body = [line for piece in self.pieces for line in piece.lines]
        lines += [inside + line for line in body or ["pass"]]
        lines += [outside + line for line in self.ending.lines]
        top = list(dict.fromkeys(text for piece in (*self.pieces, self.ending) for text in piece.top))
        imports = [text for text in top if text.startswith(("import ", "from "))]
        rest = [text for text in top if text not in imports]
        return "\n".join([*sorted({"import json", *imports}), SHOW, *rest, "", *lines, ""])


@dataclass(frozen=True)
class Surface:
    """What handlers of one kind can touch at a provider."""

    profile: Profile
    kind: str
    parameters: tuple[str, ...] = ()
    event: str = ""  # the whole event, or one entry of a batch
    each: str = ""  # the batch
    asynchronous: bool = False
    parts: tuple[Part, ...] = ()
    inner: tuple[str, ...] = ()  # places on the way to parts
    logs: tuple[str, ...] = ()
    secrets: tuple[str, ...] = ()
    levels: tuple[str, ...] = ()  # how a batch of several levels is gone through
    by_name: bool = False
    method: str = ""  # the handler is a class, and this its method; what sets it up keeps what it is told
    setup: str = ""
    told: tuple[str, ...] = ()
    writer: ByWriter | None = None  # what a handler may answer through

    @classmethod
    def of(cls, profile: Profile, kind: str, *, fresh: bool = True) -> Surface:
        """Return the surface of a kind; without what is `fresh`: ids and times, which servers don't give."""
        shape = profile.kinds[kind].event
        parts: dict[str, Part] = {}
        inner: dict[str, None] = {}
        logs, secrets = [], []
        for row in shape.rows:
            holds = shape.fields[row.field].holds
            if isinstance(row.lens, InFile):
                continue  # the name of a file, which varies by itself
            packed = next((at for at, step in enumerate(row.at.steps) if isinstance(step, Through)), 0)
            if packed and not shape.levels:  # what is encoded is handed over so
                around = at_text(Access(row.at.root, row.at.steps[:packed]), {})
                parts[around] = Part(around, "any")
            if any(isinstance(step, Through) for step in row.at.steps):
                continue
            text = _by_level(at_text(row.at, {}), levels=bool(shape.levels))
            if row.field == "log" and row.at.steps and isinstance(row.at.steps[-1], Call):
                logs.append(text.removesuffix("()"))
            elif row.field == "secret":
                secrets.append(text.removesuffix("()"))
            if (
                holds == "call"
                or row.field in ("time_left", "limit", *(() if fresh else ("id", "time")))
                or row.offer
                or not row.at.steps
            ):
                continue
            sort = {"text": "text", "texts": "mapping", "number": "number", "record": "mapping"}.get(holds, "any")
            if not isinstance(row.lens, Plain):
                sort = {"bytes": "bytes", "str": "text", "int": "number", "dict": "mapping"}.get(row.lens.gives, "any")
            elif holds == "bytes":
                sort = "bytes"
            if isinstance(row.lens, MultiMap):
                sort = "lookup"
                for how, own in row.lens.methods.items():
                    if how in ("first", "every"):
                        for name in ("day", "X-A", "Host", "Content-Length"):
                            asked = Part(f"{text}.{own}({name!r})", "any", headers=row.field.startswith("headers"))
                            parts.setdefault(asked.code, asked)
                parts[f"{text} all"] = Part(f"list({text}.{row.lens.methods['all']}())", "any")
                continue
            if row.flag is not None:
                flag = at_text(row.flag, {})
                parts.setdefault(flag, Part(flag, "any", "await " in flag, row.field == "body"))
            if row.field == "captures":
                parts[f"{text} one"] = Part(f'{text}["one"]', "text")
            headers = row.field in ("headers", "headers.plain") and row.lens.subscript is not None
            parts[text] = Part(text, sort, "await " in text, row.field == "body", headers)
            steps = row.at.steps[: -2 if isinstance(row.at.steps[-1], Call) else -1]
            while steps and not any(isinstance(step, Call) for step in steps):
                inner[_by_level(at_text(type(row.at)(row.at.root, steps), {}), levels=bool(shape.levels))] = None
                steps = steps[:-1]
        handled = profile.kinds[kind]
        told = handled.setup_takes if handled.method else ()
        logs = [f"self.{one}" if one.partition(".")[0] in told else one for one in logs]
        own = shape.event_parameters[0]
        if shape.levels and shape.each is not None:
            own = shape.each.root
        return cls(
            profile,
            kind,
            tuple(one for one in shape.handed_over if one not in told),
            own,
            at_text(shape.each, {}) if shape.each is not None and not shape.levels else "",
            profile.model.handler.asynchronous,
            tuple(
                replace(one, code=f"self.{one.code}") if one.code.partition(".")[0] in told else one
                for one in parts.values()
            ),
            tuple(inner),
            tuple(logs),
            tuple(secrets),
            tuple(_gone_through(shape.levels)),
            handled.by_keyword,
            handled.method,
            handled.setup,
            told,
            handled.answered.writer,
        )

    def clients(self, operation: str, **given: str) -> tuple[str, str] | None:
        """Return how an operation is called with these hub fields, and the import that it needs."""
        client = self.profile.operations.get(operation)
        if client is None:
            return None
        arguments = []
        for parameter in client.takes:
            name, _, default = parameter.partition("=")
            row = next((row for row in client.arguments.rows if row.at.root == name), None)
            if row is not None and row.field in given:
                arguments.append(f"{name}={given[row.field]}" if default else given[row.field])
            elif not default:
                return None
        kept = client.root in self.told  # from when the object was set up
        called = f"{'await ' if client.awaited else ''}{'self.' * kept}{client.called}({', '.join(arguments)})"
        return called, "" if kept or client.root in self.parameters else f"import {client.root}"


def _by_level(text: str, *, levels: bool) -> str:
    """Return a place in an event of a batch of several levels by the name that its level has in a loop."""
    return re.sub(r'^entry\["(\w+)"\]', r"\1", text) if levels else text


def _gone_through(levels: tuple[Level, ...]) -> Iterator[str]:
    """Yield the statements by which a handler comes to one event of a batch."""
    for level in levels:
        over = at_text(Access(level.of.root, tuple(s for s in level.of.steps if not isinstance(s, Through))), {})
        if level.name:
            yield f"{level.name} = json.loads({over})"
        elif level.key:
            yield f"for {level.key}, {level.item} in {over}.items():"
        elif level.index:
            yield f"for {level.index}, {level.item} in enumerate({over}):"
        elif level.item:
            yield f"for {level.item} in {over}:"


@dataclass
class Scope:
    """What can be named at a point of a program."""

    awaits: bool
    event: str
    parts: tuple[Part, ...]
    inner: tuple[str, ...]
    names: dict[str, str] = field(default_factory=dict)  # name → sort

    def having(self, sort: str) -> list[str]:
        return [name for name, own in self.names.items() if own == sort]

    def contents(self) -> list[str]:
        """Return how the content can be read here."""
        return [part.code for part in self.parts if part.content and (self.awaits or not part.awaited)]


class Writer:
    """Writes one program from a seed."""

    def __init__(self, surface: Surface, seed: str) -> None:
        self.surface, self.random = surface, random.Random(seed)
        self.count = 0
        self.top: list[str] = []
        self.own = own_pieces(surface)

    # --- choices ---

    def pick(self, options: list[Callable[[], str]]) -> str:
        return self.random.choice(options)()

    def fresh(self, word: str) -> str:
        self.count += 1
        return f"{word}{self.count}"

    def part(self, scope: Scope, *sorts: str) -> str:
        """Return a part of the event, of one of these sorts if there is one."""
        usable = [part for part in scope.parts if scope.awaits or not part.awaited]
        found = [part for part in usable if not sorts or part.sort in sorts]
        return self.random.choice(found or usable).code

    # --- expressions ---

    def text(self, scope: Scope, depth: int = 2) -> str:
        """Return an expression that gives a text, or raises."""
        r = self.random
        if depth <= 0 or r.random() < 0.3:
            known = scope.having("text")
            return r.choice([self.part(scope, "text"), repr(r.choice(["", "a", "x-1", "GET"])), *known])

        def text() -> str:
            return self.text(scope, depth - 1)

        def value() -> str:
            return self.value(scope, depth - 1)

        def part(*sorts: str) -> str:
            return self.part(scope, *sorts)

        return self.pick(
            [
                lambda: self.formatted(f"{{{part('text')}}}-{{{value()}}}"),
                lambda: self.formatted(f"{{{part()}!r}}"),
                lambda: self.formatted(f"{{{part('text')}!s:>8}}"),
                lambda: self.formatted(f"{{{part('text')}=}}"),
                lambda: f'"%s/%s" % ({text()}, {part()})',
                lambda: f'"{{}}:{{}}".format({text()}, {part()})',
                lambda: f"{part('text')}.{r.choice(['upper()', 'strip()', 'lower()', 'title()'])}",
                lambda: f"({text()})[{r.choice(['1:', ':3', '::-1', '-2:'])}]",
                lambda: f"{text()} + {text()}",
                lambda: f"({text()} or {text()})",
                lambda: f"({text()} if {self.test(scope, depth - 1)} else {text()})",
                lambda: f"str({value()})",
                lambda: f"json.dumps({part()}, default=str)",
                lambda: f'"|".join(sorted(map(str, {part("mapping", "any")} or [])))',
                lambda: f'{part("mapping")}.get("one", {text()})',
                lambda: f"(lambda v: {self.over('v')})({part('text')})",
                lambda: f"[{text()}, {part()}][0]",
                lambda: f'{{"k": {part("text")}, "j": {value()}}}["k"]',
                lambda: f"type({part('text')}).__name__",
                lambda: f"max([{text()}, {part('text')}])",
                lambda: f"({part('text')}.partition('/')[2] or 'none')",
                lambda: f"next(iter([{part('text')}]), {text()})",
                lambda: f"re.sub(r'[^a-z]', '-', {part('text')})",
            ]
        )

    def formatted(self, text: str) -> str:
        """Return an f-string, where its quotes allow one on every version of Python."""
        quote = '"' if '"' not in text else "'"
        nested = text.count("{") > text.count("}") or text.count("{") > 2 or "lambda" in text
        return "'none'" if quote in text or "\\" in text or nested or "f'" in text else f"f{quote}{text}{quote}"

    def over(self, name: str) -> str:
        return self.random.choice([name, f"{name}.lower()", f"{name} + '!'", f"len({name})", f"{name}[:2]"])

    def value(self, scope: Scope, depth: int = 2) -> str:
        """Return an expression of any sort."""
        r = self.random
        if depth <= 0 or r.random() < 0.3:
            return r.choice([self.part(scope), self.part(scope), *scope.names, "None", "3"])

        def text() -> str:
            return self.text(scope, depth - 1)

        def part(*sorts: str) -> str:
            return self.part(scope, *sorts)

        return self.pick(
            [
                text,
                part,
                lambda: r.choice([*(code for code in scope.inner if code.endswith("]")), part()]),
                lambda: self.test(scope, depth - 1),
                lambda: f"len({part('text', 'mapping', 'bytes')})",
                lambda: f"[{part()}, {text()}]",
                lambda: f'{{"a": {part()}, **{{"b": {text()}}}}}',
                lambda: f"({part()}, *[{part()}])",
                lambda: f"dict({part('mapping')})",
                lambda: f"{{**{part('mapping')}, 'n': 1}}",
                lambda: f"sorted({part('mapping')}.items())",
                lambda: f"list({part('mapping', 'any')} or ())",
                lambda: f"[{self.over('x')} for x in {part('text')} if x]",
                lambda: f"{{k: str(v) for k, v in {part('mapping')}.items()}}",
                lambda: f"sum(1 for x in {part('text', 'mapping')})",
                lambda: f"list(zip({part('text')}, {part('text', 'mapping')}))",
                lambda: f"any(x == {text()} for x in [{part()}, {part()}])",
                lambda: f"list(map(str, [{part()}, {part()}]))",
                lambda: f"copy.deepcopy({part()})",
                lambda: f"json.loads({part('text', 'bytes')} or '0')",
                lambda: f"isinstance({part()}, {r.choice(['str', 'dict', 'bytes', 'int', 'list'])})",
                lambda: f"bool({part()})",
                lambda: f"hash(str({part()})) == hash(str({part()}))",
            ]
        )

    def test(self, scope: Scope, depth: int = 1) -> str:
        """Return a condition."""
        r = self.random

        def part(*sorts: str) -> str:
            return self.part(scope, *sorts)

        return self.pick(
            [
                lambda: f"{part('text')} == {self.text(scope, depth - 1)}",
                lambda: f"{part()}",
                lambda: f"not {part()}",
                lambda: f"{part()} is {r.choice(['None', 'not None'])}",
                lambda: f"{self.text(scope, 0)} in {part('mapping', 'text')}",
                lambda: f"len({part('text', 'mapping')}) > {r.randrange(4)}",
                lambda: f"isinstance({part()}, (str, bytes))",
                lambda: f"({part()} and {part()})",
                lambda: f"{part('text')}.startswith(({self.text(scope, 0)}, 'G'))",
                lambda: f"{part('text')} in ('GET', {self.text(scope, 0)})",
                lambda: f"1 <= len({part('text')}) < 4",
            ]
        )

    # --- pieces ---

    def pieces(self, scope: Scope, number: int) -> Iterator[Piece]:
        """Yield so many pieces."""
        for _ in range(number):
            self.top = []
            own = self.own if self.own and self.random.random() < 0.3 else PIECES
            lines = self.random.choice(own)(self, scope)
            if self.random.random() < 0.5:
                lines = attempt(*lines)
                scope.names.clear()  # which may not have come to be
            yield Piece(tuple(lines), tuple(self.top))

    def block(self, scope: Scope, depth: int = 1) -> list[str]:
        """Return a few indented statements."""
        inner = Scope(scope.awaits, scope.event, scope.parts, scope.inner, dict(scope.names))
        lines: list[str] = []
        for _ in range(self.random.randint(1, 2)):
            small = [one for one in PIECES if depth > 0 or one in SIMPLE]
            lines += self.random.choice(small)(self, inner)
        return [f"    {line}" for line in lines]

    def define(self, *lines: str) -> None:
        """Put a definition of these lines at the top."""
        self.top.append("\n".join(lines))

    def held(self, name: str, awaits: bool = False) -> Scope:
        """Return a scope in which the event goes by another name."""
        parts = tuple(
            replace(part, code=_renamed(part.code, self.surface.event, name))
            for part in self.surface.parts
            if _mentions(part.code, self.surface.event)
        )
        inner = tuple(_renamed(code, self.surface.event, name) for code in self.surface.inner)
        return Scope(awaits, name, parts or (Part(name, "any"),), inner)

    def of_part(self, name: str) -> Scope:
        """Return a scope in which a name holds what can't be known."""
        return Scope(False, name, (Part(name, "any"),), ())


def _mentions(code: str, name: str) -> bool:
    return re.search(rf"\b{name}\b(?!['\"])", code) is not None


def _renamed(code: str, name: str, other: str) -> str:
    return re.sub(rf"(?<!['\"\w.]){name}\b(?!['\"])", other, code)


# --- the pieces: each writes statements, and puts what they need at the top -------------------------------------------


def said(w: Writer, s: Scope) -> list[str]:
    return [f"seen.append(show({w.value(s)}))"]


def at_the_event(piece: Callable[[Writer, Scope], list[str]]) -> Callable[[Writer, Scope], list[str]]:
    """Let a piece be written only where the event goes by the handler's own name for it; elsewhere a value is said."""

    @wraps(piece)
    def either(w: Writer, s: Scope) -> list[str]:
        return piece(w, s) if s.event == w.surface.event else said(w, s)

    return either


def attempt(*lines: str, but: str = "Exception") -> list[str]:
    """Return statements that may fail, with what they failed by seen."""
    return ["try:", *(f"    {line}" for line in lines), f"except {but} as error:", f"    {NAMED}"]


def said_text(w: Writer, s: Scope) -> list[str]:
    return [f"seen.append({w.text(s)})"]


def named(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("n")
    lines = [f"{name} = {w.text(s)}", f"seen.append(str({name}))"]
    s.names[name] = "text"
    return lines


def part_named(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("n")
    code = w.random.choice([s.event, *s.inner, w.part(s), w.part(s)])
    lines = [f"{name} = {code}", f"seen.append(show({name}))"]
    s.names[name] = "any"
    return lines


def event_named(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("e")
    if s.event != w.surface.event:
        return said(w, s)
    return [f"{name} = {s.event}", f"seen.append({w.text(w.held(name, s.awaits))})"]


def unpacked(w: Writer, s: Scope) -> list[str]:
    one, other = w.fresh("n"), w.fresh("n")
    lines = w.random.choice(
        [
            [f"{one}, {other} = {w.part(s)}, {w.value(s, 1)}"],
            [f"({one}, *{other}) = [{w.part(s)}, {w.part(s)}, {w.value(s, 0)}]"],
            [f"{one} = {other} = {w.part(s)}"],
            [f"[{one}, {other}] = {w.part(s)}, {s.event}"],
        ]
    )
    return [*lines, f"seen.append(show([{one}, {other}]))"]


def added(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("n")
    return [f"{name} = {w.text(s, 1)}", f"{name} += {w.text(s, 1)}", f"seen.append({name})"]


def walrus(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("n")
    return [f"if ({name} := {w.part(s)}) is not None and {w.test(s)}:", f"    seen.append(show({name}))"]


def branch(w: Writer, s: Scope) -> list[str]:
    lines = [f"if {w.test(s)}:", *w.block(s, 0)]
    if w.random.random() < 0.6:
        lines += [f"elif {w.test(s)}:", *w.block(s, 0)]
    return [*lines, "else:", *w.block(s, 0)]


def rebound(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("e")
    lines = [f"{name} = {s.event}", f"if {w.test(s)}:", f"    {name} = {w.value(s, 1)}"]
    return [*lines, f"seen.append(show({name}))"]


def loop(w: Writer, s: Scope) -> list[str]:
    item = w.fresh("i")
    over = w.random.choice([w.part(s, "mapping"), w.part(s, "text"), f"[{w.part(s)}, {w.text(s, 0)}]", "range(2)"])
    lines = [f"for {item} in {over}:", f"    seen.append(show({item}))", *w.block(s, 0)]
    if w.random.random() < 0.4:
        lines += [f"    if {w.test(s)}:", f"        {w.random.choice(['break', 'continue'])}"]
    if w.random.random() < 0.3:
        lines += ["else:", *w.block(s, 0)]
    return lines


def while_loop(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("left")
    lines = [f"{name} = [{w.part(s)}, {w.text(s, 0)}]", f"while {name}:", f"    seen.append(show({name}.pop()))"]
    return [*lines, *w.block(s, 0)]


def tried(w: Writer, s: Scope) -> list[str]:
    lines = ["try:", *w.block(s, 0), f"    raise ValueError({w.part(s)})"]
    lines += ["except (KeyError, AttributeError) as e:", "    seen.append(type(e).__name__)"]
    lines += ["except ValueError as e:", "    seen.append(show(list(e.args)))"]
    return [*lines, *(["finally:", *w.block(s, 0)] if w.random.random() < 0.5 else [])]


def with_block(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("n")
    w.top.append("import contextlib")
    held = w.random.choice([s.event, w.part(s)])
    return [f"with contextlib.nullcontext({held}) as {name}:", f"    seen.append(show({name}))", *w.block(s, 0)]


@at_the_event
def managed(w: Writer, s: Scope) -> list[str]:
    """An object of one's own that keeps the event is entered, or yielded by a function; what is given may be odd."""
    pick, cls, name, made = w.random.choice, w.fresh("kept").title(), w.fresh("n"), w.fresh("held")
    own = w.held("self.event")
    w.top += ["import contextlib"]
    lines = [f"class {cls}:", "    def __init__(self, event):", "        self.event, self.lines = event, []"]
    gives = pick(
        [
            ["return self"],
            ["return self"],
            ["self.lines = [1]", "return self"],
            ["return self.event"],
            ["return [self]"],
        ]
    )
    lines += ["    def __enter__(self):", *(f"        {one}" for one in gives)]
    lines += ["    def __exit__(self, *told):", f"        return {pick(['None', 'False', 'True'])}"]
    lines += ["    def add(self, *more):", "        self.lines.append(more)", "        return len(self.lines)"]
    lines += ["    def read(self):", f"        return {w.value(own)}"]
    w.define(*lines)
    yields = pick(
        [
            [f"made = {cls}(event)", "try:", "    yield made", "finally:", "    made.add(1)"],
            [f"yield {cls}(event)"],
            [f"made = {cls}(event)", "made = made if event else None", "yield made"],
            [f"made = {cls}(event)", "yield [made]"],
            [f"made = {cls}(event)", "if event:", "    yield made", "else:", "    yield event"],
            ["yield event"],
        ]
    )
    w.define("@contextlib.contextmanager", f"def {made}(event):", *(f"    {one}" for one in yields))
    entered = pick([f"{cls}({s.event})", f"{made}({s.event})", f"{made}({s.event})"])
    asked = pick(
        [f"{name}.add(1)", f"{name}.read()", f"[{name}.add(2), {name}.read()]", f"{name}.event", f"{name}.lines"]
    )
    return attempt(f"with {entered} as {name}:", f"    seen.append(show({asked}))")


def matched(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("m")
    lines = [f"match {w.random.choice([w.part(s), w.part(s, 'mapping'), s.event])}:"]
    lines += ['    case "GET" | "PUT":', *(f"    {line}" for line in w.block(s, 0))]
    lines += [f"    case {{'one': {name}}}:", f"        seen.append(show({name}))"]
    lines += [f"    case str() as {name} if {w.test(s)}:", f"        seen.append({name})"]
    return [*lines, "    case _:", *(f"    {line}" for line in w.block(s, 0))]


@at_the_event
def helper(w: Writer, s: Scope) -> list[str]:
    """A function at the top gets the event, whole or with other things."""
    name, own = w.fresh("helper"), w.random.choice(["event", "it", w.surface.event])
    there = w.held(own)
    body = [f"    return {w.text(there)}"]
    if w.random.random() < 0.4:
        body = [f"    if {w.test(there)}:", f"        return {w.value(there)}", *body]
    how = w.random.randrange(6)
    if how == 0:
        w.define(f"def {name}({own}, more=None, *rest, **named):", *body)
        call = f"{name}({s.event}, {w.part(s)}, 1, {w.part(s)}, k={w.part(s)})"
    elif how == 1:
        w.define(f"def {name}(*, {own}):", *body)
        call = f"{name}({own}={s.event})"
    elif how == 2:
        w.define(f"def {name}(first, {own}):", *body)
        call = w.random.choice([f"{name}(*[1, {s.event}])", f'{name}(**{{"first": 1, "{own}": {s.event}}})'])
    elif how == 3:
        w.top += ["import functools", "\n".join([f"def {name}({own}, more=2):", *body])]
        call = f"functools.partial({name}, more=3)({s.event})"
    elif how == 4:
        w.define(f"def {name}({own}):", *body)
        call = w.random.choice(
            [f"list(map({name}, [{s.event}]))", f"[{name}][0]({s.event})", f"({name} or print)({s.event})"]
        )
    else:
        w.define(f"def {name}({own}):", *body)
        call = f"{name}({s.event})"
    return [f"seen.append(show({call}))"]


def part_helper(w: Writer, s: Scope) -> list[str]:
    """A function at the top gets a part of the event."""
    name, part = w.fresh("helper"), w.random.choice([w.part(s), w.part(s, "text"), *s.inner])
    w.define(f"def {name}(given, other='x'):", f"    return [show(given), {w.over('other')}]")
    return [f"seen.append(show({name}({part}, other={w.text(s, 0)})))"]


def closure(w: Writer, s: Scope) -> list[str]:
    name, kept = w.fresh("inner"), w.fresh("kept")
    inner = Scope(False, s.event, s.parts, s.inner)
    lines = [f"{kept} = {w.part(s)}", f"def {name}(more=1):", f"    return [show({kept}), {w.text(inner)}]"]
    if w.random.random() < 0.4:
        lines = [
            lines[0],
            f"def {name}():",
            f"    nonlocal {kept}",
            f"    {kept} = {w.value(inner)}",
            f"    return show({kept})",
        ]
    return [*lines, f"seen.append(show({name}()))", f"seen.append(show({kept}))"]


def a_lambda(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("f")
    inner = Scope(False, s.event, s.parts, s.inner)
    lines = [f"{name} = lambda x={w.part(inner)}: [show(x), {w.text(inner)}]"]
    return [*lines, f"seen.append(show({name}()))"]


@at_the_event
def a_class(w: Writer, s: Scope) -> list[str]:
    """A class keeps the event, itself or in a base; what reads it is a method, a property or another class's."""
    name, base, attribute = w.fresh("Kept"), w.fresh("Base"), w.random.choice(["event", "it", "_e"])
    there = w.held(f"self.{attribute}")
    how = w.random.randrange(6)
    body = [f"        return {w.text(there)}"]
    store = ["    def __init__(self, event):", f"        self.{attribute} = event"]
    if how == 0:
        w.define(f"class {name}:", *store, "    def told(self):", *body)
        call = f"{name}({s.event}).told()"
    elif how == 1:
        w.define(f"class {base}:", *store)
        w.define(f"class {name}({base}):", "    @property", "    def told(self):", *body)
        call = f"{name}({s.event}).told"
    elif how == 2:
        w.define(f"class {base}:", "    def told(self):", *body)
        w.define(f"class {name}({base}):", *store)
        call = f"{name}({s.event}).told()"
    elif how == 3:
        w.top += ["import dataclasses"]
        lines = ["@dataclasses.dataclass", f"class {name}:", f"    {attribute}: object", "    def told(self):", *body]
        w.define(*lines)
        call = w.random.choice([f"{name}({s.event}).told()", f"{name}({attribute}={s.event}).told()"])
    elif how == 4:
        own = w.held("event")
        w.define(f"class {name}:", "    def __call__(self, event):", f"        return {w.text(own)}")
        call = f"{name}()({s.event})"
    else:
        own = w.held("event")
        lines = [f"class {name}:", f"    @{w.random.choice(['staticmethod', 'classmethod'])}"]
        first = "cls, " if "classmethod" in lines[1] else ""
        lines += [f"    def told({first}event):", f"        return {w.text(own)}"]
        w.define(*lines)
        call = w.random.choice([f"{name}.told({s.event})", f"{name}().told({s.event})"])
    return [f"seen.append(show({call}))"]


@at_the_event
def read_outside(w: Writer, s: Scope) -> list[str]:
    """An object keeps the event, a part or a client, from when it is set up, and others read it there."""
    name, one, attribute = w.fresh("Keeps"), w.fresh("one"), w.random.choice(["event", "it", "_e"])
    made = called(w, s, "object.write", bucket='"kept"', key=w.text(s, 1), body=w.text(s, 1))
    group = re.match(r"(await )?(\w+\.\w+)\.", made) if made and w.random.random() < 0.4 else None
    inner = [s.event, s.event, *(code for code in s.inner if "await " not in code)]
    source = group[2] if group else w.random.choice(inner)
    more = w.random.choice(["", ", frozen=True", ", kw_only=True", ", eq=False"])
    store = ["    def __init__(self, given, more=1):", f"        self.{attribute}, self.more = given, more"]
    if w.random.random() < 0.4:
        store = store[:1] + [f"        self.{attribute} = given", "        self.more = more"]
    head, given = f"class {name}:", source
    if w.random.random() < 0.5:
        w.top.append("import dataclasses")
        head = f"@dataclasses.dataclass({more.removeprefix(', ')})\nclass {name}:"
        store = [f"    {attribute}: object", f"    more: {w.random.choice(['int', 'object'])} = 1"]
        given = f"{attribute}={source}" if "kw_only" in more or w.random.random() < 0.3 else source
    w.define(head, *store)
    if w.random.random() < 0.2:
        w.top.append(f"class {name}Too({name}):\n    pass")
        name = f"{name}Too"
    there = f"{one}.{attribute}"
    if group:
        read = made.replace(f"{group[2]}.", f"{there}.", 1)
    else:
        own = w.held(there)
        shown = w.value(own, 1) if source == s.event else w.random.choice([there, f"[{there}]"])
        read = f"seen.append(show({shown}))"
    lines = [f"{one} = {name}({given})", read]
    odd = [f"seen.append(show({one} == {name}({given})))", f"{one}.{attribute} = {w.value(s, 1)}"]
    if w.random.random() < 0.3:
        return [*lines, w.random.choice(odd), *attempt(read)]
    return lines


@at_the_event
def a_family(w: Writer, s: Scope) -> list[str]:
    """A class calls a method on itself that another overrides, or that is given to it later."""
    base, name, other, function = w.fresh("Base"), w.fresh("Own"), w.fresh("Other"), w.fresh("reads")
    own, one = w.held("event"), w.random.choice(["it", "event"])
    above = w.random.choice(["raise NotImplementedError", "return 'base'", f"return {w.text(own)}", "pass"])
    call = w.random.choice(["read", "read", "__call__"])
    asked = "self(event)" if call == "__call__" else "self.read(event)"
    lines = [f"class {base}:", "    def told(self, event):", f"        return {asked}", f"    def {call}(self, event):"]
    w.define(*lines, f"        {above}")
    override = [f"    def {call}(self, {one}):", f"        return {w.text(w.held(one))}"]
    reads = "\n".join([f"def {function}(*given):", "    event = given[-1]", f"    return {w.text(w.held('event'))}"])
    how = w.random.randrange(6)
    if how in (3, 4):
        w.top.append(reads)
    bases = {1: f"{other}, {base}", 5: other}.get(how, base)
    if how == 1:
        w.define(f"class {other}({base}):", "    pass")
        bases = f"{other}"
    elif how == 5:
        w.define(f"class {other}({base}):", *override)
    body = {
        2: ["    def __init__(self):", f"        self.shown = {w.value(s)!r}", *override],
        3: [f"    {call} = {function}"],
    }
    w.define(f"class {name}({bases}):", *body.get(how, ["    pass"] if how in (4, 5) else override))
    if how == 4:
        w.top.append(f"{name}.{call} = {function}")
    made = [name, other] if how == 5 and w.random.random() < 0.5 else [name]
    return [f"seen.append(show({one}().told({s.event})))" for one in made]


def kept(w: Writer, s: Scope) -> list[str]:
    """The event stands in a list, a mapping, a global or an exception, and is read from there."""
    name, how = w.fresh("box"), w.random.randrange(6)
    if s.event != w.surface.event:
        return said(w, s)
    if how == 0:
        read = w.held(f"{name}[0]")
        return [f"{name} = [{s.event}, 1]", f"seen.append({w.text(read)})"]
    if how == 1:
        read = w.held(f'{name}["e"]')
        return [f"{name} = {{}}", f'{name}["e"] = {s.event}', f"seen.append(show({w.value(read)}))"]
    if how == 2:
        keep = w.fresh("keep")
        w.top.append(f"{name} = None")
        w.define(f"def {keep}(event):", f"    global {name}", f"    {name} = event")
        return [f"{keep}({s.event})", f"seen.append({w.text(w.held(name))})"]
    if how == 3:
        w.top.append(f"class {name.title()}(Exception):\n    pass")
        read = w.held("e.args[0]")
        lines = ["try:", f"    raise {name.title()}({s.event})", f"except {name.title()} as e:"]
        return [*lines, f"    seen.append(show({w.value(read)}))"]
    if how == 4:
        w.top += ["import types"]
        read = w.held(f"{name}.event")
        return [f"{name} = types.SimpleNamespace(event={s.event})", f"seen.append({w.text(read)})"]
    w.top += ["import collections", f"{name.title()} = collections.namedtuple('{name.title()}', 'event more')"]
    read = w.held(f"{name}.event")
    return [f"{name} = {name.title()}({s.event}, 1)", f"seen.append({w.text(read)})"]


@at_the_event
def made_by_its_class(w: Writer, s: Scope) -> list[str]:
    """A class method makes an object, whose methods give it back; now and then a class inherits it."""
    pick, name = w.random.choice, w.fresh("made").title()
    own, heir = w.held("self.event"), w.held("self.event")
    of = pick(
        [
            ["return cls(event)"],
            ["made = cls(event)", "made.more = cls.mark", "return made"],
            ["self = cls(event, more=cls.mark)", "self.more = 2", "return self"],
            ["cls.last = event", "return cls(event)"],
            ["made = cls(event)", "if made.more == 1:", "    made = None", "return made"],
            ["return cls(event) if event else None"],
            ["cls = dict", "return cls(a=event)"],
        ]
    )
    back = pick([["return self"], ["self.more = 3", "return self"], ["if self.more:", "    return 1", "return self"]])
    lines = [f"class {name}:", "    mark = 'm'", "    def __init__(self, event, more=None):"]
    lines += ["        self.event, self.more = event, more", "    @classmethod", "    def of(cls, event):"]
    lines += [f"        {one}" for one in of] + ["    def begin(self):"] + [f"        {one}" for one in back]
    lines += ["    def read(self):", f"        return [{w.text(own)}, self.more]"]
    w.define(*lines)
    asked = name
    if w.random.random() < 0.3:
        asked = f"{name}Heir" if w.random.random() < 0.6 else name
        w.define(f"class {name}Heir({name}):", "    def read(self):", f"        return {w.value(heir)}")
    call = pick([f"{asked}.of({s.event}).begin().read()", f"{asked}({s.event}).begin().begin().read()"])
    return attempt(f"seen.append(show({call}))")


@at_the_event
def asked_by_a_beginning(w: Writer, s: Scope) -> list[str]:
    """An object's method is asked for by a name of which the beginning is known; what stands there may be odd."""
    pick, name = w.random.choice, w.fresh("ways").title()
    own, other, heir = w.held("self.event"), w.held("self.event"), w.held("self.event")
    kept = w.random.random() < 0.6
    takes = pick(["", ", more=2", ", *more"])
    lines = [f"class {name}{pick(['', '', '(Exception)', '(dict)'])}:", "    on_mark = 'm'"][: pick([1, 1, 1, 2])]
    lines += ["    def __init__(self, event):", f"        self.event = {'event' if kept else '[event][0]'}"]
    lines += [pick(["        pass", "        pass", "        self.on_late = len"])]
    lines += pick([[], [], [], ["    @property"], ["    @staticmethod"]])
    lines += [f"    def on_a(self{takes}):", f"        return {w.value(own)}", f"    def on_b(self{takes}):"]
    lines += [f"        return [{w.text(other)}, self.__class__.__name__]"]
    lines += pick([[], [], [], ["    def __getattr__(self, name):", "        return lambda *all: name"]])
    asks = pick(["'on_' + word", "f'on_{word}'", "f'on_{word}'", "'on' + '_' + word", "'%s' % ('on_' + word)", "word"])
    usual = pick([", None", ", None", "", ", str"])
    handed = pick(["", "", "1", "self.event"]) if takes else ""
    lines += ["    def go(self, word):", f"        way = getattr(self, {asks}{usual})"]
    lines += pick([["        if way is None:", "            return 'none'"], []])
    lines += [pick([f"        return way({handed})", f"        return [way({handed})]", "        return [way][0]()"])]
    w.define(*lines)
    made = name
    if w.random.random() < 0.4:
        made = f"{name}Heir"
        w.define(f"class {made}({name}):", f"    def on_a(self{takes}):", f"        return {w.value(heir)}")
    if w.random.random() < 0.15:
        w.top.append(f"{name}.on_b = lambda self: 'set'")
    said_of = f"{made}({s.event}).go({pick(['a', 'b', 'a', 'b', 'x', 'late'])!r})"
    return attempt(f"seen.append(show({said_of}))")


@at_the_event
def decorated(w: Writer, s: Scope) -> list[str]:
    outer, name = w.fresh("noted"), w.fresh("helper")
    w.top += ["import functools"]
    lines = [f"def {outer}(function):"]
    if w.random.random() < 0.6:
        lines.append("    @functools.wraps(function)")
    lines += [
        "    def inner(*args, **named):",
        "        return ['noted', function(*args, **named)]",
        "    return inner",
    ]
    w.define(*lines)
    own = w.held("event")
    w.define(f"@{outer}", f"def {name}(event):", f"    return {w.text(own)}")
    return [f"seen.append(show({name}({s.event})))"]


@at_the_event
def dispatched(w: Writer, s: Scope) -> list[str]:
    table, register = w.fresh("TABLE"), w.fresh("on")
    one, other = w.fresh("helper"), w.fresh("helper")
    own = w.held("event")
    body = [f"    return {w.text(own)}"]
    w.top.append(f"{table} = {{}}")
    if w.random.random() < 0.5:
        lines = [f"def {register}(word):", "    def keep(function):", f"        {table}[word] = function"]
        w.define(*lines, "        return function", "    return keep")
        w.define(f'@{register}("GET")', f"def {one}(event):", *body)
        w.define(f'@{register}("PUT")', f"def {other}(event):", f"    return {w.value(own)}")
    else:
        w.define(f"def {one}(event):", *body)
        w.define(f"def {other}(event):", f"    return {w.value(own)}")
        w.top.append(f'{table}.update({{"GET": {one}, "PUT": {other}}})')
    key = w.random.choice([w.part(s, "text"), '"GET"'])
    return [f"seen.append(show({table}.get({key}, {one})({s.event})))"]


def routed(w: Writer, s: Scope) -> list[str]:
    """An object keeps functions that its decorator takes in, and calls one; now and then others touch that table."""
    event, more = w.surface.event, list(w.surface.parameters[1:])
    if s.event != event or not w.surface.parameters:
        return said(w, s)
    cls, name, chance = w.fresh("Routes"), w.fresh("router"), w.random.random
    more = more if chance() < 0.6 else []
    waits = s.awaits and chance() < 0.5
    given = ", ".join([event, *more])
    ask = w.random.choice(["self.kept[word]", "self.kept.get(word)", "self.kept.get(word, self.kept['GET'])"])
    call = f"{'await ' * waits}found({given})"
    rows, same = chance() < 0.5, w.fresh("way")  # two functions may have one name
    lines = [f"class {cls}:", "    def __init__(self, first=None):", f"        self.kept = {'[]' if rows else '{}'}"]
    takes = "self.kept.append((word, len(word), function))" if rows else "self.kept[word] = function"
    lines += ["    def on(self, word):", "        def take(function):", f"            {takes}"]
    lines += ["            return function", "        return take"]
    lines += [f"    {'async ' * waits}def {w.random.choice(['told', 'told', '__call__'])}(self, word, {given}):"]
    if rows:
        spread = w.random.choice(["", "", ", *([1] * (long > 9))", ", **({} if long else {'b': 1})"])
        lines += ["        for word_too, long, found in self.kept:", "            if word_too == word:"]
        lines += [f"                return {call[:-1]}{spread})", "        return len(word)"]
    else:
        lines += [f"        found = {ask}", f"        return {call} if found else sorted(self.kept)"]
    method = ".told" if "def told(" in "\n".join(lines) else ""
    odd = w.random.choice(["", "", "", "", "alias", "another", "added", "handed", "kept", "set", "twice", "asked"])
    lines += ["    def __len__(self):", "        return len(self.kept)"] * (chance() < 0.3)
    w.top += ["\n".join(lines), f"{name} = {cls}()"]
    made = [name]
    if odd == "another":
        made.append(w.fresh("router"))
        w.top.append(f"{made[-1]} = {cls}()")
    for word in w.random.sample(["GET", "PUT", "a"], w.random.randint(1, 3)):
        own, way = w.held(event, awaits=waits), same if chance() < 0.3 else w.fresh("way")
        twice = "@functools.lru_cache\n" if odd == "twice" and chance() < 0.5 else ""
        w.top += ["import functools"] if twice else []
        sends = called(w, own, "message.send", channel='"line"', body=w.text(own, 2)) if more else ""
        body = [f"    {sends}"] if sends and (waits or not sends.startswith("await")) and chance() < 0.6 else []
        taken = ", ".join([event if chance() < 0.8 else "given", *more])
        lines = [f"@{w.random.choice(made)}.on({word!r})", f"{'async ' * waits}def {way}({taken}):"]
        lines += [f"    {event} = given"] * ("given" in taken) + [*body, f"    return {w.text(own)}"]
        w.top.append(twice + "\n".join(lines))
    extra = {
        "alias": [f"other = {name}"],
        "added": [f"{name}.on('POST')(lambda *all: 'added')"],
        "handed": attempt(f"seen.append(show(list({name}.kept.values())[0]({given})))"),
        "kept": [f"seen.append(show(sorted(vars({name}))))"],
        "asked": attempt(f"seen.append(show(getattr({name}, 'kept')['GET']({given})))"),
        "set": [f"{name}.kept = {{'GET': (lambda *all: 'set')}}"],
    }.get(odd, [])
    word = w.random.choice([w.part(s, "text"), '"GET"', '"PUT"'])
    asked = f"{'await ' * waits}{w.random.choice(made)}{method}({word}, {given})"
    return [*extra, *attempt(f"seen.append(show({asked}))")]


def tabled(w: Writer, s: Scope) -> list[str]:
    """One of several functions is looked up in a table that stands in full, and called."""
    event, more = w.surface.event, list(w.surface.parameters[1:])
    if s.event != event or not w.surface.parameters:
        return said(w, s)
    waits, names = s.awaits and w.random.random() < 0.6, [w.fresh("way") for _ in range(w.random.randint(1, 3))]
    more = more if w.random.random() < 0.7 else []
    for name in names:
        takes = "async def" if waits and w.random.random() < 0.95 else "def"
        own = w.held(event, awaits=takes.startswith("async"))
        sends = called(w, own, "message.send", channel='"line"', body=w.text(own, 2)) if more or not s.awaits else ""
        rest = w.random.choice(["", "", "", ", again=2", ", *rest", ", **named"])
        taken = [event if w.random.random() < 0.7 else "given", *more]
        body = [f"    {sends}"] if sends and takes.startswith("async") >= waits and w.random.random() < 0.7 else []
        lines = [f"{takes} {name}({', '.join(taken)}{rest}):", *body, f"    return {w.text(own)}"]
        if "given" in taken:
            lines.insert(1, f"    {event} = given")
        w.define(*lines)
    table = w.fresh("WAYS")
    words = w.random.sample(["GET", "PUT", "a", "one"], len(names))
    handed = ", ".join([event, *more])
    stands = {
        name: w.random.choice([name, name, name, f"lambda {handed}: {name}({handed})"]) for name in names
    }  # a name, or a function without one
    if w.random.random() < 0.15 and not waits:
        stands[names[0]] = f"lambda {handed}: [{w.text(w.held(event))}]"
    shows = f"{table} = {{{', '.join(f'{word!r}: {stands[name]}' for word, name in zip(words, names, strict=True))}}}"
    lines = [shows] if w.random.random() < 0.4 else []
    w.top += [] if lines else [shows]
    key, way = w.random.choice([w.part(s, "text"), repr(words[0])]), w.fresh("way")
    given = handed
    wait = "await " if waits else ""
    lines += w.random.choice(
        [
            [f"seen.append(show({wait}{table}[{words[0]!r}]({given})))"],
            [f"{way} = {table}.get({key})", f"if {way} is not None:", f"    seen.append(show({wait}{way}({given})))"],
            [f"seen.append(show({wait}{table}.get({key}, {names[-1]})({given})))"],
            [f"if {way} := {table}.get({key}):", f"    seen.append(show({wait}{way}({given})))"],
            [f"{way} = {table}.get({key}) or {names[0]}", f"seen.append(show({wait}{way}({given})))"],
            [f"for word in {table}:", f"    seen.append(show({wait}{table}[word]({given})))"],
            [f"if {key} in {table}:", f"    {way} = {table}[{key}]", f"    seen.append(show({wait}{way}({given})))"],
        ]
    )
    if w.random.random() < 0.2:  # somebody else sees them as well
        lines += w.random.choice(
            [
                [f"seen.append(len({table}.values()))"],
                [f"{table}['more'] = {names[0]}"],
                [f"seen.append(callable(list({table}.items())[0][1]))"],
                [f"seen.append(show([one.__name__ for one in [{names[0]}]]))"],
                [f"{table}.update(more={names[-1]})"],
                [f"seen.append(', '.join(sorted({table})))"],
            ]
        )
    return lines


def of_methods(w: Writer, s: Scope) -> list[str]:
    """One of an object's methods is looked up in a table, and called; now and then others touch object or table."""
    event, more, r = w.surface.event, list(w.surface.parameters[1:]), w.random
    if s.event != event or not w.surface.parameters:
        return said(w, s)
    cls, name, table = w.fresh("Ways"), w.fresh("ways"), w.fresh("WAYS")
    handed = ", ".join([event, *(more if r.random() < 0.7 else [])])
    waits = s.awaits and r.random() < 0.5
    start, wait = "async " * waits, "await " * waits
    where = r.choice(["module", "own", "inline", "held"])
    lines = [f"class {cls}:", "    def __init__(self, sign='-'):", "        self.sign = sign"]
    lines += ['        self.ways = {"GET": self.one, "PUT": self.two}'] * (where == "own")
    for method in ("one", "two"):
        own = w.held(event, awaits=waits)
        sends = called(w, own, "message.send", channel='"line"', body=w.text(own, 2)) if "," in handed else ""
        sends = sends if r.random() < 0.5 and (waits or not sends.startswith("await")) else ""
        lines += [f"    {start}def {method}(self, {handed}):", *([f"        {sends}"] if sends else [])]
        lines += [f"        return [self.sign, {w.text(own)}]"]
    way = {
        "own": r.choice(["self.ways.get(word, self.two)", "self.ways.get(word) or self.one", "self.ways['GET']"]),
        "inline": r.choice(['{"GET": self.one, "PUT": self.two}.get(word, self.one)', '{"GET": self.one}["GET"]']),
        "held": "ways.get(word)\n        way = way or self.one",
        "module": "self.two",
    }[where]
    lines += [f"    {start}def tell(self, word, {handed}):"]
    lines += ['        ways = {"GET": self.one, "PUT": self.two}'] * (where == "held")
    lines += [f"        way = {way}", f"        return {wait}way({handed})"]
    w.top += ["\n".join(lines), f"{name} = {cls}({r.choice(['', repr('+')])})"]
    odd = r.choice(["", "", "", "", "patched", "shown", "asked", "stored", "below"])
    if odd == "below":
        w.top.append(
            f"class {cls}Below({cls}):\n    def one(self, *given):\n        return 'below'\n{name}_too = {cls}Below()"
        )
    if where == "module":
        w.top.append(f'{table} = {{"GET": {name}.one, "PUT": {name}.two}}')
    extra = {
        "patched": [f"{name}.one = lambda *given: 'patched'"],
        "shown": [f"seen.append(sorted(vars({name})))"],
        "asked": [f"seen.append(callable(getattr({name}, 'one')))"],
        "stored": [f"{name}.ways = {{}}"],
        "below": [f"seen.append(show({wait}{name}_too.tell('GET', {handed})))"],
    }.get(odd, [])
    word = r.choice([w.part(s, "text"), '"GET"', '"PUT"'])
    asked = f"{name}.tell({word}, {handed})"
    asked = (
        r.choice([f"{table}.get({word}, {name}.two)({handed})", f'{table}["GET"]({handed})'])
        if where == "module"
        else asked
    )
    return [*extra, *attempt(f"seen.append(show({wait}{asked}))")]


def made_of_it(w: Writer, s: Scope) -> list[str]:
    """A class's own method makes an object of the event, which is then shown as a whole, or asked."""
    event, r = w.surface.event, w.random
    if s.event != event or not w.surface.parameters:
        return said(w, s)
    cls, name = w.fresh("Seen"), w.fresh("one")
    own = w.held(event)
    told = r.choice(
        ["@dataclasses.dataclass", "@dataclasses.dataclass(frozen=True)", "@dataclasses.dataclass(order=True)"]
    )
    lines = [told, f"class {cls}:", "    text: object", "    more: object = None"]
    lines += [
        "    @classmethod",
        f"    def of(cls, {event}):",
        f"        return cls({w.text(own)}, {r.choice(['1', w.part(own)])})",
    ]
    lines += ["    def __bool__(self):", "        return self.text != self.more"] * (r.random() < 0.4)
    lines += ["    def loud(self):", "        return str(self.text).upper()"]
    w.top += ["import copy", "import dataclasses", "import json", "\n".join(lines)]
    uses = [
        f"dataclasses.asdict({name})",
        f"list(dataclasses.astuple({name}))",
        f"sorted(vars({name}))",
        f"copy.copy({name}).loud()",
        f"[one.loud() for one in [{name}]]",
        f"bool({name})",
        f"{name} == {cls}.of({event})",
        f"json.loads(json.dumps({name}, default=vars))",
        f"dataclasses.replace({name}, more=2).loud()",
        f"max([{name}], key={cls}.loud).loud()",
    ]
    chosen = r.sample(uses, r.randint(1, 2))
    return [f"{name} = {cls}.of({event})", *attempt(*(f"seen.append(show({one}))" for one in chosen))]


def decoded(w: Writer, s: Scope) -> list[str]:
    """Content that is Base64 where a flag says so is decoded, in one of the ways that people write."""
    shape = w.surface.profile.kinds[w.surface.kind].event
    row = next((one for one in shape.rows if one.flag is not None and one.lens.content == "packed"), None)
    if s.event != w.surface.event or row is None or row.flag is None or shape.levels:
        return said(w, s)
    w.top += ["import base64", "import json"]
    content, flag = at_text(row.at, {}), at_text(row.flag, {})
    flag = w.random.choice([flag, flag, f"{flag} is True", f"{flag} == True"])
    bare = f"base64.b64decode({content})"
    as_text = w.random.choice(
        [
            ".decode()",
            ".decode('utf-8')",
            ".decode(errors='replace')",
            ".decode('UTF-8', 'ignore')",
            ".decode('latin-1')",
        ]
    )
    name, helper = w.fresh("content"), w.fresh("raw")
    one, other = w.random.choice(
        [
            (bare, f"{content}.encode()"),
            (f"{bare}{as_text}", content),
            (bare, content),
            (bare, f"{content}.encode('utf-8')"),
        ]
    )
    either = w.random.choice([f"{one} if {flag} else {other}", f"{other} if not {flag} else {one}"])
    event = w.surface.event
    held = [f"{name} = {content}{w.random.choice(['', '', ' or ' + repr('')])}", f"if {flag}:"]
    over = f"    {name} = base64.b64decode({name}){w.random.choice(['', as_text])}"
    both = [f"if {flag}:", f"    {name} = {one}", "else:", f"    {name} = {other}"]
    returns = w.random.choice(
        [
            [f"    if {flag}:", f"        return {one}", f"    return {other}"],
            [f"    if not {flag}:", f"        return {other}", "    else:", f"        return {one}"],
            [f"    if not {flag}:", f"        return {other}", f"    return {one}"],
        ]
    )
    w.define(f"def {helper}({event}):", *returns)
    use = w.random.choice(
        ["show(json.loads({}))", "show(json.loads({} or 'null'))", "show(len({}))", "str({})", "show({})"]
    )
    held_by = [[f"{name} = {either}"], [*held, over], both, [f"{name} = {helper}({event})"], [f"{name} = ({either})"]]
    lines = w.random.choice(held_by)
    more = [f"seen.append(type({name}).__name__)"] if w.random.random() < 0.2 else []
    return attempt(*lines, f"seen.append({use.format(name)})", *more, but=w.random.choice(["ValueError", "Exception"]))


@at_the_event
def generated(w: Writer, s: Scope) -> list[str]:
    name, own = w.fresh("gen"), w.held("event")
    lines = [
        f"def {name}(event):",
        f"    yield {w.value(own)}",
        f"    if {w.test(own)}:",
        f"        yield {w.value(own)}",
    ]
    w.define(*lines, f"    yield from [{w.part(own)}]")
    return [f"seen.append(show(list({name}({s.event}))))"]


def changed(w: Writer, s: Scope) -> list[str]:
    """Something of the event is changed in place, and read again."""
    parts = [w.part(s, "mapping"), w.part(s, "any"), *s.inner]
    part = next((part for part in parts[w.random.randrange(len(parts)) :] if "await " not in part), s.event)
    lines = w.random.choice(
        [
            [f"{part}['n'] = {w.text(s, 0)}"],
            [f"{part}.update(n=1)"],
            [f"{part}.pop('one', None)"],
            [f"del {part}['one']"],
            [f"{part}.setdefault('n', []).append(2)"],
            [f"{part}.append(('n', '1'))"],
        ]
    )
    return [*lines, f"seen.append(show({part}))"]


def changed_elsewhere(w: Writer, s: Scope) -> list[str]:
    """A part is changed under another name, that it got in some way, and read again under its own."""
    part, name = w.part(s, "mapping"), w.fresh("held")
    if "await " in part:
        return said(w, s)
    w.top.append("import contextlib")
    change = w.random.choice([f"{name}['n'] = '1'", f"{name}.update(n='1')", f"{name}.clear()", f"{name}.popitem()"])
    ways = [
        [f"with contextlib.nullcontext({part}) as {name}:", f"    {change}"],
        [f"match {part}:", f"    case {{}} as {name}:", f"        {change}"],
        [f"{name} = {part} or {{}}", change],
        [f"{name} = {part} and {part}", change],
        [f"{name} = {part} if True else {{}}", change],
        [f"{name} = {part}", f"{name} |= {{'n': '1'}}"],
        [f"if ({name} := {part}) is not None:", f"    {change}"],
        [f"({name},) = ({part},)", change],
        [f"for {name} in [{part}]:", f"    {change}"],
        [f"for {name} in {part}.values():", f"    {name}.append('1')"],
        [f"(lambda {name}: {name}.update(n='1'))({part})"],
    ]
    return [*attempt(*w.random.choice(ways)), f"seen.append(show({part}))"]


def changed_unseen(w: Writer, s: Scope) -> list[str]:
    """A function that nobody calls by its name changes what it is handed: the event, a part, or what holds them."""
    name, kept = w.fresh("fix"), w.fresh("kept").upper()
    part = w.random.choice([s.event, w.part(s, "mapping"), w.part(s, "any"), *s.inner])
    if "await " in part:
        return said(w, s)
    change = ["given['n'] = '1'", "given.update(n='1')", "given.clear()", "given.pop('n', 0)", "given |= {'n': '1'}"]
    change += [
        "for one in given.values():\n        one.clear()",
        "next(iter(given.values()))['n'] = '1'",
        "given.n = 1",
    ]
    w.top.append(f"def {name}(given, *more):\n    {w.random.choice(change)}\n    return given")
    w.top += ["import functools", "import threading"]
    tables = [f"{kept} = {{'a': {name}}}", f"{kept} = {{'a': functools.partial({name})}}", f"{kept} = dict(a={name})"]
    cls = name.title()
    tables += [f"class {cls}:\n    def go(self, given):\n        return {name}(given)\n{kept} = {{'a': {cls}().go}}"]
    tables += [f"class {cls}:\n    def __call__(self, given):\n        return {name}(given)\n{kept} = {{'a': {cls}()}}"]
    w.top.append(w.random.choice(tables))
    ways = [f"{kept}['a']({part})", f"[one({part}) for one in {kept}.values()]", f"list(map({kept}['a'], [{part}]))"]
    ways += [f"threading.Thread(target={kept}['a'], args=({part},)).run()", f"{kept}.get('a', print)({part})"]
    ways += [
        f"for one in {kept}.values():\n    one({part})",
        f"functools.reduce(lambda x, f: f(x), [{kept}['a']], {part})",
    ]
    ways += [f"sorted([{part}], key={kept}['a'])", f"(lambda f=None: (f or {kept}['a'])({part}))()"]
    return [*attempt(*w.random.choice(ways).split("\n")), f"seen.append(show({w.random.choice([part, s.event])}))"]


@at_the_event
def asked_by_name(w: Writer, s: Scope) -> list[str]:
    """A method is called by its name, and otherwise as well."""
    name, own = w.fresh("Reads"), w.held("event")
    w.top += [
        "import operator",
        "\n".join(
            [
                f"class {name}:",
                f"    def read(self, event{w.random.choice(['', '=None'])}):",
                f"        return {w.text(own)}",
            ]
        ),
    ]
    ways = [f"{name}().read({s.event})", f"getattr({name}(), 'read')({s.event})", f"getattr({name}(), 're' + 'ad')()"]
    ways += [f"operator.methodcaller('read', {s.event})({name}())", f"{name}.read({name}(), {s.event})"]
    return [line for way in w.random.sample(ways, 2) for line in attempt(f"seen.append(show({way}))")]


def one_fails(w: Writer, s: Scope) -> list[str]:
    """What is awaited together with something that fails is begun all the same."""
    made = w.surface.clients("object.write", bucket='"kept"', key='"a"', body='"b"')
    if not s.awaits or s.event != w.surface.event or made is None or not made[0].startswith("await "):
        return said(w, s)
    name, own = w.fresh("fails"), w.held("event")
    w.top += ["import asyncio", "\n".join([f"async def {name}(event):", f"    raise ValueError({w.text(own)})"])]
    w.top += [made[1]] if made[1] else []
    both = [f"{name}({s.event})", made[0].removeprefix("await ")]
    if w.random.random() < 0.4:  # one of a service for each of several
        every = w.surface.clients("object.write", bucket='"kept"', key="one", body=w.text(s))
        opens, closes = w.random.choice([("(", ")"), ("[", "]")])
        each = f"*{opens}{every[0].removeprefix('await ')} for one in 'ab'{closes}" if every else both[1]
        both = w.random.choice([[each], [each, both[1]], [both[0], each]])
    w.random.shuffle(both)
    return [
        "try:",
        f"    await asyncio.gather({', '.join(both)})",
        "except ValueError as error:",
        "    seen.append(str(error))",
    ]


def header_asked(w: Writer, s: Scope) -> list[str]:
    """Header fields are looked up, some of which a provider may not hand over."""
    known = [part.code for part in s.parts if part.headers]
    if not known:
        return said(w, s)
    code, name = w.random.choice(known), w.random.choice(["host", "cookie", "content-length", "content-type", "x-a"])
    if code.endswith(")"):
        return [f"seen.append(show({code}))"]
    ways = [f"{code}.get({name!r})", f"{code}.get({name!r}, 'none')", f"{name!r} in {code}", f"{code}[{name!r}]"]
    return attempt(f"seen.append(show({w.random.choice(ways)}))")


def as_json(w: Writer, s: Scope) -> list[str]:
    """Content, or another text, is read as JSON."""
    part = w.random.choice([*s.contents(), w.part(s, "text", "bytes")])
    return [
        "try:",
        f"    seen.append(show({w.random.choice([f'json.loads({part})', part])}))",
        "except ValueError as error:",
        "    seen.append('no JSON')",
    ]


def deleted(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("n")
    if w.random.random() < 0.5 and s.event in w.surface.parameters and s.event == w.surface.event:
        kept = w.part(s, "text", "number")
        lines = [f"{name} = {kept}", f"del {s.event}", f"seen.append(show({name}))"]
        return (
            ["if not seen and seen:", *(f"    {line}" for line in lines)]
            if w.surface.each
            else [*lines, f"{s.event} = None"]
        )
    return [f"{name} = {w.part(s)}", f"seen.append(show({name}))", f"del {name}"]


def read_twice(w: Writer, s: Scope) -> list[str]:
    """Something that may be read once only is read, and read again."""
    known = s.contents() or [w.part(s)]
    both = [w.random.choice([*known, w.part(s, "any")]), w.random.choice(known)]
    return attempt(*(f"seen.append(show({one}))" for one in both))


def own_reply(w: Writer, s: Scope) -> list[str]:
    """A class of the project's inherits from the provider's answer, is asked for what it is, and answers."""
    forms = w.surface.profile.kinds[w.surface.kind].answered.forms if w.surface.kind == "http" else ()
    classes = [form for form in forms if form.class_name]
    if not classes or s.event != w.surface.event:
        return said(w, s)
    form = w.random.choice(classes)
    module, _, title = form.class_name.rpartition(".")
    name = w.fresh("Answer")
    w.top += [f"import {module}", f"class {name}({module}.{title}):\n    told = 'own'"]
    asked = f"seen.append(show([{name}.told, issubclass({name}, {module}.{title}), {name}.__mro__[1].__name__]))"
    given = _of_the_form(form, {"status": "202", "body": w.text(s)})
    return [asked] if w.random.random() < 0.3 else [asked, f"if {w.test(s)}:", f"    return {name}({given})"]


def logged(w: Writer, s: Scope) -> list[str]:
    if not w.surface.logs or s.event != w.surface.event:
        return [f"print({w.text(s)})"]
    more = w.random.choice(
        ["", "", ", n=len(seen)", ", **seen and {'n': 1} or {}", ", n=1, **({'m': 2} if seen else {})"]
    )
    return [f"{w.random.choice(w.surface.logs)}({w.text(s)}{more})"]


def stored(w: Writer, s: Scope) -> list[str]:
    made = called(w, s, "object.write", bucket='"kept"', key=w.text(s, 1), body=w.text(s, 1))
    return [made] if made else said(w, s)


def sent(w: Writer, s: Scope) -> list[str]:
    made = called(w, s, "message.send", channel='"line"', body=w.text(s, 2))
    return [f"if {w.test(s)}:", f"    {made}"] if made else said(w, s)


def called(w: Writer, s: Scope, operation: str, **given: str) -> str:
    """Return a call of a service where one can stand, with its import written; empty where none can."""
    made = w.surface.clients(operation, **given)
    if made is None or ("await " in made[0] and not s.awaits) or s.event != w.surface.event:
        return ""
    if made[1]:
        w.top.append(made[1])
    return made[0]


def served(w: Writer, s: Scope) -> list[str]:
    """Return any operation on a service, and what it gives where it gives something."""
    operation = w.random.choice(list(OPERATIONS))
    given = {
        "bucket": '"kept"',
        "prefix": w.random.choice(['""', '"a"', w.text(s, 1)]),
        "key": w.random.choice(['"a"', w.text(s, 1)]),
        "body": w.random.choice(['b"x"', w.text(s, 1)]),
        "table": '"rows"',
        "keys": w.random.choice(['{"one": "a"}', f'{{"one": {w.text(s, 1)}}}']),
        "record": f'{{"n": 2, "text": {w.text(s, 1)}}}',
        "column": '"n"',
        "amount": w.random.choice(["3", "-1", "2.5", "len(seen)"]),
        "name": '"bell.rung"',
        "subject": w.text(s, 1),
        "data": w.random.choice(["None", '{"n": [1, 2.5]}', w.text(s, 1)]),
        "channel": '"line"',
        "attributes": w.random.choice(["{}", f'{{"a": {w.text(s, 1)}, "b": "1"}}', 'dict(a="1")', "None"]),
        "labels": w.random.choice([f'{{"a": {w.text(s, 1)}}}', 'dict(a="1")']),
        "content_type": w.random.choice(['"text/csv"', '"application/json" if seen else ""']),
        "group": w.random.choice(['"g"', w.text(s, 1)]),
    }
    left_out = ["prefix", "amount", "subject", "data", "attributes", "labels", "content_type", "group"]
    for name in w.random.sample(left_out, w.random.randrange(7)):
        del given[name]
    made = called(w, s, operation, **given)
    if not made:
        return said(w, s)
    gives = OPERATIONS[operation].gives
    if gives is None or w.random.random() < 0.2:
        return [made]
    line = f"seen.append({'str' if gives.holds == 'bytes' else 'show'}({made}))"
    return w.random.choice([[line], ["try:", f"    {line}", "except Exception:", '    seen.append("none")']])


def awaited(w: Writer, s: Scope) -> list[str]:
    if not s.awaits or s.event != w.surface.event:
        return said_text(w, s)
    name, own = w.fresh("later"), w.held("event", awaits=True)
    w.top += ["import asyncio", "\n".join([f"async def {name}(event):", f"    return {w.text(own)}"])]
    waits = [part.code for part in s.parts if part.awaited]
    later = w.random.choice(waits).replace("(await ", "(").replace("await ", "") if waits else f"{name}({s.event})"
    call = w.random.choice(
        [
            f"await asyncio.wait_for({later}, 5)",
            f"await asyncio.create_task({later})",
            f"await asyncio.gather({later}, {name}({s.event}))",
            f"await {name}({s.event})",
            f"await asyncio.gather({name}({s.event}), {name}({s.event}))",
            f"await asyncio.create_task({name}({s.event}))",
            f"await asyncio.wait_for({name}({s.event}), 5)",
        ]
    )
    return [f"seen.append(show({call}))"]


def whole(w: Writer, s: Scope) -> list[str]:
    """The event itself is looked at."""
    return [f"seen.append(show({w.random.choice([s.event, *s.inner, f'bool({s.event})'])}))"]


def compared(w: Writer, s: Scope) -> list[str]:
    one = w.part(s, "text", "mapping", "number", "bytes")
    return [f"seen.append(show([{one} == {one}, {one} != {w.part(s)}, {w.part(s)} is None]))"]


def early(w: Writer, s: Scope) -> list[str]:
    """A guard in a function of its own."""
    name = w.fresh("check")
    w.define(f"def {name}(value):", "    if not value:", "        return None", "    return str(value)[:20]")
    got = w.fresh("bad")
    return [f"if ({got} := {name}({w.part(s)})) is not None:", f"    seen.append({got})"]


@at_the_event
def absent_or_not(w: Writer, s: Scope) -> list[str]:
    """A helper's parameter is the event in one call, and its default in another."""
    name, own = w.fresh("helper"), w.held("event")
    body = ["    if event is None:", "        return 'nothing'", f"    return {w.text(own)}"]
    w.define(f"def {name}(event=None):", *body)
    return [f"seen.append(show([{name}(), {name}({s.event})]))"]


@at_the_event
def set_later(w: Writer, s: Scope) -> list[str]:
    """An object gets the event as an attribute from outside."""
    name, one = w.fresh("Later"), w.fresh("one")
    own = w.held("self.event")
    lines = [f"class {name}:", "    event = None", "    def told(self):", f"        return {w.text(own)}"]
    w.define(*lines)
    how = w.random.choice(
        [f"{one}.event = {s.event}", f"setattr({one}, 'event', {s.event})", f"{one}.__dict__.update(event={s.event})"]
    )
    return [f"{one} = {name}()", how, f"seen.append(show({one}.told()))"]


@at_the_event
def maker(w: Writer, s: Scope) -> list[str]:
    """A function gives a function that remembers the event."""
    name, own = w.fresh("maker"), w.held("event")
    made = w.random.choice(
        [f"    return lambda: {w.text(own)}", f"    def read():\n        return {w.text(own)}\n    return read"]
    )
    w.top.append(f"def {name}(event):\n{made}")
    return [f"seen.append(show({name}({s.event})()))"]


@at_the_event
def again(w: Writer, s: Scope) -> list[str]:
    """A helper that calls itself, or one of its own kind."""
    name, own = w.fresh("again"), w.held("event")
    lines = [f"def {name}(event, left=2):", "    if not left:", f"        return {w.text(own)}"]
    w.define(*lines, f"    return {name}(event, left - 1) + '.'")
    return [f"seen.append(show({name}({s.event})))"]


def narrowed(w: Writer, s: Scope) -> list[str]:
    """A parameter, or a name in a loop, comes to hold a part of what it held."""
    parts = [part.code for part in s.parts if part.code.startswith(f"{s.event}[") and part.code.count("[") > 1]
    if not parts or s.event != w.surface.event:
        return part_named(w, s)
    keys = re.findall(r"\[([^\]]*)\]", w.random.choice(parts))
    name, node = w.fresh("narrow"), w.fresh("node")
    if w.random.random() < 0.5:
        w.define(f"def {name}(it):", *(f"    it = it[{key}]" for key in keys), "    return it")
        return [f"seen.append(show({name}({s.event})))"]
    return [
        f"{node} = {s.event}",
        f"for key in ({', '.join(keys)},):",
        f"    {node} = {node}[key]",
        f"seen.append(show({node}))",
    ]


def looked_up(w: Writer, s: Scope) -> list[str]:
    """The event is asked by `get`, by functions that ask, or by patterns."""
    parts = [part.code for part in s.parts if part.code.startswith(f"{s.event}[") and part.sort != "bytes"]
    if not parts:
        return said(w, s)
    code = w.random.choice(parts)
    keys = re.findall(r"\[([^\]]*)\]", code)
    got = s.event + "".join(f".get({key}, {{}})" for key in keys)
    w.top.append("import operator")
    asked = s.event
    for key in keys:
        asked = f"operator.itemgetter({key})({asked})"
    pattern = "".join(f"{{{key}: " for key in keys) + "found" + "}" * len(keys)
    return w.random.choice(
        [
            [f"seen.append(show({got}))"],
            [f"seen.append(show({asked}))"],
            [f"match {s.event}:", f"    case {pattern}:", "        seen.append(show(found))"],
            [f"seen.append(show({keys[0]} in {s.event}))"],
            [f"seen.append(show(({s.event} or {{}}){''.join(f'[{key}]' for key in keys)}))"],
            [f"seen.append(show(({s.event} if {w.test(s)} else {{}}).get({keys[0]})))"],
            [f"seen.append(show(sorted(map(str, {s.event}))))"],
            [f"seen.append(show({{**{s.event}}}.get({keys[0]})))"],
        ]
    )


def got_attribute(w: Writer, s: Scope) -> list[str]:
    parts = [part.code for part in s.parts if re.fullmatch(rf"{re.escape(s.event)}\.\w+", part.code)]
    if not parts:
        return looked_up(w, s)
    name = w.random.choice(parts).rpartition(".")[2]
    w.top.append("import operator")
    made = [f"getattr({s.event}, {name!r})", f"getattr({s.event}, {name!r}, None)", f"hasattr({s.event}, {name!r})"]
    made += [f"operator.attrgetter({name!r})({s.event})", f"getattr({s.event}, 'nothing_like_it', 'none')"]
    return [f"seen.append(show({w.random.choice(made)}))"]


def spread_out(w: Writer, s: Scope) -> list[str]:
    """A mapping of the event becomes keyword arguments, or is formatted by its keys."""
    name, part = w.fresh("taker"), w.part(s, "mapping")
    w.top.append(f"def {name}(one='-', **more):\n    return [one, sorted(more)]")
    made = [f"{name}(**{part})", f"'%(one)s' % {part}", f"'{{one}}'.format(**{part})", f"'{{0[one]}}'.format({part})"]
    return [f"seen.append(show({w.random.choice(made)}))"]


def nested(w: Writer, s: Scope) -> list[str]:
    """Comprehensions in comprehensions, with conditions and names given inside."""
    one, other, text = w.part(s, "text"), w.part(s, "mapping", "text"), w.text(s, 0)
    made = [
        f"[a + b for a in {one} for b in {text} if a != b][:5]",
        f"{{k: [v for v in str(k)] for k in {other}}}",
        f"[y for x in {one} if (y := x.upper()) != 'A'][:4]",
        f"sum(len(x) for x in [{one}, {text}] if x)",
        f"dict(zip({one}, {other}))",
        f"[i for i, x in enumerate({one}) if x in {text}]",
        f"all(x for x in {other}) and any(x == {text} for x in {other})",
        f"sorted({other}, key=lambda x: (len(x), {text}))",
    ]
    return [f"seen.append(show({w.random.choice(made)}))"]


def finally_returns(w: Writer, s: Scope) -> list[str]:
    name = w.fresh("helper")
    if s.event != w.surface.event:
        return said(w, s)
    own = w.held("event")
    lines = [f"def {name}(event):", "    try:", f"        return {w.value(own)}", "    except Exception:"]
    lines += [
        f"        return {w.value(own, 0)}",
        "    finally:",
        "        " + w.random.choice(["pass", "left = 1", "return 'at last'"]),
    ]
    w.define(*lines)
    return [f"seen.append(show({name}({s.event})))"]


@at_the_event
def defined_twice(w: Writer, s: Scope) -> list[str]:
    """A function that is there in two versions, of which one counts."""
    name, own = w.fresh("twice"), w.held("event")
    one, other = f"def {name}(event):\n    return {w.text(own)}", f"def {name}(event):\n    return {w.value(own)}"
    how = w.random.randrange(3)
    if how == 0:
        w.top.append(f"{one}\n\n{other}")
    elif how == 1:
        inside = (
            "\n".join("    " + line for line in one.split("\n")),
            "\n".join("    " + line for line in other.split("\n")),
        )
        w.top.append(f"if len(__name__) > 0:\n{inside[0]}\nelse:\n{inside[1]}")
    else:
        w.top.append(f"{one}\n\n{name}_ = {name}\n\n{other}\n\n{name} = {name}_")
    return [f"seen.append(show({name}({s.event})))"]


def counted_on(w: Writer, s: Scope) -> list[str]:
    """Something at the top of the module is filled from the event, and read."""
    name = w.fresh("KEPT")
    w.top.append(f"{name} = {{}}")
    key, value = w.text(s, 0), w.part(s)
    how = [f"{name}[{key}] = {value}", f"{name}.setdefault({key}, {value})", f"{name}.update(k={value})"]
    return [w.random.choice(how), f"seen.append(show(list({name}.values())[-1:]))", f"{name}.clear()"]


def chosen(w: Writer, s: Scope) -> list[str]:
    """One of two things is chosen, and asked further."""
    if s.event != w.surface.event or not s.inner:
        return said(w, s)
    name = w.fresh("chosen")
    one, other = w.random.choice(s.inner), w.random.choice([*s.inner, "{}", "None", s.event])
    return [f"{name} = {one} if {w.test(s)} else {other}", f"seen.append(show({name}))"]


def refused(w: Writer, s: Scope) -> list[str]:
    """An error of one's own says something of the event, and is caught by its base."""
    name, check = w.fresh("Refused"), w.fresh("check")
    if s.event != w.surface.event:
        return said(w, s)
    own = w.held("event")
    lines = [f"class {name}(ValueError):", "    def __init__(self, why, code=400):", "        super().__init__(why)"]
    w.define(*lines, "        self.code = code")
    lines = [f"def {check}(event):", f"    if {w.test(own)}:", f"        raise {name}({w.text(own)}, code=409)"]
    w.define(*lines, f"    return {w.value(own)}")
    lines = ["try:", f"    seen.append(show({check}({s.event})))", "except ValueError as refusal:"]
    return [*lines, "    seen.append(show([str(refusal), refusal.code]))"]


@at_the_event
def called_in_ways(w: Writer, s: Scope) -> list[str]:
    """One helper is called in several ways: directly, by stars, by name, through others, with something else."""
    name, own = w.fresh("helper"), w.held("event")
    w.top += ["import functools", "\n".join([f"def {name}(more, event=None):", f"    return [more, {w.text(own)}]"])]
    three = w.fresh("three")
    w.define(f"def {three}(more, other, event):", f"    return [more, {w.text(own)}]")
    ways = [
        f"{three}(*[1, 2], {s.event})",
        f"{three}(1, 2, {s.event})",
        f"{name}(1, {s.event})",
        f"{name}(*[1, {s.event}])",
        f'{name}(**{{"more": 1, "event": {s.event}}})',
        f"{name}(1, event={s.event})",
        f"functools.partial({name}, 1)({s.event})",
        f"list(map({name}, [1], [{s.event}]))",
        f"{name}(more={w.part(s)}, event={s.event})",
        f"{name}(1, {w.value(s, 1)})",
        f"(lambda *args: {name}(*args))(1, {s.event})",
    ]
    return [line for way in w.random.sample(ways, 2) for line in attempt(f"seen.append(show({way}))")]


@at_the_event
def looked_at(w: Writer, s: Scope) -> list[str]:
    """A decorator looks at what it hands on, changes it, or keeps what it got."""
    outer, name = w.fresh("looks"), w.fresh("helper")
    own, other = w.held("args[0]"), w.held("event")
    look = w.random.choice([f"show({w.value(own)})", "'args'"])
    given = w.random.choice(["*args, **named", "args[0]", "*args[:1]", "{}"])
    lines = [f"def {outer}(function):", "    def inner(*args, **named):", f"        return [{look}, function({given})]"]
    w.define(*lines, "    return inner")
    w.define(f"@{outer}", f"def {name}(event):", f"    return {w.text(other)}")
    return [f"seen.append(show({name}({s.event})))"]


@at_the_event
def in_the_try(w: Writer, s: Scope) -> list[str]:
    """A name holds the event only until something in a `try` fails."""
    name = w.fresh("held")
    own = w.held(name)
    lines = [f"{name} = None", "try:", f"    {name} = {s.event}", f"    seen.append(show({w.value(s, 1)}[9]))"]
    lines += [f"    {name} = 1"]
    lines += ["except Exception:", f"    seen.append(show({w.text(own)} if {name} is not None else 'nothing'))"]
    return lines


@at_the_event
def goes_round(w: Writer, s: Scope) -> list[str]:
    """A name holds the event in the first turn of a loop, and something else in the next."""
    name = w.fresh("turn")
    own = w.held(name, s.awaits)
    loop = w.random.choice(["for _ in range(2):", "for _ in 'ab':", "while len(seen) < 40:"])
    lines = [f"{name} = {s.event}", loop, "    try:", f"        seen.append(show({w.value(own)}))"]
    lines += ["    except Exception as error:", f"        {NAMED}"]
    return [*lines, *(["    if len(seen) > 30:", "        break"] if "while" in loop else []), f"    {name} = {{}}"]


@at_the_event
def read_late(w: Writer, s: Scope) -> list[str]:
    """A function or a lazy loop is made while a name holds the event, and reads it when it holds something else."""
    name, late = w.fresh("held"), w.fresh("late")
    own = w.held(name)
    made = w.random.choice(
        [
            [f"{late} = lambda: {w.text(own)}"],
            [f"def {late}():", f"    return {w.value(own)}"],
            [f"{late} = (lambda made: lambda: list(made))(x for x in [{w.text(own)}])"],
        ]
    )
    return [f"{name} = {s.event}", *made, f"{name} = {{}}", f"seen.append(show({late}()))"]


@at_the_event
def defined_inside(w: Writer, s: Scope) -> list[str]:
    """A function or a class is defined inside the handler, with something of the event in its definition."""
    name, held = w.fresh("inside"), w.random.choice([w.fresh("held"), s.event])
    own = w.held(held)
    made = w.random.choice(
        [
            [f"def {name}(x={w.part(own)}):", "    return x", f"seen.append(show({name}()))"],
            [f"def {name}(x={held}):", f"    return {w.text(w.held('x'))}", f"seen.append(show({name}()))"],
            [f"class {name.title()}:", f"    kept = {w.part(own)}", f"seen.append(show({name.title()}.kept))"],
            [f"class {name.title()}:", "    def told(self):", f"        return {w.text(own)}"]
            + [f"seen.append({name.title()}().told())"],
            [f"{name} = type('Made', (), {{'kept': {held}}})", f"seen.append(show({w.part(w.held(f'{name}.kept'))}))"],
        ]
    )
    return [*([f"{held} = {s.event}"] if held != s.event else []), *made]


@at_the_event
def two_objects(w: Writer, s: Scope) -> list[str]:
    """Two objects of one class: one keeps the event, the other something else, from the start or later."""
    name, one = w.fresh("Keeps"), w.fresh("one")
    own = w.held("self.event")
    lines = [
        f"class {name}:",
        "    def __init__(self, event=None):",
        "        self.event = event",
        "    def told(self):",
    ]
    lines += ["        if self.event is None:", "            return 'nothing'", f"        return {w.text(own)}"]
    w.define(*lines, "    def forget(self):", "        self.event = {}")
    second = w.random.choice([f"{name}({w.value(s, 0)})", f"{name}()", f"{name}({{}})"])
    made = [f"{one} = {name}({s.event})", f"seen.append({one}.told())"]
    if w.random.random() < 0.5:  # which is told from outside
        made = [f"{one} = {name}()", f"{one}.event = {s.event}", f"seen.append({one}.told())"]
    later = w.random.choice(
        [[f"seen.append(show({second}.told()))"], [f"{one}.forget()", f"seen.append({one}.told())"]]
    )
    return [*made, *attempt(*later)]


@at_the_event
def in_many_ways(w: Writer, s: Scope) -> list[str]:
    """Names hold the event or other things, by the way that was taken to where they are read."""
    w.top.append("import contextlib")
    own = ["{}", '{"one": "own"}', "'own'", "None"]
    theirs = [s.event, *w.random.sample(list(s.inner), min(2, len(s.inner))), w.part(s), w.part(s)]
    sources = [code for code in theirs if "await " not in code] + w.random.sample(own, 2)

    def read(name: str) -> str:
        there = w.held(name)
        return w.random.choice([name, w.text(there, 1), w.part(there), w.value(there, 1)])

    return Ways(w.random, [w.fresh("way") for _ in range(2)], sources, read, w.fresh).lines()


@at_the_event
def of_handed(w: Writer, s: Scope) -> list[str]:
    """Functions are handed on, loops are written in short, data classes keep the event."""

    def text(name: str) -> str:
        return w.text(s if name == s.event else w.held(name), 1)

    def value(name: str) -> str:
        return w.value(s if name == s.event else w.held(name), 1)

    call = called(w, s, "record.read", table='"rows"', keys='{"one": "a"}') or "len('ab')"
    kinds: list[Callable[..., Lines]] = [handed, in_short, in_data_classes, in_families, partial(hidden, call=call)]
    top, lines = w.random.choice(kinds)(w.random, w.fresh, s.event, text, value)
    if any("await " in one for one in top):
        return said(w, s)
    w.top += top
    return lines


def of_pairs(w: Writer, s: Scope) -> list[str]:
    """A loop goes through pairs, or a mapping's items, for those of one name."""
    part = w.part(s, "mapping", "any")
    return by_name(w.random, w.fresh, part)[1] if "await " not in part else said(w, s)


@at_the_event
def objects_reached(w: Writer, s: Scope) -> list[str]:
    """Objects keep the event, and are looked into, changed and copied by others."""
    name, attribute = w.fresh("Holds"), w.random.choice(["event", "it", "_e"])
    told = ["    def told(self):", f"        return show({w.value(w.held(f'self.{attribute}'), 1)})"]
    store = [f"class {name}:", "    def __init__(self, given):", f"        self.{attribute} = given", *told]
    w.top += ["import copy", "import operator", "\n".join(store)]
    source = w.random.choice([s.event, s.event, *(code for code in s.inner if "await " not in code)])

    def read(code: str) -> str:
        return w.random.choice([code, w.text(w.held(code), 1), w.part(w.held(code))])

    return of_objects(w.random, name, source, read, attribute)


def client_handed_on(w: Writer, s: Scope) -> list[str]:
    """A client's call is handed on as a value, kept, or called with arguments that are spread."""
    made = called(w, s, "object.write", bucket='"kept"', key=w.text(s, 1), body=w.text(s, 1))
    if not made or made.startswith("await ") or "(" in made.partition('("kept"')[0]:
        return said(w, s)
    call, _, given = made.partition("(")
    given, name = given[:-1], w.fresh("put")
    group = call.rpartition(".")[0]
    w.top += ["import functools", f"def {name}_with(function, given):\n    return function(*given)"]
    ways = [
        [f"{name} = {call}", f"{name}({given})"],
        [f"(lambda function: function({given}))({call})"],
        [f"{name}_with({call}, [{given}])"] if "=" not in given.replace("=='", "") else [made],
        [f"functools.partial({call})({given})"],
        [f"[{call}, print][0]({given})"],
        [f"getattr({group}, {call.rpartition('.')[2]!r})({given})"],
        [f"def {name}(function={call}):", f"    return function({given})", f"{name}()"],
        [f"class {name.title()}:", f"    held = {group}", f"{name.title()}.held.{call.rpartition('.')[2]}({given})"],
        [f"{name} = ({call} if seen else {call})", f"{name}({given})"],
    ]
    return w.random.choice(ways)


SIMPLE = [said, said_text, named, part_named, added, unpacked, logged]
PIECES = [
    *(said, said_text, client_handed_on, in_many_ways, in_many_ways, of_handed, of_handed, of_handed, of_pairs),
    *(asked_by_a_beginning, managed, objects_reached, named, part_named, event_named, unpacked, added, walrus),
    *(branch, rebound, loop, while_loop, tried, with_block, matched, helper, helper, part_helper, closure, a_lambda),
    *(a_class, a_class, read_outside, read_outside, a_family, kept, kept, made_by_its_class, decorated, dispatched),
    *(routed, tabled, tabled, decoded, decoded, generated, changed, changed, deleted, deleted, deleted, logged),
    *(stored, sent, served, awaited, whole, compared, early, absent_or_not, set_later, maker, again, narrowed),
    *(looked_up, got_attribute, spread_out, nested, finally_returns, defined_twice, counted_on, chosen, refused),
    *(called_in_ways, called_in_ways, of_methods, made_of_it, looked_at, in_the_try, goes_round, read_late),
    *(defined_inside, two_objects, changed_elsewhere, changed_unseen, asked_by_name, one_fails, as_json, as_json),
    *(header_asked, read_twice, own_reply),
]


def own_pieces(surface: Surface) -> list[Callable[[Writer, Scope], list[str]]]:
    """Return the pieces that only some surfaces have a use for: what awaits, has content, or classes of answers."""
    http = surface.profile.kinds["http"].answered.forms if surface.kind == "http" else ()
    return [
        *([awaited, awaited, one_fails] if surface.asynchronous else ()),
        *([header_asked] if any(part.headers for part in surface.parts) else ()),
        *([as_json, read_twice] if any(part.content for part in surface.parts) else ()),
        *([own_reply] if any(form.class_name for form in http) else ()),
        *([said_of_one, said_of_one] if surface.profile.kinds[surface.kind].event.told_by else ()),
    ]


def said_of_one(w: Writer, s: Scope) -> list[str]:
    """Return statements that say what became of an event of a batch, perhaps twice, or fail behind it."""
    shape = w.surface.profile.kinds[w.surface.kind].event
    methods = {one.name: ", ".join("5" if "=" not in p else p for p in one.parameters) for one in shape.told_by}
    name, given = w.random.choice(list(methods.items()))
    said = f"{shape.told_of}.{name}({given})"
    ways = [[said], [f"if {w.test(s)}:", f"    {said}"], [f"say = {shape.told_of}.{name}", f"say({given})"]]
    ways += [
        [said, "if len(seen) % 3 == 1:", "    raise ValueError('behind it')"],
        [f"[{said}]"],
        [said, "return seen"],
    ]
    return w.random.choice(ways)


#: So many of the handlers have decorators of their own that hand on more than they get.
DECORATED = 0.12


def program(surface: Surface, seed: str) -> Program:
    """Return the program of a seed at a surface."""
    writer = Writer(surface, seed)
    scope = Scope(surface.asynchronous, surface.event, surface.parts, surface.inner)
    loop = (_batch_loop(writer),) if surface.each else surface.levels
    # A finding in a program speaks for all of it: what stands alone can't hide behind another's.
    number = 1 if writer.random.random() < 0.4 else writer.random.randint(2, 7)
    pieces = tuple(writer.pieces(scope, number))
    writer.top = []
    made = answered if surface.kind == "http" else kept_as_effect
    lines = said_again(writer) or made(writer, scope)
    entries = surface.profile.kinds[surface.kind].event.spread
    plain = not (surface.method or surface.by_name or surface.writer or entries)
    before, more = standing_before(writer, scope) if plain and writer.random.random() < DECORATED else ((), ())
    first: tuple[str, ...] = ()
    unboxed: tuple[str, ...] = ()
    if plain and not before and writer.random.random() < DECORATED:
        before, first, unboxed = handing_otherwise(writer, scope)
    if before and writer.random.random() < 0.35:
        pieces = (*pieces, Piece(tuple(no_handler(writer, scope, before[0]))))
    ending = Piece(tuple(lines), tuple(writer.top))
    return Program(surface, pieces, ending, loop, before=before, more=more, first=first, unboxed=unboxed)


def handing_otherwise(w: Writer, s: Scope) -> tuple[tuple[str, ...], tuple[str, ...], tuple[str, ...]]:
    """Return a decorator that hands on something before what it gets, and what the handler takes first of it.

    Some put what they get into a box; then it is told as well how the handler takes it out.
    """
    own, r, outer = w.surface.parameters, w.random, w.fresh("turns")
    value = w.value(s) if w.surface.event in own and not w.surface.each else repr(r.random())
    waits = s.awaits and r.random() < 0.7  # a plain one gives the handler's coroutine
    start, wait = "async " * waits, "await " * waits
    word = r.choice(["", "", "word", "word, sign='-'", "*words"])
    told = {"": "", "word": "('north')", "word, sign='-'": "('south', sign=SIGN)", "*words": "('a', SIGN)"}[word]
    first = r.choice(
        ["[word, VALUE]", "VALUE"]
        if word.startswith("word")
        else ["VALUE", "[*words, VALUE]"][: 1 + (word == "*words")]
    )
    boxed, unboxed = _boxed(w, own)
    call = f"{wait}function({', '.join([first.replace('VALUE', value), *boxed])})"
    body = r.choice(
        [
            [f"return {call}"],
            ["given = " + call, "return given"],
            ["try:", f"    return {call}", "finally:", "    print('over')"],
        ]
    )
    lines = [f"{start}def inner({', '.join(own)}):", *(f"    {line}" for line in body)]
    lines = ["@functools.wraps(function)", *lines] if r.random() < 0.5 else lines
    deep = "        " if word else "    "
    texts = [f"def {outer}({word or 'function'}):", *(["    def around(function):"] if word else [])]
    texts += [*(deep + line for line in lines), f"{deep}return inner", *(["    return around"] if word else [])]
    w.top += ["import functools", "SIGN = '+'", "\n".join(texts)]
    return (f"@{outer}{told}",), ("first",), unboxed


def _boxed(w: Writer, own: tuple[str, ...]) -> tuple[Sequence[str], tuple[str, ...]]:
    """Return how a decorator hands on what it gets: as it is, by its names, or in a box; and how that is opened."""
    together = ", ".join(own)
    name = w.fresh("Box")
    keeps = "\n".join(f"        self.{one} = {one}" for one in own)
    ways: list[tuple[Sequence[str], tuple[str, ...]]] = [
        (own, ()),
        ([f"{one}={one}" for one in own], ()),
        ([f"({together},)"], (f"{together}, = box",)),
        ([f"{name}({together})"], tuple(f"{one} = box.{one}" for one in own)),
        ([f"box={name}({together})"], tuple(f"{one} = box.{one}" for one in reversed(own))),
        ([f"{{'all': [{together}]}}"], tuple(f"{one} = box['all'][{at}]" for at, one in enumerate(own))),
    ]
    way = w.random.choice(ways)
    if name in way[0][0]:
        w.top.append(f"class {name}:\n    def __init__(self, {together}):\n{keeps}")
    return way


def standing_before(w: Writer, s: Scope) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Return decorators that hand on more than they get, outermost first, and what the handler takes of it.

    What one adds goes through those below it: some take it, under names of their own, others let it through.
    """
    own, awaits = w.surface.parameters, s.awaits
    reads = w.surface.event in own and not w.surface.each

    def read() -> str:
        return w.value(s) if reads else repr(w.random.random())

    places, names, before = 0, list[str](), list[str]()
    for _ in range(w.random.randint(1, 3)):
        outer, taken = w.fresh("stands"), [f"got{at}" for at in range(w.random.randint(0, places))]
        added = [read() for _ in range(w.random.choice([0, 0, 1, 2]))]
        named = [w.fresh("word") for _ in range(w.random.choice([0, 0, 1]))]
        if w.random.random() < 0.2:
            added, named, taken = [], [], []
            takes = given = "*args, **named" if w.random.random() < 0.8 or places or names else f"{own[0]}, *args"
        else:
            rest = ["*args"] if len(taken) < places or w.random.random() < 0.2 else []
            words = ["**named"] if names or w.random.random() < 0.2 else []
            behind = [*added, *rest] if w.random.random() < 0.5 else [*rest, *added]
            takes = ", ".join([*own, *taken, *rest, *words])
            by_name = [f"{name}={read()}" for name in named]
            given = ", ".join([*own, *taken, *behind, *by_name, *words])
        lines = [f"{'async ' * awaits}def inner({takes}):", f"    return {'await ' * awaits}function({given})"]
        if w.random.random() < 0.7:
            lines.insert(0, "@functools.wraps(function)")
        word, deep = w.random.random() < 0.4, "    "
        texts = [f"def {outer}({'word' if word else 'function'}):"]
        if word:
            texts, deep = [*texts, "    def around(function):"], "        "
        texts += [deep + line for line in lines]
        w.top += ["import functools", "\n".join([*texts, f"{deep}return inner", *["    return around"] * word])]
        before.append(f"@{outer}('north')" if word else f"@{outer}")
        places, names = places + len(added), [*names, *named]
    more = [f"more{at}" for at in range(places)]
    apart = ["*"] if names and w.random.random() < 0.3 else []
    usual = [f"{name}=None" if w.random.random() < 0.2 else name for name in names] if apart else names
    return tuple(before), (*more, *apart, *usual)


def no_handler(w: Writer, s: Scope, decorator: str) -> list[str]:
    """Return lines that call a function which is no handler and has the same decorator."""
    name, waits = w.fresh("plain"), s.awaits
    w.top.append(f"{decorator}\n{'async ' * waits}def {name}(*all, **named):\n    return len(all) > 0")
    given = ", ".join(repr(one) for one in w.surface.parameters)
    call = f"{'await ' * waits}{name}({given})"
    return ["try:", f"    seen.append({call})", "except Exception:", "    seen.append('fails')"]


def sharing(programs: tuple[Program, ...], seed: str) -> tuple[Program, ...]:
    """Return programs that use the helpers of one more; one of them runs text as code, so that it is wrapped."""
    surface = programs[0].surface
    first = (program(surface, f"{seed}:shared:{more}").pieces[:1] for more in range(12))
    helpers = (
        one for pieces in first for one in pieces if any(text.startswith(("def ", "class ")) for text in one.top)
    )
    piece = next((one for one in helpers if _mentions(" ".join(one.lines), surface.event)), None)
    if sum(map(ord, seed)) % 2 or piece is None:
        piece = _two_helpers(Writer(surface, seed))
    chooses = random.Random(seed)
    file = f"common_{re.sub('[^0-9]', '_', seed)}"
    imports = [text for text in piece.top if text.startswith(("import ", "from "))]
    rest = [text for text in piece.top if text not in imports]
    text = "\n".join([*sorted({"import json", *imports}), SHOW, *rest, ""])
    files = stand_apart(file, text, chooses)
    names = [one for one in defined("\n".join(rest)) if one != "show"]
    wrapped = Piece(("exec('1')",))

    def used() -> Piece:
        line, ask = ways_to_ask(file, files, names, chooses)
        return Piece(tuple(map(ask, piece.lines)), (*imports, line))

    at = chooses.randrange(len(programs))
    return tuple(
        replace(
            one,
            pieces=(used(), *([wrapped] if number == at else []), *one.pieces),
            shared=(*one.shared, *files.items()),
        )
        for number, one in enumerate(programs)
    )


def _two_helpers(w: Writer) -> Piece:
    """A helper, and one that calls it; the handler calls both."""
    there, event = w.held("event"), w.surface.event
    first = f"def one_of_two(event):\n    return {w.text(there)}"
    second = f"def two_of_two(event, times=2):\n    return [one_of_two(event) * times, {w.value(there)}]"
    return Piece((f"seen.append(show([one_of_two({event}), two_of_two({event})]))",), (first, second))


def _batch_loop(w: Writer) -> str:
    each, entry = w.surface.each, w.surface.event
    loops = [f"for {entry} in {each}:"] * 8
    loops += [f"for _, {entry} in enumerate({each}):", f"for {entry} in list({each}):", f"for {entry} in {each}[:1]:"]
    loops += [f"for {entry} in sorted({each}, key=str):", f"for {entry} in reversed({each}):"]
    loops += [f"for {entry}, _ in zip({each}, range(9)):", f"for {entry} in [one for one in {each}]:"]
    loops += [f"for {entry} in {each}[0:] if len({each}) > 1 else {each}:", f"for {entry} in filter(None, {each}):"]
    return w.random.choice(loops)


def said_again(w: Writer) -> list[str]:
    """What shall come again is said by what is returned, or by what is raised."""
    kind = w.surface.profile.kinds[w.surface.kind]
    named = [row for row in kind.event.rows if row.field == (kind.answered.again_by or "id") and not row.derived]
    form = next((form for form in kind.answered.forms if form.when in ("list", "raised")), None)
    if not w.surface.levels or form is None or not named or w.random.random() < 0.5:
        return []
    name = _by_level(at_text(named[0].at, {}), levels=True)
    ways = [f"[{name}]", "[]", "None" if form.when == "list" else "[]"]
    if form.when == "list":
        return [f"return {w.random.choice(ways)}"]
    w.top.append(f"import {form.class_name.rpartition('.')[0]}")
    return ["if len(seen) % 2:", f"    raise {form.class_name}({w.random.choice(ways)})", "return None"]


def kept_as_effect(w: Writer, s: Scope) -> list[str]:
    """What was seen goes to a bucket, where the check sees it."""
    made = w.surface.clients("object.write", bucket='"seen"', key='"all"', body='"\\n".join(map(str, seen))')
    if made is None or made[0].count("(") - made[0].count("'seen'") > 4 or w.surface.levels:
        return ["raise ValueError(json.dumps(seen))"]
    if made[1]:
        w.top.append(made[1])
    return [made[0]]


def answered_by_shape(w: Writer, s: Scope) -> list[str]:
    """Return statements that answer where answers are told apart by what they hold."""
    forms = {form.when: form for form in w.surface.profile.kinds["http"].answered.forms}
    r, body = w.random, a_content(w)
    status = r.choice(["200", "201", "404", "204", f"(200 if {w.test(s)} else 304)", "len(seen) + 200"])
    plain = ['{"X-N": str(len(seen))}', '{"Content-Type": "text/x"}', '{"A": ["1", "2"], "N": 3}', "None", "{}"]
    fields = r.choice([*plain, f'{{"X-P": {w.part(s, "text")}}}'])
    ways = [[f"return {body}"]]
    if "number" in forms:
        ways.append([f"return {status}"])
    if "tuple" in forms:
        ways += [[f"return {body}, {status}"], [f"return {body}, {status}, {fields}"], [f"return None, {status}"]]
    if "mapping" in forms:
        named = {
            row.field: step.key for row in forms["mapping"].rows for step in row.at.steps if isinstance(step, Item)
        }
        free = [key for key in forms["mapping"].keys if key not in (*named.values(), "packed")]
        content = r.choice(free or [named["body"]])
        whole = named.get("headers") or named.get("headers.plain") or "fields"
        said = f"{named['status']!r}: {status}" if "status" in named else ""
        held = f"{whole!r}: {fields}"
        if not said:  # parts of an answer that stand apart
            line = r.choice(["f'{200 + len(seen)} Done'", "'404'", "'201 Created'", "'ok'"])
            said = f"'line': {line}"
            kinds = r.choice(["'text/x'", "None", '"application/json"'])
            crumbs = "[{'name': 'sid', 'value': str(len(seen)), 'path': '/', 'secure': True}]"
            ways += [[f"return {{{said}, 'kind': {kinds}, 'text': str(seen), 'crumbs': {crumbs}}}"]] * 2
            ways += [[f"return {{{said}, 'packed': base64.b64encode(str(seen).encode()).decode()}}"]]
            w.top.append("import base64")
        ways += [[f"return {{{said}, {held}}}"], [f"return {{{held}, {content!r}: {body}}}"]]
        ways += [[f"return {{{said}, {content!r}: {body}}}"]]
    if "object" in forms:
        module, _, name = forms["object"].class_name.rpartition(".")
        w.top.append(f"import {module}")
        ways += [[f"return {module}.{name}({given})"] for given in (body, f"{body}, {status}, {fields}")]
        ways += [[f"return {module}.{name}({body}, {status}, [('X-N', str(len(seen)))])"]]
    if "raised" in forms:
        module, _, name = forms["raised"].class_name.rpartition(".")
        w.top.append(f"import {module}")
        given = [status, r.choice(["str(seen)", repr("no"), repr("")]), fields]
        takes = w.surface.profile.model.modules[module][name].takes
        raised = f"raise {module}.{name}({', '.join(given[: len(takes)])})"
        ways += [[raised], [raised], [f"if {w.test(s)}:", f"    {raised}", f"return {body}"]]
        for caught in ("ValueError", "Exception as error"):
            ways.append(["try:", f"    {raised}", f"except {caught}:", f"    return {body}"])
    return r.choice(ways)


def answered_by_writer(w: Writer, s: Scope, writer: ByWriter) -> list[str]:
    """Return statements that answer through what a handler is handed."""
    r = w.random
    form = next(form for form in w.surface.profile.kinds["http"].answered.forms if form.when == "writer")
    fields = {row.at.steps[-1].name: row.field for row in form.rows if isinstance(row.at.steps[-1], Attr)}
    values = {
        "status": ["200", "404", f"(201 if {w.test(s)} else 304)", "len(seen) + 200"],
        "headers": ['{"X-N": str(len(seen))}', '{"Content-Type": "text/x"}', "None", '{"A": ["1", "2"]}'],
        "headers.plain": ["{}", '{"X-N": "1"}'],
    }
    module = next((error.rpartition(".")[0] for error in writer.errors), "")
    if module:
        w.top.append(f"import {module}")

    def call(name: str) -> str:
        method = writer.methods[name]
        given = {one: r.choice(values[fields[attribute]]) for attribute, one in method.sets.items()}
        for one in method.adds.values():
            text = r.choice(['"-".join(map(str, seen))', '"a"', '""', f"str({w.part(s, 'text')})"])
            given[one] = text if method.only.get(one) == "text" else f"{text}.encode()"
        for header, value in method.puts.values():
            given[header], given[value] = r.choice(['"X-A"', '"x-b"', '"Content-Type"']), r.choice(['"1"', '"text/x"'])
        told = [(one.partition("=")[0], "=" in one) for one in method.takes]
        first = [f"{one}={given[one]}" if r.random() < 0.3 else given[one] for one, _ in told[:1]]
        rest = [f"{one}={given[one]}" for one, usual in told[1:] if not usual or r.random() < 0.7]
        return f".{name}({', '.join([*first, *rest])})"

    chosen = r.choices(list(writer.methods), k=r.randint(0, 3))
    chosen.sort(key=list(writer.methods).index) if r.random() < 0.8 else None
    own = writer.name
    tells = [f"{own}{call(name)}" for name in chosen]
    if r.random() < 0.2:
        tells = [own + "".join(one.removeprefix(own) for one in tells)] if tells else []
    if r.random() < 0.1:
        tells.insert(0, f"{own}.status = {r.choice(values['status'])}")
    ends = r.choice([["return"], ["return 5"], ["return None"], [], [], [f"return {own}.status"]])
    ways = [[*tells, *ends]] * 3
    if tells:
        block = [f"    {one}" for one in tells]
        ways += [[f"if {w.test(s)}:", *block, "    return", *tells, *ends], ["for _ in (1,):", *block, *ends]]
        ways += [[f"if {w.test(s)}:", *block, "else:", f"    {own}{call(next(iter(writer.methods)))}"]]
        ways += [["try:", *block, "except Exception as error:", "    seen.append(str(error))", *ends]]
        ways += [
            ["def tell():", *block, "tell()", *ends],
            ["with open('/dev/null'):", *block, *[f"    {e}" for e in ends]],
        ]
    return r.choice(ways) if tells or ends else [f"_ = {own}.status"]


def a_content(w: Writer) -> str:
    """Return a content of some sort."""
    every = ['"-".join(map(str, seen))', "seen", '{"seen": seen}', "str(seen).encode()", "repr(seen)", "None", '""']
    return w.random.choice([*every, '{"text": str(seen)}', '{"code": 3, "of": seen}', "seen or None"])


def _of_the_form(form: ReplyForm, values: dict[str, str]) -> str:
    """Return the items or arguments of an answer in one of its forms."""
    items = []
    for row in form.rows:
        step = row.at.steps[-1] if row.at.steps else None
        if row.field in values and isinstance(step, Item):
            items.append(f"{step.key!r}: {values[row.field]}")
        elif row.field in values and isinstance(step, Attr):
            items.append(f"{step.name}={values[row.field]}")
    return ", ".join(items)


def answered_in_a_list(w: Writer, s: Scope) -> list[str]:
    """Return statements that answer with a list of a status line, header fields and content, or raise an answer."""
    r, body = w.random, a_content(w)
    line = r.choice(["'200 Done'", "'404 No'", "f'{200 + len(seen)} Done'", "'201 Created'", "'done'"])
    fields = r.choice(["{}", "None", '{"X-N": str(len(seen))}', '{"Content-Type": "text/x"}', '{"A": ["1", "2"]}'])
    whole = f"[{line}, {fields}, {body}]"
    ways = [[f"return {whole}"], [f"return {whole}"], [f"return [{line}, {fields}]"], [f"return [{line}]"]]
    ways += [[f"made = [{line}]", f"made += [{fields}, {body}]", "return made"]]
    ways += [[f"if {w.test(s)}:", f"    return [{line}]", f"return {whole}"]]
    form = next((form for form in w.surface.profile.kinds["http"].answered.forms if form.when == "raised"), None)
    if form is not None:
        w.top.append(f"import {form.class_name.rpartition('.')[0]}")
        ways += [
            [f"raise {form.class_name}({line}, str(seen))"],
            [f"if {w.test(s)}:", f"    raise {form.class_name}('404 No')"],
        ]
        ways[-1].append(f"return {whole}")
    return r.choice(ways)


def answered(w: Writer, s: Scope) -> list[str]:
    """Return statements that answer with what was seen, in one of the forms that the provider has."""
    reply = w.surface.profile.kinds["http"].answered
    if w.surface.writer is not None and w.random.random() < 0.6:
        return answered_by_writer(w, s, w.surface.writer)
    if any(form.types for form in reply.forms):
        return answered_by_shape(w, s)
    if any(form.when == "list" for form in reply.forms):
        return answered_in_a_list(w, s)
    form = w.random.choice(
        [form for form in reply.forms if form.when in ("mapping", "object", "text")] or [reply.written]
    )
    body = w.random.choice(['"\\n".join(map(str, seen))'] * 3 + other_contents(w, s))
    status = w.random.choice(["200", "201", "404", f"(200 if {w.test(s)} else 409)"]) if not s.names else "200"
    values = {"status": status, "body": body}
    if w.random.random() < 0.6:
        values["headers"], values["headers.plain"] = other_fields(w, s)
    if form.when == "text":
        return [f"return {body}"]
    flag = next((row.flag.steps[-1] for row in form.rows if row.flag is not None and row.field == "body"), None)
    before: list[str] = []
    if isinstance(flag, Item) and w.random.random() < 0.25:  # in Base64, at once or first under a name
        w.top.append("import base64")
        packed = "base64.b64encode(str(seen).encode()).decode()"
        name = w.fresh("packed")
        before, values["body"] = w.random.choice([([], packed), ([f"{name} = {packed}"], name)])
    if form.when == "mapping" and not before and "packed" not in values["body"] and w.random.random() < 0.3:
        return through_a_helper(w, s, form, values)
    given = _of_the_form(form, values)
    given += f", {flag.key!r}: True" if isinstance(flag, Item) and "packed" in values["body"] + "".join(before) else ""
    if form.when == "object":
        module, _, name = form.class_name.rpartition(".")
        w.top.append(f"from {module} import {name}")
        made = f"{name}({given})"
    else:
        made = f"{{{given}}}"
        if w.random.random() < 0.15:
            made = f"dict(**{made})" if w.random.random() < 0.3 else re.sub(r"'(\w+)': ", r"\1=", f"dict({given})")
    return [*before, *put_together(w, s, made, given, form)]


def through_a_helper(w: Writer, s: Scope, form: ReplyForm, values: dict[str, str]) -> list[str]:
    """Return statements that answer with what a function of the file puts together, as it is or changed."""
    r, name, answer = w.random, w.fresh("told"), w.fresh("answer")
    key = {row.field: repr(row.at.steps[-1].key) for row in form.rows if isinstance(row.at.steps[-1], Item)}
    fields = next((one for one in key if one.startswith("headers") and one in values), "")
    listed = r.choice([f"{key[fields]}: fields or BASE_OF_IT, ", ""]) if fields else ""
    usual, head = r.choice(["None", '""', "None"]), f"{key['status']}: status, {listed}"
    steps = [f"    made = {{{head.rstrip(', ')}}}", "    if body is not None:", f"        made[{key['body']}] = body"]
    wholes = [[f"    return {{{head}{key['body']}: body}}"]] * 2 + [[*steps, "    return made"]]
    w.top.append(f"BASE_OF_IT = {'{}' if fields == 'headers.plain' else '[]'}")
    w.define(f"def {name}(status, body={usual}, fields=None):", *r.choice(wholes))
    if r.random() < 0.3:  # one that hands on what another gives
        w.top.append(
            f"def {name}_on(*given):\n    return {name}(*given)"
            if r.random() < 0.3
            else f"def {name}_on(status, body):\n    return {name}(status, body)"
        )
        listed = ""
    early = [f"if {w.test(s)}:", f"    return {name}({r.choice(['404', '409, None', '409, str(len(seen))'])})"]
    changes = [
        f"{answer}[{key['status']}] = 203",
        f"{answer}[{key['body']}] = 'x'",
        f"{answer}.update({{{key['status']}: 206}})",
    ]
    given = f"{values['status']}, {values['body']}" + (f", {values[fields]}" if listed else "")
    taker = f"{name}_on" if f"def {name}_on(" in w.top[-1] else name
    changed = [f"{answer} = {taker}({given})", f"if {w.test(s)}:", f"    {r.choice(changes)}", f"return {answer}"]
    return [*r.choice([early, [], early]), *r.choice([changed, [f"return {name}({given})"]])]


def other_contents(w: Writer, scope: Scope) -> list[str]:
    """Return contents that may be nothing, bytes, or what no answer takes."""
    text = '"-".join(map(str, seen))'
    either = f"({text} if {w.test(scope)} else None)"
    return [f"({text} or None)", "None", '""', either, f"str({w.part(scope)})", "b'x'", "3"]


def other_fields(w: Writer, s: Scope) -> tuple[str, str]:
    """Return header fields as pairs and as a mapping, put together in some way."""
    w.top.append('BASE = {"content-type": "text/html", "x-n": "0"}')
    mappings = [
        '{"content-type": "text/plain", "x-n": str(len(seen))}',
        '{**BASE, "x-n": str(len(seen))}',
        '{"x-a": "1", **BASE}',
        'BASE | {"x-n": "1"}',
        'dict(BASE, accept="*/*")',
        '{name: "1" for name in ("x-b", "content-type")}',
        f'{{"x-p": {w.part(s, "text")}}}',
        '{"x-a": "1", "x-a": "2"}',
        "BASE",
    ]
    mapping = w.random.choice(mappings)
    pairs = [
        '[("content-type", "text/plain"), ("x-n", str(len(seen)))]',
        f"list(({mapping}).items())",
        '[*BASE.items(), ("x-n", "1")]',
        '(("x-a", "1"), ("x-a", "2"))',
        '[(name, "1") for name in ("x-b", "content-type")]',
        f'[("x-p", {w.part(s, "text")})]',
        '[["x-a", "1"]]',
    ]
    return w.random.choice(pairs), mapping


def put_together(w: Writer, s: Scope, made: str, given: str, form: ReplyForm) -> list[str]:
    """Return statements that answer with what `made` gives, at once or in steps."""
    name, helper = w.fresh("answer"), w.fresh("made")
    one, two = ("async ", "await ") if "await " in made else ("", "")
    ways = [[f"return {made}"], [f"return {made}"], [f"{name} = {made}", f"return {name}"]]
    ways += [
        [f"return {made} if {w.test(s)} else {made}"],
        [f"{one}def {helper}():", f"    return {made}", f"return {two}{helper}()"],
    ]
    ways += [["try:", f"    return {made}", "finally:", "    seen.append(1)"]]
    if form.when == "mapping":
        first = given.partition(":")[0]
        ways += [[f"return {{**{made}, {first}: 202}}"], [f"return dict({made})"]]
        ways += [[f"{name} = {made}", f"if {w.test(s)}:", f"    {name}[{first}] = 203", f"return {name}"]]
        ways += [[f"{name} = {{**{made}, 'left': 1}}", f"del {name}['left']", f"return {name}"]]
        ways += [[f"{name} = {made}", f"{name}.update({{{first}: 206}})", f"return {name}"]]
    elif form.when == "object":
        title = made.partition("(")[0]
        ways += [[f"return {title}(**dict({given}))"], [f"{name} = {title}", f"return {name}({given})"]]
        ways += [[f"{name} = {made}", f"{name}.status = 202", f"return {name}"]]
    return w.random.choice(ways)
