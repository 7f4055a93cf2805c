"""Clients in JavaScript: the calls by which a handler reaches the services behind it, one provider's made of another's.

Each gives a promise. What a call has to be given stands in its parameters; what may be left out stands, by its name, in
one object at their end.
"""

from __future__ import annotations

import ast
import re
import textwrap
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping.clients import Client, class_of, name_of
from vast_ferry.mapping.javascript.functions import Source, import_of, there, translate_event
from vast_ferry.mapping.javascript.names import camel, parameters_there
from vast_ferry.mapping.javascript.writing import NoTwin, literal, text
from vast_ferry.mapping.lenses.lens import PlainBytes


@dataclass(frozen=True, slots=True)
class ClientCode:
    """What reaches services: objects and functions as source, by their names; and the translations that they use."""

    sources: tuple[Source, ...]
    declared: Mapping[str, str]

    @property
    def used(self) -> frozenset[str]:
        """Return the helpers that it uses, and what it imports."""
        return frozenset({"chained"} if any("chained(" in one for one in self.declared.values()) else ()).union(
            *(one.used.union(one.imports) for one in self.sources)
        )


def signature(takes: Iterable[str]) -> str:
    """Return a call's parameters as they stand in a definition.

    >>> signature(["store", "item", "form=None"])
    'store, item, { form = null } = {}'
    """
    must, may = parameters_there(takes)
    if not may:
        return ", ".join(must)
    named = ", ".join(f"{name} = {literal(ast.literal_eval(default))}" for name, default in may if default)
    return ", ".join([*must, f"{{ {named} }} = {{}}"])


def call_with(called: str, takes: Iterable[str], names: Mapping[str, str]) -> str:
    """Return a call that is given variables: `names` has, for a parameter, the one that holds what it gets."""
    must, may = parameters_there(takes)
    given = [names[one] for one in must if one in names]
    named = [f"{name}: {names[name]}" for name, default in may if default and name in names]
    options = [f"{{ {', '.join(named)} }}"] if named else []
    return f"{called}({', '.join([*given, *options])})"


def client_code(
    root: str, ours: Iterable[Client], theirs: Mapping[str, Client], hosts: Iterable[str] = (), *, prefix: str = ""
) -> ClientCode:
    """Return what makes `root` of one provider out of another's clients.

    `theirs` gives the other's client for each operation; what it has not throws when it is called. `hosts` are the
    other's parameters by which it reaches services.
    """
    sources: list[Source] = []
    groups: dict[str, list[str]] = {}
    declared: dict[str, str] = {}
    ours = list(ours)
    chained = [client for client in ours if client.chain is not None]
    steps = []
    for number, client in enumerate(chained):
        assert client.chain is not None
        body, used = _body(root, client, theirs.get(client.operation), frozenset(hosts))
        sources += used
        own = f"call{root[:1].upper()}{camel(root[1:])}{number}"
        names = ", ".join(camel(name_of(one).removeprefix("**")) for one in client.takes)
        declared[own] = f"async function {own}({{ {names} }}) {{\n{textwrap.indent(body, '  ')}\n}}"
        told = client.chain.called_with(client.takes[len(client.chain.names) :])
        steps.append(f"\n  [{literal([_step_there(*step) for step in told])}, {own}],")
    begun = dict.fromkeys(client.chain.root for client in chained if client.chain is not None)
    for name in begun:
        own = class_of(root, name) if prefix else camel(name)
        declared[own] = f"const {own} = chained([{''.join(steps)}\n]).{camel(name)};"
    for client in (one for one in ours if one.chain is None):
        group, _, name = client.path.rpartition(".")
        body, used = _body(root, client, theirs.get(client.operation), frozenset(hosts))
        sources += used
        meaning = OPERATIONS[client.operation].meaning
        about = f"/** {meaning[:1].upper()}{meaning[1:]}. */"
        head = f"({signature(client.takes)}) {{\n{textwrap.indent(body, '  ')}\n}}"
        if group:
            groups.setdefault(group, []).append(f"{about}\nasync {camel(name)}{head},")
        else:
            declared[camel(name)] = f"{about}\nasync function {camel(name)}{head}"
    for group, methods in groups.items():
        if "." in group:
            raise NoTwin(f"{root}.{group}: calls that lie deeper have no form in JavaScript yet")
        own, body = class_of(root, group) if prefix else camel(group), textwrap.indent("\n".join(methods), "  ")
        declared[own] = f"const {own} = {{\n{body}\n}};"
    return ClientCode(tuple(sources), declared)


def _body(root: str, ours: Client, theirs: Client | None, hosts: frozenset[str]) -> tuple[str, list[Source]]:
    """Return the statements of a call, and the translations that it uses."""
    if theirs is None:
        why = f"there is no way to {OPERATIONS[ours.operation].meaning} here"
        return f"throw new Error({text(why)});", []
    unique = camel(re.sub(r"\W+", "_", f"{root}.{ours.path}"))
    arguments = translate_event(f"{unique}Arguments", there(ours.arguments), there(theirs.arguments))
    sources = [arguments]
    lines = [*_unsaid(ours), *_only_bytes(ours)]
    if ours.pages:
        lines.insert(0, f'if ({camel(ours.pages)} != null) throw new RangeError("all was on the first page");')
    # A translation may name what it gives as the call's own parameters are named.
    names = {camel(name): f"{camel(name)}There" for name in theirs.arguments.parameters}
    listed = ", ".join(names.values())
    made = f"{arguments.name}({', '.join(arguments.parameters)})"
    lines.append(f"const {listed if len(names) == 1 else f'[{listed}]'} = {made};")
    called = ".".join(map(camel, theirs.path.split("."))) if theirs.root else theirs.path.replace("'", '"')
    if theirs.root in hosts:
        called = f"HOST.getStore().{camel(theirs.root)}.{called}"
    call = call_with(called, theirs.takes, names)
    if theirs.chain is not None:
        reached = f"HOST.getStore().{camel(theirs.root)}." if theirs.root in hosts else ""
        call = reached + _chained_call(theirs, names)
    if theirs.result is None or ours.result is None:
        return "\n".join([*lines, f"await {call};"]), sources
    result = translate_event(f"{unique}Result", there(theirs.result), there(ours.result))
    classes = [one.absent for one, own in ((theirs, theirs.root), (ours, root)) if _is_of_another(one.absent, own)]
    sources.append(replace(result, imports=(*result.imports, *map(import_of, classes))))
    if theirs.absent == "none":
        lines.append(f"const returned = await {call};")
    else:
        lines += [
            f"const returned = await {call}.catch((error) => {{",
            f"  if (error instanceof {error_there(theirs.absent)}) return null;",
            "  throw error;",
            "});",
        ]
    if ours.absent == "none":
        lines.append("if (returned == null) return null;")
    else:
        lines.append(f"if (returned == null) throw new {error_there(ours.absent)}({_told_by(ours)});")
    lines.append(f"return {result.name}(returned);")
    return "\n".join(lines), sources


def _is_of_another(path: str, root: str) -> bool:
    """Tell whether a class of what is thrown stands in another module than the calls of services do."""
    return "." in path and path.partition(".")[0] != root


def error_there(path: str) -> str:
    """Return the class of what is thrown where there is nothing: a provider's own, or a RangeError."""
    return path.rpartition(".")[2] if "." in path else "RangeError"


def _told_by(client: Client) -> str:
    """Return what an error says; a class of the provider's own takes what it says itself."""
    return "" if "." in client.absent else text(f"{client.called}: there is nothing")


def _unsaid(client: Client) -> list[str]:
    """Return the test of parameters that the profile gives no meaning: what is said is not passed over."""
    made = []
    for one in client.takes:
        name, mark, default = one.partition("=")
        if mark and name_of(one) not in client.arguments.parameters and name_of(one) != client.pages:
            own, usual = camel(name.strip()), literal(ast.literal_eval(default.strip()))
            why = f"{name.strip()} of {client.called} has no meaning in the provider's profile"
            made.append(f"if ({own} !== {usual}) throw new Error({text(why)});")
    return made


def _only_bytes(client: Client) -> list[str]:
    required = {name_of(one) for one in client.takes if "=" not in one}
    names = [row.at.root for row in client.arguments.rows if type(row.lens) is PlainBytes and not row.at.steps]
    return [
        f'if (!({camel(name)} instanceof Uint8Array)) throw new TypeError("{camel(name)} has to be bytes");'
        for name in names
        if name in required
    ]


# --- calls that are made step by step --------------------------------------------------------------------------------


def _step_there(kind: str, about: Any) -> list[Any]:
    """Return a step of a chain as `chained` takes it: an attribute; or a call, what it must and may be given."""
    if kind == "attr":
        return ["attr", camel(about)]
    must = [
        [sort, *(camel(one) if at == int(sort == "text") else one for at, one in enumerate(names))]
        for sort, *names in about
        if sort == "text" or (sort == "given" and len(names) == 1)
    ]
    may = [[camel(names[0]), names[1]] for sort, *names in about if sort == "given" and len(names) > 1]
    return ["call", must, may, next((camel(names[0]) for sort, *names in about if sort == "keys"), None)]


def _chained_call(client: Client, names: Mapping[str, str]) -> str:
    """Return a call that is made step by step; `names` has, for a parameter, the variable that holds what it gets."""
    assert client.chain is not None
    made = ""
    for kind, about in client.chain.called_with(client.takes[len(client.chain.names) :]):
        if kind == "attr":
            made += f".{camel(about)}" if made else camel(about)
            continue
        given, named = [], []
        for sort, *told in about:
            name = camel(told[1] if sort == "text" else told[0])
            if sort == "text" and name in names:
                texts = [text(one) for one in (told[0], told[2])]
                given.append(" + ".join(one for one in (texts[0], names[name], texts[1]) if one != '""'))
            elif sort == "text" and not name:
                given.append(text(told[0]))
            elif name in names and sort == "keys":
                named.append(f"...{names[name]}")
            elif name in names and len(told) > 1:
                named.append(f"{name}: {names[name]}")
            elif name in names:
                given.append(names[name])
        options = [f"{{ {', '.join(named)} }}"] if named else []
        made += f"({', '.join([*given, *options])})"
    return made
