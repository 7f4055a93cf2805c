"""Carrying a project across: everything is planned first, then written all at once or not at all."""

from __future__ import annotations

import os
import shutil
import tempfile
from dataclasses import dataclass
from pathlib import Path

from vast_ferry.hub.findings import BadInput, Finding, Severity, worst_first
from vast_ferry.providers.registry import find_profile
from vast_ferry.source.crossing_file import FILE, holds_crossing
from vast_ferry.source.nodes import collector_at_rest
from vast_ferry.source.plan import Plan
from vast_ferry.source.record import Record

#: How handlers are carried.
STYLES = ("auto", "native", "wrapped")


@dataclass(frozen=True)
class Crossing:
    """One crossing as planned: its record, and every file's content by its path."""

    record: Record
    files: dict[str, bytes]
    source: str = ""  # titles of the two providers
    target: str = ""

    @property
    def findings(self) -> list[Finding]:
        """Return what a person must know, worst first."""
        return worst_first(finding.finding() for finding in self.record.findings)

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
    style: str = "auto",
    replace_out: bool = False,
) -> Crossing:
    """Write to `out` what provider `to` can take in place of the project, and return the crossing.

    In style `auto` handlers are rewritten in the target's own idiom where they are fully understood, and the rest is
    wrapped, with a finding that says why: the handler's file is carried byte for byte, and a shim beside it speaks the
    target's signature. `wrapped` wraps all; `native` is `auto` with a blocking finding for what has to be wrapped.
    Nothing is written into `project`, and `out` is either written whole or not at all.

    Raises BadInput for a project that can't be read, an entry that points nowhere, an unknown provider, or an `out`
    that is not empty (unless `replace_out`, and it holds a crossing).
    """
    folder, target_folder = Path(project), Path(out)
    target = find_profile(to)
    if style not in STYLES:
        raise BadInput(f"there is no style {style!r}", f"Use one of: {', '.join(STYLES)}")
    if not folder.is_dir():
        raise BadInput(f"there is no folder {folder}", "Give the folder of a project")
    _check_out(folder, target_folder, replace_out)
    with collector_at_rest():
        plan = Plan(folder, target, target_folder, find_profile(source) if source else None, style)
        files = plan.files()
        record = plan.record(files)
    everything = {**files, FILE: record.to_text().encode("utf-8")}
    planned = Crossing(record, everything, plan.source.title, target.title)
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


def _write(files: dict[str, bytes], out: Path) -> None:
    """Write all files, or none: into a new folder beside `out`, which then takes its place."""
    out.parent.mkdir(parents=True, exist_ok=True)
    made = Path(tempfile.mkdtemp(prefix=f".{out.name}.", dir=out.parent))
    folders: set[Path] = set()
    try:
        for path, content in files.items():
            target = made / path
            # The folder is new and holds no links: how the path is written tells where it leads.
            if not Path(os.path.normpath(target)).is_relative_to(os.path.normpath(made)):
                raise BadInput(f"{path} would lie outside of {out}", "Rename what it is made from")
            if target.parent not in folders:
                target.parent.mkdir(parents=True, exist_ok=True)
                folders.add(target.parent)
            target.write_bytes(content)
            if content.startswith(b"#!"):
                target.chmod(0o755)
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
