"""Recurrence rules of RFC 5545, section 3.3.10, read and written."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Final
from zoneinfo import ZoneInfo

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.schedules.rules import ScheduleError, possible
from vast_ferry.hub.schedules import (
    DAY,
    EPOCH,
    WEEK,
    Calendar,
    Every,
    Rule,
    Schedule,
    known_zone,
)

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
    return several or [possible(rule, text)], until, int(count)


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
