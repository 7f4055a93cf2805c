"""Handlers that are handed the entries of a mapping or a list, written as those that take all of it.

At some providers what a route captures is handed over by its own names, `def show(want, loaf)`, or in order. The
mapping or list becomes a parameter, and each entry is taken from it at the handler's first line; what follows treats
that like any other read. Only what is the same at every call is written so: of a route, the names are known. Every
other handler at such a provider is wrapped: its parameters can't be told from each other.
"""

from __future__ import annotations

import ast
import contextlib
from collections.abc import Collection, Iterable, Mapping, Sequence

from vast_ferry.hub.findings import BadInput, Finding, Place, Severity
from vast_ferry.hub.functions import Function as Declared
from vast_ferry.hub.kinds import is_request
from vast_ferry.mapping.python import quoted
from vast_ferry.mapping.tables import EventShape
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.python.handlers_alone import at_first, fresh_name, is_called_by_others
from vast_ferry.translate.python.nodes import Nodes
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.python.unbinding import Unbound, unbound
from vast_ferry.translate.reasons import STOPS
from vast_ferry.translate.text import Edit


def taking_events(
    source: Profile, functions: Iterable[Declared], files: Mapping[str, bytes], skip: Collection[str] = ()
) -> tuple[Unbound, dict[str, Finding]]:
    """Return a project whose handlers take events and mappings whole, and which don't and why; `skip` stay."""
    there = unbound(source, functions, files, skip)
    edits, told = gathered(source, there.functions, {**files, **there.files}, skip)
    there.edit(edits, files)
    left = {name: why for name, why in told.items() if why is not None}
    there.names |= told.keys() - left.keys()
    return there, left


def gathered(
    source: Profile, functions: Sequence[Declared], files: Mapping[str, bytes], skip: Collection[str]
) -> tuple[dict[str, list[Edit]], dict[str, Finding | None]]:
    """Return the edits by which handlers take mappings whole, by file; and of their functions why one does not."""
    edits: dict[str, list[Edit]] = {}
    told: dict[str, Finding | None] = {}
    by_entry: dict[tuple[str, str], list[Declared]] = {}
    for function in functions:
        shapes = [source.kinds[kind].event for kind in function.kinds if kind in source.kinds]
        if function.name not in skip and len(shapes) == 1 and shapes[0].spread:
            by_entry.setdefault((function.entry.file, function.entry.name), []).append(function)
    for (file, _), several in by_entry.items():
        made, line = list[Edit](), 0
        with contextlib.suppress(KeyError, BadInput, SyntaxError, ValueError, RecursionError, MemoryError):
            text = PythonText(files[file], file)
            handler = _Handler(text, Nodes(text.parse()), several, source.kinds[several[0].kinds[0]].event)
            line = handler.node.lineno if handler.node else 0
            made = handler.edits([raw for name, raw in files.items() if name != file])
        edits.setdefault(file, []).extend(made)
        told |= {one.name: None if made else _not_taken(one, source, line) for one in several}
    return {file: several for file, several in edits.items() if several}, told


def _not_taken(declared: Declared, source: Profile, line: int) -> Finding:
    """Return why a handler is wrapped that takes what it is handed by name in a way that could not be followed."""
    reason, remedy = STOPS["taken-by-name"]
    names = ", ".join(source.kinds[declared.kinds[0]].event.spread)
    why = f"{declared.name} is wrapped as it is: {reason.format(names)}"
    place = Place(declared.entry.file, line)
    return Finding("wrapped-taken-by-name", Severity.NOTE, why, remedy.format(names), place, declared.name)


class _Handler:
    """One handler that takes entries by name; where it can't take the mapping, nothing is edited."""

    def __init__(self, text: PythonText, nodes: Nodes, declared: Sequence[Declared], shape: EventShape) -> None:
        self.text, self.file, self.declared, self.shape = text, nodes, declared, shape
        name = declared[0].entry.name
        assert isinstance(nodes.root, ast.Module)
        named = [node for node in nodes.root.body if getattr(node, "name", "") == name]
        one = named[0] if len(named) == 1 else None
        self.node = one if isinstance(one, (ast.FunctionDef, ast.AsyncFunctionDef)) else None
        self.own = Nodes(one or nodes.root, nodes)

    def edits(self, others: Sequence[bytes]) -> list[Edit]:
        """Return what makes it take the mapping, or the list; nothing where another may call it, or its calls fail."""
        node = self.node
        several = len(self.shape.spread) != 1 or len({one.kinds for one in self.declared}) > 1
        if several or node is None or node.decorator_list or self.text.strange:
            return []
        if is_called_by_others(self.declared[0].entry, self.file, others):
            return []
        arguments = node.args
        most = len(self.shape.handed_over) - 1
        by_place, entries = arguments.args[:most], arguments.args[most:]
        if arguments.vararg or arguments.posonlyargs or len(by_place) < most:
            return []
        usual = self._defaults(arguments)
        if any(usual.get(one.arg, "") is None for one in (*entries, *arguments.kwonlyargs)):
            return []  # what no literal says may be another at each call
        in_order = self.shape.spread[self.name] == "*"
        made = (self._in_order if in_order else self._by_name)(arguments, by_place, entries, usual)
        if made is None:
            return []
        taken, lines = made
        given = ", ".join([*(self.text.of(one) for one in by_place), taken])
        first = at_first(self.text, node, lines, "signature") if lines else None
        if lines and first is None:
            return []
        return [Edit(*self._span(node), given, "signature"), *([first] if first is not None else [])]

    def _by_name(
        self, arguments: ast.arguments, by_place: list[ast.arg], entries: list[ast.arg], usual: Mapping[str, str | None]
    ) -> tuple[str, list[str]] | None:
        """Return the mapping's name, and the lines that take each entry by its name; nothing where calls fail."""
        entries = [*entries, *arguments.kwonlyargs]
        names, theirs = {one.arg for one in entries}, {one.arg for one in by_place}
        routes = {frozenset(names) for names in self._captured() or ()}
        captured = next(iter(routes)) if len(routes) == 1 else None
        if theirs & (names | (captured or frozenset())):
            return None  # it is handed over twice, and every call fails
        if arguments.kwarg is None:
            if captured is None or captured - names:
                return None  # a call hands over what it does not take, and fails
        elif names and self._uses(arguments.kwarg.arg):
            return None  # what is left of the mapping is another one
        mapping = arguments.kwarg.arg if arguments.kwarg and not names else fresh_name(self.name, self.own, self.file)
        lines = [
            f"{one.arg} = {_taken(mapping, one.arg, usual.get(one.arg))}"
            for one in entries
            if one.arg not in (captured or ()) or self._uses(one.arg)
        ]
        return mapping, lines

    def _in_order(
        self, arguments: ast.arguments, by_place: list[ast.arg], entries: list[ast.arg], usual: Mapping[str, str | None]
    ) -> tuple[str, list[str]] | None:
        """Return the list's name, and the lines that take each entry in order; nothing where calls fail."""
        counts = {len(names) for names in self._captured() or ()}
        needed = [one for one in entries if one.arg not in usual]
        if arguments.kwonlyargs or len(counts) != 1 or not len(needed) <= max(counts) <= len(entries):
            return None
        listed = fresh_name(self.name, self.own, self.file)
        lines = [
            f"{one.arg} = {f'{listed}[{at}]' if at < max(counts) else usual[one.arg]}"
            for at, one in enumerate(entries)
            if self._uses(one.arg)
        ]
        return listed, lines

    @property
    def name(self) -> str:
        """Return the parameter whose entries are handed over."""
        return next(iter(self.shape.spread))

    def _captured(self) -> list[tuple[str, ...]] | None:
        """Return the names that each route captures, in order; nothing where what is handed over is something else."""
        fields = {row.at.root: row.field for row in self.shape.rows if not row.at.steps}
        if not is_request(self.shape.kind) or fields.get(self.name) != "captures":
            return None
        return [route.captured for one in self.declared for route in one.routes]

    def _uses(self, name: str) -> bool:
        """Tell whether the handler uses a name."""
        return bool(self.own.uses(name))

    def _span(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> tuple[int, int]:
        """Return where the parameters stand, between the brackets."""
        arguments = node.args
        every = [*arguments.args, *arguments.kwonlyargs, *([arguments.kwarg] if arguments.kwarg else [])]
        more = [one for one in (*arguments.defaults, *arguments.kw_defaults) if one is not None]
        opened = self.text.data.index(b"(", self.text.start(node)) + 1
        return opened, max([opened, *(self.text.end(one) for one in (*every, *more))])

    def _defaults(self, arguments: ast.arguments) -> dict[str, str | None]:
        """Return the defaults of parameters as they are written; None for one that is no literal."""
        by_place = zip(reversed(arguments.args), reversed(arguments.defaults), strict=False)
        by_keyword = zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True)
        return {
            one.arg: self.text.of(usual) if isinstance(usual, ast.Constant) else None
            for one, usual in (*by_place, *by_keyword)
            if usual is not None
        }


def _taken(mapping: str, name: str, usual: str | None) -> str:
    """Return how an entry is taken from the mapping."""
    if usual is None:
        return f"{mapping}[{quoted(name)}]"
    return f"{mapping}.get({quoted(name)})" if usual == "None" else f"{mapping}.get({quoted(name)}, {usual})"
