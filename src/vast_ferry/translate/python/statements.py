"""Statements followed, sort by sort: what names hold after each, on every way that leads on."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Sequence

from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.code import MADE, NOTHING, Function, Module
from vast_ferry.translate.python.expressions import Expressions
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.following import METHODS
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.values import (
    Batch,
    Bound,
    Clash,
    Class,
    Env,
    Foreign,
    Func,
    Instance,
    Known,
    Of,
    Parsed,
    Std,
    Uses,
    Value,
)


class Statements(Expressions):
    """What follows statements."""

    def __init__(self, flow: Flow, module: Module, function: Function | None) -> None:
        super().__init__(flow, module, function)
        self.later: list[Function] = []
        self.ways: list[list[Env]] = []  # for each `try` that is open: what names held wherever it may have been left

    def body(self, statements: Iterable[ast.stmt]) -> None:
        """Follow statements in order."""
        for statement in statements:
            self.statement(statement)
            for ways in self.ways:
                ways.append(dict(self.env))

    def statement(self, node: ast.stmt) -> None:
        """Follow one statement."""
        method = getattr(self, METHODS[node.__class__], None)
        if method is not None:
            method(node)
        else:
            self.others(node)

    def others(self, node: ast.AST) -> None:
        """Follow the expressions of a statement of which nothing special is known."""
        for child in ast.iter_child_nodes(node):
            if isinstance(child, ast.expr):
                self.eval(child)
            elif isinstance(child, ast.stmt):
                self.statement(child)
            else:
                self.others(child)

    def _functiondef(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        if self.function is None:
            for decorator in node.decorator_list:
                self.eval(decorator)
            return
        defaults = (*node.args.defaults, *(default for default in node.args.kw_defaults if default))
        for outside in (*node.decorator_list, *defaults):  # what stands there is not written anew
            for name in (inner for inner in walk(outside) if isinstance(inner, ast.Name)):
                if isinstance(self.lookup(name.id), Foreign):
                    raise self.stop("at-definition", outside, name.id)
            self.eval(outside)
            if any(isinstance(self.flow.values.get(id(inner)), Foreign) for inner in walk(outside)):
                raise self.stop("at-definition", outside)  # by way of an object that holds it
        inner = self.flow.define_inside(self.function, node)
        self.env[node.name] = Bound(Func(inner.key))
        self.later.append(inner)

    _asyncfunctiondef = _functiondef

    def _classdef(self, node: ast.ClassDef) -> None:
        for name in {inner.id for inner in ast.walk(node) if isinstance(inner, ast.Name)}:
            if isinstance(self.lookup(name), Foreign):
                raise self.stop("class-inside", node)
        self.env[node.name] = Bound(NOTHING)

    def _import(self, node: ast.Import | ast.ImportFrom) -> None:
        for alias in node.names:
            if alias.name == "*":
                if isinstance(node, ast.ImportFrom) and node.module in self.flow.provided:
                    continue
                raise self.stop("star-import", node)
            own = alias.asname or alias.name.partition(".")[0]
            self.env[own] = Bound(self.module.names.get(own, NOTHING))

    _importfrom = _import

    def _assign(self, node: ast.Assign) -> None:
        if self.function is None and isinstance(node.value, ast.Lambda) and isinstance(node.targets[0], ast.Name):
            return  # followed as the function that it is
        if len(node.targets) == 1:
            self.assign(node.targets[0], node.value, node)
            return
        value = self.eval(node.value)
        for target in node.targets:
            self.store(target, value if not isinstance(value, Foreign) else self.flow.made(value))

    def _annassign(self, node: ast.AnnAssign) -> None:
        if node.value is not None:
            self.assign(node.target, node.value, node)

    def assign(self, target: ast.expr, value_node: ast.expr, statement: ast.stmt) -> None:
        """Follow one assignment."""
        if isinstance(target, (ast.Tuple, ast.List)) and isinstance(value_node, (ast.Tuple, ast.List)):
            pairs = list(zip(target.elts, value_node.elts, strict=False))
            starred = any(isinstance(one, ast.Starred) for one in (*target.elts, *value_node.elts))
            if len(target.elts) == len(value_node.elts) and not starred:
                # All of the right side is read before any name is bound.
                values = [self.eval(inner) for _, inner in pairs]
                for (one, inner), value in zip(pairs, values, strict=True):
                    self.bind(one, inner, value, statement)
                return
        self.bind(target, value_node, self.eval(value_node), statement)

    def bind(self, target: ast.expr, value_node: ast.expr, value: Value, statement: ast.stmt) -> None:
        """Bind a target to what was read."""
        if isinstance(target, ast.Name) and isinstance(value, Foreign) and target.id in self._shared():
            self.store(target, self.flow.made(value))  # others read it, whom nobody sees: it is made as it was
            return
        if isinstance(target, ast.Name) and isinstance(value, Foreign) and self.function is not None:
            origin = id(target)
            if origin in self.function.keep or not self._can_go(value):
                self.env[target.id] = Bound(self.flow.made(value))
                return
            self.consume(value_node)
            self.function.uses[origin] = Uses(statement, target, value_node)
            self.env[target.id] = Bound(value, origin)
            return
        if isinstance(target, ast.Attribute) and isinstance(value, Spot):
            base = self.eval(target.value)
            sets_up = self.function is not None and self.function.sets_up
            if isinstance(base, Instance) and self.flow.may_be_kept(value, for_all_calls=sets_up):
                self.consume(value_node)
                held = Spot(value.kind, value.role, value.steps, "")
                self.flow.keep_attribute(base.key, target.attr, held)
                return
        if isinstance(target, ast.Attribute) and isinstance(value, (Of, Instance, Func)):
            base = self.eval(target.value)
            if isinstance(base, Instance):
                self.flow.keep_attribute(base.key, target.attr, value)
                return
        self.store(target, self.flow.made(value) if isinstance(value, Foreign) else value)

    def _shared(self) -> frozenset[str]:
        """Return the names that the function shares with others: by `global` and `nonlocal`, in it or inside it."""
        function = self.function
        if function is None:
            return frozenset()
        if function.shared is None:
            told = [node for node in walk(function.node) if isinstance(node, (ast.Global, ast.Nonlocal))]
            function.shared = frozenset(name for node in told for name in node.names)
        return function.shared

    def _can_go(self, value: Value) -> bool:
        """Tell whether an assignment may be taken out where all uses have forms of their own."""
        if isinstance(value, Spot):
            return not self.flow.read_once(value)
        return True

    def store(self, target: ast.expr, value: Value) -> None:
        """Bind names to an ordinary value, or to what is not known."""
        if isinstance(target, ast.Name):
            self.env[target.id] = Bound(value)
        elif isinstance(target, (ast.Tuple, ast.List)):
            part = MADE if self._gives_parts(value) else NOTHING
            for one in target.elts:
                self.store(one, part)
        elif isinstance(target, ast.Starred):
            self.store(target.value, value)
        elif isinstance(target, (ast.Attribute, ast.Subscript)):
            base = self.eval(target.value)
            if isinstance(target, ast.Subscript):
                self.eval(target.slice)
            if isinstance(base, (Spot, Batch, Parsed)) or self._is_the_events(base):
                raise self.stop("event-changed", target)
            if isinstance(base, (Std, Class)) and isinstance(target, ast.Attribute):
                self.flow.patched(base, target)

    def _augassign(self, node: ast.AugAssign) -> None:
        value = self.eval(node.value)
        if isinstance(node.target, ast.Name) and isinstance(self.lookup(node.target.id), Foreign):
            raise self.stop("event-changed", node)
        if isinstance(node.target, ast.Name):
            before = self.read(node.target)
            if self._is_the_events(before):
                raise self.stop("event-changed", node)
            kind = before.type if isinstance(before, Of) else ""
            same = isinstance(value, Of) and value.type == kind
            self.env[node.target.id] = Bound(Of(kind) if same else NOTHING)
        else:
            self.store(node.target, NOTHING)

    def _delete(self, node: ast.Delete) -> None:
        for target in node.targets:
            if isinstance(target, ast.Name):
                if isinstance(self.lookup(target.id), Foreign):
                    raise self.stop("event-changed", target)
                self.env.pop(target.id, None)
            else:
                self.store(target, NOTHING)

    def _global(self, node: ast.Global | ast.Nonlocal) -> None:
        for name in node.names:
            if isinstance(self.lookup(name), (Foreign, Clash)):
                raise self.stop("rebound", node)
            self.env[name] = Bound(NOTHING)

    _nonlocal = _global

    def _return(self, node: ast.Return) -> None:
        value: Value = Of("NoneType")
        if node.value is not None:
            value = self.eval(node.value)
        if self.function is not None:
            value = MADE if self._is_the_events(value) else NOTHING if isinstance(value, (Foreign, Clash)) else value
            before = self.function.returned
            either = MADE if MADE in (before, value) else NOTHING
            self.function.returned = value if before in (None, value) else either

    def _expr(self, node: ast.Expr) -> None:
        self.eval(node.value)

    def _if(self, node: ast.If) -> None:
        test = self.eval(node.test)
        if self.idioms.unpacked_in_if(node, test):
            return
        self.branches([node.body, node.orelse], self.idioms.guards(node.test))

    def branches(self, bodies: Sequence[Sequence[ast.stmt]], guards: tuple[Env, ...] = ()) -> None:
        """Follow bodies of which one is taken; `guards` are what is known in each."""
        before, ends = self.env, []
        for index, body in enumerate(bodies):
            self.env = {**before, **(guards[index] if index < len(guards) else {})}
            self.body(body)
            if not leaves(body):
                ends.append(self.env)
        self.env = self.joined(ends) if ends else before

    def joined(self, ends: list[Env]) -> Env:
        """Return what names hold where ways come together."""
        if len(ends) == 1:
            return ends[0]
        made: Env = {}
        for name in dict.fromkeys(name for env in ends for name in env):
            bounds = [env[name] for env in ends if name in env]
            first = bounds[0]
            if isinstance(name, Known) and len(bounds) < len(ends):
                continue
            if all(bound.value == first.value and bound.origin == first.origin for bound in bounds):
                made[name] = first
                continue
            if any(isinstance(bound.value, (Foreign, Clash)) for bound in bounds):
                origins = {bound.origin for bound in bounds if bound.origin}
                held = any(isinstance(b.value, Foreign) and not b.origin for b in bounds)
                for bound in bounds:
                    if isinstance(bound.value, Clash):
                        origins |= bound.value.origins
                        held = held or bound.value.held
                made[name] = Bound(Clash(frozenset(origins), held=held))
                continue
            types = {bound.value for bound in bounds}
            parts = any(isinstance(one, Of) and one.made for one in types)
            holds = any(isinstance(one, Of) and one.holds for one in types)
            made[name] = Bound(first.value if len(types) == 1 else Of(made=parts, holds=holds))
        return made

    def _while(self, node: ast.While) -> None:
        self._loop(node, node.test)

    def _for(self, node: ast.For | ast.AsyncFor) -> None:
        over = self.eval(node.iter)
        item = MADE if self._gives_parts(over) else NOTHING
        self._loop(node, None, item, entry=self.idioms.entry_of(node.target, over, node.iter))

    _asyncfor = _for

    def _loop(
        self,
        node: ast.While | ast.For | ast.AsyncFor,
        test: ast.expr | None,
        item: Of = NOTHING,
        *,
        entry: bool = False,
    ) -> None:
        before = dict(self.env)
        for _ in range(2):  # what the body leaves may come round again
            self.env = self.joined([before, self.env]) if self.env is not before else dict(before)
            if test is not None:
                self.eval(test)
            elif entry and not isinstance(node, ast.While):
                self.idioms.bind_entry(node)
            elif not isinstance(node, ast.While):
                self.store(node.target, item)
            self.body(node.body)
            if not self._comes_round(node, before):
                break
        self.env = self.joined([before, self.env])
        self.body(node.orelse)

    def _comes_round(self, node: ast.While | ast.For | ast.AsyncFor, before: Env) -> bool:
        """Tell whether what a loop's body left may be read in the next turn, before it is bound again."""
        for name, bound in self.env.items():
            there = before.get(name)
            if there is not None:
                if there.value != bound.value or there.origin != bound.origin:
                    return True
                continue
            if isinstance(name, Known) or not isinstance(bound.value, (Foreign, Clash, Instance, Func)):
                continue
            places = [(n.lineno, n.col_offset, isinstance(n.ctx, ast.Store)) for n in self._names(node) if n.id == name]
            if not places or not min(places)[2] or isinstance(node, ast.While):
                return True
        return False

    def _names(self, node: ast.AST) -> list[ast.Name]:
        key = id(node)
        if key not in self.flow.loop_names:
            self.flow.loop_names[key] = [n for n in walk(node) if isinstance(n, ast.Name)]
        return self.flow.loop_names[key]

    def _with(self, node: ast.With | ast.AsyncWith) -> None:
        for item in node.items:
            held = self.eval(item.context_expr)
            if item.optional_vars is not None:
                self.store(item.optional_vars, MADE if self._is_the_events(held) else NOTHING)
        self.body(node.body)

    _asyncwith = _with

    def _try(self, node: ast.Try) -> None:
        self.ways.append([dict(self.env)])
        self.body(node.body)
        after, ends = self.env, list[Env]()
        start = self.joined(self.ways.pop())  # a handler begins anywhere in the body
        for handler in node.handlers:
            self.env = dict(start)
            if handler.type is not None:
                self.eval(handler.type)
            if handler.name:
                self.env[handler.name] = Bound(NOTHING)
            self.body(handler.body)
            if not leaves(handler.body):
                ends.append(self.env)
        self.env = after
        self.body(node.orelse)
        if not leaves([*node.body, *node.orelse]):
            ends.append(self.env)
        if node.finalbody:
            ways = [start, after, *ends]
            self.env = self.joined(ways)
            self.body(node.finalbody)
        else:
            self.env = self.joined(ends) if ends else after

    _trystar = _try

    def _match(self, node: ast.Match) -> None:
        part = MADE if self._gives_parts(self.eval(node.subject)) else NOTHING
        for case in node.cases:
            for inner in ast.walk(case.pattern):
                name = getattr(inner, "name", None) or getattr(inner, "rest", None)
                if isinstance(name, str):
                    self.env[name] = Bound(part)
            if case.guard is not None:
                self.eval(case.guard)
        self.branches([*(case.body for case in node.cases), []])


def leaves(body: Sequence[ast.stmt]) -> bool:
    """Tell whether a body never ends at its end."""
    if not body:
        return False
    last = body[-1]
    if isinstance(last, (ast.Return, ast.Raise, ast.Continue, ast.Break)):
        return True
    if isinstance(last, ast.If):
        return leaves(last.body) and leaves(last.orelse)
    return False
