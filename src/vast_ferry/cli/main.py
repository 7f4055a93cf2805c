"""The way in: answers `--version` at once, and leaves everything else to the commands."""

from __future__ import annotations

import sys


def main() -> None:
    """Run `vast-ferry`."""
    if sys.argv[1:] == ["--version"]:
        # Shells and scripts ask this often; the parser alone would take twice as long as the interpreter.
        from vast_ferry import __version__

        print(f"vast-ferry {__version__}")
        return
    from vast_ferry.cli.commands import run

    run()
