"""Formatted texts (f-strings) with expressions written anew in them: before PEP 701 their quotes must not repeat.

Three ways, the least change first: what is written has other quotes than the text around it; literals in it get the
other quotes; the text around it gets quotes of three. Where none will do the text can't be written.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Sequence
from dataclasses import replace

from vast_ferry.hub.findings import FerryError
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.text import Edit

_LITERAL = re.compile(r"""'[^']*'|"[^"]*\"""")
_OPENING = re.compile(r"""[fFrRbBuU]{0,2}(\"{3}|'{3}|"|')""")


class CannotQuote(FerryError, ValueError):
    """An expression that can't stand in a formatted text."""


def fitting(text: PythonText, node: ast.JoinedStr, edits: Sequence[Edit]) -> list[Edit]:
    """Return the edits inside a formatted text, and of its quotes, so that what comes out is one again.

    Raises CannotQuote where that can't be.
    """
    made: list[Edit] = []
    for start, end, quote in _pieces(text, node):
        inside = [_apart(edit) for edit in edits if start <= edit.start and edit.end <= end]
        if any(quote in edit.text or "\\" in edit.text for edit in inside):
            made += _requoted(text, start, end, quote, inside)
        else:
            made += inside
    if len(made) < len(edits):
        raise CannotQuote
    return made


def _apart(edit: Edit) -> Edit:
    """Return an edit that does not begin with a brace right behind the one of its place, which would mean one brace."""
    return replace(edit, text=f" {edit.text}") if edit.text.startswith("{") else edit


def _pieces(text: PythonText, node: ast.JoinedStr) -> list[tuple[int, int, str]]:
    """Return the literals that a formatted text is put together of: where each begins and ends, and its quotes."""
    data, at, end = text.data, text.start(node), text.end(node)
    found = []
    while at < end:
        opening = _OPENING.match(data[at:end].decode("latin-1"))
        if opening is None:
            at += 1  # white space, a comment or a bracket between two of them
            if data[at - 1 : at] == b"#":
                at = text.next_line(at - 1)
            continue
        quote = opening[1]
        stop = at + opening.end()
        while stop < end and data[stop : stop + len(quote)] != quote.encode():
            stop += 2 if data[stop : stop + 1] == b"\\" else 1
        found.append((at, stop + len(quote), quote))
        at = stop + len(quote)
    return found


def _requoted(text: PythonText, start: int, end: int, quote: str, edits: list[Edit]) -> list[Edit]:
    other = "'" if quote == '"' else '"'
    if len(quote) != 1 or any("\\" in edit.text for edit in edits):
        raise CannotQuote

    def swapped(found: re.Match[str]) -> str:
        literal = found[0]
        return f"{other}{literal[1:-1]}{other}" if literal[0] == quote and other not in literal else literal

    made = [replace(edit, text=_LITERAL.sub(swapped, edit.text)) for edit in edits]
    if not any(quote in edit.text for edit in made):
        return made
    # The quotes of three are those that neither the text nor what is written in it ends with or holds.
    first = text.data[start:end].decode("latin-1").index(quote) + start
    own = text.data[first + 1 : end - 1].decode("utf-8", "replace")
    for three in (3 * quote, 3 * other):
        if three not in own and not any(three in edit.text for edit in edits) and not own.endswith(three[0]):
            opened = Edit(first, first + 1, three, edits[0].reason)
            closed = Edit(end - 1, end, three, edits[0].reason)
            return [opened, *edits, closed]
    raise CannotQuote
