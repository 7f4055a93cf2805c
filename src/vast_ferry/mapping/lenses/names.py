"""How the names of pairs are spelt: in lower case, in capitals, as headings, with dashes; and values joined by name."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from vast_ferry.mapping import helpers
from vast_ferry.mapping.expressions import Expression
from vast_ferry.mapping.lenses.lens import Formed, LensError, Need
from vast_ferry.mapping.lenses.pairs import joined_loss, order_lost
from vast_ferry.mapping.losses import Fields, Loss, by_trying


class LowerNames(Formed):
    """Pairs with their names in lower case."""

    __slots__ = ()
    name, holds, reader, writer = "lower_names", ("pairs",), "lowered_names", "list"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _respelt(field, helpers.lowered_names)

    def write(self, value: Expression, need: Need) -> Expression:
        return value


class UpperNames(Formed):
    """Pairs with their names in capitals, which are in lower case here: header fields (RFC 9110 §5.1)."""

    __slots__ = ()
    name, holds, reader, writer = "upper_names", ("pairs",), "lowered_names", "names_in_capitals"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _respelt(field, self.back)


class TitleNames(Formed):
    """Pairs with each word of their names in lower case behind a capital: header fields as `Content-Type`."""

    __slots__ = ()
    name, holds, reader, writer = "title_names", ("pairs",), "lowered_names", "names_in_title"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _respelt(field, self.back)


class CamelNames(Formed):
    """Pairs in whose names a capital stands for each dash and letter: header fields as `contentType`."""

    __slots__ = ()
    name, holds, reader, writer = "camel_names", ("pairs",), "names_from_camel_case", "names_in_camel_case"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _respelt(field, self.back)


def _respelt(field: str, back: Callable[[Any], Any]) -> tuple[Loss, ...]:
    """Return what is lost of names that are not in lower case, as those of header fields are."""
    if field.startswith("headers"):
        return ()

    def respelt(fields: Fields) -> bool:
        pairs = helpers.parse_query(fields["query.raw"]) if field.startswith("query") else fields[field]
        return bool(back(pairs) != pairs)

    when = "a name is not as that of a header field is, in lower case and with a letter behind each dash"
    return (Loss("name-respelt", field, when, "it is spelt otherwise", respelt),)


class JoinedByName(Formed):
    """Pairs as a mapping from each name, as it is spelt, to its values joined by `, `, before `title_names`.

    `joined_by_name('|')` is for values that are joined by another text, and come apart again at it.
    """

    __slots__ = ()
    name, takes, most, holds = "joined_by_name", "what stands between values", 1, ("pairs",)
    reader, writer = "pairs_of_joined", "with_values_joined"

    @property
    def sets_apart(self) -> bool:  # type: ignore[override]
        return bool(self.args)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return self.losses_by(field, self.back)

    def losses_by(self, field: str, back: Callable[[Any], Any]) -> tuple[Loss, ...]:
        if not self.args:
            return (joined_loss(field),)
        mark = self.args[0]
        if not mark:
            raise LensError("joined_by_name takes what stands between the values of a name, such as '|'")

        def holds_it(fields: Fields) -> bool:
            held = helpers.parse_query(fields["query.raw"]) if field.startswith("query") else fields.get(field) or ()
            pairs = held.items() if isinstance(held, dict) else held
            return any(mark in str(value) for _, value in pairs)

        taken = Loss("value-split", field, f"a value holds {mark!r}", "it arrives as several", holds_it, tried=True)
        return (taken, *order_lost(field))


class Underscored(Formed):
    """Pairs in whose names each `-` stands as `_`."""

    __slots__ = ()
    name, holds, reader, writer = "underscored", ("pairs",), "names_with_dashes", "names_with_underscores"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (by_trying(field, self.back, "a name holds a `_`", "it arrives as `-`", "name-respelt"),)
