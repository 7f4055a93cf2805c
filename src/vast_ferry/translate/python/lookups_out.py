"""Small functions that look something up by its name, written out where they are called by a name that stands there.

    def header(visit, name, default=""):             accept = header(visit, "accept", "*/*")
        for key, value in visit["lines"]:
            if key.lower() == name:                  accept = next(
                return value                             (value for key, value in visit["lines"]
        return default                                    if key.lower() == "accept"), "*/*")

The function itself has a form at the target only where names are spelt there as here, for it may be asked for any; a
call of it has one wherever that name has. So the calls are written as what they do, in the author's own language,
before all is followed, and the function goes where nobody calls it any more. That holds for a function at the top of a
module that goes through pairs for the first whose name it is, or returns one expression that looks the name up, and
for calls in that file whose other arguments are names, constants, attributes and items of these.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.translate.python.formatted import CannotQuote, fitting
from vast_ferry.translate.python.nodes import lower_of, walk
from vast_ferry.translate.python.small_functions import (
    Small,
    bound_once,
    is_bound,
    is_plain,
    names_in,
    small_in,
)
from vast_ferry.translate.python.source import PythonText, parsed
from vast_ferry.translate.python.written_out import file_of, imported_by, may_name
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Key

#: Why such a call's text was edited, in the record of a crossing.
REASON = "lookup"
#: What asks an object for something by a text.
_BY_A_TEXT = re.compile(rb"\b(getattr|hasattr|attrgetter|methodcaller|__dict__|vars|inspect|dir)\b")


@dataclass(slots=True)
class MethodsAsked:
    """Which methods attributes give, by a file as it was followed and where in it they end."""

    content: dict[str, bytes] = field(default_factory=dict)
    by_end: dict[str, dict[tuple[int, int], Key]] = field(default_factory=dict)
    read: set[Key] = field(default_factory=set)  # properties that are read at these places alone

    def method(self, file: str, raw: bytes, node: ast.Attribute) -> Key | None:
        """Return the method that an attribute gives; nothing where the file is another now."""
        if self.content.get(file) != raw:
            return None
        return self.by_end.get(file, {}).get((node.end_lineno or 0, node.end_col_offset or 0))


@dataclass(frozen=True, slots=True)
class _Site:
    """Where a small function is asked, and what is written in its place."""

    file: str
    start: int
    end: int
    written: str


@dataclass(frozen=True, slots=True)
class _File:
    """A file that can be read."""

    name: str
    raw: bytes
    text: PythonText
    tree: ast.Module


def has_lookups(files: Mapping[str, bytes]) -> bool:
    """Tell whether there are functions in some files whose calls may be written out."""
    return any(small_in(one.text, one.tree) for one in _parsed(files))


def lookups_out(files: Mapping[str, bytes], asked: MethodsAsked) -> tuple[dict[str, list[Edit]], list[Finding]]:
    """Return the edits, by file, that write such calls out, and what is told of it."""
    every = list(_parsed(files))
    smalls = [(one, small) for one in every for small in small_in(one.text, one.tree)]
    sites = {id(small): list(_sites(every, one, small, asked)) for one, small in smalls}
    spans = [site for several in sites.values() for site in several]
    outermost = [site for site in spans if not any(_is_within(site, other) for other in spans)]
    edits = {one.name: _fitted(one, [site for site in outermost if site.file == one.name]) for one in every}
    written = {(file, edit.start) for file, several in edits.items() for edit in several}
    findings: list[Finding] = []
    for one, small in smalls:
        outer = [site for site in sites[id(small)] if site in outermost and (site.file, site.start) in written]
        if not outer:
            continue
        others = [other for _, other in smalls if other is not small]
        if not _is_left(every, one, small, outer) and not any(other.asks(small.node.name) for other in others):
            edits[one.name].append(_without(one.text, small.node))
        severity, reason, remedy = note("lookup-written-out", "", "", small.node.name)
        findings.append(Finding("lookup-written-out", severity, reason, remedy, Place(one.name, small.node.lineno)))
    return {file: several for file, several in edits.items() if several}, findings


def _fitted(one: _File, sites: list[_Site]) -> list[Edit]:
    """Return the edits that write what is asked at some places of a file; none where a formatted text can't hold it."""
    edits = [Edit(site.start, site.end, site.written, REASON) for site in sites]
    inside = {id(part) for node in walk(one.tree) if isinstance(node, ast.JoinedStr) for part in walk(node)[1:]}
    texts = [node for node in walk(one.tree) if isinstance(node, ast.JoinedStr) and id(node) not in inside]
    for node in texts if edits else ():
        start, end = one.text.start(node), one.text.end(node)
        held = [edit for edit in edits if start <= edit.start and edit.end <= end]
        if held:
            edits = [edit for edit in edits if edit not in held]
            with suppress(CannotQuote):
                edits += fitting(one.text, node, held)
    return edits


def _is_within(site: _Site, other: _Site) -> bool:
    same = site.file == other.file and (site.start, site.end) != (other.start, other.end)
    return same and other.start <= site.start and site.end <= other.end


def _parsed(files: Mapping[str, bytes]) -> Iterator[_File]:
    """Yield the files that can be read."""
    for file, raw in files.items():
        if file.endswith(".py") and (found := parsed(files, file)) is not None:
            yield _File(file, raw, *found)


def _imports(tree: ast.Module, file: str, name: str, of: str) -> bool:
    """Tell whether a file imports a function of another file under its own name, and means nothing else by it."""
    by = imported_by(tree, name)
    return by is not None and file_of(file, by) == of and bound_once(tree, name)


def _sites(every: list[_File], one: _File, small: Small, asked: MethodsAsked) -> Iterator[_Site]:
    """Yield where a small function is asked, and what is written there."""
    within = {id(node) for node in walk(small.node)}
    for there in every:
        known = there is one or small.cls or _imports(there.tree, there.name, small.node.name, one.name)
        if not known or any(is_bound(there.tree, name) for name in small.free):
            continue
        for node in walk(there.tree):
            if id(node) not in within and isinstance(node, ast.expr) and _asks(there, one, small, node, asked):
                written = _written(there.text, small, node)
                if written:
                    yield _Site(there.name, there.text.start(node), there.text.end(node), written)


def _asks(there: _File, one: _File, small: Small, node: ast.expr, asked: MethodsAsked) -> bool:
    """Tell whether an expression asks a small function: a call of it, or its property of an object."""
    called = node if not small.called else node.func if isinstance(node, ast.Call) else None
    if not small.cls:
        return isinstance(called, ast.Name) and called.id == small.node.name
    if not isinstance(called, ast.Attribute) or not isinstance(called.ctx, ast.Load):
        return False
    key = (one.name, f"{small.cls}.{small.node.name}")
    return called.attr == small.node.name and asked.method(there.name, there.raw, called) == key


def _written(text: PythonText, small: Small, node: ast.expr) -> str:
    """Return what is written in place of an expression that asks a small function; empty where that can't be done."""
    given: dict[str, ast.expr | None] = {}
    defaults: dict[str, ast.expr | None] = {}
    called = node.func if isinstance(node, ast.Call) and small.called else node
    if small.cls and isinstance(called, ast.Attribute):
        given[small.own] = called.value
    if isinstance(node, ast.Call) and small.called:
        given |= {name: small.argument(node, name) for name in small.parameters}
        defaults = {name: small.default(name) for name, value in given.items() if value is None}
        known = {keyword.arg for keyword in node.keywords} <= set(small.parameters)
        named = given.get(small.named)
        text_said = named.value if isinstance(named, ast.Constant) and isinstance(named.value, str) else ""
        said = not small.named or re.fullmatch(r"[\w-]+", text_said)
        if not known or not said or len(node.args) > len(small.parameters):
            return ""
    plain = all((value or defaults.get(name)) is not None for name, value in given.items())
    plain = plain and all(is_plain(value) for value in given.values() if value is not None)
    if not plain or not small.inside.isdisjoint(names_in(value for value in given.values() if value)):
        return ""
    texts = {name: small.text.of(value) for name, value in defaults.items() if value is not None}
    texts |= {name: text.of(value) for name, value in given.items() if value is not None}
    made = "".join(part if isinstance(part, str) else _filled(small.text, part, texts) for part in small.parts)
    return made if small.operand else f"({made})"


def _is_left(every: list[_File], one: _File, small: Small, sites: list[_Site]) -> bool:
    """Tell whether somebody still asks a function where all that is written out is."""
    name, within = small.node.name, {id(node) for node in walk(small.node)}
    gone = {(site.file, site.end if not small.called else -1, site.start) for site in sites}
    for there in every:
        if there is not one and not small.cls:
            if may_name(there.raw, name) or any(site.file == there.name for site in sites):
                return True
            continue
        for node in walk(there.tree):
            word = node.attr if isinstance(node, ast.Attribute) else getattr(node, "id", "") if not small.cls else ""
            if word != name or id(node) in within or not isinstance(node, ast.expr):
                continue
            start, end = there.text.start(node), there.text.end(node) if not small.called else -1
            if (there.name, end, start) not in gone:
                return True
    # Somebody may ask for it by a text.
    return bool(small.cls) and any(_BY_A_TEXT.search(there.raw) and name.encode() in there.raw for there in every)


def _filled(text: PythonText, part: ast.expr, given: Mapping[str, str]) -> str:
    """Return an expression's text with what is given in place of parameters; a constant in lower case is one so."""
    start, data = text.start(part), text.data[text.start(part) : text.end(part)]
    edits: list[tuple[int, int, str]] = []
    lowered: set[int] = set()
    for node in walk(part):
        of = lower_of(node) if isinstance(node, ast.expr) else None
        if isinstance(of, ast.Name) and of.id in given and given[of.id][:1] in "'\"":
            edits.append((text.start(node), text.end(node), given[of.id].lower()))
            lowered.add(id(of))
        elif isinstance(node, ast.Name) and node.id in given and id(node) not in lowered:
            edits.append((text.start(node), text.end(node), given[node.id]))
    for first, last, word in sorted(edits, reverse=True):
        data = data[: first - start] + word.encode() + data[last - start :]
    return data.decode("utf-8")


def _without(text: PythonText, node: ast.FunctionDef) -> Edit:
    """Return the edit that takes a function away, and the empty lines behind it."""
    first = node.decorator_list[0] if node.decorator_list else node
    start, end = text.line_start(text.start(first)), text.next_line(text.end(node) - 1)
    while text.data[end : end + 1] == b"\n":
        end += 1
    return Edit(start, end, "", REASON)
