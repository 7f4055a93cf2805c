"""Requests out of the examples of an API description (OpenAPI 3.0 and 3.1): one for each example of a content."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, Final

from vast_ferry.collecting.asked import Asked
from vast_ferry.collecting.found import Found
from vast_ferry.collecting.schema_values import resolved
from vast_ferry.hub.findings import Place

METHODS: Final = ("get", "put", "post", "delete", "options", "head", "patch", "trace")


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
            asked = Asked(str(path))
            notes = [note for one in shared if (note := _take(asked, data, resolved(data, one)))]
            if "{" in asked.path:
                notes.append("values of the path, of which there is no example,")
            for typed, value in _contents(data, operation):
                content = value.encode() if isinstance(value, str) else value  # the text as it is given
                yield Found(place, asked.sent(method, typed, content, place), notes=tuple(notes))


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
            yield str(typed), example
    if not found:
        yield "", _NOTHING


def _take(asked: Asked, data: Mapping[str, Any], one: Any) -> str:
    """Put a parameter where it stands, by its first example; return what it lacks, if it does."""
    if not isinstance(one, dict) or "name" not in one:
        return ""
    name, where, given = str(one["name"]), str(one.get("in")), _examples(data, one)
    if given:
        asked.put(where, name, given[:1])
    elif one.get("required") and where != "path":
        return f"{name}, which it has to have and of which there is no example,"
    return ""
