"""The house and its face: rooms import what stands above them, nothing goes round, and the public names are whole."""

from __future__ import annotations

import ast
import importlib.util
import re
import shutil
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import pytest
from conftest import ROOT, Run

from vast_ferry import BadInput, FerryError, carry, find_profile, gaps, lint, plan, survey
from vast_ferry.demo import PROJECT

HOUSE = ROOT / "src" / "vast_ferry"
ROOMS = [
    "hub", "spreading", "documents", "mapping", "profiles", "definitions", "events", "evidence", "translate",
    "surveying", "gap_finding", "crossing", "samples", "standins", "collecting", "checking", "probing", "serving",
    "reports", "cli",
]  # fmt: skip


def name_of(path: Path) -> str:
    return ".".join(path.relative_to(HOUSE.parent).with_suffix("").parts).removesuffix(".__init__")


MODULES = {
    name_of(path): ast.parse(path.read_text())
    for path in HOUSE.rglob("*.py")
    if path.relative_to(HOUSE).parts[0] not in ("demo", "__init__.py", "__main__.py")
}


def imports(name: str) -> set[str]:
    """Return the modules of the house that a module imports anywhere, for types alone as well."""
    found: set[str] = set()
    for node in ast.walk(MODULES[name]):
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("vast_ferry"):
            inner = {f"{node.module}.{alias.name}" for alias in node.names}
            found |= (inner & MODULES.keys()) or ({node.module or ""} & MODULES.keys())
        elif isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names} & MODULES.keys()
    return found - {name}


def test_rooms_import_only_from_rooms_above_them() -> None:
    assert {name.split(".")[1] for name in MODULES} == set(ROOMS)
    for name in MODULES:
        below = ROOMS.index(name.split(".")[1])
        wrong = {other for other in imports(name) if ROOMS.index(other.split(".")[1]) > below}
        assert not wrong, f"{name} imports {wrong}"


def test_nothing_goes_round_in_a_circle() -> None:
    try:
        list(TopologicalSorter({name: imports(name) for name in MODULES}).static_order())
    except CycleError as error:
        raise AssertionError(" imports ".join(reversed(error.args[1]))) from None


def test_what_any_language_has_knows_nothing_of_one() -> None:
    for name in MODULES:
        if name.startswith("vast_ferry.translate.") and not name.startswith("vast_ferry.translate.python"):
            assert not {other for other in imports(name) if other.startswith("vast_ferry.translate.python")}, name


def test_every_page_says_what_belongs_in_it() -> None:
    assert not [name for name, tree in MODULES.items() if not ast.get_docstring(tree)]


def test_the_table_of_where_things_go_names_what_is_there() -> None:
    text = (ROOT / "CONTRIBUTING.md").read_text()
    named = re.findall(r"`((?:src|tests|tools|docs|examples|[a-z_]+)/[\w./-]+)`", text)
    assert len(named) > 25
    gone = [one for one in named if not (ROOT / one).exists() and not (HOUSE / one).exists() and "NAME" not in one]
    assert not [one for one in gone if "PROVIDER" not in one]
    assert [f"`{room}`" for room in ROOMS if f"`{room}`" not in text] == []


# --- the public face --------------------------------------------------------------------------------------------------


def test_a_plan_is_what_would_be_written_and_writes_nothing(tmp_path: Path) -> None:
    project = shutil.copytree(PROJECT, tmp_path / "p")
    before = sorted(path for path in tmp_path.rglob("*"))
    planned = plan(project, to="thornwick")
    assert sorted(path for path in tmp_path.rglob("*")) == before
    carried = carry(
        project, to=find_profile("thornwick"), out=tmp_path / "crossing", source=find_profile("ostermere@1")
    )
    assert {path: planned.files[path] for path in planned.files if path != "crossing.json"} == {
        path: carried.files[path] for path in carried.files if path != "crossing.json"
    }
    assert planned.findings == carried.findings
    with pytest.raises(BadInput, match="there is no style"):
        plan(project, to="thornwick", style="loud")


def test_wherever_a_provider_is_asked_for_a_profile_may_be_given() -> None:
    own = find_profile("thornwick")
    assert gaps(PROJECT, to=own).findings == gaps(PROJECT, to="thornwick").findings
    assert survey(PROJECT, find_profile("ostermere@1")).as_data() == survey(PROJECT, "ostermere@1").as_data()
    assert next(iter(lint(own, 2))) == next(iter(lint("thornwick", 2)))


@pytest.mark.parametrize(
    ("package", "extra", "asked"),
    [
        ("hypothesis", "lint", ["profile", "lint", "cgi"]),
        ("pandas", "plots", ["profile", "fidelity"]),
        ("matplotlib", "plots", ["gaps", str(PROJECT), "--to", "thornwick", "--calls", "9", "--plot", "cost.png"]),
    ],
)
def test_what_is_optional_and_not_there_is_one_message(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, run: Run, package: str, extra: str, asked: list[str]
) -> None:
    there = importlib.util.find_spec
    monkeypatch.setattr(
        importlib.util, "find_spec", lambda name, *more: None if name == package else there(name, *more)
    )
    done = run(*asked, cwd=tmp_path)
    assert (done.returncode, done.stderr.count("\n")) == (2, 1), done.stderr
    assert f"pip install 'vast-ferry[{extra}]'" in done.stderr
    assert not list(tmp_path.iterdir())


def test_whatever_goes_wrong_and_has_a_name_is_of_one_family() -> None:
    ours = [kind for name in MODULES for kind in vars(importlib.import_module(name)).values()]
    for kind in ours:
        if isinstance(kind, type) and issubclass(kind, Exception) and kind.__module__.startswith("vast_ferry."):
            apart = kind.__module__.startswith(
                ("vast_ferry.standins", "vast_ferry.mapping.helpers")
            )  # run by themselves
            assert apart or kind.__name__.startswith("_") or issubclass(kind, FerryError | AssertionError), kind
