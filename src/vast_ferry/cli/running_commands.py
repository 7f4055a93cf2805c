"""The commands that run a project here: one call, or a server. The library is loaded inside of them, never before."""

from __future__ import annotations

import json
import os
import re
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from vast_ferry.cli.options import FORMAT, Finite, emit, named_value, telling

if TYPE_CHECKING:
    from vast_ferry.serving.live import Done


@click.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.argument("function")
@click.argument("sample", default="")
@click.option("--from", "source", metavar="PROVIDER", help="Whose project it is, where that can't be told.")
@click.option("--env", "env", multiple=True, metavar="NAME=VALUE", help="A variable over those that are declared.")
@click.option("--stage", default="", metavar="NAME", help="As it is at that stage.")
@click.option("--limit", type=Finite(0.05, 900), default=10.0, help="Longest call, and longest import, in seconds.")
@click.option("--rate", type=Finite(0.01, 10_000), help="Call it so many times a second, and tell how long calls take.")
@click.option("--for", "span", default="10s", metavar="TIME", help="Of these, for so long (10s, 2m).")
@click.option("--at", "address", default="", metavar="URL", help="Of these, send the request to what runs there.")
@click.option("--i-may-load", "allowed", default="", metavar="URL", help="Of these, that it is yours to load.")
@click.option(
    "--plot", type=click.Path(path_type=Path), help="Of these, also draw how long each call took (.png, .svg)."
)
@click.option("--curl", metavar="URL", help="Print the line that sends the same request to URL, and call nothing.")
@FORMAT
def call(
    project: Path,
    function: str,
    sample: str,
    source: str | None,
    env: tuple[str, ...],
    stage: str,
    limit: float,
    rate: float | None,
    span: str,
    address: str,
    allowed: str,
    plot: Path | None,
    curl: str,
    form: str,
) -> None:
    """Call FUNCTION of PROJECT (or of a crossing) once, with SAMPLE: one that is kept, a file, or `-`.

    What comes back is the answer, the log, what it did to the services behind it, and how long it took. Exit status: 1
    where it failed. With --rate it is called again and again, on both sides of a crossing.
    """
    if rate is not None:
        sys.exit(_load(project, function, sample, source, rate, span, address, allowed, plot, form))
    from vast_ferry.checking.calling import call as call_once
    from vast_ferry.checking.calling import request_line
    from vast_ferry.hub.outcomes import Ending
    from vast_ferry.reports.called import called_data, called_text

    given = sys.stdin.buffer.read() if sample == "-" else None
    if curl:
        click.echo(request_line(project, function, sample, curl, source=source, given=given))
        return
    variables = dict(named_value(one, "--env") for one in env)
    made = call_once(
        project, function, sample, source=source, given=given, variables=variables, stage=stage, limit=limit
    )
    emit(form, called_data(made), called_text(made))
    good = (Ending.REPLIED, Ending.RETURNED, Ending.ACKNOWLEDGED)
    sys.exit(0 if made.outcome.ending in good else 1)


@click.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--from", "source", metavar="PROVIDER", help="Whose project it is, where that can't be told.")
@click.option("--port", type=click.IntRange(0, 65535), default=8000, help="Where to listen (default: 8000; 0: any).")
@click.option("--host", default="127.0.0.1", help="At which address (default: this machine alone).")
@click.option("--env", "env", multiple=True, metavar="NAME=VALUE", help="A variable over those that are declared.")
@click.option("--env-file", type=click.Path(path_type=Path), help="A file of such lines.")
@click.option("--stage", default="", metavar="NAME", help="As it is at that stage.")
@click.option("--state", type=click.Path(path_type=Path), help="Folder in which services keep what they hold.")
@click.option("--speed", type=Finite(0.01, 10_000), default=1.0, help="Waits between attempts are so much shorter.")
@click.option("--schedules", is_flag=True, help="Call functions when their schedules fire, by the clock.")
@click.option("--keep", is_flag=True, help="Keep what comes in as samples of the project.")
@click.option("--redact", multiple=True, metavar="FIELD", help="Of these, make up the values of fields of that name.")
@click.option(
    "--debug", type=click.IntRange(1024, 65000), metavar="PORT", help="Let a debugger attach, from that port on."
)
@click.option("--wait", is_flag=True, help="Of these, wait for a debugger before handlers are loaded.")
@click.option("--ready-file", type=click.Path(path_type=Path), help="File that is there while it answers.")
@FORMAT
def serve(
    project: Path,
    source: str | None,
    port: int,
    host: str,
    env: tuple[str, ...],
    env_file: Path | None,
    stage: str,
    state: Path | None,
    speed: float,
    schedules: bool,
    keep: bool,
    redact: tuple[str, ...],
    debug: int | None,
    wait: bool,
    ready_file: Path | None,
    form: str,
) -> None:
    """Run PROJECT (or a crossing) on this machine: routes, CloudEvents posted to `/`, services that are live.

    Each call is a line, its log and what it did below it. Code that changed is loaded before the next call. Ctrl-C ends
    it, with a summary.
    """
    from vast_ferry.reports.served import done_line, done_text, summary_text
    from vast_ferry.reports.terminal import print_text, say
    from vast_ferry.serving.live import Live
    from vast_ferry.serving.server import LOOPBACK
    from vast_ferry.serving.server import serve as serve_live
    from vast_ferry.serving.state import State
    from vast_ferry.standins.debugging import Debugger

    variables = dict(named_value(one, "--env") for one in (*_lines_of(env_file), *env))
    held = State(state)
    held.load()
    if host not in LOOPBACK:
        say(f"{host}: whoever reaches this machine can call these functions, and see what they answer")

    def tell(done: Done) -> None:
        if form == "json":
            click.echo(done_line(done))
        else:
            click.echo(done_text(done, colour=coloured))

    coloured = sys.stdout.isatty() and "NO_COLOR" not in os.environ

    def ready(address: str) -> None:
        routes = [f"{'|'.join(route.methods) or 'ANY'} {route.route}" for one in live.functions for route in one.routes]
        say(f"{len(live.functions)} functions of {live.profile.title} answer at {address}; Ctrl-C ends it")
        for route in routes:
            say(f"  {route}")
        if live.made_up:
            say(
                f"made up: the values of secrets {', '.join(live.made_up)}; --env NAME=VALUE or --env-file gives others"
            )

    debugger = Debugger(debug, wait) if debug else None
    with Live(project, source=source, variables=variables, state=held, say=say, stage=stage, debugger=debugger) as live:
        if debugger is not None:
            say("handlers run with your own rights, outside of the sandbox, and no call ends by its time:")
            live.await_debuggers()
        summary = serve_live(
            live,
            host=host,
            port=port,
            tell=tell,
            ready=ready,
            ready_file=ready_file,
            speed=speed,
            keeper=live.keeper(redact) if keep else None,
            schedules=schedules,
        )
    if form == "json":
        click.echo(json.dumps({"summary": summary.lines()}))
    else:
        click.echo()
        print_text(summary_text(summary.lines()))


def _load(
    project: Path,
    function: str,
    sample: str,
    source: str | None,
    rate: float,
    span: str,
    address: str,
    allowed: str,
    plot: Path | None,
    form: str,
) -> int:
    """Call a function at a rate, tell how it did, and return the exit status."""
    from vast_ferry.checking.loading import load
    from vast_ferry.reports.cost_plot import check_plot_path
    from vast_ferry.reports.loaded import loaded_data, loaded_text, plot_loaded

    if plot is not None:
        check_plot_path(plot)
    seconds = _seconds_of(span)
    with telling() as progress:
        made = load(
            project,
            function,
            sample,
            rate=rate,
            seconds=seconds,
            address=address,
            allowed=allowed,
            source=source,
            progress=progress,
        )
    if plot is not None:
        plot_loaded(made, plot)
    emit(form, loaded_data(made), loaded_text(made))
    return 1 if any(side.failed for side in made.sides) else 0


def _seconds_of(span: str) -> float:
    """Return the seconds of a time such as 10s, 2m or 10."""
    found = re.fullmatch(r"(\d+(?:\.\d+)?)(s|m)?", span)
    if found is None or not 0 < float(found[1]) <= 3600:
        raise click.UsageError(f"--for {span} is no time: give 10s or 2m")
    return float(found[1]) * (60 if found[2] == "m" else 1)


def _lines_of(path: Path | None) -> list[str]:
    """Return the NAME=VALUE lines of a file; empty ones and those that begin with # say nothing."""
    from vast_ferry.documents.document import read_text

    text = read_text(path, str(path), "the file of variables") if path else ""
    lines = [line.strip().removeprefix("export ") for line in text.splitlines()]
    return [line for line in lines if line and not line.startswith("#")]
