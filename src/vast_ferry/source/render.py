"""One function written anew for the target: edits of its text, node by node, and what they take for granted."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from vast_ferry.mapping.inline import Code, Inline, at_text
from vast_ferry.mapping.tables import EventShape
from vast_ferry.source.batches import Unrolled, own_statements
from vast_ferry.source.calls import Calls
from vast_ferry.source.flow import DEFINITION, Function, Module
from vast_ferry.source.imports import Import, parse_import, qualified
from vast_ferry.source.nodes import walk
from vast_ferry.source.ops import Ops
from vast_ferry.source.replies import Replies
from vast_ferry.source.signatures import Signatures
from vast_ferry.source.text import Edit, order
from vast_ferry.source.values import Foreign, Op, Parsed, Spot, Std, Stop

if TYPE_CHECKING:
    from vast_ferry.source.job import Job

#: A literal of text on one line.
_LITERAL = re.compile(r"""'[^']*'|"[^"]*\"""")
#: Where an expression stands that needs no parentheses whatever it is.
_FREE: tuple[type[ast.AST], ...] = (
    ast.Expr,
    ast.Assign,
    ast.AnnAssign,
    ast.AugAssign,
    ast.Return,
    ast.keyword,
    ast.Dict,
    ast.List,
    ast.Tuple,
)
_FREE += (ast.Set, ast.NamedExpr, ast.Raise, ast.Assert, ast.If, ast.While, ast.withitem)


@dataclass(slots=True)
class Facts:
    """What is known of a function at the target: its parameters there, whether it awaits, whether it makes answers."""

    kind: str
    needs: dict[str, None] = field(default_factory=dict)
    awaits: bool = False
    answers: bool = False


class Rendering:
    """Writes one function (or, without one, the statements of a module)."""

    def __init__(self, job: Job, module: Module, function: Function | None) -> None:
        self.job, self.flow, self.module, self.function = job, job.flow, module, function
        self.text = module.text
        self.edits: list[Edit] = []
        self.imports: set[Import] = set()
        self.notes: list[tuple[str, ast.AST]] = []
        self.shims: list[tuple[str, ast.AST]] = []
        self.once: list[ast.AST] = []
        self.content = ""  # name of the variable that holds the content, where it is read more than once
        self.parents: Mapping[int, ast.AST] = {}
        self.own_names: frozenset[str] = frozenset()
        self.names: dict[str, str] = {}
        self.awaiting: list[ast.AST] = []
        self.plan: Unrolled | None = None
        self.facts = job.facts.get(function.key) if function is not None else None
        self.calls, self.replies = Calls(self), Replies(self)
        self.signatures, self.ops = Signatures(self), Ops(self)
        self.replaced: list[Edit] = []  # what was found only later to be written otherwise

    # --- the function as a whole ---

    @property
    def kind(self) -> str:
        """Return the kind of event that the function is for, or any where it is for none."""
        return (self.facts.kind if self.facts else "") or self.job.any_kind

    @property
    def shape(self) -> EventShape:
        """Return the target's shape of that kind."""
        return self.job.target.kinds[self.kind].event

    def write(self) -> list[Edit]:
        """Return the edits of the function."""
        function = self.function
        assert function is not None
        node = function.node
        self._prepare(node)
        if function.entry:
            self.signatures.of_entry(function, node)
        else:
            self.signatures.of_helper(function, node)
        self.signatures.asynchronous(node)
        self.block(node.body)
        if self.once and not self.content and (len(self.once) > 1 or self._in_loop(self.once[0])):
            self._read_first(node)
        self._end(function, node)
        for edit in self.replaced:
            self.edits = [e for e in self.edits if not (edit.start <= e.start and e.end <= edit.end)]
            self.edits.append(edit)
        return self.edits

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

    def _prepare(self, node: ast.AST) -> None:
        nodes = self.function.nodes if self.function is not None else self.module.nodes
        self.parents, self.own_names = nodes.parents, nodes.named

    def _bound_here(self) -> frozenset[str]:
        """Return the names that the function binds itself."""
        assert self.function is not None
        return self.function.nodes.bound

    def fresh(self, name: str, *free: str) -> str:
        """Return a name that means nothing else in the function; those in `free` don't count."""
        taken = (self.own_names | set(self.module.names)) - set(free)
        while name in taken:
            name += "_"
        return name

    def context_root(self, kind: str) -> str:
        """Return the target's parameter by which a handler is told of its call; empty where it has none."""
        shape = self.job.target.kinds[kind].event
        rows = [row for row in shape.rows if row.field in ("log", "secret", "time_left", "function")]
        best = next((row for row in rows if row.field == "log"), next(iter(rows), None))
        return best.at.root if best else ""

    @property
    def event_root(self) -> str:
        """Return the target's parameter that is the event, or one event of a batch."""
        return self.shape.event_parameters[0]

    def held_by_parameter(self, function: Function, name: str) -> bool:
        """Tell whether one of a function's own parameters holds what the target hands over as `name`."""
        for parameter, value in function.params.items():
            if isinstance(value, Spot) and self.names.get(parameter) != "":
                role = value.role
                if (role in ("event", "entry") and name == self.event_root) or (
                    role == "context" and name == self.context_root(self.kind)
                ):
                    return bool(parameter)
        return False

    def is_async(self, function: Function) -> bool:
        """Tell whether a function is a coroutine function at the target."""
        if function.entry:
            return self.job.asynchronous
        facts = self.job.facts.get(function.key)
        if facts is None:
            return isinstance(function.node, ast.AsyncFunctionDef)
        return facts.awaits if self.job.asynchronous or facts.awaits else False

    def _in_loop(self, node: ast.AST) -> bool:
        at: ast.AST | None = node
        while at is not None and not (self.function is not None and at is self.function.node):
            at = self.parents.get(id(at))
            if isinstance(at, ast.For | ast.While | ast.ListComp | ast.GeneratorExp | ast.DictComp | ast.SetComp):
                return True
        return False

    def _read_first(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Write the function again with its content read once, before all else."""
        again = Rendering(self.job, self.module, self.function)
        again.content = self.fresh("content")
        again.write()
        code = self.reads().hub("body")
        assert code is not None
        text = again.place(code, node, once=False)
        first = node.body[0]
        if isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant) and len(node.body) > 1:
            first = node.body[1]
        at = self.text.line_start(self.text.start(first))
        again.edit(at, at, f"{self.text.indent_of(at)}{again.content} = {text}\n", "content")
        for name in ("edits", "imports", "notes", "shims", "awaiting", "content"):
            setattr(self, name, getattr(again, name))

    def _end(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Write what a handler answers where it ends at its end."""
        if self.facts is None or not self.facts.answers:
            return
        if not _falls_off(node.body):
            return
        nothing = self.replies.nothing(function)
        if nothing:
            at = self.text.end(node)
            indent = self.text.indent_of(self.text.start(node.body[-1]))
            self.edit(at, at, f"\n{indent}{nothing}", "reply")

    # --- edits ---

    def edit(self, start: int, end: int, text: str, reason: str) -> None:
        """Note an edit."""
        self.edits.append(Edit(start, end, text, reason))

    def indent(self, at: int) -> str:
        """Return the white space before what stands at a place, as it will be."""
        indent = self.text.indent_of(at)
        loop = self.plan.loop if self.plan is not None and self.plan.flat else None
        if loop is not None and self.text.start(loop.body[0]) <= at < self.text.end(loop):
            first = self.text.indent_of(self.text.start(loop.body[0]))
            return indent[len(first) - len(self.text.indent_of(self.text.start(loop))) :]
        return indent

    def swap(self, node: ast.AST, text: str, reason: str) -> None:
        """Note that a node is written otherwise."""
        text = self._within_text(node, text)
        self.edit(self.text.start(node), self.text.end(node), text, reason)

    def _within_text(self, node: ast.AST, text: str) -> str:
        """Return source that may stand inside a formatted text, whose own quotes it must not have (before PEP 701)."""
        at = self.parents.get(id(node))
        while at is not None and not isinstance(at, ast.JoinedStr):
            at = self.parents.get(id(at))
        if at is None or ('"' not in text and "'" not in text):
            return text
        begin = self.text.of(at).lstrip("fFrRbBuU")
        quote = begin[:3] if begin[:3] in ('"""', "'''") else begin[:1]
        if quote not in text:
            return text
        other = "'" if quote == '"' else '"'
        if len(quote) != 1 or "\\" in text:
            raise Stop("quotes", node)

        def swapped(found: re.Match[str]) -> str:
            literal = found[0]
            return f"{other}{literal[1:-1]}{other}" if literal[0] == quote and other not in literal else literal

        text = _LITERAL.sub(swapped, text)
        if quote in text:
            raise Stop("quotes", node)
        return text

    def need(self, lines: Iterable[str], text: str) -> str:
        """Note the imports that code needs, and return the code, with names qualified that mean something else here."""
        wanted = {one for line in lines for one in parse_import(line)}
        if not wanted:
            return text
        taken = set(self._bound_here()) if self.function is not None else set()
        for one in wanted:
            full = f"{one.module}.{one.name}" if one.name else one.module.partition(".")[0]
            if self.module.means_otherwise(one.bound, full):
                taken.add(one.bound)
        made, needed = qualified(text, wanted, taken)
        for one in needed:
            whole = not one.name and one.bound in taken and one.module.partition(".")[0] == one.bound
            if whole and (self.module.means_otherwise(one.bound, one.bound) or one.bound not in self.module.names):
                raise Stop("name-taken", self.function.node if self.function else self.module.tree, one.bound)
        self.imports |= needed
        return made

    # --- roots: what holds the target's event here ---

    def root(self, name: str, node: ast.AST) -> str:
        """Return the source of what the target hands over as parameter `name`; it is passed on where it has to be."""
        function = self.function
        if function is None:
            raise Stop("at-import", node)
        if isinstance(function.node, ast.FunctionDef) and function.generates:
            raise Stop("awaits-inside", node)  # whoever goes through what it gives would have to wait
        if function.entry:
            return self.names.get(f"={name}", name)
        at: Function | None = function
        while at is not None:
            found = self._parameter_for(at, name)
            if found:
                return found
            if at.outer is None:
                break
            at = at.outer
        if at is not None and at.entry:
            return self.job.names_of(at).get(f"={name}", name)
        assert at is not None
        facts = self.job.facts[at.key]
        if name not in facts.needs:
            facts.needs[name] = None
            self.job.changed = True
        return self.names.setdefault(f"={name}", self.fresh(name)) if at is function else name

    def _parameter_for(self, function: Function, name: str) -> str:
        for parameter, value in function.params.items():
            if not isinstance(value, Spot):
                continue
            same = (value.role in ("event", "entry") and name == self.event_root) or (
                value.role == "context" and name == self.context_root(self.kind)
            )
            if same and not (function.entry):
                return parameter
        return ""

    def holder(self, spot: Spot, node: ast.AST) -> str:
        """Return the source of what holds the event, the entry or the context that a place is in."""
        text = spot.holder
        first = text.startswith("[0]")
        text = text.removeprefix("[0]")
        if text in self.names:
            made = self.names[text]
        elif self.function is not None and self.function.outer is not None and text.isidentifier():
            made = self._outer_name(text)
        else:
            made = text
        if first and self.shape.each is not None:
            return at_text(self.shape.each, {self.shape.each.root: made}) + "[0]"
        if not made and spot.role == "context":
            return ""
        return made or self.root(self.event_root, node)

    def _outer_name(self, name: str) -> str:
        outer = self.function.outer if self.function else None
        while outer is not None:
            names = self.job.names_of(outer)
            if name in names:
                return names[name]
            outer = outer.outer
        return name

    def reads(self) -> Inline:
        """Return what reads the target's shape; each parameter stands as a mark that `place` fills in."""
        return self.job.inline(self.kind)

    def place(self, code: Code, node: ast.AST, spot: Spot | None = None, *, once: bool = True) -> str:
        """Return the source of an expression over the target's parameters, as they are called here."""
        text = self.need(code.imports, code.text)
        for name in sorted(code.beside):
            called = self.job.beside(self.module, name)
            text = text.replace(f"{name}(", f"{called}(")
        for name in self.shape.parameters:
            mark = f"\0{name}\0"
            if mark in text:
                event = name == self.event_root and spot is not None and spot.role != "context"
                context = spot is not None and spot.role == "context" and name == self.context_root(self.kind)
                text = text.replace(
                    mark, self.holder(spot, node) if (event or context) and spot else self.root(name, node)
                )
        if code.once and once:
            self.once.append(node)
            if self.content:
                inner = self.reads().hub("body")
                assert inner is not None
                whole = self.place(inner, node, spot, once=False)
                text = text.replace(whole, self.content)
                text = re.sub(rf"(?<![\w\])])\({self.content}\)", self.content, text)
        if "await " in text:
            self.awaits(node)
        if code.note:
            self.notes.append((code.note, node))
        return f"({text})" if self.needs_parentheses(node, code, text) else text

    def awaits(self, node: ast.AST) -> None:
        """Note that a function awaits at a node; refuse where it can't."""
        self.awaiting.append(node)
        at: ast.AST | None = node
        while at is not None and not (self.function is not None and at is self.function.node):
            if isinstance(at, ast.Lambda | ast.GeneratorExp):
                raise Stop("awaits-inside", node)
            at = self.parents.get(id(at))
        function = self.function
        if function is None:
            raise Stop("at-import", node)
        if isinstance(function.node, ast.FunctionDef) and function.generates:
            raise Stop("awaits-inside", node)  # whoever goes through what it gives would have to wait
        if not function.entry:
            facts = self.job.facts[function.key]
            if not facts.awaits:
                facts.awaits = True
                self.job.changed = True

    def needs_parentheses(self, node: ast.AST, code: Code, text: str) -> bool:
        """Tell whether code needs parentheses where a node stands."""
        if not code.loose or not isinstance(node, ast.expr):
            return False
        parent = self.parents.get(id(node))
        if text.startswith("await ") and not isinstance(parent, ast.Attribute | ast.Subscript | ast.Call | ast.BinOp):
            return False
        if isinstance(parent, ast.Call):
            return parent.func is node
        if isinstance(parent, ast.Subscript):
            return parent.value is node
        if isinstance(parent, ast.Dict):
            return False
        return not isinstance(parent, _FREE)

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

    def drop(self, statement: ast.stmt, reason: str = "dead") -> None:
        """Take out a statement with its lines."""
        start, end = self.text.start(statement), self.text.end(statement)
        line, after = self.text.line_start(start), self.text.next_line(end - 1)
        alone = not self.text.data[line:start].strip() and not self.text.data[end:after].split(b"#")[0].strip()
        if alone:
            self.edit(line, after, "", reason)
            return
        rest = self.text.data[end:after].lstrip()
        if rest.startswith(b";"):
            end = after - len(rest) + 1
            while self.text.data[end : end + 1] == b" ":
                end += 1
            self.edit(start, end, "", reason)
        else:
            self.swap(statement, "pass", reason)

    def statement(self, node: ast.stmt) -> bool:
        """Write one statement; tell whether anything of it is left."""
        told = self.flow.statements.get(id(node))
        if told is not None and isinstance(node, ast.If) and id(node) in self._mine():
            name, op = told
            self.swap(node, f"{name} = {self.ops.value_of(op, node)}", "content")
            return True
        if self.plan is not None and self._batch_statement(node):
            return not any(node is dropped for dropped in self.plan.drops)
        if isinstance(node, ast.Assign | ast.AnnAssign):
            if self._taken_out(node):
                return False
            target = node.targets[0] if isinstance(node, ast.Assign) else node.target
            held = target.id if isinstance(target, ast.Name) and self.facts is not None and self.facts.answers else ""
            if (
                held
                and self.kind == "http"
                and node.value is not None
                and self.job.reply_names(self, held) == "answers"
            ):
                self.replies.write(node.value, node)
                return True
        if isinstance(node, ast.Return):
            self.replies.answer(node)
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

    def _mine(self) -> set[int]:
        return self.function.ops if self.function is not None else set()

    def _inner(self, inner: Function) -> None:
        made = self.job.rendering(inner)
        self.edits += made.write()
        self.imports |= made.imports
        self.notes += made.notes
        self.shims += made.shims

    def parts(self, node: ast.AST) -> None:
        """Write the expressions and blocks of a statement."""
        for name in node._fields:
            value = getattr(node, name, None)
            if value is None or value.__class__ is str:
                continue
            if isinstance(value, ast.expr):
                self.expression(value)
            elif isinstance(value, list):
                if value and isinstance(value[0], ast.stmt):
                    if name == "decorator_list":
                        continue
                    self.block(value)
                    continue
                for item in value:
                    if isinstance(item, ast.expr):
                        self.expression(item)
                    elif isinstance(item, ast.AST):
                        self.parts(item)
            elif isinstance(value, ast.AST):
                self.parts(value)

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
        if isinstance(target, ast.Tuple | ast.List) and isinstance(node.value, ast.Tuple | ast.List):
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
            raised = "raise" if plan.appends[id(node)] else 'raise RuntimeError("not done: it shall come again")'
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

    def applied(self, node: ast.AST, edits: list[Edit]) -> str:
        """Return a node's text with edits inside it made."""
        start, end = self.text.start(node), self.text.end(node)
        data, at, parts = self.text.data, start, []
        for edit in sorted(edits, key=order):
            if edit.start < at:
                continue
            parts += [data[at : edit.start].decode(), edit.text]
            at = edit.end
        parts.append(data[at:end].decode())
        return "".join(parts)

    def expression(self, node: ast.expr) -> None:
        """Note the edits of an expression."""
        op = self.flow.ops.get(id(node))
        if op is not None and id(node) not in self.flow.consumed:
            if self._as_it_is(op, node):
                return
            self.swap(node, self.ops.value_of(op, node), _reason(op))
            return
        value = self.flow.values.get(id(node))
        if isinstance(value, Foreign) and id(node) not in self.flow.consumed:
            if isinstance(value, Parsed):
                self.parts(node)
                return
            self.swap(node, self.ops.made(value, node), "field")
            return
        if isinstance(value, Spot) and id(node) in self.flow.consumed and self.flow.spot_is_inner(value):
            # Handed on: the target's event goes instead.
            text = self.holder(value, node)
            if text != self.text.of(node):
                self.swap(node, text or "None", "handed-on")
            return
        if isinstance(node, ast.Await):
            self.calls.awaited(node)
            return
        if isinstance(node, ast.Call):
            self.calls.project(node)
            return
        if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Load):
            there = self.module.names.get(node.id)
            if isinstance(there, Std) and there.name in self.flow.groups and node.id not in self.bound_names():
                raise Stop("client-passed", node, node.id)
        if isinstance(node, ast.Lambda):
            self.expression(node.body)
            for default in (*node.args.defaults, *(d for d in node.args.kw_defaults if d)):
                self.expression(default)
            return
        self.parts(node)

    def _as_it_is(self, op: Op, node: ast.expr) -> bool:
        """Tell whether what an op does is written just so at the target: the same rows, and no name that goes."""
        spot = op.spot
        if spot is None or op.what not in ("lookup", "decode", "word", "principal", "pairs", "moment"):
            return False
        row = self.flow.shape(spot).row(spot.role, spot.steps)
        mine = next((r for r in self.shape.rows if row is not None and r.at == row.at), None)
        if row is None or mine is None or (mine.codec, mine.field, mine.flag) != (row.codec, row.field, row.flag):
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

    def bound_names(self) -> frozenset[str]:
        """Return the names that the function binds itself; none for a module."""
        return self._bound_here() if self.function is not None else frozenset()


def _reason(op: Op) -> str:
    return {"client": "service", "call": "context", "decode": "content", "fixed": "field"}.get(op.what, "field")


def _falls_off(body: list[ast.stmt]) -> bool:
    """Tell whether a function may end at the end of its body."""
    last = body[-1]
    if isinstance(last, ast.Return | ast.Raise):
        return False
    if isinstance(last, ast.If):
        return _falls_off(last.body) or not last.orelse or _falls_off(last.orelse)
    if isinstance(last, ast.With | ast.AsyncWith):
        return _falls_off(last.body)
    if isinstance(last, ast.Try):
        if last.finalbody and not _falls_off(last.finalbody):
            return False
        ways = [last.orelse or last.body, *(handler.body for handler in last.handlers)]
        return any(_falls_off(way) for way in ways)
    if isinstance(last, ast.While) and isinstance(last.test, ast.Constant) and last.test.value:
        return any(isinstance(inner, ast.Break) for inner in ast.walk(last))
    if isinstance(last, ast.Match):
        always = any(
            isinstance(c.pattern, ast.MatchAs) and c.pattern.pattern is None and not c.guard for c in last.cases
        )
        return not always or any(_falls_off(case.body) for case in last.cases)
    return True


def _lines_in_texts(node: ast.AST) -> set[int]:
    """Return the numbers of lines that begin inside a text."""
    found: set[int] = set()
    for inner in walk(node):
        if isinstance(inner, ast.Constant | ast.JoinedStr) and inner.end_lineno and inner.end_lineno > inner.lineno:
            lines = range(inner.lineno + 1, inner.end_lineno + 1)
            found.update(lines if isinstance(inner, ast.JoinedStr) or isinstance(inner.value, str | bytes) else ())
    return found
