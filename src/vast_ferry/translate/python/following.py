"""What all that follows a function shares: what its names hold just now, and notes of what was found at which node."""

from __future__ import annotations

import ast

from vast_ferry.mapping.clients import Client
from vast_ferry.translate.operations import Operation
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import Function, Module
from vast_ferry.translate.values import Batch, Bound, Clash, Env, Foreign, Known, Of, Service, Std, Stop, Value


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
        self.dead = False  # nothing comes here: what stands before has left
        self.ways: list[list[Env]] = []  # for each block that may be left anywhere: what names held wherever it may be
        self.named = 0  # how often an expression has bound a name
        self.history: Env = {}  # what was ever bound to a part of the event, for functions inside

    def passes(self) -> None:
        """Note what names hold here, where an open block may be left."""
        for ways in self.ways:
            ways.append(dict(self.env))

    def joined(self, ends: list[Env]) -> Env:
        """Return what names hold where ways come together.

        A name that is not bound on each of them holds the event's on some, and nothing on others: as a clash it is read
        as it was. A name of anything else is left to Python, as it stands.
        """
        if len(ends) == 1:
            return ends[0]
        made: Env = {}
        for name in dict.fromkeys(name for env in ends for name in env):
            bounds = [env[name] for env in ends if name in env]
            first, everywhere = bounds[0], len(bounds) == len(ends)
            if isinstance(name, Known) and not everywhere:
                continue
            foreign = any(isinstance(bound.value, (Foreign, Clash)) for bound in bounds)
            if (everywhere or not foreign) and all(
                bound.value == first.value and bound.origin == first.origin for bound in bounds
            ):
                made[name] = first
            elif foreign:
                made[name] = Bound(_clash(bounds))
            else:
                types = {bound.value for bound in bounds}
                if len(types) > 1:
                    self.flow.out_of_sight(*types)
                parts = any(isinstance(one, Of) and one.made for one in types)
                holds = any(isinstance(one, Of) and one.holds for one in types)
                data = all(isinstance(one, Of) and one.built_in for one in types)
                made[name] = Bound(first.value if len(types) == 1 else Of("", parts, holds, data))
        return made

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

    def made(self, value: Value) -> Value:
        """Return what a place is where it is made as it was, and note that an object of the provider's is."""
        if self.is_an_object(value) and self.module.file not in self.flow.objects_made:
            self.flow.objects_made.add(self.module.file)
            self.flow.waiting |= self.flow.compare_parts
        return self.flow.made(value)

    def is_an_object(self, value: Value) -> bool:
        """Tell whether a value is an object of the provider's, which is equal to itself alone, or a batch of them."""
        if isinstance(value, Batch):
            return self.flow.maps[value.kind].is_an_object("entry", ())
        return isinstance(value, Spot) and self.flow.shape(value).is_an_object(value.role, value.steps)

    def no_client(self, node: ast.expr, value: Value) -> None:
        """Refuse a client, or a group of them, that stands where others read it whom nobody sees."""
        called = value.client.called if isinstance(value, Service) else ""
        if isinstance(value, Std) and value.name in self.flow.groups:
            called = value.name
        if called and not self.flow.keeps_client(called):
            raise self.stop("client-passed", node)

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

    def _shared(self) -> frozenset[str]:
        """Return the names that others change, or read when it suits them."""
        raise NotImplementedError

    def service(self, node: ast.Call, client: Client) -> Value:
        """Follow a call of a service and return what it gives."""
        raise NotImplementedError

    def read(self, node: ast.Name) -> Value:
        """Return what a name holds where it is read."""
        raise NotImplementedError

    def lookup(self, name: str) -> Value:
        """Return what a name holds, without noting that it is read."""
        raise NotImplementedError

    def arguments(self, node: ast.Call, *called: Function | None) -> list[Value]:
        """Follow the arguments of a call."""
        raise NotImplementedError


def _clash(bounds: list[Bound]) -> Clash:
    """Return what a name holds that holds one of several, or nothing."""
    clashes = [bound.value for bound in bounds if isinstance(bound.value, Clash)]
    origins = {bound.origin for bound in bounds if bound.origin}.union(*(one.origins for one in clashes))
    held = any(isinstance(bound.value, Foreign) and not bound.origin for bound in bounds)
    return Clash(frozenset(origins), held=held or any(one.held for one in clashes))
