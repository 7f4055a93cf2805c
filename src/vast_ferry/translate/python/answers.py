"""Which functions make answers: what they return is what a handler returns, whoever calls them."""

from __future__ import annotations

import ast
from collections.abc import Collection, Iterable, Mapping
from enum import Enum
from functools import partial

from vast_ferry.hub.kinds import REQUEST, is_request
from vast_ferry.translate.python.copies import Copies, for_calls
from vast_ferry.translate.python.ends import falls_off, in_return, is_asked
from vast_ferry.translate.python.functions import Function, own_returns
from vast_ferry.translate.python.held_answers import HeldAnswers, bound_to, key_used
from vast_ferry.translate.python.job import Job
from vast_ferry.translate.values import Key


def settle_answers(
    job: Job, handlers: Iterable[Function], *, apart: Collection[Key] = (), shared: Collection[Key] = ()
) -> None:
    """Find the functions all of whose calls are answers: what they return is written anew.

    Calls in functions that stand `apart` don't count: they will call something else. What is `shared` with handlers
    that are wrapped gives what it gave. One whose callers ask whether it gave an answer, and go on where it gave none,
    gives None as it did.
    """
    waiting: list[Function] = []
    for handler in {f.key: f for f in handlers}.values():
        over = job.flow.taken_over(handler)
        job.facts[handler.key].answers = over is None
        if over is not None:
            job.facts[over.key].answers = True
        if is_request(job.facts[handler.key].kind):
            waiting.append(handler)
    waiting += _before_and_behind(job, waiting)
    candidates = {key: one for key, one in _answering_from(job, waiting).items() if key not in shared}
    asked: dict[Key, bool] = {}
    changed = True
    while changed:  # one that also serves otherwise makes no answers, nor then do those that only hand its on
        changed = False
        for key, function in list(candidates.items()):
            uses = {
                _use(job, caller, call, candidates)
                for caller, call in function.calls
                if caller is None or caller.key not in apart
            }
            asked[key] = Use.ASKED in uses
            if asked[key]:
                uses |= {Use.OTHER} if not _may_be_asked(job, function, candidates, uses) else set()
            if function.referred or Use.OTHER in uses:
                del candidates[key]
                changed = True
    for key in candidates:
        job.facts[key].answers, job.facts[key].asked = True, asked[key]
        job.facts[key].kind = REQUEST


def changed_answers(job: Job, handlers: Iterable[Function]) -> Copies | None:
    """Return how helpers come to stand twice whose answers are returned by some callers, and changed first by others.

    `reply = told(200); reply["headers"].append(…); return reply` goes on with the mapping that the helper gave, and
    answers with that; where the helper made the target's answers there would be none. Looked for before it is settled
    who makes answers.
    """
    held = HeldAnswers(job)
    first = [one for one in handlers if is_request(job.declared[one.key][0].kinds[0])]
    answering = _answering_from(job, list(first))
    of_answers = {*answering, *(one.key for one in first)}
    changed = [
        (function, caller, call)
        for function in answering.values()
        for caller, call in function.calls
        if caller is not None and _changes(caller, call) and held.given_by(function) is not None
    ]
    kept = {one.key: one for function, _, _ in changed for one in _givers(job, function)}  # whose mappings go on
    twice: set[Key] = set()
    while more := {
        k for k, one in kept.items() if k not in twice and _answers_too(one, of_answers - (kept.keys() - twice))
    }:
        twice |= more
    calls = [(caller, call) for function, caller, call in changed if function.key in twice]
    inside = [(caller, call) for key in twice for caller, call in job.flow.functions[key].calls if caller is not None]
    calls += [(caller, call) for caller, call in inside if caller.key in kept and caller.key not in twice]
    return for_calls(job.flow, twice, calls) if calls else None


def _answers_too(function: Function, answering: Collection[Key]) -> bool:
    """Tell whether what a function gives is returned as it is by some who answer with it."""
    uses = [(caller, call) for caller, call in function.calls if caller is not None and caller.key in answering]
    return any(_use_of(caller, call, caller.nodes.parents) is not Use.OTHER for caller, call in uses)


def _changes(caller: Function, call: ast.Call) -> bool:
    """Tell whether what a call gives has a name, is looked into or changed by its keys there, and is returned."""
    parents = caller.nodes.parents
    name = parents.get(id(call))
    target = name.targets[0] if isinstance(name, ast.Assign) and len(name.targets) == 1 else None
    if not isinstance(target, ast.Name) or len(bound_to(caller, target.id)) != 1:
        return False
    reads = [use for use in caller.nodes.uses(target.id) if isinstance(use.ctx, ast.Load)]
    others = [read for read in reads if not in_return(read, parents)]
    keyed = all(key_used(read, parents) is not None for read in others)
    return bool(others) and len(others) < len(reads) and keyed


def _givers(job: Job, function: Function) -> Iterable[Function]:
    """Return a function and those of whose mappings it gives one."""
    found, waiting = {function.key: function}, [function]
    while waiting:
        for node in own_returns(waiting.pop()):
            for called in job.every_called(node.value):
                if called.key not in found:
                    found[called.key] = called
                    waiting.append(called)
    return found.values()


class Use(Enum):
    """What becomes of what a call gives: it is the caller's answer, or it is if there is one, or something else."""

    ANSWER = "answer"
    ASKED = "asked"
    OTHER = "other"


def _may_be_asked(job: Job, function: Function, candidates: Mapping[Key, Function], uses: set[Use]) -> bool:
    """Tell whether a function gives None, or what can't be taken for nothing on either side."""
    nothing = falls_off(function.node.body, partial(job.flow.lets_through, function.module))
    for value in (value for node in own_returns(function) for value in _either(node.value)):
        if value is None or (isinstance(value, ast.Constant) and value.value is None):
            nothing = True
        elif isinstance(value, ast.Call):
            called = job.every_called(value)
            own = job.flow.standard_name(function.module, value.func) in job.flow.reply_classes
            if not own and (not called or any(one.key not in candidates for one in called)):
                return False
        elif not (isinstance(value, ast.Dict) and value.keys):
            return False
    return not (nothing and Use.ANSWER in uses)  # where None is an answer as well


def _either(value: ast.expr | None) -> list[ast.expr | None]:
    """Return what an expression may give: itself, or both sides of a condition."""
    return [*_either(value.body), *_either(value.orelse)] if isinstance(value, ast.IfExp) else [value]


def _before_and_behind(job: Job, handlers: list[Function]) -> list[Function]:
    """Settle what decorators put before handlers: that answers, and a handler only if what it gives is handed on."""
    found: dict[Key, Function] = {}
    for handler in list(handlers):
        chain, at = [handler], handler
        while at.stands_behind is not None:
            at = job.flow.functions[at.stands_behind]
            chain.append(at)
        answers = True
        for one in reversed(chain):  # from what the provider calls to the handler itself
            job.facts[one.key].answers, job.facts[one.key].kind = answers, REQUEST
            found[one.key] = one
            behind = [job.flow.functions[key] for key in one.stands_before]
            several = {each.key: each for each in behind} if one.takes_over else {}  # which are called by one call
            answers = answers and all(
                _use(job, caller, call, several) is Use.ANSWER
                for each in behind
                for caller, call in each.calls
                if caller is one
            )
        if not answers:
            handlers.remove(handler)
    return [one for one in found.values() if one not in handlers and job.facts[one.key].answers]


def _answering_from(job: Job, waiting: list[Function]) -> dict[Key, Function]:
    """Return the functions whose calls are returned by handlers, and by those in turn."""
    candidates: dict[Key, Function] = {}
    while waiting:
        function = waiting.pop()
        for node in own_returns(function):
            for called in _answering(job, function, node.value):
                if called.key not in candidates and not called.entry:
                    candidates[called.key] = called
                    waiting.append(called)
    return candidates


def _answering(job: Job, function: Function, node: ast.expr | None) -> list[Function]:
    if isinstance(node, ast.IfExp):
        return [*_answering(job, function, node.body), *_answering(job, function, node.orelse)]
    if isinstance(node, ast.BoolOp):
        return [called for value in node.values for called in _answering(job, function, value)]
    if isinstance(node, ast.Await):
        return _answering(job, function, node.value)
    if isinstance(node, ast.Call):
        return [*job.every_called(node)]
    if isinstance(node, ast.Name):
        return [
            called
            for value in bound_to(function, node.id)
            for called in _answering(job, function, value if not isinstance(value, ast.Name) else None)
        ]
    return []


def _use(job: Job, caller: Function | None, call: ast.Call, candidates: Mapping[Key, Function]) -> Use:
    """Return what becomes of what a call gives."""
    if caller is None or any(one.key not in candidates for one in job.every_called(call)[1:]):
        return Use.OTHER  # of several functions all are written alike
    facts = job.facts[caller.key]
    if not (caller.key in candidates or (facts.answers and is_request(facts.kind))):
        return Use.OTHER
    return _use_of(caller, call, caller.nodes.parents)


def _use_of(caller: Function, node: ast.AST, parents: Mapping[int, ast.AST]) -> Use:
    parent = parents.get(id(node))
    asked = False
    while _passes_through(parent, node):
        asked = asked or (isinstance(parent, ast.BoolOp) and parent.values[-1] is not node)
        node, parent = parent, parents.get(id(parent))  # type: ignore[assignment]
    if isinstance(parent, ast.Return):
        return Use.ASKED if asked else Use.ANSWER
    named: ast.expr | None = parent.target if isinstance(parent, (ast.NamedExpr, ast.AnnAssign)) else None
    if isinstance(parent, ast.Assign) and len(parent.targets) == 1:
        named = parent.targets[0]
    if not isinstance(named, ast.Name):
        return Use.OTHER
    reads = [use for use in caller.nodes.uses(named.id) if isinstance(use.ctx, ast.Load)]
    tests = [read for read in reads if is_asked(read, parents)]
    returned = [read for read in reads if in_return(read, parents)]
    if isinstance(parent, ast.NamedExpr) and not is_asked(parent, parents):
        return Use.OTHER
    if not returned or len(tests) + len(returned) != len(reads):
        return Use.OTHER
    return Use.ASKED if tests or asked or isinstance(parent, ast.NamedExpr) else Use.ANSWER


def _passes_through(parent: ast.AST | None, node: ast.AST) -> bool:
    """Tell whether an expression gives on what is in it, if it gives that at all."""
    if isinstance(parent, ast.IfExp):
        return parent.test is not node
    return isinstance(parent, ast.Await) or (isinstance(parent, ast.BoolOp) and isinstance(parent.op, ast.Or))
