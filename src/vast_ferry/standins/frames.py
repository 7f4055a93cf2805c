"""What goes over a worker's socket, on its near side: calls as frames, and answers read as outcomes.

A frame is the sizes of a JSON text and of the bytes that it speaks of, the text, and the bytes. The far side of it is
in the worker itself, which is loaded by its path and imports nothing of ours.
"""

from __future__ import annotations

import contextlib
import json
import random
import secrets
import select
import socket
import struct
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Final

from vast_ferry.hub.http import HttpReply
from vast_ferry.hub.operations import Effect
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.standins.clock import waited

#: Sizes of a frame's text and of its bytes, and what stands for bytes in the text.
HEAD: Final = struct.Struct("!IQ8s")
#: What stands for bytes in a frame is nothing that a sample can know; to ask the system each time would let threads in.
_MARKS: Final = random.Random(secrets.token_bytes(16))  # noqa: S311


#: Of calls that are sent ahead so many bytes wait in the socket at most.
ROOM: Final = 1 << 16


@dataclass(frozen=True, slots=True)
class Call:
    """What a handler is called with: a kind, events as hub fields, what services hold, answers to outbound calls."""

    kind: str
    events: tuple[dict[str, Any], ...]
    before: dict[str, Any] = field(default_factory=dict)
    answers: tuple[dict[str, Any], ...] = ()
    apart: bool = False  # where a handler takes batches, it is called with one event after the other
    fails_after: int = 0  # what it does with services fails once, after so many effects; 0: never
    frames: list[tuple[tuple[float, int], bytes]] = field(  # as it was sent; one that is changed is another call
        init=False, default_factory=list, compare=False, repr=False
    )

    def __getstate__(self) -> tuple[Any, ...]:
        """Return what it is, without how it was sent."""
        return self.kind, self.events, self.before, self.answers, self.apart, self.fails_after

    def __setstate__(self, state: tuple[Any, ...]) -> None:
        """Set what it is."""
        for name, value in zip(self.__slots__, (*state, []), strict=True):
            object.__setattr__(self, name, value)


def ready(end: socket.socket, what: int, by: float) -> bool:
    """Wait until a socket can be read, or written to; tell whether that was before a time of `clock.now`."""
    poll = select.poll()
    poll.register(end, what)
    return waited(poll, by)


def sent(talk: socket.socket, data: bytes, by: float) -> bool:
    """Send all of something; tell whether it was sent in time."""
    view = memoryview(data)
    while True:
        with contextlib.suppress(BlockingIOError):
            view = view[talk.send(view) :]
        if not view:
            return True
        if not ready(talk, select.POLLOUT, by):
            return False


def framed(message: dict[str, Any]) -> list[bytes]:
    """Return a message as the parts that go over a worker's socket: its JSON, and every bytes value as it is."""
    mark = _MARKS.randbytes(8)
    key, parts, size = mark.hex(), [b""], 0

    def apart(value: Any) -> Any:
        nonlocal size
        if not isinstance(value, bytes):
            return float(value)  # a decimal kept as it was written is a float to a handler, as JSON would make it
        parts.append(value)
        size += len(value)
        return {key: [size - len(value), len(value)]}

    text = json.dumps(message, default=apart).encode("ascii")
    parts[0] = HEAD.pack(len(text), size, mark) + text
    return parts


def frame_of(call: Call, limit: float, seed: int) -> bytes:
    """Return a call as it is sent; the same call goes to both sides, and a small one is made for both at once."""
    known = next((data for how, data in call.frames if how == (limit, seed)), b"")
    if known:
        return known
    data = b"".join(framed(request_of(call, limit, seed)))
    if len(data) < ROOM // 8:
        call.frames.append(((limit, seed), data))
    return data


def request_of(call: Call, limit: float, seed: int, *, cold: bool = False) -> dict[str, Any]:
    """Return a call as the worker takes it."""
    return {
        "kind": call.kind,
        "hubs": call.events,
        "before": call.before,
        "answers": call.answers,
        "apart": call.apart,
        "fails_after": call.fails_after,
        "limit": limit,
        "seed": seed,
        "cold": cold,
    }


class Unframing:
    """Reads the messages of frames, one after the other, of one socket."""

    def __init__(self) -> None:
        self._decoder = json.JSONDecoder(object_hook=self._with_bytes)  # to make one costs as much as a small message
        self._key, self._bytes = "", memoryview(b"")

    def message(self, data: bytearray, head: int, text: int, key: str) -> dict[str, Any]:
        """Return the message of a frame; raises ValueError for what is none."""
        with memoryview(data) as view, view[head + text :] as after:
            self._key, self._bytes = key, after
            message = self._decoder.decode(str(view[head : head + text], "utf-8"))
        if not isinstance(message, dict) or not isinstance(message.get("ending"), str):
            raise ValueError("no answer")
        return message

    def _with_bytes(self, found: dict[str, Any]) -> Any:
        at = found.get(self._key)
        if at is None:
            return found
        start, size = at
        return bytes(self._bytes[int(start) : int(start) + int(size)])


def outcome_of(answer: dict[str, Any]) -> Outcome:
    """Return what a worker's answer says; raises ValueError, TypeError or KeyError for what is no answer."""
    reply = answer.get("reply")
    said = {name: read(answer[name]) for name, read in _READ.items() if answer.get(name)}
    return Outcome(
        Ending(answer["ending"]), None if reply is None else _reply(reply), value=answer.get("value"), **said
    )


def _reply(reply: dict[str, Any]) -> HttpReply:
    status = reply["status"]
    if isinstance(status, bool) or not isinstance(status, int):
        raise TypeError("a status is a number")
    headers = [(_a(str, name), _a(str, value)) for name, value in reply["headers"]]
    return HttpReply(status, headers, _a(bytes, reply["body"]))


def _a(kind: type, value: Any) -> Any:
    if not isinstance(value, kind):
        raise TypeError(f"{kind.__name__} was wanted")
    return value


def _text(value: Any) -> str:
    return str(_a(str, value))


#: What an answer may say beside a reply, and how it is read; what is empty or missing is as nobody said it.
_READ: Final[dict[str, Callable[[Any], Any]]] = {
    "error": _text,
    "message": _text,
    "trace": _text,
    "output": _text,
    "logs": lambda lines: [_text(one) for one in _a(list, lines)],
    "seconds": float,
    "again": lambda ids: tuple(_text(one) for one in ids),
    "effects": lambda effects: tuple(Effect(_text(one["operation"]), _a(dict, one["fields"])) for one in effects),
    "unseen": lambda unseen: tuple((_text(what), _text(place)) for what, place in unseen),
    "reached": lambda reached: _a(dict, reached),
}
