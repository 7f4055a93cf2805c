"""Declared bindings that become a handler's parameters: what triggers it, what it reads, what it writes.

A binding hands over content as bytes, text or JSON, or the whole native event; what a pattern captures are parameters
of their own names. The generated function takes hub fields and calls the handler by keyword.
"""

from __future__ import annotations

import keyword
import textwrap
from dataclasses import replace
from typing import Final

from vast_ferry.hub.functions import Binding
from vast_ferry.hub.kinds import KINDS, is_request
from vast_ferry.mapping.compile.functions import Source, translate_event, translate_reply
from vast_ferry.mapping.delivery import Delivery
from vast_ferry.mapping.tables import HUB_CALLS, Kind, hub_answer

#: form of a content → how it is made of bytes, and bytes of it
FORMS: Final = {
    "bytes": ("{0}", "bytes_of({0}, '')"),
    "text": ("body_text({0}, content_type)", "bytes_of({0}, '')"),
    "json": ("body_json({0})", "json_to_bytes({0})"),
}


def trigger_of(bindings: tuple[Binding, ...], kind: str) -> Binding:
    """Return the binding that is what triggers a handler; raises ValueError where none is, or a name is none."""
    for name in [word for binding in bindings for word in (binding.name, *captured_names(binding.key))]:
        if not name.isidentifier() or keyword.iskeyword(name):
            raise ValueError(f"a parameter can't be called {name!r}")
    trigger = next((binding for binding in bindings if binding.way == "event"), None)
    if trigger is None or trigger.kind != kind:
        raise ValueError(f"no binding says what triggers a {kind} handler")
    return trigger


def _input(binding: Binding, lines: list[str]) -> str:
    """Return what a declared input is handed over as; what must be done for it before is added to `lines`."""
    place = _place(binding)
    if binding.kind == "record":
        return f"operate['record.read']({place})"
    lines += [f"{binding.name} = operate['object.read']({place})", 'content_type = ""']
    made = FORMS.get(binding.form, FORMS["bytes"])[0].format(binding.name)
    lines.append(f"{binding.name} = None if {binding.name} is None else {made}")
    return binding.name


def deliver_bound(call: str, own: Kind, bindings: tuple[Binding, ...], output: str, *, names: str = "") -> Delivery:
    """Return the function that calls a handler whose parameters are named by bindings, with hub fields in and out.

    `output` is the name of the method by which a handler fills an output; what is generated is called `names` and
    more, so that several can stand in one module. Raises ValueError for bindings that don't go
    together.
    """
    kind = own.event.kind
    trigger = trigger_of(bindings, kind)
    prefix = names + KINDS[kind].prefix
    event = translate_event(f"{prefix}event_for", HUB_CALLS[kind], replace(own.event, objects={}))
    reply = translate_reply(f"{prefix}answer", own.answered, hub_answer(kind))
    natives = own.event.parameters
    lines = [f"{', '.join(natives)} = {event.name}(hub)"]
    given = {name: name for name in natives if name not in own.event.event_parameters}
    if kind == "object" and trigger.key:
        lines.append(f"captured = captured_by({trigger.key!r}, hub['key'])")
        given |= {name: f"captured[{name!r}]" for name in captured_names(trigger.key)}
    elif is_request(kind):
        lines.append("captured = hub['captures']")
    content = {"object": "operate['object.read'](hub)", "message": "hub['body']", "http": "hub['body']"}.get(kind)
    whole = own.event.event_parameters[0]
    given[trigger.name] = whole
    if trigger.form != "whole":
        if content is None or trigger.form not in FORMS:
            raise ValueError(f"a {kind} event has no content that could be handed over as {trigger.form}")
        type_of = "content_type_of(hub['headers'])" if is_request(kind) else "hub['content_type']"
        lines += [f"content, content_type = {content}, {type_of}"]
        given[trigger.name] = f"None if content is None else {FORMS[trigger.form][0].format('content')}"
    for binding in bindings:
        if binding.way == "in":
            given[binding.name] = _input(binding, lines)
        elif binding.way == "out":
            body = FORMS.get(binding.form, FORMS["bytes"])[1].format("value")
            given[binding.name] = f"Output(lambda value: {_write(binding, body)})"
    arguments = ", ".join(f"{name}={value}" for name, value in given.items())
    called = f"run_to_end(original({arguments}))" if own.asynchronous else f"original({arguments})"
    more = ["hub['method']"] if "method" in reply.parameters else []
    lines.append(f"return {reply.name}({', '.join([called, *more])})")
    text = f"def {call}(original, hub):\n" + textwrap.indent("\n".join(lines), "    ")
    sources: tuple[Source, ...] = (event, reply)
    return Delivery(call, text, sources, ("hub",), False, (_output(output),))


def captured_names(pattern: str) -> list[str]:
    """Return the names that a pattern such as `{apiary}/{day}.csv` captures."""
    found = [piece.partition("}")[0].removesuffix("...") for piece in pattern.split("{")[1:]]
    return [name for name in found if name]


def _place(binding: Binding) -> str:
    key = repr(binding.key)
    if "{" in binding.key:
        key = f"{binding.key.replace('...}', '}')!r}.format_map(captured)"
    if binding.kind == "record":
        return f"{{'table': {binding.source!r}, 'keys': dict(captured)}}"
    return f"{{'bucket': {binding.source!r}, 'key': {key}}}"


def _write(binding: Binding, body: str) -> str:
    if binding.kind == "message":
        fields = (
            f"{{'channel': {binding.source!r}, 'body': {body}, 'content_type': {binding.content_type!r}, "
            "'attributes': {}, 'group': ''}"
        )
        return f"operate['message.send']({fields})"
    if binding.kind == "record":
        return f"operate['record.write']({{**{_place(binding)}, 'record': value}})"
    said = f"'body': {body}, 'content_type': {binding.content_type!r}, 'labels': {{}}"
    return f"operate['object.write']({{**{_place(binding)}, {said}}})"


def _output(method: str) -> str:
    return f'''
class Output:
    """A declared output, filled by the handler."""

    def __init__(self, write):
        self.{method} = write
'''.strip()
