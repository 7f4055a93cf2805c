"""What a person must know, and where it stands: findings, places, and the one error for bad input."""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any


class Severity(StrEnum):
    """How much a finding matters, worst first."""

    BLOCKING = "blocking"  # the carried function can't be relied on until a person acts
    LOSS = "loss"  # something the target's shape can't hold
    TODO = "todo"  # a person must do something at the target
    NOTE = "note"  # good to know


@dataclass(frozen=True, slots=True)
class Place:
    """A spot in a file: `file` as a person would type it, `line` and `column` counted from 1 (0: not known)."""

    file: str = ""
    line: int = 0
    column: int = 0

    def __str__(self) -> str:
        return ":".join([self.file, *(str(n) for n in (self.line, self.column) if n)])


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing a person must know: what (`code`, `reason`), how bad, where, and what to do about it."""

    code: str
    severity: Severity
    reason: str
    remedy: str
    place: Place = Place()
    function: str = ""
    field: str = ""

    @property
    def about(self) -> str:
        """Return what it is about: its place, or else the field or the function, or else the whole project."""
        return str(self.place) if self.place.file else self.field or self.function or "the project"

    def __str__(self) -> str:
        return f"{self.about}: {self.reason}"

    def as_data(self) -> dict[str, Any]:
        """Return plain data for a record or a report."""
        place = {"file": self.place.file, "line": self.place.line, "column": self.place.column}
        told = {field: getattr(self, field) for field in Finding.__slots__}
        return {**told, "severity": str(self.severity), "place": place, "about": self.about}


def worst_first(findings: Iterable[Finding]) -> list[Finding]:
    """Return findings, worst first, otherwise in the order in which they came."""
    order = list(Severity)
    return sorted(findings, key=lambda finding: order.index(finding.severity))


def shortened(text: str, most: int) -> str:
    """Return a text that is not longer than `most`; of a longer one the beginning, and how long it is."""
    if len(text) <= most:
        return text
    told = f"… ({len(text):,} characters)"
    return text[: most - len(told)] + told


#: A message is read at one sight: what is wrong and what to do, in so many characters at most.
MOST_TOLD = 240


class FerryError(Exception):
    """Anything that goes wrong here and has a name."""


class BadInput(FerryError):
    """Input that can't be used; `str()` is the one message: place, what is wrong, what to do.

    Raised for a user's mistake only. The command line prints it and ends with status 2.
    """

    def __init__(self, what: str, remedy: str, place: Place | None = None) -> None:
        what, remedy = shortened(what, MOST_TOLD), shortened(remedy, MOST_TOLD)
        super().__init__(what, remedy, place)
        self.what, self.remedy, self.place = what, remedy, place or Place()

    def __str__(self) -> str:
        where = f"{self.place}: " if self.place.file else ""
        return f"{where}{self.what}. {self.remedy}"


class ManyBadInputs(BadInput):
    """Several mistakes in one file, reported at once, a line each."""

    def __init__(self, problems: list[BadInput]) -> None:
        super().__init__(problems[0].what, problems[0].remedy, problems[0].place)
        self.problems = problems

    def __str__(self) -> str:
        return "\n".join(str(problem) for problem in self.problems)

    def __reduce__(self) -> tuple[type[ManyBadInputs], tuple[list[BadInput]]]:
        return ManyBadInputs, (self.problems,)  # so that it can cross from one process to another


def nearest(word: str, known: Iterable[str]) -> str:
    """Return ` (did you mean 'x'?)` for the known word closest to `word`, or an empty string if none is close."""
    close = difflib.get_close_matches(word.lower(), list(known), n=1, cutoff=0.55)
    return f" (did you mean {close[0]!r}?)" if close else ""
