"""Calling a JavaScript handler of one provider with what another hands over: batches split or gathered, answers turned.

The generated function is the whole of a shim, and, with the hub as the other provider, the whole of a stand-in. It is
always asynchronous: whatever a handler gives is awaited, be it a promise or not.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable
from dataclasses import dataclass, replace

from vast_ferry.hub.kinds import KINDS
from vast_ferry.mapping.delivery import keeps_ids, names_others, untold
from vast_ferry.mapping.javascript.batches import build_batch, names_of_events, pack_batch, unpack_batch
from vast_ferry.mapping.javascript.functions import (
    GIVEN,
    Source,
    Takes,
    function,
    kind_there,
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
        self.name, self.about, self.takes, self.hosts = name, about, takes, hosts
        self.original, self.caller = kind_there(original), kind_there(caller)
        self.ours, self.theirs = self.original.event, self.caller.event
        self.our_reply, self.their_reply = self.original.answered, self.caller.answered
        if any(reply.callback is not None for reply in (self.our_reply, self.their_reply)):
            raise NoTwin("answers by a callback have no form in JavaScript yet")
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

    @property
    def _writer_name(self) -> str:
        """Return the name of what the handler answers through, which may be what tells it of the event."""
        writer = self.our_reply.writer
        assert writer is not None
        return "answered" if writer.name in self.ours.parameters else self.names[writer.name]

    def _events(self) -> str:
        """Return the source of what the handler takes, made of what the caller hands over."""
        nothing = untold(self.original)
        given = ["null" if name in nothing else name for name in self.event.parameters]
        made = f"{self.event.name}({', '.join(given)})"
        return f"await {made}" if self.event.awaited else made

    def _named(self) -> str:
        """Return the names of what the handler takes, as they are unpacked."""
        names = [self.names[name] for name in self.ours.parameters]
        return names[0] if len(names) == 1 else f"[{', '.join(names)}]"

    def _call(self, batch: str = "") -> str:
        """Return the call of the handler; a `batch` stands where one of its events would."""
        taken = self.ours.event_parameters
        more = self.ours.tells_more
        given = {
            name: batch if batch and name in taken else self.names[name]
            for name in self.ours.parameters
            if name != more
        }
        writer, own = self.our_reply.writer, self.original
        if writer is not None and writer.name in given:  # it answers through what tells it of the event
            given[writer.name] = f"both({given[writer.name]}, {self._writer_name})"
        elif writer is not None:
            answering = {writer.name: self.names[writer.name]}
            given = {**answering, **given} if writer.first else {**given, **answering}
        if not own.method:
            return f"original({', '.join(given.values())})"
        setup = [value for name, value in given.items() if name in own.setup_takes]
        rest = [value for name, value in given.items() if name not in own.setup_takes]
        told = [text(camel(own.method)), text(camel(own.setup)), f"[{', '.join(setup)}]"]
        return f"methodOf({', '.join(['original', *told, *rest])})"

    def _returned(self, call: str) -> str:
        """Return the source of what a handler answered."""
        writer = self.our_reply.writer
        raised = [form.short_name for form in self.our_reply.forms if form.when == "raised"]
        if raised:
            # What the provider takes for an answer when it is thrown is one here as well.
            none = " || ".join(f"raised instanceof {name}" for name in raised)
            self.lines += [
                "let returned;",
                "try {",
                f"  returned = await {call};",
                "} catch (raised) {",
                f"  if (!({none})) throw raised;",
                "  returned = raised;",
                "}",
            ]
            return "returned"
        if writer is None:
            return f"await {call}"
        own = self._writer_name
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
        """Return what is done and what comes again as the caller can be told: it throws where it can't be of one."""
        again = next((one.name for one in self.theirs.told_by if one.verb == "again"), "")
        entry = self.theirs.event_parameters[0]
        if names_others(self.caller):
            views, named = names_of_events(f"{self.prefix}There", self.caller, entry)
            for view in views:
                self._add(view)
            return f"namedAgain({done}, {self._each()}.map(({entry}) => {named}))"
        if self.their_reply.holds_again or not again or self.theirs.each is None:
            return done if self.their_reply.holds_again else f"settled({done})"
        told = f"[{entry}[{text(self.theirs.told_of)}], {self._its_id('ItsId')}]"
        return f"toldAgain({done}, {self._each()}.map(({entry}) => {told}), {text(again)})"

    def _its_id(self, name: str) -> str:
        """Return what gives the id of one of the caller's events."""
        alone = replace(self.theirs, parameters=self.theirs.event_parameters)
        view = self._add(view_event(f"{self.prefix}{name}", alone, "id", "Return the event's identity."))
        return f"{view.name}({', '.join(view.parameters)})"

    def _each(self) -> str:
        """Return the events of the caller's batch, as source."""
        if not self.theirs.levels:
            return str(self.theirs.each)
        unpack = self._add(unpack_batch(f"{self.prefix}Events", self.theirs))
        return f"{unpack.name}({', '.join(unpack.parameters)})"

    def _whose(self) -> str:
        """Return the ids of the caller's events, where the original's shape may have others; else an empty text."""
        if keeps_ids(self.original.event) or self.theirs.each is None:
            return ""
        return f"{self._each()}.map(({self.theirs.event_parameters[0]}) => {self._its_id('Whose')})"

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
        returned = self._returned(self._call())
        if self.our_reply.holds_again and not self.their_reply.holds_again:
            self._answer(self._settled(self._done(returned)), HUB_DONE)
        else:
            self._answer(returned)

    def _batch(self, entries: str) -> str:
        """Return the batch that events make, as source."""
        made = self._add((pack_batch if self.ours.levels else build_batch)(f"{self.prefix}Batch", self.ours))
        batch = f"oneBatch({made.name}({entries}))" if self.ours.levels else f"{made.name}({entries})"
        more = self.ours.tells_more
        return f"both({batch}, {self.names[more]})" if more else batch

    def _told_one_by_one(self, call: str, entry: str, taken: str) -> None:
        """Write the call of a handler that says of each event what became of it, by methods of the event.

        `entry` is what `one` of those `taken` has the event in.
        """
        self.lines += ["let failed = null;", "try {", f"  await {call};", "} catch (error) {", "  failed = error;", "}"]
        named = self._named_by(entry)
        told = f"toldApart({taken}.map((one, at) => [{entry}[{text(self.ours.told_of)}], {named[1]}]), failed)"
        extent = self.our_reply.again_with
        if extent:  # they are named as the caller knows them
            told = f"againOf({told}, {taken}.map((one, at) => [{named[1]}, {named[1]}, {named[2]}]), {text(extent)})"
        self._answer(self._settled(told), HUB_DONE)

    def _named_by(self, entry: str) -> list[str]:
        """Return by what the handler names an event that it took, its id as the caller has it, and its group."""
        whose = self._whose()
        views, _ = names_of_events(self.prefix, self.original, entry)
        for view in views:
            self._add(view)
        named = [f"{view.name}({entry})" for view in views]
        if whose:
            self.lines.insert(0, f"const whose = {whose};")
            named[1] = "whose[at]"
        return named

    def _gather(self) -> None:
        self.lines.append(f"const {self._named()} = {self._events()};")
        entry = self.names[self.ours.event_parameters[0]]
        call = self._call(self._batch(f"[{entry}]"))
        if self.ours.told_by:
            self._told_one_by_one(call, "one", f"[{entry}]")
            return
        self._answer(self._settled(self._done(self._returned(call))), HUB_DONE)

    def _loop(self) -> str:
        return f"for (const {self.theirs.event_parameters[0]} of {self._each()}) {{"

    def _split(self) -> None:
        view = self._add(view_event(f"{self.prefix}Id", self.theirs, "id", "Return the event's identity."))
        self.lines += ["const again = [];", self._loop(), "  try {", f"    const {self._named()} = {self._events()};"]
        before = len(self.lines)
        returned = self._returned(self._call())
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
        entry = f"one[{place}]" if several else "one"
        if self.original.numbered:
            self.lines.append(f"numbered({entries}, {text(self.original.numbered)});")
        if self.ours.told_by:
            self._told_one_by_one(self._call(self._batch(entries)), entry, "taken")
            return
        returned = self._returned(self._call(self._batch(entries)))
        by_name = bool(self.our_reply.again_by or self.our_reply.again_with or self.our_reply.again_name is not None)
        if by_name or (self.our_reply.holds_again and not keeps_ids(self.original.event)):
            named = ", ".join(self._named_by(entry))
            told = (
                f"againOf({self._done(returned)}, taken.map((one, at) => [{named}]), {text(self.our_reply.again_with)})"
            )
            self._answer(self._settled(told), HUB_DONE)
        elif self.our_reply.holds_again and (names_others(self.caller) or not self.their_reply.holds_again):
            self._answer(self._settled(self._done(returned)), HUB_DONE)
        else:
            self._answer(returned)


def _steps(method: WriterMethod) -> str:
    """Return a method of a writer, as what it takes and the steps that it makes of that."""
    made = [f'["first", {method.first.rpartition(".")[2]}]'] if method.first else []
    made += [f'["only", {text(name)}, {camel(name)}, {text(kind)}]' for name, kind in method.only.items()]
    made += [f'["set", {text(attribute)}, {camel(name)}]' for attribute, name in method.sets.items()]
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
    order = sorted(writer.methods.items(), key=lambda one: (one[1].ends, not one[1].first, not one[1].puts))
    for name, method in order:
        every, told = method.calls()
        if not told or done & set(told.values()):
            continue
        done |= set(told.values())
        if not every:
            calls.append(f"{writer.name}.{camel(name)}({', '.join(f'answer.{one}' for one in told.values())});")
            continue
        (held,) = dict.fromkeys(told.values())
        call = f"{writer.name}.{camel(name)}"
        one_by_one = f"for (const pair of asPairsThere(answer.{held})) {call}(...pair);"
        added = f"for (const one of eachToAdd(answer.{held})) {call}(one);"
        calls.append(one_by_one if len(told) == 2 else added)
    rest = [f"{writer.name}.{one} = answer.{one};" for one in writer.holds if one not in done]
    return [*rest, *calls]
