"""Handlers unlike functions of an event: by keyword, as classes, of batches of several levels, with answers by shape.

They are written for the providers of the manuals, whose profiles nobody shipped.
"""

from __future__ import annotations

import ast
import asyncio
import json
import shutil
import textwrap
from collections.abc import Iterable, Sequence
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
import yaml
from conftest import ROOT, Project, declaring, some
from test_manuals import BEYOND

from vast_ferry import BadInput, StandIn, Verdict, carry, check, find_profile, gaps, survey
from vast_ferry.checking.answers_seen import handler_source
from vast_ferry.definitions.filters.ends import from_ends
from vast_ferry.definitions.project import read_project
from vast_ferry.definitions.schedules.cron import read_cron
from vast_ferry.definitions.writing import write_definition
from vast_ferry.demo import PROJECT
from vast_ferry.events.compiled import beside
from vast_ferry.events.native import read_events
from vast_ferry.hub.functions import Entry, EventTrigger, Function, RouteTrigger
from vast_ferry.hub.functions import Project as Declared
from vast_ferry.hub.schedules import Calendar, Schedule
from vast_ferry.mapping import helpers
from vast_ferry.mapping.helpers import method_of
from vast_ferry.mapping.laws_beside import check_beside
from vast_ferry.mapping.lenses.content import MessagesBody
from vast_ferry.mapping.tables import Kind

MANUALS = ROOT / "tests" / "manuals"
PROFILES = {path.stem.partition("-")[0]: find_profile(str(path)) for path in sorted(MANUALS.glob("*.yaml"))}
PROFILES["pinnock"] = find_profile(str(ROOT / "tests" / "profiles" / "pinnock-1.yaml"))
HEAD = "import json\n\nimport {module}\n\n\n"
GET = (
    "{method: GET, path.raw: /NAME/x, query.raw: a=1, authority: a.example, captures: {one: x}, headers: [[x-a, '7']]}"
)

#: provider → an answer as it is written there, and what stands in its place at Ostermere
ANSWERS = {
    "wexcombe": [
        ("return None", "return None"),
        ("return 403", "return {'code': 403}"),
        ("return 'text'", "{'code': 200, 'fields': {'content-type': 'text/plain; charset=utf-8'}, 'content': 'text'}"),
        ("return {'b': 1, 'a': 'é'}", "json.dumps({'b': 1, 'a': 'é'}, separators=(',', ':'), sort_keys=True)"),
        ("return 'made', 201", "'code': 201"),
        ("return None, 304, {'ETag': 'x'}", "return {'code': 304, 'fields': {'ETag': 'x'}}"),
        ("return 'x', 200, {'Vary': ['A', 'B'], 'X-N': 3}", "'Vary': 'A, B', 'X-N': '3'"),
        (
            "return 'x', None, {'Content-Type': 'text/x'}",
            "{'code': 200, 'fields': {'Content-Type': 'text/x'}, 'content': 'x'}",
        ),
        ("return want.wish, 200", "'content': event['call']['verb']"),
        ("return 'x', 200, {'X': want.target}", "{'X': http_target(event), 'content-type'"),
        ("return (404 if want.wish == 'PUT' else 204)", "{'code': 404}"),
        ("raise wexcombe.Sorry(409, 'no')", "json.dumps({'chit': event['ticket'], 'sorry': 'no'}, "),
        ("return None, None, {'X-A': '1'}", "return {'code': 204, 'fields': {'X-A': '1'}}"),
        ("raise wexcombe.Sorry(429, headers={'Retry-After': '9'})", "answer_with(wexcombe.Sorry(429, "),
        ("return want.head_of('X-A')[0] + want.head_of('x-b', *[])[0:].__doc__", "answer_with"),
        ("return {'a': want.head_of('X-A')}", "event['fields']['x-a']"),
        ("out.send(404)", "return {'code': 404}"),
        ("if want.target:\n        return 'text'\n    out.send(404)", "        return\n"),
        ("out.write(b'a')\n    return want.target", "answer_with(out.answer()"),
        (
            "if want.wish == 'GET':\n        out.send(201, {'X-A': want.wish})\n        "
            "out.write(b'a' + want.wish.encode())\n        out.write(b'b')\n        return 5\n    out.send(404)",
            "'content': base64.b64encode(b'a' + event['call']['verb'].encode() + b'b').decode()",
        ),
        ("if want.wish == 'PUT':\n        out.write(b'x')\n    else:\n        return", "else:\n        return"),
        ("for one in (b'a', b'b'):\n        out.write(one)", "return answer_with(out.answer()"),
        ("write = out.write\n    write(b'a')\n    [write(b'b')]", "f22(event, ctx):\n    out = http_out()"),
        (
            "try:\n        out.send(201)\n        out.write('no bytes')\n    "
            "except TypeError:\n        out.write(b'late')",
            "return answer_with(out.answer()",
        ),
        ("out.write(b'a')\n    try:\n        out.send(404)\n    except wexcombe.TooLate:\n        pass", "http_out()"),
        (
            "yield 201, {'X-A': '1'}\n    yield 'a'\n    yield b'b'",
            "answer_with(f25_in_pieces(event, ctx), event['ticket'])",
        ),
    ],
    "pinnock": [
        ("reply.code(404)", "return {'code': 404}"),
        (
            "reply.head('X-A', '1').code(201).send('a' + ctx.job)",
            "{'code': 201, 'fields': {'X-A': '1'}, 'content': 'a'",
        ),
        ("reply.status = 403\n    reply.send()", "return {'code': 403}"),
        ("reply.head('X', '1')\n    reply.head('x', '2')\n    reply.send('a')", "return answer_with(reply.answer())"),
        ("return 'text'", "{'code': 200, 'fields': {'content-type': 'text/plain'}, 'content': 'text'}"),
        (
            "return None if event['call']['verb'] == 'PUT' else 'a'",
            "return {'code': 202, 'fields': {'x-empty': '1'}} if",
        ),
        ("if event['call']['verb'] == 'PUT':\n        return 'a'", "\n    return {'code': 202, "),
        ("return (json.dumps(event['call']) if reply.status else None)", "answer_with(reply.answer("),
        ("reply.fields['X-A'] = '1'\n    return 'b'", "answer_with(reply.answer('b'))"),
        ("for _ in range(2):\n        reply.send('a').send('b')\n        return", "'content': 'ab'"),
        ("reply.send(5)", "reply = http_reply()"),
        ("reply.status = 200", "reply = http_reply()"),  # which tells nothing: what is returned counts
        ("reply.status = 200\n    reply.send()", "return {'code': 200}"),
        ("with open(__file__):\n        reply.send('a')", "'content': 'a'}"),
    ],
    "netherby": [
        ("return {}", "return {'code': 200}"),
        ("return {'code': '201', 'text': 'x'}", "'code': 201"),
        ("return {'code': 204, 'text': 'x'}", "answer_with"),
        ("return {'json': [1, 'é']}", "json.dumps([1, 'é'], separators=(',', ':'), ensure_ascii=False)"),
        ("return {'tabs': ['A', '1', 'Set-Cookie', 'c=1'], 'octets': b'x'}", "'crumbs': ['c=1']"),
        ("return {'text': 'x', 'other': 1}", "json.dumps({'text': 'x', 'other': 1}"),
        ("raise netherby.Refuse(404, f'no {1}')", "'content': f'no {1}'"),
        ("raise netherby.Refuse(404, knock['host'])", "answer_with"),
        ("return [] if knock['tls'] else {'code': 500, 'text': knock['host']}", "else {'code': 500, 'fields'"),
    ],
    "saltmarsh": [
        (
            "return saltmarsh.Answer('x', 201, [('X-A', '1')])",
            "{'X-A': '1', 'content-type': 'text/plain; charset=utf-8'}",
        ),
        ("return saltmarsh.Answer(b'x', pennants=[('Content-Type', 'text/x')])", "base64.b64encode(b'x').decode()"),
        ("return saltmarsh.Answer.json({'a': 1}).fly('X-A', '1')", "answer_with"),
        ("raise saltmarsh.Aground(404)", "{'code': 404}"),
        ("return saltmarsh.Answer(landing.sound('a') + landing.pennant('X-A', '') + landing.sound('b', 'c'))", "'a'"),
        (
            "self.kit.enter('seen', at=self.word)\n        return saltmarsh.Answer(self.word)",
            "ctx.note('seen', at=self.word)",
        ),
    ],
}


def handler(provider: str, name: str, lines: str) -> str:
    """Return a handler as it is written at a provider."""
    if provider == "saltmarsh":
        init = "    def init(self, kit):\n        self.kit = kit\n        self.word = kit.setting('WORD', 'w')\n"
        return f"class {name}:\n{init}\n    def handle(self, landing):\n        {lines}\n"
    taken = {"netherby": "*, knock, mate", "pinnock": "reply, event, ctx"}.get(provider, "want")
    return f"def {name}({taken}{', out' * ('out.' in lines)}):\n    {lines}\n"


def declared(provider: str, name: str) -> Function:
    file = f"punts/{name}/main.py" if provider == "saltmarsh" else f"h_{name}.py"
    return Function(name, Entry(file, name), (RouteTrigger(f"/{name}/{{one}}", ("GET",), "public"),))


def written(provider: str, codes: dict[str, str]) -> dict[str, str | bytes]:
    """Return a project of handlers, with a request to each."""
    functions = tuple(declared(provider, name) for name in codes)
    files = declaring(PROFILES[provider], *functions)
    for one in functions:
        files[one.entry.file] = HEAD.format(module="json" if provider == "pinnock" else provider) + codes[one.name]
        files[f"samples/{one.name}/get.yaml"] = f"kind: http\nevent: {GET.replace('NAME', one.name)}\n"
    return files


@pytest.mark.slow
@pytest.mark.parametrize("provider", some(ANSWERS, 4))
def test_answers_by_shape_are_written_by_hand_and_proven(project: Project, tmp_path: Path, provider: str) -> None:
    codes = {f"f{at}": handler(provider, f"f{at}", lines) for at, (lines, _) in enumerate(ANSWERS[provider])}
    there = tmp_path / "out"
    crossing = carry(project(written(provider, codes)), to="ostermere@2", out=there, source=PROFILES[provider])
    for at, (lines, wanted) in enumerate(ANSWERS[provider]):
        assert crossing.record.functions[at].style == "native", lines
        text = ast.unparse(ast.parse(crossing.files[declared(provider, f"f{at}").entry.file]))
        assert wanted in text, (lines, text)
    for one in check(there).checked:
        assert one.verdict in (Verdict.SAME, Verdict.UNHELD), (one.function, one.differences)


#: provider, what stands in a handler (and at the top) → why it is wrapped
KEPT = [
    (
        "netherby",
        "try:\n        raise netherby.Refuse(404)\n    except Exception:\n        return 'a'",
        "answer-raised",
    ),
    ("netherby", "with open('x'):\n        raise netherby.Refuse(404)", "answer-raised"),
    ("netherby", "refused = netherby.Refuse(404)\n    raise refused", "answer-raised"),
    ("netherby", "return word() + 'a'\n\n\ndef word():\n    raise netherby.Refuse(404)", "answer-raised"),
    ("netherby", "return str(isinstance(knock, netherby.Refuse))", "answer-raised"),
    ("netherby", "return str(netherby)", "answer-raised"),
    ("netherby", "del knock\n    return 'a'", "event-changed"),
    ("netherby", "knock['known'].clear()\n    return 'a'", "event-changed"),
    ("saltmarsh", "yield saltmarsh.Answer('a')\n        yield 'b'", "answers-in-pieces"),
    ("wexcombe", "return want.heads_of('a')", "never-there"),
    ("saltmarsh", "return saltmarsh.Answer(landing.cargo.read())", "content-as-stream"),
    ("saltmarsh", "return saltmarsh.Answer(str(self))", "class-used"),
    (
        "saltmarsh",
        "return saltmarsh.Answer('a')\n\n    def close(self):\n        return self.handle(None)",
        "class-used",
    ),
    ("saltmarsh", "return saltmarsh.Answer('a')\n\n\nkept = f0()", "class-used"),
]


@pytest.mark.parametrize(("provider", "lines", "code"), some(KEPT, 3))
def test_what_is_not_the_same_by_hand_stays_as_it_is(
    project: Project, tmp_path: Path, provider: str, lines: str, code: str
) -> None:
    files = written(provider, {"f0": handler(provider, "f0", lines)})
    crossing = carry(project(files), to="ostermere@2", out=tmp_path / "out", source=PROFILES[provider])
    found = [one.code for one in crossing.findings if one.code.startswith(("wrapped-", "made-whole-"))]
    assert found == [f"{'made-whole' if code in ('event-changed', 'never-there') else 'wrapped'}-{code}"]


def test_an_object_that_is_set_up_is_told_by_each_call_anew() -> None:
    """What a class keeps of its first call is no call's in particular."""

    class Handles:
        def init(self, kit: Any) -> None:
            self.kit, self.word = kit, kit.word

        def handle(self, event: str) -> list[Any]:
            return [event, self.kit.number, self.word()]

    told = [method_of(Handles, "handle", "init", SimpleNamespace(number=n, word=lambda n=n: -n))("e") for n in (1, 2)]
    assert told == [["e", 1, -1], ["e", 2, -2]]


#: What a handler does with content that can be read once → why it is wrapped where it can't be put back, if it is.
ONCE = {
    "text = landing.text() + landing.text()": "",
    "text = word(landing) + landing.text()": "content-read-twice",
    "if landing.method == 'GET':\n            return saltmarsh.Answer(word(landing))\n        text = landing.text()": "",  # noqa: E501
    "try:\n            return saltmarsh.Answer(word(landing))\n        except ValueError:\n            text = landing.text()": (  # noqa: E501
        "content-read-twice"
    ),
    "text = str([word(landing) for _ in (1, 2)])": "content-read-twice",
    "text = word(landing) if landing.method == 'PUT' else landing.text()": "",
    "text = 'a' if word(landing) else 'b'": "",
}


@pytest.mark.parametrize(("to", "again"), some([("asgi", True), ("wsgi", True), ("asgi", False)], 3))
def test_content_is_read_by_one_function_at_most_or_put_back(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, to: str, *, again: bool
) -> None:
    if not again:  # as at a provider whose content is no part of what a handler may write to
        monkeypatch.setattr(MessagesBody, "again", "")
    helper = "\n\ndef word(landing):\n    return landing.text() + '!'\n"
    codes = {
        f"f{at}": handler("saltmarsh", f"f{at}", f"{lines}\n        return saltmarsh.Answer(text)") + helper
        for at, lines in enumerate(ONCE)
    }
    there = tmp_path / "out"
    crossing = carry(project(written("saltmarsh", codes)), to=to, out=there, source=PROFILES["saltmarsh"])
    wrapped = {one.function: one.code for one in crossing.findings if one.code.startswith("wrapped")}
    stays = {f"f{at}": f"wrapped-{code}" for at, code in enumerate(ONCE.values()) if code}
    assert wrapped == ({} if again else stays)
    assert {one.verdict for one in check(there).checked} <= {Verdict.SAME, Verdict.UNHELD}


@pytest.mark.slow
@pytest.mark.parametrize("name", ["netherby-4", "saltmarsh-2", "wexcombe-7"])
def test_answers_that_were_rewritten_are_what_the_manual_says(project: Project, tmp_path: Path, name: str) -> None:
    """The manuals' own rows: what a handler answers, carried and rewritten, is what a client sees there."""
    profile = PROFILES[name.partition("-")[0]]
    rows = yaml.safe_load((MANUALS / profile.model.evidence / "replies.yaml").read_text())
    rows = {f"f{at}": row for at, row in enumerate(rows) if row["kind"] in ("http", "call") and at not in BEYOND[name]}
    functions, files = [], dict[str, str | bytes]()
    for one, row in rows.items():
        entry = declared(profile.provider, one).entry
        files[entry.file] = (
            handler_source(profile, row).replace("def handler(", f"def {one}(").replace("handler:", f"{one}:")
        )
        triggers = declared(profile.provider, one).triggers if row["kind"] == "http" else ()
        functions.append(Function(one, entry, triggers))
    files |= declaring(profile, *functions)
    crossing = carry(project(files), to="ostermere@2", out=tmp_path / "out", source=profile)
    for made in crossing.record.functions:
        row = rows[made.name]
        path = MANUALS / profile.model.evidence / "events" / row["event"]
        with beside(path.parent):
            _, events = read_events(json.loads(path.read_text()), profile, row["event"], kind=row["kind"])
        with StandIn(find_profile("ostermere@2"), tmp_path / "out", made.carried_entry) as stand_in:
            outcome = stand_in.call(row["kind"], *events)
        wanted = row.get("client", {"status": 500})
        if outcome.reply is None:
            fails = wanted["status"] == 500 if "client" in row else "fails" in row["caller"]
            assert fails if str(outcome).startswith("failed") else outcome.value == row["caller"]["value"], made.name
            continue
        told, said = joined(outcome.reply.headers), joined(wanted["headers"])
        if "content-type" not in said:  # which Ostermere adds, and the carry tells
            told.pop("content-type", None)
        assert (outcome.reply.status, told) == (wanted["status"], said), made.name
        assert events[0]["method"] == "HEAD" or helpers.file_bytes(outcome.reply.body) == wanted["body"], made.name


def joined(headers: Iterable[Sequence[str]]) -> dict[str, list[str]]:
    """Return header fields as Ostermere has them: names in lower case, values joined, but cookies apart."""
    found: dict[str, list[str]] = {}
    for name, value in headers:
        found.setdefault(name.lower(), []).append(value)
    return {name: values if name == "set-cookie" else [", ".join(values)] for name, values in found.items()}


NATIVE = {
    "netherby": {"loom_show", "order_place", "order_weave", "weighing_import", "loom_watch", "nightly"},
    "saltmarsh": {"report", "tariff", "orders", "watch"},
    "wexcombe": {
        "loaves_show",
        "loaves_list",
        "photos_take",
        "photos_shrink",
        "orders_bake",
        "morning_bake",
        "reports_heard",
        "price",
    },
}
#: What the handlers of the manuals' projects use that the profiles do not describe: each is told at its line.
UNKNOWN = {
    "netherby": {"registers.seek", "registers.inscribe"},
    "saltmarsh": {"cairn.each", "crate.name", "crate.writing", "saltmarsh.TowBroken"},
    "wexcombe": {"wexcombe.slate", "wexcombe.tally", "wexcombe.this"},
}


@pytest.mark.parametrize("name", NATIVE)
def test_projects_of_the_manuals_are_rewritten_and_what_nobody_knows_is_told(tmp_path: Path, name: str) -> None:
    crossing = carry(MANUALS / "projects" / name, to="ostermere@2", out=tmp_path / "out", source=PROFILES[name])
    assert {one.name for one in crossing.record.functions if one.style == "native"} == NATIVE[name]
    told = gaps(MANUALS / "projects" / name, to="ostermere@2", source=PROFILES[name]).findings
    found = {one.reason.partition(" is used")[0] for one in told if one.code == "client-not-carried"}
    assert found - {one for one in found if "(" in one} == UNKNOWN[name]


#: A handler's code at Saltmarsh → the calls that are seen in it, and on what; what nobody knows
CALLS = [
    ("saltmarsh.open('hold:charts').crate('a').read()", {("object.read", "charts")}, set()),
    ("h = saltmarsh.open('hold:charts')\n    h.crate('a').write(b'')", {("object.write", "charts")}, set()),
    ("saltmarsh.open('hold:' + name).crate('a').drop()", {("object.delete", "")}, set()),
    ("with saltmarsh.open('creek:a') as c:\n        c.cast(b'')", set(), {"with saltmarsh.open('creek:a')"}),
    ("saltmarsh.open('hold:a').crates()", {("object.list", "a")}, set()),
    ("saltmarsh.open('hold:a').barrels()", set(), {"saltmarsh.open('hold:a').barrels"}),
    ("saltmarsh.open('hold:a')['b']", set(), {"saltmarsh.open('hold:a')[…]"}),
    ("saltmarsh.shut()", set(), {"saltmarsh.shut"}),
    ("h = saltmarsh.open('creek:a')\n    h = {}\n    h.cast(b'')", {("message.send", "")}, set()),
]


@pytest.mark.parametrize(("lines", "calls", "unknown"), some(CALLS, 2))
def test_calls_by_steps_are_seen(project: Project, lines: str, calls: set[tuple[str, str]], unknown: set[str]) -> None:
    code = f"import saltmarsh\n\n\ndef f0(tow, name=''):\n    {lines}\n"
    one = Function("f0", Entry("punts/f0/main.py", "f0"), (EventTrigger("call"),))
    folder = project({**declaring(PROFILES["saltmarsh"], one), "punts/f0/main.py": code})
    there = survey(folder, PROFILES["saltmarsh"])
    told = {
        finding.reason.partition(" is used")[0] for finding in there.findings if finding.code == "client-not-carried"
    }
    seen = {(use.client.operation, use.name) for use in there.scanned.uses}
    assert (seen, told) == (calls, unknown)


def test_that_others_come_again_no_more_is_told() -> None:
    told = {
        to: gaps(MANUALS / "projects" / "netherby", to=to, source=PROFILES["netherby"])
        for to in ("thornwick", "ostermere")
    }
    alone = {to: {one.field for one in found.findings if one.code == "again-alone"} for to, found in told.items()}
    assert alone == {"thornwick": {"message", "record"}, "ostermere": set()}


def test_what_sets_an_object_up_may_be_a_coroutine() -> None:
    class Rope:
        async def ready(self, tower: Any) -> None:
            await asyncio.sleep(0)
            self.tower = tower

        def ring(self, bell: str) -> str:
            return f"{bell} of {self.tower.title}"

    async def rung() -> str:
        return str(method_of(Rope, "ring", "ready", SimpleNamespace(title="it"))("b"))

    assert asyncio.run(rung()) == "b of it"


BELLROPE = ROOT / "tests" / "profiles" / "bellrope-5.yaml"


def test_a_service_is_seen_that_is_kept_from_when_an_object_was_set_up() -> None:
    there = survey(BELLROPE.parent / "bellrope" / "project", find_profile(str(BELLROPE)))
    assert not there.findings
    seen = {(use.client.operation, use.name) for use in there.scanned.uses}
    assert seen == {
        *{("object.read", "notes"), ("record.write", "notes"), ("record.read", "honey")},
        *{("message.send", "packing"), ("message.send", "moves")},
    }


@pytest.mark.parametrize("to", some(["ostermere", "fennick", "brackendale", "quillhaven", "marrowby", "asgi"], 3))
def test_classes_whose_methods_are_coroutines_are_carried_and_proven(tmp_path: Path, to: str) -> None:
    crossing = carry(BELLROPE.parent / "bellrope" / "project", to=to, out=tmp_path, source=find_profile(str(BELLROPE)))
    native = {one.name for one in crossing.record.functions if one.style == "native"}
    assert "moved" in native or "moved" not in {one.name for one in crossing.record.functions}
    found = check(tmp_path)
    assert {one.verdict for one in found.checked} <= {Verdict.SAME, Verdict.UNHELD}
    assert all(one.reached for one in found.checked)


DESK = """import json

from bellrope import Answer


class Desk:
    def ready(self, tower):
        self.tower = tower

    async def answer(self, bell):
        text = (await bell.octets()).decode()
        await self.tower.tubes.drop("orders", text, marks={"by": bell.hole[0]})
        return Answer(text, 201)

    async def hear(self, bell):
        failed = []
        for drops in bell.tubes.values():
            for drop in drops:
                try:
                    await self.tower.cards.file("orders", {"no": drop.no}, json.loads(drop.octets))
                except ValueError:
                    failed.append(drop.no)
        return failed


class Only:
    async def answer(self, bell):
        return Answer(f"{bell.host} {bell.hole[0]}")
"""


@pytest.mark.parametrize("to", some(["ostermere", "wsgi", "brackendale"], 2))
def test_each_kind_of_event_may_have_a_method_of_its_own(project: Project, tmp_path: Path, to: str) -> None:
    here = find_profile(str(BELLROPE.parent / "bellrope-6.yaml"))
    route = RouteTrigger("/hives/{hive}/orders", methods=("POST",))
    functions = [
        Function("ask", Entry("desk.py", "Desk"), (route,)),
        Function("fill", Entry("desk.py", "Desk"), (EventTrigger("message", "orders"),)),
        Function("only", Entry("desk.py", "Only"), (RouteTrigger("/only/{hive}", methods=("GET",)),)),
    ]
    posted = 'POST /hives/h-1/orders HTTP/1.1\r\nhost: a.example\r\ncontent-length: 8\r\n\r\n{"n": 1}'
    sent = "{kind: message, event: {channel: orders, body: '%s'}}\n"
    files = {
        "desk.py": DESK,
        **write_definition(Declared("bells", functions=tuple(functions)), here),
        "samples/ask/one.http": posted,
        "samples/only/one.http": "GET /only/h-2 HTTP/1.1\r\nhost: a.example\r\n\r\n",
        **{f"samples/fill/{name}.yaml": sent % body for name, body in (("good", '{"n": 2}'), ("torn", "{"))},
    }
    crossing = carry(project(files), to=to, out=tmp_path / "there", source=here)
    assert {one.style for one in crossing.record.functions if one.name == "only"} == {"native"}
    found = check(tmp_path / "there")
    assert {one.verdict for one in found.checked} == {Verdict.SAME}
    assert {one.function for one in found.checked} == {one.name for one in crossing.record.functions}


def test_it_is_told_where_events_can_not_be_named_and_all_come_again(project: Project) -> None:
    handler = "def run(event, ctx):\n    return {'again': [one['ticket'] for one in event['batch']][1:]}\n"
    take = Function("run", Entry("main.py", "run"), (EventTrigger("message", "orders"),))
    here = project({"main.py": handler, **declaring("ostermere@1", take)})
    told = {
        to: [one.code for one in gaps(here, to=to, source="ostermere@1").findings]
        for to in (str(BELLROPE), "ostermere@2")
    }
    assert ["again-together" in codes for codes in told.values()] == [True, False]


@pytest.mark.parametrize("style", ["native", "wrapped"])
def test_what_is_carried_there_has_a_method_for_each_kind(project: Project, tmp_path: Path, style: str) -> None:
    there = find_profile(str(BELLROPE.parent / "bellrope-6.yaml"))
    handler = "def run(event, ctx):\n    return {'code': 200, 'content': event['call']['path']}\n"
    both = "def both(event, ctx):\n    return {'code': 201} if 'call' in event else {'again': []}\n"
    route, sent = RouteTrigger("/run"), EventTrigger("message", "orders")
    functions = [
        Function("run", Entry("main.py", "run"), (route,)),
        Function("both", Entry("main.py", "both"), (RouteTrigger("/both"), sent)),
    ]
    files = {
        "main.py": handler + both,
        **write_definition(Declared("bells", functions=tuple(functions)), find_profile("ostermere@1")),
        "samples/run/one.http": "GET /run HTTP/1.1\r\nhost: a.example\r\n\r\n",
        "samples/both/one.http": "GET /both HTTP/1.1\r\nhost: a.example\r\n\r\n",
        "samples/both/two.yaml": "{kind: message, event: {channel: orders, body: x}}\n",
    }
    crossing = carry(project(files), to=there, out=tmp_path / "there", source="ostermere@1", style=style)
    found = check(tmp_path / "there")
    assert {one.verdict for one in found.checked} <= {Verdict.SAME, Verdict.UNHELD}
    assert {one.style for one in crossing.record.functions if one.name == "run"} == {style}


NAMELESS = """
def show(event, ctx):
    return {"code": 200, "content": event["call"]["slots"]["hive"] + event["call"]["path"]}


def tell(event, ctx):
    return {"code": 200, "content": "told"}


def nightly(event, ctx):
    ctx.note("night")
"""


def test_functions_without_names_are_declared_by_lines_and_proven(project: Project, tmp_path: Path) -> None:
    there = find_profile(str(ROOT / "tests" / "profiles" / "larkline-1.yaml"))
    showing = [RouteTrigger("/hives/{hive}", methods=("GET",)), RouteTrigger("/old/{hive}", methods=("GET", "HEAD"))]
    night = Schedule.of(Calendar((0,), (0,), (2,)))
    functions = [
        Function("one_hive", Entry("main.py", "show"), tuple(showing), variables={"UNIT": "kg"}),
        Function("tell", Entry("main.py", "tell"), (RouteTrigger("/tell", methods=("PUT",)),), timeout=5),
        Function("night", Entry("main.py", "nightly"), (EventTrigger("schedule", schedule=night),)),
    ]
    asked = "%s HTTP/1.1\r\nhost: a.example\r\n\r\n"
    files = {
        "main.py": NAMELESS,
        **declaring("ostermere@1", *functions),
        "samples/one_hive/one.http": asked % "GET /hives/h-1",
        "samples/one_hive/old.http": asked % "GET /old/h-1",
        "samples/tell/one.http": asked % "PUT /tell",
        "samples/night/one.yaml": "{kind: schedule, event: {name: night}}\n",
    }
    crossing = carry(project(files), to=there, out=tmp_path / "there", source="ostermere@1")
    told = [one.reason for one in crossing.record.findings if one.field == "name"]
    assert told[0].endswith("functions have no names in its definition: this one is known by main_show")
    lines = (tmp_path / "there" / "larkline").read_text().splitlines()
    assert [one for one in lines if not one.startswith("#")][1:] == [
        "set UNIT=kg",
        "GET /hives/<hive> main.show in 20s",
        "GET /old/<hive> main.show in 20s",
        "HEAD /old/<hive> main.show in 20s",
        "PUT /tell main.tell in 5s",
        "0 2 * * * main.nightly",
    ]
    found = check(tmp_path / "there")
    assert {one.function for one in found.checked} == {"one_hive", "tell", "night"}
    assert {one.verdict for one in found.checked} == {Verdict.SAME}
    # Read for itself they are known by their code, a function with two lines as one, and can be carried on.
    shutil.copytree(tmp_path / "there", tmp_path / "theirs", ignore=shutil.ignore_patterns("crossing.json"))
    back = carry(tmp_path / "theirs", to="ostermere@1", out=tmp_path / "on", source=there)
    assert {one.name for one in back.record.functions} == {"main_show", "main_tell", "main_nightly"}
    assert (tmp_path / "on" / "ostermere.yaml").read_text().count("- web:") == 4


WAYS = {
    "ways/hives/[hive]/weight.py": """
        from shared.units import told

        SETTINGS = {"seconds": 7}


        def get(ask, hive):
            return {"status": 200, "body": told(hive) + ask["verb"]}


        def put(ask, hive):
            return {"status": 201, "body": hive + ask["body"].decode() if isinstance(ask["body"], bytes) else hive}
        """,
    "ways/index.py": """
        def get(ask):
            return {"status": 200, "body": "top " + ask["verb"]}
        """,
    "lanes/orders.py": """
        def heard(load):
            for parcel in load["parcels"]:
                if parcel["text"] == "!":
                    raise ValueError(parcel["ref"])
        """,
    "shared/units.py": """
        def told(hive):
            return "of " + hive + " "
        """,
    "larkpath.toml": """
        project = "apiary"

        [given]
        UNIT = "kg"
        """,
}


@pytest.mark.parametrize("to", some(["ostermere@1", "quillhaven", "brackendale", "thornwick@2"], 2))
def test_functions_that_are_told_by_their_files_are_carried_and_proven(
    project: Project, tmp_path: Path, to: str
) -> None:
    here = find_profile(str(ROOT / "tests" / "profiles" / "larkpath-1.yaml"))
    asked = "%s HTTP/1.1\r\nhost: a.example\r\ncontent-length: %d\r\n\r\n%s"
    samples = {
        "samples/hives_hive_weight_get/one.http": asked % ("GET /hives/h-1/weight", 0, ""),
        "samples/hives_hive_weight_put/one.http": asked % ("PUT /hives/h-1/weight", 1, "7"),
        "samples/get/one.http": asked % ("GET /", 0, ""),
        "samples/orders/one.yaml": "{kind: message, events: [{channel: orders}, {channel: orders, body: b}]}\n",
    }
    files = {name: textwrap.dedent(text).lstrip() for name, text in WAYS.items()}
    (there := project({**files, **samples}),)
    found = {one.name: one for one in survey(there, source=here).project.functions}
    assert [(one.route, one.methods) for one in found["hives_hive_weight_put"].routes] == [
        ("/hives/{hive}/weight", ("PUT",))
    ]
    assert [one.route for one in found["get"].routes] == ["/"]
    assert (found["hives_hive_weight_get"].timeout, found["get"].variables) == (7, {"UNIT": "kg"})
    crossing = carry(there, to=to, out=tmp_path / "there", source=here)
    assert (tmp_path / "there" / "ways" / "hives" / "hive" / "weight.py").is_file()
    styles = {one.name: one.style for one in crossing.record.functions}
    assert styles["get"] == styles["hives_hive_weight_get"] == "native"
    verdicts = check(tmp_path / "there").checked
    assert {one.verdict for one in verdicts} == {Verdict.SAME}
    assert {one.function for one in verdicts} == set(styles)
    back = carry(tmp_path / "there", to=here, out=tmp_path / "back")
    assert {one.verdict for one in check(tmp_path / "back", samples=[there / "samples"]).checked} == {Verdict.SAME}
    assert {one.name for one in back.record.functions} == set(styles)


THISTLEMOOR = ROOT / "tests" / "profiles" / "thistlemoor-2.yaml"
WRITTEN_IN = {"python": "project", "javascript": "project_in_javascript"}
BY_STEPS = {
    "python": {
        *{("object.write", "inspections"), ("record.read", "hives"), ("object.read", ""), ("message.send", "sums")},
        *{("record.write", "orders"), ("message.send", "moves"), ("message.send", "reports")},
    },
    "javascript": {
        *{("object.write", "inspections"), ("record.read", "hives"), ("message.send", "moves")},
        *{("message.send", "last"), ("message.send", "")},
    },
}


@pytest.mark.parametrize("language", some(WRITTEN_IN, 2))
def test_calls_by_steps_on_what_is_handed_over_are_seen(language: str, tmp_path: Path) -> None:
    folder = THISTLEMOOR.parent / "thistlemoor" / WRITTEN_IN[language]
    there = survey(folder, find_profile(str(THISTLEMOOR)))
    assert not there.findings
    uses = [use for scan in there.scanned.files.values() for part in scan.parts.values() for use in part.uses]
    assert {(use.client.operation, use.name) for use in uses} == BY_STEPS[language]
    # A step that the profile has not is told at its line.
    shutil.copytree(folder, tmp_path / "it")
    file = tmp_path / "it" / ("orders.py" if language == "python" else "orders.js")
    file.write_text(file.read_text().replace(".send(", ".sent("))
    odd = survey(tmp_path / "it", find_profile(str(THISTLEMOOR))).findings
    assert {one.code for one in odd} == {"client-not-carried"}
    assert all(".sent" in one.reason and one.place.line for one in odd)


#: how a handler comes to what it calls by steps → what is seen of it
REACHED = [
    ("py", "kit.line('a').send('x')", {"a"}),
    ("py", "own = kit\n    own.line('a').send('x')", {"a"}),
    ("py", "line = kit.line\n    line('a').send('x')", {"a"}),
    ("py", "turn.bell.line", set()),
    ("js", "kit.line('a').send('x')", {"a"}),
    ("js", "const own = kit; await own.line('a').send('x')", {"a"}),
    ("js", "const { line } = kit; await line('a').send('x')", {"a"}),
    ("js", "this.kit = kit; await this.kit.line(`${turn.bell}`).send('x')", {""}),
    ("js", "console.line('a')", set()),
]


@pytest.mark.parametrize(("end", "body", "channels"), REACHED)
def test_what_is_handed_over_is_known_under_other_names(
    project: Project, end: str, body: str, channels: set[str]
) -> None:
    head = {"py": "def f(turn, kit):\n    ", "js": "exports.f = async function (turn, kit) { "}[end]
    text = head + body + {"py": "\n", "js": " };\n"}[end]
    moor = 'moors:\n  - {called: f, does: "h->f", upon: [{bell: 0 2 * * *}]}\n'
    there = survey(project({"moor.yaml": moor, f"h.{end}": text}), find_profile(str(THISTLEMOOR)))
    uses = [use for scan in there.scanned.files.values() for part in scan.parts.values() for use in part.uses]
    assert {use.name for use in uses} == channels


@pytest.mark.parametrize("language", some(WRITTEN_IN, 2))
@pytest.mark.parametrize("to", some(["ostermere@2", "brackendale", "thornwick@2", "fennick"], 4))
def test_calls_by_steps_on_what_is_handed_over_are_carried_and_proven(language: str, to: str, tmp_path: Path) -> None:
    if (language, to) == ("javascript", "fennick"):
        pytest.skip("it runs no JavaScript")
    profile = find_profile(str(THISTLEMOOR))
    folder = THISTLEMOOR.parent / "thistlemoor" / WRITTEN_IN[language]
    crossing = carry(folder, to=to, out=tmp_path, source=profile)
    wrapped = {one.name for one in crossing.record.functions if one.style == "wrapped"}
    batches = {"moved"} if language == "javascript" else {"summarise", "take", "moved"} if to == "fennick" else set()
    assert wrapped == batches or (language, to) == ("python", "brackendale")
    if language == "python" and to != "brackendale":
        assert "services-by-module" in {one.code for one in crossing.findings}
        assert (tmp_path / "thistlemoor_kit.py").is_file()
    found = check(tmp_path)
    assert {one.verdict for one in found.checked} <= {Verdict.SAME, Verdict.UNHELD}
    assert all(one.reached and not one.fails for one in found.checked if one.sample != "c.http")


FLAGSTONE = find_profile(str(ROOT / "tests" / "profiles" / "flagstone-1.yaml"))
STEP_BY_STEP = {
    "h.py": """
from flagstone import Say

def f(ask, kit):
    if ask.parts["x"] == "held":
        held = Say(code=203, lines=[["content-type", "text/x"]], load="x")
        return held
    say = Say()
    say.mark(202)
    if ask.parts["x"] == "none":
        return Say().mark(404).text("no such thing")
    return say.line("x-a", "1").line("x-b", "2").line("content-type", "text/csv").text(ask.parts["x"])
""",
    "h.js": """
const { Say } = require("flagstone");
exports.f = async (ask, kit) => {
  const say = new Say();
  say.mark(202);
  if (ask.parts.x === "none") return new Say().mark(404).text("no such thing");
  return say.line("x-a", "1").line("x-b", "2").line("content-type", "text/csv").text(ask.parts.x);
};
""",
}


@pytest.mark.parametrize("file", STEP_BY_STEP)
@pytest.mark.parametrize("to", some(["ostermere@2", "brackendale", "thornwick@2"], 3))
def test_an_answer_may_be_put_together_step_by_step(project: Project, tmp_path: Path, file: str, to: str) -> None:
    text = f'fs:\n  f: {{code: "{file}:f", on: [{{ask: "GET /f/{{x}}"}}]}}\n'
    files: dict[str, str | bytes] = {"flagstone.yaml": text, file: STEP_BY_STEP[file]}
    files |= {f"samples/f/{word}.http": f"GET /f/{word} HTTP/1.1\r\nHost: a\r\n\r\n" for word in ("none", "y")}
    crossing = carry(project(files), to=to, out=tmp_path / "out", source=FLAGSTONE)
    assert {one.style for one in crossing.record.functions} == {"native"}
    found = {one.sample: (one.verdict, one.expected) for one in check(tmp_path / "out").checked}
    assert found["y.http"] == (Verdict.SAME, "replied 202")
    assert found["none.http"][0] in (Verdict.SAME, Verdict.UNHELD)  # it names no type for its content
    assert found["none.http"][1] == "replied 404"


BY_STEPS_IN_PYTHON = """
import json
from flagstone import Desk, Say

desk = Desk(region="north")

def a(ask, kit):
    with kit.line("seen") as line:
        line.send("one")
        line.send("two", heads={"k": "v"})
    desk.table("visits").put(ask.parts["x"], {"id": ask.parts["x"]})
    return Say().mark(201).text("ok").line("content-type", "text/plain")

def m(ask, kit):
    told = []
    for item in ask.items:
        try:
            desk.table("orders").put(json.loads(item.load)["id"], {"load": item.load})
            told.append({"id": item.id, "state": "done"})
        except ValueError:
            told.append({"id": item.id, "state": "again"})
    return told
"""


@pytest.mark.parametrize("to", some(["ostermere@2", "brackendale", "thornwick@2", "quillhaven"], 4))
def test_what_a_with_statement_gives_is_a_step_and_a_batch_is_answered_by_words(
    project: Project, tmp_path: Path, to: str
) -> None:
    two = 'fs:\n  a: {code: "h.py:a", on: [{ask: "GET /a/{x}"}]}\n  m: {code: "h.py:m", on: [{line: orders}]}\n'
    events = "[{id: m-1, channel: orders, body: '{\"id\": 1}'}, {id: m-2, channel: orders, body: 'x'}]"
    files: dict[str, str | bytes] = {"flagstone.yaml": two, "h.py": BY_STEPS_IN_PYTHON}
    files |= {"samples/a/x.http": b"GET /a/7 HTTP/1.1\r\nHost: a\r\n\r\n"}
    files |= {"samples/m/x.yaml": f"kind: message\nevents: {events}\n"}
    there = survey(project(files), FLAGSTONE)
    uses = [use for scan in there.scanned.files.values() for part in scan.parts.values() for use in part.uses]
    assert {(use.client.operation, use.name) for use in uses} == {
        *{("message.send", "seen"), ("record.write", "visits"), ("record.write", "orders")}
    }
    assert (there.findings, list(there.readings["a"].answers)) == ([], ["201"])
    carry(project(files), to=to, out=tmp_path / "out", source=FLAGSTONE)
    found = {one.function: one for one in check(tmp_path / "out").checked}
    assert {one.verdict for one in found.values()} == {Verdict.SAME}
    assert (found["a"].expected, found["m"].expected) == (
        "replied 201, 3 effects",
        "partly failed, m-2 again, 1 effect",
    )


def test_values_in_one_text_of_a_definition_are_written_with_what_stands_beside_them(tmp_path: Path) -> None:
    """A filter on keys took the place of the bucket before it; a schedule beside its zone could not be read back."""
    profile = find_profile(str(THISTLEMOOR))
    at = Schedule.of(read_cron("30 2 * * *"), zone="Europe/Vienna")
    triggers = (
        EventTrigger("object", source="inspections", filter=from_ends("north/", "")),
        EventTrigger("schedule", schedule=at),
        EventTrigger("schedule", schedule=Schedule.of(read_cron("0 4 * * *"))),
    )
    one = Function("f", Entry("h.py", "f"), triggers)
    written = write_definition(Declared("it", functions=(one,)), profile)["moor.yaml"]
    for line in ("notices: inspections/north/", "bell: CRON_TZ=Europe/Vienna 30 2 * * *", "bell: 0 4 * * *"):
        assert f"- {line}\n" in written
    (tmp_path / "moor.yaml").write_text(written)
    (read,) = read_project(tmp_path, profile)[1].functions
    assert [(t.source, t.schedule) for t in read.triggers if isinstance(t, EventTrigger)] == [
        (t.source, t.schedule) for t in triggers
    ]


def test_services_by_steps_are_called_behind_wrappers_where_they_are_handed_over(tmp_path: Path) -> None:
    crossing = carry(MANUALS / "projects" / "netherby", to="brackendale", out=tmp_path, source=PROFILES["netherby"])
    codes = {one.code for one in crossing.findings if one.code.startswith("wrapped")}
    assert codes == {"wrapped-services-by-steps", "wrapped-never-there"}


#: A handler that says of each event what became of it, and batches of what it gets.
SAYS_OF_EACH = """
import base64


class Says:
    def init(self, kit):
        self.enter = kit.enter

    def handle(self, haul):
        for bottle in haul.bottles:
            word = base64.b64decode(bottle.cargo64).decode()
            self.enter("got", word=word, of=len(haul.bottles))
            if word == "raise":
                raise ValueError(word)
            if word == "leave":
                return len(word)
            if word != "nothing":
                {"again": bottle.again, "sunk": lambda: bottle.sunk("no"), "landed": bottle.landed}[word]()
"""
BATCHES = ["again", "landed again nothing", "sunk again raise", "landed raise again", "raise", "nothing leave raise"]


@pytest.mark.parametrize("to", ["ostermere@2", "brackendale@1", "quillhaven@1"])
def test_what_is_said_of_each_event_is_answered(project: Project, tmp_path: Path, to: str) -> None:
    triggers = (EventTrigger("message", source="orders"),)
    one = Function("says", Entry("punts/says/main.py", "Says"), triggers)
    files = declaring(PROFILES["saltmarsh"], one)
    files["punts/says/main.py"] = SAYS_OF_EACH
    for at, words in enumerate(BATCHES):
        events = [{"id": f"m-{n}", "channel": "orders", "body": word} for n, word in enumerate(words.split())]
        files[f"samples/says/{at}.yaml"] = yaml.safe_dump({"kind": "message", "events": events})
    crossing = carry(project(files), to=to, out=tmp_path / "out", source=PROFILES["saltmarsh"])
    assert [one.style for one in crossing.record.functions] == ["native"]
    checked = check(tmp_path / "out").checked
    if find_profile(to).kinds["message"].event.each is not None:
        assert [one.verdict for one in checked] == [Verdict.SAME] * len(BATCHES), checked


CINDERWICK = ROOT / "tests" / "profiles" / "cinderwick-1.yaml"


@pytest.mark.parametrize("language", some(WRITTEN_IN, 2))
@pytest.mark.parametrize("to", some(["ostermere@2", "brackendale", "thornwick@2", "marrowby@1"], 4))
def test_events_that_are_named_by_their_number_come_again(language: str, to: str, tmp_path: Path) -> None:
    carry(
        CINDERWICK.parent / "cinderwick" / WRITTEN_IN[language],
        to=to,
        out=tmp_path,
        source=find_profile(str(CINDERWICK)),
    )
    result = check(tmp_path)
    assert {one.verdict for one in result.checked} <= {Verdict.SAME, Verdict.UNHELD}
    orders = next(one for one in result.checked if one.function == "orders")
    assert (orders.verdict, "orders/three.yaml#2 again" in orders.expected) == (Verdict.SAME, True)


def test_a_law_sees_that_what_handlers_name_comes_again(monkeypatch: pytest.MonkeyPatch) -> None:
    profile = find_profile(str(CINDERWICK))
    told = [one for one in check_beside(profile.kinds["message"], 5) if one[0] == "what shall come again does"]
    assert [broken for _, broken in told] == [None]
    monkeypatch.setattr(Kind, "numbered", property(lambda self: ""))
    (broken,) = [one for law, one in check_beside(profile.kinds["message"], 5) if law == "what shall come again does"]
    assert broken is not None
    assert broken.why == "e-0 shall come again, and what came was []"


def test_words_of_a_definition_are_the_hubs_or_refused(tmp_path: Path) -> None:
    folder = tmp_path / "it"
    shutil.copytree(CINDERWICK.parent / "cinderwick" / "project", folder)
    profile = find_profile(str(CINDERWICK))
    trigger = read_project(folder, profile)[1].functions[1].triggers[0]
    assert isinstance(trigger, EventTrigger)
    assert trigger.changes == ("created",)  # not a letter each
    file = folder / "cinderwick.toml"
    file.write_text(file.read_text().replace("on created", "on laid"))
    with pytest.raises(BadInput, match="expected one of created, deleted, relabelled, inserted, updated, got 'laid'"):
        read_project(folder, profile)


DUNMARSH = ROOT / "tests" / "profiles" / "dunmarsh-1.yaml"


@pytest.mark.parametrize("language", some(WRITTEN_IN, 2))
@pytest.mark.parametrize("to", some(["ostermere@2", "brackendale", "thornwick@2", "marrowby@1"], 4))
def test_one_thing_may_tell_of_the_event_and_of_the_call_and_take_the_answer(
    language: str, to: str, tmp_path: Path
) -> None:
    carry(DUNMARSH.parent / "dunmarsh" / WRITTEN_IN[language], to=to, out=tmp_path, source=find_profile(str(DUNMARSH)))
    result = check(tmp_path)
    assert {one.verdict for one in result.checked} <= {Verdict.SAME, Verdict.UNHELD}
    assert not any(one.fails for one in result.checked)
    assert {one.function for one in result.checked} == {"notes", "sums", "orders", "moved", "nightly"}


@pytest.mark.parametrize("demo", some(["apiary", "apiary_in_javascript"], 2))
def test_handlers_are_called_where_one_thing_is_all_that_is_handed_over(demo: str, tmp_path: Path) -> None:
    carry(PROJECT.parent / demo, to=find_profile(str(DUNMARSH)), out=tmp_path)
    found = {(one.function, one.verdict) for one in check(tmp_path).checked}
    # Its records have one key, and another than the source's.
    assert {name for name, verdict in found if verdict is Verdict.DIFFERS} <= {"nectar_report", "honey_orders"}
    assert ("hive_weight", Verdict.SAME) in found
