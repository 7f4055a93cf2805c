"""Requests out of the examples of an API description (OpenAPI 3.0 and 3.1): one for each example of a content."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Final
from urllib.parse import quote, urlencode

from vast_ferry.collecting.found import Found, request_of
from vast_ferry.collecting.schema_values import resolved
from vast_ferry.hub.findings import Place

METHODS: Final = ("get", "put", "post", "delete", "options", "head", "patch", "trace")
HOST: Final = "https://api.example"


def is_description(data: Any) -> bool:
    """Tell whether a value is an OpenAPI description."""
    return isinstance(data, dict) and isinstance(data.get("openapi"), str) and isinstance(data.get("paths"), dict)


def described_requests(data: Mapping[str, Any], shown: str) -> Iterator[Found]:
    """Yield the requests that a description gives examples of; one lacks what no example, default or value says."""
    for path, item in data["paths"].items():
        for method in METHODS:
            operation = item.get(method) if isinstance(item, dict) else None
            if not isinstance(operation, dict):
                continue
            place = Place(f"{shown}, {method.upper()} {path}")
            shared = [*_list(item.get("parameters")), *_list(operation.get("parameters"))]
            told = _Parameters(path)
            for one in shared:
                told.take(data, resolved(data, one))
            for content in _contents(data, operation):
                yield _request(place, method, told, content)


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _examples(data: Mapping[str, Any], one: Any) -> list[Any]:
    """Return the examples of a parameter or a content, or what its schema gives for one."""
    if not isinstance(one, dict):
        return []
    if "example" in one:
        return [one["example"]]
    named = one.get("examples")
    if isinstance(named, dict) and named:
        found = [resolved(data, each) for each in named.values()]
        return [each["value"] for each in found if isinstance(each, dict) and "value" in each]
    schema = resolved(data, one.get("schema"))
    made = _of_schema(data, schema, 6)
    return [] if made is _NOTHING else [made]


_NOTHING: Final = object()


def _of_schema(data: Mapping[str, Any], schema: Any, depth: int) -> Any:
    schema = resolved(data, schema)
    if not isinstance(schema, dict) or not depth:
        return _NOTHING
    for key in ("example", "default", "const"):
        if key in schema:
            return schema[key]
    for key in ("examples", "enum"):
        if isinstance(schema.get(key), list) and schema[key]:
            return schema[key][0]
    if isinstance(schema.get("properties"), dict):
        parts = {name: _of_schema(data, one, depth - 1) for name, one in schema["properties"].items()}
        told = {name: one for name, one in parts.items() if one is not _NOTHING}
        return told if not {*_list(schema.get("required"))} - told.keys() else _NOTHING
    if isinstance(schema.get("items"), dict):
        one = _of_schema(data, schema["items"], depth - 1)
        return _NOTHING if one is _NOTHING else [one]
    return _NOTHING


def _contents(data: Mapping[str, Any], operation: Mapping[str, Any]) -> Iterator[tuple[str, Any]]:
    """Yield the type and an example of each content that an operation takes; one without where it takes none."""
    body = resolved(data, operation.get("requestBody"))
    contents = body.get("content") if isinstance(body, dict) else None
    found = False
    for typed, one in (contents or {}).items() if isinstance(contents, dict) else ():
        for example in _examples(data, one):
            found = True
            yield typed, example
    if not found:
        yield "", _NOTHING


@dataclass(slots=True)
class _Parameters:
    """What the parameters of an operation come to in a request."""

    path: str
    query: list[tuple[str, str]] = field(default_factory=list)
    headers: list[tuple[str, str]] = field(default_factory=list)
    cookies: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    def take(self, data: Mapping[str, Any], one: Any) -> None:
        """Take in one parameter, by its first example."""
        if not isinstance(one, dict) or "name" not in one:
            return
        name, where, given = str(one["name"]), one.get("in"), _examples(data, one)
        if not given:
            if one.get("required") and where != "path":
                self.notes.append(f"{name}, which it has to have and of which there is no example,")
            return
        values = given[0] if isinstance(given[0], list) else [given[0]]
        texts = [value if isinstance(value, str) else json.dumps(value) for value in values]
        if where == "path":
            self.path = self.path.replace(f"{{{name}}}", quote(texts[0], safe=""))
        elif where == "query":
            self.query += [(name, text) for text in texts]
        elif where == "header":
            self.headers.append((name, ", ".join(texts)))
        elif where == "cookie":
            self.cookies.append(f"{name}={texts[0]}")


def _request(place: Place, method: str, told: _Parameters, content: tuple[str, Any]) -> Found:
    path, headers, notes = told.path, [*told.headers], [*told.notes]
    if "{" in path:
        notes.append("values of the path, of which there is no example,")
        path = path.replace("{", "").replace("}", "")
    if told.cookies:
        headers.append(("cookie", "; ".join(told.cookies)))
    body, (typed, value) = b"", content
    if value is not _NOTHING:
        headers.append(("content-type", typed))
        form = typed.startswith("application/x-www-form-urlencoded") and isinstance(value, dict)
        text = urlencode(value, doseq=True) if form else value if isinstance(value, str) else json.dumps(value)
        body = text.encode()
    url = f"{HOST}{path}" + (f"?{urlencode(told.query)}" if told.query else "")
    made, _ = request_of(method, url, headers, body, place)
    return Found(place, made, notes=tuple(notes))
