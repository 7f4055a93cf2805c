"""A module's imports after its code was rewritten: what is needed is added, what is no longer used goes."""

from __future__ import annotations

import ast
import functools
import re
import symtable
import sys
from collections.abc import Iterable, Set
from dataclasses import dataclass, field

from vast_ferry.translate.python.nodes import Nodes
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.text import Edit

#: A line of imports that is longer is put into parentheses.
LONGEST = 110


@dataclass(frozen=True, slots=True, order=True)
class Import:
    """One name that a module imports: `name` of `module`; an empty name for the module itself."""

    module: str
    name: str = ""
    own: str = ""

    @property
    def bound(self) -> str:
        """Return the name that it binds."""
        return self.own or self.name or self.module.partition(".")[0]


def names_used(draft: str, before: Nodes) -> frozenset[str]:
    """Return the names of a rewritten module that need what binds them; raises SyntaxError where it is not Python.

    The compiler's own table of names says it without a tree, in a third of the time. There a name that is imported and
    bound again looks like one that is imported only: such names of the module as it was are taken for used.
    """
    table = symtable.symtable(draft, "draft", "exec")
    exported: frozenset[str] = frozenset()
    if "__all__" in table.get_identifiers():
        exported = Nodes(ast.parse(draft)).exported
    found = {one.bound for node in before.imports for one in of_statement(node)} & before.bound
    waiting = [table]
    while waiting:
        one = waiting.pop()
        waiting += one.get_children()
        for name in one.get_identifiers():
            if name not in found:
                symbol = one.lookup(name)
                if symbol.is_referenced() or (symbol.is_assigned() and not symbol.is_imported()):
                    found.add(name)
    return exported | found | _in_annotations(draft)


def _in_annotations(draft: str) -> set[str]:
    """Return the names in a module's annotations where they are not worked out: no table of names has them then."""
    if "from __future__ import annotations" not in draft:
        return set()
    told = [
        part
        for node in ast.walk(ast.parse(draft))
        for part in (getattr(node, "annotation", None), getattr(node, "returns", None))
        if isinstance(part, ast.expr)
    ]
    return {one.id for part in told for one in ast.walk(part) if isinstance(one, ast.Name)}


@functools.lru_cache(maxsize=256)
def parse_import(line: str) -> list[Import]:
    """Return the names of one line of imports."""
    node = ast.parse(line).body[0]
    assert isinstance(node, (ast.Import, ast.ImportFrom))
    return of_statement(node)


def of_statement(node: ast.Import | ast.ImportFrom) -> list[Import]:
    """Return the names that a statement imports."""
    if isinstance(node, ast.Import):
        return [Import(alias.name, "", alias.asname or "") for alias in node.names]
    return [Import(node.module or "", alias.name, alias.asname or "") for alias in node.names]


def qualified(text: str, wanted: Iterable[Import], taken: Iterable[str]) -> tuple[str, set[Import]]:
    """Return code and its imports, where a name that is `taken` for something else is written with its module."""
    wanted = sorted(wanted)
    names = set(taken)
    modules = {one.module for one in wanted if one.name and one.bound in names}
    needed: set[Import] = set()
    for one in wanted:
        if one.name and one.module in modules:
            text = re.sub(rf"(?<![\w.]){re.escape(one.name)}(?=[.(])", f"{one.module}.{one.name}", text)
            needed.add(Import(one.module))
        else:
            needed.add(one)
    return text, needed


@dataclass(slots=True)
class Imports:
    """Edits a module's imports; `theirs` are the provider's modules."""

    text: PythonText
    tree: ast.Module
    theirs: frozenset[str]
    wanted: set[Import] = field(default_factory=set)

    def edits(self, used: Set[str], used_before: Set[str]) -> list[Edit]:
        """Return the edits, once it is known which names the rewritten module uses, and which it used before."""
        made: list[Edit] = []
        wanted = {one for one in self.wanted if one not in self._there()}
        replaced: ast.stmt | None = None
        head = 0  # up to where nothing is left
        for node in self.tree.body:
            if not isinstance(node, (ast.Import, ast.ImportFrom)) or getattr(node, "module", "") == "__future__":
                continue
            kept = [alias for alias in node.names if not self._dead(alias, used, used_before)]
            more = []
            if isinstance(node, ast.ImportFrom) and not node.level:
                more = sorted(one for one in wanted if one.module == node.module and one.name)
                wanted -= set(more)
            if len(kept) == len(node.names) and not more:
                continue
            if not kept and not more:
                mine = self._group(node) == "theirs"
                if mine and replaced is None and self._theirs(wanted):
                    replaced = node
                    lines = _lines(self._theirs(wanted))
                    wanted -= set(self._theirs(wanted))
                    made.append(self._replace(node, "\n".join(lines)))
                    continue
                end = self.text.next_line(self.text.end(node) - 1)
                start = self.text.line_start(self.text.start(node))
                if self._blank(start - 1) and self._blank(end):  # the group is gone, and so is its blank line
                    end = self.text.next_line(end)
                # Where nothing stands before it, and nothing will: no file begins with blank lines.
                while start == head and not self.wanted and self._blank(end):
                    end = self.text.next_line(end)
                head = end if start == head else head
                made.append(Edit(start, end, "", "import"))
                continue
            made.append(self._replace(node, _from(node, kept, more)))
        return [*made, *(_behind(edit, made) for edit in self._added(wanted, {edit.start for edit in made}))]

    def _blank(self, at: int) -> bool:
        """Tell whether the line that a byte stands in is there and blank."""
        if at < 0 or at >= len(self.text.data):
            return False
        return not self.text.data[self.text.line_start(at) : self.text.next_line(at)].strip()

    def _there(self) -> set[Import]:
        found: set[Import] = set()
        for node in self.tree.body:
            if isinstance(node, (ast.Import, ast.ImportFrom)) and not getattr(node, "level", 0):
                found.update(of_statement(node))
        return found

    def _dead(self, alias: ast.alias, used: Set[str], used_before: Set[str]) -> bool:
        own = alias.asname or alias.name.partition(".")[0]
        return own in used_before and own not in used and alias.name != "*"

    def _replace(self, node: ast.stmt, text: str) -> Edit:
        return Edit(self.text.start(node), self.text.end(node), text, "import")

    def _group(self, node: ast.Import | ast.ImportFrom) -> str:
        module = node.module if isinstance(node, ast.ImportFrom) else node.names[0].name
        return self._group_of(module or "", level=getattr(node, "level", 0))

    def _group_of(self, module: str, level: int = 0) -> str:
        top = module.partition(".")[0]
        if top == "__future__":
            return "future"
        if level:
            return "own"
        if top in sys.stdlib_module_names:
            return "std"
        return "theirs" if top in self.theirs else "other"

    def _theirs(self, wanted: set[Import]) -> set[Import]:
        return {one for one in wanted if self._group_of(one.module) != "std"}

    def _added(self, wanted: set[Import], taken: set[int]) -> list[Edit]:
        if not wanted:
            return []
        std = {one for one in wanted if self._group_of(one.module) == "std"}
        made: list[Edit] = []
        statements = [node for node in self.tree.body if isinstance(node, (ast.Import, ast.ImportFrom))]
        ours = [node for node in statements if self._group(node) == "std"]
        at_top = self._after_docstring()
        if std and ours:
            for line in _lines(std):
                key = _order(line)
                before = next((node for node in ours if _order(_shown(node)) > key), None)
                at = self.text.start(before) if before else self.text.next_line(self.text.end(ours[-1]) - 1)
                made.append(Edit(at, at, f"{line}\n", "import"))
            std = set()
        rest = wanted - {one for one in wanted if self._group_of(one.module) == "std"}
        blocks = ["\n".join(_lines(group)) for group in (std, rest) if group]
        if not blocks:
            return made
        after = [node for node in statements if self._group(node) in ("std", "future")]
        others = [node for node in statements if node not in after]
        if rest and not std and others:
            at = self.text.start(others[0])
            made.append(Edit(at, at, f"{blocks[0]}\n", "import"))
            return made
        if after and not std:
            at = self.text.next_line(self.text.end(after[-1]) - 1)
            made.append(Edit(at, at, f"\n{blocks[0]}\n", "import"))
            return made
        text = "\n\n".join(blocks)
        rest_follows = bool(self.text.data[at_top:].strip())
        lead = "" if at_top == 0 else "\n"
        first = statements[0] if statements else None
        if first is not None and not rest and self.text.data[at_top : self.text.start(first)].strip() == b"":
            text += "\n"  # a group of its own before those of others
        made.append(
            Edit(
                at_top,
                at_top,
                f"{lead}{text}\n" + ("\n\n" if not statements and rest_follows and not lead else ""),
                "import",
            )
        )
        return made

    def _after_docstring(self) -> int:
        body = self.tree.body
        at = 0
        if body and isinstance(body[0], ast.Expr) and isinstance(body[0].value, ast.Constant):
            at = self.text.next_line(self.text.end(body[0]) - 1)
        elif body:
            # A comment at the head (a licence, an encoding) stays at the head.
            lines = self.text.data.splitlines(keepends=True)
            for line in lines:
                if not line.startswith(b"#"):
                    break
                at += len(line)
        for node in body:
            if isinstance(node, ast.ImportFrom) and node.module == "__future__":
                at = self.text.next_line(self.text.end(node) - 1)
        return at


def _behind(edit: Edit, taken_out: list[Edit]) -> Edit:
    """Return an edit that adds something, behind what is taken out where it would stand."""
    gone = next((one for one in taken_out if not one.text and one.start <= edit.start < one.end), None)
    # A blank line went with it, and stands behind what is added.
    return Edit(gone.end, gone.end, edit.text.strip("\n") + "\n\n", edit.reason) if gone is not None else edit


def _order(line: str) -> tuple[bool, str]:
    return line.startswith("from "), line.split(" ")[1].lower()


def _shown(node: ast.Import | ast.ImportFrom) -> str:
    if isinstance(node, ast.Import):
        return f"import {node.names[0].name}"
    return f"from {node.module} import"


def _lines(wanted: Iterable[Import]) -> list[str]:
    plain = sorted({f"import {one.module}" + (f" as {one.own}" if one.own else "") for one in wanted if not one.name})
    modules: dict[str, set[str]] = {}
    for one in wanted:
        if one.name:
            modules.setdefault(one.module, set()).add(f"{one.name} as {one.own}" if one.own else one.name)
    return [*plain, *(_wrapped(module, sorted(names, key=_case)) for module, names in sorted(modules.items()))]


def _case(name: str) -> tuple[bool, str]:
    return not name[:1].isupper(), name


def _wrapped(module: str, names: list[str]) -> str:
    line = f"from {module} import {', '.join(names)}"
    if len(line) <= LONGEST:
        return line
    return f"from {module} import (\n" + "".join(f"    {name},\n" for name in names) + ")"


def _from(node: ast.Import | ast.ImportFrom, kept: list[ast.alias], more: list[Import]) -> str:
    names = [f"{alias.name} as {alias.asname}" if alias.asname else alias.name for alias in kept]
    if isinstance(node, ast.Import):
        return "import " + ", ".join(names)
    added = [f"{one.name} as {one.own}" if one.own else one.name for one in more]
    return _wrapped(f"{'.' * node.level}{node.module or ''}", sorted({*names, *added}, key=_case))


def imported_from(file: str, node: ast.ImportFrom) -> str:
    """Return the full name of what a statement of a file imports names from."""
    if not node.level:
        return node.module or ""
    return ".".join([*file.split("/")[: -node.level], *([node.module] if node.module else [])])
