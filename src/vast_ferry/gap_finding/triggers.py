"""Gaps of triggers: what the target can't say of them, and which of two routes wins there."""

from __future__ import annotations

from typing import Final

from vast_ferry.definitions.fitting import fit_trigger
from vast_ferry.definitions.routes import overlapping, winners
from vast_ferry.definitions.tables import route_style
from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.hub.findings import Severity
from vast_ferry.hub.functions import EventTrigger, Function

#: field → what a finding of it is called, where it is not `trigger-not-held`
_CODES: Final = {"filter": "filter-wider", "schedule": "schedule-not-held", "route": "route-wider"}


def of_triggers(gaps: Gaps, function: Function) -> None:
    """Tell what the target can't say of a function's triggers."""
    if gaps.target.model.definition is None:
        for route in function.routes:
            if route.callers not in ("", "public"):
                who = "with a key" if route.callers == "key" else "by a known caller"
                gaps.note(
                    "callers-open",
                    Severity.BLOCKING,
                    f"{function.name} may only be called {who}, and {gaps.target.title} has no such check",
                    "Put the check before the application: a proxy, or a middleware",
                    function=function,
                    place=route.place,
                    field="callers",
                )
            for name, kind in route.types.items():
                gaps.note(
                    "route-wider",
                    Severity.BLOCKING,
                    f"{{{name}}} in {route.route} of {function.name} is of type {kind}, and at {gaps.target.title} "
                    "it takes any segment",
                    "Check it in the handler",
                    function=function,
                    place=route.place,
                    field="route",
                )
        return
    for trigger in gaps.fitted[function.name].triggers:
        if isinstance(trigger, EventTrigger) and "*" in trigger.source:
            gaps.note(
                "source-is-a-pattern",
                Severity.BLOCKING,
                f"the {trigger.kind} trigger of {function.name} is on every name that fits {trigger.source!r}; it is "
                f"declared so at {gaps.target.title}, which may take that for one name",
                "Declare a trigger for each name, unless names may be patterns there too",
                function=function,
                place=trigger.place,
                field="source",
            )
        for unheld in fit_trigger(trigger, gaps.target).unheld:
            gaps.note(
                _CODES.get(unheld.field, "trigger-not-held"),
                Severity.BLOCKING if unheld.blocking else Severity.NOTE,
                f"the {trigger.kind} trigger of {function.name} at {gaps.target.title}: {unheld.reason}",
                "See to it in the handler, or by hand" if unheld.blocking else "It is delivered one at a time there",
                function=function,
                place=trigger.place,
                field=unheld.field,
            )


def of_routes(gaps: Gaps) -> None:
    """Note requests that another function would take at the target, where two routes match them."""
    ours, theirs = route_style(gaps.source).order, route_style(gaps.target).order
    if gaps.target.model.definition is None or ours == theirs:
        return
    listed = [(function, trigger) for function in gaps.carried for trigger in function.routes]
    for first, second in overlapping([(t.route, frozenset(t.methods)) for _, t in listed]):
        routes = [listed[first][1].route, listed[second][1].route]
        if winners(routes, ours)[0] != winners(routes, theirs)[0]:
            (one, _), (other, trigger) = listed[first], listed[second]
            gaps.note(
                "route-order",
                Severity.BLOCKING,
                f"{routes[0]} of {one.name} and {routes[1]} of {other.name} take some of the same paths; at "
                f"{gaps.source.title} {winners(routes, ours)[0]} wins, and at {gaps.target.title} "
                f"{winners(routes, theirs)[0]}",
                "Declare the more exact route first, or change one",
                function=other,
                place=trigger.place,
                field="route",
            )
