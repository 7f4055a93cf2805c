"""Every kind of event at every provider: told apart, batched and taken apart, exact, and as CloudEvents has them."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from itertools import permutations
from pathlib import Path
from typing import Any

import jsonschema
import pytest
import yaml
from cloudevents.core.bindings.http import HTTPMessage, from_structured, to_binary, to_structured
from cloudevents.core.formats.json import JSONFormat
from cloudevents.core.v1.event import CloudEvent
from conftest import ROOT, WHOLE, Run, some

from vast_ferry import BadInput, convert
from vast_ferry.events.convert import Converter
from vast_ferry.events.native import read_events, write_events
from vast_ferry.events.recognising import kind_of
from vast_ferry.evidence.witnesses import facts
from vast_ferry.hub.fields import EVENTS
from vast_ferry.mapping import emit, laws
from vast_ferry.mapping.lenses.every import LENSES
from vast_ferry.profiles.json_schema import profile_schema
from vast_ferry.profiles.profile import load_profile, whole_document
from vast_ferry.profiles.registry import all_profiles, find_profile, shipped

PROFILES = {profile.name: profile for profile in all_profiles()}
SHAPES = [(name, kind) for name, profile in PROFILES.items() for kind in profile.kinds]


def kept_rules(kind: str, count: int) -> list[dict[str, Any]]:
    """Return generated events that any format may hold: no control characters where CloudEvents has a String."""
    texts = {"object": "key", "signal": "subject"}
    made = laws.pool(kind, laws.LARGE)
    events = [event for event in made if event.get(texts.get(kind, ""), "x").isprintable()][:count]
    assert len(events) == count
    return events


@pytest.mark.parametrize(("name", "kind"), SHAPES)
def test_a_native_event_tells_its_kind(name: str, kind: str) -> None:
    profile = PROFILES[name]
    for event in kept_rules(kind, 20)[: None if WHOLE else 4]:
        (native,) = write_events(kind, [event], profile)
        native = json.loads(json.dumps(native))
        assert kind_of(native, profile, "event") == kind
        assert read_events(native, profile, "event")[0] == kind


LINE: dict[str, Any] = {
    "ticket": "l-1", "at": 1795571400123, "line": "honey-orders", "text": '{"jars": 6}', "packed": False,
    "form": "application/json", "notes": {"region": "north"}, "group": None, "tries": 1,
}  # fmt: skip


@pytest.mark.parametrize("count", [0, 1, 3])
def test_batches_are_taken_apart_and_put_together(count: int) -> None:
    batch = {"kind": "line", "batch": [{**LINE, "ticket": f"l-{number}"} for number in range(count)]}
    apart = convert(batch, "ostermere@1", "thornwick@1").events
    assert [event["mark"] for event in apart] == [f"l-{number}" for number in range(count)]
    together = convert(json.loads(json.dumps(apart)), "thornwick@1", "ostermere@1").events
    assert together == ([batch] if count else [])
    assert convert(batch, "ostermere@1", "ostermere@2").events[0]["kind"] == "line"
    if count != 1:
        with pytest.raises(ValueError, match="look at `events`"):
            _ = convert(batch, "ostermere@1", "thornwick@1").event


KEYS = [
    ("north/2026-11-20 first.csv", "north/2026-11-20+first.csv"),
    ("a+b%20c", "a%2Bb%2520c"),
    ("/leading/slash", "/leading/slash"),
    ("caf\u00e9", "caf%C3%A9"),
    ("cafe\u0301", "cafe%CC%81"),
    ("ü" * 512, "%C3%BC" * 512),
]


@pytest.mark.parametrize(("key", "native"), KEYS, ids=lambda text: text[:12])
def test_keys_are_exact(key: str, native: str) -> None:
    event = {**laws.pool("object", 1)[0], "key": key}
    for name, profile in PROFILES.items():
        if "object" in profile.kinds:
            written = json.loads(json.dumps(write_events("object", [event], profile)[0]))
            assert read_events(written, profile, "event")[1][0]["key"] == key
            if name == "ostermere@1":
                assert written["batch"][0]["item"] == native


@pytest.mark.parametrize(
    "value", [2**53 + 1, -(2**70), 0.1, 1e300, None, "", [], {}, False, {"a": None}, "1.50", "\u2028"]
)
def test_values_come_through_between_all_pairs(value: Any) -> None:
    event = {**laws.pool("call", 1)[0], "id": "c-1", "data": value, "extensions": {}}
    for one, other in permutations((name for name, profile in PROFILES.items() if "call" in profile.kinds), 2):
        (native,) = write_events("call", [event], PROFILES[one])
        (there,) = convert(json.loads(json.dumps(native)), one, other).events
        got = read_events(json.loads(json.dumps(there)), PROFILES[other], "event")[1][0]["data"]
        assert laws.same("", got, value), (one, other)


# --- CloudEvents, judged by the project's own SDK --------------------------------------------------------------------


@pytest.mark.parametrize("kind", PROFILES["cloudevents@1"].kinds)
def test_events_are_cloudevents_for_the_projects_own_sdk(kind: str) -> None:
    profile, format_ = find_profile("cloudevents"), JSONFormat()
    for event in kept_rules(kind, 60):
        if kind == "object" and not event["key"].strip():
            continue
        (ours,) = write_events(kind, [event], profile)
        theirs = format_.read(None, json.dumps(ours).encode())
        assert theirs.get_id() == event["id"]
        assert theirs.get_specversion() == "1.0"
        for name, value in event.get("extensions", {}).items():
            assert theirs.get_extension(name) == value
        # the other way: what the SDK writes reads as the same event
        again = json.loads(format_.write(theirs))
        again.pop("time", None)  # the SDK ends at microseconds, and makes up a time where there is none
        again.update({"time": ours["time"]} if "time" in ours else {})
        back = read_events(again, profile, "event")[1][0]
        expected = read_events(json.loads(json.dumps(ours)), profile, "event")[1][0]
        assert laws.changed(expected, back) <= ({"body"} if kind == "message" else set())


def test_an_event_made_by_the_sdk_is_read() -> None:
    made = CloudEvent(
        attributes={
            "id": "n-1",
            "source": "/signals",
            "type": "signal.member.joined",
            "subject": "members/m-12",
            "specversion": "1.0",
            "extra": "x",
        },
        data={"name": "Ada", "eggs": 2**60},
    )
    message: HTTPMessage = to_structured(made, JSONFormat())
    there = convert(json.loads(message.body), "cloudevents", "ostermere@1").event
    assert (there["kind"], there["name"], there["about"]) == ("bell", "member.joined", "members/m-12")
    assert there["content"] == {"name": "Ada", "eggs": 2**60}
    lost = convert(json.loads(message.body), "cloudevents", "ostermere@1").losses
    assert "no-extensions" in {loss.code for loss in lost}
    assert to_binary(made, JSONFormat()).headers
    assert from_structured(message, JSONFormat()).get_id() == "n-1"


def test_what_a_shape_refuses_is_bad_input() -> None:
    event = {**laws.pool("signal", 1)[0], "extensions": {"Not-Allowed": "x"}}
    (native,) = write_events("signal", [event], find_profile("quillhaven"))
    with pytest.raises(BadInput, match=r"e\.json:1: this signal event can't be written for CloudEvents: 'Not-Allowed'"):
        convert(json.loads(json.dumps(native)), "quillhaven", "cloudevents", shown="e.json")


def test_extensions_keep_the_rules_for_names() -> None:
    event = {**laws.pool("signal", 1)[0], "extensions": {"Not-Allowed": "x"}}
    with pytest.raises(ValueError, match="can't be the name of an extension"):
        write_events("signal", [event], find_profile("cloudevents"))


# --- the commands ----------------------------------------------------------------------------------------------------


def test_lint_passes_on_a_good_profile_and_shows_how_a_bad_one_breaks(
    run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    good = run("profile", "lint", "cgi", "--examples", "20")
    assert (good.returncode, good.stderr) == (0, "")
    assert "Every law holds." in good.stdout
    whole = yaml.safe_load(shipped()["thornwick@1"].read_text())
    text = yaml.safe_dump({key: value for key, value in whole.items() if key not in EVENTS or key == "object"})
    words = "choice(stored=created, removed=deleted, renoted=relabelled)"
    assert words in text
    (tmp_path / "own.yaml").write_text(text.replace(words, "choice(stored=created, removed=deleted)"))
    less = run("profile", "lint", "own.yaml", "--examples", "20", cwd=tmp_path)
    assert (less.returncode, less.stderr) == (0, "")  # a provider may tell of less
    assert "is for relabelled: give it one" in " ".join(less.stdout.split())
    with monkeypatch.context() as patch:  # what a profile says is held to so much that only a lens can be wrong
        patch.setattr(LENSES["form_text"], "reader", "from_percent_text")
        (tmp_path / "own.yaml").write_text(text.replace("thing.path\n", "thing.path\n      as: form_text\n"))
        bad = run("profile", "lint", "own.yaml", "--examples", "20", cwd=tmp_path)
    assert (bad.returncode, bad.stderr) == (1, "")
    assert "broken  write, then read" in bad.stdout
    # several words for one are read, and the first is written; a row that can't be inverted is refused when declared
    more = "choice(stored=created, put=created, removed=deleted, renoted=relabelled)"
    (tmp_path / "own.yaml").write_text(text.replace(words, more))
    assert run("profile", "lint", "own.yaml", "--examples", "20", cwd=tmp_path).returncode == 0
    whole["context"][0] |= {"is": "principal", "as": "keys(id=one, claims=one)"}
    (tmp_path / "own.yaml").write_text(yaml.safe_dump(whole))
    worse = run("profile", "lint", "own.yaml", cwd=tmp_path)
    assert (worse.returncode, worse.stdout) == (2, "")
    assert "two words stand for the same" in worse.stderr


def test_fidelity_is_printed_written_and_drawn(run: Run, tmp_path: Path) -> None:
    done = run("profile", "fidelity", "--kind", "http", "--plot", "f.png", "--csv", "f.csv", cwd=tmp_path)
    assert done.returncode == 0
    assert "ostermere@1" in done.stdout
    assert (tmp_path / "f.png").read_bytes().startswith(b"\x89PNG")
    assert (tmp_path / "f.csv").read_text().startswith("kind,from,to,fields,whole,partly,never,share\n")
    rows = json.loads(run("profile", "fidelity", "--kind", "http", "--format", "json").stdout)
    by_pair = {(row["from"], row["to"]): row for row in rows}
    assert by_pair["ostermere@1", "ostermere@1"]["share"] == 1
    assert by_pair["ostermere@1", "wsgi@1"]["never"] == 2  # id and time
    for arguments, says in [(["--plot", "f.bmp"], "no kind of picture"), (["--kind", "htp"], "did you mean 'http'")]:
        bad = run("profile", "fidelity", *arguments, cwd=tmp_path)
        assert (bad.returncode, bad.stdout) == (2, "")
        assert says in bad.stderr


def test_every_shipped_profile_is_valid_by_the_published_schema(run: Run) -> None:
    published = json.loads((ROOT / "docs" / "profile.schema.json").read_text())
    assert published == profile_schema() == json.loads(run("profile", "schema").stdout)
    jsonschema.Draft202012Validator.check_schema(published)
    validator = jsonschema.Draft202012Validator(published)
    for path in shipped().values():
        data = whole_document(path, str(path)).data
        assert list(validator.iter_errors(data)) == []
        assert list(validator.iter_errors({**data, "editon": 1}))


def test_an_unknown_kind_is_told(run: Run) -> None:
    with pytest.raises(BadInput, match="has no object events"):
        convert({"kind": "store", "batch": []}, "ostermere@1", "wsgi")
    assert run("profile", "show", "wsgi", "--kind", "object").returncode == 2
    shown = run("profile", "show", "ostermere@1", "--to", "wsgi").stdout
    assert "WSGI has no record events" in shown


JUNK: list[Any] = [None, True, 7, -1.5, "", "x", "\x00", [], {}, [[1, 2]], [["a", "b"]], {"a": 1}, {"a": "b"}]


def places_of(data: Any, path: tuple[str | int, ...] = ()) -> Iterator[tuple[str | int, ...]]:
    yield path
    if isinstance(data, dict | list):
        for key, inner in data.items() if isinstance(data, dict) else enumerate(data):
            yield from places_of(inner, (*path, key))


def changed(data: Any, path: tuple[str | int, ...], value: Any) -> Any:
    """Return the same with something else at a place; nothing there where `value` is Ellipsis."""
    if not path:
        return value
    copy: Any = dict(data) if isinstance(data, dict) else list(data)
    if len(path) == 1 and value is ...:
        del copy[path[0]]
    else:
        copy[path[0]] = changed(data[path[0]], path[1:], value)
    return copy


@pytest.mark.parametrize(("name", "kind"), some(SHAPES, 9))
def test_a_wrong_type_at_any_row_is_read_or_bad_input_and_never_anything_else(name: str, kind: str) -> None:
    other = next(p for p in PROFILES.values() if kind in p.kinds and p.name != name)
    convert = Converter(PROFILES[name], other)
    event = {field: value for field, value in kept_rules(kind, 20)[: None if WHOLE else 4][3].items()}
    (native,) = write_events(kind, [event], PROFILES[name])
    native = json.loads(json.dumps(native))
    read, refused = 0, []
    for path in [*places_of(native)][:: 1 if WHOLE else 2]:
        for value in [*JUNK, ...] if path else JUNK:
            try:
                convert(changed(native, path, value), "e.json", 1)
                read += 1  # many a wrong type is none for its row
            except BadInput as error:
                refused.append(str(error))
    assert read
    assert len(refused) > 10
    assert all(message.startswith("e.json:1: ") for message in refused)


@pytest.mark.parametrize(("name", "kind"), some(SHAPES, 2))
def test_the_quick_way_gives_what_the_careful_way_gives(name: str, kind: str) -> None:
    for other in PROFILES.values():
        if kind not in other.kinds:
            continue
        convert = Converter(PROFILES[name], other)
        for event in kept_rules(kind, 12):
            (native,) = write_events(kind, [event], PROFILES[name])
            native = json.loads(json.dumps(native))
            try:
                first = convert._any(native, "e.json", 1)
            except BadInput:  # a text that a String of CloudEvents can't hold
                continue
            again = convert(native, "e.json", 1)
            assert laws.same("", first.events, again.events)
            assert [loss.code for loss in first.losses] == [loss.code for loss in again.losses]


def test_only_what_is_asked_for_is_compiled(monkeypatch: pytest.MonkeyPatch) -> None:
    made: list[str] = []
    executed = emit._executed

    def noted(text: str, name: str, names: Mapping[str, Any]) -> dict[str, Any]:
        made.append(name)
        return executed(text, name, names)

    monkeypatch.setattr(emit, "_executed", noted)
    ours, theirs = (load_profile(shipped()[name]) for name in ("ostermere@2", "thornwick@2"))
    assert made == []  # to load a profile compiles nothing
    signal = {"kind": "bell", "ticket": "n", "at": 0, "name": "x", "about": "", "content": None}
    Converter(ours, theirs)(signal, "e.json", 1)
    # there and back by way of the hub, straight, and what the losses of this one kind look at
    assert sorted(name for name in made if name != "view") == ["convert", "read_event", "write_event"]
    assert made.count("view") <= 4


def test_an_edition_extends_another(tmp_path: Path) -> None:
    """Mappings are put together by their keys, lists are replaced, null takes a key away; no one goes in a circle."""
    first = "provider: own\nedition: 1\ntitle: Own\nabout: a\nhandler: {parameters: [event], event: [event]}\n"
    first += (
        "call: {event: {rows: [{at: event, is: data}]}}\nprice: {coin: c, per_million_calls: 1, per_gb_second: 1}\n"
    )
    (tmp_path / "own-1.yaml").write_text(first)
    second = tmp_path / "own-2.yaml"
    second.write_text(
        "extends: own@1\nprovider: own\nedition: 2\ntitle: Own\nabout: a\nprice: null\nlimits: {longest: 9}\n"
    )
    profile = load_profile(second)
    assert (profile.name, profile.model.price, profile.model.limits.longest) == ("own@2", None, 9)
    assert profile.kinds["call"].event.rows[0].field == "data"
    for base, says in [
        ("own@2", "extends this one again"),
        ("own@7", "there is no profile own@7"),
        ("../own@1", "names no profile"),
        ("[a]", "names no profile"),
    ]:
        second.write_text(f"extends: {base}\nprovider: own\nedition: 2\n")
        with pytest.raises(BadInput, match=says):
            load_profile(second)


# --- evidence of what ships: servers, the SDK, a manual --------------------------------------------------------------

#: profile → how many facts its evidence tells, at least
WITNESSED = {"wsgi@1": 30, "asgi@1": 15, "cgi@1": 12, "cloudevents@1": 6, "ostermere@1": 45}


@pytest.mark.parametrize("name", WITNESSED)
def test_what_ships_reads_what_others_wrote(name: str) -> None:
    """Events that real servers handed over, that the SDK wrote, that a manual shows: `tools/record_evidence.py`."""
    told = list(facts(find_profile(name)))
    assert len(told) >= WITNESSED[name]
    assert [fact for fact in told if not fact.right] == []


@pytest.mark.parametrize(
    ("name", "change"),
    [
        ("wsgi@1", {"SERVER_PROTOCOL": "HTTP/1.0"}),
        ("asgi@1", {"scope": {"http_version": "2", "root_path": "/at"}}),
    ],
)
def test_what_may_be_another_tells_no_kind(name: str, change: dict[str, Any]) -> None:
    """An event of a server with another version was refused as none of the standard's."""
    profile = find_profile(name)
    folder = profile.path.parent / profile.model.evidence / "events"
    event = json.loads(next(iter(sorted(folder.glob("*.json")))).read_text())
    for key, value in change.items():
        event[key] = {**event[key], **value} if isinstance(value, dict) else value
    assert read_events(event, profile, "it")[0] == "http"
