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
from vast_ferry.events.compiled import (
    pack_of,
    reader_of,
    shapes_of,
    writer_of,
)
from vast_ferry.events.diagnosing import diagnose, entries_or_why
from vast_ferry.events.recognising import has_constants, kind_of, shape_of
from vast_ferry.hub.fields import CHECKS
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.hub.standards import no_value
from vast_ferry.mapping.tables import HUB_EVENTS
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


def read_events(
    data: Any, profile: Profile, shown: str, line: int = 1, kind: str = "", *, exact: bool = False
) -> tuple[str, list[dict[str, Any]]]:
    """Return the kind of a native event on file, and the events in it as hub fields: one, or those of a batch.

    With `exact`, decimals in texts of JSON are kept as they were written. Raises BadInput that names the row and the
    place where an event is not what the profile says.
    """
    if not kind:
        kind = kind_of(data, profile, shown, line)
    elif not has_constants(data, profile, kind):
        kind_of(data, profile, shown, line)  # says what is wrong
        raise BadInput(f"this is no event of the kind {kind}", f"Give one of {profile.title}", Place(shown, line))
    number = shape_of(data, profile, kind)
    shape = shapes_of(profile, kind)[number]
    read, checks = reader_of(profile, kind, number, exact=exact), _checks(kind)
    events = []
    for entry in entries_or_why(data, profile, kind, number, Place(shown, line)):
        if profile.model.format:
            entry = _by_the_rules(entry, shown, line)  # noqa: PLW2901
        try:
            fields = read(entry)
            good = all([check(fields[name]) for name, check in checks])
        except Exception:
            good = False
        if not good:
            raise diagnose(entry, shape.on_file(), profile, Place(shown, line))
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
    made = [(row.field, CHECKS[hub.fields[row.field].holds]) for row in hub.rows]
    return (*made, *((row.field, _may_be(why)) for row in hub.rows if (why := no_value(kind, row.field)) is not None))


def _may_be(why: Callable[[Any], str]) -> Callable[[Any], bool]:
    return lambda value: isinstance(value, str) and not why(value)


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
    shape = profile.kind(kind).event
    if shape.levels:
        batches: list[Any] = pack_of(profile, kind)(entries)
        return batches
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
