"""Expressions followed, sort by sort: what each gives, and what is done in it with places."""

from __future__ import annotations

import ast
import builtins
from collections.abc import Mapping

from vast_ferry.mapping.by_hand import How
from vast_ferry.mapping.clients import Client
from vast_ferry.translate.operations import ServiceCall
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.batches import only_goes_through
from vast_ferry.translate.python.following import METHODS
from vast_ferry.translate.python.functions import ANYTHING, MADE, NOTHING, Function
from vast_ferry.translate.python.nodes import in_generator, walk
from vast_ferry.translate.python.objects import Objects
from vast_ferry.translate.python.types import (
    CHANGING,
    CHANGING_METHODS,
    FIXED,
    HANDING_ON,
    LIKE_ARGUMENT,
    METHOD_TYPES,
    PUTTING,
    SAME_TYPE,
    STD_TYPES,
    type_of_constant,
)
from vast_ferry.translate.values import (
    Batch,
    Bound,
    Clash,
    Class,
    Env,
    Foreign,
    Func,
    Handlers,
    Instance,
    Of,
    Own,
    Parsed,
    Service,
    Std,
    Value,
)

_TYPED: dict[type, Of] = {kind: Of(kind.__name__) for kind in (str, bytes, int, float, bool, type(None), complex)}
#: Names by which code may reach names that we don't see.
_HIDDEN = frozenset(["exec", "eval", "globals", "locals", "vars", "__import__"])


#: What calls no method of an object that it is handed, but those that have two underscores.
_ASK_NO_METHODS = frozenset(
    ["isinstance", "issubclass", "id", "type", "len", "print", "repr", "str", "hash", "bool", "callable", "format"]
    + ["hasattr", "iter", "next", "int", "float"]
)


#: What puts what it is handed into a container of its own.
_GATHER = frozenset(["list", "tuple", "set", "frozenset", "dict", "sorted", "collections.deque"])


#: What calls nothing that it is handed, where nothing is handed by a keyword.
_CALL_NOTHING = (_ASK_NO_METHODS | _GATHER) | frozenset(
    ["json.dumps", "json.loads", "min", "max", "sum", "any", "all", "enumerate", "zip", "round", "range", "reversed"]
    + ["base64.b64decode", "base64.b64encode", "urllib.parse.parse_qs", "urllib.parse.parse_qsl", "copy.deepcopy"]
)


class Expressions(Objects):
    """What follows expressions."""

    every: list[Value]  # what the call that was followed last was handed, by places and keywords

    def lookup(self, name: str) -> Value:
        """Return what a name holds, without noting that it is read."""
        if name in self.env:
            return self.env[name].value
        return self.module.names.get(name, NOTHING)

    def read(self, node: ast.Name) -> Value:
        """Return what a name holds where it is read."""
        bound = self.env.get(node.id)
        if bound is None:
            self._not_bound(node)
            return self._of_the_module(node)
        value = bound.value
        if isinstance(value, Clash):
            if self.function is None or value.held:
                raise self.stop("rebound", node)
            self._keep(value.origins)
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
            if isinstance(value, Batch) and only_goes_through(node, function.nodes.parents):
                self.flow.formed.add(id(node))
                self.mark(node)
        return value

    def _keep(self, origins: frozenset[int]) -> None:
        """Let assignments stay, in this function or in one around it, which is followed anew then."""
        function = self.function
        while function is not None and origins:
            own = {one for one in origins if one in function.uses}
            if function is not self.function and not own <= function.keep:
                self.flow.waiting[function.key] = None
            function.keep |= own if function is not self.function else origins
            function = function.outer

    def _not_bound(self, node: ast.Name) -> None:
        """Keep all assignments to a name of the function's that is read where none may have been made."""
        if self.function is not None and node.id not in self._shared():
            stores = [use for use in self.function.nodes.uses(node.id) if isinstance(use.ctx, ast.Store)]
            self.function.keep.update(map(id, stores))

    def _looks_at_names(self, node: ast.Name) -> None:
        """Note code that may use any name around it; refuse it where one of them holds something of the event's."""
        if node.id == "__import__":
            self.flow.refer_all()
        said = _said_in_code(self.module.nodes.parents.get(id(node)))
        for name, value in self.module.names.items():
            if said is None or name in said:
                self.flow.refer(value)
        if self.function is not None and self._sees_foreign():
            raise self.stop("hidden-names", node)

    def _of_one(self, node: ast.Name) -> bool:
        """Tell whether `vars` is asked of one object, and so not of the names around it."""
        call = self.module.nodes.parents.get(id(node))
        return node.id == "vars" and isinstance(call, ast.Call) and call.func is node and len(call.args) == 1

    def _of_the_module(self, node: ast.Name) -> Value:
        """Return what a name is that the function does not bind."""
        value = self.module.names.get(node.id)
        if isinstance(value, Class):
            self._is_plain_class(value, node)
        if isinstance(value, Instance) and self.flow.is_made_otherwise(value.key):
            return NOTHING
        if value is not None:
            return self.flow.service(value)
        if node.id in self.module.nodes.top_names and not self.flow.only_holds_others(self.module, node.id):
            return NOTHING  # an object of any class
        if node.id in _HIDDEN and not self._of_one(node):
            self._looks_at_names(node)
        return Std(f"builtins.{node.id}")

    def _sees_foreign(self) -> bool:
        return any(isinstance(bound.value, (Foreign, Clash)) for bound in self.env.values())

    # --- expressions ---

    def eval(self, node: ast.expr) -> Value:
        """Follow an expression and return what it is to us."""
        method = getattr(self, METHODS[node.__class__], None)
        value: Value = method(node) if method is not None else self._children(node)
        if value is NOTHING:
            return value
        if value.__class__ is Of:
            if value.type or value.made or value.holds:
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

    def _display(self, node: ast.List | ast.Tuple | ast.Set | ast.Dict, *parts: ast.expr | None) -> Value:
        values = [self.eval(part) for part in parts if part is not None]
        return Of(type_of_constant(node), holds=any(self._gives_parts(value) for value in values))

    def _list_(self, node: ast.List) -> Value:
        return self._display(node, *node.elts)

    def _tuple_(self, node: ast.Tuple) -> Value:
        return self._display(node, *node.elts)

    def _set_(self, node: ast.Set) -> Value:
        return self._display(node, *node.elts)

    def _dict_(self, node: ast.Dict) -> Value:
        return self._display(node, *(one for pair in zip(node.keys, node.values, strict=True) for one in pair))

    def _starred_(self, node: ast.Starred) -> Value:
        return Of(holds=True) if self._gives_parts(self.eval(node.value)) else NOTHING

    def _constant_(self, node: ast.Constant) -> Value:
        return _TYPED.get(node.value.__class__, NOTHING)

    def _name_(self, node: ast.Name) -> Value:
        value = self.read(node)
        self._handed_on(node, value)
        return value

    def _attribute_(self, node: ast.Attribute) -> Value:
        value = self.attribute(node, self.eval(node.value))
        self._handed_on(node, value)
        return value

    def _handed_on(self, node: ast.Name | ast.Attribute, value: Value) -> None:
        """Note that a function, a class or a module of the project is a value: who calls what it has is not seen."""
        if isinstance(value, (Func, Class, Own)):
            own: ast.expr = node
            above = self.module.nodes.parents.get(id(own))
            if isinstance(above, ast.Tuple):
                own, above = above, self.module.nodes.parents.get(id(above))
            if not _only_named(own, above):
                self.flow.refer(value)

    def _subscript_(self, node: ast.Subscript) -> Value:
        base = self.eval(node.value)
        self.eval(node.slice)
        if isinstance(base, Std) and base.name == "sys.modules":
            self.flow.refer_all()
            raise self.stop("hidden-names", node)
        if id(node.value) in self.flow.ops and self.idioms.first_of(node):
            return Of("str")
        if isinstance(base, Batch):
            return self.idioms.one_of_batch(node, base)
        if isinstance(base, (Spot, Parsed)):
            made = self.flow.made(base)
            if isinstance(node.slice, ast.Slice) and isinstance(made, Of) and made.type in ("str", "bytes"):
                return made
            found = self.idioms.item(node, base)
            texts = isinstance(made, Of) and made.type == "dict"  # a mapping of texts
            return Of("str") if texts and found == NOTHING else found
        if isinstance(base, Of) and (base.made or base.holds):
            return Of(made=base.made or not isinstance(node.slice, ast.Slice), holds=base.holds)
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
        self.named += 1
        self.passes()
        return made

    def _met(self, named: int, before: Env, ends: list[Env]) -> None:
        """Go on behind parts of an expression of which not all are done; names hold what they did if none was bound."""
        self.env = before if self.named == named else self.joined(ends)

    def _ifexp_(self, node: ast.IfExp) -> Value:
        test = self.eval(node.test)
        found = self.idioms.unpacked(node, test)
        if found is not None:
            return found
        before, (there, absent), named = self.env, self.idioms.guards(node.test), self.named
        self.env = {**before, **there}
        one = self.eval(node.body)
        end, self.env = self.env, {**before, **absent}
        other = self.eval(node.orelse)
        self._met(named, before, [end, self.env])
        if one == other and isinstance(one, (Of, Instance)):
            return one
        if self._is_the_events(one) or self._is_the_events(other):
            return MADE
        return Of(holds=True) if self._gives_parts(one) or self._gives_parts(other) else NOTHING

    def _boolop_(self, node: ast.BoolOp) -> Value:
        before, values, ends, named = self.env, [], list[Env](), self.named
        self.env = dict(before)
        for part in node.values:
            values.append(self.eval(part))
            ends.append(self.env)
            there, absent = self.idioms.guards(part)
            self.env = {**self.env, **(there if isinstance(node.op, ast.And) else absent)}
        self._met(named, before, ends)
        kinds = {value.type if isinstance(value, Of) else "" for value in values}
        made = any(self._is_the_events(value) for value in values)
        holds = any(self._gives_parts(value) for value in values)
        return Of(kinds.pop(), made, holds) if len(kinds) == 1 else Of(made=made, holds=holds)

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
        values, named, ends = [self.eval(node.left)], self.named, list[Env]()
        for part in node.comparators:  # the first is compared, and the next only if it holds
            values.append(self.eval(part))
            ends += [dict(self.env)] if len(node.comparators) > 1 else []
        if len(ends) > 1:
            self._met(named, self.env, ends)
        if any(isinstance(one, (ast.Is, ast.IsNot)) for one in node.ops):
            # What is read of the event may be made anew each time, a text as well.
            theirs = any(isinstance(value, (Foreign, Spot)) or self._is_the_events(value) for value in values)
            alone = len(values) == 2 and not isinstance(values[1], Spot) and _is_one_of_a_kind(node.comparators[0])
            if theirs and not alone:
                raise self.stop("identity", node)
        if len(values) == 2:
            self.idioms.compared(node, values[0], values[1])
        return Of("bool")

    def _await_(self, node: ast.Await) -> Value:
        value = self.eval(node.value)
        theirs = isinstance(value, Spot) or id(node.value) in self.flow.ops
        if theirs and self.function is not None and in_generator(node, self.function.nodes.parents):
            raise self.stop("awaits-inside", node)  # what awaits makes a generator another thing
        if theirs:
            self.consume(node.value)
        return value

    def _lambda_(self, node: ast.Lambda) -> Value:
        self._read_later(node)
        before = dict(self.env)
        for default in (*node.args.defaults, *(d for d in node.args.kw_defaults if d)):
            self.eval(default)
        for argument in ast.walk(node.args):
            if isinstance(argument, ast.arg):  # whoever calls it may hand it a part of the event
                self.env[argument.arg] = Bound(NOTHING if self.flow.is_whole_in(self.module.file) else MADE)
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
            bound = sum(isinstance(use.ctx, (ast.Store, ast.Del)) for use in function.nodes.uses(name))
            if bound + (name in function.parameters) > 1:
                raise self.stop("rebound", node)

    def _comprehension(
        self, node: ast.ListComp | ast.SetComp | ast.GeneratorExp | ast.DictComp, *parts: ast.expr
    ) -> Value:
        before, named = dict(self.env), self.named
        values = self._turn_of(node, parts)
        if self.named != named:  # what is bound inside is bound for the function, and for the next turn
            bound = {inner.target.id for inner in walk(node) if isinstance(inner, ast.NamedExpr)}

            def left() -> Env:
                return self.joined([before, {**before, **{n: self.env[n] for n in bound if n in self.env}}])

            self.env = left()
            values = self._turn_of(node, parts)
            self.env = left()
        else:
            self.env = before
        return Of(type_of_constant(node), holds=any(self._gives_parts(value) for value in values))

    def _turn_of(
        self, node: ast.ListComp | ast.SetComp | ast.GeneratorExp | ast.DictComp, parts: tuple[ast.expr, ...]
    ) -> list[Value]:
        """Follow one turn of a comprehension."""
        for generator in node.generators:
            over = self.eval(generator.iter)
            if self.idioms.entry_of(generator.target, over, generator.iter):
                self.idioms.bind_entry(generator)
            else:
                self.store(generator.target, self._item_of(over, generator.target))
            for test in generator.ifs:
                self.eval(test)
        return [self.eval(part) for part in parts]

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
            changes = function.attr in CHANGING_METHODS and self._is_the_events(base)
            if changes and self.idioms.service(base, function.attr) is None:
                raise self.stop("event-changed", node)
            if isinstance(base, (Spot, Parsed, Batch)):
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
        if isinstance(target, Handlers):
            return self._handing_on(node, target)
        if isinstance(target, Class):
            return self._new(node, target)
        if isinstance(target, Instance):
            found = self._methods(target, "__call__")
            if len(found) == 1 and found[0] is not None:
                return self._project_call(node, Func(found[0].key, bound=True))
        if isinstance(target, Std):
            return self._standard_call(node, target.name.removeprefix("builtins."))
        return self._call_of_unknown(node)

    def _call_of_unknown(self, node: ast.Call) -> Value:
        """Return what a call gives of which we don't know what it calls."""
        self.arguments(node, None)
        values = self.every
        self._asked_by_name(values)
        self._unseen(values, node.func.attr if isinstance(node.func, ast.Attribute) else "")
        for method in self.flow.called_alike("__call__"):
            method.referred = True
        if not (isinstance(node.func, ast.Attribute) and node.func.attr in PUTTING):
            self.flow.looked_into(values)
        return self._method_type(node)

    def _unseen(self, values: list[Value], name: str = "") -> None:
        """Note that something of the event's may be handed to a method, or to any function that is a value."""
        if any(isinstance(one, (Foreign, Instance)) or self._gives_parts(one) for one in values):
            for one in {name} if name and self.flow.called_alike(name) else {name, ""}:
                self.flow.unseen.setdefault(one, set()).add(self.module.file)

    def _new(self, node: ast.Call, target: Class) -> Value:
        """Return the object that a call of a class makes; what the author makes of it may give anything."""
        if self.flow.is_made_otherwise(target.key):
            self.arguments(node, None)
            self._asked_by_name([target, *self.every])
            self._unseen(self.every)
            return NOTHING
        init = self.flow.method(target.key, "__init__")
        if init is not None:
            self._note_call(init, node)
        self.arguments(node, init)
        return Instance(target.key)

    def _standard_call(self, node: ast.Call, name: str) -> Value:
        """Return what a call gives of something outside the project."""
        if name == "functools.partial" and node.args:
            return self._partial(node)
        if name in ("asyncio.run", "asyncio.Runner") and self.flow.target.model.handler.asynchronous:
            raise self.stop("runs-a-loop", node, name)
        if name in ("setattr", "delattr") and node.args:
            self.flow.patched_by_call(node, self.module)
        values = self.arguments(node, None)
        self._attributes_by_call(node, name, self.every)
        self._given_to_others(node, name, values, self.every)
        found = self.idioms.standard(node, name, values)
        if found is not None:
            return found
        if name in HANDING_ON and any(self._gives_parts(value) for value in values):
            return MADE
        if name in _GATHER and any(self._gives_parts(value) for value in values):
            return Of(STD_TYPES.get(name, ""), holds=True)
        if name in LIKE_ARGUMENT:
            given = node.args[LIKE_ARGUMENT[name] : LIKE_ARGUMENT[name] + 1]
            return Of(self._type_of(given[0])) if given else NOTHING
        return Of(name if name in self.flow.reply_classes else STD_TYPES.get(name, ""))

    def _given_to_others(self, node: ast.Call, name: str, values: list[Value], every: list[Value]) -> None:
        """Note what something outside the project is handed, and may hand on; refuse what changes it."""
        if name not in _ASK_NO_METHODS:
            self._asked_by_name(every)
        if name not in _CALL_NOTHING or node.keywords:
            self._unseen(every)
        if name in CHANGING and any(self._is_the_events(value) for value in values):
            raise self.stop("event-changed", node)

    def _type_of(self, node: ast.expr) -> str:
        value = self.flow.values.get(id(node))
        value = self.flow.made(value) if isinstance(value, Spot) else value
        return value.type if isinstance(value, Of) and value.type in ("str", "bytes") else ""

    def _method_type(self, node: ast.Call) -> Value:
        if not isinstance(node.func, ast.Attribute):
            return NOTHING
        name = node.func.attr
        base = self.flow.values.get(id(node.func.value))
        if name in SAME_TYPE:
            return base if isinstance(base, Of) else NOTHING
        if isinstance(base, Of) and base.holds:
            return MADE
        kind = METHOD_TYPES.get(name, "")
        return Of(kind, made=isinstance(base, Of) and base.made and kind not in FIXED)

    def service(self, node: ast.Call, client: Client) -> Value:
        self.arguments(node, None)
        if any(isinstance(one, ast.Starred) for one in node.args) or any(one.arg is None for one in node.keywords):
            if not self.flow.keeps_client(client.called):
                raise self.stop("arguments-hidden", node)
            return NOTHING
        self.note(node, ServiceCall(client, node), node.func)
        if client.result is None:
            return Of("NoneType")
        return Of("bytes" if client.result.rows[0].lens.gives == "bytes" else "")

    def _project_call(self, node: ast.Call, target: Func) -> Value:
        called = self.flow.functions[target.key]
        self._note_call(called, node)  # first: what is handed on may make this caller be followed again
        self.arguments(node, called)
        returned = called.returned
        return returned if isinstance(returned, (Of, Instance)) else NOTHING

    def _handing_on(self, node: ast.Call, target: Handlers) -> Value:
        """Follow a decorator's call of the handler that it stands before: it gets just what the decorator got."""
        behind = [self.flow.functions[key] for key in target.keys]
        more = max((len(one.given_more) for one in behind), default=0) - len(node.keywords)
        values = list[tuple[ast.expr, Value]]()
        for index, argument in enumerate(node.args):
            value = self.eval(argument.value if isinstance(argument, ast.Starred) else argument)
            if index >= len(node.args) - more:
                values.append((argument, value))
            elif isinstance(value, Foreign):
                self.consume(argument)
        named = [(one.arg, one.value, self.eval(one.value)) for one in node.keywords if one.arg is not None]
        for one in behind:
            self._note_call(one, node)
            own = zip(one.given_more, values, strict=False)
            for name, argument, value in [*((name, *pair) for name, pair in own), *named]:
                handed = self._handed(argument, value, plain=True)
                self.flow.pass_(one, name, ANYTHING if isinstance(value, (Spot, Batch)) else handed)
        return NOTHING

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
        # Who calls what it gives can't be seen, and hands things on as they were: so does it.
        self.arguments(ast.Call(node.args[0], node.args[1:], node.keywords), None)
        return NOTHING

    def arguments(self, node: ast.Call, called: Function | None = None) -> list[Value]:
        """Follow the arguments of a call; what a function of the project gets of the event is passed on to it.

        Returned are those that are given by their places; `every` has those that are given by keywords as well.
        """
        values: list[Value] = []
        by_keyword: list[Value] = []
        parameters = called.parameters if called is not None else []
        starred = any(isinstance(one, ast.Starred) for one in node.args)
        given: dict[str, Value] = {}
        for index, argument in enumerate(node.args):
            value = self.eval(argument)
            values.append(value)
            if called is not None and not starred and index < len(parameters):
                given[parameters[index]] = self._handed(argument, value, parameters[index] in called.plain)
        names = {a.arg for a in (*called.node.args.args, *called.node.args.kwonlyargs)} if called else set()
        for keyword in node.keywords:
            value = self.eval(keyword.value)
            by_keyword.append(value)
            if called is not None and keyword.arg in names:
                given[keyword.arg] = self._handed(keyword.value, value, keyword.arg in called.plain)
        if called is not None:
            if starred or any(keyword.arg is None for keyword in node.keywords):  # what goes where can't be told
                given = {**dict.fromkeys([*parameters, *names], NOTHING), **given}
            else:
                given = {**_defaults(called.node.args, given), **given}
            for name, value in given.items():
                self.flow.pass_(called, name, value)
        self.every = [*values, *by_keyword]
        return values

    def _handed(self, argument: ast.expr, value: Value, plain: bool) -> Value:
        """Return what a function is handed: the event, its context or one entry go as what stands for them.

        A `plain` parameter gets them made as they were.
        """
        if isinstance(value, Spot) and self.flow.spot_is_inner(value) and not plain:
            self.consume(argument)
            return Spot(value.kind, value.role, value.steps)
        if isinstance(value, Batch) and not plain:
            self.flow.formed.add(id(argument))
            self.mark(argument)
            return Batch(value.kind, "")
        if isinstance(value, Foreign):
            return self.flow.made(value)
        return value if isinstance(value, (Of, Instance, Func, Class)) else NOTHING


def _said_in_code(call: ast.AST | None) -> set[str] | None:
    """Return the names in the code that `exec` or `eval` is given as a text; nothing where that is made, or imports."""
    code = call.args[0] if isinstance(call, ast.Call) and call.args else None
    if not isinstance(code, ast.Constant) or not isinstance(code.value, str):
        return None
    try:
        nodes = walk(ast.parse(code.value))
    except (SyntaxError, ValueError):
        return set()
    if any(isinstance(one, (ast.Import, ast.ImportFrom)) for one in nodes):
        return None
    return {one.id for one in nodes if isinstance(one, ast.Name)}


def _only_named(node: ast.expr, above: ast.AST | None) -> bool:
    """Tell whether what a name stands for is only asked for a part of it, or what it is, and handed on to nobody."""
    if isinstance(above, ast.Call):
        return getattr(above.func, "id", "") in ("isinstance", "issubclass") and node in above.args[1:]
    if isinstance(above, ast.Attribute):
        return above.value is node
    return isinstance(above, (ast.ExceptHandler, ast.Raise, ast.MatchClass, ast.AnnAssign, ast.arg))


def _is_one_of_a_kind(node: ast.expr) -> bool:
    """Tell whether an expression names an object that is no part of an event: None, a class, a constant by its name."""
    name = node.attr if isinstance(node, ast.Attribute) else node.id if isinstance(node, ast.Name) else ""
    return isinstance(node, ast.Constant) or (bool(name) and (name.isupper() or name in dir(builtins)))


def _defaults(arguments: ast.arguments, given: Mapping[str, Value]) -> dict[str, Value]:
    """Return what the parameters get that a call does not give."""
    every = [*arguments.posonlyargs, *arguments.args]
    pairs = [*zip(every[len(every) - len(arguments.defaults) :], arguments.defaults, strict=True)]
    pairs += [
        (one, default) for one, default in zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True) if default
    ]
    return {one.arg: Of(type_of_constant(default)) for one, default in pairs if one.arg not in given}
