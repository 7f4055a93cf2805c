"""A crossing that goes back to where it came from: its handlers are what they were, so nothing needs to be wrapped."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from vast_ferry.hub.findings import Finding, Severity
from vast_ferry.hub.functions import JAVASCRIPT, Entry, Function, language_of
from vast_ferry.profiles.profile import Profile
from vast_ferry.surveying.access import needs_of
from vast_ferry.surveying.crossing_file import FILE
from vast_ferry.surveying.record import FunctionRecord, Record
from vast_ferry.surveying.scan import imported_by, scan_project
from vast_ferry.surveying.survey import Survey


def as_at_home(there: Survey, record: Record, home: Profile, folder: Path) -> Survey:
    """Return a surveyed crossing with the entries that its functions had, and the author's own files alone.

    A function that was added since then keeps its entry, and is told in a finding: it is written for another provider.
    """
    before = {one.name: one for one in record.functions}
    made = {*record.made, FILE}
    own = [path for path in there.own if path not in made]
    # What was emitted for handlers that were rewritten goes with them.
    contents = {path: (folder / path).read_bytes() for path in own if path.endswith(".py")}
    modules = {path.removesuffix(".py"): path for path in record.made if path.endswith(".py") and "/" not in path}
    provided = {*home.model.modules, *home.model.decorators, *(client.root for client in home.clients)}
    own += [modules[name] for name in sorted(imported_by(contents, modules)) if name not in provided]
    own += _linked(folder, own, record)
    functions = []
    findings = list(there.project.findings)
    for function in there.project.functions:
        if function.name not in before:
            findings.append(
                Finding(
                    "added-since",
                    Severity.BLOCKING,
                    f"{function.name} was added after the project was carried: it is written for {there.profile.title}",
                    "Write it anew for the provider where the project goes back to",
                    function.place,
                    function.name,
                )
            )
        functions.append(_as_before(function, before.get(function.name), record, made))
    project = replace(there.project, functions=tuple(functions), findings=tuple(findings))
    as_before, as_now = (scan_project(folder, own, profile, functions) for profile in (home, there.profile))
    rewritten = {name for name, one in before.items() if one.style == "native"}
    needs = {f.name: needs_of(f, as_now if f.name in rewritten else as_before) for f in functions}
    return replace(there, project=project, own=own, scanned=as_now if rewritten else as_before, needs=needs)


def _linked(folder: Path, own: list[str], record: Record) -> list[str]:
    """Return the emitted modules that files in JavaScript still link to by their paths."""
    emitted = [path for path in record.made if path.endswith(".mjs") and "/" not in path]
    texts = [(folder / path).read_bytes() for path in own if language_of(path) == JAVASCRIPT] if emitted else []
    found = [path for path in emitted if any(f"/{path}".encode() in text for text in texts)]
    return [path for path in found if not path.startswith(record.source.provider.partition("@")[0])]


def _as_before(function: Function, before: FunctionRecord | None, record: Record, made: set[str]) -> Function:
    if before is None:
        return function
    if before.style == "native":  # rewritten: it is what it is now, behind what was made to declare or start it
        file, _, name = before.carried_entry.partition("#")
        return replace(function, entry=Entry(file, name)) if function.entry.file in made else function
    file, _, name = before.entry.partition("#")
    return replace(function, entry=Entry(record.moved.get(file, file), name), bindings=tuple(before.bindings))
