"""What is said in several places must be the same: reads by hand and by tables, losses, what is emitted."""

from __future__ import annotations

import importlib.util
import io
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import Project, definition, request, some

from vast_ferry import carry, check
from vast_ferry.checking.compare import Verdict
from vast_ferry.demo import PROJECT

#: what a handler says → a request for which targets once said something else
READS = {
    "return ','.join(event['call']['first'])": request("/a/x?b=1&a=2&b=3&c="),
    "return '|'.join(event['crumbs'])": request(headers="Cookie: a=1\r\nX-A: 1\r\nCookie: b=2\r\n"),
    "return str(list(event['call']['first'].items()))": request("/a/x?z=1&y=2&z=0"),
}
TARGETS = ["thornwick@1", "thornwick@2", "marrowby@1", "brackendale", "quillhaven", "ostermere@2", "wsgi", "asgi"]


@pytest.mark.parametrize("to", some(TARGETS, 2))
def test_reads_keep_order_and_repeats(project: Project, tmp_path: Path, to: str) -> None:
    names = "abc"[: len(READS)]
    code = "".join(f"def {name}(event, ctx):\n    {body}\n" for name, body in zip(names, READS, strict=True))
    files: dict[str, str | bytes] = {"ostermere.yaml": definition(**{n: f"h.py#{n}" for n in names}), "h.py": code}
    for name, raw in zip(names, READS.values(), strict=True):
        files[f"samples/{name}/one.http"] = raw.replace(b"/a/x", f"/{name}/x".encode())
    carry(project(files), to=to, out=tmp_path / "out", source="ostermere@1")
    result = check(tmp_path / "out")
    assert [one.verdict for one in result.checked] == [Verdict.SAME] * len(READS), result.checked


def test_replies_that_need_no_change_stay_as_they_are(project: Project, tmp_path: Path) -> None:
    code = 'def a(event, ctx):\n    return {"code": 200, "fields": {"x-a": "b"}, "content": event["call"]["search"]}\n'
    folder = project({"ostermere.yaml": definition(a="h.py#a"), "h.py": code})
    for one, other in (("ostermere@1", "ostermere@2"), ("ostermere@2", "ostermere@1")):
        crossing = carry(folder, to=other, out=tmp_path / other, source=one)
        assert crossing.files["h.py"].decode() == code
        assert not crossing.record.edits


@pytest.mark.slow
def test_what_services_and_times_there_can_not_hold_explains_the_difference(project: Project, tmp_path: Path) -> None:
    carry(PROJECT, to="fennick", out=tmp_path / "demo")
    result = check(tmp_path / "demo")
    assert (result.count(Verdict.UNHELD), result.count(Verdict.DIFFERS)) == (7, 1)  # the one starts a function
    reasons = {reason.partition(" (")[0] for one in result.checked for reason in one.reasons}
    assert {"message.send content_type: it does not arrive", "message.send attributes: it does not arrive"} <= reasons
    code = "from ostermere import books\ndef a(event, ctx):\n    books.write('t', {'k': 'v'}, {'at': event['due']})\n"
    sample = "kind: schedule\nevent: {name: a, due: '2026-11-25T02:00:00.123Z'}\n"
    job = "app: x\njobs:\n  a: {code: 'h.py#a', when: [{clock: '0 2 * * *'}]}\n"
    folder = project({"ostermere.yaml": job, "h.py": code, "samples/a/one.yaml": sample})
    crossing = carry(folder, to="fennick", out=tmp_path / "time", source="ostermere@1")
    assert "time-cut" in {finding.code for finding in crossing.findings}
    (one,) = check(tmp_path / "time").checked
    assert (one.verdict, "finer than a second" in " ".join(one.reasons)) == (Verdict.UNHELD, True)


TWO = """
workshop = "w"
[piece.a]
entry = "h:a"
[[piece.a.answers]]
verbs = ["GET"]
route = "/a/<x>"
open_to = "all"
[piece.b]
entry = "g:b"
keys = {K = "safe:k"}
[[piece.b.answers]]
verbs = ["GET"]
route = "/b/<x>"
open_to = "all"
"""


@pytest.mark.parametrize("to", ["wsgi", "asgi", "ostermere@1", "brackendale"])
@pytest.mark.parametrize("style", ["auto", "wrapped"])
def test_what_is_written_runs_by_itself_and_says_what_is_missing(
    project: Project, tmp_path: Path, to: str, style: str
) -> None:
    """A handler that never imports its provider, beside one whose secret nobody has set."""
    code = {
        "h.py": "def a(request):\n    return 'hi'\n",
        "g.py": "import os\nK = os.environ['K']\ndef b(request): return K\n",
    }
    out = tmp_path / "out"
    carry(project({"thornwick.toml": TWO, **code}), to=to, out=out, source="thornwick@1", style=style)
    unready = ("g", *(f"b_at_{name}" for name in ("ostermere", "brackendale", "wsgi", "asgi")))
    names = sorted(path.stem for path in out.glob("*.py") if path.stem not in unready)
    lines = f"for name in {names}:\n    try: __import__(name)\n    except ModuleNotFoundError as e: print(name, e.name)"
    done = subprocess.run([sys.executable, "-c", lines], cwd=out, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    # The target's own modules are there at the target; nothing else may be missing.
    assert {line.split()[1] for line in done.stdout.splitlines()} <= {to.partition("@")[0]}
    assert done.stderr == ("b is not served: K is not set in the environment\n" if to in ("wsgi", "asgi") else "")
    if to == "wsgi":
        assert served(out, "/a/x") == ("200 OK", b"hi")
        assert served(out, "/b/x")[0] == "503 Service Unavailable"


def served(folder: Path, path: str) -> tuple[str, bytes]:
    """Return what a carried WSGI program answers."""
    before = dict(sys.modules)
    sys.path.insert(0, str(folder))
    try:
        spec = importlib.util.spec_from_file_location("app_of_two", folder / "app.py")
        assert spec is not None
        assert spec.loader is not None
        module = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(module)
        environ = {"REQUEST_METHOD": "GET", "PATH_INFO": path, "QUERY_STRING": "", "SERVER_NAME": "a"}
        environ |= {"SERVER_PORT": "80", "wsgi.url_scheme": "http", "SERVER_PROTOCOL": "HTTP/1.1"}
        said: list[str] = []
        streams = {"wsgi.input": io.BytesIO(), "wsgi.errors": io.StringIO()}
        body = b"".join(module.application({**environ, **streams}, lambda status, headers: said.append(status)))
        return said[0], body
    finally:
        sys.path.remove(str(folder))
        for name in set(sys.modules) - set(before):
            del sys.modules[name]


NAMES = ("application", "broken", "handle", "load", "os", "plain", "respond", "routes", "served")
PYTHON = "def run(event, ctx):\n    return {'code': 200, 'content': ctx.job}\n"
JAVASCRIPT = "export const run = (event, ctx) => ({ code: 200, content: ctx.job });\n"


@pytest.mark.parametrize(
    ("to", "end", "text", "broken"),
    some(
        [
            *((to, "py", PYTHON, "import not_there_at_all\n") for to in ("wsgi", "asgi", "cgi")),
            *((to, "mjs", JAVASCRIPT, 'import "./not_there.mjs";\n') for to in ("node-http", "fetch")),
        ],
        6,
    ),
)
def test_functions_may_be_called_like_parts_of_a_program_and_one_that_is_broken_stops_no_other(
    project: Project, tmp_path: Path, to: str, end: str, text: str, broken: str
) -> None:
    jobs = [
        f'  {name}: {{code: {"k" if name == "broken" else "h"}.{end}#run, when: [{{web: "GET /{name}/{{x}}"}}]}}\n'
        for name in NAMES
    ]
    files = {"ostermere.yaml": "app: a\njobs:\n" + "".join(jobs), f"h.{end}": text, f"k.{end}": broken + text}
    files |= {f"samples/{name}/a.http": f"GET /{name}/1 HTTP/1.1\r\nHost: a\r\n\r\n" for name in NAMES}
    carry(project(files), to=to, out=tmp_path / "out", source="ostermere@1")
    verdicts = {one.function: str(one.verdict) for one in check(tmp_path / "out").checked}
    assert verdicts == {name: "unchecked" if name == "broken" else "same" for name in NAMES}
