"""How content stands at native places: bytes, text, either, packed as Base64, as a stream or in pieces."""

from __future__ import annotations

from collections.abc import Mapping

from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import helpers
from vast_ferry.mapping.by_hand import ByHand, Stands
from vast_ferry.mapping.expressions import Expression, Literal, helper
from vast_ferry.mapping.lenses.lens import FileBytes, Lens, Need, PlainBytes, TwoHelpers
from vast_ferry.mapping.losses import Fields, Loss


class TextOrBase64(Lens):
    """Text where the content's type and bytes allow, else Base64 with the flag set."""

    __slots__ = ()
    name, holds, needs, flagged = "text_or_base64", ("bytes",), ("content_type",), True
    content, gives, undoes = "packed", "text", ("base64.b64decode",)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("from_text_or_packed", at, flag or Literal(False), need("content_type"), name="body")

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.first(self._both(value, need))

    def write_flag(self, value: Expression, need: Need) -> Expression:
        return ex.Item(self._both(value, need), Literal(1))

    def told_text(self, at: Expression, flag: Expression | None) -> Expression:
        return ex.Not(flag or Literal(False))

    def _both(self, value: Expression, need: Need) -> Expression:
        return helper("text_or_packed", value, need("content_type"), name="content")

    def inline(self, stands: Stands) -> ByHand | None:
        return self._unpacked(stands, lambda at: ex.method(at, "encode"), "bytes", "charset-assumed")

    def inline_text(self, stands: Stands) -> ByHand | None:
        assert stands.flag is not None
        decoded = ex.method(_from_base64(stands.bare.expression), "decode", errors=Literal("replace"))
        return stands.bare.over(lambda at: ex.Choice(_flag(stands), decoded, at), "str", "charset-assumed")

    def inline_json(self, stands: Stands) -> ByHand | None:
        def loaded(at: Expression) -> Expression:
            return ex.standard("json.loads", ex.Choice(_flag(stands), _from_base64(at), at), whole=True)

        return stands.bare.over(loaded)

    def _unpacked(self, stands: Stands, plain: ex.Build, kind: str, note: str) -> ByHand:
        return stands.bare.over(lambda at: ex.Choice(_flag(stands), _from_base64(at), plain(at)), kind, note)


def _flag(stands: Stands) -> Expression:
    assert stands.flag is not None
    return stands.flag.expression


def _from_base64(at: Expression) -> Expression:
    return ex.standard("base64.b64decode", at, whole=True)


class Text(TwoHelpers):
    """The content as text, by its charset."""

    __slots__ = ()
    name, holds, needs, reader, writer = "text", ("bytes",), ("content_type",), "text_body", "body_text"
    content, gives = "text", "text"

    def losses(self, field: str) -> tuple[Loss, ...]:
        def undecodable(fields: Fields) -> bool:
            body, content_type = fields["body"], helpers.content_type_of(fields["headers"])
            try:
                return bool(helpers.text_body(helpers.body_text(body, content_type), content_type) != body)
            except UnicodeError:
                return True

        return (Loss("not-text", field, "the content is not text in its charset", "bytes become U+FFFD", undecodable),)

    def inline_text(self, stands: Stands) -> ByHand | None:
        return stands.at.of_type("str")


class Json(Lens):
    """The content as a JSON value; only ever derived, because spelling and exact numbers don't survive it."""

    __slots__ = ()
    name, holds, derived_only, content = "json", ("bytes",), True, "json"

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("body_json", value)

    def inline_json(self, stands: Stands) -> ByHand | None:
        return stands.at


class BytesOrText(TwoHelpers):
    """Bytes, or text that is encoded by the content's charset; written as bytes."""

    __slots__ = ()
    name, holds, needs, reader, writer = "bytes_or_text", ("bytes",), ("content_type",), "bytes_of", ""
    content = "either"

    def write(self, value: Expression, need: Need) -> Expression:
        return value

    def told_text(self, at: Expression, flag: Expression | None) -> Expression:
        return ex.built_in("isinstance", at, ex.Variable("str"))

    def on_file(self) -> Lens:
        return FileBytes()


class Pieces(BytesOrText):
    """Bytes or text, or a generator of either, plain or asynchronous, that is sent piece by piece."""

    __slots__ = ()
    name, reader, content = "pieces", "bytes_of_pieces", "pieces"


class Stream(Lens):
    """A binary input stream; the flag's place holds the number of bytes that may be read."""

    __slots__ = ()
    name, holds, flagged, content, again = "stream", ("bytes",), True, "stream", "read_again"

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("read_stream", at, flag or Literal(""), name="body")

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("stream_of", value)

    def write_flag(self, value: Expression, need: Need) -> Expression:
        return ex.built_in("str", ex.built_in("len", value))

    def on_file(self) -> Lens:
        return FileBytes()

    def inline(self, stands: Stands) -> ByHand | None:
        assert stands.flag_or_zero is not None
        length = ex.built_in("int", ex.either(stands.flag_or_zero.expression, Literal(0)))
        return stands.bare.over(lambda at: ex.method(at, "read", length), "bytes", once=True)


class BytesReadOnce(PlainBytes):
    """Bytes that can be read once: what a function gives of a stream."""

    __slots__ = ()
    name = ""  # no profile says it

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: at, "bytes", once=True)


class TextOrBytes(BytesOrText):
    """A reply's content as a handler gives it: text, or bytes, each with a type of its own."""

    __slots__ = ()
    name = ""


class ContentUnderKeys(Lens):
    """A reply's content under a key for text, and another for bytes; its options are the keys."""

    __slots__ = ()
    name, spread, content = "", True, "keys"

    @property
    def key_of(self) -> Mapping[str, str]:
        """Return the key of each type of content."""
        return {str(kind): str(key) for kind, key in self.options}


class Chunks(Lens):
    """An iterable of bytes, empty where a reply has no content."""

    __slots__ = ()
    name, holds, needs = "chunks", ("bytes",), ("method", "status")

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("drain", at)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("content_chunks", value, *(need(field) for field in self.needs))


class DataOrBase64(Lens):
    """Content as a JSON value or text where that gives back the very same bytes, else Base64 in the second place."""

    __slots__ = ()
    name, holds, needs, flagged = "data_or_base64", ("bytes",), ("content_type",), True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("body_from_data", at, flag or Literal(None), need("content_type"), name="body")

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.first(self._both(value, need))

    def write_flag(self, value: Expression, need: Need) -> Expression:
        return ex.Item(self._both(value, need), Literal(1))

    def _both(self, value: Expression, need: Need) -> Expression:
        return helper("data_or_base64", value, need("content_type"), name="data")


class MessagesBody(Lens):
    """Content that comes in messages, from a coroutine function."""

    __slots__ = ()
    name, holds, awaited, content, again = "messages_body", ("bytes",), True, "messages", "received_again"

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return ex.Await(helper("body_from_messages", at), name="body")

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("messages_of_body", value)

    def on_file(self) -> Lens:
        return FileBytes()

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.Await(ex.Call(ex.Beside("read_body"), (at,))), "bytes", once=True)
