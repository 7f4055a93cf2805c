"""Debuggers that we did not write attach to what is served: they stop in a handler, read a variable, and go on."""

from __future__ import annotations

import contextlib
import json
import re
import signal
import socket
import subprocess
import threading
import time
import urllib.request
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from test_serve import served

from vast_ferry import carry
from vast_ferry.demo import LANGUAGES, PROJECT
from vast_ferry.standins.node_program import node_program


class Adapter:
    """A client of the Debug Adapter Protocol, as editors are."""

    def __init__(self, port: int) -> None:
        self.socket = socket.create_connection(("127.0.0.1", port), timeout=20)
        self.file = self.socket.makefile("rb")
        self.number = 0
        self.events: list[dict[str, Any]] = []

    def ask(self, command: str, *, answered: bool = True, **arguments: Any) -> dict[str, Any]:
        self.number += 1
        own = self.number
        body = json.dumps({"seq": own, "type": "request", "command": command, "arguments": arguments}).encode()
        self.socket.sendall(b"Content-Length: %d\r\n\r\n" % len(body) + body)
        while answered:
            told = self.next()
            if told["type"] == "response" and told["request_seq"] == own:
                assert told["success"], told
                return dict(told.get("body") or {})
            self.events.append(told)
        return {}

    def next(self) -> dict[str, Any]:
        size = 0
        while line := self.file.readline().strip():
            size = int(line.partition(b":")[2])
        return dict(json.loads(self.file.read(size)))

    def event(self, name: str) -> dict[str, Any]:
        while True:
            for told in self.events:
                if told.get("event") == name:
                    self.events.remove(told)
                    return dict(told.get("body") or {})
            self.events.append(self.next())


def free_ports(count: int) -> int:
    """Return the first of so many ports in a row that nobody listens at."""
    for port in range(23_000 + hash(str(Path.cwd())) % 5_000, 60_000, count):
        with closing(socket.socket()) as first, closing(socket.socket()) as last:
            try:
                first.bind(("127.0.0.1", port))
                last.bind(("127.0.0.1", port + count - 1))
            except OSError:
                continue
            return port
    raise AssertionError("no port is free")


@pytest.fixture
def answers() -> list[Any]:
    """Return where it stands what was answered to requests that are made beside."""
    return []


def asked_beside(address: str, answers: list[Any]) -> threading.Thread:
    def ask() -> None:
        with contextlib.suppress(OSError), urllib.request.urlopen(address, timeout=60) as answer:
            answers.append((answer.status, json.load(answer)))

    thread = threading.Thread(target=ask)
    thread.start()
    return thread


def line_of(path: Path, text: str) -> int:
    return next(number for number, line in enumerate(path.read_text().splitlines(), 1) if text in line)


@pytest.mark.slow
def test_a_debugger_stops_in_a_carried_handler_and_reads_a_variable(tmp_path: Path, answers: list[Any]) -> None:
    carry(PROJECT, to="thornwick", out=tmp_path / "there")
    handler = tmp_path / "there" / "handlers" / "hives.py"
    port = free_ports(8)
    with served(tmp_path / "there", tmp_path, "--debug", str(port), "--env", "UNIT=g") as (web, _):
        client = Adapter(port)
        client.ask("initialize", adapterID="tests")
        client.ask("attach", answered=False, justMyCode=True)
        client.event("initialized")
        client.ask("setBreakpoints", source={"path": str(handler)}, breakpoints=[{"line": line_of(handler, "unit = ")}])
        client.ask("configurationDone")
        thread = asked_beside(f"{web.base_url}/hives/h-7/weight?day=mon", answers)
        stopped = client.event("stopped")
        (frame, *_) = client.ask("stackTrace", threadId=stopped["threadId"])["stackFrames"]
        assert frame["name"] == "weight"
        assert client.ask("evaluate", expression="hive", frameId=frame["id"])["result"] == "'h-7'"
        assert answers == []
        client.ask("continue", threadId=stopped["threadId"])
        thread.join(30)
        assert answers[0][0] == 200
        assert answers[0][1]["unit"] == "g"
        client.socket.close()
    assert "hive_weight: debugpy at 127.0.0.1" in (tmp_path / "out.txt").read_text()


INSPECT = """
const [list] = await (await fetch(`http://127.0.0.1:${process.argv[1]}/json/list`)).json();
const socket = new WebSocket(list.webSocketDebuggerUrl);
let number = 0;
const waiting = new Map();
const ask = (method, params = {}) => new Promise((resolve) => {
  number += 1;
  waiting.set(number, resolve);
  socket.send(JSON.stringify({ id: number, method, params }));
});
socket.onopen = async () => {
  await ask("Debugger.enable");
  await ask("Debugger.setBreakpointByUrl", { urlRegex: ".*hives.js", lineNumber: Number(process.argv[2]) - 1 });
  console.log("waiting");
};
socket.onmessage = async ({ data }) => {
  const told = JSON.parse(data);
  if (told.id) waiting.get(told.id)(told.result);
  if (told.method !== "Debugger.paused") return;
  const [{ callFrameId, functionName }] = told.params.callFrames;
  const { result } = await ask("Debugger.evaluateOnCallFrame", { callFrameId, expression: "hive" });
  console.log(JSON.stringify([functionName, result.value]));
  await ask("Debugger.resume");
  process.exit(0);
};
"""


@pytest.mark.slow
def test_nodes_inspector_does_the_same(tmp_path: Path, answers: list[Any]) -> None:
    carry(LANGUAGES["javascript"], to="thornwick", out=tmp_path / "there")
    handler = tmp_path / "there" / "handlers" / "hives.js"
    port = free_ports(8)
    with served(tmp_path / "there", tmp_path, "--debug", str(port)) as (web, _):
        line = str(line_of(handler, "const unit = "))
        words = [node_program(), "--input-type=module", "--eval", INSPECT, str(port), line]
        with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as client:
            assert client.stdout is not None
            assert client.stdout.readline().strip() == "waiting"
            thread = asked_beside(f"{web.base_url}/hives/h-7/weight?day=mon", answers)
            assert json.loads(client.stdout.readline()) == ["weight", "h-7"]
            thread.join(30)
            assert client.wait(20) == 0
        assert answers[0][0] == 200


@pytest.mark.slow
def test_nothing_is_left_where_somebody_stands_at_a_breakpoint(tmp_path: Path) -> None:
    carry(PROJECT, to="thornwick", out=tmp_path / "there")
    handler = tmp_path / "there" / "handlers" / "hives.py"
    text = handler.read_text()
    handler.write_text(re.sub(r"^(    unit = )", r"    breakpoint()\n\1", text, count=1, flags=re.MULTILINE))
    port = free_ports(8)
    with served(tmp_path / "there", tmp_path, "--debug", str(port)) as (web, server):
        thread = asked_beside(f"{web.base_url}/hives/h-7/weight?day=mon", [])
        time.sleep(1)
        server.send_signal(signal.SIGINT)
        server.wait(20)
        thread.join(20)
    for number in range(8):
        with closing(socket.socket()) as one:
            one.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            one.bind(("127.0.0.1", port + number))
    assert not [path for path in (tmp_path / "there").rglob("__pycache__")]
