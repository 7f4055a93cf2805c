"""CloudEvents 1.0: the rules for context attributes, and events as HTTP messages in each of the three modes.

An event is a mapping as the JSON event format has it. Nothing here knows what a profile says of events.
"""

from __future__ import annotations

import base64
import json
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from operator import itemgetter
from typing import Any, Final, Literal
from urllib.parse import quote, unquote, urlsplit

from vast_ferry.hub.fields import Pairs
from vast_ferry.hub.findings import BadInput
from vast_ferry.mapping.helpers import json_to_bytes

Mode = Literal["binary", "structured", "batched"]
MODES: Final = ("binary", "structured", "batched")
#: Media types of the structured and the batched mode (JSON event format §3, §4).
STRUCTURED: Final = "application/cloudevents+json"
BATCHED: Final = "application/cloudevents-batch+json"

#: Attributes and members that are no extensions.
KNOWN: Final = ("specversion", "id", "source", "type", "datacontenttype", "dataschema", "subject", "time")
DATA: Final = ("data", "data_base64")

_NAME = re.compile(r"[a-z0-9]+")
#: RFC 3339 §5.6; a leap second is allowed.
_TIME = re.compile(
    r"\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])[Tt]([01]\d|2[0-3]):[0-5]\d:([0-5]\d|60)(\.\d+)?"
    r"([Zz]|[+-]([01]\d|2[0-3]):[0-5]\d)"
)
_MEDIA = re.compile(r"[\w!#$&^.+-]+/[\w!#$&^.+*-]+(\s*;.*)?", re.ASCII | re.DOTALL)
#: CloudEvents §2.4: a String holds no control characters, no half surrogates, no code points that are no characters.
_FORBIDDEN = re.compile("[\x00-\x1f\x7f-\x9f\ud800-\udfff\ufdd0-\ufdef\ufffe\uffff]")
#: HTTP binding §3.1.3.2: characters that stand for themselves in a header value.
_SAFE = "".join(chr(code) for code in range(0x21, 0x7F) if chr(code) not in '"%')


def _is_reference(text: str) -> bool:
    try:
        urlsplit(text)
    except ValueError:
        return False
    return re.search(r'[\s<>"{}|\\^`]', text) is None


def _is_absolute(text: str) -> bool:
    return _is_reference(text) and re.match(r"[A-Za-z][A-Za-z0-9+.-]*:.", text) is not None


#: attribute → (whether it must be there, what holds of its text, what it must be)
_RULES: Final[Mapping[str, tuple[bool, Callable[[str], object], str]]] = {
    "specversion": (True, lambda text: text == "1.0", '"1.0"'),
    "id": (True, bool, "a text that is not empty"),
    "source": (True, lambda text: text and _is_reference(text), "a URI reference that is not empty (RFC 3986 §4.1)"),
    "type": (True, bool, "a text that is not empty"),
    "datacontenttype": (False, _MEDIA.fullmatch, "a media type (RFC 2046)"),
    "dataschema": (False, _is_absolute, "an absolute URI (RFC 3986 §4.3)"),
    "subject": (False, bool, "a text that is not empty"),
    "time": (False, _TIME.fullmatch, "a timestamp (RFC 3339)"),
}


def problems(event: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    """Yield (member, what is wrong with it) for each rule of CloudEvents 1.0 that an event breaks (§3.1, §2.4)."""
    for name, (required, good, must) in _RULES.items():
        value = event.get(name)
        if value is None:  # JSON event format §2.2: null is as if it were not there
            if required:
                yield name, "is missing"
        elif not isinstance(value, str) or not good(value):
            yield name, f"is {_brief(value)}; it must be {must}"
        elif _FORBIDDEN.search(value):
            yield name, f"is {_brief(value)}, which holds a character that no attribute may hold"
    for name, value in event.items():
        if name not in KNOWN and name not in DATA and (wrong := _wrong_extension(name, value)):
            yield name, wrong
    if event.get("data") is not None and event.get("data_base64") is not None:
        yield "data_base64", "stands beside data; an event has one of them"
    packed = event.get("data_base64")
    if packed is not None and (not isinstance(packed, str) or not _is_base64(packed)):
        yield "data_base64", f"is {_brief(packed)}; it must be Base64 (RFC 4648 §4)"


def _wrong_extension(name: str, value: Any) -> str:
    """Return what is wrong with an extension attribute; nothing where nothing is."""
    if not _NAME.fullmatch(name):
        return "can't be the name of an extension: lower-case letters and digits only"
    if isinstance(value, bool) or value is None:
        return ""
    if isinstance(value, int):
        return "" if -(2**31) <= value < 2**31 else f"is {value}; an Integer has 32 bits"
    if not isinstance(value, str):
        return f"is {_brief(value)}; an extension is a text, a whole number, true or false"
    return f"is {_brief(value)}, which holds a character that no attribute may hold" * bool(_FORBIDDEN.search(value))


_PLAIN_BASE64 = re.compile(r"(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?")
_PLAIN_REFERENCE = re.compile(r"[A-Za-z0-9/_.~:%-]+")


#: What looks at the values of events that have the same members, in the same order, as those before them.
_QUICK: dict[tuple[str, ...], Callable[[Mapping[str, Any]], bool]] = {}
#: Values that were found good before: events have the same ones again and again.
_GOOD: dict[str, set[str]] = {"source": set(), "datacontenttype": set()}
_FULL = 1000


def keeps_rules(event: Mapping[str, Any]) -> bool:
    """Tell whether an event surely keeps every rule: a quick look, after which `problems` says what is wrong."""
    names = tuple(event)
    quick = _QUICK.get(names)
    if quick is None:
        quick = _looker(names)
        if len(_QUICK) < _FULL:
            _QUICK[names] = quick
    try:
        return quick(event)
    except TypeError:  # a value that is no text where one must stand
        return False


def _is_plain(name: str, value: str, form: re.Pattern[str]) -> bool:
    if not (value.__class__ is str and value.isprintable() and form.fullmatch(value)):
        return False
    if len(_GOOD[name]) < _FULL:
        _GOOD[name].add(value)
    return True


def _is_plain_base64(value: Any) -> bool:
    return value.__class__ is str and _PLAIN_BASE64.fullmatch(value) is not None


def _is_plain_extension(value: Any) -> bool:
    """Tell whether an extension's value surely keeps the rules."""
    kind = value.__class__
    if kind is str:
        return bool(value.isprintable())
    return kind is bool or (kind is int and -(2**31) <= value < 2**31)


def _surely_named(names: set[str], extensions: list[str]) -> bool:
    """Tell whether an event with just these members surely has all that it must have, under names that may be."""
    there = {"specversion", "id", "source", "type"} <= names and "dataschema" not in names
    return there and not set(DATA) <= names and all(_NAME.fullmatch(name) for name in extensions)


def _looker(names: tuple[str, ...]) -> Callable[[Mapping[str, Any]], bool]:
    """Return what tells whether the values of an event with just these members surely keep the rules."""
    extensions = [name for name in names if name not in _RULES and name not in DATA]
    if not _surely_named(set(names), extensions):
        return lambda event: False
    # What is printable holds no control character, no surrogate, and nothing that is no character.
    texts = [name for name in ("id", "type", "subject", "time") if name in names]
    sources, media = _GOOD["source"], _GOOD["datacontenttype"]
    of_texts, timed, typed = itemgetter(*texts), "time" in names, "datacontenttype" in names
    packed = "data_base64" in names

    def look(event: Mapping[str, Any]) -> bool:
        if event["specversion"] != "1.0":
            return False
        values = of_texts(event)
        source = event["source"]
        if not (all(values) and "".join(values).isprintable() and (source in sources or is_source(source))):
            return False
        if extensions and not all(_is_plain_extension(event[name]) for name in extensions):
            return False
        if packed and not _is_plain_base64(event["data_base64"]):
            return False
        if typed and not (event["datacontenttype"] in media or is_media(event["datacontenttype"])):
            return False
        return not timed or _TIME.fullmatch(event["time"]) is not None

    def is_source(value: str) -> bool:
        return _is_plain("source", value, _PLAIN_REFERENCE)

    def is_media(value: str) -> bool:
        return _is_plain("datacontenttype", value, _MEDIA)

    return look


def _is_base64(text: str) -> bool:
    try:
        base64.b64decode(text, validate=True)
    except ValueError:
        return False
    return True


def _brief(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=True, default=str)
    return text if len(text) <= 60 else f"{text[:57]}…"


# --- HTTP messages ---------------------------------------------------------------------------------------------------


def is_json_type(content_type: str) -> bool:
    """Tell whether content of a type is JSON (JSON event format §3.1); without a type it is."""
    media = content_type.partition(";")[0].strip().lower()
    return not media or media.endswith("/json") or media.endswith("+json")


def _header(name: str, value: Any) -> tuple[str, str]:
    """Return an attribute as the header field that it is in the binary mode (HTTP binding §3.1.3)."""
    text = ("true" if value else "false") if isinstance(value, bool) else str(value)
    return ("content-type", text) if name == "datacontenttype" else (f"ce-{name}", quote(text, safe=_SAFE))


def to_http(events: Sequence[Mapping[str, Any]], mode: Mode) -> tuple[Pairs, bytes]:
    """Return header fields and content of the HTTP message that carries events: one, or with `batched` any number.

    Raises ValueError where the mode can't carry them.
    """
    if mode == "batched":
        return [("content-type", f"{BATCHED}; charset=utf-8")], _encoded(list(events))
    if len(events) != 1:
        raise ValueError(f"the {mode} mode carries one event a message, not {len(events)}")
    event = events[0]
    if mode == "structured":
        return [("content-type", f"{STRUCTURED}; charset=utf-8")], _encoded(event)
    headers = [_header(name, value) for name, value in event.items() if name not in DATA and value is not None]
    if event.get("data_base64") is not None:
        return headers, base64.b64decode(event["data_base64"])
    if "data" not in event:
        return headers, b""
    named = event.get("datacontenttype") or ""
    if isinstance(event["data"], str) and not is_json_type(named):
        return headers, event["data"].encode("utf-8")
    if not named:  # JSON event format §3.1: data without a type is JSON; in this mode it must be named
        headers.append(("content-type", "application/json"))
    return headers, _encoded(event["data"])


def _encoded(value: Any) -> bytes:
    return json_to_bytes(value)


def from_http(headers: Pairs, body: bytes, parse: Callable[[bytes], Any] = json.loads) -> list[dict[str, Any]]:
    """Return the events that an HTTP message carries, in whichever mode (HTTP binding §3).

    In the binary mode every attribute is a text, for headers say no more. Raises ValueError for what is none of the
    modes, or is broken.
    """
    named = {name.lower(): value for name, value in headers}
    media = named.get("content-type", "").partition(";")[0].strip().lower()
    if media == BATCHED:
        events = parse(body)
        if not isinstance(events, list) or not all(isinstance(event, dict) for event in events):
            raise ValueError("the content of a batched message is a list of events")
        return events
    if media == STRUCTURED:
        event = parse(body)
        if not isinstance(event, dict):
            raise ValueError("the content of a structured message is one event")
        return [event]
    event = {name[3:]: _header_text(value) for name, value in named.items() if name.startswith("ce-")}
    if "specversion" not in event:
        raise ValueError("it has neither the content type of an event nor a ce-specversion field")
    content_type = named.get("content-type", "")
    if content_type:
        event["datacontenttype"] = content_type
    if not body:
        return [event]
    try:
        event["data"] = parse(body) if content_type and is_json_type(content_type) else body.decode("utf-8")
    except (ValueError, BadInput):  # not what its type says: then these bytes are all that is known of it
        event["data_base64"] = base64.b64encode(body).decode("ascii")
    return [event]


def _header_text(value: str) -> str:
    """Return an attribute's text: a quoted string is unquoted, then percent-decoded once (HTTP binding §3.1.3.2)."""
    value = value.strip(" \t")
    if len(value) > 1 and value[0] == value[-1] == '"':
        value = re.sub(r"\\(.)", r"\1", value[1:-1])
    return unquote(value, errors="strict")
