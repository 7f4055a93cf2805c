"""TOML 1.0 documents, with the line of every key; written by tomli-w under comments."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any

from vast_ferry.documents.document import Document, Path_, read_text
from vast_ferry.hub.findings import BadInput, Place


def read_toml(path: Path, shown: str, what: str) -> Document:
    """Return the document in a TOML file; raises BadInput, with line and column, for what is not TOML."""
    text = read_text(path, shown, what)
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        found = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
        place = Place(shown, int(found[1]), int(found[2])) if found else Place(shown, text.count("\n") + 1)
        problem = re.sub(r" \(at .*\)", "", str(error))
        raise BadInput(f"{what} is not TOML: {problem}", "Mend the line", place) from None
    except RecursionError:
        raise BadInput(f"{what} is not TOML: nested too deep", "Mend the file", Place(shown)) from None
    except ValueError:  # an integer with more digits than Python converts
        raise BadInput(f"{what} has a number that is too long", "Shorten it", Place(shown)) from None
    return Document(shown, data, _key_places(text))


_KEY = r"""[A-Za-z0-9_-]+|"(?:[^"\\]|\\.)*"|'[^']*'"""
_TABLE = re.compile(rf"\s*(\[\[?)\s*((?:{_KEY})(?:\s*\.\s*(?:{_KEY}))*)\s*\]\]?")
_PAIR = re.compile(rf"\s*((?:{_KEY})(?:\s*\.\s*(?:{_KEY}))*)\s*=")


def _keys(text: str) -> list[str]:
    return [next(iter(tomllib.loads(f"{key}=1"))) for key in re.findall(_KEY, text)]


def _key_places(text: str) -> dict[Path_, tuple[int, int]]:
    """Return where keys stand in a text that is known to be TOML: tables and the pairs that begin a line."""
    places: dict[Path_, tuple[int, int]] = {(): (1, 1)}
    counts: dict[Path_, int] = {}
    table: Path_ = ()
    quote = ""  # the delimiter of a multi-line string that is open
    for number, line in enumerate(text.split("\n"), 1):
        if not quote:
            if found := _TABLE.match(line):
                table = ()
                keys = _keys(found[2])
                for index, key in enumerate(keys):
                    table = (*table, key)
                    last = index == len(keys) - 1
                    if last and found[1] == "[[":
                        counts[table] = counts.get(table, -1) + 1
                        places.setdefault(table, (number, 1))
                        table = (*table, counts[table])
                    elif table in counts:
                        table = (*table, counts[table])
                    places.setdefault(table, (number, found.start(2) + 1))
            elif found := _PAIR.match(line):
                path = table
                for key in _keys(found[1]):
                    path = (*path, key)
                    places.setdefault(path, (number, found.start(1) + 1))
        for mark in re.findall(r'"""|\'\'\'', line):
            quote = "" if quote == mark else quote or mark
    return places


def write_toml(data: dict[str, Any], comments: tuple[str, ...] = ()) -> str:
    """Return `data` as TOML text under `comments`, keys in their own order."""
    import tomli_w

    head = "".join(f"# {comment}\n" for comment in comments)
    return f"{head}\n{tomli_w.dumps(data)}" if head else tomli_w.dumps(data)
