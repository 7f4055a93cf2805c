"""What a profile gives handlers in JavaScript: the modules that they import, and what calls them in a stand-in.

A surface is a profile as `Profile.javascript` gives it.
"""

from __future__ import annotations

import ast
import functools
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Final

from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import Binding
from vast_ferry.mapping.clients import HUB_CLIENTS, Client
from vast_ferry.mapping.javascript.bindings import deliver_bound
from vast_ferry.mapping.javascript.clients import client_code
from vast_ferry.mapping.javascript.delivery import Delivery, deliver
from vast_ferry.mapping.javascript.functions import Takes, lens_function
from vast_ferry.mapping.javascript.library import module_text
from vast_ferry.mapping.javascript.names import camel
from vast_ferry.mapping.javascript.writing import NoTwin, literal
from vast_ferry.mapping.tables import HUB_BATCHES, HUB_CALLS, HUB_DONE, Kind, hub_answer
from vast_ferry.profiles import schema
from vast_ferry.profiles.profile import Profile

#: From where a stand-in's modules have the services.
SERVICES: Final = 'import { operate } from "stand-in:services";'


def surface_of(profile: Profile) -> Profile:
    """Return how handlers in JavaScript meet a provider; raises BadInput where none run there."""
    made = profile.javascript
    if made is None:
        raise BadInput(f"{profile.title} runs no JavaScript", "Name another provider, or carry these functions apart")
    return made


def takes_of(surface: Profile) -> Takes:
    """Return the parameters of each class that handlers import, by its full name."""
    return {
        f"{module}.{name}": tuple(one.takes)
        for module, classes in surface.model.modules.items()
        for name, one in classes.items()
    }


def module_names(surface: Profile) -> frozenset[str]:
    """Return the modules that handlers import from a provider."""
    parameters = surface.model.handler.parameters
    roots = {client.root for client in surface.clients if client.root not in parameters}
    return frozenset({*surface.model.modules, *roots})


def class_text(name: str, model: schema.ClassModel) -> str:
    """Return a class whose objects keep what they are made of: the first by itself, the others by their names."""
    names = [camel(one.partition("=")[0].strip()) for one in model.takes]
    about = f"/** {model.about} */\n" if model.about else ""
    above = " extends Error" if model.error else ""
    lines = [f"constructor({_given(model.takes)}) {{", *["  super();"] * model.error]
    lines += [*(f"  this.{one} = {one};" for one in names), "}"]
    for method, attribute in model.adds.items():
        held = f"this.{camel(attribute)}"
        added = f'  {held} = [...headerFields({held}, "name", "value"), [name, value]];'
        lines += ["", f"{camel(method)}(name, value) {{", added, "  return this;", "}"]
    for method, attribute in model.sets.items():
        lines += ["", f"{camel(method)}(value) {{", f"  this.{camel(attribute)} = value;", "  return this;", "}"]
    for method, maker in model.makers.items():
        value, *others = [camel(one.partition("=")[0].strip()) for one in maker.takes]
        fields = camel(maker.fields)
        listed = f'headerFields({fields}, "name", "value")' if fields in others else "[]"
        typed = f'withTypeFor({listed}, "json", {literal({"json": maker.type})}, {literal(maker.type_first)})'
        made = {camel(maker.content): f"jsonInStyle({value}, {literal(maker.style)})", fields: typed}
        made |= {one: one for one in others if one != fields}
        first = made.pop(names[0], "null")
        told = ", ".join(one if one == text else f"{one}: {text}" for one, text in made.items())
        lines += [
            "",
            f"static {camel(method)}({_given(maker.takes)}) {{",
            f"  return new this({first}, {{ {told} }});",
            "}",
        ]
    body = "\n".join(f"  {line}" if line else "" for line in lines)
    return f"{about}class {name}{above} {{\n{body}\n}}"


def _given(takes: Sequence[str]) -> str:
    """Return the parameters of what makes an object: the first by itself, the others in an object at the end."""
    if not takes:
        return ""
    first, *others = (one.partition("=") for one in takes)
    named = ", ".join(f"{camel(own.strip())} = {_usual(usual) or 'null'}" for own, _, usual in others)
    own, _, usual = first
    head = f"{camel(own.strip())} = {_usual(usual)}" if usual else camel(own.strip())
    return f"{head}, {{ {named} }} = {{}}" if named else head


def _usual(default: str) -> str:
    return literal(ast.literal_eval(default.strip())) if default.strip() else ""


def module_over(
    surface: Profile, name: str, theirs: Mapping[str, Client], imports: Iterable[str], hosts: Iterable[str] = ()
) -> str:
    """Return the text of a module that handlers import, its clients made of others' `theirs`."""
    ours = [client for client in surface.clients if client.root == name]
    code = client_code(name, ours, theirs, hosts)
    classes = {own: class_text(own, model) for own, model in surface.model.modules.get(name, {}).items()}
    around = {
        own: f"const {camel(own)} = {_AROUND[what]};" for own, what in surface.model.surroundings.get(name, {}).items()
    }
    converters = [
        lens_function(camel(one.name), one.lens, reads=one.reads) for one in surface.converters if one.module == name
    ]
    declaring = {one: _declaring(one) for one in surface.model.decorators.get(name, [])}
    declared = {**around, **code.declared, **classes, **declaring, **{one.name: one.text for one in converters}}
    texts = [
        *(one.text for one in code.sources),
        *(_exported(one) for one in declared.values()),
    ]
    about = f"What handlers import from {name}: made from its profile."
    used = code.used.union(*(one.used for one in converters))
    return module_text(about, used, texts, imports if ours else ())


#: What handlers find in a module beside classes and clients, as code.
_AROUND: Final = {
    "settings": "settingsOf()",
    "typed_settings": "settingsOf(true)",
    "setting": "settingOf",
    "secret": "secretOf",
}


def _declaring(path: str) -> str:
    """Return what declares a handler and leaves it as it is: `on("a")(handler)`, or as a method of a group."""
    group, _, name = path.rpartition(".")
    if group:
        raise NoTwin(f"{path}: what declares handlers by a group has no form in JavaScript yet")
    return f"function {camel(name)}(...declared) {{\n  return (handler) => handler;\n}}"


def _exported(code: str) -> str:
    """Return a declaration that other modules can import."""
    return re.sub(r"^(async function|function|class|const) ", r"export \1 ", code, count=1, flags=re.MULTILINE)


def host_objects(
    surface: Profile, theirs: Mapping[str, Client], hosts: Iterable[str] = ()
) -> tuple[list[str], frozenset[str]]:
    """Return the objects by which handlers reach services from their parameters, as code, and the helpers it uses."""
    parts: list[str] = []
    used: frozenset[str] = frozenset()
    parameters = surface.model.handler.parameters
    for root in dict.fromkeys(client.root for client in surface.clients if client.root in parameters):
        ours = [client for client in surface.clients if client.root == root]
        code = client_code(root, ours, theirs, hosts, prefix=root)
        parts += [*(one.text for one in code.sources), *code.declared.values()]
        used |= code.used
    return parts, used


def hub_caller(kind: str, *, batch: bool) -> Kind:
    """Return the shapes of the hub itself as what calls a handler, with one event or with a batch."""
    return Kind(HUB_BATCHES[kind] if batch else HUB_CALLS[kind], hub_answer(kind) if kind == "http" else HUB_DONE)


@functools.lru_cache(maxsize=64)
def driver_text(
    surface: Profile,
    kinds: tuple[str, ...],
    without: frozenset[str] = frozenset(),
    bindings: tuple[Binding, ...] = (),
) -> str:
    """Return the module of a stand-in that calls handlers: it exports CALLS, a function for each kind of event.

    A function takes the handler, and an event as hub fields or an array of them; it gives what was answered as hub
    fields. `bindings` are those that the function declares, where the provider hands them over by their names. Raises
    NoTwin for what has no form in JavaScript.
    """
    made: list[Delivery] = []
    lines = []
    for kind in kinds:
        own = surface.kind(kind)
        own = replace(own, event=own.event.without(without))
        batch = own.event.each is not None
        output = surface.model.handler.output
        if bindings and output:
            made.append(deliver_bound(camel(f"call_{kind}"), own, bindings, output, takes_of(surface)))
            lines.append(f"  {kind}: {{ call: {made[-1].name}, batch: false }},")
            continue
        made.append(deliver(camel(f"call_{kind}"), own, hub_caller(kind, batch=batch), takes_of(surface)))
        lines.append(f"  {kind}: {{ call: {made[-1].name}, batch: {literal(batch)} }},")
    objects, used = host_objects(surface, HUB_CLIENTS)
    code = [*objects, *(one for delivery in made for one in delivery.code)]
    calls = "export const CALLS = {\n" + "\n".join(lines) + "\n};"
    imports = [*([SERVICES] if objects or bindings else []), *(line for one in made for line in one.imports)]
    return module_text(
        f"Stand-in for {surface.title}.", used.union(*(one.used for one in made)), [*code, calls], imports
    )


def stand_in_modules(surface: Profile) -> dict[str, str]:
    """Return the text of each module that handlers import from the provider, over a stand-in's services."""
    return {name: module_over(surface, name, HUB_CLIENTS, [SERVICES]) for name in sorted(module_names(surface))}
