"""Lenses of requests and replies: paths, routes, header fields, content, and small values beside them."""

from __future__ import annotations

from vast_ferry.mapping import helpers
from vast_ferry.mapping.lenses.lens import FileBytes, Lens, Need, TwoHelpers
from vast_ferry.mapping.losses import Fields, Loss, repeats
from vast_ferry.mapping.nodes import Node, call, literal, wrap
from vast_ferry.mapping.views import ENCODED_SLASH, SPELLING_OF_PATH


class EnvironPath(Lens):
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


class RouteStyle(Lens):
    """A route whose captures are spelt in the provider's own way: one segment, and the rest of the path."""

    __slots__ = ()
    name, takes, fewest, most, holds = "route", "how 'name' is spelt for one segment and for the rest", 2, 2, ("text",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("route_from_style", at, *(literal(form) for form in self.args), name="route")

    def write(self, value: Node, need: Need) -> Node:
        return call("route_to_style", value, *(literal(form) for form in self.args))


class RoutingArgs(TwoHelpers):
    """Captures as wsgi.org's routing_args: positional ones, then ones by name."""

    __slots__ = ()
    name, holds, reader, writer = "routing_args", ("texts",), "captures_of", "routing_args"


# --- pairs -----------------------------------------------------------------------------------------------------------


class PairList(Lens):
    """A list of (name, value) pairs."""

    __slots__ = ()
    name, holds = "pairs", ("pairs",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("pairs_of", at)


class Joined(TwoHelpers):
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


class FirstValues(Lens):
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


class MultiMap(Lens):
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

    def on_file(self) -> Lens:
        return PairList()


class EnvironHeaders(Lens):
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


class WireHeaders(Lens):
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


# --- content ---------------------------------------------------------------------------------------------------------


class TextOrBase64(Lens):
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


class Text(TwoHelpers):
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


class Json(Lens):
    """The content as a JSON value; only ever derived, because spelling and exact numbers don't survive it."""

    __slots__ = ()
    name, holds, derived_only = "json", ("bytes",), True

    def write(self, value: Node, need: Need) -> Node:
        return call("body_json", value)


class BytesOrText(TwoHelpers):
    """Bytes, or text that is encoded by the content's charset; written as bytes."""

    __slots__ = ()
    name, holds, needs, reader, writer = "bytes_or_text", ("bytes",), ("content_type",), "bytes_of", ""

    def write(self, value: Node, need: Need) -> Node:
        return value

    def told_text(self, at: Node, flag: Node | None) -> Node:
        return wrap("isinstance({0}, str)", at)

    def on_file(self) -> Lens:
        return FileBytes()


class Pieces(BytesOrText):
    """Bytes or text, or a generator of either, plain or asynchronous, that is sent piece by piece."""

    __slots__ = ()
    name, reader = "pieces", "bytes_of_pieces"


class Stream(Lens):
    """A binary input stream; the flag's place holds the number of bytes that may be read."""

    __slots__ = ()
    name, holds, flagged = "stream", ("bytes",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("read_stream", at, flag or literal(""), name="body")

    def write(self, value: Node, need: Need) -> Node:
        return call("stream_of", value)

    def write_flag(self, value: Node, need: Need) -> Node:
        return wrap("str(len({0}))", value)

    def on_file(self) -> Lens:
        return FileBytes()


class Chunks(Lens):
    """An iterable of bytes, empty where a reply has no content."""

    __slots__ = ()
    name, holds, needs = "chunks", ("bytes",), ("method", "status")

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("drain", at)

    def write(self, value: Node, need: Need) -> Node:
        return call("content_chunks", value, *(need(field) for field in self.needs))


# --- small values ----------------------------------------------------------------------------------------------------


class StatusLine(TwoHelpers):
    """A status code with its reason phrase, as text."""

    __slots__ = ()
    name, holds, reader, writer = "status_line", ("integer",), "status_from_line", "status_line"


class Authority(Lens):
    """Host and port in a CGI-style environment."""

    __slots__ = ()
    name, holds, needs, spread = "environ_authority", ("text",), ("scheme",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("authority_of", at)

    def write(self, value: Node, need: Need) -> Node:
        return call("server_in_environ", value, need("scheme"))


class Keys(Lens):
    """A record under other names: `hub=native` for each key."""

    __slots__ = ()
    name, takes, named, holds = "keys", "hub name=native name", True, ("record",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("renamed", at, literal({native: hub for hub, native in self.options}))

    def write(self, value: Node, need: Need) -> Node:
        return call("renamed", value, literal(dict(self.options)))


class OnlyId(TwoHelpers):
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


class Milliseconds(Lens):
    """Seconds told in whole milliseconds."""

    __slots__ = ()
    name, holds = "milliseconds", ("number", "call")

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return wrap("({0} / 1000)", at)

    def write(self, value: Node, need: Need) -> Node:
        return wrap("int({0} * 1000)", value)


class StreamLog(Lens):
    """A text stream that takes lines of a log."""

    __slots__ = ()
    name, holds = "stream_log", ("call",)

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("log_to", at)

    def write(self, value: Node, need: Need) -> Node:
        return call("LogStream", value)


# --- requests and replies as bytes (ASGI 3.0) ------------------------------------------------------------------------


class LatinBytes(TwoHelpers):
    """Text as bytes, a character a byte: what stands on a request line."""

    __slots__ = ()
    name, holds, reader, writer = "latin_bytes", ("text",), "text_from_latin", "latin_of"

    def on_file(self) -> Lens:
        return Lens()


class ScopePath(Lens):
    """The path in an ASGI scope: decoded under `path`, and as it came under `raw_path` where the server offers it."""

    __slots__ = ()
    name, holds, spread = "scope_path", ("text",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("path_in_scope", at, name="path")

    def write(self, value: Node, need: Need) -> Node:
        return call("scope_path", value)

    def on_file(self) -> Lens:
        return ScopePathOnFile()


class ScopePathOnFile(ScopePath):
    """The same in JSON, the raw path as text."""

    __slots__ = ()
    name = "scope_path_text"

    def write(self, value: Node, need: Need) -> Node:
        return call("scope_path_text", value)


class HeaderLines(Lens):
    """A request's header fields as pairs of bytes, names in lower case, with Host and the content's length."""

    __slots__ = ()
    name, holds, needs = "header_lines", ("pairs",), ("authority", "body")

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("pairs_from_lines", at, name="headers")

    def write(self, value: Node, need: Need) -> Node:
        return call("request_lines", value, need("authority"), need("body"))

    def on_file(self) -> Lens:
        return HeaderLinesOnFile()


class HeaderLinesOnFile(HeaderLines):
    """The same in JSON, as pairs of text."""

    __slots__ = ()
    name = "header_lines_text"

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("pairs_without_host", at, name="headers")

    def write(self, value: Node, need: Need) -> Node:
        return call("pairs_with_host", value, need("authority"), need("body"))


class HostLine(Lens):
    """The Host field among header lines; another row fills them."""

    __slots__ = ()
    name, holds, reads_only = "host_line", ("text",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("host_in_lines", at)


class ReplyLines(WireHeaders):
    """A reply's header fields as pairs of bytes, as an ASGI server takes them."""

    __slots__ = ()
    name = "reply_lines"

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call("headers_from_wire", call("pairs_from_lines", at))

    def write(self, value: Node, need: Need) -> Node:
        return call("lines_from_pairs", WireHeaders.write(self, value, need))


class HostAndPort(TwoHelpers):
    """An address as a pair of host and port, or nothing; the port is not told."""

    __slots__ = ()
    name, holds, reader, writer = "host_and_port", ("text",), "host_of_pair", "pair_of_host"


class ServerPair(Lens):
    """Host and port of the server, as a pair; `derived` only."""

    __slots__ = ()
    name, holds, needs, derived_only = "server_pair", ("text",), ("scheme",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return wrap("{0}[0]", at)

    def write(self, value: Node, need: Need) -> Node:
        return call("server_pair", value, need("scheme"))


class MessagesBody(Lens):
    """Content that comes in messages, from a coroutine function."""

    __slots__ = ()
    name, holds, awaited = "messages_body", ("bytes",), True

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return Node("(await body_from_messages({0}))", (at,), "body")

    def write(self, value: Node, need: Need) -> Node:
        return call("messages_of_body", value)

    def on_file(self) -> Lens:
        return FileBytes()
