"""Where the event and its context travel in a project's code, read off its syntax trees without running anything.

Every function is followed with what its callers pass; what is done with a place of the event is noted as an operation,
by the node that does it. A name that holds a place has its uses noted, so that it can be taken out. What can't be
followed stays an ordinary value: the place is then made for it, as it was.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

from vast_ferry.mapping.clients import Client
from vast_ferry.mapping.places import Call
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.operations import Operation
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.nodes import Nodes
from vast_ferry.translate.shapes import ShapeMap
from vast_ferry.translate.text import SourceText
from vast_ferry.translate.values import (
    Clash,
    Class,
    Env,
    Foreign,
    Func,
    Key,
    Of,
    Own,
    Service,
    Std,
    Stop,
    Uses,
    Value,
)

NOTHING = Of()
DEFINITION = (ast.FunctionDef, ast.AsyncFunctionDef)
Definition = ast.FunctionDef | ast.AsyncFunctionDef


@dataclass(slots=True)
class Module:
    """One file of the project: its text, its tree, and what its names at the top are."""

    file: str
    text: SourceText
    nodes: Nodes
    names: dict[str, Value] = field(default_factory=dict)
    stop: Stop | None = None
    has_ops: bool = False  # something is done with the provider when it is imported

    @property
    def tree(self) -> ast.Module:
        """Return its syntax tree."""
        assert isinstance(self.nodes.root, ast.Module)
        return self.nodes.root

    def means_otherwise(self, name: str, full: str) -> bool:
        """Tell whether a name at the top of the module stands for something else than what `full` names."""
        there = self.names.get(name)
        return there is not None and not (isinstance(there, Std) and there.name == full)


@dataclass(slots=True)
class Function:
    """One function or method of the project, and what is known of it: parameters, what it returns, who calls it."""

    key: Key
    module: Module
    node: Definition
    cls: Key | None = None
    outer: Function | None = None
    entry: tuple[str, ...] = ()  # names of the functions of the project that it handles, if it is a handler
    params: dict[str, Value] = field(default_factory=dict)
    env: Env = field(default_factory=dict)
    returned: Value | None = None
    calls: list[tuple[Function | None, ast.Call]] = field(default_factory=list)
    callees: dict[Key, None] = field(default_factory=dict)
    referred: bool = False  # mentioned other than by a call
    stop: Stop | None = None
    uses: dict[int, Uses] = field(default_factory=dict)
    keep: set[int] = field(default_factory=set)  # assignments whose value is made as it was
    ops: set[int] = field(default_factory=set)
    shared: frozenset[str] | None = None  # names that it shares with other functions, once asked for
    _nodes: Nodes | None = None

    @property
    def nodes(self) -> Nodes:
        """Return what its tree holds."""
        if self._nodes is None:
            self._nodes = Nodes(self.node, self.module.nodes)
        return self._nodes

    @property
    def parameters(self) -> list[str]:
        """Return the names of its parameters in order, without `self`."""
        arguments = self.node.args
        names = [argument.arg for argument in (*arguments.posonlyargs, *arguments.args)]
        return names[1:] if self.cls is not None and not self.static else names

    @property
    def generates(self) -> bool:
        """Tell whether it is a generator."""
        inner = {id(n) for d in self.nodes.all[1:] if isinstance(d, (*DEFINITION, ast.Lambda)) for n in ast.walk(d)}
        return any(isinstance(n, ast.Yield | ast.YieldFrom) and id(n) not in inner for n in self.nodes.all)

    @property
    def static(self) -> bool:
        """Tell whether it is a method that gets no object."""
        return any(isinstance(d, ast.Name) and d.id == "staticmethod" for d in self.node.decorator_list)


class Flow:
    """The flow of events through the code of a project at `source`; made once, then asked by node."""

    def __init__(self, source: Profile, target: Profile) -> None:
        self.source, self.target = source, target
        self.maps = {kind: ShapeMap.of(tables.event) for kind, tables in source.kinds.items()}
        self.modules: dict[str, Module] = {}
        self.functions: dict[Key, Function] = {}
        self.classes: dict[Key, ast.ClassDef] = {}
        self.attributes: dict[tuple[Key, str], Value] = {}
        self._related: dict[Key, set[Key]] | None = None  # made once all files are linked
        self.ops: dict[int, Operation] = {}
        self.values: dict[int, Value] = {}
        self.consumed: set[int] = set()
        self.waiting: dict[Key, None] = {}  # in order, each once
        self.loop_names: dict[int, list[ast.Name]] = {}
        self.lines: dict[int, int] = {}  # of nodes at which something was found
        self.statements: dict[int, tuple[str, Operation]] = {}  # statements that give a name a value, all told
        self.defined: dict[int, Function] = {}  # by the node of its definition
        self.clients: dict[str, Client] = {client.called: client for client in source.clients}
        self.theirs = {client.root for client in source.clients} | set(source.model.modules)
        self.theirs |= set(source.model.decorators)
        self.provided = source.provided
        self.groups = {client.called.rpartition(".")[0] for client in source.clients}
        forms = [form for kind in source.kinds.values() for form in kind.answered.forms]
        self.reply_classes = frozenset(form.class_name for form in forms if form.class_name)

    # --- the project's names ---

    def add(self, file: str, text: SourceText, nodes: Nodes) -> None:
        """Take in a file of the project."""
        module = Module(file, text, nodes)
        self.modules[file] = module
        for node in _top(module.tree.body):
            if isinstance(node, DEFINITION):
                self.define((file, node.name), module, node)
                module.names[node.name] = Func((file, node.name))
            elif isinstance(node, ast.Assign) and isinstance(node.value, ast.Lambda) and len(node.targets) == 1:
                name = node.targets[0]
                if isinstance(name, ast.Name):
                    self.define((file, name.id), module, _as_function(name.id, node.value))
                    module.names[name.id] = Func((file, name.id))
            elif isinstance(node, ast.ClassDef):
                self.classes[file, node.name] = node
                module.names[node.name] = Class((file, node.name))
                for inner in node.body:
                    if isinstance(inner, DEFINITION):
                        self.define((file, f"{node.name}.{inner.name}"), module, inner, cls=(file, node.name))

    def define(
        self, key: Key, module: Module, node: Definition, cls: Key | None = None, outer: Function | None = None
    ) -> Function:
        function = Function(key, module, node, cls, outer)
        self.functions[key] = function
        self.defined[id(node)] = function
        return function

    def link(self) -> None:
        """Tie the names that modules import to what they stand for; call when all files are in."""
        for module in self.modules.values():
            for node in module.nodes.imports:
                self._import(module, node)

    def _import(self, module: Module, node: ast.Import | ast.ImportFrom) -> None:
        if isinstance(node, ast.Import):
            for alias in node.names:
                self._import_module(module, alias)
            return
        base = node.module or ""
        if node.level:
            folder = module.file.split("/")[: -node.level]
            base = ".".join([*folder, *([base] if base else [])])
        file = self._file(base)
        if node.names[0].name == "*" and base in self.provided:
            for name in self.provided[base]:
                module.names.setdefault(name, Std(f"{base}.{name}"))
            return
        for alias in node.names:
            own = alias.asname or alias.name
            if file is not None:
                module.names.setdefault(own, self._in_module(file, alias.name))
            elif (inner := self._file(f"{base}.{alias.name}" if base else alias.name)) is not None:
                module.names.setdefault(own, Own(inner))
            else:
                module.names.setdefault(own, Std(f"{base}.{alias.name}"))

    def _import_module(self, module: Module, alias: ast.alias) -> None:
        file = self._file(alias.name)
        if file is None:
            name = alias.name if alias.asname else alias.name.partition(".")[0]
            module.names.setdefault(alias.asname or name, Std(name))
        elif alias.asname or "." not in alias.name:
            module.names.setdefault(alias.asname or alias.name, Own(file))

    def _file(self, dotted: str) -> str | None:
        if not dotted:
            return None
        path = dotted.replace(".", "/")
        return next((file for file in (f"{path}.py", f"{path}/__init__.py") if file in self.modules), None)

    def _in_module(self, file: str, name: str) -> Value:
        module = self.modules[file]
        if (file, name) in self.functions:
            return Func((file, name))
        if (file, name) in self.classes:
            return Class((file, name))
        return module.names.get(name, NOTHING)

    # --- following ---

    def enter(self, key: Key, kind: str, name: str) -> None:
        """Begin at a handler that gets events of a kind."""
        function = self.functions[key]
        function.entry = (*function.entry, name)
        shape = self.maps[kind]
        for index, parameter in enumerate(function.parameters):
            role = shape.role_of(index)
            if role:
                spot = Spot("" if role == "context" else kind, role, (), parameter)
                self.pass_(function, parameter, spot)
        self.waiting[key] = None

    def pass_(self, function: Function, parameter: str, value: Value) -> None:
        """Note what a parameter gets from a caller."""
        before = function.params.get(parameter)
        joined = value if before is None else _joined(before, value)
        if joined != before:
            function.params[parameter] = joined
            self.waiting[function.key] = None

    # --- what things are ---

    def standard_name(self, module: Module, node: ast.expr) -> str:
        """Return the full name of something outside the project that an expression names, or an empty text."""
        parts: list[str] = []
        while isinstance(node, ast.Attribute):
            parts.append(node.attr)
            node = node.value
        there = module.names.get(node.id) if isinstance(node, ast.Name) else None
        return ".".join([there.name, *reversed(parts)]) if isinstance(there, Std) else ""

    def raw_query(self, kind: str) -> bool:
        """Tell whether the target hands over the query as it came."""
        return any(row.field == "query.raw" and not row.derived for row in self.target.kinds[kind].event.rows)

    def made(self, value: Value) -> Value:
        """Return what a place is once it was made as it was: an ordinary value, of the type of its row."""
        if isinstance(value, Spot):
            row = self.shape(value).row(value.role, value.steps)
            if row is not None:
                holds = self.shape(value).shape.fields[row.field].holds
                known = holds if row.lens.plain else row.lens.gives
                return Of({"text": "str", "texts": "dict", "bytes": "bytes"}.get(known, ""))
        return NOTHING

    def keep_attribute(self, cls: Key, name: str, value: Value) -> None:
        """Note what an attribute of a class's objects holds."""
        before = self.attributes.get((cls, name))
        joined = value if before is None else _joined(before, value)
        if joined != before:
            self.attributes[cls, name] = joined
            family = self.family(cls)
            self.waiting |= {k: None for k, f in self.functions.items() if f.cls in family}

    def held(self, cls: Key, name: str) -> Value:
        """Return what an attribute of a class's objects holds, whichever class of its family stores it."""
        found: Value | None = None
        for one in sorted(self.family(cls)):
            value = self.attributes.get((one, name))
            if value is not None:
                found = value if found is None else _joined(found, value)
        return NOTHING if found is None else found

    def family(self, cls: Key) -> frozenset[Key]:
        """Return a class of the project with those that it inherits from and those that inherit from it, and theirs."""
        found, waiting = {cls}, [cls]
        while waiting:
            one = waiting.pop()
            for other in self._kin().get(one, ()):
                if other not in found:
                    found.add(other)
                    waiting.append(other)
        return frozenset(found)

    def is_of_the_provider(self, cls: Key) -> bool:
        """Tell whether a class of the project inherits from one of the provider's, however far up."""
        for one in self.family(cls):
            for base in self.classes[one].bases:
                name = self.standard_name(self.modules[one[0]], base)
                if name and name.partition(".")[0] in self.theirs:
                    return True
        return False

    def _kin(self) -> dict[Key, set[Key]]:
        """Return which classes of the project are bases of which, both ways."""
        if self._related is None:
            self._related = {}
            for key, node in self.classes.items():
                for base in node.bases:
                    value = self._named(self.modules[key[0]], base)
                    if isinstance(value, Class):
                        self._related.setdefault(key, set()).add(value.key)
                        self._related.setdefault(value.key, set()).add(key)
        return self._related

    def _named(self, module: Module, node: ast.expr) -> Value:
        """Return what a name, or a name in a module of the project, stands for."""
        if isinstance(node, ast.Name):
            return module.names.get(node.id, NOTHING)
        if isinstance(node, ast.Attribute) and isinstance(base := self._named(module, node.value), Own):
            return self._in_module(base.file, node.attr)
        return NOTHING

    def method(self, cls: Key, name: str) -> Function | None:
        """Return a method of a class, its own or one that it has from a class of the project."""
        waiting, seen = [cls], set[Key]()
        while waiting:
            one = waiting.pop(0)
            found = self.functions.get((one[0], f"{one[1]}.{name}"))
            if found is not None:
                return found
            if one not in seen and one in self.classes:
                seen.add(one)
                bases = [self._named(self.modules[one[0]], base) for base in self.classes[one].bases]
                waiting = [*(base.key for base in bases if isinstance(base, Class)), *waiting]
        return None

    def attribute(self, base: Std | Own, name: str) -> Value:
        """Return what an attribute of something outside the project is."""
        if isinstance(base, Own):
            return self._in_module(base.file, name)
        return self.service(Std(f"{base.name}.{name}"))

    def service(self, value: Value) -> Value:
        """Return a client's call where a name stands for one."""
        if isinstance(value, Std) and value.name in self.clients:
            return Service(self.clients[value.name])
        return value

    def read_once(self, spot: Spot) -> bool:
        """Tell whether a place is read by a call that costs: what it gives is kept in a name."""
        return bool(spot.steps) and isinstance(spot.steps[-1], Call) and not spot.steps[-1].parameters

    def patched(self, base: Std | Class, target: ast.Attribute) -> None:
        """Refuse code that changes classes or modules of the provider."""
        if isinstance(base, Std) and base.name.partition(".")[0] in self.theirs:
            raise Stop("provider-changed", target)

    def patched_by_call(self, node: ast.Call, module: Module) -> None:
        """Refuse the same by `setattr`."""
        if self.standard_name(module, node.args[0]).partition(".")[0] in self.theirs:
            raise Stop("provider-changed", node)

    def spot_is_inner(self, spot: Spot) -> bool:
        """Tell whether a place is the event, the context or an entry, or on the way to more."""
        shape = self.shape(spot)
        return shape.row(spot.role, spot.steps) is None and not shape.is_method(spot.role, spot.steps)

    def shape(self, spot: Spot) -> ShapeMap:
        """Return the map of the shape that a place is in."""
        return self.maps[spot.kind] if spot.kind else next(iter(self.maps.values()))


def _as_function(name: str, node: ast.Lambda) -> ast.FunctionDef:
    """Return a lambda that has a name as the function that it is; its parts stand where they did."""
    returned = ast.copy_location(ast.Return(node.body), node.body)
    made = ast.FunctionDef(name, node.args, [returned], [], None, None)
    return ast.copy_location(made, node)


def _joined(one: Value, other: Value) -> Value:
    if one == other:
        return one
    if isinstance(one, Of) and isinstance(other, Of):
        return NOTHING
    held = isinstance(one, Foreign) or isinstance(other, Foreign)
    return Clash(frozenset(), held=held) if held else NOTHING


def _top(body: Iterable[ast.stmt]) -> Iterator[ast.stmt]:
    """Yield a module's statements, those inside `if` and `try` as well."""
    for node in body:
        yield node
        for name in ("body", "orelse", "finalbody"):
            if isinstance(node, ast.If | ast.Try | ast.With):
                yield from _top(getattr(node, name, ()))
        if isinstance(node, ast.Try):
            for handler in node.handlers:
                yield from _top(handler.body)
