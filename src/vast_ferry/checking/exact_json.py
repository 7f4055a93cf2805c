"""JSON compared as JSON, with numbers exactly as they were written: 1, 1.0 and 1e0 are three different answers."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any


class Number(str):
    """A number as it was written (RFC 8259 §6)."""

    __slots__ = ()


class Repeated(list[tuple[str, Any]]):
    """An object that holds a name twice, kept as its members in order."""


@dataclass(frozen=True, slots=True)
class Difference:
    """One place where two answers differ: what was expected there, and what came."""

    at: str
    expected: str
    got: str


def _object(pairs: list[tuple[str, Any]]) -> Any:
    found = dict(pairs)
    return found if len(found) == len(pairs) else Repeated(pairs)


def parse_exact(text: str) -> Any:
    """Return the JSON value of `text`, its numbers as `Number`; raises ValueError where it is not JSON (RFC 8259)."""

    def refuse(name: str) -> Any:
        raise ValueError(f"{name} is not JSON")

    try:
        return json.loads(text, parse_int=Number, parse_float=Number, parse_constant=refuse, object_pairs_hook=_object)
    except RecursionError:
        raise ValueError("nested too deep to compare as JSON") from None


def shown(value: Any, most: int = 200) -> str:
    """Return a JSON value as a person reads it, cut where it is long."""
    text = _text(value)
    return text if len(text) <= most else f"{text[: most - 1]}…"


def _text(value: Any) -> str:
    if isinstance(value, Number):
        return str(value)
    if isinstance(value, Repeated):
        return "{" + ", ".join(f"{json.dumps(k, ensure_ascii=False)}: {_text(v)}" for k, v in value) + "}"
    if isinstance(value, dict):
        return "{" + ", ".join(f"{json.dumps(k, ensure_ascii=False)}: {_text(v)}" for k, v in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(_text(item) for item in value) + "]"
    return json.dumps(value, ensure_ascii=False)


def differences(expected: Any, got: Any, at: str = "$") -> Iterator[Difference]:
    """Yield where two exact JSON values differ; places as in RFC 9535, names in dots where they can."""
    if type(expected) is type(got) and isinstance(expected, dict):
        yield from _in_objects(expected, got, at)
    elif type(expected) is type(got) and isinstance(expected, list):
        yield from _in_arrays(expected, got, at)
    elif type(expected) is not type(got) or expected != got:
        yield Difference(at, shown(expected), shown(got))


def _in_objects(expected: dict[str, Any], got: dict[str, Any], at: str) -> Iterator[Difference]:
    for name, value in expected.items():
        if name in got:
            yield from differences(value, got[name], step(at, name))
        else:
            yield Difference(step(at, name), shown(value), "(missing)")
    for name, value in got.items():
        if name not in expected:
            yield Difference(step(at, name), "(missing)", shown(value))


def _in_arrays(expected: list[Any], got: list[Any], at: str) -> Iterator[Difference]:
    for index, (one, other) in enumerate(zip(expected, got, strict=False)):
        yield from differences(one, other, f"{at}[{index}]")
    for index in range(len(got), len(expected)):
        yield Difference(f"{at}[{index}]", shown(expected[index]), "(missing)")
    for index in range(len(expected), len(got)):
        yield Difference(f"{at}[{index}]", "(missing)", shown(got[index]))


def step(at: str, name: str) -> str:
    """Return the place of a member below a place (RFC 9535)."""
    if name.isidentifier():
        return f"{at}.{name}"
    escaped = json.dumps(name, ensure_ascii=False)[1:-1].replace('\\"', '"').replace("'", "\\'")
    return f"{at}['{escaped}']"
