"""How long work tells how far it is: a line of plain English now and then, to whoever wants to hear it."""

from __future__ import annotations

from collections.abc import Callable

Progress = Callable[[str], None]


def quietly(_: str) -> None:
    """Tell nobody."""
