"""How fast compiled rows are, as ratios within one run: against functions by hand, and against interpreted rows.

Run: python benchmarks/translation.py. By hand means what a good engineer would write for this one pair, giving the very
same; interpreted means the same rows with jmespath reading and glom writing, expressions compiled beforehand.
"""

from __future__ import annotations

import base64
import datetime
import io
import itertools
import json
import statistics
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any, cast
from urllib.parse import quote, unquote, unquote_plus, urlencode

import glom
import jmespath

from vast_ferry.hub.fields import EVENTS
from vast_ferry.mapping import helpers
from vast_ferry.mapping.compile.functions import translate_event
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.tables import HUB_CALLS, HUB_EVENTS, EventShape
from vast_ferry.profiles.registry import all_profiles, find_profile

OSTERMERE, THORNWICK, WSGI = (find_profile(name) for name in ("ostermere@1", "thornwick@1", "wsgi@1"))

EVENT: dict[str, Any] = {
    "kind": "web",
    "ticket": "w-81",
    "call": {
        "verb": "POST",
        "scheme": "https",
        "site": "api.lindenfold.example",
        "path": "/hives/h%2F7/inspections",
        "route": "/hives/{hive}/inspections",
        "slots": {"hive": "h/7"},
        "search": "day=mon&day=tue&unit=&note=a+b%21",
        "first": {"day": "mon", "unit": "", "note": "a b!"},
        "peer": "198.51.100.7",
        "at": 1795571400123,
    },
    "fields": {"accept": "application/json, text/plain", "content-type": "application/json", "x-scale": "3"},
    "crumbs": ["sid=1", "last=mon"],
    "content": '{"by": "m-12", "note": "Ruhig und schön.", "frames": 6}',
    "packed": False,
    "who": {"id": "m-12", "claims": {"group": "north"}},
}


def compiled(source: EventShape, target: EventShape) -> Callable[..., Any]:
    return run_source(translate_event("translate", source, target))


# --- Ostermere → Thornwick, as events on file -------------------------------------------------------------------------

EPOCH = datetime.datetime(1970, 1, 1, tzinfo=datetime.UTC)
BRACES = helpers.route_from_style


def ostermere_to_thornwick_by_hand(event: dict[str, Any]) -> dict[str, Any]:
    call = event["call"]
    seconds, milliseconds = divmod(call["at"], 1000)
    moment = EPOCH + datetime.timedelta(seconds=seconds)
    raw = call["search"]
    pairs = [part.partition("=") for part in raw.split("&") if part]
    if "%" in raw or "+" in raw:
        params = [(unquote_plus(name), unquote_plus(value)) for name, _, value in pairs]
    else:
        params = [(name, value) for name, _, value in pairs]
    heads = [(name, value if isinstance(value, str) else str(value)) for name, value in event["fields"].items()]
    content_type = next((value for name, value in heads if name.lower() == "content-type"), "")
    if event["crumbs"]:
        heads.append(("cookie", "; ".join(event["crumbs"])))
    content = event["content"]
    if not content:
        body = b""
    elif event["packed"]:
        body = base64.b64decode(content, validate=True)
    else:
        body = content.encode(helpers.charset_of(content_type))
    read: str | dict[str, str]
    try:
        read = body.decode()
    except UnicodeDecodeError:
        read = {"base64": base64.b64encode(body).decode("ascii")}
    who = event["who"]
    names = {"id": "uid", "claims": "facts"}
    return {
        "mark": event["ticket"],
        "moment": f"{moment.isoformat()[:19]}.{milliseconds:03d}Z",
        "verb": call["verb"],
        "scheme": call["scheme"],
        "host": call["site"],
        "path": call["path"],
        "route": helpers.route_to_style(BRACES(call["route"], "{name}", "{name*}"), "<name>", "<name..>"),
        "parts": call["slots"],
        "params": params,
        "heads": heads,
        "read()": read,
        "peer": call["peer"],
        "caller": None if who is None else {names[key]: value for key, value in who.items() if key in names},
    }


def _heads(fields: Any, crumbs: Any) -> Any:
    return helpers.with_cookie(helpers.from_joined(fields), helpers.join_cookies(crumbs))


def _body(content: Any, packed: Any, fields: Any) -> Any:
    kind = helpers.content_type_of(helpers.from_joined(fields))
    return helpers.file_bytes(helpers.from_text_or_packed(content, packed, kind))


#: The same rows: where they are read (jmespath), what the lenses do, where they are written (glom).
ROWS: list[tuple[list[Any], Callable[..., Any], glom.Path]] = [
    ([jmespath.compile(path) for path in paths], lens, glom.Path(*to))
    for paths, lens, to in cast(
        list[tuple[list[str], Callable[..., Any], list[str]]],
        [
            (["ticket"], lambda v: v, ["mark"]),
            (["call.at"], helpers.time_from_epoch_ms, ["moment"]),
            (["call.verb"], lambda v: v, ["verb"]),
            (["call.scheme"], lambda v: v, ["scheme"]),
            (["call.site"], lambda v: v, ["host"]),
            (["call.path"], lambda v: v, ["path"]),
            (
                ["call.route"],
                lambda v: helpers.route_to_style(BRACES(v, "{name}", "{name*}"), "<name>", "<name..>"),
                ["route"],
            ),
            (["call.slots"], lambda v: v, ["parts"]),
            (["call.search"], helpers.parse_query, ["params"]),
            (["fields", "crumbs"], _heads, ["heads"]),
            (["content", "packed", "fields"], _body, ["read()"]),
            (["call.peer"], lambda v: v, ["peer"]),
            (["who"], lambda v: helpers.renamed(v, {"id": "uid", "claims": "facts"}), ["caller"]),
        ],
    )
]


def ostermere_to_thornwick_interpreted(event: dict[str, Any]) -> dict[str, Any]:
    native: dict[str, Any] = {}
    for paths, lens, to in ROWS:
        glom.glom(native, glom.Assign(to, lens(*[path.search(event) for path in paths])))
    return native


# --- WSGI → Ostermere, as a carried handler is called -----------------------------------------------------------------

SKIPPED = ("HTTP_HOST", "HTTP_COOKIE", "HTTP_CONTENT_LENGTH", "HTTP_TRANSFER_ENCODING")


def wsgi_to_ostermere_by_hand(environ: dict[str, Any]) -> dict[str, Any]:
    fields = {
        key[5:].replace("_", "-").lower(): value
        for key, value in environ.items()
        if key.startswith("HTTP_") and key not in SKIPPED
    }
    content_type = environ.get("CONTENT_TYPE", "")
    if content_type:
        fields["content-type"] = content_type
    length = environ.get("CONTENT_LENGTH")
    content, packed = helpers.text_or_packed(environ["wsgi.input"].read(int(length)) if length else b"", content_type)
    script, path_info = environ.get("SCRIPT_NAME", ""), environ.get("PATH_INFO", "")
    path = ""
    for key in ("RAW_URI", "REQUEST_URI"):
        target = environ.get(key)
        if target and target.startswith("/"):
            raw = target.partition("?")[0]
            if not script and unquote(raw, "latin-1") == path_info:
                path = raw
                break
    path = path or helpers.environ_path(environ, "RAW_URI", "REQUEST_URI")
    search = environ.get("QUERY_STRING", "")
    first: dict[str, str] = {}
    decode = "%" in search or "+" in search
    for part in search.split("&"):
        if part:
            name, _, value = part.partition("=")
            if decode:
                name, value = unquote_plus(name), unquote_plus(value)
            if name not in first:
                first[name] = value
    args = environ.get("wsgiorg.routing_args")
    cookie = environ.get("HTTP_COOKIE", "")
    user = environ.get("REMOTE_USER")
    return {
        "kind": "web",
        "ticket": "",
        "call": {
            "verb": environ["REQUEST_METHOD"],
            "scheme": environ["wsgi.url_scheme"],
            "site": environ.get("HTTP_HOST") or helpers.authority_of(environ),
            "path": path,
            "route": helpers.route_to_style(environ.get("route.template", ""), "{name}", "{name*}"),
            "slots": dict(args[1]) if args else {},
            "search": search,
            "first": first,
            "peer": environ.get("REMOTE_ADDR", ""),
            "at": 0,
        },
        "fields": fields,
        "crumbs": [pair.strip() for pair in cookie.split(";")] if cookie else [],
        "content": content,
        "packed": packed,
        "who": {"id": user, "claims": {}} if user else None,
    }


def environ() -> dict[str, Any]:
    body = EVENT["content"].encode()
    return {
        "REQUEST_METHOD": "POST",
        "SCRIPT_NAME": "",
        "PATH_INFO": "/hives/h/7/inspections",
        "RAW_URI": "/hives/h%2F7/inspections?day=mon&day=tue&unit=&note=a+b%21",
        "QUERY_STRING": "day=mon&day=tue&unit=&note=a+b%21",
        "SERVER_NAME": "127.0.0.1",
        "SERVER_PORT": "8000",
        "SERVER_PROTOCOL": "HTTP/1.1",
        "REMOTE_ADDR": "198.51.100.7",
        "CONTENT_TYPE": "application/json",
        "CONTENT_LENGTH": str(len(body)),
        "HTTP_HOST": "api.lindenfold.example",
        "HTTP_ACCEPT": "application/json, text/plain",
        "HTTP_USER_AGENT": "lindenfold/1.0",
        "HTTP_X_SCALE": "3",
        "HTTP_COOKIE": "sid=1; last=mon",
        "wsgi.version": (1, 0),
        "wsgi.url_scheme": "https",
        "wsgi.input": io.BytesIO(body),
        "wsgi.errors": sys.stderr,
        "wsgiorg.routing_args": ((), {"hive": "h/7"}),
        "route.template": "/hives/{hive}/inspections",
    }


# --- Thornwick → Ostermere, objects to plain data ---------------------------------------------------------------------


def thornwick_to_ostermere_by_hand(request: Any) -> dict[str, Any]:
    heads = request.heads.pairs()
    fields: dict[str, str] = {}
    cookies: list[str] = []
    content_type = ""
    for given, value in heads:
        name = given.lower()
        if name == "cookie":
            cookies.append(value)
            continue
        if name == "content-type" and not content_type:
            content_type = value
        fields[name] = f"{fields[name]}, {value}" if name in fields else value
    cookie = "; ".join(cookies)
    content, packed = helpers.text_or_packed(request.read(), content_type)
    pairs = request.params.pairs()
    first: dict[str, str] = {}
    for name, value in pairs:
        if name not in first:
            first[name] = value
    moment = datetime.datetime.fromisoformat(request.moment) - EPOCH
    caller = request.caller
    names = {"uid": "id", "facts": "claims"}
    return {
        "kind": "web",
        "ticket": request.mark,
        "call": {
            "verb": request.verb,
            "scheme": request.scheme,
            "site": request.host,
            "path": request.path,
            "route": helpers.route_to_style(BRACES(request.route, "<name>", "<name..>"), "{name}", "{name*}"),
            "slots": request.parts,
            "search": urlencode(pairs),
            "first": first,
            "peer": request.peer,
            "at": moment.days * 86_400_000 + moment.seconds * 1000 + moment.microseconds // 1000,
        },
        "fields": fields,
        "crumbs": [pair.strip() for pair in cookie.split(";")] if cookie else [],
        "content": content,
        "packed": packed,
        "who": None if caller is None else {names[k]: v for k, v in caller.items() if k in names},
    }


# --- other kinds, other surfaces --------------------------------------------------------------------------------------

ENTRY: dict[str, Any] = {
    "ticket": "s-1",
    "at": 1795571400123,
    "change": "put",
    "store": "inspections",
    "item": "north/2026-11-20+first.csv",
    "bytes": 412,
    "form": "text/csv",
    "tag": "9f2c",
    "revision": "4",
    "labels": {"by": "m-12"},
}
TYPES = {"put": "shelf_placed", "drop": "shelf_cleared", "relabel": "shelf_tagged"}


def object_by_hand(entry: dict[str, Any]) -> dict[str, Any]:
    seconds, milliseconds = divmod(entry["at"], 1000)
    moment = EPOCH + datetime.timedelta(seconds=seconds)
    return {
        "specversion": "1.0",
        "id": entry["ticket"],
        "time": f"{moment.isoformat()[:19]}.{milliseconds:03d}Z",
        "type": TYPES[entry["change"]],
        "source": "//quillhaven/shelves/" + quote(entry["store"], safe=""),
        "subject": quote(unquote_plus(entry["item"]), safe="/"),
        "data": {
            "length": entry["bytes"],
            "contenttype": entry["form"],
            "etag": entry["tag"],
            "generation": entry["revision"],
            "tags": entry["labels"],
        },
        "extensions": {},
    }


LETTER: dict[str, Any] = {
    "id": "l-1",
    "time": "2026-11-25T08:30:00.123Z",
    "channel": "honey-orders",
    "body": b'{"order": "o-1", "grams": 500}',
    "content_type": "application/json",
    "attributes": {"region": "north"},
    "group": "m-12",
    "attempt": 1,
    "extensions": {},
}


def message_by_hand(notice: Any) -> dict[str, Any]:
    moment = datetime.datetime.fromisoformat(notice.moment) - EPOCH
    text, packed = helpers.text_or_packed(notice.read(), notice.media)
    return {
        "ticket": notice.mark,
        "at": moment.days * 86_400_000 + moment.seconds * 1000 + moment.microseconds // 1000,
        "line": notice.lane,
        "text": text,
        "packed": packed,
        "form": notice.media,
        "notes": notice.notes,
        "group": notice.file_in or None,
        "tries": notice.turn,
    }


ROLL: dict[str, Any] = {
    "env": {
        "FEN_WHAT": "roll",
        "FEN_ID": "b-1",
        "FEN_TIME": "1795571400",
        "FEN_DEED": "alter",
        "FEN_ROLL": "hives",
        "FEN_KEY": '{"hive":"h-7"}',
        "FEN_WAS": '{"hive":"h-7","at":"orchard"}',
        "FEN_IS": '{"hive":"h-7","at":"heath"}',
        "FEN_ORDER": "000118",
    }
}
VERBS = {"add": "insert", "alter": "update", "strike": "delete"}


def record_by_hand(event: dict[str, Any]) -> dict[str, Any]:
    env = event["env"]
    return {
        "kind": "record",
        "id": env["FEN_ID"],
        "when": f"{(EPOCH + datetime.timedelta(seconds=int(env['FEN_TIME']))).isoformat()[:19]}Z",
        "verb": VERBS[env["FEN_DEED"]],
        "table": env["FEN_ROLL"],
        "key": json.loads(env["FEN_KEY"]),
        "previous": json.loads(env["FEN_WAS"]),
        "current": json.loads(env["FEN_IS"]),
        "position": env["FEN_ORDER"],
    }


def kinds() -> list[tuple[str, Callable[[Any], Any], Callable[[Any], Any], Callable[[], Any]]]:
    """Return the same for three pairs that differ in kind and in surface."""
    quillhaven, brackendale, fennick = (find_profile(name) for name in ("quillhaven@1", "brackendale@1", "fennick@1"))
    stored = compiled(OSTERMERE.kind("object").event.on_file(), quillhaven.kind("object").event.on_file())
    changed = compiled(fennick.kind("record").event.on_file(), brackendale.kind("record").event.on_file())
    notices = THORNWICK.kind("message").event
    notices = replace(notices, rows=tuple(row for row in notices.rows if str(row.at).split(".")[1] != "run"))
    sent = compiled(notices, OSTERMERE.kind("message").event.on_file())
    notice = compiled(HUB_EVENTS["message"], notices)(LETTER)
    return [
        ("object: plain → CloudEvents", stored, object_by_hand, lambda: ENTRY),
        ("message: objects → plain", sent, message_by_hand, lambda: notice),
        ("record: environment → objects", changed, record_by_hand, lambda: ROLL),
    ]


def seconds_of_all_pairs(kind: str) -> tuple[int, float]:
    """Return how many pairs a kind has, and how long it takes to compile all of them."""
    shapes = [profile.kinds[kind].event.on_file() for profile in all_profiles() if kind in profile.kinds]
    start = time.perf_counter()
    for one, other in itertools.permutations(shapes, 2):
        compiled(one, other)
    return len(shapes) * (len(shapes) - 1), time.perf_counter() - start


# --- measuring --------------------------------------------------------------------------------------------------------


def seconds(function: Callable[[Any], Any], make: Callable[[], Any], calls: int) -> float:
    """Return the seconds a call takes; what a call uses up is made anew outside the clock."""
    arguments = [make() for _ in range(calls)]
    start = time.perf_counter()
    for argument in arguments:
        function(argument)
    return (time.perf_counter() - start) / calls


def ratio(
    slow: Callable[[Any], Any], fast: Callable[[Any], Any], make: Callable[[], Any], calls: int = 2000, rounds: int = 25
) -> float:
    """Return the median, over rounds taken in turn, of how many times as long `slow` takes as `fast`."""
    return statistics.median(seconds(slow, make, calls) / seconds(fast, make, calls) for _ in range(rounds))


def cases() -> list[tuple[str, Callable[[Any], Any], Callable[[Any], Any], Callable[[], Any]]]:
    """Return (pair, compiled, by hand, maker of an argument) for each pair; both give the very same."""
    on_file = compiled(OSTERMERE.event.on_file(), THORNWICK.event.on_file())
    # The context apart: by hand there is none either.
    plain = EventShape(
        ("event",),
        tuple(row for row in OSTERMERE.event.rows if row.at.root == "event"),
        OSTERMERE.event.constants,
        event_parameters=("event",),
    )
    from_wsgi = compiled(WSGI.event, plain)
    from_thornwick = compiled(THORNWICK.event, plain)
    make_request = compiled(HUB_CALLS["http"], THORNWICK.event)
    fields = compiled(OSTERMERE.event.on_file(), HUB_CALLS["http"])(EVENT)
    return [
        ("Ostermere → Thornwick on file", on_file, ostermere_to_thornwick_by_hand, lambda: EVENT),
        ("WSGI → Ostermere", from_wsgi, wsgi_to_ostermere_by_hand, environ),
        (
            "Thornwick → Ostermere",
            from_thornwick,
            thornwick_to_ostermere_by_hand,
            lambda: make_request(fields),
        ),
    ]


def main() -> int:
    """Print the ratios; end with 1 where one is not as good as promised."""
    good = True
    for name, translated, by_hand, make in cases() + kinds():
        if translated(make()) != by_hand(make()):
            raise AssertionError(f"{name}: compiled and by hand do not give the same")
        times = ratio(translated, by_hand, make)
        good &= times <= 1.25
        print(f"{name:32} compiled / by hand      {times:6.2f}   (at most 1.25)")
    name, translated, _, make = cases()[0]
    if translated(make()) != ostermere_to_thornwick_interpreted(make()):
        raise AssertionError("compiled and interpreted do not give the same")
    times = ratio(ostermere_to_thornwick_interpreted, translated, make, calls=300)
    good &= times >= 20
    print(f"{name:32} interpreted / compiled  {times:6.1f}   (at least 20)")
    for kind in EVENTS:
        count, took = seconds_of_all_pairs(kind)
        good &= took < 1
        print(f"{kind:32} all {count:3} pairs compiled   {took:6.2f} s (under 1)")
    return 0 if good else 1


if __name__ == "__main__":
    sys.exit(main())
