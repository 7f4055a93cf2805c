"""Keep what somebody sent by hand as samples, call one function with one of them, then carry the project and prove it.

Run: python examples/feed_the_check.py
"""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from vast_ferry import Verdict, call, carry, check, collect, write_samples
from vast_ferry.demo import PROJECT


def main() -> None:
    """Print what was kept, one answer, and how many samples came out the same."""
    with tempfile.TemporaryDirectory() as name:
        project = Path(name, "apiary")
        shutil.copytree(PROJECT, project, ignore=shutil.ignore_patterns("samples", "__pycache__"))

        # Curl lines, an HTTP archive, a log with events in it: whose samples they are is told by the triggers.
        found = collect(project, [Path(__file__).with_name("pasted.txt")], source="ostermere@1", redact=["by"])
        for sample in found.samples:
            print(f"{sample.function}: {sample.name}, from line {sample.place.line}")
        for finding in found.findings:
            print(f"  {finding.reason}")
        write_samples(found)

        made = call(project, "hive_weight", "get-hives-h-7-weight", source="ostermere@1")
        print(f"hive_weight at {made.at}: {made.outcome}, {made.outcome.seconds * 1000:.0f} ms")

        carry(project, to="thornwick@2", out=Path(name, "moved"), source="ostermere@1")
        checked = check(Path(name, "moved")).checked
        same = sum(one.verdict is Verdict.SAME for one in checked)
        print(f"{same} of {len(checked)} the same")


if __name__ == "__main__":
    main()
