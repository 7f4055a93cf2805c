"""Words of shell command lines, as people paste them (POSIX.1-2024 §2.2 quoting, and `$'…'` of §2.2.4): nothing is run.

A command ends at a line's end, `;`, `&&`, `||`, `|` or `&`. What the shell would put in the place of a variable or of a
command is not known here, and stands as it is written.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Final

from vast_ferry.hub.findings import BadInput, Place

_SIMPLE: Final = {"n": "\n", "t": "\t", "r": "\r", "a": "\a", "b": "\b", "e": "\x1b", "f": "\f", "v": "\v"}
_ESCAPE: Final = re.compile(
    r"\\(?:x([0-9a-fA-F]{1,2})|u([0-9a-fA-F]{1,4})|U([0-9a-fA-F]{1,8})|([0-7]{1,3})|(.))", re.DOTALL
)


class _Words:
    def __init__(self, text: str, shown: str) -> None:
        self.text, self.shown, self.at = text, shown, 0

    def _line(self, at: int) -> int:
        return self.text.count("\n", 0, at) + 1

    def commands(self) -> Iterator[tuple[int, list[str]]]:
        words: list[str] = []
        line = 1
        while True:
            found = self._next()
            if isinstance(found, str):
                if not words:
                    line = self._line(self.started)
                words.append(found)
                continue
            if words:
                yield line, words
            words = []
            if found is None:
                return

    def _next(self) -> str | bool | None:
        """Return the next word; false at a command's end, nothing at the end of all."""
        text = self.text
        while self.at < len(text):
            one = text[self.at]
            if text.startswith(("\\\n", "\\\r\n"), self.at):
                self.at += 2 if text[self.at + 1] == "\n" else 3
            elif one in "\n;|&":
                self.at += 1
                return False
            elif one.isspace():
                self.at += 1
            elif one == "#":
                end = text.find("\n", self.at)
                self.at = len(text) if end < 0 else end
            else:
                self.started = self.at
                return self._word()
        return None

    def _word(self) -> str:
        made: list[str] = []
        text = self.text
        while self.at < len(text):
            one = text[self.at]
            if text.startswith("$'", self.at):
                self.at += 2
                made.append(_unescaped(self._until("'", escapes=True)))
            elif one == "'":
                self.at += 1
                made.append(self._until("'", escapes=False))
            elif one == '"':
                self.at += 1
                inner = self._until('"', escapes=True).replace("\\\r\n", "").replace("\\\n", "")
                made.append(re.sub(r'\\(["\\$`])', r"\1", inner))
            elif one == "\\" and self.at + 1 < len(text):
                after = text[self.at + 1]
                if text.startswith(("\\\n", "\\\r\n"), self.at):
                    self.at += 2 if after == "\n" else 3
                    continue
                made.append(after)
                self.at += 2
            elif one.isspace() or one in ";|&":
                break
            else:
                made.append(one)
                self.at += 1
        return "".join(made)

    def _until(self, mark: str, *, escapes: bool) -> str:
        """Return what stands up to a quote, and go behind it."""
        start = at = self.at
        while at < len(self.text) and self.text[at] != mark:
            at += 2 if escapes and self.text[at] == "\\" else 1
        if at >= len(self.text):
            raise BadInput(
                f"the quote {mark} is not closed", "Paste the whole line", Place(self.shown, self._line(start - 1))
            )
        self.at = at + 1
        return self.text[start:at]


def _unescaped(text: str) -> str:
    def one(found: re.Match[str]) -> str:
        by_number = next((found[at] for at in (1, 2, 3) if found[at]), "")
        if by_number:
            return chr(int(by_number, 16))
        return chr(int(found[4], 8)) if found[4] else _SIMPLE.get(found[5], found[5])

    return _ESCAPE.sub(one, text)


def commands(text: str, shown: str) -> Iterator[tuple[int, list[str]]]:
    """Yield each command of a text as its first line and its words; raises BadInput for a quote that is not closed."""
    return _Words(text, shown).commands()
