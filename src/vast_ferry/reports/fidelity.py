"""How much of what one provider's events say another can hold: a table over all pairs and kinds, and a plot.

A row counts the hub fields that the source's events show: how many arrive whole, how many only in meaning (harmless
losses) or not always (losses under a condition), and how many not at all.
"""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vast_ferry.hub.extras import require
from vast_ferry.hub.fields import EVENTS, OF_THE_CALL
from vast_ferry.hub.findings import BadInput, nearest
from vast_ferry.mapping.compile.losses import event_losses
from vast_ferry.mapping.tables import EventShape
from vast_ferry.mapping.views import truths_of
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import all_profiles
from vast_ferry.reports.drawing import drawing
from vast_ferry.reports.files import moved

if TYPE_CHECKING:
    import pandas as pd
    from rich.console import RenderableType


def check_kind(kind: str | None) -> None:
    """Refuse a kind that there is not."""
    if kind is not None and kind not in EVENTS:
        raise BadInput(f"there is no kind {kind!r}{nearest(kind, EVENTS)}", f"Use one of: {', '.join(EVENTS)}")


def shown_by(shape: EventShape) -> set[str]:
    """Return the truths that a shape's events show, in whatever form."""
    found: set[str] = set()
    for row in shape.rows:
        hub = shape.fields[row.field]
        if hub.holds != "call" and row.field not in OF_THE_CALL:
            found |= truths_of(row.field, shape.fields, shape.rules)
    return found


def fidelity_frame(kind: str | None = None) -> pd.DataFrame:
    """Return a row for each kind and pair of profiles: how many fields arrive whole, partly, never.

    `share` (0 to 1) is what arrives whole, and half of what arrives partly, of all fields that the source shows.
    """
    require("pandas", "plots", "tables")
    import pandas as pd

    rows: list[dict[str, Any]] = []
    profiles = all_profiles()
    for name in [kind] if kind else EVENTS:
        for one in (profile for profile in profiles if name in profile.kinds):
            for other in (profile for profile in profiles if name in profile.kinds):
                rows.append(_pair(one, other, name))
    return pd.DataFrame(rows)


def _pair(one: Profile, other: Profile, kind: str) -> dict[str, Any]:
    shape, target = one.kinds[kind].event, other.kinds[kind].event
    shown = shown_by(shape)
    never: set[str] = set()
    partly: set[str] = set()
    if one is not other:
        for loss in event_losses(target, shape):
            truths = truths_of(loss.field, target.fields, target.rules) & shown
            if not loss.when:
                never |= truths
            elif not loss.unless:
                partly |= truths
    partly -= never
    whole = len(shown) - len(never) - len(partly)
    return {
        "kind": kind,
        "from": one.name,
        "to": other.name,
        "fields": len(shown),
        "whole": whole,
        "partly": len(partly),
        "never": len(never),
        "share": round((whole + 0.5 * len(partly)) / len(shown), 3),
    }


def _mean(frame: pd.DataFrame) -> pd.DataFrame:
    present = set(frame["from"])
    names = [profile.name for profile in all_profiles() if profile.name in present]
    return frame.pivot_table(index="from", columns="to", values="share", aggfunc="mean").reindex(
        index=names, columns=names
    )


def fidelity_text(frame: pd.DataFrame, kind: str | None) -> RenderableType:
    """Return the table as text: rows carry from, columns carry to, a cell is the share in per cent."""
    from rich.console import Group
    from rich.table import Table
    from rich.text import Text

    matrix = _mean(frame)
    table = Table(box=None, pad_edge=False, padding=(0, 1, 0, 0))
    table.add_column("from \\ to", no_wrap=True)
    for name in matrix.columns:
        provider, _, edition = name.partition("@")
        table.add_column(f"{provider[:4]}@{edition}", justify="right", no_wrap=True)
    for source, cells in matrix.iterrows():
        values = [_cell(float(cell)) for cell in cells]
        table.add_row(Text(str(source), "bold"), *values)
    what = f"{kind} events" if kind else "every kind that both have"
    note = "Per cent of the fields that arrive whole; those that arrive in part, or not always, count half."
    return Group(Text(f"What the target holds of {what}", "bold"), Text(), table, Text(), Text(note, "dim"))


def _cell(share: float) -> Any:
    from rich.text import Text

    if math.isnan(share):
        return Text("·", "dim")
    style = "green" if share > 0.97 else "yellow" if share >= 0.8 else "red"
    return Text(f"{share * 100:.0f}", style)


def write_csv(frame: pd.DataFrame, path: Path) -> None:
    """Write the whole table as CSV (RFC 4180), all at once."""
    if path.suffix != ".csv":
        raise BadInput(f"{path} is no CSV file", "Name it FILE.csv")
    moved(path, lambda name: frame.to_csv(name, index=False))


def write_plot(frame: pd.DataFrame, path: Path) -> None:
    """Draw the mean share of each pair as a heat map, one panel for all kinds: PNG or SVG."""
    if path.suffix not in (".png", ".svg"):
        raise BadInput(f"{path} is no kind of picture", "Name it FILE.png or FILE.svg")
    with drawing():
        _write_plot(frame, path)


def _write_plot(frame: pd.DataFrame, path: Path) -> None:
    from matplotlib import pyplot as plt

    kinds = [kind for kind in EVENTS if kind in set(frame["kind"])]
    columns = min(4, len(kinds))
    lines = -(-len(kinds) // columns)
    size = (12.8, 8.0) if len(kinds) > 1 else (8.5, 8.0)
    figure, axes = plt.subplots(lines, columns, figsize=size, squeeze=False, layout="constrained")
    image = None
    for axis, kind in zip(axes.flat, kinds, strict=False):
        matrix = _mean(frame[frame["kind"] == kind])
        image = axis.imshow(matrix.to_numpy(), vmin=0.5, vmax=1, cmap="cividis", aspect="auto")
        axis.set_title(f"{kind} events", fontsize=10, loc="left")
        names = [f"{name.partition('@')[0][:11]} {name.partition('@')[2]}" for name in matrix.index]
        axis.set_xticks(range(len(names)), names, rotation=60, ha="right", fontsize=6.5)
        axis.set_yticks(range(len(names)), names, fontsize=6.5)
        for row, cells in enumerate(matrix.to_numpy()):
            for column, cell in enumerate(cells):
                if cell >= 0.995:  # what holds everything needs no number: it would only hide the others
                    continue
                colour = "white" if cell < 0.78 else "black"
                axis.text(column, row, f"{cell * 100:.0f}", ha="center", va="center", fontsize=5.5, color=colour)
    for axis in axes.flat[len(kinds) :]:
        axis.set_axis_off()
    if image is not None:
        bar = figure.colorbar(image, ax=axes, shrink=0.6, pad=0.01)
        bar.set_label("share of the fields that arrive (in part: half; no number: all of them)", fontsize=8)
        bar.ax.tick_params(labelsize=7)
    figure.suptitle("What the provider on the x axis holds of the events of the provider on the y axis", fontsize=11)
    moved(path, lambda name: figure.savefig(name, format=path.suffix[1:], dpi=100))
    plt.close(figure)
