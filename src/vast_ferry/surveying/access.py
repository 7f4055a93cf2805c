"""What each function needs to be allowed, worked out from its triggers, its bindings and the calls that it makes."""

from __future__ import annotations

import functools
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from vast_ferry.hub.functions import Access, EventTrigger, Function
from vast_ferry.mapping.places import Item
from vast_ferry.profiles.profile import Profile
from vast_ferry.surveying.parts import Kept, Setting, Use
from vast_ferry.surveying.scan import Scanned

#: Environment variables that every process has.
ALWAYS_THERE: Final = frozenset(
    ["PATH", "HOME", "TMPDIR", "TEMP", "TMP", "LANG", "TZ", "USER", "PWD", "PYTHONPATH", "NODE_ENV"]
)
#: RFC 3875 §4.1: what tells a program of its request.
_CGI: Final = frozenset(
    ["CONTENT_LENGTH", "CONTENT_TYPE", "GATEWAY_INTERFACE", "PATH_INFO", "SCRIPT_NAME", "SERVER_NAME", "SERVER_PORT"]
    + ["SERVER_PROTOCOL", "SERVER_SOFTWARE", "QUERY_STRING", "REQUEST_METHOD", "REMOTE_ADDR", "REMOTE_USER"]
    + ["HTTP_HOST", "HTTP_ACCEPT", "HTTP_COOKIE", "HTTP_AUTHORIZATION", "HTTP_USER_AGENT"]
)


@dataclass(frozen=True, slots=True)
class Needs:
    """What one function needs: accesses, calls of which the name is computed, settings that it reads, and what it keeps
    in memory from one call to the next."""

    access: tuple[Access, ...]
    unknown: tuple[Use, ...]
    settings: tuple[Setting, ...]
    kept: tuple[Kept, ...] = ()


#: (way, kind) of a declared binding → the operation that it stands for
OPERATION_OF: Final = {
    ("in", "object"): "object.read",
    ("in", "record"): "record.read",
    ("out", "object"): "object.write",
    ("out", "record"): "record.write",
    ("out", "message"): "message.send",
}


def needs_of(function: Function, scanned: Scanned) -> Needs:
    """Return what a function needs, by all of the project's code that its handler can reach."""
    found: set[Access] = set()
    unknown: list[Use] = []
    settings: list[Setting] = []
    kept: list[Kept] = []
    buckets = [t.source for t in function.triggers if isinstance(t, EventTrigger) and t.kind == "object" and t.source]
    for part in scanned.reached(function.entry.file, function.entry.name).values():
        settings += part.settings
        kept += part.kept
        for use in part.uses:
            name = use.name
            if name.startswith("$"):
                name = function.variables.get(name[1:], "")
            if name:
                kind, verb = use.client.operation.split(".")
                found.add(Access(kind, verb, name))
            else:
                unknown.append(use)
                if use.client.operation == "object.read":  # most likely it is what the event tells of
                    found.update(Access("object", "read", bucket) for bucket in buckets)
    for binding in function.bindings:
        operation = OPERATION_OF.get((binding.way, binding.kind))
        if operation:
            found.add(Access(binding.kind, operation.partition(".")[2], binding.source))
        elif binding.kind == "object" and binding.form != "whole":
            found.add(Access("object", "read", binding.source))
    return Needs(tuple(sorted(found)), tuple(unknown), tuple(settings), tuple(kept))


def granted(one: Access, access: Iterable[Access]) -> bool:
    """Tell whether an access is among those that are given, `*` standing for every name."""
    return any(one.kind == other.kind and one.verb == other.verb and other.name in (one.name, "*") for other in access)


def services_of(functions: Iterable[Function], needs: Iterable[Needs]) -> dict[str, list[str]]:
    """Return the buckets, channels, tables, schedules and signals that functions are triggered by or use, by kind."""
    found: dict[str, dict[str, None]] = {}
    for function in functions:
        for trigger in function.triggers:
            if isinstance(trigger, EventTrigger) and (trigger.source or trigger.kind == "schedule"):
                found.setdefault(trigger.kind, {})[trigger.source or function.name] = None
        if function.dead_letter:
            found.setdefault("message", {})[function.dead_letter] = None
    for need in needs:
        for access in need.access:
            if access.kind != "function":
                found.setdefault(access.kind, {})[access.name] = None
    return {kind: sorted(names) for kind, names in found.items()}


@functools.lru_cache(maxsize=64)
def variables_of(profile: Profile) -> frozenset[str]:
    """Return the environment variables by which a provider hands over events, or says where services are."""
    handler = profile.model.handler
    found = {handler.mount.variable} if handler.mount else set()
    if not handler.script:
        return frozenset(found)
    for kind in profile.kinds.values():
        places = [row.at for row in kind.event.rows] + [constant.at for constant in kind.event.constants]
        found |= {
            step.key for at in places for step in at.steps if isinstance(step, Item) and isinstance(step.key, str)
        }
        found |= _CGI if any(not row.at.steps for row in kind.event.rows) else set()  # a lens reads the whole of it
    return frozenset(found)
