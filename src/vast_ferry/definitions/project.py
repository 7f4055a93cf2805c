"""Definition files ↔ projects, as a profile's definition tables say; what can't be read is kept as findings."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Final

from vast_ferry.definitions.forms import FormError
from vast_ferry.definitions.tables import checked_definition, parse_form
from vast_ferry.documents.document import Document
from vast_ferry.documents.json_file import read_json, write_json
from vast_ferry.documents.toml_file import read_toml, write_toml
from vast_ferry.documents.yaml_file import read_yaml, write_yaml
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity, nearest
from vast_ferry.hub.functions import EventTrigger, Function, Project, RouteTrigger, Trigger
from vast_ferry.providers.profile import Profile
from vast_ferry.providers.registry import all_profiles
from vast_ferry.providers.schema import DefinitionModel, DefinitionRow, TriggerModel

#: syntax → how to read it
READERS: Final = {"yaml": read_yaml, "toml": read_toml, "json": read_json}


#: Rows that say several fields at once.
COMPOSED: Final = {"methods_and_route": ("methods", "route"), "key_glob": ("prefix", "suffix")}


def find_definition(folder: Path, provider: Profile | None = None) -> tuple[Profile, Path]:
    """Return the profile and the file by which a project is declared, of that provider or of any that ships.

    Raises BadInput where there is none, or where several providers' files lie side by side.
    """
    if not folder.is_dir():
        raise BadInput(f"there is no folder {folder}", "Give the folder of a project")
    candidates = [provider] if provider else all_profiles()
    found: dict[str, tuple[Profile, Path]] = {}
    for profile in candidates:
        definition = profile.model.definition
        if definition and (folder / definition.file).is_file():
            # A file does not say its edition: the first one that can read it stands for all, in the order of editions.
            found.setdefault(definition.file, (profile, folder / definition.file))
    if not found:
        files = sorted({p.model.definition.file for p in candidates if p.model.definition})
        if provider and not files:
            raise BadInput(f"{provider.title} has no definition file to read", "Name another provider with --from")
        raise BadInput(
            f"there is no definition file in {folder}",
            f"Expected {' or '.join(files)}; give the folder that holds it",
        )
    if len(found) > 1:
        raise BadInput(
            f"{folder} holds several definition files: {', '.join(sorted(found))}", "Say which with --from PROVIDER"
        )
    return next(iter(found.values()))


@dataclass(slots=True)
class _Reader:
    """One reading of one definition file."""

    profile: Profile
    model: DefinitionModel
    document: Document
    findings: list[Finding] = field(default_factory=list)

    def note(self, finding: Finding) -> None:
        self.findings.append(replace(finding, place=self.kept(finding.place)))

    def kept(self, place: Place) -> Place:
        """Return a place as the project keeps it: its file within the project."""
        return Place(self.model.file, place.line, place.column)

    def unknown(self, data: dict[str, Any], known: list[str], path: tuple[str | int, ...], function: str = "") -> None:
        for key in data:
            if key not in known:
                self.note(
                    Finding(
                        "unknown-key",
                        Severity.TODO,
                        f"{key!r} is no key that {self.profile.title} has here{nearest(str(key), known)}",
                        "Correct the key, or declare by hand at the target what it stands for",
                        self.document.place(*path, key),
                        function,
                    )
                )

    def mapping(self, data: Any, path: tuple[str | int, ...], what: str) -> dict[str, Any]:
        if not isinstance(data, dict):
            raise BadInput(f"{what} is not a mapping", "Write `key: value` pairs there", self.document.place(*path))
        return data

    def rows(
        self, rows: list[DefinitionRow], data: dict[str, Any], path: tuple[str | int, ...], function: str
    ) -> dict[str, Any]:
        values: dict[str, Any] = {}
        for row in rows:
            if row.at not in data:
                continue
            place = self.document.place(*path, row.at)
            if not row.is_:
                self.note(
                    Finding(
                        "not-carried",
                        Severity.TODO,
                        f"{row.at!r} ({row.about}) is not carried",
                        "Declare it by hand at the target",
                        place,
                        function,
                    )
                )
                continue
            try:
                value = parse_form(row, self.profile.routes).read(data[row.at], row.is_)
            except FormError as error:
                if row.is_ == "secrets":
                    self.note(
                        Finding("secret-value", Severity.BLOCKING, str(error), "Put it into the vault", place, function)
                    )
                    continue
                if row.is_ in ("key_glob", "cron"):  # a provider may well understand what we don't
                    self.note(
                        Finding(
                            "filter-not-carried" if row.is_ == "key_glob" else "schedule-not-carried",
                            Severity.BLOCKING,
                            str(error),
                            "Declare it by hand at the target",
                            place,
                            function,
                        )
                    )
                    continue
                raise BadInput(f"{'.'.join(map(str, (*path, row.at)))}: {error}", "Mend the value", place) from None
            values.update(value if row.is_ in COMPOSED else {row.is_: value})
        return values

    def triggers(self, data: dict[str, Any], path: tuple[str | int, ...], function: str) -> list[Trigger]:
        at = self.model.functions.triggers_at
        found: list[Trigger] = []
        listed = data.get(at, [])
        if not isinstance(listed, list):
            raise BadInput(
                f"{at} of {function} is not a list", "List its triggers there", self.document.place(*path, at)
            )
        for index, item in enumerate(listed):
            here = (*path, at, index)
            declared = self.mapping(item, here, f"a trigger of {function}")
            kind = self._kind(declared, here, function)
            values = self.rows(kind.rows, declared, here, function)
            self.unknown(declared, [row.at for row in kind.rows], here, function)
            place = self.kept(self.document.place(*here))
            if kind.kind == "http":
                found.append(RouteTrigger(**values, place=place))
            else:
                found.append(EventTrigger(kind.kind, **values, place=place))
        return found

    def _kind(self, declared: dict[str, Any], path: tuple[str | int, ...], function: str) -> TriggerModel:
        kinds = [kind for kind in self.model.functions.triggers if kind.told_by in declared]
        if not kinds:
            known = [kind.told_by for kind in self.model.functions.triggers]
            word = next(iter(declared), "")
            raise BadInput(
                f"a trigger of {function} has none of the keys {', '.join(known)}{nearest(str(word), known)}",
                "Say what kind of trigger it is",
                self.document.place(*path),
            )
        return kinds[0]

    def read(self) -> Project:
        top = self.mapping(self.document.data, (), "the definition")
        functions_at = self.model.functions.at
        known = [key for key in (self.model.name, self.model.region, functions_at) if key]
        self.unknown(top, known, ())
        functions = self.mapping(top.get(functions_at, {}), (functions_at,), functions_at)
        if not functions:
            raise BadInput(f"no functions stand under {functions_at}", "Declare at least one", self.document.place())
        read = []
        for name, data in functions.items():
            path = (functions_at, name)
            declared = self.mapping(data, path, f"function {name}")
            rows = self.model.functions.rows
            values = self.rows(rows, declared, path, str(name))
            self.unknown(declared, [*(row.at for row in rows), self.model.functions.triggers_at], path, str(name))
            if "entry" not in values:
                key = next(row.at for row in rows if row.is_ == "entry")
                raise BadInput(f"function {name} has no {key}", f"Add `{key}`", self.document.place(*path))
            triggers = tuple(self.triggers(declared, path, str(name)))
            read.append(Function(str(name), triggers=triggers, place=self.kept(self.document.place(*path)), **values))
        self._same_routes(read)
        return Project(
            str(top.get(self.model.name, "")),
            str(top.get(self.model.region, "")) if self.model.region else "",
            tuple(read),
            tuple(self.findings),
            (self.model.file,),
        )

    def _same_routes(self, functions: list[Function]) -> None:
        seen: dict[tuple[str, str], tuple[str, Place]] = {}
        for function in functions:
            for trigger in function.routes:
                shape = re.sub(r"\{(\+?)\w+\}", r"{\1}", trigger.route)
                for method in trigger.methods or ("*",):
                    if (method, shape) in seen:
                        other, place = seen[method, shape]
                        raise BadInput(
                            f"{function.name} takes {method} {trigger.route}, as {other} does already ({place})",
                            "Change one of the two routes",
                            Place(self.document.file, trigger.place.line, trigger.place.column),
                        )
                    seen[method, shape] = (function.name, trigger.place)


def read_project(folder: Path, provider: Profile | None = None, shown: str = "") -> tuple[Profile, Project]:
    """Return a project as its definition file declares it, and the profile that it was read by.

    Keys that the profile does not know, and triggers that can't be carried yet, are the project's findings. Raises
    BadInput, with file and line, for a file that is missing, unparsable, or says something impossible.
    """
    profile, path = find_definition(folder, provider)
    model = checked_definition(profile)
    assert model is not None
    document = READERS[model.syntax](path, shown or str(path), "the definition")
    return profile, _Reader(profile, model, document).read()


def write_definition(project: Project, profile: Profile, comments: tuple[str, ...] = ()) -> dict[str, str]:
    """Return the definition file that declares `project` at this provider, by its name; empty if it needs none."""
    model = checked_definition(profile)
    if model is None:
        return {}
    data: dict[str, Any] = {model.name: project.name}
    if model.region and project.region:
        data[model.region] = project.region
    data[model.functions.at] = {
        function.name: _function_data(function, model, profile) for function in project.functions
    }
    if model.syntax == "toml":
        return {model.file: write_toml(data, comments)}
    if model.syntax == "json":  # which has no comments: findings tell a person what to do
        return {model.file: write_json(data)}
    return {model.file: "".join(f"# {comment}\n" for comment in comments) + write_yaml(data)}


def _function_data(function: Function, model: DefinitionModel, profile: Profile) -> dict[str, Any]:
    values: dict[str, Any] = {
        "entry": function.entry,
        "language": function.language,
        "memory": function.memory,
        "timeout": function.timeout,
        "variables": function.variables,
        "secrets": function.secrets,
    }
    data = _rows_data(model.functions.rows, values, profile)
    # A trigger of which nothing could be read says nothing; a finding tells of it.
    triggers = [made for trigger in function.triggers if (made := _trigger_data(trigger, model, profile))]
    return {**data, model.functions.triggers_at: triggers} if triggers else data


def _trigger_data(trigger: Trigger, model: DefinitionModel, profile: Profile) -> dict[str, Any]:
    kind = next(kind for kind in model.functions.triggers if kind.kind == trigger.kind)
    values = {name: getattr(trigger, name) for name in trigger.__dataclass_fields__}
    for name, parts in COMPOSED.items():
        together = {part: values.get(part) for part in parts}
        values[name] = together if any(together.values()) else None
    return _rows_data(kind.rows, values, profile)


def unheld_fields(trigger: Trigger, profile: Profile) -> list[str] | None:
    """Return what a trigger says and this provider's definition can't; None where it has no such trigger at all."""
    model = checked_definition(profile)
    kind = next((kind for kind in model.functions.triggers if kind.kind == trigger.kind), None) if model else None
    if kind is None or not kind.rows:
        return None
    held = {row.is_ for row in kind.rows}
    held.update(part for name, parts in COMPOSED.items() if name in held for part in parts)
    values = {name: getattr(trigger, name) for name in trigger.__dataclass_fields__}
    if values.get("zone") == "UTC":
        values["zone"] = ""  # where there are no zones, times are UTC
    if trigger.kind == "schedule":
        values["source"] = ""  # a schedule without a name is known by its function's
    return [name for name, value in values.items() if value and name not in ("kind", "place", *held)]


def _rows_data(rows: list[DefinitionRow], values: dict[str, Any], profile: Profile) -> dict[str, Any]:
    return {
        row.at: parse_form(row, profile.routes).write(values[row.is_]) for row in rows if row.is_ and values[row.is_]
    }
