"""The command as people and scripts meet it: output, formats, exit status, and one message for every mistake."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import Run

import vast_ferry
from vast_ferry.demo import PROJECT
from vast_ferry.profiles.registry import all_profiles


def test_the_demo_ends_with_its_verdicts(run: Run, tmp_path: Path) -> None:
    done = run("demo", "--out", "kept", cwd=tmp_path)
    assert (done.returncode, done.stderr) == (0, "")
    assert "30 samples: same 30, differs 0, unheld 0, unchecked 0." in done.stdout
    assert (tmp_path / "kept" / "apiary" / "ostermere.yaml").is_file()
    assert (tmp_path / "kept" / "ported" / "thornwick.toml").is_file()
    again = run("demo", "--out", "kept", cwd=tmp_path)
    assert (again.returncode, again.stdout) == (2, "")
    assert "already holds a demo" in again.stderr
    there = json.loads(run("demo", "--to", "thornwick", "--format", "json").stdout)
    assert (there["check"]["good"], there["carry"]["target"]) == (True, "Thornwick 2")


def test_a_broken_constant_is_named_with_status_1(run: Run, tmp_path: Path) -> None:
    shutil.copytree(PROJECT, tmp_path / "apiary")
    assert run("carry", "apiary", "--to", "thornwick", "--out", "ported", cwd=tmp_path).returncode == 0
    handler = tmp_path / "ported" / "handlers" / "hives.py"
    handler.write_text(handler.read_text().replace('"kg": 1000', '"kg": 1024'))
    done = run("check", "ported", "--report", "report.json", cwd=tmp_path)
    assert done.returncode == 1
    assert "body $.weights[0].weight" in done.stdout
    assert "Changed since they were carried: handlers/hives.py" in done.stdout
    report = json.loads((tmp_path / "report.json").read_text())
    assert report == json.loads(run("check", "ported", "--format", "json", cwd=tmp_path).stdout)
    assert report["counts"]["differs"] == 4
    one = run("check", "ported", "--samples", "apiary/samples/hive_weight/missing-day.http", cwd=tmp_path)
    assert "1 sample: same 1, " in one.stdout
    assert one.returncode == 1  # nothing was proven of the other function
    assert "Nothing was proven of record_inspection" in one.stdout


def test_check_without_an_offer_is_unheld_and_says_why(run: Run, ported: Callable[[str], Path]) -> None:
    done = run("check", ported("wsgi"), "--without", "raw_target")
    assert done.returncode == 1
    assert "unheld 2" in done.stdout
    assert "because path.raw: when the path holds an encoded slash (%2F)" in " ".join(done.stdout.split())


@pytest.mark.parametrize("form", ["text", "json"])
def test_profiles_are_listed_and_shown(run: Run, form: str) -> None:
    listed = run("profile", "list", "--format", form).stdout
    assert all(profile.name in listed or f'"title": "{profile.model.title}"' in listed for profile in all_profiles())
    shown = run("profile", "show", "ostermere@1", "--to", "wsgi", "--format", form).stdout
    assert "epoch_ms" in shown
    assert "claims" in shown
    if form == "json":
        assert json.loads(shown)["losses"]["http"][0]["harmless"] is False
        assert {row["is"] for row in json.loads(shown)["kinds"]["http"]["event"]} >= {
            "method",
            "path.raw",
            "query.raw",
            "body",
        }


def test_output_follows_the_terminal(run: Run) -> None:
    plain = run("profile", "list").stdout
    assert "\x1b[" not in plain
    assert not any(line.endswith(" ") for line in plain.splitlines())
    forced = {"FORCE_COLOR": "1", "TERM": "xterm-256color"}
    assert "\x1b[" in run("profile", "list", env=forced).stdout
    # NO_COLOR (no-color.org) takes colour away, not bold type
    assert "\x1b[3" not in run("profile", "show", "ostermere", env={**forced, "NO_COLOR": "1"}).stdout
    narrow = run("profile", "list", env={"COLUMNS": "60"}).stdout
    assert max(len(line) for line in narrow.splitlines()) <= 60


WRONG_USAGE = [
    ([], 2, "Usage"),
    (["carry"], 2, "Missing argument"),
    (["carry", ".", "--to", "wsgi"], 2, "Missing option '--out'"),
    (["ceck"], 2, "No such command"),
    (["profile", "show", "wsgy"], 2, "did you mean 'wsgi'"),
    (["profile", "show", "no/such.yaml"], 2, "no/such.yaml: the profile can't be read"),
    (["check", "nowhere"], 2, "nowhere holds no crossing"),
    (["check", ".", "--report", "r.pdf"], 2, "r.pdf is no kind of report"),
    (["check", ".", "--report", "no/r.json"], 2, "can't be written"),
    (["carry", "nowhere", "--to", "wsgi", "--out", "x"], 2, "there is no folder nowhere"),
    (
        ["event", "convert", "gone.json", "--from", "ostermere@1", "--to", "wsgi"],
        2,
        "gone.json: the event can't be read",
    ),
    (["--version"], 0, ""),
    (["--help"], 0, ""),
    (["event", "convert", "--help"], 0, ""),
]


@pytest.mark.parametrize(("arguments", "status", "says"), WRONG_USAGE)
def test_mistakes_end_with_2_and_one_message(
    run: Run, tmp_path: Path, arguments: list[str], status: int, says: str
) -> None:
    done = run(*arguments, cwd=tmp_path)
    assert done.returncode == status
    assert says in done.stderr
    assert "Traceback" not in done.stderr
    assert (done.stdout == "") == (status == 2)
    assert not list(tmp_path.iterdir())


def test_whoever_stops_reading_is_not_complained_to(tmp_path: Path) -> None:
    command = f"{sys.executable} -m vast_ferry profile show ostermere | head -n 1"
    done = subprocess.run(
        ["bash", "-o", "pipefail", "-c", command], capture_output=True, text=True, check=False, cwd=tmp_path
    )
    assert (done.returncode, done.stderr) == (0, "")


def test_starting_up_loads_nothing_that_is_not_asked_for() -> None:
    heavy = ["click", "rich", "pydantic", "yaml", "jinja2", "h11", "tomli_w"]
    code = f"import sys, vast_ferry; vast_ferry.__version__; print([m for m in {heavy} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
    code = (
        "import sys; sys.argv = ['vast-ferry', '--version']\n"
        f"from vast_ferry.cli.main import main; main(); print([m for m in {heavy} if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert "hypothesis" not in done.stdout
    assert done.stdout.split("\n") == [f"vast-ferry {vast_ferry.__version__}", "[]", ""]


def test_a_check_does_not_load_what_only_linting_and_plots_need(ported: Callable[[str], Path]) -> None:
    code = (
        "import sys; from vast_ferry.cli.commands import check\n"
        f"try: check([{str(ported('wsgi'))!r}])\n"
        "except SystemExit: pass\n"
        "print([m for m in ('hypothesis', 'pandas', 'matplotlib', 'numpy') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.endswith("[]\n")


def test_the_public_face_is_there_and_documented() -> None:
    assert set(vast_ferry.__all__) == set(vast_ferry._HOMES) | {"__version__"}
    for name in vast_ferry._HOMES:
        assert getattr(vast_ferry, name).__doc__
    with pytest.raises(AttributeError):
        vast_ferry.__getattr__("nothing")
