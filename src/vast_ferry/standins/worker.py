"""The worker process: imports one handler and calls it, again and again, as its provider would.

Loaded by the keeper, by path, and forked from it: it needs nothing but the standard library, so that what runs in it is
the handler's world and not ours. It talks over one socket, in frames: the sizes of a JSON text and of the bytes that it
speaks of, the text, the bytes. Every answer begins with a mark that was told with the setup:
whatever else a handler may write there is no answer. What the handler prints goes to a file and comes back with the
answer.
"""

from __future__ import annotations

import asyncio
import atexit
import collections
import concurrent.futures
import contextlib
import csv
import dataclasses
import datetime
import decimal
import email.message
import functools
import hashlib
import hmac
import html
import http.client
import importlib
import importlib.util
import itertools
import json
import logging
import marshal
import os
import pathlib
import random
import re
import secrets
import select
import socket
import sqlite3
import ssl
import struct
import subprocess
import sys
import tempfile
import threading
import time
import traceback
import types
import typing
import urllib.parse
import urllib.request
import uuid
from collections.abc import Callable
from typing import Any

#: Loaded for handlers, most of which import some of them.
PRELOADED = (
    asyncio, collections, concurrent.futures, csv, dataclasses, datetime, decimal, email.message, functools, hmac, html,
    itertools, logging, pathlib, re, secrets, sqlite3, subprocess, typing, urllib.parse, urllib.request, uuid,
)  # fmt: skip

#: Of what a handler prints, so much is kept; of an error's message so much, and a digest of the whole.
MOST_OUTPUT = 65_536
MOST_MESSAGE = 100_000
#: Sizes of a frame's text and of its bytes, and what stands for bytes in the text.
HEAD = struct.Struct("!IQ8s")
#: So many bytes are taken off a socket at once, and so many are put together for it.
PIECE = 1 << 16
#: What goes on after a handler has answered is waited for so long, in seconds.
GRACE = 0.5


class Line:
    """The near end of the talk with the tool: frames in and out."""

    def __init__(self, descriptor: int) -> None:
        # High up, where what closes or fills the low numbers does not reach.
        self.socket = socket.socket(fileno=os.dup2(descriptor, 700, inheritable=False))
        if descriptor != 700:
            os.close(descriptor)
        self.mark = b""
        self._ahead = b""  # what came with the message before: calls may be sent ahead
        # To make one of these costs as much as a small message.
        self._decoder = json.JSONDecoder(object_hook=self._with_bytes)
        self._encoder = json.JSONEncoder(default=self._apart)
        self._key, self._content = "", memoryview(b"")
        self._parts: list[bytes] = []
        self._size = 0

    def _exactly(self, size: int) -> bytes:
        if len(self._ahead) < size:
            data = bytearray(self._ahead)
            while len(data) < size:
                got = self.socket.recv(PIECE)
                if not got:
                    os._exit(0)  # the tool has gone
                data += got
            self._ahead = bytes(data)
        wanted, self._ahead = self._ahead[:size], self._ahead[size:]
        return wanted

    def more(self) -> bool:
        """Tell whether something of the next message is there already."""
        return bool(self._ahead) or bool(select.select([self.socket], [], [], 0)[0])

    def receive(self) -> Any:
        """Return the next message."""
        text, blob, mark = HEAD.unpack(self._exactly(HEAD.size))
        self._key, data, self._content = mark.hex(), self._exactly(text), memoryview(self._exactly(blob))
        return self._decoder.decode(str(data, "utf-8"))

    def _with_bytes(self, found: dict[str, Any]) -> Any:
        at = found.get(self._key)
        return found if at is None else bytes(self._content[at[0] : at[0] + at[1]])

    def send(self, message: dict[str, Any]) -> None:
        """Send an answer."""
        mark = secrets.token_bytes(8)
        self._key, self._parts, self._size = mark.hex(), [], 0
        text = self._encoder.encode(message).encode("ascii")
        head = self.mark + HEAD.pack(len(text), self._size, mark) + text
        if self._size < PIECE:
            self.socket.sendall(b"".join((head, *self._parts)))
            return
        for part in (head, *self._parts):
            self.socket.sendall(part)

    def _apart(self, value: Any) -> Any:
        if not isinstance(value, bytes):
            raise TypeError(f"{type(value).__name__} is no JSON value")
        self._parts.append(value)
        self._size += len(value)
        return {self._key: [self._size - len(value), len(value)]}


def load(setup: dict[str, Any], folder: str) -> Callable[..., Any]:
    """Return the handler, imported from its project."""
    sys.path.insert(0, folder)
    os.chdir(folder)
    make_way(folder)
    path = os.path.join(folder, setup["file"])
    if setup["importable"]:
        module = importlib.import_module(setup["module"])
    else:
        spec = importlib.util.spec_from_file_location("handler_file", path)
        if spec is None or spec.loader is None:
            raise ImportError(f"{setup['file']} can't be imported")
        module = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(module)
    handler: Callable[..., Any] = getattr(module, setup["name"])
    return handler


def make_way(folder: str) -> None:
    """Forget modules of the standard library whose names the project has too: its own come first, as at a provider."""
    with contextlib.suppress(OSError):
        own = {name.partition(".")[0] for name in os.listdir(folder)} & {module.__name__ for module in PRELOADED}
        for name in [name for name in sys.modules if name.partition(".")[0] in own]:
            del sys.modules[name]


def divert_network(services: Any) -> Any:
    """Answer what goes through `http.client` (and `urllib`) from the sample; refuse every other connection."""
    outbound = services.module.Outbound(services.note)

    def connect(self: Any, scheme: str) -> None:
        host, port = self._tunnel_host or self.host, self._tunnel_port if self._tunnel_host else self.port
        self.sock = outbound.wire(scheme, host, None if port == {"http": 80, "https": 443}[scheme] else port)

    def refuse(self: Any, address: Any) -> None:
        raise ConnectionRefusedError(f"a stand-in has no network, and {address!r} was asked for")

    # Nothing goes out, so the certificates that are trusted need not be read anew for each connection: it takes 50 ms.
    ssl._create_default_https_context = functools.lru_cache(maxsize=1)(  # type: ignore[assignment]
        ssl._create_default_https_context
    )
    http.client.HTTPConnection.connect = lambda self: connect(self, "http")  # type: ignore[method-assign]
    http.client.HTTPSConnection.connect = lambda self: connect(self, "https")  # type: ignore[method-assign]
    socket.socket.connect = socket.socket.connect_ex = refuse  # type: ignore[method-assign,assignment]
    return outbound


class Unseen:
    """What a handler starts that no stand-in can see: other programs, threads that go on, what runs at exit.

    Each is kept with the line of the project that starts it.
    """

    _PROGRAMS: typing.ClassVar = {
        "subprocess.Popen": "starts another program",
        "os.system": "starts another program",
        "os.posix_spawn": "starts another program",
        "os.exec": "becomes another program",
        "os.fork": "starts another process",
        "os.forkpty": "starts another process",
    }

    def __init__(self, folder: str, scratch: str, brought: list[str], *, contained: bool) -> None:
        self.folder, self.scratch, self.contained = folder, scratch, contained
        self.brought = frozenset(brought)  # files that are not the author's: what they start is known
        self.found: dict[str, str] = {}
        self.ours = False  # while this process itself forks
        self._threads: dict[int, str] = {}
        sys.addaudithook(self._heard)
        start, register = threading.Thread.start, atexit.register

        def started(thread: Any) -> None:
            self._threads[id(thread)] = self._place()
            start(thread)

        def registered(function: Any, *arguments: Any, **named: Any) -> Any:
            if sys._getframe(1).f_code.co_filename.startswith(self.folder + os.sep):  # not what a library does
                self._add("leaves something to be done at exit")
            return register(function, *arguments, **named)

        threading.Thread.start = started  # type: ignore[method-assign,assignment]
        atexit.register = registered  # type: ignore[assignment]

    def _place(self) -> str:
        frame = sys._getframe(1)
        while frame is not None:
            name = frame.f_code.co_filename
            if name.startswith(self.folder + os.sep):
                path = os.path.relpath(name, self.folder)
                return "" if path in self.brought else f"{path}:{frame.f_lineno}"
            frame = frame.f_back  # type: ignore[assignment]
        return ""

    def _add(self, what: str) -> None:
        place = self._place()
        if place:  # what a library does at its own import is not the handler's
            self.found.setdefault(what, place)

    def _heard(self, event: str, arguments: tuple[Any, ...]) -> None:
        if event in self._PROGRAMS:
            if not self.ours:
                self._add(self._PROGRAMS[event])
        elif event == "open" and not self.contained and isinstance(arguments[2], int):
            path = arguments[0]
            if arguments[2] & (os.O_WRONLY | os.O_RDWR) and isinstance(path, str):
                full = os.path.realpath(path)
                if not full.startswith((self.folder + os.sep, self.scratch + os.sep, "/dev/")):
                    self._add("writes files outside of its project")

    def going_on(self) -> list[Any]:
        """Return the threads that a handler left, but for those that only wait for work."""
        frames = sys._current_frames()
        left = []
        for thread in threading.enumerate():
            frame = frames.get(thread.ident or 0)
            waits = frame is not None and frame.f_code.co_filename.endswith(("concurrent/futures/thread.py",))
            if thread is not threading.main_thread() and not waits:
                left.append(thread)
        return left

    def wait(self) -> bool:
        """Wait a little for threads that go on; tell whether any still does."""
        left = self.going_on()
        end = time.monotonic() + GRACE
        for thread in left:
            place = self._threads.get(id(thread), thread.name)
            if place:
                self.found.setdefault("leaves a thread that goes on", place)
            thread.join(max(0.0, end - time.monotonic()))
        return any(thread.is_alive() for thread in left)

    def taken(self) -> list[list[str]]:
        """Return what was found since last asked: what and where."""
        found, self.found = self.found, {}
        return sorted([what, place] for what, place in found.items())


class Reach:
    """Which lines of the project a call runs, as pairs of lines that follow each other, measured by `coverage`."""

    def __init__(self, folder: str) -> None:
        import coverage

        self._folder = folder
        self._coverage = coverage.Coverage(
            data_file=None, config_file=False, branch=True, include=[f"{folder}/*"], messages=False
        )
        self._coverage.set_option(
            "run:disable_warnings", ["no-data-collected", "trace-changed", "module-not-measured", "couldnt-parse"]
        )
        self._coverage.start()
        self._number = 0
        self._coverage.switch_context("0")  # each call has one: to erase takes ten times as long

    def taken(self) -> dict[str, list[list[int]]]:
        """Return what ran since last asked: path from the project's folder → pairs of lines."""
        data = self._coverage.get_data()
        data.set_query_context(str(self._number))
        found = {
            os.path.relpath(path, self._folder): sorted(map(list, data.arcs(path) or ()))
            for path in data.measured_files()
        }
        self._number += 1
        self._coverage.switch_context(str(self._number))
        return {path: arcs for path, arcs in found.items() if arcs}


def script(setup: dict[str, Any], folder: str, services: Any, unseen: Unseen) -> Callable[..., Any]:
    """Return what runs a script once for each event: a process of its own, forked from this one."""
    sys.path.insert(0, folder)
    make_way(folder)
    path = os.path.join(folder, setup["file"])
    with open(path, "rb") as file:
        code = compile(file.read(), path, "exec")
    mount = services.module.Mount(services, os.path.join(os.environ["TMPDIR"], "mount"), setup["mount"])

    def run(env: dict[str, str], stdin: bytes) -> bytes:
        encoding = "latin-1" if setup["octets"] else "utf-8"
        given = {os.fsencode(name): os.fsencode(value) for name, value in {**os.environ, **mount.laid_out()}.items()}
        given |= {name.encode(): value.encode(encoding, "surrogateescape") for name, value in env.items()}
        with tempfile.TemporaryFile() as taken, tempfile.TemporaryFile() as made, tempfile.TemporaryFile() as done:
            taken.write(stdin)
            taken.seek(0)
            unseen.ours = True
            child = os.fork()
            unseen.ours = False
            if not child:
                services.after_fork()
                run_child(code, path, given, (taken, made, done), services, unseen=unseen)
            _, status = os.waitpid(child, 0)
            made.seek(0)
            done.seek(0)
            printed = made.read()
            effects, found = json.loads(done.read() or b"[[], []]", object_hook=services.module.from_plain)
            services.effects += effects
            unseen.found.update((what, place) for what, place in found)
        mount.note_changes()  # of one that failed as well: what it wrote is there
        code_of_exit = os.waitstatus_to_exitcode(status)
        if code_of_exit:
            how = f"status {code_of_exit}" if code_of_exit > 0 else f"signal {-code_of_exit}"
            raise ExitStatus(f"the script ended with {how}")
        return printed

    return run


class ExitStatus(Exception):
    """A script that did not end well."""


def run_child(
    code: types.CodeType,
    path: str,
    given: dict[bytes, bytes],
    files: tuple[Any, Any, Any],
    services: Any,
    *,
    unseen: Unseen,
) -> None:
    """Be the script: in the forked process, which never comes back."""
    status = 1
    taken, made, done = files
    try:
        os.dup2(taken.fileno(), 0)
        os.dup2(made.fileno(), 1)
        sys.stdin = open(0, encoding="utf-8", closefd=False)  # noqa: SIM115
        sys.stdout = open(1, "w", encoding="utf-8", closefd=False)  # noqa: SIM115
        os.environ.clear()
        os.environb.update(given)
        os.chdir(os.path.dirname(path))
        sys.argv = [path]
        exec(code, {"__name__": "__main__", "__file__": path, "__builtins__": __builtins__})  # noqa: S102
        status = 0
    except SystemExit as error:
        status = error.code if isinstance(error.code, int) else int(error.code is not None)
        if isinstance(error.code, str):
            sys.stderr.write(f"{error.code}\n")
    except BaseException:
        traceback.print_exc()
    finally:
        with contextlib.suppress(Exception):
            sys.stdout.flush()
        with contextlib.suppress(Exception):
            sys.stderr.flush()
        with contextlib.suppress(Exception):
            unseen.wait()
            told = [services.effects, unseen.taken()]
            done.write(json.dumps(told, default=services.module.plain).encode())
            done.flush()
        os._exit(status & 0xFF)


def failure(error: BaseException, folder: str, ending: str) -> dict[str, Any]:
    """Return how a call failed: type, message, and the frames that lie in the project."""
    frames = [
        f"{os.path.relpath(frame.filename, folder)}:{frame.lineno} in {frame.name}"
        for frame in traceback.extract_tb(error.__traceback__)
        if frame.filename.startswith(folder + os.sep)
    ]
    told = getattr(error, "told_by_node", None)
    if told is not None:
        return {**told, "ending": ending}
    if isinstance(error, SyntaxError) and error.filename and error.filename.startswith(folder + os.sep):
        frames.append(f"{os.path.relpath(error.filename, folder)}:{error.lineno}")
    try:
        message = str(error)
    except Exception:
        message = "(its message can't be shown)"
    return {
        "ending": ending,
        "error": type(error).__name__,
        "message": shortened(message),
        "trace": " ← ".join(frames[::-1]),
    }


def shortened(message: str) -> str:
    """Return a message that is not too long to send; of a longer one the end is told by its digest."""
    if len(message) <= MOST_MESSAGE:
        return message
    digest = hashlib.sha256(message.encode("utf-8", "surrogatepass")).hexdigest()
    return f"{message[:MOST_MESSAGE]}… ({len(message):,} characters, SHA-256 {digest})"


def print_to_a_file() -> Callable[..., str]:
    """Send what the handler prints, and what its libraries print below Python, to a file; return what takes it out."""
    printed = tempfile.TemporaryFile()  # noqa: SIM115  (open as long as the process lives)
    os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
    for number in (1, 2):
        os.dup2(printed.fileno(), number)
    sys.stdin = open(0, encoding="utf-8", closefd=False)  # noqa: SIM115
    sys.stdout = open(1, "w", encoding="utf-8", closefd=False, buffering=1)  # noqa: SIM115
    sys.stderr = open(2, "w", encoding="utf-8", errors="backslashreplace", closefd=False, buffering=1)  # noqa: SIM115
    sys.__stdin__, sys.__stdout__, sys.__stderr__ = sys.stdin, sys.stdout, sys.stderr  # type: ignore[misc]

    def said(begin: int = 0, end: int = -1) -> str:
        """Return all that was printed, and forget it; or what stands between two places, and forget nothing."""
        if end < 0:
            for stream in (sys.stdout, sys.stderr):
                with contextlib.suppress(Exception):  # the handler may have closed it
                    stream.flush()
        size = (os.fstat(printed.fileno()).st_size if end < 0 else end) - begin
        if size <= 0:
            return ""
        text = os.pread(printed.fileno(), min(size, MOST_OUTPUT), begin)
        if end < 0:
            os.ftruncate(printed.fileno(), 0)
            os.lseek(printed.fileno(), 0, os.SEEK_SET)
        more = f"\n… {size - MOST_OUTPUT:,} bytes more" if size > MOST_OUTPUT else ""
        return text.decode("utf-8", "replace") + more

    return said


def provide_modules(modules: dict[str, bytes], services: Any, apart: dict[str, str] | None) -> None:
    """Make the modules that handlers import from their provider; settings may be kept `apart` from the environment."""
    for name, code in modules.items():
        module = types.ModuleType(name)
        module.__dict__["operate"] = services.operate
        exec(marshal.loads(code), module.__dict__)  # noqa: S102, S302  (made from a profile)
        if apart is not None and "variables" in module.__dict__:
            module.__dict__["variables"] = lambda: apart
        sys.modules[name] = module
        parent, _, last = name.rpartition(".")
        if parent in sys.modules:
            setattr(sys.modules[parent], last, module)


class Here:
    """A handler in Python, which is called in this very process."""

    def __init__(self, setup: dict[str, Any], folder: str, services: Any, unseen: Unseen) -> None:
        self._reach = Reach(folder) if setup["reach"] and not setup["script"] else None
        provide_modules(setup["modules"], services, setup["apart"])
        driver: dict[str, Any] = {"__name__": "stand_in", "operate": services.operate}
        exec(marshal.loads(setup["driver"]), driver)  # noqa: S102, S302  (made from a profile)
        self.calls = driver["CALLS"]
        self.seconds = 0.0  # how long a call took is told from outside
        self.handler = script(setup, folder, services, unseen) if setup["script"] else load(setup, folder)
        self._unseen = unseen

    def next_of(self, line: Line, _: collections.deque[Any]) -> Any:
        """Return the next call."""
        return line.receive()

    def begin(self, seed: int, *, cold: bool) -> None:
        """Begin a call."""
        random.seed(seed)

    def printed_by(self, said: Callable[..., str]) -> str:
        """Return what the last call printed."""
        return said()

    def ended(self, logs: list[str]) -> tuple[bool, list[str], list[list[str]]]:
        """Return whether something of the call goes on, what was logged, and what it started that nobody sees."""
        goes_on = self._unseen.wait()
        return goes_on, logs, self._unseen.taken()

    def reached(self) -> dict[str, Any]:
        """Return what of the project ran, if that is measured."""
        return self._reach.taken() if self._reach is not None else {}

    def stop(self) -> None:
        """Do nothing: what was called ends with this process."""


def serve(descriptor: int, places: dict[str, str], *, contained: bool) -> None:
    """Serve calls until the other side goes."""
    line = Line(descriptor)
    setup = line.receive()
    line.mark = bytes.fromhex(setup["mark"])
    sys.dont_write_bytecode = True
    folder, scratch = places["folder"], places["scratch"]
    os.environ.clear()
    os.environ.update({**setup["environment"], "HOME": scratch, "TMPDIR": scratch, **setup["variables"]})
    for name, value in setup["secret_files"].items():
        path = os.path.join(scratch, f".secret-{len(os.environ)}")
        with open(path, "w", encoding="utf-8") as file:
            file.write(value)
        os.environ[name] = path
    time.tzset()
    tempfile.tempdir = None
    said = print_to_a_file()
    services_module = sys.modules["_stand_in_services"]
    services: Any = services_module.Services(places["services"])
    services.module = services_module
    outbound = divert_network(services)
    unseen = Unseen(folder, scratch, setup["brought"], contained=contained)
    try:
        if setup["node"]:
            side = sys.modules["_stand_in_node_side"].NodeSide(setup, folder, services, outbound)
        else:
            side = Here(setup, folder, services, unseen)
    except BaseException as error:
        line.send({**failure(error, folder, "not loaded"), "output": said()})
        return
    line.send({"ending": "ready", "output": said()})

    untouched: list[Any] = []
    waiting: collections.deque[Any] = collections.deque()
    while True:
        request = side.next_of(line, waiting)
        if request["cold"] and not untouched:
            untouched = files_below(folder, scratch)
        if request["cold"] and not in_a_copy(unseen):
            continue
        services.reset(request["before"])
        services.fails_after = request["fails_after"]
        outbound.begin(request["answers"])
        logs: list[str] = []
        told = of_the_call(setup, request, logs)
        hubs = [{**hub, **told} for hub in request["hubs"]]
        side.begin(request["seed"], cold=request["cold"])
        started = time.perf_counter()
        data = call(side.calls[request["kind"]], side.handler, hubs, folder, apart=request["apart"])
        data["seconds"] = side.seconds or time.perf_counter() - started
        goes_on, data["logs"], data["unseen"] = side.ended(logs)
        data["spent"] = goes_on or (request["cold"] and files_below(folder, scratch) != untouched)
        outbound.end()
        data["output"], data["effects"] = side.printed_by(said), services.effects
        if setup["reach"]:
            data["reached"] = side.reached()
        line.send(data)
        if data["spent"] and not request["cold"]:
            return  # the next call is for a new process, also where it was sent ahead
        if request["cold"]:
            side.stop()
            os._exit(0)


def files_below(*folders: str) -> list[tuple[str, int, int]]:
    """Return the files that there are, each with its size and when it was written."""
    found = []
    for folder in folders:
        device = os.stat(folder).st_dev
        for top, inner, names in os.walk(folder):
            inner[:] = [name for name in inner if os.lstat(os.path.join(top, name)).st_dev == device]
            for name in names:
                with contextlib.suppress(OSError):
                    status = os.lstat(os.path.join(top, name))
                    found.append((os.path.join(top, name), status.st_size, status.st_mtime_ns))
    return sorted(found)


def in_a_copy(unseen: Unseen) -> bool:
    """Fork; return true in the copy, and false here once the copy has answered and ended."""
    unseen.ours = True
    child = os.fork()
    unseen.ours = False
    if not child:
        return True
    status = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    if status:  # it did not answer: this process ends as the copy did
        if status < 0:
            os.kill(os.getpid(), -status)
        os._exit(status if status > 0 else 1)
    return False


def of_the_call(setup: dict[str, Any], request: dict[str, Any], logs: list[str]) -> dict[str, Any]:
    """Return what every handler is told of its call, and what it may call while it runs."""
    end = time.monotonic() + request["limit"]

    def log(text: Any, **more: Any) -> None:
        if len(logs) < 1000:
            logs.append(f"{text} {json.dumps(more, default=str)}" if more else str(text))

    def secret(name: str) -> str:
        try:
            value: str = setup["secrets"][name]
        except KeyError:
            raise KeyError(f"secret {name} is not declared") from None
        return value

    def setting(name: str, *usual: Any) -> Any:
        held: Any = os.environ if setup.get("apart") is None else setup["apart"]
        if name not in held and not usual:
            raise KeyError(f"the variable {name} is not declared")
        return held.get(name, *usual)

    def time_left() -> float:
        left: float = end - time.monotonic()
        return max(0.0, left)

    return {
        "function": setup["function"],
        "limit": request["limit"],
        "log": log,
        "secret": secret,
        "setting": setting,
        "time_left": time_left,
    }


def call(
    called: tuple[str, Callable[..., Any], bool],
    handler: Callable[..., Any],
    hubs: list[dict[str, Any]],
    folder: str,
    *,
    apart: bool = False,
) -> dict[str, Any]:
    """Return how the calls ended by which a handler gets these events: one with all, or (`apart`) one for each."""
    kind, deliver, batch = called
    again: list[str] = []
    failed: dict[str, Any] = {}
    for events in [hubs] if batch and not apart else [[hub] for hub in hubs]:
        try:
            answered = deliver(handler, events if batch else events[0])
            if kind == "http":
                return {"ending": "replied", "reply": answered}
            if kind == "call":
                json.dumps(answered["value"], allow_nan=False)  # what is no JSON value is the handler's failure
                return {"ending": "returned", "value": answered["value"]}
            again += named(answered["again"], events)
        except SystemExit as error:
            return {"ending": "exited", "error": "SystemExit", "message": str(error.code), "trace": ""}
        except BaseException as error:
            failed = failed or failure(error, folder, "failed")
            again += [hub["id"] for hub in events]
    if kind in ("http", "call"):
        return failed
    if not again:
        return {"ending": "acknowledged", "again": []}
    ending = "failed" if len(again) == len(hubs) else "partly failed"
    return {**failed, "ending": ending, "again": again}


def named(again: Any, events: list[dict[str, Any]]) -> list[str]:
    """Return the ids that a handler named, each an event of its batch and told once."""
    ids = [hub["id"] for hub in events]
    if not isinstance(again, list | tuple):
        raise TypeError(f"events to deliver again are told as a list, not {type(again).__name__}")
    unknown = [one for one in again if one not in ids]
    if unknown:
        raise ValueError(f"the handler wants {unknown[0]!r} delivered again, which is not in its batch")
    return [one for one in ids if one in again]
