"""Following what a handler in JavaScript is handed, and writing every read of it as the target has it.

**What is assumed.** A handler is called by its provider only, with a fresh event; what it changes of that nobody else
sees. Names are what `scopes` resolves them to; a file with `eval` or `with` is left alone, and so is a handler that
uses `arguments`, is a generator, or is called or handed on by the project's own code.

**What follows.** Each parameter is a tree of places (`places.Places`). From each use of a parameter the code is read
outwards: a property leads to the part of that name, a name that is bound to a part stands for it, an unpacking pattern
leads to its parts. Where that ends at a row, what stands there is written as what the target has there, which is equal
to it: the same translation gives it that a shim would use. A text or a number may be used in any way. What can be
changed (a mapping, a list, bytes) is made anew at each read, so it is only written so where nobody could tell: it is
only looked at, or it is read once, outside of loops and inner functions. What has to be waited for, content that can
be read once, is read at the handler's first line; what is made of it is made where it was read.

**What is not understood** (the parameter handed on, spread, compared, given another value; a part that no row knows)
is no reason to guess: the whole parameter is then made as the source has it, by an emitted function, at the handler's
first line, under its own names, and the rest of the code is what it was. There is no third way.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, string_of, walk
from vast_ferry.hub.findings import FerryError
from vast_ferry.mapping.javascript import library
from vast_ferry.mapping.javascript.functions import Source
from vast_ferry.mapping.javascript.names import RESERVED
from vast_ferry.mapping.javascript.writing import NoTwin
from vast_ferry.translate.javascript.contents import given_by
from vast_ferry.translate.javascript.edits import Edit
from vast_ferry.translate.javascript.looking import AROUND, Looks
from vast_ferry.translate.javascript.places import Part, Places, Written, spelt
from vast_ferry.translate.javascript.scopes import FUNCTIONS, NAMES, Scopes, bound_in, is_written
from vast_ferry.translate.javascript.stops import Stop

LOOPS = frozenset(("for_statement", "for_in_statement", "while_statement", "do_statement"))
#: The name of a block that was a loop over a batch.
LABEL: Final = "one"


class Whole(FerryError):
    """A use of a parameter that is not understood: it is made whole. `node` is where, the message why."""

    def __init__(self, node: Node, why: str) -> None:
        super().__init__(why)
        self.node, self.why = node, why


@dataclass(slots=True)
class _Read:
    """A read of what stands at a place: the node that gives it, and how it is used."""

    node: Node
    part: Part
    unpacked: bool = False


@dataclass(slots=True)
class Followed:
    """What following a parameter came to: edits, statements for the handler's first lines, what these use."""

    edits: list[Edit] = field(default_factory=list)
    first: list[str] = field(default_factory=list)
    sources: dict[str, Source] = field(default_factory=dict)
    helpers: set[str] = field(default_factory=set)


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


class Follower:
    """Follows the parameters of one handler."""

    def __init__(self, file: JavaScriptFile, scopes: Scopes, places: Places, function: Node, emitted: Emitted) -> None:
        self.file, self.scopes, self.places, self.function = file, scopes, places, function
        self.emitted = emitted
        self.taken = {*scopes.names, *RESERVED, *places.theirs.handed_over}  # names that mean something in the file
        self.reads: dict[str, list[_Read]] = {}
        self.given: dict[int, str] = {}  # what reads give, by their nodes
        self.once: set[int] = set()  # loops that are gone through once
        self.content = ""  # the name of what can be read once, at the first lines
        self.made = Followed()
        self.has_block = function.child_by_field_name("body").type == "statement_block"
        self.semicolon = semicolon_of(file)

    def parameter(self, pattern: Node, name: str) -> Followed:
        """Return what becomes of a parameter that a handler has under a pattern; raises Whole where that fails."""
        self.made, self.reads, self.content = Followed(), {}, ""
        part = self.places.of_parameter(name)
        if pattern.type == "identifier":
            self._name(pattern, part)
        elif pattern.type == "object_pattern":
            lines = self._unpack(pattern, part)
            self.made.first += [f"const {line}" for line in lines]
        else:
            raise Whole(pattern, "it has a default, or takes the rest")
        self._check_reads()
        self._wait()
        return self.made

    # --- uses ---

    def _name(self, node: Node, part: Part) -> None:
        """Follow all uses of a name that stands for a part."""
        binding = self.scopes.of(node)
        if binding is None or binding.writes or len(binding.declared) != 1:
            raise Whole(node, f"{self.file.text(node)} gets another value")
        for use in binding.uses:
            if use.type == "shorthand_property_identifier":
                raise Whole(use, f"{self.file.text(node)} is put into another object")
            self._use(use, part)

    def _use(self, node: Node, part: Part) -> None:
        """Follow one use outwards."""
        while not (part.is_leaf or part.batch):
            above = node.parent
            step = self._step(node, above)
            if step is None:
                break
            if step == "()":
                if part.called is None:
                    raise Whole(above, "it is called")
                node, part = above, part.called
                self._call(node, part)
                return
            if above.type in AROUND:
                node = above
                continue
            if step not in part.parts:
                raise Whole(above, f"{step} is asked of it, which nobody knows")
            node, part = above, part.parts[step]
        if part.batch:
            self._batch(node, part)
        elif part.is_leaf:
            self._read(node, part)
        else:
            self._held(node, part)

    def _step(self, node: Node, above: Node) -> str | None:
        """Return the name that is asked of a node, `()` where it is called, nothing where it is used in another way."""
        if above.type == "member_expression" and above.child_by_field_name("object") == node:
            return self.file.text(above.child_by_field_name("property"))
        if above.type == "subscript_expression" and above.child_by_field_name("object") == node:
            return string_of(self.file, above.child_by_field_name("index"))
        if above.type == "call_expression" and above.child_by_field_name("function") == node:
            return "()"
        return "" if above.type in AROUND else None

    def _held(self, node: Node, part: Part) -> None:
        """Follow a part that is more than one row: bound to a name, or unpacked."""
        above = node.parent
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
            self._delete(declaration)

    def _unpack(self, pattern: Node, part: Part) -> list[str]:
        """Follow what a pattern unpacks; return the declarations that stand in its place."""
        lines: list[str] = []
        for one in pattern.named_children:
            if one.type == "comment":
                continue
            key, target = _key_and_target(one)
            if key is None or target is None:
                raise Whole(one, "the rest of it is taken")
            name = self.file.text(key)
            inner = part.parts.get(name)
            if inner is None:
                raise Whole(one, f"{name} is taken out of it, which nobody knows")
            if inner.called is not None:
                raise Whole(one, "a method is taken out of it")
            lines += (
                self._unpack_leaf(pattern, one, target, inner) if inner.is_leaf else self._unpack_more(target, inner)
            )
        return lines

    def _unpack_more(self, target: Node, inner: Part) -> list[str]:
        """Follow what is unpacked further, or is bound to a name: more than one row."""
        if target.type == "object_pattern":
            return self._unpack(target, inner)
        if target.type not in ("identifier", "shorthand_property_identifier_pattern"):
            raise Whole(target, "it is unpacked by number")
        if inner.batch:
            self._batch_name(target, inner)
        else:
            self._name(target, inner)
        return []

    def _unpack_leaf(self, pattern: Node, one: Node, target: Node, inner: Part) -> list[str]:
        """Return the declaration of what stands at one place."""
        if inner.row is not None and inner.row.optional:
            raise Whole(one, f"{self.file.text(target)} may be missing")
        for bound in bound_in(target):
            binding = self.scopes.of(bound)
            if binding is not None and any(_within(use, pattern) for use in binding.uses):
                raise Whole(bound, "a default uses it")
        written = self._written(one, inner)
        self.reads.setdefault(str(inner.at), []).append(_Read(one, inner, unpacked=True))
        self._gives(target, inner)
        return [f"{self.file.text(target)} = {written}"]

    # --- batches ---

    def _batch_name(self, node: Node, part: Part) -> None:
        binding = self.scopes.of(node)
        if binding is None or binding.writes or len(binding.uses) != 1:
            raise Whole(node, "the batch is used more than once")
        self._batch(binding.uses[0], part)

    def _batch(self, node: Node, part: Part) -> None:
        """Follow a loop over a batch: the target has one event at a time, so its body is done once."""
        loop = node.parent
        if loop.type != "for_in_statement" or loop.child_by_field_name("right") != node or _is_await(loop):
            raise Whole(node, "the batch is used in another way than by a loop")
        left, body = loop.child_by_field_name("left"), loop.child_by_field_name("body")
        kind = loop.child_by_field_name("kind")
        block = loop.parent
        if kind is None or body.type != "statement_block":
            raise Whole(node, "the loop over the batch stands in something else")
        if self.places.theirs.each is None and block != self.function.child_by_field_name("body"):
            raise Whole(node, "the loop over the batch stands in something else")
        entry = self.places.of_parameter(self.places.ours.event_parameters[0])
        if left.type == "identifier":
            self._name(left, entry)
            lines: list[str] = []
        elif left.type == "object_pattern":
            lines = self._unpack(left, entry)
        else:
            raise Whole(left, "the batch is unpacked by number")
        if self.places.theirs.each is not None:
            self.once.add(loop.id)  # each event is read in its own turn
            self._over_there(left, node, body, lines)
            return
        self._unroll(loop, body, block, [f"const {line}{self.semicolon}" for line in lines])

    def _over_there(self, left: Node, batch: Node, body: Node, lines: list[str]) -> None:
        """Write a loop over a batch as one over the target's."""
        entry = self.places.theirs.event_parameters[0]
        if entry in self.scopes.names and not (left.type == "identifier" and self.file.text(left) == entry):
            raise Whole(left, f"something else is called {entry}")
        self._edit(left, entry)
        self._edit(batch, spelt(self.places.theirs.each))
        if lines:
            inside = body.named_children
            indent = _indent_of(self.file, inside[0]) if inside else "  "
            texts = "".join(f"\n{indent}const {one}{self.semicolon}" for one in lines)
            self.made.edits.append(Edit(body.start_byte + 1, body.start_byte + 1, texts))

    def _unroll(self, loop: Node, body: Node, block: Node, first: list[str]) -> None:
        """Write a loop that is gone through once as what it does."""
        last = [one for one in block.named_children if one.type != "comment"][-1] == loop
        self.once.add(loop.id)
        jumps = list(_jumps(body))
        for jump in jumps:
            if jump.child_by_field_name("label") is not None:
                raise Whole(jump, "the loop over the batch is left by a label")
            word = "continue" if jump.type == "continue_statement" else "break"
            self._edit(jump, self.file.text(jump).replace(word, "return" if last else f"break {LABEL}", 1))
        if jumps and not last:
            self._as_a_block(loop, body, first)
            return
        inner = {line.split(" ")[1] for line in first}
        inner |= {name for one in body.named_children for name in _declares(self.file, one)}
        outer = {name for one in block.named_children if one != loop for name in _declares(self.file, one)}
        outer |= {self.file.text(one) for one in bound_in_parameters(self.function)}
        # What is declared in the loop's own block must not hide what the rest of the handler means by that name.
        outer |= {self.file.text(one) for one in walk(block) if one.type in NAMES and not _within(one, loop)}
        if not body.named_children:
            raise Whole(loop, "the loop over the batch does nothing")
        if inner & outer:
            raise Whole(loop, "names in the loop over the batch are names outside of it too")
        self._without_braces(loop, body, first)

    def _as_a_block(self, loop: Node, body: Node, first: list[str]) -> None:
        """Write a loop that is gone through once as a block that has a name, for it is left before its end."""
        if LABEL in self.scopes.labels:
            raise Whole(loop, "the loop over the batch is left before its end")
        indent = _indent_of(self.file, body.named_children[0])
        lines = "".join(f"\n{indent}{one}" for one in first)
        self.made.edits.append(Edit(loop.start_byte, body.start_byte + 1, f"{LABEL}: {{{lines}"))

    def _without_braces(self, loop: Node, body: Node, first: list[str]) -> None:
        content = self.file.content
        begin = content.rfind(b"\n", 0, loop.start_byte) + 1
        outer = content[begin : loop.start_byte]
        start = body.named_children[0].start_byte
        line = content.rfind(b"\n", 0, start) + 1
        indent = content[line:start]
        if outer.strip() or indent.strip() or line <= loop.start_byte:
            raise Whole(loop, "the loop over the batch stands in one line")
        self.made.edits.append(Edit(loop.start_byte, start, "".join(f"{one}\n{outer.decode()}" for one in first)))
        end = body.end_byte - 1
        self.made.edits.append(Edit(content.rfind(b"\n", 0, end), body.end_byte, ""))
        at = content.find(b"\n", start) + 1
        texts = [(one.start_byte, one.end_byte) for one in walk(body) if one.type == "template_string"]
        while 0 < at <= content.rfind(b"\n", 0, end):
            inside = any(low < at <= high for low, high in texts)
            if content.startswith(indent, at) and indent.startswith(outer) and not inside:
                self.made.edits.append(Edit(at + len(outer), at + len(indent), ""))
            at = content.find(b"\n", at) + 1

    # --- reads ---

    def _read(self, node: Node, part: Part) -> None:
        if is_written(node):
            raise Whole(node, "it is given another value")
        if node.parent.type == "shorthand_property_identifier":
            raise Whole(node, "it is put into another object")
        self.reads.setdefault(str(part.at), []).append(_Read(node, part))
        self._gives(node, part)
        self._edit(node, self._written(node, part))

    def _call(self, node: Node, part: Part) -> None:
        """Write the call of a method of what a handler is handed."""
        assert part.row is not None
        holds = self.places.ours.fields[part.row.field].holds
        given = node.child_by_field_name("arguments")
        if holds == "call" and part.call is None and given.named_children:
            self._edit(node.child_by_field_name("function"), self._callee(node, part))
            return
        if holds == "call" and given.named_children:
            self._edit(node.child_by_field_name("function"), self._callee(node, part))
            return
        if given.named_children:
            raise Whole(node, "it is called with something")
        above = node.parent
        awaits = above.type == "await_expression"
        is_awaited = any(getattr(step, "awaited", False) for step in part.at.steps)
        if is_awaited and not awaits:
            raise Whole(node, "its promise is used")
        self.reads.setdefault(str(part.at), []).append(_Read(above if awaits else node, part))
        self._gives(above if awaits else node, part)
        self._edit(above if awaits else node, self._written(node, part))

    def _callee(self, node: Node, part: Part) -> str:
        try:
            callee, helper = self.places.callee(part)
        except NoTwin as error:
            raise Whole(node, str(error)) from None
        if helper:
            self.made.helpers.add(helper)
            if helper in self.taken:
                raise Whole(node, f"the file has a name {helper}")
        return callee

    def _written(self, node: Node, part: Part) -> str:
        """Return how what stands at a place is written."""
        try:
            written = self.places.written(part, content=self.content)
        except NoTwin as error:
            raise Whole(node, str(error)) from None
        if written.waits and not self.content:
            self.content = self._free("bytes")
            written = self.places.written(part, content=self.content)
        text = self._emitted(written)
        if part.object:  # it stands in the module that all share
            if text in self.taken:
                raise Whole(node, f"the file has a name {text}")
            self.made.helpers.add(text)
        return text

    def _wait(self) -> None:
        """Write what waits for content that can be read once, at the handler's first line."""
        if self.content:
            text = self._emitted(self.places.waited_for(self.content))
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
        bindings = [self.scopes.of(one) for one in walk(pattern) if one.type in NAMES]
        if any(binding is not None and len(binding.declared) > 1 for binding in bindings):
            raise Stop("a parameter's name is declared again", pattern)
        written_to = any(binding is not None and binding.writes for binding in bindings)
        keyword = "let" if written_to else "const"
        # Its type is what the author said of it: what follows from it in the handler's body does so still.
        above = pattern.parent
        said = above.child_by_field_name("type") if above.child_by_field_name("pattern") == pattern else None
        typed = self.file.text(said) if said is not None else ""
        made.first.append(f"{keyword} {self.file.text(pattern)}{typed} = {'await ' * written.awaited}{text}")
        return made

    def _free(self, name: str) -> str:
        base, number = name, 2
        while name in self.taken:
            name, number = f"{base}{number}", number + 1
        self.taken.add(name)
        return name

    def _check_reads(self) -> None:
        """See that nobody could tell a value that is made anew at each read from one that is there once."""
        for reads in self.reads.values():
            part = reads[0].part
            if self.places.unchanging(part) or (part.row is not None and self._is_call(part)):
                continue
            deep = part.row is not None and self.places.ours.fields[part.row.field].holds in ("record", "value")
            for one in reads:
                looker = Looks(self.file, self.scopes)
                looks = looker.names(one.node, deep=deep) if one.unpacked else looker.at(one.node, deep=deep)
                if not looks and (len(reads) > 1 or _again_and_again(one.node, self.function, self.once)):
                    raise Whole(one.node, "what stands there may be changed, and is read more than once")

    def _gives(self, node: Node, part: Part) -> None:
        if part.row is not None:
            self.given[node.id] = given_by(part.row, self.places.ours.fields[part.row.field].holds)

    def _is_call(self, part: Part) -> bool:
        assert part.row is not None
        return self.places.ours.fields[part.row.field].holds == "call"

    # --- edits ---

    def _edit(self, node: Node, text: str) -> None:
        above = node.parent
        if text.startswith(("{", "(", "async")) or (
            " " in text and above.type in ("member_expression", "call_expression")
        ):
            text = f"({text})"
        if text != self.file.text(node):
            self.made.edits.append(Edit(node.start_byte, node.end_byte, text))

    def _delete(self, statement: Node) -> None:
        """Take a statement out, with its line where nothing else stands in it."""
        content = self.file.content
        begin = content.rfind(b"\n", 0, statement.start_byte) + 1
        end = content.find(b"\n", statement.end_byte)
        end = len(content) if end < 0 else end
        alone = not content[begin : statement.start_byte].strip() and not content[statement.end_byte : end].strip(
            b"; \t\r"
        )
        if alone:
            self.made.edits.append(Edit(begin, min(end + 1, len(content)), ""))
        else:
            self.made.edits.append(Edit(statement.start_byte, statement.end_byte, ""))


def semicolon_of(file: JavaScriptFile) -> str:
    """Return what ends a statement in a file: a semicolon, or nothing."""
    lines = [line.rstrip() for line in file.content.split(b"\n")]
    ended = sum(line.endswith(b";") for line in lines)
    return ";" if ended >= sum(line.endswith((b")", b"'", b'"', b"]")) for line in lines) else ""


def _key_and_target(node: Node) -> tuple[Node | None, Node | None]:
    """Return the key that a part of a pattern takes, and what it is bound to; a default is never needed."""
    if node.type == "shorthand_property_identifier_pattern":
        return node, node
    if node.type == "object_assignment_pattern":
        left = node.child_by_field_name("left")
        return (left, left) if left.type == "shorthand_property_identifier_pattern" else (None, None)
    if node.type == "pair_pattern":
        key, value = node.child_by_field_name("key"), node.child_by_field_name("value")
        if key.type != "property_identifier":
            return None, None
        return key, value.child_by_field_name("left") if value.type == "assignment_pattern" else value
    return None, None


def _within(node: Node, other: Node) -> bool:
    return bool(other.start_byte <= node.start_byte and node.end_byte <= other.end_byte)


def _is_await(loop: Node) -> bool:
    return any(child.type == "await" for child in loop.children)


def bound_in_parameters(function: Node) -> Iterator[Node]:
    """Yield the names that a function's parameters bind."""
    single = function.child_by_field_name("parameter")
    listed = function.child_by_field_name("parameters")
    for one in [single] if single is not None else listed.named_children if listed is not None else []:
        yield from bound_in(one.child_by_field_name("pattern") or one)


def _declares(file: JavaScriptFile, statement: Node) -> set[str]:
    """Return the names that a statement declares in the block where it stands, `var` below it included."""
    found: set[str] = set()
    if statement.type in ("lexical_declaration", "variable_declaration"):
        for one in statement.named_children:
            if one.type == "variable_declarator":
                found |= {file.text(name) for name in bound_in(one.child_by_field_name("name"))}
    elif statement.type.endswith("_declaration"):
        name = statement.child_by_field_name("name")
        found |= {file.text(name)} if name is not None else set()
    return found


def _indent_of(file: JavaScriptFile, node: Node) -> str:
    begin = file.content.rfind(b"\n", 0, node.start_byte) + 1
    text = file.content[begin : node.start_byte].decode("utf-8", "replace")
    return text[: len(text) - len(text.lstrip())]


def _jumps(body: Node) -> Iterator[Node]:
    """Yield the statements in a loop's body that leave it, or go on with its next turn."""
    stack = list(body.named_children)
    while stack:
        node = stack.pop()
        if node.type in FUNCTIONS or node.type == "class_body":
            continue
        if node.type in ("break_statement", "continue_statement"):
            yield node
            continue
        if node.type in LOOPS or node.type == "switch_statement":
            # Its own jumps are its own; a `continue` in a switch is the loop's around it.
            inner = _jumps(node)
            yield from (
                one
                for one in inner
                if one.child_by_field_name("label") is not None
                or (node.type == "switch_statement" and one.type == "continue_statement")
            )
            continue
        stack += node.named_children


def _again_and_again(node: Node, function: Node, once: set[int]) -> bool:
    """Tell whether a node may be evaluated more than once in a call: it stands in a loop or an inner function."""
    above = node.parent
    while above is not None and above != function:
        if (above.type in LOOPS and above.id not in once) or above.type in FUNCTIONS or above.type == "class_body":
            return True
        above = above.parent
    return False
