"""The compiled functions between native events on file and the hub, for each shape of a provider's kinds of events."""

from __future__ import annotations

import contextlib
import functools
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, Final

from vast_ferry.mapping import helpers
from vast_ferry.mapping.compile.functions import pack_batch, translate_event, unpack_batch
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.tables import HUB_EVENTS, EventShape
from vast_ferry.profiles.profile import Profile


@contextlib.contextmanager
def beside(folder: Path) -> Iterator[None]:
    """Let events name files of a folder while they are read; no path leads out of it."""
    token = helpers.BESIDE.set(str(folder))
    try:
        yield
    finally:
        helpers.BESIDE.reset(token)


#: What stands at a place where nothing does.
MISSING: Final[Any] = object()


def at_keys(data: Any, keys: tuple[str | int, ...]) -> Any:
    """Return what stands under keys, `MISSING` where nothing does."""
    for key in keys:
        try:
            data = data[key]
        except (KeyError, IndexError, TypeError):
            return MISSING
    return data


def shapes_of(profile: Profile, kind: str) -> tuple[EventShape, ...]:
    """Return the shapes in which a provider hands over events of a kind, the usual one first."""
    tables = profile.kind(kind)
    return (tables.event, *tables.others)


@functools.lru_cache(maxsize=256)
def reader_of(profile: Profile, kind: str, number: int = 0, *, exact: bool = False) -> Callable[[Any], dict[str, Any]]:
    """Return the compiled function from one event on file, in one of its kind's shapes, to hub fields."""
    shape = shapes_of(profile, kind)[number].on_file()
    return run_source(translate_event("read_event", shape.exact() if exact else shape, HUB_EVENTS[kind]))


@functools.lru_cache(maxsize=256)
def writer_of(profile: Profile, kind: str) -> Callable[[dict[str, Any]], Any]:
    """Return the compiled function from hub fields to one event on file."""
    return run_source(translate_event("write_event", HUB_EVENTS[kind], profile.kind(kind).event.on_file()))


def entries_of(data: Any, profile: Profile, kind: str, number: int = 0) -> list[Any]:
    """Return the events in a native event on file: itself, or those of a batch."""
    shape = shapes_of(profile, kind)[number]
    if shape.levels:
        entries: list[Any] = _unpack(profile, kind, number)(data)
        return entries
    return [data] if shape.each is None else list(at_keys(data, shape.each.on_file))


@functools.lru_cache(maxsize=256)
def _unpack(profile: Profile, kind: str, number: int) -> Callable[[Any], Any]:
    return run_source(unpack_batch("unpack", shapes_of(profile, kind)[number].on_file()))


@functools.lru_cache(maxsize=256)
def pack_of(profile: Profile, kind: str) -> Callable[[Any], list[Any]]:
    """Return the compiled function from events to the batches that they make, for a shape of several levels."""
    return run_source(pack_batch("pack", profile.kind(kind).event.on_file()))
