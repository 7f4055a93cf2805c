"""A place in an event, or in what is told of the call, as code holds it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from vast_ferry.mapping.places import Call, Step

#: A node of the syntax tree of whatever language the handler is written in: here it is only kept, and told apart.
Node = Any


@dataclass(frozen=True, slots=True)
class Spot:
    """Somewhere in an event of a kind, or in what is told of the call: `role` is event, entry or context.

    Where an event comes in several parameters, it is `event` for the first, and the others' names for those.

    `holder` is the source of what holds the whole event, one entry or the context where the expression stands; or of a
    batch, of which it is the `first` entry.
    """

    kind: str
    role: str
    steps: tuple[Step, ...] = ()
    holder: str = ""
    first: bool = False

    @property
    def of_event(self) -> bool:
        """Tell whether it is in an event, and not in what is told of the call."""
        return self.role != "context"

    def then(self, step: Step) -> Spot:
        """Return the place one step on."""
        return Spot(self.kind, self.role, (*self.steps, step), self.holder, self.first)

    @property
    def called(self) -> Spot:
        """Return the same without a last call."""
        steps = self.steps[:-1] if self.steps and isinstance(self.steps[-1], Call) else self.steps
        return replace(self, steps=steps)
