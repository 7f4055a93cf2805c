"""Which edition of a provider something is of, where its name alone does not say: by what only one of them allows.

Nothing is guessed. An edition is ruled out by a definition or an event that it can't read, by a setting beyond its
limits, and by an event that would have happened before there were any such functions (milliseconds read as nanoseconds
are a day in 1970). What is left may still differ in what handlers get. Where the code never mentions any place that
differs, it does not matter which edition is taken; where it does, one clear message asks.
"""

from __future__ import annotations

import ast
import functools
import json
import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, Final

from vast_ferry.definitions.declared import code_files
from vast_ferry.definitions.project import definition_files, read_project
from vast_ferry.documents.document import read_file
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.hub.functions import Project
from vast_ferry.hub.kinds import REQUEST
from vast_ferry.mapping.compile.functions import translate_event
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.places import Access, Attr, Item
from vast_ferry.mapping.tables import HUB_EVENTS, EventShape
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import editions_of, find_profile

#: No event is older than functions are.
OLDEST: Final = "2000"
#: So many samples are looked at.
MOST_SAMPLES: Final = 200
_TIMES: Final = ("time", "due")


def find_source(name: str, data: Any, shown: str, line: int = 1) -> Profile:
    """Return the profile that a name means for this native event; raises BadInput where it could be several."""
    editions = editions_of(name)
    if len(editions) < 2:
        return find_profile(name)
    read = {one.name: (one, found) for one in editions if (found := _read_any(data, one)) is not None}
    likely = {key: pair for key, pair in read.items() if not _too_old(pair[1])} or read
    if not likely:
        return editions[-1]  # whose reader says what is wrong
    first, *others = likely.values()
    if all(fields == first[1] for _, fields in others):
        return next(reversed(likely.values()))[0]
    what = next(key for _, fields in others for key in first[1][0] if fields[0].get(key) != first[1][0][key])
    names = " or ".join(likely)
    raise BadInput(
        f"this could be an event of {names}, which read its {what} differently",
        f"Say which: {', or '.join(f'--from {one}' for one in likely)}",
        Place(shown, line),
    )


@functools.lru_cache(maxsize=128)
def _reader(profile: Profile, kind: str) -> Any:
    return run_source(translate_event("read_event", profile.kind(kind).event.on_file(), HUB_EVENTS[kind]))


def _at(data: Any, at: Access) -> Any:
    for key in at.on_file:
        data = data[key]
    return data


def _read_any(data: Any, profile: Profile) -> list[dict[str, Any]] | None:
    """Return the events in native data as hub fields, if a profile can read it as any kind."""
    for kind, tables in profile.kinds.items():
        shape = tables.event
        try:
            filed = shape.on_file()
            told = shape.envelope if shape.each else filed.constants
            if not all(_at(data, one.at) == one.value for one in told if isinstance(one.value, str)):
                continue
            entries = [data] if shape.each is None else _at(data, shape.each)
            if isinstance(entries, list):
                return [_reader(profile, kind)(entry) for entry in entries]
        except Exception:  # noqa: S112  (it is of another kind, or of another provider)
            continue
    return None


def _too_old(events: Sequence[dict[str, Any]]) -> bool:
    times = [str(event[name]) for event in events for name in _TIMES if event.get(name)]
    return bool(times) and all(time < OLDEST for time in times)


# --- projects --------------------------------------------------------------------------------------------------------


def find_edition(folder: Path, name: str | None) -> Profile | None:
    """Return the profile of a project whose provider is named without an edition, or not at all.

    Nothing is returned where only reading the definition tells; raises BadInput where it could be several.
    """
    named = find_profile(name) if name else None
    candidates = editions_of(name) if name else definition_files(folder)
    if len(candidates) < 2 or len({one.provider for one in candidates}) > 1:
        return candidates[0] if name and len(candidates) == 1 else named
    left: list[tuple[Profile, Project]] = []
    errors: list[BadInput] = []
    for one in candidates:
        try:
            left.append((one, read_project(folder, one)[1]))
        except BadInput as error:
            errors.append(error)
    if not left:
        raise errors[0]
    fewest = min(_strangers(project) for _, project in left)
    left = [(one, project) for one, project in left if _strangers(project) == fewest]
    left = [pair for pair in left if not _beyond_limits(*pair)] or left
    if len(left) > 1:
        left = _by_samples(folder, left)
    if len(left) == 1 or not _mentions_differences(folder, [one for one, _ in left]):
        return left[0][0]
    names = [one.name for one, _ in left]
    raise BadInput(
        f"{folder} could be a project of {' or '.join(names)}, whose handlers get different events",
        f"Say which: {', or '.join(f'--from {one}' for one in names)}",
    )


def _strangers(project: Project) -> int:
    """Return how many keys of a definition an edition does not know."""
    return sum(finding.code == "unknown-key" for finding in project.findings)


def _beyond_limits(profile: Profile, project: Project) -> bool:
    limits = profile.model.limits
    for function in project.functions:
        longest = limits.longest if REQUEST in function.kinds else (limits.longest_event or limits.longest)
        memory = limits.memory
        most = max([*memory.sizes, memory.most]) if memory else 0
        if (longest and function.timeout > longest) or (most and function.memory > most):
            return True
        if limits.concurrency and function.concurrency > limits.concurrency:
            return True
    return False


def _native_samples(folder: Path) -> Iterator[Any]:
    for path in sorted((folder / "samples").rglob("*.json"))[:MOST_SAMPLES]:
        try:
            yield json.loads(read_file(path, str(path), "the sample"))
        except (BadInput, ValueError, RecursionError):
            continue


def _by_samples(folder: Path, left: list[tuple[Profile, Project]]) -> list[tuple[Profile, Project]]:
    """Return the editions that no native sample of a project rules out."""
    for data in _native_samples(folder):
        read = {one.name: found for one, _ in left if (found := _read_any(data, one)) is not None}
        good = {name for name, found in read.items() if not _too_old(found)}
        if good:
            left = [pair for pair in left if pair[0].name in good]
    return left


def _mentions_differences(folder: Path, editions: Sequence[Profile]) -> bool:
    """Tell whether a project's code mentions, by its name, any place of an event in which editions differ."""
    words = _differing(tuple(editions))
    if not words:
        return False
    found = re.compile("|".join(rf"\b{re.escape(word)}\b" for word in sorted(words)))
    for path in code_files(folder):
        try:
            text = path.read_text(encoding="utf-8", errors="replace")
            if not found.search(text):
                continue
            for node in ast.walk(ast.parse(text)):
                name = node.value if isinstance(node, ast.Constant) else getattr(node, "attr", None)
                if isinstance(name, str) and name in words:
                    return True
        except (OSError, SyntaxError, ValueError, RecursionError):
            continue
    return False


@functools.lru_cache(maxsize=16)
def _differing(editions: tuple[Profile, ...]) -> frozenset[str]:
    """Return the last names of the places that not all editions read alike."""
    words: set[str] = set()
    for kind in {kind for one in editions for kind in one.kinds}:
        shapes = [one.kinds[kind].event for one in editions if kind in one.kinds]
        tables = [_places(shape) for shape in shapes]
        for place in {place for table in tables for place in table}:
            if len({table.get(place) for table in tables}) > 1 or len(shapes) < len(editions):
                words.add(place[-1])
    return frozenset(words)


def _places(shape: EventShape) -> dict[tuple[str, ...], tuple[str, str]]:
    """Return what each place of an event means: its path by names, the field, and the lens."""
    found = {}
    for row in shape.rows:
        names = [name for step in row.at.steps if (name := _name_of(step))]
        if names:
            found[tuple(names)] = (row.field, str(row.lens))
    return found


def _name_of(step: Any) -> str:
    if isinstance(step, Attr):
        return step.name
    return step.key if isinstance(step, Item) and isinstance(step.key, str) else ""
