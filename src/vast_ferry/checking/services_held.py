"""What a provider's services can hold of what a handler does: each effect written as a call there, and read back.

So a difference can be explained, as for events: content types, labels, attributes that no call there can say; and the
deletion of what is not there, or the writing of what is, which leave no trace where services are folders of files.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any

from vast_ferry.hub.operations import Effect
from vast_ferry.hub.outcomes import Outcome
from vast_ferry.mapping.clients import HUB_CLIENTS, client_losses
from vast_ferry.mapping.compile.functions import translate_event
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.losses import Loss
from vast_ferry.profiles.profile import Profile


@functools.lru_cache(maxsize=64)
def _losses(source: Profile, target: Profile, operation: str) -> tuple[Loss, ...]:
    theirs = target.operations.get(operation)
    if theirs is None or operation not in HUB_CLIENTS:
        return ()
    return tuple(client_losses(theirs, source.operations.get(operation, HUB_CLIENTS[operation])))


@functools.lru_cache(maxsize=64)
def _there_and_back(target: Profile, operation: str) -> Callable[[Any], dict[str, Any]]:
    hub, theirs = HUB_CLIENTS[operation].arguments, target.operations[operation].arguments
    write = run_source(translate_event("write_arguments", hub, theirs))
    read = run_source(translate_event("read_arguments", theirs, hub))

    def held(fields: Any) -> dict[str, Any]:
        written = write(fields)
        made: dict[str, Any] = read(*written) if len(theirs.parameters) > 1 else read(written)
        return made

    return held


def held_effects(
    outcome: Outcome, source: Profile, target: Profile, before: Mapping[str, Any]
) -> tuple[Outcome, tuple[str, ...]]:
    """Return an outcome with its effects as the target's services hold them, and what these can't hold."""
    kept: list[Effect] = []
    reasons: dict[str, None] = {}
    there = {_place(operation, one): _kept_there(operation, one) for operation, one in _existing(before)}
    in_folders = target.model.handler.mount is not None
    for effect in outcome.effects:
        kind, _, verb = effect.operation.partition(".")
        place = _place(kind, effect.fields)
        if verb == "delete" and in_folders and place not in there:
            reasons[f"{effect.operation}: deleting what is not there leaves no trace in a folder"] = None
            continue
        if verb == "write":
            if in_folders and there.get(place) == _kept_there(kind, effect.fields) is not None:
                reasons[f"{effect.operation}: writing what is there already leaves no trace in a folder"] = None
                continue
            there[place] = _kept_there(kind, effect.fields)
        met = [loss for loss in _losses(source, target, effect.operation) if loss.applies(dict(effect.fields))]
        if not met:
            kept.append(effect)
            continue
        reasons.update(dict.fromkeys(f"{effect.operation} {loss}" for loss in met))
        held = _there_and_back(target, effect.operation)(effect.fields)
        fields = {loss.field: held[loss.field] for loss in met if loss.field in held}
        kept.append(replace(effect, fields={**effect.fields, **fields}))
    return replace(outcome, effects=tuple(kept)), tuple(reasons)


def _existing(before: Mapping[str, Any]) -> Iterable[tuple[str, Mapping[str, Any]]]:
    yield from (("object", one) for one in before.get("objects", ()))
    yield from (("record", one) for one in before.get("records", ()))


def _kept_there(kind: str, fields: Mapping[str, Any]) -> Any:
    """Return what a folder holds of an object or a record."""
    body = fields.get("record" if kind == "record" else "body")
    return body.encode() if isinstance(body, str) else body


def _place(kind: str, fields: Mapping[str, Any]) -> tuple[str, str]:
    names = {"object": ("bucket", "key"), "record": ("table", "keys")}.get(kind, ())
    return kind, repr([fields.get(name) for name in names])
