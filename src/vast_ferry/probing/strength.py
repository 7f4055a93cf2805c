"""How much a crossing's samples notice: what of both handlers they run, and which planted faults they see.

For each function the original is run twice and the carried handler once, with what runs being measured. Samples on
which they agree are proof of something, and only those count. Then small faults are planted in the carried handler, one
at a time, and the samples are called again until one ends otherwise than the original: the fault is noticed. The share
of those that are is the strength. What no sample notices is named with its line: there the check is blind. After that,
in time that is left, events are generated, and one that would notice such a fault is named beside it.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final

from vast_ferry.checking.calling import Where, where_of
from vast_ferry.checking.compare import compare
from vast_ferry.checking.originals import Originals
from vast_ferry.checking.proving import Proving
from vast_ferry.checking.sides import (
    both_deployed,
    readable_samples,
    refuse_unknown,
    samples_of,
    source_side,
    target_side,
)
from vast_ferry.hub.extras import require
from vast_ferry.hub.findings import Finding, Place, Severity
from vast_ferry.hub.functions import Function
from vast_ferry.hub.outcomes import Outcome
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.probing.faults import Fault
from vast_ferry.probing.reach import Covered
from vast_ferry.probing.running import Bench, Run, Tried, share_of
from vast_ferry.samples.store import Sample
from vast_ferry.surveying.record import read_record

#: So long faults are planted, in seconds, unless it is said otherwise.
SECONDS: Final = 120.0
#: So many seconds, for each function with faults that its samples don't notice, or as many as the planting took, events
#: are generated that would; but never longer than what is left.
_GENERATING: Final = 5.0


@dataclass(frozen=True, slots=True)
class Planted:
    """A fault that was planted in a carried handler, and the sample that noticed it; empty for none.

    `shown_by` is a generated event that would notice what no sample does, in the readable form of samples.
    """

    fault: Fault
    noticed_by: str = ""
    ran: bool = True  # whether any sample runs its lines
    shown_by: Mapping[str, Any] | None = None


@dataclass(frozen=True, slots=True)
class Strength:
    """How much the samples of one function notice.

    `original` and `carried` are what of both handlers they run. `untried` faults were left when the time was up;
    `why` says what kept the samples from being held against faults at all.
    """

    function: str
    samples: int = 0
    original: Covered = Covered()
    carried: Covered = Covered()
    planted: tuple[Planted, ...] = ()
    untried: int = 0
    why: str = ""

    @property
    def noticed(self) -> int:
        """Return how many faults were noticed."""
        return sum(bool(one.noticed_by) for one in self.planted)

    @property
    def score(self) -> float | None:
        """Return the share of planted faults that were noticed; nothing where none was planted."""
        return self.noticed / len(self.planted) if self.planted else None

    @property
    def missed(self) -> tuple[Planted, ...]:
        """Return the faults that no sample noticed."""
        return tuple(one for one in self.planted if not one.noticed_by)


@dataclass(frozen=True, slots=True)
class StrengthResult:
    """The strength of the samples of every function of a crossing."""

    functions: tuple[Strength, ...]

    @property
    def planted(self) -> int:
        """Return how many faults were planted."""
        return sum(len(one.planted) for one in self.functions)

    @property
    def noticed(self) -> int:
        """Return how many of them were noticed."""
        return sum(one.noticed for one in self.functions)

    @property
    def score(self) -> float | None:
        """Return the share of all planted faults that were noticed; nothing where none was planted."""
        return self.noticed / self.planted if self.planted else None

    @property
    def findings(self) -> list[Finding]:
        """Return a finding for each function whose samples let a planted fault pass, at the first such line."""
        found = []
        for one in self.functions:
            if one.missed:
                first = one.missed[0].fault
                found.append(
                    Finding(
                        "fault-unnoticed",
                        Severity.TODO,
                        f"the samples of {one.function} notice {one.noticed} of {len(one.planted)} planted faults; "
                        f"not, for instance, that {first.what}",
                        "Add samples that show it, or let `vast-ferry event make` look for some",
                        Place(first.file, first.line),
                        one.function,
                    )
                )
            if one.why:
                found.append(
                    Finding(
                        "strength-unknown",
                        Severity.TODO,
                        f"no faults were planted in {one.function}: {one.why}",
                        "Add a sample on which both sides agree",
                        function=one.function,
                    )
                )
        return found


def strength(
    crossing: Path | str,
    *,
    samples: Sequence[Path | str] = (),
    functions: Sequence[str] = (),
    seconds: float = SECONDS,
    limit: float = 10.0,
    memory: int = 0,
    progress: Progress = quietly,
) -> StrengthResult:
    """Return how much the samples of a crossing notice, function by function.

    `samples` and `limit` are as for `check`; `functions` names those that are looked at (default: all); faults are
    planted for so many `seconds` at most. Raises BadInput for a folder without a crossing, or for a function that it
    has not.
    """
    require("coverage", "strength", "measures of what samples run")
    folder = Path(crossing)
    record = read_record(folder)
    side, declared = source_side(folder, record, None)
    where = where_of(folder, None, original=True)
    target = target_side(folder, record, frozenset())
    names = [one.name for one in record.functions]
    refuse_unknown(functions, names)
    by_function = samples_of(side, declared, record, [Path(path) for path in samples])
    chosen = [one for one in declared.functions if one.name in (functions or names)]
    begun = time.monotonic()
    end = begun + seconds
    found: list[Strength] = []
    with both_deployed(side, target, record.carry_files) as sides:
        run = Proving(*sides, declared, limit=limit, memory=memory, originals=Originals())
        for number, function in enumerate(chosen):
            kept = readable_samples(function.name, by_function.get(function.name, []), side.profile)
            own = _One(run, function, limit, memory, progress)
            found.append(own.strength(kept, share_of(end, len(chosen) - number)))
        blind = [at for at, one in enumerate(found) if one.missed]
        now = time.monotonic()
        end = min(end, now + max(now - begun, _GENERATING * len(blind)))
        for number, at in enumerate(blind):
            found[at] = _with_generated(found[at], run, where, chosen[at], share_of(end, len(blind) - number))
    return StrengthResult(tuple(found))


def _with_generated(strong: Strength, run: Proving, where: Where, function: Function, until: float) -> Strength:
    """Return a function's strength with generated events beside the faults that its samples don't notice."""
    from vast_ferry.probing.making import noticing  # which loads what generates values

    found = noticing(run, where, function, [one.fault for one in strong.missed], until)
    return replace(strong, planted=tuple(replace(one, shown_by=found.get(one.fault)) for one in strong.planted))


@dataclass(frozen=True, slots=True)
class _One:
    """One function of a crossing."""

    run: Proving
    function: Function
    limit: float
    memory: int
    progress: Progress

    def strength(self, kept: Sequence[Sample], until: float) -> Strength:
        name = self.function.name
        taken = [sample for sample in kept if not self.run.refused(self.function, sample)]
        if not taken:
            return Strength(name, why="it has no samples")
        kinds = tuple(dict.fromkeys(sorted(sample.kind for sample in taken)))
        limit = min(self.function.timeout or self.limit, self.limit)
        source, target = (
            Bench(side, self.function, kinds, limit=limit, memory=self.memory)
            for side in (self.run.source, self.run.target)
        )
        target.logs |= source.logs  # a handler behind a wrapper logs as it did
        here = [self.run.at_source(sample, sample.events) for sample in taken]
        there = [self.run.at_target(self.function, sample) for sample in taken]
        self.progress(f"{name}: what {len(taken)} samples run")
        first, again = source.run(here, 1), source.run(here, 2)
        carried = target.run(there, 1)
        expected = [
            self._proof(one.outcome, two.outcome, got.outcome, sample)
            for one, two, got, sample in zip(first, again, carried, taken, strict=True)
        ]
        both = [_points([*first, *again]), _points(carried)]
        pieces = [bench.own_pieces(points) for bench, points in zip((source, target), both, strict=True)]
        made = Strength(name, len(taken), source.covered(both[0], pieces[0]), target.covered(both[1], pieces[1]))
        if not any(expected):
            return replace(made, why="on none of its samples do both sides agree")
        planted = target.faults(pieces[1])
        done = [0]

        def told() -> None:
            done[0] += 1
            self.progress(
                f"{name}: {done[0]} of {len(planted)} faults, {max(0.0, until - time.monotonic()):.0f} s left"
            )

        tried = target.plant(planted, there, carried, expected, until=until, told=told)
        ran = {line for run in carried for line in run.lines}
        return replace(
            made,
            planted=tuple(_planted(one, taken, ran) for one in tried),
            untried=len(planted) - len(tried),
        )

    def _proof(self, one: Outcome, two: Outcome, got: Outcome, sample: Sample) -> tuple[Outcome, ...]:
        """Return the original's outcomes where the carried handler's is the same; nothing where it is not."""
        method = sample.event.method if sample.kind == "http" else ""
        compared = compare([one, two], got, method)
        return () if compared.differences or compared.hopeless else (one, two)


def _points(runs: Sequence[Run]) -> frozenset[tuple[str, int, int]]:
    return frozenset().union(*(run.points for run in runs))


def _planted(tried: Tried, samples: Sequence[Sample], ran: set[tuple[str, int]]) -> Planted:
    fault = tried.fault
    reached = any((fault.file, line) in ran for line in range(fault.line, fault.last_line + 1))
    return Planted(fault, samples[tried.noticed].name if tried.noticed is not None else "", reached)
