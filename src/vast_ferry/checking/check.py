"""`check`: proves a crossing by running the original and the carried functions side by side on sample events."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
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
from vast_ferry.standins.process import not_held
from vast_ferry.surveying.record import edited, read_record

#: A handler that hangs holds up the check for so long at most, whatever its own limit.
LONGEST_CALL = 10.0

#: Samples are read, run and compared so many at a time.
BATCH = 2000


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
) -> CheckResult:
    """Return the verdict on every sample of a crossing.

    `samples` are folders with a folder a function, or single files (default: the original project's own); `functions`
    names those that are checked (default: all); `without`
    names offers that the target's server does not make; `limit` is the longest call in seconds, `memory` what a handler
    may take in MiB (default: what its function declares, and a margin for the interpreter); `source` is where the
    original project lies now, if it was moved. `progress` is told how far it is. Outcomes
    of the original are kept in `originals`, for further checks of the same project at other targets.

    A sample that can't be read is `unchecked`. Raises BadInput for a folder without a crossing, or an original that is
    gone.
    """
    folder = Path(crossing)
    record = read_record(folder)
    side, declared = source_side(folder, record, Path(source) if source else None)
    there = record.target.find_profile(folder)
    offers = {row.offer for kind in there.kinds.values() for row in kind.event.rows if row.offer}
    unknown = [name for name in without if name not in offers]
    if unknown:
        raise BadInput(
            f"{record.target.provider} has no offer {unknown[0]!r}{nearest(unknown[0], offers)}",
            f"Offers: {', '.join(sorted(offers)) or 'none'}",
        )
    target = target_side(folder, record, frozenset(without))
    by_function = samples_of(side, declared, record, [Path(path) for path in samples])
    known = [function.name for function in record.functions]
    refuse_unknown(functions, known)
    if functions:
        by_function = {name: files for name, files in by_function.items() if name in functions}
    checked: list[Checked] = []
    with both_deployed(side, target, record.carry_files) as sides:
        run = Proving(*sides, declared, limit=limit, memory=memory, originals=originals or Originals())
        unread: list[tuple[str, str, tuple[str, ...]]] = []
        for one in _run(run, by_function, declared, side.profile, unread):
            checked.append(one)
            progress(f"{len(checked)} samples checked")
    wanted = functions or known
    lacking = tuple(f.name for f in record.functions if f.name in wanted and not by_function.get(f.name))
    order = {str(path): at for at, path in enumerate(path for files in by_function.values() for path, _ in files)}
    checked.sort(key=lambda one: order.get(one.file, -1))
    titles = side.profile.title, target.profile.title
    kinds = {kind for function in declared.functions for kind in function.kinds}
    profiles = (side.profile, target.profile)
    rests = tuple(told for profile in profiles if (told := rests_on(profile, sorted(kinds))))
    return CheckResult(
        *titles, tuple(checked), lacking, tuple(edited(folder, record)), not_held(), rests, tuple(unread)
    )


def _run(
    run: Proving,
    by_function: dict[str, list[tuple[Path, Path]]],
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
