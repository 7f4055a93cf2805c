"""Modules of the project that are values somewhere: an attribute of anything may be one of their functions.

    import hives as there                     hives.weigh is named: that is followed (`code.named`)
    WAYS = [there]; WAYS[0].weigh(event)      hives is a value, and WAYS[0] may be it
    importlib.import_module(name).weigh(…)    any module may be a value

Which attribute of which value is a function's is not known here; so every function that stands in such a module counts
as one that somebody may call whom nobody sees, where its name is asked of something that is not known, whoever asks: a
handler that is rewritten, or one that stays as it is.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from vast_ferry.translate.python.code import Code
from vast_ferry.translate.python.functions import Module
from vast_ferry.translate.values import Class, Func, Own, Std

#: What loads a module by a text.
_LOADING = frozenset(["import_module", "__import__", "run_path", "run_module", "reload"])
#: What shows or gives the names of a module without telling which.
_ANY_NAME = frozenset(["vars", "__dict__", "attrgetter", "methodcaller", "getmembers"])


def loaded_by_text(code: Code, module: Module) -> Iterator[str]:
    """Yield the files that a module may load by a text: all, where the text is made, or what loads is a value."""
    words = {*module.nodes.ids, *(attribute for _, attribute in module.nodes.attributes), *_loading_names(module)}
    for node in module.nodes.each(ast.Name, ast.Attribute) if not _LOADING.isdisjoint(words) else ():
        if _last(code, module, node) in _LOADING and isinstance(getattr(node, "ctx", None), ast.Load):
            above = module.nodes.parents.get(id(node))
            call = isinstance(above, ast.Call) and above.func is node
            yield from loaded_by(code, module, above) if isinstance(above, ast.Call) and call else code.modules


def loaded_by(code: Code, module: Module, call: ast.Call) -> list[str]:
    """Return the files that a call loads that gets a text, all where the text is made."""
    said = text_of(code, module, call.args[0]) if call.args else None
    return list(code.modules) if said is None or said.startswith(".") else code.files_of([said])


def _loading_names(module: Module) -> Iterator[str]:
    for value in module.names.values():
        if isinstance(value, Std):
            yield value.name.rpartition(".")[2]


def _last(code: Code, module: Module, node: ast.AST) -> str:
    """Return the last part of the name of what a name or attribute is, outside of the project."""
    if not isinstance(node, (ast.Name, ast.Attribute)):
        return ""
    known = code.standard_name(module, node).rpartition(".")[2]
    return known or (node.id if isinstance(node, ast.Name) else node.attr)


def text_of(code: Code, module: Module, node: ast.expr) -> str | None:
    """Return the text that an expression is: written out, or by a name that the module gives that and nothing else."""
    if isinstance(node, ast.Name):
        bound = [use for use in module.nodes.uses(node.id) if not isinstance(use.ctx, ast.Load)]
        above = module.nodes.parents.get(id(bound[0])) if len(bound) == 1 else None
        if not isinstance(above, ast.Assign) or len(above.targets) > 1 or above not in module.tree.body:
            return None
        parameters = any(one.arg == node.id for one in module.nodes.each(ast.arg))
        if parameters or node.id in module.nodes.told_global or _is_set_from_outside(code, node.id):
            return None
        node = above.value
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else None


def _is_set_from_outside(code: Code, name: str) -> bool:
    """Tell whether some code may give a module's name another value by an attribute."""
    return any(
        (isinstance(node, ast.Attribute) and node.attr == name and not isinstance(node.ctx, ast.Load))
        or (isinstance(node, ast.Call) and _called(node) in ("setattr", "globals"))
        for module in code.modules.values()
        for node in module.nodes.each(ast.Attribute, ast.Call)
    )


def _called(node: ast.Call) -> str:
    return getattr(node.func, "id", "") or getattr(node.func, "attr", "")


class ModuleValues:
    """Tells what may be asked of modules that are values; `code` is linked."""

    def __init__(self, code: Code) -> None:
        self.code = code
        self.named: dict[str, list[Func | Class]] = {}  # by name
        for file in self._files():
            for name, value in code.modules[file].names.items():
                if isinstance(value, (Func, Class)):
                    self.named.setdefault(name, []).append(value)

    def asked(self) -> Iterator[Func | Class]:
        """Yield what somebody may ask of such modules, whoever it is."""
        for module in self.code.modules.values() if self.named else ():
            for node in module.nodes.each(ast.Attribute, ast.Call):
                for name in self._names(module, node):
                    yield from self.named.get(name, ())

    def _names(self, module: Module, node: ast.AST) -> Iterable[str]:
        if isinstance(node, ast.Attribute):
            known = isinstance(self.code.named(module, node.value), (Own, Std, Func))
            return () if known and node.attr not in _ANY_NAME else self.named if node.attr in _ANY_NAME else [node.attr]
        if not isinstance(node, ast.Call):
            return ()
        if _called(node) == "getattr":
            said = text_of(self.code, module, node.args[1]) if len(node.args) > 1 else None
            return self.named if said is None else [said]
        return self.named if _called(node) in _ANY_NAME else ()

    def _files(self) -> dict[str, None]:
        """Return the files of all modules that are values, in a fixed order."""
        found: dict[str, None] = {}
        for module in self.code.modules.values():
            for name, value in module.names.items():
                if isinstance(value, Own):
                    for use in module.nodes.uses(name):
                        found |= dict.fromkeys(self._made_a_value(module, use, value))
            found |= dict.fromkeys(loaded_by_text(self.code, module))
            if Std("sys.modules") in module.names.values() or any(
                attribute == "modules" and module.names.get(name) == Std("sys")
                for name, attribute in module.nodes.attributes
            ):
                return dict.fromkeys(self.code.modules)
        return found

    def _made_a_value(self, module: Module, node: ast.expr, value: Own) -> Iterable[str]:
        """Return the files of the modules of which a use of a name makes a value: its own, or one that it asks for."""
        above = module.nodes.parents.get(id(node))
        while isinstance(above, ast.Attribute) and above.value is node:
            inner = self.code.named(module, above)
            if not isinstance(inner, Own):
                return ()
            node, value, above = above, inner, module.nodes.parents.get(id(above))
        folder = value.file.removesuffix("__init__.py")
        inside = (one for one in self.code.modules if folder.endswith("/") and one.startswith(folder))
        return [*([value.file] if value.file in self.code.modules else []), *inside]
