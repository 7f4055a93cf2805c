"""Small forms of pairs, texts by name, records and values that compose: lists, words, records, tagged values."""

from __future__ import annotations

from typing import Any, ClassVar

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.lenses.lens import Formed, Lens, LensError, Need
from vast_ferry.mapping.losses import Fields, Loss


class Flat(Formed):
    """Pairs as one list in which names and values alternate."""

    __slots__ = ()
    name, holds, reader, writer = "flat", ("pairs",), "pairs_of_flat", "flat_of_pairs"


class Records(Formed):
    """Pairs as a list of records, or objects, with a name and a value: `records(name, value)`."""

    __slots__ = ()
    name, takes, fewest, most, holds = "records", "the keys of a name and of a value", 2, 2, ("pairs",)
    reader, writer = "pairs_of_records", "records_of_pairs"


class Words(Formed):
    """Pairs in one text, with one text between pairs and one within each: `words(';', '=')`; lines end in theirs."""

    __slots__ = ()
    name, takes, fewest, most, holds = "words", "what stands between pairs, and in each", 2, 2, ("pairs",)
    reader, writer = "pairs_of_words", "words_of_pairs"

    def losses(self, field: str) -> tuple[Loss, ...]:
        if "\n" not in self.args[0] or not field.startswith("headers"):
            return ()
        return (
            Loss(
                "spaces-around",
                field,
                "a header field's value begins or ends with spaces",
                "it arrives without them (RFC 9110 section 5.5)",
                lambda fields: any(value != value.strip(" ") for _, value in fields["headers"]),
                harmless=True,
                tried=True,
            ),
        )


class ListOfWords(Formed):
    """Pairs as a list of texts, each with a mark between its two: `list_of_words('=')`."""

    __slots__ = ()
    name, takes, fewest, most, holds = "list_of_words", "what stands within each", 1, 1, ("pairs",)
    reader, writer = "pairs_of_list", "list_of_pairs"


class FormPairs(Formed):
    """Pairs in one text, encoded as a form (application/x-www-form-urlencoded)."""

    __slots__ = ()
    name, holds, reader, writer = "form", ("pairs",), "form_pairs", "build_query"


class PercentPairs(Formed):
    """Pairs whose names and values are percent-encoded."""

    __slots__ = ()
    name, holds, reader, writer = "percent_pairs", ("pairs",), "percent_pairs", "percent_encoded_pairs"


class Texts(Formed):
    """Pairs as texts by name; of two of a name the last counts."""

    __slots__ = ()
    name, holds, reader, writer = "texts", ("texts",), "texts_of_pairs", "pairs_of_texts"


class Commas(Formed):
    """Values by name, those of one name joined by commas without spaces: a view, for a comma may be one's own."""

    __slots__ = ()
    name, holds, derived_only, reader, writer = "commas", ("pairs",), True, "pairs_of_texts", "with_commas"


class LowerNames(Formed):
    """Pairs with their names in lower case."""

    __slots__ = ()
    name, holds, reader, writer = "lower_names", ("pairs",), "lowered_names", "list"

    def write(self, value: Expression, need: Need) -> Expression:
        return value


class InOrder(Formed):
    """What a route captured, as a list in the order of its names; so many that stand before are none of them."""

    __slots__ = ()
    counts = True
    name, takes, most, holds, needs = "in_order", "how many stand before", 1, ("texts",), ("route",)
    reader, writer = "by_order", "values_in_order"

    def told(self) -> tuple[Any, ...]:
        return (int(self.args[0]) if self.args else 0,)

    def write(self, value: Expression, need: Need) -> Expression:
        made = helper("values_in_order", value, need("route"))
        # What stands before the captures is the whole path, where anything does.
        before = [helper("decode_path", need("path.raw"))] * self.told()[0]
        return ex.Operation("+", (ex.Sequence(tuple(before)), made)) if before else made

    def losses(self, field: str) -> tuple[Loss, ...]:
        def unnamed(fields: Fields) -> bool:
            try:
                values = helpers.values_in_order(fields["captures"], fields["route"])
                return bool(helpers.by_order(values, fields["route"], 0) != fields["captures"])
            except ValueError:
                return True

        return (
            Loss(
                "captures-unnamed",
                field,
                "the route does not name what was captured",
                "only captures that the route names arrive",
                unnamed,
            ),
        )


class Behind(Formed):
    """The entries of a mapping whose names begin so, without that beginning: `behind('x-')`."""

    __slots__ = ()
    name, takes, fewest, most, holds, spread = "behind", "the beginning", 1, 1, ("texts", "record"), True
    reader, writer = "behind_prefix", "with_prefix"

    @property
    def beginning(self) -> str | None:
        return str(self.args[0])


class Typed(Formed):
    """Values of records under a provider's words for types; see its two kinds."""

    __slots__ = ()
    named: ClassVar[bool] = True
    holds: ClassVar[tuple[str, ...]] = ("record",)

    @property
    def types(self) -> dict[str, str]:
        """Return the provider's words for types → what they are here."""
        known = ("text", "number", "decimal", "truth", "nothing", "bytes", "list", "mapping")
        for word, kind in self.options:
            if kind not in known and not str(kind).startswith("words:"):
                raise LensError(f"{word}={kind}: a type is one of {', '.join(known)}, or words:yes/no")
        return {str(word): str(kind) for word, kind in self.options}

    def losses(self, field: str) -> tuple[Loss, ...]:
        writer, reader, told = getattr(helpers, self.writer), getattr(helpers, self.reader), self.told()

        def changed(fields: Fields) -> bool:
            value = fields[field]
            try:
                return bool(reader(writer(value, *told), *told) != value)
            except (ValueError, TypeError, KeyError, StopIteration):
                return True

        return (
            Loss(
                "type-unknown", field, "a value has no type there", "it arrives as another value", changed, tried=True
            ),
        )


class Tagged(Typed):
    """A record whose values each stand under their type, as the only key: `tagged({'txt': text, 'no': decimal})`."""

    __slots__ = ()
    name, takes, reader, writer = "tagged", "word=type", "untagged_record", "tagged_record"

    def told(self) -> tuple[Any, ...]:
        return (self.types,)


class TypedItems(Typed):
    """A record as a list of name, type and value: `typed(name, type, value, {'text': text, 'no': decimal})`."""

    __slots__ = ()
    name, takes, fewest, most = "typed", "the keys of name, type and value; word=type", 3, 3
    reader, writer = "record_of_typed", "typed_of_record"

    def told(self) -> tuple[Any, ...]:
        return (self.args, self.types)


class TypedTexts(TypedItems):
    """Texts by name as a list of name, type and value; numbers and Base64 arrive as they are written."""

    __slots__ = ()
    name, holds, reader, writer = "typed_texts", ("texts",), "texts_of_typed", "typed_of_texts"

    def not_taken(self, value: Any) -> tuple[str, ...]:
        return tuple(
            f"[{index}] ({item[self.args[0]]}, of the type {item[self.args[1]]}, arrives as a text)"
            for index, item in enumerate(value or ())
            if self.types.get(item[self.args[1]]) not in ("text", "decimal")
        )


class Columns(Typed):
    """Changed columns as a list: `columns(name, type, key, old, new, value, {'text': text})`, the keys of each."""

    __slots__ = ()
    name, takes, fewest, most = "columns", "the keys of name, type, key, old, new, value; word=type", 6, 6
    holds = ("columns",)
    reader, writer = "changed_columns", "columns_as_told"

    def told(self) -> tuple[Any, ...]:
        return (dict(zip(("name", "type", "key", "old", "new", "value"), self.args, strict=True)), self.types)

    def losses(self, field: str) -> tuple[Loss, ...]:
        told = self.told()

        def changed(fields: Fields) -> bool:
            columns = helpers.columns_of(fields["keys"], fields["old"], fields["new"])
            try:
                return bool(helpers.changed_columns(helpers.columns_as_told(columns, *told), *told) != columns)
            except (ValueError, TypeError, KeyError, StopIteration):
                return True

        return (Loss("type-unknown", field, "a value has no type there", "another value arrives", changed, tried=True),)


class JsonOrEmpty(Formed):
    """A JSON value as text, and an empty text for null."""

    __slots__ = ()
    name, holds, reader, writer = "json_or_empty", ("value", "record", "texts"), "json_or_nothing", "json_or_empty"


class Pipeline(Lens):
    """One form after another, from what stands at the place to what the hub holds: `base64 | gzip | json_bytes`."""

    __slots__ = ()

    @property
    def parts(self) -> tuple[Lens, ...]:
        """Return the forms, the one at the place first."""
        return self.args

    @property
    def asks(self) -> tuple[str, ...]:
        return tuple(field for part in self.parts for field in part.asks)

    @property
    def beginning(self) -> str | None:
        return self.parts[0].beginning

    @property
    def last(self) -> Lens:
        """Return the form that gives what the hub holds."""
        return self.parts[-1]

    # What a class says of a form, this one says of its parts.
    flagged = property(lambda self: any(part.flagged for part in self.parts))
    spread = property(lambda self: self.parts[0].spread)
    holds = property(lambda self: self.last.holds)
    derived_only = property(lambda self: any(part.derived_only for part in self.parts))
    awaited = property(lambda self: any(part.awaited for part in self.parts))
    needs = property(lambda self: tuple(field for part in self.parts for field in part.needs))
    by_hand = property(lambda self: all(part.by_hand for part in self.parts))
    holds_text = property(lambda self: any(part.holds_text for part in self.parts))
    wants_value = True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        for part in self.parts:
            at = part.read(at, flag if part.flagged else None, need)
        return at

    def write(self, value: Expression, need: Need) -> Expression:
        for part in reversed(self.parts):
            value = part.write(value, need)
        return value

    def on_file(self) -> Lens:
        return Pipeline((self.parts[0].on_file(), *self.parts[1:]))

    def exact(self) -> Lens:
        return Pipeline(tuple(part.exact() for part in self.parts))

    def losses(self, field: str) -> tuple[Loss, ...]:
        alike = [part for part in self.parts if not part.holds or set(part.holds) & set(self.last.holds)]
        return tuple(loss for part in alike for loss in part.losses(field))

    def __str__(self) -> str:
        return " | ".join(map(str, self.parts))
