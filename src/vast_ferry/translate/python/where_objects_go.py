"""Where the objects of a class go, from what makes them to what is asked of them.

    class Container:                                    class Service:
        store: Store = field(default_factory=Store)         def __init__(self, store):
                                                                self._store = store
        @property                                           def find(self, hive):
        def hives(self):                                        return self._store.get(hive)
            return Service(self.store)

Each place that an object comes to is gone on from: a name, a parameter of a function or a class of the project, an
attribute, what a property or a function gives. An attribute is a place by its name alone, of whatever object: more is
looked at than need be. All is seen where every place is only asked for attributes, compared with None, or leads to
another place; then what is asked of anything else is not asked of these objects. A program that may look attributes
up by names that it makes has no such classes.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

from vast_ferry.translate.python.functions import DEFINITION, Definition, Module
from vast_ferry.translate.python.nodes import binds, defined, last_name, walk
from vast_ferry.translate.values import Class, Func, Key, Value

#: What shows what stands in an object, or under a name, without naming it.
_LOOKED_BEHIND = frozenset(
    ["vars", "locals", "globals", "eval", "exec", "asdict", "astuple", "attrgetter", "__dict__", "__self__"]
    + ["__getattr__", "__getattribute__", "__getstate__", "__closure__", "__defaults__", "getmembers", "get_objects"]
)
_GETTING = frozenset(["getattr", "hasattr", "setattr", "delattr"])
_SCOPES = (*DEFINITION, ast.Lambda, ast.ClassDef, ast.Module)

Named = Callable[[Module, ast.expr], Value]


def looks_behind(modules: Mapping[str, Module]) -> bool:
    """Tell whether a project may look attributes up by names that it makes, or takes objects apart by their form."""
    for module in modules.values():
        nodes = module.nodes
        if any(one.id in _LOOKED_BEHIND for one in nodes.names) or nodes.each(ast.MatchClass):
            return True
        if any(one.attr in _LOOKED_BEHIND for one in nodes.each(ast.Attribute)):
            return True
        if any(alias.name in (*_LOOKED_BEHIND, "*") for one in nodes.imports for alias in one.names):
            return True
        for use in (one for one in nodes.names if one.id in _GETTING):
            call = nodes.parents.get(id(use))
            named = call.args[1] if isinstance(call, ast.Call) and call.func is use and len(call.args) > 1 else None
            if not isinstance(named, ast.Constant):
                return True
    return False


@dataclass(slots=True)
class _Place:
    """What is done with what comes to a place: whether all is seen, what it is asked for, and where it goes on."""

    seen: bool = True
    asked: list[ast.Attribute] = field(default_factory=list)
    to: dict[tuple[object, str], Iterator[bool]] = field(default_factory=dict)


class WhereObjectsGo:
    """Goes after the objects of a project's classes; what is found of a place is kept for all of them."""

    def __init__(self, modules: Mapping[str, Module], classes: Mapping[Key, ast.ClassDef], named: Named) -> None:
        self.modules, self.classes, self.named = modules, classes, named
        self._index = _Index(modules)
        self._places: dict[tuple[object, str], _Place] = {}
        self._here = _Place()

    def all_asked_of(self, cls: Key) -> list[ast.Attribute] | None:
        """Return what the objects of a class are asked for; nothing if not all is seen that is done with them."""
        found = self._looked_at(self._named_class(cls))
        asked, known, waiting = found.asked, set[tuple[object, str]](), [found]
        while waiting:
            place = waiting.pop()
            if not place.seen:
                return None
            for at, going in place.to.items():
                if at not in known:
                    known.add(at)
                    if at not in self._places:
                        self._places[at] = self._looked_at(going)
                    waiting.append(self._places[at])
                    asked = [*asked, *self._places[at].asked]
        return asked

    def _looked_at(self, going: Iterator[bool]) -> _Place:
        """Return what is found while something is gone after."""
        before, self._here = self._here, _Place()
        self._here.seen = all(going)
        found, self._here = self._here, before
        return found

    def _named_class(self, cls: Key) -> Iterator[bool]:
        """Go on from wherever a class is named; it has to be imported at the top of modules."""
        for name in self._index.also_called(cls[1]):
            for module, one in self._index.imported.get(name, ()):
                yield isinstance(module.nodes.parents.get(id(one)), ast.Module)
        for module, use in self._index.uses_of(Class(cls), cls[1]):
            yield self._class_named(module, use)

    def _class_named(self, module: Module, use: ast.expr) -> bool:
        """Tell whether it is seen what comes of the class where it is named: it is called, or says of what type."""
        above = module.nodes.parents.get(id(use))
        if isinstance(above, ast.Call) and above.func is use:
            return self._goes(module, above)
        if isinstance(above, ast.keyword) and above.arg == "default_factory":
            return self._given_to_a_field(module, above)
        while isinstance(above, (ast.BinOp, ast.Subscript, ast.Attribute)):  # `Store | None`, `Optional[Store]`
            use, above = above, module.nodes.parents.get(id(above))
        told = isinstance(above, (ast.AnnAssign, ast.arg)) and above.annotation is use
        return told or (isinstance(above, DEFINITION) and above.returns is use)

    def _given_to_a_field(self, module: Module, keyword: ast.keyword) -> bool:
        """Go on from a field of a data class that an object is made for."""
        call = module.nodes.parents.get(id(keyword))
        field = module.nodes.parents.get(id(call))
        within = module.nodes.parents.get(id(field))
        if not isinstance(field, ast.AnnAssign) or not isinstance(field.target, ast.Name):
            return False
        return isinstance(within, ast.ClassDef) and self._to_attribute(field.target.id)

    def _goes(self, module: Module, node: ast.expr) -> bool:
        """Tell whether it is seen what is done with an expression that may give such an object."""
        parents = module.nodes.parents
        above = parents.get(id(node))
        if isinstance(above, ast.Attribute):
            self._here.asked.append(above)
            return isinstance(above.ctx, ast.Load) and not above.attr.startswith("__")
        if isinstance(above, (ast.BoolOp, ast.IfExp)):
            return (isinstance(above, ast.IfExp) and above.test is node) or self._goes(module, above)
        if isinstance(above, (ast.If, ast.While)):
            return True
        if isinstance(above, ast.UnaryOp):
            return isinstance(above.op, ast.Not)
        if isinstance(above, ast.Compare):
            return all(isinstance(one, (ast.Is, ast.IsNot)) for one in above.ops)
        if isinstance(above, (ast.Assign, ast.AnnAssign)):
            targets = above.targets if isinstance(above, ast.Assign) else [above.target]
            return len(targets) == 1 and self._to_target(module, targets[0])
        if isinstance(above, ast.Return):
            return self._out_of(module, above)
        keyword = above if isinstance(above, ast.keyword) else None
        call = parents.get(id(keyword)) if keyword is not None else above
        if isinstance(call, ast.Call) and call.func is not node:
            return self._to_parameter(module, call, node if keyword is None else keyword)
        return isinstance(above, ast.Expr)

    def _to_target(self, module: Module, target: ast.expr) -> bool:
        """Go on from what is assigned to: an attribute, or a name that is assigned to once."""
        if isinstance(target, ast.Attribute):
            return self._to_attribute(target.attr)
        if not isinstance(target, ast.Name):
            return False
        scope = _scope(module, target)
        if isinstance(scope, ast.ClassDef):
            return self._to_attribute(target.id)
        if isinstance(scope, ast.Module):
            return self._once((module.file, target.id), self._of_top(module, target.id))
        return isinstance(scope, DEFINITION) and self._to_local(module, scope, target.id, bound=1)

    def _to_local(self, module: Module, scope: Definition, name: str, *, bound: int) -> bool:
        """Go on from a name of a function, which is bound so often there, and nowhere else."""
        uses = [one for one in ast.walk(scope) if isinstance(one, ast.Name) and one.id == name]
        loads = [one for one in uses if isinstance(one.ctx, ast.Load)]
        shared = any(isinstance(one, (ast.Global, ast.Nonlocal)) and name in one.names for one in ast.walk(scope))
        plain = len(uses) - len(loads) == bound and not shared
        return plain and self._once((scope, name), (self._goes(module, one) for one in loads))

    def _of_top(self, module: Module, name: str) -> Iterator[bool]:
        """Go on from a name at the top of a module, there and wherever it is imported."""
        others = self._index.also_called(name)
        for own in others:
            for other, use in self._index.names.get(own, ()):
                if other is module or self._index.imports(other, own):
                    yield isinstance(use.ctx, ast.Store) or self._goes(other, use)
            for other, asked in self._index.attributes.get(own, ()):
                yield self._goes(other, asked)

    def _to_attribute(self, name: str) -> bool:
        """Go on from an attribute, of whatever object."""
        return not name.startswith("__") and self._once(("", name), self._of_attribute(name, called=False))

    def _of_attribute(self, name: str, *, called: bool) -> Iterator[bool]:
        yield name not in self._index.got_by_name
        for module, one in self._index.attributes.get(name, ()):
            if isinstance(one.ctx, ast.Load):
                call = module.nodes.parents.get(id(one))
                if called and not (isinstance(call, ast.Call) and call.func is one):
                    yield False
                yield self._goes(module, call if called and isinstance(call, ast.Call) else one)
        for module, bare in self._index.names.get(name, ()):  # in its class an attribute is a name
            yield isinstance(bare.ctx, ast.Store) or not isinstance(_scope(module, bare), ast.ClassDef)

    def _to_parameter(self, module: Module, call: ast.Call, given: ast.expr | ast.keyword) -> bool:
        """Go on from the parameter that an argument fills, of a function or a class of the project."""
        if any(isinstance(one, ast.Starred) for one in call.args) or any(one.arg is None for one in call.keywords):
            return False
        if isinstance(call.func, ast.Name) and _scope_binds(module, call.func):
            return False
        value = self.named(module, call.func)
        if isinstance(value, Class):
            return self._to_a_new(value.key, call, given)
        if not isinstance(value, Func) or value.bound:
            return False
        there = self.modules[value.key[0]]
        function = defined(there.tree, value.key[1])
        return function is not None and not function.decorator_list and self._to_named(there, function, call, given, 0)

    def _to_a_new(self, key: Key, call: ast.Call, given: ast.expr | ast.keyword) -> bool:
        """Go on from what sets an object of the project up: its `__init__`, or the fields of a data class."""
        node, there = self.classes[key], self.modules[key[0]]
        own = {one.name: one for one in node.body if isinstance(one, DEFINITION)}
        if node.keywords or "__new__" in own or node.bases:
            return False
        if "__init__" in own:
            plain = not node.decorator_list and not own["__init__"].decorator_list
            return plain and self._to_named(there, own["__init__"], call, given, 1)
        fields = [one for one in node.body if isinstance(one, ast.AnnAssign) and isinstance(one.target, ast.Name)]
        called = [one.func if isinstance(one, ast.Call) else one for one in node.decorator_list]
        if [last_name(one) for one in called] != ["dataclass"] or "__post_init__" in own:  # which may take `InitVar`s
            return False
        if isinstance(given, ast.keyword):
            return given.arg is not None and self._to_attribute(given.arg)
        at = call.args.index(given)
        plain = not any(isinstance(one.value, ast.Call) for one in fields) and at < len(fields)
        target = fields[at].target if plain else None
        return isinstance(target, ast.Name) and self._to_attribute(target.id)

    def _to_named(
        self, module: Module, function: Definition, call: ast.Call, given: ast.expr | ast.keyword, own: int
    ) -> bool:
        """Go on from a parameter of a function, of which the first `own` are not given."""
        arguments = function.args
        by_place = [one.arg for one in (*arguments.posonlyargs, *arguments.args)][own:]
        if isinstance(given, ast.keyword):
            name = given.arg if given.arg in {*by_place, *(one.arg for one in arguments.kwonlyargs)} else None
        else:
            at = call.args.index(given)
            name = by_place[at] if at < len(by_place) else None
        return name is not None and self._to_local(module, function, name, bound=0)

    def _out_of(self, module: Module, node: ast.Return) -> bool:
        """Go on from what a property, a method or a function gives, wherever that is asked or called."""
        function = _scope(module, node)
        within = module.nodes.parents.get(id(function))
        if not isinstance(function, ast.FunctionDef):
            return False
        decorators = [one.id if isinstance(one, ast.Name) else "" for one in function.decorator_list]
        if isinstance(within, ast.ClassDef):
            if function.name.startswith("__") or decorators not in ([], ["property"], ["cached_property"]):
                return False
            called = not decorators
            return self._once(("()" * called, function.name), self._of_attribute(function.name, called=called))
        if not isinstance(within, ast.Module) or decorators:
            return False
        return self._once((function, ""), self._of_calls(Func((module.file, function.name)), function.name))

    def _of_calls(self, function: Func, name: str) -> Iterator[bool]:
        for module, use in self._index.uses_of(function, name):
            call = module.nodes.parents.get(id(use))
            yield isinstance(call, ast.Call) and call.func is use and self._goes(module, call)

    def _once(self, place: tuple[object, str], going: Iterator[bool]) -> bool:
        """Go on from a place as well, later."""
        self._here.to.setdefault(place, going)
        return True


class _Index:
    """Where a project's modules name things: each name, attribute and import is looked up, and not looked for."""

    def __init__(self, modules: Mapping[str, Module]) -> None:
        self.names: dict[str, list[tuple[Module, ast.Name]]] = {}
        self.attributes: dict[str, list[tuple[Module, ast.Attribute]]] = {}
        self.imported: dict[str, list[tuple[Module, ast.ImportFrom]]] = {}
        self.got_by_name: set[object] = set()
        self._under: set[tuple[str, str]] = set()
        self._holding: dict[Value, list[tuple[Module, str]]] = {}
        for module in modules.values():
            for use in module.nodes.names:
                self.names.setdefault(use.id, []).append((module, use))
                if use.id in _GETTING:
                    call = module.nodes.parents.get(id(use))
                    assert isinstance(call, ast.Call)
                    self.got_by_name.add(getattr(call.args[1], "value", None))
            for asked in module.nodes.each(ast.Attribute):
                self.attributes.setdefault(asked.attr, []).append((module, asked))
            for one in (one for one in module.nodes.imports if isinstance(one, ast.ImportFrom)):
                for alias in one.names:
                    self.imported.setdefault(alias.name, []).append((module, one))
                    self._under.add((module.file, alias.asname or alias.name))
            for name, held in module.names.items():
                if isinstance(held, (Class, Func)):
                    self._holding.setdefault(held, []).append((module, name))

    def also_called(self, name: str) -> list[str]:
        """Return a name, and those that imports give what it stands for, one after the other."""
        found = [name]
        for one in found:
            given = (
                alias.asname or alias.name
                for _, statement in self.imported.get(one, ())
                for alias in statement.names
                if alias.name == one
            )
            found += [other for other in dict.fromkeys(given) if other not in found]
        return found

    def imports(self, module: Module, name: str) -> bool:
        """Tell whether a module imports something under a name."""
        return (module.file, name) in self._under

    def uses_of(self, value: Value, name: str) -> Iterator[tuple[Module, ast.expr]]:
        """Yield where modules name what stands at the top of one, by a name of their own or as an attribute."""
        for module, own in self._holding.get(value, ()):
            yield from ((module, use) for use in module.nodes.uses(own))
        yield from self.attributes.get(name, ())


def _scope(module: Module, node: ast.AST) -> ast.AST | None:
    """Return the function, class or module in which a node stands."""
    above = module.nodes.parents.get(id(node))
    while above is not None and not isinstance(above, _SCOPES):
        above = module.nodes.parents.get(id(above))
    return above


def _scope_binds(module: Module, name: ast.Name) -> bool:
    """Tell whether a name is one of a function's own where it stands."""
    at = _scope(module, name)
    while at is not None and not isinstance(at, ast.Module):
        if any(binds(one, name.id) for one in walk(at)):
            return True
        at = _scope(module, at)
    return False
