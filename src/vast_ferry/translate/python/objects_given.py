"""What object of the project's a function gives, told before it is followed: whoever calls it may be followed first."""

from __future__ import annotations

import ast

from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import DEFINITION, Function, is_property, own_returns, set_once
from vast_ferry.translate.python.nodes import Nodes, walk
from vast_ferry.translate.values import Class, Func, Instance

#: Decorators that make a context manager of a function.
_MANAGERS = frozenset(["contextlib.contextmanager", "contextlib.asynccontextmanager"])
#: Through so many functions is looked for what makes an object.
_DEEPEST = 6


def gives_an_object(flow: Flow, function: Function, depth: int = _DEEPEST) -> Instance | None:
    """Return the object that a function gives wherever it ends, if it is always one of the same class, or None.

    `return self`; `return cls(...)`; `return Response(...)`, or what another such function or method gives, under a
    name or not.
    """
    own = gives_itself(flow, function)
    # Who calls what a decorator takes over for calls it past that.
    over = flow.taken_over(function) is not None
    hidden = function.node.decorator_list and not is_property(function.node) and not over
    if own is not None or function.generates or hidden or not depth:
        return own
    values = [node.value for node in own_returns(function)]
    told = [one for one in values if one is not None and not (isinstance(one, ast.Constant) and one.value is None)]
    found = {_made_by(flow, function, one, depth) for one in told}
    return found.pop() if len(found) == 1 else None


def _made_by(flow: Flow, function: Function, value: ast.expr, depth: int) -> Instance | None:
    """Return the object that an expression makes, or that a function of the project gives there."""
    value = (set_once(function, value.id) if isinstance(value, ast.Name) else None) or value
    if isinstance(value, ast.Name):
        return _itself(function, value)
    if not isinstance(value, ast.Call):
        return None
    if isinstance(value.func, ast.Attribute) and depth:
        of = _made_by(flow, function, value.func.value, depth - 1)
        methods = flow.methods(of.key, value.func.attr) if of is not None else []
        plain = of is not None and len(methods) == 1 and not flow.is_told_otherwise(of.key, value.func.attr)
        if plain:
            return gives_an_object(flow, methods[0], depth - 1)
    if any(_is_bound(function.nodes, one) for one in walk(value.func)):
        return None
    target = flow.named(function.module, value.func)
    if isinstance(target, Class):
        return None if flow.is_made_otherwise(target.key) else Instance(target.key)
    called = flow.functions.get(target.key) if isinstance(target, Func) and not target.bound else None
    return gives_an_object(flow, called, depth - 1) if called is not None else None


def _itself(function: Function, name: ast.Name) -> Instance | None:
    """Return the object whose method a function is, by its own name for it."""
    names = [one.arg for one in function.node.args.args]
    if function.cls is None or function.static or not names or name.id != names[0] or function.node.decorator_list:
        return None
    kept = not any(not isinstance(use.ctx, ast.Load) for use in function.nodes.uses(name.id))
    return Instance(function.cls) if kept else None


def _is_bound(nodes: Nodes, node: ast.AST) -> bool:
    return isinstance(node, ast.Name) and node.id in nodes.bound


def gives_itself(flow: Flow, function: Function) -> Instance | None:
    """Return the object that a method gives back wherever it ends: its own, or one that its class method makes.

    `return self`; `return cls(...)`, or what that has a name for. What any other function gives is known once it is
    followed.
    """
    node, names = function.node, [one.arg for one in function.node.args.args]
    makes = is_of_the_class(function)
    if function.cls is None or function.generates or not names or (node.decorator_list and not makes):
        return None
    nodes = function.nodes
    returns = [one for one in nodes.all if isinstance(one, ast.Return)]
    inside = any(isinstance(one, (*DEFINITION, ast.Lambda, ast.ClassDef)) for one in nodes.all[1:])
    kept = not any(not isinstance(use.ctx, ast.Load) for use in nodes.uses(names[0]))
    given = all(_is_own(function, one.value, names[0], makes=makes) for one in returns)
    ends = bool(returns) and node.body[-1] in returns
    alone = not makes or not flow.inherited(function.cls)
    return Instance(function.cls) if given and kept and ends and alone and not inside else None


def yields_an_object(flow: Flow, function: Function) -> Instance | None:
    """Return the object of the project's that a context manager's function makes and yields, once and no other."""
    module, nodes = function.module, function.nodes
    names = {flow.standard_name(module, one) for one in function.node.decorator_list}
    found = [one for one in nodes.all if isinstance(one, (ast.Yield, ast.YieldFrom))]
    value = found[0].value if len(found) == 1 and isinstance(found[0], ast.Yield) else None
    if len(function.node.decorator_list) != 1 or not names <= _MANAGERS:
        return None
    value = set_once(function, value.id) if isinstance(value, ast.Name) else value
    if not isinstance(value, ast.Call):
        return None
    made = flow.named(module, value.func)
    own = any(_is_bound(nodes, one) for one in walk(value.func))
    known = isinstance(made, Class) and not own and not flow.is_made_otherwise(made.key)
    return Instance(made.key) if isinstance(made, Class) and known else None


def is_of_the_class(function: Function) -> bool:
    """Tell whether a method is one of its class: `@classmethod`, and nothing else."""
    return [ast.unparse(one) for one in function.node.decorator_list] == ["classmethod"]


def _is_own(function: Function, value: ast.expr | None, own: str, *, makes: bool) -> bool:
    """Tell whether a value is an object by its own name, or one that is made of the class of that name."""
    if not makes:
        return isinstance(value, ast.Name) and value.id == own
    value = set_once(function, value.id) if isinstance(value, ast.Name) else value
    return isinstance(value, ast.Call) and isinstance(value.func, ast.Name) and value.func.id == own
