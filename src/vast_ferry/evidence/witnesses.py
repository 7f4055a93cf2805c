"""Evidence: recorded events of a provider with what they mean, which a profile must read so.

A profile, its laws and its stand-in come from one hand and agree with each other; evidence is what somebody else says.
A folder of evidence holds events under `events/`, and `meaning.yaml`: file → kind, and `event` (or `events`, of a
batch) as hub fields.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import Any

from vast_ferry.documents.document import read_file
from vast_ferry.documents.yaml_file import read_yaml
from vast_ferry.events.compiled import MISSING, beside, entries_of, shapes_of
from vast_ferry.events.native import parse_json, read_events
from vast_ferry.events.recognising import shape_of
from vast_ferry.events.unread import unread_in
from vast_ferry.evidence.trying import fed_by, held_at
from vast_ferry.hub.fields import EVENTS, OF_THE_CALL
from vast_ferry.hub.findings import BadInput, Place, nearest
from vast_ferry.mapping import helpers
from vast_ferry.mapping.compile.functions import view_event
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.tables import HUB_EVENTS
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import is_shipped

MEANING = "meaning.yaml"


@dataclass(frozen=True, slots=True)
class Fact:
    """One fact that evidence tells: of which file, which event in it, which field, what it must be and what was read.

    `right` says whether they agree; `refused` why the event could not be read at all; `row` is the line of the first
    row that reads the field, 0 where there is none.
    """

    file: str
    kind: str
    event: int
    field: str
    wanted: Any
    got: Any
    right: bool
    refused: str = ""
    row: int = 0


def evidence_folder(profile: Profile) -> Path | None:
    """Return the folder of a profile's evidence, nothing where it names none.

    Raises BadInput where there is none of that name.
    """
    if not profile.model.evidence:
        return None
    folder = profile.path.parent / profile.model.evidence
    if not (folder / MEANING).is_file():
        place = profile.document.place("evidence")
        raise BadInput(f"there is no {folder / MEANING}", f"Put {MEANING} there, and the events under events/", place)
    return folder


def facts(profile: Profile) -> Iterator[Fact]:
    """Yield each fact of a profile's evidence, with what the profile makes of it; none where it has no evidence.

    Raises BadInput for evidence that can't be read, with the line.
    """
    folder = evidence_folder(profile)
    if folder is None:
        return
    shown = str(folder / MEANING)
    document = read_yaml(folder / MEANING, shown, "the evidence")
    if not isinstance(document.data, dict):
        raise BadInput("the evidence is no mapping", "Write `FILE: {kind: …, event: {…}}`", Place(shown, 1))
    for name, meaning in document.data.items():
        place = document.place(name)
        if not isinstance(meaning, dict) or not ({"event", "events"} & set(meaning)):
            raise BadInput(f"{name} has no meaning", "Give it `kind:` and `event:` (or `events:`)", place)
        yield from _of_file(profile, folder / "events" / str(name), meaning, place)


def _of_file(profile: Profile, path: Path, meaning: dict[str, Any], place: Place) -> Iterator[Fact]:
    kind = meaning.get("kind", "")
    if kind not in EVENTS:
        raise BadInput(
            f"there is no kind {kind!r}{nearest(str(kind), EVENTS)}", f"Use one of: {', '.join(EVENTS)}", place
        )
    wanted = [meaning["event"]] if "event" in meaning else meaning["events"]
    for event in wanted:
        for field in event:
            if field not in EVENTS[kind]:
                known = f"Use one of: {', '.join(EVENTS[kind])}"
                raise BadInput(f"{kind} events have no field {field!r}{nearest(field, EVENTS[kind])}", known, place)
    data = _native(path)
    refused, got, rows = "", list[dict[str, Any]](), dict[str, int]()
    try:
        with beside(path.parent):
            told, got = _read_as_it_comes(data, profile, path.name, kind)
        if told != kind:
            refused = f"it was taken for a {told} event"
        elif len(got) != len(wanted):
            refused = f"it has {len(wanted)} events, and {len(got)} were read"
        else:
            rows = _rows(profile, kind, shape_of(data, profile, kind))
    except BadInput as error:
        refused = str(error)
    for number, event in enumerate(wanted):
        for field, value in event.items():
            read = None if refused else _read(kind, got[number], field)
            right = not refused and same(field, read, value)
            yield Fact(path.name, kind, number, field, value, read, right, refused, rows.get(field, 0))


def _read_as_it_comes(data: Any, profile: Profile, shown: str, kind: str) -> tuple[str, list[dict[str, Any]]]:
    """Return the kind and events of native data; where no kind reads it, what keeps the right one from it is raised."""
    try:
        return read_events(data, profile, shown)
    except BadInput:
        if kind in profile.kinds:
            read_events(data, profile, shown, kind=kind)
        raise


def _native(path: Path) -> Any:
    return parse_json(read_file(path, str(path), "the event"), str(path))


@functools.lru_cache(maxsize=64)
def _rows(profile: Profile, kind: str, number: int) -> dict[str, int]:
    shape = shapes_of(profile, kind)[number]
    return {name: min((row.line for row in fed_by(name, shape)), default=0) for name in EVENTS[kind]}


def _read(kind: str, event: dict[str, Any], field: str) -> Any:
    """Return a field of an event: a truth, or a view of its truths."""
    return event[field] if field in event else _view(kind, field)(event)


@functools.lru_cache(maxsize=256)
def _view(kind: str, field: str) -> Callable[[dict[str, Any]], Any]:
    return run_source(view_event("view", HUB_EVENTS[kind], field))


def same(field: str, got: Any, wanted: Any) -> bool:
    """Tell whether a hub value is what evidence says: times to their last digit, numbers by value, bytes as text."""
    return bool(_plain(field, got) == _plain(field, wanted))


def _plain(field: str, value: Any) -> Any:
    if isinstance(value, bytes):
        return helpers.file_bytes(value)
    if field in ("time", "due") and isinstance(value, str) and value:
        return helpers.time_of_ns(helpers.epoch_ns_from_time(value))
    if isinstance(value, list | tuple):
        return [_plain("", one) for one in value]
    if isinstance(value, dict):
        if list(value) == ["number"]:
            return Decimal(value["number"])
        return {name: _plain("", one) for name, one in value.items()}
    if isinstance(value, int | float) and not isinstance(value, bool):
        return Decimal(repr(value))
    return ("truth", value) if isinstance(value, bool) else value


def unread(profile: Profile) -> dict[str, tuple[str, ...]]:
    """Return keys of recorded events that no row reads: file → keys."""
    found: dict[str, tuple[str, ...]] = {}
    for name, kind, data in _events(profile):
        if kind in profile.kinds and (keys := unread_in(data, profile, kind, shape_of(data, profile, kind))):
            found[name] = keys
    return found


@functools.lru_cache(maxsize=16)
def _events(profile: Profile) -> tuple[tuple[str, str, Any], ...]:
    """Return the recorded events of a profile: file, kind, data; none where it has no evidence."""
    folder = evidence_folder(profile)
    if folder is None:
        return ()
    data = read_yaml(folder / MEANING, str(folder / MEANING), "the evidence").data
    return tuple((name, one["kind"], _native(folder / "events" / str(name))) for name, one in data.items())


@functools.lru_cache(maxsize=64)
def unwitnessed(profile: Profile, kind: str) -> tuple[str, ...]:
    """Return the hub fields of a kind that rows read and no evidence shows: all of them where there is no evidence."""
    shape = profile.kind(kind).event.on_file()
    rows = {id(row): row for row in shape.rows if not row.derived}
    shown: set[int] = set()
    for _, of, data in _events(profile):
        if of != kind or shape_of(data, profile, kind) != 0:
            continue
        for entry in entries_of(data, profile, kind):
            shown |= {one for one, row in rows.items() if held_at(entry, row.at) not in (MISSING, None)}
    return tuple(
        name
        for name, hub in EVENTS[kind].items()
        if hub.truth
        and name not in OF_THE_CALL
        and (fed := fed_by(name, shape))
        and not any(id(row) in shown for row in fed)
    )


def rests_on(profile: Profile, kinds: Iterable[str]) -> str:
    """Return what a carry or a check of these kinds takes a profile's word for; nothing where all is witnessed.

    What ships is held to its own manual by the project's tests.
    """
    if is_shipped(profile):
        return ""
    if not profile.model.evidence:
        return f"{profile.title}'s profile has no evidence: nobody but the profile says that it reads events right"
    try:
        evidence_folder(profile)
    except BadInput as error:  # of a profile that was copied without it, for one; lint refuses it
        return f"{profile.title}'s evidence is not there: {error.what}"
    fields = [
        f"{kind} {name}"
        for kind in dict.fromkeys(kinds)
        if kind in profile.kinds
        for name in unwitnessed(profile, kind)
    ]
    wrong = sum(not fact.right for fact in facts(profile))
    told = [f"no recorded event of {profile.title} shows {', '.join(fields)}"] if fields else []
    told += [f"{wrong} facts of its recorded events are not read as they say"] if wrong else []
    return "; ".join(told)


#: What to do about that.
WITNESS = "Record events with what they mean (docs/profiles.md, evidence), and run `vast-ferry profile lint`"
