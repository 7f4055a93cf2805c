"""Calling a handler of one provider with what another hands over: batches split or gathered, answers turned around.

The generated function is the whole of a shim, and, with the hub as the other provider, the whole of a stand-in.
"""

from __future__ import annotations

import textwrap
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Final

from vast_ferry.hub.kinds import KINDS
from vast_ferry.mapping.compile.functions import (
    TOLD,
    Source,
    build_batch,
    pack_batch,
    translate_event,
    translate_reply,
    unpack_batch,
    view_event,
)
from vast_ferry.mapping.places import Access
from vast_ferry.mapping.python import docstring
from vast_ferry.mapping.tables import HUB_DONE, EventShape, Kind
from vast_ferry.mapping.writers import ByWriter


@dataclass(frozen=True, slots=True)
class Via:
    """How an answer travels where it is not returned: what stands before the call, and how it is read and given."""

    before: str
    read: str
    write: str


#: `{0}` is the value that travels, `{send}` the handler's parameter that no row fills.
VIAS: Final[Mapping[str, Via]] = {
    # ASGI 3.0: messages that are sent, one by one
    "messages": Via(
        "messages = []\n\nasync def {send}(message):\n    messages.append(message)\n",
        "reply_from_messages(messages)",
        "await send_messages({send}, {0})",
    ),
    # RFC 3875 §6: header fields, an empty line, the content
    "document": Via("", "reply_from_document({0})", "document_of({0})"),
}

_TOLD = '''
class Told(dict):
    """What a callback was called with."""

    def __missing__(self, name):
        raise RuntimeError(f"the handler never called back with its {name}")
'''.strip()


def untold(kind: Kind) -> set[str]:
    """Return a handler's parameters that no row fills, and that are no part of the way its answers go."""
    ours, answered = kind.event, kind.answered
    filled = {at.root for at in (*(row.at for row in ours.rows), *(one.at for one in ours.constants), *ours.objects)}
    own = {answered.callback.name} if answered.callback is not None else set()
    own |= set(ours.parameters) if answered.via else set()
    return set(ours.parameters) - filled - own


def names_of_events(prefix: str, original: Kind, entry: str, identity: str = "") -> tuple[list[Source], str]:
    """Return functions, and the tuple that they give of an entry: what its handler names it by, its id, its group.

    `identity` is what gives its id where the shape itself may have another.
    """
    alone = replace(original.event, parameters=original.event.event_parameters)
    views = [
        view_event(f"{prefix}named_{number}", alone, by)
        if isinstance(by, str)
        else _held_at(f"{prefix}named_{number}", by)
        for number, by in enumerate(original.names_by)
    ]
    named = [f"{view.name}({entry})" for view in views]
    if identity:
        named[1] = identity
        del views[1]
    return views, f"({', '.join(named)})"


def keeps_ids(shape: EventShape) -> bool:
    """Tell whether an event of a shape has the id that it is made with, whatever that is."""
    row = next((row for row in shape.rows if row.field == "id" and not row.derived), None)
    return row is not None and not row.lens.losses("id")


def _held_at(name: str, at: Access) -> Source:
    """Return a function that takes an entry of a batch and gives what stands at a place of it."""
    return Source(name, f"def {name}({at.root}):\n    return {at.gentle()}", parameters=(at.root,))


def told_by_each(prefix: str, original: Kind, entry: str, taken: str, whose: str = "") -> tuple[list[Source], str]:
    """Return functions, and what gives what comes again of what a handler said of each event, by their methods.

    `entry` is what `one` of those `taken` has the event in; `failed` is what the handler raised. `whose` are their ids,
    where the shape itself may have others.
    """
    ours, answered = original.event, original.answered
    view = view_event(f"{prefix}named", replace(ours, parameters=ours.event_parameters), "id")
    sources = [] if whose else [view]
    identity = "its" if whose else f"{view.name}({entry})"
    loop = f"for one, its in zip({taken}, {whose})" if whose else f"for one in {taken}"
    told = f"told_apart([({entry}[{ours.told_of!r}]._told, {identity}) {loop}], failed)"
    if not answered.again_with:
        return sources, told
    views, named = names_of_events(prefix, replace(original, reply=replace(answered, again_by="id")), entry, identity)
    if whose:  # they are named as the caller knows them
        named = f"(its, {named.partition(', ')[2]}"
        views = views[1:]
    return [*sources, *views], f"again_of({told}, [{named} {loop}], {answered.again_with!r})"


def each_of(prefix: str, caller: Kind) -> tuple[list[Source], str]:
    """Return functions, and how the events of a caller's batch are gone through, as source."""
    theirs = caller.event
    assert theirs.each is not None
    if not theirs.levels:
        return [], f"for {theirs.event_parameters[0]} in {theirs.each}"
    unpack = unpack_batch(f"{prefix}events", theirs)
    return [unpack], f"for {theirs.event_parameters[0]} in {unpack.name}({theirs.each.root})"


def names_others(caller: Kind) -> bool:
    """Tell whether a caller names what comes again by something else than its id."""
    answered = caller.answered
    by = answered.again_by not in ("", "id") or answered.again_name is not None
    return by and answered.holds_again and caller.event.each is not None


def as_told(prefix: str, caller: Kind, done: str) -> tuple[list[Source], str]:
    """Return functions, and what is done and what comes again as a caller can be told, as source.

    That raises where it can't be told of single events.
    """
    theirs = caller.event
    again = next((one.name for one in theirs.told_by if one.verb == "again"), "")
    if not names_others(caller) and (caller.answered.holds_again or not again):
        return [], done if caller.answered.holds_again else f"settled({done})"
    entry = theirs.event_parameters[0]
    unpack, loop = each_of(prefix, caller)
    if names_others(caller):
        views, named = names_of_events(f"{prefix}there_", caller, entry)
        return [*views, *unpack], f"named_again({done}, [{named} {loop}])"
    view = view_event(f"{prefix}its_id", replace(theirs, parameters=theirs.event_parameters), "id")
    told = f"[({entry}[{theirs.told_of!r}], {view.name}({entry})) {loop}]"
    return [view, *unpack], f"told_again({done}, {told}, {again!r})"


@dataclass(frozen=True, slots=True)
class Delivery:
    """The function `name` that calls `original`, the translations it uses, and its parameters after `original`."""

    name: str
    text: str
    sources: tuple[Source, ...]
    parameters: tuple[str, ...]
    asynchronous: bool
    more: tuple[str, ...] = field(default=())


def deliver(
    name: str,
    original: Kind,
    caller: Kind,
    about: str = "",
    *,
    fresh: bool = False,
    hosts: tuple[str, ...] = (),
    names: str = "",
) -> Delivery:
    """Return the function that calls a handler of `original`'s shapes as `caller` calls one of its own.

    Its first parameter is that handler, then come `caller`'s parameters, and `function` and `limit` where the handler
    is told more of its call than `caller` tells. A batch is split where `original` takes one event at a time: what
    raises is to be delivered again, and told as `caller` tells it; where `caller` has one event at a time, a batch of
    one is made of it. `hosts` are those of `caller`'s parameters by which services are reached; `names` begins the
    names of what is generated.
    """
    made = _Delivery((name, names), original, caller, about, fresh)
    if hosts:
        loop = ", 'loop': asyncio.get_running_loop()" if caller.asynchronous else ""
        held = ", ".join(f"{host!r}: {host}" for host in hosts)
        made.lines.append(f"HOST.set({{{held}{loop}}})")
        if loop:
            made.lines.insert(0, "import asyncio\n")
    return made.made()


class _Delivery:
    def __init__(self, named: tuple[str, str], original: Kind, caller: Kind, about: str, fresh: bool) -> None:
        (self.name, names), self.original, self.caller, self.about = named, original, caller, about
        kind = original.event.kind
        self.prefix = names + KINDS[kind].prefix
        self.event = translate_event(
            f"{self.prefix}event_for", caller.event, original.event, "Return what the handler takes.", fresh=fresh
        )
        self.sources = [self.event]
        self.more: list[str] = []
        self.asynchronous = caller.asynchronous
        self.lines: list[str] = []
        self.send = next(
            (p for p in original.event.parameters if not any(row.at.root == p for row in original.event.rows)), ""
        )
        self.caller_send = next(
            (p for p in caller.event.parameters if not any(row.at.root == p for row in caller.event.rows)), ""
        )

    # --- pieces ---

    def _event(self) -> str:
        given = {p: f"{p}={p}" if p in ("function", "limit") else p for p in self.event.parameters}
        # Of a parameter of which the profile tells nothing, a handler gets nothing.
        given |= dict.fromkeys(untold(self.original) & given.keys(), "None")
        passed = ", ".join(given.values())
        return f"{'await ' if self.event.awaited else ''}{self.event.name}({passed})"

    def _call(self, arguments: tuple[str, ...]) -> str:
        own = self.original
        if own.answered.writer is not None:
            return self._call_through(own.answered.writer, arguments)
        function, pairs = self._handler(arguments)
        called = f"{function}({', '.join(self._taken(pairs))})"
        if own.by_keyword:
            named = ", ".join(f"**{value}" if name in own.event.spread else f"{name}={value}" for name, value in pairs)
            called = f"call_named({function}, {named})"
            if self.asynchronous and not own.asynchronous and not own.method:
                return f"await in_thread(call_named, {function}, {named})"
        if own.asynchronous:
            return f"await {called}" if self.asynchronous else f"run_to_end({called})"
        if own.method or own.by_keyword:
            return f"await in_thread(lambda: {called})" if self.asynchronous else called
        # A handler that does not await must not hold up those that do.
        given = ", ".join(self._taken(pairs))
        return f"await in_thread(original, {given})" if self.asynchronous else f"original({given})"

    def _taken(self, pairs: list[tuple[str, str]]) -> list[str]:
        """Return what a handler is handed: the entries of some mappings and lists one by one, after all else."""
        spread = self.original.event.spread
        plain = [value for name, value in pairs if name not in spread]
        return [*plain, *(f"{spread[name]}{value}" for name, value in pairs if name in spread)]

    def _handler(self, arguments: tuple[str, ...]) -> tuple[str, list[tuple[str, str]]]:
        """Return what is called, and the names and values of what it is handed; a class is set up with the others."""
        own = self.original
        pairs = list(zip(own.event.handed_over, arguments, strict=True))
        if not own.method:
            return "original", pairs
        setup = [value for name, value in pairs if name in own.setup_takes]
        made = f"method_of({', '.join(['original', repr(own.method), repr(own.setup), *setup])})"
        return made, [pair for pair in pairs if pair[0] not in own.setup_takes]

    def _call_through(self, writer: ByWriter, arguments: tuple[str, ...]) -> str:
        """Return the call of a handler that may answer through an object that is handed to it."""
        own = self.original
        function, pairs = self._handler(arguments)
        given = [f"{name}={value}" if own.by_keyword else value for name, value in pairs]
        if writer.name in own.event.handed_over:  # it answers through what tells it of the event
            at = own.event.handed_over.index(writer.name)
            told = [writer.made(), str(at), repr(writer.returns), function, *(value for _, value in pairs)]
            call = f"call_through_event({', '.join(told)})"
        else:
            told = [writer.made(), repr(writer.name), repr(writer.first), repr(writer.returns), function, *given]
            call = f"call_through({', '.join(told)})"
        if own.asynchronous:
            return f"await {call}" if self.asynchronous else f"run_to_end({call})"
        return f"await in_thread(lambda: {call})" if self.asynchronous else call

    def _reply(self, name: str, source_is_hub: bool = False, target_is_hub: bool = False) -> Source:
        source = HUB_DONE if source_is_hub else self.original.answered
        target = HUB_DONE if target_is_hub else self.caller.answered
        about = "Return what a handler's answer says." if target_is_hub else "Answer with what the handler returned."
        reply = translate_reply(f"{self.prefix}{name}", source, target, about)
        self.sources.append(reply)
        return reply

    def _before(self) -> None:
        callback = self.original.answered.callback
        if callback:
            self.more.append(_TOLD)
            self.lines += [
                f"{TOLD} = Told()",
                "",
                f"def {callback.name}({callback.signature}):",
                *(f"    {TOLD}[{name!r}] = {name}" for name in callback.arguments),
                "",
            ]
        via = self.original.answered.via
        if via and VIAS[via].before:
            self.lines += VIAS[via].before.format(send=self.send).splitlines()

    def _answer(self, reply: Source, value: str) -> str:
        """Return the statement that answers the caller with what `value` is."""
        given = [value]
        if TOLD in reply.parameters:
            given.append(TOLD)
        if "method" in reply.parameters:
            given.append(f"{self._method().name}({', '.join(self._method().parameters)})")
        for name in self.original.answered.of_event if reply.parameters[0] != HUB_DONE.root else ():
            view = view_event(f"{self.prefix}its_{name.replace('.', '_')}", self.original.event, name)
            self.sources += [view] if all(one.name != view.name for one in self.sources) else []
            given.append(f"{view.name}({', '.join(view.parameters)})")
        callback = self.caller.answered.callback
        if callback:
            given.append(callback.name)
        text = f"{reply.name}({', '.join(given)})"
        if (writer := self.caller.answered.told) is not None:
            return writer.telling(text)
        via = self.caller.answered.via
        return VIAS[via].write.format(text, send=self.caller_send) if via else text

    def _method(self) -> Source:
        made = view_event("request_method", self.caller.event, "method", "Return the request's method.")
        if all(source.name != made.name for source in self.sources):
            self.sources.append(made)
        return made

    def _returned(self, call: str) -> str:
        raised = [form.short_name for form in self.original.answered.forms if form.when == "raised"]
        if raised:
            # What the provider takes for an answer when it is raised is one here as well.
            self.lines += [
                "try:",
                f"    returned = {call}",
                f"except ({', '.join(raised)},) as raised:",
                "    returned = raised",
            ]
            call = "returned"
        via = self.original.answered.via
        if not via:
            return call
        if "{0}" in VIAS[via].read:
            return VIAS[via].read.format(call)
        self.lines.append(call)
        return VIAS[via].read

    # --- the four ways ---

    def made(self) -> Delivery:
        ours, theirs = self.original.event, self.caller.event
        self._before()
        if ours.each is None and theirs.each is None:
            self._one_for_one()
        elif ours.each is None:
            self._split()
        elif theirs.each is None:
            self._gather()
        else:
            self._batch_for_batch()
        parameters = [*theirs.handed_over]
        if (writer := self.caller.answered.told) is not None:
            parameters = [*writer.among(theirs.handed_over)]
        parameters += [f"{p}={d}" for p, d in (("function", '""'), ("limit", "60.0")) if p in self.event.parameters]
        word = "async def" if self.asynchronous else "def"
        text = f"{word} {self.name}({', '.join(['original', *parameters])}):\n"
        text += f"    {docstring(self.about)}\n" if self.about else ""
        text += textwrap.indent("\n".join(self.lines), "    ")
        names = tuple(parameter.partition("=")[0] for parameter in parameters)
        return Delivery(self.name, text, tuple(self.sources), names, self.asynchronous, tuple(self.more))

    def _one_for_one(self) -> None:
        native = self.original.event.parameters
        self.lines.append(f"{', '.join(native)} = {self._event()}")
        again = self.original.answered.holds_again
        if again and not self.caller.answered.holds_again:
            self._settle(self._returned(self._call(native)))
            return
        reply = self._reply("answer")
        self.lines.append(f"return {self._answer(reply, self._returned(self._call(native)))}")

    def _settled(self, done: str) -> str:
        """Return what is done and what comes again, as the caller can be told: it raises where it can't be of one."""
        sources, told = as_told(self.prefix, self.caller, done)
        self._bring(sources)
        return told

    def _bring(self, sources: list[Source]) -> None:
        known = {source.name for source in self.sources}
        self.sources += [source for source in sources if source.name not in known]

    def _settle(self, returned: str) -> None:
        """Write what tells a caller that can't be told of single events: it raises where one shall come again."""
        done = self._reply("done", target_is_hub=True)
        reply = self._reply("answer", source_is_hub=True)
        self.lines.append(f"return {self._answer(reply, self._settled(f'{done.name}({returned})'))}")

    def _gather(self) -> None:
        native = self.original.event.parameters
        self.lines.append(f"{', '.join(native)} = {self._event()}")
        entry = self.original.event.event_parameters[0]
        call = self._call(self._handed(f"[{entry}]"))
        if self.original.event.told_by:
            self._told_one_by_one(call, "one", f"[{entry}]")
        else:
            self._settle(self._returned(call))

    def _handed(self, entries: str) -> tuple[str, ...]:
        """Return the arguments for a handler that takes a batch of `entries`."""
        ours = self.original.event
        assert ours.each is not None
        batch = (pack_batch if ours.levels else build_batch)(f"{self.prefix}batch", ours)
        self.sources.append(batch)
        made = f"{batch.name}({entries})"
        made = f"one_batch({made})" if ours.levels else made
        more = ours.tells_more
        made = f"Both({made}, {more})" if more else made
        return tuple(made if name in ours.event_parameters else name for name in ours.parameters if name != more)

    def _each(self) -> str:
        """Return how the events of the caller's batch are gone through."""
        sources, loop = each_of(self.prefix, self.caller)
        self._bring(sources)
        return loop

    def _loop(self) -> str:
        return f"{self._each()}:"

    def _told_one_by_one(self, call: str, entry: str, taken: str) -> None:
        """Write the call of a handler that says of each event what became of it, by methods of the event.

        `entry` is what `one` of those `taken` has the event in.
        """
        self.lines += ["failed = None", "try:", f"    {call}", "except Exception as error:", "    failed = error"]
        sources, settled = told_by_each(self.prefix, self.original, entry, taken, self._whose())
        self.sources += sources
        settled = self._settled(settled)
        self.lines.append(f"return {self._answer(self._reply('answer', source_is_hub=True), settled)}")

    def _whose(self) -> str:
        """Return the ids of the caller's events, where the original's shape may have others; else an empty text."""
        if keeps_ids(self.original.event) or self.caller.event.each is None:
            return ""
        theirs = self.caller.event
        view = view_event(f"{self.prefix}whose", replace(theirs, parameters=theirs.event_parameters), "id")
        self.sources += [view] if all(one.name != view.name for one in self.sources) else []
        return f"[{view.name}({', '.join(view.parameters)}) {self._each()}]"

    def _again_by_name(self, returned: str, one: str, place: int) -> None:
        """Write the answer of a provider whose handlers name what comes again by another field than the id."""
        whose = self._whose()
        views, named = names_of_events(self.prefix, self.original, one.format(place), "its" if whose else "")
        self.sources += views
        done = self._reply("done", target_is_hub=True)
        loop = f"for one, its in zip(taken, {whose})" if whose else "for one in taken"
        again_with = self.original.answered.again_with
        settled = f"again_of({done.name}({returned}), [{named} {loop}], {again_with!r})"
        settled = self._settled(settled)
        self.lines.append(f"return {self._answer(self._reply('answer', source_is_hub=True), settled)}")

    def _split(self) -> None:
        identity = view_event(f"{self.prefix}id", self.caller.event, "id", "Return the event's identity.")
        self.sources.append(identity)
        native = self.original.event.parameters
        self.lines += [
            "again = []",
            self._loop(),
            "    try:",
            f"        {', '.join(native)} = {self._event()}",
            f"        {self._call(native)}",
            "    except Exception:",
            "        note_failure()",
            f"        again.append({identity.name}({', '.join(identity.parameters)}))",
        ]
        reply = self._reply("answer", source_is_hub=True)
        done = '{"value": None, "again": again}'
        done = self._settled(done)
        self.lines.append(f"return {self._answer(reply, done)}")

    def _batch_for_batch(self) -> None:
        ours = self.original.event
        several = len(ours.parameters) > 1
        self.lines.append(f"taken = [{self._event()} {self._each()}]")
        empty = self._reply("nothing", source_is_hub=True) if self.caller.answered is not HUB_DONE else None
        nothing = '{"value": None, "again": []}'
        self.lines += ["if not taken:", f"    return {self._answer(empty, nothing) if empty else nothing}"]
        place = ours.parameters.index(ours.event_parameters[0])
        if several:
            names = ["_" if index == place else name for index, name in enumerate(ours.parameters)]
            self.lines.append(f"{', '.join(names)} = taken[0]")
        entries = f"[one[{place}] for one in taken]" if several else "taken"
        if self.original.numbered:
            self.lines.append(f"numbered({entries}, {self.original.numbered!r})")
        if ours.told_by:
            entry = f"one[{place}]" if several else "one"
            self._told_one_by_one(self._call(self._handed(entries)), entry, "taken")
            return
        call = self._returned(self._call(self._handed(entries)))
        mapped = self.original.answered.holds_again and bool(self._whose())
        if self.original.answered.again_by or self.original.answered.again_with or mapped:
            self._again_by_name(call, "one[{}]" if several else "one", place)
        elif self.original.answered.holds_again and (names_others(self.caller) or not self.caller.answered.holds_again):
            self._settle(call)
        else:
            self.lines.append(f"return {self._answer(self._reply('answer'), call)}")
