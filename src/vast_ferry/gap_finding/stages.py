"""Gaps of stages, and each stage as it fits at the target."""

from __future__ import annotations

from dataclasses import replace

from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.hub.findings import Severity
from vast_ferry.hub.functions import Stage


def of_stages(gaps: Gaps) -> None:
    """Fit every stage to the target, and tell what it can't say."""
    model = gaps.target.model.definition
    if model is None or model.stages is None:
        for stage in gaps.project.stages:
            gaps.note(
                "stage-not-held",
                Severity.BLOCKING,
                f"stage {stage.name} is declared, and {gaps.target.title} has no stages",
                "Carry the project once for each stage, under another name",
                place=stage.place,
                field=f"stages.{stage.name}",
            )
        return
    for stage in gaps.project.stages:
        missing = [f.name for f in gaps.carried if stage.only and f.name not in stage.only]
        if missing:
            gaps.note(
                "stage-without-functions",
                Severity.NOTE if model.stages.only else Severity.BLOCKING,
                f"stage {stage.name} does not have {', '.join(missing)}: a call there is refused"
                + ("" if model.stages.only else f"; at {gaps.target.title} each stage has all"),
                "Make sure that this is meant",
                place=stage.place,
                field=f"stages.{stage.name}",
            )
        gaps.stages.append(_stage(gaps, stage))


def _stage(gaps: Gaps, stage: Stage) -> Stage:
    """Return a stage as it fits at the target: of the functions that go there, what can be said of each."""
    model = gaps.target.model.definition
    held = {row.field for row in model.functions.rows} if model else set()
    fit = {
        "memory": gaps.memory,
        "timeout": gaps.timeout,
        "language": gaps.language,
        "attempts": gaps.attempts,
        "concurrency": gaps.concurrency,
    }
    carried = {function.name: function for function in gaps.carried}
    functions = {}
    for name, overlay in stage.functions.items():
        if name not in carried:
            continue
        there = replace(carried[name], name=f"{name} (stage {stage.name})", place=stage.place, **overlay)
        made = {}
        for key, value in overlay.items():
            if key in held:
                made[key] = fit[key](there) if key in fit else value
                continue
            gaps.note(
                "stage-not-held",
                Severity.BLOCKING,
                f"stage {stage.name} sets {key.replace('_', ' ')} of {name}, and {gaps.target.title} has no way to "
                "say that",
                "See to it by hand there",
                function=carried[name],
                place=stage.place,
                field=f"stages.{stage.name}.{key}",
            )
        for secret in overlay.get("secrets", {}):
            gaps.note(
                "secret-to-set",
                Severity.TODO,
                f"{name} reads secret {secret} in stage {stage.name}; its value is not carried",
                f"Make the secret {secret} at {gaps.target.title} before the first call",
                function=carried[name],
                place=stage.place,
                field=f"secrets.{secret}",
            )
        functions[name] = made
    return replace(stage, functions=functions, only=tuple(name for name in stage.only if name in carried))
