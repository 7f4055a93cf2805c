"""One function written anew for the target: edits of its text, node by node, and what they take for granted."""

from __future__ import annotations

import ast
import builtins
from dataclasses import replace
from functools import partial

from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.outcomes import NOT_DONE
from vast_ferry.mapping.inline import at_text
from vast_ferry.mapping.places import Attr, Call, Item, Step
from vast_ferry.translate.operations import (
    ContextCall,
    Decode,
    LookUp,
    Moment,
    OfPrincipal,
    Operation,
    Pairs,
    ReadByStatement,
    ServiceCall,
    Word,
)
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.batches import Unrolled, own_statements
from vast_ferry.translate.python.context_calls import ContextCalls
from vast_ferry.translate.python.ends import falls_off
from vast_ferry.translate.python.environment import is_environment, read_of
from vast_ferry.translate.python.formatted import CannotQuote, fitting
from vast_ferry.translate.python.functions import DEFINITION, Function, Module
from vast_ferry.translate.python.generators import Asked
from vast_ferry.translate.python.job import Job
from vast_ferry.translate.python.nodes import nodes_in, walk
from vast_ferry.translate.python.ops import Ops
from vast_ferry.translate.python.own_calls import OwnCalls
from vast_ferry.translate.python.read_once import second_of
from vast_ferry.translate.python.replies import Replies
from vast_ferry.translate.python.service_calls import ServiceCalls
from vast_ferry.translate.python.signatures import Signatures
from vast_ferry.translate.python.writing import Writing
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Batch, Foreign, Of, Parsed, Stop


class Rendering(Writing):
    """Writes one function (or, without one, the statements of a module)."""

    def __init__(self, job: Job, module: Module, function: Function | None) -> None:
        super().__init__(job, module, function)
        self.replies, self.signatures, self.calls = Replies(self), Signatures(self), OwnCalls(self)
        self.context = ContextCalls(self)
        self.ops = Ops(self, self.context, ServiceCalls(self))

    @classmethod
    def of(cls, job: Job, function: Function) -> Rendering:
        """Return what writes a function; its names are kept for the functions inside it."""
        made = cls(job, function.module, function)
        job.keep_names(function, made.names, made.handed)
        return made

    def made(self, value: Foreign, node: ast.expr) -> str:
        return self.ops.made(value, node)

    def shim(self, spot: Spot, node: ast.AST) -> str:
        return self.ops.shim(spot, node)

    def value_of(self, op: Operation, node: ast.expr) -> str:
        return self.ops.value_of(op, node)

    # --- the function as a whole ---

    def write(self) -> list[Edit]:
        """Return the edits of the function."""
        function = self.function
        assert function is not None
        node = function.node
        self._prepare(node)
        if function.whatever:
            self.signatures.of_whatever(function, node)
        elif function.sets_up:
            self.signatures.of_set_up(function, node)
        elif function.entry:
            self.signatures.of_entry(function, node)
            if function.key in self.job.again:
                self._keep_content(node)
        else:
            self.signatures.of_helper(function, node)
        if function.made_up:
            return []
        self.signatures.asynchronous(node)
        self.block(node.body)
        kept = self.content or function.key in self.job.kept
        content = bool(self.once) and not kept and (len(self.once) > 1 or self._in_loop(self.once[0]))
        often = self._objects_often
        if content or often or self._made_often:
            self._read_first(node, content=content, often=often)
            return self.edits
        self._note_what_is_made(function, node)
        self._end(function, node)
        for edit in self.replaced:
            self.edits = [e for e in self.edits if not (edit.start <= e.start and e.end <= edit.end)]
            self.edits.append(edit)
        return self.edits

    def _note_what_is_made(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Note where the function reads, or makes, what must not be read or made twice in a call."""
        if self.once or self.content:
            self.job.reads_once[function.key] = [node] if self.content else list(self.once)
        if self.afresh:
            self.job.makes_afresh[function.key] = [node] if self.made_first else [one for _, one in self.afresh]
        if self.objects:
            self.job.makes_objects[function.key] = [node] if self.event_made else [one for _, one in self.objects]

    def write_module(self) -> list[Edit]:
        """Return the edits of what a module does when it is imported."""
        self._prepare(self.module.tree)
        for node in self.module.tree.body:
            if isinstance(node, ast.ClassDef):
                for inner in node.body:
                    if not isinstance(inner, DEFINITION):
                        self.parts(inner)
            elif not isinstance(node, (*DEFINITION, ast.Import, ast.ImportFrom)):
                self.parts(node)
        return self.edits

    @property
    def _made_often(self) -> set[str]:
        """Return the fields that the target never gives, and that would be made here more than once."""
        fields = [field for field, _ in self.afresh]
        if "" in fields or self.made_first:  # an emitted function makes one of its own
            return set()
        return {field for field, node in self.afresh if fields.count(field) > 1 or self._in_loop(node)}

    @property
    def _objects_often(self) -> bool:
        """Tell whether things that are equal to themselves alone would be made here more than once, and need not be."""
        if self.event_made or any(spot.role != "event" for spot, _ in self.objects):
            return False
        if self.job.source.kinds[self.kind].event.each is not None or self.function is None:
            return False
        return second_of(self.function, [node for _, node in self.objects]) is not None

    def _event_first(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Have the event, or a part, made before all else: objects that are equal to themselves alone are had of it."""
        name, self.event_made, known = self.event_made, "", len(self.once)
        made = self.shim(replace(self.objects[0][0], steps=self.part_made), node)
        self.event_made = name
        self.shims.pop()  # it is told where it is used
        if known and len(self.once) > known:
            raise Stop("content-read-twice", node)
        self.before_all(node, f"{name} = {made[1:-1] if made.startswith('(await ') else made}", "event")
        self._note_what_is_made(function, node)

    def _of_which_all_are_had(self) -> tuple[str, tuple[Step, ...]]:
        """Return a name for the event, or for the part that all such objects are in, that means nothing else here."""
        steps = [spot.steps for spot, _ in self.objects]
        part = next(steps[0][:n] for n in range(len(steps[0]), -1, -1) if all(one[:n] == steps[0][:n] for one in steps))
        last = part[-1] if part else None
        word = str(last.key) if isinstance(last, Item) else last.name if isinstance(last, Attr) else "event"
        handed = {*self.shape.parameters, *self.handed.values(), *self.names.values()}
        words = (word if word.isidentifier() else "event", "whole_event", "event_as_it_was")
        return next(name for name in map(self.fresh, words) if name not in handed and name not in dir(builtins)), part

    def _read_first(self, node: ast.FunctionDef | ast.AsyncFunctionDef, *, content: bool, often: bool) -> None:
        """Write the function again with what is read more than once read before all else: content, what is made."""
        again = Rendering(self.job, self.module, self.function)
        again.content = self.fresh("content") if content else self.content
        again.made_first = {field: self.fresh(field) for field in sorted(self._made_often)}
        again.event_made, again.part_made = self.event_made, self.part_made
        if often:
            again.event_made, again.part_made = self._of_which_all_are_had()
        again.write()
        if often and self.function is not None:
            again._event_first(self.function, node)
        for field, name in again.made_first.items():
            made = self.job.fresh(field)
            assert made is not None
            again.before_all(node, f"{name} = {again.place(made, node)}", "once")
        if content:
            code = self.reads().hub("body")
            assert code is not None
            again.before_all(node, f"{again.content} = {again.place(code, node, once=False)}", "content")
        for name in ("edits", "imports", "notes", "shims", "through", "awaiting"):
            setattr(self, name, getattr(again, name))

    def _keep_content(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Read the content before all else, and put in its place what gives it as often as it is read."""
        row = next(row for row in self.shape.rows if row.field == "body" and row.lens.again)
        code = self.reads().hub("body")
        assert code is not None
        read = self.place(code, node, once=False, bare=True)
        there = at_text(row.at, {row.at.root: self.root(row.at.root, node)})
        self.before_all(node, f"{there} = {self.job.beside(self.module, row.lens.again)}({read})", "content")

    def _end(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Write what a handler answers where it ends at its end."""
        if self.facts is None or not self.facts.answers or self.facts.asked:
            return
        if function.generates and is_request(self.kind):
            self.replies.in_pieces(function, node)
            return
        if not falls_off(node.body, partial(self.flow.lets_through, self.module)):
            return
        nothing = self.replies.nothing(function)
        if nothing:
            at = self.text.end(node)
            indent = self.text.indent_of(self.text.start(node.body[-1]))
            self.edit(at, at, f"\n{indent}{nothing}", "reply")

    # --- edits ---

    # --- roots: what holds the target's event here ---

    # --- statements ---

    def block(self, body: list[ast.stmt]) -> None:
        """Write the statements of a block; one that would be left without any gets `pass`."""
        gone = [statement for statement in body if not self.statement(statement)]
        if len(gone) == len(body) and body:
            self.edits = [e for e in self.edits if not self._within(e, body[0])]
            self.swap(body[0], "pass", "dead")

    def _within(self, edit: Edit, node: ast.AST) -> bool:
        return edit.start >= self.text.line_start(self.text.start(node)) and edit.end <= self.text.next_line(
            self.text.end(node) - 1
        )

    def statement(self, node: ast.stmt) -> bool:
        """Write one statement; tell whether anything of it is left."""
        left = self.replies.told_at_once(node, self.function) if self.runs and self.function is not None else None
        return self._one_statement(node) if left is None else left

    def _one_statement(self, node: ast.stmt) -> bool:
        told = self.flow.statements.get(id(node))
        if told is not None and id(node) in self._mine():
            return self._read_by_statement(node, told)
        if self.plan is not None and self._batch_statement(node):
            return not any(node is dropped for dropped in self.plan.drops)
        if isinstance(node, (ast.Assign, ast.AnnAssign)):
            if self._taken_out(node) or self._keeps_what_was_told(node):
                return False
            target = node.targets[0] if isinstance(node, ast.Assign) else node.target
            held = target.id if isinstance(target, ast.Name) and self.facts is not None and self.facts.answers else ""
            if held and is_request(self.kind) and node.value is not None and self.reply_names(held) == "answers":
                self.replies.write(node.value, node)
                return True
        if isinstance(node, (ast.Return, ast.Raise)):
            self.replies.leave(node)
            return True
        if isinstance(node, DEFINITION):
            inner = self.flow.defined.get(id(node))
            if inner is not None and inner.key in self.job.facts:
                self._inner(inner)
                return True
        if isinstance(node, ast.ClassDef):
            return True
        self.parts(node)
        return True

    def _read_by_statement(self, node: ast.stmt, told: ReadByStatement) -> bool:
        """Write what stands in place of a statement, if anything does."""
        if told.read is None:
            self.drop(node)
            return False
        if not told.name and self.facts is not None and self.facts.answers:
            raise Stop("reply-unknown", node)
        gives = f"{told.name} =" if told.name else "return"
        self.swap(node, f"{gives} {self.ops.value_of(told.read, node)}", "content")
        return True

    def _keeps_what_was_told(self, node: ast.Assign | ast.AnnAssign) -> bool:
        """Take out what keeps in an object what it was told when it was set up: each call tells its own."""
        value = self.flow.values.get(id(node.value)) if node.value is not None else None
        told = isinstance(value, Spot) and not value.of_event and id(node.value) in self.flow.consumed
        kept = self.function is not None and self.function.sets_up and isinstance(node, ast.Assign)
        if not (told and kept) or not isinstance(node.targets[0], ast.Attribute) or len(node.targets) != 1:  # type: ignore[union-attr]
            return False
        self.drop(node)
        return True

    def _mine(self) -> set[int]:
        return self.function.ops if self.function is not None else set()

    def _inner(self, inner: Function) -> None:
        made = Rendering.of(self.job, inner)
        self.edits += made.write()
        self.imports |= made.imports
        self.notes += made.notes
        self.shims += made.shims

    def parts(self, node: ast.AST) -> None:
        """Write the expressions and blocks of a statement."""
        for value in nodes_in(node):
            if isinstance(value, ast.expr):
                self.expression(value)
            elif value.__class__ is list:
                self._listed(value)
            else:
                self.parts(value)

    def _listed(self, values: list[ast.AST]) -> None:
        """Write a block, or what else stands in a list."""
        if values and isinstance(values[0], ast.stmt):
            self.block(values)  # type: ignore[arg-type]
            return
        for item in values:
            if isinstance(item, ast.expr):
                self.expression(item)
            elif isinstance(item, ast.AST):
                self.parts(item)

    def _taken_out(self, node: ast.Assign | ast.AnnAssign) -> bool:
        """Take out an assignment of a place whose uses all have forms of their own."""
        uses = self.function.uses if self.function is not None else {}
        keep = self.function.keep if self.function is not None else set()
        target = node.targets[0] if isinstance(node, ast.Assign) else node.target
        if isinstance(node, ast.Assign) and len(node.targets) != 1:
            return False
        if isinstance(target, ast.Name):
            if id(target) in uses and id(target) not in keep:
                self.drop(node)
                return True
            return False
        if isinstance(target, (ast.Tuple, ast.List)) and isinstance(node.value, (ast.Tuple, ast.List)):
            gone = [i for i, one in enumerate(target.elts) if id(one) in uses and id(one) not in keep]
            if not gone:
                return False
            if len(gone) == len(target.elts):
                self.drop(node)
                return True
            left = [i for i in range(len(target.elts)) if i not in gone]
            names = ", ".join(self.text.of(target.elts[i]) for i in left)
            values = ", ".join(self.code(node.value.elts[i]) for i in left)
            self.swap(node, f"{names} = {values}", "dead")
            return False
        return False

    # --- batches taken apart ---

    def _batch_statement(self, node: ast.stmt) -> bool:
        plan = self.plan
        assert plan is not None
        if any(node is dropped for dropped in plan.drops):
            self.drop(node, "batch")
            return True
        if id(node) in plan.appends:
            raised = "raise" if plan.appends[id(node)] else f'raise RuntimeError("{NOT_DONE}")'
            self.swap(node, raised, "batch")
            return True
        if node is plan.loop and plan.flat:
            self._flatten(node, plan)
            return True
        if isinstance(node, ast.Continue) and plan.flat and any(node is one for one in own_statements(plan.loop.body)):
            if self._follows_append(node, plan):
                self.drop(node, "batch")
            else:
                self.swap(node, "return", "batch")
            return True
        return False

    def _follows_append(self, node: ast.stmt, plan: Unrolled) -> bool:
        parent = self.parents.get(id(node))
        for name in ("body", "orelse", "finalbody"):
            block = getattr(parent, name, None)
            if isinstance(block, list) and node in block:
                at = block.index(node)
                return at > 0 and id(block[at - 1]) in plan.appends
        return False

    def _flatten(self, loop: ast.For, plan: Unrolled) -> None:
        """Put a loop's body in its place, one step to the left."""
        start = self.text.line_start(self.text.start(loop))
        first = self.text.line_start(self.text.start(loop.body[0]))
        if first == start:  # all on one line
            plan.flat = False
            raise Stop("signature", loop)
        self.edit(start, first, "", "batch")
        width = len(self.text.indent_of(self.text.start(loop.body[0]))) - len(self.text.indent_of(start))
        inside = _lines_in_texts(loop)
        for number in range(self.text.line_of(first), loop.end_lineno or 0):
            self._dedent(number, width, inside)
        self._dedent(loop.end_lineno or 0, width, inside)
        # A comment in front of the first statement moves with it.
        for statement in loop.body:
            self.statement(statement)

    def _dedent(self, number: int, width: int, inside: set[int]) -> None:
        at = self.text.starts[number - 1]
        if number in inside or self.text.data[at : at + width].strip():
            return
        if self.text.data[at : at + width] in (b"", b"\n", b"\r\n") or b"\n" in self.text.data[at : at + width]:
            return
        self.edit(at, at + width, "", "batch")

    # --- expressions ---

    def code(self, node: ast.expr) -> str:
        """Return the source of an expression as it is written at the target."""
        before = self.edits
        self.edits = []
        self.expression(node)
        inner, self.edits = self.edits, before
        return self.applied(node, inner)

    def expression(self, node: ast.expr) -> None:
        """Note the edits of an expression."""
        if self._of_the_event(node) or node.__class__ is ast.Constant or self._of_the_environment(node):
            return
        if isinstance(node, ast.Await):
            self.calls.awaited(node)
        elif isinstance(node, ast.Call):
            if self._counts_one(node):
                self.swap(node, "1", "batch")
            else:
                self.calls.project(node)
        elif isinstance(node, ast.ListComp) and (batch := self._only_one(node.generators[0].iter)) is not None:
            self._of_one(node, batch)
        elif isinstance(node, ast.JoinedStr):
            self._formatted(node)
        elif isinstance(node, ast.Lambda):
            self.expression(node.body)
            for default in (*node.args.defaults, *(d for d in node.args.kw_defaults if d)):
                self.expression(default)
        else:
            self._any_other(node)

    def _any_other(self, node: ast.expr) -> None:
        """Note the edits of an expression of which only the parts are written otherwise."""
        if isinstance(node, (ast.Name, ast.Attribute)) and isinstance(node.ctx, ast.Load):
            self._no_client(node)
        for one in getattr(node, "generators", ()):
            if one.is_async and self.function is not None:
                self.signatures.goes_through(one, wanted=self.is_async(self.function))
        self.parts(node)
        how = self.asked.get(id(node))
        if how is Asked.THROUGH:
            self.calls.around_waits(node)
        if how is Asked.WHOLE:  # it stands in parentheses, of its own or of a call
            start, end = self.text.start(node), self.text.end(node)
            self.edit(start, start + 1, "([", "asynchronous")
            self.edit(end - 1, end, "])", "asynchronous")

    def _of_the_environment(self, node: ast.expr) -> bool:
        """Write what an expression reads from the environment, where the target has it elsewhere."""
        if not self.job.asks_elsewhere:
            return False
        read, parent = read_of(self.flow, self.module, node), self.parents.get(id(node))
        if read is not None:
            text = self.context.of_environment(read, node)
            if text:
                self.swap(node, text, "setting")
            return bool(text)
        read_above = parent is not None and read_of(self.flow, self.module, parent) is not None
        of_it = isinstance(parent, ast.Attribute) and is_environment(self.flow, self.module, parent)
        if is_environment(self.flow, self.module, node) and not (read_above or of_it):
            raise Stop("setting-elsewhere", node)
        return False

    def _only_one(self, node: ast.expr) -> Batch | None:
        """Return a batch where the target hands over a single event in its place."""
        value = self.flow.values.get(id(node))
        alone = self.shape.each is None and id(node) not in self.flow.consumed
        return value if isinstance(value, Batch) and not value.handed and alone else None

    def _counts_one(self, node: ast.Call) -> bool:
        plain = isinstance(node.func, ast.Name) and node.func.id == "len" and "len" not in self.module.names
        return plain and len(node.args) == 1 and self._only_one(node.args[0]) is not None

    def _of_one(self, node: ast.ListComp, batch: Batch) -> None:
        """Write what goes through a batch of one as a list of one."""
        loop, *more = node.generators
        if more or loop.ifs or loop.is_async or not isinstance(loop.target, ast.Name):
            self.parts(node)
            return
        name, before = loop.target.id, dict(self.names)
        self.names[name] = self.holder(Spot(batch.kind, "entry", (), batch.holder), node)
        made = self.code(node.elt)
        self.names.clear()
        self.names.update(before)
        self.swap(node, f"[{made}]", "batch")

    def _formatted(self, node: ast.JoinedStr) -> None:
        before = self.edits
        self.edits = []
        self.parts(node)
        inner, self.edits = self.edits, before
        if not inner:
            return
        try:
            made = fitting(self.text, node, inner)
            if any(isinstance(one, ast.JoinedStr) for one in walk(node)[1:]):  # one in another has fewer quotes left
                ast.parse(f"({self.applied(node, made)})", mode="eval")
        except (CannotQuote, SyntaxError):
            raise Stop("quotes", node) from None
        self.edits += made

    def _of_the_event(self, node: ast.expr) -> bool:
        """Write what an expression takes of the event, and tell whether it takes anything of it."""
        op, value = self.flow.ops.get(id(node)), self.flow.values.get(id(node))
        if op is None and (value is None or value.__class__ is Of):  # as nearly all are
            return False
        self._check_awaited(node, op, value)
        consumed = id(node) in self.flow.consumed
        if op is not None and not consumed:
            if not self._as_it_is(op, node):
                self.swap(node, self.ops.value_of(op, node), _reason(op))
            return True
        if isinstance(value, Parsed) and not consumed:
            if isinstance(node, ast.Name) and self.function is not None and node.id in self.function.places:
                raise Stop("too-entangled", node)  # it holds the event, of which only names were to be asked
            self.parts(node)
            return True
        if isinstance(value, Foreign) and not consumed:
            self.swap(node, self.ops.made(value, node), "field")
            return True
        spot = value.spot if isinstance(value, Parsed) else value
        if isinstance(spot, Spot) and consumed and (self.flow.spot_is_inner(spot) or id(node) in self.flow.handed_on):
            # Handed on: the target's event goes instead.
            text = self.holder(spot, node)
            if text != self.text.of(node):
                self.swap(node, text or "None", "handed-on")
            return True
        return False

    def _check_awaited(self, node: ast.expr, op: Operation | None, value: object) -> None:
        """Refuse to write what the original awaits only later, or lets others await: here it would be done at once."""
        spot = value if isinstance(value, Spot) else getattr(op, "spot", None)
        if not isinstance(node, ast.Call):
            return
        row = self.flow.shape(spot).row(spot.role, spot.steps) if isinstance(spot, Spot) else None
        last = row.at.steps[-1] if row is not None and row.at.steps else None
        if not (isinstance(last, Call) and last.awaited) and not (isinstance(op, ServiceCall) and op.client.awaited):
            return
        # What is decoded may have been awaited where it was read: `json.loads(await request.text())`.
        read = [one for one in ast.walk(node) if isinstance(one, ast.Call) and self.flow.values.get(id(one)) == spot]
        if not all(map(self._is_awaited, read or [node])):
            raise Stop("awaits-others", node)

    def _is_awaited(self, node: ast.Call) -> bool:
        """Tell whether what a call gives is awaited at once, or by what awaits several."""
        parent = self.parents.get(id(node))
        if isinstance(parent, (ast.GeneratorExp, ast.ListComp)) and parent.elt is node:  # gather(*(… for …))
            above = self.parents.get(id(parent))
            parent = self.parents.get(id(above)) if isinstance(above, ast.Starred) else None
        return isinstance(parent, ast.Await) or (isinstance(parent, ast.Call) and self.calls.becomes_a_list(parent))

    def _no_client(self, node: ast.Name | ast.Attribute) -> None:
        """Refuse a client, or the provider's module, that is handed on as a value."""
        root: ast.expr = node
        while isinstance(root, ast.Attribute):
            root = root.value
        if not isinstance(root, ast.Name) or root.id in self.bound_names():
            return
        name = self.flow.standard_name(self.module, node)
        whole = name in self.flow.roots and not isinstance(self.parents.get(id(node)), ast.Attribute)
        if not (name in self.flow.groups or whole):
            return
        if not self.flow.keeps_client(name):
            raise Stop("client-passed", node, name)
        self.notes.append(("client-as-it-was", node))

    def _as_it_is(self, op: Operation, node: ast.expr) -> bool:
        """Tell whether what an op does is written just so at the target: the same rows, and no name that goes."""
        if not isinstance(op, (LookUp, Decode, Word, OfPrincipal, Pairs, Moment)):
            return False
        spot = op.spot
        row = self.flow.shape(spot).row(spot.role, spot.steps)
        mine = next((r for r in self.shape.rows if row is not None and r.at == row.at), None)
        if row is None or mine is None or (mine.lens, mine.field, mine.flag) != (row.lens, row.field, row.flag):
            return False
        function = self.function
        gone = (
            {id(r) for o, u in function.uses.items() if o not in function.keep for r in u.reads} if function else set()
        )
        holder = self.names.get(spot.holder, spot.holder)
        inner = walk(node)
        return holder == spot.holder and not any(
            id(n) in gone or (isinstance(n, ast.Call) and id(n) in self.job.called) for n in inner
        )


def _reason(op: Operation) -> str:
    return {ServiceCall: "service", ContextCall: "context", Decode: "content"}.get(type(op), "field")


def _lines_in_texts(node: ast.AST) -> set[int]:
    """Return the numbers of lines that begin inside a text."""
    found: set[int] = set()
    for inner in walk(node):
        if isinstance(inner, (ast.Constant, ast.JoinedStr)) and inner.end_lineno and inner.end_lineno > inner.lineno:
            lines = range(inner.lineno + 1, inner.end_lineno + 1)
            found.update(lines if isinstance(inner, ast.JoinedStr) or isinstance(inner.value, (str, bytes)) else ())
    return found
