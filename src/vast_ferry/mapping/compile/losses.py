"""What a shape can't hold of the hub, derived from its rows, its rules, and what it has no row for."""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.compile.reading import Reading, reading_of
from vast_ferry.mapping.compile.writing import returning
from vast_ferry.mapping.helpers import content_type_of
from vast_ferry.mapping.losses import PAIRS_UNREADABLE, Loss, missing
from vast_ferry.mapping.tables import EventShape, ReplyForm, ReplyShape
from vast_ferry.mapping.views import truths_of


def event_losses(shape: EventShape, seen_by: EventShape | None = None) -> list[Loss]:
    """Return what an event's shape can't hold of the hub, most harmful first.

    With `seen_by`, only what a handler written for that other shape could have seen.
    """
    reading = reading_of(shape, {"function": ex.Variable("function"), "limit": ex.Variable("limit")})
    wanted = set(shape.fields)
    own: list[Loss] = []
    if seen_by is not None:
        seen = (
            truths_of(row.field, seen_by.fields, seen_by.rules) for row in seen_by.rows if row.field not in shape.fields
        )
        wanted = {row.field for row in seen_by.rows if row.field in shape.fields}.union(*seen)
        own = event_losses(seen_by)
    losses = _losses(reading, wanted, own, {"function", "limit"})
    return [*losses, *_losses_of_another(shape, losses)]


def _losses_of_another(shape: EventShape, losses: list[Loss]) -> Iterator[Loss]:
    """Yield what is lost of fields that are told after another one, of which something is lost."""
    for row in shape.rows:
        for other in row.lens.asks if row.lens.told_after_another and not row.derived else ():
            theirs = tuple(loss for loss in losses if loss.field == other and not loss.harmless)
            if theirs:
                yield Loss(
                    "told-after-another",
                    row.field,
                    f"it is told after {other}, of which something is lost",
                    "another value arrives",
                    lambda fields, theirs=theirs: any(loss.applies(fields) for loss in theirs),  # type: ignore[misc]
                    tried=True,
                )


#: Of a form whose provider names a type where a handler names none.
TYPE_ADDED = Loss(
    "type-added",
    "headers",
    "a reply names no content type",
    "the provider gives it one",
    lambda fields: not content_type_of(fields["headers"]),
)


def reply_losses(shape: ReplyShape, seen_by: ReplyShape | None = None) -> list[Loss]:
    """Return what the form in which a reply is written can't hold of the hub."""
    form = shape.written
    # What is only read is not there in an answer that is written.
    written = [row for row in form.rows if not (row.derived or row.read_only or row.lens.reads_only)]
    reading = Reading(shape.fields, shape.rules, {row.field: row for row in written})
    own = reply_losses(seen_by) if seen_by is not None else []
    losses = _losses(reading, {name for name, hub in shape.fields.items() if hub.truth}, own, {"method"})
    # A CGI document with content has a type (RFC 3875 section 6.3.1).
    typed = bool(form.default_types or form.types) or shape.via == "document"
    # What is brought along for answers by hand names a type, too.
    by_hand = shape.by_hand is not None and bool(shape.by_hand.form.default_types)
    # Where a handler's own provider gives each answer a type, none comes without one.
    if (typed or by_hand) and not (seen_by is not None and _types_each(seen_by)):
        losses.append(TYPE_ADDED)
    return losses


def _types_each(shape: ReplyShape) -> bool:
    """Tell whether each answer that has content gets a type, however it is given."""

    def named(form: ReplyForm) -> bool:
        own = [form.fixed[name] for name in ("headers", "headers.plain") if name in form.fixed]
        return bool(form.default_types or form.types) or any(map(content_type_of, own))

    with_content = [form for form in shape.forms if any(row.field == "body" for row in form.rows)]
    return bool(shape.written.default_types) and all(map(named, with_content))


def _seen_through(reading: Reading, wanted: set[str]) -> set[str]:
    """Return the truths among some fields, and those through which the views among them are seen."""
    truths = {name for name in wanted if reading.fields[name].truth}
    for name in wanted - truths:
        stack, seen = [name], set[str]()
        while stack:
            top = stack.pop()
            if top in seen:
                continue
            seen.add(top)
            rule = next((rule for rule in reading.rules if rule.gives == top), None)
            if rule is not None and not reading.fields[top].truth:
                truths.update(part for part in rule.needs if reading.fields[part].truth)
                stack += [part for part in rule.needs if not reading.fields[part].truth and part != name]
    return truths


def _is_missed(reading: Reading, whole: str, part: str) -> bool:
    """Tell whether a view that something is put together of is nowhere: it would stand at its default."""
    hub = reading.fields[part]
    if hub.truth or hub.holds in ("any", "call") or part in reading.rows or part in reading.given:
        return False
    apart = Reading(reading.fields, reading.rules, reading.rows, reading.given, _under_way={whole})
    return apart.find(part) is None


def _missed(reading: Reading, whole: str, part: str) -> Iterator[Loss]:
    """Yield the loss of such a view."""
    if _is_missed(reading, whole, part):
        hub, view = reading.fields[part], _viewed(reading, part)
        yield missing(part, hub.meaning, hub.default_value, view)


def _viewed(reading: Reading, part: str) -> Callable[[dict[str, Any]], Any]:
    """Return what gives a view of an event's or a reply's truths."""
    every = Reading(reading.fields, reading.rules, variables=True)
    rule = next(rule for rule in reading.rules if rule.gives == part)
    body = returning([rule.build(*map(every.need, rule.needs))])
    text = "def view(fields):\n"
    for name in every.asked:
        text += f"    {reading.fields[name].variable} = fields.get({name!r}, {reading.fields[name].default})\n"
    space = dict(vars(helpers))
    exec(text + textwrap.indent(body, "    "), space)  # noqa: S102 - what our own rules say
    made: Callable[[dict[str, Any]], Any] = space["view"]
    return made


def _of_own(reading: Reading, own: str, losses: tuple[Loss, ...]) -> tuple[Loss, ...]:
    """Return losses of a field of the shape's own as those of the truth that it is made of."""
    truth = min(truths_of(own, reading.fields, reading.rules), default=own)
    viewed: list[Callable[[dict[str, Any]], Any]] = []

    def told(loss: Loss) -> Callable[[dict[str, Any]], bool]:
        def applies(fields: dict[str, Any]) -> bool:
            if not viewed:
                viewed.append(_viewed(reading, own))
            return loss.applies({**fields, own: viewed[0](fields)})

        return applies

    return tuple(replace(loss, field=truth, applies=told(loss)) for loss in losses)


def _of_row(reading: Reading, name: str) -> tuple[Loss, ...]:
    """Return what a row's form can't hold of its field."""
    row, hub = reading.rows[name], reading.fields[name]
    if row.read_only and hub.truth:  # nothing writes it
        return (missing(name, hub.meaning, hub.default_value),)
    # What stands for nothing there comes back as nothing.
    kept = row.optional and (row.unless_empty or row.null_if_empty)
    losses = row.lens.losses(name)
    looks = [loss for loss in losses if hub.holds == "any" or (not hub.truth and loss.code == PAIRS_UNREADABLE)]
    losses = (*(loss for loss in losses if loss not in looks), *_of_own(reading, name, tuple(looks)))
    return tuple(loss for loss in losses if not (kept and loss.code == "time-unknown"))


def _losses(reading: Reading, wanted: set[str], own: list[Loss], given: set[str]) -> list[Loss]:
    found: dict[str, Loss] = {}

    def walk(name: str, under_way: frozenset[str]) -> None:
        hub = reading.fields[name]
        if name in reading.rows:
            losses = _of_row(reading, name)
            found.update({f"{loss.code} {loss.field}": loss for loss in losses} | found)
            return
        if name in given or hub.holds == "call":
            return
        # What would be read of something that is put together of it is not told: an address among header fields.
        rule = reading.rule_for(name) if name not in under_way else None
        if rule is not None:
            found.update({f"{loss.code} {loss.field}": loss for loss in rule.losses} | found)
            for part in rule.needs:
                for loss in _missed(reading, name, part):
                    found.setdefault(f"no {part}", loss)
                walk(part, under_way | {name})
        elif hub.truth:
            found.setdefault(f"no {name}", missing(name, hub.meaning, hub.default_value))

    truths = _seen_through(reading, wanted)
    for name in reading.fields:
        if name in truths:
            walk(name, frozenset())
    kept = [loss for loss in found.values() if not any(loss.comes_after(before) for before in own)]
    return sorted(kept, key=lambda loss: (loss.harmless, bool(loss.unless), loss.field))
