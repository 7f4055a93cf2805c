"""Functions that are a whole definition, or lie deep in it, put under one key of their own for its readers, and back.

What reads a definition finds functions under the key `at` at its top. Where they stand elsewhere, the document is
turned so that this holds, its places with it: `.` is the whole document (of a mapping, what holds mappings itself and
is no key that means something else), `a.b` a key in a key.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any, Final

from vast_ferry.definitions.laid_over import put
from vast_ferry.documents.document import Document, Path_
from vast_ferry.hub.findings import BadInput

#: Where the whole document is the functions.
WHOLE: Final = "."


def apart(document: Document, at: str, others: Collection[str]) -> Document:
    """Return a definition whose functions stand under the key `at`; `others` are the keys that are no functions."""
    data = document.data
    if at == WHOLE:
        turned = data_apart(data, at, others) if isinstance(data, dict) else {WHOLE: data}
        rest = turned.keys() - {WHOLE}
        places = {
            path if path and path[0] in rest else (WHOLE, *path): place for path, place in document.places.items()
        }
        return Document(document.file, turned, {**places, (): document.places.get((), (1, 1))})
    parts: Path_ = tuple(at.split("."))
    if len(parts) == 1 or not isinstance(data, dict) or at in data:
        return document
    places = {
        (at, *path[len(parts) :]) if path[: len(parts)] == parts else path: place
        for path, place in document.places.items()
    }
    return Document(document.file, data_apart(data, at, others), places)


def data_apart(data: Mapping[str, Any], at: str, others: Collection[str]) -> dict[str, Any]:
    """Return a mapping whose functions stand under the key `at`, all else where it was."""
    if at == WHOLE:
        functions = {key: one for key, one in data.items() if isinstance(one, dict) and key not in others}
        return {**{key: value for key, value in data.items() if key not in functions}, WHOLE: functions}
    if "." not in at or at in data:
        return dict(data)
    *before, last = at.split(".")
    whole = dict(data)
    here, holders = whole, list[tuple[dict[str, Any], str]]()
    for part in before:
        inner = here.get(part)
        if not isinstance(inner, dict):
            return whole
        here[part] = dict(inner)
        holders.append((here, part))
        here = here[part]
    if last not in here:
        return whole
    whole[at] = here.pop(last)
    for holder, part in reversed(holders):  # what held nothing else is gone
        if not holder[part]:
            del holder[part]
    return whole


def together(data: Mapping[str, Any], at: str, file: str) -> Any:
    """Return a document whose functions stand where they do in its file.

    Raises BadInput for a function that is called like a key at the top.
    """
    if at == WHOLE:
        functions = data[WHOLE]
        if isinstance(functions, list):
            return functions
        rest = {key: value for key, value in data.items() if key != WHOLE}
        for name in functions:
            if name in rest:
                why = f"{name!r} can't be the name of a function: {file} has another meaning for that key"
                raise BadInput(why, "Rename the function")
        return {**rest, **functions}
    if "." not in at:
        return dict(data)
    whole = {key: value for key, value in data.items() if key != at}
    put(whole, at, data[at])
    return whole
