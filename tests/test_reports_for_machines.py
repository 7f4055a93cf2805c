"""The check's result for build servers, judged by the published schema and a reader of others; and for pytest."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from xml.etree import ElementTree as Xml

import jsonschema
import pytest
from conftest import Run
from junitparser import JUnitXml
from under_node import typescript

SCHEMA = typescript() / "@microsoft" / "jest-sarif" / "lib" / "schemas" / "sarif-2.1.0-rtm.5.json"


@pytest.fixture
def broken(tmp_path: Path, ported: Callable[[str], Path]) -> Path:
    """Return a crossing in which one constant is another, and a handler prints what XML has no place for."""
    folder = tmp_path / "ported"
    shutil.copytree(ported("thornwick@1"), folder)
    record = json.loads((folder / "crossing.json").read_text())
    record["source"]["project"] = str((ported("thornwick@1") / record["source"]["project"]).resolve())
    (folder / "crossing.json").write_text(json.dumps(record))
    handler = folder / "handlers" / "orders.py"
    changed = handler.read_text().replace('"packing"', 'print("<&\\x01]]>") or "packed"')
    assert changed != handler.read_text()
    handler.write_text(changed)
    return folder


def test_a_check_is_told_to_build_servers(run: Run, tmp_path: Path, broken: Path) -> None:
    names = [tmp_path / f"r.{suffix}" for suffix in ("xml", "sarif", "json")]
    done = run("check", broken, *(word for name in names for word in ("--report", name)))
    assert done.returncode == 1
    told = JUnitXml.fromfile(str(names[0]))
    assert (told.tests, told.failures, told.errors, told.skipped) == (30, 2, 0, 0)
    suites = {suite.name: [case.name for case in suite if not case.is_passed] for suite in told}
    assert {name: cases for name, cases in suites.items() if cases} == {"honey_orders": ["one.yaml", "three.yaml"]}
    failure = Xml.parse(names[0]).find(".//failure")
    assert failure is not None
    assert 'original: "packing"' in (failure.text or "")
    log = json.loads(names[1].read_text())
    jsonschema.validate(log, json.loads(SCHEMA.read_text()))
    results = log["runs"][0]["results"]
    assert [one["ruleId"] for one in results].count("differs") == 2
    where = [one["locations"][0]["physicalLocation"] for one in results if one["ruleId"] == "differs"]
    assert all(re.search(r"honey_orders/(one|three)\.yaml$", one["artifactLocation"]["uri"]) for one in where)
    assert json.loads(names[2].read_text())["counts"]["differs"] == 2
    wrong = run("check", broken, "--report", tmp_path / "r.txt")
    assert (wrong.returncode, "Name it FILE.json or FILE.xml or FILE.sarif" in wrong.stderr) == (2, True)


def pytested(folder: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    words = [sys.executable, "-m", "pytest", "-p", "vast_ferry.cli.pytest_plugin", "-p", "no:cacheprovider", *arguments]
    return subprocess.run(words, cwd=folder, capture_output=True, text=True, timeout=120, check=False)


@pytest.mark.parametrize("more", [(), pytest.param(("-n", "2"), marks=pytest.mark.slow)])
def test_each_sample_is_a_test_of_the_teams_own(tmp_path: Path, broken: Path, more: tuple[str, ...]) -> None:
    (tmp_path / "test_own.py").write_text(
        "from vast_ferry import Verdict\n\n\n"
        "def test_own(crossing_results):\n    assert crossing_results['ported'].count(Verdict.DIFFERS) == 2\n"
    )
    done = pytested(tmp_path, "--crossing", str(broken), *more)
    assert "2 failed, 29 passed" in done.stdout
    assert 'original: "packing"' in done.stdout
    some = pytested(tmp_path, "--crossing", str(broken), "-k", "hive_moved", *more)
    assert re.search(r"\b2 passed", some.stdout)
    gone = pytested(tmp_path, "--crossing", str(tmp_path / "none"))
    assert gone.returncode == 4
    assert "none" in gone.stderr
