"""A worker's side of a handler in JavaScript: starts Node in the worker's own sandbox, and calls the handler there.

Loaded by the keeper, by path, so it needs nothing but the standard library. Whatever bounds the worker bounds Node with
it: no network, no files but its own, its memory, its end.
"""

from __future__ import annotations

import base64
import contextlib
import functools
import json
import os
import secrets
import socket
import struct
import subprocess
from collections.abc import Callable
from typing import Any

_HEAD = struct.Struct("!I")
#: So many calls are with Node at most, and none ahead where it printed so many bytes.
_AHEAD = 8
_MOST_PRINTED = 1 << 20


class Thrown(Exception):
    """What a handler threw, as an outcome says it."""

    def __init__(self, told: dict[str, Any]) -> None:
        super().__init__(told.get("message", ""))
        self.told_by_node = told


class NodeSide:
    """Node with one handler loaded in it; services and outbound calls are answered from here."""

    def __init__(self, setup: dict[str, Any], folder: str, services: Any, outbound: Any) -> None:
        self._setup, self._folder, self._services, self._outbound = setup, folder, services, outbound
        self._process: subprocess.Popen[bytes] | None = None
        self._line: socket.socket | None = None
        self._mark, self._seed = "", 1
        self._logs: list[str] = []
        self._unseen: list[list[str]] = []
        self._goes_on = False
        self._reached: dict[str, Any] = {}
        self._ahead = b""  # of what came, what was not asked for yet
        self._posted = 0  # calls that Node has already, or runs: their answers come in this order
        self.seconds = 0.0  # how long the last call took
        self.printed = (0, 0)  # where in what was printed that of the last call begins and ends
        self._read_to = 0
        self.handler = None  # it is on the other side
        #: what calls the handler, by kind of event
        self.calls: dict[str, tuple[str, Callable[[Any, Any], Any], bool]] = {
            kind: (kind, functools.partial(self._call, kind, batch), batch)
            for kind, batch in setup["node"]["kinds"].items()
        }
        self.start()

    def start(self) -> None:
        """Start Node and load the handler; raises Thrown where it can't be loaded."""
        node, self._ahead, self._posted = self._setup["node"], b"", 0
        self._line, far = socket.socketpair()
        with far:
            self._process = subprocess.Popen(
                [node["program"], *node["options"], "--input-type=module", "--eval", node["host"], str(far.fileno())],
                pass_fds=(far.fileno(),),
                cwd=self._folder,
            )
        self._mark = secrets.token_hex(16)
        told = {name: self._setup[name] for name in ("file", "name", "function", "secrets", "apart", "reach")}
        self._send(
            {
                **told,
                "modules": node["modules"],
                "driver": node["driver"],
                "folder": self._folder,
                "secretMark": self._mark,
            }
        )
        answer = self._receive()
        if "failed" in answer:
            self.stop()
            raise Thrown(answer["failed"])

    def begin(self, seed: int, *, cold: bool) -> None:
        """Begin a call; a cold one, made in a copy of the worker, has a Node of its own."""
        self._logs, self._unseen, self._goes_on, self._seed = [], [], False, seed
        self.seconds, self.printed = 0.0, (0, 0)
        if cold and self._line is not None:
            self._line.close()  # the other one's talk goes on in the process that this is a copy of
            self._line = self._process = None
            self._ahead, self._posted = b"", 0

    def ended(self, _: list[str]) -> tuple[bool, list[str], list[list[str]]]:
        """Return whether something of the call goes on, what was logged, and what it started that nobody sees."""
        return self._goes_on, self._logs, sorted(self._unseen)

    def reached(self) -> dict[str, Any]:
        """Return what of the project ran since last asked: path → lists of start, end and count, outer ones first."""
        found, self._reached = self._reached, {}
        return found

    def next_of(self, line: Any, waiting: Any) -> dict[str, Any]:
        """Return the next call; it and those that came with it are with Node already, where they can be.

        So Node runs one while this side reads the answer to the one before it.
        """
        request: dict[str, Any] = waiting.popleft() if waiting else line.receive()
        ahead = self._posted > 0 or self._post(request)
        while ahead and len(waiting) < _AHEAD and self.printed[1] < _MOST_PRINTED and line.more():
            waiting.append(line.receive())
            ahead = self._posted == len(waiting) and self._post(waiting[-1])
        return request

    def printed_by(self, said: Callable[..., str]) -> str:
        """Return what the last call printed; the next one may have printed more."""
        begin, end = self.printed
        if self._process is None:  # it ended, and said no more where that is
            output: str = said(self._read_to)
            self._read_to = 0
            return output
        output, self._read_to = said(begin, end), end
        if not self._posted and end >= _MOST_PRINTED // 2:
            said()  # and forget it
            self._read_to = 0
        return output

    def _post(self, request: dict[str, Any]) -> bool:
        """Send a call that makes one call of the handler without waiting for it; tell whether it was sent.

        Node runs it while this side reads the answers before it.
        """
        kind, hubs = request["kind"], request["hubs"]
        _, _, batch = self.calls[kind]
        if self._process is None or request["cold"] or (len(hubs) != 1 and (request["apart"] or not batch)):
            return False
        self._posted += 1
        self._send_call(kind, hubs, request["limit"], request["seed"], batch=batch)
        return True

    def _send_call(self, kind: str, events: list[dict[str, Any]], limit: float, seed: int, *, batch: bool) -> None:
        self._send({"kind": kind, "events": events, "batch": batch, "limit": limit, "seed": seed})

    def _call(self, kind: str, batch: bool, _: Any, events: Any) -> Any:
        """Return what the handler answered, as hub fields; raises Thrown, or SystemExit where it ended the process."""
        if self._posted:
            self._posted -= 1
        else:
            if self._process is None:
                self.start()
            given = events if batch else [events]
            plain = [{name: value for name, value in event.items() if not callable(value)} for event in given]
            self._send_call(kind, plain, given[0]["limit"] if given else 60, self._seed, batch=batch)
        answer = self._receive()
        self._logs += answer.get("logs", [])
        self._unseen += answer.get("unseen", [])
        self._goes_on = self._goes_on or bool(answer.get("spent"))
        self.seconds += answer.get("seconds", 0.0)
        begin, end = answer.get("printed", (0, 0))
        self.printed = (self.printed[0] if self.printed[1] else begin, end)
        for path, ranges in answer.get("reached", {}).items():
            self._reached.setdefault(path, []).extend(ranges)
        if "failed" in answer:
            raise Thrown(answer["failed"])
        return answer["answered"]

    def stop(self) -> None:
        """End Node, if it runs."""
        if self._line is not None:
            self._line.close()
            self._line = None
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self._process = None

    # --- the line ---

    def _send(self, message: dict[str, Any]) -> None:
        assert self._line is not None
        text = _ENCODER.encode(message).encode()
        with contextlib.suppress(BrokenPipeError, ConnectionResetError):  # that it ended is told when it is listened to
            self._line.sendall(_HEAD.pack(len(text)) + text)

    def _exactly(self, size: int) -> bytes:
        assert self._line is not None
        if len(self._ahead) < size:
            made = bytearray(self._ahead)
            while len(made) < size:
                piece = b""
                with contextlib.suppress(ConnectionResetError):  # it ended before it had read all that was sent ahead
                    piece = self._line.recv(1 << 20)
                if not piece:
                    self._ended()
                made += piece
            self._ahead = bytes(made)
        wanted, self._ahead = self._ahead[:size], self._ahead[size:]
        return wanted

    def _ended(self) -> None:
        """Tell how Node ended, as its own end where it was ended."""
        assert self._process is not None
        status = self._process.wait()
        self._process, self._posted = None, 0
        if status < 0:
            os.kill(os.getpid(), -status)
        if status == 134:  # it ran out of memory, and says so on its way out
            os.abort()
        raise SystemExit(status)

    def _receive(self) -> dict[str, Any]:
        """Return the next message that is no question; questions of services are answered on the way."""
        while True:
            (size,) = _HEAD.unpack(self._exactly(_HEAD.size))
            text = self._exactly(size).decode()
            message: dict[str, Any] = (_DECODER if "$bytes" in text else _WITHOUT_BYTES).decode(text)
            if message.get("mark") != self._mark:
                continue  # something else wrote it
            if "operate" not in message:
                return message
            try:
                value = self._operated(message["operate"], message["hub"])
                self._send({"answer": message["number"], "value": value})
            except Exception as error:  # it is the handler's to deal with
                failed = {"name": type(error).__name__, "message": str(error)}
                self._send({"answer": message["number"], "failed": failed})

    def _operated(self, operation: str, hub: dict[str, Any]) -> Any:
        """Return what an operation on a service gives, or the answer to an outbound call."""
        if operation != "http.call":
            return self._services.operate[operation](hub)
        self._services.note(operation, {**hub, "headers": sorted(hub["headers"])})
        return self._outbound.answer_of(hub["method"], hub["url"])


def _plain(value: Any) -> Any:
    if isinstance(value, bytes):
        return {"$bytes": base64.b64encode(value).decode("ascii")}
    raise TypeError(f"{type(value).__name__} is no JSON value")


def _with_bytes(found: dict[str, Any]) -> Any:
    return base64.b64decode(found["$bytes"]) if found.keys() == {"$bytes"} else found


#: To make one of these costs as much as a small message.
_ENCODER = json.JSONEncoder(default=_plain)
_DECODER = json.JSONDecoder(object_hook=_with_bytes)
_WITHOUT_BYTES = json.JSONDecoder()
