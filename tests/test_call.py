"""One function called once: in a project of either language, in what was carried, and as people ask for it."""

from __future__ import annotations

import json
import subprocess
import threading
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any

import pytest
from conftest import Run

from vast_ferry import BadInput, call
from vast_ferry.demo import LANGUAGES, PROJECT
from vast_ferry.hub.outcomes import Ending

AT = "ostermere@1"

#: function, sample → how it ends
ENDS = {
    ("hive_weight", "two-days"): Ending.REPLIED,
    ("honey_orders", "three.yaml"): Ending.PARTLY_FAILED,
    ("inspection_summary", "gone"): Ending.FAILED,
    ("nectar_report", "good-day"): Ending.ACKNOWLEDGED,
}


@pytest.mark.parametrize(("function", "sample"), ENDS)
def test_it_ends_as_the_check_sees_it(function: str, sample: str, ported: Callable[[str], Path]) -> None:
    here = call(PROJECT, function, sample, source=AT)
    there = call(ported("thornwick@1"), function, sample)
    assert here.outcome.ending is ENDS[function, sample]
    assert (here.at, there.at) == ("Ostermere 1", "Thornwick 1")
    if here.outcome.reply is not None:
        assert there.outcome.reply == here.outcome.reply
    assert [str(one) for one in there.outcome.effects] == [str(one) for one in here.outcome.effects]


def test_a_carried_project_that_routes_by_itself_is_called_too(ported: Callable[[str], Path]) -> None:
    made = call(ported("wsgi"), "hive_weight", "two-days")
    assert made.outcome.reply is not None
    assert made.outcome.reply.status == 200


def test_handlers_in_javascript_and_variables_over_those_declared() -> None:
    request = b"GET /hives/h-1/weight?day=mon HTTP/1.1\r\nhost: a\r\n\r\n"
    made = call(LANGUAGES["javascript"], "hive_weight", "-", source=AT, given=request, variables={"UNIT": "lb"})
    assert made.outcome.reply is not None
    assert json.loads(made.outcome.reply.body)["unit"] == "lb"


@pytest.mark.parametrize(
    ("function", "sample", "given", "told"),
    [
        ("hive_wieght", "", None, "there is no function 'hive_wieght'"),
        ("hive_weight", "", None, "hive_weight has 8 samples. Name one: as-binary.http"),
        ("hive_weight", "two-dyas", None, "no sample 'two-dyas'"),
        ("hive_weight", "-", b"", "standard input is empty"),
        ("hive_weight", "-", b"GET /", "standard input:1: "),
        ("hive_weight", "-", b"{", "standard input"),
        ("hive_weight", "-", b"GET /none HTTP/1.1\r\nhost: a\r\n\r\n", "GET /none fits no route, not to hive_weight"),
        ("honey_orders", "-", b"GET /x HTTP/1.1\r\nhost: a\r\n\r\n", "honey_orders is for message, and this is http"),
    ],
)
def test_what_can_not_be_called_is_one_message(function: str, sample: str, given: bytes | None, told: str) -> None:
    with pytest.raises(BadInput) as caught:
        call(PROJECT, function, sample, source=AT, given=given)
    assert told in str(caught.value)


def test_the_command_shows_answer_log_and_what_was_done(run: Run) -> None:
    done = run("call", PROJECT, "honey_orders", "three", "--from", AT)
    assert done.returncode == 1
    assert [
        word
        for word in ("partly failed, l-3 again", "Log", "too small", "Done", "message.send packing")
        if word not in done.stdout
    ] == []
    data = json.loads(run("call", PROJECT, "hive_weight", "two-days", "--from", AT, "--format", "json").stdout)
    assert (data["ending"], data["reply"]["status"], data["effects"]) == ("replied", 200, [])
    assert data["milliseconds"] > 0
    wrong = run("call", PROJECT, "hive_weight", "two-days", "--from", AT, "--env", "UNIT")
    assert (wrong.returncode, "write NAME=VALUE" in wrong.stderr) == (2, True)


def test_the_line_that_sends_it_elsewhere_sends_the_same(run: Run) -> None:
    got: list[Any] = []

    class Listener(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            got.append((self.path, self.rfile.read(int(self.headers["content-length"]))))
            self.send_response(204)
            self.end_headers()

        def log_message(self, *_: Any) -> None:
            """Say nothing."""

    with HTTPServer(("127.0.0.1", 0), Listener) as server:
        threading.Thread(target=server.handle_request, daemon=True).start()
        address = f"http://127.0.0.1:{server.server_port}"
        line = run("call", PROJECT, "record_inspection", "notes", "--from", AT, "--curl", address).stdout
        subprocess.run(["bash", "-c", line], check=True, capture_output=True, timeout=20)
    sample = (PROJECT / "samples" / "record_inspection" / "notes.http").read_bytes()
    assert got == [("/hives/h-7/inspections", sample.replace(b"\r\n", b"\n").partition(b"\n\n")[2])]
    wrong = run("call", PROJECT, "nectar_report", "good-day", "--from", AT, "--curl", address)
    assert (wrong.returncode, "which no request sends" in wrong.stderr) == (2, True)
