"""Expressions of generated source as a graph: each is written once, and named where it is used more than once."""

from __future__ import annotations

import builtins
import keyword
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.mapping.helpers import of_calls, of_http, of_values


@dataclass(frozen=True, slots=True)
class Node:
    """An expression: `text` with `{0}`, `{1}`… where its `parts` go, already safe to stand as an operand.

    `name` is what a variable for it would be called.
    """

    text: str
    parts: tuple[Node, ...] = ()
    name: str = ""
    plain: bool = False  # so cheap that it is never put into a variable


def literal(value: object) -> Node:
    """Return the expression of a literal; with `docstring`, the only place where a value becomes source."""
    return Node(repr(value).replace("{", "{{").replace("}", "}}"), plain=True)


def docstring(text: str) -> str:
    """Return the docstring literal of any text: a quote or a backslash in it stays what it is."""
    escaped = text.replace("\\", "\\\\").replace('"', '\\"')
    return f'"""{escaped}"""'


def variable(name: str) -> Node:
    """Return the expression of a variable."""
    return Node(name, plain=True)


def call(helper: str, *parts: Node, name: str = "") -> Node:
    """Return a call of one of `mapping.helpers`."""
    places = ", ".join(f"{{{index}}}" for index in range(len(parts)))
    return Node(f"{helper}({places})", parts, name)


def wrap(text: str, *parts: Node, name: str = "") -> Node:
    """Return an expression of `text` over `parts`."""
    return Node(text, parts, name)


#: Names that generated source uses for something else: no variable and no parameter may hide them.
RESERVED: Final = (
    frozenset(name for room in (of_http, of_values, of_calls) for name in dir(room))
    | frozenset(dir(builtins))
    | frozenset(keyword.kwlist)
    | {"told", "hub", "call_handler", "self"}
)


@dataclass(slots=True)
class Writer:
    """Turns nodes into statements: what is used more than once is put into a variable first, in the order of need."""

    taken: set[str] = field(default_factory=lambda: set(RESERVED))
    lines: list[str] = field(default_factory=list)
    _uses: dict[Node, int] = field(default_factory=dict)
    _named: dict[Node, str] = field(default_factory=dict)

    def count(self, node: Node) -> None:
        """Count the uses of a node and its parts; call for every root before writing."""
        seen = self._uses.get(node, 0)
        self._uses[node] = seen + 1
        if not seen:
            for part in node.parts:
                self.count(part)

    def write(self, node: Node) -> str:
        """Return the source of a node, after writing the variables that it needs."""
        if node in self._named:
            return self._named[node]
        parts = [self.write(part) for part in node.parts]
        if "\n" in node.text:  # what spans lines is indented with what holds it; no literal holds a bare line end
            parts = [part.replace("\n", "\n    ") for part in parts]
        source = node.text.format(*parts)
        if node.plain or self._uses.get(node, 0) < 2:
            return source
        return self.assign(node, source)

    def assign(self, node: Node, source: str) -> str:
        """Put `source` into a new variable for `node` and return its name."""
        name = base = node.name or "value"
        number = 2
        while name in self.taken:
            name, number = f"{base}_{number}", number + 1
        self.taken.add(name)
        self._named[node] = name
        self.lines.append(f"{name} = {source}")
        return name
