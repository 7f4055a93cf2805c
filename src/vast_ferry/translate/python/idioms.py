"""What people write around a place, and what it means: lookups, decoding, calls of the context, guards, batches.

Each of these is recognised here once, in terms of rows and lenses; how it is written at a target is `render`'s.
"""

from __future__ import annotations

import ast
from dataclasses import replace

from vast_ferry.mapping.by_hand import How
from vast_ferry.mapping.places import Attr, Call, Item, Step
from vast_ferry.mapping.tables import Row
from vast_ferry.translate.operations import (
    As,
    ContextCall,
    Decode,
    Fixed,
    Moment,
    Pairs,
    Stepped,
    Word,
)
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.contents import Contents
from vast_ferry.translate.python.following import Following
from vast_ferry.translate.python.functions import DATA, MADE, NOTHING
from vast_ferry.translate.python.lookups import HEADERS, LookUps
from vast_ferry.translate.values import Batch, Bound, Of, Parsed, Seconds, Service, Stop, Value


class Idioms(LookUps):
    """Recognises what is done with places in one function that is followed."""

    def __init__(self, follower: Following) -> None:
        super().__init__(follower)
        self.contents = Contents(follower)

    # --- steps ---

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
            return self._item_of_query(node, base) if base.form != "mapping" else self._item_of_mapping(node, base)
        if self.flow.spot_is_inner(base):
            if isinstance(key, ast.Constant) and isinstance(key.value, (str, int)):
                return self.step(node, base, Item(key.value), node.value)
            return NOTHING
        row = self._row(base)
        if row is None:
            return NOTHING
        how = row.lens.subscript
        if how and row.field in (*HEADERS, "query") and not isinstance(key, ast.Slice):
            return self._looked_up(node, base, row, key, how)
        if row.field == "principal" and isinstance(key, ast.Constant):
            return self._of_principal(node, base, row, key)
        return NOTHING

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
            return self._of_parsed(node, name, base, taken)
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
            return DATA
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
        if name == "get" and lens.subscript and row.field in (*HEADERS, "query") and node.args and not node.keywords:
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

    # --- comparisons ---

    def compared(self, node: ast.Compare, left: Value, right: Value) -> None:
        """Recognise a test for a name, and a comparison with one of the provider's words."""
        operator = node.ops[0]
        other = node.comparators[0]
        if isinstance(operator, (ast.In, ast.NotIn)) and self._tested(node, right, other):
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
            first = self.picked(node, taken, How.FIRST, node.args[1]) or self.by_items(node, taken, node.args[1])
            return NOTHING if first else None
        row = self._row(value) if isinstance(value, Spot) else None
        if name == "dict" and len(node.args) == 1 and not node.keywords and row is not None and row.lens.pairs:
            assert isinstance(value, Spot)
            return Parsed(value, "mapping", True) if row.field in (*HEADERS, "query") else None
        if name == "json.loads" and not node.keywords and len(node.args) == 1 and self._loaded(node, value):
            return DATA
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
        rows = [row for row in self.flow.target.kinds[spot.kind].event.rows if row.field == "query"]
        if lists and any(row.lens.subscript is How.EVERY for row in rows):
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
