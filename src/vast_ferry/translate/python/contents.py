"""Content that is Base64 where a flag says so, read by whoever asks the flag: in an expression, or by statements.

    if event["packed"]:
        return base64.b64decode(event["content"])
    return event["content"].encode()

Each side gives the content as something: bytes, or text. Where both give the same, the whole is the content read as
that. Where one gives bytes and the other text, nothing at the target stands for what comes of it, unless it is only
read as JSON, which takes both. The flag may be negated, and the two sides may be those of a condition, assignments to
one name, an assignment that is done over, or two returns.
"""

from __future__ import annotations

import ast
from typing import Final

from vast_ferry.mapping.lenses.lens import Plain
from vast_ferry.translate.operations import As, Decode, ReadByStatement
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.following import Following
from vast_ferry.translate.python.functions import NOTHING
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.values import Bound, Of, Value

#: What is taken for granted where such content is read as bytes, or as text.
_AS_READ: Final = {"bytes": "bytes-as-they-came", "text": "charset-assumed"}
_UTF_8: Final = frozenset(["utf-8", "utf8", "utf_8"])


class Contents:
    """Recognises how one function that is followed reads such content."""

    def __init__(self, follower: Following) -> None:
        self.follower, self.flow = follower, follower.flow

    def in_expression(self, node: ast.IfExp) -> Value | None:
        """Return what `b64decode(content) if packed else content` gives, in all its forms; None for anything else."""
        content, negated = self._asked(node.test)
        if content is None:
            return None
        self.follower.eval(node.body)
        self.follower.eval(node.orelse)
        packed, plain = (node.orelse, node.body) if negated else (node.body, node.orelse)
        one, other = self._form(packed, content, packed=True), self._form(plain, content, packed=False)
        if one and one == other:
            self.follower.note(node, _read(content, one, packed), node.test, packed, plain)
            self._swallow(node)
            return _typed(one)
        if {one, other} == {"bytes", "text"} and self._only_json(node):
            self._swallow(node)
            return content
        return NOTHING

    def or_empty(self, node: ast.BoolOp, first: Value) -> Value | None:
        """Return the content where `content or ""` stands, which is the same, as `headers or {}` is; else None."""
        if not isinstance(first, Spot) or not (ends := _or_empty(node)):
            return None
        shape = self.flow.shape(first)
        row = shape.row(first.role, first.steps)
        if row is None or row.null_if_empty or row.optional:
            return None
        texts = isinstance(row.lens, Plain) and shape.shape.fields[row.field].holds == "texts"
        by_name = row.lens.subscript is not None or texts
        if not (row.lens.content == "packed" if ends == "text" else by_name):
            return None
        self.follower.consume(node.values[0])
        return first

    def by_statement(self, node: ast.If) -> bool:
        """Recognise the same in statements, and note what is to be written in their place."""
        content, negated = self._asked(node.test)
        around = self.follower.module.nodes.parents.get(id(node))
        if content is None or len(node.body) != 1 or len(node.orelse) > 1:
            return False
        if isinstance(around, ast.If) and around.orelse == [node]:  # it may be written as `elif`
            return False
        if isinstance(node.body[0], ast.Return):
            return self._returned(node, content, negated=negated)
        first, second = _assigned(node.body[0]), _assigned(node.orelse[0]) if node.orelse else None
        if first is None:
            return False
        if second is not None:
            return first[0] == second[0] and self._assigned_both(node, content, first, second, negated=negated)
        return not node.orelse and not negated and self._done_over(node, content, *first)

    def _returned(self, node: ast.If, content: Spot, *, negated: bool) -> bool:
        """Recognise two returns: in both branches, or in the one and behind it."""
        other = node.orelse[0] if node.orelse else self._next(node)
        one = node.body[0]
        function = self.follower.function
        if function is None or function.entry or not isinstance(one, ast.Return) or not isinstance(other, ast.Return):
            return False
        if one.value is None or other.value is None:
            return False
        packed, plain = (other.value, one.value) if negated else (one.value, other.value)
        form = self._both(packed, plain, content)
        if not form:
            return False
        self._write(node, ReadByStatement("", _read(content, form, packed)), packed, plain)
        if not node.orelse:
            self._write(other, ReadByStatement(), plain)
        return True

    def _next(self, node: ast.If) -> ast.stmt | None:
        """Return the statement behind one in its block."""
        above = self.follower.module.nodes.parents.get(id(node))
        for name in ("body", "orelse", "finalbody"):
            block = getattr(above, name, None)
            if isinstance(block, list) and node in block:
                return next(iter(block[block.index(node) + 1 :]), None)
        return None

    def _assigned_both(
        self,
        node: ast.If,
        content: Spot,
        first: tuple[str, ast.expr],
        second: tuple[str, ast.expr],
        *,
        negated: bool,
    ) -> bool:
        packed, plain = (second[1], first[1]) if negated else (first[1], second[1])
        form = self._both(packed, plain, content)
        if not form:
            return False
        self._bind(node, first[0], form, content, packed, plain)
        return True

    def _done_over(self, node: ast.If, content: Spot, name: str, packed: ast.expr) -> bool:
        """Recognise that a name holds the content, and what is decoded of it where it is Base64."""
        before = self.follower.env.get(name)
        value = before.value if before else NOTHING
        if not isinstance(value, Spot) or value.steps != content.steps or not before or not before.origin:
            return False
        self.follower.eval(packed)
        form = self._form(packed, content, packed=True)
        if form == "bytes" and self._reads_json(name, packed):
            self._write(node, ReadByStatement(), packed)  # the name holds the content, which is read as JSON
            return True
        if form != "text":
            return False
        self._bind(node, name, form, content, packed)
        return True

    def _bind(self, node: ast.If, name: str, form: str, content: Spot, *parts: ast.expr) -> None:
        self._write(node, ReadByStatement(name, _read(content, form, parts[0])), *parts)
        self.follower.env[name] = Bound(_typed(form))

    def _write(self, node: ast.stmt, read: ReadByStatement, *parts: ast.expr) -> None:
        """Note what is written in a statement's place; nothing of its parts needs to be made."""
        self.flow.statements[id(node)] = read
        if self.follower.function is not None:
            self.follower.function.ops.add(id(node))
        for part in (*([node.test] if isinstance(node, ast.If) else []), *parts):
            self.follower.consume(part)
            self._swallow(part)

    def _both(self, packed: ast.expr, plain: ast.expr, content: Spot) -> str:
        """Return as what both sides give the content; empty where they don't give the same."""
        self.follower.eval(packed)
        self.follower.eval(plain)
        one, other = self._form(packed, content, packed=True), self._form(plain, content, packed=False)
        return one if one == other else ""

    def _asked(self, test: ast.expr) -> tuple[Spot | None, bool]:
        """Return the content of which a test asks whether it is Base64, and whether it asks if it is not."""
        negated = isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not)
        asked = test.operand if isinstance(test, ast.UnaryOp) else test
        if isinstance(asked, ast.Compare) and len(asked.ops) == 1 and isinstance(asked.ops[0], (ast.Is, ast.Eq)):
            true = asked.comparators[0]
            asked = asked.left if isinstance(true, ast.Constant) and true.value is True else asked
        value = self.flow.values.get(id(asked), NOTHING)
        if not isinstance(value, Spot) or (isinstance(test, ast.UnaryOp) and not negated):
            return None, False
        row = self.flow.shape(value).flags.get((value.role, value.steps))
        if row is None or row.lens.content != "packed":
            return None, False
        return Spot(value.kind, value.role, row.at.steps, value.holder), negated

    def _form(self, node: ast.expr, content: Spot, *, packed: bool) -> str:
        """Return as what an expression gives the content: bytes, text, or nothing that is known."""
        value = self.flow.values.get(id(node))
        if isinstance(value, Spot) and value.steps == content.steps:
            return "" if packed else "text"
        op = self.flow.ops.get(id(node))
        if isinstance(op, Decode) and op.field == "body" and op.form is As.BYTES:
            return "bytes"
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "decode":
            inner = self._form(node.func.value, content, packed=packed)
            return "text" if packed and inner == "bytes" and _in_utf_8(node) else ""
        return ""

    def _only_json(self, node: ast.expr) -> bool:
        """Tell whether all that is done with what an expression gives is to read it as JSON, by whatever name."""
        parents = self.follower.module.nodes.parents
        above = parents.get(id(node))
        if self._is_json(above, node):
            return True
        target = above.targets[0] if isinstance(above, ast.Assign) and len(above.targets) == 1 else None
        function = self.follower.function
        if not isinstance(target, ast.Name) or function is None or id(target) in function.keep:
            return False
        return self._reads_json(target.id, None)

    def _reads_json(self, name: str, besides: ast.expr | None) -> bool:
        """Tell whether a name is only read to be read as JSON, `besides` an expression."""
        function = self.follower.function
        if function is None or name in function.nodes.told_global:
            return False
        inside = {id(one) for one in walk(besides)} if besides is not None else set()
        reads = [one for one in function.nodes.uses(name) if isinstance(one.ctx, ast.Load) and id(one) not in inside]
        parents = function.nodes.parents
        return bool(reads) and all(self._is_json(parents.get(id(one)), one) for one in reads)

    def _is_json(self, above: ast.AST | None, node: ast.expr) -> bool:
        if not isinstance(above, ast.Call) or above.args != [node] or above.keywords:
            return False
        return self.flow.standard_name(self.follower.module, above.func) == "json.loads"

    def _swallow(self, node: ast.expr) -> None:
        """Note that nothing inside a node needs to be made."""
        for inner in walk(node):
            if inner is not node and isinstance(inner, ast.expr):
                self.follower.consume(inner)


def _or_empty(node: ast.BoolOp) -> str:
    """Return what is empty behind `or`, if that is all that stands there: a text, or a mapping."""
    last = node.values[-1]
    if len(node.values) != 2 or not isinstance(node.op, ast.Or):
        return ""
    if isinstance(last, ast.Dict) and not last.keys:
        return "mapping"
    return "text" if isinstance(last, ast.Constant) and last.value == "" else ""


def _read(content: Spot, form: str, packed: ast.expr) -> Decode:
    """Return the content read as bytes or text; `packed` is how that is made of Base64."""
    return Decode(content, "body", As(form), _AS_READ[form], _errors(packed) if form == "text" else "")


def _errors(call: ast.expr) -> str:
    given = (
        [*call.args[1:], *(one.value for one in call.keywords if one.arg == "errors")]
        if isinstance(call, ast.Call)
        else []
    )
    said = [one.value for one in given if isinstance(one, ast.Constant) and one.value != "strict"]
    return str(said[0]) if said else ""


def _typed(form: str) -> Of:
    return Of("bytes" if form == "bytes" else "str")


def _in_utf_8(call: ast.Call) -> bool:
    """Tell whether a call of `decode` reads UTF-8; what it does with what is none is said in words."""
    named = {one.arg: one.value for one in call.keywords}
    given = dict(zip(("encoding", "errors"), call.args, strict=False)) | named
    if len(given) != len(call.args) + len(call.keywords) or not given.keys() <= {"encoding", "errors"}:
        return False
    if not all(isinstance(one, ast.Constant) and isinstance(one.value, str) for one in given.values()):
        return False
    encoding = given.get("encoding")
    return not isinstance(encoding, ast.Constant) or str(encoding.value).lower() in _UTF_8


def _assigned(node: ast.stmt) -> tuple[str, ast.expr] | None:
    """Return the name and the value of a plain assignment."""
    if isinstance(node, ast.Assign) and len(node.targets) == 1 and isinstance(node.targets[0], ast.Name):
        return node.targets[0].id, node.value
    return None
