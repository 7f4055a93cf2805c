"""The plan of one crossing: what every file will hold, and everything that a person must know; nothing is written."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path, PurePosixPath

from vast_ferry.definitions.project import read_project, write_definition
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity
from vast_ferry.hub.functions import Function, Project
from vast_ferry.mapping.compile import event_losses, reply_losses
from vast_ferry.mapping.losses import Loss
from vast_ferry.providers.profile import Profile
from vast_ferry.providers.registry import is_shipped
from vast_ferry.source.record import FindingRecord, FunctionRecord, Record, SideRecord
from vast_ferry.source.scan import scan_entry, scan_imports
from vast_ferry.source.wrapping import Wrapping, environment

#: Never carried: samples stay with the original; the rest is made by tools. Hidden files may hold secrets.
NOT_CARRIED = frozenset(["samples", "__pycache__", "node_modules", "venv"])
LARGEST_FILE = 64 * 1024 * 1024
MADE_BY = "Made by Vast Ferry; carry the project again rather than edit this file."


class Plan:
    """One project on its way to `target`; `out` is where the crossing would lie.

    Raises BadInput when it is made, for a project that can't be read or an entry that points nowhere.
    """

    def __init__(self, folder: Path, target: Profile, out: Path, source: Profile | None = None) -> None:
        self.folder, self.target, self.out = folder, target, out
        self.source, self.project = read_project(folder, source)
        if not target.http_reply or not (target.model.definition or target.model.files):
            raise BadInput(
                f"nothing can be written for {target.title} yet: its profile declares no files",
                "Name another provider with --to",
            )
        if self.source.name == target.name:
            raise BadInput(f"the project is at {target.title} already", "Name another provider with --to")
        self.findings: list[Finding] = list(self.project.findings)
        self.carried = [function for function in self.project.functions if function.triggers]
        self.left = [function for function in self.project.functions if not function.triggers]
        for function in self.left:
            self._note(
                "function-left-behind",
                Severity.BLOCKING,
                f"{function.name} has no HTTP trigger and was not carried: only HTTP functions are so far",
                "Leave it where it is",
                function=function,
            )
        if not self.carried:
            raise BadInput(
                f"{self.project.name or folder} has no function that can be carried", "Declare an HTTP trigger"
            )
        for function in self.carried:
            scan_entry(folder, function)

    def files(self) -> dict[str, bytes]:
        """Return every file of the crossing but its record: the author's own as they are, and those that are made."""
        own, left = own_files(self.folder)
        own = {path: content for path, content in own.items() if path not in self.project.files}
        for path, (why, remedy) in left.items():
            self._note("file-left-behind", Severity.NOTE, f"{path} was not carried: {why}", remedy)
        scanned = scan_imports(self.folder, list(own), self.source)
        self.findings += scanned.findings
        self.wrapping = Wrapping.between(self.source, self.target, _module_name(own), self.carried)
        limits = {function.name: self._limit(function) for function in self.carried}
        made = {f"{self.wrapping.module}.py": self.wrapping.shared_module()}
        made.update({f"{name}.py": self.source.modules[name] for name in scanned.modules})
        for function in self.carried:
            made[self.wrapping.shim_entry(function).file] = self.wrapping.shim(function, limits[function.name])
        there = self._project_at_target(limits)
        made.update(write_definition(there, self.target, (MADE_BY, "The region is not set: choose one.")))
        made.update(self._from_templates(there, own))
        self._note_settings()
        self._note_losses()
        for note in self.target.model.notes:
            self._note("at-target", Severity.NOTE, note, "Keep it in mind when you deploy", field=self.target.title)
        kept = {file.path for file in self.target.model.files if file.keeps}
        clash = sorted(path for path in made if path in own and path not in kept)
        if clash:
            raise BadInput(
                f"the project has a file {clash[0]}, and {self.target.title} needs one of that name",
                "Rename yours",
                Place(str(self.folder / clash[0])),
            )
        return {**own, **{path: text.encode("utf-8") for path, text in made.items()}}

    def record(self, files: dict[str, bytes]) -> Record:
        """Return the record of the crossing with these files."""
        return Record(
            source=SideRecord(
                provider=self.source.name,
                project=_relative(self.folder, self.out),
                profile=self._profile_file(self.source),
            ),
            target=SideRecord(provider=self.target.name, profile=self._profile_file(self.target)),
            functions=[
                FunctionRecord(
                    name=function.name,
                    style="wrapped",
                    entry=f"{function.entry.file}#{function.entry.name}",
                    carried_entry="{0.file}#{0.name}".format(self.wrapping.shim_entry(function)),
                )
                for function in self.carried
            ],
            left_behind=[function.name for function in self.left],
            findings=[FindingRecord.model_validate(finding.as_data()) for finding in self.findings],
            files={path: hashlib.sha256(files[path]).hexdigest() for path in sorted(files)},
        )

    def _profile_file(self, profile: Profile) -> str:
        return "" if is_shipped(profile) else _relative(profile.path, self.out)

    def _note(
        self,
        code: str,
        severity: Severity,
        reason: str,
        remedy: str,
        *,
        function: Function | None = None,
        place: Place | None = None,
        field: str = "",
    ) -> None:
        at = place or (function.place if function else Place())
        self.findings.append(Finding(code, severity, reason, remedy, at, function.name if function else "", field))

    def _limit(self, function: Function) -> float:
        limit, longest = function.timeout or self.source.model.limits.longest, self.target.model.limits.longest
        if limit <= longest:
            return limit
        self._note(
            "runs-too-long",
            Severity.BLOCKING if function.timeout else Severity.NOTE,
            f"{function.name} may run {limit:g} s{'' if function.timeout else ' by default'}, and {self.target.title} "
            f"ends an HTTP function after {longest:g} s; {longest:g} s was set",
            "Make sure that it ends sooner, or split its work",
            function=function,
            field="timeout",
        )
        return longest

    def _project_at_target(self, limits: dict[str, float]) -> Project:
        functions = tuple(
            replace(
                function,
                entry=self.wrapping.shim_entry(function),
                timeout=min(function.timeout, limits[function.name]) if function.timeout else 0,
            )
            for function in self.carried
        )
        return replace(self.project, functions=functions, region="")

    def _variables(self) -> dict[str, str]:
        """Return the variables of a target with one process for all functions; two that can't both hold are noted."""
        variables: dict[str, str] = {}
        setter: dict[str, Function] = {}
        for function in self.carried:
            for name, value in function.variables.items():
                if variables.setdefault(name, value) != value:
                    self._note(
                        "variable-conflict",
                        Severity.BLOCKING,
                        f"{function.name} sets {name} to {value!r}, {setter[name].name} to {variables[name]!r}, and "
                        f"{self.target.title} runs both in one process; {variables[name]!r} was set",
                        "Give one of them another name, in the definition and in the code",
                        function=function,
                        field=f"variables.{name}",
                    )
                setter.setdefault(name, function)
        return variables

    def _from_templates(self, project: Project, own: dict[str, bytes]) -> dict[str, str]:
        variables = self._variables() if self.target.model.handler.process == "project" else {}
        functions = [
            {
                "name": function.name,
                "triggers": function.triggers,
                "module": function.entry.module,
                "handler": function.entry.name,
                "alias": self.wrapping.slugs[function.name],
            }
            for function in project.functions
        ]
        made = {}
        for file in self.target.model.files:
            before = own.get(file.path, b"").decode("utf-8", "replace") if file.keeps else ""
            template = environment().from_string(self.target.template(file.template))
            made[file.path] = template.render(
                project=project,
                functions=functions,
                variables=variables,
                crossing=self.wrapping.module,
                before=before,
            )
        return made

    def _note_settings(self) -> None:
        definition = self.target.model.definition
        for function in self.carried:
            for name, reference in function.secrets.items():
                self._note(
                    "secret-to-set",
                    Severity.TODO,
                    f"{function.name} reads secret {name} (reference {reference}); its value is not carried",
                    f"Make the secret {name} at {self.target.title} before the first call",
                    function=function,
                    field=f"secrets.{name}",
                )
            for trigger in function.triggers:
                if definition is None and trigger.callers not in ("", "public"):
                    who = "with a key" if trigger.callers == "key" else "by a known caller"
                    self._note(
                        "callers-open",
                        Severity.BLOCKING,
                        f"{function.name} may only be called {who}, and {self.target.title} has no such check",
                        "Put the check before the application: a proxy, or a middleware",
                        function=function,
                        place=trigger.place,
                        field="callers",
                    )
        if self.project.region and definition and definition.region:
            self._note(
                "region-to-choose",
                Severity.TODO,
                f"region {self.project.region} is a place of the old provider",
                f"Set `{definition.region}` in {definition.file}",
                field="region",
            )

    def _note_losses(self) -> None:
        for loss in crossing_losses(self.source, self.target):
            self._note(
                loss.code,
                Severity.NOTE if loss.harmless else Severity.LOSS,
                loss.reason,
                "Use a server that offers the raw target" if loss.unless else "Make sure that no handler relies on it",
                field=loss.field,
            )


def crossing_losses(source: Profile, target: Profile, kind: str = "http") -> list[Loss]:
    """Return what `target`'s shapes can't hold of what a handler of `source` could see and say."""
    one, other = source.kind(kind), target.kind(kind)
    losses = event_losses(other.event, one.event)
    return [*losses, *reply_losses(other.reply, one.reply)] if one.reply and other.reply else losses


def _walk(folder: Path) -> Iterable[Path]:
    """Yield the files of a project in a fixed order, and links to folders, which are not followed."""
    for top, folders, names in os.walk(folder):
        here = Path(top)
        links = [name for name in folders if (here / name).is_symlink()]
        folders[:] = sorted(n for n in folders if n not in NOT_CARRIED and not n.startswith(".") and n not in links)
        for name in sorted([*names, *links]):
            yield here / name


def own_files(folder: Path) -> tuple[dict[str, bytes], dict[str, tuple[str, str]]]:
    """Return a project's own files, as they would be deployed, and what is left behind: path → (why, remedy)."""
    files: dict[str, bytes] = {}
    left: dict[str, tuple[str, str]] = {}
    root = folder.resolve()
    for path in _walk(folder):
        relative = path.relative_to(folder).as_posix()
        if path.suffix in (".pyc", ".pyo"):
            continue
        if path.name.startswith("."):
            left[relative] = "hidden files may hold secrets", "Set at the target what it holds"
        elif not path.resolve().is_relative_to(root):
            left[relative] = "a link out of the project", "Copy what is needed of it into the project"
        elif path.is_dir():
            left[relative] = "a link to a folder", "Copy what is needed of it into the project"
        elif not path.is_file():
            left[relative] = "not a plain file", "Leave it out"
        elif path.stat().st_size > LARGEST_FILE:
            left[relative] = f"larger than {LARGEST_FILE:,} bytes", "Put it where the target can fetch it"
        else:
            files[relative] = path.read_bytes()
    return files, left


def _relative(folder: Path, out: Path) -> str:
    try:
        return Path(os.path.relpath(folder.resolve(), out.resolve())).as_posix()
    except ValueError:  # another drive
        return folder.resolve().as_posix()


def _module_name(files: dict[str, bytes]) -> str:
    taken = {PurePosixPath(path).parts[0].removesuffix(".py") for path in files}
    return next(name for name in ("crossing", "crossing_shared", "vast_crossing") if name not in taken)
