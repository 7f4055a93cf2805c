"""Functions of the project that put functions around a handler one in another: which they are, the outermost first.

    const pipe = (...steps) => (handler) => steps.reduceRight((next, step) => step(next), handler);
    export const run = pipe(withErrors, withRole("warden"))(handle);

is `withErrors(withRole("warden")(handle))`. Known are a function that takes the others as its rest and folds them over
what it is called with then (`reduceRight`, `reduce`), and one that folds them into one by calling each with what the
next gives: `(...steps) => steps.reduce((outer, inner) => (handler) => outer(inner(handler)))`.
"""

from __future__ import annotations

from vast_ferry.documents.javascript_file import JavaScriptFile, Node
from vast_ferry.translate.javascript.handlers import PLAIN_FUNCTIONS, FunctionOf, Standing
from vast_ferry.translate.javascript.looking import parameters_of
from vast_ferry.translate.javascript.values import arguments_of, bare


def composed(at: Standing, function_of: FunctionOf) -> tuple[list[Node], Node] | None:
    """Return what is put around what, where a call is of what such a function gives; nothing where it is not."""
    called = at.node.child_by_field_name("function")
    inside = arguments_of(at.node)
    if called.type != "call_expression" or len(inside) != 1 or inside[0].type == "spread_element":
        return None
    named, steps = called.child_by_field_name("function"), arguments_of(called)
    found = function_of(at.file, at.scopes, named) if named.type in ("identifier", "member_expression") else None
    if found is None or not steps or any(one.type == "spread_element" for one in steps):
        return None
    first_is_outermost = _first_is_outermost(found)
    if first_is_outermost is None:
        return None
    return (steps if first_is_outermost else steps[::-1]), inside[0]


def first_called(at: Standing, function_of: FunctionOf) -> Node | None:
    """Return which of several functions is called first by what a call of such a function gives."""
    named, steps = at.node.child_by_field_name("function"), arguments_of(at.node)
    found = function_of(at.file, at.scopes, named) if named.type in ("identifier", "member_expression") else None
    if found is None or not steps or any(one.type == "spread_element" for one in steps):
        return None
    first_is_outermost = _first_is_outermost(found)
    return None if first_is_outermost is None else steps[-1 if first_is_outermost else 0]


def _first_is_outermost(found: Standing) -> bool | None:
    """Tell whether the first of what a function takes comes to stand outermost; nothing where it does not compose."""
    file, names = found.file, _names(found.file, found.node)
    given = _given(found.node)
    if len(names) != 1 or not names[0].startswith("...") or given is None:
        return None
    steps, handler = names[0].removeprefix("..."), ""
    if given.type in PLAIN_FUNCTIONS:
        inner = _names(file, given)
        fold = _given(given)
        if len(inner) != 1 or inner[0].startswith("...") or fold is None:
            return None
        handler, given = inner[0], fold
    return _folds(file, given, steps, handler)


def _folds(file: JavaScriptFile, fold: Node, steps: str, handler: str) -> bool | None:
    """Tell the same of `steps.reduceRight((next, step) => step(next), handler)`, and of what has no `handler`."""
    called = fold.child_by_field_name("function") if fold.type == "call_expression" else None
    if called is None or called.type != "member_expression" or file.text(called.child_by_field_name("object")) != steps:
        return None
    way, given = file.text(called.child_by_field_name("property")), arguments_of(fold)
    if way not in ("reduce", "reduceRight") or not given or given[0].type not in PLAIN_FUNCTIONS:
        return None
    names, one = _names(file, given[0]), _given(given[0])
    if len(names) != 2 or any(name.startswith("...") for name in names) or one is None:
        return None
    so_far, step = names
    if handler:
        plain = len(given) == 2 and file.text(given[1]) == handler and file.text(one) == f"{step}({so_far})"
        return way == "reduceRight" if plain else None
    if len(given) != 1 or one.type not in PLAIN_FUNCTIONS or (body := _given(one)) is None:
        return None
    taken = _names(file, one)
    if len(taken) != 1 or file.text(body) != f"{so_far}({step}({taken[0]}))":
        return None
    return way == "reduce"


def _names(file: JavaScriptFile, function: Node) -> list[str]:
    """Return the names of a function's parameters, `...name` for its rest; none where one is anything else."""
    found = []
    for one in parameters_of(function):
        pattern = one.child_by_field_name("pattern") or one
        if pattern.type not in ("identifier", "rest_pattern"):
            return []
        found.append(file.text(pattern))
    return found


def _given(function: Node) -> Node | None:
    """Return what a function gives, where that is all that it does."""
    if any(child.type in ("async", "*") for child in function.children):
        return None
    body = function.child_by_field_name("body")
    if body.type != "statement_block":
        return bare(body)
    inside = [one for one in body.named_children if one.type != "comment"]
    if len(inside) != 1 or inside[0].type != "return_statement":
        return None
    values = [one for one in inside[0].named_children if one.type != "comment"]
    return bare(values[0]) if values else None
