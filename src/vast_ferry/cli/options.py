"""What several commands share: options, and how a result and the progress of long work are shown."""

from __future__ import annotations

import contextlib
import math
import sys
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from rich.console import RenderableType

    from vast_ferry.hub.progress import Progress

FORMAT = click.option(
    "--format", "form", type=click.Choice(["text", "json"]), default="text", help="What to print: for people, or JSON."
)


class Finite(click.FloatRange):
    """A number in a range; `nan` lies in none, and `inf` in none without an end."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """Return the number."""
        number = super().convert(value, param, ctx)
        if not math.isfinite(number):
            self.fail(f"{value} is not a number that can be counted with", param, ctx)
        return number


def emit(form: str, data: Any, text: RenderableType) -> None:
    """Print a result on stdout."""
    from vast_ferry.reports.terminal import json_text, print_text

    if form == "json":
        sys.stdout.write(json_text(data) + "\n")
    else:
        print_text(text)


@contextlib.contextmanager
def telling() -> Iterator[Progress]:
    """Give what shows on a terminal how far long work is, and nothing elsewhere."""
    from vast_ferry.hub.progress import quietly

    if not sys.stderr.isatty():
        yield quietly
        return
    from vast_ferry.reports.terminal import console

    with console(stderr=True).status("reading…") as status:
        yield lambda said: status.update(f"{said}…")


def named_value(text: str, option: str) -> tuple[str, str]:
    """Return the name and the value of `NAME=VALUE`, as an option gives them."""
    name, mark, value = text.partition("=")
    if not mark or not name:
        raise click.UsageError(f"{option} {text}: write NAME=VALUE")
    return name, value
