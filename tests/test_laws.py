"""Laws of the mapping, for every profile that ships, every kind and every pair, on generated events and replies."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from itertools import permutations

import pytest
from conftest import WHOLE, some
from hypothesis import given
from hypothesis import strategies as st

from vast_ferry.checking.projection import Projection
from vast_ferry.hub.http import HttpReply
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping import law_values, laws
from vast_ferry.mapping.compile.losses import reply_losses
from vast_ferry.mapping.laws_beside import check_beside, check_client
from vast_ferry.mapping.laws_by_hand import fields_by_hand, rows_by_hand
from vast_ferry.mapping.lenses.every import LENSES
from vast_ferry.mapping.lenses.text import OrNull
from vast_ferry.mapping.losses import Loss
from vast_ferry.mapping.places import Access, Item
from vast_ferry.profiles.registry import all_profiles

PROFILES = {profile.name: profile for profile in all_profiles()}
SHAPES = [(name, kind) for name, profile in PROFILES.items() for kind in profile.kinds]
PAIRS = [(a, b, kind) for a, b in permutations(PROFILES, 2) for kind in PROFILES[a].kinds if kind in PROFILES[b].kinds]


@pytest.mark.parametrize(("name", "kind"), SHAPES)
def test_every_shape_keeps_every_law(name: str, kind: str) -> None:
    broken = [broken for _, broken in laws.check_shape(PROFILES[name].kinds[kind].event, 25) if broken]
    assert not broken, broken[0].why


@pytest.mark.parametrize("one", some(PROFILES, 2))
def test_there_and_back_is_the_identity_but_for_derived_losses(one: str) -> None:
    for _, other, kind in (pair for pair in PAIRS if pair[0] == one):
        broken = laws.check_pair(
            PROFILES[one].kinds[kind].event, PROFILES[other].kinds[kind].event, 200 if WHOLE else 80
        )
        assert broken is None, (other, broken)


#: a bug seeded into a lens or a helper → what of a profile must break
BUGS: list[tuple[str, str, object, str, str]] = [
    ("joined", "losses", lambda self, field: (), "ostermere@1", "http"),
    ("epoch_ms", "losses", lambda self, field: (), "ostermere@1", "schedule"),
    ("only_id", "losses", lambda self, field: (), "wsgi@1", "http"),
    ("form_text", "reader", "from_percent_text", "ostermere@1", "object"),
    ("or_null", "reader", "text_or_null", "ostermere@1", "message"),
    ("joined", "losses", lambda self, field: (_never(field),), "ostermere@1", "http"),
]


def _never(field: str) -> Loss:
    return Loss("never", field, "it never happens", "nothing", lambda fields: False)


@pytest.mark.parametrize(("where", "what", "bug", "name", "kind"), BUGS)
def test_a_bug_in_a_lens_can_not_be_missed(
    monkeypatch: pytest.MonkeyPatch, where: str, what: str, bug: object, name: str, kind: str
) -> None:
    monkeypatch.setattr(LENSES[where], what, bug)
    broken = [broken for _, broken in laws.check_shape(PROFILES[name].kinds[kind].event, 50) if broken]
    assert broken
    assert broken[0].why


SET_COOKIES = st.lists(st.from_regex(r"[a-z]{1,3}=[a-z0-9]{0,3}(; Path=/)?", fullmatch=True), max_size=3)
REPLIES = st.builds(
    lambda status, pairs, kind, cookies, body: HttpReply(
        status,
        [*pairs, *([("content-type", kind)] if kind else []), *(("set-cookie", cookie) for cookie in cookies)],
        b"" if status in (204, 304) else body,
    ),
    st.sampled_from([200, 201, 204, 301, 304, 404, 418, 422, 500, 599]),
    st.lists(st.tuples(law_values.HEADER_NAME | st.just("connection"), law_values.HEADER_VALUE), max_size=4),
    law_values.MEDIA,
    SET_COOKIES,
    law_values.BODY,
)


@pytest.mark.parametrize("name", [name for name, profile in PROFILES.items() if profile.http_reply])
@given(reply=REPLIES, method=st.sampled_from(["GET", "HEAD"]))
def test_replies_come_back_but_for_derived_losses(name: str, reply: HttpReply, method: str) -> None:
    profile = PROFILES[name]
    after = Projection(profile, "http", frozenset()).reply(reply, method)
    before = {
        "status": reply.status,
        "headers": reply.headers,
        "body": b"" if _no_content(name, method) else reply.body,
    }
    got = {"status": after.status, "headers": after.headers, "body": after.body}
    met: set[str] = set()
    for loss in reply_losses(profile.reply):
        met |= {"headers" if loss.field.startswith("headers") else loss.field} if loss.applies(before) else set()
    assert laws.changed(before, got) <= met
    assert [v for k, v in after.headers if k == "set-cookie"] == reply.values("set-cookie")


def _no_content(name: str, method: str) -> bool:
    return method == "HEAD" and PROFILES[name].reply.callback is not None


@pytest.mark.parametrize("name", PROFILES)
def test_answers_batches_and_calls_keep_their_laws(name: str) -> None:
    profile = PROFILES[name]
    for kind in profile.kinds.values():
        assert [broken for _, broken in check_beside(kind, 25) if broken] == []
    assert [broken for client in profile.clients if (broken := check_client(client, 25))] == []


def test_a_bug_in_a_lens_of_a_call_an_answer_or_a_batch_is_caught(monkeypatch: pytest.MonkeyPatch) -> None:
    profile = PROFILES["ostermere@1"]
    post = next(client for client in profile.clients if client.path == "lines.post")
    monkeypatch.setattr(OrNull, "reader", "text_or_null")
    broken = check_client(post, 25)
    assert broken is not None
    assert "content_type" in broken.why
    message = profile.kinds["message"]
    assert message.reply is not None
    (nothing, mapping) = message.reply.forms
    silent = replace(message.reply, forms=(replace(nothing, written=True), replace(mapping, written=False)))
    assert "again" in {loss.field for loss in reply_losses(silent)}  # a form that can't say it has a derived loss
    assert message.event.each is not None
    elsewhere = replace(message.event, each=Access("event", (Item("kind"),)))  # where its constant stands
    bad = [broken.why for _, broken in check_beside(replace(message, event=elsewhere), 25) if broken]
    assert "what stands around it is not there" in bad[0]


def by_hand_broken(one: str, count: int) -> Iterator[str]:
    """Yield what breaks the law of what is written by hand, of a provider's shapes and its rows at all others."""
    for kind, shape in PROFILES[one].kinds.items():
        checks = [("", check) for check in fields_by_hand(shape.event)]
        for other in [PROFILES[name] for name in PROFILES if name != one and kind in PROFILES[name].kinds]:
            checks += [(other.name, check) for check in rows_by_hand(shape.event, other.kinds[kind].event)]
        for other_name, (what, check) in checks:
            for event in laws.pool(kind, count):
                try:
                    check(event)
                except Exception as error:
                    yield f"{kind} {other_name} {what}: {error}"
                    break


@pytest.mark.parametrize("one", some(PROFILES, 4))
def test_what_is_written_by_hand_gives_what_the_reader_gives(one: str) -> None:
    assert list(by_hand_broken(one, 30 if WHOLE else 4)) == []


#: a face of a lens → a mistake in it, and a profile in which it must show
BY_HAND_BUGS: list[tuple[str, str, object, str]] = [
    ("percent_text", "inline", lambda self, stands: stands.at.of_type("str"), "quillhaven@1"),
    (
        "first_values",
        "inline_from_pairs",
        lambda self, pairs: pairs.over(lambda b: ex.built_in("dict", b)),
        "ostermere@1",
    ),
    ("choice", "inline", lambda self, stands: stands.at.of_type("str"), "ostermere@1"),
    ("text_or_base64", "inline", lambda self, s: s.bare.over(lambda b: ex.method(b, "encode")), "ostermere@1"),
    ("or_null", "inline", lambda self, stands: stands.at, "ostermere@1"),
]


@pytest.mark.slow
@pytest.mark.parametrize(("lens", "face", "bug", "name"), some(BY_HAND_BUGS, 5))
def test_a_bug_in_what_is_written_by_hand_is_caught(
    monkeypatch: pytest.MonkeyPatch, lens: str, face: str, bug: object, name: str
) -> None:
    monkeypatch.setattr(LENSES[lens], face, bug)
    # Which events are generated depends on what else is loaded: of thirty, none may hold a field twice.
    assert next(by_hand_broken(name, laws.LARGE), None)


#: Forms that have few values, all of them named.
FEW = {"time", "method", "scheme", "authority", "route", "client", "object.change", "record.change", "content_type"}


def test_values_are_kept_for_every_form_that_a_field_may_have() -> None:
    """`tools/make_reference.py --values` makes them."""
    kept = json.loads(law_values.KEPT.read_text(encoding="utf-8"))
    assert list(kept) == law_values.kept_names()
    assert {name for name, values in kept.items() if len(values) < 30} <= {*FEW, "attempt"}
    assert all(len(set(map(repr, values))) > 1 for values in kept.values())
