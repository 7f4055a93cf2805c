"""What stands at the target for what is done with a place of the event, and for a place that is made as it was."""

from __future__ import annotations

import ast
from dataclasses import replace

from vast_ferry.mapping.inline import Code, Lookup, at_text, native_value, quoted
from vast_ferry.mapping.places import Access, Item, Step
from vast_ferry.translate.python.calls import Calls
from vast_ferry.translate.python.imports import Import
from vast_ferry.translate.python.writing import Writing
from vast_ferry.translate.values import Batch, Foreign, Op, Service, Spot, Stop


class Ops:
    """Writes the operations on places in one function."""

    def __init__(self, at: Writing, calls: Calls) -> None:
        self.at, self.calls = at, calls

    def value_of(self, op: Op, node: ast.AST) -> str:
        """Return the source of what an op gives, at the target."""
        if op.note:
            self.at.notes.append((op.note, node))
        method = getattr(self, f"_op_{op.what}")
        return method(op, node)  # type: ignore[no-any-return]

    def _default(self, op: Op) -> str | None:
        if op.default is None:
            return None
        if isinstance(op.default, ast.Constant) and not hasattr(op.default, "lineno"):
            return repr(op.default.value)
        return self.at.code(op.default)

    def _op_lookup(self, op: Op, node: ast.AST) -> str:
        assert op.key is not None
        constant = op.key.value if isinstance(op.key, ast.Constant) and isinstance(op.key.value, str) else None
        key = self.at.code(op.key)
        default = self._default(op)
        if default is None and (op.how == "joined" or constant == "cookie") and self._only_truth(node):
            default = '""'
        if op.how.startswith("item:"):
            made = self._item(op, key, constant)
        else:
            how = op.how
            made = self.at.reads().lookup(
                Lookup(op.field, how, key, constant, default if how in ("first", "joined") else None)
            )
            if made is not None and how == "every" and default is not None:
                made = made.over(f"§ or {default}", loose=True)
        if made is None:
            return self._looked_up_in_shim(op, node, key, default)
        text = self.at.place(replace(made, loose=False), node, op.spot)
        if op.negated:
            return (
                f"not ({text})"
                if " if " in text
                else text.replace(f"{key} in ", f"{key} not in ", 1)
                if f"{key} in " in text
                else f"not {text}"
            )
        return f"({text})" if self.at.needs_parentheses(node, made, text) else text

    def _only_truth(self, node: ast.AST) -> bool:
        """Tell whether it makes no difference if an expression gives None or an empty text."""
        parent = self.at.parents.get(id(node))
        if isinstance(parent, ast.Compare) and len(parent.ops) == 1 and isinstance(parent.ops[0], ast.Eq | ast.NotEq):
            other = parent.comparators[0] if parent.left is node else parent.left
            return isinstance(other, ast.Constant) and isinstance(other.value, str) and bool(other.value)
        if isinstance(parent, ast.BoolOp) and isinstance(parent.op, ast.Or):
            return parent.values[-1] is not node
        return isinstance(parent, ast.If | ast.IfExp) and parent.test is node

    def _item(self, op: Op, key: str, constant: str | None) -> Code | None:
        how = op.how.partition(":")[2]
        reads = self.at.reads()
        for row in reads.rows.get(op.field, ()):
            if (row.lens.name, how) in (("first_values", "first"), ("lists", "every"), ("joined", "joined")):
                name = quoted(constant.lower()) if row.field.startswith("headers") and constant else key
                return reads.at(row).over(f"§[{name}]")
        pairs = reads.pairs(op.field)
        if pairs is None:
            return None
        if how == "every":
            parse = "from urllib.parse import parse_qs, urlencode"
            raw = reads.hub("query.raw")
            if reads.has_raw_query() and raw is not None:
                return raw.over(f"parse_qs(§, keep_blank_values=True)[{key}]", "from urllib.parse import parse_qs")
            return pairs.over(f"parse_qs(urlencode(§), keep_blank_values=True)[{key}]", parse)
        if op.field.startswith("headers"):
            named = quoted((constant or "").lower())
            return pairs.over(f"{{name.lower(): value for name, value in reversed(§)}}[{named}]")
        return pairs.over(f"dict(reversed(§))[{key}]")

    def _looked_up_in_shim(self, op: Op, node: ast.AST, key: str, default: str | None) -> str:
        assert op.spot is not None
        whole = self.shim(op.spot, node)
        how = op.how.partition(":")[2] or op.how
        if op.how == "has":
            return f"{key} {'not ' * op.negated}in {whole}"
        row = self.at.flow.shape(op.spot).row(op.spot.role, op.spot.steps)
        assert row is not None
        if row.lens.name == "multimap":
            names = {how: own for how, own in row.lens.options}
            return f"{whole}.{names[how]}({key}{f', {default}' if default else ''})"
        if op.how.startswith("item:"):
            return f"{whole}[{key}]"
        return f"{whole}.get({key}{f', {default}' if default else ''})"

    def _op_pairs(self, op: Op, node: ast.AST) -> str:
        made = self.at.reads().pairs(op.field)
        if made is None:
            assert op.spot is not None
            return self._called_in_shim(op.spot, node)
        return self.at.place(made, node, op.spot)

    def _called_in_shim(self, spot: Spot, node: ast.AST) -> str:
        row = self.at.flow.shape(spot).row(spot.role, spot.steps)
        assert row is not None
        return f"{self.shim(spot, node)}.{dict(row.lens.options)['all']}()"

    def _op_principal(self, op: Op, node: ast.AST) -> str:
        for row in self.at.reads().rows.get("principal", ()):
            at = self.at.reads().at(row)
            names = dict(row.lens.options) if row.lens.name == "keys" else {}
            if row.lens.name in ("keys", "plain"):
                name = quoted(names.get(op.text, op.text))
                return self.at.place(at.over(f"§.get({name})" if op.how == "get" else f"§[{name}]"), node, op.spot)
        assert op.spot is not None
        whole = self.shim(op.spot, node)
        return f"{whole}[{quoted(op.text)}]"

    def _op_decode(self, op: Op, node: ast.AST) -> str:
        reads = self.at.reads()
        made: Code | None
        if op.how == "lists":
            row = next(row for row in reads.rows["query"] if row.lens.name == "lists")
            made = reads.at(row)
        elif op.field != "body":
            made = reads.hub(op.field)
        elif op.how == "bytes":
            made = reads.hub("body")
        elif op.how == "json":
            made = reads.json()
        else:
            body = reads.hub("body")
            made = body.over("§.decode()", type="str") if body is not None else None
        if made is None:
            raise Stop("no-such-field", node, op.field)
        return self.at.place(made, node, op.spot)

    def _op_word(self, op: Op, node: ast.AST) -> str:
        row = next(iter(self.at.reads().rows.get(op.field, ())), None)
        if row is None:
            raise Stop("no-such-field", node, op.field)
        own = {hub: word for word, hub in row.lens.options} if row.lens.name == "choice" else {}
        if op.text:
            return quoted(own.get(op.text, op.text))
        return self.at.place(self.at.reads().at(row), node, op.spot)

    def _op_fixed(self, op: Op, node: ast.AST) -> str:
        return (self._default(op) if op.default is not None else None) or op.text

    def _op_moment(self, op: Op, node: ast.AST) -> str:
        """Return the source of a time as an aware datetime."""
        assert op.spot is not None
        assert op.call is not None
        row = self.at.flow.shape(op.spot).row(op.spot.role, op.spot.steps)
        assert row is not None
        there = next(iter(self.at.reads().rows.get(row.field, ())), None)
        if there is None:
            raise Stop("no-such-field", node, row.field)
        at = self.at.reads().at(there)
        owner = op.call.func.value if isinstance(op.call.func, ast.Attribute) else op.call.func
        datetime = self.at.text.of(owner)
        if there.lens.name == "plain":
            note = "finer-time" if row.lens.name == "epoch_ms" else ""
            text = f'{datetime}.fromisoformat({at.operand}.replace("Z", "+00:00"))'
            return self.at.place(Code(text, at.imports, note=note), node, op.spot)
        divisor = {"epoch_ms": " / 1000", "epoch_ns": " / 1_000_000_000"}.get(there.lens.name, "")
        number = f"int({at.text})" if there.lens.name == "epoch_s_text" else at.operand
        zone = next((self.at.code(k.value) for k in op.call.keywords if k.arg == "tz"), "")
        zone = zone or (self.at.code(op.call.args[1]) if len(op.call.args) > 1 else "")
        needed = frozenset() if zone else frozenset(["from datetime import timezone"])
        text = f"{datetime}.fromtimestamp({number}{divisor}, {zone or 'timezone.utc'})"
        return self.at.place(Code(text, at.imports | needed), node, op.spot)

    def _op_call(self, op: Op, node: ast.AST) -> str:
        return self.calls.context(op, node)

    def _op_client(self, op: Op, node: ast.AST) -> str:
        return self.calls.service(op, node)

    def made(self, value: Foreign, node: ast.expr) -> str:
        """Return the source of what a place held at the source, from what the target hands over."""
        if isinstance(value, Batch):
            return self._batch(value, node)
        if isinstance(value, Service):
            raise Stop("client-passed", node, value.client.called)
        assert isinstance(value, Spot)
        if self.at.flow.spot_is_inner(value):
            return self._inner_or_flag(value, node)
        shape = self.at.flow.shape(value)
        row = shape.row(value.role, value.steps)
        if row is None:
            return self.calls.method_itself(value, node)
        if row.field == "function":
            return self.calls.function_name(value, node)
        if row.field == "time_left":
            return self.calls.time_left(row.lens.name, value, node)
        made = native_value(row, self.at.reads())
        if (
            made is None
            and row.lens.name == "text_or_base64"
            and self.at.function is not None
            and self.at.function.key in self.at.job.exact
        ):
            return self.shim(value, node)  # what asks whether it is Base64 must find it so
        if made is None and row.lens.name == "text_or_base64":
            # Read alone, it is read as text: what is not textual stood there as Base64.
            made = self.at.reads().text()
            self.at.notes.append(("base64-not-seen", node))
        if made is None and row.field in ("id", "time") and row.lens.name == "plain":
            made = self.at.job.fresh(row.field)
        if made is None and row.field == "route":
            made = self.at.job.route(self.at.function, row)
        if made is None:
            return self.shim(value, node)
        return self.at.place(made, node, value)

    def _inner_or_flag(self, spot: Spot, node: ast.expr) -> str:
        constant = self.at.flow.shape(spot).constants.get((spot.role, spot.steps))
        if constant is not None and isinstance(constant.value, str):
            return quoted(constant.value)
        flagged = self.at.flow.shape(spot).flags.get((spot.role, spot.steps))
        for row in self.at.reads().rows.get(flagged.field, ()) if flagged is not None else ():
            if flagged is not None and row.lens == flagged.lens and row.flag is not None:
                return self.at.place(Code(at_text(row.flag, self.at.reads().names)), node, spot)
        return self.shim(spot, node)

    def _batch(self, value: Batch, node: ast.expr) -> str:
        if self.at.shape.each is not None:
            root = self.at.names.get(value.holder, value.holder)
            return at_text(self.at.shape.each, {self.at.shape.each.root: root})
        return f"[{self.at.holder(Spot(value.kind, 'entry', (), value.holder), node)}]"

    def shim(self, spot: Spot, node: ast.AST) -> str:
        """Return a call of the emitted function that makes what stood at a place, and note it."""
        if spot.role == "context" and not spot.kind:
            spot = Spot(self.at.kind, spot.role, spot.steps, spot.holder)
        view = self.at.job.view(spot.kind, spot.role, spot.steps, node)
        for row in self.at.reads().rows.get("body", ()):
            step = row.at.steps[-1] if row.at.steps else None
            token = str(step.key) if isinstance(step, Item) else row.at.root
            if row.lens.name in ("stream", "messages_body") and token in view.text:
                raise Stop("content-read-twice", node)
        names = []
        for name in view.parameters:
            if name == "function":
                names.append(f"function={self.calls.function_literal(node)}")
            elif name == "limit":
                continue
            elif name == self.at.event_root and spot.role != "context":
                names.append(self.at.holder(spot, node))
            else:
                names.append(self.at.root(name, node))
        self.at.imports.add(Import(self.at.job.module_name, view.name))
        self.at.shims.append((_path(spot.steps), node))
        text = f"{view.name}({', '.join(names)})"
        if view.awaited:
            self.at.awaits(node)
            return f"(await {text})"
        return text


def _path(steps: tuple[Step, ...]) -> str:
    return str(Access("", steps)) if steps else ""
