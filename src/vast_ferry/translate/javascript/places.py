"""What stands at each place of a provider's event, and how that is written at the target: one expression a place."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.compile.reading import place_node
from vast_ferry.mapping.compile.writing import Branch
from vast_ferry.mapping.javascript import library
from vast_ferry.mapping.javascript.functions import (
    GIVEN,
    Source,
    function,
    making_of,
    there,
)
from vast_ferry.mapping.javascript.names import RESERVED, camel
from vast_ferry.mapping.javascript.writing import Arrow, JavaScript, NoTwin, Statements, everything_in, text
from vast_ferry.mapping.lenses.lens import Plain
from vast_ferry.mapping.places import Access, Attr, Call, Item, Step
from vast_ferry.mapping.tables import Kind, Row

#: Kinds of fields whose values are texts, numbers and the like: no one can change what they hold.
_UNCHANGING = frozenset(("text", "integer", "integer or nothing", "number"))
#: Helpers that give another value each time.
_EACH_TIME = frozenset(("newId", "now", "clockFrom"))
_LONGEST_IN_PLACE = 60
#: What can be read once, as emitted functions call it.
CONTENT: Final = "contentBytes"


@dataclass(slots=True)
class Part:
    """A place of the event: what lies behind it by name, the row that fills it, how it is called."""

    at: Access
    parts: dict[str, Part] = field(default_factory=dict)
    row: Row | None = None
    called: Part | None = None
    call: Call | None = None
    constant: bool = False
    batch: bool = False
    object: bool = False  # one of services
    own: str = ""  # the name of what the project itself put there

    @property
    def is_leaf(self) -> bool:
        """Tell whether something stands there by itself."""
        return self.row is not None or self.constant or self.object or bool(self.own)


@dataclass(frozen=True, slots=True)
class Written:
    """How a place is written at the target: its text, the function behind it if there is one, what it needs."""

    text: str
    source: Source | None = None
    awaited: bool = False
    waits: bool = False  # it is made of what can be read once
    afresh: bool = False  # it is another each time


class Places:
    """The places of one kind of event at the source, each as the target has it."""

    def __init__(self, source: Kind, target: Kind, function_name: str, limit: float) -> None:
        self.ours, self.theirs = there(source.event), there(target.event)
        self.modules: frozenset[str] = frozenset()  # the provider's, at the source
        if self.ours.levels or self.theirs.levels or self.ours.told_by or self.theirs.told_by:
            raise NoTwin("batches in batches are not rewritten in JavaScript")
        self.given = {"functionName": text(function_name), "limit": f"{limit:g}"}
        self.reading, self.making, self.trees = making_of(self.theirs, self.ours, fresh=True)
        self.waits: ex.Expression | None = None  # what can be read once, and has to be waited for
        self.roots = {name: Part(Access(name)) for name in self.ours.parameters}
        for row in self.ours.rows:
            self._plant(row.at, row)
            if row.flag is not None:
                self._plant(row.flag, None)
        for one in self.ours.constants:
            self._plant(one.at, None)
        for at in self.ours.objects:
            self._part(at).object = True
        if self.ours.each is not None:
            for one in self.ours.envelope:
                self._plant(one.at, None)
            self._part(self.ours.each).batch = True

    def _part(self, at: Access) -> Part:
        part = self.roots.setdefault(at.root, Part(Access(at.root)))
        for number, step in enumerate(at.steps):
            here = Access(at.root, at.steps[: number + 1])
            if isinstance(step, Call):
                part.called = part.called or Part(here)
                part.call = step
                part = part.called
            elif isinstance(step, Item | Attr):
                part = part.parts.setdefault(_name(step), Part(here))
            else:
                raise NoTwin("encoded places are not rewritten in JavaScript")
        return part

    def _plant(self, at: Access, row: Row | None) -> None:
        part = self._part(at)
        part.row = part.row or row
        part.constant = row is None

    def of_parameter(self, name: str) -> Part:
        """Return what a parameter of the handler is."""
        return self.roots[name]

    def unchanging(self, part: Part) -> bool:
        """Tell whether what stands at a place can't be changed by whoever has it."""
        if part.row is None:
            return part.constant or part.object or bool(part.own)
        packed = part.row.lens.content in ("packed", "text")
        return self.ours.fields[part.row.field].holds in _UNCHANGING or packed

    def written(self, part: Part, *, content: str = "") -> Written:
        """Return how what stands at a place is written at the target, where `content` is what can be read once.

        Raises NoTwin where it can't be.
        """
        self.given[CONTENT] = content or CONTENT
        return self._of(self._expression(part), camel(last_name(part.at)) or part.at.root)

    def whole(self, name: str) -> Written:
        """Return how all that a parameter has is made at the target."""
        if self.ours.each is not None and name == self.ours.each.root:
            entry = self.ours.event_parameters[0]
            one = self.making.build(self.trees[entry], Access(entry))
            every: ex.Expression = ex.Sequence((one,))
            if self.theirs.each is not None:
                item = self.theirs.event_parameters[0]
                every = ex.Call(ex.Attribute(place_node(self.theirs.each), "map"), (Arrow(item, one),))
            trees = self.making.plant((), {one.at: one.value for one in self.ours.envelope})
            trees.setdefault(name, Branch()).at(self.ours.each.steps).leaf = every
            return self._of(self.making.build(trees[name], Access(name)), f"{self.ours.kind}_batch", whole=True)
        if name not in self.trees:
            raise NoTwin(f"nothing is told of {name}")
        return self._of(self.making.build(self.trees[name], Access(name)), name, whole=True)

    def _expression(self, part: Part) -> ex.Expression:
        branch: Branch | None = self.trees.get(part.at.root)
        for step in part.at.steps:
            found = [] if branch is None else [one for key, one in branch.children.items() if _same(key, step)]
            branch = found[0] if found else None
        if branch is None:
            raise NoTwin(f"{part.at} has nothing there")
        if isinstance(part.at.steps[-1] if part.at.steps else None, Call):
            row = branch.rows[0]
            return row.lens.write(self._called(row.field), self.reading.need)
        return self.making.build(branch, part.at)

    def _called(self, field: str) -> ex.Expression:
        """Return the value of a field; of one that is called without anything, what the call gives."""
        value = self.reading.need(field)
        if self.ours.fields[field].holds != "call":
            return value
        if isinstance(value, ex.Function) and not value.parameters:
            return value.body
        if isinstance(value, Arrow) and not value.parameters:
            return value.of
        return ex.Call(value)

    def callee(self, part: Part) -> tuple[str, str]:
        """Return what is called at the target where this is called, with the same arguments, and the helper that it is.

        Raises NoTwin where the arguments would have to be others.
        """
        assert part.row is not None
        value = self.reading.need(part.row.field)
        if not isinstance(part.row.lens, Plain):
            raise NoTwin("its arguments would be others")
        if isinstance(value, Arrow) and isinstance(value.of, ex.Call):
            given = ", ".join(one.identifier for one in value.of.arguments if isinstance(one, ex.Variable))
            if given == value.parameters:
                return JavaScript().write(value.of.function), ""
        if isinstance(value, ex.Given) and library.has(camel(value.text)):
            return camel(value.text), camel(value.text)
        raise NoTwin("its arguments would be others")

    def waited_for(self, name: str) -> Written:
        """Return how what can be read once is read: by whatever else is made of it, it stands under a name."""
        assert self.waits is not None
        self.given[CONTENT] = name
        return self._of(self.waits, "bytes", whole=True)

    def _brought_out(self, expression: ex.Expression) -> ex.Expression:
        """Return an expression with a name in the place of what has to be waited for; raises NoTwin for two."""
        found = {node for node in everything_in(expression) if isinstance(node, ex.Await)}
        if not found:
            return expression
        if len(found | ({self.waits} if self.waits is not None else set())) > 1:
            raise NoTwin("several things have to be waited for")
        (self.waits,) = found
        return ex.substituted(expression, {self.waits: ex.Variable(CONTENT)})

    def _of(self, expression: ex.Expression, name: str, *, whole: bool = False) -> Written:
        expression = expression if whole else self._brought_out(expression)
        used: set[str] = set()
        held = frozenset(self.reading.octets() if whole else ())
        writer = Statements(set(RESERVED) | {*self.theirs.parameters, *GIVEN.values()}, used=used, held=held)
        writer.count(expression)
        made = writer.write(expression)
        body = "\n".join([*writer.lines, f"return {made};"])
        awaited = "await " in body
        simple = not writer.lines and not used and "\n" not in made and not awaited
        if simple and len(made) <= _LONGEST_IN_PLACE:
            waits = _mentions(made, CONTENT)
            for own, value in self.given.items():
                made = value if made == own else made
            return Written(made, waits=waits)
        # A batch that is made of a batch names the events in it by itself.
        inner = self.theirs.event_parameters if name.endswith("_batch") and self.theirs.each is not None else ()
        handed = dict.fromkeys([*self.theirs.handed_over, *self.theirs.parameters, *GIVEN.values(), CONTENT])
        parameters = [one for one in handed if one not in inner and _mentions(body, one)]
        own = f"{camel(name)}Of"
        source = Source(
            own, function(own, parameters, body, awaited=awaited), tuple(parameters), awaited, frozenset(used)
        )
        arguments = ", ".join(self.given.get(one, one) for one in parameters)
        afresh = bool(used & _EACH_TIME)
        return Written(f"{own}({arguments})", source, awaited, waits=CONTENT in parameters, afresh=afresh)


def spelt(at: Access | None) -> str:
    """Return a place as code."""
    assert at is not None
    return JavaScript().write(place_node(at))


def _name(step: Step) -> str:
    return str(step.key) if isinstance(step, Item) else getattr(step, "name", "")


def _same(one: Step, other: Step) -> bool:
    return isinstance(one, Call) and isinstance(other, Call) if isinstance(one, Call) else one == other


def last_name(at: Access) -> str:
    """Return the name at the end of a place."""
    steps = [step for step in at.steps if not isinstance(step, Call)]
    return _name(steps[-1]) if steps else at.root


def _mentions(body: str, name: str) -> bool:
    return re.search(rf"(?<![\w.$]){re.escape(name)}(?![\w$])", body) is not None
