"""What all that follows a function shares: what its names hold just now, and notes of what was found at which node."""

from __future__ import annotations

import ast

from vast_ferry.mapping.clients import Client
from vast_ferry.translate.operations import Operation
from vast_ferry.translate.python.code import Function, Module
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.values import Env, Stop, Value


class _Methods(dict[type, str]):
    """The name of the method that follows nodes of each class, worked out when one is first met."""

    def __missing__(self, kind: type[ast.AST]) -> str:
        self[kind] = name = f"_{kind.__name__.lower()}{'_' * issubclass(kind, ast.expr)}"
        return name


METHODS = _Methods()


class Following:
    """The following of one function, or (without one) of the statements of a module."""

    def __init__(self, flow: Flow, module: Module, function: Function | None) -> None:
        self.flow, self.module, self.function = flow, module, function
        self.env: Env = {}

    def note(self, node: ast.expr, op: Operation, *consumed: ast.expr) -> None:
        """Note what a node does, and which nodes it takes the place of."""
        self.flow.ops[id(node)] = op
        self.mark(node)
        for one in consumed:
            self.consume(one)

    def mark(self, node: ast.expr) -> None:
        """Note that a node is this function's."""
        self.flow.lines[id(node)] = node.lineno
        if self.function is not None:
            self.function.ops.add(id(node))
        else:
            self.module.has_ops = True

    def consume(self, node: ast.expr) -> None:
        """Note that a place need not be made at a node: what stands around it takes it in."""
        self.flow.consumed.add(id(node))
        self.mark(node)

    def stop(self, code: str, node: ast.AST, why: str = "") -> Stop:
        """Return the reason why a function can't be rewritten."""
        return Stop(code, node, why)

    # --- what is done by whoever knows every statement and expression ---

    def eval(self, node: ast.expr) -> Value:
        """Return what an expression gives."""
        raise NotImplementedError

    def store(self, target: ast.expr, value: Value) -> None:
        """Bind names to an ordinary value, or to what is not known."""
        raise NotImplementedError

    def service(self, node: ast.Call, client: Client) -> Value:
        """Follow a call of a service and return what it gives."""
        raise NotImplementedError

    def arguments(self, node: ast.Call, called: Function | None = None) -> list[Value]:
        """Follow the arguments of a call."""
        raise NotImplementedError
