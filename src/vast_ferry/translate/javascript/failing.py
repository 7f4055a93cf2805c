"""Whether working out an expression may be refused: where the code that it runs means to fail, or asks others.

A project's function refuses what it is given by `throw`; what comes from outside (JSON, encoded text, addresses) is
refused by what reads it; and whoever is waited for may say no. All else fails by mistake only: nothing is asked for a
part, a circle is written as JSON.
"""

from __future__ import annotations

from typing import Final

from vast_ferry.documents.javascript_file import walk
from vast_ferry.translate.javascript.handlers import FunctionOf, Standing

#: Functions and classes of the language that refuse what they can't read.
_REFUSING: Final = frozenset(("JSON.parse", "BigInt", "decodeURIComponent", "decodeURI", "atob", "btoa", "RegExp"))
_TAKING_ANYTHING: Final = frozenset(("Date", "Map", "Set", "URLSearchParams", "TextEncoder", "Uint8Array"))
_DEEPEST: Final = 8


def may_be_refused(at: Standing, function_of: FunctionOf, depth: int = 0) -> bool:
    """Tell whether an expression, or a function's body, may be refused what it asks for."""
    if depth > _DEEPEST:
        return True
    for node in walk(at.node):
        if node.type in ("throw_statement", "await_expression", "yield_expression"):
            return True
        called = node.child_by_field_name("function") or node.child_by_field_name("constructor")
        if node.type == "new_expression" and at.file.text(called) not in _TAKING_ANYTHING:
            return True
        if node.type != "call_expression":
            continue
        if at.file.text(called) in _REFUSING:
            return True
        named = called.type in ("identifier", "member_expression")
        found = function_of(at.file, at.scopes, called) if named else None
        if found is not None and may_be_refused(found, function_of, depth + 1):
            return True
    return False
