"""What translations of pairs and records call, in whatever form a provider lists them."""

from __future__ import annotations

import re
import types
import urllib.parse
from collections.abc import Iterable
from typing import Any

from vast_ferry.mapping.helpers.of_http import FRAMING
from vast_ferry.mapping.helpers.of_values import json_from_text, json_to_text


def pairs_of_flat(items: Any) -> list[tuple[str, str]]:
    """Return the pairs of a list in which names and values alternate."""
    if not isinstance(items, list | tuple) or len(items) % 2:
        raise ValueError("this is no list of names and values by turns")
    return list(zip(items[::2], items[1::2], strict=True))


def flat_of_pairs(pairs: Iterable[tuple[str, str]]) -> list[str]:
    """Return names and values by turns."""
    return [text for pair in pairs for text in pair]


def pairs_of_records(records: Any, name: str | int, value: str | int) -> list[tuple[str, str]]:
    """Return the pairs of a list of records, of objects, or of lists of two that hold a name and a value."""
    if isinstance(name, int) or isinstance(value, int):
        odd = next((one for one in records if not isinstance(one, list | tuple) or len(one) != 2), None)
        if odd is not None:
            raise ValueError(f"{odd!r} is no list of a name and a value")
        return [(record[name], record[value]) for record in records]
    return [
        (record[name], record[value]) if isinstance(record, dict) else (getattr(record, name), getattr(record, value))
        for record in records
    ]


def records_of_pairs(pairs: Iterable[tuple[str, str]], name: str | int, value: str | int) -> list[Any]:
    """Return pairs as records, or as lists of two, that hold a name and a value."""
    if isinstance(name, int):
        return [[one, other][:: 1 if name == 0 else -1] for one, other in pairs]
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


def pairs_of_single_entries(items: Any) -> list[tuple[str, Any]]:
    """Return the pairs of a list of mappings that have one entry each."""
    pairs = []
    for item in items:
        if len(item) != 1:
            raise ValueError(f"{sorted(item)} stand together, where each stands alone")
        pairs += item.items()
    return pairs


def single_entries_of_pairs(pairs: Iterable[tuple[str, Any]]) -> list[dict[str, Any]]:
    """Return pairs as a list of mappings that have one entry each."""
    return [{name: value} for name, value in pairs]


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


def with_values_joined(pairs: Iterable[tuple[str, str]], mark: str = ", ") -> dict[str, str]:
    """Return pairs as a mapping, the values of one name joined by a text in order."""
    joined: dict[str, str] = {}
    for name, value in pairs:
        joined[name] = f"{joined[name]}{mark}{value}" if name in joined else value
    return joined


def pairs_of_joined(mapping: dict[str, str] | None, mark: str = "") -> list[tuple[str, str]]:
    """Return the pairs of a mapping in which the values of one name are joined by a text; without one, as it is."""
    held = (mapping or {}).items()
    return [(name, one) for name, value in held for one in (value.split(mark) if mark else [value])]


def pairs_of_named_lists(lists: Any) -> list[tuple[str, str]]:
    """Return the pairs of lists that each hold a name, and behind it all values of that name."""
    if not all(isinstance(one, list | tuple) and one for one in lists or ()):
        raise ValueError(f"{lists!r} is no list of lists, each of a name and its values")
    return [(name, value) for name, *values in lists or () for value in values]


def named_lists_of_pairs(pairs: Iterable[tuple[str, str]]) -> list[list[str]]:
    """Return pairs as lists of a name and its values; values of one name that do not follow each other stand apart."""
    made: list[list[str]] = []
    for name, value in pairs:
        if made and made[-1][0] == name:
            made[-1].append(value)
        else:
            made.append([name, value])
    return made


def names_with_dashes(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs in whose names `-` stands for `_`."""
    return [(name.replace("_", "-"), value) for name, value in pairs]


def names_with_underscores(pairs: Iterable[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return pairs in whose names `_` stands for `-`."""
    return [(name.replace("-", "_"), value) for name, value in pairs]


def records_by_key(mapping: dict[str, Any] | None, key: str | int) -> list[Any]:
    """Return a mapping of records as a list in which each has its key under a name; of lists, at a place."""
    if isinstance(key, int):
        return [[*record[:key], name, *record[key:]] for name, record in (mapping or {}).items()]
    return [{key: name, **record} for name, record in (mapping or {}).items()]


def by_key_of_records(records: Iterable[Any], key: str | int) -> dict[str, Any]:
    """Return a list of records as a mapping by what stands under a name in each; of lists, at a place."""
    if isinstance(key, int):
        return {record[key]: [*record[:key], *record[key + 1 :]] for record in records}
    return {record[key]: {name: one for name, one in record.items() if name != key} for record in records}


def listed_by_key(records: Any, key: str | int) -> dict[str, Any]:
    """Return a list of records as a mapping by what stands under a name in each; of lists, at a place.

    Raises ValueError where two have the same there, or one has nothing.
    """
    try:
        made = by_key_of_records(records or (), key)
    except (LookupError, TypeError):
        raise ValueError(f"one of them has no {key}") from None
    if len(made) < len(records or ()):
        raise ValueError(f"two of them have the same {key}")
    return made


def values_at(mapping: dict[str, Any] | None, key: str, beside: dict[str, str]) -> dict[str, Any]:
    """Return by each name what stands under a key in its record."""
    return {name: record[key] for name, record in (mapping or {}).items()}


def records_of_values(values: dict[str, Any], key: str, beside: dict[str, str]) -> dict[str, Any]:
    """Return by each name a record that has its value under a key, and beside it what is made of a list."""
    return {
        name: {key: value, **{own: one_of_list(value, which) for own, which in beside.items()}}
        for name, value in values.items()
    }


def one_of_list(values: list[str], which: str) -> str:
    """Return the first of some texts, the last, or all joined; an empty text of none."""
    if which == "joined":
        return ", ".join(values)
    return values[0 if which == "first" else -1] if values else ""


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
    """Return a record's pairs, none of nothing; raises ValueError for another value."""
    if record is not None and not isinstance(record, dict):
        raise ValueError(f"{record!r} has no names with values, and stands here as these")
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


def texts_with_word(told: Any, word: Any, key: str = "", at: str = "") -> list[str]:
    """Return the texts that have a word, in a mapping; or in records, or objects, that hold both under keys."""
    pairs = zip(texts_at(told, key), texts_at(told, at), strict=True) if key else (told or {}).items()
    return [text for text, one in pairs if one == word and isinstance(one, bool) == isinstance(word, bool)]


def words_of_texts(texts: Iterable[str], word: Any, key: str = "", at: str = "") -> Any:
    """Return a mapping from texts to one word; or records that hold both under keys."""
    return [{key: text, at: word} for text in texts] if key else dict.fromkeys(texts, word)


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


def before_end(mapping: dict[str, Any] | None, end: str) -> dict[str, Any]:
    """Return the entries whose names end so, without that end."""
    held = (mapping or {}).items()
    return {name[: len(name) - len(end)]: value for name, value in held if name.endswith(end)}


def with_end(mapping: dict[str, Any] | None, end: str) -> dict[str, Any]:
    """Return a mapping with an end behind each name."""
    return {name + end: value for name, value in (mapping or {}).items()}


def principal_of(name: str | None, claims: dict[str, Any] | None) -> dict[str, Any] | None:
    """Return who called, nothing for nobody."""
    return {"id": name, "claims": claims or {}} if name else None


def id_of(principal: dict[str, Any] | None) -> str:
    """Return the identity of who called."""
    return (principal or {}).get("id") or ""


def whether_known(principal: dict[str, Any] | None) -> str:
    """Return the word for whether it is known who called."""
    return "nobody" if principal is None else "someone"


def claims_of(principal: dict[str, Any] | None) -> dict[str, Any]:
    """Return what is known of who called."""
    return (principal or {}).get("claims") or {}


def path_of_target(target: str) -> str:
    """Return the path of a target (RFC 9112 section 3.2.1)."""
    return target.partition("?")[0]


def query_of_target(target: str) -> str:
    """Return the query of a target."""
    return target.partition("?")[2]
