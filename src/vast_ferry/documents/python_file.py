"""Declarations in Python code, without running it: the decorators of functions, with their arguments as plain data."""

from __future__ import annotations

import ast
import copy
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from vast_ferry.documents.document import read_text
from vast_ferry.hub.findings import BadInput, FerryError, Place


class Computed(FerryError):
    """An argument whose value only running the code would tell."""


@dataclass(frozen=True, slots=True)
class Decorator:
    """One decorator: its path as it is known to the module that it comes from, its arguments, and where it stands.

    `arguments` maps a name to (value, place); a value that is computed is kept in `computed` with its source.
    """

    path: str
    arguments: Mapping[str, tuple[Any, Place]]
    computed: Mapping[str, tuple[str, Place]]
    place: Place


@dataclass(frozen=True, slots=True)
class Decorated:
    """One function at the top of a module, and the decorators that it has of a provider's, outermost first."""

    name: str
    decorators: tuple[Decorator, ...]
    place: Place
    stands_for: Called | None = None  # the function that it only calls, with what it is called with


@dataclass(frozen=True, slots=True)
class Called:
    """A function of another module: its module, its name there, and the parameters that it is called with."""

    module: str
    name: str
    parameters: tuple[str, ...]


def parse_python(path: Path, shown: str) -> ast.Module:
    """Return the syntax tree of a file; raises BadInput, with line and column, where it is not Python."""
    try:
        return ast.parse(path.read_bytes())
    except SyntaxError as error:
        raise BadInput(
            f"the file is not Python: {error.msg}", "Mend the line", Place(shown, error.lineno or 1, error.offset or 0)
        ) from None
    except (ValueError, RecursionError, MemoryError) as error:
        raise BadInput(f"the file is not Python: {error}", "Mend the file", Place(shown)) from None


def constants_of(tree: ast.Module) -> dict[str, Any]:
    """Return the plain values that a module binds to names at its top, each once."""
    found: dict[str, Any] = {}
    twice: set[str] = set()
    for node in tree.body:
        if isinstance(node, ast.Assign) and len(node.targets) == 1 and isinstance(node.targets[0], ast.Name):
            name, value = node.targets[0].id, node.value
        elif isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name) and node.value is not None:
            name, value = node.target.id, node.value
        else:
            continue
        if name in found:
            twice.add(name)
        try:
            found[name] = ast.literal_eval(value)
        except (ValueError, TypeError, SyntaxError, MemoryError, RecursionError):
            continue
    return {name: value for name, value in found.items() if name not in twice}


def value_of(node: ast.expr, constants: Mapping[str, Any]) -> Any:
    """Return the value of an expression of literals and of a module's constants; raises Computed for any other."""
    if isinstance(node, ast.Name):
        if node.id in constants:
            return constants[node.id]
        raise Computed(node.id)
    if isinstance(node, ast.List | ast.Tuple):
        return [value_of(item, constants) for item in node.elts]
    if isinstance(node, ast.Dict):
        return {
            value_of(key, constants): value_of(value, constants)
            for key, value in zip(node.keys, node.values, strict=True)
            if key is not None
        }
    try:
        return ast.literal_eval(node)
    except (ValueError, TypeError, SyntaxError, MemoryError, RecursionError):
        raise Computed(_without_texts(node)) from None


def _without_texts(node: ast.expr) -> str:
    """Return an expression's source with its texts left out: one of them may be a secret."""

    class Hidden(ast.NodeTransformer):
        def visit_Constant(self, constant: ast.Constant) -> ast.expr:
            hidden = isinstance(constant.value, str | bytes)
            return ast.copy_location(ast.Name("…", ast.Load()), constant) if hidden else constant

        def visit_JoinedStr(self, text: ast.JoinedStr) -> ast.expr:
            return ast.copy_location(ast.Name("f…", ast.Load()), text)

    return ast.unparse(Hidden().visit(copy.deepcopy(node)))


def read_decorators(
    path: Path, shown: str, module: str, decorators: Mapping[str, Sequence[str]]
) -> Iterator[Decorated]:
    """Yield the functions of a file that carry decorators of a module; `decorators` maps a path to its parameters.

    Raises BadInput for what is not Python.
    """
    text = read_text(path, shown, "the file")
    if module not in text:  # most files declare nothing
        return
    tree = parse_python(path, shown)
    names = _imported(tree, module)
    constants = constants_of(tree)
    for node in tree.body:
        if not isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            continue
        made = []
        for decorator in node.decorator_list:
            call = decorator.func if isinstance(decorator, ast.Call) else decorator
            root, _, rest = ast.unparse(call).partition(".")
            own = ".".join(part for part in (names.get(root, "\0"), rest) if part)
            if own in decorators:
                made.append(_decorator(own, decorator, decorators[own], constants, shown))
        if made:
            place = Place(shown, node.lineno, node.col_offset + 1)
            yield Decorated(node.name, tuple(made), place, _only_calls(tree, node))


@dataclass(frozen=True, slots=True)
class Registered:
    """A handler that a call hands over: its module and name, and the call as if it decorated it."""

    module: str
    name: str
    call: Decorator


@dataclass(frozen=True, slots=True)
class Registering:
    """How handlers are handed over: by `calls` (method → positional arguments) on an object of a module's class.

    `handler` names the argument that is the function.
    """

    module: str
    made_of: str
    calls: Mapping[str, Sequence[str]]
    handler: str


def read_calls(path: Path, shown: str, how: Registering) -> tuple[str, list[Registered], list[tuple[str, Place]]]:
    """Return what the object is made with, the handlers that calls on it hand over, and the calls that can't be read.

    Of these, what is called and where: one that is not known, or does not stand at the top of the file by itself.

    Raises BadInput for what is not Python, and for a handler that is no function of a module that is imported.
    """
    tree = parse_python(path, shown)
    names, constants = _imported(tree, how.module), constants_of(tree)
    title, objects, found, read = "", set[str](), list[Registered](), set[int]()
    for node in tree.body:
        value = node.value if isinstance(node, ast.Assign | ast.Expr) else None
        if not isinstance(value, ast.Call):
            continue
        if isinstance(node, ast.Assign) and _stands_for(value.func, names) == how.made_of:
            objects |= {target.id for target in node.targets if isinstance(target, ast.Name)}
            first = value.args[0] if value.args else None
            title = str(first.value) if isinstance(first, ast.Constant) else ""
        of = value.func.value if isinstance(value.func, ast.Attribute) else None
        if isinstance(of, ast.Name) and of.id in objects and isinstance(value.func, ast.Attribute):
            method = value.func.attr
            if method in how.calls:
                made = _decorator(method, value, how.calls[method], constants, shown)
                given = [*zip(how.calls[method], value.args, strict=False)]
                given += [(one.arg, one.value) for one in value.keywords if one.arg]
                function = next((inner for argument, inner in given if argument == how.handler), None)
                found.append(_registered(tree, made, function, how.handler))
                read.add(id(value))
                read.add(id(value))
    return title, found, [one[:2] for one in _calls_on(tree, objects, shown) if one[2] not in read]


def _calls_on(tree: ast.Module, objects: Collection[str], shown: str) -> list[tuple[str, Place, int]]:
    """Return every call on an object, wherever it stands: what is called, where, and the call's identity."""
    return [
        (f"{node.func.value.id}.{node.func.attr}", Place(shown, node.lineno, node.col_offset + 1), id(node))
        for node in ast.walk(tree)
        if isinstance(node, ast.Call)
        and isinstance(node.func, ast.Attribute)
        and isinstance(node.func.value, ast.Name)
        and node.func.value.id in objects
    ]


def _stands_for(node: ast.expr, names: Mapping[str, str]) -> str:
    root, _, rest = ast.unparse(node).partition(".")
    return ".".join(part for part in (names.get(root, "\0"), rest) if part)


def _registered(tree: ast.Module, call: Decorator, function: ast.expr | None, handler: str) -> Registered:
    """Return a call with the function that it hands over; raises BadInput where that is none of an imported module."""
    found = _imported_function(tree, function) if function is not None else None
    if found is None:
        raise BadInput(
            f"{call.path} is given {'no function' if function is None else _without_texts(function)} to call",
            "Hand over a function of a module that this file imports",
            call.place,
        )
    computed = {name: source for name, source in call.computed.items() if name != handler}
    return Registered(*found, Decorator(call.path, call.arguments, computed, call.place))


def _imported_function(tree: ast.Module, node: ast.expr) -> tuple[str, str] | None:
    """Return the module and the name of a function that an imported name, or an attribute of one, stands for."""
    *before, name = ast.unparse(node).split(".")
    for one in (one for one in tree.body if isinstance(one, ast.Import | ast.ImportFrom)):
        for alias in one.names:
            if not before and isinstance(one, ast.ImportFrom) and (alias.asname or alias.name) == name:
                return one.module or "", alias.name
            bound = (alias.asname or alias.name) == ".".join(before)
            if before and bound:
                return (f"{one.module}.{alias.name}" if isinstance(one, ast.ImportFrom) else alias.name), name
    return None


def only_declares(tree: ast.Module, declared: Collection[str]) -> bool:
    """Tell whether a file holds nothing but a docstring, imports, and functions that are declared in it."""
    for node in tree.body:
        text = isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
        own = isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and node.name in declared
        if not (text or own or isinstance(node, ast.Import | ast.ImportFrom)):
            return False
    return True


def parameters_of(tree: ast.Module, name: str) -> tuple[str, ...]:
    """Return the parameters of a function at the top of a file; none where there is no such function."""
    for node in tree.body:
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and node.name == name:
            return tuple(one.arg for one in node.args.args)
    return ()


def what_functions_call(tree: ast.Module) -> dict[str, Called | None]:
    """Return the functions at the top of a file, by name, and what each only calls with its own parameters."""
    made = (node for node in tree.body if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef))
    return {node.name: _only_calls(tree, node) for node in made}


def _only_calls(tree: ast.Module, node: ast.FunctionDef | ast.AsyncFunctionDef) -> Called | None:
    """Return the imported function that another only calls, with just its own parameters."""
    body = [one for one in node.body if not (isinstance(one, ast.Expr) and isinstance(one.value, ast.Constant))]
    imports = [one for one in (*tree.body, *body[:-1]) if isinstance(one, ast.ImportFrom)]
    last = body[-1] if body else None
    if not isinstance(last, ast.Return) or any(not isinstance(one, ast.ImportFrom) for one in body[:-1]):
        return None
    call = last.value.value if isinstance(last.value, ast.Await) else last.value
    if not isinstance(call, ast.Call) or not isinstance(call.func, ast.Name) or call.keywords:
        return None
    parameters = tuple(one.arg for one in node.args.args)
    if tuple(one.id if isinstance(one, ast.Name) else "" for one in call.args) != parameters:
        return None
    for one in imports:
        for alias in one.names:
            if (alias.asname or alias.name) == call.func.id and one.module and not one.level:
                return Called(one.module, alias.name, parameters)
    return None


def _imported(tree: ast.Module, module: str) -> dict[str, str]:
    """Return what names of a file stand for within a module; the module itself is an empty text."""
    names: dict[str, str] = {}
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module == module and node.level == 0:
            names.update({alias.asname or alias.name: alias.name for alias in node.names})
        elif isinstance(node, ast.Import):
            names.update({alias.asname or alias.name: "" for alias in node.names if alias.name == module})
    return names


def _decorator(
    path: str, node: ast.expr, parameters: Sequence[str], constants: Mapping[str, Any], shown: str
) -> Decorator:
    place = Place(shown, node.lineno, node.col_offset + 1)
    arguments: dict[str, tuple[Any, Place]] = {}
    computed: dict[str, tuple[str, Place]] = {}
    given: list[tuple[str, ast.expr]] = []
    if isinstance(node, ast.Call):
        if len(node.args) > len(parameters):
            raise BadInput(
                f"{path} takes {len(parameters)} positional arguments, and {len(node.args)} are given",
                "Name them",
                place,
            )
        given += zip(parameters, node.args, strict=False)
        given += [(keyword.arg or "**", keyword.value) for keyword in node.keywords]
    for name, value in given:
        here = Place(shown, value.lineno, value.col_offset + 1)
        if name in arguments or name in computed:
            raise BadInput(f"{path} is given {name} twice", "Give it once", here)
        try:
            arguments[name] = value_of(value, constants), here
        except Computed as error:
            computed[name] = str(error), here
    return Decorator(path, arguments, computed, place)
