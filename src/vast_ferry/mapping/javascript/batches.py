"""Batches in JavaScript: put together and taken apart, and the functions by which their events are named.

What a level is, and how events are put into several, `mapping.compile` says; only how it is written differs.
"""

from __future__ import annotations

from dataclasses import replace

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.compile.reading import needs_nothing, place_node
from vast_ferry.mapping.compile.writing import Branch
from vast_ferry.mapping.expressions import Expression
from vast_ferry.mapping.javascript.functions import Source, construction_of, function, view_event
from vast_ferry.mapping.javascript.names import RESERVED, camel
from vast_ferry.mapping.javascript.writing import literal, returning, text
from vast_ferry.mapping.places import Access, Item, Step, Through
from vast_ferry.mapping.tables import EventShape, Kind


def build_batch(name: str, shape: EventShape) -> Source:
    """Return a function that takes the events of a batch, in the native shape, and gives the batch."""
    assert shape.each is not None
    making = construction_of(shape)
    trees = making.plant((), {one.at: one.value for one in shape.envelope})
    trees.setdefault(shape.each.root, Branch()).at(shape.each.steps).leaf = ex.Variable("entries")
    used: set[str] = set()
    body = returning([making.build(trees[shape.each.root], Access(shape.each.root))], {"entries"}, used)
    return Source(name, function(name, ["entries"], body), ("entries",), used=frozenset(used))


def unpack_batch(name: str, shape: EventShape) -> Source:
    """Return a function that takes a batch and gives its events, each as an object of what is on the way to it."""
    assert shape.each is not None
    used: set[str] = set()
    lines, names, depth = ["const entries = [];"], [shape.each.root], 0
    for level in shape.levels:
        pad = "  " * depth
        made = returning([place_node(level.of)], {*RESERVED, *map(camel, names), "entries"}, used)
        *before, value = made.removesuffix(";").split("\n")
        value = value.removeprefix("return ")
        lines += [f"{pad}{line}" for line in before]
        own = [one for one in (level.key or level.index, level.item) if one]
        names += own or [level.name]
        if level.name:
            lines.append(f"{pad}const {camel(level.name)} = {value};")
            continue
        pair = f"[{', '.join(map(camel, own))}]" if len(own) > 1 else camel(level.item)
        over = (
            f"Object.entries({value} ?? {{}})" if level.key else f"({value} ?? [])" + ".entries()" * bool(level.index)
        )
        lines.append(f"{pad}for (const {pair} of {over}) {{")
        depth += 1
    entry = ", ".join(f"{text(one)}: {camel(one)}" for one in names)
    lines.append(f"{'  ' * depth}entries.push({{ {entry} }});")
    lines += [f"{'  ' * inner}}}" for inner in range(depth - 1, -1, -1)]
    body = "\n".join([*lines, "return entries;"])
    return Source(name, function(name, [camel(shape.each.root)], body), (camel(shape.each.root),), used=frozenset(used))


def pack_batch(name: str, shape: EventShape) -> Source:
    """Return a function that takes events as `unpack_batch` gives them, and gives the batches that they make."""
    assert shape.each is not None
    used: set[str] = {"packed"}
    levels, encoders = [], []
    for level in shape.levels:
        steps, encode = level.of.steps, "null"
        if level.name:
            through = steps[-1]
            assert isinstance(through, Through)
            steps, encode = steps[:-1], camel(f"encode_{level.name}")
            body = returning([through.lens.write(ex.Variable("value"), needs_nothing)], {"value"}, used)
            encoders.append(function(encode, ["value"], body))
        told = (level.of.root, [_in_data(step) for step in steps], level.item, level.key, level.index, level.name)
        levels.append(f"[{', '.join(map(literal, told))}, {encode}]")
    body = "\n".join([*encoders, f"return packed(entries, {text(shape.each.root)}, [{', '.join(levels)}]);"])
    return Source(name, function(name, ["entries"], body), ("entries",), used=frozenset(used))


def _in_data(step: Step) -> str | int:
    return step.key if isinstance(step, Item) else f".{getattr(step, 'name', '')}"


def names_of_events(prefix: str, original: Kind, entry: str, identity: str = "") -> tuple[list[Source], str]:
    """Return functions, and what they give of an entry: by what its handler names it, its id, its group.

    `original` is as it stands in JavaScript; `identity` is what gives the id where the shape itself may have another.
    """
    alone = replace(original.event, parameters=original.event.event_parameters)
    views = [
        view_event(f"{prefix}Named{number}", alone, by)
        if isinstance(by, str)
        else _held_at(f"{prefix}Named{number}", by)
        for number, by in enumerate(original.names_by)
    ]
    named = [f"{view.name}({entry})" for view in views]
    if identity:
        named[1] = identity
        del views[1]
    return views, f"[{', '.join(named)}]"


def _held_at(name: str, at: Access) -> Source:
    """Return a function that takes an entry of a batch and gives what stands at a place of it."""
    steps = [ex.Literal(_in_data(step)) for step in at.steps]
    used: set[str] = set()
    gently: Expression = ex.helper("gently", ex.Variable(at.root), *steps)
    return Source(
        name, function(name, [at.root], returning([gently], {at.root}, used)), (at.root,), used=frozenset(used)
    )
