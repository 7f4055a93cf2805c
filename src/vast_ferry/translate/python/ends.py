"""How code ends, and what becomes of what an expression gives: told by the nodes alone."""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping

from vast_ferry.translate.python.nodes import walk


def falls_off(body: list[ast.stmt], through: Callable[[ast.expr], bool]) -> bool:
    """Tell whether a function may end at the end of its body; `through` tells what lets all exceptions through."""
    last = body[-1]
    if isinstance(last, (ast.Return, ast.Raise)):
        return False
    if isinstance(last, ast.If):
        return falls_off(last.body, through) or not last.orelse or falls_off(last.orelse, through)
    if isinstance(last, (ast.With, ast.AsyncWith)):
        return falls_off(last.body, through) or not all(through(item.context_expr) for item in last.items)
    if isinstance(last, ast.Try):
        if last.finalbody and not falls_off(last.finalbody, through):
            return False
        ways = [last.orelse or last.body, *(handler.body for handler in last.handlers)]
        return any(falls_off(way, through) for way in ways)
    if isinstance(last, ast.While) and isinstance(last.test, ast.Constant) and last.test.value:
        return any(isinstance(inner, ast.Break) for inner in ast.walk(last))
    if isinstance(last, ast.Match):
        always = any(
            isinstance(c.pattern, ast.MatchAs) and c.pattern.pattern is None and not c.guard for c in last.cases
        )
        return not always or any(falls_off(case.body, through) for case in last.cases)
    return True


def does_something(value: ast.expr) -> bool:
    """Tell whether to leave an expression out could be noticed."""
    does = ast.Call | ast.Await | ast.Subscript | ast.BinOp | ast.Attribute
    return any(isinstance(one, does) for one in walk(value))


def in_return(node: ast.AST, parents: Mapping[int, ast.AST]) -> bool:
    parent = parents.get(id(node))
    while (isinstance(parent, ast.IfExp) and parent.test is not node) or (
        isinstance(parent, ast.BoolOp) and isinstance(parent.op, ast.Or)
    ):
        node, parent = parent, parents.get(id(parent))
    return isinstance(parent, ast.Return)


def is_asked(node: ast.AST, parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether it is only asked whether an expression gives anything."""
    parent = parents.get(id(node))
    if isinstance(parent, ast.Compare):
        one = parent.comparators[0]
        nothing = isinstance(one, ast.Constant) and one.value is None
        return (
            parent.left is node and len(parent.ops) == 1 and isinstance(parent.ops[0], (ast.Is, ast.IsNot)) and nothing
        )
    while isinstance(parent, (ast.UnaryOp, ast.BoolOp)):
        node, parent = parent, parents.get(id(parent))
    return isinstance(parent, (ast.If, ast.IfExp, ast.While)) and parent.test is node
