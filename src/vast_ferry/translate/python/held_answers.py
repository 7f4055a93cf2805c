"""Answers that names hold: whether all that a name is given are answers, or it is a mapping that becomes one."""

from __future__ import annotations

import ast
from collections.abc import Mapping

from vast_ferry.translate.python.ends import in_return, is_asked
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.python.job import Job


class HeldAnswers:
    """Tells of the names of a job's functions how they hold answers, each once."""

    def __init__(self, job: Job) -> None:
        self.job = job

    def of(self, function: Function, name: str) -> str:
        """Tell how a name holds an answer: its assignments are `answers`, it is a `mapping`, or neither."""
        key = (function.key, name)
        if key not in self.job.replies_held:
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
        if len(values) != 1 or not isinstance(values[0], ast.Dict):
            return ""
        stood = [str(key.value) for key in values[0].keys if isinstance(key, ast.Constant)]
        always = set(stood) - {key for read in reads for key in _key_removed(read, parents)}
        added = [_key_used(read, parents) for read in reads if read not in returned]
        maybe = {key for keys in added for key in keys or ()}
        if len(set(stood)) != len(values[0].keys) or None in added:
            return ""
        self.job.keys_held[function.key, name] = (always, maybe - always)
        return "mapping"

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


def _key_used(read: ast.Name, parents: Mapping[int, ast.AST]) -> set[str] | None:
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
