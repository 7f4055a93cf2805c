"""`check`: proves a crossing by running the original and the carried functions side by side on sample events."""

from __future__ import annotations

import hashlib
import socket
import threading
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from vast_ferry.checking.compare import Verdict
from vast_ferry.checking.originals import Originals
from vast_ferry.checking.proving import Proving
from vast_ferry.checking.result import Checked, CheckResult
from vast_ferry.checking.sides import both_deployed, refuse_unknown, samples_of, source_side, target_side
from vast_ferry.evidence.witnesses import rests_on
from vast_ferry.hub.findings import BadInput, nearest
from vast_ferry.hub.functions import Project
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.profiles.profile import Profile
from vast_ferry.samples.store import Sample, read_sample, sample_name
from vast_ferry.spreading.cluster import as_they_come, connected
from vast_ferry.standins.process import not_held
from vast_ferry.surveying.files import own_files
from vast_ferry.surveying.record import edited, read_record

#: A handler that hangs holds up the check for so long at most, whatever its own limit.
LONGEST_CALL = 10.0

#: Workers of a cluster have threads; what a part starts and compiles is one process's.
_ONE_AT_A_TIME = threading.Lock()
#: The sample files of each function, each with the folder that it was found under.
_Files = dict[str, list[tuple[Path, Path]]]

#: Samples are read, run and compared so many at a time.
BATCH = 2000


@dataclass(frozen=True, slots=True)
class _Asked:
    """What is asked of a check, but for its samples: plain data, which goes to another machine as it is."""

    crossing: str
    without: tuple[str, ...]
    limit: float
    memory: int
    source: str


@dataclass(frozen=True, slots=True)
class _Part:
    """A part of a check that is done by itself: samples of one function. `stamp` says what lies in the two folders."""

    asked: _Asked
    function: str
    files: tuple[tuple[str, str], ...]
    stamp: str


@dataclass(frozen=True, slots=True)
class _Done:
    """What came of a part: verdicts, what of the samples nobody reads, what could not be kept from the handlers."""

    checked: list[Checked]
    unread: list[tuple[str, str, tuple[str, ...]]]
    not_held: tuple[str, ...]


class _Job:
    """A crossing that is checked: its record and both sides."""

    def __init__(self, asked: _Asked) -> None:
        self.asked, self.folder = asked, Path(asked.crossing)
        self.record = read_record(self.folder)
        self.side, self.declared = source_side(self.folder, self.record, Path(asked.source) if asked.source else None)
        there = self.record.target.find_profile(self.folder)
        offers = {row.offer for kind in there.kinds.values() for row in kind.event.rows if row.offer}
        unknown = [name for name in asked.without if name not in offers]
        if unknown:
            raise BadInput(
                f"{self.record.target.provider} has no offer {unknown[0]!r}{nearest(unknown[0], offers)}",
                f"Offers: {', '.join(sorted(offers)) or 'none'}",
            )
        self.target = target_side(self.folder, self.record, frozenset(asked.without))

    def run(
        self, by_function: _Files, unread: list[tuple[str, str, tuple[str, ...]]], originals: Originals
    ) -> Iterator[Checked]:
        """Yield the verdicts, and note what of the samples nobody reads."""
        with both_deployed(self.side, self.target, self.record.carry_files) as sides:
            limit, memory = self.asked.limit, self.asked.memory
            run = Proving(*sides, self.declared, limit=limit, memory=memory, originals=originals)
            yield from _run(run, by_function, self.declared, self.side.profile, unread)

    def stamp(self) -> str:
        """Return a digest of what lies in both folders: on another machine it has to be the same."""
        digest = hashlib.sha256()
        for side in (self.side, self.target):
            for path in sorted(own_files(side.folder, self.record.carry_files)[0]):
                digest.update(str(path).encode("utf-8", "surrogateescape"))
                digest.update(hashlib.sha256((side.folder / path).read_bytes()).digest())
        return digest.hexdigest()


def check(
    crossing: Path | str,
    *,
    samples: Sequence[Path | str] = (),
    functions: Sequence[str] = (),
    without: Sequence[str] = (),
    limit: float = LONGEST_CALL,
    memory: int = 0,
    source: Path | str | None = None,
    progress: Progress = quietly,
    originals: Originals | None = None,
    cluster: str = "",
) -> CheckResult:
    """Return the verdict on every sample of a crossing.

    `samples` are folders with a folder a function, or single files (default: the original project's own); `functions`
    names those that are checked (default: all); `without`
    names offers that the target's server does not make; `limit` is the longest call in seconds, `memory` what a handler
    may take in MiB (default: what its function declares, and a margin for the interpreter); `source` is where the
    original project lies now, if it was moved. `progress` is told how far it is. Outcomes
    of the original are kept in `originals`, for further checks of the same project at other targets. `cluster` is the
    address of a Dask scheduler whose workers do it, and see the same folders under the same paths: the verdicts are
    those of one machine.

    A sample that can't be read is `unchecked`. Raises BadInput for a folder without a crossing, an original that is
    gone, or a cluster that does not answer.
    """
    folder = Path(crossing)
    asked = _Asked(str(folder), tuple(without), limit, memory, str(source) if source else "")
    job = _Job(asked)
    record, side = job.record, job.side
    by_function = samples_of(side, job.declared, record, [Path(path) for path in samples])
    known = [function.name for function in record.functions]
    refuse_unknown(functions, known)
    if functions:
        by_function = {name: files for name, files in by_function.items() if name in functions}
    checked: list[Checked] = []
    unread: list[tuple[str, str, tuple[str, ...]]] = []
    held = [] if cluster else [not_held()]
    if cluster:
        for done in _on_a_cluster(cluster, job, by_function):
            checked += done.checked
            unread += done.unread
            held.append(done.not_held)
            progress(f"{len(checked)} samples checked")
    else:
        for one in job.run(by_function, unread, originals or Originals()):
            checked.append(one)
            progress(f"{len(checked)} samples checked")
    wanted = functions or known
    lacking = tuple(f.name for f in record.functions if f.name in wanted and not by_function.get(f.name))
    order = {str(path): at for at, path in enumerate(path for files in by_function.values() for path, _ in files)}
    checked.sort(key=lambda one: order.get(one.file, -1))
    unread.sort(key=lambda one: order.get(one[1], -1))
    titles = side.profile.title, job.target.profile.title
    kinds = {kind for function in job.declared.functions for kind in function.kinds}
    profiles = (side.profile, job.target.profile)
    rests = tuple(told for profile in profiles if (told := rests_on(profile, sorted(kinds))))
    freely = tuple(dict.fromkeys(what for one in held for what in one))
    edits = tuple(edited(folder, record))
    return CheckResult(*titles, tuple(checked), lacking, edits, freely, rests, tuple(unread))


def _on_a_cluster(address: str, job: _Job, by_function: _Files) -> Iterator[_Done]:
    """Yield what comes of the parts of a check that the workers of a cluster do, as it comes.

    A part is what one machine runs in one go as well, so that whatever a handler keeps from call to call is the same.
    """
    folder = job.folder.resolve()
    asked = replace(job.asked, crossing=str(folder), source=str(job.side.folder.resolve()))
    stamp = job.stamp()
    parts = [
        _Part(asked, name, tuple(whole[at : at + BATCH]), stamp)
        for name, files in by_function.items()
        for whole in [[(str(path.resolve()), str(top.resolve())) for path, top in files]]
        for at in range(0, len(whole), BATCH)
    ]
    given = {str(path.resolve()): str(path) for files in by_function.values() for path, _ in files}
    with connected(address) as client:
        for done in as_they_come(client, _part_done, parts):
            checked = [replace(one, file=given.get(one.file, one.file)) for one in done.checked]
            unread = [(name, given.get(file, file), keys) for name, file, keys in done.unread]
            yield _Done(checked, unread, done.not_held)


def _part_done(part: _Part) -> _Done:
    """Do a part of a check, in a worker of a cluster."""
    with _ONE_AT_A_TIME:
        job = _Job(part.asked)
        if job.stamp() != part.stamp:
            raise BadInput(
                f"{part.asked.crossing} on {socket.gethostname()} is not what it is here",
                "Let all machines see the same folders, under the same paths",
            )
        unread: list[tuple[str, str, tuple[str, ...]]] = []
        files = {part.function: [(Path(path), Path(top)) for path, top in part.files]}
        return _Done(list(job.run(files, unread, Originals())), unread, not_held())


def _run(
    run: Proving,
    by_function: _Files,
    declared: Project,
    profile: Profile,
    unread: list[tuple[str, str, tuple[str, ...]]],
) -> Iterator[Checked]:
    """Yield the verdicts, and note what of the samples nobody reads."""
    for function in declared.functions:
        files = by_function.get(function.name, [])
        for start in range(0, len(files), BATCH):
            batch: list[Sample] = []
            for path, top in files[start : start + BATCH]:
                try:
                    batch.append(read_sample(function.name, path, profile, top))
                    if batch[-1].unread:
                        unread.append((function.name, str(path), batch[-1].unread))
                except BadInput as error:  # the others may be fine
                    name = sample_name(function.name, path, top)
                    why = (str(error),)
                    yield Checked(function.name, name, Verdict.UNCHECKED, reasons=why, file=str(path), read=False)
            yield from run.function(function, batch)
