"""Writing: native places from hub fields, put together as the tree that they are."""

from __future__ import annotations

import textwrap
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.hub.findings import FerryError
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.compile.reading import Reading, needs_nothing, place_node
from vast_ferry.mapping.expressions import Expression
from vast_ferry.mapping.lenses.lens import Plain, PlainBytes
from vast_ferry.mapping.lenses.pairs import MultiMap
from vast_ferry.mapping.places import Access, Attr, Call, Item, Step, Through
from vast_ferry.mapping.python import RESERVED, Statements
from vast_ferry.mapping.tables import Row, Told

#: A list that is told item by item has so many at most.
_LONGEST_LIST: Final = 64


class CannotWrite(FerryError):
    """A shape whose places can't be written together."""


@dataclass(slots=True)
class Branch:
    """A node of the tree of places that are written."""

    children: dict[Step, Branch] = field(default_factory=dict)
    rows: list[Row] = field(default_factory=list)
    leaf: Expression | None = None
    unless: str = ""  # left out where it is `empty`, or is `nothing`
    spreads: list[Expression] = field(default_factory=list)
    nothing: str | None = None  # the field without which nothing stands here

    def at(self, steps: tuple[Step, ...]) -> Branch:
        branch = self
        for step in steps:
            branch = branch.children.setdefault(step, Branch())
        return branch


@dataclass(slots=True)
class Construction:
    """Builds the constructor expressions for a shape's parameters."""

    reading: Reading
    source: Reading
    class_names: Mapping[str, str]
    classes: dict[str, str] = field(default_factory=dict)
    told_of: str = ""
    told_by: tuple[Told, ...] = ()
    compared: bool = False  # objects are told equal by what they hold, to be put into one batch
    prefix: str = ""  # of classes that are named after their place: several kinds may stand in one module

    def value(self, row: Row) -> Expression:
        """Return what stands at a row's place; equal lenses on both sides cancel."""
        made = self._value(row)
        if not row.null_if_empty:
            return made
        # A form may make something of what is empty, so the field is asked.
        return ex.Choice(self._told(row), made, ex.Literal(None))

    def _told(self, row: Row) -> Expression:
        """Return whether there is anything in a row's field."""
        value = self.reading.need(row.field)
        nothing = self.reading.fields[row.field].default == "None"
        return ex.Operation("is not", (value, ex.Literal(None))) if nothing else value

    def _value(self, row: Row) -> Expression:
        twin = self.source.rows.get(row.field)
        if (
            twin is not None
            and twin.lens == row.lens
            and not isinstance(row.lens, (Plain, PlainBytes))
            and not (row.lens.needs or row.lens.flagged or row.lens.spread or twin.optional)
        ):
            return place_node(twin.at)
        if isinstance(row.lens, MultiMap):
            self.classes[row.lens.class_name] = row.lens.class_source()
        value = self.reading.need(row.field)
        if twin is not None and twin.lens.folded:
            return row.lens.write_folded(value, self.reading.need)
        return row.lens.write(value, self.reading.need)

    def plant(
        self, rows: tuple[Row, ...], constants: Mapping[Access, object], nothing: Mapping[Access, str] | None = None
    ) -> dict[str, Branch]:
        """Return the trees of places, one a root; `nothing` stands where a field is empty."""
        trees: dict[str, Branch] = {}
        for at, value in constants.items():
            trees.setdefault(at.root, Branch()).at(at.steps).leaf = ex.Literal(value)
        for row in rows:
            if row.lens.reads_only or row.read_only:
                continue
            branch = trees.setdefault(row.at.root, Branch()).at(row.at.steps)
            if row.lens.spread:
                branch.spreads.append(self.value(row))
                continue
            branch.rows.append(row)
            if row.unless_empty:
                told = row.lens.wants_value or self.reading.fields[row.field].default == "None"
                branch.unless = "told" if told else "empty" if row.flag is None else "nothing"
            if row.flag is not None:
                flag = trees.setdefault(row.flag.root, Branch()).at(row.flag.steps)
                flag.leaf = row.lens.write_flag(self.reading.need(row.field), self.reading.need)
                flag.unless = branch.unless
        for at, field_name in (nothing or {}).items():
            steps = at.steps
            while steps and isinstance(steps[-1], Through):  # what stands there is null, not an encoded null
                steps = steps[:-1]
            trees.setdefault(at.root, Branch()).at(steps).nothing = field_name
        return trees

    def build(self, branch: Branch, at: Access) -> Expression:
        """Return the expression that makes what stands at `at`."""
        if branch.leaf is not None:
            return branch.leaf
        if not branch.children and not branch.spreads:
            return self.value(branch.rows[0]) if branch.rows else ex.Literal(None)
        through = next((step for step in branch.children if isinstance(step, Through)), None)
        if through is not None:
            if len(branch.children) > 1 or branch.rows:
                raise CannotWrite(f"{at} is both encoded and not")
            inside = self.build(branch.children[through], Access(at.root, (*at.steps, through)))
            written = through.lens.write(inside, needs_nothing)
            if branch.nothing is not None:
                return ex.Choice(self.reading.need(branch.nothing), written, ex.Literal(None))
            return written
        if branch.nothing is not None:
            held = self._built(branch, at)
            return ex.Choice(self.reading.need(branch.nothing), held, ex.Literal(None))
        return self._built(branch, at)

    def _built(self, branch: Branch, at: Access) -> Expression:
        if all(isinstance(step, Item) for step in branch.children):
            return self._mapping(branch, at)
        if any(isinstance(step, Item) for step in branch.children):
            raise CannotWrite(f"{at} has both items and attributes")
        return self._object(branch, at)

    def _mapping(self, branch: Branch, at: Access) -> Expression:
        if len(branch.spreads) == 1 and not branch.children:
            return branch.spreads[0]
        if branch.children and all(isinstance(step, Item) and isinstance(step.key, int) for step in branch.children):
            return self._list(branch, at)
        entries = [ex.Entry(None, spread) for spread in branch.spreads]
        for step, child in branch.children.items():
            assert isinstance(step, Item)
            value = self.build(child, Access(at.root, (*at.steps, step)))
            test = self._told(child.rows[0]) if child.unless == "told" else None
            entries.append(ex.Entry(ex.Literal(step.key), value, "" if test else child.unless, test))
        return ex.Mapping(tuple(entries), lines=True, name=at.root)

    def _list(self, branch: Branch, at: Access) -> Expression:
        """Return a list of which some items are told by their number; nothing stands between them."""
        held = {step.key: child for step, child in branch.children.items() if isinstance(step, Item)}
        most = max(key for key in held if isinstance(key, int))
        if branch.spreads or min(key for key in held if isinstance(key, int)) < 0 or most > _LONGEST_LIST:
            raise CannotWrite(f"{at} has items that can't be written: number them from 0, to {_LONGEST_LIST} at most")
        items = [
            self.build(held[key], Access(at.root, (*at.steps, Item(key)))) if key in held else ex.Literal(None)
            for key in range(most + 1)
        ]
        return ex.Sequence(tuple(items))

    def _object(self, branch: Branch, at: Access) -> Expression:
        last = at.steps[-1] if at.steps else None
        word = last.name if isinstance(last, Attr) else str(last.key) if isinstance(last, Item) else at.root
        default = "".join(c for c in word.title() if c.isalnum()) or at.root.title()
        name = self.class_names.get(str(at), f"{self.prefix}{default}")
        attributes: dict[str, Expression] = {}
        stored: dict[str, Expression] = {}
        methods: list[str] = []
        for step, child in branch.children.items():
            here = Access(at.root, (*at.steps, step))
            if not isinstance(step, Attr):
                raise CannotWrite(f"{here}: an object's steps are attributes and methods")
            calls = [inner for inner in child.children if isinstance(inner, Call)]
            if not calls:
                attributes[step.name] = self.build(child, here)
                continue
            if len(child.children) > 1 or child.rows or child.leaf:
                raise CannotWrite(f"{here} is both a method and a value")
            methods.append(self._method(step.name, calls[0], child.children[calls[0]].rows[0], stored))
        slots = [*attributes, *stored]
        lines = [f"class {name}:", f"    __slots__ = ({', '.join(repr(slot) for slot in slots)},)", ""]
        arguments = [*attributes, *(f"kept{slot}" for slot in stored)]
        lines += [f"    def __init__(self, {', '.join(arguments)}):"]
        lines += [f"        self.{slot} = {argument}" for slot, argument in zip(slots, arguments, strict=True)]
        for method in methods:
            lines += ["", textwrap.indent(method, "    ")]
        if self.told_by and at.steps == (Item(self.told_of),):
            lines[1] = f"    __slots__ = ({', '.join(repr(slot) for slot in (*slots, '_told'))},)"
            lines.insert(4, "        self._told = []  # what became of it, as the handler says")
            for one in self.told_by:
                own = ", ".join(("self", *one.parameters))
                lines += ["", f"    def {one.name}({own}):", f"        self._told.append({one.verb!r})"]
        if self.compared:
            held = ", ".join(f"self.{slot} == other.{slot}" for slot in slots) or "True"
            lines += ["", "    def __eq__(self, other):", f"        return all([{held}])"]
        self.classes[name] = "\n".join(lines)
        parts = (*attributes.values(), *stored.values())
        return ex.Call(ex.Variable(name), parts, lines=True, name=(at.steps and name.lower()) or at.root)

    def _method(self, name: str, call_step: Call, row: Row, stored: dict[str, Expression]) -> str:
        word = "async def" if call_step.awaited else "def"
        hub = self.reading.fields[row.field]
        parameters = ", ".join(("self", *call_step.parameters))
        if hub.holds == "call":
            slot = f"_{hub.variable}"
            stored[slot] = self.reading.need(row.field)
            passed = ", ".join(one.partition("=")[0] for one in call_step.parameters)
            result = row.lens.write(ex.Variable(f"self.{slot}({passed})"), self.reading.need)
            body = returning([result])
        else:
            inside = Reading(self.reading.fields, self.reading.rules, truths_of="self")
            result = row.lens.write(inside.need(row.field), inside.need)
            body = returning([result])
            for asked in inside.asked:
                stored[f"_{self.reading.fields[asked].variable}"] = self.reading.need(asked)
        return f"{word} {name}({parameters}):\n" + textwrap.indent(body, "    ")


def values_of(roots: list[Expression], taken: set[str] | None = None) -> tuple[list[str], list[str]]:
    writer = Statements(set(RESERVED).union(taken or ()))
    for root in roots:
        writer.count(root)
    values = [writer.write(root) for root in roots]
    return writer.lines, values


def returning(roots: list[Expression], taken: set[str] | None = None) -> str:
    lines, values = values_of(roots, taken)
    return "\n".join([*lines, f"return {', '.join(values)}"])
