"""Functions declared in code, written as a module: by calls that hand handlers over, by decorators or comments."""

from __future__ import annotations

import keyword
from itertools import takewhile
from typing import Any

from vast_ferry.definitions.filters.captures import captures_of
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import Project
from vast_ferry.mapping.tables import taken
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.schema_definition import CodeModel, CommentsModel, DefinitionModel


def write_calls(
    project: Project, functions: dict[str, dict[str, Any]], model: DefinitionModel, comments: tuple[str, ...]
) -> str:
    """Return a module in which calls hand every function's handler over."""
    calls = model.functions.calls
    assert calls is not None
    lines = [
        f'"""The functions of {project.name!r}."""'.replace("'", ""),
        "",
        *(f"# {comment}" for comment in comments),
    ]
    lines += [f"import {calls.module}"]
    modules = sorted({function.entry.module for function in project.functions})
    short = [module.rpartition(".")[2] for module in modules]
    names = {m: one if short.count(one) == 1 else m.replace(".", "_") for m, one in zip(modules, short, strict=True)}
    lines += [_import_of(module, name) for module, name in names.items()]
    lines += ["", f"project = {calls.module}.{calls.object}({literal(project.name)})", ""]
    for function in project.functions:
        for trigger in functions[function.name].get(model.functions.triggers_at, []):
            method = next(key for key in calls.calls if key in trigger)
            positional = calls.calls[method]
            handler = f"{names[function.entry.module]}.{function.entry.name}"
            values = {
                **{key: literal(value) for key, value in trigger.items() if key != method},
                calls.handler: handler,
            }
            if function.name != calls.usual_name.format(
                module=function.entry.module.rpartition(".")[2], function=function.entry.name
            ):
                values[calls.named] = literal(function.name)
            first = [values.pop(name) for name in takewhile(values.__contains__, positional)]
            named = [f"{name}={value}" for name, value in values.items()]
            lines.append(f"project.{method}({', '.join([*first, *named])})")
    return "\n".join(lines) + "\n"


def _import_of(module: str, name: str) -> str:
    package, _, last = module.rpartition(".")
    known = f" as {name}" if name != last else ""
    return f"from {package} import {last}{known}" if package else f"import {last}{known}"


def write_decorated(
    project: Project, functions: dict[str, dict[str, Any]], profile: Profile, code: CodeModel, comments: tuple[str, ...]
) -> str:
    """Return a module in which every function is declared by decorators and calls the handler that its entry names."""
    triggers_at = profile.model.definition.functions.triggers_at if profile.model.definition else ""
    roots = sorted({path.partition(".")[0] for path in code.decorators})
    lines = [f'"""The functions of {project.name!r}, declared for {profile.title}."""'.replace("'", ""), ""]
    lines += [f"# {comment}" for comment in comments]
    lines += ["", f"from {code.module} import {', '.join(roots)}"]
    said: dict[str, list[str]] = {}
    for function in project.functions:
        data = dict(functions[function.name])
        triggers = data.pop(triggers_at, [])
        said[function.name] = [f"@{code.settings}({_arguments({'name': function.name, **data})})"]
        for trigger in triggers:
            path = next(key for key in trigger if key in code.decorators)
            arguments = {key: value for key, value in trigger.items() if key != path}
            said[function.name].append(f"@{path}({_arguments(arguments)})")
    return _calling(project, said, profile, lines)


def write_commented(
    project: Project, said: dict[str, list[str]], profile: Profile, model: CommentsModel, comments: tuple[str, ...]
) -> str:
    """Return a module in which every function is declared by comments and calls the handler that its entry names."""
    lines = [f'"""The functions of {project.name!r}, declared for {profile.title}."""'.replace("'", ""), ""]
    lines += [f"# {comment}" for comment in comments]
    by = profile.model.definition.functions.named_by if profile.model.definition else ""
    marked = {
        name: [f"{model.mark} {line}".rstrip() for line in ([f"{by}: {name}"] if by else []) + (one or ["{}"])]
        for name, one in said.items()
    }
    return _calling(project, marked, profile, [*lines, ""], named=not by)


def _calling(
    project: Project, said: dict[str, list[str]], profile: Profile, lines: list[str], *, named: bool = False
) -> str:
    """Return a module of functions that call the handlers, each below what is said of it, `named` as it is declared."""
    used: dict[str, str] = {}
    # What one handler's module does when it is imported (it may read a setting) is nothing to the other functions.
    apart = len({function.entry.file for function in project.functions}) > 1
    body: list[str] = []
    for index, function in enumerate(project.functions):
        alias = (
            f"_{function.entry.name}" if f"_{function.entry.name}" not in used else f"_{function.entry.name}_{index}"
        )
        used[alias] = f"from {function.entry.module} import {function.entry.name} as {alias}"
        body += ["", "", *said[function.name]]
        shape = profile.kind(function.kinds[0]).event
        event = next((one.name for one in function.bindings if one.way == "event"), shape.event_parameters[0])
        first = [event if name == shape.event_parameters[0] else name for name in shape.handed_over]
        captured = [name for one in function.bindings if one.way == "event" for name in captures_of(one.key)]
        wires = [one.name for one in function.bindings if one.way != "event"]
        taking = taken([*first, *captured, *wires], shape.spread, function.captured)
        word = "async def" if profile.model.handler.asynchronous else "def"
        call = f"{alias}({', '.join(one for one in taking if one != '/')})"
        name = function.name if named else alias[1:]
        if not name.isidentifier() or keyword.iskeyword(name):
            why = f"{name!r} can't be the name of a function, as each has at {profile.title}"
            raise BadInput(why, "Rename it: letters, digits and `_`")
        inside = [f"    {used[alias]}", ""] if apart else []
        body += [f"{word} {name}({', '.join(taking)}):", *inside, f"    return {'await ' * (word != 'def')}{call}"]
    return "\n".join([*lines, *([] if apart else used.values()), *body]) + "\n"


def _arguments(data: dict[str, Any]) -> str:
    for name in data:
        if not name.isidentifier() or keyword.iskeyword(name):
            raise BadInput(f"{name!r} can't be an argument of a decorator", "Rename it in the profile")
    return ", ".join(f"{name}={literal(value)}" for name, value in data.items())


def literal(value: Any) -> str:
    """Return a value as Python source, texts in double quotes as code is usually written."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{literal(key)}: {literal(inner)}" for key, inner in value.items()) + "}"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(map(literal, value)) + "]"
    if isinstance(value, str) and value.isprintable() and '"' not in value and "\\" not in value:
        return f'"{value}"'
    return repr(value)
