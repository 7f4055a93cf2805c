"""Reading: what a hub field is, in terms of a shape."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from vast_ferry.hub.fields import Field
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.lenses.lens import LensError, Plain, PlainBytes
from vast_ferry.mapping.places import Access, Attr, Call, Item, Through
from vast_ferry.mapping.tables import EventShape, Row
from vast_ferry.mapping.views import Rule


@dataclass(slots=True)
class Reading:
    """Answers what expression gives a hub field: a row's, a rule's over others, something given, or the default."""

    fields: Mapping[str, Field]
    rules: tuple[Rule, ...]
    rows: Mapping[str, Row] = field(default_factory=dict)
    given: Mapping[str, Expression] = field(default_factory=dict)
    variables: bool = False  # every field is a variable of its own name, noted in `asked`
    truths_of: str = ""  # every truth is an attribute of this, noted in `asked`
    default_types: tuple[str, str] | None = None  # of a reply's content that names none: as text, as bytes
    types: Mapping[str, str] = field(default_factory=dict)  # the same, by what the content is given as
    type_first: bool = False
    asked: dict[str, None] = field(default_factory=dict)
    given_used: dict[str, None] = field(default_factory=dict)
    _known: dict[str, Expression] = field(default_factory=dict)
    _under_way: set[str] = field(default_factory=set)

    def need(self, name: str) -> Expression:
        """Return the expression for a field, its default where the shape has nothing to say."""
        node = self.find(name)
        if node is None:
            node = self._typed(name, ex.Given(self.fields[name].default))
        return node

    def find(self, name: str) -> Expression | None:
        """Return the expression for a field, or nothing where the shape does not say it."""
        if name in self._known:
            return self._known[name]
        node = self._direct(name)
        if node is None and name not in self._under_way:
            self._under_way.add(name)
            rule = self.rule_for(name)
            if rule is not None:
                node = rule.build(*(self.need(part) for part in rule.needs))
                node = node.called(self.fields[name].variable)
                if name in ("headers", "headers.plain") and rule.needs[0].startswith("own."):
                    node = self.shape_row(Row(Access("_"), name), node)
            self._under_way.discard(name)
        if node is not None:
            self._known[name] = node
        return node

    def rule_for(self, name: str) -> Rule | None:
        """Return the rule by which a field follows: its needs all given, or all found, or the first."""
        rules = [rule for rule in self.rules if rule.gives == name]
        if rules and self.fields[name].holds == "any":
            return rules[0]  # a field of the shape's own follows from whatever there is
        asked = name in self._under_way
        self._under_way.add(name)
        try:
            return self._best(rules)
        finally:
            if not asked:
                self._under_way.discard(name)

    def _best(self, rules: list[Rule]) -> Rule | None:
        for at, rule in enumerate(rules):
            if all(self._direct(part) is not None for part in rule.needs):
                # What follows from as much and more says more, also where some of it is only found.
                fuller = (one for one in rules[:at] if {*rule.needs} < {*one.needs})
                return next((one for one in fuller if all(map(self._there, one.needs))), rule)
        for rule in rules:
            if all(self._there(part) for part in rule.needs):
                return rule
        found = next((rule for rule in rules if self._there(rule.needs[0])), None)
        if found is None and rules and self.fields[rules[0].gives].truth:  # better a part of it than nothing
            found = next((rule for rule in rules if any(part in self.rows for part in rule.needs)), None)
        return found

    def _there(self, name: str) -> bool:
        """Tell whether the shape says a field; one of a shape's own, only where a row reads it."""
        return name in self.rows if self.fields[name].holds == "any" else self.find(name) is not None

    def _direct(self, name: str) -> Expression | None:
        hub = self.fields[name]
        if self.variables and hub.holds != "any":
            self.asked[name] = None
            return ex.Variable(hub.variable)
        if self.truths_of and hub.truth:
            self.asked[name] = None
            return ex.Variable(f"{self.truths_of}._{hub.variable}")
        if name in self.rows:
            return self._row(self.rows[name])
        if name in self.given:
            self.given_used[name] = None
            return self._typed(name, self.given[name])
        return None

    def _row(self, row: Row) -> Expression:
        hub = self.fields[row.field]
        if hub.holds == "call":
            return self._call_row(row, hub)
        nothing = ex.Literal(None)
        flag = place_node(row.flag, nothing if row.optional else None) if row.flag else None
        if isinstance(row.lens, (Plain, PlainBytes)):
            usual = None if not row.optional else nothing if row.at.gently else ex.Given(hub.default)
            node = row.lens.read(place_node(row.at, usual), flag, self.need)
            if row.optional and hub.default != "None":
                node = ex.Choice(ex.Operation("is not", (node, nothing)), node, ex.Given(hub.default))
        elif row.optional and row.lens.wants_value:
            at = place_node(row.at, nothing)
            there = ex.Operation("is not", (at, nothing))
            node = ex.Choice(there, row.lens.read(at, flag, self.need), ex.Given(hub.default))
        else:
            node = row.lens.read(place_node(row.at, nothing if row.optional else None), flag, self.need)
        node = node.called(hub.variable)
        return self.shape_row(row, node)

    def shape_row(self, row: Row, node: Expression) -> Expression:
        """Return what a row gives, with the content type that a reply has if it names none."""
        if self.types:
            return self._typed(row.field, node)
        body = self.rows.get("body")
        if self.default_types is None or body is None or row.field not in ("headers", "headers.plain"):
            return node
        missing_value = ex.Literal(None) if body.optional else None
        flag = place_node(body.flag, missing_value) if body.flag else None
        is_text = body.lens.told_text(place_node(body.at, missing_value), flag)
        return helper("with_default_type", node, is_text, *map(ex.Literal, self.default_types), name=node.name)

    def _typed(self, field: str, node: Expression) -> Expression:
        """Return header fields with the type of a content that names none, by what the content is given as."""
        body = self.rows.get("body")
        if not self.types or body is None or field not in ("headers", "headers.plain"):
            return node
        at = place_node(replace(body.at, gently=True), ex.Literal(None)) if body.at.steps else place_node(body.at)
        types = ex.Literal(dict(self.types))
        return helper("with_type_for", node, body.lens.content_kind(at), types, ex.Literal(self.type_first))

    def _call_row(self, row: Row, hub: Field) -> Expression:
        if isinstance(row.lens, Plain):
            last = row.at.steps[-1]
            if not isinstance(last, Call):
                return place_node(row.at)
            method = place_node(Access(row.at.root, row.at.steps[:-1]))
            # A log that takes text only gets what comes with it as a part of the text.
            return helper("text_log", method) if "**more" in hub.call and "**more" not in last.parameters else method
        if not isinstance(row.at.steps[-1], Call):
            return row.lens.read(place_node(row.at), None, self.need)
        called = row.lens.read(place_node(row.at), None, self.need)
        return ex.Function(hub.call, called)


def place_node(at: Access, default: Expression | None = None) -> Expression:
    """Return the expression that reads a place; prefixes are shared, a missing last step gives `default`.

    Where there is a default, nothing on the way there is nothing at its end.
    """
    node: Expression = ex.Variable(at.root)
    if default is not None and at.gently:
        return _gently(node, at)
    for index, step in enumerate(at.steps):
        last = index == len(at.steps) - 1
        name = str(step.key) if isinstance(step, Item) else step.name if isinstance(step, Attr) else node.name
        name = _variable(name)
        if isinstance(step, Item):
            node = ex.Item(node, ex.Literal(step.key), default if last else None, name=name)
        elif isinstance(step, Attr):
            node = ex.Attribute(node, step.name, default if last else None, name=name)
        elif isinstance(step, Through):
            node = step.lens.read(node, None, needs_nothing).called("inside")
        else:
            called = ex.Call(node, tuple(ex.Given(parameter) for parameter in step.parameters))
            node = ex.Await(called, name=name) if step.awaited else called.called(name)
    return node


def _variable(name: str) -> str:
    """Return a name for the variable that holds what a step leads to."""
    name = "".join(c if c.isalnum() else "_" for c in name).strip("_").lower()
    return name if name.isidentifier() else "value"


def needs_nothing(field: str) -> Expression:
    raise LensError(f"a form on the way to a place can't depend on {field}")


def _gently(node: Expression, at: Access) -> Expression:
    """Return what stands at a place, nothing where anything on the way there is missing or nothing."""
    nothing = ex.Literal(None)
    run: list[str | int] = []

    def reached(node: Expression) -> Expression:
        if not run:
            return node
        return helper("gently", node, *map(ex.Literal, run), name=_variable(str(run[-1])))

    for step in at.steps:
        if isinstance(step, Item):
            run.append(step.key)
        elif isinstance(step, Attr):
            run.append(f".{step.name}")
        else:
            node = reached(node)
            run = []
            if isinstance(step, Through):
                inside = step.lens.read(node, None, needs_nothing)
            else:
                inside = ex.Call(node, tuple(ex.Given(parameter) for parameter in step.parameters))
            node = ex.Choice(ex.Operation("is not", (node, nothing)), inside, nothing, name="inside")
    return reached(node)


def reading_of(
    shape: EventShape, given: Mapping[str, Expression] | None = None, other: EventShape | None = None
) -> Reading:
    """Return how hub fields are read from an event's shape, and the own fields of another that is written."""
    rows = {row.field: row for row in reversed(shape.rows) if not row.derived}
    if other is None or (other.fields is shape.fields and other.rules is shape.rules):
        return Reading(shape.fields, shape.rules, rows, given or {})
    rules = (*shape.rules, *(rule for rule in other.rules if rule not in shape.rules))
    return Reading({**other.fields, **shape.fields}, rules, rows, given or {})
