"""Every provider as source and as target, and there and back: definitions, bindings and handlers together."""

from __future__ import annotations

import contextlib
import copy
import functools
import json
import os
import shutil
import subprocess
import sys
import tempfile
from collections import Counter
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import pytest
import yaml
from conftest import ROOT, Project, declaring, some

from vast_ferry import BadInput, Verdict, carry, check
from vast_ferry.definitions.project import read_project
from vast_ferry.demo import NATIVE, PROJECT
from vast_ferry.documents.yaml_file import write_yaml
from vast_ferry.hub.functions import Entry, EventTrigger, Function, RouteTrigger, Trigger
from vast_ferry.hub.keys import differing_key
from vast_ferry.hub.schedules import FROM, first_difference
from vast_ferry.profiles.registry import find_profile

#: Written natively at Marrowby: bindings that become parameters, and a call of a service beside them.
YARD = Path(__file__).parent / "projects" / "yard"
#: Written natively at Fennick: scripts, and the folder that they run in.
LAND = Path(__file__).parent / "projects" / "land"

SHIPPED = ROOT / "src" / "vast_ferry" / "profiles" / "shipped"
#: Profiles that say all of it in one file, as plain data.
WHOLE = {name: yaml.safe_load((SHIPPED / name).read_text()) for name in ("thornwick-1.yaml", "brackendale-1.yaml")}


def carried_demo(folder: Path, model: Mapping[str, Any]) -> tuple[Counter[Any], set[tuple[str, str]]]:
    """Carry the demo to a provider, and return what was told and which samples came out otherwise."""
    (folder / "less.yaml").write_text(write_yaml({**model, "provider": "lesser"}))
    made = carry(PROJECT, to=str(folder / "less.yaml"), out=folder / "there", source="ostermere@1")
    told = Counter((one.code, one.function, one.field) for one in made.findings)
    fine = (Verdict.SAME, Verdict.UNHELD)
    return told, {(one.function, one.sample) for one in check(folder / "there").checked if one.verdict not in fine}


@functools.cache
def in_demo(name: str) -> tuple[Counter[Any], set[tuple[str, str]]]:
    """Return the same of a profile as it is."""
    with tempfile.TemporaryDirectory() as folder:
        return carried_demo(Path(folder), WHOLE[name])


def sayings(model: Any, at: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Yield the way to each thing that a profile says: a row, a call of a service, what tells of the call."""
    if isinstance(model, list) and at[-1] in ("rows", "context"):
        yield from ((*at, number) for number in range(len(model)))
    elif at[-2:-1] == ("clients",):
        yield from ((*at, called) for called in model)
    for key, inner in model.items() if isinstance(model, dict) else enumerate(model) if isinstance(model, list) else ():
        yield from sayings(inner, (*at, key))


@pytest.mark.parametrize(
    ("name", "left_out"),
    some([(name, one) for name in WHOLE for one in sayings(WHOLE[name]) if "javascript" not in one], 480),
)
def test_what_a_profile_does_not_say_is_told_or_changes_nothing(
    tmp_path: Path, name: str, left_out: tuple[Any, ...]
) -> None:
    """A row less, as whoever writes a profile may forget one: nothing is lost that nobody told."""
    before = in_demo(name)
    model = copy.deepcopy(WHOLE[name])
    place = model
    for step in left_out[:-1]:
        place = place[step]
    place.pop(left_out[-1])
    with contextlib.suppress(BadInput):  # it is refused then
        after = carried_demo(tmp_path, model)
        assert after[0] - before[0] or not after[1] - before[1]


#: target → samples of the demo that differ there, each explained by a blocking finding that is told beforehand
EVERYWHERE = {
    "ostermere@2": set(),
    "thornwick@1": set(),
    "thornwick@2": set(),
    "marrowby@1": {"good-day.yaml"},  # no way to start a function
    "marrowby@2": {"good-day.yaml"},
    "quillhaven@1": {"good-day.yaml"},
    "brackendale@1": {"good-day.yaml"},
    # Its folders say nothing of a content's type, of labels and attributes; and there is no way to start a function.
    "fennick@1": {
        *("good-day.yaml", "new.yaml", "no-rows.yaml", "nothing-told.yaml", "one.yaml", "three.yaml"),
        *("to-the-heath.yaml", "two-hives.yaml"),
    },
}


def without_captured(folder: Path) -> None:
    """Put the demo's samples into a folder, without native events of its own provider."""
    shutil.copytree(PROJECT / "samples", folder / "samples")
    for path in [*folder.glob("samples/*/captured.json"), *folder.glob("samples/*/cloudevent.json")]:
        path.unlink()


@pytest.mark.parametrize("to", some(EVERYWHERE, 8))
def test_the_demo_is_rewritten_for_everywhere(tmp_path: Path, to: str) -> None:
    there = carry(PROJECT, to=to, out=tmp_path / "there")
    assert any(one.style == "native" for one in there.record.functions)
    differ = {one.sample for one in check(tmp_path / "there").checked if one.verdict is not Verdict.SAME}
    assert differ == EVERYWHERE[to]


@pytest.mark.slow
@pytest.mark.parametrize("to", EVERYWHERE)
def test_the_demo_goes_everywhere_and_back(tmp_path: Path, to: str) -> None:
    there = carry(PROJECT, to=to, out=tmp_path / "there", style="wrapped")
    result = check(tmp_path / "there")
    assert {one.sample for one in result.checked if one.verdict is not Verdict.SAME} == EVERYWHERE[to]
    assert len(result.checked) == 30
    assert any(f.code == "client-not-carried" for f in there.findings) is bool(EVERYWHERE[to])
    without_captured(tmp_path / "there")
    back = carry(tmp_path / "there", to="ostermere@1", out=tmp_path / "back")
    assert {path: back.files[path] for path in back.files if path.startswith("handlers/")} == {
        path.relative_to(PROJECT).as_posix(): path.read_bytes() for path in PROJECT.glob("handlers/*.py")
    }
    result = check(tmp_path / "back")
    assert {one.sample for one in result.checked if one.verdict is not Verdict.SAME} == EVERYWHERE[to] - {
        "captured.json"
    }
    told = {finding.place.line for finding in there.findings if finding.code in ("filter-wider", "trigger-not-held")}
    before, after = read_project(PROJECT)[1], read_project(tmp_path / "back", find_profile("ostermere@1"))[1]
    assert {function.name for function in after.functions} == {function.name for function in before.functions}
    for function in before.functions:
        again = after.function(function.name)
        assert again
        assert again.entry == function.entry
        for one, other in zip(function.triggers, again.triggers, strict=True):
            assert same_trigger(one, other) or one.place.line in told


def same_trigger(one: Trigger, other: Trigger) -> bool:
    if isinstance(one, EventTrigger) and isinstance(other, EventTrigger):
        if one.schedule and other.schedule:
            return first_difference(one.schedule, other.schedule, FROM) is None
        same = differing_key(one.filter, other.filter) is None
        return same and (one.kind, one.source, one.changes) == (other.kind, other.source, other.changes)
    return (one.route, one.methods, one.callers) == (other.route, other.methods, other.callers)  # type: ignore[union-attr]


#: target → what differs or is not held there, of the three samples of the yard
YARD_AT = {
    "ostermere@2": {"new.yaml"},  # its times have nine digits
    "thornwick@1": set(),
    "marrowby@2": set(),
    "quillhaven@1": set(),
    "brackendale@1": set(),
    "fennick@1": {"new.yaml"},  # its times end at seconds
}


@pytest.mark.parametrize("to", some(YARD_AT, 3))
def test_bindings_become_calls_and_bindings_again(tmp_path: Path, to: str) -> None:
    carry(YARD, to=to, out=tmp_path / "there", style="wrapped")
    result = check(tmp_path / "there")
    assert {one.sample for one in result.checked if one.verdict is not Verdict.SAME} == YARD_AT[to]
    assert next(one.got for one in result.checked if one.sample == "two.yaml") == "acknowledged, 2 effects"
    shutil.copytree(YARD / "samples", tmp_path / "there" / "samples")
    back = carry(tmp_path / "there", to="marrowby@1", out=tmp_path / "back")
    assert next(f for f in check(tmp_path / "back").checked if f.sample == "two.yaml").verdict is Verdict.SAME
    wires = json.loads(back.files["wiring/summary.json"])["wires"]
    original = json.loads((YARD / "wiring/summary.json").read_text())["wires"]
    assert wires == original


@pytest.mark.parametrize(
    "to", some(["ostermere@1", "thornwick@2", "brackendale", "quillhaven", "marrowby@1", "marrowby@2"], 6)
)
def test_scripts_are_run_from_handlers_anywhere(tmp_path: Path, to: str) -> None:
    crossing = carry(LAND, to=to, out=tmp_path / "there")
    codes = {f.code for f in crossing.findings if str(f.severity) == "blocking"}
    # A star that stands for no slash: of these only expressions in CloudEvents SQL can say it.
    assert codes == (set() if to == "quillhaven" else {"filter-wider"})
    assert [f.function for f in crossing.findings if f.code == "folder-partly-there"] == ["copy", "weight", "orders"]
    result = check(tmp_path / "there")
    assert result.good, [(one.sample, one.differences) for one in result.checked]
    got = {one.sample: one.got for one in result.checked}
    assert (got["one.yaml"], got["get.http"], got["good.yaml"]) == (
        "acknowledged, 2 effects",
        "replied 200",
        "acknowledged",
    )
    assert got["nothing.yaml"].startswith("failed")
    shutil.copytree(LAND / "samples", tmp_path / "there" / "samples")
    back = carry(tmp_path / "there", to="fennick", out=tmp_path / "back")
    assert back.files["tasks/copy.py"] == (LAND / "tasks" / "copy.py").read_bytes()
    assert check(tmp_path / "back").good


#: the cooperative as written for a provider → where it goes → what is blocking there, as code and what it is about
NATIVELY: dict[str, dict[str, set[tuple[str, str]]]] = {
    "thornwick": {
        "ostermere@1": {("schedule-not-held", "nectar_report")},
        "ostermere@2": {("schedule-not-held", "nectar_report")},
        "marrowby@1": {("client-not-carried", ""), ("stage-not-held", "")},
        "quillhaven@1": {("client-not-carried", ""), ("no-dead-letters", "honey_orders")},
        "brackendale@1": {
            ("client-not-carried", ""),
            ("memory-too-large", "hive_weight"),
            ("filter-wider", "inspection_summary"),
            ("schedule-not-held", "nectar_report"),
            ("runs-too-long", "nectar_report"),
            ("no-dead-letters", "honey_orders"),
            ("stage-not-held", ""),
        },
    },
    "quillhaven": {
        "ostermere@1": {("schedule-not-held", "nectar_report")},
        "thornwick@2": set(),
        "marrowby@2": {("stage-not-held", "")},
        "brackendale@1": {
            ("memory-too-large", "hive_weight"),
            ("filter-wider", "inspection_summary"),
            ("schedule-not-held", "nectar_report"),
            ("runs-too-long", "nectar_report"),
            ("stage-not-held", ""),
        },
    },
}


@pytest.mark.parametrize(
    ("source", "to"), some(((source, to) for source, there in NATIVELY.items() for to in there), 5)
)
def test_what_is_written_natively_is_carried_with_the_findings_that_it_should_have(
    tmp_path: Path, source: str, to: str
) -> None:
    folder = tmp_path / "native"
    shutil.copytree(NATIVE[source], folder, ignore=shutil.ignore_patterns("__pycache__"))
    without_captured(folder)
    crossing = carry(folder, to=to, out=tmp_path / "there")
    found = {(f.code, f.function) for f in crossing.findings if str(f.severity) == "blocking"}
    assert found == NATIVELY[source][to]
    assert not [f for f in crossing.findings if f.code in ("unknown-key", "setting-not-declared", "access-unused")]
    differ = {one.sample for one in check(tmp_path / "there").checked if one.verdict is not Verdict.SAME}
    assert differ == ({"good-day.yaml"} if ("client-not-carried", "") in found else set())


LIBRARY = """import json

from quillhaven import on, shelves, trays

SHELF = "inspections"


@on.task("weight", python="3.11", memory=512, settings={"UNIT": "kg"})
@on.route("/hives/{hive}/weight", methods=["GET"], open_to="everyone")
def weight(visit, desk):
    return {"status": 200, "data": json.dumps([visit.names["hive"], visit.url.query.get_all("day")])}


@on.event(
    shelf=SHELF,
    types=["shelf_placed"],
    filters=[{"prefix": {"subject": "north/"}}, {"suffix": {"subject": ".csv"}}],
)
def copied(event, desk):
    shelves.place("copies", "north/copy", shelves.take(SHELF, "north/mon.csv"))


@on.hour("DTSTART;TZID=Europe/Prague:20260101T000000\\nRRULE:FREQ=DAILY;BYHOUR=6;BYMINUTE=30")
def morning(event, desk):
    trays.send("news", "good morning")


@on.event(tray=SHELF.upper())
def computed(event, desk):
    pass
"""


@pytest.mark.parametrize("to", ["thornwick@1", "ostermere@1", "marrowby@1"])
def test_what_decorators_declare_is_carried(project: Project, tmp_path: Path, to: str) -> None:
    files = {"quillhaven.yaml": "library: apiary\ntown: north\n", "handlers/all.py": LIBRARY}
    files["samples/weight/get.http"] = "GET /hives/h-7/weight?day=mon&day=tue HTTP/1.1\r\nHost: a.example\r\n\r\n"
    files["samples/copied/one.yaml"] = (
        "kind: object\nevent: {bucket: inspections, key: north/mon.csv, change: created}\n"
        "before: {objects: [{bucket: inspections, key: north/mon.csv, body: x}]}\n"
    )
    files["samples/morning/one.yaml"] = "kind: schedule\nevent: {name: morning}\n"
    folder = project(files)
    crossing = carry(folder, to=to, out=tmp_path / "there")
    codes = {(f.code, str(f.place)) for f in crossing.findings if str(f.severity) == "blocking"}
    expected = {("computed-declaration", "handlers/all.py:28:16")}
    if to == "ostermere@1":  # whose schedules are in UTC
        expected.add(("schedule-not-held", "handlers/all.py:23:2"))
    assert codes == expected
    result = check(tmp_path / "there")
    assert {one.sample: one.verdict for one in result.checked} == dict.fromkeys(
        ["get.http", "one.yaml"], Verdict.SAME
    ), [(one.sample, one.differences, one.reasons) for one in result.checked]
    again = read_project(tmp_path / "there", find_profile(to))[1]
    there = read_project(folder)[1]
    for function in there.functions:
        other = again.function(function.name)
        assert other
        if function.name != "computed" and not (function.name == "morning" and to == "ostermere@1"):
            assert all(same_trigger(one, two) for one, two in zip(function.triggers, other.triggers, strict=True))


def test_a_function_that_was_added_there_does_not_go_back_unseen(tmp_path: Path) -> None:
    carry(YARD, to="thornwick", out=tmp_path / "there")
    (tmp_path / "there" / "n.py").write_text("def new(notice):\n    pass\n")
    with (tmp_path / "there" / "thornwick.toml").open("a") as file:
        file.write('\n[piece.new]\nentry = "n:new"\n[[piece.new.answers]]\nhorn = "x"\n')
    back = carry(tmp_path / "there", to="marrowby@1", out=tmp_path / "back")
    assert [(f.function, str(f.severity)) for f in back.findings if f.code == "added-since"] == [("new", "blocking")]


#: names in a definition → where it goes, and why it can't: no name becomes a path out of the project, or another key
NAMES = [
    ("../../../escaped: {code: h.py#f, when: [{line: x}]}", "marrowby@1", "can't be the name of a file"),
    ("a/b: {code: h.py#f, when: [{line: x}]}", "marrowby@1", "can't be the name of a file"),
    ('"": {code: h.py#f, when: [{line: x}]}', "marrowby@1", "can't be the name of a file"),
    ("a b: {code: h.py#f, when: [{line: x}]}", "fennick", "can't be a word of an INI section"),
    ("a]: {code: h.py#f, when: [{line: x}]}", "fennick", "can't be a word of an INI section"),
    ("7: {code: h.py#f, when: [{line: x}]}", "fennick", "can't be a word of an INI section"),
    ('f: {code: h.py#f, vars: {"A=B": x}, when: [{line: x}]}', "fennick", "can't be a key of an INI file"),
    ('f: {code: h.py#f, vars: {"A\\nB": x}, when: [{line: x}]}', "fennick", "can't be a key of an INI file"),
]


@pytest.mark.parametrize(("declared", "to", "says"), NAMES)
def test_no_name_becomes_something_else(project: Project, tmp_path: Path, declared: str, to: str, says: str) -> None:
    files = {"ostermere.yaml": f"app: a\njobs:\n  {declared}\n", "h.py": "def f(event, ctx):\n    pass\n"}
    before = sorted(tmp_path.parent.rglob("*escaped*"))
    with pytest.raises(BadInput, match=says):
        carry(project(files), to=to, out=tmp_path / "a" / "b" / "there")
    assert sorted(tmp_path.parent.rglob("*escaped*")) == before
    assert not (tmp_path / "a" / "b" / "there").exists()


@pytest.mark.parametrize("to", some(["ostermere", "thornwick", "brackendale"], 3))
def test_a_script_of_several_kinds(project: Project, tmp_path: Path, to: str) -> None:
    ini = "[land]\nname = a\n[task t]\nscript = t.py\n[task t on 1]\nroute = /a\n[task t on 2]\nditch = d\n"
    samples = {
        "samples/t/get.http": "GET /a HTTP/1.1\r\nHost: a.example\r\n\r\n",
        "samples/t/sent.yaml": "kind: message\nevent: {channel: d, body: x}\n",
    }
    for name, typed, verdict in (("typed", "Content-Type: text/plain\\n", Verdict.SAME), ("bare", "", Verdict.UNHELD)):
        script = f"import os\nprint('Status: 200\\n{typed}\\nhere' if os.environ['FEN_WHAT'] == 'request' else '')\n"
        carry(project({"fennick.ini": ini, "t.py": script, **samples}, name), to=to, out=tmp_path / f"to-{name}")
        assert [(one.verdict, one.got) for one in check(tmp_path / f"to-{name}").checked] == [
            (verdict, "replied 200"),
            (Verdict.SAME, "acknowledged"),
        ]


@pytest.mark.parametrize(
    ("wire", "says"),
    [
        ('{"to": "class", "chest": "c"}', "can't be called 'class'"),
        ('{"to": "sheet", "chest": "c", "as": "yaml"}', "no content that could be handed over as 'yaml'"),
        ('{"to": "told", "word": "w", "as": "json"}', "is no key"),
        ('{"fills": "a b", "belt": "b"}', "can't be called 'a b'"),
    ],
)
def test_wires_that_can_not_become_parameters(project: Project, wire: str, says: str) -> None:
    files = {"marrowby.json": "{}", "h.py": "", "wiring/w.json": f'{{"code": "h.py:f",\n "wires": [{wire}]}}'}
    folder = project(files)
    if says == "is no key":
        assert says in read_project(folder)[1].findings[0].reason
        return
    with pytest.raises(BadInput, match=says) as error:
        read_project(folder)
    assert (error.value.place.file, error.value.place.line) == (str(folder / "wiring/w.json"), 2)


def test_typed_captures_and_slashes_route_as_declared(project: Project, tmp_path: Path) -> None:
    yaml = "app: a\njobs:\n  f: {code: h.py#f, when: [{web: 'GET /a/{n:number}'}]}\n"
    samples = {
        f"samples/f/{name}.http": f"GET /a/{name} HTTP/1.1\r\nHost: a.example\r\n\r\n" for name in ("7", "seven")
    }
    folder = project({"ostermere.yaml": yaml, "h.py": "def f(event, ctx):\n    return 'a'\n", **samples})
    crossing = carry(folder, to="wsgi", out=tmp_path / "there", source="ostermere@2")
    assert [f.code for f in crossing.findings if str(f.severity) == "blocking"] == ["route-wider"]
    got = {one.sample: (one.verdict, one.expected) for one in check(tmp_path / "there").checked}
    assert got["7.http"] == (Verdict.SAME, "replied 200")
    assert got["seven.http"][1] != "replied 200"
    json = '{"service": "a", "functions": {"f": {"module": "h.py:f", "on": [{"pattern": "/a{/}?"}]}}}'
    code = "from brackendale import Response\nasync def f(request, services):\n    return Response('a')\n"
    samples = {
        f"samples/f/{n}.http": f"GET {p} HTTP/1.1\r\nHost: a\r\n\r\n" for n, p in (("one", "/a"), ("two", "/a/"))
    }
    for to in ("wsgi", "ostermere"):
        carry(project({"brackendale.json": json, "h.py": code, **samples}, f"to-{to}"), to=to, out=tmp_path / to)
        assert [one.got for one in check(tmp_path / to).checked] == ["replied 200", "replied 200"]


def test_a_file_that_would_hide_a_module_of_the_target(project: Project, tmp_path: Path) -> None:
    files = {"ostermere.yaml": "app: a\njobs: {f: {code: h.py#f, when: [{web: GET /a}]}}\n"}
    files |= {"h.py": "def f(event, ctx):\n    return 'a'\n", "thornwick.py": ""}
    with pytest.raises(BadInput, match=r"provides a module of that name"):
        carry(project(files), to="thornwick", out=tmp_path / "there")


def test_a_script_is_run_as_its_provider_would(tmp_path: Path) -> None:
    carry(PROJECT, to="fennick", out=tmp_path / "there")
    land = tmp_path / "land"
    (land / "yards" / "inspections" / "north").mkdir(parents=True)
    (land / "yards" / "inspections" / "north" / "mon.csv").write_text("hive,frames,queen\nh-1,8,yes\nh-2,9,no\n")
    event = {
        "FEN_WHAT": "yard",
        "FEN_ID": "1",
        "FEN_TIME": "1795571400",
        "FEN_DEED": "put",
        "FEN_YARD": "inspections",
        "FEN_NAME": "north/mon.csv",
        "FEN_BYTES": "9",
        "FEN_MEDIA": "text/csv",
        "FEN_PRINT": "x",
        "FEN_TURN": "1",
        "FEN_TAGS": "{}",
        "FEN_TASK": "inspection_summary",
        "FEN_LAND": str(land),
    }
    script = tmp_path / "there" / "handlers" / "inspection_summary_at_fennick.py"
    done = subprocess.run(
        [sys.executable, str(script)],
        env={"PATH": os.environ["PATH"], **event},
        input=b"",
        capture_output=True,
        check=False,
    )
    assert (done.returncode, done.stdout) == (0, b""), done.stderr
    made = [path.relative_to(land).as_posix() for path in (land / "yards" / "summaries").rglob("*") if path.is_file()]
    assert made == ["yards/summaries/north/mon.json"]
    bad = subprocess.run(
        [sys.executable, str(script)],
        env={"PATH": os.environ["PATH"], **event, "FEN_BYTES": "many"},
        input=b"",
        capture_output=True,
        check=False,
    )
    assert bad.returncode == 1
    assert b"Traceback" in bad.stderr
    out = subprocess.run(
        [sys.executable, "-c", "import os, land\nland.yards.put('..', 'x', b'')"],
        cwd=tmp_path / "there",
        env={"PATH": os.environ["PATH"], "FEN_LAND": str(land)},
        capture_output=True,
        check=False,
    )
    assert b"leads out of the land" in out.stderr


#: What handlers do that once came out otherwise, untold: source, code, what is sent, where to, whether it is native.
ONCE_OTHERWISE: list[tuple[str, str, str, str, bool, Verdict]] = [
    (  # an object out of a registry is asked by the name of a method whose answers are rewritten
        "ostermere@1",
        "class Answer:\n    def __init__(self, body):\n        self.body = body\n\n"
        "    def build(self):\n        return {'code': 201, 'content': self.body}\n\n\n"
        "def view(event):\n    return Answer(event['call']['verb'])\n\n\nVIEWS = {'GET': view}\n\n\n"
        "def f(event, ctx):\n    if event['call']['search']:\n        return VIEWS['GET'](event).build()\n"
        "    return Answer('none').build()\n",
        "query.raw: a",
        "thornwick@2",
        True,
        Verdict.SAME,
    ),
    (  # whose caller is told under other names
        "thornwick@2",
        "from thornwick import Reply\n\n\ndef f(request):\n"
        "    return Reply('by ' + (request.caller['uid'] if request.caller else 'nobody'))\n",
        "principal: {id: m-1, claims: {}}",
        "wsgi@1",
        True,
        Verdict.SAME,
    ),
    (  # an answer without content, and a target that gives nothing a type
        "thornwick@2",
        "from thornwick import Reply\n\n\ndef f(request):\n    return Reply(status=415, heads=[('a', 'b')])\n",
        "method: GET",
        str(ROOT / "tests" / "manuals" / "wexcombe-7.yaml"),
        True,
        Verdict.SAME,
    ),
    (  # a context manager that awaits nothing at the target
        "brackendale@1",
        "from contextlib import asynccontextmanager\nfrom brackendale import Response\n\n\n@asynccontextmanager\n"
        "async def held(services):\n    services.log('in')\n    yield 'x'\n\n\n"
        "async def f(request, services):\n    async with held(services) as name:\n"
        "        return Response(name + await request.text())\n",
        "body: abc, headers: [[content-type, text/plain]]",
        "asgi@1",
        True,
        Verdict.SAME,
    ),
    (  # attributes that a call takes in another form
        "ostermere@1",
        "from ostermere import lines\n\n\ndef f(event, ctx):\n"
        "    lines.post('a', 'text', notes={'verb': event['call']['verb']})\n",
        "method: GET",
        str(ROOT / "tests" / "manuals" / "netherby-4.yaml"),
        True,
        Verdict.SAME,
    ),
    (  # content that two functions read, and that can be read once at the target
        "ostermere@1",
        "import base64, json\n\n\ndef raw(event):\n    body = event.get('content') or ''\n"
        "    return base64.b64decode(body) if event.get('packed') else body.encode()\n\n\n"
        "def size(event):\n    return len(raw(event))\n\n\n"
        "def f(event, ctx):\n    return f'{size(event)} {json.loads(raw(event))}'\n",
        "body: '[1]', headers: [[content-type, application/json]]",
        "asgi@1",
        True,
        Verdict.SAME,
    ),
    (  # an error raised without a type, where answers that are given back have one, as all have at the target
        str(ROOT / "tests" / "profiles" / "quernby-1.yaml"),
        "import quernby\n\n\ndef f(sack, bench):\n    raise quernby.Spilt(404, 'no')\n",
        "method: GET",
        str(ROOT / "tests" / "manuals" / "netherby-4.yaml"),
        True,
        Verdict.UNHELD,
    ),
]


@pytest.mark.parametrize(("source", "code", "sent", "to", "native", "verdict"), ONCE_OTHERWISE)
def test_what_once_came_out_otherwise_does_not(
    project: Project, tmp_path: Path, source: str, code: str, sent: str, to: str, *, native: bool, verdict: Verdict
) -> None:
    function = Function("f", Entry("h.py", "f"), (RouteTrigger("/f", (), "public"),))
    sample = f"kind: http\nevent: {{path.raw: /f, {sent}{'' if 'method' in sent else ', method: GET'}}}\n"
    folder = project({**declaring(source, function, py=code), "samples/f/one.yaml": sample})
    crossing = carry(folder, to=to, out=tmp_path / "there", source=source)
    assert (crossing.record.functions[0].style != "wrapped") is native
    result = check(tmp_path / "there")
    assert result.checked[0].verdict is verdict, result.checked[0].differences


def test_what_leaves_no_trace_in_a_folder_is_not_held_there(project: Project, tmp_path: Path) -> None:
    """A record that is written as it was, and the deletion of one that was never there, change no file."""
    code = (
        "from ostermere import books\n\n\ndef f(event, ctx):\n    row = books.read('honey', {'kind': 'heather'})\n"
        "    books.write('honey', {'kind': 'heather'}, row)\n    books.drop('honey', {'kind': 'lime'})\n"
    )
    sample = (
        "kind: message\nevent: {channel: l, body: x}\n"
        "before: {records: [{table: honey, keys: {kind: heather}, record: {grams: 250}}]}\n"
    )
    lines = "app: a\njobs:\n  f: {code: h.py#f, when: [{line: l}]}\n"
    folder = project({"ostermere.yaml": lines, "h.py": code, "samples/f/one.yaml": sample})
    carry(folder, to="fennick", out=tmp_path / "there", source="ostermere@1")
    (done,) = check(tmp_path / "there").checked
    assert (done.verdict, len(done.reasons)) == (Verdict.UNHELD, 2)
