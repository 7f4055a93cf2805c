"""A stand-in: one function called as its provider would call it, with hub events in and outcomes out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from types import TracebackType
from typing import Any

from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import JAVASCRIPT, Binding, Entry
from vast_ferry.hub.outcomes import Outcome
from vast_ferry.mapping.javascript.writing import NoTwin
from vast_ferry.profiles.javascript import driver_text, stand_in_modules, surface_of
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import find_profile
from vast_ferry.standins.driver import driver_source
from vast_ferry.standins.frames import Call
from vast_ferry.standins.process import MEMORY, Setup, Worker


def stand_in_setup(
    profile: Profile,
    folder: Path,
    entry: Entry,
    kinds: tuple[str, ...],
    *,
    function: str = "",
    variables: Mapping[str, str] | None = None,
    secrets: Sequence[str] = (),
    without: frozenset[str] = frozenset(),
    bindings: tuple[Binding, ...] = (),
    memory: int = 0,
    import_limit: float = 10.0,
    brought: tuple[str, ...] = (),
) -> Setup:
    """Return what a worker runs that calls a handler as a profile says, with events of these kinds.

    `memory` is what the handler may take, in MiB; `import_limit` how long loading its file may take, in seconds;
    `brought` are files of the project that are not its author's.
    """
    if entry.language == JAVASCRIPT:
        profile = surface_of(profile)
    handler = profile.model.handler
    made = Setup(
        folder,
        entry,
        "",
        function,
        variables=dict(variables or {}),
        secrets=tuple(secrets),
        memory=memory or MEMORY,
        import_limit=import_limit,
        brought=brought,
        script=handler.script,
        octets=handler.octets,
        mount=handler.mount.model_dump() if handler.mount else {},
        settings_apart=not profile.model.environment.settings,
        secrets_there=profile.model.environment.secrets,
    )
    if entry.language == JAVASCRIPT:
        return _under_node(profile, made, kinds, without, bindings)
    # Where services are folders, what handlers import comes along with them, and is what shall be proven.
    modules = {} if handler.mount else profile.modules
    return replace(made, driver=driver_source(profile, kinds, without, bindings), modules=modules)


def _under_node(
    surface: Profile, setup: Setup, kinds: tuple[str, ...], without: frozenset[str], bindings: tuple[Binding, ...]
) -> Setup:
    """Return what runs a handler in JavaScript; raises BadInput where its provider's shapes have no form there."""
    try:
        driver, modules = driver_text(surface, kinds, without, bindings), stand_in_modules(surface)
    except NoTwin as error:
        raise BadInput(f"{surface.title} can't be stood in for in JavaScript: {error}", "Check these by hand") from None
    bound = bool(bindings and surface.model.handler.output)
    batches = tuple((kind, not bound and surface.kind(kind).event.each is not None) for kind in kinds)
    return replace(setup, driver=driver, modules=modules, javascript=True, batches=batches)


class StandIn:
    """A provider's stand-in for one function; use as a context manager.

    `entry` is `file.py#name` in `folder` (`script.py` where handlers are scripts). `variables` and the names of
    `secrets` are as the function declares them, and so are `bindings` where the provider makes parameters of them.
    `limit` is the longest call in seconds, `memory` what the handler may take in MiB.

    A handler runs in a process of its own, with no network, on a fresh copy of the folder.

    Raises BadInput for an unknown provider or a kind that it does not have.
    """

    def __init__(
        self,
        provider: str | Profile,
        folder: Path | str,
        entry: str,
        *,
        function: str = "",
        variables: Mapping[str, str] | None = None,
        secrets: Sequence[str] = (),
        bindings: Sequence[Binding] = (),
        limit: float = 10.0,
        memory: int = 0,
    ) -> None:
        self.profile = find_profile(provider) if isinstance(provider, str) else provider
        self.limit, self.memory = limit, memory
        file, _, name = entry.partition("#")
        self._entry = Entry(file, name)
        self._function = function or name or Path(file).stem
        self._variables, self._secrets = dict(variables or {}), tuple(secrets)
        self._bindings = tuple(bindings)
        self._folder = Path(folder)
        self._workers: dict[str, Worker] = {}

    def __enter__(self) -> StandIn:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        for worker in self._workers.values():
            worker.__exit__(None, None, None)

    def call(
        self,
        kind: str,
        *events: dict[str, Any],
        before: dict[str, Any] | None = None,
        answers: Sequence[dict[str, Any]] = (),
    ) -> Outcome:
        """Return how a call ended with one event, or with a batch of them, as hub fields.

        `before` is what services hold: `objects` and `records`, as hub fields; `answers` what outbound HTTP calls get.
        """
        if kind not in self._workers:
            self.profile.kind(kind)
            setup = stand_in_setup(
                self.profile,
                self._folder,
                self._entry,
                (kind,),
                function=self._function,
                variables=self._variables,
                secrets=self._secrets,
                bindings=self._bindings,
                memory=self.memory,
            )
            self._workers[kind] = Worker(setup)
        return self._workers[kind].call(Call(kind, events, before or {}, tuple(answers)), self.limit)
