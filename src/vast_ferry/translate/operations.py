"""What handlers do with places of an event, each with what it needs to be said at another provider.

An operation takes the place of an expression; how it is recognised, and how it is written, is each language's own.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from vast_ferry.mapping.by_hand import How
from vast_ferry.mapping.clients import Client
from vast_ferry.translate.places import Node, Spot


@dataclass(frozen=True, slots=True)
class LookUp:
    """A name looked up in a field by `how`; `strict` where a missing one is an error; `negated` with `How.HAS`."""

    spot: Spot
    field: str
    how: How
    key: Node
    default: Node | None = None
    strict: bool = False
    negated: bool = False


class As(StrEnum):
    """As what content, or an encoded value, is read."""

    JSON = "json"
    BYTES = "bytes"
    TEXT = "text"
    VALUE = "value"  # what the hub has
    LISTS = "lists"  # of values, by name


@dataclass(frozen=True, slots=True)
class Decode:
    """Content, or an encoded value, read as something; `note` says what that takes for granted.

    `errors` is what the handler does with what is no text: `replace`, say, where that is not an error.
    """

    spot: Spot
    field: str
    form: As
    note: str = ""
    errors: str = ""


@dataclass(frozen=True, slots=True)
class ContextCall:
    """A call of what a handler is told of its call: a log, a secret, the time that is left (so many `per_second`)."""

    spot: Spot
    field: str
    call: Node
    per_second: int = 1


@dataclass(frozen=True, slots=True)
class ServiceCall:
    """A call of a service by a client of the provider's."""

    client: Client
    call: Node


@dataclass(frozen=True, slots=True)
class Stepped:
    """What a handler is handed, on which it calls a service step by step: a module that comes along stands for it."""

    module: str


@dataclass(frozen=True, slots=True)
class Word:
    """One of the provider's words, as it stands in the event, or (with `meaning`) as the handler compares with it."""

    spot: Spot
    field: str
    meaning: str = ""


@dataclass(frozen=True, slots=True)
class Fixed:
    """What is always the same at the source: `source`, or the default that the handler gives."""

    spot: Spot
    source: str
    default: Node | None = None
    note: str = ""


@dataclass(frozen=True, slots=True)
class OfPrincipal:
    """What is told of the caller under a key; `strict` where a missing one is an error."""

    spot: Spot
    field: str
    key: str
    strict: bool = False


@dataclass(frozen=True, slots=True)
class Pairs:
    """All (name, value) pairs of a field."""

    spot: Spot
    field: str


@dataclass(frozen=True, slots=True)
class Moment:
    """A time made a moment of the language's own, by a call."""

    spot: Spot
    call: Node


Operation = LookUp | Decode | ContextCall | ServiceCall | Stepped | Word | Fixed | OfPrincipal | Pairs | Moment


@dataclass(frozen=True, slots=True)
class ReadByStatement:
    """What stands in place of a statement: a name is given what is read, or that is returned; or nothing does."""

    name: str = ""
    read: Operation | None = None


def field_of(operation: Operation) -> str:
    """Return the hub field that an operation reads; empty for one that reads none."""
    return getattr(operation, "field", "")


def note_of(operation: Operation) -> str:
    """Return what an operation takes for granted."""
    return getattr(operation, "note", "")
