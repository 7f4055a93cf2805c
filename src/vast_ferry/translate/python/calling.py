"""Calls followed: what is called, what it is handed of the event, and what it gives."""

from __future__ import annotations

import ast
from collections.abc import Set

from vast_ferry.mapping.clients import Client
from vast_ferry.translate.operations import ServiceCall
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.data_classes import factory_of
from vast_ferry.translate.python.functions import ANYTHING, DATA, MADE, NOTHING, Function, may_take
from vast_ferry.translate.python.handing import Handing
from vast_ferry.translate.python.names_made import beginning, lowered
from vast_ferry.translate.python.objects_given import gives_an_object, gives_itself, yields_an_object
from vast_ferry.translate.python.tables import (
    begins_empty,
    is_called_or_tested,
    name_given,
    only_gone_through_or_tested,
    reads_in_its_loop,
)
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
    TAKING_APART,
)
from vast_ferry.translate.values import (
    Batch,
    Class,
    Foreign,
    Func,
    Handlers,
    Instance,
    Key,
    Of,
    OneOf,
    Parsed,
    Service,
    Std,
    Table,
    Value,
)

#: What calls no method of an object that it is handed, but those that have two underscores.
_ASK_NO_METHODS = frozenset(
    ["isinstance", "issubclass", "id", "type", "len", "print", "repr", "str", "hash", "bool", "callable", "format"]
    + ["hasattr", "iter", "next", "int", "float"]
)


#: What asks objects that it is handed for what they hold, or by methods whose names Python gives, but for no others,
#: where nothing is handed by a keyword.
_ASK_BY_PROTOCOL = frozenset(
    ["list", "tuple", "set", "frozenset", "sorted", "min", "max", "sum", "any", "all", "enumerate", "zip", "reversed"]
    + ["vars", "json.dumps", "copy.copy", "copy.deepcopy"]
    + [f"dataclasses.{name}" for name in ("asdict", "astuple", "fields", "is_dataclass")]
)


#: What puts what it is handed into a container of its own.
_GATHER = frozenset(["list", "tuple", "set", "frozenset", "dict", "sorted", "collections.deque"])


#: What calls nothing that it is handed, where nothing is handed by a keyword.
_CALL_NOTHING = (_ASK_NO_METHODS | _GATHER) | frozenset(
    ["json.dumps", "json.loads", "min", "max", "sum", "any", "all", "enumerate", "zip", "round", "range", "reversed"]
    + ["base64.b64decode", "base64.b64encode", "urllib.parse.parse_qs", "urllib.parse.parse_qsl", "copy.deepcopy"]
)


#: Methods of lists that look for what is equal to what they are given.
_FIND = frozenset(["index", "count", "remove"])


def _sort_of(function: Function) -> tuple[bool, bool]:
    """Return what functions share whose calls are written alike: whether they are coroutines or generators."""
    return isinstance(function.node, ast.AsyncFunctionDef), function.generates


class Calling(Handing):
    """What follows calls."""

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
            if function.attr in CHANGING_METHODS:
                self.flow.changes_in_place(self.function, base, node)
            if isinstance(base, (Spot, Parsed, Batch)):
                return self.idioms.method(node, function, base)
            if isinstance(base, Table):
                return self._asked_of_table(node, function, base)
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
        if isinstance(target, OneOf):
            return self._call_of_several(node, target)
        if isinstance(target, Handlers):
            return self._handing_on(node, target)
        if isinstance(target, Class):
            return self._new(node, target)
        if isinstance(target, Instance):
            found = self.methods_of(target, "__call__")
            self.nobody_sees(found)
            if len(found) == 1 and found[0] is not None:
                return self._project_call(node, Func(found[0].key, bound=True))
        if isinstance(target, Std):
            return self._standard_call(node, target.name.removeprefix("builtins."))
        return self._call_of_unknown(node)

    def _call_of_unknown(self, node: ast.Call) -> Value:
        """Return what a call gives of which we don't know what it calls."""
        self.flow.own_calls.discard(id(node))
        self.arguments(node, None)
        values = self.every
        self._asked_by_name(values)
        name = node.func.attr if isinstance(node.func, ast.Attribute) else ""
        if name in _FIND and values:
            self.compared_as_objects(node, values[0])
        self.flow.called_unseen.setdefault(name, set()).add(self.module.file)
        self._unseen(values, name)
        for method in self.flow.called_alike("__call__"):
            method.unseen = method.unseen or (self._may_meet(method) and may_take(method, node))
        if not (isinstance(node.func, ast.Attribute) and node.func.attr in PUTTING):
            self.flow.looked_into(values)
        return self._method_type(node)

    def _unseen(self, values: list[Value], name: str = "") -> None:
        """Note that something of the event's may be handed to a method, or to any function that is a value."""
        if any(
            isinstance(one, (Foreign, Instance)) or self._gives_parts(one) for one in values if not self._is_fixed(one)
        ):
            for one in {name} if name and self.flow.called_alike(name) else {name, ""}:
                self.flow.unseen.setdefault(one, set()).add(self.module.file)

    def _is_fixed(self, value: Value) -> bool:
        """Tell whether a value is a text or the like of the event's: once made, it is as any other that is equal."""
        return isinstance(value, Spot) and not self._is_the_events(value)

    def _new(self, node: ast.Call, target: Class) -> Value:
        """Return the object that a call of a class makes; what the author makes of it may give anything."""
        if self.flow.is_made_otherwise(target.key):
            self.arguments(node, None)
            self._asked_by_name([target, *self.every])
            self._unseen(self.every)
            return NOTHING
        init = self.flow.method(target.key, "__init__")
        if init is not None and self.flow.is_had_from_outside(target.key, "__init__"):
            init.unseen, init = True, None
        if init is not None:
            self._note_call(init, node)
        self.arguments(node, init)
        if init is None and any(map(self._gives_parts, self.every)):
            self.flow.keep_attribute(target.key, "", ANYTHING)  # whatever its fields are
        return Instance(target.key)

    def _standard_call(self, node: ast.Call, name: str) -> Value:
        """Return what a call gives of something outside the project."""
        if name == "functools.partial" and node.args:
            return self._partial(node)
        found = self._one_of_its_methods(node) if name == "getattr" else None
        found = self._made_by_field(node) if name == "dataclasses.field" else found
        if found is not None:
            return found
        if name in ("asyncio.run", "asyncio.Runner") and self.flow.target.model.handler.asynchronous:
            raise self.stop("runs-a-loop", node, name)
        if name in ("setattr", "delattr") and node.args:
            self.flow.patched_by_call(node, self.module)
        values = self.arguments(node, None)
        self._attributes_by_call(node, name, self.every)
        self._given_to_others(node, name, values, self.every)
        known = self.idioms.standard(node, name, values)
        if known is not None:
            return known
        if name in HANDING_ON and any(self._gives_parts(value) for value in values):
            return MADE
        if name in _GATHER and any(self._gives_parts(value) for value in values):
            return Of(STD_TYPES.get(name, ""), holds=True)
        if name in LIKE_ARGUMENT:
            given = node.args[LIKE_ARGUMENT[name] : LIKE_ARGUMENT[name] + 1]
            return Of(self._type_of(given[0])) if given else NOTHING
        if name in ("json.loads", "json.load") and not node.keywords:
            return DATA
        return Of(name if name in self.flow.reply_classes else STD_TYPES.get(name, ""))

    def _made_by_field(self, node: ast.Call) -> Value | None:
        """Return the object that a field of a data class has where none is given; nobody seen sets it up."""
        factory = factory_of(node) if len(node.keywords) == 1 else None
        made = self.flow.named(self.module, factory) if factory is not None else None
        if not isinstance(made, Class):
            return None
        init = self.flow.method(made.key, "__init__")
        if init is not None:
            init.unseen = True
        return Instance(made.key)

    def _given_to_others(self, node: ast.Call, name: str, values: list[Value], every: list[Value]) -> None:
        """Note what something outside the project is handed, and may hand on; refuse what changes it."""
        if name not in _ASK_NO_METHODS and (node.keywords or name not in _ASK_BY_PROTOCOL):
            self._asked_by_name(every)
        if name not in _CALL_NOTHING or node.keywords:
            self.flow.called_unseen.setdefault("", set()).add(self.module.file)
            self._unseen(every)
        if name in CHANGING and any(self._is_the_events(value) for value in values):
            raise self.stop("event-changed", node)

    def _type_of(self, node: ast.expr) -> str:
        value = self.flow.values.get(id(node))
        value = self.made(value) if isinstance(value, Spot) else value
        return value.type if isinstance(value, Of) and value.type in ("str", "bytes") else ""

    def _method_type(self, node: ast.Call) -> Value:
        if not isinstance(node.func, ast.Attribute):
            return NOTHING
        name = node.func.attr
        base = self.flow.values.get(id(node.func.value))
        if name in SAME_TYPE:
            return base if isinstance(base, Of) else NOTHING
        if name in TAKING_APART and isinstance(base, Of) and (base.built_in or not self.flow.may_be_asked(node.func)):
            return Of(TAKING_APART[name])
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
        return Of("bytes") if client.result.rows[0].lens.gives == "bytes" else DATA

    def _project_call(self, node: ast.Call, target: Func) -> Value:
        called = self.flow.functions[target.key]
        self.flow.own_calls.add(id(node))
        self._note_call(called, node)  # first: what is handed on may make this caller be followed again
        self.arguments(node, called)
        returned = gives_an_object(self.flow, called) or called.returned
        return returned if isinstance(returned, (Of, Instance)) else NOTHING

    def _asked_of_table(self, node: ast.Call, method: ast.Attribute, table: Table) -> Value:
        """Return what a table of functions gives for a word."""
        if method.attr != "get":
            self.arguments(node)
            return NOTHING
        keys = table.keys
        for index, argument in enumerate(node.args):
            other = self.in_a_table(argument) if index else None
            if index and table.lists and begins_empty(argument):
                continue
            if isinstance(other, Func) and other.bound == table.bound and not table.lists:
                keys = tuple(dict.fromkeys((*keys, other.key)))
            elif index and not isinstance(argument, ast.Constant):
                self.eval(argument)
                return self.any_of(keys)
            else:
                self.eval(argument)
        return self.one_of(node, keys, table)

    def _one_of_its_methods(self, node: ast.Call) -> Value | None:
        """Return what an object of the project's has under a name of which the beginning is known, or all is.

        `getattr(self, f"on_{verb}", None)`, `getattr(self, request.method.lower())`. Nothing comes back, and nothing is
        followed, where that may be anything.
        """
        base = self.what_it_names(node.args[0]) if len(node.args) in (2, 3) and not node.keywords else NOTHING
        otherwise = node.args[2] if len(node.args) == 3 else None
        usual = otherwise is None or (isinstance(otherwise, ast.Constant) and otherwise.value is None)
        if not isinstance(base, Instance) or not usual:
            return None
        begins, ends = beginning(node.args[1]), self._methods_asked_by(node.args[1])
        keys = self.flow.methods_like(base.key, begins, ends) if begins or ends else ()
        if not keys:
            return None
        for argument in node.args[1:]:
            self.eval(argument)
        return self.one_of(node, keys, Table(keys, bound=True))

    def _methods_asked_by(self, node: ast.expr) -> Set[str] | None:
        """Return the HTTP methods, in lower case, of which a text is one; nothing where it may be another text."""
        made = lowered(self.function, node)
        value = self.eval(made) if made is not None else NOTHING
        row = self.flow.shape(value).row(value.role, value.steps) if isinstance(value, Spot) else None
        return self.flow.http_methods if row is not None and row.field == "method" and row.lens.plain else None

    def entered(self, node: ast.expr, held: Value) -> Instance | None:
        """Return the object of the project's that `with` gives a name: itself, or what a function yields once."""
        if isinstance(held, Instance):
            found = [one for name in ("__enter__", "__aenter__") for one in self.methods_of(held, name)]
            self.nobody_sees(found)
            return gives_itself(self.flow, found[0]) if len(found) == 1 and found[0] is not None else None
        target = self.what_it_names(node.func) if isinstance(node, ast.Call) else NOTHING
        function = self.flow.functions[target.key] if isinstance(target, Func) else None
        return yields_an_object(self.flow, function) if function is not None else None

    def one_of(self, node: ast.expr, keys: tuple[Key, ...], table: Table) -> Value:
        """Return what a table gives for a word, where what is done with it is seen; else anyone may call any of them.

        That is one of some functions, or a list of them.
        """
        name = name_given(node, self.module.nodes.parents)
        if table.lists:
            return self._list_for(name, keys, bound=table.bound)
        if not is_called_or_tested(node, self.module.nodes.parents) or (name and not self.only_calls(name)):
            return self.any_of(keys)
        return OneOf(keys, table.bound)

    def _list_for(self, name: str, keys: tuple[Key, ...], *, bound: bool) -> Value:
        """Return the list of functions that a table gives for a word: as it is only asked, that is gone through."""
        return self.list_given(name, keys, bound=bound) if name else Table(keys, 0, 1, bound)

    def list_given(self, name: str, keys: tuple[Key, ...], *, bound: bool, target: ast.Name | None = None) -> Value:
        """Return the list of functions that a name is given, where that is only gone through, or tested."""
        reads = self._reads(name, target)
        known = reads is not None and only_gone_through_or_tested(reads, self.module.nodes.parents)
        return Table(keys, 0, 1, bound) if known else self.any_of(keys)

    def _reads(self, name: str, target: ast.Name | None) -> list[ast.Name] | None:
        """Return what reads a name that is given something once, or in its loop; nothing where it may be more."""
        if self.function is None or name in self._shared():
            return None
        uses = self.function.nodes.uses(name)
        reads = [use for use in uses if isinstance(use.ctx, ast.Load)]
        if len(uses) - len(reads) == 1:
            return reads
        return reads_in_its_loop(target, uses, self.module.nodes.parents) if target is not None else None

    def only_calls(self, name: str, target: ast.Name | None = None) -> bool:
        """Tell whether what a name holds is only called and tested, and never something else."""
        reads, parents = self._reads(name, target), self.module.nodes.parents
        return reads is not None and all(
            is_called_or_tested(use, parents) and not name_given(use, parents) for use in reads
        )

    def any_of(self, keys: tuple[Key, ...]) -> Value:
        """Note that any of some functions may be called by who can't be seen."""
        self.flow.refer(OneOf(keys))
        return NOTHING

    def _call_of_several(self, node: ast.Call, target: OneOf) -> Value:
        """Follow the call of one of several functions: each may get what is handed over."""
        called = [self.flow.functions[key] for key in target.keys]
        unbound = any(one.cls for one in called) and not target.bound
        if len({_sort_of(one) for one in called}) > 1 or unbound or any(one.entry for one in called):
            self.any_of(target.keys)
            return self._call_of_unknown(node)
        self.flow.either[id(node)] = target.keys
        for one in called:
            self._note_call(one, node)
        self.arguments(node, *called)
        returned = {gives_an_object(self.flow, one) or one.returned for one in called}
        value = returned.pop() if len(returned) == 1 else None
        if isinstance(value, (Of, Instance)):
            return value
        parts = [one.returned for one in called if isinstance(one.returned, Of)]
        return Of(made=any(one.made for one in parts), holds=any(one.holds for one in parts))

    def _handing_on(self, node: ast.Call, target: Handlers) -> Value:
        """Follow a decorator's call of the handler that it stands before: it gets just what the decorator got."""
        behind = [self.flow.functions[key] for key in target.keys]
        leading = self.function.leading if self.function is not None else None
        values = list[tuple[ast.expr, Value]]()
        for index, argument in enumerate(node.args):
            value = self.eval(argument.value if isinstance(argument, ast.Starred) else argument)
            if leading is not None and index >= leading:
                values.append((argument, value))
            elif isinstance(value, Foreign):
                self.consume(argument)
        named = {one.arg: (one.value, self.eval(one.value)) for one in node.keywords}
        hidden = any(isinstance(argument, ast.Starred) for argument, _ in values)
        for one in behind:
            self._note_call(one, node)
            by_place = dict(zip(one.given_more, values, strict=False)) if not hidden else {}
            for name in one.given_more:
                argument, value = named.get(name) or by_place.get(name) or (node, ANYTHING)
                handed = self._handed(argument, value, plain=True)
                self.flow.pass_(one, name, ANYTHING if isinstance(value, (Spot, Batch)) else handed)
        return NOTHING

    def _note_call(self, called: Function, node: ast.Call) -> None:
        if not any(one is node for _, one in called.calls):
            called.calls.append((self.function, node))
            if called.key not in self.flow.followed:
                self.flow.waiting[called.key] = None
        if self.function is not None:
            self.function.callees[called.key] = None

    def _partial(self, node: ast.Call) -> Value:
        target = self.eval(node.args[0])
        called = self.flow.functions.get(target.key) if isinstance(target, Func) else None
        if called is not None:
            called.unseen = True
        # Who calls what it gives can't be seen, and hands things on as they were: so does it.
        self.arguments(ast.Call(node.args[0], node.args[1:], node.keywords), None)
        return NOTHING
