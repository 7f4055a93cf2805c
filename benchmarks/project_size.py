"""`survey` and `gaps` of projects of 100 to 2,000 functions, beside a bare parse of the same files.

Run: .venv/bin/python benchmarks/project_size.py
Printed: seconds and peak memory of the command as a process, and how time grows with the number of functions.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from vast_ferry.demo import PROJECT

SIZES = (100, 500, 1000, 2000)
BARE = """
import ast, pathlib, sys
for path in pathlib.Path(sys.argv[1]).rglob("*.py"):
    ast.parse(path.read_bytes())
"""
WHEN = (
    "- web: GET /f{n}/{{hive}}/weight",
    "- {{store: inspections, on: [put], begins: north/{n}/, ends: .csv}}",
    "- {{line: orders-{n}, size: 10, wait: 5}}",
    "- {{book: hives-{n}, on: [edit]}}",
    '- clock: "{m} 2 * * 1-5"',
)


#: Handlers of the demo, each with its entry: code as people write it, 25 to 100 lines a file.
HANDLERS = (
    ("hives", "weight"),
    ("inspections", "summarise"),
    ("orders", "take"),
    ("hives", "moved"),
    ("reports", "night"),
)


def make(folder: Path, count: int) -> int:
    """Write a project of so many functions, each with a handler's file of its own; return the number of lines."""
    lines = ["app: big", "zone: north-1", "jobs:"]
    (folder / "handlers").mkdir()
    texts = {name: (PROJECT / "handlers" / f"{name}.py").read_text() for name, _ in HANDLERS}
    (folder / "handlers" / "hives.py").write_text(texts["hives"])
    total = 0
    for n in range(count):
        name, entry = HANDLERS[n % len(HANDLERS)]
        lines += [f"  f{n}:", f"    code: handlers/h{n}.py#{entry}", "    ram: 256", "    longest: 30"]
        lines += ["    vars: {UNIT: kg, SMALLEST_JAR: 250}", "    sealed: {SCALE_KEY: vault/key}", "    when:"]
        lines.append("      " + WHEN[n % len(WHEN)].format(n=n, m=n % 60))
        (folder / "handlers" / f"h{n}.py").write_text(texts[name])
        total += texts[name].count("\n")
    (folder / "ostermere.yaml").write_text("\n".join(lines) + "\n")
    return total


def run(command: list[str]) -> tuple[float, float]:
    """Return seconds and peak MiB of a process."""
    start = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    if os.waitstatus_to_exitcode(status) not in (0, 1):  # a command that did nothing is no figure
        sys.exit(f"{command} failed")
    return time.perf_counter() - start, usage.ru_maxrss / 1024


def main() -> None:
    """Print a line for each size."""
    tool = str(Path(sys.executable).with_name("vast-ferry"))
    for count in SIZES:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name, "big")
            folder.mkdir()
            lines = make(folder, count)
            bare = min(run([sys.executable, "-c", BARE, str(folder)])[0] for _ in range(2))
            told = [f"{count:5} functions, {lines:6,} lines, bare parse {bare:5.2f} s"]
            for command in (["survey", str(folder)], ["gaps", str(folder), "--to", "thornwick"]):
                seconds, memory = min(
                    run([tool, *command, "--from", "ostermere@1", "--format", "json"]) for _ in range(2)
                )
                told.append(f"{command[0]} {seconds:5.2f} s, {memory:4.0f} MiB, {seconds / bare:4.1f} of it")
            print("; ".join(told), flush=True)


if __name__ == "__main__":
    main()
