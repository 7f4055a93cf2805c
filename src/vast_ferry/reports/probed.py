"""What probing found, as text for people and as plain data: strength, samples made, other deliveries."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterator, Mapping
from itertools import groupby
from typing import TYPE_CHECKING, Any

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from vast_ferry.checking.bundle import Bundle
from vast_ferry.probing.deliveries import AS_BEFORE, BREAKS, HOLDS, DeliveriesResult
from vast_ferry.probing.reach import Covered
from vast_ferry.probing.strength import Strength, StrengthResult
from vast_ferry.reports.text import findings_table

if TYPE_CHECKING:  # what makes samples loads what generates values
    from vast_ferry.probing.making import MadeSamples

#: So many faults of a function are listed that no sample noticed.
_LISTED = 6
#: So long is an event that would notice one.
_SHORT = 160
#: From here on a score is good, and below that it is poor.
_GOOD, _POOR = 0.9, 0.7


def strength_data(result: StrengthResult) -> dict[str, Any]:
    """Return how much the samples of each function notice, and each fault that was planted."""
    return {
        "score": result.score,
        "planted": result.planted,
        "noticed": result.noticed,
        "functions": [
            {
                "function": one.function,
                "samples": one.samples,
                "score": one.score,
                "planted": len(one.planted),
                "noticed": one.noticed,
                "untried": one.untried,
                "why": one.why,
                "original": _covered_data(one.original),
                "carried": _covered_data(one.carried),
                "unnoticed": [
                    {
                        "file": fault.file,
                        "line": fault.line,
                        "what": fault.what,
                        "reached": planted.ran,
                        "shown_by": planted.shown_by,
                    }
                    for planted in one.missed
                    for fault in [planted.fault]
                ],
            }
            for one in result.functions
        ],
        "findings": [one.as_data() for one in result.findings],
    }


def _covered_data(covered: Covered) -> dict[str, Any]:
    return {
        "lines": covered.lines,
        "lines_reached": covered.lines_reached,
        "branches": covered.branches,
        "branches_reached": covered.branches_reached,
        "missed": [f"{file}:{line}" for file, line in covered.missed],
    }


def strength_text(result: StrengthResult) -> RenderableType:
    """Return a line a function (what is reached, how many faults are noticed), and below it what nobody noticed."""
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim")
    for title in ("function", "samples"):
        table.add_column(title)
    for title in ("lines reached", "branches", "faults noticed", ""):
        table.add_column(title, justify="right")
    for one in result.functions:
        noticed = Text(f"{one.noticed} of {len(one.planted)}" if one.planted else one.why or "none planted")
        table.add_row(
            one.function,
            str(one.samples),
            _reached(one.carried.lines_reached, one.carried.lines),
            _reached(one.carried.branches_reached, one.carried.branches),
            noticed,
            _score(one.score),
        )
    parts: list[RenderableType] = [Text("Strength: faults planted in the carried handlers", "bold"), table, Text("")]
    parts += [part for one in result.functions if one.missed for part in _missed(one)]
    left = sum(one.untried for one in result.functions)
    if result.planted:
        told = f"{result.noticed} of {result.planted} planted faults noticed ({result.score:.0%})"
        parts.append(Text(f"{told}{f'; {left} were left when the time was up' if left else ''}."))
    return Group(*parts)


def _reached(count: int, of: int) -> str:
    return f"{count} of {of}" if of else "none"


def _score(score: float | None) -> Text:
    if score is None:
        return Text("")
    return Text(f"{score:.0%}", "green" if score >= _GOOD else "yellow" if score >= _POOR else "red")


def _missed(one: Strength) -> Iterator[RenderableType]:
    yield Text(f"{one.function}: no sample notices that", "bold")
    table = Table.grid(padding=(0, 2, 0, 0))
    for planted in one.missed[:_LISTED]:
        never = Text("no sample runs it", "dim") if not planted.ran else Text("")
        table.add_row(planted.fault.place, Text(planted.fault.what), never)
        if planted.shown_by is not None:
            table.add_row("", Text(f"this would: {event_in_short(planted.shown_by)}", "dim"), "")
    if len(one.missed) > _LISTED:
        table.add_row(f"and {len(one.missed) - _LISTED} more", "", "")
    yield Padding(table, (0, 0, 1, 2))


def event_in_short(told: Mapping[str, Any]) -> str:
    """Return a sample in readable form in one line: of a request its method and target first."""
    events = told.get("events") or [told.get("event", {})]
    first = {name: value for name, value in dict(events[0]).items() if name not in ("time", "client")}
    begin = told["kind"]
    if "path.raw" in first:
        query = first.pop("query.raw", "")
        begin = f"{first.pop('method', 'GET')} {first.pop('path.raw')}{'?' * bool(query)}{query}"
        first.pop("authority", None)
    rest = json.dumps(first, ensure_ascii=False, default=str) if first else ""
    more = f", the first of {len(events)}" if len(events) > 1 else ""
    before = ", with what services held before" if told.get("before") else ""
    text = f"{begin} {rest}".strip()
    return f"{text if len(text) <= _SHORT else text[: _SHORT - 1] + '…'}{more}{before}"


def made_data(made: MadeSamples, *, written: bool) -> dict[str, Any]:
    """Return the samples that were made, each with why it is kept."""
    return {
        "written": written,
        "generated": made.generated,
        "samples": [
            {"function": one.function, "name": one.name, "why": made.why[one.function, one.name]}
            for one in made.collection.samples
        ],
        "findings": [one.as_data() for one in made.collection.findings],
    }


def made_text(made: MadeSamples, *, written: bool) -> RenderableType:
    """Return the samples that were made under their functions, each with what it is for."""
    parts: list[RenderableType] = []
    for function, samples in groupby(made.collection.samples, key=lambda one: one.function):
        table = Table.grid(padding=(0, 2, 0, 0))
        for one in samples:
            table.add_row(one.name, Text(made.why[function, one.name], "dim"))
        parts += [Text(function, "bold"), Padding(table, (0, 0, 1, 2))]
    if made.collection.findings:
        parts.append(Padding(findings_table(made.collection.findings), (0, 0, 1, 0)))
    count = len(made.collection.samples)
    told = f"{made.generated:,} events tried, {count:,} new sample{'' if count == 1 else 's'}"
    parts.append(Text(f"{told}{'' if written else ' would be kept'}."))
    return Group(*parts)


def deliveries_data(result: DeliveriesResult) -> dict[str, Any]:
    """Return what came of every other delivery, sample by sample."""
    return {
        "delivered": [
            {
                "function": one.function,
                "sample": one.sample,
                "what": one.what,
                "verdict": one.verdict,
                "promise": one.promise,
                "left": one.left,
            }
            for one in result.delivered
        ],
        "untried": [{"function": name, "why": why} for name, why in result.untried],
        "findings": [one.as_data() for one in result.findings],
    }


def deliveries_text(result: DeliveriesResult) -> RenderableType:
    """Return what breaks under deliveries that the source never made, and how many others there were."""
    parts: list[RenderableType] = [Text("Delivered otherwise", "bold")]
    for one in result.broken:
        parts.append(Text(f"  {one.function}, {one.sample}, {one.what}: {one.left}"))
        parts.append(Text(f"    for {one.promise}, and {result.source} never did so", "dim"))
    parts += [Text(f"  {name}: not tried, for {why}", "dim") for name, why in result.untried]
    counts = Counter(one.verdict for one in result.delivered)
    told = f"{len(result.delivered)} other deliveries: {counts[HOLDS]} leave the same, {counts[AS_BEFORE]} something "
    parts.append(Text(f"{told}else (and so they did at {result.source}), {counts[BREAKS]} break what held there."))
    return Group(*parts)


def bundle_data(made: Bundle) -> dict[str, Any]:
    """Return whether what was carried is whole, what it needs, and how much it is."""
    return {
        "whole": made.whole,
        "files": made.files,
        "size": made.size,
        "required": list(made.required),
        "findings": [one.as_data() for one in made.findings],
    }


def bundle_text(made: Bundle) -> RenderableType:
    """Return what is missing, and how much what was carried is with all that it needs."""
    parts: list[RenderableType] = [Text("Bundle", "bold")]
    if made.findings:
        parts.append(findings_table(made.findings))
    needs = f", {len(made.required)} required: {', '.join(made.required)}" if made.required else ", nothing required"
    whole = "nothing is missing" if made.whole else "it is not whole"
    parts.append(Text(f"{made.files} files, {made.size:,} bytes{needs}; {whole}."))
    return Group(*parts)
