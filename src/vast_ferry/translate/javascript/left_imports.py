"""Imports of the project's own that nothing uses any more, once what used them is rewritten.

    import { json, text } from "./replies.mjs";     →     import { text } from "./replies.mjs";

Whole statements only go where the file behind them does nothing when it is loaded but to declare what it has.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, linked_file
from vast_ferry.translate.javascript.edits import Edit, gone
from vast_ferry.translate.javascript.scopes import FUNCTIONS, Scopes

#: What a file may hold that does nothing when it is loaded.
_DECLARING: Final = frozenset(
    ("import_statement", "function_declaration", "comment", "export_clause", "empty_statement")
)
_VALUES: Final = FUNCTIONS | frozenset(("string", "number", "true", "false", "null"))
#: Texts, and keys of objects, among what is written; and any other word that is no part's name.
_NO_NAME: Final = re.compile(r"\"[^\"\n]*\"|'[^'\n]*'|([{,]\s*)[\w$]+\s*:")
_WORD: Final = re.compile(r"(?<![.\w$])[\w$]+")


def without_unused(
    file: JavaScriptFile, scopes: Scopes, edits: Sequence[Edit], files: Mapping[str, JavaScriptFile]
) -> list[Edit]:
    """Return the edits that take out the names which a file imports and does not use any more with other edits."""
    spans = [one for one in edits if one.end > one.start]
    if scopes.blind or not spans:
        return []
    written = {word for one in edits for word in _WORD.findall(_NO_NAME.sub(r"\1", one.text))}
    found: list[Edit] = []
    for statement in file.root.named_children:
        module = statement.child_by_field_name("source") if statement.type == "import_statement" else None
        path = linked_file(file.path, file.text(module)[1:-1], files) if module is not None else ""
        if not path or any(one.start < statement.end_byte and statement.start_byte < one.end for one in edits):
            continue
        every = file.of_types(statement, ("import_specifier",))
        left = [one for one in every if _is_left(one, file, scopes, spans, written)]
        if left and left == every:
            alone = len(statement.named_children[0].named_children) == 1  # and no default beside them
            found += [gone(file, statement)] if alone and _only_declares(files[path]) else []
        elif left:
            kept = [file.text(one) for one in every if one not in left]
            found.append(Edit(every[0].start_byte, every[-1].end_byte, ", ".join(kept)))
    return found


def _is_left(one: Node, file: JavaScriptFile, scopes: Scopes, spans: list[Edit], written: set[str]) -> bool:
    """Tell whether all uses of what is imported are in what is written anew, and that does not name it."""
    name = one.child_by_field_name("alias") or one.child_by_field_name("name")
    binding = scopes.of(name)
    if binding is None or not binding.uses or binding.name in written or binding.name in file.exports.values():
        return False
    return all(any(span.start <= use.start_byte and use.end_byte <= span.end for span in spans) for use in binding.uses)


def _only_declares(file: JavaScriptFile) -> bool:
    """Tell whether a file does nothing when it is loaded but to declare functions and constants."""
    return all(_declares(one) for one in file.root.named_children)


def _declares(statement: Node) -> bool:
    if statement.type in ("export_statement", "lexical_declaration"):
        return all(map(_declares, statement.named_children))
    if statement.type == "variable_declarator":
        value = statement.child_by_field_name("value")
        return value is not None and value.type in _VALUES
    return statement.type in _DECLARING
