"""One project that runs: its functions, called in workers as their provider calls them; loaded again when it changes.

Calls go to copies of the files, as they were when they were last good: what was broken by an edit is told, and what ran
before runs on. What a handler does to services is taken into the state, and the events that it causes are delivered.
"""

from __future__ import annotations

import contextlib
import functools
import os
import shutil
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Final

from vast_ferry.checking.calling import where_of, with_secrets, with_variables
from vast_ferry.checking.sides import Side, deployed
from vast_ferry.collecting.collect import Keeper
from vast_ferry.definitions.tables import route_style
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import Function, Project
from vast_ferry.hub.http import HttpEvent, HttpReply
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.profiles.profile import Profile
from vast_ferry.serving.asking import Place
from vast_ferry.serving.state import State, event_of
from vast_ferry.standins.debugging import AS_LONG_AS_IT_TAKES, DebuggedWorker, Debugger
from vast_ferry.standins.frames import Call
from vast_ferry.standins.gateway import Gateway, takes
from vast_ferry.standins.process import Worker
from vast_ferry.standins.scratch import scratch_folder

#: So many debuggers are started at once.
_AT_ONCE: Final = 4
#: So many workers a function has at most, whatever its provider allows.
_WORKERS: Final = 2
#: So many threads do what has to be waited for: workers that start, end or are sent what is large; files looked at.
_THREADS: Final = 16
#: To look for changes may take this share of the time at most.
_LOOKING: Final = 0.1
#: A change is not seen for so long at most, in seconds.
_LONGEST_UNSEEN: Final = 0.2
#: So long a chain of events that cause each other is followed.
LONGEST_CHAIN: Final = 25
#: The key by which an event names the one function that it is for.
FUNCTION: Final = "_function"
#: Folders in which nothing stands that a function is loaded from.
_NOT_LOOKED: Final = ("__pycache__", "node_modules", "samples")
GOOD: Final = (Ending.REPLIED, Ending.RETURNED, Ending.ACKNOWLEDGED)


@dataclass(frozen=True, slots=True)
class Done:
    """One call that is over: of which function, what caused it, how it ended; `attempt` counts from 1."""

    function: str
    cause: str
    outcome: Outcome
    seconds: float
    attempt: int = 1
    note: str = ""


@dataclass(slots=True)
class _Loaded:
    """A project as it was last good."""

    side: Side
    declared: Project
    gateway: Gateway | None
    places: dict[str, Place] = field(default_factory=dict)

    def close(self) -> None:
        for place in list(self.places.values()):
            place.close()


class Live:
    """A project that runs; use as a context manager."""

    def __init__(
        self,
        project: Path,
        *,
        source: str | Profile | None = None,
        variables: Mapping[str, str] | None = None,
        state: State | None = None,
        say: Callable[[str], None] = lambda text: None,
        limit: float = 900.0,
        stage: str = "",
        debugger: Debugger | None = None,
    ) -> None:
        self.stage, self.debugger = stage, debugger
        self.project, self.source, self.variables = project, source, dict(variables or {})
        self.state, self.say, self.limit = state or State(), say, limit
        self._scratch = contextlib.ExitStack()
        self.pool = ThreadPoolExecutor(_THREADS)
        self._lock, self._number = threading.Lock(), 0
        self._seen: dict[str, tuple[int, int]] = {}
        self._look_again = 0.0
        self._loaded: _Loaded | None = None

    def __enter__(self) -> Live:
        self._folder = self._scratch.enter_context(scratch_folder())
        self._seen = _stamps(self.project)
        self._loaded = self._load()
        return self

    def __exit__(self, *_: object) -> None:
        self.pool.shutdown(cancel_futures=True)
        if self._loaded is not None:
            self._loaded.close()
        self._scratch.close()

    @property
    def loaded(self) -> _Loaded:
        """Return the project as it was last good."""
        assert self._loaded is not None
        return self._loaded

    @property
    def functions(self) -> tuple[Function, ...]:
        """Return its functions."""
        return self.loaded.declared.functions

    @property
    def profile(self) -> Profile:
        """Return the profile of the provider whose handlers these are."""
        return self.loaded.side.profile

    @property
    def made_up(self) -> list[str]:
        """Return the names of the secrets that nobody gave: their values are made up."""
        names = {name for one in self.functions for name in one.secrets}
        return sorted(names - self.variables.keys())

    def keeper(self, redact: Sequence[str]) -> Keeper:
        """Return what keeps samples of the project; of a crossing, of the one that it was carried from."""
        where = where_of(self.project, self.source)
        return Keeper(where.home, where.declared, where.folder, redact)

    # --- loading ---

    def _load(self) -> _Loaded:
        where = where_of(self.project, self.source, stage=self.stage)
        self._number += 1
        side = where.side
        if self.debugger is None:  # else breakpoints stand in the files themselves
            side = deployed(where.side, self._folder / str(self._number), where.carry_files)
        declared = where.declared
        if self.variables:
            declared = with_variables(declared, self.variables)
            side = replace(side, project=with_variables(side.project, self.variables) if side.project else None)
        gateway = Gateway(side.project, route_style(side.profile).order) if side.project else None
        return _Loaded(side, declared, gateway)

    @property
    def looks_again(self) -> bool:
        """Tell whether it is time to look for changes."""
        return time.monotonic() >= self._look_again

    def refresh(self) -> None:
        """Load the project again where it changed; what can't be loaded is told, and the old one runs on."""
        with self._lock:
            began = time.monotonic()
            if began < self._look_again:
                return
            seen = _stamps(self.project)
            ended = time.monotonic()
            self._look_again = ended + min((ended - began) / _LOOKING, _LONGEST_UNSEEN)
            if seen == self._seen:
                return
            changed = sorted(path for path in seen.keys() | self._seen.keys() if seen.get(path) != self._seen.get(path))
            self._seen = seen
            try:
                for path in changed:
                    _parse(self.project / path)
                loaded = self._load()
            except BadInput as error:
                self.say(f"not loaded, what ran before runs on: {error}")
                return
            before, self._loaded = self.loaded, loaded
            before.close()
            if self.debugger is not None:
                self.await_debuggers()
            # Calls of the one before may still be under way in its files; those of the one before that are over.
            shutil.rmtree(self._folder / str(self._number - 2), ignore_errors=True)
            self.say(f"loaded again: {', '.join(changed[:5])}{', …' * (len(changed) > 5)}")

    # --- calling ---

    def request(self, event: HttpEvent) -> tuple[HttpReply | None, Function | None, HttpEvent]:
        """Return where a request goes: to a function, or to an answer of the gateway itself."""
        loaded = self.loaded
        if loaded.gateway is None:  # what was carried routes by itself; each of its functions has all of it
            http = next((one for one in loaded.declared.functions if "http" in one.kinds), None)
            return (None, http, replace(event, route="", captures={})) if http else (HttpReply(404), None, event)
        routed = loaded.gateway.route(event)
        function = loaded.declared.function(routed.function) if routed.function else None
        return routed.reply, function, routed.event

    def takers(self, kind: str, event: Mapping[str, Any]) -> list[Function]:
        """Return the functions whose triggers take an event."""
        return [one for one in self.functions if not takes(one, kind, event)]

    async def call(
        self, function: Function, kind: str, events: Sequence[dict[str, Any]], cause: str, attempt: int = 1
    ) -> Done:
        """Return how a call ended; what it did and the events that this causes are for `caused`."""
        loaded = self.loaded
        own = function.timeout or loaded.side.profile.model.limits.default_timeout or 60.0
        limit = min(own, self.limit) if self.debugger is None else AS_LONG_AS_IT_TAKES
        began = time.perf_counter()
        place = self._place_of(loaded, function)
        outcome = await place.call(lambda: Call(kind, tuple(events), self.state.before()), limit)
        return Done(function.name, cause, outcome, time.perf_counter() - began, attempt)

    def end(self) -> None:
        """Break off the calls that are under way: who ends the server need not wait for them."""
        for place in list(self.loaded.places.values()):
            place.end()

    def _place_of(self, loaded: _Loaded, function: Function) -> Place:
        """Return where the workers of a function are."""
        place = loaded.places.get(function.name)
        if place is None:
            most, new = 1 if self.debugger else _WORKERS, functools.partial(self._new_worker, loaded, function)
            place = loaded.places[function.name] = Place(most, new, self.pool)
        return place

    def _new_worker(self, loaded: _Loaded, function: Function) -> Worker:
        setup = with_secrets(loaded.side.setup(function, function.kinds, 0, 30.0), self.variables)
        if self.debugger is None:
            return Worker(setup)
        names = [one.name for one in loaded.declared.functions]
        return DebuggedWorker(setup, self.debugger.behind(names.index(function.name)))

    def await_debuggers(self) -> None:
        """Start a worker of each function, so that a debugger can attach before the first call, and say where."""
        loaded = self.loaded
        workers = {one.name: self._new_worker(loaded, one) for one in loaded.declared.functions}
        for one in loaded.declared.functions:
            self._place_of(loaded, one).add(workers[one.name])
        with ThreadPoolExecutor(_AT_ONCE) as pool:
            begun = {name: pool.submit(one.begin) for name, one in workers.items() if isinstance(one, DebuggedWorker)}
            for name, worker in workers.items():
                assert isinstance(worker, DebuggedWorker)
                self.say(f"  {name}: {worker.attached_by} at 127.0.0.1:{worker.debugger.port}")
                if why := begun[name].result():
                    self.say(f"  {name} can't be loaded: {why}")

    def caused(self, done: Done) -> list[tuple[str, dict[str, Any]]]:
        """Take what a call did into the state, and return the events that this causes."""
        if not done.outcome.effects:
            return []
        with self._lock:
            events = [one for effect in done.outcome.effects for one in self.state.did(effect)]
            self.state.save()
        for effect in done.outcome.effects:
            if effect.operation == "function.start":
                events.append(
                    ("call", {**event_of("call", data=effect.fields.get("data")), FUNCTION: effect.fields["name"]})
                )
        return events


def _stamps(folder: Path) -> dict[str, tuple[int, int]]:
    """Return when each file of a project was written, and its size; hidden folders and packages are left out."""
    found = {}
    for top, inner, names in os.walk(folder):
        inner[:] = [name for name in inner if not name.startswith(".") and name not in _NOT_LOOKED]
        for name in names:
            path = os.path.join(top, name)
            with contextlib.suppress(OSError):
                status = os.stat(path)
                found[os.path.relpath(path, folder)] = (status.st_mtime_ns, status.st_size)
    return found


def _parse(path: Path) -> None:
    """Raise BadInput, with the line, where a file of source is none."""
    if not path.is_file():
        return
    if path.suffix == ".py":
        from vast_ferry.documents.python_file import parse_python

        parse_python(path, str(path))
    elif path.suffix in (".js", ".mjs", ".cjs", ".ts", ".mts", ".cts"):
        from vast_ferry.documents.javascript_file import parse_javascript

        parse_javascript(path.read_bytes(), str(path))
