"""A batch in JavaScript: a loop over its events, or what is done with each, as the target has them.

Where the target has a batch too, the loop goes through that, and each event is read at its own places. Where it has one
event at a time, what was done with each is done once: the loop goes, and what stood in it stands in the handler.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, walk
from vast_ferry.mapping.javascript.functions import Source
from vast_ferry.translate.javascript.edits import Edit, gone
from vast_ferry.translate.javascript.looking import parameters_of
from vast_ferry.translate.javascript.places import Part, Places, spelt
from vast_ferry.translate.javascript.scopes import FUNCTIONS, LOOPS, NAMES, Scopes, bound_in, is_written, within
from vast_ferry.translate.javascript.stops import Whole
from vast_ferry.translate.javascript.values import arguments_of, own_nodes

#: Methods of a batch that call what they are given with each of its events, and keep none.
_EACH_METHODS = frozenset(("map", "forEach", "filter", "some", "every", "flatMap"))
#: The name of a block that was a loop over a batch.
LABEL: Final = "one"


@dataclass(slots=True)
class Followed:
    """What following a parameter came to: edits, statements for the handler's first lines, what these use."""

    edits: list[Edit] = field(default_factory=list)
    first: list[str] = field(default_factory=list)
    sources: dict[str, Source] = field(default_factory=dict)
    helpers: set[str] = field(default_factory=set)


class Batches(ABC):
    """What a follower does with the batch that a handler is handed."""

    file: JavaScriptFile
    scopes: Scopes
    places: Places
    function: Node
    semicolon: str
    made: Followed
    once: set[int]  # loops, and functions, that are gone through once for each event
    turns: list[Node]  # what is done with each event of the target's batch

    @abstractmethod
    def _name(self, node: Node, part: Part) -> None:
        """Follow all uses of a name that stands for a part."""

    @abstractmethod
    def _use(self, node: Node, part: Part) -> None:
        """Follow one use outwards."""

    @abstractmethod
    def _unpack(self, pattern: Node, part: Part) -> list[str]:
        """Follow what a pattern unpacks; return the declarations that stand in its place."""

    @abstractmethod
    def _edit(self, node: Node, text: str) -> None:
        """Write another text for a node."""

    def _batch_name(self, node: Node, part: Part) -> None:
        binding = self.scopes.of(node)
        several = binding is not None and len(binding.uses) != 1 and self.places.theirs.each is None
        if binding is None or binding.writes or several:
            raise Whole(node, "the batch is used more than once")
        for use in binding.uses:
            self._batch(use, part)

    def _batch(self, node: Node, part: Part) -> None:
        """Follow a loop over a batch: the target has one event at a time, so its body is done once."""
        loop = node.parent
        if self.places.theirs.each is None and self._first_of_batch(node, loop):
            return
        if loop.type == "member_expression" and loop.child_by_field_name("object") == node:
            self._batch_method(node, loop)
            return
        if loop.type != "for_in_statement" or loop.child_by_field_name("right") != node or _is_await(loop):
            raise Whole(node, "the batch is used in another way than by a loop")
        left, body = loop.child_by_field_name("left"), loop.child_by_field_name("body")
        kind = loop.child_by_field_name("kind")
        block = loop.parent
        if kind is None or body.type != "statement_block":
            raise Whole(node, "the loop over the batch stands in something else")
        if self.places.theirs.each is None and block != self.function.child_by_field_name("body"):
            raise Whole(node, "the loop over the batch stands in something else")
        if self.places.theirs.each is not None:
            self.turns.append(loop)
        lines = self._entry(left)
        if self.places.theirs.each is not None:
            self.once.add(loop.id)  # each event is read in its own turn
            self._over_there(left, node, body, lines)
            return
        self._unroll(loop, body, block, [f"const {line}{self.semicolon}" for line in lines])

    def _first_of_batch(self, node: Node, above: Node) -> bool:
        """Follow the first event of a batch, which is the one that the target has; tell whether it is asked for."""
        if above.type == "subscript_expression" and self.file.text(above.child_by_field_name("index")) == "0":
            self._use(above, self.places.of_parameter(self.places.ours.event_parameters[0]))
            return True
        if above.type != "variable_declarator" or above.child_by_field_name("value") != node:
            return False
        one = only_of(above.child_by_field_name("name"))
        declaration = above.parent
        if one is None or len(declaration.named_children) != 1 or declaration.parent.type != "statement_block":
            return False
        lines = self._entry(one)
        if lines:
            self.made.edits.append(Edit(above.start_byte, above.end_byte, ", ".join(lines)))
        else:
            self.made.edits.append(gone(self.file, declaration))
        return True

    def _entry(self, pattern: Node) -> list[str]:
        """Follow what one event of a batch is bound to; return the declarations that this needs."""
        entry = self.places.of_parameter(self.places.ours.event_parameters[0])
        if pattern.type == "identifier":
            self._name(pattern, entry)
            return []
        if pattern.type == "object_pattern":
            return self._unpack(pattern, entry)
        raise Whole(pattern, "the batch is unpacked by number")

    def _batch_method(self, node: Node, asked: Node, *, written: bool = False) -> None:
        """Follow what is asked of a batch where the target has one too: how long it is, and what is done with each."""
        name, call = self.file.text(asked.child_by_field_name("property")), asked.parent
        is_called = call.type == "call_expression" and call.child_by_field_name("function") == asked
        if self.places.theirs.each is None and is_called and name in ("map", "forEach"):
            self._done_once(node, call)
            return
        if (name != "length" and (self.places.theirs.each is None or not is_called)) or is_written(asked):
            raise Whole(node, "the batch is used in another way than by a loop")
        if self.places.theirs.each is None:  # one event at a time
            self._edit(asked, "1")
            return
        if not written:  # a part of the batch is the target's already
            self._edit(node, spelt(self.places.theirs.each))
        if name == "length":
            return
        given = arguments_of(call)
        if name not in _EACH_METHODS or len(given) != 1 or given[0].type != "arrow_function":
            raise Whole(node, "the batch is used in another way than by a loop")
        self._each(given[0])
        if name == "filter":  # what is left are events of the batch still
            above = call.parent
            if above.type != "member_expression" or above.child_by_field_name("object") != call:
                raise Whole(node, "a part of the batch is used in another way than by a loop")
            self._batch_method(call, above, written=True)

    def _done_once(self, batch: Node, call: Node) -> None:
        """Write what a function does with each event of a batch as what is done: the target has one event at a time.

        That is `await Promise.all(batch.map(async (entry) => {…}))` where it is the handler's last statement, or all
        that is done with each event is an expression.
        """
        given = arguments_of(call)
        waited = _all_of(self.file, call)
        done = call if waited is None else waited
        statement = done.parent
        block = self.function.child_by_field_name("body")
        if statement.type != "expression_statement" or statement.parent != block or len(given) != 1:
            raise Whole(batch, "the batch is used in another way than by a loop")
        function = given[0]
        if function.type != "arrow_function" or (waited is None and _is_async(function)):
            raise Whole(batch, "the batch is used in another way than by a loop")
        taken = parameters_of(function)
        if len(taken) != 1:
            raise Whole(batch, "the batch is handed on")
        lines = [
            f"const {one}{self.semicolon}" for one in self._entry(taken[0].child_by_field_name("pattern") or taken[0])
        ]
        self.once.add(function.id)
        body = function.child_by_field_name("body")
        if body.type == "statement_block":
            returns = [one for one in own_nodes(body) if one.type == "return_statement"]
            if any(one.named_children for one in returns):
                raise Whole(batch, "what is done with each event gives something")
            self._unroll(statement, body, block, lines)
            return
        indent = _indent_of(self.file, statement)
        before = "".join(f"{line}\n{indent}" for line in lines) + "await " * (waited is not None)
        self.made.edits.insert(0, Edit(statement.start_byte, body.start_byte, before))
        self.made.edits.append(Edit(body.end_byte, done.end_byte, ""))

    def _each(self, function: Node) -> None:
        """Write a function that is called with each event of a batch as one that takes the target's."""
        taken = parameters_of(function)
        if not 1 <= len(taken) <= 2:  # the event, and its number in the batch; not the batch once more
            raise Whole(function, "the batch is handed on")
        pattern = taken[0].child_by_field_name("pattern") or taken[0]
        body = function.child_by_field_name("body")
        self.turns.append(function)
        lines = self._entry(pattern)
        entry = self.places.theirs.event_parameters[0]
        if entry in self.scopes.names and not (pattern.type == "identifier" and self.file.text(pattern) == entry):
            raise Whole(pattern, f"something else is called {entry}")
        self.once.add(function.id)
        single = function.child_by_field_name("parameter") is not None
        if pattern.type == "identifier":
            self._edit(pattern, entry)
        else:
            self.made.edits.append(Edit(taken[0].start_byte, taken[0].end_byte, entry if not single else f"({entry})"))
        if not lines:
            return
        if body.type == "statement_block":
            self._declare_in(body, lines)
            return
        declared = f"{{ const {', '.join(lines)}; return "
        self.made.edits.insert(0, Edit(body.start_byte, body.start_byte, declared))
        self.made.edits.append(Edit(body.end_byte, body.end_byte, "; }"))

    def _declare_in(self, body: Node, lines: list[str]) -> None:
        """Declare names at the beginning of a block."""
        inside = body.named_children
        indent = _indent_of(self.file, inside[0]) if inside else "  "
        texts = "".join(f"\n{indent}const {one}{self.semicolon}" for one in lines)
        self.made.edits.append(Edit(body.start_byte + 1, body.start_byte + 1, texts))

    def _over_there(self, left: Node, batch: Node, body: Node, lines: list[str]) -> None:
        """Write a loop over a batch as one over the target's."""
        entry = self.places.theirs.event_parameters[0]
        if entry in self.scopes.names and not (left.type == "identifier" and self.file.text(left) == entry):
            raise Whole(left, f"something else is called {entry}")
        self._edit(left, entry)
        self._edit(batch, spelt(self.places.theirs.each))
        if lines:
            self._declare_in(body, lines)

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
            if loop.type == "expression_statement":
                raise Whole(loop, "what is done with each event stands in something else")
            self._as_a_block(loop, body, first)
            return
        if loop.type == "expression_statement" and not last and any(_returns(body)):
            raise Whole(loop, "what is done with each event may end before its end")
        inner = {line.split(" ")[1] for line in first}
        inner |= {name for one in body.named_children for name in _declares(self.file, one)}
        outer = {name for one in block.named_children if one != loop for name in _declares(self.file, one)}
        outer |= {self.file.text(one) for one in bound_in_parameters(self.function)}
        # What is declared in the loop's own block must not hide what the rest of the handler means by that name.
        outer |= {self.file.text(one) for one in walk(block) if one.type in NAMES and not within(one, loop)}
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
        self.made.edits.append(Edit(content.rfind(b"\n", 0, end), loop.end_byte, ""))
        at = content.find(b"\n", start) + 1
        texts = [(one.start_byte, one.end_byte) for one in walk(body) if one.type == "template_string"]
        while 0 < at <= content.rfind(b"\n", 0, end):
            inside = any(low < at <= high for low, high in texts)
            if content.startswith(indent, at) and indent.startswith(outer) and not inside:
                self.made.edits.append(Edit(at + len(outer), at + len(indent), ""))
            at = content.find(b"\n", at) + 1


def _is_async(function: Node) -> bool:
    return any(child.type == "async" for child in function.children)


def _returns(body: Node) -> Iterator[Node]:
    """Yield the `return` statements of a function's body, and of none inside it."""
    yield from (one for one in own_nodes(body) if one.type == "return_statement")


def _all_of(file: JavaScriptFile, call: Node) -> Node | None:
    """Return the expression `await Promise.all(call)` around a call."""
    outer = call.parent.parent if call.parent.type == "arguments" else None
    if outer is None or outer.type != "call_expression" or len(call.parent.named_children) != 1:
        return None
    waits = (
        file.text(outer.child_by_field_name("function")) == "Promise.all" and outer.parent.type == "await_expression"
    )
    return outer.parent if waits else None


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


def only_of(pattern: Node) -> Node | None:
    """Return what `[one]` unpacks a list to, where that is one name or one pattern."""
    inside = [one for one in pattern.named_children if one.type != "comment"] if pattern.type == "array_pattern" else []
    plain = len(inside) == 1 and inside[0].type in ("identifier", "object_pattern")
    return inside[0] if plain and b"," not in pattern.text.split(inside[0].text, 1)[0] else None
