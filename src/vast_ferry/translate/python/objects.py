"""Attributes followed: what objects, classes and modules give under a name, and who looks at those names unseen."""

from __future__ import annotations

import ast

from vast_ferry.mapping.by_hand import How
from vast_ferry.mapping.places import Attr
from vast_ferry.translate.operations import LookUp, Pairs
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.data_classes import is_data_class
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.following import Following
from vast_ferry.translate.python.functions import MADE, NOTHING, PAIR, Function, Module, is_property, may_take
from vast_ferry.translate.python.idioms import Idioms
from vast_ferry.translate.python.module_values import loaded_by
from vast_ferry.translate.python.nodes import is_path, last_name
from vast_ferry.translate.python.objects_given import gives_an_object
from vast_ferry.translate.python.types import CHANGING_METHODS
from vast_ferry.translate.values import (
    Batch,
    Clash,
    Class,
    Foreign,
    Func,
    Handlers,
    Instance,
    Key,
    Of,
    OneOf,
    Own,
    Parsed,
    Std,
    Value,
)

#: Attributes by which it may reach those of whoever called it.
_FRAMES = frozenset(["f_locals", "f_globals", "getargvalues", "getcallargs"])
#: Attributes that show an object's attributes, or a function's parameters.
_LOOK_BEHIND = _FRAMES | {"__dict__", "__code__", "__defaults__", "__kwdefaults__", "__closure__"}

#: Modules of the standard library that hand objects on, and don't look at their attributes.
_LOOK_INTO_NOTHING = frozenset(
    ["asyncio", "collections", "contextlib", "functools", "itertools", "logging", "threading", "time", "weakref"]
)


class Objects(Following):
    """What follows attributes."""

    def __init__(self, flow: Flow, module: Module, function: Function | None) -> None:
        super().__init__(flow, module, function)
        self.idioms = Idioms(self)

    def _is_the_events(self, value: Value) -> bool:
        """Tell whether a value is a part of the event that can be changed, or was made of one."""
        if isinstance(value, Spot):
            made = self.flow.made(value)
            return isinstance(made, Of) and made.made
        return isinstance(value, (Batch, Parsed)) or (isinstance(value, Of) and value.made)

    def _item_of(self, over: Value, target: ast.expr, through: ast.expr) -> Value:
        """Return what a loop binds that goes through something: of pairs of texts that are taken apart, two texts."""
        op = self.flow.ops.get(id(through))
        if isinstance(op, LookUp) and op.how is How.EVERY and op.default is None:
            return Of("str")
        if isinstance(target, ast.Tuple) and isinstance(op, Pairs):
            return PAIR
        if isinstance(over, Spot):
            shape = self.flow.shape(over)
            row = shape.row(over.role, over.steps)
            holds = shape.shape.fields[row.field].holds if row is not None else ""
            if isinstance(target, ast.Tuple) and holds == "pairs":
                return PAIR
            if row is not None and holds == "list of text" and row.lens.name == "plain":
                return Of("str")
        return MADE if self._gives_parts(over) else NOTHING

    def _gives_parts(self, value: Value) -> bool:
        """Tell whether what is taken out of a value, by going through it or by a key, is the event's."""
        return self._is_the_events(value) or (isinstance(value, Of) and value.holds)

    def attribute(self, node: ast.Attribute, base: Value, *, called: bool = False) -> Value:
        """Return what an attribute of something is."""
        if node.attr in _LOOK_BEHIND:
            self._looks_behind(node, base)
        if isinstance(base, Spot):
            return self.idioms.step(node, base, Attr(node.attr), node.value)
        if isinstance(base, (Std, Own)):
            found = self.flow.attribute(base, node.attr)
            if isinstance(found, Class):
                self._is_plain_class(found, node)
            return found
        self.flow.methods_asked.pop(id(node), None)
        if (above := self._asked_above(node, called=called)) is not None:
            return above
        if isinstance(base, (Instance, Class)) and (methods := self.methods_of(base, node.attr)):
            return self._method(node, base, methods, called=called)
        if isinstance(base, Instance):
            return self._held(node, base)
        if isinstance(base, Of) and not base.built_in and base.made == base.holds:
            self._of_any_class(node)
        if not isinstance(base, (Func, Handlers)):
            self.flow.asked_anywhere(node.attr)
        return NOTHING

    def _method(
        self, node: ast.Attribute, base: Instance | Class, methods: list[Function | None], *, called: bool
    ) -> Value:
        """Return the method that an object or a class has under a name, or one of several, where these are called."""
        known = [one for one in methods if one is not None]
        if len(methods) == len(known) == 1:
            (method,) = known
            if isinstance(base, Instance):
                self.flow.methods_asked[id(node)] = (self.module.file, node, method.key)
            if isinstance(base, Instance) and isinstance(node.ctx, ast.Load) and is_property(method.node):
                method.read = True
                return gives_an_object(self.flow, method) or NOTHING
            method.unseen = method.unseen or not called
            return Func(method.key, bound=isinstance(base, Instance) or not method.static)
        plain = not any(one.static or one.node.decorator_list for one in known)
        if called and plain and len(known) == len(methods) and isinstance(base, Instance):
            return OneOf(tuple(one.key for one in known), bound=True)
        self.flow.asked_anywhere(node.attr)
        self.nobody_sees(methods)
        return NOTHING

    def _asked_above(self, node: ast.Attribute, *, called: bool) -> Value | None:
        """Return the method that `super()` has under a name, where it is called in a method of a class."""
        asked, own = node.value, self.function
        called_alone = isinstance(asked, ast.Call) and not asked.args and last_name(asked.func) == "super"
        if not called_alone or not called or "super" in self.module.names:
            return None
        if own is None or own.cls is None or own.static or own.node.decorator_list:
            return None
        found = self.flow.methods_above(own.cls, node.attr)
        if len(found) != 1 or found[0] is None or self.flow.is_told_otherwise(own.cls, node.attr):
            return None
        return self._method(node, Instance(own.cls), found, called=called)

    def nobody_sees(self, methods: list[Function | None]) -> None:
        """Note that nobody sees which of several methods is called."""
        for one in methods if len(methods) > 1 else ():
            if one is not None:
                one.unseen = True

    def methods_of(self, base: Instance | Class, name: str) -> list[Function | None]:
        """Return the methods that a call may reach, and nothing for what is none."""
        found: list[Function | None] = [*self.flow.methods(base.key, name)]
        if isinstance(base, Class):  # which is itself, and no other
            found = [one for one in (self.flow.method(base.key, name),) if one is not None]
        if found and (self.flow.is_told_otherwise(base.key, name) or self.flow.is_made_otherwise(base.key)):
            found.append(None)
        return found

    def held(self, name: str, base: Instance) -> Value:
        """Return what objects of a class are known to hold under an attribute; who asks is told when that changes."""
        if self.function is not None:
            self.flow.ask_objects.setdefault(name, {})[self.function.key] = None
        return self.flow.kept.held(base.key, name)

    def _held(self, node: ast.Attribute, base: Instance) -> Value:
        """Return what an object of the project's holds under an attribute."""
        if (table := self.flow.kept_tables.get((base.key, node.attr))) is not None:
            return table
        held = self.held(node.attr, base)
        if isinstance(held, Spot) and not is_path(node.value):  # what it is asked of has to be written anew as well
            self.flow.asked_anywhere(node.attr)
            return NOTHING
        if isinstance(held, Clash):
            raise self.stop("rebound", node)
        return self._held_spot(held, node, base.key) if isinstance(held, Spot) else held

    def _held_spot(self, held: Spot, node: ast.Attribute, cls: Key) -> Spot:
        """Return a place that an object holds; what it was told when it was set up is each call's own."""
        if not held.of_event and cls in self.flow.set_up:
            return held
        return Spot(held.kind, held.role, held.steps, self.module.text.of(node))

    def _is_plain_class(self, value: Class, node: ast.expr) -> None:
        """Refuse a class that inherits from one of the provider's, which is another, or none, at the target."""
        if self.function is not None and self.flow.is_of_the_provider(value.key):
            raise self.stop("provider-inherited", node, value.key[1])

    def _of_any_class(self, node: ast.Attribute) -> None:
        """Note what is asked of an object that may be of any class of the project; of `super()`, of its own family."""
        asked = node.value.func if isinstance(node.value, ast.Call) else None
        above = isinstance(asked, ast.Name) and asked.id == "super"
        within = self.function.cls if above and self.function is not None else None
        if within is None and node.attr.startswith("__"):
            return
        family = self.flow.family(within) if within is not None else None
        call = self.module.nodes.parents.get(id(node))
        asked_above = [one for one in self.flow.methods_above(within, node.attr) if one] if within is not None else []
        for method in (*self.flow.may_be_asked(node), *asked_above):
            if isinstance(call, ast.Call) and call.func is node and not may_take(method, call):
                continue  # `row.get("n", 0)` asks for no method that takes nothing
            if self._may_meet(method) if family is None else method.cls in family:
                method.unseen = True

    def _may_meet(self, method: Function) -> bool:
        """Tell whether what is followed may come across an object of a method's class: a handler loads both files."""
        here, there = (self.flow.loads.get(file) for file in (self.module.file, method.module.file))
        return not here or not there or not here.isdisjoint(there)

    def _looks_behind(self, node: ast.Attribute, base: Value) -> None:
        """Note what looks at names, parameters or attributes themselves."""
        if node.attr == "__dict__":
            self.flow.asked_anywhere("", stored=True)
        elif self.function is not None and (node.attr in _FRAMES or isinstance(base, Func)):
            raise self.stop("hidden-names", node)

    def _attributes_by_call(self, node: ast.Call, name: str, values: list[Value]) -> None:
        """Note the attributes that a standard function asks for, and the parameters that it looks at."""
        if name in ("getattr", "hasattr", "setattr", "delattr", "operator.attrgetter", "operator.methodcaller"):
            self._asked_by_a_text(node, name, values)
        elif name in ("vars", "dir") or ("." in name and name.partition(".")[0] not in _LOOK_INTO_NOTHING):
            self.flow.looked_into(values)
        first = node.args[0].value if node.args and isinstance(node.args[0], ast.Constant) else ""
        if name in ("importlib.import_module", "importlib.reload", "__import__", "runpy.run_path", "runpy.run_module"):
            self._loaded_by_name(node)
        if name == "importlib.import_module" and str(first).partition(".")[0] in self.flow.theirs:
            raise self.stop("client-passed", node, str(first))
        if name == "operator.methodcaller" and (not first or first in CHANGING_METHODS):
            raise self.stop("event-changed", node)  # nobody sees of what it asks that
        foreign = any(isinstance(value, Foreign) for value in values)
        if name == "id" and (foreign or any(map(self._is_the_events, values))):
            raise self.stop("identity", node)
        if name.startswith("inspect.") and any(isinstance(value, Func) for value in values):
            raise self.stop("hidden-names", node)

    def put_away(self, value: Value) -> None:
        """Note that a value stands among others, where one may look for it: by all that it holds if that is its way."""
        if isinstance(value, Instance) and is_data_class(self.flow, value.key):
            self.flow.looked_into([value])

    def compared_as_objects(self, node: ast.expr, left: Value, right: Value = NOTHING) -> None:
        """Refuse to ask whether things of the event are equal that are so only if they are one and the same object."""
        plain = (isinstance(one, Of) and one.type and not self._gives_parts(one) for one in (left, right))
        if self.function is None or any(plain) or any(map(self._is_of_texts, (left, right))):
            return
        known = self.is_an_object(left) or self.is_an_object(right)
        if not known and not (self._gives_parts(left) or self._gives_parts(right)):
            return
        self.flow.compare_parts[self.function.key] = None
        with_it = self.flow.loads.get(self.module.file, set())
        made = any(with_it & self.flow.loads.get(file, set()) for file in self.flow.objects_made)
        if made or (self.is_an_object(left) and self.is_an_object(right)):
            raise self.stop("equality", node)

    def _is_of_texts(self, value: Value) -> bool:
        """Tell whether a value is a text of the event's, or made of such: it is equal to what has the same in it."""
        return isinstance(value, Spot) and not self.flow.spot_is_inner(value) and not self.is_an_object(value)

    def _asked_by_a_text(self, node: ast.Call, name: str, values: list[Value]) -> None:
        """Note an attribute that is asked for by a text, which may be made; then it is any, of what is asked."""
        place = 0 if name.startswith("operator.") else 1
        said = node.args[place] if len(node.args) > place else None
        known = said.value if isinstance(said, ast.Constant) and isinstance(said.value, str) else ""
        if not known and name in ("getattr", "hasattr") and values and isinstance(values[0], Instance):
            if name == "getattr":  # the other tells only whether there is one
                self.flow.looked_into(values[:1])
            return
        for one in known.split("."):
            self.flow.asked_anywhere(one, stored=name in ("setattr", "delattr"))

    def _loaded_by_name(self, node: ast.Call) -> None:
        """Note that a module is loaded by its name: what it has is called by who can't be seen."""
        for file in loaded_by(self.flow, self.module, node):
            self.flow.refer(Own(file))

    def _asked_by_name(self, values: list[Value]) -> None:
        """Note that whoever calls the methods of an object is not seen any more: what it was handed to may."""
        for value in values:
            if isinstance(value, (Instance, Class)):
                for function in self.flow.functions.values():
                    if (
                        function.cls is not None
                        and function.cls in self.flow.family(value.key)
                        and not function.node.name.startswith("__")
                    ):
                        function.unseen = True
