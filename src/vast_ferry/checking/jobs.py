"""What one machine does of a check: both sides deployed, samples read, run side by side and compared.

What is asked of it is plain data, so that the workers of a cluster do the same.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from vast_ferry.checking.compare import Verdict
from vast_ferry.checking.originals import Originals
from vast_ferry.checking.proving import Begun, Proving
from vast_ferry.checking.result import Checked, Noted
from vast_ferry.checking.sides import both_deployed, source_side, target_side
from vast_ferry.hub.findings import BadInput, nearest
from vast_ferry.hub.functions import Project
from vast_ferry.profiles.profile import Profile
from vast_ferry.samples.store import Sample, read_sample, sample_name
from vast_ferry.surveying.files import own_files
from vast_ferry.surveying.record import read_record

#: The sample files of each function, each with the folder that it was found under. As text: there may be very many.
Files = dict[str, list[tuple[str, Path]]]

#: Samples are read, run and compared so many at a time.
BATCH = 4000


@dataclass(frozen=True, slots=True)
class Asked:
    """What is asked of a check, but for its samples: plain data, which goes to another machine as it is."""

    crossing: str
    without: tuple[str, ...]
    limit: float
    memory: int
    source: str


class Job:
    """A crossing that is checked: its record and both sides."""

    def __init__(self, asked: Asked) -> None:
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

    def run(self, by_function: Files, noted: list[Noted], originals: Originals | None) -> Iterator[Checked]:
        """Yield the verdicts, and note what of the samples nobody reads or is read oddly."""
        with both_deployed(self.side, self.target, self.record.carry_files) as sides:
            limit, memory = self.asked.limit, self.asked.memory
            run = Proving(*sides, self.declared, limit=limit, memory=memory, originals=originals)
            yield from _run(run, by_function, self.declared, self.side.profile, noted)

    def stamp(self) -> str:
        """Return a digest of what lies in both folders: on another machine it has to be the same."""
        digest = hashlib.sha256()
        for side in (self.side, self.target):
            for path in sorted(own_files(side.folder, self.record.carry_files)[0]):
                digest.update(str(path).encode("utf-8", "surrogateescape"))
                digest.update(hashlib.sha256((side.folder / path).read_bytes()).digest())
        return digest.hexdigest()


def _run(
    run: Proving,
    by_function: Files,
    declared: Project,
    profile: Profile,
    noted: list[Noted],
) -> Iterator[Checked]:
    """Yield the verdicts, and note what of the samples nobody reads or is read oddly.

    While the samples of one batch are run, the next is read, and what came of the one before is compared.
    """
    begun: Begun | None = None
    try:
        for function in declared.functions:
            files = by_function.get(function.name, [])
            for start in range(0, len(files), BATCH):
                batch, unread = _read(function.name, files[start : start + BATCH], profile, noted)
                if begun is not None:
                    begun.wait()  # else there would be twice as many workers
                before, begun = begun, run.begin(function, batch)
                yield from run.verdicts(before) if before is not None else ()
                yield from unread
        last, begun = begun, None
        yield from run.verdicts(last) if last is not None else ()
    finally:
        if begun is not None:
            begun.give_up()


def _read(
    function: str, files: Sequence[tuple[str, Path]], profile: Profile, noted: list[Noted]
) -> tuple[list[Sample], list[Checked]]:
    """Return the samples in files, and verdicts on those that can't be read: the others may be fine."""
    batch: list[Sample] = []
    unread: list[Checked] = []
    for file, top in files:
        path = Path(file)
        try:
            batch.append(read_sample(function, path, profile, top))
            if batch[-1].unread or batch[-1].odd:
                noted.append(Noted(function, file, batch[-1].unread, batch[-1].odd))
        except BadInput as error:
            name, why = sample_name(function, path, top), (str(error),)
            unread.append(Checked(function, name, Verdict.UNCHECKED, reasons=why, file=file, read=False))
    return batch, unread
