"""What is done to a handler before it is followed, where the provider alone calls it: names, first lines, callers."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Sequence

from vast_ferry.hub.functions import Entry
from vast_ferry.translate.python.nodes import Nodes
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.text import Edit


def is_called_by_others(entry: Entry, file: Nodes, others: Iterable[bytes]) -> bool:
    """Tell whether a handler may be called in its own file, or in another that imports its module and names it."""
    module = re.escape(entry.module.rpartition(".")[2])
    imports = re.compile(rf"^[ \t]*(?:from|import)\b.*\b{module}\b".encode(), re.MULTILINE)
    called = re.compile(rf"\b{re.escape(entry.name)}\b".encode())
    return bool(file.uses(entry.name)) or any(imports.search(raw) and called.search(raw) for raw in others)


def fresh_name(name: str, handler: Nodes, file: Nodes) -> str:
    """Return a name for a parameter that neither the handler nor its file has."""
    taken = handler.named | file.bound
    while name in taken:
        name += "_"
    return name


def at_first(
    text: PythonText, node: ast.FunctionDef | ast.AsyncFunctionDef, lines: Sequence[str], reason: str
) -> Edit | None:
    """Return the edit that puts lines before all that a handler does; nothing where it stands in one line."""
    body = node.body
    documented = isinstance(body[0], ast.Expr) and isinstance(body[0].value, ast.Constant)
    first = body[1] if documented and len(body) > 1 else body[0]
    at = text.line_start(text.start(first))
    indent = text.indent_of(at)
    if text.data[at : text.start(first)].strip() or first.lineno == node.lineno:
        return None
    return Edit(at, at, "".join(f"{indent}{line}\n" for line in lines), reason)
