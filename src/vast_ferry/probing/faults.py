"""A small fault: one place in a file, written otherwise. What belongs here is the same in every language."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Fault:
    """One small fault that can be planted: in which file, at which line, what it is, and the bytes that it changes.

    `begin` and `end` are offsets in bytes of UTF-8, `text` is what stands there instead. `on_line` is the last line.
    """

    file: str
    line: int
    last_line: int
    what: str
    begin: int
    end: int
    text: str

    def planted(self, content: bytes) -> bytes:
        """Return a file with the fault in it."""
        return content[: self.begin] + self.text.encode("utf-8", "surrogatepass") + content[self.end :]

    @property
    def place(self) -> str:
        """Return where it stands, as file and line."""
        return f"{self.file}:{self.line}"


@dataclass(frozen=True, slots=True)
class Piece:
    """One definition at the top of a file, or one other statement there: the names it binds, its lines, its text."""

    names: frozenset[str]
    first: int
    last: int
    words: frozenset[str]


def pieces_of_one(pieces: list[Piece], entry: str, ran: set[int]) -> list[Piece]:
    """Return the pieces of a file that belong to one function: its entry, what ran, and what these mention by name.

    `ran` are the lines in bodies of definitions that ran when the function was called.
    """
    chosen = [one for one in pieces if entry in one.names or ran & set(range(one.first, one.last + 1))]
    waiting = list(chosen)
    while waiting:
        words = waiting.pop().words
        for one in pieces:
            if one not in chosen and one.names & words:
                chosen.append(one)
                waiting.append(one)
    return chosen
