"""Forms of values that definitions spell in words: sizes, lists in one text, words by beginnings, what may be done."""

from __future__ import annotations

import re
from typing import Any, ClassVar, Final

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.filters.ends import from_ends, to_ends
from vast_ferry.definitions.forms import AccessForm, Form, FormError, Wider, got
from vast_ferry.definitions.schedules.days import at_times, by_days, read_days, read_times
from vast_ferry.definitions.schedules.rules import ScheduleError
from vast_ferry.hub.functions import Access
from vast_ferry.hub.keys import AnyOf, KeyFilter, fits
from vast_ferry.hub.schedules import Schedule

#: Units of memory, in MiB.
_SIZES: Final = {"": 1 / 1048576, "k": 1 / 1024, "m": 1, "g": 1024}


def _listed(value: Any, apart: str = r"\s+") -> list[str]:
    """Return the texts of a list, or of one text in which they are set apart."""
    if isinstance(value, str):
        value = [word for word in re.split(apart, value.strip()) if word]
    if not isinstance(value, list) or not all(isinstance(one, str) for one in value):
        raise FormError(f"expected a list of texts, or one text, got {got(value)}")
    return value


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


class Each(Form):
    """A text, or a list of texts: one trigger for each of them. One alone is written as a text."""

    __slots__ = ()
    name = "each"

    def read(self, value: Any, field: str) -> tuple[str, ...]:
        return tuple(_listed([value] if isinstance(value, str) else value))

    def write(self, value: Any) -> Any:
        return value if isinstance(value, str) else list(value)


class EachWord(Each):
    """Words in one text, set apart by spaces: one trigger for each of them."""

    __slots__ = ()
    name = "each_word"

    def read(self, value: Any, field: str) -> tuple[str, ...]:
        return tuple(_listed(value))


class Apart(Form):
    """A list of words in one text, set apart by what is given: `apart('|')`."""

    __slots__ = ()
    name, takes, wants = "apart", 1, "what sets words apart"

    def read(self, value: Any, field: str) -> Any:
        return Form.read(self, _listed(value, rf"\s*{re.escape(self.args[0].strip() or ' ')}\s*"), field)

    def write(self, value: Any) -> str:
        return self.args[0].join(value)


class Settings(Form):
    """Variables that are texts, numbers or booleans there; what is carried is their text, `true` and `false`."""

    __slots__ = ()
    name = "settings"

    def read(self, value: Any, field: str) -> Any:
        if not isinstance(value, dict):
            raise FormError(f"expected a mapping, got {got(value)}")
        told = {key: str(one).lower() if isinstance(one, bool) else one for key, one in value.items()}
        return Form.read(self, told, field)


class WordsByBeginning(Form):
    """A list of the provider's words, in one text or several, `*` for any rest: each stands for one of the hub's.

    `words` of the row say which; several may stand for one. All that stand for it are written.
    """

    __slots__ = ()
    name, worded = "words_by_beginning", True
    in_one: ClassVar[bool] = False

    def read(self, value: Any, field: str) -> tuple[str, ...]:
        asked: dict[str, None] = {}
        for word in _listed(value):
            fitting = [own for own in self.options if fits(own, word)]
            if not fitting:
                raise FormError(f"expected words such as {', '.join(list(self.options)[:4])}, got {got(word)}")
            asked |= dict.fromkeys(fitting)
        hub = dict.fromkeys(self.options[own] for own in asked)
        for meant in hub:
            apart = [own for own, one in self.options.items() if one == meant and own not in asked]
            if apart:
                why = f"{' '.join(_listed(value))} leaves out {', '.join(apart)}, which is {meant} as well"
                raise Wider(f"{why}; the function is called for it too", tuple(hub))
        return tuple(hub)

    def write(self, value: Any) -> Any:
        missing = [one for one in value if one not in self.options.values()]
        if missing:
            raise CannotHold(f"it has no word for {', '.join(missing)}")
        made = [own for one in value for own, hub in self.options.items() if hub == one]
        return " ".join(made) if self.in_one else made


class WordsInOneText(WordsByBeginning):
    """The same in one text, set apart by spaces."""

    __slots__ = ()
    name, in_one = "words_in_one_text", True


class AnyEnds(Form):
    """Beginnings and ends of which a key must have one pair: `any_ends('begins', 'ends')`, the keys of an entry."""

    __slots__ = ()
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


class Grouped(Form):
    """Names with the values that each may have, one entry a value: `grouped('name', 'value')`, the keys of an entry."""

    __slots__ = ()
    name, takes, wants = "grouped", 2, "the keys of a name and of a value"

    def read(self, value: Any, field: str) -> dict[str, tuple[str, ...]]:
        name, held = self.args
        made: dict[str, tuple[str, ...]] = {}
        for one in value if isinstance(value, list) else [value]:
            if not isinstance(one, dict) or not isinstance(one.get(name), str) or not isinstance(one.get(held), str):
                raise FormError(f"expected entries of {name} and {held}, got {got(one)}")
            made[one[name]] = (*made.get(one[name], ()), one[held])
        return made

    def write(self, value: dict[str, tuple[str, ...]]) -> list[dict[str, str]]:
        return [{self.args[0]: name, self.args[1]: one} for name, held in value.items() for one in held]


class Names(Form):
    """Secrets by their own names, as a list: each is asked for by its name, which is its reference too."""

    __slots__ = ()
    name = "names"

    def read(self, value: Any, field: str) -> dict[str, str]:
        names = [one.get("name", "") if isinstance(one, dict) else one for one in _entries(value)]
        return {name: name for name in _listed(names)}

    def write(self, value: dict[str, str]) -> list[str]:
        return list(value)


def _entries(value: Any) -> list[Any]:
    return value if isinstance(value, list) else [value]


class DaysAt(Form):
    """Days and times of day under two keys: `days_at('days', 'at')`; the days may be missing for every day."""

    __slots__ = ()
    name, takes, wants = "days_at", 2, "the keys of days and of times"

    def read(self, value: Any, field: str) -> Schedule:
        days, at = self.args
        if not isinstance(value, dict) or at not in value:
            raise FormError(f"expected times of day under {at}, got {got(value)}")
        try:
            named = value.get(days, "daily")
            words = " ".join(map(str, named)) if isinstance(named, list) else str(named)
            return at_times(read_days(words), read_times(_listed(value[at])))
        except ScheduleError as error:
            raise FormError(str(error)) from None

    def write(self, value: Schedule) -> list[dict[str, Any]]:
        made = []
        for words, times in by_days(value.rules).items():
            days = words.replace(" and ", ",")
            if days.startswith("the "):
                raise CannotHold("it names weekdays, not days of the month")
            said = {} if days == "daily" else {self.args[0]: _SHORT.get(days, days)}
            made.append({**said, self.args[1]: times})
        return made


#: Groups of days as ranges.
_SHORT: Final = {"weekdays": "mon-fri", "weekends": "sat-sun"}


class AccessInWords(AccessForm):
    """What a function may do, each in a sentence: `words` of the row give sentences with `{name}` for what it is of.

    `{_}` stands for what is not carried. Several verbs may stand at a sentence's beginning, set apart by `, `.
    """

    __slots__ = ()
    name, takes, named, worded, wants = "access_in_words", 0, False, True, "no arguments, and sentences as words"

    def read(self, value: Any, field: str) -> tuple[Access, ...]:
        made: dict[Access, None] = {}
        for sentence in _listed([value] if isinstance(value, str) else value):
            *verbs, rest = re.split(r",\s+", sentence)
            last, mark, where = rest.partition(" ")
            for one in [rest] if not verbs else [f"{verb}{mark}{where}" for verb in (*verbs, last)]:
                made[self._of(one)] = None
        return tuple(sorted(made))

    def _of(self, sentence: str) -> Access:
        for words, meant in self.options.items():
            found = _sentence(words).fullmatch(sentence)
            if found:
                kind, _, verb = meant.partition("_")
                return Access(kind, verb, found["name"])
        known = "; ".join(self.options)
        raise FormError(f"expected one of: {known}; got {got(sentence)}")

    def write(self, value: tuple[Access, ...]) -> list[str]:
        own = {hub: words for words, hub in reversed(self.options.items())}
        return [self._sentence(own[f"{one.kind}_{one.verb}"], one.name) for one in value if self.holds(one)]

    def _sentence(self, words: str, name: str) -> str:
        needed = re.sub(r"\[[^\]]*\]", "", words)  # what may be missing is not written
        return re.sub(r"\{_=([^{}]*)\}", r"\1", needed).replace("{name}", name)


def _sentence(words: str) -> re.Pattern[str]:
    """Return the pattern of a sentence: `{name}`, `{_=usual}` are a word each; what is in brackets may be missing."""
    made = ""
    for part in re.split(r"(\{name\}|\{_(?:=[^{}]*)?\}|\[|\])", words):
        if part == "{name}":
            made += r"(?P<name>\S+)"
        elif part.startswith("{_"):
            made += r"\S+"
        else:
            made += {"[": "(?:", "]": ")?"}.get(part, re.escape(part))
    return re.compile(made)


#: Forms of this page by their names.
IN_WORDS: Final[dict[str, type[Form]]] = {
    form.name: form
    for form in (
        Size,
        Each,
        EachWord,
        Apart,
        Settings,
        WordsByBeginning,
        WordsInOneText,
        AnyEnds,
        Grouped,
        Names,
        DaysAt,
        AccessInWords,
    )
}
