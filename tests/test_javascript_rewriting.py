"""Handlers in JavaScript rewritten where they stand: ways in which people write them, and judges that we did not write.

Each of `corpus/javascript_ways.txt` is one file of one handler, in Ostermere's idiom; its first line may tell a suffix.
"""

from __future__ import annotations

import contextlib
import http.client
import json
import subprocess
from collections import Counter
from pathlib import Path
from typing import Any

import httpx
import pytest
from conftest import some
from corpus_cases import CORPUS
from javascript_cases import SOURCES, TARGETS, cases, proven, untold
from under_node import served

from vast_ferry import HttpEvent, StandIn, Verdict, carry, check, survey
from vast_ferry.demo import LANGUAGES
from vast_ferry.documents.javascript_file import not_stripped, parse_javascript
from vast_ferry.hub.outcomes import Outcome
from vast_ferry.standins.node_program import node_program
from vast_ferry.standins.process import stand_in_secret
from vast_ferry.translate.javascript.answers import Answers

DEMO = LANGUAGES["javascript"]
WAYS = [text.strip("\n") + "\n" for text in (CORPUS / "javascript_ways.txt").read_text().split("\n----\n")]
BODY = b'{"by": "m", "n": 3}'
#: what each is called with: path behind its own, query, header fields, body
REQUESTS = {
    "filled": ("h-7", "day=mon&day=tue&unit=", {"content-type": "application/json", "cookie": "sid=1; x=2"}, BODY),
    "bare": ("q%2Fz", "", {"x-hive": "H"}, b""),
}


#: They go in parts, of which `make test` takes one.
PARTS = 4


def build(folder: Path, part: int) -> tuple[Path, list[int]]:
    """Write a project with all of their files, of which a part are functions of it; return it, and their numbers."""
    jobs, numbers = [], list(range(part, len(WAYS), PARTS))
    for number, text in enumerate(WAYS):
        head, _, rest = text.partition("\n")
        suffix, source = (head[3:], rest) if head in ("// cjs", "// ts") else ("mjs", text)
        folder.mkdir(exist_ok=True)
        (folder / f"h{number}.{suffix}").write_text(source)
        if number not in numbers:
            continue
        jobs.append(
            f"  f{number}:\n    code: h{number}.{suffix}#run\n    when:\n      - web: POST /f{number}/x/{{hive}}\n"
            "    vars: {UNIT: kg}\n    sealed: {K: vault/k}\n"
        )
        samples = folder / "samples" / f"f{number}"
        samples.mkdir(parents=True)
        for name, (path, query, headers, body) in REQUESTS.items():
            fields = "".join(f"{key}: {value}\r\n" for key, value in {"host": "a.example", **headers}.items())
            target = f"/f{number}/x/{path}" + f"?{query}" * bool(query)
            length = f"content-length: {len(body)}\r\n" if body else ""
            sample = f"POST {target} HTTP/1.1\r\n{fields}{length}\r\n".encode() + body
            (samples / f"{name}.http").write_bytes(sample)
    (folder / "ostermere.yaml").write_text("app: a\njobs:\n" + "".join(jobs))
    return folder, numbers


def everywhere(targets: list[str]) -> list[Any]:
    """Return the parts of the table at each target, of which the first at the first goes in `make test`."""
    return some([(to, part) for to in targets for part in range(PARTS)], len(targets) * PARTS)


#: The least of them that are rewritten, wholly or with a parameter made whole; the others are told to be wrapped.
REWRITTEN = 0.75


@pytest.mark.parametrize(
    ("to", "part"), everywhere(["thornwick@1", "ostermere@2", "brackendale@1", "node-http", "fetch"])
)
def test_however_it_is_written_it_does_the_same(tmp_path: Path, to: str, part: int) -> None:
    ways, numbers = build(tmp_path / "p", part)
    made = carry(ways, to=to, out=tmp_path / "there")
    told = {one.function for one in made.findings if one.code == "wrapped-javascript"}
    wrapped = {one.name for one in made.record.functions if one.style == "wrapped"}
    assert wrapped == told
    assert len(wrapped) <= (1 - REWRITTEN) * len(numbers)
    verdicts = check(tmp_path / "there").checked
    assert len(verdicts) == 2 * len(numbers)
    assert not [(WAYS[int(one.function[1:])], one) for one in verdicts if one.verdict is not Verdict.SAME]


def at_home(ways: Path, number: int, entry: str) -> dict[str, Outcome]:
    """Return how the author's own handler ends, under its provider's stand-in."""
    variables, ended = {"UNIT": "kg"}, {}
    with StandIn("ostermere@1", ways, entry, function=f"f{number}", variables=variables, secrets=["K"]) as here:
        for name, (path, query, headers, body) in REQUESTS.items():
            event = HttpEvent(
                *("i", "2026-11-28T00:00:00Z", "POST", "http", "a.example", f"/f{number}/x/{path}", query),
                *(f"/f{number}/x/{{hive}}", {"hive": path.replace("%2F", "/")}, list(headers.items()), body),
                *("127.0.0.1",),
            )
            ended[name] = here.call("http", event.as_fields())
    return ended


def asked(address: str, number: int, name: str) -> Any:
    """Return what a server really sends: status, header fields, content."""
    path, query, headers, body = REQUESTS[name]
    with contextlib.closing(http.client.HTTPConnection(address.removeprefix("http://"), timeout=10)) as link:
        link.putrequest("POST", f"/f{number}/x/{path}?{query}", skip_host=True, skip_accept_encoding=True)
        for key, value in {"host": "a.example", **headers, "content-length": str(len(body))}.items():
            link.putheader(key, value)
        link.endheaders(body)
        reply = link.getresponse()
        content = reply.read()
    own = ("date", "connection", "keep-alive", "transfer-encoding", "content-length")
    return reply.status, sorted((k.lower(), v) for k, v in reply.getheaders() if k.lower() not in own), content


@pytest.mark.parametrize(("to", "part"), everywhere(["node-http", "fetch"]))
def test_a_real_server_sends_what_the_original_answers(tmp_path: Path, to: str, part: int) -> None:
    ways, numbers = build(tmp_path / "p", part)
    carry(ways, to=to, out=tmp_path / "there")
    with served(tmp_path / "there", K=stand_in_secret("K"), SERVICES=str(tmp_path / "services")) as address:
        for number in numbers:
            entry = next(ways.glob(f"h{number}.*")).name + "#run"
            for name, ended in at_home(ways, number, entry).items():
                found = asked(address, number, name)
                if ended.reply is None:
                    assert found[0] == 500, (WAYS[number], ended, found)
                    continue
                fields = sorted((key.lower(), value) for key, value in ended.reply.headers)
                assert found == (ended.reply.status, fields, ended.reply.body), (WAYS[number], to)


@pytest.mark.parametrize("to", some(["thornwick@1", "ostermere@2"], 2))
def test_a_rewritten_project_comes_home_and_does_the_same(tmp_path: Path, to: str) -> None:
    carry(DEMO, to=to, out=tmp_path / "there")
    carry(tmp_path / "there", to="ostermere@1", out=tmp_path / "back")
    samples = [one for one in DEMO.glob("samples/*/*") if one.name != "captured.json"]
    assert {one.verdict for one in check(tmp_path / "back", samples=samples).checked} == {Verdict.SAME}


@pytest.mark.parametrize("wrong", ["((", "reply.send("])
def test_what_would_come_out_wrong_is_wrapped_and_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, wrong: str
) -> None:
    monkeypatch.setattr(Answers, "_through_calls", lambda *_: wrong)
    ways, numbers = build(tmp_path / "p", 0)
    made = carry(ways, to="thornwick@1", out=tmp_path / "there")
    told = [one for one in made.findings if "fault of Vast Ferry" in one.reason]
    assert len(told) > 5
    assert {one.function for one in told} <= {one.name for one in made.record.functions if one.style == "wrapped"}
    verdicts = check(tmp_path / "there").checked
    assert [one.verdict for one in verdicts] == [Verdict.SAME] * 2 * len(numbers)


# --- the corpus ------------------------------------------------------------------------------------------------------

PAIRS = [(source, to) for source, own in SOURCES.items() for to in TARGETS if to != own]


@pytest.mark.parametrize(("source", "to"), some(PAIRS, len(PAIRS)))
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


@pytest.mark.parametrize("source", TYPESCRIPT)
def test_what_node_does_not_run_of_typescript_is_told(source: str) -> None:
    code = f"require('node:module').stripTypeScriptTypes({json.dumps(source)})"
    done = subprocess.run([node_program(), "-e", code], capture_output=True, timeout=60, check=False)
    refused = b"ERR_UNSUPPORTED_TYPESCRIPT_SYNTAX" in done.stderr
    assert refused or done.returncode == 0, done.stderr
    assert bool(list(not_stripped(parse_javascript(source.encode(), "a.ts")))) is refused


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
