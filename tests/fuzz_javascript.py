"""Generated handlers in JavaScript, carried to every target that runs it and proven, for as long as it is given.

Run: .venv/bin/python tests/fuzz_javascript.py [--minutes 1] [--seed 1] [--size 40] [--from PROVIDER] [--to PART]
Printed: how many handlers and checks there were and how they came out; each that came out otherwise untold is shrunk to
few statements and shown with what was carried. The exit status is 1 if there is one. A seed gives the same handlers.
"""

from __future__ import annotations

import argparse
import random
import re
import sys
import tempfile
import time
from collections import Counter
from dataclasses import dataclass, field, replace
from itertools import count
from pathlib import Path
from typing import Any

from fuzz_batches import BATCH_STATEMENTS, BATCHES

from vast_ferry import Verdict, carry, check, find_profile
from vast_ferry.definitions.writing import write_definition
from vast_ferry.documents.yaml_file import write_yaml
from vast_ferry.hub.functions import Entry, EventTrigger, Function, Project, RouteTrigger

TARGETS = [
    "ostermere@1",
    "ostermere@2",
    "thornwick@1",
    "thornwick@2",
    "brackendale@1",
    "node-http@1",
    "fetch@1",
    "marrowby@1",
    *(str(Path(__file__).parent / "profiles" / f"{name}-1.yaml") for name in ("hesket", "quernby", "pinnock")),
]
FINE = (Verdict.SAME, Verdict.UNHELD)
#: How each is called: what stands before the blank line of a request, and its content.
REQUESTS = {
    "filled": (
        "POST /{f}/x/h-7?day=mon&day=tue&unit=&n=1",
        ["content-type: application/json", "cookie: sid=1; x=2", "x-tag: a"],
        b'{"by": "m", "n": 3, "list": [1, {"a": null}]}',
    ),
    "bare": ("GET /{f}/x/q%2Fz", ["x-hive: H"], b""),
    "odd": (
        "PUT /{f}/x/%C3%A9?day=%20a+b&=x&unit&__proto__=1",
        ["content-type: text/plain; charset=utf-8", "x-tag: a", "x-tag: b, c"],
        "grün\n".encode(),
    ),
    "bytes": ("POST /{f}/x/h?day=", ["content-type: application/octet-stream"], b"\x00\xff\xfe{"),
    "marked": ("POST /{f}/x/h", ["content-type: application/json"], b'\xef\xbb\xbf{"by": "\xff"}'),
    "latin": ("POST /{f}/x/h?n=1", ["content-type: text/plain; charset=latin1"], b"gr\xfcn"),
}


@dataclass(frozen=True)
class Surface:
    """How handlers meet a provider: their parameters, what they read, what holds more, how they answer."""

    source: str
    export: str
    parameters: tuple[str, ...]
    texts: tuple[str, ...]  # expressions that read; § stands for what is handed over
    holders: dict[str, tuple[str, ...]]  # expression that holds more → what is asked of it
    changes: tuple[str, ...]
    answers: tuple[str, ...]  # «text» stands for the content
    unpacked: tuple[str, ...]  # patterns that bind «a» from what is handed over
    top: str = ""  # what stands before each handler
    lib: str = ""  # what stands in a file of its own, `lib.mjs`
    trigger: EventTrigger | None = None  # of events in batches; nothing: requests
    samples: tuple[dict[str, Any], ...] = ()
    entry: tuple[str, ...] = ()  # what is asked of one event of a batch
    entry_changes: tuple[str, ...] = ()  # how an event `e` is changed


SURFACES: tuple[Surface, ...] = (
    Surface(
        "ostermere@1",
        "run",
        ("event", "ctx"),
        (
            "§.call.verb",
            "§.call.path",
            "§.call.search",
            "§.call.first.day",
            "§.call.slots.hive",
            "§.call.site",
            '§.fields["content-type"]',
            "§.fields.cookie",
            "§.content",
            "§.packed",
            "§.call.route",
            "§.call.peer",
            '§["call"]["first"]["unit"]',
            "§.call.first?.nope",
            "§?.call?.slots?.hive",
            "§.crumbs.length",
            "§.who",
            "§.crumbs[0]",
            "§.kind",
            "§.call.first.hasOwnProperty",
            "§.nothing",
            "Object.keys(§.call.first).length",
            "§.call.at > 0",
            '"day" in §.call.first',
            "typeof §.ticket",
            "§.fields['x-tag']",
            "§.call.scheme",
        ),
        {
            "§.call": (".path", ".slots.hive", ".first.day", ".search", '["verb"]'),
            "§.call.first": (".day", ".unit", "?.nope", '["day"]'),
            "§.fields": (".cookie", '["content-type"]', '?.["x-tag"]'),
            "§.call.slots": (".hive",),
        },
        (
            '§.call.first.day = "set"',
            "delete §.call.first.day",
            '§.fields["x-tag"] = "t"',
            "§.call.slots.hive += 1",
            '§.content = "c"',
            "§.call = { ...§.call, path: 1 }",
            "§.extra = 1",
            '§.crumbs.push("c=1")',
            "Object.assign(§.call.first, { day: 2 })",
        ),
        (
            "return { code: 200, content: «text» }",
            'return { code: 201, fields: { "x-a": "1", "content-type": "text/x" }, content: «text» }',
            "return «text»",
            "const answer = { code: 202 }; answer.content = «text»; return answer",
            'const base = { code: 200, fields: { a: "b" } }; return { ...base, content: «text» }',
            'return Object.assign({ code: 203 }, { content: «text», crumbs: ["s=1"] })',
            "return new Promise((done) => setTimeout(() => done({ code: 200, content: «text» }), 1))",
            "throw new Error(«text»)",
            "try { throw new TypeError(«text») } catch (error) { return { code: 500, content: error.message } }",
            "return out.length > 2 ? { code: 200, content: «text» } : null",
            "return ((code, content) => ({ code, content }))(200, «text»)",
            'return { code: 200, packed: true, content: Buffer.from(«text»).toString("base64") }',
            "const content = «text»; return { content, code: 200 + (content.length % 2) }",
        ),
        (
            "{ call: { path: «a» } }",
            "{ call: { first: { day: «a» } } }",
            "{ call: { first: { unit: «a» = 'u' } } }",
            "{ content: «a» }",
            "{ fields: { cookie: «a» = 'none' } }",
            "{ call: «a» }",
            "{ call: { slots: { hive: «a» } } }",
            "{ call: { first: { day, ...«a» } } }",
            "{ crumbs: [«a»] }",
            "{ nothing: «a» = 5 }",
            "{ call: { ['pa' + 'th']: «a» } }",
        ),
    ),
    Surface(
        "thornwick@2",
        "run",
        ("request", "reply"),
        (
            "§.verb",
            "§.path",
            "§.search",
            '§.params.one("day")',
            '§.params.every("day").length',
            "§.parts.hive",
            "§.host",
            '§.heads.one("Content-Type")',
            '§.heads.every("x-tag").join("|")',
            "§.text()",
            "§.json()",
            "§.read().length",
            "§.route",
            "§.caller",
            "[...§.params.pairs()].length",
            "§.nothing",
            '§.params.one("nope")',
            "typeof §.mark",
            '§.parts["hive"]',
            '§.heads.one("cookie")?.length',
            "§.json().by",
            '§.params.every("day")[1]',
            "§.scheme",
            "String(§.moment).length > 0",
            '§?.params.one("unit")',
        ),
        {
            "§.params": ('.one("day")', '.every("day").length', '.one("unit")'),
            "§.heads": ('.one("x-hive")', '.every("x-tag").length'),
            "§.parts": (".hive", "?.nope"),
            '§.params.every("day")': (".length", "[0]", '.join("+")'),
        },
        (
            '§.parts.hive = "set"',
            '§.extra = "e"',
            '§.path = "/p"',
            "delete §.parts.hive",
            "§.read()[0] = 65",
            '§.params.every("day").push("z")',
        ),
        (
            "return reply.send(«text»)",
            'reply.status(201).head("x-a", "1").send(«text»)',
            "reply.send(«text»); return",
            "reply.head('x-d', String(out.length)); out.push('late'); "
            "if (out.length > 3) return reply.status(409).send(); reply.send(«text»)",
            "reply.status(201).head('x-e', `${out.length}`); for (const one of out) { if (one === 'q') "
            "return reply.status(202).send(one); } out.length = 0; return reply.send(«text»)",
            "reply.head('x-f', out.join().length > 9 ? 'long' : 'short'); try { out.nope.nope(); reply.send('none'); } "
            "catch (error) { reply.status(500).send(error.name); }",
            "reply.status(out.length ? 203 : 200); const late2 = out.pop(); if (late2) { reply.head('x-g', 'g'); "
            "reply.send(late2); } else { reply.send(«text»); }",
            "if (out.length > 1) { reply.head('x-h', 'h'); out.push('h'); reply.status(206).send(«text»); return; } "
            "reply.status(207).send(«text»)",
            "if (out.length > 1) { reply.head('x-i', 'i'); } reply.status(207).send(«text»)",
            'reply.status(202); reply.head("x-b", "2"); reply.send(«text»)',
            "const told = reply.status(208).head('x-j', 'j'); if (out.length > 2) told.head('x-k', out.join()); "
            "told.send(«text»)",
            "if (out.length > 1) reply.head('x-l', 'l'); else reply.head('x-m', `${out.length}`); "
            "if (out.length > 3) return reply.status(409).send(); reply.send(«text»)",
            "if (out.length > 1) { if (out.length > 2) reply.head('set-cookie', `a=${out.length}`); "
            "reply.head('x-n', 'n'); } reply.status(206).send(«text»)",
            "if (flag) reply.status(209); reply.send(«text»)",
            "for (const one of out) if (one === 'q') reply.head('x-o', 'o'); reply.send(«text»)",
            "if (out.length) { reply.head('x-q', 'q'); if (out.length > 2) return reply.status(410).send(); } "
            "reply.send(«text»)",
            "try { if (out.length > 1) reply.head('x-p', out.nope.nope); reply.send(«text»); } "
            "catch (error) { reply.status(500).send(error.name); }",
            "if (out.length > 1) { reply.head('x-r', 'r'); reply.head('x-r', 's'); } reply.head('x-r', 't'); "
            "reply.send(«text»)",
            "const told = reply; told.status(203); if (out.length > 1) told.head('x-s', String(out[0])); "
            "return told.send(«text»)",
            "await new Promise((done) => setTimeout(done, 1)); reply.send(«text»)",
            "if (out.length > 2) return reply.send(«text»); reply.status(204).send()",
            "throw new Error(«text»)",
            "try { throw new TypeError(«text») } catch (error) { reply.status(500).send(error.message) }",
            "const send = (text) => reply.status(200).send(text); return send(«text»)",
            "const tell = async (one) => { await null; if (out[2]) throw new Error('late'); one.send(«text»); }; "
            "return tell(reply)",
            "(out.length % 2 ? reply : reply.status(203)).send(«text»)",
            'reply.head("content-type", "text/x").head("a", "1").head("a", "2").send(«text»)',
            "reply.send(Buffer.from(«text»))",
            "const { status } = { status: 207 }; reply.status(status).send(«text»)",
            "reply.send(«text»); out.length = 0",
            "setTimeout(() => reply.send(«text»), 2)",
            # Through functions of the file, of a table, of another file.
            "return fail(reply, 404, «text»)",
            "if (out.length > 2) return fail(reply, 400, «text»); done(reply, out)",
            "done(reply, out, 'a/b'); return",
            "return await later(reply, «text»)",
            "later(reply, «text»)",
            "await later(reply, «text»)",
            "return late(reply, out[9])",
            "return maybe(reply, «text»)",
            "fail(reply, 204, '')",
            "try { risky(reply, «text»); } catch (error) { fail(reply, 500, error.name); }",
            "try { return await later(reply, out.nope.nope); } catch (error) { return done(reply, error.name); }",
            "return risky(reply, «text»)",
            "const way = ways[§.verb]; if (!way) return fail(reply, 405, Object.keys(ways).join()); "
            "await way(reply, «text»)",
            "if (!(§.verb in ways)) return done(reply, 'no'); return ways[§.verb](reply, «text»)",
            "return problem(reply, 422, «text», { at: 1 })",
            "if (flag) return problem(reply, 400, «text»); return problem(reply, 204, '')",
            "return tell(§, reply, «text»)",
            "routes.b(§, reply)",
            "return (out.length % 2 ? routes.a : routes.b)(§, reply)",
            "fail(reply.head('x-b', 'b'), 400, «text»)",
            "const kept = fail; kept(reply, 200, «text»)",
            "reply.head('x-c', 'c'); fail(reply, 401, «text»)",
            "return pieces(reply, …out)",
            # Through functions that are put into a table, what promises keep, content that may be anything.
            "const way = put[§.verb]; if (!way) return reply.status(405).head('allow', Object.keys(put).join()).send();"
            " return way(§, reply)",
            "if (!held.has(§.verb)) return fail(reply, 405, [...held.keys()].join()); "
            "return await held.get(§.verb)(§, reply)",
            "return Promise.resolve(«text»).then((text) => reply.status(203).send(text))",
            "return soon(out).then((text) => reply.head('x-t', 't').send(text), "
            "(error) => fail(reply, 500, error.name))",
            "return soon(out).then((text) => { if (text.length > 9) return reply.status(206).send(text); "
            "reply.head('x-u', text.slice(0, 2)); return reply.status(207).send(out.nope.nope); })"
            ".catch((error) => reply.status(500).send(error.name))",
            "reply.head('x-v', 'v'); return soon(out).then((text) => { if (!text) return reply.status(204).send();"
            " return reply.send(text); }).finally(() => { out.length = 0; })",
            "return reply.status(200).head('content-type', view.type).send(view.render(out))",
            "return reply.send(view.render(out))",
            "if (out.length > 2) return reply.status(406).send(); return reply.send(§.params.one('unit') || undefined)",
            "if (out.length > 1) reply.head('x-w', 'w'); reply.head('content-type', view.type).send(view.render(out))",
            "reply.head('x-x', view.next()).head('content-type', 'text/x').status(202).send(view.next())",
            "fresh(reply); if (out.length > 2) return plain(reply, «text», 206); typed(reply, «text»)",
            "crumb(reply, 'a', «text»); crumb(reply, 'b', out.length, 4); return plain(reply, shown(out))",
            "if (out.length > 1) crumb(reply, 'c', out.length); field(reply, 'x-y', out.length); typed(reply, «text»)",
            "reply.head('x-z', 'z'); plain(reply, field(reply, 'x-1', 'one') ?? «text», 203)",
            "reply.status(299).head('x-2', '2'); typed(reply, await soon(out.nope?.nope ?? out))",
            "reply.head('x-3', '3'); reply.head('x-4', needed(out[2])).send(«text»)",
            "reply.status(298); crumb(reply, 'd', needed(out[1])); plain(reply, «text»)",
            "try { fresh(reply); field(reply, 'x-5', needed(out[2])); return plain(reply, «text»); } "
            "catch (error) { return typed(reply, error.name); }",
        ),
        (
            "{ path: «a» }",
            "{ parts: { hive: «a» } }",
            "{ verb: «a» = 'V' }",
            "{ parts: «a» }",
            "{ search: «a» }",
            "{ params: «a» }",
            "{ nothing: «a» = 5 }",
            "{ parts: { hive, ...«a» } }",
            "{ ['pa' + 'th']: «a» }",
        ),
        """import { crumb, field, fresh, needed, plain, problem, routes, tell, typed } from "./lib.mjs";
const fail = (reply, status, text) => reply.status(status).head("content-type", "text/plain").send(text);
function done(reply, value, type = "text/x") {
  reply.head("content-type", type);
  reply.send(shown(value));
}
const later = async (reply, text) => {
  await null;
  if (text.length % 2) return reply.status(201).send(text);
  fail(reply, 202, text);
};
async function late(reply, text) {
  if (text === undefined) {
    reply.status(410).send();
    return;
  }
  await null;
  reply.send(text);
}
const maybe = (reply, text) => {
  if (text.length > 30) {
    done(reply, [text]);
    return;
  }
  reply.send(text);
};
const risky = (reply, text) => reply.status(207).head("x-l", String(JSON.parse(text).length)).send("risky");
const pieces = (reply, ...all) => reply.send(all.map(shown).join());
const put = {};
const on = (verb) => (way) => {
  put[verb] = way;
  return way;
};
on("GET")(async (request, reply) => fail(reply, 201, request.path));
on("POST")((request, reply) => {
  if (!request.params.one("n")) return reply.status(404).send("n?");
  return done(reply, request.params.one("n"));
});
const held = new Map();
held.set("PUT", (request, reply) => reply.status(208).send(request.search));
held.set("POST", async function (request, reply) {
  await null;
  reply.send(request.parts.hive);
});
const soon = async (out) => out.map(shown).join();
const view = {
  type: "text/y",
  count: 0,
  next() {
    this.count += 1;
    this.type = `text/y${this.count}`;
    return this.type;
  },
  render: (out) => [String(out[0]), Buffer.from("grün"), undefined, null][out.length % 4],
};
const ways = {
  GET(reply, text) {
    reply.send(text);
  },
  POST: async (reply, text) => {
    await null;
    reply.status(203).send(text);
  },
};
""",
        """const send = (reply, status, type, text) => reply.status(status).head("content-type", type).send(text);
export const problem = (reply, status, title, more = {}) => {
  if (status === 204) return reply.status(204).send();
  send(reply, status, "application/problem+json", JSON.stringify({ title, status, ...more }));
};
export function tell(request, reply, text) {
  reply.head("x-verb", request.verb);
  reply.status(206).send(text);
}
const KIND = "text/k";
let turns = 0;
export const fresh = (reply) => { reply.head("cache-control", "no-store"); };
export const typed = (reply, text) => reply.status(205 + 1).head("content-type", KIND).send(text);
export function plain(reply, text, status = 209) {
  reply.status(status);
  reply.head("content-type", "text/plain");
  reply.send(text);
}
export function crumb(reply, name, value, age) {
  const parts = [`${name}=${encodeURIComponent(String(value).slice(0, 9))}`];
  if (age) parts.push(`Max-Age=${age}`);
  reply.head("set-cookie", parts.join("; "));
}
export function field(reply, name, value) {
  turns += 1;
  reply.head(name, `${value} ${turns > 0}`);
}
export const needed = (value) => {
  if (value === undefined) throw new RangeError("needed");
  return String(value).replace(/[^ -~]/g, "-");
};
export const routes = {
  a: (request, reply) => reply.send(request.path),
  b(request, reply) {
    reply.status(208).send(`b ${request.parts.hive}`);
  },
};
""",
    ),
    Surface(
        "marrowby@1",
        "run",
        ("visit", "log"),
        (
            "§.act",
            "§.way",
            "§.asked.day",
            "§.asked.day?.length",
            "§.found.hive",
            "§.house",
            "§.lines.length",
            "§.plain",
            "§.load.length",
            "§.load.toString()",
            "JSON.parse(§.load).by",
            "§.pattern",
            "§.guest",
            "§.nothing",
            "§.sort",
            "§.lines.find(([name]) => name === 'x-tag')?.[1]",
            "§.asked.nope?.[0]",
            '§["found"]["hive"]',
            "§?.asked?.unit",
            "Object.keys(§.asked).length",
            "§.asked.day?.[1]",
            "typeof §.number",
            "§.lines[0]?.[0]",
            "(§.asked.n ?? [0])[0]",
        ),
        {
            "§.asked": (".day", ".unit?.[0]", "?.nope", '["day"]'),
            "§.found": (".hive", "?.nope"),
            "§.lines": (".length", "[0]?.[1]", ".map(([name]) => name).join()"),
            "§.load": (".length", ".toString('base64')"),
        },
        (
            '§.asked.day = ["set"]',
            "delete §.asked.day",
            "§.found.hive += 1",
            '§.extra = "e"',
            '§.way = "/p"',
            "§.lines.push(['x', 'y'])",
            "§.asked = {}",
        ),
        (
            "return { mark: 200, load: «text» }",
            "if (out.length > 2) return { mark: 406 }; return { mark: 200, load: §.asked.nope?.[0] }",
            "return { mark: 207, load: [«text», Buffer.from('b'), undefined][out.length % 3] }",
            'return { mark: 201, lines: [["x-a", "1"], ["x-a", "2"]], load: «text» }',
            "const answer = { mark: 202 }; answer.load = «text»; return answer",
            'return { ...{ mark: 200, lines: [["content-type", "text/x"]] }, load: Buffer.from(«text») }',
            "throw new Error(«text»)",
            "try { throw new TypeError(«text») } catch (error) { return { mark: 500, load: error.message } }",
            "return out.length > 2 ? { mark: 200, load: «text» } : undefined",
            "const load = «text»; return { load, mark: 200 + (load.length % 2) }",
            "return await new Promise((done) => setTimeout(() => done({ mark: 200, load: «text» }), 1))",
        ),
        (
            "{ way: «a» }",
            "{ asked: { day: «a» } }",
            "{ asked: { unit: [«a»] = ['u'] } }",
            "{ found: { hive: «a» } }",
            "{ asked: «a» }",
            "{ nothing: «a» = 5 }",
            "{ lines: [«a»] }",
            "{ asked: { day, ...«a» } }",
            "{ load: «a» }",
        ),
    ),
    Surface(
        "brackendale@1",
        "respond",
        ("request", "services"),
        (
            "§.method",
            "new URL(§.url).pathname",
            "new URL(§.url).search",
            "§.groups.hive",
            '§.headers.get("x-tag")',
            'new URL(§.url).searchParams.get("day")',
            'new URL(§.url).searchParams.getAll("day").length',
            "§.pattern",
            '§.headers.has("cookie")',
            "await §.clone().text()",
            "await §.text().catch((error) => error.name)",
            "await §.json().then((all) => all.by, () => 'torn')",
            "§.identity",
            "§.nothing",
            "typeof §.id",
            "§.bodyUsed",
            "[...§.headers.keys()].length",
            "§.url.length > 9",
            '§.headers.get("content-type")?.length',
            "§?.groups?.hive",
            "[...new URL(§.url).searchParams].join()",
        ),
        {
            "§.groups": (".hive", "?.nope"),
            "§.headers": ('.get("x-hive")', '.has("x-tag")'),
            "new URL(§.url)": (".pathname", ".search", '.searchParams.get("unit")', ".host"),
            "new URL(§.url).searchParams": ('.get("day")', '.getAll("day").length', ".toString()"),
        },
        (
            '§.groups.hive = "set"',
            '§.extra = "e"',
            "delete §.groups.hive",
            "Object.assign(§.groups, { more: 1 })",
        ),
        (
            "return new Response(«text»)",
            'return new Response(«text», { status: 201, headers: { "x-a": "1" } })',
            "return Response.json({ text: «text» })",
            'const headers = new Headers(); headers.append("a", "1"); headers.append("a", "2"); '
            "return new Response(«text», { headers })",
            "return new Response(Buffer.from(«text»), { status: 202 })",
            "throw new Error(«text»)",
            "try { throw new TypeError(«text») } catch (error) { return new Response(error.message, { status: 500 }) }",
            "const content = «text»; const init = { status: 203 }; return new Response(content, init)",
            "if (out.length > 2) return new Response(«text»); return new Response(null, { status: 204 })",
            'const r = new Response(«text»); r.headers.set("x-late", "1"); return r',
            "return await new Promise((done) => setTimeout(() => done(new Response(«text»)), 1))",
            'return Response.redirect("https://a.example/" + out.length, 303)',
        ),
        (
            "{ method: «a» }",
            "{ groups: { hive: «a» } }",
            "{ groups: «a» }",
            "{ url: «a» }",
            "{ nothing: «a» = 5 }",
            "{ groups: { hive, ...«a» } }",
            "{ headers: «a» }",
        ),
    ),
)

SURFACES += tuple(Surface(**one) for one in BATCHES)

#: Around one value: what it gives is shown; ‹v› is the value.
AROUND = (
    "‹v›",
    "‹v›",
    "((x) => x)(‹v›)",
    "[‹v›][0]",
    "({ a: ‹v› }).a",
    "await Promise.resolve(‹v›)",
    "(() => ‹v›)()",
    "(‹v› ?? 'd')",
    "(0, ‹v›)",
    "`${‹v›}!`",
    "(‹v› || 'or')",
    "String(‹v›)",
    "JSON.stringify(‹v›)",
    "[...String(‹v›)].length",
    "(function () { return ‹v› }())",
    "new Set([‹v›]).size",
    "(flag ? ‹v› : 1)",
    "(flag && ‹v›)",
    "!‹v›",
    "typeof ‹v›",
    "[1, 2].map(() => ‹v›).join()",
    "Object.entries({ k: ‹v› }).flat().join()",
    "same`${‹v›}`",
    "(await (async () => ‹v›)())",
    "twice(‹v›)",
    "keep(‹v›)",
    "new Box(‹v›).value",
    "attempt(() => ‹v›)",
    "[...rest(1, ‹v›)].length",
    "(‹v›)?.toString()",
)
#: Statements; § is what is handed over, ‹v› a value read from it, ‹h› what holds more and ‹p› what is asked of it.
STATEMENTS = (
    "out.push(‹v›);",
    "const «x» = ‹v›; out.push(«x»);",
    "let «x» = ‹v›; if (flag) «x» = `${«x»}2`; out.push(«x»);",
    "const «x» = ‹h›; out.push(«x»‹p›);",
    "const «x» = ‹h›; out.push(«x»‹p›, «x»‹p›);",
    "const «x» = §; out.push(«x»‹r›);",
    "const ‹u› = §; out.push(«x»);",
    "{ const ‹u› = §; out.push(JSON.stringify(«x»)); }",
    "out.push((({ ...all }) => Object.keys(all).length > 0)(§));",
    "for (const «x» of [‹v›, ‹v›]) out.push(«x»);",
    "for (const «x» in ‹h›) out.push(«x».length > 0);",
    "try { out.push(‹v›); if (flag) throw ‹v›; } "
    "catch (error) { out.push(String(error?.name ?? error)); } finally { out.push(‹v›); }",
    "try { out.push(‹v›.deep.er); } catch { out.push('caught'); }",
    "if (‹v›) { out.push(‹v›); } else { out.push('else', ‹v›); }",
    "switch (‹v›) { case ‹v›: out.push('case'); break; default: out.push('default'); }",
    "const «x» = () => ‹v›; out.push(«x»(), «x»());",
    "function «x»(e) { return e‹r›; } out.push(«x»(§));",
    "const «x» = (e = §) => e‹r›; out.push(«x»());",
    "const «x» = async ({ ...e }) => e‹r›; out.push(await attempt(() => «x»(§)));",
    "last = §; out.push(last‹r›);",
    "‹c›; out.push(‹v›);",
    "const «x» = ‹h›; ‹c›; out.push(«x»‹p›);",
    "out.push(…[1].map((event) => event)); out.push(((request) => request)(7));",
    "{ const § = { call: { path: 'inner' }, path: 'inner', url: 'http://i/' }; out.push(§.path ?? §.call.path); }",
    "const «x» = [§, 1]; out.push(«x»[0]‹r›);",
    "const «x» = { §, k: ‹v› }; out.push(«x».§‹r›, «x».k);",
    "const [«x» = ‹v›] = []; out.push(«x»);",
    "var «x» = ‹v›; { var «x» = 'again'; } out.push(«x»);",
    "label: for (const «x» of [1, 2]) { for (;;) { out.push(‹v›); continue label; } }",
    "let «x» = 0; while («x»++ < 2) out.push(‹v›);",
    "out.push(await Promise.all([‹v›, 1].map(async (one) => one)).then((all) => all.join()));",
    "const «x» = new Map([['k', ‹v›]]); out.push(«x».get('k'));",
    "class «x» { static e = ‹v›; get v() { return ‹v›; } } out.push(«x».e, new «x»().v);",
    "out.push(attempt(() => { const { a, ...«x» } = { a: ‹v› }; return Object.keys(«x»).length; }));",
    "let «x»; ({ a: «x» = ‹v› } = {}); out.push(«x»);",
    "out.push(new Holder(§).read((e) => e‹r›));",
    "out.push(((...all) => all[0]‹r›)(§));",
    "const «x» = Object.freeze({ e: § }); out.push(«x».e‹r›);",
    "let «x» = null; «x» ??= ‹v›; out.push(«x»);",
    "const «x» = (e) => ({ ...e }); out.push(attempt(() => «x»(‹h›)‹p›));",
    "out.push(structuredCloneOr(‹h›)‹q›);",
    "const «x» = function* () { yield ‹v›; yield ‹v›; }; out.push([...«x»()].length);",
    "setTimeout(() => out.push(‹v›), 0); await null;",
    "out.push(… [‹v›, ‹v›]);",
    "out.push(‹v› === ‹v›, ‹v› == null);",
    "if (!‹v›) out.push('guard'); else out.push(‹v›);",
    "out.push([‹h›].map((one) => one‹p›)[0]);",
    "const «x» = ‹h›, «y» = ‹v›; out.push(«x»‹p›, «y»);",
    "const { length: «x» } = String(‹v›); out.push(«x»);",
    # Helpers that are handed what the handler was.
    "const «x» = (e) => { const f = e; return f‹r›; }; out.push(«x»(§), «x»(§));",
    "const «x»w = (‹u›) => «x»; out.push(attempt(() => «x»w(§)));",
    "const «x» = { a: (e) => e‹r›, b(e) { return e‹r›; } }; out.push(«x».a(§), «x»['b'](§), «x»[flag ? 'a' : 'b'](§));",
    "class «x» { read(e) { return e‹r›; } } const «x»o = new «x»(); out.push(«x»o.read(§));",
    "const «x» = (e) => { ‹C›; return e‹r›; }; out.push(attempt(() => «x»(§)), ‹v›);",
    "const «x» = (e) => ‹H›; out.push(«x»(§)‹p›, «x»(§) === ‹h›);",
    "const «x» = (e) => { const g = ‹H›; g.added = 1; return g; }; out.push(attempt(() => «x»(§)‹p›), ‹h›‹p›);",
    "const «x» = (e) => Object.keys(‹H›).length; ‹c›; out.push(«x»(§), ‹v›);",
    "const «x» = async (e, more) => { await null; more.push(e‹r›); return e‹r›; }; out.push(await «x»(§, out));",
    "const «x»a = (e) => e‹r›, «x» = (e, f) => «x»a(f) ?? e; out.push(«x»(1, §));",
    "const «x» = (e) => e‹r›; for (const one of [1, 2]) out.push(«x»(§), one);",
    "const «x» = (e) => () => e‹r›; out.push(«x»(§)());",
    "const «x» = (a, b) => a === b; out.push(«x»(‹h›, ‹h›), ‹h› === last, last !== ‹v›);",
    "function «x»(e) { return arguments.length + String(e‹r›); } out.push(«x»(§, 1));",
    "const «x» = { a: (e) => e‹r› }; out.push((«x»[flag ? 'a' : 'b'] ?? ((e) => e‹r›))(§));",
    # In an object beside others.
    "const «x» = ({ e, n = 1 }) => [e‹r›, n]; out.push(…«x»({ e: §, k: 2 }));",
    "const «x» = (all) => all.e‹r› ?? all.k; out.push(«x»({ k: ‹v›, e: § }), «x»({ e: § }));",
    "const «x» = ({ e, ...more }) => [e‹r›, Object.keys(more).length]; out.push(…«x»({ a: 1, e: § }));",
    "const «x» = (all) => { all.e = { path: 1 }; return all.e‹r›; }; out.push(attempt(() => «x»({ e: § })));",
    "const «x» = (all) => JSON.stringify(Object.keys(all)); out.push(«x»({ e: §, f: 1 }));",
    "const «x»a = ({ f }) => f‹r›, «x» = ({ e }) => «x»a({ f: e }); out.push(«x»({ e: § }));",
    "const «x» = ({ § }) => §‹r›; out.push(«x»({ § }), «x»({ §, ...{ k: 1 } }));",
    "const «x» = async ({ § }, k) => { await null; return [k, §‹r›]; }; out.push(…(await «x»({ § }, ‹v›)));",
    "const «x» = { a: ({ e }) => e‹r›, b(all) { return all.e‹r›; } }; "
    "out.push(«x»[flag ? 'a' : 'b']({ e: § }), «x».b({ e: § }));",
    "const «x» = ({ e }) => { ‹C›; return e‹r›; }; out.push(attempt(() => «x»({ e: § })), ‹v›);",
    "const «x» = (all) => all.m(); out.push(«x»({ e: §, m() { return this.e‹r›; } }));",
    "const «x» = ({ e: { ...f } }) => Object.keys(f).length > 0; out.push(«x»({ e: § }));",
    "const «x» = ({ e } = {}) => e‹r›; out.push(«x»({ ['e']: § }), «x»({ e: 1, e: § }));",
    # Objects that keep it.
    "class «x»c { #e; constructor(e) { this.#e = e; } get v() { return this.#e‹r›; } "
    "all() { return [this.v, this.#e‹r›]; } } out.push(new «x»c(§).v, …new «x»c(§).all());",
    "class «x»b { constructor(e) { this.e = e; } } class «x»c extends «x»b { read() { return this.e‹r›; } "
    "change() { ‹T›; return this.e‹r›; } } const «x» = new «x»c(§); "
    "out.push(«x».read(), attempt(() => «x».change()), ‹v›);",
    "class «x»c { constructor(e) { this.e = e; } self() { return this; } read() { return this.e‹r›; } } "
    "const «x» = new «x»c(§); out.push(«x».self().e‹r›, «x».read());",
    "class «x»c { constructor(e) { this.e = e; this.k = e‹r›; } } const «x» = new «x»c(§); "
    "out.push(JSON.stringify(Object.keys(«x»)), «x».k, «x».e‹r›);",
    "class «x»c { constructor(e) { this.e = e; } read() { const { e } = this; return e‹r›; } } "
    "out.push(new «x»c(§).read());",
    "class «x»c { e; constructor(e) { this.e = e; } read = () => this.e‹r›; static of(e) { return new this(e); } } "
    "out.push(new «x»c(§).read(), «x»c.of(§).read());",
    "class «x»c { constructor(e) { this.e = e; } read(n) { return n ? this.read(n - 1) : this.e‹r›; } } "
    "const «x» = new «x»c(§); ‹c›; out.push(«x».read(2), «x».read(0));",
    "class «x»c { constructor(e, f) { this.f = f; this.e = e; } twice() { return [1, 2].map(function () { return "
    "attempt(() => this.e); }).concat(this.f‹r›).length; } } out.push(new «x»c(1, §).twice());",
    "const «x» = (e = {}, n = 2) => [e‹r›, n]; out.push(…«x»(§));",
    # Functions that stand in a list.
    "const «x» = [(e) => e‹r›, function (e) { return e‹r›; }]; for (const f of «x») out.push(f(§));",
    "const «x» = [{ a: (e) => e‹r›, n: 1 }, { a(e) { return e‹r›; } }]; "
    "out.push(…«x».map((one) => one.a(§)), «x».find((one) => one.n)?.a(§));",
    "const «x» = [[1, (e) => e‹r›], [2, (e) => { ‹C›; return e‹r›; }]]; "
    "for (const [n, f] of «x») out.push(n, attempt(() => f(§))); out.push(‹v›);",
    "const «x» = [(e) => e‹r›]; «x».push((e) => typeof e); out.push(…«x».map((f) => f(§)));",
    "const «x» = [{ a: (e) => e‹r› }, { b: 1 }]; out.push(attempt(() => «x».map(({ a }) => a(§)).join()));",
    "const «x» = [(e) => e‹r›, (e, n) => n]; const «x»f = «x»[out.length % 2]; out.push(«x»f(§, 1), «x».at(-1)(§, 2));",
)
#: What stands at the top of a file, and a statement that uses it: functions that are put into tables, and methods.
TOPS = (
    (
        "const «x» = {}; const «x»on = (n, f) => { «x»[n] = f; }; "
        "«x»on('a', (e) => e‹r›); «x»on('b', function (e) { ‹C›; return e‹r›; });",
        "out.push(attempt(() => «x»[flag ? 'a' : 'b'](§)), attempt(() => «x».b(§)), ‹v›);",
    ),
    (
        "const «x» = new Map(); «x».set('a', (e) => e‹r›); «x».set('b', (e, n) => [e‹r›, n]);",
        "out.push(shown(«x».get(flag ? 'a' : 'b')(§, 1)), [...«x».keys()].length);",
    ),
    (
        "const «x» = {}; function «x»on(n) { return (f) => { «x»[n] = f; return f; }; } "
        "«x»on('a')((e) => e‹r›); «x»on('b')(async ({ ...e }) => e‹r›);",
        "out.push(shown(await «x»[out.length % 2 ? 'a' : 'b'](§)), 'a' in «x»);",
    ),
    (
        "const «x» = {}; const «x»f = (e) => e‹r›; «x».a = «x»f; «x».b = keep; «x»['c'] = (e) => { ‹C›; return 1; };",
        "out.push(shown(attempt(() => «x»[out.length % 2 ? 'a' : 'c'](§))), «x»f(§), typeof «x».b);",
    ),
    (
        "const «x» = { n: 1 }; const «x»on = (f) => { «x»[f.name] = f; }; «x»on(function a(e) { return e‹r›; });",
        "out.push(«x».a(§), «x».n);",
    ),
    (
        "class «x»b { run(e) { return this.read(e); } } class «x»c extends «x»b { read(e) { return e‹r›; } } "
        "class «x»d extends «x»b { read(e) { ‹C›; return e‹r›; } } const «x» = new «x»c(), «x»o = new «x»d();",
        "out.push(«x».run(§), attempt(() => «x»o.run(§)), ‹v›);",
    ),
    (
        "class «x»c { a(e) { return e‹r›; } b(e) { return [e‹r›].map(() => this.a(e))[0]; } } const «x» = new «x»c();",
        "out.push(«x»[flag ? 'a' : 'b'](§), «x»[out.length % 2 ? 'a' : 'b'](§));",
    ),
    (
        "class «x»c { constructor() { this.a = (e) => typeof e; } a(e) { return e‹r›; } } const «x» = new «x»c();",
        "out.push(«x».a(§));",
    ),
    (
        "class «x»c { a(e) { return e‹r›; } b(e) { return this.a(e); } } class «x»d extends «x»c { a = (e) => 1; }"
        " const «x» = [new «x»c(), new «x»d()];",
        "out.push(…«x».map((one) => one.b(§)));",
    ),
    (
        "class «x»c { routes = {}; on(n, f) { this.routes[n] = f; return this; } "
        "run(n, e) { const f = this.routes[n]; return f ? f(e) : 'none'; } } "
        "const «x» = new «x»c().on('a', (e) => e‹r›).on('b', function (e) { ‹C›; return e‹r›; });",
        "out.push(attempt(() => «x».run(flag ? 'a' : 'b', §)), «x».run('c', §), ‹v›);",
    ),
    (
        "class «x»c { #all; constructor() { this.#all = new Map(); } set(n, f) { this.#all.set(n, f); } "
        "run(n, e) { return this.#all.get(n)(e); } } const «x» = new «x»c(); «x».set('a', (e) => e‹r›); "
        "«x».set('b', (e) => ({ ...e }));",
        "out.push(shown(attempt(() => «x».run(flag ? 'a' : 'b', §))));",
    ),
    (
        "const «x»only = (n, f) => (e) => (n ? f(e) : 'no'); "
        "const «x» = { a: «x»only(1, (e) => e‹r›), b: «x»only(0, (e) => { ‹C›; return 1; }) };",
        "out.push(«x».a(§), attempt(() => «x»[flag ? 'b' : 'a'](§)));",
    ),
    (
        "const «x»p = (...steps) => (value) => steps.reduce((made, step) => step(made), value); "
        "const «x» = «x»p((e) => e‹r›, (v) => shown(v));",
        "out.push(«x»(§), «x»p((e) => typeof e, (v) => [v])(§));",
    ),
    (
        "const «x»all = (...jobs) => (e) => jobs.map((job) => job(e)); "
        "const «x» = «x»all((e) => e‹r›, (e) => { ‹C›; return typeof e; });",
        "out.push(shown(attempt(() => «x»(§))), ‹v›);",
    ),
    (
        "const «x»w = (f, e) => f(e); const «x»f = (e) => e‹r›;",
        "out.push(«x»w(«x»f, §), «x»w((e) => { ‹C›; return typeof e; }, §), ‹v›);",
    ),
    (
        "class «x»c { a(e) { return e‹r›; } b(e) { return this.a(e); } } «x»c.prototype.a = (e) => 'p'; "
        "const «x» = new «x»c();",
        "out.push(«x».b(§));",
    ),
)
#: Functions around a handler; § and ¤ are what it is handed, ‹A› an answer, «f» the function inside.
LAYERS = (
    "(«f») => async (§, ¤) => { ‹s› return await «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { try { return await «f»(§, ¤); } catch (error) { ‹A›; } }",
    "(«f») => (...all) => «f»(...all)",
    "(«f») => async (§, ...rest) => { last = ‹v›; return «f»(§, ...rest); }",
    "(«f») => async (§, ¤) => { if (‹v›) { ‹A›; } return «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { const given = await «f»(§, ¤); last = ‹v›; return given; }",
    "(«f») => async (§, ¤) => (‹v› ? «f»(§, ¤) : await «f»(§, ¤))",
    "(«f») => async (§, ¤) => { §.user = ‹v›; return «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { if (‹v›) §.user = { name: ‹v› }; await null; return «f»(§, ¤); }",
    "(«f») => async (§, ¤) => «f»({ ...§, user: ‹v› }, ¤)",
    "(«f») => (§, ¤) => «f»(Object.assign({}, §, { user: 'u', kind: ‹v› }), ¤)",
    "(«f») => async (§, ¤) => { ‹c›; return «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { const h = ‹h›; h.added = 1; return «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { const was = shown(‹h›); const given = await «f»(§, ¤); "
    "if (was !== shown(‹h›)) throw new Error('changed'); return given; }",
    "(«f») => async (§, ¤) => attempt(() => «f»(§, ¤))",
    "(«f») => async (§, ¤, more = { n: 1 }) => «f»(§, ¤, { ...more, k: ‹v› })",
    "(«f») => (§, ¤, { n = 2 } = {}) => { last = n; return «f»(§, ¤); }",
    "(«f») => async (e, f) => { const § = e; last = ‹v›; return await «f»(e, f); }",
    "(«f») => async (§) => { await null; return «f»(§); }",
    "(«f») => async (e, f) => «f»(f, e)",
    "function («f») { const seen = []; return async function inside(§, ¤) { seen.push(‹v›); return «f»(§, ¤); }; }",
)
#: Around handlers that answer through `reply`.
TELLING_LAYERS = (
    "(«f») => async (§, ¤) => { ¤.head('x-w', 'w'); await «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { ¤.head('x-way', §.path); if (§.verb === 'PUT') { ‹A›; return; } return «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { if (§.verb === 'PUT') ¤.head('x-put', 'p'); return await «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { fresh(¤); ¤.head('x-b', 'b').head('x-a', 'a'); return «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { crumb(¤, 'l', 1); last = ‹v›; return «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { ¤.status(218); return «f»(§, ¤); }",
    "(«f») => async (§, ¤) => { ¤.head('content-type', 'text/l'); await «f»(§, ¤); }",
)
PRELUDE = """let last;
const flag = [].length === 0;
const same = (texts, ...values) => texts.join("") + values.join("");
function twice(value) { return [value, value].length; }
const keep = (value) => { last = value; return last; };
class Box { constructor(value) { this.value = value; } }
class Holder { #held; constructor(held) { this.#held = held; } read(how) { return how(this.#held); } }
const attempt = (how) => { try { return how(); } catch (error) { return `failed: ${error.name}`; } };
function* rest(...values) { yield* values; }
const structuredCloneOr = (value) => { try { return structuredClone(value); } catch { return {}; } };
const shown = (value) => (typeof value === "object" && value !== null ? JSON.stringify(value) : String(value));
"""


@dataclass(frozen=True)
class Handler:
    """A generated handler: what stands around its statements, and these."""

    surface: Surface
    head: str
    statements: tuple[str, ...]
    answer: str
    first: str = ""
    layers: tuple[str, ...] = ()  # functions around it, the outermost first
    top: str = ""  # what stands at its file's top
    made: bool = False  # whether a function gives it that is called once

    @property
    def text(self) -> str:
        """Return its file."""
        lines = "\n".join(f"  {one}" for one in (*filter(None, [self.first]), *self.statements))
        ends, head, before = "};" if "=>" in self.head else "}", self.head, ""
        if self.layers:
            before = "".join(f"const layer{number} = {text};\n" for number, text in enumerate(self.layers))
            made = self.head.removeprefix("export ").removeprefix(f"const {self.surface.export} = ")
            around = "".join(f"layer{number}(" for number in range(len(self.layers)))
            head = f"export const {self.surface.export} = {around}{made}"
            ends = f"}}{')' * len(self.layers)};"
        if self.made:
            named = self.head.removeprefix("export ").removeprefix(f"const {self.surface.export} = ")
            head = f"const make = ({{ more }}) =>\n{named}"
            ends = f"{ends}\nexport const {self.surface.export} = make({{ more: [1] }});"
        above = f"{self.surface.top}{PRELUDE}{self.top}\n{before}"
        return f"{above}\n{head}\n  const out = [];\n{lines}\n  {self.answer};\n{ends}\n"


class Generator:
    """Draws handlers at a surface."""

    def __init__(self, surface: Surface, seed: str, *, layered: bool = False, plain: bool = False) -> None:
        self.layered = layered  # each has functions around it
        self.plain = plain  # little is read, so that it is how they answer that is drawn
        self.surface, self.random, self.numbers = surface, random.Random(seed), count()

    def handler(self) -> Handler:
        """Return one handler."""
        pick, surface = self.random.choice, self.surface
        handed, other = surface.parameters
        first, event = "", handed
        pattern = handed
        if self.random.random() < 0.12:
            event = pick(["e", "given", "it"])
            pattern = event
        if self.random.random() < 0.1:
            first, pattern = f"const {event} = whole;", "whole"
        told = pick(["res", "f", "response"]) if other == "reply" and self.random.random() < 0.3 else other
        names = f"({pattern}, {told})"
        head = pick(
            [
                f"export const {surface.export} = async {names} => {{",
                f"export async function {surface.export}{names} {{",
                f"export const {surface.export} = async function {names} {{",
            ]
        )
        layered = surface.trigger is None and (self.layered or self.random.random() < 0.25)
        statements = tuple(self.statement(event) for _ in range(self.random.randint(1, 2 if layered else 4)))
        if self.plain:
            texts = [one for one in surface.texts if one.startswith("§.") and "(" not in one]
            statements = tuple(f"out.push({pick(texts)});".replace("§", event) for _ in range(pick((0, 1, 2, 3, 4))))
        text = pick(
            ['out.map(shown).join("|")', "JSON.stringify(out)", "`${out.map(shown)}`", "shown(out.length && out[0])"]
        )
        answer = self.on_entries(pick(surface.answers)).replace("«text»", text).replace("§", event).replace("…", "...")
        answer = re.sub(rf"\b{other}\b", told, answer)
        layers: tuple[str, ...] = ()
        if layered:
            layers = tuple(self.layer() for _ in range(pick((1, 1, 2, 3))))
            statements = (*statements, *([] if self.plain else [f"out.push({event}.user?.name ?? {event}.user);"]))
        if surface.trigger is None and self.random.random() < (0 if self.plain else 0.35):
            own = f"x{next(self.numbers)}"
            top, statement = (self.filled(one, own, event) for one in pick(TOPS))
            made = not layers and self.random.random() < 0.3
            return Handler(surface, head, (*statements, statement), answer, first, layers, top, made)
        return Handler(surface, head, statements, answer, first, layers)

    def layer(self) -> str:
        """Return a function around a handler."""
        pick, (handed, other) = self.random.choice, self.surface.parameters
        answer = pick([one for one in self.surface.answers if "out" not in one]).replace("«text»", "'layer'")
        answer = answer.replace("§", handed)
        text = (
            pick((*LAYERS, *TELLING_LAYERS) if other == "reply" else LAYERS)
            .replace("‹A›", answer)
            .replace("‹c›", pick(self.surface.changes))
        )
        text = text.replace("‹h›", pick([one for one in self.surface.holders if "await" not in one]))
        text = text.replace("‹s›", "last = ‹v›;")
        while "‹v›" in text:
            text = text.replace("‹v›", f"({pick([one for one in self.surface.texts if 'await' not in one])})", 1)
        return text.replace("«f»", pick(["inner", "next"])).replace("§", handed).replace("¤", other)

    def value(self, depth: int = 0) -> str:
        """Return an expression that reads, with something around it."""
        own = self.random.choice(self.surface.texts)
        if "await" in own or own.startswith(("typeof", "!", '"')) or ">" in own or " " in own:
            own = f"({own})"
        for _ in range(self.random.choice((0, 0, 1, 1, 2))):
            own = self.random.choice(AROUND).replace("‹v›", own)
        return own

    def on_entries(self, text: str) -> str:
        """Return a text in which a batch, what is asked of its events, and how they are changed is filled in."""
        surface, pick = self.surface, self.random.choice
        text = text.replace("‹b›", "§.batch").replace("‹F›", pick(surface.entry_changes or ("",)))
        while "‹E›" in text:
            text = text.replace("‹E›", pick(surface.entry), 1)
        return text

    def filled(self, text: str, own: str, event: str) -> str:
        """Return a text of which all parts are filled in; `own` begins each name that it gives."""
        pick, surface = self.random.choice, self.surface
        holder = pick(list(surface.holders))
        text = text.replace("«x»", own).replace("«y»", f"{own}y").replace("…", "...")
        text = text.replace("‹u›", pick(surface.unpacked).replace("«a»", own))
        while "‹v›" in text:
            text = text.replace("‹v›", self.value(), 1)
        while "‹r›" in text:
            simple = [one for one in surface.texts if one.startswith("§.") and " " not in one]
            text = text.replace("‹r›", pick(simple)[1:], 1)
        text = text.replace("‹h›", holder).replace("‹c›", pick(surface.changes)).replace("‹q›", "?.nothing")
        text = text.replace("‹H›", holder.replace("§", "e")).replace("‹C›", pick(surface.changes).replace("§", "e"))
        text = text.replace("‹T›", pick(surface.changes).replace("§", "this.e"))
        while "‹p›" in text:
            text = text.replace("‹p›", pick(surface.holders[holder]), 1)
        return text.replace("§", event)

    def statement(self, event: str) -> str:
        """Return a statement that reads."""
        pick, surface = self.random.choice, self.surface
        of_batches = surface.trigger is not None
        text = pick(BATCH_STATEMENTS if of_batches else STATEMENTS)
        if of_batches:
            text = self.on_entries(text).replace("«y»", f"y{next(self.numbers)}")
        text = self.filled(text, f"x{next(self.numbers)}", "§")
        if of_batches:
            return text.replace("§", event)
        if text.startswith("setTimeout"):
            text = _no_await_inside(text.removesuffix(" await null;")) + " await null;"
        elif "await" in text and not text.startswith("out.push(await"):
            text = _no_await_inside(text)
        return text.replace("§", event)


def _no_await_inside(text: str) -> str:
    """Return a statement whose inner plain functions wait for nothing."""
    inner = any(word in text for word in ("=>", "function", "class", "get v()"))
    return text.replace("await ", "") if inner else text


@dataclass
class Came:
    """How handlers came out."""

    styles: Counter[str] = field(default_factory=Counter)
    verdicts: Counter[str] = field(default_factory=Counter)
    untold: dict[int, str] = field(default_factory=dict)
    carried: Path | None = None


def project(handlers: list[Handler], folder: Path) -> Path:
    """Write handlers as a project with its samples."""
    surface, functions = handlers[0].surface, []
    folder.mkdir(parents=True)
    if surface.lib:
        (folder / "lib.mjs").write_text(surface.lib, encoding="utf-8")
    for number, one in enumerate(handlers):
        name = f"f{number}"
        (folder / f"{name}.mjs").write_text(one.text, encoding="utf-8")
        route = RouteTrigger(f"/{name}/x/{{hive}}", methods=("GET", "POST", "PUT"))
        functions.append(Function(name, Entry(f"{name}.mjs", surface.export), (surface.trigger or route,)))
        for sample, told in batches_of(surface).items():
            place = folder / "samples" / name / f"{sample}.yaml"
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_text(write_yaml(told), encoding="utf-8")
        for sample, (line, fields, body) in REQUESTS.items() if surface.trigger is None else ():
            place = folder / "samples" / name / f"{sample}.http"
            place.parent.mkdir(parents=True, exist_ok=True)
            more = [f"content-length: {len(body)}"] if body else []
            head = "\r\n".join([f"{line.replace('{f}', name)} HTTP/1.1", "host: a.example", *fields, *more])
            place.write_bytes(f"{head}\r\n\r\n".encode() + body)
    for path, text in write_definition(Project("a", functions=tuple(functions)), find_profile(surface.source)).items():
        (folder / path).parent.mkdir(exist_ok=True)
        (folder / path).write_text(text, encoding="utf-8")
    return folder


def batches_of(surface: Surface) -> dict[str, dict[str, Any]]:
    """Return the samples of a surface whose events come in batches: each event alone, two, and all of them."""
    if surface.trigger is None:
        return {}
    every = [{"id": f"e-{at}", **event} for at, event in enumerate(surface.samples)]
    several = {"all": every, "two": every[1:], **{f"one-{at}": [event] for at, event in enumerate(every)}}
    return {name: {"kind": surface.trigger.kind, "events": events} for name, events in several.items()}


def proven(handlers: list[Handler], target: str, folder: Path) -> Came:
    """Return how handlers come out at a target."""
    came = Came(carried=folder / "there")
    made = carry(project(handlers, folder / "here"), to=target, out=folder / "there", source=handlers[0].surface.source)
    whole = {one.function for one in made.findings if one.code == "made-whole-javascript"}
    told = {(one.function, one.code) for one in made.findings}
    for one in made.record.functions:
        came.styles["wrapped" if one.style == "wrapped" else "whole" if one.name in whole else "native"] += 1
    for done in check(folder / "there").checked:
        came.verdicts[str(done.verdict)] += 1
        refused = (done.function, "field-refused-sooner") in told  # in other words, then
        half = (done.function, "answer-perhaps-half-told") in told
        at = {one.at for one in done.differences}
        known = at and all((refused and one == "error") or (half and one.startswith("header")) for one in at)
        if done.verdict not in FINE and not known:
            texts = done.reasons or tuple(f"{d.at}: {d.expected} / {d.got}" for d in done.differences)
            came.untold.setdefault(int(done.function[1:]), f"{done.sample}: {done.verdict}: {'; '.join(texts)}")
    return came


def shrunk(handler: Handler, target: str) -> Handler:
    """Return a handler with as few statements, and functions around it, as still come out otherwise."""
    found = True
    while found and len(handler.statements) + len(handler.layers) > 1:
        found = False
        fewer = [
            replace(handler, layers=(*handler.layers[:number], *handler.layers[number + 1 :]))
            for number in range(len(handler.layers))
        ]
        fewer += [
            replace(handler, statements=(*handler.statements[:number], *handler.statements[number + 1 :]))
            for number in range(len(handler.statements))
        ]
        for less in fewer:
            with tempfile.TemporaryDirectory() as folder:
                if proven([less], target, Path(folder)).untold:
                    handler, found = less, True
                    break
    return handler


def main() -> int:
    """Print how generated handlers come out."""
    asks = argparse.ArgumentParser()
    asks.add_argument("--minutes", type=float, default=1)
    asks.add_argument("--seed", type=int, default=1)
    asks.add_argument("--size", type=int, default=40)
    asks.add_argument("--from", dest="source", default="")
    asks.add_argument("--to", dest="target", default="", help="a part of a target's name")
    asks.add_argument("--layered", action="store_true", help="each handler with functions around it")
    asks.add_argument("--answers", action="store_true", help="it is how they answer that is drawn")
    asks.add_argument("--plain", action="store_true", help="show as found, not shrunk")
    asked = asks.parse_args()
    ends, styles, verdicts, programs, wrong = (
        time.monotonic() + 60 * asked.minutes,
        Counter[str](),
        Counter[str](),
        0,
        0,
    )
    for number in count():
        if time.monotonic() > ends:
            break
        surface = SURFACES[number % len(SURFACES)]
        if asked.source and not surface.source.startswith(asked.source):
            continue
        draws = Generator(surface, f"{asked.seed}:{number}", layered=asked.layered, plain=asked.answers)
        handlers = [draws.handler() for _ in range(asked.size)]
        programs += len(handlers)
        for target in TARGETS:
            kind = surface.trigger.kind if surface.trigger is not None else "http"
            profile = find_profile(target)
            if kind not in profile.kinds or (surface.trigger is not None and not profile.model.clients):
                continue
            if target == surface.source or asked.target not in target or time.monotonic() > ends:
                continue
            with tempfile.TemporaryDirectory() as folder:
                came = proven(handlers, target, Path(folder))
                styles.update(came.styles)
                verdicts.update(came.verdicts)
                for at, why in came.untold.items():
                    wrong += 1
                    least = handlers[at] if asked.plain else shrunk(handlers[at], target)
                    body = least.text.removeprefix(PRELUDE)
                    print(f"--- {surface.source} → {target} {asked.seed}:{number}:{at} {why}\n{body}", flush=True)
                    if asked.plain:
                        there = Path(folder) / "there" / f"f{at}.mjs"
                        print(there.read_text(encoding="utf-8").partition("String(value));\n")[2], flush=True)
    print(f"{programs} handlers: {dict(styles)}; {dict(verdicts)}; {wrong} otherwise and untold")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
