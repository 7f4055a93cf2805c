"""Why a native event can't be read: its rows are tried one by one, and the first that fails is named."""

from __future__ import annotations

import json
from typing import Any

from vast_ferry.events.compiled import MISSING, at_keys, entries_of, shapes_of
from vast_ferry.hub.fields import CHECKS
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.mapping.compile.functions import view_event
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.tables import HUB_EVENTS, EventShape, Row
from vast_ferry.profiles.profile import Profile


def entries_or_why(data: Any, profile: Profile, kind: str, number: int, place: Place) -> list[Any]:
    """Return the events of a batch; raises BadInput with the way to them where it can't be gone."""
    try:
        return entries_of(data, profile, kind, number)
    except Exception as error:
        levels = shapes_of(profile, kind)[number].levels
        way = ", ".join(f"{level.of} (line {level.line})" for level in levels)
        raise BadInput(
            f"the events of the batch can't be reached: {type(error).__name__}: {error}; {profile.name} goes by {way}",
            f"Give an event of {profile.title}, of the kind {kind}",
            place,
        ) from None


def nearest_shape(data: Any, profile: Profile) -> tuple[str, int]:
    """Return the kind and shape most of whose places an event has, if it is none that can be read."""

    def share(kind: str, number: int) -> float:
        shape = shapes_of(profile, kind)[number].on_file()
        if shape.each is not None:
            return 1.0 * (at_keys(data, shape.each.on_file) is not MISSING) if isinstance(data, dict) else 0.0
        wanted = [row.at.on_file for row in shape.rows if not row.optional and not row.derived]
        return sum(at_keys(data, keys) is not MISSING for keys in wanted) / max(1, len(wanted))

    pairs = [(kind, number) for kind in profile.kinds for number in range(len(shapes_of(profile, kind)))]
    best = max(pairs, key=lambda pair: share(*pair))
    return best if share(*best) else ("", 0)


def why_unread(data: Any, profile: Profile, kind: str, number: int, place: Place) -> BadInput:
    """Return why a shape of a kind does not read an event."""
    shape = shapes_of(profile, kind)[number].on_file()
    try:
        entries = entries_or_why(data, profile, kind, number, place)
    except BadInput as error:
        return error
    found = (wrong_with(entry, shape, profile, place) for entry in entries)
    return next((error for error in found if error is not None), diagnose(data, shape, profile, place))


def _shown_place(keys: tuple[str | int, ...]) -> str:
    return ".".join(str(key) for key in keys) or "the event"


def _brief(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False, default=str)
    return text if len(text) <= 60 else f"{text[:57]}…"


def _problem(data: Any, shape: EventShape, field: str) -> str:
    """Return why a field can't be read from an event, if it can't."""
    hub = shape.fields[field]
    if hub.holds == "call":
        return ""
    try:
        got = run_source(view_event("view", shape, field))(data)
        return "" if CHECKS[hub.holds](got) else f"which is no {hub.holds}"
    except Exception as error:
        return f"which can't be read: {type(error).__name__}: {error}"


def _rows_of(shape: EventShape, field: str) -> list[Row]:
    """Return the rows from which a field follows through the shape's own fields."""
    asked = {
        one for rule in shape.rules if rule.gives == field for one in rule.needs if shape.fields[one].holds == "any"
    }
    return [row for row in shape.rows if row.field in asked]


def diagnose(data: Any, shape: EventShape, profile: Profile, place: Place) -> BadInput:
    """Return what is wrong with an event that could not be read: the rows are tried one by one."""
    remedy = f"Give an event of {profile.title}, of the kind {shape.kind}"
    return wrong_with(data, shape, profile, place) or BadInput("the event can't be read", remedy, place)


def wrong_with(data: Any, shape: EventShape, profile: Profile, place: Place) -> BadInput | None:
    """Return what is wrong with an event, if anything is."""
    for row in shape.rows:
        if row.derived:
            continue
        keys = row.at.on_file
        value = at_keys(data, keys)
        hub = shape.fields[row.field]
        if (value is MISSING or value is None) and row.optional:
            continue
        row_at = f"row {profile.name} line {row.line} ({row.field})"
        if value is MISSING:
            return BadInput(
                f"{_shown_place(keys)} is missing, {row_at} wants it",
                f"Give an event of {profile.title}, of the kind {shape.kind}",
                place,
            )
        problem = _problem(data, shape, row.field) if hub.holds != "any" else ""
        if problem:
            return BadInput(
                f"{_shown_place(keys)} is {_brief(value)}, {problem}; {row_at} reads it as {row.lens}",
                f"Give an event of {profile.title}, of the kind {shape.kind}",
                place,
            )
    for name in HUB_EVENTS[shape.kind].fields:
        problem = _problem(data, shape, name)
        if problem:
            rows = _rows_of(shape, name)
            at = rows[0].line if rows else 1
            held = ", ".join(
                f"{_shown_place(row.at.on_file)} is {_brief(at_keys(data, row.at.on_file))}" for row in rows
            )
            return BadInput(
                f"{held or 'the event'}, {problem}; row {profile.name} line {at} reads {name} of it",
                f"Give an event of {profile.title}, of the kind {shape.kind}",
                place,
            )
    return None
