"""Helpers that a wrapped handler shares with one that is rewritten: each stands twice, as it was and rewritten.

A wrapped handler runs as its author wrote it, so what it calls must take the source's event; a rewritten one calls the
same helper with the target's. The helper, a function or a whole class, keeps its name for those that are rewritten. A
copy beside it, as it was, is what wrapped handlers call: every name in them that stands for the helper becomes the
copy's. Both copies live in the helper's own module and so share its names. What can't be told apart like that stays
one, and is wrapped for both: a helper with a decorator or with a default that could be changed, one that the module
itself names, and a class that keeps something of its own, or is told of those that inherit from it.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Collection, Iterable, Iterator, Set
from dataclasses import dataclass, field

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import DEFINITION, Definition, Function, Module
from vast_ferry.translate.python.imports import imported_from
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Class, Func, Key

#: Why a name or a helper's text was edited, in the record of a crossing.
REASON = "copy"
#: What each finding on copies says whose they are.
_WHOSE = {
    "stands-twice": "handlers that are wrapped",
    "decorator-twice": "functions that are no handlers",
    "answer-twice": "those who change what it gives",
}


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
    uses = {one: _uses(flow, one) for one in both}
    while True:  # who calls such a helper for both has to call one or the other, and stands twice as well
        more = {one for one in both - twice if any(use.key in twice for use in uses[one])}
        if not more:
            break
        twice |= more
    named = {key for module in flow.modules.values() for key in _named_at_top(flow, module)}
    if named & twice or not all(_can_stand_twice(flow, key) for key in twice):
        return None
    return _Copying(flow, sorted(twice), sorted({_outermost(flow.functions[key]) for key in wrapped} - both)).made()


def of_decorator(flow: Flow, key: Key, handlers: Collection[Key]) -> Copies | None:
    """Return how a decorator comes to stand twice that stands before handlers and before other functions as well.

    Those get the copy, as it was. Nothing is copied where all that uses it are the `handlers`; nothing comes back where
    that can't be done.
    """
    others = used_otherwise(flow, key, handlers)
    if not others:
        return Copies() if others is not None else None
    return _Copying(flow, [key], others, "decorator-twice").made() if _can_stand_twice(flow, key) else None


def for_calls(flow: Flow, twice: Collection[Key], calls: Iterable[tuple[Function, ast.Call]]) -> Copies | None:
    """Return how helpers come to stand twice of which some calls get the copy, as it was; nothing where they can't."""
    if not all(_can_stand_twice(flow, key) for key in twice):
        return None
    calls = list(calls)
    apart = sorted({_outermost(caller) for caller, _ in calls})
    only = frozenset(id(call.func) for _, call in calls)
    return _Copying(flow, sorted(twice), apart, "answer-twice", only).made()


def used_otherwise(flow: Flow, key: Key, handlers: Collection[Key]) -> list[Key] | None:
    """Return what uses a decorator at the top of modules, but for handlers; nothing where a module itself does."""
    found: dict[Key, None] = {}
    name = flow.functions[key].node.name
    for module in flow.modules.values():
        uses = [node for node in module.nodes.names if module.names.get(node.id) == Func(key)]
        uses += [
            node
            for node in module.nodes.each(ast.Attribute)
            if node.attr == name and flow.named(module, node) == Func(key)
        ]
        inside = {
            id(one): (module.file, node.name) for node in _definitions(module) for one in module.nodes.of(node) or ()
        }
        where = [inside.get(id(node)) for node in uses]
        if None in where:
            return None
        found |= {one: None for one in where if one is not None and one not in handlers}
    return list(found)


def _definitions(module: Module) -> list[Definition | ast.ClassDef]:
    return [node for node in module.tree.body if isinstance(node, (*DEFINITION, ast.ClassDef))]


@dataclass(frozen=True, slots=True)
class _Use:
    """A name, or an attribute of a module, that stands for a function of the project."""

    node: ast.Name | ast.Attribute
    key: Key

    @property
    def name(self) -> str:
        return self.node.id if isinstance(self.node, ast.Name) else self.node.attr


class _Copying:
    def __init__(
        self,
        flow: Flow,
        twice: list[Key],
        apart: list[Key],
        told: str = "stands-twice",
        only: frozenset[int] | None = None,  # which names are renamed among those that stand `apart`
    ) -> None:
        self.flow, self.twice, self.apart, self.only = flow, twice, apart, only
        self.told, self.whose = told, _WHOSE[told]
        self.names = {key: self._free(flow.modules[key[0]], f"{key[1]}_as_it_was") for key in twice}
        self.result = Copies()

    def made(self) -> Copies | None:
        renamed: dict[str, list[_Use]] = {}
        for key in dict.fromkeys((*self.twice, *self.apart)):
            module = self.flow.modules[key[0]]
            uses = [use for use in _uses(self.flow, key) if use.key in self.names]
            if not all(self._stands_there(module, use) for use in uses):
                return None
            if key in self.apart:
                uses = self._apart(uses)
                renamed.setdefault(module.file, []).extend(uses)
        for file, uses in renamed.items():
            module = self.flow.modules[file]
            self._note(file, (edit for use in uses for edit in self._renamed(module, use)))
            if not self._import(module, uses):
                return None
        for key in self.twice:
            file, name = key
            self._note(file, [self._copy(key)])
            severity, reason, remedy = note(self.told, "", "", name)
            place = Place(file, _node(self.flow, key).lineno)
            self.result.findings.append(Finding(self.told, severity, reason, remedy, place))
        # What a copy itself names in another module has to be imported there under the copy's name.
        for file in dict.fromkeys(key[0] for key in self.twice):  # in a fixed order
            module = self.flow.modules[file]
            uses = [use for key in self.twice if key[0] == file for use in _uses(self.flow, key)]
            if not self._import(module, [use for use in uses if use.key in self.names], kept=True):
                return None
        return self.result

    def _apart(self, uses: Iterable[_Use]) -> list[_Use]:
        """Return those of the uses among what stands apart that get the copy."""
        return [use for use in uses if self.only is None or id(use.node) in self.only]

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

    def _copy(self, key: Key) -> Edit:
        """Return the edit that writes a helper once more, after itself."""
        module, node = self.flow.modules[key[0]], _node(self.flow, key)
        text = module.text
        start, end = text.start(node), text.end(node)
        if node.decorator_list:
            start = text.data.rindex(b"@", 0, text.start(node.decorator_list[0]))
        edits = [
            Edit(edit.start - start, edit.end - start, edit.text, REASON)
            for use in _uses(self.flow, key)
            if use.key in self.names
            for edit in self._renamed(module, use)
        ]
        head = re.compile(rb"(?:async\s+)?(?:def|class)\s+").match(text.data, text.start(node))
        assert head is not None
        at = head.end() - start
        edits.append(Edit(at, at + len(node.name.encode("utf-8")), self.names[key], REASON))
        data = text.data[start:end]
        for edit in sorted(edits, key=lambda one: -one.start):
            data = data[: edit.start] + edit.text.encode("utf-8") + data[edit.end :]
        at = text.next_line(end - 1)
        lead = "" if text.data[at - 1 : at] == b"\n" else "\n"
        comment = f"# As it was, for {self.whose}.\n"
        return Edit(at, at, f"{lead}\n\n{comment}{data.decode('utf-8')}\n", REASON)

    def _import(self, module: Module, uses: Iterable[_Use], *, kept: bool = False) -> bool:
        """Import copies of helpers that stand in other modules; tell whether each could be."""
        asked = {use.name: use for use in uses if isinstance(use.node, ast.Name) and use.key[0] != module.file}
        for name, use in asked.items():
            if self._new(use) in module.nodes.ids:
                return False
            told = [
                (node, alias)
                for node in module.nodes.imports
                if isinstance(node, ast.ImportFrom)
                for alias in node.names
                if (alias.asname or alias.name) in (name, "*")
            ]
            again = self.names[use.key] + (f" as {self._new(use)}" if use.key[1] != name else "")
            direct = [alias for node, alias in told if self._is_from(module, node, alias, use)]
            if not direct and not (told and self._import_beside(module, told[0][0], use, again)):
                return False
            renamed = {id(one.node) for one in self._renamed_in(module)}
            only = not kept and all(id(node) in renamed for node in module.nodes.names if node.id == name)
            for alias in direct:
                start, end = module.text.start(alias), module.text.end(alias)
                edit = Edit(start, end, again, REASON) if only else Edit(end, end, f", {again}", REASON)
                self._note(module.file, [edit])
        return True

    def _is_from(self, module: Module, node: ast.ImportFrom, alias: ast.alias, use: _Use) -> bool:
        """Tell whether a name is imported from where it is defined, and not from a package that hands it on."""
        there = self.flow.file_of(imported_from(module.file, node))
        return there == use.key[0] and alias.name == use.key[1]

    def _import_beside(self, module: Module, node: ast.ImportFrom, use: _Use, again: str) -> bool:
        """Import a copy from where it stands, after the statement by which a package hands the helper on."""
        if node.col_offset or node not in module.tree.body:
            return False
        full = use.key[0].removesuffix(".py").removesuffix("/__init__").replace("/", ".")
        at = module.text.next_line(module.text.end(node) - 1)
        lead = "" if module.text.data[at - 1 : at] == b"\n" else "\n"
        self._note(module.file, [Edit(at, at, f"{lead}from {full} import {again}\n", REASON)])
        return True

    def _renamed_in(self, module: Module) -> Iterator[_Use]:
        for key in self.apart:
            if key[0] == module.file:
                yield from self._apart(_uses(self.flow, key))

    def _free(self, module: Module, name: str) -> str:
        while name in module.nodes.ids or name in module.names:
            name += "_"
        return name


def _outermost(function: Function) -> Key:
    """Return the function at the top of a module, or the class, in which a function stands."""
    while function.outer is not None:
        function = function.outer
    return function.key if function.cls is None else function.cls


def _node(flow: Flow, key: Key) -> Definition | ast.ClassDef:
    return flow.functions[key].node if key in flow.functions else flow.classes[key]


def _uses(flow: Flow, key: Key) -> list[_Use]:
    """Return what in a function or class stands for functions and classes at the top of a module."""
    function = flow.functions.get(key)
    if function is not None:
        return _among(flow, function.module, function.nodes.all, function.nodes.bound - function.nodes.told_global)
    module = flow.modules[key[0]]
    methods = [one for one in flow.functions.values() if one.cls == key and one.outer is None]
    inside = {id(node) for one in methods for node in one.nodes.all}
    own = [node for node in module.nodes.of(flow.classes[key]) or () if id(node) not in inside]
    return [*_among(flow, module, own, frozenset()), *(use for one in methods for use in _uses(flow, one.key))]


def _among(flow: Flow, module: Module, nodes: Iterable[ast.AST], bound: Set[str]) -> list[_Use]:
    found = []
    for node in nodes:
        if (isinstance(node, ast.Name) and node.id not in bound) or isinstance(node, ast.Attribute):
            value = flow.named(module, node)
            if isinstance(value, (Func, Class)):
                found.append(_Use(node, value.key))
    return found


def _named_at_top(flow: Flow, module: Module) -> set[Key]:
    """Return the functions and classes that a module names outside of its functions and classes: tables, calls."""
    inside: set[int] = set()
    for node in module.nodes.all:
        if isinstance(node, (*DEFINITION, ast.ClassDef)):
            inside |= {id(one) for one in module.nodes.of(node) or () if one is not node}
    outside = [node for node in module.nodes.all if id(node) not in inside]
    return {use.key for use in _among(flow, module, outside, frozenset())}


def _can_stand_twice(flow: Flow, key: Key) -> bool:
    if key not in flow.functions:
        return _class_can(flow, key)
    function = flow.functions[key]
    node, text = function.node, function.module.text
    defaults = [*node.args.defaults, *(one for one in node.args.kw_defaults if one is not None)]
    return (
        not function.entry
        and not function.stands_before
        and function.stands_behind is None
        and not node.decorator_list
        and all(isinstance(one, ast.Constant) for one in defaults)
        and node.col_offset == 0
        and text.data[text.start(node) :].startswith((b"def", b"async"))
        and flow.in_module(function.key[0], node.name) == Func(function.key)
    )


def _class_can(flow: Flow, key: Key) -> bool:
    """Tell whether a class can stand twice: nothing is kept in it, and nobody is told that it is made."""
    node, module = flow.classes[key], flow.modules[key[0]]
    methods = {one.node.name: one for one in flow.functions.values() if one.cls == key}
    plain = all(
        one.value is None or isinstance(one.value, ast.Constant) or bool(flow.standard_name(module, _called(one.value)))
        for one in node.body
        if isinstance(one, (ast.Assign, ast.AnnAssign))
    )
    known = all(flow.standard_name(module, _called(one)).startswith("dataclasses.") for one in node.decorator_list)
    told = any("__init_subclass__" in _methods_of(flow, one) for one in flow.above(key))
    return (
        (plain and known and not told and not node.keywords and node.col_offset == 0)
        and not any(one.entry or one.stands_before for one in methods.values())
        and flow.in_module(key[0], node.name) == Class(key)
        and not _is_changed(flow, key)
    )


def _called(node: ast.expr) -> ast.expr:
    return node.func if isinstance(node, ast.Call) else node


def _methods_of(flow: Flow, key: Key) -> set[str]:
    return {one.node.name for one in flow.functions.values() if one.cls == key}


def _is_changed(flow: Flow, key: Key) -> bool:
    """Tell whether an attribute of the class itself, or of any by `cls` or `type()`, is given a value anywhere."""
    for module in flow.modules.values():
        for node in module.nodes.all:
            if isinstance(node, ast.Attribute) and (
                node.attr == "__subclasses__" or not isinstance(node.ctx, ast.Load)
            ):
                asked = flow.named(module, node.value)
                own = isinstance(node.value, ast.Name) and node.value.id == "cls"
                if own or isinstance(node.value, ast.Call) or asked == Class(key):
                    return True
    return False
