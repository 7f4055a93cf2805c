"""Handlers that are classes: one object is set up before the first event, and a method of it handles each.

At a provider whose handlers are functions the class stays what it is, less what it was told when it was set up: that is
a call's, and comes with each event. A function beside it takes the events, and has the object set up before the first.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator

from vast_ferry.mapping.python import docstring
from vast_ferry.mapping.tables import Kind, taken
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.values import Class, Key, Stop


def handling(flow: Flow, cls: Key, kind: Kind) -> Function | None:
    """Return the method of a class by which it handles events; what sets it up goes with it."""
    node = flow.classes.get(cls)
    method = flow.functions.get((cls[0], f"{cls[1]}.{kind.method}")) if kind.method else None
    if node is None or method is None or node.bases or node.keywords or node.decorator_list:
        return None
    setup = flow.functions.get((cls[0], f"{cls[1]}.{kind.setup}"))
    made = flow.functions.get((cls[0], f"{cls[1]}.__init__"))
    if any(one is not None and one.node.decorator_list for one in (method, setup, made)):
        return None
    if made is not None and made.parameters:
        return None
    if setup is not None and isinstance(setup.node, ast.AsyncFunctionDef):  # who makes the object would have to wait
        return None
    if setup is not None:
        setup.sets_up = True
    flow.set_up.add(cls)
    method.together = tuple(one.key for one in (setup, made) if one is not None)
    return method


def methods_of(flow: Flow, cls: Key) -> Iterator[Key]:
    """Yield the methods of a class, its own and those that it has from classes of the project."""
    above = set(flow.above(cls)) if cls in flow.classes else set()
    for key, function in flow.functions.items():
        if function.cls in above:
            yield key


def stop_used_classes(flow: Flow) -> None:
    """Stop handlers whose classes others use: their methods take something else now."""
    for cls in sorted(flow.set_up):
        module = flow.modules[cls[0]]
        named = [name for one in flow.modules.values() for name, value in one.names.items() if value == Class(cls)]
        used = [use for name in named for one in flow.modules.values() for use in one.nodes.uses(name)]
        methods = [flow.functions[key] for key in methods_of(flow, cls)]
        own = [one for one in methods if one.entry or one.sets_up]
        called = [node for one in own for _, node in one.calls]
        handed_on = [node for one in methods for node in _handed_on(one)]
        held = next((node for node in [*used, *called, *handed_on]), None)
        if held is not None or len(named) > 1 or any(one.referred for one in own):
            for one in own:
                one.stop = one.stop or Stop("class-used", held or module.tree, cls[1])


def _handed_on(function: Function) -> Iterator[ast.AST]:
    """Yield where a method hands its object on: what it was told when it was set up is not in it any more."""
    arguments = function.node.args.args
    for use in function.nodes.uses(arguments[0].arg) if arguments and not function.static else ():
        parent = function.nodes.parents.get(id(use))
        if not isinstance(parent, ast.Attribute) or parent.attr.startswith("__"):
            yield use


def taking_events(
    function: Function, name: str, set_up: str, parameters: list[str], *, awaited: bool, first: bool
) -> str:
    """Return the functions that take a class's events: one that sets its object up, and the handler.

    The `first` handler of a class brings what sets its object up; others use the same object.
    """
    assert function.cls is not None
    cls, given = function.cls[1], ", ".join(one for one in parameters if one != "/")
    prepared = [key[1].rpartition(".")[2] for key in function.together]
    lines = [f"    made.{one}()" for one in prepared if one != "__init__"]
    made = [f"    made = {cls}()", *lines, "    return made"] if lines else [f"    return {cls}()"]
    word, wait = ("async def", "await ") if awaited else ("def", "")
    about = docstring(f"Return the one {cls}, set up before its first event.")
    before = ["@functools.cache", f"def {set_up}():", f"    {about}", *made, "", ""] if first else []
    return "\n".join(
        [
            *before,
            f"{word} {name}({', '.join(parameters)}):",
            f"    return {wait}{set_up}().{function.node.name}({given})",
            "",
        ]
    )


def name_beside(function: Function, taken: set[str], *, several: bool = False) -> str:
    """Return a name for the function that takes a class's events, with its method where `several` do."""
    assert function.cls is not None
    words = "".join(f"_{c.lower()}" if c.isupper() else c for c in function.cls[1]).strip("_")
    name = words if words.isidentifier() and words != function.cls[1] else f"handle_{words}"
    if several:
        name = f"{name}_{function.node.name}"
    while name in taken or f"set_up_{name}" in taken:
        name += "_"
    return name


def handing_on(kind: Kind, name: str, called: str, *, awaited: bool) -> str:
    """Return a class whose object hands events on to a function, with what it was told when it was set up."""
    word, wait = ("async def", "await ") if awaited else ("def", "")
    kept = kind.setup_takes if kind.setup else ()
    handed = kind.event.handed_over
    spread = kind.event.spread
    given = ", ".join(f"self.{one}" if one in kept else one for one in taken([*handed], spread, ()))
    lines = [f"class {name}:", f"    {docstring(f'Hands events on to {called}.')}", ""]
    if kept:
        lines += [
            f"    def {kind.setup}(self, {', '.join(kept)}):",
            *(f"        self.{one} = {one}" for one in kept),
            "",
        ]
    own = taken([one for one in handed if one not in kept], spread, ())
    lines.append(f"    {word} {kind.method}({', '.join(['self', *own])}):")
    return "\n".join([*lines, f"        return {wait}{called}({given})", ""])


def class_name(called: str, taken: set[str]) -> str:
    """Return a name for the class that hands events on to a function."""
    name = "".join(word.capitalize() for word in called.split("_")) or "Handler"
    while name in taken or name == called:
        name += "_"
    return name
