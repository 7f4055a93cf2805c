"""Events as whole HTTP/1.1 requests on file (message/http, RFC 9112 §10.1), by the CloudEvents HTTP binding."""

from __future__ import annotations

import re
from typing import Any

from vast_ferry.events.cloud_events import Mode, from_http, to_http
from vast_ferry.events.native import parse_json
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.mapping.places import Item
from vast_ferry.profiles.profile import Profile

_REQUEST_LINE = re.compile(rb"[A-Z]+ \S+ HTTP/1\.1\r?\n")


def is_message(data: bytes) -> bool:
    """Tell whether data begins as an HTTP request does."""
    return _REQUEST_LINE.match(data) is not None


def carries_events(headers: list[tuple[str, str]]) -> bool:
    """Tell whether a request's header fields say that it carries CloudEvents."""
    named = dict(headers)
    return "ce-specversion" in named or named.get("content-type", "").startswith("application/cloudevents")


def read_message(data: bytes, profile: Profile, shown: str) -> list[dict[str, Any]]:
    """Return the events that an HTTP request carries, as a profile of that format has them on file.

    Raises BadInput for what is no request, or carries no event.
    """
    from vast_ferry.events.http_message import read_request  # most events come without; its parser starts slowly

    needs_format(profile, shown)
    request = read_request(data, "", shown)
    try:
        events = from_http(
            request.headers, request.body, lambda content: parse_json(content, shown, "the content of the request")
        )
    except ValueError as error:
        raise BadInput(
            f"the request carries no event: {error}", "Give one in a mode of the HTTP binding", Place(shown)
        ) from None
    whole = {
        row.at.steps[0].key
        for kind in profile.kinds.values()
        for row in kind.event.rows
        if len(row.at.steps) == 1
        and isinstance(row.at.steps[0], Item)
        and kind.event.fields[row.field].holds == "integer"
    }

    # A header field says nothing of types: what the profile knows as a whole number is read as one.
    def of_its_type(name: str, value: Any) -> Any:
        numeric = name in whole and isinstance(value, str) and re.fullmatch(r"-?\d{1,10}", value)
        return int(value) if numeric else value

    return [{name: of_its_type(name, value) for name, value in event.items()} for event in events]


def write_message(events: list[Any], profile: Profile, mode: Mode) -> bytes:
    """Return the HTTP request that carries events; raises BadInput where the mode can't."""
    needs_format(profile, "--mode")
    try:
        headers, body = to_http(events, mode)
    except ValueError as error:
        raise BadInput(str(error), "Use --mode batched, or convert one at a time") from None
    lines = ["POST / HTTP/1.1", "host: localhost", *(f"{name}: {value}" for name, value in headers)]
    lines += [f"content-length: {len(body)}", "", ""]
    return "\r\n".join(lines).encode("latin-1") + body


def needs_format(profile: Profile, shown: str) -> None:
    """Raise BadInput for a provider whose events are not kept in that format."""
    if profile.model.format != "cloudevents":
        raise BadInput(
            f"events of {profile.title} don't travel as HTTP messages of their own", "Give cloudevents", Place(shown)
        )
