"""What sets up the objects of data classes, as the function that `dataclasses` makes of their fields.

It stands in no file: its parameters and its body stand where the fields do, and nothing can be written there. So it is
followed like what somebody wrote, and takes as it was whatever would need other text (`Function.made_up`).
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import dataclass

from vast_ferry.translate.python.classes import Classes
from vast_ferry.translate.python.functions import DEFINITION, Module
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.values import Key

_DATA_CLASS = "dataclasses.dataclass"


@dataclass(frozen=True, slots=True)
class _Field:
    """A field of a data class: where it stands, and how it is given when an object is made."""

    node: ast.Name
    default: ast.expr | None
    given: bool = True
    by_name: bool = False


class _Unclear(Exception):
    """What a class's fields are can't be told."""


def set_up_of(code: Classes, cls: Key) -> ast.FunctionDef | None:
    """Return what sets an object of a data class up; nothing where the class says so itself, or it can't be told."""
    own = _told(code, cls)
    if own is None or own.get("init", True) is not True:
        return None
    if any((cls[0], f"{cls[1]}.{name}") in code.functions for name in ("__init__", "__new__")):
        return None
    try:
        return _written(code, cls, list(_every_field(code, cls).values()))
    except _Unclear:
        return None


def fields_of(code: Classes, cls: Key) -> list[str]:
    """Return the names of the fields of a data class, and an empty one for those that can't be told."""
    own = [node.target for one in code.above(cls) for node in code.classes[one].body if isinstance(node, ast.AnnAssign)]
    return ["", *(one.id for one in own if isinstance(one, ast.Name))]


def is_data_class(code: Classes, cls: Key) -> bool:
    """Tell whether a class of the project is told to be a data class, or inherits from one that is."""
    return any(_told(code, one) is not None for one in code.above(cls))


def _told(code: Classes, cls: Key) -> dict[str, object] | None:
    """Return what a class tells `dataclass`; nothing where it is none."""
    for one in code.classes[cls].decorator_list:
        called = one.func if isinstance(one, ast.Call) else one
        if code.standard_name(code.modules[cls[0]], called) == _DATA_CLASS:
            keywords = one.keywords if isinstance(one, ast.Call) else []
            return {k.arg or "": k.value.value if isinstance(k.value, ast.Constant) else None for k in keywords}
    return None


def _every_field(code: Classes, cls: Key) -> dict[str, _Field]:
    """Return the fields of a class by name, those that it inherits before its own."""
    found: dict[str, _Field] = {}
    for one in reversed(code.above(cls)):
        if (told := _told(code, one)) is not None:
            if {*told} - {"init", "repr", "eq", "order", "unsafe_hash", "frozen", "match_args", "kw_only", "slots"}:
                raise _Unclear
            found |= {field.node.id: field for field in _own_fields(code, one, by_name=told.get("kw_only") is True)}
    if code.has_outside(cls):
        raise _Unclear
    return found


def _own_fields(code: Classes, cls: Key, *, by_name: bool) -> Iterator[_Field]:
    module, body = code.modules[cls[0]], code.classes[cls].body
    if any(isinstance(one, ast.AnnAssign) for node in body if not _is_plain(node) for one in walk(node)):
        raise _Unclear
    for node in body:
        if not isinstance(node, ast.AnnAssign) or not isinstance(node.target, ast.Name):
            continue
        told = {code.standard_name(module, one) for one in walk(node.annotation) if isinstance(one, ast.expr)}
        if "typing.ClassVar" in told:
            continue
        if "dataclasses.InitVar" in told or any(map(_is_a_text, walk(node.annotation))):
            raise _Unclear
        if "dataclasses.KW_ONLY" in told:
            by_name = True
            continue
        yield _field(code, module, node, by_name=by_name)


def _is_a_text(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and isinstance(node.value, str)


def _is_plain(node: ast.stmt) -> bool:
    return isinstance(node, (ast.AnnAssign, *DEFINITION))


def _field(code: Classes, module: Module, node: ast.AnnAssign, *, by_name: bool) -> _Field:
    assert isinstance(node.target, ast.Name)
    value = node.value
    if not isinstance(value, ast.Call) or code.standard_name(module, value.func) != "dataclasses.field":
        return _Field(node.target, value, by_name=by_name)
    told = {keyword.arg: keyword.value for keyword in value.keywords}
    flags = {name: told[name] for name in ("init", "kw_only") if name in told}
    if None in told or not all(isinstance(one, ast.Constant) for one in flags.values()):
        raise _Unclear
    said = {name: one.value for name, one in flags.items() if isinstance(one, ast.Constant)}
    default = value if {"default", "default_factory"} & {*told} else None
    return _Field(
        node.target, default, given=said.get("init") is not False, by_name=said.get("kw_only", by_name) is True
    )


def factory_of(value: ast.expr) -> ast.expr | None:
    """Return what makes the usual value of a field: `field(default_factory=Store)`."""
    keywords = value.keywords if isinstance(value, ast.Call) else []
    return next((one.value for one in keywords if one.arg == "default_factory"), None)


def _written(code: Classes, cls: Key, fields: list[_Field]) -> ast.FunctionDef:
    """Return the function that takes the fields, and has its object keep them."""
    node = code.classes[cls]
    taken = [one for one in fields if one.given]
    placed = [one for one in taken if not one.by_name]
    named = [one for one in taken if one.by_name]
    own = ast.copy_location(ast.arg("self"), node)
    arguments = ast.arguments(
        posonlyargs=[],
        args=[own, *(ast.copy_location(ast.arg(one.node.id), one.node) for one in placed)],
        vararg=None,
        kwonlyargs=[ast.copy_location(ast.arg(one.node.id), one.node) for one in named],
        kw_defaults=[one.default for one in named],
        kwarg=None,
        defaults=[one.default for one in placed if one.default is not None],
    )
    body: list[ast.stmt] = [_keeps(one.node) for one in taken]
    made = ast.FunctionDef("__init__", arguments, body or [ast.copy_location(ast.Pass(), node)], [], None, None)
    return ast.copy_location(made, node)


def _keeps(field: ast.Name) -> ast.Assign:
    own = ast.copy_location(ast.Name("self", ast.Load()), field)
    target = ast.copy_location(ast.Attribute(own, field.id, ast.Store()), field)
    return ast.copy_location(ast.Assign([target], ast.copy_location(ast.Name(field.id, ast.Load()), field)), field)
