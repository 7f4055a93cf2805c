"""Results written to files: into a temporary file beside, which then takes its place."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from vast_ferry.hub.findings import BadInput
from vast_ferry.reports.terminal import json_text


def check_report_paths(paths: Sequence[Path], *suffixes: str) -> None:
    """Refuse a report that could not be written, or whose name says no form, before any work is done."""
    for path in paths:
        if path.suffix not in suffixes:
            raise BadInput(f"{path} is no kind of report", f"Name it {' or '.join(f'FILE{one}' for one in suffixes)}")
        if not path.parent.is_dir() or path.is_dir():
            raise BadInput(f"{path} can't be written", "Give a file in a folder that is there")


def outside(path: Path, project: Path) -> None:
    """Refuse a file that lies in a project, which is never written into."""
    if path.resolve().is_relative_to(project.resolve()):
        raise BadInput(f"{path} lies in the project, which is never written into", "Give a file outside of it")


def write_json(path: Path, data: dict[str, Any]) -> None:
    """Write a result as JSON to a file, whole or not at all."""
    write_report(path, json_text(data) + "\n")


def write_report(path: Path, text: str) -> None:
    """Write a text to a file, whole or not at all; raises BadInput where that can't be done."""
    moved(path, lambda name: Path(name).write_text(text, encoding="utf-8"))


def moved(path: Path, write: Callable[[str], object]) -> None:
    """Let `write` fill a temporary file, which then takes the place of `path`; nothing is left where it fails.

    Raises BadInput where the file can't be written.
    """
    if not path.parent.is_dir() or path.is_dir():
        raise BadInput(f"{path} can't be written", "Give a file in a folder that is there")
    try:
        # A file's name may be as long as a system takes; that of the temporary one must not be longer.
        handle, name = tempfile.mkstemp(prefix=f".{path.name[:40]}.", suffix=path.suffix, dir=path.parent)
        os.close(handle)
        try:
            write(name)
            os.chmod(name, 0o644)
            os.replace(name, path)
        except BaseException:
            with contextlib.suppress(OSError):
                os.unlink(name)
            raise
    except OSError as error:
        raise BadInput(f"{path} can't be written: {error.strerror or error}", "Check the folder") from None
