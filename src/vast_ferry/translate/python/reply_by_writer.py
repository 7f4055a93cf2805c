"""Answers that are told to an object: read where all that is told stands together, right before the handler ends.

A run is what a handler tells its writer in statements that follow each other, with a `return` behind them, or the
handler's end. Where everything that is told is told in runs, no more than one of them is gone through in a call, and
each is an answer that stands there in full: it is written as one that is returned, and there is no writer any more.
Otherwise (something is told in a loop, or by another function) the writer is made at the first line.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any

from vast_ferry.mapping.python import quoted
from vast_ferry.mapping.tables import Row
from vast_ferry.mapping.writers import ByWriter, WriterMethod
from vast_ferry.translate.python.ends import does_something
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.python.reply_by_shape import ByShape, Unknown
from vast_ferry.translate.python.reply_parts import Made

#: What a parameter has to be → the type that it then has.
_TYPES = {"bytes": "bytes", "text": "str", "number": "int"}


@dataclass(slots=True)
class Run:
    """What is told at one place: its statements, the return behind them, and what then stands at each attribute."""

    statements: list[ast.stmt]
    end: ast.Return | None
    held: dict[str, ast.expr] = field(default_factory=dict)
    usual: dict[str, Any] = field(default_factory=dict)  # what stands there of itself
    added: dict[str, list[ast.expr]] = field(default_factory=dict)
    put: dict[str, list[tuple[ast.expr, ast.expr]]] = field(default_factory=dict)


class Told(ByShape):
    """Reads what one function tells its writer."""

    def runs(self, function: Function) -> list[Run] | None:
        """Return the runs of a handler; nothing where something is told otherwise."""
        writer = self._shape.writer
        assert writer is not None
        runs: list[Run] = []
        for run in _runs(function.node.body, function.writer, tail=True, alone=True):
            if run is None:
                return None
            runs.append(run)
        named = [n for run in runs for one in run.statements for n in ast.walk(one) if isinstance(n, ast.Name)]
        if sum(one.id == function.writer for one in named) != len(function.nodes.uses(function.writer)):
            return None
        try:
            for run in runs:
                self._read(run, writer)
                self._dry(run)
        except Unknown:
            return None
        return runs

    def answer(self, run: Run) -> Made:
        """Return the parts of the answer that a run tells; raises Unknown where one can't be told."""
        form = next(form for form in self._source if form.when == "writer")
        rows = tuple(replace(row, field="headers") if row.field == "headers.plain" else row for row in form.rows)
        form = replace(form, rows=rows)
        self._run = run
        attributes = {row.field: str(getattr(row.at.steps[-1], "name", "")) for row in form.rows}
        usual = {field: run.usual[name] for field, name in attributes.items() if name in run.usual}
        if any(value for field, value in usual.items() if field != "status" and attributes[field] not in run.put):
            raise Unknown  # something stands there already
        status = {"status": usual["status"]} if isinstance(usual.get("status"), int) else {}
        return self._parts(replace(form, fixed={**form.fixed, **status}), dict(run.held))

    def _dry(self, run: Run) -> None:
        """Read an answer and take back all that was noted for it."""
        take_back = self.at.noted()
        try:
            self.answer(run)
        finally:
            take_back()

    # --- what is told ---

    def _read(self, run: Run, writer: ByWriter) -> None:
        """Note what the statements of a run tell; raises Unknown where that can't be followed."""
        run.usual = dict(writer.holds)
        began = False
        for statement in run.statements:
            if isinstance(statement, ast.Assign):
                (target,) = statement.targets
                assert isinstance(target, ast.Attribute)
                if target.attr not in writer.holds or target.attr in run.held:
                    raise Unknown
                run.held[target.attr] = statement.value
                run.usual.pop(target.attr)
                continue
            for name, call in _calls(statement):
                method = writer.methods.get(name)
                if method is None or (method.first and began):
                    raise Unknown
                self._tell(run, method, _given(method, call))
                began = True
        # An attribute that is set to what stands there of itself tells nothing: then what is returned counts.
        if not began and not any(_is_another(value, writer.holds[name]) for name, value in run.held.items()):
            raise Unknown

    def _tell(self, run: Run, method: WriterMethod, given: dict[str, ast.expr]) -> None:
        """Note what one call does to the attributes; raises Unknown where one would be told twice."""
        usual = {name: ast.literal_eval(text) for name, mark, text in (t.partition("=") for t in method.takes) if mark}
        if any(self._type(given[name]) != _TYPES[kind] for name, kind in method.only.items() if name in given):
            raise Unknown
        if method.seals:
            raise Unknown  # what may be told after it is the provider's to say
        for attribute, name in method.sets.items():
            if attribute in run.held or attribute in run.added or attribute in run.put:
                raise Unknown
            run.usual.pop(attribute, None)
            if name in given:
                run.held[attribute] = given[name]
            else:
                run.usual[attribute] = usual[name]
        for attribute, name in method.adds.items():
            if run.usual.get(attribute) or attribute in run.held or (name not in given and usual[name]):
                raise Unknown
            if name in given:
                run.added.setdefault(attribute, []).append(given[name])
        for attribute, pair in method.puts.items():
            self._put(run, attribute, pair, given)

    def _put(self, run: Run, attribute: str, pair: tuple[str, str], given: dict[str, ast.expr]) -> None:
        before = run.put.setdefault(attribute, [])
        if attribute in run.held or not set(pair) <= given.keys():
            raise Unknown
        name, value = given[pair[0]], given[pair[1]]
        if any(_same(name, known) for known, _ in before):
            raise Unknown
        before.append((name, value))

    # --- its parts ---

    def _fields(self, made: Made, row: Row, value: ast.expr | None) -> None:
        if value is not None:
            super()._fields(made, row, value)
        for name, inner in self._run.put.get(str(getattr(row.at.steps[-1], "name", "")), []):
            if isinstance(name, ast.Constant) and str(name.value).lower() == "set-cookie":
                raise Unknown
            self._field(made, name, inner, forgives=row.lens.forgives)

    def _content(self, made: Made, row: Row, value: ast.expr | None) -> str:
        """Note the content: all that was added, one behind the other."""
        attribute = str(getattr(row.at.steps[-1], "name", ""))
        parts = self._run.added.get(attribute) or ([value] if value is not None else [])
        kinds = {self._type(part) for part in parts}
        if not parts:
            return ""
        if len(kinds) > 1 or not kinds <= {"str", "bytes"}:
            raise Unknown
        (made.body_type,) = kinds
        if all(isinstance(part, ast.Constant) for part in parts) and made.body_type == "str":
            made.body = quoted("".join(str(getattr(part, "value", "")) for part in parts))
        else:
            made.body = " + ".join(self._operand_of_sum(part, alone=len(parts) == 1) for part in parts)
        return "text" if made.body_type == "str" else "bytes"

    def _operand_of_sum(self, part: ast.expr, *, alone: bool) -> str:
        text = self.at.code(part)
        free = ast.Constant | ast.Name | ast.Call | ast.Attribute | ast.Subscript | ast.JoinedStr
        sums = isinstance(part, ast.BinOp) and isinstance(part.op, ast.Add)
        return text if alone or sums or isinstance(part, free) else f"({text})"


def _is_another(value: ast.expr, usual: Any) -> bool:
    """Tell whether a value is sure to be another than the usual one."""
    return isinstance(value, ast.Constant) and value.value != usual


def _same(one: ast.expr, other: ast.expr) -> bool:
    """Tell whether two names of header fields may be the same."""
    if isinstance(one, ast.Constant) and isinstance(other, ast.Constant):
        return str(one.value).lower() == str(other.value).lower()
    return True


def _given(method: WriterMethod, call: ast.Call) -> dict[str, ast.expr]:
    """Return what a method is given, by its parameters' names; raises Unknown where that is hidden or wrong."""
    names = [one.partition("=")[0] for one in method.takes]
    if len(call.args) > len(names) or any(isinstance(one, ast.Starred) for one in call.args):
        raise Unknown
    given: dict[str, ast.expr] = dict(zip(names, call.args, strict=False))
    for keyword in call.keywords:
        if keyword.arg is None or keyword.arg not in names or keyword.arg in given:
            raise Unknown
        given[keyword.arg] = keyword.value
    if any(one not in given for one in method.takes if "=" not in one):
        raise Unknown
    return given


def _calls(statement: ast.stmt) -> list[tuple[str, ast.Call]]:
    """Return the methods that a statement calls on the writer, one on what another gave, in their order."""
    assert isinstance(statement, ast.Expr)
    at, calls = statement.value, list[tuple[str, ast.Call]]()
    while isinstance(at, ast.Call) and isinstance(at.func, ast.Attribute):
        calls.insert(0, (at.func.attr, at))
        at = at.func.value
    return calls


def _tells(statement: ast.stmt, name: str) -> bool:
    """Tell whether a statement does nothing but tell the writer something."""
    at: ast.AST
    if isinstance(statement, ast.Assign) and len(statement.targets) == 1:
        target = statement.targets[0]
        return isinstance(target, ast.Attribute) and isinstance(target.value, ast.Name) and target.value.id == name
    if not isinstance(statement, ast.Expr):
        return False
    at = statement.value
    while isinstance(at, ast.Call) and isinstance(at.func, ast.Attribute):
        at = at.func.value
    return isinstance(at, ast.Name) and at.id == name and at is not statement.value


def _runs(body: list[ast.stmt], name: str, *, tail: bool, alone: bool) -> Iterator[Run | None]:
    """Yield the runs of a block, None for one behind which the handler goes on.

    `tail` where the handler ends behind the block; `alone` where nothing catches what is raised halfway.
    """
    at = 0
    while at < len(body):
        first = at
        while at < len(body) and _tells(body[at], name):
            at += 1
        if at > first:
            end = body[at] if at < len(body) else None
            leaves = isinstance(end, ast.Return) and (end.value is None or not does_something(end.value))
            steps = sum(len(_calls(s)) if isinstance(s, ast.Expr) else 1 for s in body[first:at])
            fine = (leaves or (end is None and tail)) and (alone or steps == 1)
            yield Run(body[first:at], end if isinstance(end, ast.Return) else None) if fine else None
            at += leaves
            continue
        yield from _inside(body[at], name, tail=tail and at == len(body) - 1, alone=alone)
        at += 1


def _inside(statement: ast.stmt, name: str, *, tail: bool, alone: bool) -> Iterator[Run | None]:
    """Yield the runs of the blocks of a statement."""
    loop = isinstance(statement, (ast.For, ast.AsyncFor, ast.While))
    tried = isinstance(statement, ast.Try)
    for part in ("body", "orelse", "finalbody"):
        if isinstance(statement, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)):
            return  # what it uses is counted, and is none of the runs
        guarded = tried and part == "body"
        ends = tail and not loop and not (tried and (statement.finalbody or (part == "body" and statement.orelse)))  # type: ignore[attr-defined]
        yield from _runs(getattr(statement, part, []), name, tail=ends, alone=alone and not guarded)
    for block in (*getattr(statement, "handlers", []), *getattr(statement, "cases", [])):
        ends = tail and not getattr(statement, "finalbody", [])
        yield from _runs(block.body, name, tail=ends, alone=alone)
