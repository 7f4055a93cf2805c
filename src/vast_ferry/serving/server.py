"""A project served on loopback by uvicorn: ready when it says so, told call by call, and summed up at its end."""

from __future__ import annotations

import asyncio
import contextlib
import os
import socket
import statistics
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from vast_ferry.collecting.collect import Keeper
from vast_ferry.hub.extras import require
from vast_ferry.hub.findings import BadInput
from vast_ferry.serving.app import App
from vast_ferry.serving.live import GOOD, Done, Live

LOOPBACK: Final = ("127.0.0.1", "localhost", "::1")


@dataclass(slots=True)
class Summary:
    """What was called while it ran: function → how long each call took, in seconds, and how many failed."""

    seconds: dict[str, list[float]] = field(default_factory=dict)
    failed: dict[str, int] = field(default_factory=dict)

    def add(self, done: Done) -> None:
        """Count a call; of very many the last hundred thousand are kept."""
        kept = self.seconds.setdefault(done.function, [])
        kept.append(done.seconds)
        if len(kept) > 100_000:
            del kept[:50_000]
        self.failed[done.function] = self.failed.get(done.function, 0) + (done.outcome.ending not in GOOD)

    def lines(self) -> list[dict[str, Any]]:
        """Return a line a function: calls, failures, and milliseconds at the 50th, 95th and 99th of a hundred."""
        found = []
        for function, seconds in self.seconds.items():
            cuts = statistics.quantiles(seconds, n=100, method="inclusive") if len(seconds) > 1 else [*seconds] * 99
            told = {f"p{at}_ms": round(1000 * cuts[at - 1], 1) for at in (50, 95, 99)}
            found.append({"function": function, "calls": len(seconds), "failed": self.failed[function], **told})
        return found


def listening(host: str, port: int) -> socket.socket:
    """Return a socket that listens there; raises BadInput where that can't be."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    # Its protocol is named, for only then does asyncio send at once what is written: else an answer, which is written
    # in two parts, waits 40 ms for the client to acknowledge the first.
    made = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        made.bind((host, port))
    except OSError as error:
        made.close()
        remedy = "Give another with --port (0: any that is free), or end what listens there"
        raise BadInput(f"{host}:{port} can't be listened at: {error.strerror or error}", remedy) from None
    return made


def serve(
    live: Live,
    *,
    host: str,
    port: int,
    tell: Callable[[Done], None],
    ready: Callable[[str], None],
    ready_file: Path | None = None,
    speed: float = 1.0,
    keeper: Keeper | None = None,
    schedules: bool = False,
) -> Summary:
    """Serve a project until a signal ends it, and return what was called.

    `ready` is told the address when it answers, and so is `ready_file`, which is removed at the end. Raises BadInput
    where uvicorn is not installed, or the port is taken.
    """
    require("uvicorn", "serve", "servers")
    import uvicorn

    summary = Summary()

    def told(done: Done) -> None:
        summary.add(done)
        tell(done)

    app = App(live, told, speed, keeper)
    config = uvicorn.Config(
        app, lifespan="off", log_level="critical", access_log=False, server_header=False, date_header=False,
        proxy_headers=False,  # a request is handed on as it came
        timeout_graceful_shutdown=5, h11_max_incomplete_event_size=64 * 1024,
    )  # fmt: skip
    with listening(host, port) as place:
        shown = f"[{host}]" if ":" in host else host
        address = f"http://{shown}:{place.getsockname()[1]}"

        class Server(uvicorn.Server):
            async def startup(self, sockets: list[socket.socket] | None = None) -> None:
                await super().startup(sockets)
                app.begin(schedules=schedules)
                if ready_file is not None:
                    coming = ready_file.with_name(f".{ready_file.name}.coming")
                    coming.write_text(f"{address}\n", encoding="utf-8")
                    os.replace(coming, ready_file)
                ready(address)

            async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
                live.end()
                await app.close()
                await super().shutdown(sockets)

        try:
            with contextlib.suppress(KeyboardInterrupt):
                asyncio.run(Server(config).serve([place]))
        finally:
            if ready_file is not None:
                with contextlib.suppress(OSError):
                    ready_file.unlink()
    return summary
