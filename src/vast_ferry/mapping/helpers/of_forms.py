"""What translations of texts, times, lists and tagged values call, in whatever form a provider keeps them.

A provider that nobody here has seen is said in these: each is one small form with its way back.
"""

from __future__ import annotations

import base64
import contextvars
import decimal
import functools
import gzip
import inspect
import ipaddress
import json
import os
import re
import urllib.parse
from collections.abc import Callable, Iterable
from datetime import datetime, timedelta, timezone
from typing import Any
from zoneinfo import ZoneInfo

from vast_ferry.mapping.helpers.of_http import content_type_of
from vast_ferry.mapping.helpers.of_values import EPOCH, epoch_ns_from_time, json_from_text, json_to_text, second_of

# --- texts of several parts ------------------------------------------------------------------------------------------
#
# A form is a row of pieces: a text that stands there as it is; the number of a part, which takes as little as it can;
# ("...", number), which takes as much as it can; ("_", text), which is nobody's and is written so; ("[", pieces), which
# may be missing as a whole. What follows a part is looked for once, from one end: there is nothing to go back over.


def split_text(text: Any, forms: tuple[Any, ...], count: int) -> list[str | None]:
    """Return the parts of a text by the first form that it has, None for each that is not there.

    Raises ValueError where it has none of the forms.
    """
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text")
    for form in forms:
        parts: list[str | None] = [None] * count
        if _take(text, 0, form, parts) == len(text):
            return parts
    shown = text if len(text) <= 60 else f"{text[:57]}…"
    raise ValueError(f"{shown!r} is not of the form {' or '.join(map(shown_form, forms))}")


def shown_form(form: tuple[Any, ...]) -> str:
    """Return a form as a person would write it."""
    shown = ""
    for piece in form:
        if isinstance(piece, str):
            shown += piece
        elif isinstance(piece, tuple) and piece[0] == "[":
            shown += f"[{shown_form(piece[1])}]"
        else:
            shown += "{}"
    return shown or '""'


def _begins(pieces: tuple[Any, ...]) -> str:
    """Return the text with which pieces begin."""
    return pieces[0] if pieces and isinstance(pieces[0], str) else ""


def _take(text: str, at: int, form: tuple[Any, ...], parts: list[str | None]) -> int:
    """Return where the pieces of a form end in a text, or -1 where they are not there."""
    for index, piece in enumerate(form):
        if isinstance(piece, str):
            if not text.startswith(piece, at):
                return -1
            at += len(piece)
        elif isinstance(piece, tuple) and piece[0] == "[":
            if text.startswith(_begins(piece[1]), at) and at < len(text):
                at = _take(text, at, piece[1], parts)
                if at < 0:
                    return -1
        else:
            end = _end_of_part(text, at, form[index + 1 :], isinstance(piece, tuple) and piece[0] == "...")
            if end < 0:
                return -1
            number = piece[1] if isinstance(piece, tuple) else piece
            if not (isinstance(piece, tuple) and piece[0] == "_"):
                parts[number] = text[at:end]
            at = end
    return at


def _end_of_part(text: str, at: int, rest: tuple[Any, ...], most: bool) -> int:
    find = text.rfind if most else text.find
    for piece in rest:
        if isinstance(piece, str):
            return find(piece, at)
        if isinstance(piece, tuple) and piece[0] == "[":
            end = find(_begins(piece[1]), at)
            if end >= 0:
                return end
            continue  # that is missing, so what follows it ends the part
        return -1  # two parts with nothing between
    return len(text)


def fill_text(forms: tuple[Any, ...], *values: Any) -> str:
    """Return the text of the first form all of whose parts have a value; of the last one in any case."""
    for form in forms[:-1]:
        made = _fill(form, values, needed=True)
        if made is not None:
            return made
    return _fill(forms[-1], values, needed=False) or ""


def _fill(form: tuple[Any, ...], values: tuple[Any, ...], needed: bool) -> str | None:
    made = ""
    for piece in form:
        if isinstance(piece, str):
            made += piece
        elif isinstance(piece, tuple) and piece[0] == "_":
            made += piece[1]
        elif isinstance(piece, tuple) and piece[0] == "[":
            made += _fill(piece[1], values, needed=True) or ""
        else:
            value = values[piece[1] if isinstance(piece, tuple) else piece]
            if value in (None, "") and needed:
                return None
            made += "" if value is None else value
    return made


def part_or_all(text: str, forms: tuple[Any, ...], count: int, number: int) -> str:
    """Return a part of a text that was put together of several, all of it as the last part where it was not."""
    try:
        return split_text(text, forms, count)[number] or ""
    except ValueError:
        return text if number == count - 1 else ""


# --- texts -----------------------------------------------------------------------------------------------------------


def before_suffix(text: str, suffix: str) -> str:
    """Return what stands before a fixed end, or raise ValueError."""
    if not text.endswith(suffix):
        raise ValueError(f"{text!r} does not end in {suffix!r}")
    return text[: len(text) - len(suffix)]


def unquoted(text: str | None) -> str:
    """Return a text without the double quotes around it; one without them is as it is."""
    return text[1:-1] if text and len(text) > 1 and text[0] == text[-1] == '"' else text or ""


def in_quotes(text: str) -> str:
    """Return a text in double quotes; an empty one is as it is."""
    return f'"{text}"' if text else ""


def in_brackets(address: str) -> str:
    """Return an address, an IPv6 one in brackets (RFC 3986 section 3.2.2)."""
    return f"[{address}]" if ":" in address else address


def without_brackets(address: str) -> str:
    """Return an address without the brackets around it."""
    return address[1:-1] if address.startswith("[") and address.endswith("]") else address


def address_before_port(text: str) -> str:
    """Return the address of `address:port`, an IPv6 one in brackets."""
    address, mark, port = text.rpartition(":")
    if mark and port.isdecimal() and (":" not in address or address.endswith("]")):
        return without_brackets(address)
    return without_brackets(text)


def of_version(address: str, version: int) -> str | None:
    """Return an address if it is one of IPv4 or IPv6."""
    try:
        return address if ipaddress.ip_address(address).version == version else None
    except ValueError:
        return address if version == 4 else None


def whole_number(text: Any) -> int:
    """Return the number that digits stand for, or raise ValueError."""
    if not isinstance(text, str) or not re.fullmatch(r"-?[0-9]{1,4000}", text):
        raise ValueError(f"{text!r} is no whole number")
    return int(text)


def number_as_text(number: Any) -> str:
    """Return a number's text, or raise ValueError for what is none."""
    if isinstance(number, bool) or not isinstance(number, int):
        raise ValueError(f"{number!r} is no whole number")
    return str(number)


def number_or_zero(text: str | None) -> int:
    """Return the number that digits stand for, 0 for what are none."""
    return int(text) if text and re.fullmatch(r"-?[0-9]{1,4000}", text) else 0


def fraction_digits(number: Any, width: int) -> str:
    """Return the digits of a fraction that stands as a whole number of its smallest unit."""
    return number_as_text(number).zfill(width)


def fraction_number(digits: str | None, width: int) -> int:
    """Return a fraction's digits as a whole number of its smallest unit."""
    return number_or_zero((digits or "")[:width].ljust(width, "0"))


# --- times -----------------------------------------------------------------------------------------------------------


def time_from_units(moment: Any, nanoseconds: int, form: str) -> str:
    """Return the RFC 3339 text of a number of units since 1970: whole, with a fraction, or as text."""
    if isinstance(moment, bool) or not isinstance(moment, int | float | str | decimal.Decimal):
        raise ValueError(f"{moment!r} is no number of units since 1970")
    if isinstance(moment, int):
        return time_of_ns(moment * nanoseconds)
    if isinstance(moment, str) and not re.fullmatch(r"-?[0-9]{1,30}(\.[0-9]{0,30})?", moment):
        raise ValueError(f"{moment!r} is no number of units since 1970")
    # A float says what its shortest text says, not the binary fraction nearest to it.
    if form == "split" and isinstance(moment, str):
        whole, _, fraction = moment.partition(".")
        exact = (decimal.Decimal(whole) + decimal.Decimal(f"0.{fraction or 0}")) * nanoseconds
    else:
        exact = decimal.Decimal(repr(moment) if isinstance(moment, float) else moment) * nanoseconds
    return time_of_ns(int(exact.to_integral_value(decimal.ROUND_FLOOR)))


def time_of_ns(nanoseconds: int) -> str:
    """Return the RFC 3339 text of nanoseconds since 1970, with as many digits as it needs."""
    fraction = f"{nanoseconds % 1_000_000_000:09d}".rstrip("0")
    return f"{second_of(nanoseconds // 1_000_000_000)}{'.' * bool(fraction)}{fraction}Z"


def units_from_time(text: str, nanoseconds: int, form: str) -> Any:
    """Return the units since 1970 of an RFC 3339 text: `whole`, `text` (whole), `float`, or `decimal` (as text)."""
    moment = epoch_ns_from_time(text)
    if form == "whole":
        return moment // nanoseconds
    if form == "text":
        return str(moment // nanoseconds)
    if form == "split":
        fraction = f"{decimal.Decimal(moment % nanoseconds) / nanoseconds:f}".partition(".")[2]
        return f"{moment // nanoseconds}{'.' * bool(fraction)}{fraction}"
    exact = decimal.Decimal(moment) / nanoseconds
    return float(exact) if form == "float" else f"{exact:f}"


#: What the words of a pattern of time stand for; digits are counted, a fraction has as many as it likes.
_TIME_WORDS = {
    "YYYY": r"(?P<year>[0-9]{4})",
    "MM": r"(?P<month>[0-9]{2})",
    "DD": r"(?P<day>[0-9]{2})",
    "hh": r"(?P<hour>[0-9]{2})",
    "mm": r"(?P<minute>[0-9]{2})",
    "ss": r"(?P<second>[0-9]{2})",
    "SECONDS": r"(?P<seconds>[0-9]{1,5})",
    "fff": r"(?P<digits>[0-9]{3})",
    "f": r"(?P<fraction>[0-9]{1,12})",
    "OFFSET": r"(?P<offset>Z|z|[+-][0-9]{2}:?[0-9]{2})",
    "ZONE": r"(?P<zone>[A-Za-z][A-Za-z0-9_+/-]{0,60})",
}
_TIME_PIECES = re.compile(r"YYYY|MM|DD|hh|mm|ss|SECONDS|fff|f|OFFSET|ZONE|\[again:[^\]]*\]|\[|\]|.", re.DOTALL)


@functools.lru_cache(maxsize=256)
def time_pattern(pattern: str) -> re.Pattern[str]:
    """Return what a pattern of time stands for, as a regular expression."""
    made = ""
    for piece in _TIME_PIECES.findall(pattern):
        if piece.startswith("[again:"):
            made += f"(?P<again>{re.escape(piece[7:-1])})?"
        elif piece in "[]":
            made += "(?:" if piece == "[" else ")?"
        else:
            made += _TIME_WORDS.get(piece, re.escape(piece))
    return re.compile(made)


def time_from_pattern(text: Any, pattern: str) -> str:
    """Return the RFC 3339 text, in UTC, of a time that is spelt by a pattern; raises ValueError for another."""
    found = time_pattern(pattern).fullmatch(text) if isinstance(text, str) else None
    if found is None:
        raise ValueError(f"{text!r} is no time of the form {pattern}")
    told = found.groupdict()
    seconds = int(told.get("seconds") or 0)
    local = datetime(
        int(told.get("year") or 1970),
        int(told.get("month") or 1),
        int(told.get("day") or 1),
        int(told.get("hour") or 0),
        int(told.get("minute") or 0),
        int(told.get("second") or 0),
    ) + timedelta(seconds=seconds)
    zone = told.get("zone")
    if zone and zone not in ("UTC", "Z"):
        try:
            local = local.replace(tzinfo=ZoneInfo(zone), fold=1 if told.get("again") else 0)
        except (ValueError, OSError, LookupError):
            raise ValueError(f"there is no time zone {zone!r}") from None
    else:
        local = local.replace(tzinfo=_offset(told.get("offset") or "Z"))
    fraction = (told.get("fraction") or told.get("digits") or "").rstrip("0")
    moment = local.astimezone(timezone.utc)  # noqa: UP017
    return f"{moment.isoformat()[:19]}{'.' * bool(fraction)}{fraction}Z"


def _offset(text: str) -> timezone:
    if text in ("Z", "z"):
        return timezone.utc  # noqa: UP017
    minutes = int(text[1:3]) * 60 + int(text[-2:])
    return timezone(timedelta(minutes=-minutes if text[0] == "-" else minutes))


def pattern_from_time(text: str, pattern: str) -> str:
    """Return a time spelt by a pattern, in UTC; a part in brackets is left out where it is zero."""
    moment = epoch_ns_from_time(text)
    when = EPOCH + timedelta(seconds=moment // 1_000_000_000)
    fraction = f"{moment % 1_000_000_000:09d}"
    words = {
        "YYYY": f"{when.year:04d}",
        "MM": f"{when.month:02d}",
        "DD": f"{when.day:02d}",
        "hh": f"{when.hour:02d}",
        "mm": f"{when.minute:02d}",
        "ss": f"{when.second:02d}",
        "SECONDS": str(when.hour * 3600 + when.minute * 60 + when.second),
        "fff": fraction[:3],
        "f": fraction.rstrip("0") or "0",
        "OFFSET": "+0000" if "+0000" in pattern else "Z",
        "ZONE": "UTC",
    }
    made = [""]
    kept = [True]  # whether what stands in the brackets is anything but zero
    for piece in _TIME_PIECES.findall(pattern):
        if piece.startswith("[again:"):
            continue
        if piece == "[":
            made.append("")
            kept.append(False)
        elif piece == "]":
            inner, told = made.pop(), kept.pop()
            made[-1] += inner if told else ""
            kept[-1] = kept[-1] or told
        else:
            made[-1] += words.get(piece, piece)
            kept[-1] = kept[-1] or (piece in words and words[piece].strip("0") != "")
    return made[0]


def time_after(span: Any, begin: str, nanoseconds: int) -> str:
    """Return a moment so many units after another."""
    if isinstance(span, bool) or not isinstance(span, int):
        raise ValueError(f"{span!r} is no number of units")
    return time_of_ns(epoch_ns_from_time(begin) + span * nanoseconds)


def span_after(text: str, begin: str, nanoseconds: int) -> int:
    """Return the units between two moments; none where one of them isn't told."""
    return (epoch_ns_from_time(text) - epoch_ns_from_time(begin)) // nanoseconds if text and begin else 0


# --- values of JSON --------------------------------------------------------------------------------------------------


def json_or_nothing(text: str) -> Any:
    """Return the value of a JSON text, nothing for an empty one."""
    return json_from_text(text) if text else None


def json_or_empty(value: Any) -> str:
    """Return a value as a JSON text, nothing as an empty one."""
    return "" if value is None else json_to_text(value)


# --- bytes -----------------------------------------------------------------------------------------------------------


def base64_bytes(text: Any) -> bytes:
    """Return the bytes of a Base64 text, or raise ValueError."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text in Base64")
    return base64.b64decode(text, validate=True)


def base64_text(data: bytes) -> str:
    """Return bytes as a Base64 text."""
    return base64.b64encode(data).decode("ascii")


def utf8_bytes(text: Any) -> bytes:
    """Return a text in UTF-8, or raise ValueError for what is none."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text")
    return text.encode("utf-8")


def utf8_text(data: bytes) -> str:
    """Return the text of UTF-8 bytes; what is no UTF-8 becomes U+FFFD."""
    return data.decode("utf-8", errors="replace")


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
    try:
        with gzip.GzipFile(fileobj=_stream(data)) as stream:
            content = stream.read(LARGEST_CONTENT + 1)
    except (OSError, EOFError) as error:
        raise ValueError(f"this is no gzip: {error}") from None
    if len(content) > LARGEST_CONTENT:
        raise ValueError(f"this is a gzip of more than {LARGEST_CONTENT:,} bytes")
    return content


def _stream(data: bytes) -> Any:
    import io

    return io.BytesIO(data)


def gzipped(data: bytes) -> bytes:
    """Return data compressed, always to the same bytes."""
    return gzip.compress(data, mtime=0)


def bytes_read(stream: Any) -> bytes:
    """Return all that a stream holds; one that can go back is left at its beginning."""
    if isinstance(stream, bytes):
        return stream
    data = stream.read()
    return data.encode("utf-8") if isinstance(data, str) else bytes(data)


def stream_over(data: bytes) -> Any:
    """Return a stream of bytes, to be read once."""
    return _stream(data)


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


def file_with(data: bytes) -> str | None:
    """Return the path of a file that holds the data, None where there is none."""
    if not data:
        return None
    import tempfile

    with tempfile.NamedTemporaryFile(prefix="content-", delete=False) as file:
        file.write(data)
    return file.name


def told_word(word: Any, words: tuple[Any, ...]) -> int:
    """Return which of some words one is, the first where there is none, or raise ValueError with those known."""
    if word is None:
        return 0
    for index, known in enumerate(words):
        if word == known and isinstance(word, bool) == isinstance(known, bool):
            return index
    raise ValueError(f"{word!r} is none of {', '.join(map(str, words))}")


# --- handlers --------------------------------------------------------------------------------------------------------


def call_named(handler: Any, **given: Any) -> Any:
    """Return what a handler gives that is called by keyword, with what it names of what there is."""
    parameters = inspect.signature(handler).parameters.values()
    if any(one.kind is inspect.Parameter.VAR_KEYWORD for one in parameters):
        return handler(**given)
    return handler(**{one.name: given[one.name] for one in parameters if one.name in given})


_OBJECTS: dict[Any, Any] = {}


def method_of(handler: Any, method: str, setup: str, *given: Any) -> Any:
    """Return the method that handles events, of the one object of a class, which is set up before all else."""
    if handler not in _OBJECTS:
        made = handler()
        if hasattr(made, setup):
            getattr(made, setup)(*given)
        _OBJECTS[handler] = made
    return getattr(_OBJECTS[handler], method)


class Pieces:
    """An answer that comes piece by piece: what came first, if that is no piece, and all pieces."""

    def __init__(self, head: Any, pieces: list[Any]) -> None:
        self.head, self.pieces = head, pieces


def gathered(reply: Any, head: type) -> Any:
    """Return what a generator answered with as a whole, nothing where it gave nothing; any other answer as it is."""
    if not hasattr(reply, "__next__"):
        return reply
    items = list(reply)
    if not items:
        return None
    return Pieces(items[0], items[1:]) if isinstance(items[0], head) else Pieces(None, items)


def joined_pieces(pieces: list[Any]) -> bytes:
    """Return the content that pieces of text and bytes make."""
    return b"".join(piece.encode("utf-8") if isinstance(piece, str) else bytes(piece) for piece in pieces)


def head_and_pieces(reply: Pieces, attribute: str) -> bytes:
    """Return the content of an answer in pieces whose first part is one itself."""
    first = getattr(reply.head, attribute, None)
    return joined_pieces([*([first] if first is not None else []), *reply.pieces])


def told_apart(told: list[tuple[list[str], str]], failed: Exception | None) -> dict[str, Any]:
    """Return which events come again, of what a handler said of each (the last counts) and whether it failed.

    An event of which nothing was said is done where the handler returned, and comes again where it raised.
    """
    if failed is not None and not any(said for said, _ in told):
        raise failed
    again = [
        name for said, name in told if (said[-1] if said else "again" if failed is not None else "done") == "again"
    ]
    return {"value": None, "again": again}


def again_of(done: dict[str, Any], told: list[tuple[Any, str, str]], extent: str) -> dict[str, Any]:
    """Return what a handler said is done, with the ids of all events that come again.

    `told` has, for each event of the batch in its order, by what it is named, its id and its group.
    """
    named = set(done["again"])
    again: list[str] = []
    groups: set[str] = set()
    found = False
    for name, identity, group in told:
        hit = name in named
        found = found or hit
        groups |= {group} if hit and group else set()
        if hit or (extent == "rest" and found) or (extent == "group" and group in groups):
            again.append(identity)
    return {**done, "again": [one for _, one, _ in told] if extent == "all" and found else again}


# --- answers ---------------------------------------------------------------------------------------------------------


def content_bytes(value: Any, style: tuple[str, ...]) -> bytes:
    """Return a reply's content: text in UTF-8, bytes, a file's or stream's bytes, any other value as JSON."""
    if value is None:
        return b""
    if isinstance(value, str):
        return value.encode("utf-8")
    if isinstance(value, bytes | bytearray):
        return bytes(value)
    if hasattr(value, "read_bytes"):
        return bytes(value.read_bytes())
    if hasattr(value, "read"):
        data = value.read()
        return data.encode("utf-8") if isinstance(data, str) else bytes(data)
    if "no_json" in style or ("no_numbers" in style and not isinstance(value, dict | list)):
        raise TypeError(f"a reply's content is not {type(value).__name__}")
    return json_in_style(value, style)


def json_in_style(value: Any, style: tuple[str, ...]) -> bytes:
    """Return a value as JSON in UTF-8: spaced or not, its keys sorted or not, in ASCII or not."""
    between = (", ", ": ") if "spaced" in style else (",", ":")
    text = json.dumps(value, separators=between, sort_keys="sorted" in style, ensure_ascii="ascii" in style)
    return text.encode("utf-8")


def kind_of_content(value: Any, style: tuple[str, ...] = ()) -> str:
    """Return as what a content was given: text, bytes, json, or an empty text for none."""
    if value is None or (value == "" and "empty_is_none" in style):
        return ""
    if isinstance(value, str):
        return "text"
    is_bytes = isinstance(value, bytes | bytearray) or hasattr(value, "read") or hasattr(value, "read_bytes")
    return "bytes" if is_bytes else "json"


def content_by_key(reply: dict[str, Any], kinds: dict[str, str], style: tuple[str, ...]) -> bytes:
    """Return the content that stands under one of several keys, or raise TypeError for two, or for another type."""
    said = [key for key in kinds if key in reply]
    if len(said) > 1:
        raise TypeError(f"a reply has {' or '.join(said)}, not both")
    if not said:
        return b""
    value, kind = reply[said[0]], kinds[said[0]]
    if kind == "json":
        return json_in_style(value, style)
    if kind == "text" and isinstance(value, str):
        return value.encode("utf-8")
    if kind == "bytes" and isinstance(value, bytes):
        return value
    raise TypeError(f"{said[0]} is {kind}, not {type(value).__name__}")


def kind_by_key(reply: dict[str, Any], kinds: dict[str, str]) -> str:
    """Return as what a content was given that stands under one of several keys."""
    return next((kind for key, kind in kinds.items() if key in reply), "")


def with_type_for(
    headers: list[tuple[str, str]], kind: str, types: dict[str, str], first: bool
) -> list[tuple[str, str]]:
    """Return header fields with the type of a content that names none, by what it was given as."""
    if not types.get(kind) or content_type_of(headers):
        return headers
    added = ("content-type", types[kind])
    return [added, *headers] if first else [*headers, added]


def content_for(content: bytes, status: int, bodyless: tuple[int, ...]) -> bytes:
    """Return the content of a reply, none where its status has none."""
    return b"" if status in bodyless else content


def fields_for(headers: list[tuple[str, str]], status: int, bodyless: tuple[int, ...]) -> list[tuple[str, str]]:
    """Return the header fields of a reply, without the type of a content where its status has none."""
    kept = status not in bodyless
    return [(name, value) for name, value in headers if kept or name.lower() != "content-type"]


def header_fields(fields: Any, name: str, value: str) -> list[tuple[str, str]]:
    """Return header fields given in any usual form, in their order."""
    if fields is None:
        return []
    if isinstance(fields, dict):
        return [
            (one, str(held))
            for one, of in fields.items()
            for held in (of if isinstance(of, list) else [of])
            if held is not None
        ]
    fields = list(fields)
    if fields and isinstance(fields[0], str):
        return pairs_of_flat(fields)
    return [
        (field[0], field[1])
        if isinstance(field, tuple | list)
        else (field[name], field[value])
        if isinstance(field, dict)
        else (getattr(field, name), getattr(field, value))
        for field in fields
    ]


def lists_of_fields(pairs: Iterable[tuple[str, str]]) -> dict[str, list[str]]:
    """Return header fields as a mapping from name to the list of its values."""
    found: dict[str, list[str]] = {}
    for name, value in pairs:
        found.setdefault(name, []).append(value)
    return found


def status_said(status: Any, usual: int) -> int:
    """Return a status that is a number or digits; the usual one where none was said."""
    if status is None:
        return usual
    return int(status) if isinstance(status, str) and status.isdecimal() else status


# --- pairs -----------------------------------------------------------------------------------------------------------


def pairs_of_flat(items: Any) -> list[tuple[str, str]]:
    """Return the pairs of a list in which names and values alternate."""
    if not isinstance(items, list | tuple) or len(items) % 2:
        raise ValueError("this is no list of names and values by turns")
    return list(zip(items[::2], items[1::2], strict=True))


def flat_of_pairs(pairs: Iterable[tuple[str, str]]) -> list[str]:
    """Return names and values by turns."""
    return [text for pair in pairs for text in pair]


def pairs_of_records(records: Any, name: str, value: str) -> list[tuple[str, str]]:
    """Return the pairs of a list of records, or of objects, that hold a name and a value."""
    return [
        (record[name], record[value]) if isinstance(record, dict) else (getattr(record, name), getattr(record, value))
        for record in records
    ]


def records_of_pairs(pairs: Iterable[tuple[str, str]], name: str, value: str) -> list[dict[str, str]]:
    """Return pairs as records that hold a name and a value."""
    return [{name: one, value: other} for one, other in pairs]


def pairs_of_words(text: Any, between: str, mark: str) -> list[tuple[str, str]]:
    """Return the pairs of a text in which they stand one behind the other, each with a mark between its two."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text")
    pairs = []
    for word in text.split(between) if text else ():
        if not word and between in ("\r\n", "\n"):
            continue  # the end of the last line
        name, found, value = word.partition(mark)
        if not found and mark:
            raise ValueError(f"{word!r} has no {mark!r}")
        pairs.append((name, value.strip(" ") if between in ("\r\n", "\n") else value))
    return pairs


def words_of_pairs(pairs: Iterable[tuple[str, str]], between: str, mark: str) -> str:
    """Return pairs as a text; lines each have their end."""
    if between in ("\r\n", "\n"):
        space = "" if mark.endswith(" ") else " "
        return "".join(f"{name}{mark}{space}{value}{between}" for name, value in pairs)
    return between.join(f"{name}{mark}{value}" for name, value in pairs)


def pairs_of_list(items: Any, mark: str) -> list[tuple[str, str]]:
    """Return the pairs of a list of texts, each with a mark between its two."""
    pairs = []
    for item in items:
        name, found, value = item.partition(mark)
        if not found:
            raise ValueError(f"{item!r} has no {mark!r}")
        pairs.append((name, value))
    return pairs


def list_of_pairs(pairs: Iterable[tuple[str, str]], mark: str) -> list[str]:
    """Return pairs as a list of texts."""
    return [f"{name}{mark}{value}" for name, value in pairs]


def percent_pairs(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs percent-decoded; bytes that are not UTF-8 raise."""
    return [tuple(urllib.parse.unquote(text, errors="strict") for text in pair) for pair in pairs]  # type: ignore[misc]


def percent_encoded_pairs(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs percent-encoded."""
    return [tuple(urllib.parse.quote(text, safe="") for text in pair) for pair in pairs]  # type: ignore[misc]


def form_pairs(text: Any) -> list[tuple[str, str]]:
    """Return the pairs of a text that is encoded as a form (application/x-www-form-urlencoded)."""
    return urllib.parse.parse_qsl(text, keep_blank_values=True, errors="strict") if text else []


def form_of_pairs(pairs: Iterable[tuple[str, str]]) -> str:
    """Return pairs encoded as a form."""
    return urllib.parse.urlencode(list(pairs))


def texts_of_pairs(pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Return pairs as a mapping; of two of a name the last counts."""
    return dict(pairs)


def pairs_of_texts(texts: dict[str, str] | None) -> list[tuple[str, str]]:
    """Return a mapping's pairs."""
    return list((texts or {}).items())


def with_commas(pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Return values by name, those of one name joined by commas."""
    joined: dict[str, str] = {}
    for name, value in pairs:
        joined[name] = f"{joined[name]},{value}" if name in joined else value
    return joined


def lowered_names(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs with their names in lower case."""
    return [(name.lower(), value) for name, value in pairs]


_OF_THE_CONNECTION = ("host", "content-length", "transfer-encoding", "connection")


def without_framing(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return header fields without Host and those of the connection (RFC 9110 section 7.6.1)."""
    return [(name, value) for name, value in pairs if name.lower() not in _OF_THE_CONNECTION]


def host_among(pairs: Iterable[tuple[str, str]]) -> str:
    """Return the value of Host among header fields."""
    return next((value for name, value in pairs if name.lower() == "host"), "")


def with_framing(headers: Iterable[tuple[str, str]], authority: str, body: bytes) -> list[tuple[str, str]]:
    """Return header fields with Host before them, and the length of a content behind them."""
    length = [("content-length", str(len(body)))] if body else []
    return [*([("host", authority)] if authority else []), *headers, *length]


def values_in_order(captures: dict[str, str], route: str) -> list[str]:
    """Return what a route captured, in the order of its names."""
    names = [name.lstrip("+") for name in re.findall(r"\{([^{}]*)\}", route)]
    return [captures.get(name, "") for name in names]


def by_order(values: Any, route: str, skip: int) -> dict[str, str]:
    """Return what a route captured by name, from a list in its order; the first `skip` are no captures."""
    names = [name.lstrip("+") for name in re.findall(r"\{([^{}]*)\}", route)]
    values = list(values or ())[skip:]
    if len(values) != len(names):
        raise ValueError(f"{len(values)} values for the {len(names)} captures of {route}")
    return dict(zip(names, values, strict=True))


def behind_prefix(mapping: dict[str, Any] | None, prefix: str) -> dict[str, Any]:
    """Return the entries whose names begin so, without that beginning."""
    return {name[len(prefix) :]: value for name, value in (mapping or {}).items() if name.startswith(prefix)}


def with_prefix(mapping: dict[str, Any] | None, prefix: str) -> dict[str, Any]:
    """Return a mapping with a beginning before each name."""
    return {prefix + name: value for name, value in (mapping or {}).items()}


# --- tagged values ---------------------------------------------------------------------------------------------------
#
# A provider's word for a type stands for one of: text, number, decimal (a number as text), truth, words (two words for
# true and false), nothing, bytes (Base64), list, mapping.


def number_of_text(text: Any) -> Any:
    """Return the number of a text: an integer, a float where that says the same, else as exact as it was written."""
    if not isinstance(text, str) or not re.fullmatch(r"-?[0-9]{1,400}(\.[0-9]{1,400})?([eE][+-]?[0-9]{1,4})?", text):
        raise ValueError(f"{text!r} is no number")
    exact = decimal.Decimal(text)
    if "." not in text and "e" not in text.lower():
        return int(text)
    nearest = float(text)
    if decimal.Decimal(repr(nearest)) == exact if nearest not in (float("inf"), float("-inf")) else False:
        return nearest
    return exact


def text_of_number(number: Any) -> str:
    """Return a number's text."""
    return str(number) if isinstance(number, int | decimal.Decimal) else repr(number)


def type_of_value(value: Any, types: dict[str, str]) -> str:
    """Return the first word of a provider's for the type of a value."""
    kind = (
        ("nothing",)
        if value is None
        else ("truth", "words")
        if isinstance(value, bool)
        else ("decimal", "number")
        if isinstance(value, int | float | decimal.Decimal)
        else ("text",)
        if isinstance(value, str)
        else ("list",)
        if isinstance(value, list | tuple)
        else ("bytes", "mapping")
        if isinstance(value, bytes) or (isinstance(value, dict) and list(value) == ["base64"])
        else ("mapping",)
    )
    for wanted in kind:
        for word, one in types.items():
            if one.partition(":")[0] == wanted:
                return word
    raise ValueError(f"there is no word for a value such as {value!r}")


def plain_value(kind: str, value: Any, inner: Callable[[Any], Any], entries: Callable[[Any], Any]) -> Any:
    """Return the plain value of one that has a type: `inner` reads what a list holds, `entries` a mapping."""
    kind, _, words = kind.partition(":")
    if kind == "nothing" or value is None:
        return None
    if kind == "decimal":
        return number_of_text(value)
    if kind == "words":
        yes, no = words.split("/")
        if value not in (yes, no):
            raise ValueError(f"{value!r} is neither {yes} nor {no}")
        return bool(value == yes)
    if kind == "bytes":
        return {"base64": base64_text(base64_bytes(value))}
    if kind == "list":
        return [inner(one) for one in value]
    if kind == "mapping":
        return entries(value)
    good = isinstance(value, {"text": str, "truth": bool}.get(kind, int | float | decimal.Decimal))
    if not good or (kind == "number" and isinstance(value, bool)):
        raise ValueError(f"{value!r} is no {kind}")
    return value


def typed_value(kind: str, value: Any, inner: Callable[[Any], Any], entries: Callable[[Any], Any]) -> Any:
    """Return a plain value as it stands under its type."""
    kind, _, words = kind.partition(":")
    if kind == "nothing":
        return True
    if value is None:
        return None
    if kind == "decimal":
        return text_of_number(value)
    if kind == "words":
        return words.split("/")[0 if value else 1]
    if kind == "bytes":
        return value["base64"] if isinstance(value, dict) else base64_text(value)
    if kind == "list":
        return [inner(one) for one in value]
    return entries(value) if kind == "mapping" else value


def untagged(value: Any, types: dict[str, str]) -> Any:
    """Return the plain value of one that is wrapped in a mapping with its type as the only key, recursively."""
    if not isinstance(value, dict) or len(value) != 1:
        raise ValueError(f"{value!r} is no value under its type")
    ((word, inside),) = value.items()
    if word not in types:
        raise ValueError(f"{word!r} is none of the types {', '.join(types)}")
    return plain_value(types[word], inside, lambda one: untagged(one, types), lambda held: untagged_record(held, types))


def untagged_record(record: Any, types: dict[str, str]) -> Any:
    """Return a record's plain values; nothing for nothing."""
    return None if record is None else {name: untagged(value, types) for name, value in record.items()}


def tagged(value: Any, types: dict[str, str]) -> Any:
    """Return a plain value in a mapping with its type as the only key, recursively."""
    word = type_of_value(value, types)
    made = typed_value(types[word], value, lambda one: tagged(one, types), lambda held: tagged_record(held, types))
    return {word: made}


def tagged_record(record: Any, types: dict[str, str]) -> Any:
    """Return a record with each value under its type; nothing for nothing."""
    return None if record is None else {name: tagged(value, types) for name, value in record.items()}


def value_beside_type(record: Any, names: tuple[str, str, str], types: dict[str, str], at: str = "") -> Any:
    """Return the plain value of a record that has a type and a value, recursively; `names` are name, type, value."""
    word = record[names[1]]
    if word not in types:
        raise ValueError(f"{word!r} is none of the types {', '.join(types)}")
    return plain_value(
        types[word],
        record[at or names[2]],
        lambda one: value_beside_type(one, names, types),
        lambda held: record_of_typed(held, names, types),
    )


def record_of_typed(items: Any, names: tuple[str, str, str], types: dict[str, str]) -> dict[str, Any]:
    """Return a list of records of name, type and value as one record of plain values; of a name the last counts."""
    return {item[names[0]]: value_beside_type(item, names, types) for item in items or ()}


def typed_beside(value: Any, names: tuple[str, str, str], types: dict[str, str]) -> dict[str, Any]:
    """Return a plain value as a record of its type and itself; nothing is a text that isn't there."""
    word = next(iter(types)) if value is None and "nothing" not in types.values() else type_of_value(value, types)
    made = typed_value(
        types[word],
        value,
        lambda one: typed_beside(one, names, types),
        lambda held: typed_of_record(held, names, types),
    )
    return {names[1]: word, names[2]: made}


def typed_of_record(record: Any, names: tuple[str, str, str], types: dict[str, str]) -> list[dict[str, Any]]:
    """Return a record as a list of records of name, type and value."""
    return [{names[0]: name, **typed_beside(value, names, types)} for name, value in (record or {}).items()]


def texts_of_typed(items: Any, names: tuple[str, str, str], types: dict[str, str]) -> dict[str, str]:
    """Return a list of records of name, type and value as texts by name: numbers and Base64 as they are written."""
    found = {}
    for item in items or ():
        if item[names[1]] not in types:
            raise ValueError(f"{item[names[1]]!r} is none of the types {', '.join(types)}")
        found[item[names[0]]] = item[names[2]]
    return found


def typed_of_texts(texts: dict[str, str] | None, names: tuple[str, str, str], types: dict[str, str]) -> list[Any]:
    """Return texts by name as records of name, type and value."""
    word = next(word for word, kind in types.items() if kind == "text")
    return [{names[0]: name, names[1]: word, names[2]: value} for name, value in (texts or {}).items()]


def changed_columns(columns: Any, keys: dict[str, str], types: dict[str, str]) -> list[dict[str, Any]]:
    """Return changed columns: name, whether it is of the key, and what it held (`old`) and holds (`new`), if told."""
    names = (keys["name"], keys["type"], keys["value"])
    made = []
    for column in columns:
        one: dict[str, Any] = {"name": column[keys["name"]], "key": bool(column.get(keys["key"]))}
        for side in ("old", "new"):
            if keys[side] in column:
                one[side] = value_beside_type(column, names, types, keys[side])
        made.append(one)
    return made


def columns_as_told(columns: list[dict[str, Any]], keys: dict[str, str], types: dict[str, str]) -> list[Any]:
    """Return changed columns as a provider tells them."""
    names = (keys["name"], keys["type"], keys["value"])
    made = []
    for column in columns:
        # A column has one type: that of what it holds, if anything.
        held = [column[side] for side in ("new", "old") if column.get(side) is not None]
        word = type_of_value(held[0], types) if held else next(iter(types))
        one: dict[str, Any] = {names[0]: column["name"], names[1]: word}
        if column["key"]:
            one[keys["key"]] = True
        for side in ("old", "new"):
            if side in column:
                one[keys[side]] = typed_value(
                    types[word],
                    column[side],
                    lambda inner: typed_beside(inner, names, types),
                    lambda inner: typed_of_record(inner, names, types),
                )
        made.append(one)
    return made


def keys_of_columns(columns: list[dict[str, Any]]) -> dict[str, Any]:
    """Return the key of a record whose columns changed."""
    return {one["name"]: one.get("new", one.get("old")) for one in columns if one["key"]}


def side_of_columns(columns: list[dict[str, Any]], side: str) -> dict[str, Any] | None:
    """Return a record as it was, or is; nothing where no column is told on that side."""
    found = {one["name"]: one[side] for one in columns if side in one}
    return found or None


def columns_of(keys: dict[str, Any], old: dict[str, Any] | None, new: dict[str, Any] | None) -> list[dict[str, Any]]:
    """Return the columns of a record that changed."""
    names = dict.fromkeys([*keys, *(old or {}), *(new or {})])
    made = []
    for name in names:
        one: dict[str, Any] = {"name": name, "key": name in keys}
        if old is not None and name in old:
            one["old"] = old[name]
        if new is not None and name in new:
            one["new"] = new[name]
        if "old" not in one and "new" not in one:
            one["new" if new is not None else "old"] = keys[name]
        made.append(one)
    return made


def principal_of(name: str | None, claims: dict[str, Any] | None) -> dict[str, Any] | None:
    """Return who called, nothing for nobody."""
    return {"id": name, "claims": claims or {}} if name else None


def id_of(principal: dict[str, Any] | None) -> str:
    """Return the identity of who called."""
    return (principal or {}).get("id") or ""


def claims_of(principal: dict[str, Any] | None) -> dict[str, Any]:
    """Return what is known of who called."""
    return (principal or {}).get("claims") or {}


def path_of_target(target: str) -> str:
    """Return the path of a target (RFC 9112 section 3.2.1)."""
    return target.partition("?")[0]


def query_of_target(target: str) -> str:
    """Return the query of a target."""
    return target.partition("?")[2]


# --- batches ---------------------------------------------------------------------------------------------------------
#
# A level is (root, steps, item, key, index, name, encode): at `steps` from what is called `root` stands a list, or a
# mapping by `key`, of what is called `item`; or what is called `name`, encoded. Steps are items, attributes as `.name`.


def packed(entries: Iterable[dict[str, Any]], root: str, levels: tuple[Any, ...]) -> list[Any]:
    """Return the batches that events make, each of which is a mapping of what stands on the way to it by name.

    Events next to each other that share all that stands above a list are put into one; those of one key come together.
    """
    return [_filled({root: {}, **group[0]}, group, root, levels)[root] for group in _runs(entries, [root])]


def one_batch(batches: list[Any]) -> Any:
    """Return the only batch that events make, or raise ValueError where the provider hands them over in several."""
    if len(batches) != 1:
        raise ValueError(f"these events come in {len(batches)} batches")
    return batches[0]


def _runs(entries: Iterable[dict[str, Any]], names: list[str]) -> list[list[dict[str, Any]]]:
    """Return entries next to each other that have the same under each of some names."""
    runs: list[list[dict[str, Any]]] = []
    for entry in entries:
        if runs and all(runs[-1][0].get(name) == entry.get(name) for name in names):
            runs[-1].append(entry)
        else:
            runs.append([entry])
    return runs


def _filled(held: dict[str, Any], entries: list[dict[str, Any]], root: str, levels: tuple[Any, ...]) -> dict[str, Any]:
    """Return what is called something, with what stands below it put in."""
    if not levels:
        return held
    (at, steps, item, key, _, name, encode), *rest = levels
    if name:
        inner = _filled({**held, name: held.get(name)}, entries, root, tuple(rest))
        return _put(inner, at, steps, encode(inner[name]))
    # Above the next list everything is shared; an event by itself is never one with its neighbour.
    names = [item, *(one[5] for one in rest if one[5])]
    if not any(one[2] for one in rest):
        groups = [[entry] for entry in entries]
    elif key:
        by_key: dict[Any, list[dict[str, Any]]] = {}
        for entry in entries:
            by_key.setdefault(entry.get(key), []).append(entry)
        groups = list(by_key.values())
    else:
        groups = _runs(entries, names)
    made = []
    for group in groups:
        inner = _filled({**held, **group[0], **{one: held[one] for one in held if one == at}}, group, root, tuple(rest))
        made.append((group[0].get(key) if key else None, inner[item]))
    return _put(held, at, steps, dict(made) if key else [one for _, one in made])


def _put(held: dict[str, Any], at: str, steps: tuple[Any, ...], value: Any) -> dict[str, Any]:
    """Return what is called something with a value at a place of it."""
    if not steps:
        return {**held, at: value}
    if isinstance(held.get(at, {}), dict):
        held = {**held, at: dict(held.get(at, {}))}
    inside = held[at]
    for step in steps[:-1]:
        inside = getattr(inside, step[1:]) if isinstance(step, str) and step.startswith(".") else inside[step]
    if isinstance(steps[-1], str) and steps[-1].startswith("."):
        setattr(inside, steps[-1][1:], value)
    else:
        inside[steps[-1]] = value
    return held
