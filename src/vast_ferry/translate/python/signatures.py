"""Signatures written anew: what a handler or a helper takes at the target, decorators, coroutine or not."""

from __future__ import annotations

import ast

from vast_ferry.mapping.delivery import untold
from vast_ferry.mapping.tables import taken
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.batches import unrolled
from vast_ferry.translate.python.decorators import gives_it_back, is_hidden
from vast_ferry.translate.python.functions import DEFINITION, Function
from vast_ferry.translate.python.generators import manager_of, yields_from
from vast_ferry.translate.python.imports import Import
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.python.own_calls import runs
from vast_ferry.translate.python.reply_by_writer import Told
from vast_ferry.translate.python.writing import Writing
from vast_ferry.translate.values import Batch, Std, Stop

#: What there is only while an event loop runs.
_ASK_THE_LOOP = frozenset(
    f"asyncio.{one}" for one in ("current_task", "all_tasks", "get_running_loop", "get_event_loop")
)


class Signatures:
    """Writes the signature of one function."""

    def __init__(self, at: Writing) -> None:
        self.at = at

    def of_entry(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        self._check_parameters(function, node)
        roles = {name: value for name, value in function.params.items() if isinstance(value, Spot)}
        own = [name for name, value in roles.items() if value.of_event]
        told = [name for name, value in roles.items() if value.role == "context"]
        source, target = self.at.job.source.kinds[self.at.kind].event, self.at.shape
        self.at.plan = None
        if (source.each is None) != (target.each is None) and not source.levels and not function.whole:
            self._another_delivery(function, node)
        per_entry = source.each is None and target.each is not None
        parameters: list[str] = []
        for name in target.parameters if per_entry or target.each is None else target.handed_over:
            parameters.append(self.at.handed.setdefault(name, self.at.fresh(name, *own, *told)))
        self._check_keywords(node)
        at_first = self.at.event_root if per_entry or target.each is None else target.each.root
        for name in [*own, *([function.batch] if function.whole else [])]:
            self.at.names[name] = self.at.handed[at_first]
        context = self.at.context_root(self.at.kind)
        for name in told:
            self.at.names[name] = self.at.handed.get(context, "")
        if self.at.plan is not None and self.at.plan.flat:
            assert isinstance(self.at.plan.loop.target, ast.Name)
            self.at.names[self.at.plan.loop.target.id] = self.at.names[own[0]]
        if self.at.tells_each:
            self._told_each(function, node, parameters)
        else:
            self._replace_parameters(function, node, parameters)
        self._make_first(function, node)
        if function.cls is not None:
            self.at.job.set_ups[function.key] = (function, self._taken(function, parameters))
        if self.at.facts and self.at.facts.answers and node.returns is not None:
            self._drop_returns(node)
        if per_entry and not function.hands_on:
            called = [self.at.flow.functions[key] for key in function.stands_before] or [function]
            self.at.job.batches |= {one.key: (one, parameters) for one in called}
        self._decorators(function, node)
        self._run_here(function, node)

    def _run_here(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Have a handler that awaits run to its end, where the target takes no coroutines."""
        chain = [function]
        while chain[-1].stands_behind is not None:
            chain.append(self.at.flow.functions[chain[-1].stands_behind])
        if self.at.job.target_awaits or function.hands_on or not any(map(self.at.is_async, chain)):
            return
        called = [caller for caller, _ in function.calls if caller is None or caller not in chain]
        seen_otherwise = function.referred and not is_hidden(self.at.flow, function)
        if called or function.generates or function.cls is not None or seen_otherwise:
            raise Stop("awaits-others", node)
        name = self.at.job.beside(self.at.module, "run_to_end")
        first = node.decorator_list[0] if node.decorator_list else node
        at = self.at.text.line_start(self.at.text.start(first))
        self.at.edit(at, at, f"{self.at.text.indent_of(at)}@{name}\n", "asynchronous")
        self.at.notes.append(("own-loop", node))

    def _check_keywords(self, node: ast.AST) -> None:
        """Refuse a function that means something else by the name of what it is handed by keyword."""
        other = [name for name, own in self.at.handed.items() if name != own]
        if other and self.at.job.target.kinds[self.at.kind].by_keyword:
            raise Stop("name-taken", node, ", ".join(other))

    def _check_parameters(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Refuse parameters other than what the provider hands over, by place or by name."""
        arguments, kind = node.args, self.at.job.source.kinds[self.at.kind]
        handed_over, by_name = kind.event.handed_over, kind.by_keyword
        unread = arguments.kwarg is None or (by_name and not function.nodes.uses(arguments.kwarg.arg))
        # What has no name of its own only goes on to the handler that a decorator's function stands before.
        few = function.hands_on or (not arguments.vararg and unread)
        by_name_only = [one for one in arguments.kwonlyargs if one.arg not in self._more(function)]
        known = few and (by_name or not by_name_only)
        if not known or (function.cls is not None and not kind.method):
            raise Stop("signature", node)
        there = self.at.job.target.kinds[self.at.kind]
        asks = there.answered.writer is not None or (there.by_keyword and function.takes_over)
        if asks and not self._shows_what_it_takes(function):
            raise Stop("signature", node)
        more = self._more(function)
        taken = {name for name in function.named if name != function.writer and name not in more}
        most = len(handed_over) + bool(function.writer) + len(more & {*function.parameters})
        if len(function.parameters) > most or (by_name and not taken <= set(handed_over)):
            raise Stop("signature", node)
        theirs = [name for name in function.parameters if name not in more]
        handed = self.at.flow.handed(self.at.kind)
        if not by_name and not arguments.vararg and len(theirs) < len(handed):
            raise Stop("takes-less", node, ", ".join(handed[len(theirs) :]))
        nothing = untold(kind)
        own = dict(zip(theirs, handed_over, strict=False)) if not by_name else {name: name for name in theirs}
        if used := [name for name in theirs if own.get(name) in nothing and function.nodes.uses(name)]:
            raise Stop("untold", node, ", ".join(used))

    def _shows_what_it_takes(self, function: Function) -> bool:
        """Tell whether a provider that asks what it calls for its parameters finds just those that it hands over.

        `functools.wraps` shows it those of the function that is wrapped.
        """
        if function.hands_on:
            return True  # asked for the handler that it stands before
        chain = [function]
        while chain[-1].stands_behind is not None:
            chain.append(self.at.flow.functions[chain[-1].stands_behind])
        while len(chain) > 1 and chain[-1].node.decorator_list:
            chain.pop()
        shown = chain[-1]
        if shown.takes_over and shown.node.decorator_list:
            return False
        return not shown.given_more and (shown is function or not (shown.node.args.vararg or shown.node.args.kwarg))

    def _more(self, function: Function) -> set[str]:
        """Return the parameters of a handler that the provider has nothing to do with."""
        kind = self.at.job.source.kinds[self.at.kind]
        if kind.by_keyword or function.writer:
            return {*function.given_more}
        return {*function.given_more, *function.optional(len(self.at.flow.handed(self.at.kind)))}

    def of_set_up(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Take what is told of calls from what sets a handler's object up: there is no call yet."""
        arguments = node.args
        if arguments.vararg or arguments.kwarg or arguments.kwonlyargs or arguments.defaults:
            raise Stop("signature", node)
        every = [*arguments.posonlyargs, *arguments.args]
        for argument in every[1:]:
            self.at.names[argument.arg] = ""
        if len(every) > 1:
            self.at.edit(self.at.text.end(every[0]), self.at.text.end(every[-1]), "", "signature")

    def of_whatever(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Name what a decorator's `*args, **kwargs` are, where it has to send the answer; else they are handed on."""
        shape = self.at.job.answered(self.at.kind)
        if shape.by_hand is None or not (self.at.facts and self.at.facts.answers):
            return
        given = [one for one in (node.args.vararg, node.args.kwarg) if one is not None]
        names = [self.at.handed.setdefault(name, self.at.fresh(name)) for name in self.at.shape.parameters]
        start = self.at.text.data.rindex(b"*", 0, self.at.text.start(given[0]))
        if function.passes_more:
            self.at.edit(start, start, "".join(f"{name}, " for name in names), "signature")
        else:
            self.at.edit(start, self.at.text.end(given[-1]), ", ".join(names), "signature")

    def _another_delivery(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Plan how a handler of batches becomes one of single events; a decorator before it must not look at them."""
        if function.hands_on and self._reads_it(function):
            raise Stop("decorated", node, node.name)
        if self.at.shape.each is None and not function.hands_on:
            self.at.plan = unrolled(
                node, self.at.flow.values, self.at.flow.consumed, self.at.job.again_key(self.at.kind)
            )

    def _make_first(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Have what a handler needs as its provider made it stand at its first line."""
        event = self.at.job.source.kinds[self.at.kind].event
        if event.levels or (function.whole and event.each is not None):
            self._make_batch(function, node)
        elif function.whole and function.nodes.uses(function.batch):
            self._make_event(function, node)
        if function.writer:
            self._make_writer(function, node)

    def _make_batch(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Have a batch of several levels made at the first line, as the handler knows it."""
        if self.at.tells_each:
            return
        if not function.batch or not function.nodes.uses(function.batch):
            return
        made = self.at.job.batch_view(self.at.kind, node)
        self.at.imports.add(Import(self.at.job.module_name, made.name))
        self.at.shims.append(("the whole event", node))
        given = ", ".join(self.at.handed[name] for name in made.parameters)
        self.at.before_all(node, f"{function.batch} = {'await ' * made.awaited}{made.name}({given})", "batch")

    def _make_event(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Have the event made at the first line, as the handler knows it."""
        made = self.at.shim(Spot(self.at.kind, "event", (), function.batch), node)
        self.at.before_all(node, f"{function.batch} = {made[1:-1] if made.startswith('(await ') else made}", "event")

    def _told_each(
        self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef, parameters: list[str]
    ) -> None:
        """Put a function before a handler that says of each event what became of it: it gets its batch as it was.

        The handler itself keeps its first parameter, and gets what the target hands over behind it.
        """
        alone = not function.calls and function.stands_behind is None and not function.stands_before
        if not (alone and function.batch) or node.decorator_list or function.static:
            raise Stop("batch-escapes", node)
        made = self.at.job.told_view(self.at.kind, node)
        self.at.imports.add(Import(self.at.job.module_name, made.name))
        self.at.shims.append(("the whole event", node))
        inner = self.at.fresh(f"{node.name}_{function.batch}")
        given = [self.at.fresh(one, *parameters) if one == function.batch else one for one in parameters]
        self._replace_parameters(function, node, [function.batch, *given])
        start = self.at.text.data.index(node.name.encode(), self.at.text.start(node))
        self.at.edit(start, start + len(node.name.encode()), inner, "batch")
        own = "self, " if function.cls is not None else ""
        call = f"{'self.' if own else ''}{inner}({', '.join([function.batch, *given])})"
        word, wait = ("async def", "await ") if made.awaited else ("def", "")
        at = self.at.text.line_start(self.at.text.start(node))
        indent, gap = self.at.text.indent_of(at), "\n" if own else "\n\n"
        head = f"{indent}{word} {node.name}({own}{', '.join(parameters)}):"
        answer = f"return {wait}{made.name}({self.at.handed[made.parameters[0]]}, lambda {function.batch}: {call})"
        self.at.edit(at, at, f"{head}\n{indent}    {answer}\n{gap}", "batch")

    def _make_writer(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        """Have what a handler answers through made at the first line, if its answers don't stand there in full."""
        self.at.runs = Told(self.at).runs(function)
        if self.at.runs is not None:
            return
        made = self.at.job.writer_view(self.at.kind)
        self.at.imports.add(Import(self.at.job.module_name, made.name))
        self.at.shims.append(("reply", node))
        self.at.before_all(node, f"{function.writer} = {made.name}()", "reply")

    def _replace_parameters(
        self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef, parameters: list[str]
    ) -> None:
        arguments = node.args
        every = [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs]
        if function.cls is not None and not function.static:
            every = every[1:]
        behind = self._more(function)
        if behind or function.leading is not None:
            self._replace_first(node, every, parameters, behind)
            return
        if not every:
            raise Stop("signature", node)
        start = self.at.text.start(every[0])
        if arguments.kwonlyargs and every[0] is arguments.kwonlyargs[0]:
            start = self.at.text.data.rindex(b"*", 0, start)
        rest = (arguments.vararg, arguments.kwarg)
        more = [one for one in (*arguments.defaults, *arguments.kw_defaults, *rest) if one is not None]
        end = max(self.at.text.end(one) for one in (*every, *more))
        made = ", ".join(self._taken(function, parameters))
        if self.at.text.data[start:end].decode() != made:
            self.at.edit(start, end, made, "signature")

    def _taken(self, function: Function, parameters: list[str]) -> list[str]:
        """Return how a handler takes what it is handed, by its own names for that."""
        own = {self.at.handed.get(name, name): stars for name, stars in self.at.shape.spread.items()}
        captured = {name for one in self.at.job.declared.get(function.key, ()) for name in one.captured}
        return taken(parameters, own, captured)

    def _replace_first(
        self, node: ast.FunctionDef | ast.AsyncFunctionDef, every: list[ast.arg], parameters: list[str], more: set[str]
    ) -> None:
        """Write the parameters that the provider hands over anew; what stands behind them stays."""
        theirs = [one for one in every if one.arg not in more]
        taken = len(self.at.flow.handed(self.at.kind))
        if len(theirs) != taken or theirs != every[:taken] or {*parameters} & more:
            raise Stop("signature", node)
        by_place = [*node.args.posonlyargs, *node.args.args]
        defaults = dict(zip(reversed(by_place), reversed(node.args.defaults), strict=False))
        last = defaults.get(theirs[-1], theirs[-1])
        if self.at.shape.spread:  # what stands behind may be what an entry is called
            raise Stop("signature", node)
        start, end, made = self.at.text.start(theirs[0]), self.at.text.end(last), ", ".join(parameters)
        if self.at.text.data[start:end].decode() != made:
            self.at.edit(start, end, made, "signature")

    def _drop_returns(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        assert node.returns is not None
        end = self.at.text.end(node.returns)
        start = self.at.text.data.rindex(b"->", 0, self.at.text.start(node.returns))
        while self.at.text.data[start - 1 : start] == b" ":
            start -= 1
        self.at.edit(start, end, "", "signature")

    def _decorators(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        for decorator in node.decorator_list:
            called = decorator.func if isinstance(decorator, ast.Call) else decorator
            root = called
            while isinstance(root, ast.Attribute):
                root = root.value
            value = self.at.module.names.get(root.id) if isinstance(root, ast.Name) else None
            if isinstance(value, Std) and value.name.partition(".")[0] in self.at.flow.theirs:
                start = self.at.text.line_start(self.at.text.start(decorator))
                self.at.edit(start, self.at.text.next_line(self.at.text.end(decorator) - 1), "", "declaration")
            elif not self._seen_through(function, decorator) and not gives_it_back(
                self.at.flow, self.at.module, decorator
            ):
                raise Stop("decorated", decorator, ast.unparse(called))

    def _seen_through(self, function: Function, decorator: ast.expr) -> bool:
        """Tell whether what a decorator puts before a handler was followed as one itself."""
        if function.stands_before:
            return True  # it only takes over the handler's name
        outer, at = self.at.flow.decorator(self.at.module, decorator), function
        while outer is not None and at.stands_behind is not None:
            at = self.at.flow.functions[at.stands_behind]
            if at is outer or at.outer is outer or (at.outer is not None and at.outer.outer is outer):
                return at.key in self.at.job.facts
        return False

    def _reads_it(self, function: Function) -> bool:
        """Tell whether a function that stands before handlers reads anything of the event."""
        found = (self.at.flow.values.get(node) for node in function.ops - self.at.flow.consumed)
        return any(isinstance(value, (Spot, Batch)) for value in found)

    def of_helper(self, function: Function, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        every = [*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs]
        facts = self.at.facts
        assert facts is not None
        waits = facts.awaits and isinstance(node, ast.FunctionDef)  # and did not before
        # What calls it where nothing is written (a lambda at the top of a module) has nothing to hand over, and waits
        # for nothing.
        unseen = function.referred or function.made_up or any(caller is None for caller, _ in function.calls)
        if unseen and (waits or any(not self.at.held_by_parameter(function, name) for name in facts.needs)):
            raise Stop("passed-on", node, node.name)
        gone = []
        for index, argument in enumerate(every):
            value = function.places.get(argument.arg)
            if value is None:
                continue
            self.at.names[argument.arg] = argument.arg
            if value.role == "context" and not self.at.takes_context(function):
                by_event = self.at.context_root(self.at.kind) == self.at.event_root
                self.at.names[argument.arg] = self._event_parameter(function) if by_event else ""
                gone.append(index)
            elif argument.annotation is not None:
                start = self.at.text.start(argument) + len(argument.arg.encode())
                self.at.edit(start, self.at.text.end(argument), "", "signature")
        self._drop_parameters(node, every, gone)
        more = [name for name in facts.needs if not self.at.held_by_parameter(function, name)]
        if more:
            self._add_parameters(node, [self.at.handed.setdefault(name, self.at.fresh(name)) for name in more])
        if facts.answers and node.returns is not None:
            self._drop_returns(node)

    def _event_parameter(self, function: Function) -> str:
        """Return the parameter by which a helper has the event."""
        held = (name for name, value in function.places.items() if value.of_event)
        return next(held, "")

    def _drop_parameters(
        self, node: ast.FunctionDef | ast.AsyncFunctionDef, every: list[ast.arg], gone: list[int]
    ) -> None:
        """Take parameters out; those that are given by name only stand behind a star, which goes with the last."""
        by_place, data = len(every) - len(node.args.kwonlyargs), self.at.text.data
        for first, last in [*runs([at for at in gone if at < by_place]), *runs([at for at in gone if at >= by_place])]:
            start, end = self.at.text.start(every[first]), self.at.text.end(every[last])
            after = end
            while data[after : after + 1] in (b" ", b"\n"):
                after += 1
            if data[after : after + 1] == b",":
                end = after + 1
                while data[end : end + 1] == b" ":
                    end += 1
            else:
                start = self._from_what_stands_before(node, start, first, by_place, gone)
            self.at.edit(start, end, "", "signature")

    def _from_what_stands_before(
        self, node: ast.FunctionDef | ast.AsyncFunctionDef, start: int, first: int, by_place: int, gone: list[int]
    ) -> int:
        """Return where the last parameters are taken out from: with the star before them, and the comma before that."""
        data, left = self.at.text.data, first > 0
        if first == by_place and node.args.vararg is None and node.args.kwonlyargs:
            start = data.rindex(b"*", 0, start)
            left = left and by_place - 1 not in gone  # else it went with what stood there
        return data.rindex(b",", 0, start) if left else start

    def _add_parameters(self, node: ast.FunctionDef | ast.AsyncFunctionDef, names: list[str]) -> None:
        arguments = node.args
        every = [*arguments.posonlyargs, *arguments.args]
        assert self.at.function is not None
        if self.at.function.takes_more:
            at = self._behind_parameters(node)
            star = "" if arguments.vararg or arguments.kwonlyargs else "*, "
            begins = self.at.text.data[at - 1 : at] == b"("  # only `**` stands there
            text = f"{star}{', '.join(names)}"
            self.at.edit(at, at, f"{text}, " if begins else f", {text}", "signature")
        elif every:
            last = self.at.text.end(every[-1])
            self.at.edit(last, last, ", " + ", ".join(names), "signature")
        else:
            at = self.at.text.data.index(b"(", self.at.text.start(node)) + 1
            self.at.edit(at, at, ", ".join(names), "signature")

    def _behind_parameters(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> int:
        """Return where parameters that are given by name may be added."""
        arguments = node.args
        if arguments.posonlyargs and not arguments.args:
            raise Stop("signature", node)
        ends = [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs, *arguments.defaults]
        ends += [one for one in (arguments.vararg, *arguments.kw_defaults) if one is not None]
        if not ends:
            return self.at.text.data.index(b"(", self.at.text.start(node)) + 1
        begin, end, data = self.at.text.start(node), max(map(self.at.text.end, ends)), self.at.text.data
        while data[end : end + 1] == b")" and data.count(b"(", begin, end) > data.count(b")", begin, end) + 1:
            end += 1  # a default value stands in parentheses
        return end

    def asynchronous(self, node: ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        assert self.at.function is not None
        wanted = self.at.is_async(self.at.function)
        start = self.at.text.start(node)
        plain = isinstance(node, ast.FunctionDef)
        by_sign = plain and node.name.startswith("__") and node.name != "__call__"
        if wanted and (by_sign or self.at.text.data[start : start + 6] == b"lambda"):
            raise Stop("awaits-inside", node)
        if wanted and isinstance(node, ast.FunctionDef):
            self.at.edit(start, start, "async ", "asynchronous")
            self._manages(self.at.function)
            self._give_one_by_one(self.at.function)
        elif not wanted and isinstance(node, ast.AsyncFunctionDef):
            end = self.at.text.data.index(b"def", start)
            self.at.edit(start, end, "", "asynchronous")
        if isinstance(node, ast.AsyncFunctionDef):
            self._asynchronous_inside(node, wanted=wanted)

    def _manages(self, function: Function) -> None:
        """Write what makes a context manager of a plain generator as what makes an asynchronous one."""
        manager = manager_of(self.at.flow, function)
        if manager is None:
            return
        line, name = "from contextlib import asynccontextmanager", "asynccontextmanager"
        if isinstance(manager, ast.Attribute):
            line, name = "import contextlib", "contextlib.asynccontextmanager"
        self.at.swap(manager, self.at.need([line], name), "asynchronous")

    def _give_one_by_one(self, function: Function) -> None:
        """Write `yield from` as a loop: an asynchronous generator has none."""
        for one in yields_from(function):
            called = self.at.job.called.get(id(one.value))
            waits = called is not None and called.generates and self.at.is_async(called)
            name, indent = self.at.fresh("one"), self.at.text.indent_of(self.at.text.start(one))
            begins = f"{'async ' * waits}for {name} in "
            self.at.edit(self.at.text.start(one), self.at.text.start(one.value), begins, "asynchronous")
            end = self.at.text.end(one.value)
            self.at.edit(end, end, f":\n{indent}    yield {name}", "asynchronous")

    def _asynchronous_inside(self, node: ast.AsyncFunctionDef, *, wanted: bool) -> None:
        """Write what goes through asynchronous generators as what goes through plain ones, where they become such."""
        assert self.at.function is not None
        inner = {id(n) for d in walk(node)[1:] if isinstance(d, DEFINITION) for n in walk(d)}
        for one in self.at.function.nodes.all:
            if id(one) in inner:
                continue
            if isinstance(one, ast.AsyncWith) and not wanted:
                self._has_to_wait(one)
            if isinstance(one, ast.AsyncFor):
                self.goes_through(one, wanted=wanted)
            elif isinstance(one, ast.Call) and not wanted:
                name = self.at.flow.standard_name(self.at.module, one.func)
                if name in _ASK_THE_LOOP:
                    self._has_to_wait(one)

    def goes_through(self, one: ast.AsyncFor | ast.comprehension, *, wanted: bool) -> None:
        """Write what goes through an asynchronous generator as what goes through a plain one, if it becomes such."""
        called = self.at.job.called.get(id(one.iter))
        if called is not None and called.generates and not self.at.is_async(called):
            start = self.at.text.data.rindex(b"async", 0, self.at.text.start(one.target))
            self.at.edit(start, self.at.text.data.index(b"for", start), "", "asynchronous")
        else:
            self._has_to_wait(one.iter)

    def _has_to_wait(self, node: ast.AST) -> None:
        """Let the function be a coroutine, if there may be one."""
        if not self.at.job.asynchronous:
            raise Stop("awaits-others", node)
        self.at.awaits(node)
