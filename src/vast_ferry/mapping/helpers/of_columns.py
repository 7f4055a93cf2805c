"""What translations of lists that stand side by side call: names and values, columns and rows, parts of a text."""

from __future__ import annotations

from typing import Any
from urllib.parse import unquote

from vast_ferry.mapping.helpers.of_http import encode_path

# --- a text as the list of its parts ---------------------------------------------------------------------------------


def text_of_parts(parts: Any, mark: str) -> str:
    """Return the text of a list of its parts; none make an empty text. Pieces of any length have no mark."""
    if not isinstance(parts, list | tuple) or any(not isinstance(one, str) for one in parts):
        raise ValueError(f"{parts!r} is no list of texts")
    if mark and any(mark in one for one in parts):
        raise ValueError(f"{parts!r} holds {mark!r}, which sets its texts apart here")
    return mark.join(parts)


def parts_of_text(text: str, mark: str) -> list[str]:
    """Return the parts of a text as a list, without a mark as one piece; an empty text has none."""
    if not mark:
        return [text] if text else []
    return text.split(mark) if text else []


def path_of_decoded(segments: Any) -> str:
    """Return the path, percent-encoded, of a list of its segments that are decoded."""
    if not isinstance(segments, list | tuple) or any(not isinstance(one, str) for one in segments):
        raise ValueError(f"{segments!r} is no list of segments of a path")
    return "/" + "/".join(encode_path(one).replace("/", "%2F") for one in segments)


def decoded_segments(path: str) -> list[str]:
    """Return the segments of a path, percent-decoded as UTF-8; none for `/`."""
    return [unquote(one) for one in path.removeprefix("/").split("/")] if path not in ("", "/") else []


# --- pairs -----------------------------------------------------------------------------------------------------------


def pairs_of_one_or_list(mapping: Any) -> list[tuple[str, str]]:
    """Return the pairs of a mapping from each name to its value, or to a list where it has several."""
    pairs = []
    for name, held in (mapping or {}).items():
        for value in held if isinstance(held, list | tuple) else [held]:
            if not isinstance(value, str):
                raise ValueError(f"{name} holds {value!r}, which is no text")
            pairs.append((name, value))
    return pairs


def one_or_list_of_pairs(pairs: list[tuple[str, str]]) -> dict[str, Any]:
    """Return a mapping from each name to its value, and to the list of its values where it has several."""
    found: dict[str, Any] = {}
    for name, value in pairs:
        if name not in found:
            found[name] = value
        elif isinstance(found[name], list):
            found[name].append(value)
        else:
            found[name] = [found[name], value]
    return found


def pairs_of_two_lists(held: Any, names: str, values: str) -> list[tuple[str, str]]:
    """Return the pairs of two lists, of names and of values, that stand under two keys of a mapping."""
    if held is None:
        return []
    if len(held[names]) != len(held[values]):
        raise ValueError(f"there are {len(held[names])} under {names}, and {len(held[values])} under {values}")
    return list(zip(held[names], held[values], strict=True))


def two_lists_of_pairs(pairs: list[tuple[str, str]], names: str, values: str) -> dict[str, list[str]]:
    """Return pairs as two lists, of names and of values, under two keys of a mapping."""
    return {names: [name for name, _ in pairs], values: [value for _, value in pairs]}


def under_other_names(mapping: dict[str, Any] | None, *names: str) -> dict[str, Any]:
    """Return the entries of a mapping under other names than these."""
    return {name: value for name, value in (mapping or {}).items() if name not in names}


# --- records ---------------------------------------------------------------------------------------------------------


def record_in_columns(values: Any, names: list[str]) -> dict[str, Any] | None:
    """Return the record of a list of values that stand in the order of the columns' names; nothing for nothing."""
    if values is None:
        return None
    if not isinstance(values, list | tuple) or len(values) != len(names):
        raise ValueError(f"{values!r} has not a value for each of the columns {', '.join(names)}")
    return dict(zip(names, values, strict=True))


def values_in_columns(record: dict[str, Any] | None, names: list[str]) -> list[Any] | None:
    """Return a record's values in the order of the columns' names; nothing for nothing."""
    return None if record is None else [record.get(name) for name in names]


def names_of_columns(keys: dict[str, Any], old: dict[str, Any] | None, new: dict[str, Any] | None) -> list[str]:
    """Return the names of all columns of a record, as it is, as it was, and of its key."""
    return list(dict.fromkeys([*(new or {}), *(old or {}), *keys]))


# --- lists of events -------------------------------------------------------------------------------------------------


def rows_of_table(table: Any, columns: str, rows: str) -> list[dict[str, Any]]:
    """Return the rows of a table, whose columns are named once, as a list of mappings."""
    names = table[columns]
    if any(len(row) != len(names) for row in table[rows]):
        raise ValueError(f"a row has not a value for each of the columns {', '.join(map(str, names))}")
    return [dict(zip(names, row, strict=True)) for row in table[rows]]


def table_of_rows(held: list[dict[str, Any]], columns: str, rows: str) -> dict[str, Any]:
    """Return a list of mappings with the same keys as a table, whose columns are named once."""
    names = list(held[0]) if held else []
    if any(set(one) != set(names) for one in held):
        raise ValueError("rows with different columns can't stand in one table")
    return {columns: names, rows: [[one[name] for name in names] for one in held]}


def records_of_mappings(mappings: dict[str, Any] | None, *names: str) -> dict[str, Any]:
    """Return records by name of mappings that stand side by side; raises ValueError where one has other names."""
    each = [(mappings or {}).get(name) or {} for name in names]
    if any(set(one) != set(each[0]) for one in each):
        raise ValueError("of the mappings that stand side by side, one has other names than another")
    return {key: {name: one[key] for name, one in zip(names, each, strict=True)} for key in each[0]}


def mappings_of_records(records: dict[str, Any], *names: str) -> dict[str, Any]:
    """Return records by name as mappings that stand side by side; what one of them has not is null."""
    return {name: {key: record.get(name) for key, record in records.items()} for name in names}


def rows_of_lists(lists: Any, *names: str) -> list[dict[str, Any]]:
    """Return a mapping of lists of the same length as a list of mappings, each with one value of every list."""
    if len({len(lists[name]) for name in names}) > 1:
        raise ValueError("of the lists that stand side by side, one is longer than another")
    return [dict(zip(names, row, strict=True)) for row in zip(*(lists[name] for name in names), strict=True)]


def lists_of_rows(held: list[dict[str, Any]], *names: str) -> dict[str, list[Any]]:
    """Return a list of mappings as a mapping of lists; what one of them has not is null."""
    return {name: [one.get(name) for one in held] for name in names}
