"""Schedules as days and times of day: `weekdays at 06:15 and 18:40 in Europe/Vienna`, or days and times apart."""

from __future__ import annotations

import re
from collections.abc import Iterable
from itertools import groupby
from typing import Final

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.schedules.phrases import read_phrase, write_phrase
from vast_ferry.definitions.schedules.rules import ScheduleError
from vast_ferry.hub.schedules import Calendar, Every, Rule, Schedule, as_every, known_zone

_NAMES: Final = ("sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday")
_GROUPS: Final = {"daily": (), "every day": (), "weekdays": (1, 2, 3, 4, 5), "weekends": (0, 6)}
_UNITS: Final = {"second": 1, "sec": 1, "s": 1, "minute": 60, "min": 60, "m": 60, "hour": 3600, "h": 3600, "day": 86400}


def read_days(text: str) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """Return weekdays (0 is Sunday, none: every one) and days of the month (-1 is the last) that words name."""
    words = " ".join(text.lower().split())
    if words in _GROUPS:
        return _GROUPS[words], ()
    if found := re.fullmatch(r"the (last|\d{1,2}(?:st|nd|rd|th)) (?:day )?of the month", words):
        day = -1 if found[1] == "last" else int(found[1][:-2])
        if not (day == -1 or 1 <= day <= 31):
            raise ScheduleError(f"no month has a day {day}")
        return (), (day,)
    days: set[int] = set()
    for word in re.split(r" and |,| ", words):
        if word:
            first, _, last = word.partition("-")
            start, end = _weekday(first, text), _weekday(last or first, text)
            days |= {(start + more) % 7 for more in range((end - start) % 7 + 1)}
    if not days:
        raise ScheduleError(f"{text!r} names no days")
    return tuple(sorted(days)) if len(days) < 7 else (), ()


def _weekday(word: str, text: str) -> int:
    found = [n for n, name in enumerate(_NAMES) if word in (name, f"{name}s", name[:3])]
    if not found:
        raise ScheduleError(f"expected days such as weekdays, mondays and thursdays, mon-fri, got {text!r}")
    return found[0]


def read_times(texts: Iterable[str]) -> list[tuple[int, int]]:
    """Return the hours and minutes of times of day."""
    made = []
    for text in texts:
        found = re.fullmatch(r"([01]?\d|2[0-3]):([0-5]\d)", text.strip())
        if not found:
            raise ScheduleError(f"expected a time of day such as 06:15, got {text!r}")
        made.append((int(found[1]), int(found[2])))
    return made


def at_times(days: tuple[tuple[int, ...], tuple[int, ...]], times: Iterable[tuple[int, int]]) -> Schedule:
    """Return the schedule of days and times: a rule for each minute, which hours share."""
    by_minute = groupby(sorted(times, key=lambda time: time[::-1]), key=lambda time: time[1])
    rules = [
        Calendar((0,), (minute,), tuple(hour for hour, _ in several), days[1], (), days[0])
        for minute, several in by_minute
    ]
    return Schedule.of(*rules)


def days_of(rule: Rule) -> str:
    """Return the words for a rule's days; raises CannotHold where there are none."""
    if isinstance(rule, Every) or rule.months or rule.seconds != (0,) or (rule.days and rule.weekdays):
        raise CannotHold("its schedules are days and times of day, or a distance in time")
    if rule.days:
        if len(rule.days) > 1 or rule.days[0] < -1:
            raise CannotHold("it names one day of the month, or its last")
        day = rule.days[0]
        ending = "th" if 10 < day < 20 else {1: "st", 2: "nd", 3: "rd"}.get(day % 10, "th")
        return "the last day of the month" if day < 0 else f"the {day}{ending} of the month"
    named = next((word for word, group in _GROUPS.items() if group == rule.weekdays), "")
    return named or " and ".join(f"{_NAMES[day]}s" for day in rule.weekdays)


def times_of(rule: Rule) -> list[str]:
    """Return the times of day at which a rule fires; raises CannotHold where they are more than a person would list."""
    if isinstance(rule, Every) or len(rule.times) > 48:
        raise CannotHold("it lists times of day, and this one has too many")
    return [f"{time // 3600:02}:{time // 60 % 60:02}" for time in rule.times]


def by_days(rules: Iterable[Rule]) -> dict[str, list[str]]:
    """Return the times of day at which rules fire, by the words for their days."""
    made: dict[str, list[str]] = {}
    for rule in rules:
        made[days_of(rule)] = sorted({*made.get(days_of(rule), ()), *times_of(rule)})
    return made


def read_phrase_of_days(text: str) -> Schedule:
    """Return the schedule of `weekdays at 06:15 and 18:40 in Europe/Vienna`, or of `every 20 minutes`."""
    phrase = read_phrase(text)
    if phrase is not None:
        return Schedule.of(phrase)
    days, at, rest = text.partition(" at ")
    times, _, zone = rest.partition(" in ")
    if not at:
        raise ScheduleError(f"expected days, ` at ` and times of day, got {text!r}")
    if zone and not known_zone(zone):
        raise ScheduleError(f"there is no time zone {zone!r} in the time zone database")
    schedule = at_times(read_days(days), read_times(re.split(r" and |,", times)))
    return Schedule.of(*schedule.rules, zone=zone)


def write_phrase_of_days(schedule: Schedule) -> list[str]:
    """Return the phrases that together fire as a schedule does."""
    phrases = [write_phrase(rule) for rule in schedule.rules]
    even = [phrase for phrase in phrases if phrase and phrase.split()[-1].startswith(("minute", "hour"))]
    others = [rule for rule, phrase in zip(schedule.rules, phrases, strict=True) if phrase not in even]
    zone = f" in {schedule.zone}" if schedule.zone else ""
    return [*even, *(f"{days} at {' and '.join(times)}{zone}" for days, times in by_days(others).items())]


def read_span(text: str) -> Schedule:
    """Return the schedule that fires every so long from midnight UTC: `15 min`, `6 hours`, `1 day`."""
    found = re.fullmatch(r"(\d{1,6}) ?([a-z]+)", text.strip())
    unit = _UNITS.get(found[2]) or _UNITS.get(found[2].removesuffix("s")) if found else None
    if found is None or unit is None or not int(found[1]):
        raise ScheduleError(f"expected a distance in time such as 15 min or 6 hour, got {text!r}")
    return Schedule.of(Every(int(found[1]) * unit))


def write_span(schedule: Schedule) -> list[str]:
    """Return the distances in time that together fire as a schedule does."""
    made = []
    for rule in schedule.rules:
        words = (write_phrase(rule) or "").split()
        if not words or words[-1].startswith(("second", "week")):
            raise CannotHold("it fires every so many minutes, hours or days, and this one does not")
        count, unit = (words[1] if len(words) == 3 else "1"), words[-1].removesuffix("s")
        made.append(f"{count} {'min' if unit == 'minute' else unit}")
    return made


def read_iso_span(text: str) -> Schedule:
    """Return the schedule that fires every so long from midnight UTC, as ISO 8601 says it: `PT15M`, `P1D`."""
    found = re.fullmatch(
        r"P(?=.)(?:(\d{1,4})D)?(?:T(?=\d)(?:(\d{1,6})H)?(?:(\d{1,6})M)?(?:(\d{1,6})S)?)?", text.strip()
    )
    days, hours, minutes, seconds = (int(part or 0) for part in found.groups()) if found else (0, 0, 0, 0)
    span = days * 86400 + hours * 3600 + minutes * 60 + seconds
    if not span:
        raise ScheduleError(f"expected a distance in time by ISO 8601, such as PT15M or P1D, got {text!r}")
    return Schedule.of(Every(span))


def write_iso_span(schedule: Schedule) -> list[str]:
    """Return the distances in time, as ISO 8601 says them, that together fire as a schedule does."""
    made = []
    for rule in schedule.rules:
        even = rule if isinstance(rule, Every) else as_every(rule)
        if even is None or even.start % even.seconds:
            raise CannotHold("it fires every so long from midnight, and this one does not")
        if even.seconds % 86400 == 0:
            made.append(f"P{even.seconds // 86400}D")
        else:
            hours, rest = divmod(even.seconds, 3600)
            parts = ((hours, "H"), (rest // 60, "M"), (rest % 60, "S"))
            made.append("PT" + "".join(f"{number}{unit}" for number, unit in parts if number))
    return made
