"""Calls of the project's own functions written anew: what they hand on, and what is awaited."""

from __future__ import annotations

import ast

from vast_ferry.translate.operations import ContextCall, Decode, ServiceCall
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.ends import in_return
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.python.generators import Asked, asked_for_first, comprehension_around, statement_around
from vast_ferry.translate.python.writing import Writing
from vast_ferry.translate.values import Stop


class OwnCalls:
    """Writes the calls that one function makes of the project's own functions, and what it awaits."""

    def __init__(self, at: Writing) -> None:
        self.at, self.job, self.flow = at, at.job, at.flow

    def project(self, node: ast.Call) -> None:
        """Note the edits of a call of the project's own code: arguments that it no longer gets, or gets as well."""
        called = self.job.called.get(id(node))
        facts = self.job.facts.get(called.key) if called is not None else None
        if called is not None and called.stands_behind is not None and self._hands_on(node, called):
            return
        start = len(self.at.edits)
        self.at.parts(node)
        if called is None and node.args and self.at.asked.get(id(node.args[0])) is Asked.ONCE:
            self._ask_once(node, start)
        if called is None or facts is None:
            return
        gone = self._gone(node, called)
        self._take_out(gone, start)
        more = self._more(node, called)
        if more:
            self._hand_on(node, called, more, len(node.args) + len(node.keywords) - len(gone))
        if self._goes_about(node, called):
            return
        waits = facts.awaits and isinstance(called.node, ast.FunctionDef)  # and did not before
        if waits and any(one.referred for one in self.job.every_called(node)):
            raise Stop("passed-on", node, called.node.name)
        if self.at.is_async(called) and not called.generates:
            self._await(node)
        elif waits and self.at.is_async(called):
            self._go_through(node)

    def _more(self, node: ast.Call, called: Function) -> list[str]:
        """Return what a call has to hand over besides; of several functions each has to take it in the same way."""
        every = self.job.every_called(node)
        needs = {name: None for one in every for name in self.job.facts[one.key].needs}
        if any(list(self.job.facts[one.key].needs) != list(needs) for one in every):
            self.job.changed = True  # they will agree before all is written again
            return [name for name in needs if not self.at.holds(called, name)]
        found = {
            tuple((name, self.job.parameter_name(one, name)) for name in needs if not self.at.holds(one, name))
            for one in every
        }
        more = found.pop()
        by_name = {one.takes_more for one in every}
        if found or (more and (len(by_name) > 1 or any(one.referred for one in every))):
            raise Stop("passed-on", node, called.node.name)
        return [name for name, _ in more]

    def _hands_on(self, node: ast.Call, called: Function) -> bool:
        """Write a decorator's call of the handler that it stands before: with all that the target hands over."""
        function = self.at.function
        if function is None or not function.hands_on or called.key not in function.stands_before:
            return False
        if self.at.handed:
            given = self._handed_on()
            every: list[ast.expr | ast.keyword] = [*node.args, *node.keywords]
            parts = every[: function.leading]
            behind = every[len(parts) :]
            if "**" in given and (function.whatever or any(isinstance(one, ast.expr) for one in behind)):
                raise Stop("signature", node)  # nothing stands behind what is spread by its names, but what has one
            for one in behind:
                self.at.expression(one.value if isinstance(one, ast.keyword) else one)
            start, end = self.at.text.start(parts[0]), self.at.text.end(parts[-1])
            if function.whatever and function.passes_more:
                self.at.edit(start, start, f"{given}, ", "handed-on")
            elif self.at.text.data[start:end].decode() != given:
                self.at.edit(start, end, given, "handed-on")
        if self.at.is_async(called):
            self._await(node)
        return True

    def _handed_on(self) -> str:
        """Return the arguments by which all goes on that the target hands over: what it spreads, as it takes it."""
        spread = self.at.shape.spread
        plain = [own for name, own in self.at.handed.items() if name not in spread]
        return ", ".join([*plain, *(f"{spread[name]}{own}" for name, own in self.at.handed.items() if name in spread)])

    def _goes_about(self, node: ast.Call, called: Function) -> bool:
        """Tell whether a coroutine is not awaited where it is made: then it has to stay one."""
        parent = self.at.parents.get(id(node))
        if not isinstance(called.node, ast.AsyncFunctionDef) or isinstance(parent, ast.Await):
            return False
        if called.generates and not self._is_kept(node, parent):
            return False  # it is gone through at once, or is what is answered
        if not called.generates and self._is_given_on(node, parent):
            return False
        if isinstance(parent, ast.Call) and self.becomes_a_list(parent):
            return False
        if not self.job.asynchronous:
            raise Stop("awaits-others", node)
        facts = self.job.facts[called.key]
        if not facts.awaits:
            facts.awaits = self.job.changed = True
        return True

    def _is_given_on(self, node: ast.Call, parent: ast.AST | None) -> bool:
        """Tell whether a plain function returns a coroutine of the project's to those who all await it.

        Then it may as well await, or give, what the coroutine function gives. Where others do, nobody sees who awaits.
        """
        function = self.at.function
        if function is None or not isinstance(function.node, ast.FunctionDef):
            return False
        name = parent.targets[0] if isinstance(parent, ast.Assign) and len(parent.targets) == 1 else None
        held = function.nodes.uses(name.id) if isinstance(name, ast.Name) else []
        at_once = in_return(node, self.at.parents)
        if not at_once and not any(in_return(use, self.at.parents) for use in held):
            return False
        if not at_once or not self._is_awaited_by_all(function):
            raise Stop("coroutine-given", node)
        return True

    def _is_awaited_by_all(self, function: Function, depth: int = 8) -> bool:
        """Tell whether what a function gives is awaited at once by its provider, or by all that call it."""
        if function.entry:
            return self.job.source.model.handler.asynchronous and not function.calls and not function.stands_behind
        if function.referred or not function.calls or not depth:
            return False
        for caller, call in function.calls:
            if caller is None:
                return False
            above = caller.nodes.parents.get(id(call))
            given = isinstance(above, ast.Return) and isinstance(caller.node, ast.FunctionDef)
            if not isinstance(above, ast.Await) and not (given and self._is_awaited_by_all(caller, depth - 1)):
                return False
        return True

    def _is_kept(self, node: ast.Call, parent: ast.AST | None) -> bool:
        """Tell whether an asynchronous generator goes on to where it is gone through as such."""
        answers = self.at.facts is not None and self.at.facts.answers
        if isinstance(parent, ast.Return) and not answers:
            if self.at.function is None or self.at.function.node.name != "__aiter__":
                raise Stop("awaits-others", node)
            return True
        if isinstance(parent, ast.keyword):
            parent = self.at.parents.get(id(parent))
        if isinstance(parent, ast.Call) and id(parent) in self.job.called:
            return True
        if not isinstance(parent, ast.Assign) or not isinstance(parent.targets[0], ast.Name) or not self.at.function:
            return False
        uses = map(self.at.parents.get, map(id, self.at.function.nodes.uses(parent.targets[0].id)))
        return any(isinstance(use, ast.AsyncFor) or getattr(use, "is_async", False) for use in uses)

    def _take_out(self, gone: list[tuple[int, int]], start: int) -> None:
        """Take out arguments, with what was to be edited in them from the edit with number `start` on."""
        kept = [e for e in self.at.edits[start:] if not any(g[0] <= e.start and e.end <= g[1] for g in gone)]
        self.at.edits[start:] = kept
        for begin, end in gone:
            self.at.edit(begin, end, "", "handed-on")

    def _hand_on(self, node: ast.Call, called: Function, more: list[str], left: int) -> None:
        """Add arguments to a call that has so many left."""
        known = self.flow.known_rests
        hidden = any(keyword.arg is None and id(keyword) not in known for keyword in node.keywords)
        stars = [argument for argument in node.args if isinstance(argument, ast.Starred)]
        hidden = hidden or any(id(one) not in known for one in stars)
        by_name = called.takes_more or bool(stars)
        if hidden and not by_name:
            raise Stop("arguments-hidden", node)
        given = [self.at.root(name, node) for name in more]
        if node.keywords or by_name:
            given = [f"{self.job.parameter_name(called, name)}={text}" for name, text in zip(more, given, strict=True)]
        end = self.at.text.end(node) - 1
        self.at.edit(end, end, (", " if left else "") + ", ".join(given), "handed-on")

    def _go_through(self, node: ast.Call) -> None:
        """Write what goes through a plain generator, or enters what it manages, as what does so with one that waits."""
        self.at.awaits(node, each=True)
        if isinstance(self.at.parents.get(id(node)), ast.YieldFrom):
            return  # which is written as a loop
        if self.at.function is not None and asked_for_first(node, self.at.function) == "next":
            self.at.asked[id(node)] = Asked.ONCE  # and written by what asks it
        elif not self.around_waits(node):
            name = self.at.fresh("one")
            start, end = self.at.text.start(node), self.at.text.end(node)
            self.at.edit(start, start, f"[{name} async for {name} in ", "asynchronous")
            self.at.edit(end, end, "]", "asynchronous")

    def around_waits(self, node: ast.expr) -> bool:
        """Write the loop or the `with` around what waits at each turn as one that waits; tell whether there is one."""
        statement, part = statement_around(node, self.at.parents), comprehension_around(node, self.at.parents)
        if statement is not None:
            start = self.at.text.start(statement)
        elif part is not None:
            start = self.at.text.data.rindex(b"for", 0, self.at.text.start(part.target))
        else:
            return False
        self.at.edit(start, start, "async ", "asynchronous")
        return True

    def _ask_once(self, node: ast.Call, start: int) -> None:
        """Write what asks a lazy comprehension for the first that it gives, and has to wait for it.

        `any(A for x in y)` is whether there is one for which A holds: `await anext((True for x in y if A), False)`.
        """
        made = node.args[0]
        assert self.at.function is not None
        asked, begin, end = asked_for_first(made, self.at.function), self.at.text.start(node), self.at.text.end(node)
        loose = self.at.needs_parentheses(node, "await x")
        if asked == "next":
            self.at.edit(begin, begin, "(await a" if loose else "await a", "asynchronous")
            if loose:
                self.at.edit(end, end, ")", "asynchronous")
            return
        assert isinstance(made, ast.GeneratorExp)
        del self.at.edits[start:]
        test = self.at.code(made.elt)
        bare = isinstance(made.elt, (ast.Call, ast.Name, ast.Attribute, ast.Subscript, ast.Compare))
        test = test if bare and not (asked == "all" and test.startswith("await ")) else f"({test})"
        last, data = made.generators[-1], self.at.text.data
        first = data.rindex(b"for", 0, self.at.text.start(made.generators[0].target))
        for one in made.generators:
            self.at.parts(one)
        inner, self.at.edits[start:] = self.at.edits[start:], []
        through = self.at.between(first, self.at.text.end(last.ifs[-1] if last.ifs else last.iter), inner)
        negated = "not " if asked == "all" else ""
        text = f"{negated}await anext((True {through} if {negated}{test}), False)"
        loose = loose or (asked == "all" and isinstance(self.at.parents.get(id(node)), ast.expr))
        self.at.edit(begin, end, f"({text})" if loose else text, "asynchronous")

    def _await(self, node: ast.Call) -> None:
        """Write a call as one that is awaited, where it was not."""
        self.at.awaits(node)
        if isinstance(self.at.parents.get(id(node)), ast.Await):
            return
        at, end = self.at.text.start(node), self.at.text.end(node)
        free = not self.at.needs_parentheses(node, "await x")
        self.at.edit(at, at, "await " if free else "(await ", "asynchronous")
        if not free:
            self.at.edit(end, end, ")", "asynchronous")

    def _gone(self, node: ast.Call, called: Function) -> list[tuple[int, int]]:
        """Return where arguments stand that there is nothing to hand on for."""
        parts: list[ast.AST] = [*node.args, *node.keywords]
        gone = []
        for index, part in enumerate(parts):
            value_node = part.value if isinstance(part, ast.keyword) else part
            value = self.flow.values.get(id(value_node))
            told = isinstance(value, Spot) and value.role == "context" and id(value_node) in self.flow.consumed
            if told and not self.at.takes_context(called):
                gone.append(index)
        spans = []
        for first, last in runs(gone):
            start, end = self.at.text.start(parts[first]), self.at.text.end(parts[last])
            if last + 1 < len(parts):
                end = self.at.text.start(parts[last + 1])
            elif first:
                start = self.at.text.end(parts[first - 1])
            else:  # with the comma that may stand behind the last
                closing = self.at.text.end(node) - 1
                end = closing if b"," in self.at.text.data[end:closing] else end
            spans.append((start, end))
        return spans

    def awaited(self, node: ast.Await) -> None:
        """Note the edits of what the original awaited: at a target that does not await, only calls can be awaited."""
        inner = node.value
        start, after = self.at.text.start(node), self.at.text.start(inner)
        value = self.flow.values.get(id(inner))
        op = self.flow.ops.get(id(inner))
        if isinstance(value, Spot):
            made = self.at.made(value, node) if id(node) not in self.flow.consumed else ""
            self.at.swap(node, made, "content")
            return
        if isinstance(op, (ServiceCall, Decode, ContextCall)):
            reason = "service" if isinstance(op, ServiceCall) else "content"
            self.at.swap(node, self.at.value_of(op, node), reason)
            return
        called = self.job.called.get(id(inner))
        if called is not None and called.key in self.job.facts:
            self.at.expression(inner)
            if not self.at.is_async(called):
                around = self.at.parentheses(node)
                self.at.edit(start - around, after, "", "asynchronous")
                if around:
                    self.at.edit(self.at.text.end(node), self.at.text.end(node) + 1, "", "asynchronous")
            elif isinstance(inner, ast.Call):
                self.at.awaits(node)
            return
        if (made_list := self._gathered(inner)) is not None:
            self.at.swap(node, made_list, "asynchronous")
            return
        if not self.job.asynchronous:
            raise Stop("awaits-others", node)
        self.at.awaits(node)
        self.at.expression(inner)

    def becomes_a_list(self, node: ast.Call) -> bool:
        """Tell whether a call gathers what can't be gathered there: some of it is done by no coroutine."""
        if node.keywords or self.flow.standard_name(self.at.module, node.func) != "asyncio.gather":
            return False
        return not self.job.asynchronous or any(id(part) in self.flow.ops for part in node.args)

    def _gathered(self, node: ast.expr) -> str | None:
        """Return the list of what was awaited together, one after the other."""
        if not isinstance(node, ast.Call) or not self.becomes_a_list(node):
            return None
        for part in node.args:
            if not self._done_by_itself(part):
                raise Stop("awaits-others", part)
        self.at.notes.append(("one-after-another", node))
        first = node.args[0] if len(node.args) == 1 else None
        if isinstance(first, ast.Starred) and isinstance(first.value, ast.GeneratorExp):
            return f"[{self.at.code(first.value)[1:-1]}]"
        return f"[{', '.join(self.at.code(argument) for argument in node.args)}]"

    def _done_by_itself(self, part: ast.expr) -> bool:
        """Tell whether what is awaited is the provider's or a coroutine function's of the project: then it can be done.

        Anything else is a coroutine of somebody else's, which nobody would await.
        """
        if isinstance(part, ast.Starred):
            listed = isinstance(part.value, (ast.ListComp, ast.GeneratorExp))
            return listed and self._done_by_itself(part.value.elt)  # type: ignore[attr-defined]
        called = self.job.called.get(id(part))
        own = called is not None and isinstance(called.node, ast.AsyncFunctionDef)
        return own or id(part) in self.flow.ops or isinstance(self.flow.values.get(id(part)), Spot)


def runs(numbers: list[int]) -> list[tuple[int, int]]:
    """Return the first and the last of numbers that follow each other, for each run of them."""
    found: list[tuple[int, int]] = []
    for number in numbers:
        if found and found[-1][1] + 1 == number:
            found[-1] = (found[-1][0], number)
        else:
            found.append((number, number))
    return found
