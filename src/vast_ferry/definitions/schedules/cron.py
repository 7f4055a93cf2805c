"""Cron lines read and written: five fields, with seconds, with years, and how a provider differs in them."""

from __future__ import annotations

import calendar
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from itertools import pairwise
from typing import Final

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.schedules.rules import ScheduleError, possible
from vast_ferry.hub.schedules import (
    DAY,
    FROM,
    WEEK,
    WEEKDAY_NAMES,
    Calendar,
    Every,
    Rule,
    Schedule,
    spans,
)


@dataclass(frozen=True, slots=True)
class CronStyle:
    """How a provider spells cron: whether seconds come first, which number Sunday has, and what two kinds of day mean.

    `sunday` is 0 (crontab(5), where 7 is Sunday too), 1 (Sunday to Saturday), 7 (Monday, which is 1, to Sunday) or 6
    (Monday, which is 0, to Sunday). With `both`, a day must be of both kinds where days of the month and of the week
    are given; else one is enough (crontab(5)).
    """

    seconds: bool = False
    sunday: int = 0
    both: bool = False


#: Words that crontab(5) takes for a line.
_SHORTHANDS: Final = {
    "@hourly": "0 * * * *",
    "@daily": "0 0 * * *",
    "@midnight": "0 0 * * *",
    "@weekly": "0 0 * * SUN",
    "@monthly": "0 0 1 * *",
    "@yearly": "0 0 1 1 *",
    "@annually": "0 0 1 1 *",
}
_MONTHS: Final = {name.upper(): number for number, name in enumerate(calendar.month_abbr) if name}


def read_cron(text: str, style: CronStyle = CronStyle()) -> Calendar:
    """Return the rule that a cron line says; raises ScheduleError for what is no such line, or never fires."""
    fields = _SHORTHANDS.get(text.strip(), text).split()
    count = 6 if style.seconds else 5
    if style.seconds and text.strip() in _SHORTHANDS:
        fields.insert(0, "0")
    if len(fields) != count:
        first, example = ("second", "0 0 2 * * *") if style.seconds else ("minute", "0 2 * * *")
        raise ScheduleError(f"expected {count} fields, {first} first, such as `{example}`, got {text!r}")
    seconds = _choice(fields.pop(0), "second", 0, 59) if style.seconds else (0,)
    minutes = _choice(fields[0], "minute", 0, 59)
    hours = _choice(fields[1], "hour", 0, 23)
    days = _choice(fields[2], "day of the month", 1, 31)
    months = _choice(fields[3], "month", 1, 12, _MONTHS)
    low, high = {0: (0, 7), 1: (1, 7), 6: (0, 6), 7: (1, 7)}[style.sunday]
    shift = {0: 0, 1: 1, 6: -1, 7: 0}[style.sunday]
    names = {name: number + shift if number else style.sunday for number, name in enumerate(WEEKDAY_NAMES)}
    weekdays = tuple(sorted({(day - shift) % 7 for day in _choice(fields[4], "day of the week", low, high, names)}))
    return possible(Calendar(seconds, minutes, hours, days, months, weekdays, not style.both), text)


def read_cron_with_years(text: str, style: CronStyle) -> Schedule:
    """Return the schedule that a cron line with a year at its end says; years in a row are when it begins and ends."""
    fields = text.split()
    if len(fields) != (7 if style.seconds else 6):
        raise ScheduleError(f"expected 7 fields, second first and year last, such as `0 0 2 * * * *`, got {text!r}")
    rule = read_cron(" ".join(fields[:-1]), style)
    if fields[-1] == "*":
        return Schedule.of(rule)
    years = sorted({year for part in fields[-1].split(",") for year in _years(part)})
    if years[-1] - years[0] != len(years) - 1:
        raise ScheduleError(f"the years {fields[-1]} can't be carried: years in a row can")
    since = datetime(years[0], 1, 1, tzinfo=UTC)
    return Schedule.of(rule, since=since, until=datetime(years[-1], 12, 31, 23, 59, 59, tzinfo=UTC))


def _years(text: str) -> range:
    found = re.fullmatch(r"(\d{4})(?:-(\d{4}))?", text)
    if not found or not 1970 <= int(found[1]) <= int(found[2] or found[1]) <= 2099:
        raise ScheduleError(f"{text!r} is no year, or years from 1970 to 2099")
    return range(int(found[1]), int(found[2] or found[1]) + 1)


def write_cron_with_years(schedule: Schedule, style: CronStyle) -> list[str]:
    """Return the cron lines, each with a year, that together fire as a schedule does."""
    first, last = schedule.since or FROM, schedule.until
    if schedule.since and (first.month, first.day, first.hour, first.minute, first.second) != (1, 1, 0, 0, 0):
        raise CannotHold(f"its cron lines begin with a year, and this one begins at {first:%Y-%m-%dT%H:%M:%SZ}")
    if last and (last.month, last.day, last.hour, last.minute, last.second) != (12, 31, 23, 59, 59):
        raise CannotHold(f"its cron lines end with a year, and this one ends at {last:%Y-%m-%dT%H:%M:%SZ}")
    years = f"{first.year}-{last.year if last else 2099}" if schedule.since or last else "*"
    return [f"{line} {years}" for line in write_cron(replace(schedule, since=None, until=None), style)]


def _choice(text: str, what: str, low: int, high: int, names: dict[str, int] | None = None) -> tuple[int, ...]:
    """Return the values that a field names; none where it names every one with a star."""
    if text == "*":
        return ()
    chosen: set[int] = set()
    for part in text.split(","):
        span, mark, step = part.partition("/")
        every = int(step) if re.fullmatch(r"[0-9]{1,4}", step) else 0
        if mark and not every:
            raise ScheduleError(f"{part!r} is no step that a {what} can have")
        if span == "*":
            first, last = low, high
            if what == "day of the week" and high - low == 7:
                last = high - 1  # 7 is 0 again
        else:
            start, dash, end = span.partition("-")
            first = _number(start, what, low, high, names)
            # crontab(5): a step is only given after a range or a star; `5/10` is from 5 on.
            last = _number(end, what, low, high, names) if dash else (high if mark else first)
        if first > last:
            raise ScheduleError(f"{span!r} runs backwards in {what}")
        chosen.update(range(first, last + 1, every or 1))
    return tuple(sorted(chosen))


def _number(text: str, what: str, low: int, high: int, names: dict[str, int] | None) -> int:
    word = text.upper()
    if names and word in names:
        return names[word]
    if not re.fullmatch(r"[0-9]{1,2}", text) or not low <= int(text) <= high:
        raise ScheduleError(f"{text!r} is no {what} ({low} to {high})")
    return int(text)


def write_cron(schedule: Schedule, style: CronStyle = CronStyle()) -> list[str]:
    """Return the cron lines that together fire as a schedule does; raises CannotHold where none do."""
    return [line for rule in schedule.rules for line in _cron_lines(rule, style)]


def _cron_lines(rule: Rule, style: CronStyle) -> Iterator[str]:
    if isinstance(rule, Every):
        raise CannotHold(f"no cron line fires every {_length(rule.seconds)}: that does not divide a day evenly")
    if rule.seconds != (0,) and not style.seconds:
        raise CannotHold("its cron lines have no seconds")
    if rule.days and rule.days[0] < 0:
        raise CannotHold("its cron lines count days from the beginning of a month, not from its end")
    if rule.days and rule.weekdays:
        if rule.either and style.both:
            # Two lines, each a trigger of its own: on a day of both kinds only the first fires.
            others = tuple(day for day in range(1, 32) if day not in rule.days)
            yield from _cron_lines(replace(rule, weekdays=(), either=False), style)
            yield from _cron_lines(replace(rule, days=others, either=False), style)
            return
        if not rule.either and not style.both:
            raise CannotHold("its cron lines fire on days of the month or of the week, not on those that are both")
    weekdays = {
        0: rule.weekdays,
        1: tuple(day + 1 for day in rule.weekdays),
        6: tuple(sorted((day - 1) % 7 for day in rule.weekdays)),
        7: tuple(sorted(day or 7 for day in rule.weekdays)),
    }
    fields = [
        _field(rule.minutes, 0, 59),
        _field(rule.hours, 0, 23),
        _field(rule.days, 1, 31),
        _field(rule.months, 1, 12),
        _field(weekdays[style.sunday], 0 if style.sunday in (0, 6) else 1, 6 if style.sunday == 6 else 7),
    ]
    yield " ".join([_field(rule.seconds, 0, 59), *fields] if style.seconds else fields)


def _field(values: tuple[int, ...], low: int, high: int) -> str:
    if not values:
        return "*"
    steps = {b - a for a, b in pairwise(values)}
    if len(values) > 2 and len(steps) == 1 and (step := steps.pop()) > 1:
        if values[0] == low and values[-1] + step > high:
            return f"*/{step}"
        return f"{values[0]}-{values[-1]}/{step}"
    return spans(values, ",")


def _length(seconds: int) -> str:
    for size, unit in ((WEEK, "week"), (DAY, "day"), (3600, "hour"), (60, "minute")):
        if seconds % size == 0:
            return f"{seconds // size} {unit}s"
    return f"{seconds} seconds"
