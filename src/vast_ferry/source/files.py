"""A project's own files: which would be deployed, and which stay behind and why."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from vast_ferry.documents.document import NOT_CARRIED

LARGEST_FILE = 64 * 1024 * 1024


def _walk(folder: Path) -> Iterable[Path]:
    """Yield the files of a project in a fixed order, and links to folders, which are not followed."""
    for top, folders, names in os.walk(folder):
        here = Path(top)
        links = [name for name in folders if (here / name).is_symlink()]
        folders[:] = sorted(n for n in folders if n not in NOT_CARRIED and not n.startswith(".") and n not in links)
        for name in sorted([*names, *links]):
            yield here / name


def own_files(folder: Path) -> tuple[list[str], dict[str, tuple[str, str]]]:
    """Return the paths of a project's files that would be deployed, and what is left behind: path → (why, remedy)."""
    files: list[str] = []
    left: dict[str, tuple[str, str]] = {}
    root = folder.resolve()
    for path in _walk(folder):
        relative = path.relative_to(folder).as_posix()
        if path.suffix in (".pyc", ".pyo"):
            continue
        if path.name.startswith("."):
            left[relative] = "hidden files may hold secrets", "Set at the target what it holds"
        elif not path.resolve().is_relative_to(root):
            left[relative] = "a link out of the project", "Copy what is needed of it into the project"
        elif path.is_dir():
            left[relative] = "a link to a folder", "Copy what is needed of it into the project"
        elif not path.is_file():
            left[relative] = "not a plain file", "Leave it out"
        elif path.stat().st_size > LARGEST_FILE:
            left[relative] = f"larger than {LARGEST_FILE:,} bytes", "Put it where the target can fetch it"
        else:
            files.append(relative)
    return files, left
