"""Forms of values in definitions, each two-way: how a provider spells an entry, a quantity, a route, a choice.

A form is one class with `read` and `write`; a value that it can't read raises FormError with what was expected.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, ClassVar, Final

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.routes import Routed, RouteError, RouteStyle
from vast_ferry.hub.findings import FerryError, nearest
from vast_ferry.hub.functions import PYTHON, Access, Entry, language_of
from vast_ferry.hub.operations import ALLOWED
from vast_ferry.hub.schedules import known_zone
from vast_ferry.hub.standards import words_of

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


#: Fields whose values no message shows.
NEVER_SHOWN: Final = frozenset(["variables", "secrets"])


def got(value: Any, field: str = "") -> str:
    """Return what came instead of what was expected, as a message shows it: short, and never what may be a secret."""
    if isinstance(value, dict | list):
        return "a mapping" if isinstance(value, dict) else "a list"
    if field in NEVER_SHOWN:
        return f"a {type(value).__name__}"
    text = repr(value)
    return text if len(text) <= 80 else f"{text[:60]}… ({len(text):,} characters)"


#: field → the type of its value where that is not a text, and what a message calls it
TYPES: Final[dict[str, tuple[Any, str]]] = {
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
    of_mapping: ClassVar[bool] = False  # it reads a mapping, whose keys it is given
    worded: ClassVar[bool] = False  # `words` of the row are its options
    gives: ClassVar[str] = ""  # the only field that its values are of
    wants: ClassVar[str] = "no arguments"

    def wrong(self) -> str:
        """Return what is wrong with what a profile gives this form; nothing where it can be used."""
        return ""

    def read(self, value: Any, field: str) -> Any:
        """Return the hub's value."""
        if field == "changes":
            return tuple(_word(item, field) for item in (value if isinstance(value, list) else [value]))
        if field == "callers":
            return _word(value, field)
        kind, expected = TYPES.get(field, (str, "a text"))
        if not isinstance(value, kind) or isinstance(value, bool):
            raise FormError(f"expected {expected}, got {got(value, field)}")
        if kind is not str and isinstance(value, int | float) and not 0 <= value < 1e12:
            raise FormError(f"expected a number that is not negative, got {got(value)}")
        if field == "methods":
            return tuple(_method(item) for item in value)
        if field == "variables":
            return {text_of(key): scalar_of(item) for key, item in value.items()}
        if field == "where":
            return {text_of(key): _values(item) for key, item in value.items()}
        if field == "zone" and not known_zone(value):
            raise FormError(f"there is no time zone {value!r} in the time zone database")
        return value

    def read_again(self, written: Any, field: str) -> Any:
        """Return the hub's value of what this form wrote."""
        return self.read(written, field)

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


def _word(value: Any, field: str) -> str:
    """Return one of the hub's words; a profile that has others of its own says so by `words`."""
    known = words_of(field)
    if value not in known:
        raise FormError(f"expected one of {', '.join(known)}, got {got(value)}{nearest(str(value), known)}")
    return str(value)


def _values(value: Any) -> tuple[str, ...]:
    listed = value if isinstance(value, list) else [value]
    return tuple(text_of(item) for item in listed)


def text_of(value: Any) -> str:
    if not isinstance(value, str):
        raise FormError(f"expected a text, got {got(value)}")
    return value


def scalar_of(value: Any) -> str:
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise FormError(f"expected a text or a number, got {got(value, 'variables')}; put it in quotes")
    return str(value)


def listed(value: Any, apart: str = r"\s+") -> list[str]:
    """Return the texts of a list, or of one text in which they are set apart."""
    if isinstance(value, str):
        value = [word for word in re.split(apart, value.strip()) if word]
    if not isinstance(value, list) or not all(isinstance(one, str) for one in value):
        raise FormError(f"expected a list of texts, or one text, got {got(value)}")
    return value


def _method(value: Any) -> str:
    if not isinstance(value, str) or not METHOD.fullmatch(value):
        raise FormError(f"expected a request method in capitals, got {got(value)}")
    return value


class _WithSeparator(Form):
    """An entry that is a file, or a module, and a name behind a separator."""

    __slots__ = ()
    takes, may_take, wants = 1, 1, "the separator, and `bare` where files are named without their endings"

    def wrong(self) -> str:
        return "" if self.args[1:] in ((), ("bare",)) else f"{self.name} can't be {self.args[1]!r}"

    @property
    def _bare(self) -> bool:
        return len(self.args) > 1


def _without_ending(file: str) -> str:
    return file.rpartition(".")[0] if language_of(file) else file


class FileEntry(_WithSeparator):
    """`handlers/hives.py#weight`: a file of the project, a separator, a name in it; `bare`: `handlers/hives#weight`."""

    __slots__ = ()
    name = "file_entry"

    def read(self, value: Any, field: str) -> Entry:
        file, mark, callable_name = text_of(value).partition(self.args[0])
        if self._bare and not language_of(file):
            file, mark, callable_name = text_of(value).rpartition(self.args[0])
            file = file if language_of(file) or not mark else f"{file}.py"  # or what is there of that name
        if not language_of(file):  # what sets them apart may stand in the file's name as well, as a dot does
            file, mark, callable_name = text_of(value).rpartition(self.args[0])
        if not language_of(file):
            _refuse_others(text_of(value))
        if not mark or not callable_name.isidentifier() or not language_of(file):
            raise FormError(f"expected file.py{self.args[0]}function, got {got(value)}")
        if file.startswith("/") or ".." in file.split("/") or "\\" in file:
            raise FormError(f"expected a file inside the project, got {got(file)}")
        return Entry("/".join(part for part in file.split("/") if part not in ("", ".")), callable_name)

    def write(self, value: Entry) -> str:
        return f"{_without_ending(value.file) if self._bare else value.file}{self.args[0]}{value.name}"


class ScriptEntry(Form):
    """`tasks/weight.py`: a file of the project that is run."""

    __slots__ = ()
    name = "script_entry"

    def read(self, value: Any, field: str) -> Entry:
        return FileEntry(("#",), {}, self.routes).read(f"{text_of(value)}#main", field)

    def write(self, value: Entry) -> str:
        return value.file


class ModuleEntry(_WithSeparator):
    """`handlers.hives:weight`: a module, a separator, a name in it; `bare`: so files of JavaScript are named too."""

    __slots__ = ()
    name = "module_entry"

    def read(self, value: Any, field: str) -> Entry:
        if "/" in text_of(value):  # a module has dots only, and may well be called `js`
            return FileEntry(self.args[:1], {}, self.routes).read(value, field)
        module, mark, callable_name = text_of(value).rpartition(self.args[0])
        parts = module.split(".")
        if not mark or not callable_name.isidentifier() or not all(part.isidentifier() for part in parts):
            raise FormError(f"expected module{self.args[0]}function, got {got(value)}")
        return Entry("/".join(parts) + ".py", callable_name)

    def write(self, value: Entry) -> str:
        if value.language == PYTHON:
            return f"{value.module}{self.args[0]}{value.name}"
        if self._bare:
            return f"{_without_ending(value.file).replace('/', '.')}{self.args[0]}{value.name}"
        # A file at the top has its folder before it: `f.js` alone is the module `js` in a package.
        return f"{'' if '/' in value.file else './'}{value.file}{self.args[0]}{value.name}"


class Prefixed(Form):
    """A text behind a fixed beginning."""

    __slots__ = ()
    name, takes, wants = "prefixed", 1, "the beginning"

    def read(self, value: Any, field: str) -> str:
        if not text_of(value).startswith(self.args[0]):
            raise FormError(f"expected a text that begins with {self.args[0]!r}, got {got(value)}")
        return str(value).removeprefix(self.args[0])

    def write(self, value: str) -> str:
        return f"{self.args[0]}{value}"


class Methods(Form):
    """Request methods: one in a text, several set apart by commas, `|` or spaces, or a list; in any case.

    Written is a list; `methods(lower)` in lower case, `methods(',')` one text with that between.
    """

    __slots__ = ()
    name, may_take, wants = "methods", 2, "nothing, or lower and what sets them apart"

    def read(self, value: Any, field: str) -> Any:
        words = value if isinstance(value, list) else [one for one in re.split(r"[\s,|]+", text_of(value)) if one]
        if words == ["*"]:
            return ()
        return tuple(_method(one.upper() if isinstance(one, str) else one) for one in words)

    def write(self, value: Any) -> Any:
        words = [one.lower() if "lower" in self.args else one for one in value]
        apart = next((one for one in self.args if one != "lower"), None)
        return words if apart is None else apart.join(words)

    def wrong(self) -> str:
        strange = [one for one in self.args if one != "lower" and not re.fullmatch(r"[\s,|]+", one)]
        return f"{strange[0]!r} sets no methods apart: commas, `|` and spaces do" if strange else ""


class OneMethod(Methods):
    """One request method, in any case: a trigger of several is declared once for each. `method(lower)`."""

    __slots__ = ()
    name, may_take, wants = "method", 1, "nothing, or lower"

    def read(self, value: Any, field: str) -> Any:
        read = Methods.read(self, text_of(value), field)
        if len(read) > 1:
            raise FormError(f"expected one method, got {got(value)}")
        return read

    def write(self, value: Any) -> Any:
        if len(value) != 1:
            raise CannotHold("it takes one method at a time")
        return value[0].lower() if self.args else value[0]

    def wrong(self) -> str:
        return "" if self.args in ((), ("lower",)) else "it takes nothing, or lower"


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
        if field in TYPES and isinstance(meant, str) and meant.isdecimal():
            meant = int(meant)
        return Form.read(self, meant, field) if field in TYPES and field not in ("methods", "where") else meant

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


class Words(Form):
    """A list of words in one text, set apart by commas."""

    __slots__ = ()
    name = "words"

    def read(self, value: Any, field: str) -> Any:
        return Form.read(self, [word for word in re.split(r"\s*,\s*", text_of(value).strip()) if word], field)

    def write(self, value: Any) -> str:
        return ", ".join(value)


class ChoiceWords(Choice):
    """A list of the provider's words in one text, set apart by commas, each for one of the hub's."""

    __slots__ = ()
    name, named, wants = "choice_words", True, "own word=hub word"

    def read(self, value: Any, field: str) -> Any:
        words = [word for word in re.split(r"\s*,\s*", text_of(value).strip()) if word]
        return tuple(Choice.read(self, word, field) for word in words)

    def write(self, value: Any) -> Any:
        return ", ".join(Choice.write(self, item) for item in value)


class AccessForm(Form):
    """A list of what a function may do: the provider's words for verb and kind, a separator, and a name."""

    __slots__ = ()
    name, takes, named, wants = "access", 1, True, "the separator, and own words=kind_verb"

    def wrong(self) -> str:
        known = [operation.replace(".", "_") for operation in ALLOWED]
        strange = next((hub for hub in self.options.values() if hub not in known), None)
        return "" if strange is None else f"there is nothing {strange!r} to be allowed{nearest(str(strange), known)}"

    def read(self, value: Any, field: str) -> tuple[Access, ...]:
        if isinstance(value, str):
            value = [word for word in re.split(r"\s*,\s*", value.strip()) if word]
        if not isinstance(value, list):
            raise FormError(f"expected a list, got {got(value)}")
        made = []
        for item in value:
            words, mark, name = text_of(item).rpartition(self.args[0])
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
            routed = self.routes.read(text_of(value))
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
        methods, _, route = text_of(value).partition(" ")
        if not route:
            raise FormError(f"expected a method and a route, such as GET /hives, got {got(value)}")
        return {
            "methods": () if methods == "*" else tuple(_method(method) for method in methods.split("|")),
            **Route.read(self, route.strip(), field),
        }

    def write(self, value: Any) -> str:
        return f"{'|'.join(value['methods']) or '*'} {Route.write(self, value)}"
