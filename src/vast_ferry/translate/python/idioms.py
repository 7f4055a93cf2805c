"""What people write around a place, and what it means: lookups, decoding, calls of the context, guards, batches.

Each of these is recognised here once, in terms of rows and lenses; how it is written at a target is `render`'s.
"""

from __future__ import annotations

import ast
from dataclasses import replace
from typing import Final

from vast_ferry.mapping.by_hand import How
from vast_ferry.mapping.helpers.of_http import FRAMING
from vast_ferry.mapping.places import Attr, Call, Item, Step
from vast_ferry.mapping.tables import Row
from vast_ferry.translate.operations import (
    As,
    ContextCall,
    Decode,
    Fixed,
    LookUp,
    Moment,
    OfPrincipal,
    Pairs,
    Stepped,
    Word,
)
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.contents import Contents
from vast_ferry.translate.python.following import Following
from vast_ferry.translate.python.functions import MADE, NOTHING
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.values import Batch, Bound, Env, Known, Of, Parsed, Seconds, Service, Stop, Value

#: Lenses whose values are looked up by name → how a plain lookup does it.
#: Header fields that no event holds: the authority is a field of its own, the others follow from the content.
_NOT_GIVEN: Final = FRAMING | {"host"}
_HEADERS: Final = frozenset(["headers", "headers.plain"])


class Idioms:
    """Recognises what is done with places in one function that is followed."""

    def __init__(self, follower: Following) -> None:
        self.follower, self.flow = follower, follower.flow
        self.contents = Contents(follower)

    # --- steps ---

    def _row(self, spot: Spot) -> Row | None:
        return self.flow.shape(spot).row(spot.role, spot.steps)

    def step(self, node: ast.expr, base: Spot, step: Step, taken: ast.expr) -> Value:
        """Return the place one step on; a step to what the provider never gives can't be rewritten."""
        shape = self.flow.shape(base)
        if base.role == "event" and shape.batch is not None and (*base.steps, step) == shape.batch:
            self.follower.consume(taken)
            return Batch(base.kind, base.holder)
        if not self.flow.spot_is_inner(base) or shape.is_packed(base):
            return NOTHING
        on = base.then(step)
        if shape.may_be_missing(on):
            return MADE  # what holds it is made as it was, and asked as it is
        if shape.knows(on.role, on.steps):
            self.follower.consume(taken)
            return on
        if isinstance(step, Attr) and self._by_steps(taken, base, step.name):
            return NOTHING
        found = self._client(on)
        if found is not None:
            self.follower.consume(taken)
            return found
        place = f"{'.'.join(str(getattr(s, 'key', getattr(s, 'name', s))) for s in on.steps)}"
        raise Stop("never-there", node, place)

    def _by_steps(self, taken: ast.expr, base: Spot, name: str) -> bool:
        """Tell whether a call of a service that is made step by step begins so on what a handler is handed.

        A module that comes along then stands for that, and the steps go on as they are written.
        """
        roles = self.flow.shape(base).roles
        ways = [
            one
            for one in self.flow.source.clients
            if one.chain is not None and one.chain.root == name and roles.get(one.root) == base.role and not base.steps
        ]
        for one in ways:
            theirs = self.flow.target.operations.get(one.operation)
            if theirs is not None and (theirs.awaited or theirs.root in self.flow.target.hosts):
                raise Stop("services-by-steps", taken)
        if ways:
            self.follower.note(taken, Stepped(self.flow.source.stepped[ways[0].root]))
        return bool(ways)

    def _client(self, spot: Spot) -> Spot | Service | None:
        """Return what a step into an object of services is: on the way to a client's call, or the call itself."""
        shape = self.flow.shape(spot)
        hosts = [name for name in self.flow.source.hosts if shape.roles.get(name) == spot.role]
        if not hosts or not all(isinstance(step, Attr) for step in spot.steps):
            return None
        path = ".".join(step.name for step in spot.steps if isinstance(step, Attr))
        for client in self.flow.source.clients:
            if client.root in hosts and client.path == path:
                return Service(client)
        known = any(client.root in hosts and client.path.startswith(f"{path}.") for client in self.flow.source.clients)
        return spot if known else None

    def item(self, node: ast.Subscript, base: Spot | Parsed) -> Value:
        """Return what an item of a place is."""
        key = node.slice
        if isinstance(base, Parsed):
            return self._item_of_query(node, base)
        if self.flow.spot_is_inner(base):
            if isinstance(key, ast.Constant) and isinstance(key.value, (str, int)):
                return self.step(node, base, Item(key.value), node.value)
            return NOTHING
        row = self._row(base)
        if row is None:
            return NOTHING
        how = row.lens.subscript
        if how and row.field in (*_HEADERS, "query") and not isinstance(key, ast.Slice):
            return self._looked_up(node, base, row, key, how)
        if row.field == "principal" and isinstance(key, ast.Constant):
            return self._of_principal(node, base, row, key)
        return NOTHING

    def _looked_up(self, node: ast.expr, base: Spot, row: Row, key: ast.expr, how: How) -> Value:
        taken = node.value if isinstance(node, ast.Subscript) else node
        if self._never(row, key):
            raise Stop("never-there", node, f"header fields have names in lower case, not {_shown(key)}")
        if row.field in _HEADERS and _not_given(row.field, key):
            raise Stop("never-there", node, f"header field {_shown(key)}")
        if row.field in _HEADERS and not isinstance(key, ast.Constant):
            return NOTHING
        strict = not self._guarded(row.field, key)
        self.follower.note(node, LookUp(base, row.field, how, key, strict=strict), taken)
        return Of("list", made=True) if how is How.EVERY else Of("str")

    def _never(self, row: Row, key: ast.expr) -> bool:
        """Tell whether a header field is asked for that is never found: where they stand, names are in lower case."""
        named = isinstance(key, ast.Constant) and isinstance(key.value, str) and key.value != key.value.lower()
        return named and row.field in _HEADERS and not row.lens.folds_case

    def _of_principal(self, node: ast.expr, base: Spot, row: Row, key: ast.Constant, default: str = "") -> Value:
        names = {own: hub for hub, own in (row.lens.keys or {}).items()} or {"id": "id", "claims": "claims"}
        if key.value not in names:
            return NOTHING
        taken = node.value if isinstance(node, ast.Subscript) else node.func.value  # type: ignore[attr-defined]
        strict = isinstance(node, ast.Subscript)
        self.follower.note(node, OfPrincipal(base, row.field, names[str(key.value)], strict), taken)
        return NOTHING

    def _item_of_query(self, node: ast.Subscript, base: Parsed) -> Value:
        if base.form != "lists" or not base.blank or isinstance(node.slice, ast.Slice):
            return NOTHING
        strict = not self._guarded("query", node.slice)
        self.follower.note(node, LookUp(base.spot, "query", How.EVERY, node.slice, strict=strict), node.value)
        return Of("list", made=True)

    def first_of(self, node: ast.Subscript) -> bool:
        """Recognise the first of all values of a name: `[0]` after a lookup that gives a list with one in it."""
        op = self.flow.ops[id(node.value)]
        zero = isinstance(node.slice, ast.Constant) and node.slice.value == 0
        if not isinstance(op, LookUp) or not zero or id(node.value) in self.flow.consumed or op.how is not How.EVERY:
            return False
        default = op.default
        if op.strict:
            made = replace(op, how=How.FIRST)
        elif isinstance(default, ast.List) and len(default.elts) == 1:
            made = replace(op, how=How.FIRST, default=default.elts[0])
        elif default is None and self._guarded(op.field, op.key):
            made = replace(op, how=How.FIRST)
        else:
            return False
        self.follower.note(node, made, node.value)
        return True

    def picked(
        self, node: ast.expr, picking: ast.ListComp | ast.GeneratorExp, how: How, default: ast.expr | None
    ) -> bool:
        """Recognise values picked by name out of pairs: `[value for name, value in pairs if name == "day"]`."""
        if len(picking.generators) != 1:
            return False
        (one,) = picking.generators
        spot = self.flow.values.get(id(one.iter))
        row = self._row(spot) if isinstance(spot, Spot) else None
        pair = one.target.elts if isinstance(one.target, ast.Tuple) else []
        if row is None or not row.lens.pairs or len(pair) != 2 or len(one.ifs) != 1:
            return False
        test, own, value = one.ifs[0], pair[0], pair[1]
        if not isinstance(test, ast.Compare) or len(test.ops) != 1 or not isinstance(test.ops[0], ast.Eq):
            return False
        left, key = test.left, test.comparators[0]
        lower = isinstance(left, ast.Call) and isinstance(left.func, ast.Attribute) and left.func.attr == "lower"
        named = left.func.value if lower else left  # type: ignore[attr-defined]
        names = [n.id if isinstance(n, ast.Name) else "" for n in (own, value, named, picking.elt)]
        known = isinstance(key, ast.Constant) and isinstance(key.value, str)
        if (
            not all(names)
            or names[0] != names[2]
            or names[1] != names[3]
            or lower != (row.field in _HEADERS)
            or not known
        ):
            return False
        if lower and key.value != key.value.lower():  # type: ignore[attr-defined]
            return False
        assert isinstance(spot, Spot)
        self.follower.note(node, LookUp(spot, row.field, how, key, default))
        for inner in walk(picking):
            if isinstance(inner, ast.expr) and inner is not key and inner is not node:
                self.follower.consume(inner)
        if picking is not node:
            self.follower.consume(picking)
        return True

    # --- methods ---

    def method(self, node: ast.Call, function: ast.Attribute, base: Spot | Parsed | Batch) -> Value:
        """Return what a call of a method of a place gives."""
        name, taken = function.attr, function.value
        service = self.service(base, name)
        if service is not None:
            self.follower.consume(taken)
            return self.follower.service(node, service.client)
        self.follower.arguments(node)
        if isinstance(base, Batch):
            return NOTHING
        if isinstance(base, Spot) and self.flow.spot_is_inner(base) and self._by_steps(taken, base, name):
            return NOTHING
        if isinstance(base, Parsed):
            if name == "get" and base.form == "lists" and base.blank and node.args:
                return self._get(node, base.spot, "query", How.EVERY, taken)
            return NOTHING
        shape = self.flow.shape(base)
        on = base.then(Attr(name))
        if self.flow.spot_is_inner(base) and shape.is_method(on.role, on.steps):
            asked = shape.row(on.role, (*on.steps, Call()))
            if asked is not None and asked.lens.by_name is not None:
                return self._asked_for(node, on.then(Call()), asked, taken)
            self.follower.consume(taken)
            return self._called(node, on.then(Call()))
        if self.flow.spot_is_inner(base):
            if shape.is_object(base) and not name.startswith("__"):
                raise Stop("never-there", node, f"{name}()")
            return self._get_inner(node, name, base, taken)
        row = self._row(base)
        return self._of_row(node, name, base, row, taken) if row is not None else NOTHING

    def service(self, base: Value, name: str) -> Service | None:
        """Return the call of a service that a method of what a handler is handed is; nothing if it is none."""
        if not isinstance(base, Spot) or not self.flow.spot_is_inner(base):
            return None
        found = self._client(base.then(Attr(name)))
        return found if isinstance(found, Service) else None

    def _asked_for(self, node: ast.Call, spot: Spot, row: Row, taken: ast.expr) -> Value:
        """Return what a call gives by which values are looked up; the object is made where it asks for the unusual."""
        field = "headers" if row.field == "headers.all" else row.field
        if (
            not node.args
            or node.keywords
            or row.lens.by_name is None
            or any(isinstance(n, ast.Starred) for n in node.args)
            or self._never(row, node.args[0])
        ):
            return NOTHING
        if row.field == "headers.all" and _not_given("headers", node.args[0]):
            return NOTHING
        return self._get(node, spot, field, row.lens.by_name, taken)

    def called_by_name(self, node: ast.Call, spot: Spot) -> Value:
        """Return what a call of a method gives that a name holds."""
        self.follower.arguments(node)
        if self._row(spot.then(Call())) is None:  # no method: it fails as it did
            return NOTHING
        self.follower.consume(node.func)
        return self._called(node, spot.then(Call()))

    def _called(self, node: ast.Call, spot: Spot) -> Value:
        row = self._row(spot)
        assert row is not None
        if self.flow.shape(spot).shape.fields[row.field].holds == "call":
            if any(isinstance(one, ast.Starred) for one in node.args):
                raise Stop("arguments-hidden", node)
            self.follower.note(node, ContextCall(spot, row.field, node, row.lens.per_second))
            return Of("str") if row.field == "secret" else NOTHING
        if row.lens.content == "json":
            self.follower.note(node, Decode(spot, "body", As.JSON))
            return NOTHING
        return spot

    def _get_inner(self, node: ast.Call, name: str, base: Spot, taken: ast.expr) -> Value:
        key = node.args[0].value if node.args and isinstance(node.args[0], ast.Constant) else None
        shape = self.flow.shape(base)
        if name != "get" or not isinstance(key, str) or shape.is_packed(base):
            return NOTHING
        on = base.then(Item(key))
        if base.role == "event" and on.steps == shape.batch:
            self.follower.consume(taken)
            return Batch(base.kind, base.holder)
        if shape.may_be_missing(on):
            return MADE
        if shape.knows(on.role, on.steps):
            self.follower.consume(taken)
            return on
        if not all(isinstance(s, Item) for s in base.steps):
            return NOTHING
        self.follower.note(node, Fixed(base, "None", node.args[1] if len(node.args) > 1 else None), taken)
        return NOTHING

    def _of_row(self, node: ast.Call, name: str, base: Spot, row: Row, taken: ast.expr) -> Value:
        lens = row.lens
        if lens.methods:
            how = {own: how for how, own in lens.methods.items()}.get(name, "")
            if how == "all":
                self.follower.note(node, Pairs(base, row.field), taken)
                return Of("list", made=True)
            if how and node.args and not node.keywords and not self._never(row, node.args[0]):
                return self._get(node, base, row.field, How(how), taken)
            return NOTHING
        if name == "get" and lens.subscript and row.field in (*_HEADERS, "query") and node.args and not node.keywords:
            key = node.args[0]
            if self._never(row, key):
                default = node.args[1] if len(node.args) > 1 else None
                self.follower.note(node, Fixed(base, "None", default, "header-never-found"), taken)
                return NOTHING
            return self._get(node, base, row.field, lens.subscript, taken)
        if (
            name == "get"
            and row.field == "principal"
            and len(node.args) == 1
            and isinstance(node.args[0], ast.Constant)
        ):
            return self._of_principal(node, base, row, node.args[0])
        if row.field == "body" and lens.content == "packed" and name == "encode":
            self.follower.note(node, Decode(base, "body", As.BYTES, "base64-not-seen"), taken)
            return Of("bytes")
        if name == "replace" and row.field in ("time", "due") and _texts(node.args) == ["Z", "+00:00"]:
            return Seconds(base, text=True)
        if name in ("decode",):
            return Of("str")
        return NOTHING

    def _get(self, node: ast.Call, base: Spot, field: str, how: How, taken: ast.expr) -> Value:
        if field in _HEADERS and not isinstance(node.args[0], ast.Constant):
            return NOTHING
        default = node.args[1] if len(node.args) > 1 else None
        every = how is How.EVERY
        if field in _HEADERS and _not_given(field, node.args[0]):
            nothing = "[]" if every and self._multi(base) else "None"
            self.follower.note(node, Fixed(base, nothing, default, "header-not-given"), taken)
            return NOTHING
        if every and default is None and not self._multi(base):
            default = ast.Constant(None)
        if every and isinstance(default, ast.List) and not default.elts:
            default = None
        self.follower.note(node, LookUp(base, field, how, node.args[0], default), taken)
        return Of("list", made=True) if every else NOTHING

    def _multi(self, base: Spot) -> bool:
        row = self._row(base)
        return row is not None and bool(row.lens.methods or row.lens.by_name)

    # --- guards: what is known to be there ---

    def _mark(self, field: str, key: ast.expr | None) -> Known | None:
        return Known(field, ast.dump(key)) if isinstance(key, (ast.Constant, ast.Name)) else None

    def _guarded(self, field: str, key: ast.expr | None) -> bool:
        mark = self._mark(field.removesuffix(".plain"), key)
        return mark is not None and mark in self.follower.env

    def guards(self, test: ast.expr) -> tuple[Env, Env]:
        """Return what is known to be there where a test holds, and where it does not."""
        if isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not):
            there, absent = self.guards(test.operand)
            return absent, there
        if isinstance(test, ast.BoolOp):
            parts = [self.guards(part) for part in test.values]
            side = 0 if isinstance(test.op, ast.And) else 1
            both: Env = {name: bound for part in parts for name, bound in part[side].items()}
            return (both, {}) if side == 0 else ({}, both)
        op = self.flow.ops.get(id(test))
        if not isinstance(op, LookUp):
            return {}, {}
        mark = self._mark(op.field.removesuffix(".plain"), op.key)
        known: Env = {mark: Bound(NOTHING)} if mark is not None else {}
        if op.how is How.HAS:
            return ({}, known) if op.negated else (known, {})
        return ({}, {}) if op.strict else (known, {})

    def compared(self, node: ast.Compare, left: Value, right: Value) -> None:
        """Recognise a test for a name, and a comparison with one of the provider's words."""
        operator = node.ops[0]
        other = node.comparators[0]
        if isinstance(operator, (ast.In, ast.NotIn)):
            negated = isinstance(operator, ast.NotIn)
            if isinstance(right, Parsed) and right.blank:
                self.follower.note(node, LookUp(right.spot, "query", How.HAS, node.left, negated=negated), other)
                return
            if isinstance(right, Spot) and (row := self._row(right)) and row.field in (*_HEADERS, "query"):
                named = isinstance(node.left, ast.Constant)
                if not (row.lens.subscript or row.lens.methods) or (row.field in _HEADERS and not named):
                    return
                if self._never(row, node.left) or (row.field in _HEADERS and _not_given(row.field, node.left)):
                    self.follower.note(node, Fixed(right, str(negated)), other)
                    return
                self.follower.note(node, LookUp(right, row.field, How.HAS, node.left, negated=negated), other)
                return
        for spot, place, word in ((left, node.left, other), (right, other, node.left)):
            if isinstance(spot, Spot) and (row := self._row(spot)) and row.lens.words:
                words = word.elts if isinstance(word, (ast.Tuple, ast.List, ast.Set)) else [word]
                known = row.lens.words
                texts = [one.value if isinstance(one, ast.Constant) else None for one in words]
                if texts and all(text in known for text in texts):
                    self.follower.note(place, Word(spot, row.field), place)
                    self.flow.consumed.discard(id(place))
                    for one, text in zip(words, texts, strict=True):
                        self.follower.note(one, Word(spot, row.field, known[str(text)]))
                return

    # --- standard functions that undo a lens ---

    def standard(self, node: ast.Call, name: str, values: list[Value]) -> Value | None:
        """Return what a call of a standard function is, where it undoes the lens of a place."""
        if not values:
            return None
        value, taken = values[0], node.args[0]
        if name == "next" and isinstance(taken, ast.GeneratorExp) and len(node.args) == 2:
            return NOTHING if self.picked(node, taken, How.FIRST, node.args[1]) else None
        row = self._row(value) if isinstance(value, Spot) else None
        if name == "json.loads" and not node.keywords and len(node.args) == 1 and self._loaded(node, value):
            return NOTHING
        if isinstance(value, Spot) and row is not None:
            if name in ("urllib.parse.parse_qs", "urllib.parse.parse_qsl") and row.field == "query.raw":
                return self._parsed(node, name, value)
            if len(node.args) == 1 and name in row.lens.undoes:
                return self._undone(node, value, row)
            if len(node.args) == 1 and name.endswith("datetime.fromisoformat") and row.field in ("time", "due"):
                value = Seconds(value, text=True)
        if isinstance(value, Seconds) and self._is_moment(node, name, value):
            self.follower.note(node, Moment(value.spot, node), taken)
            return NOTHING
        return None

    def _loaded(self, node: ast.Call, value: Value) -> bool:
        """Recognise content read as JSON, decoded by the handler before or not."""
        taken = node.args[0]
        inner = self.flow.ops.get(id(taken))
        if isinstance(inner, Decode) and inner.field == "body" and inner.form is not As.JSON:
            self.follower.note(node, Decode(inner.spot, "body", As.JSON, inner.note), taken)
            return True
        row = self._row(value) if isinstance(value, Spot) else None
        if row is None or row.field != "body" or row.lens.content not in ("packed", "text", "bytes"):
            return False
        assert isinstance(value, Spot)
        note = "base64-not-seen" if row.lens.content == "packed" else ""
        self.follower.note(node, Decode(value, "body", As.JSON, note), taken)
        return True

    def _undone(self, node: ast.Call, value: Spot, row: Row) -> Value:
        """Note that a handler undoes a lens itself."""
        if row.lens.content:
            self.follower.note(node, Decode(value, "body", As.BYTES, "base64-not-seen"), node.args[0])
            return Of("bytes")
        self.follower.note(node, Decode(value, row.field, As.VALUE), node.args[0])
        return Of("str")

    def _is_moment(self, node: ast.Call, name: str, value: Seconds) -> bool:
        """Tell whether a time is made an aware datetime."""
        if value.text:
            return name.endswith("datetime.fromisoformat")
        zoned = len(node.args) > 1 or any(one.arg == "tz" for one in node.keywords)
        return name.endswith("datetime.fromtimestamp") and zoned

    def _parsed(self, node: ast.Call, name: str, spot: Spot) -> Value:
        blank = False
        for keyword in node.keywords:
            if keyword.arg != "keep_blank_values":
                return NOTHING
            blank = isinstance(keyword.value, ast.Constant) and bool(keyword.value.value)
        if len(node.args) == 2:
            blank = isinstance(node.args[1], ast.Constant) and bool(node.args[1].value)
        if self.flow.raw_query(spot.kind) or len(node.args) > 2:
            return NOTHING  # the call stays, and gets the query as it came
        lists = name.endswith("parse_qs") and blank
        if lists and any(row.lens.subscript is How.EVERY for row in self.flow.target.kinds[spot.kind].event.rows):
            self.follower.note(node, Decode(spot, "query", As.LISTS), node.args[0])
            return NOTHING
        return Parsed(spot, "lists" if name.endswith("parse_qs") else "pairs", blank)

    def scaled(self, node: ast.BinOp, left: Value) -> Value | None:
        """Recognise milliseconds made seconds."""
        if not isinstance(node.op, ast.Div) or not isinstance(node.right, ast.Constant) or node.right.value != 1000:
            return None
        op = self.flow.ops.get(id(node.left))
        if isinstance(op, ContextCall) and op.field == "time_left" and op.per_second == 1000:
            self.follower.note(node, replace(op, per_second=1), node.left)
            return NOTHING
        if isinstance(left, Spot) and (row := self._row(left)) and row.lens.unit == 1_000_000:
            return Seconds(left)
        return None

    # --- batches ---

    def one_of_batch(self, node: ast.Subscript, base: Batch) -> Value:
        """Return the entry that an index takes from a batch: the first, for a batch of one is all there is there."""
        if isinstance(node.slice, ast.Constant) and node.slice.value in (0, -1):
            self.follower.consume(node.value)
            return Spot(base.kind, "entry", (), base.holder, first=True)
        return NOTHING

    def entry_of(self, target: ast.expr, over: Value, iterated: ast.expr) -> bool:
        """Tell whether a loop runs over the events of a batch."""
        if isinstance(over, Batch):
            return isinstance(target, ast.Name)
        return self._counted(target, iterated) is not None

    def _counted(self, target: ast.expr, iterated: ast.expr) -> Batch | None:
        if not isinstance(iterated, ast.Call) or not isinstance(iterated.func, ast.Name) or not iterated.args:
            return None
        inner = self.flow.values.get(id(iterated.args[0]))
        pair = isinstance(target, ast.Tuple) and len(target.elts) == 2 and isinstance(target.elts[1], ast.Name)
        return inner if iterated.func.id == "enumerate" and pair and isinstance(inner, Batch) else None

    def bind_entry(self, node: ast.For | ast.AsyncFor | ast.comprehension) -> None:
        """Bind a loop's name to one event of the batch."""
        over = self.flow.values.get(id(node.iter))
        if isinstance(over, Batch) and isinstance(node.target, ast.Name):
            name = node.target.id
        else:
            over = self._counted(node.target, node.iter)
            assert over is not None
            assert isinstance(node.target, ast.Tuple)
            self.follower.store(node.target.elts[0], NOTHING)
            name = node.target.elts[1].id  # type: ignore[attr-defined]
        bound = Bound(Spot(over.kind, "entry", (), name))
        self.follower.env[name] = self.follower.history[name] = bound


def _texts(nodes: list[ast.expr]) -> list[object]:
    return [node.value if isinstance(node, ast.Constant) else None for node in nodes]


def _not_given(field: str, key: ast.expr) -> bool:
    """Tell whether a header field is one that no event holds among them: cookies may stand apart."""
    known = key.value.lower() if isinstance(key, ast.Constant) and isinstance(key.value, str) else ""
    return known in _NOT_GIVEN or (known == "cookie" and field == "headers.plain")


def _shown(node: ast.expr) -> str:
    return repr(node.value) if isinstance(node, ast.Constant) else "that"
