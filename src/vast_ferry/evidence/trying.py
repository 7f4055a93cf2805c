"""One native event, row by row: what each row reads, what no row reads, what stands at its default, what comes back.

What is shown here is found by looking at the event itself, not at the profile alone: a profile that agrees with itself
may still misread it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from vast_ferry.events.compiled import MISSING, entries_of, shapes_of, writer_of
from vast_ferry.events.convert import losses_between
from vast_ferry.events.diagnosing import all_that_is_wrong
from vast_ferry.events.native import put_together, read_events
from vast_ferry.events.recognising import kind_of, shape_of
from vast_ferry.events.unread import unread_in
from vast_ferry.hub.fields import OF_THE_CALL
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.standards import oddities
from vast_ferry.mapping.helpers import file_bytes
from vast_ferry.mapping.losses import Loss
from vast_ferry.mapping.places import Access, Through
from vast_ferry.mapping.tables import HUB_EVENTS, EventShape, Row
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import find_profile


@dataclass(frozen=True, slots=True)
class TriedRow:
    """A row at an event: its place, what stands there (`MISSING`: nothing), the lens, and what it feeds."""

    line: int
    place: str
    held: Any
    lens: str
    feeds: str


@dataclass(frozen=True, slots=True)
class TriedEvent:
    """One event: its rows, its hub fields, and which of them no row feeds or stand at their default.

    `untold` are fields that a row feeds, of which this event says nothing; `odd` says what is odd about a value.
    """

    rows: tuple[TriedRow, ...]
    fields: dict[str, Any]
    unfed: tuple[str, ...]
    untold: tuple[str, ...]
    odd: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Tried:
    """A native event as a profile reads it: its kind and shape, its events, and what is not read or comes back changed.

    `changed` are places with what stood there and what stands there when it is written again; `losses` what another
    provider can't hold of it.
    """

    profile: str
    kind: str
    shape: int
    events: tuple[TriedEvent, ...]
    unread: tuple[str, ...]
    changed: tuple[tuple[str, Any, Any], ...] = ()
    losses: tuple[Loss, ...] = field(default=())

    @property
    def good(self) -> bool:
        """Tell whether every key is read, nothing read is odd, and all that was read comes back."""
        return not self.unread and not self.changed and not any(event.odd for event in self.events)


def try_event(
    profile: str | Profile, data: Any, *, kind: str = "", to: str | Profile | None = None, shown: str = "event"
) -> Tried:
    """Return a native event (plain JSON data) as a profile reads it, row by row.

    Raises BadInput for an event that the profile can't read, naming rows and places: all of them, one a line.
    """
    profile = find_profile(profile) if isinstance(profile, str) else profile
    kind = kind or kind_of(data, profile, shown, why=all_that_is_wrong)
    number = shape_of(data, profile, kind)
    try:
        _, events = read_events(data, profile, shown, kind=kind)
    except BadInput as error:
        raise all_that_is_wrong(data, profile, kind, number, error.place) from None
    shape = shapes_of(profile, kind)[number].on_file()
    entries = entries_of(data, profile, kind, number)
    tried = tuple(_event(shape, entry, event) for entry, event in zip(entries, events, strict=True))
    target = find_profile(to) if isinstance(to, str) else to
    losses = losses_between(profile, target, kind) if target is not None and kind in target.kinds else ()
    return Tried(
        profile.name,
        kind,
        number,
        tried,
        unread_in(data, profile, kind, number),
        tuple(_changed(data, profile, kind, events)) if number == 0 else (),
        tuple(loss for loss in losses if any(loss.applies(event) for event in events)),
    )


def _event(shape: EventShape, entry: Any, event: dict[str, Any]) -> TriedEvent:
    rows = tuple(_row(row, entry) for row in shape.rows)
    there = {
        row.field for row, one in zip(shape.rows, rows, strict=True) if one.held is not MISSING and one.held is not None
    }
    names = [name for name in event if name not in OF_THE_CALL]
    unfed = tuple(name for name in names if not fed_by(name, shape))
    untold = tuple(
        name
        for name in names
        if name not in unfed
        and event[name] == HUB_EVENTS[shape.kind].fields[name].default_value
        and not any(row.field in there for row in fed_by(name, shape))
    )
    strange = {name: told for name, told in oddities(event).items() if name not in unfed}
    return TriedEvent(rows, event, unfed, untold, strange)


def _row(row: Row, entry: Any) -> TriedRow:
    feeds = f"{row.shown or row.field}{' (only written)' if row.derived else ''}"
    return TriedRow(row.line, shown_place(row.at), held_at(entry, row.at), str(row.lens), feeds)


def shown_place(at: Access) -> str:
    """Return a place of an event on file as a path of keys."""
    parts = ["|" if isinstance(step, Through) else str(getattr(step, "key", "")) for step in at.steps]
    return ".".join(parts).replace(".|", "|") or at.root


def held_at(entry: Any, at: Access) -> Any:
    """Return what stands at a place of an event on file, `MISSING` where nothing does."""
    from vast_ferry.events.unread import decoder

    for step in at.steps:
        try:
            entry = decoder(step.lens)(entry) if isinstance(step, Through) else entry[getattr(step, "key", "")]
        except Exception:  # what can't be reached is not there
            return MISSING
    return entry


def fed_by(name: str, shape: EventShape) -> list[Row]:
    """Return the rows from which a field is read: its own, or those of what it follows from."""
    found: list[Row] = []
    seen: set[str] = set()
    stack = [name]
    while stack:
        one = stack.pop()
        if one in seen:
            continue
        seen.add(one)
        rows = [row for row in shape.rows if row.field == one and not row.derived]
        found += rows
        if not rows:
            stack += [need for rule in shape.rules if rule.gives == one for need in rule.needs]
    return found


def _changed(data: Any, profile: Profile, kind: str, events: list[dict[str, Any]]) -> Iterator[tuple[str, Any, Any]]:
    write = writer_of(profile, kind)
    try:
        written = put_together(kind, [write(event) for event in events], profile)
    except Exception as error:  # what was read there can't be written there
        yield "the event", "as it is", f"it can't be written: {type(error).__name__}: {error}"
        return
    if len(written) != 1:
        yield "the event", "one", f"{len(written)} events"
        return
    yield from differences(data, written[0], "")


def differences(one: Any, other: Any, path: str) -> Iterator[tuple[str, Any, Any]]:
    """Yield where two values of JSON differ: the place, and what stands there in each (`MISSING`: nothing)."""
    if isinstance(one, dict) and isinstance(other, dict):
        for key in dict.fromkeys([*one, *other]):
            yield from differences(
                one.get(key, MISSING), other.get(key, MISSING), f"{path}.{key}" if path else str(key)
            )
    elif isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
        for index, (a, b) in enumerate(zip(one, other, strict=True)):
            yield from differences(a, b, f"{path}[{index}]")
    elif one is not other and (type(one) is not type(other) or one != other):
        yield path, one, other


def as_json(value: Any) -> Any:
    """Return a hub value as JSON has it: bytes as text, or `{"base64": …}`."""
    return file_bytes(value) if isinstance(value, bytes) else value
