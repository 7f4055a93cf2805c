"""Which form values have, told by looking at all of them: times, addresses, header fields, Base64, and words in keys.

A form is told only where every value has it, and where little else has it: four letters may be Base64, and hardly are.
"""

from __future__ import annotations

import base64
import binascii
import json
import re
from typing import Any, Final

METHODS: Final = "GET|HEAD|POST|PUT|DELETE|OPTIONS|PATCH|TRACE|CONNECT"

#: field, form, what the row says beside its place, kinds: a form that every value of a place has
TEXTS: Final[tuple[tuple[str, str, str, tuple[str, ...]], ...]] = (
    ("method", rf"({METHODS})", "", ("http",)),
    ("'{method} {target}'", rf"({METHODS}) /\S*", "", ("http",)),
    ("'{method} {target} HTTP/1.1'", rf"({METHODS}) /\S* HTTP/1\.1", "", ("http",)),
    ("method", rf"({METHODS.lower()})", ", as: lower", ("http",)),
    ("scheme", r"https?", "", ("http",)),
    ("'{scheme}://{authority}{target}'", r"https?://[^/?\s]+/[^?\s]*(\?\S*)?", "", ("http",)),
    ("client", r"(\d{1,3}\.){3}\d{1,3}:\d{1,5}|\[[0-9a-fA-F:]+\]:\d{1,5}", ", as: address_and_port", ("http",)),
    ("client", r"(\d{1,3}\.){3}\d{1,3}|(?=.*:.*:)[0-9a-fA-F:]{3,39}", "", ("http",)),
    ("target", r"/\S*\?\S*", "", ("http",)),
    ("path.raw", r"/\S*", "", ("http",)),
    ("authority", r"([a-z0-9-]+\.)+[a-z]{2,}(:\d{1,5})?|localhost(:\d+)?", "", ("http",)),
    ("time", r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)", "", ()),
    ("time", r"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(\.\d+)?", ", as: \"time('YYYY-MM-DD hh:mm:ss[.f]')\"", ()),
    ("time", r"\d{8}T\d{6}Z", ", as: \"time('YYYYMMDDThhmmssZ')\"", ()),
    ("time", r"\d{8}T\d{6}(\.\d+)?Z", ", as: \"time('YYYYMMDDThhmmss[.f]Z')\"", ()),
    ("time", r"\d{4}-\d{3}T\d\d:\d\d:\d\d(\.\d+)?Z", ", as: \"time('YYYY-DDDThh:mm:ss[.f]Z')\"", ()),
    ("time", r"\d{4}/\d\d/\d\d \d\d:\d\d:\d\d(\.\d+)?", ", as: \"time('YYYY/MM/DD hh:mm:ss[.f]')\"", ()),
    (
        "time",
        r"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(\.\d+)? [+-]\d\d:?\d\d",
        ", as: \"time('YYYY-MM-DD hh:mm:ss[.f] OFFSET')\"",
        (),
    ),
    (
        "time",
        r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?[+-]\d{4}",
        ", as: \"time('YYYY-MM-DDThh:mm:ss[.f]OFFSET')\"",
        (),
    ),
    (
        "time",
        r"[A-Z][a-z]{2}, \d\d [A-Z][a-z]{2} \d{4} \d\d:\d\d:\d\d GMT",
        ", as: \"time('WDAY, DD MON YYYY hh:mm:ss GMT')\"",
        (),
    ),
    ("etag", r'"[^"]+"', ", as: quoted", ("object",)),
    ("content_type", r"(text|image|application|audio|video)/[\w.+-]+(;\s*\w+=\S+)?", "", ("http", "object", "message")),
)
#: How a route spells what it captures, and the form that reads it.
_ROUTES: Final = (
    (r"\{[^{}/]+\}", "route('{name}', '{name*}')"),
    (r"(?<=/):\w+", "route(':name', '*name')"),
    (r"<\w+>", "route('<name>', '<name...>')"),
)
#: How providers' words for a change often begin: the change, and the beginnings. One letter alone stands for a word.
_CHANGES: Final[dict[str, tuple[tuple[str, tuple[str, ...]], ...]]] = {
    "object": (
        ("deleted", ("delet", "remov", "drop", "gone", "cut", "erase", "d")),
        ("relabelled", ("label", "relabel", "tag", "meta", "mark")),
        ("created", ("creat", "put", "made", "make", "new", "add", "writ", "upload", "c")),
    ),
    "record": (
        ("deleted", ("delet", "remov", "drop", "gone", "d")),
        ("updated", ("updat", "modif", "chang", "replac", "amend", "u", "m")),
        ("inserted", ("insert", "creat", "add", "new", "i", "c")),
    ),
}
#: Units of time since 1970, by how large a number of today is.
UNITS: Final = ((1e9, "s"), (1e11, "cs"), (1e12, "ms"), (1e15, "us"), (1e18, "ns"))
#: Words in keys that say what something is, where its form does not: field → words.
WORDS: Final[dict[str, tuple[str, ...]]] = {
    "id": ("id", "uid", "uuid", "identity", "ref", "reference", "number", "ticket"),
    "authority": ("host", "authority"),
    "principal.id": ("sub", "user", "principal", "caller"),
    "bucket": ("bucket", "container"),
    "key": ("key", "object", "file", "filename"),
    "size": ("size", "length", "bytes"),
    "etag": ("etag",),
    "version": ("version", "revision"),
    "channel": ("queue", "topic", "channel"),
    "attempt": ("attempt", "attempts", "tries"),
    "group": ("group",),
    "table": ("table",),
    "keys": ("keys",),
    "old": ("old", "before"),
    "new": ("new", "after"),
    "sequence": ("sequence", "seq"),
    "due": ("due", "scheduled"),
    "name": ("name", "type"),
    "subject": ("subject",),
    "data": ("data", "payload", "detail"),
    "captures": ("params", "captures"),
    "query.raw": ("querystring",),
    "attributes": ("attributes", "properties"),
    "labels": ("labels", "metadata"),
    "body": ("body", "content", "load", "payload", "text", "data"),
}


def unit_told(values: list[Any], wanted: int) -> str:
    """Return the unit of times since 1970 that numbers can be, all of them, within some decades of today."""
    numbers = [float(value) for value in values]
    if not numbers or len(numbers) < wanted:
        return ""
    return next((unit for one, unit in UNITS if all(one <= number < one * 4.2 for number in numbers)), "")


def form_of_route(values: list[Any]) -> str:
    """Return the form of routes, where one of the values at least has a capture; empty where they are none."""
    if not all(isinstance(value, str) and re.fullmatch(r"/\S*", value) for value in values):
        return ""
    return next((lens for form, lens in _ROUTES if any(re.search(form, value) for value in values)), "")


def words_of_change(kind: str, values: list[Any]) -> dict[str, str]:
    """Return a provider's words with the change that each is, if every value tells one."""
    found: dict[str, str] = {}
    for value in values if all(isinstance(one, str) for one in values) else ():
        word = value.lower()
        parts = [part for part in re.split(r"[^a-z]+", word) if part]
        for change, beginnings in _CHANGES.get(kind, ()):
            if any(part == one or (len(one) > 2 and part.startswith(one)) for part in parts for one in beginnings):
                found.setdefault(value, change)
        if value not in found:
            return {}
    return found


def json_inside(values: list[Any]) -> tuple[str, list[Any]]:
    """Return the form in which mappings of JSON stand encoded in texts, and these mappings; empty where none do."""
    for form, opened in (("json_text", str), ("base64 | decoded | json_text", _opened)):
        try:
            held = [json.loads(opened(value)) for value in values if isinstance(value, str)]
        except ValueError:
            continue
        if held and len(held) == len(values) and all(isinstance(one, dict) for one in held):
            return form, held
    return "", []


def _opened(value: str) -> str:
    return base64.b64decode(value, validate=True).decode("utf-8")


def is_base64(value: Any, *, sure: bool = False) -> bool:
    """Tell whether a text may be Base64; to be `sure` takes more than a word of as many letters."""
    if not isinstance(value, str) or len(value) % 4 or not value:
        return False
    try:
        held = base64.b64decode(value, validate=True)
    except binascii.Error:
        return False
    return not sure or not value.isalnum() or (len(value) >= 12 and _is_readable(held))


def _is_readable(held: bytes) -> bool:
    try:
        return held.decode("utf-8").isprintable()
    except UnicodeDecodeError:
        return False


def is_base64url(value: Any) -> bool:
    """Tell whether a text is Base64 as URLs have it: only where it has one of the letters that tell."""
    long = isinstance(value, str) and bool(re.fullmatch(r"(?=.*[-_])[A-Za-z0-9_-]{12,}", value)) and len(value) % 4 != 1
    return long and _is_readable(base64.urlsafe_b64decode(value + "=" * (-len(value) % 4)))


def are_segments(value: Any) -> bool:
    """Tell whether a list may be the segments of a path."""
    return isinstance(value, list) and all(isinstance(one, str) for one in value)


def are_octets(value: Any) -> bool:
    """Tell whether a list may be bytes: so many small numbers, not all of them tiny."""
    numbers = isinstance(value, list) and len(value) > 3 and all(type(one) is int and 0 <= one < 256 for one in value)
    return numbers and any(one > 31 for one in value)


def form_of_body(values: list[Any]) -> str:
    """Return the form of content under a key that says that it is some; empty where no form is known."""
    values = [value for value in values if value not in ("", [])] or values  # what is empty tells no form
    if all(map(is_base64, values)):
        return "base64"
    if all(isinstance(value, str) and re.fullmatch(r"(?=.*[-_])[A-Za-z0-9_-]{4,}", value) for value in values):
        return "base64url"
    if all(isinstance(value, list) and all(type(one) is int and 0 <= one < 256 for one in value) for value in values):
        return "octets"
    return "utf8" if all(isinstance(value, str) for value in values) else ""


def form_of_query(value: Any) -> str:
    """Return the form in which a decoded query stands in a mapping; `any`: there is none; empty: it is no query."""
    if value in ({}, None):
        return "any"
    return _form_of_values(value.values(), "by_name") if isinstance(value, dict) else ""


def _form_of_values(values: Any, single: str) -> str:
    """Return how values by name stand: as a list each, as a text each (`single`), or as either."""
    lists = [isinstance(one, list) and all(isinstance(inner, str) for inner in one) for one in values]
    texts = [isinstance(one, str) for one in values]
    if all(lists):
        return "lists"
    return single if all(texts) else "one_or_list" if all(map(any, zip(lists, texts, strict=True))) else ""


#: A name whose words begin with a capital, each with only one: `Content-Type`.
_TITLED: Final = r"[A-Z][a-z0-9]*(-[A-Z0-9][a-z0-9]*)*"
#: Header fields whose names say that they are some.
_FIELDS: Final = ("host", "accept", "cookie", "authorization", "origin", "referer")


def form_of_fields(value: Any) -> str:
    """Return the form in which header fields may stand, `any` where there are none."""
    if value in ([], {}):
        return "any"
    if isinstance(value, dict):
        if len(value) == 2 and all(isinstance(one, list) for one in value.values()):
            first, second = value
            alike = len(value[first]) == len(value[second]) and any("-" in str(name) for name in value[first])
            return (
                f"'two_lists({first}, {second}) | lower_names'" if alike and f"{first}{second}".isidentifier() else ""
            )
        names = [str(name).lower() for name in value]
        if not any("-" in name or name in _FIELDS for name in names):
            return ""
        titled = all(re.fullmatch(_TITLED, str(name)) for name in value)
        form = _form_of_values(value.values(), "joined_by_name" if titled else "joined")
        cased = "title_names" if titled else "lower_names"
        return f"{form} | {cased}" if form in ("lists", "one_or_list", "joined_by_name") else form
    if not isinstance(value, list):
        return ""
    if all(isinstance(one, list) and len(one) == 2 for one in value):
        return "pairs"
    if all(isinstance(one, dict) and len(one) == 2 for one in value):
        name, text = list(value[0])
        if not all(isinstance(inner, str) for one in value for inner in one.values()):
            return ""
        if not any("-" in one.get(name, "") or one.get(name, "").lower() in _FIELDS for one in value):
            return ""
        return f"'records({name}, {text}) | lower_names'" if f"{name}{text}".isidentifier() else ""
    return _of_texts(value) if all(isinstance(one, str) for one in value) else ""


def _of_texts(texts: list[str]) -> str:
    """Return the form in which header fields may stand in a list of texts."""
    if all(re.match(r"[A-Za-z0-9_-]+: ", one) for one in texts):
        return "\"list_of_words(': ') | lower_names\""
    return "flat | lower_names" if not len(texts) % 2 and any("-" in name for name in texts[::2]) else ""
