"""The beginning of a profile's definition, guessed from a file: judged by profiles that were written by hand for it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from conftest import ROOT, Run

from vast_ferry import find_profile
from vast_ferry.definitions.project import read_project
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
        ("house.py", "functions that code declares are not guessed"),
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
}


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
