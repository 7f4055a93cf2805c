"""What translations of texts of several parts, of numbers as text, and of values of JSON call."""

from __future__ import annotations

import functools
import ipaddress
import itertools
import re
from collections.abc import Callable, Iterator
from typing import Any

from vast_ferry.mapping.helpers.of_values import json_from_text, json_to_text

# --- texts of several parts ------------------------------------------------------------------------------------------


#
# A form is a row of pieces: a text that stands there as it is; the number of a part, which takes as little as it can;
# ("...", number), which takes as much as it can; ("_", text, most), which is nobody's and is written so; ("[", pieces),
# which may be missing as a whole. What follows a part is looked for once, from one end: nothing is gone back over.


def split_text(text: Any, forms: tuple[Any, ...], count: int) -> list[str | None]:
    """Return the parts of a text by the first form that it has, None for each that is not there.

    Raises ValueError where it has none of the forms.
    """
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text")
    for form in forms:
        if count == 2 and len(form) == 3 and form[0] == 0 and form[2] == 1 and isinstance(form[1], str):
            first, mark, second = text.partition(form[1])  # as most are: two parts with a text between
            if mark:
                return [first, second]
            continue
        matches, numbers = form_pattern(form, count)
        found = matches(text)
        if found is not None and count > 1 and 0 not in numbers:
            return list(found.group(*numbers))
        if found is not None:
            return [found[number] if number else None for number in numbers]
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


@functools.lru_cache(maxsize=512)
def form_pattern(form: tuple[Any, ...], count: int) -> tuple[Callable[[str], re.Match[str] | None], tuple[int, ...]]:
    """Return what matches a text of a form, and which group of it each part is; 0 for one that the form has not."""
    pattern = re.compile(pieces_pattern(form, itertools.count()), re.DOTALL)
    return pattern.fullmatch, tuple(pattern.groupindex.get(f"p{number}", 0) for number in range(count))


def pieces_pattern(form: tuple[Any, ...], fresh: Iterator[int], behind: tuple[Any, ...] = ()) -> str:
    """Return the pattern of pieces, `behind` which others follow.

    A part is looked for ahead and then taken as found: nothing is gone back over.
    """
    made = ""
    for index, piece in enumerate(form):
        if isinstance(piece, str):
            made += re.escape(piece)
        elif isinstance(piece, tuple) and piece[0] == "[":
            begins = re.escape(_begins(piece[1]))
            after = (*form[index + 1 :], *behind)
            made += f"(?:(?={begins}){pieces_pattern(piece[1], fresh, after)}|(?!{begins}))"
        else:
            nobody, most = isinstance(piece, tuple) and piece[0] == "_", isinstance(piece, tuple) and piece[0] == "..."
            most = most or (nobody and piece[2])
            name = f"q{next(fresh)}" if nobody else f"p{piece[1] if isinstance(piece, tuple) else piece}"
            rest = (*form[index + 1 :], *behind)
            if not rest:
                made += f"(?P<{name}>.*)"
            elif rest and isinstance(rest[0], str) and len(rest[0]) == 1 and not most:
                made += f"(?P<{name}>[^{re.escape(rest[0])}]*)"
            else:
                made += f"(?=(?P<{name}>{part_pattern(rest, most)}))(?P={name})"
    return made


def part_pattern(rest: tuple[Any, ...], most: bool) -> str:
    """Return the pattern of a part, which what follows it ends: the first of it, or with `most` the last."""
    taken = ".*" if most else ".*?"
    ways: list[str] = []
    ended = rest[0]
    if isinstance(ended, tuple):  # what may be missing ends the part as well, where nothing follows it
        ended = _begins(ended[1]) if ended[0] == "[" and len(rest) == 1 else ""
    if (
        isinstance(ended, str) and len(ended) > 1 and not most
    ):  # all that does not begin it: faster than to look whether it begins at each place
        first, others = re.escape(ended[0]), re.escape(ended[1:])
        return f"[^{first}]*(?:{first}(?!{others})[^{first}]*)*"
    for piece in rest:
        if isinstance(piece, str):
            return "|".join([*ways, f"{taken}(?={re.escape(piece)})"])
        if not (isinstance(piece, tuple) and piece[0] == "["):
            return "|".join([*ways, "(?!)"])  # two parts with nothing between
        ways.append(f"{taken}(?={re.escape(_begins(piece[1]))})")  # if that is missing, what follows it ends the part
    return "|".join([*ways, ".*"])


def fill_text(forms: tuple[Any, ...], *values: Any) -> str:
    """Return the text of the first form all of whose parts have a value; of the last one in any case."""
    for form in forms[:-1]:
        made = _fill(form, values, needed=True)
        if made is not None:
            return made
    return _fill(forms[-1], values, needed=False) or ""


def text_if_told(forms: tuple[Any, ...], *values: Any) -> str | None:
    """Return the text of the first form that has a part with a value, and each that it must have; else nothing."""
    for form in forms:
        parts = [piece for piece in form if isinstance(piece, int) or (isinstance(piece, tuple) and piece[0] == "...")]
        told = any(values[piece[1] if isinstance(piece, tuple) else piece] not in (None, "") for piece in parts)
        made = _fill(form, values, needed=True) if told else None
        if made is not None:
            return made
    return None


def _fill(form: tuple[Any, ...], values: tuple[Any, ...], needed: bool) -> str | None:
    made = ""
    for piece in form:
        if isinstance(piece, str):
            made += piece
        elif isinstance(piece, tuple) and piece[0] == "_":
            if needed and not piece[1]:
                return None  # what is nobody's, and is written as nothing, makes no form of its own
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


def part_if_told(text: str, forms: tuple[Any, ...], count: int, number: int) -> str | None:
    """Return a part of a text that may lack it, None where it does."""
    try:
        return split_text(text, forms, count)[number]
    except ValueError:
        return None


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


def number_as_text(number: Any) -> str | None:
    """Return a number's text, nothing for nothing, or raise ValueError for what is none."""
    if number is None:
        return None
    if isinstance(number, bool) or not isinstance(number, int):
        raise ValueError(f"{number!r} is no whole number")
    return str(number)


def number_of_hex(text: Any) -> int:
    """Return the number that hexadecimal digits stand for, or raise ValueError."""
    if not isinstance(text, str) or not re.fullmatch(r"-?[0-9A-Fa-f]{1,400}", text):
        raise ValueError(f"{text!r} is no hexadecimal number")
    return int(text, 16)


def hex_of_number(number: Any) -> str | None:
    """Return a whole number's hexadecimal digits, nothing for nothing, or raise ValueError for what is none."""
    if number is None:
        return None
    if isinstance(number, bool) or not isinstance(number, int):
        raise ValueError(f"{number!r} is no whole number")
    return f"{number:x}"


def number_or_zero(text: str | None, width: int = 0) -> int:
    """Return the number that digits stand for, 0 for what are none, however many zeros stand before it."""
    return int(text) if text and re.fullmatch(r"-?[0-9]{1,4000}", text) else 0


def fraction_digits(number: Any, width: int) -> str:
    """Return the digits of a fraction that stands as a whole number of its smallest unit."""
    return (number_as_text(number) or "").zfill(width)


def fraction_number(digits: str | None, width: int) -> int:
    """Return a fraction's digits as a whole number of its smallest unit."""
    return number_or_zero((digits or "")[:width].ljust(width, "0"))


def scalar_of_text(text: str | None) -> Any:
    """Return the number, truth or null that a text says as JSON writes it; any other text as it is."""
    plain = {"true": True, "false": False, "null": None}
    if text in plain:
        return plain[text]
    return int(text) if text is not None and re.fullmatch(r"0|-?[1-9][0-9]{0,17}", text) else text


def told_at_one(value: Any, here: str, there: str) -> Any:
    """Return what stands at one of two places; raises ValueError where nothing does."""
    if value is None:
        raise ValueError(f"nothing stands at {here}, and nothing at {there}")
    return value


def count_of(items: Any) -> int:
    """Return how many a list holds."""
    if not isinstance(items, list | tuple):
        raise ValueError(f"{items!r} is no list")
    return len(items)


def list_of_count(number: int) -> list[None]:
    """Return a list of so many, none of which is told."""
    return [None] * max(0, min(number, 1000))


# --- values of JSON --------------------------------------------------------------------------------------------------


def json_or_nothing(text: str) -> Any:
    """Return the value of a JSON text, nothing for an empty one."""
    return json_from_text(text) if text else None


def json_or_empty(value: Any) -> str:
    """Return a value as a JSON text, nothing as an empty one."""
    return "" if value is None else json_to_text(value)


def bytes_of_value(value: Any) -> bytes:
    """Return a JSON value as its text without spaces, in UTF-8; nothing as no content."""
    return b"" if value is None else json_to_text(value).encode("utf-8")


def value_of_bytes(data: bytes) -> Any:
    """Return the JSON value that bytes hold; as text where they hold none, and nothing for no content."""
    if not data:
        return None
    text = data.decode("utf-8", errors="replace")
    try:
        return json_from_text(text)
    except ValueError:
        return text


def says_json(content_type: str | None) -> bool:
    """Tell whether a media type is JSON (RFC 8259, or `+json` of RFC 6839)."""
    kind = (content_type or "").partition(";")[0].strip().lower()
    return kind == "application/json" or kind.endswith("+json")


def bytes_of_value_or_text(value: Any, content_type: str | None) -> bytes:
    """Return the content of a JSON value where the type says JSON, else of a text; nothing as no content."""
    if value is None:
        return b""
    if says_json(content_type):
        return bytes_of_value(value)
    if not isinstance(value, str):
        raise ValueError(f"{content_type or 'no type'} is no JSON, and {value!r} is no text")
    return value.encode("utf-8")


def value_or_text(data: bytes, content_type: str | None) -> Any:
    """Return content as the JSON value that it holds where its type says JSON, else as text."""
    if says_json(content_type):
        return value_of_bytes(data)
    return data.decode("utf-8", errors="replace") if data else None


# --- other small forms -----------------------------------------------------------------------------------------------


def path_of_segments(segments: Any) -> str:
    """Return the path of a list of its segments, as they came on the wire."""
    if not isinstance(segments, list | tuple) or any("/" in one for one in segments):
        raise ValueError(f"{segments!r} is no list of segments of a path")
    return "/" + "/".join(segments)


def segments_of_path(path: str) -> list[str]:
    """Return the segments of a path, as they came on the wire; none for `/`."""
    return path.removeprefix("/").split("/") if path not in ("", "/") else []


def times_of(number: Any, factor: int) -> int:
    """Return a number of units as a number of what they are made of."""
    if isinstance(number, bool) or not isinstance(number, int):
        raise ValueError(f"{number!r} is no whole number")
    return number * factor


def whole_units(number: int | None, factor: int) -> int | None:
    """Return how many whole units there are in a number, nothing for nothing."""
    return None if number is None else number // factor


def attempt_if_again(again: Any) -> int:
    """Return 2 for what comes again, 1 for what comes the first time."""
    return 2 if again else 1


def comes_again(attempt: int) -> bool:
    """Tell whether an attempt is another one than the first."""
    return attempt > 1
