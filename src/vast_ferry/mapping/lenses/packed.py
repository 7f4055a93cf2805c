"""How bytes are packed where a provider hands them over: in letters, as numbers, compressed, in pieces, in a file."""

from __future__ import annotations

from typing import Any

from vast_ferry.mapping import helpers
from vast_ferry.mapping.lenses.lens import FileBytes, Formed, Lens, LensError
from vast_ferry.mapping.losses import Loss, by_trying


class Base64(Formed):
    """Bytes in Base64 (RFC 4648 §4)."""

    __slots__ = ()
    name, holds, reader, writer = "base64", ("bytes",), "base64_bytes", "base64_text"


class Base64Url(Formed):
    """Bytes in Base64 as URLs have it (RFC 4648 §5), without `=` at the end: `base64url`, or `base64url(padded)`."""

    __slots__ = ()
    name, takes, most, holds = "base64url", "padded", 1, ("bytes",)
    reader, writer = "base64url_bytes", "base64url_text"

    def told(self) -> tuple[Any, ...]:
        if self.args not in ((), ("padded",)):
            raise LensError("lens base64url takes nothing, or padded")
        return (bool(self.args),)


class Latin1(Formed):
    """Bytes as text, a character a byte."""

    __slots__ = ()
    name, holds, reader, writer = "latin1", ("bytes",), "latin1_bytes", "latin1_text"


class Octets(Formed):
    """Bytes as a list of numbers from 0 to 255."""

    __slots__ = ()
    name, holds, reader, writer = "octets", ("bytes",), "bytes_of_numbers", "numbers_of_bytes"


class InPieces(Formed):
    """Bytes as a list of pieces, each in a form of bytes: `in_pieces(base64)`; one is written, none where empty."""

    __slots__ = ()
    name, takes, fewest, most, holds = "in_pieces", "the form of a piece", 1, 1, ("bytes",)
    reader, writer = "bytes_of_pieces_in", "pieces_in"

    def told(self) -> tuple[Any, ...]:
        forms = {one.name: one for one in (Base64, Base64Url, Hex, Latin1, Octets, Utf8)}
        if self.args[0] not in forms:
            raise LensError(f"lens in_pieces takes a form of bytes: {', '.join(forms)}")
        return (self.args[0],)

    def losses(self, field: str) -> tuple[Loss, ...]:
        self.told()
        return Utf8().losses(field) if self.args[0] == "utf8" else ()


class JsonValue(Formed):
    """Content that is handed over as the JSON value that it holds: its spelling is not kept."""

    __slots__ = ()
    name, holds, reader, writer = "json_value", ("bytes",), "bytes_of_value", "value_of_bytes"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            by_trying(
                field,
                self.back,
                "the content is no JSON, or JSON in another spelling than without spaces",
                "it arrives as another content: what is no JSON as a text in JSON",
                "json-respelt",
            ),
        )


class JsonOrText(JsonValue):
    """Content that is handed over as a JSON value where its type says JSON, and as text else."""

    __slots__ = ()
    name, needs = "json_or_text", ("content_type",)
    reader, writer = "bytes_of_value_or_text", "value_or_text"

    def losses(self, field: str) -> tuple[Loss, ...]:
        def changed(fields: dict[str, Any]) -> bool:
            kind = fields.get("content_type") or helpers.content_type_of(fields.get("headers") or [])
            try:
                made = helpers.value_or_text(fields[field], kind)
                return bool(helpers.bytes_of_value_or_text(made, kind) != fields[field])
            except (ValueError, TypeError, RecursionError):
                return True

        return (
            Loss(
                "json-respelt",
                field,
                "the content is no text, or is JSON in another spelling than without spaces",
                "it arrives as another content",
                changed,
                tried=True,
            ),
        )


class Base32(Formed):
    """Bytes in Base32 (RFC 4648 §6), padded."""

    __slots__ = ()
    name, holds, reader, writer = "base32", ("bytes",), "base32_bytes", "base32_text"


class Hex(Formed):
    """Bytes as hexadecimal digits."""

    __slots__ = ()
    name, holds, reader, writer = "hex", ("bytes",), "hex_bytes", "hex_text"


class PercentBytes(Formed):
    """Bytes in percent-encoding (RFC 3986 §2.1): all but the unreserved ones."""

    __slots__ = ()
    name, holds, reader, writer = "percent_bytes", ("bytes",), "percent_bytes", "bytes_percent"


class Gzip(Formed):
    """Compressed bytes (RFC 1952)."""

    __slots__ = ()
    name, holds, reader, writer = "gzip", ("bytes",), "gunzipped", "gzipped"


class Zlib(Formed):
    """Compressed bytes in the zlib format (RFC 1950), as the content coding `deflate` is (RFC 9110 §8.4.1.2)."""

    __slots__ = ()
    name, holds, reader, writer = "zlib", ("bytes",), "inflated", "deflated"


class Utf8(Formed):
    """Bytes as text in UTF-8, whatever the content's type."""

    __slots__ = ()
    holds_text = True
    name, holds, reader, writer = "utf8", ("bytes",), "utf8_bytes", "utf8_text"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            Loss(
                "not-text",
                field,
                "the content is not text in UTF-8",
                "bytes become U+FFFD",
                lambda fields: not helpers.is_utf8(fields[field]),
            ),
        )


class ReadOnce(Formed):
    """A stream of bytes that is read once; on file, its text in UTF-8 or `{"base64": …}`."""

    __slots__ = ()
    by_hand = False
    name, holds, reader, writer = "read_once", ("bytes",), "bytes_read", "stream_over"

    def on_file(self) -> Lens:
        return FileBytes()


class InFile(Formed):
    """The path of a file that holds the content, null where there is none; a path on file stands beside the event."""

    __slots__ = ()
    name, holds, reader, writer = "in_file", ("bytes",), "bytes_in_file", "file_with"

    def on_file(self) -> Lens:
        return BesideTheEvent()


class Decoded(Formed):
    """Text that stands there as bytes in UTF-8, behind a form that packs these: `base64 | decoded`."""

    __slots__ = ()
    name, holds, reader, writer = "decoded", ("text",), "text_of_utf8", "utf8_bytes"


class AsHex(Formed):
    """Text that is hexadecimal digits of bytes, behind a form that packs these: a digest as `base64 | as_hex`."""

    __slots__ = ()
    name, holds, reader, writer = "as_hex", ("text",), "hex_text", "hex_bytes"

    def losses(self, field: str) -> tuple[Loss, ...]:
        return (
            by_trying(field, self.back, "it is no even number of small hexadecimal digits", "it can't be told there"),
        )


class BesideTheEvent(Formed):
    """The path of a file beside an event on file; written is the content itself, `{"text": …}` or `{"base64": …}`."""

    __slots__ = ()
    name, holds, reader, writer = "beside_the_event", ("bytes",), "bytes_beside", "held_beside"
