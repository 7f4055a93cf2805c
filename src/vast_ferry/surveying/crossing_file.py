"""Where a crossing's record stands, and whether a folder has one; nothing of what it says, so that it loads at once."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from vast_ferry.hub.findings import BadInput

FILE = "crossing.json"


def crossing_file(folder: Path) -> Path:
    """Return the record's file in a folder; raises BadInput where there is none."""
    path = folder / FILE
    if not path.is_file():
        raise BadInput(f"{folder} holds no crossing (no {FILE})", "Give the folder that `vast-ferry carry --out` wrote")
    return path


def holds_crossing(folder: Path) -> bool:
    """Tell whether a folder was written by `carry`."""
    try:
        data: Any = json.loads((folder / FILE).read_bytes())
    except (OSError, ValueError, RecursionError):
        return False
    return isinstance(data, dict) and data.get("made_by") == "vast-ferry"
