"""Statements followed, sort by sort: what names hold after each, on every way that leads on."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.expressions import Expressions
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.following import METHODS
from vast_ferry.translate.python.functions import MADE, NOTHING, PAIR, Function, Module, is_property
from vast_ferry.translate.python.nodes import Nodes, walk
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

#: How many turns of a loop are followed at most, until one leaves nothing new.
_MOST_TURNS = 20


@dataclass(slots=True)
class _Loop:
    """What names held at each `break` of a loop that is open, and at each `continue`."""

    left: list[Env] = field(default_factory=list)
    turned: list[Env] = field(default_factory=list)


def _either(one: Value | None, other: Value) -> Of:
    """Return what is known of a value that is one thing or another."""
    both = [value for value in (one, other) if isinstance(value, Of)]
    return Of(made=any(value.made for value in both), holds=any(value.holds for value in both))


class Statements(Expressions):
    """What follows statements."""

    def __init__(self, flow: Flow, module: Module, function: Function | None) -> None:
        super().__init__(flow, module, function)
        self.later: list[Function] = []
        self.loops: list[_Loop] = []  # those that are open

    def body(self, statements: Iterable[ast.stmt]) -> None:
        """Follow statements in order."""
        for statement in statements:
            self.statement(statement)
            self.passes()

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
            value = self.lookup(name)
            theirs = isinstance(value, Std) and value.name.partition(".")[0] in self.flow.theirs
            if isinstance(value, Foreign) or (
                isinstance(value, Std) and theirs and not self.flow.keeps_client(value.name)
            ):
                raise self.stop("class-inside", node)
            if isinstance(value, Func):  # whoever calls it there is not seen
                self.flow.functions[value.key].unseen = True
        self.env[node.name] = Bound(NOTHING)

    def _import(self, node: ast.Import | ast.ImportFrom) -> None:
        for alias in node.names:
            if alias.name == "*":
                if isinstance(node, ast.ImportFrom) and self.flow.names_all(self.module, node):
                    continue
                raise self.stop("star-import", node)
            own = alias.asname or alias.name.partition(".")[0]
            self.env[own] = Bound(self.module.names.get(own, NOTHING))

    _importfrom = _import

    def _assign(self, node: ast.Assign) -> None:
        if self.function is None and isinstance(node.value, ast.Lambda) and isinstance(node.targets[0], ast.Name):
            return  # followed as the function that it is
        if self.function is None and id(node) in self.flow.registering:
            return  # what stands in a table is called through it alone
        if len(node.targets) == 1:
            self.assign(node.targets[0], node.value, node)
            return
        value = self.eval(node.value)
        for target in node.targets:
            self.store(target, value if not isinstance(value, Foreign) else self.made(value))

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
            self.store(target, self.made(value))  # others read it, whom nobody sees: it is made as it was
            return
        if isinstance(target, ast.Name) and isinstance(value, Foreign) and self.function is not None:
            origin = id(target)
            if origin in self.function.keep or not self._can_go(value):
                self.env[target.id] = Bound(self.made(value))
                return
            self.consume(value_node)
            self.function.uses[origin] = Uses(statement, target, value_node)
            self.env[target.id] = self.history[target.id] = Bound(value, origin)
            return
        made_up = self.function is not None and self.function.made_up
        if isinstance(target, ast.Attribute) and isinstance(value, Spot):
            base = self.eval(target.value)
            sets_up = self.function is not None and self.function.sets_up
            alone = isinstance(base, Instance) and not (
                self.flow.kept.is_seen(base.key, target.attr) or self.flow.is_described(base.key, target.attr)
            )
            if alone and isinstance(base, Instance) and self.flow.may_be_kept(value, for_all_calls=sets_up):
                self.consume(value_node)
                held = Spot(value.kind, value.role, value.steps, "")
                self.flow.keep_attribute(base.key, target.attr, held)
                return
        if made_up and isinstance(value, Foreign) and self.function is not None and isinstance(target, ast.Attribute):
            self.flow.takes_as_it_was(self.function, target.attr)
            self.function.params[target.attr] = value = NOTHING
        self.store(target, self.made(value) if isinstance(value, Foreign) else value)

    def _shared(self) -> frozenset[str]:
        """Return the names that others change, or read when it suits them: by `global` and `nonlocal`, or later."""
        function = self.function
        if function is None:
            return frozenset()
        if function.shared is None:
            function.shared = function.nodes.told_global | _bound_late(function.nodes)
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
            part = Of("str") if value == PAIR else MADE if self._gives_parts(value) else NOTHING
            for one in target.elts:
                self.store(one, part)
        elif isinstance(target, ast.Starred):
            self.store(target.value, value)
        elif isinstance(target, (ast.Attribute, ast.Subscript)):
            base = self.eval(target.value)
            if isinstance(target, ast.Subscript):
                self.put_away(self.eval(target.slice))
            one_object = self.flow.changes_in_place(self.function, base, target)
            if not one_object and (isinstance(base, (Spot, Batch, Parsed)) or self._is_the_events(base)):
                raise self.stop("event-changed", target)
            if isinstance(base, (Std, Class)) and isinstance(target, ast.Attribute):
                self.flow.patched(base, target)
            if isinstance(target, ast.Attribute):
                self._stored_in(base, target.attr, value)

    def _stored_in(self, base: Value, name: str, value: Value) -> None:
        """Note that something gets an attribute: an object of the project's, or we don't know what."""
        if isinstance(base, Instance):
            self.flow.keep_attribute(base.key, name, value)
        elif not isinstance(base, Std):
            self.flow.asked_anywhere(name, stored=True)

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
            if isinstance(target, ast.Attribute):
                self.flow.asked_anywhere(target.attr, stored=True)

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
            self.function.returned = value if before in (None, value) else _either(before, value)
            if self.function.returned != value:
                self.flow.out_of_sight(before, value)
            told = self._gives_parts(self.function.returned) or isinstance(self.function.returned, Instance)
            if before != self.function.returned and (told or isinstance(before, Instance)):
                self.flow.waiting |= {one.key: None for one, _ in self.function.calls if one is not None}
        self.dead = True

    def _raise(self, node: ast.Raise) -> None:
        self.others(node)
        self.dead = True

    def _break(self, _: ast.Break) -> None:
        if self.loops:
            self.loops[-1].left.append(dict(self.env))
        self.dead = True

    def _continue(self, _: ast.Continue) -> None:
        if self.loops:
            self.loops[-1].turned.append(dict(self.env))
        self.dead = True

    def _expr(self, node: ast.Expr) -> None:
        if id(node) in self.flow.registering:
            return  # as above; in a decorator's function, what it is given is known where it decorates
        self.eval(node.value)

    def _if(self, node: ast.If) -> None:
        self.eval(node.test)
        if self.idioms.contents.by_statement(node):
            for both in node.orelse:
                if isinstance(both, ast.Return):  # as the other does
                    self._return(both)
            return
        self.branches([node.body, node.orelse], self.idioms.guards(node.test))

    def branches(self, bodies: Sequence[Sequence[ast.stmt]], guards: tuple[Env, ...] = ()) -> None:
        """Follow bodies of which one is taken; `guards` are what is known in each."""
        before, ends = self.env, list[Env]()
        for index, body in enumerate(bodies):
            self.env = {**before, **(guards[index] if index < len(guards) else {})}
            self.branch(body, ends)
        self.meet(ends)

    def branch(self, body: Sequence[ast.stmt], ends: list[Env]) -> None:
        """Follow one of several bodies; add what names hold at its end, if it comes there."""
        self.dead = False
        self.body(body)
        if not self.dead:
            ends.append(self.env)

    def meet(self, ends: list[Env]) -> None:
        """Go on where ways come together, if one does."""
        self.dead = not ends
        if ends:
            self.env = self.joined(ends)

    def _while(self, node: ast.While) -> None:
        ends: list[Env] = []
        over: list[Env] = []  # where the test was met

        def turn() -> None:
            self.eval(node.test)
            over.append(dict(self.env))
            self.body(node.body)

        turned, left = self._turns(node, turn)
        if turned:
            self.env = self.joined(turned)
            self.eval(node.test)
            over.append(self.env)
        self.env = self.joined(over)
        self.branch(node.orelse, ends)
        for_ever = isinstance(node.test, ast.Constant) and bool(node.test.value)
        self.meet(left if for_ever else [*ends, *left])

    def _for(self, node: ast.For | ast.AsyncFor) -> None:
        table = self.gone_through(node)
        over = self.eval(node.iter) if table is None else NOTHING
        item = self._item_of(over, node.target, node.iter)
        entry = self.idioms.entry_of(node.target, over, node.iter)
        before, ends = dict(self.env), list[Env]()

        def turn() -> None:
            if entry:
                self.idioms.bind_entry(node)
            elif table is not None:
                self.bind_row(*table)
            else:
                self.store(node.target, item)
            self.passes()
            self.body(node.body)

        turned, left = self._turns(node, turn)
        over_at = turned if entry else [before, *turned]  # a batch is never empty
        self.env = self.joined(over_at or [before])
        self.branch(node.orelse, ends)
        self.meet([*(ends if over_at else []), *left])

    _asyncfor = _for

    def _turns(self, node: ast.While | ast.For | ast.AsyncFor, turn: Callable[[], None]) -> tuple[list[Env], list[Env]]:
        """Follow the turns of a loop; return what names hold where a turn ends, and where the loop is left.

        What a turn leaves may come round again, and through another name in the turn after that: turns are followed
        until one leaves nothing new. A turn ends at its end and at each `continue`, and a loop is left at each `break`.
        """
        before = start = dict(self.env)
        for _ in range(_MOST_TURNS):
            loop = _Loop()
            self.loops.append(loop)
            self.env, self.dead = dict(start), False
            turn()
            self.loops.pop()
            turned = [*loop.turned, *([] if self.dead else [self.env])]
            again = self.joined([before, *turned])
            if not turned or not self._comes_round(node, start, again):
                return turned, loop.left
            start = again
        raise self.stop("too-entangled", node)

    def _comes_round(self, node: ast.While | ast.For | ast.AsyncFor, start: Env, again: Env) -> bool:
        """Tell whether what a loop's turn left may be read in the next, before it is bound again."""
        for name, bound in again.items():
            there = start.get(name)
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
        swallows = False
        for item in node.items:
            held = self.eval(item.context_expr)
            swallows = swallows or not self.flow.lets_through(self.module, item.context_expr)
            if item.optional_vars is not None:
                given = self.entered(item.context_expr, held)
                plain = MADE if self._is_the_events(held) else NOTHING
                self.store(item.optional_vars, given if given is not None else plain)
        ends: list[Env] = []
        self.ways.append([dict(self.env)])
        self.branch(node.body, ends)
        left = self.ways.pop()
        self.meet([*ends, *left] if swallows else ends)

    _asyncwith = _with

    def _try(self, node: ast.Try) -> None:
        if not node.finalbody:
            self._tried(node)
            return
        loop = self.loops[-1] if self.loops else _Loop()
        left, turned = len(loop.left), len(loop.turned)
        self.ways.append([dict(self.env)])
        self._tried(node)
        after, dead, ways = self.env, self.dead, self.ways.pop()
        self.env, self.dead = self.joined([*ways, after]), False  # it is reached from anywhere
        self.body(node.finalbody)
        # What leaves a loop, or its turn, comes through here.
        loop.left += [self.env] if len(loop.left) > left else []
        loop.turned += [self.env] if len(loop.turned) > turned else []
        if not (self.dead or dead):  # once more, as what comes behind is reached
            self.env = after
            self.body(node.finalbody)
        self.dead = self.dead or dead

    def _tried(self, node: ast.Try) -> None:
        """Follow all of a `try` but its `finally`."""
        ends: list[Env] = []
        self.ways.append([dict(self.env)])
        self.dead = False
        self.body(node.body)
        start = self.joined(self.ways.pop())  # a handler begins anywhere in the body
        if not self.dead:
            self.branch(node.orelse, ends)
        else:
            self.body(node.orelse)
        for handler in node.handlers:
            self.env = dict(start)
            caught = self.eval(handler.type) if handler.type is not None else NOTHING
            if handler.name:  # of the class that is caught, or of one below it
                self.env[handler.name] = Bound(Instance(caught.key) if isinstance(caught, Class) else NOTHING)
            self.branch(handler.body, ends)
            if handler.name:
                self.env.pop(handler.name, None)  # as Python does
        self.meet(ends)

    _trystar = _try

    def _match(self, node: ast.Match) -> None:
        part = MADE if self._gives_parts(self.eval(node.subject)) else NOTHING
        ends: list[Env] = []
        for case in node.cases:
            before = self.env
            self.env = dict(before)
            for inner in ast.walk(case.pattern):
                if isinstance(inner, ast.MatchClass):
                    self._asked_by_pattern(inner)
                name = getattr(inner, "name", None) or getattr(inner, "rest", None)
                if isinstance(name, str):
                    self.env[name] = Bound(part)
            if case.guard is not None:
                self.eval(case.guard)
            asked = dict(self.env)
            self.branch(case.body, ends)
            self.env = self.joined([before, asked])  # a pattern that does not match may have bound names
            if isinstance(case.pattern, ast.MatchAs) and case.pattern.pattern is None and case.guard is None:
                break  # it matches always, and is the last
        else:
            ends.append(self.env)
        self.meet(ends)

    def _asked_by_pattern(self, node: ast.MatchClass) -> None:
        """Note the attributes that a pattern asks for; by their places it asks for those that the class says."""
        named = list(node.kwd_attrs)
        if node.patterns and not (isinstance(node.cls, ast.Name) and node.cls.id in _ONE_BY_ITSELF):
            named.append("")
        for name in named:
            self.flow.asked_anywhere(name)
        for function in self.flow.functions.values():  # a property is called
            by_name = function.cls is not None and ("" in named or function.node.name in named)
            function.unseen = function.unseen or (by_name and is_property(function.node))


#: Classes that are their own one part in a pattern.
_ONE_BY_ITSELF = frozenset(
    ["bool", "bytearray", "bytes", "dict", "float", "frozenset", "int", "list", "set", "str", "tuple"]
)


def _bound_late(nodes: Nodes) -> frozenset[str]:
    """Return the names that a generator binds whenever it is asked, and those of which a function inside may see two.

    A function inside that is called twice may find another thing under a name which is bound more than once.
    """
    asked = nodes.each(ast.GeneratorExp)
    bound = {name.target.id for one in asked for name in walk(one) if isinstance(name, ast.NamedExpr)}
    inside = [one for one in nodes.each(ast.FunctionDef, ast.AsyncFunctionDef) if one is not nodes.root]
    if not inside:
        return frozenset(bound)
    within = [name for one in inside for name in walk(one) if isinstance(name, ast.Name)]
    own = {id(name) for name in within}
    stores = [one.id for one in nodes.names if isinstance(one.ctx, ast.Store) and id(one) not in own]
    return frozenset(bound | {name for name in {one.id for one in within} if stores.count(name) > 1})
