"""One sample proven: called on both sides, once more where answers vary, and what its verdict is."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterator, Sequence, Set
from concurrent.futures import Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, replace
from itertools import zip_longest
from typing import Final

from vast_ferry.checking.compare import Compared, Verdict, compare, nothing_to_compare
from vast_ferry.checking.originals import Originals
from vast_ferry.checking.projection import Projection
from vast_ferry.checking.result import Checked
from vast_ferry.checking.services_held import held_effects
from vast_ferry.checking.sides import Side
from vast_ferry.definitions.tables import route_style
from vast_ferry.hub.functions import PYTHON, Function, Project
from vast_ferry.hub.http import TRUTHS, HttpEvent, HttpReply
from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.mapping.compile.losses import event_losses, reply_losses
from vast_ferry.mapping.losses import SPLIT, Fields, Loss
from vast_ferry.mapping.tables import EventShape
from vast_ferry.mapping.views import truths_of
from vast_ferry.samples.store import Sample
from vast_ferry.standins.frames import Call
from vast_ferry.standins.gateway import Found, Gateway, takes
from vast_ferry.standins.process import KEEPER_HERE, Setup, Worker

#: So many samples of a function are called twice at the original, to see what varies by itself. Where anything does,
#: all are; and whatever the two sides differ in is run again before anything is said.
LOOKED_AT: Final = 32


#: What a line of a log has in it that tells of an error.
_ERROR: Final = re.compile(r"\b(\w*error|\w*exception|traceback|unhandled\w*|is not defined)\b", re.IGNORECASE)


#: Runs of the original, each with an outcome for each sample, made when they are asked for.
Runs = Callable[[], list[list[Outcome]]]


class Proving:
    """One run of the check."""

    def __init__(
        self, source: Side, target: Side, declared: Project, *, limit: float, memory: int, originals: Originals | None
    ) -> None:
        self.source, self.target, self.limit, self.memory = source, target, limit, memory
        self.originals = originals
        self.gateway = Gateway(declared, route_style(source.profile).order)
        there = route_style(target.profile).order
        self.target_gateway = Gateway(target.project, there) if target.project else None
        self._routed_alike = self.target_gateway is not None and self.gateway.routes_as(self.target_gateway)
        self._languages = {function.name: function.entry.language for function in declared.functions}
        self._known: dict[tuple[str, str], _KnownLosses] = {}
        self._steady: set[str] = set()  # functions of which nothing varied in a whole batch

    def compare(self, expected: Sequence[Outcome], got: Outcome, method: str) -> Compared:
        """Return how an outcome compares with several runs; the order of effects only where both sides show it."""
        if any(side.profile.model.handler.mount for side in (self.source, self.target)):
            # What lies in a folder afterwards does not say what came first.
            expected, got = [_in_any_order(outcome) for outcome in expected], _in_any_order(got)
        return compare(expected, got, method)

    def losses(self, function: str, kind: str) -> _KnownLosses:
        """Return what the target can't hold of events and answers of a kind, as a function's language has them."""
        language = self._languages.get(function, PYTHON)
        if (language, kind) not in self._known:
            there = self.target.profile.in_language(language)
            source, target, without = (
                self.source.profile.in_language(language).kind(kind),
                there.kind(kind),
                self.target.without,
            )
            events = [
                loss
                for loss in event_losses(target.event.without(without), source.event)
                if not loss.unless or loss.unless in without
            ]
            if source.event.each is not None and target.event.each is None:
                events.append(SPLIT)
            replies = reply_losses(target.answered, source.answered) if is_request(kind) else []
            self._known[language, kind] = _KnownLosses(
                kind, events, replies, Projection(there, kind, without), source.event
            )
        return self._known[language, kind]

    def function(self, function: Function, samples: Sequence[Sample]) -> Iterator[Checked]:
        """Yield the verdicts on the samples of one function."""
        yield from self.verdicts(self.begin(function, samples))

    def begin(self, function: Function, samples: Sequence[Sample]) -> Begun:
        """Begin to run the samples of one function on both sides, in threads."""
        limit = min(function.timeout or self.limit, self.limit)
        refused = {id(sample): self.refused(function, sample) for sample in samples}
        said = tuple(
            Checked(one.function, one.name, Verdict.UNCHECKED, reasons=(why,), file=str(one.path))
            for one in samples
            if (why := refused[id(one)])
        )
        taken = [sample for sample in samples if not refused[id(sample)]]
        # Whatever a handler keeps from call to call must not depend on how its samples are called or given.
        taken.sort(key=_content)
        return Begun(function, limit, said, taken, self._started(function, taken, limit) if taken else None)

    def _started(self, function: Function, taken: list[Sample], limit: float) -> _Started:
        """Start all runs of samples that can be run on both sides."""
        kinds = tuple(dict.fromkeys(sorted(sample.kind for sample in taken)))
        at_source = [self.at_source(sample, sample.events) for sample in taken]
        at_target = [
            called if self._routed_alike and is_request(sample.kind) else self.at_target(function, sample)
            for sample, called in zip(taken, at_source, strict=True)
        ]
        # Made before the threads start: Python's parser must not be used by several at once (cpython gh-106905).
        setup, there = (
            side.setup(function, kinds, self.memory, max(self.limit, 1.0)) for side in (self.source, self.target)
        )

        def run(side: Setup, calls: Sequence[CallTo], seed: int) -> list[Outcome]:
            with Worker(side) as worker:
                return all_gone_through(worker, calls, function.name, limit, seed)

        def original(seed: int, calls: Sequence[CallTo]) -> list[Outcome]:
            if self.originals is None:
                return run(setup, calls, seed)
            key = self.originals.key(setup, calls, limit, seed)
            kept = self.originals.get(key)
            if kept is None:
                kept = run(setup, calls, seed)
                self.originals.keep(key, kept)
            return kept

        pool = ThreadPoolExecutor(3)
        first, carried = pool.submit(original, 1, at_source), pool.submit(run, there, at_target, 1)
        # Once a batch has shown that nothing varies by itself, only what differs is run again.
        looked_at = [] if function.name in self._steady else at_source[:LOOKED_AT]
        second = pool.submit(original, 2, looked_at) if looked_at else _done([])
        return _Started(pool, (setup, there), at_source, (first, second, carried), run, original)

    def verdicts(self, begun: Begun) -> Iterator[Checked]:
        """Yield the verdicts on the samples of which the runs were begun."""
        yield from begun.refused
        if begun.started is not None:
            yield from self._proven(begun.function, begun.taken, begun.limit, begun.started)

    def _proven(self, function: Function, taken: list[Sample], limit: float, started: _Started) -> Iterator[Checked]:
        """Yield the verdicts on samples that were run on both sides."""
        at_source, run, (setup, there) = started.calls, started.run, started.setups
        with started.pool:
            try:
                first, second, carried = (one.result() for one in started.runs)
                if len(taken) > LOOKED_AT and second:
                    if self._vary(first, second):
                        second = started.original(2, at_source)
                    else:
                        self._steady.add(function.name)
                outcomes = list(zip_longest(first, second, carried))
            except BaseException:
                KEEPER_HERE.stop_workers()  # else the threads would be waited for
                raise
        with Worker(setup) as source, Worker(there) as target:
            cold = _Cold(self, function, limit, source, target)
            later: list[list[Outcome]] = []
            held: list[list[Outcome]] = []

            def again() -> list[list[Outcome]]:
                # A clock goes on, and chance may look like a rule twice: before anything is said to differ, the
                # original is run once more, after the carried one, from its first sample on.
                if not later:
                    later.extend(run(setup, at_source, seed) for seed in (3, 4))
                return later

            def as_held() -> list[list[Outcome]]:
                # Handed only what the target holds, from the first sample on.
                if not held:
                    calls = [self._as_held(*one) for one in zip(taken, at_source, strict=True)]
                    held.extend(run(setup, calls, seed) for seed in (1, 2))
                return held

            for number, (sample, called, ended) in enumerate(zip(taken, at_source, outcomes, strict=True)):
                ran = _Ran(sample, called, tuple(run for run in ended[:2] if run is not None), ended[2])
                yield _with_what_was_seen(self._verdict(ran, cold, again, as_held, number), ended[0], ended[2])

    def _vary(self, first: Sequence[Outcome], second: Sequence[Outcome]) -> bool:
        """Tell whether anything differs between two runs of the original, of which the second may be shorter."""
        for one, again in zip(first, second, strict=False):
            compared = self.compare([one, again], one, "")
            if compared.varies or compared.hopeless:
                return True
        return False

    def refused(self, function: Function, sample: Sample) -> str:
        """Return why a sample is not for this function, or nothing."""
        if not sample.events:
            return "the sample holds no event"
        if not is_request(sample.kind):
            return next((why for event in sample.events if (why := takes(function, sample.kind, event))), "")
        if sample.kind not in function.kinds:
            return f"{function.name} has no HTTP trigger"
        return ""

    def at_source(self, sample: Sample, events: tuple[Fields, ...]) -> CallTo:
        if not is_request(sample.kind):
            return CallTo(Call(sample.kind, events, sample.before, sample.answers), sample.function)
        return _routed(self.gateway, events[0], sample)

    def at_target(self, function: Function, sample: Sample) -> CallTo:
        if is_request(sample.kind):
            return _routed(self.target_gateway, sample.events[0], sample)
        call = Call(sample.kind, sample.events, sample.before, sample.answers)
        there = self.target.at(function.name)
        why = next((why for event in sample.events if there and (why := takes(there, sample.kind, event))), "")
        return CallTo(call, function.name, misrouted=why)

    def _as_held(self, sample: Sample, called: CallTo) -> CallTo:
        """Return the call of a sample at the source with only what the target holds of its events."""
        known = self.losses(sample.function, sample.kind)
        lost = set[str]().union(*(known.shows_in(loss) for loss in self._lost_of(sample, called)))
        try:
            held = known.held(sample.events, lost)
        except _CannotTell:  # what the target makes of it nobody knows
            held = sample.events
        called = self.at_source(sample, held)
        return replace(called, call=replace(called.call, apart="batch" in lost))

    def _lost_of(self, sample: Sample, called: CallTo) -> list[Loss]:
        """Return the losses that the target has of a sample's events, with what a gateway found out of them."""
        known = self.losses(sample.function, sample.kind)
        return [loss for loss in known.events if any(loss.applies(fields) for fields in _told(called.call.events))]

    def _verdict(self, ran: _Ran, cold: _Cold, again: Runs, as_held: Runs, number: int) -> Checked:
        sample, one = ran.sample, ran.runs[0]
        known = self.losses(sample.function, sample.kind)
        losses = self._lost_of(sample, ran.called)
        base = Checked(
            sample.function,
            sample.name,
            Verdict.SAME,
            losses=tuple(str(loss) for loss in losses if not loss.harmless),
            expected=str(one),
            got=str(ran.carried),
            output=ran.carried.output,
            file=str(sample.path),
            took=(one.seconds, ran.carried.seconds),
            reached=ran.called.reply is None,
        )
        reason = next((why for why in map(nothing_to_compare, ran.runs) if why), "")
        if ran.called.function not in ("", sample.function):
            reason = f"the request goes to {ran.called.function} at the source; keep the sample in its folder"
        if reason:
            return replace(base, verdict=Verdict.UNCHECKED, reasons=(reason,))
        carried = ran.carried if ran.called.reply is None else _bare(ran.carried)
        compared = self.compare(ran.runs, carried, ran.method)
        if compared.differences and not compared.hopeless and ran.called.reply is None:
            compared = self.compare([*ran.runs, *(run[number] for run in again())], carried, ran.method)
        if compared.varies:
            base = replace(base, varies=tuple(sorted(compared.varies)))
        if compared.hopeless:
            return replace(base, verdict=Verdict.UNCHECKED, reasons=(compared.hopeless,))
        if not compared.differences:
            return base
        try:
            reasons = self._explained(ran, losses, known, cold, _places(compared))
        except _CannotTell as error:
            # Whoever asks for it there fails so: that is what the target has of it.
            untold = str(error) in ran.carried.message
            reasons = [str(loss) for loss in losses if loss.unreadable and untold]
        if not reasons and losses:
            reasons = self._explained_after_others(ran, losses, known, [run[number] for run in as_held()])
        verdict = Verdict.UNHELD if reasons else Verdict.DIFFERS
        return replace(base, verdict=verdict, differences=tuple(compared.differences), reasons=tuple(reasons))

    def _explained(
        self, ran: _Ran, losses: list[Loss], known: _KnownLosses, cold: _Cold, places: Set[str]
    ) -> list[str]:
        """Return the losses that explain a difference, if they explain all of it.

        Each call for it is a first call, on both sides: so it does not matter which samples came before. What differs
        only after others is not explained here.
        """
        of_reply = []
        one = ran.runs[0]
        if one.reply is not None:
            said = {"status": one.reply.status, "headers": one.reply.headers, "body": one.reply.body}
            of_reply = [loss for loss in known.replies if loss.applies(said)]
        lost = set[str]().union(*(known.shows_in(loss) for loss in losses))
        _, of_services = self._held(one, ran)
        if not (losses or of_reply or of_services):
            return []
        carried = cold.carried(ran.sample)
        if ran.called.reply is not None:
            carried = _bare(carried)
        first = [cold.original(ran.sample, ran.sample.events, seed, frozenset()) for seed in (1, 2)]
        if places - _places(self.compare(first, carried, ran.method)):
            return []
        moves = bool(self.compare([ran.carried], carried, ran.method).differences)
        ran = replace(ran, carried=carried, runs=tuple(first), moves=moves)
        if not self._holds(ran, lost, known, cold):
            # A provider that hands over another path may have found the function by the one that came.
            ran = replace(ran, rerouted=False)
            if "path.raw" not in lost or not self._holds(ran, lost, known, cold):
                return []
        if of_services and self._holds(ran, lost, known, cold, services=False):
            of_services = ()
        # Only what is needed to explain the difference is a reason: the rest is given back, one by one.
        for name in sorted(lost):
            if self._holds(ran, lost - {name}, known, cold):
                lost = lost - {name}
        return [str(loss) for loss in (*(loss for loss in losses if known.shows_in(loss) & lost), *of_reply)] + [
            *of_services
        ]

    def _explained_after_others(
        self, ran: _Ran, losses: list[Loss], known: _KnownLosses, as_held: list[Outcome]
    ) -> list[str]:
        """Return the losses of an event, if the original answers as the carried one did once it loses them as well.

        A handler may keep something from call to call, so the samples before are handed to it in the same way.
        """
        if any(nothing_to_compare(outcome) for outcome in as_held):
            return []
        events = self._as_held(ran.sample, ran.called).call.events
        named = (_again_as_named(outcome, ran.sample.events, events) for outcome in as_held)
        outcomes = [self._held(self._replied(outcome, ran, known), ran)[0] for outcome in named]
        return [str(loss) for loss in losses] if self._agree(outcomes, ran.carried, ran.method) else []

    def _replied(self, outcome: Outcome, ran: _Ran, known: _KnownLosses) -> Outcome:
        """Return an outcome with what the target holds of its answer."""
        if outcome.reply is None:
            return outcome
        like = ran.carried.reply if outcome.message != FROM_GATEWAY else None
        return replace(outcome, reply=known.projection.reply(outcome.reply, ran.method, like))

    def _held(self, outcome: Outcome, ran: _Ran) -> tuple[Outcome, tuple[str, ...]]:
        return held_effects(outcome, self.source.profile, self.target.profile, ran.sample.before)

    def _holds(self, ran: _Ran, lost: Set[str], known: _KnownLosses, cold: _Cold, *, services: bool = True) -> bool:
        """Tell whether the original, once of `lost` it gets only what the target holds, answers as the carried one."""

        def outcome_of(seed: int) -> Outcome:
            outcome = ran.runs[seed - 1]
            if lost:
                events = known.held(ran.sample.events, lost)
                outcome = cold.original(ran.sample, events, seed, lost, rerouted=ran.rerouted)
                outcome = _again_as_named(outcome, ran.sample.events, events)
            outcome = self._replied(outcome, ran, known)
            return self._held(outcome, ran)[0] if services else outcome

        outcomes = [
            outcome_of(seed) for seed in (1, 2)
        ]  # twice: what the target makes afresh differs from call to call
        if any(nothing_to_compare(outcome) for outcome in outcomes):
            return False
        if self._agree(outcomes, ran.carried, ran.method):
            return True
        if not (ran.moves and lost):
            return False
        # Both make something afresh, of a clock that has gone on since: once more, the carried one in between.
        carried = cold.carried(ran.sample)
        return self._agree([*outcomes, outcome_of(2)], carried, ran.method)

    def _agree(self, outcomes: Sequence[Outcome], carried: Outcome, method: str) -> bool:
        if outcomes[0].message == FROM_GATEWAY:
            carried = _bare(carried)
        compared = self.compare(outcomes, carried, method)
        return not compared.differences and not compared.hopeless


def _done(outcomes: list[Outcome]) -> Future[list[Outcome]]:
    made = Future[list[Outcome]]()
    made.set_result(outcomes)
    return made


def _again_as_named(outcome: Outcome, events: Sequence[Fields], held: Sequence[Fields]) -> Outcome:
    """Return an outcome of which what comes again is named as in `events`; the same have other ids in `held`."""
    ids = {str(there["id"]): str(event["id"]) for event, there in zip(events, held, strict=True)}
    return replace(outcome, again=tuple(ids.get(one, one) for one in outcome.again))


def _in_any_order(outcome: Outcome) -> Outcome:
    return replace(outcome, effects=tuple(sorted(outcome.effects, key=lambda e: (str(e), repr(e.fields)))))


def _content(sample: Sample) -> str:
    return hashlib.sha256(repr((sample.kind, sample.events, sample.before, sample.answers)).encode()).hexdigest()


def _with_what_was_seen(checked: Checked, original: Outcome, carried: Outcome) -> Checked:
    """Return a verdict with whether the original fails, and what either did that could not be seen."""
    fails = original.ending in (Ending.FAILED, Ending.EXITED)
    before, after = _errors_logged(original), _errors_logged(carried)
    # Where the original fails, its provider writes that to the log, as a program does that serves what is carried.
    more = not fails and len(after) > len(before)
    logs = next((line for said, line in after.items() if said not in before), "") if more else ""
    unseen = tuple({**dict(carried.unseen), **dict(original.unseen)}.items())
    return replace(checked, fails=fails, logs=logs, unseen=unseen) if fails or logs or unseen else checked


def _places(compared: Compared) -> set[str]:
    """Return where outcomes differ; of bytes, not which: where some are made afresh that is another each time."""
    return {re.sub(r" byte \d+$", "", one.at) for one in compared.differences}


def _errors_logged(outcome: Outcome) -> dict[str, str]:
    """Return the lines that a call logs of errors, by what of them does not vary."""
    lines = [*outcome.logs, *outcome.output.splitlines()]
    return {re.sub(r"[\d\W]+", " ", line).lower(): line[:200] for line in lines if _ERROR.search(line)}


@dataclass(frozen=True, slots=True)
class _Started:
    """The runs of a function's samples, in threads: two of the original (the second may be shorter), one carried."""

    pool: ThreadPoolExecutor
    setups: tuple[Setup, Setup]
    calls: list[CallTo]
    runs: tuple[Future[list[Outcome]], Future[list[Outcome]], Future[list[Outcome]]]
    run: Callable[[Setup, Sequence[CallTo], int], list[Outcome]]
    original: Callable[[int, Sequence[CallTo]], list[Outcome]]


@dataclass(frozen=True, slots=True)
class Begun:
    """Samples of a function of which the runs were begun; `refused` are the verdicts on those that are not for it."""

    function: Function
    limit: float
    refused: tuple[Checked, ...]
    taken: list[Sample]
    started: _Started | None

    def wait(self) -> None:
        """Wait for all that was begun, however it ends."""
        if self.started is not None:
            wait(self.started.runs)

    def give_up(self) -> None:
        """End what runs, where nobody asks for its verdicts any more."""
        if self.started is not None:
            KEEPER_HERE.stop_workers()
            self.started.pool.shutdown()


@dataclass(frozen=True, slots=True)
class _Cold:
    """Both sides of one function, called as if for the first time, each time."""

    check: Proving
    function: Function
    limit: float
    source: Worker
    target: Worker

    def original(
        self, sample: Sample, events: tuple[Fields, ...], seed: int, lost: Set[str], *, rerouted: bool = True
    ) -> Outcome:
        """Return how the original ends with events and a seed; with one event at a time where batches are `lost`.

        Unless it is `rerouted`, a request goes where the sample's own went, whatever path it has now.
        """
        called = self.check.at_source(sample, events if rerouted else sample.events)
        if not rerouted:
            (routed,), (changed,), (own,) = called.call.events, events, sample.events
            others = {name: value for name, value in changed.items() if value != own.get(name)}
            called = replace(called, call=replace(called.call, events=({**routed, **others},)))
        # What a gateway finds out is not told either where the target has no place for it.
        found = {name: events[0][name] for name in ("route", "captures") if name in lost and name in events[0]}
        told = tuple({**event, **found} for event in called.call.events) if found else called.call.events
        called = replace(called, call=replace(called.call, events=told, apart="batch" in lost))
        return gone_through(self.source, called, self.function.name, self.limit, seed, cold=True)

    def carried(self, sample: Sample) -> Outcome:
        """Return how the carried function ends."""
        called = self.check.at_target(self.function, sample)
        return gone_through(self.target, called, self.function.name, self.limit, 1, cold=True)


class _CannotTell(Exception):
    """An event that the target has no way to tell."""


@dataclass(frozen=True, slots=True)
class _KnownLosses:
    """What the target can't hold of one kind, and what remains of it there."""

    kind: str
    events: list[Loss]
    replies: list[Loss]
    projection: Projection
    shape: EventShape

    def shows_in(self, loss: Loss) -> set[str]:
        """Return the truths of an event in which a loss shows; `batch` is how events are put together."""
        return {loss.field} if loss is SPLIT else truths_of(loss.field, self.shape.fields, self.shape.rules)

    def held(self, events: Sequence[Fields], lost: Set[str]) -> tuple[Fields, ...]:
        """Return events of which the truths that are `lost` are as the target holds them.

        Raises _CannotTell where the target has no way to tell one of them.
        """
        try:
            kept = [self.projection.event(event) for event in events] if lost else events
        except Exception as error:
            raise _CannotTell(str(error)) from None
        return tuple(
            {**event, **{name: there[name] for name in lost if name in there}}
            for event, there in zip(events, kept, strict=True)
        )


@dataclass(frozen=True, slots=True)
class CallTo:
    """A call as it goes to a side: to `function`, or answered by the gateway before any, or misrouted."""

    call: Call
    function: str
    reply: HttpReply | None = None
    misrouted: str = ""


def _routed(gateway: Gateway | None, fields: Fields, sample: Sample) -> CallTo:
    """Return the call that a request comes to; without a gateway, at a project that routes by itself."""
    if not fields.keys() >= TRUTHS:
        fields = HttpEvent.from_fields(fields).as_fields()
    found = gateway.find(fields["method"], fields["path.raw"]) if gateway is not None else Found("", "", {})
    event = {**fields, "route": found.route, "captures": found.captures}
    return CallTo(Call(sample.kind, (event,), sample.before, sample.answers), found.function, found.reply)


def _told(events: Sequence[Fields]) -> Iterator[Fields]:
    """Yield events as losses see them, with the size of their batch."""
    for event in events:
        yield {**event, "batch": len(events)}


FROM_GATEWAY = "answered before any function was called"


@dataclass(frozen=True, slots=True)
class _Ran:
    """One sample, where it went at the source, and how the runs of the original and the carried one ended."""

    sample: Sample
    called: CallTo
    runs: tuple[Outcome, ...]
    carried: Outcome
    moves: bool = False  # the carried one ends otherwise from call to call
    rerouted: bool = True  # what the original is handed instead is routed by the path that it then has

    @property
    def method(self) -> str:
        return str(self.sample.events[0].get("method", "GET")) if is_request(self.sample.kind) else ""


def gone_through(
    worker: Worker, called: CallTo, function: str, limit: float, seed: int, *, cold: bool = False
) -> Outcome:
    """Return how a call ended: at the gateway, at another function, or in the worker."""
    before = _before_the_worker(called, function)
    return before if before is not None else worker.call(called.call, limit, seed, cold=cold)


def all_gone_through(
    worker: Worker, several: Sequence[CallTo], function: str, limit: float, seed: int
) -> list[Outcome]:
    """Return how calls ended, one after the other."""
    before = [_before_the_worker(one, function) for one in several]
    made = worker.calls([one.call for one, ended in zip(several, before, strict=True) if ended is None], limit, seed)
    return [next(made) if ended is None else ended for ended in before]


def _before_the_worker(called: CallTo, function: str) -> Outcome | None:
    """Return how a call ends that does not come to the worker; nothing for one that does."""
    if called.reply is not None:
        return Outcome(Ending.REPLIED, called.reply, message=FROM_GATEWAY)
    if called.misrouted:
        return Outcome(Ending.FAILED, None, "Misrouted", called.misrouted)
    if called.function not in ("", function):  # empty: the project routes by itself
        return Outcome(Ending.FAILED, None, "Misrouted", f"the request goes to {called.function}")
    return None


def _bare(outcome: Outcome) -> Outcome:
    """Return an outcome with, of a gateway's own 404 or 405, only what every gateway says: the status and Allow."""
    reply = outcome.reply
    if reply is None or reply.status not in (404, 405):
        return outcome
    allow = [("allow", value) for value in reply.values("allow")]
    return replace(outcome, reply=replace(reply, headers=allow, body=b""))
