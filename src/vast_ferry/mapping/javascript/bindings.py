"""Declared bindings that become what a handler in JavaScript is handed: one object, each binding under its name in it.

The twin of `mapping.bindings`. The generated function takes hub fields; services are reached by `operate`, which gives
a promise for each operation.
"""

from __future__ import annotations

import re
import textwrap
from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Final

from vast_ferry.hub.functions import Binding
from vast_ferry.hub.kinds import KINDS, is_request
from vast_ferry.mapping.bindings import captured_names, trigger_of
from vast_ferry.mapping.clients import HUB_CLIENTS, Client
from vast_ferry.mapping.javascript.clients import client_code
from vast_ferry.mapping.javascript.delivery import Delivery, deliver
from vast_ferry.mapping.javascript.functions import Takes, reply_there, there, translate_event, translate_reply
from vast_ferry.mapping.javascript.names import camel
from vast_ferry.mapping.javascript.writing import NoTwin, text
from vast_ferry.mapping.tables import HUB_CALLS, Kind, hub_answer

#: form of a content → how it is made of bytes, and bytes of it
FORMS: Final = {
    "bytes": ("{0}", 'bytesOf({0}, "")'),
    "text": ("bodyText({0}, {1})", 'bytesOf({0}, "")'),
    "json": ("bodyJson({0})", "jsonBytes({0})"),
}


def operations_of(bindings: Iterable[Binding]) -> list[str]:
    """Return the operations on services by which bindings are filled and done."""
    outs = {"object": "object.write", "message": "message.send", "record": "record.write"}
    ins = {"object": "object.read", "record": "record.read"}
    found = []
    for one in bindings:
        if one.way == "event":
            found += ["object.read"] if one.kind == "object" and one.form != "whole" else []
        else:
            found.append((ins if one.way == "in" else outs)[one.kind])
    return list(dict.fromkeys(found))


def deliver_bound(
    name: str, own: Kind, bindings: tuple[Binding, ...], output: str, takes: Takes, *, prefix: str = ""
) -> Delivery:
    """Return the function that calls `original` with what bindings name, with hub fields in and out.

    `output` is the name of the method by which a handler fills an output. Raises ValueError for bindings that don't go
    together, NoTwin for what has no form in JavaScript.
    """
    kind = own.event.kind
    try:
        trigger = trigger_of(bindings, kind)
    except ValueError as error:
        raise NoTwin(str(error)) from None
    prefix = camel(f"{prefix or name}_{KINDS[kind].prefix}")
    shape = replace(own.event, objects={})
    event = translate_event(camel(f"{prefix}_event_for"), there(HUB_CALLS[kind]), there(shape))
    reply = translate_reply(camel(f"{prefix}_answer"), reply_there(own.answered), reply_there(hub_answer(kind)), takes)
    natives = there(shape).parameters
    listed = ", ".join(natives)
    made = f"{'await ' * event.awaited}{event.name}({', '.join(event.parameters)})"
    lines = [f"const {listed if len(natives) == 1 else f'[{listed}]'} = {made};"]
    events = there(shape).event_parameters
    given = {one: one for one in natives if one not in events}
    used = {*event.used, *reply.used}
    if kind == "object" and trigger.key:
        used.add("capturedBy")
        lines.append(f"const captured = capturedBy({text(trigger.key)}, hub.key);")
        given |= {one: f"captured.{one}" for one in captured_names(trigger.key)}
    elif is_request(kind):
        lines.append("const captured = hub.captures;")
    content = {"object": 'await operate["object.read"](hub)', "message": "hub.body", "http": "hub.body"}.get(kind)
    given[trigger.name] = events[0]
    if trigger.form != "whole":
        if content is None or trigger.form not in FORMS:
            raise NoTwin(f"a {kind} event has no content that could be handed over as {trigger.form}")
        type_of = "contentTypeOf(hub.headers)" if is_request(kind) else "hub.content_type"
        lines.append(f"const content = {content};")
        made = FORMS[trigger.form][0].format("content", type_of)
        given[trigger.name] = made if made == "content" else f"content == null ? null : {made}"
    for binding in bindings:
        if binding.way == "in":
            given[binding.name] = _input(binding, f"held{len(lines)}", lines)
        elif binding.way == "out":
            body = FORMS.get(binding.form, FORMS["bytes"])[1].format("value")
            given[binding.name] = f"{{ {output}: async (value) => {{ {_write(binding, body)}; }} }}"
    listed = ",\n".join(f"  {one}: {value}" if one != value else f"  {one}" for one, value in given.items())
    more = ["hub.method"] if "method" in reply.parameters else []
    lines.append(f"const given = await original({{\n{listed},\n}});")
    lines.append(f"return {'await ' * reply.awaited}{reply.name}({', '.join(['given', *more])});")
    body = textwrap.indent("\n".join(lines), "  ")
    main = f"async function {name}(original, hub) {{\n{body}\n}}"
    words = {"contentTypeOf", "bodyText", "bodyJson", "bytesOf", "jsonBytes"}
    used |= {one for one in words if re.search(rf"\b{one}\(", main)}
    return Delivery(name, ("hub",), (event.text, reply.text, main), frozenset(used), (*event.imports, *reply.imports))


def _input(binding: Binding, name: str, lines: list[str]) -> str:
    """Return what a declared input is handed over as; what must be done for it before is added to `lines`."""
    place = _place(binding)
    if binding.kind == "record":
        return f'await operate["record.read"]({place})'
    lines.append(f'const {name} = await operate["object.read"]({place});')
    made = FORMS.get(binding.form, FORMS["bytes"])[0].format(name, '""')
    return made if made == name else f"{name} == null ? null : {made}"


def _place(binding: Binding) -> str:
    if binding.kind == "record":
        return f"{{ table: {text(binding.source)}, keys: {{ ...captured }} }}"
    pieces = re.split(r"\{(\w+)(?:\.\.\.)?\}", binding.key)
    parts = [f"captured.{piece}" if number % 2 else text(piece) for number, piece in enumerate(pieces) if piece]
    return f"{{ bucket: {text(binding.source)}, key: {' + '.join(parts) or text('')} }}"


def _write(binding: Binding, body: str) -> str:
    if binding.kind == "message":
        fields = f"channel: {text(binding.source)}, body: {body}, content_type: {text(binding.content_type)}"
        return f'await operate["message.send"]({{ {fields}, attributes: {{}}, group: "" }})'
    if binding.kind == "record":
        return f'await operate["record.write"]({{ ...{_place(binding)}, record: value }})'
    said = f"body: {body}, content_type: {text(binding.content_type)}, labels: {{}}"
    return f'await operate["object.write"]({{ ...{_place(binding)}, {said} }})'


def operate_over(
    operations: Iterable[str], theirs: Mapping[str, Client], hosts: Iterable[str] = ()
) -> tuple[list[str], frozenset[str]]:
    """Return `operate`, which does operations on services by another's clients, as code; and the helpers it uses."""
    wanted = list(operations)
    ours = [replace(HUB_CLIENTS[one], root="operate", path=one.replace(".", "_")) for one in wanted]
    code = client_code("operate", ours, theirs, hosts)
    table = ", ".join(f"{text(one)}: {camel(one.replace('.', '_'))}" for one in wanted)
    texts = [*(one.text for one in code.sources), *code.declared.values(), f"const operate = {{ {table} }};"]
    return texts, code.used


def bound_call(
    name: str,
    kinds: tuple[Kind, Kind],
    bindings: tuple[Binding, ...],
    output: str,
    takes: Takes,
    *,
    hosts: Iterable[str] = (),
) -> Delivery:
    """Return the function that calls a handler by its bindings with what the second of two providers hands over."""
    own, caller = kinds
    kind = own.event.kind
    inner = deliver_bound(f"{name}ByItsBindings", own, bindings, output, takes, prefix=name)
    hub = Kind(HUB_CALLS[kind], hub_answer(kind))
    outer = deliver(f"{name}FromThere", hub, caller, takes, fresh=True, hosts=hosts)
    handed = ", ".join(outer.parameters)
    main = (
        f"/** Call a handler with what is handed over, as its bindings say. */\n"
        f"async function {name}(original, {handed}) {{\n"
        f"  return {outer.name}((hub) => {inner.name}(original, hub), {handed});\n}}"
    )
    code = (*inner.code, *outer.code, main)
    return Delivery(name, outer.parameters, code, inner.used | outer.used, (*inner.imports, *outer.imports))
