"""Originals and what became of them next to each other, as one HTML page that needs nothing else.

Text of the author's goes through the template's escaping, and nothing in the page runs.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import jinja2

from vast_ferry.crossing.carry import Crossing
from vast_ferry.hub.findings import Finding, Severity
from vast_ferry.surveying.record import EditRecord
from vast_ferry.translate.python.source import PythonText

#: Unchanged lines around a change that are shown; what lies between is folded.
AROUND = 3


@dataclass(frozen=True, slots=True)
class Piece:
    """A part of a line, and why it was changed (empty: it was not)."""

    text: str
    reason: str = ""


@dataclass(frozen=True, slots=True)
class Row:
    """One line on each side: its number (0: none there) and its pieces."""

    left: int
    before: tuple[Piece, ...]
    right: int
    after: tuple[Piece, ...]
    changed: bool
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True, slots=True)
class Page:
    """One file of the author's: its rows, folded where nothing changed, and how many edits it had."""

    file: str
    edits: int
    rows: tuple[Row | int, ...]  # a number stands for so many lines that are alike


def _lines(raw: bytes, shown: str) -> list[bytes]:
    return PythonText(raw, shown).data.split(b"\n")


def _pieces(line: bytes, number: int, spans: Sequence[tuple[list[int], str]]) -> tuple[Piece, ...]:
    """Return a line in pieces: what lies in a span apart from the rest."""
    made: list[Piece] = []
    at = 0
    for (first, column, last, end_column), reason in sorted(spans):
        if not first <= number <= last:
            continue
        start = column - 1 if number == first else 0
        end = end_column - 1 if number == last else len(line)
        start, end = max(start, at), min(end, len(line))
        if start >= end:
            continue
        made += [Piece(_text(line[at:start])), Piece(_text(line[start:end]), reason)]
        at = end
    made.append(Piece(_text(line[at:])))
    return tuple(piece for piece in made if piece.text)


def _text(line: bytes) -> str:
    return line.decode("utf-8", "replace").rstrip("\r").expandtabs(4)


def _groups(edits: Sequence[EditRecord]) -> Iterator[tuple[int, int, int, int]]:
    """Yield runs of lines that edits touch: first and last before, first and last after; edits on one line are one."""
    run: list[int] | None = None
    for edit in sorted(edits, key=lambda edit: (edit.before[0], edit.before[1], edit.after[0])):
        # Whole lines that went leave no line behind, and those that came had none before.
        whole = _whole(edit.before) or _whole(edit.after)
        before = [edit.before[0], edit.before[2] - whole]
        after = [edit.after[0], edit.after[2] - whole]
        if run is not None and (before[0] <= run[1] or after[0] <= run[3]):
            run[1], run[3] = max(run[1], before[1]), max(run[3], after[1])
            continue
        if run is not None:
            yield run[0], run[1], run[2], run[3]
        run = [*before, *after]
    if run is not None:
        yield run[0], run[1], run[2], run[3]


def _whole(span: list[int]) -> bool:
    """Tell whether a span is of whole lines."""
    return span[1] == 1 and span[3] == 1 and span[2] > span[0]


def rows_of(
    before: bytes, after: bytes, edits: Sequence[EditRecord], findings: Mapping[int, list[Finding]]
) -> list[Row]:
    """Return the lines of both sides next to each other, aligned by the edits."""
    left, right = _lines(before, ""), _lines(after, "")
    spans_left = [(edit.before, edit.reason) for edit in edits]
    spans_right = [(edit.after, edit.reason) for edit in edits]
    rows: list[Row] = []
    one = other = 1

    def row(a: int, b: int, *, changed: bool) -> None:
        rows.append(
            Row(
                a,
                _pieces(left[a - 1], a, spans_left) if a else (),
                b,
                _pieces(right[b - 1], b, spans_right) if b else (),
                changed,
                tuple(findings.get(a, ())),
            )
        )

    for first, last, there, there_last in _groups(edits):
        while one < first and other < there:
            row(one, other, changed=False)
            one, other = one + 1, other + 1
        height = max(last - one, there_last - other) + 1
        for index in range(height):
            a, b = one + index, other + index
            row(a if a <= last else 0, b if b <= there_last else 0, changed=True)
        one, other = max(one, last + 1), max(other, there_last + 1)
    while one <= len(left) and other <= len(right):
        row(one, other, changed=False)
        one, other = one + 1, other + 1
    return rows


def folded(rows: Sequence[Row]) -> tuple[Row | int, ...]:
    """Return rows with long stretches of unchanged ones replaced by their number."""
    near = [False] * len(rows)
    for index, row in enumerate(rows):
        if row.changed or row.findings:
            for other in range(max(0, index - AROUND), min(len(rows), index + AROUND + 1)):
                near[other] = True
    made: list[Row | int] = []
    for row, shown in zip(rows, near, strict=True):
        if shown:
            made.append(row)
        elif made and isinstance(made[-1], int):
            made[-1] += 1
        else:
            made.append(1)
    return tuple(made)


def _covered(content: bytes, crossing: Crossing) -> bytes:
    """Return a file's bytes with every withheld value covered, each byte by one, so that all else keeps its place."""
    for value in sorted((one.encode("utf-8", "surrogatepass") for one in crossing.withheld), key=len, reverse=True):
        if len(value) > 2:
            content = content.replace(value, b"*" * len(value))
    return content


def side_by_side(crossing: Crossing, project: Path) -> str:
    """Return the page of a crossing as HTML: every file of the author's that was rewritten, and why what was not."""
    record = crossing.record
    by_file: dict[str, list[EditRecord]] = {}
    for edit in record.edits:
        by_file.setdefault(edit.file, []).append(edit)
    pages = []
    for file, edits in sorted(by_file.items()):
        told: dict[int, list[Finding]] = {}
        for finding in crossing.findings:
            if finding.place.file == file and finding.place.line and finding.severity in (Severity.NOTE, Severity.LOSS):
                told.setdefault(finding.place.line, []).append(finding)
        before, after = (_covered(one, crossing) for one in ((project / file).read_bytes(), crossing.files[file]))
        rows = rows_of(before, after, edits, told)
        pages.append(Page(file, len(edits), folded(rows)))
    environment = jinja2.Environment(
        autoescape=True, undefined=jinja2.StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    template = environment.from_string((Path(__file__).parent / "side_by_side.html.j2").read_text(encoding="utf-8"))
    wrapped = [f for f in crossing.findings if f.code.startswith("wrapped-")]
    styles = [one.style for one in record.functions]
    return template.render(
        crossing=crossing,
        pages=pages,
        wrapped=wrapped,
        native=styles.count("native"),
        total=len(styles),
    )
