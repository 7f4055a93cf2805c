"""Native events from one provider's shape to another's, with what the other shape could not hold of them."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from vast_ferry.events.cloud_events import keeps_rules
from vast_ferry.events.compiled import entries_of, shapes_of
from vast_ferry.events.editions import find_source
from vast_ferry.events.native import put_together, read_events, write_events
from vast_ferry.events.recognising import kind_of, of_kind, shape_of, told_by
from vast_ferry.events.unread import is_read, unread_in
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.mapping.compile.functions import translate_checked, view_event
from vast_ferry.mapping.compile.losses import event_losses
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.losses import Loss
from vast_ferry.mapping.tables import EventShape
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import find_profile


@dataclass(slots=True)
class Converted:
    """Native events in the other shape, as plain JSON data, and the losses that their contents met.

    `unread` are keys of the native events that no row of their profile reads.
    """

    events: list[Any]
    losses: tuple[Loss, ...]
    unread: tuple[str, ...] = ()

    @property
    def event(self) -> Any:
        """Return the event, if it is one; raises ValueError where a batch became several, or none."""
        if len(self.events) != 1:
            raise ValueError(f"there are {len(self.events)} events: look at `events`")
        return self.events[0]


def convert(
    data: Any, source: str | Profile, target: str | Profile, *, shown: str = "event", line: int = 1
) -> Converted:
    """Return a native event (plain JSON data) of `source` in the shape of `target`, of whatever kind it is.

    A batch becomes as many events as it holds where `target` takes one at a time; a list of events becomes one batch
    where it takes batches. Objects are kept on file as mappings, their methods under `name()`; bytes as text, or
    `{"base64": …}` where they are not UTF-8.

    >>> call = {"verb": "GET", "scheme": "https", "site": "a.example", "path": "/x", "route": "/{name}", "at": 0,
    ...         "slots": {"name": "x"}, "search": "day=mon&day=tue", "first": {"day": "mon"}, "peer": "198.51.100.7"}
    >>> event = {"kind": "web", "ticket": "w-1", "call": call, "fields": {}, "crumbs": [], "content": "",
    ...          "packed": False, "who": None}
    >>> got = convert(event, "ostermere@1", "thornwick@1")
    >>> got.event["params"], got.event["route"]
    ([('day', 'mon'), ('day', 'tue')], '/<name>')

    Raises BadInput for an unknown provider, a kind that `target` has not, or an event that is not what its profile
    says (place and row are named).
    """
    source = find_source(source, data, shown, line) if isinstance(source, str) else source
    target = find_profile(target) if isinstance(target, str) else target
    return converter(source, target)(data, shown, line)


@functools.lru_cache(maxsize=64)
def converter(source: Profile, target: Profile, *, exact: bool = False, once: bool = False) -> Converter:
    """Return what converts events between two providers; what it compiles, it compiles for the kinds that come.

    With `exact`, decimals that stand in texts of JSON are `decimal.Decimal`s, as they were written. With `once`, a
    harmless loss is told of the first event that meets it, and not looked for in those that follow.
    """
    return Converter(source, target, exact=exact, once=once)


@dataclass(slots=True)
class _Quick:
    """Converts single native events of one kind where nothing is wrong with them; else it gives nothing."""

    straight: Callable[[Any], tuple[Any, bool, tuple[Any, ...]]]
    tests: list[tuple[str | int, Any]]
    absent: tuple[str | int, ...]
    each: tuple[str | int, ...] | None
    ruled: bool
    rules: bool
    losses: list[Loss]
    look: Callable[[Any, tuple[Any, ...]], Any]
    gathered: Callable[[list[Any]], Any] | None
    is_read: Callable[[Any], bool]
    once: bool

    def __call__(self, data: Any) -> Converted | None:
        if not self._is_of_the_kind(data) or (self.ruled and not keeps_rules(data)) or not self.is_read(data):
            return None
        entries: Any = (data,)
        if self.each is not None:
            for key in self.each:
                data = data[key]
            if data.__class__ is not list:
                return None
            entries = data
        made: list[Any] = []
        met: tuple[Loss, ...] = ()
        for entry in entries:
            event, good, truths = self.straight(entry)
            if not good or (self.rules and not keeps_rules(event)):
                return None
            made.append(event)
            if self.losses:
                met = self._met(self.look(entry, truths), met)
        if met and self.once:
            self._forget_harmless(met)
        return Converted(self.gathered(made) if self.gathered is not None else made, met)

    def _is_of_the_kind(self, data: Any) -> bool:
        for key, value in self.tests:
            if data[key] != value:
                return False
        return not (self.absent and any(key in data for key in self.absent))

    def _met(self, seen: Any, met: tuple[Loss, ...]) -> tuple[Loss, ...]:
        for loss in self.losses:
            # Compared as objects: to compare all that they say would cost more than the rest.
            if loss.applies(seen) and not any(one is loss for one in met):
                met = (*met, loss)
        return met

    def _forget_harmless(self, met: tuple[Loss, ...]) -> None:
        self.losses[:] = [loss for loss in self.losses if not loss.harmless or not any(one is loss for one in met)]


class Converter:
    """Converts events of one provider to another's shape; fast where nothing is wrong with them."""

    def __init__(self, source: Profile, target: Profile, *, exact: bool = False, once: bool = False) -> None:
        self._source, self._target, self._exact, self._once = source, target, exact, once
        self._last = self._quick_kind = ""
        self._quick: Callable[[Any], Converted | None] | None = None

    def __call__(self, data: Any, shown: str, line: int) -> Converted:
        """Return an event, or a list of them, in the other shape; `shown` and `line` say where it stands."""
        if self._quick is not None:  # the kind that came last, which most often comes again
            try:
                converted = self._quick(data)
            except Exception:  # the careful way says what is wrong, if anything is
                converted = None
            if converted is not None:
                return converted
        return self._any(data, shown, line)

    def _prepared(self, kind: str, sample: Any) -> Callable[[Any], Converted | None] | None:
        """Return what converts a single native event of a kind, where nothing is wrong with it.

        What losses look at in a `sample` entry is handed to them; what else they may ask for they read themselves.
        """
        ours, theirs = self._source.kind(kind).event, self._target.kind(kind).event
        told = told_by(self._source, kind)
        others = {keys[0] for other in self._source.kinds for keys, _ in told_by(self._source, other)}
        if any(len(keys) != 1 for keys, _ in told) or ours.levels or theirs.levels or self._source.kind(kind).others:
            return None
        losses = list(self._losses(kind))
        readers = _readers(self._source, kind, 0)
        looked = _seen(readers, sample)
        for loss in losses:
            loss.applies(looked)
        asked = tuple(looked)
        return _Quick(
            straight=_straight(self._source, self._target, kind, asked, exact=self._exact),
            tests=[(keys[0], value) for keys, value in told],
            absent=() if told else tuple(others),  # what no constant tells is told by those of no other kind
            each=None if ours.each is None else ours.each.on_file,
            ruled=bool(self._source.model.format),
            rules=bool(self._target.model.format),
            losses=losses,
            look=lambda entry, truths: _seen(readers, entry, zip(asked, truths, strict=True)),
            gathered=(lambda made: put_together(kind, made, self._target)) if theirs.each is not None else None,
            is_read=is_read(self._source, kind),
            once=self._once,
        )

    def _losses(self, kind: str) -> tuple[Loss, ...]:
        return losses_between(self._source, self._target, kind)

    def _any(self, data: Any, shown: str, line: int) -> Converted:
        runs: list[tuple[str, list[Any]]] = []
        for one in data if isinstance(data, list) else (data,):
            kind = self._last if self._last and of_kind(one, self._source, self._last) else ""
            self._last = kind = kind or kind_of(one, self._source, shown, line)
            if runs and runs[-1][0] == kind:
                runs[-1][1].append(one)
            else:
                runs.append((kind, [one]))
        written: list[Any] = []
        losses: dict[str, Loss] = {}
        for kind, natives in runs:
            for loss in self._convert(kind, natives, written, shown, line):
                losses[f"{loss.code} {loss.field}"] = loss
        if runs and self._last != self._quick_kind:
            last = runs[-1][1][-1]
            usual = not self._source.kind(self._last).others
            sample = entries_of(last, self._source, self._last) if usual else []
            if sample:
                self._quick_kind, self._quick = self._last, self._prepared(self._last, sample[0])
        unread = dict.fromkeys(
            key
            for kind, natives in runs
            for one in natives
            for key in unread_in(one, self._source, kind, shape_of(one, self._source, kind))
        )
        return Converted(written, tuple(losses.values()), tuple(unread))

    def _convert(self, kind: str, natives: list[Any], written: list[Any], shown: str, line: int) -> Iterator[Loss]:
        written += self._carefully(kind, natives, shown, line)
        seen = [
            _seen(_readers(self._source, kind, number), entry)
            for native in natives
            for number in [shape_of(native, self._source, kind)]
            for entry in entries_of(native, self._source, kind, number)
        ]
        for loss in self._losses(kind):
            if any(loss.applies(one) for one in seen):
                yield loss

    def _carefully(self, kind: str, natives: list[Any], shown: str, line: int) -> list[Any]:
        """Return what the events become by way of the hub, or raise BadInput with what is wrong and where."""
        events = [
            event
            for one in natives
            for event in read_events(one, self._source, shown, line, kind, exact=self._exact)[1]
        ]
        try:
            return write_events(kind, events, self._target)
        except BadInput:
            raise
        except Exception as error:
            raise BadInput(
                f"this {kind} event can't be written for {self._target.title}: {error}",
                "Change what it names, or convert it to another provider",
                Place(shown, line),
            ) from None


class _Seen(dict[str, Any]):
    """The truths of an event, each read when a loss first asks for it."""

    __slots__ = ("native", "readers")
    native: Any
    readers: _Readers

    def __missing__(self, field: str) -> Any:
        value = self[field] = self.readers[field](self.native)
        return value

    def get(self, field: str, default: Any = None) -> Any:
        """Return a truth, which is never missing."""
        return self[field]


def _seen(readers: _Readers, native: Any, known: Iterable[tuple[str, Any]] = ()) -> _Seen:
    seen = _Seen(known)
    seen.readers, seen.native = readers, native
    return seen


class _Readers(dict[str, Callable[[Any], Any]]):
    """What reads one truth of an event on file, compiled when it is first asked for."""

    def __init__(self, shape: EventShape) -> None:
        self._shape = shape.on_file()

    def __missing__(self, field: str) -> Callable[[Any], Any]:
        read = self[field] = run_source(view_event("view", self._shape, field))
        return read


@functools.lru_cache(maxsize=256)
def _readers(source: Profile, kind: str, number: int) -> _Readers:
    return _Readers(shapes_of(source, kind)[number])


@functools.lru_cache(maxsize=256)
def _straight(
    source: Profile, target: Profile, kind: str, asked: tuple[str, ...], *, exact: bool
) -> Callable[[Any], tuple[Any, bool, tuple[Any, ...]]]:
    """Return the compiled function from one event on file to the other's, whether it is good, and truths of it."""
    ours, theirs = source.kind(kind).event.on_file(), target.kind(kind).event.on_file()
    return run_source(translate_checked("convert", ours.exact() if exact else ours, theirs, asked))


@functools.lru_cache(maxsize=256)
def losses_between(source: Profile, target: Profile, kind: str) -> tuple[Loss, ...]:
    """Return what `target`'s shape on file can't hold of what an event of `source` could show."""
    # An event on file holds what any server may offer, so what only some can't hold is held here.
    losses = event_losses(target.kind(kind).event, source.kind(kind).event)
    return tuple(loss for loss in losses if not loss.unless)
