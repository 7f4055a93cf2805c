"""How a handler's answers are turned: those told in full in the target's idiom, the others by one emitted function."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, is_typescript
from vast_ferry.hub.findings import Finding
from vast_ferry.hub.functions import Function
from vast_ferry.mapping.javascript.delivery import telling
from vast_ferry.mapping.javascript.functions import (
    Source,
    Takes,
    function,
    reply_there,
    there,
    translate_reply,
    view_event,
)
from vast_ferry.mapping.tables import HUB_DONE, Kind, ReplyShape
from vast_ferry.translate.javascript.answers import Answers
from vast_ferry.translate.javascript.around import Way, answers_of, is_call_of
from vast_ferry.translate.javascript.contents import Contents
from vast_ferry.translate.javascript.early import Early
from vast_ferry.translate.javascript.edits import Edit, applied, gone
from vast_ferry.translate.javascript.follow import Emitted, Follower
from vast_ferry.translate.javascript.handlers import FunctionOf
from vast_ferry.translate.javascript.inlined import Inlined
from vast_ferry.translate.javascript.places import Places, spelt
from vast_ferry.translate.javascript.values import (
    arguments_of,
    calls_of,
    in_try,
    indent_of,
    is_plain,
    last_statements,
    only_value,
    own_nodes,
)
from vast_ferry.translate.reasons import note

#: What may stand anywhere without parentheses.
OPERANDS = frozenset(("identifier", "string", "template_string", "number", "object", "array", "call_expression"))
OPERANDS |= {"member_expression", "subscript_expression", "true", "false", "null", "undefined", "new_expression"}


@dataclass(frozen=True, slots=True)
class Called:
    """A call of a function by which a handler answers: the handler, the call, and which argument it answers through."""

    by: Answering
    call: Node
    writer: int

    @property
    def arguments(self) -> list[Node]:
        """Return what the call hands over."""
        return arguments_of(self.call)


@dataclass(frozen=True, slots=True)
class PartTold:
    """What a call of a function tells that gives a part of an answer, and that function as it is rewritten."""

    by: Answering
    calls: list[tuple[str, list[Node]]]
    value: Node  # what the function works out


@dataclass(frozen=True, slots=True)
class Project:
    """What handlers of one project share on their way: where it comes from, its functions, what is emitted."""

    title: str
    target: str  # where it goes
    takes: Takes
    modules: frozenset[str]  # the provider's, at the source
    emitted: Emitted
    function_of: FunctionOf
    helper: Callable[[Called], Answering | None]  # rewrites the function that is called, where that can be done
    part: Callable[[Called], PartTold | None]  # the same of one that tells a part of an answer


class Answering:
    """A handler whose answers are turned: what is known of it, and the edits that came of it so far."""

    def __init__(
        self,
        project: Project,
        one: Function,
        kinds: tuple[Kind, Kind],
        way: Way,
        limit: float,
    ) -> None:
        self.project, self.one = project, one
        self.way, self.layer = way, way.layer
        stands = way.layer.stands
        self.file, self.scopes, self.node = stands.file, stands.scopes, stands.node
        self.kind = one.kinds[0]
        self.ours, self.theirs = kinds
        self.nodes = [self.node]  # of a table, those of all its functions
        self.body = self.node.child_by_field_name("body")
        self.has_block = self.body.type == "statement_block"
        self.places = Places(*kinds, one.name, limit)
        self.places.modules = project.modules
        self.event, self.reply = there(self.theirs.event), reply_there(self.theirs.answered)
        self.split = self.ours.event.each is None and self.theirs.event.each is not None
        # Where a batch is gone through around it, a layer inside is handed one event.
        self.inside = [*(self.event.parameters if self.split else self.event.handed_over)]
        self.parameters = [*self.event.handed_over] if way.outermost else [*self.inside]
        if self.reply.writer is not None and self.writers():
            self.parameters = [*self.reply.writer.among(tuple(self.parameters))]
            self.inside = [*self.parameters]
        self.follower = Follower(stands, self.places, project.emitted, project.function_of, self.layer)
        self.edits: list[Edit] = []
        self.first: list[str] = []
        self.sources: dict[str, Source] = {}
        self.helpers: set[str] = set()
        self.findings: list[Finding] = []
        self.made_whole: list[Node] = []
        self.writer: Node | None = None  # the parameter through which it answers
        self.every_sets: frozenset[str] | None = None  # what each of its answers sets; nothing where it gives none
        self.helped: dict[int, Answering] = {}  # by calls, with what waits for them: the functions that answer there
        self.parts: dict[int, list[tuple[str, list[Node]]]] = {}  # by calls, what those tell that give a part of one
        self.told_here: set[int] = set()  # statements that tell what they tell by the target's calls, where they stand
        self.around_calls: list[Edit] = []  # what comes to stand around calls of the function inside
        self.instead: dict[int, Inlined] = {}  # what such calls tell, where that can be said in their place
        self.inlined: dict[int, Inlined] = {}  # by calls of functions, the answers that are told through them
        self.early = Early(self.scopes, self.follower.taken, self._calls_of)
        self.maybe: set[int] = set()  # what is given under a condition, in the answer that is written
        self.stands: dict[int, Node] = {}  # what something certainly is, by where it stands: parameters, calls
        self.filled: dict[int, list[tuple[Node, Node]]] = {}  # in what these tell: what stands for names
        self.foreign: dict[int, JavaScriptFile] = {}  # what these tell that stands in another file, with that

    def writers(self) -> list[str]:
        """Return the name of what is answered through at the target; nothing where answers are given back."""
        writer = self.reply.writer
        return [writer.name] if writer is not None and self.reply.written.when == "writer" else []

    def contents(self) -> Contents:
        """Return what tells whether expressions give text or bytes."""
        return Contents(self.file, self.scopes, self.follower.given)

    def _calls_of(self, chain: Node) -> list[tuple[str, list[Node]]]:
        if chain.id in self.helped:
            return self.parts.get(chain.id, [])
        found = self.inlined.get(chain.id)
        return found.calls if found is not None else calls_of(chain, self.file)

    def _returned(self) -> list[Node]:
        """Return the values that the handler returns."""
        if not self.has_block:
            return [self.body]
        returns = [one for one in own_nodes(self.body) if one.type == "return_statement"]
        return [inside[0] for one in returns if (inside := [c for c in one.named_children if c.type != "comment"])]

    def _bare_returns(self) -> list[Node]:
        returns = [one for one in own_nodes(self.body) if one.type == "return_statement"] if self.has_block else []
        return [one for one in returns if not [c for c in one.named_children if c.type != "comment"]]

    def _note(self, notes: dict[str, Node]) -> None:
        """Tell of what is taken for granted in an answer, each kind once a handler."""
        for code, node in notes.items():
            if all(one.code != code for one in self.findings):
                severity, reason, remedy = note(code, self.project.title, self.project.target)
                place = self.foreign.get(node.id, self.file).place(node)
                self.findings.append(Finding(code, severity, reason, remedy, place, self.one.name))

    def _reading(self, shapes: tuple[ReplyShape, ReplyShape], stands: Mapping[int, Node] | None = None) -> Answers:
        contents = Contents(self.file, self.scopes, self.follower.given, {**self.stands, **(stands or {})})
        return Answers(
            contents,
            shapes,
            self.project.takes,
            self._text_of,
            self._calls_of,
            emit=self._emit,
            caught=self.way.caught,
            named=self.early.names,
            maybe=self.maybe,
        )

    def _emit(self, source: Source) -> str:
        """Return the name by which an emitted function is called here."""
        own = self.project.emitted.name_of(source, self.follower.taken)
        self.sources[own] = source
        return own

    def _without(self, statement: Node) -> None:
        """Delete a statement, with its line where nothing else stands in that."""
        edit = gone(self.file, statement)
        self.edits = [one for one in self.edits if not (edit.start <= one.start and one.end <= edit.end)]
        self.edits.append(edit)

    def _replace(self, node: Node, text: str) -> None:
        inside = [one for one in self.edits if node.start_byte <= one.start and one.end <= node.end_byte]
        self.edits = [one for one in self.edits if one not in inside]
        self.edits.append(Edit(node.start_byte, node.end_byte, text))

    def _answers(self) -> None:
        ours, theirs = reply_there(self.ours.answered), self.reply
        if ours == theirs or ours.writer is not None:
            return
        returns = [one for one in own_nodes(self.body) if one.type == "return_statement"] if self.has_block else []
        values = [one.named_children[0] for one in returns if [c for c in one.named_children if c.type != "comment"]]
        values += [] if self.has_block else [self.body]
        if self.way.passes:
            values = [one for one in answers_of(self.node) if not is_call_of(one, self.layer.calls)]
        needed = self.kind == "http" or (values and theirs.forms[0].when != "always")
        if self.kind != "http" and ours.holds_again and not theirs.holds_again and values:
            needed = True
        if self.kind == "call" and not needed:
            needed = [row.lens for row in ours.written.rows] != [row.lens for row in theirs.written.rows]
        if not needed:
            return
        values = [value for value in values if self.kind != "http" or not self._in_full(value)]
        self._no_return_type()
        if not values and self._always_answers():
            return
        name, before = self._answer_function()
        for value in values:
            self._answer(value, name, before)
        bare = [one for one in returns if not [c for c in one.named_children if c.type != "comment"]]
        if self.kind == "http":
            for one in bare:
                word = "return"
                self.edits.append(
                    Edit(
                        one.start_byte + len(word),
                        one.start_byte + len(word),
                        f" {name}({before[:-2] if before else ''})",
                    )
                )
            self._at_the_end(name, before)

    def _in_full(self, value: Node) -> bool:
        """Write an answer that stands there in full as the target has it; tell whether it is done."""
        shapes = (reply_there(self.ours.answered), self.reply)
        reading = self._reading(shapes)
        text = reading.written(value)
        if text:
            self._note(reading.notes)
        if not text:
            return False
        self._replace(value, text)
        return True

    def _text_of(self, node: Node) -> str:
        """Return the source of an expression with the edits in it."""
        return self.early.names.get(node.id) or self._own_text_of(node)

    def _own_text_of(self, node: Node) -> str:
        """Return the same of one that may have been worked out before, under a name."""
        low, high = node.start_byte, node.end_byte
        foreign = node.id in self.foreign
        inside = [one for one in self.edits if not foreign and low <= one.start and one.end <= high]
        inside += [
            Edit(one.start_byte, one.end_byte, self._in_place(one, value))
            for one, value in self.filled.get(node.id, ())
        ]
        moved = [Edit(one.start - low, one.end - low, one.text) for one in inside]
        content = node.text if foreign else self.file.content[low:high]
        return applied(content, moved).decode("utf-8", "replace")

    def _in_place(self, parameter: Node, value: Node) -> str:
        """Return what is handed over as it stands in place of a parameter."""
        text = self._text_of(value)
        text = text if value.type in OPERANDS else f"({text})"
        return f"{self.file.text(parameter)}: {text}" if parameter.type == "shorthand_property_identifier" else text

    def _always_answers(self) -> bool:
        """Tell whether a body never comes to its end, and never returns without an answer."""
        if not self.has_block:
            return True
        return self._never_ends_itself() and not self._bare_returns()

    def _never_ends_itself(self) -> bool:
        """Tell whether each way through a body ends with a `return` or a `throw`."""
        return all(one.type in ("return_statement", "throw_statement") for one in last_statements(self.body))

    def _answer(self, value: Node, name: str, before: str) -> None:
        plain = is_plain(value) or self._gives_at_once(value)
        text = self.file.text(value)
        if text in ("null", "undefined") and self.kind != "http":
            return
        awaited = "" if plain or value.type == "await_expression" else "await "
        inside = awaited and in_try(value, self.node)
        if inside:
            # To wait for it here would let this `try` catch what it did not catch before.
            then = f"(returned) => {name}({before}returned)" if before else name
            self.edits.append(Edit(value.start_byte, value.start_byte, "Promise.resolve("))
            self.edits.append(Edit(value.end_byte, value.end_byte, f").then({then})"))
            return
        opens = value.start_byte
        if awaited and value.type not in ("call_expression", "identifier", "member_expression", "new_expression"):
            self.edits.append(Edit(opens, opens, f"{name}({before}await ("))
            self.edits.append(Edit(value.end_byte, value.end_byte, "))"))
            return
        self.edits.append(Edit(opens, opens, f"{name}({before}{awaited}"))
        self.edits.append(Edit(value.end_byte, value.end_byte, ")"))

    def _gives_at_once(self, value: Node) -> bool:
        """Tell whether a value is a call of one of the project's functions that gives no promise, or was waited for."""
        if value.type == "identifier":
            given = only_value(self.scopes, value)
            return given is not None and (given.type == "await_expression" or is_plain(given))
        if value.type != "call_expression":
            return False
        called = value.child_by_field_name("function")
        found = self.project.function_of(self.file, self.scopes, called) if called.type == "identifier" else None
        if found is None or any(child.type in ("async", "*") for child in found.node.children):
            return False
        body = found.node.child_by_field_name("body")
        if body.type != "statement_block":
            return is_plain(body)
        returned = [
            one.named_children[0] for one in own_nodes(body) if one.type == "return_statement" and one.named_children
        ]
        return all(map(is_plain, returned))

    def _answer_function(self) -> tuple[str, str]:
        """Return the name of the function that turns answers round, and what is handed to it before the answer."""
        ours, theirs = reply_there(self.ours.answered), self.reply
        takes = self.project.takes
        wanted = "answer" if self.kind == "http" else "settle"
        turned = translate_reply(f"{wanted}From", ours, theirs, takes)
        code, used = [turned.text], set(turned.used)
        told = "returned"
        if ours.holds_again and not theirs.holds_again:
            done = translate_reply(f"{wanted}Done", ours, HUB_DONE, takes)
            turned = translate_reply(f"{wanted}From", HUB_DONE, theirs, takes)
            code, used = [done.text, turned.text], {*done.used, *turned.used, "settled"}
            told = f"settled({done.name}(returned))"
        given = [told]
        handed: list[str] = []
        if "method" in turned.parameters:
            view = view_event("methodOf", self.event, "method")
            code.append(view.text)
            used |= view.used
            handed += [*view.parameters]
            given.append(f"methodOf({', '.join(view.parameters)})")
        value = f"{turned.name}({', '.join(given)})"
        writer = theirs.writer if theirs.written.when == "writer" else None
        waits = ours.writer is not None and any(one.ends for one in ours.writer.methods.values())
        lines = [f"return {'await ' * turned.awaited}{value};"]
        if writer is not None:
            handed.append(writer.name)
            lines = [f"const answer = {'await ' * turned.awaited}{value};", *telling(writer)]
        name = wanted
        if waits:  # it may be told later than the handler returns
            lines.insert(0, "await Answering.ended(returned);")
            used.add("Answering")
        # What it needs stands in it: another that turns answers round has its own.
        awaited = turned.awaited or waits
        text = function(name, [*handed, "returned"], "\n".join([*lines, *code]), awaited=awaited)
        source = Source(name, text, (), awaited, frozenset(used), turned.imports)
        return self._emit(source), "".join(f"{one}, " for one in handed)

    def _for_each_event(self) -> str:
        """Return what begins a function that is called with each event of the target's batch, one after the other.

        What it throws is written to the log, and its event is told to come again.
        """
        theirs = self.event
        entry, held = theirs.event_parameters[0], spelt(theirs.each)
        told = translate_reply("told", HUB_DONE, self.reply, self.project.takes)
        named = view_event("idOf", replace(theirs, parameters=theirs.event_parameters), "id")
        done = "{ value: null, again }" if self.reply.holds_again else "settled({ value: null, again })"
        lines = [
            "const again = [];",
            f"for (const {entry} of {held}) {{",
            "  try {",
            f"    await handle({entry});",
            "  } catch (error) {",
            "    noteFailure(error);",
            f"    again.push(idOf({entry}));",
            "  }",
            "}",
            f"return told({done});",
            told.text,
            named.text,
        ]
        batch = held.partition(".")[0]
        text = function("forEachEvent", [batch, "handle"], "\n".join(lines), awaited=True)
        used = frozenset([*told.used, *named.used, "noteFailure", "settled"])
        source = Source("forEachEvent", text, (), True, used)
        own = self._emit(source)
        self._no_return_type()
        typed = ": any" * is_typescript(self.file)
        return f"{own}({batch}, async ({entry}{typed}) => "

    def _at_the_end(self, name: str, before: str) -> None:
        """Let a body that comes to its end answer, as one that returns nothing does."""
        if not self.has_block:
            return
        if self._never_ends_itself():
            return
        inside = [one for one in self.body.named_children if one.type != "comment"]
        indent = indent_of(self.file, inside[0]) if inside else "  "
        text = f"{indent}return {name}({before[:-2] if before else ''}){self.follower.semicolon}\n"
        close = self.file.content.rfind(b"\n", 0, self.body.end_byte) + 1
        if close <= self.body.start_byte:
            end = self.body.end_byte - 1
            open_end = inside and not self.file.content[:end].rstrip().endswith(b";")
            self.edits.append(
                Edit(end, end, f"{';' * bool(open_end)} return {name}({before[:-2] if before else ''}); ")
            )
        else:
            self.edits.append(Edit(close, close, text))

    def _no_return_type(self) -> None:
        kind = self.node.child_by_field_name("return_type")
        gone = Edit(kind.start_byte, kind.end_byte, "") if kind is not None else None
        if gone is not None and gone not in self.edits:
            self.edits.append(gone)
