"""One function written anew for the target: edits of its text, node by node, and what they take for granted."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from vast_ferry.mapping.inline import Code, Inline, Lookup, at_text, native_value, quoted
from vast_ferry.mapping.places import Access, Item, Step
from vast_ferry.mapping.tables import EventShape
from vast_ferry.source.batches import Unrolled, own_statements, unrolled
from vast_ferry.source.calls import Calls
from vast_ferry.source.flow import DEFINITION, Function, Module
from vast_ferry.source.imports import Import, parse_import, qualified
from vast_ferry.source.nodes import walk
from vast_ferry.source.replies import Replies
from vast_ferry.source.text import Edit, order
from vast_ferry.source.values import Batch, Foreign, Func, Op, Parsed, Service, Spot, Std, Stop

if TYPE_CHECKING:
    from vast_ferry.source.native import Job

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
            self._signature_of_entry(function, node)
        else:
            self._signature_of_helper(function, node)
        self._asynchronous(node)
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

    def _signature_of_entry(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        arguments = node.args
        if arguments.vararg or arguments.kwarg or arguments.kwonlyargs or function.cls is not None:
            raise Stop("signature", node)
        roles = {name: value for name, value in function.params.items() if isinstance(value, Spot)}
        own = [name for name, value in roles.items() if value.role in ("event", "entry")]
        told = [name for name, value in roles.items() if value.role == "context"]
        if len(function.parameters) > len(self.job.source.kinds[self.kind].event.handed_over):
            raise Stop("signature", node)
        source, target = self.job.source.kinds[self.kind].event, self.shape
        self.plan = None
        if source.each is not None and target.each is None:
            self.plan = unrolled(node, self.flow.values, self.job.again_key(self.kind))
        per_entry = source.each is None and target.each is not None
        parameters: list[str] = []
        for name in target.parameters if per_entry or target.each is None else target.handed_over:
            parameters.append(self.names.setdefault(f"={name}", self.fresh(name, *own, *told)))
        at_first = self.event_root if per_entry or target.each is None else target.each.root
        for name in own:
            self.names[name] = self.names[f"={at_first}"]
        context = self.context_root(self.kind)
        for name in told:
            self.names[name] = self.names.get(f"={context}", "")
        if self.plan is not None and self.plan.flat:
            assert isinstance(self.plan.loop.target, ast.Name)
            self.names[self.plan.loop.target.id] = self.names[own[0]]
        self._replace_parameters(node, parameters)
        if self.facts and self.facts.answers and node.returns is not None:
            self._drop_returns(node)
        if per_entry:
            self.job.batches.append((function, parameters))
        self._decorators(function, node)

    def _replace_parameters(self, node: ast.FunctionDef | ast.AsyncFunctionDef, parameters: list[str]) -> None:
        arguments = node.args
        every = [*arguments.posonlyargs, *arguments.args]
        if not every:
            raise Stop("signature", node)
        start = self.text.start(every[0])
        end = max(self.text.end(one) for one in (*every, *arguments.defaults))
        made = ", ".join(parameters)
        if self.text.data[start:end].decode() != made:
            self.edit(start, end, made, "signature")

    def _drop_returns(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        assert node.returns is not None
        end = self.text.end(node.returns)
        start = self.text.data.rindex(b"->", 0, self.text.start(node.returns))
        while self.text.data[start - 1 : start] == b" ":
            start -= 1
        self.edit(start, end, "", "signature")

    def _decorators(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        for decorator in node.decorator_list:
            called = decorator.func if isinstance(decorator, ast.Call) else decorator
            root = called
            while isinstance(root, ast.Attribute):
                root = root.value
            value = self.module.names.get(root.id) if isinstance(root, ast.Name) else None
            if isinstance(value, Std) and value.name.partition(".")[0] in self.flow.theirs:
                start = self.text.line_start(self.text.start(decorator))
                self.edit(start, self.text.next_line(self.text.end(decorator) - 1), "", "declaration")
            elif not self._passes_on(value):
                raise Stop("decorated", decorator, ast.unparse(called))

    def _passes_on(self, value: object) -> bool:
        """Tell whether a decorator of the project hands on whatever it is called with."""
        made = self.flow.functions.get(value.key) if isinstance(value, Func) else None
        if made is None:
            return False
        inner = [n for n in ast.walk(made.node) if isinstance(n, DEFINITION) and n is not made.node]
        return (
            len(inner) == 1
            and inner[0].args.vararg is not None
            and not inner[0].args.args
            and not self.job.asynchronous
        )

    def _signature_of_helper(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        every = [*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs]
        facts = self.facts
        assert facts is not None
        if function.referred and (
            facts.awaits or any(not self.held_by_parameter(function, name) for name in facts.needs)
        ):
            raise Stop("passed-on", node, node.name)
        for index, argument in enumerate(every):
            value = function.params.get(argument.arg)
            if not isinstance(value, Spot):
                continue
            self.names[argument.arg] = argument.arg
            if value.role == "context" and not self.context_root(self.kind):
                self.names[argument.arg] = ""
                self._drop_parameter(node, every, index)
            elif argument.annotation is not None:
                start = self.text.start(argument) + len(argument.arg.encode())
                self.edit(start, self.text.end(argument), "", "signature")
        more = [name for name in facts.needs if not self.held_by_parameter(function, name)]
        if more:
            self._add_parameters(node, [self.names.setdefault(f"={name}", self.fresh(name)) for name in more])
        if facts.answers and node.returns is not None:
            self._drop_returns(node)

    def _drop_parameter(self, node: ast.FunctionDef | ast.AsyncFunctionDef, every: list[ast.arg], index: int) -> None:
        start, end = self.text.start(every[index]), self.text.end(every[index])
        data = self.text.data
        after = end
        while data[after : after + 1] in (b" ", b"\n"):
            after += 1
        if data[after : after + 1] == b",":
            end = after + 1
            while data[end : end + 1] == b" ":
                end += 1
        elif index:
            start = data.rindex(b",", 0, start)
        self.edit(start, end, "", "signature")

    def _add_parameters(self, node: ast.FunctionDef | ast.AsyncFunctionDef, names: list[str]) -> None:
        arguments = node.args
        every = [*arguments.posonlyargs, *arguments.args]
        if arguments.defaults or arguments.vararg or arguments.kwonlyargs or arguments.kwarg:
            raise Stop("signature", node)
        if every:
            last = self.text.end(every[-1])
            self.edit(last, last, ", " + ", ".join(names), "signature")
        else:
            at = self.text.data.index(b"(", self.text.start(node)) + 1
            self.edit(at, at, ", ".join(names), "signature")

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

    def _asynchronous(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        assert self.function is not None
        wanted = self.is_async(self.function)
        start = self.text.start(node)
        if wanted and (node.name.startswith("__") or self.text.data[start : start + 6] == b"lambda"):
            raise Stop("awaits-inside", node)
        if wanted and isinstance(node, ast.FunctionDef):
            self.edit(start, start, "async ", "asynchronous")
        elif not wanted and isinstance(node, ast.AsyncFunctionDef):
            end = self.text.data.index(b"def", start)
            self.edit(start, end, "", "asynchronous")
        if isinstance(node, ast.AsyncFunctionDef):
            self._asynchronous_inside(node, wanted=wanted)

    def _asynchronous_inside(self, node: ast.AsyncFunctionDef, *, wanted: bool) -> None:
        """Write what goes through asynchronous generators as what goes through plain ones, where they become such."""
        assert self.function is not None
        inner = {id(n) for d in walk(node)[1:] if isinstance(d, DEFINITION) for n in walk(d)}
        for one in self.function.nodes.all:
            if id(one) in inner:
                continue
            if isinstance(one, ast.AsyncWith) and not wanted:
                raise Stop("awaits-others", one)
            if not isinstance(one, ast.AsyncFor) and not (isinstance(one, ast.comprehension) and one.is_async):
                continue
            called = self.job.called.get(id(one.iter))
            if called is not None and called.generates and not self.is_async(called):
                start = self.text.data.rindex(b"async", 0, self.text.start(one.target))
                self.edit(start, self.text.data.index(b"for", start), "", "asynchronous")
            elif wanted:
                self.awaits(one.iter)
            else:
                raise Stop("awaits-others", one.iter)

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
            self.swap(node, f"{name} = {self.value_of(op, node)}", "content")
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
            self.swap(node, self.value_of(op, node), _reason(op))
            return
        value = self.flow.values.get(id(node))
        if isinstance(value, Foreign) and id(node) not in self.flow.consumed:
            if isinstance(value, Parsed):
                self.parts(node)
                return
            self.swap(node, self.made(value, node), "field")
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

    # --- what stands for ops and places ---

    def value_of(self, op: Op, node: ast.AST) -> str:
        """Return the source of what an op gives, at the target."""
        if op.note:
            self.notes.append((op.note, node))
        method = getattr(self, f"_op_{op.what}")
        return method(op, node)  # type: ignore[no-any-return]

    def _default(self, op: Op) -> str | None:
        if op.default is None:
            return None
        if isinstance(op.default, ast.Constant) and not hasattr(op.default, "lineno"):
            return repr(op.default.value)
        return self.code(op.default)

    def _op_lookup(self, op: Op, node: ast.AST) -> str:
        assert op.key is not None
        constant = op.key.value if isinstance(op.key, ast.Constant) and isinstance(op.key.value, str) else None
        key = self.code(op.key)
        default = self._default(op)
        if default is None and (op.how == "joined" or constant == "cookie") and self._only_truth(node):
            default = '""'
        if op.how.startswith("item:"):
            made = self._item(op, key, constant)
        else:
            how = op.how
            made = self.reads().lookup(
                Lookup(op.field, how, key, constant, default if how in ("first", "joined") else None)
            )
            if made is not None and how == "every" and default is not None:
                made = made.over(f"§ or {default}", loose=True)
        if made is None:
            return self._looked_up_in_shim(op, node, key, default)
        text = self.place(replace(made, loose=False), node, op.spot)
        if op.negated:
            return (
                f"not ({text})"
                if " if " in text
                else text.replace(f"{key} in ", f"{key} not in ", 1)
                if f"{key} in " in text
                else f"not {text}"
            )
        return f"({text})" if self.needs_parentheses(node, made, text) else text

    def _only_truth(self, node: ast.AST) -> bool:
        """Tell whether it makes no difference if an expression gives None or an empty text."""
        parent = self.parents.get(id(node))
        if isinstance(parent, ast.Compare) and len(parent.ops) == 1 and isinstance(parent.ops[0], ast.Eq | ast.NotEq):
            other = parent.comparators[0] if parent.left is node else parent.left
            return isinstance(other, ast.Constant) and isinstance(other.value, str) and bool(other.value)
        if isinstance(parent, ast.BoolOp) and isinstance(parent.op, ast.Or):
            return parent.values[-1] is not node
        return isinstance(parent, ast.If | ast.IfExp) and parent.test is node

    def _item(self, op: Op, key: str, constant: str | None) -> Code | None:
        how = op.how.partition(":")[2]
        reads = self.reads()
        for row in reads.rows.get(op.field, ()):
            if (row.codec.name, how) in (("first_values", "first"), ("lists", "every"), ("joined", "joined")):
                name = quoted(constant.lower()) if row.field.startswith("headers") and constant else key
                return reads.at(row).over(f"§[{name}]")
        pairs = reads.pairs(op.field)
        if pairs is None:
            return None
        if how == "every":
            parse = "from urllib.parse import parse_qs, urlencode"
            raw = reads.hub("query.raw")
            if reads.has_raw_query() and raw is not None:
                return raw.over(f"parse_qs(§, keep_blank_values=True)[{key}]", "from urllib.parse import parse_qs")
            return pairs.over(f"parse_qs(urlencode(§), keep_blank_values=True)[{key}]", parse)
        if op.field.startswith("headers"):
            named = quoted((constant or "").lower())
            return pairs.over(f"{{name.lower(): value for name, value in reversed(§)}}[{named}]")
        return pairs.over(f"dict(reversed(§))[{key}]")

    def _looked_up_in_shim(self, op: Op, node: ast.AST, key: str, default: str | None) -> str:
        assert op.spot is not None
        whole = self.shim(op.spot, node)
        how = op.how.partition(":")[2] or op.how
        if op.how == "has":
            return f"{key} {'not ' * op.negated}in {whole}"
        row = self.flow.shape(op.spot).row(op.spot.role, op.spot.steps)
        assert row is not None
        if row.codec.name == "multimap":
            names = {how: own for how, own in row.codec.options}
            return f"{whole}.{names[how]}({key}{f', {default}' if default else ''})"
        if op.how.startswith("item:"):
            return f"{whole}[{key}]"
        return f"{whole}.get({key}{f', {default}' if default else ''})"

    def _op_pairs(self, op: Op, node: ast.AST) -> str:
        made = self.reads().pairs(op.field)
        if made is None:
            assert op.spot is not None
            return self._called_in_shim(op.spot, node)
        return self.place(made, node, op.spot)

    def _called_in_shim(self, spot: Spot, node: ast.AST) -> str:
        row = self.flow.shape(spot).row(spot.role, spot.steps)
        assert row is not None
        return f"{self.shim(spot, node)}.{dict(row.codec.options)['all']}()"

    def _op_principal(self, op: Op, node: ast.AST) -> str:
        for row in self.reads().rows.get("principal", ()):
            at = self.reads().at(row)
            names = dict(row.codec.options) if row.codec.name == "keys" else {}
            if row.codec.name in ("keys", "plain"):
                name = quoted(names.get(op.text, op.text))
                return self.place(at.over(f"§.get({name})" if op.how == "get" else f"§[{name}]"), node, op.spot)
        assert op.spot is not None
        whole = self.shim(op.spot, node)
        return f"{whole}[{quoted(op.text)}]"

    def _op_decode(self, op: Op, node: ast.AST) -> str:
        reads = self.reads()
        made: Code | None
        if op.how == "lists":
            row = next(row for row in reads.rows["query"] if row.codec.name == "lists")
            made = reads.at(row)
        elif op.field != "body":
            made = reads.hub(op.field)
        elif op.how == "bytes":
            made = reads.hub("body")
        elif op.how == "json":
            made = reads.json()
        else:
            body = reads.hub("body")
            made = body.over("§.decode()", type="str") if body is not None else None
        if made is None:
            raise Stop("no-such-field", node, op.field)
        return self.place(made, node, op.spot)

    def _op_word(self, op: Op, node: ast.AST) -> str:
        row = next(iter(self.reads().rows.get(op.field, ())), None)
        if row is None:
            raise Stop("no-such-field", node, op.field)
        own = {hub: word for word, hub in row.codec.options} if row.codec.name == "choice" else {}
        if op.text:
            return quoted(own.get(op.text, op.text))
        return self.place(self.reads().at(row), node, op.spot)

    def _op_fixed(self, op: Op, node: ast.AST) -> str:
        return (self._default(op) if op.default is not None else None) or op.text

    def _op_moment(self, op: Op, node: ast.AST) -> str:
        """Return the source of a time as an aware datetime."""
        assert op.spot is not None
        assert op.call is not None
        row = self.flow.shape(op.spot).row(op.spot.role, op.spot.steps)
        assert row is not None
        there = next(iter(self.reads().rows.get(row.field, ())), None)
        if there is None:
            raise Stop("no-such-field", node, row.field)
        at = self.reads().at(there)
        owner = op.call.func.value if isinstance(op.call.func, ast.Attribute) else op.call.func
        datetime = self.text.of(owner)
        if there.codec.name == "plain":
            note = "finer-time" if row.codec.name == "epoch_ms" else ""
            text = f'{datetime}.fromisoformat({at.operand}.replace("Z", "+00:00"))'
            return self.place(Code(text, at.imports, note=note), node, op.spot)
        divisor = {"epoch_ms": " / 1000", "epoch_ns": " / 1_000_000_000"}.get(there.codec.name, "")
        number = f"int({at.text})" if there.codec.name == "epoch_s_text" else at.operand
        zone = next((self.code(k.value) for k in op.call.keywords if k.arg == "tz"), "")
        zone = zone or (self.code(op.call.args[1]) if len(op.call.args) > 1 else "")
        needed = frozenset() if zone else frozenset(["from datetime import timezone"])
        text = f"{datetime}.fromtimestamp({number}{divisor}, {zone or 'timezone.utc'})"
        return self.place(Code(text, at.imports | needed), node, op.spot)

    def _op_call(self, op: Op, node: ast.AST) -> str:
        return self.calls.context(op, node)

    def _op_client(self, op: Op, node: ast.AST) -> str:
        return self.calls.service(op, node)

    # --- places made as they were ---

    def made(self, value: Foreign, node: ast.expr) -> str:
        """Return the source of what a place held at the source, from what the target hands over."""
        if isinstance(value, Batch):
            return self._batch(value, node)
        if isinstance(value, Service):
            raise Stop("client-passed", node, value.client.called)
        assert isinstance(value, Spot)
        if self.flow.spot_is_inner(value):
            return self._inner_or_flag(value, node)
        shape = self.flow.shape(value)
        row = shape.row(value.role, value.steps)
        if row is None:
            return self.calls.method_itself(value, node)
        if row.field == "function":
            return self.calls.function_name(value, node)
        if row.field == "time_left":
            return self.calls.time_left(row.codec.name, value, node)
        made = native_value(row, self.reads())
        if (
            made is None
            and row.codec.name == "text_or_base64"
            and self.function is not None
            and self.function.key in self.job.exact
        ):
            return self.shim(value, node)  # what asks whether it is Base64 must find it so
        if made is None and row.codec.name == "text_or_base64":
            # Read alone, it is read as text: what is not textual stood there as Base64.
            made = self.reads().text()
            self.notes.append(("base64-not-seen", node))
        if made is None and row.field in ("id", "time") and row.codec.name == "plain":
            made = self.job.fresh(row.field)
        if made is None and row.field == "route":
            made = self.job.route(self.function, row)
        if made is None:
            return self.shim(value, node)
        return self.place(made, node, value)

    def _inner_or_flag(self, spot: Spot, node: ast.expr) -> str:
        constant = self.flow.shape(spot).constants.get((spot.role, spot.steps))
        if constant is not None and isinstance(constant.value, str):
            return quoted(constant.value)
        flagged = self.flow.shape(spot).flags.get((spot.role, spot.steps))
        for row in self.reads().rows.get(flagged.field, ()) if flagged is not None else ():
            if flagged is not None and row.codec == flagged.codec and row.flag is not None:
                return self.place(Code(at_text(row.flag, self.reads().names)), node, spot)
        return self.shim(spot, node)

    def _batch(self, value: Batch, node: ast.expr) -> str:
        if self.shape.each is not None:
            root = self.names.get(value.holder, value.holder)
            return at_text(self.shape.each, {self.shape.each.root: root})
        return f"[{self.holder(Spot(value.kind, 'entry', (), value.holder), node)}]"

    def shim(self, spot: Spot, node: ast.AST) -> str:
        """Return a call of the emitted function that makes what stood at a place, and note it."""
        if spot.role == "context" and not spot.kind:
            spot = Spot(self.kind, spot.role, spot.steps, spot.holder)
        view = self.job.view(spot.kind, spot.role, spot.steps, node)
        for row in self.reads().rows.get("body", ()):
            step = row.at.steps[-1] if row.at.steps else None
            token = str(step.key) if isinstance(step, Item) else row.at.root
            if row.codec.name in ("stream", "messages_body") and token in view.text:
                raise Stop("content-read-twice", node)
        names = []
        for name in view.parameters:
            if name == "function":
                names.append(f"function={self.calls.function_literal(node)}")
            elif name == "limit":
                continue
            elif name == self.event_root and spot.role != "context":
                names.append(self.holder(spot, node))
            else:
                names.append(self.root(name, node))
        self.imports.add(Import(self.job.module_name, view.name))
        self.shims.append((_path(spot.steps), node))
        text = f"{view.name}({', '.join(names)})"
        if view.awaited:
            self.awaits(node)
            return f"(await {text})"
        return text


def _path(steps: tuple[Step, ...]) -> str:
    return str(Access("", steps)) if steps else ""


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
