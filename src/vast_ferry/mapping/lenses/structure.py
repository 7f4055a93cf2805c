"""How records, mappings and JSON values stand at native places."""

from __future__ import annotations

from collections.abc import Mapping

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.by_hand import ByHand, Stands, is_none
from vast_ferry.mapping.expressions import Expression, Literal, helper
from vast_ferry.mapping.lenses.lens import Lens, LensError, Need, TwoHelpers
from vast_ferry.mapping.losses import Loss


class MappingOrNull(TwoHelpers):
    """A mapping from name to text, or null where it is empty."""

    __slots__ = ()
    name, holds, reader, writer = "mapping_or_null", ("texts",), "mapping_or_empty", "mapping_or_null"
    empty = "{}"

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.either(at, Literal({})), "dict")

    def inline_write(self, value: ByHand) -> ByHand | None:
        return value.over(lambda mapping: ex.either(mapping, Literal(None)))


class JsonText(TwoHelpers):
    """A JSON value as text (RFC 8259)."""

    __slots__ = ()
    name, holds, reader, writer = "json_text", ("value", "record", "texts"), "json_from_text", "json_to_text"
    gives = "text"
    wants_value = True
    where_absent = Literal("{}")

    def exact(self) -> Lens:
        return JsonTextExact()

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.standard("json.loads", at, whole=True))


class JsonAscii(JsonText):
    """A JSON value as text in ASCII: whatever a String of CloudEvents may not hold is escaped."""

    __slots__ = ()
    name, writer = "json_ascii", "json_to_ascii"

    def exact(self) -> Lens:
        return self

    def inline(self, stands: Stands) -> ByHand | None:
        return None


class JsonTextExact(JsonText):
    """The same, its decimals kept as they were written."""

    __slots__ = ()
    name, reader = "json_text_exact", "exact_from_text"

    def inline(self, stands: Stands) -> ByHand | None:
        return None


class JsonBytes(TwoHelpers):
    """A JSON value as UTF-8 bytes (RFC 8259 §8.1)."""

    __slots__ = ()
    name, holds, reader, writer = "json_bytes", ("value",), "json_from_bytes", "json_to_bytes"

    def on_file(self) -> Lens:
        return JsonText()

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.standard("json.loads", at, whole=True))


class Keys(Lens):
    """A record under other names: `hub=native` for each key."""

    __slots__ = ()
    name, takes, named, one_to_one, holds = "keys", "hub name=native name", True, True, ("record",)

    @property
    def keys(self) -> Mapping[str, str] | None:
        return dict(self.options)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("renamed", at, Literal({native: hub for hub, native in self.options}))

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("renamed", value, Literal(dict(self.options)))

    def inline(self, stands: Stands) -> ByHand | None:
        return _renamed(stands.bare, self.keys or {})

    def inline_write(self, value: ByHand) -> ByHand | None:
        return value if is_none(value.expression) else _renamed(value, {own: hub for hub, own in self.options})


def _renamed(record: ByHand, names: Mapping[str, str]) -> ByHand:
    def made(at: Expression) -> Expression:
        mapping = at.operands[-1] if isinstance(at, ex.Operation) and at.operator == "and" else None
        if isinstance(at, ex.Operation) and isinstance(mapping, ex.Mapping):
            # A record that was renamed before: where there is one, each of its parts is known.
            guard = at.operands[:-1]
            parts = {entry.key: entry.value for entry in mapping.entries}
            if all(Literal(old) in parts for old in names.values()):
                own = tuple(ex.Entry(Literal(new), parts[Literal(old)]) for new, old in names.items())
                return ex.Operation("and", (*guard, ex.Mapping(own)))
        entries = tuple(ex.Entry(Literal(new), ex.Item(at, Literal(old))) for new, old in names.items())
        return ex.Operation("and", (at, ex.Mapping(entries)))

    return record.over(made)


class OnlyId(TwoHelpers):
    """A principal's id alone."""

    __slots__ = ()
    name, holds, reader, writer = "only_id", ("record",), "from_id", "only_id"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            Loss(
                "claims-lost",
                field,
                "the caller has claims",
                "only the caller's id arrives",
                lambda fields: bool((fields[field] or {}).get("claims")),
            ),
        )

    def inline(self, stands: Stands) -> ByHand | None:
        entries = (
            ex.Entry(Literal("id"), stands.bare.expression),
            ex.Entry(Literal("claims"), Literal({})),
        )
        return stands.at.over(lambda at: ex.Choice(at, ex.Mapping(entries), Literal(None)))


class Extensions(Lens):
    """CloudEvents extension attributes: whatever stands beside the known ones; `args` are the known ones."""

    __slots__ = ()
    name, takes, most, holds, spread = "extensions", "names of the other attributes", 32, ("record",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("extensions_of", at, Literal(self.args))

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("as_extensions", value, Literal(self.args))


class FilesOfSecrets(Lens):
    """A folder in which each secret is a file of its name: `folder / "key"` is read as text or bytes.

    `files_of_secrets(line)` says that the text of each ends in a line end, which is not the secret's.
    """

    __slots__ = ()
    name, takes, most, holds = "files_of_secrets", "line", 1, ("call",)

    @property
    def _end(self) -> tuple[Expression, ...]:
        if self.args not in ((), ("line",)):
            raise LensError("lens files_of_secrets takes nothing, or line")
        return (Literal("\n"),) if self.args else ()

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("secrets_in", at, *self._end)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("SecretsFolder", value, *self._end)

    def inline_named(self, at: Expression, name: Expression) -> Expression | None:
        text = ex.method(ex.Operation("/", (at, name)), "read_text")
        return ex.method(text, "removesuffix", *self._end) if self._end else text


class StreamLog(Lens):
    """A text stream that takes lines of a log."""

    __slots__ = ()
    name, holds = "stream_log", ("call",)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("log_to", at)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("LogStream", value)
