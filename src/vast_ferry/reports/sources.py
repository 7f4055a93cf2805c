"""Originals and what is carried next to each other, line by line, highlighted: what a report shows of the code itself.

Lines are aligned by what they say, so it also holds for files that were edited since. Text goes through Pygments, which
escapes it; nothing of it runs.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from difflib import SequenceMatcher
from pathlib import Path
from typing import Final

from markupsafe import Markup

from vast_ferry.checking.sides import source_side
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import JAVASCRIPT_FILES
from vast_ferry.surveying.record import Record, read_record

#: Unchanged lines around a change that are shown; what lies between is folded.
AROUND: Final = 3
#: Longer files are not shown.
MOST_LINES: Final = 4000


@dataclass(frozen=True, slots=True)
class Line:
    """One line on each side: its number (0: none there) and its highlighted text."""

    left: int
    before: Markup
    right: int
    after: Markup
    changed: bool


@dataclass(frozen=True, slots=True)
class Sources:
    """One file of the author's and what became of it: the functions in it, and its lines; a number is so many alike."""

    file: str
    carried: str
    functions: tuple[str, ...]
    rows: tuple[Line | int, ...]


def sources_of(crossing: Path) -> list[Sources]:
    """Return the files of a crossing's handlers, each once; none where the original is gone."""
    record = read_record(crossing)
    try:
        here = source_side(crossing, record, None)[0].folder
    except BadInput:
        return []
    found = []
    for (file, carried), functions in _files(record, crossing).items():
        before, after = _text(here / file), _text(crossing / carried)
        if before is not None and after is not None:
            found.append(Sources(file, carried, tuple(functions), tuple(_folded(_rows(file, before, after)))))
    return found


def _files(record: Record, crossing: Path) -> dict[tuple[str, str], list[str]]:
    """Return each file with handlers and what became of it, with the functions in it."""
    found: dict[tuple[str, str], list[str]] = {}
    for one in record.functions:
        file, carried = one.entry.partition("#")[0], one.carried_entry.partition("#")[0]
        # What is wrapped is called by a shim, and stands where it stood.
        found.setdefault((file, file if (crossing / file).is_file() else carried), []).append(one.name)
    return found


def _text(path: Path) -> str | None:
    try:
        text = path.read_bytes().decode("utf-8")
    except (OSError, UnicodeDecodeError):
        return None
    return text if text.count("\n") <= MOST_LINES else None


def _rows(file: str, before: str, after: str) -> Iterator[Line]:
    left, right = before.splitlines(), after.splitlines()
    marked, carried = _highlighted(file, before, len(left)), _highlighted(file, after, len(right))
    nothing = Markup()
    for what, a, b, c, d in SequenceMatcher(None, left, right, autojunk=False).get_opcodes():
        for step in range(max(b - a, d - c)):
            one, other = a + step, c + step
            yield Line(
                one + 1 if one < b else 0,
                marked[one] if one < b else nothing,
                other + 1 if other < d else 0,
                carried[other] if other < d else nothing,
                what != "equal",
            )


def _highlighted(file: str, text: str, count: int) -> list[Markup]:
    """Return the lines of a text, each as markup of its own."""
    from pygments import highlight
    from pygments.formatters import HtmlFormatter
    from pygments.lexers import JavascriptLexer, PythonLexer, TypeScriptLexer

    typed = JAVASCRIPT_FILES.get(Path(file).suffix)
    kind = PythonLexer if typed is None else TypeScriptLexer if typed else JavascriptLexer
    made = highlight(text, kind(stripnl=False, ensurenl=False), HtmlFormatter(nowrap=True)).split("\n")
    return [Markup(line) for line in [*made, *[""] * count][:count]]  # noqa: S704  (Pygments has escaped it)


def _folded(rows: Iterator[Line]) -> Iterator[Line | int]:
    """Yield rows with long stretches of unchanged ones replaced by their number."""
    every = list(rows)
    near = [False] * len(every)
    for at, row in enumerate(every):
        if row.changed:
            near[max(0, at - AROUND) : at + AROUND + 1] = [True] * len(near[max(0, at - AROUND) : at + AROUND + 1])
    count = 0
    for row, shown in zip(every, near, strict=True):
        if not shown:
            count += 1
            continue
        if count:
            yield count
        count = 0
        yield row
    if count:
        yield count
