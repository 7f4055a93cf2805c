"""A file of events, one a line, converted chunk by chunk: in order, in constant memory, on every core.

What does not come from a plain file (a pipe) is converted as it comes, line by line and in this process, so that
nothing waits for more.
"""

from __future__ import annotations

import contextlib
import ctypes
import functools
import gc
import os
import signal
import stat
import uuid
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from dataclasses import dataclass, field
from multiprocessing import get_context
from typing import Any, BinaryIO

import simplejson

from vast_ferry.events.convert import Converted, converter
from vast_ferry.events.native import parse_json
from vast_ferry.hub.findings import BadInput
from vast_ferry.mapping.losses import Loss
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import find_profile, is_shipped
from vast_ferry.spreading.cluster import connected, in_order

#: So much is read at once; smaller than what starting a process would cost, larger than any line should be.
CHUNK = 512 * 1024


@dataclass(slots=True)
class Chunk:
    """Some lines, converted: what to print, how many they were, what broke off.

    Losses, and keys that no row reads, are counted: text → first line, count.
    """

    text: str = ""
    lines: int = 0
    losses: dict[str, tuple[int, int]] = field(default_factory=dict)
    unread: dict[str, tuple[int, int]] = field(default_factory=dict)
    error: BadInput | None = None


class _Lines:
    """Converts lines of one file; kept as a global in each process, where its compiled code is inherited."""

    def __init__(self, source: Profile, target: Profile, shown: str, render: Callable[[Converted], list[Any]]) -> None:
        # Where results are printed without their losses, a harmless one is told once, and costs nothing afterwards.
        self.convert = converter(source, target, exact=True, once=render is events_alone)
        self.shown, self.render = shown, render
        self.encode = simplejson.JSONEncoder(ensure_ascii=False, use_decimal=True).encode
        self.mark = uuid.uuid4().hex
        self.between = f',"{self.mark}",'.encode()

    def chunk(self, data: bytes, first: int) -> Chunk:
        """Return what some whole lines become; `first` is the number of the first of them."""
        # Events are trees: nothing of them waits for the collector, which would walk them all again and again.
        collects = gc.isenabled()
        gc.disable()
        try:
            return self._chunk(data, first)
        finally:
            if collects:
                gc.enable()

    def _chunk(self, data: bytes, first: int) -> Chunk:
        done = Chunk(lines=data.count(b"\n") + (not data.endswith(b"\n") and bool(data)))
        lines = [(number, line) for number, line in enumerate(data.split(b"\n"), first) if line and not line.isspace()]
        values = self._parsed([line for _, line in lines])
        results: list[Any] = []
        met: dict[int, tuple[Loss, int, int]] = {}
        try:
            for index, (number, line) in enumerate(lines):
                if values is None:
                    event = parse_json(line, self.shown, "the event", number, exact=True)
                else:
                    event = values[2 * index]
                converted = self.convert(event, self.shown, number)
                results += self.render(converted)
                for key in converted.unread:
                    line_of_first, count = done.unread.get(key, (number, 0))
                    done.unread[key] = (line_of_first, count + 1)
                for loss in converted.losses:
                    _, line_of_first, count = met.get(id(loss), (loss, number, 0))
                    met[id(loss)] = (loss, line_of_first, count + 1)
        except BadInput as error:
            done.error = error
        done.losses = {str(loss): (line_of_first, count) for loss, line_of_first, count in met.values()}
        done.text = self._encoded(results)
        return done

    # To call the decoder and the encoder costs more than most events do, so they are called once for many: as a list,
    # with a mark between each two that nothing else can be.

    def _parsed(self, lines: list[bytes]) -> list[Any] | None:
        """Return the values of lines, at every other place; nothing where a line is not one JSON value by itself."""
        text = b"[" + self.between.join(lines) + b"]"
        try:
            values = parse_json(text, self.shown, exact=True)
        except BadInput:  # which it is, and where, is told line by line
            return None
        # A mark that stands inside a value was between two lines that are no values, but are one together.
        return values if values[1::2] == [self.mark] * (len(lines) - 1) else None

    def _encoded(self, results: list[Any]) -> str:
        if not results:
            return ""
        marked = [self.mark] * (2 * len(results) - 1)
        marked[::2] = results
        text = self.encode(marked)
        return text[1:-1].replace(f', "{self.mark}", ', "\n") + "\n"


_lines: _Lines | None = None


def _chunk(data: bytes, first: int) -> Chunk:
    assert _lines is not None
    return _lines.chunk(data, first)


def events_alone(converted: Converted) -> list[Any]:
    """Return what is printed of a result: the converted events."""
    return converted.events


def convert_lines(
    stream: BinaryIO,
    source: Profile,
    target: Profile,
    shown: str = "event",
    render: Callable[[Converted], list[Any]] = events_alone,
    *,
    cluster: str = "",
) -> Iterator[Chunk]:
    """Yield what the events of a stream become in `target`'s shape, in order; the last chunk may hold an error.

    `render` gives what is printed of one result, each a line of JSON: the converted events, unless it says otherwise.
    `cluster` is the address of a Dask scheduler whose workers do it.
    """
    if cluster:
        yield from _on_a_cluster(cluster, stream, (source, target, shown, render))
        return
    global _lines  # noqa: PLW0603  (inherited by forked processes)
    _lines = _Lines(source, target, shown, render)
    chunks = _numbered(stream)
    cores = len(os.sched_getaffinity(0))
    for data, first, last in chunks:  # the first is converted here: then everything is compiled
        yield _lines.chunk(data, first)
        if last:
            return
        if cores > 1 and _is_plain_file(stream):
            yield from _spread(chunks, cores)
            return


def _spread(chunks: Iterator[tuple[bytes, int, bool]], cores: int) -> Iterator[Chunk]:
    with ProcessPoolExecutor(cores, mp_context=get_context("fork"), initializer=_die_with_parent) as pool:
        under_way: deque[Future[Chunk]] = deque()
        for data, first, _ in chunks:
            under_way.append(pool.submit(_chunk, data, first))
            if len(under_way) > 2 * cores:
                chunk = under_way.popleft().result()
                yield chunk
                if chunk.error:
                    pool.shutdown(cancel_futures=True)
                    return
        while under_way:
            chunk = under_way.popleft().result()
            yield chunk
            if chunk.error:
                pool.shutdown(cancel_futures=True)
                return


@dataclass(frozen=True, slots=True)
class _Part:
    """Some whole lines of a file, for another machine: the first of them by its number, and what they are to become.

    Profiles that ship are named, others by their files, which all machines see.
    """

    data: bytes
    first: int
    source: str
    target: str
    shown: str
    render: Callable[[Converted], list[Any]]


def _on_a_cluster(
    address: str, stream: BinaryIO, job: tuple[Profile, Profile, str, Callable[[Converted], list[Any]]]
) -> Iterator[Chunk]:
    """Yield what lines become that the workers of a cluster convert, in order."""
    source, target, shown, render = job
    ours, theirs = (one.name if is_shipped(one) else str(one.path.resolve()) for one in (source, target))
    chunks = _numbered(stream, 16 * CHUNK)
    parts = (_Part(data, first, ours, theirs, shown, render) for data, first, _ in chunks if data)
    with connected(address) as client:
        for chunk in in_order(client, _part_done, parts):
            yield chunk
            if chunk.error:
                return


def _part_done(part: _Part) -> Chunk:
    """Convert some lines, in a worker of a cluster."""
    return _compiled(part.source, part.target, part.shown, part.render).chunk(part.data, part.first)


@functools.lru_cache(maxsize=8)
def _compiled(source: str, target: str, shown: str, render: Callable[[Converted], list[Any]]) -> _Lines:
    return _Lines(find_profile(source), find_profile(target), shown, render)


def _die_with_parent() -> None:
    """Let this process be ended with the one that forked it, however that ends (Linux, prctl(2))."""
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, signal.SIG_DFL)
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(1, signal.SIGKILL, 0, 0, 0)


def _is_plain_file(stream: BinaryIO) -> bool:
    try:
        return stat.S_ISREG(os.fstat(stream.fileno()).st_mode)
    except (OSError, ValueError):
        return False


def _numbered(stream: BinaryIO, size: int = CHUNK) -> Iterator[tuple[bytes, int, bool]]:
    """Yield whole lines as (bytes, number of the first, whether they are the last), as soon as they are there."""
    read = getattr(stream, "read1", stream.read)
    rest: list[bytes] = []
    first = 1
    while True:
        data: bytes = read(size)
        if not data:
            yield b"".join(rest), first, True
            return
        end = data.rfind(b"\n") + 1
        if not end:
            rest.append(data)
            continue
        whole = b"".join([*rest, data[:end]])
        rest = [data[end:]]
        yield whole, first, False
        first += whole.count(b"\n")
