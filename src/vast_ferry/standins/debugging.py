"""Workers that a debugger can attach to: a process of the user's own for each, outside of the sandbox."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import subprocess
import sys
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final

from vast_ferry.hub.extras import require
from vast_ferry.standins.process import Setup, Worker

_PROGRAM: Final = Path(__file__).with_name("debugged.py")
#: Somebody stands at a breakpoint: nothing ends by its time, for so many seconds.
AS_LONG_AS_IT_TAKES: Final = 86_400.0


@dataclass(frozen=True, slots=True)
class Debugger:
    """Where a debugger attaches: the port on this machine, and whether handlers wait for one before they are loaded."""

    port: int
    waits: bool = False

    def behind(self, number: int) -> Debugger:
        """Return where the debugger of another function attaches: so many ports further."""
        return replace(self, port=self.port + number)


class DebuggedWorker(Worker):
    """A worker that a debugger can attach to (debugpy's protocol for Python, Node's inspector for JavaScript)."""

    def __init__(self, setup: Setup, debugger: Debugger) -> None:
        super().__init__(replace(setup, import_limit=AS_LONG_AS_IT_TAKES))
        self.debugger = debugger
        self._process: subprocess.Popen[bytes] | None = None
        if not setup.javascript:
            require("debugpy", "debug", "breakpoints in Python")

    @property
    def attached_by(self) -> str:
        """Return what attaches, in words."""
        return "Node's inspector" if self.setup.javascript else "debugpy"

    def begin(self) -> str:
        """Start it, so that a debugger can attach; return why it can't be loaded, if it can't."""
        problem = self._start() if self._talk is None else None
        return problem.message if problem is not None else ""

    def _forked(self, wanted: dict[str, Any]) -> tuple[socket.socket, socket.socket]:
        talk, their_talk = socket.socketpair()
        life, their_life = socket.socketpair()
        places = [wanted["folder"], wanted["scratch"], wanted["services"]]
        port = "0" if self.setup.javascript else str(self.debugger.port)
        told = [str(their_talk.fileno()), port, str(int(self.debugger.waits)), *places]
        with their_talk, their_life:
            self._process = subprocess.Popen(
                [sys.executable, "-P", "-X", "utf8", "-X", "frozen_modules=off", str(_PROGRAM), *told],
                pass_fds=(their_talk.fileno(), their_life.fileno()),
                stdin=subprocess.DEVNULL,
                start_new_session=True,
                env={**os.environ, "PYDEVD_DISABLE_FILE_VALIDATION": "1"},
            )
        return talk, life

    def _code(self) -> dict[str, Any]:
        made = super()._code()
        if made["node"] is not None:
            how = "inspect-wait" if self.debugger.waits else "inspect"
            node = made["node"]
            made["node"] = {**node, "options": [*node["options"], f"--{how}=127.0.0.1:{self.debugger.port}"]}
        return made

    def stop(self) -> None:
        """End the process and whatever it started, where somebody stands at a breakpoint too."""
        if self._process is not None:
            with contextlib.suppress(ProcessLookupError, PermissionError):
                os.killpg(self._process.pid, signal.SIGKILL)
            self._process.wait()
            self._process = None
        super().stop()
