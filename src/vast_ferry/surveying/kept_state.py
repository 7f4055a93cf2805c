"""What code keeps in memory from one call to the next: names at the top of a module that its functions change.

    SEEN = set()                                @lru_cache
    LAST = None                                 def prices():
                                                    ...
    def run(event, ctx):
        global LAST
        SEEN.add(event["ticket"])
        LAST = event

A function changes such a name where it gives it another value (`global`), stores in it, or calls a method of it that
changes a container; it must not have a name of its own that is the same. What an object keeps that stands there, and
changes by methods of its own, is not looked for; nor is what a decorator notes of the functions that it is given.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator, Set

from vast_ferry.hub.findings import Place
from vast_ferry.surveying.parts import Kept
from vast_ferry.translate.python.nodes import Nodes, last_name, walk
from vast_ferry.translate.python.types import CHANGING_METHODS

_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
#: Decorators that keep what a function gave, by the last part of their name.
_CACHES = frozenset(["cache", "lru_cache", "cached"])


def kept_between_calls(file: str, tree: ast.Module, nodes: Nodes) -> Iterator[tuple[str, Kept]]:
    """Yield what functions of a file keep in memory, each with the definition at its top in which that is done."""
    held = nodes.top_names
    for statement in tree.body:
        if not isinstance(statement, (*_FUNCTIONS, ast.ClassDef)):
            continue
        for function in (one for one in nodes.of(statement) or walk(statement) if isinstance(one, _FUNCTIONS)):
            told = (one.func if isinstance(one, ast.Call) else one for one in function.decorator_list)
            if any(last_name(one) in _CACHES for one in told):
                yield statement.name, Kept(f"the cache of {function.name}", _place(file, function))
            for node in _changes(function, held) if held and not _registers(function) else ():
                yield statement.name, Kept(_root(node), _place(file, node))


def _changes(function: ast.FunctionDef | ast.AsyncFunctionDef, held: Set[str]) -> Iterator[ast.expr]:
    """Yield where a function changes what a name at the top of its module holds."""
    inside = walk(function)
    told = {name for one in inside if isinstance(one, ast.Global) for name in one.names}
    bound = {one.id for one in inside if isinstance(one, ast.Name) and isinstance(one.ctx, ast.Store)}
    bound |= {one.arg for one in inside if isinstance(one, ast.arg)}
    names = (held - bound) | (held & told)
    for one in inside:
        if isinstance(one, ast.Name) and isinstance(one.ctx, ast.Store) and one.id in names & told:
            yield one
        elif isinstance(one, (ast.Subscript, ast.Attribute)) and not isinstance(one.ctx, ast.Load):
            if _root(one) in names:
                yield one
        elif isinstance(one, ast.Call) and isinstance(one.func, ast.Attribute) and one.func.attr in CHANGING_METHODS:
            held_by = one.func.value
            if isinstance(held_by, (ast.Name, ast.Subscript)) and _root(held_by) in names:
                yield held_by


def _registers(function: ast.FunctionDef | ast.AsyncFunctionDef) -> bool:
    """Tell whether a function gives back what it is given, as a decorator does that only notes it: at import."""
    last = function.body[-1]
    given = last.value.id if isinstance(last, ast.Return) and isinstance(last.value, ast.Name) else ""
    return [one.arg for one in function.args.args[-1:]] == [given]


def _root(node: ast.expr) -> str:
    """Return the name at the beginning of a chain of items and attributes."""
    while isinstance(node, (ast.Subscript, ast.Attribute)):
        node = node.value
    return node.id if isinstance(node, ast.Name) else ""


def _place(file: str, node: ast.AST) -> Place:
    return Place(file, getattr(node, "lineno", 0), getattr(node, "col_offset", -1) + 1)
