"""Laws of the mapping, on generated events and replies: what is written is read back, but for derived losses."""

from __future__ import annotations

import functools
import json
from collections.abc import Callable
from itertools import permutations
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vast_ferry.checking.projection import Projection
from vast_ferry.hub.http import HttpEvent, HttpReply
from vast_ferry.mapping.compile import event_losses, reply_losses, translate_event
from vast_ferry.mapping.emit import module_source, run_module
from vast_ferry.mapping.losses import Loss
from vast_ferry.mapping.tables import HUB_CALL, HUB_EVENT, EventShape
from vast_ferry.providers.profile import Profile
from vast_ferry.providers.registry import all_profiles
from vast_ferry.samples.native import read_native, write_native

PROFILES = {profile.name: profile for profile in all_profiles()}

# --- generated hub data: what RFC 9110 and RFC 3986 let through, and often what is awkward ----------------------------

TOKEN = st.from_regex(r"[a-z][a-z0-9]{0,6}([-_][a-z0-9]{1,5})?", fullmatch=True)
VALUE = st.text(st.characters(min_codepoint=0x21, max_codepoint=0xFF, exclude_categories=["Cc"]), max_size=12)
PIECE = st.sampled_from(
    ["h-7", "a%20b", "a+b", "h%2F7", "%C3%BC", "~x", "%7Ex", "x%2fy", "1,2", "%E6%9C%88", "", "b=c"]
)
PATH = st.lists(PIECE, min_size=1, max_size=4).map(lambda pieces: "/" + "/".join(pieces))
QUERY = st.lists(
    st.sampled_from(
        ["day=mon", "day=tue", "unit=", "flag", "", "a+b=c%20d", "p=1%2B2", "q=%E6%9C%88", "=x", "y=~", "z=%FF"]
    )
    | st.from_regex(r"[a-z%2Bé]{0,4}", fullmatch=True).map(
        lambda text: text.replace("%", "%25").replace("é", "%C3%A9")
    ),
    max_size=5,
).map("&".join)
NOT_GENERATED = {"cookie", "host", "content-length", "transfer-encoding", "content-type"}
TYPES = st.sampled_from(
    [
        "",
        "text/plain",
        "application/json; charset=utf-8",
        "text/plain; charset=latin-1",
        "image/png",
        "text/x; charset=no",
    ]
    + ["text/csv; charset=utf-16", "application/problem+json", 'text/html; charset="utf-8"', "application/octet-stream"]
)
BODY = st.binary(max_size=40) | st.text(max_size=20).map(str.encode) | st.just(b"\xff\xfea\x00")
COOKIE = st.lists(st.from_regex(r"[a-z]{1,3}=[a-z0-9]{0,3}", fullmatch=True), max_size=3).map("; ".join)


@st.composite
def headers(draw: st.DrawFn) -> list[tuple[str, str]]:
    made = draw(st.lists(st.tuples(TOKEN, VALUE), max_size=5))
    made = [pair for pair in made if pair[0] not in NOT_GENERATED]
    kind = draw(TYPES)
    cookies = draw(st.lists(COOKIE.filter(bool), max_size=2))
    return [*made, *([("content-type", kind)] if kind else []), *(("cookie", cookie) for cookie in cookies)]


EVENTS = st.builds(
    HttpEvent,
    id=st.text(max_size=8),
    time=st.sampled_from(
        [
            "2026-11-25T10:30:00.123Z",
            "1969-12-31T23:59:59.999Z",
            "2026-01-01T00:00:00.000Z",
            "2026-03-29T01:30:00.123456789Z",
        ]
        + ["2026-07-01T08:00:00.500+02:00"]
    ),
    method=st.sampled_from(["GET", "HEAD", "POST", "PUT", "DELETE", "OPTIONS", "PROPFIND"]),
    scheme=st.sampled_from(["http", "https"]),
    authority=st.sampled_from(["api.lindenfold.example", "localhost:8080", "[2001:db8::1]:443"]),
    path=PATH,
    query=QUERY,
    route=st.sampled_from(["/hives/{hive}/weight", "/files/{+rest}", "/"]),
    captures=st.dictionaries(TOKEN, st.text(max_size=5), max_size=2),
    headers=headers(),
    body=BODY,
    client=st.sampled_from(["", "198.51.100.7", "2001:db8::7"]),
    principal=st.none()
    | st.builds(lambda name, claims: {"id": name, "claims": claims}, TOKEN, st.dictionaries(TOKEN, VALUE, max_size=2)),
)

SET_COOKIES = st.lists(st.from_regex(r"[a-z]{1,3}=[a-z0-9]{0,3}(; Path=/)?", fullmatch=True), max_size=3)
REPLIES = st.builds(
    lambda status, pairs, kind, cookies, body: HttpReply(
        status,
        [*pairs, *([("content-type", kind)] if kind else []), *(("set-cookie", cookie) for cookie in cookies)],
        b"" if status in (204, 304) else body,
    ),
    st.sampled_from([200, 201, 204, 301, 304, 404, 418, 422, 500, 599]),
    st.lists(st.tuples(TOKEN | st.just("connection"), VALUE), max_size=4),
    TYPES,
    SET_COOKIES,
    BODY,
)


def by_name(pairs: Any) -> dict[str, list[str]]:
    """Order between fields of different names says nothing (RFC 9110 §5.3)."""
    found: dict[str, list[str]] = {}
    for name, value in pairs:
        found.setdefault(name.lower(), []).append(value)
    return found


def changed(before: dict[str, Any], after: dict[str, Any]) -> set[str]:
    """Return the truths that did not come back."""
    return {
        name
        for name in before
        if (by_name(before[name]) != by_name(after[name]) if name == "headers" else before[name] != after[name])
    }


def truth_of(loss: Loss) -> str:
    """Return the truth that a loss shows in."""
    name = loss.field
    return (
        "headers" if name.startswith(("headers", "cookies")) else f"{name}.raw" if name in ("path", "query") else name
    )


def explained(before: dict[str, Any], after: dict[str, Any], losses: list[Loss], offered: set[str]) -> None:
    """Assert that each truth that changed has a derived loss that this event meets."""
    met = {truth_of(loss) for loss in losses if loss.applies(before) and loss.unless not in offered}
    assert changed(before, after) <= met


def compiled(source: EventShape, target: EventShape) -> Callable[..., Any]:
    text = module_source("Law.", [translate_event("translate", source, target)])
    function: Callable[..., Any] = run_module(text, "law")["translate"]
    return function


@pytest.mark.parametrize("name", PROFILES)
@given(event=EVENTS)
def test_write_then_read_is_the_identity_but_for_derived_losses(name: str, event: HttpEvent) -> None:
    profile, fields = PROFILES[name], event.as_fields()
    for without in (frozenset[str](), frozenset({"raw_target"})):
        offered = {"raw_target"} - without
        after = Projection(profile, without).event(event, fresh=False).as_fields()
        explained(fields, after, event_losses(profile.event), offered)
    # the same through live objects, as handlers get them
    live = _live(profile)(fields)
    explained(fields, live, event_losses(profile.event), {"raw_target"})


@functools.cache
def _live(profile: Profile) -> Callable[[dict[str, Any]], dict[str, Any]]:
    write, read = compiled(HUB_CALL, profile.event), compiled(profile.event, HUB_EVENT)
    roots = {row.at.root for row in profile.event.rows}
    used = [index for index, name in enumerate(profile.event.parameters) if name in roots]
    extra = [None] if profile.reply.callback else []

    def through(fields: dict[str, Any]) -> dict[str, Any]:
        called = {**fields, "function": "f", "limit": 1.0, "log": print, "secret": str, "time_left": float}
        native = write(called, *extra)
        values = native if len(profile.event.parameters) > 1 else (native,)
        result: dict[str, Any] = read(*(values[index] for index in used))
        return result

    return through


@pytest.mark.parametrize(("one", "other"), [(a, b) for a, b in permutations(PROFILES, 2)])
@given(event=EVENTS)
@settings(max_examples=40)
def test_fused_is_read_and_write_and_comes_back(one: str, other: str, event: HttpEvent) -> None:
    a, b = PROFILES[one], PROFILES[other]
    native = json.loads(json.dumps(write_native(event, a)))
    fused = _fused(one, other)(native)
    held = read_native(native, a, "event")
    assert json.loads(json.dumps(fused)) == json.loads(json.dumps(write_native(held, b)))
    # A → B → A is the identity but for what B can't hold of what A showed
    back = read_native(json.loads(json.dumps(fused)), b, "event").as_fields()
    explained(held.as_fields(), back, event_losses(b.event), {"raw_target"})


@functools.cache
def _fused(one: str, other: str) -> Callable[..., Any]:
    return compiled(PROFILES[one].event.on_file(), PROFILES[other].event.on_file())


@pytest.mark.parametrize("name", PROFILES)
@given(reply=REPLIES, method=st.sampled_from(["GET", "HEAD"]))
def test_replies_come_back_but_for_derived_losses(name: str, reply: HttpReply, method: str) -> None:
    profile = PROFILES[name]
    after = Projection(profile, frozenset()).reply(reply, method)
    before = {
        "status": reply.status,
        "headers": reply.headers,
        "body": b"" if _no_content(name, method) else reply.body,
    }
    got = {"status": after.status, "headers": after.headers, "body": after.body}
    if not any(key == "content-type" for key, _ in reply.headers):  # each provider names one of its own
        got["headers"] = [pair for pair in after.headers if pair[0] != "content-type"]
    explained(before, got, reply_losses(profile.reply), set())
    assert [v for k, v in after.headers if k == "set-cookie"] == reply.values("set-cookie")


def _no_content(name: str, method: str) -> bool:
    return method == "HEAD" and PROFILES[name].reply.callback is not None


LOSSES = [(name, loss) for name, profile in PROFILES.items() for loss in event_losses(profile.event)]


@pytest.mark.parametrize(("name", "loss"), LOSSES, ids=[f"{name} {loss.code}" for name, loss in LOSSES])
def test_every_derived_loss_shows_on_some_event(name: str, loss: Loss) -> None:
    shown = {
        "encoded-slash": HttpEvent(path="/a%2Fb"),
        "path-respelt": HttpEvent(path="/%7Ea"),
        "query-respelt": HttpEvent(query="a&b=%20"),
        "header-joined": HttpEvent(headers=[("a", "1"), ("a", "2")]),
        "header-underscore": HttpEvent(headers=[("a_b", "1")]),
        "cookies-respelt": HttpEvent(headers=[("cookie", "a=1;b=2")]),
        "cookie-fields-joined": HttpEvent(headers=[("cookie", "a=1"), ("cookie", "b=2")]),
        "time-cut": HttpEvent(time="2026-01-01T00:00:00.123456Z"),
        "time-unknown": HttpEvent(),
        "time-offset": HttpEvent(time="2026-01-01T00:00:00.000+02:00"),
        "claims-lost": HttpEvent(principal={"id": "m-1", "claims": {"a": "b"}}),
        "no-id": HttpEvent(id="e-1"),
        "no-time": HttpEvent(time="2026-01-01T00:00:00.000Z"),
    }[loss.code]
    fields = shown.as_fields()
    without = frozenset({loss.unless}) if loss.unless else frozenset[str]()
    after = Projection(PROFILES[name], without).event(shown, fresh=False).as_fields()
    assert loss.applies(fields)
    assert truth_of(loss) in changed(fields, after)
