"""Gaps of settings and secrets: what is read and nowhere declared, what must be set, and where scripts find it."""

from __future__ import annotations

from typing import Final

from vast_ferry.gap_finding.gaps import Gaps
from vast_ferry.hub.findings import Severity
from vast_ferry.hub.functions import Function
from vast_ferry.profiles.profile import Profile
from vast_ferry.surveying.access import ALWAYS_THERE, variables_of


def of_settings(gaps: Gaps, function: Function) -> None:
    """Tell of settings that a function reads, and nobody declared."""
    told: set[str] = set()
    own = variables_of(gaps.source)
    for setting in gaps.needs[function.name].settings:
        held = function.secrets if setting.secret else {**function.variables, **function.secrets}
        if setting.name in held or setting.name in told or setting.name in ALWAYS_THERE or setting.name in own:
            continue
        told.add(setting.name)
        what = "secret" if setting.secret else "variable"
        gaps.note(
            "setting-not-declared",
            Severity.NOTE if setting.given else Severity.BLOCKING,
            f"{function.name} reads the {what} {setting.name}, and no {what} of that name is declared"
            + ("; it does without" if setting.given else ""),
            f"Declare {setting.name}: it may exist on one machine only",
            function=function,
            place=setting.place,
            field=setting.name,
        )


#: How a setting or a secret stands in the environment, in words.
_STANDS: Final = {"values": "its value", "paths": "the path of a file with it", "nowhere": "nothing of it"}


def of_environment(gaps: Gaps, function: Function) -> None:
    """Tell of what a function reads from the environment, and the target does not put there, or in another form."""
    told: set[str] = set()
    for setting in gaps.needs[function.name].settings:
        secret = setting.name in function.secrets
        if setting.secret or setting.name in told or not (secret or setting.name in function.variables):
            continue
        before, after = _stands(gaps.source, secret=secret), _stands(gaps.target, secret=secret)
        if before in ("nowhere", after):
            continue
        told.add(setting.name)
        gaps.note(
            *(("secret-in-file", Severity.BLOCKING) if before == "paths" else ("setting-elsewhere", Severity.TODO)),
            f"{function.name} reads {setting.name} from the environment, where {gaps.source.title} puts "
            f"{_STANDS[before]}, and {gaps.target.title} {_STANDS[after]}",
            f"Ask for it as {gaps.target.title} has it: {_as_there(gaps, secret=secret)} (a rewritten handler does)",
            function=function,
            place=setting.place,
            field=setting.name,
        )


def _stands(profile: Profile, *, secret: bool) -> str:
    there = profile.model.environment
    return there.secrets if secret else "values" if there.settings else "nowhere"


def _as_there(gaps: Gaps, *, secret: bool) -> str:
    """Return how the target's handlers ask for a setting or a secret."""
    model, wanted = gaps.target.model, "secret" if secret else "setting"
    rows = [str(row.at) for row in model.context if row.is_ == wanted]
    around = [
        f"{module}.{name}"
        for module, one in model.surroundings.items()
        for name, what in one.items()
        if what == wanted or (not secret and what in ("settings", "typed_settings"))
    ]
    there = {"paths": "the file at os.environ[name]", "values": "os.environ[name]"}.get(
        _stands(gaps.target, secret=secret)
    )
    return next(iter([*rows, *around, *([there] if there else [])]), "see its manual")


def of_secrets(gaps: Gaps, function: Function) -> None:
    """Tell of secrets whose values somebody must set there."""
    for name, reference in function.secrets.items():
        gaps.note(
            "secret-to-set",
            Severity.TODO,
            f"{function.name} reads secret {name} (reference {reference}); its value is not carried",
            f"Make the secret {name} at {gaps.target.title} before the first call",
            function=function,
            field=f"secrets.{name}",
        )


def of_scripts(gaps: Gaps) -> None:
    """Note what a script that is run from a handler elsewhere does not have any more."""
    handler = gaps.source.model.handler
    if not handler.script or gaps.target.name == gaps.source.name:
        return
    for function in gaps.carried:
        if handler.mount:
            gaps.note(
                "folder-partly-there",
                Severity.LOSS,
                f"{function.name} runs in a folder ({handler.mount.variable}) that holds only the object its event "
                "tells of; what it changes there goes to the services",
                "Make sure that it reads nothing else there",
                function=function,
                field=handler.mount.variable,
            )
        if function.secrets and not gaps.target.model.handler.script:
            gaps.note(
                "secret-in-environment",
                Severity.BLOCKING,
                f"{function.name} finds its secrets ({', '.join(sorted(function.secrets))}) in the environment, "
                f"and {gaps.target.title} gives them to handlers only",
                "Set them as variables there from its vault, or rewrite the script",
                function=function,
                field="secrets",
            )


def of_region(gaps: Gaps) -> None:
    """Tell that a region is to be chosen."""
    definition = gaps.target.model.definition
    if gaps.project.region and definition and definition.region:
        gaps.note(
            "region-to-choose",
            Severity.TODO,
            f"region {gaps.project.region} is a place of the old provider",
            f"Set `{definition.region}` in {definition.file}",
            field="region",
        )
