"""Small forms of texts, numbers and bytes that compose: what a provider nobody here has seen is said in.

A form that is one helper each way belongs here; what a shipped provider's rows name stands in the module of its topic.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, ClassVar

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.lenses.lens import Formed, Lens, LensError, Need, number_given
from vast_ferry.mapping.lenses.packed import Utf8
from vast_ferry.mapping.losses import Loss, by_trying


class Suffixed(Formed):
    """Text before a fixed end."""

    __slots__ = ()
    name, takes, fewest, most, holds, reader = "suffixed", "the end", 1, 1, ("text",), "before_suffix"

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.Operation("+", (value, ex.Literal(self.args[0])))


class Unprefixed(Lens):
    """Text whose beginning does not stand there: `unprefixed('/')`."""

    __slots__ = ()
    name, takes, fewest, most, holds, wants_value = "unprefixed", "the beginning", 1, 1, ("text",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return ex.Operation("+", (ex.Literal(self.args[0]), at))

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.text_method(value, "removeprefix", ex.Literal(self.args[0]))

    def losses(self, field: str) -> tuple[Loss, ...]:
        beginning = str(self.args[0])
        return _put_there(field, lambda text: beginning + text.removeprefix(beginning), f"begin with {beginning!r}")


class Unsuffixed(Lens):
    """Text whose end does not stand there: `unsuffixed(' min')`."""

    __slots__ = ()
    name, takes, fewest, most, holds, wants_value = "unsuffixed", "the end", 1, 1, ("text",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return ex.Operation("+", (at, ex.Literal(self.args[0])))

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.text_method(value, "removesuffix", ex.Literal(self.args[0]))

    def losses(self, field: str) -> tuple[Loss, ...]:
        end = str(self.args[0])
        return _put_there(field, lambda text: text.removesuffix(end) + end, f"end in {end!r}")


def _put_there(field: str, back: Callable[[str], str], what: str) -> tuple[Loss, ...]:
    """Return what is lost of a text that lacks what does not stand there."""
    return (by_trying(field, back, f"it does not {what}", "it arrives with that", "text-added"),)


class Quoted(Formed):
    """Text in double quotes, as an entity tag stands in a header field (RFC 9110 §8.8.3)."""

    __slots__ = ()
    name, holds, reader, writer = "quoted", ("text",), "unquoted", "in_quotes"


class Segment(Formed):
    """Percent-encoded text, slashes encoded too (RFC 3986 §2.1)."""

    __slots__ = ()
    name, holds, reader, writer = "percent", ("text",), "from_percent_text", "to_segment"


class Bracketed(Formed):
    """An address, an IPv6 one in brackets (RFC 3986 §3.2.2)."""

    __slots__ = ()
    name, holds, reader, writer = "bracketed", ("text",), "without_brackets", "in_brackets"


class OfVersion(Lens):
    """An address of one version of IP only."""

    __slots__ = ()
    holds: ClassVar[tuple[str, ...]] = ("text",)
    version: ClassVar[int]

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("of_version", value, ex.Literal(self.version))


class IPv4(OfVersion):
    """An IPv4 address: in a text of several forms, one that is written for no other."""

    __slots__ = ()
    name, version = "ipv4", 4


class IPv6(OfVersion):
    """An IPv6 address: in a text of several forms, one that is written for no other."""

    __slots__ = ()
    name, version = "ipv6", 6


class AddressAndPort(Formed):
    """An address, `:` and a port, an IPv6 address in brackets; the port is not told."""

    __slots__ = ()
    name, holds, reader = "address_and_port", ("text",), "address_before_port"

    def write(self, value: Expression, need: Need) -> Expression:
        made = ex.Operation("+", (helper("in_brackets", value), ex.Literal(":0")))
        return ex.Choice(value, made, ex.Literal(""))


class Lower(Lens):
    """Text in lower case that is in capitals here, as a request method is."""

    __slots__ = ()
    name, holds, wants_value = "lower", ("text",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return ex.text_method(at, "upper")

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.text_method(value, "lower")

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            by_trying(
                field, lambda text: text.lower().upper(), "it is not in capitals", "it arrives in capitals", "case-lost"
            ),
        )


class Segments(Formed):
    """A path as the list of its segments, as they came on the wire or `segments(decoded)`; none for `/`."""

    __slots__ = ()
    name, takes, most, holds = "segments", "decoded", 1, ("text",)

    def told(self) -> tuple[Any, ...]:
        if self.args not in ((), ("decoded",)):
            raise LensError("lens segments takes nothing, or decoded")
        return ()

    @property
    def reader(self) -> str:  # type: ignore[override]
        return "path_of_decoded" if self.args else "path_of_segments"

    @property
    def writer(self) -> str:  # type: ignore[override]
        return "decoded_segments" if self.args else "segments_of_path"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            by_trying(
                field,
                self.back,
                "the path does not begin with a slash, or is spelt in another way than usual",
                "it arrives with one before it, spelt as usual",
                "path-respelt",
            ),
        )


class Parts(Formed):
    """Text that stands there as the list of its parts: `parts('.')`; in pieces of any length: `parts('')`."""

    __slots__ = ()
    name, takes, fewest, most, holds = "parts", "what sets them apart", 1, 1, ("text",)
    reader, writer = "text_of_parts", "parts_of_text"


class Units(Formed):
    """A number of units of something smaller: `units(1024)` for KiB where bytes are meant."""

    __slots__ = ()
    counts = True
    name, takes, fewest, most, holds = "units", "how many make one", 1, 1, ("integer", "integer or nothing")
    reader, writer = "times_of", "whole_units"

    def told(self) -> tuple[Any, ...]:
        if not str(self.args[0]).isdecimal() or not int(self.args[0]):
            raise LensError("lens units takes a whole number, such as units(1024)")
        return (int(self.args[0]),)

    def losses(self, field: str) -> tuple[Loss, ...]:
        (factor,) = self.told()
        return (
            by_trying(
                field,
                lambda value: value if value is None else self.back(value),
                f"it is no multiple of {factor}",
                "it arrives rounded down",
                "number-rounded",
            ),
        )


class ComesAgain(Formed):
    """Whether an event comes again: true is told as its second attempt."""

    __slots__ = ()
    name, holds, reader, writer = "comes_again", ("integer",), "attempt_if_again", "comes_again"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (by_trying(field, self.back, "it is a later attempt than the second", "it arrives as the second"),)


class Digits(Formed):
    """A whole number as text."""

    __slots__ = ()
    name, reader, writer = "digits", "whole_number", "number_as_text"
    holds = ("integer", "integer or nothing", "number")


class Hexadecimal(Formed):
    """A whole number as hexadecimal digits; in a text with a beginning `0x{size | hexadecimal}`."""

    __slots__ = ()
    name, reader, writer = "hexadecimal", "number_of_hex", "hex_of_number"
    holds = ("integer", "integer or nothing")


class DecimalText(Formed):
    """A number of any size as text, such as `12.5`."""

    __slots__ = ()
    name, reader, writer = "decimal_text", "number_of_text", "text_of_number"
    holds = ("number",)


class Decimals(Formed):
    """Numbers as `decimal.Decimal`, in a record or a value however deep."""

    __slots__ = ()
    by_hand = False
    name, reader, writer = "decimals", "without_decimals", "with_decimals"
    holds = ("number", "record", "value")


class Whole(Formed):
    """A text of digits that stands there as a whole number; in a text of several parts, a part.

    `whole(6)` has zeros before it, to six digits: `92653` is `092653`.
    """

    __slots__ = ()
    counts = True
    name, takes, most, holds, writer = "whole", "how many digits at least", 1, ("text",), "number_or_zero"

    @property
    def reader(self) -> str:  # type: ignore[override]
        return "fraction_digits" if self.args else "number_as_text"

    def told(self) -> tuple[Any, ...]:
        return tuple(number_given(self.name, one) for one in self.args)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            by_trying(
                field,
                self.back,
                "it is no whole number as one is usually written",
                "it arrives as 0, or spelt as usual",
                "number-lost",
            ),
        )


class Fraction(Formed):
    """The digits of a fraction, standing there as a whole number of so many digits: `fraction(9)`."""

    __slots__ = ()
    counts = True
    name, takes, fewest, most, holds = "fraction", "the digits", 1, 1, ("text",)
    reader, writer, stands_for_nothing = "fraction_digits", "fraction_number", True

    def told(self) -> tuple[Any, ...]:
        return (number_given(self.name, self.args[0]),)


class Scalar(Formed):
    """Text that may stand there as a number, a truth or null; in a text of several parts, a part."""

    __slots__ = ()
    name, holds, reader, writer = "scalar", ("text",), "text_of_scalar", "scalar_of_text"


class Count(Formed):
    """How many a list holds: what stands in it is not told. `count | counted_from(0)` is one more than that."""

    __slots__ = ()
    name, holds, reader, writer = "count", ("integer", "integer or nothing"), "count_of", "list_of_count"

    def not_taken(self, value: Any) -> tuple[str, ...]:
        return ("[]",) if isinstance(value, list) and any(one is not None for one in value) else ()


class CountedFrom(Lens):
    """A count that begins with another number than one."""

    __slots__ = ()
    counts = True
    name, takes, fewest, most, holds = "counted_from", "the first number", 1, 1, ("integer",)
    wants_value = True

    def losses(self, field: str) -> tuple[Loss, ...]:
        number_given(self.name, self.args[0], 1_000_000)
        return ()

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return ex.Operation("+", (at, ex.Literal(1 - int(self.args[0]))))

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.Operation("-", (value, ex.Literal(1 - int(self.args[0]))))


class Content(Lens):
    """A reply's content as text, bytes, a path, None, or a value that is written as JSON; as JSON is written there.

    `content`, or with words for JSON: `spaced` (after `,` and `:`), `sorted` (keys), `ascii`, `no_numbers` (numbers
    and truths by themselves are none), `no_json` (only text and bytes are), `empty_is_none` (a text, and
    it has no type then).
    """

    __slots__ = ()
    by_hand = False
    name, takes, most, holds = "content", "how JSON is written", 6, ("bytes",)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("content_bytes", at, ex.Literal(tuple(self.args)))

    def content_kind(self, at: Expression) -> Expression:
        return helper("kind_of_content", at, ex.Literal(tuple(self.args)))


class ContentByKey(Content):
    """A reply's content under one of several keys of a mapping: `content_by_key({'text': text, 'data': json})`.

    What stands under a key is text, bytes, bytes as `base64`, or a value of JSON; two keys at once are a mistake.
    """

    __slots__ = ()
    name, takes, named, spread = "content_by_key", "how JSON is written; key=text, bytes, base64 or json", True, True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("content_by_key", at, ex.Literal(self._kinds), ex.Literal(tuple(self.args)))

    @property
    def _kinds(self) -> dict[str, str]:
        """Return the type of content of each key."""
        known = ("text", "bytes", "base64", "json")
        stray = next((str(kind) for _, kind in self.options if str(kind) not in known), "")
        if stray:
            raise LensError(f"what stands under a key is one of {', '.join(known)}, not {stray}")
        return {str(key): str(kind) for key, kind in self.options}

    def content_kind(self, at: Expression) -> Expression:
        return helper("kind_by_key", at, ex.Literal(self._kinds))

    def write(self, value: Expression, need: Need) -> Expression:
        keys = {kind: key for key, kind in self._kinds.items()}
        if "bytes" in keys or "base64" not in keys:
            kind = "bytes" if "bytes" in keys else "text"
            return helper("content_under", value, ex.Literal(keys.get(kind)), ex.Literal(kind == "text"))
        return helper("content_under_either", value, ex.Literal(keys.get("text")), ex.Literal(keys["base64"]))

    def losses(self, field: str) -> tuple[Loss, ...]:
        return () if {"bytes", "base64"} & set(self._kinds.values()) else Utf8().losses(field)


class ObjectOf(Lens):
    """Content that the provider makes as JSON of what stands there: `object_of(error=this, request=id)`.

    Each key holds `this`, the answer's `status`, or a field of the event that is answered. Such content is read, and
    written by no handler.
    """

    __slots__ = ()
    by_hand = False
    name, takes, most, named, holds = "object_of", "how JSON is written; key=this or a hub field", 3, True, ("bytes",)
    reads_only = True

    @property
    def of_event(self) -> tuple[str, ...]:
        """Return the fields of the event that such content holds."""
        return tuple(dict.fromkeys(str(field) for _, field in self.options if field not in ("this", "status")))

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        if all(field != "this" for _, field in self.options):
            raise LensError("lens object_of says which key holds what stands there, such as object_of(error=this)")
        told = {"this": at, "status": need("status")}
        held = tuple(
            ex.Entry(ex.Literal(str(key)), told.get(str(field)) or ex.Variable(event_variable(str(field))))
            for key, field in self.options
        )
        return helper("json_in_style", ex.Mapping(held), ex.Literal(tuple(map(str, self.args))))

    def content_kind(self, at: Expression) -> Expression:
        return ex.Literal("json")


def event_variable(field: str) -> str:
    """Return the name by which the translation of an answer knows a field of the event that is answered."""
    return f"event_{field.replace('.', '_')}"


class PiecesJoined(Lens):
    """Content that came in pieces; with an attribute, what stands there of what came first comes before them."""

    __slots__ = ()
    by_hand = False
    name, takes, most, holds = "pieces_joined", "an attribute of what came first", 1, ("bytes",)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("head_and_pieces", at, ex.Literal(self.args[0] if self.args else ""))

    def content_kind(self, at: Expression) -> Expression:
        return ex.Literal("")


class HeaderFields(Lens):
    """A reply's header fields in any usual form: a mapping to a value or a list, pairs, records, or a flat list.

    In a mapping numbers are as their text, and None leaves a field out. Records have the keys that are given:
    `header_fields(name, value)`. Written is a mapping to lists, or `header_fields(written=pairs)`: `pairs`, `flat`.
    """

    __slots__ = ()
    by_hand = False
    name, takes, most, named, holds = "header_fields", "the keys of a name and of a value", 2, True, ("pairs",)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("header_fields", at, *map(ex.Literal, self.args or ("name", "value")))

    def write(self, value: Expression, need: Need) -> Expression:
        form = str(dict(self.options).get("written", "lists"))
        if form not in ("lists", "pairs", "flat"):
            raise LensError(f"header fields are written as lists, pairs or flat, not {form}")
        return helper("to_lists", value) if form == "lists" else helper(f"as_{form}", value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        if set(dict(self.options)) - {"written"}:
            raise LensError("lens header_fields takes written=lists, written=pairs or written=flat")
        return ()


class StatusSaid(Lens):
    """A status as a number or as digits; None where none was said."""

    __slots__ = ()
    by_hand = False
    name, takes, most, holds = "status_code", "where none was said", 1, ("integer",)
    counts = True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("status_said", at, ex.Literal(int(self.args[0]) if self.args else 200))


class ByWord(Lens):
    """Content in one of several forms, told by a word in the second place: `by_word(plain=utf8, packed=base64)`.

    A missing word is the first. Written is the first that can hold the content.
    """

    __slots__ = ()
    name, takes, named, holds, flagged, wants_value = "by_word", "word=lens", True, ("bytes",), True, True

    def _forms(self) -> list[tuple[Any, Lens]]:
        if not self.options or any(not isinstance(lens, Lens) for _, lens in self.options):
            raise LensError("lens by_word takes a lens for each word, such as by_word(plain=utf8, packed=base64)")
        return list(self.options)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        forms = self._forms()
        words = tuple(word for word, _ in forms)
        told = helper("told_word", flag or ex.Literal(None), ex.Literal(words), name="form")
        made = forms[-1][1].read(at, None, need)
        for number in range(len(forms) - 2, -1, -1):
            test = ex.Operation("==", (told, ex.Literal(number)))
            made = ex.Choice(test, forms[number][1].read(at, None, need), made)
        return made

    def _chosen(self, value: Expression, made: Callable[[Any, Lens], Expression]) -> Expression:
        forms = self._forms()
        text = next((form for form in forms if form[1].holds_text), None)
        other = next((form for form in forms if form is not text), None)
        if text is None or other is None:
            return made(*(text or other or forms[0]))
        return ex.Choice(helper("is_utf8", value), made(*text), made(*other))

    def write(self, value: Expression, need: Need) -> Expression:
        return self._chosen(value, lambda _, lens: lens.write(value, need))

    def write_flag(self, value: Expression, need: Need) -> Expression:
        return self._chosen(value, lambda word, _: ex.Literal(word))

    def losses(self, field: str) -> tuple[Loss, ...]:
        forms = self._forms()
        return forms[0][1].losses(field) if len(forms) == 1 else ()
