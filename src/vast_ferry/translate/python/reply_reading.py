"""Answers read: the parts of a literal, an object, or a mapping that a name holds."""

from __future__ import annotations

import ast
from collections.abc import Iterable
from functools import partial

from vast_ferry.hub.kinds import REQUEST
from vast_ferry.mapping.by_functions import is_by_name
from vast_ferry.mapping.by_hand import How
from vast_ferry.mapping.places import Item
from vast_ferry.mapping.python import quoted
from vast_ferry.mapping.tables import ReplyForm, Row
from vast_ferry.translate.operations import LookUp
from vast_ferry.translate.python.ends import falls_off
from vast_ferry.translate.python.functions import Function, argument_of
from vast_ferry.translate.python.held_answers import HeldAnswers
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.python.reply_parts import Forms, Made
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Stop


class ReplyReading(Forms):
    """Reads the answers of one function."""

    def _flag(self, form: ReplyForm) -> str:
        for row in form.rows:
            if row.flag is not None and isinstance(row.flag.steps[-1], Item):
                return str(row.flag.steps[-1].key)
        return ""

    def _from_mapping(self, node: ast.Dict, form: ReplyForm) -> Made | None:
        rows, flag = self._rows(form), self._flag(form)
        parts: dict[str, ast.expr] = {}
        for key, value in zip(node.keys, node.values, strict=True):
            if not isinstance(key, ast.Constant) or not isinstance(key.value, str):
                return None
            if key.value not in rows and key.value != flag:
                return None
            parts[key.value] = value
        required = [key for key, row in rows.items() if row.field == "status" and not row.optional]
        if any(key not in parts for key in required):
            return None
        body = next((key for key, row in rows.items() if row.field == "body" and key in parts), None)
        if body is not None and not self._fits(rows[body], parts[body], parts.get(flag) if flag else None):
            return None
        if _in_each_other(parts.values()):
            return None
        made = Made(empty_type="str" if flag else "bytes", usual=form.default_types)
        for name, part in parts.items():
            if name != flag:
                self._part(made, rows[name], part, parts.get(flag) if flag else None)
        return made

    def _fits(self, row: Row, value: ast.expr, flag: ast.expr | None, depth: int = 4) -> bool:
        """Tell whether a content may be what its place takes: what it never takes fails, or is read in its own way."""
        if depth and not all(there._fits(row, given, flag, depth - 1) for there, given in self._given_as(value)):
            return False
        kind = "generator" if isinstance(value, ast.GeneratorExp) else self._type(value)
        if isinstance(value, ast.Constant) and value.value is None:
            return True
        if not kind or (kind == "NoneType" and isinstance(value, ast.Name)):
            known = row.lens.content == "packed" or self._same_if_nothing() or not self._may_be_none(value)
            return known or self._counts_as_bytes(row, value)
        flagged = flag is not None and not (isinstance(flag, ast.Constant) and not flag.value)
        whole = ("str",) if row.lens.content == "packed" and not flagged else ("str", "bytes")
        if row.lens.content == "pieces":
            return kind not in ("int", "float", "bool", "dict", "NoneType")
        return kind in whole

    @staticmethod
    def _counts_as_bytes(row: Row, value: ast.expr) -> bool:
        """Tell whether a content that is None counts as no bytes, and can be asked whether it is."""
        return row.lens.content not in ("packed", "pieces", "keys") and isinstance(value, ast.Name)

    def _are_texts(self, value: ast.expr) -> bool:
        """Tell whether no value among header fields that stand there in full is known to be no text."""
        pairs = value.elts if isinstance(value, (ast.List, ast.Tuple)) else ()
        values = [pair.elts[1] for pair in pairs if isinstance(pair, (ast.Tuple, ast.List)) and len(pair.elts) == 2]
        return all(self._type(one) in ("", "str") for one in values)

    def _contents_of(self, name: str, rows: dict[str, Row]) -> list[tuple[ReplyReading, Row, ast.expr]]:
        """Return the contents that are put into a mapping under a name, and what reads where they stand."""
        assert self.at.function is not None
        parts = HeldAnswers(self.job).parts(self.at.function, ast.Name(name))
        return [
            (self._in(function), rows[key], value)
            for function, key, value in parts
            if key in rows and rows[key].field == "body"
        ]

    def _in(self, function: Function) -> ReplyReading:
        """Return what reads the answers of a function."""
        if function is self.at.function:
            return self
        return type(self)(type(self.at)(self.job, function.module, function))

    def _all_fit(self, name: str, rows: dict[str, Row], flagged: bool) -> bool:
        """Tell whether all contents that are put into a mapping under a name may be what their place takes."""
        bodies = self._contents_of(name, rows)
        flag = ast.Constant(value=True) if flagged else None
        nothing = any(isinstance(value, ast.Constant) and value.value is None for _, _, value in bodies)
        fit = all(there._fits(row, value, flag) for there, row, value in bodies)
        return fit and (not nothing or self._same_if_nothing())

    def _same_if_nothing(self) -> bool:
        """Tell whether an answer of None, found when it is made, gets the same type at the target."""
        usual = next((form.default_types for form in self._source if form.default_types), None)
        shape = self.job.answered(REQUEST)
        there = None if shape.by_hand is not None or self._by_content else shape.written.default_types
        return usual is None or (there is not None and there[1] == usual[1])

    def _object_form(self, node: ast.Call) -> ReplyForm | None:
        name = self.flow.standard_name(self.at.module, node.func)
        return next((form for form in self._source if form.class_name and form.class_name == name), None)

    def _from_object(self, node: ast.Call, form: ReplyForm) -> Made | None:
        module, _, name = form.class_name.rpartition(".")
        model = self.job.source.model.modules[module][name]
        names = [parameter.partition("=")[0] for parameter in model.takes]
        if any(isinstance(one, ast.Starred) for one in node.args) or None in [one.arg for one in node.keywords]:
            return None  # what is given is known when it is made
        given: dict[str, ast.expr] = dict(zip(names, node.args, strict=False))
        given |= {keyword.arg: keyword.value for keyword in node.keywords if keyword.arg is not None}
        if _in_each_other(given.values()):
            return None
        rows = self._rows(form)
        made = Made(empty_type="bytes", usual=form.default_types)
        for key, value in given.items():
            if key not in rows:
                raise Stop("reply-unknown", node)
            if not (self._fits(rows[key], value, None) if rows[key].field == "body" else self._are_texts(value)):
                return None
            self._part(made, rows[key], value, None)
        return made

    def _part(self, made: Made, row: Row, value: ast.expr, flag: ast.expr | None) -> None:
        if row.field == "status":
            made.status = self.at.code(value)
        elif row.field in ("headers", "headers.plain"):
            self._headers(made, row, value)
        elif row.field == "set_cookies":
            self._cookies(made, value)
        elif row.field == "body":
            self._body(made, row, value, flag)

    def _resolved(self, value: ast.expr) -> ast.expr:
        """Return the literal that a name stands for which is bound once, to it, and used once, here."""
        function = self.at.function
        if not isinstance(value, ast.Name) or function is None:
            return value
        names = function.nodes.uses(value.id)
        stores = [n for n in names if isinstance(n.ctx, ast.Store)]
        if len(names) != 2 or len(stores) != 1 or value.id in function.parameters:
            return value
        statement = self.at.parents.get(id(stores[0]))
        if not isinstance(statement, ast.Assign) or not isinstance(statement.value, (ast.List, ast.Dict, ast.Tuple)):
            return value
        if any(isinstance(n, ast.Call) for n in ast.walk(statement)) and not self._just_before(statement, value):
            return value
        text = self.at.text
        start, end = text.line_start(text.start(statement)), text.next_line(text.end(statement) - 1)
        if text.data[start : text.start(statement)].strip() or len(statement.targets) != 1:
            return value
        self.at.replaced.append(Edit(start, end, "", "reply"))
        return statement.value

    def _just_before(self, statement: ast.stmt, value: ast.expr) -> bool:
        """Tell whether nothing happens between a statement and the one that holds a node."""
        at: ast.AST | None = value
        while at is not None and not isinstance(at, ast.stmt):
            at = self.at.parents.get(id(at))
        block = getattr(self.at.parents.get(id(statement)), "body", [])
        return statement in block and block[block.index(statement) + 1 :][:1] == [at]

    def _distinct(self, value: ast.expr) -> bool:
        """Tell whether a name holds a list of header fields that are all named, no two alike, and no cookie."""
        function = self.at.function
        if not isinstance(value, ast.Name) or function is None or value.id in function.parameters:
            return False
        names: list[str] = []
        stores = 0
        for use in function.nodes.uses(value.id):
            parent = self.at.parents.get(id(use))
            if use is value:
                continue
            pairs: list[ast.expr] = []
            if isinstance(parent, ast.Assign) and isinstance(parent.value, ast.List) and isinstance(use.ctx, ast.Store):
                stores, pairs = stores + 1, parent.value.elts
            elif isinstance(parent, ast.Attribute) and parent.attr == "append":
                call = self.at.parents.get(id(parent))
                pairs = call.args if isinstance(call, ast.Call) else []
            else:
                return False
            names += [_text(p.elts[0]) if isinstance(p, ast.Tuple) and len(p.elts) == 2 else "" for p in pairs]
        lower = [name.lower() for name in names]
        return stores == 1 and all(names) and len(set(lower)) == len(lower) and "set-cookie" not in lower

    def _made_by_a_call(self, node: ast.expr) -> bool:
        """Tell whether an answer is what a function of the project answers with, awaited or not."""
        inner = node.value if isinstance(node, ast.Await) else node
        called = self.job.called.get(id(inner))
        return called is not None and self.job.makes_answers(called)

    def _literally(self, node: ast.expr) -> Made | None:
        """Return the parts of an answer that stands there in full: an object of the provider's, or a mapping."""
        if isinstance(node, ast.Call) and (form := self._object_form(node)) is not None:
            return self._from_object(node, form)
        shown = self._shown_mapping(node)
        if shown is not None and (mapping := self._form("mapping")) is not None:
            return self._from_mapping(shown, mapping)
        return None

    def _shown_mapping(self, node: ast.expr) -> ast.Dict | None:
        """Return a mapping that stands there in full: in braces, or as `dict(code=200)`, which says the same."""
        if isinstance(node, ast.Dict):
            return node
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name) or node.func.id != "dict":
            return None
        names = [one.arg for one in node.keywords]
        if node.args or not names or not all(names) or self.at.module.binds("dict"):
            return None
        return ast.Dict([ast.Constant(name) for name in names], [one.value for one in node.keywords])

    def _headers(self, made: Made, row: Row, value: ast.expr) -> None:
        if "headers" not in {one.field for one in self._target.rows}:
            value = self._resolved(value)
        if isinstance(value, ast.Constant) and value.value is None:
            return
        inner_dict = self._items_of(value)
        if row.lens.subscript is How.JOINED or is_by_name(row.lens):
            self._header_mapping(made, row, value)
        elif isinstance(value, (ast.List, ast.Tuple)):
            for inner in value.elts:
                self._header_pair(made, row, inner)
        elif "headers" not in {one.field for one in self._target.rows} and self._distinct(value):
            made.spread("dict", f"dict({self.at.code(value)})")
        elif inner_dict is not None:
            made.spread("dict", self._operand(inner_dict))
        else:
            made.spread("pairs", self._operand(value))

    def _header_value(self, row: Row, value: ast.expr) -> str:
        """Return the source of a field's value: text, where the source made it text and the target does not."""
        text = self.at.code(value)
        theirs = next((one.lens for one in self._target.rows if one.field in ("headers", "headers.plain")), None)
        if not row.lens.forgives or (theirs is not None and theirs.forgives) or self._type(value) == "str":
            return text
        return quoted(str(value.value)) if isinstance(value, ast.Constant) else f"str({text})"

    def _header_mapping(self, made: Made, row: Row, value: ast.expr) -> None:
        names = [_text(key) if key is not None else "" for key in value.keys] if isinstance(value, ast.Dict) else []
        unsure = len(names) > 1 and (not all(names) or len(set(names)) < len(names))  # a later one takes its place
        if unsure and "set-cookie" in [name.lower() for name in names]:
            raise Stop("headers-unknown", value)
        if not isinstance(value, ast.Dict) or made.spreads or unsure:
            made.spread("dict", self._operand(value))
            return
        for key, inner in zip(value.keys, value.values, strict=True):
            if key is None:
                made.spread("dict", self._operand(inner))
            else:
                made.pairs.append((self.at.code(key), self._header_value(row, inner), _text(key)))

    def _constant_pair(self, node: ast.expr) -> ast.expr:
        """Return the pair of two texts that a name of the module stands for, and for nothing else; else what it was."""
        function, module = self.at.function, self.at.module
        if not isinstance(node, ast.Name) or (function is not None and node.id in function.nodes.bound):
            return node
        stores = [use for use in module.nodes.uses(node.id) if not isinstance(use.ctx, ast.Load)]
        above = module.nodes.parents.get(id(stores[0])) if len(stores) == 1 else None
        if not isinstance(above, ast.Assign) or above not in module.tree.body or node.id in module.nodes.told_global:
            return node
        pair = above.value
        return pair if isinstance(pair, ast.Tuple) and len(pair.elts) == 2 and all(map(_text, pair.elts)) else node

    def _header_pair(self, made: Made, row: Row, inner: ast.expr) -> None:
        inner = self._constant_pair(inner)
        if isinstance(inner, (ast.Tuple, ast.List)) and len(inner.elts) == 2:
            name, content = inner.elts
            made.pairs.append((self.at.code(name), self.at.code(content), _text(name)))
            return
        if not isinstance(inner, ast.Starred):
            raise Stop("reply-unknown", inner)
        if isinstance(literal := self._resolved(inner.value), ast.List):
            self._headers(made, row, literal)
        else:
            made.spread("pairs", self._operand(inner.value))

    def _items_of(self, node: ast.expr) -> ast.expr | None:
        """Return the mapping whose items an expression lists."""
        if (
            isinstance(node, ast.Call)
            and isinstance(node.func, ast.Name)
            and node.func.id in ("list", "tuple")
            and node.args
        ):
            node = node.args[0]
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "items":
            return node.func.value
        return None

    def _operand(self, node: ast.expr) -> str:
        text = self.at.code(node)
        plain = isinstance(node, (ast.Name, ast.Call, ast.Attribute, ast.Subscript, ast.Dict, ast.List))
        return text if plain else f"({text})"

    def _cookies(self, made: Made, value: ast.expr) -> None:
        if isinstance(value, (ast.List, ast.Tuple)) and not any(isinstance(one, ast.Starred) for one in value.elts):
            made.cookies += [("one", self.at.code(one)) for one in value.elts]
        elif not (isinstance(value, ast.Constant) and value.value is None):
            made.cookies.append(("many", self._operand(value)))

    def _body(self, made: Made, row: Row, value: ast.expr, flag: ast.expr | None) -> None:
        if isinstance(value, ast.Constant) and value.value in (None, "", b""):
            binary = isinstance(flag, ast.Constant) and bool(flag.value)
            written = row.lens.content == "packed" or value.value == ""
            made.empty_type = "str" if written and not binary else "bytes"
            return
        if row.lens.content == "pieces" and (kind := self._pieces(value)):
            made.body, made.body_type = self.at.code(value), kind
            if self._target_body() != "pieces":  # which takes a content whole
                alone = made.body[1:-1] if isinstance(value, ast.GeneratorExp) else made.body
                made.body = f'{"b" * (kind == "bytes")}"".join({alone})'
                self.at.notes.append(("pieces-joined", value))
            return
        if row.lens.content != "packed":
            made.body, made.body_type = self.at.code(value), self._type(value)
            if not self._same_if_nothing() and self._counts_as_bytes(row, value) and self._may_be_none(value):
                made.body = f'b"" if {made.body} is None else {made.body}'
                made.body_type = "" if made.body_type == "NoneType" else made.body_type
            return
        packed = isinstance(flag, ast.Constant) and bool(flag.value)
        if flag is None or (isinstance(flag, ast.Constant) and not flag.value):
            made.body, made.body_type = self.at.code(value), "str"
            if self._target_body() != "packed" and self._may_be_none(value):  # which counts as text here
                made.body = f'{self._operand(value)} or ""'
        elif packed:
            inner = self._unpacked(value)
            if inner is not None:
                made.body, made.body_type = inner, "bytes"
            else:
                made.body = self.at.need(["import base64"], f"base64.b64decode({self.at.code(value)}, validate=True)")
                made.body_type = "bytes"
        else:
            text = self.at.need(["import base64"], f"base64.b64decode({self.at.code(value)}, validate=True)")
            made.body = f"{text} if {self.at.code(flag)} else {self.at.code(value)}"
            made.body_type = "either"

    def _may_be_none(self, value: ast.expr, depth: int = 4) -> bool:
        """Tell whether the code shows that a value may be None."""
        if isinstance(value, ast.Constant) or not depth:
            return isinstance(value, ast.Constant) and value.value is None
        parts: list[ast.expr | None] = []
        if isinstance(value, ast.IfExp):
            parts = [value.body, value.orelse]
        elif isinstance(value, ast.BoolOp):
            parts = list(value.values if isinstance(value.op, ast.And) else value.values[-1:])
        elif isinstance(value, ast.Name) and self.at.function is not None:
            if value.id in self.at.function.named and self._may_be_given_none(self.at.function, value.id, depth - 1):
                return True
            stores = [use for use in self.at.function.nodes.uses(value.id) if isinstance(use.ctx, ast.Store)]
            statements = [self.at.parents.get(id(use)) for use in stores]
            parts = [one.value for one in statements if isinstance(one, (ast.Assign, ast.AnnAssign, ast.NamedExpr))]
        elif isinstance(found := self.flow.ops.get(id(value)), LookUp) and found.how is How.FIRST:
            return found.default is None and not found.strict
        elif isinstance(value, ast.Call) and isinstance(value.func, ast.Attribute) and value.func.attr == "get":
            return len(value.args) == 1 and self._type(value) != "str"
        elif isinstance(value, ast.Call):
            parts = [part for called in self.job.every_called(value) for part in self._given_by(called)]
        return any(part is None or self._may_be_none(part, depth - 1) for part in parts)

    def _may_be_given_none(self, function: Function, name: str, depth: int) -> bool:
        """Tell whether a call may give a parameter None, or leave it at that; so may calls that can't be seen."""
        for caller, call in function.calls:
            given = argument_of(function, call, name)
            nothing = isinstance(given, ast.Constant) and given.value is None
            if given is None or nothing or (caller is not None and self._in(caller)._may_be_none(given, depth)):
                return True
        return function.referred

    def _given_as(self, value: ast.expr) -> list[tuple[ReplyReading, ast.expr]]:
        """Return what calls that can be seen give a parameter, and what reads where each stands."""
        function = self.at.function
        if not isinstance(value, ast.Name) or function is None or value.id not in function.named:
            return []
        given = [(caller, argument_of(function, call, value.id)) for caller, call in function.calls]
        return [(self._in(caller), one) for caller, one in given if caller is not None and one is not None]

    def _given_by(self, called: Function) -> list[ast.expr | None]:
        """Return what a function may return, with None where it may end without; nothing of a generator."""
        returns = [node.value for node in called.nodes.all if isinstance(node, ast.Return)]
        ends = falls_off(called.node.body, partial(self.flow.lets_through, called.module))
        return [] if called.generates else [*returns, *([None] if ends else [])]

    def _target_body(self) -> str:
        return next((row.lens.content for row in self._target.rows if row.field == "body"), "")

    def _pieces(self, value: ast.expr) -> str:
        """Return of what type the pieces are that a generator gives; empty where a content is no generator."""
        if isinstance(value, ast.Name) and self.at.function is not None:
            stores = [use for use in self.at.function.nodes.uses(value.id) if isinstance(use.ctx, ast.Store)]
            statement = self.at.parents.get(id(stores[0])) if len(stores) == 1 else None
            return self._pieces(statement.value) if isinstance(statement, ast.Assign) else ""
        if isinstance(value, ast.GeneratorExp):
            given: list[ast.expr | None] = [value.elt]
        else:
            called = self.job.every_called(value)
            if not called or not called[0].generates:
                return ""
            given = [node.value for one in called for node in one.nodes.each(ast.Yield)]
            given += [None for one in called for _ in one.nodes.each(ast.YieldFrom)]
        kinds = {self._type(one) if one is not None else "" for one in given}
        if len(kinds) != 1 or not kinds <= {"str", "bytes"}:
            if self._target_body() == "pieces":
                return "pieces"
            raise Stop("pieces-unknown", value)
        return kinds.pop()

    def _encoded(self, node: ast.expr) -> ast.expr | None:
        """Return X of `base64.b64encode(X).decode()`."""
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "decode":
            inner = node.func.value
            one = isinstance(inner, ast.Call) and len(inner.args) == 1
            if one and self.flow.standard_name(self.at.module, inner.func) == "base64.b64encode":  # type: ignore[attr-defined]
                return inner.args[0]  # type: ignore[attr-defined, no-any-return]
        return None

    def _unpacked(self, node: ast.expr) -> str | None:
        """Return the source of the bytes that an expression encodes; what only did so encodes no more."""
        encoded = self._encoded(node)
        if encoded is not None:
            return self.at.code(encoded)
        if not isinstance(node, ast.Name) or self.at.function is None:
            return None
        names = self.at.function.nodes.uses(node.id)
        stores = [n for n in names if isinstance(n.ctx, ast.Store)]
        if len(stores) != 1 or len(names) != 2:
            return None
        statement = self.at.parents.get(id(stores[0]))
        if isinstance(statement, ast.Assign) and (whole := self._encoded(statement.value)) is not None:
            start, end = self.at.text.start(statement.value), self.at.text.end(statement.value)
            self.at.replaced.append(Edit(start, end, self.at.code(whole), "reply"))
            return node.id
        return None

    # --- an answer that a name holds ---

    def _from_name(self, name: str, form: ReplyForm) -> Made | None:
        """Return the parts of an answer that a mapping of the author's holds under a name."""
        function = self.at.function
        assert function is not None
        always, maybe = self.at.reply_keys(function, name)
        rows, flag = self._rows(form), self._flag(form)
        if not (always | maybe) <= {*rows, flag} or not self._all_fit(name, rows, flag in always | maybe):
            return None
        left_out = [row for key, row in rows.items() if key in maybe - always and row.field == "body"]
        if any(row.lens.content != "packed" for row in left_out) and not self._same_if_nothing():
            return None  # a content that is left out has the type of nothing, which is another there
        made = Made(empty_type="str" if flag else "bytes", usual=form.default_types)

        def part(key: str, default: str) -> str:
            usual = f", {default}" * bool(default)
            return f"{name}[{quoted(key)}]" if key in always else f"{name}.get({quoted(key)}{usual})"

        for key, row in rows.items():
            if key not in always | maybe:
                continue
            if row.field == "status":
                made.status = part(key, "200")
            elif row.field in ("headers", "headers.plain"):
                kind = "dict" if row.lens.subscript is How.JOINED else "pairs"
                made.spreads.append((kind, part(key, "{}" if kind == "dict" else "[]")))
                made.pairs.append(("", str(len(made.spreads) - 1), ""))
            elif row.field == "set_cookies":
                made.cookies.append(("many", part(key, "[]")))
            elif row.lens.content == "packed" and flag in always | maybe:
                content = part(key, '""')
                text = self.at.need(["import base64"], f"base64.b64decode({content}, validate=True)")
                made.body = f"{text} if {part(flag, 'False')} else {content}"
                made.body_type = "either"
            else:
                made.body_type = "str" if row.lens.content == "packed" else ""
                made.body = part(key, "") + ' or ""' * bool(made.body_type and self._none_is_text(name, rows))
        return made

    def _none_is_text(self, name: str, rows: dict[str, Row]) -> bool:
        """Tell whether a content that a name's mapping holds may be None, which counts as text here and not there."""
        held = self._contents_of(name, rows)
        return self._target_body() != "packed" and any(there._may_be_none(value) for there, _, value in held)


def _text(node: ast.expr) -> str:
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else ""


def _in_each_other(parts: Iterable[ast.expr]) -> bool:
    """Tell whether a part of an answer reads what another one binds: they can't be worked out in another order."""
    bound: set[str] = set()
    read: list[set[str]] = []
    for part in parts:
        names = [one for one in walk(part) if isinstance(one, ast.Name)]
        own = {one.id for one in names if isinstance(one.ctx, ast.Store)}
        bound |= own
        read.append({one.id for one in names if isinstance(one.ctx, ast.Load)} - own)
    return any(bound & one for one in read)
