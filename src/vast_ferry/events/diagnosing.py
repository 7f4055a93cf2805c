"""Why a native event can't be read: its rows are tried one by one, and the first that fails is named."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from typing import Any

from vast_ferry.events.compiled import MISSING, at_keys, entries_of, shapes_of
from vast_ferry.hub.fields import CHECKS
from vast_ferry.hub.findings import BadInput, ManyBadInputs, Place
from vast_ferry.hub.standards import no_value
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


def nearest_shape(data: Any, profile: Profile, may_be: Callable[[str, int], bool]) -> tuple[str, int]:
    """Return the kind and shape most of whose places an event has, of those that it may be, if it has any of them."""

    def share(kind: str, number: int) -> float:
        shape = shapes_of(profile, kind)[number].on_file()
        if shape.each is not None:
            return 1.0 * (at_keys(data, shape.each.on_file) is not MISSING) if isinstance(data, dict) else 0.0
        wanted = [row.at.on_file for row in shape.rows if not row.optional and not row.derived]
        return sum(at_keys(data, keys) is not MISSING for keys in wanted) / max(1, len(wanted))

    pairs = [(kind, number) for kind in profile.kinds for number in range(len(shapes_of(profile, kind)))]
    scores = {pair: share(*pair) for pair in pairs if may_be(*pair)}
    best = max(scores, key=lambda pair: scores[pair], default=("", 0))
    return best if scores.get(best) else ("", 0)


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
    if value is MISSING:
        return "missing"
    text = json.dumps(value, ensure_ascii=False, default=str)
    return text if len(text) <= 60 else f"{text[:57]}…"


def _problem(data: Any, shape: EventShape, field: str) -> str:
    """Return why a field can't be read from an event, if it can't."""
    hub = shape.fields[field]
    if hub.holds == "call":
        return ""
    try:
        got = run_source(view_event("view", shape, field))(data)
        if not CHECKS[hub.holds](got):
            return f"which is no {hub.holds}"
        why = no_value(shape.kind, field)
        return why(got) if why is not None else ""
    except Exception as error:
        return f"which can't be read: {_in_words(error)}"


def _in_words(error: Exception) -> str:
    """Return what an error says of a value, for somebody who has not written what raised it."""
    if isinstance(error, KeyError):
        return f"it has no {error}"
    if isinstance(error, TypeError | AttributeError):
        return "it is a value of another type, or holds one"
    return str(error) if isinstance(error, ValueError) else f"{type(error).__name__}: {error}"


def _rows_of(shape: EventShape, field: str) -> list[Row]:
    """Return the rows from which a field follows through the shape's own fields."""
    own = [row for row in shape.rows if row.field == field and not row.derived]
    asked = {
        one for rule in shape.rules if rule.gives == field for one in rule.needs if shape.fields[one].holds == "any"
    }
    return own or [row for row in shape.rows if row.field in asked]


def diagnose(data: Any, shape: EventShape, profile: Profile, place: Place) -> BadInput:
    """Return what is wrong with an event that could not be read: the rows are tried one by one."""
    remedy = f"Give an event of {profile.title}, of the kind {shape.kind}"
    return wrong_with(data, shape, profile, place) or BadInput("the event can't be read", remedy, place)


def wrong_with(data: Any, shape: EventShape, profile: Profile, place: Place) -> BadInput | None:
    """Return what is wrong with an event, if anything is."""
    return next(all_wrong_with(data, shape, profile, place), None)


def all_that_is_wrong(data: Any, profile: Profile, kind: str, number: int, place: Place) -> BadInput:
    """Return all that keeps a shape of a kind from reading an event: its first entry that can't be read, row by row."""
    first = why_unread(data, profile, kind, number, place)
    shape = shapes_of(profile, kind)[number].on_file()
    try:
        found = (list(all_wrong_with(one, shape, profile, place)) for one in entries_of(data, profile, kind, number))
        problems = next(filter(None, found), [first])
    except Exception:  # what can't be gone to has been said
        return first
    return ManyBadInputs(problems) if len(problems) > 1 else first


def all_wrong_with(data: Any, shape: EventShape, profile: Profile, place: Place) -> Iterator[BadInput]:
    """Yield what is wrong with an event, row by row, and then with what follows from several rows."""
    remedy = f"Give an event of {profile.title}, of the kind {shape.kind}"
    said: set[int] = set()
    for row in shape.rows:
        if row.derived:
            continue
        keys = row.at.on_file
        value = at_keys(data, keys)
        hub = shape.fields[row.field]
        if (value is MISSING or value is None) and row.optional:
            continue
        row_at = f"row {profile.name} line {row.line} ({row.field if hub.holds != 'any' else row.shown})"
        if value is MISSING:
            said.add(row.line)
            yield BadInput(f"{_shown_place(keys)} is missing, {row_at} wants it", remedy, place)
            continue
        problem = _problem(data, shape, row.field) if hub.holds != "any" else ""
        if problem:
            said.add(row.line)
            told = f"{_shown_place(keys)} is {_brief(value)}, {problem}; {row_at} reads it as {row.lens}"
            yield BadInput(told, remedy, place)
    hub_fields = HUB_EVENTS[shape.kind].fields
    for name in sorted(hub_fields, key=lambda name: not hub_fields[name].truth):
        if said and not hub_fields[name].truth:
            return  # a view follows from what was said already
        problem = _problem(data, shape, name)
        rows = _rows_of(shape, name) if problem else []
        if not problem or any(row.line in said for row in rows) or (said and not rows):
            continue
        said.add(rows[0].line if rows else 1)
        at = rows[0].line if rows else 1
        held = ", ".join(f"{_shown_place(row.at.on_file)} is {_brief(at_keys(data, row.at.on_file))}" for row in rows)
        told = f"{held or 'the event'}, {problem}; row {profile.name} line {at} reads {name} of it"
        yield BadInput(told, remedy, place)
