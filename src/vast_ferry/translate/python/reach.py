"""What a function can reach: by calls, by names, by attributes of modules and classes, and through tables."""

from __future__ import annotations

import ast
from collections.abc import Iterable

from vast_ferry.translate.python.code import Function, Module
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.values import Class, Func, Key, Own


class Reach:
    """Tells what functions reach; what was found is kept until `forget`, as following finds more."""

    def __init__(self, flow: Flow) -> None:
        self.flow = flow
        self._mentioned: dict[Key, list[Key]] = {}
        self._inner: dict[Key, list[Function]] | None = None
        self._listed: dict[str, dict[str, list[Key]]] = {}
        self._put: dict[str, list[Key]] | None = None  # by the name of what holds them

    def forget(self) -> None:
        """Look anew at what functions mention."""
        self._mentioned = {}

    def of(self, start: Iterable[Key]) -> dict[Key, None]:
        """Return what can be reached, each once and in a fixed order."""
        found: dict[Key, None] = {}
        waiting = list(start)
        while waiting:
            key = waiting.pop()
            if key in found or key not in self.flow.functions:
                continue
            found[key] = None
            waiting += self._mentions(key)
        return found

    def _mentions(self, key: Key) -> list[Key]:
        function = self.flow.functions[key]
        if key in self._mentioned:
            return self._mentioned[key]
        made: list[Key] = [*function.callees, *function.together]
        made += [inner.key for inner in self._inside().get(key, ())]
        known = function.module.names
        # A name that the function binds itself is another than the module's. (The order of a set varies by process.)
        for name in sorted(function.nodes.ids - (function.nodes.bound - function.nodes.told_global)):
            made += self._keys_of(known.get(name))
        for name, attribute in function.nodes.attributes:
            base = known.get(name)
            if isinstance(base, Own):
                made += self._keys_of(self.flow.attribute(base, attribute))
        put = self._registered()
        for name in sorted(put.keys() & function.nodes.ids):
            made += put[name]
        # What stands in a table at the top of the module is reached by the table's name.
        for name, keys in self._tables(function.module).items():
            made += keys if name in function.nodes.named else []
        self._mentioned[key] = made
        return made

    def _inside(self) -> dict[Key, list[Function]]:
        """Return the functions inside each function."""
        if self._inner is None:
            self._inner = {}
            for function in self.flow.functions.values():
                if function.outer is not None:
                    self._inner.setdefault(function.outer.key, []).append(function)
        return self._inner

    def _registered(self) -> dict[str, list[Key]]:
        """Return the functions that decorators of the project put where others find them: in what names."""
        if self._put is None:
            self._put = {}
            for key, one in self.flow.functions.items():
                if one.outer is None and not one.entry and self.flow.is_decorated(one):
                    for decorator in one.node.decorator_list:
                        own = self.flow.decorator(one.module, decorator)
                        for name in sorted(own.module.nodes.top_names & own.nodes.ids) if own is not None else ():
                            self._put.setdefault(name, []).append(key)
        return self._put

    def _keys_of(self, value: object) -> list[Key]:
        if isinstance(value, Func):
            return [value.key]
        if isinstance(value, Class):  # an object of it may be called by whatever name it has, its bases' among them
            kin = self.flow.above(value.key)
            return [k for k, f in self.flow.functions.items() if f.cls in kin]
        return []

    def _tables(self, module: Module) -> dict[str, list[Key]]:
        if module.file not in self._listed:
            tables: dict[str, list[Key]] = {}
            for node in module.tree.body:
                if isinstance(node, ast.Assign) and len(node.targets) == 1 and isinstance(node.targets[0], ast.Name):
                    names = [n.id for n in ast.walk(node.value) if isinstance(n, ast.Name)]
                    keys = [k for name in names for k in self._keys_of(module.names.get(name))]
                    if keys:
                        tables[node.targets[0].id] = keys
            self._listed[module.file] = tables
        return self._listed[module.file]
