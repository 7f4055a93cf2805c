"""The check's result as one HTML page that needs nothing else: no network, no script; light and dark, screen and paper.

Whatever came from outside goes through the template's escaping.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final

import jinja2
from markupsafe import Markup

from vast_ferry.checking.compare import Verdict
from vast_ferry.checking.result import Checked, CheckResult
from vast_ferry.hub.findings import Finding, Severity
from vast_ferry.probing.deliveries import DeliveriesResult
from vast_ferry.probing.strength import StrengthResult
from vast_ferry.reports.probed import event_in_short
from vast_ferry.reports.sources import Sources
from vast_ferry.reports.times_plot import ratio_in_words, times_by_function

_WORDS: Final = {
    Severity.BLOCKING: "blocking",
    Severity.LOSS: "can't be held",
    Severity.TODO: "to do",
    Severity.NOTE: "to know",
}
_WORST: Final = (Verdict.DIFFERS, Verdict.UNHELD, Verdict.UNCHECKED, Verdict.SAME)


@dataclass(frozen=True, slots=True)
class _Function:
    """One function: its samples, the worst first, how many are the same, and the worst verdict."""

    name: str
    samples: tuple[Checked, ...]

    @property
    def same(self) -> int:
        return sum(one.verdict is Verdict.SAME for one in self.samples)

    @property
    def worst(self) -> str:
        return str(self.samples[0].verdict) if self.samples else "unchecked"


def check_page(
    result: CheckResult,
    strength: StrengthResult | None = None,
    deliveries: DeliveriesResult | None = None,
    sources: Sequence[Sources] = (),
    *,
    told: Sequence[Finding] = (),
    times: str = "",
) -> str:
    """Return the page: a summary, functions with a difference first, every difference place by place.

    With a `strength` it also tells, function by function, what the samples run and which faults they notice; with
    `deliveries` what breaks where events come as the target may deliver them; with `sources` both sides' code. `told`
    are the findings of the carry, `times` a picture (SVG) of how long each side took.
    """
    by_name: dict[str, list[Checked]] = {name: [] for name in result.without_samples}
    for one in result.checked:
        by_name.setdefault(one.function, []).append(one)
    functions = [
        _Function(name, tuple(sorted(samples, key=lambda one: _WORST.index(one.verdict))))
        for name, samples in by_name.items()
    ]
    functions.sort(key=lambda one: _WORST.index(one.samples[0].verdict) if one.samples else -1)
    notes = [f"No sample: {', '.join(result.without_samples)}"] if result.without_samples else []
    if result.edited:
        notes.append(f"Changed since they were carried: {', '.join(result.edited)}")
    if result.not_held:
        notes.append(f"Handlers could not be kept from {', '.join(result.not_held)} on this system")
    environment = jinja2.Environment(
        autoescape=True, trim_blocks=True, lstrip_blocks=True, undefined=jinja2.StrictUndefined
    )
    template = environment.from_string(Path(__file__).with_name("check_page.html.j2").read_text(encoding="utf-8"))
    counts = {str(verdict): result.count(verdict) for verdict in Verdict}
    strong = {one.function: one for one in strength.functions} if strength else {}
    return template.render(
        result=result,
        functions=functions,
        counts=counts,
        notes=notes,
        strength=strength,
        in_short=event_in_short,
        strong=strong,
        deliveries=deliveries,
        sources=sources,
        severities=[(_WORDS[one], sum(each.severity == one for each in told)) for one in Severity],
        words=_WORDS,
        told=sorted(told, key=lambda one: ([*Severity].index(one.severity), one.function)),
        times=Markup(times),  # noqa: S704  (drawn here; Matplotlib escapes the names in it)
        ratios={name: ratio_in_words(own) for name, own in times_by_function(result).items()} if times else {},
    )
