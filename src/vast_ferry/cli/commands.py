"""The commands of `vast-ferry`. Every import of the library stands inside a command: `--version` loads none of it."""

from __future__ import annotations

import contextlib
import os
import signal
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vast_ferry import __version__
from vast_ferry.cli.event_commands import event
from vast_ferry.cli.options import FORMAT, Finite, emit, named_value, telling
from vast_ferry.cli.probed import Probed, Wanted, probe
from vast_ferry.cli.profile_commands import profile
from vast_ferry.cli.running_commands import call, serve

if TYPE_CHECKING:
    from vast_ferry.checking.result import CheckResult


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
@click.option("--plot", type=click.Path(path_type=Path), help="Also draw how long handlers took (.png, .svg).")
@click.option("--function", "functions", multiple=True, metavar="NAME", help="Check these functions alone.")
@click.option("--all", "every", is_flag=True, help="List the samples that are the same as well.")
@click.option("--watch", is_flag=True, help="Check again what a change concerns, until Ctrl-C.")
@click.option("--bundle", type=click.Path(path_type=Path), help="Also see that nothing is missing, and write FILE.zip.")
@click.option("--find-links", multiple=True, type=click.Path(path_type=Path), help="Of these, folders with wheels.")
@click.option("--cluster", default="", metavar="ADDRESS", help="Let the workers of a Dask cluster run the samples.")
@click.option("--strength", is_flag=True, help="Also plant small faults, and tell which of them the samples notice.")
@click.option("--deliveries", is_flag=True, help="Also deliver events as the target may: twice, in another order, …")
@click.option("--seconds", type=Finite(1, 36_000), default=120.0, help="Plant faults for so long at most.")
@click.option(
    "--report",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Also write it: FILE.html, FILE.json, FILE.xml (JUnit), FILE.sarif.",
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
    plot: Path | None,
    functions: Sequence[str],
    every: bool,
    watch: bool,
    bundle: Path | None,
    find_links: Sequence[Path],
    cluster: str,
    strength: bool,
    deliveries: bool,
    seconds: float,
    report: Sequence[Path],
    form: str,
) -> None:
    """Prove a CROSSING: run the original and the carried functions side by side on sample events.

    With --against URL the samples that are requests go to an endpoint that runs (deployed, or served here), and its
    answers are compared with the original's.
    """
    from vast_ferry.reports.files import check_report_paths
    from vast_ferry.surveying.crossing_file import crossing_file

    check_report_paths(report, ".html", ".json", ".xml", ".sarif")
    check_report_paths([bundle] if bundle else [], ".zip")
    if plot is not None:
        from vast_ferry.reports.cost_plot import check_plot_path

        check_plot_path(plot)
    if against and cluster:
        raise click.UsageError("--cluster runs both sides: give it without --against")
    if not against:
        crossing_file(crossing)  # which is told at once, before anything else is loaded

    from rich.console import Group

    from vast_ferry.reports.data import check_data
    from vast_ferry.reports.text import check_text

    if against:
        result = _checked_against(crossing, against, rate, limit, header, samples)
    else:
        options = {"samples": samples, "without": without, "limit": limit, "memory": memory or 0, "source": source}
        options["cluster"] = cluster
        if watch:
            from vast_ferry.cli.watching import watching

            watching(crossing, source, functions, form, lambda names: run_check(crossing, functions=names, **options))
        # What nobody asked to see is only counted.
        seen = every or bool(report) or plot is not None or form == "json"
        result = run_check(crossing, functions=functions, every=seen, **options)
    if plot is not None:
        from vast_ferry.reports.times_plot import plot_times

        plot_times(result, plot)
    probed = Probed()
    if not against:
        asked = {"samples": samples, "functions": functions, "limit": limit, "memory": memory or 0}
        wanted = Wanted(strength, deliveries, seconds, bundle, tuple(find_links))
        probed = probe(crossing, asked, wanted)
    data = check_data(result) | probed.data() if report or form == "json" else {}
    text = Group(check_text(result, str(crossing), every=every), *probed.texts())
    _write_reports(report, crossing, result, probed, data)
    emit(form, data, text)
    sys.exit(0 if result.good and probed.whole else 1)


def _write_reports(
    paths: Sequence[Path], crossing: Path, result: CheckResult, probed: Probed, data: dict[str, Any]
) -> None:
    """Write a check in every form that is asked for, by the names of the files."""
    if not paths:
        return
    from vast_ferry.reports.check_page import check_page
    from vast_ferry.reports.files import write_json, write_report
    from vast_ferry.reports.for_machines import junit, sarif
    from vast_ferry.reports.sources import sources_of
    from vast_ferry.reports.times_plot import times_svg
    from vast_ferry.surveying.crossing_file import holds_crossing
    from vast_ferry.surveying.record import read_record

    for path in paths:
        if path.suffix == ".html":
            of_crossing = holds_crossing(crossing)
            told = [one.finding() for one in read_record(crossing).findings] if of_crossing else []
            sources = sources_of(crossing) if of_crossing else []
            page = check_page(result, probed.strength, probed.deliveries, sources, told=told, times=times_svg(result))
            write_report(path, page)
        elif path.suffix == ".xml":
            write_report(path, junit(result))
        else:
            write_json(path, data if path.suffix == ".json" else sarif(result, crossing, probed.findings))


def _checked_against(
    crossing: Path, address: str, rate: float, limit: float, header: Sequence[str], samples: Sequence[Path]
) -> CheckResult:
    """Return what comes of sending a project's requests to an endpoint; credentials stand in the environment alone."""
    from vast_ferry.checking.against import Endpoint, check_against
    from vast_ferry.hub.findings import BadInput

    headers = {}
    for one in header:
        name, variable = named_value(one, "--header")
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
    from vast_ferry.profiles.registry import find_profile
    from vast_ferry.reports.data import check_data, crossing_data
    from vast_ferry.reports.text import check_text, crossing_text
    from vast_ferry.standins.scratch import scratch_folder

    to = to or TARGET
    target = find_profile(to)  # its path is looked up from here, and not from where the demo stands
    with contextlib.ExitStack() as stack:
        folder = out or stack.enter_context(scratch_folder())
        copy_demo(folder, language)
        with contextlib.chdir(folder):
            crossing = carry_project("apiary", to=target, out="ported")
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


for one in (profile, event, call, serve):
    cli.add_command(one)


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
