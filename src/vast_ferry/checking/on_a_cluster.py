"""The same check on the workers of a cluster: in parts that are done one by one, as one machine does them."""

from __future__ import annotations

import os
import socket
import threading
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

from vast_ferry.checking.jobs import BATCH, Asked, Files, Job
from vast_ferry.checking.result import Checked, Noted
from vast_ferry.hub.findings import BadInput
from vast_ferry.spreading.cluster import as_they_come, connected
from vast_ferry.standins.process import not_held

#: Workers of a cluster have threads; what a part starts and compiles is one process's.
_ONE_AT_A_TIME = threading.Lock()


@dataclass(frozen=True, slots=True)
class _Part:
    """A part of a check that is done by itself: samples of one function. `stamp` says what lies in the two folders."""

    asked: Asked
    function: str
    files: tuple[tuple[str, str], ...]
    stamp: str


@dataclass(frozen=True, slots=True)
class Done:
    """What came of a part: verdicts, what was noted of samples, what could not be kept from the handlers."""

    checked: list[Checked]
    noted: list[Noted]
    not_held: tuple[str, ...]


def on_a_cluster(address: str, job: Job, by_function: Files) -> Iterator[Done]:
    """Yield what comes of the parts of a check that the workers of a cluster do, as it comes.

    A part is what one machine runs in one go as well, so that whatever a handler keeps from call to call is the same.
    """
    folder = job.folder.resolve()
    asked = replace(job.asked, crossing=str(folder), source=str(job.side.folder.resolve()))
    stamp = job.stamp()
    parts = [
        _Part(asked, name, tuple(whole[at : at + BATCH]), stamp)
        for name, files in by_function.items()
        for whole in [[(os.path.realpath(file), str(top.resolve())) for file, top in files]]
        for at in range(0, len(whole), BATCH)
    ]
    given = {os.path.realpath(file): file for files in by_function.values() for file, _ in files}
    with connected(address) as client:
        for done in as_they_come(client, _part_done, parts):
            checked = [replace(one, file=given.get(one.file, one.file)) for one in done.checked]
            noted = [replace(one, file=given.get(one.file, one.file)) for one in done.noted]
            yield Done(checked, noted, done.not_held)


def _part_done(part: _Part) -> Done:
    """Do a part of a check, in a worker of a cluster."""
    with _ONE_AT_A_TIME:
        job = Job(part.asked)
        if job.stamp() != part.stamp:
            raise BadInput(
                f"{part.asked.crossing} on {socket.gethostname()} is not what it is here",
                "Let all machines see the same folders, under the same paths",
            )
        noted: list[Noted] = []
        files = {part.function: [(file, Path(top)) for file, top in part.files]}
        return Done(list(job.run(files, noted, None)), noted, not_held())
