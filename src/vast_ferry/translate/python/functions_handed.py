"""Functions that are handed to functions of the project: a parameter of which is seen all that is done with it.

    def guarded(action, otherwise):             guarded(load, None)
        try:                                    guarded(store.first, "none")
            return action()
        except LookupError:
            return otherwise

A parameter that is only called or tested stands for one of the functions that its callers hand it, as what a table of
functions gives for a word (`tables.py`) stands for one of those in it; one that a loop goes through, or that is only
asked for what it has for a word, is such a table. As there, all of them get what the call hands over and are written
alike. It may be handed on to another function's parameter of that sort. Once any caller hands it something else,
nothing is known of it, and whoever calls what the others hand over is not seen.
"""

from __future__ import annotations

import ast
from dataclasses import dataclass

from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.python.tables import is_called_or_tested, name_given, only_asked, rows_gone_through
from vast_ferry.translate.values import Func

#: Through so many functions a function is handed on.
_DEEPEST = 4


@dataclass(frozen=True, slots=True)
class Taken:
    """How a function takes a parameter that is one function, or several: `called`, `asked`, or in rows of a `width`."""

    called: bool = False
    asked: bool = False
    width: int = 0


def taken(flow: Flow, function: Function, parameter: str, depth: int = _DEEPEST) -> Taken | None:
    """Return how a function takes a parameter, where nothing but that is done with it; `*args` only by rows."""
    nodes = function.nodes
    uses, parents = nodes.uses(parameter), nodes.parents
    if not uses or function.entry or parameter in nodes.told_global:
        return None
    rest = [one.arg for one in (function.node.args.vararg, function.node.args.kwarg) if one is not None]
    if parameter in rest:
        plain = all(isinstance(use.ctx, ast.Load) and not _stands_deeper(use, function) for use in uses)
        width = rows_gone_through(uses, parents) if plain and parameter == rest[0] else 0
        return Taken(width=width) if width and function.node.args.vararg is not None else None
    if any(not isinstance(use.ctx, ast.Load) or _stands_deeper(use, function) for use in uses):
        return None
    if all(
        (is_called_or_tested(use, parents) and not name_given(use, parents)) or _goes_on(flow, function, use, depth)
        for use in uses
    ):
        return Taken(called=True)
    if width := rows_gone_through(uses, parents):
        return Taken(width=width)
    return Taken(asked=True) if only_asked(uses, parents) else None


def _stands_deeper(use: ast.Name, function: Function) -> bool:
    """Tell whether a name is read in a function that stands inside: who calls that, and when, is another matter."""
    at = function.nodes.parents.get(id(use))
    while at is not None and at is not function.node:
        if isinstance(at, (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda, ast.ClassDef)):
            return True
        at = function.nodes.parents.get(id(at))
    return False


def _goes_on(flow: Flow, function: Function, use: ast.Name, depth: int) -> bool:
    """Tell whether what a name holds is handed on to a function of the project that only calls it."""
    above = function.nodes.parents.get(id(use))
    by = above.arg if isinstance(above, ast.keyword) else None
    call = function.nodes.parents.get(id(above)) if isinstance(above, ast.keyword) else above
    if not isinstance(call, ast.Call) or call.func is use or not depth:
        return False
    if any(isinstance(one, ast.Name) and one.id in function.nodes.bound for one in ast.walk(call.func)):
        return False
    target = flow.named(function.module, call.func)
    called = flow.functions.get(target.key) if isinstance(target, Func) else None
    if called is None or any(isinstance(one, ast.Starred) for one in call.args):
        return False
    own, at = called.parameters, call.args.index(use) if use in call.args else -1
    named = by if by in called.named else own[at] if 0 <= at < len(own) else ""
    told = taken(flow, called, named, depth - 1) if named else None
    return told is not None and told.called


def is_forwarded(function: Function, name: str) -> bool:
    """Tell whether all that is done with `*args`, or `**kwargs`, is that calls hand it on, in their own turn."""
    nodes = function.nodes
    return name not in nodes.told_global and all(
        isinstance(use.ctx, ast.Load) and _spreads(use, function) and not _stands_deeper(use, function)
        for use in nodes.uses(name)
    )


def _spreads(use: ast.Name, function: Function) -> bool:
    above = function.nodes.parents.get(id(use))
    if isinstance(above, ast.Starred):
        call = function.nodes.parents.get(id(above))
        return isinstance(call, ast.Call) and above in call.args
    return isinstance(above, ast.keyword) and above.arg is None
