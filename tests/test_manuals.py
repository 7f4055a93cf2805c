"""Providers that nobody here had a part in: profiles written from their manuals, judged by the manuals' own events.

`tests/manuals/` holds each manual's events with their meaning, and its answers with what a client saw.
"""

from __future__ import annotations

import base64
import importlib.util
import io
import json
import shutil
import sys
from collections import Counter
from dataclasses import replace
from functools import partial
from itertools import takewhile
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
import yaml
from conftest import ROOT, WHOLE, Run, declaring, put, some

from vast_ferry import (
    BadInput,
    Profile,
    Verdict,
    carry,
    check,
    convert,
    find_profile,
    gaps,
    lint,
    plan,
    survey,
    try_event,
)
from vast_ferry.checking.answers_seen import answers_seen
from vast_ferry.definitions import writing_back
from vast_ferry.definitions.project import read_project
from vast_ferry.definitions.writing import write_definition
from vast_ferry.definitions.writing_back import definition_lost
from vast_ferry.demo import PROJECT
from vast_ferry.documents.xml_file import read_xml, write_xml
from vast_ferry.events.native import read_events, write_events
from vast_ferry.evidence.witnesses import facts, same, unread, unwitnessed
from vast_ferry.hub.findings import Place, Severity
from vast_ferry.hub.functions import Access, Entry, EventTrigger, Function, RouteTrigger
from vast_ferry.hub.functions import Project as Declared
from vast_ferry.hub.keys import fits
from vast_ferry.mapping import helpers
from vast_ferry.mapping.chains import ChainError, parse_chain
from vast_ferry.mapping.inline import at_text
from vast_ferry.mapping.laws import changed
from vast_ferry.mapping.views import truths_of
from vast_ferry.profiles.profile import load_profile
from vast_ferry.profiles.registry import all_profiles

MANUALS = ROOT / "tests" / "manuals"
PROFILES = {name: find_profile(str(MANUALS / f"{name}.yaml")) for name in ("netherby-4", "saltmarsh-2", "wexcombe-7")}

#: What does not arrive as it is, and is told: an attribute that is bytes has no place among texts.
TOLD = {("netherby-4", "message-2.json", "attributes")}


@pytest.mark.parametrize("name", PROFILES)
def test_recorded_events_mean_what_the_manual_says(name: str) -> None:
    found = list(facts(PROFILES[name]))
    wrong = {(name, fact.file, fact.field) for fact in found if not fact.right}
    assert wrong <= TOLD
    assert len(found) > 200
    assert unread(PROFILES[name]).keys() == {file for _, file, _ in wrong}  # each of them is told of its event
    assert not any(unwitnessed(PROFILES[name], kind) for kind in PROFILES[name].kinds)


@pytest.mark.slow
@pytest.mark.parametrize("name", PROFILES)
def test_their_profiles_keep_every_law_with_every_other(name: str) -> None:
    found = list(lint(PROFILES[name], 60 if WHOLE else 12))
    broken = Counter(one.law for one in found if one.broken)
    told = sum(one == name for one, _, _ in TOLD)
    wrong = sum(not one.right for one in answers_seen(PROFILES[name]))
    of_events = {"recorded events mean what they say": told}
    assert broken == Counter({**of_events, "answers are what was seen of them": wrong})
    assert sum(bool(one.unseen) for one in found if one.law == "what is read arrives as it stands there") == told


#: What the language has no words for, of each manual's answers: the row in replies.yaml, counted from 0.
BEYOND = {
    # a note, which is named by what is nobody else's
    "netherby-4": {24},
    # a record's heap, of which only the table is kept
    "saltmarsh-2": {22, 23},
    "wexcombe-7": set(),
}


@pytest.mark.parametrize("name", some(PROFILES, 3))
def test_answers_are_what_the_manual_says_others_see(name: str) -> None:
    seen = list(answers_seen(PROFILES[name]))
    beyond = {number for number, one in enumerate(seen) if one.unseen or not one.right}
    assert beyond == BEYOND[name], [seen[number] for number in beyond ^ BEYOND[name]]
    assert {one.unseen for one in seen} == {""}


#: What is tried of a manual → what is said of it, and how it ends.
TRIED = {
    "Netherby/replies.yaml": ("31 as they were seen, 1 otherwise, 0 not looked at.", 1),
    "Wexcombe/replies.yaml": ("35 as they were seen, 0 otherwise, 0 not looked at.", 0),
    "projects/saltmarsh": ("Written again, it is the same.", 0),
    "projects/wexcombe/wexcombe.toml": ("Written again, it is the same.", 0),
}


@pytest.mark.parametrize("file", some(TRIED, 2))
def test_answers_and_definitions_are_tried(run: Run, file: str) -> None:
    name = next(name for name in PROFILES if name.partition("-")[0] in file.lower())
    done = run("profile", "try", str(MANUALS / f"{name}.yaml"), str(MANUALS / file))
    assert (done.stdout.splitlines()[-1], done.returncode) == TRIED[file]
    told = json.loads(
        run("profile", "try", str(MANUALS / f"{name}.yaml"), str(MANUALS / file), "--format", "json").stdout
    )
    assert bool(told.get("changed") or any(one["differs"] for one in told.get("answers", ()))) == bool(done.returncode)


#: A row of answers that were seen → what is wrong with it
WRONG_ANSWERS = [
    ("a: 1", "this is no list of answers"),
    ("- {kind: http, event: http-1.json}", "needs kind, event and python"),
    ("- {kind: http, event: http-1.json, python: return, client: {}, sent: 1}", "has no 'sent'"),
    ("- {kind: http, event: http-1.json, python: return}", "nothing is said of what came of it"),
    ("- {kind: blast, event: http-1.json, python: return, client: {}}", "has no blast events"),
    ("- {kind: http, event: http-9.json, python: return, client: {}}", "events/http-9.json"),
    ("- {kind: http, event: ../seen.yaml/../../x, python: return, client: {}}", "leads out of the folder"),
    ("- {kind: http, event: http-1.json, python: return, client: 404}", "client is no mapping"),
    ("- {kind: call, event: call-1.json, python: return, caller: {}}", "a caller gets a value"),
    ("- {kind: http, event: http-1.json, python: return, client: {}, parameters: ['a)']}", "parameters are names"),
]


@pytest.mark.parametrize(("row", "says"), WRONG_ANSWERS)
def test_a_row_of_answers_that_says_too_little_is_named(run: Run, tmp_path: Path, row: str, says: str) -> None:
    shutil.copytree(MANUALS / "Wexcombe" / "events", tmp_path / "events")
    (tmp_path / "seen.yaml").write_text(row)
    done = run("profile", "try", str(MANUALS / "wexcombe-7.yaml"), "seen.yaml", cwd=tmp_path)
    assert (done.returncode, says in done.stderr) == (2, True), done.stderr


def test_an_answer_that_is_not_cut_off_is_no_evidence_of_one_that_was(tmp_path: Path) -> None:
    shutil.copytree(MANUALS / "Wexcombe" / "events", tmp_path / "events")
    client = "{status: 200, headers: [], body: 'first', cut: true}"
    row = "- {{kind: http, event: http-1.json, python: 'yield \"first\"{}', client: {}}}\n"
    (tmp_path / "seen.yaml").write_text(row.format("", client) + row.format("; 1 / 0", client))
    one, other = answers_seen(PROFILES["wexcombe-7"], tmp_path / "seen.yaml")
    assert (("the end", "cut off", "whole") in one.differs, other.differs) == (True, ())


def test_lint_reads_all_of_an_answers_class_and_writes_a_project_back(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    shutil.copytree(MANUALS / "Wexcombe", tmp_path / "Wexcombe")
    shutil.copytree(MANUALS / "projects" / "wexcombe", tmp_path / "Wexcombe" / "project")
    path = tmp_path / "wexcombe-7.yaml"

    def told(text: str) -> str:
        path.write_text(text)
        laws = ("all that an answer is made of is read", "the definition comes back")
        before = takewhile(lambda one: one.law != "write, then read", lint(load_profile(path), 1))
        found = [one for one in before if one.law in laws]
        assert {one.law for one in found} == set(laws)
        return " ".join(one.broken.why for one in found if one.broken)

    text = (MANUALS / "wexcombe-7.yaml").read_text()
    row = "          - {at: reply.text, is: body, as: 'object_of(chit=id, sorry=this)'}\n"
    assert told(text) == ""
    assert "wexcombe.Sorry takes text, and no row" in told(text.replace(row, ""))

    def longer(project: Declared, profile: Profile) -> dict[str, str]:
        return write_definition(replace(project, functions=(replace(project.functions[0], timeout=59.0),)), profile)

    monkeypatch.setattr(writing_back, "write_definition", longer)
    lost = definition_lost(load_profile(path), tmp_path / "Wexcombe" / "project")
    assert lost[0] == "loaves_show: timeout was 20, and came back as 59"
    assert "function loaves_list is gone" in lost


def events() -> list[tuple[str, Path]]:
    return [
        (name, path)
        for name, profile in PROFILES.items()
        for path in sorted((MANUALS / profile.model.evidence / "events").glob("*.json"))
    ]


@pytest.mark.parametrize("name", PROFILES)
def test_what_is_converted_there_and_back_means_the_same(name: str) -> None:
    """By way of each other manual's provider and of one that ships, but for what the way is told to lose."""
    others = [other for other in PROFILES.values() if other.name != PROFILES[name].name] + [find_profile("ostermere")]
    for path in (path for one, path in events() if one == name):
        data = json.loads(path.read_text())
        kind, before = read_events(data, PROFILES[name], path.name) if "body_file" not in data else ("", [])
        for other in (other for other in others if kind in other.kinds and before):
            there = write_events(kind, before, other)
            after = [event for one in there for event in read_events(one, other, path.name, kind=kind)[1]]
            shape = other.kind(kind).event
            met = convert(data, PROFILES[name], other).losses
            lost = _unheld(other, kind).union(*(truths_of(loss.field, shape.fields, shape.rules) for loss in met))
            in_order = partial(_by, lost=lost)
            for one, again in zip(sorted(before, key=in_order), sorted(after, key=in_order), strict=True):
                assert changed(one, again) <= lost, (path.name, other.name)


def _by(event: dict[str, Any], lost: set[str]) -> str:
    return repr(sorted((name, repr(value)) for name, value in event.items() if name not in {*lost, "time", "headers"}))


def _unheld(other: Profile, kind: str) -> set[str]:
    """Return the fields that follow from where an event stands in a batch."""
    numbers = {level.index for level in other.kind(kind).event.levels if level.index}
    return {"id"} if numbers else set()


#: a mistake in a profile → the profile, what stood there, what stands there now, and what the message must say
MISTAKES = [
    ("netherby-4", "is: '{method} {target}'", "is: '{target} {method}'", "method is"),
    ("netherby-4", "as: since_1970(cs)}", "as: since_1970(ms)}", "time is"),
    ("netherby-4", "as: flat | lower_names", "as: lists", "can't be read"),
    ("netherby-4", "{true: https, false: http}", "{true: http, false: https}", "scheme is"),
    ("netherby-4", "counted_from(0)", "counted_from(1)", "attempt is"),
    ("netherby-4", "row:drop: deleted", "row:drop: updated", "change is"),
    ("netherby-4", "      - {of: notes, each: note}\n    rows:", "    rows:", "which is no parameter"),
    ("netherby-4", "flag: 'note[\"coded\"]', ", "", "needs a second place"),
    ("saltmarsh-2", "fraction(9)", "fraction(6)", "time is"),
    ("saltmarsh-2", "prefixed('crew/')", "prefixed('crew')", "principal is"),
    ("saltmarsh-2", "name, type, key, ebb, flood, value", "name, type, key, flood, ebb, value", "old is"),
    ("saltmarsh-2", "      - {at: landing.soundings, is: query, as: lists}\n", "", "no row reads soundings"),
    ("saltmarsh-2", "behind('knot-')", "behind('knot')", "attributes is"),
    ("saltmarsh-2", "stone/lifted: deleted", "stone/lifted: inserted", "change is"),
    ("saltmarsh-2", "each: stones}", "each: enumerate}", "nothing can be called 'enumerate'"),
    ("saltmarsh-2", "told_of: bottle", "told_of: haul", "can't be told what became of it"),
    ("saltmarsh-2", "base64 | gzip | json_bytes", "base64 | json_bytes", "can't be reached"),
    ("wexcombe-7", "after(due, ms)", "after(due, s)", "time is"),
    ("wexcombe-7", "in_order(1)", "in_order", "captures"),
    ("wexcombe-7", "{channel...}:{_=1}", "{channel}", "channel is"),
    ("wexcombe-7", "{'yes': https, 'no': http}", "{'yes': https, 'on': http}", "none of yes, on"),
    ("wexcombe-7", "gz64: base64 | gzip", "gz64: base64", "body is"),
    ("saltmarsh-2", "again_within: heap", "again_within: hoop", "begins at no name of `each`"),
    ("wexcombe-7", "chit=id, sorry=this", "chit=idd, sorry=this", "there is no hub field 'idd'"),
    (
        "saltmarsh-2",
        "nothing: {landing.sailor: principal}",
        "nothing: {landing.sailor: sailor}",
        "no hub field 'sailor'",
    ),
    ("wexcombe-7", "usual_name: '{module}_{function}'", "usual_name: '{file}_{function}'", "{module} and {function}"),
    ("wexcombe-7", "        class: wexcombe.Sorry\n", "", "needs its class"),
    ("netherby-4", "{at: call, is: entry,", "{at: call, is: description,", "no row says where a function's code is"),
    ("saltmarsh-2", "    files: punts/*/punt.xml\n", "", "must say where functions stand"),
    ("wexcombe-7", "sets: {status: status", "sets: {state: status", "'state' is none of what the writer holds"),
]


@pytest.mark.parametrize(("name", "before", "after", "says"), some(MISTAKES, 26))
def test_a_mistake_in_a_profile_is_named(
    tmp_path: Path, name: str, before: str, after: str, says: str, run: Run
) -> None:
    text = (MANUALS / f"{name}.yaml").read_text()
    assert text.count(before) >= 1
    (tmp_path / PROFILES[name].model.evidence).symlink_to(MANUALS / PROFILES[name].model.evidence)
    (tmp_path / "p.yaml").write_text(text.replace(before, after, 1))
    found = run("profile", "lint", tmp_path / "p.yaml", "--examples", 2, "--format", "json")
    if found.returncode == 2:
        assert says in found.stderr
        assert "p.yaml:" in found.stderr
        return
    why = [one["why"] for one in json.loads(found.stdout)["laws"] if one.get("why")]
    assert found.returncode == 1
    assert any(says in one for one in why), why
    assert any("line " in one or "no row reads" in one for one in why)


def test_one_event_is_shown_row_by_row(tmp_path: Path) -> None:
    event = json.loads((MANUALS / "Netherby" / "events" / "message-1.json").read_text())
    event["chutes"]["orders-north"][0]["spare"] = {"a": 1}
    tried = try_event(PROFILES["netherby-4"], event, to="ostermere")
    assert (tried.kind, tried.unread, tried.good) == ("message", ("chutes.*[].spare",), False)
    assert ("chutes.orders-north[0].spare", {"a": 1}) in [(place, before) for place, before, _ in tried.changed]
    del event["chutes"]["orders-north"][0]["strand"]
    (one,) = try_event(PROFILES["netherby-4"], event).events
    assert (one.untold, one.unfed) == (("group",), ("extensions",))
    assert {row.place: row.held for row in one.rows}["note.ref"] == "n-1"


def test_the_command_shows_it_and_says_by_its_status_whether_all_comes_back(run: Run, tmp_path: Path) -> None:
    profile = MANUALS / "saltmarsh-2.yaml"
    event = MANUALS / "Saltmarsh" / "events" / "schedule-4.json"
    shown = run("profile", "try", profile, event)
    assert "2027-03-14T06:15:30Z" in shown.stdout
    assert "Every key is read." in shown.stdout
    data = json.loads(event.read_text())
    data["set_for"] = "2027-03-14 06:15:30 UTC"
    (tmp_path / "e.json").write_text(json.dumps(data))
    assert "Written again, it is the same." in run("profile", "try", profile, tmp_path / "e.json").stdout
    (tmp_path / "e.json").write_text(json.dumps({**data, "tied": 1}))
    told = run("profile", "try", profile, tmp_path / "e.json", "--format", "json")
    assert (told.returncode, json.loads(told.stdout)["unread"]) == (1, ["tied"])


def test_what_no_row_reads_is_told_where_events_are_converted(run: Run, tmp_path: Path) -> None:
    event = json.loads((MANUALS / "Saltmarsh" / "events" / "call-1.json").read_text())
    (tmp_path / "e.json").write_text(json.dumps({**event, "tug": 1}))
    told = run("event", "convert", tmp_path / "e.json", "--from", MANUALS / "saltmarsh-2.yaml", "--to", "ostermere")
    assert "not read, and lost: tug: Saltmarsh 2's profile has no row for it" in told.stderr
    (tmp_path / "e.jsonl").write_text("\n".join(json.dumps({**event, "tug": n}) for n in range(3)))
    lines = ("event", "convert", "--lines", "--from", MANUALS / "saltmarsh-2.yaml", "--to", "ostermere")
    told = run(*lines, tmp_path / "e.jsonl")
    assert (told.stderr.count("not read, and lost: tug"), "2 more" in told.stderr) == (1, True)


@pytest.mark.parametrize(
    ("path", "content", "says"),
    [
        ("../secret.txt", "x", "is no file beside the event"),
        ("/etc/hostname", "", "is no file beside the event"),
        ("gone.body", "", "is no file beside the event"),
    ],
)
def test_a_file_beside_an_event_leads_nowhere_else(
    tmp_path: Path, run: Run, path: str, content: str, says: str
) -> None:
    event = json.loads((MANUALS / "Wexcombe" / "events" / "http-1.json").read_text())
    (tmp_path / "secret.txt").write_text(content)
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "e.json").write_text(json.dumps({**event, "body_file": path}))
    told = run("profile", "try", MANUALS / "wexcombe-7.yaml", tmp_path / "in" / "e.json")
    assert (told.returncode, says in told.stderr) == (2, True)


def test_evidence_that_can_not_be_read_is_named(tmp_path: Path) -> None:
    folder = tmp_path / "Netherby"
    (folder / "events").mkdir(parents=True)
    (tmp_path / "p.yaml").write_text((MANUALS / "netherby-4.yaml").read_text())
    with pytest.raises(BadInput, match="there is no"):
        list(facts(find_profile(str(tmp_path / "p.yaml"))))
    for text, says in [
        ("a.json: {kind: http}", "has no meaning"),
        ("a.json: {kind: web, event: {}}", "there is no kind 'web'"),
        (
            "a.json: {kind: http, event: {metod: GET}}",
            "no field 'metod' (did you mean 'method'?)".replace("(", r"\(").replace(")", r"\)").replace("?", r"\?"),
        ),
        ("[]", "is no mapping"),
    ]:
        (folder / "meaning.yaml").write_text(text)
        with pytest.raises(BadInput, match=says):
            list(facts(find_profile(str(tmp_path / "p.yaml"))))


def test_manuals_are_read_by_standard_tools_as_well() -> None:
    for profile in PROFILES.values():
        told = yaml.safe_load((MANUALS / profile.model.evidence / "meaning.yaml").read_text())
        assert {fact.file for fact in facts(profile)} <= set(told)
    assert not {one.name for one in all_profiles()} & {one.name for one in PROFILES.values()}


@pytest.mark.parametrize("name", PROFILES)
def test_a_profile_begins_with_what_can_be_told_by_its_form(run: Run, tmp_path: Path, name: str) -> None:
    """Each guess that stands there is read; what was guessed right is told by the manual itself."""
    evidence = MANUALS / PROFILES[name].model.evidence
    made = run("profile", "new", "own", "--events", evidence / "events", "--out", tmp_path / "own-1.yaml")
    assert (made.returncode, "rows guessed" in made.stdout) == (0, True)
    text = (tmp_path / "own-1.yaml").read_text()
    (tmp_path / "own").symlink_to(evidence)
    (tmp_path / "own-1.yaml").write_text(text.replace("\nhandler:", "\nevidence: own\n\nhandler:"))
    begun = find_profile(str(tmp_path / "own-1.yaml"))
    assert set(begun.kinds) == set(PROFILES[name].kinds)
    assert text.count("# guess") >= 8
    right = {(fact.kind, fact.field) for fact in facts(begun) if fact.right and fact.wanted not in ("", {}, [], None)}
    assert len(right) >= 5, right
    again = run("profile", "new", "own", "--events", evidence / "events", "--out", tmp_path / "own-1.yaml")
    assert (again.returncode, "is there already" in again.stderr) == (2, True)


def test_what_events_hold_never_becomes_a_row(tmp_path: Path, run: Run) -> None:
    events = tmp_path / "events\x85- {at: x, is: id}"
    events.mkdir()
    key = "a'b\u2028      - {at: event, is: id}"
    (events / "call-1.json").write_text(
        json.dumps({key: "x\u2028      - {at: event, is: id}", "b": key, "t": 1805016413})
    )
    made = run("profile", "new", "own", "--events", events, "--out", tmp_path / "own-1.yaml")
    assert made.returncode == 0, made.stderr
    rows = find_profile(str(tmp_path / "own-1.yaml")).kinds["call"].event.rows
    assert [(row.field, row.at.on_file) for row in rows] == [("id", (key,)), ("time", ("t",))]


@pytest.mark.slow
def test_a_profile_is_found_where_a_team_keeps_it(tmp_path: Path, run_apart: Run) -> None:
    """In the project's folder, in a folder of the variable, and in an installed package."""
    text = (MANUALS / "wexcombe-7.yaml").read_text().replace("evidence: Wexcombe\n", "")
    event = MANUALS / "Wexcombe" / "events" / "call-3.json"
    package = tmp_path / "site" / "team_profiles"
    package.mkdir(parents=True)
    (package / "__init__.py").write_text("raise RuntimeError('nobody imports this')\n")
    (package / "wexcombe-7.yaml").write_text(text)
    told = tmp_path / "site" / "team_profiles-1.dist-info"
    told.mkdir()
    (told / "METADATA").write_text("Metadata-Version: 2.1\nName: team-profiles\nVersion: 1\n")
    (told / "entry_points.txt").write_text("[vast_ferry.profiles]\nteam = team_profiles\n")
    site = {"PYTHONPATH": str(tmp_path / "site")}
    assert run_apart("profile", "try", "wexcombe", event, env=site).returncode == 0
    (told / "entry_points.txt").write_text("[vast_ferry.profiles]\nteam = no_such_package\n")
    broken = run_apart("profile", "try", "wexcombe", event, env=site)
    assert (broken.returncode, "no_such_package" in broken.stderr) == (2, True)
    unknown = run_apart("profile", "try", "wexcombe", event)
    assert (unknown.returncode, "there is no provider 'wexcombe'" in unknown.stderr) == (2, True)
    folder = {"VAST_FERRY_PROFILES": str(package)}
    assert run_apart("profile", "try", "wexcombe@7", event, env=folder).returncode == 0
    gone = run_apart("profile", "try", "wexcombe", event, env={"VAST_FERRY_PROFILES": str(tmp_path / "gone")})
    assert (gone.returncode, "which is no folder" in gone.stderr) == (2, True)
    (tmp_path / "profiles").mkdir()
    (tmp_path / "profiles" / "wexcombe-8.yaml").write_text(text)
    misnamed = run_apart("profile", "try", "wexcombe", event, cwd=tmp_path)
    assert (misnamed.returncode, "Call it wexcombe-7.yaml" in misnamed.stderr) == (2, True)
    (tmp_path / "profiles" / "wexcombe-8.yaml").rename(tmp_path / "profiles" / "wexcombe-7.yaml")
    assert run_apart("profile", "try", "wexcombe", event, cwd=tmp_path).returncode == 0


MOSSGATE = ROOT / "examples" / "mossgate" / "mossgate-1.yaml"
#: A project at the provider of the guide, and one whose handlers go there.
THERE = {
    "mossgate.yaml": """
app: honey
desks:
  show: {call: h.py show, python: '3.11', seconds: 10, woken: [{visit: 'GET|POST /hives/<hive>/inspections'}]}
  take: {call: h.py take, python: '3.11', seconds: 10, woken: [{lane: orders, most: 10}]}
""",
    "h.py": """
import base64
from urllib.parse import parse_qs
from mossgate import Turned


def show(event, desk):
    verb, target = event["line"].split(" ", 1)
    if not event["who"].startswith("user:"):
        raise Turned(401, "who are you?")
    days = parse_qs(target.partition("?")[2]).get("day", [])
    body = base64.b64decode(event["load"]).decode()
    return {"fields": {"X-Verb": verb}, "load": {"hive": event["found"][0], "days": days, "body": body}}


def take(event, desk):
    again = []
    for lane, parcels in event["lanes"].items():
        for parcel in parcels:
            desk.say(f"{lane} {parcel['ref']} {parcel['text']}")
            if int(parcel["tries"]) > 1:
                again.append(parcel["ref"])
    return again or None
""",
}
HERE = {
    "ostermere.yaml": """
app: honey
jobs:
  show: {code: h.py#show, when: [{web: 'POST /hives/{hive}/inspections'}]}
  take: {code: h.py#take, when: [{line: orders}]}
""",
    "h.py": """
import json


def show(event, ctx):
    if event["who"] is None:
        return {"code": 401, "content": "who?"}
    call = event["call"]
    sent = json.loads(event["content"])
    told = {"at": call["path"], "hive": call["slots"]["hive"], "days": call["first"], "sent": sent}
    return {"code": 200, "fields": {"content-type": "application/json"}, "content": json.dumps(told)}


def take(event, ctx):
    return {"again": [one["ticket"] for one in event["batch"] if one["tries"] > 1]}
""",
}


@pytest.mark.parametrize("to", ["ostermere@1", "thornwick@1", "quillhaven", "marrowby@2", "fennick"])
def test_a_project_of_a_provider_of_ones_own_is_carried_and_proven(tmp_path: Path, to: str) -> None:
    events = MOSSGATE.parent / "mossgate" / "events"
    batch = json.loads((events / "message-1.json").read_text())
    del batch["lanes"]["rush"]
    samples = {f"samples/show/{n}.json": (events / f"http-{n}.json").read_text() for n in (1,)}
    nobody = {**json.loads(samples["samples/show/1.json"]), "who": "nobody"}
    samples |= {"samples/show/2.json": json.dumps(nobody), "samples/take/1.json": json.dumps(batch)}
    folder = put(tmp_path / "own", {**THERE, **samples})
    crossing = carry(folder, source=str(MOSSGATE), to=to, out=tmp_path / "there")
    wrapped = {f.code for f in crossing.findings if f.code.startswith("wrapped-")}
    assert wrapped == ({"wrapped-batch-escapes"} if to == "fennick" else set())  # which hands over no event whole
    result = check(tmp_path / "there")
    # What a provider adds to an answer without a type is told of the crossing.
    assert {one.verdict for one in result.checked} <= {Verdict.SAME, Verdict.UNHELD}
    assert result.count(Verdict.SAME) >= 2, [(one.sample, one.verdict, one.got) for one in result.checked]


def test_a_project_is_carried_to_a_provider_of_ones_own(tmp_path: Path) -> None:
    own = find_profile(str(MOSSGATE))
    events = MOSSGATE.parent / "mossgate" / "events"
    samples = {}
    for name, function in (("http-1", "show"), ("message-1", "take")):
        kind, hub = read_events(json.loads((events / f"{name}.json").read_text()), own, name)
        hub = [event for event in hub if event.get("channel", "orders") == "orders"]
        for number, native in enumerate(write_events(kind, hub, find_profile("ostermere@1"))):
            samples[f"samples/{function}/{number}.json"] = json.dumps(native)
    folder = put(tmp_path / "here", {**HERE, **samples})
    crossing = carry(folder, to=str(MOSSGATE), out=tmp_path / "there")
    assert not crossing.blocking
    assert "unwitnessed" not in {finding.code for finding in crossing.findings}
    result = check(tmp_path / "there")
    assert result.unwitnessed == ()
    assert [(one.function, one.verdict) for one in result.checked] == [("show", Verdict.SAME), ("take", Verdict.SAME)]


#: manual → lines of what its project's definition says, as `survey` shows them, and what it tells of
DEFINED = {
    "netherby-4": (
        [
            "fellside: 6 functions",
            "loom_show frames/looms.py#show Python 3.12, 256 MiB, 2.5 s",
            "on GET /looms/{loom}/parts/{+part}, known callers",
            "has UNIT, RIG, SCALE_KEY (secret)",
            "on message rush, region north or south, 10 at a time",
            "on object weighings-[[rig]] north/*.csv or *.tsv, created",
            "on record looms, updated or deleted, 100 at a time",
            "on schedule nightly at 02:30 on Mon, Tue, Wed, Thu, Fri, Europe/London",
            "on schedule sweep every 6 hours, UTC",
        ],
        {"not-carried", "stage-in-text", "stage-triggers", "wider-trigger"},
    ),
    "saltmarsh-2": (
        [
            "overy: 6 functions",
            "orders punts/orders/main.py#Orders Python 3.12, 192 MiB, 900 s, 4 attempts",
            "on PUT /berths/{berth}, known callers",
            "on GET /berths/{berth}/charts/{+name}, known callers",
            "has UNIT, ORDERS, REPORTS, RATE, scale-key (secret)",
            "on signal order.**",
            "fails to orders-lost",
            "tariff punts/tariff/main.py#Tariff Python 3.13, 192 MiB, 20 s",
        ],
        {"stage-in-text", "stage-triggers", "wider-trigger"},
    ),
    "wexcombe-7": (
        [
            "sourdough: 8 functions",
            "loaves_show ovens/loaves.py#show Python 3.12, 256 MiB, 20 s",
            "on PUT|POST /photos/{+path}, known callers",
            "photos_take ovens/photos.py#take Python 3.12, 1024 MiB, 60 s",
            "on message orders, region north or south, 25 at a time",
            "on schedule at 00:30 on day 1 of the month, UTC",
            "has UNIT, TRAYS, RUSH, PHOTOS, THUMBS, REPORTS",
            "price ovens/orders.py#price Python 3.12, 128 MiB, 20 s",
        ],
        {"not-carried", "stage-in-text", "stage-triggers"},
    ),
}


@pytest.mark.parametrize("name", DEFINED)
def test_a_manuals_project_is_read_as_it_is_declared(run: Run, name: str) -> None:
    folder = MANUALS / "projects" / name.partition("-")[0]
    shown = [" ".join(line.split()) for line in run("survey", folder, "--from", PROFILES[name].path).stdout.split("\n")]
    lines, codes = DEFINED[name]
    assert [line for line in lines if not any(line in one for one in shown)] == []
    there = survey(folder, PROFILES[name])
    assert {finding.code for finding in there.findings} == codes | {"client-not-carried"}  # see test_unlike.py
    if name == "netherby-4":
        (live,) = there.project.stages
        assert live.functions["loom_show"]["timeout"] == 1
        variables = {"UNIT": "lb", "RIG": "live", "ORDERS": "orders"}
        assert live.functions["order_place"] == {"memory": 512, "variables": variables}
        assert Access("record", "write", "weighings") in there.project.functions[3].access


@pytest.mark.parametrize("name", DEFINED)
def test_a_manuals_definition_is_written_back_with_nothing_lost(tmp_path: Path, name: str) -> None:
    here = tmp_path / "here"
    shutil.copytree(MANUALS / "projects" / name.partition("-")[0], here)
    before = read_project(here, PROFILES[name])[1]
    put(here, write_definition(before, PROFILES[name]))
    after = read_project(here, PROFILES[name])[1]

    def bare(project: Declared) -> object:
        triggers = {f.name: sorted(repr(replace(one, place=Place())) for one in f.triggers) for f in project.functions}
        functions = {f.name: replace(f, triggers=(), place=Place()) for f in project.functions}
        return project.name, project.region, triggers, functions, {one.name: one.functions for one in project.stages}

    assert bare(after) == bare(before)
    assert {finding.code for finding in after.findings} <= {"stage-in-text", "stage-triggers"}


def proven(out: Path, profile: str, samples: dict[str, str]) -> list[tuple[Verdict, str]]:
    """Carry the project that a manual's provider came with, and return what each of these samples proved."""
    own = out / "own"
    shutil.copytree(MANUALS / "projects" / profile.partition("-")[0], own)
    put(own, {f"samples/{name}.yaml": text for name, text in samples.items()})
    carry(own, source=PROFILES[profile], to="ostermere@2", out=out / "there")
    return [(one.verdict, one.expected) for one in check(out / "there").checked]


def test_a_handler_keeps_handles_of_services_and_is_proven(tmp_path: Path) -> None:
    record = "{table: looms, keys: {loom: l-7}, record: {loom: l-7, weight: '12.5', hall: north}}"
    ask = "{method: GET, path.raw: /looms/NAME, query.raw: unit=lb, authority: a.example, captures: {loom: NAME}}"
    before = f"before: {{records: [{record}]}}\n"
    gone = "{change: deleted, table: looms, keys: {loom: l-7}, old: {loom: l-7, hall: north}, sequence: '1'}"
    samples = {
        "loom_show/known": f"kind: http\nevent: {ask.replace('NAME', 'l-7')}\n{before}",
        "loom_show/other": f"kind: http\nevent: {ask.replace('NAME', 'l-8')}\n",
        "loom_watch/gone": f"kind: record\nevent: {gone}\n",
    }
    assert proven(tmp_path, "netherby-4", samples) == [
        (Verdict.SAME, "replied 200"),
        (Verdict.SAME, "replied 404"),
        (Verdict.SAME, "acknowledged, 1 effect"),
    ]


def test_a_source_that_is_a_pattern_is_told_and_takes_what_fits(tmp_path: Path) -> None:
    own = tmp_path / "own"
    shutil.copytree(MANUALS / "projects" / "wexcombe", own)
    found = gaps(own, to="ostermere@2", source=PROFILES["wexcombe-7"]).findings
    (told,) = (one for one in found if one.code == "source-is-a-pattern")
    assert (told.function, told.severity) == ("reports_heard", Severity.BLOCKING)
    assert [fits(name, "bake/*") for name in ("bake/taken", "bake/", "bakery/x", "a/bake/x")] == [
        True,
        True,
        False,
        False,
    ]
    assert fits("a.b", "a.b")
    assert not fits("a-b", "a.b")


def test_calls_that_declare_nothing_that_is_known_are_told(tmp_path: Path) -> None:
    own = tmp_path / "own"
    shutil.copytree(MANUALS / "projects" / "wexcombe", own)
    text = (own / "house.py").read_text()
    (own / "house.py").write_text(f"{text}house.oven(1)\nfor one in (1, 2):\n    house.errand(orders.price)\n")
    found = read_project(own, PROFILES["wexcombe-7"])[1].findings
    line = text.count("\n") + 1
    assert [one.place.line for one in found if one.code == "unknown-key"] == [line, line + 2]
    (own / "house.py").write_text(f'{text}house.errand(loaves.show, name="price")\n')
    with pytest.raises(BadInput, match=r"price is the name of ovens\.orders\.price and of ovens\.loaves\.show"):
        read_project(own, PROFILES["wexcombe-7"])


def test_a_class_with_settings_secrets_and_services_is_proven(tmp_path: Path) -> None:
    ask = "{method: GET, path.raw: /berths/b-8, authority: a.example, captures: {berth: b-8}, route: '/berths/{berth}'}"
    samples = {
        "berths/none": f"kind: http\nevent: {ask}\n",
        "tariff/july": "kind: call\nevent: {data: {month: 2026-07}}\n",
        "tariff/none": "kind: call\nevent: {data: {}}\n",
    }
    assert proven(tmp_path, "saltmarsh-2", samples) == [
        (Verdict.SAME, "replied 404"),
        (Verdict.SAME, "returned"),
        (Verdict.SAME, "failed: ValueError: which month?"),
    ]


def test_what_the_profile_gives_no_meaning_is_not_passed_over() -> None:
    text = PROFILES["saltmarsh-2"].modules["saltmarsh"]
    done: list[object] = []
    module: dict[str, Any] = {"operate": {"record.write": done.append}}
    exec(text, module)
    stone = module["open"]("cairn:berths").stone(berth="b-7")
    stone.write({"boat": "x"})
    assert done == [{"table": "berths", "keys": {"berth": "b-7"}, "record": {"boat": "x"}}]
    with pytest.raises(NotImplementedError, match="has no meaning in the provider's profile"):
        stone.write({"boat": "y"}, if_writing=3)
    assert len(done) == 1


def test_settings_stand_in_an_object(monkeypatch: pytest.MonkeyPatch) -> None:
    for name, value in {"UNIT": "kg", "TRAYS": "12", "RUSH": "true"}.items():
        monkeypatch.setenv(name, value)
    typed, plain = helpers.Settings(typed=True), helpers.Settings()
    assert (typed.UNIT, typed.TRAYS, typed["RUSH"], typed.get("OTHER", 3)) == ("kg", 12, True, 3)
    assert (plain.TRAYS, plain["RUSH"], plain.get("OTHER")) == ("12", "true", None)
    assert (helpers.setting_of("UNIT"), helpers.setting_of("OTHER", "x")) == ("kg", "x")
    with pytest.raises(AttributeError, match="setting OTHER: set the environment variable OTHER"):
        typed.OTHER  # noqa: B018
    with pytest.raises(KeyError, match="setting OTHER: set the environment variable OTHER"):
        helpers.setting_of("OTHER")
    folder = helpers.SecretsFolder({"key": "sesame"}.__getitem__)
    assert ((folder / "key").read_text(), (folder / "key").read_bytes()) == ("sesame", b"sesame")
    with pytest.raises(FileNotFoundError):
        (folder / "other").read_text()


#: a change of a profile's definition or clients → what is said of it
WRONG = {
    "like: like": ("like: lik", "@(set/ORDERS) in orders stands for nothing"),
    "names: {staithe: name": ("names: {staith: name", "@(staithe) in berths stands for nothing"),
    "bases_named_by: id": ("bases_named_by: name", "there is no base 'plain'"),
}


@pytest.mark.parametrize("right", WRONG)
def test_a_mistake_in_a_definitions_tables_is_named(tmp_path: Path, right: str) -> None:
    text = (MANUALS / "saltmarsh-2.yaml").read_text().replace("evidence: Saltmarsh\n", "")
    wrong, says = WRONG[right]
    (tmp_path / "saltmarsh-2.yaml").write_text(text.replace(right, wrong))
    with pytest.raises(BadInput) as error:
        survey(MANUALS / "projects" / "saltmarsh", str(tmp_path / "saltmarsh-2.yaml"))
    assert says in str(error.value)
    assert "punt.xml:1:1" in str(error.value)


#: a path of a client → what is wrong with it, or an empty text
CHAINS = {
    "open('a:{b}').read": "",
    "open(name).crate(**keys).read": "",
    "open(name).read()": "ends with a call",
    "open(name + '1').read": "is no argument",
    "open(name).crate(name).read": "names a parameter twice",
    "open('{a}{b}').read": "may hold one name",
    "open(x)[1].read": "is no argument",
    "open(x)[key].read": "",
    "(open or x).read": "neither a name",
}


@pytest.mark.parametrize("path", CHAINS)
def test_calls_made_step_by_step_are_understood_or_refused(path: str) -> None:
    if not CHAINS[path]:
        assert parse_chain(path) is not None
        return
    with pytest.raises(ChainError, match=CHAINS[path]):
        parse_chain(path)


def test_a_call_made_step_by_step_is_the_one_whose_arguments_fit() -> None:
    chains = [parse_chain("open('a:{b}').read"), parse_chain("open('c').item"), parse_chain("open('c').__getitem__")]
    takes = [("key", "more=1"), ("**keys",), ("key",)]
    ways = [
        (chain.called_with(takes), lambda at=at, **told: (at, told))  # type: ignore[union-attr]
        for at, (chain, takes) in enumerate(zip(chains, takes, strict=True))
    ]
    begun = helpers.Chained(ways).open
    assert begun("a:x").read("k") == (0, {"b": "x", "key": "k", "more": 1})
    assert begun("c").item(k=1, l=2) == (1, {"keys": {"k": 1, "l": 2}})
    assert begun("c")["k"] == (2, {"key": "k"})
    with pytest.raises(AttributeError, match="knows no such call"):
        begun("c").read  # noqa: B018
    with pytest.raises(TypeError, match="no call of the provider takes"):
        begun("d")


#: text of an XML document → its data, or what is said of it
XML = {
    "<a b='1'><c>x</c><c/><d e='2'>y</d></a>": {"b": "1", "c": ["x", ""], "d": [{"e": "2", "text": "y"}]},
    "<a/>": {},
    "<a><b></a>": "is not XML: mismatched tag",
    "<!DOCTYPE a [<!ENTITY b 'b'>]><a>&b;</a>": "has a document type",
    "<a b='1'><b/></a>": "is an attribute and a child",
    "<a>" * 101 + "</a>" * 101: "more than 100 elements",
}


@pytest.mark.parametrize("text", XML)
def test_xml_is_read_as_plain_data_or_refused(tmp_path: Path, text: str) -> None:
    (tmp_path / "a.xml").write_text(text)
    said = XML[text]
    if isinstance(said, str):
        with pytest.raises(BadInput, match=said) as error:
            read_xml(tmp_path / "a.xml", "a.xml", "the file")
        assert error.value.place.line == 1
        return
    data = read_xml(tmp_path / "a.xml", "a.xml", "the file").data
    assert data == said
    (tmp_path / "a.xml").write_text(write_xml(data, "a", ("to do -- this",)))
    assert read_xml(tmp_path / "a.xml", "a.xml", "the file").data == data
    with pytest.raises(BadInput, match=r"U\+0000 can't stand in XML"):
        write_xml({"a": "\0"}, "a")


def test_what_rests_on_a_profiles_own_word_is_said_once(tmp_path: Path) -> None:
    text = MOSSGATE.read_text()
    path = MOSSGATE.parent / "mossgate" / "events" / "http-1.json"
    _, hub = read_events(json.loads(path.read_text()), find_profile(str(MOSSGATE)), path.name)
    (native,) = write_events("http", hub, find_profile("ostermere@1"))
    folder = put(tmp_path / "here", {**HERE, "samples/show/1.json": json.dumps(native)})
    for evidence, says in [
        ("evidence: mossgate\n", ""),
        ("", "has no evidence"),
        ("evidence: less\n", "shows message id"),
    ]:
        (tmp_path / "mossgate-1.yaml").write_text(text.replace("evidence: mossgate\n", evidence))
        for name in ("mossgate", "less"):
            shutil.rmtree(tmp_path / name, ignore_errors=True)
            shutil.copytree(MOSSGATE.parent / "mossgate", tmp_path / name)
        meaning = yaml.safe_load((tmp_path / "less" / "meaning.yaml").read_text())
        del meaning["message-1.json"]
        (tmp_path / "less" / "meaning.yaml").write_text(yaml.safe_dump(meaning))
        told = gaps(folder, source="ostermere@1", to=str(tmp_path / "mossgate-1.yaml")).findings
        found = [one.reason for one in told if one.code == "unwitnessed"]
        assert (len(found), all(says in one for one in found)) == (bool(says), True), found
        there = tmp_path / f"there-{len(evidence)}"
        carry(folder, source="ostermere@1", to=str(tmp_path / "mossgate-1.yaml"), out=there)
        assert [says in one for one in check(there).unwitnessed] == [True] * bool(says)


# --- handlers that are carried there: called with what the manuals say that they are handed ---------------------------

#: A handler at Ostermere that keeps what it sees.
SEE = "SEEN = []\n\n\ndef see(event, ctx):\n    SEEN.append(event)\n"
#: Names of the manuals' objects: what holds any JSON, or is read as a mapping; what maps names to objects.
AS_IT_IS = {"soundings", "badges", "caught", "bill", "tells", "cry", "dough", "columns"}
MAPPINGS = {"heaps", "floors"}


class Thing(SimpleNamespace):
    """An object that a handler is handed, with the methods that a manual says it has."""

    def value(self) -> Any:
        return json.loads(self.bill) if self.bill else None


def handed(value: Any, key: str, folder: Path) -> Any:
    """Return what a manual says that a handler is handed, of what it shows on file."""
    if key == "body_file":
        return str(folder / value) if value else value
    if key == "cargo":  # a stream that can be read once
        return io.BytesIO(value.encode() if isinstance(value, str) else base64.b64decode(value["base64"]))
    if isinstance(value, list):
        return [handed(one, key, folder) for one in value]
    if not isinstance(value, dict) or key in AS_IT_IS:
        return value
    inner = {name: handed(one, "" if key in MAPPINGS else name, folder) for name, one in value.items()}
    return inner if key in MAPPINGS else Thing(**inner)


def called_there(name: str, out: Path, entry: str, data: Any, folder: Path) -> None:
    """Call the handler of a crossing as the manual says that its provider does."""
    path, _, own = entry.partition("#")
    shim = sys.modules.get(Path(path).stem)
    if shim is None or shim.__file__ != str(out / path):
        spec = importlib.util.spec_from_file_location(Path(path).stem, out / path)
        assert spec is not None
        assert spec.loader is not None
        shim = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(shim)
    handler = getattr(shim, own)
    told = SimpleNamespace(
        punt="see", seconds_left=lambda: 9, enter=print, jot=print, setting=str, stowed=folder, frame="see"
    )
    if name == "saltmarsh-2":  # a class that is set up
        punt = handler()
        punt.init(told)
        punt.handle(handed(data, "", folder))
    elif name == "netherby-4":  # all by keyword, content beside the knock
        given = {"load": data}
        if "knock" in data:
            octets = data["octets"]
            content = base64.b64decode(octets["base64"]) if isinstance(octets, dict) else octets.encode()
            given = {"knock": data["knock"], "octets": content}
        elif handler.__code__.co_varnames[0] != "load":
            given = {handler.__code__.co_varnames[0]: data}
        handler(**given, mate=told)
    else:
        handler(handed(data, "", folder))


def seeing_parts(ostermere: Profile, kind: str) -> str:
    """Return a handler at Ostermere that keeps each part of its event under the name of the hub's field."""
    shape = ostermere.kinds[kind].event
    root = shape.event_parameters[0]
    rows = [row for row in shape.rows if row.at.root == root and not row.derived and row.field != "route"]
    parts = ", ".join(f"{row.field!r}: {at_text(row.at, {})}" for row in rows)
    loop = f"for {root} in {at_text(shape.each, {})}:\n        " if shape.each is not None else ""
    return f"SEEN = []\n\n\ndef see(event, ctx):\n    {loop}SEEN.append({{{parts}}})\n"


def parts_of(profile: Profile, kind: str, data: dict[str, Any], folder: Path) -> list[dict[str, Any]]:
    """Return what that handler keeps at Ostermere of the events that a provider shows, which mean the same there."""
    if data.get("body_file"):  # on file it may stand there itself
        data = {**data, "body_file": {"base64": base64.b64encode((folder / data["body_file"]).read_bytes()).decode()}}
    keeps: dict[str, Any] = {}
    ostermere = find_profile("ostermere@2")
    exec(seeing_parts(ostermere, kind), keeps)
    for native in write_events(kind, read_events(data, profile, "", kind=kind)[1], ostermere):
        keeps["see"](native, None)
    return list(keeps["SEEN"])


@pytest.mark.parametrize("style", ["wrapped", "native"])
@pytest.mark.parametrize("name", PROFILES)
def test_handlers_that_are_carried_there_see_what_the_manual_says(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, name: str, style: str
) -> None:
    """Judged by the manual, not by the stand-in: what was handed over, and what the handler must see."""
    profile, ostermere = PROFILES[name], find_profile("ostermere@2")
    folder, right = MANUALS / profile.model.evidence / "events", 0
    meaning = yaml.safe_load((folder.parent / "meaning.yaml").read_text())
    for kind in [kind for kind in profile.kinds if kind != "schedule"]:
        one = RouteTrigger("/{+path}", ("GET", "POST"), "public") if kind == "http" else EventTrigger(kind, "s")
        one = EventTrigger("call") if kind == "call" else one
        here, out = tmp_path / kind, tmp_path / f"{kind}-out"
        text = SEE if style == "wrapped" else seeing_parts(ostermere, kind)
        put(here, {**declaring(ostermere, Function("see", Entry("see.py", "see"), (one,))), "see.py": text})
        crossing = carry(here, to=profile, out=out, source=ostermere, style=style)
        assert [function.style for function in crossing.record.functions] == [style]
        put(out, {f"{module}.py": text for module, text in profile.modules.items()})
        monkeypatch.setattr(sys, "path", [str(out), *sys.path])
        for module in ("crossing", "see", "see_at_saltmarsh", *profile.modules):
            monkeypatch.delitem(sys.modules, module, raising=False)
        seen = importlib.import_module("see").SEEN
        for file, means in meaning.items():
            data = json.loads((folder / file).read_text())
            if means["kind"] != kind or (name == "netherby-4" and kind == "http" and "knock" not in data):
                continue  # a handler is handed the older shape only where its trigger asks for it
            seen.clear()
            called_there(name, out, crossing.record.functions[0].carried_entry, data, folder)
            wanted = means.get("events", [means.get("event")])
            told = {one[2] for one in TOLD if one[1] == file}
            got, known = seen, wanted
            if style == "native":  # both by the original's own names of its parts
                known = parts_of(profile, kind, data, folder)
            else:
                got = [event for data in seen for event in read_events(data, ostermere, file, kind=kind)[1]]
            assert len(got) == len(known) == len(wanted), file
            for event, parts, fields in zip(got, known, wanted, strict=True):
                for field in (fields.keys() - told) & (event.keys() if style == "native" else fields.keys()):
                    held, value = event.get(field), parts[field]
                    if (style, field) == ("native", "body") and held != value:  # read alone it is text: told
                        value = base64.b64decode(value).decode(errors="replace")
                    if style == "wrapped" and field == "query":
                        held = helpers.parse_query(event["query.raw"])
                    if style == "wrapped" and field == "headers":  # which Ostermere joins: `header-joined`, told
                        held, value = (sorted(helpers.with_joined(pairs or ()).items()) for pairs in (held, value))
                    assert same(field, held, value), (file, field, held, value)
                    right += 1
    assert right > 120


#: A manual's provider → how many of the demo's samples come out the same there.
SAME_THERE = {"netherby-4": 20, "saltmarsh-2": 25, "wexcombe-7": 14}


@pytest.mark.parametrize("name", some(PROFILES, 3))
def test_the_demo_is_carried_there_and_differs_where_it_was_told(tmp_path: Path, name: str) -> None:
    crossing = carry(PROJECT, to=PROFILES[name], out=tmp_path / "there", source="ostermere@1")
    told = [one for one in crossing.findings if one.severity is Severity.BLOCKING]
    places = {one.function for one in told} | {one.place.file for one in told}
    files = {one.name: str(one.entry).partition("#")[0] for one in crossing.record.functions}
    checked = check(tmp_path / "there").checked
    untold = [
        (one.function, one.sample, one.differences)
        for one in checked
        if one.verdict is Verdict.DIFFERS and not {one.function, files[one.function]} & places
    ]
    assert sum(one.verdict is Verdict.SAME for one in checked) == SAME_THERE[name]
    assert not untold


#: Which of the demo's handlers are rewritten there: the others call services that no profile has a way to reach.
NATIVE_THERE = {
    "netherby-4": {"hive_weight", "inspection_summary", "swarm_alert"},
    "saltmarsh-2": {"hive_weight", "record_inspection", "honey_orders", "hive_moved", "swarm_alert", "member_joined"},
    "wexcombe-7": {"hive_weight", "swarm_alert"},
}
#: Those of the manuals' own handlers that are wrapped at the others' providers and at a WSGI server's, and why.
WRAPPED_THERE = {
    ("netherby", "order_place"): "wrapped-never-there",  # it asks for the older shape of a knock
    ("saltmarsh", "ears"): "wrapped-never-there",  # it asks for the season, which the hub does not know
    ("wexcombe", "photos_take"): "wrapped-content-read-twice",  # it looks if there is a file before it opens it
    ("wexcombe", "orders_bake"): "wrapped-no-service",  # it shouts, and waits for an errand's answer
}


@pytest.mark.parametrize("to", some([*PROFILES, "wsgi@1"], 2))
def test_what_is_rewritten_at_a_strangers_provider(tmp_path: Path, to: str) -> None:
    target = PROFILES.get(to) or find_profile(to)
    if to in NATIVE_THERE:
        made = plan(PROJECT, to=target)
        assert {one.name for one in made.record.functions if one.style == "native"} == NATIVE_THERE[to]
        rest = {one.code for one in made.findings if one.code.startswith("wrapped-")}
        assert rest == {"wrapped-no-service"}
    for name, source in PROFILES.items():
        own = name.partition("-")[0]
        if source is target:
            continue
        for one in plan(MANUALS / "projects" / own, to=target, source=source).findings:
            if one.code.startswith("wrapped-"):
                assert (one.code, WRAPPED_THERE.get((own, one.function))) == (one.code, one.code), (own, one.function)


#: A handler that reads its settings when it is imported, in a helper and in itself, and a secret.
ASKS = """
import os

UNIT = os.environ["UNIT"]


def most(usual="9"):
    return int(os.environ.get("MOST", usual))


def show(event, ctx):
    return {"code": 200, "content": f"{UNIT} {most()} {os.getenv('OTHER')} {os.environ['SCALE_KEY']}"}
"""
ASKED_FOR = (
    "app: a\njobs:\n  f:\n    code: h.py#show\n    vars: {UNIT: kg, MOST: '3'}\n    sealed: {SCALE_KEY: vault/k}\n"
    "    when: [{web: GET /f}]\n"
)


@pytest.mark.parametrize(
    ("name", "style"), [("netherby-4", "native"), ("wexcombe-7", "native"), ("saltmarsh-2", "wrapped")]
)
def test_settings_are_asked_for_where_a_provider_has_them(tmp_path: Path, name: str, style: str) -> None:
    here = put(tmp_path / "here", {"ostermere.yaml": ASKED_FOR, "h.py": ASKS})
    put(here, {"samples/f/one.yaml": "kind: http\nevent: {method: GET, path.raw: /f, authority: a.example}\n"})
    crossing = carry(here, to=PROFILES[name], out=tmp_path / "there", source="ostermere@2")
    assert [one.style for one in crossing.record.functions] == [style]
    told = {(one.field, one.place.line) for one in crossing.findings if one.code == "setting-elsewhere"}
    # What is set up at an event can't be asked for when a file is imported: it stays, and is told.
    assert told == ({("UNIT", 4), ("SCALE_KEY", 12)} if name == "saltmarsh-2" else set())
    (checked,) = check(tmp_path / "there").checked
    assert checked.verdict is (Verdict.DIFFERS if told else Verdict.SAME), checked.differences
