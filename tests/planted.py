"""`make planted`: mistakes planted in the translator, one at a time, and whether generated handlers show them.

Run: .venv/bin/python tests/planted.py [--minutes 1] [NAME ...]
A copy of the sources is changed and `tests/fuzz.py` run on it until it finds something, a minute at most; what it does
not find is given to the tables of handlers (test_soundness.py, test_rewriting.py and their like), and then to
the corpus. Printed: who found each, and when.
The exit status is 1 if one was found by nobody. What is planted stands in `planted.yaml`.
"""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

import yaml

ROOT = Path(__file__).parents[1]
WHERE = "src/vast_ferry/translate/python/"

#: name → file, what stands there once, and what is planted in its place
MISTAKES: dict[str, tuple[str, str, str]] = {
    name: (row["file"], row["stands"], row["planted"])
    for name, row in yaml.safe_load((ROOT / "tests" / "planted.yaml").read_text(encoding="utf-8")).items()
}


def found_by(folder: Path, minutes: float) -> tuple[str, float]:
    """Return who finds a mistake that stands in a copy of the project, and after how many seconds."""
    env = {**os.environ, "PYTHONPATH": str(folder / "src")}
    began = time.monotonic()
    fuzz = [sys.executable, "tests/fuzz.py", "--minutes", str(minutes), "--most", "1", "--seed", "11"]
    if subprocess.run(fuzz, cwd=folder, env=env, capture_output=True, check=False).returncode:
        return "generated handlers", time.monotonic() - began
    tables = [sys.executable, "-m", "pytest", "-q", "-x", "-n", "2", "-p", "no:cacheprovider"]
    asked = ("soundness", "rewriting", "unseen", "alike", "unlike", "services", "projects")
    tables += [f"tests/test_{one}.py" for one in asked]
    whole = {**env, "SHARE": "whole"}
    if subprocess.run(tables, cwd=folder, env=whole, capture_output=True, check=False).returncode:
        return "the tables", time.monotonic() - began
    corpus = [*tables[:9], "-m", "share or not slow", "tests/test_corpus.py"]
    if subprocess.run(corpus, cwd=folder, env=whole, capture_output=True, check=False).returncode:
        return "the corpus", time.monotonic() - began
    return "nobody", time.monotonic() - began


def main(arguments: Sequence[str]) -> int:
    """Plant each mistake, print who found it, and return the exit status."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=1.0)
    parser.add_argument("names", nargs="*")
    told = parser.parse_args(arguments)
    missed = 0
    for name, (file, before, after) in MISTAKES.items():
        if told.names and name not in told.names:
            continue
        with tempfile.TemporaryDirectory() as made:
            folder = Path(made)
            for part in ("src", "tests", "examples"):
                shutil.copytree(ROOT / part, folder / part, ignore=shutil.ignore_patterns("__pycache__"))
            shutil.copy(ROOT / "pyproject.toml", folder)
            page = folder / WHERE / file
            text = page.read_text(encoding="utf-8")
            if text.count(before) != 1:
                raise SystemExit(f"{name}: what is to be changed in {file} does not stand there once")
            page.write_text(text.replace(before, after), encoding="utf-8")
            who, seconds = found_by(folder, told.minutes)
        missed += who == "nobody"
        print(f"{who:18} {seconds:5.0f} s  {name}", flush=True)
    print(f"{missed} of {len(MISTAKES)} found by nobody")
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
