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


def json_patched(patch: list[dict[str, Any]] | None, target: Any) -> Any:
    """Return what a JSON Patch makes of a value (RFC 6902); nothing where there is no patch.

    Raises ValueError for an operation that can't be done, or that there is none of.
    """
    if patch is None:
        return None
    made = json_from_text(json_to_text(target))  # the record that it is a patch of stays what it is
    for one in patch:
        did, path = one.get("op"), pointer_parts(one["path"])
        if did in ("move", "copy"):
            value = value_at_pointer(made, pointer_parts(one["from"]))
            made = without_pointer(made, pointer_parts(one["from"])) if did == "move" else made
            made = with_pointer(made, path, json_from_text(json_to_text(value)), new=True)
        elif did in ("add", "replace"):
            made = with_pointer(made, path, one["value"], new=did == "add")
        elif did == "remove":
            made = without_pointer(made, path)
        elif did != "test":
            raise ValueError(f"a JSON Patch has no operation {did!r}")
        elif value_at_pointer(made, path) != one["value"]:
            raise ValueError(f"a JSON Patch tests {one['path']}, and something else stands there")
    return made


def json_patch_of(value: Any, target: Any) -> list[dict[str, Any]] | None:
    """Return the JSON Patch that makes one record of another, column by column; nothing for nothing."""
    if value is None:
        return None
    if not isinstance(target, dict):
        return [{"op": "add", "path": "", "value": value}]
    gone = [{"op": "remove", "path": pointer_of(name)} for name in target if name not in value]
    return gone + [
        {"op": "replace" if name in target else "add", "path": pointer_of(name), "value": one}
        for name, one in value.items()
        if name not in target or target[name] != one
    ]


def pointer_of(name: str) -> str:
    """Return the JSON Pointer to a column (RFC 6901)."""
    return "/" + name.replace("~", "~0").replace("/", "~1")


def pointer_parts(pointer: str) -> list[str]:
    """Return the parts of a JSON Pointer (RFC 6901)."""
    return [part.replace("~1", "/").replace("~0", "~") for part in pointer.split("/")[1:]]


def value_at_pointer(value: Any, parts: list[str]) -> Any:
    """Return what stands at the parts of a pointer; raises ValueError where nothing does."""
    for part in parts:
        try:
            value = value[int(part)] if isinstance(value, list) else value[part]
        except (LookupError, TypeError, ValueError):
            raise ValueError(f"a JSON Patch names {'/'.join(parts)}, and nothing stands there") from None
    return value


def with_pointer(value: Any, parts: list[str], put: Any, *, new: bool) -> Any:
    """Return a value with another at the parts of a pointer; where it is no `new` one, something has to stand there."""
    if not parts:
        return put
    holder = value_at_pointer(value, parts[:-1])
    if not new:
        value_at_pointer(holder, parts[-1:])
    if isinstance(holder, list) and new:
        holder.insert(len(holder) if parts[-1] == "-" else int(parts[-1]), put)
    elif isinstance(holder, list):
        holder[int(parts[-1])] = put
    elif isinstance(holder, dict):
        holder[parts[-1]] = put
    else:
        raise ValueError(f"a JSON Patch puts {'/'.join(parts)} into what holds nothing")
    return value


def without_pointer(value: Any, parts: list[str]) -> Any:
    """Return a value without what stands at the parts of a pointer; raises ValueError where nothing does."""
    value_at_pointer(value, parts)
    if not parts:
        return None
    holder = value_at_pointer(value, parts[:-1])
    del holder[int(parts[-1]) if isinstance(holder, list) else parts[-1]]
    return value


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
