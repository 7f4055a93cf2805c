"""One function called once: in a project of either language, in what was carried, and as people ask for it."""

from __future__ import annotations

import contextlib
import json
import re
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any

import pytest
from conftest import Run

from vast_ferry import BadInput, call, carry
from vast_ferry.checking.affected import affected
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


STAGED = """
app: staged
zone: north-1
jobs:
  take:
    code: one.py#take
    when: [{web: GET /take, callers: anyone}]
    vars: {UNIT: kg, SHOP: main}
    sealed: {KEY: vault/key}
  other:
    code: one.py#take
    when: [{web: GET /other, callers: anyone}]
stages:
  trial:
    jobs: {take: {vars: {UNIT: g}}}
    has: [take]
"""
#: what is asked of a project with stages, and what comes back
STAGES = [
    ((), 0, "kg main"),
    (("--stage", "trial"), 0, "g main"),
    (("--stage", "trial", "--env", "UNIT=lb", "--env", "KEY=own"), 0, "lb main own"),
    (("--stage", "tril"), 2, "there is no stage 'tril' (did you mean 'trial'?). There are: trial"),
]


@pytest.fixture
def staged(tmp_path: Path) -> Path:
    """Return a project with a stage, whose function answers with its settings."""
    folder = tmp_path / "staged"
    (folder / "samples" / "take").mkdir(parents=True)
    (folder / "samples" / "take" / "plain.http").write_text("GET /take HTTP/1.1\r\nhost: a.example\r\n\r\n")
    (folder / "ostermere.yaml").write_text(STAGED)
    (folder / "one.py").write_text(
        "import os\n\n\ndef take(event, ctx):\n"
        "    key = ctx.sealed('KEY')\n"
        "    own = '' if key.startswith('stand-in') else f' {key}'\n"
        "    return {'code': 200, 'content': f\"{os.environ['UNIT']} {os.environ['SHOP']}{own}\"}\n"
    )
    return folder


@pytest.mark.parametrize(("asked", "status", "said"), STAGES)
def test_a_stages_settings_are_those_that_hold_there(
    staged: Path, run: Run, asked: tuple[str, ...], status: int, said: str
) -> None:
    told = run("call", staged, "take", "plain", "--from", "ostermere@1", *asked, "--format", "json")
    assert told.returncode == status, told.stderr
    assert said in (told.stdout if not status else told.stderr)
    if "trial" in asked:
        gone = run("call", staged, "other", "--from", "ostermere@1", "--stage", "trial")
        assert (gone.returncode, "there is no function 'other'" in gone.stderr) == (2, True)


#: what is asked, the exit status, and what is said
LOADS = [
    (("--rate", "50", "--for", "1s"), 0, '"calls": 50, '),
    (("--rate", "20", "--for", "1", "--at", "http://127.0.0.1:9"), 1, "ConnectionRefusedError"),
    (("--rate", "20", "--at", "http://a.example/"), 2, "a.example is not this machine, and is not loaded"),
    (("--rate", "20", "--at", "http://a.example/", "--i-may-load", "http://a.example"), 2, "http://a.example/"),
    (("--rate", "20", "--at", "127.0.0.1"), 2, "'127.0.0.1' is no address"),
    (("--rate", "9000", "--for", "50m"), 2, "that would be 27,000,000 calls"),
    (("--rate", "20", "--for", "soon"), 2, "--for soon is no time"),
    (("--rate", "20", "--plot", "a.gif"), 2, "a.gif is no kind of plot"),
]


@pytest.mark.parametrize(("asked", "status", "said"), LOADS)
def test_a_function_is_called_at_a_rate(staged: Path, run: Run, asked: tuple[str, ...], status: int, said: str) -> None:
    told = run("call", staged, "take", "plain", "--from", "ostermere@1", *asked, "--format", "json")
    assert told.returncode == status, told.stderr
    assert said in (told.stderr if status == 2 else re.sub(r"\s+", " ", told.stdout))


@pytest.mark.slow
def test_both_sides_of_a_crossing_are_loaded_and_drawn(staged: Path, tmp_path: Path, run: Run) -> None:
    carry(staged, to="thornwick", out=tmp_path / "there", source="ostermere@1")
    told = run("call", tmp_path / "there", "take", "--rate", "40", "--for", "1s", "--plot", tmp_path / "l.png")
    assert told.returncode == 0, told.stderr
    assert re.search(r"Ostermere 1 +40 +0 .*\nThornwick 2 +40 +0 ", told.stdout)
    assert (tmp_path / "l.png").read_bytes().startswith(b"\x89PNG")
    checked = run("check", tmp_path / "there", "--function", "take", "--plot", tmp_path / "t.svg")
    assert checked.returncode == 0, checked.stdout
    assert "<path" in (tmp_path / "t.svg").read_text()


def test_what_a_change_concerns_is_checked_again(staged: Path, tmp_path: Path) -> None:
    (staged / "two.py").write_text("def other(event, ctx):\n    return {'code': 204}\n")
    own = "    when: [{web: GET /o"
    text = STAGED.replace(f"    code: one.py#take\n{own}", f"    code: two.py#other\n{own}")
    (staged / "ostermere.yaml").write_text(text)
    carry(staged, to="thornwick", out=tmp_path / "there", source="ostermere@1")
    cases = [
        (staged / "one.py", ["take"]),
        (staged / "two.py", ["other"]),
        (staged / "samples" / "take" / "new.http", ["take"]),
        (staged / "ostermere.yaml", ["take", "other"]),
        (tmp_path / "there" / "two.py", ["other"]),
        (tmp_path / "there" / "crossing.json", ["take", "other"]),
    ]
    for path, wanted in cases:
        assert affected(tmp_path / "there", [path]) == wanted, path


@pytest.mark.slow
def test_a_check_that_watches_goes_on_until_it_is_ended(staged: Path, tmp_path: Path) -> None:
    carry(staged, to="thornwick", out=tmp_path / "there", source="ostermere@1")
    words = [sys.executable, "-m", "vast_ferry", "check", str(tmp_path / "there"), "--watch", "--function", "take"]
    # Whoever runs the tests in the background of a shell has Ctrl-C ignored, and so have all that they start.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    with (
        subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True) as watcher,
        contextlib.ExitStack() as at_last,
    ):
        at_last.callback(watcher.kill)  # it is waited for, however the test ended
        assert watcher.stdout is not None
        told = iter(watcher.stdout.readline, "")
        assert any("watching; Ctrl-C ends it" in line for line in told)
        handler = tmp_path / "there" / "one.py"
        handler.write_text(handler.read_text().replace("200", "201"))
        assert any("one.py changed: take" in line for line in told)
        assert any("differs" in line for line in told)
        assert any("watching; Ctrl-C ends it" in line for line in told)
        watcher.send_signal(signal.SIGINT)
        assert watcher.wait(10) in (130, -signal.SIGINT)
