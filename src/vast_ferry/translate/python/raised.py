"""Answers that are raised: where they leave a handler for certain, and what else is done with their classes.

At a provider that takes a raised error as an answer, `raise Refused(404)` is written as an answer that is returned.
That is the same only if nothing catches the error on its way out of the handler, and if nobody asks for its class: an
`except`, an alias, a subclass. Whatever mentions the class otherwise stops the rewriting of all that share it. Where
the class is none of the provider's own (`KeyError` is a 404), any line may raise it: no handler is rewritten then.
"""

from __future__ import annotations

import ast
from collections.abc import Collection, Mapping

from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import Function, Module
from vast_ferry.translate.values import Key, Std, Stop


def raised_by_anybody(source: Profile, kind: str) -> list[str]:
    """Return the classes of raised answers that are none of the provider's own: Python itself raises these."""
    own = source.model.modules
    forms = source.kinds[kind].answered.forms
    return [form.short_name for form in forms if form.raised and form.class_name.rpartition(".")[0] not in own]


def stop_other_uses(flow: Flow, classes: Collection[str]) -> None:
    """Stop what mentions a class of raised answers other than to raise it."""
    for module in flow.modules.values() if classes else ():
        found = [node for node in module.nodes.all if _mentions(flow, module, node, classes)]
        found = [node for node in found if not _is_raised(node, module.nodes.parents)]
        if not found:
            continue
        inside = flow.holders(module)
        for node in found:
            holder: Function | Module = inside.get(id(node), module)
            if holder.stop is None:
                holder.stop = Stop("answer-raised", node)


def _mentions(flow: Flow, module: Module, node: ast.AST, classes: Collection[str]) -> bool:
    if not isinstance(node, (ast.Name, ast.Attribute)):
        return False
    if flow.standard_name(module, node) in classes:
        return True
    there = module.names.get(node.id) if isinstance(node, ast.Name) else None
    if not isinstance(there, Std) or there.name not in {one.rpartition(".")[0] for one in classes}:
        return False
    return not isinstance(module.nodes.parents.get(id(node)), ast.Attribute)  # the module itself is handed on


def _is_raised(node: ast.AST, parents: Mapping[int, ast.AST]) -> bool:
    parent = parents.get(id(node))
    if isinstance(parent, ast.Call) and parent.func is node:
        node, parent = parent, parents.get(id(parent))
    return isinstance(parent, ast.Raise) and parent.exc is node


def leaves(function: Function, node: ast.AST, seen: frozenset[Key] = frozenset()) -> bool:
    """Tell whether what is raised at a node leaves the handler, whoever called the function; nobody catches it."""
    if function.generates or function.key in seen or is_caught(function, node):
        return False
    if not function.entry and (function.referred or not function.calls):
        return False
    if function.outer is not None and not function.entry:
        return False
    seen = seen | {function.key}
    return all(caller is not None and leaves(caller, call, seen) for caller, call in function.calls)


def is_caught(function: Function, node: ast.AST) -> bool:
    """Tell whether what is raised at a node might be caught, or undone, before it leaves the function."""
    parents, inner = function.nodes.parents, node
    at = parents.get(id(node))
    while at is not None and at is not function.node:
        if isinstance(at, (ast.With, ast.AsyncWith)):
            return True  # which may suppress it
        if isinstance(at, (ast.Try, ast.TryStar)) and (at.finalbody or (at.handlers and inner in at.body)):
            return True
        inner, at = at, parents.get(id(at))
    return False
