"""What every spelling of schedules shares: its error, and what can never fire."""

from __future__ import annotations

import calendar
from typing import Final

from vast_ferry.hub.findings import FerryError
from vast_ferry.hub.schedules import (
    Calendar,
)

#: A schedule is not split into more single triggers than a person would look through.
MOST_PIECES: Final = 24


class ScheduleError(FerryError, ValueError):
    """A text that is no schedule in its spelling, or one that can never fire."""


def possible(rule: Calendar, text: str) -> Calendar:
    if not rule.possible:
        day, months = min(rule.days), ", ".join(calendar.month_name[month] for month in rule.months)
        raise ScheduleError(f"{text!r} never fires: there is no day {day} in {months}")
    return rule
