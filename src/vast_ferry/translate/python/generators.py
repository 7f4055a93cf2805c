"""Plain generators that have to wait at the target: which may become asynchronous ones, and how they are gone through.

A plain generator that waits for something becomes an asynchronous one, and all that goes through it has to go through
it as such. That may be done where each call of it is seen to be gone through at once, by a loop, a comprehension, a
built-in function that takes all there is, or another such generator; nobody else asks it; and nothing in it depends on
when it is given up: a plain one that a loop leaves early is closed at once, an asynchronous one at some time. So it
must have no `finally`, nothing that catches all, and no `with` but of what nobody misses that is left late. A context
manager made of one may have these, for `async with` closes it at once. A lazy comprehension that is taken whole becomes
a list where something in it waits; one that is gone through at once is gone through as such; and one that is asked for
the first that it gives, by `next`, `any` or `all`, is asked by `anext`, so that no more of it is done than before.
"""

from __future__ import annotations

import ast
from collections.abc import Mapping
from enum import Enum

from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import Function, is_built_in
from vast_ferry.translate.python.nodes import walk

#: Built-in functions that go through all that they are given first.
_TAKE_ALL = frozenset(["list", "tuple", "set", "frozenset", "dict", "sorted", "sum", "max", "min"])
#: The same of the standard library.
_TAKE_ALL_TOO = frozenset(
    ["collections.Counter", "collections.deque", "collections.OrderedDict", "math.fsum", "math.prod", "statistics.mean"]
    + ["statistics.fmean", "statistics.median"]
)
#: What `with` may enter in such a generator: nobody sees when it is left.
_LEFT_UNSEEN = frozenset(["contextlib.suppress", "contextlib.nullcontext", "io.StringIO", "io.BytesIO"])
_MANAGER = "contextlib.contextmanager"
#: What catches that a generator is given up, too.
_CATCH_ALL = frozenset(["BaseException", "GeneratorExit"])


def becomes_asynchronous(flow: Flow, function: Function, within: tuple[Function, ...] = ()) -> bool:
    """Tell whether a plain generator may become an asynchronous one, as all that goes through it may."""
    node = function.node
    if not isinstance(node, ast.FunctionDef) or not function.generates or function.entry or function.referred:
        return False
    manages = manager_of(flow, function) is not None
    inside = walk(node)
    odd = any(isinstance(one, ast.Return) and one.value for one in inside)
    odd = odd or not all(isinstance(function.nodes.parents.get(id(one)), ast.Expr) for one in yields_from(function))
    if odd or not function.calls or (node.decorator_list and not manages) or node.name.startswith("__"):
        return False
    if not manages and any(_notices_its_end(flow, function, one) for one in inside):
        return False
    return all(
        caller is not None and _is_gone_through(flow, caller, (*within, function), call, manages=manages)
        for caller, call in function.calls
    )


def yields_from(function: Function) -> list[ast.YieldFrom]:
    """Return where a generator gives all that another gives."""
    return [one for one in walk(function.node) if isinstance(one, ast.YieldFrom)]


def manager_of(flow: Flow, function: Function) -> ast.expr | None:
    """Return the decorator that makes a context manager of a plain generator, where it has no other."""
    decorators = function.node.decorator_list
    plain = isinstance(function.node, ast.FunctionDef) and len(decorators) == 1
    return decorators[0] if plain and flow.standard_name(function.module, decorators[0]) == _MANAGER else None


def statement_around(node: ast.expr, parents: Mapping[int, ast.AST]) -> ast.For | ast.With | None:
    """Return the loop that goes through what an expression gives, or the `with` that enters it, and nothing else."""
    above = parents.get(id(node))
    if isinstance(above, ast.For) and above.iter is node:
        return above
    around = parents.get(id(above)) if isinstance(above, ast.withitem) else None
    return around if isinstance(around, ast.With) and len(around.items) == 1 else None


def comprehension_around(node: ast.expr, parents: Mapping[int, ast.AST]) -> ast.comprehension | None:
    """Return the part of a comprehension that goes through what an expression gives."""
    above = parents.get(id(node))
    return above if isinstance(above, ast.comprehension) and above.iter is node else None


def _notices_its_end(flow: Flow, function: Function, node: ast.AST) -> bool:
    """Tell whether something is done when a generator is given up."""
    if isinstance(node, (ast.With, ast.AsyncWith)):
        return not all(_is_left_unseen(flow, function, one.context_expr) for one in node.items)
    if isinstance(node, (ast.Try, ast.TryStar)):
        return bool(node.finalbody)
    return isinstance(node, ast.ExceptHandler) and (node.type is None or _names_all(node.type))


def _is_left_unseen(flow: Flow, function: Function, entered: ast.expr) -> bool:
    if not isinstance(entered, ast.Call) or any(_names_all(one) for one in entered.args):
        return False
    return flow.standard_name(function.module, entered.func) in _LEFT_UNSEEN


def _names_all(caught: ast.expr) -> bool:
    """Tell whether an expression names what is raised where a generator is given up."""
    return any(getattr(one, "id", "") in _CATCH_ALL or getattr(one, "attr", "") in _CATCH_ALL for one in walk(caught))


def _is_gone_through(
    flow: Flow, caller: Function, within: tuple[Function, ...], call: ast.Call, *, manages: bool
) -> bool:
    parents = caller.nodes.parents
    around = statement_around(call, parents)
    if manages:
        return isinstance(around, ast.With)
    if isinstance(around, ast.For):
        return True
    if (part := comprehension_around(call, parents)) is not None:
        whole = parents.get(id(part))
        return not isinstance(whole, ast.GeneratorExp) or how_asked(flow, whole, caller) is not None
    above = parents.get(id(call))
    if isinstance(above, ast.YieldFrom):
        told = isinstance(parents.get(id(above)), ast.Expr) and not any(caller is one for one in within)
        return told and becomes_asynchronous(flow, caller, within)
    return is_taken_whole(flow, call, caller) or asked_for_first(call, caller) == "next"


def is_taken_whole(flow: Flow, node: ast.expr, function: Function) -> bool:
    """Tell whether what an expression gives is gone through by what takes all of it before it does anything else.

    A lazy comprehension that awaits already is an asynchronous generator, which nothing of that takes.
    """
    if any(isinstance(one, ast.Await) or getattr(one, "is_async", False) for one in walk(node)):
        return False
    above = function.nodes.parents.get(id(node))
    named = above.func if isinstance(above, ast.Call) and node in above.args[:1] else None
    if named is not None and flow.standard_name(function.module, named) in _TAKE_ALL_TOO:
        return True
    if isinstance(named, ast.Attribute):
        return named.attr == "join" and isinstance(named.value, ast.Constant)
    known = isinstance(named, ast.Name) and named.id in _TAKE_ALL
    return known and isinstance(named, ast.Name) and is_built_in(function.module, function, named.id)


def asked_for_first(node: ast.expr, function: Function) -> str | None:
    """Return by which built-in function something lazy is asked for the first that it gives: any, all or next.

    `next` needs something to give where there is none: else it would raise another class of exceptions.
    """
    above = function.nodes.parents.get(id(node))
    named = above.func if isinstance(above, ast.Call) and above.args[:1] == [node] and not above.keywords else None
    if not isinstance(named, ast.Name) or not isinstance(above, ast.Call):
        return None
    known = {"any": 1, "all": 1, "next": 2}.get(named.id) == len(above.args)
    return named.id if known and is_built_in(function.module, function, named.id) else None


class Asked(Enum):
    """How a lazy comprehension that waits is asked for what it gives."""

    WHOLE = "whole"  # it becomes a list
    ONCE = "once"  # for the first
    THROUGH = "through"  # by a loop


def how_asked(flow: Flow, node: ast.GeneratorExp, function: Function) -> Asked | None:
    """Return how a lazy comprehension is asked, where that may wait; nothing where nobody who asks it could."""
    if is_taken_whole(flow, node, function):
        return Asked.WHOLE
    if asked_for_first(node, function) is not None:
        return Asked.ONCE
    parents = function.nodes.parents
    around = comprehension_around(node, parents)
    whole = parents.get(id(around)) if around is not None else None
    if isinstance(whole, ast.GeneratorExp):  # which waits as well, then
        return Asked.THROUGH if how_asked(flow, whole, function) is not None else None
    return Asked.THROUGH if around is not None or isinstance(statement_around(node, parents), ast.For) else None
