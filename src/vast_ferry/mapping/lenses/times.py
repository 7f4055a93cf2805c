"""How times stand at native places."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, ClassVar

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.by_hand import ByHand, Stands
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.lenses.lens import Formed, Lens, LensError, Need, TwoHelpers
from vast_ferry.mapping.losses import Fields, Loss

Seen = Callable[[Fields], bool]


def time_losses(field: str, unit: str, cut: tuple[Seen, int], respelt: tuple[Seen, int]) -> tuple[Loss, ...]:
    """Return what a form of time can't hold: what it cuts off and what it respells, each with its degree."""
    return (
        Loss("time-cut", field, f"a time is finer than {unit}", "what is finer is cut off", cut[0], degree=cut[1]),
        Loss(
            "time-unknown",
            field,
            "the event tells no time",
            "it arrives as the beginning of 1970",
            lambda fields: not fields[field],
        ),
        Loss(
            "time-respelt",
            field,
            "a time has an offset from UTC, or another number of digits than usual",
            "it arrives as the same moment in UTC, spelt as usual",
            respelt[0],
            harmless=True,
            degree=respelt[1],
        ),
    )


class Epoch(TwoHelpers):
    """A whole number of units of time since 1970."""

    __slots__ = ()
    wants_value = True
    holds = ("text",)
    digits: ClassVar[int]  # of a second that it holds
    unit_name: ClassVar[str]
    to_text: ClassVar[str]  # the small functions for handlers
    from_text: ClassVar[str]

    def losses(self, field: str) -> tuple[Loss, ...]:
        digits = self.digits
        finer = re.compile(rf"\.\d{{{digits}}}\d*[1-9]")
        fraction = rf"\.\d{{{digits}}}" if digits else ""
        usual = re.compile(rf"\d{{4}}-\d\d-\d\dT\d\d:\d\d:\d\d{fraction}Z", re.ASCII)

        def respelt(fields: Fields) -> bool:
            text = fields[field]
            if not text or usual.fullmatch(text) or finer.search(text):
                return False
            return bool(getattr(helpers, self.reader)(getattr(helpers, self.writer)(text)) != text)

        def cut(fields: Fields) -> bool:
            return bool(finer.search(fields[field]))

        return time_losses(field, f"a {self.unit_name}", (cut, 9 - digits), (respelt, 9 - digits))

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.Call(ex.Beside(self.to_text), (at,)), "str")

    def inline_from(self, time: ByHand | None, other: Lens | None, there: ByHand | None) -> ByHand | None:
        """Return a time as it stands here: straight from a number of `other` there, else from RFC 3339 text."""
        if other is not None and other.unit and there is not None:
            made = self._from_number(other, there)
        elif time is not None:
            made = time.over(lambda text: ex.Call(ex.Beside(self.from_text), (text,)), "int")
        else:
            return None
        return made.over(lambda number: ex.built_in("str", number), "str") if self.in_text else made

    def _from_number(self, other: Lens, there: ByHand) -> ByHand:
        number = there.over(lambda text: ex.built_in("int", text), "int") if other.in_text else there
        if other.unit == self.unit:
            return number
        sign, factor = ("*", other.unit // self.unit) if other.unit > self.unit else ("//", self.unit // other.unit)
        return number.over(lambda base: ex.Operation(sign, (base, ex.Given(f"{factor:_}"))), "int")


class EpochMs(Epoch):
    """Whole milliseconds since 1970."""

    __slots__ = ()
    name, reader, writer = "epoch_ms", "time_from_epoch_ms", "epoch_ms_from_time"
    unit, digits, unit_name = 1_000_000, 3, "millisecond"
    to_text, from_text = "time_of_milliseconds", "milliseconds_of"


class EpochSeconds(Epoch):
    """Whole seconds since 1970."""

    __slots__ = ()
    name, reader, writer = "epoch_s", "time_from_epoch_s", "epoch_s_from_time"
    unit, digits, unit_name = 1_000_000_000, 0, "second"
    to_text, from_text = "time_of_seconds", "seconds_of"


class EpochNs(Epoch):
    """Whole nanoseconds since 1970."""

    __slots__ = ()
    name, reader, writer = "epoch_ns", "time_from_epoch_ns", "epoch_ns_from_time"
    unit, digits, unit_name = 1, 9, "nanosecond"
    to_text, from_text = "time_of_nanoseconds", "nanoseconds_of"


class EpochSecondsText(EpochSeconds):
    """Whole seconds since 1970, as text."""

    __slots__ = ()
    name, reader, writer, in_text = "epoch_s_text", "time_from_epoch_s_text", "epoch_s_text_from_time", True


class Milliseconds(Lens):
    """Seconds told in whole milliseconds."""

    __slots__ = ()
    name, holds, per_second = "milliseconds", ("number", "call"), 1000

    def read(self, at: ex.Expression, flag: ex.Expression | None, need: Need) -> ex.Expression:
        return ex.Operation("/", (at, ex.Literal(1000)))

    def write(self, value: ex.Expression, need: Need) -> ex.Expression:
        return ex.built_in("int", ex.Operation("*", (value, ex.Literal(1000))))


#: Units of time, in nanoseconds.
UNITS = {
    "ns": 1,
    "hns": 100,  # hundreds of nanoseconds
    "us": 1_000,
    "ms": 1_000_000,
    "cs": 10_000_000,
    "ds": 100_000_000,
    "s": 1_000_000_000,
    "min": 60_000_000_000,
    "h": 3_600_000_000_000,
    "d": 86_400_000_000_000,
}
_FORMS = ("whole", "text", "float", "decimal", "split")


def unit_of(text: str) -> int:
    """Return a unit of time in nanoseconds; raises LensError for an unknown one."""
    if text not in UNITS:
        raise LensError(f"{text!r} is no unit of time: use one of {', '.join(UNITS)}")
    return UNITS[text]


def form_of(text: str) -> str:
    """Return how a number stands; raises LensError for an unknown form."""
    if text not in _FORMS:
        raise LensError(f"{text!r} is no form of a number: use one of {', '.join(_FORMS)}")
    return str(text)


#: How much is cut, of a form that holds so small a unit, in nanoseconds.
_CUT = {1: 0, 100: 2, 1_000: 3, 1_000_000: 6, 10_000_000: 7, 100_000_000: 8, 1_000_000_000: 9}
#: Of two forms that only respell a time, those here spell alike: with as many digits as it needs.
_SPELT = 100


def _exactly(text: str) -> tuple[int, str]:
    """Return a moment in whole seconds, and all digits of its fraction."""
    fraction = text.partition(".")[2]
    digits = fraction[: len(fraction) - len(fraction.lstrip("0123456789"))]
    return helpers.epoch_ns_from_time(text) // 1_000_000_000, digits.rstrip("0")


def _told_by_trying(field: str, read: Callable[[Any], str], write: Callable[[str], Any], unit: int) -> tuple[Loss, ...]:
    """Return what a form of time can't hold, by what it makes of one; `unit` is its smallest, in nanoseconds."""
    degree = _CUT.get(unit, 10)

    def back(fields: Fields) -> str:
        return read(write(fields[field]))

    def cut(fields: Fields) -> bool:
        text = fields[field]
        return bool(text) and _exactly(back(fields)) != _exactly(text)

    def respelt(fields: Fields) -> bool:
        return bool(fields[field]) and not cut(fields) and back(fields) != fields[field]

    return time_losses(field, "what is told there", (cut, degree), (respelt, _SPELT))


class Since1970(Formed):
    """A number of units since 1970: `since_1970(ms)`, and how it stands: whole, float, text, decimal (as text), split.

    Units are ns, hns (100 ns), us, ms, cs, ds, s, min, h and d.

    Split is a text of whole units, a point, and a fraction that is added to them.
    """

    __slots__ = ()
    name, takes, fewest, most, holds = "since_1970", "a unit, and a form", 1, 2, ("text",)
    reader, writer = "time_from_units", "units_from_time"

    @property
    def _form(self) -> str:
        return form_of(self.args[1]) if len(self.args) > 1 else "whole"

    def told(self) -> tuple[Any, ...]:
        return (unit_of(self.args[0]), self._form)

    def losses(self, field: str) -> tuple[Loss, ...]:
        told = self.told()
        unit, form = told[:2]
        return _told_by_trying(
            field,
            lambda value: helpers.time_from_units(value, *told),
            lambda text: helpers.units_from_time(text, *told),
            {"float": 1_000, "decimal": 1, "split": 1}.get(form, unit),
        )


class Since(Since1970):
    """A number of units since another moment than 1970: `since('2000-01-01T00:00:00Z', s)`, and how it stands."""

    __slots__ = ()
    name, takes, fewest, most = "since", "a moment, a unit, and a form", 2, 3

    @property
    def _form(self) -> str:
        return form_of(self.args[2]) if len(self.args) > 2 else "whole"

    def told(self) -> tuple[Any, ...]:
        try:
            begin = helpers.second_from(self.args[0])
        except ValueError:
            what = f"{self.args[0]!r} is no moment by RFC 3339, such as 2000-01-01T00:00:00Z"
            raise LensError(what) from None
        return (unit_of(self.args[1]), self._form, begin)


class TimePattern(Formed):
    """A time by a pattern of YYYY MM DD hh mm ss, f (a fraction), fff, SECONDS (of the day), OFFSET, ZONE.

    Numbers without a zero before them are M1 D1 h1 m1 s1; names in English MONTH (March), MON (Mar), WEEKDAY, WDAY;
    DDD is the day of the year, MINUTES and MILLIS are of the day, PM makes hours those of half a day. YY is a year of
    1969 to 2068; GGGG, WEEK and DAYNO (1 to 7) are those of ISO 8601: `GGGG-WWEEK-DAYNO`. DAYS are those since 1970;
    OFFMIN and OFFSEC say by how many minutes, or seconds, the time is ahead of UTC.
    `[…]` may be left out, `[again: x]` says the second of an hour that comes twice.
    """

    __slots__ = ()
    name, takes, fewest, most, holds = "time", "a pattern", 1, 1, ("text",)
    reader, writer = "time_from_pattern", "pattern_from_time"

    def losses(self, field: str) -> tuple[Loss, ...]:
        (pattern,) = self.args
        try:
            helpers.time_pattern(pattern)
        except (re.error, RecursionError, OverflowError) as error:
            raise LensError(f"{pattern[:60]!r} can't be read as a time: {error}") from None
        if odd := helpers.unknown_in_time(pattern):
            raise LensError(
                f"{odd!r} is no part of a time in {pattern[:60]!r}, and would stand there as it is: say it with YYYY "
                "YY MM M1 MON MONTH DD D1 DDD WDAY WEEKDAY GGGG WEEK DAYNO DAYS hh h1 PM mm m1 ss s1 f fff OFFSET ZONE"
            )
        seconds = any(word in pattern for word in ("ss", "s1", "SECONDS"))
        unit = 1_000_000 if "MILLIS" in pattern else 1_000_000_000 if seconds else 60_000_000_000
        return _told_by_trying(
            field,
            lambda value: helpers.time_from_pattern(value, pattern),
            lambda text: helpers.pattern_from_time(text, pattern),
            1_000_000 if "fff" in pattern else 1 if "f" in pattern else unit,
        )


class After(Lens):
    """A moment told as whole units after another field of the event: `after(due, ms)`."""

    __slots__ = ()
    name, takes, fewest, most, holds = "after", "a field, and a unit", 2, 2, ("text",)
    wants_value = told_after_another = True
    sign: ClassVar[int] = 1

    @property
    def asks(self) -> tuple[str, ...]:
        return (self.args[0],)

    @property
    def _unit(self) -> int:
        return self.sign * unit_of(self.args[1])

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("time_after", at, need(self.args[0]), ex.Literal(self._unit))

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("span_after", value, need(self.args[0]), ex.Literal(self._unit))

    def losses(self, field: str) -> tuple[Loss, ...]:
        other, unit = self.args[0], self._unit

        def back(fields: Fields) -> str:
            return helpers.time_after(helpers.span_after(fields[field], fields[other], unit), fields[other], unit)

        def changed(fields: Fields) -> bool:
            if not (fields[field] and fields[other]):
                return False
            # That other moment may itself be cut where it stands.
            return bool(_exactly(fields[other])[1]) or _exactly(back(fields)) != _exactly(fields[field])

        return (
            Loss(
                "time-shifted",
                field,
                "a time, or the one it is told after, is finer than what is told there",
                "it arrives as another moment",
                changed,
            ),
            Loss(
                "time-needs-another",
                field,
                f"the event does not tell both {field} and {other}",
                f"{field} arrives as {other}",
                lambda fields: not (fields[field] and fields[other]),
            ),
            Loss(
                "time-respelt",
                field,
                "a time is spelt in another way than usual",
                "it arrives as the same moment in UTC, spelt as usual",
                lambda fields: (
                    bool(fields[field] and fields[other]) and not changed(fields) and back(fields) != fields[field]
                ),
                harmless=True,
                degree=_SPELT,
            ),
        )


class Before(After):
    """A moment told as whole units before another field of the event: `before(time, ms)`."""

    __slots__ = ()
    name, sign = "before", -1


class Span(Lens):
    """Seconds told in units: `span(cs)`."""

    __slots__ = ()
    name, takes, fewest, most, holds = "span", "a unit", 1, 1, ("number", "call")

    @property
    def per_second(self) -> int:  # type: ignore[override]
        unit = unit_of(self.args[0])
        if unit > UNITS["s"]:
            raise LensError("lens span takes a unit of a second or less")
        return UNITS["s"] // unit

    def losses(self, field: str) -> tuple[Loss, ...]:
        _ = self.per_second  # which a unit may not have is said here
        return ()

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return ex.Operation("/", (at, ex.Literal(self.per_second)))

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.built_in("int", ex.Operation("*", (value, ex.Literal(self.per_second))))
