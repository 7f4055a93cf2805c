"""Every spelling of schedules by its name: a new one is a pair of functions in a page of its own, and a line here.

Each is a pair of functions over `Schedule`; what one can't say raises CannotHold with the reason.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from vast_ferry.definitions.schedules.cron import (
    CronStyle,
    _cron_lines,
    read_cron,
    read_cron_with_years,
    write_cron,
    write_cron_with_years,
)
from vast_ferry.definitions.schedules.days import (
    read_iso_span,
    read_phrase_of_days,
    read_span,
    write_iso_span,
    write_phrase_of_days,
    write_span,
)
from vast_ferry.definitions.schedules.intervals import read_interval, write_intervals
from vast_ferry.definitions.schedules.phrases import read_phrase, write_phrase
from vast_ferry.definitions.schedules.rrule import read_rrule, write_rrule
from vast_ferry.hub.schedules import (
    Every,
    Schedule,
)


def _read_calendar(style: CronStyle) -> Callable[[str], Schedule]:
    return lambda text: Schedule.of(read_cron(text, style))


def _read_phrase_or_cron(text: str) -> Schedule:
    return Schedule.of(read_phrase(text) or read_cron(text))


def _write_phrase_or_cron(schedule: Schedule) -> list[str]:
    made: list[str] = []
    for rule in schedule.rules:
        phrase = write_phrase(rule)
        readable = phrase and (isinstance(rule, Every) or phrase.endswith(("minutes", "hours", "minute", "hour")))
        made += [phrase] if phrase and readable else list(_cron_lines(rule, CronStyle()))
    return made


@dataclass(frozen=True, slots=True)
class ScheduleStyle:
    """One spelling: how it is read, how it is written (one text a trigger), and an example of it."""

    read: Callable[[str], Schedule]
    write: Callable[[Schedule], list[str]]
    example: str
    zones: bool = False  # whether a zone stands in it
    bounds: bool = False  # whether it may begin and end


_YEARS = CronStyle(seconds=True, sunday=1, both=True)

_SECONDS = CronStyle(seconds=True, sunday=7, both=True)

_MONDAY_FIRST = CronStyle(sunday=6, both=True)

_SUNDAY_FIRST = CronStyle(sunday=1, both=True)

STYLES: Final = {
    "cron": ScheduleStyle(_read_calendar(CronStyle()), write_cron, "0 2 * * *"),
    "cron_from_monday": ScheduleStyle(
        _read_calendar(_MONDAY_FIRST), lambda schedule: write_cron(schedule, _MONDAY_FIRST), "0 2 * * 0-4"
    ),
    "cron_from_sunday": ScheduleStyle(
        _read_calendar(_SUNDAY_FIRST), lambda schedule: write_cron(schedule, _SUNDAY_FIRST), "0 2 * * 2-6"
    ),
    "iso_span": ScheduleStyle(read_iso_span, write_iso_span, "PT15M"),
    "days": ScheduleStyle(read_phrase_of_days, write_phrase_of_days, "weekdays at 06:15 and 18:40", zones=True),
    "span": ScheduleStyle(read_span, write_span, "15 min"),
    "cron_or_phrase": ScheduleStyle(_read_phrase_or_cron, _write_phrase_or_cron, "every 15 minutes"),
    "cron_with_seconds": ScheduleStyle(
        _read_calendar(_SECONDS), lambda schedule: write_cron(schedule, _SECONDS), "0 0 2 * * *"
    ),
    "cron_with_years": ScheduleStyle(
        lambda text: read_cron_with_years(text, _YEARS),
        lambda schedule: write_cron_with_years(schedule, _YEARS),
        "0 0 2 * * * *",
        bounds=True,
    ),
    "rrule": ScheduleStyle(
        read_rrule,
        lambda schedule: [write_rrule(schedule)],
        "FREQ=DAILY;BYHOUR=2;BYMINUTE=0",
        zones=True,
        bounds=True,
    ),
    "interval": ScheduleStyle(read_interval, write_intervals, "R/2026-01-01T02:00:00Z/P1D", bounds=True),
}
