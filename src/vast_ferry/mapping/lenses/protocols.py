"""How the parts of a request and a reply stand where a gateway's standard says so: CGI, WSGI, ASGI."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Final

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.by_hand import ByHand, How, Lookup, Stands
from vast_ferry.mapping.expressions import Expression, Literal, helper
from vast_ferry.mapping.lenses.lens import FileBytes, Lens, LensError, Need, PlainBytes, TwoHelpers
from vast_ferry.mapping.lenses.pairs import NAME, VALUE, joined_loss, one_or_none, picked
from vast_ferry.mapping.losses import Fields, Loss
from vast_ferry.mapping.views import ENCODED_SLASH, SPELLING_OF_PATH

# --- an environment, as in CGI and WSGI (RFC 3875, PEP 3333) ---------------------------------------------------------


class EnvironPath(Lens):
    """The path in a CGI-style environment; `args` are the keys under which a server may offer the raw target."""

    __slots__ = ()
    name, takes, most, holds, spread = "environ_path", "keys of the raw target", 8, ("text",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("environ_path", at, *(Literal(key) for key in self.args), name="path")

    def write(self, value: Expression, need: Need) -> Expression:
        entries = (
            ex.Entry(Literal("SCRIPT_NAME"), Literal("")),
            ex.Entry(Literal("PATH_INFO"), helper("path_info", value)),
        )
        return ex.Mapping(entries)

    def losses(self, field: str) -> tuple[Loss, ...]:
        offered = "raw_target" if self.args else ""
        return tuple(replace(loss, unless=offered) for loss in (ENCODED_SLASH, SPELLING_OF_PATH))

    def inline(self, stands: Stands) -> ByHand | None:
        def path(environ: Expression) -> Expression:
            as_bytes = ex.method(ex.Item(environ, Literal("PATH_INFO")), "encode", Literal("latin-1"))
            return ex.standard("urllib.parse.quote", as_bytes, safe=Literal("/!$&'()*+,;=:@~"))

        return None if self.args else stands.at.over(path, "str")


class EnvironHeaders(Lens):
    """Header fields in a CGI-style environment: `HTTP_*` and `CONTENT_TYPE` (PEP 3333, RFC 3875 §4.1.18)."""

    __slots__ = ()
    name, holds, spread, folded = "environ_headers", ("pairs",), True, True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("environ_headers", at)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("headers_in_environ", value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            joined_loss(field),
            Loss(
                "header-underscore",
                field,
                "the name of a header field holds `_`",
                "it can't be told from `-`, and many servers drop the field",
                lambda fields: any("_" in name for name, _ in fields["headers"]),
            ),
        )

    def look_up(self, at: ByHand, wanted: Lookup) -> ByHand | None:
        if wanted.constant is None:
            return None
        named = wanted.constant.upper().replace("-", "_")
        is_type = named == "CONTENT_TYPE"  # which may be there and empty (RFC 3875 §4.1.3)
        variable = Literal(named if is_type else f"HTTP_{named}")
        if wanted.how is How.HAS and is_type:
            return at.over(lambda environ: ex.built_in("bool", ex.method(environ, "get", variable)), "bool")
        if wanted.how is How.HAS:
            return at.over(lambda environ: ex.contains(variable, environ), "bool")
        if wanted.how is How.EVERY:
            return at.over(lambda environ: one_or_none(environ, variable), "list")
        if is_type:
            return at.over(lambda environ: ex.either(ex.method(environ, "get", variable), wanted.or_none))
        return at.over(lambda environ: wanted.get(environ, variable))


class Authority(Lens):
    """Host and port in a CGI-style environment."""

    __slots__ = ()
    name, holds, needs, spread = "environ_authority", ("text",), ("scheme",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("authority_of", at)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("server_in_environ", value, need("scheme"))

    def losses(self, field: str) -> tuple[Loss, ...]:
        when, effect = "a request names no host", "it arrives with the server's own"
        return (Loss("no-host", field, when, effect, lambda fields: not fields[field]),)


class StatusLine(TwoHelpers):
    """A status code with its reason phrase, as text."""

    __slots__ = ()
    name, holds, reader, writer = "status_line", ("integer",), "status_from_line", "status_line"


class WireHeaders(Lens):
    """A reply's header list as a WSGI server takes it (PEP 3333): no hop-by-hop fields, and the content's length."""

    __slots__ = ()
    name, holds, needs = "wire_headers", ("pairs",), ("status", "body")

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("headers_from_wire", at)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("wire_headers", value, *(need(field) for field in self.needs))

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


# --- scopes and messages (ASGI 3.0) ----------------------------------------------------------------------------------


class ScopePath(Lens):
    """The path in an ASGI scope: decoded under `path`, and as it came under `raw_path` where the server offers it."""

    __slots__ = ()
    name, holds, spread = "scope_path", ("text",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("path_in_scope", at, name="path")

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("scope_path", value)

    def on_file(self) -> Lens:
        return ScopePathOnFile()


class ScopePathOnFile(ScopePath):
    """The same in JSON, the raw path as text."""

    __slots__ = ()
    name = "scope_path_text"

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("scope_path_text", value)


class HeaderLines(Lens):
    """A request's header fields as pairs of bytes, names in lower case, with Host and the content's length."""

    __slots__ = ()
    name, holds, needs = "header_lines", ("pairs",), ("authority", "body")

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("pairs_from_lines", at, name="headers")

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("request_lines", value, need("authority"), need("body"))

    def on_file(self) -> Lens:
        return HeaderLinesOnFile()

    def look_up(self, at: ByHand, wanted: Lookup) -> ByHand | None:
        if wanted.constant is None:
            return None
        key = Literal(wanted.constant.lower().encode())
        decoded = ex.method(VALUE, "decode", Literal("latin-1"))
        return picked(at, wanted, ex.Operation("==", (NAME, key)), decoded)


class HeaderLinesOnFile(HeaderLines):
    """The same in JSON, as pairs of text."""

    __slots__ = ()
    name = "header_lines_text"

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("pairs_without_host", at, name="headers")

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("pairs_with_host", value, need("authority"), need("body"))

    def look_up(self, at: ByHand, wanted: Lookup) -> ByHand | None:
        return None


class HostLine(Lens):
    """The Host field among header lines; another row fills them."""

    __slots__ = ()
    name, holds, reads_only = "host_line", ("text",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("host_in_lines", at)


class ReplyLines(WireHeaders):
    """A reply's header fields as pairs of bytes, as an ASGI server takes them."""

    __slots__ = ()
    name = "reply_lines"

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("headers_from_wire", helper("pairs_from_lines", at))

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("lines_from_pairs", WireHeaders.write(self, value, need))


class HostAndPort(TwoHelpers):
    """An address as a pair of host and port, or nothing; the port is not told."""

    __slots__ = ()
    name, holds, reader, writer = "host_and_port", ("text",), "host_of_pair", "pair_of_host"

    def inline(self, stands: Stands) -> ByHand | None:
        nothing = Literal(("",))
        return stands.at.over(lambda at: ex.first(ex.either(at, nothing)), "str")


class ServerPair(Lens):
    """Host and port of the server, as a pair; `derived` only."""

    __slots__ = ()
    name, holds, needs, derived_only = "server_pair", ("text",), ("scheme",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return ex.first(at)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("server_pair", value, need("scheme"))


class AsyncPieces(Lens):
    """Bytes that come piece by piece from the object at the place, which is gone through asynchronously."""

    __slots__ = ()
    name, holds, spread, awaited = "async_pieces", ("bytes",), True, True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return ex.Await(helper("bytes_of_async_pieces", at), name="body")

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("async_pieces_of", value)

    def on_file(self) -> Lens:
        return FileBytes()


class Secure(TwoHelpers):
    """A scheme told by whether the connection is encrypted: true is https; false, or nothing, is http."""

    __slots__ = ()
    name, holds, reader, writer = "secure", ("text",), "scheme_if_secure", "is_secure"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            Loss(
                "scheme-other",
                field,
                "the scheme is neither http nor https",
                "it arrives as http",
                lambda fields: fields[field] not in ("http", "https"),
                tried=True,  # what is read anywhere is one of the two
            ),
        )


# --- the platform's own objects (WHATWG Fetch and URL) ---------------------------------------------------------------

#: What the URL standard spells anew in a path or a query: dots as segments, backslashes, what it percent-encodes.
_SPELT_ANEW: Final = re.compile(r"(?:^|/)(?:\.|%2[eE]){1,2}(?=/|$|\?)|[\\\s\"<>^`{|}]|[^\x21-\x7e]")


class WholeUrl(Lens):
    """A whole URL, of which this reads the path and the query; `url_part` reads its scheme and its authority."""

    __slots__ = ()
    name, holds, needs = "url", ("text",), ("scheme", "authority")

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("target_of_url", at, name="target")

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("url_of", need("scheme"), need("authority"), value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        def spelt_anew(fields: Fields) -> bool:
            target = helpers.target_of(fields["path.raw"], fields["query.raw"])
            return bool(_SPELT_ANEW.search(target)) or not target.startswith("/")

        return (
            Loss(
                "url-spelt-anew",
                field,
                "the path holds `.` or `..` as a segment, or what the URL standard spells in another way",
                "it arrives as the standard resolves and spells it",
                spelt_anew,
            ),
        )


class UrlPart(Lens):
    """The scheme or the authority of a whole URL that stands at the same place."""

    __slots__ = ()
    name, takes, fewest, most, holds, reads_only = "url_part", "scheme or authority", 1, 1, ("text",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        if self.args[0] not in ("scheme", "authority"):
            raise LensError(f"{self.args[0]!r} is no part of a URL that this reads: use scheme or authority")
        return helper(f"{self.args[0]}_of_url", at, name=str(self.args[0]))

    def losses(self, field: str) -> tuple[Loss, ...]:
        if field != "authority":
            return ()
        return (
            Loss(
                "no-authority",
                field,
                "the request names no host, or one that is spelt in another way than usual",
                "it arrives as `localhost`, or as the URL standard spells it",
                lambda fields: (
                    not re.fullmatch(r"[a-z0-9.-]+(:\d{2,5})?", fields["authority"])
                    or bool(re.search(r":(80|443)$", fields["authority"]))
                ),
            ),
        )


class WebHeaders(Lens):
    """Header fields as the platform keeps them: names in lower case and sorted, repeats joined, Set-Cookie apart."""

    __slots__ = ()
    name, holds = "web_headers", ("pairs",)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("pairs_of", at)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("web_headers", value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        def unsorted(fields: Fields) -> bool:
            names = [name.lower() for name, _ in fields["headers"]]
            return names != sorted(names)

        return (
            joined_loss(field),
            Loss(
                "headers-sorted",
                field,
                "header fields don't come sorted by their names",
                "they arrive sorted by their names, those of one name in order",
                unsorted,
                harmless=True,
            ),
        )


class RequestBody(PlainBytes):
    """A request's content where the method allows one: the platform's requests have none with GET and HEAD."""

    __slots__ = ()
    name = "request_body"

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("buffer_of", at)

    def write(self, value: Expression, need: Need) -> Expression:
        if isinstance(value, ex.Call) and value.function == ex.Helper("buffer_of"):
            return value.arguments[0]  # what stands at such a place there is what it is here
        return helper("octets_of", value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            Loss(
                "no-content-with-get",
                field,
                "a GET or HEAD request has content",
                "it arrives without",
                lambda fields: fields["method"] in ("GET", "HEAD") and bool(fields["body"]),
            ),
        )


class ArrayBuffer(PlainBytes):
    """Bytes as the platform hands them out bare, to be looked at through an array of some type."""

    __slots__ = ()
    name = "array_buffer"

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("bytes_of", at, Literal(""))

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("array_buffer", value)


class WebText(Lens):
    """Content as text as the platform's own objects read it: UTF-8 whatever its type says (WHATWG Fetch §5.3)."""

    __slots__ = ()
    name, holds, derived_only, content, gives = "web_text", ("bytes",), True, "text", "text"

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("web_text", value)


class WebJson(Lens):
    """Content as JSON as the platform's own objects read it: UTF-8 whatever its type says (WHATWG Fetch §5.3)."""

    __slots__ = ()
    name, holds, derived_only, content = "web_json", ("bytes",), True, "json"

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("web_json", value)


class ResponseBody(PlainBytes):
    """A reply's content, nothing where its status has none."""

    __slots__ = ()
    name, needs = "response_body", ("status",)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("buffer_of", at)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("content_or_null", value, need("status"))
