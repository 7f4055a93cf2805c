"""Tables of functions: mappings from words to functions of the project, of which one is called.

    METHODS = {"GET": show, "PUT": store}
    ...
    return METHODS[request.method](request)

Which of them is called is not known before; but that it is one of these is, as long as the table is only asked, and
what it gives is only called or tested. Then each of them gets what the call hands over, and all are written alike: the
parameters that one needs more, all get; where one waits, all do. A table that is handed on, changed, imported by
another module or gone through by its values is none to us, and its functions are called by who can't be seen.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable, Mapping

from vast_ferry.translate.values import Func, Key, Value

#: What takes a mapping for its words alone.
_TAKE_WORDS = frozenset(["len", "list", "sorted", "tuple", "set", "frozenset", "any", "all", "iter", "bool"])


def shown(node: ast.expr | None, lookup: Callable[[ast.expr], Value]) -> tuple[Key, ...]:
    """Return the functions in a mapping that stands there in full; none where any of its values is something else."""
    if not isinstance(node, ast.Dict) or not node.values:
        return ()
    found = [lookup(value) if isinstance(value, (ast.Name, ast.Attribute)) else None for value in node.values]
    keys = [one.key for one in found if isinstance(one, Func) and not one.bound]
    words = all(isinstance(one, (ast.Constant, ast.Attribute)) for one in node.keys)
    return tuple(dict.fromkeys(keys)) if words and len(keys) == len(found) else ()


def only_asked(uses: Iterable[ast.Name], parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether a table is only asked for what it has for a word, or for its words; where it is bound counts not."""
    return all(_asks(use, parents) for use in uses if isinstance(use.ctx, ast.Load))


def _asks(use: ast.Name, parents: Mapping[int, ast.AST]) -> bool:
    above = parents.get(id(use))
    if isinstance(above, ast.Subscript):
        return above.value is use and isinstance(above.ctx, ast.Load) and is_called_or_tested(above, parents)
    if isinstance(above, ast.Attribute):
        call = parents.get(id(above))
        if not isinstance(call, ast.Call) or call.func is not above or call.keywords:
            return False
        return above.attr == "keys" or (above.attr == "get" and is_called_or_tested(call, parents))
    if isinstance(above, ast.Compare):
        return above.left is not use and all(isinstance(op, (ast.In, ast.NotIn)) for op in above.ops)
    if isinstance(above, ast.Call):
        joins = isinstance(above.func, ast.Attribute) and above.func.attr == "join"
        return use in above.args and (joins or getattr(above.func, "id", "") in _TAKE_WORDS)
    return isinstance(above, (ast.For, ast.comprehension)) and above.iter is use


def is_called_or_tested(node: ast.expr, parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether what a table gives is called, tested, or given a name: what is done with that is told elsewhere."""
    above = parents.get(id(node))
    if isinstance(above, ast.Call):
        return above.func is node
    if isinstance(above, (ast.Assign, ast.AnnAssign)):
        targets = above.targets if isinstance(above, ast.Assign) else [above.target]
        return len(targets) == 1 and isinstance(targets[0], ast.Name)
    if isinstance(above, ast.NamedExpr):
        return above.value is node and is_called_or_tested(above, parents)
    if isinstance(above, (ast.If, ast.IfExp, ast.While, ast.Assert)):
        return above.test is node
    return isinstance(above, (ast.Compare, ast.Expr)) or (
        isinstance(above, ast.UnaryOp) and isinstance(above.op, ast.Not)
    )


def name_given(node: ast.expr, parents: Mapping[int, ast.AST]) -> str:
    """Return the name that an expression is given, if it is."""
    above = parents.get(id(node))
    target = above.targets[0] if isinstance(above, ast.Assign) else getattr(above, "target", None)
    given = isinstance(above, (ast.Assign, ast.AnnAssign, ast.NamedExpr)) and isinstance(target, ast.Name)
    return target.id if given and isinstance(target, ast.Name) else ""
