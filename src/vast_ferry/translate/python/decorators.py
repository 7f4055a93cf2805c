"""Decorators of the project's own: what stands between a provider and a handler, where it can be seen through.

One is seen through where it gives a function that hands on to the handler just what it is called with, whatever it
does before, after or instead: under names of its own, as `*args, **kwargs`, or the first so and the rest so. Behind its
own names it may hand on more, which the handler takes as a helper would: who called, what was parsed. Of several over
each other, what one adds goes through those below it: they take it by name, or as `*args` and `**kwargs`.

    def logged(function):                  def authorised(role):
        @functools.wraps(function)             def around(function):
        def inner(event, ctx):                     def inner(*args, **kwargs):
            print("called")                            return function(*args, **kwargs)
            return function(event, ctx)            return inner
        return inner                           return around

The inner function is then a handler like the one that it stands before: it is followed with the same event, and written
with the target's parameters.

One that hands on what it makes itself takes over: its inner function is the handler, which calls what stands behind it
as it would any function of the project, and is written once for all that do.

    def web(action):
        @functools.wraps(action)
        def inner(event, ctx):
            try:
                return action(Request(event))
            except Problem as problem:
                return told(problem)
        return inner

Any other decorator stops the rewriting.
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
class More:
    """What goes to a handler besides what the provider hands over: how much by place, and what by name."""

    places: int = 0
    names: frozenset[str] = frozenset()

    def __bool__(self) -> bool:
        """Tell whether there is any."""
        return bool(self.places or self.names)


@dataclass(frozen=True, slots=True)
class Around:
    """A function that stands before a handler: its definition, what it takes, and what it hands on."""

    outer: Function
    between: tuple[Definition, ...]  # from the outermost one inside it to the one that is called
    given: str
    leading: int | None  # how many arguments of its calls are the provider's; nothing: all, some of them in `*args`
    whatever: bool = False  # it names nothing of what it hands on: `*args, **kwargs`
    taken: tuple[str, ...] = ()  # what it takes of those that stand above it, by its own names
    passed: bool = False  # whether more of these goes through its `*args` and `**kwargs`
    more: More = More()  # what goes to the handler besides
    takes_over: bool = False  # it hands on nothing of the provider's as it comes: it is the handler itself

    @property
    def inner(self) -> Definition:
        """Return the definition of what is called in the handler's stead."""
        return self.between[-1]


def taken_of(arguments: ast.arguments, own: list[str], more: More) -> tuple[tuple[str, ...], More] | None:
    """Return by which names a function takes what a decorator adds, and what of it is left.

    `own` are its parameters behind those that the provider's go to. Nothing where one of them would get nothing.
    """
    by_place, only_by_name = own[: more.places], [one.arg for one in arguments.kwonlyargs]
    by_name = [one for one in (*own[more.places :], *only_by_name) if one in more.names]
    optional = set(own[len(own) - len(arguments.defaults) :] if arguments.defaults else ())
    optional |= {one.arg for one, usual in zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True) if usual}
    twice = set(by_place) & more.names
    missing = {*own, *only_by_name} - optional - {*by_place, *by_name}
    if twice or missing:
        return None
    return (*by_place, *by_name), More(more.places - len(by_place), more.names - set(by_name))


def given_more(more: More, behind: Function, taken: int) -> tuple[str, ...] | None:
    """Return the names by which a handler takes what decorators hand on besides `taken` parameters.

    Nothing, and not an empty tuple, where it takes less or more than that.
    """
    found = taken_of(behind.node.args, behind.parameters[taken:], more)
    return found[0] if found is not None and not found[1] and len(behind.parameters) >= taken else None


def around(code: Code, module: Module, decorator: ast.expr, parameters: int, above: More) -> Around | None:
    """Return what a decorator puts before a handler of so many parameters; nothing where it can't be seen through.

    What it puts there gets `above` besides, of the decorators that stand over it.
    """
    outer = code.decorator(module, decorator)
    node = _given_by(outer, decorator)
    return _seen_through(code, outer, node, parameters, above) if outer is not None and node is not None else None


def taking_over(code: Code, module: Module, decorator: ast.expr) -> Around | None:
    """Return what a decorator puts before a function that it calls with what it makes itself; nothing if it can't be.

    What takes over takes what it is handed by names of its own, and all that it does with the function is to call it.
    """
    outer = code.decorator(module, decorator)
    node = _given_by(outer, decorator)
    if outer is None or node is None or len(node.args.args) != 1 or not _is_plain(node.args):
        return None
    given, inner = node.args.args[0].arg, given_inside(node)
    calls = _calls_of(code, outer, node, given)
    if inner is None or not calls or not inner.args.args or not _is_plain(inner.args):
        return None
    inside = {id(one) for one in walk(inner)}
    if not all(id(one) in inside for one in calls) or not all(_is_wraps(code, outer, d) for d in inner.decorator_list):
        return None
    between = (inner,) if node is outer.node else (node, inner)
    return Around(outer, between, given, None, takes_over=True)


def _is_plain(arguments: ast.arguments) -> bool:
    """Tell whether there are only parameters with a place and a name, which are always given."""
    several = (arguments.vararg, arguments.kwarg, *arguments.kwonlyargs, *arguments.posonlyargs, *arguments.defaults)
    return not any(several)


def _given_by(outer: Function | None, decorator: ast.expr) -> Definition | None:
    """Return the definition of a decorator: of the function that it names, or of the one that this gives if called."""
    if outer is None or outer.cls is not None or outer.node.decorator_list:
        return None
    return given_inside(outer.node) if isinstance(decorator, ast.Call) else outer.node


def given_inside(node: Definition) -> Definition | None:
    """Return the one function inside another that it returns."""
    inner = [one for one in node.body if isinstance(one, DEFINITION)]
    last = node.body[-1]
    returns = [one for one in walk(node)[1:] if isinstance(one, ast.Return)]
    inside = {id(one) for each in inner for one in walk(each)}
    own = [one for one in returns if id(one) not in inside]
    if len(inner) != 1 or own != [last] or not isinstance(last, ast.Return) or not isinstance(last.value, ast.Name):
        return None
    return inner[0] if last.value.id == inner[0].name and isinstance(node, ast.FunctionDef) else None


def _seen_through(code: Code, outer: Function, node: Definition, parameters: int, above: More) -> Around | None:
    arguments = node.args
    if len(arguments.args) != 1 or arguments.vararg or arguments.kwarg or arguments.kwonlyargs or arguments.posonlyargs:
        return None
    given, inner = arguments.args[0].arg, given_inside(node)
    if inner is None or inner.args.posonlyargs or inner.args.defaults:
        return None
    calls = _calls_of(code, outer, node, given)
    if calls is None or not all(_is_wraps(code, outer, one) for one in inner.decorator_list):
        return None
    between = (inner,) if node is outer.node else (node, inner)
    named = [one.arg for one in inner.args.args]
    if len(named) < parameters:  # then some of the provider's are in its `*args`
        fits = inner.args.vararg is not None and not inner.args.kwonlyargs and _hands_on_all(inner, calls)
        if not fits or (named and above):
            return None
        return Around(outer, between, given, None, not named, (), bool(above), above)
    found = taken_of(inner.args, named[parameters:], above)
    if found is None or not _hands_on_names(inner, calls, parameters):
        return None
    taken, rest = found
    lost = (rest.places and inner.args.vararg is None) or (rest.names and inner.args.kwarg is None)
    more = _more(parameters, calls, rest)
    return None if lost or more is None else Around(outer, between, given, parameters, False, taken, bool(rest), more)


def _more(leading: int, calls: list[ast.Call], rest: More) -> More | None:
    """Return what goes to the handler behind what the provider hands over; nothing if that is not always alike.

    `rest` goes on as `*args` and `**kwargs`.
    """
    found = {
        More(
            sum(not isinstance(one, ast.Starred) for one in call.args) - leading + rest.places,
            frozenset(one.arg for one in call.keywords if one.arg is not None) | rest.names,
        )
        for call in calls
    }
    if any(one.arg in rest.names for call in calls for one in call.keywords):
        return None
    return found.pop() if len(found) == 1 else None if found else rest


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
        node = given_inside(node)
    if node is None or len(node.args.args) != 1 or not isinstance(node, ast.FunctionDef):
        return False
    given, nodes = node.args.args[0].arg, walk(node)
    parents = {id(child): parent for parent in nodes for child in ast.iter_child_nodes(parent)}
    uses = [parents[id(one)] for one in nodes if isinstance(one, ast.Name) and one.id == given]
    noted = all(isinstance(one, ast.Return) or _is_noted(one) or id(one) in code.registering for one in uses)
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
    node = given_inside(outer.node) if isinstance(decorator, ast.Call) else outer.node
    inner = given_inside(node) if node is not None and len(node.args.args) == 1 else None
    if node is None or inner is None:
        return False
    named = [one for one in walk(node) if isinstance(one, ast.Name) and one.id == inner.name]
    return len(named) == 1 and _calls_of(code, outer, node, node.args.args[0].arg) is not None


def _hands_on_all(inner: Definition, calls: list[ast.Call]) -> bool:
    """Tell whether all that a function is called with goes on to the handler, in order, and nothing else does."""
    names = [one.arg for one in inner.args.args]
    return (
        _keeps(inner, names)
        and _hands_on_rest(inner, calls)
        and all(
            len(call.args) + len(call.keywords) == len(names) + len(_rest_of(call)) and _begins_with(call, names)
            for call in calls
        )
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


def _hands_on_names(inner: Definition, calls: list[ast.Call], leading: int) -> bool:
    """Tell whether the handler always gets what the provider hands over, in its order, as it came."""
    names = [one.arg for one in inner.args.args][:leading]
    return _keeps(inner, names) and _hands_on_rest(inner, calls) and all(_begins_with(call, names) for call in calls)


def _keeps(inner: Definition, names: list[str]) -> bool:
    """Tell whether names hold in a function what they were handed, to its end."""
    return not any(
        isinstance(one, ast.Name) and one.id in names and not isinstance(one.ctx, ast.Load) for one in walk(inner)
    )


def _begins_with(call: ast.Call, names: list[str]) -> bool:
    """Tell whether the first arguments of a call are some names."""
    return [one.id if isinstance(one, ast.Name) else "" for one in call.args[: len(names)]] == names
