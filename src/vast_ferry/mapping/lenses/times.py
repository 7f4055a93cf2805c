"""How times stand at native places."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import ClassVar

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.by_hand import ByHand, Stands
from vast_ferry.mapping.lenses.lens import Lens, Need, TwoHelpers
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
