"""What of a native event no row of its profile reads: nothing vanishes unseen.

The places of a shape are a tree of keys; an event is walked beside it, through lists, mappings and what is encoded.
"""

from __future__ import annotations

import contextlib
import functools
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any

from vast_ferry.events.compiled import shapes_of
from vast_ferry.hub.fields import OF_THE_CALL
from vast_ferry.mapping.compile.functions import lens_source
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.lenses.lens import Lens
from vast_ferry.mapping.places import Access, Item, Through
from vast_ferry.mapping.tables import EventShape, Row
from vast_ferry.profiles.profile import Profile


class Partly(str):
    """A place of which something does not arrive as it stands there, and why."""

    __slots__ = ()


def not_read(places: Iterable[str]) -> tuple[list[str], list[str]]:
    """Return the places of which nothing is read, and those of which not all arrives as it stands there."""
    missing: list[str] = []
    partly: list[str] = []
    for one in places:
        (partly if isinstance(one, Partly) else missing).append(one)
    return missing, partly


@dataclass(slots=True)
class _Node:
    """What is read below a place: all of it, some keys, some names, each of a list or mapping, inside."""

    children: dict[str | int, _Node] = field(default_factory=dict)
    whole: bool = False
    lens: Lens | None = None  # what reads all of it, where that may not take all
    named: list[Callable[[str], bool]] = field(default_factory=list)
    each: _Node | None = None
    inside: _Node | None = None
    decode: Callable[[Any], Any] | None = None


@functools.lru_cache(maxsize=1024)
def decoder(lens: Lens) -> Callable[[Any], Any]:
    """Return the compiled function from what is encoded to what a lens reads there."""
    return run_source(lens_source("decode", lens))


def _at(node: _Node, at: Access) -> _Node:
    for step in at.steps:
        if isinstance(step, Through):
            node.inside = node.inside or _Node()
            node.decode = decoder(step.lens)
            node = node.inside
        elif isinstance(step, Item):
            node = node.children.setdefault(step.key, _Node())
    return node


class _Tree:
    """Puts the places of a shape on file together; the tree of a batch begins at the batch."""

    def __init__(self, shape: EventShape) -> None:
        self.shape, self.top = shape, _Node()
        self.roots = {shape.event_parameters[0]: self.top}
        if shape.each is not None:
            self.roots = {shape.each.root: self.top}
            self._go_through(shape.each)
        for row in shape.rows:
            self._read(row)
        for at in (*(constant.at for constant in shape.constants), *shape.unused):
            self._whole(at)
        for constant in shape.envelope:
            _at(self.top, constant.at).whole = True

    def _go_through(self, each: Access) -> None:
        if not self.shape.levels:
            inner = _at(self.top, each)
            inner.each = self.roots[self.shape.event_parameters[0]] = _Node()
        for level in self.shape.levels:
            held = _at(self.roots[level.of.root], level.of)
            if level.name:
                self.roots[level.name] = held
                continue
            held.each = held.each or _Node()
            self.roots[level.item] = held.each

    def _node(self, at: Access) -> _Node | None:
        """Return the node of a place; nothing for a key or number of what is gone through."""
        if not self.shape.levels:
            return _at(self.roots[at.root], at) if at.root in self.roots else None
        first = at.steps[0] if at.steps else None
        if isinstance(first, Item) and first.key in self.roots:
            return _at(self.roots[str(first.key)], Access(str(first.key), at.steps[1:]))
        return None

    def _whole(self, at: Access) -> None:
        node = self._node(at)
        if node is not None:
            node.whole = True

    def _read(self, row: Row) -> None:
        if row.flag is not None:
            self._whole(row.flag)
        node = self._node(row.at)
        if node is not None and row.lens.of_names is not None:
            node.named.append(row.lens.of_names)
        elif node is not None:
            node.whole = True
            if row.lens.may_leave:
                node.lens = row.lens


@functools.lru_cache(maxsize=256)
def _tree_of(profile: Profile, kind: str, number: int) -> _Node:
    shape = shapes_of(profile, kind)[number]
    top = _Tree(shape.on_file()).top
    # What is told of the call may stand in the event as well: it is known, and its place is not read from a file.
    roots = {shape.each.root} if shape.each is not None else set(shape.event_parameters)
    for row in shape.rows:
        if len(roots) == 1 and row.at.root in roots and row.field in OF_THE_CALL:
            _at(top, row.at.filed(row.at.root)).whole = True
    return top


def _left(lens: Lens, data: Any) -> tuple[str, ...]:
    """Return which parts of what stands there a form does not take; none where it can't read it."""
    with contextlib.suppress(Exception):  # the row that reads there says what is wrong
        return lens.not_taken(data)
    return ()


def _quickly(node: _Node) -> Callable[[Any], bool] | None:
    """Return a test for whether all of a value is read; nothing where whatever stands there is.

    Most events have the keys that they always have, and sets of keys are compared faster than they are walked.
    """
    if node.whole:
        lens = node.lens
        return None if lens is None else lambda data: not _left(lens, data)
    if node.named or node.inside is not None or (node.each is not None and node.children):
        return lambda data: next(_walk(data, node, "x"), None) is None
    each = _quickly(node.each) if node.each is not None else None
    known = frozenset(node.children)
    deeper = [(key, test) for key, child in node.children.items() if (test := _quickly(child)) is not None]

    def is_read(data: Any) -> bool:
        if data.__class__ is dict and node.each is None:
            if not data.keys() <= known:
                return False
            return all(key not in data or data[key] is None or test(data[key]) for key, test in deeper)
        if data.__class__ is list and node.each is not None:
            return each is None or all(map(each, data))
        return next(_walk(data, node, "x"), None) is None

    return is_read


@functools.lru_cache(maxsize=256)
def is_read(profile: Profile, kind: str, number: int = 0) -> Callable[[Any], bool]:
    """Return a test for whether rows read all of an event on file, in one of its kind's shapes."""
    return _quickly(_tree_of(profile, kind, number)) or (lambda data: True)


def unread_in(data: Any, profile: Profile, kind: str, number: int = 0) -> tuple[str, ...]:
    """Return the places of an event on file that no row reads, each once, such as `lots.*[].spare`."""
    if is_read(profile, kind, number)(data):
        return ()
    return tuple(dict.fromkeys(_walk(data, _tree_of(profile, kind, number), "")))


def _walk(data: Any, node: _Node, path: str) -> Iterator[str]:
    if node.whole:
        if node.lens is not None:
            yield from (Partly(f"{path}{part}") for part in _left(node.lens, data))
        return
    if node.inside is not None and node.decode is not None and data is not None:
        with contextlib.suppress(Exception):  # the row that reads there says what is wrong
            yield from list(_walk(node.decode(data), node.inside, f"{path}|"))
    elif isinstance(data, dict):
        yield from _walk_mapping(data, node, path)
    elif isinstance(data, list):
        yield from _walk_list(data, node, path)
    elif path and not node.children and node.each is None and node.inside is None:
        yield path


def _walk_mapping(data: dict[str, Any], node: _Node, path: str) -> Iterator[str]:
    for key, value in data.items():
        below = f"{path}.{key}" if path else str(key)
        child = node.children.get(key)
        if child is not None:
            yield from _walk(value, child, below)
        elif node.each is not None:
            yield from _walk(value, node.each, f"{path}.*" if path else "*")
        elif not any(reads(str(key)) for reads in node.named):
            yield below


def _walk_list(data: list[Any], node: _Node, path: str) -> Iterator[str]:
    for index, value in enumerate(data):
        child = node.children.get(index)
        if child is not None:
            yield from _walk(value, child, f"{path}[{index}]")
        elif node.each is not None:
            yield from _walk(value, node.each, f"{path}[]")
        else:
            yield f"{path}[]"
