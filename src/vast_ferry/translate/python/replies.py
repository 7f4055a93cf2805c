"""Answers written anew: a literal, an object, a text or nothing becomes what the target's handler would answer with."""

from __future__ import annotations

import ast
from dataclasses import dataclass, field

from vast_ferry.hub.kinds import REQUEST, is_request
from vast_ferry.mapping.by_hand import How
from vast_ferry.mapping.places import Attr, Item
from vast_ferry.mapping.python import quoted
from vast_ferry.mapping.tables import ReplyForm, Row
from vast_ferry.translate.python.flow import Function
from vast_ferry.translate.python.imports import Import
from vast_ferry.translate.python.writing import Writing
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Of, Stop


@dataclass(slots=True)
class Made:
    """An answer in parts: source of its status, header fields, cookies and content, and of what type that is."""

    status: str = ""
    pairs: list[tuple[str, str, str]] = field(default_factory=list)  # name as source, value as source, name if known
    spreads: list[tuple[str, str]] = field(default_factory=list)  # whole header fields: "dict" or "pairs", source
    cookies: list[tuple[str, str]] = field(default_factory=list)  # "one" or "many", source
    body: str = ""
    body_type: str = ""
    empty_type: str = ""  # as what content that is left out counts: text or bytes

    def spread(self, kind: str, source: str) -> None:
        """Note header fields that stand there as a whole."""
        self.spreads.append((kind, source))
        self.pairs.append(("", str(len(self.spreads) - 1), ""))

    @property
    def typed(self) -> bool:
        """Tell whether a content type is named, or may be."""
        return bool(self.spreads) or any(known.lower() == "content-type" for _, _, known in self.pairs)


class Replies:
    """Writes the answers of one function."""

    def __init__(self, at: Writing) -> None:
        self.at, self.job, self.flow = at, at.job, at.flow

    @property
    def _source(self) -> tuple[ReplyForm, ...]:
        return self.job.source.kinds[self.at.kind].answered.forms

    @property
    def _target(self) -> ReplyForm:
        shape = self.job.target.kinds[self.at.kind].answered
        return shape.by_hand.form if shape.by_hand else shape.written

    # --- returns ---

    def answer(self, node: ast.Return) -> None:
        """Note the edits of a return statement."""
        facts = self.at.facts
        function = self.at.function
        if facts is None or function is None or not facts.answers:
            if node.value is not None:
                self.at.expression(node.value)
            return
        if not is_request(self.at.kind):
            self._done(node)
            return
        value = node.value
        if value is None or (isinstance(value, ast.Constant) and value.value is None):
            nothing = self.nothing(function)
            if nothing:
                self.at.swap(node, nothing, "reply")
            return
        before, self.at.edits = self.at.edits, []
        self.write(value, node)
        inner, self.at.edits = self.at.edits, before
        ends = self.ends(function)
        if not ends:
            self.at.edits += inner
            return
        text = self.at.applied(value, inner)
        loose = isinstance(value, ast.IfExp | ast.BoolOp) or text.startswith("await ")
        text = f"({text}){ends}" if loose else f"{text}{ends}"
        shape = self.job.target.kinds[REQUEST].answered
        if shape.by_hand and shape.by_hand.awaited:
            text = f"await {text}"
        self.at.swap(value, text, "reply")

    def ends(self, function: Function) -> str:
        """Return what stands behind an answer where the handler itself returns it."""
        shape = self.job.target.kinds[REQUEST].answered
        if shape.by_hand is None or not function.entry:
            return ""
        text = shape.by_hand.ends
        for name in self.at.shape.parameters:
            named = self.at.handed.get(name, name)
            text = text.replace(f"({name}", f"({named}").replace(f" {name}", f" {named}")
        return text

    def nothing(self, function: Function) -> str:
        """Return the statement by which a handler answers nothing; empty where it may say nothing."""
        if not is_request(self.at.kind):
            return ""
        shape = self.job.target.kinds[REQUEST].answered
        if shape.by_hand is None and any(form.when == "nothing" for form in shape.forms):
            return ""
        made = self._construct(Made(status="204"), self.at.function.node if self.at.function else self.at.module.tree)
        ends = self.ends(function)
        word = "await " if shape.by_hand and shape.by_hand.awaited and ends else ""
        return f"return {word}{made}{ends}"

    def _done(self, node: ast.Return) -> None:
        """Write what a handler of anything but HTTP says: what shall come again, or nothing."""
        value = node.value
        if value is None or (isinstance(value, ast.Constant) and value.value is None):
            return
        if self.at.kind == "call":
            self.at.expression(value)
            return
        source = self.job.source.kinds[self.at.kind].answered
        target = self.job.target.kinds[self.at.kind].answered
        if not source.holds_again:
            self.at.expression(value)  # it was never looked at
            return
        if target.holds_again:
            own, there = self._again(source), self._again(target)
            self.at.expression(value)
            if own != there:
                raise Stop("reply-unknown", node)
            return
        found = self._again_literal(value, self._again(source))
        if found == "some":
            self.at.swap(node, 'raise RuntimeError("not done: it shall come again")', "batch")
        elif found == "none":
            self.at.swap(node, "return", "batch")
        elif (named := self._again_named(value, self._again(source))) and isinstance(node, ast.Return):
            indent = self.at.indent(self.at.text.start(node))
            listed = self.at.code(named)
            text = f'if {listed}:\n{indent}    raise RuntimeError("not done: it shall come again")'
            alone = self.at.text.data[self.at.text.line_start(self.at.text.start(node)) : self.at.text.start(node)]
            if alone.strip():
                raise Stop("reply-unknown", node)
            body = getattr(self.at.parents.get(id(node)), "body", [])
            last = bool(body) and body[-1] is node and self.at.parents.get(id(node)) is self.at.function.node  # type: ignore[union-attr]
            self.at.swap(node, text if last else f"{text}\n{indent}return", "batch")
        else:
            self.at.expression(value)
            name = self.job.answer_view(self.at.kind)
            self.at.imports.add(Import(self.job.module_name, name))
            self.at.shims.append(("reply", node))
            self.at.edit(self.at.text.start(value), self.at.text.start(value), f"{name}(", "reply")
            self.at.edit(self.at.text.end(value), self.at.text.end(value), ")", "reply")

    def _again(self, shape: object) -> str:
        forms = shape.forms  # type: ignore[attr-defined]
        for form in forms:
            for row in form.rows:
                if row.field == "again" and isinstance(row.at.steps[-1], Item):
                    return str(row.at.steps[-1].key)
        return ""

    def _again_literal(self, node: ast.expr, again: str) -> str:
        if isinstance(node, ast.Dict) and len(node.keys) == 1 and isinstance(node.keys[0], ast.Constant):
            value = node.values[0]
            if node.keys[0].value == again and isinstance(value, ast.List):
                return "some" if value.elts else "none"
        return ""

    def _again_named(self, node: ast.expr, again: str) -> ast.expr | None:
        if isinstance(node, ast.IfExp) and isinstance(node.orelse, ast.Constant) and node.orelse.value is None:
            return self._again_named(node.body, again)
        if isinstance(node, ast.Dict) and len(node.keys) == 1 and isinstance(node.keys[0], ast.Constant):
            same = node.keys[0].value == again
            return node.values[0] if same and isinstance(node.values[0], ast.Name | ast.ListComp) else None
        return None

    # --- one answer ---

    def write(self, node: ast.expr, statement: ast.stmt) -> None:
        """Note the edits of an expression that is an answer."""
        if isinstance(node, ast.IfExp):
            self.at.expression(node.test)
            for part in (node.body, node.orelse):
                if isinstance(part, ast.Constant) and part.value is None:
                    self._none(part)
                else:
                    self.write(part, statement)
            return
        if self._made_by_a_call(node):
            self.at.expression(node)
            return
        made = self._literally(node)
        if made is not None:
            self._swap(node, made)
            return
        if isinstance(node, ast.Name) and self._name(node, statement):
            return
        kind = self._type(node)
        if kind == "str" and (text := self._form("text")) is not None:
            self._plain(node, text, "str")
            return
        if kind == "bytes" and (binary := self._form("bytes")) is not None:
            self._plain(node, binary, "bytes")
            return
        self._shim(node)

    def _none(self, node: ast.Constant) -> None:
        shape = self.job.target.kinds[REQUEST].answered
        if shape.by_hand is None and any(form.when == "nothing" for form in shape.forms):
            return
        self.at.swap(node, self._construct(Made(status="204"), node), "reply")

    def _swap(self, node: ast.expr, made: Made) -> None:
        if self._same():
            self.at.parts(node)
            return
        self.at.swap(node, self._construct(made, node), "reply")

    def _same(self) -> bool:
        return self.job.source.kinds[REQUEST].answered == self.job.target.kinds[REQUEST].answered

    def _form(self, when: str) -> ReplyForm | None:
        return next((form for form in self._source if form.when == when), None)

    def _type(self, node: ast.expr) -> str:
        value = self.flow.values.get(id(node))
        return value.type if isinstance(value, Of) else ""

    def _plain(self, node: ast.expr, form: ReplyForm, kind: str) -> None:
        """Write a text or bytes that are the whole answer."""
        shape = self.job.target.kinds[REQUEST].answered
        same = next((one for one in shape.forms if one.when == form.when), None)
        if same is not None and shape.by_hand is None and dict(same.fixed) and _types(same) == _types(form):
            self.at.expression(node)
            return
        default = self._target.default_types
        typed = _types(form)
        made = Made(body=self.at.code(node), body_type=kind)
        if typed and not (default and typed == default[0 if kind == "str" else 1]):
            made.pairs.append(('"content-type"', quoted(typed), "content-type"))
        self.at.swap(node, self._construct(made, node), "reply")

    def _shim(self, node: ast.expr) -> None:
        """Let the emitted translation answer with what can't be followed."""
        for form in self._source:
            if form.class_name and form.class_name.partition(".")[0] in self.flow.theirs:
                raise Stop("reply-unknown", node)
        self.at.expression(node)
        name = self.job.answer_view(REQUEST)
        self.at.imports.add(Import(self.job.module_name, name))
        self.at.shims.append(("reply", node))
        start, end = self.at.text.start(node), self.at.text.end(node)
        self.at.edit(start, start, f"{name}(", "reply")
        self.at.edit(end, end, ")", "reply")

    # --- read ---

    def _rows(self, form: ReplyForm) -> dict[str, Row]:
        rows: dict[str, Row] = {}
        for row in form.rows:
            step = row.at.steps[-1] if row.at.steps else None
            key = step.key if isinstance(step, Item) else step.name if isinstance(step, Attr) else ""
            rows[str(key)] = row
        return rows

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
        made = Made(empty_type="str" if flag else "bytes")
        for name, part in parts.items():
            if name != flag:
                self._part(made, rows[name], part, parts.get(flag) if flag else None)
        return made

    def _object_form(self, node: ast.Call) -> ReplyForm | None:
        name = self.flow.standard_name(self.at.module, node.func)
        return next((form for form in self._source if form.class_name and form.class_name == name), None)

    def _from_object(self, node: ast.Call, form: ReplyForm) -> Made:
        module, _, name = form.class_name.rpartition(".")
        model = self.job.source.model.modules[module][name]
        names = [parameter.partition("=")[0] for parameter in model.takes]
        given: dict[str, ast.expr] = dict(zip(names, node.args, strict=False))
        for keyword in node.keywords:
            if keyword.arg is None:
                raise Stop("arguments-hidden", node)
            given[keyword.arg] = keyword.value
        rows = self._rows(form)
        made = Made(empty_type="bytes")
        for key, value in given.items():
            if key not in rows:
                raise Stop("reply-unknown", node)
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
        if not isinstance(statement, ast.Assign) or not isinstance(statement.value, ast.List | ast.Dict | ast.Tuple):
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
        if isinstance(node, ast.Dict) and (mapping := self._form("mapping")) is not None:
            return self._from_mapping(node, mapping)
        return None

    def _headers(self, made: Made, row: Row, value: ast.expr) -> None:
        if "headers" not in {one.field for one in self._target.rows}:
            value = self._resolved(value)
        if isinstance(value, ast.Constant) and value.value is None:
            return
        inner_dict = self._items_of(value)
        if row.lens.subscript is How.JOINED:
            self._header_mapping(made, value)
        elif isinstance(value, ast.List | ast.Tuple):
            for inner in value.elts:
                self._header_pair(made, row, inner)
        elif "headers" not in {one.field for one in self._target.rows} and self._distinct(value):
            made.spread("dict", f"dict({self.at.code(value)})")
        elif inner_dict is not None:
            made.spread("dict", self._operand(inner_dict))
        else:
            made.spread("pairs", self._operand(value))

    def _header_mapping(self, made: Made, value: ast.expr) -> None:
        if not isinstance(value, ast.Dict) or made.spreads:
            made.spread("dict", self._operand(value))
            return
        for key, inner in zip(value.keys, value.values, strict=True):
            if key is None:
                made.spread("dict", self.at.code(inner))
            else:
                made.pairs.append((self.at.code(key), self.at.code(inner), _text(key)))

    def _header_pair(self, made: Made, row: Row, inner: ast.expr) -> None:
        if isinstance(inner, ast.Tuple | ast.List) and len(inner.elts) == 2:
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
        plain = isinstance(node, ast.Name | ast.Call | ast.Attribute | ast.Subscript | ast.Dict | ast.List)
        return text if plain else f"({text})"

    def _cookies(self, made: Made, value: ast.expr) -> None:
        if isinstance(value, ast.List | ast.Tuple) and not any(isinstance(one, ast.Starred) for one in value.elts):
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
            return
        packed = isinstance(flag, ast.Constant) and bool(flag.value)
        if flag is None or (isinstance(flag, ast.Constant) and not flag.value):
            made.body, made.body_type = self.at.code(value), "str"
        elif packed:
            inner = self._unpacked(value)
            if inner is not None:
                made.body, made.body_type = inner, "bytes"
            else:
                made.body = self.at.need(["import base64"], f"base64.b64decode({self.at.code(value)})")
                made.body_type = "bytes"
        else:
            text = self.at.need(["import base64"], f"base64.b64decode({self.at.code(value)})")
            made.body = f"{text} if {self.at.code(flag)} else {self.at.code(value)}"
            made.body_type = "either"

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
            called = self.job.called.get(id(value))
            if called is None or not called.generates:
                return ""
            given = [node.value for node in called.nodes.all if isinstance(node, ast.Yield)]
            if any(isinstance(node, ast.YieldFrom) for node in called.nodes.all):
                given.append(None)
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

    def _name(self, node: ast.Name, statement: ast.stmt) -> bool:
        """Write an answer that was put together in a name: at its assignments, or at its end."""
        function = self.at.function
        if function is None:
            return False
        state = self.at.reply_names(node.id)
        if state == "answers":
            return True  # its assignments are written as answers
        if state == "mapping":
            mapping = self._form("mapping")
            assert mapping is not None
            made = self._from_name(node.id, mapping)
            if made is not None:
                self.at.swap(node, self._construct(made, node), "reply")
                return True
        return False

    def _from_name(self, name: str, form: ReplyForm) -> Made | None:
        """Return the parts of an answer that a mapping of the author's holds under a name."""
        function = self.at.function
        assert function is not None
        always, maybe = self.at.reply_keys(function, name)
        rows, flag = self._rows(form), self._flag(form)
        if not (always | maybe) <= {*rows, flag}:
            return None
        made = Made()

        def part(key: str, default: str) -> str:
            return f"{name}[{quoted(key)}]" if key in always else f"{name}.get({quoted(key)}, {default})"

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
                text = self.at.need(["import base64"], f"base64.b64decode({content})")
                made.body = f"{text} if {part(flag, 'False')} else {content}"
                made.body_type = "either"
            else:
                made.body = part(key, '""')
                made.body_type = "str" if row.lens.content == "packed" else ""
        return made

    # --- written ---

    def _construct(self, made: Made, node: ast.AST) -> str:
        """Return the source of an answer at the target."""
        form = self._target
        rows = {row.field: row for row in form.rows}
        parts: dict[str, str] = {}
        if made.status and made.status != "200":
            parts["status"] = made.status
        elif made.status or form.when == "mapping":
            parts["status"] = made.status or "200"
        if "headers" in rows:
            listed = self._as_pairs(made)
            if listed:
                parts["headers"] = listed
        else:
            self._as_mapping(made, parts, node)
        if made.body:
            self._content(made, rows["body"], parts, node)
        elif made.empty_type and not made.typed and made.status not in ("204", "304"):
            # What is left out counts as text at one provider and as bytes at another, and gets its type by that.
            flagged = rows["body"].lens.content == "packed"
            if flagged and made.empty_type == "bytes":
                parts["body"], parts["flag"] = '""', "True"
            elif not flagged and made.empty_type == "str":
                parts["body"] = '""'
        if form.when == "mapping":
            return self._literal(form, parts, node)
        return self._object(form, parts, node)

    def _as_pairs(self, made: Made) -> str:
        """Return the source of header fields as a list of pairs."""
        items: list[str] = []
        for name, value, _ in made.pairs:
            if name:
                items.append(f"({name}, {value})")
                continue
            kind, text = made.spreads[int(value)]
            items.append(f"*{text}.items()" if kind == "dict" else f"*{text}")
        for how, text in made.cookies:
            items.append(
                f'("set-cookie", {text})' if how == "one" else f'*(("set-cookie", cookie) for cookie in {text})'
            )
        if len(items) == 1 and items[0].startswith("*") and not items[0].startswith("*("):
            kind, text = made.spreads[0]
            return f"list({text}.items())" if kind == "dict" else text
        return f"[{', '.join(items)}]" if items else ""

    def _as_mapping(self, made: Made, parts: dict[str, str], node: ast.AST) -> None:
        """Put header fields into a mapping of names that don't repeat, and cookies apart."""
        fields: list[str] = []
        named = [known.lower() for name, _, known in made.pairs if name]
        if len(set(named) - {"set-cookie"}) != sum(name != "set-cookie" for name in named) or not all(named):
            raise Stop("headers-unknown" if not all(named) else "headers-repeat", node)
        cookies = [value for name, value, known in made.pairs if name and known.lower() == "set-cookie"]
        for name, value, known in made.pairs:
            if not name:
                kind, text = made.spreads[int(value)]
                if kind == "pairs":
                    raise Stop("headers-unknown", node)
                fields.append(f"**{text}")
            elif known.lower() != "set-cookie":
                fields.append(f"{name}: {value}")
        for how, text in made.cookies:
            cookies.append(text if how == "one" else f"*{text}")
        if fields:
            parts["headers.plain"] = _alone(fields, "**") or "{" + ", ".join(fields) + "}"
        if cookies:
            parts["set_cookies"] = _alone(cookies, "*") or f"[{', '.join(cookies)}]"

    def _content(self, made: Made, row: Row, parts: dict[str, str], node: ast.AST) -> None:
        if row.lens.content != "packed":
            parts["body"] = made.body
            return
        if made.body_type == "str":
            parts["body"] = made.body
            return
        encoded = self.at.need(["import base64"], f"base64.b64encode({made.body}).decode()")
        if made.body_type == "bytes":
            parts["body"], parts["flag"] = encoded, "True"
            return
        if not made.body.isidentifier():
            raise Stop("text-or-bytes", node)
        parts["body"] = f"{made.body} if isinstance({made.body}, str) else {encoded}"
        parts["flag"] = f"not isinstance({made.body}, str)"

    def _literal(self, form: ReplyForm, parts: dict[str, str], node: ast.AST) -> str:
        items = []
        for row in form.rows:
            if row.field in parts and isinstance(row.at.steps[-1], Item):
                items.append(f"{quoted(str(row.at.steps[-1].key))}: {parts[row.field]}")
                if row.field == "body" and "flag" in parts and row.flag is not None:
                    last = row.flag.steps[-1]
                    assert isinstance(last, Item)
                    items.append(f"{quoted(str(last.key))}: {parts['flag']}")
        return self.at.set_out("{", items, "}", node)

    def _object(self, form: ReplyForm, parts: dict[str, str], node: ast.AST) -> str:
        module, _, name = form.class_name.rpartition(".")
        shape = self.job.target.kinds[REQUEST].answered
        takes = shape.by_hand.takes if shape.by_hand else tuple(self.job.target.model.modules[module][name].takes)
        by_name = {key: row.field for key, row in self._rows(form).items()}
        items: list[str] = []
        named = False
        for parameter in takes:
            key = parameter.partition("=")[0]
            text = parts.get(by_name.get(key, ""), "")
            if not text or (by_name.get(key) == "status" and text == "200"):
                named = True
                continue
            items.append(text if not named and not items else f"{key}={text}")
        called = self.at.need([f"from {module} import {name}"], f"{name}(")
        return self.at.set_out(called, items, ")", node)


def _types(form: ReplyForm) -> str:
    for name, value in form.fixed.items():
        if name.startswith("headers"):
            return next((content for key, content in value if key.lower() == "content-type"), "")
    return ""


def _text(node: ast.expr) -> str:
    return node.value if isinstance(node, ast.Constant) and isinstance(node.value, str) else ""


def _alone(items: list[str], mark: str) -> str:
    """Return what is spread where nothing else stands beside it."""
    return items[0].removeprefix(mark) if len(items) == 1 and items[0].startswith(mark) else ""
