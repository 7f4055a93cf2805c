"""A source file's text, whatever its language, and edits that leave every other byte as it was."""

from __future__ import annotations

import bisect
import itertools
from collections.abc import Iterable
from dataclasses import dataclass

_BOM = b"\xef\xbb\xbf"


@dataclass(frozen=True, slots=True)
class Edit:
    """What takes the place of the bytes from `start` to `end`, and why (`reason`, one of the words of `REASONS`)."""

    start: int
    end: int
    text: str
    reason: str


@dataclass(frozen=True, slots=True)
class Span:
    """A part of a text: lines and columns of its beginning and its end, both from 1, the end exclusive."""

    line: int
    column: int
    end_line: int
    end_column: int


def order(edit: Edit) -> tuple[int, bool, int]:
    """Sort edits by their place: what is put in before what stands there, and the outer before the inner."""
    return edit.start, edit.end > edit.start, -edit.end


def line_starts(data: bytes) -> list[int]:
    """Return where each line of a text begins."""
    return [0, *itertools.accumulate(len(line) + 1 for line in data.split(b"\n"))][:-1]


class SourceText:
    """A source file's bytes as UTF-8 without a mark, whatever its encoding."""

    def __init__(self, raw: bytes, shown: str, encoding: str) -> None:
        self.raw, self.shown, self.encoding = raw, shown, encoding
        text = raw.removeprefix(_BOM).decode("utf-8" if encoding == "utf-8-sig" else encoding)
        self.bom = raw.startswith(_BOM)
        self.data = text.encode("utf-8")
        self.newline = "\r\n" if b"\r\n" in self.data else "\n"
        self.starts = line_starts(self.data)

    @property
    def strange(self) -> bool:
        """Tell whether lines end in ways that a tree's positions don't count as we do."""
        return b"\r" in self.data.replace(b"\r\n", b"") or b"\x0c" in self.data

    def line_of(self, at: int) -> int:
        """Return the number of the line, from 1, that a byte stands in."""
        return bisect.bisect_right(self.starts, at)

    def line_start(self, at: int) -> int:
        """Return where the line begins that a byte stands in."""
        return self.starts[self.line_of(at) - 1]

    def next_line(self, at: int) -> int:
        """Return where the line after that of a byte begins."""
        number = self.line_of(at)
        return self.starts[number] if number < len(self.starts) else len(self.data)

    def indent_of(self, at: int) -> str:
        """Return the white space at the beginning of a byte's line."""
        start = self.line_start(at)
        stop = start
        while stop < len(self.data) and self.data[stop : stop + 1] in (b" ", b"\t"):
            stop += 1
        return self.data[start:stop].decode("utf-8")

    def spliced(self, edits: Iterable[Edit]) -> str:
        """Return the file's text with the edits made."""
        return b"".join(self._parts(sorted(edits, key=order), [])).decode("utf-8")

    def _parts(self, edits: Iterable[Edit], kept: list[tuple[int, int, Edit]]) -> list[bytes]:
        """Return what the edited file is made of, and note in `kept` which edits are in it, and from where to where.

        What lies within another edit is left out: the outer one has its text already.
        """
        parts: list[bytes] = []
        at = length = 0
        for edit in edits:
            if edit.start < at:
                continue
            before = self.data[at : edit.start]
            made = edit.text.encode("utf-8")
            if self.newline != "\n":
                made = made.replace(b"\r\n", b"\n").replace(b"\n", b"\r\n")
            parts += [before, made]
            length += len(before)
            kept.append((length, length + len(made), edit))
            length += len(made)
            at = edit.end
        parts.append(self.data[at:])
        return parts

    def span(self, start: int, end: int) -> Span:
        """Return the lines and columns between two bytes."""
        return _span(self.starts, start, end)

    def offsets(self, span: Span) -> tuple[int, int]:
        """Return the two bytes that lines and columns stand for."""
        return (
            self.starts[span.line - 1] + span.column - 1,
            self.starts[span.end_line - 1] + span.end_column - 1,
        )

    def edited(self, edits: Iterable[Edit]) -> tuple[bytes, list[tuple[Span, Span, Edit]]]:
        """Return the file with the edits made, in its own encoding, and each edit's place before and after."""
        kept: list[tuple[int, int, Edit]] = []
        data = b"".join(self._parts(sorted(edits, key=order), kept))
        after = line_starts(data)
        spans = [(self.span(edit.start, edit.end), _span(after, start, end), edit) for start, end, edit in kept]
        text = data.decode("utf-8")
        if self.encoding in ("utf-8", "utf-8-sig"):
            return (_BOM if self.bom else b"") + data, spans
        return text.encode(self.encoding), spans


def _span(starts: list[int], start: int, end: int) -> Span:
    first, last = bisect.bisect_right(starts, start), bisect.bisect_right(starts, end)
    return Span(first, start - starts[first - 1] + 1, last, end - starts[last - 1] + 1)
