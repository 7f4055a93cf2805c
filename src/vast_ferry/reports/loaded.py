"""How calls did under load: as text, as plain data, and as a picture of how long each took, over time."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from vast_ferry.checking.loading import Loaded, SideLoaded
from vast_ferry.reports.drawing import COLOURS, drawing, shortened
from vast_ferry.reports.files import moved

_PERCENTS = (50, 95, 99)


def loaded_data(made: Loaded) -> dict[str, Any]:
    """Return a load: each side with its calls, failures, and times in milliseconds."""
    return {
        "function": made.function,
        "sample": made.sample,
        "rate": made.rate,
        "seconds": made.seconds,
        "sides": [
            {
                "title": side.title,
                "calls": len(side.seconds),
                "failed": side.failed,
                "why": side.why,
                "rate": round(side.rate, 1),
                **{f"p{percent}_ms": round(1000 * side.at(percent), 2) for percent in _PERCENTS},
                "longest_ms": round(1000 * max(side.seconds, default=0.0), 2),
            }
            for side in made.sides
        ],
    }


def loaded_text(made: Loaded) -> RenderableType:
    """Return a line a side: calls, failures, and within how many milliseconds so many of a hundred had ended."""
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim")
    table.add_column("")
    for title in ("calls", "failed", "a second", *(f"p{percent} ms" for percent in _PERCENTS), "longest ms"):
        table.add_column(title, justify="right")
    for side in made.sides:
        times = [side.at(percent) for percent in _PERCENTS] + [max(side.seconds, default=0.0)]
        failed = Text(str(side.failed), "red" if side.failed else "")
        rate = f"{side.rate:,.0f}"
        table.add_row(side.title, f"{len(side.seconds):,}", failed, rate, *(f"{1000 * one:,.1f}" for one in times))
    head = f"{made.function}, {made.sample}: {made.rate:g} calls a second for {made.seconds:g} s"
    failures = [Text(f"{side.title}: {side.why}", "red") for side in made.sides if side.why]
    return Group(Text(head, "bold"), table, *failures)


def plot_loaded(made: Loaded, path: Path) -> None:
    """Write the picture of how long each call took, against when it should have begun, side by side."""
    with drawing():
        _plot_loaded(made, path)


def _plot_loaded(made: Loaded, path: Path) -> None:
    import matplotlib.pyplot as plt
    from matplotlib.ticker import FuncFormatter, LogLocator, NullLocator

    figure, axis = plt.subplots(figsize=(9, 5.4), layout="constrained")
    for side, colour in zip(made.sides, COLOURS, strict=False):
        times = [1000 * one for one in side.seconds]
        axis.plot(side.begun, times, ".", color=colour, alpha=0.35, markersize=4, rasterized=True)
        axis.axhline(1000 * side.at(95), color=colour, linewidth=1.6)
    # Names stand at the right, apart where the lines are near each other.
    lowest = sorted(made.sides, key=lambda side: side.at(95))
    for number, side in enumerate(lowest):
        colour = COLOURS[made.sides.index(side) % len(COLOURS)]
        axis.annotate(
            f"{shortened(side.title)}\n95 of 100 within {_ms(side)}",
            (1.0, 1000 * side.at(95)),
            (8, 10 if number else -14),
            xycoords=("axes fraction", "data"),
            textcoords="offset points",
            color=colour,
            fontsize=10,
            va="bottom" if number else "top",
            annotation_clip=False,
        )
    axis.set_yscale("log")
    axis.yaxis.set_major_locator(LogLocator(subs=(1, 2, 5)))
    for set_formatter in (axis.yaxis.set_major_formatter, axis.yaxis.set_minor_formatter):
        set_formatter(FuncFormatter(lambda value, _: f"{value:g}"))
    axis.yaxis.set_minor_locator(NullLocator())
    axis.set_xlabel("when the call should have begun, in seconds")
    axis.set_ylabel("how long it took from then, in milliseconds")
    axis.set_title(f"{shortened(made.function)}, {shortened(made.sample)}: {made.rate:g} calls a second", loc="left")
    axis.spines[["top", "right"]].set_visible(False)
    axis.grid(axis="y", color="0.9")
    moved(path, lambda name: figure.savefig(name, dpi=120, format=path.suffix[1:]))
    plt.close(figure)


def _ms(side: SideLoaded) -> str:
    return f"{1000 * side.at(95):,.1f} ms"
