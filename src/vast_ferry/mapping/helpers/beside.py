"""Small functions that stand in an author's own file, each with what it imports; written out as they stand here."""

# ruff: noqa: UP017  (handlers run on older versions, and their authors annotate as they like)
# mypy: disable-error-code="no-untyped-def, no-untyped-call, var-annotated"

import asyncio
import functools
import inspect
import types
from datetime import datetime, timedelta, timezone


def milliseconds_of(time):
    """Return whole milliseconds since 1970 of an RFC 3339 text; 0 where it is empty."""
    if not time:
        return 0
    since = datetime.fromisoformat(time.replace("Z", "+00:00")) - datetime.fromtimestamp(0, timezone.utc)
    return since // timedelta(milliseconds=1)


def nanoseconds_of(time):
    """Return whole nanoseconds since 1970 of an RFC 3339 text; 0 where it is empty."""
    if not time:
        return 0
    whole, _, rest = time.partition(".")
    zone = rest.lstrip("0123456789")
    digits = rest[: len(rest) - len(zone)]
    moment = datetime.fromisoformat((whole + zone).replace("Z", "+00:00"))
    return int(moment.timestamp()) * 1_000_000_000 + int(digits[:9].ljust(9, "0"))


def seconds_of(time):
    """Return whole seconds since 1970 of an RFC 3339 text; 0 where it is empty."""
    if not time:
        return 0
    since = datetime.fromisoformat(time.replace("Z", "+00:00")) - datetime.fromtimestamp(0, timezone.utc)
    return since // timedelta(seconds=1)


def time_of_nanoseconds(moment):
    """Return the RFC 3339 text of nanoseconds since 1970."""
    seconds, rest = divmod(moment, 1_000_000_000)
    return f"{datetime.fromtimestamp(seconds, timezone.utc):%Y-%m-%dT%H:%M:%S}.{rest:09d}Z"


def time_of_milliseconds(moment):
    """Return the RFC 3339 text of milliseconds since 1970."""
    time = datetime.fromtimestamp(moment / 1000, timezone.utc)
    return time.isoformat(timespec="milliseconds").replace("+00:00", "Z")


def time_of_seconds(moment):
    """Return the RFC 3339 text of seconds since 1970."""
    time = datetime.fromtimestamp(int(moment), timezone.utc)
    return time.isoformat().replace("+00:00", "Z")


def read_again(content):
    """Return a stream of which every read begins at the content's start."""
    return types.SimpleNamespace(read=lambda size=-1: content if size < 0 else content[:size])


def received_again(content):
    """Return a coroutine function that gives the whole content of a request at every call."""

    async def receive():
        return {"type": "http.request", "body": content, "more_body": False}

    return receive


def run_to_end(function):
    """Return a plain function that runs a coroutine function to its end, in an event loop of its own."""

    @functools.wraps(function)
    def call(*args, **kwargs):
        made = function(*args, **kwargs)
        return asyncio.run(made) if inspect.iscoroutine(made) else made

    return call


async def read_body(receive):
    """Return the whole content of a request; raise where the client went away before its end."""
    parts = []
    while True:
        message = await receive()
        if message["type"] != "http.request":
            raise ConnectionError("the client went away before its request was complete")
        parts.append(message.get("body", b""))
        if not message.get("more_body"):
            return b"".join(parts)


def first_values(pairs):
    """Return the first value of each name, the names in their own order."""
    found = {}
    for name, value in pairs:
        found.setdefault(name, value)
    return found


def cookie_pairs(field):
    """Return the cookie-pairs of a Cookie field (RFC 6265 section 4.2.1)."""
    return [pair.strip() for pair in field.split(";")] if field else []


def required(value, name):
    """Return a value by name; raises KeyError where there is none."""
    if value is None:
        raise KeyError(name)
    return value


def joined_fields(pairs):
    """Return header fields as a mapping, values of one name joined (RFC 9110 section 5.3), and no cookies."""
    found = {}
    for name, value in pairs:
        if name.lower() != "set-cookie":
            found[name.lower()] = f"{found[name.lower()]}, {value}" if name.lower() in found else value
    return found


def cookies_set(pairs):
    """Return the values of the Set-Cookie fields, which can't be joined (RFC 6265 section 3)."""
    return [value for name, value in pairs if name.lower() == "set-cookie"]


def in_lists(pairs):
    """Return header fields as a mapping from each name to the list of its values."""
    found = {}
    for name, value in pairs:
        found.setdefault(name.lower(), []).append(value)
    return found


def flat_fields(pairs):
    """Return header fields as one list, in which names and values alternate."""
    return [text for pair in pairs for text in pair]
