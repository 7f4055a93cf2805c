"""Decorators of the project's own: what stands between a provider and a handler, where it can be seen through.

One is seen through where it gives a function that hands on to the handler just what it is called with, under names of
its own or as `*args, **kwargs`, whatever it does before, after or instead:

    def logged(function):                  def authorised(role):
        @functools.wraps(function)             def around(function):
        def inner(event, ctx):                     def inner(*args, **kwargs):
            print("called")                            return function(*args, **kwargs)
            return function(event, ctx)            return inner
        return inner                           return around

The inner function is then a handler like the one that it stands before: it is followed with the same event, and written
with the target's parameters. Any other decorator stops the rewriting.
"""

from __future__ import annotations

import ast
from dataclasses import dataclass

from vast_ferry.translate.python.code import DEFINITION, Code, Definition, Function, Module
from vast_ferry.translate.python.nodes import walk

#: What may be asked of the handler itself.
_ASKED = frozenset(["__name__", "__doc__", "__qualname__", "__module__"])


@dataclass(frozen=True, slots=True)
class Around:
    """A function that stands before a handler: its definition, and what it calls the handler."""

    outer: Function
    between: tuple[Definition, ...]  # from the outermost one inside it to the one that is called
    given: str
    whatever: bool  # it hands on `*args, **kwargs`

    @property
    def inner(self) -> Definition:
        """Return the definition of what is called in the handler's stead."""
        return self.between[-1]


def around(code: Code, module: Module, decorator: ast.expr, parameters: int) -> Around | None:
    """Return what a decorator puts before a handler of so many parameters; nothing where it can't be seen through."""
    outer = code.decorator(module, decorator)
    if outer is None or outer.cls is not None or outer.node.decorator_list:
        return None
    node = outer.node
    if isinstance(decorator, ast.Call):  # which gives the decorator
        given = _given(node)
        if given is None:
            return None
        node = given
    return _seen_through(code, outer, node, parameters)


def _given(node: Definition) -> Definition | None:
    """Return the one function inside another that it returns."""
    inner = [one for one in node.body if isinstance(one, DEFINITION)]
    last = node.body[-1]
    returns = [one for one in walk(node)[1:] if isinstance(one, ast.Return)]
    inside = {id(one) for each in inner for one in walk(each)}
    own = [one for one in returns if id(one) not in inside]
    if len(inner) != 1 or own != [last] or not isinstance(last, ast.Return) or not isinstance(last.value, ast.Name):
        return None
    return inner[0] if last.value.id == inner[0].name and isinstance(node, ast.FunctionDef) else None


def _seen_through(code: Code, outer: Function, node: Definition, parameters: int) -> Around | None:
    arguments = node.args
    if len(arguments.args) != 1 or arguments.vararg or arguments.kwarg or arguments.kwonlyargs or arguments.posonlyargs:
        return None
    given, inner = arguments.args[0].arg, _given(node)
    if inner is None or inner.args.kwonlyargs or inner.args.posonlyargs or inner.args.defaults:
        return None
    parents = {id(child): parent for parent in walk(node) for child in ast.iter_child_nodes(parent)}

    def is_wraps(one: ast.AST) -> bool:
        return isinstance(one, ast.Call) and code.standard_name(outer.module, one.func) == "functools.wraps"

    calls = []
    for use in (one for one in walk(node) if isinstance(one, ast.Name) and one.id == given):
        parent = parents[id(use)]
        if isinstance(parent, ast.Call) and parent.func is use:
            calls.append(parent)
        elif not (is_wraps(parent) or (isinstance(parent, ast.Attribute) and parent.attr in _ASKED)):
            return None
    if not all(is_wraps(one) for one in inner.decorator_list):
        return None
    whatever = inner.args.vararg is not None and not inner.args.args
    named = not inner.args.vararg and not inner.args.kwarg and len(inner.args.args) == parameters
    if not (whatever or named):
        return None
    fits = _hands_on_whatever if whatever else _hands_on_names
    between = (inner,) if node is outer.node else (node, inner)
    return Around(outer, between, given, whatever) if fits(inner, calls) else None


def _hands_on_whatever(inner: Definition, calls: list[ast.Call]) -> bool:
    """Tell whether `*args` and `**kwargs` go on to the handler, and nowhere else, and nothing else goes on."""
    names = [one.arg for one in (inner.args.vararg, inner.args.kwarg) if one is not None]
    handed: list[ast.AST] = []
    for call in calls:
        given = [one.value for one in call.args if isinstance(one, ast.Starred)]
        given += [one.value for one in call.keywords if one.arg is None]
        if [one.id if isinstance(one, ast.Name) else "" for one in given] != names:
            return False
        if len(given) != len(call.args) + len(call.keywords):
            return False
        handed += given
    return all(one in handed for one in walk(inner) if isinstance(one, ast.Name) and one.id in names)


def _hands_on_names(inner: Definition, calls: list[ast.Call]) -> bool:
    """Tell whether the handler always gets the parameters, in their order, as they came."""
    names = [one.arg for one in inner.args.args]
    for call in calls:
        given = [one.id if isinstance(one, ast.Name) else "" for one in call.args]
        if given != names or call.keywords:
            return False
    return not any(
        isinstance(one, ast.Name) and one.id in names and not isinstance(one.ctx, ast.Load) for one in walk(inner)
    )
