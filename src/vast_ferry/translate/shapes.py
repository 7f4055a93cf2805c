"""How a provider's shapes look to a reader of code: what stands at which step from an event or the context."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.mapping.places import Access, Call, Step
from vast_ferry.mapping.tables import Constant, EventShape, Kind, Row


def _bare(steps: tuple[Step, ...]) -> tuple[Step, ...]:
    """Return steps whose calls don't tell their parameters."""
    return tuple(Call() if isinstance(step, Call) else step for step in steps)


@dataclass(frozen=True, slots=True)
class ShapeMap:
    """One kind's shape: rows and constants by role and steps, and the places on the way to them."""

    shape: EventShape
    rows: Mapping[tuple[str, tuple[Step, ...]], Row] = field(default_factory=dict)
    flags: Mapping[tuple[str, tuple[Step, ...]], Row] = field(default_factory=dict)
    constants: Mapping[tuple[str, tuple[Step, ...]], Constant] = field(default_factory=dict)
    inner: frozenset[tuple[str, tuple[Step, ...]]] = frozenset()
    roles: Mapping[str, str] = field(default_factory=dict)  # a parameter → its role

    @classmethod
    def of(cls, shape: EventShape) -> ShapeMap:
        """Return the map of a shape."""
        own = shape.event_parameters
        context = {row.at.root for row in shape.rows} - set(own)
        roles = {name: "context" for name in context}
        roles |= dict.fromkeys(own, "entry" if shape.each is not None else "event")
        rows: dict[tuple[str, tuple[Step, ...]], Row] = {}
        flags: dict[tuple[str, tuple[Step, ...]], Row] = {}
        constants: dict[tuple[str, tuple[Step, ...]], Constant] = {}
        inner: set[tuple[str, tuple[Step, ...]]] = set()

        def way(at: Access, role: str) -> tuple[str, tuple[Step, ...]]:
            steps = _bare(at.steps)
            inner.update((role, steps[:length]) for length in range(len(steps)))
            return role, steps

        for row in shape.rows:
            if row.lens.spread:
                continue
            rows.setdefault(way(row.at, roles[row.at.root]), row)
            if row.flag is not None:
                flags[way(row.flag, roles[row.flag.root])] = row
        for constant in shape.constants:
            constants[way(constant.at, roles.get(constant.at.root, "event"))] = constant
        for constant in shape.envelope:
            constants[way(constant.at, "event")] = constant
        return cls(shape, rows, flags, constants, frozenset(inner), roles)

    @property
    def batch(self) -> tuple[Step, ...] | None:
        """Return where the events of a batch stand in the event."""
        return self.shape.each.steps if self.shape.each is not None else None

    def role_of(self, index: int) -> str:
        """Return the role of a handler's parameter by its place; empty for one that is neither event nor context."""
        parameters = self.shape.handed_over
        if index >= len(parameters):
            return ""
        name = parameters[index]
        if self.shape.each is not None and name == self.shape.each.root:
            return "event"
        return self.roles.get(name, "")

    def row(self, role: str, steps: tuple[Step, ...]) -> Row | None:
        """Return the row at a place."""
        return self.rows.get((role, _bare(steps)))

    def knows(self, role: str, steps: tuple[Step, ...]) -> bool:
        """Tell whether something stands at a place, or behind it."""
        place = (role, _bare(steps))
        if role == "event" and self.batch is not None and self.batch[: len(steps)] == steps:
            return True
        return place in self.rows or place in self.inner or place in self.flags or place in self.constants

    def is_method(self, role: str, steps: tuple[Step, ...]) -> bool:
        """Tell whether a place is called."""
        return (role, (*_bare(steps), Call())) in self.rows


#: Forms of answers that are translated and not yet written by hand.
_FORMS: Final = frozenset(["raised", "pieces", "tuple", "number", "data", "list"])


def beyond_hand(kind: Kind) -> str:
    """Return what of a kind's shapes no handler is rewritten for yet, in words; nothing where all of it is."""
    reply = kind.answered
    rows = [row for form in reply.forms for row in form.rows]
    known = {
        "handlers are classes": bool(kind.method),
        "handlers are called by keyword": kind.by_keyword,
        "batches go through several levels": bool(kind.event.levels),
        "events come in several shapes": bool(kind.others),
        "content is read once": not all(row.lens.by_hand for row in kind.event.rows),
        "answers are told apart by what they hold": bool(
            reply.bodyless
            or reply.again_by
            or reply.again_with
            or any(form.when in _FORMS or form.keys or form.types for form in reply.forms)
            or not all(row.lens.by_hand for row in rows)
        ),
    }
    return next((word for word, there in known.items() if there), "")
