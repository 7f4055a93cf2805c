"""Gaps of delivery: order, repeats, waiting and tries that handlers could rely on, and can't any more."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, Final

from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.hub.findings import Severity
from vast_ferry.mapping.tables import Kind, ReplyShape
from vast_ferry.profiles.schema import DeliveryModel

_ORDER: Final = {"none": 0, "group": 1, "all": 2}

_ORDER_SAID: Final = {"none": "in no order", "group": "in order within a group", "all": "in order"}


def of_delivery(gaps: Gaps) -> None:
    """Note what handlers could rely on when events come, and can't any more."""
    kinds = dict.fromkeys(kind for function in gaps.carried for kind in function.kinds)
    ours: Mapping[Any, DeliveryModel] = gaps.source.model.delivery
    theirs: Mapping[Any, DeliveryModel] = gaps.target.model.delivery
    for kind in kinds:
        _of_those_behind(gaps, kind)
        _of_those_together(gaps, kind)
        if kind not in ours or kind not in theirs:
            continue
        before, after = ours[kind], theirs[kind]
        for code, severity, reason, remedy in _changes(before, after):
            told = reason.format(source=gaps.source.title, target=gaps.target.title)
            gaps.note(code, severity, f"{kind} events {told}", remedy, field=kind)
        dead = [f for f in gaps.carried if f.dead_letter and kind in f.kinds]
        if dead and gaps.drops(kind):
            gaps.note(
                "no-dead-letters",
                Severity.BLOCKING,
                f"{kind} events that failed each time are kept in {dead[0].dead_letter}, and {gaps.target.title} "
                "drops them",
                "Send them there from the handler",
                function=dead[0],
                field="dead_letter",
            )
        if before.attempts != after.attempts and not all(
            gaps.fitted[f.name].attempts for f in gaps.carried if kind in f.kinds
        ):
            gaps.note(
                "attempts-differ",
                Severity.NOTE,
                f"{kind} events are tried {_times(before.attempts)} at {gaps.source.title} and "
                f"{_times(after.attempts)} at {gaps.target.title} where a function does not say",
                "Make sure that a handler may be called again with the same event",
                field=kind,
            )
    if gaps.carried and gaps.source.model.limits.concurrency == 1 < gaps.target.model.limits.concurrency:
        kept = all(gaps.fitted[function.name].concurrency == 1 for function in gaps.carried)
        gaps.note(
            "calls-side-by-side",
            Severity.NOTE if kept else Severity.LOSS,
            f"an instance takes one call at a time at {gaps.source.title}, and up to "
            f"{gaps.target.model.limits.concurrency} at {gaps.target.title}" + ("; 1 was set" if kept else ""),
            "Raise it once nothing is kept in global variables" if kept else "Keep nothing in global variables",
            field="concurrency",
        )


#: Which events of a batch come again with one that does.
_WITH: Final = {"all": "all of its batch", "rest": "those behind it", "group": "those behind it of its group"}


def _of_those_behind(gaps: Gaps, kind: str) -> None:
    """Note that events come again alone, where others of a batch came again with them."""
    also = _WITH.get(gaps.source.kinds[kind].answered.again_with, "")
    if also and gaps.target.kinds[kind].event.each is None:
        gaps.note(
            "again-alone",
            Severity.LOSS,
            f"where one of its {kind} events comes again, {gaps.source.title} brings {also} again as well; "
            f"{gaps.target.title} hands over one at a time, and each comes again by itself",
            "Make sure that a handler does not rely on what came before",
            field=kind,
        )


def _of_those_together(gaps: Gaps, kind: str) -> None:
    """Note that others come again with an event that does, where it came again alone, or with others than these."""
    here, there = gaps.source.kinds[kind], gaps.target.kinds[kind]
    before, after = here.answered, there.answered
    also = _WITH.get(after.again_with, "")
    unnamed = not also and not _says_which(there, after.holds_again) and _says_which(here, _reads_which(before))
    also = _WITH["all"] if unnamed else also
    also = f"{also} again" if also else f"all again that have the same {after.again_name}" if after.again_name else ""
    alike = (before.again_with, before.again_name) == (after.again_with, after.again_name)
    if not also or (alike and not unnamed):
        return
    gaps.note(
        "again-together",
        Severity.LOSS,
        f"where one of its {kind} events comes again, {gaps.target.title} brings {also} as well",
        "Make the handler safe to call twice with what was done: remember the event's id",
        field=kind,
    )


def _says_which(tables: Kind, named: bool) -> bool:
    """Tell whether an event comes again by itself: it comes alone, or a handler can name it, or say so of it."""
    return tables.event.each is None or named or bool(tables.event.told_by)


def _reads_which(answered: ReplyShape) -> bool:
    """Tell whether a handler may name events in one of the forms in which it answers."""
    return any(row.field == "again" for form in answered.forms for row in form.rows)


def _times(attempts: int) -> str:
    return {0: "until they succeed", 1: "once", 2: "twice"}.get(attempts, f"{attempts} times")


def _changes(before: DeliveryModel, after: DeliveryModel) -> Iterable[tuple[str, Severity, str, str]]:
    """Yield what of a delivery's promises is no longer given, as (code, severity, reason, remedy)."""
    if _ORDER[after.order] < _ORDER[before.order]:
        yield (
            "order-not-kept",
            Severity.LOSS,
            f"come {_ORDER_SAID[before.order]} at {{source}}, and {_ORDER_SAID[after.order]} at {{target}}",
            "Make sure that a handler does not rely on what came before, or compare times",
        )
    if before.times == "once_at_most" and after.times == "once_or_more":
        yield (
            "comes-again",
            Severity.LOSS,
            "come once at most at {source}, and may come again at {target}",
            "Make the handler safe to call twice: remember the event's id",
        )
    if before.times == "once_or_more" and after.times == "once_at_most":
        yield (
            "may-be-lost",
            Severity.LOSS,
            "come again at {source} when a handler fails, and at {target} they are lost",
            "Catch what fails, and send it to a channel",
        )
    if before.backoff != after.backoff and before.times == after.times and "none" in (before.backoff, after.backoff):
        slower = before.backoff != "none"
        yield (
            "backoff-differs",
            Severity.NOTE,
            "wait at {source} before they come again, and come at once at {target}"
            if slower
            else "wait at {target} before they come again",
            "Make sure that what failed for want of time has it" if slower else "Nothing needs to be done",
        )
