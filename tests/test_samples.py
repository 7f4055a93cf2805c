"""Samples and conversion: raw requests, native events, and what is neither."""

from __future__ import annotations

import contextlib
import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from conftest import Run, request
from hypothesis import given
from hypothesis import strategies as st

from vast_ferry import BadInput, convert
from vast_ferry.demo import PROJECT
from vast_ferry.events.http_message import read_request
from vast_ferry.events.lines import CHUNK
from vast_ferry.events.native import parse_json, read_events
from vast_ferry.profiles.registry import find_profile

EVENT: dict[str, Any] = json.loads((PROJECT / "samples" / "hive_weight" / "captured.json").read_text())

REQUESTS: list[tuple[bytes, dict[str, Any]]] = [
    (
        b"GET /a%2Fb?x=1&y= HTTP/1.1\r\nHost: a.example\r\n\r\n",
        {"path": "/a%2Fb", "query": "x=1&y=", "authority": "a.example"},
    ),
    (b"GET /a HTTP/1.1\nHost: a\nX-A: 1\nx-a: 2\n\n", {"headers": [("x-a", "1"), ("x-a", "2")]}),
    (b"GET /a? HTTP/1.1\r\nHost: a\r\n\r\n", {"path": "/a", "query": ""}),
    (
        b"GET http://b.example/x?q HTTP/1.1\r\nHost: a\r\n\r\n",
        {"authority": "b.example", "path": "/x", "scheme": "http"},
    ),
    (b"GET http://b.example HTTP/1.1\r\nHost: a\r\n\r\n", {"path": "/"}),
    (b"M-SEARCH /a HTTP/1.1\r\nHost: a\r\nX: \xe4\r\n\r\n", {"method": "M-SEARCH", "headers": [("x", "ä")]}),
    (
        request(body=b"\0\r\n\xff", headers="Content-Type: a/b\r\n"),
        {"body": b"\0\r\n\xff", "headers": [("content-type", "a/b")]},
    ),
    (request(body=b"a") + b"\n", {"body": b"a"}),
    (
        b"POST /a HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: chunked\r\n\r\n3\r\nabc\r\n2\r\nde\r\n0\r\n\r\n",
        {"body": b"abcde", "headers": []},
    ),
]


@pytest.mark.parametrize(("data", "expected"), REQUESTS)
def test_raw_requests_are_read_as_the_wire_has_them(data: bytes, expected: dict[str, Any]) -> None:
    event = read_request(data, "a", "a.http")
    assert {name: getattr(event, name) for name in expected} == expected


@pytest.mark.parametrize(
    ("data", "says", "line"),
    [
        (b"", "not complete", 1),
        (b"hello\n", "a.http:1: the sample is not an HTTP request", 1),
        (b'{"kind": "web"}', "not an HTTP request", 1),
        (b"GET /a HTTP/1.1\r\n\r\n", "not an HTTP request", 1),
        (b"GET /a HTTP/1.1\r\nHost: a\r\nbad header\r\n\r\n", "not an HTTP request", 1),
        (b"POST /a HTTP/1.1\r\nHost: a\r\nContent-Length: 9\r\n\r\nab", "not an HTTP request", 5),
        (b"GET /a HTTP/1.1\r\nHost: a\r\n\r\nmore", "4 bytes follow", 4),
        (b"GET a HTTP/1.1\r\nHost: a\r\n\r\n", "neither a path nor a URI", 1),
        (b"\xff" * 100, "not an HTTP request", 1),
    ],
)
def test_what_is_no_request_is_one_message_with_its_line(data: bytes, says: str, line: int) -> None:
    with pytest.raises(BadInput) as error:
        read_request(data, "a", "a.http")
    assert says in str(error.value)
    assert error.value.place.line == line


@given(st.binary(max_size=60) | st.binary(max_size=30).map(lambda tail: b"POST /a HTTP/1.1\r\nHost: a\r\n" + tail))
def test_any_bytes_are_a_request_or_bad_input(data: bytes) -> None:
    with contextlib.suppress(BadInput):
        read_request(data, "a", "a.http")


def change(path: str, value: Any) -> dict[str, Any]:
    event: dict[str, Any] = json.loads(json.dumps(EVENT))
    *parents, last = path.split(".")
    inner = event
    for parent in parents:
        inner = inner[parent]
    if value is ...:
        del inner[last]
    else:
        inner[last] = value
    return event


WRONG = [
    ("call.verb", 5, "call.verb is 5, which is no text; row ostermere@1 line", "(method)"),
    ("call.verb", ..., "call.verb is missing", "(method)"),
    ("call.at", "noon", 'call.at is "noon", which can\'t be read', "as epoch_ms"),
    ("call", None, "is missing", ""),
    ("fields", [1], "fields is [1], which can't be read", "as joined"),
    ("packed", True, "", ""),
    ("content", 7, "content is 7, which can't be read", "as text_or_base64"),
    ("crumbs", "a=1", "", ""),
    ("who", "m-1", 'who is "m-1", which is no record', "(principal)"),
    ("call.slots", {"a": 1}, "which is no texts", "(captures)"),
    ("kind", "stoer", "this is no event of Ostermere 1", "they are told by event['kind']"),
]


@pytest.mark.parametrize(("path", "value", "says", "also"), WRONG)
def test_a_wrong_event_names_the_row_and_the_place(path: str, value: Any, says: str, also: str) -> None:
    event = change(path, value)
    if not says:
        read_events(event, find_profile("ostermere@1"), "e.json", kind="http")
        return
    with pytest.raises(BadInput) as error:
        convert(event, "ostermere@1", "thornwick@1", shown="e.json")
    assert says in str(error.value)
    assert also in str(error.value)
    assert str(error.value).startswith("e.json:1: ")


JUNK = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=2) | st.dictionaries(st.text(max_size=3), inner, max_size=2),
    max_leaves=4,
)
PLACES = ["ticket", "kind", "call", "fields", "crumbs", "content", "packed", "who"] + [
    f"call.{key}" for key in EVENT["call"]
]


@given(path=st.sampled_from(PLACES), value=JUNK | st.just(...))
def test_any_wrong_type_at_any_row_is_read_or_bad_input(path: str, value: Any) -> None:
    with contextlib.suppress(BadInput):
        convert(change(path, value), "ostermere@1", "wsgi")


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"{", "is not JSON"),
        (b'{"a": 1, "a": 2}', "has the key 'a' twice"),
        (b'{"a": NaN}', "holds NaN"),
        (b'{"a": -Infinity}', "holds -Infinity"),
        (b'{"a": 1e400}', "holds 1e400"),
        (b'"\\ud800"', "half of a surrogate pair"),
        (b'"\xff"', "is not UTF-8"),
        (b"[" * 100_000, "nested too deep"),
        (b"1" * 5000, "can't be read"),
        (b"", "is not JSON"),
    ],
)
def test_hostile_json_is_bad_input(data: bytes, says: str) -> None:
    with pytest.raises(BadInput, match=says):
        parse_json(data, "e.json")


def test_convert_prints_the_event_and_tells_what_is_lost(run: Run, tmp_path: Path) -> None:
    (tmp_path / "e.json").write_text(json.dumps(EVENT))
    done = run("event", "convert", "e.json", "--from", "ostermere@1", "--to", "thornwick@1", cwd=tmp_path)
    assert (done.returncode, done.stderr) == (0, "")
    there = json.loads(done.stdout)
    assert there["params"] == [["day", "mon"], ["day", "tue"], ["unit", ""]]
    back = run("event", "convert", "--from", "thornwick@1", "--to", "ostermere@1", stdin=done.stdout)
    assert json.loads(back.stdout) == EVENT
    lost = run("event", "convert", "-", "--from", "ostermere@1", "--to", "wsgi", stdin=json.dumps(EVENT))
    assert "standard input:1: not held by WSGI: id: it does not arrive" in lost.stderr
    both = run("event", "convert", "--from", "ostermere@1", "--to", "wsgi", "--format", "json", stdin=json.dumps(EVENT))
    assert both.stderr == ""
    assert {loss["code"] for loss in json.loads(both.stdout)["losses"]} == {"no-id", "no-time"}


def test_convert_takes_one_event_a_line(run: Run) -> None:
    lines = "\n".join(json.dumps(change("ticket", f"w-{n}")) for n in range(3)) + "\n\n"
    done = run("event", "convert", "--lines", "--from", "ostermere@1", "--to", "thornwick@1", stdin=lines)
    assert [json.loads(line)["mark"] for line in done.stdout.splitlines()] == ["w-0", "w-1", "w-2"]
    bad = run("event", "convert", "--lines", "--from", "ostermere@1", "--to", "thornwick@1", stdin=lines + "{}\n")
    assert bad.returncode == 2
    assert "standard input:5: " in bad.stderr
    assert "Traceback" not in bad.stderr


HOSTILE = [b"{", b'{"a": 1, "a": 2}', b'{"a": NaN}', b'"\\ud800"', b'"\xff"', b"[" * 100_000, b"1" * 5000]


@pytest.mark.parametrize("data", HOSTILE)
def test_hostile_json_is_bad_input_where_numbers_are_kept_exact_too(data: bytes) -> None:
    with pytest.raises(BadInput):
        parse_json(data, "e.json", exact=True)


def test_decimals_stay_as_they_were_written(run: Run) -> None:
    number = '{"a": 1.10, "b": 1E+400, "c": -0.0, "d": 12345678901234567890.123456789, "e": [1.0, 1]}'
    event = '{"kind": "book", "batch": [{"ticket": "b", "at": 0, "change": "edit", "book": "t", "key": {"k": 2.50}, '
    event += f'"was": null, "now": {number}, "seq": ""}}]}}'
    for other in ("thornwick@1", "fennick", "brackendale", "cloudevents"):
        there = run("event", "convert", "--lines", "--from", "ostermere@1", "--to", other, stdin=event + "\n")
        assert '"k": 2.50' in there.stdout.replace('\\"', '"').replace('"k":2.50', '"k": 2.50')
        back = run("event", "convert", "--lines", "--from", other, "--to", "ostermere@1", stdin=there.stdout)
        assert back.stdout.strip() == event, back.stderr


def test_a_large_file_is_converted_in_order_and_a_mistake_in_it_is_told_by_its_line(run: Run, tmp_path: Path) -> None:
    lines = [json.dumps(change("ticket", f"w-{n}")) for n in range(4000)]
    assert sum(map(len, lines)) > 3 * CHUNK  # several chunks, on several processes
    (tmp_path / "e.jsonl").write_text("\n".join(lines))  # and no line end after the last
    convert = ("event", "convert", "--lines", "--from", "ostermere@1", "--to", "thornwick@1", "e.jsonl")
    done = run(*convert, cwd=tmp_path)
    assert (done.returncode, done.stderr) == (0, "")
    assert [json.loads(line)["mark"] for line in done.stdout.splitlines()] == [f"w-{n}" for n in range(4000)]
    lines[2999] = '{"kind": "web", "ticket": 7}'
    (tmp_path / "e.jsonl").write_text("\n".join(lines))
    bad = run(*convert, cwd=tmp_path)
    assert bad.returncode == 2
    assert "e.jsonl:3000: " in bad.stderr
    assert len(bad.stdout.splitlines()) == 2999  # what stands before it is there, and nothing after it
    assert "Traceback" not in bad.stderr


def test_losses_of_many_lines_are_told_once_and_counted(run: Run) -> None:
    lines = "".join(json.dumps(change("ticket", f"w-{n}")) + "\n" for n in range(5))
    done = run("event", "convert", "--lines", "--from", "ostermere@1", "--to", "wsgi", stdin=lines)
    assert done.stderr.count("id: it does not arrive") == 2
    assert "standard input:1: not held by WSGI: id: it does not arrive" in done.stderr
    assert "standard input: 4 more: id: it does not arrive" in done.stderr


def test_a_line_is_converted_as_soon_as_it_is_there() -> None:
    command = [sys.executable, "-m", "vast_ferry", "event", "convert", "--lines", "--from", "ostermere@1"]
    with subprocess.Popen(
        [*command, "--to", "thornwick@1"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdin is not None
        assert process.stdout is not None
        for number in range(3):
            process.stdin.write(json.dumps(change("ticket", f"w-{number}")) + "\n")
            process.stdin.flush()
            assert json.loads(process.stdout.readline())["mark"] == f"w-{number}"  # while the pipe is still open
        process.stdin.close()
        assert process.wait(timeout=20) == 0
