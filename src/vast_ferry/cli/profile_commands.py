"""The commands of `vast-ferry profile`: what is known of providers, and a profile of one's own made and tried."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from vast_ferry.cli.options import FORMAT, emit

if TYPE_CHECKING:
    from rich.console import RenderableType

    from vast_ferry.profiles.profile import Profile


@click.group()
def profile() -> None:
    """Providers, as data."""


@profile.command("list")
@FORMAT
def list_profiles(form: str) -> None:
    """Print the profiles that ship."""
    from vast_ferry.profiles.registry import all_profiles
    from vast_ferry.reports.data import profile_data
    from vast_ferry.reports.text import profiles_text

    profiles = all_profiles()
    emit(form, [profile_data(one) for one in profiles], profiles_text(profiles))


@profile.command()
@click.argument("name")
@click.option("--to", metavar="PROVIDER", help="Also print what that provider can't hold of it.")
@click.option("--kind", metavar="KIND", help="Only this kind of event.")
@FORMAT
def show(name: str, to: str | None, kind: str | None, form: str) -> None:
    """Print the rows of profile NAME (a provider, provider@edition, or a profile file)."""
    from rich.console import Group

    from vast_ferry.definitions.tables import checked_definition
    from vast_ferry.gap_finding.shapes import crossing_losses
    from vast_ferry.profiles.registry import find_profile
    from vast_ferry.reports.data import profile_data
    from vast_ferry.reports.text import calls_text, profile_text

    shown = find_profile(name)
    checked_definition(shown)
    target = find_profile(to) if to else None
    kinds = [kind] if kind and shown.kind(kind) else list(shown.kinds)
    losses = {each: crossing_losses(shown, target, each) for each in kinds if each in target.kinds} if target else None
    text: RenderableType = profile_text(shown, kinds, losses, target.title if target else "")
    if shown.clients and not kind:
        text = Group(text, calls_text(shown, target))
    emit(form, profile_data(shown, losses), text)


@profile.command()
@click.argument("name")
@click.option(
    "--examples", type=click.IntRange(1, 10_000), default=200, show_default=True, help="Events a law and kind."
)
@FORMAT
def lint(name: str, examples: int, form: str) -> None:
    """Check that profile NAME (most often a profile file) keeps the laws, on generated events.

    What is written is read back; fused is read and write; every derived loss shows up, and no other difference does.
    The profile is also translated to and from every profile that ships.
    """
    from vast_ferry.checking.lint import lint
    from vast_ferry.definitions.tables import checked_definition
    from vast_ferry.profiles.registry import find_profile
    from vast_ferry.reports.data import lint_data
    from vast_ferry.reports.text import lint_text

    shown = find_profile(name)
    checked_definition(shown)
    results = list(lint(shown, examples))
    emit(form, lint_data(shown, results), lint_text(shown, results))
    sys.exit(1 if any(result.broken for result in results) else 0)


@profile.command()
@click.argument("name")
@click.option("--events", metavar="FOLDER", help="Recorded events, one in each .json file.")
@click.option("--definition", metavar="FILE", help="A file that declares a project's functions.")
@click.option("--out", metavar="FILE", help="Where to write it; NAME-1.yaml if not said.")
def new(name: str, events: str | None, definition: str | None, out: str | None) -> None:
    """Write the beginning of a profile of provider NAME, guessed from recorded events, a definition file, or both.

    Constants, kinds, times, header fields, Base64, entries, routes, schedules and the like are told by their forms;
    each guess is marked as one, and what has no form that says what it is stands there as a comment.
    """
    from vast_ferry.evidence.beginning import begin_profile
    from vast_ferry.hub.findings import BadInput
    from vast_ferry.reports.files import write_report
    from vast_ferry.reports.terminal import print_text

    made = begin_profile(name, events, definition)
    path = Path(out or f"{name}-1.yaml")
    if path.exists():
        raise BadInput(f"{path} is there already", "Give another file with --out, or move that one away")
    write_report(path, made.text)
    print_text(f"{path}: {made.guessed} rows guessed, {made.left} places left for you.")
    print_text(f"Next: vast-ferry profile try {path} {f'{events}/…json' if events else definition}")


@profile.command(name="try")
@click.argument("name")
@click.argument("file")
@click.option("--kind", metavar="KIND", default="", help="Read it as this kind of event.")
@click.option("--to", metavar="PROVIDER", help="Also print what that provider can't hold of it.")
@FORMAT
def try_(name: str, file: str, kind: str, to: str | None, form: str) -> None:
    """Print what profile NAME makes of FILE: an event, a project's definition, or answers with what was seen of them.

    Of a native event (`-`: standard input), row by row: what each row reads; keys that no row reads; hub fields that no
    row feeds, or that stand at their default; what differs when it is written again. Of a project's folder, or the file
    that declares its functions: what is declared, and what does not come back when it is written. Of a YAML list of
    handlers with what their clients saw: what the stand-in makes of each. Exit status 1: something is not read, does
    not come back, or comes out otherwise.
    """
    from vast_ferry.events.compiled import beside
    from vast_ferry.events.native import open_events, parse_json, read_whole
    from vast_ferry.evidence.trying import try_event
    from vast_ferry.hub.findings import BadInput
    from vast_ferry.profiles.registry import find_profile
    from vast_ferry.reports.tried import tried_data, tried_text

    shown = "standard input" if file == "-" else file
    tested, target = find_profile(name), find_profile(to) if to else None
    other = _try_definition if _is_definition(tested, file) else _try_answers if _lists_answers(file) else None
    if other is not None:
        if kind or to:
            raise BadInput(f"{shown} is no event, so --kind and --to say nothing", "Leave them out")
        sys.exit(other(tested, Path(file), form))
    with open_events(file, shown) as stream, beside(Path(file).parent if file != "-" else Path()):
        tried = try_event(tested, parse_json(read_whole(stream, shown), shown), kind=kind, to=target, shown=shown)
    emit(form, tried_data(tried), tried_text(tried, tested, target.title if target else ""))
    sys.exit(0 if tried.good else 1)


def _is_definition(tested: Profile, file: str) -> bool:
    """Tell whether a path is a project's folder, or the file in which a provider's projects declare functions."""
    model = tested.model.definition
    return Path(file).is_dir() or (model is not None and Path(file).name == model.file)


def _lists_answers(file: str) -> bool:
    """Tell whether a file is YAML, as events are not."""
    return file != "-" and Path(file).suffix in (".yaml", ".yml")


def _try_definition(tested: Profile, path: Path, form: str) -> int:
    from vast_ferry.definitions.writing_back import definition_lost
    from vast_ferry.reports.tried import definition_tried_data, definition_tried_text
    from vast_ferry.surveying.survey import survey

    folder = path if path.is_dir() else path.parent
    there = survey(folder, tested)
    lost = definition_lost(tested, folder)
    emit(form, definition_tried_data(there, lost), definition_tried_text(there, lost, str(path)))
    return 1 if lost else 0


def _try_answers(tested: Profile, path: Path, form: str) -> int:
    from vast_ferry.checking.answers_seen import answers_seen
    from vast_ferry.reports.tried import answers_tried_data, answers_tried_text

    seen = list(answers_seen(tested, path))
    emit(form, answers_tried_data(tested, seen), answers_tried_text(tested, seen))
    return 0 if all(one.right for one in seen) else 1


@profile.command()
@click.option("--kind", metavar="KIND", help="Only this kind of event.")
@click.option("--plot", type=click.Path(path_type=Path), help="Also draw it: FILE.png or FILE.svg.")
@click.option("--csv", "table", type=click.Path(path_type=Path), help="Also write it as FILE.csv.")
@FORMAT
def fidelity(kind: str | None, plot: Path | None, table: Path | None, form: str) -> None:
    """Print how much of what each provider's events say the others can hold, for every pair and kind."""
    from vast_ferry.reports.fidelity import check_kind, fidelity_frame, fidelity_text, write_csv, write_plot

    check_kind(kind)
    frame = fidelity_frame(kind)
    if table:
        write_csv(frame, table)
    if plot:
        write_plot(frame, plot)
    emit(
        form, frame.to_dict("records") if form == "json" else None, fidelity_text(frame, kind) if form == "text" else ""
    )


@profile.command()
@FORMAT
def schema(form: str) -> None:
    """Print the JSON Schema of profile files, for an editor's completion."""
    import json

    from vast_ferry.profiles.json_schema import profile_schema

    sys.stdout.write(json.dumps(profile_schema(), indent=2 if form == "text" else None) + "\n")
