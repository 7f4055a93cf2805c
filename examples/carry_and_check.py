"""Carry the demo project to a plain WSGI server, read what a person must know of it, and prove it on the samples."""

from __future__ import annotations

import tempfile
from pathlib import Path

from vast_ferry import Verdict, carry, check
from vast_ferry.demo import copy_demo


def main() -> None:
    """Print the findings that ask for a person, and the verdicts."""
    with tempfile.TemporaryDirectory() as name:
        project = copy_demo(Path(name))
        crossing = carry(project, to="wsgi", out=Path(name, "ported"))
        for finding in crossing.findings:
            if finding.severity in ("blocking", "todo"):
                print(f"{finding}. {finding.remedy}.")

        result = check(Path(name, "ported"))
        for checked in result.checked:
            print(f"{checked.verdict}  {checked.function}/{checked.sample}")
        print(f"{result.count(Verdict.SAME)} of {len(result.checked)} the same")


if __name__ == "__main__":
    main()
