"""A project's own files: which would be deployed, and which stay behind and why."""

from __future__ import annotations

import fnmatch
import os
from collections.abc import Iterable, Sequence
from pathlib import Path

from vast_ferry.definitions.secrecy import is_key_file
from vast_ferry.documents.document import NOT_CARRIED

LARGEST_FILE = 64 * 1024 * 1024


def _walk(folder: Path, left: dict[str, tuple[str, str]]) -> Iterable[Path]:
    """Yield the files of a project in a fixed order, and links to folders, which are not followed."""

    def told(error: OSError) -> None:
        path = Path(error.filename or folder)
        if path != folder:
            left[path.relative_to(folder).as_posix()] = (f"it can't be read: {error.strerror}", "Check its permissions")
        else:
            raise error

    for top, folders, names in os.walk(folder, onerror=told):
        here = Path(top)
        links = [name for name in folders if (here / name).is_symlink()]
        folders[:] = sorted(n for n in folders if n not in NOT_CARRIED and not n.startswith(".") and n not in links)
        for name in sorted([*names, *links]):
            yield here / name


def _why_left(path: Path, root: Path, wanted: Sequence[str]) -> tuple[str, str] | None:
    """Return why a file stays behind, and what to do; a link is judged by what it leads to as well as by itself."""
    try:
        real = path.resolve()
    except (OSError, RuntimeError):
        return "a link that goes round in a circle", "Take it out"
    if not real.is_relative_to(root):
        return "a link out of the project", "Copy what is needed of it into the project"
    parts = (path.name, *real.relative_to(root).parts)
    if any(part.startswith(".") for part in parts):
        return "hidden files may hold secrets", "Set at the target what it holds"
    if any(part in NOT_CARRIED for part in parts[1:-1]):
        return "a link to what is not deployed", "Copy what is needed of it into the project"
    return _no_file(path, real) or _not_to_be_read(path, real, root, wanted)


def _no_file(path: Path, real: Path) -> tuple[str, str] | None:
    if path.is_dir():
        return "a link to a folder", "Copy what is needed of it into the project"
    if path.is_symlink() and not real.exists():
        return "a link to nothing", "Take it out"
    return None


def _not_to_be_read(path: Path, real: Path, root: Path, wanted: Sequence[str]) -> tuple[str, str] | None:
    if not path.is_file():
        return "not a plain file", "Leave it out"
    asked = any(fnmatch.fnmatch(path.relative_to(root).as_posix(), one) for one in wanted) if wanted else False
    if not asked and any(is_key_file(part) for part in (path.name, real.name)):
        remedy = f"Put it into the vault of the target. If it is no secret: --carry-files {path.name}"
        return "by its name it is a key, or holds secrets", remedy
    if path.stat().st_size > LARGEST_FILE:
        return f"larger than {LARGEST_FILE:,} bytes", "Put it where the target can fetch it"
    if not os.access(path, os.R_OK):
        return "it can't be read: Permission denied", "Check its permissions"
    try:
        path.relative_to(root).as_posix().encode("utf-8")
    except UnicodeEncodeError:
        return "its name is not UTF-8", "Rename it"
    return None


def own_files(folder: Path, wanted: Sequence[str] = ()) -> tuple[list[str], dict[str, tuple[str, str]]]:
    """Return the paths of a project's files that would be deployed, and what is left behind: path → (why, remedy).

    `wanted` are patterns of files that are deployed although their names say that they are secret.
    """
    files: list[str] = []
    left: dict[str, tuple[str, str]] = {}
    root = folder.resolve()
    for path in _walk(root, left):
        if path.suffix in (".pyc", ".pyo"):
            continue
        relative = path.relative_to(root).as_posix()
        why = _why_left(path, root, wanted)
        if why:
            left[relative.encode("utf-8", "backslashreplace").decode()] = why
        else:
            files.append(relative)
    return files, left
