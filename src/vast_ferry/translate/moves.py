"""Two rounds of edits of one text as one: where a thing stood before the first, and where after the second."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vast_ferry.translate.text import SourceText, Span


@dataclass(frozen=True, slots=True)
class Done:
    """One edit as it was made: where before, where after, and why."""

    file: str
    before: Span
    after: Span
    reason: str


@dataclass(frozen=True, slots=True)
class _Move:
    """An edit in bytes: what lay between two places of one text lies between two of another."""

    start: int
    end: int
    start_after: int
    end_after: int
    reason: str

    @property
    def grown(self) -> int:
        return (self.end_after - self.start_after) - (self.end - self.start)


def _moves(edits: Sequence[Done], before: SourceText, after: SourceText) -> list[_Move]:
    made = [_Move(*before.offsets(edit.before), *after.offsets(edit.after), edit.reason) for edit in edits]
    return sorted(made, key=lambda move: (move.start_after, move.end_after))


def composed(
    first: Sequence[Done], second: Sequence[Done], before: SourceText, between: SourceText, after: SourceText
) -> list[Done]:
    """Return the edits that lead from `before` to `after` at once; those that meet become one.

    `first` lead from `before` to `between`, `second` from there to `after`; all are of one file.
    """
    ones, twos = _moves(first, before, between), _moves(second, between, after)
    file = (*first, *second)[0].file if first or second else ""
    # Where each edit stands in the text between the two.
    places = [(one.start_after, one.end_after, 0, one) for one in ones]
    places += [(two.start, two.end, 1, two) for two in twos]
    places.sort(key=lambda place: place[:3])
    groups: list[tuple[int, int, list[_Move], list[_Move]]] = []
    for start, end, which, move in places:
        last = groups[-1] if groups else None
        if last is not None and (start < last[1] or (start == last[1] and (start == end or last[0] == last[1]))):
            groups[-1] = (last[0], max(last[1], end), last[2], last[3])
        else:
            groups.append((start, end, [], []))
        groups[-1][2 + which].append(move)  # type: ignore[union-attr]
    made = []
    back = on = 0
    for start, end, theirs, ours in groups:
        was, shall = start - back, start + on
        back += sum(move.grown for move in theirs)
        on += sum(move.grown for move in ours)
        if before.data[was : end - back] == after.data[shall : end + on]:
            continue  # what the first round did, the second undid
        reason = (theirs or ours)[0].reason
        made.append(Done(file, before.span(was, end - back), after.span(shall, end + on), reason))
    return made


def line_before(line: int, edits: Sequence[Done], before: SourceText, between: SourceText) -> int:
    """Return the line in `before` of what stands in a line of `between`: of an edit, the line where it began."""
    if not 0 < line <= len(between.starts):
        return line
    at = between.starts[line - 1] + len(between.indent_of(between.starts[line - 1]).encode())
    grown = 0
    for move in _moves(edits, before, between):
        if move.start_after <= at < move.end_after:
            return before.line_of(min(move.start, max(0, len(before.data) - 1)))
        if move.end_after <= at:
            grown += move.grown
    return before.line_of(at - grown)
