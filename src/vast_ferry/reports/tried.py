"""What a profile makes of an event, a definition or answers, for people and as data."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from vast_ferry.events.compiled import MISSING
from vast_ferry.events.unread import not_read
from vast_ferry.evidence.trying import Tried, TriedEvent, as_json
from vast_ferry.profiles.profile import Profile
from vast_ferry.reports.project_text import survey_text
from vast_ferry.reports.text import heading, losses_text

if TYPE_CHECKING:  # what is only named here would load a great deal
    from vast_ferry.checking.answers_seen import AnswerSeen
    from vast_ferry.surveying.survey import Survey

#: A value is shown so long.
_LONGEST = 60


def _brief(value: Any) -> Text:
    if value is MISSING:
        return Text("nothing", "dim")
    text = json.dumps(as_json(value), ensure_ascii=False, default=str)
    return Text(text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…")


def _as_what(before: Any, after: Any) -> Text:
    """Return what tells two values apart that look alike."""
    alike = _brief(before).plain == _brief(after).plain and type(before) is not type(after)
    return Text(f" (a {type(after).__name__}, and no {type(before).__name__})" if alike else "", "yellow")


def tried_text(tried: Tried, profile: Profile, to: str) -> RenderableType:
    """Return an event as a profile reads it: its rows, its fields, and what is not read or does not come back."""
    about = (
        f"one {tried.kind} event" if len(tried.events) == 1 else f"a batch of {len(tried.events)} {tried.kind} events"
    )
    shape = f", in its shape {tried.shape + 1}" if tried.shape else ""
    parts: list[RenderableType] = [heading(profile.title, about + shape)]
    for number, event in enumerate(tried.events, 1):
        if len(tried.events) > 1:
            parts += [Text(), Text(f"Event {number}", "bold")]
        parts += [Text(), _rows(event), Text(), _fields(event)]
    parts += [Text(), *_facts(tried)]
    if to:
        told = losses_text(tried.losses) if tried.losses else Text("  nothing: all of it arrives", "green")
        parts += [Text(), Text(f"What {to} can't hold of it", "bold"), told]
    return Group(*parts)


def _rows(event: TriedEvent) -> RenderableType:
    table = Table.grid(padding=(0, 2, 0, 0))
    for row in event.rows:
        lens = "" if row.lens == "plain" else row.lens
        feeds = row.feeds if len(row.feeds) <= _LONGEST else f"{row.feeds[: _LONGEST - 1]}…"
        table.add_row(Text(str(row.line), "dim"), row.place, _brief(row.held), Text(feeds), Text(lens, "cyan"))
    return Group(
        Text("What each row reads (line, place, what stands there, what it feeds, form)", "bold"),
        Padding(table, (0, 0, 0, 2)),
    )


def _fields(event: TriedEvent) -> RenderableType:
    table = Table.grid(padding=(0, 2, 0, 0))
    for name, value in event.fields.items():
        if name in event.unfed or name in ("function", "limit"):
            continue
        note = "not told by this event: stands at its default" if name in event.untold else ""
        strange = Text(event.odd.get(name, ""), "bold red")
        table.add_row(name, _brief(value), strange if strange else Text(note, "yellow"))
    parts: list[RenderableType] = [Text("What that means", "bold"), Padding(table, (0, 0, 0, 2))]
    if event.unfed:
        parts.append(Text(f"  no row feeds {', '.join(event.unfed)}: at the default, always", "yellow"))
    return Group(*parts)


def _facts(tried: Tried) -> list[RenderableType]:
    parts: list[RenderableType] = []
    missing, partly = not_read(tried.unread)
    if missing:
        parts.append(Text("Keys that no row reads: what stands there is lost", "bold red"))
        parts += [Text(f"  {key}", "red") for key in missing]
    if partly:
        parts.append(Text("Read, and not all of it arrives as it stands there", "bold red"))
        parts += [Text(f"  {key}", "red") for key in partly]
    if not tried.unread:
        parts.append(Text("Every key is read.", "green"))
    if tried.changed:
        parts.append(Text("Written again, it differs", "bold red"))
        table = Table.grid(padding=(0, 2, 0, 0))
        for place, before, after in tried.changed:
            table.add_row(
                place, _brief(before), Text("→", "dim"), Text.assemble(_brief(after), _as_what(before, after))
            )
        parts.append(Padding(table, (0, 0, 0, 2)))
    elif not tried.shape:
        parts.append(Text("Written again, it is the same.", "green"))
    return parts


def tried_data(tried: Tried) -> dict[str, Any]:
    """Return the same as data; a place where nothing stands has no `held`."""
    return {
        "profile": tried.profile,
        "kind": tried.kind,
        "shape": tried.shape + 1,
        "unread": list(tried.unread),
        "changed": [
            {"at": place, **_side("before", before), **_side("after", after)} for place, before, after in tried.changed
        ],
        "losses": [str(loss) for loss in tried.losses],
        "events": [
            {
                "rows": [
                    {"line": row.line, "at": row.place, **_side("held", row.held), "as": row.lens, "is": row.feeds}
                    for row in event.rows
                ],
                "fields": {name: as_json(value) for name, value in event.fields.items()},
                "unfed": list(event.unfed),
                "untold": list(event.untold),
                "odd": event.odd,
            }
            for event in tried.events
        ],
    }


def _side(name: str, value: Any) -> dict[str, Any]:
    return {} if value is MISSING else {name: as_json(value)}


def definition_tried_text(there: Survey, lost: Sequence[str], title: str) -> RenderableType:
    """Return what a project's definition declares, and what of it does not come back when it is written."""
    if not lost:
        return Group(survey_text(there, title), Text("Written again, it is the same.", "green"))
    told = [Text(f"  {one}", "red") for one in lost]
    return Group(survey_text(there, title), Text("Written again, it differs", "bold red"), *told)


def definition_tried_data(there: Survey, lost: Sequence[str]) -> dict[str, Any]:
    """Return the same as data."""
    return {"profile": there.profile.name, "changed": list(lost), "project": there.as_data()}


def answers_tried_text(profile: Profile, seen: Sequence[AnswerSeen]) -> RenderableType:
    """Return what the stand-in makes of answers that others saw, a line each, and what is otherwise."""
    table = Table.grid(padding=(0, 2, 0, 0))
    for one in seen:
        how = Text("unseen", "yellow") if one.unseen else Text("as seen" if one.right else "differs")
        how.stylize("" if one.unseen else "green" if one.right else "bold red")
        table.add_row(Text(str(one.line), "dim"), how, one.kind, one.event)
        if one.unseen:
            table.add_row("", "", "", Text(one.unseen, "yellow"))
        for what, wanted, got in one.differs:
            table.add_row("", "", "", Text(f"{what} was {wanted!r}, and came out as {got!r}", "red"))
    count = f"{len(seen)} answers at the stand-in of {profile.title}"
    looked = [one for one in seen if not one.unseen]
    wrong = sum(not one.right for one in looked)
    end = f"{len(looked) - wrong} as they were seen, {wrong} otherwise, {len(seen) - len(looked)} not looked at."
    style = "bold red" if wrong else "green"
    return Group(heading(profile.title, count), Text(), Padding(table, (0, 0, 0, 2)), Text(), Text(end, style))


def answers_tried_data(profile: Profile, seen: Sequence[AnswerSeen]) -> dict[str, Any]:
    """Return the same as data."""
    return {
        "profile": profile.name,
        "answers": [
            {
                "line": one.line,
                "kind": one.kind,
                "event": one.event,
                "unseen": one.unseen or None,
                "differs": [{"what": what, "seen": wanted, "got": got} for what, wanted, got in one.differs],
            }
            for one in seen
        ],
    }
