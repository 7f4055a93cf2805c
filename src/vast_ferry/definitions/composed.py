"""Forms that are put together of others: lenses before a form, texts with a value in them, a value of several keys.

What the lenses of events can do to a value, a definition's rows can do as well: `span(ms)`, `counted_from(0)`,
`list_of_words('=') | texts`. Each composed form reads and writes as any form does; what does not come back as it was is
something that the definition can't hold.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.forms import NEVER_SHOWN, Form, FormError, Wider, got
from vast_ferry.hub.schedules import Schedule
from vast_ferry.mapping import helpers
from vast_ferry.mapping.compile.functions import lens_source, lens_writer
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.lenses.lens import Lens

#: What a lens raises for a value that it can't read.
_UNREADABLE = (ValueError, TypeError, KeyError, AttributeError, IndexError, OverflowError)

#: field of a function or a trigger → the kind of value that a lens gives for it
KINDS_OF_FIELDS = {
    "memory": "integer",
    "timeout": "number",
    "attempts": "integer",
    "concurrency": "integer",
    "batch_size": "integer",
    "batch_window": "number",
    "variables": "texts",
    "secrets": "texts",
    "where": "texts",
}


@dataclass(frozen=True, slots=True)
class Through:
    """A lens as it is used on a document: what it reads, and what it writes."""

    lens: Lens
    read: Callable[[Any], Any]
    write: Callable[[Any], Any]

    @classmethod
    def of(cls, lens: Lens) -> Through:
        """Return a lens, compiled."""
        return cls(lens, run_source(lens_source("read", lens)), run_source(lens_writer("write", lens)))

    def reads(self, value: Any, field: str) -> Any:
        """Return what a lens reads; raises FormError for what it can't."""
        try:
            return self.read(value)
        except _UNREADABLE as error:
            hidden = field in NEVER_SHOWN
            why = f"expected what `{self.lens}` reads, got {got(value, field)}"
            raise FormError(why if hidden else f"{why} ({error})") from None

    def writes(self, value: Any) -> Any:
        """Return what a lens writes; raises CannotHold for what it can't, or what would be read as something else."""
        try:
            made = self.write(value)
            if self.read(made) == value:
                return made
        except _UNREADABLE:
            pass
        raise CannotHold(f"`{self.lens}` has no way to say it")


@dataclass(frozen=True, slots=True)
class Behind(Form):
    """A form, or the value itself, behind a lens."""

    before: Through
    last: Form

    name: ClassVar[str] = ""

    def read(self, value: Any, field: str) -> Any:
        made = self.before.reads(value, field)
        if isinstance(made, float) and made.is_integer():
            made = int(made)
        return self.last.read(made, field)

    def write(self, value: Any) -> Any:
        made = self.last.write(_single(value) if KINDS_OF_FIELDS["where"] in self.before.lens.holds else value)
        if isinstance(made, list) and "list of text" not in self.before.lens.holds:
            return [self.before.writes(one) for one in made]
        return self.before.writes(made)

    @property
    def keeps(self) -> tuple[bool, bool]:
        return self.last.keeps


def _single(value: Any) -> Any:
    """Return texts by name that may each be several as one of each; raises CannotHold where one has more."""
    if not isinstance(value, dict) or not any(isinstance(one, tuple) for one in value.values()):
        return value
    if any(len(one) != 1 for one in value.values()):
        raise CannotHold("it takes one value a name")
    return {name: one for name, (one,) in value.items()}


@dataclass(frozen=True, slots=True)
class InText(Form):
    """A value that stands in a text, or in one of several: `cron({schedule | schedule(cron)})`; each with its form."""

    texts: tuple[tuple[tuple[Any, ...], Form], ...]

    name: ClassVar[str] = ""

    def read(self, value: Any, field: str) -> Any:
        whys: list[str] = []
        for form, inner in self.texts:
            try:
                return inner.read(self._inside(form, value), field)
            except Wider:
                raise
            except ValueError as error:
                whys.append(str(error))
        shown = " or ".join(helpers.shown_form(form) for form, _ in self.texts if form != (0,))
        if field in NEVER_SHOWN:
            whys = [f"expected {shown or 'what its form reads'}"]
        elif shown and len(whys) != 1:
            whys = [f"expected {shown}, got {got(value, field)}"]
        raise FormError(whys[0])

    def _inside(self, form: tuple[Any, ...], value: Any) -> Any:
        """Return what stands in the braces of a text; where there is nothing around them, the value itself."""
        return value if form == (0,) else helpers.split_text(value, (form,), 1)[0]

    def write(self, value: Any) -> Any:
        why: CannotHold | None = None
        for form, inner in self.texts:
            try:
                made = inner.write(value)
            except CannotHold as error:
                why = why or error
                continue
            if form == (0,):
                return made
            return [self._filled(form, one) for one in made] if isinstance(made, list) else self._filled(form, made)
        raise why or CannotHold("it has no text for it")

    def _filled(self, form: tuple[Any, ...], value: Any) -> str:
        made = helpers.fill_text((form,), str(value))
        if helpers.split_text(made, (form,), 1)[0] != str(value):
            raise CannotHold(f"{helpers.shown_form(form)} would be read as something else")
        return made

    @property
    def keeps(self) -> tuple[bool, bool]:
        kept = [inner.keeps for _, inner in self.texts]
        return all(zones for zones, _ in kept), all(bounds for _, bounds in kept)


@dataclass(frozen=True, slots=True)
class Pieces:
    """Parts of a text that are told one by one, by their numbers, until all are there."""

    form: tuple[Any, ...]
    count: int
    parts: Mapping[int, str]

    def beside(self, other: Pieces) -> Pieces:
        """Return the parts of both."""
        return Pieces(self.form, self.count, {**self.parts, **other.parts})

    def text(self) -> str:
        """Return the text; raises CannotHold where a part is missing that it can't do without."""
        held = [self.parts.get(number) for number in range(self.count)]
        try:
            made = helpers.fill_text((self.form,), *held)
            again = helpers.split_text(made, (self.form,), self.count)
        except (TypeError, ValueError):
            again = []
        if again != held:
            raise CannotHold(
                f"{helpers.shown_form(self.form)} has to tell all of it, or would be read as something else"
            )
        return made


@dataclass(frozen=True, slots=True)
class PartOfText(Form):
    """One of several fields that stand in a text: `{memory | quantity(MB)}/{timeout | quantity(s)}`."""

    form: tuple[Any, ...]
    count: int
    number: int
    inner: Form

    name: ClassVar[str] = ""

    def read(self, value: Any, field: str) -> Any:
        try:
            part = helpers.split_text(value, (self.form,), self.count)[self.number]
        except ValueError:
            what = f"expected {helpers.shown_form(self.form)}"
            raise FormError(what if field in NEVER_SHOWN else f"{what}, got {got(value, field)}") from None
        if part is None:
            raise Untold(field)
        return self.inner.read(part, field)

    def write(self, value: Any) -> Any:
        made = self.inner.write(value)
        if isinstance(value, tuple) and isinstance(made, list) and len(made) == 1:  # one word of those that may be many
            made = made[0]
        if isinstance(made, list):
            if not isinstance(value, Schedule):
                raise CannotHold(f"{helpers.shown_form(self.form)} has room for one value, not for a list")
            # It takes several triggers, each with a text of its own.
            return [Pieces(self.form, self.count, {self.number: str(one)}) for one in made]
        return Pieces(self.form, self.count, {self.number: str(made)})

    def read_again(self, written: Any, field: str) -> Any:
        return self.inner.read(written.parts[self.number], field)

    @property
    def keeps(self) -> tuple[bool, bool]:
        return self.inner.keeps


class Untold(FormError):
    """A text that does not tell of a field that it may tell of."""


def put_whole(data: dict[str, Any]) -> list[str]:
    """Write each text of which all parts are told in their place, and take out any other; return why, for those."""
    unheld: list[str] = []
    for key, value in list(data.items()):
        if isinstance(value, dict):
            unheld += put_whole(value)
        elif isinstance(value, Pieces):
            try:
                data[key] = value.text()
            except CannotHold as error:
                del data[key]
                unheld.append(str(error))
    return unheld


@dataclass(frozen=True, slots=True)
class _UnderKeys(Form):
    """What `last` makes of values that stand under several keys; `_apart` gives each key its own again."""

    last: Form

    name: ClassVar[str] = ""

    def write(self, value: Any) -> list[Any]:
        made = self.last.write(value)
        return [self._apart(one) for one in made] if isinstance(made, list) else self._apart(made)

    def _apart(self, made: Any) -> list[Any]:
        raise NotImplementedError

    @property
    def keeps(self) -> tuple[bool, bool]:
        return self.last.keeps


@dataclass(frozen=True, slots=True)
class OfKeys(_UnderKeys):
    """A value that stands under several keys, which make one text: `'{}#{}' | file_entry('#')`."""

    pieces: tuple[Any, ...]
    parts: tuple[Through, ...]
    needed: tuple[bool, ...]

    def read(self, value: Any, field: str) -> Any:
        read = []
        for one, part, needed in zip(value, self.parts, self.needed, strict=True):
            if one is None and needed:
                raise FormError("expected a value under each of its keys")
            read.append(None if one is None else part.reads(one, field))
        if any(one is not None and not isinstance(one, str) for one in read):
            raise FormError(f"expected texts, got {got(next(one for one in read if not isinstance(one, str)), field)}")
        return self.last.read(helpers.fill_text((self.pieces,), *read), field)

    def _apart(self, text: Any) -> list[Any]:
        try:
            found = helpers.split_text(text, (self.pieces,), len(self.parts))
        except ValueError as error:
            raise CannotHold(str(error)) from None
        return [None if one is None else part.writes(one) for one, part in zip(found, self.parts, strict=True)]


@dataclass(frozen=True, slots=True)
class BesideKeys(_UnderKeys):
    """A value that stands under several keys beside others, which make one mapping: `[on, at]`, `days_at(on, at)`."""

    keys: tuple[str, ...]

    def read(self, value: Any, field: str) -> Any:
        told = {key: one for key, one in zip(self.keys, value, strict=True) if one is not None}
        return self.last.read(told, field)

    def _apart(self, told: dict[str, Any]) -> list[Any]:
        return [told.get(key) for key in self.keys]
