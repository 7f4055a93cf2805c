"""Tables of functions: mappings from words to functions of the project, of which one is called.

    METHODS = {"GET": show, "PUT": store}
    ...
    return METHODS[request.method](request)

Which of them is called is not known before; but that it is one of these is, as long as the table is only asked, and
what it gives is only called or tested. Then each of them gets what the call hands over, and all are written alike: the
parameters that one needs more, all get; where one waits, all do. A table that is handed on, changed, imported by
another module or gone through by its values is none to us, and its functions are called by who can't be seen.

A table may begin empty and be filled by a decorator of the project's own, or by statements at the top of its module:

    ROUTES = {}                                 @on("GET")
    def on(method):                             def show(event, ctx): ...
        def register(function):
            ROUTES[method] = function
            return function
        return register

Then what is decorated stands in it, as long as the decorator is used in no other way.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field

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


def _asks(use: ast.expr, parents: Mapping[int, ast.AST]) -> bool:
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


@dataclass(slots=True)
class Filled:
    """What fills a table that begins empty: decorators, each by its outermost function, and statements, with values."""

    decorators: list[ast.AST] = field(default_factory=list)
    stores: list[ast.Assign] = field(default_factory=list)
    values: list[ast.expr] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class FilledAt:
    """What a use of a table does: it only asks, or a statement stores something, perhaps in a decorator."""

    store: ast.Assign | None = None
    decorator: ast.FunctionDef | None = None  # the outermost function; nothing at the top of a module


def begins_empty(node: ast.expr | None) -> bool:
    """Tell whether a mapping stands there that has nothing in it yet."""
    made = isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "dict"
    return (isinstance(node, ast.Dict) and not node.keys) or (made and not node.args and not node.keywords)  # type: ignore[union-attr]


def filled(uses: Iterable[ast.Name], parents: Mapping[int, ast.AST]) -> Filled | None:
    """Return what fills a table under a name; nothing where that is done, or it is used, in another way."""
    found = Filled()
    for use in (one for one in uses if isinstance(one.ctx, ast.Load)):
        told = filled_at(use, parents)
        if told is None or (told.decorator is not None and not isinstance(parents.get(id(told.decorator)), ast.Module)):
            return None
        if told.store is not None:
            found.stores.append(told.store)
            if told.decorator is not None:
                found.decorators.append(told.decorator)
            else:
                found.values.append(told.store.value)
    return found if found.stores else None


def filled_at(use: ast.expr, parents: Mapping[int, ast.AST]) -> FilledAt | None:
    """Return what a use of a table does; nothing where it may do anything."""
    if _asks(use, parents):
        return FilledAt()
    above = parents.get(id(use))
    store = parents.get(id(above)) if isinstance(above, ast.Subscript) and above.value is use else None
    if not isinstance(store, ast.Assign) or store.targets != [above] or not isinstance(store.value, ast.Name):
        return None
    around = parents.get(id(store))
    if isinstance(around, ast.Module):
        return FilledAt(store)
    outer = _registers(around, store, parents) if isinstance(around, ast.FunctionDef) else None
    return FilledAt(store, outer) if outer is not None else None


def _registers(inner: ast.FunctionDef, store: ast.Assign, parents: Mapping[int, ast.AST]) -> ast.FunctionDef | None:
    """Return the decorator, or what gives it, that does nothing but keep what it is given, and give it back."""
    taken = inner.args.args
    if len(taken) != 1 or store.value.id != taken[0].arg or not _gives(inner, taken[0].arg, [store]):  # type: ignore[attr-defined]
        return None
    around = parents.get(id(inner))
    if not isinstance(around, ast.FunctionDef):
        return inner
    return around if _gives(around, inner.name, [inner]) else None


def _gives(function: ast.FunctionDef, name: str, does: list[ast.stmt]) -> bool:
    """Tell whether a function only does something, and returns a name; a text that describes it may come first."""
    body = function.body[1:] if isinstance(getattr(function.body[0], "value", None), ast.Constant) else function.body
    last = body[-1] if body else None
    given = isinstance(last, ast.Return) and isinstance(last.value, ast.Name) and last.value.id == name
    return given and body[:-1] == does and not function.decorator_list
