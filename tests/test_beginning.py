"""The beginning of a profile's definition, guessed from a file: judged by profiles that were written by hand for it."""

from __future__ import annotations

import base64
import json
from pathlib import Path
from typing import Any

import pytest
from conftest import ROOT, Run

from vast_ferry import begin_profile, find_profile
from vast_ferry.definitions.project import read_project
from vast_ferry.evidence.beginning_definition import begin_definition
from vast_ferry.evidence.telling import form_of_fields
from vast_ferry.hub.functions import EventTrigger, Function


def schedules_of(function: Function) -> list[Any]:
    return [one.schedule for one in function.triggers if isinstance(one, EventTrigger) and one.schedule]


@pytest.mark.parametrize(
    ("judge", "file"),
    [
        ("ostermere@1", "src/vast_ferry/demo/apiary/ostermere.yaml"),
        ("thornwick@1", "src/vast_ferry/demo/apiary_at_thornwick/thornwick.toml"),
        ("examples/mossgate/mossgate-1.yaml", "examples/mossgate/mossgate/project/mossgate.yaml"),
    ],
)
def test_the_beginning_of_a_definition_reads_what_the_profile_reads(
    run: Run, tmp_path: Path, judge: str, file: str
) -> None:
    """What was guessed of a definition is what a profile that others wrote for it says: entries, routes, schedules."""
    begun = tmp_path / "begun-1.yaml"
    assert "rows guessed" in run("profile", "new", "begun", "--definition", ROOT / file, "--out", begun).stdout
    _, ours = read_project((ROOT / file).parent, find_profile(str(begun)))
    _, theirs = read_project((ROOT / file).parent, find_profile(judge if "@" in judge else str(ROOT / judge)))
    assert ours.name == theirs.name
    by_name = {one.name: one for one in theirs.functions}
    for one in ours.functions:
        assert (one.entry, one.language) == (by_name[one.name].entry, by_name[one.name].language)
        assert [trigger.route for trigger in one.routes] == [trigger.route for trigger in by_name[one.name].routes]
        schedules = [schedules_of(one), schedules_of(by_name[one.name])]
        assert schedules[0] == schedules[1]
    # Every key that no row reads is told, so nothing of the file vanishes.
    assert all("is no key that Begun 1 has here" in finding.reason for finding in ours.findings)


def test_a_definition_in_code_or_without_functions_is_one_message(run: Run, tmp_path: Path) -> None:
    (tmp_path / "house.py").write_text("x = 1\n")
    (tmp_path / "none.yaml").write_text("a: 1\n")
    for file, says in (
        ("house.py", "functions that code or plain lines declare are not guessed"),
        ("none.yaml", "looks like functions"),
    ):
        done = run("profile", "new", "begun", "--definition", tmp_path / file, "--out", tmp_path / "b.yaml")
        assert done.returncode == 2
        assert says in " ".join(done.stderr.split())
        assert not (tmp_path / "b.yaml").exists()


#: what stands in an event → the row that is guessed of it
GUESSED = {
    '"how": "post"': "is: method, as: lower",
    '"url": "https://api.example/a/b?c=%20"': "is: '{scheme}://{authority}{target}'",
    '"path": ["hives", "h%2F7"]': "is: path.raw, as: segments",
    '"when": "Sun, 14 Mar 2027 09:26:53 GMT"': "WDAY, DD MON YYYY",
    '"load": [0, 255]': "is: body, as: octets",
    '"load": "_-8A_w"': "is: body, as: base64url",
    '"load": "AP8="': "is: body, as: base64",
    '"to": {"host": "a.example", "port": 8443}': "is: authority, as: \"'{}[:{ | whole}]'\"",
    '"fields": {"X-A": ["1"]}, "cookies": {"sid": "1"}': "is: cookies, as: \"by_name | as_words('=')\"",
    '"query": {"a": ["1", "2"], "b": "3"}': "is: query, as: one_or_list",
    '"fields": {"X-A": ["1"], "Host": "b"}': "is: headers.all, as: one_or_list | title_names",
    '"fields": {"X-A": "1", "Host": "b"}': "is: headers.all, as: joined_by_name | title_names",
    '"fields": {"n": ["X-A"], "v": ["1"]}': "is: headers, as: 'two_lists(n, v) | lower_names'",
    '"path": ["hives", "h/7"]': "is: path.raw, as: segments(decoded)",
    '"way": "/hives/:hive"': "is: route, as: \"route(':name', '*name')\"",
    '"params": [{"name": "hive", "value": "h/7"}]': "is: captures, as: 'records(name, value) | texts'",
    '"who": {"sub": "m-12"}': "is: principal.id",
    '"number": 7': "is: id, as: whole",
    '"when": "2027-073T09:26:53Z"': "YYYY-DDDThh:mm:ss",
    '"mode": "north"': "# - {at: 'event[\"mode\"]', is: }",
    '"codes": [1, 2, 3, 4]': "# - {at: 'event[\"codes\"]', is: }",
}


def test_batches_words_and_what_is_encoded_are_guessed(tmp_path: Path) -> None:
    recorded = {
        "message-1": {"load": {"ids": ["m-1"], "tries": [0], "text": ["a"]}},
        "http-1": {"line": "PUT /a", "load": "AP8="},
        "http-2": {"line": "PUT /a", "load": ""},
        "object-1": {"kind": "file", "act": "WRITE", "meta": {"n": ["by"], "v": ["m-12"]}, "path": "s://a/b"},
        "record-1": {"rows": [{"op": "U"}, {"op": "D"}]},
        "signal-1": {"sealed": base64.b64encode(b'{"id": "g-1", "load": "{}"}').decode()},
    }
    for name, event in recorded.items():
        (tmp_path / f"{name}.json").write_text(json.dumps(event))
    text = begin_profile("begun", tmp_path).text
    for wanted in (
        "{of: 'event[\"load\"] | side_by_side(ids, tries, text)', each: entry}",
        "{at: 'entry[\"tries\"]', is: attempt, as: counted_from(0)}",
        "{at: 'event[\"load\"]', is: body, as: base64}",
        '{at: \'event["act"]\', is: change, words: {"WRITE": created}}',
        "is: labels, as: 'two_lists(n, v) | texts'",
        'words: {"U": updated, "D": deleted}',
        "inside_1: 'event[\"sealed\"] | base64 | decoded | json_text'",
        "{at: 'inside_1[\"load\"]', is: data, as: json_text}",
    ):
        assert wanted in text
    (tmp_path / "begun-1.yaml").write_text(text)
    assert set(find_profile(str(tmp_path / "begun-1.yaml")).kinds) == {"http", "message", "object", "record", "signal"}


@pytest.mark.parametrize("held", GUESSED)
def test_forms_of_an_event_are_guessed(run: Run, tmp_path: Path, held: str) -> None:
    (tmp_path / "events").mkdir()
    (tmp_path / "events" / "http-1.json").write_text(
        f'{{"method": "GET", {held}}}' if "how" not in held else f"{{{held}}}"
    )
    begun = tmp_path / "begun-1.yaml"
    run("profile", "new", "begun", "--events", tmp_path / "events", "--out", begun)
    assert GUESSED[held] in begun.read_text()
    find_profile(str(begun))


def test_no_secret_of_a_definition_stands_in_the_beginning(run: Run, tmp_path: Path) -> None:
    (tmp_path / "app.yaml").write_text(
        "app: a\nadmin_password: hunter22hunter22\n"
        "jobs: {f: {code: 'h.py#f', api_key: 9f2c4d1e9f2c4d1e9f2c4d1e, env: {TOKEN: sesame-sesame}}}\n"
    )
    begun = tmp_path / "begun-1.yaml"
    run("profile", "new", "begun", "--definition", tmp_path / "app.yaml", "--out", begun)
    text = begun.read_text()
    assert "file_entry" in text
    assert not any(secret in text for secret in ("hunter22", "9f2c4d1e", "sesame"))


def test_no_credentials_of_an_event_stand_in_the_beginning(run: Run, tmp_path: Path) -> None:
    (tmp_path / "events").mkdir()
    held = '{"method": "GET", "fields": [["Authorization", "Bearer abc123def"], ["x-a", "1"]], "note": "token=sesame"}'
    (tmp_path / "events" / "http-1.json").write_text(held)
    begun = tmp_path / "begun-1.yaml"
    run("profile", "new", "begun", "--events", tmp_path / "events", "--out", begun)
    text = begun.read_text()
    assert "headers" in text
    assert not any(secret in text for secret in ("abc123def", "sesame"))


#: Header fields as they may stand → the form in which they are guessed to.
FIELDS: list[tuple[Any, str]] = [
    (["Content-Type: text/plain", "X-By: a: b"], "\"list_of_words(': ') | lower_names\""),
    (["content-type", "text/plain", "x-by", "a"], "flat | lower_names"),
    (["one", "two"], ""),
    ([["accept", "*/*"]], "pairs"),
    ([{"k": "Content-Type", "v": "a"}], "'records(k, v) | lower_names'"),
    ({"content-type": "a"}, "joined"),
]


@pytest.mark.parametrize(("value", "form"), FIELDS)
def test_header_fields_are_told_by_their_form(value: Any, form: str) -> None:
    assert form_of_fields(value) == form


def test_secrets_by_reference_are_guessed_where_several_begin_alike(tmp_path: Path) -> None:
    file = tmp_path / "it.toml"
    for sealed, says in (
        ("""{A = "chest:a", B = "chest:b"}""", "is: secrets, as: \"reference('chest:')\""),
        ("""{A = "chest:a"}""", '{at: "sealed", is: }'),  # it may be the value
    ):
        file.write_text(f'[[job]]\nname = "f"\nrun = "h.py:f"\nsealed = {sealed}\n')
        assert says in "\n".join(begin_definition(file).lines)


#: A provider of the tests → what has to be guessed of its definition, which is unlike others.
ODD_DEFINITIONS = {
    "dunmarsh": (
        "dunmarsh.json",
        [
            "file_entry('@')",
            'timeout, as: "span(ms)"',
            "pairs | texts",
            'told_by: {"type": "blob"}',
            "triggers_are: one",
        ],
    ),
    "cinderwick": (
        "cinderwick.toml",
        ["triggers_text: said", 'is: "web {methods_and_route}"', 'is: "queue {source}"', "module_entry(':')"],
    ),
    "thistlemoor": ("moor.yaml", ['triggers_at: "upon"', "is: methods_and_route"]),
}


@pytest.mark.parametrize("name", ODD_DEFINITIONS)
def test_an_odd_definition_is_begun_from(name: str) -> None:
    file, said = ODD_DEFINITIONS[name]
    folder = ROOT / "tests" / "profiles" / name / "project"
    begun = "\n".join(begin_definition(folder / file).lines)
    assert [one for one in said if one not in begun] == []
