"""Gaps of services: calls and declared inputs and outputs that have no like at the target, and what they lose."""

from __future__ import annotations

from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.hub.findings import Severity
from vast_ferry.hub.functions import Function
from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping.clients import HUB_CLIENTS, client_losses
from vast_ferry.surveying.access import OPERATION_OF


def of_calls(gaps: Gaps) -> None:
    """Tell of calls of services that the target has no like of, or with less."""
    told: set[str] = set()
    carried = {function.entry.file for function in gaps.carried}
    left = {function.entry.file for function in gaps.left} - carried
    for use in gaps.scanned.uses:
        client, place = use.client, use.place
        theirs = gaps.target.operations.get(client.operation)
        what = f"{client.called} is called"
        if theirs is None:
            gaps.note(
                "client-not-carried",
                # A handler's file that was left behind may still be imported by others.
                Severity.TODO if place.file in left else Severity.BLOCKING,
                f"{what}, and at {gaps.target.title} there is no way to {OPERATIONS[client.operation].meaning}",
                "Call another service there, or leave the function where it is",
                place=place,
                field=client.operation,
            )
        elif client.called not in told:
            told.add(client.called)
            for loss in client_losses(theirs, client):
                gaps.note(
                    f"client-{loss.code}",
                    Severity.NOTE if loss.harmless else Severity.LOSS,
                    f"{what}; at {gaps.target.title}, where {theirs.called} does the same, {loss.reason}",
                    "Make sure that nothing relies on it",
                    place=place,
                    field=f"{client.operation}.{loss.field}",
                )


def of_bindings(gaps: Gaps, function: Function) -> None:
    """Tell what declared inputs and outputs say that no call of a service there can."""
    for binding in function.bindings:
        operation = OPERATION_OF.get((binding.way, binding.kind), "")
        theirs = gaps.target.operations.get(operation)
        what = f"the binding {binding.name} of {function.name}"
        if not operation:
            continue
        if theirs is None:
            gaps.note(
                "client-not-carried",
                Severity.BLOCKING,
                f"{what} can't be carried: at {gaps.target.title} there is no way to {OPERATIONS[operation].meaning}",
                "Use another service there, or leave the function where it is",
                function=function,
                field=operation,
            )
            continue
        for loss in client_losses(theirs, HUB_CLIENTS[operation]):
            if loss.field == "content_type" and binding.content_type:
                gaps.note(
                    f"client-{loss.code}",
                    Severity.NOTE if loss.harmless else Severity.LOSS,
                    f"{what} says {binding.content_type}; at {gaps.target.title}, where {theirs.called} does the "
                    f"same, {loss.reason}",
                    "Make sure that nothing relies on it",
                    function=function,
                    field=f"{operation}.{loss.field}",
                )
