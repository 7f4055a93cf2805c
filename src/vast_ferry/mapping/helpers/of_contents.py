"""What translations of bytes call: encoded, compressed, in files and streams, told by a word."""

from __future__ import annotations

import atexit
import base64
import contextlib
import contextvars
import gzip
import io
import os
import re
import tempfile
import zlib
from typing import Any
from urllib.parse import quote_from_bytes, unquote_to_bytes


def base64_bytes(text: Any) -> bytes:
    """Return the bytes of a Base64 text, or raise ValueError."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text in Base64")
    return base64.b64decode(text, validate=True)


def base64_text(data: bytes) -> str:
    """Return bytes as a Base64 text."""
    return base64.b64encode(data).decode("ascii")


def base64url_bytes(text: Any, padded: bool = False) -> bytes:
    """Return the bytes of a Base64 text as URLs have it, with or without `=` at its end, or raise ValueError."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text in Base64")
    plain = text.rstrip("=") if padded else text
    return base64.b64decode(plain + "=" * (-len(plain) % 4), altchars=b"-_", validate=True)


def base64url_text(data: bytes, padded: bool = False) -> str:
    """Return bytes as a Base64 text as URLs have it (RFC 4648 section 5)."""
    text = base64.urlsafe_b64encode(data).decode("ascii")
    return text if padded else text.rstrip("=")


def latin1_bytes(text: Any) -> bytes:
    """Return the bytes of a text that has a character for each, or raise ValueError."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text")
    return text.encode("latin-1")


def latin1_text(data: bytes) -> str:
    """Return bytes as a text with a character for each."""
    return data.decode("latin-1")


def bytes_of_numbers(numbers: Any) -> bytes:
    """Return the bytes of a list of numbers from 0 to 255, or raise ValueError."""
    if not isinstance(numbers, list | tuple) or any(type(one) is not int or not 0 <= one < 256 for one in numbers):
        raise ValueError("this is no list of numbers from 0 to 255")
    return bytes(numbers)


def numbers_of_bytes(data: bytes) -> list[int]:
    """Return bytes as a list of numbers from 0 to 255."""
    return list(data)


def bytes_of_pieces_in(pieces: Any, form: str) -> bytes:
    """Return the bytes of a list of pieces, each in a form of bytes."""
    if not isinstance(pieces, list | tuple):
        raise ValueError("this is no list of pieces")
    readers = {
        "base64": base64_bytes,
        "base64url": base64url_bytes,
        "hex": hex_bytes,
        "latin1": latin1_bytes,
        "octets": bytes_of_numbers,
        "utf8": utf8_bytes,
    }
    return b"".join(readers[form](piece) for piece in pieces)


def pieces_in(data: bytes, form: str) -> list[Any]:
    """Return bytes as a list with one piece in a form of bytes, without any where there are none."""
    writers: dict[str, Any] = {
        "base64": base64_text,
        "base64url": base64url_text,
        "hex": hex_text,
        "latin1": latin1_text,
        "octets": numbers_of_bytes,
        "utf8": utf8_text,
    }
    return [writers[form](data)] if data else []


def utf8_bytes(text: Any) -> bytes:
    """Return a text in UTF-8, or raise ValueError for what is none."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text")
    return text.encode("utf-8")


def utf8_text(data: bytes) -> str:
    """Return the text of UTF-8 bytes; what is no UTF-8 becomes U+FFFD."""
    return data.decode("utf-8", errors="replace")


def text_of_utf8(data: bytes) -> str:
    """Return the text of UTF-8 bytes, or raise ValueError for what is none."""
    return data.decode("utf-8")


def is_utf8(data: bytes) -> bool:
    """Tell whether bytes are text in UTF-8."""
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


def hex_bytes(text: str) -> bytes:
    """Return the bytes that hexadecimal digits stand for."""
    return bytes.fromhex(text)


def hex_text(data: bytes) -> str:
    """Return bytes as hexadecimal digits."""
    return data.hex()


#: A small gzip may hold a large content; this is more than any provider hands over.
LARGEST_CONTENT = 512 * 1024 * 1024


def gunzipped(data: bytes) -> bytes:
    """Return what was compressed (RFC 1952), or raise ValueError where it is not or is too large."""
    pieces, size = [], 0
    try:
        with gzip.GzipFile(fileobj=io.BytesIO(data)) as stream:
            # Piece by piece: to ask for the most at once would take that much memory before anything is there.
            while size <= LARGEST_CONTENT and (piece := stream.read(1 << 20)):
                pieces.append(piece)
                size += len(piece)
    except (OSError, EOFError) as error:
        raise ValueError(f"this is no gzip: {error}") from None
    if size > LARGEST_CONTENT:
        raise ValueError(f"this is a gzip of more than {LARGEST_CONTENT:,} bytes")
    return b"".join(pieces)


def gzipped(data: bytes) -> bytes:
    """Return data compressed, always to the same bytes."""
    return gzip.compress(data, mtime=0)


def inflated(data: bytes) -> bytes:
    """Return what was compressed (RFC 1950), or raise ValueError where it is not or is too large."""
    reader = zlib.decompressobj()
    try:
        made = reader.decompress(data, LARGEST_CONTENT + 1)
    except zlib.error as error:
        raise ValueError(f"this is no zlib: {error}") from None
    if len(made) > LARGEST_CONTENT:
        raise ValueError(f"this is a zlib of more than {LARGEST_CONTENT:,} bytes")
    if not reader.eof:
        raise ValueError("this is no zlib: it ends too early")
    return made


def deflated(data: bytes) -> bytes:
    """Return data compressed (RFC 1950), always to the same bytes."""
    return zlib.compress(data, 9)


def base32_bytes(text: str | None) -> bytes:
    """Return the bytes of a text in Base32 (RFC 4648 section 6), padded or not; none of nothing."""
    if not text:
        return b""
    try:
        return base64.b32decode(text.rstrip("=") + "=" * (-len(text.rstrip("=")) % 8))
    except ValueError as error:
        raise ValueError(f"this is no Base32: {error}") from None


def base32_text(data: bytes) -> str:
    """Return bytes in Base32, padded."""
    return base64.b32encode(data).decode("ascii")


def percent_bytes(text: str | None) -> bytes:
    """Return the bytes of a text in percent-encoding (RFC 3986 section 2.1); none of nothing."""
    if not text:
        return b""
    if re.search("%(?![0-9A-Fa-f]{2})", text):
        raise ValueError("this is no percent-encoding: a % stands before no two hexadecimal digits")
    return unquote_to_bytes(text)


def bytes_percent(data: bytes) -> str:
    """Return bytes in percent-encoding, all but the unreserved ones."""
    return quote_from_bytes(data, safe="")


def bytes_read(stream: Any) -> bytes:
    """Return all that a stream holds; one that can go back is left at its beginning."""
    if isinstance(stream, bytes):
        return stream
    data = stream.read()
    return data.encode("utf-8") if isinstance(data, str) else bytes(data)


def stream_over(data: bytes) -> Any:
    """Return a stream of bytes, to be read once."""
    return io.BytesIO(data)


def bytes_in_file(path: Any) -> bytes:
    """Return what a file holds; nothing where there is none."""
    if path is None:
        return b""
    with open(path, "rb") as file:
        return file.read()


#: The folder in which events on file have their files.
BESIDE: contextvars.ContextVar[str] = contextvars.ContextVar("BESIDE", default="")


def bytes_beside(held: Any) -> bytes:
    """Return what a file beside an event on file holds, or what stands there in its place as a mapping.

    Raises ValueError for a path that leads out of the folder, or where there is no folder.
    """
    if held is None:
        return b""
    if isinstance(held, dict):
        return held["text"].encode("utf-8") if "text" in held else base64_bytes(held["base64"])
    folder = os.path.realpath(BESIDE.get() or os.devnull)
    path = os.path.realpath(os.path.join(folder, held))
    if not path.startswith(folder + os.sep) or not os.path.isfile(path):
        raise ValueError(f"{held!r} is no file beside the event")
    with open(path, "rb") as file:
        return file.read()


def held_beside(data: bytes) -> dict[str, str] | None:
    """Return content as it stands in an event on file in the place of a file's path, None where there is none."""
    if not data:
        return None
    return {"text": data.decode("utf-8")} if is_utf8(data) else {"base64": base64_text(data)}


#: The files that were made for content, oldest first: nobody says when one was read.
FILES: list[str] = []


def file_with(data: bytes) -> str | None:
    """Return the path of a file that holds the data, None where there is none."""
    if not data:
        return None
    with tempfile.NamedTemporaryFile(prefix="content-", delete=False) as file:
        file.write(data)
    if not FILES:
        atexit.register(remove_files, 0)
    FILES.append(file.name)
    remove_files(100)  # more are not being read at once
    return file.name


def remove_files(most: int) -> None:
    """Leave so many of the files that were made for content, the newest."""
    while len(FILES) > most:
        with contextlib.suppress(OSError):
            os.unlink(FILES.pop(0))


def told_word(word: Any, words: tuple[Any, ...]) -> int:
    """Return which of some words one is, the first where there is none, or raise ValueError with those known."""
    if word is None:
        return 0
    for index, known in enumerate(words):
        if word == known and isinstance(word, bool) == isinstance(known, bool):
            return index
    raise ValueError(f"{word!r} is none of {', '.join(map(str, words))}")
