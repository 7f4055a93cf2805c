"""Hub fields read from a native shape as one would write it by hand: expressions that need no helper of ours.

Each row's lens says how (`Lens.inline` and its like); here is only which row is asked, and what follows from others.
A lens that has no such expression gives none, and the value comes from a compiled view instead. What an expression
gives is what the lens's own reader gives, but where a `note` says what it takes for granted.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.hub.kinds import is_request
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.by_hand import SINGLE_FIELDS, ByHand, How, Lookup, Stands, is_empty_text
from vast_ferry.mapping.expressions import Expression, Literal
from vast_ferry.mapping.lenses.pairs import FirstValues, ListsByName, encoded, in_lists, parsed
from vast_ferry.mapping.lenses.text import ChoiceOf
from vast_ferry.mapping.lenses.times import Epoch
from vast_ferry.mapping.places import Access, Attr, Function, Item
from vast_ferry.mapping.python import in_handler
from vast_ferry.mapping.tables import EventShape, Row

#: Fields that are nothing, or empty, where a provider does not tell them.
DEFAULTED: Final = frozenset(["principal", "client", "group", "labels", "etag", "version", "attributes", "extensions"])
#: What stands for a missing place, by what the field holds.
_USUAL: Final = {"text": Literal(""), "texts": Literal({})}
#: The Python type of what a field holds.
_TYPES: Final = {"text": "str", "texts": "dict", "bytes": "bytes", "integer": "int"}


def place(at: Access) -> Expression:
    """Return the expression of a place, its root as what a handler is handed."""
    made: Expression = ex.Parameter(at.root)
    for step in at.steps:
        made = step_from(made, step)
    return made


def step_from(base: Expression, step: object) -> Expression:
    """Return the expression one step on."""
    if isinstance(step, Item):
        return ex.Item(base, Literal(step.key))
    if isinstance(step, Attr):
        return ex.Attribute(base, step.name)
    if isinstance(step, Function):
        made = ex.Call(ex.Standard(step.module, step.name), tuple(map(ex.Parameter, step.parameters)))
        return ex.Await(made) if step.awaited else made
    called = ex.Call(base)
    return ex.Await(called) if getattr(step, "awaited", False) else called


def at_text(at: Access, names: Mapping[str, str]) -> str:
    """Return a place as Python, its root under the name that it has in a function."""
    return in_handler(ex.with_parameters(place(at), {at.root: ex.Variable(names.get(at.root, at.root))}))


@dataclass(frozen=True, slots=True)
class Inline:
    """Reads hub fields from an event's shape."""

    shape: EventShape
    rows: dict[str, list[Row]] = field(default_factory=dict)

    @classmethod
    def of(cls, shape: EventShape) -> Inline:
        """Return what reads a shape."""
        rows: dict[str, list[Row]] = {}
        for row in shape.rows:
            if not row.offer:
                rows.setdefault(row.field, []).append(row)
        return cls(shape, rows)

    def at(self, row: Row, default: Expression | None = None) -> ByHand:
        """Return the expression of a row's place; what may be missing gives `default`."""
        usual = default or row.lens.where_absent or _USUAL.get(self.shape.fields[row.field].holds, Literal(None))
        return ByHand(_may_be_missing(row.at, usual) if row.optional else place(row.at))

    def stands(self, row: Row) -> Stands:
        """Return what stands at a row's places, for its lens."""
        flag = ByHand(place(row.flag)) if row.flag is not None else None
        zero = ByHand(_may_be_missing(row.flag, Literal(0))) if row.flag is not None else None
        holds = self.shape.fields[row.field].holds
        return Stands(self.at(row), ByHand(place(row.at)), flag, zero, holds)

    def hub(self, name: str) -> ByHand | None:
        """Return the expression of a hub field, or nothing where it takes more than an expression."""
        for row in self.rows.get(name, ()):
            made = row.lens.inline(self.stands(row))
            if made is not None:
                return made if made.type else made.of_type(_TYPES.get(self.shape.fields[name].holds, ""))
        made = self._by_rule(name)
        if made is None and not self.rows.get(name) and name in DEFAULTED:
            return ByHand(ex.Given(self.shape.fields[name].default))
        return made

    def _by_rule(self, name: str) -> ByHand | None:
        if name == "query.raw" and (pairs := self.pairs("query")):
            return pairs.over(encoded, "str")
        if name == "path" and (raw := self.hub("path.raw")):
            return raw.over(lambda path: ex.standard("urllib.parse.unquote", path), "str")
        if name == "cookies.raw" and is_request(self.shape.kind):
            every = self.lookup(_header("cookie", How.EVERY))
            if every is not None:  # several fields are one, joined (RFC 9113 §8.2.3)
                return every.over(_cookies_joined, "str")
            return self.lookup(_header("cookie", How.FIRST, Literal("")))
        if name == "cookies" and (raw := self.hub("cookies.raw")):
            return raw.over(lambda field: ex.Call(ex.Beside("cookie_pairs"), (field,)), "list")
        if name == "content_type" and is_request(self.shape.kind):
            return self.lookup(_header("content-type", How.FIRST, Literal("")))
        if name == "body.length" and (body := self.hub("body")):
            return body.over(lambda content: ex.built_in("len", content), "int")
        return None

    # --- content ---

    def text(self) -> ByHand | None:
        """Return the content as text."""
        for row in self.rows.get("body", ()):
            made = row.lens.inline_text(self.stands(row))
            if made is not None:
                return made
        body = self.hub("body")
        decoded = lambda content: ex.method(content, "decode", errors=Literal("replace"))  # noqa: E731
        return body.over(decoded, "str", "charset-assumed") if body else None

    def json(self) -> ByHand | None:
        """Return the content as a JSON value."""
        for row in self.rows.get("body", ()):
            made = row.lens.inline_json(self.stands(row))
            if made is not None:
                return made
        body = self.hub("body")
        return body.over(lambda content: ex.standard("json.loads", content, whole=True)) if body else None

    # --- values by name ---

    def pairs(self, name: str) -> ByHand | None:
        """Return the (name, value) pairs of a query or of header fields, as a list."""
        for row in self.rows.get(name, []):
            made = row.lens.inline_pairs(self.at(row))
            if made is not None:
                return made
        if name == "query" and (raw := self._raw()):
            blank = Literal(True)
            parse = lambda query: ex.standard("urllib.parse.parse_qsl", query, keep_blank_values=blank)  # noqa: E731
            return raw.over(parse, "list")
        return None

    def _raw(self) -> ByHand | None:
        for row in self.rows.get("query.raw", ()):
            return row.lens.inline(self.stands(row))
        return None

    def has_raw_query(self) -> bool:
        """Tell whether the query stands there as it came."""
        return self._raw() is not None

    def lookup(self, wanted: Lookup) -> ByHand | None:
        """Return the expression that looks up a name, or nothing where it takes more than an expression."""
        name, constant = wanted.field, wanted.constant
        if wanted.how is How.JOINED and ((constant or "").lower() in SINGLE_FIELDS or name == "query"):
            wanted = _with(wanted, how=How.FIRST)
        for row in self.rows.get(name, []):
            made = row.lens.look_up(self.at(row), wanted)
            if made is not None:
                return made
        if name == "headers":
            if (constant or "").lower() == "cookie":
                return self._cookie(wanted)
            return self.lookup(_with(wanted, field="headers.plain")) if "headers" not in self.rows else None
        if name == "headers.plain" and "headers" in self.rows and constant != "cookie":
            return self.lookup(_with(wanted, field="headers"))
        if name == "query" and (raw := self._raw()):
            return in_lists(raw.over(parsed), wanted)
        return None

    def _cookie(self, wanted: Lookup) -> ByHand | None:
        """Return the Cookie field looked up where it stands apart from the others."""
        for row in self.rows.get("cookies.raw", ()):
            there = place(row.at)
            if wanted.how is How.EVERY:
                return self.at(row).over(_one_or_none(there), "list")
            if wanted.how is How.HAS:
                return self.at(row).over(lambda at: ex.built_in("bool", at))
            return self.at(row, wanted.or_none)
        for row in self.rows.get("cookies", ()):
            cookies = self.at(row)
            if wanted.how is How.EVERY:
                return cookies.over(_one_or_none(_cookies_joined(cookies.expression)), "list")
            if wanted.how is How.HAS:
                return cookies.over(lambda at: ex.built_in("bool", at), "bool")
            made = cookies.over(_cookies_joined, "str")
            if wanted.default is not None and is_empty_text(wanted.default):
                return made
            return made.over(lambda text: ex.either(text, wanted.or_none), "str")
        return None


def _with(wanted: Lookup, *, field: str = "", how: How | None = None) -> Lookup:
    return Lookup(field or wanted.field, how or wanted.how, wanted.key, wanted.constant, wanted.default)


def _header(name: str, how: How, default: Expression | None = None) -> Lookup:
    return Lookup("headers", how, Literal(name), name, default)


def _cookies_joined(cookies: Expression) -> Expression:
    return ex.method(Literal("; "), "join", cookies)


def _one_or_none(one: Expression) -> ex.Build:
    """Return what lists one thing, where there is one."""
    return lambda at: ex.Choice(at, ex.Sequence((one,)), ex.Sequence(()))


def _may_be_missing(at: Access, default: Expression) -> Expression:
    if not at.steps or not isinstance(at.steps[-1], Item):
        return place(at)
    before = place(Access(at.root, at.steps[:-1]))
    return ex.method(before, "get", Literal(str(at.steps[-1].key)), default)


def native_value(source: Row, reads: Inline) -> ByHand | None:
    """Return what a row of the source's shape holds, from the target's shape, or nothing where that takes a helper."""
    made = _value_of(source, reads)
    if made is None or not source.null_if_empty:
        return made
    if source.lens.plain:  # which is nothing where nothing is told
        return made.over(lambda value: ex.either(value, Literal(None)), "")
    hub = reads.hub(source.field)
    if hub is None:
        return None
    told: Expression = hub.expression
    if reads.shape.fields[source.field].default == "None":
        told = ex.Operation("is not", (told, Literal(None)))
    return made.over(lambda value: ex.Choice(told, value, Literal(None)), "")


def _value_of(source: Row, reads: Inline) -> ByHand | None:
    """Return what a row of the source's shape holds where it is not empty."""
    lens = source.lens
    rows = reads.rows.get(source.field, [])
    own = next((row for row in rows if row.lens == lens), None)
    if own is not None and _as_it_stands(own):
        return reads.at(own).of_type("bytes" if lens.gives == "bytes" else "")
    if isinstance(lens, Epoch):
        row = next(iter(rows), None)
        at = reads.at(row) if row else None
        time = reads.hub(source.field)
        return lens.inline_from(time, row.lens if row else None, at)
    if source.field == "body":
        return _content(lens.content, reads)
    if lens.pairs:
        return reads.pairs(source.field)
    pairs = reads.pairs(source.field) if isinstance(lens, (ListsByName, FirstValues)) else None
    if isinstance(lens, ListsByName) and source.field != "query":
        return None  # header fields in lists take a helper
    if isinstance(lens, ListsByName) and pairs is not None:
        return lens.inline_from_pairs(pairs, reads.hub("query.raw") if reads.has_raw_query() else None)
    if isinstance(lens, FirstValues) and pairs is not None:
        return lens.inline_from_pairs(pairs)
    if isinstance(lens, ChoiceOf):
        row = next((one for one in rows if one.lens.words), None)
        if row is not None:  # from word to word
            return lens.inline_from(row.lens, reads.at(row))
    hub = reads.hub(source.field)
    return lens.inline_write(hub) if hub is not None else None


def _content(form: str, reads: Inline) -> ByHand | None:
    if form == "bytes":
        return reads.hub("body")
    if form == "text":
        return reads.text()
    return reads.json() if form == "json" else None


def _as_it_stands(own: Row) -> bool:
    """Tell whether what stands at a row of the same lens may be taken as it is."""
    lens = own.lens
    return not own.optional and (not lens.needs or lens.flagged) and not lens.methods and not lens.spread
