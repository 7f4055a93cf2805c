"""A batch of several levels made of what another provider hands over, and what its handler answers turned around.

Where a shim calls the original (`delivery`), a handler that is rewritten asks for its batch itself, at its first line:
it gets the events as its provider put them together, and goes through them as it did.
"""

from __future__ import annotations

import textwrap
from dataclasses import replace
from typing import Final

from vast_ferry.hub.findings import FerryError
from vast_ferry.hub.kinds import KINDS
from vast_ferry.mapping.compile.functions import (
    Source,
    build_batch,
    pack_batch,
    translate_event,
    translate_reply,
    view_event,
)
from vast_ferry.mapping.delivery import as_told, each_of, keeps_ids, names_of_events, told_by_each
from vast_ferry.mapping.python import docstring
from vast_ferry.mapping.tables import HUB_DONE, EventShape, Kind


class CannotMake(FerryError, ValueError):
    """A batch can't be made outside of a call."""


#: Names that functions of a kind's batches have behind its prefix.
OF_BATCHES: Final = frozenset(
    ("entry", "batch", "whose", "done", "settled", "told", "again", "answered", "events", "delivery")
)


def _entries(original: Kind, caller: Kind) -> tuple[Source, str, str, list[Source]]:
    """Return what makes one event of a batch, all of them as source, the caller's parameter that they come from, and
    what that takes.
    """
    ours, theirs = original.event, caller.event
    prefix = KINDS[ours.kind].prefix
    entry = translate_event(f"{prefix}entry", _of_the_event(theirs), _of_the_event(ours), "Return one event as it was.")
    root = theirs.each.root if theirs.each is not None else theirs.event_parameters[0]
    if entry.parameters != theirs.event_parameters or len(entry.parameters) != 1:
        raise CannotMake(f"an event of kind {ours.kind} needs more than is handed over")
    call = f"{'await ' * entry.awaited}{entry.name}"
    if theirs.each is None:
        return entry, f"[{call}({root})]", root, []
    sources, loop = each_of(f"{prefix}there_" if theirs.levels and ours.levels else prefix, caller)
    return entry, f"[{call}({entry.parameters[0]}) {loop}]", root, sources


def _whose(original: Kind, caller: Kind, entry: Source) -> Source | None:
    """Return what gives the id of an event as the caller has it, where the original's shape may have another."""
    if keeps_ids(original.event):
        return None
    view = view_event(f"{KINDS[original.event.kind].prefix}whose", _of_the_event(caller.event), "id")
    if view.parameters != entry.parameters or view.awaited != entry.awaited:
        raise CannotMake("the id of an event needs more than is handed over")
    return view


def _of_the_event(shape: EventShape) -> EventShape:
    """Return a shape without what a handler is told of its call."""
    own = shape.event_parameters
    return replace(shape, parameters=own, rows=tuple(row for row in shape.rows if row.at.root in own))


def make_batch(original: Kind, caller: Kind, about: str) -> list[Source]:
    """Return functions of which the last takes what a caller hands over and gives the original's batch.

    Raises CannotMake where more than the event is needed for it.
    """
    ours = original.event
    entry, entries, root, more = _entries(original, caller)
    pack = (pack_batch if ours.levels else build_batch)(f"{KINDS[ours.kind].prefix}batch", ours)
    assert ours.each is not None
    # One event of a batch of one level may be made as well, by a function that is named for it.
    name = f"{KINDS[ours.kind].prefix}{ours.each.root if ours.levels else 'delivery'}"
    made = f"{pack.name}({entries})"
    made = f"one_batch({made})" if ours.levels else made
    text = f"{_def(entry)} {name}({root}):\n    {docstring(about)}\n    return {made}"
    return [entry, pack, *more, Source(name, text, parameters=(root,), awaited=entry.awaited)]


def settle_batch(original: Kind, caller: Kind, about: str) -> list[Source]:
    """Return functions of which the last takes what a handler returned, and what it was handed, and answers the caller.

    It raises where events shall come again and the caller can't be told of single ones.
    """
    ours, answered = original.event, original.answered
    prefix = KINDS[ours.kind].prefix
    entry, entries, root, more = _entries(original, caller)
    done = translate_reply(f"{prefix}done", answered, HUB_DONE, "Return what a handler's answer says.")
    sources, value = [entry, done, *more], f"{done.name}(returned)"
    whose = _whose(original, caller, entry)
    if answered.again_by or answered.again_with or whose:
        views, named = names_of_events(prefix, original, "entry", "its" if whose else "")
        sources += [*views, *([whose] if whose else [])]
        numbers = f"numbered({entries}, {original.numbered!r})" if original.numbered else entries
        loop = f"for entry in {numbers}"
        if whose:
            loop = f"for entry, its in zip({numbers}, {entries.replace(entry.name, whose.name)})"
        value = f"again_of({value}, [{named} {loop}], {answered.again_with!r})"
    name = f"{prefix}settled"
    more, last = _answering(caller, value)
    sources += more
    text = f"{_def(entry)} {name}(returned, {root}):\n" + textwrap.indent(f"{docstring(about)}\n{last}", "    ")
    return [*sources, Source(name, text, parameters=("returned", root), awaited=entry.awaited)]


def tell_batch(original: Kind, caller: Kind, about: str) -> list[Source]:
    """Return functions of which the last takes what a caller hands over, calls a handler with the original's batch,
    and answers the caller with what that said of each event, by the event's own methods.

    Where the caller awaits its handlers, both are coroutine functions.
    """
    ours, prefix = original.event, KINDS[original.event.kind].prefix
    entry, entries, root, more = _entries(original, caller)
    whose = _whose(original, caller, entry)
    pack = pack_batch(f"{prefix}batch", ours)
    views, settled = told_by_each(prefix, original, "one", "taken", "whose" if whose else "")
    sources = [entry, pack, *more, *views, *([whose] if whose else [])]
    more, last = _answering(caller, settled)
    sources += more
    word, wait = ("async def", "await ") if caller.asynchronous else ("def", "")
    lines = [
        docstring(about),
        *([f"whose = {entries.replace(entry.name, whose.name)}"] if whose else []),
        f"taken, failed = {entries}, None",
        "try:",
        f"    {wait}handle(one_batch({pack.name}(taken)))",
        "except Exception as error:",
        "    failed = error",
        last,
    ]
    name = f"{prefix}told"
    text = f"{word} {name}({root}, handle):\n" + textwrap.indent("\n".join(lines), "    ")
    return [*sources, Source(name, text, parameters=(root,), awaited=caller.asynchronous)]


def answer_batch(caller: Kind, about: str) -> list[Source]:
    """Return functions of which the last takes the ids that shall come again, and the batch, and answers the caller."""
    prefix, each = KINDS[caller.event.kind].prefix, caller.event.each
    assert each is not None
    sources, last = _answering(caller, '{"value": None, "again": again}')
    name = f"{prefix}again"
    text = f"def {name}(again, {each.root}):\n" + textwrap.indent(f"{docstring(about)}\n{last}", "    ")
    return [*sources, Source(name, text, parameters=("again", each.root))]


def _answering(caller: Kind, done: str) -> tuple[list[Source], str]:
    """Return functions, and the statement that answers a caller with what is done, or raises where it can't."""
    sources, done = as_told(KINDS[caller.event.kind].prefix, caller, done)
    if not caller.answered.holds_again:
        return sources, done
    name = f"{KINDS[caller.event.kind].prefix}answered"
    reply = translate_reply(name, HUB_DONE, caller.answered, "Answer with what the handler returned.")
    if len(reply.parameters) != 1:
        raise CannotMake(f"an answer of kind {caller.event.kind} needs more than what was returned")
    return [*sources, reply], f"return {reply.name}({done})"


def _def(entry: Source) -> str:
    return "async def" if entry.awaited else "def"
