"""How a handler's answers are turned: those told in full in the target's idiom, the others by one emitted function."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from vast_ferry.documents.javascript_file import Node, is_typescript, walk
from vast_ferry.hub.findings import Finding, Severity
from vast_ferry.hub.functions import Function
from vast_ferry.mapping.javascript.delivery import made_writer, telling
from vast_ferry.mapping.javascript.functions import (
    Source,
    Takes,
    function,
    reply_there,
    there,
    translate_reply,
    view_event,
)
from vast_ferry.mapping.javascript.names import camel
from vast_ferry.mapping.tables import HUB_DONE, Kind, ReplyShape
from vast_ferry.mapping.writers import ByWriter
from vast_ferry.translate.javascript.answers import Answers
from vast_ferry.translate.javascript.around import Way, answers_of, is_call_of, waited_for
from vast_ferry.translate.javascript.contents import TEXT, Contents
from vast_ferry.translate.javascript.edits import Edit, applied
from vast_ferry.translate.javascript.follow import Emitted, Follower
from vast_ferry.translate.javascript.handed import only_value
from vast_ferry.translate.javascript.handlers import FunctionOf, Standing
from vast_ferry.translate.javascript.inlined import Inlined, inlined
from vast_ferry.translate.javascript.places import Places, spelt
from vast_ferry.translate.javascript.scopes import Binding
from vast_ferry.translate.javascript.stops import Inside, Stop
from vast_ferry.translate.javascript.values import (
    bare,
    calls_of,
    chain_of,
    chain_of_root,
    ends_the_function,
    in_try,
    indent_of,
    is_plain,
    last_statements,
    never_fails,
    own_nodes,
)
from vast_ferry.translate.reasons import note

#: What may stand anywhere without parentheses.
_OPERANDS = frozenset(("identifier", "string", "template_string", "number", "object", "array", "call_expression"))
_OPERANDS |= {"member_expression", "subscript_expression", "true", "false", "null", "undefined", "new_expression"}


@dataclass(frozen=True, slots=True)
class Project:
    """What handlers of one project share on their way: where it comes from, its functions, what is emitted."""

    title: str
    target: str  # where it goes
    takes: Takes
    emitted: Emitted
    function_of: FunctionOf


@dataclass(frozen=True, slots=True)
class _Told:
    """An answer that is told at once: the chain of calls that ends it, those before it, and what it becomes where."""

    chain: Node
    before: tuple[Node, ...]
    node: Node
    text: str
    without: tuple[Node, ...]  # statements that are not needed any more


def _values(statement: Node) -> list[Node]:
    return [one for one in statement.named_children if one.type != "comment"]


def _next(statement: Node, step: int = 1) -> Node | None:
    """Return the statement behind another, or before it."""
    beside = [one for one in statement.parent.named_children if one.type != "comment"]
    at = beside.index(statement) + step
    return beside[at] if 0 <= at < len(beside) else None


def _before(statement: Node | None, steps: dict[int, Node]) -> list[tuple[Node, Node]]:
    """Return the statements right before one that each tell a part of an answer, with their chains of calls."""
    found: list[tuple[Node, Node]] = []
    while statement is not None and (statement := _next(statement, -1)) is not None and statement.id in steps:
        found.insert(0, (statement, steps[statement.id]))
    return found


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
        self.body = self.node.child_by_field_name("body")
        self.has_block = self.body.type == "statement_block"
        self.places = Places(*kinds, one.name, limit)
        self.event, self.reply = there(self.theirs.event), reply_there(self.theirs.answered)
        self.split = self.ours.event.each is None and self.theirs.event.each is not None
        # Where a batch is gone through around it, a layer inside is handed one event.
        self.inside = [*(self.event.parameters if self.split else self.event.handed_over)]
        self.parameters = [*self.event.handed_over] if way.outermost else [*self.inside]
        if self.reply.writer is not None and self.reply.written.when == "writer":
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
        self.inlined: dict[int, Inlined] = {}  # by calls of functions, the answers that are told through them
        self.filled: dict[int, list[tuple[Node, Node]]] = {}  # in the one that is written: what stands for parameters

    def _through(self, writer: ByWriter) -> None:
        """Write the answers of a handler that gives them through an object that it is handed.

        Where each is told at once, at an end of the handler, it is an answer like any other. Else the object is made at
        the first line, and the handler answers with what was told to it, when that is all told.
        """
        if reply_there(self.ours.answered) == self.reply:
            return
        pattern = self.writer
        if pattern is None and self.layer.calls:
            self._only_passes_on()
            return
        if pattern is None or pattern.type != "identifier":
            raise Stop("it takes what it answers through apart", pattern)
        binding = self.scopes.of(pattern)
        if binding is None or binding.writes:
            raise Stop("what it answers through gets another value", pattern)
        if self._tells_at_once(writer, binding):
            return
        if self.way.passes:
            raise Inside("not each answer is told at once")
        self._tell_when_all_is_told(writer, pattern)

    def _tells_at_once(self, writer: ByWriter, binding: Binding) -> bool:
        """Write the answers where each is told at once; tell whether they are."""
        ends = {camel(name) for name, one in writer.methods.items() if one.ends}
        uses = [use for use in binding.uses if not self._hands_on(use)]
        chains = [one for use in uses if (one := self._chain(use, ends)) is not None]
        at_once = len(chains) == len(uses) and (self.way.passes or not self.layer.calls)
        answers = self._answers_of(chains) if at_once else []
        seen = {node.id for one in answers for node in (one.chain, *one.before)}
        answered = bool(answers or self.layer.calls)
        if not (at_once and answered and len(seen) == len(chains) and self._ends_with_answers(answers)):
            return False
        for told in answers:
            self._replace(told.node, told.text)
            for statement in told.without:
                self._without(statement)
        self._give_back_what_is_inside()
        self._without_helpers()
        return True

    def _tell_when_all_is_told(self, writer: ByWriter, pattern: Node) -> None:
        """Make what a handler answers through at its first line, and answer with what was told to it."""
        name = self.file.text(pattern)
        made = Source(
            "answering", function("answering", [], f"return {made_writer(writer)};"), used=frozenset(["Answering"])
        )
        own = self.project.emitted.name_of(made, self.follower.taken)
        self.sources[own] = made
        self.first.insert(0, f"const {name} = {own}()")
        self.made_whole.append(pattern)
        self.findings.append(
            Finding(
                "made-whole-javascript",
                Severity.NOTE,
                f"{self.one.name} has {name} made as {self.project.title} has it: not each answer is told at once",
                "It does the same; answer in the target's own way where you want that idiom",
                self.file.place(pattern),
                self.one.name,
            )
        )
        answer, before = self._answer_function()
        for value in self._returned():
            chained = chain_of_root(value, self.file) == name
            # What it gives may be a promise, and what that fails with is the handler's own failure.
            waits = not (chained or is_plain(value) or value.type in ("await_expression", "identifier"))
            alone = not waits or value.type in _OPERANDS
            opens, ends = (f"{answer}({before}", ")") if chained else (f"{answer}({before}(", f", {name}))")
            opens, ends = (f"{opens}await ", ends) if waits else (opens, ends)
            opens, ends = (opens, ends) if alone else (f"{opens}(", f"){ends}")
            self.edits.append(Edit(value.start_byte, value.start_byte, opens))
            self.edits.append(Edit(value.end_byte, value.end_byte, ends))
        for one in self._bare_returns():
            at = one.start_byte + len("return")
            self.edits.append(Edit(at, at, f" {answer}({before}{name})"))
        self._at_the_end(answer, f"{before}{name}, ")
        self._no_return_type()

    def _only_passes_on(self) -> None:
        """Give back what the function inside does, by a layer that has no name for what is answered through."""
        if not (self.way.passes and self._ends_with_answers([])):
            raise Inside("it has no name for what is answered through")
        self._give_back_what_is_inside()

    def _hands_on(self, use: Node) -> bool:
        """Tell whether a use of a parameter hands it to the function inside."""
        return bool(use.parent.type == "arguments" and use.parent.parent in self.layer.calls)

    def _give_back_what_is_inside(self) -> None:
        """Let a call of the function inside that ends all be what is given back."""
        for one in map(waited_for, self.layer.calls):
            if one.parent.type == "expression_statement":
                self.edits.append(Edit(one.start_byte, one.start_byte, "return "))

    def _chain(self, use: Node, ends: set[str]) -> tuple[Node, bool] | None:
        """Return the chain that a use begins, or a call that stands for one, and whether it ends an answer."""
        chain = chain_of(use, self.file, ends)
        if chain is not None:
            return chain
        at = Standing(self.file, self.scopes, self.node)
        found = inlined(use, at, self.project.function_of, ends)
        if found is None:
            return None
        self.inlined[found.call.id] = found
        return found.call, True

    def _reading_of(self, chain: Node, shapes: tuple[ReplyShape, ReplyShape]) -> Answers:
        """Return what writes the answer that a chain tells, with what its call hands over filled in."""
        found = self.inlined.get(chain.id)
        self.filled = found.filled if found is not None else {}
        return self._reading(shapes, {one.id: value for parts in self.filled.values() for one, value in parts})

    def _without_helpers(self) -> None:
        """Take out functions through which nothing is answered any more."""
        for helper in {one.function.id: one.function for one in self.inlined.values()}.values():
            calls = sum(one.function.id == helper.id for one in self.inlined.values())
            named = helper if helper.type == "function_declaration" else helper.parent
            statement = helper if helper.type == "function_declaration" else named.parent
            binding = self.scopes.of(named.child_by_field_name("name"))
            alone = statement.type == "function_declaration" or len(statement.named_children) == 1
            at_top = statement.parent.type == "program"
            if binding is not None and len(binding.uses) == calls and alone and at_top:
                self._without(statement)

    def _calls_of(self, chain: Node) -> list[tuple[str, list[Node]]]:
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

    def _answers_of(self, chains: list[tuple[Node, bool]]) -> list[_Told]:
        """Return the answers that are told at once, at an end of the handler.

        One may be told in several statements that follow each other, and a `return` of nothing may come behind it.
        """
        shapes = (reply_there(self.ours.answered), self.reply)
        returned = {bare(value).id: value for value in self._returned()}
        steps = {node.parent.id: node for node, ended in chains if node is not None and not ended}
        own = {one.id for one in own_nodes(self.body)} if self.has_block else set()
        found: list[_Told] = []
        for chain, ended in chains:
            if not ended:
                continue
            value: Node = returned.get(chain.id, chain)
            above = value.parent
            statement = above if above.type in ("expression_statement", "return_statement") else None
            before = _before(statement, steps)
            reading = self._reading_of(chain, shapes)
            text = reading.written(chain, [node for _, node in before])
            self._note(reading.notes)
            if not text:
                continue
            without = [one for one, _ in before]
            if chain.id not in returned:
                if statement is None or statement.id not in own:  # a function inside tells it, whenever that is called
                    continue
                after = _next(statement)
                if after is not None and after.type == "return_statement" and not _values(after):
                    without.append(after)
                elif not ends_the_function(statement, self.body):
                    continue
                text = f"return {text}"
            found.append(_Told(chain, tuple(node for _, node in before), value, text, tuple(without)))
        return [] if any(self._is_half_told(one, found) for one in found) else found

    def _note(self, notes: dict[str, Node]) -> None:
        """Tell of what is taken for granted in an answer, each kind once a handler."""
        for code, node in notes.items():
            if all(one.code != code for one in self.findings):
                severity, reason, remedy = note(code, self.project.title, self.project.target)
                place = self.file.place(node)
                self.findings.append(Finding(code, severity, reason, remedy, place, self.one.name))

    def _reading(self, shapes: tuple[ReplyShape, ReplyShape], stands: Mapping[int, Node] | None = None) -> Answers:
        contents = Contents(self.file, self.scopes, self.follower.given, stands)
        return Answers(contents, shapes, self.project.takes, self._text_of, self._calls_of, caught=self.way.caught)

    def _is_half_told(self, told: _Told, answers: list[_Told]) -> bool:
        """Tell whether an answer may fail when part of it is told already, and another answer has that part then.

        What is told again is no matter: a status that every answer sets.
        """
        writer = reply_there(self.ours.answered).writer
        if writer is None or not (self.way.caught or in_try(told.chain, self.node)):
            return False
        methods = {camel(name): one for name, one in writer.methods.items()}
        calls = [call for chain in (*told.before, told.chain) for call in self._calls_of(chain)]
        contents = Contents(self.file, self.scopes, self.follower.given)
        fails = [
            at
            for at, (_, given) in enumerate(calls)
            if at and not all(self._never_fails(one, contents) for one in given)
        ]
        before = [methods[name] for name, _ in calls[: fails[-1]]] if fails else []
        if any(one.puts or one.adds for one in before):
            return True
        halves = {attribute for one in before for attribute in one.sets}
        for other in answers:
            own = {name for chain in (*other.before, other.chain) for name, _ in self._calls_of(chain)}
            if halves - {attribute for name in own for attribute in methods[name].sets}:
                return True
        return False

    def _never_fails(self, node: Node, contents: Contents) -> bool:
        """Tell whether working out an expression certainly throws nothing, what is read of the event included."""
        if never_fails(node):
            return True
        if node.id in self.follower.given:
            return not any(one.type == "call_expression" for one in walk(node))
        inside = [one for one in node.named_children if one.type != "comment"]
        if node.type == "binary_expression" and self.file.text(node.child_by_field_name("operator")) == "+":
            return all(contents.of(one) == TEXT and self._never_fails(one, contents) for one in inside)
        if node.type == "template_string":
            filled = [one.named_children[0] for one in inside if one.type == "template_substitution"]
            return all(contents.of(one) == TEXT and self._never_fails(one, contents) for one in filled)
        return False

    def _ends_with_answers(self, answers: list[_Told]) -> bool:
        """Tell whether a handler ends with an answer, wherever it ends: no other value is returned."""
        known = {one.chain.id for one in answers} | {bare(waited_for(one)).id for one in self.layer.calls}
        gone = {statement.id for one in answers for statement in one.without}
        if any(bare(value).id not in known for value in self._returned()):
            return False
        if any(one.id not in gone for one in self._bare_returns()):
            return False
        inside = [one for one in self.body.named_children if one.type != "comment"] if self.has_block else []
        if not inside:
            return not self.has_block
        return all(
            one.type in ("return_statement", "throw_statement")
            or (one.type == "expression_statement" and one.named_children[0].id in known)
            for one in last_statements(self.body)
        )

    def _without(self, statement: Node) -> None:
        """Delete a statement, with its line where nothing else stands in that."""
        content, start, end = self.file.content, statement.start_byte, statement.end_byte
        line, after = content.rfind(b"\n", 0, start) + 1, content.find(b"\n", end)
        after = len(content) if after < 0 else after
        if not content[line:start].strip() and not content[end:after].strip():
            start, end = line, min(after + 1, len(content))
        self.edits = [one for one in self.edits if not (start <= one.start and one.end <= end)]
        self.edits.append(Edit(start, end, ""))

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
        low, high = node.start_byte, node.end_byte
        inside = [one for one in self.edits if low <= one.start and one.end <= high]
        inside += [
            Edit(one.start_byte, one.end_byte, self._in_place(one, value))
            for one, value in self.filled.get(node.id, ())
        ]
        moved = [Edit(one.start - low, one.end - low, one.text) for one in inside]
        return applied(self.file.content[low:high], moved).decode("utf-8", "replace")

    def _in_place(self, parameter: Node, value: Node) -> str:
        """Return what is handed over as it stands in place of a parameter."""
        text = self._text_of(value)
        text = text if value.type in _OPERANDS else f"({text})"
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
        own = self.project.emitted.name_of(source, self.follower.taken)
        self.sources[own] = source
        return own, "".join(f"{one}, " for one in handed)

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
        own = self.project.emitted.name_of(source, self.follower.taken)
        self.sources[own] = source
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
