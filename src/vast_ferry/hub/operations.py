"""What a handler may do to the services behind it, and what of that the world can see afterwards (effects)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from vast_ferry.hub.fields import Field


@dataclass(frozen=True, slots=True)
class Operation:
    """One operation on a service: what it takes, the field that it gives back (empty: nothing), and its meaning.

    An operation with an `effect` changes what others see; one without only looks.
    """

    name: str
    meaning: str
    takes: Mapping[str, Field]
    gives: Field | None = None
    effect: bool = True


def _operation(name: str, meaning: str, *takes: Field, gives: Field | None = None, effect: bool = True) -> Operation:
    return Operation(name, meaning, {one.name: one for one in takes}, gives, effect)


_BUCKET = Field("bucket", True, "text", '""', "the bucket")
_KEY = Field("key", True, "text", '""', "the object's key, as it is")
_CONTENT_TYPE = Field("content_type", True, "text", '""', "media type of the content (RFC 9110 §8.3)")
_CONTENT = Field("body", True, "bytes", 'b""', "the content, as bytes")
_TABLE = Field("table", True, "text", '""', "the table")
_KEYS = Field("keys", True, "record", "{}", "the record's key, column to value")
_NAME = Field("name", True, "text", '""', "name of the function or workflow")
_DATA = Field("data", True, "value", "None", "what it is started with, a JSON value")
_PREFIX = Field("prefix", True, "text", '""', "what the keys begin with; empty for all")
_COLUMN = Field("column", True, "text", '""', "the column")
_AMOUNT = Field(
    "amount", True, "number", "1", "what is added to the number in the column, which counts as 0 if missing"
)

#: Every operation that the hub knows, by its name.
OPERATIONS: Final[Mapping[str, Operation]] = {
    operation.name: operation
    for operation in (
        _operation("object.read", "read an object's content", _BUCKET, _KEY, gives=_CONTENT, effect=False),
        _operation(
            "object.write",
            "put an object",
            _BUCKET,
            _KEY,
            _CONTENT,
            _CONTENT_TYPE,
            Field("labels", True, "texts", "{}", "user metadata, name to value"),
        ),
        _operation("object.delete", "delete an object", _BUCKET, _KEY),
        _operation(
            "object.list",
            "list the keys of objects",
            _BUCKET,
            _PREFIX,
            gives=Field("listed", True, "list of text", "[]", "the keys, sorted by their code points"),
            effect=False,
        ),
        _operation(
            "message.send",
            "send a message",
            Field("channel", True, "text", '""', "the channel (a queue, a topic)"),
            _CONTENT,
            _CONTENT_TYPE,
            Field("attributes", True, "texts", "{}", "what is sent along, name to value"),
            Field("group", True, "text", '""', "messages of one group are delivered in order"),
        ),
        _operation(
            "record.read",
            "read a record",
            _TABLE,
            _KEYS,
            gives=Field("record", True, "record", "None", "the record"),
            effect=False,
        ),
        _operation(
            "record.write",
            "insert or replace a record",
            _TABLE,
            _KEYS,
            Field("record", True, "record", "{}", "the record"),
        ),
        _operation("record.delete", "delete a record", _TABLE, _KEYS),
        _operation(
            "record.add",
            "add to a number in a record",
            _TABLE,
            _KEYS,
            _COLUMN,
            _AMOUNT,
            gives=Field("total", True, "number", "0", "the number that is there now"),
        ),
        _operation(
            "signal.send",
            "send a signal",
            Field("name", True, "text", '""', "the signal's name"),
            Field("subject", True, "text", '""', "what it is about"),
            Field("data", True, "value", "None", "what it tells, a JSON value"),
        ),
        _operation("function.start", "start a function or workflow and don't wait for it", _NAME, _DATA),
        _operation(
            "function.call",
            "call a function and wait for its answer",
            _NAME,
            _DATA,
            gives=Field("answer", True, "value", "None", "what it answers, a JSON value"),
        ),
    )
}

#: An outbound HTTP call; nothing declares it, a handler simply makes it.
OUTBOUND: Final = "http.call"


@dataclass(frozen=True, slots=True)
class Effect:
    """Something that a handler did to the outside: the operation's name and what it was given, as hub fields."""

    operation: str
    fields: Mapping[str, Any] = field(default_factory=dict)

    def __str__(self) -> str:
        where = [str(self.fields[name]) for name in _TOLD_BY.get(self.operation, ()) if name in self.fields]
        return " ".join([self.operation, *where])


_TOLD_BY: Final = {
    "object.write": ("bucket", "key"),
    "object.delete": ("bucket", "key"),
    "message.send": ("channel",),
    "record.write": ("table", "keys"),
    "record.delete": ("table", "keys"),
    "record.add": ("table", "keys", "column"),
    "signal.send": ("name",),
    "function.start": ("name",),
    "function.call": ("name",),
    OUTBOUND: ("method", "url"),
}

#: What a function may be allowed: any operation.
ALLOWED: Final = tuple(OPERATIONS)
