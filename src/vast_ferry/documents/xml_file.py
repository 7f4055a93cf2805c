"""XML documents (XML 1.0) as plain data, with the line and column of every part; without a document type.

An element is a mapping: an attribute's name to its text, a child's name to the list of all children of that name, and
`text` to what stands between. One that has neither attributes nor children is its text.
"""

from __future__ import annotations

import re
import xml.parsers.expat
from pathlib import Path
from typing import Any, Final
from xml.sax.saxutils import escape, quoteattr

from vast_ferry.documents.document import Document, Path_, read_text
from vast_ferry.hub.findings import BadInput, Place

DEEPEST: Final = 100
TEXT: Final = "text"
#: What no document can hold (XML 1.0 §2.2), and what reads back as something else.
_NEVER: Final = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


class _Wrong(ValueError):
    """What is well formed, and can't be kept: why, and what to do."""


def read_xml(path: Path, shown: str, what: str) -> Document:
    """Return the document in a file; the root's name is left to who asks.

    Raises BadInput with line and column where it is not XML, has a document type, or nests too deeply.
    """
    text = read_text(path, shown, what)
    reader = _Reader()
    try:
        reader.parser.Parse(text.encode("utf-8"), True)
    except xml.parsers.expat.ExpatError as error:
        place = Place(shown, error.lineno, error.offset + 1)
        raise BadInput(f"{what} is not XML: {str(error).partition(':')[0]}", "Mend it there", place) from None
    except _Wrong as wrong:
        raise BadInput(f"{what} can't be read: {wrong}", "Take it out", Place(shown, *reader.here())) from None
    return Document(shown, reader.data, reader.places)


class _Reader:
    def __init__(self) -> None:
        self.parser = xml.parsers.expat.ParserCreate()
        self.parser.buffer_text = True
        self.parser.StartDoctypeDeclHandler = self._doctype
        self.parser.StartElementHandler = self._start
        self.parser.EndElementHandler = self._end
        self.parser.CharacterDataHandler = self._characters
        self.data: Any = {}
        self.places: dict[Path_, tuple[int, int]] = {}
        self._open: list[tuple[str, Path_, dict[str, Any], list[str]]] = []

    def here(self) -> tuple[int, int]:
        return self.parser.CurrentLineNumber, self.parser.CurrentColumnNumber + 1

    def _doctype(self, *_: object) -> None:
        raise _Wrong("it has a document type, which may make a small file endless")

    def _start(self, name: str, attributes: dict[str, str]) -> None:
        if len(self._open) >= DEEPEST:
            raise _Wrong(f"more than {DEEPEST} elements stand in one another")
        path: Path_ = ()
        if self._open:
            _, outer, data, _ = self._open[-1]
            siblings = data.setdefault(name, [])
            if not isinstance(siblings, list):
                raise _Wrong(f"{name} is an attribute and a child of one element")
            path = (*outer, name, len(siblings))
            siblings.append(None)
            self.places.setdefault((*outer, name), self.here())
        self.places[path] = self.here()
        self.places |= {(*path, attribute): self.here() for attribute in attributes}
        self._open.append((name, path, dict(attributes), []))

    def _end(self, name: str) -> None:
        _, _, data, texts = self._open.pop()
        text = "".join(texts)
        if any(isinstance(value, list) for value in data.values()) or (not text.strip() and "\n" in text):
            text = text.strip()  # between elements, or alone: how the file is laid out
        if text and data:
            data[TEXT] = text
        made: Any = data if data or not self._open else text
        if self._open:
            self._open[-1][2][name][-1] = made
        else:
            self.data = made

    def _characters(self, text: str) -> None:
        if self._open:
            self._open[-1][3].append(text)


def write_xml(data: dict[str, Any], root: str, comments: tuple[str, ...] = ()) -> str:
    """Return the text of a document: lists are children, and all else is attributes."""
    noted = [f"<!-- {comment.replace('--', '- -')} -->" for comment in comments]
    return "\n".join(['<?xml version="1.0" encoding="UTF-8"?>', *noted, *_element(root, data, "")]) + "\n"


def _element(name: str, data: Any, indent: str) -> list[str]:
    if not isinstance(data, dict):
        return [f"{indent}<{name}>{_escaped(_word(data))}</{name}>"]
    attributes = {key: value for key, value in data.items() if key != TEXT and not isinstance(value, list | dict)}
    children = {key: value for key, value in data.items() if isinstance(value, list | dict)}
    head = "".join([name, *(f" {key}={quoteattr(_word(value))}" for key, value in attributes.items())])
    inner = [
        line
        for key, value in children.items()
        for one in (value if isinstance(value, list) else [value])
        for line in _element(key, one, f"{indent}  ")
    ]
    text = _escaped(_word(data.get(TEXT, "")))
    if not inner:
        return [f"{indent}<{head}>{text}</{name}>" if text else f"{indent}<{head}/>"]
    return [f"{indent}<{head}>{text}", *inner, f"{indent}</{name}>"]


def _escaped(text: str) -> str:
    return escape(text, {"\r": "&#13;"})


def _word(value: Any) -> str:
    text = str(value).lower() if isinstance(value, bool) else str(value)
    if found := _NEVER.search(text):
        raise BadInput(f"the character U+{ord(found[0]):04X} can't stand in XML", "Take it out of the value")
    return text
