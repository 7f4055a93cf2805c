"""Looking at a project's code without running it: are the entries there, what is imported, called and read?"""

from __future__ import annotations

import ast
import os
import re
from collections.abc import Iterable, Iterator, Mapping, Set
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from vast_ferry.definitions.declared import leads_into
from vast_ferry.documents.javascript_file import JavaScriptFile
from vast_ferry.documents.python_file import Computed, constants_of, parse_python, value_of
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity, nearest, shortened
from vast_ferry.hub.functions import JAVASCRIPT, PYTHON, Function, language_of
from vast_ferry.mapping.clients import Client
from vast_ferry.mapping.places import Attr, parse_place
from vast_ferry.profiles.profile import Profile
from vast_ferry.surveying.chained import Handles, named_in
from vast_ferry.surveying.kept_state import kept_between_calls
from vast_ferry.surveying.parts import FileScan, Part, Setting, Use
from vast_ferry.surveying.scan_javascript import scan_javascript
from vast_ferry.translate.python.nodes import Nodes, collector_at_rest, walk
from vast_ferry.translate.python.source import parsed


@dataclass(frozen=True, slots=True)
class Scanned:
    """What a project's files say: of each, and findings."""

    findings: tuple[Finding, ...]
    modules: frozenset[str]  # the provider's own modules that the project's code needs
    files: Mapping[str, FileScan] = field(default_factory=dict)
    broken: Mapping[str, BadInput] = field(default_factory=dict)  # files that are not Python, and why
    trees: Mapping[str, Nodes] = field(default_factory=dict, compare=False)  # where they were read here
    javascript: Mapping[str, JavaScriptFile] = field(default_factory=dict, compare=False)

    @property
    def uses(self) -> list[Use]:
        """Return every call of a client in the project."""
        return [use for scan in self.files.values() for part in scan.parts.values() for use in part.uses]

    def reached(self, file: str, name: str) -> dict[tuple[str, str], Part]:
        """Return the parts of files that a definition can reach by names, with what runs when a file is imported.

        What is mentioned counts as reached; cycles do no harm.
        """
        found: dict[tuple[str, str], Part] = {}
        waiting = [(file, name), (file, "")]
        while waiting:
            at = waiting.pop()
            scan = self.files.get(at[0])
            part = scan.parts.get(at[1]) if scan else None
            if at in found or scan is None or part is None:
                continue
            found[at] = part
            waiting += [(at[0], other) for other in sorted(part.names) if other in scan.parts]
            for own, (there, what) in scan.imports.items():
                waiting.append((there, ""))
                if own in part.names:
                    theirs = self.files[there].parts if there in self.files else {}
                    waiting += [(there, what)] if what else [(there, one) for one in theirs if one in part.names]
        return found


def scan_entry(folder: Path, function: Function, scanned: Scanned, *, script: bool = False) -> None:
    """Check that a function's entry names a callable in a file of the project; raise BadInput where it does not."""
    file, name = function.entry.file, function.entry.name
    path = folder / file
    declared = Place(str(folder / function.place.file), function.place.line, function.place.column)
    if not path.is_file():
        raise BadInput(
            f"function {function.name} points to {file}, which is not there{nearest(file, scanned.files)}",
            "Correct the entry, or add the file",
            declared,
        )
    if not leads_into(path, folder):
        raise BadInput(
            f"function {function.name} points to {file}, which leads out of the project",
            "Keep handlers inside the project",
            declared,
        )
    if script:
        return
    if file in scanned.broken:
        error = scanned.broken[file]
        place = Place(str(path), error.place.line, error.place.column)
        raise BadInput(error.what, error.remedy, place)
    names = (
        scanned.files[file].defines if file in scanned.files else frozenset(_top_names(parse_python(path, str(path))))
    )
    if name not in names and not (file in scanned.files and scanned.files[file].more):
        raise BadInput(
            f"function {function.name} points to {name!r}, which {file} does not "
            f"{'define' if function.entry.language == PYTHON else 'export'}{nearest(name, sorted(names))}",
            "Correct the entry, or define the handler",
            declared,
        )


def _top_names(tree: ast.Module) -> list[str]:
    """Return the names that a module binds at its top level, inside `if` and `try` as well."""
    names: list[str] = []
    stack: list[ast.stmt] = list(reversed(tree.body))
    while stack:
        node = stack.pop()
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)):
            names.append(node.name)
        elif isinstance(node, ast.Assign):
            names += [n.id for target in node.targets for n in ast.walk(target) if isinstance(n, ast.Name)]
        elif isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name):
            names.append(node.target.id)
        elif isinstance(node, (ast.Import, ast.ImportFrom)):
            names += [alias.asname or alias.name.split(".")[0] for alias in node.names]
        elif isinstance(node, (ast.If, ast.Try, ast.With)):
            for block in ("body", "orelse", "finalbody"):
                stack += reversed(getattr(node, block, []))
            stack += [inner for handler in getattr(node, "handlers", []) for inner in reversed(handler.body)]
    return names


def imported_by(files: Mapping[str, bytes], modules: Iterable[str]) -> frozenset[str]:
    """Return those of the modules that files import, as far as lines that begin so say it."""
    names = "|".join(re.escape(module) for module in modules)
    pattern = re.compile(rf"^[ \t]*(?:from|import)[ \t]+(?:[\w., ]*[ ,])?({names})\b".encode(), re.MULTILINE)
    if not names:
        return frozenset()
    return frozenset(
        found.decode() for path, raw in files.items() if path.endswith(".py") for found in pattern.findall(raw)
    )


def names_imported(files: Mapping[str, bytes], modules: Set[str]) -> frozenset[tuple[str, str]]:
    """Return what files import from modules, by name, whether they use it or not: each with its module."""
    found: set[tuple[str, str]] = set()
    for path in files:
        if imported_by({path: files[path]}, modules) and (read := parsed(files, path)) is not None:
            statements = [node for node in ast.walk(read[1]) if isinstance(node, ast.ImportFrom)]
            found |= {(node.module or "", one.name) for node in statements for one in node.names if not node.level}
    return frozenset(one for one in found if one[0] in modules)


def scan_imports(folder: Path, files: Iterable[str], profile: Profile) -> Scanned:
    """Return what a project's code needs of its provider: modules, clients and where they are called, and findings.

    A file that can't be parsed is a finding: it may be one that nothing uses.
    """
    scanner = _Scanner(profile, set(files))
    with collector_at_rest():
        _scan_all(scanner, folder)
    return Scanned(tuple(scanner.findings), frozenset(scanner.needed), scanner.scanned, scanner.broken, scanner.trees)


def scan_project(folder: Path, files: Iterable[str], profile: Profile, functions: Iterable[Function]) -> Scanned:
    """Return what a project's code needs of its provider, in every language in which it has functions."""
    files = list(files)
    scanned = scan_imports(folder, files, profile)
    if not any(function.entry.language == JAVASCRIPT for function in functions):
        return scanned  # what JavaScript there would be like is not even worked out
    surface = profile.javascript
    return with_javascript(scanned, folder, files, surface) if surface is not None else scanned


def with_javascript(scanned: Scanned, folder: Path, files: Iterable[str], surface: Profile) -> Scanned:
    """Return what a project's code says with what its files in JavaScript say, as a provider's surface there has it."""
    known = set(files)
    contents = ((path, (folder / path).read_bytes()) for path in sorted(known) if language_of(path) == JAVASCRIPT)
    made = scan_javascript(surface, contents, known)
    return replace(
        scanned,
        findings=(*scanned.findings, *made.findings),
        files={**scanned.files, **made.scans},
        broken={**scanned.broken, **made.broken},
        javascript=made.files,
    )


#: Of so many files on, they are shared among the cores; fewer are scanned before a process has started.
MANY = 200
SHARE = 40

_forked: tuple[_Scanner, Path] | None = None  # inherited by forked processes


def _scan_all(scanner: _Scanner, folder: Path) -> None:
    global _forked  # noqa: PLW0603
    files = sorted(file for file in scanner.files if file.endswith(".py"))
    cores = len(os.sched_getaffinity(0))
    if len(files) < MANY or cores < 2:
        _scan_some(scanner, folder, files)
        return
    _forked = scanner, folder
    shares = [files[index : index + SHARE] for index in range(0, len(files), SHARE)]
    with ProcessPoolExecutor(cores, mp_context=get_context("fork")) as pool:
        for found in pool.map(_scan_share, shares):
            scanner.add(found)
    _forked = None


def _scan_share(files: list[str]) -> _Share:
    assert _forked is not None
    scanner, folder = _forked
    scanner.findings, scanner.needed, scanner.broken, scanner.scanned, scanner.trees = [], set(), {}, {}, {}
    _scan_some(scanner, folder, files)
    # A client is known by its name on the other side: its tables need not travel.
    uses = {
        (file, name): [(use.client.called, use.place, use.name) for use in part.uses]
        for file, scan in scanner.scanned.items()
        for name, part in scan.parts.items()
        if part.uses
    }
    bare = {
        file: replace(scan, parts={name: replace(part, uses=()) for name, part in scan.parts.items()})
        for file, scan in scanner.scanned.items()
    }
    return _Share(scanner.findings, scanner.needed, scanner.broken, bare, uses)


@dataclass(frozen=True, slots=True)
class _Share:
    """What was found in some of the files, by another process."""

    findings: list[Finding]
    needed: set[str]
    broken: dict[str, BadInput]
    scanned: dict[str, FileScan]
    uses: dict[tuple[str, str], list[tuple[str, Place, str]]]


def _scan_some(scanner: _Scanner, folder: Path, files: Iterable[str]) -> None:
    for file in files:
        try:
            tree = parse_python(folder / file, file)
        except BadInput as error:
            scanner.broken[file] = error
            scanner.findings.append(
                Finding("not-python", Severity.TODO, error.what, "Mend it if anything imports it", error.place)
            )
            continue
        nodes = scanner.trees[file] = Nodes(tree)
        scanner.scan(file, tree, nodes)


class _Scanner:
    def __init__(self, profile: Profile, files: set[str]) -> None:
        self.profile, self.files = profile, files
        self.findings: list[Finding] = []
        self.needed: set[str] = set()
        self.broken: dict[str, BadInput] = {}
        self.scanned: dict[str, FileScan] = {}
        self.trees: dict[str, Nodes] = {}
        self.clients = {client.called: client for client in profile.clients}
        self.provided = profile.provided
        self.known = {module.partition(".")[0] for module in self.provided}
        # By which method of the context a secret is read, such as ctx.sealed("NAME").
        self.secret = next(
            (step.name for row in profile.model.context if row.is_ == "secret" for step in _attributes(str(row.at))), ""
        )

    def add(self, share: _Share) -> None:
        """Take in what another process found in some of the files."""
        self.findings += share.findings
        self.needed |= share.needed
        self.broken |= share.broken
        for file, scan in share.scanned.items():
            parts = {
                name: replace(
                    part,
                    uses=tuple(
                        Use(self.clients[called], place, on) for called, place, on in share.uses.get((file, name), ())
                    ),
                )
                for name, part in scan.parts.items()
            }
            self.scanned[file] = replace(scan, parts=parts)

    def scan(self, file: str, tree: ast.Module, all_nodes: Nodes) -> None:
        """Look at every node of a file once."""
        aliases: dict[str, tuple[str, Place]] = {}
        own: dict[str, tuple[str, str]] = {}
        constants = constants_of(tree)
        nodes: dict[str, list[ast.AST]] = {"": []}
        for statement in tree.body:
            named = isinstance(statement, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef))
            walked = nodes.setdefault(statement.name if named else "", [])  # type: ignore[attr-defined]
            walked += all_nodes.of(statement) or walk(statement)
        for node in all_nodes.imports:
            own.update(self._own(node, file))
            self._import(node, file, aliases)
        seen: set[str] = set()
        chained = self._chained(file, aliases, constants, all_nodes, seen)
        parts = {name: self._part(file, walked, aliases, constants, seen) for name, walked in nodes.items()}
        for name, walked in nodes.items() if chained else ():
            mine = tuple(use for node in walked for use in chained.get(id(node), ()))
            parts[name] = replace(parts[name], uses=(*parts[name].uses, *mine))
        for name, kept in kept_between_calls(file, tree, all_nodes):
            parts[name] = replace(parts[name], kept=(*parts[name].kept, kept))
        mentioned = {
            own: at for own, at in aliases.items() if any(own.partition(".")[0] in p.names for p in parts.values())
        }
        unseen = tuple(self._unseen(mentioned, seen))
        if unseen:
            parts[""] = replace(parts[""], uses=(*parts[""].uses, *unseen))
        self.scanned[file] = FileScan(frozenset(_top_names(tree)), own, parts)

    def _chained(
        self,
        file: str,
        aliases: Mapping[str, tuple[str, Place]],
        constants: Mapping[str, Any],
        all_nodes: Nodes,
        seen: set[str],
    ) -> dict[int, list[Use]]:
        """Return the calls that are made step by step, by the node that makes one; tell of steps that nobody knows."""

        modules = {own: path for own, (path, _) in aliases.items()}
        text_of, clients = partial(_told_by, constants=constants), self.profile.clients
        handles = Handles(clients, modules, all_nodes.all, all_nodes.parents, text_of, hosts=self.profile.hosts)
        found = handles.found
        uses: dict[int, list[Use]] = {}
        for node, client, on in found.calls:
            uses.setdefault(id(node), []).append(Use(client, Place(file, node.lineno, node.col_offset + 1), on))
        for node, ways in found.handed_on:
            place = Place(file, node.lineno, node.col_offset + 1)
            uses.setdefault(id(node), []).extend(Use(client, place) for client in ways)
        for node, text in found.unknown:
            self._unknown(text, Place(file, node.lineno, node.col_offset + 1))
        self._unknown_names(file, aliases, all_nodes)
        if handles.clients:
            seen |= {path for own, path in modules.items() if _only_asked(own, all_nodes)}
        return uses

    def _unknown_names(self, file: str, aliases: Mapping[str, tuple[str, Place]], nodes: Nodes) -> None:
        """Tell of what is asked of a module of the provider, and its profile does not know."""
        for own, (path, _) in aliases.items():
            known = self.provided.get(path, frozenset())
            for use in nodes.uses(own) if path in self.provided else ():
                node = nodes.parents.get(id(use))
                if not isinstance(node, ast.Attribute) or node.value is not use or node.attr.startswith("__"):
                    continue
                inside = f"{path}.{node.attr}"
                if node.attr not in known and not any(f"{one}.".startswith(f"{inside}.") for one in self.provided):
                    self._unknown(inside, Place(file, node.lineno, node.col_offset + 1))

    def _unknown(self, text: str, place: Place) -> None:
        used = shortened(" ".join(text.split()), 60)
        self.findings.append(
            Finding(
                "client-not-carried",
                Severity.BLOCKING,
                f"{used} is used, and {self.profile.title}'s profile knows no such thing: it fails when it is reached",
                "Describe it in the profile, or call the target's own client there",
                place,
            )
        )

    def _part(
        self,
        file: str,
        nodes: list[ast.AST],
        aliases: Mapping[str, tuple[str, Place]],
        constants: Mapping[str, Any],
        seen: set[str],
    ) -> Part:
        names: set[str] = set()
        calls: dict[int, ast.Call] = {}
        attributes: list[ast.Attribute] = []
        settings: list[Setting] = []
        bound = _bound(nodes) if self.profile.hosts else set()
        for node in nodes:
            kind = node.__class__
            if kind is ast.Name:
                names.add(node.id)  # type: ignore[attr-defined]
            elif kind is ast.Attribute:
                names.add(node.attr)  # type: ignore[attr-defined]
                attributes.append(node)  # type: ignore[arg-type]
            elif kind is ast.Call or kind is ast.Subscript:
                if isinstance(node, ast.Call):
                    calls[id(node.func)] = node
                if found := self._setting(node, file, constants):  # type: ignore[arg-type]
                    settings.append(found)
        uses = []
        for node in attributes:
            path = _dotted(node)
            root, _, rest = (path or "").partition(".")
            called = f"{aliases[root][0] if root in aliases else root}.{rest}"
            client = self.clients.get(called) or self._handed(root, rest, bound)
            if client is not None:
                seen.add(called.rpartition(".")[0])
                call = calls.get(id(node))
                name = named_in(client, call, partial(_told_by, constants=constants)) if call else ""
                uses.append(Use(client, Place(file, node.lineno, node.col_offset + 1), name))
        return Part(tuple(uses), tuple(settings), frozenset(names))

    def _handed(self, root: str, rest: str, bound: set[str]) -> Client | None:
        """Return the call of a service that a handler is handed, under its name there, or kept by `self`."""
        parts = [root, *rest.split(".")] if root in bound else []
        tails = (".".join(parts[at:]) for at in range(len(parts)))
        found = (self.clients.get(f"{host}.{tail}") for tail in tails for host in self.profile.hosts)
        return next((one for one in found if one is not None), None)

    def _unseen(self, aliases: Mapping[str, tuple[str, Place]], seen: set[str]) -> Iterator[Use]:
        """Yield all clients of an imported group of which no call can be seen."""
        for path, place in aliases.values():
            group = [client for called, client in self.clients.items() if called.startswith(f"{path}.")]
            if group and not any(one == path or one.startswith(f"{path}.") for one in seen):
                yield from (Use(client, place) for client in group)

    def _own(self, node: ast.Import | ast.ImportFrom, file: str) -> Iterator[tuple[str, tuple[str, str]]]:
        """Yield the names by which a file knows others of the project: name → (file, name there)."""
        if isinstance(node, ast.Import):
            for alias in node.names:
                if there := self._file(alias.name, file):
                    yield alias.asname or alias.name.partition(".")[0], (there, "")
            return
        base = file.split("/")[: -node.level] if node.level else []
        module = ".".join([*base, *([node.module] if node.module else [])])
        for alias in node.names:
            name = alias.asname or alias.name
            if there := self._file(f"{module}.{alias.name}" if module else alias.name, file):
                yield name, (there, "")
            elif there := self._file(module, file):
                yield name, (there, alias.name if alias.name != "*" else "")

    def _file(self, module: str, file: str) -> str:
        path = module.replace(".", "/")
        candidates = (f"{path}.py", f"{path}/__init__.py")
        return next((one for one in candidates if one in self.files and one != file), "")

    def _import(self, node: ast.Import | ast.ImportFrom, file: str, aliases: dict[str, tuple[str, Place]]) -> None:
        here = Place(file, node.lineno, node.col_offset + 1)
        names: dict[str, str] = {}
        if isinstance(node, ast.ImportFrom):
            if not node.module or node.level:
                return
            module, names = node.module, {alias.name: alias.asname or alias.name for alias in node.names}
        else:
            imported = next((a for a in node.names if a.name.split(".")[0] in self.known), None)
            if imported is None:
                return
            module = imported.name
            aliases[imported.asname or imported.name] = imported.name, here
        if module.split(".")[0] not in self.known:
            return
        if "*" in names and module in self.provided:
            names = {name: name for name in self.provided[module]}
        missing = [name for name in names if name not in self.provided.get(module, set())]
        aliases.update({own: (f"{module}.{name}", here) for name, own in names.items() if name not in missing})
        if module in self.provided and not missing:
            self.needed.add(module)
            return
        what = ", ".join(missing) or module
        self.findings.append(
            Finding(
                "client-not-carried",
                Severity.BLOCKING,
                f"{what} of {self.profile.title} is imported, and its profile knows no such thing",
                "Call the target's own client there, or leave the function where it is",
                here,
            )
        )

    def _setting(self, node: ast.Call | ast.Subscript, file: str, constants: Mapping[str, Any]) -> Setting | None:
        """Return what a read of the environment, or of a secret, asks for."""
        name = _environment_name(node, constants)
        if name:
            place = Place(file, node.lineno, node.col_offset + 1)
            return Setting(name, place, given=isinstance(node, ast.Call) and len(node.args) + len(node.keywords) > 1)
        if (
            self.secret
            and isinstance(node, ast.Call)
            and isinstance(node.func, ast.Attribute)
            and node.func.attr == self.secret
            and len(node.args) == 1
        ):
            text = _text_of(node.args[0], constants)
            return Setting(text, Place(file, node.lineno, node.col_offset + 1), secret=True) if text else None
        return None


def _only_asked(name: str, nodes: Nodes) -> bool:
    """Tell whether a name of a module is only asked for what is in it, so that all its uses can be seen."""
    return all(isinstance(nodes.parents.get(id(use)), ast.Attribute) for use in nodes.uses(name))


def _attributes(place: str) -> list[Attr]:
    return [step for step in parse_place(place).steps if isinstance(step, Attr)][-1:]


def _dotted(node: ast.expr) -> str | None:
    """Return a chain of names and attributes as text."""
    parts: list[str] = []
    while isinstance(node, ast.Attribute):
        parts.append(node.attr)
        node = node.value
    return ".".join([node.id, *reversed(parts)]) if isinstance(node, ast.Name) else None


def _text_of(node: ast.expr, constants: Mapping[str, Any]) -> str:
    try:
        value = value_of(node, constants)
    except Computed:
        return ""
    return value if isinstance(value, str) else ""


def _environment_name(node: ast.expr, constants: Mapping[str, Any]) -> str:
    """Return the environment variable that an expression reads (`os.environ[…]`, `.get(…)`, `os.getenv(…)`)."""
    if isinstance(node, ast.Subscript):
        if isinstance(node.ctx, ast.Load) and _dotted(node.value) in ("os.environ", "environ"):
            return _text_of(node.slice, constants)
        return ""
    if isinstance(node, ast.Call) and node.args:
        called = _dotted(node.func)
        if called in ("os.environ.get", "environ.get", "os.getenv", "getenv"):
            return _text_of(node.args[0], constants)
    return ""


def _told_by(node: ast.expr, constants: Mapping[str, Any]) -> str:
    """Return a text that stands in the code, or `$NAME` where an environment variable holds it."""
    variable = _environment_name(node, constants)
    return f"${variable}" if variable else _text_of(node, constants)


def _bound(nodes: list[ast.AST]) -> set[str]:
    """Return the names of parameters, and those that are given something."""
    given = {node.id for node in nodes if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store)}
    return given | {node.arg for node in nodes if isinstance(node, ast.arg)}
