"""Generated functions put together as one module that needs nothing but the standard library.

The same text is executed here and written into ported projects, so what is checked is what runs. Here the helpers are
those that are imported already; a written module has their text.
"""

from __future__ import annotations

import ast
import functools
import importlib
import linecache
import re
import types
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from vast_ferry.mapping import helpers
from vast_ferry.mapping.compile.functions import Source
from vast_ferry.mapping.python import docstring


@dataclass(frozen=True, slots=True)
class _Definition:
    """A top-level definition of the helpers: its text, where it stands, and the names that it uses."""

    text: str
    order: int
    uses: frozenset[str]


@functools.cache
def _library() -> tuple[dict[str, _Definition], dict[str, str]]:
    """Return the helpers' definitions and their import lines, by the name that each defines."""
    definitions: dict[str, _Definition] = {}
    imports: dict[str, str] = {}
    for room in helpers.ROOMS:
        text = Path(helpers.__file__).with_name(f"{room}.py").read_text(encoding="utf-8")
        _add(text, definitions, imports)
    return definitions, imports


def _add(text: str, definitions: dict[str, _Definition], imports: dict[str, str]) -> None:
    """Add what a room of the helpers defines and imports."""
    lines, before = text.splitlines(keepends=True), len(definitions)
    for node in ast.parse(text).body:
        if isinstance(node, ast.Import):
            for alias in node.names:
                imports[alias.name.split(".")[0]] = f"import {alias.name}"
        elif isinstance(node, ast.ImportFrom):
            ours = node.module is None or node.module.partition(".")[0] in ("__future__", "vast_ferry")
            for alias in node.names if not ours else ():
                imports[alias.name] = f"from {node.module} import {alias.name}"
        elif isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.Assign, ast.AnnAssign)):
            if isinstance(node, (ast.Assign, ast.AnnAssign)):
                target = node.target if isinstance(node, ast.AnnAssign) else node.targets[0]
                assert isinstance(target, ast.Name)
                name, decorators = target.id, []
            else:
                name, decorators = node.name, node.decorator_list
            start = min([node.lineno, *(decorator.lineno for decorator in decorators)]) - 1
            source = "".join(lines[start : node.end_lineno]).rstrip()
            source = "\n".join(line.split("  # noqa")[0] for line in source.splitlines())
            definitions[name] = _Definition(source, before + len(definitions), _names(node))


def _names(tree: ast.AST) -> frozenset[str]:
    return frozenset(node.id for node in ast.walk(tree) if isinstance(node, ast.Name))


def _names_outside(tree: ast.Module) -> frozenset[str]:
    """Return the names that definitions read of what is around them: no parameter of their own is among them."""
    found: set[str] = set()
    for node in tree.body:
        own = {one.arg for one in ast.walk(node) if isinstance(one, ast.arg)} if _is_function(node) else set()
        found |= _names(node) - own
    return frozenset(found)


def _is_function(node: ast.stmt) -> bool:
    return isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef))


@dataclass(frozen=True, slots=True)
class BesideSource:
    """A small function that stands in the file that uses it: its text, and the imports it needs."""

    text: str
    imports: frozenset[str]


@functools.cache
def beside_source(name: str) -> BesideSource:
    """Return the source of a function of `helpers.beside`."""
    definitions: dict[str, _Definition] = {}
    imports: dict[str, str] = {}
    _add(Path(helpers.__file__).with_name("beside.py").read_text(encoding="utf-8"), definitions, imports)
    made = definitions[name]
    return BesideSource(f"{made.text}\n", frozenset(imports[one] for one in made.uses if one in imports))


def stands_alone(name: str) -> bool:
    """Tell whether no helper of emitted modules has this name."""
    return name not in _library()[0]


def _with_classes_apart(sources: Iterable[Source]) -> tuple[list[Source], dict[str, str]]:
    """Return functions with their classes; where two are called alike and differ, the later one has another name."""
    found: list[Source] = []
    classes: dict[str, str] = {}
    for source in sources:
        made = source
        for name, text in source.classes.items():
            other, number = name, 1
            while classes.get(other, text) not in (text, _renamed(text, name, other)):
                number += 1
                other = f"{name}{number}"
            if other != name:
                own = {_renamed(one, name, other): _renamed(held, name, other) for one, held in made.classes.items()}
                made = replace(made, text=_renamed(made.text, name, other), classes=own)
        classes |= made.classes
        found.append(made)
    return found, classes


def _renamed(text: str, name: str, other: str) -> str:
    return re.sub(rf"\b{re.escape(name)}\b", other, text)


def module_source(about: str, sources: Iterable[Source], *more: str, also: Iterable[str] = ()) -> str:
    """Return the text of a module with these functions, their classes and the helpers they use, and `more` code.

    `also` names helpers that whoever imports the module uses itself.
    """
    definitions, imports = _library()
    sources, classes = _with_classes_apart(sources)
    own = [*classes.values(), *(source.text for source in sources), *more]
    used = frozenset(also).union(*(_names_outside(ast.parse(text)) for text in own))
    wanted = {name for name in used if name in definitions}
    stack = list(wanted)
    while stack:
        for name in definitions[stack.pop()].uses:
            used |= {name}
            if name in definitions and name not in wanted:
                wanted.add(name)
                stack.append(name)
    used = used.union(*(definitions[name].uses for name in wanted))
    needed = sorted(
        {imports[name] for name in used if name in imports} | {line for source in sources for line in source.imports}
    )
    needed = [line for line in needed if line.startswith("import")] + [
        line for line in _merged([line for line in needed if line.startswith("from")])
    ]
    chosen = sorted((definitions[name] for name in wanted), key=lambda definition: definition.order)
    parts = [docstring(about), "from __future__ import annotations", "\n".join(needed)]
    spaced = [*(definition.text for definition in chosen), *own]
    return "\n\n".join(part for part in parts if part) + "\n\n\n" + "\n\n\n".join(spaced) + "\n"


def _merged(lines: list[str]) -> list[str]:
    by_module: dict[str, list[str]] = {}
    for line in lines:
        _, module, _, name = line.split(" ", 3)
        by_module.setdefault(module, []).append(name)
    return [f"from {module} import {', '.join(names)}" for module, names in sorted(by_module.items())]


@functools.cache
def _living() -> dict[str, Any]:
    """Return what the helpers define and import, by name: what a written module has as text, the tool has already."""
    found: dict[str, Any] = {}
    for room in helpers.ROOMS:
        found |= vars(importlib.import_module(f"{helpers.__name__}.{room}"))
    return {name: value for name, value in found.items() if not name.startswith("__")}


@functools.lru_cache(maxsize=4096)
def _code(text: str, file: str) -> types.CodeType:
    return compile(text, file, "exec")


def run_source(source: Source) -> Callable[..., Any]:
    """Return the function that generated source is, beside all that it uses."""
    imports = [*source.imports, ""] if source.imports else []
    parts = ["from __future__ import annotations", *imports, *source.classes.values(), source.text]
    function: Callable[..., Any] = _executed("\n".join(parts), source.name, _living())[source.name]
    return function


def run_module(text: str, name: str, names: Mapping[str, Any] | None = None) -> dict[str, Any]:
    """Execute a generated module, which may use `names`, and return what it defines; tracebacks show its lines."""
    if "BESIDE: " in text:  # what the tool sets is the tool's own
        names = {**(names or {}), "BESIDE": helpers.BESIDE}
        text = "\n".join(line for line in text.splitlines() if not line.startswith("BESIDE: "))
    return _executed(text, name, names or {})


def _executed(text: str, name: str, names: Mapping[str, Any]) -> dict[str, Any]:
    file = f"<vast ferry: {name}>"
    linecache.cache[file] = (len(text), None, text.splitlines(keepends=True), file)
    module = types.ModuleType(name)
    module.__dict__.update(names)
    exec(_code(text, file), module.__dict__)  # noqa: S102  (our own generated source)
    return module.__dict__
