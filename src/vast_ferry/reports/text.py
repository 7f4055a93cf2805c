"""Results as text for people, through rich; colour and width are the terminal's."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from itertools import groupby
from typing import TYPE_CHECKING

from rich.console import Group, RenderableType
from rich.live import Live
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from vast_ferry.checking.compare import Verdict
from vast_ferry.hub.fields import EVENTS
from vast_ferry.hub.findings import Finding, Severity
from vast_ferry.mapping.clients import client_losses
from vast_ferry.mapping.losses import Broken, Loss
from vast_ferry.mapping.tables import Row
from vast_ferry.profiles.profile import Profile
from vast_ferry.reports.terminal import console

if TYPE_CHECKING:  # what is only named here would load a great deal
    from vast_ferry.checking.lint import Linted
    from vast_ferry.checking.result import Checked, CheckResult
    from vast_ferry.crossing.carry import Crossing

VERDICT_STYLE = {
    Verdict.SAME: "green",
    Verdict.DIFFERS: "bold red",
    Verdict.UNHELD: "bold magenta",
    Verdict.UNCHECKED: "bold yellow",
}
SEVERITY_STYLE = {
    Severity.BLOCKING: "bold red",
    Severity.LOSS: "magenta",
    Severity.TODO: "yellow",
    Severity.NOTE: "cyan",
}
SEVERITY_HEADING = {
    Severity.BLOCKING: "Act before you rely on it",
    Severity.LOSS: "What the target can't hold",
    Severity.TODO: "To do at the target",
    Severity.NOTE: "Good to know",
}
#: So many samples are listed one by one; of more, those that are not the same.
LISTED = 40

#: Of findings of one code, so many are listed.
MOST_ALIKE = 20
#: Of what a handler printed, so many lines are shown.
MOST_PRINTED = 8


def heading(left: str, right: str) -> Text:
    """Return a line that says from where to where."""
    return Text.assemble((left, "bold"), "  ", (right, "dim"))


def crossing_text(crossing: Crossing, project: str, out: str) -> RenderableType:
    """Return what was carried, and what a person must know of it, worst first."""
    record = crossing.record
    parts: list[RenderableType] = [
        heading(project, f"{crossing.source} → {crossing.target}, written to {out}"),
        Text(),
    ]
    edits = Counter(edit.file for edit in record.edits)
    for function in record.functions:
        how = Text.assemble("    ", function.entry, (" is called by ", "dim"), function.carried_entry)
        if function.style == "native":
            file = function.entry.partition("#")[0]
            made = f", {edits[file]} edits in its file" if edits[file] else ", as it was"
            how = Text.assemble("    ", function.carried_entry, (f" is rewritten{made}", "dim"))
        elif function.home:
            how = Text.assemble("    ", function.carried_entry, (" is what it was", "dim"))
        parts += [Text(f"  {function.name}", "bold"), how]
    for name in record.left_behind:
        parts += [Text.assemble((f"  {name}", "bold"), ("  left behind", SEVERITY_STYLE[Severity.BLOCKING]))]
    parts.append(Text())
    for severity, findings in groupby(crossing.findings, key=lambda finding: finding.severity):
        parts += [Text(SEVERITY_HEADING[severity], SEVERITY_STYLE[severity]), findings_table(findings), Text()]
    count = len(crossing.files)
    parts.append(Text(f"{count} files written. Prove them: vast-ferry check {out}"))
    return Group(*parts)


def findings_table(findings: Iterable[Finding]) -> RenderableType:
    """Return findings by what to do about them: where, why, and the remedy under those that share it.

    Of one code no more are listed than a person would read; how many more there are is told.
    """
    by_remedy: dict[str, list[Finding]] = {}
    for finding in findings:
        by_remedy.setdefault(finding.remedy, []).append(finding)
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(no_wrap=True, style="bold")
    table.add_column()
    listed: Counter[str] = Counter()
    for remedy, group in by_remedy.items():
        shown = [
            finding for finding in group if listed[finding.code] < MOST_ALIKE and not listed.update([finding.code])
        ]
        if not shown:
            continue
        for finding in shown:
            table.add_row(finding.about, Text.assemble(finding.reason, (f"  {finding.code}", "dim")))
        table.add_row("", Text(f"↳ {remedy}", "italic"))
    every = Counter(finding.code for group in by_remedy.values() for finding in group)
    for code, count in every.items():
        if count > MOST_ALIKE:
            table.add_row("", Text(f"and {count - MOST_ALIKE:,} more of {code}; --format json has them all", "dim"))
    return Padding(table, (0, 0, 0, 2))


def check_text(result: CheckResult, title: str, *, every: bool = False) -> RenderableType:
    """Return the verdicts, function by function; where answers differ, the place and both values.

    Samples that are the same are counted, and listed where `every` one is asked for.
    """
    parts: list[RenderableType] = [
        heading(title, f"{result.source} and {result.target}, side by side"),
        Text(),
    ]
    if result.not_held:
        parts += [
            Text("Handlers ran less contained than they should: on this system", "yellow"),
            *(Text(f"  {one}", "yellow") for one in result.not_held),
            Text(),
        ]
    parts += _functions(result, every)
    for name in result.without_samples:
        parts += [
            Text.assemble((name, "bold"), ("  no samples: nothing was proven", VERDICT_STYLE[Verdict.UNCHECKED])),
            Text(),
        ]
    if result.findings:
        parts += [Text(SEVERITY_HEADING[Severity.TODO], SEVERITY_STYLE[Severity.TODO]), findings_table(result.findings)]
        parts.append(Text())
    for name in result.failing:
        parts.append(
            Text(
                f"{name}: the original fails on every sample, so what it is for was not seen",
                VERDICT_STYLE[Verdict.UNCHECKED],
            )
        )
    for name in result.unreached:
        parts.append(
            Text(
                f"{name}: no sample comes to its handler, for no route of it fits; correct method and path of one",
                VERDICT_STYLE[Verdict.UNCHECKED],
            )
        )
    if result.edited:
        parts.append(Text(f"Changed since they were carried: {', '.join(result.edited)}", "yellow"))
    parts.append(_sum(result))
    return Group(*parts)


def _functions(result: CheckResult, every: bool) -> list[RenderableType]:
    functions: dict[str, list[Checked]] = {name: [] for name in result.counted}
    for one in result.checked:
        functions.setdefault(one.function, []).append(one)
    parts: list[RenderableType] = []
    spaced = True
    # What is not the same comes first; of the rest a line a function says enough.
    for name, checked in sorted(
        functions.items(), key=lambda item: all(one.verdict is Verdict.SAME for one in item[1])
    ):
        more = result.counted.get(name, 0)
        same = sum(one.verdict is Verdict.SAME for one in checked) + more
        parts.append(Text.assemble((name, "bold"), (f"  {same} of {len(checked) + more} same", "dim")))
        shown = [one for one in checked if every or one.verdict is not Verdict.SAME or _notable(one)]
        spaced = bool(shown)
        if shown:
            parts += [Padding(_samples(shown), (0, 0, 0, 2)), Text()]
    return parts if spaced else [*parts, Text()]


def _all_same(checked: list[Checked]) -> bool:
    return all(one.verdict is Verdict.SAME for one in checked)


def _samples(checked: list[Checked]) -> Table:
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(no_wrap=True)
    table.add_column(no_wrap=True, overflow="ellipsis", max_width=36)
    table.add_column()
    for one in checked:
        table.add_row(Text(one.verdict, VERDICT_STYLE[one.verdict]), one.sample, _details(one))
    return table


def _notable(one: Checked) -> bool:
    """Tell whether there is more to say of a sample than that it is the same."""
    return bool(one.varies) or not one.reached


def _details(one: Checked) -> RenderableType:
    if one.verdict is Verdict.SAME:
        line = Text(one.expected.removeprefix("replied "))
        if not one.reached:
            line.append("  by the provider: no handler was called", "dim")
        if one.varies:
            line.append(f"  varies by itself, compared as far as it does not: {', '.join(one.varies)}", "yellow")
        return line
    if one.verdict is Verdict.UNCHECKED:
        return Text("; ".join(one.reasons))
    table = Table.grid(padding=(0, 1, 0, 0))
    table.add_column(no_wrap=True, min_width=24)
    table.add_column(no_wrap=True, style="dim")
    table.add_column(overflow="fold")
    # Where a loss explains all of it, a few are enough to see what became of the answer.
    most = 2 if one.verdict is Verdict.UNHELD else 8
    for difference in one.differences[:most]:
        table.add_row(Text(difference.at, "bold"), "original", Text(difference.expected))
        table.add_row("", "carried", Text(difference.got, VERDICT_STYLE[one.verdict]))
    parts: list[RenderableType] = [table]
    if len(one.differences) > most:
        parts.append(Text(f"and {len(one.differences) - most} more", "dim"))
    parts += [Text(f"because {reason}", "magenta") for reason in one.reasons]
    if one.output and one.verdict is Verdict.DIFFERS:
        # The end says most: the last line of a traceback is the error.
        lines = one.output.strip().splitlines()
        cut = ["…"] if len(lines) > MOST_PRINTED else []
        parts.append(Text("\n".join(["it printed:", *cut, *lines[-MOST_PRINTED:]]), "dim"))
    return Group(*parts)


def _sum(result: CheckResult) -> Text:
    line = Text(f"{result.total} sample{'' if result.total == 1 else 's'}: ")
    for index, verdict in enumerate(Verdict):
        count = result.count(verdict)
        line.append(", " if index else "").append(f"{verdict} {count}", VERDICT_STYLE[verdict] if count else "dim")
    line.append(".")
    if result.unproven:
        line.append(f" Nothing was proven of {', '.join(result.unproven)}.", VERDICT_STYLE[Verdict.UNCHECKED])
    return line


def losses_text(losses: Iterable[Loss]) -> RenderableType:
    """Return losses, those that change a meaning first."""
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(no_wrap=True)
    table.add_column(no_wrap=True)
    table.add_column()
    for loss in losses:
        kind = Text("harmless", "cyan") if loss.harmless else Text("loss", "magenta")
        reason = loss.reason + (f" (unless the server offers {loss.unless})" if loss.unless else "")
        table.add_row(kind, loss.field, reason)
    return Padding(table, (0, 0, 0, 2))


def profiles_text(profiles: list[Profile]) -> RenderableType:
    """Return the profiles that ship, a line each."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    for column in ("profile", "handler", "declared in", "kinds of event"):
        table.add_column(column, no_wrap=column == "profile")
    for profile in profiles:
        model = profile.model
        declared = model.definition.file if model.definition else model.files[0].path if model.files else ""
        handler = f"({', '.join(model.handler.parameters)})"
        without = [kind for kind in EVENTS if kind not in profile.kinds]
        kinds = f"all but {without[0]}" if len(without) == 1 else ", ".join(profile.kinds)
        kinds = kinds if without else "all"
        table.add_row(Text(profile.name, "bold"), handler, declared, kinds)
    return table


def profile_text(
    profile: Profile, kinds: Sequence[str], losses: Mapping[str, Sequence[Loss]] | None, to: str
) -> RenderableType:
    """Return a profile's rows, native place beside hub field, and what another can't hold of them, kind by kind."""
    parts: list[RenderableType] = [heading(profile.title, profile.model.about)]
    for name in kinds:
        kind = profile.kinds[name]
        batch = f"  batches, at {kind.event.each}" if kind.event.each else ""
        parts += [Text(), Text.assemble((f"{name} event", "bold"), (batch, "dim")), _rows(kind.event.rows)]
        for form in kind.reply.forms if kind.reply else ():
            fixed = ", ".join(f"{field} = {value}" for field, value in form.fixed.items())
            if not form.rows and not fixed:
                continue
            told = f"  {form.short_name or form.when}{', ' + fixed if fixed else ''}"
            parts += [Text(), Text.assemble((f"{name} reply", "bold"), (told, "dim"))]
            if form.rows:
                parts.append(_rows(form.rows))
        if losses is not None:
            parts += [Text(), Text(f"What {to} can't hold of {name}", "bold")]
            if name not in losses:
                parts.append(Text(f"  {to} has no {name} events", SEVERITY_STYLE[Severity.BLOCKING]))
            elif losses[name]:
                parts.append(losses_text(losses[name]))
            else:
                parts.append(Text("  nothing: all of it arrives", "green"))
    return Group(*parts)


def calls_text(profile: Profile, target: Profile | None) -> RenderableType:
    """Return how handlers of a profile reach services, and by which calls of another's the same is done."""
    table = Table.grid(padding=(0, 2, 0, 0))
    for client in profile.clients:
        there: list[RenderableType] = []
        if target is not None:
            theirs = target.operations.get(client.operation)
            lost = [loss.field for loss in client_losses(theirs, client)] if theirs else []
            there = [Text(theirs.called if theirs else "no way there", "" if theirs else "red")]
            there.append(Text(f"but not {', '.join(lost)}" if lost else "", "magenta"))
        called = f"{'await ' * client.awaited}{client.called}({', '.join(client.takes)})"
        table.add_row(called, Text(client.operation, "cyan"), *there)
    about = f"  and the same at {target.title}" if target else ""
    return Group(Text(), Text.assemble(("calls of services", "bold"), (about, "dim")), Padding(table, (0, 0, 0, 2)))


def lint_text(profile: Profile, results: Sequence[Linted]) -> RenderableType:
    """Return which laws a profile keeps, kind by kind; where one is broken, how, and an event that shows it."""
    parts: list[RenderableType] = [heading(profile.title, profile.model.about), Text()]
    table = Table.grid(padding=(0, 2, 0, 0))
    order = list(dict.fromkeys(result.kind for result in results))
    for kind, group in groupby(sorted(results, key=lambda one: order.index(one.kind)), key=lambda one: one.kind):
        for index, result in enumerate(group):
            holds = Text("holds", "green") if result.broken is None else Text("broken", "bold red")
            holds = Text("unseen", "yellow") if result.unseen else holds
            about = "" if index else kind or "definition"
            table.add_row(Text(about, "bold"), holds, f"{result.law} {result.other}".strip())
            if result.unseen:
                table.add_row("", "", Text(result.unseen, "yellow"))
            if result.broken:
                shown = f"\nshown by {_told(result.broken)}" if result.broken.event else ""
                table.add_row("", "", Text(f"{result.broken.why}{shown}", "red"))
    broken = sum(result.broken is not None for result in results)
    end = Text(f"{broken} broken." if broken else "Every law holds.", "bold red" if broken else "green")
    return Group(*parts, Padding(table, (0, 0, 0, 2)), Text(), end)


def _told(broken: Broken) -> str:
    fields = EVENTS.get(broken.kind, {})
    said = {
        name: value for name, value in broken.event.items() if name not in fields or value != fields[name].default_value
    }
    return ", ".join(f"{name}={value!r}" for name, value in said.items()) or "every event"


def _rows(rows: Iterable[Row]) -> RenderableType:
    table = Table.grid(padding=(0, 2, 0, 0))
    for row in rows:
        arrow = Text("→" if row.derived else "↔", "dim")
        lens = "" if str(row.lens) == "plain" else str(row.lens)
        lens += f", flag {row.flag}" if row.flag else ""
        table.add_row(str(row.at), arrow, row.shown or row.field, Text(lens, "cyan"))
    return Padding(table, (0, 0, 0, 2))


class RunningCount:
    """Shows a count on the terminal that grows by itself, twice a second."""

    def __init__(self, what: str, count: Callable[[], int]) -> None:
        self._what, self._count = what, count
        self._live = Live(get_renderable=self._line, console=console(stderr=True), refresh_per_second=2, transient=True)

    def _line(self) -> Text:
        return Text(f"{self._what} {self._count():,}", "dim")

    def __enter__(self) -> None:
        self._live.start()

    def __exit__(self, *_: object) -> None:
        self._live.stop()
