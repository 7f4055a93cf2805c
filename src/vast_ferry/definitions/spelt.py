"""Forms of filters on keys and of schedules, in the spellings of `filters/` and `schedules/`."""

from __future__ import annotations

from typing import Any, ClassVar, Final

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.filters.captures import read_captures, write_captures
from vast_ferry.definitions.filters.cloud_event_filters import read_filters, write_filters
from vast_ferry.definitions.filters.ends import FilterError, from_ends, to_ends
from vast_ferry.definitions.filters.globs import read_glob, write_glob
from vast_ferry.definitions.forms import Form, FormError, got, listed, text_of
from vast_ferry.definitions.schedules.days import at_times, by_days, read_days, read_times
from vast_ferry.definitions.schedules.rules import ScheduleError
from vast_ferry.definitions.schedules.styles import STYLES
from vast_ferry.hub.findings import nearest
from vast_ferry.hub.keys import AnyOf, KeyFilter
from vast_ferry.hub.schedules import Schedule

#: Spellings of filters on keys.
FILTERS: Final = ("glob", "shell_glob", "captures", "cloudevents")


class Filter(Form):
    """A filter on keys in one of the spellings: shell patterns, paths with captures, CloudEvents filters."""

    __slots__ = ()
    gives = "key_filter"
    name, takes, wants = "key_filter", 1, f"one of {', '.join(FILTERS)}"
    spellings: ClassVar[tuple[str, ...]] = FILTERS

    def wrong(self) -> str:
        return "" if self.args[0] in self.spellings else f"it takes {self.wants}, not {self.args[0]!r}"

    def read(self, value: Any, field: str) -> KeyFilter:
        try:
            if self.args[0] == "cloudevents":
                return read_filters(value, "subject")
            if self.args[0] == "captures":
                return read_captures(text_of(value))
            return read_glob(text_of(value), slashes=self.args[0] == "glob")
        except FilterError as error:
            raise FormError(str(error)) from None

    def write(self, value: KeyFilter) -> Any:
        if self.args[0] == "cloudevents":
            return write_filters(value, "subject")
        if self.args[0] == "captures":
            return write_captures(value)
        return write_glob(value, slashes=self.args[0] == "glob")


class AnyFilter(Filter):
    """Filters on keys of which one must fit, as a list or one alone: `any_filter(glob)`, `any_filter(begins)`."""

    __slots__ = ()
    spellings = ("begins", "ends", *FILTERS[:3])
    name, takes, wants = "any_filter", 1, f"one of {', '.join(spellings)}"

    def read(self, value: Any, field: str) -> KeyFilter:
        read = [self._one(one, field) for one in (value if isinstance(value, list) else [value])]
        if not read:
            raise FormError("expected a filter on keys, or a list of them")
        return read[0] if len(read) == 1 else AnyOf(tuple(read))

    def _one(self, value: Any, field: str) -> KeyFilter:
        if self.args[0] in ("begins", "ends"):
            return from_ends(text_of(value), "") if self.args[0] == "begins" else from_ends("", text_of(value))
        return Filter.read(self, value, field)

    def write(self, value: KeyFilter) -> list[Any]:
        return [self._said(one) for one in (value.filters if isinstance(value, AnyOf) else (value,))]

    def _said(self, one: KeyFilter) -> Any:
        if self.args[0] not in ("begins", "ends"):
            return Filter.write(self, one)
        prefix, suffix = to_ends(one)
        if (suffix if self.args[0] == "begins" else prefix) or not (prefix or suffix):
            raise CannotHold(f"it tells by what a key {self.args[0]} with")
        return prefix or suffix


class AnyEnds(Form):
    """Beginnings and ends of which a key must have one pair: `any_ends('begins', 'ends')`, the keys of an entry."""

    __slots__ = ()
    gives = "key_filter"
    name, takes, wants = "any_ends", 2, "the keys of a beginning and of an end"

    def read(self, value: Any, field: str) -> KeyFilter:
        begin, end = self.args
        entries = value if isinstance(value, list) else [value]
        made = []
        for one in entries:
            texts = isinstance(one, dict) and all(isinstance(text, str) for text in one.values())
            if not texts or not one or not set(one) <= {begin, end}:
                raise FormError(f"expected entries of {begin} and {end}, got {got(one)}")
            made.append(from_ends(str(one.get(begin, "")), str(one.get(end, ""))))
        return made[0] if len(made) == 1 else AnyOf(tuple(made))

    def write(self, value: KeyFilter) -> list[dict[str, str]]:
        each = value.filters if isinstance(value, AnyOf) else (value,)
        pairs = [dict(zip(self.args, to_ends(one), strict=True)) for one in each]
        return [{key: text for key, text in pair.items() if text} for pair in pairs]


class CronByKey(Form):
    """A schedule as a mapping of cron's fields: `cron_by_key(minute, hour, day, month, weekday)`, `*` for none."""

    __slots__ = ()
    gives = "schedule"
    of_mapping: ClassVar[bool] = True
    name, takes, wants = "cron_by_key", 5, "the keys of minute, hour, day, month and weekday"

    def read(self, value: Any, field: str) -> Schedule:
        unknown = sorted(set(value) - set(self.args)) if isinstance(value, dict) else ["no mapping"]
        if unknown:
            raise FormError(f"expected a mapping of {', '.join(self.args)}, got {', '.join(map(str, unknown))}")
        try:
            return STYLES["cron"].read(" ".join(str(value.get(key, "*")) for key in self.args))
        except ScheduleError as error:
            raise FormError(str(error)) from None

    def write(self, value: Schedule) -> list[dict[str, str]]:
        lines = [line.split() for line in STYLES["cron"].write(value)]
        return [{key: part for key, part in zip(self.args, line, strict=True) if part != "*"} for line in lines]


class ScheduleForm(Form):
    """A schedule in one of the spellings of `definitions/schedules/`; a text for each trigger that it takes."""

    __slots__ = ()
    gives = "schedule"
    name, takes, wants = "schedule", 1, f"one of {', '.join(STYLES)}"

    def wrong(self) -> str:
        style = self.args[0]
        return "" if style in STYLES else f"there is no spelling of schedules {style!r}{nearest(style, STYLES)}"

    def read(self, value: Any, field: str) -> Schedule:
        try:
            return STYLES[self.args[0]].read(text_of(value))
        except ScheduleError as error:
            raise FormError(str(error)) from None

    def write(self, value: Schedule) -> list[str]:
        return STYLES[self.args[0]].write(value)

    @property
    def keeps(self) -> tuple[bool, bool]:
        style = STYLES[self.args[0]]
        return style.zones, style.bounds


class DaysAt(Form):
    """Days and times of day under two keys: `days_at('days', 'at')`; the days may be missing for every day.

    Days are written as `mon-fri` or `mon,thu`, and with `days_at('days', 'at', each)` as a list.
    """

    __slots__ = ()
    gives = "schedule"
    of_mapping: ClassVar[bool] = True
    name, takes, may_take, wants = "days_at", 2, 1, "the keys of days and of times, and `each` for a list of days"

    def wrong(self) -> str:
        return "" if self.args[2:] in ((), ("each",)) else f"there is no way {self.args[2]!r} to write days: write each"

    def read(self, value: Any, field: str) -> Schedule:
        days, at = self.args[:2]
        if not isinstance(value, dict) or at not in value:
            raise FormError(f"expected times of day under {at}, got {got(value)}")
        try:
            named = value.get(days, "daily")
            words = " ".join(map(str, named)) if isinstance(named, list) else str(named)
            return at_times(read_days(words), read_times(listed(value[at])))
        except ScheduleError as error:
            raise FormError(str(error)) from None

    def write(self, value: Schedule) -> list[dict[str, Any]]:
        made = []
        for words, times in by_days(value.rules).items():
            if words.startswith("the "):
                raise CannotHold("it names weekdays, not days of the month")
            said = {} if words == "daily" else {self.args[0]: self._days(words)}
            made.append({**said, self.args[1]: times})
        return made

    def _days(self, words: str) -> str | list[str]:
        """Return days as they are written there."""
        names = [word[:3] for word in words.split(" and ")]
        text, each = _SHORT.get(words, (",".join(names), names))
        return each if self.args[2:] else text


#: Groups of days as ranges, and one by one.
_SHORT: Final[dict[str, tuple[str, list[str]]]] = {
    "weekdays": ("mon-fri", ["mon", "tue", "wed", "thu", "fri"]),
    "weekends": ("sat-sun", ["sat", "sun"]),
}
