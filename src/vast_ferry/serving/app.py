"""The ASGI application before a project that runs: requests by their routes, events as CloudEvents, what follows.

A request goes to the function of its route. A POST to `/` that carries CloudEvents (binary, structured or batched), and
a POST of a native event to `/-/events`, go to every function whose trigger takes them. What they cause goes on by
itself, with the attempts, waits and dead letters that the provider's profile promises.
"""

from __future__ import annotations

import asyncio
import json
from collections.abc import Awaitable, Callable, Coroutine, MutableMapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any, Final

from vast_ferry.collecting.collect import Keeper
from vast_ferry.collecting.found import message_of
from vast_ferry.events.event_message import carries_events, read_message
from vast_ferry.events.native import parse_json, read_events
from vast_ferry.events.recognising import is_event
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import EventTrigger, Function
from vast_ferry.hub.http import HttpEvent, HttpReply
from vast_ferry.hub.outcomes import Ending
from vast_ferry.mapping.helpers import FRAMING
from vast_ferry.profiles.registry import all_profiles
from vast_ferry.serving.asking import in_pool
from vast_ferry.serving.live import FUNCTION, GOOD, LONGEST_CHAIN, Done, Live
from vast_ferry.serving.state import event_of, now

NATIVE: Final = "/-/events"
#: The first wait before an event is tried again, in seconds; it is divided by the speed.
_WAIT: Final = 1.0
_LONGEST_WAIT: Final = 60.0
#: Schedules are looked at so often, in seconds.
_TICK: Final = 0.25
_LARGEST: Final = 100 * 1024 * 1024
#: ending → the status of an answer that a handler did not give
_STATUS: Final = {Ending.TIMED_OUT: 504, Ending.DIED: 502}

Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]


@dataclass(frozen=True, slots=True)
class _Way:
    """One event on its way to one function: what caused it, which attempt it is, how many caused each other before."""

    function: Function
    kind: str
    event: dict[str, Any]
    cause: str
    attempt: int = 1
    depth: int = 0


class App:
    """The application; `tell` is called with each call that is over."""

    def __init__(
        self, live: Live, tell: Callable[[Done], None], speed: float = 1.0, keeper: Keeper | None = None
    ) -> None:
        self.live, self.tell, self.speed, self.keeper = live, tell, speed, keeper
        self._going: set[asyncio.Task[None]] = set()
        self._number = 0

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        """Serve one request (ASGI 3.0)."""
        if scope["type"] != "http":
            return
        largest = self.live.profile.model.limits.largest_request or _LARGEST
        body = await _content(receive, largest)
        if body is None:
            await _answer(send, _plain(413, f"the provider takes {largest:,} bytes at most"))
            return
        if self.live.looks_again:
            await in_pool(self.live.pool, self.live.refresh)
        event = self._event(scope, body)
        if event.method == "POST" and event.path == NATIVE:
            await _answer(send, await self._native(event))
        elif event.method == "POST" and event.path == "/" and carries_events(event.headers):
            await _answer(send, await self._cloud_events(event))
        else:
            await _answer(send, await self._request(event), head=event.method == "HEAD")

    async def close(self) -> None:
        """Give up what goes on."""
        for task in self._going:
            task.cancel()
        await asyncio.gather(*self._going, return_exceptions=True)

    def begin(self, *, schedules: bool) -> None:
        """Begin what goes on by itself."""
        if schedules:
            self._go(self._by_the_clock())

    async def _by_the_clock(self) -> None:
        """Call functions when their schedules fire, for as long as it runs."""
        last = datetime.now(UTC)
        while True:
            await asyncio.sleep(_TICK)
            await in_pool(self.live.pool, self.live.refresh)
            until = datetime.now(UTC)
            for function in self.live.functions:
                for trigger in function.triggers:
                    if not isinstance(trigger, EventTrigger) or trigger.schedule is None:
                        continue
                    for due in trigger.schedule.firings(last):
                        if due > until:
                            break
                        told = due.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
                        event = event_of("schedule", name=trigger.source or function.name, due=told)
                        self._go(self._delivered(_Way(function, "schedule", event, f"the schedule, due {told}")))
            last = until

    def _event(self, scope: MutableMapping[str, Any], body: bytes) -> HttpEvent:
        self._number += 1
        headers = [(name.decode("latin-1").lower(), value.decode("latin-1")) for name, value in scope["headers"]]
        authority = next((value for name, value in headers if name == "host"), "")
        kept = [(name, value) for name, value in headers if name != "host" and name not in FRAMING]
        raw = scope.get("raw_path") or scope["path"].encode()
        return HttpEvent(
            f"r-{self._number}",
            now(),
            scope["method"],
            scope.get("scheme", "http"),
            authority,
            raw.partition(b"?")[0].decode("latin-1"),
            scope["query_string"].decode("latin-1"),
            headers=kept,
            body=body,
            client=(scope.get("client") or ("",))[0],
        )

    # --- requests ---

    async def _request(self, event: HttpEvent) -> HttpReply:
        reply, function, routed = self.live.request(event)
        if reply is not None or function is None:
            return self._nobody(event, reply or HttpReply(404))
        self._keep(event)
        done = await self._called(_Way(function, "http", routed.as_fields(), f"{event.method} {event.target}"))
        outcome = done.outcome
        if outcome.reply is None:
            return _plain(_STATUS.get(outcome.ending, 500), str(outcome))
        largest, size = self.live.profile.model.limits.largest_reply, len(outcome.reply.body)
        if largest and size > largest:
            self.live.say(f"{function.name} answered {size:,} bytes, and the provider lets {largest:,} through")
            return _plain(502, f"the reply has {size:,} bytes, and the provider lets {largest:,} through")
        return outcome.reply

    def _nobody(self, event: HttpEvent, reply: HttpReply) -> HttpReply:
        """Return the answer where no function is for a request, with the routes that there are."""
        routes = [
            f"{method} {route.route}"
            for one in self.live.functions
            for route in one.routes
            for method in route.methods or ("any",)
        ]
        text = f"no function is for {event.method} {event.path}; there are: {', '.join(routes) or 'no routes'}"
        self.live.say(text)
        told = _plain(reply.status, text)
        return replace(told, headers=[*reply.headers, *told.headers])

    async def _called(self, way: _Way) -> Done:
        done = await self.live.call(way.function, way.kind, [way.event], way.cause, way.attempt)
        self.tell(done)
        for kind, event in self.live.caused(done):
            self._follow(kind, event, f"{way.cause} → {way.function.name}", way.depth + 1)
        return done

    def _keep(self, what: Any) -> None:
        """Keep what came in as a sample, where that was asked for; before it is called, for services change."""
        if self.keeper is not None:
            for path in self.keeper.keep(what, self.live.state.before()):
                self.live.say(f"kept: {path}")

    # --- events ---

    def _follow(self, kind: str, event: dict[str, Any], cause: str, depth: int) -> None:
        """Deliver an event that something caused, while everything else goes on."""
        if depth > LONGEST_CHAIN:
            self.live.say(f"{depth} events have caused each other: this one is not delivered ({cause})")
            return
        named = event.pop(FUNCTION, "")
        found = [one for one in self.live.functions if one.name == named] if named else self.live.takers(kind, event)
        if named and not found:
            self.live.say(f"there is no function {named} to start ({cause})")
        for function in found:
            self._go(self._delivered(_Way(function, kind, event, cause, depth=depth)))

    def _go(self, does: Coroutine[Any, Any, None]) -> None:
        task = asyncio.get_running_loop().create_task(does)
        self._going.add(task)
        task.add_done_callback(self._going.discard)

    def _attempts(self, way: _Way) -> tuple[int, bool]:
        """Return how often the provider tries an event, and whether it waits longer each time."""
        promise = next((one for kind, one in self.live.profile.model.delivery.items() if kind == way.kind), None)
        attempts = way.function.attempts or (promise.attempts if promise else 1) or 1
        return attempts, promise is not None and promise.backoff == "doubling"

    async def _delivered(self, way: _Way, *, failed: int = 0) -> None:
        """Deliver an event as often as the provider promises; what failed each time goes where it is kept."""
        attempts, doubling = self._attempts(way)
        for attempt in range(failed + 1, attempts + 1):
            if attempt > 1:
                wait = _WAIT * (2 ** (attempt - 2) if doubling else 1)
                await asyncio.sleep(min(wait, _LONGEST_WAIT) / self.speed)
            event = {**way.event, "attempt": attempt} if "attempt" in way.event else way.event
            done = await self._called(replace(way, event=event, attempt=attempt))
            if done.outcome.ending in GOOD:
                return
        lost, name = way.function.dead_letter, way.function.name
        if lost and way.kind == "message":
            self.live.say(f"{name} failed {attempts} times: {way.event['id']} goes to {lost}")
            self._follow("message", {**way.event, "channel": lost, "attempt": 1}, way.cause, way.depth + 1)
        elif attempts > 1:
            self.live.say(f"{name} failed {attempts} times: {way.event['id']} is given up")

    async def _cloud_events(self, request: HttpEvent) -> HttpReply:
        standard = next(one for one in all_profiles() if one.model.format)
        try:
            events = read_message(message_of(request), standard, "the request")
            for one in events:
                self._keep(one)
            told = [read_events(one, standard, "the request") for one in events]
        except (BadInput, ValueError) as error:
            return _plain(400, str(error))
        return await self._taken([(kind, one) for kind, several in told for one in several], "CloudEvent")

    async def _native(self, request: HttpEvent) -> HttpReply:
        profile = self.live.profile
        try:
            data = parse_json(request.body, "the request", "the event")
            if not is_event(data, profile):
                return _plain(400, f"this is no event of {profile.title}")
            kind, events = read_events(data, profile, "the request")
            self._keep(data)
        except BadInput as error:
            return _plain(400, str(error))
        return await self._taken([(kind, one) for one in events], "event")

    async def _taken(self, events: list[tuple[str, dict[str, Any]]], what: str) -> HttpReply:
        """Deliver events to whom they are for, and answer with what came of it; what fails is tried again later."""
        if any(kind == "http" for kind, _ in events):
            return _plain(400, "a request is sent to its route")
        called: list[dict[str, str]] = []
        for kind, event in events:
            for function in self.live.takers(kind, event):
                way = _Way(function, kind, event, f"{what} {event['id']}")
                done = await self._called(way)
                called.append({"function": function.name, "event": event["id"], "ending": str(done.outcome)})
                if done.outcome.ending not in GOOD and self._attempts(way)[0] > 1:
                    self._go(self._delivered(way, failed=1))
        if not called:
            kinds = ", ".join(dict.fromkeys(kind for kind, _ in events))
            return _plain(404, f"no function takes this {kinds} event")
        names = ", ".join(dict.fromkeys(one["function"] for one in called))
        headers = [("content-type", "application/json"), ("ce-called", names)]
        return HttpReply(200, headers, json.dumps({"called": called}).encode())


_TEXT: Final = ("content-type", "text/plain; charset=utf-8")


def _plain(status: int, text: str) -> HttpReply:
    return HttpReply(status, [_TEXT], f"{text}\n".encode("utf-8", "replace"))


async def _content(receive: Receive, largest: int) -> bytes | None:
    """Return a request's content; nothing where it is larger than may be."""
    parts: list[bytes] = []
    size = 0
    while True:
        message = await receive()
        if message["type"] != "http.request":
            return b"".join(parts)
        parts.append(message.get("body", b""))
        size += len(parts[-1])
        if size > largest:
            return None
        if not message.get("more_body"):
            return b"".join(parts)


async def _answer(send: Send, reply: HttpReply, *, head: bool = False) -> None:
    headers = [
        (name.encode("latin-1"), value.encode("latin-1"))
        for name, value in reply.headers
        if name.lower() not in FRAMING
    ]
    bare = reply.status in (204, 304) or reply.status < 200
    if not bare:
        headers.append((b"content-length", str(len(reply.body)).encode()))
    await send({"type": "http.response.start", "status": reply.status, "headers": headers})
    await send({"type": "http.response.body", "body": b"" if head or bare else reply.body})
