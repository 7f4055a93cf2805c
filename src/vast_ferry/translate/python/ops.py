"""What stands at the target for what is done with a place of the event, and for a place that is made as it was."""

from __future__ import annotations

import ast
import re
from collections.abc import Callable
from dataclasses import replace
from typing import Any, Final

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.by_hand import ByHand, How, Lookup
from vast_ferry.mapping.compile.functions import Source
from vast_ferry.mapping.expressions import Expression
from vast_ferry.mapping.inline import at_text, native_value, place
from vast_ferry.mapping.lenses.pairs import encoded, parsed
from vast_ferry.mapping.places import Access, Attr, Item, Step
from vast_ferry.mapping.python import quoted
from vast_ferry.mapping.tables import Row
from vast_ferry.translate.operations import (
    As,
    ContextCall,
    Decode,
    Fixed,
    LookUp,
    Moment,
    OfPrincipal,
    Operation,
    Pairs,
    ServiceCall,
    Stepped,
    Word,
    note_of,
)
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.batches import only_goes_through
from vast_ferry.translate.python.context_calls import ContextCalls
from vast_ferry.translate.python.ends import is_asked
from vast_ferry.translate.python.imports import Import
from vast_ferry.translate.python.service_calls import ServiceCalls
from vast_ferry.translate.python.writing import Writing
from vast_ferry.translate.values import Batch, Foreign, Service, Stop

_LOOPS = (ast.For, ast.AsyncFor, ast.comprehension)
#: In nanoseconds.
MILLISECOND: Final = 1_000_000
SECOND: Final = 1_000_000_000


class Ops:
    """Writes the operations on places in one function."""

    def __init__(self, at: Writing, context: ContextCalls, services: ServiceCalls) -> None:
        self.at, self.context = at, context
        self._writes: dict[type, Callable[[Any, ast.AST], str]] = {
            LookUp: self._look_up,
            Decode: self._decode,
            ContextCall: context.call,
            ServiceCall: services.call,
            Stepped: self._stepped,
            Word: self._word,
            Fixed: self._fixed,
            OfPrincipal: self._of_principal,
            Pairs: self._pairs,
            Moment: self._moment,
        }

    def value_of(self, op: Operation, node: ast.AST) -> str:
        """Return the source of what an operation gives, at the target."""
        if note_of(op):
            self.at.notes.append((note_of(op), node))
        write: Callable[[Operation, ast.AST], str] = self._writes[type(op)]
        return write(op, node)

    def _stepped(self, op: Stepped, node: ast.AST) -> str:
        self.at.notes.append(("services-by-module", node))
        return self.at.need([f"import {op.module}"], op.module)

    def _fixed(self, op: Fixed, node: ast.AST) -> str:
        return self._default(op.default) or op.source

    def _default(self, default: ast.expr | None) -> str:
        if default is None:
            return ""
        if isinstance(default, ast.Constant) and not hasattr(default, "lineno"):
            return repr(default.value)
        return self.at.code(default)

    def _look_up(self, op: LookUp, node: ast.AST) -> str:
        constant = op.key.value if isinstance(op.key, ast.Constant) and isinstance(op.key.value, str) else None
        key, default = self.at.code(op.key), self._default(op.default)
        if not default and (op.how is How.JOINED or constant == "cookie") and self._only_truth(node):
            default = '""'
        given = ex.Given(default, _is_operand(op.default)) if default else None
        wanted = Lookup(op.field, op.how, ex.Given(key, _is_operand(op.key)), constant, given)
        if op.strict:
            made = self._item(wanted)
        elif op.how is How.EVERY:
            made = self.at.reads().lookup(replace(wanted, default=None))
            if made is not None and given is not None:
                made = made.over(lambda values: ex.either(values, given))
        else:
            made = self.at.reads().lookup(wanted)
        if made is None and op.strict and wanted.headers and (found := self.at.reads().lookup(wanted)) is not None:
            if op.how is How.EVERY:  # there is no list where there is no value
                found = found.over(lambda values: ex.either(values, ex.Literal(None)))
            required = self.at.job.beside(self.at.module, "required")
            return f"{required}({self.at.place(found, node, op.spot, bare=True)}, {key})"
        if made is None:
            return self._looked_up_in_shim(op, node, key, default)
        if op.negated:
            return self.at.place(made.over(_negated), node, op.spot, bare=True)
        return self.at.place(made, node, op.spot)

    def _only_truth(self, node: ast.AST) -> bool:
        """Tell whether it makes no difference if an expression gives None or an empty text."""
        parent = self.at.parents.get(id(node))
        if isinstance(parent, ast.Compare) and len(parent.ops) == 1 and isinstance(parent.ops[0], (ast.Eq, ast.NotEq)):
            other = parent.comparators[0] if parent.left is node else parent.left
            return isinstance(other, ast.Constant) and isinstance(other.value, str) and bool(other.value)
        if isinstance(parent, ast.BoolOp) and isinstance(parent.op, ast.Or):
            return parent.values[-1] is not node
        return isinstance(parent, (ast.If, ast.IfExp)) and parent.test is node

    def _item(self, wanted: Lookup) -> ByHand | None:
        """Return a value by name that fails where there is none."""
        reads = self.at.reads()
        key = wanted.lower_key if wanted.headers and wanted.constant else wanted.key
        for row in reads.rows.get(wanted.field, ()):
            if row.lens.subscript is wanted.how or (row.lens.subscript is How.JOINED and wanted.how is How.LAST):
                return reads.at(row).over(lambda base: ex.Item(base, key))
        pairs = reads.pairs(wanted.field)
        if pairs is None:
            return None
        if wanted.how is How.EVERY and wanted.headers:
            return None  # a small function asks for it that must be there
        if wanted.how is How.EVERY:
            raw = reads.hub("query.raw") if reads.has_raw_query() else None
            lists = (raw or pairs.over(encoded)).over(parsed)
            return lists.over(lambda base: ex.Item(base, wanted.key))
        last = wanted.how is How.LAST
        if wanted.headers:
            return pairs.over(lambda listed: ex.Item(_by_name(listed, last=last), wanted.lower_key))
        ordered = pairs if last else pairs.over(lambda listed: ex.built_in("reversed", listed))
        return ordered.over(lambda listed: ex.Item(ex.built_in("dict", listed), wanted.key))

    def _looked_up_in_shim(self, op: LookUp, node: ast.AST, key: str, default: str) -> str:
        whole = self.shim(op.spot, node)
        if self._row(op.spot).lens.pairs:
            whole = f"dict({whole if op.how is not How.FIRST else f'reversed({whole})'})"
        if op.how is How.HAS:
            return f"{key} {'not ' * op.negated}in {whole}"
        given = f"({key}{f', {default}' if default else ''})"
        methods = self._row(op.spot).lens.methods
        if methods:
            return f"{whole}.{methods[op.how]}{given}"
        return f"{whole}[{key}]" if op.strict else f"{whole}.get{given}"

    def _row(self, spot: Spot) -> Row:
        row = self.at.flow.shape(spot).row(spot.role, spot.steps)
        assert row is not None
        return row

    def _pairs(self, op: Pairs, node: ast.AST) -> str:
        made = self.at.reads().pairs(op.field)
        if made is None:
            return f"{self.shim(op.spot, node)}.{self._row(op.spot).lens.methods['all']}()"
        return self.at.place(made, node, op.spot)

    def _of_principal(self, op: OfPrincipal, node: ast.AST) -> str:
        reads = self.at.reads()
        for row in reads.rows.get("principal", ()):
            if row.lens.keys is not None:
                key = ex.Literal(row.lens.keys.get(op.key, op.key))
                found = reads.at(row).over(
                    lambda at, key=key: ex.Item(at, key) if op.strict else ex.method(at, "get", key)  # type: ignore[misc]
                )
                return self.at.place(found, node, op.spot)
        own = quoted((self._row(op.spot).lens.keys or {}).get(op.key, op.key))  # it is made as it was
        return f"{self.shim(op.spot, node)}{f'[{own}]' if op.strict else f'.get({own})'}"

    def _decode(self, op: Decode, node: ast.AST) -> str:
        reads = self.at.reads()
        made: ByHand | None
        if op.form is As.LISTS:
            made = reads.at(next(row for row in reads.rows["query"] if row.lens.subscript is How.EVERY))
        elif op.field != "body" or op.form is As.BYTES:
            made = reads.hub(op.field)
        elif op.form is As.JSON:
            made = reads.json()
            if not self._read_alike(op.spot):
                self.at.notes.append(("json-in-utf-8", node))
        else:
            body = reads.hub("body")
            given = {"errors": ex.Literal(op.errors)} if op.errors else {}
            made = body.over(lambda content: ex.method(content, "decode", **given), "str") if body is not None else None
        if made is None:
            raise Stop("no-such-field", node, op.field)
        return self.at.place(made, node, op.spot)

    def _read_alike(self, spot: Spot) -> bool:
        """Tell whether the content stands in the same form on both sides."""
        row = self.at.flow.shape(spot).row(spot.role, spot.steps)
        return row is not None and any(one.lens == row.lens for one in self.at.reads().rows.get("body", ()))

    def _word(self, op: Word, node: ast.AST) -> str:
        row = next(iter(self.at.reads().rows.get(op.field, ())), None)
        if row is None:  # then it is made as it was, and compared with the word that it was
            return self.at.text.of(node) if op.meaning else self.shim(op.spot, node)
        if op.meaning:
            own = {hub: word for word, hub in row.lens.words.items()}
            return quoted(own.get(op.meaning, op.meaning))
        return self.at.place(self.at.reads().at(row), node, op.spot)

    def _moment(self, op: Moment, node: ast.AST) -> str:
        """Return the source of a time as an aware datetime."""
        row = self._row(op.spot)
        there = next(iter(self.at.reads().rows.get(row.field, ())), None)
        if there is None:
            raise Stop("no-such-field", node, row.field)
        at = self.at.reads().at(there)
        owner = op.call.func.value if isinstance(op.call.func, ast.Attribute) else op.call.func
        datetime = ex.Given(self.at.text.of(owner))
        if there.lens.plain:
            note = "finer-time" if row.lens.unit == MILLISECOND else ""
            return self.at.place(at.over(lambda text: _moment_of_text(datetime, text), note=note), node, op.spot)
        given = next((self.at.code(k.value) for k in op.call.keywords if k.arg == "tz"), "")
        given = given or (self.at.code(op.call.args[1]) if len(op.call.args) > 1 else "")
        zone = ex.Given(given) if given else ex.Attribute(ex.Standard("datetime", "timezone"), "utc")

        def moment(number: Expression) -> Expression:
            number = ex.built_in("int", number) if there.lens.in_text else number
            return ex.method(datetime, "fromtimestamp", _in_seconds(number, there.lens.unit), zone)

        return self.at.place(at.over(moment), node, op.spot)

    def made(self, value: Foreign, node: ast.expr) -> str:
        """Return the source of what a place held at the source, from what the target hands over."""
        if isinstance(value, Batch):
            return self._batch(value, node)
        if isinstance(value, Service):
            if not self.at.flow.keeps_client(value.client.called):
                raise Stop("client-passed", node, value.client.called)
            self.at.notes.append(("client-as-it-was", node))
            return self.at.text.of(node)
        assert isinstance(value, Spot)
        if self.at.flow.spot_is_inner(value):
            return self._inner_or_flag(value, node)
        shape = self.at.flow.shape(value)
        row = shape.row(value.role, value.steps)
        if row is None:
            return self.context.method_itself(value, node)
        if row.field == "function":
            return self.context.function_name(value, node)
        if row.field == "time_left":
            return self.context.time_left(row.lens.per_second, value, node)
        if value.role == "context" and self.at.shape.each is not None:
            return self._of_the_delivery(row, value, node)
        asked = row.field == "principal" and is_asked(node, self.at.parents)  # whether there is one
        made = self.at.reads().hub("principal") if asked else native_value(row, self.at.reads())
        made = made or self._otherwise(row, node)
        return self.shim(value, node) if made is None else self.at.place(made, node, value)

    def _of_the_delivery(self, row: Row, value: Spot, node: ast.expr) -> str:
        """Return what is told of a delivery as a whole: no event of its batch tells it."""
        root = self.at.context_root(self.at.kind)
        for one in self.at.reads().rows.get(row.field, ()):
            if one.at.root == root and one.lens == row.lens:
                return self.at.place(self.at.reads().at(one), node, value)
        raise Stop("no-such-field", node, row.field)

    def _otherwise(self, row: Row, node: ast.expr) -> ByHand | None:
        """Return what stands for a row that nothing at the target says in an expression."""
        function = self.at.function
        if row.lens.content == "packed":
            if function is not None and function.key in self.at.job.exact:
                return None  # what asks whether it is Base64 must find it so
            # Read alone, it is read as text: what is not textual stood there as Base64.
            self.at.notes.append(("base64-not-seen", node))
            return self.at.reads().text()
        if row.field in ("id", "time") and row.lens.plain and not self.at.job.is_said(self.at.kind, row.field):
            return self.at.made_afresh(row.field, node)
        return self.at.job.route(function, row) if row.field == "route" else None

    def _inner_or_flag(self, spot: Spot, node: ast.expr) -> str:
        constant = self.at.flow.shape(spot).constants.get((spot.role, spot.steps))
        if constant is not None and isinstance(constant.value, str):
            return quoted(constant.value)
        flagged = self.at.flow.shape(spot).flags.get((spot.role, spot.steps))
        for row in self.at.reads().rows.get(flagged.field, ()) if flagged is not None else ():
            if flagged is not None and row.lens == flagged.lens and row.flag is not None:
                return self.at.place(ByHand(place(row.flag)), node, spot)
        return self.shim(spot, node)

    def _batch(self, value: Batch, node: ast.expr) -> str:
        if id(node) not in self.at.flow.formed and not only_goes_through(node, self.at.parents):
            raise Stop("batch-escapes", node)  # its entries are other things at the target, and what takes them is not
        if value.handed:  # the helper is given the target's own
            return self.at.text.of(node)
        if self.at.shape.each is not None:
            return self.at.batch(self.at.names.get(value.holder, value.holder))
        return f"[{self.at.holder(Spot(value.kind, 'entry', (), value.holder), node)}]"

    def shim(self, spot: Spot, node: ast.AST) -> str:
        """Return a call of the emitted function that makes what stood at a place, and note it."""
        if spot.role == "context" and not spot.kind:
            if self.at.facts is not None and not self.at.facts.kind:
                raise Stop("several-kinds", node)  # each is told of its calls in its own way
            spot = Spot(self.at.kind, spot.role, spot.steps, spot.holder)
        self._check_made(spot, node)
        if self.at.is_equal_to_itself_alone(spot):
            self.at.objects.append((spot, node))
            if self.at.event_made:
                self.at.shims.append((_path(spot.steps), node))
                return at_text(Access(self.at.event_made, spot.steps[len(self.at.part_made) :]), {})
        view = self.at.job.view(spot.kind, spot.role, spot.steps, node)
        self._note_what_is_read_once(view, node)
        self.at.imports.add(Import(self.at.job.module_name, view.name))
        self.at.shims.append((_path(spot.steps), node))
        text = f"{view.name}({', '.join(self._handed_to(view, spot, node))})"
        if view.awaited:
            self.at.awaits(node)
            return f"(await {text})"
        return text

    def _handed_to(self, view: Source, spot: Spot, node: ast.AST) -> list[str]:
        """Return the arguments of an emitted function: what is handed over, and what is known of the handler."""
        names = []
        for name in view.parameters:
            if name == "function":
                names.append(f"function={self.context.function_literal(node)}")
            elif name == "route":
                if not (route := self.at.job.only_route(self.at.function)):
                    raise Stop("no-such-field", node, "route")
                names.append(f"route={quoted(route)}")
            elif name == "limit":
                continue
            elif name == self.at.event_root and spot.role != "context":
                names.append(self.at.holder(spot, node))
            else:
                names.append(self.at.root(name, node))
        return names

    def _note_what_is_read_once(self, view: Source, node: ast.AST) -> None:
        """Note that an emitted function reads content that can be read once, or makes what the target never gives."""
        if self._reads_once(view):
            if self.at.content:  # it is read at the beginning
                raise Stop("content-read-twice", node)
            self.at.once.append(node)
        if _MADE_EACH_TIME.search(view.text):
            self.at.afresh.append(("", node))

    def _check_made(self, spot: Spot, node: ast.AST) -> None:
        """Refuse to make what can't be made as it was: a stream, and what a handler reaches services by."""
        if not all(row.lens.by_hand for row in self.at.flow.shape(spot).within(spot)):
            raise Stop("content-as-stream", node)
        if spot.role == "context" and self.at.flow.source.hosts and self.at.flow.spot_is_inner(spot):
            raise Stop("client-passed", node, _path(spot.steps))

    def _reads_once(self, view: Source) -> bool:
        """Tell whether an emitted function reads content that can be read once."""
        for row in self.at.job.target.kinds[self.at.kind].event.rows:
            step = row.at.steps[-1] if row.at.steps else None
            token = str(step.key) if isinstance(step, Item) else step.name if isinstance(step, Attr) else row.at.root
            once = row.lens.content in ("stream", "messages") or not row.lens.by_hand
            if row.field == "body" and once and not row.derived and token in view.text:
                return True
        return False


#: What makes another value each time, in emitted functions.
_MADE_EACH_TIME: Final = re.compile(r"\b(?:new_id|now)\(")


def _path(steps: tuple[Step, ...]) -> str:
    return str(Access("", steps)) if steps else ""


def _is_operand(node: ast.expr | None) -> bool:
    """Tell whether an author's expression may stand beside an operator as it is."""
    return not isinstance(node, (ast.IfExp, ast.Lambda, ast.BoolOp, ast.Compare, ast.NamedExpr))


def _negated(test: Expression) -> Expression:
    if isinstance(test, ex.Operation) and test.operator == "in":
        return replace(test, operator="not in")
    return ex.Not(test)


def _by_name(pairs: Expression, *, last: bool) -> Expression:
    """Return pairs as a mapping by names in lower case, of which the first counts, or the last."""
    name, value = ex.Variable("name"), ex.Variable("value")
    ordered = pairs if last else ex.built_in("reversed", pairs)
    return ex.Each(value, ("name", "value"), ordered, key=ex.method(name, "lower"))


def _moment_of_text(datetime: Expression, text: Expression) -> Expression:
    return ex.method(datetime, "fromisoformat", ex.method(text, "replace", ex.Literal("Z"), ex.Literal("+00:00")))


def _in_seconds(number: Expression, unit: int) -> Expression:
    per_second = SECOND // unit
    return number if per_second == 1 else ex.Operation("/", (number, ex.Literal(per_second)))
