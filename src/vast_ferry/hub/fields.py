"""The names that a profile's rows may use: every hub field, what it holds, and its value when it is missing.

A *truth* is kept in the hub; a *view* is a form of truths, worked out on demand (the rules are in `mapping.views`).
The wire form is the truth wherever there is one, because decoding and encoding again does not always give it back.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Final

Pairs = list[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class Field:
    """One hub field: `truth` or a view, the Python type of its value in words, its default as source, its meaning."""

    name: str
    truth: bool
    holds: str
    default: str
    meaning: str
    call: str = ""  # for what a handler may call: the parameters, as in a function definition

    @property
    def default_value(self) -> Any:
        """Return the value that stands for a missing one; None for what is called."""
        return ast.literal_eval(self.default) if self.default and self.holds != "call" else None

    @property
    def variable(self) -> str:
        """Return the name that this field's value has in generated source."""
        return self.name.replace(".", "_")


def _table(*fields: Field) -> Mapping[str, Field]:
    return {field.name: field for field in fields}


_ID = Field("id", True, "text", '""', "the event's identity, CloudEvents `id`")
_TIME = Field("time", True, "text", '""', "when it happened, RFC 3339 in its full precision, CloudEvents `time`")
_EXTENSIONS = Field("extensions", True, "record", "{}", "CloudEvents extension attributes, name to value")

#: What every handler is told of its call, and what it may call while it runs.
OF_THE_CALL: Final = _table(
    Field("function", True, "text", '""', "name of the function that is called"),
    Field("limit", True, "number", "60.0", "longest run of the function, in seconds"),
    Field("time_left", False, "call", "", "seconds until the call is cut off", call=""),
    Field("log", False, "call", "log_line", "writes a line to the log", call="text, **more"),
    Field("secret", False, "call", "secret_from_environment", "the value of a secret by its name", call="name"),
    Field("setting", False, "call", "setting_of", "the value of a variable by its name", call="name, *usual"),
)

#: What goes into an HTTP handler (RFC 9110 semantics) and what it may call while it runs.
HTTP_EVENT: Final = _table(
    _ID,
    _TIME,
    Field("method", True, "text", '"GET"', "request method, RFC 9110 §9"),
    Field("scheme", True, "text", '"https"', "URI scheme, RFC 9110 §4.2"),
    Field("authority", True, "text", '""', "host and port asked for, RFC 9110 §7.2; never among the headers"),
    Field("path.raw", True, "text", '"/"', "path as it came on the wire, percent-encoded (RFC 3986 §3.3)"),
    Field("path", False, "text", '"/"', "path, percent-decoded as UTF-8"),
    Field("query.raw", True, "text", '""', "query as it came on the wire, without `?` (RFC 3986 §3.4)"),
    Field("query", False, "pairs", "[]", "query as ordered pairs that may repeat, decoded as a form"),
    Field("target", False, "text", '"/"', "path and query as on the request line (RFC 9112 §3.2.1)"),
    Field("route", True, "text", '""', "the route that matched, as an RFC 6570 template"),
    Field("captures", True, "texts", "{}", "what the route captured, name to percent-decoded value"),
    Field("headers", True, "pairs", "[]", "header fields in order, with Cookie; no Host, no framing fields"),
    Field("headers.plain", False, "pairs", "[]", "header fields without Cookie"),
    Field("headers.all", False, "pairs", "[]", "header fields with Host before them and the content's length behind"),
    Field("cookies.raw", False, "text", '""', "the Cookie field's value (RFC 6265 §4.2)"),
    Field("cookies", False, "list of text", "[]", "the cookie-pairs of that value, in order"),
    Field("body", True, "bytes", 'b""', "content, as bytes (RFC 9110 §6.4)"),
    Field("body.length", False, "integer", "0", "number of bytes of the content"),
    Field("content_type", False, "text", '""', "the Content-Type field's value"),
    Field("client", True, "text", '""', "address of the client"),
    Field("principal", True, "record", "None", "who called: id and claims, or nothing"),
    Field("principal.id", False, "text", '""', "the id of who called, empty for nobody"),
    Field("principal.known", False, "text", '"nobody"', "whether it is known who called: someone, or nobody"),
    Field("principal.claims", False, "texts", "{}", "what is known of who called, name to value"),
    *OF_THE_CALL.values(),
)

_CONTENT_TYPE = Field("content_type", True, "text", '""', "media type of the content (RFC 9110 §8.3)")

#: An object was created, deleted, or had its metadata changed.
OBJECT_EVENT: Final = _table(
    _ID,
    _TIME,
    Field("change", True, "text", '"created"', "created, deleted, or relabelled (its metadata changed)"),
    Field("bucket", True, "text", '""', "the bucket"),
    Field("key", True, "text", '""', "the object's key, as it is: never encoded, never normalised"),
    Field("size", True, "integer or nothing", "None", "number of bytes"),
    _CONTENT_TYPE,
    Field("etag", True, "text", '""', "entity tag, without quotes"),
    Field("version", True, "text", '""', "version of the object, where the bucket keeps several"),
    Field("labels", True, "texts", "{}", "user metadata, name to value"),
    _EXTENSIONS,
    *OF_THE_CALL.values(),
)

#: A message was sent to a channel.
MESSAGE_EVENT: Final = _table(
    _ID,
    _TIME,
    Field("channel", True, "text", '""', "the channel (a queue, a topic)"),
    Field("body", True, "bytes", 'b""', "the message, as bytes"),
    _CONTENT_TYPE,
    Field("attributes", True, "texts", "{}", "what was sent along, name to value"),
    Field("group", True, "text", '""', "messages of one group are delivered in order"),
    Field("attempt", True, "integer", "1", "how often it was delivered, this time counted"),
    _EXTENSIONS,
    *OF_THE_CALL.values(),
)

#: A record of a table was inserted, updated or deleted.
RECORD_EVENT: Final = _table(
    _ID,
    _TIME,
    Field("change", True, "text", '"updated"', "inserted, updated, or deleted"),
    Field("table", True, "text", '""', "the table"),
    Field("keys", True, "record", "{}", "the record's key, column to value"),
    Field("old", True, "record", "None", "the record before, nothing for an insert"),
    Field("new", True, "record", "None", "the record after, nothing for a delete"),
    Field("keys.names", False, "list of text", "[]", "the names of the key's columns"),
    Field(
        "columns.names",
        False,
        "list of text",
        "[]",
        "the names of all its columns, as it is, as it was, and of its key",
    ),
    Field("old.changed", False, "record", "None", "of the record before, the columns that are others in the one after"),
    Field("columns", False, "columns", "[]", "the columns that changed: name, of the key or not, before and after"),
    Field("sequence", True, "text", '""', "its place in the order of changes"),
    _EXTENSIONS,
    *OF_THE_CALL.values(),
)

#: A schedule fired.
SCHEDULE_EVENT: Final = _table(
    _ID,
    Field("time", True, "text", '""', "when it did fire, RFC 3339"),
    Field("due", True, "text", '""', "when it was due, RFC 3339"),
    Field("name", True, "text", '""', "the schedule's name"),
    _EXTENSIONS,
    *OF_THE_CALL.values(),
)

#: Something with a name happened.
SIGNAL_EVENT: Final = _table(
    _ID,
    _TIME,
    Field("name", True, "text", '""', "what happened, CloudEvents `type`"),
    Field("subject", True, "text", '""', "to what it happened, CloudEvents `subject`"),
    Field("data", True, "value", "None", "what there is to say of it, a JSON value"),
    _EXTENSIONS,
    *OF_THE_CALL.values(),
)

#: The function was called directly.
CALL_EVENT: Final = _table(
    _ID,
    _TIME,
    Field("data", True, "value", "None", "what it was called with, a JSON value"),
    _EXTENSIONS,
    *OF_THE_CALL.values(),
)

#: Every kind of event that the hub knows.
EVENTS: Final = {
    "http": HTTP_EVENT,
    "object": OBJECT_EVENT,
    "message": MESSAGE_EVENT,
    "record": RECORD_EVENT,
    "schedule": SCHEDULE_EVENT,
    "signal": SIGNAL_EVENT,
    "call": CALL_EVENT,
}

#: What an HTTP handler answers.
HTTP_REPLY: Final = _table(
    Field("status", True, "integer", "200", "final status code, RFC 9110 §15"),
    Field("headers", True, "pairs", "[]", "header fields in order, with every Set-Cookie apart"),
    Field("headers.plain", False, "pairs", "[]", "header fields without Set-Cookie"),
    Field("set_cookies", False, "list of text", "[]", "the Set-Cookie values, in order, never joined (RFC 6265 §3)"),
    Field("body", True, "bytes", 'b""', "content, as bytes"),
    Field("content_type", False, "text", '""', "the Content-Type field's value"),
    Field("method", True, "text", '"GET"', "method of the request that is answered"),
)

#: What a handler of anything but HTTP says when it is done.
DONE: Final = _table(
    Field("value", True, "value", "None", "what a direct call gives back, a JSON value"),
    Field("again", True, "list of text", "[]", "ids of the events of a batch that shall be delivered again"),
)


def _pairs(value: object) -> bool:
    return isinstance(value, list | tuple) and all(
        isinstance(pair, list | tuple) and len(pair) == 2 and isinstance(pair[0], str) and isinstance(pair[1], str)
        for pair in value
    )


def _texts(value: object) -> bool:
    return isinstance(value, dict) and all(isinstance(k, str) and isinstance(v, str) for k, v in value.items())


#: Whether a value is what a field of that kind holds.
CHECKS: Final[Mapping[str, Callable[[Any], bool]]] = {
    "text": lambda value: isinstance(value, str),
    "bytes": lambda value: isinstance(value, bytes),
    "integer": lambda value: isinstance(value, int) and not isinstance(value, bool),
    "number": lambda value: isinstance(value, int | float) and not isinstance(value, bool),
    "pairs": _pairs,
    "texts": _texts,
    "list of text": lambda value: isinstance(value, list) and all(isinstance(item, str) for item in value),
    "record": lambda value: value is None or isinstance(value, dict),
    "integer or nothing": lambda value: value is None or (isinstance(value, int) and not isinstance(value, bool)),
    "value": lambda value: True,
    "columns": lambda value: isinstance(value, list),
    "call": callable,
}
