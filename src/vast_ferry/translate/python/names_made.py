"""What is known of a text by which an object is asked for an attribute (`getattr`), by how it is made."""

from __future__ import annotations

import ast

from vast_ferry.translate.python.functions import Function, set_once
from vast_ferry.translate.python.nodes import lower_of, walk


def beginning(node: ast.expr) -> str:
    """Return the text with which one that is made begins, as far as it stands there."""
    if isinstance(node, ast.JoinedStr) and node.values:
        node = node.values[0]
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        return beginning(node.left)
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else ""


def lowered(function: Function | None, node: ast.expr) -> ast.expr | None:
    """Return the expression that a text is, put into lower case: `request.method.lower()`, or a name for that."""
    if not isinstance(node, ast.Name):
        return lower_of(node)
    made = set_once(function, node.id) if function is not None else None
    if made is None or function is None:
        return None
    # Where it is asked, the names in it must hold what they held where it was made.
    bound = [use.id for use in walk(made) if isinstance(use, ast.Name) and not _is_the_same_ever(function, use.id)]
    return lower_of(made) if not bound else None


def _is_the_same_ever(function: Function, name: str) -> bool:
    """Tell whether a function binds a name once at most, as a parameter or otherwise."""
    stores = sum(not isinstance(use.ctx, ast.Load) for use in function.nodes.uses(name))
    return stores + (name in function.every_name) <= 1
