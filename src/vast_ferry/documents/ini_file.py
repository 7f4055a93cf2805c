"""INI documents with the line of every key: sections are paths, and a list's entries are sections with a number.

`[task hive_weight]` is the mapping under `task` and `hive_weight`, `[task hive_weight on 1]` the first entry of the
list under its `on`. `set.UNIT = kg` is the key UNIT of the mapping `set`. All values are texts; one in double quotes is
a JSON string. Comments begin a line with `;` or `#`.
"""

from __future__ import annotations

import configparser
import json
import re
from pathlib import Path
from typing import Any

from vast_ferry.documents.document import Document, Path_, read_text
from vast_ferry.hub.findings import BadInput, Place


def read_ini(path: Path, shown: str, what: str) -> Document:
    """Return the document in an INI file; raises BadInput, with its line, for what is none."""
    text = read_text(path, shown, what)
    parser = configparser.ConfigParser(
        interpolation=None, delimiters=("=",), comment_prefixes=(";", "#"), empty_lines_in_values=False
    )
    parser.optionxform = str  # type: ignore[assignment,method-assign]
    try:
        parser.read_string(text, shown)
    except configparser.MissingSectionHeaderError as error:
        raise BadInput(
            f"{what} is not INI: a key stands before any section",
            "Put it under a [section]",
            Place(shown, error.lineno),
        ) from None
    except (configparser.DuplicateOptionError, configparser.DuplicateSectionError) as error:
        twice = f"the key {error.option!r}" if isinstance(error, configparser.DuplicateOptionError) else "the section"
        raise BadInput(
            f"{what} has {twice} twice in [{error.section}]", "Keep one of them", Place(shown, error.lineno or 1)
        ) from None
    except configparser.ParsingError as error:
        line = error.errors[0][0] if error.errors else 1
        raise BadInput(f"{what} is not INI: neither a section nor a key", "Mend the line", Place(shown, line)) from None
    lines = _lines(text)
    data: dict[str | int, Any] = {}
    places: dict[Path_, tuple[int, int]] = {(): (1, 1)}
    for section in parser.sections():
        line = lines.get((section, ""), 1)
        path_ = _path(section)
        table = _enter(data, path_, Place(shown, line), what)
        for length in range(1, len(path_) + 1):
            places.setdefault(path_[:length], (line, 1))
        for key, value in parser.items(section, raw=True):
            where = (lines.get((section, key), line), 1)
            name, dot, inner = key.partition(".")
            if dot:
                group = table.setdefault(name, {})
                if not isinstance(group, dict):
                    raise BadInput(f"{what} has both {name} and {key}", "Keep one of them", Place(shown, where[0]))
                group[inner] = _value(value, Place(shown, where[0]), what)
                places.setdefault((*path_, name), where)
                places[(*path_, name, inner)] = where
            else:
                if name in table:
                    raise BadInput(f"{what} has {key!r} twice", "Keep one of them", Place(shown, where[0]))
                table[name] = _value(value, Place(shown, where[0]), what)
                places[(*path_, name)] = where
    return Document(shown, data, places)


def _path(section: str) -> Path_:
    return tuple(int(word) - 1 if word.isdecimal() and word != "0" else word for word in section.split())


def _enter(data: Any, path: Path_, place: Place, what: str) -> dict[str | int, Any]:
    """Return the mapping at a path, made as needed; a list grows by one entry at a time."""
    for index, key in enumerate(path):
        empty: Any = [] if index + 1 < len(path) and isinstance(path[index + 1], int) else {}
        if isinstance(data, list) and isinstance(key, int):
            if key > len(data):
                raise BadInput(f"{what} has a number {key + 1} and no number {key}", "Number from 1 on", place)
            if key == len(data):
                data.append(empty)
            data = data[key]
        elif isinstance(data, dict):
            data = data.setdefault(key, empty)
        else:
            raise BadInput(f"{what} has a section inside of what is a value", "Rename one of them", place)
    if not isinstance(data, dict):
        raise BadInput(f"{what} has a section where a list stands", "Number it, from 1 on", place)
    return data


def _value(text: str | None, place: Place, what: str) -> str:
    text = text or ""
    if not text.startswith('"'):
        return text
    try:
        return str(json.loads(text))
    except ValueError:
        raise BadInput(
            f"{what} has a text in quotes that does not end, or breaks off", "Mend the quotes", place
        ) from None


def _lines(text: str) -> dict[tuple[str, str], int]:
    """Return the line of each section (key empty) and of each key in it."""
    found: dict[tuple[str, str], int] = {}
    section = ""
    for number, line in enumerate(text.split("\n"), 1):
        if head := re.match(r"\[([^\]]+)\]", line):
            section = head[1]
            found.setdefault((section, ""), number)
        elif key := re.match(r"([^\s=;#][^=]*?)\s*=", line):
            found.setdefault((section, key[1]), number)
    return found


def write_ini(data: dict[str, Any], comments: tuple[str, ...] = ()) -> str:
    """Return nested mappings and lists of mappings as INI text under `comments`, in their own order."""
    parts = ["".join(f"; {comment}\n" for comment in comments)] if comments else []
    parts += _sections(data, ())
    return "\n".join(parts)


def _sections(table: dict[str, Any], path: tuple[str, ...]) -> list[str]:
    """Return a mapping's own section and then those inside of it; a mapping of plain values is written with dots."""
    lines: list[str] = []
    inner: list[str] = []
    for key, value in table.items():
        if isinstance(value, dict) and path and all(not isinstance(one, dict | list) for one in value.values()):
            lines += [f"{_key(key)}.{_key(name, inner=True)} = {_written(one)}" for name, one in value.items()]
        elif isinstance(value, dict):
            inner += _sections(value, (*path, key))
        elif isinstance(value, list) and not any(isinstance(item, dict) for item in value):
            lines.append(f"{_key(key)} = {_written(', '.join(map(str, value)))}")
        elif isinstance(value, list):
            for number, item in enumerate(value, 1):
                inner += _sections(item, (*path, key, _Place(number)))
        else:
            lines.append(f"{_key(key)} = {_written(value)}")
    if not path or not (lines or not inner):
        return inner
    # A number is the place in a list; any other word that is one would be read as that.
    for word, before in zip(path[1:], path, strict=False):
        if (
            re.search(r"[\s\[\]]", word)
            or not word.isprintable()
            or not word
            or (word.isdecimal() and not isinstance(word, _Place))
        ):
            raise BadInput(f"{word!r} can't be a word of an INI section, under {before}", "Rename it")
    return [f"[{' '.join(path)}]\n" + "".join(f"{line}\n" for line in lines), *inner]


class _Place(str):
    """The number of an entry of a list, as a word of a section."""

    __slots__ = ()


def _key(name: str, *, inner: bool = False) -> str:
    """Return a key as it is written; a dot in one says that it is a mapping, and what stands behind it is `inner`."""
    fits = re.fullmatch(r"[^\s=;#\[][^=\n\r]*", name) and name == name.strip() and name.isprintable()
    if not fits or ("." in name and not inner):
        raise BadInput(f"{name!r} can't be a key of an INI file", "Rename it")
    return name


def _written(value: Any) -> str:
    text = str(value)
    if text != text.strip() or not text.isprintable() or text.startswith(('"', ";", "#")):
        return json.dumps(text)
    return text
