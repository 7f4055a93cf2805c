"""What translations of pairs, records and values under types call, in whatever form a provider lists them."""

from __future__ import annotations

import decimal
import re
import types
import urllib.parse
from collections.abc import Callable, Iterable
from typing import Any

from vast_ferry.mapping.helpers.of_contents import base64_bytes, base64_text
from vast_ferry.mapping.helpers.of_http import FRAMING
from vast_ferry.mapping.helpers.of_values import json_from_text, json_to_text

# --- pairs -----------------------------------------------------------------------------------------------------------


def pairs_of_flat(items: Any) -> list[tuple[str, str]]:
    """Return the pairs of a list in which names and values alternate."""
    if not isinstance(items, list | tuple) or len(items) % 2:
        raise ValueError("this is no list of names and values by turns")
    return list(zip(items[::2], items[1::2], strict=True))


def flat_of_pairs(pairs: Iterable[tuple[str, str]]) -> list[str]:
    """Return names and values by turns."""
    return [text for pair in pairs for text in pair]


def pairs_of_records(records: Any, name: str, value: str) -> list[tuple[str, str]]:
    """Return the pairs of a list of records, or of objects, that hold a name and a value."""
    return [
        (record[name], record[value]) if isinstance(record, dict) else (getattr(record, name), getattr(record, value))
        for record in records
    ]


def records_of_pairs(pairs: Iterable[tuple[str, str]], name: str, value: str) -> list[dict[str, str]]:
    """Return pairs as records that hold a name and a value."""
    return [{name: one, value: other} for one, other in pairs]


def pairs_of_words(text: Any, between: str, mark: str) -> list[tuple[str, str]]:
    """Return the pairs of a text in which they stand one behind the other, each with a mark between its two."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text")
    pairs = []
    for word in text.split(between) if text else ():
        if not word and between in ("\r\n", "\n"):
            continue  # the end of the last line
        name, found, value = word.partition(mark)
        if not found and mark:
            raise ValueError(f"{word!r} has no {mark!r}")
        pairs.append((name, value.strip(" ") if between in ("\r\n", "\n") else value))
    return pairs


def words_of_pairs(pairs: Iterable[tuple[str, str]], between: str, mark: str) -> str:
    """Return pairs as a text; lines each have their end."""
    if between in ("\r\n", "\n"):
        space = "" if mark.endswith(" ") else " "
        return "".join(f"{name}{mark}{space}{text_of_scalar(value)}{between}" for name, value in pairs)
    return between.join(list_of_pairs(pairs, mark))


def pairs_of_list(items: Any, mark: str) -> list[tuple[str, str]]:
    """Return the pairs of a list of texts, each with a mark between its two."""
    pairs = []
    for item in items:
        name, found, value = item.partition(mark)
        if not found:
            raise ValueError(f"{item!r} has no {mark!r}")
        pairs.append((name, value))
    return pairs


def list_of_pairs(pairs: Iterable[tuple[str, str]], mark: str) -> list[str]:
    """Return pairs as a list of texts."""
    return [f"{name}{mark}{text_of_scalar(value)}" for name, value in pairs]


def text_of_scalar(value: Any) -> str:
    """Return a text as it is, any other value as JSON writes it, and nothing as an empty text."""
    if isinstance(value, str):
        return value
    return "" if value is None else json_to_text(value)


def percent_pairs(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs percent-decoded; bytes that are not UTF-8 raise."""
    return [tuple(urllib.parse.unquote(text, errors="strict") for text in pair) for pair in pairs]  # type: ignore[misc]


def percent_encoded_pairs(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs percent-encoded."""
    return [tuple(urllib.parse.quote(text, safe="") for text in pair) for pair in pairs]  # type: ignore[misc]


def form_pairs(text: Any) -> list[tuple[str, str]]:
    """Return the pairs of a text that is encoded as a form (application/x-www-form-urlencoded)."""
    return urllib.parse.parse_qsl(text, keep_blank_values=True, errors="strict") if text else []


def texts_of_pairs(pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Return pairs as a mapping; of two of a name the last counts."""
    return dict(pairs)


def pairs_of_texts(texts: dict[str, str] | None) -> list[tuple[str, str]]:
    """Return a mapping's pairs."""
    return list((texts or {}).items())


def with_commas(pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Return values by name, those of one name joined by commas."""
    joined: dict[str, str] = {}
    for name, value in pairs:
        joined[name] = f"{joined[name]},{value}" if name in joined else value
    return joined


def lowered_names(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs with their names in lower case."""
    return [(name.lower(), value) for name, value in pairs]


def names_in_capitals(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs with their names in capitals."""
    return [(name.upper(), value) for name, value in pairs]


def names_in_title(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs with each word of their names in lower case behind a capital: `Content-Type`."""
    return [("-".join(map(str.capitalize, name.split("-"))), value) for name, value in pairs]


def names_in_camel_case(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs in whose names a capital stands for each dash and letter: `contentType`."""
    return [(re.sub(r"-([a-z])", lambda found: found[1].upper(), name), value) for name, value in pairs]


def names_from_camel_case(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs in whose names each capital is a dash and its letter again."""
    return [(re.sub(r"[A-Z]", lambda found: f"-{found[0].lower()}", name), value) for name, value in pairs]


def with_values_joined(pairs: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Return pairs as a mapping, the values of one name joined by `, ` in order."""
    joined: dict[str, str] = {}
    for name, value in pairs:
        joined[name] = f"{joined[name]}, {value}" if name in joined else value
    return joined


def names_with_dashes(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs in whose names `-` stands for `_`."""
    return [(name.replace("_", "-"), value) for name, value in pairs]


def names_with_underscores(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs in whose names `_` stands for `-`."""
    return [(name.replace("-", "_"), value) for name, value in pairs]


def records_by_key(mapping: dict[str, Any] | None, key: str) -> list[dict[str, Any]]:
    """Return a mapping of records as a list in which each has its key under a name."""
    return [{key: name, **record} for name, record in (mapping or {}).items()]


def by_key_of_records(records: Iterable[dict[str, Any]], key: str) -> dict[str, Any]:
    """Return a list of records as a mapping by what stands under a name in each."""
    return {record[key]: {name: one for name, one in record.items() if name != key} for record in records}


def texts_of_scalars(mapping: dict[str, Any] | None) -> dict[str, str]:
    """Return values by name as texts: numbers and truths as JSON writes them, null as an empty text."""
    made = {}
    for name, value in (mapping or {}).items():
        if isinstance(value, dict | list):
            raise ValueError(f"{name} holds a {type(value).__name__}, and not a text, a number or a truth")
        made[name] = text_of_scalar(value)
    return made


def record_of_pairs(pairs: Iterable[tuple[str, Any]]) -> dict[str, Any]:
    """Return pairs as a record; of two of a name the last counts."""
    return dict(pairs)


def pairs_of_record(record: dict[str, Any] | None) -> list[tuple[str, Any]]:
    """Return a record's pairs."""
    return list((record or {}).items())


def record_of_one(value: Any, column: str) -> dict[str, Any]:
    """Return the record whose one column holds a value."""
    return {column: value}


def value_of_one(record: dict[str, Any] | None, column: str) -> Any:
    """Return what a record's one column holds."""
    return (record or {}).get(column)


def texts_at(records: Any, key: str) -> list[str]:
    """Return what records, or objects, hold under a key."""
    return [one[key] if isinstance(one, dict) else getattr(one, key) for one in records or ()]


def records_with(texts: Iterable[str], key: str) -> list[dict[str, str]]:
    """Return texts as records that each hold one under a key."""
    return [{key: text} for text in texts]


def objects_with(texts: Iterable[str], name: str) -> list[Any]:
    """Return texts as objects that each have one as an attribute."""
    return [types.SimpleNamespace(**{name: text}) for text in texts]


def texts_with_word(mapping: dict[str, Any] | None, word: Any) -> list[str]:
    """Return the texts that have a word."""
    return [
        text for text, one in (mapping or {}).items() if one == word and isinstance(one, bool) == isinstance(word, bool)
    ]


def words_of_texts(texts: Iterable[str], word: Any) -> dict[str, Any]:
    """Return a mapping from texts to one word."""
    return dict.fromkeys(texts, word)


def texts_apart(text: Any, mark: str) -> list[str]:
    """Return the texts that stand in one, set apart by another."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text")
    return [one.strip() for one in text.split(mark) if one.strip()]


def texts_in_one(texts: Iterable[str], mark: str) -> str:
    """Return texts in one, set apart by another."""
    return mark.join(texts)


def values_of_lines(text: Any) -> list[Any]:
    """Return the JSON values of a text that has one a line."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no text")
    return [json_from_text(line) for line in text.split("\n") if line.strip()]


def lines_of_values(values: Iterable[Any]) -> str:
    """Return JSON values as a text, one a line, each with its end; raises ValueError for what is no list."""
    if not isinstance(values, list | tuple):
        raise ValueError(f"{values!r} is no list of values, to stand one a line")
    return "".join(f"{json_to_text(value)}\n" for value in values)


def keys_named(names: Iterable[str], old: dict[str, Any] | None, new: dict[str, Any] | None) -> dict[str, Any]:
    """Return the key of a record, whose columns are named, from what the record holds; raises ValueError for none."""
    held = new if new is not None else old or {}
    missing = [name for name in names if name not in held]
    if missing:
        raise ValueError(f"the record does not hold {', '.join(missing)} of its key")
    return {name: held[name] for name in names}


def changed_before(old: dict[str, Any] | None, new: dict[str, Any] | None) -> dict[str, Any] | None:
    """Return of the record before the columns that are others in the one after; all, where there is none after."""
    if old is None or new is None:
        return old
    return {name: value for name, value in old.items() if name not in new or new[name] != value}


def before_change(changed: dict[str, Any] | None, new: dict[str, Any] | None) -> dict[str, Any] | None:
    """Return the record before, from the columns that are others in the one after."""
    return changed if changed is None or new is None else {**new, **changed}


def change_of_sides(old: Any, new: Any) -> str:
    """Return what happened to a record that is told as it was and as it is: nothing before, nothing after, or both."""
    if old is None and new is None:
        raise ValueError("a record is told neither as it was nor as it is, so it can't be said what happened to it")
    return "inserted" if old is None else "deleted" if new is None else "updated"


_OF_THE_CONNECTION = FRAMING | {"host", "connection"}


def without_framing(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return header fields without Host and those of the connection (RFC 9110 section 7.6.1)."""
    return [(name, value) for name, value in pairs if name.lower() not in _OF_THE_CONNECTION]


def host_among(pairs: Iterable[tuple[str, str]]) -> str:
    """Return the value of Host among header fields."""
    return next((value for name, value in pairs if name.lower() == "host"), "")


def values_in_order(captures: dict[str, str], route: str) -> list[str]:
    """Return what a route captured, in the order of its names."""
    names = [name.lstrip("+") for name in re.findall(r"\{([^{}]*)\}", route)]
    return [captures.get(name, "") for name in names]


def by_order(values: Any, route: str, skip: int) -> dict[str, str]:
    """Return what a route captured by name, from a list in its order; the first `skip` are no captures."""
    names = [name.lstrip("+") for name in re.findall(r"\{([^{}]*)\}", route)]
    values = list(values or ())[skip:]
    if len(values) != len(names):
        raise ValueError(f"{len(values)} values for the {len(names)} captures of {route}")
    return dict(zip(names, values, strict=True))


def behind_prefix(mapping: dict[str, Any] | None, prefix: str) -> dict[str, Any]:
    """Return the entries whose names begin so, without that beginning."""
    return {name[len(prefix) :]: value for name, value in (mapping or {}).items() if name.startswith(prefix)}


def with_prefix(mapping: dict[str, Any] | None, prefix: str) -> dict[str, Any]:
    """Return a mapping with a beginning before each name."""
    return {prefix + name: value for name, value in (mapping or {}).items()}


# --- tagged values ---------------------------------------------------------------------------------------------------


#
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
    return None if record is None else {name: tagged(value, types) for name, value in record.items()}


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
    return [by_places({names[0]: name, **typed_beside(value, names, types)}) for name, value in (record or {}).items()]


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


def principal_of(name: str | None, claims: dict[str, Any] | None) -> dict[str, Any] | None:
    """Return who called, nothing for nobody."""
    return {"id": name, "claims": claims or {}} if name else None


def id_of(principal: dict[str, Any] | None) -> str:
    """Return the identity of who called."""
    return (principal or {}).get("id") or ""


def claims_of(principal: dict[str, Any] | None) -> dict[str, Any]:
    """Return what is known of who called."""
    return (principal or {}).get("claims") or {}


def path_of_target(target: str) -> str:
    """Return the path of a target (RFC 9112 section 3.2.1)."""
    return target.partition("?")[0]


def query_of_target(target: str) -> str:
    """Return the query of a target."""
    return target.partition("?")[2]
