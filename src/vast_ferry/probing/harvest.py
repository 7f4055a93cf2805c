"""What a handler's code says about its input: names that it asks for, and texts and numbers that it compares with.

A generator that knows them soon writes what the code looks for. They are read off the source of the function's own
pieces, whatever the language: nothing is run, and what is no use does no harm.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final

from vast_ferry.documents.javascript_file import parse_javascript, string_of, walk
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import JAVASCRIPT, PYTHON, language_of
from vast_ferry.probing.faults import Piece

_LONGEST: Final = 60
_NAME: Final = re.compile(r"[A-Za-z_][\w.-]{0,40}\Z")


@dataclass(slots=True)
class Words:
    """What stands in the code: names that are looked up, texts, and numbers."""

    names: set[str] = field(default_factory=set)
    texts: set[str] = field(default_factory=set)
    numbers: set[int | float] = field(default_factory=set)

    def take(self, value: object) -> None:
        """Take in a constant."""
        if isinstance(value, str) and len(value) <= _LONGEST:
            self.texts.add(value)
            if _NAME.match(value):
                self.names.add(value)
        elif isinstance(value, int | float) and not isinstance(value, bool):
            self.numbers.add(value)

    def take_setting(self, value: str) -> None:
        """Take in the value of a variable: a text, and a number where it is one."""
        self.take(value)
        if re.fullmatch(r"-?\d{1,9}", value):
            self.numbers.add(int(value))


def words_of(folder: Path, pieces: Mapping[str, Iterable[Piece]], variables: Mapping[str, str]) -> Words:
    """Return what the code of some pieces says, and what the variables of their function hold."""
    made = Words()
    for value in variables.values():
        made.take_setting(value)
    for file, own in pieces.items():
        lines = [range(one.first, one.last + 1) for one in own]
        content = (folder / file).read_bytes()
        if language_of(file) == PYTHON:
            _of_python(content, lines, made)
        elif language_of(file) == JAVASCRIPT:
            _of_javascript(content, file, lines, made)
    return made


def _of_python(content: bytes, lines: list[range], made: Words) -> None:
    try:
        tree = ast.parse(content)
    except (SyntaxError, ValueError):
        return
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and any(node.lineno in one for one in lines):
            made.take(node.value)


def _of_javascript(content: bytes, file: str, lines: list[range], made: Words) -> None:
    try:
        read = parse_javascript(content, file)
    except BadInput:
        return
    for node in walk(read.root):
        if not any(node.start_point[0] + 1 in one for one in lines):
            continue
        if node.type in ("string", "template_string"):
            made.take(string_of(read, node) or "")
        elif node.type == "number":
            text = read.text(node)
            made.take(float(text) if "." in text else int(text) if text.isdigit() else None)
        elif node.type in ("property_identifier", "shorthand_property_identifier_pattern"):
            made.take(read.text(node))
