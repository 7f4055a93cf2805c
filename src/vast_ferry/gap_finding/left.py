"""Functions that can't be carried at all, and why."""

from __future__ import annotations

from vast_ferry.definitions.fitting import declares
from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.hub.findings import Severity
from vast_ferry.hub.functions import LANGUAGES, Function
from vast_ferry.hub.kinds import is_request


def sort(gaps: Gaps, function: Function) -> None:
    """Put a function among those that go there, or those that stay, with a finding that says why."""
    why = _why_left(gaps, function)
    if why:
        reason = f"{function.name} was not carried: {why}"
        gaps.note("function-left-behind", Severity.BLOCKING, reason, "Leave it where it is", function=function)
    (gaps.left if why else gaps.carried).append(function)


def _why_left(gaps: Gaps, function: Function) -> str:
    if not gaps.target.kinds:
        return f"{gaps.target.title} runs no {LANGUAGES[function.entry.language]}"
    for kind in function.kinds:
        if kind not in gaps.source.kinds:
            return f"{gaps.source.title} has no {kind} events"
        if kind not in gaps.target.kinds:
            return f"{gaps.target.title} has no {kind} events"
        if gaps.target.kinds[kind].reply is None and is_request(kind):
            return f"{gaps.target.title} does not say how {kind} handlers answer"
    untold = [kind for kind in function.kinds if not gaps.target.kinds[kind].event.told]
    if len(function.kinds) > 1 and len(untold) > 1:
        return f"{gaps.target.title} does not tell {' and '.join(untold)} events apart; declare a function for each"
    if len(function.kinds) > 1 and any(one.way != "event" or one.form != "whole" for one in function.bindings):
        return "its bindings are of several kinds of trigger; declare a function for each"
    for kind in function.kinds:
        if not declares(gaps.target, kind):
            return f"{gaps.target.title} declares no {kind} triggers"
    return ""
