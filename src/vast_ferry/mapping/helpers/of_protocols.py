"""What translations call where requests and answers travel as a protocol has them: ASGI 3.0, CGI (RFC 3875), Fetch."""

from __future__ import annotations

import functools
import re
import urllib.parse
from collections.abc import Callable, Iterable
from typing import Any

from vast_ferry.mapping.helpers.of_http import (
    FRAMING,
    HEADER_NAME,
    decode_path,
    encode_path,
    server_in_environ,
    status_line,
)

# --- answers that travel as messages (ASGI 3.0) or as a document (RFC 3875 §6) ---------------------------------------


def reply_from_messages(messages: Iterable[dict[str, Any]]) -> dict[str, Any]:
    """Return status, headers and body of the messages of an HTTP response."""
    start: dict[str, Any] | None = None
    body: list[bytes] = []
    for message in messages:
        if message["type"] == "http.response.start":
            start = message
        elif message["type"] == "http.response.body":
            if start is None:
                raise RuntimeError("the handler sent content before it sent a status")
            body.append(message.get("body", b""))
    if start is None:
        raise RuntimeError("the handler never sent a response")
    return {"status": start["status"], "headers": list(start.get("headers", ())), "body": b"".join(body)}


async def send_messages(send: Callable[[dict[str, Any]], Any], reply: dict[str, Any]) -> None:
    """Send a response as messages."""
    await send({"type": "http.response.start", "status": reply["status"], "headers": reply["headers"]})
    body = b"" if reply["status"] in (204, 304) else reply["body"]
    await send({"type": "http.response.body", "body": body})


def lines_from_pairs(pairs: Iterable[tuple[str, str]]) -> list[tuple[bytes, bytes]]:
    """Return header fields as bytes; values are Latin-1 (RFC 9110 section 5.5)."""
    return [(name.lower().encode("ascii"), value.encode("latin-1")) for name, value in pairs]


def pairs_from_lines(lines: Iterable[tuple[bytes, bytes]]) -> list[tuple[str, str]]:
    """Return header fields as text, names in lower case, without Host and framing fields."""
    pairs = [(bytes(name).decode("latin-1").lower(), bytes(value).decode("latin-1")) for name, value in lines]
    return pairs_without_host(pairs)


def pairs_without_host(pairs: Iterable[Any]) -> list[tuple[str, str]]:
    """Return header fields without Host and framing fields."""
    return [(name, value) for name, value in pairs if name != "host" and name not in FRAMING]


def pairs_with_host(pairs: Iterable[tuple[str, str]], authority: str, body: bytes) -> list[tuple[str, str]]:
    """Return a request's header fields with Host, and the length of a content where there is one."""
    host = [("host", authority)] if authority else []
    return [*host, *pairs, *([("content-length", str(len(body)))] if body else [])]


def request_lines(pairs: Iterable[tuple[str, str]], authority: str, body: bytes) -> list[tuple[bytes, bytes]]:
    """Return a request's header fields as pairs of bytes."""
    return lines_from_pairs(pairs_with_host(pairs, authority, body))


def host_in_lines(lines: Iterable[Any]) -> str:
    """Return the value of the Host field."""
    for name, value in lines:
        if name == b"host":
            return bytes(value).decode("latin-1")
        if name == "host":
            return str(value)
    return ""


def text_from_latin(data: bytes) -> str:
    """Return bytes as text, a character a byte."""
    return bytes(data).decode("latin-1")


def latin_of(text: str) -> bytes:
    """Return text as bytes, a character a byte."""
    return text.encode("latin-1")


def scope_path(raw: str) -> dict[str, Any]:
    """Return a raw path as an ASGI scope holds it."""
    return {"path": decode_path(raw), "raw_path": raw.encode("latin-1")}


def scope_path_text(raw: str) -> dict[str, Any]:
    """Return a raw path as an ASGI scope on file holds it."""
    return {"path": decode_path(raw), "raw_path": raw}


def path_in_scope(scope: dict[str, Any]) -> str:
    """Return the raw path of an ASGI request, below the place where the application is mounted."""
    offered = scope.get("raw_path")
    if not offered:
        raw = encode_path(scope["path"])
    else:
        raw = offered if isinstance(offered, str) else bytes(offered).decode("latin-1")
        raw = raw.partition("?")[0]
    root = encode_path(scope.get("root_path", ""))
    return (raw.removeprefix(root) if root != "/" else raw) or "/"


@functools.lru_cache(maxsize=256)
def _pattern(pattern: str) -> re.Pattern[str]:
    made = []
    for part in re.split(r"(\{\w*(?:\.\.\.)?\})", pattern):
        name = part[1:-1].removesuffix("...")
        some = (".+" if name else ".*") if part.endswith("...}") else "[^/]+"
        kept = f"(?P<{name}>{some})" if name else some
        made.append(kept if part.startswith("{") else re.escape(part))
    return re.compile("".join(made), re.DOTALL)


def captured_by(pattern: str, key: str) -> dict[str, str]:
    """Return what a pattern such as `{apiary}/{day}.csv` captures of a key; `{rest...}` alone holds slashes."""
    found = _pattern(pattern).fullmatch(key)
    if found is None:
        raise ValueError(f"the key {key!r} is not like {pattern}")
    return found.groupdict()


def host_of_pair(pair: Any) -> str:
    """Return the host of a pair of host and port."""
    return str(pair[0]) if pair else ""


def pair_of_host(host: str) -> list[Any] | None:
    """Return a pair of host and port, or nothing where there is no host."""
    return [host, 0] if host else None


def server_pair(authority: str, scheme: str) -> list[Any]:
    """Return host and port of an authority."""
    named = server_in_environ(authority, scheme)
    return [named["SERVER_NAME"], int(named["SERVER_PORT"])]


async def body_from_messages(receive: Callable[[], Any]) -> bytes:
    """Return the content of a request that comes in messages."""
    parts = []
    while True:
        message = await receive()
        if message["type"] != "http.request":
            raise ConnectionError("the client went away before its request was complete")
        parts.append(message.get("body", b""))
        if not message.get("more_body"):
            return b"".join(parts)


def messages_of_body(body: bytes) -> Callable[[], Any]:
    """Return the coroutine function that gives a request's content as messages."""
    messages = [{"type": "http.request", "body": body, "more_body": False}]

    async def receive() -> dict[str, Any]:
        return messages.pop(0) if messages else {"type": "http.disconnect"}

    return receive


def reply_from_document(document: bytes) -> dict[str, Any]:
    """Return status, headers and body of a CGI response (RFC 3875 section 6)."""
    text, mark, body = _head_and_body(document)
    if not mark:
        raise ValueError("the answer has no empty line after its header fields")
    status, headers = 0, []
    for line in text.decode("latin-1").splitlines():
        name, colon, value = line.partition(":")
        if not colon or not HEADER_NAME.fullmatch(name):
            raise ValueError(f"a line of the answer is no header field: {line[:60]!r}")
        if name.lower() == "status":
            status = int(value.split()[0]) if value.split() and value.split()[0].isdecimal() else -1
        else:
            headers.append((name.lower(), value.strip()))
    # RFC 3875 section 6.2: without a status it is 302 where there is a Location of another place, else 200.
    if not status:
        status = 302 if any(name == "location" and "://" in value for name, value in headers) else 200
    return {"status": status, "headers": headers, "body": body}


def _head_and_body(document: bytes) -> tuple[bytes, bytes, bytes]:
    """Return the header fields, the empty line and the content; a line ends with LF or CR LF."""
    start = 0
    while True:
        end = document.find(b"\n", start)
        if end < 0:
            return document, b"", b""
        line = document[start:end].rstrip(b"\r")
        if not line:
            return document[:start], b"\n", document[end + 1 :]
        start = end + 1


def document_of(reply: dict[str, Any]) -> bytes:
    """Return a CGI response (RFC 3875 section 6.2.1)."""
    body: bytes = b"" if reply["status"] in (204, 304) else reply["body"]
    lines = [f"Status: {status_line(reply['status'])}", *(f"{name}: {value}" for name, value in reply["headers"])]
    if not any(name.lower() == "content-type" for name, _ in reply["headers"]) and body:
        lines.append("Content-Type: application/octet-stream")
    return "\r\n".join([*lines, "", ""]).encode("latin-1") + body


# --- requests of other protocols -------------------------------------------------------------------------------------


async def bytes_of_async_pieces(stream: Any) -> bytes:
    """Return what is gone through asynchronously, as bytes."""
    return b"".join([piece async for piece in stream])


async def async_pieces_of(body: bytes) -> Any:
    """Yield some bytes, nothing where there are none."""
    if body:
        yield body


def scheme_if_secure(secure: Any) -> str:
    """Return the scheme of a connection that is encrypted or not."""
    return "https" if secure else "http"


def is_secure(scheme: str) -> bool:
    """Tell whether a scheme's connections are encrypted."""
    return scheme == "https"


def scheme_of_url(url: str) -> str:
    """Return the scheme of a URL."""
    return url.partition("://")[0]


def authority_of_url(url: str) -> str:
    """Return the authority of a URL."""
    return re.split(r"[/?#]", url.partition("://")[2], maxsplit=1)[0]


def target_of_url(url: str) -> str:
    """Return the path and the query of a URL."""
    rest = url.partition("#")[0].partition("://")[2]
    return rest[len(authority_of_url(url)) :] or "/"


def url_of(scheme: str, authority: str, target: str) -> str:
    """Return a whole URL, as the platform's requests have it (URL standard)."""
    return f"{scheme}://{authority or 'localhost'}{as_urls_have_it(target)}"


def as_urls_have_it(target: str) -> str:
    """Return a target as the URL standard resolves and spells it: dots as segments, backslashes, what it encodes."""
    target = re.sub(r"[\t\n\r]", "", target.rstrip("".join(map(chr, range(33)))))
    path, mark, query = target.partition("#")[0].partition("?")
    segments = re.split(r"[/\\]", path)[1:]
    kept: list[str] = []
    for at, segment in enumerate(segments):
        dots = segment.lower().replace("%2e", ".")
        if dots not in (".", ".."):
            kept.append(segment)
            continue
        if dots == "..":
            kept = kept[:-1]
        if at == len(segments) - 1:
            kept.append("")
    path = urllib.parse.quote("/" + "/".join(kept), safe=_KEPT_IN_PATHS)
    return f"{path}{mark}{urllib.parse.quote(query, safe=_KEPT_IN_QUERIES)}" if query else path + mark


#: What the URL standard leaves as it is in ASCII, beside letters, digits and `_.-~`.
_KEPT_IN_PATHS = "!$%&'()*+,/:;=@[\\]|"
_KEPT_IN_QUERIES = "!$%&()*+,/:;=?@[\\]^`{|}"


def content_or_null(body: bytes, status: int) -> bytes | None:
    """Return a reply's content, nothing where it is empty or its status has none."""
    return None if status in (204, 205, 304) or not body else body
