"""What translations of events call: times, words, keys, JSON, shapes of objects, and whether a value may stand."""

from __future__ import annotations

import base64
import decimal
import functools
import json
import os
import re
import subprocess
import sys
import tempfile
import time
import urllib.parse
import uuid
from collections.abc import Iterable, Iterator
from datetime import datetime, timedelta, timezone
from typing import Any

from vast_ferry.mapping.helpers.of_http import text_charset

# --- times -----------------------------------------------------------------------------------------------------------

EPOCH = datetime(1970, 1, 1, tzinfo=timezone.utc)  # noqa: UP017  (carried to older Pythons as well)


def time_from_epoch_ms(moment: int) -> str:
    """Return the RFC 3339 text of `moment`, in whole milliseconds since 1970, in UTC."""
    # Integer arithmetic: a float can't hold today's milliseconds with room to spare.
    return f"{second_of(moment // 1000)}.{moment % 1000:03d}Z"


@functools.lru_cache(maxsize=4096)
def second_of(seconds: int) -> str:
    """Return date and time of a second since 1970, in UTC; events come close together."""
    return (EPOCH + timedelta(seconds=seconds)).isoformat()[:19]


def epoch_ms_from_time(text: str) -> int:
    """Return whole milliseconds since 1970 of an RFC 3339 `text`, later digits cut off; 0 for an empty text."""
    if len(text) == 24 and text[-1] == "Z":  # as most are spelt
        since = datetime.fromisoformat(text[:-1] + "+00:00") - EPOCH
        return since.days * 86_400_000 + since.seconds * 1000 + since.microseconds // 1000
    return epoch_ns_from_time(text) // 1_000_000


def time_from_epoch_s(moment: int) -> str:
    """Return the RFC 3339 text of `moment`, in whole seconds since 1970, in UTC."""
    return f"{second_of(moment)}Z"


def epoch_s_from_time(text: str) -> int:
    """Return whole seconds since 1970 of an RFC 3339 `text`; 0 for an empty text."""
    return epoch_ns_from_time(text) // 1_000_000_000


def time_from_epoch_s_text(moment: str) -> str:
    """Return the RFC 3339 text of `moment`, whole seconds since 1970 as text, in UTC."""
    return time_from_epoch_s(int(moment))


def epoch_s_text_from_time(text: str) -> str:
    """Return whole seconds since 1970 of an RFC 3339 `text`, as text."""
    return str(epoch_s_from_time(text))


def time_from_epoch_ns(moment: int) -> str:
    """Return the RFC 3339 text of `moment`, in whole nanoseconds since 1970, in UTC."""
    return f"{second_of(moment // 1_000_000_000)}.{moment % 1_000_000_000:09d}Z"


def epoch_ns_from_time(text: str) -> int:
    """Return whole nanoseconds since 1970 of an RFC 3339 `text`, later digits cut off; 0 for an empty text."""
    if not text:
        return 0
    # Python's own datetime ends at microseconds, so the fraction is read apart.
    whole, mark, rest = text.partition(".")
    if not mark:
        return second_from(text) * 1_000_000_000
    fraction = rest[:-1]
    if not fraction.isdecimal():  # an offset follows
        digits = re.match(r"\d*", rest)
        fraction = digits[0] if digits else ""
    return second_from(whole + rest[len(fraction) :]) * 1_000_000_000 + int(fraction[:9].ljust(9, "0"))


@functools.lru_cache(maxsize=4096)
def second_from(text: str) -> int:
    """Return whole seconds since 1970 of an RFC 3339 text without a fraction; events come close together."""
    since = datetime.fromisoformat(text.replace("Z", "+00:00").replace("z", "+00:00")) - EPOCH
    return since.days * 86_400 + since.seconds


def now() -> str:
    """Return the present moment as RFC 3339 text in UTC, in milliseconds."""
    return time_from_epoch_ms(time.time_ns() // 1_000_000)


def new_id() -> str:
    """Return an identity that no other event has."""
    return uuid.uuid4().hex


# --- words, keys, values of events -----------------------------------------------------------------------------------


def word_of(words: dict[str, str], word: str) -> str:
    """Return what stands for `word`, or raise ValueError with the words that are known."""
    try:
        return words[word]
    except (KeyError, TypeError):
        raise ValueError(f"{word!r} is none of {', '.join(map(str, words))}") from None


def to_form_text(text: str) -> str:
    """Return a text percent-encoded as in a form: `+` for a space, slashes as they are."""
    return urllib.parse.quote_plus(text, safe="/")


def from_form_text(text: str) -> str:
    """Return the text that `to_form_text` encoded; bytes that are not UTF-8 raise."""
    return urllib.parse.unquote_plus(text, errors="strict")


def to_percent_text(text: str) -> str:
    """Return a text percent-encoded, slashes as they are (RFC 3986 section 2.1)."""
    return urllib.parse.quote(text, safe="/")


def to_segment(text: str) -> str:
    """Return a text percent-encoded as one segment of a path."""
    return urllib.parse.quote(text, safe="")


def from_percent_text(text: str) -> str:
    """Return the text that `to_percent_text` encoded; bytes that are not UTF-8 raise."""
    if (
        isinstance(text, str) and text.isascii()
    ):  # as `unquote` does with each part of a text that is ASCII, in half the time
        return urllib.parse.unquote_to_bytes(text).decode("utf-8")
    return urllib.parse.unquote(text, errors="strict")


def after_prefix(text: str, prefix: str) -> str:
    """Return what follows a fixed beginning, or raise ValueError."""
    if not text.startswith(prefix):
        raise ValueError(f"{text!r} does not begin with {prefix!r}")
    return text[len(prefix) :]


def text_or_null(text: str) -> str | None:
    """Return the text, or None where it is empty."""
    return text or None


def text_or_empty(text: str | None) -> str:
    """Return the text, or an empty one for None."""
    return "" if text is None else text


def mapping_or_null(mapping: dict[str, str]) -> dict[str, str] | None:
    """Return a mapping, or nothing where it is empty."""
    return mapping or None


def mapping_or_empty(mapping: dict[str, str] | None) -> dict[str, str]:
    """Return a mapping, empty where there is nothing."""
    return mapping or {}


def number_to_text(number: int | None) -> str:
    """Return a number as text, an empty one for None."""
    return "" if number is None else str(number)


def number_from_text(text: str | None) -> int | None:
    """Return the number that a text says, None for an empty one."""
    return int(text) if text else None


def json_to_text(value: Any) -> str:
    """Return a JSON value as text."""
    try:
        return json.dumps(value, ensure_ascii=False, separators=(",", ":"))
    except TypeError:
        return _exact_text(value)


def _exact_text(value: Any) -> str:
    """Return a JSON value as text whose decimals are to stand as they were written."""
    mark = uuid.uuid4().hex

    def marked(number: Any) -> str:
        if not isinstance(number, decimal.Decimal):
            raise TypeError(f"{type(number).__name__} is no JSON value")
        return f"{mark}{number}{mark}"

    text = json.dumps(value, ensure_ascii=False, separators=(",", ":"), default=marked)
    return re.sub(f'"{mark}([-+.0-9E]+){mark}"', r"\1", text)


def run_script(handler: Any, out: Any) -> None:
    """Call a handler with the environment and standard input, and write its answer where standard output was."""
    answer = handler(dict(os.environ), sys.stdin.buffer.read())
    if answer is not None:
        with out:
            out.write(answer)


def run_script_file(
    path: Any, hub: Any, env: dict[str, str], stdin: bytes, services: tuple[dict[str, Any], dict[str, str]]
) -> bytes:
    """Run a script with an event, and return what it printed; raise RuntimeError where it did not end well.

    Where services are a folder, it holds the object that the event tells of; what the script changes there is done to
    the services, in the order of names. `services` are the operations on them, and how the folder is laid out.
    """
    operate, mount = services
    with tempfile.TemporaryDirectory() as mounted:
        before: dict[str, bytes] = {}
        given = {**os.environ, **env}
        if mount:
            given[mount["variable"]] = mounted
            for name in (mount["objects"], mount["messages"], mount.get("records") or "."):
                os.makedirs(os.path.join(mounted, name), exist_ok=True)
            if mount["objects"] and "bucket" in hub:
                content = operate["object.read"]({"bucket": hub["bucket"], "key": hub["key"]})
                place = os.path.join(mount["objects"], hub["bucket"], hub["key"])
                if content is not None and os.path.normpath(place) == place:
                    os.makedirs(os.path.dirname(os.path.join(mounted, place)), exist_ok=True)
                    with open(os.path.join(mounted, place), "wb") as file:
                        file.write(content)
                    before[place] = content
        done = subprocess.run(
            [sys.executable, os.fspath(path)],
            input=stdin,
            env=given,
            cwd=os.path.dirname(path),
            capture_output=True,
            check=False,
        )
        sys.stderr.write(done.stderr.decode("utf-8", "replace"))
        if done.returncode:
            raise RuntimeError(f"the script ended with status {done.returncode}")
        if mount:
            note_changes(mounted, before, operate, mount)
        return done.stdout


def note_changes(mounted: str, before: dict[str, bytes], operate: dict[str, Any], mount: dict[str, str]) -> None:
    """Do to the services what a script did to the files of a folder."""
    after: dict[str, bytes] = {}
    for top, _, names in os.walk(mounted):
        for name in names:
            full = os.path.join(top, name)
            if os.path.isfile(full) and not os.path.islink(full):
                with open(full, "rb") as file:
                    after[os.path.relpath(full, mounted)] = file.read()
    for place in sorted({*after, *before}):
        kind, _, rest = place.partition(os.sep)
        first, _, name = rest.partition(os.sep)
        if not name or after.get(place) == before.get(place):
            continue
        if kind == mount["objects"] and place in after:
            written = {"bucket": first, "key": name, "body": after[place], "content_type": "", "labels": {}}
            operate["object.write"](written)
        elif kind == mount["objects"]:
            operate["object.delete"]({"bucket": first, "key": name})
        elif kind == mount.get("records") and kind and place in after:
            keys = json.loads(urllib.parse.unquote(name.removesuffix(".json")))
            operate["record.write"]({"table": first, "keys": keys, "record": json.loads(after[place])})
        elif kind == mount["messages"] and place in after:
            sent = {"channel": first, "body": after[place], "content_type": "", "attributes": {}, "group": ""}
            operate["message.send"](sent)


def json_from_text(text: str | None) -> Any:
    """Return the JSON value of a text, None for an empty one."""
    return json.loads(text) if text else None


def json_to_ascii(value: Any) -> str:
    """Return a JSON value as text in ASCII."""
    return json.dumps(value, separators=(",", ":"))


def exact_from_text(text: str | None) -> Any:
    """Return the JSON value of a text, its decimals as they were written, None for an empty text."""
    return EXACT.decode(text) if text else None


EXACT = json.JSONDecoder(parse_float=decimal.Decimal)


def json_to_bytes(value: Any) -> bytes:
    """Return a JSON value as UTF-8 bytes."""
    return json_to_text(value).encode()


def json_from_bytes(body: bytes) -> Any:
    """Return the JSON value of UTF-8 bytes, None for none."""
    return json.loads(body) if body else None


def to_lists(pairs: Iterable[tuple[str, str]]) -> dict[str, list[str]]:
    """Return each name's values, in order."""
    lists: dict[str, list[str]] = {}
    for name, value in pairs:
        lists.setdefault(name, []).append(value)
    return lists


def from_lists(lists: dict[str, list[str]] | None) -> list[tuple[str, str]]:
    """Return the pairs of a mapping from names to lists of values."""
    return [(name, value) for name, values in (lists or {}).items() for value in values]


def data_or_base64(body: bytes, content_type: str) -> tuple[Any, str | None]:
    """Return (value, None) for JSON or text that gives back the very same bytes, else (None, Base64)."""
    charset = text_charset(content_type)
    try:
        if charset and body:
            text = body.decode(charset)
            if "json" not in content_type.lower():
                if text.encode("utf-8") == body:
                    return text, None
            else:
                value = json.loads(text)
                if value is not None and json_to_text(value).encode() == body:
                    return value, None
    except (ValueError, LookupError, RecursionError):
        pass
    return None, base64.b64encode(body).decode("ascii")


def body_from_data(data: Any, packed: str | None, content_type: str) -> bytes:
    """Return the bytes of a content given as a JSON value or text, or as Base64."""
    if packed is not None:
        return base64.b64decode(packed, validate=True)
    if isinstance(data, str) and "json" not in content_type.lower():
        return data.encode()
    return b"" if data is None else json_to_text(data).encode()


def extensions_of(event: dict[str, Any], known: tuple[str, ...]) -> dict[str, Any]:
    """Return the attributes of an event that are none of the known ones."""
    names = name_set(known)
    return {name: event[name] for name in event if name not in names}


@functools.lru_cache(maxsize=64)
def name_set(names: tuple[str, ...]) -> frozenset[str]:
    """Return names as a set."""
    return frozenset(names)


def as_extensions(extensions: dict[str, Any], known: tuple[str, ...]) -> dict[str, Any]:
    """Return extension attributes as they stand in an event, or raise ValueError for a name that is taken or wrong."""
    for name in extensions:
        if name in known or not re.fullmatch(r"[a-z0-9]+", name):
            raise ValueError(f"{name!r} can't be the name of an extension (CloudEvents 1.0: a-z, 0-9, and not taken)")
    return extensions


# --- shapes that objects have ----------------------------------------------------------------------------------------


class PairsByName:
    """Ordered (name, value) pairs that may repeat, looked up by name."""

    __slots__ = ("_pairs",)

    def __init__(self, pairs: Iterable[tuple[str, str]]) -> None:
        self._pairs = list(pairs)

    def __iter__(self) -> Iterator[str]:
        return iter(dict.fromkeys(name for name, _ in self._pairs))

    def __contains__(self, name: object) -> bool:
        return any(key == name for key, _ in self._pairs)

    def __len__(self) -> int:
        return len(self._pairs)

    def _first(self, name: str, otherwise: str | None = None) -> str | None:
        for key, value in self._pairs:
            if key == name:
                return value
        return otherwise

    def _every(self, name: str) -> list[str]:
        return [value for key, value in self._pairs if key == name]

    def _all(self) -> list[tuple[str, str]]:
        return list(self._pairs)


class PairsByNameNoCase(PairsByName):
    """Ordered pairs looked up by name without case, as header fields are."""

    __slots__ = ()

    def __contains__(self, name: object) -> bool:
        return isinstance(name, str) and any(key.lower() == name.lower() for key, _ in self._pairs)

    def _first(self, name: str, otherwise: str | None = None) -> str | None:
        name = name.lower()
        for key, value in self._pairs:
            if key.lower() == name:
                return value
        return otherwise

    def _every(self, name: str) -> list[str]:
        return [value for key, value in self._pairs if key.lower() == name.lower()]


# --- is a value what its field holds? --------------------------------------------------------------------------------


def gently(value: Any, *steps: str | int) -> Any:
    """Return what stands at a place that may not be there: items by their keys, attributes by `.name`."""
    for step in steps:
        try:
            value = getattr(value, step[1:]) if isinstance(step, str) and step.startswith(".") else value[step]
        except (AttributeError, KeyError, IndexError, TypeError):
            return None
    return value


def all_pairs(value: Any) -> bool:
    """Tell whether a value is a list of pairs of text."""
    for pair in value:
        if len(pair) != 2 or pair[0].__class__ is not str or pair[1].__class__ is not str:
            return False
    return value.__class__ is list


def all_texts(value: Any) -> bool:
    """Tell whether a value is a mapping from text to text."""
    return value.__class__ is dict and all_text(list(value.values()))


def all_text(value: Any) -> bool:
    """Tell whether a value is a list of text."""
    for one in value:
        if one.__class__ is not str:
            return False
    return value.__class__ is list
