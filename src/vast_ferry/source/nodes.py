"""A syntax tree walked once: its nodes in the order of the source, each one's parent, and the names in it."""

from __future__ import annotations

import ast
import contextlib
import gc
from collections.abc import Iterator
from functools import cached_property

#: What attributes of nodes mostly are, beside nodes: told apart without asking for their ancestors.
_LEAVES = frozenset([int, str, type(None), ast.Load, ast.Store, ast.Del])


@contextlib.contextmanager
def collector_at_rest() -> Iterator[None]:
    """Keep Python's collector from walking syntax trees, which hold no cycles, again and again."""
    collects = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collects:
            gc.enable()


def walk(root: ast.AST) -> list[ast.AST]:
    """Return a node and all below it, in the order of the source; several times faster than `ast.walk`."""
    found: list[ast.AST] = []
    stack = [root]
    while stack:
        node = stack.pop()
        found.append(node)
        below: list[ast.AST] = []
        for value in node.__dict__.values():
            kind = value.__class__
            if kind is list:
                below += [item for item in value if isinstance(item, ast.AST)]
            elif kind not in _LEAVES and isinstance(value, ast.AST):
                below.append(value)
        below.reverse()
        stack += below
    return found


class Nodes:
    """What a tree holds, worked out when it is first asked for."""

    def __init__(self, root: ast.AST) -> None:
        self.root = root

    @cached_property
    def all(self) -> list[ast.AST]:
        """Return all nodes."""
        return self._walked[0]

    @cached_property
    def parents(self) -> dict[int, ast.AST]:
        """Return each node's parent by its identity."""
        return self._walked[1]

    @cached_property
    def _walked(self) -> tuple[list[ast.AST], dict[int, ast.AST]]:
        found: list[ast.AST] = []
        parents: dict[int, ast.AST] = {}
        stack = [self.root]
        while stack:
            node = stack.pop()
            found.append(node)
            below: list[ast.AST] = []
            for name in node._fields:
                value = node.__dict__.get(name)
                if value.__class__ is list:
                    below += [item for item in value if isinstance(item, ast.AST)]
                elif isinstance(value, ast.AST) and not isinstance(value, ast.expr_context):
                    below.append(value)
            for child in below:
                parents[id(child)] = node
            below.reverse()
            stack += below
        return found, parents

    @cached_property
    def names(self) -> list[ast.Name]:
        """Return every name that is read or bound."""
        return [node for node in self.all if isinstance(node, ast.Name)]

    @cached_property
    def named(self) -> frozenset[str]:
        """Return all names in it, parameters as well."""
        return frozenset({node.id for node in self.names} | self.parameters)

    @cached_property
    def parameters(self) -> frozenset[str]:
        """Return the names of parameters, of functions inside it as well."""
        return frozenset(node.arg for node in self.all if isinstance(node, ast.arg))

    @cached_property
    def bound(self) -> frozenset[str]:
        """Return the names that it binds."""
        return frozenset({n.id for n in self.names if not isinstance(n.ctx, ast.Load)} | self.parameters)

    def uses(self, name: str) -> list[ast.Name]:
        """Return where a name stands."""
        return [node for node in self.names if node.id == name]
