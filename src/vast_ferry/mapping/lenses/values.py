"""Lenses of values that events of every kind hold: times, words, encoded text, JSON, extensions."""

from __future__ import annotations

import re

from vast_ferry.mapping import helpers
from vast_ferry.mapping.lenses.lens import Lens, Need, TwoHelpers
from vast_ferry.mapping.losses import Fields, Loss
from vast_ferry.mapping.nodes import Node, call, literal, wrap


class EpochMs(TwoHelpers):
    """Whole milliseconds since 1970."""

    __slots__ = ()
    name, holds, reader, writer = "epoch_ms", ("text",), "time_from_epoch_ms", "epoch_ms_from_time"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _time_losses(field, type(self), "a millisecond", 3)


def _time_losses(field: str, lens: type[TwoHelpers], unit: str, digits: int) -> tuple[Loss, ...]:
    finer = re.compile(rf"\.\d{{{digits}}}\d*[1-9]")
    fraction = rf"\.\d{{{digits}}}" if digits else ""
    usual = re.compile(rf"\d{{4}}-\d\d-\d\dT\d\d:\d\d:\d\d{fraction}Z", re.ASCII)

    def respelt(fields: Fields) -> bool:
        text = fields[field]
        if not text or usual.fullmatch(text) or finer.search(text):
            return False
        return bool(getattr(helpers, lens.reader)(getattr(helpers, lens.writer)(text)) != text)

    return (
        Loss(
            "time-cut",
            field,
            f"a time is finer than {unit}",
            "what is finer is cut off",
            lambda fields: bool(finer.search(fields[field])),
            degree=9 - digits,
        ),
        Loss(
            "time-unknown",
            field,
            "the event tells no time",
            "it arrives as the beginning of 1970",
            lambda fields: not fields[field],
        ),
        Loss(
            "time-respelt",
            field,
            "a time has an offset from UTC, or another number of digits than usual",
            "it arrives as the same moment in UTC, spelt as usual",
            respelt,
            harmless=True,
            degree=9 - digits,
        ),
    )


class EpochSeconds(TwoHelpers):
    """Whole seconds since 1970."""

    __slots__ = ()
    name, holds, reader, writer = "epoch_s", ("text",), "time_from_epoch_s", "epoch_s_from_time"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _time_losses(field, type(self), "a second", 0)


class EpochNs(TwoHelpers):
    """Whole nanoseconds since 1970."""

    __slots__ = ()
    name, holds, reader, writer = "epoch_ns", ("text",), "time_from_epoch_ns", "epoch_ns_from_time"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _time_losses(field, type(self), "a nanosecond", 9)


class EpochSecondsText(TwoHelpers):
    """Whole seconds since 1970, as text."""

    __slots__ = ()
    name, holds, reader, writer = "epoch_s_text", ("text",), "time_from_epoch_s_text", "epoch_s_text_from_time"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _time_losses(field, type(self), "a second", 0)


class ChoiceOf(Lens):
    """One of the provider's words, each for one of the hub's: `own=hub`."""

    __slots__ = ()
    name, takes, named, holds = "choice", "own word=hub word", True, ("text",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("word_of", literal(dict(self.options)), at)

    def write(self, value: Node, need: Need) -> Node:
        return call("word_of", literal({hub: own for own, hub in self.options}), value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return ()


class FormText(TwoHelpers):
    """Text that is percent-encoded as in a form: `+` for a space, slashes as they are."""

    __slots__ = ()
    name, holds, reader, writer = "form_text", ("text",), "from_form_text", "to_form_text"


class PercentText(TwoHelpers):
    """Text that is percent-encoded, slashes as they are (RFC 3986 §2.1)."""

    __slots__ = ()
    name, holds, reader, writer = "percent_text", ("text",), "from_percent_text", "to_percent_text"


class PrefixedText(Lens):
    """Text behind a fixed beginning."""

    __slots__ = ()
    name, takes, fewest, most, holds = "prefixed", "the beginning", 1, 1, ("text",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("after_prefix", at, literal(self.args[0]))

    def write(self, value: Node, need: Need) -> Node:
        return wrap("({0} + {1})", literal(self.args[0]), value)


class PercentAfter(Lens):
    """Percent-encoded text behind a fixed beginning, slashes encoded too: one segment of a URI reference."""

    __slots__ = ()
    name, takes, fewest, most, holds = "percent_after", "the beginning", 1, 1, ("text",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("from_percent_text", call("after_prefix", at, literal(self.args[0])))

    def write(self, value: Node, need: Need) -> Node:
        return wrap("({0} + {1})", literal(self.args[0]), call("to_segment", value))


class OrNull(TwoHelpers):
    """Text, or null where it is empty."""

    __slots__ = ()
    name, holds, reader, writer = "or_null", ("text",), "text_or_empty", "text_or_null"


class MappingOrNull(TwoHelpers):
    """A mapping from name to text, or null where it is empty."""

    __slots__ = ()
    name, holds, reader, writer = "mapping_or_null", ("texts",), "mapping_or_empty", "mapping_or_null"


class NumberText(TwoHelpers):
    """A number as text."""

    __slots__ = ()
    name, holds, reader, writer = "number_text", ("integer", "integer or nothing"), "number_from_text", "number_to_text"


class JsonText(TwoHelpers):
    """A JSON value as text (RFC 8259)."""

    __slots__ = ()
    name, holds, reader, writer = "json_text", ("value", "record", "texts"), "json_from_text", "json_to_text"

    def exact(self) -> Lens:
        return JsonTextExact()


class JsonAscii(JsonText):
    """A JSON value as text in ASCII: whatever a String of CloudEvents may not hold is escaped."""

    __slots__ = ()
    name, writer = "json_ascii", "json_to_ascii"

    def exact(self) -> Lens:
        return self


class JsonTextExact(JsonText):
    """The same, its decimals kept as they were written."""

    __slots__ = ()
    name, reader = "json_text_exact", "exact_from_text"


class JsonBytes(TwoHelpers):
    """A JSON value as UTF-8 bytes (RFC 8259 §8.1)."""

    __slots__ = ()
    name, holds, reader, writer = "json_bytes", ("value",), "json_from_bytes", "json_to_bytes"

    def on_file(self) -> Lens:
        return JsonText()


class ListsByName(TwoHelpers):
    """A mapping from each name to the list of its values."""

    __slots__ = ()
    name, holds, reader, writer = "lists", ("pairs",), "from_lists", "to_lists"

    def losses(self, field: str) -> tuple[Loss, ...]:
        def mixed(fields: Fields) -> bool:
            pairs = helpers.parse_query(fields["query.raw"]) if field.startswith("query") else fields["headers"]
            return helpers.from_lists(helpers.to_lists(pairs)) != pairs

        return (
            Loss(
                "order-between-names",
                field,
                "a name repeats with other names in between",
                "the values of each name stay in order, but stand together",
                mixed,
                harmless=True,
            ),
        )


class DataOrBase64(Lens):
    """Content as a JSON value or text where that gives back the very same bytes, else Base64 in the second place."""

    __slots__ = ()
    name, holds, needs, flagged = "data_or_base64", ("bytes",), ("content_type",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("body_from_data", at, flag or literal(None), need("content_type"), name="body")

    def write(self, value: Node, need: Need) -> Node:
        return wrap("{0}[0]", self._both(value, need))

    def write_flag(self, value: Node, need: Need) -> Node:
        return wrap("{0}[1]", self._both(value, need))

    def _both(self, value: Node, need: Need) -> Node:
        return call("data_or_base64", value, need("content_type"), name="data")


class Extensions(Lens):
    """CloudEvents extension attributes: whatever stands beside the known ones; `args` are the known ones."""

    __slots__ = ()
    name, takes, most, holds, spread = "extensions", "names of the other attributes", 32, ("record",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("extensions_of", at, literal(self.args))

    def write(self, value: Node, need: Need) -> Node:
        return call("as_extensions", value, literal(self.args))
