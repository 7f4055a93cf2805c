"""Repeating intervals of ISO 8601-1, section 5.6, read and written."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import product

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.schedules.rules import MOST_PIECES, ScheduleError
from vast_ferry.hub.schedules import (
    DAY,
    EPOCH,
    FIRST_SUNDAY,
    FROM,
    WEEK,
    Calendar,
    Every,
    Rule,
    Schedule,
    as_every,
)

_INTERVAL = re.compile(
    r"R(\d{0,4})/(\d{4}-\d\d-\d\dT\d\d:\d\d(?::\d\d)?)Z/"
    r"P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)S)?)?"
)


def read_interval(text: str) -> Schedule:
    """Return the schedule of a repeating interval from a start in UTC (ISO 8601-1 §4.5): R/start/P1D.

    With a number behind the R it fires so many times, first at its start.
    """
    found = _INTERVAL.fullmatch(text.strip())
    if not found or not any(found.groups()[2:]) or found[1] == "0":
        raise ScheduleError(
            f"expected R/, a start in UTC and a period, such as R/2026-01-01T02:00:00Z/P1D, got {text!r}"
        )
    try:
        start = datetime.fromisoformat(found[2]).replace(tzinfo=UTC)
    except ValueError:
        raise ScheduleError(f"{text!r} begins at {found[2]}, which is no moment") from None
    rule = _repeated(text, start, found.groups()[2:])
    until = None
    if found[1]:
        until = Schedule.of(rule).next(int(found[1]), start - timedelta(seconds=1))[-1]
    return Schedule.of(rule, since=start, until=until)


def _repeated(text: str, start: datetime, period: tuple[str | None, ...]) -> Rule:
    years, months, weeks, days, hours, minutes, seconds = (int(part or 0) for part in period)
    length = weeks * WEEK + days * DAY + hours * 3600 + minutes * 60 + seconds
    if not (years or months):
        if not length:
            raise ScheduleError(f"{text!r} has a period of no length")
        return Every(length, int((start - EPOCH).total_seconds()) % length)
    if length or (years, months) not in ((1, 0), (0, 1)):
        raise ScheduleError(f"{text!r} can't be carried: of periods in months and years, P1M and P1Y can")
    if start.day > 28:
        raise ScheduleError(f"{text!r} can't be carried: day {start.day} is not in every month")
    clock = ((start.second,), (start.minute,), (start.hour,), (start.day,))
    return Calendar(*clock, months=(start.month,) if years else ())


def write_intervals(schedule: Schedule) -> list[str]:
    """Return the repeating intervals that together fire as a schedule does; raises CannotHold where none do."""
    if schedule.zone:
        raise CannotHold(f"its intervals are in UTC, and {schedule.zone} puts its clock forward and back")
    made = [piece for rule in schedule.rules for piece in _intervals(rule)]
    if len(made) > MOST_PIECES:
        raise CannotHold(f"it would take {len(made)} intervals")
    return [_bounded(start, period, schedule) for start, period in made]


def _bounded(start: datetime, period: str, schedule: Schedule) -> str:
    """Return an interval that begins and ends as its schedule does."""
    count = ""
    if schedule.since or schedule.until:
        rule = read_interval(f"R/{start:%Y-%m-%dT%H:%M:%SZ}/{period}")
        alone = replace(rule, since=schedule.since or start, until=schedule.until)
        moments = alone.next(10_000, start - timedelta(seconds=1)) if schedule.until else alone.next(1, start)
        if not moments or len(moments) == 10_000:
            raise CannotHold("its intervals count how often they fire, up to 9,999 times")
        start = alone.next(1, FROM - timedelta(seconds=1))[0]
        count = str(len(moments)) if schedule.until else ""
    return f"R{count}/{start:%Y-%m-%dT%H:%M:%SZ}/{period}"


def _intervals(rule: Rule) -> Iterator[tuple[datetime, str]]:
    even = rule if isinstance(rule, Every) else as_every(rule)
    if even is not None:
        yield _from_2026(even), _period(even.seconds)
        return
    assert isinstance(rule, Calendar)
    if rule.days and rule.weekdays:
        if not rule.either:
            raise CannotHold("no interval is from one Monday that is a first of the month to the next")
        yield from _intervals(replace(rule, weekdays=(), either=False))
        yield from _intervals(replace(rule, days=(), either=False))
    elif rule.days:
        yield from _monthly(rule)
    elif rule.months:
        raise CannotHold("no interval names months without a day of the month")
    elif rule.weekdays:
        for weekday, time in product(rule.weekdays, rule.times):
            yield _from_2026(Every(WEEK, FIRST_SUNDAY + weekday * DAY + time)), "P1W"
    else:
        for time in rule.times:
            yield _from_2026(Every(DAY, time)), "P1D"


def _monthly(rule: Calendar) -> Iterator[tuple[datetime, str]]:
    if min(rule.days) < 0:
        raise CannotHold("no interval counts days from the end of a month")
    if max(rule.days) > 28:
        raise CannotHold(f"day {max(rule.days)} is not in every month")
    for month, day, time in product(rule.months or (1,), rule.days, rule.times):
        start = datetime(2026, month, day, tzinfo=UTC) + timedelta(seconds=time)
        yield start, "P1Y" if rule.months else "P1M"


def _from_2026(rule: Every) -> datetime:
    begin = int((datetime(2026, 1, 1, tzinfo=UTC) - EPOCH).total_seconds())
    return EPOCH + timedelta(seconds=begin + (rule.start - begin) % rule.seconds)


def _period(seconds: int) -> str:
    if seconds % WEEK == 0:
        return f"P{seconds // WEEK}W"
    if seconds % DAY == 0:
        return f"P{seconds // DAY}D"
    parts = [f"{seconds // 3600}H" if seconds >= 3600 else ""]
    parts += [f"{seconds % 3600 // 60}M" if seconds % 3600 // 60 else "", f"{seconds % 60}S" if seconds % 60 else ""]
    return "PT" + "".join(parts)
