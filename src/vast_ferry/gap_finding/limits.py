"""Gaps of limits: sizes, memory and how many functions there may be."""

from __future__ import annotations

from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.hub.findings import Severity
from vast_ferry.hub.kinds import REQUEST


def of_limits(gaps: Gaps) -> None:
    """Tell of sizes, memory and numbers that are smaller at the target."""
    kinds = {kind for function in gaps.carried for kind in function.kinds}
    ours, theirs = gaps.source.model.limits, gaps.target.model.limits
    told = (
        ("largest_event", "events", kinds - {REQUEST}),
        ("largest_request", "contents of requests", kinds & {REQUEST}),
        ("largest_reply", "contents of replies", kinds & {REQUEST}),
    )
    for name, what, concerned in told:
        before, after = getattr(ours, name), getattr(theirs, name)
        if concerned and after and (not before or after < before):
            gaps.note(
                "smaller-there",
                Severity.LOSS,
                f"{what} may have {_bytes(before)} at {gaps.source.title} and {_bytes(after)} at {gaps.target.title}",
                "Pass what is larger through a bucket",
                field=name,
            )
    if gaps.short_of_memory:
        first, names = gaps.short_of_memory[0], ", ".join(one.name for one in gaps.short_of_memory)
        gaps.note(
            "memory-too-large",
            Severity.LOSS,
            f"{ours.default_memory} MiB by default is what {names} had so far, and {gaps.target.title} gives "
            f"{gaps.fitted[first.name].memory} MiB at most, which was set",
            "Measure what they need, or leave them where they are",
            function=first,
            field="memory",
        )
    if theirs.functions and len(gaps.carried) > theirs.functions:
        gaps.note(
            "too-many-functions",
            Severity.BLOCKING,
            f"{len(gaps.carried)} functions were carried, and {gaps.target.title} has {theirs.functions} a project",
            "Split the project",
            field="functions",
        )
    for function in gaps.carried:
        size = sum(len(name.encode()) + len(value.encode()) for name, value in function.variables.items())
        if theirs.variables and size > theirs.variables:
            gaps.note(
                "variables-too-large",
                Severity.BLOCKING,
                f"the variables of {function.name} have {size:,} bytes, and {gaps.target.title} takes "
                f"{theirs.variables:,}",
                "Keep what is long in a bucket",
                function=function,
                field="variables",
            )


def _bytes(count: int) -> str:
    if not count:
        return "any size"
    return f"{count / 1_000_000:g} MB" if count >= 1_000_000 else f"{count / 1000:g} kB"
