"""What can be read once, where several functions of a handler read it: at most one may, whatever happens.

It is content that is gone once it was read, and what the target never gives, so that each read makes another.

Within one function what is read twice is read before all else, into a name. Between functions nobody hands it over: the
ways through a function are looked at, and where one leads past two places that read the content, themselves or in what
they call, the handler is left as it is.
"""

from __future__ import annotations

import ast
import itertools
from collections.abc import Callable, Iterable, Mapping, Sequence

from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.values import Key, Stop

_LOOPS = (ast.For, ast.AsyncFor, ast.While, ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp)


def read_twice(
    flow: Flow,
    reads: Mapping[Key, Iterable[ast.AST]],
    called: Callable[[ast.AST], Iterable[Function]],
    reached: Iterable[Key],
    code: str = "content-read-twice",
) -> dict[Key, Stop]:
    """Return the functions in which something may be read twice; `reads` are the places where one reads it itself."""
    functions = [flow.functions[key] for key in reached if key in flow.functions]
    readers = {key for key, nodes in reads.items() if list(nodes)}
    sites: dict[Key, list[ast.AST]] = {}
    grown = bool(readers)
    while grown:  # who calls a reader is one
        grown = False
        for function in functions:
            own = list(reads.get(function.key, ()))
            calls = [n for n in function.nodes.each(ast.Call) if any(one.key in readers for one in called(n))]
            sites[function.key] = [*own, *(call for call in calls if call not in own)]
            if sites[function.key] and function.key not in readers:
                readers.add(function.key)
                grown = True
    found = {}
    for function in functions:
        nodes = sites.get(function.key, [])
        twice = second_of(function, nodes)
        if nodes and function.referred and not function.entry:
            twice = twice or nodes[0]  # nobody sees how often it is called
        if twice is not None:
            found[function.key] = Stop(code, twice)
    return found


def second_of(function: Function, nodes: Sequence[ast.AST]) -> ast.AST | None:
    """Return the node at which one call of a function comes by for the second time; nothing if none does."""
    for node in nodes:
        if _comes_round(function, node):
            return node
    return next((b for a, b in itertools.combinations(nodes, 2) if not _apart(function, a, b)), None)


def _around(function: Function, node: ast.AST) -> list[ast.AST]:
    """Return what a node stands in, up to its function; itself first."""
    parents, found, at = function.nodes.parents, [node], function.nodes.parents.get(id(node))
    while at is not None and at is not function.node:
        found.append(at)
        at = parents.get(id(at))
    return found


def _comes_round(function: Function, node: ast.AST) -> bool:
    return node is not function.node and any(isinstance(one, _LOOPS) for one in _around(function, node)[1:])


def _apart(function: Function, one: ast.AST, other: ast.AST) -> bool:
    """Tell whether no way leads past both: they are on two sides of a condition, or one is left for good."""
    if one is function.node or other is function.node:
        return False
    here, there = _around(function, one), _around(function, other)
    if any(isinstance(at, (ast.Try, ast.TryStar)) and at.handlers for at in (*here, *there)):
        return False
    shared = next((at for at in here if any(at is two for two in there)), None)
    mine = here[here.index(shared) - 1] if shared is not None and shared is not one else None
    theirs = there[there.index(shared) - 1] if shared is not None and shared is not other else None
    if isinstance(shared, (ast.If, ast.IfExp)) and mine is not shared.test and theirs is not shared.test:
        bodies = (shared.body, shared.orelse)
        return not any(_in(body, mine) and _in(body, theirs) for body in bodies) or _left(here, there)
    if isinstance(shared, ast.Match):
        return mine is not theirs and mine is not shared.subject and theirs is not shared.subject
    return _left(here, there)


def _in(body: ast.expr | list[ast.stmt], node: ast.AST | None) -> bool:
    return any(node is one for one in body) if isinstance(body, list) else node is body


def _left(here: list[ast.AST], there: list[ast.AST]) -> bool:
    """Tell whether one of two places stands in a block that leaves the function, and the other outside of it."""
    return _leaves_before(here, there) or _leaves_before(there, here)


def _leaves_before(here: list[ast.AST], there: list[ast.AST]) -> bool:
    for at, outer in itertools.pairwise(here):
        for name in ("body", "orelse"):
            block = getattr(outer, name, None)
            if not isinstance(block, list) or not _in(block, at):
                continue
            if any(_in(block, one) for one in there):
                return False
            if isinstance(block[-1], (ast.Return, ast.Raise)):
                return True
    return False
