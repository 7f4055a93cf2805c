"""How values by name stand at native places: queries, header fields, captures."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import ClassVar

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.by_hand import ByHand, How, Lookup, Stands
from vast_ferry.mapping.expressions import Expression, Literal, helper
from vast_ferry.mapping.lenses.lens import Lens, Need, TwoHelpers
from vast_ferry.mapping.losses import Fields, Loss, repeats

NAME, VALUE = ex.Variable("name"), ex.Variable("value")


def _listed(at: Expression) -> Expression:
    return ex.built_in("list", ex.method(at, "items"))


def picked(at: ByHand, wanted: Lookup, test: Expression, value: Expression) -> ByHand | None:
    """Return what stands under a name in a list of pairs: `test` is of a pair's name, `value` what is made of one."""

    def each(over: Expression, *, listed: bool) -> Expression:
        return ex.Each(value, ("name", "value"), over, test, listed=listed)

    def has(over: Expression) -> Expression:
        return ex.built_in("any", ex.Each(test, ("name", "_"), over, listed=False))

    if wanted.how is How.HAS:
        return at.over(has, "bool")
    if wanted.how is How.EVERY:
        return at.over(lambda over: each(over, listed=True), "list")
    if wanted.how is How.JOINED:
        return wanted.joined(at, lambda over: each(over, listed=True), has)
    if wanted.how is How.LAST:
        return at.over(lambda over: last_of(each(over, listed=True), wanted))
    return at.over(lambda over: ex.built_in("next", each(over, listed=False), wanted.or_none))


def last_of(values: Expression, wanted: Lookup) -> Expression:
    """Return the last of a list of values, or what stands for a missing one."""
    return ex.built_in("next", ex.built_in("reversed", values), wanted.or_none)


class PairList(Lens):
    """A list of pairs, each a tuple of name and value; where each is a list, `records(0, 1)`."""

    __slots__ = ()
    name, holds, pairs = "pairs", ("pairs",), True
    made_by: ClassVar[str] = ""  # the small function that gives fields this form, where they don't stand there in full

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("pairs_of", at)

    def inline_pairs(self, at: ByHand) -> ByHand | None:
        return at.of_type("list")

    def look_up(self, at: ByHand, wanted: Lookup) -> ByHand | None:
        if wanted.headers and wanted.constant is None:
            return None
        name: Expression = ex.method(NAME, "lower") if wanted.headers else NAME
        return picked(at, wanted, ex.Operation("==", (name, wanted.lower_key)), VALUE)


class FieldLists(PairList):
    """A reply's header fields as a handler gives them in a mapping: each name with the list of its values."""

    __slots__ = ()
    name = ""  # no profile says it
    made_by = "in_lists"


class FlatFields(PairList):
    """A reply's header fields as a handler gives them in one list, in which names and values alternate."""

    __slots__ = ()
    name = ""
    made_by = "flat_fields"


class Joined(TwoHelpers):
    """A mapping of names in lower case, repeats joined by `, ` (RFC 9110 §5.3)."""

    __slots__ = ()
    name, holds, reader, writer, subscript = "joined", ("pairs",), "from_joined", "with_joined", How.JOINED
    forgives = True

    def write_folded(self, value: Expression, need: Need) -> Expression:
        return ex.built_in("dict", value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (joined_loss(field),)

    def inline_pairs(self, at: ByHand) -> ByHand | None:
        return at.over(_listed, "list")

    def look_up(self, at: ByHand, wanted: Lookup) -> ByHand | None:
        return _in_mapping(at, wanted)


def _in_mapping(at: ByHand, wanted: Lookup) -> ByHand | None:
    """Return what stands under a name in a mapping that has each name once, those of header fields in lower case."""
    if wanted.headers and wanted.constant is None:
        return None
    key = wanted.lower_key
    if wanted.how is How.EVERY:
        return at.over(lambda base: one_or_none(base, key), "list")
    if wanted.how is How.HAS:
        return at.over(lambda base: ex.contains(key, base), "bool")
    return at.over(lambda base: wanted.get(base, key))


def one_or_none(base: Expression, key: Expression) -> Expression:
    """Return the list of all values under a name, where there is one at most."""
    return ex.Choice(ex.contains(key, base), ex.Sequence((ex.Item(base, key),)), ex.Sequence(()))


def joined_loss(field: str) -> Loss:
    """Return what is lost where header fields that repeat become one."""
    return Loss(
        "header-joined",
        field,
        "a header field repeats",
        "its values arrive as one, joined by `, ` in order",
        lambda fields: repeats([pair for pair in fields["headers"] if pair[0].lower() not in ("cookie", "set-cookie")]),
        harmless=True,
    )


class FirstValues(Lens):
    """A mapping from each name to its first value."""

    __slots__ = ()
    name, holds, subscript = "first_values", ("pairs",), How.FIRST

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("from_joined", at)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("first_values", value)

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            Loss(
                "first-value-only",
                field,
                "a name repeats",
                "only its first value arrives",
                lambda fields: repeats(
                    helpers.parse_query(fields["query.raw"]) if field.startswith("query") else fields["headers"]
                ),
            ),
        )

    def look_up(self, at: ByHand, wanted: Lookup) -> ByHand | None:
        return None if wanted.how in (How.EVERY, How.LAST) else _in_mapping(at, wanted)

    def inline_from_pairs(self, pairs: ByHand) -> ByHand:
        """Return the mapping made of pairs."""
        return pairs.over(lambda listed: ex.Call(ex.Beside("first_values"), (listed,)), "dict")


class MultiMap(Lens):
    """An object that is looked up by name: `first` and `every` and `all` name its methods; `case=no` for headers."""

    __slots__ = ()
    name, takes, named, names, holds = "multimap", "first=, every=, all=, case=", True, True, ("pairs",)

    @property
    def methods(self) -> Mapping[str, str]:
        return {how: own for how, own in self.options if how in ("first", "every", "all")}

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return self._all(at)

    def _all(self, at: Expression) -> Expression:
        return ex.method(at, dict(self.options)["all"])

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.built_in(self.class_name, value)

    @property
    def class_name(self) -> str:
        """Return the name of the class that is made for this shape."""
        return "NamedHeaders" if self.folds_case else "NamedValues"

    @property
    def folds_case(self) -> bool:  # type: ignore[override]
        return dict(self.options).get("case") == "no"

    def class_source(self) -> str:
        """Return the source of that class."""
        base = "PairsByNameNoCase" if self.folds_case else "PairsByName"
        lines = [f"class {self.class_name}({base}):", f'    """{base} with the names that handlers use."""', ""]
        lines += ["    __slots__ = ()"]
        lines += [
            f"    {self.methods[how]} = {base}._{how}" for how in ("first", "every", "all") if how in self.methods
        ]
        return "\n".join(lines)

    def on_file(self) -> Lens:
        return PairList()

    def inline_pairs(self, at: ByHand) -> ByHand | None:
        return at.over(self._all, "list")

    def look_up(self, at: ByHand, wanted: Lookup) -> ByHand | None:
        if wanted.headers and wanted.constant is None and not self.folds_case:
            return None
        key = wanted.key if self.folds_case else wanted.lower_key

        def has(base: Expression) -> Expression:
            return ex.contains(key, base)

        def every(base: Expression) -> Expression:
            return ex.method(base, self.methods["every"], key)

        if wanted.how is How.HAS:
            return at.over(has, "bool")
        if wanted.how is How.FIRST:
            said = [wanted.said] if wanted.said is not None else []
            return at.over(lambda base: ex.method(base, self.methods["first"], key, *said))
        if wanted.how is How.LAST:
            return at.over(lambda base: last_of(every(base), wanted))
        return at.over(every, "list") if wanted.how is How.EVERY else wanted.joined(at, every, has)


class AskedFor(Lens):
    """A call that gives values by name: `asked_for(every, name)` or `asked_for(first, name, default)`.

    The words behind `every` and `first` are the call's own parameters; `case=no` for header fields. It is only written:
    another row has to read the field.
    """

    __slots__ = ()
    name, takes, named, holds, derived_only = "asked_for", "every or first; parameters; case=", True, ("pairs",), True
    fewest, most = 2, 3

    @property
    def by_name(self) -> How | None:  # type: ignore[override]
        return {"every": How.EVERY, "first": How.FIRST}.get(str(self.args[0]) if self.args else "")

    @property
    def folds_case(self) -> bool:  # type: ignore[override]
        return dict(self.options).get("case") == "no"

    def wrong(self, fields: Collection[str]) -> str:
        if self.by_name is None or not all(str(one).isidentifier() for one in self.args[1:]):
            return "it takes every or first, and the call's parameters: asked_for(every, name)"
        return super().wrong(fields)

    def write(self, value: Expression, need: Need) -> Expression:
        named, *more = [ex.Variable(str(one)) for one in self.args[1:]]
        word = "values_asked_for" if self.by_name is How.EVERY else "value_asked_for"
        return helper(word, value, named, ex.Literal(self.folds_case), *more)


def order_lost(field: str) -> tuple[Loss, ...]:
    """Return what is lost where all values of a name stand together."""
    if not field.startswith("query"):
        return ()  # between header fields of different names there is no order (RFC 9110 section 5.3)

    def mixed(fields: Fields) -> bool:
        pairs = helpers.parse_query(fields["query.raw"])
        return helpers.from_lists(helpers.to_lists(pairs)) != pairs

    return (
        Loss(
            "order-between-names",
            field,
            "a name repeats with other names in between",
            "the values of each name stay in order, but stand together",
            mixed,
            harmless=True,
        ),
    )


class ListsByName(TwoHelpers):
    """A mapping from each name to the list of its values."""

    __slots__ = ()
    name, holds, reader, writer, subscript = "lists", ("pairs",), "from_lists", "to_lists", How.EVERY

    def losses(self, field: str) -> tuple[Loss, ...]:
        return order_lost(field)

    def inline_pairs(self, at: ByHand) -> ByHand | None:
        def each(lists: Expression) -> Expression:
            pair = ex.Sequence((NAME, VALUE), fixed=True)
            inner = (("value",), ex.Variable("values"))
            return ex.Each(pair, ("name", "values"), ex.method(lists, "items"), inner=inner)

        return at.over(each, "list")

    def look_up(self, at: ByHand, wanted: Lookup) -> ByHand | None:
        return in_lists(at, wanted)

    def inline_from_pairs(self, pairs: ByHand, raw: ByHand | None) -> ByHand:
        """Return the mapping made of pairs, or of a query as it came where there is one."""
        return (raw or pairs).over(parsed if raw else lambda listed: parsed(encoded(listed)), "dict")


class OneOrList(TwoHelpers):
    """A mapping from each name to its value, or to the list of its values where it has several."""

    __slots__ = ()
    name, holds, reader, writer = "one_or_list", ("pairs",), "pairs_of_one_or_list", "one_or_list_of_pairs"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return order_lost(field)


class ListsToLookUp(ListsByName):
    """The same, from which only values by name are taken: where names alternate, pairs don't come back in order."""

    __slots__ = ()
    name = ""  # no profile says it

    def inline_pairs(self, at: ByHand) -> ByHand | None:
        return None


def parsed(query: Expression) -> Expression:
    """Return the lists of values by name of a query as it came."""
    return ex.standard("urllib.parse.parse_qs", query, keep_blank_values=Literal(True))


def encoded(pairs: Expression) -> Expression:
    """Return a query made of pairs."""
    return ex.standard("urllib.parse.urlencode", pairs)


def in_lists(at: ByHand, wanted: Lookup) -> ByHand | None:
    """Return what stands under a name in lists of values by name, those of header fields in lower case."""
    if wanted.headers and wanted.constant is None:
        return None
    key = wanted.lower_key

    def has(base: Expression) -> Expression:
        return ex.contains(key, base)

    def every(base: Expression) -> Expression:
        return ex.method(base, "get", key, ex.Sequence(()))

    if wanted.how is How.HAS:
        return at.over(has, "bool")
    if wanted.how is How.FIRST:
        one = ex.Sequence((wanted.or_none,))
        return at.over(lambda base: ex.first(ex.method(base, "get", key, one)))
    if wanted.how is How.LAST:
        return at.over(lambda base: last_of(every(base), wanted))
    return at.over(every, "list") if wanted.how is How.EVERY else wanted.joined(at, every, has)


class RoutingArgs(TwoHelpers):
    """Captures as wsgi.org's routing_args: positional ones, then ones by name."""

    __slots__ = ()
    name, holds, reader, writer = "routing_args", ("texts",), "captures_of", "routing_args"
    where_absent = Literal(((), {}))

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.Item(at, Literal(1)), "dict")
