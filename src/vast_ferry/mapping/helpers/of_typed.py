"""What translations of values under types, and of columns that changed, call."""

from __future__ import annotations

import decimal
import re
from collections.abc import Callable
from typing import Any

from vast_ferry.mapping.helpers.of_contents import base64_bytes, base64_text
from vast_ferry.mapping.helpers.of_lists import pairs_of_record

# A provider's word for a type stands for one of: text, number, decimal (a number as text), truth, words (two words for
# true and false), nothing, bytes (Base64), list, mapping.


def number_of_text(text: Any) -> Any:
    """Return the number of a text: an integer, a float where that says the same, else as exact as it was written."""
    if not isinstance(text, str) or not re.fullmatch(r"-?[0-9]{1,400}(\.[0-9]{1,400})?([eE][+-]?[0-9]{1,4})?", text):
        raise ValueError(f"{text!r} is no number")
    exact = decimal.Decimal(text)
    if "." not in text and "e" not in text.lower():
        return int(text)
    nearest = float(text)
    if decimal.Decimal(repr(nearest)) == exact if nearest not in (float("inf"), float("-inf")) else False:
        return nearest
    return exact


def text_of_number(number: Any) -> str:
    """Return a number's text."""
    return str(number) if isinstance(number, int | decimal.Decimal) else repr(number)


def with_decimals(value: Any) -> Any:
    """Return a value in which every number is a Decimal, however deep."""
    if isinstance(value, dict):
        return {name: with_decimals(inner) for name, inner in value.items()}
    if isinstance(value, list | tuple):
        return [with_decimals(inner) for inner in value]
    if isinstance(value, bool) or not isinstance(value, int | float):
        return value
    sign, digits, exponent = (exact := decimal.Decimal(text_of_number(value))).as_tuple()
    if isinstance(value, int) or not isinstance(exponent, int) or exponent < 0:
        return exact
    # A whole number that is a float keeps its point: else it would come back as an integer.
    return decimal.Decimal((sign, (*digits, *[0] * (exponent + 1)), -1))


def without_decimals(value: Any) -> Any:
    """Return a value in which every Decimal is a plain number, where one says the same."""
    if isinstance(value, dict):
        return {name: without_decimals(inner) for name, inner in value.items()}
    if isinstance(value, list | tuple):
        return [without_decimals(inner) for inner in value]
    return number_of_text(str(value)) if isinstance(value, decimal.Decimal) else value


def type_of_value(value: Any, types: dict[str, str]) -> str:
    """Return the first word of a provider's for the type of a value."""
    kind = (
        ("nothing",)
        if value is None
        else ("truth", "words")
        if isinstance(value, bool)
        else ("decimal", "number")
        if isinstance(value, int | float | decimal.Decimal)
        else ("text",)
        if isinstance(value, str)
        else ("list",)
        if isinstance(value, list | tuple)
        else ("bytes", "mapping")
        if isinstance(value, bytes) or (isinstance(value, dict) and list(value) == ["base64"])
        else ("mapping",)
    )
    for wanted in kind:
        for word, one in types.items():
            if one.partition(":")[0] == wanted:
                return word
    raise ValueError(f"there is no word for a value such as {value!r}")


def plain_value(kind: str, value: Any, inner: Callable[[Any], Any], entries: Callable[[Any], Any]) -> Any:
    """Return the plain value of one that has a type: `inner` reads what a list holds, `entries` a mapping."""
    kind, _, words = kind.partition(":")
    if kind == "nothing" or value is None:
        return None
    if kind == "decimal":
        return number_of_text(value)
    if kind == "words":
        yes, no = words.split("/")
        if value not in (yes, no):
            raise ValueError(f"{value!r} is neither {yes} nor {no}")
        return bool(value == yes)
    if kind == "bytes":
        return {"base64": base64_text(base64_bytes(value))}
    if kind == "list":
        return [inner(one) for one in value]
    if kind == "mapping":
        return entries(value)
    good = isinstance(value, {"text": str, "truth": bool}.get(kind, int | float | decimal.Decimal))
    if not good or (kind == "number" and isinstance(value, bool)):
        raise ValueError(f"{value!r} is no {kind}")
    return value


def typed_value(kind: str, value: Any, inner: Callable[[Any], Any], entries: Callable[[Any], Any]) -> Any:
    """Return a plain value as it stands under its type."""
    kind, _, words = kind.partition(":")
    if kind == "nothing":
        return True
    if value is None:
        return None
    if kind == "decimal":
        return text_of_number(value)
    if kind == "words":
        return words.split("/")[0 if value else 1]
    if kind == "bytes":
        return value["base64"] if isinstance(value, dict) else base64_text(value)
    if kind == "list":
        return [inner(one) for one in value]
    return entries(value) if kind == "mapping" else value


def untagged(value: Any, types: dict[str, str]) -> Any:
    """Return the plain value of one that is wrapped in a mapping with its type as the only key, recursively."""
    if not isinstance(value, dict) or len(value) != 1:
        raise ValueError(f"{value!r} is no value under its type")
    ((word, inside),) = value.items()
    if word not in types:
        raise ValueError(f"{word!r} is none of the types {', '.join(types)}")
    return plain_value(types[word], inside, lambda one: untagged(one, types), lambda held: untagged_record(held, types))


def untagged_record(record: Any, types: dict[str, str]) -> Any:
    """Return a record's plain values; nothing for nothing."""
    return None if record is None else {name: untagged(value, types) for name, value in record.items()}


def tagged(value: Any, types: dict[str, str]) -> Any:
    """Return a plain value in a mapping with its type as the only key, recursively."""
    word = type_of_value(value, types)
    made = typed_value(types[word], value, lambda one: tagged(one, types), lambda held: tagged_record(held, types))
    return {word: made}


def tagged_record(record: Any, types: dict[str, str]) -> Any:
    """Return a record with each value under its type; nothing for nothing."""
    return None if record is None else {name: tagged(value, types) for name, value in pairs_of_record(record)}


def value_beside_type(record: Any, names: tuple[str, str, str], types: dict[str, str], at: str = "") -> Any:
    """Return the plain value of a record that has a type and a value, recursively; `names` are name, type, value."""
    word = record[names[1]]
    if word not in types:
        raise ValueError(f"{word!r} is none of the types {', '.join(types)}")
    return plain_value(
        types[word],
        record[at or names[2]],
        lambda one: value_beside_type(one, names, types),
        lambda held: record_of_typed(held, names, types),
    )


def record_of_typed(items: Any, names: tuple[str, str, str], types: dict[str, str]) -> dict[str, Any]:
    """Return a list of records of name, type and value as one record of plain values; of a name the last counts."""
    return {item[names[0]]: value_beside_type(item, names, types) for item in items or ()}


def typed_beside(value: Any, names: tuple[str, str, str], types: dict[str, str]) -> dict[str, Any]:
    """Return a plain value as a record of its type and itself; nothing is a text that isn't there."""
    word = next(iter(types)) if value is None and "nothing" not in types.values() else type_of_value(value, types)
    made = typed_value(
        types[word],
        value,
        lambda one: typed_beside(one, names, types),
        lambda held: typed_of_record(held, names, types),
    )
    return {names[1]: word, names[2]: made}


def by_places(record: dict[Any, Any]) -> Any:
    """Return a record whose keys are numbers from 0 as a list, any other as it is."""
    numbers = all(isinstance(name, int) for name in record)
    return [record[number] for number in sorted(record)] if numbers else record


def typed_of_record(record: Any, names: tuple[str, str, str], types: dict[str, str]) -> list[Any]:
    """Return a record as a list of records of name, type and value, or of lists where these are told by numbers."""
    return [by_places({names[0]: name, **typed_beside(value, names, types)}) for name, value in pairs_of_record(record)]


def texts_of_typed(items: Any, names: tuple[str, str, str], types: dict[str, str]) -> dict[str, str]:
    """Return a list of records of name, type and value as texts by name: numbers and Base64 as they are written."""
    found = {}
    for item in items or ():
        if item[names[1]] not in types:
            raise ValueError(f"{item[names[1]]!r} is none of the types {', '.join(types)}")
        found[item[names[0]]] = item[names[2]]
    return found


def typed_of_texts(texts: dict[str, str] | None, names: tuple[str, str, str], types: dict[str, str]) -> list[Any]:
    """Return texts by name as records of name, type and value."""
    word = next(word for word, kind in types.items() if kind == "text")
    return [by_places({names[0]: name, names[1]: word, names[2]: value}) for name, value in (texts or {}).items()]


def texts_of_tagged(mapping: dict[str, Any] | None, types: dict[str, str]) -> dict[str, str]:
    """Return texts that each stand in a mapping under their type: numbers and Base64 as they are written."""
    found = {}
    for name, tagged_value in (mapping or {}).items():
        if not isinstance(tagged_value, dict) or len(tagged_value) != 1 or next(iter(tagged_value)) not in types:
            raise ValueError(f"{name} is no value under one of the types {', '.join(types)}")
        (found[name],) = tagged_value.values()
    return found


def tagged_of_texts(texts: dict[str, str] | None, types: dict[str, str]) -> dict[str, Any]:
    """Return texts by name, each in a mapping under the type of texts."""
    word = next(word for word, kind in types.items() if kind == "text")
    return {name: {word: value} for name, value in (texts or {}).items()}


def changed_columns(columns: Any, keys: dict[str, str], types: dict[str, str]) -> list[dict[str, Any]]:
    """Return changed columns: name, whether it is of the key, and what it held (`old`) and holds (`new`), if told."""
    names = (keys["name"], keys["type"], keys["value"])
    made = []
    for column in columns:
        one: dict[str, Any] = {"name": column[keys["name"]], "key": bool(column.get(keys["key"]))}
        for side in ("old", "new"):
            if keys[side] in column:
                one[side] = value_beside_type(column, names, types, keys[side])
        made.append(one)
    return made


def columns_as_told(columns: list[dict[str, Any]], keys: dict[str, str], types: dict[str, str]) -> list[Any]:
    """Return changed columns as a provider tells them."""
    names = (keys["name"], keys["type"], keys["value"])
    made = []
    for column in columns:
        # A column has one type: that of what it holds, if anything.
        held = [column[side] for side in ("new", "old") if column.get(side) is not None]
        word = type_of_value(held[0], types) if held else next(iter(types))
        one: dict[str, Any] = {names[0]: column["name"], names[1]: word}
        if column["key"]:
            one[keys["key"]] = True
        for side in ("old", "new"):
            if side in column:
                # What was of another type before has no place beside what it holds now: it is told as nothing.
                value = column[side]
                alike = value is None or type_of_value(value, types) == word
                one[keys[side]] = typed_value(
                    types[word],
                    value if alike else None,
                    lambda inner: typed_beside(inner, names, types),
                    lambda inner: typed_of_record(inner, names, types),
                )
        made.append(one)
    return made


def columns_of_sides(sides: Any, old: str | int, new: str | int) -> list[dict[str, Any]]:
    """Return changed columns of a mapping from each name to what it held and holds; null, or nothing, is neither."""
    if not isinstance(sides, dict):
        raise ValueError(f"{sides!r} is no mapping from the names of columns")
    made = []
    for name, both in sides.items():
        one: dict[str, Any] = {"name": name, "key": False}
        for side, at in (("old", old), ("new", new)):
            held = both[at] if isinstance(at, int) else both.get(at)
            if held is not None:
                one[side] = held
        made.append(one)
    return made


def sides_of_columns(columns: list[dict[str, Any]], old: str | int, new: str | int) -> dict[str, Any]:
    """Return a mapping from the name of each column that changed, none of the key, to what it held and holds."""
    told = [(one, [(isinstance(held, bool), held) for held in (one.get("old"), one.get("new"))]) for one in columns]
    changed = [one for one, (was, now) in told if not one["key"] and was != now]
    sides = {one["name"]: {old: one.get("old"), new: one.get("new")} for one in changed}
    if isinstance(old, str):
        return sides
    return {name: [both[0], both[1]] for name, both in sides.items()}


def keys_of_columns(columns: list[dict[str, Any]]) -> dict[str, Any]:
    """Return the key of a record whose columns changed."""
    return {one["name"]: one.get("new", one.get("old")) for one in columns if one["key"]}


def side_of_columns(columns: list[dict[str, Any]], side: str) -> dict[str, Any] | None:
    """Return a record as it was, or is; nothing where no column is told on that side."""
    found = {one["name"]: one[side] for one in columns if side in one}
    return found or None


def columns_of(keys: dict[str, Any], old: dict[str, Any] | None, new: dict[str, Any] | None) -> list[dict[str, Any]]:
    """Return the columns of a record that changed."""
    names = dict.fromkeys([*keys, *(old or {}), *(new or {})])
    made = []
    for name in names:
        one: dict[str, Any] = {"name": name, "key": name in keys}
        if old is not None and name in old:
            one["old"] = old[name]
        if new is not None and name in new:
            one["new"] = new[name]
        if "old" not in one and "new" not in one:
            one["new" if new is not None else "old"] = keys[name]
        made.append(one)
    return made
