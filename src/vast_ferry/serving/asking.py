"""Workers asked from an event loop: calls are sent, the loop goes on, and answers are read as they come.

To hand each call to a thread and its answer back costs more than the call, and so does it to wake a worker for each.
So calls are written to a worker's socket from the loop, and where all workers of a function are at work and their calls
are short, a few wait in the socket behind the one at work: the worker takes the next without being woken. What takes
long (a worker that starts or ends, a call that is large) is given to threads.
"""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, Final, TypeVar

from vast_ferry.hub.outcomes import Outcome
from vast_ferry.standins.frames import ROOM, Call
from vast_ferry.standins.process import BEYOND, GONE, Worker

#: So many calls are with a worker at once at most: one at work, the others behind it.
_AT_MOST: Final = 8
#: Calls are sent ahead after so many that took no longer than so many seconds.
_SHORT_CALLS: Final = 20
_SHORT: Final = 0.01

T = TypeVar("T")


async def in_pool(pool: ThreadPoolExecutor, does: Callable[..., T], *given: Any) -> T:
    """Return what a function gives that is run in a thread of a pool."""
    return await asyncio.get_running_loop().run_in_executor(pool, does, *given)


@dataclass(slots=True)
class _Sent:
    """A call that a worker has: within how many seconds it must end, its bytes, and how it ended, once that is known.

    It ended with nothing where its worker's process ended before it came to the call.
    """

    limit: float
    size: int
    ended: asyncio.Future[Outcome | None]


class Asked:
    """A worker and the calls that it has, the one at work first; used from one event loop."""

    def __init__(self, worker: Worker, pool: ThreadPoolExecutor) -> None:
        self.worker, self._pool = worker, pool
        self.taken = 0  # so many calls are given to it, and not over
        self._sent: deque[_Sent] = deque()
        self._place = -1  # the descriptor at which answers come, while some are awaited
        self._by = 0.0  # when the call at work must have ended
        self._clock: asyncio.TimerHandle | None = None
        self._short = 0  # so many calls in a row were short
        self._alone = asyncio.Lock()  # held by what is given to a thread
        self._ending: asyncio.Task[None] | None = None  # what ends the process

    @property
    def room(self) -> int:
        """Return how many calls it may be given more: one at a time, but a few where those before were short."""
        return (_AT_MOST if self._short >= _SHORT_CALLS else 1) - self.taken

    async def call(self, call: Call, limit: float) -> Outcome:
        """Return how a call ended, `limit` seconds after it came to it at the latest."""
        while True:
            if self._ending is not None:
                await asyncio.wait([self._ending])
            elif self._alone.locked():
                async with self._alone:
                    pass
            elif (sent := self._send(call, limit)) is None:
                return await self._in_a_thread(call, limit)
            elif (outcome := await sent.ended) is not None:
                return outcome

    async def _in_a_thread(self, call: Call, limit: float) -> Outcome:
        """Make a call, once all that were sent are over; its process is started where there is none."""
        async with self._alone:
            while self._sent or self._ending is not None:
                await asyncio.wait([self._ending] if self._ending is not None else [self._sent[-1].ended])
            return await in_pool(self._pool, self.worker.call, call, limit)

    def _send(self, call: Call, limit: float) -> _Sent | None:
        # All that wait in the socket have room there: the loop must never wait for a worker to take one.
        told = self.worker.send(call, limit, ROOM - sum(one.size for one in self._sent))
        if told is None:
            return None
        loop, (place, size) = asyncio.get_running_loop(), told
        sent = _Sent(limit, size, loop.create_future())
        self._sent.append(sent)
        if len(self._sent) == 1:
            self._place = place
            loop.add_reader(place, self._look)
            self._begun(loop.time())
        return sent

    def _begun(self, now: float) -> None:
        """Take note that the worker comes to the first of its calls; one clock does for all, and looks again."""
        self._by = now + self._sent[0].limit + BEYOND
        if self._clock is not None and self._clock.when() > self._by:
            self._clock.cancel()
            self._clock = None
        if self._clock is None:
            self._clock = asyncio.get_running_loop().call_at(self._by, self._time_is_up)

    def _time_is_up(self) -> None:
        self._clock = None
        if self._place < 0:
            return
        loop = asyncio.get_running_loop()
        if loop.time() < self._by:  # of a call since
            self._clock = loop.call_at(self._by, self._time_is_up)
        else:
            self._end(self.worker.late, self._sent[0].limit)

    def _look(self) -> None:
        """Read what has come."""
        loop = asyncio.get_running_loop()
        while self._sent:
            try:
                answer = self.worker.came()
            except GONE:
                self._end(self.worker.gone)
                return
            if answer is None:
                return
            if answer.get("spent"):
                self._end(self.worker.over, answer)
                return
            outcome = self.worker.over(answer)
            if self.worker.ended:  # it was no answer
                self._end(lambda outcome=outcome: outcome)
                return
            self._short = self._short + 1 if outcome.seconds < _SHORT else 0
            first = self._sent.popleft()
            if not first.ended.done():
                first.ended.set_result(outcome)
            if self._sent:
                self._begun(loop.time())
        loop.remove_reader(self._place)
        self._place = -1

    def _end(self, how: Callable[..., Outcome], *given: Any) -> None:
        """Let a thread end the process, and tell the call at work so; the others go to the process after it."""
        loop = asyncio.get_running_loop()
        loop.remove_reader(self._place)
        self._place, self._short = -1, 0

        async def ending() -> None:
            told: Outcome | Exception
            try:
                told = await in_pool(self._pool, how, *given)
            except Exception as error:  # whoever waits is told that as well
                told = error
            (first, *others), self._ending = self._sent, None
            self._sent.clear()
            for one in others:
                if not one.ended.done():
                    one.ended.set_result(None)
            if first.ended.done():
                return
            if isinstance(told, Outcome):
                first.ended.set_result(told)
            else:
                first.ended.set_exception(told)

        self._ending = loop.create_task(ending())


class Place:
    """The workers of one function, `most` at most; calls wait here, in their order, until one has room for them."""

    def __init__(self, most: int, new: Callable[[], Worker], pool: ThreadPoolExecutor) -> None:
        self._most, self._new, self._pool = most, new, pool
        self._workers: list[Asked] = []
        self._coming = 0  # workers that are made just now
        self._waiting: deque[asyncio.Future[Asked]] = deque()
        self._closed = False

    def add(self, worker: Worker) -> None:
        """Take in a worker that is there already."""
        self._workers.append(Asked(worker, self._pool))

    async def call(self, call: Callable[[], Call], limit: float) -> Outcome:
        """Return how a call ended; `call` gives it when its turn has come."""
        asked = await self._turn()
        try:
            return await asked.call(call(), limit)
        finally:
            self._over(asked)

    async def _turn(self) -> Asked:
        """Return a worker that has room, in which the call has its place."""
        found = None if self._waiting else self._with_room()
        if found is None and len(self._workers) + self._coming < self._most:
            found = await self._made()
        if found is not None:
            found.taken += 1
            return found
        waits: asyncio.Future[Asked] = asyncio.get_running_loop().create_future()
        self._waiting.append(waits)
        try:
            return await waits
        except asyncio.CancelledError:
            if waits.done() and not waits.cancelled():  # its turn came, and nobody wants it any more
                self._over(waits.result())
            raise

    async def _made(self) -> Asked:
        """Return a new worker; where it can't be made, those that wait for one are told so as well."""
        self._coming += 1
        try:
            found = Asked(await in_pool(self._pool, self._new), self._pool)
        except Exception as error:
            for waits in self._waiting if not self._workers and self._coming == 1 else ():
                if not waits.done():
                    waits.set_exception(error)
            raise
        finally:
            self._coming -= 1
        self._workers.append(found)
        return found

    def _with_room(self) -> Asked | None:
        """Return the worker that has fewest to do; nothing where it has no room, or another can be had."""
        found = min(self._workers, key=lambda one: one.taken, default=None)
        if found is None or found.room <= 0:
            return None
        return None if found.taken and len(self._workers) + self._coming < self._most else found

    def _over(self, asked: Asked) -> None:
        """Take note that a call is over, and give its place to those that wait."""
        asked.taken -= 1
        asked.worker.timeouts = 0  # whoever works on it calls again and again
        while self._waiting and (found := self._with_room()) is not None:
            waits = self._waiting.popleft()
            if not waits.done():
                found.taken += 1
                waits.set_result(found)
        if self._closed and not asked.taken:
            self._pool.submit(asked.worker.stop)

    def end(self) -> None:
        """Break off the calls that are under way: whoever waits for one is told that its process has ended."""
        for asked in list(self._workers):
            if asked.taken:
                asked.worker.break_off()

    def close(self) -> None:
        """End the workers: those that are at work when their calls are over."""
        self._closed = True
        for asked in list(self._workers):
            if not asked.taken:
                asked.worker.stop()
