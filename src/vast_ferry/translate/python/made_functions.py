"""Functions that a function makes, at the top of a module, written as what they are.

    run = by_method(GET=show, PUT=store)      _run_actions = {"GET": show, "PUT": store}


                                              def run(request, log):
                                                  action = _run_actions.get(request.method)
                                                  …

What makes it does nothing but give a function of its own; what that is told are constants, which stand at its head,
functions, which it calls by their names, or anything else, which gets a name before it: all is worked out when the
module is loaded, as it was. What it uses of the file that it is taken from is imported.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Mapping
from dataclasses import dataclass

from vast_ferry.translate.python.functions import Definition
from vast_ferry.translate.python.nodes import binds, defined, walk
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.python.written_out import (
    elsewhere,
    gives_alone,
    imported,
    is_the_same_ever,
    is_wraps,
    on_its_own,
    stands_anywhere,
)
from vast_ferry.translate.text import Edit


@dataclass(frozen=True, slots=True)
class Made:
    """A function that is made: its text, with what is worked out before it, what it has imported, and what made it.

    `makers` are those that stand in the same file.
    """

    text: str
    imports: tuple[Edit, ...] = ()
    makers: tuple[ast.FunctionDef, ...] = ()


@dataclass(frozen=True, slots=True)
class Module:
    """The file in which it is made, and all of the project's."""

    text: PythonText
    tree: ast.Module
    file: str
    files: Mapping[str, bytes]


def function_made(here: Module, name: str, call: ast.Call) -> Made | None:
    """Return the function that a call makes, under a name; nothing where it can't be written."""
    if not isinstance(call.func, ast.Name):
        return None
    there = None if defined(here.tree, call.func.id) else elsewhere(here.tree, call.func.id, here.file, here.files)
    own, its = (here.text, here.tree) if there is None else (there.text, there.tree)
    maker = defined(its, call.func.id)
    inner = _made_by(maker)
    given = _given(here.text, maker.args, call) if maker is not None else None
    if maker is None or inner is None or given is None or not _may_stand_alone(own, inner, given):
        return None
    kept = [one for one in inner.decorator_list if not is_wraps(its, one)]
    alike = not kept or (there is None and _say_the_same(kept, maker))
    imports = imported(here.text, here.tree, there, inner, {*given}) if there is not None else ()
    if imports is None or not alike:
        return None
    before, told, stands = list[str](), list[str](), dict[str, str]()
    makers = [maker] if there is None and isinstance(maker, ast.FunctionDef) else []
    asked = {node.id for node in _inside(inner) if isinstance(node, ast.Name)}
    for parameter, value in given.items():
        if parameter not in asked:
            continue
        if isinstance(value, ast.Constant):
            told.append(f"{parameter} = {ast.unparse(value)}")
        elif isinstance(value, ast.Name) and is_the_same_ever(here.tree, value):
            stands[parameter] = value.id
        elif isinstance(value, ast.Attribute) and _is_always(here, value):
            stands[parameter] = here.text.of(value)
        else:
            stands[parameter] = here.text.free(f"_{name.lstrip('_')}_{parameter}")
            inside = function_made(here, stands[parameter], value) if isinstance(value, ast.Call) else None
            before.append(inside.text if inside is not None else f"{stands[parameter]} = {_source(here.text, value)}")
            imports = (*imports, *(inside.imports if inside is not None else ()))
            makers += inside.makers if inside is not None else ()
    if any(binds(node, word.partition(".")[0]) for node in walk(inner) for word in stands.values()):
        return None  # a name of its own hides what it is told
    above = "".join(f"@{own.of(one)}\n" for one in kept)
    text = "\n\n\n".join([*before, above + _written(own, inner, name, stands, told)])
    return Made(text, tuple(dict.fromkeys(imports)), tuple(makers))


def _made_by(maker: Definition | None) -> Definition | None:
    """Return the function that another gives, where it does nothing else and is what it is called."""
    plain = isinstance(maker, ast.FunctionDef) and not maker.decorator_list
    return gives_alone(maker) if isinstance(maker, ast.FunctionDef) and plain else None


def _say_the_same(decorators: list[ast.expr], maker: Definition) -> bool:
    """Tell whether decorators name nothing of the function that they stand in, nor of what it is told."""
    own = {node.id for one in decorators for node in walk(one) if isinstance(node, ast.Name)}
    bound = {name for name in own for node in walk(maker) if not _is_inside(node, decorators) and binds(node, name)}
    return not bound and all(one.lineno == one.end_lineno for one in decorators)


def _is_inside(node: ast.AST, several: list[ast.expr]) -> bool:
    return any(node is each for one in several for each in walk(one))


def _is_always(here: Module, value: ast.Attribute) -> bool:
    """Tell whether an attribute of a name of the module is always the same: nobody sets one of that name."""
    sets = re.compile(rb"\.\s*" + re.escape(value.attr.encode()) + rb"\s*(?:=[^=]|[-+*/|&]=)|setattr|__dict__")
    named = isinstance(value.value, ast.Name) and is_the_same_ever(here.tree, value.value)
    return named and not any(sets.search(raw) for raw in here.files.values())


def _inside(inner: Definition) -> list[ast.AST]:
    return [node for statement in inner.body for node in walk(statement)]


def _source(text: PythonText, value: ast.expr) -> str:
    """Return the source of what is told; of what several are put into here, as one writes it."""
    if hasattr(value, "lineno"):
        return text.of(value)
    if isinstance(value, ast.Tuple):
        parts = [text.of(one) for one in value.elts]
        return f"({', '.join(parts)}{',' if len(parts) == 1 else ''})"
    assert isinstance(value, ast.Dict)
    keys = (str(one.value) for one in value.keys if isinstance(one, ast.Constant))
    entries = [f'"{key}": {text.of(one)}' for key, one in zip(keys, value.values, strict=True)]
    return f"{{{', '.join(entries)}}}"


def _given(text: PythonText, arguments: ast.arguments, call: ast.Call) -> dict[str, ast.expr] | None:
    """Return what a function is told, by the names of its parameters; nothing where that can't be counted."""
    names = [one.arg for one in (*arguments.posonlyargs, *arguments.args)]
    only = [one.arg for one in arguments.kwonlyargs]
    if any(isinstance(one, ast.Starred) for one in call.args) or any(one.arg is None for one in call.keywords):
        return None
    usual = dict(zip(reversed(names), reversed(arguments.defaults), strict=False))
    usual |= {one: value for one, value in zip(only, arguments.kw_defaults, strict=True) if value is not None}
    given: dict[str, ast.expr] = dict(zip(names, call.args, strict=False))
    rest, more = call.args[len(names) :], dict[str, ast.expr]()
    for keyword in call.keywords:
        assert keyword.arg is not None
        known = keyword.arg in names or keyword.arg in only
        if known and keyword.arg in given:
            return None
        (given if known else more)[keyword.arg] = keyword.value
    left = {one: value for one, value in usual.items() if one not in given}
    if (rest and arguments.vararg is None) or (more and arguments.kwarg is None):
        return None
    if not all(isinstance(one, ast.Constant) for one in left.values()) or {*names, *only} - {*given, *left}:
        return None
    if arguments.vararg is not None:
        given[arguments.vararg.arg] = ast.Tuple([*rest], ast.Load())
    if arguments.kwarg is not None:
        given[arguments.kwarg.arg] = ast.Dict([ast.Constant(one) for one in more], [*more.values()])
    return {**given, **left}


def _may_stand_alone(text: PythonText, inner: Definition, given: Mapping[str, ast.expr]) -> bool:
    """Tell whether a function does the same where it is no other's own: all that it has of that are values."""
    nodes = _inside(inner)
    odd = any(isinstance(node, (ast.Nonlocal, ast.Global)) for node in nodes)
    itself = any(isinstance(node, ast.Name) and node.id == inner.name for node in nodes)
    anew = any(binds(node, one) for node in walk(inner) for one in given)
    constant = all(isinstance(one, ast.Constant) for one in (*inner.args.defaults, *inner.args.kw_defaults) if one)
    seen = all(text.of(node) == node.id for node in nodes if isinstance(node, ast.Name) and node.id in given)
    return constant and seen and stands_anywhere(text, inner) and not (odd or itself or anew)


def _written(text: PythonText, inner: Definition, name: str, stands: Mapping[str, str], told: list[str]) -> str:
    head = re.compile(rb"(?:async\s+)?def\s+").match(text.data, text.start(inner))
    assert head is not None
    named = [(head.end(), len(inner.name.encode()), name)]
    uses = (node for node in _inside(inner) if isinstance(node, ast.Name) and node.id in stands)
    named += [(text.start(use), len(use.id.encode()), stands[use.id]) for use in uses]
    return on_its_own(text, inner, named, told)
