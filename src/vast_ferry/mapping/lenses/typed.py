"""How values stand under a provider's words for their types: in mappings, in lists, column by column."""

from __future__ import annotations

from typing import Any, ClassVar

from vast_ferry.mapping import helpers
from vast_ferry.mapping.lenses.lens import Formed, LensError
from vast_ferry.mapping.losses import Fields, Loss


class Typed(Formed):
    """Values of records under a provider's words for types; see its two kinds."""

    __slots__ = ()
    named: ClassVar[bool] = True
    holds: ClassVar[tuple[str, ...]] = ("record", "value")

    @property
    def types(self) -> dict[str, str]:
        """Return the provider's words for types → what they are here."""
        known = ("text", "number", "decimal", "truth", "nothing", "bytes", "list", "mapping")
        for word, kind in self.options:
            if kind not in known and not str(kind).startswith("words:"):
                raise LensError(f"{word}={kind}: a type is one of {', '.join(known)}, or words:yes/no")
        return {str(word): str(kind) for word, kind in self.options}

    def losses(self, field: str) -> tuple[Loss, ...]:
        if not self.options:
            raise LensError(f"lens {self.name} needs the provider's words for types")
        writer, reader, told = getattr(helpers, self.writer), getattr(helpers, self.reader), self.told()

        def changed(fields: Fields) -> bool:
            value = fields[field]
            try:
                return bool(reader(writer(value, *told), *told) != value)
            except (ValueError, TypeError, KeyError, StopIteration):
                return True

        def refused(fields: Fields) -> bool:
            try:
                writer(fields[field], *told)
            except (ValueError, TypeError, KeyError, StopIteration):
                return True
            return False

        unknown = Loss(
            "type-unknown", field, "a value has no type there", "it arrives as another value", changed, tried=True
        )
        kinds = {"truth" if kind.startswith("words:") else kind for kind in self.types.values()}
        if {"text", "truth", "list", "mapping"} <= kinds and kinds & {"number", "decimal"}:
            return (unknown,)
        missing = "a value is of a kind (a text, a number, a truth, a list, a mapping) that has no type there"
        none = Loss("type-missing", field, missing, "the event can't be told", refused, tried=True, unreadable=True)
        return (none, unknown)


class Tagged(Typed):
    """A record whose values each stand under their type, as the only key: `tagged({'txt': text, 'no': decimal})`."""

    __slots__ = ()
    name, takes, reader, writer = "tagged", "word=type", "untagged_record", "tagged_record"

    def told(self) -> tuple[Any, ...]:
        return (self.types,)


class TaggedTexts(Tagged):
    """Texts by name, each under its type as the only key; numbers and Base64 arrive as they are written."""

    __slots__ = ()
    name, holds, reader, writer = "tagged_texts", ("texts",), "texts_of_tagged", "tagged_of_texts"


class TypedItems(Typed):
    """A record as a list of name, type and value: `typed(name, type, value)`, or lists of three: `typed(0, 1, 2)`."""

    __slots__ = ()
    counts = True
    name, takes, fewest, most = "typed", "the keys of name, type and value; word=type", 3, 3
    reader, writer = "record_of_typed", "typed_of_record"

    @property
    def _names(self) -> tuple[Any, ...]:
        """Return the keys of name, type and value, or their places in a list."""
        if not all(one.isdecimal() for one in self.args):
            return self.args
        if sorted(map(int, self.args)) != [0, 1, 2] or {"list", "mapping"} & set(self.types.values()):
            raise LensError(f"{self.name} of lists takes the places 0, 1 and 2, and no types that hold others")
        return tuple(map(int, self.args))

    def told(self) -> tuple[Any, ...]:
        return (self._names, self.types)


class TypedTexts(TypedItems):
    """Texts by name as a list of name, type and value; numbers and Base64 arrive as they are written."""

    __slots__ = ()
    name, holds, reader, writer = "typed_texts", ("texts",), "texts_of_typed", "typed_of_texts"

    def not_taken(self, value: Any) -> tuple[str, ...]:
        return tuple(
            f"[{index}] ({item[self._names[0]]}, of the type {item[self._names[1]]}, arrives as a text)"
            for index, item in enumerate(value or ())
            if self.types.get(item[self._names[1]]) not in ("text", "decimal")
        )


class Spelt(Typed):
    """A record whose values each stand in one text behind the word of their type: `spelt(':', {'no': decimal})`.

    A number, a truth, a list or a mapping stands there as JSON.
    """

    __slots__ = ()
    name, takes, fewest, most = "spelt", "what stands behind the word; word=type", 1, 1
    reader, writer = "record_of_spelt", "spelt_of_record"

    def told(self) -> tuple[Any, ...]:
        mark = str(self.args[0])
        if not mark or any(mark in word for word in self.types):
            raise LensError(f"{self.name} takes what stands behind the words of types, and no word holds it")
        return (mark, self.types)


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


class SidesByName(Formed):
    """Changed columns as a mapping from each name to what it held and holds: `sides_by_name(was, now)`, both keys.

    Where both stand in a list it is `sides_by_name(0, 1)`. Null says that the column was not, or is not there.
    """

    __slots__ = ()
    counts = True
    name, takes, fewest, most = "sides_by_name", "the keys of what it held and holds", 2, 2
    holds = ("columns",)
    reader, writer = "columns_of_sides", "sides_of_columns"

    def told(self) -> tuple[Any, ...]:
        old, new = self.args
        if (old, new) == ("0", "1"):
            return (0, 1)
        if old.isdecimal() or new.isdecimal() or old == new:
            raise LensError(f"{self.name} takes two keys, or the places 0 and 1")
        return (old, new)

    def losses(self, field: str) -> tuple[Loss, ...]:
        def changed(fields: Fields) -> bool:
            columns = helpers.columns_of(fields["keys"], fields["old"], fields["new"])
            return bool(self.back(columns) != columns)

        why = "a column did not change, is of the key, or holds nothing"
        return (Loss("column-not-told", field, why, "it does not arrive", changed, tried=True),)
