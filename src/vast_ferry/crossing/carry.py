"""Carrying a project across: everything is planned first, then written all at once or not at all."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from vast_ferry.crossing.plan import Plan
from vast_ferry.hub.findings import BadInput, Finding, Severity, shortened, worst_first
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import find_profile
from vast_ferry.surveying.crossing_file import FILE, holds_crossing
from vast_ferry.surveying.record import Record, edited, read_record
from vast_ferry.translate.python.nodes import collector_at_rest

#: How handlers are carried.
STYLES = ("auto", "native", "wrapped")


@dataclass(frozen=True)
class Crossing:
    """One crossing as planned: its record, and every file's content by its path."""

    record: Record
    files: dict[str, bytes]
    source: str = ""  # titles of the two providers
    target: str = ""
    withheld: tuple[str, ...] = field(default=(), repr=False)  # values that must not be shown

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
    to: str | Profile,
    out: Path | str,
    source: str | Profile | None = None,
    style: str = "auto",
    replace_out: bool = False,
    discard_edits: bool = False,
    carry_values: Sequence[str] = (),
    carry_files: Sequence[str] = (),
    progress: Progress = quietly,
) -> Crossing:
    """Write to `out` what provider `to` can take in place of the project, and return the crossing.

    In style `auto` handlers are rewritten in the target's own idiom where they are fully understood, and the rest is
    wrapped, with a finding that says why: the handler's file is carried byte for byte, and a shim beside it speaks the
    target's signature. `wrapped` wraps all; `native` is `auto` with a blocking finding for what has to be wrapped.
    Nothing is written into `project`, and `out` is either written whole or not at all. With `replace_out` a crossing
    that is there already is written anew; files there that are not of it stay, and where those of it were changed
    since, `discard_edits` must be given. Variables that are plainly secrets are not carried, but for those in
    `carry_values`, and neither are files that are plainly keys, but for those that a pattern in `carry_files` fits.
    `progress` is told how far it is.

    Raises BadInput for a project that can't be read, an entry that points nowhere, an unknown provider, or an `out`
    that is not empty (unless `replace_out`, and it holds a crossing).
    """
    folder, target_folder = Path(project), Path(out)
    target = _asked_for(folder, to, style)
    kept = _check_out(folder, target_folder, replace_out, discard_edits)
    wishes = {"style": style, "carry_values": carry_values, "carry_files": carry_files, "progress": progress}
    with collector_at_rest():
        planned = _planned(folder, target, target_folder, source, **wishes)
        progress(f"writing {len(planned.files)} files")
        _write(planned.files, target_folder, kept)
    return planned


def plan(
    project: Path | str,
    *,
    to: str | Profile,
    source: str | Profile | None = None,
    style: str = "auto",
    carry_values: Sequence[str] = (),
    carry_files: Sequence[str] = (),
    progress: Progress = quietly,
) -> Crossing:
    """Return the crossing that `carry` would write, with every file's content and every finding; nothing is written.

    Where its record names the original's folder, that is seen from a folder beside the project. Raises BadInput as
    `carry` does.
    """
    folder = Path(project)
    target = _asked_for(folder, to, style)
    wishes = {"style": style, "carry_values": carry_values, "carry_files": carry_files, "progress": progress}
    return _planned(folder, target, folder.parent / "crossing", source, **wishes)


def _asked_for(folder: Path, to: str | Profile, style: str) -> Profile:
    """Return the target's profile; raises BadInput for what can't be asked for."""
    if style not in STYLES:
        raise BadInput(f"there is no style {style!r}", f"Use one of: {', '.join(STYLES)}")
    if not folder.is_dir():
        raise BadInput(f"there is no folder {folder}", "Give the folder of a project")
    return find_profile(to) if isinstance(to, str) else to


def _planned(folder: Path, target: Profile, out: Path, source: str | Profile | None, **wishes: Any) -> Crossing:
    with collector_at_rest():
        made = Plan(folder, target, out, source, **wishes)
        files = made.files()
        record = made.record(files)
        title, withheld = made.source.title, made.project.withheld
        del made  # with its trees, while nobody looks through them for what could be collected
    everything = {**files, FILE: record.to_text().encode("utf-8")}
    return Crossing(record, everything, title, target.title, withheld)


def _check_out(project: Path, out: Path, replace_out: bool, discard_edits: bool) -> list[str]:
    """Refuse a folder that can't be written to; return the paths of files in it that are not ours, and stay."""
    try:
        if out.exists() and not out.is_dir():
            raise BadInput(f"{out} is a file", "Give a folder for --out")
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or str(error)
        raise BadInput(f"{shortened(str(out), 100)} can't be written: {why}", "Give another folder for --out") from None
    inside = project.resolve()
    if out.resolve() == inside or inside.is_relative_to(out.resolve()):
        raise BadInput(f"{out} is the project itself, or holds it", "Give another folder for --out")
    if out.resolve().is_relative_to(inside):
        raise BadInput(f"{out} lies in the project, which is never written into", "Give a folder outside for --out")
    try:
        if not out.is_dir() or not any(out.iterdir()):
            return []
    except OSError as error:
        raise BadInput(f"{out} can't be read: {error.strerror}", "Give a folder that is yours for --out") from None
    if not holds_crossing(out):
        raise BadInput(f"{out} is not empty and holds no crossing", "Give a folder that is new or empty for --out")
    if not replace_out:
        raise BadInput(f"{out} already holds a crossing", "Give --replace to write it anew, or another folder")
    return _not_ours(out, discard_edits)


def _not_ours(out: Path, discard_edits: bool) -> list[str]:
    """Return the paths of files in a crossing's folder that are not of it; refuse to lose what a person changed."""
    record = read_record(out)
    changed = edited(out, record)
    changed = [path for path in changed if (out / path).exists()]
    if changed and not discard_edits:
        shown = ", ".join(changed[:5]) + (f" and {len(changed) - 5} more" if len(changed) > 5 else "")
        raise BadInput(
            f"{out} holds files that were changed since they were carried: {shown}",
            "Keep them elsewhere, or give --discard-edits to lose the changes",
        )
    kept = []
    for top, folders, names in os.walk(out):
        folders[:] = [name for name in folders if name != "__pycache__"]
        links = [name for name in folders if Path(top, name).is_symlink()]
        for name in [*names, *links]:
            path = Path(top, name).relative_to(out).as_posix()
            if path not in record.files and path != FILE:
                kept.append(path)
        kept += [Path(top).relative_to(out).as_posix()] if not folders and not names and Path(top) != out else []
    return kept


def _write_one(path: str, content: bytes, made: Path, out: Path) -> None:
    target = made / path
    # The folder is new and holds no links: how the path is written tells where it leads.
    if not Path(os.path.normpath(target)).is_relative_to(os.path.normpath(made)):
        raise BadInput(f"{path} would lie outside of {out}", "Rename what it is made from")
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_bytes(content)
    if content.startswith(b"#!"):
        target.chmod(0o755)


def _as_it_was(out: Path, old: Path, made: Path, moved: Sequence[str]) -> None:
    """Put back what was there, whatever went wrong on the way."""
    if old.exists() and not out.exists():
        old.rename(out)
    for path in moved:
        with contextlib.suppress(OSError):
            (made / path).rename(out / path)


def _write(files: dict[str, bytes], out: Path, kept: Sequence[str]) -> None:
    """Write all files, or none: into a new folder beside `out`, which then takes its place.

    What is `kept` of the folder that was there is moved over at the end, when everything else is complete.
    """
    clash = [path for path in kept if path in files]
    if clash:
        raise BadInput(f"{out} holds a file of yours, {clash[0]}, that the crossing would write", "Move it elsewhere")
    try:
        out.parent.mkdir(parents=True, exist_ok=True)
        made = Path(tempfile.mkdtemp(prefix=f".{out.name[:40]}.", dir=out.parent))
    except OSError as error:
        why = f"{shortened(str(out), 100)} can't be written: {error.strerror or error}"
        raise BadInput(why, "Give another folder for --out") from None
    old = made.with_name(f"{made.name}.old")
    moved: list[str] = []
    try:
        for path, content in files.items():
            _write_one(path, content, made, out)
        made.chmod(0o755)
        if not out.exists():
            made.rename(out)
            return
        for path in kept:
            (made / path).parent.mkdir(parents=True, exist_ok=True)
            (out / path).rename(made / path)
            moved.append(path)
        out.rename(old)
        made.rename(out)
    except BaseException as error:
        _as_it_was(out, old, made, moved)
        if isinstance(error, OSError):
            what = f"{out} can't be written: {error.strerror or error}"
            raise BadInput(what, "Make room there, or check the folder's permissions") from None
        raise
    finally:
        shutil.rmtree(made, ignore_errors=True)
        if out.exists():
            shutil.rmtree(old, ignore_errors=True)
