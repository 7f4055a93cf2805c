"""What was carried to WSGI, ASGI and CGI runs on real servers, with nothing of Vast Ferry there, by the standards."""

from __future__ import annotations

import json
import os
import socket
import sqlite3
import subprocess
import sys
import textwrap
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any, get_type_hints

import httpx
import pytest
from asgiref.typing import HTTPScope
from conftest import Project, declaring, definition, some

from vast_ferry import HttpEvent, carry, find_profile
from vast_ferry.hub.functions import Entry, Function, RouteTrigger
from vast_ferry.mapping.compile.functions import translate_event
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.tables import HUB_EVENT
from vast_ferry.standins.process import stand_in_secret

#: Nothing that Vast Ferry brings along may be needed.
WITHOUT_US = (
    "import sys\n"
    "for name in ('vast_ferry', 'pydantic', 'yaml', 'tomlkit', 'jinja2', 'rich'): sys.modules[name] = None\n"
)
#: server → what runs on it, whether it offers the raw target, and how it is started
SERVERS = {
    "gunicorn": (
        "wsgi",
        True,
        "sys.argv = ['gunicorn', '-b', '127.0.0.1:PORT', 'app:application']\n"
        "from gunicorn.app.wsgiapp import run; run()",
    ),
    "waitress": (
        "wsgi",
        True,
        "from waitress import serve; from app import application\n"
        "serve(application, listen='127.0.0.1:PORT', threads=2, _quiet=True)",
    ),
    "wsgiref": (
        "wsgi",
        False,
        "from wsgiref.simple_server import make_server; from wsgiref.validate import validator\n"
        "from app import application\n"
        "make_server('127.0.0.1', PORT, validator(application)).serve_forever()",
    ),
    "uvicorn": (
        "asgi",
        True,
        "sys.path.insert(0, '')\nimport uvicorn; uvicorn.run('app:application', port=PORT, log_level='warning')",
    ),
    "paste": (
        "cgi",
        True,
        "from paste.cgiapp import CGIApplication; from waitress import serve\n"
        "serve(CGIApplication({}, 'app.cgi', path=['.']), listen='127.0.0.1:PORT', _quiet=True)",
    ),
    "lighttpd": ("cgi", True, "import os; os.execv('/usr/sbin/lighttpd', ['lighttpd', '-D', '-f', 'CONFIGURATION'])"),
}

#: Every request goes to the one program.
LIGHTTPD = """
server.modules = ("mod_rewrite", "mod_cgi", "mod_setenv")
server.document-root = "FOLDER"
server.bind = "127.0.0.1"
server.port = PORT
server.http-parseopts = ("url-normalize" => "disable")
url.rewrite-once = ("^/(.*)" => "/app.cgi/$1")
cgi.assign = (".cgi" => "")
setenv.set-environment = (ENVIRONMENT)
"""

EDGES = """
import json


def edge(event, ctx):
    name = event["call"]["slots"]["one"]
    if name == "content-of-nothing":
        return {"code": 304, "fields": {"content-type": "text/plain", "etag": '"1"'}, "content": "never sent"}
    if name == "nothing":
        return None
    if name == "cookies":
        return {"code": 200, "crumbs": ["a=1; Path=/", "b=2, 3", "a=4"], "fields": {"X-Twice": "1, 2"}, "content": "ok"}
    if name == "split":
        return {"code": 200, "fields": {"x-a": event["call"]["first"].get("v", "")}}
    if name == "framing":
        return {"code": 200, "fields": {"Content-Length": "999", "Transfer-Encoding": "chunked"}, "content": "ok"}
    return {"code": 200, "fields": {"content-type": "application/json"}, "content": json.dumps(event["call"])}
"""


@pytest.fixture(scope="module")
def edges(tmp_path_factory: pytest.TempPathFactory) -> Callable[[str], Path]:
    folder = tmp_path_factory.mktemp("edges")
    (folder / "project").mkdir()
    (folder / "project" / "ostermere.yaml").write_text(
        definition(edge="h.py#edge").replace("/edge/{one}", "/edge/{one*}")
    )
    (folder / "project" / "h.py").write_text(EDGES)
    for to in ("wsgi", "asgi", "cgi"):
        carry(folder / "project", to=to, out=folder / to)
    return lambda to: folder / to


def serve(server: str, folder: Path) -> Iterator[httpx.Client]:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    code = WITHOUT_US + SERVERS[server][2].replace("PORT", str(port))
    env = {
        "PATH": os.environ["PATH"],
        "SCALE_KEY": stand_in_secret("SCALE_KEY"),
        "SERVICES": str(folder.parent / f"services-{server}"),
        "PYTHONDONTWRITEBYTECODE": "1",
        "HOME": "/nonexistent",
    }
    if server == "lighttpd":
        if not Path("/usr/sbin/lighttpd").exists():
            pytest.skip("lighttpd is not installed; .ci/run installs it")
        told = ", ".join(f'"{name}" => "{value}"' for name, value in env.items())
        text = LIGHTTPD.replace("FOLDER", str(folder)).replace("PORT", str(port)).replace("ENVIRONMENT", told)
        configuration = folder.parent / f"lighttpd-{port}.conf"
        configuration.write_text(text)
        code = code.replace("CONFIGURATION", str(configuration))
    process = subprocess.Popen(
        [sys.executable, "-c", code],
        cwd=folder,
        env=env,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
    )
    try:
        for _ in range(200):
            with socket.socket() as trial:
                if trial.connect_ex(("127.0.0.1", port)) == 0:
                    break
            assert process.poll() is None, process.stdout and process.stdout.read().decode()
            time.sleep(0.05)
        with httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=10) as client:
            yield client
    finally:
        process.terminate()
        process.communicate(timeout=10)


@pytest.fixture(scope="module", params=some(SERVERS, 2))
def demo_client(request: pytest.FixtureRequest, ported: Callable[[str], Path]) -> Iterator[httpx.Client]:
    yield from serve(request.param, ported(SERVERS[request.param][0]))


@pytest.fixture(scope="module", params=some(SERVERS, 2))
def edge_client(request: pytest.FixtureRequest, edges: Callable[[str], Path]) -> Iterator[httpx.Client]:
    yield from serve(request.param, edges(SERVERS[request.param][0]))


def test_the_demo_answers(demo_client: httpx.Client) -> None:
    reply = demo_client.get("/hives/h-7/weight?day=mon&day=tue&unit=")
    assert reply.status_code == 200
    assert [weight["day"] for weight in reply.json()["weights"]] == ["mon", "tue"]
    assert reply.json()["unit"] == "kg"
    assert '"grams_ever": 12345678901234648771' in reply.text  # beyond 2^53, digit for digit
    assert reply.headers.get_list("set-cookie") == ["last=tue; Path=/hives; Max-Age=604800", "unit=kg; Path=/"]
    binary = demo_client.get("/hives/h-7/weight?day=mon", headers={"accept": "application/octet-stream"})
    assert (binary.headers["content-type"], len(binary.content)) == ("application/octet-stream", 4)
    text = '{"by": "m-12", "weight": 31.50, "eggs": 12345678901234567890, "t": 1E+2, "note": "schön"}'
    made = demo_client.post("/hives/h-7/inspections", content=text, headers={"content-type": "application/json"})
    assert made.status_code == 201
    assert made.headers["location"].startswith("/hives/h-7/inspections/")
    photo = demo_client.post(
        "/hives/h-7/inspections", content=b"\x89PNG\xff\x00", headers={"content-type": "image/png"}
    )
    assert photo.json()["seen"]["bytes"] == 6


def test_services_that_were_brought_along_keep_what_is_written(
    demo_client: httpx.Client, ported: Callable[[str], Path], request: pytest.FixtureRequest
) -> None:
    server = request.node.callspec.params["demo_client"]
    made = demo_client.post("/hives/h-9/inspections", json={"by": "m-12", "weight": 31.5})
    name = made.headers["location"].rpartition("/")[2]
    database = sqlite3.connect(ported(SERVERS[server][0]).parent / f"services-{server}" / "services.db")
    found = database.execute(
        "select record from records where keys = ?", (json.dumps({"hive": "h-9", "inspection": name}),)
    )
    assert json.loads(found.fetchone()[0]) == {"by": "m-12", "weight": 31.5}
    database.close()


def test_an_encoded_slash_survives_where_the_raw_target_is_offered(
    demo_client: httpx.Client, request: pytest.FixtureRequest
) -> None:
    reply = demo_client.get("/hives/h%2F7+a%20b/weight?day=1%2B2&day=a+b")
    server = request.node.callspec.params["demo_client"]
    if SERVERS[server][1]:
        assert reply.json()["hive"] == "h/7+a b"
        assert [weight["day"] for weight in reply.json()["weights"]] == ["1+2", "a b"]
    else:  # PEP 3333 has it decoded: one segment more, and no such route
        assert reply.status_code == 404


def test_routes_that_do_not_match(demo_client: httpx.Client) -> None:
    assert demo_client.get("/nowhere").status_code == 404
    refused = demo_client.put("/hives/h-7/weight")
    assert (refused.status_code, refused.headers["allow"]) == (405, "GET, HEAD")


def test_head_has_the_length_and_no_content(demo_client: httpx.Client) -> None:
    demo_client.cookies.clear()
    got = demo_client.get("/hives/h-7/weight?day=mon")
    demo_client.cookies.clear()
    head = demo_client.head("/hives/h-7/weight?day=mon")
    assert head.content == b""
    assert head.headers["content-length"] == got.headers["content-length"] == str(len(got.content))


@pytest.mark.parametrize(("name", "status"), [("content-of-nothing", 304), ("nothing", 204)])
def test_204_and_304_carry_no_content(edge_client: httpx.Client, name: str, status: int) -> None:
    reply = edge_client.get(f"/edge/{name}")
    assert (reply.status_code, reply.content) == (status, b"")
    assert "content-type" not in reply.headers
    # the connection still is in step: nothing was sent after the header fields
    assert edge_client.get("/edge/x").json()["slots"] == {"one": "x"}


def test_set_cookie_is_never_joined_and_framing_is_the_servers(edge_client: httpx.Client) -> None:
    reply = edge_client.get("/edge/cookies")
    assert reply.headers.get_list("set-cookie") == ["a=1; Path=/", "b=2, 3", "a=4"]
    assert (reply.headers["x-twice"], reply.headers["content-type"]) == ("1, 2", "text/plain; charset=utf-8")
    framed = edge_client.get("/edge/framing")
    assert (framed.text, framed.headers["content-length"]) == ("ok", "2")


@pytest.mark.parametrize("value", ["a%0D%0Aset-cookie:%20b=c", "a%0Ab", "a%00b", "%E2%82%AC"])
def test_no_header_value_splits_a_reply(edge_client: httpx.Client, value: str) -> None:
    reply = edge_client.get(f"/edge/split?v={value}")
    assert reply.status_code == 500
    assert "set-cookie" not in reply.headers


def test_paths_queries_and_methods_come_through(edge_client: httpx.Client, request: pytest.FixtureRequest) -> None:
    seen = edge_client.get("/edge/a%20b/c+d/%C3%BC?x&y=&z=a+b%20c%2Bd&z=2&&%E6%9C%88=1").json()
    assert seen["search"] == "x&y=&z=a+b%20c%2Bd&z=2&&%E6%9C%88=1"
    if request.node.callspec.params["edge_client"] == "paste":  # it encodes the octets of PATH_INFO once more
        return
    assert seen["slots"] == {"one": "a b/c+d/ü"}
    assert seen["first"] == {"x": "", "y": "", "z": "a b c+d", "月": "1"}
    assert seen["path"] == "/edge/a%20b/c+d/%C3%BC"
    assert seen["route"] == "/edge/{one*}"
    assert edge_client.head("/edge/x").status_code == 200


def test_every_sample_passes_the_standards_own_validator(ported: Callable[[str], Path]) -> None:
    code = textwrap.dedent(
        """
        import io, json, sys, warnings
        from wsgiref.util import setup_testing_defaults
        from wsgiref.validate import validator
        warnings.simplefilter("error")
        sys.path.insert(0, "")
        from app import application
        checked = validator(application)
        said = []
        for method, path, query, kind, body in json.loads(sys.stdin.read()):
            environ = {"REQUEST_METHOD": method, "PATH_INFO": path, "SCRIPT_NAME": "", "QUERY_STRING": query}
            environ["wsgi.input"] = io.BytesIO(body.encode())
            environ.update({"CONTENT_TYPE": kind, "CONTENT_LENGTH": str(len(body.encode()))} if body else {})
            setup_testing_defaults(environ)
            status = []
            chunks = checked(environ, lambda line, headers, exc_info=None: status.append(line))
            content = b"".join(chunks)
            chunks.close()
            said.append([status[0], len(content) > 0])
        print(json.dumps(said))
        assert not {"vast_ferry", "yaml", "pydantic"} & set(sys.modules)
        """
    )
    calls = [
        ("GET", "/hives/h-7/weight", "day=mon", "", ""),
        ("HEAD", "/hives/h-7/weight", "day=mon", "", ""),
        ("GET", "/hives/h-7/weight", "", "", ""),
        ("POST", "/hives/h-7/inspections", "", "application/json", '{"by": "m-1"}'),
        ("POST", "/hives/h-7/inspections", "", "application/json", '{"by": "m-1", "nothing_new": true}'),
        ("GET", "/", "", "", ""),
        ("HEAD", "/", "", "", ""),
        ("PATCH", "/hives/h-7/weight", "", "", ""),
    ]
    # -I -S: the interpreter and its standard library, and nothing that was ever installed
    done = subprocess.run(
        [sys.executable, "-I", "-S", "-c", code],
        cwd=ported("wsgi"),
        input=json.dumps(calls),
        env={"SCALE_KEY": "x"},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout) == [
        ["200 OK", True],
        ["200 OK", False],
        ["400 Bad Request", True],
        ["201 Created", True],
        ["204 No Content", False],
        ["404 Not Found", True],
        ["404 Not Found", False],
        ["405 Method Not Allowed", True],
    ]


OBJECTS = """
from thornwick import Reply


def f(request):
    body = [request.params.one("n"), request.params.every("n"), request.parts["rest"]]
    body += [request.json()["a"], request.heads.one("X-A")]
    heads = [("X-B", "1"), ("x-b", "2"), ("Set-Cookie", "a=1"), ("Set-Cookie", "b=2")]
    return Reply(repr(body), status=202, heads=heads)
"""
DECLARED = """
[piece.f]
entry = "h:f"

[[piece.f.answers]]
verbs = ["POST"]
route = "/<one>/<rest..>"
"""


def test_handlers_of_objects_run_at_wsgi_too(project: Project, tmp_path: Path) -> None:
    source = project({"thornwick.toml": DECLARED, "h.py": OBJECTS})
    carry(source, to="wsgi", out=tmp_path / "ported")
    for client in serve("waitress", tmp_path / "ported"):
        reply = client.post("/a/b/c?n=1&n=2", json={"a": 5}, headers={"x-a": "z"})
        assert (reply.status_code, reply.text) == (202, "['1', ['1', '2'], 'b/c', 5, 'z']")
        assert reply.headers.get_list("x-b") == ["1", "2"]
        assert reply.headers.get_list("set-cookie") == ["a=1", "b=2"]


def test_scopes_are_what_the_standards_own_package_says(ported: Callable[[str], Path]) -> None:
    shape = find_profile("asgi").event
    made: dict[str, Any] = run_source(translate_event("make", HUB_EVENT, replace(shape, parameters=("scope",))))(
        HttpEvent(authority="a.example:8080", client="198.51.100.7", headers=[("x-a", "\xe9")]).as_fields()
    )
    hints = get_type_hints(HTTPScope)
    assert made.keys() - {"route.captures", "route.path", "route.function"} <= hints.keys()
    assert hints.keys() - made.keys() <= {"state", "extensions"}  # what a server may leave out
    assert isinstance(made["raw_path"], bytes)
    assert isinstance(made["query_string"], bytes)
    assert made["headers"] == [(b"host", b"a.example:8080"), (b"x-a", b"\xe9")]
    assert made["server"] == ["a.example", 8080]


@pytest.mark.parametrize("path", ["/hives/h-7/weight", "/nowhere"])
def test_the_application_talks_as_the_standards_own_communicator_expects(
    ported: Callable[[str], Path], path: str
) -> None:
    code = textwrap.dedent(
        f"""
        import asyncio, json, sys
        sys.path.insert(0, "")
        from asgiref.testing import ApplicationCommunicator
        from app import application
        async def main():
            scope = {{"type": "http", "asgi": {{"version": "3.0"}}, "http_version": "2", "method": "GET"}}
            scope |= {{"path": {path!r}, "query_string": b"day=mon", "headers": [[b"host", b"a.example"]]}}
            talk = ApplicationCommunicator(application, scope)
            await talk.send_input({{"type": "http.request", "body": b"", "more_body": True}})
            await talk.send_input({{"type": "http.request"}})
            start, body = await talk.receive_output(5), await talk.receive_output(5)
            assert await talk.receive_nothing()
            life = ApplicationCommunicator(application, {{"type": "lifespan", "asgi": {{"version": "3.0"}}}})
            await life.send_input({{"type": "lifespan.startup"}})
            told = [(await life.receive_output(5))["type"]]
            await life.send_input({{"type": "lifespan.shutdown"}})
            told.append((await life.receive_output(5))["type"])
            await life.wait(5)
            return [start["type"], start["status"], body["type"], len(body["body"]) > 0, *told]
        print(json.dumps(asyncio.run(main())))
        """
    )
    done = subprocess.run(
        [sys.executable, "-c", WITHOUT_US + code],
        cwd=ported("asgi"),
        env={"SCALE_KEY": "x", "PYTHONDONTWRITEBYTECODE": "1"},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    status = 404 if path == "/nowhere" else 200
    complete = ["lifespan.startup.complete", "lifespan.shutdown.complete"]
    assert json.loads(done.stdout) == ["http.response.start", status, "http.response.body", True, *complete]


PIECES = """
import asyncio

from brackendale import Response


async def rows(days):
    yield "day\\n"
    for day in days:
        await asyncio.sleep(0)
        yield f"{day} é\\n"


async def respond(request, services):
    return Response(rows(request.url.params.getAll("day")), headers=[("content-type", "text/plain; charset=latin-1")])


def parts(days):
    for day in days:
        yield day.encode()


async def bytes_of(request, services):
    days = request.url.params.getAll("day")
    return Response(parts(days) if days else b"none")
"""


@pytest.mark.parametrize("server", some(["uvicorn", "gunicorn", "waitress", "wsgiref"], 2))
def test_content_is_sent_piece_by_piece_where_the_target_can(project: Project, tmp_path: Path, server: str) -> None:
    functions = tuple(
        Function(name, Entry("h.py", name), (RouteTrigger(f"/{name}", ("GET",), "public"),))
        for name in ("respond", "bytes_of")
    )
    # What awaits others can't be carried to servers that don't; there a plain generator takes its place.
    code = PIECES if server == "uvicorn" else PIECES.replace("        await asyncio.sleep(0)\n", "")
    crossing = carry(
        project(declaring("brackendale", *functions, py=code)), to=SERVERS[server][0], out=tmp_path / "there"
    )
    assert {one.name: one.style for one in crossing.record.functions} == {"respond": "native", "bytes_of": "native"}
    for client in serve(server, tmp_path / "there"):
        reply = client.get("/respond?day=mon&day=tue")
        assert (reply.status_code, reply.text) == (200, "day\nmon é\ntue é\n")
        assert "content-length" not in reply.headers
        assert client.get("/bytes_of?day=mon&day=tue").content == b"montue"
        assert client.get("/bytes_of").content == b"none"
        assert client.head("/respond").status_code in (200, 405)
