"""What of the code ran: points of a project's files, of one call or of many, and how much of a function that is.

A point is a file with two numbers that mean the same from call to call: in Python two lines that follow each other (as
`coverage` measures them), in JavaScript the line and the column of a statement or a branch. V8 tells there how often
ranges of characters ran, functions and blocks, outer ones first; the innermost that holds a statement counts. A
function that did not run at all is not told of, so a range is only believed of what stands in no smaller function.
"""

from __future__ import annotations

import io
import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import redirect_stderr
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, parse_javascript
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import PYTHON, language_of
from vast_ferry.standins.scratch import scratch_folder

Point = tuple[str, int, int]
_STATEMENTS: Final = frozenset(
    ("expression_statement", "lexical_declaration", "variable_declaration", "return_statement", "throw_statement")
    + ("if_statement", "for_statement", "for_in_statement", "while_statement", "do_statement", "switch_statement")
    + ("try_statement", "break_statement", "continue_statement")
)
_FUNCTIONS: Final = frozenset(
    ("arrow_function", "function_declaration", "function_expression", "method_definition")
    + ("generator_function", "generator_function_declaration")
)


@dataclass(frozen=True, slots=True)
class Covered:
    """How much of a function ran: lines and branches, how many of them were reached, and the lines that were not."""

    lines: int = 0
    lines_reached: int = 0
    branches: int = 0
    branches_reached: int = 0
    missed: tuple[tuple[str, int], ...] = ()

    def __add__(self, other: Covered) -> Covered:
        return Covered(
            self.lines + other.lines,
            self.lines_reached + other.lines_reached,
            self.branches + other.branches,
            self.branches_reached + other.branches_reached,
            self.missed + other.missed,
        )


class Reader:
    """Reads what a worker measured as points of a folder's files, each of which is parsed once."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._read: dict[str, _Counted] = {}

    def points(self, reached: Mapping[str, Sequence[Any]]) -> frozenset[Point]:
        """Return the points that one call ran."""
        found: set[Point] = set()
        for path, ran in reached.items():
            if language_of(path) == PYTHON:
                found |= {(path, int(one), int(other)) for one, other in ran}
            elif path in self._read or (self.folder / path).is_file():  # what is made up in memory is no file
                found |= {(path, *at) for at in self._counted(path).ran(ran)}
        return frozenset(found)

    def _counted(self, path: str) -> _Counted:
        if path not in self._read:
            self._read[path] = _Counted(self.folder / path)
        return self._read[path]

    def covered(self, path: str, points: Iterable[Point], lines: Iterable[tuple[int, int]]) -> Covered:
        """Return how much of some lines of a file (first and last of each piece) the points cover."""
        own = [(one, other) for file, one, other in points if file == path]
        wanted = {line for first, last in lines for line in range(first, last + 1)}
        if language_of(path) == PYTHON:
            return _covered_in_python(self.folder / path, path, own, wanted)
        return self._counted(path).covered(path, set(own), wanted)


def lines_of(points: Iterable[Point]) -> set[tuple[str, int]]:
    """Return the lines that ran."""
    found = set()
    for path, one, other in points:
        found.add((path, one))
        if language_of(path) == PYTHON:
            found.add((path, other))
    return found


def _covered_in_python(file: Path, path: str, arcs: list[tuple[int, int]], wanted: set[int]) -> Covered:
    """Return what `coverage` says of a file, of these lines alone."""
    import coverage

    measured = coverage.Coverage(data_file=None, config_file=False, branch=True, messages=False)
    measured.get_data().add_arcs({str(file): arcs})
    told = io.StringIO()
    with redirect_stderr(told):
        whole = _report(measured, file)
    (own,) = whole["files"].values()
    ran, missing = set(own["executed_lines"]) & wanted, set(own["missing_lines"]) & wanted
    taken = [one for one in own["executed_branches"] if abs(one[0]) in wanted]
    left = [one for one in own["missing_branches"] if abs(one[0]) in wanted]
    missed = tuple((path, line) for line in sorted(missing))
    return Covered(len(ran) + len(missing), len(ran), len(taken) + len(left), len(taken), missed)


def _report(measured: Any, file: Path) -> dict[str, Any]:
    with scratch_folder() as scratch:
        measured.json_report(morfs=[str(file)], outfile=str(scratch / "told.json"))
        told: dict[str, Any] = json.loads((scratch / "told.json").read_text(encoding="utf-8"))
        return told


@dataclass(frozen=True, slots=True)
class _Spot:
    """A statement or a branch: where it begins, where the function around it ends, and the further lines of it."""

    offset: int
    line: int
    column: int
    function_end: int
    branch: bool
    further: tuple[int, ...]


class _Counted:
    """A file in JavaScript: its statements and branches, and what V8's counts say of them."""

    def __init__(self, file: Path) -> None:
        content = file.read_bytes()
        try:
            read = parse_javascript(content, str(file))
        except BadInput:  # what can't be parsed does not run either
            read = None
        self.spots: list[_Spot] = []
        if read is not None:
            at = _offsets(content)
            for node, branch in _spots(read):
                around = _function_around(node)
                end = at[around.end_byte] if around is not None else at[len(content)]
                line, column = node.start_point
                self.spots.append(_Spot(at[node.start_byte], line + 1, column + 1, end, branch, tuple(_further(node))))

    def ran(self, functions: Sequence[Sequence[Sequence[int]]]) -> set[tuple[int, int]]:
        """Return line and column of the statements and branches that ran."""
        ranges = sorted(
            ((start, end, count, ranges[0][1]) for ranges in functions for start, end, count in ranges),
            key=lambda one: (one[0], -one[1]),
        )
        found = set()
        for spot in self.spots:
            count, own_end = 0, -1
            for start, end, times, of_function in ranges:
                if start > spot.offset:
                    break
                if spot.offset < end:
                    count, own_end = times, of_function
            if count and own_end <= spot.function_end + 1:  # a range of the function around does not tell of this one
                found.add((spot.line, spot.column))
                found |= {(line, 0) for line in spot.further}
        return found

    def covered(self, path: str, points: set[tuple[int, int]], wanted: set[int]) -> Covered:
        spots = [one for one in self.spots if one.line in wanted]
        lines = {one.line for one in spots if not one.branch}
        reached = {line for line, _ in points}
        branches = [(one.line, one.column) for one in spots if one.branch]
        taken = sum(one in points for one in branches)
        missed = tuple((path, line) for line in sorted(lines - reached))
        return Covered(len(lines), len(lines & reached), len(branches), taken, missed)


def _spots(file: JavaScriptFile) -> list[tuple[Node, bool]]:
    """Return the statements of a file, and the branches in it: what may run or not within a statement."""
    found: list[tuple[Node, bool]] = []
    stack = [file.root]
    while stack:
        node = stack.pop()
        if node.type in _STATEMENTS:
            found.append((node, False))
        if node.type in ("if_statement", "ternary_expression"):
            inner = [node.child_by_field_name(name) for name in ("consequence", "alternative")]
            found += [(_first(one), True) for one in inner if one is not None]
        elif node.type == "binary_expression" and node.child_by_field_name("operator").type in ("||", "&&", "??"):
            found.append((node.child_by_field_name("right"), True))
        elif node.type in ("switch_case", "switch_default", "catch_clause"):
            found.append((node, True))
        elif node.type == "arrow_function" and node.child_by_field_name("body").type != "statement_block":
            found.append((node.child_by_field_name("body"), False))
        stack += [one for one in node.named_children if one.type != "comment"]
    return found


def _further(node: Node) -> Iterator[int]:
    """Yield the lines of a statement behind its first, without those of statements in it."""
    if node.type in _STATEMENTS and node.type.endswith(("if_statement", "for_statement", "in_statement")):
        inner = node.child_by_field_name("consequence") or node.child_by_field_name("body")
        yield from range(node.start_point[0] + 2, inner.start_point[0] + 2)
        return
    inside: set[int] = set()
    stack = list(node.named_children)
    while stack:
        one = stack.pop()
        if one.type in ("statement_block", "class_body"):
            inside |= set(range(one.start_point[0] + 2, one.end_point[0] + 2))
        else:
            stack += one.named_children
    yield from (line for line in range(node.start_point[0] + 2, node.end_point[0] + 2) if line not in inside)


def _first(node: Node) -> Node:
    """Return what runs first of a branch: the statement in a block, or behind `else`."""
    while node.type in ("else_clause", "statement_block") and node.named_children:
        node = node.named_children[0]
    return node


def _function_around(node: Node) -> Node | None:
    above = node.parent
    while above is not None and above.type not in _FUNCTIONS:
        above = above.parent
    return above


def _offsets(content: bytes) -> Sequence[int]:
    """Return the offset in UTF-16 units, as JavaScript counts, of every offset in bytes."""
    if content.isascii():
        return range(len(content) + 1)
    found, units = [], 0
    for byte in content:
        found.append(units)
        if byte < 0x80 or byte >= 0xC0:
            units += 2 if byte >= 0xF0 else 1
    return [*found, units]
