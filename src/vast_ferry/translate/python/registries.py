"""Tables of functions that an object keeps: a router of the project's own, filled by its own decorator.

    class Router:                                        router = Router()
        def __init__(self):
            self.routes = {}                             @router.route("GET")
        def route(self, method):                         def show(event, ctx): ...
            def register(function):
                self.routes[method] = function
                return function                          def run(event, ctx):
            return register                                  return router.dispatch(event, ctx)
        def dispatch(self, event, ctx):
            return self.routes[event["call"]["verb"]](event, ctx)

What is decorated stands in the table (`tables.py`), whichever of the objects is asked, as long as all that touches one
is seen: the class is only called, at the top of its module, under names that are only asked for attributes, or called;
its methods ask `self` for attributes alone, none of which begins with `__`; the table begins empty and is filled by
that decorator, and nobody else names it; and the decorator is only used as one.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from vast_ferry.translate.python.closed_classes import is_closed
from vast_ferry.translate.python.functions import Definition, Function, Module
from vast_ferry.translate.python.tables import FilledAt, begins_empty, decorated, filled_at
from vast_ferry.translate.values import Instance, Key, Table


@dataclass(frozen=True, slots=True)
class Registry:
    """A table that objects of a class keep under an attribute: its functions, and what fills it."""

    cls: Key
    attribute: str
    table: Table
    methods: tuple[Key, ...]
    stores: tuple[ast.AST, ...]


def registries(
    modules: Mapping[str, Module],
    classes: Mapping[Key, ast.ClassDef],
    functions: Mapping[Key, Function],
    defined: Mapping[int, Function],
) -> Iterator[Registry]:
    """Yield the tables that objects of the project keep, and whose functions are all known."""
    for cls, node in classes.items():
        methods: list[Definition] = [
            one for one in node.body if isinstance(one, (ast.FunctionDef, ast.AsyncFunctionDef))
        ]
        if node.decorator_list or node.bases or node.keywords or len(methods) != len(node.body) - _described(node):
            continue
        attributes = _begun(methods)
        if not attributes or not is_closed(modules, cls, methods):
            continue
        for attribute in attributes:
            found = _kept(modules, cls, methods, attribute)
            if found is not None:
                keys = _decorated(modules, defined, cls, {name for name, _ in found})
                if keys:
                    owns = tuple((cls[0], f"{cls[1]}.{name}") for name, _ in found)
                    stores = tuple(store for _, told in found for store in told.stores)
                    if all(one in functions for one in owns):
                        told = found[0][1]
                        table = Table(keys, told.column, told.width, lists=told.lists)
                        yield Registry(cls, attribute, table, owns, stores)


def _described(node: ast.ClassDef) -> int:
    first = node.body[0]
    return int(isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant))


def _begun(methods: list[Definition]) -> list[str]:
    """Return the attributes that begin as an empty mapping or list where an object is set up."""
    found = []
    for method in methods:
        for one in method.body if method.name == "__init__" else ():
            target = one.targets[0] if isinstance(one, ast.Assign) and len(one.targets) == 1 else None
            target = one.target if isinstance(one, ast.AnnAssign) else target
            if isinstance(target, ast.Attribute) and begins_empty(one.value):  # type: ignore[attr-defined]
                found.append(target.attr)
    return found


def _kept(
    modules: Mapping[str, Module], cls: Key, methods: list[Definition], attribute: str
) -> list[tuple[str, FilledAt]] | None:
    """Return the methods that fill a table, and how each does; nothing where it is used in any other way."""
    module = modules[cls[0]]
    mine = {id(inner): method for method in methods for inner in ast.walk(method)}
    found: list[tuple[str, FilledAt]] = []
    begun, asked = 0, set[int]()
    for other in modules.values():
        for use in (one for one in other.nodes.each(ast.Attribute) if one.attr == attribute):
            method = mine.get(id(use)) if other is module else None
            named = use.value.id if isinstance(use.value, ast.Name) else ""
            if method is None or named != method.args.args[0].arg:
                if other.names.get(named) == Instance(cls):
                    return None
                continue  # no object of the class: all of those are seen
            if isinstance(use.ctx, ast.Store):
                begun += 1
                continue
            told = filled_at(use, module.nodes.parents)
            if told is None:
                return None
            if told.value is None:
                asked.add(told.width)
            elif told.decorator is method:
                found.append((method.name, told))
            else:
                return None
    shapes = {(told.column, told.width, told.lists) for _, told in found}
    alike = len(shapes) == 1 and asked <= {width for _, width, _ in shapes}
    return found if alike and begun == 1 else None


def _decorated(
    modules: Mapping[str, Module], defined: Mapping[int, Function], cls: Key, methods: set[str]
) -> tuple[Key, ...]:
    """Return the functions that methods of a class decorate; none where they are used in any other way."""
    keys: dict[Key, None] = {}
    for module in modules.values():
        names = {name for name, value in module.names.items() if value == Instance(cls)}
        asked = [
            id(one)
            for one in module.nodes.each(ast.Attribute)
            if one.attr in methods and isinstance(one.value, ast.Name) and one.value.id in names
        ]
        found = decorated(module, asked, defined)
        if found is None:
            return ()
        keys |= dict.fromkeys(found)
    return tuple(keys)
