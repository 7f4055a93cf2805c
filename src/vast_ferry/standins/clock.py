"""The clock by which calls are limited: it stands still while the machine lets nobody run.

A machine may be busy with other work, held at a share of its processors, or paused. A handler that got no time is not
one that hangs, and whether a check tells the truth must not hang on who else works there. Whoever waits here wakes up
every now and then; by how much it wakes up too late, this process, and as a rule what it waits for, did not run, and
that time does not count.
"""

from __future__ import annotations

import select
import threading
import time

#: How often whoever waits looks at the clock, in seconds.
_STEP = 0.05


class _Clock:
    """Seconds in which this process was let run, from some beginning: one for all threads."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._stood = 0.0
        self._seen = 0.0

    def now(self) -> float:
        """Return the time."""
        return time.monotonic() - self._stood

    def stands_still(self, since: float, until: float) -> None:
        """Take out a stretch of time, once, however many threads have slept through it."""
        with self._lock:
            self._stood += max(0.0, until - max(since, self._seen))
            self._seen = max(self._seen, until)


_CLOCK = _Clock()
now = _CLOCK.now


def waited(poll: select.poll, by: float) -> bool:
    """Wait until something that is polled is ready; tell whether that was before a time of `now`."""
    while True:
        left = max(0.0, by - now())
        step, begun = min(left, _STEP), time.monotonic()
        if poll.poll(step * 1000):
            return True
        if left < 0.001:
            return False
        _CLOCK.stands_still(begun + step, time.monotonic())
