"""What is known of a text by which an object is asked for an attribute (`getattr`), by how it is made."""

from __future__ import annotations

import ast

from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.python.nodes import walk


def beginning(node: ast.expr) -> str:
    """Return the text with which one that is made begins, as far as it stands there."""
    if isinstance(node, ast.JoinedStr) and node.values:
        node = node.values[0]
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        return beginning(node.left)
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else ""


def lowered(function: Function | None, node: ast.expr) -> ast.expr | None:
    """Return the expression that a text is, put into lower case: `request.method.lower()`, or a name for that."""
    made: ast.expr | None = node
    if isinstance(node, ast.Name):
        made = _set_once(function, node.id) if function is not None else None
    if not isinstance(made, ast.Call) or made.args or made.keywords:
        return None
    return made.func.value if isinstance(made.func, ast.Attribute) and made.func.attr == "lower" else None


def _set_once(function: Function, name: str) -> ast.expr | None:
    """Return what a name of a function is set to, once and for all; so are all names in that."""
    by = _bindings(function, name)
    if len(by) != 1 or not isinstance(by[0], ast.Assign) or not isinstance(by[0].targets[0], ast.Name):
        return None
    names = {one.id for one in walk(by[0].value) if isinstance(one, ast.Name)}
    return by[0].value if all(len(_bindings(function, one)) <= 1 for one in names) else None


def _bindings(function: Function, name: str) -> list[ast.AST | None]:
    """Return the statements by which a function binds a name, a parameter as nothing."""
    uses = [use for use in function.nodes.uses(name) if not isinstance(use.ctx, ast.Load)]
    return [function.nodes.parents.get(id(use)) for use in uses] + [None] * (name in function.parameters)
