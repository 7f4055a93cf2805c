"""Whether a project's definition means the same once it was read, written and read again."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from dataclasses import fields, replace
from pathlib import Path
from typing import Any

from vast_ferry.definitions.project import read_project
from vast_ferry.definitions.writing import write_definition
from vast_ferry.hub.findings import Place
from vast_ferry.hub.functions import Function, Project
from vast_ferry.profiles.profile import Profile

#: Where a project stands in a folder of evidence.
PROJECT = "project"
#: Where something stood is no part of what it says.
_NOWHERE = Place()


def definition_lost(profile: Profile, folder: Path) -> list[str]:
    """Return what of a definition does not come back, each as a clause; an empty list where all of it does.

    Raises BadInput for a definition that can't be read, or can't be written.
    """
    before = read_project(folder, profile)[1]
    with tempfile.TemporaryDirectory(prefix="written-back-") as made:
        # Where no key tells a project's name, its folder does.
        home = Path(made) / (before.name or "project")
        for function in before.functions:  # what an entry means may be told by the files that are there
            file = home / function.entry.file
            file.parent.mkdir(parents=True, exist_ok=True)
            file.touch()
        for path, text in write_definition(before, profile).items():
            file = home / path
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_text(text, encoding="utf-8")
        after = read_project(home, profile)[1]
    unread = [f"{one.place}: {one.reason}" for one in before.findings if one.code == "secret-value"]
    return [*unread, *_differences(before, after)]


def _differences(before: Project, after: Project) -> Iterator[str]:
    for name in ("name", "region"):
        if getattr(before, name) != getattr(after, name):
            yield f"the project's {name} was {getattr(before, name)!r}, and came back as {getattr(after, name)!r}"
    there = {one.name: one for one in after.functions}
    for function in before.functions:
        if function.name not in there:
            yield f"function {function.name} is gone"
        else:
            yield from _of_function(function, there[function.name])
    stages = {one.name: one.functions for one in after.stages}
    for stage in before.stages:
        if stages.get(stage.name) != stage.functions:
            yield f"stage {stage.name} came back as {stages.get(stage.name)!r}, and was {stage.functions!r}"


def _of_function(before: Function, after: Function) -> Iterator[str]:
    for one in fields(Function):
        was, came = _bare(getattr(before, one.name)), _bare(getattr(after, one.name))
        if one.name == "variables" and was != came:  # whose values are nobody's business
            names = sorted({name for name, _ in was.items() ^ came.items()})
            yield f"{before.name}: variables came back otherwise: {', '.join(names)}"
        elif one.name != "place" and was != came:
            yield f"{before.name}: {one.name} was {was!r}, and came back as {came!r}"


def _bare(value: Any) -> Any:
    """Return a value without where it stood; triggers in any order."""
    if isinstance(value, tuple) and any(hasattr(one, "place") for one in value):
        return sorted(repr(replace(one, place=_NOWHERE)) for one in value)
    return value
