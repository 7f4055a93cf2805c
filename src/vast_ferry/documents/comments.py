"""Comments that declare the function below them: what stands behind their mark is a document of its own."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from vast_ferry.documents.document import Document, read_text
from vast_ferry.documents.yaml_file import parse_yaml

_DEFINED: Final = re.compile(r"(?:async\s+def|def|class)\s+(\w+)")


@dataclass(frozen=True, slots=True)
class Commented:
    """What the comments above a function say; `name` is empty where none stands below them."""

    name: str
    line: int  # of the first comment
    document: Document


def read_comments(path: Path, shown: str, mark: str) -> Iterator[Commented]:
    """Yield what stands behind a mark at the beginning of lines, block by block, in YAML.

    Places are those of the file. Decorators may stand between the comments and the function that they declare. Raises
    BadInput for what is no YAML, with its line.
    """
    lines = read_text(path, shown, "the code").split("\n")
    at = 0
    while at < len(lines):
        if not lines[at].startswith(mark):
            at += 1
            continue
        end = at
        while end < len(lines) and lines[end].startswith(mark):
            end += 1
        # Every other line is empty, and spaces stand for the mark: so each part keeps its line and column.
        kept = [" " * len(mark) + line[len(mark) :] for line in lines[at:end]]
        below = end
        while below < len(lines) and lines[below].startswith("@"):
            below += 1
        found = _DEFINED.match(lines[below]) if below < len(lines) else None
        yield Commented(
            found[1] if found else "", at + 1, parse_yaml("\n" * at + "\n".join(kept), shown, "the comments")
        )
        at = end
