"""What translations of requests and replies call: paths, queries, header fields, content, status, answers sent."""

from __future__ import annotations

import base64
import contextvars
import functools
import http
import io
import json
import re
import urllib.parse
from collections.abc import Callable, Iterable
from typing import Any

# --- paths and queries -----------------------------------------------------------------------------------------------


def decode_path(raw: str) -> str:
    """Return the path percent-decoded as UTF-8."""
    return urllib.parse.unquote(raw) if "%" in raw else raw


def encode_path(path: str) -> str:
    """Return a wire form of a decoded `path`; slashes stay slashes."""
    return urllib.parse.quote(path, safe="/!$&'()*+,;=:@~")


def parse_query(raw: str) -> list[tuple[str, str]]:
    """Return the decoded (name, value) pairs of a raw query, in order; a part without `=` has an empty value."""
    if "%" not in raw and "+" not in raw:
        return [(name, value) for name, _, value in [part.partition("=") for part in raw.split("&") if part]]
    return [
        (urllib.parse.unquote_plus(name), urllib.parse.unquote_plus(value))
        for name, _, value in [part.partition("=") for part in raw.split("&") if part]
    ]


def build_query(pairs: Iterable[tuple[str, str]]) -> str:
    """Return a wire form of decoded query `pairs` (application/x-www-form-urlencoded)."""
    return "&".join([f"{_form(name)}={_form(value)}" for name, value in pairs])


def _form(text: str) -> str:
    # Most texts need no escapes at all, and to see that is far cheaper than to make none.
    return text if not text or (text.isalnum() and text.isascii()) else urllib.parse.quote_plus(text)


#: A query that is spelt as usual: unreserved characters (RFC 3986 section 2.3), and `=` once in each part.
PLAIN_QUERY = re.compile(r"(?:(?:[A-Za-z0-9_.~-]*=[A-Za-z0-9_.~-]*)(?:&[A-Za-z0-9_.~-]*=[A-Za-z0-9_.~-]*)*)?")


def target_of(path: str, query: str) -> str:
    """Return path and query as on a request line."""
    return f"{path}?{query}" if query else path


def environ_path(environ: dict[str, Any], *offered: str) -> str:
    """Return the raw path of a WSGI request, below the place where the application is mounted.

    PEP 3333 gives PATH_INFO decoded, so the raw target is taken where the server offers one (under a key in
    `offered`) and it still says the same: something in between may have rewritten PATH_INFO.
    """
    script, path = environ.get("SCRIPT_NAME", ""), environ.get("PATH_INFO", "")
    for key in offered:
        target = environ.get(key)
        if not target:
            continue
        if not target.startswith("/"):  # absolute form, RFC 9112 section 3.2.2
            target = "/" + target.partition("://")[2].partition("/")[2]
        raw: str = target.partition("?")[0]
        decoded = urllib.parse.unquote(raw, "latin-1")
        if script and decoded == path:  # the server was told to call the program for every path
            return raw
        if decoded == script + path:
            start = 0
            while script and urllib.parse.unquote(raw[:start], "latin-1") != script and start < len(raw):
                start += 1
            return raw[start:] or "/"
    return urllib.parse.quote(path.encode("latin-1", "replace"), safe="/!$&'()*+,;=:@~") or "/"


def path_info(raw: str) -> str:
    """Return the PATH_INFO of a raw path: decoded to bytes, each byte one character (PEP 3333)."""
    return urllib.parse.unquote(raw, "latin-1") if "%" in raw else raw


@functools.lru_cache(maxsize=1024)
def route_to_style(template: str, one: str, rest: str) -> str:
    """Return an RFC 6570 route `template` with captures spelt as `one` (a segment) and `rest` (all that follows)."""
    return re.sub(
        r"\{(\+?)(\w+)\}", lambda found: (rest if found[1] else one).replace("name", found[2]), template, flags=re.ASCII
    )


@functools.lru_cache(maxsize=1024)
def route_from_style(text: str, one: str, rest: str) -> str:
    """Return the RFC 6570 template of a route whose captures are spelt as `one` and `rest`."""
    either = "|".join(re.escape(form).replace("name", rf"(?P<{kind}>\w+)") for kind, form in [("r", rest), ("o", one)])
    return re.sub(
        either,
        lambda found: f"{{+{found['r']}}}" if found["r"] else f"{{{found['o']}}}",
        text,
        flags=re.ASCII,
    )


def match_route(template: str, raw_path: str) -> dict[str, str] | None:
    """Return the decoded captures of an RFC 6570 route `template` in a raw path, or None where it does not match.

    Segments are told apart before they are decoded, so an encoded slash stays inside its segment.
    """
    wanted, given = template.split("/"), raw_path.split("/")
    captures: dict[str, str] = {}
    for index, segment in enumerate(wanted):
        if segment[:2] == "{+" and segment[-1] == "}":
            captures[segment[2:-1]] = urllib.parse.unquote("/".join(given[index:]))
            return captures if index < len(given) else None
        if index >= len(given):
            return None
        value = urllib.parse.unquote(given[index])
        if segment[:1] == "{" and segment[-1] == "}":
            if not value:
                return None
            captures[segment[1:-1]] = value
        elif value != urllib.parse.unquote(segment):
            return None
    return captures if len(wanted) == len(given) else None


def route_order(template: str) -> list[int]:
    """Return the sort key that puts the more exact of two routes first: literal, then one segment, then the rest."""
    return [2 if part[:2] == "{+" else 1 if part[:1] == "{" else 0 for part in template.split("/")]


# --- header fields ---------------------------------------------------------------------------------------------------

HOP_BY_HOP = frozenset(
    [
        "connection",
        "keep-alive",
        "proxy-authenticate",
        "proxy-authorization",
        "te",
        "trailer",
        "trailers",
        "transfer-encoding",
        "upgrade",
    ]
)
FRAMING = frozenset(["content-length", "transfer-encoding"])
HEADER_NAME = re.compile(r"[!#$%&'*+\-.^_`|~0-9A-Za-z]+")
HEADER_VALUE = re.compile(r"[\t\x20-\x7e\x80-\xff]*")


def safe_headers(headers: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return `headers` as they may go out, or raise ValueError for a field that RFC 9110 section 5 does not allow."""
    headers = list(headers)
    for name, value in headers:
        if not HEADER_NAME.fullmatch(name):
            raise ValueError(f"{name!r} can't be the name of a header field (RFC 9110 section 5.1)")
        if not HEADER_VALUE.fullmatch(value):
            raise ValueError(f"header field {name}: a value can't hold line ends, controls or non-Latin-1 text")
    return headers


def with_joined(pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Return header pairs as a mapping, names in lower case, the values of one name joined by `, ` in order."""
    joined: dict[str, str] = {}
    for name, value in pairs:
        name = name.lower()  # noqa: PLW2901
        joined[name] = f"{joined[name]}, {value}" if name in joined else value
    return joined


def from_joined(fields: dict[str, Any] | None) -> list[tuple[str, str]]:
    """Return the pairs of a mapping from header names to values; what is joined stays joined."""
    return [(name, value if isinstance(value, str) else str(value)) for name, value in (fields or {}).items()]


def first_values(pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Return each name's first value."""
    first: dict[str, str] = {}
    for name, value in pairs:
        first.setdefault(name, value)
    return first


def pairs_of(items: Iterable[Any] | None) -> list[tuple[str, str]]:
    """Return (name, value) tuples of a list of two-item lists or tuples."""
    return [(name, value) for name, value in items or ()]


def web_headers(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return header fields as the platform's `Headers` goes through them: by name, joined, Set-Cookie apart."""
    made: dict[str, list[str]] = {}
    for name, value in pairs:
        made.setdefault(name.lower(), []).append(value)
    apart = {name: values if name == "set-cookie" else [", ".join(values)] for name, values in made.items()}
    return [(name, value) for name in sorted(apart) for value in apart[name]]


def array_buffer(value: bytes) -> bytes:
    """Return bytes as the platform hands them out bare: here they are bytes already."""
    return value


def web_text(body: bytes) -> str:
    """Return the text of bytes by "UTF-8 decode" (WHATWG Encoding §6): without a mark, what is wrong as U+FFFD."""
    return body.removeprefix(b"\xef\xbb\xbf").decode("utf-8", "replace")


def web_json(body: bytes) -> Any:
    """Return the JSON value of bytes that are read as `web_text` reads them."""
    return json.loads(web_text(body))


def without(headers: list[tuple[str, str]], name: str) -> list[tuple[str, str]]:
    """Return the header fields but those called `name`."""
    return [pair for pair in headers if pair[0].lower() != name]


def without_all(headers: list[tuple[str, str]], names: Iterable[str]) -> list[tuple[str, str]]:
    """Return the header fields but those with certain names."""
    return [pair for pair in headers if pair[0].lower() not in names]


def with_fields_apart(headers: Any, names: Iterable[str], *values: Any) -> list[tuple[str, str]]:
    """Return header fields, and behind them those that stand apart, where they have a value."""
    told = [(name, str(value)) for name, value in zip(names, values, strict=True) if value not in (None, "")]
    return [*(headers or ()), *told]


def first_field(headers: list[tuple[str, str]], name: str) -> str | None:
    """Return the first value of a header field, nothing where there is none."""
    return next(iter(values_of(headers, name)), None)


def values_of(headers: list[tuple[str, str]], name: str) -> list[str]:
    """Return the values of the header fields called `name`, in order."""
    return [value for key, value in headers if key.lower() == name]


def values_asked_for(pairs: list[tuple[str, str]], name: str, folded: bool) -> list[str]:
    """Return the values of a name, its case aside where it is folded."""
    return values_of(pairs, name.lower()) if folded else [value for key, value in pairs if key == name]


def value_asked_for(pairs: list[tuple[str, str]], name: str, folded: bool, default: Any = None) -> Any:
    """Return the first value of a name, or the default."""
    return next(iter(values_asked_for(pairs, name, folded)), default)


def cookie_of(headers: list[tuple[str, str]]) -> str:
    """Return the Cookie field's value; several fields are one list (RFC 9113 section 8.2.3)."""
    return "; ".join(values_of(headers, "cookie"))


def with_cookie(headers: list[tuple[str, str]], cookie: str) -> list[tuple[str, str]]:
    """Return the header fields with a Cookie field of that value, if it has one."""
    return [*headers, ("cookie", cookie)] if cookie else headers


def split_cookies(cookie: str) -> list[str]:
    """Return the cookie-pairs of a Cookie field's value."""
    return [pair.strip() for pair in cookie.split(";")] if cookie else []


def join_cookies(cookies: Iterable[str] | None) -> str:
    """Return the Cookie field's value for cookie-pairs."""
    return "; ".join(cookies or ())


def with_set_cookies(headers: list[tuple[str, str]], cookies: Iterable[str] | None) -> list[tuple[str, str]]:
    """Return the header fields with one Set-Cookie field a value: they can't be joined (RFC 6265 section 3)."""
    return [*headers, *(("set-cookie", cookie) for cookie in cookies or ())]


#: The parts of a cookie that a server sets, and their attributes (RFC 6265 section 4.1), in the usual order.
COOKIE_PARTS = {
    "name": "",
    "value": "",
    "expires": "Expires",
    "max_age": "Max-Age",
    "domain": "Domain",
    "path": "Path",
    "secure": "Secure",
    "http_only": "HttpOnly",
    "same_site": "SameSite",
}


def cookies_of_records(records: Any, keys: dict[str, str]) -> list[str]:
    """Return the values of Set-Cookie fields of cookies as records; `keys` are the names of their parts there."""
    made = []
    for record in records or ():
        unknown = set(record) - set(keys.values())
        if unknown:
            raise ValueError(f"a cookie has no {', '.join(sorted(map(str, unknown)))}")
        text = f"{record[keys['name']]}={record.get(keys['value'], '')}"
        for part, attribute in COOKIE_PARTS.items():
            held = record.get(keys[part])
            if not attribute or held is None or held is False:
                continue
            text += f"; {attribute}" if held is True else f"; {attribute}={held}"
        made.append(text)
    return made


def records_of_cookies(cookies: Iterable[str] | None, keys: dict[str, str]) -> list[dict[str, Any]]:
    """Return the values of Set-Cookie fields as records; attributes that are not known are left out."""
    by_name = {attribute.lower(): part for part, attribute in COOKIE_PARTS.items() if attribute}
    made = []
    for cookie in cookies or ():
        pair, *attributes = cookie.split(";")
        name, _, value = pair.strip().partition("=")
        record: dict[str, Any] = {keys["name"]: name, keys["value"]: value}
        for attribute in attributes:
            own, mark, held = attribute.strip().partition("=")
            part = by_name.get(own.lower())
            if part is not None:
                record[keys[part]] = (
                    int(held) if part == "max_age" and held.lstrip("-").isdecimal() else held if mark else True
                )
        made.append(record)
    return made


def content_type_of(headers: list[tuple[str, str]]) -> str:
    """Return the Content-Type field's value, or an empty text."""
    for name, value in headers:
        if len(name) == 12 and name.lower() == "content-type":
            return value
    return ""


def environ_headers(environ: dict[str, Any]) -> list[tuple[str, str]]:
    """Return the header fields in a CGI-style environment, but Host, Cookie and framing fields (PEP 3333)."""
    pairs = [
        (key[5:].replace("_", "-").lower(), value)
        for key, value in environ.items()
        if key.startswith("HTTP_") and key not in NOT_IN_ENVIRON_HEADERS
    ]
    if environ.get("CONTENT_TYPE"):
        pairs.append(("content-type", environ["CONTENT_TYPE"]))
    return pairs


NOT_IN_ENVIRON_HEADERS = frozenset(["HTTP_HOST", "HTTP_COOKIE", "HTTP_CONTENT_LENGTH", "HTTP_TRANSFER_ENCODING"])


def headers_in_environ(pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Return header pairs as a CGI-style environment holds them: repeats joined, `-` and `_` alike."""
    environ: dict[str, str] = {}
    for name, value in pairs:
        key = name.upper().replace("-", "_")
        key = key if key == "CONTENT_TYPE" else f"HTTP_{key}"
        environ[key] = f"{environ[key]}, {value}" if key in environ else value
    return environ


def wire_headers(pairs: Iterable[tuple[str, str]], status: int, body: bytes) -> list[tuple[str, str]]:
    """Return header fields as a WSGI server takes them, with the content's length.

    Hop-by-hop fields are the server's own (PEP 3333), and a reply that can have no content tells no type of it.
    """
    kept = [(name, value) for name, value in pairs if name.lower() not in HOP_BY_HOP and name.lower() not in FRAMING]
    if status in (204, 304):
        return [(name, value) for name, value in kept if name.lower() != "content-type"]
    return [*kept, ("content-length", str(len(body)))]


def headers_from_wire(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return header fields without those that only frame the content."""
    return [(name, value) for name, value in pairs if name.lower() not in FRAMING]


def server_in_environ(authority: str, scheme: str) -> dict[str, str]:
    """Return the server's name and port in an environment, and the Host field."""
    name, colon, port = authority.rpartition(":")
    if not colon or not port.isdigit():
        name, port = authority, "443" if scheme == "https" else "80"
    named = {"SERVER_NAME": name or "localhost", "SERVER_PORT": port}
    return {**named, "HTTP_HOST": authority} if authority else named


# --- content ---------------------------------------------------------------------------------------------------------


@functools.lru_cache(maxsize=256)
def charset_of(content_type: str) -> str:
    """Return the charset that a content type names, or `utf-8`."""
    found = re.search(r";\s*charset\s*=\s*\"?([^\s;\"]+)", content_type, re.IGNORECASE)
    charset = found[1] if found else "utf-8"
    try:
        return charset if "x".encode(charset) else "utf-8"
    except (LookupError, ValueError):
        return "utf-8"


@functools.lru_cache(maxsize=256)
def text_charset(content_type: str) -> str:
    """Return the charset of a textual content type (text, JSON, XML, a form), or an empty text for any other."""
    media = content_type.partition(";")[0].strip().lower()
    textual = (
        media.startswith("text/")
        or media in ("application/json", "application/xml", "application/x-www-form-urlencoded")
        or media.endswith(("+json", "+xml"))
    )
    return charset_of(content_type) if textual else ""


def text_or_packed(body: bytes, content_type: str) -> tuple[str, bool]:
    """Return (text, False) for textual content that its charset decodes, else (Base64, True)."""
    if not body:
        return "", False
    charset = text_charset(content_type)
    if charset:
        try:
            text = body.decode(charset)
            # Decoding may drop a byte order mark; only what comes back unchanged goes as text.
            if charset == "utf-8" or text.encode(charset) == body:
                return text, False
        except (UnicodeError, LookupError):
            pass
    return base64.b64encode(body).decode("ascii"), True


def from_text_or_packed(content: str | None, packed: object, content_type: str) -> bytes:
    """Return the bytes of a content given as text, or as Base64 where it is `packed`."""
    if not content:
        return b""
    if packed:
        return base64.b64decode(content, validate=True)
    return content.encode(charset_of(content_type))


def body_text(body: bytes, content_type: str) -> str:
    """Return the content as text, by the charset of its type; bytes that it can't decode become U+FFFD."""
    return body.decode(charset_of(content_type), "replace")


def text_body(text: str, content_type: str) -> bytes:
    """Return the bytes of a text, by the charset of the content's type; none of an empty one, where that has a mark."""
    return text.encode(charset_of(content_type)) if text else b""


def body_json(body: bytes) -> Any:
    """Return the JSON value of the content (RFC 8259)."""
    return json.loads(body)


def file_bytes(body: bytes) -> str | dict[str, str]:
    """Return bytes as an event on file holds them: text if they are UTF-8, else Base64 under that name."""
    try:
        return body.decode()
    except UnicodeDecodeError:
        return {"base64": base64.b64encode(body).decode("ascii")}


def bytes_on_file(content: str | dict[str, str] | None) -> bytes:
    """Return the bytes that an event on file holds."""
    if isinstance(content, dict):
        return base64.b64decode(content["base64"], validate=True)
    return (content or "").encode()


def bytes_of(content: Any, content_type: str) -> bytes:
    """Return the bytes of a content that may be bytes, text or nothing."""
    if isinstance(content, str):
        return content.encode(charset_of(content_type))
    if content is None or isinstance(content, bytes | bytearray | memoryview):
        return bytes(content or b"")
    raise TypeError(f"content is text or bytes, not {type(content).__name__}")


def octets_of(body: bytes) -> bytes:
    """Return bytes as a platform's own objects give them: the same here."""
    return body


def buffer_of(octets: bytes | None) -> bytes:
    """Return bytes that a platform's own objects gave, as handlers have them elsewhere; none where it gave nothing."""
    return octets or b""


async def _gathered(pieces: Any) -> list[Any]:
    return [piece async for piece in pieces]


def bytes_of_pieces(content: Any, content_type: str) -> bytes:
    """Return the bytes of a content that may also come piece by piece, from a generator or an asynchronous one."""
    import asyncio
    from concurrent.futures import ThreadPoolExecutor

    if hasattr(content, "__aiter__"):
        # In a thread of its own: a loop may be running in this one.
        with ThreadPoolExecutor(1) as pool:
            content = pool.submit(contextvars.copy_context().run, asyncio.run, _gathered(content)).result()
    elif not hasattr(content, "__next__"):
        return bytes_of(content, content_type)
    return b"".join(bytes_of(piece, content_type) for piece in content)


def with_default_type(headers: list[tuple[str, str]], is_text: bool, text: str, binary: str) -> list[tuple[str, str]]:
    """Return the header fields with a Content-Type, if they name none: `text` for text, else `binary`."""
    return headers if content_type_of(headers) else [*headers, ("content-type", text if is_text else binary)]


def read_stream(stream: Any, length: str | None) -> bytes:
    """Return the content of a request from its input stream (PEP 3333: no more than CONTENT_LENGTH may be read)."""
    data: bytes = stream.read(int(length)) if length and stream is not None else b""
    return data


def stream_of(body: bytes) -> io.BytesIO:
    """Return an input stream that gives `body`."""
    return io.BytesIO(body)


def drain(chunks: Iterable[bytes]) -> bytes:
    """Return all that an application's iterable gives, and close it (PEP 3333)."""
    try:
        return b"".join(chunks)
    finally:
        close: Callable[[], None] | None = getattr(chunks, "close", None)
        if close is not None:
            close()


def content_chunks(body: bytes, method: str, status: int) -> list[bytes]:
    """Return the content to send, nothing for HEAD, 204 and 304 (RFC 9110 sections 9.3.2, 15.3.5, 15.4.5)."""
    return [] if method == "HEAD" or status in (204, 304) or not body else [body]


# --- status ----------------------------------------------------------------------------------------------------------


def final_status(code: Any) -> int:
    """Return `code` if it can be a final status (RFC 9110 section 15), or raise."""
    if not isinstance(code, int) or isinstance(code, bool):
        raise TypeError(f"a status is an integer, not {type(code).__name__}")
    if not 200 <= code <= 599:
        raise ValueError(f"{code} can't be the status of a final reply (200 to 599)")
    return int(code)


@functools.lru_cache(maxsize=512)
def status_line(status: int) -> str:
    """Return `status` with its reason phrase."""
    try:
        return f"{status} {http.HTTPStatus(status).phrase}"
    except ValueError:
        return f"{status} Unassigned"


def status_from_line(line: str) -> int:
    """Return the status code of a status line."""
    return int(line[:3])


# --- captures by position and name (wsgi.org routing_args) -----------------------------------------------------------


def routing_args(captures: dict[str, str]) -> tuple[tuple[()], dict[str, str]]:
    """Return captures as a router leaves them in an environment."""
    return (), captures


def captures_of(args: Any) -> dict[str, str]:
    """Return the captures by name that a router left, if one did."""
    return dict(args[1]) if args else {}
