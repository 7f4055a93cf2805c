"""What all that writes a function anew shares: its edits, its names, what the target hands over there, the imports.

Nothing here decides how anything is written: that is done by `signatures`, `calls`, `ops` and `replies`, and `render`
asks each of them where its turn comes.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable, Mapping, Set
from dataclasses import replace
from typing import Any

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.by_hand import ByHand
from vast_ferry.mapping.inline import Inline, at_text
from vast_ferry.mapping.places import Step
from vast_ferry.mapping.python import in_handler
from vast_ferry.mapping.tables import EventShape
from vast_ferry.translate.operations import Operation
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.batches import Unrolled
from vast_ferry.translate.python.functions import Function, Module
from vast_ferry.translate.python.generators import Asked, becomes_asynchronous, how_asked
from vast_ferry.translate.python.held_answers import HeldAnswers
from vast_ferry.translate.python.imports import Import, parse_import, qualified
from vast_ferry.translate.python.job import Job
from vast_ferry.translate.text import Edit, order
from vast_ferry.translate.values import Foreign, Stop

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

#: A line of code that is longer is set out over several.
LONGEST_ITEM = 105


class Writing:
    """The writing of one function (or, without one, of the statements of a module)."""

    def __init__(self, job: Job, module: Module, function: Function | None) -> None:
        self.job, self.flow, self.module, self.function = job, job.flow, module, function
        self.text = module.text
        self.edits: list[Edit] = []
        self.imports: set[Import] = set()
        self.notes: list[tuple[str, ast.AST]] = []
        self.shims: list[tuple[str, ast.AST]] = []
        self.through: list[tuple[str, ast.AST]] = []  # what goes through a function that comes along, and where
        self.once: list[ast.AST] = []
        self.content = ""  # name of the variable that holds the content, where it is read more than once
        self.afresh: list[tuple[str, ast.AST]] = []  # fields that the target never gives: each read makes one
        self.made_first: dict[str, str] = {}  # such fields that are made before all else → the variables that hold them
        self.objects: list[tuple[Spot, ast.AST]] = []  # what is equal to itself alone, and where one is made
        self.event_made = ""  # the variable that holds what all of these are had of, made once: the event, or a part
        self.part_made: tuple[Step, ...] = ()  # which part of the event that is
        self.parents: Mapping[int, ast.AST] = {}
        self.own_names: frozenset[str] = frozenset()
        self.names: dict[str, str] = {}  # an author's name for something of the event → what holds it now
        self.handed: dict[str, str] = {}  # a parameter of the target's → what it is called here
        self.awaiting: list[ast.AST] = []
        self.asked: dict[int, Asked] = {}  # lazy comprehensions in which something waits, and how each is asked
        self.beside = False  # what is written stands in a function before this one, which takes the same
        self.plan: Unrolled | None = None
        self.runs: list[Any] | None = None  # what is told to a writer, where all of it stands right before an end
        self.facts = job.facts.get(function.key) if function is not None else None
        self.replaced: list[Edit] = []  # what was found only later to be written otherwise

    def noted(self) -> Callable[[], None]:
        """Return what takes back all that is noted from now on."""
        lists: tuple[list[Any], ...] = (self.edits, self.notes, self.shims, self.through, self.once)
        lists += (self.awaiting, self.replaced, self.afresh, self.objects)
        lengths, imports = [len(one) for one in lists], set(self.imports)

        def take_back() -> None:
            for one, length in zip(lists, lengths, strict=True):
                del one[length:]
            self.imports = imports

        return take_back

    @property
    def kind(self) -> str:
        """Return the kind of event that the function is for, or any where it is for none."""
        return (self.facts.kind if self.facts else "") or self.job.any_kind

    @property
    def tells_each(self) -> bool:
        """Tell whether the function is a handler that says of each event of its batch what became of it."""
        source = self.job.source.kinds[self.kind].event
        return bool(source.told_by and self.function is not None and self.function.entry)

    @property
    def shape(self) -> EventShape:
        """Return the target's shape of that kind."""
        return self.job.shape(self.kind)

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
        shape = self.job.shape(kind)
        rows = [row for row in shape.rows if row.field in ("log", "secret", "time_left", "function")]
        best = next((row for row in rows if row.field == "log"), next(iter(rows), None))
        return best.at.root if best else ""

    def takes_context(self, function: Function) -> bool:
        """Tell whether a helper is handed what the target tells of the call: not where it has that by its event."""
        if function.made_up:
            return True
        root = self.context_root(self.kind)
        if not root or root != self.event_root:
            return bool(root)
        calls = (call for _, call in function.calls)
        alike = {one.key: one for call in calls for one in self.job.every_called(call)} | {function.key: function}
        return not all(any(value.of_event for value in one.places.values()) for one in alike.values())

    @property
    def event_root(self) -> str:
        """Return the target's parameter that is the event, or one event of a batch."""
        return self.shape.event_parameters[0]

    def held_by_parameter(self, function: Function, name: str) -> bool:
        """Tell whether one of a function's own parameters holds what the target hands over as `name`."""
        for parameter, value in function.places.items():
            if self.names.get(parameter) != "":
                of_context = value.role == "context" and self.takes_context(function)
                if (value.of_event and name == self.event_root) or (
                    of_context and name == self.context_root(self.kind)
                ):
                    return bool(parameter)
        return False

    def is_async(self, function: Function) -> bool:
        """Tell whether a function is a coroutine function at the target."""
        facts = self.job.facts.get(function.key)
        if function.entry:
            return self.job.target_awaits or (self.job.asynchronous and facts is not None and facts.awaits)
        if isinstance(function.node, ast.AsyncFunctionDef) and self._manages(function):
            return True
        gives = self.job.asynchronous and function.generates and isinstance(function.node, ast.AsyncFunctionDef)
        if gives and any(caller is not None and _steps_through(caller) for caller, _ in function.calls):
            return True
        unseen = (not function.calls or function.referred) and isinstance(function.node, ast.AsyncFunctionDef)
        if facts is None or unseen:  # whoever calls it awaits it, as `async with` does its methods
            return isinstance(function.node, ast.AsyncFunctionDef)
        return facts.awaits if self.job.asynchronous or facts.awaits else False

    def _is_plain_generator(self, function: Function) -> bool:
        """Tell whether a function is a generator that can't wait: it is a plain one, and has to stay so."""
        plain = isinstance(function.node, ast.FunctionDef) and function.generates
        return plain and not (self.job.asynchronous and becomes_asynchronous(self.flow, function))

    def _manages(self, function: Function) -> bool:
        """Tell whether a function is made a context manager, which `async with` enters whatever it does."""
        named = (self.job.flow.standard_name(function.module, one) for one in function.node.decorator_list)
        return "contextlib.asynccontextmanager" in named

    def _in_loop(self, node: ast.AST) -> bool:
        at: ast.AST | None = node
        while at is not None and not (self.function is not None and at is self.function.node):
            at = self.parents.get(id(at))
            if isinstance(at, (ast.For, ast.While, ast.ListComp, ast.GeneratorExp, ast.DictComp, ast.SetComp)):
                return True
        return False

    def edit(self, start: int, end: int, text: str, reason: str) -> None:
        """Note an edit."""
        self.edits.append(Edit(start, end, text, reason))

    def before_all(self, node: ast.FunctionDef | ast.AsyncFunctionDef, text: str, reason: str) -> None:
        """Note a statement before all others of a function, behind what it says of itself."""
        first = node.body[0]
        if isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant) and len(node.body) > 1:
            first = node.body[1]
        at = self.text.line_start(self.text.start(first))
        if at <= self.text.start(node):
            raise Stop("one-line", node)
        self.edit(at, at, f"{self.text.indent_of(at)}{text}\n", reason)

    def indent(self, at: int) -> str:
        """Return the white space before what stands at a place, as it will be."""
        indent = self.text.indent_of(at)
        loop = self.plan.loop if self.plan is not None and self.plan.flat else None
        if loop is not None and self.text.start(loop.body[0]) <= at < self.text.end(loop):
            first = self.text.indent_of(self.text.start(loop.body[0]))
            return indent[len(first) - len(self.text.indent_of(self.text.start(loop))) :]
        return indent

    def swap(self, node: ast.AST, text: str, reason: str) -> None:
        """Note that a node is written otherwise; parentheses around what was awaited go where an operand is left."""
        self._check_not_shown(node)
        around = self.parentheses(node) if isinstance(node, ast.Await) and _is_operand(text) else 0
        self.edit(self.text.start(node) - around, self.text.end(node) + around, text, reason)

    def parentheses(self, node: ast.Await) -> int:
        """Return 1 where parentheses stand right around an operand for nothing but its `await`."""
        data, start, end = self.text.data, self.text.start(node), self.text.end(node)
        parent = self.parents.get(id(node))
        alone = data[start - 1 : start] == b"(" and data[end : end + 1] == b")" and data[start - 2 : start - 1] != b"("
        free = not data[start - 2 : start - 1].isalnum()  # a keyword may stand right before
        called = isinstance(parent, ast.Call) and parent.func is not node
        return int(alone and free and isinstance(parent, ast.expr) and not called)

    def _check_not_shown(self, node: ast.AST) -> None:
        """Refuse to write anew what a formatted text shows the source of."""
        at = self.parents.get(id(node))
        while at is not None and not isinstance(at, ast.JoinedStr):
            if isinstance(at, ast.FormattedValue) and self._tells_its_source(at):
                raise Stop("text-of-itself", node)
            at = self.parents.get(id(at))

    def _tells_its_source(self, node: ast.FormattedValue) -> bool:
        """Tell whether a formatted text shows an expression's own source as well, as in `{name=}`."""
        after = self.text.data[self.text.end(node.value) :].lstrip(b" \t\n)")
        return after.startswith(b"=") and not after.startswith(b"==")

    def need(self, lines: Iterable[str], text: str) -> str:
        """Note the imports that code needs, and return the code, with names qualified that mean something else here."""
        wanted = {one for line in lines for one in parse_import(line)}
        made, needed = qualified(text, wanted, self._taken(wanted))
        self._import(needed)
        return made

    def _taken(self, wanted: Set[Import]) -> set[str]:
        """Return the names that mean something else here than what would be imported under them."""
        taken = set(self.bound_names())
        for one in wanted:
            full = f"{one.module}.{one.name}" if one.name else one.module.partition(".")[0]
            if self.module.means_otherwise(one.bound, full):
                taken.add(one.bound)
        return taken

    def _import(self, needed: Set[Import]) -> None:
        """Note imports; refuse a module whose name means something else here."""
        bound = self.bound_names()
        for one in needed:
            root = one.module.partition(".")[0]
            if one.name or one.bound != root:
                continue
            otherwise = self.module.means_otherwise(root, root)
            if otherwise or (root in bound and root not in self.module.names):
                raise Stop("name-taken", self.function.node if self.function else self.module.tree, one.bound)
        self.imports |= needed

    def _imported(self, code: ByHand) -> dict[ex.Expression, ex.Expression]:
        """Note the imports of an expression, and return what is written with its module instead of by its name."""
        if not code.imports:
            return {}
        wanted = {one for line in code.imports for one in parse_import(line)}
        _, needed = qualified("", wanted, self._taken(wanted))
        self._import(needed)
        by_module = {one.module for one in needed if not one.name}
        parts = {node for node in ex.walk(code.expression) if isinstance(node, ex.Standard) and not node.whole}
        return {node: replace(node, whole=True) for node in parts if node.module in by_module}

    def root(self, name: str, node: ast.AST) -> str:
        """Return the source of what the target hands over as parameter `name`; it is passed on where it has to be."""
        function = self._with_a_call(node)
        if self._is_plain_generator(function) and not self.beside:
            raise Stop("awaits-inside", node)  # whoever goes through what it gives would have to wait
        if function.entry:
            return self.handed.get(name, name)
        at: Function | None = function
        while at is not None:
            found = self._parameter_for(at, name)
            if found:
                return found
            if at.outer is None:
                break
            at = at.outer
        if at is not None and at.entry:
            return self.job.handed_to(at).get(name, name)
        assert at is not None
        facts = self.job.facts[at.key]
        if name not in facts.needs:
            facts.needs[name] = None
            self.job.changed = True
        return self.handed.setdefault(name, self.fresh(name)) if at is function else name

    def _with_a_call(self, node: ast.AST) -> Function:
        """Return the function that is written; refuse where it runs before any call."""
        at = self.function
        if at is None:
            raise Stop("at-import", node)
        while at is not None and not at.sets_up:
            at = at.outer
        if at is not None:
            raise Stop("set-up-told", node)
        assert self.function is not None
        return self.function

    def _parameter_for(self, function: Function, name: str) -> str:
        for parameter, value in function.places.items():
            of_context = value.role == "context" and name == self.context_root(self.kind)
            same = (value.of_event and name == self.event_root) or (of_context and self.takes_context(function))
            if same and not (function.entry):
                return parameter
        return ""

    def holder(self, spot: Spot, node: ast.AST) -> str:
        """Return the source of what holds the event, the entry or the context that a place is in."""
        text = spot.holder
        if text in self.names:
            made = self.names[text]
        elif self.function is not None and self.function.outer is not None and text.isidentifier():
            made = self._outer_name(text)
        else:
            made = text
        if spot.first and self.shape.each is not None:
            return f"{self.batch(made)}[0]"
        if not made and spot.role == "context":
            return ""
        return made or self.root(self.event_root, node)

    def batch(self, held: str) -> str:
        """Return the source of the target's batch of events, where what is handed over is `held`."""
        each = self.shape.each
        assert each is not None
        self.imports |= self.job.functions_in(each)
        return at_text(each, {each.root: held})

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

    def place(
        self, code: ByHand, node: ast.AST, spot: Spot | None = None, *, once: bool = True, bare: bool = False
    ) -> str:
        """Return the source of an expression over the target's parameters, as they are called here.

        It comes in parentheses where it needs them at `node`, but `bare` where its caller knows that it doesn't.
        """
        others = self._imported(code)
        for function in ex.walk(code.expression):
            if isinstance(function, ex.Standard) and self.job.reader(function.member) is not None:
                field = function.member.removeprefix(f"read_{self.kind}_")
                self.through.append((f"`{field}`", node))
        if code.once and once:
            self.once.append(node)
            if self.content:
                inner = self.reads().hub("body")
                assert inner is not None
                others[inner.expression] = ex.Variable(self.content)
        expression = ex.substituted(code.expression, others)
        others = {ex.Beside(name): ex.Beside(self.job.beside(self.module, name)) for name in sorted(code.beside)}
        asked = ex.parameters_of(expression)
        for name in self.shape.parameters:
            if name in asked:
                event = name == self.event_root and spot is not None and spot.role != "context"
                context = spot is not None and spot.role == "context" and name == self.context_root(self.kind)
                held = self.holder(spot, node) if (event or context) and spot else ""
                held = held or self.root(name, node)
                others[ex.Parameter(name)] = ex.Given(held)
        made = replace(code, expression=ex.substituted(expression, others))
        if made.awaits:
            self.awaits(node)
        if code.note:
            self.notes.append((code.note, node))
        text = in_handler(made.expression)
        return f"({text})" if not bare and made.loose and self.needs_parentheses(node, text) else text

    def awaits(self, node: ast.AST, *, each: bool = False) -> None:
        """Note that a function awaits at a node, or `each` turn of what goes through it; refuse where it can't."""
        if not self.job.asynchronous:
            raise Stop("awaits-others", node)
        self.awaiting.append(node)
        self._let_wait(node, each=each)
        function = self.function
        if function is None:
            raise Stop("at-import", node)
        if self._is_plain_generator(function):
            raise Stop("awaits-inside", node)  # whoever goes through what it gives would have to wait
        if function.sets_up:
            raise Stop("set-up-told", node)
        if not function.entry or not self.job.target_awaits:
            facts = self.job.facts[function.key]
            if not facts.awaits:
                facts.awaits = True
                self.job.changed = True

    def _let_wait(self, node: ast.AST, *, each: bool) -> None:
        """Note which lazy comprehensions wait, as something in them does; refuse where nobody who asks them could."""
        at: ast.AST | None = node
        through = each  # what is gone through waits at each turn, not only before the first
        while at is not None and not (self.function is not None and at is self.function.node):
            if isinstance(at, (ast.Lambda, ast.GeneratorExp)):
                through = self._waits_at_each_turn(at, node)
            before, at = at, self.parents.get(id(at))
            whole = self.parents.get(id(at)) if isinstance(at, ast.comprehension) and at.iter is before else None
            if isinstance(whole, ast.GeneratorExp) and whole.generators[0] is at and not through:
                at = self.parents.get(id(whole))  # what it goes through first is worked out around it
            through = through and isinstance(at, ast.comprehension)

    def _waits_at_each_turn(self, at: ast.Lambda | ast.GeneratorExp, node: ast.AST) -> bool:
        """Note how a lazy comprehension that waits is asked, and tell whether something goes through it."""
        if not isinstance(at, ast.GeneratorExp) or self.function is None:
            raise Stop("awaits-inside", node)
        how = how_asked(self.flow, at, self.function)
        if how is None:
            raise Stop("awaits-inside", node)
        self.asked[id(at)] = how
        return how is Asked.THROUGH

    def needs_parentheses(self, node: ast.AST, text: str) -> bool:
        """Tell whether what is no operand by itself needs parentheses where a node stands."""
        if not isinstance(node, ast.expr):
            return False
        parent = self.parents.get(id(node))
        if text.startswith("await ") and not isinstance(parent, (ast.Attribute, ast.Subscript, ast.Call, ast.BinOp)):
            return False
        if isinstance(parent, ast.Call):
            return parent.func is node
        if isinstance(parent, ast.Subscript):
            return parent.value is node
        if isinstance(parent, ast.Dict):  # behind `**` it is an operand
            return any(key is None and value is node for key, value in zip(parent.keys, parent.values, strict=True))
        return not isinstance(parent, _FREE)

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

    def applied(self, node: ast.AST, edits: list[Edit]) -> str:
        """Return a node's text with edits inside it made."""
        return self.between(self.text.start(node), self.text.end(node), edits)

    def between(self, start: int, end: int, edits: list[Edit]) -> str:
        """Return a stretch of the text with edits inside it made."""
        data, at, parts = self.text.data, start, []
        for edit in sorted(edits, key=order):
            if edit.start < at:
                continue
            parts += [data[at : edit.start].decode(), edit.text]
            at = edit.end
        parts.append(data[at:end].decode())
        return "".join(parts)

    def bound_names(self) -> frozenset[str]:
        """Return the names that the function binds itself; none for a module."""
        return self._bound_here() if self.function is not None else frozenset()

    def set_out(self, begin: str, items: list[str], end: str, node: ast.AST, longest: int = LONGEST_ITEM) -> str:
        """Return source on one line, or, where that is too long, an item a line."""
        line = f"{begin}{', '.join(items)}{end}"
        at = self.text.start(node) if hasattr(node, "lineno") else 0
        lead = at - self.text.line_start(at) - len(self.text.indent_of(at)) + len(self.indent(at))
        if "\n" not in line and lead + len(line) <= longest:
            return line
        indent = self.indent(at)
        inner = "".join(f"{indent}    {self._long(item, indent + '    ')},\n" for item in items)
        return f"{begin}\n{inner}{indent}{end}"

    def _long(self, item: str, indent: str) -> str:
        """Set out a list of pairs over several lines where it is long."""
        key, mark, rest = item.partition("[(")
        if not mark or len(item) + len(indent) <= LONGEST_ITEM or "\n" in item or not rest.endswith(")]"):
            return item
        try:
            listed = ast.parse(f"[({rest}", mode="eval").body
        except SyntaxError:
            return item
        if not isinstance(listed, ast.List):
            return item
        lines = [ast.get_source_segment(f"[({rest}", one) or "" for one in listed.elts]
        return f"{key}[\n" + "".join(f"{indent}    {line},\n" for line in lines) + f"{indent}]"

    # --- answers that names hold ---

    def reply_names(self, name: str) -> str:
        """Tell how a name holds an answer: its assignments are `answers`, it is a `mapping`, or neither."""
        assert self.function is not None
        return HeldAnswers(self.job).of(self.function, name)

    def reply_keys(self, function: Function, name: str) -> tuple[set[str], set[str]]:
        """Return the keys that a mapping under a name always has, and those that it may have."""
        return self.job.keys_held[function.key, name]

    # --- what is written by whoever knows the whole function ---

    def code(self, node: ast.expr) -> str:
        """Return the source of an expression as it is written at the target."""
        raise NotImplementedError

    def expression(self, node: ast.expr) -> None:
        """Note the edits of an expression."""
        raise NotImplementedError

    def parts(self, node: ast.AST) -> None:
        """Write the expressions and blocks of a statement."""
        raise NotImplementedError

    def made(self, value: Foreign, node: ast.expr) -> str:
        """Return the source of what a place held at the source."""
        raise NotImplementedError

    def shim(self, spot: Spot, node: ast.AST) -> str:
        """Return a call of the emitted function that makes what stood at a place, and note it."""
        raise NotImplementedError

    def value_of(self, op: Operation, node: ast.expr) -> str:
        """Return the source of what an operation gives at the target."""
        raise NotImplementedError

    def made_afresh(self, field: str, node: ast.AST) -> ByHand | None:
        """Return what stands for a field that the target never gives: one is made, the same for the whole call."""
        made = self.job.fresh(field)
        if made is not None:
            self.afresh.append((field, node))
        return ByHand(ex.Variable(self.made_first[field]), "str") if made and field in self.made_first else made

    def is_equal_to_itself_alone(self, spot: Spot) -> bool:
        """Tell whether what stands at a place of the event is an object of the provider's: no two are equal."""
        return spot.role != "context" and self.flow.shape(spot).is_an_object(spot.role, spot.steps)

    def holds(self, function: Function, name: str) -> bool:
        """Tell whether a parameter of a function's own holds what the target hands over as `name`."""
        return self.__class__(self.job, function.module, function).held_by_parameter(function, name)


def _steps_through(function: Function) -> bool:
    """Tell whether a function asks an asynchronous generator otherwise than by going through it."""
    attributes = {attribute for _, attribute in function.nodes.attributes}
    by_name = function.nodes.uses("anext") or function.nodes.uses("aiter")
    return bool(by_name) or not attributes.isdisjoint(["__anext__", "__aiter__", "aclose", "asend", "athrow"])


def _is_operand(text: str) -> bool:
    try:
        made = ast.parse(text, mode="eval").body
    except SyntaxError:
        return False
    return isinstance(made, (ast.Call, ast.Attribute, ast.Subscript, ast.Name, ast.Constant))
