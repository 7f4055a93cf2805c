"""Calling a JavaScript handler of one provider with what another hands over: batches split or gathered, answers turned.

The generated function is the whole of a shim, and, with the hub as the other provider, the whole of a stand-in. It is
always asynchronous: whatever a handler gives is awaited, be it a promise or not.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable
from dataclasses import dataclass

from vast_ferry.hub.kinds import KINDS
from vast_ferry.mapping.javascript.functions import (
    GIVEN,
    Source,
    Takes,
    build_batch,
    function,
    reply_there,
    there,
    translate_event,
    translate_reply,
    view_event,
)
from vast_ferry.mapping.javascript.names import camel
from vast_ferry.mapping.javascript.writing import NoTwin, literal, text
from vast_ferry.mapping.tables import HUB_DONE, Kind, ReplyShape
from vast_ferry.mapping.writers import ByWriter, WriterMethod


@dataclass(frozen=True, slots=True)
class Delivery:
    """The function that calls `original`: its name, its parameters after that, and it and all that it uses as code."""

    name: str
    parameters: tuple[str, ...]
    code: tuple[str, ...]
    used: frozenset[str]
    imports: tuple[str, ...]


def deliver(
    name: str,
    original: Kind,
    caller: Kind,
    takes: Takes,
    about: str = "",
    *,
    fresh: bool = False,
    hosts: Iterable[str] = (),
) -> Delivery:
    """Return the function that calls a handler of `original`'s shapes as `caller` calls one of its own.

    It takes the handler, then what `caller` hands over, then `functionName` and `limit` where the handler is told more
    of its call than `caller` tells. `hosts` are those of `caller`'s parameters by which services are reached.

    Raises NoTwin for what has no form in JavaScript.
    """
    return _Delivery(name, original, caller, takes, about, fresh=fresh, hosts=tuple(hosts)).made()


class _Delivery:
    def __init__(
        self, name: str, original: Kind, caller: Kind, takes: Takes, about: str, *, fresh: bool, hosts: tuple[str, ...]
    ) -> None:
        if original.method or caller.method:
            raise NoTwin("handlers that are classes have no form in JavaScript yet")
        self.name, self.about, self.takes, self.hosts = name, about, takes, hosts
        self.ours, self.theirs = there(original.event), there(caller.event)
        self.our_reply, self.their_reply = reply_there(original.answered), reply_there(caller.answered)
        for reply in (self.our_reply, self.their_reply):
            if reply.callback is not None or reply.again_by or reply.again_name is not None or reply.again_with:
                raise NoTwin("answers by a callback, or that name events by anything but their id, have no form yet")
        self.prefix = f"{name}{KINDS[original.event.kind].prefix.title().replace('_', '')}"
        self.sources: list[Source] = []
        self.event = self._add(
            translate_event(
                f"{self.prefix}EventFor", self.theirs, self.ours, "Return what the handler takes.", fresh=fresh
            )
        )
        self.lines: list[str] = []
        # What the handler takes may be called as what the caller hands over is.
        theirs = {*self.theirs.handed_over, *self.theirs.parameters, *GIVEN.values(), "original", "answer"}
        theirs |= {self.their_reply.writer.name} if self.their_reply.writer is not None else set()
        own = [*self.ours.parameters, *([self.our_reply.writer.name] if self.our_reply.writer is not None else [])]
        self.names = {name: f"{name}Here" if name in theirs else name for name in own}

    def _add(self, source: Source) -> Source:
        if all(one.name != source.name for one in self.sources):
            self.sources.append(source)
        return source

    # --- pieces ---

    def _events(self) -> str:
        """Return the source of what the handler takes, made of what the caller hands over."""
        made = f"{self.event.name}({', '.join(self.event.parameters)})"
        return f"await {made}" if self.event.awaited else made

    def _named(self) -> str:
        """Return the names of what the handler takes, as they are unpacked."""
        names = [self.names[name] for name in self.ours.parameters]
        return names[0] if len(names) == 1 else f"[{', '.join(names)}]"

    def _handed(self, batch: str = "") -> str:
        """Return the handler's arguments; a `batch` stands where one of its events would."""
        taken = self.ours.event_parameters
        given = [batch if batch and name in taken else self.names[name] for name in self.ours.parameters]
        writer = self.our_reply.writer
        if writer is not None:
            own = self.names[writer.name]
            given = [own, *given] if writer.first else [*given, own]
        return ", ".join(given)

    def _returned(self, call: str) -> str:
        """Return the source of what a handler answered."""
        writer = self.our_reply.writer
        if writer is None:
            return f"await {call}"
        own = self.names[writer.name]
        self.lines += [f"const {own} = {made_writer(writer)};"]
        ends = any(one.ends for one in writer.methods.values())
        if writer.returns:
            self.lines.append(f"const given = await {call};")
            return f"Answering.answer({own}, given)"
        self.lines.append(f"await {call};")
        if ends:  # it may answer later than it returns; one that never does is cut off
            self.lines.append(f"await Answering.ended({own});")
        return own

    def _answer(self, value: str, source: ReplyShape | None = None) -> None:
        """Write the end: the caller is answered with what `value` is."""
        reply = self._add(
            translate_reply(
                f"{self.prefix}{'Answer' if source is None else 'Told'}",
                source or self.our_reply,
                self.their_reply,
                self.takes,
                "Answer with what the handler returned.",
            )
        )
        given = [value]
        if "method" in reply.parameters:
            view = self._add(view_event("requestMethod", self.theirs, "method", "Return the request's method."))
            given.append(f"{view.name}({', '.join(view.parameters)})")
        made = f"{'await ' * reply.awaited}{reply.name}({', '.join(given)})"
        writer = self.their_reply.writer
        if writer is None or self.their_reply.written.when != "writer":
            self.lines.append(f"return {made};")
            return
        self.lines += [f"const answer = {made};", *telling(writer)]

    def _done(self, value: str) -> str:
        done = self._add(
            translate_reply(f"{self.prefix}Done", self.our_reply, HUB_DONE, self.takes, "Return what an answer says.")
        )
        return f"{done.name}({value})"

    def _settled(self, done: str) -> str:
        return done if self.their_reply.holds_again else f"settled({done})"

    # --- the four ways ---

    def made(self) -> Delivery:
        """Return the function with all that it uses."""
        if self.ours.each is None and self.theirs.each is None:
            self._one_for_one()
        elif self.ours.each is None:
            self._split()
        elif self.theirs.each is None:
            self._gather()
        else:
            self._batch_for_batch()
        handed = [*self.theirs.handed_over]
        if (writer := self.their_reply.writer) is not None:
            handed = [*writer.among(tuple(handed))]
        parameters = [*handed, *(name for name in GIVEN.values() if name in self.event.parameters)]
        body = "\n".join(self.lines)
        if self.hosts:
            held = ", ".join(map(camel, self.hosts))
            inner = "\n".join(f"  {line}" for line in body.splitlines())
            body = f"return HOST.run({{ {held} }}, async () => {{\n{inner}\n}});"
        main = function(self.name, ["original", *parameters], body, self.about, awaited=True)
        used = frozenset[str]().union(*(one.used for one in self.sources))
        imports = tuple(dict.fromkeys(line for one in self.sources for line in one.imports))
        return Delivery(self.name, tuple(parameters), (*(one.text for one in self.sources), main), used, imports)

    def _one_for_one(self) -> None:
        self.lines.append(f"const {self._named()} = {self._events()};")
        returned = self._returned(f"original({self._handed()})")
        if self.our_reply.holds_again and not self.their_reply.holds_again:
            self._answer(self._settled(self._done(returned)), HUB_DONE)
        else:
            self._answer(returned)

    def _batch(self) -> Source:
        return self._add(build_batch(f"{self.prefix}Batch", self.ours))

    def _gather(self) -> None:
        self.lines.append(f"const {self._named()} = {self._events()};")
        entry = self.names[self.ours.event_parameters[0]]
        returned = self._returned(f"original({self._handed(f'{self._batch().name}([{entry}])')})")
        self._answer(self._settled(self._done(returned)), HUB_DONE)

    def _loop(self) -> str:
        return f"for (const {self.theirs.event_parameters[0]} of {self.theirs.each}) {{"

    def _split(self) -> None:
        view = self._add(view_event(f"{self.prefix}Id", self.theirs, "id", "Return the event's identity."))
        self.lines += ["const again = [];", self._loop(), "  try {", f"    const {self._named()} = {self._events()};"]
        before = len(self.lines)
        returned = self._returned(f"original({self._handed()})")
        self.lines[before:] = [f"    {line}" for line in self.lines[before:]]
        if self.our_reply.writer is None:
            self.lines.append(f"    {returned};")
        self.lines += [
            "  } catch (error) {",
            "    noteFailure(error);",
            f"    again.push({view.name}({', '.join(view.parameters)}));",
            "  }",
            "}",
        ]
        self._answer(self._settled("{ value: null, again }"), HUB_DONE)

    def _batch_for_batch(self) -> None:
        several = len(self.ours.parameters) > 1
        self.lines += ["const taken = [];", self._loop(), f"  taken.push({self._events()});", "}"]
        self.lines.append("if (taken.length === 0) {")
        before = len(self.lines)
        self._answer("{ value: null, again: [] }", HUB_DONE)
        self.lines[before:] = [f"  {line}" for line in self.lines[before:]]
        self.lines.append("}")
        place = self.ours.parameters.index(self.ours.event_parameters[0])
        if several:
            names = ["" if index == place else self.names[name] for index, name in enumerate(self.ours.parameters)]
            self.lines.append(f"const [{', '.join(names)}] = taken[0];")
        entries = f"taken.map((one) => one[{place}])" if several else "taken"
        returned = self._returned(f"original({self._handed(f'{self._batch().name}({entries})')})")
        if self.our_reply.holds_again and not self.their_reply.holds_again:
            self._answer(self._settled(self._done(returned)), HUB_DONE)
        else:
            self._answer(returned)


def _steps(method: WriterMethod) -> str:
    """Return a method of a writer, as what it takes and the steps that it makes of that."""
    if method.first or method.only:
        raise NoTwin("methods of an answer that have to come first have no form in JavaScript yet")
    made = [f'["set", {text(attribute)}, {camel(name)}]' for attribute, name in method.sets.items()]
    made += [f'["add", {text(attribute)}, {camel(name)}]' for attribute, name in method.adds.items()]
    put = "putOver" if method.over else "put"
    made += [
        f'["{put}", {text(attribute)}, {camel(name)}, {camel(value)}]'
        for attribute, (name, value) in method.puts.items()
    ]
    made += [f'["seal", {text(attribute)}]' for attribute in method.seals]
    ends = ", ends: true" * method.ends
    takes = []
    for one in method.takes:
        name, mark, usual = one.partition("=")
        takes.append(camel(name.strip()) + (f" = {literal(ast.literal_eval(usual.strip()))}" if mark else ""))
    return f"{{ steps: ({', '.join(takes)}) => [{', '.join(made)}]{ends} }}"


def made_writer(writer: ByWriter) -> str:
    """Return the source of what a handler answers through, before anything was told."""
    methods = "".join(f"\n  {camel(name)}: {_steps(one)}," for name, one in writer.methods.items())
    return f"new Answering({literal(dict(writer.holds))}, {{{methods}\n}})"


def telling(writer: ByWriter) -> list[str]:
    """Return the statements that answer a caller through its writer; `answer` has what each property shall hold.

    Of several methods that tell the same the first is called; those that are called for each pair come first, one that
    ends the answer last.
    """
    calls: list[str] = []
    done: set[str] = set()
    for name, method in sorted(writer.methods.items(), key=lambda one: (one[1].ends, not one[1].puts)):
        every, told = method.calls()
        if not told or done & set(told.values()):
            continue
        done |= set(told.values())
        if not every:
            calls.append(f"{writer.name}.{camel(name)}({', '.join(f'answer.{one}' for one in told.values())});")
            continue
        (held,) = dict.fromkeys(told.values())
        calls.append(f"for (const pair of answer.{held}) {writer.name}.{camel(name)}(...pair);")
    rest = [f"{writer.name}.{one} = answer.{one};" for one in writer.holds if one not in done]
    return [*rest, *calls]
