"""A project looked at as it is: what is declared, what the code calls and reads, what stands behind it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from vast_ferry.definitions.project import read_project
from vast_ferry.definitions.secrecy import masked
from vast_ferry.definitions.wording import trigger_text
from vast_ferry.events.editions import find_edition
from vast_ferry.hub.findings import Finding, worst_first
from vast_ferry.hub.functions import PYTHON, Project
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.profiles.profile import Profile
from vast_ferry.surveying.access import Needs, needs_of, services_of
from vast_ferry.surveying.crossing_file import holds_crossing
from vast_ferry.surveying.files import own_files
from vast_ferry.surveying.reading import Reading, readings
from vast_ferry.surveying.record import read_record
from vast_ferry.surveying.scan import Scanned, scan_entry, scan_project


@dataclass(frozen=True, slots=True)
class Survey:
    """What is there: the project as declared, what its code says, and what each function needs.

    `own` are the files that would be deployed, `left` those that would not: path → (why, remedy).
    """

    profile: Profile
    project: Project
    scanned: Scanned
    needs: Mapping[str, Needs]
    own: Sequence[str]
    left: Mapping[str, tuple[str, str]]
    readings: Mapping[str, Reading] = field(default_factory=dict)

    @property
    def services(self) -> dict[str, list[str]]:
        """Return the buckets, channels, tables, schedules and signals that are used, by kind."""
        return services_of(self.project.functions, self.needs.values())

    @property
    def findings(self) -> list[Finding]:
        """Return what could not be understood, worst first."""
        hidden = self.project.withheld
        scanned = [replace(one, reason=masked(one.reason, hidden)) for one in self.scanned.findings]
        return worst_first([*self.project.findings, *scanned])

    def as_data(self) -> dict[str, Any]:
        """Return what is there as plain data: every function with its triggers, settings by name, what it needs."""
        return {
            "provider": self.profile.name,
            "project": self.project.name,
            "region": self.project.region,
            "stages": [stage.name for stage in self.project.stages],
            "functions": [
                {
                    "name": function.name,
                    "entry": f"{function.entry.file}#{function.entry.name}",
                    "place": str(function.place),
                    "kinds": list(function.kinds),
                    "triggers": [trigger_text(trigger) for trigger in function.triggers],
                    "language": function.language,
                    "memory": function.memory,
                    "timeout": function.timeout,
                    "attempts": function.attempts,
                    "dead_letter": function.dead_letter,
                    "variables": sorted(function.variables),
                    "secrets": sorted(function.secrets),
                    "reads": sorted({setting.name for setting in self.needs[function.name].settings}),
                    "access": [str(access) for access in self.needs[function.name].access],
                    "computed": [str(use.place) for use in self.needs[function.name].unknown],
                    **(self.readings[function.name].as_data() if function.name in self.readings else {}),
                }
                for function in self.project.functions
            ],
            "other_languages": [asdict(other) | {"place": str(other.place)} for other in self.project.others],
            "services": self.services,
            "findings": [finding.as_data() for finding in self.findings],
            "not_deployed": {path: why for path, (why, _) in self.left.items()},
        }


#: Of so many functions, what their handlers read is followed without being asked for.
FOLLOWED = 40


def survey(
    project: Path | str,
    source: str | Profile | None = None,
    *,
    fields: bool | None = None,
    carry_values: Sequence[str] = (),
    carry_files: Sequence[str] = (),
    progress: Progress = quietly,
) -> Survey:
    """Return what is in a project: functions, triggers, settings, secrets by name, services and calls of them.

    With `fields` it is told as well what each handler reads of its event, answers and calls, with lines; without it
    being said, that is done for up to 40 functions, for it takes as long again.
    Variables that are plainly secrets, and files that are plainly keys, are told and left out, but for those named in
    `carry_values`, and those that a pattern in `carry_files` fits.
    Nothing is run and nothing is written; `progress` is told how far it is. Raises BadInput, with file and
    line, for a project that can't be read or an entry that points nowhere.
    """
    folder = Path(project)
    wanted = source if isinstance(source, Profile) else None
    before = read_record(folder) if holds_crossing(folder) else None
    if before:  # what was asked for when it was carried holds on
        carry_values, carry_files = [*carry_values, *before.carry_values], [*carry_files, *before.carry_files]
    if source is None and before:  # which knows its edition, as no definition does
        wanted = before.target.find_profile(folder)
    if wanted is None:
        wanted = find_edition(folder, source if isinstance(source, str) else None)
    profile, read = read_project(folder, wanted, carry_values=carry_values)
    own, left = own_files(folder, carry_files)
    progress(f"reading {len(own)} files")
    scanned = scan_project(folder, own, profile, read.functions)
    for done, function in enumerate(read.functions, 1):
        progress(f"{done} of {len(read.functions)} functions looked at")
        scan_entry(folder, function, scanned, script=profile.model.handler.script)
    needs = {function.name: needs_of(function, scanned) for function in read.functions}
    told: Mapping[str, Reading] = {}
    if fields or (fields is None and len(read.functions) <= FOLLOWED):
        contents = {path: (folder / path).read_bytes() for path in own}
        progress(f"following {len(read.functions)} handlers")
        told = readings(profile, [one for one in read.functions if one.entry.language == PYTHON], contents)
    return Survey(profile, read, scanned, needs, own, left, told)
