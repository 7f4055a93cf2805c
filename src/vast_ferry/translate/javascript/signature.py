"""One function that is called with the event on its way: its signature, its first lines, what it hands on."""

from __future__ import annotations

from dataclasses import dataclass, replace

from vast_ferry.documents.javascript_file import Node, is_typescript, walk
from vast_ferry.hub.findings import Finding, Severity
from vast_ferry.mapping.javascript.functions import there
from vast_ferry.mapping.javascript.names import camel, free
from vast_ferry.mapping.places import Access, Item
from vast_ferry.mapping.tables import Kind
from vast_ferry.mapping.writers import ByWriter
from vast_ferry.translate.javascript.batches import Followed
from vast_ferry.translate.javascript.edits import Edit, goes_on
from vast_ferry.translate.javascript.handlers import asks_for_no_more, handed_over
from vast_ferry.translate.javascript.looking import parameters_of
from vast_ferry.translate.javascript.scopes import NAMES, Scopes, bound_in
from vast_ferry.translate.javascript.stops import Clash, Inside, Stop, Whole
from vast_ferry.translate.javascript.told_through import ToldThrough
from vast_ferry.translate.javascript.values import indent_of


@dataclass(frozen=True, slots=True)
class Effect:
    """What becomes of a function: its edits, and by its calls what becomes of the functions that it answers by."""

    edits: tuple[Edit, ...]
    inner: tuple[tuple[int, Effect], ...]


def renamed_parameters(kind: Kind, names: set[str], scopes: Scopes) -> Kind:
    """Return the tables of a kind with other names for what a handler is handed."""
    others = {name: free(f"{name}There", scopes.names) for name in names}
    event = there(kind.event)

    def at(place: Access) -> Access:
        return replace(place, root=others.get(place.root, place.root))

    made = replace(
        event,
        parameters=tuple(others.get(one, one) for one in event.parameters),
        event_parameters=tuple(others.get(one, one) for one in event.event_parameters),
        rows=tuple(replace(row, at=at(row.at), flag=row.flag and at(row.flag)) for row in event.rows),
        constants=tuple(replace(one, at=at(one.at)) for one in event.constants),
        envelope=tuple(replace(one, at=at(one.at)) for one in event.envelope),
        each=event.each and at(event.each),
        nothing={at(place): name for place, name in event.nothing.items()},
    )
    reply = kind.reply
    if reply is not None and reply.writer is not None and reply.writer.name in others:
        reply = replace(reply, writer=replace(reply.writer, name=others[reply.writer.name]))
    return replace(kind, event=made, reply=reply)


class Handler(ToldThrough):
    """One handler on its way: its signature, what it reads, how it answers."""

    carried: list[str]  # the parameters that have what layers around it put into what it is handed

    def rewrite(self, hosts: tuple[str, ...]) -> None:
        """Make the edits; `hosts` are the target's parameters that reach services, where the handler calls any.

        Raises Clash where what it is handed there is called as something that it knows, Stop where it can't be done.
        """
        maker = self.layer.maker
        stays = maker is not None and maker.owner.node == self.node and self.node.type == "method_definition"
        asks_for_no_more(self.layer.stands, on_its_object=stays)
        handed = self._handed_over()
        self.carried = [self.follower.take_own(handed[number], key) for number, key in self.way.carried]
        writer = self.ours.answered.writer
        theirs = self._parameters_of_the_provider(writer)
        self.follower.check_entries()
        if writer is not None and self.way.turns:
            self._through(writer)
        # What is made at the first lines is named as the parameters were, or as what they are unpacked to.
        kept = [*self.made_whole, *(one for one in theirs if one.type != "identifier")]
        own_names = {self.file.text(name) for one in theirs for name in bound_in(one)}
        taken = self._known(own_names) | {self.file.text(name) for one in kept for name in bound_in(one)}
        given = {*self.parameters, *(self.event.parameters if self.way.outermost else ())}
        if taken & given:
            raise Clash(taken & given)
        if hosts and self.way.outermost:
            # What reaches services there comes with each call: it is kept for the modules that call them.
            held = ", ".join(camel(one) for one in hosts)
            self.first.insert(0, f"HOST.enterWith({{ {held} }})")
            self.helpers.add("HOST")
        self._hand_on()
        self.edits += self.around_calls
        self._signature()
        if self.layer.calls or self.layer.given is not None:
            self._no_return_type()
        if self.way.turns and not self.split:
            self._answers()
        self._first_lines(self._for_each_event() if self.split and self.way.outermost else "")

    def _handed_over(self) -> tuple[str, ...]:
        """Return what the provider hands over, what is answered through among it."""
        return handed_over(self.ours)

    def _parameters_of_the_provider(self, writer: ByWriter | None) -> list[Node]:
        """Follow each parameter that is the provider's, and return their patterns."""
        handed = self._handed_over()
        listed = self._own_parameters()
        own = [(self.layer.of_provider(at), one) for at, one in enumerate(listed)]
        theirs = [(number, one) for number, one in own if number is not None]
        if any(number >= len(handed) for number, _ in theirs):
            raise Stop("it takes more than it is handed", listed[-1])
        for number, pattern in theirs:
            if writer is not None and handed[number] == writer.name:
                self.writer = pattern
            else:
                self._parameter(pattern, handed[number])
        return [one for _, one in theirs]

    def _hand_on(self) -> None:
        """Hand the function inside what it needs at the target, and behind that what this one adds."""
        if self.way.whole:
            return
        known = self._handed_over()
        for call, handed in zip(self.layer.calls, self.layer.handed, strict=True):
            given = call.child_by_field_name("arguments")
            puts = [
                self._text_of(handed.puts[number, key])
                if (number, key) in handed.puts
                else self.follower.own.get((known[number], key), "undefined")
                for number, key in self.carries_on()
            ]
            text = f"({', '.join([*self.inside, *puts, *map(self._text_of, handed.adds)])})"
            if text != self.file.text(given):
                self._replace(given, text)

    def carries_on(self) -> tuple[tuple[int, str], ...]:
        """Return what the function inside finds in what it is handed that the project itself put there."""
        if self.way.whole or not self.layer.calls:
            return ()
        known = self._handed_over()
        hands = {one for one in self.layer.handed[0].hands if one is not None}
        own = [(known.index(root), key) for root, key in self.follower.own]
        puts = [one for handed in self.layer.handed for one in handed.puts]
        return tuple(dict.fromkeys(one for one in (*own, *puts) if one[0] in hands))

    def answers_by(self) -> list[Handler]:
        """Return the functions by which it answers, and those by which these do, as they are rewritten."""
        own = [one for one in self.helped.values() if isinstance(one, Handler)]
        return [inner for one in own for inner in (one, *one.answers_by())]

    def effect(self) -> Effect:
        """Return all that becomes of it: its edits, and what becomes of the functions that it answers by."""
        inner = {at: one.effect() for at, one in self.helped.items() if isinstance(one, Handler)}
        return Effect(tuple(self.every_edit()), tuple(sorted(inner.items(), key=lambda pair: pair[0])))

    def every_edit(self) -> list[Edit]:
        """Return its edits, those of the function that makes it included."""
        return [*self.edits, *self._typed_anew()]

    def _typed_anew(self) -> list[Edit]:
        """Return what takes out of a function around a handler, in TypeScript, the types that it had at the source."""
        layer, maker = self.layer, self.layer.maker
        if maker is None or layer.inner is None or not is_typescript(self.file):
            return []
        owner = maker.owner.node
        above = owner.parent if owner.parent.type == "variable_declarator" else None
        said = above.child_by_field_name("type") if above is not None else None
        edits = [Edit(said.start_byte, said.end_byte, "")] if said is not None else []
        for function in (owner, *maker.between):
            if function == self.node:
                continue
            kind = function.child_by_field_name("return_type")
            edits += [Edit(kind.start_byte, kind.end_byte, "")] if kind is not None else []
            for one in parameters_of(function):
                pattern, own = one.child_by_field_name("pattern") or one, one.child_by_field_name("type")
                if pattern == layer.inner and own is not None:
                    edits.append(Edit(own.start_byte, own.end_byte, ": any"))
                elif own is None and (pattern == layer.inner or said is not None):
                    edits.append(Edit(pattern.end_byte, pattern.end_byte, ": any"))
        return edits

    # --- parameters ---

    def _own_parameters(self) -> list[Node]:
        single = self.node.child_by_field_name("parameter")
        if single is not None:
            return [single]
        listed = self.node.child_by_field_name("parameters")
        found: list[Node] = []
        for one in listed.named_children:
            if one.type == "comment":
                continue
            pattern = one.child_by_field_name("pattern") or one
            if pattern.type == "assignment_pattern":  # whose default is never needed: it is always handed over
                pattern = pattern.child_by_field_name("left")
            if pattern.type == "rest_pattern" and self.layer.rest == len(found) and not self.way.whole:
                continue  # which is only handed on
            if pattern.type == "rest_pattern":
                raise Stop("a parameter takes the rest", one)
            if pattern.type == "this":
                raise Stop("it asks for what it is called on", one)
            found.append(pattern)
        return found

    def _known(self, handed: set[str]) -> set[str]:
        """Return the names that mean something in the handler, but for the parameters that it is handed."""
        found = set()
        for one in self.file.of_types(self.node, NAMES):
            binding = self.scopes.of(one)
            own = binding is not None and binding.kind == "parameter" and binding.scope == self.node
            if binding is not None and not (own and binding.name in handed):
                found.add(binding.name)
        return found

    def _parameter(self, pattern: Node, name: str) -> None:
        try:
            if self.way.whole:
                raise Whole(pattern, self.way.whole)
            found = self.follower.parameter(pattern, name)
        except Whole as error:
            if self.layer.calls and not self.way.whole:
                raise Inside(error.why) from None
            found = self.follower.whole(pattern, name)
            self.made_whole.append(pattern)
            self.findings.append(
                Finding(
                    "made-whole-javascript",
                    Severity.NOTE,
                    f"{self.one.name} has {name} made as {self.project.title} has it: {error.why}",
                    "It does the same; read it at the target's own places where you want that idiom",
                    self.file.place(error.node),
                    self.one.name,
                )
            )
        self._take(found)

    def _take(self, found: Followed) -> None:
        self.edits += found.edits
        self.first += found.first
        self.sources |= found.sources
        self.helpers |= found.helpers

    def _signature(self) -> None:
        typed = is_typescript(self.file)
        own = [f"{name}: {self._type_of(name)}" if typed else name for name in self.parameters]
        carried = [f"{name}: any" if typed else name for name in self.carried]
        text = ", ".join([*own, *carried, *self._added()])
        single = self.node.child_by_field_name("parameter")
        listed = single if single is not None else self.node.child_by_field_name("parameters")
        if self.file.text(listed) != f"({text})" and not (single is not None and self.file.text(single) == text):
            self.edits.append(Edit(listed.start_byte, listed.end_byte, f"({text})"))

    def _added(self) -> list[str]:
        """Return the parameters that a function around this one gives, as they stand."""
        added = [one for at, one in enumerate(parameters_of(self.node)) if self.layer.of_provider(at) is None]
        found = []
        for one in added:
            text, name = self._text_of(one), self.file.text(one.child_by_field_name("pattern") or one)
            untyped = is_typescript(self.file) and one.child_by_field_name("type") is None
            found.append(f"{name}: any{text.removeprefix(name)}" if untyped else text)
        return found

    def _type_of(self, name: str) -> str:
        """Return a parameter's type in TypeScript: that a batch is an array is what callbacks over it rest on."""
        each = self.places.theirs.each
        if each is None or each.root != name:
            return "any"
        made = "any[]"
        for step in reversed(each.steps):
            key = step.key if isinstance(step, Item) else getattr(step, "name", "")
            if not key:
                return "any"
            made = f"{{ {key}: {made}; [name: string]: any }}"
        return made

    # --- first lines ---

    def _further_in(self) -> None:
        """Indent what stands in the handler's body, but for the lines of texts that span several."""
        texts = [(one.start_byte, one.end_byte) for one in walk(self.body) if one.type == "template_string"]
        spans = [*texts, *((one.start, one.end) for one in self.edits if one.end > one.start)]
        content, end = self.file.content, self.body.end_byte - 1
        at = content.find(b"\n", self.body.start_byte) + 1
        while 0 < at <= content.rfind(b"\n", 0, end):
            blank = content[at : at + 1] in (b"\n", b"\r")
            if not blank and not any(low < at < high or low == at for low, high in spans):
                self.edits.append(Edit(at, at, "  "))
            at = content.find(b"\n", at) + 1

    def _first_lines(self, around: str) -> None:
        """Write what stands at the handler's beginning; `around` begins a function that all of it is put into."""
        awaits = any("await " in line for line in self.first) or any("await " in one.text for one in self.edits)
        if awaits and not any(child.type == "async" for child in self.node.children):
            self.edits.append(Edit(self.node.start_byte, self.node.start_byte, "async "))
        lines = [line + self.follower.semicolon for line in self.first]
        if lines and self.has_block and goes_on(self.file, self.body.named_children):
            lines[-1] = f"{lines[-1].removesuffix(';')};"
        if not lines and not around:
            return
        if not self.has_block:
            head = " ".join(f"{line.removesuffix(';')};" for line in lines)
            opens, ends = (f"{{ {head} return ", "; }") if lines else ("", "")
            self.edits.insert(0, Edit(self.body.start_byte, self.body.start_byte, f"{around}{opens}"))
            self.edits.append(Edit(self.body.end_byte, self.body.end_byte, f"{ends}{')' * bool(around)}"))
            return
        if around:
            lines = [f"return {around}{{", *(f"  {line}" for line in lines)]
            self._further_in()
            end = self.body.end_byte - 1
            begin = self.file.content.rfind(b"\n", 0, end)
            pad = self.file.content[begin + 1 : end].decode("utf-8", "replace")
            ended = f"{pad}  }}){self.follower.semicolon}\n" if not pad.strip() else " });"
            at = begin + 1 if not pad.strip() else end
            self.edits.append(Edit(at, at, ended))
        inside = self.body.named_children
        start = self.body.start_byte + 1
        rest = self.file.content[start : inside[0].start_byte if inside else self.body.end_byte - 1]
        if b"\n" in rest and inside:
            indent = indent_of(self.file, inside[0])
            self.edits.insert(0, Edit(start, start, "".join(f"\n{indent}{line}" for line in lines)))
        else:
            self.edits.insert(0, Edit(start, start, "".join(f" {line.removesuffix(';')};" for line in lines)))
