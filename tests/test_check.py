"""`check`: every verdict, on handlers that behave badly in every way, and on mistakes that it must not miss."""

from __future__ import annotations

import json
import shutil
import textwrap
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from conftest import Project, definition, request, some

from vast_ferry import BadInput, CheckResult, Verdict, carry, check
from vast_ferry.checking.exact_json import Difference, differences, parse_exact
from vast_ferry.demo import PROJECT

#: name → (body of the handler, verdict, what the first difference or reason says)
HANDLERS: dict[str, tuple[str, Verdict, str]] = {
    "raises": ("raise ValueError('no such hive')", Verdict.SAME, ""),
    "exits": ("import sys; sys.exit(3)", Verdict.SAME, ""),
    "hangs": ("import time; time.sleep(60)", Verdict.UNCHECKED, "did not end within"),
    "spins": ("while True: pass", Verdict.UNCHECKED, "did not end within"),
    "dies": ("import os; os._exit(7)", Verdict.UNCHECKED, "status 7"),
    "killed": ("import os; os.kill(os.getpid(), 9)", Verdict.UNCHECKED, "SIGKILL"),
    "prints": (
        "print('x' * 200_000); import os; os.write(1, b'raw'); os.write(2, b'raw'); return 'ok'",
        Verdict.SAME,
        "",
    ),
    "closes": ("import os\nfor n in range(3): os.close(n)\nreturn 'ok'", Verdict.SAME, ""),
    "eats": ("x = bytearray(8 << 30); return 'ok'", Verdict.SAME, ""),
    "deep": ("def f(n): return f(n + 1)\nreturn f(0)", Verdict.SAME, ""),
    "wrong_type": ("return 42", Verdict.SAME, ""),
    "wrong_code": ("return {'code': '200'}", Verdict.SAME, ""),
    "not_final": ("return {'code': 101}", Verdict.SAME, ""),
    "splits": (r"return {'code': 200, 'fields': {'x-a': 'b\r\nset-cookie: c=d'}}", Verdict.SAME, ""),
    "nothing": ("return None", Verdict.SAME, ""),
    "text": ("return 'Grüße'", Verdict.SAME, ""),
    "numbers": ("return json(12345678901234567890.0, '1.0', '1e2', -0.0)", Verdict.SAME, ""),
    "counts": ("global n; n += 1; return str(n)", Verdict.SAME, ""),
    "seeded": ("import random; return str(random.random())", Verdict.SAME, ""),
    "varies": ("import os; return json(os.urandom(8).hex(), 'still')", Verdict.SAME, "body $[0]"),
    "all_varies": ("import os; return {'code': 200 + os.urandom(1)[0]}", Verdict.UNCHECKED, "varies by itself"),
    "told": ("return {'code': 200, 'content': event['ticket']}", Verdict.UNHELD, "id: it does not arrive"),
    "connection": ("return {'code': 200, 'fields': {'connection': 'close'}}", Verdict.UNHELD, "hop-by-hop"),
    "left": ("return str(0 < ctx.left_ms() <= 1500)", Verdict.SAME, ""),
    "named": ("ctx.note('seen', by='m-1'); return ctx.job", Verdict.SAME, ""),
    "unknown_secret": ("return ctx.sealed('NOT_DECLARED')", Verdict.DIFFERS, "error"),
    "own_setting": ("import os; return os.environ['ONLY_ON_MY_MACHINE']", Verdict.SAME, ""),
    "writes": ("open('written.txt', 'w').write('x'); return 'ok'", Verdict.SAME, ""),
    "forks": ("import os\nif not os.fork(): os._exit(0)\nreturn 'ok'", Verdict.SAME, ""),
}

HEAD = """
import json as _json
n = 0

def json(*values):
    return {"code": 200, "fields": {"content-type": "application/json"}, "content": _json.dumps(values)}

"""


@pytest.fixture(scope="module")
def verdicts(tmp_path_factory: pytest.TempPathFactory) -> CheckResult:
    folder = tmp_path_factory.mktemp("bad")
    source = folder / "project"
    for name, (body, _, _) in HANDLERS.items():
        text = HEAD + f"def {name}(event, ctx):\n" + textwrap.indent(body, "    ") + "\n"
        (source / "handlers").mkdir(parents=True, exist_ok=True)
        (source / "handlers" / f"{name}.py").write_text(text)
        (source / "samples" / name).mkdir(parents=True)
        (source / "samples" / name / "one.http").write_bytes(request(f"/{name}/x"))
    (source / "ostermere.yaml").write_text(definition(**{name: f"handlers/{name}.py#{name}" for name in HANDLERS}))
    carry(source, to="wsgi", out=folder / "ported")
    return check(folder / "ported", limit=1.5)


@pytest.mark.parametrize("name", HANDLERS)
def test_whatever_a_handler_does_is_a_verdict(verdicts: CheckResult, name: str) -> None:
    _, verdict, says = HANDLERS[name]
    checked = next(one for one in verdicts.checked if one.function == name)
    assert checked.verdict is verdict, checked
    told = [*(d.at for d in checked.differences), *checked.reasons, *checked.varies]
    assert says in " ".join(told)


def test_running_a_handler_leaves_both_projects_as_they_were(verdicts: CheckResult) -> None:
    project = Path(verdicts.checked[0].file).parents[2]
    for folder in (project, project.parent / "ported"):
        assert not [path for path in folder.rglob("*") if path.name in ("written.txt", "__pycache__")]


def test_a_check_with_unproven_functions_is_not_good(verdicts: CheckResult) -> None:
    assert not verdicts.good
    fails = {one.function for one in verdicts.checked if one.fails}
    assert {"raises", "deep", "exits", "wrong_type"} <= fails
    assert set(verdicts.unproven) == fails | {n for n, (_, v, _) in HANDLERS.items() if v is Verdict.UNCHECKED}


@pytest.mark.parametrize("to", ["wsgi", "asgi", "cgi", "thornwick"])
def test_the_demo_is_the_same_on_every_sample(ported: Callable[[str], Path], to: str) -> None:
    result = check(ported(to))
    count = {"thornwick": 30}.get(to, 13)  # the others have HTTP only
    assert (result.count(Verdict.SAME), len(result.checked), result.good) == (count, count, True)


#: what is broken in the carried project → where the check says so
MUTATIONS = [
    ("wsgi", "handlers/hives.py", '"kg": 1000', '"kg": 1001', "body $.weights[0].weight"),
    ("wsgi", "handlers/hives.py", "max-age=60", "max-age=61", "header cache-control"),
    ("wsgi", "handlers/hives.py", "Max-Age=604800", "Max-Age=1", "header set-cookie[0]"),
    ("wsgi", "handlers/hives.py", '">{len', '"<{len', "body byte 0"),
    ("wsgi", "handlers/hives.py", "problem(400", "problem(404", "status"),
    ("wsgi", "handlers/hives.py", "12345678901234567890 + sum", "12345678901234567890.0 + sum", "body $.grams_ever"),
    ("wsgi", "handlers/inspections.py", "return None", "raise KeyError('x')", "ending"),
    ("wsgi", "app.py", "/hives/{hive}/weight", "/hive/{hive}/weight", "status"),
    ("wsgi", "app.py", "'LONGEST_NOTE': '280'", "'LONGEST_NOTE': '8'", "status"),
    (
        "wsgi",
        "crossing.py",
        "for name, value in headers:\n        if len",
        "for name, value in []:\n        if len",
        "",
    ),
    ("thornwick", "thornwick.toml", '"/hives/<hive>/weight"', '"/hives/<h>/weight"', "ending"),
    ("thornwick", "thornwick.toml", 'LONGEST_NOTE = "280"', 'LONGEST = "280"', "ending"),
    ("thornwick", "thornwick.toml", '"POST"', '"PUT"', "status"),
    ("thornwick", "handlers/hive_weight_at_thornwick.py", "return call_http", "return None and call_http", "status"),
    ("thornwick", "handlers/inspections.py", '"hives": len(rows)', '"hives": 9', "effect 1 object.write body $.hives"),
    (
        "thornwick",
        "handlers/inspections.py",
        '"summaries", target',
        '"summary", target',
        "effect 1 object.write bucket",
    ),
    (
        "thornwick",
        "handlers/inspections.py",
        'form="application/json")',
        'form="")',
        "effect 1 object.write content_type",
    ),
    ("thornwick", "handlers/orders.py", 'again.append(entry["ticket"])', "pass", "ending"),
    ("thornwick", "handlers/orders.py", 'post("packing"', 'post("packed"', "effect 3 message.send channel"),
    (
        "thornwick",
        "handlers/orders.py",
        '"grams": order["grams"]}',
        '"grams": 1.0}',
        "effect 2 record.write record.grams",
    ),
    ("thornwick", "handlers/alerts.py", "> 3", "> 9", "effect 1 http.call body $.high"),
    ("thornwick", "handlers/alerts.py", '"Key "', '"Kex "', "effect 1 http.call headers"),
    ("thornwick", "handlers/members.py", 'lines.post("letters"', 'return; lines.post("letters"', "effect 2"),
    ("thornwick", "handlers/hives.py", "for apiary in (before, after)", "for apiary in (after, before)", "effect 2"),
    ("thornwick", "handlers/reports.py", 'jobs.ask("send_report"', 'jobs.ask("send"', "effect 2 function.start name"),
    ("thornwick", "thornwick.toml", 'match = "north/*.csv"', 'match = "south/*.csv"', "ending"),
    ("thornwick", "crossing.py", "'tries': notice.turn", "'tries': 1", None),
]


@pytest.mark.parametrize(("to", "file", "old", "new", "at"), some(MUTATIONS, 7))
def test_a_mistake_in_what_was_carried_is_found_and_named(
    ported: Callable[[str], Path], tmp_path: Path, to: str, file: str, old: str, new: str, at: str | None
) -> None:
    folder = tmp_path / "a" / "ported"
    shutil.copytree(ported(to), folder)
    record = json.loads((folder / "crossing.json").read_text())
    source = (ported(to) / record["source"]["project"]).resolve()
    text = (folder / file).read_text()
    assert old in text
    (folder / file).write_text(text.replace(old, new))
    touched = {one["name"] for one in record["functions"] if one["entry"].startswith(f"{file}#")}
    samples = sorted(path for name in touched for path in (source / "samples" / name).iterdir())
    result = check(folder, source=source, samples=samples)
    assert result.edited == (file,)
    if at is None:  # no sample shows this one
        assert result.good
        return
    places = [d.at for one in result.checked if one.verdict is Verdict.DIFFERS for d in one.differences]
    assert any(at in place for place in places), places


def test_a_loss_explains_a_difference_only_where_it_explains_all_of_it(ported: Callable[[str], Path]) -> None:
    result = check(ported("wsgi"), without=["raw_target"])
    unheld = [one for one in result.checked if one.verdict is Verdict.UNHELD]
    assert {one.sample for one in unheld} == {"slash-and-plus.http", "captured.json"}
    assert all("encoded slash" in reason for one in unheld for reason in one.reasons)
    assert not result.good
    assert result.count(Verdict.SAME) == 11


def test_a_loss_does_not_excuse_another_mistake(ported: Callable[[str], Path], tmp_path: Path) -> None:
    folder = tmp_path / "ported"
    shutil.copytree(ported("wsgi"), folder)
    text = (folder / "app.py").read_text()
    (folder / "app.py").write_text(text.replace('"404 Not Found"', '"410 Gone"'))
    source = (ported("wsgi") / json.loads((folder / "crossing.json").read_text())["source"]["project"]).resolve()
    result = check(folder, source=source, without=["raw_target"])
    assert result.count(Verdict.DIFFERS) == 2
    assert result.count(Verdict.UNHELD) == 0


KEEPS = """
from ostermere import lines

TOLD = []


def f(event, ctx):
    for entry in event["batch"]:
        TOLD.append(entry["item"])
        for told in TOLD:
            lines.post("told", told)
        raise ValueError("not today")
"""


@pytest.mark.parametrize(("mistake", "verdict"), [(("", ""), Verdict.UNHELD), (("today", "now"), Verdict.DIFFERS)])
def test_a_loss_explains_what_a_handler_keeps_from_call_to_call(
    project: Project, tmp_path: Path, mistake: tuple[str, str], verdict: Verdict
) -> None:
    """Where batches come one event at a time, a handler that fails is called again for what it never came to."""
    keys = ("north/a", "north/b", "north/c")
    entries = "".join(f"  - {{change: created, bucket: hives, key: {key}, etag: x}}\n" for key in keys)
    source = project(
        {
            "ostermere.yaml": "app: a\njobs:\n  f: {code: h.py#f, when: [{store: hives, on: [put]}]}\n",
            "h.py": KEEPS,
            **{f"samples/f/{name}.yaml": f"kind: object\nevents:\n{entries}# {name}" for name in ("one", "two")},
        }
    )
    carry(source, to="brackendale", out=tmp_path / "out")
    handler = next(path for path in (tmp_path / "out").rglob("*.py") if "not today" in path.read_text())
    handler.write_text(handler.read_text().replace(*mistake))
    result = check(tmp_path / "out")
    assert {one.verdict for one in result.checked} == {verdict}
    assert all("batch:" in " ".join(one.reasons) for one in result.checked if verdict is Verdict.UNHELD)


def test_requests_that_reach_no_function_are_compared_too(project: Project, tmp_path: Path) -> None:
    source = project(
        {
            "ostermere.yaml": definition(a="h.py#a"),
            "h.py": "def a(event, ctx):\n    return 'a'\n",
            "samples/a/found.http": request("/a/x"),
            "samples/a/head.http": request("/a/x", "HEAD"),
            "samples/a/not-found.http": request("/b/x"),
            "samples/a/two-segments.http": request("/a/x/y"),
            "samples/a/not-allowed.http": request("/a/x", "PUT"),
            "samples/a/empty-capture.http": request("/a/"),
        }
    )
    for to in ("wsgi", "thornwick"):
        carry(source, to=to, out=tmp_path / to)
        result = check(tmp_path / to)
        assert {one.sample: one.expected for one in result.checked} == {
            "found.http": "replied 200",
            "head.http": "replied 200",
            "not-found.http": "replied 404",
            "two-segments.http": "replied 404",
            "not-allowed.http": "replied 405",
            "empty-capture.http": "replied 404",
        }
        assert result.good, result


EXACT = [
    ('{"a": 1}', '{"a": 1.0}', [("$.a", "1", "1.0")]),
    ("1e2", "100", [("$", "1e2", "100")]),
    (
        "12345678901234567890123",
        "12345678901234567890124",
        [("$", "12345678901234567890123", "12345678901234567890124")],
    ),
    ("0.1000000000000000055", "0.1", [("$", "0.1000000000000000055", "0.1")]),
    ("-0", "0", [("$", "-0", "0")]),
    ('"1"', "1", [("$", '"1"', "1")]),
    ('{"a": null}', "{}", [("$.a", "null", "(missing)")]),
    ('{"b": [1, 2], "a": 3}', '{"a": 3, "b": [1, 2, 4]}', [("$.b[2]", "(missing)", "4")]),
    ('{"a": 1, "a": 2}', '{"a": 2}', [("$", '{"a": 1, "a": 2}', '{"a": 2}')]),
    ('{"it\'s \\"x\\"": 1}', '{"it\'s \\"x\\"": 2}', [("$['it\\'s \"x\"']", "1", "2")]),
    ('{"a": true}', '{"a": 1}', [("$.a", "true", "1")]),
    (' {"a" : [ ] } ', '{"a":[]}', []),
]


@pytest.mark.parametrize(("one", "other", "expected"), EXACT)
def test_json_is_compared_as_json_with_exact_numbers(
    one: str, other: str, expected: list[tuple[str, str, str]]
) -> None:
    assert list(differences(parse_exact(one), parse_exact(other))) == [Difference(*each) for each in expected]
    assert list(differences(parse_exact(one), parse_exact(one))) == []


@pytest.mark.parametrize("text", ["NaN", "[1,]", "{'a': 1}", "", "[" * 100_000])
def test_what_is_not_json_is_not_compared_as_json(text: str) -> None:
    with pytest.raises(ValueError, match=r"."):
        parse_exact(text)


def test_check_refuses_what_it_can_not_check(ported: Callable[[str], Path], tmp_path: Path) -> None:
    folder = ported("wsgi")
    (tmp_path / "empty").mkdir()
    (tmp_path / "s" / "hive_wieght").mkdir(parents=True)
    (tmp_path / "s" / "hive_wieght" / "a.http").write_bytes(request())
    refused: list[tuple[Path, dict[str, Any], str]] = [
        (tmp_path, {}, "holds no crossing"),
        (folder, {"samples": [tmp_path / "nowhere"]}, "there is no file or folder"),
        (folder, {"samples": [tmp_path / "empty"]}, "not a single sample"),
        (folder, {"samples": [tmp_path / "s"]}, "did you mean 'hive_weight'"),
        (folder, {"source": tmp_path / "gone"}, "the original project is not at"),
        (folder, {"without": ["raw_tarket"]}, "did you mean 'raw_target'"),
    ]
    for crossing, options, says in refused:
        with pytest.raises(BadInput, match=says):
            check(crossing, **options)


THORNWICK = """
import os
from thornwick import Reply


def f(request):
    if request.params.one("bytes"):
        return request.read()
    if request.params.one("none"):
        return None
    if "text" in request.params:
        return request.text()
    request.run.say("asked", name=request.run.name)
    seen = [request.verb, request.path, request.parts, request.params.pairs(), request.heads.every("X-A")]
    seen += [request.heads.one("cookie"), request.caller, request.host, request.scheme, os.environ["A"]]
    seen += [request.route, len(request.params)]
    seen += [request.run.name, request.run.secret("KEY"), request.run.left() > 0, list(request.heads), request.peer]
    return Reply(repr(seen), status=203, heads=[("x-b", "1"), ("set-cookie", "a=1"), ("set-cookie", "b=2")])
"""
DECLARED = """
workshop = "w"

[piece.f]
entry = "h:f"
settings = { A = "x" }
keys = { KEY = "safe:key" }

[[piece.f.answers]]
route = "/<one>/<rest..>"
"""


@pytest.mark.parametrize("to", ["wsgi", "ostermere"])
def test_handlers_of_objects_are_the_same_elsewhere(project: Project, tmp_path: Path, to: str) -> None:
    source = project(
        {
            "thornwick.toml": DECLARED,
            "h.py": THORNWICK,
            "samples/f/all.http": request("/a/b/c%20d?x=1&y&x=%C3%BC+z", headers="X-A: 1\r\nCookie: a=1; b=2\r\n"),
            "samples/f/bytes.http": request("/a/b?bytes=1", "POST", "Content-Type: a/b\r\n", b"\xff\0"),
            "samples/f/text.http": request(
                "/a/b?text", "POST", "Content-Type: text/plain; charset=latin-1\r\n", b"\xe4"
            ),
            "samples/f/none.http": request("/a/?none=1", "DELETE"),
            "samples/f/twice.http": request("/a/b", headers="X-A: 1\r\nX-A: 2\r\n"),
        }
    )
    carry(source, to=to, out=tmp_path / "out", style="wrapped")
    result = check(tmp_path / "out")
    verdicts = {one.sample: one.verdict for one in result.checked}
    # what repeats is joined at both targets, and this handler looks at it
    assert verdicts.pop("twice.http") is Verdict.UNHELD
    assert set(verdicts.values()) == {Verdict.SAME}, [one for one in result.checked if one.differences]
    assert "its values arrive as one" in next(one for one in result.checked if one.sample == "twice.http").reasons[0]


def test_what_a_profile_hardly_reads_is_told_by_a_check(ported: Callable[[str], Path], tmp_path: Path) -> None:
    kept = next(path for path in (PROJECT / "samples").rglob("captured.json"))
    event = json.loads(kept.read_text())
    event["call"] |= {"verb": "get", "spare": 1}
    sample = tmp_path / kept.parent.name / "odd.json"
    sample.parent.mkdir()
    sample.write_text(json.dumps(event))
    told = {one.code: one.reason for one in check(ported("wsgi"), samples=[tmp_path]).findings}
    assert "reads method 'get': a method is in capitals" in told["event-odd"]
    assert "reads nothing of call.spare" in told["event-unread"]


def test_samples_that_are_the_same_may_only_be_counted(ported: Callable[[str], Path]) -> None:
    crossing = ported("quillhaven")
    whole, brief = check(crossing), check(crossing, every=False)
    assert brief.total == whole.total == len(whole.checked)
    assert len(brief.checked) < len(whole.checked)
    for verdict in Verdict:
        assert brief.count(verdict) == whole.count(verdict)
    kept = [one.sample for one in whole.checked if not one.plain]
    assert [one.sample for one in brief.checked] == kept
    for said in ("compared", "unproven", "failing", "unreached", "good", "unreadable"):
        assert getattr(brief, said) == getattr(whole, said), said
