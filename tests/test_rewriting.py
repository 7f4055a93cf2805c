"""Handlers rewritten: idioms and what they become, what is refused and why, files as they come, and laws over it."""

from __future__ import annotations

import ast
import textwrap
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import Project, Run, put, some
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from vast_ferry import carry, check
from vast_ferry.crossing.carry import Crossing
from vast_ferry.demo import PROJECT
from vast_ferry.hub.findings import BadInput
from vast_ferry.reports.side_by_side import side_by_side

WEB = "app: a\njobs:\n  f: {code: h.py#f, longest: 5, vars: {A: b}, when: [{web: 'POST /f/{one}'}]}\n"
LINE = "app: a\njobs:\n  f: {code: h.py#f, when: [{line: q}]}\n"
CLOCK = "app: a\njobs:\n  f: {code: h.py#f, when: [{clock: '0 2 * * *'}]}\n"


def rewritten(project: Project, out: Path, code: str, to: str = "thornwick", definition: str = WEB) -> Crossing:
    """Carry a project of one handler, and return the crossing."""
    folder = project({"ostermere.yaml": definition, "h.py": textwrap.dedent(code).lstrip()})
    return carry(folder, to=to, out=out, source="ostermere@1")


#: definition, target, an expression in a handler of (event, ctx) or (entry, ctx) → what it becomes
IDIOMS = [
    (WEB, "thornwick", 'json.loads(event["content"])', "request.json()"),
    (WEB, "marrowby@1", 'json.loads(event["content"])', 'json.loads(visit["load"])'),
    (WEB, "brackendale", 'json.loads(event["content"])', "await request.json()"),
    (WEB, "thornwick", 'event["call"]["first"].get("a", "b")', 'request.params.one("a", "b")'),
    (WEB, "marrowby@1", 'event["call"]["first"].get("a", "b")', 'visit["asked"].get("a", ["b"])[0]'),
    (
        WEB,
        "thornwick@1",
        'parse_qs(event["call"]["search"], keep_blank_values=True).get("a", [])',
        'request.params.every("a")',
    ),
    (WEB, "thornwick@2", 'parse_qs(event["call"]["search"])', "parse_qs(request.search)"),
    (WEB, "thornwick@1", 'parse_qs(event["call"]["search"])', "parse_qs(urlencode(request.params.pairs()))"),
    (WEB, "thornwick", 'event["fields"].get("content-type", "")', 'request.heads.one("content-type", "")'),
    (WEB, "thornwick", 'event["fields"].get("accept", "")', '", ".join(request.heads.every("accept"))'),
    (WEB, "thornwick", 'event["fields"].get("Accept")', "None"),
    (WEB, "thornwick", '"accept" not in event["fields"]', '"accept" not in request.heads'),
    (WEB, "wsgi", 'event["fields"].get("x-a")', 'environ.get("HTTP_X_A")'),
    (WEB, "asgi", 'event["call"]["verb"]', 'scope["method"]'),
    (WEB, "cgi", 'event["call"]["slots"]["one"]', 'json.loads(env.get("ROUTE_CAPTURES", "{}"))["one"]'),
    (WEB, "quillhaven", 'event["who"]["id"]', 'visit.reader["id"]'),
    (WEB, "thornwick", 'event["who"]["id"]', 'request.caller["uid"]'),
    (WEB, "thornwick", "ctx.left_ms() / 1000", "request.run.left()"),
    (WEB, "thornwick", "ctx.left_ms()", "int(request.run.left() * 1000)"),
    (WEB, "brackendale", "ctx.left_ms()", "services.remaining()"),
    (WEB, "quillhaven", 'ctx.sealed("K")', 'desk.unlock("K")'),
    (WEB, "wsgi", 'ctx.sealed("K")', 'os.environ["K"]'),
    (WEB, "wsgi", "ctx.job", '"f"'),
    (WEB, "thornwick", 'event["kind"]', '"web"'),
    (LINE, "thornwick", 'json.loads(entry["text"])', "notice.json()"),
    (LINE, "quillhaven", 'json.loads(entry["text"])', "json.loads(event.data)"),
    (LINE, "fennick", 'entry["tries"] + 1', 'int(env["FEN_TRY"]) + 1'),
    (LINE, "marrowby@1", 'entry["notes"].get("a")', 'arrival["marks"].get("a")'),
    (
        LINE,
        "thornwick",
        'base64.b64decode(entry["text"]) if entry["packed"] else entry["text"].encode()',
        "notice.read()",
    ),
    (
        CLOCK,
        "thornwick",
        'datetime.fromtimestamp(event["due"] / 1000, timezone.utc)',
        'datetime.fromisoformat(notice.wanted.replace("Z", "+00:00"))',
    ),
    (
        CLOCK,
        "fennick",
        'datetime.fromtimestamp(event["due"] / 1000, timezone.utc)',
        'datetime.fromtimestamp(int(env["FEN_DUE"]), timezone.utc)',
    ),
    (CLOCK, "ostermere@2", 'event["due"] // 60000', '(event["due"] // 1_000_000) // 60000'),
]


@pytest.mark.parametrize(("definition", "to", "before", "after"), IDIOMS)
def test_an_idiom_becomes_the_targets_own(
    project: Project, tmp_path: Path, definition: str, to: str, before: str, after: str
) -> None:
    head = (
        "import base64\nimport json\nfrom datetime import datetime, timezone\nfrom urllib.parse import parse_qs\n\n\n"
    )
    body = f"    seen = {before}\n    ctx.note(str(seen))\n"
    if definition == LINE:
        body = "    for entry in event['batch']:\n" + textwrap.indent(body, "    ")
    code = f"{head}def f(event, ctx):\n{body}"
    used = {node.id for node in ast.walk(ast.parse(code)) if isinstance(node, ast.Name)}
    crossing = rewritten(project, tmp_path / "out", code, to, definition)
    (function,) = crossing.record.functions
    assert function.style == "native", [str(f.reason) for f in crossing.findings if f.code.startswith("wrapped")]
    text = crossing.files["h.py"].decode()
    assert f"seen = {after}\n" in text, text
    names = {node.id for node in ast.walk(ast.parse(text)) if isinstance(node, ast.Name)}
    known = {
        a.asname or a.name.split(".")[0]
        for n in ast.walk(ast.parse(text))
        if isinstance(n, ast.Import | ast.ImportFrom)
        for a in n.names
    }
    assert {"json", "base64", "datetime", "timezone", "parse_qs"} & names <= known  # what is used is imported
    assert not (known & used) - names  # and what is used no longer, is not


@pytest.mark.parametrize(
    ("before", "answers"),
    [("", 'Reply("a", heads=[("x-a", "1")])'), ("dict = lambda **told: {}\n\n\n", "dict(code=200")],
)
def test_a_mapping_that_a_call_shows_is_one_in_full(
    project: Project, tmp_path: Path, before: str, answers: str
) -> None:
    code = f'{before}def f(event, ctx):\n    return dict(code=200, fields={{"x-a": "1"}}, content="a")\n'
    assert f"return {answers}" in rewritten(project, tmp_path / "out", code).files["h.py"].decode()


#: Who gives a coroutine that somebody else awaits → how it is carried from an asynchronous provider.
GIVEN_ON = {
    "def respond(request, services):\n    return take(request, services)": "native",
    "def start(asked, kit):\n    return take(asked, kit)\n\nasync def respond(request, services):\n"
    "    return await start(request, services)": "native",
    "def start(asked, kit):\n    begun = take(asked, kit)\n    return begun\n\nasync def respond(request, services):\n"
    "    later = start(request, services)\n    return await later": "wrapped",
}


@pytest.mark.parametrize("given", GIVEN_ON)
@pytest.mark.parametrize("to", some(["ostermere@2", "asgi", "thornwick@2", "wsgi"], 2))
def test_a_plain_function_may_give_a_coroutine(project: Project, tmp_path: Path, given: str, to: str) -> None:
    code = "from brackendale import Response\n\nasync def take(request, services):\n"
    code += '    await services.records.put("seen", {"of": request.method}, {"at": request.groups["one"]})\n'
    code += '    return Response("taken", status=202, headers=[("content-type", "text/plain")])\n\n'
    on = '[{"pattern": "/f/:one", "methods": ["GET"], "access": "open"}]'
    declared = f'{{"service": "a", "functions": {{"f": {{"module": "h.py:respond", "on": {on}}}}}}}'
    request = "GET /f/1 HTTP/1.1\r\nHost: a\r\n\r\n"
    files = {"brackendale.json": declared, "h.py": f"{code}{given}\n", "samples/f/a.http": request}
    crossing = carry(project(files), to=to, out=tmp_path / "out", source="brackendale")
    (function,), (checked,) = crossing.record.functions, check(tmp_path / "out").checked
    assert (function.style, str(checked.verdict), checked.expected) == (
        GIVEN_ON[given],
        "same",
        "replied 202, 1 effect",
    )


#: A decorator that hands the handler something else → what stands at the target, or why it is wrapped.
OTHERWISE = {
    "@taking('by')\ndef f(body, hive):": "def f(request):\n    name = 'by'\n    body = json.loads(request.text() or '{}')\n",
    "@taking(NAME)\ndef f(body, hive):": "    name = NAME\n    body = json.loads(",
    "@taking(AGAIN)\ndef f(body, hive):": "wrapped-decorated",
    "@taking('by')\n@str\ndef f(body, hive):": "wrapped-decorated",
}
TAKING = """import json

NAME = 'by'
AGAIN = 'by'
AGAIN = AGAIN + ''


def taking(name):
    def around(function):
        def inner(event, ctx):
            body = json.loads(event["content"] or '{}')
            if name not in body:
                return {"code": 422, "content": name}
            return function(body, event["call"]["slots"]["one"])
        return inner
    return around


"""


@pytest.mark.parametrize("head", OTHERWISE)
def test_a_decorator_that_hands_on_something_else_is_written_out(project: Project, tmp_path: Path, head: str) -> None:
    code = f'{TAKING}{head}\n    return {{"code": 200, "content": hive + body["by"]}}\n\n\nEVERY = (f,)\n'  # seen by others
    request = "POST /f/h HTTP/1.1\r\nHost: a\r\nContent-Type: application/json\r\nContent-Length: {}\r\n\r\n{}"
    contents = {"by": '{"by": "m"}', "none": "{}"}
    files = {f"samples/f/{k}.http": request.format(len(v), v) for k, v in contents.items()}
    files |= {"ostermere.yaml": WEB, "h.py": code}
    crossing = carry(project(files), to="thornwick", out=tmp_path / "out", source="ostermere@1")
    codes, text = {one.code for one in crossing.findings}, crossing.files["h.py"].decode()
    assert OTHERWISE[head] in (codes if OTHERWISE[head] == "wrapped-decorated" else text), (codes, text)
    assert ("decorator-written-out" in codes) == ("wrapped-decorated" not in codes) == ("def taking" not in text)
    if "str" not in head:
        assert {str(one.verdict) for one in check(tmp_path / "out").checked} == {"same"}


#: What reads an event's identity more than once, in one function and in two → what stands there at a target that has none
SEEN_OFTEN = {
    '    return {"code": 200, "content": str(event["ticket"] == event["ticket"])}\n': "id_ = uuid.uuid4().hex\n",
    '    one = event["ticket"]\n    return {"code": 200, "content": str(told(event) == one)}\n': "http_event(environ)\n",
    '    return {"code": 200, "content": str(len({event["ticket"] for _ in "ab"}))}\n': "id_ = uuid.uuid4().hex\n",
    '    one = event["ticket"]\n    return {"code": 200, "content": str(one == one)}\n': "one = uuid.uuid4().hex\n",
}


@pytest.mark.parametrize("body", SEEN_OFTEN)
def test_what_a_target_never_gives_is_made_once_a_call(project: Project, tmp_path: Path, body: str) -> None:
    code = f'def told(event):\n    return event["ticket"]\n\n\ndef f(event, ctx):\n{body}'
    web = WEB.replace("POST /f/{one}", "GET /f/{one}")
    files = {"ostermere.yaml": web, "h.py": code, "samples/f/a.http": "GET /f/1 HTTP/1.1\r\nHost: a\r\n\r\n"}
    crossing = carry(project(files), to="wsgi", out=tmp_path / "out", source="ostermere@1")
    text = crossing.files["h.py"].decode()
    assert SEEN_OFTEN[body] in text.replace("    id = ", "    id_ = "), text
    (checked,) = check(tmp_path / "out").checked
    assert (str(checked.verdict), checked.expected) == ("same", "replied 200")


@pytest.mark.parametrize("asked", ['.get("x-id")', '.get("x-id", "none")', '["x-id"]'])
@pytest.mark.parametrize("to", some(["thornwick@2", "asgi", "marrowby@2", "brackendale", "quillhaven", "cgi"], 2))
def test_a_header_field_that_is_empty_is_there(project: Project, tmp_path: Path, asked: str, to: str) -> None:
    seen = f'repr(event["fields"]{asked})'
    code = f'def f(event, ctx):\n    try:\n        return {{"code": 200, "content": {seen}}}\n'
    code += '    except KeyError as error:\n        return {"code": 404, "content": str(error)}\n'
    fields = {"none": "", "empty": "X-Id: \r\n", "one": "X-Id: 7\r\n", "two": "X-Id: 7\r\nX-Id: 8\r\n"}
    files = {f"samples/f/{k}.http": f"GET /f/1 HTTP/1.1\r\nHost: a\r\n{v}\r\n" for k, v in fields.items()}
    web = WEB.replace("POST /f/{one}", "GET /f/{one}")
    carry(project({"ostermere.yaml": web, "h.py": code, **files}), to=to, out=tmp_path / "out", source="ostermere@1")
    assert {one.sample: str(one.verdict) for one in check(tmp_path / "out").checked} == {
        f"{name}.http": "same" for name in fields
    }


#: What makes answers gives some callers what they change first; a content may be left at nothing.
TOLD = """def told(code, content=None, fields=None):
    return {"code": code, "content": content, "fields": fields or {}}


def ok(content):
    return told(200, content)


def f(event, ctx):
    word = event["call"]["slots"]["one"]
    if word == "none":
        return told(404)
    if word == "number":
        return told(200, str(len(word)))
    if word == "late":
        late = told(202, word)
        late["fields"]["x-late"] = "1"
        return late
    answer = ok(word)
    if word == "more":
        answer["code"] = 203
        answer["fields"].update({"x-more": "1", "content-type": "text/x-more"})
    return answer
"""


@pytest.mark.parametrize("to", some(["thornwick@2", "wsgi", "marrowby@2", "brackendale", "quillhaven"], 2))
def test_an_answer_that_a_function_gives_is_changed_before_it_is_returned(
    project: Project, tmp_path: Path, to: str
) -> None:
    web = WEB.replace("POST /f/{one}", "GET /f/{one}")
    told = {"none": "replied 404", "number": "replied 200", "more": "replied 203", "less": "replied 200"}
    told["late"] = "replied 202"
    files = {f"samples/f/{word}.http": f"GET /f/{word} HTTP/1.1\r\nHost: a\r\n\r\n" for word in told}
    carry(project({"ostermere.yaml": web, "h.py": TOLD, **files}), to=to, out=tmp_path / "out", source="ostermere@1")
    assert b"answer_with" not in (tmp_path / "out" / "h.py").read_bytes()
    found = {one.sample: (str(one.verdict), one.expected) for one in check(tmp_path / "out").checked}
    assert found == {f"{word}.http": ("same", ending) for word, ending in told.items()}


#: a handler's code → why it is wrapped; at which line
REFUSED = [
    ("def f(event, ctx):\n    exec('event.clear()')\n", "hidden-names", 2),
    ("import ostermere\n\n\ndef f(event, ctx):\n    ostermere.books = None\n", "provider-changed", 5),
    ("def f(event, ctx):\n    event['call'] = {}\n", "event-changed", 2),
    ("def f(event, ctx):\n    return event['cal']['verb']\n", "never-there", 2),
    ("def f(event, ctx):\n    return event['fields']['Accept']\n", "never-there", 2),
    ("def f(event, ctx, more):\n    return 'a'\n", "signature", 1),
    ("def f(event):\n    return 'a'\n", "takes-less", 1),
    ("def f(*given):\n    return 'a'\n", "signature", 1),
    ("def f(event, ctx):\n    if ctx:\n        event = {}\n    return event['call']['verb']\n", "rebound", 4),
    ("import x\n\n\n@x.traced\ndef f(event, ctx):\n    return 'a'\n", "decorated", 4),
    (
        "from ostermere import books\n\n\ndef f(event, ctx):\n    run(books)\n\n\ndef run(b):\n    b.read('a', {})\n",
        "client-passed",
        5,
    ),
    (
        "from ostermere import books\n\nALL = books.read('a', {'b': 1})\n\n\ndef f(event, ctx):\n    return 'a'\n",
        "at-import",
        3,
    ),
    ("from ostermere import lines\n\n\ndef f(event, ctx):\n    lines.post(*['a', 'b'])\n", "arguments-hidden", 5),
    # What it takes is none of the event's: the decorator hands it something else.
    (
        "def around(f):\n    def g(event, ctx):\n        return f(State(event), ctx)\n    return g\n\n\n@around\n"
        "def f(state, ctx):\n    return str(state.cookies)\n\n\nclass State:\n    def __init__(self, event):\n"
        "        self.cookies = event['crumbs']\n",
        "decorated",
        7,
    ),
    ("f = [lambda event, ctx: 'a'][0]\n", "no-definition", 0),
]


@pytest.mark.parametrize(("code", "why", "line"), REFUSED, ids=[why for _, why, _ in REFUSED])
def test_what_can_not_be_followed_is_wrapped_and_says_why(
    project: Project, tmp_path: Path, code: str, why: str, line: int
) -> None:
    to = "brackendale" if why in ("at-import", "client-passed", "arguments-hidden") else "thornwick"
    crossing = rewritten(project, tmp_path / "out", code, to)
    (function,) = crossing.record.functions
    (finding,) = [one for one in crossing.findings if one.code.startswith(("wrapped-", "made-whole-"))]
    assert finding.place.line == line
    if why in ("event-changed", "never-there", "rebound"):  # of the event alone, which is made as it was then
        assert (function.style, finding.code) == ("native", f"made-whole-{why}")
        assert "event = http_event(request)\n" in crossing.files["h.py"].decode()
        return
    assert (function.style, finding.code) == ("wrapped", f"wrapped-{why}")
    assert crossing.files["h.py"] == textwrap.dedent(code).encode()
    strict = carry(tmp_path / "project", to=to, out=tmp_path / "strict", source="ostermere@1", style="native")
    assert strict.blocking


ODD = {
    "tabs and CRLF": b'import json\r\n\r\n\r\ndef f(event, ctx):\r\n\tseen = json.loads(event["content"])\r\n\treturn f"a{seen}"\r\n',
    "a mark": b'\xef\xbb\xbfdef f(event, ctx):\n    return "\xc3\xbc" + event["call"]["verb"]\n',
    "Latin-1": b'# -*- coding: latin-1 -*-\ndef f(event, ctx):\n    return "\xfc" + event["call"]["verb"]  # \xe9\n',
    "no line end": b'def f(event, ctx):\n    return event["call"]["verb"]',
    "a form in one line": b'def f(event, ctx): x = event["call"]; return x["verb"]\n',
    "quotes in texts": b"def f(event, ctx):\n    return f\"{event['call']['verb']} {ctx.job!r:>10}\"\n",
    "a text over lines": b'def f(event, ctx):\n    return """\n  \xc3\xbc {}\n""".format(event["call"]["verb"])\n',
}


@pytest.mark.parametrize("name", ODD)
def test_files_stay_as_they_are_written_but_for_what_changes(project: Project, tmp_path: Path, name: str) -> None:
    sample = b"POST /f/x HTTP/1.1\r\nHost: a\r\nContent-Type: application/json\r\nContent-Length: 1\r\n\r\n7"
    folder = project({"ostermere.yaml": WEB, "h.py": ODD[name], "samples/f/one.http": sample})
    crossing = carry(folder, to="thornwick", out=tmp_path / "out", source="ostermere@1")
    assert crossing.record.functions[0].style == "native"
    made = crossing.files["h.py"]
    assert made.startswith(b"\xef\xbb\xbf") is ODD[name].startswith(b"\xef\xbb\xbf")
    assert made.count(b"\r\n") == (made.count(b"\n") if b"\r\n" in ODD[name] else 0)
    assert [char for char in made if char > 127] == [char for char in ODD[name] if char > 127]
    assert check(tmp_path / "out").good


@pytest.mark.parametrize("to", ["thornwick", "brackendale", "wsgi"])
def test_a_record_maps_every_edit_and_twice_is_the_same(tmp_path: Path, to: str) -> None:
    crossing = carry(PROJECT, to=to, out=tmp_path / "out")
    again = carry(PROJECT, to=to, out=tmp_path / "again")
    assert {path: text for path, text in again.files.items() if path != "crossing.json"} == {
        path: text for path, text in crossing.files.items() if path != "crossing.json"
    }
    edits = [edit for edit in crossing.record.edits if edit.file == "handlers/hives.py"]
    before, after = (PROJECT / "handlers/hives.py").read_bytes(), crossing.files["handlers/hives.py"]

    def at(data: bytes, line: int, column: int) -> int:
        return sum(len(one) for one in data.splitlines(keepends=True)[: line - 1]) + column - 1

    one = other = 0
    for edit in edits:  # what lies between edits is the same, byte for byte
        start, end = at(before, *edit.before[:2]), at(before, *edit.before[2:])
        there, there_end = at(after, *edit.after[:2]), at(after, *edit.after[2:])
        assert before[one:start] == after[other:there]
        one, other = end, there_end
    assert before[one:] == after[other:]
    page = side_by_side(crossing, PROJECT)
    assert page.count("<section") == len({edit.file for edit in crossing.record.edits})
    assert "<mark" in page


def test_the_page_escapes_what_the_author_wrote(project: Project, tmp_path: Path, run: Run) -> None:
    code = 'def f(event, ctx):\n    return "<script>alert(1)</script>" + event["call"]["verb"]\n'
    folder = project({"ostermere.yaml": WEB, "h.py": code})
    done = run("carry", folder, "--to", "thornwick", "--out", tmp_path / "out", "--side-by-side", tmp_path / "a.html")
    assert done.returncode == 0, done.stderr
    assert "<script>" not in (tmp_path / "a.html").read_text()
    refused = run("carry", folder, "--to", "thornwick", "--out", tmp_path / "new", "--side-by-side", tmp_path / "a.pdf")
    assert (refused.returncode, (tmp_path / "new").exists()) == (2, False)


BROKEN = "app: a\njobs:\n  f: {code: h.py#f, when: [{web: GET /f}]}\n  g: {code: g.py#g, when: [{web: GET /g}]}\n"


def test_a_file_that_is_no_python_is_told_and_the_rest_is_carried(project: Project, tmp_path: Path) -> None:
    good = 'def f(event, ctx):\n    return event["call"]["verb"]\n'
    two = "def old(x):\n    print x\n"
    folder = project(
        {"ostermere.yaml": WEB, "h.py": good, "old.py": two, "worse.py": b"\0", "odd.py": b"a = 1\rb = 2\n"}
    )
    crossing = carry(folder, to="thornwick", out=tmp_path / "out")
    assert crossing.record.functions[0].style == "native"
    (told,) = [f for f in crossing.findings if f.code == "not-python" and f.place.file == "old.py"]
    assert (told.place.line, told.place.column) == (2, 5)
    with pytest.raises(BadInput, match=r"g\.py:2:5: the file is not Python"):
        carry(project({"ostermere.yaml": BROKEN, "h.py": good, "g.py": two}, "b"), to="thornwick", out=tmp_path / "n")
    assert not (tmp_path / "n").exists()


def test_helpers_that_call_each_other_and_modules_that_import_each_other(project: Project, tmp_path: Path) -> None:
    files = {
        "ostermere.yaml": WEB,
        "h.py": "from more import down\n\n\ndef f(event, ctx):\n    return down(event, 3)\n\n\ndef up(event, n):\n    return down(event, n - 1)\n",
        "more.py": 'import h\n\n\ndef down(event, n):\n    return h.up(event, n) if n else event["call"]["verb"] * 2\n',
        "samples/f/a.http": b"POST /f/x HTTP/1.1\r\nHost: a\r\n\r\n",
    }
    crossing = carry(project(files), to="brackendale", out=tmp_path / "out", source="ostermere@1")
    assert check(tmp_path / "out").good
    assert crossing.record.functions[0].style in ("native", "wrapped")


CLASSES = """
from ostermere import *


def f(event, ctx):
    books.write("a", {"k": event["call"]["slots"]["one"]}, {"v": 1})
    return G(event, ctx.job).answer()


class Base:
    def __init__(self, event, name):
        self.event, self.name = event, name
        self.call = event["call"]

    def verb(self):
        return self.call["verb"] + self.event["call"]["slots"]["one"]


class G(Base):
    def answer(self):
        try:
            return {"code": 200, "content": self.verb() + self.name}
        except KeyError as error:
            return {"code": 500, "content": str(error)}
"""


@pytest.mark.parametrize("to", ["thornwick", "brackendale", "marrowby", "wsgi"])
def test_classes_that_inherit_and_all_names_of_the_providers_module(project: Project, tmp_path: Path, to: str) -> None:
    sample = b"POST /f/x HTTP/1.1\r\nHost: a\r\n\r\n"
    folder = project({"ostermere.yaml": WEB, "h.py": CLASSES, "samples/f/a.http": sample})
    crossing = carry(folder, to=to, out=tmp_path / "out", source="ostermere@1")
    assert check(tmp_path / "out").good
    assert crossing.record.functions[0].style == "native", [f.reason for f in crossing.findings if "wrapped" in f.code]


@pytest.mark.slow
def test_a_handler_of_twenty_thousand_lines_and_a_deep_one(project: Project, tmp_path: Path) -> None:
    lines = "".join(f'    if event["call"]["verb"] == "{n}":\n        ctx.note("{n}")\n' for n in range(10_000))
    crossing = rewritten(project, tmp_path / "out", f'def f(event, ctx):\n{lines}    return "a"\n')
    assert crossing.record.functions[0].style == "native"
    assert crossing.files["h.py"].count(b"request.verb") == 10_000
    deep = "def f(event, ctx):\n    return " + "(" * 80 + 'event["call"]["verb"]' + ")" * 80 + "\n"
    folder = project({"ostermere.yaml": WEB, "h.py": deep}, "deep")
    assert carry(folder, to="thornwick", out=tmp_path / "deep-out").record.functions[0].style == "native"


# --- laws over generated handlers -------------------------------------------------------------------------------------

READS = [
    'event["call"]["verb"]',
    'call["path"]',
    'call["slots"].get("one")',
    'event["call"]["slots"]["one"]',
    'call["first"].get("a")',
    'call["first"].get("b", "none")',
    '"a" in event["call"]["first"]',
    'parse_qs(call["search"]).get("a", ["x"])[0]',
    'parse_qs(call["search"], keep_blank_values=True)',
    'dict(parse_qsl(call["search"]))',
    'event["fields"].get("accept")',
    'event["fields"].get("content-type", "none").partition(";")[0]',
    '"x-none" in event["fields"]',
    'event["crumbs"]',
    'len(event["crumbs"])',
    'json.loads(event["content"])',
    'event["who"] is None',
    'ctx.sealed("K") if False else "k"',
    'event["kind"]',
    '[name for name in ("a", "b") if name in call["first"]]',
    '(lambda: call["verb"])()',
    "helper(event)",
    'helper(event, "a")',
    'pick(call)["one"]',
    "f\"{call['verb']} {event['call']['path']}\"",
    '{**call["slots"], "more": call["verb"].lower()}',
    'call["verb"] or call["path"]',
    'sorted(call["slots"].items())',
]
SHAPES = [
    "    seen.append({0})\n",
    "    if {0}:\n        seen.append({1})\n    else:\n        seen.append(0)\n",
    "    value = {0}\n    seen.append(value)\n    seen.append(value)\n",
    "    seen += [{0} for _ in range(2)]\n",
    "    one, other = {0}, {1}\n    seen += [one, other]\n",
    "    try:\n        seen.append({0})\n    except KeyError:\n        seen.append('no')\n    finally:\n        seen.append(1)\n",
    "    def inner():\n        return {0}\n\n    seen.append(inner())\n",
    "    while not seen:\n        seen.append({0})\n",
    "    if (named := {0}) is not None:\n        seen.append(named)\n",
]
HEAD = """import json
from urllib.parse import parse_qs, parse_qsl


def helper(event, name="b"):
    first = event["call"]["first"]
    return first.get(name, event["call"]["verb"])


def pick(call):
    return call["slots"]


def f(event, ctx):
    call = event["call"]
    seen = []
"""
REPLY = '    return {"code": 200, "fields": {"content-type": "application/json"}, "content": json.dumps(seen)}\n'
SAMPLES = {
    "samples/f/a.http": b"POST /f/x%2Fy?a=1&a=2&b= HTTP/1.1\r\nHost: a\r\nAccept: text/plain\r\nCookie: s=1; t=2\r\n"
    b'Content-Type: application/json\r\nContent-Length: 7\r\n\r\n{"a":1}',
    "samples/f/b.http": b"POST /f/z?b=%C3%BC+c HTTP/1.1\r\nHost: a\r\nContent-Type: application/json\r\nContent-Length: 1\r\n\r\n7",
}


@st.composite
def handlers(draw: Callable[..., str]) -> str:
    """Draw a handler that reads places in many ways."""
    made = HEAD
    for shape in draw(st.lists(st.sampled_from(SHAPES), min_size=4, max_size=9)):
        made += shape.format(draw(st.sampled_from(READS)), draw(st.sampled_from(READS)))
    return made + REPLY


@pytest.mark.parametrize("to", some(["thornwick@1", "marrowby@1", "brackendale", "quillhaven", "asgi"], 5))
def test_generated_handlers_do_the_same_native_and_wrapped(to: str, tmp_path_factory: pytest.TempPathFactory) -> None:
    @settings(max_examples=3, suppress_health_check=[HealthCheck.too_slow], deadline=None)
    @given(handlers())
    def law(code: str) -> None:
        folder = tmp_path_factory.mktemp("law")
        put(folder / "p", {"ostermere.yaml": WEB, "h.py": code, **SAMPLES})
        crossing = carry(folder / "p", to=to, out=folder / "native", source="ostermere@1")
        wrapped = carry(folder / "p", to=to, out=folder / "wrapped", source="ostermere@1", style="wrapped")
        assert wrapped.record.functions[0].style == "wrapped"
        results = [
            [(one.sample, one.verdict, one.got) for one in check(folder / style).checked]
            for style in ("native", "wrapped")
        ]
        assert results[0] == results[1], crossing.files["h.py"].decode()

    law()
