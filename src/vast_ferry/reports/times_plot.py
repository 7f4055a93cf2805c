"""How long each handler took on each side of a check: as words with an interval, and drawn by Matplotlib.

The machine that checks is neither provider's, so the times themselves say little; how those of one side stand to those
of the other says whether what was carried does more. The interval is a bootstrap's: the samples are drawn again with
replacement a few thousand times, and the ratio of medians is taken each time.
"""

from __future__ import annotations

import importlib.util
import io
from pathlib import Path
from typing import TYPE_CHECKING, Final

from vast_ferry.checking.compare import Verdict
from vast_ferry.checking.result import CheckResult
from vast_ferry.reports.drawing import COLOURS, drawing, shortened
from vast_ferry.reports.files import moved

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_DRAWN: Final = 2000
_FEWEST: Final = 3


def times_by_function(result: CheckResult) -> dict[str, list[tuple[float, float]]]:
    """Return the times of both sides in milliseconds, by function, of samples on which a handler ran on both."""
    found: dict[str, list[tuple[float, float]]] = {}
    for one in result.checked:
        if one.verdict is not Verdict.UNCHECKED and one.reached and min(one.took) > 0:
            found.setdefault(one.function, []).append((1000 * one.took[0], 1000 * one.took[1]))
    return found


def ratio_in_words(times: list[tuple[float, float]]) -> str:
    """Return how many times as long the carried handler takes, as an interval that 95 of 100 bootstraps lie in."""
    if len(times) < _FEWEST:
        return "too few samples to compare"
    import numpy as np

    both = np.asarray(times)
    drawn = np.random.default_rng(1).integers(0, len(both), size=(_DRAWN, len(both)))
    medians = np.median(both[drawn], axis=1)
    low, high = np.quantile(medians[:, 1] / medians[:, 0], [0.025, 0.975])
    told = f"takes {low:.2g} to {high:.2g} times as long"
    return f"{told}: no difference is told" if low <= 1 <= high else told


def plot_times(result: CheckResult, path: Path) -> None:
    """Write the picture: a row a function, a dot a sample and a bar for the median of each side."""
    with drawing():
        figure = _figure(result)
        moved(path, lambda name: figure.savefig(name, dpi=120, format=path.suffix[1:]))


def times_svg(result: CheckResult) -> str:
    """Return the picture as an SVG element for a page; empty where nothing was timed, or Matplotlib is not there."""
    if not times_by_function(result) or importlib.util.find_spec("matplotlib") is None:
        return ""
    buffer, without = io.StringIO(), dict.fromkeys(("Creator", "Date", "Format", "Type"))
    with drawing():
        _figure(result).savefig(buffer, format="svg", transparent=True, metadata=without)
    text = buffer.getvalue()
    return text[text.index("<svg") :]


def _figure(result: CheckResult) -> Figure:
    import numpy as np
    from matplotlib.figure import Figure
    from matplotlib.ticker import FuncFormatter, LogLocator, NullLocator

    functions = times_by_function(result)
    figure = Figure(figsize=(10.6, max(3.2, 1.3 + 0.62 * len(functions))), layout="constrained")
    axis = figure.subplots()
    chance = np.random.default_rng(1)
    for row, times in enumerate(functions.values()):
        for side, colour in enumerate(COLOURS):
            own = np.asarray([one[side] for one in times])
            height = row + (0.17 if side else -0.17)
            spread = height + chance.uniform(-0.09, 0.09, len(own))
            axis.plot(own, spread, ".", color=colour, alpha=0.55, markersize=7)
            axis.plot([np.median(own)] * 2, [height - 0.14, height + 0.14], color=colour, linewidth=2.4)
        axis.annotate(
            ratio_in_words(times), (1.0, row), (8, 0), xycoords=("axes fraction", "data"),
            textcoords="offset points", va="center", fontsize=9, annotation_clip=False,
        )  # fmt: skip
    axis.set_yticks(range(len(functions)), [shortened(name) for name in functions])
    axis.invert_yaxis()
    axis.set_xscale("log")
    axis.xaxis.set_major_locator(LogLocator(subs=(1, 2, 5)))
    axis.xaxis.set_minor_locator(NullLocator())
    axis.xaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:g}"))
    axis.set_xlabel("milliseconds, on this machine")
    for side, (title, colour) in enumerate(zip((result.source, result.target), COLOURS, strict=True)):
        axis.annotate(
            shortened(title), (0.0, 1.0), (170 * side, 10), xycoords="axes fraction", textcoords="offset points",
            color=colour, fontsize=11, fontweight="bold",
        )  # fmt: skip
    axis.spines[["top", "right"]].set_visible(False)
    axis.grid(axis="x", color="0.9")
    return figure
