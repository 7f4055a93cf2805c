"""Puts what `vast-ferry demo` prints into the README: python tools/transcript.py."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

README = Path(__file__).parent.parent / "README.md"


def main() -> None:
    """Replace the transcript between its fences."""
    done = subprocess.run([sys.executable, "-m", "vast_ferry", "demo"], capture_output=True, text=True, check=True)
    text = README.read_text(encoding="utf-8")
    fenced = f"```text\n{done.stdout.strip()}\n```"
    README.write_text(re.sub(r"```text\n\$ vast-ferry carry.*?```", lambda _: fenced, text, flags=re.DOTALL))


if __name__ == "__main__":
    main()
