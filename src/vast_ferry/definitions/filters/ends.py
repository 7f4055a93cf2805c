"""Filters by how a key begins and ends, and the error that every spelling of filters raises."""

from __future__ import annotations

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.hub.findings import FerryError
from vast_ferry.hub.keys import ANY, All, KeyFilter, Pattern, all_of, begins, ends


class FilterError(FerryError, ValueError):
    """A text that is no filter in its spelling."""


def from_ends(prefix: str, suffix: str) -> KeyFilter:
    """Return the filter of keys that begin and end so; the two may overlap in a key."""
    return all_of(*([begins(prefix)] if prefix else []), *([ends(suffix)] if suffix else []))


def to_ends(one: KeyFilter) -> tuple[str, str]:
    """Return what a filter's keys begin and end with, or raise CannotHold."""
    prefix, suffix = "", ""
    for pattern in one.filters if isinstance(one, All) else (one,):
        if not isinstance(pattern, Pattern):
            raise CannotHold("a beginning and an end don't say that")
        parts = pattern.parts
        if parts == (ANY,):
            continue
        if len(parts) == 2 and isinstance(parts[0], str) and parts[1] == ANY and not prefix:
            prefix = parts[0]
        elif len(parts) == 2 and parts[0] == ANY and isinstance(parts[1], str) and not suffix:
            suffix = parts[1]
        elif (
            len(parts) == 3
            and isinstance(parts[0], str)
            and parts[1] == ANY
            and isinstance(parts[2], str)
            and not (prefix or suffix)
        ):
            if _overlap(parts[0], parts[2]):
                raise CannotHold(f"a key may be the end of {parts[0]!r} and the beginning of {parts[2]!r} at once")
            prefix, suffix = parts[0], parts[2]
        else:
            raise CannotHold("a beginning and an end don't say that")
    return prefix, suffix


def _overlap(prefix: str, suffix: str) -> bool:
    """Tell whether a text shorter than both together begins with one and ends with the other."""
    return any(prefix.endswith(suffix[:length]) for length in range(1, min(len(prefix), len(suffix)) + 1))
