"""What was collected as samples: as text for people, and as plain data."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby
from typing import Any

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from vast_ferry.collecting.collect import Collection
from vast_ferry.hub.findings import Severity
from vast_ferry.reports.text import SEVERITY_HEADING, SEVERITY_STYLE, findings_table

#: So many samples of a function are listed by name.
_LISTED = 12
_HEADINGS = {Severity.TODO: "Not as it was found"}


def collected_data(made: Collection, *, written: bool) -> dict[str, Any]:
    """Return the samples by function and name, what was there already, what is of no function, and the findings."""
    return {
        "written": written,
        "samples": [{"function": one.function, "name": one.name, "found_in": str(one.place)} for one in made.samples],
        "known": made.known,
        "untaken": made.untaken,
        "findings": [one.as_data() for one in made.findings],
    }


def collected_text(made: Collection, *, written: bool) -> RenderableType:
    """Return the samples under their functions, and what a person must know of them."""
    return Group(*_parts(made, written))


def _parts(made: Collection, written: bool) -> Iterator[RenderableType]:
    by_function = sorted(made.samples, key=lambda one: one.function)
    for function, samples in groupby(by_function, key=lambda one: one.function):
        listed = list(samples)
        table = Table.grid(padding=(0, 2, 0, 0))
        for one in listed[:_LISTED]:
            table.add_row(f"samples/{function}/{one.name}", Text(str(one.place), "dim"))
        if len(listed) > _LISTED:
            table.add_row(f"and {len(listed) - _LISTED:,} more", "")
        yield Text(function, "bold")
        yield Padding(table, (0, 0, 1, 2))
    for severity, findings in groupby(sorted(made.findings, key=_rank), key=lambda one: one.severity):
        yield Text(_HEADINGS.get(severity, SEVERITY_HEADING[severity]), SEVERITY_STYLE[severity])
        yield Padding(findings_table(findings), (0, 0, 1, 0))
    count = len(made.samples)
    told = f"{count:,} new sample{'' if count == 1 else 's'}" + ("" if written else " would be kept")
    if made.known:
        told += f", {made.known:,} equal to one that is kept"
    if made.untaken:
        told += f", {made.untaken:,} of no function"
    yield Text(f"{told}.")


def _rank(one: Any) -> int:
    return list(Severity).index(one.severity)
