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

SIZES = (100, 500, 1000, 2000)
LINES = 60
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


def make(folder: Path, count: int) -> None:
    """Write a project of so many functions, each with a handler of its own of about 60 lines."""
    lines = ["app: big", "zone: north-1", "jobs:"]
    (folder / "handlers").mkdir()
    for n in range(count):
        lines += [f"  f{n}:", f"    code: handlers/h{n}.py#run", "    ram: 256", "    longest: 30"]
        lines += ["    vars: {UNIT: kg}", "    sealed: {KEY: vault/key}", "    when:"]
        lines.append("      " + WHEN[n % len(WHEN)].format(n=n, m=n % 60))
        body = ["import os", "", "from ostermere import books, lines, stores", "", "", "def run(event, ctx):"]
        body += ["    unit = os.environ['UNIT']", "    key = ctx.sealed('KEY')", "    total = 0"]
        while len(body) < LINES - 8:
            body.append(
                f"    total = total + len(str(event.get('kind', 'x{len(body)}'))) if total < 9 else helper(total)"
            )
        body += [f"    books.write('moves-{n}', {{'id': unit}}, {{'total': total}})"]
        body += [
            "    lines.post('moved', key)",
            "    return None",
            "",
            "",
            "def helper(total):",
            "    return total - 1",
        ]
        (folder / "handlers" / f"h{n}.py").write_text("\n".join(body) + "\n")
    (folder / "ostermere.yaml").write_text("\n".join(lines) + "\n")


def run(command: list[str]) -> tuple[float, float]:
    """Return seconds and peak MiB of a process."""
    start = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    _, _, usage = os.wait4(process.pid, 0)
    return time.perf_counter() - start, usage.ru_maxrss / 1024


def main() -> None:
    """Print a line for each size."""
    tool = str(Path(sys.executable).with_name("vast-ferry"))
    for count in SIZES:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name, "big")
            folder.mkdir()
            make(folder, count)
            bare = min(run([sys.executable, "-c", BARE, str(folder)])[0] for _ in range(2))
            told = [f"{count:5} functions, bare parse {bare:5.2f} s"]
            for command in (["survey", str(folder)], ["gaps", str(folder), "--to", "thornwick"]):
                seconds, memory = min(run([tool, *command, "--format", "json"]) for _ in range(2))
                told.append(f"{command[0]} {seconds:5.2f} s, {memory:4.0f} MiB, {seconds / bare:4.1f} of it")
            print("; ".join(told), flush=True)


if __name__ == "__main__":
    main()
