"""A place in an event, or in what is told of the call, as code holds it."""

from __future__ import annotations

from dataclasses import dataclass

from vast_ferry.mapping.places import Call, Step


@dataclass(frozen=True, slots=True)
class Spot:
    """Somewhere in an event of a kind, or in what is told of the call: `role` is event, entry or context.

    `holder` is the source of what holds the whole event, one entry or the context where the expression stands.
    """

    kind: str
    role: str
    steps: tuple[Step, ...] = ()
    holder: str = ""

    def then(self, step: Step) -> Spot:
        """Return the place one step on."""
        return Spot(self.kind, self.role, (*self.steps, step), self.holder)

    @property
    def called(self) -> Spot:
        """Return the same without a last call."""
        steps = self.steps[:-1] if self.steps and isinstance(self.steps[-1], Call) else self.steps
        return Spot(self.kind, self.role, steps, self.holder)
