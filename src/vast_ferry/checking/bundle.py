"""Whether what was carried is whole: each import is the standard library's, the project's, the provider's, or required.

What is required is installed into a folder of its own, as its provider would, from what `requirements.txt` says and
nothing else; what is imported has to be there. Imports are read off the source, nothing of it is run. With the project
that folder makes an archive which is the same, byte for byte, whenever it is made of the same.
"""

from __future__ import annotations

import ast
import re
import subprocess
import sys
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from importlib import metadata
from pathlib import Path
from typing import Any, Final

from vast_ferry.checking.sides import target_side
from vast_ferry.documents.document import read_text
from vast_ferry.documents.javascript_file import parse_javascript
from vast_ferry.documents.json_file import read_json
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity
from vast_ferry.hub.functions import JAVASCRIPT, PYTHON, language_of
from vast_ferry.profiles.profile import Profile
from vast_ferry.standins.scratch import scratch_folder
from vast_ferry.surveying.files import own_files
from vast_ferry.surveying.record import read_record

REQUIREMENTS: Final = "requirements.txt"
_PACKAGE: Final = "package.json"
#: How long it may take to install what is required, in seconds.
_LONGEST: Final = 600.0
_NAME: Final = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]*")
#: The one time that everything in an archive has: the first that its form can hold.
_THEN: Final = (1980, 1, 1, 0, 0, 0)
#: Modules that Node has itself, whatever stands before them.
_OF_NODE: Final = frozenset(
    ("assert", "async_hooks", "buffer", "child_process", "crypto", "dns", "events", "fs", "http", "http2", "https")
    + ("module", "net", "os", "path", "perf_hooks", "process", "querystring", "readline", "stream", "string_decoder")
    + ("timers", "tls", "url", "util", "v8", "vm", "worker_threads", "zlib", "diagnostics_channel", "inspector")
)


@dataclass(frozen=True, slots=True)
class Bundle:
    """What was carried, with all that it needs: how much that is, and what is missing or needs nobody."""

    files: int
    size: int  # in bytes, as an archive
    required: tuple[str, ...] = ()  # what was installed, each with its version
    findings: tuple[Finding, ...] = field(default=())

    @property
    def whole(self) -> bool:
        """Tell whether nothing is missing."""
        return all(one.severity is not Severity.BLOCKING for one in self.findings)


@dataclass(frozen=True, slots=True)
class _Import:
    """A module that a file imports, by the first part of its name; `perhaps` where the code does without."""

    module: str
    place: Place
    perhaps: bool = False


def bundle(crossing: Path | str, *, archive: Path | None = None, find_links: Sequence[Path | str] = ()) -> Bundle:
    """Return whether what was carried is whole, and write it with all that it needs as an `archive` (ZIP) if asked.

    `find_links` are folders with wheels: what is required comes from there and from nowhere else. Without, it comes
    from where pip is set up to look. Raises BadInput for a folder without a crossing, or a requirement that can't be
    read or had.
    """
    folder = Path(crossing)
    record = read_record(folder)
    target = target_side(folder, record, frozenset())
    files, _ = own_files(folder, record.carry_files)
    with scratch_folder() as scratch:
        site = scratch / "site"
        site.mkdir()
        wanted = _requirements(folder)
        if wanted:
            _install(folder / REQUIREMENTS, site, find_links)
        findings = [*_python(folder, files, target.profile, wanted, site), *_javascript(folder, files, target.profile)]
        made = archive or scratch / "bundle.zip"
        count = _pack(made, folder, files, site)
        size = made.stat().st_size
    most = target.profile.model.limits.largest_bundle
    if most and size > most:
        findings.append(
            Finding(
                "bundle-too-large",
                Severity.BLOCKING,
                f"with all that it needs the project is {size:,} bytes, and {target.profile.title} takes {most:,}",
                "Leave out what is not needed, or split the project",
            )
        )
    installed = tuple(sorted(f"{one.name} {one.version}" for one in metadata.distributions(path=[str(site)])))
    return Bundle(count, size, installed if wanted else (), tuple(findings))


# --- Python ---


def _requirements(folder: Path) -> dict[str, int]:
    """Return the names that are required, in the form in which they are compared, each with its line."""
    path = folder / REQUIREMENTS
    if not path.is_file():
        return {}
    found = {}
    for number, line in enumerate(read_text(path, str(path), "the requirements").splitlines(), 1):
        text = line.partition("#")[0].strip()
        if not text or text.startswith("-"):
            continue
        name = _NAME.match(text)
        if name is None:
            raise BadInput(f"{text!r} is no requirement", "Write NAME==VERSION", Place(str(path), number))
        found[_normal(name[0])] = number
    return found


def _normal(name: str) -> str:
    """Return a distribution's name as names are compared (PEP 503)."""
    return re.sub(r"[-_.]+", "-", name).lower()


def _install(requirements: Path, site: Path, find_links: Sequence[Path | str]) -> None:
    words = [sys.executable, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--no-input"]
    words += ["--no-compile", "--no-warn-script-location", "--target", str(site), "-r", str(requirements.resolve())]
    for one in find_links:
        words += ["--no-index", "--find-links", str(Path(one).resolve())]
    try:
        done = subprocess.run(words, capture_output=True, text=True, timeout=_LONGEST, check=False)
    except subprocess.TimeoutExpired:
        raise BadInput(f"{requirements} could not be installed within {_LONGEST:g} s", "Try again") from None
    if done.returncode:
        told = next((line for line in done.stderr.splitlines() if line.startswith("ERROR")), done.stderr.strip())
        raise BadInput(
            f"what is required can't be had: {told.removeprefix('ERROR: ')}", "Correct it", Place(str(requirements))
        )


def _python(
    folder: Path, files: Sequence[str], profile: Profile, wanted: Mapping[str, int], site: Path
) -> Iterator[Finding]:
    own = {Path(path).parts[0].removesuffix(".py") for path in files}
    brought = {name.partition(".")[0] for name in profile.modules}
    there = _modules_in(site)
    used: set[str] = set()
    told: set[str] = set()
    for path in files:
        if language_of(path) != PYTHON:
            continue
        for one in _imports(folder, path):
            used.add(one.module)
            known = one.module in sys.stdlib_module_names or one.module in own | brought or one.module in there
            if known or one.module in told:
                continue
            told.add(one.module)
            yield Finding(
                "import-without-requirement",
                Severity.NOTE if one.perhaps else Severity.BLOCKING,
                f"{one.module} is imported, and nothing that {REQUIREMENTS} requires brings it"
                + (", which the code does without" if one.perhaps else ""),
                f"Require {_who_brings(one.module)}",
                one.place,
            )
    for name, line in wanted.items():
        modules = {module for module, names in there.items() if name in names}
        if modules and not modules & used:
            yield Finding(
                "requirement-unneeded",
                Severity.NOTE,
                f"{name} is required, and nothing that was carried imports {' or '.join(sorted(modules)[:3])}",
                "Leave it out, unless something loads it by its name",
                Place(str(folder / REQUIREMENTS), line),
            )


def _imports(folder: Path, path: str) -> Iterator[_Import]:
    """Yield the modules that a file in Python imports, from wherever in it."""
    try:
        tree = ast.parse((folder / path).read_bytes())
    except (SyntaxError, ValueError):
        return  # the check says so
    perhaps = {
        id(inner)
        for node in ast.walk(tree)
        if isinstance(node, ast.Try) and any(_catches_imports(one) for one in node.handlers)
        for statement in node.body
        for inner in ast.walk(statement)
    }
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            names = [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom) and not node.level:
            names = [node.module or ""]
        else:
            continue
        place = Place(path, node.lineno, node.col_offset + 1)
        yield from (_Import(name.partition(".")[0], place, id(node) in perhaps) for name in names)


def _catches_imports(handler: ast.ExceptHandler) -> bool:
    names = (
        {node.id for node in ast.walk(handler.type) if isinstance(node, ast.Name)} if handler.type else {"Exception"}
    )
    return bool(names & {"ImportError", "ModuleNotFoundError", "Exception", "BaseException"})


def _modules_in(site: Path) -> dict[str, set[str]]:
    """Return the modules that stand in a folder, by the first part of their names, each with who brings it."""
    found: dict[str, set[str]] = {}
    for one in metadata.distributions(path=[str(site)]):
        for file in one.files or ():
            name = file.parts[0]
            if name.endswith((".dist-info", ".data")) or name in ("..", "__pycache__"):
                continue
            found.setdefault(name.partition(".")[0], set()).add(_normal(one.name))
    return found


def _who_brings(module: str) -> str:
    """Return which distribution has a module, as far as this installation knows."""
    known = metadata.packages_distributions().get(module, [])
    return f"{known[0]}, which has it here" if known else f"what brings {module}"


# --- JavaScript ---


def _javascript(folder: Path, files: Sequence[str], profile: Profile) -> Iterator[Finding]:
    listed = _dependencies(folder)
    surface = profile.javascript
    brought = set(surface.modules) if surface is not None else set()
    used: set[str] = set()
    told: set[str] = set()
    for path in files:
        if language_of(path) != JAVASCRIPT:
            continue
        try:
            read = parse_javascript((folder / path).read_bytes(), path)
        except BadInput:
            continue  # the check says so
        for link in read.links:
            name = _package_of(link.module)
            used.add(name)
            known = not name or name in _OF_NODE or name in brought or name in listed
            if known or name in told:
                continue
            told.add(name)
            yield Finding(
                "import-without-requirement",
                Severity.BLOCKING,
                f"{name} is imported, and {_PACKAGE} does not list it under dependencies",
                f"Add {name} to the dependencies",
                read.place(link.text),
            )
    for name, place in listed.items():
        if name not in used:
            what = f"{name} is listed under dependencies, and nothing that was carried imports it"
            yield Finding("requirement-unneeded", Severity.NOTE, what, "Leave it out, unless a tool needs it", place)


def _dependencies(folder: Path) -> dict[str, Place]:
    path = folder / _PACKAGE
    if not path.is_file():
        return {}
    document = read_json(path, str(path), "the package")
    listed: Any = document.data.get("dependencies") if isinstance(document.data, dict) else None
    return {str(name): document.place("dependencies", name) for name in listed} if isinstance(listed, dict) else {}


def _package_of(module: str) -> str:
    """Return the package that a module is of; empty for a file of the project's, and for one of Node's own."""
    if module.startswith((".", "/", "#", "node:", "file:", "data:")):
        return ""
    parts = module.split("/")
    return "/".join(parts[:2]) if module.startswith("@") else parts[0]


# --- the archive ---


def _pack(archive: Path, folder: Path, files: Sequence[str], site: Path) -> int:
    """Write the archive, and return how many files are in it: the project's, and over them what is required."""
    entries = {path: folder / path for path in files}
    for path in sorted(site.rglob("*")):
        name = path.relative_to(site).as_posix()
        # What tells how it came there would be another each time; commands are of no use to a function.
        left = "__pycache__" in name or name.startswith("bin/") or name.endswith(("/direct_url.json", "/REQUESTED"))
        if path.is_file() and not left:
            entries.setdefault(name, path)
    coming = archive.with_name(f".{archive.name}.coming")
    try:
        with zipfile.ZipFile(coming, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as made:
            for name in sorted(entries):
                info = zipfile.ZipInfo(name, _THEN)
                info.compress_type, info.external_attr = zipfile.ZIP_DEFLATED, 0o644 << 16
                made.writestr(info, entries[name].read_bytes())
        coming.replace(archive)
    except OSError as error:
        coming.unlink(missing_ok=True)
        raise BadInput(f"{archive} can't be written: {error.strerror or error}", "Check the folder") from None
    return len(entries)
