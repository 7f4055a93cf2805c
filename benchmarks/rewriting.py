"""`carry` of projects of 125 to 1,000 handlers, rewritten in the target's idiom, beside a bare parse of the same files.

Run: .venv/bin/python benchmarks/rewriting.py [TARGET]
Printed: seconds of the command as a process on one core, and how time grows with the number of lines.
"""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path

from project_size import BARE, make, run

SIZES = (150, 300, 600, 1200)


def main() -> None:
    """Print a line for each size."""
    os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})
    target = sys.argv[1] if len(sys.argv) > 1 else "thornwick"
    tool = str(Path(sys.executable).with_name("vast-ferry"))
    for count in SIZES:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name, "big")
            folder.mkdir()
            lines = make(folder, count)
            bare = min(run([sys.executable, "-c", BARE, str(folder)])[0] for _ in range(2))
            there = Path(name, "there")
            command = [tool, "carry", str(folder), "--from", "ostermere@1", "--to", target, "--out", str(there)]
            seconds, memory = run([*command, "--format", "json"])
            print(
                f"{count:5} functions, {lines:6,} lines, bare parse {bare:5.2f} s; carry to {target} {seconds:6.2f} s, "
                f"{memory:4.0f} MiB, {seconds / bare:5.1f} of it, {1e6 * seconds / lines:4.0f} microseconds a line",
                flush=True,
            )


if __name__ == "__main__":
    main()
