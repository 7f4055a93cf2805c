"""Projects of several files: what is followed over them, and that all of it does the same."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import pytest
from conftest import Project, declaring, some
from corpus_cases import CORPUS
from under_node import told_by_typescript

from vast_ferry import Verdict, call, carry, check
from vast_ferry.hub.functions import Entry, Function, RouteTrigger

#: What tells of a handler that is not rewritten, or not in all its parts.
STYLES = ("made-whole-", "made-as-it-was", "wrapped-")
BODY = b'{"by": "m", "n": 3}'
REQUESTS = {
    "get": b"GET /%b/h-7?day=mon&day=tue&unit=g HTTP/1.1\r\nhost: a.example\r\naccept: a/b\r\nx-hive: H\r\n\r\n",
    "none": b"GET /%b/none HTTP/1.1\r\nhost: a.example\r\n\r\n",
    "post": b"POST /%b/h-7 HTTP/1.1\r\nhost: a.example\r\ncontent-type: application/json\r\ncontent-length: 19\r\n\r\n"
    + BODY,
    "torn": b"POST /%b/h-7?day=mon HTTP/1.1\r\nhost: a.example\r\ncontent-length: 1\r\n\r\n{",
}


def calling(source: str, files: dict[str, str], *names: str) -> dict[str, str | bytes]:
    """Return a project with functions that a file `main` exports, each with a sample of every request."""
    main = next(path for path in files if path.startswith("main."))
    routes = [(name, (RouteTrigger(f"/{name}/{{x}}", methods=("GET", "POST")),)) for name in names]
    functions = [Function(name, Entry(main, name), route, variables={"UNIT": "kg"}) for name, route in routes]
    samples = {f"samples/{name}/{one}.http": text % name.encode() for name in names for one, text in REQUESTS.items()}
    return {**declaring(source, *functions), **files, **samples}


def methods(which: str, language: str = "javascript") -> dict[str, tuple[str, bool]]:
    """Return the cases of methods: name → a file's text, and whether it is followed."""
    text = (CORPUS / f"{language}_methods.txt").read_text(encoding="utf-8")
    found = re.findall(rf"^#### {which} \| ([^\n]*) \| ([^\n]*)\n(.*?)(?=^####|\Z)", text, re.MULTILINE | re.DOTALL)
    return {name: (code, followed in ("followed", "in place")) for name, followed, code in found}


@dataclass(frozen=True)
class Several:
    """A project of several files: its provider, its functions, its files, and whether it is in TypeScript."""

    source: str
    names: list[str]
    files: dict[str, str]
    typed: bool


def projects() -> dict[tuple[str, str], Several]:
    found = {}
    for language in ("python", "javascript"):
        text = (CORPUS / f"{language}_projects.txt").read_text(encoding="utf-8")
        for head, _, rest in (one.partition("\n") for one in text.split("#### ")[1:]):
            source, *names = head.split()
            files = {path: code for path, _, code in (one.partition("\n") for one in f"\n{rest}".split("\n=== ")[1:])}
            found[language, source] = Several(source, names, files, any(path.endswith(".ts") for path in files))
    return found


PROJECTS = projects()


@pytest.mark.parametrize(
    ("language", "source", "to"),
    some(
        [
            ("javascript", "thornwick@2", "ostermere@1"),
            ("javascript", "ostermere@1", "thornwick@2"),
            ("python", "thornwick@2", "ostermere@1"),
            ("python", "ostermere@1", "brackendale@1"),
            ("javascript", "brackendale@1", "node-http"),
            ("javascript", "ostermere@1", "brackendale@1"),
            ("javascript", "thornwick@2", "fetch"),
            ("javascript", "brackendale@1", "thornwick@2"),
            ("python", "ostermere@1", "thornwick@2"),
            ("javascript", "ostermere@1", "node-http"),
            ("python", "ostermere@1", "quillhaven"),
            ("python", "thornwick@2", "brackendale@1"),
            ("python", "brackendale@1", "thornwick@2"),
            ("python", "brackendale@1", "ostermere@1"),
            ("python", "thornwick@2", "marrowby@2"),
        ],
        8,
    ),
)
def test_projects_of_several_files_are_rewritten_and_do_the_same(
    project: Project, tmp_path: Path, language: str, source: str, to: str
) -> None:
    own = PROJECTS[language, source]
    made = carry(project(calling(source, own.files, *own.names)), to=to, out=tmp_path / "there", source=source)
    assert [one.reason for one in made.findings if one.code.startswith(STYLES)] == []
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}
    if own.typed:
        assert told_by_typescript(tmp_path / "there") == []


#: How a method comes to be a handler: what `main.mjs` is, and whether it is followed.
HANDLERS = methods("handler")
CLASSES = """
export const say = (text) => ({ code: 200, content: String(text) });
export const around = (inner) => async (event, ctx) => (event.call.verb === "POST" ? say("no") : inner(event, ctx));
export class C {
  n = 1;
  static of(event) { return say(`of ${event.call.path}`); }
  static me(event) { return say(`me ${this?.name} ${event.call.path}`); }
  async read(event, ctx) { return say(`${this?.n} ${event.call.path}`); }
}
export class Bound {
  constructor() { this.n = 2; this.read = this.read.bind(this); }
  read(event) { return say(`${this.n} ${event.call.path}`); }
}
export class Field { n = 3; read = async (event) => say(`${this.n} ${event.call.path}`); }
"""


@pytest.mark.parametrize("name", some(HANDLERS, 4))
def test_a_method_is_a_handler_where_it_is_seen_which_one(project: Project, tmp_path: Path, name: str) -> None:
    main, followed = HANDLERS[name]
    files = {
        "classes.mjs": CLASSES,
        "main.mjs": f'import {{ Bound, C, Field, around, say }} from "./classes.mjs";\n{main}\n',
    }
    made = carry(
        project(calling("ostermere@1", files, "run")), to="fetch", out=tmp_path / "there", source="ostermere@1"
    )
    assert [one.code for one in made.findings if one.code.endswith("-javascript")] == ["wrapped-javascript"] * (
        not followed
    )
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}
    if not followed:  # nothing of its file is changed
        assert (tmp_path / "there" / "main.mjs").read_text() == files["main.mjs"]


#: What a file does with a class of another file, or with what is made of it: its methods are another's then.
OTHERS = methods("other")


@pytest.mark.parametrize("name", some(OTHERS, 3))
def test_methods_are_followed_where_all_that_files_do_with_their_class_is_seen(
    project: Project, tmp_path: Path, name: str
) -> None:
    other, followed = OTHERS[name]
    reader = (
        "export class Reader {\n  read(e) { return this.at(e); }\n  at(e) { return e.call.path + e.call.verb; }\n}\n"
    )
    main = 'import { Reader } from "./reader.mjs";\nimport "./other.mjs";\nconst reader = new Reader();\n'
    main += "export const run = (event) => ({ code: 200, content: reader.read(event) });\n"
    files = {"reader.mjs": reader, "other.mjs": other, "main.mjs": main}
    made = carry(
        project(calling("ostermere@1", files, "run")), to="fetch", out=tmp_path / "there", source="ostermere@1"
    )
    assert [one.code for one in made.findings if one.code.endswith("-javascript")] == ["made-whole-javascript"] * (
        not followed
    )
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}


#: Functions of another file by which a handler answers, or tells a part of its answer.
TELLING = """
const TYPE = "application/json";
let level = 1;
export const json = (reply, status, value) =>
  reply.status(status).head("content-type", TYPE).send(JSON.stringify(value));
export function text(reply, value, status = 200) {
  reply.status(status);
  reply.head("content-type", "text/plain");
  reply.send(value);
}
export const counted = (reply, value) => reply.head("x-level", String(2)).send(value);
export const levelled = (reply, value) => reply.head("x-level", `${level++}`).send(value);
export const fresh = (reply) => { reply.head("cache-control", "no-store"); };
export const secure = (reply) => reply.head("x-frame", "deny").head("x-kind", TYPE);
export function cookie(reply, name, value, { path } = {}) {
  const parts = [`${name}=${value}`];
  if (path) parts.push(`Path=${path}`);
  reply.head("set-cookie", parts.join("; "));
}
export function field(reply, name, values) {
  const all = [values].flat().join(", ");
  reply.head(name, all || "none");
}
export const turns = [];
export function counting(reply, word) {
  const told = [word].join("!");
  reply.head("x-turn", told);
  turns.push(told);
}
export function link(reply, next) {
  if (!next) return;
  reply.head("link", `<${next}>; rel=next`);
}
export const days = (every) => every.map((day) => day.toUpperCase()).join(",") || "none";
export const shout = (path) => path.split("/").reverse().join("!");
export const read = async (key) => `read ${key.replace("none", () => { throw new Refused("none"); })}`;
export const needed = (value) => {
  if (!value) throw new Refused("day?");
  return value;
};
export class Refused extends Error {}
export const guarded = (handler) => async (request, reply) => {
  try {
    await handler(request, reply);
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    reply.status(422).send(error.message);
  }
};
"""
TELLS = methods("tells")


@pytest.mark.parametrize("name", some(TELLS, 4))
def test_answers_are_told_through_functions_of_other_files(project: Project, tmp_path: Path, name: str) -> None:
    main, followed = TELLS[name]
    taken = ", ".join(one for one in re.findall(r"export \w+ (\w+)", TELLING) if re.search(rf"\b{one}\b", main))
    files = {"telling.mjs": TELLING, "main.mjs": f'import {{ {taken} }} from "./telling.mjs";\n{main}'}
    here = project(calling("thornwick@2", files, "run"))
    made = carry(here, to="brackendale@1", out=tmp_path / "there", source="thornwick@2")
    assert any(one.code.startswith(STYLES) for one in made.findings) is not followed
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}


IN_PYTHON = methods("handler", "python") | methods("object", "python")
HEAD = """
def say(text):
    return {"code": 200, "content": text}


class Held:
    def __init__(self):
        self.word = "held "

    def get(self, event, ctx):
        return say(self.word + event["call"]["path"])


held = Held()


"""


@pytest.mark.parametrize("name", some(IN_PYTHON, 3))
def test_what_is_made_or_held_in_python_is_followed_where_it_is_seen(
    project: Project, tmp_path: Path, name: str
) -> None:
    main, followed = IN_PYTHON[name]
    here = project(calling("ostermere@1", {"main.py": HEAD + main}, "run"))
    to = "brackendale@1" if name.endswith("(brackendale)") else "thornwick@2"
    made = carry(here, to=to, out=tmp_path / "there", source="ostermere@1")
    wrapped = any(one.code.startswith("wrapped-") for one in made.findings)
    whole = any(one.code.startswith(STYLES) for one in made.findings)
    assert (wrapped if "run = " in main else whole) is not followed
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}


SHARED = """
def counted():
    seen = []

    def around(inner):
        def act(event, ctx):
            seen.append(1)
            return {"code": 200, "content": str(len(seen))} if event["call"]["first"] else inner(event, ctx)

        return act

    return around


LAYERS = [counted()]


def put(handler):
    for layer in LAYERS:
        handler = layer(handler)
    return handler


@put
def one(event, ctx):
    return {"code": 200, "content": event["call"]["path"]}
"""


@pytest.mark.parametrize("shared", [False, True])
def test_layers_with_a_state_stay_together_where_several_handlers_have_them(
    project: Project, tmp_path: Path, shared: bool
) -> None:
    main = SHARED + "\n\n@put\ndef two(event, ctx):\n    return {'code': 200}\n" * shared
    here = project(calling("ostermere@1", {"main.py": main}, "one", *["two"] * shared))
    made = carry(here, to="thornwick@2", out=tmp_path / "there", source="ostermere@1")
    assert [one.code for one in made.findings if "layers" in one.code] == ["layers-apart"] * (not shared)
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}


#: What decorators make of an event, and what their handlers answer with.
REQUEST = """
import asyncio
import functools
import json

from ostermere import books


class Problem(Exception):
    pass


class Request:
    def __init__(self, event):
        self.event = event
        self.path = event["call"]["path"]

    @property
    def word(self):
        return self.event["call"]["slots"]["x"]


def say(content, code=200):
    return {"code": code, "content": content}


"""
OVER = methods("over", "python")


@pytest.mark.parametrize("name", some(OVER, 6))
def test_a_decorator_that_takes_over_is_rewritten_where_it_stands(project: Project, tmp_path: Path, name: str) -> None:
    main, in_place = OVER[name]
    here = project(calling("ostermere@1", {"main.py": REQUEST + main}, "run", "other"))
    carry(here, to="thornwick@2", out=tmp_path / "there", source="ostermere@1")
    written = (tmp_path / "there" / "main.py").read_text()
    assert ("def handle(event, ctx):" not in written and "@web" in written) is in_place
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}


@pytest.mark.parametrize("to", some(["wsgi", "asgi", "cgi", "fennick", "marrowby@2"], 5))
def test_what_logs_may_be_handed_on(project: Project, tmp_path: Path, to: str) -> None:
    here = project(calling("ostermere@1", {"main.py": REQUEST + OVER["it hands on parts"][0]}, "run", "other"))
    made = carry(here, to=to, out=tmp_path / "there", source="ostermere@1")
    assert not [one for one in made.findings if one.code.startswith("wrapped-")]
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}
    ended = call(tmp_path / "there", "run", "get.http").outcome
    assert "seen" in "".join([ended.output, *ended.logs])


#: A class of which a method calls a service, and is called as mappings' are.
STORE = """
from dataclasses import dataclass, field

from ostermere import books


def say(content):
    return {"code": 200, "content": content}


class Store:
    def get(self, hive, usual=None):
        books.write("seen", {"hive": hive}, {"n": 1})
        return books.read("seen", {"hive": hive}) or {"by": "none"}


"""
GOES = methods("goes", "python")


@pytest.mark.parametrize("name", some(GOES, 5))
def test_objects_are_followed_wherever_they_go(project: Project, tmp_path: Path, name: str) -> None:
    main, followed = GOES[name]
    here = project(calling("ostermere@1", {"main.py": STORE + main}, "run"))
    made = carry(here, to="brackendale@1", out=tmp_path / "there", source="ostermere@1")
    assert any(one.code == "wrapped-passed-on" for one in made.findings) is not followed
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}
