"""What calls of handlers and translations of their answers call, whole or piece by piece."""

from __future__ import annotations

import asyncio
import concurrent.futures
import contextvars
import copy
import inspect
import json
from typing import Any

from vast_ferry.mapping.helpers.of_contents import base64_bytes, base64_text, is_utf8
from vast_ferry.mapping.helpers.of_http import content_type_of
from vast_ferry.mapping.helpers.of_lists import pairs_of_flat

# --- handlers --------------------------------------------------------------------------------------------------------


def call_named(handler: Any, **given: Any) -> Any:
    """Return what a handler gives that is called by keyword, with what it names of what there is."""
    parameters = inspect.signature(handler).parameters.values()
    if any(one.kind is inspect.Parameter.VAR_KEYWORD for one in parameters):
        return handler(**given)
    return handler(**{one.name: given[one.name] for one in parameters if one.name in given})


_OBJECTS: dict[Any, Any] = {}


#: What the call that is running is told, as an object that was set up before it asks for it.
_TOLD: contextvars.ContextVar[tuple[Any, ...]] = contextvars.ContextVar("_TOLD")


class OfThisCall:
    """What an object keeps of what it was told when it was set up: it is what the call that is running is told."""

    __slots__ = ("_at",)

    def __init__(self, at: int) -> None:
        self._at = at

    def __getattr__(self, name: str) -> Any:
        found = getattr(_TOLD.get()[self._at], name)
        if not callable(found):
            return found

        def called(*given: Any, **named: Any) -> Any:  # which may be kept as well, and called in another call
            return getattr(_TOLD.get()[self._at], name)(*given, **named)

        return called


def method_of(handler: Any, method: str, setup: str, *given: Any) -> Any:
    """Return the method that handles events, of the one object of a class, which is set up before all else."""
    _TOLD.set(given)
    if handler not in _OBJECTS:
        made = handler()
        if hasattr(made, setup):
            told = getattr(made, setup)(*(OfThisCall(at) for at in range(len(given))))
            if inspect.iscoroutine(told):  # it ends before the first event, whether or not a loop runs here
                with concurrent.futures.ThreadPoolExecutor(1) as apart:
                    apart.submit(contextvars.copy_context().run, asyncio.run, told).result()
        _OBJECTS[handler] = made
    return getattr(_OBJECTS[handler], method)


class Pieces:
    """An answer that comes piece by piece: what came first, if that is no piece, and all pieces."""

    def __init__(self, head: Any, pieces: list[Any]) -> None:
        self.head, self.pieces = head, pieces


def gathered(reply: Any, head: type) -> Any:
    """Return what a generator answered with as a whole, nothing where it gave nothing; any other answer as it is."""
    if not hasattr(reply, "__next__"):
        return reply
    items = list(reply)
    if not items:
        return None
    return Pieces(items[0], items[1:]) if isinstance(items[0], head) else Pieces(None, items)


def joined_pieces(pieces: list[Any]) -> bytes:
    """Return the content that pieces of text and bytes make."""
    return b"".join(piece.encode("utf-8") if isinstance(piece, str) else bytes(piece) for piece in pieces)


def head_and_pieces(reply: Pieces, attribute: str) -> bytes:
    """Return the content of an answer in pieces whose first part is one itself."""
    first = getattr(reply.head, attribute, None)
    return joined_pieces([*([first] if first is not None else []), *reply.pieces])


class Writer:
    """What a handler answers through: what it tells its methods stands in its attributes.

    Each method gives the steps that it takes: to check, to set an attribute, to add to one, or to put under a name.
    """

    def __init__(self, holds: dict[str, Any], methods: dict[str, Any]) -> None:
        vars(self).update({name: copy.copy(value) for name, value in holds.items()})
        self._usual, self._methods, self._called = holds, methods, False
        self._sealed: set[str] = set()  # attributes that nothing may be told to any more

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_") or name not in self._methods:
            raise AttributeError(f"there is no {name!r} by which a handler answers")

        def tell(*given: Any, **named: Any) -> Writer:
            for step, *told in self._methods[name](*given, **named):
                if step in ("set", "add", "put", "put_over") and told[0] in self._sealed:
                    raise RuntimeError(f"{name} was called when {told[0]} could not be told any more")
                getattr(self, f"_{step}")(*told)
            self._called = True
            return self

        return tell

    def _first(self, error: Any) -> None:
        if self._called:
            raise error

    def _only(self, value: Any, name: str, types: tuple[type, ...]) -> None:
        if not isinstance(value, types):
            raise TypeError(f"{name} can't be {type(value).__name__}")

    def _set(self, attribute: str, value: Any) -> None:
        setattr(self, attribute, value)

    def _add(self, attribute: str, value: Any) -> None:
        held = getattr(self, attribute)
        setattr(self, attribute, [*held, value] if isinstance(held, list) else held + value)

    def _put(self, attribute: str, name: Any, value: Any) -> None:
        held = getattr(self, attribute)
        setattr(self, attribute, [*held, (name, value)] if isinstance(held, list) else {**(held or {}), name: value})

    def _put_over(self, attribute: str, name: Any, value: Any) -> None:
        held = getattr(self, attribute)
        pairs = held if isinstance(held, list) else (held or {}).items()
        kept = [pair for pair in pairs if str(pair[0]).lower() != str(name).lower()]
        setattr(self, attribute, [*kept, (name, value)] if isinstance(held, list) else {**dict(kept), name: value})

    def _seal(self, attribute: str) -> None:
        self._sealed.add(attribute)

    def answer(self, returned: Any = None) -> Any:
        """Return itself where it was told anything, else what the handler returned."""
        touched = any(vars(self)[name] != usual for name, usual in self._usual.items())
        return self if self._called or touched else returned


def call_through(writer: Writer, name: str, first: bool, returns: bool, handler: Any, *given: Any, **named: Any) -> Any:
    """Return what a handler told its writer, where it takes one, else what it returned.

    With `returns`, what it returned counts where it told the writer nothing.
    """
    parameters = inspect.signature(handler).parameters.values()
    if named:
        if not any(one.kind is inspect.Parameter.VAR_KEYWORD or one.name == name for one in parameters):
            return call_named(handler, **named)
        returned = call_named(handler, **named, **{name: writer})
    else:
        placed = (inspect.Parameter.POSITIONAL_ONLY, inspect.Parameter.POSITIONAL_OR_KEYWORD)
        every = any(one.kind is inspect.Parameter.VAR_POSITIONAL for one in parameters)
        if not every and sum(one.kind in placed for one in parameters) <= len(given):
            return handler(*given)
        returned = handler(writer, *given) if first else handler(*given, writer)
    if inspect.isawaitable(returned):
        return _awaited(writer, returned, returns)
    return writer.answer(returned if returns else None)


class Both:
    """What stands for two objects: what the first has not is the second's, and is set there."""

    def __init__(self, first: Any, second: Any) -> None:
        self.__dict__.update(_first=first, _second=second)

    def __getattr__(self, name: str) -> Any:
        first, second = self.__dict__["_first"], self.__dict__["_second"]
        return getattr(first if hasattr(first, name) else second, name)

    def __setattr__(self, name: str, value: Any) -> None:
        first, second = self.__dict__["_first"], self.__dict__["_second"]
        setattr(second if hasattr(second, name) and not hasattr(first, name) else first, name, value)

    def __getitem__(self, key: Any) -> Any:
        first, second = self.__dict__["_first"], self.__dict__["_second"]
        try:
            return first[key]
        except (KeyError, IndexError, TypeError):
            return second[key]


def call_through_event(writer: Writer, at: int, returns: bool, handler: Any, *given: Any) -> Any:
    """Return what a handler told its writer, which is part of what it is handed at a place."""
    returned = handler(*given[:at], Both(given[at], writer), *given[at + 1 :])
    if inspect.isawaitable(returned):
        return _awaited(writer, returned, returns)
    return writer.answer(returned if returns else None)


async def _awaited(writer: Writer, returned: Any, returns: bool) -> Any:
    returned = await returned
    return writer.answer(returned if returns else None)


def tell_writer(
    writer: Any, answer: dict[str, Any], rest: tuple[str, ...], calls: tuple[tuple[str, bool, dict[str, str]], ...]
) -> None:
    """Answer by the calls of a provider's writer: each with its parameters, and the attributes that they tell.

    A method that adds is called where there is something to add; one that puts, for each pair. The `rest` is set.
    """
    for attribute in rest:
        setattr(writer, attribute, answer[attribute])
    for method, every, told in calls:
        values = [answer[attribute] for attribute in told.values()]
        if not every:
            getattr(writer, method)(**dict(zip(told, values, strict=True)))
            continue
        (held,) = dict.fromkeys(told.values())
        pairs = answer[held].items() if isinstance(answer[held], dict) else answer[held]
        if len(told) == 1:
            pairs = answer[held] if isinstance(answer[held], list) else [answer[held]] if answer[held] else []
        for one in pairs:
            getattr(writer, method)(*(one if len(told) == 2 else [one]))


def told_apart(told: list[tuple[list[str], str]], failed: Exception | None) -> dict[str, Any]:
    """Return which events come again, of what a handler said of each (the last counts) and whether it failed.

    An event of which nothing was said is done where the handler returned, and comes again where it raised.
    """
    if failed is not None and not any(said for said, _ in told):
        raise failed
    again = [
        name for said, name in told if (said[-1] if said else "again" if failed is not None else "done") == "again"
    ]
    return {"value": None, "again": again}


def named_again(done: dict[str, Any], told: list[tuple[Any, str, str]]) -> dict[str, Any]:
    """Return what is done with what comes again as a provider names it; `told` has name and id of each event."""
    names = {identity: name for name, identity, _ in told}
    return {**done, "again": list(dict.fromkeys(names[one] for one in done["again"] if one in names))}


def told_again(done: dict[str, Any], events: list[tuple[Any, str]], method: str) -> dict[str, Any]:
    """Tell each event that shall come again so, by a method of its own; nothing is left to be said of them."""
    for event, identity in events:
        if identity in done["again"]:
            getattr(event, method)()
    return {**done, "again": []}


def numbered(entries: list[Any], index: str) -> list[Any]:
    """Return the entries of a batch, each with its number in it."""
    for number, entry in enumerate(entries):
        entry[index] = number
    return entries


def again_of(done: dict[str, Any], told: list[tuple[Any, str, str]], extent: str) -> dict[str, Any]:
    """Return what a handler said is done, with the ids of all events that come again.

    `told` has, for each event of the batch in its order, by what it is named, its id and its group.
    """
    named = set(done["again"])
    again: list[str] = []
    groups: set[str] = set()
    found = False
    for name, identity, group in told:
        hit = name in named
        found = found or hit
        groups |= {group} if hit and group else set()
        if hit or (extent == "rest" and found) or (extent == "group" and group in groups):
            again.append(identity)
    return {**done, "again": [one for _, one, _ in told] if extent == "all" and found else again}


# --- answers ---------------------------------------------------------------------------------------------------------


def content_bytes(value: Any, style: tuple[str, ...]) -> bytes:
    """Return a reply's content: text in UTF-8, bytes, a file's or stream's bytes, any other value as JSON."""
    if value is None:
        return b""
    if isinstance(value, str):
        return value.encode("utf-8")
    if isinstance(value, bytes | bytearray):
        return bytes(value)
    if hasattr(value, "read_bytes"):
        return bytes(value.read_bytes())
    if hasattr(value, "read"):
        data = value.read()
        return data.encode("utf-8") if isinstance(data, str) else bytes(data)
    if "no_json" in style or ("no_numbers" in style and not isinstance(value, dict | list)):
        raise TypeError(f"a reply's content is not {type(value).__name__}")
    return json_in_style(value, style)


def json_in_style(value: Any, style: tuple[str, ...]) -> bytes:
    """Return a value as JSON in UTF-8: spaced or not, its keys sorted or not, in ASCII or not."""
    between = (", ", ": ") if "spaced" in style else (",", ":")
    text = json.dumps(value, separators=between, sort_keys="sorted" in style, ensure_ascii="ascii" in style)
    return text.encode("utf-8")


def kind_of_content(value: Any, style: tuple[str, ...] = ()) -> str:
    """Return as what a content was given: text, bytes, json, or an empty text for none."""
    if value is None or (value == "" and "empty_is_none" in style):
        return ""
    if isinstance(value, str):
        return "text"
    is_bytes = isinstance(value, bytes | bytearray) or hasattr(value, "read") or hasattr(value, "read_bytes")
    return "bytes" if is_bytes else "json"


def content_by_key(reply: dict[str, Any], kinds: dict[str, str], style: tuple[str, ...]) -> bytes:
    """Return the content that stands under one of several keys, or raise TypeError for two, or for another type."""
    said = [key for key in kinds if key in reply]
    if len(said) > 1:
        raise TypeError(f"a reply has {' or '.join(said)}, not both")
    if not said:
        return b""
    value, kind = reply[said[0]], kinds[said[0]]
    if kind == "json":
        return json_in_style(value, style)
    if kind == "text" and isinstance(value, str):
        return value.encode("utf-8")
    if kind == "bytes" and isinstance(value, bytes):
        return value
    if kind == "base64" and isinstance(value, str):
        return base64_bytes(value)
    raise TypeError(f"{said[0]} is {kind}, not {type(value).__name__}")


def kind_by_key(reply: dict[str, Any], kinds: dict[str, str]) -> str:
    """Return as what a content was given that stands under one of several keys."""
    kind = next((kind for key, kind in kinds.items() if key in reply), "")
    return "bytes" if kind == "base64" else kind


def with_type_for(
    headers: list[tuple[str, str]], kind: str, types: dict[str, str], first: bool
) -> list[tuple[str, str]]:
    """Return header fields with the type of a content that names none, by what it was given as."""
    if not types.get(kind) or content_type_of(headers):
        return headers
    added = ("content-type", types[kind])
    return [added, *headers] if first else [*headers, added]


def content_for(content: bytes, status: int, bodyless: tuple[int, ...]) -> bytes:
    """Return the content of a reply, none where its status has none."""
    return b"" if status in bodyless else content


def fields_for(headers: list[tuple[str, str]], status: int, bodyless: tuple[int, ...]) -> list[tuple[str, str]]:
    """Return the header fields of a reply, without the type of a content where its status has none."""
    kept = status not in bodyless
    return [(name, value) for name, value in headers if kept or name.lower() != "content-type"]


def content_under(content: bytes, key: str, as_text: bool) -> dict[str, Any]:
    """Return content under its key, nothing where there is none."""
    return {key: content.decode("utf-8", "replace") if as_text else content} if content else {}


def content_under_either(content: bytes, text_key: str | None, packed_key: str) -> dict[str, Any]:
    """Return content under its key: as text where it is and there is a key for it, else in Base64; nothing for none."""
    if not content:
        return {}
    if text_key is not None and is_utf8(content):
        return {text_key: content.decode("utf-8")}
    return {packed_key: base64_text(content)}


def as_pairs(headers: list[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return header fields as a list of pairs."""
    return list(headers)


def as_flat(headers: list[tuple[str, str]]) -> list[str]:
    """Return header fields as one list, each name before its value."""
    return [one for pair in headers for one in pair]


def header_fields(fields: Any, name: str, value: str) -> list[tuple[str, str]]:
    """Return header fields given in any usual form, in their order."""
    if fields is None:
        return []
    if isinstance(fields, dict):
        return [
            (one, str(held))
            for one, of in fields.items()
            for held in (of if isinstance(of, list) else [of])
            if held is not None
        ]
    fields = list(fields)
    if fields and isinstance(fields[0], str):
        return pairs_of_flat(fields)
    return [
        (field[0], field[1])
        if isinstance(field, tuple | list)
        else (field[name], field[value])
        if isinstance(field, dict)
        else (getattr(field, name), getattr(field, value))
        for field in fields
    ]


def status_said(status: Any, usual: int) -> int:
    """Return a status that is a number or digits; the usual one where none was said."""
    if status is None:
        return usual
    return int(status) if isinstance(status, str) and status.isdecimal() else status
