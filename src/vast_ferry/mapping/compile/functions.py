"""Whole functions of generated source: an event translated, checked, batched or viewed, and a reply translated."""

from __future__ import annotations

import ast
import textwrap
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

from vast_ferry.hub.kinds import is_request
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.compile.reading import Reading, needs_nothing, place_node, reading_of
from vast_ferry.mapping.compile.writing import Branch, CannotWrite, Construction, returning, values_of
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.lenses.forms import event_variable
from vast_ferry.mapping.lenses.lens import Lens
from vast_ferry.mapping.places import Access, Attr, Call, Item, Step, Through
from vast_ferry.mapping.python import RESERVED, Statements, docstring
from vast_ferry.mapping.tables import TESTS, Callback, EventShape, Level, ReplyForm, ReplyShape, Row


@dataclass(frozen=True, slots=True)
class Source:
    """Generated source: the function's text, the classes it makes objects of, its imports and parameters' names."""

    name: str
    text: str
    classes: Mapping[str, str] = field(default_factory=dict)
    imports: tuple[str, ...] = ()
    parameters: tuple[str, ...] = ()
    awaited: bool = False  # a coroutine function


#: What a caller may hand to a translation beside the event: hub field → parameter with its default.
GIVEN = {"function": 'function=""', "limit": "limit=60.0"}
#: What is made afresh where a handler is called for real and the caller's shape has no such thing.
FRESH = {"id": "new_id", "time": "now"}


def class_prefix(kind: str) -> str:
    """Return what stands before the names of the classes of a kind's objects."""
    return "" if is_request(kind) else kind.title().replace(".", "")


def translate_event(
    name: str, source: EventShape, target: EventShape, about: str = "", *, fresh: bool = False
) -> Source:
    """Return a function that takes `source`'s parameters and gives `target`'s, as a tuple where there are several.

    What neither the event nor a rule gives, and the caller must know, comes as parameters (`function`, `limit`).
    With `fresh`, an identity and a time that `source` does not have are made, as for a real call.
    """
    given: dict[str, Expression] = {field: ex.Variable(field) for field in GIVEN}
    if fresh:
        given.update(_made_afresh(source, target))
    reading = reading_of(source, given, target)
    making = Construction(reading, reading, target.classes, prefix=class_prefix(target.kind))
    trees = making.plant(target.rows, {constant.at: constant.value for constant in target.constants}, target.nothing)
    for level in target.levels:
        hold_place(trees, target, level)
    making.compared = bool(target.levels)
    making.told_of, making.told_by = target.told_of, target.told_by
    for at, name_of_class in target.objects.items():
        trees.setdefault(at.root, Branch()).at(at.steps).leaf = ex.Given(f"{name_of_class}()")
    roots = [
        making.build(trees[name], Access(name)) if name in trees else ex.Variable(name) for name in target.parameters
    ]
    body = returning(roots, {*source.parameters, *GIVEN})
    parameters = [name for name in source.parameters if any(row.at.root == name for row in source.rows)]
    parameters += [name for name in target.parameters if name not in trees]
    parameters += [GIVEN[field] for field in GIVEN if field in reading.given_used]
    text = f"{_def(source)} {name}({', '.join(dict.fromkeys(parameters))}):\n"
    text += f"    {docstring(about)}\n" if about else ""
    names = tuple(parameter.partition("=")[0] for parameter in dict.fromkeys(parameters))
    text += textwrap.indent(body, "    ")
    return Source(name, text, making.classes, parameters=names, awaited=source.awaits)


def _made_afresh(source: EventShape, target: EventShape) -> dict[str, Expression]:
    """Return what makes an identity and a time, where a shape does not say them, in one place or in several."""
    reading = reading_of(source, other=target)
    return {field: helper(made, name=field) for field, made in FRESH.items() if reading.find(field) is None}


def hold_place(trees: dict[str, Branch], target: EventShape, level: Level) -> None:
    """Keep the place of what a batch's events are put into, so that an object has it from the beginning."""
    entry = trees.get(target.event_parameters[0])
    steps = level.of.steps[:-1] if level.name else level.of.steps
    top = target.each is not None and level.of.root == target.each.root
    if entry is None or not steps or not (top or Item(level.of.root) in entry.children):
        return
    held = entry.at((Item(level.of.root), *steps))
    if held.leaf is None and not held.children and not held.rows:
        held.leaf = ex.Literal(None)


#: A value read from JSON is of the type that its field holds: an expression for each kind of field.
_TYPE_TESTS: Mapping[str, ex.Build] = {
    "text": lambda value: _is_of(value, "str"),
    "bytes": lambda value: _is_of(value, "bytes"),
    "integer": lambda value: _is_of(value, "int"),
    "integer or nothing": lambda value: _nothing_or(value, "int"),
    "record": lambda value: _nothing_or(value, "dict"),
    "pairs": lambda value: helper("all_pairs", value),
    "texts": lambda value: helper("all_texts", value),
    "list of text": lambda value: helper("all_text", value),
}


def _is_of(value: Expression, kind: str) -> Expression:
    return ex.Operation("is", (ex.Attribute(value, "__class__"), ex.Variable(kind)))


def _nothing_or(value: Expression, kind: str) -> Expression:
    return ex.either(ex.Operation("is", (value, ex.Literal(None))), _is_of(value, kind))


def translate_checked(name: str, source: EventShape, target: EventShape, asked: tuple[str, ...] = ()) -> Source:
    """Return a function that takes an event on file and gives it in the other shape, whether it was good, and truths.

    Good is an event each of whose rows reads as what its field holds. The truths that are `asked` for come as a tuple.
    Each value is read once for all of it.
    """
    reading = reading_of(source, other=target)
    making = Construction(reading, reading, target.classes)
    trees = making.plant(target.rows, {constant.at: constant.value for constant in target.constants}, target.nothing)
    (root,) = target.parameters
    tests: list[Expression] = []
    for row in source.rows:
        holds = source.fields[row.field].holds
        if row.derived or holds not in _TYPE_TESTS:
            continue
        tests.append(_TYPE_TESTS[holds](reading.need(row.field)))
    made = making.build(trees[root], Access(root)) if root in trees else ex.Literal(None)
    good = ex.Operation("and", tuple(tests)) if tests else ex.Literal(True)
    truths = ex.Sequence(tuple(map(reading.need, asked)), fixed=True)
    body = returning([made, good, truths], set(source.parameters))
    text = f"def {name}({', '.join(source.parameters)}):\n" + textwrap.indent(body, "    ")
    return Source(name, text, making.classes, parameters=source.parameters)


def _def(source: EventShape) -> str:
    return "async def" if source.awaits else "def"


def build_batch(name: str, shape: EventShape) -> Source:
    """Return a function that takes the events of a batch, in the native shape, and gives the batch."""
    assert shape.each is not None
    making = Construction(reading_of(shape), reading_of(shape), shape.classes)
    trees = making.plant((), {constant.at: constant.value for constant in shape.envelope})
    trees.setdefault(shape.each.root, Branch()).at(shape.each.steps).leaf = ex.Variable("entries")
    root = shape.each.root
    body = returning([making.build(trees[root], Access(root))], {"entries"})
    text = f"def {name}(entries):\n" + textwrap.indent(body, "    ")
    return Source(name, text, making.classes, parameters=("entries",))


def view_event(name: str, shape: EventShape, field: str, about: str = "", *, form: Lens | None = None) -> Source:
    """Return a function that takes those of an event's parameters that it needs, and gives one hub field of it.

    It gives the field in the `form` of a lens, where it is not wanted as it is.
    """
    reading = reading_of(shape)
    value = reading.need(field)
    body = returning([form.write(value, reading.need) if form is not None else value])
    tree = ast.parse(textwrap.dedent(f"async def _():\n{textwrap.indent(body, '    ')}"))
    used = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
    awaited = any(isinstance(node, ast.Await) for node in ast.walk(tree))
    parameters = [name for name in shape.parameters if name in used] or [shape.parameters[0]]
    text = f"{'async ' * awaited}def {name}({', '.join(parameters)}):\n"
    text += f"    {docstring(about)}\n" if about else ""
    text += textwrap.indent(body, "    ")
    return Source(name, text, parameters=tuple(parameters), awaited=awaited)


def view_made(
    name: str, shape: EventShape, field: str, asked: tuple[str, ...], build: Callable[..., Expression]
) -> Source:
    """Return a function that takes an event's parameters and gives what is made of fields, and a field as it is."""
    reading = reading_of(shape)
    made = build(*map(reading.need, asked))
    body = returning([ex.Sequence((made, reading.need(field)), fixed=True)])
    text = f"def {name}({', '.join(shape.parameters)}):\n" + textwrap.indent(body, "    ")
    return Source(name, text, parameters=shape.parameters)


def lens_source(name: str, lens: Lens) -> Source:
    """Return a function that takes what stands at a place and gives what a lens reads there."""
    body = returning([lens.read(ex.Variable("value"), None, needs_nothing)], {"value"})
    return Source(name, f"def {name}(value):\n" + textwrap.indent(body, "    "), parameters=("value",))


def lens_writer(name: str, lens: Lens) -> Source:
    """Return a function that takes a hub value and gives what a lens writes of it."""
    body = returning([lens.write(ex.Variable("value"), needs_nothing)], {"value"})
    return Source(name, f"def {name}(value):\n" + textwrap.indent(body, "    "), parameters=("value",))


def unpack_batch(name: str, shape: EventShape) -> Source:
    """Return a function that takes a batch and gives its events, each as a mapping of what is on the way to it."""
    assert shape.each is not None
    lines = ["entries = []"]
    names, depth = [shape.each.root], 0
    for level in shape.levels:
        pad = "    " * depth
        held = place_node(level.of)
        source = "\n".join(f"{pad}{line}" for line in returning([held]).splitlines())
        source, _, value = source.rpartition("return ")
        lines += [line for line in source.rstrip().splitlines() if line.strip()]
        if level.name:
            lines.append(f"{pad}{level.name} = {value}")
            names.append(level.name)
            continue
        if level.key:
            lines.append(f"{pad}for {level.key}, {level.item} in ({value} or {{}}).items():")
        elif level.index:
            lines.append(f"{pad}for {level.index}, {level.item} in enumerate({value} or ()):")
        else:
            lines.append(f"{pad}for {level.item} in {value} or ():")
        names += [one for one in (level.key, level.index, level.item) if one]
        depth += 1
    entry = ", ".join(f"{one!r}: {one}" for one in names)
    lines += [f"{'    ' * depth}entries.append({{{entry}}})", "return entries"]
    text = f"def {name}({shape.each.root}):\n" + textwrap.indent("\n".join(lines), "    ")
    return Source(name, text, parameters=(shape.each.root,))


def pack_batch(name: str, shape: EventShape) -> Source:
    """Return a function that takes events as `unpack_batch` gives them, and gives the batches that they make."""
    assert shape.each is not None
    levels, encoders = [], []
    for level in shape.levels:
        steps = tuple(
            step.key if isinstance(step, Item) else f".{getattr(step, 'name', '')}" for step in level.of.steps
        )
        if level.name:
            through = level.of.steps[-1]
            assert isinstance(through, Through)
            steps = steps[:-1]
            made = through.lens.write(ex.Variable("value"), needs_nothing)
            body = returning([made], {"value"})
            encoders.append(f"def encode_{level.name}(value):\n{textwrap.indent(body, '    ')}")
        encode = f"encode_{level.name}" if level.name else "None"
        told = ", ".join(map(repr, (level.of.root, steps, level.item, level.key, level.index, level.name)))
        levels.append(f"({told}, {encode})")
    text = f"def {name}(entries):\n"
    for encoder in encoders:
        text += textwrap.indent(encoder, "    ") + "\n"
    text += f"    return packed(entries, {shape.each.root!r}, ({', '.join(levels)},))"
    return Source(name, text, parameters=("entries",))


def view_place(
    name: str, shape: EventShape, native: EventShape, at: Access, about: str = "", *, apart: bool = False
) -> Source:
    """Return a function that takes those parameters of `shape` that it needs, and gives what stands at a native place.

    A place on the way to more gives all that stands behind it. The classes of its objects are called as they are
    elsewhere, for their names stand in the texts of errors; or, `apart`, by the function's name.
    """
    own = GIVEN
    if "route" in shape.fields and reading_of(shape, other=native).find("route") is None:
        own = {**GIVEN, "route": 'route=""'}  # a handler's own is known where it is written
    given: dict[str, Expression] = {field: ex.Variable(field) for field in own}
    given.update(_made_afresh(shape, native))
    reading = reading_of(shape, given, native)
    steps = len(at.steps)
    prefix = "".join(w.title() for w in name.split("_")) if apart else class_prefix(native.kind)
    making = Construction(reading, reading, native.classes, prefix=prefix)
    bare = _bare_steps(at.steps)
    rows = tuple(row for row in native.rows if row.at.root == at.root and _bare_steps(row.at.steps)[:steps] == bare)
    held = [c for c in native.constants if c.at.root == at.root and c.at.steps[:steps] == at.steps]
    flagged = next((row for row in native.rows if row.flag == at), None)
    if flagged is not None:
        root = flagged.lens.write_flag(reading.need(flagged.field), reading.need)
    else:
        inside = {
            one: said
            for one, said in native.nothing.items()
            if one.root == at.root and _bare_steps(one.steps)[:steps] == bare
        }
        trees = making.plant(rows, {constant.at: constant.value for constant in held}, inside)
        if at.root not in trees:
            raise CannotWrite(f"nothing stands at {at}")
        branch = trees[at.root]
        for step in at.steps:
            branch = next(
                child for key, child in branch.children.items() if _bare_steps((key,)) == _bare_steps((step,))
            )
        root = making.build(branch, at)
    body = returning([root], {*shape.parameters, *own})
    tree = ast.parse(textwrap.dedent(f"async def _():\n{textwrap.indent(body, '    ')}"))
    used = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
    awaited = any(isinstance(node, ast.Await) for node in ast.walk(tree))
    parameters = [name for name in shape.parameters if name in used]
    parameters += [own[field] for field in own if field in reading.given_used]
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
    if target.told is not None:  # what the calls of its methods tell is made first, as a mapping
        out = replace(out, rows=tuple(replace(row, at=row.at.filed(row.at.root)) for row in out.rows))
    making = Construction(wanted, Reading(target.fields, target.rules), {})
    out = replace(out, called=_apart(out, source))
    ends = _answer(making, target, out)
    asked = [name for name in wanted.asked if name != "method"]
    lines: list[str] = []
    pieces = next((form for form in source.forms if form.when == "pieces"), None)
    if pieces is not None:
        lines.append(f"{root} = gathered({root}, {pieces.head.rpartition('.')[2]})")
    taken = {root, "method", TOLD, *(target.fields[name].variable for name in asked)}
    for index, form in enumerate(source.forms):
        body = _branch(source, form, asked, taken, root)
        if form.when == "always":
            lines += ["else:", textwrap.indent(body, "    ")] if index else [body]
            break
        test = TESTS[form.when].format(root, form.short_name)
        if form.keys:
            test = f"{test} and {root}.keys() <= {{{', '.join(map(repr, form.keys))}}}"
        if form.nothing_at is not None:
            test = f"{test} and {form.nothing_at.gentle(root)} is None"
        lines += [f"{'elif' if index else 'if'} {test}:", textwrap.indent(body, "    ")]
    else:
        names = " or ".join(_form_name(form) for form in source.forms)
        lines += [
            "else:",
            f'    raise TypeError(f"a reply is {names}, not {{type({root}).__name__}}")',
        ]
    before, values = values_of(ends, taken)
    lines += before
    if target.callback:
        *told, result = values
        lines += [f"{target.callback.name}({', '.join(told)})", f"return {result}"]
    elif out.when == "raised":
        # Nothing is raised where there is nothing to say.
        lines += [
            f"if {' or '.join(wanted.fields[name].variable for name in asked) or 'False'}:",
            f"    raise {values[0]}",
        ]
        lines.append("return None")
    else:
        lines.append(f"return {values[0]}")
    parameters = [root, *([TOLD] if source.callback else [])]
    parameters += ["method"] if "method" in wanted.asked else []
    parameters += [event_variable(name) for name in source.of_event]
    parameters += [target.callback.name] if target.callback else []
    text = f"def {name}({', '.join(parameters)}):\n"
    text += f"    {docstring(about)}\n" if about else ""
    text += textwrap.indent("\n".join(lines), "    ")
    classes = [form.class_name for form in source.forms if form.class_name]
    classes += [pieces.head] if pieces is not None and "." in pieces.head else []
    classes += source.writer.errors if source.writer is not None else ()
    imports = [_import_of(path) for path in classes]
    imports += [_import_of(out.class_name, out.called)] if out.class_name else []
    return Source(name, text, making.classes, tuple(dict.fromkeys(imports)), tuple(parameters))


def _apart(written: ReplyForm, source: ReplyShape) -> str:
    """Return under which name a written class is known where a class that is read has the same; else an empty text."""
    read = {form.class_name for form in source.forms} - {written.class_name}
    same = written.class_name and any(one.rpartition(".")[2] == written.short_name for one in read)
    return written.class_name.replace(".", "_") if same else ""


def _import_of(path: str, known: str = "") -> str:
    module, _, name = path.rpartition(".")
    return f"from {module} import {name}{f' as {known}' if known else ''}"


def _leave_out_content(source: ReplyShape, reading: Reading, nodes: dict[str, Expression]) -> None:
    """Leave content and its type out of replies whose status has none there."""
    status = helper("final_status", reading.need("status"))
    for name, node in nodes.items():
        if name in ("body", "headers", "headers.plain"):
            left = "content_for" if name == "body" else "fields_for"
            nodes[name] = helper(left, node, status, ex.Literal(source.bodyless))


def _form_name(form: ReplyForm) -> str:
    raised = f"a raised {form.short_name}"
    names = {"nothing": "None", "object": form.short_name, "mapping": "a mapping", "raised": raised}
    return names.get(form.when, form.when)


def _answer(making: Construction, target: ReplyShape, form: ReplyForm) -> list[Expression]:
    trees = making.plant(form.rows, {})
    if target.callback:
        told = (*target.callback.arguments, "returned")
        unsaid = [name for name in told if name not in trees]
        if unsaid:
            raise CannotWrite(f"no row says what {', '.join(unsaid)} of an answer is")
        return [making.build(trees[name], Access(name)) for name in told]
    if target.root not in trees:  # a handler that has nothing to say
        return [ex.Literal(None)]
    tree = trees[target.root]
    if form.when == "tuple":
        return [tuple_of(making, tree, Access(target.root))]
    if form.when not in ("object", "raised"):
        return [making.build(tree, Access(target.root))]
    given: list[tuple[str, Expression]] = []
    for step, branch in tree.children.items():
        if not isinstance(step, Attr):
            raise CannotWrite(f"{target.root}{step.after('')}: an object is answered by its attributes")
        given.append((step.name, making.build(branch, Access(target.root, (step,)))))
    return [ex.Call(ex.Variable(form.called or form.short_name), keywords=tuple(given))]


def tuple_of(making: Construction, tree: Branch, root: Access) -> Expression:
    """Return a tuple of what stands at its places, nothing where no row writes one."""
    held = {step.key: child for step, child in tree.children.items() if isinstance(step, Item)}
    last = max((key for key in held if isinstance(key, int)), default=-1)
    if len(held) != len(tree.children) or len(held) != sum(isinstance(key, int) for key in held):
        raise CannotWrite(f"{root}: a tuple has places by number")
    nothing = Branch(leaf=ex.Literal(None))
    places = (Access(root.root, (Item(number),)) for number in range(last + 1))
    parts = tuple(making.build(held.get(number, nothing), at) for number, at in enumerate(places))
    return ex.Sequence(parts, fixed=True)


#: Where what a callback was called with is looked up: only when its row is read, since draining may call it.
TOLD = "told"


def _told(row: Row, callback: Callback | None) -> Row:
    if callback is None or row.at.root not in callback.arguments:
        return row
    return replace(row, at=Access(TOLD, (Item(row.at.root), *row.at.steps)))


def _branch(source: ReplyShape, form: ReplyForm, asked: list[str], taken: set[str], root: str) -> str:
    given = {name: ex.Literal(value) for name, value in form.fixed.items()}
    rows = {row.field: _told(row, source.callback) for row in reversed(form.rows) if not row.derived}
    # The order of the profile's rows is the order of reading: an iterable is drained before what it sets is looked at.
    reading = Reading(
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
    writer = Statements(set(RESERVED) | taken)
    nodes: dict[str, Expression] = {}
    for name in order:
        node = reading.need(name)
        if name in form.fixed:
            pass
        elif name in ("headers", "headers.plain"):
            node = helper("safe_headers", node)
        elif name == "status":
            node = helper("final_status", node)
        nodes[name] = node
    if source.bodyless:
        _leave_out_content(source, reading, nodes)
    for node in nodes.values():
        writer.count(node)
    for name in order:
        source_text = writer.write(nodes[name])
        writer.lines.append(f"{source.fields[name].variable} = {source_text}")
    return "\n".join(writer.lines) or "pass"
