"""Records the evidence of the open standards that ship: what real servers hand over, and what the SDK writes.

Run: python tools/record_evidence.py
What each event means is what was sent, which this file says once for all servers; nothing here knows a profile.
"""

from __future__ import annotations

import asyncio
import base64
import contextlib
import http.server
import json
import os
import shutil
import socket
import sys
import tempfile
import threading
import time
import wsgiref.simple_server
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import uvicorn
import waitress.server
import yaml
from cloudevents.core.bindings.http import to_structured
from cloudevents.core.formats.json import JSONFormat
from cloudevents.core.v1.event import CloudEvent

SHIPPED = Path(__file__).parent.parent / "src" / "vast_ferry" / "profiles" / "shipped" / "evidence"


@dataclass(frozen=True)
class Sent:
    """A request as it is put on the wire, and what it means."""

    head: str
    body: bytes
    means: dict[str, Any]
    raw_only: dict[str, Any] = field(default_factory=dict)  # what only a server that hands over the target can tell

    @property
    def wire(self) -> bytes:
        lines = [*self.head.splitlines(), "Connection: close"]
        return "\r\n".join([*lines, "", ""]).encode("latin-1") + self.body


REQUESTS = [
    Sent(
        "GET /hives/h-7/weight?day=mon&day=tue&unit= HTTP/1.1\nHost: api.lindenfold.example\nAccept: application/json\n"
        "Cookie: sid=1; theme=dark\nX-Trace: a",
        b"",
        {
            "method": "GET",
            "path.raw": "/hives/h-7/weight",
            "query.raw": "day=mon&day=tue&unit=",
            "query": [["day", "mon"], ["day", "tue"], ["unit", ""]],
            "authority": "api.lindenfold.example",
            "cookies": ["sid=1", "theme=dark"],
            "body": "",
        },
    ),
    Sent(
        "POST /orders HTTP/1.1\nHost: api.lindenfold.example:8080\nContent-Type: application/json; charset=utf-8\n"
        "Content-Length: 16",
        '{"by":"m-12 é"}'.encode(),
        {
            "method": "POST",
            "path.raw": "/orders",
            "query.raw": "",
            "authority": "api.lindenfold.example:8080",
            "content_type": "application/json; charset=utf-8",
            "body": '{"by":"m-12 \u00e9"}',
        },
    ),
    Sent(
        "PUT /photos/caf%C3%A9%2Fa%20b?x=%E6%9C%88 HTTP/1.1\nHost: api.lindenfold.example\nContent-Length: 3\n"
        "Content-Type: image/png",
        b"\x00\xff\x7f",
        {
            "method": "PUT",
            "path": "/photos/café/a b",
            "query.raw": "x=%E6%9C%88",
            "content_type": "image/png",
            "body": {"base64": "AP9/"},
        },
        {"path.raw": "/photos/caf%C3%A9%2Fa%20b"},
    ),
]

#: What PEP 3333 and RFC 3875 say of an environment, and the raw target that some servers add.
KNOWN = frozenset(
    ("REQUEST_METHOD", "SCRIPT_NAME", "PATH_INFO", "QUERY_STRING", "CONTENT_TYPE", "CONTENT_LENGTH", "SERVER_NAME")
    + ("SERVER_PORT", "SERVER_PROTOCOL", "GATEWAY_INTERFACE", "REMOTE_ADDR", "REQUEST_URI", "RAW_URI")
)


def text_or_bytes(data: bytes) -> Any:
    """Return bytes as an event on file has them."""
    with contextlib.suppress(UnicodeDecodeError):
        return data.decode()
    return {"base64": base64.b64encode(data).decode()}


def told(environ: dict[str, Any]) -> dict[str, Any]:
    """Return what the standard tells of an environment."""
    kept = {
        name: value
        for name, value in environ.items()
        if (name in KNOWN or name.startswith(("HTTP_", "wsgi."))) and isinstance(value, str | bool | int | tuple)
    }
    kept.pop("HTTP_CONNECTION", None)
    return json.loads(json.dumps(dict(sorted(kept.items()))))  # type: ignore[no-any-return]


class Application:
    """A WSGI application that keeps what it was handed."""

    def __init__(self) -> None:
        self.seen: list[dict[str, Any]] = []

    def __call__(self, environ: dict[str, Any], start: Callable[..., Any]) -> list[bytes]:
        body = environ["wsgi.input"].read(int(environ.get("CONTENT_LENGTH") or 0))
        self.seen.append({**told(environ), "wsgi.input": text_or_bytes(body)})
        start("204 No Content", [])
        return []


def ask(port: int, sent: Sent) -> None:
    """Send a request and wait for the end of its answer."""
    with socket.create_connection(("127.0.0.1", port), timeout=10) as connection:
        connection.sendall(sent.wire)
        while connection.recv(65536):
            pass


@contextlib.contextmanager
def in_background(run: Callable[[], Any]) -> Iterator[None]:
    threading.Thread(target=run, daemon=True).start()
    time.sleep(0.5)
    yield


class Quiet(wsgiref.simple_server.WSGIRequestHandler):
    def log_message(self, *args: Any) -> None: ...


def of_wsgi() -> dict[str, list[tuple[Sent, Any]]]:
    """Return what three servers handed to a WSGI application."""
    made = {}
    application = Application()
    server = wsgiref.simple_server.make_server("127.0.0.1", 0, application, handler_class=Quiet)
    with in_background(server.serve_forever):
        for sent in REQUESTS:
            ask(server.server_port, sent)
    server.shutdown()
    made["wsgiref"] = list(zip(REQUESTS, application.seen, strict=True))
    application = Application()
    other = waitress.server.create_server(application, host="127.0.0.1", port=0)
    with in_background(other.run):
        for sent in REQUESTS:
            ask(other.socket.getsockname()[1], sent)
    made["waitress"] = list(zip(REQUESTS, application.seen, strict=True))
    return made


def of_asgi() -> dict[str, list[tuple[Sent, Any]]]:
    """Return what uvicorn handed to an ASGI application."""
    seen = []

    async def application(scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            return
        body, more = b"", True
        while more:
            message = await receive()
            body, more = body + message.get("body", b""), message.get("more_body", False)
        kept = {name: value for name, value in scope.items() if name not in ("state", "extensions")}
        kept["raw_path"], kept["query_string"] = scope["raw_path"].decode(), scope["query_string"].decode()
        pairs = [[name.decode("latin-1"), value.decode("latin-1")] for name, value in scope["headers"]]
        kept["headers"] = [pair for pair in pairs if pair[0] != "connection"]
        kept["client"] = [kept["client"][0], 0]  # the port is another each time
        kept["server"] = [kept["server"][0], 80]
        seen.append({"scope": json.loads(json.dumps(kept)), "receive": text_or_bytes(body)})
        await send({"type": "http.response.start", "status": 204, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    server = uvicorn.Server(uvicorn.Config(application, port=0, log_level="error", lifespan="off"))
    with in_background(lambda: asyncio.run(server.serve())):
        time.sleep(1)
        port = server.servers[0].sockets[0].getsockname()[1]
        for sent in REQUESTS:
            ask(port, sent)
    server.should_exit = True
    return {"uvicorn": list(zip(REQUESTS, seen, strict=True))}


def of_cgi() -> dict[str, list[tuple[Sent, Any]]]:
    """Return what the standard library's CGI server handed to a script."""
    with tempfile.TemporaryDirectory() as name:
        script = Path(name, "cgi-bin", "at")
        script.parent.mkdir()
        script.write_text(
            f"#!{sys.executable}\nimport json, os, sys\n"
            "body = sys.stdin.buffer.read(int(os.environ.get('CONTENT_LENGTH') or 0))\n"
            "env = {name.decode(): value.decode('latin-1') for name, value in os.environb.items()}\n"
            f"open({name!r} + '/seen', 'a').write(json.dumps([env, list(body)]) + '\\n')\n"
            "print('Status: 204 No Content\\n')\n"
        )
        script.chmod(0o755)
        # Where the server runs as root, it runs scripts as nobody, who may not run this interpreter.
        http.server.nobody_uid = os.getuid  # type: ignore[attr-defined]
        made = type("Handler", (http.server.CGIHTTPRequestHandler,), {"log_message": lambda *args: None})
        here = os.getcwd()
        os.chdir(name)
        try:
            server = http.server.HTTPServer(("127.0.0.1", 0), made)
            posted = [replace(one, head=one.head.replace("PUT ", "POST ")) for one in REQUESTS]  # it takes no PUT
            posted = [replace(one, means={**one.means, "method": one.head.partition(" ")[0]}) for one in posted]
            for one in posted:
                one.means.pop("authority", None)  # nor does it hand over Host
            through = [replace(one, head=one.head.replace(" /", " /cgi-bin/at/", 1)) for one in posted]
            with in_background(server.serve_forever):
                for sent in through:
                    ask(server.server_port, sent)
            server.shutdown()
            lines = [json.loads(line) for line in Path(name, "seen").read_text().splitlines()]
        finally:
            os.chdir(here)
    seen = [{"env": told(env), "stdin": text_or_bytes(bytes(body))} for env, body in lines]
    return {"http-server": list(zip(posted, seen, strict=True))}


def write(profile: str, made: dict[str, list[tuple[Sent, Any]]], raw: Callable[[Any], bool], about: str) -> None:
    """Write the events of one profile, and what they mean."""
    folder = SHIPPED / profile
    shutil.rmtree(folder, ignore_errors=True)
    (folder / "events").mkdir(parents=True)
    meaning: dict[str, Any] = {}
    for server, seen in made.items():
        for number, (sent, event) in enumerate(seen, 1):
            name = f"{server}-{number}.json"
            (folder / "events" / name).write_text(json.dumps(event, indent=1, ensure_ascii=False) + "\n")
            meaning[name] = {"kind": "http", "event": {**sent.means, **(sent.raw_only if raw(event) else {})}}
    text = yaml.safe_dump(meaning, sort_keys=False, allow_unicode=True)
    (folder / "meaning.yaml").write_text(f"# {about} Made by tools/record_evidence.py.\n{text}")


def cloud_events() -> None:
    """Write events that the SDK made, each with what it was made of."""
    folder = SHIPPED / "cloudevents"
    shutil.rmtree(folder, ignore_errors=True)
    (folder / "events").mkdir(parents=True)
    meaning: dict[str, Any] = {}
    made = {
        "signal-1": (
            {"id": "n-1", "type": "signal.member.joined", "source": "/signals", "subject": "members/m-12"},
            {"name": "Ada é", "hives": 3},
        ),
        "signal-2": ({"id": "n-2", "type": "signal.hive.moved", "source": "/signals", "apiary": "north"}, None),
    }
    for name, (attributes, data) in made.items():
        event = CloudEvent({**attributes, "datacontenttype": "application/json", "specversion": "1.0"}, data)
        (folder / "events" / f"{name}.json").write_bytes(to_structured(event, JSONFormat()).body)
        means = {"id": attributes["id"], "name": attributes["type"].removeprefix("signal."), "data": data}
        means |= {"subject": attributes["subject"]} if "subject" in attributes else {}
        means |= {"extensions": {"apiary": "north"}} if "apiary" in attributes else {}
        meaning[f"{name}.json"] = {"kind": "signal", "event": means}
    told = yaml.safe_dump(meaning, sort_keys=False, allow_unicode=True)
    (folder / "meaning.yaml").write_text(f"# What the SDK wrote of these. Made by tools/record_evidence.py.\n{told}")


def main() -> None:
    """Record it all."""
    write("wsgi", of_wsgi(), lambda event: "REQUEST_URI" in event or "RAW_URI" in event, "What servers handed over.")
    write("asgi", of_asgi(), lambda event: True, "What uvicorn handed over.")
    write(
        "cgi", of_cgi(), lambda event: "REQUEST_URI" in event["env"], "What the standard library's server handed over."
    )
    cloud_events()


if __name__ == "__main__":
    main()
