"""From two tables to straight-line source: read (A → hub), write (hub → B), and A → B fused with nothing in between.

All three are one function, `translate_event`, because the hub is a shape like any other.
"""

from __future__ import annotations

import ast
import textwrap
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from vast_ferry.hub.fields import Field
from vast_ferry.mapping.helpers import content_type_of
from vast_ferry.mapping.lenses.http import MultiMap
from vast_ferry.mapping.lenses.lens import Plain, PlainBytes
from vast_ferry.mapping.losses import Loss, missing
from vast_ferry.mapping.nodes import RESERVED, Node, Writer, call, docstring, literal, variable, wrap
from vast_ferry.mapping.places import Access, Attr, Call, Item, Step
from vast_ferry.mapping.tables import TESTS, Callback, EventShape, ReplyForm, ReplyShape, Row
from vast_ferry.mapping.views import Rule


@dataclass(frozen=True, slots=True)
class Source:
    """Generated source: the function's text, the classes it makes objects of, its imports and parameters' names."""

    name: str
    text: str
    classes: Mapping[str, str] = field(default_factory=dict)
    imports: tuple[str, ...] = ()
    parameters: tuple[str, ...] = ()
    awaited: bool = False  # a coroutine function


class CannotWrite(Exception):
    """A shape whose places can't be written together."""


# --- reading: what a hub field is, in terms of a shape ---------------------------------------------------------------


@dataclass(slots=True)
class Reading:
    """Answers what expression gives a hub field: a row's, a rule's over others, something given, or the default."""

    fields: Mapping[str, Field]
    rules: tuple[Rule, ...]
    rows: Mapping[str, Row] = field(default_factory=dict)
    given: Mapping[str, Node] = field(default_factory=dict)
    variables: bool = False  # every field is a variable of its own name, noted in `asked`
    truths_of: str = ""  # every truth is an attribute of this, noted in `asked`
    default_types: tuple[str, str] | None = None  # of a reply's content that names none: as text, as bytes
    asked: dict[str, None] = field(default_factory=dict)
    given_used: dict[str, None] = field(default_factory=dict)
    _known: dict[str, Node] = field(default_factory=dict)
    _under_way: set[str] = field(default_factory=set)

    def need(self, name: str) -> Node:
        """Return the expression for a field, its default where the shape has nothing to say."""
        node = self.find(name)
        if node is None:
            default = self.fields[name].default
            node = Node(default.replace("{", "{{").replace("}", "}}"), plain=True)
        return node

    def find(self, name: str) -> Node | None:
        """Return the expression for a field, or nothing where the shape does not say it."""
        if name in self._known:
            return self._known[name]
        node = self._direct(name)
        if node is None and name not in self._under_way:
            self._under_way.add(name)
            rule = self.rule_for(name)
            if rule is not None:
                node = rule.build(*(self.need(part) for part in rule.needs))
                node = Node(node.text, node.parts, self.fields[name].variable, node.plain)
            self._under_way.discard(name)
        if node is not None:
            self._known[name] = node
        return node

    def rule_for(self, name: str) -> Rule | None:
        """Return the rule by which a field follows: its needs all given, or all found, or the first."""
        rules = [rule for rule in self.rules if rule.gives == name]
        for rule in rules:
            if all(self._direct(part) is not None for part in rule.needs):
                return rule
        for rule in rules:
            if all(self.find(part) is not None for part in rule.needs):
                return rule
        return next((rule for rule in rules if self.find(rule.needs[0]) is not None), None)

    def _direct(self, name: str) -> Node | None:
        hub = self.fields[name]
        if self.variables:
            self.asked[name] = None
            return variable(hub.variable)
        if self.truths_of and hub.truth:
            self.asked[name] = None
            return variable(f"{self.truths_of}._{hub.variable}")
        if name in self.rows:
            return self._row(self.rows[name])
        if name in self.given:
            self.given_used[name] = None
            return self.given[name]
        return None

    def _row(self, row: Row) -> Node:
        hub = self.fields[row.field]
        if hub.holds == "call":
            return self._call_row(row, hub)
        default = literal(None)
        if isinstance(row.lens, Plain | PlainBytes):
            default = Node(hub.default.replace("{", "{{").replace("}", "}}"), plain=True)
        node = row.lens.read(
            place_node(row.at, default if row.optional else None),
            place_node(row.flag, literal(None) if row.optional else None) if row.flag else None,
            self.need,
        )
        node = Node(node.text, node.parts, hub.variable, node.plain)
        return self.shape_row(row, node)

    def shape_row(self, row: Row, node: Node) -> Node:
        """Return what a row gives, with the content type that a reply has if it names none."""
        body = self.rows.get("body")
        if self.default_types is None or body is None or row.field not in ("headers", "headers.plain"):
            return node
        missing_value = literal(None) if body.optional else None
        flag = place_node(body.flag, missing_value) if body.flag else None
        is_text = body.lens.told_text(place_node(body.at, missing_value), flag)
        return call("with_default_type", node, is_text, *map(literal, self.default_types), name=node.name)

    def _call_row(self, row: Row, hub: Field) -> Node:
        if isinstance(row.lens, Plain):
            last = row.at.steps[-1]
            if not isinstance(last, Call):
                return place_node(row.at)
            method = place_node(Access(row.at.root, row.at.steps[:-1]))
            # A log that takes text only gets what comes with it as a part of the text.
            return call("text_log", method) if "**more" in hub.call and "**more" not in last.parameters else method
        if not isinstance(row.at.steps[-1], Call):
            return row.lens.read(place_node(row.at), None, self.need)
        called = row.lens.read(place_node(row.at), None, self.need)
        return Node(f"(lambda{' ' if hub.call else ''}{hub.call}: {called.text})", called.parts)


def place_node(at: Access, default: Node | None = None) -> Node:
    """Return the expression that reads a place; prefixes are shared, a missing last step gives `default`."""
    node = variable(at.root)
    for index, step in enumerate(at.steps):
        last = index == len(at.steps) - 1
        name = str(step.key) if isinstance(step, Item) else step.name if isinstance(step, Attr) else node.name
        name = "".join(c if c.isalnum() else "_" for c in name).strip("_").lower()
        name = name if name.isidentifier() else "value"
        if last and default is not None and isinstance(step, Item):
            node = wrap(f"{{0}}.get({_quoted(step.key)}, {{1}})", node, default, name=name)
        elif last and default is not None and isinstance(step, Attr):
            node = wrap(f"getattr({{0}}, {step.name!r}, {{1}})", node, default, name=name)
        else:
            after = step.after("\0").replace("{", "{{").replace("}", "}}").replace("\0", "{0}")
            node = wrap(after, node, name=name)
    return node


def _quoted(key: str | int) -> str:
    return repr(key).replace("{", "{{").replace("}", "}}")


def reading_of(shape: EventShape, given: Mapping[str, Node] | None = None) -> Reading:
    """Return how hub fields are read from an event's shape."""
    rows = {row.field: row for row in reversed(shape.rows) if not row.derived}
    return Reading(shape.fields, shape.rules, rows, given or {})


# --- writing: native places from hub fields --------------------------------------------------------------------------


@dataclass(slots=True)
class _Branch:
    """A node of the tree of places that are written."""

    children: dict[Step, _Branch] = field(default_factory=dict)
    rows: list[Row] = field(default_factory=list)
    leaf: Node | None = None
    unless: str = ""  # left out where it is `empty`, or is `nothing`
    spreads: list[Node] = field(default_factory=list)

    def at(self, steps: tuple[Step, ...]) -> _Branch:
        branch = self
        for step in steps:
            branch = branch.children.setdefault(step, _Branch())
        return branch


@dataclass(slots=True)
class _Construction:
    """Builds the constructor expressions for a shape's parameters."""

    reading: Reading
    source: Reading
    class_names: Mapping[str, str]
    classes: dict[str, str] = field(default_factory=dict)
    prefix: str = ""  # of classes that are named after their place: several kinds may stand in one module

    def value(self, row: Row) -> Node:
        """Return what stands at a row's place; equal lenses on both sides cancel."""
        twin = self.source.rows.get(row.field)
        if (
            twin is not None
            and twin.lens == row.lens
            and not isinstance(row.lens, Plain | PlainBytes)
            and not (row.lens.needs or row.lens.flagged or row.lens.spread or twin.optional)
        ):
            return place_node(twin.at)
        if isinstance(row.lens, MultiMap):
            self.classes[row.lens.class_name] = row.lens.class_source()
        value = self.reading.need(row.field)
        if twin is not None and twin.lens.folded:
            return row.lens.write_folded(value, self.reading.need)
        return row.lens.write(value, self.reading.need)

    def plant(self, rows: tuple[Row, ...], constants: Mapping[Access, object]) -> dict[str, _Branch]:
        """Return the trees of places, one a root."""
        trees: dict[str, _Branch] = {}
        for at, value in constants.items():
            trees.setdefault(at.root, _Branch()).at(at.steps).leaf = literal(value)
        for row in rows:
            if row.lens.reads_only:
                continue
            branch = trees.setdefault(row.at.root, _Branch()).at(row.at.steps)
            if row.lens.spread:
                branch.spreads.append(self.value(row))
                continue
            branch.rows.append(row)
            if row.unless_empty:
                branch.unless = "empty" if row.flag is None else "nothing"
            if row.flag is not None:
                flag = trees.setdefault(row.flag.root, _Branch()).at(row.flag.steps)
                flag.leaf = row.lens.write_flag(self.reading.need(row.field), self.reading.need)
                flag.unless = branch.unless
        return trees

    def build(self, branch: _Branch, at: Access) -> Node:
        """Return the expression that makes what stands at `at`."""
        if branch.leaf is not None:
            return branch.leaf
        if not branch.children and not branch.spreads:
            return self.value(branch.rows[0])
        if all(isinstance(step, Item) for step in branch.children):
            return self._mapping(branch, at)
        if any(isinstance(step, Item) for step in branch.children):
            raise CannotWrite(f"{at} has both items and attributes")
        return self._object(branch, at)

    def _mapping(self, branch: _Branch, at: Access) -> Node:
        parts = list(branch.spreads)
        texts = [f"**{{{index}}}" for index in range(len(parts))]
        for step, child in branch.children.items():
            assert isinstance(step, Item)
            texts.append(f"{_quoted(step.key)}: {{{len(parts)}}}")
            if child.unless:
                condition = f"{{{len(parts)}}}{' is not None' if child.unless == 'nothing' else ''}"
                texts[-1] = f"**({{{{{texts[-1]}}}}} if {condition} else {{{{}}}})"
            parts.append(self.build(child, Access(at.root, (*at.steps, step))))
        if len(branch.spreads) == 1 and not branch.children:
            return branch.spreads[0]
        body = "".join(f"\n    {text}," for text in texts)
        return Node(f"{{{{{body}\n}}}}", tuple(parts), name=at.root)

    def _object(self, branch: _Branch, at: Access) -> Node:
        last = at.steps[-1] if at.steps else None
        default = (last.name if isinstance(last, Attr) else at.root).title().replace("_", "")
        name = self.class_names.get(str(at), f"{self.prefix}{default}")
        attributes: dict[str, Node] = {}
        stored: dict[str, Node] = {}
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
        self.classes[name] = "\n".join(lines)
        parts = (*attributes.values(), *stored.values())
        places = "".join(f"\n    {{{index}}}," for index in range(len(parts)))
        return Node(f"{name}({places}\n)", parts, name=(at.steps and name.lower()) or at.root)

    def _method(self, name: str, call_step: Call, row: Row, stored: dict[str, Node]) -> str:
        word = "async def" if call_step.awaited else "def"
        hub = self.reading.fields[row.field]
        parameters = ", ".join(("self", *call_step.parameters))
        if hub.holds == "call":
            slot = f"_{hub.variable}"
            stored[slot] = self.reading.need(row.field)
            result = row.lens.write(variable(f"self.{slot}({', '.join(call_step.parameters)})"), self.reading.need)
            body = _statements([result])
        else:
            inside = Reading(self.reading.fields, self.reading.rules, truths_of="self")
            result = row.lens.write(inside.need(row.field), inside.need)
            body = _statements([result])
            for asked in inside.asked:
                stored[f"_{self.reading.fields[asked].variable}"] = self.reading.need(asked)
        return f"{word} {name}({parameters}):\n" + textwrap.indent(body, "    ")


def _values(roots: list[Node], taken: set[str] | None = None) -> tuple[list[str], list[str]]:
    writer = Writer(set(RESERVED).union(taken or ()))
    for root in roots:
        writer.count(root)
    values = [writer.write(root) for root in roots]
    return writer.lines, values


def _statements(roots: list[Node], taken: set[str] | None = None) -> str:
    lines, values = _values(roots, taken)
    return "\n".join([*lines, f"return {', '.join(values)}"])


# --- whole functions -------------------------------------------------------------------------------------------------

#: What a caller may hand to a translation beside the event: hub field → parameter with its default.
GIVEN = {"function": 'function=""', "limit": "limit=60.0"}
#: What is made afresh where a handler is called for real and the caller's shape has no such thing.
FRESH = {"id": "new_id", "time": "now"}


def translate_event(
    name: str, source: EventShape, target: EventShape, about: str = "", *, fresh: bool = False
) -> Source:
    """Return a function that takes `source`'s parameters and gives `target`'s, as a tuple where there are several.

    What neither the event nor a rule gives, and the caller must know, comes as parameters (`function`, `limit`).
    With `fresh`, an identity and a time that `source` does not have are made, as for a real call.
    """
    given = {field: variable(field) for field in GIVEN}
    if fresh:
        given.update({field: call(helper, name=field) for field, helper in FRESH.items()})
    reading = reading_of(source, given)
    prefix = "" if target.kind == "http" else target.kind.title()
    making = _Construction(reading, reading, target.classes, prefix=prefix)
    trees = making.plant(target.rows, {constant.at: constant.value for constant in target.constants})
    for at, name_of_class in target.objects.items():
        trees.setdefault(at.root, _Branch()).at(at.steps).leaf = Node(f"{name_of_class}()", plain=True)
    roots = [making.build(trees[name], Access(name)) if name in trees else variable(name) for name in target.parameters]
    body = _statements(roots, {*source.parameters, *GIVEN})
    parameters = [name for name in source.parameters if any(row.at.root == name for row in source.rows)]
    parameters += [name for name in target.parameters if name not in trees]
    parameters += [GIVEN[field] for field in GIVEN if field in reading.given_used]
    text = f"{_def(source)} {name}({', '.join(dict.fromkeys(parameters))}):\n"
    text += f"    {docstring(about)}\n" if about else ""
    names = tuple(parameter.partition("=")[0] for parameter in dict.fromkeys(parameters))
    text += textwrap.indent(body, "    ")
    return Source(name, text, making.classes, parameters=names, awaited=source.awaits)


#: A value read from JSON is of the type that its field holds: an expression for each kind of field.
_TYPE_TESTS = {
    "text": "{0}.__class__ is str",
    "bytes": "{0}.__class__ is bytes",
    "integer": "{0}.__class__ is int",
    "integer or nothing": "({0} is None or {0}.__class__ is int)",
    "record": "({0} is None or {0}.__class__ is dict)",
    "pairs": "all_pairs({0})",
    "texts": "all_texts({0})",
    "list of text": "all_text({0})",
}


def translate_checked(name: str, source: EventShape, target: EventShape, asked: tuple[str, ...] = ()) -> Source:
    """Return a function that takes an event on file and gives it in the other shape, whether it was good, and truths.

    Good is an event each of whose rows reads as what its field holds. The truths that are `asked` for come as a tuple.
    Each value is read once for all of it.
    """
    reading = reading_of(source)
    making = _Construction(reading, reading, target.classes)
    trees = making.plant(target.rows, {constant.at: constant.value for constant in target.constants})
    (root,) = target.parameters
    tests: list[Node] = []
    for row in source.rows:
        holds = source.fields[row.field].holds
        if row.derived or holds not in _TYPE_TESTS:
            continue
        tests.append(wrap(_TYPE_TESTS[holds], reading.need(row.field)))
    made = making.build(trees[root], Access(root)) if root in trees else literal(None)
    good = Node(" and ".join(f"{{{index}}}" for index in range(len(tests))) or "True", tuple(tests))
    truths = Node(f"({''.join(f'{{{index}}}, ' for index in range(len(asked)))})", tuple(map(reading.need, asked)))
    body = _statements([made, good, truths], set(source.parameters))
    text = f"def {name}({', '.join(source.parameters)}):\n" + textwrap.indent(body, "    ")
    return Source(name, text, making.classes, parameters=source.parameters)


def _def(source: EventShape) -> str:
    return "async def" if source.awaits else "def"


def build_batch(name: str, shape: EventShape) -> Source:
    """Return a function that takes the events of a batch, in the native shape, and gives the batch."""
    assert shape.each is not None
    making = _Construction(reading_of(shape), reading_of(shape), shape.classes)
    trees = making.plant((), {constant.at: constant.value for constant in shape.envelope})
    trees.setdefault(shape.each.root, _Branch()).at(shape.each.steps).leaf = variable("entries")
    root = shape.each.root
    body = _statements([making.build(trees[root], Access(root))], {"entries"})
    text = f"def {name}(entries):\n" + textwrap.indent(body, "    ")
    return Source(name, text, making.classes, parameters=("entries",))


def view_event(name: str, shape: EventShape, field: str, about: str = "") -> Source:
    """Return a function that takes those of an event's parameters that it needs, and gives one hub field of it."""
    reading = reading_of(shape)
    body = _statements([reading.need(field)])
    tree = ast.parse(textwrap.dedent(f"async def _():\n{textwrap.indent(body, '    ')}"))
    used = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
    awaited = any(isinstance(node, ast.Await) for node in ast.walk(tree))
    parameters = [name for name in shape.parameters if name in used] or [shape.parameters[0]]
    text = f"{'async ' * awaited}def {name}({', '.join(parameters)}):\n"
    text += f"    {docstring(about)}\n" if about else ""
    text += textwrap.indent(body, "    ")
    return Source(name, text, parameters=tuple(parameters), awaited=awaited)


def view_place(name: str, shape: EventShape, native: EventShape, at: Access, about: str = "") -> Source:
    """Return a function that takes those parameters of `shape` that it needs, and gives what stands at a native place.

    A place on the way to more gives all that stands behind it.
    """
    given = {field: variable(field) for field in GIVEN}
    given.update({field: call(helper, name=field) for field, helper in FRESH.items()})
    reading = reading_of(shape, given)
    steps = len(at.steps)
    making = _Construction(reading, reading, native.classes, prefix="".join(w.title() for w in name.split("_")))
    bare = _bare_steps(at.steps)
    rows = tuple(row for row in native.rows if row.at.root == at.root and _bare_steps(row.at.steps)[:steps] == bare)
    held = [c for c in native.constants if c.at.root == at.root and c.at.steps[:steps] == at.steps]
    flagged = next((row for row in native.rows if row.flag == at), None)
    if flagged is not None:
        root = flagged.lens.write_flag(reading.need(flagged.field), reading.need)
    else:
        trees = making.plant(rows, {constant.at: constant.value for constant in held})
        if at.root not in trees:
            raise CannotWrite(f"nothing stands at {at}")
        branch = trees[at.root]
        for step in at.steps:
            branch = next(
                child for key, child in branch.children.items() if _bare_steps((key,)) == _bare_steps((step,))
            )
        root = making.build(branch, at)
    body = _statements([root], {*shape.parameters, *GIVEN})
    tree = ast.parse(textwrap.dedent(f"async def _():\n{textwrap.indent(body, '    ')}"))
    used = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
    awaited = any(isinstance(node, ast.Await) for node in ast.walk(tree))
    parameters = [name for name in shape.parameters if name in used]
    parameters += [GIVEN[field] for field in GIVEN if field in reading.given_used]
    text = f"{'async ' * awaited}def {name}({', '.join(parameters)}):\n"
    text += f"    {docstring(about)}\n" if about else ""
    text += textwrap.indent(body, "    ")
    names = tuple(parameter.partition("=")[0] for parameter in parameters)
    return Source(name, text, making.classes, parameters=names, awaited=awaited)


def _bare_steps(steps: tuple[Step, ...]) -> tuple[Step, ...]:
    return tuple(Call() if isinstance(step, Call) else step for step in steps)


def translate_reply(name: str, source: ReplyShape, target: ReplyShape, about: str = "") -> Source:
    """Return a function that takes what a handler returned at `source` and answers as `target` wants it.

    Its parameters: the returned value, `told` (what `source`'s callback was called with, by name), `method` of the
    request if `target`'s form depends on it, and `target`'s callback. It raises TypeError for an answer that has none
    of `source`'s forms, and ValueError for header fields or a status that RFC 9110 does not allow.
    """
    root = "returned" if source.callback else source.root
    wanted = Reading(target.fields, target.rules, variables=True)
    out = target.written
    making = _Construction(wanted, Reading(target.fields, target.rules), {})
    ends = _answer(making, target, out)
    asked = [name for name in wanted.asked if name != "method"]
    lines: list[str] = []
    taken = {root, "method", TOLD, *(target.fields[name].variable for name in asked)}
    for index, form in enumerate(source.forms):
        body = _branch(source, form, asked, taken, root)
        if form.when == "always":
            lines.append(body)
            break
        test = TESTS[form.when].format(root, form.short_name)
        lines += [f"{'elif' if index else 'if'} {test}:", textwrap.indent(body, "    ")]
    else:
        names = " or ".join(_form_name(form) for form in source.forms)
        lines += [
            "else:",
            f'    raise TypeError(f"a reply is {names}, not {{type({root}).__name__}}")',
        ]
    before, values = _values(ends, taken)
    lines += before
    if target.callback:
        *told, result = values
        lines += [f"{target.callback.name}({', '.join(told)})", f"return {result}"]
    else:
        lines.append(f"return {values[0]}")
    parameters = [root, *([TOLD] if source.callback else [])]
    parameters += ["method"] if "method" in wanted.asked else []
    parameters += [target.callback.name] if target.callback else []
    text = f"def {name}({', '.join(parameters)}):\n"
    text += f"    {docstring(about)}\n" if about else ""
    text += textwrap.indent("\n".join(lines), "    ")
    classes = [form.class_name for form in (*source.forms, target.written) if form.class_name]
    imports = tuple(f"from {path.rpartition('.')[0]} import {path.rpartition('.')[2]}" for path in classes)
    return Source(name, text, making.classes, imports, tuple(parameters))


def _form_name(form: ReplyForm) -> str:
    return {"nothing": "None", "object": form.short_name, "mapping": "a mapping"}.get(form.when, form.when)


def _answer(making: _Construction, target: ReplyShape, form: ReplyForm) -> list[Node]:
    trees = making.plant(form.rows, {})
    if target.callback:
        return [making.build(trees[name], Access(name)) for name in (*target.callback.arguments, "returned")]
    if target.root not in trees:  # a handler that has nothing to say
        return [literal(None)]
    tree = trees[target.root]
    if form.when != "object":
        return [making.build(tree, Access(target.root))]
    parts: list[Node] = []
    texts: list[str] = []
    for step, branch in tree.children.items():
        if not isinstance(step, Attr):
            raise CannotWrite(f"{target.root}{step.after('')}: an object is answered by its attributes")
        texts.append(f"{step.name}={{{len(parts)}}}")
        parts.append(making.build(branch, Access(target.root, (step,))))
    return [Node(f"{form.short_name}({', '.join(texts)})", tuple(parts))]


#: Where what a callback was called with is looked up: only when its row is read, since draining may call it.
TOLD = "told"


def _told(row: Row, callback: Callback | None) -> Row:
    if callback is None or row.at.root not in callback.arguments:
        return row
    return replace(row, at=Access(TOLD, (Item(row.at.root), *row.at.steps)))


def _branch(source: ReplyShape, form: ReplyForm, asked: list[str], taken: set[str], root: str) -> str:
    given = {name: literal(value) for name, value in form.fixed.items()}
    rows = {row.field: _told(row, source.callback) for row in reversed(form.rows) if not row.derived}
    # The order of the profile's rows is the order of reading: an iterable is drained before what it sets is looked at.
    reading = Reading(source.fields, source.rules, rows, given, default_types=form.default_types)
    order = [row.field for row in form.rows if row.field in asked]
    order += [name for name in asked if name not in order]
    writer = Writer(set(RESERVED) | taken)
    nodes: dict[str, Node] = {}
    for name in order:
        node = reading.need(name)
        if name in form.fixed:
            pass
        elif name in ("headers", "headers.plain"):
            node = call("safe_headers", node)
        elif name == "status":
            node = call("final_status", node)
        nodes[name] = node
    for node in nodes.values():
        writer.count(node)
    for name in order:
        source_text = writer.write(nodes[name])
        writer.lines.append(f"{source.fields[name].variable} = {source_text}")
    return "\n".join(writer.lines) or "pass"


# --- what is lost ----------------------------------------------------------------------------------------------------


def event_losses(shape: EventShape, seen_by: EventShape | None = None) -> list[Loss]:
    """Return what an event's shape can't hold of the hub, most harmful first.

    With `seen_by`, only what a handler written for that other shape could have seen.
    """
    reading = reading_of(shape, {"function": variable("function"), "limit": variable("limit")})
    wanted = set(shape.fields)
    own: list[Loss] = []
    if seen_by is not None:
        wanted = {row.field for row in seen_by.rows}
        own = event_losses(seen_by)
    return _losses(reading, wanted, own, {"function", "limit"})


#: Of a form whose provider names a type where a handler names none.
TYPE_ADDED = Loss(
    "type-added",
    "headers",
    "a reply names no content type",
    "the provider gives it one",
    lambda fields: not content_type_of(fields["headers"]),
)


def reply_losses(shape: ReplyShape, seen_by: ReplyShape | None = None) -> list[Loss]:
    """Return what the form in which a reply is written can't hold of the hub."""
    form = shape.written
    reading = Reading(shape.fields, shape.rules, {row.field: row for row in form.rows if not row.derived})
    own = reply_losses(seen_by) if seen_by is not None else []
    losses = _losses(reading, {name for name, hub in shape.fields.items() if hub.truth}, own, {"method"})
    if form.default_types and TYPE_ADDED not in own:
        losses.append(TYPE_ADDED)
    return losses


def _losses(reading: Reading, wanted: set[str], own: list[Loss], given: set[str]) -> list[Loss]:
    found: dict[str, Loss] = {}

    def walk(name: str, under_way: frozenset[str]) -> None:
        hub = reading.fields[name]
        if name in reading.rows:
            for loss in reading.rows[name].lens.losses(name):
                found.setdefault(f"{loss.code} {loss.field}", loss)
            return
        if name in given or hub.holds == "call" or name in under_way:
            return
        rule = reading.rule_for(name)
        if rule is None:
            if hub.truth:
                found.setdefault(f"no {name}", missing(name, hub.meaning, hub.default_value))
            return
        for loss in rule.losses:
            found.setdefault(f"{loss.code} {loss.field}", loss)
        for part in rule.needs:
            walk(part, under_way | {name})

    truths = {name for name in wanted if reading.fields[name].truth}
    for name in wanted - truths:  # a view is seen through its truths
        stack = [name]
        while stack:
            top = stack.pop()
            for rule in reading.rules:
                if rule.gives == top and not reading.fields[top].truth:
                    truths.update(part for part in rule.needs if reading.fields[part].truth)
                    stack += [part for part in rule.needs if not reading.fields[part].truth and part != name]
                    break
    for name in reading.fields:
        if name in truths:
            walk(name, frozenset())
    kept = [loss for loss in found.values() if not any(loss.comes_after(before) for before in own)]
    return sorted(kept, key=lambda loss: (loss.harmless, bool(loss.unless), loss.field))
