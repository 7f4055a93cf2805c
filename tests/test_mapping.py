"""The row language: places and lenses both ways, hostile names, and every mistake that a profile can hold."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest
from conftest import ROOT
from hypothesis import given
from hypothesis import strategies as st
from test_forms import ANSWERS, FORMS, OF_BATCHES, OF_LEVELS, TOGETHER

from vast_ferry import BadInput
from vast_ferry.definitions.tables import checked_definition
from vast_ferry.hub.findings import ManyBadInputs
from vast_ferry.mapping import helpers
from vast_ferry.mapping.compile.functions import Source, translate_event
from vast_ferry.mapping.emit import module_source, run_module
from vast_ferry.mapping.lenses.every import LENSES, parse_lens
from vast_ferry.mapping.lenses.lens import LensError
from vast_ferry.mapping.places import Access, Item, PlaceError, parse_place
from vast_ferry.mapping.tables import HUB_EVENT, Constant, EventShape, Row
from vast_ferry.profiles.profile import load_profile
from vast_ferry.profiles.registry import FOLDER, all_profiles, find_profile

PLACES = [
    ("event", (), "event"),
    ('event["call"]["verb"]', ("call", "verb"), "event['call']['verb']"),
    ("request.run.name", ("run", "name"), "request.run.name"),
    ("request.text()", ("text()",), "request.text()"),
    ("ctx.note(text, **more)", ("note()",), "ctx.note(text, **more)"),
    ('e["a"][0].b', ("a", 0, "b"), "e['a'][0].b"),
]


@pytest.mark.parametrize(("text", "on_file", "shown"), PLACES)
def test_a_place_says_where_it_is_read_and_where_it_stands_on_file(
    text: str, on_file: tuple[Any, ...], shown: str
) -> None:
    place = parse_place(text)
    assert (place.on_file, str(place)) == (on_file, shown)
    assert parse_place(str(place)) == place


@pytest.mark.parametrize(
    ("text", "column"),
    [("event[", 6), ("event[x]", 1), ("a + b", 1), ("e[True]", 3), ("f()", 1), ("e.m(1)", 5), ("e.m(a=1)", 7), ("", 1)],
)
def test_what_is_no_place_is_refused_with_its_column(text: str, column: int) -> None:
    with pytest.raises(PlaceError) as error:
        parse_place(text)
    assert error.value.column == column


#: hub value ↔ native value, by a pair of helpers, and what comes back
TWO_WAY: list[tuple[str, str, Any, Any]] = [
    ("epoch_ms_from_time", "time_from_epoch_ms", "2026-11-25T10:30:00.123Z", 1795602600123),
    ("epoch_ms_from_time", "time_from_epoch_ms", "1969-12-31T23:59:59.999Z", -1),
    ("epoch_ms_from_time", "time_from_epoch_ms", "0001-01-01T00:00:00.000Z", -62135596800000),
    ("path_info", "environ_path_of", "/a%20b/%C3%BC", "/a b/\xc3\xbc"),
    ("path_info", "environ_path_of", "/%FF", "/\xff"),
    ("status_line", "status_from_line", 200, "200 OK"),
    ("status_line", "status_from_line", 299, "299 Unassigned"),
    ("split_cookies", "join_cookies", "a=1; b=2", ["a=1", "b=2"]),
    ("split_cookies", "join_cookies", "", []),
    ("parse_query", "build_query", "a=1&a=2&b=", [("a", "1"), ("a", "2"), ("b", "")]),
    ("parse_query", "build_query", "k=%C3%BC+%2B%2F", [("k", "ü +/")]),
    ("decode_path", "encode_path", "/a%20b/%E6%9C%88", "/a b/月"),
    ("file_bytes", "bytes_on_file", b"text", "text"),
    ("file_bytes", "bytes_on_file", b"\xff\x00", {"base64": "/wA="}),
]


@pytest.mark.parametrize(("write", "read", "hub", "native"), TWO_WAY)
def test_helpers_write_and_read_back(write: str, read: str, hub: Any, native: Any) -> None:
    assert getattr(helpers, write)(hub) == native
    if read == "environ_path_of":
        assert helpers.environ_path({"PATH_INFO": native}) == hub
    else:
        assert getattr(helpers, read)(native) == hub


PATHS = [
    # PATH_INFO, SCRIPT_NAME, offered target → raw path
    ("/hives/h/7", "", "/hives/h%2F7?day=mon", "/hives/h%2F7"),
    ("/hives/h/7", "", "https://api.example/hives/h%2F7", "/hives/h%2F7"),
    ("/hives/h/7", "", None, "/hives/h/7"),
    ("/rewritten", "", "/hives/h%2F7", "/rewritten"),
    ("/h/7", "/hives", "/hives/h%2F7", "/h%2F7"),
    ("/h/7", "/my hives", "/my%20hives/h%2F7", "/h%2F7"),
    ("", "", "/", "/"),
    ("", "/hives", "/hives", "/"),
    ("/a\xc3\xbc", "", "/a%c3%bc", "/a%c3%bc"),
]


@pytest.mark.parametrize(("info", "script", "target", "raw"), PATHS)
def test_the_raw_path_is_taken_where_it_is_offered_and_still_true(
    info: str, script: str, target: str | None, raw: str
) -> None:
    environ = {"PATH_INFO": info, "SCRIPT_NAME": script, **({"RAW_URI": target} if target else {})}
    assert helpers.environ_path(environ, "RAW_URI", "REQUEST_URI") == raw


CONTENT = [
    # content type, bytes → text or Base64, packed
    ("application/json", b'{"a": 1.50}', '{"a": 1.50}', False),
    ("text/plain; charset=latin-1", b"Gr\xfc\xdfe", "Grüße", False),
    ("text/plain", b"Gr\xfc\xdfe", "R3L832U=", True),
    ("image/png", b"abc", "YWJj", True),
    ("", b"abc", "YWJj", True),
    ("text/plain; charset=utf-16", b"\xfe\xff\x00a", "/v8AYQ==", True),
    ("application/soap+xml", b"<a/>", "<a/>", False),
    ("text/csv; charset=klingon", b"a", "a", False),
    ("application/x-www-form-urlencoded", b"a=1", "a=1", False),
    ("image/png", b"", "", False),
]


@pytest.mark.parametrize(("kind", "body", "content", "packed"), CONTENT)
def test_content_goes_as_text_only_if_it_comes_back_unchanged(
    kind: str, body: bytes, content: str, packed: bool
) -> None:
    assert helpers.text_or_packed(body, kind) == (content, packed)
    assert helpers.from_text_or_packed(content, packed, kind) == body


ROUTES = [
    ("/hives/{hive}/weight", "/hives/h-7/weight", {"hive": "h-7"}),
    ("/hives/{hive}/weight", "/hives/h%2F7/weight", {"hive": "h/7"}),
    ("/hives/{hive}/weight", "/hives/h/7/weight", None),
    ("/hives/{hive}/weight", "/hives//weight", None),
    ("/hives/{hive}/weight", "/hives/h-7/weight/", None),
    ("/h%69ves", "/hives", {}),
    ("/files/{+rest}", "/files/a/b%2Fc", {"rest": "a/b/c"}),
    ("/files/{+rest}", "/files/", {"rest": ""}),
    ("/files/{+rest}", "/files", None),
    ("/", "/", {}),
    ("/{a}/{b}", "/%C3%BC/a+b", {"a": "ü", "b": "a+b"}),
]


@pytest.mark.parametrize(("template", "path", "captures"), ROUTES)
def test_routes_match_segment_by_segment_before_decoding(
    template: str, path: str, captures: dict[str, str] | None
) -> None:
    assert helpers.match_route(template, path) == captures


def test_cookie_fields_are_one_list_and_set_cookie_fields_are_not() -> None:
    fields = [("cookie", "a=1"), ("x", "y"), ("Cookie", "b=2")]
    assert helpers.cookie_of(fields) == "a=1; b=2"
    assert helpers.without(fields, "cookie") == [("x", "y")]
    assert helpers.with_set_cookies([], ["a=1", "b=2"]) == [("set-cookie", "a=1"), ("set-cookie", "b=2")]


def test_the_more_exact_route_comes_first() -> None:
    routes = ["/a/{+rest}", "/a/{b}", "/a/b", "/{+rest}", "/a/{b}/c"]
    assert sorted(routes, key=helpers.route_order) == ["/a/b", "/a/{b}", "/a/{b}/c", "/a/{+rest}", "/{+rest}"]


@pytest.mark.parametrize(
    ("name", "value"),
    [
        ("x-a", "b\r\nc: d"),
        ("x-a", "b\nc"),
        ("x-a", "\0"),
        ("x-a", "€"),
        ("x a", "b"),
        ("", "b"),
        ("x\r\n", "b"),
        ("ü", "b"),
    ],
)
def test_no_header_that_splits_a_message_gets_out(name: str, value: str) -> None:
    with pytest.raises(ValueError, match="header field"):
        helpers.safe_headers([(name, value)])


#: helper, what it gets → what it gives, or what is said of it
REFUSING: list[tuple[str, tuple[Any, ...], Any]] = [
    ("bytes_of", (bytearray(b"a"), ""), b"a"),
    ("bytes_of", (memoryview(b""), ""), b""),
    ("bytes_of", (None, ""), b""),
    ("bytes_of", (5, ""), "content is text or bytes, not int"),
    ("bytes_of", ([65, 66], ""), "content is text or bytes, not list"),
    ("pairs_of_records", ([["a", "1", "2"]], 0, 1), "no list of a name and a value"),
    ("listed_by_key", ([["a", 1], ["b", 2]], 0), {"a": [1], "b": [2]}),
    ("listed_by_key", ([["a", 1], ["a", 2]], 0), "two of them have the same 0"),
    ("listed_by_key", ([{"n": "a"}, {}], "n"), "one of them has no n"),
]


@pytest.mark.parametrize(("name", "handed", "gives"), REFUSING)
def test_what_a_helper_can_not_take_is_said(name: str, handed: tuple[Any, ...], gives: Any) -> None:
    if not isinstance(gives, str):
        assert getattr(helpers, name)(*handed) == gives
        return
    with pytest.raises((TypeError, ValueError), match=gives):
        getattr(helpers, name)(*handed)


@pytest.mark.parametrize(
    ("code", "error"), [("200", TypeError), (True, TypeError), (101, ValueError), (600, ValueError)]
)
def test_only_final_statuses_are_replies(code: Any, error: type[Exception]) -> None:
    with pytest.raises(error):
        helpers.final_status(code)


@given(key=st.text(), value=st.text() | st.integers() | st.none())
def test_hostile_names_and_constants_are_only_ever_data(key: str, value: Any) -> None:
    shape = EventShape(
        ("event",),
        (Row(Access("event", (Item(key), Item("x"))), "method"), Row(Access("event", (Item(key), Item("{0}"))), "id")),
        (Constant(Access("event", (Item(key), Item('"); import os; ("'))), value),),
        event_parameters=("event",),
    )
    there = run_module(module_source("T.", [translate_event("t", HUB_EVENT, shape)]), "t")["t"]
    back = run_module(module_source("T.", [translate_event("t", shape, HUB_EVENT)]), "t")["t"]
    fields = {row.field: b"" if row.field == "body" else "" for row in HUB_EVENT.rows} | {"method": "PUT", "id": "{1}"}
    native = there(fields)
    assert native == {key: {"x": "PUT", "{0}": "{1}", '"); import os; ("': value}}
    assert (back(native)["method"], back(native)["id"]) == ("PUT", "{1}")


def test_what_both_sides_have_in_one_form_passes_untouched() -> None:
    text = translate_event(
        "t", find_profile("ostermere@1").event.on_file(), find_profile("ostermere@1").event.on_file()
    ).text
    assert "time_from_epoch_ms" not in text
    assert "parse_query(query_raw)" not in text.replace("first_values(parse_query(", "")


@pytest.mark.parametrize(
    "text", ["multimpa(first=one)", "joined(x)", "1 + 1", "route('a')", "a.b", "keys(1)", "joined(", "route(1, 2)"]
)
def test_lenses_refuse_what_they_do_not_take(text: str) -> None:
    with pytest.raises(LensError):
        parse_lens(text)


def test_every_lens_is_used_by_a_shipped_profile_or_has_its_row_in_the_table_of_forms() -> None:
    used = {"plain", "pairs", "epoch_s"}  # the last is there for who writes a profile
    said = [*(case[2] for case in FORMS), *(row for case in TOGETHER for row in case[1])]
    said += [row for case in ANSWERS for row in case[0]]
    used |= {name for one in said for name in re.findall(r"[a-z_0-9]+", " ".join(map(str, one.values())))}
    used |= {form.partition("(")[0] for form in (*(case[0] for case in OF_BATCHES), *(case[0] for case in OF_LEVELS))}
    own = [find_profile(str(path)) for path in sorted((ROOT / "tests" / "manuals").glob("*.yaml"))]
    clients = [client for profile in (*all_profiles(), *own) for client in profile.clients]
    rows = [row for client in clients for row in client.arguments.rows]
    rows += [row for client in clients if client.result for row in client.result.rows]
    rows += [row for profile in own for kind in profile.kinds.values() for row in kind.event.rows]
    surfaces = [profile.javascript for profile in all_profiles() if profile.javascript is not None]
    for kind in (kind for profile in (*all_profiles(), *own, *surfaces) for kind in profile.kinds.values()):
        rows += kind.event.rows
        rows += [row for form in (kind.reply.forms if kind.reply else ()) for row in form.rows]
    for row in rows:
        filed = row.lens.on_file()
        used |= {row.lens.name, filed.name, filed.exact().name}
    assert set(LENSES) - used == set()


#: a change to a good profile → what the message must say, and at which line's text it must point
BAD_ROWS = [
    ("is: method}", "is: metod}", "no hub field 'metod' (did you mean 'method'?)"),
    ("is: method}", "is: scheme}", "scheme is read at"),
    ('event["call"]["verb"]', 'evnt["call"]["verb"]', "starts at 'evnt', which is no parameter"),
    ('event["call"]["verb"]', 'event["call"', "is not an access path"),
    ('event["call"]["verb"]', 'event["ticket"]', "is written twice"),
    ("as: epoch_ms", "as: epoch_msec", "did you mean 'epoch_ms'"),
    ("as: epoch_ms", "as: joined", "lens joined is for pairs, and time holds text"),
    ("as: text_or_base64, flag: 'event[\"packed\"]'", "as: text_or_base64", "needs a second place"),
    ("as: joined}", "as: joined, flag: 'event[\"x\"]'}", "has no second place"),
    ("derived: true", "derive: true", "there is no such key (did you mean 'derived'?)"),
    ("provider: ostermere", "povider: ostermere", "there is no such key (did you mean 'provider'?)"),
    ("edition: 1", "edition: one", "edition"),
    ("when: nothing", "when: none", "a form can't be told by 'none'"),
    ("        written: true\n", "", "exactly one form of a reply must be the written one"),
    ("fixed: {status: 204}", "fixed: {stats: 204}", "no hub field 'stats' (did you mean 'status'?)"),
    ("is: memory}", "is: memry}", "a definition has no field 'memry' (did you mean 'memory'?)"),
    ("file_entry('#')", "file_entri('#')", "there is no form"),
    ("file_entry('#')", "file_entry", "form file_entry takes the separator"),
    ("key=key, members", "key=public, members", "two words stand for the same"),
    ("kind: object", "kind: objct", "did you mean 'object'"),
    # what would become code or a path outside
    ("parameters: [event, ctx]", "parameters: [event, parse_query]", "can't be called 'parse_query'"),
    ("parameters: [event, ctx]", "parameters: [event, 'x=1']", "parameters.1"),
    ("file: ostermere.yaml", "file: ../x.yaml", "has to be a path inside the project"),
    ("clients:", "modules: {m: {C: {takes: ['a=print(1)']}}}\nclients:", "has to be a name, or name=literal"),
    ("clients:", "modules: {../m: {C: {takes: []}}}\nclients:", "modules"),
    ("when: nothing", "when: object\n        class: 'a, b'", "class"),
    ("as: epoch_ms", "as: \"multimap(first='x; y')\"", "takes names"),
]


@pytest.mark.parametrize(("old", "new", "says"), BAD_ROWS)
def test_a_bad_row_is_one_message_with_its_line(tmp_path: Path, old: str, new: str, says: str) -> None:
    good = (FOLDER / "ostermere-1.yaml").read_text()
    assert old in good
    bad = good.replace(old, new, 1)
    file = tmp_path / "bad.yaml"
    file.write_text(bad)
    with pytest.raises(BadInput) as error:
        checked_definition(load_profile(file))
    assert says in str(error.value)
    line = bad[: good.index(old)].count("\n") + 1
    lines = [int(found) for found in re.findall(rf"{re.escape(str(file))}:(\d+)", str(error.value))]
    # missing keys are told where the mapping begins, a second reading at the later row
    assert any(abs(at - line) <= 6 for at in lines) or "written" in says or "be called" in says, (lines, line)


def test_all_mistakes_of_a_profile_are_told_at_once(tmp_path: Path) -> None:
    text = (FOLDER / "ostermere-1.yaml").read_text()
    file = tmp_path / "bad.yaml"
    file.write_text(text.replace("is: method}", "is: metod}").replace("as: epoch_ms", "as: epoch_msec", 1))
    with pytest.raises(ManyBadInputs) as error:
        load_profile(file)
    assert len(error.value.problems) == 2


def test_a_provider_is_named_nowhere_but_in_its_profile() -> None:
    names = {profile.provider for profile in all_profiles() if not profile.model.standard}
    source = FOLDER.parent.parent
    for path in source.rglob("*.py"):
        if "demo" in path.relative_to(source).parts:
            continue
        code = "\n".join(line for line in path.read_text().splitlines() if not line.lstrip().startswith((">>>", "...")))
        code = re.sub(r'""".*?"""', "", code, flags=re.DOTALL)
        for name in names:
            assert name not in code.lower(), f"{path} names {name}"
        code = re.sub(r"#.*", "", code)
        assert "wsgi" not in re.sub(
            r"wsgi\.|wsgiorg|\(wsgi\.org|default=\"wsgi\"", "", re.sub(r"#.*", "", code).lower()
        ), path


def test_shipped_profiles_are_told_by_name_edition_or_file() -> None:
    assert find_profile("ostermere@1") is find_profile("ostermere@1")
    assert find_profile(str(FOLDER / "ostermere-1.yaml")).name == "ostermere@1"
    for name, says in [
        ("osternere", "did you mean 'ostermere'"),
        ("ostermere@9", "no edition 9"),
        ("", "there is no provider"),
    ]:
        with pytest.raises(BadInput, match=says):
            find_profile(name)


def test_two_classes_that_are_called_alike_stand_apart() -> None:
    def source(name: str, gives: int) -> Source:
        return Source(name, f"def {name}():\n    return Mate().gives", {"Mate": f"class Mate:\n    gives = {gives}\n"})

    made = run_module(module_source("About.", [source("one", 1), source("two", 2), source("three", 1)]), "t")
    assert [made[name]() for name in ("one", "two", "three")] == [1, 2, 1]
