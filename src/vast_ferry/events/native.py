"""Native events on file (JSON), read into the hub and written from it by the tables of their provider."""

from __future__ import annotations

import decimal
import functools
import json
import math
import os
import re
import stat
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, BinaryIO

import simplejson

from vast_ferry.events.cloud_events import DATA, problems
from vast_ferry.hub.fields import CHECKS
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.mapping.compile.functions import translate_event, view_event
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.tables import HUB_EVENTS, EventShape
from vast_ferry.profiles.profile import Profile


class _Twice(Exception):
    """An object that has a key twice."""


class _NoNumber(Exception):
    """A number that can't be kept."""


def _pairs(items: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(items)
    if len(found) != len(items):
        keys = [key for key, _ in items]
        raise _Twice(next(key for number, key in enumerate(keys) if key in keys[:number]))
    return found


def _constant(name: str) -> Any:
    raise _NoNumber(name)


def _finite(text: str) -> float:
    value = float(text)
    return value if math.isfinite(value) else _constant(text)


#: What handlers get: numbers as Python reads them.
_DECODE = json.JSONDecoder(object_pairs_hook=_pairs, parse_constant=_constant, parse_float=_finite).decode
#: What is only passed on: decimals as they were written.
_DECODE_EXACT = simplejson.JSONDecoder(object_pairs_hook=_pairs, parse_float=decimal.Decimal).decode
_SURROGATE = re.compile(r"\\u[dD][89a-fA-F]")


def parse_json(data: bytes, shown: str, what: str = "the event", first_line: int = 1, *, exact: bool = False) -> Any:
    """Return the JSON value of `data` (RFC 8259, UTF-8); NaN, duplicate keys and lone surrogates are refused.

    With `exact`, decimals are `decimal.Decimal`s that stand as they were written. Raises BadInput with line and column.
    """
    place = Place(shown, first_line)
    try:
        text = data.decode("utf-8-sig")
        value = (_DECODE_EXACT if exact else _DECODE)(text)
        if _SURROGATE.search(text):
            json.dumps(value, ensure_ascii=False, default=str).encode()
        return value
    except _Twice as error:
        raise BadInput(f"{what} has the key {error.args[0]!r} twice in one object", "Keep one", place) from None
    except _NoNumber as error:
        raise BadInput(
            f"{what} holds {error.args[0]}, which is no number that can be kept", "Write it as a text", place
        ) from None
    except UnicodeEncodeError:
        raise BadInput(
            f"{what} holds half of a surrogate pair", "Write the whole character", Place(shown, first_line)
        ) from None
    except UnicodeDecodeError as error:
        line = first_line + data[: error.start].count(b"\n")
        raise BadInput(f"{what} is not UTF-8", "Save it as UTF-8", Place(shown, line)) from None
    except (json.JSONDecodeError, simplejson.JSONDecodeError) as error:
        place = Place(shown, first_line + error.lineno - 1, error.colno)
        raise BadInput(f"{what} is not JSON: {error.msg}", "Mend it there", place) from None
    except RecursionError:
        raise BadInput(f"{what} is nested too deep", "Flatten it", Place(shown, first_line)) from None
    except ValueError as error:  # an integer with more digits than Python converts
        raise BadInput(f"{what} can't be read: {error}", "Shorten the number", Place(shown, first_line)) from None


@contextmanager
def open_events(file: str, shown: str) -> Iterator[BinaryIO]:
    """Give the stream of a file of events (`-`: standard input); raises BadInput where it can't be read."""
    if file == "-":
        yield sys.stdin.buffer
        return
    try:
        handle = os.open(file, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or str(error)
        raise BadInput(f"the event can't be read: {why}", "Check the path", Place(shown)) from None
    with open(handle, "rb") as stream:
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            raise BadInput("the event is not a plain file", "Give a plain file, or - for standard input", Place(shown))
        yield stream


class FirstLine:
    """A stream of events whose first line that is not empty was looked at, as `line`, and is still to be read."""

    def __init__(self, stream: BinaryIO) -> None:
        self._stream = stream
        self._taken: list[bytes] = []
        self.line = b""
        while not self.line.strip():
            self.line = stream.readline(LARGEST_EVENT)
            self._taken.append(self.line)
            if not self.line:
                self.line = b"null"
        self._plain = stream.seekable()
        if self._plain:
            stream.seek(0)
            self._taken = []

    def read(self, size: int = -1) -> bytes:
        """Return what comes next."""
        return self._taken.pop(0) if any(self._taken) else self._stream.read(size)

    def read1(self, size: int = -1) -> bytes:
        """Return what comes next and is there already."""
        if any(self._taken):
            return self._taken.pop(0)
        read: Callable[[int], bytes] = getattr(self._stream, "read1", self._stream.read)
        return read(size)

    def fileno(self) -> int:
        """Return the descriptor of a plain file; raises ValueError for any other."""
        if not self._plain:
            raise ValueError("not a plain file")
        return self._stream.fileno()


#: A single event is not larger; of more there is one a line.
LARGEST_EVENT = 512 * 1024 * 1024


def read_whole(stream: BinaryIO, shown: str) -> bytes:
    """Return all that a stream has; raises BadInput where it does not end."""
    data = stream.read(LARGEST_EVENT + 1)
    if len(data) > LARGEST_EVENT:
        raise BadInput(f"the event is larger than {LARGEST_EVENT:,} bytes", "Give several, with --lines", Place(shown))
    return data


@functools.lru_cache(maxsize=256)
def reader_of(profile: Profile, kind: str, *, exact: bool = False) -> Callable[[Any], dict[str, Any]]:
    """Return the compiled function from one event on file to hub fields."""
    shape = profile.kind(kind).event.on_file()
    return run_source(translate_event("read_event", shape.exact() if exact else shape, HUB_EVENTS[kind]))


@functools.lru_cache(maxsize=256)
def writer_of(profile: Profile, kind: str) -> Callable[[dict[str, Any]], Any]:
    """Return the compiled function from hub fields to one event on file."""
    return run_source(translate_event("write_event", HUB_EVENTS[kind], profile.kind(kind).event.on_file()))


def kind_of(data: Any, profile: Profile, shown: str, line: int = 1) -> str:
    """Return the kind of a native event on file: the one whose constants it has, and then whose rows read it.

    Raises BadInput where it is of no kind that the provider has.
    """
    likely = [name for name in profile.kinds if _has_constants(data, profile, name)]
    if len(likely) == 1:
        return likely[0]
    for name in likely:
        try:
            reader_of(profile, name)(next(iter(entries_of(data, profile.kinds[name].event)), {}))
        except Exception:  # noqa: S112  (it is of another kind)
            continue
        return name
    told = sorted({str(c.at) for kind in profile.kinds.values() for c in (*kind.event.envelope, *kind.event.constants)})
    raise BadInput(
        f"this is no event of {profile.title} ({_brief(data)})",
        f"Give one of its kinds: {', '.join(profile.kinds)}"
        + (f"; they are told by {', '.join(told)}" if told else ""),
        Place(shown, line),
    )


def is_event(data: Any, profile: Profile) -> bool:
    """Tell whether data has what tells the events of one of a provider's kinds."""
    return any(of_kind(data, profile, kind) for kind in profile.kinds)


@functools.lru_cache(maxsize=256)
def told_by(profile: Profile, kind: str) -> tuple[tuple[tuple[str | int, ...], str], ...]:
    """Return the places on file that tell a kind, with what stands there."""
    shape = profile.kind(kind).event
    constants = shape.envelope if shape.each else shape.on_file().constants
    return tuple((constant.at.on_file, constant.value) for constant in constants if isinstance(constant.value, str))


def of_kind(data: Any, profile: Profile, kind: str) -> bool:
    """Tell whether data has what tells the events of a kind, and nothing speaks against it."""
    return bool(told_by(profile, kind)) and _has_constants(data, profile, kind)


def _has_constants(data: Any, profile: Profile, kind: str) -> bool:
    each = profile.kind(kind).event.each
    if each is not None and not isinstance(_at(data, each.on_file), list):
        return False
    return all(_at(data, keys) == value for keys, value in told_by(profile, kind))


def entries_of(data: Any, shape: EventShape) -> list[Any]:
    """Return the events in a native event on file: itself, or those of a batch."""
    return [data] if shape.each is None else list(_at(data, shape.each.on_file))


def read_events(
    data: Any, profile: Profile, shown: str, line: int = 1, kind: str = "", *, exact: bool = False
) -> tuple[str, list[dict[str, Any]]]:
    """Return the kind of a native event on file, and the events in it as hub fields: one, or those of a batch.

    With `exact`, decimals in texts of JSON are kept as they were written. Raises BadInput that names the row and the
    place where an event is not what the profile says.
    """
    if not kind:
        kind = kind_of(data, profile, shown, line)
    elif not _has_constants(data, profile, kind):
        kind_of(data, profile, shown, line)  # says what is wrong
        raise BadInput(f"this is no event of the kind {kind}", f"Give one of {profile.title}", Place(shown, line))
    shape = profile.kind(kind).event
    read, checks = reader_of(profile, kind, exact=exact), _checks(kind)
    events = []
    for entry in entries_of(data, shape):
        if profile.model.format:
            entry = _by_the_rules(entry, shown, line)  # noqa: PLW2901
        try:
            fields = read(entry)
            good = all([check(fields[name]) for name, check in checks])
        except Exception:
            good = False
        if not good:
            raise _diagnose(entry, shape.on_file(), profile, shown, line)
        events.append(fields)
    return kind, events


def _by_the_rules(event: Any, shown: str, line: int) -> dict[str, Any]:
    """Return an event of an open format without attributes that are null; raises BadInput where it breaks a rule."""
    wrong = next(problems(event), None)
    if wrong:
        raise BadInput(
            f"{wrong[0]} {wrong[1]}", "Keep the rules of CloudEvents 1.0 for context attributes", Place(shown, line)
        )
    return {name: value for name, value in event.items() if value is not None or name in DATA}


@functools.cache
def _checks(kind: str) -> tuple[tuple[str, Callable[[Any], bool]], ...]:
    hub = HUB_EVENTS[kind]
    return tuple((row.field, CHECKS[hub.fields[row.field].holds]) for row in hub.rows)


def write_events(kind: str, events: list[dict[str, Any]], profile: Profile) -> list[Any]:
    """Return the native events on file (plain JSON data): one for each, or one batch of them all."""
    write = writer_of(profile, kind)
    entries = [write(event) for event in events]
    if profile.model.format:
        for entry in entries:
            wrong = next(problems(entry), None)
            if wrong:
                raise ValueError(f"{wrong[0]} {wrong[1]}")
    return put_together(kind, entries, profile)


def put_together(kind: str, entries: list[Any], profile: Profile) -> list[Any]:
    """Return events in the native shape as they are handed over: each by itself, or one batch of them all."""
    around = _around(profile, kind)
    if around is None:
        return entries
    each, constants = around
    if len(each) == 1 and all(len(keys) == 1 for keys, _ in constants):
        batch: dict[str | int, Any] = {keys[0]: value for keys, value in constants}
        batch[each[0]] = entries
        return [batch]
    batch = {}
    for keys, value in (*constants, (each, entries)):
        inner: Any = batch
        for key in keys[:-1]:
            inner = inner.setdefault(key, {})
        inner[keys[-1]] = value
    return [batch]


Keys = tuple[str | int, ...]


@functools.lru_cache(maxsize=256)
def _around(profile: Profile, kind: str) -> tuple[Keys, list[tuple[Keys, Any]]] | None:
    """Return where the events of a batch stand on file, and what stands around them; nothing where there are none."""
    shape = profile.kind(kind).event
    if shape.each is None:
        return None
    return shape.each.on_file, [(constant.at.on_file, constant.value) for constant in shape.envelope]


_MISSING: Any = object()


def _at(data: Any, keys: tuple[str | int, ...]) -> Any:
    for key in keys:
        try:
            data = data[key]
        except (KeyError, IndexError, TypeError):
            return _MISSING
    return data


def _shown_place(keys: tuple[str | int, ...]) -> str:
    return ".".join(str(key) for key in keys) or "the event"


def _brief(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False, default=str)
    return text if len(text) <= 60 else f"{text[:57]}…"


@functools.lru_cache(maxsize=1024)
def _view_of(profile: Profile, kind: str, field: str) -> Callable[[Any], Any]:
    """Return the compiled function from one event on file to one hub field."""
    return run_source(view_event("view", profile.kind(kind).event.on_file(), field))


def _diagnose(data: Any, shape: EventShape, profile: Profile, shown: str, line: int) -> BadInput:
    """Return what is wrong with an event that could not be read: the rows are tried one by one."""
    for row in shape.rows:
        if row.derived:
            continue
        keys = row.at.on_file
        value = _at(data, keys)
        hub = shape.fields[row.field]
        if value is _MISSING and row.optional:
            continue
        row_at = f"row {profile.name} line {row.line} ({row.field})"
        if value is _MISSING:
            return BadInput(
                f"{_shown_place(keys)} is missing, {row_at} wants it",
                f"Give an event of {profile.title}, of the kind {shape.kind}",
                Place(shown, line),
            )
        view = _view_of(profile, shape.kind, row.field)
        try:
            got = view(data)
            problem = "" if CHECKS[hub.holds](got) else f"which is no {hub.holds}"
        except Exception as error:
            problem = f"which can't be read: {type(error).__name__}: {error}"
        if problem:
            return BadInput(
                f"{_shown_place(keys)} is {_brief(value)}, {problem}; {row_at} reads it as {row.lens}",
                f"Give an event of {profile.title}, of the kind {shape.kind}",
                Place(shown, line),
            )
    return BadInput(
        "the event can't be read", f"Give an event of {profile.title}, of the kind {shape.kind}", Place(shown, line)
    )
