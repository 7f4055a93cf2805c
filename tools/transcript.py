"""Puts what `vast-ferry demo` prints into docs/demo.md: python tools/transcript.py."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

DEMO = Path(__file__).parent.parent / "docs" / "demo.md"


def main() -> None:
    """Replace the transcript between its fences."""
    done = subprocess.run([sys.executable, "-m", "vast_ferry", "demo"], capture_output=True, text=True, check=True)
    text = DEMO.read_text(encoding="utf-8")
    fenced = f"```text\n{done.stdout.strip()}\n```"
    DEMO.write_text(re.sub(r"```text\n\$ vast-ferry carry.*?```", lambda _: fenced, text, flags=re.DOTALL))


if __name__ == "__main__":
    main()
