"""The laws of what stands beside events: answers, batches, calls of services; on generated values, like the others."""

from __future__ import annotations

import contextlib
import functools
import sys
import types
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping import laws
from vast_ferry.mapping.clients import HUB_CLIENTS, Client
from vast_ferry.mapping.compile.functions import build_batch, pack_batch, translate_event, translate_reply, unpack_batch
from vast_ferry.mapping.compile.losses import event_losses, reply_losses
from vast_ferry.mapping.delivery import deliver, each_of, names_of_events
from vast_ferry.mapping.emit import module_source, run_module, run_source
from vast_ferry.mapping.law_values import NAMED
from vast_ferry.mapping.losses import Broken, Fields
from vast_ferry.mapping.tables import HUB_BATCHES, HUB_DONE, HUB_EVENTS, EventShape, Kind, ReplyShape

#: field of an answer or a call → what it may hold
VALUES = {
    **NAMED,
    "record": NAMED["a record"],
    "name": NAMED["a name"],
    "value": NAMED["a value"],
}


@functools.lru_cache(maxsize=64)
def values(names: tuple[str, ...], count: int) -> tuple[Fields, ...]:
    """Return generated values of fields, always the same."""
    return laws.together({name: VALUES[name] for name in names}, count, " ".join(names))


def _first(check: Callable[[Fields], str], fields: tuple[Fields, ...], law: str, kind: str) -> Broken | None:
    for one in fields:
        try:
            why = check(one)
        except Exception as error:
            why = f"{type(error).__name__}: {error}"
        if why:
            return Broken(law, kind, why, one)
    return None


def check_answers(kind: Kind, examples: int) -> Broken | None:
    """Return how an answer to anything but HTTP does not come back as it was given, if it does not."""
    shape = kind.answered
    with _classes(shape):
        write, read = (
            run_source(translate_reply("answer", one, other)) for one, other in ((HUB_DONE, shape), (shape, HUB_DONE))
        )
    losses = reply_losses(shape)

    def answered(done: Fields) -> Any:
        try:
            return write(done)
        except Exception as raised:  # an answer may be one that is raised
            if type(raised).__name__ != shape.written.short_name:
                raise
            return raised

    def check(done: Fields) -> str:
        after = read(answered(done))
        lost = {loss.field for loss in losses if loss.applies(done)}
        changed = laws.changed(done, after) - lost
        return f"{sorted(changed)} came back as {after!r}" if changed else ""

    return _first(check, values(("value", "again"), examples), "answers come back", kind.event.kind)


@contextlib.contextmanager
def _classes(shape: ReplyShape) -> Iterator[None]:
    """Let the classes of answers be imported from the provider's modules, as what keeps what it is given."""
    made: dict[str, types.ModuleType] = {}
    for path in [form.class_name for form in shape.forms if form.class_name]:
        module, _, name = path.rpartition(".")
        there = made.setdefault(module, types.ModuleType(module))
        setattr(there, name, type(name, (Exception,), {"__init__": lambda self, **given: self.__dict__.update(given)}))
    before = {name: sys.modules.get(name) for name in made}
    sys.modules.update(made)
    try:
        yield
    finally:
        for name, module_before in before.items():
            if module_before is None:
                del sys.modules[name]
            else:
                sys.modules[name] = module_before


def check_batch(kind: Kind, examples: int) -> Broken | None:
    """Return how a batch does not hold its events in order, if it does not."""
    shape = kind.event
    assert shape.each is not None
    if shape.levels:
        return _check_levels(shape, examples)
    tests = ", ".join(f"{constant.at} == {constant.value!r}" for constant in shape.envelope)
    looks = f"def look({shape.each.root}):\n    return {shape.each}, [{tests}]"
    code = run_module(module_source("A batch.", [build_batch("make", shape)], looks), "a batch")
    write = laws.compiled(HUB_EVENTS[shape.kind], shape.on_file())
    entries = _entries(write, shape, examples)

    def check(some: Fields) -> str:
        taken = entries[: some["count"]]
        batch = code["make"](taken)
        found, around = code["look"](batch)
        if not all(around):
            return f"what stands around it is not there: {batch!r}"
        return "" if found == taken else f"its events are not in it: {batch!r}"

    return _first(check, tuple({"count": count} for count in range(4)), "batches hold their events", shape.kind)


def _entries(write: Callable[[Fields], Any], shape: EventShape, examples: int) -> list[Any]:
    """Return events as one of a batch stands there; those that it can't hold are another law's."""
    entries = []
    for event in laws.pool(shape.kind, max(3, min(examples, 20))):
        with contextlib.suppress(ValueError, TypeError, KeyError, StopIteration):
            entries.append(write(event))
    return entries


def _check_levels(shape: EventShape, examples: int) -> Broken | None:
    """Return how events that are put into batches of several levels do not come out again, if they do not."""
    filed, hub = shape.on_file(), HUB_EVENTS[shape.kind]
    write, read = laws.compiled(hub, filed), laws.compiled(filed, hub)
    pack, unpack = run_source(pack_batch("pack", filed)), run_source(unpack_batch("unpack", filed))
    # What a list's numbers say follows from where an event stands.
    numbers = {level.index for level in shape.levels if level.index}
    placed = {row.field for row in shape.rows if row.at.steps and getattr(row.at.steps[0], "key", "") in numbers}
    loose = {rule.gives for rule in shape.rules if placed & set(rule.needs)}

    def told(entry: Fields) -> str:
        return repr(sorted((name, repr(value)) for name, value in read(entry).items() if name not in loose))

    entries = [entry for entry in _entries(write, shape, examples) if _is_read(read, entry)]

    def check(some: Fields) -> str:
        taken = entries[: some["count"]]
        found = [entry for batch in pack(taken) for entry in unpack(batch)]
        same = sorted(map(told, found)) == sorted(map(told, taken))
        return "" if same else f"its events are not in it: {pack(taken)!r}"

    counts = tuple({"count": count} for count in range(len(entries)))
    return _first(check, counts, "batches hold their events", shape.kind)


def _is_read(read: Callable[[Fields], Any], entry: Fields) -> bool:
    """Tell whether an event can be read again by itself; what can't be is another law's."""
    try:
        read(entry)
    except (ValueError, TypeError, KeyError, StopIteration):
        return False
    return True


def check_again(kind: Kind, examples: int) -> Broken | None:
    """Return how an event of a batch that a handler names does not come again, if it does not.

    The handler is called as any is, and names one event after the other by what it was handed.
    """
    # What a handler is told of its call beside the batch is no matter here.
    kind = replace(kind, event=kind.event.on_file())
    shape, answered = kind.event, kind.answered
    called = deliver("call", kind, Kind(HUB_BATCHES[shape.kind], HUB_DONE))
    views, named = names_of_events("law_", kind, shape.event_parameters[0])
    sources, loop = each_of("law_", kind)
    assert shape.each is not None
    looks = f"def look({shape.each.root}):\n    return [{named} {loop}]"
    text = module_source("A batch.", [*called.sources, *views, *sources], *called.more, called.text, looks)
    with _classes(answered):
        code = run_module(text, "a batch")
        answer = run_source(translate_reply("answer", HUB_DONE, answered))
    # Alike but for their names: what stands around a list is one for all that stand in it.
    alike = {**laws.pool(shape.kind, 1)[0], "limit": 1.0, "function": "f"}
    names = {name for name in ("id", "sequence") if name in alike}
    events = [{**alike, **dict.fromkeys(names, f"e-{number}")} for number in range(3)]
    root = shape.each.root
    place = shape.parameters.index(shape.event_parameters[0])

    def check(some: Fields) -> str:
        def handler(*handed: Any, **by_name: Any) -> Any:
            names = code["look"](by_name[root] if by_name else handed[place])
            return answer({"value": None, "again": [names[some["number"]][0]]})

        wanted = f"e-{some['number']}"
        told = code["call"](handler, events)["again"]
        return "" if wanted in told else f"{wanted} shall come again, and what came was {told!r}"

    numbers = tuple({"number": number} for number in range(len(events)))
    return _first(check, numbers, "what shall come again does", shape.kind)


def check_client(client: Client, examples: int) -> Broken | None:
    """Return how what a call is given does not arrive, but for derived losses, if it does not."""
    hub = HUB_CLIENTS[client.operation].arguments
    back = translate_event("pass_on", client.arguments, hub)
    write, read = run_source(translate_event("pass_on", hub, client.arguments)), run_source(back)
    several = len(client.arguments.parameters) > 1
    losses = event_losses(client.arguments)

    def check(fields: Fields) -> str:
        passed = write(fields)
        named: dict[str, Any] = dict(zip(client.arguments.parameters, passed if several else (passed,), strict=True))
        after = read(*(named[name] for name in back.parameters))
        lost = {loss.field for loss in losses if loss.applies(fields)}
        changed = laws.changed(fields, after) - lost
        return f"{sorted(changed)} arrived as {after!r}" if changed else ""

    names = tuple(OPERATIONS[client.operation].takes)
    return _first(check, values(names, examples), "calls pass on what they are given", client.called)


def check_beside(kind: Kind, examples: int) -> Iterator[tuple[str, Broken | None]]:
    """Yield the laws of a kind's answers and batches, each with how it is broken, if it is."""
    if not is_request(kind.event.kind):
        yield "answers come back", check_answers(kind, examples)
    if kind.event.each is not None:
        yield "batches hold their events", check_batch(kind, examples)
        if kind.answered.holds_again and not (kind.event.told_by or kind.method):
            yield "what shall come again does", check_again(kind, examples)
