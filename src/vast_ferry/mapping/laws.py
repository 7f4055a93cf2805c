"""The laws that a shape must keep, each on its own, on generated events: what is written is read back, fused is read
and write, every derived loss shows up, and no other difference ever does.

Authors of profiles run them with `vast-ferry profile lint`; the tests run them on every profile that ships.
"""

from __future__ import annotations

import functools
import random
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from decimal import Decimal
from typing import Any

from hypothesis import strategies as st

from vast_ferry.hub.fields import EVENTS
from vast_ferry.mapping.compile.functions import translate_event
from vast_ferry.mapping.compile.losses import event_losses
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.law_values import TEXT, VALUES, values_of
from vast_ferry.mapping.losses import Broken, Fields, Loss
from vast_ferry.mapping.tables import HUB_CALLS, HUB_EVENTS, EventShape
from vast_ferry.mapping.views import truths_of


def events(kind: str) -> st.SearchStrategy[Fields]:
    """Return the strategy of events of a kind, as hub fields."""
    return st.fixed_dictionaries(
        {name: VALUES.get(f"{kind}.{name}", VALUES.get(name, TEXT)) for name in _field_names(kind)}
    )


def _field_names(kind: str) -> list[str]:
    return [row.field for row in HUB_EVENTS[kind].rows]


# --- telling what changed --------------------------------------------------------------------------------------------


def by_name(pairs: Iterable[tuple[str, str]]) -> dict[str, list[str]]:
    """Return values by name: order between fields of different names says nothing (RFC 9110 §5.3)."""
    found: dict[str, list[str]] = {}
    for name, value in pairs:
        found.setdefault(name.lower(), []).append(value)
    return found


def same(name: str, one: Any, other: Any) -> bool:
    """Tell whether two values of a field are the same; 1, 1.0 and True are three."""
    if name == "headers":
        return by_name(one) == by_name(other)
    if isinstance(one, Mapping) and isinstance(other, Mapping):
        return list(one) == list(other) and all(same("", one[key], other[key]) for key in one)
    if isinstance(one, (list, tuple)) and isinstance(other, (list, tuple)):
        return len(one) == len(other) and all(same("", a, b) for a, b in zip(one, other, strict=True))
    if {type(one), type(other)} == {float, Decimal}:  # a decimal as it was written, and as Python reads it
        return Decimal(str(one)) == Decimal(str(other))
    return type(one) is type(other) and bool(one == other)


def changed(before: Fields, after: Fields) -> set[str]:
    """Return the truths that did not come back."""
    return {name for name in before if not same(name, before[name], after[name])}


class LawError(AssertionError):
    """A difference that no derived loss explains."""

    def __init__(self, why: str, event: Fields) -> None:
        super().__init__(why)
        self.why, self.event = why, event


def compiled(source: EventShape, target: EventShape) -> Callable[..., Any]:
    """Return the compiled translation between two shapes."""
    made = run_source(translate_event("translate", source, replace(target, objects={})))
    return (lambda *native: to_end(made(*native))) if source.awaits else made


class _Kept:
    """Shapes on file, and translations between shapes, each made once while a profile is compared with all others."""

    most = 512

    def __init__(self) -> None:
        self._filed: dict[int, tuple[EventShape, EventShape]] = {}
        self._made: dict[tuple[int, int], tuple[EventShape, EventShape, Callable[..., Any]]] = {}

    def filed(self, shape: EventShape) -> EventShape:
        """Return a shape on file; a shape can't be a key itself, so it is held as long as its identity is one."""
        if len(self._filed) > self.most:
            self._filed.clear()
        return self._filed.setdefault(id(shape), (shape, shape.on_file()))[1]

    def compiled(self, source: EventShape, target: EventShape) -> Callable[..., Any]:
        """Return the compiled translation between two shapes."""
        key = id(source), id(target)
        if key not in self._made:
            if len(self._made) > self.most:
                self._made.clear()
            self._made[key] = source, target, compiled(source, target)
        return self._made[key][2]


_kept = _Kept()


def to_end(coroutine: Any) -> Any:
    """Return what a coroutine gives that waits for nothing outside."""
    try:
        coroutine.send(None)
    except StopIteration as end:
        return end.value
    raise LawError("reading the event waits for something that never comes", {})


def expect(before: Fields, after: Fields, losses: list[Loss], shape: EventShape, offered: frozenset[str]) -> None:
    """Raise LawError where a truth changed and no derived loss that this event meets explains it."""
    met: set[str] = set()
    for loss in losses:
        if loss.unless not in offered and loss.applies(before):
            met |= truths_of(loss.field, shape.fields, shape.rules)
    for name in sorted(changed(before, after) - met):
        raise LawError(f"{name} was {before[name]!r} and came back as {after[name]!r}; no derived loss says so", before)


def offers_of(shape: EventShape) -> frozenset[str]:
    """Return the offers that only some servers of a shape make."""
    return frozenset(row.offer for row in shape.rows if row.offer)


def unreadable(shape: EventShape) -> Callable[[Fields], bool]:
    """Return what tells whether an event may be refused where it is read from a shape, which a loss of it says."""
    losses = [loss for loss in event_losses(shape) if loss.unreadable]
    return lambda event: any(loss.applies(event) for loss in losses)


# --- the laws --------------------------------------------------------------------------------------------------------

#: A law, for a shape: what checks it on one event.
Law = Callable[[EventShape], Callable[[Fields], None]]


def write_then_read(shape: EventShape) -> Callable[[Fields], None]:
    """An event that is written on file and read back is the same, but for derived losses."""
    hub, losses, offers = HUB_EVENTS[shape.kind], event_losses(shape), offers_of(shape)
    ways = []
    for without in {frozenset[str](), offers}:
        filed = shape.without(without).on_file()
        ways.append((offers - without, compiled(hub, filed), compiled(filed, hub)))

    def check(event: Fields) -> None:
        for offered, write, read in ways:
            expect(event, read(write(event)), losses, shape, offered)

    return check


def write_then_read_live(shape: EventShape) -> Callable[[Fields], None]:
    """An event that is handed to a handler says the same, but for derived losses."""
    write, read = compiled(HUB_CALLS[shape.kind], shape), compiled(shape, HUB_EVENTS[shape.kind])
    read_from = [name for name in shape.parameters if any(row.at.root == name for row in shape.rows)]
    filled = {*read_from, *(constant.at.root for constant in shape.constants)}
    unfilled = [name for name in shape.parameters if name not in filled]
    losses, offers = event_losses(shape), offers_of(shape)

    def check(event: Fields) -> None:
        called = {
            **event,
            "function": "f",
            "limit": 1.0,
            "log": print,
            "secret": str,
            "setting": str,
            "time_left": float,
        }
        native = write(called, *(None for _ in unfilled))
        values = dict(zip(shape.parameters, native if len(shape.parameters) > 1 else (native,), strict=True))
        after = read(*(values[name] for name in read_from))
        expect(event, after, losses, shape, offers)

    return check


def read_then_write(shape: EventShape) -> Callable[[Fields], None]:
    """A native event that is read and written again is read as the same."""
    filed, hub = shape.on_file(), HUB_EVENTS[shape.kind]
    write, read = compiled(hub, filed), compiled(filed, hub)

    def check(event: Fields) -> None:
        held = read(write(event))
        again = read(write(held))
        for name in sorted(changed(held, again)):
            raise LawError(f"{name} was {held[name]!r}, and after writing it again {again[name]!r}", held)

    return check


SINGLE: Mapping[str, Law] = {
    "write, then read": write_then_read,
    "write, then read, as handed over": write_then_read_live,
    "read, then write": read_then_write,
}


def fused_is_read_and_write(one: EventShape, other: EventShape) -> Callable[[Fields], None]:
    """Translating straight is reading and writing; there and back is the same, but for derived losses."""
    a, b, hub = _kept.filed(one), _kept.filed(other), HUB_EVENTS[one.kind]
    write, straight, read, write_other, read_other = (
        _kept.compiled(*pair) for pair in ((hub, a), (a, b), (a, hub), (hub, b), (b, hub))
    )
    # What the one side has lost already is not lost again; each loss by its degree, or this law says so.
    losses, offers = event_losses(other, one), offers_of(other)
    refused = unreadable(one), unreadable(other)
    seen = set[str]().union(*(truths_of(row.field, one.fields, one.rules) for row in one.rows))

    def check(event: Fields) -> None:
        if refused[0](event):
            return
        native = write(event)
        held = read(native)
        if refused[1](held):
            return
        fused = straight(native)
        if not same("", fused, write_other(held)):
            raise LawError(f"translated straight: {fused!r}; read and written: {write_other(held)!r}", event)
        # What the one side has no place for, nobody there has ever seen.
        after = read_other(fused)
        expect(held, {name: after[name] if name in seen else held[name] for name in held}, losses, other, offers)

    return check


#: Every law sees at least so many events where only one has to show something.
LARGE = 300


@functools.lru_cache(maxsize=32)
def _pool(kind: str, count: int) -> tuple[Fields, ...]:
    named = {name: f"{kind}.{name}" if f"{kind}.{name}" in VALUES else name for name in _field_names(kind)}
    return together({name: VALUES.get(own, TEXT) for name, own in named.items()}, count, kind)


_SIMPLEST, _HOW_OFTEN = 3, 0.2


def together(fields: Mapping[str, st.SearchStrategy[Any]], count: int, seed: str) -> tuple[Fields, ...]:
    """Return so many mappings put together of generated values of each field, always the same for a seed."""
    chance = random.Random(seed)  # noqa: S311  (the same each time)
    values = {name: values_of(strategy) for name, strategy in fields.items()}

    def one_of(of: tuple[Any, ...]) -> Any:
        """Return a value, now and then one of the first, which are the simplest: an empty one is a case of its own."""
        return chance.choice(of[:_SIMPLEST] if chance.random() < _HOW_OFTEN else of)

    return tuple({name: one_of(of) for name, of in values.items()} for _ in range(count))


def pool(kind: str, count: int) -> tuple[Fields, ...]:
    """Return generated events of a kind, always the same: to generate one costs far more than to translate it."""
    # The first that are generated are the simplest: fewer are taken from all over.
    return _pool(kind, max(count, LARGE))[:: max(1, LARGE // count)][:count]


def unseen_losses(shape: EventShape) -> Iterator[Broken]:
    """Yield derived losses that no event shows: a loss that never happens is as wrong as one that is not told."""
    hub, refused = HUB_EVENTS[shape.kind], unreadable(shape)
    readable = [event for event in pool(shape.kind, LARGE) if not refused(event)]
    if len(readable) < LARGE // 2:
        return  # by chance so few can be read that what they don't show says nothing
    for loss in event_losses(shape):
        if loss.tried:
            continue
        filed = shape.without(frozenset([loss.unless]) if loss.unless else frozenset()).on_file()
        write, read = compiled(hub, filed), compiled(filed, hub)
        names = truths_of(loss.field, shape.fields, shape.rules)

        def shows(event: Fields, loss: Loss = loss, write: Any = write, read: Any = read, names: Any = names) -> bool:
            try:
                return loss.applies(event) and bool(names & changed(event, read(write(event))))
            except Exception:  # another law says so
                return False

        if not any(shows(event) for event in readable):
            yield Broken("every derived loss shows up", shape.kind, f"no event shows {loss.code}: {loss}", {})


def _run(name: str, kind: str, examples: int, check: Callable[[Fields], None]) -> Broken | None:
    for event in pool(kind, examples):
        why = _failure(check, event)
        if why:
            small = _smallest(kind, check, event)
            return Broken(name, kind, _failure(check, small) or why, small)
    return None


def _failure(check: Callable[[Fields], None], event: Fields) -> str:
    try:
        check(event)
    except LawError as error:
        return error.why
    except Exception as error:
        return f"{type(error).__name__}: {error}"
    return ""


def _smallest(kind: str, check: Callable[[Fields], None], event: Fields) -> Fields:
    """Return the event with all at its default, and each part of a list or mapping gone, that it can do without."""
    small = dict(event)

    def without(name: str, value: Any) -> None:
        trial = {**small, name: value}
        if small[name] != value and _failure(check, trial):
            small[name] = value

    for name in event:
        without(name, EVENTS[kind][name].default_value)
        for index in reversed(range(len(small[name]) if isinstance(small[name], list) else 0)):
            without(name, [part for place, part in enumerate(small[name]) if place != index])
        for key in list(small[name]) if isinstance(small[name], dict) else ():
            without(name, {other: part for other, part in small[name].items() if other != key})
    return small


def check_shape(shape: EventShape, examples: int = 100) -> Iterator[tuple[str, Broken | None]]:
    """Yield each law's name and, where it does not hold, how; for one kind of event of one provider."""
    refused = unreadable(shape)
    for name, law in SINGLE.items():
        yield name, _run(name, shape.kind, examples, _but_for(refused, law(shape)))
    unseen = list(unseen_losses(shape))
    yield "every derived loss shows up", unseen[0] if unseen else None


def _but_for(refused: Callable[[Fields], bool], check: Callable[[Fields], None]) -> Callable[[Fields], None]:
    return lambda event: None if refused(event) else check(event)


def check_pair(one: EventShape, other: EventShape, examples: int = 100) -> Broken | None:
    """Return how translating between two shapes of a kind breaks the law, if it does."""
    name = "fused is read and write"
    return _run(name, one.kind, examples, fused_is_read_and_write(one, other))


KINDS = tuple(EVENTS)
