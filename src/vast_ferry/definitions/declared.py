"""Where a definition's functions stand: in its document, in further ones, in files of their own, or in code."""

from __future__ import annotations

import ast
import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from vast_ferry.definitions.apart import WHOLE, apart
from vast_ferry.definitions.by_path import DOES, NAME, Lying, known_by, named_of, placed_javascript, placed_python
from vast_ferry.definitions.forms import FormError
from vast_ferry.definitions.laid_over import MISSING, NoSuchName, filled, merged, there, under
from vast_ferry.definitions.syntaxes import read_document, syntax_of
from vast_ferry.definitions.tables import forms_of
from vast_ferry.documents.comments import read_comments
from vast_ferry.documents.document import NOT_CARRIED, Document, Path_
from vast_ferry.documents.python_file import (
    Called,
    Decorated,
    Registered,
    Registering,
    only_declares,
    parameters_of,
    parse_python,
    read_calls,
    read_decorators,
    what_functions_call,
)
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity, nearest
from vast_ferry.hub.functions import JAVASCRIPT_FILES, Entry
from vast_ferry.hub.keys import fits
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.schema_definition import ByPathModel, CallsModel, CommentsModel, DefinitionModel

#: So many files a definition may consist of.
MOST_FILES: Final = 5000
#: What files of code end in.
CODE_FILES: Final = (".py", *JAVASCRIPT_FILES)


@dataclass(frozen=True, slots=True)
class Declared:
    """One function as declared: its data, and where that stands."""

    name: str
    data: dict[str, Any]
    document: Document
    path: Path_
    entry: Entry | None = None
    own: dict[str, Any] = field(default_factory=dict)  # as it stands there, without what holds for several


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
    title: str = ""  # the project's name, where code tells it
    files: dict[str, str] = field(default_factory=dict)  # what a document is called → its path in the project

    @property
    def keys_at_top(self) -> list[str]:
        """Return the keys, some with dots, that may stand at a definition's top, but for its functions."""
        functions, names = self.model.functions, self.model.references.names.values() if self.model.references else ()
        keys = [self.model.name, self.model.region, functions.more, functions.usual, functions.bases]
        keys += [self.model.stages.at if self.model.stages else "", *functions.shared]
        keys += [where.at for where in functions.elsewhere if not where.file]
        keys += [name for name in names if name not in ("stage", "function", "variables.*")]
        return [key for key in keys if key]

    def apart(self, document: Document) -> Document:
        """Return a document of the definition whose functions stand under one key at its top."""
        return apart(document, self.model.functions.at, {key.partition(".")[0] for key in self.keys_at_top})

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

    def unknown_within(self, declared: Declared, data: dict[str, Any], known: list[str], path: Path_) -> None:
        """Tell of keys that nobody knows, those inside of keys of which only parts are known as well.

        A part `*` is any: all that stands there is known.
        """
        if "*" in known:
            return
        self.unknown(declared, data, [*known, *(at.partition(".")[0] for at in known)], path)
        for key in [key for key in data if key not in known and isinstance(data[key], dict)]:
            inner = [at.partition(".")[2] for at in known if at.startswith(f"{key}.")]
            if inner:
                self.unknown_within(declared, data[key], inner, (*path, key))

    def mapping(self, data: Any, document: Document, path: Path_, what: str) -> dict[str, Any]:
        if not isinstance(data, dict):
            raise BadInput(f"{what} is not a mapping", "Write `key: value` pairs there", document.place(*path))
        return data

    # --- where functions stand ---

    def declared(self, top: dict[str, Any]) -> Iterator[Declared]:
        functions = self.model.functions
        if functions.calls:
            yield from self._from_calls(functions.calls)
        elif functions.at:
            found = False
            for document, data in self._documents(self.document, top):
                for key, name, own in self._of(data.get(functions.at, {}), document):
                    found, path = True, (functions.at, key)
                    declared = self.mapping(own, document, path, f"function {name}")
                    whole = self.whole(name, declared, document.place(*path), top)
                    yield Declared(name, whole, document, path, own=declared)
            if not found:
                under = "" if functions.at == WHOLE else f" under {functions.at}"
                raise BadInput(f"no functions stand{under}", "Declare at least one", self.document.place())
        elif functions.files:
            yield from self._from_files(functions.files)
        elif functions.comments:
            yield from self._from_comments(functions.comments)
        elif functions.by_path:
            yield from self._by_path(functions.by_path)
        else:
            yield from self._from_code()

    @property
    def what(self) -> str:
        """Return what a message calls the place at which functions stand."""
        return "the definition" if self.model.functions.at == WHOLE else self.model.functions.at

    def _of(self, listed: Any, document: Document) -> Iterator[tuple[str | int, str, Any]]:
        """Yield each function under `at`: its key or number there, its name, and what is declared of it."""
        functions = self.model.functions
        if not (functions.named_by or functions.usual_name):
            for name, own in self.mapping(listed, document, (functions.at,), self.what).items():
                yield name, str(name), own
            return
        if not isinstance(listed, list):
            raise BadInput(f"{self.what} is not a list", "List the functions there", document.place(functions.at))
        taken: set[str] = set()
        for number, own in enumerate(listed):
            at = (functions.at, number)
            declared = dict(self.mapping(own, document, at, f"function {number + 1}"))
            said: Any = declared.pop(functions.named_by, None) if functions.named_by else None
            name = said or self._usual_name(declared, taken)
            if not isinstance(name, str) or not name:
                raise BadInput(
                    f"function {number + 1} has no {functions.named_by}", "Give it a name", document.place(*at)
                )
            yield number, name, declared

    def _usual_name(self, declared: dict[str, Any], taken: set[str]) -> str:
        """Return what a function without a name is known by; a number makes it one that no other has."""
        usual = self.model.functions.usual_name
        return self._free(named_of(usual, declared) if usual else "", taken)

    def _free(self, first: str, taken: set[str]) -> str:
        """Return a name, with a number behind it where another function has it already."""
        name, number = first, 1
        while name in taken:
            number += 1
            name = f"{first}_{number}"
        taken.add(name)
        return name

    # --- what is put together ---

    def whole(
        self, name: str, own: dict[str, Any], place: Place, top: dict[str, Any], stage: str = ""
    ) -> dict[str, Any]:
        """Return all that is declared of a function in a stage (or without one): bases, what is usual, its own."""
        functions, by = self.model.functions, self.model.functions.merged_by
        usual = top.get(functions.usual, {}) if functions.usual else {}
        usual = self.mapping(usual, self.document, (functions.usual,), functions.usual)
        usual = {**usual, **{key: top[key] for key in functions.shared if key in top}}
        if functions.patterns:
            listed = self.mapping(top.get(functions.at, {}), self.document, (functions.at,), functions.at)
            fitting = [pattern for pattern in listed if fits(name, pattern)]
            for pattern in sorted(fitting, key=lambda one: len(one.replace("*", ""))):
                usual = merged(usual, listed[pattern], by)
        data = merged(merged(self._base(own, top, place, ()), usual, by), own, by)
        stages = self.model.stages
        if stages and stages.inside:
            listed = data.pop(stages.inside, [])
            for over in listed if isinstance(listed, list) else [listed]:
                if isinstance(over, dict) and over.get(stages.named_by) == stage:
                    data = merged(data, {k: v for k, v in over.items() if k != stages.named_by}, by)
        data.pop(functions.like, None)
        return self._filled(name, data, place, top, stage)

    def _base(self, own: dict[str, Any], top: dict[str, Any], place: Place, seen: tuple[str, ...]) -> dict[str, Any]:
        """Return what a function, or a base, takes over from the base that it names."""
        functions = self.model.functions
        name = own.get(functions.like) if functions.like else None
        if name is None:
            return {}
        by = functions.bases_named_by
        listed = top.get(functions.bases, {})
        if isinstance(listed, list):
            listed = {str(one.get(by)): one for one in listed if isinstance(one, dict)}
        every = listed
        if not isinstance(name, str) or not isinstance(every, dict) or not isinstance(every.get(name), dict):
            known = nearest(str(name), [one for one in every if isinstance(one, str)])
            raise BadInput(f"there is no {functions.bases} {name!r}{known}", "Correct the name", place)
        if name in seen:
            raise BadInput(f"{functions.bases} {name!r} takes over itself", "Take one out", place)
        base = {key: value for key, value in every[name].items() if key not in (by, functions.like)}
        return dict(merged(self._base(every[name], top, place, (*seen, name)), base, functions.merged_by))

    def _variables(self, name: str, data: dict[str, Any], place: Place) -> dict[str, Any]:
        """Return the variables that are declared of a function, as texts may name them."""
        row = next((row for row in self.model.functions.rows if row.field == "variables"), None)
        held = under(data, row.keys) if row else MISSING
        if row is None or held is MISSING:
            return {}
        try:
            return dict(forms_of(self.profile)[id(row)].read(held, "variables"))
        except FormError as error:
            raise BadInput(f"the variables of {name}: {error}", "Mend the value", place) from None

    def _filled(self, name: str, data: dict[str, Any], place: Place, top: dict[str, Any], stage: str) -> dict[str, Any]:
        references = self.model.references
        if references is None:
            return data

        def of(asked: str) -> Any:
            for written, means in references.names.items():
                begins, star, _ = written.partition("*")
                if asked != written and not (star and asked.startswith(begins)):
                    continue
                if means == "stage":
                    return stage or None
                if means == "function":
                    return name
                target, rest = means.partition("*")[0].removesuffix("."), asked[len(begins) :]
                held: Any = there(top, target) if star else top
                if target == "variables":
                    held = self._variables(name, data, place)
                found = there(held, rest if star else means) if isinstance(held, dict) else MISSING
                if found is not MISSING:
                    return found
            raise NoSuchName(asked)

        try:
            return dict(filled(data, references.written, of))
        except NoSuchName as error:
            shown = references.written.replace("{name}", str(error))
            raise BadInput(f"{shown} in {name} stands for nothing", "Correct the name, or declare it", place) from None

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
        inner = self.apart(read_document(path, shown, "the definition", self.model))
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
            self.refuse_outside(path)
            document = read_document(path, shown, "the definition", self.model)
            name = path.stem if pattern.rpartition("/")[2].startswith("*") else path.parent.name
            data = self.mapping(document.data, document, (), f"function {name}")
            whole = self.whole(name, data, document.place(), self.document.data)
            yield Declared(name, whole, document, (), own=data)

    def beside(self, file: str, known: list[str]) -> Document | None:
        """Return the document of another file of the definition; nothing where the project has none."""
        path = self.folder / file
        if not path.is_file():
            return None
        shown = str(path)
        self.files[shown] = file
        self.refuse_outside(path)
        document = read_document(path, shown, "the definition", self.model, syntax_of(file, self.model.syntax))
        if known == [WHOLE]:
            places = {(WHOLE, *way): place for way, place in document.places.items()}
            return Document(document.file, {WHOLE: document.data}, {**places, (): document.places.get((), (1, 1))})
        own = self.mapping(document.data, document, (), "the definition")
        self.unknown(Declared("", own, document, ()), own, known, ())
        return document

    def refuse_outside(self, path: Path) -> None:
        """Raise BadInput for a file that is a link out of the project."""
        if not leads_into(path, self.folder):
            what = "the file is a link that leads out of the project"
            raise BadInput(what, "Copy it into the project", Place(str(path)))

    def _from_code(self) -> Iterator[Declared]:
        code = self.model.functions.code
        assert code is not None
        found = False
        for path in code_files(self.folder):
            shown, relative = str(path), path.relative_to(self.folder).as_posix()
            every = list(read_decorators(path, shown, code.module, code.decorators))
            behind = [self._stands_for(one.stands_for) for one in every]
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

    def _from_comments(self, comments: CommentsModel) -> Iterator[Declared]:
        found, by = False, self.model.functions.named_by
        for path in code_files(self.folder):
            shown, relative = str(path), path.relative_to(self.folder).as_posix()
            every = list(read_comments(path, shown, comments.mark))
            behind = self._behind(path, relative) if every else {}
            for one in every:
                self.files[shown], found = relative, True
                if not one.name:
                    why = f"comments with {comments.mark} declare a function, and none stands right below these"
                    self.note("unknown-key", Severity.TODO, (why, "Put them above it"), Place(shown, one.line))
                    continue
                own = dict(self.mapping(one.document.data, one.document, (), f"what is said of {one.name}"))
                name = str(own.pop(by, one.name)) if by else one.name
                whole = self.whole(name, own, one.document.place(), self.document.data or {})
                yield Declared(name, whole, one.document, (), behind.get(one.name) or Entry(relative, one.name), own)
        if not found:
            what = f"no comment in {self.folder} begins with {comments.mark}"
            raise BadInput(what, "Declare at least one function by such comments")

    def _by_path(self, models: list[ByPathModel]) -> Iterator[Declared]:
        found, taken = False, set[str]()
        every = list(code_files(self.folder, CODE_FILES))
        known = {one.relative_to(self.folder).as_posix() for one in every}
        for path in every:
            relative = path.relative_to(self.folder).as_posix()
            lying = next((one for one in map(Lying, models) if one.read(relative) is not None), None)
            if lying is None:
                continue
            shown = str(path)
            self.files[shown], found = relative, True
            python = relative.endswith(".py")
            file = (
                placed_python(self.tree(path), shown, lying.model.says, known)
                if python
                else placed_javascript(path, relative, lying.model.says, known)
            )
            self.declarations += [relative] if file.only_passes_on else []
            for handler in lying.model.handlers:
                if handler not in file.names:
                    continue
                several = len(lying.model.handlers) > 1
                data = {**(lying.read(relative) or {}), **({DOES: handler} if several else {})}
                name = self._free(known_by(self.model.functions.usual_name, data, several=several), taken)
                places: dict[Path_, tuple[int, int]] = {(): (file.names[handler], 1), **file.places}
                own = {key: one for key, one in {**file.says, **data}.items() if key != NAME}
                document = Document(shown, {}, places)
                whole = self.whole(name, own, document.place(), self.document.data or {})
                yield Declared(name, whole, document, (), file.behind.get(handler) or Entry(relative, handler), own)
                for what, source, place in file.computed:
                    self.computed(what, source, place, name)
        if not found:
            raise BadInput(
                f"no file lies where {self.profile.title} looks for functions", f"Expected {_places(models)}"
            )

    def _behind(self, path: Path, relative: str) -> dict[str, Entry | None]:
        """Return the handlers that the functions of a file call, by their names, if the file does no more than that."""
        behind = {one: self._stands_for(called) for one, called in what_functions_call(self.tree(path)).items()}
        if None in behind.values() or not only_declares(self.tree(path), list(behind)):
            return {}
        self.declarations.append(relative)
        return behind

    def _from_calls(self, calls: CallsModel) -> Iterator[Declared]:
        """Yield the functions that calls declare; several calls of one name are one function."""
        path = self.folder / calls.file
        if not path.is_file():
            raise BadInput(
                f"there is no file {calls.file} in {self.folder}", "Expected the calls that declare functions"
            )
        shown = str(path)
        self.files[shown] = calls.file
        self.refuse_outside(path)
        self.title, registered, unread = read_calls(
            path, shown, Registering(calls.module, calls.object, calls.calls, calls.handler)
        )
        for called, place in unread:
            why = f"{called} is no call at the top of the file by which {self.profile.title} is known to take a handler"
            remedy = "Write such a call there, or declare by hand at the target what it stands for"
            self.note("unknown-key", Severity.TODO, (why, remedy), place)
        by_name: dict[str, list[Registered]] = {}
        for one in registered:
            usual = calls.usual_name.format(module=one.module.rpartition(".")[2], function=one.name)
            by_name.setdefault(str(one.call.arguments.get(calls.named, (usual,))[0]), []).append(one)
        if not by_name:
            raise BadInput(f"no call in {calls.file} hands over a handler", "Expected one of " + ", ".join(calls.calls))
        at = self.model.functions.triggers_at
        for name, several in by_name.items():
            listed, places = [], dict[Path_, tuple[int, int]]()
            first = several[0]
            other = next((one for one in several if (one.module, one.name) != (first.module, first.name)), None)
            if other is not None:
                what = f"{name} is the name of {first.module}.{first.name} and of {other.module}.{other.name}"
                raise BadInput(what, "Give one of them another name", other.call.place)
            places[()] = first.call.place.line, first.call.place.column
            for number, one in enumerate(several):
                places[at, number] = one.call.place.line, one.call.place.column
                given = {key: value for key, (value, _) in one.call.arguments.items() if key != calls.named}
                listed.append({one.call.path: True, **given})
                for argument, (source, place) in one.call.computed.items():
                    self.computed(f"{argument} of {one.call.path}", source, place, name)
            document = Document(shown, {}, places)
            own = {at: listed}
            whole = self.whole(name, own, document.place(), self.document.data)
            file = f"{first.module.replace('.', '/')}.py"
            package = file.replace(".py", "/__init__.py")
            entry = Entry(package if (self.folder / package).is_file() else file, first.name)
            yield Declared(name, whole, document, (), entry, own)

    def computed(self, what: str, source: str, place: Place, function: str) -> None:
        """Tell of a value that only running the code would tell."""
        self.note(
            "computed-declaration",
            Severity.BLOCKING,
            (
                f"{what} is {source}: only running the code tells what that is",
                "Write the value itself there, or a constant of the module",
            ),
            place,
            function,
        )

    def tree(self, path: Path) -> ast.Module:
        """Return a file's syntax tree; many functions may be declared of one file."""
        if path not in self.trees:
            self.trees[path] = parse_python(path, str(path))
        return self.trees[path]

    def _stands_for(self, called: Called | None) -> Entry | None:
        """Return the handler that a declared function only calls, if it takes the same parameters."""
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
                self.computed(f"{argument} of {decorator.path}", source, place, name)
            if path and decorator.computed and not any(kind.key in into for kind in self.model.functions.triggers):
                listed.pop()  # what kind of trigger it is only running the code tells; the finding says so
        name = str(data.pop("name", name))
        return Declared(name, {**data, at: listed}, Document(shown, {}, places), (), entry)


def _places(models: Sequence[ByPathModel]) -> str:
    return " or ".join(f"{one.files} with {' or '.join(one.handlers)} in it" for one in models)


def lies_there(folder: Path, model: DefinitionModel) -> bool:
    """Tell whether a project has a file that lies where a definition looks for functions."""
    every = [Lying(one) for one in model.functions.by_path]
    files = (path.relative_to(folder).as_posix() for path in code_files(folder, CODE_FILES))
    return bool(every) and any(one.read(file) is not None for file in files for one in every)


def code_files(folder: Path, endings: tuple[str, ...] = (".py",)) -> Iterator[Path]:
    """Yield the files of code of a project in a fixed order, but for hidden ones, links out of it and samples."""
    root = folder.resolve()
    for top, folders, names in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith(".") and name not in NOT_CARRIED)
        files = (Path(top, name) for name in sorted(names) if name.endswith(endings) and not name.startswith("."))
        yield from (path for path in files if leads_into(path, root) and path.is_file())


def leads_into(path: Path, folder: Path) -> bool:
    """Tell whether a path, once every link is followed, lies in a folder; one that goes in a circle does not."""
    try:
        return path.resolve().is_relative_to(folder.resolve()) and "\0" not in str(path)
    except (OSError, RuntimeError, ValueError):
        return False
