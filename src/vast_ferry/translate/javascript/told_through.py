"""Answers that a handler gives through an object that it is handed: where each is told at once, and where it is not.

Where each is told at once, at an end of the handler, it is an answer like any other. Else the object is made at the
handler's first line, and it answers with what was told to it, when all is told.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from vast_ferry.documents.javascript_file import Node, is_typescript, string_of
from vast_ferry.hub.findings import Finding, Severity
from vast_ferry.mapping.javascript.delivery import made_writer
from vast_ferry.mapping.javascript.functions import Source, function, reply_there
from vast_ferry.mapping.javascript.names import camel, is_identifier
from vast_ferry.mapping.tables import ReplyShape
from vast_ferry.mapping.writers import ByWriter
from vast_ferry.translate.javascript.answering import OPERANDS, Called
from vast_ferry.translate.javascript.around import waited_for
from vast_ferry.translate.javascript.contents import TEXT
from vast_ferry.translate.javascript.edits import Edit
from vast_ferry.translate.javascript.fields_before import ALONE, with_fields
from vast_ferry.translate.javascript.half_told import HalfTold, Told
from vast_ferry.translate.javascript.handlers import Standing
from vast_ferry.translate.javascript.inlined import inlined
from vast_ferry.translate.javascript.scopes import Binding
from vast_ferry.translate.javascript.spelling import object_of, pair
from vast_ferry.translate.javascript.stops import Clash, Inside, Stop
from vast_ferry.translate.javascript.values import (
    bare,
    calls_of,
    chain_in,
    chain_of,
    chain_of_root,
    ends_the_function,
    in_try,
    indent_of,
    is_caught_later,
    is_plain,
    kept_values,
    last_statements,
    name_of_chain,
    own_nodes,
    statement_of,
)


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


class ToldThrough(HalfTold):
    """A handler that may answer through an object that it is handed."""

    def _through(self, writer: ByWriter) -> None:
        """Write the answers of a handler that gives them through an object that it is handed.

        Where each is told at once, at an end of the handler, it is an answer like any other. Else the object is made at
        the first line, and the handler answers with what was told to it, when that is all told.
        """
        pattern = self.writer
        if reply_there(self.ours.answered) == self.reply:
            if pattern is not None:  # it is the same there, under the name that the author gave it
                own = {one: self.file.text(pattern) for one in self.writers()}
                if clash := {*own.values()} & {one for one in self.parameters if one not in own}:
                    raise Clash(clash)
                self.parameters = [own.get(one, one) for one in self.parameters]
                self.inside = [own.get(one, one) for one in self.inside]
            return
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
        if self.way.caught:  # and who catches may answer once more
            raise Inside("not each answer is told at once", caught=True)
        if self.way.passes:
            raise Inside("not each answer is told at once")
        self._tell_when_all_is_told(pattern)

    def _tells_at_once(self, writer: ByWriter, binding: Binding) -> bool:
        """Write the answers where each is told at once; tell whether they are."""
        ends = {camel(name) for name, one in writer.methods.items() if one.ends}
        uses = self._uses_of(binding, ends)
        chains = [one for use in uses if (one := self._chain(use, ends)) is not None]
        at_once = len(chains) == len(uses) and (self.way.passes or not self.layer.calls)
        emitted, told = dict(self.sources), list(self.findings)
        answers = self._answers_of(chains) if at_once else []
        seen = {node.id for one in answers for node in (one.chain, *one.before)}
        answered = bool(answers or self.layer.calls)
        around = self._told_before_what_is_inside(chains) if at_once else None
        seen |= {node.id for one in around or () for node in one.before}
        twice = self.told_here & {
            one.id for told in answers if told.chain.id not in self.helped for one in told.without
        }
        told_all = (
            around is not None
            and not twice
            and len(seen) == len(chains)
            and not self.early.both()
            and not self._tells_parts_perhaps(chains)
        )
        if not (at_once and answered and told_all and self._ends_with_answers(answers)):
            self.helped.clear()
            self.parts.clear()
            self.told_here.clear()
            self.early.clear()
            self.sources, self.findings = emitted, told
            return False
        for answer in answers:
            if answer.node is not None:
                self._replace(answer.node, answer.text)
            self.edits += answer.edits
        self.around_calls = [edit for one in around or () for edit in one.edits]
        # What is told early belongs to several answers, and is taken out once.
        for statement in {step.id: step for answer in (*answers, *(around or ())) for step in answer.without}.values():
            self._without_step(statement)
        self.every_sets = frozenset.intersection(*(frozenset(self._sets(one)) for one in answers)) if answers else None
        if answers:
            self._no_return_type()
        self._give_back_what_is_inside()
        self._without_helpers()
        return True

    def _tells_parts_perhaps(self, chains: list[tuple[Node, bool]]) -> bool:
        """Tell whether a function is called under a condition that gives a part of what is told by calls, then."""
        parts = [chain for chain, _ in chains if chain.id in self.parts] if self.writers() else []
        return any(statement_of(chain).id in self.early.perhaps for chain in parts)

    def _uses_of(self, binding: Binding, ends: set[str]) -> list[Node]:
        """Return the uses of what is answered through, under the names as well that chains of calls on it get."""
        found: list[Node] = []
        for use in binding.uses:
            if self._hands_on(use):
                continue
            found.append(use)
            named = name_of_chain(use, self.file, ends)
            other = self.scopes.of(named) if named is not None else None
            if other is not None and not other.writes and len(other.declared) == 1 and other.kind == "const":
                found += self._uses_of(other, ends)
        return found

    def _without_step(self, statement: Node) -> None:
        """Take out a statement; what it is given that has names gets them there."""
        chain = chain_in(statement)
        named = self.early.given(chain) if chain is not None else []
        if chain is not None and chain.id in self.parts:
            perhaps = statement.id in self.early.perhaps
            named_so = f"{'' if perhaps else 'const '}{self.early.names[chain.id]} = "
            self.edits.append(Edit(statement.start_byte, statement.start_byte, named_so))
            self.edits += self._without_writer(chain, handing=False)
            if perhaps:
                self._declare_above(statement, named)
            return
        if statement.id in self.told_here or statement.id in self.early.perhaps:
            self._tell_perhaps(statement, named)
            return
        if not named:
            self._without(statement)
            return
        ends = self.file.text(statement)[-1:] == ";"
        pad = indent_of(self.file, statement)
        lines = [f"const {name} = {self._own_text_of(one)}{';' * ends}" for one, name in named]
        self._replace(statement, f"\n{pad}".join(lines))

    def _tell_perhaps(self, statement: Node, named: list[tuple[Node, str]]) -> None:
        """Write a step that stands under a condition: as one of the target's, or as what gives a name its value."""
        end = ";" * (self.file.text(statement)[-1:] == ";")
        if self.writers():
            shapes = (reply_there(self.ours.answered), self.reply)
            reading, chain = self._reading(shapes), chain_in(statement)
            assert chain is not None
            calls = [
                reading.field_told(given[0], self._own_text_of(given[1]), over=statement.id in self.told_here)
                for _, given in calls_of(chain, self.file)
            ]
            self._replace(statement, " ".join(f"{one}{end or ';'}" for one in calls).removesuffix("" if end else ";"))
            return
        lines = [f"{name} = {self._own_text_of(one)}" for one, name in named]
        several = len(lines) > 1 and statement.parent.type != "statement_block"
        self._replace(statement, ", ".join(lines) + end if several else "; ".join(lines) + end)
        self._declare_above(statement, named)

    def _declare_above(self, statement: Node, named: list[tuple[Node, str]]) -> None:
        """Declare the names of what is told under a condition before that."""
        above = self.early.perhaps[statement.id]
        end = ";" * (self.file.text(statement)[-1:] == ";")
        typed = ": string | undefined" * is_typescript(self.file)
        declared = "".join(f"let {name}{typed}{end}\n{indent_of(self.file, above)}" for _, name in named)
        self.edits.append(Edit(above.start_byte, above.start_byte, declared))

    def _tell_when_all_is_told(self, pattern: Node) -> None:
        """Make what a handler answers through at its first line, and answer with what was told to it."""
        name = self.file.text(pattern)
        self.first.insert(0, f"const {name} = {self._made()}()")
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
            alone = not waits or value.type in OPERANDS
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
                self.edits.insert(0, Edit(one.start_byte, one.start_byte, "return "))

    def _chain(self, use: Node, ends: set[str]) -> tuple[Node, bool] | None:
        """Return the chain that a use begins, or a call that stands for one, and whether it ends an answer."""
        chain = chain_of(use, self.file, ends)
        if chain is not None:
            return chain
        at = Standing(self.file, self.scopes, self.node)
        found = inlined(use, at, self.project.function_of, ends)
        helped = self._helped(use)
        if helped is not None:
            if found is not None and helped == found.call and found.ended:
                self.instead[helped.id] = found
                self.foreign |= found.foreign
            return helped, True
        if found is None or not (found.ended or found.call.parent.type == "expression_statement"):
            return self._part(use)
        self.inlined[found.call.id] = found
        self.foreign |= found.foreign
        return found.call, found.ended

    def _helped(self, use: Node) -> Node | None:
        """Return the call, with what waits for it, of a function that answers in a handler's place; or nothing."""
        called = self._called(use)
        helper = self.project.helper(called) if called is not None else None
        if called is None or helper is None:
            return None
        chain = waited_for(called.call)
        self.helped[chain.id] = helper
        return chain

    def _called(self, use: Node) -> Called | None:
        """Return the call of a function that is handed what is answered through; nothing where it can't be counted."""
        call = use.parent.parent if use.parent.type == "arguments" else None
        given = _values(use.parent)
        if call is None or call.type != "call_expression" or any(one.type == "spread_element" for one in given):
            return None
        return Called(self, call, given.index(use))

    def _part(self, use: Node) -> tuple[Node, bool] | None:
        """Return a call that stands for a part of an answer, which the function gives that is called."""
        called = self._called(use)
        if called is None or called.call.parent.type != "expression_statement":
            return None
        told = self.project.part(called)
        if told is None:
            return None
        call = called.call
        self.helped[call.id], self.parts[call.id] = told.by, told.calls
        self.stands[call.id] = told.value
        self.foreign |= {one.id: told.by.file for _, given in told.calls for one in given if one != call}
        return call, False

    def _without_writer(self, chain: Node, *, handing: bool = True) -> list[Edit]:
        """Return the edits by which a call hands over what is answered through at the target, first, and no other."""
        call = bare(chain)
        while call.type != "call_expression":
            call = bare(call.named_children[0])
        given = _values(call.child_by_field_name("arguments"))
        at = next(at for at, one in enumerate(given) if self._is_writer(one))
        there = ", ".join(self.writers()) if handing else ""
        if len(given) == 1:
            return [Edit(given[0].start_byte, given[0].end_byte, there)]
        if at == 0:
            end = given[0].end_byte if there else given[1].start_byte
            return [Edit(given[0].start_byte, end, there)]
        first = [Edit(given[0].start_byte, given[0].start_byte, f"{there}, ")] if there else []
        return [*first, Edit(given[at - 1].end_byte, given[at].end_byte, "")]

    def _is_writer(self, node: Node) -> bool:
        binding = self.scopes.of(node) if node.type == "identifier" else None
        return binding is not None and self.writer is not None and binding == self.scopes.of(self.writer)

    def _turned(self, chain: Node, before: Sequence[Node]) -> str:
        """Return what turns an answer round that can't be said in full: what it tells is told to an object made there.

        Empty where a part of it is told under a condition.
        """
        calls = [call for one in (*before, chain) for call in self._calls_of(one)]
        plain = all(one.type != "spread_element" and one.id not in self.maybe for _, given in calls for one in given)
        if not plain or not all(name in self._methods() for name, _ in calls):
            return ""
        answer, first = self._answer_function()
        told = "".join(f".{name}({', '.join(map(self._text_of, given))})" for name, given in calls)
        return f"{answer}({first}{self._made()}(){told})"

    def _made(self) -> str:
        """Return the name of the function that makes what a handler answers through."""
        writer = reply_there(self.ours.answered).writer
        assert writer is not None
        code = function("answering", [], f"return {made_writer(writer)};")
        return self._emit(Source("answering", code, used=frozenset(["Answering"])))

    def _written(self, chain: Node, shapes: tuple[ReplyShape, ReplyShape], before: Sequence[Node]) -> str:
        """Return the answer that a chain tells as the target has it; empty where that can't be said in full."""
        reading = self._reading(shapes, self._in_their_place())
        text = reading.written(chain, before)
        self._note(reading.notes)
        return text

    def _in_their_place(self) -> dict[int, Node]:
        """Return what calls hand over, by where it stands in what they tell."""
        self.filled = {node: parts for one in self.inlined.values() for node, parts in one.filled.items()}
        return {one.id: value for parts in self.filled.values() for one, value in parts}

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

    def _answers_of(self, chains: list[tuple[Node, bool]]) -> list[Told]:
        """Return the answers that are told at once, at an end of the handler.

        One may be told in several statements that follow each other, and a `return` of nothing may come behind it.
        """
        shapes = (reply_there(self.ours.answered), self.reply)
        returned = {bare(value).id: value for value in self._given_back()}
        steps = {statement_of(node).id: node for node, ended in chains if node is not None and not ended}
        own = {one.id for one in own_nodes(self.body)} if self.has_block else set()
        found: list[Told] = []
        for chain, ended in chains:
            if not ended:
                continue
            value: Node = returned.get(chain.id, chain)
            above = value.parent
            statement = above if above.type in ("expression_statement", "return_statement") else None
            before = self._steps_before(statement, steps)
            helped = chain.id in self.helped
            wraps: list[Edit] = []
            if helped and before and chain.id in self.instead:  # a part of it is told here
                del self.helped[chain.id]
                self.inlined[chain.id], helped = self.instead[chain.id], False
            elif helped and before and not (wraps := self._with_fields(value, before)):
                continue
            steps_before = tuple(node for _, node in before)
            text = "" if helped else self._written(chain, shapes, steps_before) or self._turned(chain, steps_before)
            if not text and not helped:
                continue
            without = [one for one, _ in before]
            edits = [*wraps, *self._without_writer(chain)] if helped else []
            if chain.id not in returned:
                if statement is None or statement.id not in own:  # a function inside tells it, whenever that is called
                    continue
                after = self._needless_behind(statement)
                if after is not None:
                    without.append(after)
                elif not ends_the_function(statement, self.body):
                    continue
                text = f"return {text}"
                edits = [Edit(value.start_byte, value.start_byte, "return "), *edits] if helped else []
            told = Told(chain, steps_before, tuple(edits), tuple(without))
            found.append(told if helped else replace(told, node=value, text=text))
        return [] if any(self._is_half_told(one, found) for one in found) else found

    def _told_before_what_is_inside(self, chains: list[tuple[Node, bool]]) -> list[Told] | None:
        """Return the calls of the function inside before which fields are told, which its answers get then.

        Nothing comes back where more is told before one than can be given to its answers.
        """
        steps = {statement_of(node).id: node for node, ended in chains if not ended}
        found = []
        for call in map(waited_for, self.layer.calls if steps else ()):
            above = call.parent
            statement = above if above.type in ("expression_statement", "return_statement") else None
            if statement is None:
                return None
            before = self._steps_before(statement, steps)
            missed = self.early.before(statement, steps, self.body) if self.way.caught else []
            wraps = self._with_fields(call, before) if before else []
            if missed or (before and not wraps):
                return None
            told = tuple(node for _, node in before)
            found += [Told(call, told, tuple(wraps), tuple(one for one, _ in before))] if wraps else []
        return found

    def _with_fields(self, value: Node, before: list[tuple[Node, Node]]) -> list[Edit]:
        """Return the edits that give what a call answers the fields that are told before it; none where they can't.

        Where answers are told by calls at the target, so are these: where they stand.
        """
        if self.way.caught or in_try(value, self.node) or is_caught_later(value, self.file):
            return []  # who catches what fails there may answer, and has the fields then
        start, methods = value.start_byte, self._methods()
        over = {methods[name].over for _, chain in before for name, _ in self._calls_of(chain)}
        if len(over) != 1:
            return []
        if self.writers():
            plain = not any(
                chain.id in self.parts or chain.id in self.inlined or one.id in self.early.perhaps
                for one, chain in before
            )
            if over != {True} or not plain or self._fields_told(before) is None:
                return []
            self.told_here |= {one.id for one, _ in before}
            return [Edit(start, start, "")]
        source = with_fields(self.reply, over=True in over)
        waited = any(one.type == "await_expression" for one in (value, bare(value)))
        at_once = not any(child.type == "async" for child in self.node.children)
        if source is None or (not waited and at_once and not self.way.outermost):
            return []  # who calls it may take what it gives for no promise
        self.early.named(before)
        fields = self._fields_told(before)
        if fields is None:
            return []
        entries = [pair(name if is_identifier(name) else f'"{name}"', text) for name, text in fields.items()]
        opens = f"{self._emit(source)}({'' if waited else 'await '}"
        return [Edit(start, start, opens), Edit(value.end_byte, value.end_byte, f", {object_of(entries)})")]

    def _fields_told(self, before: list[tuple[Node, Node]]) -> dict[str, str] | None:
        """Return the fields that are told by steps, each once and whatever happens; nothing where they tell more."""
        fields: dict[str, str] = {}
        methods, perhaps = self._methods(), self.early.maybe(before)
        for name, given in (call for _, chain in before for call in self._calls_of(chain)):
            method, own = methods[name], string_of(self.file, given[0]) if len(given) == 2 else None
            if own is None or method.sets or method.adds or own.lower() in (*ALONE, *map(str.lower, fields)):
                return None
            if given[1].id in perhaps:
                return None
            if self.contents().of(given[1]) != TEXT:
                self._note({"field-perhaps-no-text": given[1]})
            if given[1].type != "string" and self.reply.written.when == "object":
                self._note({"field-refused-sooner": given[1]})
            fields[own] = self._text_of(given[1])
        return fields

    def _needless_behind(self, statement: Node) -> Node | None:
        """Return what stands behind an answer and only ends the function, or the `switch` that is its end."""
        after = _next(statement)
        if after is None or _values(after) or after.type not in ("return_statement", "break_statement"):
            return None
        return after if after.type == "return_statement" or ends_the_function(statement, self.body) else None

    def _steps_before(self, statement: Node | None, steps: dict[int, Node]) -> list[tuple[Node, Node]]:
        """Return the statements that tell parts of an answer before its own, with their chains of calls."""
        self.maybe = set()
        right_before = _before(statement, steps)
        parts = [at for at, (_, chain) in enumerate(right_before) if chain.id in self.parts]
        self.early.named(right_before[: parts[-1] + 1] if parts else [])  # what is told before is worked out before
        if statement is None or not self.has_block or self.way.caught:
            return right_before
        known = {step.id for step, _ in right_before}
        early = [one for one in self.early.before(statement, steps, self.body) if one[0].id not in known]
        self.early.named(early)
        self.maybe = self.early.maybe(early)
        return [*early, *right_before]

    def _given_back(self) -> list[Node]:
        """Return the values that the handler gives back, those of functions that are called when a promise is kept."""
        return [one for value in self._returned() for one in kept_values(value, self.file)]

    def _ends_with_answers(self, answers: list[Told]) -> bool:
        """Tell whether a handler ends with an answer, wherever it ends: no other value is returned."""
        known = {one.chain.id for one in answers} | {bare(waited_for(one)).id for one in self.layer.calls}
        gone = {statement.id for one in answers for statement in one.without}
        if any(bare(value).id not in known for value in self._given_back()):
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
