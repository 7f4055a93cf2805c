"""The commands of `vast-ferry event`: native events on file converted, and kept as samples from where they lie."""

from __future__ import annotations

import sys
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vast_ferry.cli.options import FORMAT, Finite, emit, telling

if TYPE_CHECKING:
    from vast_ferry.events.cloud_events import Mode
    from vast_ferry.events.convert import Converted
    from vast_ferry.profiles.profile import Profile


@click.group()
def event() -> None:
    """Native events on file."""


@event.command()
@click.argument("file", type=click.Path(allow_dash=True, path_type=str), default="-")
@click.option("--from", "source", required=True, metavar="PROVIDER", help="Whose event it is.")
@click.option("--to", required=True, metavar="PROVIDER", help="Whose shape it shall have.")
@click.option("--lines", is_flag=True, help="One event a line, in and out.")
@click.option(
    "--mode",
    type=click.Choice(["binary", "structured", "batched"]),
    help="Print the HTTP request that carries it (CloudEvents HTTP binding).",
)
@click.option("--cluster", default="", metavar="ADDRESS", help="With --lines: let a Dask cluster do it.")
@FORMAT
def convert(file: str, source: str, to: str, lines: bool, mode: Mode | None, cluster: str, form: str) -> None:
    """Print the native event in FILE (`-`: standard input) in another provider's shape.

    FILE may also be an HTTP request that carries CloudEvents, in any mode of their HTTP binding.
    What the other shape can't hold of it is told on standard error, or under `losses` with --format json.
    """
    import simplejson

    from vast_ferry.events.convert import converter
    from vast_ferry.events.editions import find_source
    from vast_ferry.events.event_message import needs_format, write_message
    from vast_ferry.events.native import FirstLine, open_events, parse_json, read_events, read_whole
    from vast_ferry.hub.standards import odd_in
    from vast_ferry.profiles.registry import editions_of, find_profile
    from vast_ferry.reports.terminal import safe_json, say

    editions, target = editions_of(source), find_profile(to)
    _refuse_what_does_not_go_together(mode, lines, cluster, form)
    if mode:
        needs_format(target, "--to")
    shown = "standard input" if file == "-" else file
    told = _Told(shown, target.title)
    with open_events(file, shown) as opened, told:
        stream: Any = opened
        if lines:
            if len(editions) > 1:
                stream = FirstLine(opened)
                editions = [find_source(source, parse_json(stream.line, shown, exact=True), shown)]
            from vast_ferry.events.lines import convert_lines, events_alone

            render = _converted_alone if form == "json" else events_alone
            for chunk in convert_lines(stream, editions[0], target, shown, render, cluster=cluster):
                sys.stdout.write(safe_json(chunk.text))
                sys.stdout.flush()
                told.count += chunk.lines
                if form == "text":
                    told.losses(chunk.losses)
                    told.unread(chunk.unread, editions[0].title)
                if chunk.error:
                    raise chunk.error
            return
        data = _whole(read_whole(stream, shown), shown, editions[-1])
        origin = find_source(source, data, shown) if len(editions) > 1 else editions[0]
        converted = converter(origin, target, exact=True)(data, shown, 1)
        natives = data if isinstance(data, list) else [data]
        odd = dict.fromkeys(what for one in natives for _, what in odd_in(read_events(one, origin, shown)[1]))
        if mode:
            sys.stdout.buffer.write(write_message(converted.events, target, mode))
        else:
            encode = simplejson.JSONEncoder(ensure_ascii=False, indent=2, use_decimal=True).encode
            several = converted.events[0] if len(converted.events) == 1 else converted.events
            made = _converted(converted) | {"odd": list(odd)} if form == "json" else several
            sys.stdout.write(safe_json(encode(made)) + "\n")
        if form == "text":
            told.losses({str(loss): (1, 1) for loss in converted.losses})
            told.unread(dict.fromkeys(converted.unread, (1, 1)), origin.title)
            for what in odd:
                say(f"{shown}:1: hardly meant: {origin.title}'s profile reads {what}")


def _refuse_what_does_not_go_together(mode: Mode | None, lines: bool, cluster: str, form: str) -> None:
    if mode and (lines or form == "json"):
        raise click.UsageError("--mode prints an HTTP request: give it without --lines and --format json")
    if cluster and not lines:
        raise click.UsageError("--cluster converts many events: give it with --lines")


@event.command(name="import")
@click.argument("project", type=click.Path(path_type=Path))
@click.argument("files", type=click.Path(allow_dash=True, path_type=str), nargs=-1)
@click.option("--from", "source", metavar="PROVIDER", help="Whose project it is, where that can't be told.")
@click.option("--function", default="", metavar="NAME", help="The function that all are for.")
@click.option("--redact", multiple=True, metavar="FIELD", help="Make up the values of fields of that name.")
@click.option("--dry-run", is_flag=True, help="Say what would be written, and write nothing.")
@FORMAT
def collect_samples(
    project: Path,
    files: tuple[str, ...],
    source: str | None,
    function: str,
    redact: tuple[str, ...],
    dry_run: bool,
    form: str,
) -> int:
    """Keep what lies in FILES (`-`: standard input) as samples of PROJECT's functions.

    FILES hold curl command lines, an HTTP archive (HAR 1.2), a raw HTTP request, CloudEvents, log lines with events in
    them, or an OpenAPI description with examples. Credentials are left out; what is there already is not kept twice.
    """
    from vast_ferry.collecting.collect import collect, write_samples
    from vast_ferry.reports.collected import collected_data, collected_text

    given = sys.stdin.buffer.read() if "-" in files or not files else None
    made = collect(project, files or ["-"], source=source, function=function, redact=redact, given=given)
    if not dry_run:
        write_samples(made)
    emit(form, collected_data(made, written=not dry_run), collected_text(made, written=not dry_run))
    return 0


@event.command(name="make")
@click.argument("project", type=click.Path(path_type=Path))
@click.argument("functions", nargs=-1)
@click.option("--from", "source", metavar="PROVIDER", help="Whose project it is, where that can't be told.")
@click.option("--seconds", type=Finite(1, 36_000), default=120.0, help="Look for them for so long.")
@click.option("--most", type=click.IntRange(1, 1000), default=20, help="So many for each function at most.")
@click.option(
    "--openapi", multiple=True, type=click.Path(path_type=Path), help="An API description whose schemas say what comes."
)
@click.option("--dry-run", is_flag=True, help="Say what would be written, and write nothing.")
@FORMAT
def make(
    project: Path,
    functions: tuple[str, ...],
    source: str | None,
    seconds: float,
    most: int,
    openapi: tuple[Path, ...],
    dry_run: bool,
    form: str,
) -> int:
    """Make samples for the FUNCTIONS of PROJECT (default: all), or of a crossing.

    Events are generated from the triggers, the samples that are kept, what the code looks for, and the schemas of API
    descriptions (OpenAPI) that are named. Kept are the
    smallest that run code which no sample runs, end in a way in which none ends, show what the target can't hold, or
    notice a planted fault that none notices.
    """
    from vast_ferry.collecting.collect import write_samples
    from vast_ferry.probing.making import make_samples
    from vast_ferry.reports.probed import made_data, made_text

    with telling() as progress:
        made = make_samples(
            project, functions, source=source, seconds=seconds, most=most, described=openapi, progress=progress
        )
    if not dry_run and made.collection.samples:
        write_samples(made.collection)
    emit(form, made_data(made, written=not dry_run), made_text(made, written=not dry_run))
    return 0


def _converted(converted: Converted) -> dict[str, Any]:
    from vast_ferry.reports.data import converted_data

    return converted_data(converted)


def _converted_alone(converted: Converted) -> list[Any]:
    return [_converted(converted)]


def _whole(data: bytes, shown: str, source: Profile) -> Any:
    """Return the event in a file, or those that an HTTP request carries."""
    from vast_ferry.events.event_message import is_message, read_message
    from vast_ferry.events.native import parse_json

    if not is_message(data):
        return parse_json(data, shown, exact=True)
    events = read_message(data, source, shown)
    return events[0] if len(events) == 1 else events


class _Told:
    """Tells on standard error what is not held: each loss where it is first met, and at the end how often it was.

    On a terminal it also shows how far the conversion is.
    """

    def __init__(self, shown: str, title: str) -> None:
        self.shown, self.title = shown, title
        self.count = 0
        self._met: dict[str, int] = {}
        self._bar: Any = None

    def __enter__(self) -> _Told:
        if sys.stderr.isatty() and not sys.stdout.isatty():
            from vast_ferry.reports.text import RunningCount

            self._bar = RunningCount("converting…", lambda: self.count)
            self._bar.__enter__()
        return self

    def __exit__(self, *error: object) -> None:
        if self._bar is not None:
            self._bar.__exit__(*error)
        from vast_ferry.reports.terminal import say

        for told, count in self._met.items():
            if count > 1:
                say(f"{self.shown}: {count - 1:,} more: {told}")

    def losses(self, losses: Mapping[str, tuple[int, int]]) -> None:
        """Tell of losses that were met: each by its text, with the first line and how often."""
        from vast_ferry.reports.terminal import say

        for told, (line, count) in losses.items():
            if told not in self._met:
                say(f"{self.shown}:{line}: not held by {self.title}: {told}")
            self._met[told] = self._met.get(told, 0) + count

    def unread(self, keys: Mapping[str, tuple[int, int]], title: str) -> None:
        """Tell of keys of which the source's profile reads nothing, or not all: each once, with its first line."""
        from vast_ferry.events.unread import Partly
        from vast_ferry.reports.terminal import say

        for key, (line, count) in keys.items():
            partly = isinstance(key, Partly)
            told = str(key) if partly else f"{key}: {title}'s profile has no row for it"
            if told not in self._met:
                what = "not all as it stands there" if partly else "not read, and lost"
                say(f"{self.shown}:{line}: {what}: {told}")
            self._met[told] = self._met.get(told, 0) + count
