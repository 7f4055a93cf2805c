"""What a person would write by hand for a hub field: an expression, with what there is to know of it.

A lens says it (`Lens.inline` and its like), `mapping.inline` asks each row's lens, and a translator of handlers puts
it into the author's own file.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Final

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.python import is_operand

#: RFC 9110: fields that are no lists, so that the first value is the value; all in lower case.
SINGLE_FIELDS: Final = frozenset(
    ["content-type", "content-length", "content-location", "host", "authorization", "user-agent", "referer", "from"]
    + ["if-modified-since", "if-unmodified-since", "if-range", "range", "date", "max-forwards", "location", "etag"]
    + ["last-modified", "age", "expires", "retry-after", "server", "origin", "cookie"]
)


#: What makes an expression of another.
Making = Callable[[ex.Expression], ex.Expression]


@dataclass(frozen=True, slots=True)
class ByHand:
    """An expression, with its Python type where known.

    `once`: it can be read only once; `note`: what it takes for granted.
    """

    expression: ex.Expression
    type: str = ""
    once: bool = False
    note: str = ""

    def over(
        self,
        build: Making,
        type: str = "",  # noqa: A002
        note: str = "",
        *,
        once: bool | None = None,
    ) -> ByHand:
        """Return what `build` makes of this expression."""
        once = self.once if once is None else once
        return replace(self, expression=build(self.expression), type=type, note=note or self.note, once=once)

    def of_type(self, type: str) -> ByHand:  # noqa: A002
        """Return the same, known to be of a type."""
        return replace(self, type=type)

    @property
    def imports(self) -> frozenset[str]:
        """Return the import lines that the expression needs."""
        found = set()
        for node in ex.walk(self.expression):
            if isinstance(node, ex.Standard):
                found.add(f"import {node.module}" if node.whole else f"from {node.module} import {node.member}")
        return frozenset(found)

    @property
    def beside(self) -> frozenset[str]:
        """Return the names of the small functions that it calls."""
        return frozenset(node.function for node in ex.walk(self.expression) if isinstance(node, ex.Beside))

    @property
    def awaits(self) -> bool:
        """Tell whether it awaits anything."""
        return any(isinstance(node, ex.Await) for node in ex.walk(self.expression))

    @property
    def loose(self) -> bool:
        """Tell whether it needs parentheses to be an operand."""
        return not is_operand(self.expression)


class How(StrEnum):
    """How values are looked up by name: the first, every one, all joined by commas, or whether there is one."""

    FIRST = "first"
    LAST = "last"
    EVERY = "every"
    JOINED = "joined"
    HAS = "has"


@dataclass(frozen=True, slots=True)
class Lookup:
    """A name looked up among the pairs of a field.

    `key` is the author's source of the name and `constant` its text where it is known; `default` the author's source
    of what stands for a missing one (nothing: None).
    """

    field: str
    how: How
    key: ex.Expression
    constant: str | None = None
    default: ex.Expression | None = None

    @property
    def headers(self) -> bool:
        """Tell whether names are those of header fields, in which case makes no difference."""
        return self.field.startswith("headers")

    @property
    def lower_key(self) -> ex.Expression:
        """Return the name in lower case, where it is known and one of a header field's."""
        return ex.Literal((self.constant or "").lower()) if self.headers else self.key

    @property
    def or_none(self) -> ex.Expression:
        """Return what stands for a missing one."""
        return self.default if self.default is not None else ex.Literal(None)

    @property
    def said(self) -> ex.Expression | None:
        """Return what stands for a missing one where it is not nothing anyway."""
        return None if self.default is not None and is_none(self.default) else self.default

    def get(self, base: ex.Expression, key: ex.Expression) -> ex.Expression:
        """Return a mapping's value of a name."""
        return ex.method(base, "get", key, *([self.said] if self.said is not None else []))

    def joined(self, at: ByHand, every: Making, has: Making) -> ByHand:
        """Return the values under a name as one text, or what stands for a missing one where it is not there.

        `every` and `has` are made of what is looked up in: the list of the values, and whether there is one. A value
        that is there and empty is no missing one.
        """

        def text(base: ex.Expression) -> ex.Expression:
            return ex.method(ex.Literal(", "), "join", every(base))

        if self.default is not None and is_empty_text(self.default):
            return at.over(text, "str")
        return at.over(lambda base: ex.Choice(has(base), text(base), self.or_none))


def is_none(node: ex.Expression) -> bool:
    """Tell whether an expression is `None`, literally."""
    return (isinstance(node, ex.Literal) and node.value is None) or (isinstance(node, ex.Given) and node.text == "None")


def is_empty_text(node: ex.Expression) -> bool:
    """Tell whether an expression is an empty text, literally."""
    return (isinstance(node, ex.Literal) and node.value == "") or (isinstance(node, ex.Given) and node.text == '""')


@dataclass(frozen=True, slots=True)
class Stands:
    """What stands at a row's place, for a lens that says how a person would read it.

    `at` gives nothing (or what the field has for it) where the place is missing, `bare` fails there; `flag` is the
    second place, and `holds` what the hub field holds.
    """

    at: ByHand
    bare: ByHand
    flag: ByHand | None
    flag_or_zero: ByHand | None
    holds: str
