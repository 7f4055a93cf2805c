"""Values that a JSON Schema lets through (2020-12, and OpenAPI 3.0's own), and values next to those that it does not.

`fitting` gives the plain ones first: the example that the schema names, else the smallest that fits, then those at its
bounds. `wrong` changes one thing of a value that fits: another type, beyond a bound, a required part that is missing.
What a schema says in a way that is not known here (a condition, a format of its own) bounds nothing: the handler will
say what it makes of it.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, Final

#: Texts of the formats that JSON Schema names (Validation §7.3), and OpenAPI beside.
_FORMATS: Final = {
    "date": "2026-06-03",
    "date-time": "2026-06-03T02:00:00Z",
    "time": "02:00:00Z",
    "duration": "P1D",
    "email": "ada@example.org",
    "idn-email": "ada@example.org",
    "hostname": "app.example",
    "ipv4": "192.0.2.1",
    "ipv6": "2001:db8::1",
    "uri": "https://app.example/a",
    "uri-reference": "/a",
    "uuid": "7c9e6679-7425-40de-944b-e07fc1f90ae7",
    "json-pointer": "/a",
    "regex": "a+",
    "byte": "YQ==",
    "binary": "a",
    "password": "secret-a",
}
#: A text or a list is made no longer than this, whatever its schema allows.
_LONGEST: Final = 300
_DEEPEST: Final = 8
#: Of the values of one place so many are tried.
_MOST: Final = 12
#: One value of each type, for places that ask for another.
_OTHERS: Final = {"string": "text", "integer": 7, "boolean": True, "null": None, "array": [], "object": {}}


def resolved(document: Any, value: Any) -> Any:
    """Return a value, or what it refers to within the document."""
    for _ in range(_DEEPEST):
        where = value.get("$ref") if isinstance(value, dict) else None
        if not isinstance(where, str) or not where.startswith("#/"):
            break
        value = document
        for key in where[2:].split("/"):
            value = value.get(key.replace("~1", "/").replace("~0", "~")) if isinstance(value, dict) else None
    return value


def fitting(document: Any, schema: Any, depth: int = _DEEPEST) -> list[Any]:
    """Return values that a schema lets through, the plainest first; never none."""
    schema = _merged(document, schema)
    told = [schema[key] for key in ("example", "default", "const") if key in schema]
    for key in ("examples", "enum"):
        told += schema[key] if isinstance(schema.get(key), list) else []
    if depth <= 0 or told:
        return _each_once(told or [None])
    for key in ("oneOf", "anyOf"):
        ways = schema.get(key)
        if isinstance(ways, list) and ways:
            base = {name: value for name, value in schema.items() if name != key}
            every = [{**base, "allOf": [way]} for way in ways]
            return _each_once([value for way in every for value in fitting(document, way, depth - 1)[:3]])
    found = [value for kind in _types(schema) for value in _of_type(document, schema, kind, depth)]
    return _each_once([*found, *([None] if schema.get("nullable") is True else [])])


def wrong(document: Any, schema: Any, value: Any, depth: int = _DEEPEST) -> list[Any]:
    """Return values like one that fits, each with one thing that its schema does not let through."""
    schema = _merged(document, schema)
    found: list[Any] = []
    if isinstance(value, dict) and isinstance(schema.get("properties"), dict) and depth:
        found += [{name: one for name, one in value.items() if name != left} for left in _list(schema.get("required"))]
        for name, own in schema["properties"].items():
            if name in value:
                found += [{**value, name: other} for other in wrong(document, own, value[name], depth - 1)]
        found.append({**value, "unasked": 1})
    elif isinstance(value, list) and value and isinstance(schema.get("items"), dict) and depth:
        found += [[other, *value[1:]] for other in wrong(document, schema["items"], value[0], depth - 1)]
    found += _beyond(schema)
    kinds = {*_types(schema), *(("integer",) if "number" in _types(schema) else ())}
    found += [other for kind, other in _OTHERS.items() if kind not in kinds]
    return _each_once(found)


def _merged(document: Any, schema: Any) -> dict[str, Any]:
    """Return a schema as a mapping, with what it takes from others."""
    found = resolved(document, schema)
    if not isinstance(found, Mapping):
        return {}
    made = {name: value for name, value in found.items() if name != "allOf"}
    for one in _list(found.get("allOf")):
        more = _merged(document, one)
        for name, value in more.items():
            if name == "properties":
                made[name] = {**value, **made.get(name, {})}
            elif name == "required":
                made[name] = [*value, *_list(made.get(name))]
            else:
                made.setdefault(name, value)
    return made


def _types(schema: Mapping[str, Any]) -> list[str]:
    told = schema.get("type")
    if isinstance(told, str):
        return [told]
    if isinstance(told, list) and told:
        return [str(one) for one in told]
    hints = {"properties": "object", "items": "array", "pattern": "string", "minimum": "number", "maxLength": "string"}
    return [kind for key, kind in hints.items() if key in schema][:1] or ["string"]


def _of_type(document: Any, schema: Mapping[str, Any], kind: str, depth: int) -> list[Any]:
    if kind == "object":
        return _objects(document, schema, depth)
    if kind == "array":
        return _arrays(document, schema, depth)
    if kind == "string":
        return _texts(schema)
    if kind in ("integer", "number"):
        return _numbers(schema, whole=kind == "integer")
    if kind == "boolean":
        return [True, False]
    return [None]


def _objects(document: Any, schema: Mapping[str, Any], depth: int) -> list[Any]:
    """Return an object of what is required, one of all there may be, and for each part one with each of its values."""
    properties = schema.get("properties")
    properties = properties if isinstance(properties, dict) else {}
    values = {str(name): fitting(document, one, depth - 1) for name, one in properties.items()}
    required = [str(name) for name in _list(schema.get("required"))]
    least = {name: values[name][0] if name in values else "a" for name in required}
    most = {**least, **{name: one[0] for name, one in values.items()}}
    each = [{**most, name: other} for name, one in values.items() for other in one[1:4]]
    return [least, most, *each]


def _arrays(document: Any, schema: Mapping[str, Any], depth: int) -> list[Any]:
    items = fitting(document, schema.get("items", {}), depth - 1)
    least = max(0, _whole(schema.get("minItems"), 0))
    most = min(_LONGEST, _whole(schema.get("maxItems"), max(least, 2)))
    sizes = dict.fromkeys((max(1, least), least, most))
    return [[items[at % len(items)] for at in range(size)] for size in sizes if size <= max(most, least)]


def _texts(schema: Mapping[str, Any]) -> list[Any]:
    least = min(_LONGEST, _whole(schema.get("minLength"), 0))
    most = min(_LONGEST, _whole(schema.get("maxLength"), _LONGEST))
    pattern = schema.get("pattern")
    if isinstance(pattern, str):
        return _of_pattern(pattern, least, most) or ["a" * max(1, least)]
    if schema.get("format") in _FORMATS:
        return [_FORMATS[str(schema["format"])]]
    found = ["a" * min(max(1, least), max(most, 1))]
    found += [] if "minLength" not in schema else ["a" * least]
    found += [] if "maxLength" not in schema else ["a" * most]
    return [*found, "ä b" if most >= 3 >= least else found[0]]


def _of_pattern(pattern: str, least: int, most: int) -> list[Any]:
    """Return the simplest text that a pattern takes, by hypothesis's own search."""
    from hypothesis import HealthCheck, Phase, find, settings
    from hypothesis import strategies as st
    from hypothesis.errors import HypothesisException

    checks = list(HealthCheck)
    searching = settings(max_examples=300, database=None, derandomize=True, phases=(Phase.generate,))
    searching = settings(searching, suppress_health_check=checks)
    try:
        made = st.from_regex(re.compile(pattern, re.ASCII))
        return [find(made, lambda text: least <= len(text) <= most and text.isprintable(), settings=searching)]
    except (re.error, HypothesisException, RecursionError):
        return []


def _numbers(schema: Mapping[str, Any], *, whole: bool) -> list[Any]:
    low, high = _bounds(schema)
    step = schema.get("multipleOf")
    step = step if isinstance(step, int | float) and not isinstance(step, bool) and step > 0 else 1
    if "multipleOf" in schema:
        low = None if low is None else -(-low // step) * step
        high = None if high is None else high // step * step
    plain = 1 if low is None else low
    if high is not None and plain > high:
        plain = high
    plain = -(-plain // step) * step
    found = [plain, *([low] if low is not None else [0] if high is None or high >= 0 else [])]
    found += [high] if high is not None else []
    found += [] if whole or (high is not None and high < plain + 0.5) else [plain + 0.5]
    return [int(one) if float(one).is_integer() else one for one in found]


def _bounds(schema: Mapping[str, Any]) -> tuple[Any, Any]:
    """Return the least and the greatest number that a schema lets through, where it says so."""
    low, high = _number(schema.get("minimum")), _number(schema.get("maximum"))
    below, above = schema.get("exclusiveMinimum"), schema.get("exclusiveMaximum")
    if _number(below) is not None:
        low = below + 1  # type: ignore[operator]
    elif below is True and low is not None:  # as OpenAPI 3.0 has it
        low += 1
    if _number(above) is not None:
        high = above - 1  # type: ignore[operator]
    elif above is True and high is not None:
        high -= 1
    return low, high


def _beyond(schema: Mapping[str, Any]) -> list[Any]:
    """Return values just beyond the bounds of a schema."""
    low, high = _bounds(schema)
    found: list[Any] = [low - 1] if low is not None else []
    found += [high + 1] if high is not None else []
    if "minLength" in schema and _whole(schema["minLength"], 0) > 0:
        found.append("a" * min(_LONGEST, _whole(schema["minLength"], 1) - 1))
    if "maxLength" in schema and _whole(schema["maxLength"], _LONGEST) < _LONGEST:
        found.append("a" * (_whole(schema["maxLength"], 0) + 1))
    if isinstance(schema.get("enum"), list) or "pattern" in schema or "format" in schema:
        found.append("none of them")
    return found


def _number(value: Any) -> Any:
    return value if isinstance(value, int | float) and not isinstance(value, bool) else None


def _whole(value: Any, usual: int) -> int:
    return value if isinstance(value, int) and not isinstance(value, bool) and value >= 0 else usual


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _each_once(values: list[Any]) -> list[Any]:
    """Return some values, equal ones once; `1` and `true` are not equal in JSON."""
    found: dict[str, Any] = {}
    for value in values:
        found.setdefault(repr(value), value)
    return list(found.values())[:_MOST]
