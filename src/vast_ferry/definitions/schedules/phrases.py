"""Schedules in a few words, read and written: every 5 minutes."""

from __future__ import annotations

import re
from typing import Final

from vast_ferry.definitions.schedules.rules import ScheduleError
from vast_ferry.hub.schedules import (
    DAY,
    WEEK,
    Every,
    Rule,
    as_every,
)

_UNITS: Final = {"second": 1, "minute": 60, "hour": 3600, "day": DAY, "week": WEEK}


def read_phrase(text: str) -> Every | None:
    """Return the rule of `every 15 minutes`, counted from midnight UTC of 1970; nothing for another text."""
    found = re.fullmatch(r"every (?:(\d{1,6}) )?(second|minute|hour|day|week)s?", " ".join(text.split()))
    if not found:
        return None
    count = int(found[1] or 1)
    if not count:
        raise ScheduleError(f"{text!r} is no distance in time")
    return Every(count * _UNITS[found[2]])


def write_phrase(rule: Rule) -> str | None:
    """Return `every 15 minutes` where a rule is one, counted from midnight UTC of 1970."""
    even = rule if isinstance(rule, Every) else as_every(rule)
    if even is None or even.start % even.seconds:
        return None
    for unit in ("week", "day", "hour", "minute", "second"):
        if even.seconds % _UNITS[unit] == 0:
            count = even.seconds // _UNITS[unit]
            return f"every {unit}" if count == 1 else f"every {count} {unit}s"
    return None
