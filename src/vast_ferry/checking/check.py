"""`check`: proves a crossing by running the original and the carried functions side by side on sample events."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from vast_ferry.checking.jobs import Asked, Job
from vast_ferry.checking.on_a_cluster import on_a_cluster
from vast_ferry.checking.originals import Originals
from vast_ferry.checking.result import Checked, CheckResult, Noted
from vast_ferry.checking.sides import refuse_unknown, samples_of
from vast_ferry.evidence.witnesses import rests_on
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.standins.process import not_held
from vast_ferry.surveying.record import edited

#: A handler that hangs holds up the check for so long at most, whatever its own limit.
LONGEST_CALL = 10.0


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
    every: bool = True,
) -> CheckResult:
    """Return the verdict on every sample of a crossing.

    `samples` are folders with a folder a function, or single files (default: the original project's own); `functions`
    names those that are checked (default: all); `without`
    names offers that the target's server does not make; `limit` is the longest call in seconds, `memory` what a handler
    may take in MiB (default: what its function declares, and a margin for the interpreter); `source` is where the
    original project lies now, if it was moved. `progress` is told how far it is. Outcomes
    of the original are kept in `originals`, for further checks of the same project at other targets. `cluster` is the
    address of a Dask scheduler whose workers do it, and see the same folders under the same paths: the verdicts are
    those of one machine. Without `every`, samples of which there is nothing to say but that they are the same are only
    counted, function by function: there may be a hundred thousand.

    A sample that can't be read is `unchecked`. Raises BadInput for a folder without a crossing, an original that is
    gone, or a cluster that does not answer.
    """
    folder = Path(crossing)
    asked = Asked(str(folder), tuple(without), limit, memory, str(source) if source else "")
    job = Job(asked)
    record, side = job.record, job.side
    by_function = samples_of(side, job.declared, record, [Path(path) for path in samples])
    known = [function.name for function in record.functions]
    refuse_unknown(functions, known)
    if functions:
        by_function = {name: files for name, files in by_function.items() if name in functions}
    checked: list[Checked] = []
    noted: list[Noted] = []
    counted: Counter[str] = Counter()

    def take(one: Checked) -> None:
        if every or not one.plain:
            checked.append(one)
        else:
            counted[one.function] += 1

    held = [] if cluster else [not_held()]
    if cluster:
        for done in on_a_cluster(cluster, job, by_function):
            for one in done.checked:
                take(one)
            noted += done.noted
            held.append(done.not_held)
            progress(f"{len(checked) + counted.total()} samples checked")
    else:
        for one in job.run(by_function, noted, originals):
            take(one)
            progress(f"{len(checked) + counted.total()} samples checked")
    wanted = functions or known
    lacking = tuple(f.name for f in record.functions if f.name in wanted and not by_function.get(f.name))
    met = {one.file for one in checked} | {one.file for one in noted}
    every_file = (file for listed in by_function.values() for file, _ in listed)
    order = {file: at for at, file in enumerate(every_file) if file in met}
    checked.sort(key=lambda one: order.get(one.file, -1))
    noted.sort(key=lambda one: order.get(one.file, -1))
    titles = side.profile.title, job.target.profile.title
    kinds = {kind for function in job.declared.functions for kind in function.kinds}
    profiles = (side.profile, job.target.profile)
    rests = tuple(told for profile in profiles if (told := rests_on(profile, sorted(kinds))))
    freely = tuple(dict.fromkeys(what for one in held for what in one))
    edits = tuple(edited(folder, record))
    return CheckResult(*titles, tuple(checked), lacking, edits, freely, rests, tuple(noted), dict(counted))
