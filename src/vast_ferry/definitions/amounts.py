"""Forms of amounts: numbers with a unit or as text, spans of time, memory."""

from __future__ import annotations

import math
import re
from decimal import Decimal
from typing import Any, Final

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.forms import TYPES, Form, FormError, got, text_of


class Quantity(Form):
    """A number with its unit behind it: `quantity(GiB)` is of memory, `quantity(min)` of time, any other a count."""

    __slots__ = ()
    name, takes, wants = "quantity", 1, "the unit"

    @property
    def _factor(self) -> float:
        """Return how many of the hub's units, MiB or seconds, one is."""
        unit = self.args[0].strip()
        memory = re.fullmatch(r"([kKMG]?)(?:i?B)?", unit)
        if memory is not None and unit:
            return _SIZES[memory[1].lower()]
        return SECONDS.get(unit.removesuffix("s") if len(unit) > 2 else unit, 1)

    def read(self, value: Any, field: str) -> int | float:
        unit = self.args[0].strip()
        found = re.fullmatch(rf"(\d{{1,15}}(?:\.\d{{1,9}})?) ?{re.escape(unit)}", text_of(value))
        if not found:
            raise FormError(f"expected a number with the unit {unit}, such as 30{self.args[0]}, got {got(value)}")
        amount = Decimal(found[1]) * Decimal(str(self._factor))
        if amount != int(amount) and TYPES.get(field, TYPES["memory"])[0] is int:
            raise FormError(
                f"expected {TYPES.get(field, TYPES['memory'])[1]}, got {got(value)}, which is {amount.normalize():f}"
            )
        return int(amount) if amount == int(amount) else float(amount)

    def write(self, value: float) -> str:
        number = value / self._factor
        if not math.isclose(float(f"{number:.6f}") * self._factor, value, rel_tol=1e-12):
            raise CannotHold(f"{value:g} is no short number of {self.args[0].strip()}")
        return f"{f'{number:.6f}'.rstrip('0').rstrip('.')}{self.args[0]}"


#: Units of a span of time, in seconds.
SECONDS: Final = {
    "ms": 0.001,
    "millisecond": 0.001,
    "s": 1,
    "sec": 1,
    "second": 1,
    "m": 60,
    "min": 60,
    "minute": 60,
    "h": 3600,
    "hour": 3600,
    "d": 86400,
    "day": 86400,
}


_UNITS: Final = "|".join(sorted((f"{unit}s?" if len(unit) > 2 else unit for unit in SECONDS), key=len, reverse=True))


_SPAN: Final = re.compile(rf"(\d{{1,9}}(?:\.\d{{1,6}})?) ?({_UNITS})(?![a-z])")


_CLOCK: Final = re.compile(r"(?:(\d{1,4}):)?(\d{1,2}):(\d{2}(?:\.\d{1,6})?)")


#: A span of time as ISO 8601 (5.5.2.4) has it, of days at most.
_ISO: Final = re.compile(
    r"P(?=.)(?:(\d{1,6})D)?(?:T(?=\d)(?:(\d{1,6})H)?(?:(\d{1,6})M)?(?:(\d{1,9}(?:\.\d{1,6})?)S)?)?"
)


def seconds_of(text: str) -> float | None:
    """Return the seconds of a span of time: `1m 30s`, `2500ms`, `00:01:30`, `PT30S`; nothing for another text.

    >>> seconds_of("1h30m"), seconds_of("00:01:30"), seconds_of("PT2M"), seconds_of("soon")
    (5400.0, 90.0, 120.0, None)
    """
    if found := _ISO.fullmatch(text):
        days, hours, minutes, seconds = (float(part or 0) for part in found.groups())
        return days * 86400 + hours * 3600 + minutes * 60 + seconds
    if found := _CLOCK.fullmatch(text):
        return int(found[1] or 0) * 3600 + int(found[2]) * 60 + float(found[3])
    total, at = 0.0, 0
    while at < len(text):
        part = _SPAN.match(text, at)
        if part is None:
            return None
        total += float(part[1]) * (SECONDS.get(part[2]) or SECONDS[part[2].removesuffix("s")])
        at = part.end() + (text[part.end() : part.end() + 1] == " ")
    return round(total, 6) if at else None


class Duration(Form):
    """A span of time as seconds: `2500ms`, `30s`, `1m 30s`, `2 minutes`, `00:01:30`, `PT30S`; `30s` is written.

    `duration(iso)`, `duration(clock)` and `duration(words)` write `PT30S`, `00:00:30` and `30 seconds`.
    """

    __slots__ = ()
    name, may_take, wants = "duration", 1, "nothing, or one of iso, clock, words"

    def read(self, value: Any, field: str) -> int | float:
        seconds = seconds_of(text_of(value).strip())
        if seconds is None:
            raise FormError(f"expected a span of time such as 30s, 2500ms, 00:01:30 or PT30S, got {got(value)}")
        return int(seconds) if seconds.is_integer() else seconds

    def write(self, value: float) -> str:
        how = self.args[0] if self.args else ""
        if how == "iso":
            return f"PT{_plain_number(value)}S"
        if how == "clock":
            whole, rest = divmod(value, 60)
            return f"{int(whole) // 60:02}:{int(whole) % 60:02}:{'0' * (rest < 10)}{_plain_number(rest)}"
        if how == "words":
            return f"{_plain_number(value)} {'second' if value == 1 else 'seconds'}"
        return f"{_plain_number(value)}s" if float(value).is_integer() else f"{_plain_number(value * 1000)}ms"


class Span(Form):
    """A number of units of time, as seconds: `span(ms)`, `span(min)`."""

    __slots__ = ()
    name, takes, wants = "span", 1, "a unit of time: ms, s, min, h or d"

    def wrong(self) -> str:
        return "" if self.args[0] in SECONDS else f"{self.args[0]!r} is no unit of time: use one of ms, s, min, h, d"

    def read(self, value: Any, field: str) -> int | float:
        if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value < 1e12:
            raise FormError(f"expected a number, got {got(value)}")
        seconds = round(value * SECONDS[self.args[0]], 6)
        return int(seconds) if float(seconds).is_integer() else seconds

    def write(self, value: float) -> int | float:
        made = round(value / SECONDS[self.args[0]], 6)
        if round(made * SECONDS[self.args[0]], 6) != value:
            raise CannotHold(f"{value:g} seconds are no short number of {self.args[0]}")
        return int(made) if made.is_integer() else made


def _plain_number(value: float) -> str:
    """Return a number without an exponent, and without zeros at its end."""
    text = f"{value:.6f}".rstrip("0").rstrip(".")
    return text or "0"


class Number(Form):
    """A number written as text."""

    __slots__ = ()
    name = "number"

    def read(self, value: Any, field: str) -> int | float:
        if not re.fullmatch(r"\d{1,12}(\.\d{1,6})?", text_of(value)):
            raise FormError(f"expected a number, got {got(value)}")
        whole = TYPES.get(field, (int, ""))[0] is int
        if "." in value and whole:
            raise FormError(f"expected a whole number, got {got(value)}")
        return float(value) if "." in value else int(value)

    def write(self, value: float) -> str:
        return f"{value:g}" if isinstance(value, float) else str(value)


#: Units of memory, in MiB.
_SIZES: Final = {"": 1 / 1048576, "k": 1 / 1024, "m": 1, "g": 1024}


class Size(Form):
    """Memory with its unit behind it, as MiB: `size('MiB')` is written so; `256M`, `3GiB`, `192 MB` are read.

    `size('B')` is of bytes, also as a plain number.
    """

    __slots__ = ()
    name, takes, wants = "size", 1, "the unit that is written"

    def read(self, value: Any, field: str) -> int:
        if self.args[0] == "B" and type(value) is int:
            value = f"{value}B"
        text = value if isinstance(value, str) else ""
        found = re.fullmatch(r"(\d{1,15}(?:\.\d{1,6})?) ?([kmgKMG]?)(?:i?[bB])?", text)
        unit = found[2].lower() if found else ""
        if found is None or (not unit and self.args[0] != "B"):
            raise FormError(f"expected memory with its unit, such as 256{self.args[0]}, got {got(value)}")
        size = float(found[1]) * _SIZES[unit]
        if not size.is_integer():
            raise FormError(f"expected whole MiB, got {got(value)}")
        return int(size)

    def write(self, value: int) -> Any:
        number = value / _SIZES[self._unit]
        if not float(f"{number:.6f}") * _SIZES[self._unit] == value:
            raise CannotHold(f"{value} MiB is no short number of {self.args[0]}")
        if self.args[0] == "B":
            return int(number)
        return f"{f'{number:.6f}'.rstrip('0').rstrip('.')}{self.args[0]}"

    @property
    def _unit(self) -> str:
        first = self.args[0].strip()[:1].lower()
        return first if first in _SIZES and self.args[0] != "B" else ""
