"""Samples made for a project's functions: those that reach, show or notice what no kept sample does.

The search is led by what runs. It begins with the samples that are kept (or, where there are none, with an event that
the trigger takes) and changes them by chance, knowing the names and values that the code looks for. The original is
called with each; one that runs a new point of its code, or ends in a new way, is gone on from. Then small faults are
planted, and of those that no sample notices so far each is tried with all that was generated. In a crossing every
condition is looked for, too, under which the target loses something. What is kept at the end is the smallest event for
each of these things.
"""

from __future__ import annotations

import hashlib
import re
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Final

from vast_ferry.checking.calling import Where, where_of
from vast_ferry.checking.compare import compare, nothing_to_compare
from vast_ferry.checking.originals import Originals
from vast_ferry.checking.proving import CallTo, Proving
from vast_ferry.checking.sides import Side, deployed, readable_samples, refuse_unknown, target_side
from vast_ferry.collecting.by_schema import requests_by_schema
from vast_ferry.collecting.collect import Collected, Collection, read_description
from vast_ferry.documents.yaml_file import write_yaml
from vast_ferry.hub.extras import require
from vast_ferry.hub.fields import EVENTS, OF_THE_CALL
from vast_ferry.hub.findings import Finding, Place, Severity
from vast_ferry.hub.functions import EventTrigger, Function, RouteTrigger
from vast_ferry.hub.http import HttpEvent
from vast_ferry.hub.keys import KeyFilter, Pattern
from vast_ferry.hub.kinds import REQUEST, is_request
from vast_ferry.hub.outcomes import Outcome
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.probing.changing import Changer
from vast_ferry.probing.faults import Fault, Piece
from vast_ferry.probing.harvest import words_of
from vast_ferry.probing.reach import Point
from vast_ferry.probing.running import Bench, Run, share_of
from vast_ferry.profiles.profile import Profile
from vast_ferry.samples.readable import TIME, readable_data
from vast_ferry.samples.store import FOLDER, Sample, sample_files
from vast_ferry.standins.scratch import scratch_folder
from vast_ferry.surveying.crossing_file import holds_crossing
from vast_ferry.surveying.record import read_record

#: So long events are looked for, in seconds, unless it is said otherwise; and so many for each function at most.
SECONDS: Final = 120.0
MOST: Final = 20
#: So many events of a function are generated at most, besides those that are one value of a sample replaced.
_GENERATED: Final = 1200
_SEED: Final = 20261128


@dataclass(slots=True)
class MadeSamples:
    """Samples that were made, and for each why; what a person must know beside."""

    collection: Collection
    why: dict[tuple[str, str], str] = field(default_factory=dict)  # function and name → why it is kept
    generated: int = 0


@dataclass(frozen=True, slots=True)
class _Candidate:
    """An event that was generated: the sample, how the original ended, and what ran."""

    sample: Sample
    called: CallTo
    run: Run

    @property
    def size(self) -> tuple[int, str]:
        text = repr((self.sample.events, self.sample.before))
        return len(text), text

    @property
    def ending(self) -> tuple[Any, ...]:
        """Return in which way it ended."""
        outcome = self.run.outcome
        status = outcome.reply.status if outcome.reply else None
        effects = tuple(dict.fromkeys(effect.operation for effect in outcome.effects))
        return str(outcome.ending), status, outcome.error, effects


def make_samples(
    project: Path | str,
    functions: Sequence[str] = (),
    *,
    source: str | Profile | None = None,
    seconds: float = SECONDS,
    most: int = MOST,
    described: Sequence[Path | str] = (),
    progress: Progress = quietly,
) -> MadeSamples:
    """Return samples made for a project's functions, or for those of a crossing; nothing is written.

    `functions` names those that they are for (default: all); `seconds` is how long they are looked for; `most` how many
    a function gets. `source` names the project's provider where several may be meant; `described` are API descriptions
    (OpenAPI) whose schemas say what its requests look like. Raises BadInput where there is no project, no such
    function, or no description.
    """
    require("coverage", "strength", "measures of what samples run")
    folder = Path(project)
    where = where_of(folder, source, original=True)
    names = [one.name for one in where.declared.functions]
    refuse_unknown(functions, names)
    chosen = [one for one in where.declared.functions if one.name in (functions or names)]
    requests = [one for path in described for one in requests_by_schema(read_description(Path(path)), str(path))]
    made = MadeSamples(Collection(where.folder))
    end = time.monotonic() + seconds
    with scratch_folder() as scratch:
        here = deployed(where.side, scratch / "source", where.carry_files)
        there = here
        if holds_crossing(folder):
            record = read_record(folder)
            there = deployed(target_side(folder, record, frozenset()), scratch / "target", record.carry_files)
        run = Proving(here, there, where.declared, limit=2.0, memory=0, originals=Originals())
        makers = [_Maker(made, where, run, function) for function in chosen]
        for maker in makers:
            maker.most, maker.progress = most, progress
            maker.described = maker.taken(requests)
        # Events first, for all; what takes longest, to plant faults, has all the time that is left.
        for number, maker in enumerate(makers):
            maker.generate(share_of(end - seconds * 0.6, len(makers) - number))
        for number, maker in enumerate(makers):
            maker.keep(share_of(end, len(makers) - number))
    return made


def noticing(
    run: Proving, where: Where, function: Function, faults: Sequence[Fault], until: float
) -> dict[Fault, dict[str, Any]]:
    """Return, for those of some faults for which one is found in time, a generated event that notices it.

    Half of the time goes into generating, beginning with the samples that are kept; the events are in readable form.
    """
    maker = _Maker(MadeSamples(Collection(where.folder)), where, run, function)
    now = time.monotonic()
    maker.generate(now + max(0.0, until - now) / 2)
    return maker.notice(faults, until)


class _Maker:
    """Makes samples of one function."""

    def __init__(self, made: MadeSamples, where: Where, run: Proving, function: Function) -> None:
        self.made, self.where, self.run, self.function = made, where, run, function
        self.most = MOST
        self.progress: Progress = quietly
        self.described: list[Sample] = []  # requests that an API description leads to
        self.kept = _kept(where, function)
        self.kinds = tuple(dict.fromkeys(sorted({*function.kinds, *(one.kind for one in self.kept)})))
        self.source = self._bench(run.source)
        self.crosses = run.target is not run.source
        self.target = self._bench(run.target) if self.crosses else self.source
        self.target.logs |= self.source.logs  # a handler behind a wrapper logs as it did
        self.known = {_content(one) for one in self.kept}
        self.candidates: list[_Candidate] = []
        self.held: list[_Candidate] = []  # those that are kept already
        self.new: list[tuple[_Candidate, str]] = []

    def _bench(self, side: Side) -> Bench:
        return Bench(side, self.function, self.kinds, limit=self.run.limit, memory=0)

    def generate(self, until: float) -> None:
        """Generate events, beginning with the samples that are kept."""
        begins = self.kept or [one for one in _first_events(self.function) if not self._refused(one)]
        if not begins:
            self.made.collection.findings.append(
                Finding(
                    "nothing-made",
                    Severity.TODO,
                    f"no event of {self.function.name} could be thought of",
                    "Keep one sample that its trigger takes",
                    function=self.function.name,
                )
            )
            return
        self.progress(f"{self.function.name}: what its samples run")
        begun = self._ran(begins)
        ran = frozenset[Point]().union(*(one.run.points for one in begun))
        self._generate(begun, self.source.own_pieces(ran), until)
        self.held = begun if self.kept else []
        self.new = [] if self.kept else [(one, "an event that the trigger takes") for one in begun]

    def keep(self, until: float) -> None:
        """Choose what is kept of the events that were generated."""
        if not self.held and not self.new:
            return
        self._keep_what_is_new(self.held)
        self._keep_what_is_lost(self.held)
        self._keep_what_notices(self.held, until)
        for candidate, why in self.new[: self.most]:
            self._write(candidate.sample, why)

    # --- generating ---

    def taken(self, requests: Sequence[HttpEvent]) -> list[Sample]:
        """Return the requests that come to the function, as samples."""
        if not any(is_request(kind) for kind in self.function.kinds):
            return []
        name, path = self.function.name, Path("made.yaml")
        made = [Sample(name, "made", path, REQUEST, ({**one.as_fields(), "id": f"{name}/made"},)) for one in requests]
        return [one for one in made if not self._refused(one)]

    def _refused(self, sample: Sample) -> bool:
        """Tell whether a sample does not come to the function."""
        if self.run.refused(self.function, sample):
            return True
        return is_request(sample.kind) and self.run.gateway.route(sample.event).function != self.function.name

    def _ran(self, samples: Sequence[Sample]) -> list[_Candidate]:
        calls = [self.run.at_source(one, one.events) for one in samples]
        return [_Candidate(*one) for one in zip(samples, calls, self.source.run(calls), strict=True)]

    def _generate(self, begun: list[_Candidate], pieces: dict[str, list[Piece]], until: float) -> None:
        """Generate events, and go on from those that run something new or end in a new way."""
        words = words_of(self.run.source.folder, pieces, self.function.variables)
        changer = Changer(self.function, words, _SEED)
        points = set[Point]().union(*(one.run.points for one in begun))
        endings = {one.ending for one in begun}
        grown = [one.sample for one in begun]
        with self.source.open() as call:
            for number, base, events, before in self._changes(changer, grown):
                if time.monotonic() > until:
                    break
                sample = replace(base, events=tuple(events), before=before, name=f"made {number}")
                content = _content(sample)
                if content in self.known or self._refused(sample):
                    continue
                self.known.add(content)
                called = self.run.at_source(sample, sample.events)
                one = _Candidate(sample, called, call(called))
                if nothing_to_compare(one.run.outcome):
                    continue
                self.candidates.append(one)
                self.made.generated += 1
                if one.run.points - points or one.ending not in endings:
                    points |= one.run.points
                    endings.add(one.ending)
                    grown.append(sample)
                if number % 25 == 0:
                    left = max(0.0, until - time.monotonic())
                    count = len(self.candidates)
                    self.progress(f"{self.function.name}: {count} events tried, {left:.0f} s left at most")
        self.candidates.sort(key=lambda one: one.size)

    def _changes(
        self, changer: Changer, grown: list[Sample]
    ) -> Iterator[tuple[int, Sample, list[dict[str, Any]], dict[str, Any]]]:
        """Yield changed events: by chance and, as often, one value of a sample after the other."""
        for one in self.described:
            yield 0, one, list(one.events), one.before
        done: set[str] = set()
        swept = [(one, *made) for one in grown for made in changer.swept(one.kind, one.events, one.before, done)]
        changer.chance.shuffle(swept)
        for number in range(_GENERATED + len(swept)):
            if number % 3 and swept:
                yield (number, *swept.pop())
                continue
            # What was found last is gone on from as often as all that was there before.
            newest = grown[-8:] if changer.chance.random() < 0.5 else grown
            base = changer.chance.choice(newest)
            yield (number, base, *changer.changed(base.kind, base.events, base.before))

    # --- keeping ---

    def _keep_what_is_new(self, held: list[_Candidate]) -> None:
        """Keep the smallest events that together run all that is new, and end in all ways that are new."""
        first = [*held, *(one for one, _ in self.new)]
        points = set[Point]().union(*(one.run.points for one in first))
        endings = {one.ending for one in first}
        for one in self.candidates:
            lines = sorted({f"{file}:{line}" for file, line, _ in one.run.points - points})
            if not lines and one.ending in endings:
                continue
            why = f"runs {', '.join(lines[:3])}" if lines else f"ends otherwise: {one.run.outcome}"
            points |= one.run.points
            endings.add(one.ending)
            self.new.append((one, why[:200]))

    def _keep_what_is_lost(self, held: list[_Candidate]) -> None:
        """Keep the smallest event for each condition under which the target loses something, if none shows it yet."""
        if not self.crosses:
            return
        for kind in self.kinds:
            for loss in self.run.losses(self.function.name, kind).events:
                every = [one for one in (*held, *(new for new, _ in self.new)) if one.sample.kind == kind]
                if any(_applies(loss, one.sample) for one in every):
                    continue
                found = next((c for c in self.candidates if c.sample.kind == kind and _applies(loss, c.sample)), None)
                if found is not None:
                    self.new.append((found, f"shows what the target can't hold: {loss}"[:200]))

    def _keep_what_notices(self, held: list[_Candidate], until: float) -> None:
        """Keep the smallest events by which planted faults are noticed that no other sample notices."""
        first = [*held, *(one for one, _ in self.new)]
        calls, runs, expected = self._at_planting(first)
        points = frozenset[Point]().union(*(run.points for run in runs))
        more = self._told_apart({id(one) for one, _ in self.new})
        pieces = self.target.own_pieces(points)
        faults = self.target.faults(pieces)

        def told() -> None:
            left = max(0.0, until - time.monotonic())
            self.progress(f"{self.function.name}: faults planted, {left:.0f} s left at most")

        tried = self.target.plant(faults, calls, runs, expected, until=until, told=told)
        left = [one.fault for one in tried if one.noticed is None]
        if not left or not more or time.monotonic() > until:
            return
        calls, runs, expected = self._at_planting(more)
        noticed: dict[int, list[str]] = {}
        for one in self.target.plant(left, calls, runs, expected, until=until, told=told):
            if one.noticed is not None:
                noticed.setdefault(one.noticed, []).append(f"{one.fault.place} ({one.fault.what})")
        for at in sorted(noticed, key=lambda at: (-len(noticed[at]), at)):
            places = noticed[at]
            rest = f" and {len(places) - 1} more" if len(places) > 1 else ""
            self.new.append((more[at], f"notices a fault at {places[0]}{rest}"))

    def notice(self, faults: Sequence[Fault], until: float) -> dict[Fault, dict[str, Any]]:
        """Return by which of the generated events faults are noticed, in readable form."""
        more = self._told_apart(set())
        if not more or time.monotonic() > until:
            return {}
        tried = self.target.plant(faults, *self._at_planting(more), until=until)
        found = {one.fault: more[one.noticed].sample for one in tried if one.noticed is not None}
        return {fault: readable_data(one.kind, one.events, one.before, one.answers) for fault, one in found.items()}

    def _told_apart(self, taken: set[int]) -> list[_Candidate]:
        """Return the smallest candidate for each outcome: others that end just the same notice the same."""
        found: dict[str, _Candidate] = {}
        for one in self.candidates:
            outcome = one.run.outcome
            content = repr((one.ending, outcome.reply, outcome.value, outcome.again, outcome.effects))
            if id(one) not in taken:
                found.setdefault(hashlib.sha256(content.encode("utf-8", "surrogatepass")).hexdigest(), one)
        return list(found.values())

    def _at_planting(
        self, candidates: Sequence[_Candidate]
    ) -> tuple[list[CallTo], list[Run], list[tuple[Outcome, ...]]]:
        """Return the calls to the side in which faults are planted, how they end, and what is expected of them."""
        here = [one.called for one in candidates]
        calls = [self.run.at_target(self.function, one.sample) for one in candidates] if self.crosses else here
        runs = self.target.run(calls, 1)
        again = self.source.run(here, 2)
        expected: list[tuple[Outcome, ...]] = []
        for one, two, run in zip(candidates, again, runs, strict=True):
            method = one.sample.event.method if is_request(one.sample.kind) else ""
            compared = compare([one.run.outcome, two.outcome], run.outcome, method)
            proof = not compared.differences and not compared.hopeless
            expected.append((one.run.outcome, two.outcome) if proof else ())
        return calls, runs, expected

    # --- writing ---

    def _write(self, sample: Sample, why: str) -> None:
        taken = {one.name for one in self.made.collection.samples if one.function == self.function.name}
        taken |= {one.name for one in self.kept}
        number = 1
        while (name := f"made-{number}.yaml") in taken:
            number += 1
        comment = re.sub(r"[^\x20-\x7e\u00a0-\uffff]", "?", why)
        told = readable_data(sample.kind, sample.events, sample.before, sample.answers)
        content = f"# Made by `vast-ferry event make`: {comment}\n{write_yaml(told)}"
        data = content.encode("utf-8", "surrogatepass")
        self.made.collection.samples.append(Collected(self.function.name, name, data, Place()))
        self.made.why[self.function.name, name] = why


def _kept(where: Where, function: Function) -> list[Sample]:
    top = where.folder / FOLDER
    files = [(str(path), top) for name, path in (sample_files(top) if top.is_dir() else ()) if name == function.name]
    return readable_samples(function.name, files, where.home)


def _content(sample: Sample) -> str:
    return hashlib.sha256(repr((sample.kind, sample.events, sample.before, sample.answers)).encode()).hexdigest()


def _applies(loss: Any, sample: Sample) -> bool:
    return any(loss.applies({**event, "batch": len(sample.events)}) for event in sample.events)


# --- where there is no sample to begin with ---

_CAPTURED: Final = {"int": "7", "word": "a1", "uuid": "7c9e6679-7425-40de-944b-e07fc1f90ae7"}


def _first_events(function: Function) -> list[Sample]:
    """Return one event for each trigger of a function, as small as its trigger takes it."""
    found = []
    for trigger in function.triggers:
        fields = {
            name: one.default_value
            for name, one in EVENTS[trigger.kind].items()
            if one.truth and name not in OF_THE_CALL
        }
        fields.update({"id": f"{function.name}/made", **({"time": TIME} if "time" in fields else {})})
        if isinstance(trigger, RouteTrigger):
            method = trigger.methods[0] if trigger.methods else "GET"
            path = _path(trigger)
            fields.update({"method": method, "path.raw": path, "authority": "app.example"})
            if method not in ("GET", "HEAD", "DELETE"):
                fields.update({"headers": [("content-type", "application/json")], "body": b"{}"})
        else:
            _of_trigger(fields, trigger)
        found.append(Sample(function.name, "made", Path("made.yaml"), trigger.kind, (fields,)))
    return found


def _path(trigger: RouteTrigger) -> str:
    """Return a path that a route takes."""

    def filled(capture: re.Match[str]) -> str:
        return _CAPTURED.get(trigger.types.get(capture[1], ""), "a1")

    return re.sub(r"\{\+?(\w+)\}", filled, trigger.route)


def _of_trigger(fields: dict[str, Any], trigger: EventTrigger) -> None:
    """Fill in what a trigger asks of its events."""
    for name in ("bucket", "channel", "table", "name"):
        if name in fields and trigger.source:
            fields[name] = trigger.source.replace("*", "a")
    if "change" in fields and trigger.changes:
        fields["change"] = trigger.changes[0]
    if "attributes" in fields:
        fields["attributes"] = {name: values[0] for name, values in trigger.where.items()}
    if trigger.kind == "message":
        fields.update({"body": b"{}", "content_type": "application/json"})
    if trigger.kind == "record":
        fields.update({"keys": {"id": "a1"}, "new": {"id": "a1"}})
    if "key" in fields:
        fields["key"] = _key(trigger.filter)
    if "due" in fields:
        fields["due"] = TIME


def _key(wanted: KeyFilter) -> str:
    """Return a key that a filter lets through, if one of its patterns says how it looks."""
    patterns = [wanted] if isinstance(wanted, Pattern) else getattr(wanted, "filters", ())
    for one in patterns:
        if isinstance(one, Pattern):
            return "".join(part if isinstance(part, str) else part.chars[:1] or "a" for part in one.parts)
    return "a1"
