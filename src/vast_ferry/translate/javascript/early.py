"""Parts of answers that a handler tells early: before other statements, for every answer behind them.

    reply.head("etag", found.etag)                   const etag = found.etag
    if (same) return reply.status(304).send()   →    if (same) return { code: 304, fields: { etag } }
    reply.send(found.body)                           return { code: 200, fields: { etag }, content: found.body }

What is told so belongs to each answer that the handler may give behind it in the same block: nothing leads around it.
What it is given is worked out where it was, under a name; what gives the same whenever it is worked out needs none.

    if (more) reply.head("link", next)               let link
    reply.send(page)                             →   if (more) link = next
                                                     return { fields: { ...(link !== undefined && { link }) }, … }

What is told under a condition has a name as well, which has no value where the condition did not hold.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from vast_ferry.documents.javascript_file import Node, string_of
from vast_ferry.translate.javascript.scopes import Scopes

_SETTLED = frozenset(["string", "number", "true", "false", "null", "undefined"])


@dataclass(slots=True)
class Early:
    """The statements by which parts of answers are told early, with their chains, and names for what they are given."""

    scopes: Scopes
    taken: set[str]  # names that mean something in the file
    calls: Callable[[Node], list[tuple[str, list[Node]]]]  # what a chain, or a call that stands for one, tells
    names: dict[int, str] = field(default_factory=dict)  # by what is given
    perhaps: dict[int, Node] = field(default_factory=dict)  # what is told under a condition: by statement, its `if`
    certain: set[int] = field(default_factory=set)  # statements that tell their part to every answer behind them

    def before(self, answer: Node, steps: dict[int, Node], body: Node) -> list[tuple[Node, Node]]:
        """Return the steps that stand before an answer's statement in the blocks around it, with their chains."""
        found: list[Node] = []
        below = answer
        while below != body and below.parent is not None:
            above = below.parent
            if above.type == "statement_block":
                beside = [one for one in above.named_children if one.end_byte <= below.start_byte]
                found = [inner for one in beside for inner in self._steps_of(one, steps)] + found
            elif above.type not in ("if_statement", "else_clause"):
                found = []  # what is told in a `try`, or again and again, is not told to what stands around that
            below = above
        return [(one, steps[one.id]) for one in found] if below == body else []

    def _steps_of(self, statement: Node, steps: dict[int, Node]) -> list[Node]:
        """Return the steps that a statement is, or that stand under its conditions."""
        if statement.id in steps:
            self.certain.add(statement.id)
            return [statement]
        if statement.type != "if_statement":
            return []
        found = [one for way in ways_of(statement) for one in _told_in(way, steps)]
        for one in found:  # its name is declared where each answer behind knows it
            known = self.perhaps.get(one.id, statement)
            self.perhaps[one.id] = min(known, statement, key=lambda node: node.start_byte)
        return found

    def both(self) -> bool:
        """Tell whether something is told to one answer certainly, and to another under a condition."""
        return bool(self.certain & self.perhaps.keys())

    def clear(self) -> None:
        """Forget what is told early: it is not written so."""
        self.names.clear()
        self.perhaps.clear()
        self.certain.clear()

    def named(self, statements: Iterable[tuple[Node, Node]]) -> None:
        """Give names to what chains of calls are given that is not the same whenever it is worked out.

        What is told under a condition always has one.
        """
        for statement, chain in statements:
            perhaps = statement.id in self.perhaps
            for method, given in self.calls(chain):
                for at, one in enumerate(given):
                    if one.id not in self.names and (at > 0 if perhaps else not self._gives_the_same(one)):
                        said = string_of(self.scopes.file, given[0]) if at else None
                        self.names[one.id] = self._free(said or method)

    def _gives_the_same(self, node: Node) -> bool:
        """Tell whether an expression gives the same whenever it is worked out."""
        binding = self.scopes.of(node) if node.type == "identifier" else None
        constant = binding is not None and not binding.writes and binding.kind in ("const", "parameter")
        return constant or node.type in _SETTLED

    def maybe(self, chains: Iterable[tuple[Node, Node]]) -> set[int]:
        """Return what is given under a condition."""
        found = (chain for statement, chain in chains if statement.id in self.perhaps)
        return {one.id for chain in found for _, given in self.calls(chain) for one in given}

    def _free(self, said: str) -> str:
        first, *rest = [part for part in re.split(r"\W+", said.lower().removeprefix("set-")) if part] or ["given"]
        wanted = "".join([first, *(part.capitalize() for part in rest)])
        wanted = wanted if re.match("[a-z_]", wanted) else f"given{wanted}"
        name, number = wanted, 2
        while name in self.taken:
            name, number = f"{wanted}{number}", number + 1
        self.taken.add(name)
        return name

    def given(self, chain: Node) -> list[tuple[Node, str]]:
        """Return what a chain is given that has names, in the order in which it is worked out."""
        every = [one for _, given in self.calls(chain) for one in given]
        return [(one, self.names[one.id]) for one in every if one.id in self.names]


def ways_of(statement: Node) -> list[Node]:
    """Return the statements of which an `if` runs one, those of its `else if` included."""
    other = statement.child_by_field_name("alternative")
    inside = [one for one in other.named_children if one.type != "comment"] if other is not None else []
    below = [way for one in inside for way in (ways_of(one) if one.type == "if_statement" else [one])]
    return [statement.child_by_field_name("consequence"), *below]


def _told_in(way: Node, steps: dict[int, Node]) -> list[Node]:
    """Return the steps in one way through an `if`, where that goes on behind it."""
    inside = [one for one in way.named_children if one.type != "comment"] if way.type == "statement_block" else [way]
    if inside and inside[-1].type in ("return_statement", "throw_statement"):
        return []
    return [
        step
        for one in inside
        for step in (
            [one]
            if one.id in steps
            else [inner for below in ways_of(one) for inner in _told_in(below, steps)]
            if one.type == "if_statement"
            else []
        )
    ]
