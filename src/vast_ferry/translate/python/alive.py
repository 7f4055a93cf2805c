"""Which functions of a project may run at all when its handlers do: by the names that running code mentions.

What can be reached by names that are known (`reach.py`) is not all that may be called: a method is found by its name
alone, a function in a table, a class by a base that lists it. So a function counts as running once its name stands
anywhere in code that does: at the top of a module that is loaded, or in a function that may run. What is found here is
followed; that it is called, and with what, only follows from there. What a module does only when it is a program
itself (`if __name__ == "__main__"`) never runs at a provider.
"""

from __future__ import annotations

import ast
from collections.abc import Collection, Iterable

from vast_ferry.translate.python.code import Code
from vast_ferry.translate.python.functions import DEFINITION, Function, Module
from vast_ferry.translate.python.imports import imported_from
from vast_ferry.translate.python.module_values import loaded_by_text
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.values import Key


def is_program(node: ast.AST) -> bool:
    """Tell whether a statement's block runs only where the module is a program itself."""
    if not isinstance(node, ast.If) or not isinstance(node.test, ast.Compare) or len(node.test.ops) != 1:
        return False
    sides = [node.test.left, *node.test.comparators]
    named = any(isinstance(one, ast.Name) and one.id == "__name__" for one in sides)
    main = any(isinstance(one, ast.Constant) and one.value == "__main__" for one in sides)
    return named and main and isinstance(node.test.ops[0], ast.Eq)


def loaded(code: Code, files: Iterable[str]) -> dict[str, None]:
    """Return the files of the project that are loaded with some, in a fixed order."""
    found: dict[str, None] = {}
    waiting = list(files)
    while waiting:
        file = waiting.pop()
        if file in found or file not in code.modules:
            continue
        found[file] = None
        folders = file.split("/")[:-1]
        waiting += [f"{'/'.join(folders[: at + 1])}/__init__.py" for at in range(len(folders))]
        waiting += loaded_by_text(code, code.modules[file])
        for node in code.modules[file].nodes.imports:
            if isinstance(node, ast.ImportFrom):
                base = imported_from(file, node)
                waiting += code.files_of([base, *(f"{base}.{one.name}".strip(".") for one in node.names)])
            else:
                waiting += code.files_of(one.name for one in node.names)
    return found


def alive(code: Code, handlers: Collection[Key]) -> dict[Key, None]:
    """Return the functions that may run when some handlers do, each once and in a fixed order."""
    return _Alive(code, handlers).found


class _Alive:
    def __init__(self, code: Code, handlers: Collection[Key]) -> None:
        self.code = code
        self.found: dict[Key, None] = {}
        self.names: set[str] = set()
        self.every = False  # methods may be asked for by names that are made
        files = loaded(code, [file for file, _ in handlers])
        self.waiting = [one for one in code.functions.values() if one.module.file in files and one.outer is None]
        for file in files:
            self._at_the_top(code.modules[file])
        while more := [one for one in self.waiting if one.key in handlers or self._is_named(one)]:
            gone = {one.key for one in more}
            self.waiting = [one for one in self.waiting if one.key not in gone]
            for one in more:
                self.found[one.key] = None
                self._mention(one.module, one.nodes.all)

    def _is_named(self, function: Function) -> bool:
        name = function.node.name
        if name in self.names or self.code.is_decorated(function):
            return True
        return function.cls is not None and (self.every or (name.startswith("__") and name.endswith("__")))

    def _at_the_top(self, module: Module) -> None:
        """Note what a module mentions outside of its functions."""
        inside: set[int] = set()
        for statement in module.tree.body:
            if is_program(statement):
                inside |= set(map(id, walk(statement)))
        for node in module.nodes.all:
            if isinstance(node, DEFINITION):
                inside |= set(map(id, module.nodes.of(node) or ()))
                inside -= {id(one) for part in (*node.decorator_list, node.args) for one in walk(part)}
        self._mention(module, (node for node in module.nodes.all if id(node) not in inside))

    def _mention(self, module: Module, nodes: Iterable[ast.AST]) -> None:
        for node in nodes:
            if isinstance(node, ast.Name):
                self.names.add(node.id)
            elif isinstance(node, ast.Attribute):
                self.names.add(node.attr)
            elif isinstance(node, ast.alias):
                if (node.asname or node.name).partition(".")[0] in module.nodes.ids:  # else nobody uses it here
                    self.names.add(node.name.rpartition(".")[2])
            elif isinstance(node, ast.Call) and isinstance(node.func, (ast.Name, ast.Attribute)):
                self._by_a_text(node)

    def _by_a_text(self, node: ast.Call) -> None:
        """Note a name that is asked for by a text."""
        called = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
        said = node.args[1:2] if called == "getattr" else node.args if called in ("attrgetter", "methodcaller") else []
        for one in said:
            if isinstance(one, ast.Constant) and isinstance(one.value, str):
                self.names.update(one.value.split("."))
            else:
                self.every = True
