"""Carry handlers in JavaScript to Node's own HTTP server: what becomes of one of them, what is told, and the proof."""

from __future__ import annotations

import difflib
import tempfile
from pathlib import Path

from vast_ferry import Verdict, carry, check
from vast_ferry.demo import LANGUAGES, copy_demo


def main() -> None:
    """Print what changed in one handler's file, how each function was carried, and the verdicts."""
    with tempfile.TemporaryDirectory() as name:
        project = copy_demo(Path(name), "javascript")
        crossing = carry(project, to="node-http", out=Path(name, "served"))
        file = "handlers/hives.js"
        before, after = (Path(folder, file).read_text().splitlines() for folder in (project, Path(name, "served")))
        print(
            *difflib.unified_diff(
                before, after, f"{LANGUAGES['javascript'].name}/{file}", f"served/{file}", n=0, lineterm=""
            ),
            sep="\n",
        )

        for function in crossing.record.functions:
            print(f"{function.name}: {function.style}")
        for finding in crossing.findings:
            if finding.code in ("made-whole-javascript", "wrapped-javascript", "function-left-behind"):
                print(f"{finding}. {finding.remedy}.")

        result = check(Path(name, "served"))
        print(f"{result.count(Verdict.SAME)} of {len(result.checked)} the same")


if __name__ == "__main__":
    main()
