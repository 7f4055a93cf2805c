"""Folders for what is needed only while something runs; what a run that was killed left there, the next one clears."""

from __future__ import annotations

import contextlib
import fcntl
import os
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

PREFIX = "vast-ferry-"
_OWNER = ".owner"


@contextlib.contextmanager
def scratch_folder() -> Iterator[Path]:
    """Give a new empty folder, which is removed afterwards.

    A lock in it is held as long as its owner lives, however that ends: so a folder without is nobody's any more.
    """
    _clear()
    outer, lock = _owned()
    try:
        inner = outer / "here"
        inner.mkdir()
        yield inner
    finally:
        shutil.rmtree(outer, ignore_errors=True)
        os.close(lock)


def _owned() -> tuple[Path, int]:
    """Return a new folder that is locked, and the lock; another one where somebody cleared it before it was locked."""
    while True:
        outer = Path(tempfile.mkdtemp(prefix=PREFIX))
        lock = os.open(outer / _OWNER, os.O_CREAT | os.O_RDWR | os.O_CLOEXEC, 0o600)
        fcntl.flock(lock, fcntl.LOCK_EX)
        if os.fstat(lock).st_nlink:  # nobody can clear it any more
            return outer, lock
        os.close(lock)


def _clear() -> None:
    """Remove folders of this user whose owner has gone."""
    for folder in Path(tempfile.gettempdir()).glob(f"{PREFIX}*"):
        with contextlib.suppress(OSError):
            if folder.is_symlink() or folder.stat().st_uid != os.getuid():
                continue
            lock = os.open(folder / _OWNER, os.O_RDWR | os.O_CLOEXEC | os.O_NOFOLLOW)
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                shutil.rmtree(folder, ignore_errors=True)
            finally:
                os.close(lock)
