"""Carrying a project across: plan every file, then write them all at once or none."""

from __future__ import annotations

import hashlib
import os
import shutil
import tempfile
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath

from vast_ferry.definitions.project import read_project, write_definition
from vast_ferry.hub.findings import BadInput, Finding, Severity
from vast_ferry.hub.functions import Function, Project
from vast_ferry.mapping.compile import event_losses, reply_losses
from vast_ferry.mapping.losses import Loss
from vast_ferry.providers.profile import Profile
from vast_ferry.providers.registry import find_profile
from vast_ferry.source.record import FILE, FindingRecord, FunctionRecord, Record, SideRecord, holds_crossing
from vast_ferry.source.scan import scan_entry, scan_imports
from vast_ferry.source.wrapping import Wrapping, environment, slug

#: Never carried: samples stay with the original; the rest is made by tools. Hidden files may hold secrets.
NOT_CARRIED = frozenset(["samples", "__pycache__", "node_modules", "venv"])
LARGEST_FILE = 64 * 1024 * 1024


@dataclass(frozen=True)
class Crossing:
    """One crossing as planned: its record, and every file's content by its path."""

    record: Record
    files: dict[str, bytes]

    @property
    def findings(self) -> list[Finding]:
        """Return what a person must know, worst first."""
        return sorted((f.finding() for f in self.record.findings), key=lambda f: list(Severity).index(f.severity))

    @property
    def blocking(self) -> bool:
        """Tell whether a person must act before the crossing can be relied on."""
        return any(finding.severity is Severity.BLOCKING for finding in self.findings)


def carry(
    project: Path | str,
    *,
    to: str,
    out: Path | str,
    source: str | None = None,
    style: str = "wrapped",
    replace_out: bool = False,
) -> Crossing:
    """Write to `out` what provider `to` can take in place of the project, and return the crossing.

    The handlers' files are carried byte for byte; a shim beside each speaks the target's signature. Nothing is written
    into `project`, and `out` is either written whole or not at all.

    Raises BadInput for a project that can't be read, an entry that points nowhere, an unknown provider, or an `out` that
    is not empty (unless `replace_out`, and it holds a crossing).
    """
    folder, target_folder = Path(project), Path(out)
    target = find_profile(to)
    if style not in ("wrapped", "auto"):
        raise BadInput(f"style {style!r} is not to be had yet", "Use `wrapped`")
    if not folder.is_dir():
        raise BadInput(f"there is no folder {folder}", "Give the folder of a project")
    _check_out(folder, target_folder, replace_out)
    planned = plan(folder, target, target_folder, find_profile(source) if source else None)
    _write(planned.files, target_folder)
    return planned


def _check_out(project: Path, out: Path, replace_out: bool) -> None:
    if out.exists() and not out.is_dir():
        raise BadInput(f"{out} is a file", "Give a folder for --out")
    inside = project.resolve()
    if out.resolve() == inside or inside.is_relative_to(out.resolve()):
        raise BadInput(f"{out} is the project itself, or holds it", "Give another folder for --out")
    if out.resolve().is_relative_to(inside):
        raise BadInput(f"{out} lies in the project, which is never written into", "Give a folder outside for --out")
    if out.is_dir() and any(out.iterdir()):
        if not holds_crossing(out):
            raise BadInput(f"{out} is not empty and holds no crossing", "Give a folder that is new or empty for --out")
        if not replace_out:
            raise BadInput(f"{out} already holds a crossing", "Give --replace to write it anew, or another folder")


def plan(folder: Path, target: Profile, out: Path, source: Profile | None = None) -> Crossing:
    """Return the crossing of a project to `target` without writing anything; `out` is where it would lie."""
    source, project = read_project(folder, source)
    if source.name == target.name:
        raise BadInput(f"the project is at {target.title} already", "Name another provider with --to")
    findings = list(project.findings)
    carried = [function for function in project.functions if function.triggers]
    left = [function for function in project.functions if not function.triggers]
    findings += [
        Finding(
            "function-left-behind",
            Severity.BLOCKING,
            f"{function.name} has no HTTP trigger and was not carried: only HTTP functions are so far",
            "Leave it where it is",
            function.place,
            function.name,
        )
        for function in left
    ]
    if not carried:
        raise BadInput(f"{project.name or folder} has no function that can be carried", "Declare an HTTP trigger")
    for function in carried:
        scan_entry(folder, function)
    files, more = _own_files(folder, project)
    findings += more
    scanned = scan_imports(folder, list(files), source)
    findings += scanned.findings
    wrapping = Wrapping.between(source, target, _module_name(files))
    made: dict[str, str] = {f"{wrapping.module}.py": wrapping.shared_module()}
    made.update({f"{name}.py": source.modules[name] for name in scanned.modules})
    limits: dict[str, float] = {}
    for function in carried:
        limits[function.name], more = _limit(function, source, target)
        findings += more
        made[wrapping.shim_entry(function).file] = wrapping.shim(function, limits[function.name])
    at_target = _at_target(project, carried, wrapping, limits)
    variables, more = _variables(carried, target)
    findings += more
    made.update(write_definition(at_target, target, _comments(target)))
    made.update(_templates(target, at_target, wrapping, variables, files))
    findings += _settings_findings(project, carried, target)
    findings += _loss_findings(source, target)
    findings += [
        Finding("at-target", Severity.NOTE, note, "Keep it in mind when the project is deployed")
        for note in target.model.notes
    ]
    return _assemble(folder, out, source, target, wrapping, carried, left, findings, files, made)


def _assemble(
    folder: Path,
    out: Path,
    source: Profile,
    target: Profile,
    wrapping: Wrapping,
    carried: list[Function],
    left: list[Function],
    findings: list[Finding],
    files: dict[str, bytes],
    made: dict[str, str],
) -> Crossing:
    kept = {file.path for file in target.model.files if file.keeps}
    clash = sorted(path for path in made if path in files and path not in kept)
    if clash:
        raise BadInput(
            f"the project has a file {clash[0]}, and {target.title} needs one of that name",
            "Rename yours",
        )
    everything = {**files, **{path: text.encode("utf-8") for path, text in made.items()}}
    record = Record(
        source=SideRecord(provider=source.name, project=_relative(folder, out)),
        target=SideRecord(provider=target.name),
        functions=[
            FunctionRecord(
                name=function.name,
                style="wrapped",
                entry=f"{function.entry.file}#{function.entry.name}",
                carried_entry="{0.file}#{0.name}".format(wrapping.shim_entry(function)),
            )
            for function in carried
        ],
        left_behind=[function.name for function in left],
        findings=[FindingRecord.model_validate(finding.as_data()) for finding in findings],
        files={path: hashlib.sha256(everything[path]).hexdigest() for path in sorted(everything)},
    )
    everything[FILE] = record.to_text().encode("utf-8")
    return Crossing(record, everything)


def _relative(folder: Path, out: Path) -> str:
    try:
        return Path(os.path.relpath(folder.resolve(), out.resolve())).as_posix()
    except ValueError:  # another drive
        return folder.resolve().as_posix()


def _own_files(folder: Path, project: Project) -> tuple[dict[str, bytes], list[Finding]]:
    """Return the project's own files to carry, and what was left behind of them."""
    files: dict[str, bytes] = {}
    findings: list[Finding] = []
    root = folder.resolve()

    def leave(path: Path, why: str, remedy: str) -> None:
        findings.append(Finding("file-left-behind", Severity.NOTE, f"{path.relative_to(folder)}: {why}", remedy))

    for top, folders, names in os.walk(folder):
        here = Path(top)
        for name in [name for name in folders if name in NOT_CARRIED or name.startswith(".")]:
            folders.remove(name)
        for name in [name for name in folders if (here / name).is_symlink()]:
            folders.remove(name)
            leave(here / name, "a link to a folder", "Copy what is needed of it into the project")
        folders.sort()
        for name in sorted(names):
            path = here / name
            relative = path.relative_to(folder).as_posix()
            if relative in project.files or name.endswith((".pyc", ".pyo")):
                continue
            if name.startswith("."):
                leave(path, "hidden files may hold secrets", "Set at the target what it holds")
            elif not path.resolve().is_relative_to(root):
                leave(path, "a link out of the project", "Copy the file into the project if it is needed")
            elif not path.is_file():
                leave(path, "not a plain file", "Leave it out")
            elif path.stat().st_size > LARGEST_FILE:
                leave(path, f"larger than {LARGEST_FILE:,} bytes", "Put it where the target can fetch it")
            else:
                files[relative] = path.read_bytes()
    return files, findings


def _module_name(files: dict[str, bytes]) -> str:
    taken = {PurePosixPath(path).parts[0].removesuffix(".py") for path in files}
    return next(name for name in ("crossing", "crossing_shared", "vast_crossing") if name not in taken)


def _limit(function: Function, source: Profile, target: Profile) -> tuple[float, list[Finding]]:
    limit, longest = function.timeout or source.model.limits.longest, target.model.limits.longest
    if limit <= longest:
        return limit, []
    asked = f"may run {limit:g} s" if function.timeout else f"may run {limit:g} s by default"
    severity = Severity.BLOCKING if function.timeout else Severity.NOTE
    finding = Finding(
        "runs-too-long",
        severity,
        f"{function.name} {asked}, and {target.title} ends an HTTP function after {longest:g} s; {longest:g} s was set",
        "Make sure that it ends sooner, or split its work",
        function.place,
        function.name,
        "timeout",
    )
    return longest, [finding]


def _at_target(project: Project, carried: list[Function], wrapping: Wrapping, limits: dict[str, float]) -> Project:
    functions = tuple(
        replace(
            function,
            entry=wrapping.shim_entry(function),
            timeout=min(function.timeout, limits[function.name]) if function.timeout else 0,
        )
        for function in carried
    )
    return replace(project, functions=functions, region="")


def _comments(target: Profile) -> tuple[str, ...]:
    return (
        "Made by Vast Ferry; carry the project again rather than edit this file.",
        "The region is not set: choose one.",
    )


def _variables(carried: list[Function], target: Profile) -> tuple[dict[str, str], list[Finding]]:
    """Return the variables of a target that runs all functions in one process, and where two can't both hold."""
    variables: dict[str, str] = {}
    setter: dict[str, Function] = {}
    findings: list[Finding] = []
    for function in carried:
        for name, value in function.variables.items():
            if name in variables and variables[name] != value and target.model.handler.process == "project":
                findings.append(
                    Finding(
                        "variable-conflict",
                        Severity.BLOCKING,
                        f"{function.name} sets {name} to {value!r}, {setter[name].name} to {variables[name]!r}, and "
                        f"{target.title} runs both in one process; {variables[name]!r} was set",
                        "Give one of them another name, in the definition and in the code",
                        function.place,
                        function.name,
                        f"variables.{name}",
                    )
                )
            variables.setdefault(name, value)
            setter.setdefault(name, function)
    return variables, findings


def _templates(
    target: Profile, project: Project, wrapping: Wrapping, variables: dict[str, str], files: dict[str, bytes]
) -> dict[str, str]:
    functions = [
        {
            "name": function.name,
            "triggers": function.triggers,
            "alias": f"{slug(function.name)}_{function.entry.name}",
            "import_line": f"from {function.entry.module} import {function.entry.name} as "
            f"{slug(function.name)}_{function.entry.name}  # noqa: E402",
        }
        for function in project.functions
    ]
    made = {}
    for file in target.model.files:
        before = files.get(file.path, b"").decode("utf-8", "replace") if file.keeps else ""
        template = environment().from_string(target.template(file.template))
        made[file.path] = template.render(
            project=project, functions=functions, variables=variables, crossing=wrapping.module, before=before
        )
    return made


def _settings_findings(project: Project, carried: list[Function], target: Profile) -> list[Finding]:
    findings = [
        Finding(
            "secret-to-set",
            Severity.TODO,
            f"{function.name} reads secret {name} (reference {reference}); its value is not carried",
            f"Make the secret {name} at {target.title} before the first call",
            function.place,
            function.name,
            f"secrets.{name}",
        )
        for function in carried
        for name, reference in function.secrets.items()
    ]
    if project.region and target.model.definition and target.model.definition.region:
        findings.append(
            Finding(
                "region-to-choose",
                Severity.TODO,
                f"region {project.region} is a place of the old provider",
                f"Set `{target.model.definition.region}` in {target.model.definition.file}",
            )
        )
    guarded = [
        (function, trigger)
        for function in carried
        for trigger in function.triggers
        if trigger.callers not in ("", "public") and target.model.definition is None
    ]
    findings += [
        Finding(
            "callers-open",
            Severity.BLOCKING,
            f"{function.name} may only be called with {'a key' if trigger.callers == 'key' else 'a known caller'}, and "
            f"{target.title} has no such check",
            "Put the check before the application: a proxy, or a middleware",
            trigger.place,
            function.name,
            "callers",
        )
        for function, trigger in guarded
    ]
    return findings


def crossing_losses(source: Profile, target: Profile) -> list[Loss]:
    """Return what `target`'s shapes can't hold of what a handler of `source` could see and say."""
    return [*event_losses(target.event, source.event), *reply_losses(target.reply, source.reply)]


def _loss_findings(source: Profile, target: Profile) -> list[Finding]:
    return [
        Finding(
            loss.code,
            Severity.NOTE if loss.harmless else Severity.LOSS,
            loss.reason,
            "Use a server that offers the raw target" if loss.unless else "Make sure that no handler relies on it",
            field=loss.field,
        )
        for loss in crossing_losses(source, target)
    ]


def _write(files: dict[str, bytes], out: Path) -> None:
    """Write all files, or none: into a new folder beside `out`, which then takes its place."""
    out.parent.mkdir(parents=True, exist_ok=True)
    made = Path(tempfile.mkdtemp(prefix=f".{out.name}.", dir=out.parent))
    try:
        for path, content in files.items():
            target = made / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(content)
        made.chmod(0o755)
        if out.exists():
            old = Path(tempfile.mkdtemp(prefix=f".{out.name}.old.", dir=out.parent))
            out.rename(old / out.name)
            made.rename(out)
            shutil.rmtree(old)
        else:
            made.rename(out)
    except OSError as error:
        raise BadInput(f"{out} can't be written: {error.strerror or error}", "Check the folder's permissions") from None
    finally:
        shutil.rmtree(made, ignore_errors=True)
