"""The spellings of schedules, each read and written: cron lines, phrases, RFC 5545 rules, ISO 8601 intervals.

Every spelling is a pair of functions over `Schedule`; what one can't say raises CannotHold with the reason.
"""

from __future__ import annotations

import calendar
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from itertools import pairwise, product
from typing import Final
from zoneinfo import ZoneInfo

from vast_ferry.hub.findings import FerryError
from vast_ferry.hub.schedules import (
    DAY,
    EPOCH,
    FIRST_SUNDAY,
    FROM,
    WEEK,
    WEEKDAY_NAMES,
    Calendar,
    Every,
    Rule,
    Schedule,
    as_every,
    known_zone,
    spans,
)

#: A schedule is not split into more single triggers than a person would look through.
MOST_PIECES: Final = 24


class ScheduleError(FerryError, ValueError):
    """A text that is no schedule in its spelling, or one that can never fire."""


class CannotHold(FerryError, ValueError):
    """A schedule that a spelling has no words for."""


def _possible(rule: Calendar, text: str) -> Calendar:
    if not rule.possible:
        day, months = min(rule.days), ", ".join(calendar.month_name[month] for month in rule.months)
        raise ScheduleError(f"{text!r} never fires: there is no day {day} in {months}")
    return rule


# --- cron ------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class CronStyle:
    """How a provider spells cron: whether seconds come first, which number Sunday has, and what two kinds of day mean.

    `sunday` is 0 (crontab(5), where 7 is Sunday too), 1 (Sunday to Saturday) or 7 (Monday to Sunday). With `both`, a
    day must be of both kinds where days of the month and of the week are given; else one is enough (crontab(5)).
    """

    seconds: bool = False
    sunday: int = 0
    both: bool = False


_MONTHS: Final = {name.upper(): number for number, name in enumerate(calendar.month_abbr) if name}


def read_cron(text: str, style: CronStyle = CronStyle()) -> Calendar:
    """Return the rule that a cron line says; raises ScheduleError for what is no such line, or never fires."""
    fields = text.split()
    count = 6 if style.seconds else 5
    if len(fields) != count:
        first, example = ("second", "0 0 2 * * *") if style.seconds else ("minute", "0 2 * * *")
        raise ScheduleError(f"expected {count} fields, {first} first, such as `{example}`, got {text!r}")
    seconds = _choice(fields.pop(0), "second", 0, 59) if style.seconds else (0,)
    minutes = _choice(fields[0], "minute", 0, 59)
    hours = _choice(fields[1], "hour", 0, 23)
    days = _choice(fields[2], "day of the month", 1, 31)
    months = _choice(fields[3], "month", 1, 12, _MONTHS)
    low, high = {0: (0, 7), 1: (1, 7), 7: (1, 7)}[style.sunday]
    shift = {0: 0, 1: 1, 7: 0}[style.sunday]
    names = {name: number + shift if number or style.sunday != 7 else 7 for number, name in enumerate(WEEKDAY_NAMES)}
    weekdays = tuple(sorted({(day - shift) % 7 for day in _choice(fields[4], "day of the week", low, high, names)}))
    return _possible(Calendar(seconds, minutes, hours, days, months, weekdays, not style.both), text)


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
        7: tuple(sorted(day or 7 for day in rule.weekdays)),
    }
    fields = [
        _field(rule.minutes, 0, 59),
        _field(rule.hours, 0, 23),
        _field(rule.days, 1, 31),
        _field(rule.months, 1, 12),
        _field(weekdays[style.sunday], 0 if style.sunday == 0 else 1, 7),
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


# --- phrases ---------------------------------------------------------------------------------------------------------

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


# --- RFC 5545 --------------------------------------------------------------------------------------------------------

_WEEKDAYS: Final = ("SU", "MO", "TU", "WE", "TH", "FR", "SA")
_FREQUENCIES: Final = {"SECONDLY": 1, "MINUTELY": 60, "HOURLY": 3600, "DAILY": DAY, "WEEKLY": WEEK}
_BY: Final = {
    "BYSECOND": ("seconds", 0, 59),
    "BYMINUTE": ("minutes", 0, 59),
    "BYHOUR": ("hours", 0, 23),
    "BYMONTHDAY": ("days", 1, 31),
    "BYMONTH": ("months", 1, 12),
}


def read_rrule(text: str) -> Schedule:
    """Return the schedule that RRULE lines say, under at most one DTSTART (RFC 5545 §3.3.10, §3.8.2.4).

    A text without a property name is one rule. Without DTSTART they begin at midnight UTC of 1 January 1970. Raises
    ScheduleError for what is no rule, and for what the hub has no words for (positions in a year, or among many days).
    """
    zone, start, begins = "", EPOCH.replace(tzinfo=None), False
    rules: list[str] = []
    lines = text.split()
    if not lines:
        raise ScheduleError("expected a rule such as FREQ=DAILY;BYHOUR=2;BYMINUTE=0, got nothing")
    for line in lines:
        if line.startswith("DTSTART"):
            found = re.fullmatch(r"DTSTART(?:;TZID=([^:;]+))?:(\d{8}T\d{6})(Z?)", line)
            if not found:
                raise ScheduleError(f"expected DTSTART:19700101T000000Z or DTSTART;TZID=zone:…, got {line!r}")
            zone = found[1] or ""
            if zone and not known_zone(zone):
                raise ScheduleError(f"there is no time zone {zone!r}")
            start, begins = _moment(found[2]), True
        else:
            rules.append(line.removeprefix("RRULE:"))
    since = start.replace(tzinfo=ZoneInfo(zone or "UTC")).astimezone(UTC) if begins else None
    made: list[Rule] = []
    ends: set[datetime | None] = set()
    for rule in rules:
        found_rules, until, count = _rrule(rule, start, zone)
        made += found_rules
        if count:
            if since is None:
                raise ScheduleError(f"{rule!r}: COUNT counts from a DTSTART, and there is none")
            counted = Schedule.of(*found_rules, zone=zone)
            until = (counted.next(count, since - timedelta(seconds=1)) or [since])[-1]
        ends.add(until)
    if len(ends) > 1:
        raise ScheduleError("rules that end at different moments can't be carried as one schedule")
    return Schedule.of(*made, zone=zone, since=since, until=ends.pop() if ends else None)


def _moment(text: str) -> datetime:
    try:
        return datetime.strptime(text, "%Y%m%dT%H%M%S" if "T" in text else "%Y%m%d")
    except ValueError:
        raise ScheduleError(f"{text!r} is no moment") from None


def _end(text: str, zone: str) -> datetime:
    """Return the moment up to which a rule fires; without a Z it is one of the rule's own zone."""
    if not re.fullmatch(r"\d{8}(T\d{6}Z?)?", text):
        raise ScheduleError(f"UNTIL={text} is no moment such as 20261231T235959Z")
    own = ZoneInfo("UTC" if text.endswith("Z") or not zone else zone)
    return _moment(text.removesuffix("Z")).replace(tzinfo=own).astimezone(UTC)


#: Days of a month, and weekdays among them.
Placed = tuple[tuple[int, ...], tuple[int, ...]]


def _rule_parts(text: str) -> dict[str, str]:
    parts: dict[str, str] = {}
    for part in text.split(";"):
        name, mark, value = part.partition("=")
        if not mark or name in parts:
            raise ScheduleError(f"expected NAME=value, each name once, got {part!r}")
        parts[name] = value
    return parts


def _chosen(parts: dict[str, str]) -> dict[str, tuple[int, ...]]:
    """Return what BY rules pick, by the field of a calendar rule; weekdays come after."""
    chosen: dict[str, tuple[int, ...]] = {}
    for name, (field, low, high) in _BY.items():
        if name not in parts:
            continue
        values = parts[name].split(",")
        sign = "[+-]?" if field == "days" else r"\+?"  # days are counted from a month's end as well
        if not all(re.fullmatch(rf"{sign}\d{{1,2}}", one) and low <= abs(int(one)) <= high for one in values):
            raise ScheduleError(f"{name}={parts[name]} can't be carried: numbers from {low} to {high} can")
        chosen[field] = tuple(sorted({int(value) for value in values}))
    return chosen


def _weekdays(
    said: str, position: str, chosen: dict[str, tuple[int, ...]], text: str, *, monthly: bool
) -> list[Placed]:
    """Return weekdays that are counted within a month; others are added to what is chosen."""
    days = _by_day(said)
    if not position and not any(number for number, _ in days):
        chosen["weekdays"] = tuple(sorted({day for _, day in days}))
        return []
    if not monthly or "days" in chosen:
        raise ScheduleError(f"{text!r} can't be carried: weekdays are counted within months, and alone, only")
    return _placed(days, position, text)


def _from_the_start(frequency: str, start: datetime, chosen: dict[str, tuple[int, ...]], *, by_day: bool) -> None:
    """Choose what a rule does not say: what is finer than its frequency is taken from its start (RFC 5545 §3.3.10)."""
    finer = {"SECONDLY": 0, "MINUTELY": 1, "HOURLY": 2}.get(frequency, 3)
    clock = (("seconds", start.second), ("minutes", start.minute), ("hours", start.hour))
    for field, begin in clock[:finer]:
        chosen.setdefault(field, (begin,))
    for field, _ in clock[finer:]:  # what is coarser only limits
        chosen.setdefault(field, ())
    if frequency == "WEEKLY":
        if "days" in chosen:
            raise ScheduleError("BYMONTHDAY does not go with FREQ=WEEKLY (RFC 5545 §3.3.10)")
        chosen.setdefault("weekdays", (start.isoweekday() % 7,))
    if frequency in ("MONTHLY", "YEARLY") and not by_day:
        chosen["days"] = (start.day,)
        if frequency == "YEARLY":
            chosen.setdefault("months", (start.month,))


def _rrule(text: str, start: datetime, zone: str) -> tuple[list[Rule], datetime | None, int]:
    """Return the rules that one says, when it ends, and after how many firings it does."""
    parts = _rule_parts(text)
    frequency = parts.pop("FREQ", "")
    if frequency not in (*_FREQUENCIES, "MONTHLY", "YEARLY"):
        raise ScheduleError(f"expected FREQ=DAILY or another frequency of RFC 5545, got {text!r}")
    interval = parts.pop("INTERVAL", "1")
    if not re.fullmatch(r"[1-9]\d{0,5}", interval):
        raise ScheduleError(f"{interval!r} is no interval")
    parts.pop("WKST", "")  # matters to weekly rules with an interval only, which are counted from their start
    until = _end(parts.pop("UNTIL"), zone) if "UNTIL" in parts else None
    count = parts.pop("COUNT", "0")
    if not re.fullmatch(r"\d{1,4}", count) or (int(count) and until):
        raise ScheduleError(f"COUNT={count} is no number up to 9999, or stands beside UNTIL")
    position = parts.pop("BYSETPOS", "")
    unknown = [name for name in parts if name not in _BY and name != "BYDAY"]
    if unknown:
        raise ScheduleError(f"{unknown[0]} can't be carried: no other spelling picks so")
    if int(interval) > 1:
        if parts or frequency not in _FREQUENCIES:
            raise ScheduleError(f"{text!r}: an interval beside BY rules, or in months or years, can't be carried")
        if zone:
            raise ScheduleError(f"{text!r}: an interval over days that a zone makes longer or shorter can't be carried")
        seconds = int(interval) * _FREQUENCIES[frequency]
        since = int((start.replace(tzinfo=UTC) - EPOCH).total_seconds())
        return [Every(seconds, since % seconds)], until, int(count)
    chosen = _chosen(parts)
    placed: list[Placed] = []
    if "BYDAY" in parts:
        monthly = frequency == "MONTHLY" or (frequency == "YEARLY" and "months" in chosen)
        placed = _weekdays(parts["BYDAY"], position, chosen, text, monthly=monthly)
    elif position:
        raise ScheduleError(f"BYSETPOS={position} can't be carried without BYDAY")
    _from_the_start(frequency, start, chosen, by_day="days" in chosen or "weekdays" in chosen or bool(placed))
    rule = replace(Calendar(), **chosen)  # type: ignore[arg-type]
    several: list[Rule] = [replace(rule, days=days, weekdays=weekdays) for days, weekdays in placed]
    return several or [_possible(rule, text)], until, int(count)


def _by_day(text: str) -> list[tuple[int, int]]:
    """Return the weekdays of BYDAY with their numbers, 0 for none."""
    made = []
    for part in text.split(","):
        found = re.fullmatch(r"([+-]?[1-5])?([A-Z]{2})", part)
        if not found or found[2] not in _WEEKDAYS:
            raise ScheduleError(f"{part!r} is no weekday such as MO or -1FR (the last Friday)")
        made.append((int(found[1] or 0), _WEEKDAYS.index(found[2])))
    return made


def _placed(days: list[tuple[int, int]], position: str, text: str) -> list[tuple[tuple[int, ...], tuple[int, ...]]]:
    """Return days of the month and weekdays that together are weekdays picked by their place in a month."""
    if not position:
        if any(not number for number, _ in days):
            raise ScheduleError(f"{text!r} can't be carried: weekdays with a number and without stand side by side")
        return [(_week(number), (day,)) for number, day in days]
    names = {day for _, day in days}
    number = int(position) if re.fullmatch(r"[+-]?[1-5]", position) else 0
    if not number or any(count for count, _ in days) or (len(names) > 1 and abs(number) > 1):
        raise ScheduleError(f"BYSETPOS={position} can't be carried: of several weekdays the first and the last can")
    if len(names) == 1:
        return [(_week(number), tuple(names))]
    # The first of them is so many days into the month where no day before it is one of them.
    step = 1 if number > 0 else -1
    made: list[tuple[tuple[int, ...], tuple[int, ...]]] = []
    for before in range(7):
        weekdays = tuple(
            sorted(day for day in names if not any((day - step * back) % 7 in names for back in range(1, before + 1)))
        )
        if weekdays:
            made.append(((step * (before + 1),), weekdays))
    return made


def _week(number: int) -> tuple[int, ...]:
    """Return the days of a month among which every weekday is for the so manieth time, from its end below zero."""
    first = 7 * (abs(number) - 1) + 1
    days = range(first, min(first + 7, 32))
    return tuple(days) if number > 0 else tuple(sorted(-day for day in days))


def write_rrule(schedule: Schedule) -> str:
    """Return RRULE lines, under a DTSTART where they need one, that fire as a schedule does."""
    lines: list[str] = []
    starts: set[int] = set()
    for rule in schedule.rules:
        if isinstance(rule, Every):
            unit, size = next((n, s) for n, s in reversed(_FREQUENCIES.items()) if rule.seconds % s == 0)
            lines.append(f"FREQ={unit};INTERVAL={rule.seconds // size}")
            starts.add(rule.start % rule.seconds)
        elif rule.days and rule.weekdays and rule.either:
            lines += [_rrule_of(replace(rule, weekdays=())), _rrule_of(replace(rule, days=()))]
        else:
            lines.append(_rrule_of(rule))
    if len(starts) > 1 or (starts and schedule.zone):
        raise CannotHold("several rules share one start there")
    if schedule.until is not None:
        lines = [f"{line};UNTIL={schedule.until:%Y%m%dT%H%M%SZ}" for line in lines]
    since = schedule.since
    if schedule.zone:
        local = since.astimezone(ZoneInfo(schedule.zone)).strftime("%Y%m%dT%H%M%S") if since else "19700101T000000"
        return "\n".join([f"DTSTART;TZID={schedule.zone}:{local}", *(f"RRULE:{line}" for line in lines)])
    start = starts.pop() if starts else 0
    if since is not None:
        # What is counted from its beginning begins when it first fires.
        begins = next(schedule.firings(since - timedelta(seconds=1)), since) if starts or start else since
        return "\n".join([f"DTSTART:{begins:%Y%m%dT%H%M%SZ}", *(f"RRULE:{line}" for line in lines)])
    if start:
        when = (EPOCH + timedelta(seconds=start)).strftime("%Y%m%dT%H%M%SZ")
        return "\n".join([f"DTSTART:{when}", *(f"RRULE:{line}" for line in lines)])
    return lines[0] if len(lines) == 1 else "\n".join(f"RRULE:{line}" for line in lines)


def _rrule_of(rule: Calendar) -> str:
    # The finest unit that takes every value is the frequency; all the rest limits it or is spelt out below it.
    finest = next((name for name in ("seconds", "minutes", "hours") if not getattr(rule, name)), "")
    frequency = {"seconds": "SECONDLY", "minutes": "MINUTELY", "hours": "HOURLY", "": "DAILY"}[finest]
    parts = [f"FREQ={frequency}"]
    for name, field in (("BYMONTH", "months"), ("BYMONTHDAY", "days")):
        if values := getattr(rule, field):
            parts.append(f"{name}={','.join(map(str, values))}")
    if rule.weekdays:
        parts.append(f"BYDAY={','.join(_WEEKDAYS[day] for day in rule.weekdays)}")
    for name, field in (("BYHOUR", "hours"), ("BYMINUTE", "minutes"), ("BYSECOND", "seconds")):
        values = getattr(rule, field)
        if values and not (name == "BYSECOND" and values == (0,)):
            parts.append(f"{name}={','.join(map(str, values))}")
    return ";".join(parts)


# --- ISO 8601 --------------------------------------------------------------------------------------------------------

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


# --- by name ---------------------------------------------------------------------------------------------------------


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

STYLES: Final = {
    "cron": ScheduleStyle(_read_calendar(CronStyle()), write_cron, "0 2 * * *"),
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
