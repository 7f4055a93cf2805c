"""What a handler does with its event unseen comes out the same, or a finding tells so at its line; never neither."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

import pytest
from conftest import ROOT, Project, declaring, some

from vast_ferry import Verdict, carry, check
from vast_ferry.hub.functions import Entry, EventTrigger, Function, RouteTrigger

WAYS = ROOT / "tests" / "projects" / "ways"
#: file of handlers, a letter each (or a word behind `way_`) → where they are written for, and where they go
FILES = {
    "first": ("ostermere@1", ["thornwick", "marrowby", "brackendale", "quillhaven", "wsgi", "asgi"]),
    "second": ("ostermere@1", ["thornwick", "marrowby", "brackendale", "quillhaven", "wsgi", "asgi"]),
    "batches": ("ostermere@1", ["thornwick", "marrowby", "brackendale", "quillhaven", "ostermere@2"]),
    "asynchronous": ("brackendale@1", ["thornwick", "ostermere@1", "wsgi", "asgi"]),
    "rebound": ("thornwick@2", ["ostermere@1", "brackendale", "marrowby"]),
    "turning": ("ostermere@1", ["thornwick"]),
    "holding": ("ostermere@1", ["marrowby", "wsgi"]),
    "answering": ("ostermere@1", ["thornwick", "wsgi"]),
    "replying": ("thornwick@2", ["wsgi"]),
    "serving": ("ostermere@1", ["thornwick", "brackendale"]),
    "waiting": ("brackendale@1", ["thornwick", "asgi"]),
    "generating": ("ostermere@1", ["thornwick", "brackendale", "asgi"]),
    "tables": ("ostermere@1", ["thornwick", "brackendale", "marrowby", "wsgi"]),
    "handed": ("ostermere@1", ["thornwick", "brackendale", "asgi"]),
    "lists": ("ostermere@1", ["thornwick", "brackendale", "asgi"]),
    "partials": ("ostermere@1", ["thornwick", "brackendale", "asgi"]),
    "mixed": ("ostermere@1", ["thornwick", "brackendale", "wsgi"]),
    "listed": (
        str(ROOT / "tests" / "profiles" / "flagstone-1.yaml"),
        ["ostermere@1", "thornwick", "brackendale", "wsgi"],
    ),
    "pairs": ("marrowby@1", ["ostermere@1", "thornwick", "brackendale", "quillhaven", "wsgi", "asgi"]),
    "plain": ("thornwick@2", ["ostermere@1", "brackendale", "quillhaven", "wsgi"]),
}
#: files of which all is rewritten, but for these handlers at a target
REWRITTEN: dict[str, dict[str, set[str]]] = {
    "handed": {},
    "lists": {},
    "partials": {},
    "generating": {"brackendale": {"g", "k", "l"}},
}
BODY = b'{"bad": 3}'


def requests(name: str) -> dict[str, str | bytes]:
    """Return two requests to a function: one with a query and header fields that repeat, one with content."""
    head = f"GET /{name}/x?day=mon&day=tue HTTP/1.1\r\nHost: a.example\r\nX-A: 1\r\nX-A: 2\r\nCookie: k=v\r\n\r\n"
    put = f"PUT /{name}/x HTTP/1.1\r\nHost: a.example\r\nContent-Type: application/json\r\n"
    put += f"Content-Length: {len(BODY)}\r\n\r\n"
    return {f"samples/{name}/get.http": head.encode(), f"samples/{name}/put.http": put.encode() + BODY}


def deliveries(name: str) -> dict[str, str | bytes]:
    """Return two deliveries to a function: a batch of one, and one of two of which one is no JSON."""
    one = f"{{channel: q-{name}, body: {{json: {{jars: 3}}}}, attributes: {{a: b}}, id: l-1}}"
    other = f"{{channel: q-{name}, body: not json, id: l-2, content_type: text/plain, group: g, attempt: 2}}"
    return {
        f"samples/{name}/one.yaml": f"kind: message\nevents: [{one}]\n",
        f"samples/{name}/two.yaml": f"kind: message\nevents: [{one}, {other}]\n",
    }


def with_services(name: str) -> dict[str, str | bytes]:
    """Return two requests to a function, before which services hold something."""
    held = "before:\n  objects:\n    - {bucket: b, key: k.json, body: '{\"n\": 3}'}\n"
    held += "    - {bucket: b, key: m.txt, body: x}\n"
    held += "  records: [{table: t, keys: {id: 1}, record: {n: 4, id: 1}}]\n"
    asked = {"get": "GET", "put": "PUT"}
    return {
        f"samples/{name}/{word}.yaml": f"kind: http\nevent: {{path.raw: /{name}/x, method: {method}}}\n{held}"
        for word, method in asked.items()
    }


def function(name: str, file: str) -> Function:
    """Return a handler of a file as it would be declared."""
    entry = Entry("h.py", name)
    if file == "batches":
        return Function(name, entry, (EventTrigger("message", f"q-{name}", batch_size=5),))
    return Function(name, entry, (RouteTrigger(f"/{name}/{{one}}", ("GET", "PUT"), "public"),))


SAMPLES = {
    "batches": deliveries,
    "serving": with_services,
    "tables": with_services,
    "handed": with_services,
    "lists": with_services,
    "partials": with_services,
    "mixed": with_services,
    "generating": with_services,
    "waiting": with_services,
}


@pytest.mark.parametrize(
    ("file", "to"), some([(file, to) for file, (_, there) in FILES.items() for to in there], 80), ids=str
)
def test_whatever_is_done_with_an_event_comes_out_the_same(
    project: Project, tmp_path: Path, file: str, to: str
) -> None:
    code = (WAYS / f"{file}.py").read_text()
    names = re.findall(r"^(?:async )?def (\w|way_\w+)\(", code, re.MULTILINE)
    source = FILES[file][0]
    files = declaring(source, *(function(name, file) for name in names), py=code)
    for name in names:
        files.update(SAMPLES.get(file, requests)(name))
    crossing = carry(project(files), to=to, out=tmp_path / "out", source=source)
    ours = {"wrapped-could-not-write", "wrapped-could-not-follow"}
    assert not ours & {finding.code for finding in crossing.findings}
    wrapped = {one.name for one in crossing.record.functions if one.style == "wrapped"}
    assert file not in REWRITTEN or wrapped == REWRITTEN[file].get(to, set())
    result = check(tmp_path / "out")
    assert len(result.checked) == 2 * len(names) > 12
    untold = [one for one in result.checked if one.verdict not in (Verdict.SAME, Verdict.UNHELD)]
    assert not untold, untold[0]


def of_one(
    code: str, samples: dict[str, str | bytes], source: str = "ostermere@1", kind: str = "first"
) -> dict[str, str | bytes]:
    """Return a project of one handler, `a`."""
    return {**declaring(source, function("a", kind), py=code), **samples}


def beside(file: str, code: str) -> str:
    """Return code below those definitions of a file that it names: what a handler does not name is not there."""
    head, said, *blocks = (WAYS / f"{file}.py").read_text().strip().split("\n\n\n")
    names = [re.findall(r"^(?:class|def) (\w+)", one, re.MULTILINE)[0] for one in blocks]
    asked = [one for one, name in zip(blocks, names, strict=True) if re.search(rf"\b{name}\b", code)]
    more = [one for one, name in zip(blocks, names, strict=True) if any(name in each for each in asked)]
    return "\n\n\n".join([head, said, *(one for one in blocks if one in asked or one in more), code])


#: What a handler says of objects that keep its event, each a line: only parts of it …
PARTS = """
Request(event).path + Request(event).header("x-a")
isinstance(Request(event), Request) and Request(event).itself().itself().path
f"{Asked(event).path}/{Asked(event).header('X-A')!r:>10}{Asked(event).header('x-b', 'none')}{Asked(event).path=}"
f'''{Asked(event).path}"q" {Asked(event).header("x-a")} {f'{Asked(event).path}'}'''
"""
#: … or something for which the event has to be what it was.
WHOLE = """
Request(event)
f"{Request(event)!r}"
maybe(event)
Request(event) == Request(event)
[Request(event)] == [Request(event)]
Request(event) in [Request(event)]
lost() + lost(Request(event))
Outer(Request(event))
Holder(Request(event)).show()
json.dumps(asdict(Request(event)), sort_keys=True)
replace(Request(event), event={"x": 1})
"{}".format(Request(event)) + "%s" % Request(event)
Shown(event).shown()
Request(event) or None
[one.path for one in gives(event)] + [str(one) for one in gives(event)]
Numbered(1, event) < Numbered(2, event) if event["call"]["search"] else Numbered(1, event).number
two(Request(event), Request(event))
(one := {"one": Request(event)})["one"].path + str(one)
(one := [Request(event)]).append(Request(event)) or one[0] == one[1]
(lambda: str(Request(event)))() + Request(event).path
[one := Request(event), str(one)][1:]
raised(Request(event)) + matched(Request(event)) + bound_again(event)
ctx.note("seen", request=str(Request(event).itself())) or logging.warning("%s", Request(event))
"""
KEPT = [(line, made) for lines, made in ((PARTS, False), (WHOLE, True)) for line in lines.strip().split("\n")]


@pytest.mark.parametrize(("line", "made"), some(KEPT, 18))
@pytest.mark.parametrize("to", ["thornwick", "wsgi"])
def test_objects_that_keep_an_event_show_what_it_was(
    project: Project, tmp_path: Path, line: str, made: bool, to: str
) -> None:
    code = beside("shown", f"def a(event, ctx):\n    return say({line})\n")
    crossing = carry(project(of_one(code, requests("a"))), to=to, out=tmp_path / "out")
    whole = [one.code for one in crossing.findings if one.code.startswith("made-") and "whole event" in one.reason]
    assert bool(whole) == made
    assert {one.verdict for one in check(tmp_path / "out").checked} <= {Verdict.SAME, Verdict.UNHELD}


#: A handler that has to be wrapped, for its code runs a text, and imports services that it never calls.
#: Decorators of functions that are no handlers: what is done with what they are given can be written out, or …
WRITTEN_OUT = ["default", "named", "twice", "told()", "own", "other", "listed"]
#: … not, for it depends on how they were called, or is kept.
HIDING = ["cut", "popped", "shown", "counted", "cached", "yielding", "taken", "itself", "by_lambda", "by_class"]
HIDING += ["with_first", "cache", "never", "later"]
DECORATED = """@{0}
def asked(event, word="day"):
    if not event:
        raise LookupError(word)
    return event["call"]["first"].get(word)


@{0}
def row(word="n", *more):
    return books.read("t", {{"id": 1}})[word.lower()]


class Store:
    @{0}
    def path(self, event, word="x"):
        return event["call"]["path"] + word


def a(event, ctx):
    found = [asked(event), asked(event, "x"), asked(event, word="day"), row("n"), row("id", "n")]
    return said([*found, Store().path(event), Store().path(event=event), Store().path(event, "y")])
"""


@pytest.mark.parametrize("to", ["thornwick", "brackendale"])
@pytest.mark.parametrize("decorator", some([*WRITTEN_OUT, *HIDING], 18))
def test_decorators_of_helpers_do_what_they_did(project: Project, tmp_path: Path, decorator: str, to: str) -> None:
    code = beside("decorating", DECORATED.format(decorator))
    crossing = carry(project(of_one(code, with_services("a"))), to=to, out=tmp_path / "out")
    written = any(one.code == "decorator-written-out" for one in crossing.findings)
    assert written == (decorator in WRITTEN_OUT) or to == "thornwick"
    assert crossing.record.functions[0].style == ("native" if written or to == "thornwick" else "wrapped")
    assert {one.verdict for one in check(tmp_path / "out").checked} == {Verdict.SAME}


KIT = {
    "kit.py": """import logging
from functools import wraps

from ostermere import books


def logged(function):
    @wraps(function)
    def inner(*args, **kwargs):
        logging.info("calling %s", function.__name__)
        return function(*args, **kwargs)
    return inner


@logged
def query(event, name, default=None):
    return event["call"]["first"].get(name, default)


@logged
def row(key):
    return books.read("t", {"id": key})
""",
    "h.py": """import kit
from kit import query, row


def a(event, ctx):
    return f"{query(event, 'day')} {row(1)} {kit.query(event, 'x', default='n')}"
""",
}


TOGETHER = {
    "kit.py": """def retry(times=3):
    def decorate(function):
        def wrapper(*args, **kwargs):
            for attempt in range(1, times + 1):
                try:
                    return function(*args, **kwargs)
                except ConnectionError:
                    if attempt == times:
                        raise
        return wrapper
    return decorate


def reply(body, code=200, tag=None):
    fields = {"content-type": "text/plain"}
    if tag:
        fields["etag"] = tag
    return {"code": code, "fields": fields, "content": str(body)}
""",
    "h.py": """from functools import cached_property, partial

from kit import reply, retry
from ostermere import books

not_found = partial(reply, code=404)


class Row:
    def __init__(self, key):
        self.key = key

    @cached_property
    def row(self):
        return fetch("t", {"id": self.key})

    @property
    def tag(self):
        return f'"{self.row["n"]}"'


@retry(times=2)
def fetch(book, key):
    return books.read(book, key)


def a(event, ctx):
    row = Row(1 if event["call"]["verb"] == "GET" else event["call"]["slots"]["one"])
    return reply(row.row, tag=row.tag) if row.row else not_found(row.key)
""",
}


@pytest.mark.parametrize(
    ("files", "to", "told"),
    [
        *((KIT, to, {"decorator-written-out"}) for to in ("thornwick", "brackendale", "wsgi")),
        (TOGETHER, "brackendale", {"property-called", "decorator-written-out", "in-full"}),
    ],
)
def test_what_helpers_hide_in_another_file_and_together_is_followed(
    project: Project, tmp_path: Path, files: dict[str, str], to: str, told: set[str]
) -> None:
    crossing = carry(project({**of_one("", with_services("a")), **files}), to=to, out=tmp_path / "out")
    assert [one.style for one in crossing.record.functions] == ["native"]
    codes = {one.code for one in crossing.findings}
    assert told <= codes
    assert not [one for one in codes if one.startswith(("made-", "wrapped-"))]
    assert {one.verdict for one in check(tmp_path / "out").checked} == {Verdict.SAME}


#: What is done with lists of functions beyond going through them: their functions get the event as it was.
LISTS = """
ACTIONS["GET"][0]("x", event)
[one("p", event) for one in ACTIONS["GET"] + [tag]]
[one("p", event) for one in [*ACTIONS["GET"], tag]]
[one("p", event) for one in sorted(ACTIONS["GET"], key=lambda one: one.__name__)]
[one("p", event) for one in ACTIONS.get(event["call"]["verb"], [tag])]
[one("p", event) for one in ACTIONS.get("POST") or [tag]]
[one("p", event) for one in (ACTIONS["GET"] if event["call"]["search"] else [])]
[one("p", event) for one in dict(ACTIONS)["GET"]]
[one(number, event) for one, number in zip(ACTIONS["GET"], "ab")]
ACTIONS["POST"].append(tag) or [one("n", event) for one in ACTIONS["POST"]][:1]
[len(ACTIONS["GET"]), warn in ACTIONS["GET"], [one.__name__ for one in ACTIONS["PUT"]], ACTIONS["POST"] == []]
(one := ACTIONS["PUT"])[0]("o", event) + str([each("n", event) for each in one])
[one("n", event) for one in [one for one in ACTIONS["GET"]]]
(lambda several: [one("n", event) for one in several])(ACTIONS["GET"])
[one for one in [1]] + [one("n", event) for one in ACTIONS["GET"]] + [one for one in [2]]
"""
#: The same in statements.
IN_STATEMENTS = """
actions = ACTIONS["GET"]; return str([one("s", event) for one in actions[:1]])
actions = ACTIONS.get("GET", []); return str(actions.pop()("s", event)) if actions[1:] else "none"
for one in ACTIONS["PUT"]: one("p", event)
    for one in [note]: pass
    return one("b", event)
for _, actions in ACTIONS.items(): found = len(actions) > 1 and str(actions[-1]("i", event))
    return str(found)
"""


@pytest.mark.parametrize("line", some(re.split(r"\n(?! )", (LISTS + IN_STATEMENTS).replace("\n\n", "\n").strip()), 5))
@pytest.mark.parametrize("to", ["thornwick", "brackendale"])
def test_lists_of_functions_may_be_used_in_any_way(project: Project, tmp_path: Path, line: str, to: str) -> None:
    body = line if "return" in line else f"return str({line})"
    code = (WAYS / "lists.py").read_text().partition("RULES = ")[0] + f"\n\ndef a(event, ctx):\n    {body}\n"
    carry(project(of_one(code, with_services("a"))), to=to, out=tmp_path / "out")
    assert {one.verdict for one in check(tmp_path / "out").checked} == {Verdict.SAME}


#: What reads properties that call services: where it is seen, they are methods at a target that waits …
READ = """
Row(1).n
told(Row(1)) + str(Row(1).row["id"])
(row := Row(1)).row["n"] + row.row["n"] + row.n
[Row(1).n + Row(1).n, Row(1).row, len(CALLS)]
f"{Row(1).n}/{Row(1).n + 1:>4}/{Row(1).row!r}" if Row(1).n else "none"
Row(1).n + Other().n + Other.row
Named(1).name + Named(1).name
Row(2).n
"""
#: … or it may read any, and they stay what they are.
READ_UNSEEN = """
getattr(Row(1), "n")
getattr(Row(1), event["call"]["first"].get("day", "n"), "none")
hasattr(Row(2), "row")
"{0.n} {0.key}".format(Row(1))
"{row.n}".format(row=Row(1))
operator.attrgetter("n")(Row(1))
sorted([Row(1), Row(1)], key=lambda row: row.n)[0].n
[one.n for one in [Row(1), Other()]]
max(Row(1), Counted(1), key=lambda one: one.n).n
Counted(1).n
Set(1).n
Alias().same
Row.n.fget(Row(1))
vars(Row(1))
gone(Row(1))
given(Row(1))
cased(Row(1))
placed(Matched(2, 't'))
Set(1).row
str(Kept().row) + Kept()._row
Frozen(1).there
Lazy(1).there
stored(Set2())
(lambda row: row.n)(Row(1))
list(map(told, [Row(1)]))
Second().shown(event)
Second().given(event)
"""
PROPERTIES = [
    (line, seen) for lines, seen in ((READ, True), (READ_UNSEEN, False)) for line in lines.strip().split("\n")
]


@pytest.mark.parametrize(("line", "seen"), some(PROPERTIES, 12))
def test_properties_that_wait_are_methods_where_all_that_reads_them_is_seen(
    project: Project, tmp_path: Path, line: str, seen: bool
) -> None:
    code = f"def a(event, ctx):\n    try:\n        return str({line})\n"
    code += "    except LookupError as error:\n        return repr(error)\n"
    files = of_one(beside("properties", code), with_services("a"))
    crossing = carry(project(files), to="brackendale", out=tmp_path / "out")
    assert [one.style for one in crossing.record.functions] == ["native" if seen else "wrapped"]
    assert seen == any(one.code == "property-called" for one in crossing.findings)
    assert {one.verdict for one in check(tmp_path / "out").checked} == {Verdict.SAME}


UNUSED = """import ostermere
from ostermere import books, lines as later, stores


def a(event, ctx):
    return {"code": 200, "content": eval("event['call']['path']")}
"""


@pytest.mark.parametrize("to", ["thornwick", "brackendale", "wsgi"])
def test_what_a_wrapped_handler_imports_and_never_uses_is_there(project: Project, tmp_path: Path, to: str) -> None:
    crossing = carry(project(of_one(UNUSED, requests("a"))), to=to, out=tmp_path / "out")
    assert {one.style for one in crossing.record.functions} == {"wrapped"}
    assert [one.verdict for one in check(tmp_path / "out").checked] == [Verdict.SAME] * 2


#: Statements that give a handler: all of them are written as functions.
GIVEN = ["with_errors(core)", "with_errors(only('GET')(core))", "partial(more, 't', shown='id')", "core"]
GIVEN += ["Shown('t')", "only('PUT')(partial(more, 't'))"]
GIVEN = [f"a = {one}" for one in GIVEN]
GIVEN += [f"notes = Notes('t')\na = {one}" for one in ("notes.dispatch", "with_errors(notes.dispatch)")]
#: The same where a name means something else later: a statement holds what it was then.
GIVEN_THEN = ["table = 't'\na = partial(more, table)\ntable = 'u'", "kept = core\na = with_errors(kept)\nkept = None"]
GIVEN_THEN += [
    "table = 't'\nmine = partial(more, table)\ntable = 'u'\n\n\ndef a(event, ctx):\n    return mine(event, ctx)"
]


@pytest.mark.parametrize("to", ["thornwick", "brackendale", "asgi"])
@pytest.mark.parametrize(
    ("given", "then"), some([*((one, False) for one in GIVEN), *((one, True) for one in GIVEN_THEN)], 4)
)
def test_a_handler_that_a_statement_gives_is_one(
    project: Project, tmp_path: Path, given: str, then: bool, to: str
) -> None:
    crossing = carry(project(of_one(beside("given", f"{given}\n"), with_services("a"))), to=to, out=tmp_path / "out")
    assert then or {one.style for one in crossing.record.functions} == {"native"}
    assert then or not [one for one in crossing.findings if one.code.startswith("made-")]
    assert [one.verdict for one in check(tmp_path / "out").checked] == [Verdict.SAME] * 2


PACKAGE = {
    "shop/__init__.py": """from . import web
from .web import told


def a(event, ctx):
    return web.told(200, event["call"]["path"])


def b(event, ctx):
    if (bad := web.check(event)) is not None:
        return bad
    return told(200, "fine")
""",
    "shop/web.py": """import json


def told(code, text):
    return {"code": code, "fields": {"content-type": "application/json"}, "content": json.dumps({"text": text})}


def check(event):
    return told(405, "no") if event["call"]["verb"] != "GET" else None
""",
    "shop/c.py": """import shop.web as web
from shop import web as other


def c(event, ctx):
    return web.told(201, other.check(event) is None)
""",
}


def in_a_package(folder: str) -> dict[str, str | bytes]:
    """Return a project whose handlers stand in a package, one of them in the package itself."""
    entries = (("a", "__init__"), ("b", "__init__"), ("c", "c"))
    functions = tuple(replace(function(name, "h"), entry=Entry(f"{folder}/{file}.py", name)) for name, file in entries)
    files = declaring("ostermere@1", *functions)
    files |= {path.replace("shop", folder): text.replace("shop", folder) for path, text in PACKAGE.items()}
    for name, _ in entries:
        files |= requests(name)
    return files


@pytest.mark.parametrize("to", ["thornwick", "wsgi"])
def test_modules_of_a_package_are_known_by_every_name(project: Project, tmp_path: Path, to: str) -> None:
    crossing = carry(project(in_a_package("shop")), to=to, out=tmp_path / "out", source="ostermere@1")
    assert {one.style for one in crossing.record.functions} == {"native"}
    result = check(tmp_path / "out")
    assert [one.verdict for one in result.checked] == [Verdict.SAME] * 6


#: Helpers that a wrapped handler (`w`, `x`: their code runs text) shares with handlers that are rewritten.
SHARED = {
    "common.py": """import json


def say(text, code=200):
    return {"code": code, "fields": {"content-type": "text/plain"}, "content": text}


def days(event, depth=2):
    if depth:
        return days(event, depth - 1)
    return [part for part in event["call"]["search"].split("&") if "day" in part]


def refused(event):
    return say("no", 405) if event["call"]["verb"] == "DELETE" else None


class Kept:
    event = None

    def way(self):
        return self.event["call"]["path"]
""",
    "h.py": """import common
from common import days, refused as bad
from common import say


def shown(event):
    return f"{event['call']['path']} {days(event)}"


def a(event, ctx):
    return bad(event) or say(shown(event))


def b(event, ctx):
    kept = common.Kept()
    kept.event = event
    return common.say(str(len(common.days(event, 1))) + kept.way())


def w(event, ctx):
    exec("x = 1")
    kept = common.Kept()
    kept.event = event
    if kept.way() == "/":
        return say("none")
    return bad(event) or say(shown(event) + str(list(map(len, [days(event)]))), 201)
""",
    "x.py": """from common import days
from h import shown


def x(event, ctx):
    say = exec("y = 1")
    return {"code": 200, "content": f"{shown(event)} {days(event)} {say}"}
""",
}


@pytest.mark.parametrize("to", some(["thornwick", "brackendale", "wsgi"], 3))
def test_a_helper_that_a_wrapped_handler_shares_stands_twice(project: Project, tmp_path: Path, to: str) -> None:
    entries = {"a": "h", "b": "h", "w": "h", "x": "x"}
    functions = tuple(replace(function(name, "h"), entry=Entry(f"{file}.py", name)) for name, file in entries.items())
    files = {**SHARED, **declaring("ostermere@1", *functions)}
    for name in entries:
        files |= requests(name)
    crossing = carry(project(files), to=to, out=tmp_path / "out", source="ostermere@1")
    assert [one.style for one in crossing.record.functions] == ["native", "native", "wrapped", "wrapped"]
    assert "made-as-it-was" not in {one.code for one in crossing.findings}
    twice = {(one.place.file, one.place.line) for one in crossing.findings if one.code == "stands-twice"}
    assert twice == {("common.py", 4), ("common.py", 8), ("common.py", 14), ("common.py", 18), ("h.py", 6)}
    assert "import days_as_it_was\n" in (tmp_path / "out/x.py").read_text()  # which uses no other
    assert [one.verdict for one in check(tmp_path / "out").checked] == [Verdict.SAME] * 8


@pytest.mark.parametrize("files", [in_a_package("app"), {"app.py": "x = 1\n"}], ids=["package", "file"])
def test_a_project_that_has_the_name_of_what_starts_it_is_started_by_another(
    project: Project, tmp_path: Path, files: dict[str, str]
) -> None:
    own = files if "ostermere.yaml" in files else {**in_a_package("own"), **files}
    made = carry(project(own), to="wsgi", out=tmp_path / "out", source="ostermere@1")
    assert [one.remedy for one in made.findings if one.code == "start-elsewhere"] == ["Start app_at_wsgi:application"]
    assert "`app_at_wsgi:application`" in (tmp_path / "out" / "app_at_wsgi.py").read_text()
    assert {one.verdict for one in check(tmp_path / "out").checked} == {Verdict.SAME}


#: A handler → what stands in what is carried, so that a person would have written it.
READS = {
    """def a(event, ctx):
    orders = [entry["text"] for entry in event["batch"]]
    print(orders, len(event["batch"]))
""": """    orders = [notice.text()]
    print(orders, 1)
""",
    """def a(event, ctx):
    entries = event["batch"]
    for entry in entries:
        print(entry["text"])
""": """def a(notice):
    print(notice.text())
""",
}


@pytest.mark.parametrize("code", READS)
def test_what_is_left_of_a_batch_reads_as_if_written_there(project: Project, tmp_path: Path, code: str) -> None:
    files = of_one(code, deliveries("a"), kind="batches")
    crossing = carry(project(files), to="thornwick", out=tmp_path / "out", source="ostermere@1")
    assert READS[code] in crossing.files["h.py"].decode()


def test_a_function_that_is_only_called_keeps_the_outputs_of_its_handler(project: Project, tmp_path: Path) -> None:
    code = 'import ostermere\n\n\ndef a(event, ctx):\n    ostermere.stores.put("seen", "all", "x")\n    return 1\n'
    files = declaring("ostermere@1", Function("a", Entry("h.py", "a"), ()), py=code)
    files["samples/a/one.yaml"] = "kind: call\nevents: [{data: {one: x}}]\n"
    carry(project(files), to="marrowby", out=tmp_path / "out", source="ostermere@1")
    assert [one.verdict for one in check(tmp_path / "out").checked] == [Verdict.SAME]


def test_json_in_another_charset_is_told(project: Project, tmp_path: Path) -> None:
    code = (
        'import json\n\n\ndef a(event, ctx):\n    return {"code": 200, "content": str(json.loads(event["content"]))}\n'
    )
    crossing = carry(project(of_one(code, {})), to="thornwick", out=tmp_path / "out", source="ostermere@1")
    assert (5, "json-in-utf-8") in [(one.place.line, one.code) for one in crossing.findings]


#: What a handler does with what it read → why it is wrapped.
CHANGED = {
    'request.params.every("day").append("x")': "event-changed",
    '(request.params.every("day") or []).append("x")': "event-changed",
    'request.parts.update(x="y")': "event-changed",
    'request.parts["x"] = "y"': "event-changed",
    "(lambda parts: parts.clear())(request.parts)": "event-changed",
    'print(request.path is request.parts["one"])': "identity",
    "S = request.path\n    print(request.path is S)": "identity",
    "with contextlib.nullcontext(request.parts) as held:\n        held.clear()": "event-changed",
    "match request.parts:\n        case {} as held:\n            held.clear()": "event-changed",
    'held = request.parts\n    held |= {"x": "y"}': "event-changed",
    'held = request.params.every("day")\n    held += ["x"]': "event-changed",
    "for held in [request.parts]:\n        held.clear()": "event-changed",
    "[request.parts][0].clear()": "event-changed",
    "(_, held) = (1, request.parts)\n    held.clear()": "event-changed",
    '{"a": request.parts}["a"].clear()': "event-changed",
    "[held.clear() for held in (request.parts,)]": "event-changed",
    "held = [request.parts]\n    held.pop().clear()": "event-changed",
    "list([request.parts])[-1].clear()": "event-changed",
}


@pytest.mark.parametrize("to", ["wsgi", "marrowby"])  # captures are one object there, as they are here
@pytest.mark.parametrize("line", some(CHANGED, 3))
def test_what_is_made_of_an_event_is_not_changed(project: Project, tmp_path: Path, line: str, to: str) -> None:
    shown = 'str([request.params.every("day"), sorted(request.parts.items())])'
    code = (
        f"import contextlib\nfrom thornwick import Reply\n\n\ndef a(request):\n    {line}\n    return Reply({shown})\n"
    )
    files = of_one(code, requests("a"), "thornwick@2")
    crossing = carry(project(files), to=to, out=tmp_path / "out", source="thornwick@2")
    found = [finding.code for finding in crossing.findings if finding.code.startswith("made-whole-")]
    assert crossing.record.functions[0].style == "native"
    assert found == [f"made-whole-{CHANGED[line]}"] or ("parts" in line and to == "marrowby" and not found)
    assert {one.verdict for one in check(tmp_path / "out").checked} == {Verdict.SAME}


#: What a handler awaits that is not its provider's.
WAITS = {
    "tasks": """import asyncio


async def one(services, n):
    await services.messages.send("work", str(n))
    await services.records.add("t", {"id": str(n)}, "n", 2)
    return n


async def a(request, services):
    tasks = [asyncio.create_task(one(services, n)) for n in range(2)]
    return Response(str(sum(await asyncio.gather(*tasks))))
""",
    "a manager": """import contextlib


@contextlib.asynccontextmanager
async def unit(services):
    kept = []
    yield kept
    for key, row in kept:
        await services.records.put("t", key, row)


async def a(request, services):
    async with unit(services) as kept:
        kept.append(({"id": 1}, {"verb": request.method}))
    return Response("done")
""",
    "an iterator": """class Pages:
    def __init__(self, services):
        self.services = services

    def __aiter__(self):
        return self.pages()

    async def pages(self):
        for key in await self.services.objects.list("b"):
            yield key


async def first(pages):
    async for page in pages:
        return page


async def a(request, services):
    return Response(str([page async for page in Pages(services)]) + str(await first(Pages(services).pages())))
""",
}


@pytest.mark.parametrize("to", some(["ostermere@2", "thornwick", "asgi"], 2))
@pytest.mark.parametrize("code", WAITS)
def test_a_coroutine_that_waits_for_its_own_things_stays_one(
    project: Project, tmp_path: Path, code: str, to: str
) -> None:
    files = of_one(f"from brackendale import Response\n{WAITS[code]}", with_services("a"), "brackendale@1")
    crossing = carry(project(files), to=to, out=tmp_path / "out", source="brackendale@1")
    assert crossing.record.functions[0].style == "native"
    assert ("own-loop" in {finding.code for finding in crossing.findings}) == (to != "asgi")
    assert {one.verdict for one in check(tmp_path / "out").checked} == {Verdict.SAME}
