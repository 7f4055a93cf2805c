"""The near side of workers: starts them, calls them within a time, says how a call ended, whatever the handler did."""

from __future__ import annotations

import array
import atexit
import contextlib
import functools
import hashlib
import itertools
import json
import marshal
import os
import secrets
import select
import shutil
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
from collections import deque
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path
from types import TracebackType
from typing import Any

from vast_ferry.hub.functions import Entry
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.standins.clock import now
from vast_ferry.standins.frames import (
    HEAD,
    ROOM,
    Call,
    Unframing,
    frame_of,
    framed,
    outcome_of,
    ready,
    request_of,
    sent,
)
from vast_ferry.standins.node_program import node_program
from vast_ferry.standins.scratch import scratch_folder

KEEPER = Path(__file__).with_name("keeper.py")
#: What runs a handler in JavaScript, and what Node sets aside beside that, in MiB.
HOST = Path(__file__).with_name("node_host.mjs")
BESIDE_NODE = 1024
#: What a handler may take where its function declares nothing, in MiB.
MEMORY = 1024
#: To start the keeper, and to fork a worker, may take so long.
START_LIMIT = 60.0
LARGEST_ANSWER = 512 * 1024 * 1024
#: After so many calls that did not end in time, what is left is not tried.
MOST_TIMEOUTS = 5
#: So many calls are sent ahead at most: they wait in the socket.
AHEAD = 32
NOW_AND_THEN = 0.002  # seconds
#: A process may take so much longer than a call's limit, in seconds: the handler's own clock should run out first.
BEYOND = 0.25
#: What is raised where a process has ended, or answered what is no answer.
GONE = (OSError, ValueError, RecursionError, struct.error)


@dataclass(frozen=True, slots=True)
class Setup:
    """What a worker runs: a handler, in a project, with a driver; its variables, and the names of its secrets.

    `memory` is what the handler may take, in MiB; `import_limit` how long its file may take to load, in seconds.
    """

    folder: Path
    entry: Entry
    driver: str
    function: str = ""
    modules: dict[str, str] = field(default_factory=dict)
    variables: dict[str, str] = field(default_factory=dict)
    secrets: tuple[str, ...] = ()
    given: dict[str, str] = field(default_factory=dict, repr=False)  # secrets whose values are not made up
    memory: int = MEMORY
    import_limit: float = 10.0
    script: bool = False  # the entry's file is run, a process an event
    octets: bool = False  # its environment holds octets, each a character in an event
    mount: dict[str, str] = field(default_factory=dict)
    settings_apart: bool = False  # variables don't stand in the environment
    secrets_there: str = "values"  # how secrets stand in the environment: `values`, `paths`, `nowhere`
    brought: tuple[str, ...] = ()  # files of the project that are not its author's
    batches: tuple[tuple[str, bool], ...] = ()  # in JavaScript: kinds of events, and whether each comes in batches
    javascript: bool = False  # the handler runs under Node, and so does the driver
    reach: bool = False  # it is measured which lines of the project run


def stand_in_secret(name: str) -> str:
    """Return the made-up value that a stand-in gives for a secret: the same on both sides, and never a real one."""
    return "stand-in-" + hashlib.sha256(name.encode("utf-8", "surrogatepass")).hexdigest()[:16]


class Keeper:
    """The process that forks workers: one for all of this process, started when it is first needed."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._line: socket.socket | None = None
        self._folder = contextlib.ExitStack()
        self._workers: set[Worker] = set()
        self._owner = 0
        self._numbers = itertools.count()
        self.home = Path()
        self.not_held: tuple[str, ...] = ()
        self.own_files = False  # whether workers have a file system of their own

    def start(self) -> None:
        """Start the process, unless it is there."""
        if self._process is not None and self._owner == os.getpid() and self._process.poll() is None:
            return
        if self._owner != os.getpid():
            self._folder = contextlib.ExitStack()  # after a fork, the parent's folder is not this process's to remove
            self._workers = set()
            atexit.register(self.close)
        else:
            self.close()
        self._owner = os.getpid()
        self.home = self._folder.enter_context(scratch_folder())
        (self.home / "root").mkdir()
        self._line, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with theirs:
            self._process = subprocess.Popen(
                [sys.executable, "-s", "-P", "-X", "utf8", str(KEEPER), str(theirs.fileno()), str(self.home / "root")],
                pass_fds=(theirs.fileno(),),
                # Nothing of this process's own environment is there to be seen.
                env={"PATH": os.environ.get("PATH", os.defpath), "LANG": "C.UTF-8", "TZ": "UTC", "PYTHONHASHSEED": "0"},
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
            )
        self._line.settimeout(START_LIMIT)
        ready = self._line.recv(1 << 16)
        if not ready:
            raise RuntimeError("the process that starts workers could not be started")
        told = json.loads(ready)
        self.not_held, self.own_files = tuple(told["without"]), bool(told["files"])

    def fork(self, worker: Worker, wanted: dict[str, Any]) -> tuple[socket.socket, socket.socket]:
        """Ask for a worker, and return the near ends of its two sockets: for calls, and to keep it alive."""
        talk, their_talk = socket.socketpair()
        life, their_life = socket.socketpair()
        with their_talk, their_life, self._lock:
            self.start()
            assert self._line is not None
            descriptors = array.array("i", [their_talk.fileno(), their_life.fileno()])
            self._line.sendmsg(
                [json.dumps(wanted).encode()], [(socket.SOL_SOCKET, socket.SCM_RIGHTS, descriptors.tobytes())]
            )
            self._workers.add(worker)
        return talk, life

    def forget(self, worker: Worker) -> None:
        """Take note that a worker has ended."""
        self._workers.discard(worker)

    def new_folder(self) -> Path:
        """Return a new folder for one worker."""
        with self._lock:
            self.start()
        folder = self.home / str(next(self._numbers))
        folder.mkdir()
        return folder

    def stop_workers(self) -> None:
        """End every worker, whoever waits for one of them."""
        for worker in list(self._workers):
            worker.break_off()

    def close(self) -> None:
        """End every worker and the keeper, and remove what they wrote."""
        if self._owner != os.getpid():
            return
        self.stop_workers()
        if self._line is not None:
            self._line.close()
            self._line = None
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self._process = None
        self._folder.close()


KEEPER_HERE = Keeper()


class Worker:
    """A handler in a process of its own; use as a context manager."""

    def __init__(self, setup: Setup) -> None:
        self.setup = setup
        self.timeouts = 0
        self._talk: socket.socket | None = None
        self._life: socket.socket | None = None
        self._mark = b""
        self._not_loaded: Outcome | None = None
        self._left = bytearray()
        self._unframing = Unframing()
        self._own: Path | None = None
        self._broken = False

    def __enter__(self) -> Worker:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.stop()

    def call(self, call: Call, limit: float, seed: int = 1, *, cold: bool = False) -> Outcome:
        """Return how a call ended, after `limit` seconds at the latest.

        A cold call is made in a copy of the process: it neither sees nor leaves anything that handlers keep.
        """
        if self._broken:
            return Outcome(Ending.DIED, message="broken off")
        if self._not_loaded is not None:
            return self._not_loaded
        if self.timeouts >= MOST_TIMEOUTS:
            return Outcome(Ending.DIED, message=f"not tried: {MOST_TIMEOUTS} calls before did not end in time")
        if self._talk is None:
            problem = self._start()
            if problem is not None:
                return problem
        return self._ended(self._exchange(request_of(call, limit, seed, cold=cold), limit))

    def send(self, call: Call, limit: float, room: int) -> tuple[int, int] | None:
        """Send a call without waiting; return the descriptor at which its answer comes, for `came`, and its size.

        Nothing where it was not sent: its process is not started, or the call has more than `room` bytes, so that its
        socket may not take it at once. Then only `call` will do.
        """
        if self._talk is None or self._broken or self.timeouts >= MOST_TIMEOUTS:
            return None
        try:
            data = b"".join(framed(request_of(call, limit, 1)))
        except (ValueError, RecursionError):
            return None
        if len(data) > room:
            return None
        with contextlib.suppress(OSError):  # one that has ended is told by what comes
            sent(self._talk, data, now() + limit)
        return self._talk.fileno(), len(data)

    def came(self) -> dict[str, Any] | None:
        """Return the answer to what was sent, nothing while not all of it is there; raises where its process ended.

        What is raised is one of `GONE`. `over` says what an answer means.
        """
        if self._talk is None:
            raise ConnectionResetError
        return self._answer(self._talk, 0.0)

    @property
    def ended(self) -> bool:
        """Tell whether it has no process."""
        return self._talk is None

    def over(self, answer: dict[str, Any]) -> Outcome:
        """Return how a call ended by its answer; ends a process that is spent, which may take a while."""
        return self._ended(answer)

    def gone(self) -> Outcome:
        """Return how a call ended whose process ended before it answered."""
        return self._ended(self._died())

    def late(self, limit: float) -> Outcome:
        """End the process of a call that did not end within its time, and return that."""
        return self._ended(self._timed_out(limit))

    def calls(self, several: Iterable[Call], limit: float, seed: int = 1) -> Iterator[Outcome]:
        """Yield how calls ended, in their order, each as `call` has it.

        Small ones are sent ahead, so that the worker need not wait for the next. What it has not come to when it ends
        goes to the process after it.
        """
        waiting = deque(several)
        ahead: deque[int] = deque()  # how large those are that are in the worker, or on the way
        held: bytes | None = b""  # the next one, for which there was no room yet
        while waiting:
            # Many in one go: whatever lets another thread run costs more than it does.
            if self._talk is not None and not self._broken and len(ahead) <= AHEAD // 2:
                held = self._send_ahead(islice(waiting, len(ahead), AHEAD), ahead, held or b"", (limit, seed))
            if not ahead and held is not None:
                held = b""
                yield self.call(waiting.popleft(), limit, seed)
                continue
            if len(ahead) > AHEAD // 2 and not self._left:
                # The worker has enough to do: to be woken for each of its answers costs more than to look now and then.
                time.sleep(NOW_AND_THEN)
            outcome = self._ended(self._awaited(limit) if held is not None else self._timed_out(limit))
            waiting.popleft()
            if self._talk is not None:
                ahead.popleft()
            else:  # all of it went with the process
                ahead.clear()
                held = b""
            yield outcome

    def _send_ahead(
        self, several: Iterable[Call], ahead: deque[int], held: bytes, how: tuple[float, int]
    ) -> bytes | None:
        """Send calls while all that are on the way have room in the socket, else each side would wait for the other.

        Returns the one for which there was no room; nothing where the worker took no more of one in time.
        """
        limit, seed = how
        frames: list[bytes] = []
        room = ROOM - sum(ahead)
        for call in several:
            try:
                data = held or frame_of(call, limit, seed)
            except (ValueError, RecursionError):  # which is told when it comes to it
                break
            held = b""
            if len(data) > room:
                held = data
                break
            frames.append(data)
            room -= len(data)
        if not frames or self._talk is None:
            return held
        try:
            if not sent(self._talk, b"".join(frames), now() + limit):
                return None
        except OSError:  # it has ended: what it answered before still stands in the socket
            return b""
        ahead.extend(map(len, frames))
        return held

    def _ended(self, answer: dict[str, Any] | Outcome) -> Outcome:
        """Return how a call ended by what the worker answered; a process that is spent is ended."""
        if isinstance(answer, Outcome):
            self.timeouts += answer.ending is Ending.TIMED_OUT
            return answer
        try:
            outcome = outcome_of(answer)
        except (KeyError, TypeError, ValueError, AttributeError):
            return self._died("its process answered what is no answer")
        if answer.get("spent"):
            self.stop()
        return outcome

    def _start(self) -> Outcome | None:
        secret_values = {name: stand_in_secret(name) for name in self.setup.secrets} | self.setup.given
        folder = self.setup.folder.resolve()
        self._own = KEEPER_HERE.new_folder()
        places = {"folder": str(folder), "scratch": str(self._own / "scratch"), "services": str(self._own / "services")}
        (self._own / "scratch").mkdir()
        beside = BESIDE_NODE << 20 if self.setup.javascript else 0
        wanted = {**places, "memory": self.setup.memory << 20, "beside": beside}
        self._talk, self._life = self._forked(wanted)
        self._talk.setblocking(False)
        self._mark, self._left = b"", bytearray()
        mark = secrets.token_bytes(16)
        setup = {
            "file": self.setup.entry.file,
            "module": self.setup.entry.module,
            "name": self.setup.entry.name,
            "importable": self.setup.entry.importable,
            **self._code(),
            "function": self.setup.function,
            "script": self.setup.script,
            "reach": self.setup.reach,
            "octets": self.setup.octets,
            "brought": self.setup.brought,
            "mount": self.setup.mount,
            "secrets": secret_values,
            "environment": {
                "PATH": os.environ.get("PATH", os.defpath),
                "LANG": "C.UTF-8",
                "TZ": "UTC",
                "PYTHONHASHSEED": "0",
            },
            "variables": {
                **(secret_values if self.setup.secrets_there == "values" else {}),
                **({} if self.setup.settings_apart else self.setup.variables),
            },
            "apart": {**secret_values, **self.setup.variables} if self.setup.settings_apart else None,
            "secret_files": secret_values if self.setup.secrets_there == "paths" else {},
            "mark": mark.hex(),
        }
        self._mark = mark
        answer = self._exchange(setup, self.setup.import_limit)
        if isinstance(answer, Outcome):
            self._not_loaded = Outcome(
                Ending.NOT_LOADED, error=answer.error, message=answer.message or str(answer.ending)
            )
        elif answer.get("ending") != "ready":
            try:
                self._not_loaded = outcome_of({**answer, "ending": "not loaded"})
            except (KeyError, TypeError, ValueError, AttributeError):
                self._not_loaded = Outcome(Ending.NOT_LOADED, message="its process answered what is no answer")
            self.stop()
        return self._not_loaded

    def _forked(self, wanted: dict[str, Any]) -> tuple[socket.socket, socket.socket]:
        """Return the near ends of the two sockets of a new process: for calls, and to keep it alive."""
        if not_contained():
            assert self._own is not None
            shutil.copytree(wanted["folder"], self._own / "project")
            wanted = {**wanted, "folder": str(self._own / "project")}
        return KEEPER_HERE.fork(self, wanted)

    def _code(self) -> dict[str, Any]:
        """Return what calls the handler, and the modules that it imports: compiled, or as what Node runs."""
        own = self.setup
        if own.javascript:
            node = {
                "program": node_program(),
                "options": [f"--max-old-space-size={own.memory}", "--no-warnings"],
                "host": HOST.read_text(encoding="utf-8"),
                "kinds": dict(own.batches),
                "modules": own.modules,
                "driver": own.driver,
            }
            return {"node": node, "driver": None, "modules": {}}
        modules = {name: _compiled(text, f"<module {name}>") for name, text in own.modules.items()}
        return {"node": None, "driver": _compiled(own.driver, "<stand-in>"), "modules": modules}

    def _exchange(self, message: dict[str, Any], limit: float) -> dict[str, Any] | Outcome:
        """Send a message and return the answer, or how the worker ended instead."""
        talk = self._talk
        if talk is None:
            return Outcome(Ending.DIED, message="broken off")
        end = now() + limit + BEYOND
        try:
            if not all(sent(talk, part, end) for part in framed(message)):
                return self._timed_out(limit)
        except (OSError, ValueError, RecursionError):
            return self._died()
        return self._awaited(limit, end)

    def _awaited(self, limit: float, end: float = 0.0) -> dict[str, Any] | Outcome:
        """Return the next answer, or how the worker ended instead."""
        talk = self._talk
        if talk is None:
            return Outcome(Ending.DIED, message="broken off")
        try:
            answer = self._answer(talk, end or now() + limit + BEYOND)
            return self._timed_out(limit) if answer is None else answer
        except GONE:
            return self._died()

    def _answer(self, talk: socket.socket, end: float) -> dict[str, Any] | None:
        """Return the next answer, or nothing where it does not come in time; what came of it is kept.

        Whatever stands before its mark is no answer: something else wrote it.
        """
        data, head = self._left, len(self._mark) + HEAD.size
        self._left = bytearray()
        searched = 0
        while True:
            at = data.find(self._mark, searched)
            if at >= 0:
                del data[:at]
                searched = 0
                if len(data) >= head:
                    text, blob, key = HEAD.unpack_from(data, len(self._mark))
                    size = head + text + blob
                    if size > LARGEST_ANSWER:
                        raise ValueError("an answer too large")
                    if not self._fill(talk, data, size, end):
                        self._left = data
                        return None
                    self._left = data[size:]
                    return self._unframing.message(data, head, text, key.hex())
            else:
                del data[: max(0, len(data) - len(self._mark))]
                searched = 0
            with contextlib.suppress(BlockingIOError):
                chunk = talk.recv(1 << 18)
                if not chunk:
                    raise ConnectionResetError
                data += chunk
                continue
            if not ready(talk, select.POLLIN, end):
                self._left = data
                return None

    @staticmethod
    def _fill(talk: socket.socket, data: bytearray, size: int, end: float) -> bool:
        """Read until `data` holds as much as `size`; tell whether it came in time."""
        while len(data) < size:
            if not ready(talk, select.POLLIN, end):
                return False
            with contextlib.suppress(BlockingIOError):
                chunk = talk.recv(min(1 << 20, size - len(data)))
                if not chunk:
                    raise ConnectionResetError
                data += chunk
        return True

    def _timed_out(self, limit: float) -> Outcome:
        self.stop()
        return Outcome(Ending.TIMED_OUT, message=f"did not end within {limit:g} s", seconds=limit)

    def _died(self, how: str = "") -> Outcome:
        ended: dict[str, Any] = {}
        life = self._life
        if life is not None and not how:
            with contextlib.suppress(OSError, ValueError):
                life.settimeout(1)
                ended = json.loads(life.recv(1 << 16) or b"{}")
        self.stop()
        code = ended.get("status")
        if how:
            pass
        elif "much" in ended:
            how = f"its process {ended['much']} and was ended"
        elif "failed" in ended:
            how = f"its process could not be made: {ended['failed']}"
        elif isinstance(code, int) and code < 0:
            how = f"killed by {_signal_name(-code)}"
        else:
            how = f"its process ended with status {code}" if code is not None else "its process broke off the talk"
        return Outcome(Ending.DIED, message=how)

    def break_off(self) -> None:
        """End the process from another thread: whoever waits for its answer gets that it died."""
        self._broken = True
        for end in (self._life, self._talk):
            if end is not None:
                with contextlib.suppress(OSError):
                    end.shutdown(socket.SHUT_RDWR)

    def stop(self) -> None:
        """End the process and whatever it started."""
        talk, life, own = self._talk, self._life, self._own
        self._talk = self._life = self._own = None
        KEEPER_HERE.forget(self)
        if talk is not None:
            talk.close()
        if life is not None:
            with contextlib.suppress(OSError):
                life.shutdown(socket.SHUT_WR)
                life.settimeout(5)  # what is still running there must not write into what is removed here
                while life.recv(1 << 16):
                    pass
            life.close()
        if own is not None:
            shutil.rmtree(own, ignore_errors=True)


_COMPILING = threading.Lock()


def _compiled(text: str, name: str) -> bytes:
    """Return generated source as code that a worker, which is the same interpreter, need not compile again."""
    with _COMPILING:  # Python's parser must not be used by several threads at once (cpython gh-106905)
        return _compiled_once(text, name)


@functools.lru_cache(maxsize=256)
def _compiled_once(text: str, name: str) -> bytes:
    return marshal.dumps(compile(text, name, "exec"))


def not_contained() -> bool:
    """Tell whether workers share this process's file system."""
    KEEPER_HERE.start()
    return not KEEPER_HERE.own_files


def not_held() -> tuple[str, ...]:
    """Return what this system can't keep handlers from, in plain words."""
    KEEPER_HERE.start()
    return KEEPER_HERE.not_held


def _signal_name(number: int) -> str:
    try:
        return signal.Signals(number).name
    except ValueError:
        return f"signal {number}"
