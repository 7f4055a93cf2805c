"""What every spelling of a definition raises for what it has no words for."""

from __future__ import annotations

from vast_ferry.hub.findings import FerryError


class CannotHold(FerryError, ValueError):
    """A schedule that a spelling has no words for."""
