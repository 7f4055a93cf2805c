"""Raw HTTP/1.1 requests on file (message/http, RFC 9112 §10.1) as hub events; parsed by h11."""

from __future__ import annotations

from pathlib import Path

import h11

from vast_ferry.documents.document import read_file
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.hub.http import HttpEvent
from vast_ferry.mapping.helpers import FRAMING

#: What a message does not say of itself, always the same; the address is one for examples (RFC 5737).
CLIENT = "198.51.100.7"
TIME = "2026-01-01T12:00:00.000Z"

LARGEST = 64 * 1024 * 1024


def read_request(data: bytes, name: str, shown: str) -> HttpEvent:
    """Return the request that `data` is, as an event with the id `name`.

    Host becomes the authority, framing fields go (the content says them), header names are in lower case. Raises
    BadInput where it is not one whole HTTP/1.1 request.
    """
    connection = h11.Connection(h11.SERVER, max_incomplete_event_size=1024 * 1024)
    connection.receive_data(data)
    connection.receive_data(b"")
    request: h11.Request | None = None
    body: list[bytes] = []
    try:
        while True:
            event = connection.next_event()
            if isinstance(event, h11.Request):
                request = event
            elif isinstance(event, h11.Data):
                body.append(bytes(event.data))
            elif isinstance(event, h11.EndOfMessage):
                break
            else:
                raise h11.RemoteProtocolError("the request line or the header fields are not complete")
    except h11.RemoteProtocolError as error:
        line = data[: data.find(b"\n\n") + 1 or len(data)].count(b"\n") + 1 if request else 1
        why = str(error).replace("peer unexpectedly closed connection", "it ends before it is complete")
        raise BadInput(
            f"the sample is not an HTTP request: {why}",
            "Begin it with a line such as GET /path HTTP/1.1, then header fields, an empty line, and the content",
            Place(shown, line),
        ) from None
    rest = connection.trailing_data[0]
    if rest.strip():
        raise BadInput(
            f"{len(rest)} bytes follow the content of the request",
            "Correct its Content-Length, or keep one request a file",
            Place(shown, data[: len(data) - len(rest)].count(b"\n") + 1),
        )
    return _event(request, b"".join(body), name, shown)


def _event(request: h11.Request | None, body: bytes, name: str, shown: str) -> HttpEvent:
    assert request is not None
    headers = [(key.decode("ascii"), value.decode("latin-1")) for key, value in request.headers]
    target = request.target.decode("latin-1")
    authority = next((value for key, value in headers if key == "host"), "")
    if not target.startswith("/"):  # absolute form, RFC 9112 section 3.2.2: its authority wins
        scheme, mark, rest = target.partition("://")
        if not mark:
            raise BadInput(
                f"the target {target!r} is neither a path nor a URI", "Begin it with a slash", Place(shown, 1)
            )
        authority, slash, path = rest.partition("/")
        target = f"/{path}" if slash else "/"
    else:
        scheme = "https"
    path, _, query = target.partition("?")
    return HttpEvent(
        id=name,
        time=TIME,
        method=request.method.decode("ascii"),
        scheme=scheme,
        authority=authority,
        path=path,
        query=query,
        headers=[(key, value) for key, value in headers if key != "host" and key not in FRAMING],
        body=body,
        client=CLIENT,
    )


def read_request_file(path: Path, name: str, shown: str) -> HttpEvent:
    """Return the request in a file."""
    return read_request(read_file(path, shown, "the sample", LARGEST), name, shown)
