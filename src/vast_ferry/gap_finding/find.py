"""Asking what of a project won't carry across to a provider: the project looked at, then every topic of gaps."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from vast_ferry.definitions.secrecy import masked
from vast_ferry.gap_finding import delivery, left, limits, services, settings, shapes, stages, state, triggers
from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.hub.findings import BadInput, Severity
from vast_ferry.hub.functions import PYTHON, Stage, language_of
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import find_profile
from vast_ferry.surveying.record import home_of
from vast_ferry.surveying.survey import FOLLOWED, Survey, survey
from vast_ferry.translate.python.rewriting import rewrite


def gaps(
    project: Path | str,
    *,
    to: str | Profile,
    source: str | Profile | None = None,
    handlers: bool | None = None,
    progress: Progress = quietly,
) -> Gaps:
    """Return what of a project won't carry across to provider `to`, before anything is written.

    With `handlers` the findings of rewriting them are among those, such as which have to be wrapped, and why; without
    it being said, that is done for up to 40 functions. `progress` is told how far it is.
    Raises BadInput for a project that can't be read, an unknown provider, or the one where the project is already.
    """
    target = find_profile(to) if isinstance(to, str) else to
    there = survey(project, source, fields=False, progress=progress)
    if there.profile.name == target.name:
        raise BadInput(f"the project is at {target.title} already", "Name another provider with --to")
    found = gaps_of(there, target)
    comes_back = home_of(folder, target) if (folder := Path(project)).is_dir() else None
    python = [one for one in found.carried if one.entry.language == PYTHON]
    if python and not comes_back and (handlers or (handlers is None and len(found.carried) <= FOLLOWED)):
        contents = {path: (folder / path).read_bytes() for path in there.own if path not in there.project.files}
        made = rewrite(
            there.profile,
            target,
            python,
            contents,
            module_name="crossing",
            limit=found.limit_of,
            trees=there.scanned.trees,
            progress=progress,
        )
        found.findings += [*made.findings, *made.wrapped.values()]
    found.findings = [replace(one, reason=masked(one.reason, there.project.withheld)) for one in found.findings]
    return found


#: What is asked of each function that goes there, and of the project as a whole, in this order: a new topic is a page,
#: and a line here.
OF_EACH = (
    triggers.of_triggers,
    services.of_bindings,
    settings.of_settings,
    settings.of_environment,
    settings.of_secrets,
    state.of_state,
)
OF_ALL = (
    *(settings.of_scripts, triggers.of_routes, delivery.of_delivery, limits.of_limits, stages.of_stages),
    *(settings.of_region, shapes.of_shapes, shapes.of_evidence),
)


def gaps_of(there: Survey, target: Profile) -> Gaps:
    """Return what of a surveyed project won't carry across to a provider, its functions each in their own language."""
    languages = dict.fromkeys(function.entry.language for function in there.project.functions)
    if set(languages) <= {PYTHON}:
        return _gaps_of(there, target)
    whole = Gaps(there.profile, target, there.project, there.scanned, there.needs)
    order = {function.name: number for number, function in enumerate(there.project.functions)}
    for language in languages:
        part = _gaps_of(_in_language(there, language), target.in_language(language))
        whole.findings += [one for one in part.findings if one not in whole.findings]
        whole.carried = sorted([*whole.carried, *part.carried], key=lambda one: order[one.name])
        whole.left = sorted([*whole.left, *part.left], key=lambda one: order[one.name])
        whole.fitted |= part.fitted
        whole.stages = _together(whole.stages, part.stages)
    return whole


def _in_language(there: Survey, language: str) -> Survey:
    """Return what is there of one language: its functions, its files, and the provider as they meet it."""
    functions = tuple(one for one in there.project.functions if one.entry.language == language)
    names = {one.name for one in functions}
    stages = tuple(
        replace(stage, functions={name: one for name, one in stage.functions.items() if name in names})
        for stage in there.project.stages
    )
    files = {path: scan for path, scan in there.scanned.files.items() if (language_of(path) or PYTHON) == language}
    return replace(
        there,
        profile=there.profile.in_language(language),
        project=replace(there.project, functions=functions, stages=stages),
        scanned=replace(there.scanned, files=files),
    )


def _together(ours: Sequence[Stage], theirs: Sequence[Stage]) -> list[Stage]:
    """Return the same stages with what either says of its functions."""
    if not ours:
        return list(theirs)
    return [
        replace(one, functions={**one.functions, **other.functions}) for one, other in zip(ours, theirs, strict=True)
    ]


def _gaps_of(there: Survey, target: Profile) -> Gaps:
    project = there.project
    gaps = Gaps(there.profile, target, project, there.scanned, there.needs, [*project.findings])
    for function in project.functions:
        left.sort(gaps, function)
    gaps.findings += there.scanned.findings
    services.of_calls(gaps)
    for function in gaps.carried:
        gaps.fitted[function.name] = gaps.fit(function)
        for topic in OF_EACH:
            topic(gaps, function)
    for whole in OF_ALL:
        whole(gaps)
    for note in target.model.notes:
        gaps.note("at-target", Severity.NOTE, note, "Keep it in mind when you deploy", field=target.title)
    for path, (why, remedy) in there.left.items():
        gaps.note("file-left-behind", Severity.NOTE, f"{path} was not carried: {why}", remedy)
    return gaps
