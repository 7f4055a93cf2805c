"""What every syntax gives: plain data, and the line and column of each part of it."""

from __future__ import annotations

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


def read_text(path: Path, shown: str, what: str) -> str:
    """Return the text of a hand-written UTF-8 file (a byte order mark is dropped).

    Raises BadInput where it is missing, too large, or not UTF-8.
    """
    try:
        size = path.stat().st_size
        if size > LARGEST:
            raise BadInput(
                f"{what} is {size:,} bytes long, more than {LARGEST:,}",
                "Give a file that was written by hand, or split it",
                Place(shown),
            )
        return path.read_bytes().decode("utf-8-sig")
    except UnicodeDecodeError as error:
        before = path.read_bytes()[: error.start]
        raise BadInput(
            f"{what} is not UTF-8 (byte 0x{error.object[error.start]:02x})",
            "Save it as UTF-8",
            Place(shown, before.count(b"\n") + 1),
        ) from None
    except OSError as error:
        raise BadInput(
            f"{what} can't be read: {error.strerror or error}", "Check the path and its permissions", Place(shown)
        ) from None
