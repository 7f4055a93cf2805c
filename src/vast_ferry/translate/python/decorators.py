"""Decorators of the project's own: what stands between a provider and a handler, where it can be seen through.

One is seen through where it gives a function that hands on to the handler just what it is called with, whatever it
does before, after or instead: under names of its own, as `*args, **kwargs`, or the first so and the rest so. Behind its
own names it may hand on more, which the handler takes as a helper would: who called, what was parsed.

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

from vast_ferry.translate.python.code import Code
from vast_ferry.translate.python.functions import DEFINITION, Definition, Function, Module
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
    more: tuple[int, frozenset[str]] = (0, frozenset())  # what goes to the handler besides: how much by place, by name

    @property
    def inner(self) -> Definition:
        """Return the definition of what is called in the handler's stead."""
        return self.between[-1]


def given_more(found: Around, behind: Function, taken: int) -> tuple[str, ...] | None:
    """Return the names by which a handler takes what a decorator hands on besides `taken` parameters.

    Nothing, and not an empty tuple, where it takes less or more than that.
    """
    by_place, by_name = found.more
    own, arguments = behind.parameters[taken:], behind.node.args
    names = [*own[:by_place], *(name for name in (*own, *_only_by_name(behind)) if name in by_name)]
    optional = set(own[len(own) - len(arguments.defaults) :] if arguments.defaults else ())
    optional |= {one.arg for one, default in zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True) if default}
    fits = len(own) >= by_place and by_name <= set(names) and len(set(names)) == len(names) == by_place + len(by_name)
    missing = {*own, *_only_by_name(behind)} - optional - set(names)
    return tuple(names) if fits and not missing and len(behind.parameters) >= taken else None


def _only_by_name(function: Function) -> list[str]:
    return [one.arg for one in function.node.args.kwonlyargs]


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
    calls = _calls_of(code, outer, node, given)
    if calls is None or not all(_is_wraps(code, outer, one) for one in inner.decorator_list):
        return None
    whatever = inner.args.vararg is not None and not inner.args.args
    named = len(inner.args.args)
    if not (whatever or named == parameters or (named < parameters and inner.args.vararg is not None)):
        return None
    fits = _hands_on_whatever if whatever else _hands_on_names
    between = (inner,) if node is outer.node else (node, inner)
    more = (0, frozenset[str]()) if inner.args.vararg or inner.args.kwarg else _more(named, calls)
    return Around(outer, between, given, whatever, more) if more is not None and fits(inner, calls) else None


def _more(named: int, calls: list[ast.Call]) -> tuple[int, frozenset[str]] | None:
    """Return what goes to the handler behind the inner function's own names; nothing if that is not always alike."""
    if any(isinstance(one, ast.Starred) for call in calls for one in call.args):
        return None
    found = {(len(call.args) - named, frozenset(one.arg or "**" for one in call.keywords)) for call in calls}
    alike = len(found) == 1 and all("**" not in names for _, names in found)
    return found.pop() if alike else None if found else (0, frozenset())


def _is_wraps(code: Code, outer: Function, one: ast.AST) -> bool:
    return isinstance(one, ast.Call) and code.standard_name(outer.module, one.func) == "functools.wraps"


def _calls_of(code: Code, outer: Function, node: Definition, given: str) -> list[ast.Call] | None:
    """Return where a decorator calls what it is given; nothing if it does anything else with it."""
    parents = {id(child): parent for parent in walk(node) for child in ast.iter_child_nodes(parent)}
    calls = []
    for use in (one for one in walk(node) if isinstance(one, ast.Name) and one.id == given):
        parent = parents[id(use)]
        if isinstance(parent, ast.Call) and parent.func is use:
            calls.append(parent)
        elif not _is_wraps(code, outer, parent) and not (isinstance(parent, ast.Attribute) and parent.attr in _ASKED):
            return None
    return calls


def gives_it_back(code: Code, module: Module, decorator: ast.expr) -> bool:
    """Tell whether a decorator gives back the very function that it is given, and only notes something on it."""
    outer = code.decorator(module, decorator)
    node = outer.node if outer is not None else None
    if node is not None and isinstance(decorator, ast.Call):
        node = _given(node)
    if node is None or len(node.args.args) != 1 or not isinstance(node, ast.FunctionDef):
        return False
    given, nodes = node.args.args[0].arg, walk(node)
    parents = {id(child): parent for parent in nodes for child in ast.iter_child_nodes(parent)}
    uses = [parents[id(one)] for one in nodes if isinstance(one, ast.Name) and one.id == given]
    noted = all(isinstance(one, ast.Return) or _is_noted(one) for one in uses)
    ends = isinstance(node.body[-1], ast.Return)
    return noted and ends and all(one in uses for one in nodes if isinstance(one, ast.Return))


def _is_noted(node: ast.AST) -> bool:
    """Tell whether a function gets an attribute of its own, or is asked for its name."""
    return isinstance(node, ast.Attribute) and (isinstance(node.ctx, ast.Store) or node.attr in _ASKED)


def is_hidden(code: Code, function: Function) -> bool:
    """Tell whether who calls a function may get something else than it: a decorator's that does not give it back."""
    return not all(
        code.is_harmless(function.module, one) or gives_it_back(code, function.module, one)
        for one in function.node.decorator_list
    )


def only_calls(code: Code, module: Module, decorator: ast.expr) -> bool:
    """Tell whether a decorator gives a function that calls what it stands before, and keeps neither anywhere."""
    outer = code.decorator(module, decorator)
    if outer is None:
        return False
    node = _given(outer.node) if isinstance(decorator, ast.Call) else outer.node
    inner = _given(node) if node is not None and len(node.args.args) == 1 else None
    if node is None or inner is None:
        return False
    named = [one for one in walk(node) if isinstance(one, ast.Name) and one.id == inner.name]
    return len(named) == 1 and _calls_of(code, outer, node, node.args.args[0].arg) is not None


def _hands_on_whatever(inner: Definition, calls: list[ast.Call]) -> bool:
    """Tell whether `*args` and `**kwargs` go on to the handler, and nowhere else, and nothing else goes on."""
    return _hands_on_rest(inner, calls) and all(
        len(call.args) + len(call.keywords) == len(_rest_of(call)) for call in calls
    )


def _hands_on_rest(inner: Definition, calls: list[ast.Call]) -> bool:
    """Tell whether what has no names of its own goes on to the handler, and nowhere else."""
    names = [one.arg for one in (inner.args.vararg, inner.args.kwarg) if one is not None]
    handed: list[ast.AST] = []
    for call in calls:
        given = _rest_of(call)
        if [one.id if isinstance(one, ast.Name) else "" for one in given] != names:
            return False
        handed += given
    return all(one in handed for one in walk(inner) if isinstance(one, ast.Name) and one.id in names)


def _rest_of(call: ast.Call) -> list[ast.expr]:
    given = [one.value for one in call.args if isinstance(one, ast.Starred)]
    return given + [one.value for one in call.keywords if one.arg is None]


def _hands_on_names(inner: Definition, calls: list[ast.Call]) -> bool:
    """Tell whether the handler always gets the parameters, in their order, as they came."""
    names = [one.arg for one in inner.args.args]
    for call in calls:
        given = [one.id if isinstance(one, ast.Name) else "" for one in call.args if not isinstance(one, ast.Starred)]
        rest = inner.args.vararg is not None or inner.args.kwarg is not None
        if given[: len(names)] != names or (rest and len(given) != len(names)):
            return False
        if rest and any(one.arg is not None for one in call.keywords):
            return False
        if any(isinstance(one, ast.Starred) for one in call.args[: len(names)]):
            return False
    return _hands_on_rest(inner, calls) and not any(
        isinstance(one, ast.Name) and one.id in names and not isinstance(one.ctx, ast.Load) for one in walk(inner)
    )
