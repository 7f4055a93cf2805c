"""What is found in a file before anyone knows whose sample it is: a request or native data, with its place."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Final
from urllib.parse import quote, urlsplit

from vast_ferry.events.http_message import CLIENT, TIME
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.hub.http import HttpEvent

#: What stands in a target as it is written: everything that can be printed, for a client sends it so.
_AS_IT_IS: Final = "".join(map(chr, range(0x21, 0x7F)))


@dataclass(frozen=True, slots=True)
class Found:
    """A request, or else `native` data (an event, or the events of a batch); `notes` is what was left out of it."""

    place: Place
    request: HttpEvent | None = None
    native: Any = None
    notes: tuple[str, ...] = ()


def request_of(
    method: str, url: str, headers: list[tuple[str, str]], body: bytes, place: Place
) -> tuple[HttpEvent, tuple[str, ...]]:
    """Return a request to a URL, and what was left out of it; raises BadInput for what is no HTTP URL."""
    notes = []
    try:
        parts = urlsplit(url if "://" in url else f"http://{url}")
        host = parts.hostname or ""
        port = f":{parts.port}" if parts.port else ""
    except ValueError as error:
        raise BadInput(f"{url!r} is no URL: {error}", "Give http:// or https://, a host and a path", place) from None
    if parts.scheme not in ("http", "https") or not host:
        raise BadInput(f"{url!r} is no HTTP URL", "Give http:// or https://, a host and a path", place)
    if parts.username or parts.password:
        notes.append("name and password in the URL")
    kept = []
    for name, value in headers:
        lower = name.strip().lower()
        if lower == "host":
            host, port = value.strip(), ""
        elif lower not in ("content-length", "transfer-encoding", "connection") and not lower.startswith(":"):
            kept.append((lower, value.strip()))
    path, query = (quote(part, safe=_AS_IT_IS) for part in (parts.path or "/", parts.query))
    made = HttpEvent("", TIME, method.upper(), parts.scheme, f"{host}{port}", path, query, headers=kept, body=body)
    return replace(made, client=CLIENT), tuple(notes)


def message_of(event: HttpEvent) -> bytes:
    """Return a request as a message (RFC 9112 §3), as samples keep it."""
    lines = [f"{event.method} {event.target} HTTP/1.1", f"host: {event.authority}"]
    lines += [f"{name}: {value}" for name, value in event.headers]
    if event.body:
        lines.append(f"content-length: {len(event.body)}")
    return "\r\n".join([*lines, "", ""]).encode("latin-1", "replace") + event.body
