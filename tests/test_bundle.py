"""Whether what was carried is whole, judged by pip: wheels that are built here, and no network."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import pytest
from conftest import Run, some

from vast_ferry import carry
from vast_ferry.demo import LANGUAGES, PROJECT


@pytest.fixture(scope="module")
def wheels(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a folder with two wheels: `wax-tools`, whose module is called waxen and which needs `honey`."""
    folder = tmp_path_factory.mktemp("wheels")
    for name, module, needs in (("wax_tools", "waxen", "Requires-Dist: honey\n"), ("honey", "honey", "")):
        with zipfile.ZipFile(folder / f"{name}-1.0-py3-none-any.whl", "w") as made:
            about = f"{name}-1.0.dist-info"
            made.writestr(f"{module}/__init__.py", "SOLD = 1\n")
            made.writestr(f"{about}/METADATA", f"Metadata-Version: 2.1\nName: {name}\nVersion: 1.0\n{needs}")
            made.writestr(f"{about}/WHEEL", "Wheel-Version: 1.0\nRoot-Is-Purelib: true\nTag: py3-none-any\n")
            made.writestr(f"{about}/RECORD", "")
    return folder


def placed(finding: dict[str, Any], top: Path) -> str:
    """Return the file and the line of a finding."""
    return f"{finding['place']['file'].removeprefix(f'{top}/')}:{finding['place']['line']}"


#: requirements, a line of the handler, and what is found
NEEDS = [
    ("", "import json, os.path", set()),
    ("", "from handlers import hives", set()),
    ("wax_tools==1.0  # for frames\n", "from waxen import SOLD", set()),
    ("wax-tools\n", "import waxen, honey", set()),
    ("wax-tools\n", "import honey", {("requirement-unneeded", "requirements.txt:1")}),
    ("", "import waxen", {("import-without-requirement", "handlers/members.py:1")}),
    ("honey\n", "import honey, waxen.frames", {("import-without-requirement", "handlers/members.py:1")}),
    (
        "",
        "try:\n    import waxen\nexcept ImportError:\n    waxen = None",
        {("import-without-requirement", "handlers/members.py:2")},
    ),
]


@pytest.mark.parametrize(("requirements", "line", "wanted"), some(NEEDS, 9))
def test_what_is_imported_is_required(
    tmp_path: Path, wheels: Path, run: Run, requirements: str, line: str, wanted: set[tuple[str, str]]
) -> None:
    carry(PROJECT, to="thornwick", out=tmp_path / "there")
    (tmp_path / "there" / "requirements.txt").write_text(requirements)
    handler = tmp_path / "there" / "handlers" / "members.py"
    handler.write_text(f"{line}\n{handler.read_text().partition('from __future__')[0]}")
    words = ("check", tmp_path / "there", "--function", "hive_weight", "--find-links", wheels, "--format", "json")
    told = run(*words, "--bundle", tmp_path / "one.zip")
    data = json.loads(told.stdout)["bundle"]
    found = {(one["code"], placed(one, tmp_path / "there")) for one in data["findings"]}
    assert found == wanted
    missing = any(one["severity"] == "blocking" for one in data["findings"])
    assert (told.returncode, data["whole"]) == (int(missing), not missing)
    run(*words, "--bundle", tmp_path / "two.zip")
    assert (tmp_path / "one.zip").read_bytes() == (tmp_path / "two.zip").read_bytes()
    if "wax" in requirements:
        # What the archive holds runs by itself, with nothing else installed.
        there = tmp_path / "apart"
        shutil.unpack_archive(tmp_path / "one.zip", there)
        code = f"import sys; sys.path.insert(0, {str(there)!r}); import honey"
        assert subprocess.run([sys.executable, "-I", "-S", "-c", code], check=False).returncode == 0


def test_what_cannot_be_had_is_one_message(tmp_path: Path, wheels: Path, run: Run) -> None:
    carry(PROJECT, to="thornwick", out=tmp_path / "there")
    words = ("check", tmp_path / "there", "--function", "hive_weight", "--find-links", wheels)
    for text, said in (("propolis\n", "propolis"), ("honey\n?what\n", "'?what' is no requirement")):
        (tmp_path / "there" / "requirements.txt").write_text(text)
        told = run(*words, "--bundle", tmp_path / "one.zip")
        assert (told.returncode, said in told.stderr) == (2, True), told.stderr
        assert not (tmp_path / "one.zip").exists()
    told = run(*words, "--bundle", tmp_path / "one.tar")
    assert (told.returncode, "one.tar is no kind of report" in told.stderr) == (2, True)


def test_packages_of_node_are_listed(tmp_path: Path, run: Run) -> None:
    carry(LANGUAGES["javascript"], to="thornwick", out=tmp_path / "there")
    package = tmp_path / "there" / "package.json"
    package.write_text(json.dumps({**json.loads(package.read_text()), "dependencies": {"unused": "1"}}))
    handler = tmp_path / "there" / "handlers" / "hives.js"
    handler.write_text(f"import {{ frames }} from '@wax/frames/all';\n{handler.read_text()}")
    told = run(
        "check", tmp_path / "there", "--function", "member_joined", "--bundle", tmp_path / "b.zip", "--format", "json"
    )
    data = json.loads(told.stdout)["bundle"]
    assert {(one["code"], placed(one, tmp_path / "there")) for one in data["findings"]} == {
        ("import-without-requirement", "handlers/hives.js:1"),
        ("requirement-unneeded", "package.json:1"),
    }
    assert "@wax/frames is imported" in data["findings"][0]["reason"]
