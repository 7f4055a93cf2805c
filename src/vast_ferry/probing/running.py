"""One function on one side, run on samples: what of its code runs, and the same with a fault planted in it.

A fault is planted in a copy of the side's files, one copy for each of two threads, in the same sandboxed workers as
the check's. Only samples that run the fault's lines are called, for no other could tell; where a handler keeps
something from call to call, all are, in the same order, for then the order matters.
"""

from __future__ import annotations

import queue
import shutil
import threading
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final

from vast_ferry.checking.compare import compare
from vast_ferry.checking.proving import CallTo, gone_through
from vast_ferry.checking.sides import Side
from vast_ferry.hub.functions import JAVASCRIPT, PYTHON, Function, language_of
from vast_ferry.hub.outcomes import Outcome
from vast_ferry.mapping.places import Attr
from vast_ferry.probing import faults_in_javascript, faults_in_python
from vast_ferry.probing.faults import Fault, Piece, pieces_of_one
from vast_ferry.probing.reach import Covered, Point, Reader, lines_of
from vast_ferry.standins.process import Setup, Worker

#: A planted fault may keep a call from ending: after so many seconds that is noticed.
LONGEST: Final = 2.0
THREADS: Final = 2


def share_of(end: float, among: int) -> float:
    """Return until when one of so many may work that share the time until an end (of `time.monotonic`)."""
    now = time.monotonic()
    return now + max(0.0, end - now) / among


@dataclass(frozen=True, slots=True)
class Run:
    """How one sample ended on a side, and the points of the side's code that ran."""

    outcome: Outcome
    points: frozenset[Point]

    @property
    def lines(self) -> set[tuple[str, int]]:
        """Return the lines that ran, each with its file."""
        return lines_of(self.points)


@dataclass(frozen=True, slots=True)
class Tried:
    """What came of planting one fault: the number of the sample that noticed it, or nothing."""

    fault: Fault
    noticed: int | None = None


class Bench:
    """One function on one side."""

    def __init__(self, side: Side, function: Function, kinds: tuple[str, ...], *, limit: float, memory: int) -> None:
        self.side, self.function, self.limit = side, function, limit
        self.setup: Setup = side.setup(function, kinds, memory, max(limit, 1.0))
        self.reader = Reader(side.folder)
        surface = side.profile.in_language(function.entry.language)
        rows = [row for kind in kinds for row in surface.kind(kind).event.rows if row.field == "log"]
        self.logs = frozenset(tuple(step.name for step in row.at.steps if isinstance(step, Attr)) for row in rows)
        self._at_loading: set[tuple[str, int]] | None = None

    def run(self, calls: Sequence[CallTo], seed: int = 1) -> list[Run]:
        """Return how calls end, one after the other, and what they run."""
        with Worker(replace(self.setup, reach=not self.setup.script)) as worker:
            return list(self._runs(worker, calls, seed))

    def _runs(self, worker: Worker, calls: Iterable[CallTo], seed: int) -> Iterator[Run]:
        for one in calls:
            outcome = gone_through(worker, one, self.function.name, self.limit, seed)
            yield Run(outcome, self.reader.points(outcome.reached))

    @contextmanager
    def open(self) -> Iterator[Callable[[CallTo], Run]]:
        """Give what runs one call after the other, in a worker that stays."""
        with Worker(replace(self.setup, reach=not self.setup.script)) as worker:

            def run(called: CallTo) -> Run:
                return next(self._runs(worker, [called], 1))

            yield run

    # --- what of the code is the function's own ---

    def own_pieces(self, points: Iterable[Point]) -> dict[str, list[Piece]]:
        """Return the pieces of the author's files that belong to the function, by file."""
        ran = {(file, line) for file, line in lines_of(points) if file not in self.side.brought}
        files = {file for file, _ in ran} | ({self.setup.entry.file} if not self.setup.script else set())
        found: dict[str, list[Piece]] = {}
        for file in sorted(files):
            text = self._text(file)
            if text is None:
                continue
            own = _pieces(file, text)
            # The first line of a definition runs when its file is loaded, whoever's it is.
            bodies = {line for path, line in ran if path == file} - {one.first for one in own}
            entry = self.setup.entry.name if file == self.setup.entry.file else ""
            chosen = pieces_of_one([one for one in own if one.first != one.last or one.names], entry, bodies)
            if chosen:
                found[file] = chosen
        return found

    def covered(self, points: frozenset[Point], pieces: dict[str, list[Piece]]) -> Covered:
        """Return how much of the author's part of a function ran."""
        whole = Covered()
        for file, own in pieces.items():
            whole += self.reader.covered(file, points, [(one.first, one.last) for one in own])
        return whole

    def faults(self, pieces: dict[str, list[Piece]]) -> list[Fault]:
        """Return the faults that can be planted in what belongs to the function."""
        found: list[Fault] = []
        for file, own in pieces.items():
            text = self._text(file)
            if text is None:
                continue
            lines = {line for one in own for line in range(one.first, one.last + 1)}
            found += [one for one in _faults(file, text, self.logs) if one.line in lines]
        return found

    def _text(self, file: str) -> str | None:
        try:
            return (self.side.folder / file).read_bytes().decode("utf-8")
        except (OSError, UnicodeDecodeError):
            return None

    # --- faults ---

    def plant(
        self,
        faults: Sequence[Fault],
        calls: Sequence[CallTo],
        runs: Sequence[Run],
        expected: Sequence[Sequence[Outcome]],
        *,
        until: float,
        told: Callable[[], None] = lambda: None,
    ) -> list[Tried]:
        """Return which fault is noticed by which call: whose outcome is then another than what was `expected` of it.

        `runs` are how the calls end without a fault; `until` is when to stop, by `time.monotonic`: faults that were
        not tried by then are left out.
        """
        order = self._keeps(calls, runs)
        loaded = self._loaded(calls[0])  # what runs when a file is loaded matters to every call
        lines = [run.lines | loaded for run in runs]
        waiting: queue.SimpleQueue[Path] = queue.SimpleQueue()
        top = self.side.folder.parent
        copies = [top / f"{self.side.folder.name}-{number}" for number in range(THREADS)]
        for copy in copies:
            if not copy.exists():
                shutil.copytree(self.side.folder, copy)
            waiting.put(copy)

        def tried(fault: Fault) -> Tried | None:
            if time.monotonic() > until:
                return None
            span = {(fault.file, line) for line in range(fault.line, fault.last_line + 1)}
            ran = [bool(one & span) or self.setup.script for one in lines]
            if not any(ran):
                told()
                return Tried(fault)
            folder = waiting.get()
            try:
                chosen = [at for at, reaches in enumerate(ran) if reaches or order]
                return Tried(fault, self._noticed(fault, folder, chosen, calls, expected))
            finally:
                waiting.put(folder)
                told()

        _parse_alone(faults, self.side.folder)
        with ThreadPoolExecutor(THREADS) as pool:
            return [one for one in pool.map(tried, faults) if one is not None]

    def _noticed(
        self,
        fault: Fault,
        folder: Path,
        chosen: Sequence[int],
        calls: Sequence[CallTo],
        expected: Sequence[Sequence[Outcome]],
    ) -> int | None:
        path = folder / fault.file
        content = path.read_bytes()
        path.write_bytes(fault.planted(content))
        limit = min(self.limit, LONGEST)
        try:
            with Worker(replace(self.setup, folder=folder)) as worker:
                for at in chosen:
                    got = gone_through(worker, calls[at], self.function.name, limit, 1)
                    if not expected[at]:  # it is not known what comes out, but it may matter for the next
                        continue
                    method = str(calls[at].call.events[0].get("method", ""))
                    if compare(expected[at], got, method).differences:
                        return at
            return None
        finally:
            path.write_bytes(content)

    def _loaded(self, called: CallTo) -> set[tuple[str, int]]:
        """Return the lines that run when the handler is loaded: those that a first call runs, and a second does not."""
        if self._at_loading is None:
            first, second = self.run([called, called])
            self._at_loading = first.lines - second.lines
        return self._at_loading

    def _keeps(self, calls: Sequence[CallTo], runs: Sequence[Run]) -> bool:
        """Tell whether it matters what was called before: called the other way round, a sample ends otherwise."""
        with Worker(self.setup) as worker:
            turned = [gone_through(worker, one, self.function.name, self.limit, 1) for one in reversed(calls)]
        return any(
            bool(compare([run.outcome], other, "").differences)
            for run, other in zip(runs, reversed(turned), strict=True)
        )


def _pieces(file: str, text: str) -> list[Piece]:
    with _PARSING:
        if language_of(file) == PYTHON:
            return faults_in_python.pieces(text)
        return faults_in_javascript.pieces(text, file) if language_of(file) == JAVASCRIPT else []


def _faults(file: str, text: str, logs: faults_in_python.Logs) -> list[Fault]:
    with _PARSING:
        if language_of(file) == PYTHON:
            return faults_in_python.faults(file, text, logs)
        return faults_in_javascript.faults(file, text, logs) if language_of(file) == JAVASCRIPT else []


#: Python's parser must not be used by several threads at once (cpython gh-106905).
_PARSING: Final = threading.Lock()


def _parse_alone(faults: Sequence[Fault], folder: Path) -> None:
    """See that every fault leaves its file a program: a fault of ours would else look noticed."""
    with _PARSING:
        for fault in faults:
            if language_of(fault.file) == PYTHON:
                compile(fault.planted((folder / fault.file).read_bytes()), fault.file, "exec")
