"""What an expression of a handler may be to us: a place of the event, something of the project, a client."""

from __future__ import annotations

from dataclasses import dataclass, field

from vast_ferry.hub.findings import FerryError
from vast_ferry.mapping.clients import Client
from vast_ferry.translate.places import Node, Spot

Key = tuple[str, str]  # a file, and a qualified name in it


@dataclass(frozen=True, slots=True)
class Batch:
    """The events of a batch; `handed` to a function of the project, which has them under a name of its own."""

    kind: str
    holder: str
    handed: bool = False


@dataclass(frozen=True, slots=True)
class Parsed:
    """A query that the code itself decoded: lists or pairs, with blank values or without."""

    spot: Spot
    form: str
    blank: bool


@dataclass(frozen=True, slots=True)
class Std:
    """A module, or something in one, that is not the project's."""

    name: str


@dataclass(frozen=True, slots=True)
class Own:
    """A module of the project."""

    file: str


@dataclass(frozen=True, slots=True)
class Func:
    """A function or method of the project; `bound` where it has its object already."""

    key: Key
    bound: bool = False


@dataclass(frozen=True, slots=True)
class Table:
    """Functions of the project that stand in a mapping, as its values, or in a list: by themselves, or in its rows.

    All of them are known, and it is only asked, or gone through. Of rows, `column` says where in them they stand, or
    `columns` which stand in each, where they do in several; of a list of nothing else, the `width` is 1. `bound` where
    they are methods that have their object already. In a column of `lists` stands not one of them but a list of
    them; of a mapping, that is the column 0.
    """

    keys: tuple[Key, ...]
    column: int | None = None
    width: int = 0
    bound: bool = False
    columns: tuple[tuple[Key, ...], ...] = ()
    lists: frozenset[int] = frozenset()

    def at(self, column: int) -> tuple[Key, ...]:
        """Return the functions in a column of its rows."""
        return self.columns[column] if self.columns else self.keys if column == self.column else ()


@dataclass(frozen=True, slots=True)
class OneOf:
    """One of several functions of the project, as a table gives it for a word; or None, where it has none.

    `bound` where they are methods, as an object gives one.
    """

    keys: tuple[Key, ...]
    bound: bool = False


@dataclass(frozen=True, slots=True)
class Rest:
    """What `*args` takes, each by its place, or what `**kwargs` takes, which is nothing; it is only handed on."""

    values: tuple[Value, ...] = ()


@dataclass(frozen=True, slots=True)
class Handlers:
    """The handlers that a decorator stands before, under its own name for the one that it is given."""

    keys: tuple[Key, ...]


@dataclass(frozen=True, slots=True)
class Class:
    """A class of the project."""

    key: Key


@dataclass(frozen=True, slots=True)
class Instance:
    """An object of a class of the project."""

    key: Key


@dataclass(frozen=True, slots=True)
class Service:
    """A client's call, not yet called."""

    client: Client


@dataclass(frozen=True, slots=True)
class Of:
    """An ordinary value of a type; an empty name where that is not known.

    What was `made` as it was of the event, or is a part of that, must not be changed: it is made anew at each read.
    What only `holds` such things (a list of them) may be changed, and what is taken out of it may not. What is `data`
    is of one of the language's own types, though it is not known which: a service gave it, or it was JSON.
    """

    type: str = ""
    made: bool = False
    holds: bool = False
    data: bool = False

    @property
    def built_in(self) -> bool:
        """Tell whether it is of one of the language's own types, and so of no class of the project."""
        return self.data or bool(self.type)


@dataclass(frozen=True, slots=True)
class Clash:
    """A name that holds one thing or another, depending on the way that was taken."""

    origins: frozenset[int]
    held: bool = False  # one of them is a parameter


@dataclass(frozen=True, slots=True)
class Seconds:
    """A time made seconds, or made ready to be read as ISO 8601 text."""

    spot: Spot
    text: bool = False


#: What is known of the project itself.
Part = Own | Func | Table | OneOf | Rest | Handlers | Class | Instance

Value = Spot | Seconds | Batch | Parsed | Std | Part | Service | Of | Clash

#: Values that are not there at the target: whatever uses them is rewritten, or gets them made.
Foreign = Spot | Batch | Parsed | Service


@dataclass(slots=True)
class Bound:
    """What a name is bound to, and by which assignment (0: none that could be taken out)."""

    value: Value
    origin: int = 0


@dataclass(frozen=True, slots=True)
class Known:
    """What is known of a name that is looked up in a field: there is one."""

    field: str
    key: str


#: What names hold, and what is known to be there.
Env = dict[str | Known, Bound]


@dataclass(slots=True)
class Uses:
    """One assignment of a place to a name: the statement, the name's node, and where it is read."""

    statement: Node
    target: Node
    value: Node
    reads: list[Node] = field(default_factory=list)


class Stop(FerryError):
    """Something that can't be rewritten, at a node; `code` says what."""

    def __init__(self, code: str, node: Node, why: str = "") -> None:
        super().__init__(code)
        self.code, self.node, self.why = code, node, why
