"""`crossing.json`: the record of one crossing, read and written."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from vast_ferry.hub.findings import BadInput, Finding, Place, Severity
from vast_ferry.hub.functions import Binding, Need
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import find_profile
from vast_ferry.surveying.crossing_file import crossing_file, holds_crossing


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid")


class PlaceRecord(_Model):
    """Where a finding stands."""

    file: str = ""
    line: int = 0
    column: int = 0


class FindingRecord(_Model):
    """A finding as kept on file."""

    code: str
    severity: Severity
    reason: str
    remedy: str
    place: PlaceRecord = PlaceRecord()
    function: str = ""
    field: str = ""
    about: str = ""

    def finding(self) -> Finding:
        """Return the finding."""
        place = Place(self.place.file, self.place.line, self.place.column)
        return Finding(self.code, self.severity, self.reason, self.remedy, place, self.function, self.field)


class SideRecord(_Model):
    """One side of a crossing: provider with edition; project, and profile file if it does not ship, relative."""

    provider: str
    project: str = "."
    profile: str = ""
    started_by: str = ""  # the module that starts the project, where the usual name was taken

    def find_profile(self, crossing: Path) -> Profile:
        """Return the profile of this side of the crossing in a folder."""
        found = find_profile(str(crossing / self.profile) if self.profile else self.provider)
        return found.started_by(self.started_by)


class FunctionRecord(_Model):
    """One function that was carried: the author's entry, and the entry at the target."""

    name: str
    style: Literal["wrapped", "native"]
    entry: str
    carried_entry: str
    home: bool = Field(False, description="it came back to where it came from, as it was")
    bindings: list[Binding] = Field([], description="declared inputs and outputs that became parameters")


class EditRecord(_Model):
    """One edit of a rewritten handler: why, and where it stands before and after.

    Places are [line, column, end line, end column] from 1, columns in bytes of UTF-8, the end exclusive.
    """

    file: str
    reason: str
    before: list[int]
    after: list[int]


class Record(_Model):
    """What was carried from where to where, what every file's digest was, and what a person must know."""

    made_by: Literal["vast-ferry"] = "vast-ferry"
    format: Literal[1] = 1
    source: SideRecord
    target: SideRecord
    functions: list[FunctionRecord]
    left_behind: list[str] = Field([], description="functions that were not carried")
    carry_values: list[str] = Field([], description="variables that were carried although they look like secrets")
    carry_files: list[str] = Field([], description="files that were carried although their names say they are secret")
    findings: list[FindingRecord] = []
    survey: dict[str, Any] = Field({}, description="what was there, as `vast-ferry survey --format json` tells it")
    checklist: list[Need] = Field([], description="what must exist at the target before the first call")
    edits: list[EditRecord] = Field([], description="what was changed in the author's own files, edit by edit")
    files: dict[str, str] = Field({}, description="path → SHA-256 of what was written")
    made: list[str] = Field([], description="those of the files that are not the author's own")
    moved: dict[str, str] = Field({}, description="files of the author's that stand elsewhere now → where")

    def to_text(self) -> str:
        """Return the record as JSON text, the same for the same crossing."""
        return self.model_dump_json(indent=2) + "\n"


def read_record(folder: Path) -> Record:
    """Return the record of the crossing in a folder; raises BadInput where there is none that can be read."""
    path = crossing_file(folder)
    try:
        return Record.model_validate_json(path.read_bytes())
    except OSError as error:
        raise BadInput(
            f"the record can't be read: {error.strerror}", "Check its permissions", Place(str(path))
        ) from None
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise BadInput(
            f"{where or 'the record'}: {first['msg']}", "Carry the project again", Place(str(path))
        ) from None


def home_of(folder: Path, target: Profile) -> Record | None:
    """Return the record of the crossing that a folder holds, where it came from just this provider and edition."""
    if not holds_crossing(folder):
        return None
    record = read_record(folder)
    return record if record.source.provider == target.name and not record.source.profile else None


def edited(folder: Path, record: Record) -> list[str]:
    """Return the files of a crossing that are not as they were written, or gone."""
    changed = []
    for path, digest in record.files.items():
        try:
            same = hashlib.sha256((folder / path).read_bytes()).hexdigest() == digest
        except OSError:
            same = False
        if not same:
            changed.append(path)
    return changed
