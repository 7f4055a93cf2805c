"""Where a definition's functions stand: in its document, in further ones, in files of their own, or in code."""

from __future__ import annotations

import ast
import os
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from vast_ferry.documents.document import NOT_CARRIED, Document, Path_
from vast_ferry.documents.ini_file import read_ini
from vast_ferry.documents.json_file import read_json
from vast_ferry.documents.python_file import Decorated, only_declares, parameters_of, parse_python, read_decorators
from vast_ferry.documents.toml_file import read_toml
from vast_ferry.documents.yaml_file import read_yaml
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity, nearest
from vast_ferry.hub.functions import Entry
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.schema import DefinitionModel

#: syntax → how to read it
READERS: Final = {"yaml": read_yaml, "toml": read_toml, "json": read_json, "ini": read_ini}
#: So many files a definition may consist of.
MOST_FILES: Final = 5000


@dataclass(frozen=True, slots=True)
class Declared:
    """One function as declared: its data, and where that stands."""

    name: str
    data: dict[str, Any]
    document: Document
    path: Path_
    entry: Entry | None = None


@dataclass(slots=True)
class Declarations:
    """The functions of one project as they are declared, and what is found while they are read."""

    profile: Profile
    model: DefinitionModel
    folder: Path
    document: Document
    findings: list[Finding] = field(default_factory=list)
    declarations: list[str] = field(default_factory=list)  # files of code that only declare
    trees: dict[Path, ast.Module] = field(default_factory=dict)
    files: dict[str, str] = field(default_factory=dict)  # what a document is called → its path in the project

    def note(self, code: str, severity: Severity, why: tuple[str, str], place: Place, function: str = "") -> None:
        """Note a finding; `why` is its reason and its remedy."""
        self.findings.append(Finding(code, severity, *why, self.kept(place), function))

    def kept(self, place: Place) -> Place:
        """Return a place as the project keeps it: its file within the project."""
        return Place(self.files.get(place.file, self.model.file), place.line, place.column)

    def unknown(self, declared: Declared, data: dict[str, Any], known: list[str], path: Path_) -> None:
        for key in data:
            if key not in known:
                self.note(
                    "unknown-key",
                    Severity.TODO,
                    (
                        f"{key!r} is no key that {self.profile.title} has here{nearest(str(key), known)}",
                        "Correct the key, or declare by hand at the target what it stands for",
                    ),
                    declared.document.place(*path, key),
                    declared.name,
                )

    def mapping(self, data: Any, document: Document, path: Path_, what: str) -> dict[str, Any]:
        if not isinstance(data, dict):
            raise BadInput(f"{what} is not a mapping", "Write `key: value` pairs there", document.place(*path))
        return data

    # --- where functions stand ---

    def declared(self, top: dict[str, Any]) -> Iterator[Declared]:
        functions = self.model.functions
        if functions.at:
            found = False
            for document, data in self._documents(self.document, top):
                for key, name, own in self._of(data.get(functions.at, {}), document):
                    found, path = True, (functions.at, key)
                    declared = self.mapping(own, document, path, f"function {name}")
                    yield Declared(name, self._with_usual(declared, top), document, path)
            if not found:
                raise BadInput(
                    f"no functions stand under {functions.at}", "Declare at least one", self.document.place()
                )
        elif functions.files:
            yield from self._from_files(functions.files)
        else:
            yield from self._from_code()

    def _of(self, listed: Any, document: Document) -> Iterator[tuple[str | int, str, Any]]:
        """Yield each function under `at`: its key or number there, its name, and what is declared of it."""
        functions = self.model.functions
        if not functions.named_by:
            for name, own in self.mapping(listed, document, (functions.at,), functions.at).items():
                yield name, str(name), own
            return
        if not isinstance(listed, list):
            raise BadInput(f"{functions.at} is not a list", "List the functions there", document.place(functions.at))
        for number, own in enumerate(listed):
            at = (functions.at, number)
            declared = dict(self.mapping(own, document, at, f"function {number + 1}"))
            name = declared.pop(functions.named_by, None)
            if not isinstance(name, str) or not name:
                raise BadInput(
                    f"function {number + 1} has no {functions.named_by}", "Give it a name", document.place(*at)
                )
            yield number, name, declared

    def _with_usual(self, own: dict[str, Any], top: dict[str, Any]) -> dict[str, Any]:
        """Return what is declared of a function, with what holds for each that does not say otherwise.

        Mappings are put together by their keys; of anything else the function's own counts.
        """
        usual = top.get(self.model.functions.usual, {}) if self.model.functions.usual else {}
        usual = self.mapping(usual, self.document, (self.model.functions.usual,), self.model.functions.usual)
        both = {
            key: {**value, **own[key]}
            for key, value in usual.items()
            if isinstance(value, dict) and isinstance(own.get(key), dict)
        }
        return {**usual, **own, **both}

    def _documents(self, document: Document, data: dict[str, Any]) -> Iterator[tuple[Document, dict[str, Any]]]:
        """Yield a document and those that it lists, each once; raises BadInput where they list one another."""
        more = self.model.functions.more
        no_one: frozenset[Path] = frozenset()
        waiting = [(document, data, no_one)]
        while waiting:
            document, data, within = waiting.pop()
            yield document, data
            listed = data.get(more, []) if more else []
            if not isinstance(listed, list) or not all(isinstance(one, str) for one in listed):
                raise BadInput(f"{more} is no list of files", "List their paths", document.place(more))
            here = self.folder / self.files[document.file]
            inner = [self._listed(name, here, document.place(more, at), within) for at, name in enumerate(listed)]
            waiting += [(one, own, within | {here.resolve()}) for one, own in reversed(inner)]

    def _listed(self, name: str, here: Path, place: Place, within: frozenset[Path]) -> tuple[Document, dict[str, Any]]:
        """Return a document that the one in the file `here` lists."""
        path = here.parent / name
        if not leads_into(path, self.folder):
            raise BadInput(f"{name} leads out of the project", "Copy it into the project", place)
        if path.resolve() in (here.resolve(), *within):
            raise BadInput(f"{name} lists this file again: they go round in a circle", "Take one out", place)
        if not path.is_file():
            raise BadInput(f"there is no file {name}", "Correct the path, from this file's folder", place)
        shown = str(path)
        if shown in self.files:
            raise BadInput(f"{name} is listed twice", "Take one out", place)
        if len(self.files) >= MOST_FILES:
            raise BadInput(f"more than {MOST_FILES:,} files are listed", "Put some of them together", place)
        self.files[shown] = path.resolve().relative_to(self.folder.resolve()).as_posix()
        inner = READERS[self.model.syntax](path, shown, "the definition")
        own = self.mapping(inner.data, inner, (), "the definition")
        more = self.model.functions.more
        self.unknown(Declared("", own, inner, ()), own, [self.model.functions.at, more], ())
        return inner, own

    def _from_files(self, pattern: str) -> Iterator[Declared]:
        files = sorted(self.folder.glob(pattern))
        if not files:
            raise BadInput(f"there is no file {pattern} in {self.folder}", "Declare at least one function in one")
        for path in files:
            shown = str(path)
            self.files[shown] = path.relative_to(self.folder).as_posix()
            if not leads_into(path, self.folder):
                raise BadInput(
                    "the file is a link that leads out of the project", "Copy it into the project", Place(shown)
                )
            document = READERS[self.model.syntax](path, shown, "the definition")
            data = self.mapping(document.data, document, (), f"function {path.stem}")
            yield Declared(path.stem, data, document, ())

    def _from_code(self) -> Iterator[Declared]:
        code = self.model.functions.code
        assert code is not None
        found = False
        for path in code_files(self.folder):
            shown, relative = str(path), path.relative_to(self.folder).as_posix()
            every = list(read_decorators(path, shown, code.module, code.decorators))
            behind = [self._stands_for(one) for one in every]
            names = [one.name for one in every]
            apart = bool(every) and None not in behind and only_declares(self.tree(path), names)
            if apart:  # a file that only declares is none of the handlers'
                self.declarations.append(relative)
            for one, entry in zip(every, behind, strict=True):
                self.files[shown] = relative
                found = True
                own = Entry(relative, one.name) if entry is None or not apart else entry
                yield self._decorated(one, own, shown)
        if not found:
            raise BadInput(
                f"no function in {self.folder} has a decorator of {code.module}",
                f"Expected one of {', '.join(code.decorators)}",
            )

    def tree(self, path: Path) -> ast.Module:
        """Return a file's syntax tree; many functions may be declared of one file."""
        if path not in self.trees:
            self.trees[path] = parse_python(path, str(path))
        return self.trees[path]

    def _stands_for(self, one: Decorated) -> Entry | None:
        """Return the handler that a declared function only calls, if it takes the same parameters."""
        called = one.stands_for
        if called is None:
            return None
        relative = f"{called.module.replace('.', '/')}.py"
        path = self.folder / relative
        if not path.is_file() or parameters_of(self.tree(path), called.name) != called.parameters:
            return None
        return Entry(relative, called.name)

    def _decorated(self, one: Decorated, entry: Entry, shown: str) -> Declared:
        """Return the data that a function's decorators are: settings, and a list of triggers and bindings."""
        code, at = self.model.functions.code, self.model.functions.triggers_at
        assert code is not None
        data: dict[str, Any] = {}
        listed: list[dict[str, Any]] = []
        places: dict[Path_, tuple[int, int]] = {(): (one.place.line, one.place.column)}
        name = one.name
        path: Path_
        no_path: Path_ = ()
        for decorator in one.decorators:
            if decorator.path == code.settings:
                into, path = data, no_path
            else:
                into, path = {decorator.path: True}, (at, len(listed))
                listed.append(into)
                places[path] = (decorator.place.line, decorator.place.column)
            for argument, (value, place) in decorator.arguments.items():
                into[argument] = value
                places[(*path, argument)] = (place.line, place.column)
            for argument, (source, place) in decorator.computed.items():
                self.note(
                    "computed-declaration",
                    Severity.BLOCKING,
                    (
                        f"{argument} of {decorator.path} is {source}: only running the code tells what that is",
                        "Write the value itself there, or a constant of the module",
                    ),
                    place,
                    name,
                )
            if path and decorator.computed and not any(kind.told_by in into for kind in self.model.functions.triggers):
                listed.pop()  # what kind of trigger it is only running the code tells; the finding says so
        name = str(data.pop("name", name))
        return Declared(name, {**data, at: listed}, Document(shown, {}, places), (), entry)

    # --- the whole ---


def code_files(folder: Path) -> Iterator[Path]:
    """Yield the Python files of a project in a fixed order, but for hidden ones, links out of it and samples."""
    root = folder.resolve()
    for top, folders, names in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith(".") and name not in NOT_CARRIED)
        files = (Path(top, name) for name in sorted(names) if name.endswith(".py") and not name.startswith("."))
        yield from (path for path in files if leads_into(path, root) and path.is_file())


def leads_into(path: Path, folder: Path) -> bool:
    """Tell whether a path, once every link is followed, lies in a folder; one that goes in a circle does not."""
    try:
        return path.resolve().is_relative_to(folder.resolve()) and "\0" not in str(path)
    except (OSError, RuntimeError, ValueError):
        return False
