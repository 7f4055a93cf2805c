"""Schedules as every dialect's meaning: when they fire, and whether two of them fire alike. No dialect stands here."""

from __future__ import annotations

import calendar
import heapq
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from functools import cached_property
from itertools import islice, pairwise
from typing import Final
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

MINUTES: Final = tuple(range(60))
HOURS: Final = tuple(range(24))
DAY: Final = 86_400
WEEK: Final = 7 * DAY
EPOCH: Final = datetime(1970, 1, 1, tzinfo=UTC)
#: The 1st of January 1970 was a Thursday; a week is counted from its Sunday.
FIRST_SUNDAY: Final = 3 * DAY
#: From here on schedules are compared, and intervals that have to begin somewhere begin.
FROM: Final = datetime(2026, 1, 1, tzinfo=UTC)
#: The Gregorian calendar repeats after so many years: what has not fired by then never will.
CYCLE: Final = 400

WEEKDAY_NAMES: Final = ("SUN", "MON", "TUE", "WED", "THU", "FRI", "SAT")


@dataclass(frozen=True, slots=True)
class Calendar:
    """Moments by what a clock and a calendar show: each field a sorted choice, empty for every value.

    `weekdays` are 0 (Sunday) to 6; `days` below zero count from a month's end, -1 its last. Where `days` and
    `weekdays` are both chosen, both must hold, or with `either` one of them (crontab(5)).
    """

    seconds: tuple[int, ...] = (0,)
    minutes: tuple[int, ...] = ()
    hours: tuple[int, ...] = ()
    days: tuple[int, ...] = ()
    months: tuple[int, ...] = ()
    weekdays: tuple[int, ...] = ()
    either: bool = False

    @property
    def times(self) -> list[int]:
        """Return the times of a day at which it fires, in seconds since midnight."""
        return [
            hour * 3600 + minute * 60 + second
            for hour in self.hours or HOURS
            for minute in self.minutes or MINUTES
            for second in self.seconds or MINUTES
        ]

    def holds(self, day: date) -> bool:
        """Tell whether it fires on a day."""
        if self.months and day.month not in self.months:
            return False
        by_day = not self.days or day.day in self.days
        if not by_day and self.days[0] < 0:  # counted from the month's end
            by_day = day.day - calendar.monthrange(day.year, day.month)[1] - 1 in self.days
        by_weekday = not self.weekdays or day.isoweekday() % 7 in self.weekdays
        if self.either and self.days and self.weekdays:
            return by_day or by_weekday
        return by_day and by_weekday

    @property
    def possible(self) -> bool:
        """Tell whether there is any day that it names: the 30th of February never comes."""
        if not self.days or (self.either and self.weekdays):
            return True
        # 2000 was a leap year.
        least = min(map(abs, self.days))
        return any(least <= calendar.monthrange(2000, month)[1] for month in self.months or range(1, 13))


@dataclass(frozen=True, slots=True)
class Every:
    """Moments a fixed number of `seconds` apart, one of which is `start` (seconds since 1970 in UTC, modulo that)."""

    seconds: int
    start: int = 0


Rule = Calendar | Every


def settled(rule: Rule) -> Rule:
    """Return a rule in the one spelling that rules with the same moments share as far as possible."""
    if isinstance(rule, Every):
        return as_calendar(rule) or Every(rule.seconds, rule.start % rule.seconds)
    fields = {
        "seconds": MINUTES,
        "minutes": MINUTES,
        "hours": HOURS,
        "days": tuple(range(1, 32)),
        "months": tuple(range(1, 13)),
        "weekdays": tuple(range(7)),
    }
    chosen: dict[str, tuple[int, ...]] = {}
    for name, whole in fields.items():
        values = tuple(sorted(set(getattr(rule, name))))
        chosen[name] = () if values == whole else values
    both = bool(chosen["days"] and chosen["weekdays"])
    if rule.either and rule.days and rule.weekdays and not both:
        chosen["days"] = chosen["weekdays"] = ()  # one of two alternatives is every day: so is the whole
    return Calendar(**chosen, either=rule.either and both)


def as_calendar(rule: Every) -> Calendar | None:
    """Return the calendar rule with the same moments in UTC, if there is one."""
    if rule.seconds > DAY:
        if rule.seconds != WEEK:
            return None
        weekday, time = divmod((rule.start - FIRST_SUNDAY) % WEEK, DAY)
        return Calendar((time % 60,), (time // 60 % 60,), (time // 3600,), weekdays=(weekday,))
    if rule.seconds <= 0 or DAY % rule.seconds:
        return None
    times = range(rule.start % rule.seconds, DAY, rule.seconds)
    made = settled(
        Calendar(
            tuple(sorted({time % 60 for time in times})),
            tuple(sorted({time // 60 % 60 for time in times})),
            tuple(sorted({time // 3600 for time in times})),
        )
    )
    assert isinstance(made, Calendar)
    return made if made.times == list(times) else None


def as_every(rule: Calendar) -> Every | None:
    """Return the rule of equal distances with the same moments in UTC, if there is one."""
    if rule.days or rule.months:
        return None
    times = rule.times
    if rule.weekdays:
        if len(rule.weekdays) != 1 or len(times) != 1:
            return None
        return Every(WEEK, (FIRST_SUNDAY + rule.weekdays[0] * DAY + times[0]) % WEEK)
    distances = {later - earlier for earlier, later in pairwise([*times, times[0] + DAY])}
    return Every(distances.pop(), times[0]) if len(distances) == 1 else None


@dataclass(frozen=True)
class Schedule:
    """What fires when any of its rules does, once for one moment; calendars are read in a time zone (empty: UTC).

    Where a clock is put forward, a time that is skipped fires as much later; where it is put back, a time that comes
    twice fires the first time (RFC 5545 §3.3.5), but what fires in every hour fires in each of the two.
    """

    rules: tuple[Rule, ...]
    zone: str = ""
    since: datetime | None = None  # it fires from that moment on, and
    until: datetime | None = None  # up to that one; both in UTC

    @classmethod
    def of(cls, *rules: Rule, zone: str = "", since: datetime | None = None, until: datetime | None = None) -> Schedule:
        """Return the schedule of some rules, settled and in order; a beginning that keeps nothing back is left out."""
        made = {settled(rule) for rule in rules}
        there = cls(tuple(sorted(made, key=repr)), "" if is_utc(zone) else zone, None, until)
        if since is None or since <= FROM:
            return there
        first = next(there.firings(FROM - timedelta(seconds=1)), None)
        return there if first is None or first >= since else replace(there, since=since)

    @cached_property
    def _zone(self) -> ZoneInfo:
        return ZoneInfo(self.zone or "UTC")

    def firings(self, after: datetime) -> Iterator[datetime]:
        """Yield the moments after `after` (aware), in UTC and in order, without end."""
        last = None
        if self.since is not None:
            after = max(after, self.since - timedelta(microseconds=1))
        for moment in heapq.merge(*(self._of(rule, after) for rule in self.rules)):
            if self.until is not None and moment > self.until:
                return
            if moment != last:
                yield moment
            last = moment

    def next(self, count: int, after: datetime) -> list[datetime]:
        """Return the next moments, so many; fewer where it never fires again."""
        return list(islice(self.firings(after), count))

    def _of(self, rule: Rule, after: datetime) -> Iterator[datetime]:
        if isinstance(rule, Every):
            seconds = int((after - EPOCH).total_seconds() // 1)
            first = (seconds - rule.start) // rule.seconds + 1
            while True:
                yield EPOCH + timedelta(seconds=rule.start + first * rule.seconds)
                first += 1
        if not rule.possible:
            return
        times = rule.times
        day = (after.astimezone(self._zone) - timedelta(days=1)).date()
        end = day.year + CYCLE
        while day.year < end:
            if rule.months and day.month not in rule.months:
                day = _next_month(day)
                continue
            if rule.holds(day):
                yield from (moment for moment in self._on(day, times, hourly=not rule.hours) if moment > after)
            day += timedelta(days=1)

    def _on(self, day: date, times: list[int], *, hourly: bool) -> list[datetime]:
        midnight = datetime(day.year, day.month, day.day)
        if not self.zone:
            return [midnight.replace(tzinfo=UTC) + timedelta(seconds=time) for time in times]
        found = set()
        for time in times:
            local = (midnight + timedelta(seconds=time)).replace(tzinfo=self._zone)
            # fold=0 takes the first of two, and the offset before a gap.
            found.add(local.astimezone(UTC))
            if hourly:
                found.add(local.replace(fold=1).astimezone(UTC))
        return sorted(found)


def _next_month(day: date) -> date:
    return date(day.year + day.month // 12, day.month % 12 + 1, 1)


def is_utc(zone: str) -> bool:
    """Tell whether a time zone's name stands for UTC."""
    return zone.upper() in ("", "UTC", "Z", "ETC/UTC", "ETC/UCT", "UCT", "ETC/ZULU", "ZULU", "GMT", "ETC/GMT")


def known_zone(zone: str) -> bool:
    """Tell whether a name is one of the time zone database's (RFC 6557)."""
    try:
        ZoneInfo(zone)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return False
    return True


def first_difference(one: Schedule, other: Schedule, after: datetime, count: int = 1000) -> datetime | None:
    """Return the first of the next `count` moments of either at which only one of two schedules fires, if any."""
    if one == other:
        return None
    ours, theirs = one.firings(after), other.firings(after)
    for _ in range(count):
        a, b = next(ours, None), next(theirs, None)
        if a != b:
            return min(moment for moment in (a, b) if moment is not None)
        if a is None:
            return None
    if one.until == other.until:
        return None
    # Beyond what was compared one of them ends, and the other may go on.
    ends = min(until for until in (one.until, other.until) if until is not None)
    longer = other if one.until == ends else one
    return next(longer.firings(max(after, ends)), None)


def described(schedule: Schedule) -> str:
    """Return a schedule in words that a person reads at once."""
    told = " and ".join(_told(rule) for rule in schedule.rules)
    bounds = "".join(
        f", {word} {moment:%Y-%m-%dT%H:%M:%SZ}"
        for word, moment in (("from", schedule.since), ("until", schedule.until))
        if moment is not None
    )
    return f"{told}, {schedule.zone or 'UTC'}{bounds}"


def _told(rule: Rule) -> str:
    if isinstance(rule, Every):
        for size, unit in ((WEEK, "week"), (DAY, "day"), (3600, "hour"), (60, "minute"), (1, "second")):
            if rule.seconds % size == 0:
                count = rule.seconds // size
                return f"every {count} {unit}s" if count > 1 else f"every {unit}"
    assert isinstance(rule, Calendar)
    even = as_every(rule)
    if even and even.seconds < DAY and even.start == 0:
        return _told(even)
    times = rule.times
    if len(times) <= 4:
        told = "at " + ", ".join(
            f"{time // 3600:02}:{time // 60 % 60:02}" + (f":{time % 60:02}" if time % 60 else "") for time in times
        )
    else:
        told = f"{len(times)} times a day, first at {times[0] // 3600:02}:{times[0] // 60 % 60:02}"
    days = []
    if rule.days:
        days.append(_days(rule.days))
    if rule.weekdays:
        days.append(f"on {', '.join(WEEKDAY_NAMES[day].title() for day in rule.weekdays)}")
    if days:
        told += " " + (" or ".join(days) if rule.either else " if ".join(days))
    if rule.months:
        told += f" in month {spans(rule.months, ', ')}"
    return told if days or rule.months or len(times) > 4 else f"daily {told}"


def _days(days: tuple[int, ...]) -> str:
    first = tuple(day for day in days if day > 0)
    last = tuple(sorted(-day for day in days if day < 0))
    told = [f"on day {spans(first, ', ')} of the month"] if first else []
    if last == (1,):
        told.append("on the last day of the month")
    elif last:
        told.append(f"on day {spans(last, ', ')} from the end of the month")
    return " or ".join(told)


def spans(values: tuple[int, ...], between: str) -> str:
    """Return sorted values as text, three and more in a row as a span, with something between them."""
    found: list[list[int]] = []
    for value in values:
        if found and value == found[-1][1] + 1:
            found[-1][1] = value
        else:
            found.append([value, value])
    return between.join(str(a) if a == b else f"{a}-{b}" if b > a + 1 else f"{a}{between}{b}" for a, b in found)
