"""The services behind a handler, as real storage: objects as files, messages and records in SQLite.

Loaded by the worker, by path, so it needs nothing but the standard library. What a handler does to them is recorded as
effects, in hub terms.
"""

from __future__ import annotations

import base64
import hashlib
import http
import io
import json
import os
import secrets
import shutil
import urllib.parse
from collections.abc import Callable, Iterator, Mapping
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:  # loaded when a handler first reaches for a service: most never do
    import sqlite3

#: So many effects of one call are kept; a handler that does more is broken off.
MOST_EFFECTS = 10_000

_TABLES = """
create table if not exists objects (
    bucket text, key text, file text, content_type text, labels text, primary key (bucket, key));
create table if not exists messages (
    channel text, body blob, content_type text, attributes text, "group" text);
create table if not exists records ("table" text, keys text, record text, primary key ("table", keys));
"""


class Services:
    """Buckets, channels and tables in `folder`; `operate` maps each operation's name to what does it."""

    def __init__(self, folder: str) -> None:
        self.folder = folder
        self.effects: list[dict[str, Any]] = []
        self.answers: dict[str, Any] = {}
        self.fails_after = 0  # it fails once, after so many effects
        self._database: sqlite3.Connection | None = None
        self.operate: Mapping[str, Callable[[dict[str, Any]], Any]] = {
            "object.read": self._read_object,
            "object.write": self._write_object,
            "object.delete": self._delete_object,
            "object.list": self._list_objects,
            "message.send": self._send_message,
            "record.read": self._read_record,
            "record.write": self._write_record,
            "record.delete": self._delete_record,
            "record.add": self._add_to_record,
            "signal.send": self._send_signal,
            "function.start": self._start,
            "function.call": self._call,
        }

    def reset(self, before: Mapping[str, Any]) -> None:
        """Forget everything and fill the services with what they held before a call."""
        self.effects = []
        if self._database is not None:
            self._database.close()
            self._database = None
        if os.path.isdir(self.folder):  # a forked script may have filled it
            shutil.rmtree(self.folder)
        for one in before.get("objects", ()):
            self._write_object({"content_type": "", "labels": {}, **one, "body": one["body"]})
        for one in before.get("records", ()):
            self._write_record(one)
        self.answers = {one["name"]: one["answer"] for one in before.get("functions", ())}
        self.effects = []

    def _open(self) -> sqlite3.Connection:
        if self._database is None:
            import sqlite3

            os.makedirs(self.folder, exist_ok=True)
            # Handlers may use threads; the interpreter's lock keeps single statements apart.
            self._database = sqlite3.connect(
                os.path.join(self.folder, "services.db"), isolation_level=None, check_same_thread=False
            )
            self._database.execute("pragma synchronous = off")
            self._database.execute("pragma journal_mode = memory")
            self._database.executescript(_TABLES)
        return self._database

    def after_fork(self) -> None:
        """Begin anew in a forked process: a connection must not be used on both sides."""
        self._database = None
        self.effects = []

    def note(self, operation: str, fields: dict[str, Any]) -> None:
        """Keep an effect."""
        if len(self.effects) >= MOST_EFFECTS:
            raise RuntimeError(f"more than {MOST_EFFECTS:,} effects in one call")
        # As JSON, at once: what the handler does to its own values afterwards is no part of the effect.
        text = json.dumps(fields, default=plain)
        self.effects.append({"operation": operation, "fields": json.loads(text, object_hook=from_plain)})
        if self.fails_after and len(self.effects) == self.fails_after:
            self.fails_after = 0
            raise ConnectionError("the service broke off after it was done: the check lets it fail here")

    # --- objects ---

    def _read_object(self, hub: dict[str, Any]) -> bytes | None:
        found = (
            self._open()
            .execute("select file from objects where bucket = ? and key = ?", (_text(hub["bucket"]), _text(hub["key"])))
            .fetchone()
        )
        if found is None:
            return None
        with open(os.path.join(self.folder, found[0]), "rb") as file:
            return file.read()

    def _write_object(self, hub: dict[str, Any]) -> None:
        bucket, key, body = _text(hub["bucket"]), _text(hub["key"]), _bytes(hub["body"])
        labels = {_text(name): _text(value) for name, value in hub["labels"].items()}
        # A key may be longer than a file's name, or hold what no file's name may.
        name = hashlib.sha256(f"{bucket}\0{key}".encode("utf-8", "surrogatepass")).hexdigest()
        database = self._open()
        with open(os.path.join(self.folder, name), "wb") as file:
            file.write(body)
        database.execute(
            "insert or replace into objects values (?, ?, ?, ?, ?)",
            (bucket, key, name, _text(hub["content_type"]), json.dumps(labels)),
        )
        self.note("object.write", hub)

    def _delete_object(self, hub: dict[str, Any]) -> None:
        self._open().execute(
            "delete from objects where bucket = ? and key = ?", (_text(hub["bucket"]), _text(hub["key"]))
        )
        self.note("object.delete", hub)

    def _list_objects(self, hub: dict[str, Any]) -> list[str]:
        prefix = _text(hub["prefix"])
        found = self._open().execute("select key from objects where bucket = ?", (_text(hub["bucket"]),))
        return sorted(key for (key,) in found if key.startswith(prefix))

    # --- messages and signals ---

    def _send_message(self, hub: dict[str, Any]) -> None:
        attributes = {_text(name): _text(value) for name, value in hub["attributes"].items()}
        row = (_text(hub["channel"]), _bytes(hub["body"]), _text(hub["content_type"]), json.dumps(attributes))
        self._open().execute("insert into messages values (?, ?, ?, ?, ?)", (*row, _text(hub["group"])))
        self.note("message.send", hub)

    def _send_signal(self, hub: dict[str, Any]) -> None:
        _text(hub["name"])
        self.note("signal.send", hub)

    # --- records ---

    def _read_record(self, hub: dict[str, Any]) -> Any:
        found = (
            self._open()
            .execute(
                'select record from records where "table" = ? and keys = ?',
                (_text(hub["table"]), _canonical(hub["keys"])),
            )
            .fetchone()
        )
        return json.loads(found[0]) if found else None

    def records(self) -> list[tuple[str, str, str]]:
        """Return every record: its table, its key and itself, both as JSON."""
        return list(self._open().execute('select "table", keys, record from records'))

    def _write_record(self, hub: dict[str, Any]) -> None:
        if not isinstance(hub["record"], dict):
            raise StandInTypeError(f"a record is a mapping, not {type(hub['record']).__name__}")
        self._put_record(hub, hub["record"])
        self.note("record.write", hub)

    def _put_record(self, hub: dict[str, Any], record: dict[str, Any]) -> None:
        row = (_text(hub["table"]), _canonical(hub["keys"]), json.dumps(record))
        self._open().execute("insert or replace into records values (?, ?, ?)", row)

    def _delete_record(self, hub: dict[str, Any]) -> None:
        self._open().execute(
            'delete from records where "table" = ? and keys = ?', (_text(hub["table"]), _canonical(hub["keys"]))
        )
        self.note("record.delete", hub)

    def _add_to_record(self, hub: dict[str, Any]) -> Any:
        column, amount = _text(hub["column"]), hub["amount"]
        record = self._read_record(hub) or {}
        total = record.get(column, 0) + amount  # a column that holds no number is the handler's mistake
        self._put_record(hub, {**record, column: total})
        self.note("record.add", hub)
        return total

    # --- functions ---

    def _start(self, hub: dict[str, Any]) -> None:
        _text(hub["name"])
        self.note("function.start", hub)

    def _call(self, hub: dict[str, Any]) -> Any:
        self.note("function.call", hub)
        return self.answers.get(_text(hub["name"]))


class StandInTypeError(TypeError):
    """A value of a type that the operation does not take; what the provider itself does with one nobody knows here."""


def _text(value: Any) -> str:
    if not isinstance(value, str):
        raise StandInTypeError(f"a text was wanted, not {type(value).__name__}")
    return value


def _bytes(value: Any) -> bytes:
    if not isinstance(value, bytes):
        raise StandInTypeError(f"bytes were wanted, not {type(value).__name__}")
    return value


def _canonical(keys: Any) -> str:
    if not isinstance(keys, dict) or not keys:
        raise StandInTypeError("a record's key is a mapping from column to value")
    return json.dumps(keys, sort_keys=True)


def plain(value: Any) -> Any:
    """Return bytes as JSON can hold them."""
    if not isinstance(value, bytes):
        raise StandInTypeError(f"{type(value).__name__} is no JSON value")
    return {_BYTES: base64.b64encode(value).decode("ascii")}


def from_plain(found: dict[str, Any]) -> Any:
    """Return the bytes that `plain` gave, and everything else as it is."""
    return base64.b64decode(found[_BYTES]) if _BYTES in found else found


_BYTES = secrets.token_hex(8)


# --- outbound HTTP ---------------------------------------------------------------------------------------------------


class Outbound:
    """Answers outbound HTTP calls from a sample's answers and records them; nothing leaves the machine."""

    def __init__(self, note: Callable[[str, dict[str, Any]], None]) -> None:
        self.note = note
        self.answers: list[dict[str, Any]] = []
        self._wires: list[Wire] = []

    def begin(self, answers: list[dict[str, Any]]) -> None:
        """Begin a call."""
        self.answers, self._wires = answers, []

    def end(self) -> None:
        """End a call: what was sent is an effect, whether its answer was read or not."""
        for wire in self._wires:
            wire.note_what_was_sent()

    def wire(self, scheme: str, host: str, port: int | None) -> Wire:
        """Return what stands in for the socket of one connection."""
        self._wires.append(Wire(self, scheme, host, port))
        return self._wires[-1]

    def answer(self, method: str, url: str) -> bytes:
        """Return the response to a request (RFC 9112)."""
        return _response(self.answer_of(method, url), method)

    def answer_of(self, method: str, url: str) -> dict[str, Any]:
        """Return the sample's answer to a request; raises ConnectionRefusedError where it has none."""
        for number, answer in enumerate(self.answers):
            if answer.get("method", method) == method and _same_url(answer["url"], url):
                if not answer.get("again"):
                    del self.answers[number]
                return answer
        raise ConnectionRefusedError(f"the sample has no answer to {method} {url}; add one under `answers`")


class Wire:
    """Stands in for the socket of one connection: a request is an effect as soon as all of it was sent."""

    def __init__(self, outbound: Outbound, scheme: str, host: str, port: int | None) -> None:
        self._outbound, self._scheme, self._authority = outbound, scheme, host if port is None else f"{host}:{port}"
        self._sent = bytearray()
        self._asked: tuple[str, str] = ("", "")

    def sendall(self, data: Any) -> None:
        self._sent += data
        head, end, body = bytes(self._sent).partition(b"\r\n\r\n") if len(self._sent) < 1 << 20 else (b"", b"", b"")
        if end:
            fields = dict(_field(line) for line in head.split(b"\r\n")[1:])
            chunked = fields.get("transfer-encoding", "").lower() == "chunked"
            wanted = int(fields.get("content-length", "0") or 0) if not chunked else -1
            if len(body) == wanted or (chunked and body.endswith(b"0\r\n\r\n")):
                self.note_what_was_sent()

    def note_what_was_sent(self) -> None:
        """Record the request that was sent, if there is one that was not recorded yet."""
        if not self._sent:
            return
        head, _, body = bytes(self._sent).partition(b"\r\n\r\n")
        self._sent.clear()
        line, *lines = head.split(b"\r\n")
        method, target, *_ = [*line.decode("latin-1").split(" "), "", ""]
        headers = [_field(line) for line in lines]
        named = dict(headers)
        authority = named.get("host", self._authority)
        url = target if "://" in target else f"{self._scheme}://{authority}{target}"
        if named.get("transfer-encoding", "").lower() == "chunked":
            body = _unchunked(body)
        kept = [(name, value) for name, value in headers if name not in _OF_THE_CONNECTION]
        self._asked = (method, url)
        self._outbound.note("http.call", {"method": method, "url": url, "headers": sorted(kept), "body": body})

    def makefile(self, *_: Any, **__: Any) -> io.BytesIO:
        self.note_what_was_sent()
        return io.BytesIO(self._outbound.answer(*self._asked))

    def close(self) -> None:
        pass

    def settimeout(self, _: Any) -> None:
        pass

    def setsockopt(self, *_: Any) -> None:
        pass


def _field(line: bytes) -> tuple[str, str]:
    name, _, value = line.decode("latin-1").partition(":")
    return name.lower(), value.strip()


_OF_THE_CONNECTION = frozenset(
    ["host", "connection", "content-length", "transfer-encoding", "accept-encoding", "user-agent", "keep-alive"]
)


def _same_url(one: str, other: str) -> bool:
    return one.partition("#")[0] == other.partition("#")[0]


def _response(answer: dict[str, Any], method: str) -> bytes:
    body = answer.get("body", b"")
    status = http.HTTPStatus(answer.get("status", 200))
    lines = [f"HTTP/1.1 {status.value} {status.phrase}"]
    lines += [f"{name}: {value}" for name, value in answer.get("headers", ())]
    lines += [f"content-length: {len(body)}", "connection: close", "", ""]
    return "\r\n".join(lines).encode("latin-1") + (b"" if method == "HEAD" else body)


def _unchunked(data: bytes) -> bytes:
    parts, rest = [], data
    while rest:
        size, _, rest = rest.partition(b"\r\n")
        length = int(size.split(b";")[0] or b"0", 16)
        if not length:
            break
        parts.append(rest[:length])
        rest = rest[length + 2 :]
    return b"".join(parts)


# --- services as files -----------------------------------------------------------------------------------------------


class Mount:
    """Services as a folder of files, for handlers that know no clients: laid out before a call, looked at afterwards.

    `declared` says the environment variable that names the folder, and in which folder of it objects
    (`BUCKET/KEY`) and messages (`CHANNEL/NAME`) stand; empty: there is no such folder.
    """

    def __init__(self, services: Services, folder: str, declared: Mapping[str, str]) -> None:
        self.services, self.folder, self.declared = services, folder, declared
        self._before: dict[str, bytes] = {}

    def laid_out(self) -> dict[str, str]:
        """Write what the services hold as files, and return the variables that say where."""
        if not self.declared.get("variable"):
            return {}
        shutil.rmtree(self.folder, ignore_errors=True)
        self._before = {}
        objects = self.declared.get("objects", "")
        records = self.declared.get("records", "")
        for table, keys, record in self.services.records() if records else ():
            path = os.path.join(records, table, f"{urllib.parse.quote(keys, safe='')}.json")
            os.makedirs(os.path.dirname(os.path.join(self.folder, path)), exist_ok=True)
            self._before[path] = record.encode()
            with open(os.path.join(self.folder, path), "wb") as file:
                file.write(self._before[path])
        for name in (objects, self.declared.get("messages", ""), records):
            if name:
                os.makedirs(os.path.join(self.folder, name), exist_ok=True)
        for bucket, key in self.services._open().execute("select bucket, key from objects") if objects else ():
            path = os.path.normpath(os.path.join(objects, bucket, key))
            # A key that is no path below its bucket can't be seen by such a handler.
            if path == os.path.join(objects, bucket, key) and not path.startswith(".."):
                content = self.services._read_object({"bucket": bucket, "key": key}) or b""
                full = os.path.join(self.folder, path)
                os.makedirs(os.path.dirname(full), exist_ok=True)
                with open(full, "wb") as file:
                    file.write(content)
                self._before[path] = content
        return {self.declared["variable"]: self.folder}

    def note_changes(self) -> None:
        """Do to the services what was done to the files, in the order of their names."""
        if not self.declared.get("variable"):
            return
        after = dict(self._files())
        for path in sorted({*after, *self._before}):
            kind, _, rest = path.partition(os.sep)
            first, _, name = rest.partition(os.sep)
            if not name or after.get(path) == self._before.get(path):
                continue
            if kind == self.declared.get("objects"):
                if path in after:
                    hub = {"bucket": first, "key": name, "body": after[path], "content_type": "", "labels": {}}
                    self.services.operate["object.write"](hub)
                else:
                    self.services.operate["object.delete"]({"bucket": first, "key": name})
            elif kind == self.declared.get("records"):
                keys = json.loads(urllib.parse.unquote(name.removesuffix(".json")))
                if path in after:
                    self.services.operate["record.write"](
                        {"table": first, "keys": keys, "record": json.loads(after[path])}
                    )
                else:
                    self.services.operate["record.delete"]({"table": first, "keys": keys})
            elif kind == self.declared.get("messages") and path in after:
                hub = {"channel": first, "body": after[path], "content_type": "", "attributes": {}, "group": ""}
                self.services.operate["message.send"](hub)

    def _files(self) -> Iterator[tuple[str, bytes]]:
        for top, _, names in os.walk(self.folder):
            for name in names:
                full = os.path.join(top, name)
                if os.path.isfile(full) and not os.path.islink(full):
                    with open(full, "rb") as file:
                        yield os.path.relpath(full, self.folder), file.read()
