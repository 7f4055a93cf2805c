"""Small forms of texts, numbers and bytes that compose: what a provider nobody here has seen is said in.

A form that is one helper each way belongs here; what a shipped provider's rows name stands in the module of its topic.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, ClassVar

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.lenses.lens import FileBytes, Formed, Lens, LensError, Need
from vast_ferry.mapping.lenses.times import time_losses
from vast_ferry.mapping.losses import Fields, Loss


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
        return ex.method(value, "removeprefix", ex.Literal(self.args[0]))


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


class Digits(Formed):
    """A whole number as text."""

    __slots__ = ()
    name, reader, writer = "digits", "whole_number", "number_as_text"
    holds = ("integer", "integer or nothing", "number")


class Whole(Formed):
    """A text of digits that stands there as a whole number; in a text of several parts, a part."""

    __slots__ = ()
    name, holds, reader, writer = "whole", ("text",), "number_as_text", "number_or_zero"


class Fraction(Formed):
    """The digits of a fraction, standing there as a whole number of so many digits: `fraction(9)`."""

    __slots__ = ()
    counts = True
    name, takes, fewest, most, holds = "fraction", "the digits", 1, 1, ("text",)
    reader, writer = "fraction_digits", "fraction_number"

    def told(self) -> tuple[Any, ...]:
        return (int(self.args[0]),)


class CountedFrom(Lens):
    """A count that begins with another number than one."""

    __slots__ = ()
    counts = True
    name, takes, fewest, most, holds = "counted_from", "the first number", 1, 1, ("integer",)
    wants_value = True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return ex.Operation("+", (at, ex.Literal(1 - int(self.args[0]))))

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.Operation("-", (value, ex.Literal(1 - int(self.args[0]))))


#: Units of time, in nanoseconds.
UNITS = {
    "ns": 1,
    "us": 1_000,
    "ms": 1_000_000,
    "cs": 10_000_000,
    "ds": 100_000_000,
    "s": 1_000_000_000,
    "min": 60_000_000_000,
    "h": 3_600_000_000_000,
    "d": 86_400_000_000_000,
}
_FORMS = ("whole", "text", "float", "decimal", "split")


def unit_of(text: str) -> int:
    """Return a unit of time in nanoseconds; raises LensError for an unknown one."""
    if text not in UNITS:
        raise LensError(f"{text!r} is no unit of time: use one of {', '.join(UNITS)}")
    return UNITS[text]


#: How much is cut, of a form that holds so small a unit, in nanoseconds.
_CUT = {1: 0, 1_000: 3, 1_000_000: 6, 10_000_000: 7, 100_000_000: 8, 1_000_000_000: 9}
#: Of two forms that only respell a time, those here spell alike: with as many digits as it needs.
_SPELT = 100


def _exactly(text: str) -> tuple[int, str]:
    """Return a moment in whole seconds, and all digits of its fraction."""
    fraction = text.partition(".")[2]
    digits = fraction[: len(fraction) - len(fraction.lstrip("0123456789"))]
    return helpers.epoch_ns_from_time(text) // 1_000_000_000, digits.rstrip("0")


def _told_by_trying(field: str, read: Callable[[Any], str], write: Callable[[str], Any], unit: int) -> tuple[Loss, ...]:
    """Return what a form of time can't hold, by what it makes of one; `unit` is its smallest, in nanoseconds."""
    degree = _CUT.get(unit, 10)

    def back(fields: Fields) -> str:
        return read(write(fields[field]))

    def cut(fields: Fields) -> bool:
        text = fields[field]
        return bool(text) and _exactly(back(fields)) != _exactly(text)

    def respelt(fields: Fields) -> bool:
        return bool(fields[field]) and not cut(fields) and back(fields) != fields[field]

    return time_losses(field, "what is told there", (cut, degree), (respelt, _SPELT))


class Since1970(Formed):
    """A number of units since 1970: `since_1970(ms)`, and how it stands: whole, float, text, decimal (as text), split.

    Split is a text of whole units, a point, and a fraction that is added to them.
    """

    __slots__ = ()
    name, takes, fewest, most, holds = "since_1970", "a unit, and a form", 1, 2, ("text",)
    reader, writer = "time_from_units", "units_from_time"

    @property
    def _form(self) -> str:
        form = self.args[1] if len(self.args) > 1 else "whole"
        if form not in _FORMS:
            raise LensError(f"{form!r} is no form of a number: use one of {', '.join(_FORMS)}")
        return str(form)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper(self.reader, at, ex.Literal(unit_of(self.args[0])), ex.Literal(self._form))

    def told(self) -> tuple[Any, ...]:
        return (unit_of(self.args[0]), self._form)

    def losses(self, field: str) -> tuple[Loss, ...]:
        unit, form = self.told()
        return _told_by_trying(
            field,
            lambda value: helpers.time_from_units(value, unit, form),
            lambda text: helpers.units_from_time(text, unit, form),
            {"float": 1_000, "decimal": 1, "split": 1}.get(form, unit),
        )


class TimePattern(Formed):
    """A time by a pattern of YYYY MM DD hh mm ss, f (a fraction), fff, SECONDS (of the day), OFFSET, ZONE.

    `[…]` may be left out, `[again: x]` says the second of an hour that comes twice.
    """

    __slots__ = ()
    name, takes, fewest, most, holds = "time", "a pattern", 1, 1, ("text",)
    reader, writer = "time_from_pattern", "pattern_from_time"

    def losses(self, field: str) -> tuple[Loss, ...]:
        (pattern,) = self.args
        unit = 1_000_000_000 if "ss" in pattern or "SECONDS" in pattern else 60_000_000_000
        return _told_by_trying(
            field,
            lambda value: helpers.time_from_pattern(value, pattern),
            lambda text: helpers.pattern_from_time(text, pattern),
            1_000_000 if "fff" in pattern else 1 if "f" in pattern else unit,
        )


class After(Lens):
    """A moment told as whole units after another field of the event: `after(due, ms)`."""

    __slots__ = ()
    name, takes, fewest, most, holds = "after", "a field, and a unit", 2, 2, ("text",)
    wants_value = True

    @property
    def asks(self) -> tuple[str, ...]:
        return (self.args[0],)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("time_after", at, need(self.args[0]), ex.Literal(unit_of(self.args[1])))

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("span_after", value, need(self.args[0]), ex.Literal(unit_of(self.args[1])))

    def losses(self, field: str) -> tuple[Loss, ...]:
        other, unit = self.args[0], unit_of(self.args[1])

        def back(fields: Fields) -> str:
            return helpers.time_after(helpers.span_after(fields[field], fields[other], unit), fields[other], unit)

        def changed(fields: Fields) -> bool:
            if not (fields[field] and fields[other]):
                return False
            # That other moment may itself be cut where it stands.
            return bool(_exactly(fields[other])[1]) or _exactly(back(fields)) != _exactly(fields[field])

        return (
            Loss(
                "time-shifted",
                field,
                "a time, or the one it is told after, is finer than what is told there",
                "it arrives as another moment",
                changed,
            ),
            Loss(
                "time-needs-another",
                field,
                f"the event does not tell both {field} and {other}",
                f"{field} arrives as {other}",
                lambda fields: not (fields[field] and fields[other]),
            ),
            Loss(
                "time-respelt",
                field,
                "a time is spelt in another way than usual",
                "it arrives as the same moment in UTC, spelt as usual",
                lambda fields: (
                    bool(fields[field] and fields[other]) and not changed(fields) and back(fields) != fields[field]
                ),
                harmless=True,
                degree=_SPELT,
            ),
        )


class Span(Lens):
    """Seconds told in units: `span(cs)`."""

    __slots__ = ()
    name, takes, fewest, most, holds = "span", "a unit", 1, 1, ("number", "call")

    per_second = property(lambda self: 1_000_000_000 // unit_of(self.args[0]))

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return ex.Operation("/", (at, ex.Literal(self.per_second)))

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.built_in("int", ex.Operation("*", (value, ex.Literal(self.per_second))))


class Base64(Formed):
    """Bytes in Base64 (RFC 4648 §4)."""

    __slots__ = ()
    name, holds, reader, writer = "base64", ("bytes",), "base64_bytes", "base64_text"


class Hex(Formed):
    """Bytes as hexadecimal digits."""

    __slots__ = ()
    name, holds, reader, writer = "hex", ("bytes",), "hex_bytes", "hex_text"


class Gzip(Formed):
    """Compressed bytes (RFC 1952)."""

    __slots__ = ()
    name, holds, reader, writer = "gzip", ("bytes",), "gunzipped", "gzipped"


class Utf8(Formed):
    """Bytes as text in UTF-8, whatever the content's type."""

    __slots__ = ()
    holds_text = True
    name, holds, reader, writer = "utf8", ("bytes",), "utf8_bytes", "utf8_text"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            Loss(
                "not-text",
                field,
                "the content is not text in UTF-8",
                "bytes become U+FFFD",
                lambda fields: not helpers.is_utf8(fields[field]),
            ),
        )


class ReadOnce(Formed):
    """A stream of bytes that is read once; on file, its text in UTF-8 or `{"base64": …}`."""

    __slots__ = ()
    by_hand = False
    name, holds, reader, writer = "read_once", ("bytes",), "bytes_read", "stream_over"

    def on_file(self) -> Lens:
        return FileBytes()


class InFile(Formed):
    """The path of a file that holds the content, null where there is none; a path on file stands beside the event."""

    __slots__ = ()
    name, holds, reader, writer = "in_file", ("bytes",), "bytes_in_file", "file_with"

    def on_file(self) -> Lens:
        return BesideTheEvent()


class BesideTheEvent(Formed):
    """The path of a file beside an event on file; written is the content itself, `{"text": …}` or `{"base64": …}`."""

    __slots__ = ()
    name, holds, reader, writer = "beside_the_event", ("bytes",), "bytes_beside", "held_beside"


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

    What stands under a key is text, bytes, or a value of JSON, and nothing else; two keys at once are a mistake.
    """

    __slots__ = ()
    name, takes, named, spread = "content_by_key", "how JSON is written; key=text, bytes or json", True, True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("content_by_key", at, ex.Literal(dict(self.options)), ex.Literal(tuple(self.args)))

    def content_kind(self, at: Expression) -> Expression:
        return helper("kind_by_key", at, ex.Literal(dict(self.options)))

    def write(self, value: Expression, need: Need) -> Expression:
        keys = {str(kind): key for key, kind in self.options}
        kind = "bytes" if "bytes" in keys else "text"
        return helper("content_under", value, ex.Literal(keys.get(kind)), ex.Literal(kind == "text"))

    def losses(self, field: str) -> tuple[Loss, ...]:
        kinds = {str(kind) for _, kind in self.options}
        return () if "bytes" in kinds else Utf8().losses(field)


class ObjectOf(Lens):
    """Content that the provider makes as JSON of what stands there: `object_of(error=this, request=id)`.

    Each key holds `this`, or a field of the event that is answered. Such content is read, and written by no handler.
    """

    __slots__ = ()
    by_hand = False
    name, takes, most, named, holds = "object_of", "how JSON is written; key=this or a hub field", 3, True, ("bytes",)
    reads_only = True

    @property
    def of_event(self) -> tuple[str, ...]:
        """Return the fields of the event that such content holds."""
        return tuple(dict.fromkeys(str(field) for _, field in self.options if field != "this"))

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        if all(field != "this" for _, field in self.options):
            raise LensError("lens object_of says which key holds what stands there, such as object_of(error=this)")
        held = tuple(
            ex.Entry(ex.Literal(str(key)), at if field == "this" else ex.Variable(event_variable(str(field))))
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
    name, takes, named, holds, flagged = "by_word", "word=lens", True, ("bytes",), True

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
