"""A project's functions as declared: entries, triggers, variables, secrets by reference, limits."""

from __future__ import annotations

from dataclasses import dataclass, field

from vast_ferry.hub.findings import Finding, Place


@dataclass(frozen=True, slots=True)
class Entry:
    """Where a handler stands: a file of the project (POSIX form, relative) and the name of a callable in it."""

    file: str
    name: str

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
    """Requests that cause a call: `methods` (empty: any), `route` as an RFC 6570 template, and who may call."""

    route: str
    methods: tuple[str, ...] = ()
    callers: str = ""  # public | key | principal
    place: Place = Place()

    @property
    def kind(self) -> str:
        """Return the kind of its events."""
        return "http"


@dataclass(frozen=True, slots=True)
class EventTrigger:
    """Events that cause a call: of `kind`, from `source` (a bucket, channel, table, schedule or signal by its name).

    For objects and records `changes` (empty: any); for objects `prefix` and `suffix` of the key; for messages the
    batch's size and the seconds that it may wait; for a schedule `cron` (five fields) and its time zone.
    """

    kind: str
    source: str = ""
    changes: tuple[str, ...] = ()
    prefix: str = ""
    suffix: str = ""
    batch_size: int = 0
    batch_window: float = 0
    cron: str = ""
    zone: str = ""
    place: Place = Place()


Trigger = RouteTrigger | EventTrigger


@dataclass(frozen=True, slots=True)
class Function:
    """One deployed unit as its project declares it; `secrets` maps a name to a reference, never to a value."""

    name: str
    entry: Entry
    triggers: tuple[Trigger, ...] = ()
    language: str = ""
    memory: int = 0  # MiB; 0: the provider's default
    timeout: float = 0  # seconds; 0: the provider's default
    variables: dict[str, str] = field(default_factory=dict)
    secrets: dict[str, str] = field(default_factory=dict)
    place: Place = Place()

    @property
    def kinds(self) -> tuple[str, ...]:
        """Return the kinds of events that it is called with; one without triggers is called directly."""
        return tuple(dict.fromkeys(trigger.kind for trigger in self.triggers)) or ("call",)

    @property
    def routes(self) -> tuple[RouteTrigger, ...]:
        """Return its HTTP triggers."""
        return tuple(trigger for trigger in self.triggers if isinstance(trigger, RouteTrigger))


@dataclass(frozen=True, slots=True)
class Project:
    """What one definition file declares, and what could not be understood of it."""

    name: str
    region: str = ""
    functions: tuple[Function, ...] = ()
    findings: tuple[Finding, ...] = ()
    files: tuple[str, ...] = ()  # the definition files themselves

    def function(self, name: str) -> Function | None:
        """Return the function of that name, or nothing."""
        return next((function for function in self.functions if function.name == name), None)
