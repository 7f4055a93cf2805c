"""Clients: the calls by which a handler reaches the services behind it, as rows; one provider's made of another's.

The arguments of a call are a shape like an event, and so is what it gives back, so the same compiler translates both.
"""

from __future__ import annotations

import re
import textwrap
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Final

from vast_ferry.hub.operations import OPERATIONS, Operation
from vast_ferry.mapping.chains import Chain
from vast_ferry.mapping.compile.functions import Source, translate_event
from vast_ferry.mapping.compile.losses import event_losses
from vast_ferry.mapping.lenses.lens import Lens, Plain, PlainBytes
from vast_ferry.mapping.losses import Loss
from vast_ferry.mapping.places import Access, Item
from vast_ferry.mapping.python import docstring
from vast_ferry.mapping.tables import EventShape, Row


@dataclass(frozen=True, slots=True)
class Converter:
    """A function `name` of a provider's `module` that reads a form, or writes it."""

    module: str
    name: str
    lens: Lens
    reads: bool


@dataclass(frozen=True, slots=True)
class Client:
    """One call: `path` (names set apart by dots) on `root`, a module or a handler's parameter.

    `takes` are parameters as they stand in a definition; `arguments` has the rows that tie them to the operation's
    fields; `result` the row of what it gives back, if anything; `absent` what happens where there is nothing.
    """

    root: str
    path: str
    operation: str
    takes: tuple[str, ...]
    arguments: EventShape
    result: EventShape | None = None
    absent: str = "none"
    awaited: bool = False
    chain: Chain | None = None  # where the call is made step by step: its steps
    pages: str = ""  # where it lists page by page: the parameter that asks for what follows

    @property
    def called(self) -> str:
        """Return how a handler writes the call, without its arguments."""
        return f"{self.root}.{self.path}"


def arguments_shape(operation: Operation, takes: tuple[str, ...], rows: tuple[Row, ...]) -> EventShape:
    """Return the shape of a call's arguments: parameters that rows tie to fields of the operation, and those rows."""
    fed = {place.root for row in rows for place in (row.at, row.flag) if place is not None}
    names = tuple(name for name in map(name_of, takes) if name in fed)
    return EventShape(names, rows, event_parameters=names, kind=operation.name, fields=operation.takes, rules=())


def name_of(parameter: str) -> str:
    """Return the name of a parameter as it would stand in a definition."""
    return parameter.partition("=")[0].removeprefix("**").strip()


def _only_bytes(client: Client) -> str:
    """Return the test of arguments that are bytes and nothing else: another provider's client may take more."""
    required = {name_of(one) for one in client.takes if "=" not in one}
    names = [row.at.root for row in client.arguments.rows if type(row.lens) is PlainBytes and not row.at.steps]
    why = 'f"bytes were wanted, not {%s.__class__.__name__}"'  # a parameter may be called `type`
    return "".join(
        f"\nif not isinstance({name}, bytes):\n    raise TypeError({why % name})" for name in names if name in required
    )


def result_shape(operation: Operation, *rows: Row) -> EventShape:
    """Return the shape of what a call gives back."""
    assert operation.gives is not None
    fields = {operation.gives.name: operation.gives, **operation.takes}
    return EventShape(("returned",), rows, event_parameters=("returned",), kind=operation.name, fields=fields, rules=())


def _nothing_there(root: str, ours: Client) -> list[str]:
    """Return what a call does where there is nothing."""
    if ours.absent == "none":
        return ["return None"]
    told = next(iter((*ours.arguments.parameters[1:2], *ours.arguments.parameters[:1])), "")
    raised = f"{ours.absent.removeprefix(f'{root}.')}"
    if "." not in ours.absent:
        return [f"raise {raised}({told})"]
    # A class of the provider's own takes what it says itself.
    named = ", ".join(f"{name!r}: {name}" for name in ours.arguments.parameters)
    return [*_import_of_absent(ours), f"raise raised_for({raised}, {told or 'None'}, {{{named}}})"]


def _import_of_absent(client: Client) -> list[str]:
    """Return what imports the class that is raised where there is nothing, where no module of services has it."""
    module = client.absent.rpartition(".")[0]
    return [f"import {module}", ""] if module and module.partition(".")[0] != client.root else []


def _hub_rows(operation: Operation) -> tuple[Row, ...]:
    return tuple(
        Row(Access("hub", (Item(name),)), name, PlainBytes() if field.holds == "bytes" else Plain())
        for name, field in operation.takes.items()
    )


def _hub_client(operation: Operation) -> Client:
    arguments = EventShape(
        ("hub",), _hub_rows(operation), event_parameters=("hub",), kind=operation.name, fields=operation.takes, rules=()
    )
    lens = PlainBytes() if operation.gives and operation.gives.holds == "bytes" else Plain()
    result = result_shape(operation, Row(Access("returned"), operation.gives.name, lens)) if operation.gives else None
    return Client("", f"operate[{operation.name!r}]", operation.name, ("hub",), arguments, result)


#: The services themselves, as a stand-in has them: `operate` is a mapping from an operation's name to a function.
HUB_CLIENTS: Final[Mapping[str, Client]] = {name: _hub_client(operation) for name, operation in OPERATIONS.items()}


def client_losses(theirs: Client, ours: Client) -> list[Loss]:
    """Return what a call of `theirs` can't hold of what a handler passes to `ours`."""
    return event_losses(theirs.arguments, ours.arguments)


def client_module(
    about: str,
    root: str,
    ours: Iterable[Client],
    theirs: Mapping[str, Client],
    hosts: Iterable[str] = (),
    *,
    handed: bool = False,
) -> tuple[list[Source], str]:
    """Return what makes `root` of one provider out of another's clients: translations, and the code that uses them.

    `theirs` gives the other's client for each operation; what it has not raises NotImplementedError when it is called.
    `hosts` are the other's parameters by which it reaches services; `host(name)` then gives them. What is `handed` to a
    handler has its groups made object by object, and what a call by steps begins with made by a function.
    """
    sources: list[Source] = []
    groups: dict[str, list[str]] = {}
    ours = list(ours)
    chained = [client for client in ours if client.chain is not None]
    steps = []
    table, call = (f"_CALLS_OF_{root.upper()}", f"_call_of_{root}") if handed else ("_CALLS", "_call")
    for number, client in enumerate(chained):
        assert client.chain is not None
        text, used = _function(
            root, client, theirs.get(client.operation), f"{call}_{number}", in_class=False, hosts=hosts
        )
        sources += used
        groups.setdefault("", []).append(text)
        steps.append(f"    ({client.chain.called_with(client.takes[len(client.chain.names) :])!r}, {call}_{number}),")
    for client in (client for client in ours if client.chain is None):
        group, _, name = client.path.rpartition(".")
        text, used = _function(root, client, theirs.get(client.operation), name, in_class=bool(group), hosts=hosts)
        sources += used
        groups.setdefault(group, []).append(text)
    parts: list[str] = []
    for group, functions in groups.items():
        if not group:
            parts += functions
            continue
        title = class_of(root, group)
        body = "\n\n".join(textwrap.indent(function, "    ") for function in functions)
        parts += [f"class {title}:\n    {docstring(about)}\n\n{body}"]
    if chained:
        roots = dict.fromkeys(client.chain.root for client in chained if client.chain is not None)
        begun = {name: f"Chained({table}).{name}" for name in roots}
        parts.append("\n".join([f"{table} = [", *steps, "]", *([] if handed else map(" = ".join, begun.items()))]))
        for name, made in begun.items() if handed else ():
            parts.append(f"def {class_of(root, name)}():\n    {docstring(about)}\n    return {made}")
    return sources, "\n\n\n".join(parts)


def class_of(root: str, group: str) -> str:
    """Return the name of the class whose object stands at `root.group`."""
    return "".join(word.title().replace("_", "") for word in [*root.split("."), *group.split(".")])


def _function(
    root: str, ours: Client, theirs: Client | None, name: str, *, in_class: bool, hosts: Iterable[str]
) -> tuple[str, list[Source]]:
    unique = re.sub(r"\W+", "_", f"{root}.{ours.path}")
    word = "async def" if ours.awaited else "def"
    own = ["self"] if in_class else []
    takes = [one.removeprefix("**") for one in ours.takes] if ours.chain is not None else ours.takes
    head = f"{word} {name}({', '.join([*own, *takes])}):\n"
    about = docstring(f"{OPERATIONS[ours.operation].meaning[:1].upper()}{OPERATIONS[ours.operation].meaning[1:]}.")
    if theirs is None:
        lines = [f"raise NotImplementedError({f'there is no way to {OPERATIONS[ours.operation].meaning} here'!r})"]
        return head + textwrap.indent("\n".join([about, *lines]), "    "), []
    # What the profile gives no meaning is not passed over: a handler that says it would be told otherwise by nobody.
    unsaid = [one for one in ours.takes if "=" in one and name_of(one) not in ours.arguments.parameters]
    if ours.pages:
        about += f"\nif {ours.pages}:\n    raise ValueError('all was on the first page')"
        unsaid = [one for one in unsaid if name_of(one) != ours.pages]
    for one in unsaid:
        default = one.partition("=")[2].strip()
        why = f"{name_of(one)} of {ours.called} has no meaning in the provider's profile"
        about += f"\nif {name_of(one)} != {default}:\n    raise NotImplementedError({why!r})"
    about += _only_bytes(ours)
    arguments = translate_event(f"{unique}_arguments", ours.arguments, theirs.arguments)
    sources = [arguments]
    given = ", ".join(arguments.parameters)
    star = "*" if len(theirs.arguments.parameters) > 1 else ""
    called = theirs.called if theirs.root else theirs.path
    if theirs.root in hosts:  # what the running handler was called with
        called = f"host({theirs.root!r}).{theirs.path}"
    call = f"{called}({star}{arguments.name}({given}))"
    before = ""
    if theirs.chain is not None:
        before = f"told = {arguments.name}({given})\n"
        last = theirs.takes[len(theirs.chain.names) :]
        reached = f"host({theirs.root!r})" if theirs.root in hosts else theirs.root
        call = theirs.chain.call_of(reached, last, "told" if star else "(told,)", theirs.arguments.parameters)
    if theirs.awaited:
        call = f"await {call}" if ours.awaited else f"wait_for({call}, host('loop'))"
    if theirs.result is None or ours.result is None:
        return head + textwrap.indent(f"{about}\n{before}{call}", "    "), sources
    result = translate_event(f"{unique}_result", theirs.result, ours.result)
    sources.append(result)
    lines = [f"returned = {call}"]
    if theirs.absent != "none":
        lines = ["try:", f"    {lines[0]}", f"except {theirs.absent}:", "    returned = None"]
        lines[:0] = _import_of_absent(theirs)
    lines.append("if returned is None:")
    lines += [f"    {one}" for one in _nothing_there(root, ours)]
    lines.append(f"return {result.name}(returned)")
    return head + textwrap.indent("\n".join([about, *([before.rstrip()] if before else []), *lines]), "    "), sources
