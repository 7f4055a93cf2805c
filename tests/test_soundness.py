"""What a handler does with its event unseen comes out the same, or a finding tells so at its line; never neither."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from conftest import ROOT, Project, some

from vast_ferry import Verdict, carry, check, find_profile
from vast_ferry.definitions.writing import write_definition
from vast_ferry.hub.functions import Entry, EventTrigger, Function, RouteTrigger
from vast_ferry.hub.functions import Project as Declared

WAYS = ROOT / "tests" / "projects" / "ways"
#: file of handlers, a letter each → where they are written for, and where they go
FILES = {
    "first": ("ostermere@1", ["thornwick", "marrowby", "brackendale", "quillhaven", "wsgi", "asgi"]),
    "second": ("ostermere@1", ["thornwick", "marrowby", "brackendale", "quillhaven", "wsgi", "asgi"]),
    "batches": ("ostermere@1", ["thornwick", "marrowby", "brackendale", "quillhaven", "ostermere@2"]),
    "asynchronous": ("brackendale@1", ["thornwick", "ostermere@1", "wsgi"]),
    "rebound": ("thornwick@2", ["ostermere@1", "brackendale", "marrowby"]),
    "plain": ("thornwick@2", ["ostermere@1", "brackendale", "quillhaven", "wsgi"]),
}
BODY = b'{"bad": 3}'


def requests(name: str) -> dict[str, str | bytes]:
    """Return two requests to a function: one with a query and header fields that repeat, one with content."""
    head = f"GET /{name}/x?day=mon&day=tue HTTP/1.1\r\nHost: a.example\r\nX-A: 1\r\nX-A: 2\r\nCookie: k=v\r\n\r\n"
    put = f"PUT /{name}/x HTTP/1.1\r\nHost: a.example\r\nContent-Type: application/json\r\n"
    put += f"Content-Length: {len(BODY)}\r\n\r\n"
    return {f"samples/{name}/get.http": head.encode(), f"samples/{name}/put.http": put.encode() + BODY}


def deliveries(name: str) -> dict[str, str | bytes]:
    """Return two deliveries to a function: a batch of one, and one of two of which one is no JSON."""
    one = f"{{channel: q-{name}, body: {{json: {{jars: 3}}}}, attributes: {{a: b}}, id: l-1}}"
    other = f"{{channel: q-{name}, body: not json, id: l-2, content_type: text/plain, group: g, attempt: 2}}"
    return {
        f"samples/{name}/one.yaml": f"kind: message\nevents: [{one}]\n",
        f"samples/{name}/two.yaml": f"kind: message\nevents: [{one}, {other}]\n",
    }


def function(name: str, file: str) -> Function:
    """Return a handler of a file as it would be declared."""
    entry = Entry("h.py", name)
    if file == "batches":
        return Function(name, entry, (EventTrigger("message", f"q-{name}", batch_size=5),))
    return Function(name, entry, (RouteTrigger(f"/{name}/{{one}}", ("GET", "PUT"), "public"),))


@pytest.mark.parametrize(
    ("file", "to"), some([(file, to) for file, (_, there) in FILES.items() for to in there], 9), ids=str
)
def test_whatever_is_done_with_an_event_comes_out_the_same(
    project: Project, tmp_path: Path, file: str, to: str
) -> None:
    code = (WAYS / f"{file}.py").read_text()
    names = re.findall(r"^(?:async )?def (\w)\(", code, re.MULTILINE)
    source = find_profile(FILES[file][0])
    declared = Declared("ways", functions=tuple(function(name, file) for name in names))
    files: dict[str, str | bytes] = {"h.py": code, **write_definition(declared, source)}
    for name in names:
        files.update(deliveries(name) if file == "batches" else requests(name))
    crossing = carry(project(files), to=to, out=tmp_path / "out", source=source)
    assert "wrapped-could-not-write" not in {finding.code for finding in crossing.findings}
    result = check(tmp_path / "out")
    assert len(result.checked) == 2 * len(names) > 20
    untold = [one for one in result.checked if one.verdict not in (Verdict.SAME, Verdict.UNHELD)]
    assert not untold, untold[0]
