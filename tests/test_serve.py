"""A project served on loopback: by real clients, while it is edited, with what its functions cause; and how it ends."""

from __future__ import annotations

import asyncio
import contextlib
import json
import re
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest
from cloudevents.core.bindings.http import to_binary_event, to_structured_event
from cloudevents.core.v1.event import CloudEvent
from conftest import Run, some

from vast_ferry import carry, check
from vast_ferry.checking.against import Endpoint, NoAnswer
from vast_ferry.demo import LANGUAGES, PROJECT
from vast_ferry.hub.http import HttpEvent

AT = ("--from", "ostermere@1")


@contextlib.contextmanager
def served(project: Path, folder: Path, *options: str | Path) -> Iterator[tuple[httpx.Client, subprocess.Popen[str]]]:
    """Serve a project in a process of its own, and give a client of it once it says that it is ready."""
    ready, out = folder / "ready", folder / "out.txt"
    words = [sys.executable, "-m", "vast_ferry", "serve", project, "--port", "0", "--ready-file", ready, *options]
    with (
        out.open("w") as told,
        subprocess.Popen([*map(str, words)], stdout=told, stderr=subprocess.STDOUT, text=True) as server,
    ):
        try:
            for _ in range(300):
                if ready.exists() or server.poll() is not None:
                    break
                time.sleep(0.05)
            assert ready.exists(), out.read_text()
            with httpx.Client(base_url=ready.read_text().strip(), timeout=20) as client:
                yield client, server
        finally:
            server.send_signal(signal.SIGINT)
            with contextlib.suppress(subprocess.TimeoutExpired):
                server.wait(10)
            server.kill()


@pytest.fixture
def apiary(tmp_path: Path) -> Path:
    shutil.copytree(PROJECT, tmp_path / "apiary", ignore=shutil.ignore_patterns("__pycache__"))
    return tmp_path / "apiary"


def until(true: Callable[[], bool]) -> None:
    """Wait until something holds, for ten seconds at most."""
    for _ in range(200):
        if true():
            return
        time.sleep(0.05)
    raise AssertionError("it never came to hold")


def test_it_answers_is_edited_and_answers_again(apiary: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.txt"
    with served(apiary, tmp_path, *AT, "--env", "UNIT=g") as (client, _):
        first = client.get("/hives/h-7/weight?day=mon").json()
        assert (first["hive"], first["unit"]) == ("h-7", "g")
        nobody = client.post("/nothing")
        assert (nobody.status_code, "GET /hives/{hive}/weight" in nobody.text) == (404, True)
        assert client.delete("/hives/h-7/weight").headers["allow"] == "GET, HEAD"
        head = client.head("/hives/h-7/weight?day=mon")
        assert (head.status_code, head.content) == (200, b"")
        handler = apiary / "handlers" / "hives.py"
        good = handler.read_text()
        handler.write_text(good.replace('"hive": ', '"home": '))
        until(lambda: client.get("/hives/h-7/weight?day=mon").json().get("home") == "h-7")
        handler.write_text(good + "\ndef broken(:\n")

        def ran_on() -> bool:  # a change may stay unseen for 200 ms: on a slow machine, looking is rationed
            assert client.get("/hives/h-7/weight?day=mon").json()["home"] == "h-7"
            return "not loaded, what ran before runs on" in out.read_text()

        until(ran_on)
        handler.write_text(good)
        until(lambda: client.get("/hives/h-7/weight?day=mon").json().get("hive") == "h-7")
    told = out.read_text()
    shown = ("8 functions of Ostermere 1 answer at http://127.0.0.1:", "loaded again: handlers/hives.py", "replied 200")
    assert [word for word in (*shown, "half in") if word not in told] == []
    times = [re.findall(r"([\d.]+) ms", line) for line in told.splitlines() if "weight" in line]
    calls, summed = ([list(map(float, one)) for one in times if len(one) == several] for several in (1, 3))
    ascending = [*min(calls), *summed[0], *max(calls)]
    assert ascending == sorted(ascending)


def event_of(kind: str, source: str, data: Any, **more: Any) -> CloudEvent:
    attributes = {
        "specversion": "1.0",
        "id": "c-9",
        "type": kind,
        "source": source,
        "datacontenttype": "application/json",
        **more,
    }
    return CloudEvent(attributes=attributes, data=data)


def test_events_of_the_standards_own_client_are_delivered_and_what_follows(apiary: Path, tmp_path: Path) -> None:
    kept = json.loads((apiary / "samples" / "honey_orders" / "cloudevent.json").read_text())
    state = tmp_path / "state"
    state.mkdir()
    honey = {"table": "honey", "keys": {"kind": "linden"}, "record": {"grams": 900, "jar": 250}}
    (state / "records.json").write_text(json.dumps([honey]))
    # A function that waits for what another sends.
    definition = apiary / "ostermere.yaml"
    definition.write_text(
        definition.read_text() + "  packed: {code: handlers/packed.py#take, when: [{line: packing}]}\n"
    )
    (apiary / "handlers" / "packed.py").write_text(
        "from ostermere import stores\n\n\ndef take(event, ctx):\n    for entry in event['batch']:\n"
        "        stores.put('packed', entry['ticket'], entry['text'])\n"
    )
    with served(apiary, tmp_path, *AT, "--state", state, "--speed", "50", "--format", "json") as (client, _):
        told = {"attributes": kept["attributes"], "attempt": 1, "time": datetime(2026, 11, 28, 8, tzinfo=UTC)}
        event = event_of(kept["type"], kept["source"], kept["data"], **told)
        for message in (to_structured_event(event), to_binary_event(event)):
            done = client.post("/", headers=dict(message.headers), content=message.body)
            assert (done.status_code, done.headers.get("ce-called")) == (200, "honey_orders"), done.text
        until(lambda: (state / "objects.json").is_file() and len(json.loads((state / "objects.json").read_text())) == 2)
        left = next(one for one in json.loads((state / "records.json").read_text()) if one["table"] == "honey")
        assert left["record"]["grams"] == 900 - 2 * kept["data"]["grams"]
        assert client.post("/-/events", content=b'{"kind": "web"').status_code == 400
        nobody = to_structured_event(event_of(kept["type"], "/channels/nobody", {}, **told))
        assert client.post("/", headers=dict(nobody.headers), content=nobody.body).status_code == 404
    lines = [json.loads(line) for line in (tmp_path / "out.txt").read_text().splitlines() if line.startswith("{")]
    assert [one["function"] for one in lines if "cause" in one].count("packed") == 2
    assert {one["function"] for one in lines[-1]["summary"]} == {"honey_orders", "packed"}


@pytest.mark.slow
def test_what_fails_is_tried_as_often_as_is_promised(apiary: Path, tmp_path: Path) -> None:
    kept = json.loads((apiary / "samples" / "honey_orders" / "cloudevent.json").read_text())
    definition = apiary / "ostermere.yaml"
    more = 'vars: {SMALLEST_JAR: "250"}\n    tries: 3\n    aside: honey-orders-failed\n'
    definition.write_text(definition.read_text().replace('vars: {SMALLEST_JAR: "250"}\n', more))
    with served(apiary, tmp_path, *AT, "--speed", "100", "--format", "json") as (client, _):
        assert "failed" in client.post("/", headers={"content-type": "application/cloudevents+json"}, json=kept).text
        until(lambda: "honey-orders-failed" in (tmp_path / "out.txt").read_text())
    lines = [json.loads(line) for line in (tmp_path / "out.txt").read_text().splitlines() if '"cause"' in line]
    assert [one["attempt"] for one in lines] == [1, 2, 3]


@pytest.mark.slow
def test_schedules_fire_by_the_clock(tmp_path: Path) -> None:
    (tmp_path / "p" / "wiring").mkdir(parents=True)
    (tmp_path / "p" / "marrowby.json").write_text('{"yard": "apiary"}')
    wires = {"code": "h.py:run", "wires": [{"to": "arrival", "hour": "* * * * * *"}]}
    (tmp_path / "p" / "wiring" / "night.json").write_text(json.dumps(wires))
    (tmp_path / "p" / "h.py").write_text('def run(arrival, log):\n    log.line("due", at=arrival["hour"])\n')

    def due() -> list[datetime]:  # calls go on beside each other, so a later one may end first
        lines = [json.loads(line) for line in (tmp_path / "out.txt").read_text().splitlines() if '"cause"' in line]
        return sorted(datetime.fromisoformat(one["cause"].rpartition(" ")[2]) for one in lines)

    with served(tmp_path / "p", tmp_path, "--from", "marrowby@1", "--schedules", "--format", "json"):
        until(lambda: len(due()) >= 3 and due()[2] - due()[0] == timedelta(seconds=2))
    assert len({*due()}) == len(due())
    assert not [one for one in due() if one.microsecond]


@pytest.mark.slow
def test_both_languages_and_what_was_carried_are_served(tmp_path: Path, ported: Callable[[str], Path]) -> None:
    for project, options in ((LANGUAGES["javascript"], AT), (ported("wsgi"), ()), (ported("thornwick@1"), ())):
        with served(project, tmp_path, *options) as (client, _):
            assert client.get("/hives/h%2F7/weight?day=mon").json()["hive"] == "h/7"


@pytest.mark.slow
def test_what_comes_in_is_kept_once_with_what_was_there_before(apiary: Path, tmp_path: Path) -> None:
    shutil.rmtree(apiary / "samples")
    kept = json.loads((PROJECT / "samples" / "honey_orders" / "cloudevent.json").read_text())
    with served(apiary, tmp_path, *AT, "--keep", "--redact", "by") as (client, _):
        for _ in range(3):  # from the second on the client has cookies
            client.get("/hives/h-7/weight?day=mon", headers={"authorization": "Bearer secret"})
        client.post("/hives/h-7/inspections", json={"by": "m-12", "frames": 8})
        client.get("/hives/h-9/weight?day=mon")
        client.post("/", headers={"content-type": "application/cloudevents+json"}, json=kept)
        client.get("/nothing")
    found = {path.parent.name: [*path.parent.iterdir()] for path in (apiary / "samples").rglob("*.*")}
    assert {name: len(paths) for name, paths in found.items()} == {
        "hive_weight": 3, "record_inspection": 1, "honey_orders": 1,
    }  # fmt: skip
    texts = {path.name: path.read_text() for paths in found.values() for path in paths}
    assert "get-hives-h-9-weight.yaml" in texts  # by then a record had been written
    assert not [text for text in texts.values() if "secret" in text or '"by": "m-12"' in text]
    carry(apiary, to="thornwick@2", out=tmp_path / "there", source="ostermere@1")
    assert {str(one.verdict) for one in check(tmp_path / "there").checked} == {"same"}


@pytest.mark.parametrize("number", some([signal.SIGTERM, signal.SIGINT, signal.SIGKILL], 3))
def test_whatever_ends_it_leaves_nothing_behind(apiary: Path, tmp_path: Path, number: int) -> None:
    with served(apiary, tmp_path, *AT) as (client, server):
        assert client.get("/hives/h-7/weight?day=mon").status_code == 200
        own = children_of(server.pid)
        assert own
        server.send_signal(number)
        server.wait(10)
        until(lambda: not any(Path(f"/proc/{one}").exists() and not _is_zombie(one) for one in own))
        with pytest.raises(httpx.ConnectError):
            client.get("/hives/h-7/weight")
        assert (tmp_path / "ready").exists() is (number == signal.SIGKILL)


@pytest.mark.slow
def test_a_call_that_hangs_does_not_keep_the_server(tmp_path: Path) -> None:
    project = tmp_path / "p"
    project.mkdir()
    (project / "h.py").write_text("import time\n\ndef run(event, ctx):\n    print('begun')\n    time.sleep(60)\n")
    (project / "ostermere.yaml").write_text("app: a\njobs:\n  f: {code: h.py#run, when: [{web: GET /f}]}\n")
    with served(project, tmp_path, *AT) as (client, server), socket.socket() as link:
        link.connect((client.base_url.host, client.base_url.port or 80))
        link.sendall(b"GET /f HTTP/1.1\r\nHost: a\r\n\r\n")
        until(lambda: bool(children_of(server.pid)))
        time.sleep(0.5)
        server.send_signal(signal.SIGINT)
        server.wait(8)  # it may take 20 s by its limit
        assert b" 502 " in link.recv(100)


def children_of(parent: int) -> set[int]:
    """Return the processes that a process started, and those that they started."""
    found: set[int] = set()
    for path in Path("/proc").iterdir():
        with contextlib.suppress(OSError, ValueError):
            above = int((path / "stat").read_text().rpartition(")")[2].split()[1])
            if path.name.isdigit() and above == parent:
                found |= {int(path.name), *children_of(int(path.name))}
    return found


def _is_zombie(process: int) -> bool:
    with contextlib.suppress(OSError):
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    return True


@pytest.mark.slow
def test_calls_that_wait_behind_others_are_each_answered_once(tmp_path: Path) -> None:
    # Short calls are sent ahead to a worker: one that never ends, and one that ends the process, take none with them.
    project = tmp_path / "p"
    project.mkdir()
    code = "import os, time\n\ndef run(event, ctx):\n    n = event['call']['slots']['x']\n"
    code += "    if n == '150':\n        time.sleep(60)\n    if n == '300':\n        os._exit(3)\n"
    (project / "h.py").write_text(code + "    return {'code': 200, 'content': n * (40_000 if n == '225' else 1)}\n")
    declared = "app: a\njobs:\n  f: {code: h.py#run, longest: 1, when: [{web: 'GET /f/{x}'}]}\n"
    (project / "ostermere.yaml").write_text(declared)

    async def all_of_them(address: str) -> list[httpx.Response]:
        few = asyncio.Semaphore(50)  # who waits for this waits for us, not for the server

        async def one(client: httpx.AsyncClient, number: int) -> httpx.Response:
            async with few:
                return await client.get(f"/f/{number}")

        async with httpx.AsyncClient(base_url=address, timeout=20) as client:
            return await asyncio.gather(*(one(client, number) for number in range(450)))

    with served(project, tmp_path, *AT) as (client, _):
        replies = asyncio.run(all_of_them(str(client.base_url)))
    odd = {number: reply.status_code for number, reply in enumerate(replies) if reply.status_code != 200}
    assert odd == {150: 504, 300: 502}
    assert [reply.text for number, reply in enumerate(replies) if number not in (150, 225, 300)] == [
        str(number) for number in range(450) if number not in (150, 225, 300)
    ]
    assert replies[225].text == "225" * 40_000


@pytest.mark.slow
def test_bad_clients_get_an_answer_and_the_server_goes_on(apiary: Path, tmp_path: Path) -> None:
    wrong = [
        b"GET / HTTP/9.9\r\n\r\n",
        b"nonsense\r\n\r\n",
        b"POST / HTTP/1.1\r\nHost: a\r\nContent-Length: 3\r\nContent-Length: 5\r\n\r\nabc",
        b"POST / HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: chunked\r\nContent-Length: 3\r\n\r\nabc",
        b"GET / HTTP/1.1\r\nHost: a\r\nX: " + b"y" * 200_000 + b"\r\n\r\n",
        b"GET / HTTP/1.1\r\nHost : a\r\n\r\n",
    ]
    with served(apiary, tmp_path, *AT) as (client, _):
        place = (client.base_url.host, client.base_url.port or 80)
        for message in wrong:
            with socket.create_connection(place, 5) as link:
                link.settimeout(5)
                with contextlib.suppress(ConnectionError):
                    link.sendall(message)
                with contextlib.suppress(ConnectionError, TimeoutError):
                    assert link.recv(64)[9:10] in (b"4", b"")
        large = client.post("/hives/h-7/inspections", content=b"x" * 7_000_000)
        assert (large.status_code, "bytes at most" in large.text) == (413, True)
        assert client.get("/hives/h-7/weight?day=mon").status_code == 200


def test_what_can_not_be_served_is_one_message(run: Run, apiary: Path, tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        done = run("serve", apiary, *AT, "--port", taken.getsockname()[1])
        assert (done.returncode, "can't be listened at" in done.stderr) == (2, True)
    (tmp_path / "state").mkdir()
    (tmp_path / "state" / "records.json").write_text("{")
    done = run("serve", apiary, *AT, "--state", tmp_path / "state")
    assert (done.returncode, "it holds no records" in done.stderr) == (2, True)
    gone = run("serve", tmp_path / "none")
    assert gone.returncode == 2


@pytest.mark.slow
def test_what_is_served_passes_a_check_against_it(
    run: Run, apiary: Path, tmp_path: Path, ported: Callable[[str], Path]
) -> None:
    there = ported("thornwick@1")
    with served(there, tmp_path) as (client, _):
        address = str(client.base_url)
        done = run("check", there, "--against", address, "--format", "json")
        told = json.loads(done.stdout)
        assert (done.returncode, told["counts"]["same"], told["counts"]["differs"]) == (0, 13, 0)
    with served(apiary, tmp_path, *AT, "--env", "UNIT=g") as (client, _):
        one = run("check", there, "--against", str(client.base_url), "--rate", "100")
        assert one.returncode == 1
        assert "body $.unit" in one.stdout
    gone = json.loads(run("check", there, "--against", address, "--format", "json").stdout)
    assert {one["verdict"] for one in gone["samples"]} == {"unchecked"}
    assert "gave no answer" in gone["samples"][0]["reasons"][0]
    wrong = run("check", there, "--against", "nowhere")
    assert (wrong.returncode, "no address of an endpoint" in wrong.stderr) == (2, True)
    unset = run("check", there, "--against", address, "--header", "Authorization=NOT_THERE")
    assert (unset.returncode, "no variable NOT_THERE" in unset.stderr) == (2, True)


def test_a_request_that_may_have_arrived_is_not_sent_twice() -> None:
    counts: dict[str, int] = {}
    with socket.create_server(("127.0.0.1", 0)) as server:

        def hang_up() -> None:
            with contextlib.suppress(OSError):
                while True:
                    link, _ = server.accept()
                    with link:
                        method = link.recv(1000).split(b" ")[0].decode()
                        counts[method] = counts.get(method, 0) + 1

        hanging_up = threading.Thread(target=hang_up, daemon=True)
        hanging_up.start()
        for method in ("GET", "POST"):
            with pytest.raises(NoAnswer):
                Endpoint(f"http://127.0.0.1:{server.getsockname()[1]}").ask(HttpEvent(method=method))
        server.shutdown(socket.SHUT_RDWR)  # else it would wait on, and other tests for it
        hanging_up.join(5)
    assert counts == {"GET": 3, "POST": 1}
