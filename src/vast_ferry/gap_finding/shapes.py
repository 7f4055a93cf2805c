"""What the target's events and answers can't hold of the source's."""

from __future__ import annotations

from vast_ferry.evidence.witnesses import WITNESS, rests_on
from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.hub.findings import Severity
from vast_ferry.hub.kinds import KINDS, REQUEST
from vast_ferry.mapping.compile.losses import event_losses, reply_losses
from vast_ferry.mapping.losses import SPLIT, Loss
from vast_ferry.profiles.profile import Profile


def of_shapes(gaps: Gaps) -> None:
    """Tell, kind by kind, what the target's shapes can't hold."""
    for kind in dict.fromkeys(kind for function in gaps.carried for kind in function.kinds):
        events, answers = _losses(gaps.source, gaps.target, kind)
        for loss, whose in [*((one, "") for one in events), *((one, "answer's ") for one in answers)]:
            gaps.note(
                loss.code,
                Severity.NOTE if loss.harmless else Severity.LOSS,
                loss.reason,
                "Use a server that offers the raw target" if loss.unless else "Make sure that no handler relies on it",
                field=f"{whose}{KINDS[kind].named(loss.field)}",
            )


def of_evidence(gaps: Gaps) -> None:
    """Tell what the crossing takes a profile's word for."""
    kinds = [kind for function in gaps.carried for kind in function.kinds]
    for profile in (gaps.source, gaps.target):
        told = rests_on(profile, kinds)
        if told:
            gaps.note("unwitnessed", Severity.NOTE, told, WITNESS, field=profile.title)


def crossing_losses(source: Profile, target: Profile, kind: str = REQUEST) -> list[Loss]:
    """Return what `target`'s shapes can't hold of what a handler of `source` could see and say."""
    events, answers = _losses(source, target, kind)
    return [*events, *answers]


def _losses(source: Profile, target: Profile, kind: str) -> tuple[list[Loss], list[Loss]]:
    """Return what of an event does not arrive, and what of an answer."""
    one, other = source.kind(kind), target.kind(kind)
    losses = event_losses(other.event, one.event)
    if one.event.each is not None and other.event.each is None:
        losses.append(SPLIT)
    if not (one.reply and other.reply):
        return losses, []
    # An event that shall come again is told by raising where it can't be named.
    return losses, [loss for loss in reply_losses(other.reply, one.reply) if loss.field != "again"]
