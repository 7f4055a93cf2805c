"""How a provider's shapes look to a reader of code: what stands at which step from an event or the context."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.hub.kinds import is_request
from vast_ferry.mapping.by_functions import is_by_name, told_otherwise, written_by_hand
from vast_ferry.mapping.lenses.packed import Utf8
from vast_ferry.mapping.lenses.pairs import MultiMap
from vast_ferry.mapping.places import Access, Attr, Call, Step, Through
from vast_ferry.mapping.tables import Constant, EventShape, Kind, ReplyForm, ReplyShape, Row
from vast_ferry.translate.places import Spot


def _bare(steps: tuple[Step, ...]) -> tuple[Step, ...]:
    """Return steps whose calls don't tell their parameters."""
    if Call not in [step.__class__ for step in steps]:  # as nearly all are
        return steps
    return tuple(Call() if isinstance(step, Call) else step for step in steps)


def _leads_to(at: Access, other: Access) -> bool:
    return len(other.steps) > len(at.steps) and other.steps[: len(at.steps)] == at.steps


@dataclass(frozen=True, slots=True)
class ShapeMap:
    """One kind's shape: rows and constants by role and steps, and the places on the way to them."""

    shape: EventShape
    rows: Mapping[tuple[str, tuple[Step, ...]], Row] = field(default_factory=dict)
    flags: Mapping[tuple[str, tuple[Step, ...]], Row] = field(default_factory=dict)
    constants: Mapping[tuple[str, tuple[Step, ...]], Constant] = field(default_factory=dict)
    inner: frozenset[tuple[str, tuple[Step, ...]]] = frozenset()
    roles: Mapping[str, str] = field(default_factory=dict)  # a parameter → its role
    left_out: frozenset[tuple[str, tuple[Step, ...]]] = frozenset()  # where nothing stands if there is nothing to say
    packed: frozenset[tuple[str, tuple[Step, ...]]] = frozenset()  # where what stands there is encoded

    @classmethod
    def of(cls, shape: EventShape) -> ShapeMap:
        """Return the map of a shape."""
        own = shape.event_parameters
        # What a handler is told of its call, and by what it reaches services.
        context = {at.root for at in (*(row.at for row in shape.rows), *shape.objects)} - set(own)
        roles = {name: "context" for name in context}
        roles |= {name: name for name in own[1:]}
        roles[own[0]] = "entry" if shape.each is not None else "event"
        rows: dict[tuple[str, tuple[Step, ...]], Row] = {}
        flags: dict[tuple[str, tuple[Step, ...]], Row] = {}
        constants: dict[tuple[str, tuple[Step, ...]], Constant] = {}
        inner: set[tuple[str, tuple[Step, ...]]] = set()

        def way(at: Access, role: str) -> tuple[str, tuple[Step, ...]]:
            steps = _bare(at.steps)
            inner.update((role, steps[:length]) for length in range(len(steps)))
            return role, steps

        left_out, packed = set(), set()
        for row in shape.rows:
            if row.lens.spread:
                # Keys of a mapping of its own: what stands there, and what does not, the lens knows.
                left_out |= {way(row.at, roles[row.at.root])} if row.at.steps else set()
                continue
            through = next((at for at, step in enumerate(row.at.steps) if isinstance(step, Through)), None)
            if through is not None:
                packed.add((roles[row.at.root], row.at.steps[:through]))
            rows.setdefault(way(row.at, roles[row.at.root]), row)
            behind = any(at.root == row.at.root and _leads_to(at, row.at) for at in shape.nothing)
            if row.unless_empty or behind:
                left_out.add(way(row.at, roles[row.at.root]))
            if row.flag is not None:
                flags[way(row.flag, roles[row.flag.root])] = row
                if row.unless_empty or any(_leads_to(at, row.flag) for at in shape.nothing):
                    left_out.add(way(row.flag, roles[row.flag.root]))
        for constant in shape.constants:
            constants[way(constant.at, roles.get(constant.at.root, "event"))] = constant
        for constant in shape.envelope:
            constants[way(constant.at, "event")] = constant
        return cls(shape, rows, flags, constants, frozenset(inner), roles, frozenset(left_out), frozenset(packed))

    @property
    def batch(self) -> tuple[Step, ...] | None:
        """Return where the events of a batch stand in the event."""
        return self.shape.each.steps if self.shape.each is not None else None

    def role_of(self, index: int) -> str:
        """Return the role of a handler's parameter by its place; empty for one that is neither event nor context."""
        parameters = self.shape.handed_over
        return self.role_of_name(parameters[index]) if index < len(parameters) else ""

    def role_of_name(self, name: str) -> str:
        """Return the role of what a provider hands over under a name; empty for what is neither event nor context."""
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

    def may_be_missing(self, spot: Spot) -> bool:
        """Tell whether nothing stands at a place where there is nothing to say: to ask for it may fail."""
        return (spot.role, _bare(spot.steps)) in self.left_out

    def is_packed(self, spot: Spot) -> bool:
        """Tell whether what stands at a place is encoded: it is a text, whatever rows read in it."""
        return (spot.role, _bare(spot.steps)) in self.packed

    def within(self, spot: Spot) -> Iterator[Row]:
        """Yield the rows at a place and behind it."""
        at = _bare(spot.steps)
        for (role, steps), row in self.rows.items():
            if role == spot.role and steps[: len(at)] == at:
                yield row

    def is_object(self, spot: Spot) -> bool:
        """Tell whether an object of the provider's stands at a place: it has what the profile tells, and no more."""
        at, length = _bare(spot.steps), len(spot.steps)
        places = (steps for role, steps in (*self.rows, *self.inner) if role == spot.role and len(steps) > length)
        return any(steps[:length] == at and isinstance(steps[length], Attr) for steps in places)

    def is_an_object(self, role: str, steps: tuple[Step, ...]) -> bool:
        """Tell whether what stands at a place is an object, and no mapping: two that are made of the same differ."""
        at = _bare(steps)
        if (row := self.rows.get((role, at))) is not None:
            return isinstance(row.lens, MultiMap)
        if self.is_method(role, steps):
            return False
        behind = (own[len(at) : len(at) + 1] for one, own in self.rows if one == role and own[: len(at)] == at)
        return any(isinstance(step, (Attr, Call)) for rest in behind for step in rest)

    def is_method(self, role: str, steps: tuple[Step, ...]) -> bool:
        """Tell whether a place is called."""
        return (role, (*_bare(steps), Call())) in self.rows


#: Forms of answers that tell by what they hold what they are.
_BY_SHAPE: Final = frozenset(["raised", "pieces", "tuple", "number", "data", "list"])


def told_by_shape(shape: ReplyShape) -> bool:
    """Tell whether a provider tells answers apart by what they hold."""
    # What a protocol's calls tell, or is sent by messages, is in forms of its own, which an object stands for.
    own = shape.callback is not None or bool(shape.via)
    rows = [(form, row) for form in shape.forms for row in form.rows if not own]
    told = any(form.when in _BY_SHAPE or form.keys or form.types for form in shape.forms)
    known = all(row.lens.by_hand and (_is_text(form, row) or not told_otherwise(row)) for form, row in rows)
    return bool(told or shape.bodyless or not known)


def _is_text(form: ReplyForm, row: Row) -> bool:
    """Tell whether what stands in an answer is a text, as fields are or a content is."""
    return is_by_name(row.lens) or (form.when in ("text", "writer") and isinstance(row.lens, Utf8))


def answers_apart(reply: ReplyShape) -> bool:
    """Tell whether no handler puts such answers together, and an emitted function makes each of what it was."""
    alone = reply.by_hand is None and reply.told is None and not reply.callback and not reply.via
    return alone and written_by_hand(reply) is None


def beyond_hand(kind: Kind, *, read: bool) -> str:
    """Return what of a kind's shapes no handler is rewritten for yet, in words; nothing where all of it is.

    More can be `read`, at the provider that handlers come from, than is written.
    """
    reply = kind.answered
    written = written_by_hand(reply) if not read else None
    apart = not read and is_request(kind.event.kind) and answers_apart(reply)
    again = bool(reply.again_by or reply.again_with)
    known = {
        "events are told one by one what became of them": bool(kind.event.told_by) and not kind.event.levels,
        "handlers answer by calls of what they are handed": reply.told is not None and not read,
        "handlers answer through what tells them of the event": kind.answers_through_event,
        "what a batch comes in tells of the call as well": bool(kind.event.tells_more),
        "answers name events that come again in another way": again and not kind.event.levels,
        "answers are told apart by what they hold": told_by_shape(reply)
        and not apart
        and not (kind.event.levels or (read and is_request(kind.event.kind)))
        and not (written is not None and written is not reply),
    }
    return next((word for word, there in known.items() if there), "")
