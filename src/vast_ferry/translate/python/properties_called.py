"""Properties that need more than their object at the target, written as methods before all is followed.

    class Quota:                                    class Quota:
        @property                                       def used(self):
        def used(self):                                     page = folios.look("quotas", self.key)
            page = folios.look("quotas", self.key)          return int(page["used"]) if page else 0
            return int(page["used"]) if page else 0
    ...                                             ...
    left = limit - quota.used                       left = limit - quota.used()

Nothing can be handed to a property, and nobody sees that it waits; a method takes what it needs, and may be awaited. So
a handler need not be wrapped for one, as long as each place that reads it is known to read just this one (the follower
tells that), and nobody may read it otherwise: by a text, in a formatted text's own fields, in a pattern, or under
another name in its class. What a `cached_property` gave once is kept in an attribute of the object's:

    @cached_property                                def page(self):
    def page(self):                                     if not hasattr(self, "_page"):
        return folios.look("notes", self.key)               self._page = self._read_page()
                                                        return self._page

                                                    def _read_page(self):
                                                        return folios.look("notes", self.key)
"""

from __future__ import annotations

import ast
import re
from collections.abc import Collection, Mapping

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.translate.python.functions import DEFINITION, is_kept, is_property
from vast_ferry.translate.python.lookups_out import MethodsAsked
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.python.source import PythonText, parsed
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Key

#: Why such a text was edited, in the record of a crossing.
REASON = "property"
#: What reads attributes of which the text says no name.
_READS_ANY = re.compile(rb"\b(attrgetter|getmembers|__getattr__|__getattribute__|__match_args__)\b")
#: What sees, or keeps from being there, the attribute in which is kept what a property gave once.
_SEES_KEPT = re.compile(rb"\b(?:(?:vars|__dict__|__setattr__|NamedTuple|__slots__)\b|(?:frozen|slots)\s*=)")


def property_at(files: Mapping[str, bytes], place: Place) -> Key | None:
    """Return the property that is defined in a line of a file, if one is."""
    _, tree = parsed(files, place.file) or (None, None)
    for cls in walk(tree) if tree is not None else ():
        if isinstance(cls, ast.ClassDef):
            for node in cls.body:
                if isinstance(node, ast.FunctionDef) and node.lineno == place.line and is_property(node):
                    return place.file, f"{cls.name}.{node.name}"
    return None


def properties_called(
    files: Mapping[str, bytes], wanted: Collection[Key], asked: MethodsAsked
) -> tuple[dict[str, list[Edit]], list[Finding]]:
    """Return the edits, by file, that write those of the wanted properties as methods that may be, and what is told."""
    read = {file: found for file in files if file.endswith(".py") and (found := parsed(files, file)) is not None}
    edits: dict[str, list[Edit]] = {}
    findings: list[Finding] = []
    if any(_READS_ANY.search(files[file]) or asked.content.get(file) != files[file] for file in read):
        return edits, findings
    for key in wanted:
        file, (cls, _, name) = key[0], key[1].rpartition(".")
        text, tree = read.get(file, (None, None))
        node = _defined(tree, cls, name) if tree is not None else None
        sites = _sites(files, read, key, asked) if node is not None and key in asked.read else None
        if text is None or node is None or sites is None:
            continue
        kept = f"_{name}" if is_kept(node) else ""
        if kept and any(_SEES_KEPT.search(files[one]) or _says(files[one], kept, f"_read_{name}") for one in read):
            continue
        decorator = node.decorator_list[0]
        start, end = text.line_start(text.start(decorator)), text.next_line(text.end(decorator) - 1)
        edits.setdefault(file, []).append(Edit(start, end, _keeping(text, node) if kept else "", REASON))
        if kept:
            at = text.data.index(name.encode(), text.start(node) + len("def "))
            edits[file].append(Edit(at, at, "_read_", REASON))
        for there, end in sites:
            edits.setdefault(there, []).append(Edit(end, end, "()", REASON))
        severity, reason, remedy = note("property-called", "", "", f"{cls}.{name}")
        findings.append(Finding("property-called", severity, reason, remedy, Place(file, node.lineno)))
    return edits, findings


def _says(raw: bytes, *names: str) -> bool:
    """Tell whether a file says one of some names."""
    return any(re.search(rb"\b" + re.escape(name.encode()) + rb"\b", raw) for name in names)


def _keeping(text: PythonText, node: ast.FunctionDef) -> str:
    """Return the method that keeps what another reads, before that."""
    name, own = node.name, node.args.args[0].arg
    lines = [f"def {name}({own}):", f'    if not hasattr({own}, "_{name}"):']
    lines += [f"        {own}._{name} = {own}._read_{name}()", f"    return {own}._{name}", ""]
    indent = text.indent_of(text.start(node))
    return "".join(f"{indent}{line}".rstrip() + "\n" for line in lines)


def _defined(tree: ast.Module, cls: str, name: str) -> ast.FunctionDef | None:
    """Return a property of a class at the top of a module, which its class has under no other name."""
    for one in tree.body:
        if not isinstance(one, ast.ClassDef) or one.name != cls:
            continue
        found = [node for node in one.body if isinstance(node, DEFINITION) and node.name == name]
        inside = {id(part) for node in one.body if isinstance(node, DEFINITION) for part in _of_its_own(node)}
        named = [n for n in walk(one) if isinstance(n, ast.Name) and n.id == name and id(n) not in inside]
        if len(found) == 1 and is_property(found[0]) and not named:
            return found[0] if isinstance(found[0], ast.FunctionDef) else None
    return None


def _of_its_own(node: ast.AST) -> list[ast.AST]:
    """Return what stands in a function's body: its decorators, defaults and annotations are its class's."""
    return [part for statement in getattr(node, "body", ()) for part in walk(statement)]


def _sites(
    files: Mapping[str, bytes], read: Mapping[str, tuple[PythonText, ast.Module]], key: Key, asked: MethodsAsked
) -> list[tuple[str, int]] | None:
    """Return where a property is read, by file and where it ends there; nothing where that may be elsewhere too."""
    name, found = key[1].rpartition(".")[2], list[tuple[str, int]]()
    for file, (text, tree) in read.items():
        for node in walk(tree):
            if _may_read(node, name):
                return None
            if isinstance(node, ast.Attribute) and node.attr == name and asked.method(file, files[file], node) == key:
                if not text.data[: text.end(node)].endswith(name.encode()):
                    return None  # before Python 3.12 nobody tells where the parts of a formatted text stand
                found.append((file, text.end(node)))
    return found


def _may_read(node: ast.AST, name: str) -> bool:
    """Tell whether something may read an attribute of that name that isn't seen as one."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return bool(re.search(rf"\{{[^{{}}]*\.{re.escape(name)}\b", node.value))
    if isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Del):
        return node.attr == name
    if isinstance(node, ast.MatchClass):
        return name in node.kwd_attrs
    asks = isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ("getattr", "hasattr")
    if not asks or len(node.args) < 2:  # type: ignore[attr-defined]
        return asks
    said = node.args[1]  # type: ignore[attr-defined]
    return not isinstance(said, ast.Constant) or said.value == name
