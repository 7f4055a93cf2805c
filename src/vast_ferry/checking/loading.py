"""One sample called again and again at a rate: how long calls take on each side of a crossing, and which fail.

Calls are begun by the clock, whether those before have ended or not, and each is timed from when it should have begun:
a side that can't keep up shows it in its times, as it would to those who wait. Where an address is given the sample is
sent there as a request; it has to be this machine's own, unless whoever asks says in so many words that it may be
loaded.
"""

from __future__ import annotations

import http.client
import ipaddress
import queue
import statistics
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Final
from urllib.parse import urlsplit

from vast_ferry.checking.calling import Where, call_of, function_of, sample_of, where_of
from vast_ferry.checking.proving import CallTo, gone_through
from vast_ferry.checking.sides import deployed
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import Function
from vast_ferry.hub.http import HttpEvent
from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.outcomes import Ending
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.profiles.profile import Profile
from vast_ferry.standins.process import Worker
from vast_ferry.standins.scratch import scratch_folder
from vast_ferry.surveying.crossing_file import holds_crossing

#: So many calls are under way at once on one side.
AT_ONCE: Final = 8
#: No more calls than this are made of one side.
MOST: Final = 1_000_000
#: How long a call may take whose function declares nothing, in seconds.
_LIMIT: Final = 10.0
_GOOD: Final = (Ending.REPLIED, Ending.RETURNED, Ending.ACKNOWLEDGED)
_LARGEST: Final = 16 * 1024 * 1024


@dataclass(slots=True)
class SideLoaded:
    """What one side did under load: when each call should have begun and how long it took from then, in seconds."""

    title: str
    begun: list[float] = field(default_factory=list)
    seconds: list[float] = field(default_factory=list)
    failed: int = 0
    why: str = ""  # how the first of those that failed did

    def at(self, percent: int) -> float:
        """Return within how many seconds so many percent of the calls had ended."""
        if len(self.seconds) < 2:
            return self.seconds[0] if self.seconds else 0.0
        return statistics.quantiles(self.seconds, n=100, method="inclusive")[percent - 1]

    @property
    def rate(self) -> float:
        """Return how many calls a second ended."""
        ended = [one + other for one, other in zip(self.begun, self.seconds, strict=True)]
        return len(ended) / max(ended) if ended and max(ended) > 0 else 0.0


@dataclass(frozen=True, slots=True)
class Loaded:
    """What came of a load: of which function and sample, at what rate for how long, and each side."""

    function: str
    sample: str
    rate: float
    seconds: float
    sides: tuple[SideLoaded, ...]


def load(
    project: Path | str,
    function: str,
    sample: str = "",
    *,
    rate: float,
    seconds: float,
    address: str = "",
    allowed: str = "",
    source: str | Profile | None = None,
    progress: Progress = quietly,
) -> Loaded:
    """Return how a function does when it is called `rate` times a second for so many `seconds`.

    Of a crossing both sides are, one after the other. With an `address` the sample is sent there instead; any that is
    not this machine's own has to be `allowed` by the very same text. Raises BadInput where it is not, or there is no
    such function or sample.
    """
    if rate * seconds > MOST:
        raise BadInput(f"that would be {rate * seconds:,.0f} calls", f"Ask for {MOST:,} at most")
    if address:
        _refuse_others(address, allowed)
    folder = Path(project)
    original = where_of(folder, source, original=True)
    wheres = [original, where_of(folder, source)] if holds_crossing(folder) and not address else [original]
    own = sample_of(original, function_of(original, function), sample)
    sides = []
    for where in wheres:
        title = address or where.side.profile.title
        progress(f"{title}: {rate:g} calls a second for {seconds:g} s")
        with _callers(where, function, sample, address) as callers:
            sides.append(_loaded(title, callers, rate, seconds))
    return Loaded(function, own.name, rate, seconds, tuple(sides))


@contextmanager
def _callers(where: Where, function: str, sample: str, address: str) -> Iterator[list[Callable[[], str]]]:
    """Give what calls a function of one side, each in a worker of its own or over a connection of its own."""
    own = function_of(where, function)
    one = sample_of(where, own, sample)
    if address:
        if not is_request(one.kind):
            raise BadInput(f"{one.name} is a {one.kind} event, which no request sends", "Name a request")
        yield [_sender(address, one.event) for _ in range(AT_ONCE)]
        return
    with ExitStack() as stack:
        side = deployed(where.side, stack.enter_context(scratch_folder()) / "project", where.carry_files)
        called, setup = call_of(where, side, own, one), side.setup(own, (one.kind,), 0, 30.0)
        workers = [stack.enter_context(Worker(setup)) for _ in range(AT_ONCE)]
        callers: list[Callable[[], str]] = [partial(_call, worker, called, own) for worker in workers]
        for each in callers:  # to start is no part of it
            each()
        yield callers


def _call(worker: Worker, called: CallTo, function: Function) -> str:
    """Call once, and return how it failed, if it did."""
    ended = gone_through(worker, called, function.name, function.timeout or _LIMIT, 1)
    return "" if ended.ending in _GOOD else str(ended)


def _loaded(title: str, callers: list[Callable[[], str]], rate: float, seconds: float) -> SideLoaded:
    """Return what came of calling by the clock."""
    made = SideLoaded(title)
    due: queue.SimpleQueue[float | None] = queue.SimpleQueue()
    lock = threading.Lock()
    began = time.perf_counter()

    def serve(call: Callable[[], str]) -> None:
        while (at := due.get()) is not None:
            why = call()
            took = time.perf_counter() - began - at
            with lock:
                made.begun.append(at)
                made.seconds.append(took)
                if why:
                    made.failed += 1
                    made.why = made.why or why

    threads = [threading.Thread(target=serve, args=(call,), daemon=True) for call in callers]
    for thread in threads:
        thread.start()
    for number in range(max(1, round(rate * seconds))):
        at = number / rate
        time.sleep(max(0.0, began + at - time.perf_counter()))
        due.put(at)
    for _ in threads:
        due.put(None)
    for thread in threads:
        thread.join()
    return made


# --- by requests ---


def _refuse_others(address: str, allowed: str) -> None:
    parts = urlsplit(address)
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise BadInput(f"{address!r} is no address", "Give http:// or https:// and a host")
    if _is_this_machine(parts.hostname) or address == allowed:
        return
    raise BadInput(
        f"{parts.hostname} is not this machine, and is not loaded",
        f"If it is yours to load, say so: --i-may-load {address}",
    )


def _is_this_machine(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def _sender(address: str, event: HttpEvent) -> Callable[[], str]:
    """Return what sends a request once, over a connection that stays open, and says how it failed."""
    parts = urlsplit(address)
    kind = http.client.HTTPSConnection if parts.scheme == "https" else http.client.HTTPConnection
    assert parts.hostname is not None
    connection = kind(parts.hostname, parts.port, timeout=30)
    target = f"{parts.path.rstrip('/')}{event.target}"
    # A field that repeats is one line, as RFC 9110 §5.3 has it.
    headers: dict[str, str] = {}
    for name, value in event.headers:
        headers[name] = f"{headers[name]}, {value}" if name in headers else value

    def send() -> str:
        try:
            connection.request(event.method, target, event.body or None, headers)
            answer = connection.getresponse()
            answer.read(_LARGEST)
        except (OSError, http.client.HTTPException) as error:
            connection.close()
            return f"{type(error).__name__}: {error}"
        return f"answered {answer.status}" if answer.status >= 500 else ""

    return send
