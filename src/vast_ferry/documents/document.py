"""What every syntax gives: plain data, and the line and column of each part of it."""

from __future__ import annotations

import os
import stat
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from vast_ferry.hub.findings import BadInput, Place

Path_ = tuple[str | int, ...]

#: A definition or a profile is written by hand; what is larger is something else.
LARGEST = 8 * 1024 * 1024
#: Folders that are never deployed: samples stay with the original; the rest is made by tools.
NOT_CARRIED = frozenset(["samples", "__pycache__", "node_modules", "venv"])


@dataclass(frozen=True, slots=True)
class Document:
    """The data of a file, and where each part of it stands; `file` is what messages call it."""

    file: str
    data: Any
    places: Mapping[Path_, tuple[int, int]] = field(default_factory=dict)

    def place(self, *path: str | int) -> Place:
        """Return where the part under these keys stands, or the nearest part around it that is known."""
        for length in range(len(path), -1, -1):
            if path[:length] in self.places:
                return Place(self.file, *self.places[path[:length]])
        return Place(self.file, 1)


def read_file(path: Path, shown: str, what: str, largest: int = LARGEST) -> bytes:
    """Return the content of a plain file; raises BadInput where it is none, too large, or can't be read.

    A pipe or a device is opened without waiting for it, and not read.
    """
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        try:
            status = os.fstat(handle)
            if not stat.S_ISREG(status.st_mode):
                raise BadInput(f"{what} is not a plain file", "Give a plain file", Place(shown))
            if status.st_size > largest:
                raise BadInput(
                    f"{what} is {status.st_size:,} bytes long, more than {largest:,}",
                    "Give a smaller one, or split it",
                    Place(shown),
                )
            # A file object would ask the system twice as often, and there may be a hundred thousand samples. To ask for
            # all that it may hold would set so much aside; some systems tell no size, or it has grown since.
            data = os.read(handle, status.st_size + 1)
            if len(data) == status.st_size:
                return data
            with open(handle, "rb", closefd=False) as rest:
                return data + rest.read(largest)
        finally:
            os.close(handle)
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or str(error)
        raise BadInput(f"{what} can't be read: {why}", "Check the path and its permissions", Place(shown)) from None


def read_text(path: Path, shown: str, what: str) -> str:
    """Return the text of a hand-written UTF-8 file (a byte order mark is dropped).

    Raises BadInput where it is missing, too large, or not UTF-8.
    """
    data = read_file(path, shown, what)
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        before = data[: error.start]
        raise BadInput(
            f"{what} is not UTF-8 (byte 0x{error.object[error.start]:02x})",
            "Save it as UTF-8",
            Place(shown, before.count(b"\n") + 1),
        ) from None
