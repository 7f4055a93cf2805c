"""Calls of a project that is served, as they come: a line each, its log below it; and what they came to at the end."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any, Final

from rich.console import RenderableType
from rich.table import Table
from rich.text import Text

from vast_ferry.checking.calling import Called
from vast_ferry.hub.outcomes import Ending
from vast_ferry.reports.called import called_data
from vast_ferry.reports.terminal import json_text, visible
from vast_ferry.serving.live import GOOD, Done

#: So many lines of a call's log are shown.
_LOGGED: Final = 50
_RED, _GREEN, _YELLOW, _CYAN, _BOLD, _DIM = "31", "32", "33", "36", "1", "2"


def done_text(done: Done, *, colour: bool) -> str:
    """Return the lines of a call: when, the function, how it ended, milliseconds, what caused it; its log below.

    Written by hand, for it is done for each of a thousand calls a second.
    """
    paint = _painted if colour else _bare
    outcome = done.outcome
    status = outcome.reply.status if outcome.reply is not None else 0
    style = _GREEN if outcome.ending in GOOD and status < 400 else _YELLOW if 400 <= status < 500 else _RED
    again = paint(f"  attempt {done.attempt}", _YELLOW) if done.attempt > 1 else ""
    when = time.strftime("%H:%M:%S")
    told = paint(f"  {done.seconds * 1000:.1f} ms  {visible(done.cause)}", _DIM)
    name, ended = paint(f"{done.function:<20}", _BOLD), paint(visible(str(outcome)), style)
    lines = [f"{paint(when, _DIM)} {name} {ended}{told}{again}"]
    printed = outcome.output.rstrip("\n").split("\n") if outcome.output else []
    for text in [*outcome.logs[:_LOGGED], *printed[:_LOGGED]]:
        lines.append(f"           {paint(visible(text), _DIM)}")
    lines += [f"           {paint(f'→ {visible(str(one))}', _CYAN)}" for one in outcome.effects[:_LOGGED]]
    if outcome.ending in (Ending.FAILED, Ending.NOT_LOADED) and outcome.trace:
        lines.append(f"           {paint(visible(outcome.trace), _RED)}")
    return "\n".join(lines)


def _painted(text: str, style: str) -> str:
    return f"\x1b[{style}m{text}\x1b[0m"


def _bare(text: str, _: str) -> str:
    return text


def done_line(done: Done) -> str:
    """Return a call as a line of JSON."""
    called = Called(done.function, "", "", done.outcome)
    data = {**called_data(called), "cause": done.cause, "attempt": done.attempt}
    del data["at"], data["sample"]
    return json_text(data, indent=None)


def summary_text(lines: Sequence[dict[str, Any]]) -> RenderableType:
    """Return what was called, a line a function."""
    if not lines:
        return Text("Nothing was called.")
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_row(*(Text(word, "dim") for word in ("", "calls", "failed", "half in", "95% in", "99% in")))
    for one in lines:
        times = [f"{one[f'p{at}_ms']:.1f} ms" for at in (50, 95, 99)]
        failed = Text(f"{one['failed']:,}", "red" if one["failed"] else "")
        table.add_row(Text(one["function"], "bold"), f"{one['calls']:,}", failed, *times)
    return table
