"""CloudEvents 1.0 in full: attribute rules, and the HTTP binding's three modes, judged by the project's own SDK."""

from __future__ import annotations

import base64
import json
from typing import Any

import pytest
from cloudevents.core.bindings.http import HTTPMessage, from_binary, from_http, to_binary, to_structured
from cloudevents.core.formats.json import JSONFormat
from conftest import Run
from hypothesis import given
from hypothesis import strategies as st

from vast_ferry.events import cloud_events
from vast_ferry.events.cloud_events import keeps_rules, problems
from vast_ferry.events.native import write_events
from vast_ferry.mapping import law_values, laws
from vast_ferry.profiles.registry import find_profile

GOOD: dict[str, Any] = {"specversion": "1.0", "id": "1", "source": "/a", "type": "t"}

#: what is changed in a good event → the member that a rule is broken for (empty: none is)
RULES: list[tuple[dict[str, Any], str]] = [
    ({}, ""),
    ({"specversion": "0.3"}, "specversion"),
    ({"specversion": None}, "specversion"),
    ({"id": ""}, "id"),
    ({"id": 7}, "id"),
    ({"source": ""}, "source"),
    ({"source": "a b"}, "source"),
    ({"source": "https://a.example/b?c#d"}, ""),
    ({"source": "urn:uuid:6e8bc430-9c3a-11d9-9669-0800200c9a66"}, ""),
    ({"type": ""}, "type"),
    ({"subject": ""}, "subject"),
    ({"subject": None}, ""),
    ({"subject": "north/2026 ü.csv"}, ""),
    ({"subject": "a\nb"}, "subject"),
    ({"subject": "a\x9fb"}, "subject"),
    ({"subject": "a\ufffeb"}, "subject"),
    ({"subject": "a\U0001f41db"}, ""),
    ({"time": "2026-11-25T08:30:00.123456789+02:00"}, ""),
    ({"time": "2016-12-31T23:59:60Z"}, ""),
    ({"time": "2026-11-25 08:30:00Z"}, "time"),
    ({"time": "2026-13-25T08:30:00Z"}, "time"),
    ({"time": "2026-11-25T08:30:00"}, "time"),
    ({"datacontenttype": "text/plain; charset=utf-8"}, ""),
    ({"datacontenttype": "text"}, "datacontenttype"),
    ({"dataschema": "https://a.example/s"}, ""),
    ({"dataschema": "/relative"}, "dataschema"),
    ({"comb": True}, ""),
    ({"comb": 2**31 - 1}, ""),
    ({"comb": 2**31}, "comb"),
    ({"comb": 1.5}, "comb"),
    ({"comb": {"a": 1}}, "comb"),
    ({"comb": "a\x00b"}, "comb"),
    ({"Comb": "a"}, "Comb"),
    ({"comb_1": "a"}, "comb_1"),
    ({"data": {"a": 1}}, ""),
    ({"data_base64": "AAE="}, ""),
    ({"data_base64": "A"}, "data_base64"),
    ({"data": 1, "data_base64": "AAE="}, "data_base64"),
]


@pytest.mark.parametrize(("change", "member"), RULES)
def test_rules_for_attributes(change: dict[str, Any], member: str) -> None:
    event = {**GOOD, **change}
    assert [name for name, _ in problems(event)] == ([member] if member else [])
    if member:
        assert not keeps_rules(event)


@given(
    st.dictionaries(
        st.sampled_from([*cloud_events.KNOWN, *cloud_events.DATA, "comb", "X"]), law_values.JSON | law_values.TIME
    )
)
def test_the_quick_look_never_passes_what_breaks_a_rule(event: dict[str, Any]) -> None:
    if keeps_rules({**GOOD, **event}):
        assert not list(problems({**GOOD, **event}))


def events_of(kind: str) -> list[dict[str, Any]]:
    made = []
    for event in laws.pool(kind, 60):
        try:
            made += write_events(kind, [event], find_profile("cloudevents"))
        except ValueError:  # a control character in what must be a String
            continue
    assert len(made) > 20
    return json.loads(json.dumps(made))  # type: ignore[no-any-return]


def seen(event: Any) -> dict[str, Any]:
    """Return what the SDK says of an event, attributes as HTTP headers hold them: as text."""
    known = {"id", "source", "type", "specversion", "datacontenttype", "subject"}
    found = {name: getattr(event, f"get_{name}")() for name in known}
    extensions = {name: value for name, value in event.get_attributes().items() if name not in {*known, "time"}}
    return {name: as_text(value) for name, value in {**found, **extensions}.items() if value is not None}


def as_text(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


KINDS = find_profile("cloudevents").kinds


@pytest.mark.parametrize("kind", KINDS)
def test_binary_messages_are_read_and_written_as_the_sdk_does(kind: str) -> None:
    for event in events_of(kind):
        headers, body = cloud_events.to_http([event], "binary")
        if "data_base64" in event and "json" in event.get("datacontenttype", ""):
            continue  # bytes that are no JSON under a type that says they are: the SDK reads no such message
        theirs = from_binary(HTTPMessage(dict(headers), body), JSONFormat())
        expected = {n: as_text(v) for n, v in event.items() if n not in ("time", *cloud_events.DATA)}
        got = seen(theirs)
        got.pop("datacontenttype", None) if "datacontenttype" not in event else None
        assert got == expected
        data = theirs.get_data()
        if "data_base64" in event:
            assert body == base64.b64decode(event["data_base64"])
        elif "data" in event:
            assert laws.same("", data, event["data"])
        # the other way: what the SDK writes is the same event to us
        message = to_binary(JSONFormat().read(None, json.dumps(event).encode()), JSONFormat())
        (back,) = cloud_events.from_http(list(message.headers.items()), message.body)
        for name, value in event.items():
            if name not in ("time", *cloud_events.DATA) and not isinstance(value, bool):
                assert back[name] == str(value)


@pytest.mark.parametrize("kind", KINDS)
def test_structured_and_batched_messages_carry_the_very_events(kind: str) -> None:
    events = events_of(kind)
    for event in events:
        headers, body = cloud_events.to_http([event], "structured")
        assert seen(from_http(HTTPMessage(dict(headers), body), JSONFormat())) == {
            n: as_text(v) for n, v in event.items() if n not in ("time", *cloud_events.DATA)
        }
        message = to_structured(JSONFormat().read(None, json.dumps(event).encode()), JSONFormat())
        (back,) = cloud_events.from_http(list(message.headers.items()), message.body)
        assert back["id"] == event["id"]
        assert cloud_events.from_http(headers, body) == [event]
    headers, body = cloud_events.to_http(events, "batched")
    assert headers == [("content-type", "application/cloudevents-batch+json; charset=utf-8")]
    assert cloud_events.from_http(headers, body) == events
    assert cloud_events.from_http(*cloud_events.to_http([], "batched")) == []


@given(st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1))
def test_header_values_are_percent_encoded_and_come_back(text: str) -> None:
    headers, _ = cloud_events.to_http([{**GOOD, "subject": text}], "binary")
    value = dict(headers)["ce-subject"]
    assert all(0x21 <= ord(character) <= 0x7E and character != '"' for character in value)
    assert cloud_events.from_http(headers, b"")[0]["subject"] == text
    theirs = to_binary(JSONFormat().read(None, json.dumps({**GOOD, "subject": text}).encode()), JSONFormat())
    assert theirs.headers["ce-subject"] == value


def test_a_quoted_value_is_unquoted_first() -> None:
    headers = [("Ce-Specversion", "1.0"), ("ce-id", '"a \\"b\\" %C3%BC"'), ("ce-source", "/"), ("ce-type", "t")]
    assert cloud_events.from_http(headers, b"")[0]["id"] == 'a "b" ü'


BAD = [
    ([("content-type", "text/plain")], b"", "neither the content type of an event nor a ce-specversion"),
    ([("content-type", "application/cloudevents+json")], b"[]", "is one event"),
    ([("content-type", "application/cloudevents-batch+json")], b"{}", "is a list of events"),
    ([("content-type", "application/cloudevents+json")], b"{", "Expecting"),
    ([("ce-specversion", "1.0"), ("ce-id", "%FF")], b"", "can't decode"),
]


@pytest.mark.parametrize(("headers", "body", "says"), BAD)
def test_a_message_that_carries_no_event_is_told(headers: list[tuple[str, str]], body: bytes, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        cloud_events.from_http(headers, body)


def test_the_command_reads_and_writes_messages(run: Run, tmp_path: Any) -> None:
    native = {"kind": "bell", "ticket": "n-1", "at": 1795571400123, "name": "joined", "about": "m/ü 1", "content": 1.5}
    (tmp_path / "e.json").write_text(json.dumps(native))
    convert = ("event", "convert", "--from", "ostermere@1", "--to", "cloudevents", "e.json")
    for mode in cloud_events.MODES:
        message = run(*convert, "--mode", mode, cwd=tmp_path)
        assert (message.returncode, message.stderr) == (0, "")
        (tmp_path / "m.http").write_bytes(message.stdout.encode().replace(b"\n", b"\r\n"))
        back = run("event", "convert", "--from", "cloudevents", "--to", "ostermere@1", "m.http", cwd=tmp_path)
        assert json.loads(back.stdout) == native
    assert "ce-subject: m/%C3%BC%201" in run(*convert, "--mode", "binary", cwd=tmp_path).stdout
    for arguments, says in [
        (("--lines", "--mode", "binary"), "prints an HTTP request"),
        (("--to", "thornwick", "--mode", "binary"), "don't travel as HTTP messages"),
    ]:
        bad = run(*convert, *arguments, cwd=tmp_path)
        assert (bad.returncode, bad.stdout) == (2, "")
        assert says in bad.stderr
    (tmp_path / "bad.json").write_text(json.dumps({**GOOD, "source": "/signals", "type": "signal.x", "Bad": 1}))
    bad = run("event", "convert", "--from", "cloudevents", "--to", "ostermere", "bad.json", cwd=tmp_path)
    assert (bad.returncode, bad.stdout) == (2, "")
    assert "bad.json:1: Bad can't be the name of an extension" in bad.stderr
