"""What translations of records call that are told by what they have otherwise than another record of the event."""

from __future__ import annotations

from typing import Any

from vast_ferry.mapping.helpers.of_lists import pairs_of_record
from vast_ferry.mapping.helpers.of_typed import plain_value, type_of_value, typed_value
from vast_ferry.mapping.helpers.of_values import json_from_text, json_to_text


def laid_over(told: dict[str, Any] | None, other: dict[str, Any] | None) -> dict[str, Any] | None:
    """Return a record of which only that is told which another has not, or has otherwise; nothing for nothing."""
    return None if told is None else {**(other or {}), **told}


def what_is_over(record: dict[str, Any] | None, other: dict[str, Any] | None) -> dict[str, Any] | None:
    """Return of a record what another has not, or has otherwise; nothing for nothing."""
    if record is None:
        return None
    held = other or {}
    return {name: value for name, value in record.items() if name not in held or held[name] != value}


def merge_patched(patch: Any, target: Any) -> Any:
    """Return what a JSON Merge Patch makes of a value (RFC 7396 section 2); nothing where there is no patch."""
    if not isinstance(patch, dict):
        return patch
    made = dict(target) if isinstance(target, dict) else {}
    for name, value in patch.items():
        if value is None:
            made.pop(name, None)
        else:
            made[name] = merge_patched(value, made.get(name))
    return made


def merge_patch_of(value: Any, target: Any) -> Any:
    """Return the JSON Merge Patch that makes one value of another (RFC 7396)."""
    if not isinstance(value, dict) or not isinstance(target, dict):
        return value
    gone: dict[str, Any] = {name: None for name in target if name not in value}
    return gone | {
        name: merge_patch_of(one, target.get(name))
        for name, one in value.items()
        if name not in target or target[name] != one
    }


def record_of_spelt(texts: Any, mark: str, types: dict[str, str]) -> dict[str, Any] | None:
    """Return a record whose values each stand in one text behind the word of their type: `no:12.5`."""
    return None if texts is None else {name: plain_of_spelt(text, mark, types) for name, text in texts.items()}


def plain_of_spelt(text: Any, mark: str, types: dict[str, str]) -> Any:
    """Return the value of a text that begins with the word of its type; what no text says stands there as JSON."""
    word, _, held = text.partition(mark) if isinstance(text, str) else ("", "", "")
    if word not in types:
        raise ValueError(f"{text!r} begins with none of the types {', '.join(types)} and {mark!r}")
    as_json = types[word] in ("number", "truth", "list", "mapping")
    return plain_value(types[word], json_from_text(held) if as_json else held, lambda one: one, lambda one: one)


def spelt_of_record(record: dict[str, Any] | None, mark: str, types: dict[str, str]) -> dict[str, str] | None:
    """Return a record with each value as one text, behind the word of its type; nothing for nothing."""
    if record is None:
        return None
    return {name: spelt_of_plain(value, mark, types) for name, value in pairs_of_record(record)}


def spelt_of_plain(value: Any, mark: str, types: dict[str, str]) -> str:
    """Return a value as a text behind the word of its type."""
    word = type_of_value(value, types)
    held = typed_value(types[word], value, lambda one: one, lambda one: one)
    return f"{word}{mark}{'' if value is None else held if isinstance(held, str) else json_to_text(held)}"
