"""Outcomes that vary by themselves: what varies is left out by its place, and everything else is still compared."""

from __future__ import annotations

import json
import os
import secrets
import uuid
from typing import Any

import pytest

from vast_ferry.checking.compare import compare
from vast_ferry.hub.http import HttpReply
from vast_ferry.hub.operations import Effect
from vast_ferry.hub.outcomes import Ending, Outcome

Build = Any


def page(text: str) -> Outcome:
    return Outcome(Ending.REPLIED, HttpReply(200, [("content-type", "text/html")], text.encode()))


def data(value: Any) -> Outcome:
    return Outcome(Ending.REPLIED, HttpReply(200, [("content-type", "application/json")], json.dumps(value).encode()))


def raw(body: bytes) -> Outcome:
    return Outcome(Ending.REPLIED, HttpReply(200, [("content-type", "image/png")], body))


def fields(*pairs: tuple[str, str], body: bytes = b"") -> Outcome:
    return Outcome(Ending.REPLIED, HttpReply(200, list(pairs), body))


def failed(error: str, message: str) -> Outcome:
    return Outcome(Ending.FAILED, None, error, message)


def did(*effects: tuple[str, dict[str, Any]]) -> Outcome:
    return Outcome(Ending.ACKNOWLEDGED, effects=tuple(Effect(name, told) for name, told in effects))


def sent(body: bytes, **more: Any) -> tuple[str, dict[str, Any]]:
    return "message.send", {"channel": "c", "body": body, "attributes": {}, **more}


def kept(**record: Any) -> tuple[str, dict[str, Any]]:
    return "record.write", {"table": "t", "keys": {"k": record.get("key", "a")}, "record": record}


def many(count: int, last: str) -> list[Any]:
    return [*(str(uuid.uuid4()) for _ in range(count)), last]


#: what → (what makes one run of the original, the carried outcome that is the same, one that differs, and where)
VARYING: dict[str, tuple[Build, Build, Build, str]] = {
    "what follows a nonce": (
        lambda: page(f"<p nonce={uuid.uuid4()}>\n<b>balance 100</b>"),
        lambda: page(f"<p nonce={uuid.uuid4()}>\n<b>balance 100</b>"),
        lambda: page(f"<p nonce={uuid.uuid4()}>\n<b>balance 999</b>"),
        "body line",
    ),
    "the same line": (
        lambda: page(f"id {uuid.uuid4().hex} balance 100 at {os.urandom(4).hex()}"),
        lambda: page(f"id {uuid.uuid4().hex} balance 100 at {os.urandom(4).hex()}"),
        lambda: page(f"id {uuid.uuid4().hex} balance 1000 at {os.urandom(4).hex()}"),
        "body line",
    ),
    "bytes after the first that varies": (
        lambda: raw(b"\x89PNG" + os.urandom(8) + b"\x00the end\xff"),
        lambda: raw(b"\x89PNG" + os.urandom(8) + b"\x00the end\xff"),
        lambda: raw(b"\x89PNG" + os.urandom(8) + b"\x00the ends\xff"),
        "body byte",
    ),
    "the 61st value of a list": (
        lambda: data(many(60, "same")),
        lambda: data(many(60, "same")),
        lambda: data(many(60, "other")),
        "body $[60]",
    ),
    "a value beside one": (
        lambda: data({"id": str(uuid.uuid4()), "sum": {"of": 1}}),
        lambda: data({"id": str(uuid.uuid4()), "sum": {"of": 1}}),
        lambda: data({"id": str(uuid.uuid4()), "sum": {"of": 1.0}}),
        "body $.sum.of",
    ),
    "the kind of a value": (
        lambda: data({"id": str(uuid.uuid4())}),
        lambda: data({"id": str(uuid.uuid4())}),
        lambda: data({"id": None}),
        "body $.id",
    ),
    "what surrounds it in a text": (
        lambda: data({"id": f"order-{uuid.uuid4().hex}-of-m-12"}),
        lambda: data({"id": f"order-{uuid.uuid4().hex}-of-m-12"}),
        lambda: data({"id": f"order-{uuid.uuid4().hex}-of-m-13"}),
        "body $.id",
    ),
    "a content behind 55 fields": (
        lambda: fields(*((f"x-{n}", os.urandom(4).hex()) for n in range(55)), body=b"same"),
        lambda: fields(*((f"x-{n}", os.urandom(4).hex()) for n in range(55)), body=b"same"),
        lambda: fields(*((f"x-{n}", os.urandom(4).hex()) for n in range(55)), body=b"other"),
        "body",
    ),
    "an attribute of a cookie": (
        lambda: fields(("set-cookie", f"sid={os.urandom(8).hex()}; Path=/; HttpOnly")),
        lambda: fields(("set-cookie", f"sid={os.urandom(8).hex()}; Path=/; HttpOnly")),
        lambda: fields(("set-cookie", f"sid={os.urandom(8).hex()}; Path=/")),
        "header set-cookie",
    ),
    "the 56th effect": (
        lambda: did(*(sent(os.urandom(4).hex().encode()) for _ in range(55)), sent(b"same")),
        lambda: did(*(sent(os.urandom(4).hex().encode()) for _ in range(55)), sent(b"same")),
        lambda: did(*(sent(os.urandom(4).hex().encode()) for _ in range(55)), sent(b"other")),
        "effect 56",
    ),
    "the second line of an effect": (
        lambda: did(sent(f"{uuid.uuid4()}\nweight 3".encode())),
        lambda: did(sent(f"{uuid.uuid4()}\nweight 3".encode())),
        lambda: did(sent(f"{uuid.uuid4()}\nweight 4".encode())),
        "effect 1 message.send body line 2",
    ),
    "the class of an error": (
        lambda: failed("KeyError", f"no {uuid.uuid4()}"),
        lambda: failed("KeyError", f"no {uuid.uuid4()}"),
        lambda: failed("ValueError", f"no {uuid.uuid4()}"),
        "error",
    ),
    "an order that varies": (
        lambda: data(sorted(["a", "b", "c", "d"], key=lambda _: os.urandom(2))),
        lambda: data(["d", "c", "b", "a"]),
        lambda: data(["d", "c", "b", "e"]),
        "body $",
    ),
    "names that vary": (
        lambda: data({os.urandom(4).hex(): 1, "steady": 2}),
        lambda: data({os.urandom(4).hex(): 1, "steady": 2}),
        lambda: data({os.urandom(4).hex(): 1, "steady": 3}),
        "body $.steady",
    ),
    # nothing varies
    "one and one point nothing in a record": (
        lambda: did(kept(count=1)),
        lambda: did(kept(count=1)),
        lambda: did(kept(count=1.0)),
        "effect 1 record.write record.count",
    ),
    "one and true in a key": (
        lambda: did(("record.delete", {"table": "t", "keys": {"k": 1}})),
        lambda: did(("record.delete", {"table": "t", "keys": {"k": 1}})),
        lambda: did(("record.delete", {"table": "t", "keys": {"k": True}})),
        "effect 1 record.delete keys.k",
    ),
    "one and one point nothing in an argument": (
        lambda: did(("function.start", {"name": "f", "data": [1]})),
        lambda: did(("function.start", {"name": "f", "data": [1]})),
        lambda: did(("function.start", {"name": "f", "data": [1.0]})),
        "effect 1 function.start data[0]",
    ),
    "the end of a long message": (
        lambda: failed("ValueError", "x" * 5000 + "a"),
        lambda: failed("ValueError", "x" * 5000 + "a"),
        lambda: failed("ValueError", "x" * 5000 + "b"),
        "error",
    ),
    "spaces inside a field's value": (
        lambda: fields(("x-days", " mon,  tue\t")),
        lambda: fields(("x-days", "mon,  tue")),
        lambda: fields(("x-days", "mon, tue")),
        "header x-days",
    ),
    "a program that only one side starts": (
        lambda: Outcome(Ending.ACKNOWLEDGED, unseen=(("starts another program", "h.py:3"),)),
        lambda: Outcome(Ending.ACKNOWLEDGED, unseen=(("starts another program", "g.py:9"),)),
        lambda: Outcome(Ending.ACKNOWLEDGED),
        "unseen",
    ),
}


@pytest.mark.parametrize("what", VARYING)
def test_beside_what_varies_everything_is_compared(what: str) -> None:
    original, same, other, where = VARYING[what]
    runs = [original() for _ in range(4)]
    assert not compare(runs, same()).differences
    found = compare(runs, other())
    assert found.differences
    assert found.differences[0].at.startswith(where), found.differences


HOPELESS = {
    "its status": (fields(), Outcome(Ending.REPLIED, HttpReply(404))),
    "how it ends": (failed("KeyError", "x"), did()),
    "how many effects": (did(sent(b"a")), did(sent(b"a"), sent(b"a"))),
    "too large": (raw(os.urandom(9 << 20)), raw(os.urandom(9 << 20))),
}


@pytest.mark.parametrize("why", HOPELESS)
def test_where_nothing_can_be_said_that_is_said(why: str) -> None:
    assert why in compare(list(HOPELESS[why]), HOPELESS[why][0]).hopeless


RANDOM: dict[str, Build] = {
    "text": lambda: page(f"id {os.urandom(24).hex()} {uuid.uuid4()} +{os.urandom(3).hex()}/=\nend"),
    "octets": lambda: raw(b"\x00\xffid" + os.urandom(300) + b"tail" + os.urandom(16)),
    "text sent as octets": lambda: raw(json.dumps({"at": f"2026-11-28T{secrets.randbelow(10**6)}Z", "n": 1}).encode()),
}


@pytest.mark.parametrize("what", RANDOM)
def test_chance_is_not_taken_for_a_rule(what: str) -> None:
    def misfits() -> bool:
        *runs, got = (RANDOM[what]() for _ in range(5))
        return bool(compare(runs, got).differences)

    assert not any(misfits() for _ in range(100))


def test_large_content_is_compared_in_a_few_times_its_size() -> None:
    import tracemalloc

    one, other = b"[" + b"1," * (10 << 20) + b"1]", b"[" + b"1," * (10 << 20) + b"2]"
    tracemalloc.start()
    found = compare(raw(one), raw(other))
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert found.differences[0].at == f"body byte {len(one) - 2}"
    assert peak < 2 * len(one)
