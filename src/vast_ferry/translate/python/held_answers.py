"""Answers that names hold: whether all that a name is given are answers, or it is a mapping that becomes one."""

from __future__ import annotations

import ast
from collections.abc import Iterator, Mapping
from functools import partial
from typing import Any

from vast_ferry.translate.python.ends import falls_off, in_return, is_asked
from vast_ferry.translate.python.functions import Function, own_returns
from vast_ferry.translate.python.job import Job
from vast_ferry.translate.values import Key


class HeldAnswers:
    """Tells of the names of a job's functions how they hold answers, each once."""

    def __init__(self, job: Job) -> None:
        self.job = job
        self._asked: set[Key] = set()

    def of(self, function: Function, name: str) -> str:
        """Tell how a name holds an answer: its assignments are `answers`, it is a `mapping`, or neither."""
        key = (function.key, name)
        if key not in self.job.replies_held:
            self.job.replies_held[key] = ""  # as long as it asks itself
            self.job.replies_held[key] = self._held(function, name)
        return self.job.replies_held[key]

    def _held(self, function: Function, name: str) -> str:
        if name in function.parameters:
            return ""
        parents = function.nodes.parents
        uses = function.nodes.uses(name)
        reads = [use for use in uses if isinstance(use.ctx, ast.Load)]
        bound = [_value_bound(use, parents.get(id(use))) for use in uses if not isinstance(use.ctx, ast.Load)]
        values = [value for value in bound if value is not None]
        returned = [read for read in reads if in_return(read, parents)]
        asked = [read for read in reads if read not in returned and is_asked(read, parents)]
        if not values or not returned or len(values) < len(bound):
            return ""
        if len(returned) + len(asked) == len(reads) and all(
            self._is_answer(function, value, bool(asked)) for value in values
        ):
            return "answers"
        stood = self.keys(function, values[0]) if len(values) == 1 else None
        added = [key_used(read, parents) for read in reads if read not in returned]
        if stood is None or None in added:
            return ""
        always = stood[0] - {key for read in reads for key in _key_removed(read, parents)}
        maybe = {key for keys in added for key in keys or ()} | stood[1]
        self.job.keys_held[function.key, name] = (always, maybe - always)
        return "mapping"

    def keys(self, function: Function, value: ast.expr | None) -> tuple[set[str], set[str]] | None:
        """Return the keys that a mapping always has, and those that it may have; nothing where that is not known.

        It stands there in full, or a function of the project gives it, which does not make the target's answers.
        """
        if isinstance(value, ast.Dict):
            stood = {str(key.value) for key in value.keys if isinstance(key, ast.Constant)}
            return (stood, set()) if len(stood) == len(value.keys) else None
        if isinstance(value, ast.IfExp):
            return _either(self.keys(function, value.body), self.keys(function, value.orelse))
        if isinstance(value, ast.Await):
            return self.keys(function, value.value)
        if isinstance(value, ast.Name):
            state = self.of(function, value.id)
            if state == "mapping":
                return self.job.keys_held[function.key, value.id]
            bound = bound_to(function, value.id) if state == "answers" else []
            return _either(*(self.keys(function, one) for one in bound)) if bound else None
        called = self.job.every_called(value)
        if len(called) != 1 or called[0].generates or self.job.makes_answers(called[0]):
            return None
        return self.given_by(called[0])

    def given_by(self, function: Function) -> tuple[set[str], set[str]] | None:
        """Return the keys of the mapping that a function gives, as `keys` does; nothing where it may give another."""
        returned = [node.value for node in own_returns(function)]
        if not returned or falls_off(function.node.body, partial(self.job.flow.lets_through, function.module)):
            return None
        if function.key in self._asked:  # it gives what it gives itself
            return None
        self._asked.add(function.key)
        found = _either(*(self.keys(function, value) for value in returned))
        self._asked.discard(function.key)
        return found

    def parts(self, function: Function, value: ast.expr) -> Iterator[tuple[Function, str, ast.expr]]:
        """Yield what is put under each key of a mapping that `keys` knows, and the function in which that stands."""
        if isinstance(value, ast.Dict):
            keys = (key.value if isinstance(key, ast.Constant) else "" for key in value.keys)
            yield from ((function, str(key), part) for key, part in zip(keys, value.values, strict=True))
        if isinstance(value, ast.Name):
            uses = function.nodes.uses(value.id)
            yield from ((function, *put) for use in uses for put in _put(use, function.nodes.parents))
        for there, inner in self._given(function, value):
            yield from self.parts(there, inner)

    def _given(self, function: Function, value: ast.expr) -> list[tuple[Function, ast.expr]]:
        """Return the expressions one of which is a mapping's, and the function in which each stands."""
        if isinstance(value, ast.IfExp):
            return [(function, value.body), (function, value.orelse)]
        if isinstance(value, ast.Await):
            return [(function, value.value)]
        if isinstance(value, ast.Name):
            return [(function, one) for one in bound_to(function, value.id)]
        called = [(one, node.value) for one in self.job.every_called(value) for node in own_returns(one)]
        return [(one, inner) for one, inner in called if inner is not None]

    def _is_answer(self, function: Function, node: ast.expr, asked: bool = False) -> bool:
        """Tell whether an expression gives an answer or, where it is `asked` whether it does, None."""
        if isinstance(node, ast.IfExp):
            return self._is_answer(function, node.body, asked) and self._is_answer(function, node.orelse, asked)
        if isinstance(node, ast.Await):
            return self._is_answer(function, node.value, asked)
        if asked and isinstance(node, ast.Constant):
            return node.value is None
        if isinstance(node, ast.Call):
            called = self.job.called.get(id(node))
            if called is not None:
                return self.job.makes_answers(called)
            return self.job.flow.standard_name(function.module, node.func) in self.job.flow.reply_classes
        return isinstance(node, ast.Dict)


def _either(*keys: tuple[set[str], set[str]] | None) -> tuple[set[str], set[str]] | None:
    """Return the keys of one of several mappings."""
    known = [one for one in keys if one is not None]
    if len(known) < len(keys):
        return None
    always = set.intersection(*(one[0] for one in known))
    return always, set().union(*(part for one in known for part in one)) - always


def bound_to(function: Function, name: str) -> list[ast.expr]:
    """Return what a function binds to a name."""
    found = []
    for node in function.nodes.all:
        target: Any = None
        if isinstance(node, ast.Assign) and len(node.targets) == 1:
            target = node.targets[0]
        elif isinstance(node, (ast.NamedExpr, ast.AnnAssign)):
            target = node.target
        value = getattr(node, "value", None)
        if isinstance(target, ast.Name) and target.id == name and isinstance(value, ast.expr):
            found.append(value)
    return found


def _put(use: ast.Name, parents: Mapping[int, ast.AST]) -> Iterator[tuple[str, ast.expr]]:
    """Yield what a use of a mapping's name puts into it, under which key."""
    parent = parents.get(id(use))
    above = parents.get(id(parent)) if parent is not None else None
    if isinstance(parent, ast.Subscript) and isinstance(parent.slice, ast.Constant) and isinstance(above, ast.Assign):
        yield str(parent.slice.value), above.value
    elif isinstance(parent, ast.Attribute) and isinstance(above, ast.Call) and above.args:
        first = above.args[0]
        if parent.attr == "update" and isinstance(first, ast.Dict):
            keys = (key.value if isinstance(key, ast.Constant) else "" for key in first.keys)
            yield from zip(map(str, keys), first.values, strict=True)
        elif parent.attr == "setdefault" and isinstance(first, ast.Constant) and len(above.args) > 1:
            yield str(first.value), above.args[1]


def _value_bound(name: ast.Name, statement: ast.AST | None) -> ast.expr | None:
    """Return what a plain assignment binds a name to."""
    if isinstance(statement, ast.Assign):
        return statement.value if len(statement.targets) == 1 and statement.targets[0] is name else None
    if isinstance(statement, ast.NamedExpr):
        return statement.value if isinstance(statement.value, ast.Call) else None
    return statement.value if isinstance(statement, ast.AnnAssign) else None


def _key_removed(read: ast.Name, parents: Mapping[int, ast.AST]) -> set[str]:
    """Return the key that a statement takes out of a mapping."""
    parent = parents.get(id(read))
    removes = isinstance(parent, ast.Subscript) and parent.value is read and isinstance(parent.ctx, ast.Del)
    return {str(parent.slice.value)} if removes and isinstance(parent.slice, ast.Constant) else set()  # type: ignore[union-attr]


def key_used(read: ast.Name, parents: Mapping[int, ast.AST]) -> set[str] | None:
    """Return the keys that a use of a mapping may add, or nothing where it may do anything."""
    parent = parents.get(id(read))
    if isinstance(parent, ast.Subscript) and parent.value is read and isinstance(parent.slice, ast.Constant):
        return {str(parent.slice.value)}
    if isinstance(parent, ast.Attribute) and isinstance(call := parents.get(id(parent)), ast.Call) and call.args:
        first = call.args[0]
        if parent.attr in ("get", "setdefault") and isinstance(first, ast.Constant):
            return {str(first.value)} if parent.attr == "setdefault" else set()
        if parent.attr == "update" and isinstance(first, ast.Dict) and not call.keywords:
            keys = [key.value for key in first.keys if isinstance(key, ast.Constant)]
            return {str(key) for key in keys} if len(keys) == len(first.keys) else None
    return None
