"""Classes all of whose objects are seen, wherever they are: what is asked of anything else is not asked of them.

    controller = HiveController(HiveStore())

    def run(event, ctx):
        return controller.get(event, ctx)      # and `row.get("frames", 0)` asks for no method of it

A class is closed that is only called, and that at the top of a module, under names that are only asked for attributes,
or called, or one whose objects are seen wherever they go (`where_objects_go.py`); and whose methods ask `self` for
attributes alone, none of which begins with `__`. It inherits from nothing, nothing inherits from it, and no decorator
has it or a method of it, but for `property` and `staticmethod`.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator, Mapping

from vast_ferry.translate.python.functions import DEFINITION, Definition, Module
from vast_ferry.translate.python.where_objects_go import Named, WhereObjectsGo, looks_behind
from vast_ferry.translate.values import Class, Instance, Key, Own

#: Decorators of methods that hand their object to nobody.
_PLAIN = ("property", "staticmethod")


def closed_classes(
    modules: Mapping[str, Module], classes: Mapping[Key, ast.ClassDef], named: Named
) -> Iterator[tuple[Key, list[ast.Attribute]]]:
    """Yield the classes of a project that are closed, be they called in whatever module.

    With each is told which attributes are asked of what may be an object of it, where that is not under its own name.
    """
    going = None if looks_behind(modules) else WhereObjectsGo(modules, classes, named)
    inherited = {ast.unparse(base).rpartition(".")[2] for node in classes.values() for base in node.bases}
    for cls, node in classes.items():
        plain = not node.decorator_list and not node.bases and not node.keywords and cls[1] not in inherited
        methods: list[Definition] = [one for one in node.body if isinstance(one, DEFINITION)]
        if not plain or not methods:
            continue
        if is_closed(modules, cls, methods, anywhere=True):
            yield cls, []
        elif all(_asks_itself_alone(m, modules[cls[0]].nodes.parents, anywhere=True) for m in methods):
            asked = going.all_asked_of(cls) if going is not None else None
            if asked is not None:
                yield cls, asked


def is_closed(modules: Mapping[str, Module], cls: Key, methods: list[Definition], *, anywhere: bool = False) -> bool:
    """Tell whether all that touches an object of a class is seen: its makers, its names, and its own methods.

    It is called in its own module only, or `anywhere`.
    """
    module = modules[cls[0]]
    if not all(_is_made_at_top(module, use, cls) for use in module.nodes.uses(cls[1])):
        return False
    names = {name for one in modules.values() for name, value in one.names.items() if value == Instance(cls)}
    for other in modules.values():
        holders = any(isinstance(value, Own) for value in other.names.values())
        own = [name for name, value in other.names.items() if value == Class(cls)]
        uses = [use for name in own for use in other.nodes.uses(name)]
        if other is not module and own and not (anywhere and all(_is_made_at_top(other, use, cls) for use in uses)):
            return False
        for name in [name for name, value in other.names.items() if value == Instance(cls)]:
            asked = [use for use in other.nodes.uses(name) if isinstance(use.ctx, ast.Load)]
            if not all(_is_asked_or_called(use, other.nodes.parents) for use in asked):
                return False
        if holders and any(one.attr in {*names, cls[1]} for one in other.nodes.each(ast.Attribute)):
            return False
    return all(_asks_itself_alone(method, module.nodes.parents, anywhere=anywhere) for method in methods)


def _is_made_at_top(module: Module, use: ast.Name, cls: Key) -> bool:
    """Tell whether a use of a class's name makes an object of it that gets a name at the top of the module."""
    parents = module.nodes.parents
    call = parents.get(id(use))
    made = parents.get(id(call)) if isinstance(call, ast.Call) and call.func is use else None
    if not isinstance(made, ast.Assign) or not isinstance(parents.get(id(made)), ast.Module):
        return False
    target = made.targets[0] if len(made.targets) == 1 else None
    return isinstance(target, ast.Name) and module.names.get(target.id) == Instance(cls)


def _is_asked_or_called(use: ast.Name, parents: Mapping[int, ast.AST]) -> bool:
    above = parents.get(id(use))
    return isinstance(above, ast.Attribute) or (isinstance(above, ast.Call) and above.func is use)


def _asks_itself_alone(method: Definition, parents: Mapping[int, ast.AST], *, anywhere: bool) -> bool:
    """Tell whether a method only asks its object for attributes, under a name that never holds anything else."""
    known = [one.id for one in method.decorator_list if isinstance(one, ast.Name) and one.id in _PLAIN]
    if len(known) != len(method.decorator_list) or (known and not anywhere):
        return False
    if "staticmethod" in known:
        return True
    if not method.args.args:
        return False
    own = method.args.args[0].arg
    uses = [one for one in ast.walk(method) if isinstance(one, ast.Name) and one.id == own]
    inner = [one for one in ast.walk(method) if isinstance(one, ast.arg) and one.arg == own]
    asked = [parents.get(id(use)) for use in uses if isinstance(use.ctx, ast.Load)]
    plain = all(isinstance(one, ast.Attribute) and not one.attr.startswith("__") for one in asked)
    return len(inner) == 1 and plain and len(asked) == len(uses)
