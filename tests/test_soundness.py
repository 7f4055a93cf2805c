"""What a handler does with its event unseen comes out the same, or a finding tells so at its line; never neither."""

from __future__ import annotations

import string
from pathlib import Path

import pytest
from conftest import ROOT, Project, some

from vast_ferry import Verdict, carry, check

WAYS = ROOT / "tests" / "projects" / "ways"
TARGETS = ["thornwick", "marrowby", "brackendale", "quillhaven", "wsgi", "asgi"]
#: Handlers of each file; what shares a helper with one that has to be wrapped is wrapped with it.
FILES = {
    "first": string.ascii_lowercase[:11],
    "second": string.ascii_lowercase[:23],
    "batches": string.ascii_lowercase[:12],
}
BODY = b'{"bad": 3}'


def samples(name: str) -> dict[str, str | bytes]:
    """Return two requests to a function: one with a query and header fields, one with content."""
    get = f"GET /{name}/x?day=mon HTTP/1.1\r\nHost: a.example\r\nX-A: 1\r\nCookie: k=v\r\n\r\n"
    put = f"PUT /{name}/x HTTP/1.1\r\nHost: a.example\r\nContent-Type: application/json\r\n"
    put += f"Content-Length: {len(BODY)}\r\n\r\n"
    return {f"samples/{name}/get.http": get.encode(), f"samples/{name}/put.http": put.encode() + BODY}


def deliveries(name: str) -> dict[str, str | bytes]:
    """Return two deliveries to a function: a batch of one, and one of two of which one is no JSON."""
    one = f"{{channel: q-{name}, body: {{json: {{jars: 3}}}}, attributes: {{a: b}}, id: l-1}}"
    other = f"{{channel: q-{name}, body: not json, id: l-2, content_type: text/plain, group: g, attempt: 2}}"
    return {
        f"samples/{name}/one.yaml": f"kind: message\nevents: [{one}]\n",
        f"samples/{name}/two.yaml": f"kind: message\nevents: [{one}, {other}]\n",
    }


PAIRS = [(file, to) for to in TARGETS for file in FILES if file != "batches" or to not in ("wsgi", "asgi")]


@pytest.mark.parametrize(("file", "to"), some(PAIRS, 5), ids=str)
def test_whatever_is_done_with_an_event_comes_out_the_same(
    project: Project, tmp_path: Path, file: str, to: str
) -> None:
    lines = ["app: ways", "jobs:"]
    files: dict[str, str | bytes] = {"h.py": (WAYS / f"{file}.py").read_text()}
    for name in FILES[file]:
        when = ", ".join(f"{{web: '{verb} /{name}/{{one}}', callers: anyone}}" for verb in ("GET", "PUT"))
        when = f"{{line: q-{name}, size: 5}}" if file == "batches" else when
        lines.append(f"  {name}: {{code: 'h.py#{name}', longest: 2, when: [{when}]}}")
        files.update(deliveries(name) if file == "batches" else samples(name))
    files["ostermere.yaml"] = "\n".join(lines) + "\n"
    crossing = carry(project(files), to=to, out=tmp_path / "out", source="ostermere@1")
    assert "could-not-write" not in {finding.code.removeprefix("wrapped-") for finding in crossing.findings}
    result = check(tmp_path / "out")
    assert len(result.checked) == 2 * len(FILES[file])
    untold = [one for one in result.checked if one.verdict not in (Verdict.SAME, Verdict.UNHELD)]
    assert not untold, untold[0]
