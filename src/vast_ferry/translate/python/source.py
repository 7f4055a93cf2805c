"""A Python file's text, with the positions of its syntax tree."""

from __future__ import annotations

import ast
import io
import re
import tokenize
from collections.abc import Container, Mapping

from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.translate.text import SourceText


class PythonText(SourceText):
    """A Python file: its encoding is what it says itself; the tree's positions are bytes of its UTF-8."""

    def __init__(self, raw: bytes, shown: str) -> None:
        try:
            super().__init__(raw, shown, tokenize.detect_encoding(io.BytesIO(raw).readline)[0])
        except (SyntaxError, UnicodeError, LookupError) as error:
            raise BadInput(f"the file is not Python: {error}", "Mend its encoding", Place(shown)) from None

    def parse(self) -> ast.Module:
        """Return the syntax tree; from text, for the bytes are UTF-8 here whatever encoding the file names."""
        return ast.parse(self.data.decode("utf-8"))

    def start(self, node: ast.AST) -> int:
        """Return where a node begins."""
        return self.starts[node.lineno - 1] + node.col_offset  # type: ignore[attr-defined, no-any-return]

    def end(self, node: ast.AST) -> int:
        """Return where a node ends."""
        return self.starts[node.end_lineno - 1] + node.end_col_offset  # type: ignore[attr-defined, no-any-return]

    def free(self, name: str, taken: Container[str] = ()) -> str:
        """Return a name that the file does not say, and nobody has taken: with a number where it does."""
        made, number = name, 1
        while made in taken or re.search(rb"\b" + made.encode() + rb"\b", self.data):
            number += 1
            made = f"{name}_{number}"
        return made

    def of(self, node: ast.AST) -> str:
        """Return a node's own text."""
        return self.data[self.start(node) : self.end(node)].decode("utf-8")


def parsed(files: Mapping[str, bytes], path: str) -> tuple[PythonText, ast.Module] | None:
    """Return a file's text and its syntax tree; nothing where there is none, or it can't be read."""
    try:
        text = PythonText(files[path], path)
        return text, text.parse()
    except (BadInput, SyntaxError, ValueError, RecursionError, KeyError):
        return None
