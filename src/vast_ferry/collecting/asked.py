"""A request as an API description asks for it (OpenAPI 3.0, 3.1): values by where they stand, and what is sent."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Final
from urllib.parse import quote, urlencode

from vast_ferry.collecting.found import request_of
from vast_ferry.hub.findings import Place
from vast_ferry.hub.http import HttpEvent

HOST: Final = "https://api.example"
_FORM: Final = "application/x-www-form-urlencoded"


@dataclass(slots=True)
class Asked:
    """Where the values of an operation's parameters stand in a request; `path` is its template."""

    path: str
    query: list[tuple[str, str]] = field(default_factory=list)
    headers: list[tuple[str, str]] = field(default_factory=list)
    cookies: list[str] = field(default_factory=list)

    def put(self, where: str, name: str, values: Sequence[Any]) -> None:
        """Put the values of a parameter where they stand, each once: what is a list is one parameter's several."""
        lists = [[_text(part) for part in (value if isinstance(value, list) else [value])] for value in values]
        texts = [text for several in lists for text in several]
        if where == "path" and texts:
            self.path = self.path.replace(f"{{{name}}}", quote(texts[0], safe="") or "a")
        elif where == "query":
            self.query += [(name, text) for text in texts]
        elif where == "header":
            self.headers += [(name, _sendable(", ".join(several))) for several in lists]
        elif where == "cookie":
            self.cookies += [f"{name}={quote(text)}" for text in texts]

    def sent(self, method: str, typed: str, content: Any, place: Place) -> HttpEvent:
        """Return the request as it is sent, with a content if it is `typed`; bytes are sent as they are."""
        headers = [*self.headers, *([("cookie", "; ".join(self.cookies))] if self.cookies else [])]
        body = b""
        if typed:
            headers.append(("content-type", _sendable(typed)))
            body = _body(typed, content)
        path = self.path.replace("{", "").replace("}", "")
        url = f"{HOST}{path}" + (f"?{urlencode(self.query)}" if self.query else "")
        return request_of(method, url, headers, body, place)[0]


def _body(typed: str, content: Any) -> bytes:
    if isinstance(content, bytes):
        return content
    if typed.startswith(_FORM) and isinstance(content, dict):
        return urlencode(content, doseq=True).encode()
    plain = isinstance(content, str) and "json" not in typed
    return (content if plain else json.dumps(content, ensure_ascii=False)).encode("utf-8", "surrogatepass")


def _text(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value)


def _sendable(text: str) -> str:
    """Return what of a text can stand in a header field."""
    return "".join(one for one in text if one.isprintable() and ord(one) < 256).strip()
