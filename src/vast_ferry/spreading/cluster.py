"""A Dask cluster that somebody runs: how it is reached, and how parts of a work are handed to it.

What goes there is a function of this package and plain data; what comes back are its results, in order or as they come.
A part whose worker is lost is done again by another: Dask's scheduler sees to that.
"""

from __future__ import annotations

import socket
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from typing import Any, Final, TypeVar

from vast_ferry.hub.findings import BadInput

#: A scheduler that does not answer within so long is taken for one that is not there, in seconds.
PATIENCE: Final = 10.0

Part = TypeVar("Part")
Result = TypeVar("Result")


@contextmanager
def connected(address: str) -> Iterator[Any]:
    """Give a client of the scheduler at an address; raises BadInput where there is none, or its workers can't do it."""
    try:
        import distributed
    except ImportError:
        raise BadInput(
            "a cluster needs Dask's `distributed`, which is not installed",
            "Install it: pip install 'vast-ferry[cluster]'",
        ) from None
    _reached(address)
    try:
        client = distributed.Client(address, timeout=PATIENCE, set_as_default=False)
    except (OSError, TimeoutError, ValueError, TypeError) as error:
        why = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise BadInput(
            f"no scheduler answers at {address}: {why}",
            "Start one (dask scheduler), with workers (dask worker ADDRESS --nthreads 1)",
        ) from None
    try:
        _fit(client, address)
        yield client
    finally:
        with suppress(Exception):
            client.close(timeout=PATIENCE)


def _reached(address: str) -> None:
    """See that something listens at an address; a client would go on asking for a while, in threads of its own."""
    scheme, _, rest = address.rpartition("://")
    host, _, port = rest.rpartition(":")
    try:
        if scheme not in ("", "tcp", "tls") or not port.isdigit():
            raise ValueError("an address is tcp://HOST:PORT or tls://HOST:PORT")
        socket.create_connection((host.strip("[]"), int(port)), timeout=PATIENCE).close()
    except (OSError, ValueError, OverflowError) as error:
        raise BadInput(
            f"no scheduler answers at {address}: {getattr(error, 'strerror', None) or error}",
            "Start one (dask scheduler), with workers (dask worker ADDRESS --nthreads 1)",
        ) from None


def _fit(client: Any, address: str) -> None:
    """See that there are workers, and that each has this very version; raises BadInput."""
    own = _version()
    try:
        found: dict[str, str] = client.run(_version, on_error="return")
    except (OSError, TimeoutError) as error:
        raise BadInput(f"the workers at {address} do not answer: {error}", "See to them, and try again") from None
    if not found:
        raise BadInput(f"the scheduler at {address} has no workers", f"Start some: dask worker {address} --nthreads 1")
    # One that is lost while it is asked says nothing of what it has: its part is made up for by the others.
    answered = {worker: told for worker, told in found.items() if not isinstance(told, OSError)}
    if not answered:
        raise BadInput(f"the workers at {address} do not answer: all were lost", "See to them, and try again")
    for worker, told in answered.items():
        if told != own:
            has = f"Vast Ferry {told}" if isinstance(told, str) else "no Vast Ferry"
            raise BadInput(f"the worker {worker} has {has}, and here it is {own}", "Install the same on all machines")


def _version() -> str:
    from importlib.metadata import version  # only where it is needed: it takes a while

    return version("vast-ferry")


def in_order(client: Any, work: Callable[[Part], Result], parts: Iterable[Part]) -> Iterator[Result]:
    """Yield the results of some parts in their order; no more parts are under way than keep the workers busy."""
    most = 2 * sum(client.nthreads().values()) + 1
    under_way: deque[Any] = deque()
    try:
        for part in parts:
            under_way.append(client.submit(work, part, pure=False, retries=2))
            if len(under_way) > most:
                yield _result(under_way.popleft())
        while under_way:
            yield _result(under_way.popleft())
    finally:
        client.cancel([one for one in under_way if not one.done()])


def as_they_come(client: Any, work: Callable[[Part], Result], parts: Iterable[Part]) -> Iterator[Result]:
    """Yield the results of some parts, each as soon as it is there."""
    from distributed import as_completed

    waiting = [client.submit(work, part, pure=False, retries=2) for part in parts]
    try:
        for one in as_completed(waiting, loop=client.loop):
            yield _result(one)
    finally:
        client.cancel([one for one in waiting if not one.done()])


def _result(future: Any) -> Any:
    from distributed import KilledWorker

    try:
        return future.result()
    except KilledWorker as error:
        raise BadInput(
            f"a part of the work was lost with every worker that had it: {error.task}",
            "See why they end (their memory, perhaps), or do it on one machine",
        ) from None
