"""Values looked up by their names: header fields, a query's, a principal's; and what is then known to be there.

What is recognised here is what people write to find a value by its name, in whatever form the provider gives the names.
"""

from __future__ import annotations

import ast
from dataclasses import replace
from typing import Final

from vast_ferry.mapping.by_hand import How
from vast_ferry.mapping.helpers.of_http import FRAMING
from vast_ferry.mapping.tables import Row
from vast_ferry.translate.operations import Fixed, LookUp, OfPrincipal, Pairs
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.following import Following
from vast_ferry.translate.python.functions import NOTHING
from vast_ferry.translate.python.nodes import lower_of, walk
from vast_ferry.translate.values import Bound, Env, Known, Of, Parsed, Stop, Value

#: Header fields that no event holds: the authority is a field of its own, the others follow from the content.
_NOT_GIVEN: Final = FRAMING | {"host"}
HEADERS: Final = frozenset(["headers", "headers.plain"])


class LookUps:
    """Recognises how values are looked up in one function that is followed."""

    def __init__(self, follower: Following) -> None:
        self.follower, self.flow = follower, follower.flow

    def _row(self, spot: Spot) -> Row | None:
        return self.flow.shape(spot).row(spot.role, spot.steps)

    def _looked_up(self, node: ast.expr, base: Spot, row: Row, key: ast.expr, how: How) -> Value:
        taken = node.value if isinstance(node, ast.Subscript) else node
        if self._never(row, key):
            raise Stop("never-there", node, f"header fields have names in lower case, not {_shown(key)}")
        if row.field in HEADERS and not_given(row.field, key):
            raise Stop("never-there", node, f"header field {_shown(key)}")
        if row.field in HEADERS and not isinstance(key, ast.Constant):
            return NOTHING
        strict = not self._guarded(row.field, key)
        self.follower.note(node, LookUp(base, row.field, how, key, strict=strict), taken)
        return Of("list", made=True) if how is How.EVERY else Of("str")

    def _never(self, row: Row, key: ast.expr) -> bool:
        """Tell whether a header field is asked for that is never found: where they stand, names are in lower case."""
        named = isinstance(key, ast.Constant) and isinstance(key.value, str) and key.value != key.value.lower()
        return named and row.field in HEADERS and not row.lens.folds_case

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

    def _item_of_mapping(self, node: ast.Subscript, base: Parsed) -> Value:
        row = self._row(base.spot)
        assert row is not None
        if isinstance(node.slice, ast.Slice) or (row.field in HEADERS and not isinstance(node.slice, ast.Constant)):
            return NOTHING
        return self._looked_up(node, base.spot, row, node.slice, How.LAST)

    def _of_parsed(self, node: ast.Call, name: str, base: Parsed, taken: ast.expr) -> Value:
        """Return what a method gives of a query that the code decoded, or of a mapping that it makes of pairs."""
        if base.form != "mapping":
            asked = name == "get" and base.form == "lists" and base.blank and node.args
            return self._get(node, base.spot, "query", How.EVERY, taken) if asked else NOTHING
        row = self._row(base.spot)
        assert row is not None
        if name != "get" or not node.args or node.keywords or any(isinstance(n, ast.Starred) for n in node.args):
            return NOTHING
        if self._never(row, node.args[0]):
            default = node.args[1] if len(node.args) > 1 else None
            self.follower.note(node, Fixed(base.spot, "None", default, "header-never-found"), taken)
            return NOTHING
        return self._get(node, base.spot, row.field, How.LAST, taken)

    def as_mapping(self, node: ast.DictComp) -> Value | None:
        """Recognise pairs that the code puts into a mapping: `{name.lower(): value for name, value in pairs}`."""
        found = self._pairs_gone_through(node.generators, node.key, node.value)
        return Parsed(found[0], "mapping", True) if found is not None and not node.generators[0].ifs else None

    def _pairs_gone_through(
        self, generators: list[ast.comprehension], name: ast.expr, value: ast.expr
    ) -> tuple[Spot, Row] | None:
        """Return the pairs that a comprehension goes through, and names as it gives them: of fields, in lower case."""
        one = generators[0]
        spot, listed = self._listed_in_pairs(one.iter)
        row = self._row(spot) if spot is not None else None
        pair = one.target.elts if isinstance(one.target, ast.Tuple) else []
        if row is None or not listed or len(pair) != 2 or len(generators) != 1 or one.is_async:
            return None
        named = (lower_of(name) if row.field in HEADERS else None) or name
        names = [n.id if isinstance(n, ast.Name) else "" for n in (*pair, named, value)]
        assert spot is not None
        return (spot, row) if all(names) and names[:2] == names[2:] else None

    def _listed_in_pairs(self, node: ast.expr) -> tuple[Spot | None, bool]:
        """Return what is gone through, and whether that is its pairs: a list of them, or what a method gives."""
        spot, op = self.flow.values.get(id(node)), self.flow.ops.get(id(node))
        if isinstance(op, Pairs):
            return op.spot, True
        row = self._row(spot) if isinstance(spot, Spot) else None
        return (spot, bool(row.lens.pairs)) if isinstance(spot, Spot) and row is not None else (None, False)

    def by_items(self, node: ast.expr, picking: ast.GeneratorExp, default: ast.expr | None) -> bool:
        """Recognise a value picked by name out of a mapping's items: `next((v for k, v in m.items() if k == "a"), d)`.

        A mapping has a name once, so that the first is the one that it has.
        """
        one, call = picking.generators[0], picking.generators[0].iter
        method = call.func if isinstance(call, ast.Call) and not call.args and not call.keywords else None
        spot = self.flow.values.get(id(method.value)) if isinstance(method, ast.Attribute) else None
        row = self._row(spot) if isinstance(spot, Spot) else None
        pair = one.target.elts if isinstance(one.target, ast.Tuple) else []
        named = _named_by(one.ifs)
        if row is None or not isinstance(method, ast.Attribute) or method.attr != "items" or len(pair) != 2:
            return False
        if named is None or len(picking.generators) != 1 or row.field not in (*HEADERS, "query"):
            return False
        asked, key = named
        own = (lower_of(asked) if row.field in HEADERS else None) or asked
        names = [n.id if isinstance(n, ast.Name) else "" for n in (*pair, own, picking.elt)]
        lower = row.field not in HEADERS or key.value == str(key.value).lower()
        if not all(names) or names[:2] != names[2:] or not row.lens.subscript or not lower or self._never(row, key):
            return False
        assert isinstance(spot, Spot)
        self.follower.note(node, LookUp(spot, row.field, row.lens.subscript, key, default))
        self._consume_all(picking, key)
        return True

    def _consume_all(self, picking: ast.expr, *others: ast.expr) -> None:
        """Note that all of an expression is taken in by what stands around it, but for some nodes."""
        for inner in walk(picking):
            if isinstance(inner, ast.expr) and not any(inner is one for one in others):
                self.follower.consume(inner)

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
        named = _named_by(picking.generators[0].ifs)
        if named is None:
            return False
        asked, key = named
        found = self._pairs_gone_through(picking.generators, asked, picking.elt)
        if found is None or not isinstance(key.value, str):
            return False
        spot, row = found
        if row.field in HEADERS and key.value != key.value.lower():
            return False
        self.follower.note(node, LookUp(spot, row.field, how, key, default))
        self._consume_all(picking, key, node)
        if picking is not node:
            self.follower.consume(picking)
        return True

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
        if row.field == "headers.all" and not_given("headers", node.args[0]):
            return NOTHING
        return self._get(node, spot, field, row.lens.by_name, taken)

    def _get(self, node: ast.Call, base: Spot, field: str, how: How, taken: ast.expr) -> Value:
        key = self.flow.values.get(id(node.args[0]))
        if isinstance(key, Spot) and self.flow.made(key) != Of("str"):  # which is no name at all
            return NOTHING
        if field in HEADERS and not isinstance(node.args[0], ast.Constant):
            return NOTHING
        default = node.args[1] if len(node.args) > 1 else None
        every = how is How.EVERY
        if field in HEADERS and not_given(field, node.args[0]):
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

    def _tested(self, node: ast.Compare, right: Value, other: ast.expr) -> bool:
        """Recognise a test for a name among header fields, or what a query says."""
        negated = isinstance(node.ops[0], ast.NotIn)
        mapped = isinstance(right, Parsed) and right.form == "mapping"
        if isinstance(right, Parsed) and right.blank and not mapped:
            self.follower.note(node, LookUp(right.spot, "query", How.HAS, node.left, negated=negated), other)
            return True
        spot = right.spot if isinstance(right, Parsed) else right
        row = self._row(spot) if isinstance(spot, Spot) else None
        if row is None or not isinstance(spot, Spot) or row.field not in (*HEADERS, "query"):
            return False
        by_name = mapped or row.lens.subscript or row.lens.methods
        if by_name and (isinstance(node.left, ast.Constant) or row.field not in HEADERS):
            never = row.field in HEADERS and not_given(row.field, node.left)
            if never or self._never(row, node.left):
                self.follower.note(node, Fixed(spot, str(negated)), other)
            else:
                self.follower.note(node, LookUp(spot, row.field, How.HAS, node.left, negated=negated), other)
        return True

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


def not_given(field: str, key: ast.expr) -> bool:
    """Tell whether a header field is one that no event holds among them: cookies may stand apart."""
    known = key.value.lower() if isinstance(key, ast.Constant) and isinstance(key.value, str) else ""
    return known in _NOT_GIVEN or (known == "cookie" and field == "headers.plain")


def _shown(node: ast.expr) -> str:
    return repr(node.value) if isinstance(node, ast.Constant) else "that"


def _named_by(tests: list[ast.expr]) -> tuple[ast.expr, ast.Constant] | None:
    """Return what is compared with a text that stands there, and that text, where nothing else is asked."""
    test = tests[0] if len(tests) == 1 else None
    if not isinstance(test, ast.Compare) or len(test.ops) != 1 or not isinstance(test.ops[0], ast.Eq):
        return None
    for one, other in ((test.left, test.comparators[0]), (test.comparators[0], test.left)):
        if isinstance(other, ast.Constant) and isinstance(other.value, str):
            return one, other
    return None
