"""Outcomes of the original, kept: whoever carries one project to several targets need not run it for each anew."""

from __future__ import annotations

import hashlib
import pickle
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from vast_ferry.hub.outcomes import Outcome
from vast_ferry.standins.process import Setup


class Originals:
    """Outcomes by what was run: the files, the way of calling, the calls, their limit and seed."""

    def __init__(self) -> None:
        self._kept: dict[bytes, list[Outcome]] = {}
        self._folders: dict[Path, bytes] = {}

    def key(self, setup: Setup, calls: Sequence[Any], limit: float, seed: int) -> bytes:
        """Return what tells a run of a worker from every other."""
        plain = replace(setup, folder=Path())
        return hashlib.sha256(pickle.dumps((self._digest(setup.folder), plain, list(calls), limit, seed))).digest()

    def get(self, key: bytes) -> list[Outcome] | None:
        """Return the outcomes of a run, if it was made before."""
        return self._kept.get(key)

    def keep(self, key: bytes, outcomes: list[Outcome]) -> None:
        """Keep the outcomes of a run."""
        self._kept[key] = outcomes

    def _digest(self, folder: Path) -> bytes:
        if folder not in self._folders:
            digest = hashlib.sha256()
            for path in sorted(path for path in folder.rglob("*") if path.is_file()):
                content = path.read_bytes()
                digest.update(
                    f"{path.relative_to(folder)}\0{len(content)}\0".encode("utf-8", "surrogateescape") + content
                )
            self._folders[folder] = digest.digest()
        return self._folders[folder]
