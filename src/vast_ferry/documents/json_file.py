"""JSON documents (RFC 8259) with the line and column of every part; written with two spaces an indent."""

from __future__ import annotations

import json
import re
from json.decoder import scanstring  # type: ignore[attr-defined]
from pathlib import Path
from typing import Any, Final

from vast_ferry.documents.document import Document, Path_, read_text
from vast_ferry.hub.findings import BadInput, Place

DEEPEST: Final = 100
_SPACE: Final = re.compile(r"[ \t\n\r]*")
_NUMBER: Final = re.compile(r"(-?(?:0|[1-9]\d*))(\.\d+)?([eE][+-]?\d+)?")
_WORDS: Final = {"true": True, "false": False, "null": None}


class _Wrong(ValueError):
    """What is not JSON, or can't be kept: why, where, and what to do."""

    def __init__(self, why: str, at: int, remedy: str = "") -> None:
        super().__init__(why)
        self.why, self.at, self.remedy = why, at, remedy


def read_json(path: Path, shown: str, what: str) -> Document:
    """Return the document in a file; raises BadInput with line and column where it is not JSON, or has a key twice."""
    text = read_text(path, shown, what)
    reader = _Reader(text)
    try:
        data = reader.whole()
    except _Wrong as wrong:
        is_ = "can't be read" if wrong.remedy else "is not JSON"
        place = Place(shown, *reader.place(wrong.at))
        raise BadInput(f"{what} {is_}: {wrong.why}", wrong.remedy or "Mend it there", place) from None
    return Document(shown, data, {path_: reader.place(at) for path_, at in reader.starts.items()})


class _Reader:
    """Reads one text by descending into it, and keeps where each value, or its key, begins."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.starts: dict[Path_, int] = {}
        self._lines = [0, *(found.end() for found in re.finditer("\n", text))]

    def place(self, at: int) -> tuple[int, int]:
        """Return the line and column of a place in the text."""
        import bisect

        line = bisect.bisect_right(self._lines, at)
        return line, at - self._lines[line - 1] + 1

    def whole(self) -> Any:
        value, at = self._value(self._skip(0), ())
        if self._skip(at) != len(self.text):
            raise _Wrong("something follows the end", self._skip(at))
        return value

    def _skip(self, at: int) -> int:
        found = _SPACE.match(self.text, at)
        return found.end() if found else at

    def _value(self, at: int, path: Path_) -> tuple[Any, int]:
        self.starts.setdefault(path, at)
        if len(path) > DEEPEST:
            raise _Wrong(f"it is over {DEEPEST} deep", at, "Flatten it")
        sign = self.text[at : at + 1]
        if sign == "{":
            return self._mapping(at, path)
        if sign == "[":
            return self._list(at, path)
        if sign == '"':
            return self._string(at)
        if number := _NUMBER.match(self.text, at):
            return self._number(number), number.end()
        for word, value in _WORDS.items():
            if self.text.startswith(word, at):
                return value, at + len(word)
        raise _Wrong("a value was expected", at)

    def _number(self, found: re.Match[str]) -> int | float:
        try:
            return float(found[0]) if found[2] or found[3] else int(found[1])
        except ValueError:
            raise _Wrong(f"a number of {len(found[0]):,} digits", found.start(), "Shorten it") from None

    def _string(self, at: int) -> tuple[str, int]:
        try:
            text, end = scanstring(self.text, at + 1, True)
        except json.JSONDecodeError as error:
            raise _Wrong(error.msg[:1].lower() + error.msg[1:], error.pos) from None
        if re.search("[\ud800-\udfff]", text):
            raise _Wrong("half of a surrogate pair", at, "Write the whole character")
        return text, end

    def _list(self, at: int, path: Path_) -> tuple[list[Any], int]:
        found: list[Any] = []
        at = self._skip(at + 1)
        while self.text[at : at + 1] != "]":
            if found:
                at = self._after_comma(at, "]")
            value, at = self._value(at, (*path, len(found)))
            found.append(value)
            at = self._skip(at)
        return found, at + 1

    def _mapping(self, at: int, path: Path_) -> tuple[dict[str, Any], int]:
        found: dict[str, Any] = {}
        at = self._skip(at + 1)
        while self.text[at : at + 1] != "}":
            if found:
                at = self._after_comma(at, "}")
            if self.text[at : at + 1] != '"':
                raise _Wrong("a key in double quotes was expected", at)
            key, end = self._string(at)
            if key in found:
                first = self.place(self.starts[(*path, key)])[0]
                raise _Wrong(f"it has the key {key!r} twice (first in line {first})", at, "Keep one of them")
            self.starts[(*path, key)] = at
            at = self._skip(end)
            if self.text[at : at + 1] != ":":
                raise _Wrong("a colon was expected", at)
            found[key], at = self._value(self._skip(at + 1), (*path, key))
            at = self._skip(at)
        return found, at + 1

    def _after_comma(self, at: int, end: str) -> int:
        if self.text[at : at + 1] != ",":
            raise _Wrong(f"a comma or {end} was expected", at)
        return self._skip(at + 1)


def write_json(data: dict[str, Any]) -> str:
    """Return data as JSON text, in its order."""
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"
