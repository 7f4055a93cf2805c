"""One function called once, with one event, as its provider would call it: in a project, or in what was carried.

The whole of a call is here that needs no server: which sample, which side, which worker. What a check does with many
samples on two sides is `proving`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from vast_ferry.checking.proving import CallTo, gone_through
from vast_ferry.checking.sides import Side, deployed, source_side, target_side
from vast_ferry.collecting.curl import as_curl
from vast_ferry.definitions.project import read_project
from vast_ferry.definitions.tables import route_style
from vast_ferry.events.editions import find_edition
from vast_ferry.events.http_message import read_request
from vast_ferry.events.native import parse_json
from vast_ferry.hub.findings import BadInput, Place, nearest
from vast_ferry.hub.functions import Function, Project
from vast_ferry.hub.http import HttpEvent
from vast_ferry.hub.kinds import REQUEST, is_request
from vast_ferry.hub.outcomes import Outcome
from vast_ferry.profiles.profile import Profile
from vast_ferry.samples.store import FOLDER, Sample, read_native, read_sample, sample_files, sample_name
from vast_ferry.standins.frames import Call
from vast_ferry.standins.gateway import Gateway, takes
from vast_ferry.standins.process import Setup, Worker
from vast_ferry.standins.scratch import scratch_folder
from vast_ferry.surveying.crossing_file import holds_crossing
from vast_ferry.surveying.record import read_record

#: What a sample is called that comes from standard input.
STDIN = "-"


@dataclass(frozen=True, slots=True)
class Called:
    """What came of one call: of which function at which provider, with which sample, how it ended, what was sent."""

    function: str
    at: str
    sample: str
    outcome: Outcome
    request: HttpEvent | None = None


@dataclass(frozen=True, slots=True)
class Where:
    """Where a function is called: the side that it runs at, and the project whose samples it has."""

    side: Side
    declared: Project
    home: Profile  # whose native events samples are
    folder: Path  # where the samples lie
    carry_files: Sequence[str] = ()


def call(
    project: Path | str,
    function: str,
    sample: str = "",
    *,
    source: str | Profile | None = None,
    given: bytes | None = None,
    variables: Mapping[str, str] | None = None,
    stage: str = "",
    limit: float = 10.0,
) -> Called:
    """Return what came of calling a function once, in a project or in a crossing that was carried.

    `sample` is the name of one that is kept, a file, or `-` for `given`: a raw HTTP request, or a native event as JSON.
    Without it the only one that is kept is taken. `source` names the project's provider where it could be several;
    `variables` stand over those that the function declares, as it is at a `stage` if one is named; `limit` is in
    seconds. Raises BadInput where there is no such function, sample or stage, or its triggers take no such event.
    """
    where = where_of(Path(project), source, stage=stage)
    own = function_of(where, function)
    with scratch_folder() as scratch:
        side = deployed(where.side, scratch / "project", where.carry_files)
        one = sample_of(where, own, sample, given)
        to = call_of(where, side, own, one)
        if variables:
            own = replace(own, variables={**own.variables, **variables})
            side = replace(side, project=with_variables(side.project, variables) if side.project else None)
        setup = side.setup(own, (one.kind,), 0, max(limit, 1.0))
        with Worker(with_secrets(setup, variables or {})) as worker:
            outcome = gone_through(worker, to, own.name, min(own.timeout or limit, limit), 1)
    request = one.event if is_request(one.kind) else None
    return Called(own.name, side.profile.title, one.name, outcome, request)


def request_line(
    project: Path | str,
    function: str,
    sample: str,
    address: str,
    *,
    source: str | Profile | None = None,
    given: bytes | None = None,
) -> str:
    """Return the command line by which curl sends a function's sample to an address, such as that of a deployed one.

    Raises BadInput where there is no such sample, or it is no request.
    """
    where = where_of(Path(project), source)
    own = function_of(where, function)
    one = sample_of(where, own, sample, given)
    if not is_request(one.kind):
        raise BadInput(f"{one.name} is a {one.kind} event, which no request sends", "Name a sample that is a request")
    if "://" not in address:
        raise BadInput(f"{address!r} is no address", "Give http:// or https:// and a host")
    event = one.event
    return as_curl(event.method, address.rstrip("/") + event.target, event.headers, event.body)


def where_of(folder: Path, source: str | Profile | None, *, original: bool = False, stage: str = "") -> Where:
    """Return where the functions of a project, or of a crossing, run; of that the `original` where it is asked for.

    They are as they are at a `stage`, if one is named. Raises BadInput where neither is there, or no such stage.
    """
    if not holds_crossing(folder):
        wanted = source if isinstance(source, Profile) else find_edition(folder, source)
        profile, declared = read_project(folder, wanted)
        declared = declared.at_stage(stage) if stage else declared
        return Where(Side(profile, folder, declared), declared, profile, folder)
    record = read_record(folder)
    here, declared = source_side(folder, record, None)
    carried = {one.name for one in record.functions}
    functions = tuple(one for one in declared.functions if one.name in carried)
    side = here if original else target_side(folder, record, frozenset())
    if stage and side.project is None:
        raise BadInput(f"{side.profile.title} has no stages: it routes by itself", "Leave --stage out")
    if stage and side.project is not None:
        side = replace(side, project=side.project.at_stage(stage))
        there = {one.name for one in side.project.functions} if side.project else set()
        functions = tuple(one for one in functions if one.name in there)
    return Where(side, replace(declared, functions=functions), here.profile, here.folder, record.carry_files)


def function_of(where: Where, name: str) -> Function:
    """Return a function by its name; raises BadInput where there is none."""
    own = where.declared.function(name)
    if own is None:
        names = [one.name for one in where.declared.functions]
        raise BadInput(f"there is no function {name!r}{nearest(name, names)}", f"There are: {', '.join(names)}")
    return own


def with_secrets(setup: Setup, given: Mapping[str, str]) -> Setup:
    """Return a setup in which secrets that are given have their values; the others are made up."""
    return replace(setup, given={name: given[name] for name in setup.secrets if name in given})


def with_variables(project: Project, variables: Mapping[str, str]) -> Project:
    """Return a project whose functions have some variables over those that they declare."""
    functions = [replace(one, variables={**one.variables, **variables}) for one in project.functions]
    return replace(project, functions=tuple(functions))


# --- the sample ---


def sample_of(where: Where, function: Function, named: str, given: bytes | None = None) -> Sample:
    """Return the sample that is meant: a name, a file, `-` for what is given, or the only one that is kept.

    Raises BadInput where there is no such sample.
    """
    if named == STDIN:
        return _of_input(where, function, given or b"")
    top = where.folder / FOLDER
    kept = [path for of, path in sample_files(top) if of == function.name] if top.is_dir() else []
    names = {sample_name(function.name, path, top): path for path in kept}
    if named and named not in names:
        stems = [name for name in names if Path(name).stem == named]
        if len(stems) == 1:
            named = stems[0]
        elif Path(named).is_file():
            return read_sample(function.name, Path(named), where.home, Path(named).parent.parent)
        else:
            raise BadInput(f"{function.name} has no sample {named!r}{nearest(named, names)}", _choose(names))
    if not named and len(names) != 1:
        what = "no sample" if not names else f"{len(names)} samples"
        raise BadInput(f"{function.name} has {what}", _choose(names), Place(str(top / function.name)))
    return read_sample(function.name, names[named or next(iter(names))], where.home, top)


def _choose(names: Mapping[str, Path]) -> str:
    listed = ", ".join(sorted(names))
    return f"Name one: {listed}" if names else "Give a file, or - and the event on standard input"


def _of_input(where: Where, function: Function, data: bytes) -> Sample:
    shown = "standard input"
    if not data.strip():
        raise BadInput("standard input is empty", "Give a raw HTTP request, or a native event as JSON", Place(shown))
    if data.lstrip()[:1] in (b"{", b"["):
        read = read_native(parse_json(data, shown, "the event"), where.home, shown)
        return read.as_sample(function.name, shown, Path(shown))
    event = read_request(data, "stdin", shown)
    return Sample(function.name, shown, Path(shown), REQUEST, (event.as_fields(),))


# --- the way to it ---


def call_of(where: Where, side: Side, function: Function, sample: Sample) -> CallTo:
    """Return the call as it goes to the function; raises BadInput where it does not get there."""
    made = Call(sample.kind, sample.events, sample.before, sample.answers)
    if sample.kind not in function.kinds:
        kinds = ", ".join(function.kinds)
        raise BadInput(f"{function.name} is for {kinds}, and this is {sample.kind}", "Give such an event")
    if not is_request(sample.kind):
        why = next((why for event in sample.events if (why := takes(function, sample.kind, event))), "")
        if why:
            raise BadInput(f"{function.name} does not get this: {why}", "Give an event that its trigger takes")
        return CallTo(made, function.name)
    event = sample.event
    if side.project is None:  # what was carried routes by itself
        plain = replace(event, route="", captures={})
        return CallTo(replace(made, events=(plain.as_fields(),)), "")
    routed = Gateway(side.project, route_style(side.profile).order).route(event)
    if routed.function != function.name:
        there = f"goes to {routed.function}" if routed.function else "fits no route"
        raise BadInput(f"{event.method} {event.target} {there}, not to {function.name}", "Mend the path or the method")
    return CallTo(replace(made, events=(routed.event.as_fields(),)), function.name)
