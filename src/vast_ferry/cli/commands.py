"""The commands of `vast-ferry`. Every import of the library stands inside a command: `--version` loads none of it."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vast_ferry import __version__
from vast_ferry.cli.options import FORMAT, Finite, emit, telling
from vast_ferry.cli.profile_commands import profile

if TYPE_CHECKING:
    from vast_ferry.checking.result import CheckResult
    from vast_ferry.events.cloud_events import Mode
    from vast_ferry.events.convert import Converted
    from vast_ferry.profiles.profile import Profile
    from vast_ferry.serving.live import Done


@click.group(context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, message="vast-ferry %(version)s")
def cli() -> None:
    """Carry event-driven functions from one hosting provider to another, and prove each one on sample events.

    Exit status: 0 good; 1 it ran and found a difference or something blocking; 2 wrong usage or bad input.
    """


@cli.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--from", "source", metavar="PROVIDER", help="Where it is now, if its files don't tell.")
@click.option("--openapi", type=click.Path(path_type=Path), help="Also write its HTTP functions as OpenAPI 3.1.")
@click.option("--fields/--no-fields", default=None, help="Tell what handlers read and answer (default: up to 40).")
@FORMAT
def survey(project: Path, source: str | None, openapi: Path | None, fields: bool | None, form: str) -> None:
    """Show what is in PROJECT: functions, triggers, settings, and what the code calls and reads. Nothing is run."""
    from vast_ferry.reports.files import outside, write_report
    from vast_ferry.reports.project_text import survey_text
    from vast_ferry.surveying.survey import survey as look_at

    if openapi:
        outside(openapi, project)
    with telling() as progress:
        there = look_at(project, source, fields=fields, progress=progress)
    if openapi:
        from vast_ferry.definitions.openapi import write_openapi

        write_report(openapi, write_openapi(there.project, openapi))
    emit(form, there.as_data(), survey_text(there, str(project)))


@cli.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--to", required=True, metavar="PROVIDER", help="Where it shall go: see `profile list`.")
@click.option("--from", "source", metavar="PROVIDER", help="Where it is now, if its files don't tell.")
@click.option("--calls", type=click.IntRange(1), help="Estimate a month's bill at both ends for so many calls.")
@click.option("--mean-ms", type=Finite(0.001), default=100.0, help="How long a call runs on the average.")
@click.option("--gb-out", type=Finite(0), default=0.0, help="A month's traffic out, in GB.")
@click.option("--plot", type=click.Path(path_type=Path), help="Also draw cost against calls: FILE.png or FILE.svg.")
@click.option("--handlers/--no-handlers", default=None, help="Tell what rewriting handlers meets (default: up to 40).")
@FORMAT
def gaps(
    project: Path,
    to: str,
    source: str | None,
    calls: int | None,
    mean_ms: float,
    gb_out: float,
    plot: Path | None,
    handlers: bool | None,
    form: str,
) -> None:
    """Show what of PROJECT won't carry across, worst first, and what must be there first. Nothing is written.

    The exit status is 1 where something is blocking.
    """
    from vast_ferry.gap_finding.find import gaps
    from vast_ferry.gap_finding.price import bill, crossings
    from vast_ferry.reports.cost_plot import check_plot_path, plot_cost
    from vast_ferry.reports.data import gaps_data
    from vast_ferry.reports.project_text import gaps_text

    if plot and calls is None:
        raise click.UsageError("--plot draws what --calls estimates: give both")
    if plot:
        check_plot_path(plot)
    with telling() as progress:
        found = gaps(project, to=to, source=source, handlers=handlers, progress=progress)
    sides = found.usages(calls, mean_ms, gb_out) if calls else []
    bills = {profile.title: made for profile, usage in sides if (made := bill(profile, usage))}
    same: list[int] = []
    if len(bills) == 2 and calls:
        (one, used), (other, theirs) = sides
        same = crossings(one, other, used, theirs, 3 * calls)
        if plot:
            plot_cost(sides, same, max(2 * calls, *(round(1.2 * count) for count in same), 1), plot)
    emit(form, gaps_data(found, bills, same), gaps_text(found, str(project), bills, same))
    sys.exit(1 if found.blocking else 0)


@cli.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--to", required=True, metavar="PROVIDER", help="Where to carry it: see `profile list`.")
@click.option("--out", required=True, type=click.Path(path_type=Path), help="Folder to write; new or empty.")
@click.option("--from", "source", metavar="PROVIDER", help="Where it is now, if its files don't tell.")
@click.option(
    "--style", type=click.Choice(["auto", "native", "wrapped"]), default="auto", help="How handlers are carried."
)
@click.option("--replace", is_flag=True, help="Write a crossing in --out anew; files that are not of it stay.")
@click.option("--discard-edits", is_flag=True, help="With --replace: lose what was changed in the crossing since.")
@click.option("--carry-values", multiple=True, metavar="NAME", help="Carry this variable although it looks secret.")
@click.option("--carry-files", multiple=True, metavar="PATTERN", help="Carry these files although they look secret.")
@click.option(
    "--side-by-side",
    "page",
    type=click.Path(path_type=Path),
    help="Also show both sources side by side: FILE.html.",
)
@FORMAT
def carry(
    project: Path,
    to: str,
    out: Path,
    source: str | None,
    style: str,
    replace: bool,
    discard_edits: bool,
    carry_values: Sequence[str],
    carry_files: Sequence[str],
    page: Path | None,
    form: str,
) -> None:
    """Write what another provider can take in place of PROJECT.

    Handlers are rewritten in the target's own idiom where they are fully understood, and the rest wrapped, with why;
    PROJECT itself is never written into.
    """
    from vast_ferry.crossing.carry import carry as carry_project
    from vast_ferry.reports.data import crossing_data
    from vast_ferry.reports.files import check_report_paths, outside, write_report
    from vast_ferry.reports.text import crossing_text

    check_report_paths([page] if page else [], ".html")
    if page:
        outside(page, project)
    with telling() as progress:
        crossing = carry_project(
            project,
            to=to,
            out=out,
            source=source,
            style=style,
            replace_out=replace,
            discard_edits=discard_edits,
            carry_values=carry_values,
            carry_files=carry_files,
            progress=progress,
        )
    if page:
        from vast_ferry.reports.side_by_side import side_by_side

        write_report(page, side_by_side(crossing, project))
    emit(form, crossing_data(crossing, str(out)), crossing_text(crossing, str(project), str(out)))
    sys.exit(1 if crossing.blocking else 0)


@cli.command()
@click.argument("crossing", type=click.Path(path_type=Path))
@click.option(
    "--samples", multiple=True, type=click.Path(path_type=Path), help="Samples to use instead of the project's own."
)
@click.option("--without", multiple=True, metavar="OFFER", help="Check as on a server that does not offer this.")
@click.option("--limit", type=Finite(0.05, 900), default=10.0, help="Longest call, and longest import, in seconds.")
@click.option("--memory", type=click.IntRange(16), help="Memory of a handler, in MiB (default: what its function has).")
@click.option("--source", type=click.Path(path_type=Path), help="Where the original project lies now.")
@click.option("--against", metavar="URL", help="Send the requests to an endpoint that runs, instead of running both.")
@click.option("--rate", type=Finite(0, 10_000), default=0.0, help="Of these, so many a second at most.")
@click.option("--header", multiple=True, metavar="NAME=VARIABLE", help="A header field from an environment variable.")
@click.option(
    "--report",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Also write it: FILE.json, FILE.xml (JUnit), FILE.sarif.",
)
@FORMAT
def check(
    crossing: Path,
    samples: Sequence[Path],
    without: Sequence[str],
    limit: float,
    memory: int | None,
    source: Path | None,
    against: str | None,
    rate: float,
    header: Sequence[str],
    report: Sequence[Path],
    form: str,
) -> None:
    """Prove a CROSSING: run the original and the carried functions side by side on sample events.

    With --against URL the samples that are requests go to an endpoint that runs (deployed, or served here), and its
    answers are compared with the original's.
    """
    from vast_ferry.reports.files import check_report_paths, write_json, write_report
    from vast_ferry.surveying.crossing_file import crossing_file

    check_report_paths(report, ".html", ".json", ".xml", ".sarif")
    if not against:
        crossing_file(crossing)  # which is told at once, before anything else is loaded

    from vast_ferry.reports.check_page import check_page
    from vast_ferry.reports.data import check_data
    from vast_ferry.reports.for_machines import junit, sarif
    from vast_ferry.reports.text import check_text

    if against:
        result = _checked_against(crossing, against, rate, limit, header, samples)
    else:
        result = run_check(crossing, samples=samples, without=without, limit=limit, memory=memory or 0, source=source)
    data = check_data(result)
    for path in report:
        if path.suffix == ".html":
            write_report(path, check_page(result))
        elif path.suffix == ".xml":
            write_report(path, junit(result))
        else:
            write_json(path, data if path.suffix == ".json" else sarif(result, crossing))
    emit(form, data, check_text(result, str(crossing)))
    sys.exit(0 if result.good else 1)


@cli.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.argument("function")
@click.argument("sample", default="")
@click.option("--from", "source", metavar="PROVIDER", help="Whose project it is, where that can't be told.")
@click.option("--env", "env", multiple=True, metavar="NAME=VALUE", help="A variable over those that are declared.")
@click.option("--limit", type=Finite(0.05, 900), default=10.0, help="Longest call, and longest import, in seconds.")
@click.option("--curl", metavar="URL", help="Print the line that sends the same request to URL, and call nothing.")
@FORMAT
def call(
    project: Path,
    function: str,
    sample: str,
    source: str | None,
    env: tuple[str, ...],
    limit: float,
    curl: str,
    form: str,
) -> None:
    """Call FUNCTION of PROJECT (or of a crossing) once, with SAMPLE: one that is kept, a file, or `-`.

    What comes back is the answer, the log, what it did to the services behind it, and how long it took. Exit status: 1
    where it failed.
    """
    from vast_ferry.checking.calling import call as call_once
    from vast_ferry.checking.calling import request_line
    from vast_ferry.hub.outcomes import Ending
    from vast_ferry.reports.called import called_data, called_text

    given = sys.stdin.buffer.read() if sample == "-" else None
    if curl:
        click.echo(request_line(project, function, sample, curl, source=source, given=given))
        return
    variables = dict(_variable(one) for one in env)
    made = call_once(project, function, sample, source=source, given=given, variables=variables, limit=limit)
    emit(form, called_data(made), called_text(made))
    good = (Ending.REPLIED, Ending.RETURNED, Ending.ACKNOWLEDGED)
    sys.exit(0 if made.outcome.ending in good else 1)


@cli.command()
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--from", "source", metavar="PROVIDER", help="Whose project it is, where that can't be told.")
@click.option("--port", type=click.IntRange(0, 65535), default=8000, help="Where to listen (default: 8000; 0: any).")
@click.option("--host", default="127.0.0.1", help="At which address (default: this machine alone).")
@click.option("--env", "env", multiple=True, metavar="NAME=VALUE", help="A variable over those that are declared.")
@click.option("--env-file", type=click.Path(path_type=Path), help="A file of such lines.")
@click.option("--state", type=click.Path(path_type=Path), help="Folder in which services keep what they hold.")
@click.option("--speed", type=Finite(0.01, 10_000), default=1.0, help="Waits between attempts are so much shorter.")
@click.option("--keep", is_flag=True, help="Keep what comes in as samples of the project.")
@click.option("--redact", multiple=True, metavar="FIELD", help="Of these, make up the values of fields of that name.")
@click.option("--ready-file", type=click.Path(path_type=Path), help="File that is there while it answers.")
@FORMAT
def serve(
    project: Path,
    source: str | None,
    port: int,
    host: str,
    env: tuple[str, ...],
    env_file: Path | None,
    state: Path | None,
    speed: float,
    keep: bool,
    redact: tuple[str, ...],
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

    variables = dict(_variable(one) for one in (*_lines_of(env_file), *env))
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

    with Live(project, source=source, variables=variables, state=held, say=say) as live:
        summary = serve_live(
            live,
            host=host,
            port=port,
            tell=tell,
            ready=ready,
            ready_file=ready_file,
            speed=speed,
            keeper=live.keeper(redact) if keep else None,
        )
    if form == "json":
        click.echo(json.dumps({"summary": summary.lines()}))
    else:
        click.echo()
        print_text(summary_text(summary.lines()))


def _lines_of(path: Path | None) -> list[str]:
    """Return the NAME=VALUE lines of a file; empty ones and those that begin with # say nothing."""
    from vast_ferry.documents.document import read_text

    text = read_text(path, str(path), "the file of variables") if path else ""
    lines = [line.strip().removeprefix("export ") for line in text.splitlines()]
    return [line for line in lines if line and not line.startswith("#")]


def _variable(text: str, option: str = "--env") -> tuple[str, str]:
    name, mark, value = text.partition("=")
    if not mark or not name:
        raise click.UsageError(f"{option} {text}: write NAME=VALUE")
    return name, value


def _checked_against(
    crossing: Path, address: str, rate: float, limit: float, header: Sequence[str], samples: Sequence[Path]
) -> CheckResult:
    """Return what comes of sending a project's requests to an endpoint; credentials stand in the environment alone."""
    from vast_ferry.checking.against import Endpoint, check_against
    from vast_ferry.hub.findings import BadInput

    headers = {}
    for one in header:
        name, variable = _variable(one, "--header")
        if variable not in os.environ:
            raise BadInput(f"--header {name}: the environment has no variable {variable}", "Set it")
        headers[name] = os.environ[variable]
    with telling() as progress:
        return check_against(crossing, Endpoint(address, rate, limit, headers), samples=samples, progress=progress)


def run_check(crossing: Path, **options: Any) -> CheckResult:
    """Run a check, and tell on a terminal how far it is."""
    from vast_ferry.checking.check import check as check_crossing

    with telling() as progress:
        return check_crossing(crossing, progress=progress, **options)


@cli.command()
@click.option("--to", metavar="PROVIDER", help="Where to carry it (default: where all of it can go).")
@click.option("--out", type=click.Path(path_type=Path), help="Folder to keep the demo in (default: it is removed).")
@click.option(
    "--language",
    type=click.Choice(["python", "javascript"]),
    default="python",
    help="In which language its functions are written (default: python).",
)
@FORMAT
def demo(to: str | None, out: Path | None, language: str, form: str) -> None:
    """Carry the demo project (Lindenfold Apiaries) and check it, as one would by hand."""
    from vast_ferry.crossing.carry import carry as carry_project
    from vast_ferry.demo import TARGET, copy_demo
    from vast_ferry.reports.data import check_data, crossing_data
    from vast_ferry.reports.text import check_text, crossing_text
    from vast_ferry.standins.scratch import scratch_folder

    to = to or TARGET
    with contextlib.ExitStack() as stack:
        folder = out or stack.enter_context(scratch_folder())
        copy_demo(folder, language)
        with contextlib.chdir(folder):
            crossing = carry_project("apiary", to=to, out="ported")
            result = run_check(Path("ported"))
        if form == "json":
            emit(form, {"carry": crossing_data(crossing, "ported"), "check": check_data(result)}, "")
        else:
            click.secho(f"$ vast-ferry carry apiary --to {to} --out ported\n", dim=True)
            emit(form, None, crossing_text(crossing, "apiary", "ported"))
            click.secho("\n$ vast-ferry check ported\n", dim=True)
            emit(form, None, check_text(result, "ported"))
            kept = f"Kept in {out}." if out else "Nothing was kept; --out DIR keeps both projects."
            click.echo(f"\n{kept}")
    sys.exit(0 if result.good and not crossing.blocking else 1)


@cli.group()
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
@FORMAT
def convert(file: str, source: str, to: str, lines: bool, mode: Mode | None, form: str) -> None:
    """Print the native event in FILE (`-`: standard input) in another provider's shape.

    FILE may also be an HTTP request that carries CloudEvents, in any mode of their HTTP binding.
    What the other shape can't hold of it is told on standard error, or under `losses` with --format json.
    """
    import simplejson

    from vast_ferry.events.convert import converter
    from vast_ferry.events.editions import find_source
    from vast_ferry.events.event_message import needs_format, write_message
    from vast_ferry.events.native import FirstLine, open_events, parse_json, read_whole
    from vast_ferry.profiles.registry import editions_of, find_profile
    from vast_ferry.reports.terminal import safe_json

    editions, target = editions_of(source), find_profile(to)
    if mode and (lines or form == "json"):
        raise click.UsageError("--mode prints an HTTP request: give it without --lines and --format json")
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
            for chunk in convert_lines(stream, editions[0], target, shown, render):
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
        if mode:
            sys.stdout.buffer.write(write_message(converted.events, target, mode))
        else:
            encode = simplejson.JSONEncoder(ensure_ascii=False, indent=2, use_decimal=True).encode
            several = converted.events[0] if len(converted.events) == 1 else converted.events
            sys.stdout.write(safe_json(encode(_converted(converted) if form == "json" else several)) + "\n")
        if form == "text":
            told.losses({str(loss): (1, 1) for loss in converted.losses})
            told.unread(dict.fromkeys(converted.unread, (1, 1)), origin.title)


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
        """Tell of keys that no row of the source's profile reads: each once, with its first line."""
        from vast_ferry.reports.terminal import say

        for key, (line, count) in keys.items():
            told = f"{key}: {title}'s profile has no row for it"
            if told not in self._met:
                say(f"{self.shown}:{line}: not read, and lost: {told}")
            self._met[told] = self._met.get(told, 0) + count


cli.add_command(profile)


class Ended(BaseException):
    """A signal asked this process to end; raised, so that everything is put away on the way out."""

    def __init__(self, number: int) -> None:
        self.number = number


def _status_told() -> int:
    """Run the command and return its status, all that it printed written; raises BadInput where it can't be."""
    from vast_ferry.hub.findings import BadInput

    closed = sys.stdout is None
    if closed:  # what is opened next must not stand in its place
        sys.stdout = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115
    status = _status()
    sys.stdout.flush()
    if closed:
        raise BadInput("standard output is closed", "Send it somewhere")
    return status


def run() -> None:
    """Run the command line: a user's mistake is one message and status 2; a signal ends it within a second."""
    from vast_ferry.hub.findings import BadInput
    from vast_ferry.reports.terminal import say

    def end(number: int, _: Any) -> None:
        raise Ended(number)

    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, end)
    try:
        sys.exit(_status_told())
    except BadInput as error:
        for line in str(error).splitlines():
            say(f"vast-ferry: {line}")
        _leave(2)
    except BrokenPipeError:
        _end_by(signal.SIGPIPE)  # whoever read our output has seen enough
    except KeyboardInterrupt:
        _end_by(signal.SIGINT)
    except Ended as ended:
        _end_by(ended.number)
    except OSError as error:
        where = f"{error.filename}: " if error.filename else "standard output or a file: "
        say(f"vast-ferry: {where}{error.strerror or error}. Make room, or check the permissions there")
        _leave(2)


def _status() -> int:
    """Run the command and return its exit status."""
    try:
        returned = cli(prog_name="vast-ferry", standalone_mode=False)
        return returned if isinstance(returned, int) else 0
    except click.exceptions.Abort:
        raise KeyboardInterrupt from None
    except click.ClickException as error:
        error.show()
        return error.exit_code
    except SystemExit as error:
        return error.code if isinstance(error.code, int) else 1


def _leave(status: int) -> None:
    """End with a status, whatever standard output has still to say."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    sys.exit(status)


def _end_by(number: int) -> None:
    """End as one whom a signal ended, with everything put away before."""
    workers = sys.modules.get("vast_ferry.standins.process")
    if workers is not None:
        workers.KEEPER_HERE.close()
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    signal.signal(number, signal.SIG_DFL)
    os.kill(os.getpid(), number)
