"""Which functions of a crossing a change concerns: those whose handlers reach what changed, by name."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from pathlib import Path

from vast_ferry.checking.sides import Side, source_side, target_side
from vast_ferry.hub.functions import Project
from vast_ferry.samples.store import FOLDER
from vast_ferry.surveying.files import own_files
from vast_ferry.surveying.record import Record, read_record
from vast_ferry.surveying.scan import scan_project


def affected(crossing: Path, changed: Collection[Path]) -> list[str]:
    """Return the functions that changed files concern, in the order of the record.

    A sample concerns its function; a file that handlers reach concerns these; anything else (the definition, the
    record, a file that nobody is known to reach) concerns all. Raises BadInput where a side can't be read.
    """
    record = read_record(crossing)
    names = [one.name for one in record.functions]
    here, declared = source_side(crossing, record, None)
    there = target_side(crossing, record, frozenset())
    found: set[str] = set()
    for path in {one.resolve() for one in changed}:
        own: set[str] = set()
        for side, entries in ((here, _entries(declared)), (there, _carried(record))):
            top = side.folder.resolve()
            if not path.is_relative_to(top):
                continue
            parts = path.relative_to(top).parts
            if side is here and parts[0] == FOLDER:
                own |= {parts[1]} if len(parts) > 2 else set(names)
            else:
                own |= _reaching(side, "/".join(parts), entries, declared, record)
        found |= own or set(names)
    return [name for name in names if name in found]


def _entries(project: Project) -> dict[str, tuple[str, str]]:
    return {one.name: (one.entry.file, one.entry.name) for one in project.functions}


def _carried(record: Record) -> dict[str, tuple[str, str]]:
    made = {}
    for one in record.functions:
        file, _, name = one.carried_entry.partition("#")
        made[one.name] = file, name
    return made


def _reaching(
    side: Side, path: str, entries: Mapping[str, tuple[str, str]], declared: Project, record: Record
) -> set[str]:
    """Return the functions whose entries reach a file of a side; none where that can't be told."""
    own = own_files(side.folder, record.carry_files)[0]
    scanned = scan_project(side.folder, own, side.profile, declared.functions)
    return {name for name, entry in entries.items() if any(file == path for file, _ in scanned.reached(*entry))}
