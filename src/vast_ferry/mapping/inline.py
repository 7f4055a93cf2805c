"""Hub fields read from a native shape as one would write it by hand: expressions that need no helper of ours.

A lens that has no such expression has none here, and its value comes from a compiled view instead. What an expression
gives is what the lens's own reader gives, but where a `note` says what it takes for granted.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Final

from vast_ferry.mapping.lenses.lens import Lens
from vast_ferry.mapping.places import Access, Attr, Item
from vast_ferry.mapping.tables import EventShape, Row

#: RFC 9110: fields that are no lists, so that the first value is the value; all in lower case.
SINGLE_FIELDS: Final = frozenset(
    ["content-type", "content-length", "content-location", "host", "authorization", "user-agent", "referer", "from"]
    + ["if-modified-since", "if-unmodified-since", "if-range", "range", "date", "max-forwards", "location", "etag"]
    + ["last-modified", "age", "expires", "retry-after", "server", "origin", "cookie"]
)


@dataclass(frozen=True, slots=True)
class Beside:
    """A small function that stands beside the code that uses it: its text, the imports it needs."""

    text: str
    imports: frozenset[str]


_TIME_IMPORTS: Final = frozenset(["from datetime import datetime, timedelta, timezone"])


def _since(name: str, unit: str, delta: str) -> Beside:
    text = (
        f"def {name}(time):\n"
        f'    """Return whole {unit} since 1970 of an RFC 3339 text."""\n'
        '    since = datetime.fromisoformat(time.replace("Z", "+00:00")) - datetime.fromtimestamp(0, timezone.utc)\n'
        f"    return since // timedelta({delta}=1)\n"
    )
    return Beside(text, _TIME_IMPORTS)


def _told(name: str, unit: str, moment: str, spec: str) -> Beside:
    text = (
        f"def {name}(moment):\n"
        f'    """Return the RFC 3339 text of {unit} since 1970."""\n'
        f"    time = datetime.fromtimestamp({moment}, timezone.utc)\n"
        f'    return time.isoformat({spec}).replace("+00:00", "Z")\n'
    )
    return Beside(text, frozenset(["from datetime import datetime, timezone"]))


#: Functions that expressions may call, by name; each is written into a module that uses it.
BESIDE: Final = {
    "milliseconds_of": _since("milliseconds_of", "milliseconds", "milliseconds"),
    "nanoseconds_of": Beside(
        "def nanoseconds_of(time):\n"
        '    """Return whole nanoseconds since 1970 of an RFC 3339 text."""\n'
        '    whole, _, rest = time.partition(".")\n'
        '    zone = rest.lstrip("0123456789")\n'
        "    digits = rest[: len(rest) - len(zone)]\n"
        '    moment = datetime.fromisoformat((whole + zone).replace("Z", "+00:00"))\n'
        '    return int(moment.timestamp()) * 1_000_000_000 + int(digits[:9].ljust(9, "0"))\n',
        frozenset(["from datetime import datetime"]),
    ),
    "time_of_nanoseconds": Beside(
        "def time_of_nanoseconds(moment):\n"
        '    """Return the RFC 3339 text of nanoseconds since 1970."""\n'
        "    seconds, rest = divmod(moment, 1_000_000_000)\n"
        '    return f"{datetime.fromtimestamp(seconds, timezone.utc):%Y-%m-%dT%H:%M:%S}.{rest:09d}Z"\n',
        frozenset(["from datetime import datetime, timezone"]),
    ),
    "seconds_of": _since("seconds_of", "seconds", "seconds"),
    "time_of_milliseconds": _told("time_of_milliseconds", "milliseconds", "moment / 1000", 'timespec="milliseconds"'),
    "time_of_seconds": _told("time_of_seconds", "seconds", "int(moment)", ""),
    "read_body": Beside(
        "async def read_body(receive):\n"
        '    """Return the whole content of a request; raise where the client went away before its end."""\n'
        "    parts = []\n"
        "    while True:\n"
        "        message = await receive()\n"
        '        if message["type"] != "http.request":\n'
        '            raise ConnectionError("the client went away before its request was complete")\n'
        '        parts.append(message.get("body", b""))\n'
        '        if not message.get("more_body"):\n'
        '            return b"".join(parts)\n',
        frozenset(),
    ),
    "first_values": Beside(
        "def first_values(pairs):\n"
        '    """Return the first value of each name, the names in their own order."""\n'
        "    found = {}\n"
        "    for name, value in pairs:\n"
        "        found.setdefault(name, value)\n"
        "    return found\n",
        frozenset(),
    ),
    "cookie_pairs": Beside(
        "def cookie_pairs(field):\n"
        '    """Return the cookie-pairs of a Cookie field (RFC 6265 section 4.2.1)."""\n'
        '    return [pair.strip() for pair in field.split(";")] if field else []\n',
        frozenset(),
    ),
}


@dataclass(frozen=True, slots=True)
class Code:
    """An expression: its text, the imports it needs, its Python type where known; `once`: it can be read only once."""

    text: str
    imports: frozenset[str] = frozenset()
    type: str = ""
    loose: bool = False  # needs parentheses to be an operand
    once: bool = False
    note: str = ""
    beside: frozenset[str] = frozenset()  # names of functions that it calls

    @property
    def operand(self) -> str:
        """Return the text, safe to stand before a dot or a bracket."""
        return f"({self.text})" if self.loose else self.text

    def over(self, text: str, *imports: str, type: str = "", loose: bool = False, note: str = "") -> Code:  # noqa: A002
        """Return `text` over this expression, which stands in it, as an operand, at each `§`."""
        made = text.replace("§", self.operand)
        return replace(
            self,
            text=made,
            imports=self.imports | set(imports),
            type=type,
            loose=loose,
            note=note or self.note,
        )


@dataclass(frozen=True, slots=True)
class Lookup:
    """A name looked up among the pairs of a field, as `how` says: first, every, joined or has.

    `key` is the source of the name and `constant` its text where it is known; `default` the source of what stands for a
    missing one (nothing: None).
    """

    field: str
    how: str
    key: str
    constant: str | None = None
    default: str | None = None


def at_text(at: Access, names: Mapping[str, str]) -> str:
    """Return a place as source, its root under the name that it has in a function."""
    text = names.get(at.root, at.root)
    awaited = False
    for step in at.steps:
        if isinstance(step, Item) and isinstance(step.key, str):
            text += f"[{quoted(step.key)}]"
        elif isinstance(step, Item):
            text += f"[{step.key}]"
        elif isinstance(step, Attr):
            text += f".{step.name}"
        else:
            text += "()"
            awaited = step.awaited
    return f"await {text}" if awaited else text


def quoted(text: str) -> str:
    """Return the literal of a text, in double quotes as code is usually written."""
    plain = text.isprintable() and '"' not in text and "\\" not in text
    return f'"{text}"' if plain else repr(text)


#: Lens → nanoseconds of one of its units, for times that are numbers.
NUMERIC_TIMES: Final = {"epoch_ms": 1_000_000, "epoch_ns": 1, "epoch_s": 1_000_000_000, "epoch_s_text": 1_000_000_000}

#: Fields that are nothing, or empty, where a provider does not tell them.
DEFAULTED: Final = frozenset(["principal", "client", "group", "labels", "etag", "version", "attributes", "extensions"])

Reader = Callable[[Lens, Code], Code | None]


def _time(lens: Lens, at: Code) -> Code | None:
    name = {1: "time_of_nanoseconds", 1_000_000: "time_of_milliseconds", 1_000_000_000: "time_of_seconds"}.get(
        NUMERIC_TIMES[lens.name]
    )
    return replace(at, text=f"{name}({at.text})", type="str", loose=False, beside=frozenset([name])) if name else None


def _plain(lens: Lens, at: Code) -> Code:
    return at


READERS: Final[Mapping[str, Reader]] = {
    "plain": _plain,
    "bytes": lambda lens, at: replace(at, type="bytes"),
    "epoch_ms": _time,
    "epoch_ns": _time,
    "epoch_s": _time,
    "epoch_s_text": _time,
    "choice": lambda lens, at: at.over(
        "{" + ", ".join(f"{quoted(own)}: {quoted(hub)}" for own, hub in lens.options) + "}[§]", type="str"
    ),
    "form_text": lambda lens, at: at.over("unquote_plus(§)", "from urllib.parse import unquote_plus", type="str"),
    "percent_text": lambda lens, at: at.over("unquote(§)", "from urllib.parse import unquote", type="str"),
    "percent_after": lambda lens, at: at.over(
        f"unquote(§.removeprefix({quoted(lens.args[0])}))", "from urllib.parse import unquote", type="str"
    ),
    "prefixed": lambda lens, at: at.over(f"§.removeprefix({quoted(lens.args[0])})", type="str"),
    "or_null": lambda lens, at: at.over('§ or ""', type="str", loose=True),
    "mapping_or_null": lambda lens, at: at.over("§ or {}", type="dict", loose=True),
    "number_text": lambda lens, at: at.over("int(§) if § else None", type="int", loose=True),
    "json_text": lambda lens, at: at.over("json.loads(§)", "import json"),
    "json_bytes": lambda lens, at: at.over("json.loads(§)", "import json"),
    "latin_bytes": lambda lens, at: at.over('§.decode("latin-1")', type="str"),
    "host_and_port": lambda lens, at: at.over('(§ or ("",))[0]', type="str"),
    "routing_args": lambda lens, at: at.over("§[1]", type="dict"),
    "messages_body": lambda lens, at: replace(
        at.over("await read_body(§)", type="bytes", loose=True), once=True, beside=frozenset(["read_body"])
    ),
    "stream": lambda lens, at: replace(at, once=True),
    "text": lambda lens, at: replace(at, type="str"),
    "json": lambda lens, at: at,
    "environ_path": lambda lens, at: (
        None
        if lens.args
        else at.over(
            """quote(§["PATH_INFO"].encode("latin-1"), safe="/!$&'()*+,;=:@~")""",
            "from urllib.parse import quote",
            type="str",
        )
    ),
}


@dataclass(frozen=True, slots=True)
class Inline:
    """Reads hub fields from an event's shape; `names` gives the name that each parameter has in the function."""

    shape: EventShape
    names: Mapping[str, str]
    rows: dict[str, list[Row]] = field(default_factory=dict)

    @classmethod
    def of(cls, shape: EventShape, names: Mapping[str, str]) -> Inline:
        """Return what reads a shape."""
        rows: dict[str, list[Row]] = {}
        for row in shape.rows:
            if not row.offer:
                rows.setdefault(row.field, []).append(row)
        return cls(shape, names, rows)

    def at(self, row: Row, default: str | None = None) -> Code:
        """Return the expression of a row's place; what may be missing gives `default`."""
        steps = row.at.steps
        if row.optional and steps and isinstance(steps[-1], Item):
            before = at_text(Access(row.at.root, steps[:-1]), self.names)
            holds = self.shape.fields[row.field].holds
            usual = default or {"text": '""', "texts": "{}"}.get(holds, "None")
            usual = {"routing_args": "((), {})", "json_text": '"{}"'}.get(row.lens.name, usual)
            return Code(f"{before}.get({quoted(str(steps[-1].key))}, {usual})")
        text = at_text(row.at, self.names)
        return Code(text, loose=text.startswith("await "))

    def hub(self, name: str) -> Code | None:
        """Return the expression of a hub field, or nothing where it takes more than an expression."""
        for row in self.rows.get(name, ()):
            if row.lens.name in ("text", "json", "multimap"):
                continue
            if row.lens.flagged and row.lens.name == "stream":
                return self._stream(row)
            if row.lens.name == "text_or_base64":
                return self._unpacked(row)
            if row.lens.name == "keys":
                return self._keys(row)
            if row.lens.name == "only_id":
                at = self.at(row)
                there = at_text(row.at, self.names)
                return Code(f'{{"id": {there}, "claims": {{}}}} if {at.text} else None', loose=True)
            reader = READERS.get(row.lens.name)
            made = reader(row.lens, self.at(row)) if reader else None
            if row.lens.name == "number_text" and self.shape.fields[name].holds == "integer":
                made = self.at(row).over("int(§)", type="int")
            if made is not None:
                holds = self.shape.fields[name].holds
                kind = {"text": "str", "texts": "dict", "bytes": "bytes", "integer": "int"}.get(holds, "")
                return replace(made, type=made.type or kind)
        made = self._by_rule(name)
        if made is None and not self.rows.get(name) and name in DEFAULTED:
            return Code(self.shape.fields[name].default)
        return made

    def _by_rule(self, name: str) -> Code | None:
        if name == "query.raw" and (pairs := self.pairs("query")):
            return pairs.over("urlencode(§)", "from urllib.parse import urlencode", type="str")
        if name == "path" and (raw := self.hub("path.raw")):
            return raw.over("unquote(§)", "from urllib.parse import unquote", type="str")
        if name == "cookies.raw" and "http" in self.shape.kind:
            every = self.lookup(Lookup("headers", "every", '"cookie"', "cookie", None))
            if every is not None:  # several fields are one, joined (RFC 9113 §8.2.3)
                return every.over('"; ".join(§)', type="str")
            return self.lookup(Lookup("headers", "first", '"cookie"', "cookie", '""'))
        if name == "cookies" and (raw := self.hub("cookies.raw")):
            return Code(f"cookie_pairs({raw.text})", raw.imports, "list", beside=frozenset(["cookie_pairs"]))
        if name == "content_type" and "http" in self.shape.kind:
            return self.lookup(Lookup("headers", "first", '"content-type"', "content-type", '""'))
        if name == "body.length" and (body := self.hub("body")):
            return body.over("len(§)", type="int")
        return None

    def _stream(self, row: Row) -> Code:
        assert row.flag is not None
        length = replace(row, at=row.flag, optional=True, lens=Lens(), field="client")
        stream = at_text(row.at, self.names)
        return Code(f"{stream}.read(int({self.at(length, '0').text} or 0))", type="bytes", once=True)

    def _unpacked(self, row: Row) -> Code:
        assert row.flag is not None
        content, flag = at_text(row.at, self.names), at_text(row.flag, self.names)
        text = f"base64.b64decode({content}) if {flag} else {content}.encode()"
        return Code(text, frozenset(["import base64"]), "bytes", loose=True, note="charset-assumed")

    def _keys(self, row: Row) -> Code:
        at = at_text(row.at, self.names)
        inner = ", ".join(f"{quoted(hub)}: {at}[{quoted(own)}]" for hub, own in row.lens.options)
        return Code(f"{at} and {{{inner}}}", loose=True)

    # --- content ---

    def text(self) -> Code | None:
        """Return the content as text."""
        for row in self.rows.get("body", ()):
            if row.lens.name == "text":
                return replace(self.at(row), type="str")
            if row.lens.name == "text_or_base64" and row.flag is not None:
                content, flag = at_text(row.at, self.names), at_text(row.flag, self.names)
                text = f'base64.b64decode({content}).decode(errors="replace") if {flag} else {content}'
                return Code(text, frozenset(["import base64"]), "str", loose=True)
        body = self.hub("body")
        return body.over('§.decode(errors="replace")', type="str", note="charset-assumed") if body else None

    def json(self) -> Code | None:
        """Return the content as a JSON value."""
        for row in self.rows.get("body", ()):
            if row.lens.name == "json":
                return self.at(row)
            if row.lens.name == "text_or_base64" and row.flag is not None:
                content, flag = at_text(row.at, self.names), at_text(row.flag, self.names)
                text = f"json.loads(base64.b64decode({content}) if {flag} else {content})"
                return Code(text, frozenset(["import base64", "import json"]))
        body = self.hub("body")
        return replace(body.over("json.loads(§)", "import json"), text=f"json.loads({body.text})") if body else None

    # --- values by name ---

    def pairs(self, name: str) -> Code | None:
        """Return the (name, value) pairs of a query or of header fields, as a list."""
        rows = self.rows.get(name, [])
        for row in rows:
            at = self.at(row)
            if row.lens.name == "multimap":
                return at.over(f"§.{dict(row.lens.options)['all']}()", type="list")
            if row.lens.name == "lists":
                return at.over("[(name, value) for name, values in §.items() for value in values]", type="list")
            if row.lens.name == "pairs":
                return replace(at, type="list")
            if row.lens.name == "joined":
                return at.over("list(§.items())", type="list")
        if name == "query" and (raw := self._raw()):
            parse = "from urllib.parse import parse_qsl"
            return raw.over("parse_qsl(§, keep_blank_values=True)", parse, type="list")
        return None

    def _raw(self) -> Code | None:
        for row in self.rows.get("query.raw", ()):
            reader = READERS.get(row.lens.name)
            return reader(row.lens, self.at(row)) if reader else None
        return None

    def has_raw_query(self) -> bool:
        """Tell whether the query stands there as it came."""
        return self._raw() is not None

    def lookup(self, wanted: Lookup) -> Code | None:
        """Return the expression that looks up a name, or nothing where it takes more than an expression."""
        name, constant = wanted.field, wanted.constant
        if wanted.how == "joined" and ((constant or "").lower() in SINGLE_FIELDS or name == "query"):
            wanted = replace(wanted, how="first")
        for row in self.rows.get(name, []):
            made = self._looked_up(row, self.at(row), wanted)
            if made is not None:
                return made
        if name == "headers":
            if (constant or "").lower() == "cookie":
                return self._cookie(wanted.how, wanted.default)
            return self.lookup(replace(wanted, field="headers.plain")) if "headers" not in self.rows else None
        if name == "headers.plain" and "headers" in self.rows and constant != "cookie":
            return self.lookup(replace(wanted, field="headers"))
        if name == "query" and (raw := self._raw()):
            parsed = raw.over("parse_qs(§, keep_blank_values=True)", "from urllib.parse import parse_qs")
            return _in_lists(parsed, wanted.how, wanted.key, wanted.default)
        return None

    def _cookie(self, how: str, default: str | None) -> Code | None:
        """Return the Cookie field looked up where it stands apart from the others."""
        for row in self.rows.get("cookies.raw", ()):
            there = at_text(row.at, self.names)
            if how == "every":
                return Code(f"[{there}] if {self.at(row).text} else []", type="list", loose=True)
            return Code(f"bool({self.at(row).text})") if how == "has" else self.at(row, default or "None")
        for row in self.rows.get("cookies", ()):
            crumbs = self.at(row)
            if how == "every":
                return crumbs.over('["; ".join(§)] if § else []', type="list", loose=True)
            if how == "has":
                return crumbs.over("bool(§)", type="bool")
            if default == '""':
                return crumbs.over('"; ".join(§)', type="str")
            return crumbs.over(f'"; ".join(§) or {default or "None"}', type="str", loose=True)
        return None

    def _looked_up(self, row: Row, at: Code, wanted: Lookup) -> Code | None:
        how, key, constant, default = wanted.how, wanted.key, wanted.constant, wanted.default
        lens = row.lens.name
        headers = row.field.startswith("headers")
        if lens == "multimap":
            return _in_multimap(dict(row.lens.options), at, how, key, default)
        if lens == "lists":
            return _in_lists(at, how, key, default)
        if lens in ("joined", "first_values"):
            if lens == "first_values" and how == "every":
                return None
            if headers and constant is None:
                return None
            key = quoted(constant.lower()) if headers and constant is not None else key
            if how == "every":
                return at.over(f"[§[{key}]] if {key} in § else []", type="list", loose=True)
            if how == "has":
                return at.over(f"{key} in §", type="bool", loose=True)
            return at.over(f"§.get({key}{_and(default)})")
        if lens == "pairs":
            test = f"name == {key}"
            if headers:
                if constant is None:
                    return None
                test = f"name.lower() == {quoted(constant.lower())}"
            if how == "has":
                return at.over(f"any({test} for name, _ in §)", type="bool")
            every = at.over(f"[value for name, value in § if {test}]", type="list")
            if how == "every":
                return every
            if how == "joined":
                return _joined(every, default)
            return at.over(f"next((value for name, value in § if {test}), {default or 'None'})")
        if lens == "environ_headers" and constant is not None:
            named = constant.upper().replace("-", "_")
            variable = quoted(named if named == "CONTENT_TYPE" else f"HTTP_{named}")
            if how == "has":
                return at.over(
                    f"bool(§.get({variable}))" if named == "CONTENT_TYPE" else f"{variable} in §",
                    type="bool",
                    loose=True,
                )
            if how == "every":
                return at.over(f"[§[{variable}]] if {variable} in § else []", type="list", loose=True)
            if named == "CONTENT_TYPE":  # which may be there and empty (RFC 3875 §4.1.3)
                return at.over(f"§.get({variable}) or {default or 'None'}", loose=True)
            return at.over(f"§.get({variable}{_and(default)})")
        if lens == "header_lines" and constant is not None:
            test = f"name == b{quoted(constant.lower())}"
            if how == "has":
                return at.over(f"any({test} for name, _ in §)", type="bool")
            every = at.over(f'[value.decode("latin-1") for name, value in § if {test}]', type="list")
            if how == "every":
                return every
            if how == "joined":
                return _joined(every, default)
            return at.over(f'next((value.decode("latin-1") for name, value in § if {test}), {default or "None"})')
        return None


def _and(default: str | None) -> str:
    return f", {default}" if default not in (None, "None") else ""


def _joined(every: Code, default: str | None) -> Code:
    if default == '""':
        return every.over('", ".join(§)', type="str")
    return every.over(f'", ".join(§) or {default or "None"}', loose=True)


def _in_multimap(names: dict[str, str], at: Code, how: str, key: str, default: str | None) -> Code | None:
    if how == "has":
        return at.over(f"{key} in §", type="bool", loose=True)
    if how == "first":
        return at.over(f"§.{names['first']}({key}{_and(default)})")
    every = at.over(f"§.{names['every']}({key})", type="list")
    return every if how == "every" else _joined(every, default)


def _in_lists(at: Code, how: str, key: str, default: str | None) -> Code:
    if how == "has":
        return at.over(f"{key} in §", type="bool", loose=True)
    if how == "first":
        return at.over(f"§.get({key}, [{default or 'None'}])[0]")
    return at.over(f"§.get({key}, [])", type="list")


def native_time(source: Lens, hub: Code | None, target: Row | None, at: Code | None) -> Code | None:
    """Return a time as a lens has it: straight from a number at the target, else from RFC 3339 text."""
    unit = NUMERIC_TIMES.get(source.name)
    if unit is None:
        return hub
    own = NUMERIC_TIMES.get(target.lens.name) if target else None
    if own is not None and at is not None and target is not None:
        number = at.over("int(§)", type="int") if target.lens.name == "epoch_s_text" else at
        if own == unit:
            made = number
        elif own > unit:
            made = number.over(f"§ * {own // unit:_}", type="int", loose=True)
        else:
            made = number.over(f"§ // {unit // own:_}", type="int", loose=True)
    else:
        if hub is None:
            return None
        name = {1_000_000: "milliseconds_of", 1_000_000_000: "seconds_of", 1: "nanoseconds_of"}[unit]
        made = replace(hub, text=f"{name}({hub.text})", type="int", loose=False, beside=hub.beside | frozenset([name]))
    return made.over("str(§)", type="str") if source.name == "epoch_s_text" else made


def native_value(source: Row, reads: Inline) -> Code | None:
    """Return what a row of the source's shape holds, from the target's shape, or nothing where that takes a helper."""
    lens = source.lens
    own = next((row for row in reads.rows.get(source.field, ()) if row.lens == lens), None)
    if (
        own is not None
        and not own.optional
        and (not lens.needs or lens.flagged)
        and lens.name not in ("multimap", "environ_headers")
    ):
        made = reads.at(own)
        return replace(made, type="bytes" if lens.name == "bytes" else made.type)
    if lens.name in NUMERIC_TIMES:
        row = next(iter(reads.rows.get(source.field, ())), None)
        at = reads.at(row) if row else None
        return native_time(lens, reads.hub(source.field), row, at)
    if source.field == "body":
        if lens.name == "bytes":
            return reads.hub("body")
        if lens.name == "text":
            return reads.text()
        return reads.json() if lens.name == "json" else None
    if lens.name == "pairs":
        return reads.pairs(source.field)
    if lens.name == "lists" and (pairs := reads.pairs(source.field)):
        if reads.has_raw_query():
            raw = reads.hub("query.raw")
            assert raw is not None
            return raw.over("parse_qs(§, keep_blank_values=True)", "from urllib.parse import parse_qs", type="dict")
        return pairs.over(
            "parse_qs(urlencode(§), keep_blank_values=True)",
            "from urllib.parse import parse_qs, urlencode",
            type="dict",
        )
    if lens.name == "first_values" and (pairs := reads.pairs(source.field)):
        return Code(f"first_values({pairs.text})", pairs.imports, "dict", beside=frozenset(["first_values"]))
    row = next((one for one in reads.rows.get(source.field, ()) if one.lens.name == lens.name == "choice"), None)
    if row is not None:  # from word to word
        mine = {word: one for one, word in lens.options}
        words = ", ".join(f"{quoted(one)}: {quoted(mine[word])}" for one, word in row.lens.options if word in mine)
        return reads.at(row).over(f"{{{words}}}[§]", type="str")
    hub = reads.hub(source.field)
    return _written(lens, hub) if hub is not None else None


def _written(lens: Lens, hub: Code) -> Code | None:
    """Return a hub value in the form of a lens."""
    name = lens.name
    if name in ("plain", "bytes"):
        return hub
    if name == "choice":
        words = ", ".join(f"{quoted(word)}: {quoted(own)}" for own, word in lens.options)
        return hub.over(f"{{{words}}}[§]", type="str")
    if name == "form_text":
        return hub.over('quote_plus(§, safe="/")', "from urllib.parse import quote_plus", type="str")
    if name == "percent_text":
        return hub.over("quote(§)", "from urllib.parse import quote", type="str")
    if name == "percent_after":
        return hub.over(
            f'{quoted(lens.args[0])} + quote(§, safe="")', "from urllib.parse import quote", type="str", loose=True
        )
    if name == "prefixed":
        return hub.over(f"{quoted(lens.args[0])} + §", type="str", loose=True)
    if name in ("or_null", "mapping_or_null"):
        return hub.over("§ or None", loose=True)
    if name == "keys" and hub.text == "None":
        return hub
    if name == "keys":
        pairs = ", ".join(f"{quoted(own)}: {hub.operand}[{quoted(word)}]" for word, own in lens.options)
        return replace(hub, text=f"{hub.operand} and {{{pairs}}}", loose=True)
    return None
