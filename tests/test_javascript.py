"""Handlers in JavaScript and TypeScript: read, carried, proven under Node, and served by real servers there."""

from __future__ import annotations

import contextlib
import json
import random
import re
import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import httpx
import pytest
from conftest import ROOT, put, some
from test_forms import BESIDE, FORMS, profile_of
from under_node import called, served

from vast_ferry import BadInput, Verdict, carry, check, find_profile, survey
from vast_ferry.demo import LANGUAGES, PROJECT
from vast_ferry.events.native import read_events, write_events
from vast_ferry.mapping import laws
from vast_ferry.mapping.compile.functions import pack_batch, translate_event, unpack_batch
from vast_ferry.mapping.compile.losses import event_losses
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.helpers.of_protocols import as_urls_have_it, captured_by
from vast_ferry.mapping.javascript import batches as in_batches
from vast_ferry.mapping.javascript import functions as in_javascript
from vast_ferry.mapping.javascript.delivery import deliver
from vast_ferry.mapping.javascript.library import module_text
from vast_ferry.mapping.law_values import TEXT, VALUES, values_of
from vast_ferry.mapping.tables import HUB_EVENTS
from vast_ferry.mapping.views import truths_of
from vast_ferry.profiles.javascript import hub_caller, takes_of
from vast_ferry.profiles.registry import all_profiles
from vast_ferry.standins.node_program import node_program

DEMO = LANGUAGES["javascript"]
#: Providers that say all in forms that nobody else has: batches in batches, lists side by side, columns, types.
ODD = {
    name: find_profile(str(ROOT / "tests" / "profiles" / f"{name}-1.yaml"))
    for name in ("hesket", "quernby", "pinnock", "cobblewick")
}
SURFACES = {one.name: one.javascript for one in (*all_profiles(), *ODD.values()) if one.javascript is not None}
SHAPES = [(name, kind) for name, surface in SURFACES.items() for kind in surface.kinds]

#: target → how many samples of the demo there are for what it can hold
TARGETS = {
    "ostermere@2": 30,
    "thornwick@1": 30,
    "thornwick@2": 30,
    "brackendale@1": 30,
    "marrowby@1": 30,
    "node-http": 13,
    "fetch": 13,
}


@pytest.mark.parametrize("to", some(reversed(TARGETS), 12))
def test_the_demo_goes_everywhere_where_javascript_runs(tmp_path: Path, to: str) -> None:
    carry(DEMO, to=to, out=tmp_path / "there")
    result = check(tmp_path / "there")
    assert {one.verdict for one in result.checked} == {Verdict.SAME}
    assert len(result.checked) == TARGETS[to]


def test_a_service_that_the_target_lacks_is_told_before_it_is_missed(tmp_path: Path) -> None:
    asks = "import { jobs } from 'ostermere';\nexport async function run() {\n  await jobs.ask('later', {});\n}\n"
    made = carry(project(tmp_path / "p", asks), to="brackendale@1", out=tmp_path / "there")
    (one,) = check(tmp_path / "there").checked
    assert one.verdict is Verdict.DIFFERS
    assert "client-not-carried" in {finding.code for finding in made.findings}


def test_there_and_back_every_file_is_what_it_was(tmp_path: Path) -> None:
    carry(DEMO, to="thornwick@1", out=tmp_path / "there", style="wrapped")
    carry(tmp_path / "there", to="ostermere@1", out=tmp_path / "back")
    for path in [*DEMO.glob("handlers/*"), *DEMO.glob("lib/*"), DEMO / "package.json"]:
        assert (tmp_path / "back" / path.relative_to(DEMO)).read_bytes() == path.read_bytes(), path


#: sample → what the functions in JavaScript answer otherwise than those in Python, for they mean to
MEANT = {
    "two-days.http": "grams_ever is a number that JavaScript can't hold",
    "empty-unit.http": "the same",
    "slash-and-plus.http": "the same",
    "non-ascii.http": "the same",
    "head.http": "the same",
    "captured.json": "the same, and keys are not sorted",
    "notes.http": "keys are not sorted",
    "photo.http": "keys are not sorted",
}


@pytest.mark.slow
def test_both_languages_do_the_same_for_the_same_samples(tmp_path: Path) -> None:
    told: dict[str, dict[str, str]] = {}
    for language, project in LANGUAGES.items():
        carry(project, to="thornwick@1", out=tmp_path / language, style="wrapped")
        for one in check(tmp_path / language).checked:
            expected = re.sub(r"failed: .*?(, \d+ effects?)?$", r"failed\1", one.expected)
            told.setdefault(f"{one.function}/{one.sample}", {})[language] = expected
    differ = {name: each for name, each in told.items() if each["python"] != each["javascript"]}
    assert not {name for name in differ if name.partition("/")[2] not in MEANT}, differ


# --- the same lenses in both languages -------------------------------------------------------------------------------


def as_javascript_has_it(value: Any) -> Any:
    """Return a value as JavaScript holds it: numbers are doubles, keys that are numbers come first."""
    if isinstance(value, bool) or value is None:
        return value
    if isinstance(value, int) or (isinstance(value, float) and value.is_integer()):
        return int(float(value))
    if isinstance(value, list | tuple):
        return [as_javascript_has_it(one) for one in value]
    if isinstance(value, dict):
        first = sorted((name for name in value if re.fullmatch(r"0|[1-9]\d{0,8}", name)), key=int)
        rest = [name for name in value if name not in first]
        return {name: as_javascript_has_it(value[name]) for name in [*first, *rest]}
    return value


@pytest.mark.parametrize(("name", "kind"), some(SHAPES, 6))
def test_every_shape_is_read_and_written_alike_in_both_languages(tmp_path: Path, name: str, kind: str) -> None:
    own, hub = SURFACES[name].kind(kind).event, HUB_EVENTS[kind]
    chance, names = random.Random(kind), [row.field for row in hub.rows]
    events = [
        as_javascript_has_it(
            {n: chance.choice(values_of(VALUES.get(f"{kind}.{n}", VALUES.get(n, TEXT)))) for n in names}
        )
        for _ in range(150)
    ]
    bare = replace(own, objects={}, rows=tuple(row for row in own.rows if own.fields[row.field].holds != "call"))
    there = in_javascript.there(bare)
    write, read = (
        in_javascript.translate_event("write", hub, there),
        in_javascript.translate_event("read", there, hub),
    )
    handed = ", ".join(f"{one}: given[{at}]" for at, one in enumerate(there.parameters))
    made = "write(hub)" if len(there.parameters) > 1 else "[write(hub)]"
    given = ", ".join(f"named.{one}" for one in read.parameters)
    body = f"const given = {made}; const named = {{ {handed} }}; return read({given});"
    back = f"export async function back(hub) {{ {body} }}"
    module = module_text("A law.", write.used | read.used, [write.text, read.text, back])
    filed = own.on_file()
    in_python = [run_source(translate_event("f", *pair)) for pair in ((hub, filed), (filed, hub))]
    losses = event_losses(own, hub)
    for event, found in zip(events, called(tmp_path, module, [("back", [event]) for event in events]), strict=True):
        wanted = None
        with contextlib.suppress(Exception):
            wanted = in_python[1](in_python[0](event))
        assert isinstance(found, str if wanted is None else dict), (found, event)
        if wanted is None or isinstance(found, str):
            continue
        applies = {
            truth for loss in losses if loss.applies(event) for truth in truths_of(loss.field, own.fields, own.rules)
        }
        for field in names:
            same = laws.same(field, as_javascript_has_it(wanted[field]), as_javascript_has_it(found[field]))
            assert same or field in applies, (field, wanted[field], found[field])


def spelt_alike(value: Any) -> bool:
    """Tell whether both languages spell all numbers in a value alike: what a double does not hold is told elsewhere."""
    if isinstance(value, dict | list | tuple):
        return all(map(spelt_alike, value.values() if isinstance(value, dict) else value))
    if isinstance(value, bytes):
        return b"e+" not in value and not re.search(rb"\d{16}|\.\d*0\b", value)
    return isinstance(value, str | bool | None) or 1e-4 < abs(value) < 2**53 or value == 0


def attempt(function: Callable[..., Any], *given: Any, **named: Any) -> Any:
    """Return what a function gives, a plain value as JSON has it; a text where it refuses."""
    try:
        return function(*given, **named)
    except (BadInput, ValueError, TypeError, KeyError, IndexError, AttributeError, RecursionError) as error:
        return f"refused: {error}"


def alike(left: Any, right: Any) -> bool:
    """Tell whether two values are the same, or neither could be made."""
    left = left[1][0] if isinstance(left, tuple) else left[0] if isinstance(left, list) else left
    if isinstance(left, str) or isinstance(right, str):
        return isinstance(left, str) and isinstance(right, str) and "is not a function" not in right
    return bool(as_javascript_has_it(left) == as_javascript_has_it(right))


#: Forms that only an event on file has, or a file and a stream of one language.
OF_ONE_LANGUAGE = ("beside_the_event", "read_once", "in_file")


def test_every_form_is_read_and_written_alike_in_both_languages(tmp_path: Path) -> None:
    """Each row of the table of forms, with what stands there and with generated values, in one module under Node."""
    chance, texts, used = random.Random(7), list[str](), set[str]()
    calls: list[tuple[str, list[Any]]] = []
    wanted: list[tuple[str, Any]] = []
    for number, (kind, field, says, stands, means) in enumerate(FORMS):
        if says.get("as") in OF_ONE_LANGUAGE:
            continue
        profile = profile_of(tmp_path, kind, field, says)
        hub, there = HUB_EVENTS[kind], in_javascript.there(profile.kind(kind).event)
        write = in_javascript.translate_event(f"write{number}", hub, there)
        read = in_javascript.translate_event(f"read{number}", there, hub)
        texts += [f"export {write.text}", f"export {read.text}"]
        used |= write.used | read.used
        usual = {name: one.default_value for name, one in hub.fields.items() if one.truth}
        usual |= {name: value for name, value in BESIDE.items() if name in usual}
        pool = [
            value for value in values_of(VALUES.get(f"{kind}.{field}", VALUES.get(field, TEXT))) if spelt_alike(value)
        ]
        events = [
            as_javascript_has_it({**usual, field: one}) for one in (means, *chance.sample(pool, min(len(pool), 12)))
        ]
        written = [attempt(write_events, kind, [event], profile) for event in events]
        calls += [(f"write{number}", [event]) for event in events]
        wanted += [(f"{says} writes {event[field]!r}", made) for event, made in zip(events, written, strict=True)]
        natives = [made[0] for made in written if isinstance(made, list)]
        natives += [{**natives[0], "x": one} for one in stands]
        natives = [] if says.get("derived") else natives
        calls += [(f"read{number}", [native]) for native in natives]
        for native in natives:
            wanted.append((f"{says} reads {native!r}", attempt(read_events, native, profile, "", kind=kind)))
    found = called(tmp_path, module_text("A law.", used, texts), calls)
    differ = [(what, one, other) for (what, one), other in zip(wanted, found, strict=True) if not alike(one, other)]
    assert not differ, (len(differ), differ[:5])
    assert len(calls) > 2000


@pytest.mark.parametrize(("name", "kind"), [one for one in SHAPES if SURFACES[one[0]].kind(one[1]).event.levels])
def test_batches_are_put_together_and_taken_apart_alike_in_both_languages(tmp_path: Path, name: str, kind: str) -> None:
    own = SURFACES[name].kind(kind).event.on_file()
    chance, make = random.Random(kind), run_source(translate_event("make", HUB_EVENTS[kind], own))
    pools = {
        row.field: [
            one for one in values_of(VALUES.get(f"{kind}.{row.field}", VALUES.get(row.field, TEXT))) if spelt_alike(one)
        ]
        for row in HUB_EVENTS[kind].rows
    }
    usual = {field: HUB_EVENTS[kind].fields[field].default_value for field in pools}
    held = {  # what the provider has a form for
        field: [one for one in pool if isinstance(attempt(make, as_javascript_has_it({**usual, field: one})), dict)]
        for field, pool in pools.items()
    }
    # What stands above the events of a batch is of few values, or nothing would come together.
    few = {field: chance.sample(pool, min(len(pool), 2)) for field, pool in held.items()}
    events = [as_javascript_has_it({field: chance.choice(pool) for field, pool in few.items()}) for _ in range(120)]
    made = [attempt(make, event) for event in events]
    entries = [json.loads(json.dumps(one)) for one in made if isinstance(one, dict)]
    assert len(entries) > 10
    pack, unpack = run_source(pack_batch("pack", own)), run_source(unpack_batch("unpack", own))
    there = in_javascript.there(own)
    both = (in_batches.pack_batch("pack", there), in_batches.unpack_batch("unpack", there))
    module = module_text("A law.", both[0].used | both[1].used, [f"export {one.text}" for one in both])
    groups = [entries[at : at + 6] for at in range(0, len(entries), 6)]
    packed = called(tmp_path, module, [("pack", [group]) for group in groups])
    for group, batches in zip(groups, packed, strict=True):
        assert batches == json.loads(json.dumps(pack(group)))
    batches = [batch for group in packed for batch in group]
    apart = called(tmp_path, module, [("unpack", [batch]) for batch in batches])
    assert [one for batch in apart for one in batch] == [one for batch in batches for one in unpack(batch)]


def test_urls_are_spelt_as_the_platform_spells_them(tmp_path: Path) -> None:
    chance = random.Random(3)
    pieces = [
        "/",
        "/",
        ".",
        "..",
        "%2e",
        "%2E.",
        "a",
        "é",
        "\\",
        " ",
        "?",
        "#",
        "^",
        "`",
        "{",
        "}",
        "|",
        "'",
        '"',
        "<",
        "%41",
        "[",
        "~",
        "\t",
    ]
    targets = ["/" + "".join(chance.choices(pieces, k=chance.randrange(12))) for _ in range(3000)]
    spell = "export const spell = (it) => ((url) => url.pathname + url.search)(new URL(`http://a${it}`));"
    theirs = called(tmp_path, spell, [("spell", [one]) for one in targets])
    ours = [as_urls_have_it(one) for one in targets]
    assert not [
        (one, url, own) for one, url, own in zip(targets, theirs, ours, strict=True) if own not in (url, f"{url}?")
    ]


def test_a_handler_that_is_a_class_is_set_up_once_and_told_of_each_call(tmp_path: Path) -> None:
    surface = SURFACES["ostermere@1"]
    own = replace(surface.kind("http"), method="take_one", setup="set_up", setup_takes=("ctx",))
    made = deliver("callIt", own, hub_caller("http", batch=False), takes_of(surface))
    handler = """
    let made = 0;
    class Handler {
      setUp(ctx) { made += 1; this.ctx = ctx; }
      async takeOne(event) { return `${made} ${this.ctx.job} ${event.call.path}`; }
    }
    const one = async (hub) => String((await callIt(Handler, hub)).body);
    export const call = (...hubs) => Promise.all(hubs.map(one));
    """
    usual = {name: one.default_value for name, one in HUB_EVENTS["http"].fields.items() if one.truth}
    hubs = [{**usual, "function": f"f{number}", "limit": 5, "path.raw": f"/{number}"} for number in range(3)]
    module = module_text("A test.", made.used, [*made.code, handler], made.imports)
    assert called(tmp_path, module, [("call", hubs)]) == [["1 f0 /0", "1 f1 /1", "1 f2 /2"]]


@pytest.mark.slow
@pytest.mark.parametrize("name", ODD)
def test_at_an_odd_provider_both_languages_end_alike(tmp_path: Path, name: str) -> None:
    """What differs there is what has no counterpart, in either language; and from there all goes on to another."""
    ends: dict[str, dict[str, str]] = {}
    for language, project in LANGUAGES.items():
        carry(project, to=ODD[name], out=tmp_path / language)
        for one in check(tmp_path / language).checked:
            ends.setdefault(f"{one.function}/{one.sample}", {})[language] = one.verdict.name
    assert len(ends) > 25
    # The one in Python starts a function, which not everybody can; the one in JavaScript sends a message.
    ends.pop("nectar_report/good-day.yaml")
    assert not {sample: both for sample, both in ends.items() if len(set(both.values())) > 1}
    carry(tmp_path / "javascript", to="thornwick@1", source=ODD[name], out=tmp_path / "on")
    functions = {one.name for one in survey(tmp_path / "javascript", ODD[name]).project.functions}
    samples = [folder for folder in (DEMO / "samples").iterdir() if folder.name in functions]
    for folder in samples:
        shutil.copytree(folder, tmp_path / "samples" / folder.name, ignore=shutil.ignore_patterns("captured.json"))
    result = check(tmp_path / "on", samples=[tmp_path / "samples"])
    assert {one.verdict for one in result.checked} <= {Verdict.SAME, Verdict.UNHELD}


# --- what a worker sees ----------------------------------------------------------------------------------------------

HANDLER = """
import { books } from "ostermere";
export async function run(event, ctx) {
  %s
  return { code: 200, content: "done" };
}
"""
DEFINITION = "app: a\njobs:\n  one:\n    code: h.%s#run\n    when:\n      - web: GET /x\n    vars: {UNIT: kg}\n"
SAMPLE = "GET /x?day=mon HTTP/1.1\nhost: api.lindenfold.example\n\n"

#: what a handler does → how its call ends on both sides, and what is told of it
ENDS = {
    "throw new RangeError('no such hive');": "failed: RangeError: no such hive",
    "throw { message: 'odd' };": "failed: Error: odd",
    "throw 'odd';": "failed: thrown: odd",
    "return missing;": "failed: ReferenceError: missing is not defined",
    "return 7;": "failed: TypeError: an answer is nothing or text or a mapping, not Number",
    "return { code: 99 };": "failed: RangeError: 99 can't be the status of a final reply (200 to 599)",
    "return { fields: { a: '\\n' }, code: 200 };": "failed: RangeError: header field a: a value can't hold line ends, "
    "controls or non-Latin-1 text",
    "process.exit(3);": "exited: SystemExit: 3",
    "for (;;) {}": "timed out: did not end within 2 s",
    "process.kill(process.pid, 'SIGKILL');": "died: killed by SIGKILL",
    "await fetch('https://nobody.example/');": "failed: TypeError: fetch failed, 1 effect",
    "console.log('x'.repeat(3_000_000)); return null;": "replied 204",
    "const given = event.call.search; event.call.search = 'y'; return given;": "replied 200",
    "JSON.parse = () => 1; return 'a';": "replied 200",
    "return process.env.HOME + process.env.PATH.length + process.env.UNIT;": "replied 200",
}


def project(folder: Path, source: str, suffix: str = "mjs", sample: str = SAMPLE) -> Path:
    """Write a project of one function, with a sample."""
    (folder / "samples" / "one").mkdir(parents=True)
    (folder / f"h.{suffix}").write_text(source)
    (folder / "ostermere.yaml").write_text(DEFINITION % suffix)
    (folder / "samples" / "one" / "a.http").write_bytes(sample.replace("\n", "\r\n").encode())
    return folder


def proven(folder: Path, **options: Any) -> Any:
    """Return the only verdict on a project of one function, carried to Thornwick."""
    carry(folder, to="thornwick@1", out=folder.parent / "there")
    (one,) = check(folder.parent / "there", limit=2, **options).checked
    return one


@pytest.mark.parametrize("does", some(ENDS, 3))
def test_however_a_handler_ends_it_is_said(tmp_path: Path, does: str) -> None:
    one = proven(project(tmp_path / "p", HANDLER % does))
    assert one.expected == ENDS[does]
    ended = one.expected.startswith(("timed out", "died"))
    assert one.verdict is (Verdict.UNCHECKED if ended else Verdict.SAME)


MANY = """
import { books } from "ostermere";
export async function run(event, ctx) {
  const n = Number(event.call.first.n);
  console.log(`said ${n}`);
  if (n === 7) process.exit(3);
  if (n === 11) process.kill(process.pid, "SIGKILL");
  if (n === 13) console.error("x".repeat(2_000_000));
  if (n === 17) setTimeout(() => {}, 5_000);
  if (n === 23) throw new RangeError("odd");
  if (n % 2) await books.drop("hives", { hive: String(n) });
  ctx.note("was there", { n });
  return { code: 200, content: `answer ${n}` };
}
"""


def test_calls_that_are_sent_ahead_are_told_apart(tmp_path: Path) -> None:
    folder = project(tmp_path / "p", MANY, sample=SAMPLE.replace("day=mon", "n=0"))
    for n in range(1, 40):
        sent = SAMPLE.replace("day=mon", f"n={n}").replace("\n", "\r\n")
        (folder / "samples" / "one" / f"s{n:02}.http").write_bytes(sent.encode())
    carry(folder, to="thornwick@1", out=tmp_path / "there")
    found = {one.sample: one for one in check(tmp_path / "there", limit=5).checked}
    ends = {7: "exited: SystemExit: 3", 11: "died: killed by SIGKILL", 23: "failed: RangeError: odd"}
    for n in range(1, 40):
        one = found[f"s{n:02}.http"]
        assert one.expected == ends.get(n, "replied 200, 1 effect" if n % 2 else "replied 200"), n
        assert one.verdict is (Verdict.UNCHECKED if n == 11 else Verdict.SAME)
        said = one.output.splitlines()
        assert said[:1] == ([f"said {n}"] if n != 11 else []), n
        assert (len(said), n == 13) in ((3, True), (1, False), (0, False)), n


def test_an_answer_without_content_is_explained_too(tmp_path: Path) -> None:
    handler = (
        'export const run = (event) => ({ code: 204, fields: { "x-names": Object.keys(event.fields).join() } });\n'
    )
    folder = project(tmp_path / "p", handler, sample=SAMPLE.replace("\n\n", "\nz-one: 1\na-two: 2\n\n"))
    carry(folder, to="brackendale@1", out=tmp_path / "there", source="ostermere@1")
    (one,) = check(tmp_path / "there").checked
    assert one.verdict is Verdict.UNHELD
    assert "sorted by their names" in one.reasons[0]


#: what goes on after an answer → what is told of it
GOES_ON = {
    "books.drop('hives', { hive: 'a' });": "answers before what it began has ended",
    "setTimeout(() => books.drop('hives', { hive: 'a' }), 20);": "leaves a timer that goes on after its answer",
    "Promise.reject(new RangeError('lost'));": "leaves a promise that fails with nobody to see it (RangeError)",
}


@pytest.mark.parametrize("does", GOES_ON)
def test_what_nobody_waits_for_is_seen(tmp_path: Path, does: str) -> None:
    one = proven(project(tmp_path / "p", HANDLER % does))
    assert GOES_ON[does] in str(one), one
    assert "h.mjs:4" in str(one)


# --- how people write them -------------------------------------------------------------------------------------------

#: suffix of the file, the file
WRITTEN = {
    "exports": ("cjs", "exports.run = async (event) => ({ code: 200, content: event.call.first.day });"),
    "module.exports": ("cjs", "const run = (event) => event.call.first.day;\nmodule.exports = { run };"),
    "module.exports.name": ("js", "module.exports.run = function (event) { return event.call.first.day }"),
    "const": ("mjs", "export const run = async ({ call: { first: { day } } }) => day;"),
    "clause": ("mjs", "const handle = (event) => event.call.first.day;\nexport { handle as run };"),
    "class": ("mjs", "class A { static go(e) { return e.call.first.day } }\nexport const run = (e) => A.go(e);"),
    "types": (
        "ts",
        "type E = { call: { first: { day: string } } };\nexport const run = (e: E) => e.call.first.day as string;",
    ),
    "modern": (
        "mts",
        "export async function run(event: any, { job }: { job: string }) { return `${event.call.first?.day ?? job}` }",
    ),
    "promise": (
        "mjs",
        "export const run = (e) => Promise.resolve(e.call.first.day).then((day) => ({ code: 201, content: day }));",
    ),
    "helper": ("mjs", "import { day } from './lib/day.js';\nexport const run = (event) => day(event.call);"),
}


@pytest.mark.parametrize("name", some(WRITTEN, 2))
@pytest.mark.parametrize("to", some(["thornwick@1", "fetch"], 2))
def test_however_it_is_exported_it_is_found(tmp_path: Path, name: str, to: str) -> None:
    suffix, source = WRITTEN[name]
    folder = project(tmp_path / "p", source, suffix)
    (folder / "lib").mkdir()
    (folder / "lib" / "day.js").write_text("export const day = (call) => call.first.day;\n")
    carry(folder, to=to, out=tmp_path / "there")
    (one,) = check(tmp_path / "there").checked
    assert (one.verdict, one.expected[:9]) == (Verdict.SAME, "replied 2")


#: file → what is wrong with it, where
WRONG = {
    "export const run = (event => {": "h.mjs:1:",
    "export const other = () => null;": "h.mjs does not export",
    "export const run = () => <b>x</b>;": "the file holds JSX",
}


@pytest.mark.parametrize("source", WRONG)
def test_a_file_that_is_wrong_is_told_in_one_message(tmp_path: Path, source: str) -> None:
    folder = project(tmp_path / "p", source)
    with pytest.raises(BadInput) as caught:
        carry(folder, to="thornwick@1", out=tmp_path / "there")
    assert WRONG[source] in str(caught.value)
    assert not (tmp_path / "there").exists()


def test_without_node_one_message_says_what_to_install(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    carry(project(tmp_path / "p", HANDLER % ""), to="thornwick@1", out=tmp_path / "there")
    node_program.cache_clear()
    monkeypatch.setattr("vast_ferry.standins.node_program.shutil.which", lambda name: None)
    monkeypatch.setattr("vast_ferry.standins.node_program._brought", lambda: "")
    try:
        with pytest.raises(BadInput, match=r"pip install 'vast-ferry\[javascript\]'"):
            check(tmp_path / "there")
    finally:
        node_program.cache_clear()


@pytest.mark.parametrize("to", some(["thornwick@2", "ostermere@2", "brackendale@1", "node-http"], 4))
def test_what_wires_name_is_handed_over_in_one_object(tmp_path: Path, to: str) -> None:
    wired = Path(__file__).parent / "projects" / "wires_in_javascript"
    made = carry(wired, to=to, out=tmp_path / "there", source="marrowby@1")
    bound = {one.name for one in made.record.functions if one.style == "wrapped"}
    assert bound == {"noted", "summed", "taken"} & {one.name for one in made.record.functions}
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}


def test_a_key_is_taken_apart_as_in_python(tmp_path: Path) -> None:
    patterns = ["{a}/{b}.csv", "x/{a}{}", "{rest...}/z", "{a}.{...}", "(+){a}[$]"]
    keys = ["n/m.csv", "x/é\n!", "a/b/c/z", "a.b/c", "(+)q[$]", "", "/.csv"]
    asked = [(pattern, key) for pattern in patterns for key in keys]
    module = module_text("", ["capturedBy"], ["export { capturedBy };"])
    there = called(tmp_path, module, [("capturedBy", one) for one in asked])
    for (pattern, key), found in zip(asked, there, strict=True):
        try:
            assert found == captured_by(pattern, key)
        except ValueError:
            assert found.startswith("RangeError: ")


HELPERS = {
    "lib/a.cjs": "exports.pathOf = function (event) { return event.call.path; };\n"
    "const crumbsOf = (event) => event.crumbs.join();\nmodule.exports.crumbsOf = crumbsOf;\n",
    "lib/b.mjs": "export const pathOf = (event) => event.call.path;\n"
    "export default function verbOf(event) { return event.call.verb; }\n",
    "lib/c.cjs": "exports.pathOf = (event) => event.call.path;\n",
    "lib/d.cjs": "require('./c.cjs').pathOf = (event) => event.call.verb;\n",
    "lib/f.cjs": "Object.assign(require('./c.cjs'), { pathOf: (event) => event.call.verb });\n",
    "lib/g.cjs": "exports.pathOf = (event) => event.call.path;\n"
    "module.exports = { pathOf: (event) => event.call.verb };\n",
    "lib/e.cjs": "const c = require('./c.cjs');\nc.pathOf = (event) => event.call.verb;\n",
}
#: How a handler calls helpers of other files, and whether it can be seen which they are.
CALLED_THERE = [
    ("cjs", "const { crumbsOf } = require('./lib/a.cjs');", "crumbsOf(event)", True),
    ("cjs", "const { pathOf: way } = require('./lib/a.cjs');", "way(event)", True),
    ("cjs", "const a = require('./lib/a.cjs');", "a.pathOf(event) + a.crumbsOf(event)", True),
    ("mjs", 'import * as b from "./lib/b.mjs";', "b.pathOf(event)", True),
    ("mjs", 'import verbOf, { pathOf as way } from "./lib/b.mjs";', "verbOf(event) + way(event)", True),
    ("cjs", "require('./lib/d.cjs');\nconst { pathOf } = require('./lib/c.cjs');", "pathOf(event)", False),
    ("cjs", "require('./lib/f.cjs');\nconst { pathOf } = require('./lib/c.cjs');", "pathOf(event)", False),
    ("cjs", "require('./lib/e.cjs');\nconst c = require('./lib/c.cjs');", "c.pathOf(event)", False),
    ("cjs", "const { pathOf } = require('./lib/c.cjs');", "pathOf(event)", True),
    ("cjs", "const { pathOf } = require('./lib/g.cjs');", "pathOf(event)", False),
    ("cjs", "let a = require('./lib/a.cjs');\na = { pathOf: (event) => event.call.verb };", "a.pathOf(event)", False),
]


@pytest.mark.parametrize(("suffix", "top", "call", "seen"), some(CALLED_THERE, 3))
def test_helpers_of_other_files_get_what_they_read(
    tmp_path: Path, suffix: str, top: str, call: str, seen: bool
) -> None:
    answer = f"  return {{ code: 200, content: {call} }};\n"
    handler = f"async (event) => {{\n{answer}}};\n"
    head = f"{top}\nexports.run = " if suffix == "cjs" else f"{top}\nexport const run = "
    helpers = {name: text for name, text in HELPERS.items() if name[-5] not in "def" or f"./{name}" in top}
    files = {**helpers, f"h.{suffix}": head + handler, "package.json": "{}"}
    files["ostermere.yaml"] = f'app: a\njobs:\n  f: {{code: h.{suffix}#run, when: [{{web: "GET /f"}}]}}\n'
    files["samples/f/one.http"] = "GET /f HTTP/1.1\r\nhost: a\r\ncookie: a=1; b=2\r\n\r\n"
    made = carry(put(tmp_path / "p", files), to="thornwick", out=tmp_path / "there", source="ostermere@1")
    assert ("made-whole-javascript" not in {one.code for one in made.findings}) is seen
    assert [one.verdict for one in check(tmp_path / "there").checked] == [Verdict.SAME]


def test_a_project_in_both_languages_goes_together(tmp_path: Path) -> None:
    folder = tmp_path / "p"
    shutil.copytree(PROJECT, folder, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(DEMO / "handlers" / "members.ts", folder / "handlers" / "members.ts")
    definition = folder / "ostermere.yaml"
    definition.write_text(definition.read_text().replace("handlers/members.py#hello", "handlers/members.ts#hello"))
    made = carry(folder, to="thornwick@1", out=tmp_path / "there")
    assert {one.style for one in made.record.functions} == {"native"}
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}
    left = carry(folder, to="quillhaven@1", out=tmp_path / "left")
    assert left.record.left_behind == ["member_joined"]
    told = [one.reason for one in left.findings if one.code == "function-left-behind"]
    assert told == ["member_joined was not carried: Quillhaven 1 runs no JavaScript"]


def test_python_is_left_behind_where_only_javascript_runs(tmp_path: Path) -> None:
    with pytest.raises(BadInput, match="Node HTTP runs no Python"):
        carry(PROJECT, to="node-http", out=tmp_path / "there")


def test_a_survey_says_what_javascript_does(tmp_path: Path) -> None:
    data = {one["name"]: one for one in survey(DEMO).as_data()["functions"]}
    assert data["honey_orders"]["reads"] == ["SMALLEST_JAR"]
    assert data["honey_orders"]["access"] == [
        *("send message packing", "read record honey", "write record honey", "write record orders"),
    ]
    assert data["hive_weight"]["reads"] == ["SCALE_KEY", "UNIT"]


def test_projects_in_python_load_no_grammar_and_start_no_node() -> None:
    code = (
        "import sys\nfrom vast_ferry import plan\nfrom vast_ferry.standins.node_program import node_program\n"
        f"plan({str(PROJECT)!r}, to='thornwick@1')\n"
        "print('tree_sitter' in sys.modules, node_program.cache_info().misses)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
    assert done.stdout.strip() == "False 0"


# --- real servers ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("to", ["node-http", "fetch"])
def test_what_was_carried_answers_under_a_real_node(tmp_path: Path, to: str) -> None:
    carry(DEMO, to=to, out=tmp_path / "there")
    with served(tmp_path / "there", SCALE_KEY="key", SERVICES=str(tmp_path / "services")) as address:
        found = httpx.get(f"{address}/hives/h%2F7/weight?day=mon&day=tue", headers={"cookie": "last=sun; a=b"})
        assert (found.status_code, found.json()["hive"], found.json()["last_seen"]) == (200, "h/7", "sun")
        assert [one for one in found.headers.get_list("set-cookie") if one.startswith("last=tue")]
        binary = httpx.get(f"{address}/hives/h-7/weight?day=mon", headers={"accept": "application/octet-stream"})
        assert len(binary.content) == 4
        assert httpx.head(f"{address}/hives/h-7/weight?day=mon").content == b""
        made = httpx.post(f"{address}/hives/h-7/inspections", json={"by": "m-1", "note": "Größe"})
        assert (made.status_code, made.json()["seen"]["note"]) == (201, "Größe")
        assert httpx.post(f"{address}/hives/h-7/inspections", json={"by": "m", "nothing_new": True}).status_code == 204
        assert httpx.get(f"{address}/nothing").status_code == 404
        wrong = httpx.delete(f"{address}/hives/h-7/weight")
        assert (wrong.status_code, wrong.headers["allow"]) == (405, "GET, HEAD")
        refused = httpx.post(f"{address}/hives/h-7/inspections", content=b"{", headers={"content-type": "text/plain"})
        assert (refused.status_code, json.loads(refused.content)["title"]) == (400, "The inspection is not JSON")
    assert (tmp_path / "services" / "services.db").is_file()


def test_a_function_whose_secret_is_missing_is_not_served(tmp_path: Path) -> None:
    carry(DEMO, to="node-http", out=tmp_path / "there")
    with served(tmp_path / "there") as address:
        assert httpx.get(f"{address}/hives/h-7/weight?day=mon").status_code == 503
        assert httpx.post(f"{address}/hives/h-7/inspections", json=[]).status_code == 422


def test_a_worker_starts_node_once(tmp_path: Path) -> None:
    """Of a hundred samples none takes as long as to start Node would."""
    folder = project(tmp_path / "p", "export const run = () => 'a';")
    for number in range(100):
        (folder / "samples" / "one" / f"{number}.http").write_text(f"GET /x?n={number} HTTP/1.1\r\nhost: a\r\n\r\n")
    carry(folder, to="thornwick@1", out=tmp_path / "there")
    begin = time.monotonic()
    assert {one.verdict for one in check(tmp_path / "there").checked} == {Verdict.SAME}
    assert time.monotonic() - begin < 30  # 400 starts would take longer on any machine
