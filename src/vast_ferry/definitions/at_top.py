"""Triggers that stand at the top of a definition, each naming its function: in a list, or under keys of mappings.

How they are found and how they are put there stand together, because one undoes the other.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vast_ferry.documents.document import Document
from vast_ferry.hub.findings import BadInput
from vast_ferry.profiles.schema_definition import DefinitionModel, ElsewhereModel, TriggerModel

Way = tuple[str | int, ...]


def entries_at_top(where: ElsewhereModel, top: Mapping[str, Any], document: Document) -> list[tuple[Way, Any]]:
    """Return the triggers of one place at the top, each with the way to it.

    Raises BadInput where something else stands there than the profile says.
    """
    listed = top.get(where.at, {} if where.keyed else [])
    if not where.keyed:
        if isinstance(listed, list):
            return [((where.at, index), item) for index, item in enumerate(listed)]
        raise BadInput(f"{where.at} is not a list", "List the triggers there", document.place(where.at))
    entries: list[tuple[Way, Any]] = [((where.at,), listed)]
    for _ in where.keys:
        for here, held in entries:
            if not isinstance(held, dict):
                what = f"{'.'.join(map(str, here))} is not a mapping"
                raise BadInput(what, "Write `key: value` pairs there", document.place(*here))
        entries = [((*here, key), item) for here, held in entries for key, item in held.items()]
    return entries


def put_at_top(top: dict[str, Any], where: ElsewhereModel, function: str, entries: tuple[dict[str, Any], ...]) -> None:
    """Put a function's triggers where they stand at the top.

    Raises BadInput where another function has the place of one.
    """
    for entry in entries:
        if not where.keyed:
            top.setdefault(where.at, []).append({**entry, where.function: function})
            continue
        rest = {key: value for key, value in entry.items() if key not in where.keys}
        said = {**rest, where.function: function} if rest else function
        told = [entry[key] for key in where.keys]
        held, way = top.setdefault(where.at, {}), [str(one[0] if isinstance(one, list) else one) for one in told]
        for key in way[:-1]:
            held = held.setdefault(key, {})
        if held.setdefault(way[-1], said) != said:
            what = f"{' '.join(way)} stands for two functions under {where.at}, which holds one"
            raise BadInput(what, "Give one of the two another route or name")


def keyed_by_method(kind: TriggerModel, model: DefinitionModel) -> bool:
    """Tell whether the method of such a trigger is a key of a mapping, so that each has one."""
    keys = {key for where in model.functions.elsewhere if kind in where.triggers for key in where.keys}
    return any(row.field == "methods" and set(row.keys) <= keys for row in kind.rows)
