"""What shims and stand-ins call around a handler: records, secrets, logs, the time that is left, being done and not."""

from __future__ import annotations

import contextvars
import importlib
import inspect
import json
import os
import re
import sys
import time
import traceback
from collections.abc import Callable, Iterable, Mapping
from typing import Any

# --- records, secrets, logs, time left -------------------------------------------------------------------------------


def renamed(record: dict[str, Any] | None, names: dict[str, str]) -> dict[str, Any] | None:
    """Return `record` with its keys renamed, or None for None; keys that `names` does not know are left out."""
    return None if record is None else {new: record[old] for old, new in names.items() if old in record}


def only_id(record: dict[str, Any] | None) -> str:
    """Return a principal's id, or an empty text for nobody."""
    return str(record.get("id", "")) if record else ""


def from_id(name: str | None) -> dict[str, Any] | None:
    """Return the principal of that id, without claims, or None for an empty one."""
    return {"id": name, "claims": {}} if name else None


def authority_of(environ: dict[str, Any]) -> str:
    """Return the authority that was asked for: the Host field, or the server's own name (PEP 3333)."""
    host: str = environ.get("HTTP_HOST", "")
    if host or "SERVER_NAME" not in environ:
        return host
    default = {"https": "443", "http": "80"}.get(environ.get("wsgi.url_scheme", ""))
    port = environ.get("SERVER_PORT", default)
    name: str = environ["SERVER_NAME"]
    return name if port == default else f"{name}:{port}"


def secret_from_environment(name: str) -> str:
    """Return a secret from the environment variable of its name."""
    try:
        return os.environ[name]
    except KeyError:
        raise KeyError(f"secret {name}: set the environment variable {name}") from None


def secret_from_file(name: str) -> str:
    """Return a secret from the file whose path the environment variable of its name holds."""
    with open(secret_from_environment(name), encoding="utf-8") as file:
        return file.read()


def from_module(module: str, name: str) -> Any:
    """Return what a module has under a name."""
    return getattr(importlib.import_module(module), name)


def variables() -> Mapping[str, str]:
    """Return the variables that there are."""
    return os.environ


def secret_of(name: str) -> str:
    """Return a secret by its name."""
    try:
        return variables()[name]
    except KeyError:
        raise KeyError(f"secret {name}: set the environment variable {name}") from None


def setting_of(name: str, *usual: Any) -> Any:
    """Return a variable's value, or what is usual; raises KeyError where neither is told."""
    if name not in variables() and not usual:
        raise KeyError(f"setting {name}: set the environment variable {name}")
    return variables().get(name, *usual)


class Settings:
    """The variables as attributes and by `get`; where they are `typed`, numbers and booleans are what they say."""

    def __init__(self, *, typed: bool = False) -> None:
        self._typed = typed

    def get(self, name: str, usual: Any = None) -> Any:
        value = variables().get(name)
        if value is None:
            return usual
        number = re.fullmatch(r"true|false|-?\d+(\.\d+)?", value) if self._typed else None
        return json.loads(value) if number else value

    def __getattr__(self, name: str) -> Any:
        if name not in variables():
            raise AttributeError(f"setting {name}: set the environment variable {name}")
        return self.get(name)

    def __getitem__(self, name: str) -> Any:
        if name not in variables():
            raise KeyError(f"setting {name}: set the environment variable {name}")
        return self.get(name)


def log_line(text: Any, **more: Any) -> None:
    """Write a line to standard error."""
    print(line_of(text, more), file=sys.stderr)


def secrets_in(folder: Any, end: str = "") -> Callable[[str], str]:
    """Return what gives a secret by its name from a folder in which each is a file, whose text ends in `end`."""
    return lambda name: (folder / name).read_text().removesuffix(end)


class SecretsFolder:
    """A folder, or a file in it, of which each file holds the secret of its name."""

    def __init__(self, secret: Callable[[str], str], end: str = "", name: str = "") -> None:
        self._secret, self._end, self.name = secret, end, name

    def __truediv__(self, name: str) -> SecretsFolder:
        return SecretsFolder(self._secret, self._end, name)

    def read_text(self, *_: Any, **__: Any) -> str:
        try:
            return f"{self._secret(self.name)}{self._end}"
        except KeyError as missing:
            raise FileNotFoundError(str(missing)) from None

    def read_bytes(self) -> bytes:
        return self.read_text().encode("utf-8")


def log_to(stream: Any) -> Callable[..., None]:
    """Return what writes a line of a log to `stream`."""

    def log(text: Any, **more: Any) -> None:
        stream.write(f"{line_of(text, more)}\n")

    return log


def text_log(write: Callable[[str], Any]) -> Callable[..., None]:
    """Return what writes a line to a log that takes text only."""

    def log(text: Any, **more: Any) -> None:
        write(line_of(text, more))

    return log


class LogStream:
    """A text stream whose lines go to a log."""

    __slots__ = ("_log",)

    def __init__(self, log: Callable[..., None]) -> None:
        self._log = log

    def write(self, text: str) -> int:
        for line in text.splitlines():
            self._log(line)
        return len(text)

    def writelines(self, lines: Iterable[str]) -> None:
        for line in lines:
            self.write(line)

    def flush(self) -> None:
        """Do nothing: every line is written at once."""


def line_of(text: Any, more: dict[str, Any]) -> str:
    """Return a line of a log: the text, and what came with it as JSON."""
    return f"{text} {json.dumps(more, default=str, ensure_ascii=False)}" if more else str(text)


def clock_from(limit: float) -> Callable[[], float]:
    """Return what tells the seconds that are left of `limit`, counted from now."""
    end = time.monotonic() + limit
    return lambda: max(0.0, end - time.monotonic())


# --- being done, and not ---------------------------------------------------------------------------------------------


class DeliverAgain(Exception):
    """Raised where a handler said that an event shall be delivered again, and there is no other way to tell."""


def raised_for(kind: type[Exception], told: Any, given: dict[str, Any]) -> Exception:
    """Return the error for what is not there, with what its class has to be given: by its name, or what was told."""
    try:
        every = list(inspect.signature(kind).parameters.values())
    except ValueError:  # it says nothing of what it takes
        every = []
    placed = (inspect.Parameter.POSITIONAL_ONLY, inspect.Parameter.POSITIONAL_OR_KEYWORD)
    needed = [one for one in every if one.default is one.empty and one.kind in placed]
    return kind(*(given.get(one.name, told) for one in needed))


def settled(done: dict[str, Any]) -> dict[str, Any]:
    """Return what a handler said; raise where events shall be delivered again."""
    if done["again"]:
        raise DeliverAgain(", ".join(map(str, done["again"])))
    return done


class Hosts:
    """What the handler that is running was called with, for calls of services that go by way of it.

    A thread that a handler begins by itself knows nothing of its call; it is given what was set last.
    """

    def __init__(self) -> None:
        self.here: contextvars.ContextVar[dict[str, Any]] = contextvars.ContextVar("here")
        self.last: dict[str, Any] = {}

    def set(self, given: dict[str, Any]) -> None:
        """Note what a handler is called with."""
        self.here.set(given)
        self.last = given

    def get(self) -> dict[str, Any]:
        """Return what the handler that is running was called with."""
        return self.here.get(self.last)


HOST = Hosts()


def wait_for(coroutine: Any, loop: Any) -> Any:
    """Return what an awaited call gives, to a handler that does not await and so runs in a thread of its own."""
    import asyncio

    return asyncio.run_coroutine_threadsafe(coroutine, loop).result()


def note_failure() -> None:
    """Print the error that is being handled: the event will come again, and someone will want to know why."""
    traceback.print_exc()


async def in_thread(handler: Callable[..., Any], *arguments: Any, **named: Any) -> Any:
    """Return what a handler answers that does not await, and so must not hold up those that do."""
    import asyncio

    return await asyncio.to_thread(handler, *arguments, **named)


def run_to_end(coroutine: Any) -> Any:
    """Return what an asynchronous handler answers, in an event loop of its own."""
    import asyncio

    return asyncio.run(coroutine)
