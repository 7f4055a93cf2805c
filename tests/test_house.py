"""The house: rooms import only what stands above them, nothing goes round in a circle, pages say what they are."""

from __future__ import annotations

import ast
import re
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

from conftest import ROOT

HOUSE = ROOT / "src" / "vast_ferry"
ROOMS = [
    "hub", "documents", "mapping", "profiles", "definitions", "events", "translate", "surveying", "gap_finding",
    "crossing", "samples", "standins", "checking", "reports", "cli",
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
