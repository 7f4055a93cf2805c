"""The near side of a worker: starts it, calls it within a time, and says how a call ended, whatever the handler did."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import select
import signal
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType
from typing import Any

from vast_ferry.hub.functions import Entry
from vast_ferry.hub.http import HttpReply, from_plain, to_plain
from vast_ferry.hub.operations import Effect
from vast_ferry.hub.outcomes import Ending, Outcome

WORKER = Path(__file__).with_name("worker.py")
#: Address space of a worker; more than any made-up provider gives, and less than the machine has.
MEMORY = 2 * 1024 * 1024 * 1024
START_LIMIT = 30.0
LARGEST_ANSWER = 512 * 1024 * 1024
#: After so many calls that took the worker down, what is left is not tried.
MOST_DEATHS = 5


@dataclass(frozen=True, slots=True)
class Setup:
    """What a worker runs: a handler, in a project, with a driver; its variables, and the names of its secrets."""

    folder: Path
    entry: Entry
    driver: str
    function: str = ""
    modules: dict[str, str] = field(default_factory=dict)
    variables: dict[str, str] = field(default_factory=dict)
    secrets: tuple[str, ...] = ()
    memory: int = MEMORY
    script: bool = False  # the entry's file is run, a process an event
    octets: bool = False  # its environment holds octets, each a character in an event
    mount: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Call:
    """What a handler is called with: a kind, events as hub fields, what services hold, answers to outbound calls."""

    kind: str
    events: tuple[dict[str, Any], ...]
    before: dict[str, Any] = field(default_factory=dict)
    answers: tuple[dict[str, Any], ...] = ()


def stand_in_secret(name: str) -> str:
    """Return the made-up value that a stand-in gives for a secret: the same on both sides, and never a real one."""
    return "stand-in-" + hashlib.sha256(name.encode()).hexdigest()[:16]


class Worker:
    """A handler in a process of its own; use as a context manager."""

    def __init__(self, setup: Setup) -> None:
        self.setup = setup
        self.deaths = 0
        self._process: subprocess.Popen[bytes] | None = None
        self._to = self._from = -1
        self._left = b""
        self._not_loaded: Outcome | None = None
        self._home = tempfile.TemporaryDirectory(prefix="vast-ferry-")

    def __enter__(self) -> Worker:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.stop()
        self._home.cleanup()

    def call(self, call: Call, limit: float, seed: int = 1) -> Outcome:
        """Return how a call ended, after `limit` seconds at the latest."""
        if self._not_loaded is not None:
            return self._not_loaded
        if self.deaths >= MOST_DEATHS:
            return Outcome(Ending.DIED, message=f"not tried: {MOST_DEATHS} calls before took the process down")
        if self._process is None:
            problem = self._start()
            if problem is not None:
                return problem
        request = {
            "kind": call.kind,
            "hubs": [to_plain(event) for event in call.events],
            "before": {name: [to_plain(one) for one in held] for name, held in call.before.items()},
            "answers": [to_plain(answer) for answer in call.answers],
            "limit": limit,
            "seed": seed,
        }
        # A decimal that was kept as it was written is a float to a handler, as its provider's JSON would be.
        answer = self._exchange(json.dumps(request, default=float).encode() + b"\n", limit)
        if isinstance(answer, Outcome):
            self.deaths += 1
            return answer
        return _outcome(answer)

    def _start(self) -> Outcome | None:
        to_read, self._to = os.pipe()
        self._from, to_write = os.pipe()
        secrets = {name: stand_in_secret(name) for name in self.setup.secrets}
        environment = {
            "PATH": os.environ.get("PATH", os.defpath),
            "HOME": self._home.name,
            "TMPDIR": self._home.name,
            "LANG": "C.UTF-8",
            "TZ": "UTC",
            "PYTHONHASHSEED": "0",
            **secrets,
            **self.setup.variables,
        }
        self._process = subprocess.Popen(
            [sys.executable, "-s", "-P", "-X", "utf8", str(WORKER), str(to_read), str(to_write)],
            pass_fds=(to_read, to_write),
            env=environment,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        os.close(to_read)
        os.close(to_write)
        self._left = b""
        setup = {
            "folder": str(self.setup.folder.resolve()),
            "file": self.setup.entry.file,
            "module": self.setup.entry.module,
            "name": self.setup.entry.name,
            "importable": self.setup.entry.importable,
            "driver": self.setup.driver,
            "modules": self.setup.modules,
            "function": self.setup.function,
            "memory": self.setup.memory,
            "script": self.setup.script,
            "octets": self.setup.octets,
            "mount": self.setup.mount,
            "secrets": secrets,
        }
        answer = self._exchange(json.dumps(setup).encode() + b"\n", START_LIMIT)
        if isinstance(answer, Outcome):
            self._not_loaded = Outcome(
                Ending.NOT_LOADED, error=answer.error, message=answer.message or str(answer.ending)
            )
        elif answer["ending"] != "ready":
            self._not_loaded = _outcome(answer)
            self.stop()
        return self._not_loaded

    def _exchange(self, data: bytes, limit: float) -> dict[str, Any] | Outcome:
        """Send a line and return the answer, or how the worker ended instead."""
        end = time.monotonic() + limit + 0.25  # the handler's own clock should run out first
        view = memoryview(data)
        os.set_blocking(self._to, False)
        try:
            while view:
                if not select.select([], [self._to], [], max(0.0, end - time.monotonic()))[1]:
                    return self._timed_out(limit)
                view = view[os.write(self._to, view) :]
            chunks = [self._left]
            size = 0
            while b"\n" not in chunks[-1]:
                if not select.select([self._from], [], [], max(0.0, end - time.monotonic()))[0]:
                    return self._timed_out(limit)
                chunk = os.read(self._from, 1 << 18)
                size += len(chunk)
                if not chunk or size > LARGEST_ANSWER:
                    return self._died()
                chunks.append(chunk)
            line, _, self._left = b"".join(chunks).partition(b"\n")
            answer = json.loads(line)
            return answer if isinstance(answer, dict) and "ending" in answer else self._died()
        except (BrokenPipeError, ValueError):
            return self._died()

    def _timed_out(self, limit: float) -> Outcome:
        self.stop()
        return Outcome(Ending.TIMED_OUT, message=f"did not end within {limit:g} s", seconds=limit)

    def _died(self) -> Outcome:
        process = self._process
        code: int | None = None
        if process is not None:
            with contextlib.suppress(subprocess.TimeoutExpired):
                code = process.wait(timeout=1)
        self.stop()
        if code is not None and code < 0:
            how = f"killed by {signal.Signals(-code).name}"
        else:
            how = f"its process ended with status {code}" if code is not None else "its process broke off the talk"
        return Outcome(Ending.DIED, message=how)

    def stop(self) -> None:
        """End the process and whatever it started."""
        process, self._process = self._process, None
        if process is None:
            return
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        os.close(self._to)
        os.close(self._from)


def _outcome(answer: dict[str, Any]) -> Outcome:
    reply = answer.get("reply")
    return Outcome(
        Ending(answer["ending"]),
        HttpReply.from_fields(from_plain(reply)) if reply else None,
        answer.get("error", ""),
        answer.get("message", ""),
        answer.get("trace", ""),
        answer.get("output", ""),
        answer.get("logs", []),
        answer.get("seconds", 0.0),
        answer.get("value"),
        tuple(answer.get("again", ())),
        tuple(Effect(one["operation"], from_plain(one["fields"])) for one in answer.get("effects", ())),
    )
