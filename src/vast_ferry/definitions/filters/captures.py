"""Filters as paths with captures, read and written: `inspections/{year}/{rest...}`."""

from __future__ import annotations

import re

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.filters.ends import FilterError
from vast_ferry.definitions.filters.globs import one_pattern
from vast_ferry.hub.keys import KeyFilter, Pattern, Piece

_CAPTURE = re.compile(r"\{([A-Za-z_]\w*)?(\.\.\.)?\}", re.ASCII)


def read_captures(text: str) -> KeyFilter:
    """Return the filter of a path with captures: `{name}` is a segment or part of one, `{name...}` the rest.

    Without a name nothing is captured; `{...}` may then be empty.
    """
    parts: list[str | Piece] = []
    names: list[str] = []
    at = 0
    for found in _CAPTURE.finditer(text):
        parts.append(text[at : found.start()])
        parts.append(Piece("any" if found[2] else "segment", found[1] or ""))
        names += [found[1]] if found[1] else []
        at = found.end()
    parts.append(text[at:])
    if any(isinstance(part, str) and re.search(r"[{}]", part) for part in parts):
        raise FilterError(f"expected captures such as {{day}} or {{rest...}}, got {text!r}")
    if len(set(names)) != len(names):
        raise FilterError(f"{text!r} captures a name twice")
    return Pattern.of(*parts)


def captures_of(text: str) -> list[str]:
    """Return the names that a path captures, in order."""
    return [found[1] for found in _CAPTURE.finditer(text) if found[1]]


def write_captures(one: KeyFilter) -> str:
    """Return the path with captures that lets through what a filter does."""
    made = []
    for part in one_pattern(one).parts:
        if isinstance(part, str):
            if re.search(r"[{}]", part):
                raise CannotHold(f"its paths have braces for captures, and {part!r} has some of its own")
            made.append(part)
        elif part.kind == "segment":
            made.append(f"{{{part.name}}}")
        elif part.kind == "any":
            made.append(f"{{{part.name}...}}")
        else:
            raise CannotHold("its paths have no sign for a single character")
    return "".join(made)
