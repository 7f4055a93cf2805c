"""Forms of values in definitions, each two-way: how a provider spells an entry, a quantity, a route, a choice.

A form is one class with `read` and `write`; a value that it can't read raises FormError with what was expected.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, ClassVar, Final

from vast_ferry.hub.findings import nearest
from vast_ferry.hub.functions import Entry
from vast_ferry.mapping.helpers import route_from_style, route_to_style

#: RFC 9110 §9.1: a method is a token; providers write them in capitals.
METHOD: Final = re.compile(r"[A-Z][A-Z0-9!#$%&'*+.^_`|~-]*")


class FormError(ValueError):
    """A value that is not what its form takes."""


@dataclass(frozen=True, slots=True)
class Form:
    """The value itself, of the type that the hub's field has."""

    args: tuple[str, ...]
    options: dict[str, str]
    routes: tuple[str, str]

    name: ClassVar[str] = "plain"
    takes: ClassVar[int] = 0
    named: ClassVar[bool] = False
    wants: ClassVar[str] = "no arguments"

    def read(self, value: Any, field: str) -> Any:
        """Return the hub's value."""
        kind: Any = {
            "memory": int,
            "timeout": (int, float),
            "methods": list,
            "variables": dict,
            "batch_size": int,
            "batch_window": (int, float),
        }.get(field, str)
        if not isinstance(value, kind) or isinstance(value, bool):
            expected = {
                "memory": "a whole number",
                "timeout": "a number",
                "methods": "a list",
                "batch_size": "a whole number",
                "batch_window": "a number",
                "variables": "a mapping",
            }
            raise FormError(f"expected {expected.get(field, 'a text')}, got {value!r}")
        if field == "methods":
            return tuple(_method(item) for item in value)
        if field == "variables":
            return {_text(key): _scalar(item) for key, item in value.items()}
        return value

    def write(self, value: Any) -> Any:
        """Return what the definition says for a hub's value."""
        return list(value) if isinstance(value, tuple) else value


def _text(value: Any) -> str:
    if not isinstance(value, str):
        raise FormError(f"expected a text, got {value!r}")
    return value


def _scalar(value: Any) -> str:
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise FormError(f"expected a text or a number, got {value!r}; put it in quotes")
    return str(value)


def _method(value: Any) -> str:
    if not isinstance(value, str) or not METHOD.fullmatch(value):
        raise FormError(f"expected a request method in capitals, got {value!r}")
    return value


class FileEntry(Form):
    """`handlers/hives.py#weight`: a file of the project, a separator, a name in it."""

    __slots__ = ()
    name, takes, wants = "file_entry", 1, "the separator"

    def read(self, value: Any, field: str) -> Entry:
        file, mark, callable_name = _text(value).partition(self.args[0])
        if not mark or not callable_name.isidentifier() or not file.endswith(".py"):
            raise FormError(f"expected file.py{self.args[0]}function, got {value!r}")
        if file.startswith("/") or ".." in file.split("/") or "\\" in file:
            raise FormError(f"expected a file inside the project, got {file!r}")
        return Entry("/".join(part for part in file.split("/") if part not in ("", ".")), callable_name)

    def write(self, value: Entry) -> str:
        return f"{value.file}{self.args[0]}{value.name}"


class ModuleEntry(Form):
    """`handlers.hives:weight`: a module, a separator, a name in it."""

    __slots__ = ()
    name, takes, wants = "module_entry", 1, "the separator"

    def read(self, value: Any, field: str) -> Entry:
        module, mark, callable_name = _text(value).partition(self.args[0])
        parts = module.split(".")
        if not mark or not callable_name.isidentifier() or not all(part.isidentifier() for part in parts):
            raise FormError(f"expected module{self.args[0]}function, got {value!r}")
        return Entry("/".join(parts) + ".py", callable_name)

    def write(self, value: Entry) -> str:
        return f"{value.module}{self.args[0]}{value.name}"


class Prefixed(Form):
    """A text behind a fixed beginning."""

    __slots__ = ()
    name, takes, wants = "prefixed", 1, "the beginning"

    def read(self, value: Any, field: str) -> str:
        if not _text(value).startswith(self.args[0]):
            raise FormError(f"expected a text that begins with {self.args[0]!r}, got {value!r}")
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
            raise FormError(f"expected a number with the unit {self.args[0]}, such as 30{self.args[0]}, got {value!r}")
        return float(found[1]) if "." in found[1] else int(found[1])

    def write(self, value: float) -> str:
        return f"{value:g}{self.args[0]}" if isinstance(value, float) else f"{value}{self.args[0]}"


class Reference(Form):
    """Secrets by reference: name → reference behind a fixed beginning. A value that is no reference is never kept."""

    __slots__ = ()
    name, takes, wants = "reference", 1, "the beginning of a reference"

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

    def read(self, value: Any, field: str) -> str:
        if value not in self.options:
            known = ", ".join(self.options)
            raise FormError(f"expected one of {known}, got {value!r}{nearest(str(value), self.options)}")
        return self.options[value]

    def write(self, value: str) -> str:
        return {hub: own for own, hub in self.options.items()}[value]


class Choices(Choice):
    """A list of the provider's words, each for one of the hub's."""

    __slots__ = ()
    name, named, wants = "choices", True, "own word=hub word"

    def read(self, value: Any, field: str) -> Any:
        if not isinstance(value, list):
            raise FormError(f"expected a list, got {value!r}")
        return tuple(Choice.read(self, item, field) for item in value)

    def write(self, value: Any) -> Any:
        return [Choice.write(self, item) for item in value]


class Glob(Form):
    """A shell pattern with one `*`: what a key begins and ends with. `*` stands for anything, slashes as well."""

    __slots__ = ()
    name, wants = "key_glob", "no arguments"

    def read(self, value: Any, field: str) -> dict[str, str]:
        pieces = re.split(r"(\[[*?\[]\])", _text(value))
        marks = [piece for piece in pieces if not re.fullmatch(r"\[[*?\[]\]", piece) and re.search(r"[*?\[]", piece)]
        if len(marks) != 1 or marks[0].count("*") != 1 or re.search(r"[?\[]", marks[0]):
            raise FormError(f"expected a pattern with one *, such as north/*.csv, got {value!r}")
        plain = [piece[1] if re.fullmatch(r"\[[*?\[]\]", piece) else piece.replace("*", "\0") for piece in pieces]
        prefix, _, suffix = "".join(plain).partition("\0")
        return {"prefix": prefix, "suffix": suffix}

    def write(self, value: Any) -> str:
        prefix, suffix = (re.sub(r"([*?\[])", r"[\1]", value[name]) for name in ("prefix", "suffix"))
        return f"{prefix}*{suffix}"


class Cron(Form):
    """A schedule of five fields, minute first (crontab(5)); `every 15 minutes` and `every 6 hours` where allowed."""

    __slots__ = ()
    name, wants = "cron", "no arguments"

    def read(self, value: Any, field: str) -> str:
        text = " ".join(_text(value).split())
        if len(text.split(" ")) != 5 or not re.fullmatch(r"[-0-9A-Za-z*/, ]+", text):
            raise FormError(f"expected five fields, minute first, such as `0 2 * * *`, got {value!r}")
        return text


class CronOrEvery(Cron):
    """A schedule of five fields, or `every 15 minutes`."""

    __slots__ = ()
    name = "cron_or_every"

    def read(self, value: Any, field: str) -> str:
        every = re.fullmatch(r"every (\d+) (minute|hour)s?", _text(value).strip())
        if not every:
            return Cron.read(self, value, field)
        count, unit = int(every[1]), every[2]
        whole = 60 if unit == "minute" else 24
        if not count or whole % count:
            part = "an hour" if unit == "minute" else "a day"
            raise FormError(f"{value!r} does not divide {part} evenly: no cron line says it")
        return f"*/{count} * * * *" if unit == "minute" else f"0 */{count} * * *"


class Route(Form):
    """A route in the provider's spelling."""

    __slots__ = ()
    name = "route"

    def read(self, value: Any, field: str) -> str:
        text = _text(value)
        if not text.startswith("/"):
            raise FormError(f"expected a route that begins with a slash, got {value!r}")
        template = route_from_style(text, *self.routes)
        segments = template.split("/")[1:]
        names = re.findall(r"\{\+?(\w+)\}", template)
        for index, segment in enumerate(segments):
            if re.search(r"[{}<>*]", re.sub(r"^\{\+?[A-Za-z_]\w*\}$", "", segment, flags=re.ASCII)):
                one, rest = (form.replace("name", "hive") for form in self.routes)
                raise FormError(f"expected captures as whole segments, {one} or {rest} at the end, got {value!r}")
            if segment.startswith("{+") and index < len(segments) - 1:
                raise FormError(f"a capture of the rest stands last, in {value!r} it does not")
        if len(set(names)) != len(names):
            raise FormError(f"{value!r} captures a name twice")
        return template

    def write(self, value: str) -> str:
        return route_to_style(value, *self.routes)


class MethodsAndRoute(Route):
    """`GET /hives/{hive}`, several methods set apart by `|`, `*` for any."""

    __slots__ = ()
    name = "methods_and_route"

    def read(self, value: Any, field: str) -> Any:
        methods, _, route = _text(value).partition(" ")
        if not route:
            raise FormError(f"expected a method and a route, such as GET /hives, got {value!r}")
        return {
            "methods": () if methods == "*" else tuple(_method(method) for method in methods.split("|")),
            "route": Route.read(self, route.strip(), field),
        }

    def write(self, value: Any) -> str:
        return f"{'|'.join(value['methods']) or '*'} {Route.write(self, value['route'])}"


FORMS: Final[dict[str, type[Form]]] = {
    form.name: form
    for form in (
        Form,
        FileEntry,
        ModuleEntry,
        Prefixed,
        Quantity,
        Reference,
        Choice,
        Choices,
        Glob,
        Cron,
        CronOrEvery,
        Route,
        MethodsAndRoute,
    )
}
