"""Parts of answers that a handler tells early: before other statements, for every answer behind them.

    reply.head("etag", found.etag)                   const etag = found.etag
    if (same) return reply.status(304).send()   →    if (same) return { code: 304, fields: { etag } }
    reply.send(found.body)                           return { code: 200, fields: { etag }, content: found.body }

What is told so belongs to each answer that the handler may give behind it, if all of them lie behind it: it stands at
the top of the body, so nothing leads around it. What it is given is worked out where it was, under a name; what gives
the same whenever it is worked out needs none.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, string_of
from vast_ferry.translate.javascript.values import calls_of

_SETTLED = frozenset(["string", "number", "true", "false", "null", "undefined"])


@dataclass(slots=True)
class Early:
    """The statements by which parts of answers are told early, with their chains, and names for what they are given."""

    file: JavaScriptFile
    taken: set[str]  # names that mean something in the file
    names: dict[int, str] = field(default_factory=dict)  # by what is given

    def before(self, answer: Node, steps: dict[int, Node], body: Node) -> list[tuple[Node, Node]]:
        """Return the steps at the top of a body that stand before an answer's statement, with their chains."""
        top = answer
        while top.parent is not None and top.parent != body:
            top = top.parent
        if top.parent is None:
            return []
        beside = [one for one in body.named_children if one.end_byte <= top.start_byte]
        return [(one, steps[one.id]) for one in beside if one.id in steps]

    def named(self, statements: Iterable[tuple[Node, Node]]) -> None:
        """Give names to what chains of calls are given that is not the same whenever it is worked out."""
        for _, chain in statements:
            for method, given in calls_of(chain, self.file):
                for at, one in enumerate(given):
                    if one.type not in _SETTLED and one.id not in self.names:
                        said = string_of(self.file, given[0]) if at else None
                        self.names[one.id] = self._free(said or method)

    def _free(self, said: str) -> str:
        first, *rest = [part for part in re.split(r"\W+", said.lower()) if part] or ["given"]
        wanted = "".join([first, *(part.capitalize() for part in rest)])
        wanted = wanted if re.match("[a-z_]", wanted) else f"given{wanted}"
        name, number = wanted, 2
        while name in self.taken:
            name, number = f"{wanted}{number}", number + 1
        self.taken.add(name)
        return name

    def given(self, chain: Node) -> list[tuple[Node, str]]:
        """Return what a chain is given that has names, in the order in which it is worked out."""
        every = [one for _, given in calls_of(chain, self.file) for one in given]
        return [(one, self.names[one.id]) for one in every if one.id in self.names]
