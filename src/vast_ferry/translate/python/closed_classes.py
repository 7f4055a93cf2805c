"""Classes all of whose objects are seen, wherever they are: what is asked of anything else is not asked of them.

    controller = HiveController(HiveStore())

    def run(event, ctx):
        return controller.get(event, ctx)      # and `row.get("frames", 0)` asks for no method of it

A class is closed that is only called, and that at the top of a module, under names that are only asked for attributes,
or called, or one whose objects are seen wherever they go (`where_objects_go.py`); and whose methods ask `self` for
attributes alone, none of which begins with `__`. No decorator has it or a method of it, but for `property`,
`staticmethod` and those that say something of it to people. Classes that inherit from each other are closed together:
each of them has to be made and asked in this way, or only to be inherited from, and what they all begin with is no
class of others'.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Collection, Iterator, Mapping

from vast_ferry.translate.python.functions import DEFINITION, Definition, Module
from vast_ferry.translate.python.nodes import last_name
from vast_ferry.translate.python.where_objects_go import Named, WhereObjectsGo, looks_behind
from vast_ferry.translate.values import Class, Instance, Key, Own

#: Decorators of methods that hand their object to nobody.
_PLAIN = ("property", "staticmethod", "abstractmethod", "override", "final")
#: Methods by which a class has a hand in how others are made, or in what is asked of its objects.
_HAND_IN = frozenset(
    [
        "__new__",
        "__init_subclass__",
        "__class_getitem__",
        "__getattr__",
        "__getattribute__",
        "__set_name__",
        "__prepare__",
    ]
)

Kin = Callable[[Key], frozenset[Key]]


def closed_classes(
    modules: Mapping[str, Module], classes: Mapping[Key, ast.ClassDef], named: Named, kin: Kin
) -> Iterator[tuple[Key, list[ast.Attribute]]]:
    """Yield the classes of a project that are closed, be they called in whatever module.

    `kin` gives a class and all that it is related to, nothing where some of that is not the project's. With each class
    is told which attributes are asked of what may be an object of it, where that is not under its own name.
    """
    going = None if looks_behind(modules) else WhereObjectsGo(modules, classes, named)
    known: dict[frozenset[Key], bool] = {}  # whether a family is closed: it is asked for each that belongs to it
    for cls, node in classes.items():
        family = kin(cls)
        methods: list[Definition] = [one for one in node.body if isinstance(one, DEFINITION)]
        if node.decorator_list or not methods or not family:
            continue
        if family not in known:
            known[family] = all(_is_closed_among(modules, one, classes[one], family) for one in family)
        if known[family]:
            yield cls, []
        elif len(family) > 1 or node.keywords:
            continue
        elif all(_asks_itself_alone(m, modules[cls[0]].nodes.parents, anywhere=True) for m in methods):
            asked = going.all_asked_of(cls) if going is not None else None
            if asked is not None:
                yield cls, asked


def _is_closed_among(modules: Mapping[str, Module], cls: Key, node: ast.ClassDef, family: Collection[Key]) -> bool:
    """Tell whether a class of a family is closed if those are that it is related to."""
    methods: list[Definition] = [one for one in node.body if isinstance(one, DEFINITION)]
    if len(family) > 1 and (node.decorator_list or any(one.name in _HAND_IN for one in methods)):
        return False
    return is_closed(modules, cls, methods, family, anywhere=True)


def is_closed(
    modules: Mapping[str, Module],
    cls: Key,
    methods: list[Definition],
    family: Collection[Key] = (),
    *,
    anywhere: bool = False,
) -> bool:
    """Tell whether all that touches an object of a class is seen: its makers, its names, and its own methods.

    It is called in its own module only, or `anywhere`; those of its `family` may inherit from it.
    """
    module = modules[cls[0]]

    def is_plain(at: Module, use: ast.Name) -> bool:
        return _is_made_at_top(at, use, cls) or _is_inherited_from(at, use, family)

    if not all(is_plain(module, use) for use in module.nodes.uses(cls[1])):
        return False
    names = {name for one in modules.values() for name, value in one.names.items() if value == Instance(cls)}
    for other in modules.values():
        holders = any(isinstance(value, Own) for value in other.names.values())
        own = [name for name, value in other.names.items() if value == Class(cls)]
        uses = [use for name in own for use in other.nodes.uses(name)]
        if other is not module and own and not (anywhere and all(is_plain(other, use) for use in uses)):
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


def _is_inherited_from(module: Module, use: ast.Name, family: Collection[Key]) -> bool:
    """Tell whether a use of a class's name is that another of its family inherits from it."""
    above = module.nodes.parents.get(id(use))
    if not isinstance(above, ast.ClassDef) or not any(one is use for one in above.bases):
        return False
    return (module.file, above.name) in family and isinstance(module.nodes.parents.get(id(above)), ast.Module)


def _is_asked_or_called(use: ast.Name, parents: Mapping[int, ast.AST]) -> bool:
    above = parents.get(id(use))
    return isinstance(above, ast.Attribute) or (isinstance(above, ast.Call) and above.func is use)


def _asks_itself_alone(method: Definition, parents: Mapping[int, ast.AST], *, anywhere: bool) -> bool:
    """Tell whether a method only asks its object for attributes, under a name that never holds anything else."""
    known = [name for one in method.decorator_list if (name := last_name(one)) in _PLAIN]
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
