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
from conftest import ROOT, Run
from junitparser import JUnitXml
from under_node import typescript

from vast_ferry import Checked, CheckResult, Verdict
from vast_ferry.checking.exact_json import Difference
from vast_ferry.hub.findings import Finding, Place, Severity
from vast_ferry.reports.check_page import check_page
from vast_ferry.reports.times_plot import times_svg

PAGE = (ROOT / "src" / "vast_ferry" / "reports" / "check_page.html.j2").read_text()
#: The colours of each theme, light and dark, by their names.
THEMES = [
    dict(re.findall(r"--([a-z]+): (#[0-9a-f]{6})", part)) for part in re.findall(r":root \{.*?\}", PAGE, re.DOTALL)
]
WRITTEN = ("ink", "soft", "same", "differs", "unheld", "unchecked")
#: What is written, and on what: of each theme.
CONTRASTS = [
    [(theme[one], theme[ground]) for one in WRITTEN for ground in ("paper", "card")]
    + [(theme["ink"], theme[ground]) for ground in ("was", "is")]
    for theme in THEMES
]


def luminance(colour: str) -> float:
    """Return the relative luminance of a colour (WCAG 2.2)."""
    parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


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
    assert (wrong.returncode, "Name it FILE.html or FILE.json" in wrong.stderr) == (2, True)


def hostile() -> tuple[CheckResult, list[Finding]]:
    """Return a result in which everything that comes from outside is markup, and findings that are."""
    markup = "<script>alert(1)</script><img src=x onerror=alert(1)><a href='javascript:alert(1)'>x</a>"
    differs = (Difference(markup, markup, "'\"&"),)
    one = Checked(
        markup, markup, Verdict.DIFFERS, differs, (markup,), expected=markup, output=markup, took=(0.01, 0.02)
    )
    told = [Finding("x", severity, markup, markup, Place(markup, 1), markup, markup) for severity in Severity]
    return CheckResult(markup, "there", (one,), (), (markup,)), told


def test_the_page_shows_what_came_from_outside_as_text() -> None:
    result, told = hostile()
    page = check_page(result, told=told, times=times_svg(result))
    assert "<svg" in page
    assert times_svg(result) == times_svg(result)
    assert "<script" not in page
    assert "<img" not in page
    assert "<a href='j" not in page
    assert page.count("&lt;script&gt;") > 6
    for words in ("<main", "<nav", 'lang="en"', "aria-label", 'scope="col"', "prefers-color-scheme", "@media print"):
        assert words in page
    ids = re.findall(r'\bid="([^"]+)"', page)
    assert len(ids) == len(set(ids))
    assert {link[1:] for link in re.findall(r'href="(#[^"]+)"', page)} <= set(ids)


def test_the_page_of_two_thousand_samples_is_small(tmp_path: Path) -> None:
    difference = Difference("body $.weights[0].weight", "33.075", "32.3")
    told = (difference,)
    many = [Checked(f"f{n % 40}", f"s{n}.http", Verdict.SAME, got="replied 200") for n in range(1400)]
    many += [Checked(f"f{n % 40}", f"d{n}.http", Verdict.DIFFERS, told, got="replied 200") for n in range(600)]
    page = check_page(CheckResult("here", "there", tuple(many)))
    assert len(page) < 5_000_000
    assert page.count("<section") == 40


@pytest.mark.parametrize(("one", "ground"), [(a, b) for theme in (0, 1) for a, b in CONTRASTS[theme]])
def test_what_is_written_can_be_read(one: str, ground: str) -> None:
    lighter, darker = sorted((luminance(one), luminance(ground)), reverse=True)
    assert (lighter + 0.05) / (darker + 0.05) >= 4.5


def pytested(folder: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    words = [sys.executable, "-m", "pytest", "-p", "vast_ferry.cli.pytest_plugin", "-p", "no:cacheprovider", *arguments]
    return subprocess.run(words, cwd=folder, capture_output=True, text=True, timeout=120, check=False)


@pytest.mark.slow
@pytest.mark.parametrize("more", [("-n", "2")])
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


#: how a check is asked for, of which what is printed is held against the schema
ASKED = [
    (),
    ("--deliveries", "--function", "nectar_report", "--function", "honey_orders"),
    ("--strength", "--seconds", "2", "--function", "member_joined"),
    ("--bundle", "b.zip", "--function", "hive_moved"),
]


@pytest.mark.parametrize("asked", ASKED)
def test_what_is_printed_as_json_is_as_its_schema_says(
    broken: Path, run: Run, tmp_path: Path, asked: tuple[str, ...]
) -> None:
    schema = json.loads((ROOT / "docs" / "check.schema.json").read_text())
    jsonschema.Draft202012Validator.check_schema(schema)
    told = run("check", broken, *asked, "--format", "json", cwd=tmp_path)
    data = json.loads(told.stdout)
    jsonschema.Draft202012Validator(schema).validate(data)
    assert {one.removeprefix("--") for one in asked if one in ("--deliveries", "--strength", "--bundle")} <= data.keys()
