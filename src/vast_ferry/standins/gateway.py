"""The gateway before a project's functions: which of them a request reaches, with route and captures (RFC 9110)."""

from __future__ import annotations

from dataclasses import dataclass, replace

from vast_ferry.hub.functions import Project
from vast_ferry.hub.http import HttpEvent, HttpReply
from vast_ferry.mapping.helpers import match_route, route_order


@dataclass(frozen=True, slots=True)
class Routed:
    """Where a request went: to `function`, with `event` as routed; or nowhere, and the gateway's own `reply`."""

    function: str
    event: HttpEvent
    reply: HttpReply | None = None


class Gateway:
    """Routes of a project, the more exact first; a GET route takes HEAD as well (RFC 9110 §9.3.2)."""

    def __init__(self, project: Project) -> None:
        self._routes = sorted(
            (
                (trigger.methods, trigger.route, function.name)
                for function in project.functions
                for trigger in function.triggers
            ),
            key=lambda route: route_order(route[1]),
        )

    def route(self, event: HttpEvent) -> Routed:
        """Return where a request goes: a function, 405 with Allow where only the method is wrong, or 404."""
        allowed: set[str] = set()
        for methods, template, function in self._routes:
            captures = match_route(template, event.path)
            if captures is None:
                continue
            if not methods or event.method in methods or (event.method == "HEAD" and "GET" in methods):
                return Routed(function, replace(event, route=template, captures=captures))
            allowed.update(methods)
        if "GET" in allowed:
            allowed.add("HEAD")
        reply = HttpReply(405, [("allow", ", ".join(sorted(allowed)))]) if allowed else HttpReply(404)
        return Routed("", replace(event, route="", captures={}), reply)
