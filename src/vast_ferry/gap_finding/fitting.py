"""One function as it fits at another provider: the nearest value allowed there, each that is another a finding."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final

from vast_ferry.definitions.writing import fit_function
from vast_ferry.hub.findings import Finding, Place, Severity
from vast_ferry.hub.functions import RUNS_ON, Access, EventTrigger, Function, Project
from vast_ferry.hub.kinds import is_request
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.schema import DeliveryModel
from vast_ferry.surveying.access import Needs, granted
from vast_ferry.surveying.scan import Scanned

#: Without batches of its own a provider hands over one event at a time.
SINGLE: Final = 1


def _version(text: str) -> tuple[int, ...]:
    return tuple(int(part) for part in text.split(".") if part.isdecimal())


@dataclass(slots=True)
class Fitting:
    """Makes functions fit at `target`; every value that becomes another is a finding."""

    source: Profile
    target: Profile
    project: Project
    scanned: Scanned
    needs: Mapping[str, Needs]
    findings: list[Finding] = field(default_factory=list)
    short_of_memory: list[Function] = field(default_factory=list)  # which have the usual size, and it is not to be had

    def note(
        self,
        code: str,
        severity: Severity,
        reason: str,
        remedy: str,
        *,
        function: Function | None = None,
        place: Place | None = None,
        field: str = "",
    ) -> None:
        """Add a finding; it stands at `place`, or where the function does."""
        at = place or (function.place if function else Place())
        self.findings.append(Finding(code, severity, reason, remedy, at, function.name if function else "", field))

    def _longest(self, profile: Profile, function: Function) -> float:
        limits = profile.model.limits
        return min(
            limits.longest if is_request(kind) else limits.longest_event or limits.longest for kind in function.kinds
        )

    def fit(self, function: Function) -> Function:
        """Return a function with the nearest values that the target allows, noting each that is another."""
        declared = self.target.model.definition is not None
        made = replace(function, timeout=self.timeout(function))
        if declared:
            made = replace(
                made,
                memory=self.memory(function),
                language=self.language(function),
                attempts=self.attempts(function),
                concurrency=self.concurrency(function),
                access=self._access(function),
                triggers=tuple(self._batches(function)),
            )
            for unheld in fit_function(made, self.target)[1]:
                if unheld.field == "dead_letter" and any(self.drops(kind) for kind in function.kinds):
                    continue  # which is told of the kind
                if unheld.field == "entry":
                    continue  # what is carried has its entry where the target looks for it
                self.note(
                    "setting-not-held",
                    Severity.BLOCKING if unheld.field == "dead_letter" else Severity.LOSS,
                    f"{function.name} at {self.target.title}: {unheld.reason}",
                    "See to it by hand there",
                    function=function,
                    field=unheld.field,
                )
        return made

    def timeout(self, function: Function) -> float:
        """Return the longest that a function may run there, in seconds."""
        ours, theirs = self.source.model.limits, self.target.model.limits
        wanted = function.timeout or ours.default_timeout or self._longest(self.source, function)
        longest = self._longest(self.target, function)
        if wanted <= longest:
            # What it had without saying so it must now say, where it would get less.
            return wanted if function.timeout or (theirs.default_timeout and wanted > theirs.default_timeout) else 0
        self.note(
            "runs-too-long",
            Severity.BLOCKING if function.timeout else Severity.NOTE,
            f"{function.name} may run {wanted:g} s{'' if function.timeout else ' by default'}, and {self.target.title} "
            f"ends {'a function' if 'http' in function.kinds else 'what events call'} after {longest:g} s; "
            f"{longest:g} s was set",
            "Make sure that it ends sooner, or split its work",
            function=function,
            field="timeout",
        )
        return longest if function.timeout or longest != theirs.default_timeout else 0

    def memory(self, function: Function) -> int:
        """Return the memory that a function gets there, in MiB."""
        model, theirs = self.target.model.limits.memory, self.target.model.limits
        wanted = function.memory or self.source.model.limits.default_memory
        if model is None or not wanted:
            return function.memory
        if model.sizes:
            allowed = next((size for size in sorted(model.sizes) if size >= wanted), 0)
            most = max(model.sizes)
        else:
            steps = -(-max(0, wanted - model.least) // model.step)
            allowed, most = model.least + steps * model.step, model.most
            allowed = allowed if allowed <= most else 0
        if not allowed and not function.memory:
            self.short_of_memory.append(function)
            return most
        if not allowed:
            self.note(
                "memory-too-large",
                Severity.BLOCKING,
                f"{function.name} has {wanted} MiB, and {self.target.title} gives {most} MiB at most, which was set",
                "Measure what it needs, or leave it where it is",
                function=function,
                field="memory",
            )
            return most
        if function.memory and allowed != wanted:
            self.note(
                "memory-rounded",
                Severity.NOTE,
                f"{function.name} has {wanted} MiB, and {self.target.title} has no such size; {allowed} MiB was set",
                "Nothing needs to be done; it may cost more",
                function=function,
                field="memory",
            )
        return allowed if function.memory or wanted > theirs.default_memory else 0

    def language(self, function: Function) -> str:
        """Return the version of the language that it runs on there."""
        versions = self.target.model.limits.languages
        if not function.language or not versions or function.language in versions:
            return function.language
        newer = [version for version in versions if _version(version) >= _version(function.language)]
        nearest = min(newer, key=_version) if newer else max(versions, key=_version)
        self.note(
            "language-moved",
            Severity.TODO if newer else Severity.BLOCKING,
            f"{function.name} runs on {RUNS_ON[function.entry.language]} {function.language}, and "
            f"{self.target.title} has {', '.join(versions)}; {nearest} was set",
            "Run its tests on that version before you ship",
            function=function,
            field="language",
        )
        return nearest

    def _deliveries(self, function: Function) -> list[DeliveryModel]:
        delivery: Mapping[Any, DeliveryModel] = self.target.model.delivery
        return [delivery[kind] for kind in function.kinds if kind in delivery]

    def attempts(self, function: Function) -> int:
        """Return how often an event of it is tried there."""
        ours: Mapping[Any, DeliveryModel] = self.source.model.delivery
        before = [ours[kind].attempts for kind in function.kinds if kind in ours and kind != "call"]
        after = [one.attempts for one in self._deliveries(function)]
        wanted = function.attempts or (before[0] if len(set(before)) == 1 else 0)
        most = min((one.most_attempts for one in self._deliveries(function) if one.most_attempts), default=0)
        if not wanted or not after or (not function.attempts and set(after) == {wanted}):
            return function.attempts
        if most and wanted > most:
            self.note(
                "attempts-too-many",
                Severity.LOSS,
                f"an event is tried {wanted} times for {function.name}, and {most} at most at {self.target.title}; "
                f"{most} was set",
                "See to it that fewer attempts are enough",
                function=function,
                field="attempts",
            )
            return most
        rows = self.target.model.definition.functions.rows if self.target.model.definition else []
        can_say = any(row.field == "attempts" for row in rows) and most
        return wanted if function.attempts or can_say else 0

    def concurrency(self, function: Function) -> int:
        """Return how many calls an instance of it takes there."""
        most = self.target.model.limits.concurrency
        ours = self.source.model.limits.concurrency
        wanted = function.concurrency or (1 if ours == 1 < most else 0)
        if wanted > most:
            self.note(
                "concurrency-too-high",
                Severity.NOTE,
                f"an instance of {function.name} takes {wanted} calls at a time, and {most} at {self.target.title}",
                "Expect more instances",
                function=function,
                field="concurrency",
            )
            return most
        rows = self.target.model.definition.functions.rows if self.target.model.definition else []
        if not function.concurrency and not any(row.field == "concurrency" for row in rows):
            return 0
        return wanted

    def _access(self, function: Function) -> tuple[Access, ...]:
        """Return the least that a function needs; what was declared beside it, and what was not, are findings."""
        needs = self.needs[function.name]
        bucket = any(trigger.kind == "object" for trigger in function.triggers)
        for use in needs.unknown:
            self.note(
                "access-unknown",
                Severity.TODO,
                f"{function.name} calls {use.client.called} on a name that only running the code tells"
                + ("; what its trigger is on was allowed" if use.client.operation == "object.read" and bucket else ""),
                "Allow by hand what it needs, and no more",
                function=function,
                place=use.place,
                field="access",
            )
        if not function.access:
            return needs.access
        for one in needs.access:
            if not granted(one, function.access):
                self.note(
                    "access-not-declared",
                    Severity.NOTE,
                    f"{function.name} needs to {one}, and its declaration does not allow it; it was added",
                    "Make sure that the call is one that shall be made",
                    function=function,
                    field="access",
                )
        unused = [one for one in function.access if one.name != "*" and one not in needs.access]
        if unused and not needs.unknown:
            self.note(
                "access-unused",
                Severity.NOTE,
                f"{function.name} may {', '.join(map(str, unused))}, and no call that does so was found; "
                "it was not carried",
                "Add it by hand where it is needed after all",
                function=function,
                field="access",
            )
        kept = [one for one in function.access if needs.unknown or one.name == "*"]
        return tuple(sorted({*needs.access, *kept}))

    def _batches(self, function: Function) -> Iterator[Any]:
        limits = self.target.model.limits
        for trigger in function.triggers:
            if isinstance(trigger, EventTrigger) and (
                trigger.batch_size > limits.batch_size > SINGLE or trigger.batch_window > limits.batch_window > 0
            ):
                self.note(
                    "batch-too-large",
                    Severity.NOTE,
                    f"{function.name} takes batches of {trigger.batch_size} after {trigger.batch_window:g} s, and "
                    f"{self.target.title} has {limits.batch_size} and {limits.batch_window:g} s at most",
                    "Nothing needs to be done; it is called more often",
                    function=function,
                    place=trigger.place,
                    field="batch_size",
                )
                yield replace(
                    trigger,
                    batch_size=min(trigger.batch_size, limits.batch_size),
                    batch_window=min(trigger.batch_window, limits.batch_window),
                )
            else:
                yield trigger

    def drops(self, kind: str) -> bool:
        """Tell whether events of a kind that failed each time are kept here and dropped there."""
        ours: Mapping[Any, DeliveryModel] = self.source.model.delivery
        theirs: Mapping[Any, DeliveryModel] = self.target.model.delivery
        return kind in ours and kind in theirs and ours[kind].dead_letter and not theirs[kind].dead_letter
