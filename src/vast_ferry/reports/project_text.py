"""Surveys and gaps as text for people, through rich."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import groupby

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from vast_ferry.definitions.wording import trigger_text
from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.gap_finding.price import Bill
from vast_ferry.hub.functions import RUNS_ON, Function, Need
from vast_ferry.reports.text import SEVERITY_HEADING, SEVERITY_STYLE, findings_table, heading
from vast_ferry.surveying.access import variables_of
from vast_ferry.surveying.survey import Survey

#: Of a project with more functions than these, each has a line of its own and no more.
SHORT_FROM = 40


def survey_text(there: Survey, title: str) -> RenderableType:
    """Return what is in a project: its functions, what stands behind them, and what was not understood."""
    project = there.project
    place = f", {project.region}" if project.region else ""
    count = len(project.functions)
    about = f"{project.name}: {count} function{'' if count == 1 else 's'} at {there.profile.title}{place}"
    if project.others:
        languages = ", ".join(dict.fromkeys(other.language for other in project.others))
        about += f", and {len(project.others)} in other languages ({languages})"
    if project.stages:
        about += f", stages {', '.join(stage.name for stage in project.stages)}"
    parts: list[RenderableType] = [heading(title, about), Text()]
    parts.append(
        _functions_short(there) if count > SHORT_FROM else Group(*(_function(there, f) for f in project.functions))
    )
    services = there.services
    if services:
        parts.append(Text("Behind them", "bold"))
        table = Table.grid(padding=(0, 2, 0, 0))
        for kind, names in services.items():
            shown = ", ".join(names[:SHORT_FROM]) + (f" and {len(names) - SHORT_FROM} more" * (len(names) > SHORT_FROM))
            table.add_row({"object": "buckets", "message": "channels", "record": "tables"}.get(kind, f"{kind}s"), shown)
        parts += [Padding(table, (0, 0, 0, 2)), Text()]
    for severity, findings in groupby(there.findings, key=lambda finding: finding.severity):
        parts += [Text(SEVERITY_HEADING[severity], SEVERITY_STYLE[severity]), findings_table(findings), Text()]
    if there.left:
        parts.append(Text(f"Not deployed: {', '.join(there.left)}", "dim"))
    return Group(*parts)


def _functions_short(there: Survey) -> RenderableType:
    table = Table.grid(padding=(0, 2, 0, 0))
    for function in there.project.functions:
        triggers = "; ".join(trigger_text(trigger) for trigger in function.triggers) or "called directly"
        table.add_row(Text(function.name, "bold"), triggers)
    return Group(table, Text())


def _where(places: Iterable[str], file: str) -> str:
    """Return lines, with their file where it is not the handler's own."""
    return "(" + " ".join(place.removeprefix(f"{file}:") for place in places) + ")"


def _limits(function: Function) -> str:
    limits = [
        f"{RUNS_ON[function.entry.language]} {function.language}" if function.language else "",
        f"{function.memory} MiB" if function.memory else "",
        f"{function.timeout:g} s" if function.timeout else "",
        f"{function.attempts} attempts" if function.attempts else "",
    ]
    return ", ".join(limit for limit in limits if limit)


def _what_it_does(there: Survey, function: Function) -> Iterator[tuple[str, str]]:
    """Yield what a function reads of its event, answers and does, each with the word that stands before it."""
    reading, needs = there.readings.get(function.name), there.needs[function.name]
    for word, lines in (("event", reading.reads), ("answers", reading.answers)) if reading is not None else ():
        told = [
            f"{'computed' if what == '?' else what.replace('.plain', '')} {_where(places, function.entry.file)}"
            for what, places in sorted(lines.items())
        ]
        if told:
            yield word, ", ".join(told)
    does = [str(access) for access in needs.access]
    for use in needs.unknown:
        kind, _, verb = use.client.operation.partition(".")
        does.append(f"{verb} {kind} by a computed name")
    if does:
        yield "does", ", ".join(dict.fromkeys(does))
    if function.dead_letter:
        yield "fails to", function.dead_letter


def _function(there: Survey, function: Function) -> RenderableType:
    entry = (
        function.entry.file if there.profile.model.handler.script else f"{function.entry.file}#{function.entry.name}"
    )
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(no_wrap=True, style="dim", min_width=7)
    for trigger in function.triggers or ():
        table.add_row("on", trigger_text(trigger))
    if not function.triggers:
        table.add_row("on", "a direct call")
    settings = [*(f"{name}" for name in function.variables), *(f"{name} (secret)" for name in function.secrets)]
    if settings:
        table.add_row("has", ", ".join(settings))
    needs = there.needs[function.name]
    declared = {*function.variables, *function.secrets, *variables_of(there.profile)}
    reads = dict.fromkeys(one.name for one in needs.settings if one.name not in declared and not one.given)
    if reads:
        table.add_row("reads", Text(f"{', '.join(reads)}: not declared", "yellow"))
    for word, told in _what_it_does(there, function):
        table.add_row(word, told)
    first = Text.assemble((function.name, "bold"), "  ", entry, "  ", (_limits(function), "dim"))
    return Group(first, Padding(table, (0, 0, 0, 2)), Text())


def gaps_text(gaps: Gaps, title: str, bills: Mapping[str, Bill], crossings: Sequence[int]) -> RenderableType:
    """Return what won't carry across, worst first, what must be there first, and what a month costs at both ends."""
    carried, left = len(gaps.carried), len(gaps.left) + len(gaps.project.others)
    about = f"{gaps.source.title} → {gaps.target.title}: {carried} of {carried + left} functions can be carried"
    parts: list[RenderableType] = [heading(title, about), Text()]
    for severity, findings in groupby(gaps.worst_first, key=lambda finding: finding.severity):
        listed = list(findings)
        parts += [
            Text.assemble((SEVERITY_HEADING[severity], SEVERITY_STYLE[severity]), (f"  {len(listed)}", "dim")),
            findings_table(listed),
            Text(),
        ]
    parts.append(checklist_text(gaps.checklist(), gaps.target.title))
    if bills:
        parts += [Text(), bills_text(bills, crossings)]
    blocking = sum(finding.severity == "blocking" for finding in gaps.findings)
    end = f"{blocking} blocking." if blocking else "Nothing is blocking."
    parts += [Text(), Text(end, SEVERITY_STYLE[gaps.worst_first[0].severity] if blocking else "green")]
    return Group(*parts)


def checklist_text(needs: Iterable[Need], target: str) -> RenderableType:
    """Return what must exist at the target before the first call, by what it is."""
    parts: list[RenderableType] = []
    for by_hand, group in groupby(needs, key=lambda need: need.by_hand):
        about = f"Before the first call at {target}" if by_hand else "Declared by the definition that is written"
        table = Table.grid(padding=(0, 2, 0, 0))
        for what, same in groupby(group, key=lambda need: need.what):
            listed = list(same)
            for index, need in enumerate(listed[:SHORT_FROM]):
                users = ", ".join(need.functions[:4]) + (
                    f" and {len(need.functions) - 4} more" * (len(need.functions) > 4)
                )
                table.add_row(
                    Text("☐" if by_hand else " "), Text("" if index else what, "bold"), need.name, Text(users, "dim")
                )
            if len(listed) > SHORT_FROM:
                table.add_row("", "", Text(f"and {len(listed) - SHORT_FROM:,} more", "dim"))
        parts += [Text(about, "bold" if by_hand else "dim"), Padding(table, (0, 0, 1, 2))]
    return Group(*parts)


def bills_text(bills: Mapping[str, Bill], crossings: Sequence[int]) -> RenderableType:
    """Return the bills step by step, side by side in one table."""
    parts: list[RenderableType] = [Text("What a month costs", "bold")]
    for title, one in bills.items():
        table = Table.grid(padding=(0, 2, 0, 0))
        table.add_column(no_wrap=True)
        table.add_column()
        table.add_column(justify="right", no_wrap=True)
        for step in one.steps:
            table.add_row(step.what, Text(step.sum, "dim"), "" if step.amount is None else f"{step.amount:,.2f}")
        table.add_row(Text("in all", "bold"), "", Text(f"{one.total:,.2f} {one.coin}", "bold"))
        parts += [Text(f"  {title}"), Padding(table, (0, 0, 1, 4))]
    if len(bills) > 1:
        told = ", ".join(f"{count:,}" for count in crossings)
        parts.append(
            Text(
                f"  The two cost the same at {told} calls a month." if told else "  Neither overtakes the other.", "dim"
            )
        )
    return Group(*parts)
