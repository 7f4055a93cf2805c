"""A project's code as it stands: its modules, functions and classes, and what their names stand for."""

from __future__ import annotations

import ast
from collections.abc import Collection, Iterable, Iterator, Mapping, Set
from functools import partial
from typing import Any

from vast_ferry.translate.python.classes import Classes
from vast_ferry.translate.python.closed_classes import closed_classes
from vast_ferry.translate.python.data_classes import set_up_of
from vast_ferry.translate.python.functions import DEFINITION, NOTHING, Definition, Function, Module
from vast_ferry.translate.python.imports import imported_from
from vast_ferry.translate.python.nodes import Nodes, nodes_in, walk
from vast_ferry.translate.python.registries import registries
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.python.tables import (
    Filled,
    asks,
    begins_empty,
    decorated,
    filled,
    only_asked,
    only_gone_through,
    shown,
    shown_rows,
)
from vast_ferry.translate.python.types import LET_THROUGH, type_of_constant
from vast_ferry.translate.values import Class, Func, Instance, Key, Of, Own, Std, Table, Value

#: What asks objects for their attributes by a text, or looks at all of them.
_LOOKING_BEHIND = frozenset(
    [
        "vars",
        "getattr",
        "setattr",
        "delattr",
        "attrgetter",
        "methodcaller",
        "__dict__",
        "__getattribute__",
        "__setattr__",
    ]
)

#: Decorators that hand on to a function what they get, and to who calls it what it gives.
_HARMLESS = frozenset(
    ["staticmethod", "classmethod", "property", "functools.cached_property", "functools.wraps", "abc.abstractmethod"]
    + ["contextlib.contextmanager", "contextlib.asynccontextmanager", "typing.override", "typing.final"]
    + ["typing.no_type_check", "typing_extensions.override"]
)


class Code(Classes):
    """The modules of a project, its functions and classes by where they stand; `theirs` are the provider's modules.

    `provided` are the names that each of those modules has for whoever imports all of them.
    """

    def __init__(self, theirs: Set[str], provided: Mapping[str, Collection[str]]) -> None:
        super().__init__(theirs)
        self.provided = provided
        self._several: dict[Key, dict[Value, None]] = {}
        self._folders: set[str] = set()
        self.registering: set[int] = set()  # statements by which decorators, or modules, fill tables
        self.lambdas: set[int] = set()  # functions without a name that stand in such tables
        self.tables: dict[int, Table] = {}  # by the node of what a name at the top of a module is given
        self.kept_tables: dict[tuple[Key, str], Table] = {}  # by class and attribute
        self.registers: dict[Key, None] = {}  # methods that are decorators, and fill such tables
        self._made_at_top: list[tuple[Module, str, ast.Call]] = []  # what names are given once and for all
        self.unclear: list[Value] = []  # what names stand for that may stand for something else as well

    def add(self, file: str, text: PythonText, nodes: Nodes) -> None:
        """Take in a file of the project."""
        module = Module(file, text, nodes)
        self.modules[file] = module
        self._folders |= {file[: at + 1] for at, letter in enumerate(file) if letter == "/"}
        for node in _top(module.tree.body):
            if isinstance(node, DEFINITION):
                self.define((file, node.name), module, node)
                module.names[node.name] = Func((file, node.name))
            elif isinstance(node, ast.Assign):
                self._assigned(module, node)
            elif isinstance(node, ast.ClassDef):
                self.classes[file, node.name] = node
                module.names[node.name] = Class((file, node.name))
                for inner in node.body:
                    if isinstance(inner, DEFINITION):
                        self.define((file, f"{node.name}.{inner.name}"), module, inner, cls=(file, node.name))
                self.unclear += self._named_in_its_class((file, node.name), node)

        for again in _bound_again(module):  # which of them counts, and when, is not known
            module.names[again] = NOTHING

    def _named_in_its_class(self, cls: Key, node: ast.ClassDef) -> Iterator[Func]:
        """Yield the methods that a class says by their bare names, as `put = post`: they may have any other."""
        for inner in node.body:
            at_once: list[ast.AST] = [inner]
            if isinstance(inner, (*DEFINITION, ast.ClassDef)):
                at_once = [*inner.decorator_list]
            if isinstance(inner, DEFINITION):
                at_once += [*inner.args.defaults, *(one for one in inner.args.kw_defaults if one is not None)]
            for part in at_once:
                for said in walk(part):
                    name = said.id if isinstance(said, ast.Name) and isinstance(said.ctx, ast.Load) else ""
                    if (cls[0], f"{cls[1]}.{name}") in self.functions:
                        yield Func((cls[0], f"{cls[1]}.{name}"))

    def _assigned(self, module: Module, node: ast.Assign) -> None:
        """Take in what a name at the top of a module is given: a function, a constant, an object."""
        target = node.targets[0]
        if isinstance(node.value, ast.Lambda) and len(node.targets) == 1:
            if isinstance(target, ast.Name):
                self.define((module.file, target.id), module, _as_function(target.id, node.value))
                module.names[target.id] = Func((module.file, target.id))
        elif (constant := _constant(node, module.nodes)) is not None:
            module.names[constant] = Of(type_of_constant(node.value))
        elif isinstance(node.value, ast.Call) and (name := _bound_once(node, module.nodes)) is not None:
            self._made_at_top.append((module, name, node.value))

    def define(
        self, key: Key, module: Module, node: Definition, cls: Key | None = None, outer: Function | None = None
    ) -> Function:
        function = Function(key, module, node, cls, outer)
        self.functions[key] = function
        self.defined[id(node)] = function
        return function

    def define_inside(self, outer: Function, node: Definition) -> Function:
        """Return the function of a definition inside another function."""
        known = self.defined.get(id(node))
        key = (outer.module.file, f"{outer.key[1]}.<{node.lineno}>.{node.name}")
        return self.define(key, outer.module, node, outer=outer) if known is None else known

    def link(self) -> None:
        """Tie the names that modules import to what they stand for; call when all files are in.

        A module may hand on what it imports itself, so this goes on until no name is found any more; then a name that a
        package doesn't have is a module in it, and what is still not known is nothing that is known.
        """
        imports = [(module, node) for module in self.modules.values() for node in module.nodes.imports]
        for settled in (False, True):
            known = -1
            while known < (known := sum(len(module.names) for module in self.modules.values())):
                for module, node in imports:
                    self._import(module, node, settled)
                for module, name, call in self._made_at_top:
                    made = self.named(module, call.func)
                    if isinstance(made, Class):
                        module.names.setdefault(name, Instance(made.key))
        for module, node in imports:
            for alias in node.names:
                own = alias.asname or alias.name.partition(".")[0]
                module.names.setdefault(own, NOTHING)
                if own in module.nodes.told_global or not _only_constants(module, own):
                    self._bind(module, own, NOTHING)
        for (file, name), values in self._several.items():
            self.unclear += values
            self.modules[file].names[name] = NOTHING
        self._find_tables()
        self._find_tables_of_objects()
        self._set_up_data_classes()
        self._above.clear()

    def _set_up_data_classes(self) -> None:
        """Take in what sets up the objects of data classes; nobody is seen who calls what runs behind it."""
        self._above.clear()
        for cls in self.classes:
            if (node := set_up_of(self, cls)) is not None:
                made = self.define((cls[0], f"{cls[1]}.__init__"), self.modules[cls[0]], node, cls=cls)
                made.made_up = True
                if (behind := self.functions.get((cls[0], f"{cls[1]}.__post_init__"))) is not None:
                    behind.unseen = True

    def _find_closed(self) -> None:
        """Note the classes all of whose objects are seen, and what is asked of what may be one of them."""

        def kin(cls: Key) -> frozenset[Key]:
            family = self.family(cls)
            others = self.of_a_metaclass(cls) or any(self.has_outside(one) for one in family)
            return frozenset() if others else family

        for cls, asked in closed_classes(self.modules, self.classes, self.named, kin):
            self.closed.add(cls)
            for node in asked:
                self.asked_of.setdefault(id(node), set()).add(cls)

    def _find_tables(self) -> None:
        """Note the tables of functions at the tops of modules that no other module names."""
        self._find_closed()
        for one in registries(self.modules, self.classes, self.functions, self.defined):
            self.kept_tables[one.cls, one.attribute] = one.table
            self.closed.add(one.cls)
            self.registering.update(map(id, one.stores))
            self.registers |= dict.fromkeys(one.methods)
        statements = [(module, node) for module in self.modules.values() for node in module.tree.body]
        for module, node in statements:
            if not isinstance(node, (ast.Assign, ast.AnnAssign)):
                continue
            table = shown(node.value, partial(self._in_a_table, module))
            rows = shown_rows(node.value, partial(self._in_a_table, module)) if table is None else None
            name = _bound_once(node, module.nodes) if table or rows or begins_empty(node.value) else None
            if name is None or name in module.names or any(self._names_of(one, module, name) for one in self.modules):
                continue
            uses, parents = module.nodes.uses(name), module.nodes.parents
            if table is not None and only_asked(uses, parents):
                self.tables[id(node.value)] = module.names[name] = table
                self._define_lambdas(module, node.value)
            elif rows is not None and only_gone_through(uses, parents, rows.width):
                self.tables[id(node.value)] = module.names[name] = rows
                self._define_lambdas(module, node.value)
            elif begins_empty(node.value) and (fills := filled(uses, parents)) is not None:
                keys = self._filling(module, fills)
                if keys:
                    column, width, lists = next(iter(fills.shapes))
                    self.tables[id(node.value)] = module.names[name] = Table(keys, column, width, lists=lists)
                    self.registering.update(map(id, fills.stores))

    def _find_tables_of_objects(self) -> None:
        """Note the tables of its own methods that an object keeps: `self.ways = {"GET": self.show}`, only asked."""
        found = [
            (one.cls, *table)
            for one in self.functions.values()
            for statement in (one.node.body if one.cls is not None and not one.static else ())
            if isinstance(statement, (ast.Assign, ast.AnnAssign))
            and (table := self._kept_by(one, statement)) is not None
        ]
        asked = [(one, module) for module in self.modules.values() for one in module.nodes.each(ast.Attribute) if found]
        named = {name for module in self.modules.values() for name in module.nodes.ids if found}
        if not _LOOKING_BEHIND.isdisjoint(named | {one.attr for one, _ in asked}):
            return  # somebody may ask for it by a text, or look at all that an object has
        for cls, target, node, made in found:
            others = [(one, module) for one, module in asked if one.attr == target.attr and one is not target]
            if all(isinstance(one.ctx, ast.Load) and asks(one, module.nodes.parents) for one, module in others):
                assert cls is not None
                self.tables[id(node)] = self.kept_tables[cls, target.attr] = made

    def _kept_by(
        self, function: Function, statement: ast.Assign | ast.AnnAssign
    ) -> tuple[ast.Attribute, ast.Dict, Table] | None:
        """Return the table that a statement of a method gives an attribute of its object, and both, if it is one."""
        target, value, cls = _target(statement), statement.value, function.cls
        own = function.node.args.args[0].arg if function.node.args.args else ""
        if not isinstance(value, ast.Dict) or not isinstance(target, ast.Attribute) or cls is None:
            return None
        if not _is_of(target, own):
            return None
        table = shown(value, lambda node: self.bound_method(cls, node.attr) if _is_of(node, own) else NOTHING)  # type: ignore[attr-defined]
        return None if table is None else (target, value, table)

    def _in_a_table(self, module: Module, node: ast.expr) -> Value:
        """Return what stands in a table: a name for something, or a function without one."""
        if isinstance(node, ast.Lambda):
            return Func(_key_of(module, node))
        if isinstance(node, ast.Attribute) and isinstance(base := self.named(module, node.value), Instance):
            return self.bound_method(base.key, node.attr)
        return self.named(module, node)

    def bound_method(self, cls: Key, name: str) -> Value:
        """Return the method that objects of a class have under a name, if it is known to be one and which."""
        methods = self.methods(cls, name)
        decorated = [(self.modules[one[0]], d) for one in self.family(cls) for d in self.classes[one].decorator_list]
        plain = all(self.is_the_providers(module, one, ("dataclasses.dataclass",)) for module, one in decorated)
        otherwise = self.is_told_otherwise(cls, name) or self.of_a_metaclass(cls) or not plain
        if len(methods) != 1 or otherwise or methods[0].node.decorator_list or methods[0].static:
            return NOTHING
        return Func(methods[0].key, bound=True)

    def _define_lambdas(self, module: Module, table: ast.expr | None) -> None:
        """Take in the functions without a name that stand in a table."""
        for node in walk(table) if table is not None else ():
            if isinstance(node, ast.Lambda) and not isinstance(module.nodes.parents.get(id(node)), ast.Lambda):
                self.define(_key_of(module, node), module, _as_function("<lambda>", node))
                self.lambdas.add(id(node))

    def _filling(self, module: Module, fills: Filled) -> tuple[Key, ...]:
        """Return the functions that fill a table; none where any of them, or how they get there, is not known."""
        found = dict.fromkeys(
            one.key if isinstance(one := self.named(module, value), Func) and not one.bound else None
            for value in fills.values
        )
        for node in fills.decorators:
            decorator = self.defined.get(id(node))
            registered = self._decorated_by(decorator) if decorator is not None else None
            found |= dict.fromkeys([None] if registered is None else registered)
        keys = tuple(one for one in found if one is not None)
        return keys if len(keys) == len(found) else ()

    def _decorated_by(self, decorator: Function) -> list[Key] | None:
        """Return the functions that have a decorator, and no other; nothing where it is used in any other way."""
        keys: list[Key] = []
        for module in self.modules.values():
            names = [name for name, value in module.names.items() if value == Func(decorator.key)]
            used = {id(use) for name in names for use in module.nodes.uses(name) if isinstance(use.ctx, ast.Load)}
            found = decorated(module, used, self.defined)
            owns = [one for one, value in module.names.items() if isinstance(value, Own)]
            asked = owns and any(one.attr == decorator.node.name for one in module.nodes.each(ast.Attribute))
            if found is None or asked:
                return None
            keys += found
        return keys

    def _names_of(self, file: str, module: Module, name: str) -> bool:
        """Tell whether a file may name what another module has at its top: by importing it, or as an attribute."""
        there = self.modules[file]
        if any(attribute.attr == name for attribute in there.nodes.each(ast.Attribute)):
            return True
        imported = [(node, one.name) for node in there.nodes.imports for one in node.names]
        return any(isinstance(node, ast.ImportFrom) and asked in (name, "*") for node, asked in imported) and (
            there is not module
        )

    def _bind(self, module: Module, name: str, value: Value) -> None:
        """Let a module's name stand for what it imports; one that is bound in several ways stands for nothing known."""
        there = module.names.setdefault(name, value)
        if there != value:
            self._several.setdefault((module.file, name), {}).update({there: None, value: None})

    def _import(self, module: Module, node: ast.Import | ast.ImportFrom, settled: bool) -> None:
        if isinstance(node, ast.Import):
            for alias in node.names:
                self._import_module(module, alias)
            return
        base = imported_from(module.file, node)
        file = self.file_of(base)
        if node.names[0].name == "*":
            self._import_all(module, base, file)
            return
        for alias in node.names:
            own = alias.asname or alias.name
            inner = self._package(f"{base}.{alias.name}" if base else alias.name)
            if file is not None and alias.name in self.modules[file].names:
                self._bind(module, own, self.modules[file].names[alias.name])
            elif file is None and inner is None:
                self._bind(module, own, Std(f"{base}.{alias.name}"))
            elif settled and inner is not None:  # a module of the package
                self._bind(module, own, Own(inner))

    def _import_all(self, module: Module, base: str, file: str | None) -> None:
        """Take over what a module says it has for others; what can't be told is refused where it is followed."""
        if base in self.provided:
            for name in self.provided[base]:
                self._bind(module, name, Std(f"{base}.{name}"))
        there = self.handed_out(file) if file is not None else None
        for name in there or ():
            if file is not None and name in self.modules[file].names:
                self._bind(module, name, self.modules[file].names[name])

    def handed_out(self, file: str, asked: tuple[str, ...] = ()) -> list[str] | None:
        """Return the names that a module of the project has for whoever imports all of them; nothing if unclear."""
        module = self.modules[file]
        if "__all__" in module.nodes.ids:
            return self._said_to_be_handed_out(module)
        stars = [node for node in module.nodes.imports if node.names[0].name == "*"]
        if not all(self.names_all(module, node, (*asked, file)) for node in stars if isinstance(node, ast.ImportFrom)):
            return None
        found = {*module.names, *module.nodes.top_names} - {"*"}
        return sorted(name for name in found if not name.startswith("_"))

    def _said_to_be_handed_out(self, module: Module) -> list[str] | None:
        uses = module.nodes.uses("__all__")
        node = next((n for n in module.tree.body if isinstance(n, ast.Assign) and n.targets[0] in uses), None)
        said = node.value.elts if node is not None and isinstance(node.value, (ast.List, ast.Tuple)) else None
        if len(uses) != 1 or said is None:
            return None
        names = [one.value for one in said if isinstance(one, ast.Constant) and isinstance(one.value, str)]
        return names if len(names) == len(said) else None

    def names_all(self, module: Module, node: ast.ImportFrom, asked: tuple[str, ...] = ()) -> bool:
        """Tell whether all names are known that a statement imports at once; not those of modules that go round."""
        base = imported_from(module.file, node)
        file = self.file_of(base)
        if file in asked:
            return False
        return base in self.provided or (file is not None and self.handed_out(file, asked) is not None)

    def _import_module(self, module: Module, alias: ast.alias) -> None:
        file = self._package(alias.name)
        top = alias.name.partition(".")[0]
        if file is None:
            self._bind(module, alias.asname or top, Std(alias.name if alias.asname else top))
        else:
            self._bind(module, alias.asname or top, Own(file if alias.asname else self._package(top) or file))

    def file_of(self, dotted: str) -> str | None:
        """Return the file of a module of the project by its full name."""
        if not dotted:
            return None
        path = dotted.replace(".", "/")
        return next((file for file in (f"{path}.py", f"{path}/__init__.py") if file in self.modules), None)

    def _package(self, dotted: str) -> str | None:
        """Return the file of a module, or of a folder of modules that has none the folder's name and a slash."""
        folder = f"{dotted.replace('.', '/')}/"
        return self.file_of(dotted) or (folder if folder in self._folders else None)

    def only_holds_others(self, module: Module, name: str) -> bool:
        """Tell whether a variable holds no object of the project's classes: all it is given is of other making."""
        bound = [use for use in module.nodes.uses(name) if not isinstance(use.ctx, ast.Load)]
        given = [getattr(module.nodes.parents.get(id(use)), "value", None) for use in bound]
        return name not in module.nodes.told_global and all(
            isinstance(one, (ast.Constant, ast.JoinedStr, ast.Dict, ast.List, ast.Set, ast.Tuple))
            or (isinstance(one, ast.Call) and self._is_others(module, one.func))
            for one in given
        )

    def _is_others(self, module: Module, node: ast.expr) -> bool:
        """Tell whether what is called is of the standard library or another's, and makes no object of the project's."""
        name = self.standard_name(module, node)
        built_in = isinstance(node, ast.Name) and node.id not in module.names and node.id not in module.nodes.top_names
        return built_in or (bool(name) and name.partition(".")[0] not in ("functools", "copy", "importlib"))

    def files_of(self, names: Iterable[str]) -> list[str]:
        """Return the files of some modules by their full names, and of the packages that they are in."""
        found = []
        for name in names:
            parts = name.split(".")
            found += [self.file_of(".".join(parts[: at + 1])) for at in range(len(parts))]
        return [one for one in found if one is not None]

    def in_module(self, file: str, name: str) -> Value:
        """Return what a name of a module, or of a package, stands for."""
        module = self.modules.get(file)
        if module is not None and (name in module.names or name in module.nodes.top_names):
            return module.names.get(name, NOTHING)
        folder = file.removesuffix("__init__.py")
        inner = self._package(f"{folder}{name}".replace("/", ".")) if folder.endswith("/") else None
        return NOTHING if inner is None else Own(inner)

    def holders(self, module: Module) -> dict[int, Function]:
        """Return the innermost function that each node of a module stands in, by the node's identity."""
        functions = [one for one in self.functions.values() if one.module is module]
        functions.sort(key=lambda one: -len(one.nodes.all))
        return {id(node): one for one in functions for node in one.nodes.all}

    def lets_through(self, module: Module, node: ast.expr) -> bool:
        """Tell whether a context manager is one that is known to let all exceptions through."""
        called = node.func if isinstance(node, ast.Call) else node
        built_in = isinstance(called, ast.Name) and called.id not in module.names and called.id
        return (built_in or self.standard_name(module, called)) in LET_THROUGH

    def named(self, module: Module, node: ast.expr) -> Value:
        """Return what a name, or a name in a module of the project, stands for."""
        if isinstance(node, ast.Name):
            return module.names.get(node.id, NOTHING)
        if isinstance(node, ast.Attribute) and isinstance(base := self.named(module, node.value), Own):
            return self.in_module(base.file, node.attr)
        return NOTHING

    def is_decorated(self, function: Function) -> bool:
        """Tell whether a decorator may stand between a function and who calls it."""
        return not all(self.is_harmless(function.module, one) for one in function.node.decorator_list)

    def is_harmless(self, module: Module, decorator: ast.expr) -> bool:
        """Tell whether a decorator is the provider's own, or one that neither keeps nor hides what it stands before."""
        return self.is_the_providers(module, decorator, _HARMLESS)

    def decorator(self, module: Module, decorator: ast.expr) -> Function | None:
        """Return the function of the project that a decorator is, or that gives it."""
        node = decorator.func if isinstance(decorator, ast.Call) else decorator
        value = self.named(module, node)
        if isinstance(node, ast.Attribute) and isinstance(base := self.named(module, node.value), Instance):
            method = (base.key[0], f"{base.key[1]}.{node.attr}")
            return self.functions[method] if method in self.registers else None
        return self.functions.get(value.key) if isinstance(value, Func) else None

    def is_the_providers(self, module: Module, decorator: ast.expr, more: Collection[str] = ()) -> bool:
        """Tell whether a decorator is one of the provider's own, or one of some `more`."""
        named = decorator.func if isinstance(decorator, ast.Call) else decorator
        name = self.standard_name(module, named) or (named.id if isinstance(named, ast.Name) else "")
        return name in more or name.partition(".")[0] in self.theirs


def _is_of(node: ast.expr, name: str) -> bool:
    """Tell whether an expression is an attribute of what a name stands for."""
    return isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id == name


def _bound_again(module: Module) -> set[str]:
    """Return the names of functions and classes at the top of a module that it gives another meaning as well."""
    defined: set[str] = set()
    again: set[str] = set()
    for node in _top(module.tree.body):
        if isinstance(node, (*DEFINITION, ast.ClassDef)):
            again |= {node.name} & defined
            defined.add(node.name)
    if not defined:
        return again
    waiting: list[Any] = list(module.tree.body)
    while waiting:
        inner = waiting.pop()
        if inner.__class__ is list:
            waiting += inner
            continue
        if isinstance(inner, ast.Name) and not isinstance(inner.ctx, ast.Load):
            again |= {inner.id} & defined
        elif isinstance(inner, ast.alias):
            again |= {inner.asname or inner.name} & defined
        if not isinstance(inner, (*DEFINITION, ast.ClassDef, ast.Lambda)):
            waiting += nodes_in(inner)
    told = (name for node in module.nodes.all if node.__class__ is ast.Global for name in node.names)
    return again | (set(told) & defined)


def _only_constants(module: Module, name: str) -> bool:
    """Tell whether all that a module's own statements assign to a name is constants."""
    if name not in module.nodes.top_names:
        return True
    bound = [use for use in module.nodes.uses(name) if not isinstance(use.ctx, ast.Load)]
    parents = [module.nodes.parents.get(id(use)) for use in bound]
    return all(isinstance(one, ast.Assign) and isinstance(one.value, ast.Constant) for one in parents)


def _constant(node: ast.Assign, nodes: Nodes) -> str | None:
    """Return the name that a module gives a text or bytes once and for all."""
    return _bound_once(node, nodes) if type_of_constant(node.value) in ("str", "bytes") else None


def _target(node: ast.Assign | ast.AnnAssign) -> ast.expr | None:
    """Return what a statement binds, where it is one thing."""
    targets = node.targets if isinstance(node, ast.Assign) else [node.target]
    return targets[0] if len(targets) == 1 else None


def _bound_once(node: ast.Assign | ast.AnnAssign, nodes: Nodes) -> str | None:
    """Return the name that a statement at the top of a module binds, where nothing else does."""
    target = _target(node)
    if not isinstance(target, ast.Name):
        return None
    bound = [use for use in nodes.uses(target.id) if not isinstance(use.ctx, ast.Load)]
    return target.id if len(bound) == 1 and target.id not in nodes.told_global else None


def _key_of(module: Module, node: ast.Lambda) -> Key:
    return module.file, f"<lambda {node.lineno}:{node.col_offset}>"


def _as_function(name: str, node: ast.Lambda) -> ast.FunctionDef:
    """Return a lambda that has a name as the function that it is; its parts stand where they did."""
    returned = ast.copy_location(ast.Return(node.body), node.body)
    made = ast.FunctionDef(name, node.args, [returned], [], None, None)
    return ast.copy_location(made, node)


def _top(body: Iterable[ast.stmt]) -> Iterator[ast.stmt]:
    """Yield a module's statements, those inside `if` and `try` as well."""
    for node in body:
        yield node
        for name in ("body", "orelse", "finalbody"):
            if isinstance(node, (ast.If, ast.Try, ast.With)):
                yield from _top(getattr(node, name, ()))
        if isinstance(node, ast.Try):
            for handler in node.handlers:
                yield from _top(handler.body)
