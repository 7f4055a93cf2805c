"""Forms of values in definitions, each two-way: how a provider spells an entry, a quantity, a route, a choice.

A form is one class with `read` and `write`; a value that it can't read raises FormError with what was expected.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, ClassVar, Final

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.filters.captures import read_captures, write_captures
from vast_ferry.definitions.filters.cloud_event_filters import read_filters, write_filters
from vast_ferry.definitions.filters.ends import FilterError, from_ends, to_ends
from vast_ferry.definitions.filters.globs import read_glob, write_glob
from vast_ferry.definitions.routes import Routed, RouteError, RouteStyle
from vast_ferry.definitions.schedules.rules import ScheduleError
from vast_ferry.definitions.schedules.styles import STYLES
from vast_ferry.hub.findings import FerryError, nearest
from vast_ferry.hub.functions import Access, Entry
from vast_ferry.hub.keys import AnyOf, KeyFilter
from vast_ferry.hub.schedules import Schedule, known_zone

#: RFC 9110 §9.1: a method is a token; providers write them in capitals.
METHOD: Final = re.compile(r"[A-Z][A-Z0-9!#$%&'*+.^_`|~-]*")


class FormError(FerryError, ValueError):
    """A value that is not what its form takes."""


class Wider(FormError):
    """A value that is carried as what takes in more than it: `value`."""

    def __init__(self, why: str, value: Any) -> None:
        super().__init__(why)
        self.value = value


class OtherLanguage(FormError):
    """An entry that is written in a language that is not carried; its argument names the language."""


#: suffix of a handler's file → its language
LANGUAGES: Final = {
    "js": "JavaScript",
    "mjs": "JavaScript",
    "cjs": "JavaScript",
    "jsx": "JavaScript",
    "ts": "TypeScript",
    "mts": "TypeScript",
    "cts": "TypeScript",
    "go": "Go",
    "rb": "Ruby",
    "java": "Java",
    "kt": "Kotlin",
    "cs": "C#",
    "fs": "F#",
    "php": "PHP",
    "rs": "Rust",
    "pl": "Perl",
    "lua": "Lua",
    "ex": "Elixir",
    "swift": "Swift",
    "r": "R",
    "sh": "shell",
    "ps1": "PowerShell",
}
_OF_ANOTHER: Final = re.compile(rf"[\w./-]+\.({'|'.join(LANGUAGES)})\b(?!\.py)")


def _refuse_others(value: str) -> None:
    found = _OF_ANOTHER.match(value)
    if found:
        raise OtherLanguage(LANGUAGES[found[1]])


def got(value: Any, field: str = "") -> str:
    """Return what came instead of what was expected, as a message shows it: short, and never what may be a secret."""
    if isinstance(value, dict | list):
        return "a mapping" if isinstance(value, dict) else "a list"
    if field in ("variables", "secrets"):
        return f"a {type(value).__name__}"
    text = repr(value)
    return text if len(text) <= 80 else f"{text[:60]}… ({len(text):,} characters)"


#: field → the type of its value where that is not a text, and what a message calls it
_TYPES: Final[dict[str, tuple[Any, str]]] = {
    "memory": (int, "a whole number"),
    "timeout": ((int, float), "a number"),
    "methods": (list, "a list"),
    "variables": (dict, "a mapping"),
    "where": (dict, "a mapping"),
    "batch_size": (int, "a whole number"),
    "batch_window": ((int, float), "a number"),
    "attempts": (int, "a whole number"),
    "concurrency": (int, "a whole number"),
}


@dataclass(frozen=True, slots=True)
class Form:
    """The value itself, of the type that the hub's field has."""

    args: tuple[str, ...]
    options: dict[Any, Any]
    routes: RouteStyle

    name: ClassVar[str] = "plain"
    takes: ClassVar[int] = 0
    may_take: ClassVar[int] = 0  # so many more
    named: ClassVar[bool] = False
    worded: ClassVar[bool] = False  # `words` of the row are its options
    wants: ClassVar[str] = "no arguments"

    def read(self, value: Any, field: str) -> Any:
        """Return the hub's value."""
        kind, expected = _TYPES.get(field, (str, "a text"))
        if not isinstance(value, kind) or isinstance(value, bool):
            raise FormError(f"expected {expected}, got {got(value, field)}")
        if kind is not str and isinstance(value, int | float) and not 0 <= value < 1e12:
            raise FormError(f"expected a number that is not negative, got {got(value)}")
        if field == "methods":
            return tuple(_method(item) for item in value)
        if field == "variables":
            return {_text(key): _scalar(item) for key, item in value.items()}
        if field == "where":
            return {_text(key): _values(item) for key, item in value.items()}
        if field == "zone" and not known_zone(value):
            raise FormError(f"there is no time zone {value!r} in the time zone database")
        return value

    @property
    def keeps(self) -> tuple[bool, bool]:
        """Return whether a schedule keeps its time zone there, and whether it may begin and end."""
        return False, False

    def takes_part(self, value: Any) -> frozenset[str]:
        """Return the names that are this row's, where another row reads the same mapping: those that it can read."""
        return frozenset()

    def write(self, value: Any) -> Any:
        """Return what the definition says for a hub's value; raises CannotHold where it has no words for it."""
        if isinstance(value, dict):
            return {key: list(item) if isinstance(item, tuple) else item for key, item in value.items()}
        if isinstance(value, float) and value.is_integer():
            return int(value)
        return list(value) if isinstance(value, tuple) else value


def _values(value: Any) -> tuple[str, ...]:
    listed = value if isinstance(value, list) else [value]
    return tuple(_text(item) for item in listed)


def _text(value: Any) -> str:
    if not isinstance(value, str):
        raise FormError(f"expected a text, got {got(value)}")
    return value


def _scalar(value: Any) -> str:
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise FormError(f"expected a text or a number, got {got(value, 'variables')}; put it in quotes")
    return str(value)


def _method(value: Any) -> str:
    if not isinstance(value, str) or not METHOD.fullmatch(value):
        raise FormError(f"expected a request method in capitals, got {got(value)}")
    return value


class FileEntry(Form):
    """`handlers/hives.py#weight`: a file of the project, a separator, a name in it."""

    __slots__ = ()
    name, takes, wants = "file_entry", 1, "the separator"

    def read(self, value: Any, field: str) -> Entry:
        _refuse_others(_text(value))
        file, mark, callable_name = _text(value).partition(self.args[0])
        if not mark or not callable_name.isidentifier() or not file.endswith(".py"):
            raise FormError(f"expected file.py{self.args[0]}function, got {got(value)}")
        if file.startswith("/") or ".." in file.split("/") or "\\" in file:
            raise FormError(f"expected a file inside the project, got {got(file)}")
        return Entry("/".join(part for part in file.split("/") if part not in ("", ".")), callable_name)

    def write(self, value: Entry) -> str:
        return f"{value.file}{self.args[0]}{value.name}"


class ScriptEntry(Form):
    """`tasks/weight.py`: a file of the project that is run."""

    __slots__ = ()
    name = "script_entry"

    def read(self, value: Any, field: str) -> Entry:
        return FileEntry(("#",), {}, self.routes).read(f"{_text(value)}#main", field)

    def write(self, value: Entry) -> str:
        return value.file


class ModuleEntry(Form):
    """`handlers.hives:weight`: a module, a separator, a name in it."""

    __slots__ = ()
    name, takes, wants = "module_entry", 1, "the separator"

    def read(self, value: Any, field: str) -> Entry:
        if "/" in _text(value):  # a module has dots only, and may well be called `js`
            _refuse_others(value)
        module, mark, callable_name = _text(value).rpartition(self.args[0])
        parts = module.split(".")
        if not mark or not callable_name.isidentifier() or not all(part.isidentifier() for part in parts):
            raise FormError(f"expected module{self.args[0]}function, got {got(value)}")
        return Entry("/".join(parts) + ".py", callable_name)

    def write(self, value: Entry) -> str:
        return f"{value.module}{self.args[0]}{value.name}"


class Prefixed(Form):
    """A text behind a fixed beginning."""

    __slots__ = ()
    name, takes, wants = "prefixed", 1, "the beginning"

    def read(self, value: Any, field: str) -> str:
        if not _text(value).startswith(self.args[0]):
            raise FormError(f"expected a text that begins with {self.args[0]!r}, got {got(value)}")
        return str(value).removeprefix(self.args[0])

    def write(self, value: str) -> str:
        return f"{self.args[0]}{value}"


class Quantity(Form):
    """A number with its unit behind it."""

    __slots__ = ()
    name, takes, wants = "quantity", 1, "the unit"

    def read(self, value: Any, field: str) -> int | float:
        found = re.fullmatch(rf"(\d+(?:\.\d+)?){re.escape(self.args[0])}", _text(value))
        if not found:
            raise FormError(
                f"expected a number with the unit {self.args[0]}, such as 30{self.args[0]}, got {got(value)}"
            )
        return float(found[1]) if "." in found[1] else int(found[1])

    def write(self, value: float) -> str:
        return f"{value:g}{self.args[0]}" if isinstance(value, float) else f"{value}{self.args[0]}"


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
        seconds = seconds_of(_text(value).strip())
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


class Entries(Form):
    """Names and values as a list: `entries('k', 'v')`, the keys of each; those without the second are another row's."""

    __slots__ = ()
    name, takes, wants = "entries", 2, "the keys of a name and of a value"

    def read(self, value: Any, field: str) -> dict[str, str]:
        name, held = self.args
        if not isinstance(value, list) or not all(isinstance(one, dict) and name in one for one in value):
            raise FormError(f"expected a list of entries, each with {name}")
        # A name alone has an empty value.
        return {_text(one[name]): _scalar(one.get(held, "")) for one in value if held in one or len(one) == 1}

    def write(self, value: dict[str, str]) -> list[dict[str, str]]:
        return [{self.args[0]: name, self.args[1]: held} for name, held in value.items()]


class Assignments(Form):
    """Names and values as a list of texts, or as lines of one: `NAME=value`; a list is written.

    `assignments(lines)` writes one text, `assignments(':')` has another mark.
    """

    __slots__ = ()
    name, may_take, wants = "assignments", 2, "nothing, or lines and a mark"

    @property
    def _mark(self) -> str:
        return next((one for one in self.args if one != "lines"), "=")

    def read(self, value: Any, field: str) -> dict[str, str]:
        listed = value
        if isinstance(value, str):
            listed = [line for line in value.splitlines() if line.strip() and not line.startswith("#")]
        if not isinstance(listed, list) or not all(isinstance(one, str) and self._mark in one for one in listed):
            raise FormError(f"expected texts such as NAME{self._mark}value")
        parts = [one.partition(self._mark) for one in listed]
        return {name.strip(): held for name, _, held in parts}

    def write(self, value: dict[str, str]) -> Any:
        listed = [f"{name}{self._mark}{held}" for name, held in value.items()]
        if "lines" not in self.args:
            return listed
        if any("\n" in one for one in listed):
            raise CannotHold("a value has several lines")
        return "".join(f"{one}\n" for one in listed)


class Under(Form):
    """Secrets as mappings with a reference: `under('secret')` reads `KEY: {secret: vault/key}`."""

    __slots__ = ()
    name, takes, wants = "under", 1, "the key of a reference"

    def takes_part(self, value: Any) -> frozenset[str]:
        held = value.items() if isinstance(value, dict) else ()
        return frozenset(name for name, one in held if isinstance(one, dict) and self.args[0] in one)

    def read(self, value: Any, field: str) -> dict[str, str]:
        if not isinstance(value, dict):
            raise FormError("expected a mapping from names to references")
        for name, one in value.items():
            if not isinstance(one, dict) or list(one) != [self.args[0]] or not isinstance(one[self.args[0]], str):
                raise FormError(f"{name} is not a reference ({self.args[0]}: …): a secret's value must not stand here")
        return {name: one[self.args[0]] for name, one in value.items()}

    def write(self, value: dict[str, str]) -> dict[str, dict[str, str]]:
        return {name: {self.args[0]: reference} for name, reference in value.items()}


class Methods(Form):
    """Request methods: one in a text, several set apart by commas, `|` or spaces, or a list; in any case.

    Written is a list; `methods(lower)` in lower case, `methods(',')` one text with that between.
    """

    __slots__ = ()
    name, may_take, wants = "methods", 2, "nothing, or lower and what sets them apart"

    def read(self, value: Any, field: str) -> Any:
        words = value if isinstance(value, list) else [one for one in re.split(r"[\s,|]+", _text(value)) if one]
        if words == ["*"]:
            return ()
        return tuple(_method(one.upper() if isinstance(one, str) else one) for one in words)

    def write(self, value: Any) -> Any:
        words = [one.lower() if "lower" in self.args else one for one in value]
        apart = next((one for one in self.args if one != "lower"), None)
        return words if apart is None else apart.join(words)


class Reference(Form):
    """Secrets by reference: name → reference behind a fixed beginning. A value that is no reference is never kept."""

    __slots__ = ()
    name, takes, wants = "reference", 1, "the beginning of a reference"

    def takes_part(self, value: Any) -> frozenset[str]:
        held = value.items() if isinstance(value, dict) else ()
        return frozenset(name for name, one in held if isinstance(one, str) and one.startswith(self.args[0]))

    def read(self, value: Any, field: str) -> dict[str, str]:
        if not isinstance(value, dict):
            raise FormError("expected a mapping from names to references")
        for name, reference in value.items():
            # The value is not shown: it may be the secret itself.
            if not isinstance(reference, str) or not re.fullmatch(
                rf"{re.escape(self.args[0])}[A-Za-z0-9_./-]+", reference
            ):
                raise FormError(f"{name} is not a reference ({self.args[0]}…): a secret's value must not stand here")
        return {name: reference.removeprefix(self.args[0]) for name, reference in value.items()}

    def write(self, value: dict[str, str]) -> dict[str, str]:
        return {name: f"{self.args[0]}{reference}" for name, reference in value.items()}


class Choice(Form):
    """One of the provider's words, each for one of the hub's."""

    __slots__ = ()
    name, named, wants = "choice", True, "own word=hub word"

    def read(self, value: Any, field: str) -> Any:
        known = [word for word in self.options if not isinstance(value, list | dict) and word == value]
        if not known or isinstance(known[0], bool) != isinstance(value, bool):
            words = [str(word).lower() if isinstance(word, bool) else str(word) for word in self.options]
            raise FormError(f"expected one of {', '.join(words)}, got {got(value)}{nearest(str(value), words)}")
        meant = self.options[known[0]]
        if field in _TYPES and isinstance(meant, str) and meant.isdecimal():
            meant = int(meant)
        return Form.read(self, meant, field) if field in _TYPES and field not in ("methods", "where") else meant

    def write(self, value: Any) -> Any:
        own = {hub: own for own, hub in reversed(self.options.items())}
        own |= {int(hub): word for hub, word in own.items() if isinstance(hub, str) and hub.isdecimal()}
        if value not in own:
            raise CannotHold(f"it has no word for {value}")
        return own[value]


class Choices(Choice):
    """A list of the provider's words, each for one of the hub's."""

    __slots__ = ()
    name, named, wants = "choices", True, "own word=hub word"

    def read(self, value: Any, field: str) -> Any:
        if not isinstance(value, list):
            raise FormError(f"expected a list, got {got(value)}")
        return tuple(Choice.read(self, item, field) for item in value)

    def write(self, value: Any) -> Any:
        return [Choice.write(self, item) for item in value]


class Number(Form):
    """A number written as text."""

    __slots__ = ()
    name = "number"

    def read(self, value: Any, field: str) -> int | float:
        if not re.fullmatch(r"\d{1,12}(\.\d{1,6})?", _text(value)):
            raise FormError(f"expected a number, got {got(value)}")
        whole = _TYPES.get(field, (int, ""))[0] is int
        if "." in value and whole:
            raise FormError(f"expected a whole number, got {got(value)}")
        return float(value) if "." in value else int(value)

    def write(self, value: float) -> str:
        return f"{value:g}" if isinstance(value, float) else str(value)


class Words(Form):
    """A list of words in one text, set apart by commas."""

    __slots__ = ()
    name = "words"

    def read(self, value: Any, field: str) -> Any:
        return Form.read(self, [word for word in re.split(r"\s*,\s*", _text(value).strip()) if word], field)

    def write(self, value: Any) -> str:
        return ", ".join(value)


class ChoiceWords(Choice):
    """A list of the provider's words in one text, set apart by commas, each for one of the hub's."""

    __slots__ = ()
    name, named, wants = "choice_words", True, "own word=hub word"

    def read(self, value: Any, field: str) -> Any:
        words = [word for word in re.split(r"\s*,\s*", _text(value).strip()) if word]
        return tuple(Choice.read(self, word, field) for word in words)

    def write(self, value: Any) -> Any:
        return ", ".join(Choice.write(self, item) for item in value)


#: Spellings of filters on keys.
FILTERS: Final = ("glob", "shell_glob", "captures", "cloudevents")


class Filter(Form):
    """A filter on keys in one of the spellings: shell patterns, paths with captures, CloudEvents filters."""

    __slots__ = ()
    name, takes, wants = "key_filter", 1, f"one of {', '.join(FILTERS)}"

    def read(self, value: Any, field: str) -> KeyFilter:
        try:
            if self.args[0] == "cloudevents":
                return read_filters(value, "subject")
            if self.args[0] == "captures":
                return read_captures(_text(value))
            return read_glob(_text(value), slashes=self.args[0] == "glob")
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
    name, takes, wants = "any_filter", 1, f"one of begins, ends, {', '.join(FILTERS[:3])}"

    def read(self, value: Any, field: str) -> KeyFilter:
        read = [self._one(one, field) for one in (value if isinstance(value, list) else [value])]
        if not read:
            raise FormError("expected a filter on keys, or a list of them")
        return read[0] if len(read) == 1 else AnyOf(tuple(read))

    def _one(self, value: Any, field: str) -> KeyFilter:
        if self.args[0] in ("begins", "ends"):
            return from_ends(_text(value), "") if self.args[0] == "begins" else from_ends("", _text(value))
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


class CronByKey(Form):
    """A schedule as a mapping of cron's fields: `cron_by_key(minute, hour, day, month, weekday)`, `*` for none."""

    __slots__ = ()
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
    name, takes, wants = "schedule", 1, f"one of {', '.join(STYLES)}"

    def read(self, value: Any, field: str) -> Schedule:
        try:
            return STYLES[self.args[0]].read(_text(value))
        except ScheduleError as error:
            raise FormError(str(error)) from None

    def write(self, value: Schedule) -> list[str]:
        return STYLES[self.args[0]].write(value)

    @property
    def keeps(self) -> tuple[bool, bool]:
        style = STYLES[self.args[0]]
        return style.zones, style.bounds


class AccessForm(Form):
    """A list of what a function may do: the provider's words for verb and kind, a separator, and a name."""

    __slots__ = ()
    name, takes, named, wants = "access", 1, True, "the separator, and own words=kind_verb"

    def read(self, value: Any, field: str) -> tuple[Access, ...]:
        if isinstance(value, str):
            value = [word for word in re.split(r"\s*,\s*", value.strip()) if word]
        if not isinstance(value, list):
            raise FormError(f"expected a list, got {got(value)}")
        made = []
        for item in value:
            words, mark, name = _text(item).rpartition(self.args[0])
            own = words.replace(" ", "_").replace(".", "_")
            if not mark or not name or own not in self.options:
                known = ", ".join(self._said(option) for option in self.options)
                raise FormError(f"expected one of {known}, then {self.args[0]!r} and a name, got {got(item)}")
            kind, _, verb = self.options[own].partition("_")
            made.append(Access(kind, verb, name))
        return tuple(sorted(set(made)))

    def _said(self, option: str) -> str:
        return option.replace("_", " " if self.args[0] == " " else ".")

    def write(self, value: tuple[Access, ...]) -> list[str]:
        own = {hub: self._said(option) for option, hub in self.options.items()}
        return [f"{own[f'{one.kind}_{one.verb}']}{self.args[0]}{one.name}" for one in value if self.holds(one)]

    def holds(self, one: Access) -> bool:
        """Tell whether there are words for a kind of access."""
        return f"{one.kind}_{one.verb}" in self.options.values()


class Route(Form):
    """A route in the provider's spelling."""

    __slots__ = ()
    name = "route"

    def read(self, value: Any, field: str) -> Any:
        try:
            routed = self.routes.read(_text(value))
        except RouteError as error:
            raise FormError(str(error)) from None
        return {"route": routed.route, "types": dict(routed.types), "slash": routed.slash}

    def write(self, value: Any) -> str:
        routed = Routed(value["route"], tuple(value["types"].items()), value["slash"])
        made = self.routes.write(routed)
        try:
            again = self.routes.read(made)
        except RouteError as error:
            raise CannotHold(str(error)) from None
        if again.route != routed.route:
            raise CannotHold(f"{routed.route} would read as {again.route}")
        return made


class MethodsAndRoute(Route):
    """`GET /hives/{hive}`, several methods set apart by `|`, `*` for any."""

    __slots__ = ()
    name = "methods_and_route"

    def read(self, value: Any, field: str) -> Any:
        methods, _, route = _text(value).partition(" ")
        if not route:
            raise FormError(f"expected a method and a route, such as GET /hives, got {got(value)}")
        return {
            "methods": () if methods == "*" else tuple(_method(method) for method in methods.split("|")),
            **Route.read(self, route.strip(), field),
        }

    def write(self, value: Any) -> str:
        return f"{'|'.join(value['methods']) or '*'} {Route.write(self, value)}"


FORMS: Final[dict[str, type[Form]]] = {
    form.name: form
    for form in (
        Form,
        FileEntry,
        ModuleEntry,
        ScriptEntry,
        Prefixed,
        Quantity,
        Duration,
        Span,
        Entries,
        Assignments,
        Under,
        Methods,
        Reference,
        Choice,
        Choices,
        Number,
        Words,
        ChoiceWords,
        Filter,
        AnyFilter,
        CronByKey,
        ScheduleForm,
        AccessForm,
        Route,
        MethodsAndRoute,
    )
}
