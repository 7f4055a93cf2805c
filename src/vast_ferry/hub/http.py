"""HTTP events and replies as hub data (RFC 9110); decoded forms are properties that are worked out on demand."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any
from urllib.parse import unquote

from vast_ferry.hub.fields import Pairs


@dataclass(frozen=True, slots=True)
class HttpEvent:
    """One HTTP request as a handler's event.

    `path` and `query` are as they came on the wire; `headers` are ordered (name, value) pairs that may repeat, names in
    lower case, without Host (that is `authority`) and framing fields (they follow from `body`).

    >>> event = HttpEvent(path="/hives/h%2F7/weight", query="day=mon&day=tue&unit=")
    >>> event.decoded_path
    '/hives/h/7/weight'
    """

    id: str = ""
    time: str = ""
    method: str = "GET"
    scheme: str = "https"
    authority: str = ""
    path: str = "/"
    query: str = ""
    route: str = ""
    captures: dict[str, str] = field(default_factory=dict)
    headers: Pairs = field(default_factory=list)
    body: bytes = b""
    client: str = ""
    principal: dict[str, Any] | None = None

    @property
    def decoded_path(self) -> str:
        """Return the path, percent-decoded as UTF-8 (RFC 3986 §2.1): an encoded slash can't be told from a slash."""
        return unquote(self.path)

    @property
    def target(self) -> str:
        """Return path and query as they stand on the request line (RFC 9112 §3.2.1)."""
        return f"{self.path}?{self.query}" if self.query else self.path

    def as_fields(self) -> dict[str, Any]:
        """Return hub field name → value for every truth, as compiled translations take it."""
        return {
            "id": self.id,
            "time": self.time,
            "method": self.method,
            "scheme": self.scheme,
            "authority": self.authority,
            "path.raw": self.path,
            "query.raw": self.query,
            "route": self.route,
            "captures": dict(self.captures),
            "headers": list(self.headers),
            "body": self.body,
            "client": self.client,
            "principal": self.principal,
        }

    @classmethod
    def from_fields(cls, fields: dict[str, Any]) -> HttpEvent:
        """Return the event that `fields` (hub field name → value) says; what is missing takes its default."""
        names = {"path.raw": "path", "query.raw": "query"}
        known = cls.__dataclass_fields__
        given = {names.get(name, name): value for name, value in fields.items()}
        event = {name: value for name, value in given.items() if name in known}
        event["headers"] = [(name, value) for name, value in event.get("headers", [])]
        return cls(**event)


#: The names of an event's fields, as `as_fields` has them.
TRUTHS = frozenset(HttpEvent().as_fields())


@dataclass(frozen=True, slots=True)
class HttpReply:
    """One HTTP reply: final `status`, `headers` as ordered pairs with every Set-Cookie apart, `body` as bytes."""

    status: int = 200
    headers: Pairs = field(default_factory=list)
    body: bytes = b""

    @classmethod
    def from_fields(cls, fields: dict[str, Any]) -> HttpReply:
        """Return the reply that `fields` (hub field name → value) says."""
        return cls(fields["status"], [(name, value) for name, value in fields["headers"]], fields["body"])

    def values(self, name: str) -> list[str]:
        """Return every value of the header field `name`, in order; names have no case (RFC 9110 §5.1)."""
        return [value for key, value in self.headers if key.lower() == name.lower()]
