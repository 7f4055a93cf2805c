"""Generated handlers proven in this process: both sides loaded beside each other, called and compared as `check` does.

Workers keep the world from handlers, and cost a process each; what is generated here does no harm, and is run by the
ten thousand. Everything else (drivers, gateways, verdicts, what a loss explains) is the library's own.
"""

from __future__ import annotations

import contextlib
import copy
import ctypes
import importlib
import io
import random
import re
import shutil
import signal
import sys
import tempfile
import threading
import types
import warnings
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fuzz_grammar import Program, Surface

from vast_ferry import Checked, Profile, Verdict, carry
from vast_ferry.checking import proving
from vast_ferry.checking.sides import source_side, target_side
from vast_ferry.crossing.carry import Crossing
from vast_ferry.definitions.schedules.cron import read_cron
from vast_ferry.definitions.writing import write_definition
from vast_ferry.hub.functions import Entry, EventTrigger, Function, Project, RouteTrigger
from vast_ferry.hub.http import HttpEvent
from vast_ferry.hub.outcomes import Outcome
from vast_ferry.hub.schedules import Schedule
from vast_ferry.mapping.inline import at_text
from vast_ferry.samples.store import Sample
from vast_ferry.standins import services as services_module
from vast_ferry.standins import worker
from vast_ferry.standins.frames import Call, outcome_of
from vast_ferry.standins.process import Setup

LONGEST = 5


class Noted(services_module.Services):
    """Services that hold nothing, and only note what is done to them."""

    def __init__(self) -> None:
        super().__init__("")
        self.operate = {name: self._noting(name) for name in self.operate}

    def _noting(self, name: str) -> Callable[[dict[str, Any]], Any]:
        def operate(hub: dict[str, Any]) -> list[str] | None:
            for field in ("bucket", "key", "channel", "content_type", "group"):
                services_module._text(hub.get(field, ""))
            services_module._bytes(hub.get("body", b""))
            if not name.endswith(".read"):
                self.note(name, hub)
            return [] if name.endswith(".list") else None  # as services do that hold nothing

        return operate

    def reset(self, before: Mapping[str, Any]) -> None:
        self.effects = []


class World:
    """One side's modules: its provider's, and the project's own, there only while it is called."""

    def __init__(self, folder: Path) -> None:
        self.folder = str(folder)
        self.services = Noted()
        self.provided: dict[str, types.ModuleType] = {}
        self.own: dict[str, types.ModuleType] = {}

    def provide(self, sources: Mapping[str, str]) -> None:
        """Make the provider's modules, once."""
        for name, text in sources.items():
            if name not in self.provided:
                module = types.ModuleType(name)
                module.__dict__["operate"] = self.services.operate
                exec(compiled(text), module.__dict__)
                parent, _, last = name.rpartition(".")
                if parent in self.provided:
                    setattr(self.provided[parent], last, module)
                self.provided[name] = module

    @contextlib.contextmanager
    def active(self) -> Iterator[None]:
        """Let this side's modules be imported."""
        before = set(sys.modules)
        sys.modules.update({**self.provided, **self.own})
        sys.path.insert(0, self.folder)
        try:
            yield
        finally:
            sys.path.remove(self.folder)
            for name in set(sys.modules) - before:
                module = sys.modules[name]
                if name in self.provided or str(getattr(module, "__file__", "")).startswith(self.folder):
                    if name not in self.provided:
                        self.own[name] = module
                    del sys.modules[name]


_COMPILED: dict[str, Any] = {}


def compiled(text: str) -> Any:
    """Return generated source as code."""
    if text not in _COMPILED:
        _COMPILED[text] = compile(text, "<provider>", "exec")
    return _COMPILED[text]


class Inside:
    """Takes the place of a worker: the same calls, in this process."""

    worlds: dict[Path, World] = {}  # noqa: RUF012

    def __init__(self, setup: Setup) -> None:
        self.setup = setup
        self.world = self.worlds.setdefault(setup.folder, World(setup.folder))
        self.world.own.clear()  # as in a worker, a function does not see what others left in modules that they share
        self.handler: Callable[..., Any] | None = None
        self.driver: dict[str, Any] = {}
        self.failed: Outcome | None = None

    def __enter__(self) -> Inside:
        return self

    def __exit__(self, *_: object) -> None:
        pass

    def _load(self) -> None:
        self.world.provide(self.setup.modules)
        sys.modules.update(self.world.provided)
        self.driver = {"__name__": "stand_in", "operate": self.world.services.operate}
        exec(compiled(self.setup.driver), self.driver)
        try:
            module = importlib.import_module(self.setup.entry.module)
            self.handler = getattr(module, self.setup.entry.name)
        except BaseException as error:
            self.failed = outcome_of(worker.failure(error, self.world.folder, "not loaded"))

    def calls(self, several: Iterable[Call], limit: float, seed: int = 1) -> Iterator[Outcome]:
        """Yield how calls ended."""
        return (self.call(one, limit, seed) for one in several)

    def call(self, call: Call, limit: float, seed: int = 1, *, cold: bool = False) -> Outcome:
        """Return how a call ended; a cold one with everything of the project loaded anew."""
        if cold:
            self.world.own.clear()
            self.handler = self.failed = None
        said, logs = io.StringIO(), list[str]()
        with (
            self.world.active(),
            in_time(),
            warnings.catch_warnings(action="ignore"),
            contextlib.redirect_stdout(said),
            contextlib.redirect_stderr(said),
        ):
            if self.handler is None and self.failed is None:
                self._load()
            if self.failed is not None:
                return self.failed
            self.world.services.reset(call.before)
            told = worker.of_the_call({"secrets": {}, "function": self.setup.function}, {"limit": limit}, logs)
            hubs = [{**copy.deepcopy(event), **told} for event in call.events]
            random.seed(seed)
            assert self.handler is not None
            try:
                data = worker.call(
                    self.driver["CALLS"][call.kind], self.handler, hubs, self.world.folder, apart=call.apart
                )
            except TimeoutError as error:  # it came while a failure was told, which may be long
                data = worker.failure(error, self.world.folder, "failed")
            finally:
                end_threads()
        effects = self.world.services.effects
        return outcome_of({**data, "output": said.getvalue(), "logs": logs, "effects": effects})


def end_threads() -> None:
    """End the threads that a call left behind: what goes on for ever would change what others see."""
    for thread in threading.enumerate():
        if thread is not threading.main_thread() and thread.ident is not None and thread.is_alive():
            ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(thread.ident), ctypes.py_object(SystemExit))
            thread.join(0.2)


@contextlib.contextmanager
def in_time() -> Iterator[None]:
    """Break off what does not end."""

    def end(*_: object) -> None:
        raise TimeoutError("a generated handler does not end")

    # Its own time is counted: beside other work on the machine a handler may take longer by the clock.
    before = signal.signal(signal.SIGPROF, end)
    signal.setitimer(signal.ITIMER_PROF, LONGEST)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)
        signal.signal(signal.SIGPROF, before)


class OneByOne:
    """Takes the place of a pool of threads: what it is given is done at once, so that only one side is active."""

    def __init__(self, _: int) -> None:
        pass

    def __enter__(self) -> OneByOne:
        return self

    def __exit__(self, *_: object) -> None:
        pass

    def submit(self, function: Callable[..., Any], *arguments: Any) -> Any:
        return Done(function(*arguments))


@dataclass
class Done:
    value: Any

    def result(self) -> Any:
        return self.value


class Kept:
    """Outcomes of originals, for all targets: by what is called."""

    def __init__(self) -> None:
        self.kept: dict[Any, list[Outcome]] = {}

    def key(self, setup: Setup, calls: Sequence[Any], limit: float, seed: int) -> Any:
        return setup.entry, repr(calls), seed

    def get(self, key: Any) -> list[Outcome] | None:
        return self.kept.get(key)

    def keep(self, key: Any, outcomes: list[Outcome]) -> None:
        self.kept[key] = outcomes


# --- samples ----------------------------------------------------------------------------------------------------------

JSON = b'{"bad": 3, "hive": "h-1", "list": [1, {"a": null}]}'
_TEXT = "text/plain; charset=iso-8859-1"
REQUESTS: tuple[dict[str, Any], ...] = (
    {"query": "day=mon&day=tue&e=", "headers": [("x-a", "1"), ("x-a", "2"), ("cookie", "k=v; l=w")]},
    {"method": "PUT", "headers": [("content-type", "application/json")], "body": JSON, "client": "198.51.100.7"},
    {"method": "PUT", "headers": [("content-type", _TEXT)], "body": "grüße".encode("latin-1"), "query": "q=%2F+1"},
    {
        "method": "PUT",
        "headers": [("content-type", "application/json; charset=utf-16")],
        "body": '{"bad": 3}'.encode("utf-16"),
    },
    {
        "method": "GET",
        "path": "/{}/a%20b",
        "captures": {"one": "a b"},
        "principal": {"id": "ada", "claims": {"r": "1"}},
    },
)
EVENTS: dict[str, tuple[tuple[dict[str, Any], ...], ...]] = {
    "message": (
        ({"body": JSON, "content_type": "application/json", "attributes": {"one": "b"}},),
        (
            {"body": b"not json", "content_type": "text/plain", "group": "g", "attempt": 2},
            {"body": "grüße".encode(), "attributes": {"day": "mon"}},
        ),
    ),
    "object": (
        ({"object.change": "created", "bucket": "b", "key": "north/one.csv", "size": 3, "labels": {"one": "x"}},),
        (
            {"object.change": "deleted", "bucket": "b", "key": "a b"},
            {"object.change": "created", "bucket": "b", "key": "k"},
        ),
    ),
    "schedule": (({"name": "night", "due": "2026-06-01T02:30:00Z"},),),
    "signal": (
        ({"name": "hive.moved", "subject": "h-1", "data": {"one": "x", "n": [1, 2]}},),
        ({"name": "hive.moved", "data": "text"},),
    ),
    "call": (({"data": {"one": "x", "n": 3}},), ({"data": None},), ({"data": ["a", {"one": 1}]},)),
    "record": (
        (
            {
                "record.change": "inserted",
                "table": "t",
                "keys": {"id": 1},
                "new": {"id": 1, "one": "x"},
                "sequence": "1",
            },
        ),
        ({"record.change": "deleted", "table": "t", "keys": {"id": 2}, "old": {"id": 2}, "sequence": "2"},),
    ),
}


def samples(name: str, kind: str) -> list[Sample]:
    """Return what a function is called with."""
    made = []
    if kind == "http":
        for at, fields in enumerate(REQUESTS):
            event = HttpEvent(
                **{
                    "id": f"r-{at}",
                    "time": f"2026-06-0{at + 1}T12:00:00.123Z",
                    "authority": "a.example",
                    "captures": {"one": "x"},
                    **fields,
                    "path": fields.get("path", "/{}/x").format(name),
                }
            )
            made.append(Sample(name, str(at), Path(f"{at}"), kind, (event.as_fields(),)))
        return made
    from vast_ferry.hub.fields import EVENTS as FIELDS

    for at, batch in enumerate(EVENTS[kind]):
        events = []
        for number, fields in enumerate(batch):
            told = {"id": f"e-{at}-{number}", "time": f"2026-06-0{at + 1}T12:00:00.123Z", "channel": "q", **fields}
            usual = {key: copy.deepcopy(own.default_value) for key, own in FIELDS[kind].items() if own.truth}
            events.append({**usual, **{key: value for key, value in told.items() if key in FIELDS[kind]}})
        made.append(Sample(name, str(at), Path(f"{at}"), kind, tuple(events)))
    return made


#: What is told of content that is no text, or in another charset: it explains nothing of what is plain.
OF_CONTENT = {"json-in-utf-8", "charset-assumed", "bytes-as-they-came", "base64-not-seen"}


def is_plain(event: Mapping[str, Any]) -> bool:
    """Tell whether an event's content is nothing, or text or JSON in UTF-8 whose type says no other."""
    body = event.get("body") or b""
    types = [value for name, value in event.get("headers") or () if name.lower() == "content-type"]
    kind = (types or [event.get("content_type") or ""])[0]
    if isinstance(body, str) or not body:
        return True
    try:
        body.decode()
    except ValueError:
        return False
    return ("json" in kind or kind.startswith("text/")) and kind.partition("charset=")[2] in ("", "utf-8")


# --- a batch of programs ----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Untold:
    """A program that came out otherwise at a target, and nothing told so."""

    name: str
    target: str
    what: str


@dataclass
class Counted:
    """How a batch came out."""

    carried: int = 0
    native: int = 0
    checks: int = 0
    same: int = 0
    unheld: int = 0
    unchecked: int = 0
    told: int = 0


def home_of(profile: Profile, name: str) -> str:
    """Return the folder in which a function's handler lies."""
    model = profile.model.definition
    return f"{model.functions.files.rpartition('/')[0].replace('*', name)}/" if model and model.functions.files else ""


def declared(name: str, kind: str, home: str = "") -> Function:
    """Return a generated handler as it would be declared."""
    entry = Entry(f"{home}h_{name}.py", name)
    if kind == "http":
        return Function(name, entry, (RouteTrigger(f"/{name}/{{one}}", ("GET", "PUT"), "public"),))
    if kind == "schedule":
        return Function(name, entry, (EventTrigger(kind, "night", schedule=Schedule.of(read_cron("30 2 * * *"))),))
    if kind == "call":
        return Function(name, entry, (EventTrigger(kind),))
    source = {"message": "q", "object": "b", "record": "t", "signal": "hive.moved"}[kind]
    changes = {"object": ("created", "deleted"), "record": ("inserted", "updated", "deleted")}.get(kind, ())
    return Function(name, entry, (EventTrigger(kind, source, changes, batch_size=5),))


def write_programs(programs: Mapping[str, Program], folder: Path) -> None:
    """Write programs of one provider and kind as a project."""
    surface = next(iter(programs.values())).surface
    functions = tuple(declared(name, surface.kind, home_of(surface.profile, name)) for name in programs)
    files = dict(write_definition(Project("fuzz", functions=functions), surface.profile))
    for name, program in programs.items():
        home = home_of(surface.profile, name)
        files |= {home + path if path == f"h_{name}.py" else path: text for path, text in program.files(name).items()}
    for path, text in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_text(text)


def own_files(project: Path, name: str) -> set[str]:
    """Return the files of a program: its handler's, its helpers', and those that it shares with others."""
    handler = next(project.rglob(f"h_{name}.py")).relative_to(project).as_posix()
    found = {handler}
    for one in re.findall(r"^(?:from|import) ((?:common|lib)_\w+)", (project / handler).read_text(), re.MULTILINE):
        found |= {path.relative_to(project).as_posix() for path in project.glob(f"{one}/*.py")} | {f"{one}.py"}
    return found


class Bench:
    """A folder in which batches of programs are carried and proven; use as a context manager."""

    def __enter__(self) -> Bench:
        shared = "/dev/shm" if Path("/dev/shm").is_dir() else None
        self.folder = Path(tempfile.mkdtemp(prefix="fuzz-", dir=shared))
        # Files that hold content are made where all temporary files are; a forked process ends without removing them.
        self.elsewhere, tempfile.tempdir = tempfile.tempdir, str(self.folder)
        self.kept_by = {name: getattr(proving, name) for name in ("Worker", "ThreadPoolExecutor")}
        vars(proving).update(Worker=Inside, ThreadPoolExecutor=OneByOne)
        return self

    def __exit__(self, *_: object) -> None:
        vars(proving).update(self.kept_by)
        tempfile.tempdir = self.elsewhere
        shutil.rmtree(self.folder, ignore_errors=True)

    def prove(
        self, programs: Mapping[str, Program], targets: Sequence[Profile], counted: Counted | None = None
    ) -> list[Untold]:
        """Return the programs that came out otherwise untold; all of one provider and kind."""
        surface = next(iter(programs.values())).surface
        source = self.folder / "source"
        shutil.rmtree(source, ignore_errors=True)
        Inside.worlds.clear()
        write_programs(programs, source)
        found: list[Untold] = []
        kept = Kept()
        for target in targets:
            there = self.folder / "target"
            shutil.rmtree(there, ignore_errors=True)
            Inside.worlds.pop(there, None)
            crossing = carry(source, to=target, out=there, source=surface.profile)
            found += self._proven(crossing, surface, source, there, kept, counted or Counted())
        return found

    def _proven(
        self, crossing: Crossing, surface: Surface, source: Path, there: Path, kept: Kept, counted: Counted
    ) -> Iterator[Untold]:
        target = crossing.record.target.provider
        placed = [one for one in crossing.findings if one.place.line]
        made = [one for one in placed if one.code in ("made-as-it-was", "by-a-function")]
        made += [one for one in placed if one.code.startswith("made-whole-")]
        placed = [one for one in placed if one not in made and not one.code.startswith("wrapped-")]
        told = {finding.place.file for finding in placed if finding.code not in OF_CONTENT}
        # A file that declares functions speaks for each by its name.
        told |= {
            f"{home_of(surface.profile, one.function)}h_{one.function}.py"
            for one in placed
            if one.code == "module-of-both"
        }
        of_content = {finding.place.file for finding in placed if finding.code in OF_CONTENT}
        codes = {finding.code for finding in crossing.findings}
        # What is made afresh at the target is told of the crossing as a whole; the whole event holds it too.
        lost = {finding.field.removeprefix(f"{surface.kind}.") for finding in crossing.findings}
        if surface.kind == "call" and lost & {"id", "time"}:  # a call has little else
            told |= {f"{home_of(surface.profile, one.name)}h_{one.name}.py" for one in crossing.record.functions}
        if lost & {"id", "time"}:
            fresh = _places_of(lost & {"id", "time"}, surface)
            of_fresh = [one for one in made if any(at.startswith(one.reason.split(" ")[0]) for at in fresh)]
            # What declares functions in a file of its own makes the event there, for the handler that it calls.
            told |= {one.place.file for one in of_fresh}
            told |= {f"{home_of(surface.profile, one.function)}h_{one.function}.py" for one in of_fresh}
            read = tuple(f"`{field}`" for field in lost & {"id", "time"})
            told |= {one.place.file for one in made if one.reason.startswith(read)}
            # An identity that is made where it is read, in the target's own words, has no finding of its own there.
            told |= {at for at in crossing.files if at.endswith(".py") and b"uuid.uuid4()" in crossing.files[at]}
            wrapped = [one.name for one in crossing.record.functions if one.style == "wrapped"]
            told |= {f"{home_of(surface.profile, name)}h_{name}.py" for name in wrapped}
        for finding in crossing.findings:
            if finding.code in ("wrapped-could-not-write", "wrapped-could-not-follow"):
                yield Untold(finding.function, target, finding.reason)
        counted.carried += len(crossing.record.functions)
        counted.native += sum(one.style == "native" for one in crossing.record.functions)
        side, project = source_side(there, crossing.record, source)
        run = proving.Proving(
            side,
            target_side(there, crossing.record, frozenset()),
            project,
            limit=LONGEST,
            memory=0,
            originals=kept,  # type: ignore[arg-type]
        )
        kind = project.functions[0].kinds[0]
        for function in project.functions:
            called = samples(function.name, kind)
            odd = {sample.name for sample in called if not all(map(is_plain, sample.events))}
            for checked in run.function(function, called):
                counted.checks += 1
                counted.same += checked.verdict is Verdict.SAME
                counted.unheld += checked.verdict is Verdict.UNHELD
                counted.unchecked += checked.verdict is Verdict.UNCHECKED
                if checked.verdict is Verdict.DIFFERS and not _of_the_bench(checked):
                    files = own_files(source, function.name)
                    together = "again-together" in codes and {one.at for one in checked.differences} <= {
                        "ending",
                        "again",
                    }
                    if told & files or together or (checked.sample in odd and of_content & files):
                        counted.told += 1
                    else:
                        yield Untold(function.name, target, _shown(checked))


def _places_of(fields: set[str], surface: Surface) -> list[str]:
    """Return where fields stand in a native event, as findings name places; "the whole event" holds all of them."""
    shape = surface.profile.kinds[surface.kind].event
    texts = [at_text(row.at, {}).replace('"', "'") for row in shape.rows if row.field in fields]
    return ["the whole event", *(re.sub(r"^\w+", "", text) for text in texts)]


def _of_the_bench(checked: Checked) -> bool:
    """Tell whether what differs is due to how it was run here: nothing that a translation could have done better.

    An original that does not end is cut off wherever it is by then; and an error's message may call an object that was
    made as it was by the name of its class, or show where it lies. What fills the memory of the bench fails wherever
    it is by then.
    """
    if any("TimeoutError" in str(one.expected) for one in checked.differences):
        return True
    if any("MemoryError" in f"{one.expected}{one.got}" for one in checked.differences):
        return True

    def alike(one: str, other: str) -> bool:
        pairs = list(zip(re.findall(r"\w+|\W", one), re.findall(r"\w+|\W", other), strict=False))
        return all(a == b or (a[:1].isupper() and (b[:2] == a[:2] or b.endswith(a))) for a, b in pairs)

    if all(" object at " in str(one.expected) + str(one.got) for one in checked.differences):
        return True  # which shows where an object lies
    return all(one.at == "error" and alike(str(one.expected), str(one.got)) for one in checked.differences)


def _shown(checked: Checked) -> str:
    return f"sample {checked.sample}: " + "; ".join(str(one) for one in checked.differences)[:600]
