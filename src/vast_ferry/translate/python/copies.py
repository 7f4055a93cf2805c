"""Helpers that a wrapped handler shares with one that is rewritten: each stands twice, as it was and rewritten.

A wrapped handler runs as its author wrote it, so what it calls must take the source's event; a rewritten one calls the
same helper with the target's. The helper keeps its name for those that are rewritten. A copy beside it, as it was, is
what wrapped handlers call: every name in them that stands for the helper becomes the copy's. Both copies live in the
helper's own module and so share its names. What can't be told apart like that stays one, and is wrapped for both: a
method, a helper with a decorator or with a default that could be changed, and one that the module itself names.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Collection, Iterable, Iterator, Set
from dataclasses import dataclass, field

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.translate.python.code import DEFINITION, Function, Module
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Func, Key

#: Why a name or a helper's text was edited, in the record of a crossing.
REASON = "copy"


@dataclass(slots=True)
class Copies:
    """Edits, by file, that give wrapped handlers helpers of their own; and what is told of it."""

    edits: dict[str, list[Edit]] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)


def copies(flow: Flow, shared: Iterable[Key], wrapped: Collection[Key], native: Collection[Key]) -> Copies | None:
    """Return how helpers come to stand twice, or nothing where one of them can't.

    `shared` are those written otherwise at the target that both `wrapped` and `native` handlers reach.
    """
    both = {_outermost(flow.functions[key]) for key in wrapped if key in native}
    twice = {_outermost(flow.functions[key]) for key in shared}
    uses = {one: _uses(flow, flow.functions[one]) for one in both}
    while True:  # who calls such a helper for both has to call one or the other, and stands twice as well
        more = {one for one in both - twice if any(use.key in twice for use in uses[one])}
        if not more:
            break
        twice |= more
    named = {key for module in flow.modules.values() for key in _named_at_top(flow, module)}
    if named & twice or not all(_can_stand_twice(flow, flow.functions[key]) for key in twice):
        return None
    return _Copying(flow, sorted(twice), sorted({_outermost(flow.functions[key]) for key in wrapped} - both)).made()


@dataclass(frozen=True, slots=True)
class _Use:
    """A name, or an attribute of a module, that stands for a function of the project."""

    node: ast.Name | ast.Attribute
    key: Key

    @property
    def name(self) -> str:
        return self.node.id if isinstance(self.node, ast.Name) else self.node.attr


class _Copying:
    def __init__(self, flow: Flow, twice: list[Key], apart: list[Key]) -> None:
        self.flow, self.twice, self.apart = flow, twice, apart
        self.names = {key: self._free(flow.functions[key].module, f"{key[1]}_as_it_was") for key in twice}
        self.result = Copies()

    def made(self) -> Copies | None:
        renamed: dict[str, list[_Use]] = {}
        for key in (*self.twice, *self.apart):
            function = self.flow.functions[key]
            uses = [use for use in _uses(self.flow, function) if use.key in self.names]
            if not all(self._stands_there(function.module, use) for use in uses):
                return None
            if key in self.twice:
                continue
            renamed.setdefault(function.module.file, []).extend(uses)
        for file, uses in renamed.items():
            module = self.flow.modules[file]
            self._note(file, (edit for use in uses for edit in self._renamed(module, use)))
            if not self._import(module, uses):
                return None
        for key in self.twice:
            function = self.flow.functions[key]
            self._note(function.module.file, [self._copy(function)])
            severity, reason, remedy = note("stands-twice", "", "", function.node.name)
            place = Place(function.module.file, function.node.lineno)
            self.result.findings.append(Finding("stands-twice", severity, reason, remedy, place))
        # What a copy itself names in another module has to be imported there under the copy's name.
        for file in dict.fromkeys(key[0] for key in self.twice):  # in a fixed order
            module = self.flow.modules[file]
            uses = [use for key in self.twice if key[0] == file for use in _uses(self.flow, self.flow.functions[key])]
            if not self._import(module, [use for use in uses if use.key in self.names], kept=True):
                return None
        return self.result

    def _note(self, file: str, edits: Iterable[Edit]) -> None:
        known = self.result.edits.setdefault(file, [])
        known += [edit for edit in edits if edit not in known]

    def _new(self, use: _Use) -> str:
        """Return what stands in place of a name: the copy's, or the name under which it is imported."""
        known = use.key[1] == use.name or isinstance(use.node, ast.Attribute)
        return self.names[use.key] if known else f"{use.name}_as_it_was"

    def _stands_there(self, module: Module, use: _Use) -> bool:
        """Tell whether a name stands where its tree says: in a formatted text of several lines it may not."""
        end = module.text.end(use.node)
        return module.text.data[end - len(use.name.encode("utf-8")) : end] == use.name.encode("utf-8")

    def _renamed(self, module: Module, use: _Use) -> Iterator[Edit]:
        end = module.text.end(use.node)
        yield Edit(end - len(use.name.encode("utf-8")), end, self._new(use), REASON)

    def _copy(self, function: Function) -> Edit:
        """Return the edit that writes a helper once more, after itself."""
        text, node = function.module.text, function.node
        start, end = text.start(node), text.end(node)
        edits = [
            Edit(edit.start - start, edit.end - start, edit.text, REASON)
            for use in _uses(self.flow, function)
            if use.key in self.names
            for edit in self._renamed(function.module, use)
        ]
        head = re.match(rb"(?:async\s+)?def\s+", text.data[start:end])
        assert head is not None
        edits.append(Edit(head.end(), head.end() + len(node.name.encode("utf-8")), self.names[function.key], REASON))
        data = text.data[start:end]
        for edit in sorted(edits, key=lambda one: -one.start):
            data = data[: edit.start] + edit.text.encode("utf-8") + data[edit.end :]
        at = text.next_line(end - 1)
        lead = "" if text.data[at - 1 : at] == b"\n" else "\n"
        comment = "# As it was, for handlers that are wrapped.\n"
        return Edit(at, at, f"{lead}\n\n{comment}{data.decode('utf-8')}\n", REASON)

    def _import(self, module: Module, uses: Iterable[_Use], *, kept: bool = False) -> bool:
        """Import copies of helpers that stand in other modules; tell whether each could be."""
        asked = {use.name: use for use in uses if isinstance(use.node, ast.Name) and use.key[0] != module.file}
        for name, use in asked.items():
            found = [
                alias
                for node in module.nodes.imports
                if isinstance(node, ast.ImportFrom)
                for alias in node.names
                if (alias.asname or alias.name) == name and alias.name == use.key[1]
            ]
            if not found or self._new(use) in module.nodes.ids:
                return False
            again = self.names[use.key] + (f" as {self._new(use)}" if use.key[1] != name else "")
            renamed = {id(one.node) for one in self._renamed_in(module)}
            only = not kept and all(id(node) in renamed for node in module.nodes.names if node.id == name)
            for alias in found:
                start, end = module.text.start(alias), module.text.end(alias)
                edit = Edit(start, end, again, REASON) if only else Edit(end, end, f", {again}", REASON)
                self._note(module.file, [edit])
        return True

    def _renamed_in(self, module: Module) -> Iterator[_Use]:
        for key in self.apart:
            if key[0] == module.file:
                yield from _uses(self.flow, self.flow.functions[key])

    def _free(self, module: Module, name: str) -> str:
        while name in module.nodes.ids or name in module.names:
            name += "_"
        return name


def _outermost(function: Function) -> Key:
    while function.outer is not None:
        function = function.outer
    return function.key


def _uses(flow: Flow, function: Function) -> list[_Use]:
    """Return what in a function stands for functions of the project that stand at the top of a module."""
    return _among(flow, function.module, function.nodes.all, function.nodes.bound - function.nodes.told_global)


def _among(flow: Flow, module: Module, nodes: Iterable[ast.AST], bound: Set[str]) -> list[_Use]:
    found = []
    for node in nodes:
        if (isinstance(node, ast.Name) and node.id not in bound) or isinstance(node, ast.Attribute):
            value = flow.named(module, node)
            if isinstance(value, Func):
                found.append(_Use(node, value.key))
    return found


def _named_at_top(flow: Flow, module: Module) -> set[Key]:
    """Return the functions that a module names outside of its functions: tables, calls, classes."""
    inside: set[int] = set()
    for node in module.nodes.all:
        if isinstance(node, DEFINITION):
            inside |= {id(one) for one in module.nodes.of(node) or () if one is not node}
            inside -= {id(one) for decorator in node.decorator_list for one in ast.walk(decorator)}
    outside = [node for node in module.nodes.all if id(node) not in inside]
    return {use.key for use in _among(flow, module, outside, frozenset())}


def _can_stand_twice(flow: Flow, function: Function) -> bool:
    node, text = function.node, function.module.text
    defaults = [*node.args.defaults, *(one for one in node.args.kw_defaults if one is not None)]
    return (
        function.cls is None
        and not function.entry
        and not function.stands_before
        and function.stands_behind is None
        and not node.decorator_list
        and all(isinstance(one, ast.Constant) for one in defaults)
        and node.col_offset == 0
        and text.data[text.start(node) :].startswith((b"def", b"async"))
        and flow.in_module(function.key[0], node.name) == Func(function.key)
    )
