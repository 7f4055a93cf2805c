"""What code reads from `os.environ`, for targets that keep settings or secrets elsewhere.

A read by name is written as the target has it; anything else that is done with the environment (handed on, gone
through, written to) stops what does it, for what it would find is not there.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.python.code import Code
from vast_ferry.translate.python.functions import DEFINITION, Module
from vast_ferry.translate.python.nodes import walk

_ENVIRONMENT = ("os.environ", "os.environb")
_ASKS = ("os.getenv", "os.environ.get")


@dataclass(frozen=True, slots=True)
class EnvironmentRead:
    """A read of a variable: its name, what is usual where it is not there (None), or that it `fails` then."""

    name: ast.expr
    usual: ast.expr | None = None
    fails: bool = False


def keeps_elsewhere(target: Profile) -> bool:
    """Tell whether a provider keeps settings or secrets elsewhere than in the environment."""
    there = target.model.environment
    return not there.settings or there.secrets != "values"


def read_of(code: Code, module: Module, node: ast.AST) -> EnvironmentRead | None:
    """Return what an expression reads from the environment by name; nothing for anything else."""
    if isinstance(node, ast.Subscript) and isinstance(node.ctx, ast.Load):
        return (
            EnvironmentRead(node.slice, fails=True) if code.standard_name(module, node.value) == "os.environ" else None
        )
    if not isinstance(node, ast.Call) or code.standard_name(module, node.func) not in _ASKS:
        return None
    if node.keywords or not 1 <= len(node.args) <= 2 or any(isinstance(one, ast.Starred) for one in node.args):
        return None
    return EnvironmentRead(node.args[0], node.args[1] if len(node.args) == 2 else None)


def is_environment(code: Code, module: Module, node: ast.AST) -> bool:
    """Tell whether an expression is the environment as a whole, or what reads it."""
    named = code.standard_name(module, node) if isinstance(node, (ast.Name, ast.Attribute)) else ""
    return named in (*_ENVIRONMENT, *_ASKS, "os.getenvb")


def uses_it(code: Code, module: Module, nodes: Iterable[ast.AST]) -> bool:
    """Tell whether the environment is named among nodes."""
    return any(is_environment(code, module, node) for node in nodes)


def at_import(tree: ast.Module) -> Iterator[ast.AST]:
    """Yield what runs when a module is imported, without what functions are declared with."""
    for node in tree.body:
        inside = node.body if isinstance(node, ast.ClassDef) else [node]
        for one in inside:
            if not isinstance(one, (*DEFINITION, ast.Import, ast.ImportFrom)):
                yield from walk(one)


def declared_with(nodes: Iterable[ast.AST]) -> Iterator[ast.AST]:
    """Yield what functions and classes are declared with: decorators, usual values of parameters, bases."""
    for node in nodes:
        if isinstance(node, DEFINITION):
            for one in (*node.decorator_list, *node.args.defaults, *filter(None, node.args.kw_defaults)):
                yield from walk(one)
        elif isinstance(node, ast.ClassDef):
            for one in (*node.decorator_list, *node.bases):
                yield from walk(one)
