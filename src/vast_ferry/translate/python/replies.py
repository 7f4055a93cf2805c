"""Answers written anew: a literal, an object, a text or nothing becomes what the target's handler would answer with."""

from __future__ import annotations

import ast
from collections.abc import Mapping
from typing import Any

from vast_ferry.hub.kinds import REQUEST, is_request
from vast_ferry.hub.outcomes import NOT_DONE
from vast_ferry.mapping.places import Item
from vast_ferry.mapping.python import quoted
from vast_ferry.mapping.tables import NOTHING_TO_SAY, ReplyForm
from vast_ferry.mapping.writers import ByWriter
from vast_ferry.translate.python.ends import does_something
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.python.imports import Import
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.python.raised import leaves
from vast_ferry.translate.python.reply_by_shape import ByShape
from vast_ferry.translate.python.reply_by_writer import Told
from vast_ferry.translate.python.reply_parts import Made
from vast_ferry.translate.python.reply_reading import ReplyReading
from vast_ferry.translate.python.reply_writing import ReplyWriting
from vast_ferry.translate.shapes import answers_apart, told_by_shape
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Stop


class Replies(ReplyReading, ReplyWriting):
    """Takes the answers of one function from the source's form to the target's."""

    # --- returns ---

    def leave(self, node: ast.Return | ast.Raise) -> None:
        """Note the edits of a statement by which a function is left."""
        if isinstance(node, ast.Return):
            self.answer(node)
        elif not self._raised(node):
            self.at.parts(node)

    def answer(self, node: ast.Return) -> None:
        """Note the edits of a return statement."""
        facts = self.at.facts
        function = self.at.function
        silent = facts is None or not facts.answers or self.at.tells_each  # nobody looks at what it returns
        if silent or function is None or function.generates:
            if node.value is not None:
                self.at.expression(node.value)
            return
        if not is_request(self.at.kind):
            self._done(node)
            return
        value = node.value
        writer = self.job.source.kinds[self.at.kind].answered.writer if function.writer else None
        if writer is not None and not (writer.returns and value is not None and self.at.runs is not None):
            self._told(node, function, writer)
            return
        assert facts is not None
        if value is None or (isinstance(value, ast.Constant) and value.value is None):
            if facts.asked:
                return
            nothing = self.nothing(function, node)
            if nothing:
                self.at.swap(node, nothing, "reply")
            return
        before, self.at.edits = self.at.edits, []
        self.write(value, node)
        inner, self.at.edits = self.at.edits, before
        if not self.ends(function):
            self.at.edits += inner
            return
        text = self.at.applied(value, inner)
        loose = isinstance(value, (ast.IfExp, ast.BoolOp)) or text.startswith("await ")
        self.at.swap(value, self._sent(f"({text})" if loose else text, function), "reply")

    def _told(self, node: ast.Return, function: Function, writer: ByWriter) -> None:
        """Write a return of a handler that answers through an object: it answers with what that was told."""
        # Where its answers stand there in full, nothing was told on the way here.
        ends = self._through_writer(function) if self.at.runs is None else self.nothing(function) or "return"
        value = node.value
        if value is None or not (writer.returns or does_something(value)):
            self.at.swap(node, ends, "reply")
            return
        code = f"({self.at.code(value)})" if self._bare(value) else self.at.code(value)
        if writer.returns:
            self.at.swap(node, self._through_writer(function, code), "reply")
            return
        start = self.at.text.start(node)
        if self.at.text.data[self.at.text.line_start(start) : start].strip():
            raise Stop("reply-unknown", node)
        self.at.swap(node, f"{code}\n{self.at.indent(start)}{ends}", "reply")

    def told_at_once(self, node: ast.stmt, function: Function) -> bool | None:
        """Write a statement of a run as an answer that is returned; tell if it is left, None where it is of none."""
        for run in self.at.runs or ():
            if node is run.statements[0]:
                made = Told(self.at).answer(run)
                if self._apart:
                    raise Stop("reply-unknown", node)
                self.at.swap(node, f"return {self._sent(self._construct(made, node), function)}", "reply")
                return True
            if node is run.end or node in run.statements:
                self.at.drop(node)
                return False
        return None

    def _through_writer(self, function: Function, returned: str = "") -> str:
        """Return the statement by which a handler answers with what it told the object that it answers through."""
        name = self.job.answer_view(self.at.kind)
        self.at.imports.add(Import(self.job.module_name, name))
        told = f"{function.writer}.answer({returned}){self._of_event(function.node)}"
        return f"return {self._sent(f'{name}({told})', function)}"

    def ends(self, function: Function) -> str:
        """Return what stands behind an answer where the handler itself returns it."""
        shape = self.job.answered(REQUEST)
        if shape.by_hand is None or not function.entry:
            return ""
        if len(function.outermost) > 1:  # an answer is sent here for some, and not for others
            raise Stop("decorated", function.node, function.node.name)
        if False in function.outermost or (not function.outermost and function.stands_behind is not None):
            return ""
        text = shape.by_hand.ends
        for name in self.at.shape.parameters:
            named = self.at.handed.get(name, name)
            text = text.replace(f"({name}", f"({named}").replace(f" {name}", f" {named}")
        return text

    def nothing(self, function: Function, at: ast.AST | None = None) -> str:
        """Return the statement by which a handler answers nothing; empty where it may say nothing."""
        if not is_request(self.at.kind):
            empty = self._nothing_again
            return f"return {empty}" if empty else ""
        if function.writer and self.at.runs is None:
            return self._through_writer(function)
        self._note_no_answer(at or function.node)
        made = self._made_of_nothing()
        if made is None:
            return ""
        node = self.at.function.node if self.at.function else self.at.module.tree
        text = self._construct(made, node) if not self._apart else self._answer_of("None", node)
        return f"return {self._sent(text, function)}"

    def _note_no_answer(self, at: ast.AST) -> None:
        """Note that nothing is answered where that is no answer at the source."""
        if not any(form.when in ("nothing", "always") for form in self._source) and not self._same():
            self.at.notes.append(("no-answer", at))

    @property
    def _nothing_again(self) -> str:
        """Return what says that nothing shall come again; empty where None does, or a batch is told of elsewhere."""
        each = self.job.source.kinds[self.at.kind].event.each, self.job.target.kinds[self.at.kind].event.each
        return "" if each[0] is None and each[1] is not None else self.job.nothing_again(self.at.kind)

    @property
    def _apart(self) -> bool:
        """Tell whether no answer is put together at the target: an emitted function makes each of what it was."""
        return answers_apart(self.job.target.kinds[REQUEST].answered)

    def _answer_of(self, code: str, node: ast.AST) -> str:
        """Return the call of the emitted function that answers with a value of the author's."""
        name = self.job.answer_view(REQUEST)
        self.at.imports.add(Import(self.job.module_name, name))
        self.at.shims.append(("reply", node))
        return f"{name}({code}{self._of_event(node)})"

    def _made_of_nothing(self) -> Made | None:
        """Return the answer that the source takes nothing for; None where it is nothing at the target, too."""
        shape = self.job.answered(REQUEST)
        own = next((form.fixed for form in self._source if form.when == "nothing"), {"status": 204})
        there = next((form.fixed for form in shape.forms if form.when == "nothing"), None)
        if shape.by_hand is None and there is not None and _said(there) == _said(own):
            return None
        status, fields = _said(own)
        return Made(status, [(quoted(name), quoted(value), name) for name, value in fields], empty_type="none")

    def _sent(self, text: str, function: Function) -> str:
        """Return an answer as a handler returns it: sent, where the target has it so."""
        ends, by_hand = self.ends(function), self.job.answered(REQUEST).by_hand
        return f"{'await ' * bool(ends and by_hand and by_hand.awaited)}{text}{ends}"

    def _of_event(self, node: ast.AST) -> str:
        """Return what an emitted function is told of the event beside an answer, as arguments behind it."""
        given = ""
        for field in self.job.source.kinds[REQUEST].answered.of_event:
            made = self.at.reads().hub(field)
            if made is None and not self.job.is_said(self.at.kind, field):
                made = self.at.made_afresh(field, node)
            if made is None:
                raise Stop("reply-unknown", node)
            given += f", {self.at.place(made, node)}"
        return given

    def in_pieces(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Put a function before a handler that gives its answer piece by piece: it answers with the whole."""
        plain = isinstance(node, ast.FunctionDef) and not self.job.asynchronous and function.cls is None
        known = any(form.when == "pieces" for form in self._source)
        alone = not function.calls and function.stands_behind is None and not function.stands_before
        if not (plain and known and alone and function.entry) or node.decorator_list:
            raise Stop("answers-in-pieces", node)
        taken = [self.at.handed.get(name, name) for name in self.at.shape.handed_over]
        pieces, given = self.at.fresh(f"{node.name}_in_pieces"), ", ".join(taken)
        name = self.job.answer_view(REQUEST)
        self.at.imports.add(Import(self.job.module_name, name))
        self.at.shims.append(("reply", node))
        self.at.notes.append(("pieces-joined", node))
        start = self.at.text.data.index(node.name.encode(), self.at.text.start(node))
        self.at.edit(start, start + len(node.name.encode()), pieces, "reply")
        at = self.at.text.next_line(self.at.text.end(node) - 1)
        lead = "" if self.at.text.data[at - 1 : at] == b"\n" else "\n"
        self.at.beside = True
        answer = self._sent(f"{name}({pieces}({given}){self._of_event(node)})", function)
        self.at.edit(at, at, f"{lead}\n\ndef {node.name}({given}):\n    return {answer}\n", "reply")

    def _done(self, node: ast.Return) -> None:
        """Write what a handler of anything but HTTP says: what shall come again, or nothing."""
        value = node.value
        if value is not None and self._settles():
            self.at.swap(value, self._settled(value), "reply")
        elif value is not None and not (isinstance(value, ast.Constant) and value.value is None):
            self._done_with(value, node)
        elif empty := self._nothing_again:
            self.at.swap(node, f"return {empty}", "reply")

    def _done_with(self, value: ast.expr, node: ast.Return) -> None:
        if self.at.kind == "call":
            self.at.expression(value)
            return
        source = self.job.source.kinds[self.at.kind].answered
        target = self.job.answered(self.at.kind)
        if not source.holds_again:
            self._never_looked_at(value, node, there=bool(target.forms and target is not NOTHING_TO_SAY))
            return
        if target.holds_again:
            own, there = self._again(source), self._again(target)
            self.at.expression(value)
            if own != there:
                raise Stop("reply-unknown", node)
            return
        found = self._again_literal(value, self._again(source))
        if found == "some":
            self.at.swap(node, f'raise RuntimeError("{NOT_DONE}")', "batch")
        elif found == "none":
            self.at.swap(node, f"return {self._nothing_again}".rstrip(), "batch")
        elif (named := self._again_named(value, self._again(source))) and isinstance(node, ast.Return):
            indent = self.at.indent(self.at.text.start(node))
            listed = self.at.code(named)
            text = f'if {listed}:\n{indent}    raise RuntimeError("{NOT_DONE}")'
            alone = self.at.text.data[self.at.text.line_start(self.at.text.start(node)) : self.at.text.start(node)]
            if alone.strip():
                raise Stop("reply-unknown", node)
            body = getattr(self.at.parents.get(id(node)), "body", [])
            last = bool(body) and body[-1] is node and self.at.parents.get(id(node)) is self.at.function.node  # type: ignore[union-attr]
            empty = self._nothing_again
            self.at.swap(node, text if last and not empty else f"{text}\n{indent}return {empty}".rstrip(), "batch")
        elif self._nothing_again:
            raise Stop("reply-unknown", node)
        else:
            self._through(self.job.answer_view(self.at.kind), value, node)

    def _never_looked_at(self, value: ast.expr, node: ast.Return, *, there: bool) -> None:
        """Write what a handler returned to nobody; a target that looks at it is given nothing."""
        if not there:
            self.at.expression(value)
            return
        ends = f"return {self._nothing_again}".rstrip()
        if not does_something(value):
            self.at.swap(node, ends, "reply")
            return
        start = self.at.text.start(node)
        if self.at.text.data[self.at.text.line_start(start) : start].strip():
            raise Stop("reply-unknown", node)
        text = f"({self.at.code(value)})" if self._bare(value) else self.at.code(value)
        self.at.swap(node, f"{text}\n{self.at.indent(start)}{ends}", "reply")

    def _settles(self) -> bool:
        """Tell whether an emitted function answers with what a handler says, or says it as the target is told."""
        kind, answered = self.job.source.kinds[self.at.kind], self.job.source.kinds[self.at.kind].answered
        levels = bool(kind.event.levels or self.job.target.kinds[self.at.kind].event.levels)
        levels = levels or (self.at.function is not None and self.at.function.whole and kind.event.each is not None)
        said = any(row.field == "again" for form in answered.forms for row in form.rows)
        return levels and bool(said or answered.again_by or answered.again_with)

    def _settled(self, value: ast.expr) -> str:
        made = self.job.settle_view(self.at.kind, value)
        self.at.imports.add(Import(self.job.module_name, made.name))
        self.at.shims.append(("reply", value))
        if made.awaited:
            self.at.awaits(value)
        word = "await " * made.awaited
        text = f"({self.at.code(value)})" if self._bare(value) else self.at.code(value)
        return f"{word}{made.name}({text}, {self.at.root(made.parameters[-1], value)})"

    def _again(self, shape: object) -> str:
        forms = shape.forms  # type: ignore[attr-defined]
        for form in forms:
            for row in form.rows:
                if row.field == "again" and isinstance(row.at.steps[-1], Item):
                    return str(row.at.steps[-1].key)
        return ""

    def _again_literal(self, node: ast.expr, again: str) -> str:
        if isinstance(node, ast.Dict) and len(node.keys) == 1 and isinstance(node.keys[0], ast.Constant):
            value = node.values[0]
            if node.keys[0].value == again and isinstance(value, ast.List):
                return "some" if value.elts else "none"
        return ""

    def _again_named(self, node: ast.expr, again: str) -> ast.expr | None:
        if isinstance(node, ast.IfExp) and isinstance(node.orelse, ast.Constant) and node.orelse.value is None:
            return self._again_named(node.body, again)
        if isinstance(node, ast.Dict) and len(node.keys) == 1 and isinstance(node.keys[0], ast.Constant):
            same = node.keys[0].value == again
            return node.values[0] if same and isinstance(node.values[0], (ast.Name, ast.ListComp)) else None
        return None

    # --- one answer ---

    def write(self, node: ast.expr, statement: ast.stmt) -> None:
        """Note the edits of an expression that is an answer."""
        if self._made_by_a_call(node) or (isinstance(node, ast.Constant) and node.value is None):
            self.at.expression(node)
        elif isinstance(node, ast.IfExp):
            self._either(node, statement)
        elif isinstance(node, ast.BoolOp) and isinstance(node.op, ast.Or) and self._asked_first(node.values[:-1]):
            for part in node.values[:-1]:
                self.at.expression(part)
            self.write(node.values[-1], statement)
        else:
            self._one(node, statement)

    def _either(self, node: ast.IfExp, statement: ast.stmt) -> None:
        self.at.expression(node.test)
        for part in (node.body, node.orelse):
            if isinstance(part, ast.Constant) and part.value is None and not (self.at.facts and self.at.facts.asked):
                self._none(part)
            else:
                self.write(part, statement)

    def _one(self, node: ast.expr, statement: ast.stmt) -> None:
        """Note the edits of an answer that stands there, or that a name holds."""
        if isinstance(node, ast.Name) and self.at.reply_names(node.id) == "answers":
            return  # its assignments are written as answers
        if self._apart:
            self._shim(node)
            return
        if told_by_shape(self.job.source.kinds[REQUEST].answered):
            self._by_shape(node)
            return
        take_back = self.at.noted()
        made = self._literally(node)
        if made is not None and self._same():
            # It stays as it stands: what was noted while its parts were read would change them alone.
            take_back()
            self.at.parts(node)
            return
        if made is not None:
            self.at.swap(node, self._construct(made, node), "reply")
            return
        if isinstance(node, ast.Name) and self._name(node, statement):
            return
        kind = self._type(node)
        if kind == "str" and (text := self._form("text")) is not None:
            self._plain(node, text, "str")
            return
        if kind == "bytes" and (binary := self._form("bytes")) is not None:
            self._plain(node, binary, "bytes")
            return
        self._shim(node)

    def _by_shape(self, node: ast.expr) -> None:
        """Write an answer that is told by what it holds; the emitted function looks where that is not known here."""
        # What a part binds, others may read: the parts are worked out in another order at the target.
        binds = any(isinstance(one, ast.NamedExpr) for one in walk(node))
        made = None if binds else ByShape(self.at).made(node)
        if made is None:
            self._through(self.job.answer_view(REQUEST), node, node)
        else:
            self.at.swap(node, self._construct(made, node), "reply")

    def _raised(self, node: ast.Raise) -> bool:
        """Write an answer that is raised as one that is returned, and tell whether a statement raises one."""
        shape = ByShape(self.at)
        if shape.raised_form(node) is None:
            return False
        function, facts = self.at.function, self.at.facts
        if function is None or facts is None or not facts.answers or not leaves(function, node):
            raise Stop("answer-raised", node)
        if not is_request(self.at.kind):
            if not self._settles() or node.exc is None:
                raise Stop("answer-raised", node)
            self.at.swap(node, f"return {self._settled(node.exc)}", "reply")
            return True
        made = shape.raised(node)
        if made is not None and not self._apart:
            text = self._construct(made, node)
        else:
            assert node.exc is not None
            text = self._answer_of(self.at.code(node.exc), node)
        self.at.swap(node, f"return {self._sent(text, function)}", "reply")
        return True

    def _asked_first(self, nodes: list[ast.expr]) -> bool:
        """Tell whether expressions give an answer or None, as they are."""
        return all(
            self._made_by_a_call(node) or (isinstance(node, ast.Name) and self.at.reply_names(node.id) == "answers")
            for node in nodes
        )

    def _none(self, node: ast.Constant) -> None:
        self._note_no_answer(node)
        made = self._made_of_nothing()
        if made is not None:
            self.at.swap(node, self._answer_of("None", node) if self._apart else self._construct(made, node), "reply")

    def _same(self) -> bool:
        return self.job.source.kinds[REQUEST].answered == self.job.answered(REQUEST)

    def _plain(self, node: ast.expr, form: ReplyForm, kind: str) -> None:
        """Write a text or bytes that are the whole answer."""
        shape = self.job.answered(REQUEST)
        same = next((one for one in shape.forms if one.when == form.when), None)
        if same is not None and shape.by_hand is None and dict(same.fixed) and _types(same, kind) == _types(form):
            self.at.expression(node)
            return
        default = self._target.default_types
        typed = _types(form)
        made = Made(body=self.at.code(node), body_type=kind, usual=(typed, typed) if typed else None)
        if typed and not (default and typed == default[0 if kind == "str" else 1]):
            made.pairs.append(('"content-type"', quoted(typed), "content-type"))
        self.at.swap(node, self._construct(made, node), "reply")

    def _shim(self, node: ast.expr) -> None:
        """Let the emitted translation answer with what can't be followed."""
        self._through(self.job.answer_view(REQUEST), node, node)

    def _bare(self, value: ast.expr) -> bool:
        """Tell whether a value is a tuple without parentheses, which would be several arguments."""
        return (
            isinstance(value, ast.Tuple)
            and bool(value.elts)
            and self.at.text.start(value) == self.at.text.start(value.elts[0])
        )

    def _through(self, name: str, value: ast.expr, node: ast.AST) -> None:
        """Hand an answer to an emitted function, once it is there."""
        self.at.imports.add(Import(self.job.module_name, name))
        self.at.shims.append(("reply", node))
        start, end = self.at.text.start(value), self.at.text.end(value)
        before, self.at.edits = self.at.edits, []
        self.at.expression(value)
        inner, self.at.edits = self.at.edits, before
        more = self._of_event(node) if is_request(self.at.kind) else ""
        opens, closes = (f"{name}((", f"){more})") if self._bare(value) else (f"{name}(", f"{more})")
        if any(edit.start in (start, end) for edit in inner):  # what is awaited is so before it is handed over
            self.at.swap(value, f"{opens}{self.at.applied(value, inner)}{closes}", "reply")
            return
        self.at.edits += [Edit(start, start, opens, "reply"), *inner, Edit(end, end, closes, "reply")]

    def _name(self, node: ast.Name, statement: ast.stmt) -> bool:
        """Write an answer that was put together in a name: at its assignments, or at its end."""
        mapping = self._form("mapping")
        if self.at.function is None or mapping is None or self.at.reply_names(node.id) != "mapping":
            return False
        made = self._from_name(node.id, mapping)
        if made is not None:
            self.at.swap(node, self._construct(made, node), "reply")
        return made is not None


def _said(fixed: Mapping[str, Any]) -> tuple[str, list[tuple[str, str]]]:
    """Return status and header fields of a form that says the same each time."""
    return str(fixed.get("status", 200)), list(fixed.get("headers", fixed.get("headers.plain", ())))


def _types(form: ReplyForm, given: str = "") -> str:
    """Return the type that a form names, or gives to what is `given`."""
    for name, value in form.fixed.items():
        if name.startswith("headers"):
            named = next((content for key, content in value if key.lower() == "content-type"), "")
            if named:
                return named
    return form.types.get({"str": "text"}.get(given, given), "")
