"""`check`: proves a crossing by running the original and the carried functions side by side on sample events."""

from __future__ import annotations

import hashlib
import os
import shutil
from collections.abc import Callable, Iterator, Sequence, Set
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path

from vast_ferry.checking.compare import Compared, Verdict, compare, nothing_to_compare
from vast_ferry.checking.exact_json import Difference
from vast_ferry.checking.originals import Originals
from vast_ferry.checking.projection import Projection
from vast_ferry.checking.services_held import held_effects
from vast_ferry.definitions.project import read_project
from vast_ferry.definitions.tables import route_style
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity, nearest
from vast_ferry.hub.functions import Entry, Function, Project
from vast_ferry.hub.http import HttpEvent, HttpReply
from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.mapping.compile.losses import event_losses, reply_losses
from vast_ferry.mapping.losses import SPLIT, Fields, Loss
from vast_ferry.mapping.tables import EventShape
from vast_ferry.mapping.views import truths_of
from vast_ferry.profiles.profile import Profile
from vast_ferry.samples.store import FOLDER, Sample, read_sample, sample_files, sample_name
from vast_ferry.standins.gateway import Gateway, Routed, takes
from vast_ferry.standins.process import KEEPER_HERE, Call, Setup, Worker, not_held
from vast_ferry.standins.scratch import scratch_folder
from vast_ferry.standins.stand_in import stand_in_setup
from vast_ferry.surveying.crossing_file import holds_crossing
from vast_ferry.surveying.files import own_files
from vast_ferry.surveying.record import Record, edited, read_record

#: A handler that hangs holds up the check for so long at most, whatever its own limit.
LONGEST_CALL = 10.0
#: Samples are read, run and compared so many at a time.
BATCH = 500


@dataclass(frozen=True, slots=True)
class Checked:
    """The verdict on one sample: where answers differ, why it is unheld or unchecked, and what varies by itself.

    `losses` are what the target's shape can't hold of this sample; with the verdict `same` they did not show.
    """

    function: str
    sample: str
    verdict: Verdict
    differences: tuple[Difference, ...] = ()
    reasons: tuple[str, ...] = ()
    varies: tuple[str, ...] = ()
    losses: tuple[str, ...] = ()
    expected: str = ""
    got: str = ""
    output: str = ""
    file: str = ""
    unseen: tuple[tuple[str, str], ...] = ()
    fails: bool = False  # the original fails on it
    read: bool = True  # its file could be read


@dataclass(frozen=True, slots=True)
class CheckResult:
    """What a check found: a verdict a sample, and functions that no sample reached.

    `not_held` is what this system could not keep the handlers from while they ran, in plain words.
    """

    source: str  # titles of the two providers
    target: str
    checked: tuple[Checked, ...] = ()
    without_samples: tuple[str, ...] = ()
    edited: tuple[str, ...] = field(default=())
    not_held: tuple[str, ...] = ()

    def count(self, verdict: Verdict) -> int:
        """Return how many samples got that verdict."""
        return sum(checked.verdict is verdict for checked in self.checked)

    @property
    def compared(self) -> int:
        """Return how many samples were compared."""
        return len(self.checked) - self.count(Verdict.UNCHECKED)

    @property
    def unproven(self) -> tuple[str, ...]:
        """Return the functions of which no sample was compared."""
        functions = dict.fromkeys(checked.function for checked in self.checked)
        compared = {c.function for c in self.checked if c.verdict is not Verdict.UNCHECKED}
        failing = set(self.failing)
        return (*(name for name in functions if name not in compared or name in failing), *self.without_samples)

    @property
    def failing(self) -> tuple[str, ...]:
        """Return the functions whose original fails on every sample: of them, nothing that they are for was seen."""
        functions = dict.fromkeys(checked.function for checked in self.checked)
        works = {c.function for c in self.checked if not c.fails and c.verdict is not Verdict.UNCHECKED}
        fails = {c.function for c in self.checked if c.fails}
        return tuple(name for name in functions if name in fails and name not in works)

    @property
    def unreadable(self) -> bool:
        """Tell whether a sample could not be read."""
        return any(not checked.read for checked in self.checked)

    @property
    def findings(self) -> list[Finding]:
        """Return what a person must know beyond the verdicts: what was started that can do things which nobody sees."""
        found = dict.fromkeys((c.function, what, place) for c in self.checked for what, place in c.unseen)
        return [
            Finding(
                "effects-unseen",
                Severity.TODO,
                f"{function} {what}; what that does to the outside is not seen here, and not compared",
                "Check by hand that it does the same at the target",
                _place(place),
                function,
            )
            for function, what, place in found
        ]

    @property
    def good(self) -> bool:
        """Tell whether every compared answer was the same, and every function was compared on something."""
        same = self.compared == self.count(Verdict.SAME)
        return bool(self.compared) and not self.unproven and not self.unreadable and same


def _place(text: str) -> Place:
    file, _, line = text.rpartition(":")
    return Place(file, int(line)) if file and line.isdecimal() else Place(text)


@dataclass(frozen=True, slots=True)
class _Side:
    """One side: how to reach a function's handler there."""

    profile: Profile
    folder: Path
    project: Project | None  # None where the project routes itself
    without: frozenset[str] = frozenset()  # offers that its server does not make
    brought: tuple[str, ...] = ()  # files that are not the author's

    def setup(self, function: Function, kinds: tuple[str, ...], memory: int, import_limit: float) -> Setup:
        """Return what a worker for a function runs; `memory` in MiB, 0 for what the function declares."""
        handler = self.profile.model.handler
        entry = function.entry
        variables, secrets = function.variables, tuple(function.secrets)
        bindings = function.bindings if self.project is not None and self.profile.binds(function) else ()
        here = self.project.function(function.name) if self.project is not None else None
        if handler.entry:
            module, _, name = handler.entry.partition(":")
            entry, variables = Entry(f"{module.replace('.', '/')}.py" if name else module, name), {}
        elif here is not None:
            entry, variables, secrets = here.entry, here.variables, tuple(here.secrets)
            bindings = here.bindings if self.profile.binds(here) else ()
        declared = (here.memory if here else 0) or function.memory or self.profile.model.limits.default_memory
        # What was withheld must be set by hand, on either side: here it is a stand-in's, as a secret is.
        secrets = tuple(dict.fromkeys((*secrets, *function.withheld)))
        return stand_in_setup(
            self.profile,
            self.folder,
            entry,
            kinds,
            function=function.name,
            variables=variables,
            secrets=secrets,
            without=self.without,
            bindings=bindings,
            memory=memory or declared,
            import_limit=import_limit,
            brought=self.brought,
        )

    def at(self, name: str) -> Function | None:
        """Return a function as this side declares it."""
        return self.project.function(name) if self.project else None


class _Check:
    """One run of the check."""

    def __init__(
        self, source: _Side, target: _Side, declared: Project, *, limit: float, memory: int, originals: Originals
    ) -> None:
        self.source, self.target, self.limit, self.memory = source, target, limit, memory
        self.originals = originals
        self.gateway = Gateway(declared, route_style(source.profile).order)
        there = route_style(target.profile).order
        self.target_gateway = Gateway(target.project, there) if target.project else None
        self._known: dict[str, _KnownLosses] = {}

    def compare(self, expected: Sequence[Outcome], got: Outcome, method: str) -> Compared:
        """Return how an outcome compares with several runs; the order of effects only where both sides show it."""
        if any(side.profile.model.handler.mount for side in (self.source, self.target)):
            # What lies in a folder afterwards does not say what came first.
            expected, got = [_in_any_order(outcome) for outcome in expected], _in_any_order(got)
        return compare(expected, got, method)

    def losses(self, kind: str) -> _KnownLosses:
        """Return what the target can't hold of events and answers of a kind."""
        if kind not in self._known:
            source, target, without = (
                self.source.profile.kind(kind),
                self.target.profile.kind(kind),
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
            self._known[kind] = _KnownLosses(
                kind, events, replies, Projection(self.target.profile, kind, without), source.event
            )
        return self._known[kind]

    def function(self, function: Function, samples: Sequence[Sample]) -> Iterator[Checked]:
        """Yield the verdicts on the samples of one function."""
        limit = min(function.timeout or self.limit, self.limit)
        refused = {id(sample): self._refused(function, sample) for sample in samples}
        for one in samples:
            if why := refused[id(one)]:
                yield Checked(one.function, one.name, Verdict.UNCHECKED, reasons=(why,), file=str(one.path))
        taken = [sample for sample in samples if not refused[id(sample)]]
        if taken:
            yield from self._proven(function, taken, limit)

    def _proven(self, function: Function, taken: list[Sample], limit: float) -> Iterator[Checked]:
        """Yield the verdicts on samples that can be run on both sides."""
        # Whatever a handler keeps from call to call must not depend on how its samples are called or given.
        taken.sort(key=_content)
        kinds = tuple(dict.fromkeys(sorted(sample.kind for sample in taken)))
        at_source = [self._at_source(sample, sample.events) for sample in taken]
        at_target = [self._at_target(function, sample) for sample in taken]
        # Made before the threads start: Python's parser must not be used by several at once (cpython gh-106905).
        both = [side.setup(function, kinds, self.memory, max(self.limit, 1.0)) for side in (self.source, self.target)]
        setup, there = both

        def run(side: Setup, calls: Sequence[_Called], seed: int) -> list[Outcome]:
            with Worker(side) as worker:
                return [_call(worker, one, function.name, limit, seed) for one in calls]

        def original(seed: int) -> list[Outcome]:
            key = self.originals.key(setup, at_source, limit, seed)
            kept = self.originals.get(key)
            if kept is None:
                kept = run(setup, at_source, seed)
                self.originals.keep(key, kept)
            return kept

        with ThreadPoolExecutor(3) as pool:
            try:
                runs = [pool.submit(original, 1), pool.submit(original, 2), pool.submit(run, there, at_target, 1)]
                outcomes = list(zip(*(one.result() for one in runs), strict=True))
            except BaseException:
                KEEPER_HERE.stop_workers()  # else the threads would be waited for
                raise
        with Worker(setup) as source, Worker(there) as target:
            cold = _Cold(self, function, limit, source, target)
            later: list[list[Outcome]] = []

            def again() -> list[list[Outcome]]:
                # A clock goes on, and chance may look like a rule twice: before anything is said to differ, the
                # original is run once more, after the carried one, from its first sample on.
                if not later:
                    later.extend(run(setup, at_source, seed) for seed in (3, 4))
                return later

            for number, (sample, called, ended) in enumerate(zip(taken, at_source, outcomes, strict=True)):
                ran = _Ran(sample, called, ended[:2], ended[2])
                yield _with_what_was_seen(self._verdict(ran, cold, again, number), ended[0], ended[2])

    def _refused(self, function: Function, sample: Sample) -> str:
        """Return why a sample is not for this function, or nothing."""
        if not sample.events:
            return "the sample holds no event"
        if not is_request(sample.kind):
            return next((why for event in sample.events if (why := takes(function, sample.kind, event))), "")
        if sample.kind not in function.kinds:
            return f"{function.name} has no HTTP trigger"
        return ""

    def _at_source(self, sample: Sample, events: tuple[Fields, ...]) -> _Called:
        call = Call(sample.kind, events, sample.before, sample.answers)
        if not is_request(sample.kind):
            return _Called(call, sample.function)
        return _called(self.gateway.route(HttpEvent.from_fields(events[0])), call)

    def _at_target(self, function: Function, sample: Sample) -> _Called:
        call = Call(sample.kind, sample.events, sample.before, sample.answers)
        if is_request(sample.kind):
            if self.target_gateway is None:  # the carried project routes by itself
                return _called(Routed("", replace(sample.event, route="", captures={})), call)
            return _called(self.target_gateway.route(sample.event), call)
        there = self.target.at(function.name)
        why = next((why for event in sample.events if there and (why := takes(there, sample.kind, event))), "")
        return _Called(call, function.name, misrouted=why)

    def _verdict(self, ran: _Ran, cold: _Cold, again: Callable[[], list[list[Outcome]]], number: int) -> Checked:
        sample, one = ran.sample, ran.runs[0]
        known = self.losses(sample.kind)
        losses = [loss for loss in known.events if any(loss.applies(fields) for fields in _told(sample.events))]
        base = Checked(
            sample.function,
            sample.name,
            Verdict.SAME,
            losses=tuple(str(loss) for loss in losses if not loss.harmless),
            expected=str(one),
            got=str(ran.carried),
            output=ran.carried.output,
            file=str(sample.path),
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
        base = replace(base, varies=tuple(sorted(compared.varies)))
        if compared.hopeless:
            return replace(base, verdict=Verdict.UNCHECKED, reasons=(compared.hopeless,))
        if not compared.differences:
            return base
        reasons = self._explained(ran, losses, known, cold, {one.at for one in compared.differences})
        verdict = Verdict.UNHELD if reasons else Verdict.DIFFERS
        return replace(base, verdict=verdict, differences=tuple(compared.differences), reasons=tuple(reasons))

    def _explained(
        self, ran: _Ran, losses: list[Loss], known: _KnownLosses, cold: _Cold, places: Set[str]
    ) -> list[str]:
        """Return the losses that explain a difference, if they explain all of it.

        Each call for it is a first call, on both sides: so it does not matter which samples came before. What differs
        only after others is not explained.
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
        first = [cold.original(ran.sample, ran.sample.events, seed) for seed in (1, 2)]
        if places - {difference.at for difference in self.compare(first, carried, ran.method).differences}:
            return []
        ran = replace(ran, carried=carried, runs=tuple(first))
        if not self._holds(ran, lost, known, cold):
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

    def _held(self, outcome: Outcome, ran: _Ran) -> tuple[Outcome, tuple[str, ...]]:
        return held_effects(outcome, self.source.profile, self.target.profile, ran.sample.before)

    def _holds(self, ran: _Ran, lost: Set[str], known: _KnownLosses, cold: _Cold, *, services: bool = True) -> bool:
        """Tell whether the original, once of `lost` it gets only what the target holds, answers as the carried one."""
        outcomes = []
        for seed in (1, 2):  # twice, because what the target makes afresh differs from call to call
            outcome = ran.runs[seed - 1]
            if lost:
                kept = [known.projection.event(event) for event in ran.sample.events]
                events = tuple(
                    {**event, **{name: held[name] for name in lost if name in held}}
                    for event, held in zip(ran.sample.events, kept, strict=True)
                )
                outcome = cold.original(ran.sample, events, seed, apart="batch" in lost)
            if outcome.reply is not None:
                outcome = replace(outcome, reply=known.projection.reply(outcome.reply, ran.method))
            if services:
                outcome, _ = self._held(outcome, ran)
            outcomes.append(outcome)
        if any(nothing_to_compare(outcome) for outcome in outcomes):
            return False
        carried = ran.carried
        if outcomes[0].message == FROM_GATEWAY:
            carried = _bare(carried)
        compared = self.compare(outcomes, carried, ran.method)
        return not compared.differences and not compared.hopeless


def _in_any_order(outcome: Outcome) -> Outcome:
    return replace(outcome, effects=tuple(sorted(outcome.effects, key=lambda e: (str(e), repr(e.fields)))))


def _content(sample: Sample) -> str:
    return hashlib.sha256(repr((sample.kind, sample.events, sample.before, sample.answers)).encode()).hexdigest()


def _with_what_was_seen(checked: Checked, original: Outcome, carried: Outcome) -> Checked:
    """Return a verdict with whether the original fails, and what either did that could not be seen."""
    fails = original.ending in (Ending.FAILED, Ending.EXITED)
    return replace(checked, fails=fails, unseen=tuple({**dict(carried.unseen), **dict(original.unseen)}.items()))


@dataclass(frozen=True, slots=True)
class _Cold:
    """Both sides of one function, called as if for the first time, each time."""

    check: _Check
    function: Function
    limit: float
    source: Worker
    target: Worker

    def original(self, sample: Sample, events: tuple[Fields, ...], seed: int, *, apart: bool = False) -> Outcome:
        """Return how the original ends with events and a seed; `apart`: with one event at a time."""
        parts = [(event,) for event in events] if apart else [events]
        called = [self.check._at_source(sample, part) for part in parts]
        ended = [_call(self.source, one, self.function.name, self.limit, seed, cold=True) for one in called]
        return _together(ended, [event["id"] for event in events])

    def carried(self, sample: Sample) -> Outcome:
        """Return how the carried function ends."""
        called = self.check._at_target(self.function, sample)
        return _call(self.target, called, self.function.name, self.limit, 1, cold=True)


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


@dataclass(frozen=True, slots=True)
class _Called:
    """A call as it goes to a side: to `function`, or answered by the gateway before any, or misrouted."""

    call: Call
    function: str
    reply: HttpReply | None = None
    misrouted: str = ""


def _called(routed: Routed, call: Call) -> _Called:
    return _Called(replace(call, events=(routed.event.as_fields(),)), routed.function, routed.reply)


def _told(events: Sequence[Fields]) -> Iterator[Fields]:
    """Yield events as losses see them, with the size of their batch."""
    for event in events:
        yield {**event, "batch": len(events)}


def _together(outcomes: list[Outcome], ids: list[str]) -> Outcome:
    """Return what several calls came to, each with some of these events."""
    if len(outcomes) == 1:
        return outcomes[0]
    worst = next((one for one in outcomes if nothing_to_compare(one)), None)
    if worst:
        return worst
    again = tuple(identity for one in outcomes for identity in one.again)
    effects = tuple(effect for one in outcomes for effect in one.effects)
    failed = next((one for one in outcomes if one.again), outcomes[0])
    ending = Ending.ACKNOWLEDGED
    if again:
        ending = Ending.FAILED if len(again) == len(ids) else Ending.PARTLY_FAILED
    return replace(failed, ending=ending, again=again, effects=effects)


FROM_GATEWAY = "answered before any function was called"


@dataclass(frozen=True, slots=True)
class _Ran:
    """One sample, where it went at the source, and how the runs of the original and the carried one ended."""

    sample: Sample
    called: _Called
    runs: tuple[Outcome, ...]
    carried: Outcome

    @property
    def method(self) -> str:
        return self.sample.event.method if is_request(self.sample.kind) else ""


def _call(worker: Worker, called: _Called, function: str, limit: float, seed: int, *, cold: bool = False) -> Outcome:
    if called.reply is not None:
        return Outcome(Ending.REPLIED, called.reply, message=FROM_GATEWAY)
    if called.misrouted:
        return Outcome(Ending.FAILED, None, "Misrouted", called.misrouted)
    if called.function not in ("", function):  # empty: the project routes by itself
        return Outcome(Ending.FAILED, None, "Misrouted", f"the request goes to {called.function}")
    return worker.call(called.call, limit, seed, cold=cold)


def _bare(outcome: Outcome) -> Outcome:
    """Return an outcome with, of a gateway's own 404 or 405, only what every gateway says: the status and Allow."""
    reply = outcome.reply
    if reply is None or reply.status not in (404, 405):
        return outcome
    allow = [("allow", value) for value in reply.values("allow")]
    return replace(outcome, reply=replace(reply, headers=allow, body=b""))


def check(
    crossing: Path | str,
    *,
    samples: Sequence[Path | str] = (),
    without: Sequence[str] = (),
    limit: float = LONGEST_CALL,
    memory: int = 0,
    source: Path | str | None = None,
    progress: Callable[[int], None] | None = None,
    originals: Originals | None = None,
) -> CheckResult:
    """Return the verdict on every sample of a crossing.

    `samples` are folders with a folder a function, or single files (default: the original project's own); `without`
    names offers that the target's server does not make; `limit` is the longest call in seconds, `memory` what a handler
    may take in MiB (default: what its function declares, and a margin for the interpreter); `source` is where the
    original project lies now, if it was moved. `progress` is called with the number of samples that are done. Outcomes
    of the original are kept in `originals`, for further checks of the same project at other targets.

    A sample that can't be read is `unchecked`. Raises BadInput for a folder without a crossing, or an original that is
    gone.
    """
    folder = Path(crossing)
    record = read_record(folder)
    side, declared = _source_side(folder, record, Path(source) if source else None)
    there = record.target.find_profile(folder)
    offers = {row.offer for kind in there.kinds.values() for row in kind.event.rows if row.offer}
    unknown = [name for name in without if name not in offers]
    if unknown:
        raise BadInput(
            f"{record.target.provider} has no offer {unknown[0]!r}{nearest(unknown[0], offers)}",
            f"Offers: {', '.join(sorted(offers)) or 'none'}",
        )
    target = _target_side(folder, record, frozenset(without))
    by_function = _samples(side, declared, record, [Path(path) for path in samples])
    checked: list[Checked] = []
    with scratch_folder() as scratch:
        # Both sides run on copies: a handler may write beside itself, and hidden files would not be deployed either.
        sides = (
            _deployed(side, scratch / "source", record.carry_files),
            _deployed(target, scratch / "target", record.carry_files),
        )
        run = _Check(*sides, declared, limit=limit, memory=memory, originals=originals or Originals())
        for one in _run(run, by_function, declared, side.profile):
            checked.append(one)
            if progress is not None:
                progress(len(checked))
    lacking = tuple(f.name for f in record.functions if not by_function.get(f.name))
    order = {str(path): at for at, path in enumerate(path for files in by_function.values() for path, _ in files)}
    checked.sort(key=lambda one: order.get(one.file, -1))
    titles = side.profile.title, target.profile.title
    return CheckResult(*titles, tuple(checked), lacking, tuple(edited(folder, record)), not_held())


def _run(
    run: _Check, by_function: dict[str, list[tuple[Path, Path]]], declared: Project, profile: Profile
) -> Iterator[Checked]:
    for function in declared.functions:
        files = by_function.get(function.name, [])
        for start in range(0, len(files), BATCH):
            batch: list[Sample] = []
            for path, top in files[start : start + BATCH]:
                try:
                    batch.append(read_sample(function.name, path, profile, top))
                except BadInput as error:  # the others may be fine
                    name = sample_name(function.name, path, top)
                    why = (str(error),)
                    yield Checked(function.name, name, Verdict.UNCHECKED, reasons=why, file=str(path), read=False)
            yield from run.function(function, batch)


def _deployed(side: _Side, folder: Path, carry_files: Sequence[str]) -> _Side:
    """Return a side that runs on a copy of its files, those that would be deployed."""
    folder.mkdir()
    for path in own_files(side.folder, carry_files)[0]:
        target = folder / path
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(side.folder / path, target)
    return replace(side, folder=folder)


def _source_side(folder: Path, record: Record, moved: Path | None) -> tuple[_Side, Project]:
    project = moved or Path(os.path.normpath(folder / record.source.project))
    if not project.is_dir():
        raise BadInput(
            f"the original project is not at {project}", "Say where it lies now with --source", Place(str(folder))
        )
    profile, declared = read_project(project, record.source.find_profile(folder), carry_values=record.carry_values)
    for carried in record.functions:
        if declared.function(carried.name) is None:
            raise BadInput(
                f"the original project no longer has a function {carried.name}", "Carry it again", Place(str(project))
            )
    made = tuple(read_record(project).made) if holds_crossing(project) else ()
    return _Side(profile, project, declared, brought=made), declared


def _target_side(folder: Path, record: Record, without: frozenset[str]) -> _Side:
    profile = record.target.find_profile(folder)
    project = None
    if profile.model.definition:
        project = read_project(folder, profile, carry_values=record.carry_values)[1]
    return _Side(profile, folder, project, without, tuple(record.made))


def _samples(side: _Side, declared: Project, record: Record, given: list[Path]) -> dict[str, list[tuple[Path, Path]]]:
    """Return the sample files of each function that was carried, each with the folder it was found under."""
    carried = [function.name for function in record.functions]
    found: dict[str, list[tuple[Path, Path]]] = {name: [] for name in carried}
    default = side.folder / FOLDER
    if not given and not default.is_dir():
        raise BadInput(f"there are no samples: {default} is not there", "Add some, or name them with --samples")
    for top in given or [default]:
        if top.is_file():
            files: Iterator[tuple[str, Path]] = iter([(top.parent.name, top)])
            top = top.parent.parent  # noqa: PLW2901
        elif top.is_dir():
            files = sample_files(top)
        else:
            raise BadInput(f"there is no file or folder {top}", "Give samples that are there")
        for function, path in files:
            if declared.function(function) is None:
                names = [f.name for f in declared.functions]
                raise BadInput(
                    f"samples stand under {function!r}, and there is no such function{nearest(function, names)}",
                    "Name the folder after the function that its samples are for",
                    Place(str(path)),
                )
            if function in found:
                found[function].append((path, top))
    if not any(found.values()):
        raise BadInput("there is not a single sample for the functions that were carried", "Add some samples")
    return found
