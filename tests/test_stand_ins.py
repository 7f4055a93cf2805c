"""Stand-ins call a handler of any surface, with events of any kind, before services that are real storage."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from conftest import Project, definition, some

from vast_ferry import BadInput, HttpEvent, StandIn, Verdict, carry, check, find_profile
from vast_ferry.demo import PROJECT
from vast_ferry.hub.functions import Binding
from vast_ferry.hub.outcomes import Ending, Outcome
from vast_ferry.mapping.tables import HUB_EVENTS
from vast_ferry.samples.readable import read_readable

WEB = HttpEvent(
    id="w-1",
    method="POST",
    path="/hives/h-7",
    query="day=mon&day=tue",
    captures={"hive": "h-7"},
    headers=[("content-type", "application/json")],
    body=b'{"weight": 31.5}',
).as_fields()


def event(kind: str, **fields: Any) -> dict[str, Any]:
    """Return an event of a kind with defaults for what is not said."""
    shape = HUB_EVENTS[kind]
    defaults = {row.field: shape.fields[row.field].default_value for row in shape.rows}
    return {**defaults, "id": f"{kind}-1", "time": "2026-11-25T08:30:00Z", **fields}


SHEET = {"bucket": "inspections", "key": "north/mon.csv", "content_type": "text/csv", "labels": {}, "body": b"a\nb\n"}
STORED = event("object", bucket="inspections", key="north/mon.csv")
BEFORE = {"objects": [SHEET], "records": [{"table": "hives", "keys": {"hive": "h-7"}, "record": {"weight": 30}}]}
BINDINGS = [
    Binding("sheet", "event", "object", "inspections", "{apiary}/{day}.csv", "text"),
    Binding("prior", "in", "object", "summaries", "{apiary}/{day}.json", "json"),
    Binding("summary", "out", "object", "summaries", "{apiary}/{day}.json", "json"),
    Binding("told", "out", "message", "news", form="text"),
]

TEXTS = [("a", b"yes"), ("b", b"no"), ("c", b"")]

#: name → provider, entry's file and text, kind, events, what came of it, effects as (operation, one field, its value)
SURFACES: dict[str, tuple[str, str, str, str, list[dict[str, Any]], str, list[tuple[str, str, Any]]]] = {
    "plain data": (
        "ostermere",
        "h.py#f",
        "from ostermere import books\ndef f(event, ctx):\n    ctx.note('hi', n=1)\n"
        "    books.write('t', {'k': 1}, {'all': event['call']['all']})\n    return {'code': 201}\n",
        "http",
        [WEB],
        "replied 201, 1 effect",
        [("record.write", "record", {"all": {"day": ["mon", "tue"]}})],
    ),
    "objects with methods": (
        "thornwick",
        "h.py#f",
        "from thornwick import shelves\ndef f(notice):\n"
        "    shelves.store('copies', notice.thing.path, shelves.read(notice.thing.shelf, notice.thing.path))\n",
        "object",
        [STORED],
        "acknowledged, 1 effect",
        [("object.write", "body", b"a\nb\n")],
    ),
    "CloudEvents objects and decorators": (
        "quillhaven",
        "h.py#f",
        "from quillhaven import on, trays\n@on.event(type='shelf_placed')\ndef f(event, desk):\n"
        "    trays.send('news', event.subject + ' ' + event.specversion)\n",
        "object",
        [STORED],
        "acknowledged, 1 effect",
        [("message.send", "body", b"north/mon.csv 1.0")],
    ),
    "asynchronous": (
        "brackendale",
        "h.py#f",
        "from brackendale import Response\nasync def f(request, services):\n    import asyncio\n"
        "    data, old = await asyncio.gather(request.json(), services.records.get('hives', request.groups))\n"
        "    await services.records.put('hives', request.groups, {**old, **data})\n"
        "    return Response(await request.text(), 202, [('x-a', request.headers.get('Content-Type'))])\n",
        "http",
        [WEB],
        "replied 202, 1 effect",
        [("record.write", "record", {"weight": 31.5})],
    ),
    "a process": (
        "fennick",
        "h.py",
        "import os, pathlib\nland = pathlib.Path(os.environ['FEN_LAND'])\n"
        "text = (land / 'yards' / os.environ['FEN_YARD'] / os.environ['FEN_NAME']).read_text()\n"
        "(land / 'ditches' / 'news').mkdir()\n(land / 'ditches' / 'news' / '1').write_text(text.upper())\n",
        "object",
        [STORED],
        "acknowledged, 1 effect",
        [("message.send", "body", b"A\nB\n")],
    ),
    "a process that answers": (
        "cgi",
        "h.py",
        "import os, sys\nprint('Content-Type: text/plain\\nSet-Cookie: a=1\\nSet-Cookie: b=2\\n')\n"
        "print(os.environ['REQUEST_METHOD'], os.environ['CONTENT_LENGTH'], sys.stdin.read(), end='')\n",
        "http",
        [WEB],
        "replied 200",
        [],
    ),
    "a process with a value": (
        "fennick",
        "h.py",
        "import json, sys\njson.dump(json.load(sys.stdin) + 1, sys.stdout)\n",
        "call",
        [event("call", data=2**60)],
        "returned",
        [],
    ),
    "a process that fails": ("fennick", "h.py", "import sys; sys.exit('no')\n", "call", [event("call")], "failed", []),
    "bindings": (
        "marrowby@1",
        "h.py#f",
        "def f(sheet, apiary, day, prior, summary, told, log):\n    log.line('hi')\n"
        "    summary.set({'day': day, 'lines': sheet.count('\\n'), 'prior': prior})\n    told.set(apiary)\n",
        "object",
        [STORED],
        "acknowledged, 2 effects",
        [("object.write", "body", b'{"day":"mon","lines":2,"prior":null}'), ("message.send", "body", b"north")],
    ),
    "an ASGI application": (
        "asgi",
        "h.py#f",
        "async def f(scope, receive, send):\n    message = await receive()\n"
        "    assert dict(scope['headers'])[b'content-length'] == b'16'\n"
        "    await send({'type': 'http.response.start', 'status': 203, 'headers': [(b'x', b'\\xe9')]})\n"
        "    await send({'type': 'http.response.body', 'body': message['body'], 'more_body': True})\n"
        "    await send({'type': 'http.response.body'})\n",
        "http",
        [WEB],
        "replied 203",
        [],
    ),
    "a batch, some of it again": (
        "ostermere",
        "h.py#f",
        "def f(event, ctx):\n    return {'again': [e['ticket'] for e in event['batch'] if e['text'] == 'no']}\n",
        "message",
        [
            event("message", id=name, body=body, content_type="text/plain")
            for name, body in zip("abc", (b"yes", b"no", b""), strict=True)
        ],
        "partly failed, b again",
        [],
    ),
    "a batch that is not named": (
        "ostermere",
        "h.py#f",
        "def f(event, ctx):\n    return {'again': ['z']}\n",
        "message",
        [event("message")],
        "failed: ValueError: the handler wants 'z' delivered again, which is not in its batch",
        [],
    ),
    "one at a time": (
        "thornwick",
        "h.py#f",
        "def f(notice):\n    if notice.text() == 'no': raise ValueError(notice.mark)\n",
        "message",
        [event("message", id=name, body=body) for name, body in (("a", b"yes"), ("b", b"no"), ("c", b"no"))],
        "partly failed, b, c again",
        [],
    ),
    "no such object": (
        "ostermere",
        "h.py#f",
        "from ostermere import stores\ndef f(event, ctx):\n    stores.fetch('none', 'x')\n",
        "signal",
        [event("signal")],
        "failed: LookupError: x",
        [],
    ),
    "a wrong type": (
        "ostermere",
        "h.py#f",
        "from ostermere import books\ndef f(event, ctx):\n    books.write('t', {'k': 1}, [1])\n",
        "signal",
        [event("signal")],
        "failed: StandInTypeError: a record is a mapping, not list",
        [],
    ),
    "no value of JSON": (
        "ostermere",
        "h.py#f",
        "def f(event, ctx):\n    return {1, 2}\n",
        "call",
        [event("call")],
        "failed: TypeError: Object of type set is not JSON serializable",
        [],
    ),
    "too much": (
        "ostermere",
        "h.py#f",
        "from ostermere import lines\ndef f(event, ctx):\n    while True: lines.post('x', '')\n",
        "signal",
        [event("signal")],
        "failed: RuntimeError: more than 10,000 effects in one call, 10000 effects",
        [],
    ),
    "another network": (
        "ostermere",
        "h.py#f",
        "import socket\ndef f(event, ctx):\n    socket.create_connection(('127.0.0.1', 1))\n",
        "signal",
        [event("signal")],
        "failed: ConnectionRefusedError: a stand-in has no network, and ('127.0.0.1', 1) was asked for",
        [],
    ),
    "an answer that is not there": (
        "ostermere",
        "h.py#f",
        "import urllib.request\ndef f(event, ctx):\n    urllib.request.urlopen('http://a.example/b')\n",
        "signal",
        [event("signal")],
        "failed: ConnectionRefusedError: the sample has no answer to GET http://a.example/b; add one under `answers`, "
        "1 effect",
        [],
    ),
}


def called(project: Project, name: str) -> Outcome:
    provider, entry, text, kind, events, *_ = SURFACES[name]
    folder = project({entry.partition("#")[0]: text})
    bindings = BINDINGS if name == "bindings" else []
    with StandIn(provider, folder, entry, bindings=bindings) as stand_in:
        first = stand_in.call(kind, *events, before=BEFORE)
        again = stand_in.call(kind, *events, before=BEFORE)  # nothing is left of the call before
        assert (first.ending, first.effects, first.value) == (again.ending, again.effects, again.value)
        return first


@pytest.mark.parametrize("name", some(SURFACES, 3))
def test_a_handler_is_called_as_its_provider_does(project: Project, name: str) -> None:
    outcome = called(project, name)
    *_, expected, effects = SURFACES[name]
    assert str(outcome).startswith(expected), (outcome, outcome.trace, outcome.output)
    if effects:
        assert [
            (e.operation, field, e.fields[field]) for e, (_, field, _) in zip(outcome.effects, effects, strict=True)
        ] == effects


def test_replies_and_values_come_back_whole(project: Project) -> None:
    reply = called(project, "a process that answers").reply
    assert reply is not None
    assert reply.values("set-cookie") == ["a=1", "b=2"]
    assert reply.body == b'POST 16 {"weight": 31.5}'
    reply = called(project, "an ASGI application").reply
    assert reply is not None
    assert (reply.values("x"), reply.body) == (["\xe9"], WEB["body"])
    assert called(project, "a process with a value").value == 2**60 + 1
    assert called(project, "plain data").logs == ['hi {"n": 1}']
    assert "no" in called(project, "a process that fails").output


def test_an_unknown_kind_or_provider_is_told(project: Project) -> None:
    folder = project({"h.py": "def f(*a): pass\n"})
    with StandIn("wsgi", folder, "h.py#f") as stand_in, pytest.raises(BadInput, match="WSGI has no signal events"):
        stand_in.call("signal", event("signal"))
    with pytest.raises(BadInput, match="did you mean"):
        StandIn("fenick", folder, "h.py")


def test_a_handler_that_is_not_there_is_told(project: Project) -> None:
    with StandIn("ostermere", project({"h.py": "x = 1\n"}), "h.py#f") as stand_in:
        assert stand_in.call("signal", event("signal")).ending is Ending.NOT_LOADED


# --- from one event at a time to batches, and back -------------------------------------------------------------------

ONE_AT_A_TIME = """
workshop = "apiary"
[piece.orders]
entry = "h:f"
[[piece.orders.answers]]
lane = "orders"
[piece.hourly]
entry = "h:g"
[[piece.hourly.answers]]
hour = "0 2 * * *"
zone = "Europe/Oslo"
[piece.sums]
entry = "h:total"
"""
HANDLERS = """
from thornwick import ledgers, pieces

def f(notice):
    request = notice.json()
    try:
        known = ledgers.look("orders", {"order": request["order"]})
    except KeyError:
        known = None
    if known:
        raise ValueError(f"{request['order']} is known")
    ledgers.enter("orders", {"order": request["order"]}, {"turn": notice.turn})

def g(notice):
    pieces.start("sums", [1, 2])

def total(notice):
    return {"sum": sum(notice.value), "as": notice.run.name}
"""
ORDERS = """
kind: message
events:
  - {id: a, channel: orders, body: {json: {order: 1}}}
  - {id: b, channel: orders, body: {json: {order: 2}}, attempt: 3}
  - {id: c, channel: orders, body: not JSON}
before: {records: [{table: orders, keys: {order: 1}, record: {turn: 1}}]}
"""


def test_a_handler_of_single_events_gets_batches(project: Project, tmp_path: Path) -> None:
    samples = {
        "samples/orders/three.yaml": ORDERS,
        "samples/hourly/one.yaml": "kind: schedule\nevent: {name: hourly}\n",
        "samples/sums/one.yaml": "kind: call\nevent: {data: [1, 2.5]}\n",
        "samples/sums/wrong.yaml": "kind: call\nevent: {data: [1, two]}\n",
    }
    folder = project({"thornwick.toml": ONE_AT_A_TIME, "h.py": HANDLERS, **samples})
    crossing = carry(folder, to="ostermere", out=tmp_path / "there")
    (zone,) = [f for f in crossing.findings if f.code == "schedule-not-held"]
    assert (zone.field, str(zone.severity), zone.place.line) == ("schedule", "blocking", 9)
    result = check(tmp_path / "there")
    found = {f"{one.function}/{one.sample}": (one.verdict, one.got) for one in result.checked}
    assert found == {
        "orders/three.yaml": (Verdict.SAME, "partly failed, a, c again, 1 effect"),
        "hourly/one.yaml": (Verdict.SAME, "acknowledged, 1 effect"),
        "sums/one.yaml": (Verdict.SAME, "returned"),
        "sums/wrong.yaml": (Verdict.SAME, found["sums/wrong.yaml"][1]),
    }
    assert "TypeError" in found["sums/wrong.yaml"][1]
    assert result.good


BATCH = """
def f(event, ctx):
    for entry in event["batch"]:
        lines.post("seen", entry["text"])
        if entry["text"] == "bad":
            raise ValueError("bad")
    if len(event["batch"]) == 2:
        return {"again": [event["batch"][0]["ticket"]]}
"""
MESSAGES = "kind: message\nevents:\n" + "  - {{channel: q, content_type: text/plain, body: {}}}\n" * 3


@pytest.mark.parametrize(
    ("bodies", "verdict", "because"),
    [
        (("a", "b", "c"), Verdict.SAME, ""),
        (("a", "bad", "c"), Verdict.UNHELD, "the handler is called once for each"),  # c is never come to in a batch
        (("bad", "b", "c"), Verdict.UNHELD, "the handler is called once for each"),
    ],
)
def test_what_only_a_batch_shows_is_unheld(
    project: Project, tmp_path: Path, bodies: tuple[str, ...], verdict: Verdict, because: str
) -> None:
    text = "app: a\njobs:\n  f: {code: h.py#f, when: [{line: q, size: 10}]}\n"
    sample = MESSAGES.format(*bodies)
    folder = project(
        {"ostermere.yaml": text, "h.py": "from ostermere import lines\n" + BATCH, "samples/f/s.yaml": sample}
    )
    carry(folder, to="thornwick", out=tmp_path / "there")
    (one,) = check(tmp_path / "there").checked
    assert one.verdict is verdict, one
    assert because in " ".join(one.reasons)


UNCHECKED = [
    ("kind: message\nevent: {channel: other}\n", "its trigger is on channel 'q', and this comes from 'other'"),
    ("kind: signal\nevent: {name: x}\n", "f has no signal trigger"),
    ("kind: message\nevents: []\n", "the sample holds no event"),
]


@pytest.mark.parametrize(("sample", "why"), UNCHECKED)
def test_a_sample_for_another_function_is_unchecked(project: Project, tmp_path: Path, sample: str, why: str) -> None:
    text = "app: a\njobs:\n  f: {code: h.py#f, when: [{line: q}]}\n"
    folder = project({"ostermere.yaml": text, "h.py": "def f(e, c): pass\n", "samples/f/s.yaml": sample})
    carry(folder, to="thornwick", out=tmp_path / "there")
    (one,) = check(tmp_path / "there").checked
    assert (one.verdict, one.reasons) == (Verdict.UNCHECKED, (why,))


# --- samples that can be read by people -------------------------------------------------------------------------------

REFUSED = [
    ("kind: objekt\nevent: {}\n", 1, "there is no kind 'objekt' (did you mean 'object'?)"),
    ("event: {}\n", 1, "the kind is missing"),
    ("kind: signal\n", 1, "a sample has one of event, events and native, not none of them"),
    ("kind: signal\nevent: {}\nnative: {}\n", 3, "not event and native"),
    ("kind: object\nevent:\n  buket: a\n", 3, "there is no 'buket' here (did you mean 'bucket'?)"),
    ("kind: object\nevent:\n  size: large\n", 3, 'size is "large", which is no integer or nothing'),
    ("kind: message\nevent:\n  body: {base64: '?'}\n", 3, "the content is not Base64"),
    ("kind: message\nevent:\n  body: 7\n", 3, "the content is 7"),
    ("kind: http\nevents: [{}, {}]\n", 2, "HTTP requests don't come in batches"),
    ("kind: signal\nevent: {}\nbefore:\n  objekts: []\n", 4, "did you mean 'objects'?"),
    ("kind: signal\nevent: {}\nbefore:\n  objects:\n    - {bucket: a}\n", 5, "has no key"),
    ("kind: signal\nevent: {}\nanswers:\n  - {status: 200}\n", 4, "url of an answer is null"),
    ("kind: signal\nevent: {}\nanswers:\n  - {url: 'http://a', status: 99}\n", 4, "status of an answer is 99"),
    ("- 1\n", 1, "the sample is not a mapping"),
]


@pytest.mark.parametrize(("text", "line", "says"), REFUSED)
def test_a_sample_that_can_not_stand_is_told_by_its_line(tmp_path: Path, text: str, line: int, says: str) -> None:
    (tmp_path / "s.yaml").write_text(text)
    with pytest.raises(BadInput) as error:
        read_readable(tmp_path / "s.yaml", "s.yaml", "f/s.yaml")
    assert says in str(error.value)
    assert error.value.place.line == line


def test_samples_may_be_native_of_any_provider_or_cloudevents(
    project: Project, tmp_path: Path, ported: Callable[[str], Path]
) -> None:
    native = {"mark": "1", "about": "post", "moment": "", "lane": "q", "read()": "x", "media": "", "notes": {}}
    cloud = "POST / HTTP/1.1\r\nhost: a\r\nce-specversion: 1.0\r\nce-id: 2\r\nce-type: message_sent\r\n"
    cloud += (
        "ce-source: /channels/q\r\nce-attributes: {%22a%22:%22%C3%BC%22}\r\nce-attempt: 2\r\ncontent-length: 1\r\n\r\nx"
    )
    samples = {
        "samples/f/other.yaml": f"from: thornwick@1\nnative: { ({**native, 'file_in': '', 'turn': 1}) }\n",
        "samples/f/cloud.http": cloud,
    }
    text = "app: a\njobs:\n  f: {code: h.py#f, when: [{line: q}]}\n"
    handler = "from ostermere import lines\ndef f(e, c):\n    for one in e['batch']:\n"
    handler += "        lines.post('q', one['text'], notes=one['notes'])\n"
    folder = project({"ostermere.yaml": text, "h.py": handler, **samples})
    carry(folder, to="thornwick", out=tmp_path / "there", style="wrapped")
    result = check(tmp_path / "there")
    assert [(one.sample, one.verdict, one.got) for one in result.checked] == [
        ("cloud.http", Verdict.SAME, "acknowledged, 1 effect"),
        ("other.yaml", Verdict.SAME, "acknowledged, 1 effect"),
    ]


# --- from and to coroutines -------------------------------------------------------------------------------------------

WEIGHED = 'POST /hives/h%2F7/weight?day=a&day=b HTTP/1.1\r\nHost: a\r\nContent-Length: 8\r\n\r\n{"w": 1}'
COROUTINES = {
    "brackendale.json": """
{"service": "apiary", "functions": {
  "weigh": {"module": "h.py:weigh", "timeout": 5, "on": [{"pattern": "/hives/:hive/weight", "methods": ["POST"]}]},
  "copy": {"module": "h.py:copy", "on": [{"store": "sheets", "prefix": "north/", "verbs": ["put"]}]},
  "letters": {"module": "h.py:letters", "on": [{"channel": "letters"}]}
}}
""",
    "h.py": """
import asyncio
import json
from brackendale import Response


async def weigh(request, services):
    old, data = await asyncio.gather(services.records.get("hives", request.groups), request.json())
    await services.records.put("hives", request.groups, {**(old or {}), **data})
    services.log("weighed", hive=request.groups["hive"])
    return Response(json.dumps({"was": old, "days": request.url.params.getAll("day")}), 201, [("x-a", "1")])


async def copy(happening, services):
    content = await services.objects.get(happening.object.store, happening.object.key)
    if content is None:
        raise LookupError(happening.object.key)
    await services.objects.put("copies", happening.object.key, content, media=happening.object.type)


async def letters(happening, services):
    await services.messages.send("out", (await happening.bytes()).upper(), headers=happening.headers)
""",
    "samples/weigh/one.http": WEIGHED,
    "samples/weigh/known.yaml": """
kind: http
event: {method: POST, path.raw: /hives/h-7/weight, body: {json: {w: 2}}}
before: {records: [{table: hives, keys: {hive: h-7}, record: {w: 1, of: blue}}]}
""",
    "samples/copy/one.yaml": """
kind: object
event: {bucket: sheets, key: north/a b.csv, content_type: text/csv}
before: {objects: [{bucket: sheets, key: north/a b.csv, body: {base64: /w==}}]}
""",
    "samples/copy/gone.yaml": "kind: object\nevent: {bucket: sheets, key: north/a.csv}\n",
    "samples/letters/two.yaml": "kind: message\nevents: [{channel: letters, body: a, attributes: {b: c}}, "
    "{channel: letters, body: b}]\n",
}


@pytest.mark.parametrize("to", ["ostermere", "thornwick", "wsgi", "asgi", "cgi"])
def test_coroutines_are_carried_to_handlers_that_are_none_and_to_others(
    project: Project, tmp_path: Path, to: str
) -> None:
    crossing = carry(project(COROUTINES), to=to, out=tmp_path / "there")
    result = check(tmp_path / "there")
    assert result.good, [(one.sample, one.differences, one.reasons) for one in result.checked if one.differences]
    standards = to in ("wsgi", "asgi", "cgi")
    assert len(result.checked) == (2 if standards else 5)
    assert crossing.blocking is standards  # two functions were left behind


def test_handlers_that_are_no_coroutines_are_carried_to_a_provider_of_coroutines(tmp_path: Path) -> None:
    crossing = carry(PROJECT, to="brackendale", out=tmp_path / "there")
    assert crossing.record.left_behind == []
    (held,) = [finding for finding in crossing.findings if finding.code == "filter-wider"]
    assert (str(held.severity), held.field, held.place.line) == ("blocking", "filter", 27)
    result = check(tmp_path / "there")
    differs = [one.sample for one in result.checked if one.verdict is not Verdict.SAME]
    # Its other sample starts no workflow, which is what can't be done there, and told beforehand.
    assert (differs, len(result.checked)) == (["good-day.yaml"], 30)
    assert any(f.code == "client-not-carried" and f.field == "function.start" for f in crossing.findings)


MIXED = """
def f(event, ctx):
    if event["kind"] == "web":
        return event["call"]["search"]
    return {"again": [entry["ticket"] for entry in event["batch"]]} if event["kind"] == "line" else None
"""


@pytest.mark.parametrize("to", ["thornwick", "brackendale", "ostermere@2"])
def test_a_function_with_triggers_of_several_kinds_tells_its_events_apart(
    project: Project, tmp_path: Path, to: str
) -> None:
    samples = {
        "samples/f/a.yaml": "kind: message\nevent: {channel: q, body: x}\n",
        "samples/f/b.http": "GET /x?a=b HTTP/1.1\r\nHost: a\r\n\r\n",
        "samples/f/c.yaml": "kind: signal\nevent: {name: x}\n",
    }
    text = "app: a\njobs:\n  f: {code: h.py#f, when: [{line: q}, {web: GET /x}, {bell: x}]}\n"
    crossing = carry(project({"ostermere.yaml": text, "h.py": MIXED, **samples}), to=to, out=tmp_path / "there")
    assert not crossing.blocking
    result = check(tmp_path / "there")
    assert [(one.verdict, one.got.partition(",")[0]) for one in result.checked] == [
        (Verdict.SAME, "failed" if to == "ostermere@2" else "failed: DeliverAgain: f/a.yaml"),
        (Verdict.SAME, "replied 200"),
        (Verdict.SAME, "acknowledged"),
    ]


#: Operation → how it is called at Ostermere, and what its answer is with what the sample says.
OPERATED: dict[str, tuple[str, Any]] = {
    "object.list": ("stores.list('charts', begins=name)", ["oak/a", "oak/b"]),
    "record.add": (
        "[books.add('visits', {'name': name}, 'n'), books.add('visits', {'name': name}, 'w', 2.5)]",
        [5, 2.5],
    ),
    "signal.send": ("bells.ring('counted', about=name, content={'n': 1})", None),
    "function.call": ("jobs.call('price', {'name': name})['cents']", 420),
}
CALLED = """kind: http
event: {method: GET, path.raw: /NAME/oak}
before:
  objects:
    - {bucket: charts, key: oak/b, body: x}
    - {bucket: charts, key: oak/a, body: x}
    - {bucket: charts, key: elm, body: x}
  records: [{table: visits, keys: {name: oak}, record: {n: 4}}]
  functions: [{name: price, answer: {cents: 420}}]
"""


@pytest.mark.parametrize("style", ["native", "wrapped"])
@pytest.mark.parametrize(
    "to", some(["wsgi", "marrowby@2", "quillhaven", "brackendale", "thornwick@2", "ostermere@2"], 3)
)
def test_what_is_done_to_services_is_done_everywhere_or_told(
    project: Project, tmp_path: Path, to: str, style: str
) -> None:
    there = find_profile(to)
    names = {one: one.replace(".", "_") for one in OPERATED}
    files: dict[str, str | bytes] = {"ostermere.yaml": definition(**{name: f"h.py#{name}" for name in names.values()})}
    code = "import json, sys\nfrom ostermere import bells, books, jobs, stores\n"
    for one, (call, _) in OPERATED.items():
        name = names[one]
        code += f"def {name}(event, ctx):\n    name = 'oak'\n    print(json.dumps({call}), file=sys.stderr)\n"
        files[f"samples/{name}/one.yaml"] = CALLED.replace("NAME", name)
    crossing = carry(project({**files, "h.py": code}), to=to, out=tmp_path / "there", source="ostermere@1", style=style)
    told = {finding.field for finding in crossing.findings if finding.code == "client-not-carried"}
    assert told == OPERATED.keys() - there.operations.keys()
    for done in check(tmp_path / "there").checked:
        operation = done.function.replace("_", ".")
        assert (done.verdict is Verdict.SAME) == (operation not in told), (done.differences, done.reasons)
        assert operation in told or json.loads(done.output) == OPERATED[operation][1]


#: A handler that prints in every way there is.
PRINTS = """
import os
import subprocess
import sys

print("at import")


def f(event, ctx):
    print("in the handler")
    sys.stdout.write("more\\n")
    os.write(1, b"below Python")
    subprocess.run(["echo", "from a program"], check=False)
    return event["call"]["verb"]
"""


@pytest.mark.parametrize("style", ["native", "wrapped"])
@pytest.mark.parametrize("to", some(["cgi", "wsgi", "fennick"], 3))
def test_what_a_handler_prints_is_no_part_of_its_answer(project: Project, tmp_path: Path, to: str, style: str) -> None:
    sample = "kind: http\nevent: {method: GET, path.raw: /f/a}\n"
    folder = project({"ostermere.yaml": definition(f="h.py#f"), "h.py": PRINTS, "samples/f/one.yaml": sample})
    carry(folder, to=to, out=tmp_path / "there", source="ostermere@1", style=style)
    result = check(tmp_path / "there")
    assert (result.good, result.checked[0].got) == (True, "replied 200")
