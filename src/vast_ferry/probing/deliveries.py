"""What if events are delivered otherwise than once each, in order: what do handlers leave behind then?

A provider promises how events come: once at most or again, in order or not, by the batch or one by one. What a handler
was written under is the source's promise; what it runs under from now on is the target's. For each sample on which both
sides agree the carried handler is called under every delivery that the target's promise allows: twice, cut off after
some effect and called again, in another order, in batches that are split or put together, with one entry that can't be
read. Compared is what it leaves: the objects and records at the end, and what was sent, each as often as it was sent.
Where that is another than after an undisturbed delivery, the original is asked the same under what the source allows:
only what it never had to bear is told as a difference, with the promise that it comes from.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final

from vast_ferry.checking.originals import Originals
from vast_ferry.checking.proving import CallTo, Proving, gone_through
from vast_ferry.checking.sides import (
    Side,
    both_deployed,
    readable_samples,
    refuse_unknown,
    samples_of,
    source_side,
    target_side,
)
from vast_ferry.hub.findings import Finding, Severity
from vast_ferry.hub.functions import Function
from vast_ferry.hub.kinds import KINDS
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.profiles.profile import Profile
from vast_ferry.samples.store import Sample
from vast_ferry.standins.frames import Call
from vast_ferry.standins.process import Worker
from vast_ferry.surveying.record import read_record

#: So many samples of a function are delivered otherwise; and after so many effects at most a call is cut off.
MOST: Final = 12
_CUTS: Final = 3
_ORDER: Final = {"none": 0, "group": 1, "all": 2}
_UNREADABLE: Final = b"\x00{"


@dataclass(frozen=True, slots=True)
class Delivered:
    """What came of one other delivery of one sample.

    `verdict` is `holds` (it leaves the same), `as before` (it does not, and the source allowed such a delivery, too),
    or `breaks` (it does not, and the source never delivered so). `promise` is what the delivery comes from.
    """

    function: str
    sample: str
    what: str
    verdict: str
    promise: str = ""
    left: str = ""  # what is otherwise


@dataclass(frozen=True, slots=True)
class DeliveriesResult:
    """What came of other deliveries, and functions of which none could be tried, each with why."""

    source: str
    target: str
    delivered: tuple[Delivered, ...] = ()
    untried: tuple[tuple[str, str], ...] = ()

    @property
    def broken(self) -> tuple[Delivered, ...]:
        """Return the deliveries that leave something else, and that the source never made."""
        return tuple(one for one in self.delivered if one.verdict == BREAKS)

    @property
    def findings(self) -> list[Finding]:
        """Return a finding for each function and delivery that breaks it, at the first such sample."""
        found: dict[tuple[str, str], Delivered] = {}
        for one in self.broken:
            found.setdefault((one.function, one.what), one)
        return [
            Finding(
                "delivery-breaks",
                Severity.LOSS,
                f"{one.function} leaves something else where its events come {one.what}: {one.left} "
                f"({one.sample}); {one.promise}",
                "Make the handler safe for that: remember the event's id, or compare times",
                function=one.function,
            )
            for one in found.values()
        ]


HOLDS: Final = "holds"
AS_BEFORE: Final = "as before"
BREAKS: Final = "breaks"


@dataclass(frozen=True, slots=True)
class _WhatIf:
    """Another delivery: what it is, the call, and whether a provider's promise allows it, with the promise in words."""

    what: str
    call: Call
    allowed: Callable[[Profile, str], str]  # the promise in words; empty where such a delivery is not made


def deliveries(
    crossing: Path | str,
    *,
    samples: Sequence[Path | str] = (),
    functions: Sequence[str] = (),
    limit: float = 10.0,
    memory: int = 0,
    progress: Progress = quietly,
) -> DeliveriesResult:
    """Return what a crossing's functions leave when their events are delivered as the target may deliver them.

    Arguments are as for `check`. Raises BadInput for a folder without a crossing.
    """
    folder = Path(crossing)
    record = read_record(folder)
    side, declared = source_side(folder, record, None)
    target = target_side(folder, record, frozenset())
    refuse_unknown(functions, [one.name for one in record.functions])
    by_function = samples_of(side, declared, record, [Path(path) for path in samples])
    found: list[Delivered] = []
    untried: list[tuple[str, str]] = []
    with both_deployed(side, target, record.carry_files) as sides:
        run = Proving(*sides, declared, limit=limit, memory=memory, originals=Originals())
        for function in declared.functions:
            if functions and function.name not in functions:
                continue
            if function.name not in by_function or all(KINDS[kind].alone for kind in function.kinds):
                continue
            kept = readable_samples(function.name, by_function[function.name][:MOST], side.profile)
            progress(f"{function.name}: delivered otherwise")
            made = list(_of_function(run, function, kept, memory))
            found += made
            if not made:
                untried.append((function.name, "on none of its samples do both sides agree, or it leaves nothing"))
    return DeliveriesResult(side.profile.title, target.profile.title, tuple(found), tuple(untried))


def _of_function(run: Proving, function: Function, kept: Sequence[Sample], memory: int) -> Iterator[Delivered]:
    taken = [one for one in kept if not KINDS[one.kind].alone and not run.refused(function, one)]
    if not taken:
        return
    kinds = tuple(dict.fromkeys(sorted(one.kind for one in taken)))
    limit = min(function.timeout or run.limit, run.limit)
    with (
        _Caller(run.source, function, kinds, limit, memory) as source,
        _Caller(run.target, function, kinds, limit, memory) as target,
    ):
        for sample in taken:
            here = run.at_source(sample, sample.events)
            there = run.at_target(function, sample)
            usual = target.call(there), target.call(there, 2)
            original = source.call(here), source.call(here, 2)
            if _left(usual[0]) != _left(usual[1]) or run.compare(original, usual[0], "").differences:
                continue  # what varies by itself says nothing, and what differs is the check's to tell
            for one in _what_ifs(sample, there.call, usual[0]):
                promise = one.allowed(run.target.profile, sample.kind)
                if not promise:
                    continue
                got = target.call(replace(there, call=one.call))
                left = _difference(usual[0], got)
                verdict = HOLDS
                if left:
                    verdict = BREAKS
                    before = one.allowed(run.source.profile, sample.kind)
                    if before:
                        again = source.call(replace(here, call=one.call))
                        verdict = AS_BEFORE if _difference(source.call(here), again) else BREAKS
                        promise = before if verdict == AS_BEFORE else promise
                yield Delivered(function.name, sample.name, one.what, verdict, promise, left)


class _Caller:
    """One side's worker for a function: each call is a first call."""

    def __init__(self, side: Side, function: Function, kinds: tuple[str, ...], limit: float, memory: int) -> None:
        self.function, self.limit = function, limit
        self.worker = Worker(side.setup(function, kinds, memory, max(limit, 1.0)))

    def __enter__(self) -> _Caller:
        return self

    def __exit__(self, *_: object) -> None:
        self.worker.stop()

    def call(self, called: CallTo, seed: int = 1) -> Outcome:
        return gone_through(self.worker, called, self.function.name, self.limit, seed)


# --- other deliveries ---


def _what_ifs(sample: Sample, call: Call, usual: Outcome) -> Iterator[_WhatIf]:
    """Yield the other deliveries of a sample's events."""
    events = call.events
    twice = tuple(each for event in events for each in (event, event))
    yield _WhatIf("twice", replace(call, events=twice, apart=True), _comes_twice)
    for number in range(1, min(len(usual.effects), _CUTS) + 1):
        nth = {1: "first", 2: "second"}.get(number, "third")
        yield _WhatIf(
            f"again after a failure behind its {nth} effect",
            replace(call, events=tuple(events) * 2, apart=True, fails_after=number),
            _comes_again,
        )
    if len(events) > 1:
        yield _WhatIf("in another order", replace(call, events=events[::-1], apart=True), _in_another_order)
        yield _WhatIf("one by one", replace(call, apart=True), _one_by_one)
        poisoned = (*events[:1], _unreadable(sample.kind, events[1]), *events[2:])
        if poisoned[1] != events[1]:
            yield _WhatIf("beside one that can't be read", replace(call, events=poisoned), _by_the_batch)
    else:
        other = {**events[0], "id": f"{events[0]['id']}-2"} if events else {}
        yield _WhatIf("together in one batch", replace(call, events=(*events, other)), _by_the_batch)


def _unreadable(kind: str, event: dict[str, Any]) -> dict[str, Any]:
    for name in ("body", "data", "new"):
        if name in event:
            return {**event, name: _UNREADABLE if isinstance(event[name], bytes) else None}
    return event


def _promise(profile: Profile, kind: str) -> Any:
    return profile.model.delivery.get(kind)  # type: ignore[call-overload]


def _comes_twice(profile: Profile, kind: str) -> str:
    own = _promise(profile, kind)
    return f"at {profile.title} {kind} events come once or more" if own and own.times == "once_or_more" else ""


def _comes_again(profile: Profile, kind: str) -> str:
    own = _promise(profile, kind)
    if own is None or own.times != "once_or_more" or own.attempts == 1:
        return ""
    times = f"{own.attempts} times" if own.attempts else "until they succeed"
    return f"at {profile.title} {kind} events are tried {times}"


def _in_another_order(profile: Profile, kind: str) -> str:
    own = _promise(profile, kind)
    if own is None or _ORDER[own.order] == _ORDER["all"]:
        return ""
    how = "in no order" if own.order == "none" else "in order within a group alone"
    return f"at {profile.title} {kind} events come {how}"


def _one_by_one(profile: Profile, kind: str) -> str:
    each = kind in profile.kinds and profile.kinds[kind].event.each is None
    return f"{profile.title} hands over one {kind} event at a time" if each else ""


def _by_the_batch(profile: Profile, kind: str) -> str:
    each = kind in profile.kinds and profile.kinds[kind].event.each is None
    return "" if each else f"{profile.title} hands over {kind} events by the batch"


# --- what is left ---


def _left(outcome: Outcome) -> tuple[dict[str, str], Counter[str]]:
    """Return what a call leaves: objects and records by where they are, and what was sent, as often as it was."""
    held: dict[str, str] = {}
    sent: Counter[str] = Counter()
    for effect in outcome.effects:
        fields = effect.fields
        if effect.operation.startswith("object."):
            held[f"object {fields['bucket']}/{fields['key']}"] = _text(fields) if "body" in fields else ""
        elif effect.operation == "record.add":
            sent[f"{effect} {fields['column']} {fields['amount']}"] += 1
        elif effect.operation.startswith("record."):
            held[f"record {fields['table']} {_text(fields['keys'])}"] = _text(fields.get("record", ""))
        else:
            sent[f"{effect}\n{_text(fields)}"] += 1
    return held, sent


def _text(value: Any) -> str:
    return json.dumps(value, sort_keys=True, default=lambda one: one.hex() if isinstance(one, bytes) else str(one))


def _difference(usual: Outcome, got: Outcome) -> str:
    """Return the first thing that is otherwise; nothing where the same is left and as much was done."""
    if got.ending in (Ending.TIMED_OUT, Ending.DIED):
        return str(got)
    (held, sent), (other, others) = _left(usual), _left(got)
    for place in dict.fromkeys((*held, *other)):
        if held.get(place) != other.get(place):
            how = "is not there" if place not in other else "is there" if place not in held else "holds something else"
            return f"{place} {how}"
    for what in dict.fromkeys((*sent, *others)):
        if sent[what] != others[what]:
            return f"{what.partition(chr(10))[0]}: {others[what]} instead of {sent[what]}"
    return ""
