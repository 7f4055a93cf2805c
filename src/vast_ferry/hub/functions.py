"""A project's functions as declared: entries, triggers, bindings, settings, secrets by reference, delivery, limits."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final, Literal

from vast_ferry.hub.findings import BadInput, Finding, Place, nearest
from vast_ferry.hub.keys import EVERY_KEY, KeyFilter
from vast_ferry.hub.schedules import Schedule

#: The languages in which handlers are carried; an entry's file tells which one it is.
PYTHON: Final = "python"
JAVASCRIPT: Final = "javascript"
LANGUAGES: Final = {PYTHON: "Python", JAVASCRIPT: "JavaScript"}
#: What a version is one of, by the language of a handler.
RUNS_ON: Final = {PYTHON: "Python", JAVASCRIPT: "Node"}
#: suffix of a file → whether TypeScript's types stand in it, which Node takes out by itself
JAVASCRIPT_FILES: Final = {".js": False, ".mjs": False, ".cjs": False, ".ts": True, ".mts": True, ".cts": True}


def language_of(file: str) -> str:
    """Return the language of a handler's file, empty for one that is in none of those that are carried."""
    suffix = file[file.rfind(".") :] if "." in file else ""
    return PYTHON if suffix == ".py" else JAVASCRIPT if suffix in JAVASCRIPT_FILES else ""


@dataclass(frozen=True, slots=True)
class Entry:
    """Where a handler stands: a file of the project (POSIX form, relative) and the name of a callable in it."""

    file: str
    name: str

    @property
    def language(self) -> str:
        """Return the language that the handler is written in; a script of any other name is Python."""
        return language_of(self.file) or PYTHON

    @property
    def module(self) -> str:
        """Return the dotted module name of the file."""
        return self.file.removesuffix(".py").replace("/", ".")

    @property
    def importable(self) -> bool:
        """Return whether a plain import statement can reach the file."""
        return self.file.endswith(".py") and all(part.isidentifier() for part in self.module.split("."))


@dataclass(frozen=True, slots=True)
class RouteTrigger:
    """Requests that cause a call: `methods` (empty: any), `route` as an RFC 6570 template, and who may call.

    `types` says of captures that they are whole numbers (`int`), letters and digits (`word`) or UUIDs (`uuid`). With
    `slash`, a slash at the end may be there or not.
    """

    route: str
    methods: tuple[str, ...] = ()
    callers: str = ""  # public | key | principal
    types: Mapping[str, str] = field(default_factory=dict)
    slash: bool = False
    place: Place = Place()

    @property
    def kind(self) -> str:
        """Return the kind of its events."""
        return "http"

    @property
    def every(self) -> tuple[str, ...]:
        """Return the templates that it takes: with a slash at the end as well where one may be left out."""
        return (self.route, f"{self.route}/") if self.slash else (self.route,)

    @property
    def captured(self) -> tuple[str, ...]:
        """Return the names of what it captures, in order."""
        return tuple(re.findall(r"\{\+?([^{}]*)\}", self.route))


@dataclass(frozen=True, slots=True)
class EventTrigger:
    """Events that cause a call: of `kind`, from `source` (a bucket, channel, table, schedule or signal by its name).

    For objects and records `changes` (empty: any); for objects the `filter` of keys; for messages the attributes that
    each must have (`where`: name to the values of which it has one), the batch's size and the seconds that it may
    wait; for a schedule when it fires.
    """

    kind: str
    source: str = ""
    changes: tuple[str, ...] = ()
    filter: KeyFilter = EVERY_KEY
    where: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    batch_size: int = 0
    batch_window: float = 0
    schedule: Schedule | None = None
    place: Place = Place()


Trigger = RouteTrigger | EventTrigger


@dataclass(frozen=True, slots=True, order=True)
class Access:
    """What a function needs to be allowed: a service's kind, an operation's verb, and which; `*` for any of a kind."""

    kind: str
    verb: str
    name: str

    def __str__(self) -> str:
        return f"{self.verb} {self.kind} {self.name}"


@dataclass(frozen=True, slots=True)
class Binding:
    """One declared binding: its parameter's `name`, its `way`, the kind of service, and where there.

    `event` is what triggers the handler, `in` is read before the call, `out` is an object with a method that writes.
    `source` is the bucket, channel or table; `key` an object's key, with `{name}` for what the trigger's captured.
    `form` is bytes, text, json, or `whole` for the native event itself; `content_type` is what an output is said to be.
    """

    name: str
    way: Literal["event", "in", "out"]
    kind: Literal["object", "message", "http", "record", "schedule", "signal", "call"]
    source: str = ""
    key: str = ""
    form: str = "whole"
    content_type: str = ""


@dataclass(frozen=True, slots=True)
class Function:
    """One deployed unit as its project declares it; `secrets` maps a name to a reference, never to a value.

    What is 0 or empty is the provider's default. `attempts` is how often an event is tried in all, `dead_letter` the
    channel where one goes that failed each time, `concurrency` how many calls one instance takes at a time. `withheld`
    names variables that are declared with what is plainly a secret: their values are not kept.
    """

    name: str
    entry: Entry
    triggers: tuple[Trigger, ...] = ()
    language: str = ""
    memory: int = 0  # MiB
    timeout: float = 0  # seconds
    variables: dict[str, str] = field(default_factory=dict)
    secrets: dict[str, str] = field(default_factory=dict)
    attempts: int = 0
    dead_letter: str = ""
    concurrency: int = 0
    access: tuple[Access, ...] = ()
    bindings: tuple[Binding, ...] = ()
    withheld: tuple[str, ...] = ()
    place: Place = Place()

    @property
    def kinds(self) -> tuple[str, ...]:
        """Return the kinds of events that it is called with; one without triggers is called directly."""
        return tuple(dict.fromkeys(trigger.kind for trigger in self.triggers)) or ("call",)

    @property
    def routes(self) -> tuple[RouteTrigger, ...]:
        """Return its HTTP triggers."""
        return tuple(trigger for trigger in self.triggers if isinstance(trigger, RouteTrigger))

    @property
    def captured(self) -> frozenset[str]:
        """Return the names of what its routes capture."""
        return frozenset(name for route in self.routes for name in route.captured)


@dataclass(frozen=True, slots=True)
class Need:
    """One thing that must exist at a provider before the first call, and which functions need it.

    `by_hand` is false for what a written definition already declares.
    """

    what: str  # secret, variable, bucket, channel, table, schedule, signal, access
    name: str
    functions: tuple[str, ...]
    by_hand: bool = True


@dataclass(frozen=True, slots=True)
class Stage:
    """One place where a project runs (dev, prod…): which functions it has, and what differs there.

    `functions` maps a name to the fields that differ; `only` names the functions that it has (empty: all).
    """

    name: str
    functions: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    only: tuple[str, ...] = ()
    place: Place = Place()


@dataclass(frozen=True, slots=True)
class OtherFunction:
    """A function that is declared here and written in a language that is not carried."""

    name: str
    entry: str
    language: str
    place: Place = Place()


@dataclass(frozen=True, slots=True)
class Project:
    """What definition files declare, and what could not be understood of it."""

    name: str
    region: str = ""
    functions: tuple[Function, ...] = ()
    findings: tuple[Finding, ...] = ()
    files: tuple[str, ...] = ()  # the definition files themselves
    stages: tuple[Stage, ...] = ()
    others: tuple[OtherFunction, ...] = ()
    withheld: tuple[str, ...] = field(default=(), repr=False, compare=False)  # values that must not be shown

    def function(self, name: str) -> Function | None:
        """Return the function of that name, or nothing."""
        return next((function for function in self.functions if function.name == name), None)

    def at_stage(self, name: str) -> Project:
        """Return the project as it is at a stage: its functions, with what differs there.

        Variables and secrets of the stage stand beside those that all stages have; anything else takes their place.
        Raises BadInput where there is no such stage.
        """
        stage = next((one for one in self.stages if one.name == name), None)
        if stage is None:
            names = [one.name for one in self.stages]
            remedy = f"There are: {', '.join(names)}" if names else "The definition declares no stages"
            raise BadInput(f"there is no stage {name!r}{nearest(name, names)}", remedy)
        made = []
        for one in self.functions:
            if stage.only and one.name not in stage.only:
                continue
            over = dict(stage.functions.get(one.name, {}))
            for several in ("variables", "secrets"):
                if several in over:
                    over[several] = {**getattr(one, several), **over[several]}
            made.append(replace(one, **over))
        return replace(self, functions=tuple(made))
