"""Results as plain data that JSON can hold; names here are relied on by scripts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, fields
from typing import TYPE_CHECKING, Any

from vast_ferry.checking.compare import Verdict
from vast_ferry.mapping.losses import Loss
from vast_ferry.mapping.tables import Row
from vast_ferry.profiles.profile import Profile

if TYPE_CHECKING:  # what is only named here would load a great deal
    from vast_ferry.checking.lint import Linted
    from vast_ferry.checking.result import Checked, CheckResult
    from vast_ferry.crossing.carry import Crossing
    from vast_ferry.events.convert import Converted
    from vast_ferry.gap_finding.gaps import Gaps
    from vast_ferry.gap_finding.price import Bill


def crossing_data(crossing: Crossing, out: str) -> dict[str, Any]:
    """Return a crossing: where it was written, its functions, its findings (worst first), its files."""
    record = crossing.record
    return {
        "out": out,
        "source": crossing.source,
        "target": crossing.target,
        "functions": [function.model_dump() for function in record.functions],
        "left_behind": record.left_behind,
        "findings": [finding.as_data() for finding in crossing.findings],
        "checklist": [asdict(need) for need in record.checklist],
        "files": sorted(crossing.files),
        "blocking": crossing.blocking,
    }


def gaps_data(gaps: Gaps, bills: Mapping[str, Bill], crossings: Sequence[int]) -> dict[str, Any]:
    """Return what won't carry across, worst first, the checklist, and bills step by step."""
    return {
        "source": gaps.source.title,
        "target": gaps.target.title,
        "blocking": gaps.blocking,
        "functions": [function.name for function in gaps.carried],
        "left_behind": [function.name for function in gaps.left],
        "findings": [finding.as_data() for finding in gaps.worst_first],
        "checklist": [asdict(need) for need in gaps.checklist()],
        "bills": {
            title: {"coin": one.coin, "total": one.total, "steps": [asdict(step) for step in one.steps]}
            for title, one in bills.items()
        },
        "same_cost_at": list(crossings),
    }


def check_data(result: CheckResult) -> dict[str, Any]:
    """Return a check: counts of every verdict, then every sample."""
    return {
        "source": result.source,
        "target": result.target,
        "good": result.good,
        "counts": {str(verdict): result.count(verdict) for verdict in Verdict},
        "unproven": list(result.unproven),
        "failing": list(result.failing),
        "unreached": list(result.unreached),
        "not_held": list(result.not_held),
        "findings": [finding.as_data() for finding in result.findings],
        "edited": list(result.edited),
        "samples": [_checked_data(checked) for checked in result.checked],
    }


def _checked_data(checked: Checked) -> dict[str, Any]:
    """Return one sample's verdict without its times: what is told of a check is the same each time."""
    # Of a hundred thousand, `asdict` as a whole would take a while.
    data = {one.name: getattr(checked, one.name) for one in fields(checked) if one.name != "took"}
    return data | {"verdict": str(checked.verdict), "differences": [asdict(one) for one in checked.differences]}


def loss_data(loss: Loss) -> dict[str, Any]:
    """Return a loss without its test."""
    return {
        "code": loss.code,
        "field": loss.field,
        "when": loss.when,
        "effect": loss.effect,
        "harmless": loss.harmless,
        "unless": loss.unless,
    }


def converted_data(converted: Converted) -> dict[str, Any]:
    """Return a converted event and the losses that it met."""
    losses = [loss_data(loss) for loss in converted.losses]
    return {"events": converted.events, "losses": losses, "unread": list(converted.unread)}


def profile_data(profile: Profile, losses: Mapping[str, Sequence[Loss]] | None = None) -> dict[str, Any]:
    """Return a profile: what it says of itself, its rows, kind by kind, and losses by kind."""
    model = profile.model
    data: dict[str, Any] = {
        "provider": model.provider,
        "edition": model.edition,
        "title": model.title,
        "about": model.about,
        "standard": model.standard,
        "handler": list(model.handler.parameters),
        "definition": model.definition.file if model.definition else None,
        "kinds": {
            name: {
                "batch": str(kind.event.each) if kind.event.each else None,
                "event": [row_data(row) for row in kind.event.rows],
                "reply": [
                    {"when": form.when, "written": form.written, "rows": [row_data(row) for row in form.rows]}
                    for form in (kind.reply.forms if kind.reply else ())
                ],
            }
            for name, kind in profile.kinds.items()
        },
    }
    data["calls"] = [
        {"call": client.called, "does": client.operation, "takes": list(client.takes), "awaited": client.awaited}
        for client in profile.clients
    ]
    if losses is not None:
        data["losses"] = {kind: [loss_data(loss) for loss in found] for kind, found in losses.items()}
    return data


def lint_data(profile: Profile, results: list[Linted]) -> dict[str, Any]:
    """Return which laws a profile keeps, and the smallest event that shows each that it does not."""
    return {
        "profile": profile.name,
        "good": not any(result.broken for result in results),
        "laws": [
            {
                "kind": result.kind,
                "law": result.law,
                "holds": result.broken is None and not result.unseen,
                "unseen": result.unseen or None,
                "between": result.other or None,
                "why": result.broken.why if result.broken else None,
                "event": repr(result.broken.event) if result.broken else None,
            }
            for result in results
        ],
    }


def row_data(row: Row) -> dict[str, Any]:
    """Return a row as its profile has it."""
    return {
        "at": str(row.at),
        "is": row.field,
        "as": str(row.lens),
        "derived": row.derived,
        "optional": row.optional,
        "flag": str(row.flag) if row.flag else None,
    }
