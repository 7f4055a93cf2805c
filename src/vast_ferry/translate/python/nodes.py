"""A syntax tree walked once: its nodes in the order of the source, each one's parent, and the names in it."""

from __future__ import annotations

import ast
import contextlib
import gc
from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Any

#: Fields that hold texts, numbers or operators, and never a node that anybody looks for.
_PLAIN = frozenset(
    (
        *("arg", "asname", "attr", "conversion", "ctx", "id", "is_async", "kind", "kwd_attrs", "level", "module"),
        *("name", "op", "ops", "rest", "simple", "type_comment"),
    )
)
#: Classes all of whose other fields are plain as well.
_LEAVES = (ast.Constant, ast.MatchSingleton, ast.Global, ast.Nonlocal)
_NAMED = frozenset([ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef])
_DEFINITION = (ast.FunctionDef, ast.AsyncFunctionDef)
_FUNCTIONS = (*_DEFINITION, ast.Lambda)
_YIELDS = (ast.Yield, ast.YieldFrom)
#: What stands among nodes that wait, and is none.
_MARKS = frozenset([type(None), tuple])


class _Below(dict[type, tuple[str, ...]]):
    """The fields of each class of nodes that hold nodes, last first; worked out when a class is first met."""

    def __missing__(self, kind: type[ast.AST]) -> tuple[str, ...]:
        fields = () if kind in _LEAVES else tuple(name for name in reversed(kind._fields) if name not in _PLAIN)
        self[kind] = fields
        return fields


_below = _Below()


def nodes_in(node: ast.AST) -> list[Any]:
    """Return the nodes, and lists of nodes, right below a node, but operators, in the order of the source."""
    found = [getattr(node, name, None) for name in reversed(_below[node.__class__])]
    return [value for value in found if value is not None and value.__class__ is not str]


@contextlib.contextmanager
def collector_at_rest() -> Iterator[None]:
    """Keep Python's collector from walking syntax trees, which hold no cycles, again and again."""
    collects = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collects:
            if not gc.get_freeze_count():  # all that was made meanwhile counts as old at once, unseen
                gc.freeze()
                gc.unfreeze()
            gc.enable()


def walk(root: ast.AST) -> list[ast.AST]:
    """Return a node and all below it, but operators, in the order of the source; many times faster than `ast.walk`."""
    return _Walked(root).nodes


class _Walked:
    """A tree gone through once: its nodes, the names among them, and where in both each function and class stands."""

    __slots__ = ("names", "nodes", "spans")

    def __init__(self, root: ast.AST) -> None:
        self.nodes: list[ast.AST] = []
        self.names: list[ast.Name] = []
        self.spans: dict[int, tuple[slice, slice]] = {}  # by identity
        _walk(root, self.nodes, self.names, self.spans)


def _walk(root: ast.AST, found: list[ast.AST], names: list[Any], spans: dict[int, tuple[slice, slice]]) -> None:
    stack: list[Any] = [root]
    pop, push, note, fields = stack.pop, stack.append, found.append, _below
    while stack:
        node = pop()
        kind = node.__class__
        if kind is ast.Name:
            note(node)
            names.append(node)
            continue
        if kind in _MARKS:
            if node is not None:  # a definition has ended; None is an optional part, or a value without its key
                spans[node[0]] = slice(node[1], len(found)), slice(node[2], len(names))
            continue
        if kind in _NAMED:
            push((id(node), len(found), len(names)))
        note(node)
        for name in fields[kind]:
            value = getattr(node, name, None)
            if value.__class__ is list:
                stack += value[::-1]
            else:
                push(value)


def is_path(node: ast.AST) -> bool:
    """Tell whether an expression is a name, or an attribute of one."""
    return isinstance(node, ast.Name) or (isinstance(node, ast.Attribute) and is_path(node.value))


def last_name(node: ast.AST) -> str:
    """Return the last part of a name, or of an attribute; empty where it is neither."""
    return node.attr if isinstance(node, ast.Attribute) else node.id if isinstance(node, ast.Name) else ""


def lower_of(node: ast.AST) -> ast.expr | None:
    """Return what an expression puts into lower case: `name` of `name.lower()`."""
    called = node.func if isinstance(node, ast.Call) and not node.args and not node.keywords else None
    return called.value if isinstance(called, ast.Attribute) and called.attr == "lower" else None


def in_generator(node: ast.AST, parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether a generator expression evaluates a node: all of it but what it goes through first."""
    above = parents.get(id(node))
    while above is not None and not isinstance(above, (ast.stmt, ast.Lambda)):
        if isinstance(above, ast.GeneratorExp):
            return True
        if isinstance(above, ast.comprehension) and node is above.iter:
            outer = parents.get(id(above))
            if isinstance(outer, ast.GeneratorExp) and outer.generators[0] is above:
                node, above = outer, parents.get(id(outer))
                continue
        node, above = above, parents.get(id(above))
    return False


class Nodes:
    """What a tree holds, worked out when it is first asked for; a function's is a part of its module's, `within`."""

    def __init__(self, root: ast.AST, within: Nodes | None = None) -> None:
        self.root, self.within = root, within

    @cached_property
    def _walked(self) -> _Walked:
        return _Walked(self.root)

    @cached_property
    def all(self) -> list[ast.AST]:
        """Return all nodes."""
        if self.within is None:
            return self._walked.nodes
        found = self.within.of(self.root)
        return self._walked.nodes if found is None else found

    @cached_property
    def _by_class(self) -> dict[type, list[Any]]:
        found: dict[type, list[Any]] = {}
        for node in self.all:
            if node.__class__ in found:
                found[node.__class__].append(node)
            else:
                found[node.__class__] = [node]
        return found

    def each(self, *kinds: type[ast.AST]) -> list[Any]:
        """Return the nodes of some classes, class by class, those of each in the order of the source."""
        return [node for kind in kinds for node in self._by_class.get(kind, ())]

    def of(self, definition: ast.AST) -> list[ast.AST] | None:
        """Return the nodes of a function or class below the root; nothing where it is not below it."""
        span = self._walked.spans.get(id(definition))
        return None if span is None else self._walked.nodes[span[0]]

    @cached_property
    def parents(self) -> dict[int, ast.AST]:
        """Return each node's parent by its identity; of a function's, those of the module around it as well."""
        if self.within is not None and id(self.root) in self.within._walked.spans:
            return self.within.parents
        parents: dict[int, ast.AST] = {}
        for node in self.all:
            for name in _below[node.__class__]:
                value = getattr(node, name, None)
                if value.__class__ is list:
                    for item in value:
                        parents[id(item)] = node
                elif value is not None:
                    parents[id(value)] = node
        return parents

    @cached_property
    def names(self) -> list[ast.Name]:
        """Return every name that is read or bound."""
        walked = self._walked if self.within is None else self.within._walked
        span = walked.spans.get(id(self.root)) if self.within is not None else None
        return walked.names[span[1]] if span is not None else self._walked.names

    @cached_property
    def imports(self) -> list[ast.Import | ast.ImportFrom]:
        """Return every statement that imports."""
        return sorted(self.each(ast.Import, ast.ImportFrom), key=lambda node: (node.lineno, node.col_offset))

    @cached_property
    def ids(self) -> frozenset[str]:
        """Return the names that are read or bound."""
        return frozenset(node.id for node in self.names)

    @cached_property
    def attributes(self) -> frozenset[tuple[str, str]]:
        """Return the attributes of names that are read or bound: (name, attribute)."""
        return frozenset(
            (node.value.id, node.attr) for node in self.each(ast.Attribute) if node.value.__class__ is ast.Name
        )

    @cached_property
    def told_global(self) -> frozenset[str]:
        """Return the names that are declared global or nonlocal in it."""
        return frozenset(name for node in self.each(ast.Global, ast.Nonlocal) for name in node.names)

    @cached_property
    def top_names(self) -> frozenset[str]:
        """Return the names that a module's own statements give values to, but for imports and definitions."""
        found: set[str] = set()
        waiting: list[Any] = list(getattr(self.root, "body", ()))
        while waiting:
            node = waiting.pop()
            if node.__class__ is list:
                waiting += node
            elif isinstance(node, ast.Name):
                if not isinstance(node.ctx, ast.Load):
                    found.add(node.id)
            elif node.__class__ not in _NAMED and node.__class__ is not ast.Lambda:
                waiting += nodes_in(node)
        return frozenset(found)

    @cached_property
    def generates(self) -> bool:
        """Tell whether the function that is the root is a generator itself."""
        yields = self.each(*_YIELDS)
        functions = (node for node in self.each(*_FUNCTIONS) if node is not self.root) if yields else ()
        inner = {id(node) for function in functions for node in walk(function)}
        return any(id(node) not in inner for node in yields)

    @cached_property
    def exported(self) -> frozenset[str]:
        """Return the names that the module says it has for others, in `__all__`."""
        if "__all__" not in self.ids:
            return frozenset()
        return frozenset(
            inner.value
            for node in self.each(ast.Assign)
            if any(isinstance(t, ast.Name) and t.id == "__all__" for t in node.targets)
            for inner in walk(node.value)
            if isinstance(inner, ast.Constant) and isinstance(inner.value, str)
        )

    @cached_property
    def named(self) -> frozenset[str]:
        """Return all names in it, parameters as well."""
        return self.ids | self.parameters

    @cached_property
    def parameters(self) -> frozenset[str]:
        """Return the names of parameters, of functions inside it as well."""
        return frozenset(node.arg for node in self.each(ast.arg))

    @cached_property
    def bound(self) -> frozenset[str]:
        """Return the names that it binds."""
        return frozenset({n.id for n in self.names if not isinstance(n.ctx, ast.Load)} | self.parameters)

    def uses(self, name: str) -> list[ast.Name]:
        """Return where a name stands."""
        return [node for node in self.names if node.id == name]


def defined(tree: ast.Module, name: str) -> ast.FunctionDef | ast.AsyncFunctionDef | None:
    """Return the one definition that a name of a module has, and nothing else."""
    bound = [node for node in walk(tree) if binds(node, name)]
    found = [node for node in tree.body if isinstance(node, _DEFINITION) and node.name == name]
    return found[0] if len(found) == 1 and len(bound) == 1 and found[0].col_offset == 0 else None


def binds(node: ast.AST, name: str) -> bool:
    """Tell whether a node gives a name a meaning."""
    if isinstance(node, ast.Name):
        return node.id == name and not isinstance(node.ctx, ast.Load)
    told = isinstance(node, (ast.Global, ast.Nonlocal)) and name in node.names
    named = isinstance(node, (*_DEFINITION, ast.ClassDef, ast.ExceptHandler, ast.MatchAs, ast.MatchStar))
    named = (named and node.name == name) or (isinstance(node, ast.MatchMapping) and node.rest == name)  # type: ignore[attr-defined]
    alias = isinstance(node, ast.alias) and (node.asname or node.name) == name
    return told or named or alias or (isinstance(node, ast.arg) and node.arg == name)
