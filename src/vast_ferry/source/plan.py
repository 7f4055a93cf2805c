"""The plan of one crossing: what every file will hold, and everything that a person must know; nothing is written."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path, PurePosixPath

from vast_ferry.definitions.project import read_project, unheld_fields, write_definition
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity
from vast_ferry.hub.functions import Function, Project
from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping.clients import client_losses
from vast_ferry.mapping.compile import event_losses, reply_losses
from vast_ferry.mapping.losses import SPLIT, Loss
from vast_ferry.providers.profile import Profile
from vast_ferry.providers.registry import is_shipped
from vast_ferry.source.record import FindingRecord, FunctionRecord, Record, SideRecord
from vast_ferry.source.scan import Scanned, scan_entry, scan_imports
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
        if not (target.model.definition or target.model.files):
            raise BadInput(
                f"nothing can be written for {target.title} yet: its profile declares no files",
                "Name another provider with --to",
            )
        if self.source.name == target.name:
            raise BadInput(f"the project is at {target.title} already", "Name another provider with --to")
        self.findings: list[Finding] = list(self.project.findings)
        self.carried: list[Function] = []
        self.left: list[Function] = []
        for function in self.project.functions:
            why = self._why_left(function)
            if why:
                reason = f"{function.name} was not carried: {why}"
                self._note("function-left-behind", Severity.BLOCKING, reason, "Leave it where it is", function=function)
            (self.left if why else self.carried).append(function)
        if not self.carried:
            raise BadInput(
                f"{self.project.name or folder} has no function that can be carried to {target.title}",
                "; ".join(finding.reason for finding in self.findings if finding.code == "function-left-behind"),
            )
        for function in self.carried:
            scan_entry(folder, function)

    def _why_left(self, function: Function) -> str:
        """Return why a function can't be carried, or nothing."""
        for kind in function.kinds:
            if kind not in self.source.kinds:
                return f"{self.source.title} has no {kind} events"
            if kind not in self.target.kinds:
                return f"{self.target.title} has no {kind} events"
            if self.target.kinds[kind].reply is None and kind == "http":
                return f"{self.target.title} does not say how {kind} handlers answer"
        untold = [kind for kind in function.kinds if not self.target.kinds[kind].event.told]
        if len(function.kinds) > 1 and len(untold) > 1:
            return f"{self.target.title} does not tell {' and '.join(untold)} events apart; declare a function for each"
        if self.target.model.definition and any(unheld_fields(t, self.target) is None for t in function.triggers):
            return f"{self.target.title} declares no {kind} triggers"
        return ""

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
        used = [client for client, _ in scanned.uses]
        clients = self.source.modules_over(
            self.target.operations, self.wrapping.client_imports(), used, self.target.hosts
        )
        made.update({f"{name.replace('.', '/')}.py": clients[name] for name in scanned.modules})
        self._note_clients(scanned)
        for function in self.carried:
            made[self.wrapping.shim_entry(function).file] = self.wrapping.shim(function, limits[function.name])
        there = self._project_at_target(limits)
        made.update(write_definition(there, self.target, (MADE_BY, "The region is not set: choose one.")))
        made.update(self._from_templates(there, own, services=bool(scanned.uses)))
        self._note_settings()
        self._note_triggers()
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

    def _note_clients(self, scanned: Scanned) -> None:
        told: set[str] = set()
        carried = {function.entry.file for function in self.carried}
        left = {function.entry.file for function in self.left} - carried
        for client, place in scanned.uses:
            theirs = self.target.operations.get(client.operation)
            what = f"{client.called} is called"
            if theirs is None:
                self._note(
                    "client-not-carried",
                    # A handler's file that was left behind may still be imported by others.
                    Severity.TODO if place.file in left else Severity.BLOCKING,
                    f"{what}, and at {self.target.title} there is no way to {OPERATIONS[client.operation].meaning}",
                    "Call another service there, or leave the function where it is",
                    place=place,
                    field=client.operation,
                )
            elif client.called not in told:
                told.add(client.called)
                for loss in client_losses(theirs, client):
                    self._note(
                        f"client-{loss.code}",
                        Severity.NOTE if loss.harmless else Severity.LOSS,
                        f"{what}; at {self.target.title}, where {theirs.called} does the same, {loss.reason}",
                        "Make sure that nothing relies on it",
                        place=place,
                        field=f"{client.operation}.{loss.field}",
                    )

    def _note_triggers(self) -> None:
        """Note what triggers say and the target's definition can't."""
        if self.target.model.definition is None:
            return
        for function in self.carried:
            for trigger in function.triggers:
                unheld = unheld_fields(trigger, self.target) or []
                if getattr(trigger, "batch_size", 0) == 1:
                    unheld = [name for name in unheld if name not in ("batch_size", "batch_window")]
                for name in unheld:
                    harmless = name in ("batch_size", "batch_window")
                    value = getattr(trigger, name)
                    self._note(
                        "trigger-not-held",
                        Severity.NOTE if harmless else Severity.BLOCKING,
                        f"the {trigger.kind} trigger of {function.name} says {name} {value!r}, and {self.target.title} "
                        "has no way to say that",
                        "It is delivered one at a time there" if harmless else "See to it in the handler, or by hand",
                        function=function,
                        place=trigger.place,
                        field=name,
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
            f"ends a function after {longest:g} s; {longest:g} s was set",
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

    def _from_templates(self, project: Project, own: dict[str, bytes], *, services: bool) -> dict[str, str]:
        variables = self._variables() if self.target.model.handler.process == "project" else {}
        functions = [
            {
                "name": function.name,
                "routes": function.routes,
                "module": function.entry.module,
                "handler": function.entry.name,
                "alias": self.wrapping.slugs[function.name],
            }
            for function in project.functions
        ]
        made = {}
        for file in self.target.model.files:
            if file.services and not services:
                continue
            if file.services:
                self._note(
                    "services-brought-along",
                    Severity.TODO,
                    f"{self.target.title} has no services: handlers call {file.path}, which keeps them in a folder",
                    f"Keep it where one machine is enough, or put your own services behind the calls in {file.path}",
                    field=file.path,
                )
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
            for trigger in function.routes:
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
        for kind in dict.fromkeys(kind for function in self.carried for kind in function.kinds):
            for loss in crossing_losses(self.source, self.target, kind):
                self._note(
                    loss.code,
                    Severity.NOTE if loss.harmless else Severity.LOSS,
                    loss.reason,
                    "Use a server that offers the raw target"
                    if loss.unless
                    else "Make sure that no handler relies on it",
                    field=loss.field if kind == "http" else f"{kind}.{loss.field}",
                )


def crossing_losses(source: Profile, target: Profile, kind: str = "http") -> list[Loss]:
    """Return what `target`'s shapes can't hold of what a handler of `source` could see and say."""
    one, other = source.kind(kind), target.kind(kind)
    losses = event_losses(other.event, one.event)
    if one.event.each is not None and other.event.each is None:
        losses.append(SPLIT)
    if one.reply and other.reply:
        # An event that shall come again is told by raising where it can't be named.
        losses += [loss for loss in reply_losses(other.reply, one.reply) if loss.field != "again"]
    return losses


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
