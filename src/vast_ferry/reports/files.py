"""Results written to files: into a temporary file beside, which then takes its place."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from vast_ferry.hub.findings import BadInput


def check_report_paths(paths: Sequence[Path], suffix: str = ".json") -> None:
    """Refuse a report that could not be written, before any work is done."""
    for path in paths:
        if path.suffix != suffix:
            raise BadInput(f"{path} is no kind of report", f"Name it FILE{suffix}")
        if not path.parent.is_dir() or path.is_dir():
            raise BadInput(f"{path} can't be written", "Give a file in a folder that is there")


def write_reports(paths: Sequence[Path], data: dict[str, Any]) -> None:
    """Write a result as JSON to each path, whole or not at all."""
    for path in paths:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        try:
            with os.fdopen(handle, "w", encoding="utf-8") as file:
                json.dump(data, file, ensure_ascii=False, indent=2)
                file.write("\n")
            os.chmod(name, 0o644)
            os.replace(name, path)
        except OSError as error:
            os.unlink(name)
            raise BadInput(f"{path} can't be written: {error.strerror}", "Check the folder") from None


def moved(path: Path, write: Callable[[str], object]) -> None:
    """Let `write` fill a temporary file, which then takes the place of `path`; nothing is left where it fails."""
    if not path.parent.is_dir():
        raise BadInput(f"{path} can't be written", "Give a file in a folder that is there")
    handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
    os.close(handle)
    try:
        write(name)
        os.chmod(name, 0o644)
        os.replace(name, path)
    except BaseException:
        os.unlink(name)
        raise
