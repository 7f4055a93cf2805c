"""Examples and what the documentation shows are run, so that they stay true."""

from __future__ import annotations

import doctest
import importlib
import pkgutil
import re
import runpy
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import ROOT, Run

import vast_ferry

EXAMPLES = sorted((ROOT / "examples").glob("*.py"))
MODULES = [
    name
    for _, name, _ in pkgutil.walk_packages(vast_ferry.__path__, "vast_ferry.")
    if not name.endswith(("__main__", "worker")) and ".demo." not in name
]


@pytest.mark.parametrize("path", EXAMPLES, ids=lambda path: path.stem)
def test_examples_run(path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    runpy.run_path(str(path), run_name="__main__")
    out = capsys.readouterr().out
    assert "differs" not in out
    assert {"carry_and_check": "13 of 13 the same", "convert_an_event": "PATH_INFO"}.get(path.stem, "same") in out


@pytest.mark.parametrize("name", MODULES)
def test_examples_in_docstrings_are_true(name: str) -> None:
    assert doctest.testmod(importlib.import_module(name)).failed == 0


def test_the_readme_shows_what_the_demo_prints(run: Run) -> None:
    readme = (ROOT / "README.md").read_text()
    shown = re.search(r"```text\n(\$ vast-ferry carry.*?)```", readme, re.DOTALL)
    assert shown is not None
    assert shown[1].strip() == run("demo").stdout.strip(), "refresh the transcript: vast-ferry demo"


def test_pictures_are_linked_and_linked_pictures_are_there() -> None:
    readme = (ROOT / "README.md").read_text()
    linked = set(re.findall(r"docs/screenshots/[\w-]+\.png", readme))
    there = {path.relative_to(ROOT).as_posix() for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert linked == there


def test_the_reference_is_not_stale() -> None:
    done = subprocess.run([sys.executable, "tools/make_reference.py", "--check"], cwd=ROOT, check=False)
    assert done.returncode == 0, "refresh it: python tools/make_reference.py"
