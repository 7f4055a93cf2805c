"""The gateway before a project's functions: which of them a request reaches (RFC 9110), and who takes an event."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

from vast_ferry.definitions.routes import TYPES
from vast_ferry.hub.functions import EventTrigger, Function, Project
from vast_ferry.hub.http import HttpEvent, HttpReply
from vast_ferry.hub.keys import admits, fits
from vast_ferry.mapping.helpers import match_route, route_order


@dataclass(frozen=True, slots=True)
class Routed:
    """Where a request went: to `function`, with `event` as routed; or nowhere, and the gateway's own `reply`."""

    function: str
    event: HttpEvent
    reply: HttpReply | None = None


@dataclass(frozen=True, slots=True)
class Found:
    """The function that a request goes to, by which route, what that captured; or an answer of the gateway itself."""

    function: str
    route: str
    captures: dict[str, str]
    reply: HttpReply | None = None


class Gateway:
    """Routes of a project, the more exact first or in the order declared; GET takes HEAD too (RFC 9110 §9.3.2)."""

    def __init__(self, project: Project, order: str = "specific") -> None:
        self._routes = [
            (trigger.methods, route, trigger.types, function.name)
            for function in project.functions
            for trigger in function.routes
            for route in trigger.every
        ]
        if order == "specific":
            self._routes.sort(key=lambda route: route_order(route[1]))

    def routes_as(self, other: Gateway) -> bool:
        """Tell whether every request goes where another lets it go."""
        return self._routes == other._routes

    def route(self, event: HttpEvent) -> Routed:
        """Return where a request goes: a function, 405 with Allow where only the method is wrong, or 404."""
        found = self.find(event.method, event.path)
        return Routed(found.function, replace(event, route=found.route, captures=found.captures), found.reply)

    def find(self, method: str, path: str) -> Found:
        """Return where a request with a method and a path, as they came, goes."""
        allowed: set[str] = set()
        for methods, template, types, function in self._routes:
            captures = match_route(template, path)
            if captures is None or not all(re.fullmatch(TYPES[kind], captures[name]) for name, kind in types.items()):
                continue
            if not methods or method in methods or (method == "HEAD" and "GET" in methods):
                return Found(function, template, captures)
            allowed.update(methods)
        if "GET" in allowed:
            allowed.add("HEAD")
        reply = HttpReply(405, [("allow", ", ".join(sorted(allowed)))]) if allowed else HttpReply(404)
        return Found("", "", {}, reply)


#: kind → the hub field that says where an event comes from
SOURCES: Final = {"object": "bucket", "message": "channel", "record": "table", "signal": "name"}


def takes(function: Function, kind: str, event: Mapping[str, Any]) -> str:
    """Return why none of a function's triggers takes an event of a kind other than HTTP; empty if one does."""
    if kind not in function.kinds:
        return f"{function.name} has no {kind} trigger"
    if kind == "call":
        return ""
    triggers = [trigger for trigger in function.triggers if isinstance(trigger, EventTrigger) and trigger.kind == kind]
    reasons = [_refusal(trigger, event) for trigger in triggers]
    return "" if "" in reasons else next(iter(reasons))


def _refusal(trigger: EventTrigger, event: Mapping[str, Any]) -> str:
    source = SOURCES.get(trigger.kind)
    if source and trigger.source and not fits(event[source], trigger.source):
        return f"its trigger is on {source} {trigger.source!r}, and this comes from {event[source]!r}"
    if trigger.changes and event["change"] not in trigger.changes:
        return f"its trigger is for what was {' or '.join(trigger.changes)}, and this was {event['change']}"
    if trigger.kind == "object" and not admits(trigger.filter, event["key"]):
        return f"its trigger's filter does not let the key {event['key']!r} through"
    for name, values in trigger.where.items():
        if event["attributes"].get(name) not in values:
            return f"its trigger wants the attribute {name} to be {' or '.join(values)}"
    return ""
