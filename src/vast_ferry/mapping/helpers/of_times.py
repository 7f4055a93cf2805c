"""What translations of times call, in whatever unit or pattern a provider keeps them."""

from __future__ import annotations

import decimal
import functools
import itertools
import re
from collections.abc import Callable
from datetime import date, datetime, timedelta, timezone
from typing import Any
from zoneinfo import ZoneInfo

from vast_ferry.mapping.helpers.of_values import EPOCH, epoch_ns_from_time, second_of


def time_from_units(moment: Any, nanoseconds: int, form: str, begin: int = 0) -> str:
    """Return the RFC 3339 text of a number of units since 1970, or since a second: whole, a fraction, or as text."""
    if isinstance(moment, bool) or not isinstance(moment, int | float | str | decimal.Decimal):
        raise ValueError(f"{moment!r} is no number of units since 1970")
    if isinstance(moment, int):
        return time_of_ns(moment * nanoseconds + begin * 1_000_000_000)
    if isinstance(moment, str) and not re.fullmatch(r"-?[0-9]{1,30}(\.[0-9]{0,30})?", moment):
        raise ValueError(f"{moment!r} is no number of units since 1970")
    # A float says what its shortest text says, not the binary fraction nearest to it.
    if form == "split" and isinstance(moment, str):
        whole, _, fraction = moment.partition(".")
        exact = (decimal.Decimal(whole) + decimal.Decimal(f"0.{fraction or 0}")) * nanoseconds
    else:
        exact = decimal.Decimal(repr(moment) if isinstance(moment, float) else moment) * nanoseconds
        if isinstance(moment, float) and nanoseconds > 1_000_000_000:
            # A float of hours or days holds a microsecond, but no shorter text says which.
            exact = (exact / 1000).to_integral_value(decimal.ROUND_HALF_EVEN) * 1000
    return time_of_ns(int(exact.to_integral_value(decimal.ROUND_FLOOR)) + begin * 1_000_000_000)


def time_of_ns(nanoseconds: int) -> str:
    """Return the RFC 3339 text of nanoseconds since 1970, with as many digits as it needs."""
    fraction = f"{nanoseconds % 1_000_000_000:09d}".rstrip("0")
    return f"{second_of(nanoseconds // 1_000_000_000)}{'.' * bool(fraction)}{fraction}Z"


def units_from_time(text: str, nanoseconds: int, form: str, begin: int = 0) -> Any:
    """Return the units since 1970, or since a second, of an RFC 3339 text: `whole`, `text`, `float`, or `decimal`."""
    moment = epoch_ns_from_time(text) - begin * 1_000_000_000
    if form == "whole":
        return moment // nanoseconds
    if form == "text":
        return str(moment // nanoseconds)
    if form == "split":
        fraction = f"{decimal.Decimal(moment % nanoseconds) / nanoseconds:f}".partition(".")[2]
        return f"{moment // nanoseconds}{'.' * bool(fraction)}{fraction}"
    exact = decimal.Decimal(moment) / nanoseconds
    return float(exact) if form == "float" else f"{exact:f}"


MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)
WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
#: What the words of a pattern of time stand for; digits are counted, a fraction has as many as it likes.
_TIME_WORDS = {
    "YYYY": r"(?P<year>[0-9]{4})",
    "YY": r"(?P<year2>[0-9]{2})",
    "GGGG": r"(?P<weekyear>[0-9]{4})",
    "WEEK": r"(?P<week>[0-9]{2})",
    "DAYNO": r"(?P<dayno>[1-7])",
    "MM": r"(?P<month>[0-9]{2})",
    "DD": r"(?P<day>[0-9]{2})",
    "hh": r"(?P<hour>[0-9]{2})",
    "mm": r"(?P<minute>[0-9]{2})",
    "ss": r"(?P<second>[0-9]{2})",
    "M1": r"(?P<month1>[0-9]{1,2})",
    "D1": r"(?P<day1>[0-9]{1,2})",
    "h1": r"(?P<hour1>[0-9]{1,2})",
    "m1": r"(?P<minute1>[0-9]{1,2})",
    "s1": r"(?P<second1>[0-9]{1,2})",
    "DDD": r"(?P<yearday>[0-9]{3})",
    "MONTH": rf"(?P<monthname>{'|'.join(MONTHS)})",
    "MON": rf"(?P<monthword>{'|'.join(one[:3] for one in MONTHS)})",
    "WEEKDAY": rf"(?:{'|'.join(WEEKDAYS)})",
    "WDAY": rf"(?:{'|'.join(one[:3] for one in WEEKDAYS)})",
    "PM": r"(?P<half>[AaPp]\.?[Mm]\.?)",
    "DAYS": r"(?P<days>-?[0-9]{1,7})",
    "OFFMIN": r"(?P<offmin>[+-]?[0-9]{1,4})",
    "OFFSEC": r"(?P<offsec>[+-]?[0-9]{1,5})",
    "MINUTES": r"(?P<minutes>[0-9]{1,4})",
    "MILLIS": r"(?P<millis>[0-9]{1,8})",
    "SECONDS": r"(?P<seconds>[0-9]{1,5})",
    "fff": r"(?P<digits>[0-9]{3})",
    "f": r"(?P<fraction>[0-9]{1,12})",
    "OFFSET": r"(?P<offset>Z|z|[+-][0-9]{2}:?[0-9]{2})",
    "ZONE": r"(?P<zone>[A-Za-z][A-Za-z0-9_+/-]{0,60})",
}
_TIME_PIECES = re.compile(
    r"YYYY|YY|GGGG|MONTH|MON|MM|M1|DDD|DD|D1|DAYNO|DAYS|WEEKDAY|WDAY|WEEK|hh|h1|mm|m1|ss|s1|PM|SECONDS|MINUTES|MILLIS|fff|f|OFFSET|OFFMIN|OFFSEC|ZONE"
    r"|\[again:[^\]]*\]|\[|\]|.",
    re.DOTALL,
)


@functools.lru_cache(maxsize=256)
def time_pattern(pattern: str) -> re.Pattern[str]:
    """Return what a pattern of time stands for, as a regular expression."""
    made = ""
    for piece in _TIME_PIECES.findall(pattern):
        if piece.startswith("[again:"):
            made += f"(?P<again>{re.escape(piece[7:-1])})?"
        elif piece in "[]":
            made += "(?:" if piece == "[" else ")?"
        else:
            made += _TIME_WORDS.get(piece, re.escape(piece))
    return re.compile(made)


def unknown_in_time(pattern: str) -> str:
    """Return what of a pattern looks like a part of a time and is none: a letter that comes again, `MMM` or `WWW`."""
    pieces = _TIME_PIECES.findall(pattern)
    for before, piece in itertools.pairwise(pieces):
        if piece not in _TIME_WORDS and piece in "YMDWHhmswS" and before[-1:] == piece:
            return f"{before}{piece}"
    return ""


@functools.lru_cache(maxsize=256)
def time_matches(pattern: str) -> tuple[Callable[[str], re.Match[str] | None], int]:
    """Return what matches a time of a pattern, and which group of it is a fraction, 0 for none."""
    made = time_pattern(pattern)
    return made.fullmatch, made.groupindex.get("fraction") or made.groupindex.get("digits") or 0


def time_from_pattern(text: Any, pattern: str) -> str:
    """Return the RFC 3339 text, in UTC, of a time that is spelt by a pattern; raises ValueError for another."""
    matches, at = time_matches(pattern)
    found = matches(text) if isinstance(text, str) else None
    if found is None:
        raise ValueError(f"{text!r} is no time of the form {pattern}")
    fraction = found[at] if at else ""
    if not fraction:
        return f"{second_of_pattern(text, pattern)}Z"
    start, end = found.span(at)
    digits = fraction.rstrip("0")
    # The whole second is worked out once for all that fall into it: events come close together.
    second = second_around(text[:start], end - start, text[end:], pattern)
    return f"{second}.{digits}Z" if digits else f"{second}Z"


@functools.lru_cache(maxsize=4096)
def second_around(before: str, digits: int, after: str, pattern: str) -> str:
    """Return date and time of the second of a time, of which so many digits of a fraction stand between two texts."""
    return second_of_pattern(f"{before}{'0' * digits}{after}", pattern)


@functools.lru_cache(maxsize=4096)
def second_of_pattern(text: str, pattern: str) -> str:
    """Return date and time, in UTC, of the second that a time falls into which is spelt by a pattern."""
    found = time_pattern(pattern).fullmatch(text)
    told = found.groupdict() if found else {}

    def number(*names: str, usual: int = 0) -> int:
        return next((int(told[name]) for name in names if told.get(name)), usual)

    month = number("month", "month1", usual=1)
    if told.get("monthname") or told.get("monthword"):
        begins = (told.get("monthname") or told.get("monthword") or "")[:3]
        month = next(index for index, name in enumerate(MONTHS, 1) if name.startswith(begins))
    hour = number("hour", "hour1")
    if told.get("half"):
        if not 1 <= hour <= 12:
            raise ValueError(f"{text!r} has an hour that is none of 1 to 12")
        hour = hour % 12 + (12 if (told["half"] or "").lower().startswith("p") else 0)
    year = number("year", usual=1970)
    if told.get("year2"):  # as POSIX has it: 69 is of the last century
        year = number("year2") + (1900 if number("year2") > 68 else 2000)
    day = number("day", "day1", usual=1)
    if told.get("weekyear"):  # ISO 8601: a week belongs to the year of its Thursday
        of_week = date.fromisocalendar(number("weekyear"), number("week", usual=1), number("dayno", usual=1))
        year, month, day = of_week.year, of_week.month, of_week.day
    local = datetime(
        year,
        month,
        day,
        hour,
        number("minute", "minute1"),
        number("second", "second1"),
    ) + timedelta(
        days=number("days") + number("yearday", usual=1) - 1,
        seconds=number("seconds") + 60 * number("minutes"),
        milliseconds=number("millis"),
    )
    zone = told.get("zone")
    if zone and zone not in ("UTC", "Z"):
        try:
            local = local.replace(tzinfo=ZoneInfo(zone), fold=1 if told.get("again") else 0)
        except (ValueError, OSError, LookupError):
            raise ValueError(f"there is no time zone {zone!r}") from None
    else:
        ahead = timedelta(minutes=number("offmin"), seconds=number("offsec"))
        local = local.replace(tzinfo=timezone(ahead) if ahead else _offset(told.get("offset") or "Z"))
    made = local.astimezone(timezone.utc).isoformat()  # noqa: UP017
    return made[:23].rstrip("0") if made[19] == "." else made[:19]


def _offset(text: str) -> timezone:
    if text in ("Z", "z"):
        return timezone.utc  # noqa: UP017
    minutes = int(text[1:3]) * 60 + int(text[-2:])
    return timezone(timedelta(minutes=-minutes if text[0] == "-" else minutes))


def pattern_from_time(text: str, pattern: str) -> str:
    """Return a time spelt by a pattern, in UTC; a part in brackets is left out where it is zero."""
    moment = epoch_ns_from_time(text)
    when = EPOCH + timedelta(seconds=moment // 1_000_000_000)
    fraction = f"{moment % 1_000_000_000:09d}"
    words = {
        "YYYY": f"{when.year:04d}",
        "YY": f"{when.year % 100:02d}",
        "GGGG": f"{when.isocalendar()[0]:04d}",
        "WEEK": f"{when.isocalendar()[1]:02d}",
        "DAYNO": str(when.isoweekday()),
        "MM": f"{when.month:02d}",
        "DD": f"{when.day:02d}",
        "hh": f"{when.hour:02d}",
        "mm": f"{when.minute:02d}",
        "ss": f"{when.second:02d}",
        "M1": str(when.month),
        "D1": str(when.day),
        "h1": str(when.hour),
        "m1": str(when.minute),
        "s1": str(when.second),
        "DDD": f"{when.timetuple().tm_yday:03d}",
        "MONTH": MONTHS[when.month - 1],
        "MON": MONTHS[when.month - 1][:3],
        "WEEKDAY": WEEKDAYS[when.weekday()],
        "WDAY": WEEKDAYS[when.weekday()][:3],
        "PM": "AM" if when.hour < 12 else "PM",
        "MINUTES": str(when.hour * 60 + when.minute),
        "MILLIS": str((when.hour * 3600 + when.minute * 60 + when.second) * 1000 + int(fraction[:3])),
        "SECONDS": str(when.hour * 3600 + when.minute * 60 + when.second),
        "DAYS": str(moment // 86_400_000_000_000),
        "OFFMIN": "0",
        "OFFSEC": "0",
        "fff": fraction[:3],
        "f": fraction.rstrip("0") or "0",
        "OFFSET": "+0000" if "+0000" in pattern else "Z",
        "ZONE": "UTC",
    }
    if "PM" in pattern:
        words |= {"hh": f"{(when.hour + 11) % 12 + 1:02d}", "h1": str((when.hour + 11) % 12 + 1)}
    made = [""]
    kept = [True]  # whether what stands in the brackets is anything but zero
    for piece in _TIME_PIECES.findall(pattern):
        if piece.startswith("[again:"):
            continue
        if piece == "[":
            made.append("")
            kept.append(False)
        elif piece == "]":
            inner, told = made.pop(), kept.pop()
            made[-1] += inner if told else ""
            kept[-1] = kept[-1] or told
        else:
            made[-1] += words.get(piece, piece)
            kept[-1] = kept[-1] or (piece in words and words[piece].strip("0") != "")
    return made[0]


def time_after(span: Any, begin: str, nanoseconds: int) -> str:
    """Return a moment so many units after another."""
    if isinstance(span, bool) or not isinstance(span, int):
        raise ValueError(f"{span!r} is no number of units")
    return time_of_ns(epoch_ns_from_time(begin) + span * nanoseconds)


def span_after(text: str, begin: str, nanoseconds: int) -> int:
    """Return the units between two moments; none where one of them isn't told."""
    return (epoch_ns_from_time(text) - epoch_ns_from_time(begin)) // nanoseconds if text and begin else 0
