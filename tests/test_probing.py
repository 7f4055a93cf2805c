"""How much samples notice, samples made, other deliveries: judged by faults that are planted one by one."""

from __future__ import annotations

import json
import shutil
import textwrap
from pathlib import Path
from types import ModuleType
from typing import Any

import jsonschema
import pytest
from conftest import ROOT, Run, put
from under_node import typescript

from vast_ferry import carry, check, deliveries, make_samples, strength, write_samples
from vast_ferry.collecting.schema_values import fitting, wrong
from vast_ferry.demo import PROJECT
from vast_ferry.probing import faults_in_javascript, faults_in_python

SARIF = typescript() / "@microsoft" / "jest-sarif" / "lib" / "schemas" / "sarif-2.1.0-rtm.5.json"

#: language, line of code, and what can be wrong with it
# fmt: off
FAULTS = [
    ("py", "x = limit > 3", {"`>` is `>=`", "3 is 4"}),
    ("py", "x = a == b and c is not None", {"`==` is `!=`", "`is not` is `is`", "`and` is `or`"}),
    ("py", "x = a or 'none'", {"`or` is `and`", "what stands behind `or` is left out", "'none' is 'none~'"}),
    ("py", "x = a.decode('utf-8').encode('latin-1')", {"'utf-8' is 'latin-1'", "'latin-1' is 'utf-16'"}),
    ("py", "x = not a + 1", {"a `not` is left out", "`+` is `-`", "1 is 2"}),
    ("py", "x = f'{a}: {b}'", {"a text ends in `~` more"}),
    ("py", "put(a, b, form='x')", {"two arguments are turned round", "`form` is not given", "'x' is 'x~'", "the statement is left out"}),  # noqa: E501
    ("py", "async def f():\n    await g()", {"it is not waited for", "the statement is left out"}),
    ("py", "x = {'a': y, 'b': z}", {"'a' is 'a~'", "'b' is 'b~'", "the entry 'a' is left out", "the entry 'b' is left out"}),  # noqa: E501
    ("py", "x = [('a', y), z]", {"'a' is 'a~'", "an entry of a list is left out"}),
    ("py", "def f():\n    if a:\n        return b\n    raise E", {"the branch is never taken", "the branch is always taken", "nothing is returned", "nothing is raised"}),  # noqa: E501
    ("py", "for x in y:\n    continue", {"`continue` is left out"}),
    ("py", "x = b if a in c else d", {"`in` is `not in`", "the choice is never taken", "the choice is always taken"}),
    ("py", "'a text that says what it is'\nprint('x')\nif a:\n    log.warning('x')\nimport os\ndef f(a: int = 3): pass", set()),  # noqa: E501
    ("js", "const x = limit > 3;", {"`>` is `>=`", "3 is 4"}),
    ("js", "const x = a === b && !c;", {"`===` is `!==`", "`&&` is `||`", "a `!` is left out"}),
    ("js", "const x = a ?? 'none';", {"`??` is `&&`", "what stands behind `??` is left out", "'none' is 'none~'"}),
    ("js", "put(a, { form: 'x', b });", {"two arguments are turned round", "the entry form is left out", "the entry b is left out", "'x' is 'x~'", "the statement is left out"}),  # noqa: E501
    ("js", "const f = async () => { await g(); };", {"it is not waited for", "the statement is left out"}),
    ("js", "const x = [['a', y], z];", {"'a' is 'a~'", "an entry of a list is left out"}),
    ("js", "function f() { if (a) { return b; } throw e; }", {"the branch is never taken", "the branch is always taken", "nothing is returned", "nothing is thrown"}),  # noqa: E501
    ("js", "for (const x of y) { continue; }", {"`continue` is left out"}),
    ("js", "const x = a ? true : b;", {"the choice is never taken", "the choice is always taken", "true is false"}),
    ("js", "import { a } from 'b';\nconsole.log('x');\nif (a) { console.warn('x'); }\nconst c = require('d');", set()),
]
# fmt: on


@pytest.mark.parametrize(("language", "code", "wanted"), FAULTS)
def test_what_can_be_wrong_with_a_line(language: str, code: str, wanted: set[str]) -> None:
    found = (faults_in_python if language == "py" else faults_in_javascript).faults(f"a.{language}", code)
    assert {one.what for one in found} == wanted
    for one in found:
        planted = one.planted(code.encode()).decode()
        assert planted != code
        assert faults_in_python.faults("a.py", planted) is not None if language == "py" else planted


@pytest.mark.parametrize(
    ("finder", "line"),
    [(faults_in_python, "ctx.run.tell('x', 1)"), (faults_in_javascript, "ctx.run.tell('x', 1);")],
)
def test_what_a_profile_calls_its_log_is_left_alone(finder: ModuleType, line: str) -> None:
    assert finder.faults("a.py", line)
    assert not finder.faults("a.py", line, frozenset([("run", "tell")]))


#: Of the demo at Thornwick: what no sample notices, each with why nothing could.
UNNOTICED = {
    ("hives.py", "the choice is always taken"): "an empty Cookie field and none give no cookies, either way",
    ("hives.py", "', ' is ', ~'"): "several Accept fields are not the one that is asked for, however they are joined",
    ("hives.py", "`heads` is not given"): "bytes have that type at Thornwick where none is told",
    ("hives.py", "`ensure_ascii` is not given"): "JSON is compared as JSON (RFC 8259 §7)",
    ("hives.py", "False is True"): "JSON is compared as JSON",
    ("inspections.py", "`ensure_ascii` is not given"): "JSON is compared as JSON",
    ("inspections.py", "False is True"): "JSON is compared as JSON",
    ("inspections.py", "'' is '~'"): "no kind of image, and no note that is too long, either way",
    ("hives.py", "what stands behind `or` is left out"): "no group and an empty one are the same",
    ("reports.py", "'Z' is 'Z~'"): "Python reads times that end in Z since 3.11",
    ("reports.py", "two arguments are turned round"): "the same: there is no Z to be replaced",
    ("alerts.py", "0 is 1"): "0 and 1 metres are both no more than 3",
    ("alerts.py", "`method` is not given"): "a request with content is a POST",
    ("alerts.py", "`timeout` is not given"): "nothing takes so long here",
}


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return the demo, carried, with the samples that `event make` made for it beside its own."""
    folder = tmp_path_factory.mktemp("demo")
    shutil.copytree(PROJECT, folder / "apiary")
    shutil.copytree(ROOT / "tests" / "made_samples", folder / "apiary" / "samples", dirs_exist_ok=True)
    carry(folder / "apiary", to="thornwick", out=folder / "ported")
    return folder / "ported"


@pytest.mark.slow
def test_made_samples_notice_every_fault_that_shows(demo: Path) -> None:
    found = strength(demo, seconds=600)
    assert found.planted > 400
    assert not any(one.untried for one in found.functions)
    assert found.score is not None
    assert found.score >= 0.95
    missed = {(Path(one.fault.file).name, one.fault.what) for each in found.functions for one in each.missed}
    assert missed == UNNOTICED.keys()
    assert all(one.carried.lines_reached == one.carried.lines for one in found.functions)


@pytest.mark.slow
def test_faults_in_shims_and_behind_them_are_noticed(demo: Path, tmp_path: Path) -> None:
    carry(demo.parent / "apiary", to="thornwick", out=tmp_path / "ported", style="wrapped")
    only = ["hive_moved", "nectar_report"]
    found = strength(tmp_path / "ported", functions=only, seconds=300)
    assert found.planted > 60
    assert found.score is not None
    assert found.score >= 0.95
    # What a handler behind a wrapper logs is its source's way, and left alone.
    missed = {(Path(one.fault.file).name, one.fault.what) for each in found.functions for one in each.missed}
    assert missed <= {("hives.py", "what stands behind `or` is left out"), ("hives.py", "'' is '~'")}


@pytest.mark.slow
def test_made_samples_differ_only_where_the_carry_told_it(demo: Path) -> None:
    record = json.loads((demo / "crossing.json").read_text())
    told = {one["function"] for one in record["findings"] if one["code"] == "base64-not-seen"}
    otherwise = [one for one in check(demo).checked if one.verdict not in ("same", "unheld")]
    assert {one.function for one in otherwise} <= told


def project(folder: Path, handler: str, samples: dict[str, str], trigger: str) -> Path:
    """Write a project of one function at Ostermere 1, with samples, into a folder."""
    job = f"  take:\n    code: handlers/one.py#take\n    when: [{{{trigger}}}]\n"
    files = {"handlers/one.py": textwrap.dedent(handler), "ostermere.yaml": f"app: taking\nzone: north-1\njobs:\n{job}"}
    return put(folder, {**files, **{f"samples/take/{name}": text for name, text in samples.items()}})


OURS = """
import json

TAKEN = {"a": 1, "b": 2}


def take(event, ctx):
    if event["call"]["first"].get("kind") == "rare":
        return {"code": 418}
    count = 0
    while count < 3:
        count = count + 1
    return {"code": 200, "content": json.dumps({"count": count, "of": TAKEN.get(event["call"]["first"].get("of"), 0)})}
"""


@pytest.mark.slow
def test_from_blind_samples_to_seeing_ones(tmp_path: Path, run: Run) -> None:
    made = project(
        tmp_path / "here",
        OURS,
        {"plain.http": "GET /take HTTP/1.1\r\nhost: a.example\r\n\r\n"},
        "web: GET /take, callers: anyone",
    )
    carry(made, to="thornwick", out=tmp_path / "there")
    before = strength(tmp_path / "there", seconds=120).functions[0]
    missed = {one.fault.what: one.ran for one in before.missed}
    shown = {one.fault.what: one.shown_by for one in before.missed if one.shown_by}
    assert "kind=rare" in shown["418 is 419"]["event"]["query.raw"]  # an event that was made would notice it
    assert missed["418 is 419"] is False  # no sample runs that line
    assert missed["'rare' is 'rare~'"] is True
    assert "`+` is `-`" not in missed  # a loop without end is noticed, too
    assert before.carried.lines_reached < before.carried.lines

    found = run("event", "make", made, "--from", "ostermere@1", "--seconds", "90", "--format", "json")
    assert found.returncode == 0, found.stderr
    kept = json.loads(found.stdout)["samples"]
    assert any("handlers/one.py:9" in one["why"] for one in kept), kept
    assert len(list((made / "samples" / "take").glob("made-*.yaml"))) == len(kept)
    again = run(
        "check", tmp_path / "there", "--strength", "--report", tmp_path / "r.json", "--report", tmp_path / "r.html"
    )
    assert again.returncode == 0, again.stdout
    told = json.loads((tmp_path / "r.json").read_text())["strength"]
    assert told["score"] > 0.9, told
    assert {one["what"] for one in told["functions"][0]["unnoticed"]} <= {"0 is 1", "`<` is `<=`"} | set(missed) - {
        "418 is 419",
        "'rare' is 'rare~'",
    }
    assert "planted faults" in (tmp_path / "r.html").read_text()
    assert "faults noticed" in again.stdout


@pytest.mark.slow
def test_events_are_thought_of_where_no_sample_is_kept(tmp_path: Path) -> None:
    made = project(tmp_path / "here", OURS, {}, "web: GET /take, callers: anyone")
    found = make_samples(made, source="ostermere@1", seconds=4)
    assert {one.function for one in found.collection.samples} == {"take"}
    write_samples(found.collection)
    carry(made, to="thornwick", out=tmp_path / "there")
    assert check(tmp_path / "there").good


ONCE = """
from ostermere import jobs

def take(event, ctx):
    jobs.ask("send", {"name": event["name"]})
"""
SAFE = """
from ostermere import books

def take(event, ctx):
    books.write("done", {"name": event["name"]}, {"done": True})
"""
LAST = """
from ostermere import books

def take(event, ctx):
    for entry in event["batch"]:
        books.write("last", {"hive": entry["key"]["hive"]}, entry["now"])
"""
TWO_ROWS = """
kind: record
events:
  - {table: hives, change: updated, keys: {hive: h-1}, old: {grams: 1}, new: {grams: 2}, sequence: "1"}
  - {table: hives, change: updated, keys: {hive: h-1}, old: {grams: 2}, new: {grams: 3}, sequence: "2"}
"""
NIGHT = "kind: schedule\nevent: {name: take}\n"
#: handler, sample, trigger, target, and what breaks there: how its events come
DELIVERIES = [
    (ONCE, NIGHT, 'clock: "0 2 * * *"', "thornwick@2", {"again after a failure behind its first effect"}),
    (ONCE, NIGHT, 'clock: "0 2 * * *"', "brackendale@1", set()),  # once at most there
    (SAFE, NIGHT, 'clock: "0 2 * * *"', "thornwick@2", set()),
    (LAST, TWO_ROWS, "book: hives, on: [edit]", "thornwick@2", {"in another order"}),
    (LAST, TWO_ROWS, "book: hives, on: [edit]", "fennick@1", set()),  # in order there, too
]


@pytest.mark.parametrize(("handler", "sample", "trigger", "target", "wanted"), DELIVERIES)
def test_what_the_source_never_did_is_told_where_it_breaks_a_handler(
    tmp_path: Path, run: Run, handler: str, sample: str, trigger: str, target: str, wanted: set[str]
) -> None:
    made = project(tmp_path / "here", handler, {"one.yaml": sample}, trigger)
    carry(made, to=target, out=tmp_path / "there", source="ostermere@1")
    found = deliveries(tmp_path / "there")
    assert {one.what for one in found.broken} == wanted, found
    assert {finding.code for finding in found.findings} == ({"delivery-breaks"} if wanted else set())
    told = run("check", tmp_path / "there", "--deliveries", "--report", tmp_path / "r.sarif", "--format", "json")
    data = json.loads(told.stdout)["deliveries"]
    assert {one["what"] for one in data["delivered"] if one["verdict"] == "breaks"} == wanted
    assert ("delivery-breaks" in (tmp_path / "r.sarif").read_text()) is bool(wanted)


def test_an_error_that_only_the_carried_one_logs_is_told(tmp_path: Path) -> None:
    made = project(
        tmp_path / "here", OURS, {"a.http": "GET /take HTTP/1.1\r\nhost: a\r\n\r\n"}, "web: GET /take, callers: anyone"
    )
    carry(made, to="thornwick", out=tmp_path / "there", source="ostermere@1")
    path = tmp_path / "there" / "handlers" / "one.py"
    path.write_text(path.read_text().replace("    count = 0\n", "    count = 0\n    print('NameError: gone')\n"))
    found = check(tmp_path / "there")
    assert [one.verdict for one in found.checked] == ["same"]
    (told,) = [one for one in found.findings if one.code == "logs"]
    assert "NameError: gone" in told.reason
    # What a program writes of a handler that fails at its provider as well is nothing new.
    failing = "def take(event, ctx):\n    raise ValueError('no')\n"
    samples = {"a.http": "GET /take HTTP/1.1\r\nhost: a\r\n\r\n"}
    made = project(tmp_path / "fails", failing, samples, "web: GET /take, callers: anyone")
    carry(made, to="cgi", out=tmp_path / "cgi", source="ostermere@1")
    assert not [one for one in check(tmp_path / "cgi").findings if one.code == "logs"]


#: what is asked, and what is said of it
WRONG = [
    (("event", "make", "PROJECT", "taek"), "there is no function 'taek' (did you mean 'take'?)"),
    (("event", "make", "nowhere"), "nowhere"),
    (("event", "make", "PROJECT", "--seconds", "0"), "--seconds"),
    (("check", "PROJECT", "--strength"), "crossing.json"),
]


@pytest.mark.parametrize(("asked", "said"), WRONG)
def test_what_can_not_be_probed_is_one_message(tmp_path: Path, run: Run, asked: tuple[str, ...], said: str) -> None:
    made = project(tmp_path / "here", OURS, {}, "web: GET /take, callers: anyone")
    told = run(*(str(made) if one == "PROJECT" else one for one in asked), cwd=tmp_path)
    assert told.returncode == 2
    assert said in told.stderr
    assert not (made / "samples").exists()


# --- by the schemas of an API description -----------------------------------------------------------------------------

#: Schemas, and for each whether something next to what fits can be told from it.
SCHEMAS: list[dict[str, Any]] = [
    {"type": "string", "minLength": 2, "maxLength": 4},
    {"type": "string", "pattern": "^Q[0-9]{4}-x$"},
    {"type": "string", "format": "date-time"},
    {"enum": ["kg", "g", 3, None]},
    {"const": {"a": 1}},
    {"type": "integer", "minimum": 3, "maximum": 7},
    {"type": "integer", "exclusiveMinimum": 3, "multipleOf": 5},
    {"type": "number", "exclusiveMaximum": 0},
    {"type": ["string", "null"], "maxLength": 3},
    {"type": "boolean"},
    {"type": "array", "items": {"type": "integer", "minimum": 1}, "minItems": 1, "maxItems": 3},
    {"type": "object", "required": ["a"], "properties": {"a": {"type": "string"}, "b": {"type": "integer"}}},
    {"properties": {"a": {"type": "object", "properties": {"b": {"enum": [1, 2]}}}}, "additionalProperties": False},
    {"allOf": [{"required": ["a"], "properties": {"a": {"type": "integer"}}}, {"required": ["b"]}], "type": "object"},
    {"type": "object", "properties": {"k": {}}, "oneOf": [{"required": ["a"]}, {"required": ["b"]}]},
    {"$ref": "#/$defs/node", "$defs": {"node": {"type": "object", "properties": {"next": {"$ref": "#/$defs/node"}}}}},
    {"type": "object", "examples": [{"x": 1}]},
    {},
]


@pytest.mark.parametrize("schema", SCHEMAS, ids=lambda one: json.dumps(one)[:50])
def test_values_by_a_schema_are_what_its_validator_says(schema: dict[str, Any]) -> None:
    judge = jsonschema.Draft202012Validator(schema)
    values = fitting(schema, schema)
    assert values
    assert [one for one in values if not judge.is_valid(one)] == []
    others = wrong(schema, schema, values[-1])
    closed = {"type", "enum", "const", "required"} & schema.keys()
    assert any(not judge.is_valid(one) for one in others) or not closed


def test_values_by_a_published_schema_are_valid() -> None:
    for schema in (json.loads((ROOT / "docs" / "check.schema.json").read_text()), json.loads(SARIF.read_text())):
        judge = jsonschema.validators.validator_for(schema)(schema)
        values = fitting(schema, schema)
        assert len(values) > 1
        assert all(map(judge.is_valid, values))


ASKED = """
openapi: 3.1.0
info: {title: Hives, version: "1"}
paths:
  /f/{hive}:
    post:
      parameters:
        - {name: hive, in: path, required: true, schema: {type: string, pattern: "^h-[0-9]+$"}}
        - {name: x-kind, in: header, schema: {enum: [swarm, "queen \\n"]}}
      requestBody:
        content:
          application/json:
            schema: {type: object, required: [code], properties: {code: {type: string, pattern: "^Q[0-9]{4}-x$"}}}
"""
LOOKS = """
import json, re
def run(event, ctx):
    code = json.loads(event["content"] or "{}").get("code") if event["content"][:1] == "{" else None
    if not code:
        return {"code": 422, "content": "no code"}
    if re.fullmatch("Q[0-9]{4}-x", code) and event["call"]["slots"]["hive"].startswith("h-"):
        return {"code": 200, "content": "known"}
    return {"code": 404, "content": "unknown"}
"""


def test_what_a_description_says_is_tried(tmp_path: Path, run: Run) -> None:
    (tmp_path / "h.py").write_text(LOOKS)
    (tmp_path / "ostermere.yaml").write_text('app: a\njobs:\n  f: {code: h.py#run, when: [{web: "POST /f/{hive}"}]}\n')
    (tmp_path / "api.yaml").write_text(ASKED)
    made = make_samples(tmp_path, source="ostermere@1", seconds=2, described=[tmp_path / "api.yaml"])
    texts = [one.content.decode() for one in made.collection.samples]
    assert any("code: Q0000-x" in one or '"code": "Q0000-x"' in one for one in texts), texts
    done = run("event", "make", tmp_path, "--openapi", tmp_path / "ostermere.yaml")
    assert (done.returncode, done.stdout) == (2, "")
    assert "this is no API description" in done.stderr
