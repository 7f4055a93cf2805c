"""One function followed statement by statement: what its names hold on the way, and what is done with places.

What is assumed, and what follows from it. A handler gets the event only by its parameters; every value that is the
event, its context, an entry of a batch or a client of the provider (`Foreign`) is known from there on by the name that
holds it. At every step such a value is one of three things:

* understood: an operation (`translate.operations`) or a place one step on, which has a form of its own at the target;
* handed on whole, to a function of the project whose parameter then holds it in the same way;
* made as it was: what reads it is an ordinary expression to us, and gets from an emitted function what it got before.

Where none of the three is safe the function stops (`Stop`), and with it whatever shares code with it; its handler is
wrapped. So it is where a name holds the event on one way and something else on another (`Clash`), where it is bound
outside of what is followed (`global`, `nonlocal`, `del`, a default value, a decorator, a class inside), and where a
function is called by whom nobody sees (it is handed on as a value) with things as they were, but by others with the
event. An assignment is taken out only where every read that it can reach has a form of its own.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable, Sequence

from vast_ferry.mapping.by_hand import How
from vast_ferry.mapping.clients import Client
from vast_ferry.mapping.places import Attr
from vast_ferry.translate.operations import ServiceCall
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.flow import DEFINITION, NOTHING, Flow, Function, Module
from vast_ferry.translate.python.following import Following
from vast_ferry.translate.python.idioms import Idioms
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.python.types import METHOD_TYPES, SAME_TYPE, STD_TYPES, type_of_constant
from vast_ferry.translate.values import (
    Batch,
    Bound,
    Clash,
    Class,
    Env,
    Foreign,
    Func,
    Instance,
    Key,
    Known,
    Of,
    Own,
    Parsed,
    Service,
    Std,
    Stop,
    Uses,
    Value,
)

#: Names of the methods that follow each sort of node, once they are known.
_STATEMENTS: dict[type, str] = {}
_EXPRESSIONS: dict[type, str] = {}
_TYPED: dict[type, Of] = {kind: Of(kind.__name__) for kind in (str, bytes, int, float, bool, type(None), complex)}
#: Names by which code may reach names that we don't see.
_HIDDEN = frozenset(["exec", "eval", "globals", "locals", "vars", "__import__"])


def follow(flow: Flow, reached: Iterable[Key]) -> None:
    """Follow the functions until nothing new is found, then what modules do when they are imported."""
    flow.waiting |= dict.fromkeys(reached)
    _follow_waiting(flow)
    for module in flow.modules.values():
        try:
            Follower(flow, module, None).follow_module()
        except Stop as stop:
            module.stop = stop
    # Whoever calls a function that is handed on as a value can't be seen, and hands it things as they were.
    for function in list(flow.functions.values()):
        if function.referred:
            for name, value in list(function.params.items()):
                if isinstance(value, Foreign) and not function.entry:
                    flow.pass_(function, name, NOTHING)
    _follow_waiting(flow)


def _follow_waiting(flow: Flow) -> None:
    """Follow the functions that wait, and those that wait then, until none does."""
    rounds = 0
    while flow.waiting:
        key = next(iter(flow.waiting))
        del flow.waiting[key]
        function = flow.functions[key]
        rounds += 1
        if rounds > 40 * len(flow.functions) + 200:
            function.stop = Stop("too-entangled", function.node)
            continue
        _follow(flow, function)


def _follow(flow: Flow, function: Function) -> None:
    for _ in range(30):
        for node in function.ops:
            flow.ops.pop(node, None)
            flow.consumed.discard(node)
            flow.values.pop(node, None)
        function.ops, function.uses, function.stop, function.callees = set(), {}, None, {}
        before = len(function.keep)
        try:
            Follower(flow, function.module, function).follow()
        except Stop as stop:
            function.stop = stop
            return
        except RecursionError:
            function.stop = Stop("too-entangled", function.node)
            return
        for origin, uses in function.uses.items():
            if any(id(read) not in flow.consumed for read in uses.reads):
                function.keep.add(origin)
        if len(function.keep) == before:
            return
    function.stop = Stop("too-entangled", function.node)


class Follower(Following):
    """Follows one function, or (without one) the statements of a module."""

    def __init__(self, flow: Flow, module: Module, function: Function | None) -> None:
        super().__init__(flow, module, function)
        self.later: list[Function] = []
        self.idioms = Idioms(self)

    def follow(self) -> None:
        """Follow the function's body, then the functions inside it."""
        function = self.function
        assert function is not None
        if function.outer is not None:
            self.env = {name: Bound(bound.value, bound.origin) for name, bound in function.outer.env.items()}
        node = function.node
        arguments = node.args
        every = [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs]
        every += [one for one in (arguments.vararg, arguments.kwarg) if one]
        for argument in every:
            value = function.params.get(argument.arg, NOTHING)
            if isinstance(value, Spot):
                value = Spot(value.kind, value.role, value.steps, argument.arg)
            elif isinstance(value, Batch):
                value = Batch(value.kind, argument.arg)
            self.env[argument.arg] = Bound(value)
        if function.cls is not None and not function.static and arguments.args:
            self.env[arguments.args[0].arg] = Bound(Instance(function.cls))
        for default in (*arguments.defaults, *(d for d in arguments.kw_defaults if d)):
            self.eval(default)
        self.body(node.body)
        function.env = self.env
        for inner in self.later:
            self.flow.waiting[inner.key] = None

    def follow_module(self) -> None:
        """Follow the statements at the top of a module."""
        for statement in self.module.tree.body:
            if isinstance(statement, ast.ClassDef):
                for inner in statement.body:
                    if not isinstance(inner, DEFINITION):
                        self.statement(inner)
            elif not isinstance(statement, DEFINITION):
                self.statement(statement)

    # --- statements ---

    def body(self, statements: Iterable[ast.stmt]) -> None:
        """Follow statements in order."""
        for statement in statements:
            self.statement(statement)

    def statement(self, node: ast.stmt) -> None:
        """Follow one statement."""
        kind = node.__class__
        name = _STATEMENTS.get(kind)
        if name is None:
            name = _STATEMENTS[kind] = f"_{kind.__name__.lower()}"
        method = getattr(self, name, None)
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
        for decorator in node.decorator_list:
            self.eval(decorator)
        if self.function is None:
            return
        defaults = (*node.args.defaults, *(default for default in node.args.kw_defaults if default))
        for outside in (*node.decorator_list, *defaults):  # what stands there is not written anew
            for name in (inner for inner in walk(outside) if isinstance(inner, ast.Name)):
                if isinstance(self.lookup(name.id), Foreign):
                    raise self.stop("at-definition", outside, name.id)
        inner = self.flow.defined.get(id(node))
        if inner is None:
            key = (self.module.file, f"{self.function.key[1]}.<{node.lineno}>.{node.name}")
            inner = self.flow.define(key, self.module, node, outer=self.function)
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
            self.store(target, value if not isinstance(value, Foreign) else NOTHING)

    def _annassign(self, node: ast.AnnAssign) -> None:
        if node.value is not None:
            self.assign(node.target, node.value, node)

    def assign(self, target: ast.expr, value_node: ast.expr, statement: ast.stmt) -> None:
        """Follow one assignment."""
        if isinstance(target, ast.Tuple | ast.List) and isinstance(value_node, ast.Tuple | ast.List):
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
            self.store(target, NOTHING)  # others read it, whom nobody sees: it is made as it was
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
            if isinstance(base, Instance) and self.flow.spot_is_inner(value):
                self.consume(value_node)
                held = Spot(value.kind, value.role, value.steps, "")
                self.flow.keep_attribute(base.key, target.attr, held)
                return
        if isinstance(target, ast.Attribute) and isinstance(value, Of | Instance | Func):
            base = self.eval(target.value)
            if isinstance(base, Instance):
                self.flow.keep_attribute(base.key, target.attr, value)
                return
        self.store(target, NOTHING if isinstance(value, Foreign) else value)

    def _shared(self) -> frozenset[str]:
        """Return the names that the function shares with others: by `global` and `nonlocal`, in it or inside it."""
        function = self.function
        if function is None:
            return frozenset()
        if function.shared is None:
            told = [node for node in walk(function.node) if isinstance(node, ast.Global | ast.Nonlocal)]
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
        elif isinstance(target, ast.Tuple | ast.List):
            for one in target.elts:
                self.store(one, NOTHING)
        elif isinstance(target, ast.Starred):
            self.store(target.value, NOTHING)
        elif isinstance(target, ast.Attribute | ast.Subscript):
            base = self.eval(target.value)
            if isinstance(target, ast.Subscript):
                self.eval(target.slice)
            if isinstance(base, Spot | Batch | Parsed):
                raise self.stop("event-changed", target)
            if isinstance(base, Std | Class) and isinstance(target, ast.Attribute):
                self.flow.patched(base, target)

    def _augassign(self, node: ast.AugAssign) -> None:
        value = self.eval(node.value)
        if isinstance(node.target, ast.Name) and isinstance(self.lookup(node.target.id), Foreign):
            raise self.stop("event-changed", node)
        if isinstance(node.target, ast.Name):
            before = self.read(node.target)
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
            if isinstance(self.lookup(name), Foreign | Clash):
                raise self.stop("rebound", node)
            self.env[name] = Bound(NOTHING)

    _nonlocal = _global

    def _return(self, node: ast.Return) -> None:
        value: Value = Of("NoneType")
        if node.value is not None:
            value = self.eval(node.value)
        if self.function is not None:
            value = NOTHING if isinstance(value, Foreign | Clash) else value
            before = self.function.returned
            self.function.returned = value if before in (None, value) else NOTHING

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
            if not _leaves(body):
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
            if any(isinstance(bound.value, Foreign | Clash) for bound in bounds):
                origins = {bound.origin for bound in bounds if bound.origin}
                held = any(isinstance(b.value, Foreign) and not b.origin for b in bounds)
                for bound in bounds:
                    if isinstance(bound.value, Clash):
                        origins |= bound.value.origins
                        held = held or bound.value.held
                made[name] = Bound(Clash(frozenset(origins), held=held))
                continue
            types = {bound.value for bound in bounds}
            made[name] = Bound(first.value if len(types) == 1 else NOTHING)
        return made

    def _while(self, node: ast.While) -> None:
        self._loop(node, node.test)

    def _for(self, node: ast.For | ast.AsyncFor) -> None:
        over = self.eval(node.iter)
        self._loop(node, None, entry=self.idioms.entry_of(node.target, over, node.iter))

    _asyncfor = _for

    def _loop(self, node: ast.While | ast.For | ast.AsyncFor, test: ast.expr | None, *, entry: bool = False) -> None:
        before = dict(self.env)
        for _ in range(2):  # what the body leaves may come round again
            self.env = self.joined([before, self.env]) if self.env is not before else dict(before)
            if test is not None:
                self.eval(test)
            elif entry and not isinstance(node, ast.While):
                self.idioms.bind_entry(node)
            elif not isinstance(node, ast.While):
                self.store(node.target, NOTHING)
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
            if isinstance(name, Known) or not isinstance(bound.value, Foreign | Clash | Instance | Func):
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
            self.eval(item.context_expr)
            if item.optional_vars is not None:
                self.store(item.optional_vars, NOTHING)
        self.body(node.body)

    _asyncwith = _with

    def _try(self, node: ast.Try) -> None:
        before = dict(self.env)
        self.body(node.body)
        after = self.env
        ends = []
        # A handler begins anywhere in the body.
        start = self.joined([before, after])
        for handler in node.handlers:
            self.env = dict(start)
            if handler.type is not None:
                self.eval(handler.type)
            if handler.name:
                self.env[handler.name] = Bound(NOTHING)
            self.body(handler.body)
            if not _leaves(handler.body):
                ends.append(self.env)
        self.env = after
        self.body(node.orelse)
        if not _leaves([*node.body, *node.orelse]):
            ends.append(self.env)
        self.env = self.joined(ends) if ends else after
        self.body(node.finalbody)

    _trystar = _try

    def _match(self, node: ast.Match) -> None:
        self.eval(node.subject)
        for case in node.cases:
            for inner in ast.walk(case.pattern):
                name = getattr(inner, "name", None) or getattr(inner, "rest", None)
                if isinstance(name, str):
                    self.env[name] = Bound(NOTHING)
            if case.guard is not None:
                self.eval(case.guard)
        self.branches([*(case.body for case in node.cases), []])

    # --- names ---

    def lookup(self, name: str) -> Value:
        """Return what a name holds, without noting that it is read."""
        if name in self.env:
            return self.env[name].value
        return self.module.names.get(name, NOTHING)

    def read(self, node: ast.Name) -> Value:
        """Return what a name holds where it is read."""
        bound = self.env.get(node.id)
        if bound is None:
            return self._of_the_module(node)
        value = bound.value
        if isinstance(value, Clash):
            if self.function is None or value.held:
                raise self.stop("rebound", node)
            self.function.keep |= value.origins
            return NOTHING
        function = self.function
        if not bound.origin or function is None:
            return value
        if bound.origin not in function.uses and isinstance(value, Foreign):  # from a function around this one
            function = function.outer
            while function is not None and bound.origin not in function.uses:
                function = function.outer
        if function is not None and bound.origin in function.uses:
            function.uses[bound.origin].reads.append(node)
        return value

    def _is_plain_class(self, value: Class, node: ast.expr) -> None:
        """Refuse a class that inherits from one of the provider's, which is another, or none, at the target."""
        if self.function is not None and self.flow.is_of_the_provider(value.key):
            raise self.stop("provider-inherited", node, value.key[1])

    def _of_the_module(self, node: ast.Name) -> Value:
        """Return what a name is that the function does not bind."""
        value = self.module.names.get(node.id)
        if isinstance(value, Class):
            self._is_plain_class(value, node)
        if value is not None:
            return self.flow.service(value)
        if node.id in _HIDDEN and self.function is not None and self._sees_foreign():
            raise self.stop("hidden-names", node)
        return Std(f"builtins.{node.id}")

    def _sees_foreign(self) -> bool:
        return any(isinstance(bound.value, Spot) for bound in self.env.values())

    # --- expressions ---

    def eval(self, node: ast.expr) -> Value:
        """Follow an expression and return what it is to us."""
        kind = node.__class__
        name = _EXPRESSIONS.get(kind)
        if name is None:
            name = _EXPRESSIONS[kind] = f"_{kind.__name__.lower()}_"
        method = getattr(self, name, None)
        value: Value = method(node) if method is not None else self._children(node)
        if value is NOTHING:
            return value
        if value.__class__ is Of:
            if value.type:
                self.flow.values[id(node)] = value
                if self.function is not None:
                    self.function.ops.add(id(node))
        elif isinstance(value, Foreign):
            self.flow.values[id(node)] = value
            self.mark(node)
        return value

    def _children(self, node: ast.expr) -> Value:
        for child in ast.iter_child_nodes(node):
            if isinstance(child, ast.expr):
                self.eval(child)
            elif isinstance(child, ast.keyword):
                self.eval(child.value)
        return Of(type_of_constant(node))

    def _constant_(self, node: ast.Constant) -> Value:
        return _TYPED.get(node.value.__class__, NOTHING)

    def _name_(self, node: ast.Name) -> Value:
        value = self.read(node)
        if isinstance(value, Func) and self.function is not None:
            self.flow.functions[value.key].referred = True
        return value

    def _attribute_(self, node: ast.Attribute) -> Value:
        return self.attribute(node, self.eval(node.value))

    def attribute(self, node: ast.Attribute, base: Value, *, called: bool = False) -> Value:
        """Return what an attribute of something is."""
        if isinstance(base, Spot):
            return self.idioms.step(node, base, Attr(node.attr), node.value)
        if isinstance(base, Std | Own):
            found = self.flow.attribute(base, node.attr)
            if isinstance(found, Class):
                self._is_plain_class(found, node)
            return found
        if isinstance(base, Instance):
            method = self.flow.method(base.key, node.attr)
            if method is not None:
                method.referred = method.referred or not called
                return Func(method.key, bound=True)
            held = self.flow.held(base.key, node.attr)
            if isinstance(held, Clash):
                raise self.stop("rebound", node)
            if isinstance(held, Spot):
                return Spot(held.kind, held.role, held.steps, self.module.text.of(node))
            return held
        if isinstance(base, Class):
            method = self.flow.method(base.key, node.attr)
            if method is not None:
                method.referred = method.referred or not called
                return Func(method.key, bound=not method.static)
        return NOTHING

    def _subscript_(self, node: ast.Subscript) -> Value:
        base = self.eval(node.value)
        self.eval(node.slice)
        if id(node.value) in self.flow.ops and self.idioms.first_of(node):
            return Of("str")
        if isinstance(base, Batch):
            return self.idioms.one_of_batch(node, base)
        if isinstance(base, Spot | Parsed):
            return self.idioms.item(node, base)
        kind = base.type if isinstance(base, Of) else ""
        return Of(kind) if isinstance(node.slice, ast.Slice) and kind in ("str", "bytes") else NOTHING

    def _slice_(self, node: ast.Slice) -> Value:
        for part in (node.lower, node.upper, node.step):
            if part is not None:
                self.eval(part)
        return NOTHING

    def _namedexpr_(self, node: ast.NamedExpr) -> Value:
        value = self.eval(node.value)
        made = self.flow.made(value) if isinstance(value, Foreign) else value
        self.env[node.target.id] = Bound(made)
        return made

    def _ifexp_(self, node: ast.IfExp) -> Value:
        test = self.eval(node.test)
        found = self.idioms.unpacked(node, test)
        if found is not None:
            return found
        before, (there, absent) = self.env, self.idioms.guards(node.test)
        self.env = {**before, **there}
        one = self.eval(node.body)
        self.env = {**before, **absent}
        other = self.eval(node.orelse)
        self.env = before
        return one if one == other and isinstance(one, Of | Instance) else NOTHING

    def _boolop_(self, node: ast.BoolOp) -> Value:
        before, values = self.env, []
        for part in node.values:
            values.append(self.eval(part))
            there, absent = self.idioms.guards(part)
            self.env = {**self.env, **(there if isinstance(node.op, ast.And) else absent)}
        self.env = before
        kinds = {value.type if isinstance(value, Of) else "" for value in values}
        return Of(kinds.pop()) if len(kinds) == 1 else NOTHING

    def _binop_(self, node: ast.BinOp) -> Value:
        left, right = self.eval(node.left), self.eval(node.right)
        found = self.idioms.scaled(node, left)
        if found is not None:
            return found
        kinds = {value.type if isinstance(value, Of) else "" for value in (left, right)}
        if isinstance(node.op, ast.Mod) and isinstance(left, Of) and left.type in ("str", "bytes"):
            return left
        if isinstance(node.op, ast.Add):
            kinds.discard("")
            return Of(kinds.pop()) if len(kinds) == 1 and kinds <= {"str", "bytes"} else NOTHING
        return NOTHING

    def _unaryop_(self, node: ast.UnaryOp) -> Value:
        self.eval(node.operand)
        return Of("bool") if isinstance(node.op, ast.Not) else NOTHING

    def _compare_(self, node: ast.Compare) -> Value:
        values = [self.eval(part) for part in (node.left, *node.comparators)]
        if len(values) == 2:
            self.idioms.compared(node, values[0], values[1])
        return Of("bool")

    def _await_(self, node: ast.Await) -> Value:
        value = self.eval(node.value)
        if isinstance(value, Spot) or id(node.value) in self.flow.ops:
            self.consume(node.value)
        return value

    def _lambda_(self, node: ast.Lambda) -> Value:
        self._read_later(node)
        before = dict(self.env)
        for default in (*node.args.defaults, *(d for d in node.args.kw_defaults if d)):
            self.eval(default)
        for argument in ast.walk(node.args):
            if isinstance(argument, ast.arg):
                self.env[argument.arg] = Bound(NOTHING)
        self.eval(node.body)
        self.env = before
        return NOTHING

    def _read_later(self, node: ast.Lambda | ast.GeneratorExp) -> None:
        """Refuse a name that may hold another thing by when it is read: in a function, or a lazy loop, made here."""
        function = self.function
        if function is None:
            return
        for name in {inner.id for inner in walk(node) if isinstance(inner, ast.Name)}:
            if not isinstance(self.lookup(name), Foreign):
                continue
            bound = sum(isinstance(use.ctx, ast.Store | ast.Del) for use in function.nodes.uses(name))
            if bound + (name in function.parameters) > 1:
                raise self.stop("rebound", node)

    def _comprehension(
        self, node: ast.ListComp | ast.SetComp | ast.GeneratorExp | ast.DictComp, *parts: ast.expr
    ) -> Value:
        before = dict(self.env)
        for generator in node.generators:
            over = self.eval(generator.iter)
            if self.idioms.entry_of(generator.target, over, generator.iter):
                self.idioms.bind_entry(generator)
            else:
                self.store(generator.target, NOTHING)
            for test in generator.ifs:
                self.eval(test)
        for part in parts:
            self.eval(part)
        self.env = before
        return Of(type_of_constant(node))

    def _listcomp_(self, node: ast.ListComp) -> Value:
        value = self._comprehension(node, node.elt)
        return Of("list") if self.idioms.picked(node, node, How.EVERY, None) else value

    def _setcomp_(self, node: ast.SetComp) -> Value:
        return self._comprehension(node, node.elt)

    def _generatorexp_(self, node: ast.GeneratorExp) -> Value:
        self._read_later(node)
        return self._comprehension(node, node.elt)

    def _dictcomp_(self, node: ast.DictComp) -> Value:
        return self._comprehension(node, node.key, node.value)

    # --- calls ---

    def _call_(self, node: ast.Call) -> Value:
        function = node.func
        if isinstance(function, ast.Name):
            target = self.read(function)
            if isinstance(target, Foreign):
                self.flow.values[id(function)] = target
                self.mark(function)
        elif isinstance(function, ast.Attribute):
            base = self.eval(function.value)
            if isinstance(base, Spot | Parsed | Batch):
                return self.idioms.method(node, function, base)
            target = self.attribute(function, base, called=True)
        else:
            target = self.eval(function)
        return self._call_of(node, target)

    def _call_of(self, node: ast.Call, target: Value) -> Value:
        """Return what a call gives of what is called."""
        if isinstance(target, Service):
            return self.service(node, target.client)
        if isinstance(target, Spot):
            return self.idioms.called_by_name(node, target)
        if isinstance(target, Func):
            return self._project_call(node, target)
        if isinstance(target, Class):
            init = self.flow.method(target.key, "__init__")
            self.arguments(node, init)
            if init is not None:
                self._note_call(init, node)
            return Instance(target.key)
        if isinstance(target, Std):
            return self._standard_call(node, target.name.removeprefix("builtins."))
        self.arguments(node, None)
        return self._method_type(node)

    def _standard_call(self, node: ast.Call, name: str) -> Value:
        """Return what a call gives of something outside the project."""
        if name == "functools.partial" and node.args:
            return self._partial(node)
        if name in ("asyncio.run", "asyncio.Runner") and self.flow.target.model.handler.asynchronous:
            raise self.stop("runs-a-loop", node, name)
        if name in ("setattr", "delattr") and node.args:
            self.flow.patched_by_call(node, self.module)
        values = self.arguments(node, None)
        found = self.idioms.standard(node, name, values)
        if found is not None:
            return found
        return Of(name if name in self.flow.reply_classes else STD_TYPES.get(name, ""))

    def _method_type(self, node: ast.Call) -> Value:
        if not isinstance(node.func, ast.Attribute):
            return NOTHING
        name = node.func.attr
        if name in SAME_TYPE:
            base = self.flow.values.get(id(node.func.value))
            return base if isinstance(base, Of) else NOTHING
        return Of(METHOD_TYPES.get(name, ""))

    def service(self, node: ast.Call, client: Client) -> Value:
        self.arguments(node, None)
        if any(isinstance(one, ast.Starred) for one in node.args) or any(one.arg is None for one in node.keywords):
            raise self.stop("arguments-hidden", node)
        self.note(node, ServiceCall(client, node), node.func)
        if client.result is None:
            return Of("NoneType")
        return Of("bytes" if client.result.rows[0].lens.gives == "bytes" else "")

    def _project_call(self, node: ast.Call, target: Func) -> Value:
        called = self.flow.functions[target.key]
        self.arguments(node, called)
        self._note_call(called, node)
        returned = called.returned
        return returned if isinstance(returned, Of | Instance) else NOTHING

    def _note_call(self, called: Function, node: ast.Call) -> None:
        if not any(one is node for _, one in called.calls):
            called.calls.append((self.function, node))
        if self.function is not None:
            self.function.callees[called.key] = None

    def _partial(self, node: ast.Call) -> Value:
        target = self.eval(node.args[0])
        called = self.flow.functions.get(target.key) if isinstance(target, Func) else None
        if called is not None:
            called.referred = True
        inner = ast.Call(node.args[0], node.args[1:], node.keywords)
        self.arguments(inner, called)
        return NOTHING

    def arguments(self, node: ast.Call, called: Function | None = None) -> list[Value]:
        """Follow the arguments of a call; what a function of the project gets of the event is passed on to it."""
        values: list[Value] = []
        parameters = called.parameters if called is not None else []
        starred = any(isinstance(one, ast.Starred) for one in node.args)
        given: dict[str, Value] = {}
        for index, argument in enumerate(node.args):
            value = self.eval(argument)
            values.append(value)
            if called is not None and not starred and index < len(parameters):
                given[parameters[index]] = self._handed(argument, value)
        names = {a.arg for a in (*called.node.args.args, *called.node.args.kwonlyargs)} if called else set()
        for keyword in node.keywords:
            value = self.eval(keyword.value)
            if called is not None and keyword.arg in names:
                given[keyword.arg] = self._handed(keyword.value, value)
        if called is not None:
            if starred or any(keyword.arg is None for keyword in node.keywords):  # what goes where can't be told
                given = {**dict.fromkeys([*parameters, *names], NOTHING), **given}
            for name, value in given.items():
                self.flow.pass_(called, name, value)
        return values

    def _handed(self, argument: ast.expr, value: Value) -> Value:
        """Return what a function is handed: the event, its context or one entry go as what stands for them."""
        if isinstance(value, Spot) and self.flow.spot_is_inner(value):
            self.consume(argument)
            return Spot(value.kind, value.role, value.steps)
        if isinstance(value, Foreign):
            return self.flow.made(value)
        return value if isinstance(value, Of | Instance | Func | Class) else NOTHING


def _leaves(body: Sequence[ast.stmt]) -> bool:
    """Tell whether a body never ends at its end."""
    if not body:
        return False
    last = body[-1]
    if isinstance(last, ast.Return | ast.Raise | ast.Continue | ast.Break):
        return True
    if isinstance(last, ast.If):
        return _leaves(last.body) and _leaves(last.orelse)
    return False


leaves = _leaves
