"""What won't carry across from one provider to another, found before anything is written, and what must be there first.

Everything here is read off the two profiles, the project as declared and its code as scanned. Nothing is written.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final

from vast_ferry.definitions.routes import overlapping, winners
from vast_ferry.definitions.tables import route_style
from vast_ferry.definitions.writing import declares, fit_trigger
from vast_ferry.gap_finding.fitting import Fitting
from vast_ferry.gap_finding.price import Usage
from vast_ferry.hub.findings import Finding, Severity, worst_first
from vast_ferry.hub.functions import Function, Need, Project, Stage
from vast_ferry.hub.kinds import KINDS, REQUEST, is_request
from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping.clients import HUB_CLIENTS, client_losses
from vast_ferry.mapping.compile.losses import event_losses, reply_losses
from vast_ferry.mapping.losses import SPLIT, Loss
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.schema import DeliveryModel
from vast_ferry.surveying.access import ALWAYS_THERE, OPERATION_OF, Needs, services_of, variables_of
from vast_ferry.surveying.scan import Scanned

_ORDER: Final = {"none": 0, "group": 1, "all": 2}
_ORDER_SAID: Final = {"none": "in no order", "group": "in order within a group", "all": "in order"}
#: field → what a finding of it is called, where it is not `trigger-not-held`
_CODES: Final = {"filter": "filter-wider", "schedule": "schedule-not-held", "route": "route-wider"}
_SERVICES: Final = {"object": "bucket", "message": "channel", "record": "table"}


@dataclass(slots=True)
class Gaps(Fitting):
    """What is known of a project's way from `source` to `target`: findings, and what goes there."""

    carried: list[Function] = field(default_factory=list)
    left: list[Function] = field(default_factory=list)
    fitted: dict[str, Function] = field(default_factory=dict)
    stages: list[Stage] = field(default_factory=list)  # as they fit there

    @classmethod
    def between(
        cls, source: Profile, target: Profile, project: Project, scanned: Scanned, needs: Mapping[str, Needs]
    ) -> Gaps:
        """Return the gaps of a project as declared and scanned between two profiles; `needs` are its functions'."""
        gaps = cls(source, target, project, scanned, needs, [*project.findings])
        for function in project.functions:
            gaps._sort(function)
        gaps.findings += scanned.findings
        gaps._clients()
        for function in gaps.carried:
            gaps.fitted[function.name] = gaps._fit(function)
            gaps._triggers(function)
            gaps._bindings(function)
            gaps._settings(function)
            gaps._secrets(function)
        gaps._scripts()
        gaps._routes()
        gaps._delivery()
        gaps._sizes()
        gaps._stages()
        gaps._region()
        gaps._losses()
        for note in target.model.notes:
            gaps.note("at-target", Severity.NOTE, note, "Keep it in mind when you deploy", field=target.title)
        return gaps

    @property
    def blocking(self) -> bool:
        """Tell whether anything must be done before the target can be relied on."""
        return any(finding.severity is Severity.BLOCKING for finding in self.findings)

    @property
    def worst_first(self) -> list[Finding]:
        """Return the findings, worst first, otherwise in the order in which they were found."""
        return worst_first(self.findings)

    def limit_of(self, function: Function) -> float:
        """Return how long a function runs at most at the target, in seconds."""
        limits = self.target.model.limits
        usual = limits.longest if REQUEST in function.kinds else limits.longest_event or limits.longest
        return self.fitted[function.name].timeout or limits.default_timeout or usual

    # --- what can be carried at all ---

    def _sort(self, function: Function) -> None:
        why = self._why_left(function)
        if why:
            reason = f"{function.name} was not carried: {why}"
            self.note("function-left-behind", Severity.BLOCKING, reason, "Leave it where it is", function=function)
        (self.left if why else self.carried).append(function)

    def _why_left(self, function: Function) -> str:
        for kind in function.kinds:
            if kind not in self.source.kinds:
                return f"{self.source.title} has no {kind} events"
            if kind not in self.target.kinds:
                return f"{self.target.title} has no {kind} events"
            if self.target.kinds[kind].reply is None and is_request(kind):
                return f"{self.target.title} does not say how {kind} handlers answer"
        untold = [kind for kind in function.kinds if not self.target.kinds[kind].event.told]
        if len(function.kinds) > 1 and len(untold) > 1:
            return f"{self.target.title} does not tell {' and '.join(untold)} events apart; declare a function for each"
        if len(function.kinds) > 1 and any(one.way != "event" or one.form != "whole" for one in function.bindings):
            return "its bindings are of several kinds of trigger; declare a function for each"
        for kind in function.kinds:
            if not declares(self.target, kind):
                return f"{self.target.title} declares no {kind} triggers"
        return ""

    # --- calls of services ---

    def _clients(self) -> None:
        told: set[str] = set()
        carried = {function.entry.file for function in self.carried}
        left = {function.entry.file for function in self.left} - carried
        for use in self.scanned.uses:
            client, place = use.client, use.place
            theirs = self.target.operations.get(client.operation)
            what = f"{client.called} is called"
            if theirs is None:
                self.note(
                    "client-not-carried",
                    # A handler's file that was left behind may still be imported by others.
                    Severity.TODO if place.file in left else Severity.BLOCKING,
                    f"{what}, and at {self.target.title} there is no way to {OPERATIONS[client.operation].meaning}",
                    "Call another service there, or leave the function where it is",
                    place=place,
                    field=client.operation,
                )
            elif client.called not in told:
                told.add(client.called)
                for loss in client_losses(theirs, client):
                    self.note(
                        f"client-{loss.code}",
                        Severity.NOTE if loss.harmless else Severity.LOSS,
                        f"{what}; at {self.target.title}, where {theirs.called} does the same, {loss.reason}",
                        "Make sure that nothing relies on it",
                        place=place,
                        field=f"{client.operation}.{loss.field}",
                    )

    def _bindings(self, function: Function) -> None:
        """Tell what declared inputs and outputs say that no call of a service there can."""
        for binding in function.bindings:
            operation = OPERATION_OF.get((binding.way, binding.kind), "")
            theirs = self.target.operations.get(operation)
            what = f"the binding {binding.name} of {function.name}"
            if not operation:
                continue
            if theirs is None:
                self.note(
                    "client-not-carried",
                    Severity.BLOCKING,
                    f"{what} can't be carried: at {self.target.title} there is no way to "
                    f"{OPERATIONS[operation].meaning}",
                    "Use another service there, or leave the function where it is",
                    function=function,
                    field=operation,
                )
                continue
            for loss in client_losses(theirs, HUB_CLIENTS[operation]):
                if loss.field == "content_type" and binding.content_type:
                    self.note(
                        f"client-{loss.code}",
                        Severity.NOTE if loss.harmless else Severity.LOSS,
                        f"{what} says {binding.content_type}; at {self.target.title}, where {theirs.called} does the "
                        f"same, {loss.reason}",
                        "Make sure that nothing relies on it",
                        function=function,
                        field=f"{operation}.{loss.field}",
                    )

    # --- one function: its triggers ---

    def _triggers(self, function: Function) -> None:
        if self.target.model.definition is None:
            for route in function.routes:
                if route.callers not in ("", "public"):
                    who = "with a key" if route.callers == "key" else "by a known caller"
                    self.note(
                        "callers-open",
                        Severity.BLOCKING,
                        f"{function.name} may only be called {who}, and {self.target.title} has no such check",
                        "Put the check before the application: a proxy, or a middleware",
                        function=function,
                        place=route.place,
                        field="callers",
                    )
                for name, kind in route.types.items():
                    self.note(
                        "route-wider",
                        Severity.BLOCKING,
                        f"{{{name}}} in {route.route} of {function.name} is of type {kind}, and at {self.target.title} "
                        "it takes any segment",
                        "Check it in the handler",
                        function=function,
                        place=route.place,
                        field="route",
                    )
            return
        for trigger in self.fitted[function.name].triggers:
            for unheld in fit_trigger(trigger, self.target).unheld:
                self.note(
                    _CODES.get(unheld.field, "trigger-not-held"),
                    Severity.BLOCKING if unheld.blocking else Severity.NOTE,
                    f"the {trigger.kind} trigger of {function.name} at {self.target.title}: {unheld.reason}",
                    "See to it in the handler, or by hand"
                    if unheld.blocking
                    else "It is delivered one at a time there",
                    function=function,
                    place=trigger.place,
                    field=unheld.field,
                )

    # --- settings and secrets ---

    def _settings(self, function: Function) -> None:
        told: set[str] = set()
        own = variables_of(self.source)
        for setting in self.needs[function.name].settings:
            held = function.secrets if setting.secret else {**function.variables, **function.secrets}
            if setting.name in held or setting.name in told or setting.name in ALWAYS_THERE or setting.name in own:
                continue
            told.add(setting.name)
            what = "secret" if setting.secret else "variable"
            self.note(
                "setting-not-declared",
                Severity.NOTE if setting.given else Severity.BLOCKING,
                f"{function.name} reads the {what} {setting.name}, and no {what} of that name is declared"
                + ("; it does without" if setting.given else ""),
                f"Declare {setting.name}: it may exist on one machine only",
                function=function,
                place=setting.place,
                field=setting.name,
            )

    def _secrets(self, function: Function) -> None:
        for name, reference in function.secrets.items():
            self.note(
                "secret-to-set",
                Severity.TODO,
                f"{function.name} reads secret {name} (reference {reference}); its value is not carried",
                f"Make the secret {name} at {self.target.title} before the first call",
                function=function,
                field=f"secrets.{name}",
            )

    # --- the project as a whole ---

    def _scripts(self) -> None:
        """Note what a script that is run from a handler elsewhere does not have any more."""
        handler = self.source.model.handler
        if not handler.script or self.target.name == self.source.name:
            return
        for function in self.carried:
            if handler.mount:
                self.note(
                    "folder-partly-there",
                    Severity.LOSS,
                    f"{function.name} runs in a folder ({handler.mount.variable}) that holds only the object its event "
                    "tells of; what it changes there goes to the services",
                    "Make sure that it reads nothing else there",
                    function=function,
                    field=handler.mount.variable,
                )
            if function.secrets and not self.target.model.handler.script:
                self.note(
                    "secret-in-environment",
                    Severity.BLOCKING,
                    f"{function.name} finds its secrets ({', '.join(sorted(function.secrets))}) in the environment, "
                    f"and {self.target.title} gives them to handlers only",
                    "Set them as variables there from its vault, or rewrite the script",
                    function=function,
                    field="secrets",
                )

    def _routes(self) -> None:
        """Note requests that another function would take at the target, where two routes match them."""
        ours, theirs = route_style(self.source).order, route_style(self.target).order
        if self.target.model.definition is None or ours == theirs:
            return
        listed = [(function, trigger) for function in self.carried for trigger in function.routes]
        for first, second in overlapping([(t.route, frozenset(t.methods)) for _, t in listed]):
            routes = [listed[first][1].route, listed[second][1].route]
            if winners(routes, ours)[0] != winners(routes, theirs)[0]:
                (one, _), (other, trigger) = listed[first], listed[second]
                self.note(
                    "route-order",
                    Severity.BLOCKING,
                    f"{routes[0]} of {one.name} and {routes[1]} of {other.name} take some of the same paths; at "
                    f"{self.source.title} {winners(routes, ours)[0]} wins, and at {self.target.title} "
                    f"{winners(routes, theirs)[0]}",
                    "Declare the more exact route first, or change one",
                    function=other,
                    place=trigger.place,
                    field="route",
                )

    def _delivery(self) -> None:
        """Note what handlers could rely on when events come, and can't any more."""
        kinds = dict.fromkeys(kind for function in self.carried for kind in function.kinds)
        ours: Mapping[Any, DeliveryModel] = self.source.model.delivery
        theirs: Mapping[Any, DeliveryModel] = self.target.model.delivery
        for kind in kinds:
            if kind not in ours or kind not in theirs:
                continue
            before, after = ours[kind], theirs[kind]
            for code, severity, reason, remedy in _changes(before, after):
                told = reason.format(source=self.source.title, target=self.target.title)
                self.note(code, severity, f"{kind} events {told}", remedy, field=kind)
            dead = [f for f in self.carried if f.dead_letter and kind in f.kinds]
            if dead and self._drops(kind):
                self.note(
                    "no-dead-letters",
                    Severity.BLOCKING,
                    f"{kind} events that failed each time are kept in {dead[0].dead_letter}, and {self.target.title} "
                    "drops them",
                    "Send them there from the handler",
                    function=dead[0],
                    field="dead_letter",
                )
            if before.attempts != after.attempts and not all(
                self.fitted[f.name].attempts for f in self.carried if kind in f.kinds
            ):
                self.note(
                    "attempts-differ",
                    Severity.NOTE,
                    f"{kind} events are tried {_times(before.attempts)} at {self.source.title} and "
                    f"{_times(after.attempts)} at {self.target.title} where a function does not say",
                    "Make sure that a handler may be called again with the same event",
                    field=kind,
                )
        if self.carried and self.source.model.limits.concurrency == 1 < self.target.model.limits.concurrency:
            kept = all(self.fitted[function.name].concurrency == 1 for function in self.carried)
            self.note(
                "calls-side-by-side",
                Severity.NOTE if kept else Severity.LOSS,
                f"an instance takes one call at a time at {self.source.title}, and up to "
                f"{self.target.model.limits.concurrency} at {self.target.title}" + ("; 1 was set" if kept else ""),
                "Raise it once nothing is kept in global variables" if kept else "Keep nothing in global variables",
                field="concurrency",
            )

    def _sizes(self) -> None:
        kinds = {kind for function in self.carried for kind in function.kinds}
        ours, theirs = self.source.model.limits, self.target.model.limits
        told = (
            ("largest_event", "events", kinds - {REQUEST}),
            ("largest_request", "contents of requests", kinds & {REQUEST}),
            ("largest_reply", "contents of replies", kinds & {REQUEST}),
        )
        for name, what, concerned in told:
            before, after = getattr(ours, name), getattr(theirs, name)
            if concerned and after and (not before or after < before):
                self.note(
                    "smaller-there",
                    Severity.LOSS,
                    f"{what} may have {_bytes(before)} at {self.source.title} and {_bytes(after)} at "
                    f"{self.target.title}",
                    "Pass what is larger through a bucket",
                    field=name,
                )
        if self.short_of_memory:
            first, names = self.short_of_memory[0], ", ".join(one.name for one in self.short_of_memory)
            self.note(
                "memory-too-large",
                Severity.LOSS,
                f"{ours.default_memory} MiB by default is what {names} had so far, and {self.target.title} gives "
                f"{self.fitted[first.name].memory} MiB at most, which was set",
                "Measure what they need, or leave them where they are",
                function=first,
                field="memory",
            )
        if theirs.functions and len(self.carried) > theirs.functions:
            self.note(
                "too-many-functions",
                Severity.BLOCKING,
                f"{len(self.carried)} functions were carried, and {self.target.title} has {theirs.functions} a project",
                "Split the project",
                field="functions",
            )
        for function in self.carried:
            size = sum(len(name.encode()) + len(value.encode()) for name, value in function.variables.items())
            if theirs.variables and size > theirs.variables:
                self.note(
                    "variables-too-large",
                    Severity.BLOCKING,
                    f"the variables of {function.name} have {size:,} bytes, and {self.target.title} takes "
                    f"{theirs.variables:,}",
                    "Keep what is long in a bucket",
                    function=function,
                    field="variables",
                )

    def _stages(self) -> None:
        model = self.target.model.definition
        if model is None or model.stages is None:
            for stage in self.project.stages:
                self.note(
                    "stage-not-held",
                    Severity.BLOCKING,
                    f"stage {stage.name} is declared, and {self.target.title} has no stages",
                    "Carry the project once for each stage, under another name",
                    place=stage.place,
                    field=f"stages.{stage.name}",
                )
            return
        for stage in self.project.stages:
            missing = [f.name for f in self.carried if stage.only and f.name not in stage.only]
            if missing:
                self.note(
                    "stage-without-functions",
                    Severity.NOTE if model.stages.only else Severity.BLOCKING,
                    f"stage {stage.name} does not have {', '.join(missing)}: a call there is refused"
                    + ("" if model.stages.only else f"; at {self.target.title} each stage has all"),
                    "Make sure that this is meant",
                    place=stage.place,
                    field=f"stages.{stage.name}",
                )
            self.stages.append(self._stage(stage))

    def _stage(self, stage: Stage) -> Stage:
        """Return a stage as it fits at the target: of the functions that go there, what can be said of each."""
        model = self.target.model.definition
        held = {row.is_ for row in model.functions.rows} if model else set()
        fit = {
            "memory": self._memory,
            "timeout": self._timeout,
            "language": self._language,
            "attempts": self._attempts,
            "concurrency": self._concurrency,
        }
        carried = {function.name: function for function in self.carried}
        functions = {}
        for name, overlay in stage.functions.items():
            if name not in carried:
                continue
            there = replace(carried[name], name=f"{name} (stage {stage.name})", place=stage.place, **overlay)
            made = {}
            for key, value in overlay.items():
                if key in held:
                    made[key] = fit[key](there) if key in fit else value
                    continue
                self.note(
                    "stage-not-held",
                    Severity.BLOCKING,
                    f"stage {stage.name} sets {key.replace('_', ' ')} of {name}, and {self.target.title} has no way to "
                    "say that",
                    "See to it by hand there",
                    function=carried[name],
                    place=stage.place,
                    field=f"stages.{stage.name}.{key}",
                )
            for secret in overlay.get("secrets", {}):
                self.note(
                    "secret-to-set",
                    Severity.TODO,
                    f"{name} reads secret {secret} in stage {stage.name}; its value is not carried",
                    f"Make the secret {secret} at {self.target.title} before the first call",
                    function=carried[name],
                    place=stage.place,
                    field=f"secrets.{secret}",
                )
            functions[name] = made
        return replace(stage, functions=functions, only=tuple(name for name in stage.only if name in carried))

    def _region(self) -> None:
        definition = self.target.model.definition
        if self.project.region and definition and definition.region:
            self.note(
                "region-to-choose",
                Severity.TODO,
                f"region {self.project.region} is a place of the old provider",
                f"Set `{definition.region}` in {definition.file}",
                field="region",
            )

    def _losses(self) -> None:
        for kind in dict.fromkeys(kind for function in self.carried for kind in function.kinds):
            for loss in crossing_losses(self.source, self.target, kind):
                self.note(
                    loss.code,
                    Severity.NOTE if loss.harmless else Severity.LOSS,
                    loss.reason,
                    "Use a server that offers the raw target"
                    if loss.unless
                    else "Make sure that no handler relies on it",
                    field=KINDS[kind].named(loss.field),
                )

    # --- what it costs ---

    def usages(self, calls: int, mean_ms: float, gb_out: float) -> list[tuple[Profile, Usage]]:
        """Return a month's work at each end; the memory is the mean of the functions', as each end gives it."""
        made = []
        for profile, functions in ((self.source, self.carried), (self.target, list(self.fitted.values()))):
            usual = profile.model.limits.default_memory
            sizes = [function.memory or usual for function in functions]
            if profile.model.price and sizes:
                made.append((profile, Usage(calls, mean_ms, round(sum(sizes) / len(sizes), 1), gb_out)))
        return made

    # --- what must be there first ---

    def checklist(self) -> list[Need]:
        """Return everything that must exist at the target before the first call, what is made by hand first."""
        found: dict[tuple[str, str, bool], list[str]] = {}

        def need(what: str, name: str, function: str, *, by_hand: bool = True) -> None:
            users = found.setdefault((what, name, by_hand), [])
            if function not in users:
                users.append(function)

        written = self.target.model.definition is not None
        rows = self.target.model.definition.functions.rows if self.target.model.definition else []
        grants = any(row.is_ == "access" for row in rows)
        for function in self.carried:
            overlays = [stage.functions.get(function.name, {}) for stage in self.project.stages]
            for name in dict.fromkeys([*function.secrets, *(n for one in overlays for n in one.get("secrets", {}))]):
                need("secret", name, function.name)
            for name in function.variables:
                need("variable", name, function.name, by_hand=not written)
            for kind, names in services_of([function], [self.needs[function.name]]).items():
                for name in names:
                    what = _SERVICES.get(kind, kind)
                    need(what, name, function.name, by_hand=what in ("bucket", "channel", "table"))
            for access in self.needs[function.name].access:
                need("access", str(access), function.name, by_hand=not grants)
        order = ("secret", "variable", "bucket", "channel", "table", "schedule", "signal", "access")
        made = [Need(what, name, tuple(users), by_hand) for (what, name, by_hand), users in found.items()]
        return sorted(made, key=lambda one: (not one.by_hand, order.index(one.what), one.name))


def _times(attempts: int) -> str:
    return {0: "until they succeed", 1: "once", 2: "twice"}.get(attempts, f"{attempts} times")


def _bytes(count: int) -> str:
    if not count:
        return "any size"
    return f"{count / 1_000_000:g} MB" if count >= 1_000_000 else f"{count / 1000:g} kB"


def _changes(before: DeliveryModel, after: DeliveryModel) -> Iterable[tuple[str, Severity, str, str]]:
    """Yield what of a delivery's promises is no longer given, as (code, severity, reason, remedy)."""
    if _ORDER[after.order] < _ORDER[before.order]:
        yield (
            "order-not-kept",
            Severity.LOSS,
            f"come {_ORDER_SAID[before.order]} at {{source}}, and {_ORDER_SAID[after.order]} at {{target}}",
            "Make sure that a handler does not rely on what came before, or compare times",
        )
    if before.times == "once_at_most" and after.times == "once_or_more":
        yield (
            "comes-again",
            Severity.LOSS,
            "come once at most at {source}, and may come again at {target}",
            "Make the handler safe to call twice: remember the event's id",
        )
    if before.times == "once_or_more" and after.times == "once_at_most":
        yield (
            "may-be-lost",
            Severity.LOSS,
            "come again at {source} when a handler fails, and at {target} they are lost",
            "Catch what fails, and send it to a channel",
        )
    if before.backoff != after.backoff and before.times == after.times and "none" in (before.backoff, after.backoff):
        slower = before.backoff != "none"
        yield (
            "backoff-differs",
            Severity.NOTE,
            "wait at {source} before they come again, and come at once at {target}"
            if slower
            else "wait at {target} before they come again",
            "Make sure that what failed for want of time has it" if slower else "Nothing needs to be done",
        )


def crossing_losses(source: Profile, target: Profile, kind: str = REQUEST) -> list[Loss]:
    """Return what `target`'s shapes can't hold of what a handler of `source` could see and say."""
    one, other = source.kind(kind), target.kind(kind)
    losses = event_losses(other.event, one.event)
    if one.event.each is not None and other.event.each is None:
        losses.append(SPLIT)
    if one.reply and other.reply:
        # An event that shall come again is told by raising where it can't be named.
        losses += [loss for loss in reply_losses(other.reply, one.reply) if loss.field != "again"]
    return losses
