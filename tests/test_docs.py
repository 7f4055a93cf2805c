"""Examples and what the documentation shows are run, so that they stay true."""

from __future__ import annotations

import doctest
import importlib
import json
import linecache
import pkgutil
import re
import runpy
import shlex
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import pictures
import pytest
from conftest import ROOT, Run

import vast_ferry
from vast_ferry import StandIn, Verdict, carry, check, find_profile
from vast_ferry.demo import PROJECT
from vast_ferry.profiles import schema, schema_definition
from vast_ferry.profiles.schema_texts import Model

EXAMPLES = sorted((ROOT / "examples").glob("*.py"))
MODULES = [
    name
    for _, name, _ in pkgutil.walk_packages(vast_ferry.__path__, "vast_ferry.")
    if not name.endswith(("__main__", "worker", "keeper")) and ".demo." not in name
]


#: They run handlers hundreds of times, so `make test` leaves them to `make test-all`.
LONG = ("strong_samples",)


@pytest.mark.parametrize(
    "path",
    [pytest.param(one, marks=[pytest.mark.slow] * (one.stem in LONG), id=one.stem) for one in EXAMPLES],
)
def test_examples_run(path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("sys.argv", [str(path)])
    runpy.run_path(str(path), run_name="__main__")
    out = capsys.readouterr().out
    assert "differs" not in out
    assert {
        "carry_and_check": "13 of 13 the same",
        "convert_an_event": "PATH_INFO",
        "handlers_in_javascript": "13 of 13 the same",
        "before_you_carry": "a month",
        "strong_samples": "are kept:",
    }.get(path.stem, "same") in out


@pytest.mark.parametrize("name", MODULES)
def test_examples_in_docstrings_are_true(name: str) -> None:
    linecache.clearcache()  # doctest looks at every file that is in it, at every example
    assert doctest.testmod(importlib.import_module(name)).failed == 0


def test_the_docs_show_what_the_demo_prints(run: Run) -> None:
    page = (ROOT / "docs" / "demo.md").read_text()
    shown = re.search(r"```text\n(\$ vast-ferry carry.*?)```", page, re.DOTALL)
    assert shown is not None
    assert shown[1].strip() == run("demo").stdout.strip(), "refresh it: python tools/transcript.py"


PAGES = [ROOT / "README.md", *(path for path in sorted((ROOT / "docs").glob("*.md")) if path.name != "providers.md")]


TRIED = [page for page in PAGES if "```console" in page.read_text()]
#: Those that `make test` leaves to `make test-all`, for they take longest and other tests do nearly the same.
LONGEST = ("javascript", "check", "library", "samples")


@pytest.mark.parametrize(
    "page",
    [pytest.param(page, marks=pytest.mark.slow) if page.stem in LONGEST else page for page in TRIED],
    ids=lambda page: page.stem,
)
def test_every_page_can_be_tried_as_it_is_written(page: Path, run: Run, tmp_path: Path) -> None:
    if page.stem != "README":  # whose first line makes it
        shutil.copytree(PROJECT, tmp_path / "tried" / "apiary")
    shutil.copytree(ROOT / "examples", tmp_path / "examples")
    lines = re.findall(
        r"^\$ vast-ferry (.*)$", "\n".join(re.findall(r"```console\n(.*?)```", page.read_text(), re.S)), re.M
    )
    assert lines
    for line in lines:
        command, _, comment = line.partition("#")
        done = run(*shlex.split(command), cwd=tmp_path)
        assert done.returncode == (1 if comment.strip().startswith("status 1") else 0), (line, done.stderr)
        assert done.stdout


def test_the_library_can_be_tried_as_it_is_written(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    shutil.copytree(PROJECT, tmp_path / "tried" / "apiary")
    code = re.search(r"```python\n(.*?)```", (ROOT / "docs" / "library.md").read_text(), re.DOTALL)
    assert code is not None
    exec(compile(code[1], "docs/library.md", "exec"), {})
    named = set(re.findall(r"`(\w+)\(", (ROOT / "docs" / "library.md").read_text()))
    assert named == {name for name in vast_ferry.__all__ if name[0].islower() or name == "StandIn"}


def test_links_lead_somewhere() -> None:
    for page in PAGES:
        for link in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
            assert (page.parent / link).exists(), (page.name, link)


def test_pictures_are_linked_and_linked_pictures_are_there() -> None:
    readme = (ROOT / "README.md").read_text()
    linked = set(re.findall(r"docs/screenshots/[\w-]+\.png", readme))
    there = {path.relative_to(ROOT).as_posix() for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert linked == there


def test_the_provider_of_the_instructions_lints_converts_carries_and_has_a_stand_in(run: Run, tmp_path: Path) -> None:
    text = (ROOT / "CONTRIBUTING.md").read_text(encoding="utf-8")
    (tmp_path / "quarry.profile.yaml").write_text(text.partition("```yaml\n")[2].partition("```")[0])
    profile = find_profile(str(tmp_path / "quarry.profile.yaml"))
    linted = run("profile", "lint", "quarry.profile.yaml", "--examples", "30", cwd=tmp_path)
    assert (linted.returncode, "Every law holds." in linted.stdout) == (0, True), linted.stdout

    entry: dict[str, Any] = {"ticket": "l-1", "at": 1, "line": "q", "text": "x", "packed": False, "form": ""}
    event = {"kind": "line", "batch": [{**entry, "notes": {"a": "b"}, "group": None, "tries": 2}]}
    (tmp_path / "e.json").write_text(json.dumps(event))
    there = run("event", "convert", "e.json", "--from", "ostermere@1", "--to", "quarry.profile.yaml", cwd=tmp_path)
    assert json.loads(there.stdout)["loads"][0] == {
        "id": "l-1", "sent": 1, "belt": "q", "stone": "eA==", "packed": True, "sort": "", "marks": {"a": "b"}, "turn": 2
    }  # fmt: skip

    handler = "from quarry import heaps\ndef f(job, tools):\n    tools.tell('x')\n"
    handler += "    heaps.put('h', 'n', job['loads'][0]['stone'])\n"
    handler += "    return {'back': [one['id'] for one in job['loads'][1:]]}\n"
    (tmp_path / "h.py").write_text(handler)
    message = {"time": "", "channel": "q", "body": b"x", "content_type": "text/plain", "attributes": {}, "group": ""}
    with StandIn(profile, tmp_path, "h.py#f") as stand_in:
        both = [{**message, "id": name, "attempt": 1, "extensions": {}} for name in "ab"]
        outcome = stand_in.call("message", *both)
    assert (str(outcome), outcome.effects[0].fields["body"]) == ("partly failed, b again, 1 effect", b"x")

    project = tmp_path / "project"
    (project / "samples" / "f").mkdir(parents=True)
    (project / "ostermere.yaml").write_text("app: a\njobs:\n  f: {code: h.py#f, when: [{line: q}]}\n")
    code = "from ostermere import stores\ndef f(event, ctx):\n    stores.put('s', 'i', event['batch'][0]['text'])\n"
    (project / "h.py").write_text(code)
    (project / "samples" / "f" / "one.json").write_text(json.dumps(event))
    assert not carry(project, to=str(tmp_path / "quarry.profile.yaml"), out=tmp_path / "there").blocking
    (checked,) = check(tmp_path / "there").checked
    assert (checked.verdict, checked.got) == (Verdict.SAME, "acknowledged, 1 effect")


def test_every_key_of_a_profile_has_its_row_in_the_reference() -> None:
    text = (ROOT / "docs" / "profiles.md").read_text()
    every = {**vars(schema), **vars(schema_definition)}.values()
    models = [one for one in every if isinstance(one, type) and issubclass(one, Model)]
    for name, told in ((name, told) for one in models for name, told in one.model_fields.items()):
        row = f"| `{told.alias or name}` | {'yes' if told.is_required() else ''} | {told.description or ''}"
        assert row.replace("|", "") in text.replace("|", "").replace("\\", ""), row


def test_the_reference_is_not_stale() -> None:
    done = subprocess.run([sys.executable, "tools/make_reference.py", "--check"], cwd=ROOT, check=False)
    assert done.returncode == 0, "refresh it: python tools/make_reference.py"


@pytest.mark.slow
def test_no_picture_is_stale(run: Run, tmp_path: Path) -> None:
    def command(line: str, folder: Path) -> str:
        done = run(*line.split()[1:], cwd=folder, env={"COLUMNS": str(pictures.WIDTH)})
        return done.stdout + done.stderr

    pictures.prepare(tmp_path, command)
    stale = [
        name
        for name in pictures.PICTURES
        if pictures.text_of(name, tmp_path, command) != (pictures.FOLDER / f"{name}.txt").read_text(encoding="utf-8")
    ]
    assert not stale, "make them anew and look at them: tools/screenshots.sh"
    assert {path.stem for path in pictures.FOLDER.glob("*.png")} == {*pictures.PICTURES}
