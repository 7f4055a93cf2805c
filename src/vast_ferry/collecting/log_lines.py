"""Events out of log lines: the JSON in each, behind what a logger writes before it, inside what it wraps it in."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any, Final

from vast_ferry.collecting.found import Found
from vast_ferry.hub.findings import Place

#: So deep an event may lie in what a logger writes around it.
_DEPTH: Final = 3


@dataclass(slots=True)
class LogRead:
    """What of a log held no event: lines in which JSON breaks off, and how many had none that anyone knows."""

    cut: list[int] = field(default_factory=list)
    without: int = 0


def logged_events(text: str, shown: str, is_event: Callable[[Any], bool], read: LogRead) -> Iterator[Found]:
    """Yield the events in a log, a line each; what holds none is counted in `read`."""
    decode = json.JSONDecoder().raw_decode
    for number, line in enumerate(text.split("\n"), 1):
        found, cut = _in_line(line, decode, is_event)
        if found is not None:
            yield Found(Place(shown, number), native=found)
        elif cut:
            read.cut.append(number)
        elif line.strip():
            read.without += 1


def _in_line(
    line: str, decode: Callable[[str, int], tuple[Any, int]], is_event: Callable[[Any], bool]
) -> tuple[Any, bool]:
    """Return the event in a line, and whether JSON breaks off in it."""
    at, cut = -1, False
    while (at := min((one for one in (line.find("{", at + 1), line.find("[", at + 1)) if one >= 0), default=-1)) >= 0:
        try:
            value, end = decode(line, at)
        except ValueError:
            # What opens and never closes breaks off; a bracket of a prefix such as [info] closes soon.
            cut = cut or (line[at] == "{" and '"' in line[at + 1 : at + 4])
            continue
        if (event := _inside(value, is_event, _DEPTH)) is not None:
            return event, False
        at = end - 1
    return None, cut


def _inside(value: Any, is_event: Callable[[Any], bool], depth: int) -> Any:
    """Return the event that a value is, or that lies in it, also as a text of JSON."""
    if isinstance(value, str) and value.startswith(("{", "[")):
        try:
            value = json.loads(value)
        except ValueError:
            return None
    if isinstance(value, list) and value and all(isinstance(one, dict) and is_event(one) for one in value):
        return value
    if not isinstance(value, dict):
        return None
    if is_event(value):
        return value
    if depth:
        for inner in value.values():
            if (found := _inside(inner, is_event, depth - 1)) is not None:
                return found
    return None
