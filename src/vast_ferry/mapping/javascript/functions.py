"""Whole functions of JavaScript: an event translated or viewed, a batch put together, a reply translated.

What is read and written is what `mapping.compile` says, of the same rows; only how an object is made differs. Here it
is an object with its methods in it, since nothing asks for its class.
"""

from __future__ import annotations

import textwrap
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

from vast_ferry.hub.fields import Field
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.compile.functions import FRESH, hold_place, tuple_of
from vast_ferry.mapping.compile.reading import Reading, needs_nothing, place_node
from vast_ferry.mapping.compile.writing import Branch, CannotWrite, Construction
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.javascript.names import RESERVED, camel, parameters_there, place_there
from vast_ferry.mapping.javascript.writing import (
    Arrow,
    New,
    NoTwin,
    Statements,
    key,
    literal,
    returning,
)
from vast_ferry.mapping.lenses.lens import Lens, Plain
from vast_ferry.mapping.lenses.pairs import MultiMap
from vast_ferry.mapping.places import Access, Attr, Call, Item
from vast_ferry.mapping.tables import EventShape, Kind, ReplyForm, ReplyShape, Row

#: The class of a place where the platform's own request stands (WHATWG Fetch).
WEB_REQUEST: Final = "Request"
#: What a caller may hand to a translation beside the event: hub field → the name of its parameter.
GIVEN: Final = {"function": "functionName", "limit": "limit"}


@dataclass(frozen=True, slots=True)
class Source:
    """A function: its text, its parameters, whether it has to be awaited, the helpers it uses, what it imports."""

    name: str
    text: str
    parameters: tuple[str, ...] = ()
    awaited: bool = False
    used: frozenset[str] = frozenset()
    imports: tuple[str, ...] = ()


def there(shape: EventShape) -> EventShape:
    """Return a shape with its places as they stand in JavaScript."""
    rows = tuple(
        replace(row, at=place_there(row.at), flag=place_there(row.flag) if row.flag else None) for row in shape.rows
    )
    return replace(
        shape,
        parameters=tuple(map(camel, shape.parameters)),
        rows=rows,
        constants=tuple(replace(one, at=place_there(one.at)) for one in shape.constants),
        event_parameters=tuple(map(camel, shape.event_parameters)),
        each=place_there(shape.each) if shape.each else None,
        envelope=tuple(replace(one, at=place_there(one.at)) for one in shape.envelope),
        nothing={place_there(at): name for at, name in shape.nothing.items()},
        levels=tuple(replace(level, of=replace(place_there(level.of), root=level.of.root)) for level in shape.levels),
        told_by=tuple(replace(one, name=camel(one.name)) for one in shape.told_by),
        objects={place_there(at): name for at, name in shape.objects.items()},
    )


def reply_there(shape: ReplyShape) -> ReplyShape:
    """Return an answer's shape with its places as they stand in JavaScript."""
    forms = tuple(
        replace(
            form,
            rows=tuple(
                replace(row, at=place_there(row.at), flag=place_there(row.flag) if row.flag else None)
                for row in form.rows
            ),
        )
        for form in shape.forms
    )
    named, within = (at and place_there(at) for at in (shape.again_name, shape.again_within))
    return replace(shape, forms=forms, again_name=named, again_within=within)


def kind_there(kind: Kind) -> Kind:
    """Return how events of a kind come and are answered, as it stands in JavaScript."""
    return replace(kind, event=there(kind.event), reply=reply_there(kind.answered))


class _Reading(Reading):
    """Reads as `Reading` does; what a handler may call comes with the object on which it is called."""

    __slots__ = ()

    def octets(self) -> list[Expression]:
        """Return what reads the fields of octets that were asked for: unlike text, they can be changed."""
        known = [node for name, node in self._known.items() if self.fields[name].holds == "bytes"]
        return [node for node in known if not isinstance(node, ex.PLAIN)]

    def _call_row(self, row: Row, hub: Field) -> Expression:
        last = row.at.steps[-1] if row.at.steps else None
        if not isinstance(row.lens, Plain) or not isinstance(last, Call):
            return Reading._call_row(self, row, hub)
        method = place_node(Access(row.at.root, row.at.steps[:-1]))
        names = [name.lstrip("*").partition("=")[0] for name in last.parameters]
        parameters = ", ".join(
            f"...{name}" if one.startswith("*") and not one.startswith("**") else name
            for name, one in zip(names, last.parameters, strict=True)
        )
        bound = Arrow(parameters, ex.Call(method, tuple(ex.Variable(one) for one in parameters.split(", ") if one)))
        return helper("text_log", bound) if "**more" in hub.call and "**more" not in last.parameters else bound


def construction_of(shape: EventShape) -> Construction:
    """Return how a shape's own places are built, of what it reads itself."""
    return _Construction(reading_of(shape), reading_of(shape), shape.classes)


def reading_of(
    shape: EventShape, given: Mapping[str, Expression] | None = None, other: EventShape | None = None
) -> _Reading:
    """Return how hub fields are read from an event's shape, and the own fields of another that is written."""
    rows = {row.field: row for row in reversed(shape.rows) if not row.derived}
    if other is None or (other.fields is shape.fields and other.rules is shape.rules):
        return _Reading(shape.fields, shape.rules, rows, given or {})
    rules = (*shape.rules, *(rule for rule in other.rules if rule not in shape.rules))
    return _Reading({**other.fields, **shape.fields}, rules, rows, given or {})


class _Construction(Construction):
    """Builds what stands at places; an object is one with its methods in it."""

    __slots__ = ()

    def _value(self, row: Row) -> Expression:
        if not isinstance(row.lens, MultiMap):
            return Construction._value(self, row)
        methods = ex.Literal({how: camel(own) for how, own in row.lens.methods.items()})
        folded = ex.Literal(dict(row.lens.options).get("case") == "no")
        return helper("pairs_by_name", self.reading.need(row.field), methods, folded)

    def _built(self, branch: Branch, at: Access) -> Expression:
        if branch.spreads and any(isinstance(step, Attr) for step in branch.children):
            return self._object(branch, at)
        return Construction._built(self, branch, at)

    def _object(self, branch: Branch, at: Access) -> Expression:
        if self.class_names.get(str(at)) == WEB_REQUEST:
            return self._web_request(branch, at)
        entries = [ex.Entry(None, spread) for spread in branch.spreads]
        for step, child in branch.children.items():
            here = Access(at.root, (*at.steps, step))
            if not isinstance(step, Attr):
                raise CannotWrite(f"{here}: an object's steps are attributes and methods")
            call = next((inner for inner in child.children if isinstance(inner, Call)), None)
            if call is None:
                entries.append(ex.Entry(ex.Literal(step.name), self.build(child, here), child.unless))
            else:
                value = self._arrow(call, child.children[call].rows[0])
                entries.append(ex.Entry(ex.Literal(step.name), value))
        made = ex.Mapping(tuple(entries), lines=True, name=at.root)
        if not self.told_by or at.steps != (Item(self.told_of),):
            return made
        return helper("told_by", made, ex.Literal({one.name: one.verb for one in self.told_by}), name=self.told_of)

    def _web_request(self, branch: Branch, at: Access) -> Expression:
        """Return the platform's own request: what it gives by methods is made of its content."""
        entries = []
        for step, child in branch.children.items():
            assert isinstance(step, Attr)
            call = next((inner for inner in child.children if isinstance(inner, Call)), None)
            if call is None:
                value = self.build(child, Access(at.root, (*at.steps, step)))
                entries.append(ex.Entry(ex.Literal(step.name), value, child.unless))
            elif child.children[call].rows[0].field != "body":
                raise NoTwin(f"{at}{step.after('')} is no method of the platform's requests")
        entries.append(ex.Entry(ex.Literal("body"), self.reading.need("body")))
        return helper("web_request", ex.Mapping(tuple(entries), lines=True), name=at.root)

    def _arrow(self, call: Call, row: Row) -> Expression:
        """Return a method: what may be called is called through it, what is read is made when it is called."""
        must, _ = parameters_there(call.parameters)
        names = [camel(one.lstrip("*").partition("=")[0]) for one in call.parameters]
        parameters = ", ".join([*must, *(name for name in names if not any(name in one for one in must))])
        value = self.reading.need(row.field)
        if self.reading.fields[row.field].holds == "call":
            value = ex.Call(value, tuple(ex.Variable(one) for one in parameters.split(", ") if one))
        return Arrow(parameters, row.lens.write(value, self.reading.need), call.awaited)


def making_of(
    source: EventShape, target: EventShape, *, fresh: bool = False
) -> tuple[_Reading, Construction, dict[str, Branch]]:
    """Return how `target`'s places are made of what `source` hands over: what reads, what builds, and the trees.

    Raises NoTwin for what has no form in JavaScript.
    """
    given: dict[str, Expression] = {field: ex.Variable(own) for field, own in GIVEN.items()}
    if fresh:
        reading = reading_of(source, other=target)
        given |= {field: helper(made, name=field) for field, made in FRESH.items() if reading.find(field) is None}
    reading = reading_of(source, given, target)
    making = _Construction(reading, reading, target.classes)
    trees = making.plant(target.rows, {one.at: one.value for one in target.constants}, target.nothing)
    making.told_of, making.told_by = target.told_of, target.told_by
    for level in target.levels:
        hold_place(trees, target, level)
    for at, name_of_class in target.objects.items():
        trees.setdefault(at.root, Branch()).at(at.steps).leaf = ex.Variable(name_of_class)
    return reading, making, trees


def translate_event(
    name: str, source: EventShape, target: EventShape, about: str = "", *, fresh: bool = False
) -> Source:
    """Return a function that takes `source`'s parameters and gives `target`'s, in an array where there are several.

    Both shapes are as they stand in JavaScript. Raises NoTwin for what has no form there.
    """
    reading, making, trees = making_of(source, target, fresh=fresh)
    roots = [
        making.build(trees[root], Access(root)) if root in trees else ex.Variable(root) for root in target.parameters
    ]
    used: set[str] = set()
    body = returning(roots, {*source.parameters, *GIVEN.values()}, used, reading.octets())
    parameters = [one for one in source.parameters if any(row.at.root == one for row in source.rows)]
    parameters += [one for one in target.parameters if one not in trees]
    parameters += [GIVEN[field] for field in GIVEN if field in reading.given_used]
    parameters = list(dict.fromkeys(parameters))
    text = function(name, parameters, body, about, awaited=source.awaits)
    return Source(name, text, tuple(parameters), source.awaits, frozenset(used))


def function(name: str, parameters: list[str], body: str, about: str = "", *, awaited: bool = False) -> str:
    """Return the text of a function."""
    head = f"/** {about} */\n" if about else ""
    return f"{head}{'async ' * awaited}function {name}({', '.join(parameters)}) {{\n{textwrap.indent(body, '  ')}\n}}"


def view_event(name: str, shape: EventShape, field: str, about: str = "") -> Source:
    """Return a function that takes an event's parameters and gives one hub field of it."""
    used: set[str] = set()
    body = returning([reading_of(shape).need(field)], set(shape.parameters), used)
    awaited = "await " in body
    return Source(
        name,
        function(name, list(shape.parameters), body, about, awaited=awaited),
        shape.parameters,
        awaited,
        frozenset(used),
    )


def lens_function(name: str, lens: Lens, *, reads: bool) -> Source:
    """Return a function that takes what stands at a place and gives what a lens reads there, or the other way round."""
    used: set[str] = set()
    value = ex.Variable("value")
    made = lens.read(value, None, needs_nothing) if reads else lens.write(value, needs_nothing)
    return Source(name, function(name, ["value"], returning([made], {"value"}, used)), ("value",), used=frozenset(used))


# --- answers ---------------------------------------------------------------------------------------------------------

#: How a form of an answer is told from the others: a test of what a handler gave, and the helpers that it uses.
_TESTS: Final = {
    "nothing": ("{0} == null", ()),
    "text": ('typeof {0} === "string"', ()),
    "bytes": ("{0} instanceof Uint8Array", ()),
    "mapping": ("isMapping({0})", ("isMapping",)),
    "object": ("{0} instanceof {1}", ()),
    "data": ('(typeof {0} === "object" || typeof {0} === "number")', ()),
    "truth": ('typeof {0} === "boolean"', ()),
    "number": ('typeof {0} === "number"', ()),
    "list": ("Array.isArray({0})", ()),
    "tuple": ("Array.isArray({0})", ()),
    "raised": ("{0} instanceof {1}", ()),
    "pieces": ("{0} instanceof Pieces", ("Pieces", "gathered")),
    "writer": ("{0} instanceof Answering", ("Answering",)),
    "always": ("true", ()),
}

Takes = Mapping[str, tuple[str, ...]]


def translate_reply(name: str, source: ReplyShape, target: ReplyShape, takes: Takes, about: str = "") -> Source:
    """Return a function that takes what a handler answered at `source` and answers as `target` wants it.

    `takes` has the parameters of each class by its full name. Its second parameter is the request's method, where the
    answer depends on it. The function throws a TypeError for an answer that has none of `source`'s forms.
    """
    root = camel(source.root)
    wanted = _Reading(target.fields, target.rules, variables=True)
    making = _Construction(wanted, _Reading(target.fields, target.rules), {})
    out = target.written
    used: set[str] = set()
    ends = _answer(making, target, out, takes)
    asked = [one for one in wanted.asked if one != "method"]
    names = [camel(target.fields[one].variable) for one in asked]
    lines = [f"let {', '.join(names)};"] if names else []
    pieces = next((form for form in source.forms if form.when == "pieces"), None)
    awaited = pieces is not None
    if pieces is not None:
        head = (
            "Array.isArray" if pieces.head == "tuple" else f"(one) => one instanceof {pieces.head.rpartition('.')[2]}"
        )
        lines.append(f"{root} = await gathered({root}, {head});")
    for index, form in enumerate(source.forms):
        if form.when not in _TESTS:
            raise NoTwin(f"answers of the form {form.when} have no form in JavaScript yet")
        test, helpers = _TESTS[form.when]
        used |= set(helpers)
        if form.keys:
            test = f"{test} && Object.keys({{0}}).every((key) => {literal(form.keys)}.includes(key))".replace(
                "{0}", root
            )
        if form.nothing_at is not None:
            test = f"{test} && {_nothing_at(form.nothing_at, root, used)}"
        body = _branch(source, form, asked, {root, "method", *names}, used)
        awaited = awaited or "await " in body
        if form.when == "always" and not index:
            lines.append(body)
            break
        test = test.replace("{0}", root).replace("{1}", form.short_name)
        head = f"if ({test}) {{" if form.when != "always" else "{"
        before = "} else " if index else ""
        lines += [f"{before}{head}", textwrap.indent(body, "  ")]
    else:
        used |= {"kindOf"}
        forms = " or ".join(_called(form) for form in source.forms)
        lines += ["} else {", f"  throw new TypeError(`an answer is {forms}, not ${{kindOf({root})}}`);"]
    if lines and (len(source.forms) > 1 or source.forms[0].when != "always"):
        lines.append("}")
    lines = [line for line in lines if line]
    writer = Statements(set(RESERVED) | {root, "method", *names}, used=used)
    for node in ends:
        writer.count(node)
    values = [writer.write(node) for node in ends]
    lines += writer.lines
    if out.raised:  # nothing is thrown where there is nothing to say
        used |= {"isFilled"}
        told = " || ".join(f"isFilled({name})" for name in names) or "false"
        lines += [f"if ({told}) throw {values[0]};", "return null;"]
    else:
        lines.append(f"return {values[0]};")
    parameters = [root, *(["method"] if "method" in wanted.asked else [])]
    classes = [form.class_name for form in (*source.forms, out)] + ([pieces.head] if pieces is not None else [])
    classes += source.writer.errors if source.writer is not None else ()
    imports = [import_of(name) for name in classes if "." in name]
    text = function(name, parameters, "\n".join(lines), about, awaited=awaited)
    return Source(name, text, tuple(parameters), awaited, frozenset(used), tuple(dict.fromkeys(imports)))


def import_of(path: str) -> str:
    """Return the statement that imports a class, named with its module."""
    module, _, name = path.rpartition(".")
    return f'import {{ {name} }} from "{module}";'


def _nothing_at(at: Access, root: str, used: set[str]) -> str:
    """Return the test of whether nothing stands at a place of an answer."""
    used.add("gently")
    steps = [
        step.key if isinstance(step, Item) else f".{step.name}" for step in at.steps if isinstance(step, Item | Attr)
    ]
    return f"gently({', '.join([root, *map(literal, steps)])}) === null"


def _called(form: ReplyForm) -> str:
    names = {"nothing": "nothing", "object": f"a {form.short_name}", "mapping": "a mapping", "writer": "told"}
    return names.get(form.when, form.when)


def _answer(making: Construction, target: ReplyShape, form: ReplyForm, takes: Takes) -> list[Expression]:
    trees = making.plant(form.rows, {})
    if target.callback is not None:
        raise NoTwin("answers by a callback of the call have no form in JavaScript yet")
    if target.root not in trees:
        return [ex.Literal(None)]
    tree = trees[target.root]
    if form.when == "tuple":
        return [tuple_of(making, tree, Access(target.root))]
    if form.when not in ("object", "raised"):
        return [making.build(tree, Access(target.root))]
    given: dict[str, Expression] = {}
    for step, branch in tree.children.items():
        if not isinstance(step, Attr):
            raise CannotWrite(f"{target.root}{step.after('')}: an object is answered by its attributes")
        inner = next((one for one in branch.children if isinstance(one, Call)), None)
        row = branch.children[inner].rows[0] if inner is not None else None
        given[step.name] = making.value(row) if row is not None else making.build(branch, Access(target.root, (step,)))
    first, *_ = [one.partition("=")[0].strip() for one in takes.get(form.class_name, ("body",))]
    content = given.pop(first, given.pop("bytes", ex.Literal(None)))
    return [New(form.short_name, (content,), tuple(given.items()))]


def _branch(source: ReplyShape, form: ReplyForm, asked: list[str], taken: set[str], used: set[str]) -> str:
    given = {name: ex.Literal(value) for name, value in form.fixed.items()}
    rows = {row.field: row for row in reversed(form.rows) if not row.derived}
    reading = _Reading(
        source.fields,
        source.rules,
        rows,
        given,
        default_types=form.default_types,
        types=form.types,
        type_first=form.type_first,
    )
    order = [row.field for row in form.rows if row.field in asked]
    order += [name for name in asked if name not in order]
    writer = Statements(set(RESERVED) | taken, used=used)
    nodes: dict[str, Expression] = {}
    for name in order:
        node = reading.need(name)
        if name not in form.fixed and name in ("headers", "headers.plain"):
            node = helper("safe_headers", node)
        elif name not in form.fixed and name == "status":
            node = helper("final_status", node)
        nodes[name] = node
    if source.bodyless:
        status = helper("final_status", reading.need("status"))
        for name in [one for one in nodes if one in ("body", "headers", "headers.plain")]:
            left = "content_for" if name == "body" else "fields_for"
            nodes[name] = helper(left, nodes[name], status, ex.Literal(source.bodyless))
    for node in nodes.values():
        writer.count(node)
    for name in order:
        text = writer.write(nodes[name])
        writer.lines.append(f"{camel(source.fields[name].variable)} = {text};")
    return "\n".join(writer.lines)


def object_text(values: Mapping[str, str], *, indent: str = "  ") -> str:
    """Return an object's source, an entry a line, of texts that are source already."""
    return "{" + "".join(f"\n{indent}{key(name)}: {value}," for name, value in values.items()) + "\n}"
