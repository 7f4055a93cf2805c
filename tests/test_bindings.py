"""Declared bindings and calls of services: what becomes of each where the other is usual, and edits told as one."""

from __future__ import annotations

import itertools
import json
import random
import textwrap
from pathlib import Path

import pytest
import yaml
from conftest import ROOT, Project
from hypothesis import given
from hypothesis import strategies as st

from vast_ferry import BadInput, Verdict, carry, check
from vast_ferry.crossing.carry import Crossing
from vast_ferry.hub.functions import Binding, Entry, EventTrigger, Function, RouteTrigger
from vast_ferry.profiles.registry import find_profile
from vast_ferry.translate.moves import Done, composed, line_before
from vast_ferry.translate.python.gathered import taking_events
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.python.unbinding import unbound
from vast_ferry.translate.text import Edit, Span

SHEET = Binding("sheet", "event", "object", "sheets", "{apiary}/{day}.csv", "text")
VISIT = Binding("visit", "event", "http")
PRIOR = Binding("prior", "in", "object", "sums", "{day}.json", "json")
SUM = Binding("total", "out", "object", "sums", "{day}.json", "json", "application/json")
TOLD = Binding("told", "out", "message", "news")
PAGE = Binding("page", "out", "record", "pages")

#: trigger, bindings, a handler's head and body → head and body of the same handler that takes its event whole
UNBOUND = [
    (
        [SHEET, TOLD],
        "def run(sheet, apiary, day, told, log):\n    told.set(sheet)",
        "def run(arrival, log):\n"
        '    sheet = chests.fetch(arrival["chest"], arrival["sheet"])\n'
        '    sheet = None if sheet is None else sheet.decode(errors="replace")\n'
        '    belts.put("news", sheet)',
    ),
    (
        [SHEET, PRIOR, SUM],
        'def run(sheet, apiary, day, prior, total, log):\n    """Sum up."""\n\n    total.set([prior, day])  # so far',
        'def run(arrival, log):\n    """Sum up."""\n\n'
        '    apiary, day = re.fullmatch(r"([^/]+)/([^/]+)\\.csv", arrival["sheet"]).groups()\n'
        '    sheet = chests.fetch(arrival["chest"], arrival["sheet"])\n'
        '    sheet = None if sheet is None else sheet.decode(errors="replace")\n'
        '    prior = chests.fetch("sums", f"{day}.json")\n'
        "    prior = None if prior is None else json.loads(prior)\n"
        '    chests.lay(\n        "sums",\n        f"{day}.json",\n'
        '        json.dumps([prior, day], ensure_ascii=False, separators=(",", ":")),\n'
        '        kind="application/json",\n    )  # so far',
    ),
    (
        [VISIT, PAGE],
        'def run(visit, page, log):\n    page.set({"by": 1})',
        'def run(visit, log):\n    folios.file("pages", visit["found"], {"by": 1})',
    ),
    (
        [Binding("asked", "event", "http", form="json")],
        'def run(log, asked):\n    return asked["x"]',
        'def run(visit, log):\n    asked = json.loads(visit["load"])\n    return asked["x"]',
    ),
    # What an output is handed to, what its call gives, a capture that gets another value, defaults: all stay bound.
    ([VISIT, TOLD], "def run(visit, told, log):\n    helper(told)", ""),
    ([VISIT, TOLD], "def run(visit, told, log):\n    put = told.set\n    put(1)", ""),
    ([VISIT, TOLD], "def run(visit, told, log):\n    return told.set(1)", ""),
    ([VISIT, TOLD], "def run(visit, told, log):\n    told.set(*visit)", ""),
    ([SHEET, SUM], "def run(sheet, apiary, day, total, log):\n    day = 1\n    total.set(day)", ""),
    ([SHEET, TOLD], "def run(sheet, told, log):\n    told.set(sheet)", ""),  # it fails: what is captured comes as well
    ([VISIT, TOLD], "def run(visit, told, log=None):\n    told.set(1)", ""),
    ([VISIT, TOLD], "def run(visit, told, other, log):\n    told.set(1)", ""),
    ([VISIT, TOLD], "belts = 1\ndef run(visit, told, log):\n    told.set(belts)", ""),
    ([VISIT, TOLD], "def run(visit, told, log): told.set(1); told.set(2)\nrun(1, 2, 3)", ""),
]


def declared(bindings: list[Binding]) -> Function:
    """Return a function with these bindings, and the trigger that they need."""
    trigger = RouteTrigger("/p/{name}") if bindings[0].kind == "http" else EventTrigger("object", "sheets")
    return Function("f", Entry("h.py", "run"), (trigger,), bindings=tuple(bindings))


@pytest.mark.parametrize(("bindings", "code", "wanted"), UNBOUND)
def test_bindings_become_reads_and_calls_of_the_same_provider(bindings: list[Binding], code: str, wanted: str) -> None:
    files = {"h.py": code.encode() + b"\n"}
    made = unbound(find_profile("marrowby@1"), [declared(bindings)], files)
    if not wanted:
        assert not made.files
        assert made.functions[0].bindings == tuple(bindings)
        return
    text = made.files["h.py"].decode()
    assert text.endswith(wanted + "\n"), text
    assert made.functions[0].bindings == ()
    compile(text, "h.py", "exec")
    # Told edit by edit, it leads from the one to the other.
    assert applied(PythonText(files["h.py"], "h.py"), PythonText(made.files["h.py"], "h.py"), made.edits["h.py"])


def applied(before: PythonText, after: PythonText, edits: list[Done]) -> bool:
    """Tell whether edits, made on the one text, give the other."""
    pieces, at = [], 0
    for edit in sorted(edits, key=lambda one: before.offsets(one.before)):
        start, end = before.offsets(edit.before)
        pieces += [before.data[at:start], after.data[slice(*after.offsets(edit.after))]]
        at = end
    return b"".join([*pieces, before.data[at:]]) == after.data


@given(st.integers(0, 10**9), st.text("ab\né", min_size=1, max_size=60))
def test_two_rounds_of_edits_are_told_as_one(seed: int, text: str) -> None:
    chance = random.Random(seed)

    def edit_some(source: PythonText) -> tuple[PythonText, list[Done]]:
        places = sorted(chance.sample(range(len(source.data) + 1), min(len(source.data) + 1, 6)))
        # Between characters, not inside them.
        places = [at for at in places if at == len(source.data) or source.data[at] & 0xC0 != 0x80]
        edits = [
            Edit(start, end if chance.random() < 0.7 else start, chance.choice(["", "x", "y\ny", "zz"]), f"{start}")
            for start, end in zip(places[::2], places[1::2], strict=False)
        ]
        content, spans = source.edited(edits)
        return PythonText(content, "h.py"), [Done("h.py", one, other, edit.reason) for one, other, edit in spans]

    before = PythonText(text.encode(), "h.py")
    between, first = edit_some(before)
    after, second = edit_some(between)
    made = composed(first, second, before, between, after)
    assert applied(before, after, made)
    ends = [before.offsets(edit.before) for edit in made]
    assert all(one[1] <= other[0] for one, other in itertools.pairwise(ends))
    for line in range(1, len(between.starts) + 1):
        assert 1 <= line_before(line, first, before, between) <= len(before.starts)


OUTPUTS = """
app: outs
jobs:
  f: {code: h.py#f, when: [{web: "PUT /hives/{hive}/weight"}]}
  g: {code: h.py#g, when: [{line: orders}]}
"""
HEAD = "import json\nimport os\n\nfrom ostermere import books, lines, stores\n\n\n"

#: a statement in a handler of web requests → the statement at the other side, and the wire that says the rest
FILLED = [
    (
        'stores.put("weights", "last.txt", "1", form="text/plain")',
        'weights.set("1")',
        {"fills": "weights", "chest": "weights", "sheet": "last.txt", "kind": "text/plain"},
    ),
    ('lines.post("old-news", hive)', "old_news.set(hive)", {"fills": "old_news", "belt": "old-news"}),
    (
        'stores.put("weights", f"{hive}/a.txt", b"1")',
        'weights.set(b"1")',
        {"fills": "weights", "chest": "weights", "sheet": "{hive}/a.txt"},
    ),
    ('books.write("hives", {"hive": hive}, {"a": 1})', 'hives.set({"a": 1})', {"fills": "hives", "folio": "hives"}),
    (
        'lines.post("news", json.dumps([1], ensure_ascii=False, separators=(",", ":")))',
        "news.set([1])",
        {"fills": "news", "belt": "news", "as": "json"},
    ),
    ('lines.post("hive", "x")', 'hive_.set("x")', {"fills": "hive_", "belt": "hive"}),
    # What a wire can't say stays a call.
    ('lines.post("news", hive, notes={"a": "b"})', 'belts.put("news", hive, marks={"a": "b"})', None),
    ('lines.post("news", hive, notes={})', "news.set(hive)", {"fills": "news", "belt": "news"}),
    ('lines.post(f"news-{hive}", "x")', 'belts.put(f"news-{hive}", "x")', None),
    ('stores.put("w", f"{hive:>5}.txt", "1")', 'chests.lay("w", f"{hive:>5}.txt", "1")', None),
    ('stores.put("w", "{a}.txt", "1")', 'chests.lay("w", "{a}.txt", "1")', None),
    ('books.write("hives", {"id": hive}, {"a": 1})', 'folios.file("hives", {"id": hive}, {"a": 1})', None),
    ('said = lines.post("news", "x")', 'said = belts.put("news", "x")', None),
    ('lines.post("news", "x", form=hive)', 'belts.put("news", "x", kind=hive or "")', None),
    ('stores.drop("w", "a.txt")', 'chests.empty("w", "a.txt")', None),
]


def outputs(project: Project, out: Path, statement: str, to: str) -> Crossing:
    """Carry a handler with one statement that writes."""
    code = f'{HEAD}def f(event, ctx):\n    hive = event["call"]["slots"]["hive"]\n    {statement}\n'
    code += '    return {"code": 200, "content": hive}\n'
    code += '\n\ndef g(event, ctx):\n    for entry in event["batch"]:\n        ctx.note(entry["line"])\n'
    folder = project({"ostermere.yaml": OUTPUTS, "h.py": code})
    return carry(folder, to=to, out=out, source="ostermere@1")


@pytest.mark.parametrize(("statement", "wanted", "wire"), FILLED)
def test_calls_that_a_wire_can_say_become_declared_outputs(
    project: Project, tmp_path: Path, statement: str, wanted: str, wire: dict[str, str] | None
) -> None:
    crossing = outputs(project, tmp_path / "there", statement, "marrowby@1")
    text = crossing.files["h.py"].decode()
    assert f"\n    {wanted}\n" in text, text
    wires = json.loads(crossing.files["wiring/f.json"])["wires"]
    assert wires[1:] == ([wire] if wire else [])
    assert ("def f(visit, log)" in text) == (wire is None)
    assert ("import belts" in text or "import chests" in text or "import folios" in text) == (wire is None)
    before = PythonText((tmp_path / "project" / "h.py").read_bytes(), "h.py") if wire else None
    if before is not None:
        made = [Done(e.file, Span(*e.before), Span(*e.after), e.reason) for e in crossing.record.edits]
        assert applied(before, PythonText(crossing.files["h.py"], "h.py"), made)


YARD = Path(__file__).parent / "projects" / "yard"


def test_a_bound_handler_that_changes_its_event_gets_it_whole_and_is_told_of_at_its_own_line(tmp_path: Path) -> None:
    folder = tmp_path / "yard"
    (folder / "wiring").mkdir(parents=True)
    for path in ["marrowby.json", "wiring/weight.json", "wiring/summary.json", "h.py"]:
        (folder / path).write_bytes((YARD / path).read_bytes())
    text = (folder / "h.py").read_text()
    (folder / "h.py").write_text(text + "\n\ndef keep(asked):\n    asked.clear()\n")
    text = (folder / "h.py").read_text().replace("    return {", "    asked['asked']['x'] = 1\n    return {")
    (folder / "h.py").write_text(text)
    crossing = carry(folder, to="thornwick", out=tmp_path / "there")
    (finding,) = [one for one in crossing.findings if one.code.startswith(("wrapped-", "made-whole-"))]
    assert (finding.function, finding.code) == ("weight", "made-whole-event-changed")
    assert text.splitlines()[finding.place.line - 1].strip() == "asked['asked']['x'] = 1"
    styles = {one.name: one.style for one in crossing.record.functions}
    assert styles == {"summary": "native", "weight": "native"}
    assert "def weight(request):\n    asked = http_event(request)\n" in crossing.files["h.py"].decode()


def test_outputs_go_there_and_back_and_there_again(project: Project, tmp_path: Path) -> None:
    statement = 'stores.put("weights", f"{hive}.json", json.dumps({"a": hive}), form="application/json")'
    outputs(project, tmp_path / "there", statement, "marrowby@1")
    samples = tmp_path / "samples"
    (samples / "f").mkdir(parents=True)
    (samples / "f" / "put.http").write_text("PUT /hives/h%207/weight HTTP/1.1\nHost: a.example\n\n")
    (samples / "g").mkdir()
    (samples / "g" / "one.yaml").write_text("kind: message\nevent: {channel: orders, body: x}\n")
    carry(tmp_path / "there", to="ostermere@1", out=tmp_path / "back")
    carry(tmp_path / "back", to="marrowby@2", out=tmp_path / "again")
    for one in ("there", "back", "again"):
        result = check(tmp_path / one, samples=[samples])
        assert result.good, (one, [(c.sample, c.differences) for c in result.checked])
    wired = (tmp_path / "again" / "wired.py").read_text()
    assert '@wire.fills(fills="weights", chest="weights", sheet="{hive}.json", kind="application/json")' in wired
    assert textwrap.dedent("    def f(visit, weights):\n        return _f(visit, weights)") in wired


CALLS = """
app: ins
jobs:
  f: {code: h.py#f, when: [{web: "PUT /hives/{hive}/weight"}]}
  g: {code: h.py#g, when: [{store: sheets, on: [put], begins: in/}]}
"""

#: handler of requests, handler of objects → their heads at the other side, and the wires beside the trigger's
READ = [
    (
        'page = books.read("hives", SLOTS)\n    return {"code": 200, "content": str(page)}',
        "def f(visit, log, page):\n    return {",
        [{"takes": "page", "folio": "hives"}],
    ),
    (
        'hive = event["call"]["slots"]["hive"]\n    page = books.read("hives", {"hive": hive})\n    return NONE',
        'def f(visit, log, page):\n    hive = visit["found"]["hive"]\n    return {',
        [{"takes": "page", "folio": "hives"}],
    ),
    # What comes after something that may do more than read, or only sometimes, is no input; nor what is bound again.
    (
        'lines.post("a", "b", notes={"c": "d"})\n    page = books.read("hives", SLOTS)\n    return NONE',
        'def f(visit, log):\n    belts.put("a", "b", marks={"c": "d"})\n    page = folios.look(',
        [],
    ),
    (
        'page = 1\n    if event["who"]:\n        page = books.read("hives", SLOTS)\n    return NONE',
        "def f(visit, log):\n    page = 1\n    if",
        [],
    ),
    (
        'seen = open("/dev/null").read()\n    page = books.read("hives", SLOTS)\n    return NONE',
        'def f(visit, log):\n    seen = open("/dev/null").read()\n    page = folios',
        [],
    ),
    (
        'seen = os.path.exists("/x")\n    page = books.read("hives", SLOTS)\n    return NONE',
        'def f(visit, log):\n    seen = os.path.exists("/x")\n    page = folios',
        [],
    ),
    (
        'helper()\n    page = books.read("hives", SLOTS)\n    return NONE',
        "def f(visit, log):\n    helper()\n    page = folios",
        [],
    ),
    (
        'page = books.read("hives", SLOTS)\n    page = page or {}\n    return NONE',
        "def f(visit, log):\n    page = folios",
        [],
    ),
    (
        'page = books.read("hives", {"id": "h-1"})\n    return NONE',
        "def f(visit, log):\n    page = folios",
        [],
    ),
]


@pytest.mark.parametrize(("body", "wanted", "wires"), READ)
def test_what_is_read_at_a_handlers_head_becomes_a_declared_input(
    project: Project, tmp_path: Path, body: str, wanted: str, wires: list[dict[str, str]]
) -> None:
    body = body.replace("NONE", '{"code": 204}').replace("SLOTS", 'event["call"]["slots"]')
    code = f"{HEAD}def helper():\n    pass\n\n\ndef f(event, ctx):\n    {body}\n\n\ndef g(event, ctx):\n    pass\n"
    folder = project({"ostermere.yaml": CALLS, "h.py": code})
    crossing = carry(folder, to="marrowby@1", out=tmp_path / "there", source="ostermere@1")
    assert wanted in crossing.files["h.py"].decode(), crossing.files["h.py"].decode()
    assert json.loads(crossing.files["wiring/f.json"])["wires"][1:] == wires
    samples = tmp_path / "samples" / "f"
    samples.mkdir(parents=True)
    (samples / "put.yaml").write_text(
        "kind: http\nevent: {method: PUT, authority: a.example, path.raw: /hives/h-1/weight}\n"
        "before: {records: [{table: hives, keys: {hive: h-1}, record: {a: 1}}]}\n"
    )
    result = check(tmp_path / "there", samples=[tmp_path / "samples"])
    assert [(one.function, str(one.verdict)) for one in result.checked] == [("f", "same")]


def test_bound_handlers_stay_bound_between_editions(tmp_path: Path) -> None:
    carry(YARD, to="marrowby@2", out=tmp_path / "there")
    text = (tmp_path / "there" / "h.py").read_text()
    assert "def summarise(arrival, apiary, day, prior, summaries, news):" in text
    wired = (tmp_path / "there" / "wired.py").read_text()
    for said in (
        '@wire.chest(to="arrival", chest="inspections", sorts=["laid"], sheet="{apiary}/{day}.csv")',
        '@wire.takes(takes="prior", chest="summaries", sheet="{apiary}/{day}.json", form="json")',
        '@wire.fills(fills="summaries", chest="summaries", sheet="{apiary}/{day}.json", form="json")',
        "def summarise(arrival, apiary, day, prior, summaries, news):",
    ):
        assert said in wired, wired
    carry(tmp_path / "there", to="marrowby@1", out=tmp_path / "back")
    for one in ("there", "back"):
        assert check(tmp_path / one, samples=[YARD / "samples"]).good


def test_the_content_of_what_triggers_a_handler_is_handed_over(tmp_path: Path) -> None:
    folder = tmp_path / "yard"
    (folder / "wiring").mkdir(parents=True)
    (folder / "marrowby.json").write_text('{"yard": "a"}')
    (folder / "wiring" / "f.json").write_text(
        '{"code": "h.py:f", "wires": [{"to": "sheet", "chest": "sheets", "sheet": "{day}.json", "as": "json"},'
        ' {"fills": "out", "chest": "out", "sheet": "{day}.json", "as": "json"}]}'
    )
    (folder / "h.py").write_text("def f(sheet, day, out, log):\n    out.set([day, sheet])\n")
    samples = folder / "samples" / "f"
    samples.mkdir(parents=True)
    (samples / "one.yaml").write_text(
        "kind: object\nevent: {bucket: sheets, key: mon.json, change: created}\n"
        'before: {objects: [{bucket: sheets, key: mon.json, body: "[1]"}]}\n'
    )
    carry(folder, to="marrowby@2", out=tmp_path / "there")
    assert (tmp_path / "there" / "h.py").read_text() == "def f(sheet, day, out):\n    out.set([day, sheet])\n"
    assert '@wire.chest(to="sheet", chest="sheets", sheet="{day}.json", form="json")' in (
        tmp_path / "there" / "wired.py"
    ).read_text().replace(', sorts=["laid"]', "")
    result = check(tmp_path / "there")
    assert result.good, [one.differences for one in result.checked]


#: a route, a handler that takes what it captures by name → the same that takes all of it; nothing where it stays
GATHERED = [
    ("/{x}", "def run(ask, x):\n    return x", "def run(ask, captures):\n    x = captures['x']\n    return x"),
    (
        "/{x}/{y}",
        "def run(ask, *, y='mon', x: str):\n    'Says it.'\n    return x + y",
        "captures):\n    'Says it.'\n    y = captures.get('y', 'mon')\n    x = captures['x']\n    return x + y",
    ),
    ("/{x}", "def run(ask, x=None):\n    return 1", "def run(ask, captures):\n    return 1"),
    ("/{x}", "def run(ask, x, z=None):\n    return x, z", "captures.get('z')"),
    ("/{+x}", "def run(ask, **more):\n    return more", "def run(ask, more):\n    return more"),
    ("/", "def run(ask):\n    return 1", "def run(ask, captures):\n    return 1"),
    ("/{x}", "def run(ask, captures):\n    return captures", None),
    ("/{captures}", "def run(ask, captures):\n    return captures", "captures = captures_['captures']"),
    ("/{x}/{y}", "def run(ask, x):\n    return x", None),
    ("/{x}", "def run(ask, x, **more):\n    return x, more", None),
    ("/{x}", "def run(ask, x=[]):\n    return x", None),
    ("/{x}", "def run(ask, x): return x", None),
    ("/{x}", "def run(ask, x):\n    return x\n\n\nother = run", None),
    ("/{x}", "@print\ndef run(ask, x):\n    return x", None),
    ("/{ask}", "def run(ask, **more):\n    return more", None),
    ("/{x}", "def run(*all, x):\n    return x", None),
]
#: The same where they are handed over in order.
IN_ORDER = [
    (
        "/{x}/{y}",
        "def run(ask, first, second=None):\n    return first, second",
        "captures):\n    first = captures[0]\n    second = captures[1]\n    return first, second",
    ),
    ("/{x}", "def run(ask, a, b=3):\n    return a, b", "captures):\n    a = captures[0]\n    b = 3\n    return a, b"),
    ("/", "def run(ask):\n    return 1", "def run(ask, captures):\n    return 1"),
    ("/{x}/{y}", "def run(ask, x):\n    return x", None),
    ("/{x}", "def run(ask, x, y):\n    return x", None),
    ("/{x}", "def run(ask, *all):\n    return all", None),
    ("/{x}", "def run(ask, *, x):\n    return x", None),
]
LARKSPUR = str(ROOT / "tests" / "profiles" / "larkspur-1.yaml")


@pytest.mark.parametrize(
    ("in_order", "route", "before", "after"),
    [*((False, *one) for one in GATHERED), *((True, *one) for one in IN_ORDER)],
)
def test_captures_that_are_handed_over_one_by_one_are_taken_from_all_of_them(
    project: Project, tmp_path: Path, in_order: bool, route: str, before: str, after: str | None
) -> None:
    profile = tmp_path / "larkspur-1.yaml"
    row = "{at: captures, is: captures}"
    text = Path(LARKSPUR).read_text()
    assert row in text
    profile.write_text(text.replace(row, "{at: captures, is: captures, as: in_order}") if in_order else text)
    function = Function("run", Entry("h.py", "run"), (RouteTrigger(f"/run{route}", ("GET",)),))
    there, left = taking_events(find_profile(str(profile)), [function], {"h.py": before.encode()})
    assert left.keys() == ({"run"} if after is None else set())
    assert (after or before).replace("'", '"') in there.files.get("h.py", before.encode()).decode().replace("'", '"')
    # What comes of either does the same, failures too.
    target = route.replace("{+x}", "a/b").replace("{", "").replace("}", "")
    body = before.replace("return ", "return {'head': {'content-type': 'text/plain'}, 'body': str(", 1)
    body = body.replace("\n\n\nother", ")}\n\n\nother") if "other" in body else body + ")}"
    files = {"larkspur.yaml": f"larks: {{run: {{does: 'h.py:run', wakes: [{{ask: 'GET /run{larks(route)}'}}]}}}}\n"}
    sample = f"kind: http\nevent: {{path.raw: /run{target}, method: GET}}\n"
    source = project({**files, "h.py": body, "samples/run/one.yaml": sample})
    for style in ("native", "wrapped"):
        carry(source, to="thornwick", out=tmp_path / style, source=str(profile), style=style)
        assert {one.verdict for one in check(tmp_path / style).checked} <= {Verdict.SAME, Verdict.UNHELD}, body


def larks(route: str) -> str:
    """Return a route as Larkspur spells it."""
    return route.replace("{+x}", "<x..>").replace("{", "<").replace("}", ">")


def test_errors_of_pythons_own_may_be_answers(project: Project, tmp_path: Path) -> None:
    model = yaml.safe_load(Path(LARKSPUR).read_text())
    forms = model["http"]["reply"]["forms"]
    forms[:0] = [{"when": "raised", "class": name, "fixed": {"status": code}} for name, code in RAISED.items()]
    (tmp_path / "larkspur-1.yaml").write_text(yaml.safe_dump(model, sort_keys=False))
    code = "class Gone(KeyError):\n    pass\n\n\ndef run(ask, x):\n    if x == 'gone':\n        raise Gone\n"
    code += "    if x == 'no':\n        raise PermissionError\n    return {'body': {'a': 1}[x]}\n"
    files = {"larkspur.yaml": "larks: {run: {does: 'h.py:run', wakes: [{ask: 'GET /run/<x>'}]}}\n", "h.py": code}
    for x in ("gone", "no", "a", "b"):
        files[f"samples/run/{x}.yaml"] = f"kind: http\nevent: {{path.raw: /run/{x}, method: GET}}\n"
    crossing = carry(project(files), to="wsgi", out=tmp_path / "out", source=str(tmp_path / "larkspur-1.yaml"))
    assert "wrapped-answer-raised-anywhere" in {one.code for one in crossing.findings}
    checked = check(tmp_path / "out").checked
    assert {one.verdict for one in checked} == {Verdict.SAME}
    assert [not one.fails for one in checked] == [True] * 4
    for name, says in (("Keyerror", "none of Python's classes"), ("larkspur.No", "no class 'No' of 'larkspur'")):
        forms[0]["class"] = name
        (tmp_path / "larkspur-1.yaml").write_text(yaml.safe_dump(model, sort_keys=False))
        with pytest.raises(BadInput, match=says):
            find_profile(str(tmp_path / "larkspur-1.yaml"))


#: An error of Python's own → the status that it stands for.
RAISED = {"LookupError": 404, "PermissionError": 403}
