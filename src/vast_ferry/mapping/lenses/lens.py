"""What a lens is: how a value stands at a native place, both ways; and the plainest ones.

A lens has all its faces in one class: `read` and `write` for generated code, `losses` for what it can't hold, `inline`
and its like for what a person would write by hand in a handler, `undoes` for the standard functions that read it.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from vast_ferry.hub.findings import FerryError, nearest
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.by_hand import ByHand, How, Lookup, Stands
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.losses import Loss

Need = Callable[[str], Expression]


class LensError(FerryError, ValueError):
    """A lens that does not exist or was given what it does not take."""


def number_given(lens: str, argument: str, most: int = 100) -> int:
    """Return the whole number that an argument is; raises LensError for any other, and for one above `most`."""
    if not (argument.isascii() and argument.isdecimal()) or int(argument) > most:
        raise LensError(f"lens {lens} takes a whole number of {most} at most, not {argument[:40]!r}")
    return int(argument)


@dataclass(frozen=True, slots=True)
class Lens:
    """A form of a value at a native place; this one is the value itself.

    `args` are as the row gives them. `flagged` says that the form needs a second place; `spread` that it fills several
    items of the mapping at its place; `holds` lists the kinds of hub fields it is for (empty: any).
    """

    args: tuple[Any, ...] = ()
    options: tuple[tuple[Any, Any], ...] = ()

    name: ClassVar[str] = "plain"
    takes: ClassVar[str] = ""
    fewest: ClassVar[int] = 0
    most: ClassVar[int] = 0
    named: ClassVar[bool] = False
    names: ClassVar[bool] = False  # options become names in generated code
    one_to_one: ClassVar[bool] = False  # no two options may stand for the same
    counts: ClassVar[bool] = False  # an argument may be a number
    holds: ClassVar[tuple[str, ...]] = ()
    needs: ClassVar[tuple[str, ...]] = ()
    flagged: ClassVar[bool] = False
    spread: ClassVar[bool] = False
    derived_only: ClassVar[bool] = False
    folded: ClassVar[bool] = False  # reads names in lower case that don't repeat
    reads_only: ClassVar[bool] = False  # another row fills its place
    awaited: ClassVar[bool] = False  # reading it is awaited

    # What a handler finds there.
    plain: ClassVar[bool] = False  # the hub's value itself
    content: ClassVar[str] = ""  # as what a body stands there: bytes, text, packed, either, json, pieces, stream
    again: ClassVar[str] = ""  # what is read once: function beside a handler that makes of it what can be read again
    gives: ClassVar[str] = ""  # the type of what is read, where it is not that of the field
    unit: ClassVar[int] = 0  # nanoseconds of one, for times that are numbers
    in_text: ClassVar[bool] = False  # a number that stands there as text
    per_second: ClassVar[int] = 1  # for spans of time
    empty: ClassVar[str] = ""  # what the hub has where nothing stands there
    subscript: ClassVar[How | None] = None  # what `place[name]` gives of values by name
    folds_case: ClassVar[bool] = False  # values are found by names in any case
    by_name: ClassVar[How | None] = None  # what a call by name gives, where the place is one
    forgives: ClassVar[bool] = False  # values that are no text are made text where a handler gives them
    pairs: ClassVar[bool] = False  # (name, value) pairs, one by one
    undoes: ClassVar[tuple[str, ...]] = ()  # standard functions that make the hub's value of what stands there
    where_absent: ClassVar[Expression | None] = None  # what stands for a missing place, if not what the field has
    holds_text: ClassVar[bool] = False  # of bytes, those only that are text
    by_hand: ClassVar[bool] = True  # a handler may be rewritten where it stands
    tries: ClassVar[bool] = False  # in a pipeline, what comes back is looked at
    stands_for_nothing: ClassVar[bool] = False  # an empty text has a form as well
    sets_apart: ClassVar[bool] = False  # it tells pairs apart by texts that they may hold
    told_after_another: ClassVar[bool] = False  # what is lost of the field that it asks for changes this one
    wants_value: ClassVar[bool] = False  # reads no missing place: what the field has stands for it

    # --- generated code ---

    @property
    def of_event(self) -> tuple[str, ...]:
        """Return the fields of the event that is answered which this needs, in an answer."""
        return ()

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        """Return the hub value of what stands at the place."""
        return at

    def write(self, value: Expression, need: Need) -> Expression:
        """Return what stands at the place for a hub value."""
        return value

    def write_folded(self, value: Expression, need: Need) -> Expression:
        """Return what stands at the place for pairs whose names are in lower case and don't repeat."""
        return self.write(value, need)

    def write_flag(self, value: Expression, need: Need) -> Expression:
        """Return what stands at the second place."""
        raise NotImplementedError

    def told_text(self, at: Expression, flag: Expression | None) -> Expression:
        """Return an expression that tells whether the content at the place was given as text."""
        return ex.Literal(True)

    def content_kind(self, at: Expression) -> Expression:
        """Return an expression that tells as what a content was given: text, bytes, json, or an empty text for none."""
        return helper("kind_of_content", at)

    def on_file(self) -> Lens:
        """Return the lens for the same place in an event on file, which is JSON."""
        return self

    def exact(self) -> Lens:
        """Return the lens that keeps decimals as they were written, for what is only passed on."""
        return self

    def losses(self, field: str) -> tuple[Loss, ...]:
        """Return what this form can't hold of `field`."""
        return ()

    def losses_by(self, field: str, back: Callable[[Any], Any]) -> tuple[Loss, ...]:
        """Return the same where this form is one of several: `back` writes a value through all, and reads it again."""
        return self.losses(field)

    @property
    def may_leave(self) -> bool:
        """Tell whether parts of what stands at the place may be such that the hub's field can't hold them."""
        return type(self).not_taken is not Lens.not_taken

    def not_taken(self, value: Any) -> tuple[str, ...]:
        """Return which parts of what stands at the place the hub's field can't hold as what they are."""
        return ()

    # --- by hand ---

    def inline(self, stands: Stands) -> ByHand | None:
        """Return the hub value of what stands at the place, as a person would write it; nothing where none would."""
        return None

    def inline_write(self, value: ByHand) -> ByHand | None:
        """Return what stands at the place for a hub value, as a person would write it."""
        return None

    def inline_text(self, stands: Stands) -> ByHand | None:
        """Return content as text."""
        return None

    def inline_json(self, stands: Stands) -> ByHand | None:
        """Return content as a JSON value."""
        return None

    def inline_pairs(self, at: ByHand) -> ByHand | None:
        """Return (name, value) pairs as a list."""
        return None

    def inline_named(self, at: Expression, name: Expression) -> Expression | None:
        """Return what a handler has by a name, where it is not called with it."""
        return None

    def look_up(self, at: ByHand, wanted: Lookup) -> ByHand | None:
        """Return what stands under a name."""
        return None

    @property
    def asks(self) -> tuple[str, ...]:
        """Return the other fields that it asks for."""
        return self.needs

    def wrong(self, fields: Collection[str]) -> str:
        """Return what is wrong with it in a shape that has these fields; empty where nothing is."""
        unknown = next((one for one in self.asks if one not in fields), "")
        return f"there is no field {unknown!r}{nearest(unknown, fields)}" if unknown else ""

    @property
    def of_names(self) -> Callable[[str], bool] | None:
        """Return which names of a mapping it reads; nothing where it reads whatever stands at its place."""
        return None

    @property
    def methods(self) -> Mapping[str, str]:
        """Return the methods by which a handler looks values up by name: how → what it is called."""
        return {}

    @property
    def words(self) -> Mapping[str, str]:
        """Return the provider's words: its own → the hub's."""
        return {}

    @property
    def keys(self) -> Mapping[str, str] | None:
        """Return under which names a record's keys stand there: hub name → its own; nothing where none can be read."""
        return None

    def __str__(self) -> str:
        inner = ", ".join([*map(str, self.args), *(f"{key}={value}" for key, value in self.options)])
        return f"{self.name}({inner})" if inner else self.name


class TwoHelpers(Lens):
    """A lens that is one helper each way."""

    __slots__ = ()
    reader: ClassVar[str]
    writer: ClassVar[str]

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper(self.reader, at, *(need(field) for field in self.needs))

    def write(self, value: Expression, need: Need) -> Expression:
        return helper(self.writer, value, *(need(field) for field in self.needs))


class Formed(Lens):
    """A lens that is one helper each way, which take what the row says beside the value; it reads no missing place."""

    __slots__ = ()
    reader: ClassVar[str]
    writer: ClassVar[str]
    wants_value = True

    def told(self) -> tuple[Any, ...]:
        """Return what the helpers take beside the value."""
        return self.args

    def back(self, value: Any) -> Any:
        """Return what a value is when it was written and is read again, for a form that needs no other field."""
        told = self.told()
        return getattr(helpers, self.reader)(getattr(helpers, self.writer)(value, *told), *told)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper(self.reader, at, *map(need, self.needs), *map(ex.Literal, self.told()))

    def write(self, value: Expression, need: Need) -> Expression:
        return helper(self.writer, value, *map(need, self.needs), *map(ex.Literal, self.told()))


class FileBytes(TwoHelpers):
    """Bytes in JSON: text if they are UTF-8, else `{"base64": …}`."""

    __slots__ = ()
    name, holds, reader, writer = "file_bytes", ("bytes",), "bytes_on_file", "file_bytes"


class Plain(Lens):
    """The value itself."""

    __slots__ = ()
    plain, stands_for_nothing = True, True

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at

    def inline_write(self, value: ByHand) -> ByHand | None:
        return value

    @property
    def keys(self) -> Mapping[str, str] | None:
        return {}


class PlainBytes(Lens):
    """Bytes as they are."""

    __slots__ = ()
    name, holds, content, gives = "bytes", ("bytes",), "bytes", "bytes"

    def on_file(self) -> Lens:
        return FileBytes()

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.of_type("bytes")

    def inline_write(self, value: ByHand) -> ByHand | None:
        return value
