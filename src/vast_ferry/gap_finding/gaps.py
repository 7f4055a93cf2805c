"""What is known of a project's way to another provider: findings, what goes there, and what must be there first."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

from vast_ferry.gap_finding.fitting import Fitting
from vast_ferry.gap_finding.price import Usage
from vast_ferry.hub.findings import Finding, Severity, worst_first
from vast_ferry.hub.functions import Function, Need, Stage
from vast_ferry.hub.kinds import REQUEST
from vast_ferry.profiles.profile import Profile
from vast_ferry.surveying.access import services_of

_SERVICES: Final = {"object": "bucket", "message": "channel", "record": "table"}


@dataclass(slots=True)
class Gaps(Fitting):
    """What is known of a project's way from `source` to `target`: findings, and what goes there."""

    carried: list[Function] = field(default_factory=list)
    left: list[Function] = field(default_factory=list)
    fitted: dict[str, Function] = field(default_factory=dict)
    stages: list[Stage] = field(default_factory=list)  # as they fit there

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

    def usages(self, calls: int, mean_ms: float, gb_out: float) -> list[tuple[Profile, Usage]]:
        """Return a month's work at each end; the memory is the mean of the functions', as each end gives it."""
        made = []
        for profile, functions in ((self.source, self.carried), (self.target, list(self.fitted.values()))):
            usual = profile.model.limits.default_memory
            sizes = [function.memory or usual for function in functions]
            if profile.model.price and sizes:
                made.append((profile, Usage(calls, mean_ms, round(sum(sizes) / len(sizes), 1), gb_out)))
        return made

    def checklist(self) -> list[Need]:
        """Return everything that must exist at the target before the first call, what is made by hand first."""
        found: dict[tuple[str, str, bool], list[str]] = {}

        def need(what: str, name: str, function: str, *, by_hand: bool = True) -> None:
            users = found.setdefault((what, name, by_hand), [])
            if function not in users:
                users.append(function)

        written = self.target.model.definition is not None
        rows = self.target.model.definition.functions.rows if self.target.model.definition else []
        grants = any(row.field == "access" for row in rows)
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
