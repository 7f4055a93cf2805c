"""Functions with some arguments given once (`partial`), at the top of a module, written as the functions that they are.

    error = partial(reply, status=401)      def error(data, *, status=401):
                                                return reply(data, status=status)

    not_found = partial(fail, 404)          def not_found(text):
                                                return fail(404, text)

What `partial` gives is no function of the project's to who follows it. What it is given by a keyword may be given
otherwise at a call, and so may what stands behind that only by a keyword. It is written where it does the same: what it
is given is a constant or a name that means the same ever, and nobody asks it for what only a `partial` has.
"""

from __future__ import annotations

import ast

from vast_ferry.translate.python.functions import Definition
from vast_ferry.translate.python.nodes import binds, last_name, walk
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.python.written_out import is_the_same_ever

#: What only a `partial` has.
_ITS_OWN = frozenset(["func", "args", "keywords"])


def partial_in_full(text: PythonText, tree: ast.Module, node: ast.AST, functions: list[Definition]) -> str | None:
    """Return a statement that gives a name a `partial` as a function; nothing where it is none that may be written.

    `functions` are all of the project's.
    """
    call = node.value if isinstance(node, ast.Assign) and len(node.targets) == 1 else None
    target = node.targets[0] if isinstance(node, ast.Assign) else None
    if not isinstance(call, ast.Call) or not isinstance(target, ast.Name) or node not in tree.body or not call.args:
        return None
    found = [one for one in functions if isinstance(call.args[0], ast.Name) and one.name == call.args[0].id]
    if last_name(call.func) != "partial" or len(found) != 1 or not _is_left_alone(tree, target.id):
        return None
    told = [*call.args, *(one.value for one in call.keywords)]
    return _written(text, target.id, call, found[0]) if all(is_the_same_ever(tree, one) for one in told) else None


def _is_left_alone(tree: ast.Module, name: str) -> bool:
    """Tell whether a name is bound once, and not asked for what only a `partial` has."""
    nodes = walk(tree)
    asked = [one.value for one in nodes if isinstance(one, ast.Attribute) and one.attr in _ITS_OWN]
    once = sum(binds(one, name) for one in nodes) == 1
    return once and not any(isinstance(one, ast.Name) and one.id == name for one in asked)


def _written(text: PythonText, name: str, call: ast.Call, function: Definition) -> str | None:
    """Return the function: what is given first is left out, what is given by a keyword is its usual value."""
    arguments = function.args
    names, given = [one.arg for one in arguments.args], [text.of(one) for one in call.args[1:]]
    named = {one.arg: text.of(one.value) for one in call.keywords if one.arg is not None}
    usual = dict(zip(reversed(names), reversed(arguments.defaults), strict=False))
    odd = arguments.posonlyargs or arguments.kwonlyargs or arguments.vararg or arguments.kwarg
    constant = all(isinstance(one, ast.Constant) for one in arguments.defaults)
    left = names[len(given) :]
    if odd or not constant or len(named) < len(call.keywords) or not {*named} <= {*left} or len(given) > len(names):
        return None
    if any(isinstance(one, ast.Starred) for one in call.args) or {*given} & {*names}:
        return None
    values = {
        one: named[one] if one in named else ast.unparse(usual[one]) for one in left if one in named or one in usual
    }
    if any(value in left for value in values.values()):
        return None  # the name of a module's own is that of a parameter
    first = next((at for at, one in enumerate(left) if one in named), len(left))
    shown = [f"{one}={values[one]}" if one in values else one for one in left]
    takes = ", ".join([*shown[:first], *(["*"] if first < len(left) else []), *shown[first:]])
    hands = ", ".join([*given, *left[:first], *(f"{one}={one}" for one in left[first:])])
    word, wait = ("async def", "await ") if isinstance(function, ast.AsyncFunctionDef) else ("def", "")
    return f"{word} {name}({takes}):\n    return {wait}{function.name}({hands})"
