"""Expressions written as Python.

An expression is put into parentheses where it binds less tightly than what it stands in (the language's own table of
precedence). Texts are quoted as `quotes` says: `repr` in what is generated, double quotes in what stands in a handler.
"""

from __future__ import annotations

import builtins
import keyword
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers

#: How tightly operators bind, from Python's own table; what is not here is an operand.
_CHOICE, _OR, _AND, _NOT, _COMPARISON, _SUM, _PRODUCT, _AWAIT, _OPERAND = range(1, 10)
_BINDS: Final = {
    **{"or": _OR, "and": _AND},
    **dict.fromkeys(("in", "not in", "is", "is not", "==", "!=", "<", "<=", ">", ">="), _COMPARISON),
    **dict.fromkeys(("+", "-"), _SUM),
    **dict.fromkeys(("*", "/", "//", "%"), _PRODUCT),
}


def quoted(value: str) -> str:
    """Return the literal of a text, in double quotes as code is usually written."""
    plain = value.isprintable() and '"' not in value and "\\" not in value
    return f'"{value}"' if plain else repr(value)


def docstring(value: str) -> str:
    """Return the docstring literal of any text: a quote or a backslash in it stays what it is."""
    escaped = value.replace("\\", "\\\\").replace('"', '\\"')
    return f'"""{escaped}"""'


def binds(node: ex.Expression) -> int:
    """Return how tightly an expression binds."""
    match node:
        case ex.Choice() | ex.Function():
            return _CHOICE
        case ex.Operation(operator=operator):
            return _BINDS[operator]
        case ex.Not():
            return _NOT
        case ex.Await():
            return _AWAIT
        case ex.Given(operand=False):
            return _CHOICE
        case _:
            return _OPERAND


def is_operand(node: ex.Expression) -> bool:
    """Tell whether an expression may stand before a dot or a bracket as it is."""
    return binds(node) == _OPERAND


@dataclass(slots=True)
class Python:
    """Writes expressions; `named` gives what is in a variable already."""

    quotes: Callable[[str], str] = repr
    named: Callable[[ex.Expression], str] = lambda node: ""

    def write(self, node: ex.Expression, least: int = _CHOICE) -> str:
        """Return the source of an expression, in parentheses where it binds less tightly than `least`."""
        name = self.named(node)
        if name:
            return name
        made = self.plainly(node)
        return f"({made})" if binds(node) < least else made

    def operand(self, node: ex.Expression) -> str:
        """Return the source of an expression that something follows: a dot, a bracket, a call."""
        return self.write(node, _OPERAND)

    def plainly(self, node: ex.Expression) -> str:
        """Return the source of an expression by itself."""
        write: Callable[[ex.Expression], str] | None = _WRITES.get(type(node))
        if write is not None:
            return write(node)
        made: str = getattr(self, f"_{type(node).__name__.lower()}")(node)
        return made

    def _literal(self, node: ex.Literal) -> str:
        if isinstance(node.value, str):
            return self.quotes(node.value)
        if isinstance(node.value, bytes) and self.quotes is not repr and node.value.isascii():
            return f"b{self.quotes(node.value.decode())}"
        if isinstance(node.value, int) and not isinstance(node.value, bool) and abs(node.value) >= 1_000_000:
            return f"{node.value:_}"
        return repr(node.value)

    def _item(self, node: ex.Item) -> str:
        base, key = self.operand(node.base), self.write(node.key)
        if node.default is None:
            return f"{base}[{key}]"
        return f"{base}.get({key}, {self.write(node.default)})"

    def _attribute(self, node: ex.Attribute) -> str:
        if node.default is None:
            return f"{self.operand(node.base)}.{node.attribute}"
        return f"getattr({self.write(node.base)}, {node.attribute!r}, {self.write(node.default)})"

    def _textmethod(self, node: ex.TextMethod) -> str:
        return f"{self.operand(node.base)}.{node.name_there}"

    def _call(self, node: ex.Call) -> str:
        alone = len(node.arguments) == 1 and not node.keywords
        given = [
            self._each(one, bare=True) if alone and isinstance(one, ex.Each) and not one.listed else self.write(one)
            for one in node.arguments
        ]
        given += [f"{name}={self.write(value)}" for name, value in node.keywords]
        called = self.operand(node.function)
        if not node.lines:
            return f"{called}({', '.join(given)})"
        return f"{called}({''.join(f'{NEW_LINE}{_further_in(one)},' for one in given)}\n)"

    def _await(self, node: ex.Await) -> str:
        return f"await {self.operand(node.base)}"

    def _operation(self, node: ex.Operation) -> str:
        least = _BINDS[node.operator]
        head, *tail = node.operands
        # Only `and`, `or`, sums and products of equal rank may stand in one another unmarked, on the left.
        left = least if least not in (_COMPARISON,) else least + 1
        return f" {node.operator} ".join([self.write(head, left), *(self.write(one, least + 1) for one in tail)])

    def _not(self, node: ex.Not) -> str:
        return f"not {self.write(node.base, _NOT)}"

    def _choice(self, node: ex.Choice) -> str:
        return (
            f"{self.write(node.then, _OR)} if {self.write(node.test, _OR)} else {self.write(node.otherwise, _CHOICE)}"
        )

    def _mapping(self, node: ex.Mapping) -> str:
        entries = [self._entry(one) for one in node.entries]
        if not node.lines:
            return f"{{{', '.join(entries)}}}"
        return f"{{{''.join(f'{NEW_LINE}{_further_in(one)},' for one in entries)}\n}}"

    def _entry(self, entry: ex.Entry) -> str:
        if entry.key is None:
            return f"**{self.operand(entry.value)}"
        value = self.write(entry.value)
        pair = f"{self.write(entry.key)}: {value}"
        if entry.test is not None:
            return f"**({{{pair}}} if {self.write(entry.test, _OR)} else {{}})"
        if not entry.unless:
            return pair
        test = self.operand(entry.value) if isinstance(entry.value, ex.Choice) else value
        return f"**({{{pair}}} if {test}{' is not None' * (entry.unless == 'nothing')} else {{}})"

    def _sequence(self, node: ex.Sequence) -> str:
        items = ", ".join(self.write(one) for one in node.items)
        if not node.fixed:
            return f"[{items}]"
        return f"({items}{',' * (len(node.items) == 1)})"

    def _each(self, node: ex.Each, *, bare: bool = False) -> str:
        item = self.write(node.item)
        if node.key is not None:
            item = f"{self.write(node.key)}: {item}"
        made = f"{item} for {', '.join(node.names)} in {self.write(node.over, _OR)}"
        if node.inner is not None:
            names, over = node.inner
            made += f" for {', '.join(names)} in {self.write(over, _OR)}"
        if node.test is not None:
            made += f" if {self.write(node.test, _OR)}"
        if node.key is not None:
            return f"{{{made}}}"
        return f"[{made}]" if node.listed else made if bare else f"({made})"

    def _function(self, node: ex.Function) -> str:
        return f"lambda{' ' if node.parameters else ''}{node.parameters}: {self.write(node.body)}"


def in_handler(node: ex.Expression) -> str:
    """Return the source of an expression as it is written into an author's own code."""
    return Python(quoted).write(node)


NEW_LINE = "\n    "


def _further_in(source: str) -> str:
    # What spans lines is indented with what holds it; no literal holds a bare line end.
    return source.replace("\n", NEW_LINE)


_WRITES: Final[dict[type, Callable[..., str]]] = {
    ex.Variable: lambda node: node.identifier,
    ex.Parameter: lambda node: node.identifier,
    ex.Given: lambda node: node.text,
    ex.Helper: lambda node: node.function,
    ex.Standard: lambda node: f"{node.module}.{node.member}" if node.whole else node.member,
    ex.Beside: lambda node: node.function,
}

#: Names that generated source uses for something else: no variable and no parameter may hide them.
RESERVED: Final = (
    frozenset(name for room in helpers.ROOMS for name in dir(getattr(helpers, room)))
    | frozenset(dir(builtins))
    | frozenset(keyword.kwlist)
    | {"told", "hub", "call_handler", "self"}
)

#: Of these, what is free as a parameter of a provider's call (`type`, `id`, `format`): no generated code asks for it.
FREE_FOR_CALLS: Final = frozenset(
    ("bin", "compile", "dir", "filter", "format", "hash", "help", "hex", "id", "input", "iter", "license", "map", "max")
    + ("min", "object", "oct", "open", "range", "round", "set", "slice", "sum", "super", "type", "json", "re", "time")
)


@dataclass(slots=True)
class Statements:
    """Turns expressions into statements: what is used more than once is put into a variable first, in order of need.

    What is only evaluated behind a test stays behind it, for it may fail where the test does.
    """

    taken: set[str] = field(default_factory=lambda: set(RESERVED))
    lines: list[str] = field(default_factory=list)
    _uses: dict[ex.Expression, int] = field(default_factory=dict)
    _named: dict[ex.Expression, str] = field(default_factory=dict)
    _sure: set[ex.Expression] = field(default_factory=set)

    def count(self, node: ex.Expression) -> None:
        """Count the uses of an expression and its parts; call for every root before writing."""
        self._count(node)
        self._reach(node)

    def _reach(self, node: ex.Expression) -> None:
        """Note what is evaluated in any case."""
        if node in self._sure:
            return
        self._sure.add(node)
        parts: tuple[ex.Expression, ...] = node.parts
        if isinstance(node, ex.Choice):
            parts = (node.test,)
        elif isinstance(node, ex.Mapping):
            parts = tuple(entry.test or entry.value for entry in node.entries)
        for part in parts:
            self._reach(part)

    def _count(self, node: ex.Expression) -> None:
        seen = self._uses.get(node, 0)
        self._uses[node] = seen + 1
        if not seen:
            for part in node.parts:
                self._count(part)

    def write(self, node: ex.Expression) -> str:
        """Return the source of an expression, after writing the variables that it needs."""
        return Python(named=self._variable).write(node)

    def _variable(self, node: ex.Expression) -> str:
        """Return the variable that an expression is in; it is put there where it is used more than once."""
        if node in self._named:
            return self._named[node]
        if isinstance(node, ex.PLAIN) or self._uses.get(node, 0) < 2 or node not in self._sure:
            return ""
        return self.assign(node, Python(named=self._variable).plainly(node))

    def assign(self, node: ex.Expression, source: str) -> str:
        """Put `source` into a new variable for an expression and return its name."""
        name = base = node.name or "value"
        number = 2
        while name in self.taken:
            name, number = f"{base}_{number}", number + 1
        self.taken.add(name)
        self._named[node] = name
        self.lines.append(f"{name} = {source}")
        return name
