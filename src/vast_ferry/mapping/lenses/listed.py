"""Small forms of pairs, texts by name, records and values that compose: lists, words, records, tagged values."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Any, ClassVar

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.lenses.lens import Formed, LensError, Need, number_given
from vast_ferry.mapping.losses import PAIRS_UNREADABLE, Fields, Loss, by_trying


def _taken_apart_otherwise(field: str, back: Callable[[Any], Any], between: str, mark: str) -> tuple[Loss, ...]:
    """Return the loss of pairs that hold the texts by which they are told apart: nothing says which are meant."""
    differs = by_trying(field, back, "", "").applies

    def holds_them(fields: Fields) -> bool:
        held = fields.get(field) or ()  # of a part of a text, the text as a whole tells
        pairs = held.items() if isinstance(held, dict) else held
        texts = [(str(name), helpers.text_of_scalar(value)) for name, value in pairs]
        return differs(fields) and any(
            (mark and mark in name) or (between and (between in name or between in value)) for name, value in texts
        )

    why = f"a name holds {mark!r}" + (f", or a name or a value {between!r}" if between else "")
    return (
        Loss(PAIRS_UNREADABLE, field, why, "they can't be told apart again", holds_them, tried=True, unreadable=True),
    )


def names_taken_once(pairs: Any) -> tuple[str, ...]:
    """Return which names repeat among pairs of which one of each name is taken."""
    if not isinstance(pairs, list):
        return ()
    counts = Counter(one[0] for one in pairs)
    return tuple(f"[{name!r}] (it comes more than once, the last arrives)" for name, at in counts.items() if at > 1)


class Flat(Formed):
    """Pairs as one list in which names and values alternate."""

    __slots__ = ()
    name, holds, reader, writer = "flat", ("pairs",), "pairs_of_flat", "flat_of_pairs"


class Records(Formed):
    """Pairs as a list of records or objects of a name and a value: `records(name, value)`; lists: `records(0, 1)`."""

    __slots__ = ()
    counts = True
    name, takes, fewest, most, holds = "records", "the keys of a name and of a value", 2, 2, ("pairs",)
    reader, writer = "pairs_of_records", "records_of_pairs"

    def told(self) -> tuple[Any, ...]:
        if not any(one.isdecimal() for one in self.args):
            return self.args
        if sorted(self.args) != ["0", "1"]:
            raise LensError(f"of lists of two, records takes 0 and 1, not {', '.join(self.args)}")
        return tuple(map(int, self.args))


class NamedLists(Formed):
    """Pairs as a list of lists, each of a name and then all values of that name."""

    __slots__ = ()
    name, holds, reader, writer = "named_lists", ("pairs",), "pairs_of_named_lists", "named_lists_of_pairs"


class TwoLists(Formed):
    """Pairs as two lists under two keys of a mapping, of names and of values: `two_lists(names, values)`."""

    __slots__ = ()
    name, takes, fewest, most, holds = "two_lists", "the keys of the names and of the values", 2, 2, ("pairs",)
    reader, writer = "pairs_of_two_lists", "two_lists_of_pairs"


class Words(Formed):
    """Pairs in one text, with one text between pairs and one within each: `words(';', '=')`; lines end in theirs."""

    __slots__ = ()
    name, takes, fewest, most, holds = "words", "what stands between pairs, and in each", 2, 2, ("pairs",)
    reader, writer = "pairs_of_words", "words_of_pairs"

    sets_apart: ClassVar[bool] = True

    def losses(self, field: str) -> tuple[Loss, ...]:
        return self.losses_by(field, self.back)

    def losses_by(self, field: str, back: Callable[[Any], Any]) -> tuple[Loss, ...]:
        if "\n" not in self.args[0] or not field.startswith("headers"):
            return _taken_apart_otherwise(field, back, *self.args)
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

    sets_apart: ClassVar[bool] = True

    def losses(self, field: str) -> tuple[Loss, ...]:
        return self.losses_by(field, self.back)

    def losses_by(self, field: str, back: Callable[[Any], Any]) -> tuple[Loss, ...]:
        return _taken_apart_otherwise(field, back, "", *self.args)


class SingleEntries(Formed):
    """Pairs as a list of mappings that have one entry each."""

    __slots__ = ()
    name, holds, reader, writer = "single_entries", ("pairs",), "pairs_of_single_entries", "single_entries_of_pairs"


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

    def not_taken(self, value: Any) -> tuple[str, ...]:
        return names_taken_once(value)


class Commas(Formed):
    """Values by name, those of one name joined by commas without spaces: a view, for a comma may be one's own."""

    __slots__ = ()
    name, holds, derived_only, reader, writer = "commas", ("pairs",), True, "pairs_of_texts", "with_commas"


class ByName(Formed):
    """Pairs as a mapping from each name to its value: of two of a name the last is kept."""

    __slots__ = ()
    name, holds, reader, writer = "by_name", ("pairs",), "pairs_of_texts", "texts_of_pairs"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (by_trying(field, self.back, "a name repeats", "only its last value arrives", "last-value-only"),)


class InColumns(Formed):
    """A record as the list of its values, in the order in which `columns.names` has the columns' names."""

    __slots__ = ()
    name, holds, needs = "in_columns", ("record",), ("columns.names",)
    reader, writer = "record_in_columns", "values_in_columns"

    def losses(self, field: str) -> tuple[Loss, ...]:
        def missing(fields: Fields) -> bool:
            names = helpers.names_of_columns(fields["keys"], fields["old"], fields["new"])
            return fields[field] is not None and set(fields[field]) != set(names)

        return (
            Loss(
                "column-added",
                field,
                "a record lacks a column that it has as it was, as it is, or in its key",
                "it arrives with that column, which is null",
                missing,
                tried=True,
            ),
        )


class AsWords(Formed):
    """Texts made of pairs, each with a mark between its two: `records(name, value) | as_words('=')`, for cookies."""

    __slots__ = ()
    name, takes, fewest, most, holds = "as_words", "what stands within each", 1, 1, ("list of text",)
    reader, writer = "list_of_pairs", "pairs_of_list"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return self.losses_by(field, self.back)

    def losses_by(self, field: str, back: Callable[[Any], Any]) -> tuple[Loss, ...]:
        def respelt(fields: Fields) -> bool:
            told = helpers.split_cookies(helpers.cookie_of(fields.get("headers") or []))
            return bool(back(told) != told)

        return (
            Loss(
                "word-respelt",
                field,
                f"one of them has no {self.args[0]!r}, or comes twice",
                "it arrives with one, or once",
                respelt,
            ),
        )


class Scalars(Formed):
    """Texts by name that may stand there as numbers, truths or null: what is carried is their text.

    Of a mapping, or of pairs: `records(name, value) | scalars`.
    """

    __slots__ = ()
    name, holds, reader, writer = "scalars", ("texts",), "texts_of_scalars", "dict"

    def not_taken(self, value: Any) -> tuple[str, ...]:
        held = value.items() if isinstance(value, dict) else ()
        return tuple(
            f"[{name!r}] ({'null' if one is None else type(one).__name__}, arrives as a text)"
            for name, one in held
            if not isinstance(one, str)
        )

    def write(self, value: Expression, need: Need) -> Expression:
        return value


class AsRecord(Formed):
    """A record made of pairs: `records(name, value) | as_record`, `words(';', '=') | as_record`."""

    __slots__ = ()
    name, holds, tries = "as_record", ("record", "value"), True
    reader, writer = "record_of_pairs", "pairs_of_record"

    def not_taken(self, value: Any) -> tuple[str, ...]:
        return names_taken_once(value)


class OneColumn(Formed):
    """A record of one column, whose value stands there by itself: `one_column('hive')`."""

    __slots__ = ()
    name, takes, fewest, most, holds = "one_column", "the column's name", 1, 1, ("record",)
    reader, writer = "record_of_one", "value_of_one"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            by_trying(
                field,
                self.back,
                f"the record has other columns than {self.args[0]}",
                f"only {self.args[0]} arrives",
                "columns-lost",
            ),
        )


class JsonLines(Formed):
    """A list of JSON values as a text, one a line."""

    __slots__ = ()
    name, holds, reader, writer = "json_lines", ("value",), "values_of_lines", "lines_of_values"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (by_trying(field, self.back, "it is no list of values", "it can't be told there", "no-list"),)


class EachAt(Formed):
    """Texts as a list of records, or objects, that each hold one under a key: `each_at(id)`."""

    __slots__ = ()
    by_hand = False
    name, takes, fewest, most, holds = "each_at", "the key", 1, 1, ("list of text",)
    reader, writer = "texts_at", "records_with"


class EachAs(EachAt):
    """Texts as a list of objects that each have one as an attribute: `each_as(name)`."""

    __slots__ = ()
    name, takes, writer = "each_as", "the attribute", "objects_with"


class WithWord(Formed):
    """Of a mapping from texts to words, the texts that have one of them: `with_word(again)`, `with_word(false)`.

    Where records hold a text and its word, both keys are named: `with_word(again, id, state)`.
    """

    __slots__ = ()
    by_hand = False
    name, takes, fewest, most, holds = "with_word", "the word; the keys of a text and its word", 1, 3, ("list of text",)
    reader, writer = "texts_with_word", "words_of_texts"

    def told(self) -> tuple[Any, ...]:
        if len(self.args) == 2:
            raise LensError("with_word takes the keys of both, a text and its word")
        return ({"true": True, "false": False, "null": None}.get(self.args[0], self.args[0]), *self.args[1:])


class Apart(Formed):
    """Texts in one text, set apart by another: `apart(',')`."""

    __slots__ = ()
    by_hand = False
    name, takes, fewest, most, holds = "apart", "what sets them apart", 1, 1, ("list of text",)
    reader, writer = "texts_apart", "texts_in_one"

    def losses(self, field: str) -> tuple[Loss, ...]:
        if field in ("cookies", "set_cookies", "keys.names"):
            return ()
        return (by_trying(field, self.back, f"one of them holds {self.args[0]!r}", "it arrives as two"),)


class CookieRecords(Formed):
    """Set-Cookie fields as records (RFC 6265 §4.1): `cookie_records`, or with other keys `cookie_records(max_age=ttl)`.

    A cookie's parts are name, value, expires, max_age, domain, path, secure, http_only and same_site.
    """

    __slots__ = ()
    name, takes, named, names, holds = "cookie_records", "the keys of a cookie's parts", True, True, ("list of text",)
    reader, writer = "cookies_of_records", "records_of_cookies"

    def told(self) -> tuple[Any, ...]:
        unknown = [str(part) for part, _ in self.options if part not in helpers.COOKIE_PARTS]
        if unknown:
            raise LensError(f"a cookie has no {unknown[0]!r}: use one of {', '.join(helpers.COOKIE_PARTS)}")
        return ({part: str(dict(self.options).get(part, part)) for part in helpers.COOKIE_PARTS},)

    def losses(self, field: str) -> tuple[Loss, ...]:
        told = self.told()

        def respelt(fields: Fields) -> bool:
            cookies = helpers.values_of(fields.get("headers") or [], "set-cookie")
            return bool(helpers.cookies_of_records(helpers.records_of_cookies(cookies, *told), *told) != cookies)

        return (
            Loss(
                "cookie-respelt",
                field,
                "a cookie has its attributes in another order or spelling than usual, or others than are known",
                "it arrives with those that are known, spelt as usual",
                respelt,
                tried=True,
            ),
        )


class InOrder(Formed):
    """What a route captured, as a list in the order of its names; so many that stand before are none of them."""

    __slots__ = ()
    counts = True
    name, takes, most, holds, needs = "in_order", "how many stand before", 1, ("texts",), ("route",)
    reader, writer = "by_order", "values_in_order"

    def told(self) -> tuple[Any, ...]:
        return (number_given(self.name, self.args[0]) if self.args else 0,)

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
    def of_names(self) -> Callable[[str], bool] | None:
        return lambda name: name.startswith(self.args[0])


class BeforeEnd(Formed):
    """The entries of a mapping whose names end so, without that end: `before_end('_new')`."""

    __slots__ = ()
    name, takes, fewest, most, holds, spread = "before_end", "the end", 1, 1, ("texts", "record"), True
    reader, writer = "before_end", "with_end"

    @property
    def of_names(self) -> Callable[[str], bool] | None:
        return lambda name: name.endswith(self.args[0])


class Others(Formed):
    """The entries of a mapping under other names than these: `others(sub)`, for what is known of who called."""

    __slots__ = ()
    name, takes, fewest, most, holds, spread = "others", "the names that are none", 1, 32, ("texts", "record"), True
    reader, writer = "under_other_names", "under_other_names"

    def losses(self, field: str) -> tuple[Loss, ...]:
        names = set(self.args)
        return (
            Loss(
                "name-taken",
                field,
                f"one of them is called {' or '.join(self.args)}",
                "it does not arrive",
                lambda fields: bool(names & set(_held_by(fields, field) or ())),
                tried=True,
            ),
        )


def _held_by(fields: Fields, field: str) -> Any:
    """Return what a field holds; of who called, what is known."""
    return (fields.get("principal") or {}).get("claims") if field == "principal.claims" else fields.get(field)


class JsonOrEmpty(Formed):
    """A JSON value as text, and an empty text for null."""

    __slots__ = ()
    name, holds, reader, writer = "json_or_empty", ("value", "record", "texts"), "json_or_nothing", "json_or_empty"
