"""Functions that are told by where their files lie (`ways/hives/[hive]/weight.py`): read, and where new ones go.

A path is a text with names in braces, each one segment, or any number of them (`{way...}`). What it says, and by which
name of the file the handler is known, are the keys of what is declared; a constant at the file's top may say more.
"""

from __future__ import annotations

import ast
import json
import posixpath
import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Final

from vast_ferry.definitions.in_code import literal
from vast_ferry.documents.document import Path_
from vast_ferry.documents.javascript_file import (
    JavaScriptFile,
    Node,
    linked_file,
    literal_of,
    parse_javascript,
    string_of,
)
from vast_ferry.documents.python_file import Computed, constants_of, value_of
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.hub.functions import PYTHON, Entry
from vast_ferry.profiles.schema_definition import ByPathModel, FunctionsModel

#: The key of the name by which a file's handler is known, and of the function's own name.
DOES: Final = "does"
NAME: Final = "name"
_NAME: Final = re.compile(r"\{(\w+)(\.\.\.)?\}")
_ENDING: Final = re.compile(r"\.(py|[cm]?[jt]s)$")


@dataclass(frozen=True, slots=True)
class Lying:
    """One way in which files lie."""

    model: ByPathModel
    names: tuple[str, ...] = field(init=False)
    pattern: re.Pattern[str] = field(init=False)

    def __post_init__(self) -> None:
        made, at = "", 0
        for found in _NAME.finditer(self.model.files):
            made += re.escape(self.model.files[at : found.start()])
            made += f"(?P<{found[1]}>{'.+?' if found[2] else '[^/]+?'})"
            at = found.end()
        made += re.escape(self.model.files[at:])
        object.__setattr__(self, "names", tuple(one[1] for one in _NAME.finditer(self.model.files)))
        object.__setattr__(self, "pattern", re.compile(made))

    def read(self, file: str) -> dict[str, str] | None:
        """Return what a file's path says; nothing for one that lies elsewhere."""
        found = self.pattern.fullmatch(_ENDING.sub("", file))
        said = found.groupdict() if found else None
        if said and self.model.index:
            last = self.names[-1]
            folder, _, name = said[last].rpartition("/")
            said[last] = folder if name == self.model.index else said[last]
        return said

    def write(self, said: Mapping[str, Any], *, beside: bool = False) -> str:
        """Return the path that says it, without an ending; `beside` where a folder of its name lies beside it.

        Empty where no path says it, or says it so that it would be read as something else.
        """
        values = {name: str(said[name]) for name in self.names if name in said}
        if len(values) < len(self.names):
            return ""
        last = self.names[-1]
        if self.model.index and (beside or not values[last]):
            values[last] = f"{values[last]}/{self.model.index}".lstrip("/")
        path = _NAME.sub(lambda found: values[found[1]], self.model.files)
        plain = posixpath.normpath(path) == path and path.isprintable() and "\\" not in path
        wanted = {name: str(said[name]) for name in self.names}
        return path if plain and self.read(f"{path}.py") == wanted else ""


@dataclass(slots=True)
class Placed:
    """A file that is made: the handlers that it passes on, by the names that they have there, and what it says."""

    handlers: dict[str, Entry] = field(default_factory=dict)
    says: dict[str, Any] = field(default_factory=dict)


def said_by_path(
    declared: Mapping[str, Any], name: str, models: Sequence[ByPathModel]
) -> tuple[dict[str, Any], list[str]]:
    """Return what a path, a name in the file and its constant can say of what is declared; and what they can't.

    `name` is the function's, which stands in a path that has its name.
    """
    # What says most of it by its path is where the provider looks for such a function.
    for lying in sorted(map(Lying, models), key=lambda one: -len({*one.names} & {*declared})):
        model = lying.model
        data = {**({NAME: name} if NAME in lying.names else {}), **declared}
        if not lying.write(data) or str(data.get(DOES, model.handlers[0])) not in model.handlers:
            continue
        more = [key for key in data if key not in lying.names and key != DOES]
        unsaid = [] if model.says else more
        return {key: one for key, one in data.items() if key not in unsaid}, unsaid
    return {}, [f"it by its path ({', '.join(map(str, declared.values()))})"]


def _where(said: Mapping[str, Any], models: Sequence[ByPathModel]) -> Lying:
    """Return the way in which a file lies that says what `said_by_path` found it can say."""
    every = sorted(map(Lying, models), key=lambda one: -len({*one.names} & {*said}))
    return next(one for one in every if one.write(said))


def name_by_path(said: Mapping[str, Any], functions: FunctionsModel) -> str:
    """Return what a function is known by once its file lies where `said_by_path` has it."""
    lying = _where(said, functions.by_path)
    own = {key: said[key] for key in (*lying.names, DOES) if key in said}
    return known_by(functions.usual_name, own, several=len(lying.model.handlers) > 1)


def placed_files(every: Sequence[tuple[Entry, dict[str, Any]]], models: Sequence[ByPathModel]) -> dict[str, Placed]:
    """Return the files, without their endings, by which functions are declared: each passes their handlers on.

    Raises BadInput where one file would have to say two things at once.
    """
    told = [(entry, data, _where(data, models)) for entry, data in every if data]
    plain = [lying.write(data) for _, data, lying in told]
    folders = {str(one.rpartition("/")[0]) for one in plain}
    folders |= {"/".join(one.split("/")[:end]) for one in folders for end in range(1, one.count("/") + 1)}
    made: dict[str, Placed] = {}
    for (entry, data, lying), path in zip(told, plain, strict=True):
        # A package would hide a file of its name.
        where = lying.write(data, beside=True) if path in folders and lying.model.index else path
        name = str(data.get(DOES, lying.model.handlers[0]))
        if entry.name == name and _ENDING.sub("", entry.file) == where:
            continue  # it lies there itself
        placed = made.setdefault(where, Placed())
        says = {key: one for key, one in data.items() if key not in lying.names and key != DOES}
        before = placed.handlers.get(name, entry)
        if before != entry:
            what = f"{where} would have to hold {name} of {before.file} and of {entry.file}"
            raise BadInput(what, "Give one of the two another route or name")
        if placed.handlers and placed.says != says:
            what = f"{where} would have to say different things of {', '.join([*placed.handlers, name])}"
            raise BadInput(what, f"Give both the same settings ({', '.join(sorted({*placed.says, *says}))})")
        placed.handlers[name], placed.says = entry, says
    return made


def written(path: str, placed: Placed, says: str, title: str, comments: Sequence[str]) -> tuple[str, str]:
    """Return the whole path of such a file and its text: it passes handlers on under the names that they have there."""
    languages = {entry.language for entry in placed.handlers.values()}
    if len(languages) > 1:
        raise BadInput(f"{path} would have to be in Python and in JavaScript", "Give the two other routes or names")
    if languages == {PYTHON}:
        lines = [f'"""Where {title} looks for what it calls."""', *(f"# {one}" for one in comments), ""]
        for name, entry in sorted(placed.handlers.items()):
            known = "" if name == entry.name else f" as {name}"
            lines.append(f"from {entry.module} import {entry.name}{known}")
        return f"{path}.py", "\n".join([*lines, *(["", f"{says} = {literal(placed.says)}"] if placed.says else []), ""])
    lines = [f"// Where {title} looks for what it calls.", *(f"// {one}" for one in comments), ""]
    for name, entry in sorted(placed.handlers.items()):
        there = posixpath.relpath(entry.file, posixpath.dirname(path) or ".")
        there = there if there.startswith(".") else f"./{there}"
        lines.append(f'export {{ {entry.name if name == entry.name else f"{entry.name} as {name}"} }} from "{there}";')
    told = ["", f"export const {says} = {json.dumps(placed.says, ensure_ascii=False)};"] if placed.says else []
    return f"{path}.mjs", "\n".join([*lines, *told, ""])


def named_of(usual: str, said: Mapping[str, Any]) -> str:
    """Return the name that keys of a function make (`{file}_{does}`), without the file's ending or any signs."""
    plain = {key: _ENDING.sub("", str(one)) for key, one in said.items() if not isinstance(one, dict | list)}
    return _word(re.sub(r"\{(\w+)\}", lambda found: _word(plain.get(found[1], "")), usual))


def _word(text: str) -> str:
    """Return a text with `_` for its signs, and none at its ends."""
    return re.sub(r"\W+", "_", text, flags=re.ASCII).strip("_")


def known_by(usual: str, said: Mapping[str, Any], *, several: bool) -> str:
    """Return what a function is known by: all that its path says, and its name in the file where there may be several.

    `usual` says it otherwise, with those in braces.
    """
    if usual:
        return named_of(usual, said)
    if NAME in said:
        return str(said[NAME])
    parts = [str(one) for key, one in said.items() if key != DOES] + ([str(said[DOES])] if several else [])
    return _word("_".join(filter(None, parts)))


# --- what a file has -------------------------------------------------------------------------------------------------


@dataclass(slots=True)
class PlacedFile:
    """What a file that lies where functions lie has at its top: names with their lines, and what its constant says."""

    names: dict[str, int]
    says: dict[str, Any] = field(default_factory=dict)
    places: dict[Path_, tuple[int, int]] = field(default_factory=dict)
    behind: dict[str, Entry] = field(default_factory=dict)  # where it only passes on: what stands behind its names
    computed: list[tuple[str, str, Place]] = field(default_factory=list)
    only_passes_on: bool = False


def placed_python(tree: ast.Module, shown: str, says: str, known: Collection[str]) -> PlacedFile:
    """Return what a file of Python has; `known` are the files of the project."""
    made = PlacedFile(_names_in(tree))
    behind = {
        name: Entry(f"{module.replace('.', '/')}.py", there) for name, (module, there) in _passed_on(tree, says).items()
    }
    if behind and all(one.file in known for one in behind.values()):
        made.behind, made.only_passes_on = behind, True
    for node in tree.body if says else ():
        if isinstance(node, ast.Assign) and [ast.unparse(one) for one in node.targets] == [says]:
            _take_in(node.value, made, shown, says, constants_of(tree))
    return made


def placed_javascript(path: Path, relative: str, says: str, known: Collection[str]) -> PlacedFile:
    """Return what a file of JavaScript exports; raises BadInput where it is none."""
    file = parse_javascript(path.read_bytes(), str(path))
    made = PlacedFile(dict.fromkeys(file.exports, 1))
    own = set(file.exports) - {says}
    said = {node.id: value for node, value in _said_in_javascript(file, says)}
    if all(node.type == "comment" or _passes_on(node) or node.id in said for node in file.root.named_children):
        for link in file.links:
            there = linked_file(relative, link.module, known)
            made.behind |= {name: Entry(there, as_) for name, as_ in link.passed.items() if there}
        made.only_passes_on = bool(own) and set(made.behind) >= own
    made = made if made.only_passes_on else replace(made, behind={})
    for value in said.values():
        pairs = [one for one in value.named_children if one.type == "pair"] if value.type == "object" else []
        for one in pairs or [value]:
            key, inner = one.child_by_field_name("key"), one.child_by_field_name("value")
            place = Place(str(path), one.start_point[0] + 1, one.start_point[1] + 1)
            try:
                name = string_of(file, key) or file.text(key)
                made.says[name] = literal_of(file, inner)
                made.places[name,] = (place.line, place.column)
            except (ValueError, AttributeError):
                made.computed.append((f"a value of {says}", file.text(one)[:60], place))
    return made


def _passes_on(node: Node) -> bool:
    return bool(node.type == "export_statement" and node.child_by_field_name("source") is not None)


def _said_in_javascript(file: JavaScriptFile, says: str) -> Iterator[tuple[Node, Node]]:
    """Yield the statement that exports the constant, with its value."""
    for node in file.root.named_children:
        declared = node.child_by_field_name("declaration") if node.type == "export_statement" else None
        for one in declared.named_children if declared is not None else ():
            name, value = one.child_by_field_name("name"), one.child_by_field_name("value")
            if says and name is not None and value is not None and file.text(name) == says:
                yield node, value


def _take_in(value: ast.expr, made: PlacedFile, shown: str, says: str, constants: Mapping[str, Any]) -> None:
    """Take in what a constant says, key by key."""
    if not isinstance(value, ast.Dict):
        made.computed.append((says, ast.unparse(value)[:60], Place(shown, value.lineno, value.col_offset + 1)))
        return
    for key, one in zip(value.keys, value.values, strict=True):
        place = Place(shown, one.lineno, one.col_offset + 1)
        try:
            name = str(value_of(key, constants)) if key is not None else ""
            made.says[name] = value_of(one, constants)
            made.places[name,] = (place.line, place.column)
        except Computed as error:
            made.computed.append((f"a value of {says}", str(error), place))


def _names_in(tree: ast.Module) -> dict[str, int]:
    """Return the names that a file has at its top, each with its line."""
    found: dict[str, int] = {}
    for node in tree.body:
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            found[node.name] = node.lineno
        elif isinstance(node, ast.ImportFrom):
            found |= {one.asname or one.name: node.lineno for one in node.names}
        elif isinstance(node, ast.Assign):
            found |= {one.id: node.lineno for one in node.targets if isinstance(one, ast.Name)}
        elif isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name) and node.value is not None:
            found[node.target.id] = node.lineno
    return found


def _passed_on(tree: ast.Module, says: str) -> dict[str, tuple[str, str]]:
    """Return what a file only passes on: its name → module and name there; nothing where it holds anything else."""
    found: dict[str, tuple[str, str]] = {}
    for node in tree.body:
        text = isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
        said = isinstance(node, ast.Assign) and [ast.unparse(one) for one in node.targets] == [says]
        if isinstance(node, ast.ImportFrom) and node.module and not node.level:
            found |= {one.asname or one.name: (node.module, one.name) for one in node.names}
        elif not (text or said):
            return {}
    return found
