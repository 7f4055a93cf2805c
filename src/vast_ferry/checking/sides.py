"""The two sides of a check: where each lies, how a handler is reached there, and the samples that both get."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from pathlib import Path

from vast_ferry.definitions.project import read_project
from vast_ferry.hub.findings import BadInput, Place, nearest
from vast_ferry.hub.functions import PYTHON, Entry, Function, Project
from vast_ferry.profiles.profile import Profile
from vast_ferry.samples.store import FOLDER, Sample, read_sample, sample_files
from vast_ferry.standins.process import Setup
from vast_ferry.standins.scratch import scratch_folder
from vast_ferry.standins.stand_in import stand_in_setup
from vast_ferry.surveying.crossing_file import holds_crossing
from vast_ferry.surveying.files import own_files
from vast_ferry.surveying.record import Record, read_record


@dataclass(frozen=True, slots=True)
class Side:
    """One side: how to reach a function's handler there."""

    profile: Profile
    folder: Path
    project: Project | None  # None where the project routes itself
    without: frozenset[str] = frozenset()  # offers that its server does not make
    brought: tuple[str, ...] = ()  # files that are not the author's

    def setup(self, function: Function, kinds: tuple[str, ...], memory: int, import_limit: float) -> Setup:
        """Return what a worker for a function runs; `memory` in MiB, 0 for what the function declares."""
        handler = self.profile.in_language(function.entry.language).model.handler
        entry = function.entry
        variables, secrets = function.variables, tuple(function.secrets)
        bindings = function.bindings if self.project is not None and self.profile.binds(function) else ()
        here = self.project.function(function.name) if self.project is not None else None
        if handler.entry:
            module, _, name = handler.entry.partition(":")
            suffix = ".py" if function.entry.language == PYTHON else ".mjs"
            entry, variables = Entry(f"{module.replace('.', '/')}{suffix}" if name else module, name), {}
        elif here is not None:
            entry, variables, secrets = here.entry, here.variables, tuple(here.secrets)
            bindings = here.bindings if self.profile.binds(here) else ()
        declared = (here.memory if here else 0) or function.memory or self.profile.model.limits.default_memory
        # What was withheld must be set by hand, on either side: here it is a stand-in's, as a secret is.
        secrets = tuple(dict.fromkeys((*secrets, *function.withheld)))
        return stand_in_setup(
            self.profile,
            self.folder,
            entry,
            kinds,
            function=function.name,
            variables=variables,
            secrets=secrets,
            without=self.without,
            bindings=bindings,
            memory=memory or declared,
            import_limit=import_limit,
            brought=self.brought,
        )

    def at(self, name: str) -> Function | None:
        """Return a function as this side declares it."""
        return self.project.function(name) if self.project else None


def deployed(side: Side, folder: Path, carry_files: Sequence[str]) -> Side:
    """Return a side that runs on a copy of its files, those that would be deployed."""
    folder.mkdir()
    for path in own_files(side.folder, carry_files)[0]:
        target = folder / path
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(side.folder / path, target)
    return replace(side, folder=folder)


@contextmanager
def both_deployed(source: Side, target: Side, carry_files: Sequence[str]) -> Iterator[tuple[Side, Side]]:
    """Give both sides on copies of their files.

    A handler may write beside itself, and hidden files would not be deployed either.
    """
    with scratch_folder() as scratch:
        yield deployed(source, scratch / "source", carry_files), deployed(target, scratch / "target", carry_files)


def refuse_unknown(wanted: Sequence[str], known: Sequence[str]) -> None:
    """Raise BadInput where a function is asked for that is not there."""
    for name in wanted:
        if name not in known:
            raise BadInput(f"there is no function {name!r}{nearest(name, known)}", f"There are: {', '.join(known)}")


def readable_samples(function: str, files: Sequence[tuple[str, Path]], profile: Profile) -> list[Sample]:
    """Return the samples of a function that can be read: the check says which can't."""
    found = []
    for file, top in files:
        with suppress(BadInput):
            found.append(read_sample(function, Path(file), profile, top))
    return found


def source_side(folder: Path, record: Record, moved: Path | None) -> tuple[Side, Project]:
    project = moved or Path(os.path.normpath(folder / record.source.project))
    if not project.is_dir():
        raise BadInput(
            f"the original project is not at {project}", "Say where it lies now with --source", Place(str(folder))
        )
    profile, declared = read_project(project, record.source.find_profile(folder), carry_values=record.carry_values)
    for carried in record.functions:
        if declared.function(carried.name) is None:
            raise BadInput(
                f"the original project no longer has a function {carried.name}", "Carry it again", Place(str(project))
            )
    made = tuple(read_record(project).made) if holds_crossing(project) else ()
    return Side(profile, project, declared, brought=made), declared


def target_side(folder: Path, record: Record, without: frozenset[str]) -> Side:
    profile = record.target.find_profile(folder)
    project = None
    if profile.model.definition:
        project = read_project(folder, profile, carry_values=record.carry_values)[1]
        functions = profile.model.definition.functions
        if functions.usual_name or functions.by_path:
            project = _under_their_names(project, record)
    return Side(profile, folder, project, without, tuple(record.made))


def _under_their_names(project: Project, record: Record) -> Project:
    """Return a carried project whose definition names no functions, with the names that they had before."""
    names: dict[str, list[str]] = {}
    for one in record.functions:
        names.setdefault(one.carried_entry, []).append(one.name)
    made = []
    for function in project.functions:
        left = names.get(f"{function.entry.file}#{function.entry.name}", [])
        made.append(replace(function, name=left.pop(0)) if left else function)
    return replace(project, functions=tuple(made))


def samples_of(side: Side, declared: Project, record: Record, given: list[Path]) -> dict[str, list[tuple[str, Path]]]:
    """Return the sample files of each function that was carried, each with the folder it was found under."""
    carried = [function.name for function in record.functions]
    found: dict[str, list[tuple[str, Path]]] = {name: [] for name in carried}
    default = side.folder / FOLDER
    if not given and not default.is_dir():
        raise BadInput(f"there are no samples: {default} is not there", "Add some, or name them with --samples")
    for top in given or [default]:
        if top.is_file():
            files: Iterator[tuple[str, Path]] = iter([(top.parent.name, top)])
            top = top.parent.parent  # noqa: PLW2901
        elif top.is_dir():
            files = sample_files(top)
        else:
            raise BadInput(f"there is no file or folder {top}", "Give samples that are there")
        for function, path in files:
            if declared.function(function) is None:
                names = [f.name for f in declared.functions]
                raise BadInput(
                    f"samples stand under {function!r}, and there is no such function{nearest(function, names)}",
                    "Name the folder after the function that its samples are for",
                    Place(str(path)),
                )
            if function in found:
                found[function].append((str(path), top))
    if not any(found.values()):
        raise BadInput("there is not a single sample for the functions that were carried", "Add some samples")
    return found
