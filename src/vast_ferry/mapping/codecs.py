"""Codecs: how a value stands at a native place, both ways, and what that form can't hold.

A codec is one small class: `read` and `write` give expressions, `needs` names the hub fields it has to know beside its
own, `losses` says what does not survive. Adding one: write the class here, put its helpers in `mapping.helpers`.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar, Final

from vast_ferry.hub.findings import nearest
from vast_ferry.mapping import helpers
from vast_ferry.mapping.losses import Fields, Loss, repeats
from vast_ferry.mapping.nodes import Node, call, literal, wrap
from vast_ferry.mapping.views import ENCODED_SLASH, SPELLING_OF_PATH

Need = Callable[[str], Node]


class CodecError(ValueError):
    """A codec that does not exist or was given what it does not take."""


@dataclass(frozen=True, slots=True)
class Codec:
    """A form of a value at a native place; this one is the value itself.

    `args` are as the row gives them. `flag` says that the form needs a second place; `spread` that it fills several
    items of the mapping at its place; `holds` lists the kinds of hub fields it is for (empty: any).
    """

    args: tuple[str, ...] = ()
    options: tuple[tuple[str, str], ...] = ()

    name: ClassVar[str] = "plain"
    takes: ClassVar[str] = ""
    fewest: ClassVar[int] = 0
    most: ClassVar[int] = 0
    named: ClassVar[bool] = False
    names: ClassVar[bool] = False  # options become names in generated code
    holds: ClassVar[tuple[str, ...]] = ()
    needs: ClassVar[tuple[str, ...]] = ()
    flagged: ClassVar[bool] = False
    spread: ClassVar[bool] = False
    derived_only: ClassVar[bool] = False
    folded: ClassVar[bool] = False  # reads names in lower case that don't repeat

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        """Return the hub value of what stands at the place."""
        return at

    def write(self, value: Node, need: Need) -> Node:
        """Return what stands at the place for a hub value."""
        return value

    def write_folded(self, value: Node, need: Need) -> Node:
        """Return what stands at the place for pairs whose names are in lower case and don't repeat."""
        return self.write(value, need)

    def write_flag(self, value: Node, need: Need) -> Node:
        """Return what stands at the second place."""
        raise NotImplementedError

    def told_text(self, at: Node, flag: Node | None) -> Node:
        """Return an expression that tells whether the content at the place was given as text."""
        return literal(True)

    def on_file(self) -> Codec:
        """Return the codec for the same place in an event on file, which is JSON."""
        return self

    def losses(self, field: str) -> tuple[Loss, ...]:
        """Return what this form can't hold of `field`."""
        return ()

    def __str__(self) -> str:
        inner = ", ".join([*self.args, *(f"{key}={value}" for key, value in self.options)])
        return f"{self.name}({inner})" if inner else self.name


class _Pair(Codec):
    """A codec that is one helper each way."""

    __slots__ = ()
    reader: ClassVar[str]
    writer: ClassVar[str]

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call(self.reader, at, *(need(field) for field in self.needs))

    def write(self, value: Node, need: Need) -> Node:
        return call(self.writer, value, *(need(field) for field in self.needs))


class FileBytes(_Pair):
    """Bytes in JSON: text if they are UTF-8, else `{"base64": …}`."""

    __slots__ = ()
    name, holds, reader, writer = "file_bytes", ("bytes",), "bytes_on_file", "file_bytes"


class Plain(Codec):
    """The value itself."""

    __slots__ = ()


class PlainBytes(Codec):
    """Bytes as they are."""

    __slots__ = ()
    name, holds = "bytes", ("bytes",)

    def on_file(self) -> Codec:
        return FileBytes()


# --- times, paths, routes -------------------------------------------------------------------------------------------


class EpochMs(_Pair):
    """Whole milliseconds since 1970."""

    __slots__ = ()
    name, holds, reader, writer = "epoch_ms", ("text",), "time_from_epoch_ms", "epoch_ms_from_time"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _time_losses(field, type(self), "a millisecond", 3)


def _time_losses(field: str, codec: type[_Pair], unit: str, digits: int) -> tuple[Loss, ...]:
    finer = re.compile(rf"\.\d{{{digits}}}\d*[1-9]")

    def respelt(fields: Fields) -> bool:
        text = fields[field]
        there = getattr(helpers, codec.writer)(text)
        return bool(text) and not finer.search(text) and getattr(helpers, codec.reader)(there) != text

    return (
        Loss(
            "time-cut",
            field,
            f"a time is finer than {unit}",
            "what is finer is cut off",
            lambda fields: bool(finer.search(fields[field])),
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
        ),
    )


class EnvironPath(Codec):
    """The path in a CGI-style environment; `args` are the keys under which a server may offer the raw target."""

    __slots__ = ()
    name, takes, most, holds, spread = "environ_path", "keys of the raw target", 8, ("text",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("environ_path", at, *(literal(key) for key in self.args), name="path")

    def write(self, value: Node, need: Need) -> Node:
        return wrap("{{'SCRIPT_NAME': '', 'PATH_INFO': path_info({0})}}", value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        offered = "raw_target" if self.args else ""
        return tuple(
            Loss(loss.code, loss.field, loss.when, loss.effect, loss.applies, loss.harmless, offered)
            for loss in (ENCODED_SLASH, SPELLING_OF_PATH)
        )


class RouteStyle(Codec):
    """A route whose captures are spelt in the provider's own way: one segment, and the rest of the path."""

    __slots__ = ()
    name, takes, fewest, most, holds = "route", "how 'name' is spelt for one segment and for the rest", 2, 2, ("text",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("route_from_style", at, *(literal(form) for form in self.args), name="route")

    def write(self, value: Node, need: Need) -> Node:
        return call("route_to_style", value, *(literal(form) for form in self.args))


class RoutingArgs(_Pair):
    """Captures as wsgi.org's routing_args: positional ones, then ones by name."""

    __slots__ = ()
    name, holds, reader, writer = "routing_args", ("texts",), "captures_of", "routing_args"


# --- pairs ----------------------------------------------------------------------------------------------------------


class PairList(Codec):
    """A list of (name, value) pairs."""

    __slots__ = ()
    name, holds = "pairs", ("pairs",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("pairs_of", at)


class Joined(_Pair):
    """A mapping of names in lower case, repeats joined by `, ` (RFC 9110 §5.3)."""

    __slots__ = ()
    name, holds, reader, writer = "joined", ("pairs",), "from_joined", "with_joined"

    def write_folded(self, value: Node, need: Need) -> Node:
        return wrap("dict({0})", value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (_joined(field),)


def _joined(field: str) -> Loss:
    return Loss(
        "header-joined",
        field,
        "a header field repeats",
        "its values arrive as one, joined by `, ` in order",
        lambda fields: repeats([pair for pair in fields["headers"] if pair[0].lower() not in ("cookie", "set-cookie")]),
        harmless=True,
    )


class FirstValues(Codec):
    """A mapping from each name to its first value."""

    __slots__ = ()
    name, holds = "first_values", ("pairs",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("from_joined", at)

    def write(self, value: Node, need: Need) -> Node:
        return call("first_values", value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            Loss(
                "first-value-only",
                field,
                "a name repeats",
                "only its first value arrives",
                lambda fields: repeats(
                    helpers.parse_query(fields["query.raw"]) if field.startswith("query") else fields["headers"]
                ),
            ),
        )


class MultiMap(Codec):
    """An object that is looked up by name: `first` and `every` and `all` name its methods; `case=no` for headers."""

    __slots__ = ()
    name, takes, named, names, holds = "multimap", "first=, every=, all=, case=", True, True, ("pairs",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return wrap(f"{{0}}.{dict(self.options)['all']}()", at)

    def write(self, value: Node, need: Need) -> Node:
        return wrap(f"{self.class_name}({{0}})", value)

    @property
    def class_name(self) -> str:
        """Return the name of the class that is made for this shape."""
        return "NamedHeaders" if self._no_case else "NamedValues"

    @property
    def _no_case(self) -> bool:
        return dict(self.options).get("case") == "no"

    def class_source(self) -> str:
        """Return the source of that class."""
        base = "PairsByNameNoCase" if self._no_case else "PairsByName"
        names = dict(self.options)
        lines = [f"class {self.class_name}({base}):", f'    """{base} with the names that handlers use."""', ""]
        lines += ["    __slots__ = ()"]
        lines += [f"    {names[kind]} = {base}._{kind}" for kind in ("first", "every", "all") if kind in names]
        return "\n".join(lines)

    def on_file(self) -> Codec:
        return PairList()


class EnvironHeaders(Codec):
    """Header fields in a CGI-style environment: `HTTP_*` and `CONTENT_TYPE` (PEP 3333, RFC 3875 §4.1.18)."""

    __slots__ = ()
    name, holds, spread, folded = "environ_headers", ("pairs",), True, True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("environ_headers", at)

    def write(self, value: Node, need: Need) -> Node:
        return call("headers_in_environ", value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            _joined(field),
            Loss(
                "header-underscore",
                field,
                "the name of a header field holds `_`",
                "it can't be told from `-`, and many servers drop the field",
                lambda fields: any("_" in name for name, _ in fields["headers"]),
            ),
        )


class WireHeaders(Codec):
    """A reply's header list as a WSGI server takes it (PEP 3333): no hop-by-hop fields, and the content's length."""

    __slots__ = ()
    name, holds, needs = "wire_headers", ("pairs",), ("status", "body")

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("headers_from_wire", at)

    def write(self, value: Node, need: Need) -> Node:
        return call("wire_headers", value, *(need(field) for field in self.needs))

    def losses(self, field: str) -> tuple[Loss, ...]:
        def typed_nothing(fields: Fields) -> bool:
            return fields["status"] in (204, 304) and bool(helpers.content_type_of(fields["headers"]))

        return (
            Loss(
                "hop-by-hop",
                field,
                "a reply sets a hop-by-hop field (Connection, Upgrade, Trailer…)",
                "it is left to the server",
                lambda fields: any(
                    name.lower() in helpers.HOP_BY_HOP - helpers.FRAMING for name, _ in fields["headers"]
                ),
            ),
            Loss(
                "type-of-nothing",
                field,
                "a 204 or 304 names a content type",
                "the field is left out: there is no content",
                typed_nothing,
                harmless=True,
            ),
        )


# --- content --------------------------------------------------------------------------------------------------------


class TextOrBase64(Codec):
    """Text where the content's type and bytes allow, else Base64 with the flag set."""

    __slots__ = ()
    name, holds, needs, flagged = "text_or_base64", ("bytes",), ("content_type",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("from_text_or_packed", at, flag or literal(False), need("content_type"), name="body")

    def write(self, value: Node, need: Need) -> Node:
        return wrap("{0}[0]", self._both(value, need))

    def write_flag(self, value: Node, need: Need) -> Node:
        return wrap("{0}[1]", self._both(value, need))

    def told_text(self, at: Node, flag: Node | None) -> Node:
        return wrap("(not {0})", flag or literal(False))

    def _both(self, value: Node, need: Need) -> Node:
        return call("text_or_packed", value, need("content_type"), name="content")


class Text(_Pair):
    """The content as text, by its charset."""

    __slots__ = ()
    name, holds, needs, reader, writer = "text", ("bytes",), ("content_type",), "text_body", "body_text"

    def losses(self, field: str) -> tuple[Loss, ...]:
        def undecodable(fields: Fields) -> bool:
            try:
                fields["body"].decode(helpers.charset_of(helpers.content_type_of(fields["headers"])))
            except UnicodeError:
                return True
            return False

        return (Loss("not-text", field, "the content is not text in its charset", "bytes become U+FFFD", undecodable),)


class Json(Codec):
    """The content as a JSON value; only ever derived, because spelling and exact numbers don't survive it."""

    __slots__ = ()
    name, holds, derived_only = "json", ("bytes",), True

    def write(self, value: Node, need: Need) -> Node:
        return call("body_json", value)


class BytesOrText(_Pair):
    """Bytes, or text that is encoded by the content's charset; written as bytes."""

    __slots__ = ()
    name, holds, needs, reader, writer = "bytes_or_text", ("bytes",), ("content_type",), "bytes_of", ""

    def write(self, value: Node, need: Need) -> Node:
        return value

    def told_text(self, at: Node, flag: Node | None) -> Node:
        return wrap("isinstance({0}, str)", at)

    def on_file(self) -> Codec:
        return FileBytes()


class Stream(Codec):
    """A binary input stream; the flag's place holds the number of bytes that may be read."""

    __slots__ = ()
    name, holds, flagged = "stream", ("bytes",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("read_stream", at, flag or literal(""), name="body")

    def write(self, value: Node, need: Need) -> Node:
        return call("stream_of", value)

    def write_flag(self, value: Node, need: Need) -> Node:
        return wrap("str(len({0}))", value)

    def on_file(self) -> Codec:
        return FileBytes()


class Chunks(Codec):
    """An iterable of bytes, empty where a reply has no content."""

    __slots__ = ()
    name, holds, needs = "chunks", ("bytes",), ("method", "status")

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("drain", at)

    def write(self, value: Node, need: Need) -> Node:
        return call("content_chunks", value, *(need(field) for field in self.needs))


# --- small values ---------------------------------------------------------------------------------------------------


class StatusLine(_Pair):
    """A status code with its reason phrase, as text."""

    __slots__ = ()
    name, holds, reader, writer = "status_line", ("integer",), "status_from_line", "status_line"


class Authority(Codec):
    """Host and port in a CGI-style environment."""

    __slots__ = ()
    name, holds, needs, spread = "environ_authority", ("text",), ("scheme",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("authority_of", at)

    def write(self, value: Node, need: Need) -> Node:
        return call("server_in_environ", value, need("scheme"))


class Keys(Codec):
    """A record under other names: `hub=native` for each key."""

    __slots__ = ()
    name, takes, named, holds = "keys", "hub name=native name", True, ("record",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("renamed", at, literal({native: hub for hub, native in self.options}))

    def write(self, value: Node, need: Need) -> Node:
        return call("renamed", value, literal(dict(self.options)))


class OnlyId(_Pair):
    """A principal's id alone."""

    __slots__ = ()
    name, holds, reader, writer = "only_id", ("record",), "from_id", "only_id"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            Loss(
                "claims-lost",
                field,
                "the caller has claims",
                "only the caller's id arrives",
                lambda fields: bool((fields[field] or {}).get("claims")),
            ),
        )


class Milliseconds(Codec):
    """Seconds told in whole milliseconds."""

    __slots__ = ()
    name, holds = "milliseconds", ("number", "call")

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return wrap("({0} / 1000)", at)

    def write(self, value: Node, need: Need) -> Node:
        return wrap("int({0} * 1000)", value)


class StreamLog(Codec):
    """A text stream that takes lines of a log."""

    __slots__ = ()
    name, holds = "stream_log", ("call",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("log_to", at)

    def write(self, value: Node, need: Need) -> Node:
        return call("LogStream", value)


# --- other kinds ----------------------------------------------------------------------------------------------------


class EpochSeconds(_Pair):
    """Whole seconds since 1970."""

    __slots__ = ()
    name, holds, reader, writer = "epoch_s", ("text",), "time_from_epoch_s", "epoch_s_from_time"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _time_losses(field, type(self), "a second", 0)


class EpochNs(_Pair):
    """Whole nanoseconds since 1970."""

    __slots__ = ()
    name, holds, reader, writer = "epoch_ns", ("text",), "time_from_epoch_ns", "epoch_ns_from_time"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _time_losses(field, type(self), "a nanosecond", 9)


class EpochSecondsText(_Pair):
    """Whole seconds since 1970, as text."""

    __slots__ = ()
    name, holds, reader, writer = "epoch_s_text", ("text",), "time_from_epoch_s_text", "epoch_s_text_from_time"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return _time_losses(field, type(self), "a second", 0)


class ChoiceOf(Codec):
    """One of the provider's words, each for one of the hub's: `own=hub`."""

    __slots__ = ()
    name, takes, named, holds = "choice", "own word=hub word", True, ("text",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("word_of", literal(dict(self.options)), at)

    def write(self, value: Node, need: Need) -> Node:
        return call("word_of", literal({hub: own for own, hub in self.options}), value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return ()


class FormText(_Pair):
    """Text that is percent-encoded as in a form: `+` for a space, slashes as they are."""

    __slots__ = ()
    name, holds, reader, writer = "form_text", ("text",), "from_form_text", "to_form_text"


class PercentText(_Pair):
    """Text that is percent-encoded, slashes as they are (RFC 3986 §2.1)."""

    __slots__ = ()
    name, holds, reader, writer = "percent_text", ("text",), "from_percent_text", "to_percent_text"


class PrefixedText(Codec):
    """Text behind a fixed beginning."""

    __slots__ = ()
    name, takes, fewest, most, holds = "prefixed", "the beginning", 1, 1, ("text",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("after_prefix", at, literal(self.args[0]))

    def write(self, value: Node, need: Need) -> Node:
        return wrap("({0} + {1})", literal(self.args[0]), value)


class PercentAfter(Codec):
    """Percent-encoded text behind a fixed beginning, slashes encoded too: one segment of a URI reference."""

    __slots__ = ()
    name, takes, fewest, most, holds = "percent_after", "the beginning", 1, 1, ("text",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("from_percent_text", call("after_prefix", at, literal(self.args[0])))

    def write(self, value: Node, need: Need) -> Node:
        return wrap("({0} + {1})", literal(self.args[0]), call("to_segment", value))


class OrNull(_Pair):
    """Text, or null where it is empty."""

    __slots__ = ()
    name, holds, reader, writer = "or_null", ("text",), "text_or_empty", "text_or_null"


class NumberText(_Pair):
    """A number as text."""

    __slots__ = ()
    name, holds, reader, writer = "number_text", ("integer", "integer or nothing"), "number_from_text", "number_to_text"


class JsonText(_Pair):
    """A JSON value as text (RFC 8259)."""

    __slots__ = ()
    name, holds, reader, writer = "json_text", ("value", "record", "texts"), "json_from_text", "json_to_text"


class JsonBytes(_Pair):
    """A JSON value as UTF-8 bytes (RFC 8259 §8.1)."""

    __slots__ = ()
    name, holds, reader, writer = "json_bytes", ("value",), "json_from_bytes", "json_to_bytes"

    def on_file(self) -> Codec:
        return JsonText(self.args)


class ListsByName(_Pair):
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


class DataOrBase64(Codec):
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


class Extensions(Codec):
    """CloudEvents extension attributes: whatever stands beside the known ones; `args` are the known ones."""

    __slots__ = ()
    name, takes, most, holds, spread = "extensions", "names of the other attributes", 32, ("record",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("extensions_of", at, literal(self.args))

    def write(self, value: Node, need: Need) -> Node:
        return call("as_extensions", value, literal(self.args))


CODECS: Final[dict[str, type[Codec]]] = {
    codec.name: codec
    for codec in (
        Plain,
        PlainBytes,
        EpochMs,
        EnvironPath,
        RouteStyle,
        RoutingArgs,
        PairList,
        Joined,
        FirstValues,
        MultiMap,
        EnvironHeaders,
        WireHeaders,
        TextOrBase64,
        Text,
        Json,
        BytesOrText,
        Stream,
        Chunks,
        StatusLine,
        Authority,
        Keys,
        OnlyId,
        Milliseconds,
        StreamLog,
        EpochSeconds,
        EpochSecondsText,
        EpochNs,
        ChoiceOf,
        FormText,
        PercentText,
        PrefixedText,
        PercentAfter,
        OrNull,
        NumberText,
        JsonText,
        JsonBytes,
        ListsByName,
        DataOrBase64,
        Extensions,
    )
}


def parse_codec(text: str) -> Codec:
    """Return the codec that `text` says, such as `joined` or `multimap(first=one, every=every)`.

    >>> str(parse_codec("route('{name}', '{name*}')"))
    'route({name}, {name*})'

    Raises CodecError for an unknown name (the nearest is suggested) or arguments that the codec does not take.
    """
    try:
        tree = ast.parse(text.strip(), mode="eval").body
    except SyntaxError:
        raise CodecError(f"{text!r} is not a codec: write a name, or name(argument, …)") from None
    function = tree.func if isinstance(tree, ast.Call) else tree
    if not isinstance(function, ast.Name):
        raise CodecError(f"{text!r} is not a codec: write a name, or name(argument, …)")
    if function.id not in CODECS:
        raise CodecError(f"there is no codec {function.id!r}{nearest(function.id, CODECS)}")
    kind = CODECS[function.id]
    arguments = tuple(_text(text, node) for node in tree.args) if isinstance(tree, ast.Call) else ()
    options = (
        tuple((keyword.arg or "", _text(text, keyword.value)) for keyword in tree.keywords)
        if isinstance(tree, ast.Call)
        else ()
    )
    if any(not key.isidentifier() or (kind.names and not value.isidentifier()) for key, value in options):
        raise CodecError(f"codec {kind.name} takes names, not {text!r}")
    if kind in (ChoiceOf, Keys) and len({value for _, value in options}) != len(options):
        raise CodecError(f"{text!r} can't be read back: two words stand for the same")
    if not kind.fewest <= len(arguments) <= kind.most or (options and not kind.named):
        raise CodecError(f"codec {kind.name} takes {kind.takes or 'no arguments'}, not {text!r}")
    return kind(arguments, options)


def _text(text: str, node: ast.expr) -> str:
    if isinstance(node, ast.Name):
        return node.id
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    raise CodecError(f"{text!r}: an argument is a name or a text in quotes")
