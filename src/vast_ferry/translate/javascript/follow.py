"""Following what a handler in JavaScript is handed, and writing every read of it as the target has it.

**What is assumed.** A handler is called by its provider only, with a fresh event; what it changes of that nobody else
sees. What the provider's own functions are given they change nothing of. Names are what `scopes` resolves them to; a
file with `eval` or `with` is left alone, and so is a handler that uses `arguments`, is a generator, or is called or
handed on by the project's own code.

**What follows.** Each parameter is a tree of places (`places.Places`). From each use of a parameter the code is read
outwards: a property leads to the part of that name, a name that is bound to a part stands for it, an unpacking pattern
leads to its parts. Where that ends at a row, what stands there is written as what the target has there, which is equal
to it: the same translation gives it that a shim would use. A text or a number may be used in any way. What can be
changed (a mapping, a list, bytes) is made anew at each read, so it is only written so where nobody could tell: it is
only looked at, or it is read once, outside of loops and inner functions. Where somebody could, it is read at the
handler's first line, or that of a loop's turn, and has a name from there on: all have the same then, as they had. What
has to be waited for, content that can be read once, is read at the handler's first line; what is made of it is made
where it was read.

**Functions around a handler** (`around`) are followed like it. What is inside of one is handed the same, and may look
at it as well: so a part that can be changed, and is not only looked at, or that can be read once and is read by both,
is made whole in the outer one, and what is inside stays as it was.

**What is not understood** (the parameter handed on, spread, compared, given another value; a part that no row knows)
is no reason to guess: the whole parameter is then made as the source has it, by an emitted function, at the handler's
first line, under its own names, and the rest of the code is what it was. There is no third way.
"""

from __future__ import annotations

import copy
import re
from collections.abc import Callable
from dataclasses import dataclass, field

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, is_typescript, walk
from vast_ferry.mapping.javascript import library
from vast_ferry.mapping.javascript.functions import Source
from vast_ferry.mapping.javascript.names import RESERVED, camel, free
from vast_ferry.mapping.javascript.writing import NoTwin
from vast_ferry.mapping.places import Access, Item
from vast_ferry.translate.javascript.around import Layer
from vast_ferry.translate.javascript.batches import Followed, only_of
from vast_ferry.translate.javascript.contents import given_by
from vast_ferry.translate.javascript.edits import Edit, gone
from vast_ferry.translate.javascript.entries import EACH
from vast_ferry.translate.javascript.handed import (
    Handed,
    Needed,
    Put,
    again_and_again,
    is_awaited,
    key_and_target,
    object_text,
    rest_of,
    step_of,
)
from vast_ferry.translate.javascript.handlers import FunctionOf, Standing
from vast_ferry.translate.javascript.looking import parameters_of
from vast_ferry.translate.javascript.places import Part, Places, Written, last_name, spelt
from vast_ferry.translate.javascript.reads import Read, Reads
from vast_ferry.translate.javascript.scopes import NAMES, bound_in, is_written, within
from vast_ferry.translate.javascript.stops import Stop, Whole
from vast_ferry.translate.javascript.values import may_both_run


@dataclass(slots=True)
class Emitted:
    """The functions that rewritten handlers share: one for each text, under a name that is free where it is used."""

    names: dict[str, list[str]] = field(default_factory=dict)  # text → the names that it has

    def name_of(self, source: Source, taken: set[str]) -> str:
        """Return the name of a function in a file in which some names are taken."""
        known = self.names.setdefault(source.text, [])
        every = {name for names in self.names.values() for name in names}
        found = next((name for name in known if name not in taken), "")
        if not found:
            number, found = 2, source.name
            while found in taken or found in every or library.has(found):
                found, number = f"{source.name}{number}", number + 1
            known.append(found)
        return found


class Follower(Reads):
    """Follows the parameters of one handler."""

    def __init__(
        self,
        seen: Standing,
        places: Places,
        emitted: Emitted,
        function_of: FunctionOf,
        layer: Layer,
    ) -> None:
        self.file, self.scopes, self.places, self.function = seen.file, seen.scopes, places, seen.node
        self.handed = Handed(places, function_of)
        every = enumerate(parameters_of(seen.node))
        theirs = [one.child_by_field_name("pattern") or one for at, one in every if layer.of_provider(at) is not None]
        self.theirs = frozenset(self.file.text(name) for one in theirs for name in bound_in(one))
        self.calls = layer.calls  # of the function that this one is around
        # Those by which that is handed something of the provider's.
        handed_on = zip(layer.calls, layer.handed, strict=True)
        self.inner = {one.id for one, handed in handed_on if any(number is not None for number in handed.hands)}
        self.spread = {one.id for handed in layer.handed for one in handed.spread}
        self.own: dict[tuple[str, str], str] = {}  # by parameter and name, what has what the project puts there
        self.given_own: set[tuple[str, str]] = set()  # those of them that it is handed
        self.every_read: dict[str, list[Read]] = {}  # of all parameters
        self.emitted = emitted
        # Names that mean something in the file.
        self.taken = {*self.scopes.names, *RESERVED, *places.theirs.handed_over}
        self.reads: dict[str, list[Read]] = {}
        self.given: dict[int, str] = {}  # what reads give, by their nodes
        self.once: set[int] = set()  # loops that are gone through once
        self.turns: list[Node] = []  # what is done with each event of the target's batch
        self.of_entries: list[Node] = []  # what is made of one of these events
        self.shared: set[str] = set()  # places that are read once, for what stands there may be changed
        self.kept: dict[tuple[str, int], str] = {}  # the names of what is read once, by its place, and where it is
        self.reads_content = False  # what can be read once
        self.changes = False  # whether what is read may be changed where it stands
        self.awaited: list[Node] = []  # where content is read that can be read once
        self.content = ""  # the name of what can be read once, at the first lines
        self.made = Followed()
        self.has_block = self.function.child_by_field_name("body").type == "statement_block"
        self.semicolon = semicolon_of(self.file)

    def parameter(self, pattern: Node, name: str) -> Followed:
        """Return what becomes of a parameter that a handler has under a pattern; raises Whole where that fails.

        What may be changed, and is read more than once, is read once (`shared`): then all is followed once more.
        """
        known, turns, entries = set(self.taken), [*self.turns], [*self.of_entries]
        while True:
            # What other parameters came to stays; what a try before came to goes, one that fails included.
            self.taken, self.turns, self.of_entries = set(known), [*turns], [*entries]
            try:
                found = self._followed(pattern, name)
            except Whole:
                self.turns, self.of_entries = turns, entries
                raise
            several = self._read_several_times()
            if self.inner:
                self._is_read_inside_too(pattern, several)
            if several <= self.shared:
                break
            self.shared |= several
        self._wait()
        self.every_read |= self.reads
        self.reads_content = self.reads_content or bool(self.content or self.awaited)
        return found

    def _is_read_inside_too(self, pattern: Node, changed: set[str]) -> None:
        """See that the function inside, which is handed the same, finds it as it was; raises Whole."""
        if changed:
            raise Whole(pattern, "what may be changed of it is handed on")

    def _followed(self, pattern: Node, name: str) -> Followed:
        self.made, self.reads, self.content, self.kept = Followed(), {}, "", {}
        self.awaited = []
        part = self.places.of_parameter(name)
        if self.inner and pattern.type == "identifier":
            self._put_there(pattern, part)
        for (root, key), own in self.own.items():
            if root == name:
                part.parts[key] = Part(Access(name, (Item(key),)), own=own)
        if pattern.type == "identifier":
            self._name(pattern, part)
        elif pattern.type == "object_pattern":
            lines = self._unpack(pattern, part)
            self.made.first += [f"const {line}" for line in lines]
        else:
            raise Whole(pattern, "it has a default, or takes the rest")
        return self.made

    def take_own(self, parameter: str, key: str) -> str:
        """Return the name under which it is handed what the project puts into a parameter."""
        self.given_own.add((parameter, key))
        return self._own_name(parameter, key)

    def _own_name(self, parameter: str, key: str) -> str:
        if (parameter, key) not in self.own:
            names = {self.file.text(one) for one in self.file.of_types(self.function, NAMES)}
            taken = {*names, *RESERVED, *self.places.theirs.handed_over, *self.places.theirs.parameters}
            self.own[parameter, key] = name = free(key, taken | {*self.own.values()})
            self.taken.add(name)
        return self.own[parameter, key]

    def _put_there(self, pattern: Node, part: Part) -> None:
        """Give what is put into a parameter, for the function inside, a name of its own: `event.user = ...`."""
        binding, root = self.scopes.of(pattern), part.at.root
        keys: dict[str, None] = {}
        for use in binding.uses if binding is not None else ():
            above = use.parent
            if above.type == "member_expression" and above.parent.type == "assignment_expression":
                key = self.file.text(above.child_by_field_name("property"))
                if above.parent.child_by_field_name("left") == above and (key not in part.parts or part.parts[key].own):
                    keys[key] = None
        for key in keys:
            name = self._own_name(root, key)
            self.made.first += [] if (root, key) in self.given_own else [f"let {name}"]

    # --- uses ---

    def _name(self, node: Node, part: Part) -> None:
        """Follow all uses of a name that stands for a part."""
        binding = self.scopes.of(node)
        if binding is None or binding.writes or len(binding.declared) != 1:
            raise Whole(node, f"{self.file.text(node)} gets another value")
        for use in binding.uses:
            shorthand = use.type == "shorthand_property_identifier"
            if shorthand and (part.is_leaf or part.batch or Put.of(self.file, use) is None):
                raise Whole(use, f"{self.file.text(node)} is put into another object")
            self._use(use, part)

    def _use(self, node: Node, part: Part) -> None:
        """Follow one use outwards."""
        while not (part.is_leaf or part.batch):
            above = node.parent
            step = step_of(self.file, node, above)
            if step is None:
                break
            if step == "()":
                if part.called is None:
                    raise Whole(above, "it is called")
                node, part = above, part.called
                self._call(node, part)
                return
            if not step:
                node = above
                continue
            if step not in part.parts:
                raise Whole(above, f"{step} is asked of it, which nobody knows")
            node, part = above, part.parts[step]
        if part.batch:
            if not self._tried(lambda: self._batch(node, part)):
                self.made.edits.append(Edit(node.start_byte, node.end_byte, self._as_list(node, part)))
        elif part.is_leaf:
            self._read(node, part)
        else:
            self._held(node, part)

    def _held(self, node: Node, part: Part) -> None:
        """Follow a part that is more than one row: bound to a name, unpacked, or handed to a helper."""
        above = node.parent
        if above.type == "arguments" and above.parent.id in self.inner and not part.at.steps:
            return  # the function inside is handed what this one is
        if node.id in self.spread and not part.at.steps:
            return  # with more beside it
        if above.type == "arguments" or Put.of(self.file, node) is not None:
            self._hand_on(node, part)
            return
        if above.type != "variable_declarator" or above.child_by_field_name("value") != node:
            raise Whole(node, "it is used as a whole")
        declaration = above.parent
        if len(declaration.named_children) != 1 or declaration.parent.type not in ("statement_block", "program"):
            raise Whole(node, "it is declared together with others")
        pattern = above.child_by_field_name("name")
        if pattern.type == "identifier":
            self._name(pattern, part)
            lines: list[str] = []
        elif pattern.type == "object_pattern":
            lines = self._unpack(pattern, part)
        else:
            raise Whole(pattern, "it is unpacked by number")
        if lines:
            self.made.edits.append(Edit(above.start_byte, above.end_byte, ", ".join(lines)))
        else:
            self.made.edits.append(gone(self.file, declaration))

    def _hand_on(self, node: Node, part: Part) -> None:
        """Give a helper of the project an object of what it reads, in place of the part that it was handed."""
        needed, taken = self.handed.needed(self.file, self.scopes, node, part)
        nothing = not needed.leaves and not needed.lists
        if nothing and part.at.steps:  # which may be nothing itself
            raise Whole(node, "it is handed on to what reads nothing of it")
        text = "{}" if nothing else self._object_of(node, needed)
        if needed.awaited:
            self._read_content(node)
        said = [kind for one in taken if (kind := one.child_by_field_name("type")) is not None]
        if is_typescript(self.file) and (said or self._says_what_it_takes(node)):  # it may ask for more than is read
            text = f"{text} as any"
        if node.type == "shorthand_property_identifier":
            text = f"{self.file.text(node)}: {text}"
        self.made.edits.append(Edit(node.start_byte, node.end_byte, text))

    def _says_what_it_takes(self, handed: Node) -> bool:
        """Tell whether the type of what is called may be told where that has its name: it is a parameter, say."""
        call = handed.parent.parent if handed.parent.type == "arguments" else handed.parent.parent.parent
        called = call.child_by_field_name("function") if call.type == "call_expression" else None
        binding = self.scopes.of(called) if called is not None and called.type == "identifier" else None
        if binding is None or len(binding.declared) != 1 or binding.kind == "parameter":
            return True
        above = binding.declared[0].parent
        return above.type == "variable_declarator" and above.child_by_field_name("type") is not None

    def _object_of(self, node: Node, needed: Needed) -> str:
        """Return the source of an object, or a list, that has what is needed of a part."""
        values: dict[tuple[str, ...], str] = {(*path, EACH): "" for path in needed.lists}
        if needed.guarded and len(needed.awaited) > 1:
            raise Whole(node, "its content may be read twice, which fails")
        for path, inner in needed.leaves.items():
            # What is in a list is made once for all that the list is given to.
            looked_at, once = path not in needed.changed, needed.once.get(path, False)
            read = Read(node, inner, handed=True, listed=EACH in path, looked_at=looked_at, once=once)
            self.reads.setdefault(str(inner.at), []).append(read)
            entries = len(self.of_entries)
            if path in needed.called:
                waits = path in needed.awaited
                values[path] = self._as_method(node, inner, given=needed.called[path], waits=waits)
                if waits and needed.guarded:
                    self._takes_helper(node, "onceOnly")
                    values[path] = f"onceOnly({values[path]})"
            else:
                values[path] = self._written(node, inner)
            if EACH in path:  # it stands where there is one event, whatever is around the list
                del self.of_entries[entries:]
        return object_text(values, self._of_each)

    def _takes_helper(self, node: Node, helper: str) -> None:
        """Take note of a helper that stands in the module that all share."""
        self.made.helpers.add(helper)
        if helper in self.taken:
            raise Whole(node, f"the file has a name {helper}")

    def _of_each(self, text: str) -> str:
        """Return the source of a list that has something for each event of the target's batch, or for its only one."""
        theirs = self.places.theirs
        if theirs.each is None:
            return f"[{text}]"
        return f"{spelt(theirs.each)}.map(({theirs.event_parameters[0]}) => ({text}))"

    def _as_list(self, node: Node, part: Part) -> str:
        """Return the source of a list of what is read of each event of a batch."""
        text = self._object_of(node, self.handed.needed_of_list(self.file, self.scopes, node, part))
        return f"({text} as any[])" if is_typescript(self.file) else text

    def _tried(self, follow: Callable[[], None]) -> bool:
        """Follow something, and tell whether it was understood; what it came to is forgotten where it was not."""
        made, kept = self.made, copy.copy(self.__dict__)
        for name, value in kept.items():
            if isinstance(value, (dict, list, set)):
                kept[name] = copy.copy(value)
        kept["reads"] = {at: [*reads] for at, reads in self.reads.items()}
        kept["made"] = Followed([*made.edits], [*made.first], {**made.sources}, {*made.helpers})
        try:
            follow()
        except Whole:
            self.__dict__.update(kept)
            return False
        return True

    def _as_method(self, node: Node, part: Part, *, given: bool, waits: bool) -> str:
        """Return what a helper calls in place of a method of what a handler is handed."""
        if not given:
            return f"{'async ' * waits}() => {_as_value(self._written(node, part))}"
        callee = self._callee(node, part)
        typed = ": any[]" * is_typescript(self.file)
        return callee if "." not in callee else f"(...given{typed}) => {callee}(...given)"

    def _unpack(self, pattern: Node, part: Part) -> list[str]:
        """Follow what a pattern unpacks; return the declarations that stand in its place."""
        lines: list[str] = []
        for one in pattern.named_children:
            if one.type == "comment":
                continue
            if one.type == "rest_pattern":
                self._name(one.named_children[0], rest_of(self.file, pattern, part))
                continue
            key, target = key_and_target(one)
            if key is None or target is None:
                raise Whole(one, "what is taken of it is worked out")
            name = self.file.text(key)
            inner = part.parts.get(name)
            if inner is None:
                raise Whole(one, f"{name} is taken out of it, which nobody knows")
            if inner.called is not None:
                self._unpack_method(one, target, inner.called)
                continue
            lines += (
                self._unpack_leaf(pattern, one, target, inner) if inner.is_leaf else self._unpack_more(target, inner)
            )
        return lines

    def _unpack_method(self, one: Node, target: Node, called: Part) -> None:
        """Follow a method that is taken out and only called, where it is the same without what it was taken out of."""
        binding = self.scopes.of(target) if target.type in NAMES else None
        if called.row is None or not self._is_call(called) or binding is None or binding.writes:
            raise Whole(one, "a method is taken out of it")
        calls = [use.parent for use in binding.uses if step_of(self.file, use, use.parent) == "()"]
        if len(calls) != len(binding.uses) or len(binding.declared) != 1:
            raise Whole(one, "a method is taken out of it")
        for call in calls:
            self._call(call, called)

    def _unpack_more(self, target: Node, inner: Part) -> list[str]:
        """Follow what is unpacked further, or is bound to a name: more than one row."""
        if target.type == "object_pattern":
            return self._unpack(target, inner)
        if inner.batch and self.places.theirs.each is None and (one := only_of(target)) is not None:
            return self._entry(one)
        if target.type not in ("identifier", "shorthand_property_identifier_pattern"):
            raise Whole(target, "it is unpacked by number")
        if inner.batch:
            if not self._tried(lambda: self._batch_name(target, inner)):
                return [f"{self.file.text(target)} = {self._as_list(target, inner)}"]
        else:
            self._name(target, inner)
        return []

    def _unpack_leaf(self, pattern: Node, one: Node, target: Node, inner: Part) -> list[str]:
        """Return the declaration of what stands at one place."""
        if inner.row is not None and inner.row.optional:
            raise Whole(one, f"{self.file.text(target)} may be missing")
        for bound in bound_in(target):
            binding = self.scopes.of(bound)
            if binding is not None and any(within(use, pattern) for use in binding.uses):
                raise Whole(bound, "a default uses it")
        written = self._written(one, inner)
        self.reads.setdefault(str(inner.at), []).append(Read(one, inner, unpacked=True))
        self._gives(target, inner)
        return [f"{self.file.text(target)} = {written}"]

    # --- reads ---

    def _read(self, node: Node, part: Part) -> None:
        written = is_written(node)
        if written and not (part.own and node.parent.type == "assignment_expression"):
            raise Whole(node, "it is given another value")
        self.changes = self.changes or written
        if node.parent.type == "shorthand_property_identifier":
            raise Whole(node, "it is put into another object")
        self.reads.setdefault(str(part.at), []).append(Read(node, part))
        self._gives(node, part)
        self._edit(node, self._written(node, part))

    def _call(self, node: Node, part: Part) -> None:
        """Write the call of a method of what a handler is handed."""
        assert part.row is not None
        holds = self.places.ours.fields[part.row.field].holds
        given = node.child_by_field_name("arguments")
        if holds == "call" and given.named_children:
            self._edit(node.child_by_field_name("function"), self._callee(node, part))
            return
        if given.named_children:
            raise Whole(node, "it is called with something")
        above = node.parent
        awaits = above.type == "await_expression"
        if is_awaited(part):
            self._read_content(node)
            if not awaits:  # its promise is used
                self.reads.setdefault(str(part.at), []).append(Read(node, part))
                text = f"(async () => {_as_value(self._written(node, part))})()"
                self.made.edits.append(Edit(node.start_byte, node.end_byte, text))
                return
        self.reads.setdefault(str(part.at), []).append(Read(above if awaits else node, part))
        self._gives(above if awaits else node, part)
        self._edit(above if awaits else node, self._written(node, part))

    def _read_content(self, node: Node) -> None:
        """Take note of where content is read that can be read once."""
        again = any(may_both_run(one, node) for one in self.awaited)
        if again or again_and_again(node, self.function, self.once):
            raise Whole(node, "its content may be read twice, which fails")
        self.awaited.append(node)

    def _callee(self, node: Node, part: Part) -> str:
        try:
            callee, helper = self.places.callee(part)
        except NoTwin as error:
            raise Whole(node, str(error)) from None
        if helper:
            self._takes_helper(node, helper)
        return callee

    def _written(self, node: Node, part: Part) -> str:
        """Return how what stands at a place is written."""
        if part.own:
            return part.own
        try:
            written = self.places.written(part, content=self.content)
        except NoTwin as error:
            raise Whole(node, str(error)) from None
        if written.waits and not self.content:
            self.content = self._free("bytes")
            written = self.places.written(part, content=self.content)
        text = self._emitted(written)
        if self._is_of_an_entry(text):
            self.of_entries.append(node)
            if written.afresh:
                raise Whole(node, "it is made anew each time")
        if written.afresh and self.inner:
            raise Whole(node, "it is made anew each time, and handed on")
        if written.afresh or str(part.at) in self.shared:  # it is the same for the whole call
            text = self._kept(node, part, text)
        if part.object:  # it stands in the module that all share
            if text in self.taken:
                raise Whole(node, f"the file has a name {text}")
            self.made.helpers.add(text)
        return text

    def _kept(self, node: Node, part: Part, text: str) -> str:
        """Return the name of what is read once: at the handler's first line, or at the first of a loop's turn."""
        turn = next((one for one in self.turns if within(node, one)), None) if self._is_of_an_entry(text) else None
        at = str(part.at), turn.id if turn is not None else 0
        if turn is None and self._is_of_an_entry(text):
            raise Whole(node, "what stands there may be changed, and is read more than once")
        if at not in self.kept:
            self.kept[at] = name = self._free(camel(last_name(part.at)) or "made")
            body = turn.child_by_field_name("body") if turn is not None else None
            if body is None:
                self.made.first.append(f"const {name} = {text}")
            elif body.type == "statement_block":
                self._declare_in(body, [f"{name} = {text}"])
            else:
                raise Whole(node, "what stands there may be changed, and is read more than once")
        return self.kept[at]

    def _is_of_an_entry(self, text: str) -> bool:
        """Tell whether code names one event of the target's batch, which is only there in a loop over that."""
        theirs = self.places.theirs
        own = [one for one in theirs.event_parameters if one not in theirs.handed_over]
        both = theirs.each is not None and self.places.ours.each is not None
        return both and any(re.search(rf"(?<![\w.$]){re.escape(one)}(?![\w$])", text) for one in own)

    def check_entries(self) -> None:
        """See that what is made of one event of a batch stands where there is one; raises Stop."""
        for node in self.of_entries:
            if not any(within(node, turn) for turn in self.turns):
                raise Stop("it asks outside of its loop over the batch for what is told with each event", node)

    def _wait(self) -> None:
        """Write what waits for content that can be read once, at the handler's first line."""
        if self.content:
            text = self._emitted(self.places.waited_for(self.content))
            if self._is_of_an_entry(text):
                raise Stop("the content of each event of a batch has to be waited for")
            self.made.first.insert(0, f"const {self.content} = await {text}")

    def _emitted(self, written: Written) -> str:
        """Return the text of what is written, an emitted function under a name that is free."""
        if written.source is None:
            return written.text
        own = written.source
        name = self.emitted.name_of(own, self.taken)
        self.made.sources[name] = own
        return name + written.text[len(own.name) :]

    def whole(self, pattern: Node, name: str) -> Followed:
        """Return what makes a parameter whole at the handler's first line, under the names that it has."""
        made = self.made = Followed()
        written = self.places.whole(name)
        text = self._emitted(written)
        put: dict[tuple[str, ...], str] = {(key,): own for (root, key), own in self.own.items() if root == name}
        text = f"Object.assign({'await ' * written.awaited}{text}, {object_text(put)})" if put else text
        if self._is_of_an_entry(text):
            raise Stop(f"{name} as a whole has in it what is told with each event of a batch", pattern)
        bindings = [self.scopes.of(one) for one in walk(pattern) if one.type in NAMES]
        if any(binding is not None and len(binding.declared) > 1 for binding in bindings):
            raise Stop("a parameter's name is declared again", pattern)
        written_to = any(binding is not None and binding.writes for binding in bindings)
        keyword = "let" if written_to else "const"
        # Its type is what the author said of it: what follows from it in the handler's body does so still.
        above = pattern.parent
        said = above.child_by_field_name("type") if above.child_by_field_name("pattern") == pattern else None
        typed = self.file.text(said) if said is not None else ""
        made.first.append(
            f"{keyword} {self.file.text(pattern)}{typed} = {'await ' * (written.awaited and not put)}{text}"
        )
        return made

    def _free(self, name: str) -> str:
        base, number = name, 2
        while name in self.taken:
            name, number = f"{base}{number}", number + 1
        self.taken.add(name)
        return name

    def _gives(self, node: Node, part: Part) -> None:
        if part.row is not None:
            self.given[node.id] = given_by(part.row, self.places.ours.fields[part.row.field].holds)

    # --- edits ---

    def _edit(self, node: Node, text: str) -> None:
        above = node.parent
        if text.startswith(("{", "(", "async")) or (
            " " in text and above.type in ("member_expression", "call_expression")
        ):
            text = f"({text})"
        if text != self.file.text(node):
            self.made.edits.append(Edit(node.start_byte, node.end_byte, text))


def _as_value(text: str) -> str:
    return f"({text})" if text.startswith("{") else text


def semicolon_of(file: JavaScriptFile) -> str:
    """Return what ends a statement in a file: a semicolon, or nothing."""
    lines = [line.rstrip() for line in file.content.split(b"\n")]
    ended = sum(line.endswith(b";") for line in lines)
    return ";" if ended >= sum(line.endswith((b")", b"'", b'"', b"]")) for line in lines) else ""
