"""What names at the top of modules may hold of the project's functions: tables, registries, objects they were given to.

Whoever mentions such a name may call what it holds, and so reaches it (`reach.py`):

    ROUTES = {"GET": read}                 ROUTES holds read
    app = App()                            app holds add: a decorator may keep what it stands before
    @app.route("/hives")
    def add(event, ctx): ...
    set_up(app)                            app holds what set_up mentions

It is found statement by statement, at the top of every module and in the bodies of classes. A statement may put the
functions that it mentions into what it binds, and, where it calls anything, into every variable and class that it
mentions, and into those that the functions and classes it mentions do. A name holds what the names hold that are put
into it. Only names are told apart, not what stands in them; a name stands for the same in every module that imports it.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field

from vast_ferry.translate.python.alive import is_program
from vast_ferry.translate.python.code import Code
from vast_ferry.translate.python.decorators import only_calls
from vast_ferry.translate.python.functions import DEFINITION, Function, Module
from vast_ferry.translate.python.imports import imported_from
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.values import Class, Func, Instance, Key, Of, Own, Std, Table, Value

#: Modules of the standard library whose objects never hold functions that they are given.
_HOLD_NOTHING = frozenset(
    ["logging", "re", "decimal", "datetime", "os", "json", "string", "zoneinfo", "uuid", "random", "struct", "hashlib"]
    + ["pathlib", "time", "fractions", "locale", "ipaddress", "secrets", "base64", "urllib", "csv", "io", "textwrap"]
)

#: Methods of containers that put nothing into them.
_READING = frozenset(["get", "items", "keys", "values", "copy", "index", "count", "join", "format", "__contains__"])

#: A variable or class at the top of a module: its file and its name there.
Variable = tuple[str, str]


@dataclass(slots=True)
class _Mentioned:
    """What some nodes mention: functions, with the methods of classes; and classes and variables that may hold some."""

    functions: dict[Key, None] = field(default_factory=dict)
    holders: dict[Variable, None] = field(default_factory=dict)

    def add(self, other: _Mentioned) -> None:
        self.functions |= other.functions
        self.holders |= other.holders


def _is_only_read(node: ast.expr, parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether what a name holds is asked for a part of it there, gone through or compared, and no more."""
    above = parents.get(id(node))
    while isinstance(above, ast.Subscript) and above.value is node and isinstance(above.ctx, ast.Load):
        node, above = above, parents.get(id(above))
    if isinstance(above, ast.Attribute):
        call = parents.get(id(above))
        return above.attr in _READING and isinstance(call, ast.Call) and call.func is above
    if isinstance(above, ast.Call):
        return above.func is node or getattr(above.func, "id", "") in ("len", "sorted", "str", "repr", "any", "all")
    return isinstance(above, (ast.Compare, ast.FormattedValue, ast.BinOp, ast.BoolOp)) or (
        isinstance(above, (ast.For, ast.comprehension)) and above.iter is node
    )


def _may_keep(node: ast.ClassDef) -> bool:
    """Tell whether a class has an attribute of its own that something may be put into."""
    values = [one.value for one in node.body if isinstance(one, (ast.Assign, ast.AnnAssign))]
    return any(isinstance(one, (ast.Dict, ast.List, ast.Set, ast.Call)) for one in values)


class Holders:
    """Tells what a name at the top of a module may hold; `code` is linked."""

    def __init__(self, code: Code) -> None:
        self.code = code
        self._methods: dict[Key, list[Key]] = {}
        for key, function in code.functions.items():
            if function.cls is not None:
                self._methods.setdefault(function.cls, []).append(key)
        self._imported = {file: self._imports(module) for file, module in code.modules.items()}
        self._plain = {(file, name) for file, module in code.modules.items() for name in self._hold_nothing(module)}
        self._bound: dict[Variable, Variable] = {}
        self._receive: set[Variable] = set()
        self._held: dict[Variable, dict[Key, None]] | None = None

    def keys(self, value: Value | None) -> list[Key]:
        """Return the functions that a value is, or that an object of it has under whatever name, its bases' as well."""
        if isinstance(value, Func):
            return [value.key]
        if isinstance(value, Table):
            return list(value.keys)
        if isinstance(value, (Class, Instance)):
            return [key for one in self.code.above(value.key) for key in self._methods.get(one, ())]
        return []

    def held(self, variable: Variable) -> Iterable[Key]:
        """Return the functions that a variable or class may hold."""
        if self._held is None:
            self._held = self._find()
        return self._held.get(variable, ())

    def variable(self, file: str, name: str) -> Variable:
        """Return where the name of a module is bound, which may be in another that it imports it from."""
        if (file, name) not in self._bound:
            self._bound[file, name] = self._where(file, name)
        return self._bound[file, name]

    def _where(self, file: str, name: str) -> Variable:
        seen: set[Variable] = set()
        while (file, name) not in seen:
            seen.add((file, name))
            there = self.code.modules[file].names.get(name)
            if isinstance(there, (Func, Class)):
                return there.key
            told = self._imported[file]
            if name in told:
                file, name = told[name]
                continue
            for star in told.get("*", ()) if name not in self.code.modules[file].nodes.top_names else ():
                if name in (self.code.handed_out(star) or ()):
                    file = star
                    break
        return file, name

    def mentioned_in(self, function: Function) -> _Mentioned:
        """Return what a function mentions that stands at the top of a module; a name of its own is another."""
        nodes = function.nodes
        names = nodes.ids - (nodes.bound - nodes.told_global)
        return self._among(function.module, sorted(names), nodes.all)

    def _mentioned(self, module: Module, nodes: list[ast.AST]) -> _Mentioned:
        return self._among(module, dict.fromkeys(one.id for one in nodes if isinstance(one, ast.Name)), nodes)

    def _among(self, module: Module, names: Iterable[str], nodes: Iterable[ast.AST]) -> _Mentioned:
        found, modules = _Mentioned(), False
        for name in names:
            value = module.names.get(name)
            if isinstance(value, Own):
                modules = True
            elif not isinstance(value, Std) and (value is not None or self._known(module, name)):
                self._note(found, value, module.file, name)
        for node in nodes if modules else ():
            if isinstance(node, ast.Attribute):
                base = self.code.named(module, node.value)
                if isinstance(base, Own) and base.file in self.code.modules:
                    self._note(found, self.code.in_module(base.file, node.attr), base.file, node.attr)
        return found

    def _known(self, module: Module, name: str) -> bool:
        """Tell whether a name is bound at the top of a module, or may come from one that it takes all names of."""
        return name in module.nodes.top_names or "*" in self._imported[module.file]

    def _note(self, found: _Mentioned, value: Value | None, file: str, name: str) -> None:
        found.functions |= dict.fromkeys(self.keys(value))
        variable = self.variable(file, name)
        if isinstance(value, Class):
            found.holders |= dict.fromkeys(self.code.above(value.key))
        elif variable not in self._plain and not isinstance(value, Own):
            found.holders[variable] = None

    def _imports(self, module: Module) -> dict[str, tuple[str, ...]]:
        """Return where in the project the names come from that a module imports; `*` for all of some files."""
        found: dict[str, tuple[str, ...]] = {}
        for node in module.nodes.imports:
            if isinstance(node, ast.ImportFrom):
                file = self.code.file_of(imported_from(module.file, node))
                for alias in node.names if file is not None and file != module.file else ():
                    assert file is not None
                    whole = alias.name == "*"
                    found[alias.asname or alias.name] = (*found.get("*", ()), file) if whole else (file, alias.name)
        return found

    def _hold_nothing(self, module: Module) -> Iterator[str]:
        """Yield the variables of a module that are bound once, to a constant or to what holds no functions."""
        for node in module.tree.body:
            if isinstance(node, ast.Assign) and len(node.targets) == 1 and isinstance(node.targets[0], ast.Name):
                value, name = node.value, node.targets[0].id
                called = self.code.standard_name(module, value.func) if isinstance(value, ast.Call) else ""
                if isinstance(value, ast.Constant) or called.partition(".")[0] in _HOLD_NOTHING:
                    bound = [use for use in module.nodes.uses(name) if not isinstance(use.ctx, ast.Load)]
                    if len(bound) == 1:
                        yield name

    # --- who may be given anything ---

    def _receiving(self, module: Module) -> Iterator[Variable]:
        """Yield the variables and classes that a module may put something into: all but those that it only reads."""
        for node in module.nodes.names:
            value = module.names.get(node.id)
            above = module.nodes.parents.get(id(node))
            if isinstance(value, Class):
                within = isinstance(above, ast.Attribute) and above.value is node
                if within and self.code.method(value.key, getattr(above, "attr", "")) is None:
                    yield value.key
            elif isinstance(value, Own):
                yield from self._in_another(module, above)
            elif value is None or isinstance(value, (Of, Instance)):
                known = self._known(module, node.id) or node.id in self._imported[module.file]
                if known and isinstance(node.ctx, ast.Load) and not _is_only_read(node, module.nodes.parents):
                    yield self.variable(module.file, node.id)
        for statement in module.tree.body:
            own = module.names.get(statement.name) if isinstance(statement, ast.ClassDef) else None
            if isinstance(own, Class) and isinstance(statement, ast.ClassDef) and _may_keep(statement):
                yield own.key

    def _in_another(self, module: Module, above: ast.AST | None) -> Iterator[Variable]:
        """Yield the variable of another module that is named by the module's name."""
        while isinstance(above, ast.Attribute) and isinstance(self.code.named(module, above), Own):
            above = module.nodes.parents.get(id(above))
        if isinstance(above, ast.Attribute):
            base = self.code.named(module, above.value)
            if isinstance(base, Own) and base.file in self.code.modules:
                yield self.variable(base.file, above.attr)

    # --- statements ---

    def _find(self) -> dict[Variable, dict[Key, None]]:
        """Go through all modules, and join what is put into each name, and into names that are put into it."""
        self._receive = {one for module in self.code.modules.values() for one in self._receiving(module)}
        held: dict[Variable, dict[Key, None]] = {}
        within: dict[Variable, dict[Variable, None]] = {}
        for module in self.code.modules.values():
            for into, put in self._puts(module):
                for one in into:
                    held.setdefault(one, {}).update(put.functions)
                    within.setdefault(one, {}).update(put.holders)
        changed = True
        while changed:
            changed = False
            for one, others in within.items():
                before = len(held[one])
                for other in others:
                    held[one].update(held.get(other, {}))
                changed = changed or len(held[one]) > before
        return held

    def _puts(self, module: Module) -> Iterator[tuple[dict[Variable, None], _Mentioned]]:
        """Yield what each statement at the top of a module may put where."""
        waiting: list[tuple[ast.AST, Class | None]] = [(node, None) for node in reversed(module.tree.body)]
        while waiting:
            node, cls = waiting.pop()
            if isinstance(node, DEFINITION):
                yield from self._kept_by_decorators(module, node)
            elif isinstance(node, ast.ClassDef):
                own = module.names.get(node.name)
                yield from self._kept_by_decorators(module, node)
                inside = own if isinstance(own, Class) else cls
                waiting += [(one, inside) for one in reversed(node.body)]
            elif not isinstance(node, (ast.Import, ast.ImportFrom)) and not is_program(node):
                below = [one for one in ast.iter_child_nodes(node) if isinstance(one, (ast.stmt, ast.excepthandler))]
                waiting += [(one, cls) for one in reversed(below)]
                inner = {id(one) for stmt in below for one in walk(stmt)}
                yield from self._put(module, [one for one in walk(node) if id(one) not in inner], cls)

    def _put(
        self, module: Module, nodes: list[ast.AST], cls: Class | None
    ) -> Iterator[tuple[dict[Variable, None], _Mentioned]]:
        """Yield what one statement may put where: into what it binds, and by calls into what it mentions."""
        into: dict[Variable, None] = {} if cls is None else {cls.key: None}
        for node in nodes:
            target = node
            while isinstance(target, (ast.Attribute, ast.Subscript, ast.Starred)) and isinstance(
                getattr(node, "ctx", None), ast.Store
            ):
                into |= self._mentioned(module, [target]).holders
                target = target.value
            if isinstance(target, ast.Name) and isinstance(getattr(node, "ctx", None), ast.Store):
                into[self.variable(module.file, target.id)] = None
        put = self._mentioned(module, nodes)
        if any(isinstance(node, ast.Call) for node in nodes):
            put = self._with_all_that_is_called(put)
            into |= {one: None for one in put.holders if one in self._receive}
        if into and (put.functions or put.holders):
            yield into, put

    def _kept_by_decorators(
        self, module: Module, node: ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef
    ) -> Iterator[tuple[dict[Variable, None], _Mentioned]]:
        """Yield where decorators may put what they stand before: those that may keep it."""
        own = self.code.defined.get(id(node))
        keys = self.keys(module.names.get(node.name)) if isinstance(node, ast.ClassDef) else [own.key] if own else []
        for decorator in node.decorator_list:
            if self.code.is_harmless(module, decorator) or only_calls(self.code, module, decorator):
                continue
            put = self._with_all_that_is_called(self._mentioned(module, walk(decorator)))
            put.functions |= dict.fromkeys(keys)
            yield {one: None for one in put.holders if one in self._receive}, put

    def _with_all_that_is_called(self, start: _Mentioned) -> _Mentioned:
        """Return what is mentioned, and what the functions mention that are, and those, and so on."""
        found, waiting = _Mentioned(dict(start.functions), dict(start.holders)), list(start.functions)
        while waiting:
            function = self.code.functions[waiting.pop()]
            more = self.mentioned_in(function)
            waiting += [key for key in more.functions if key not in found.functions]
            found.add(more)
        return found
