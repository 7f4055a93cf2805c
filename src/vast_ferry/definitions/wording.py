"""Triggers in plain words, for people: what causes a call, in a line of text."""

from __future__ import annotations

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.filters.ends import to_ends
from vast_ferry.hub.functions import EventTrigger, RouteTrigger, Trigger
from vast_ferry.hub.keys import EVERY_KEY, All, AnyOf, KeyFilter, Not, Piece
from vast_ferry.hub.schedules import described

_CALLERS = {"public": "anyone", "key": "with a key", "principal": "known callers"}


def filter_text(one: KeyFilter) -> str:
    """Return a filter on keys as a person reads it: `*` for any text, `{name}` for a segment."""
    try:
        prefix, suffix = to_ends(one)
        return f"{prefix}*{suffix}"
    except CannotHold:
        pass
    if isinstance(one, All | AnyOf):
        return (" and " if isinstance(one, All) else " or ").join(filter_text(inner) for inner in one.filters)
    if isinstance(one, Not):
        return f"not {filter_text(one.filter)}"
    return "".join(part if isinstance(part, str) else _piece(part) for part in one.parts)


def _piece(piece: Piece) -> str:
    if piece.kind in ("of", "but"):
        return f"[{'!' * (piece.kind == 'but')}{piece.chars}]"
    return {"any": "*", "part": "*", "segment": f"{{{piece.name}}}", "one": "?"}[piece.kind]


def trigger_text(trigger: Trigger) -> str:
    """Return what causes a call, in a line."""
    if isinstance(trigger, RouteTrigger):
        callers = f", {_CALLERS[trigger.callers]}" if trigger.callers else ""
        types = "".join(f", {name} is {kind}" for name, kind in trigger.types.items())
        return f"{'|'.join(trigger.methods) or 'any method'} {trigger.route}{types}{callers}"
    return f"{trigger.kind} {_event_text(trigger)}".strip()


def _event_text(trigger: EventTrigger) -> str:
    told = [trigger.source] if trigger.source else []
    if trigger.filter != EVERY_KEY:
        told.append(filter_text(trigger.filter))
    if trigger.schedule:
        told.append(described(trigger.schedule))
    text = " ".join(told)
    if trigger.changes:
        text += f", {' or '.join(trigger.changes)}"
    for name, values in trigger.where.items():
        text += f", {name} {' or '.join(values)}"
    if trigger.batch_size:
        text += f", {trigger.batch_size} at a time"
    return text
