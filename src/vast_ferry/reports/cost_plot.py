"""What a month costs at two providers against the number of calls, drawn by Matplotlib."""

from __future__ import annotations

from pathlib import Path

from vast_ferry.gap_finding.price import Usage, bill
from vast_ferry.hub.findings import BadInput
from vast_ferry.profiles.profile import Profile
from vast_ferry.reports.drawing import COLOURS, drawing, shortened
from vast_ferry.reports.files import moved


def check_plot_path(path: Path) -> None:
    """Refuse a plot that could not be written, before any work is done."""
    if path.suffix not in (".png", ".svg"):
        raise BadInput(f"{path} is no kind of plot", "Name it FILE.png or FILE.svg")
    if not path.parent.is_dir() or path.is_dir():
        raise BadInput(f"{path} can't be written", "Give a file in a folder that is there")


def plot_cost(sides: list[tuple[Profile, Usage]], crossings: list[int], most: int, path: Path) -> None:
    """Write the plot of a month's cost at each side, from no calls to `most`, with where they cost the same."""
    with drawing():
        _plot_cost(sides, crossings, most, path)


def _plot_cost(sides: list[tuple[Profile, Usage]], crossings: list[int], most: int, path: Path) -> None:
    import matplotlib.pyplot as plt
    from matplotlib.ticker import FuncFormatter

    figure, axis = plt.subplots(figsize=(9, 5.4), layout="constrained")
    counts = [most * index / 400 for index in range(401)]
    coin = ""
    for (profile, usage), colour in zip(sides, COLOURS, strict=False):
        totals = []
        for count in counts:
            made = bill(
                profile,
                Usage(round(count), usage.mean_ms, usage.memory, usage.gb_out * count / max(1, usage.calls)),
            )
            assert made
            coin = made.coin
            totals.append(made.total)
        axis.plot(counts, totals, color=colour, linewidth=2.2)
        axis.annotate(
            f"{shortened(profile.title)}\n{totals[-1]:,.2f}",
            (counts[-1], totals[-1]),
            (6, 0),
            textcoords="offset points",
            color=colour,
            va="center",
            fontsize=10,
        )
    axis.axvline(sides[0][1].calls, color="0.55", linewidth=1, linestyle=":")
    axis.annotate(
        f"{sides[0][1].calls:,} calls, as asked",
        (sides[0][1].calls, 1),
        (4, -12),
        xycoords=("data", "axes fraction"),
        textcoords="offset points",
        color="0.35",
        fontsize=9,
    )
    for count in crossings:
        profile, usage = sides[0]
        made = bill(profile, Usage(count, usage.mean_ms, usage.memory, usage.gb_out * count / max(1, usage.calls)))
        assert made
        axis.plot([count], [made.total], "o", color="black", markersize=5)
        axis.annotate(
            f"the same at {count:,}\n({made.total:,.2f})",
            (count, made.total),
            (0, 90),
            textcoords="offset points",
            ha="left",
            arrowprops={"arrowstyle": "-", "color": "0.5", "relpos": (0, 0)},
            fontsize=9,
        )
    axis.set_xlim(0, most)
    axis.set_ylim(bottom=0)
    axis.set_xlabel("calls a month")
    axis.set_ylabel(f"{coin} a month")
    axis.xaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value / 1e6:g} M" if value else "0"))
    axis.grid(color="0.9")
    for side in ("top", "right"):
        axis.spines[side].set_visible(False)
    usage = sides[0][1]
    sizes = " and ".join(dict.fromkeys(f"{used.memory:g} MiB" for _, used in sides))
    out = f", {usage.gb_out:g} GB out at that rate" if usage.gb_out else ""
    axis.set_title(
        f"A month's cost: {usage.mean_ms:g} ms a call, {sizes}{out}",
        fontsize=11,
        loc="left",
    )
    moved(path, lambda name: figure.savefig(name, format=path.suffix[1:], dpi=130))
    plt.close(figure)
