"""Handlers in JavaScript rewritten where they stand: ways in which people write them, and judges that we did not write.

Each of `corpus/javascript_ways_PROVIDER.txt` is one file of one handler; its first line may tell its suffix. Where it
ends with `// followed` nothing in it may be made whole.
"""

from __future__ import annotations

import contextlib
import http.client
import itertools
from collections import Counter
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import httpx
import pytest
from conftest import Project as ProjectFiles
from conftest import declaring, put, some
from corpus_cases import CORPUS
from javascript_cases import SOURCES, TARGETS, cases, proven, untold
from javascript_cases import build as written
from under_node import called, served, told_by_typescript

from vast_ferry import HttpEvent, StandIn, Verdict, carry, check, strength, survey
from vast_ferry.demo import LANGUAGES
from vast_ferry.documents.javascript_file import not_stripped, parse_javascript
from vast_ferry.hub.functions import Entry, EventTrigger, Function, RouteTrigger
from vast_ferry.hub.outcomes import Outcome
from vast_ferry.standins.process import stand_in_secret
from vast_ferry.translate.javascript.answers import Answers

DEMO = LANGUAGES["javascript"]


def ways_of(source: str) -> list[str]:
    text = (CORPUS / f"javascript_ways_{source.partition('@')[0]}.txt").read_text(encoding="utf-8")
    return [one.strip("\n") + "\n" for one in text.split("\n----\n")]


#: provider → handlers as people write them there, the name that they export
WAYS = {source: ways_of(source) for source in ("ostermere@1", "thornwick@2", "brackendale@1", "marrowby@1")}
NAMES = {"ostermere@1": "run", "thornwick@2": "run", "brackendale@1": "respond", "marrowby@1": "run"}
BODY = b'{"by": "m", "n": 3}'
#: what each is called with: path behind its own, query, header fields, body
REQUESTS = {
    "filled": ("h-7", "day=mon&day=tue&unit=", {"content-type": "application/json", "cookie": "sid=1; x=2"}, BODY),
    "bare": ("q%2Fz", "", {"x-hive": "H"}, b""),
}


#: They go in parts, of which `make test` takes one.
PARTS = 8


def build(folder: Path, source: str, part: int) -> tuple[Path, list[Function]]:
    """Write a project with all of a provider's files, of which a part are functions of it; return both."""
    functions, files = [], dict[str, str | bytes]()
    for number, text in enumerate(WAYS[source]):
        head, _, rest = text.partition("\n")
        suffix, code = (head[3:], rest) if head in ("// cjs", "// ts") else ("mjs", text)
        files[f"h{number}.{suffix}"] = code
        if number % PARTS != part:
            continue
        routes = (RouteTrigger(f"/f{number}/x/{{hive}}", methods=("POST",)),)
        entry = Entry(f"h{number}.{suffix}", NAMES[source])
        functions.append(Function(f"f{number}", entry, routes, variables={"UNIT": "kg"}, secrets={"K": "vault-k"}))
        for name, (path, query, headers, body) in REQUESTS.items():
            fields = "".join(f"{key}: {value}\r\n" for key, value in {"host": "a.example", **headers}.items())
            target = f"/f{number}/x/{path}" + f"?{query}" * bool(query)
            length = f"content-length: {len(body)}\r\n" if body else ""
            sample = f"POST {target} HTTP/1.1\r\n{fields}{length}\r\n".encode() + body
            files[f"samples/f{number}/{name}.http"] = sample
    return put(folder, {**files, **declaring(source, *functions)}), functions


def everywhere(targets: list[str]) -> list[Any]:
    """Return each provider's parts, each at some of the targets; the first at the first goes in `make test`."""
    found = [
        (source, to, part)
        for source in WAYS
        for number, to in enumerate(to for to in targets if to != source)
        for part in range(PARTS)
        if part % len(targets) == number % PARTS
    ]
    return [one if one == (found[0][0], targets[0], 0) else pytest.param(*one, marks=pytest.mark.slow) for one in found]


#: The least of them that are rewritten, wholly or with a parameter made whole; the others are told to be wrapped.
REWRITTEN = 0.7


THROUGH = "// Answers through a function of the file: that gives the answer.\n"


@pytest.mark.parametrize("to", ["ostermere@1", "brackendale@1"])
def test_a_function_by_which_a_handler_answers_gives_the_answer(project: ProjectFiles, tmp_path: Path, to: str) -> None:
    chosen = [one for one in WAYS["thornwick@2"] if one.startswith(THROUGH)]
    functions, files = [], {}
    for number, text in enumerate(chosen):
        files[f"h{number}.mjs"] = text.removeprefix(THROUGH)
        routes = (RouteTrigger(f"/f{number}/x/{{hive}}", methods=("POST",)),)
        functions.append(Function(f"f{number}", Entry(f"h{number}.mjs", "run"), routes))
    here = project({**declaring("thornwick@2", *functions), **files})
    made = carry(here, to=to, out=tmp_path / "there", source="thornwick@2")
    assert not [one for one in made.findings if "javascript" in one.code]
    texts = [(tmp_path / "there" / f"h{number}.mjs").read_text() for number in range(len(chosen))]
    assert not [text for text in texts if "reply" in text]


@pytest.mark.slow
@pytest.mark.parametrize(
    ("source", "to", "part"), everywhere(["thornwick@1", "ostermere@1", "ostermere@2", "brackendale@1", "fetch"])
)
def test_however_it_is_written_it_does_the_same(tmp_path: Path, source: str, to: str, part: int) -> None:
    ways, functions = build(tmp_path / "p", source, part)
    made = carry(ways, to=to, out=tmp_path / "there", source=source)
    told = {one.function for one in made.findings if one.code == "wrapped-javascript"}
    wrapped = {one.name for one in made.record.functions if one.style == "wrapped"}
    assert wrapped == told
    assert len(wrapped) <= (1 - REWRITTEN) * len(functions)
    whole = {one.function for one in made.findings if one.code == "made-whole-javascript"}
    followed = {f"f{number}" for number, text in enumerate(WAYS[source]) if text.rstrip().endswith("// followed")}
    assert not followed & (whole | wrapped)
    verdicts = check(tmp_path / "there").checked
    assert len(verdicts) == 2 * len(functions)
    fine = (Verdict.SAME, Verdict.UNHELD)
    assert not [(WAYS[source][int(one.function[1:])], one) for one in verdicts if one.verdict not in fine]


AROUND = {
    "lib.mjs": """export const withErrors = (inner) => async (event, ctx) => {
  try {
    return await inner(event, ctx);
  } catch (error) {
    return { code: 500, content: error.message };
  }
};

export const withLog = (inner) => async (event) => {
  console.log("called");
  return inner(event);
};
""",
    "h0.mjs": """import { withErrors, withLog } from "./lib.mjs";

export const run = withLog(withErrors(async (event) => ({ code: 200, content: event.call.first.day.toUpperCase() })));
""",
    "h1.mjs": """import * as lib from "./lib.mjs";

export const run = lib.withLog(async (event) => ({ code: 200, content: event.call.verb }));
""",
    # This one can't be rewritten: what is around it stays as it is for it.
    "h2.mjs": """import { withErrors } from "./lib.mjs";

export const run = withErrors(async function () {
  return { code: 200, content: String(arguments.length) };
});
""",
}


@pytest.mark.parametrize("to", ["thornwick@1", "fetch"])
def test_what_is_around_several_handlers_is_rewritten_once_and_stays_for_those_that_are_not(
    project: ProjectFiles, tmp_path: Path, to: str
) -> None:
    names, there = [path.partition(".")[0] for path in AROUND if path.startswith("h")], tmp_path / "there"
    functions = (Function(name, Entry(f"{name}.mjs", "run"), (RouteTrigger(f"/{name}"),)) for name in names)
    files = {**declaring("ostermere@1", *functions), **AROUND}
    for name, query in itertools.product(names, ("?day=mon", "")):
        request = f"GET /{name}{query} HTTP/1.1\r\nhost: a.example\r\n\r\n"
        files[f"samples/{name}/with{query.strip('?=')}.http"] = request
    made = carry(project(files), to=to, out=there, source="ostermere@1")
    assert [one.name for one in made.record.functions if one.style == "wrapped"] == ["h2"]
    lib, own = (there / "lib.mjs").read_text(), AROUND["lib.mjs"]
    assert own.partition("\n\n")[0] in lib  # h2 is called through it as it was
    assert lib.count("const withErrors2 = ") == lib.count("const withLog = ") == 1
    assert "{ withErrors2, withLog }" in (there / "h0.mjs").read_text()
    assert {one.verdict for one in check(there).checked} == {Verdict.SAME}


def test_names_that_stand_for_each_other_are_no_handler(project: ProjectFiles, tmp_path: Path) -> None:
    code = "const around = (inner) => (event) => inner(event);\nconst one = other;\nconst other = one;\n"
    function = Function("f", Entry("h.mjs", "run"), (RouteTrigger("/f"),))
    here = project(declaring("ostermere@1", function, mjs=f"{code}export const run = around(one);\n"))
    made = carry(here, to="fetch", out=tmp_path / "there", source="ostermere@1")
    assert [one.style for one in made.record.functions] == ["native"]  # by the function around it


#: How functions are put around a handler one in another, and whether that is seen through.
PUT_AROUND = {
    "(...steps) => (handler) => steps.reduceRight((next, step) => step(next), handler)": "native",
    "function (...steps) { return (handler) => { return steps.reduce((all, one) => one(all), handler); }; }": "native",
    "(...steps) => steps.reduce((outer, inner) => (handler) => outer(inner(handler)))": "native",
    "(...steps) => steps.reduceRight((outer, inner) => (handler) => outer(inner(handler)))": "native",
    "(...steps) => (handler) => steps.slice(1).reduceRight((next, step) => step(next), handler)": "wrapped",
    "(...steps) => (handler) => steps.reduceRight((next, step) => step(step(next)), handler)": "wrapped",
    "(first, ...steps) => (handler) => steps.reduceRight((next, step) => step(next), first(handler))": "wrapped",
}


@pytest.mark.parametrize("pipe", some(PUT_AROUND, 4))
def test_what_is_put_around_a_handler_stands_in_its_order(project: ProjectFiles, tmp_path: Path, pipe: str) -> None:
    code = (
        f"const pipe = {pipe};\nconst said = [];\n"
        "const named = (name) => (inner) => async (event, ctx) => {\n"
        "  said.push(name + event.call.verb);\n  return inner(event, ctx);\n};\n"
        "const only = (inner) => (event, ctx) =>\n"
        "  event.call.path.length > 2 ? inner(event, ctx) : { code: 403, content: said.join() };\n"
        "const handle = (event) => ({ code: 200, content: said.join() + event.call.path });\n"
        'export const run = pipe(named("a"), only, named("b"))(handle);\n'
    )
    files = declaring("ostermere@1", Function("f", Entry("h.mjs", "run"), (RouteTrigger("/{+all}"),)), mjs=code)
    for name in ("f", "further"):
        files[f"samples/f/{name}.yaml"] = f"kind: http\nevent: {{path.raw: /{name}}}\n"
    made = carry(project(files), to="fetch", out=tmp_path / "there", source="ostermere@1")
    assert [one.style for one in made.record.functions] == [PUT_AROUND[pipe]]
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}


COMPILED = ["thornwick@2", "node-http"]


@pytest.mark.slow
@pytest.mark.parametrize("to", COMPILED)
def test_what_is_carried_passes_the_compiler_of_typescript(tmp_path: Path, to: str) -> None:
    carry(DEMO, to=to, out=tmp_path / "demo", source="ostermere@1")
    assert told_by_typescript(tmp_path / "demo") == []
    passed = 0
    for name, source in SOURCES.items():
        typed = [one for one in cases() if one.source == name and one.suffix == "ts"]
        if source == to or not typed:
            continue
        folder = written(name, typed, tmp_path / name)
        before = {one.partition("(")[0] for one in told_by_typescript(folder)}
        carry(folder, to=to, out=tmp_path / f"{name}-there", source=source)
        told = told_by_typescript(tmp_path / f"{name}-there")
        assert [one for one in told if one.partition("(")[0] not in before] == []
        passed += len(typed) - len(before)
    assert passed > 0


#: Small handlers by name: what stands at the top of the file, and what is answered.
SMALL = {
    head.partition(" | ")[0]: (top, head.partition(" | ")[2])
    for head, _, top in (
        one.partition("\n") for one in (CORPUS / "javascript_small.txt").read_text(encoding="utf-8").split("#### ")[1:]
    )
}
#: A provider → what its events have in place of Ostermere's parts, and how a handler begins and answers.
THERE: dict[str, tuple[dict[str, str], str, str]] = {
    "ostermere@1": ({}, "run(event, ctx)", "return { code: 200, content: «» };"),
    "thornwick@2": ({"call.path": "path", "call.verb": "verb"}, "run(event, reply)", "return reply.send(«»);"),
    "brackendale@1": (
        {"call.path": "url", "call.verb": "method"},
        "respond(event, services)",
        "return new Response(«»);",
    ),
}
#: How a handler takes its event apart, which is another way at each.
APART = {
    "{ call: { path } }": {"thornwick@2": "{ path }", "brackendale@1": "{ url: path }"},
    "{ call: { path, verb }, ...rest }": {
        "thornwick@2": "{ path, verb, ...rest }",
        "brackendale@1": "{ url: path, method: verb, ...rest }",
    },
    "?.call?.path": {"thornwick@2": "?.path", "brackendale@1": "?.url"},
    "event.call === event.call": {"thornwick@2": "event.run === event.run", "brackendale@1": "event === event"},
}
BY_TURNS = itertools.cycle(
    [
        ("ostermere@1", "thornwick"),
        ("thornwick@2", "ostermere"),
        ("brackendale@1", "node-http"),
        ("ostermere@1", "fetch"),
    ]
    + [("thornwick@2", "brackendale"), ("brackendale@1", "thornwick"), ("thornwick@2", "node-http")]
)


@pytest.mark.parametrize(("name", "way"), some(zip(SMALL, BY_TURNS, strict=False), 27))
def test_whatever_a_small_handler_does_with_its_event_it_does_the_same(
    project: ProjectFiles, tmp_path: Path, name: str, way: tuple[str, str]
) -> None:
    source, to = way
    top, answered = SMALL[name]
    parts, begins, ends = THERE[source]
    for one, theirs in APART.items():
        top, answered = (text.replace(one, theirs.get(source, one)) for text in (top, answered))
    for one, other in parts.items():
        top, answered = (text.replace(one, other) for text in (top, answered))
    answer = ends.replace("«»", "JSON.stringify(found ?? null)")
    code = f"{top}\nexport async function {begins} {{\n  const found = await ({answered});\n  {answer}\n}}\n"
    function = Function("i", Entry("h.mjs", NAMES[source]), (RouteTrigger("/i/{hive}", ("GET", "POST"), "public"),))
    files = declaring(source, function, mjs=code)
    for number, method in enumerate(("GET", "POST")):
        files[f"samples/i/{number}.yaml"] = f"kind: http\nevent: {{path.raw: /i/h-7, method: {method}}}\n"
    carry(project(files), to=to, out=tmp_path / "out", source=source)
    assert {one.verdict for one in check(tmp_path / "out").checked} <= {Verdict.SAME, Verdict.UNHELD}


def at_home(ways: Path, source: str, function: Function) -> dict[str, Outcome]:
    """Return how the author's own handler ends, under its provider's stand-in."""
    ended: dict[str, Outcome] = {}
    entry, name = f"{function.entry.file}#{function.entry.name}", function.name
    with StandIn(source, ways, entry, function=name, variables=function.variables, secrets=["K"]) as here:
        for sample, (path, query, headers, body) in REQUESTS.items():
            event = HttpEvent(
                *("i", "2026-11-28T00:00:00Z", "POST", "http", "a.example", f"/{name}/x/{path}", query),
                *(f"/{name}/x/{{hive}}", {"hive": path.replace("%2F", "/")}, list(headers.items()), body),
                *("127.0.0.1",),
            )
            ended[sample] = here.call("http", event.as_fields())
    return ended


def asked(address: str, function: str, sample: str) -> Any:
    """Return what a server really sends: status, header fields, content."""
    path, query, headers, body = REQUESTS[sample]
    with contextlib.closing(http.client.HTTPConnection(address.removeprefix("http://"), timeout=10)) as link:
        target = f"/{function}/x/{path}" + f"?{query}" * bool(query)
        link.putrequest("POST", target, skip_host=True, skip_accept_encoding=True)
        for key, value in {"host": "a.example", **headers, "content-length": str(len(body))}.items():
            link.putheader(key, value)
        link.endheaders(body)
        reply = link.getresponse()
        content = reply.read()
    own = ("date", "connection", "keep-alive", "transfer-encoding", "content-length")
    return reply.status, joined((k, v) for k, v in reply.getheaders() if k.lower() not in own), content


def joined(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return header fields sorted, those of one name joined but for Set-Cookie (RFC 9110 section 5.3)."""
    made: dict[str, list[str]] = {}
    for name, value in pairs:
        made.setdefault(name.lower(), []).append(value)
    apart = [
        (name, one) for name, each in made.items() for one in (each if name == "set-cookie" else [", ".join(each)])
    ]
    return sorted(apart)


@pytest.mark.slow
@pytest.mark.parametrize(("source", "to", "part"), everywhere(["node-http", "fetch"]))
def test_a_real_server_sends_what_the_original_answers(tmp_path: Path, source: str, to: str, part: int) -> None:
    ways, functions = build(tmp_path / "p", source, part)
    carry(ways, to=to, out=tmp_path / "there", source=source)
    with served(tmp_path / "there", K=stand_in_secret("K"), SERVICES=str(tmp_path / "services")) as address:
        for function in functions:
            for sample, ended in at_home(ways, source, function).items():
                found = asked(address, function.name, sample)
                text = WAYS[source][int(function.name[1:])]
                if ended.reply is None:
                    assert found[0] == 500, (text, ended, found)
                    continue
                wanted = (ended.reply.status, joined(ended.reply.headers), ended.reply.body)
                assert found == wanted, (text, to)


@pytest.mark.slow
@pytest.mark.parametrize("to", ["thornwick@1", "ostermere@2"])
def test_a_rewritten_project_comes_home_and_does_the_same(tmp_path: Path, to: str) -> None:
    carry(DEMO, to=to, out=tmp_path / "there")
    carry(tmp_path / "there", to="ostermere@1", out=tmp_path / "back")
    samples = [one for one in DEMO.glob("samples/*/*") if one.name != "captured.json"]
    assert {one.verdict for one in check(tmp_path / "back", samples=samples).checked} == {Verdict.SAME}


@pytest.mark.slow
@pytest.mark.parametrize("wrong", ["reply.send("])
def test_what_would_come_out_wrong_is_wrapped_and_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, wrong: str
) -> None:
    monkeypatch.setattr(Answers, "_through_calls", lambda *_: wrong)
    ways, functions = build(tmp_path / "p", "ostermere@1", 0)
    made = carry(ways, to="thornwick@1", out=tmp_path / "there")
    told = [one for one in made.findings if "fault of Vast Ferry" in one.reason]
    assert len(told) > 2
    assert {one.function for one in told} <= {one.name for one in made.record.functions if one.style == "wrapped"}
    verdicts = check(tmp_path / "there").checked
    assert [one.verdict for one in verdicts] == [Verdict.SAME] * 2 * len(functions)


# --- the corpus ------------------------------------------------------------------------------------------------------

EVERY = [(source, to) for source, own in SOURCES.items() for to in TARGETS if to != own]
PAIRS = EVERY[1::8]  # the others come with `tests/javascript_cases.py`


@pytest.mark.slow
@pytest.mark.parametrize(("source", "to"), PAIRS)
def test_the_corpus_differs_nowhere_untold(tmp_path: Path, source: str, to: str) -> None:
    styles: Counter[str] = Counter()
    for apart in (False, True):
        chosen = [one for one in cases() if one.source == source and one.apart is apart]
        for pair in proven(source, to, chosen, tmp_path / str(apart)):
            styles[pair.style] += 1
            assert not untold(pair), (pair.handler, to, untold(pair))
            assert pair.style == "native" or pair.why
    assert styles["native"] + styles["whole"] >= 0.85 * styles.total(), styles


# --- what Node does not run of TypeScript ----------------------------------------------------------------------------

#: Each is told where Node's own stripper refuses it, and only there.
TYPESCRIPT = [
    "enum A { x }",
    "const enum B { y }",
    "declare enum C { z }",
    "export enum Z { a }",
    "namespace D { export const a = 1 }",
    "namespace D2 { export type a = 1 }",
    "namespace D3 { namespace M { export const a = 1 } }",
    "namespace D4 { export namespace M { export interface A { a: 1 } } }",
    "declare namespace E { const q: number }",
    'declare module "foo" { }',
    'import fs = require("fs");',
    "import x = N.M;",
    "class G { constructor(private readonly a: string) {} }",
    "class G { constructor(readonly a: string) {} }",
    "class G { constructor(a: string, public b = 2) {} }",
    "class G { private a = 1; readonly b?: string; declare c: number }",
    "abstract class H { private x = 1; abstract m(): void }",
    "class A {}; export = A;",
    "let q = 1; let v = <any>q;",
    "let q = 1; let v = q as any satisfies unknown; v!;",
    "function f(this: void, a?: string): asserts a is string {}",
    "type A<T> = T extends infer U ? U : never; interface I { a: 1 }",
    'import type { T } from "./t"; export type { T };',
    "function over(a: string): void; function over(a: unknown) {}",
]


def test_what_node_does_not_run_of_typescript_is_told(tmp_path: Path) -> None:
    strips = (
        "import { stripTypeScriptTypes } from 'node:module';\n"
        "export function refused(source) { "
        "try { stripTypeScriptTypes(source); return ''; } catch (e) { return e.code } }"
    )
    codes = called(tmp_path, strips, [("refused", [one]) for one in TYPESCRIPT])
    for source, code in zip(TYPESCRIPT, codes, strict=True):
        assert code in ("", "ERR_UNSUPPORTED_TYPESCRIPT_SYNTAX"), (source, code)
        assert bool(list(not_stripped(parse_javascript(source.encode(), "a.ts")))) is bool(code), source


def test_a_file_that_node_refuses_takes_nobody_with_it(tmp_path: Path) -> None:
    folder = tmp_path / "p"
    folder.mkdir()
    answer = 'export const run = () => ({ code: 200, content: "a" });\n'
    (folder / "good.mjs").write_text(answer)
    (folder / "bad.ts").write_text("enum A { x }\n" + answer)
    jobs = "".join(f"  {name}:\n    code: {file}#run\n    when:\n      - web: GET /{name}\n" for name, file in FILES)
    (folder / "ostermere.yaml").write_text(f"app: a\njobs:\n{jobs}")
    (told,) = [one for one in survey(folder).findings if one.code == "typescript-not-run"]
    assert (str(told.place), "an enum" in told.reason) == ("bad.ts:1:1", True)
    carry(folder, to="node-http", out=tmp_path / "there")
    with served(tmp_path / "there") as address:
        found = [httpx.get(f"{address}/{name}") for name, _ in FILES]
    assert [(one.status_code, one.content) for one in found] == [(200, b"a"), (503, b"503 Service Unavailable\n")]


FILES = [("good", "good.mjs"), ("bad", "bad.ts")]

NEEDS_CODE = """enum Unit {
  kg = "kg",
  lb = "lb",
}

namespace Scale {
  export const grams = (unit: Unit): number => (unit === Unit.kg ? 1000 : 454);
}

class Weight {
  constructor(private readonly unit: Unit, public amount = 2) {}

  told(): string {
    return `${this.amount * Scale.grams(this.unit)}`;
  }

  never(): string {
    return this.unit;
  }
}

export const run = (event: any) => {
  if (event.call.first.unit === "lb") {
    return { code: 200, content: new Weight(Unit.lb).told() };
  }
  return { code: 200, content: new Weight(Unit.kg).told() };
};
"""


@pytest.mark.slow
@pytest.mark.parametrize("to", some(["node-http", "thornwick@2"], 2))
def test_typescript_that_needs_code_is_proven_with_the_code_made(tmp_path: Path, to: str) -> None:
    folder = tmp_path / "p"
    (folder / "samples" / "f").mkdir(parents=True)
    (folder / "h.ts").write_text(NEEDS_CODE)
    (folder / "ostermere.yaml").write_text("app: a\njobs:\n  f:\n    code: h.ts#run\n    when:\n      - web: GET /f\n")
    for name, query in (("kg", ""), ("lb", ", query.raw: unit=lb")):
        (folder / "samples" / "f" / f"{name}.yaml").write_text(f"kind: http\nevent: {{path.raw: /f{query}}}\n")
    carry(folder, to=to, out=tmp_path / "there")
    assert [one.verdict for one in check(tmp_path / "there").checked] == [Verdict.SAME] * 2
    (one,) = strength(tmp_path / "there", seconds=3).functions
    assert one.original.missed == (("h.ts", NEEDS_CODE[: NEEDS_CODE.index("return this.unit")].count("\n") + 1),)


#: What is done with a batch, each a body of the handler; how many events were seen is what it tells.
BATCHED = {
    "by a function": "const seen = await Promise.all(event.batch.map(told));",
    "settled": "const done = await Promise.allSettled(batch.map((entry) => told(entry)));\n"
    "  const seen = done.flatMap((one, at) => (one.reason ? [batch[at].ticket.length] : [one.value]));",
    "in a try": "const seen = [];\n  try {\n"
    "    for (const { text, notes } of event.batch) seen.push(`${text}${notes.region}`);\n"
    "  } catch (error) {\n    seen.push(error.name);\n  }",
    "sorted": "const seen = [...batch].sort((a, b) => (a.text < b.text ? 1 : -1)).map((one) => one.text);",
    "numbered": "const seen = [];\n  for (const [at, { text }] of event.batch.entries()) seen.push(`${at}${text}`);",
    "summed": "const seen = [event.batch.reduce((sum, { text }) => sum + text.length, 0)];",
    "handed on": "const seen = textsOf(event);",
    "begun with an event": "const seen = [batch.reduce((all, { text }) => ({ text: all.notes.region + text })).text];",
}
#: Of these, what is left as it is: an event of the provider's is handed on there.
LEFT = ("begun with an event",)
OF_BATCHES = """import {{ lines }} from "ostermere";

async function told({{ text, notes, group }}) {{
  if (text === "!") throw new Error(group);
  return `${{text}} ${{notes.region ?? "-"}}`;
}}
const textsOf = ({{ batch }}) => batch.filter((entry) => entry.text).map((entry) => entry.text);

export async function run({taken}) {{
  {body}
  await lines.post("seen", JSON.stringify(seen));
}}
"""


@pytest.mark.slow
@pytest.mark.parametrize("to", some(["ostermere@2", "thornwick@2", "brackendale@1"], 3))
def test_a_batch_is_a_list_of_what_is_read_of_each_event(project: ProjectFiles, tmp_path: Path, to: str) -> None:
    functions = [
        Function(f"f{at}", Entry(f"f{at}.mjs", "run"), (EventTrigger("message", "orders"),))
        for at in range(len(BATCHED))
    ]
    files = declaring("ostermere@1", *functions)
    events = ["{channel: orders, body: b, attributes: {region: n}}", "{channel: orders, body: a, group: g}"]
    for at, body in enumerate(BATCHED.values()):
        taken = "event" if "event" in body else "{ batch }"
        files[f"f{at}.mjs"] = OF_BATCHES.format(taken=taken, body=body)
        for name, some_of in (("one", events[:1]), ("both", events)):
            files[f"samples/f{at}/{name}.yaml"] = f"kind: message\nevents: [{', '.join(some_of)}]\n"
    made = carry(project(files), to=to, out=tmp_path / "out", source="ostermere@1")
    left = {one.function for one in made.findings if one.code in ("wrapped-javascript", "made-whole-javascript")}
    assert left == {f"f{at}" for at, name in enumerate(BATCHED) if name in LEFT}
    result = check(tmp_path / "out")
    assert {one.verdict for one in result.checked} <= {Verdict.SAME, Verdict.UNHELD}
    assert not result.unproven


def test_what_a_constructor_keeps_under_the_name_of_its_parameter_is_followed(
    project: ProjectFiles, tmp_path: Path
) -> None:
    code = """abstract class Told {
  constructor(protected readonly event: any, readonly sep = "-") {}
  get text(): string {
    return [this.event.call.verb, this.event.call.slots.hive].join(this.sep);
  }
}
class Loud extends Told {}
export const run = async (event: any) => ({ code: 200, content: new Loud(event).text });
"""
    function = Function("i", Entry("h.ts", "run"), (RouteTrigger("/i/{hive}", ("GET",), "public"),))
    files = declaring("ostermere@1", function, ts=code)
    files["samples/i/a.yaml"] = "kind: http\nevent: {path.raw: /i/h-7, method: GET}\n"
    made = carry(project(files), to="brackendale", out=tmp_path / "out", source="ostermere@1")
    assert not [one for one in made.findings if one.code in ("wrapped-javascript", "made-whole-javascript")]
    assert [one.verdict for one in check(tmp_path / "out").checked] == [Verdict.SAME]
