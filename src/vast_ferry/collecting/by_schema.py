"""Requests out of an API description's schemas (OpenAPI 3.0, 3.1): what an operation takes, and what it should not.

The first request of an operation is the plainest that its schemas let through. The others change one thing of it: a
parameter has another value, is left out, stands twice; the content is at its bounds, or has something that its schema
does not let through, or another type.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

from vast_ferry.collecting.asked import Asked
from vast_ferry.collecting.described import METHODS
from vast_ferry.collecting.schema_values import fitting, resolved, wrong
from vast_ferry.hub.findings import Place
from vast_ferry.hub.http import HttpEvent

#: Of one operation so many requests are made.
_MOST: Final = 80


@dataclass(frozen=True, slots=True)
class _Parameter:
    """A parameter: where it stands, its name, whether it has to be there, the values that fit and those that do not."""

    where: str
    name: str
    required: bool
    values: tuple[Any, ...]
    others: tuple[Any, ...]


@dataclass(frozen=True, slots=True)
class _Asked:
    """A request before it is written: values of parameters, by their place in the list, and a content with its type."""

    values: tuple[tuple[Any, ...], ...]
    typed: str = ""
    content: Any = None


def requests_by_schema(data: Mapping[str, Any], shown: str) -> Iterator[HttpEvent]:
    """Yield the requests that a description's schemas lead to."""
    for path, item in data["paths"].items():
        for method in METHODS:
            operation = item.get(method) if isinstance(item, dict) else None
            if isinstance(operation, dict):
                listed = [*_list(item.get("parameters")), *_list(operation.get("parameters"))]
                parameters = [one for told in listed if (one := _parameter(data, resolved(data, told))) is not None]
                place = Place(f"{shown}, {method.upper()} {path}")
                seen: dict[str, HttpEvent] = {}
                for asked in _of_operation(data, operation, parameters):
                    made = _written(str(path), method, parameters, asked, place)
                    seen.setdefault(repr(made.as_fields()), made)
                yield from list(seen.values())[:_MOST]


def _parameter(data: Mapping[str, Any], told: Any) -> _Parameter | None:
    if not isinstance(told, dict) or not isinstance(told.get("name"), str):
        return None
    schema = told.get("schema", {})
    own = [told["example"]] if "example" in told else []
    values = [*own, *fitting(data, schema)]
    others = wrong(data, schema, values[0])
    return _Parameter(str(told.get("in")), told["name"], bool(told.get("required")), tuple(values), tuple(others))


def _of_operation(
    data: Mapping[str, Any], operation: Mapping[str, Any], parameters: list[_Parameter]
) -> Iterator[_Asked]:
    contents = list(_contents(data, operation))
    first = tuple(one.values[:1] if one.required or one.where == "path" else () for one in parameters)
    plain = _Asked(first)
    if contents:
        typed, schema, values = contents[0]
        plain = replace(plain, typed=typed, content=values[0])
    yield plain
    every = tuple(one.values[:1] for one in parameters)
    yield replace(plain, values=every)
    for typed, _, values in contents:
        yield from (replace(plain, typed=typed, content=one) for one in values)
    for at, one in enumerate(parameters):
        given: list[tuple[Any, ...]] = [(value,) for value in (*one.values[1:], *one.others)]
        given += [()] if one.where != "path" else []
        given += [one.values[:1] * 2] if one.where in ("query", "header") else []
        yield from (replace(plain, values=(*every[:at], value, *every[at + 1 :])) for value in given)
    for typed, schema, values in contents:
        fullest = max(values, key=lambda one: len(repr(one)))
        yield from (replace(plain, typed=typed, content=one) for one in wrong(data, schema, fullest))
        yield replace(plain, typed="text/plain", content=values[0])
    if contents:
        yield replace(plain, typed="", content=None)


def _contents(data: Mapping[str, Any], operation: Mapping[str, Any]) -> Iterator[tuple[str, Any, list[Any]]]:
    """Yield the type, the schema and the values of each content that an operation takes."""
    body = resolved(data, operation.get("requestBody"))
    contents = body.get("content") if isinstance(body, dict) else None
    for typed, one in contents.items() if isinstance(contents, dict) else ():
        schema = one.get("schema", {}) if isinstance(one, dict) else {}
        own = [one["example"]] if isinstance(one, dict) and "example" in one else []
        yield str(typed), schema, [*own, *fitting(data, schema)]


def _written(path: str, method: str, parameters: list[_Parameter], asked: _Asked, place: Place) -> HttpEvent:
    """Return a request as it is sent."""
    made = Asked(path)
    for one, values in zip(parameters, asked.values, strict=True):
        made.put(one.where, one.name, values)
    return made.sent(method, asked.typed, asked.content, place)


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []
