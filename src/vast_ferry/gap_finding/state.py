"""Gaps of what handlers keep in memory from one call to the next: where it is gone, or other calls change it too."""

from __future__ import annotations

from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.hub.findings import Severity
from vast_ferry.hub.functions import Function
from vast_ferry.surveying.parts import Kept


def of_state(gaps: Gaps, function: Function) -> None:
    """Tell of what a function keeps in memory, where the target keeps it otherwise than its provider does."""
    kept = {one.name: one for one in reversed(gaps.needs[function.name].kept)}
    names = ", ".join(sorted(kept))
    if not kept or gaps.source.model.handler.script:
        return
    first = min(kept.values(), key=_where)
    if gaps.target.model.handler.script:
        gaps.note(
            "state-not-kept",
            Severity.LOSS,
            f"{function.name} keeps {names} in memory from one call to the next, and {gaps.target.title} starts a "
            "process for each",
            "Keep it in a record or a bucket; where it only saves time, nothing is to be done",
            function=function,
            place=first.place,
            field="state",
        )
        return
    ours = function.concurrency or gaps.source.model.limits.concurrency
    theirs = gaps.fitted[function.name].concurrency or gaps.target.model.limits.concurrency
    if ours == 1 < theirs:
        gaps.note(
            "state-shared",
            Severity.NOTE,
            f"{function.name} changes {names} in memory; at {gaps.source.title} no other call runs meanwhile, and an "
            f"instance at {gaps.target.title} takes up to {theirs} at a time",
            "See that calls which run together do not spoil it, or let an instance take one at a time",
            function=function,
            place=first.place,
            field="state",
        )


def _where(kept: Kept) -> tuple[str, int]:
    return kept.place.file, kept.place.line
