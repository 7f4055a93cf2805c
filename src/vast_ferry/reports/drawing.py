"""What every picture shares: its colours, and how Matplotlib is set while one is drawn."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Final

from vast_ferry.hub.extras import require

#: One for each side.
COLOURS: Final = ("#7a4a00", "#0b6e6e")
_LONGEST: Final = 44


@contextmanager
def drawing() -> Iterator[None]:
    """Draw without a monitor and with texts as they are; what is set goes back to what it was.

    Raises BadInput where Matplotlib is not there.
    """
    require("matplotlib", "plots", "plots")
    import matplotlib as mpl

    mpl.use("Agg")
    # Names and currencies have dollar signs in them, which are no formulas.
    with mpl.rc_context({"text.parse_math": False, "svg.fonttype": "none", "svg.hashsalt": "same"}):
        yield


def shortened(name: str) -> str:
    """Return a name with no more of it than there is room for beside a picture."""
    return name if len(name) <= _LONGEST else f"{name[: _LONGEST - 1]}…"
