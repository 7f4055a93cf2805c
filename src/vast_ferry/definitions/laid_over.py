"""What a definition says, put together: what holds for several laid under each, a stage over it, names filled in.

A function says what differs; the rest stands in what is usual, in a base that it names, or under a pattern of names.
`merged` lays one over the other: mappings key by key, lists whose entries have names entry by entry, null takes a key
away, and of anything else the upper counts. References are filled in last, so that a stage can change what they name.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, Final

from vast_ferry.hub.findings import FerryError

MISSING: Final = object()
#: References may name texts that hold references, so deep at most.
DEEPEST: Final = 20
#: And so many are filled in of one function.
MOST_NAMES: Final = 5000


class NoSuchName(FerryError, ValueError):
    """A reference to what is nowhere; its argument is the name."""


def there(data: Any, path: str) -> Any:
    """Return what stands under a key, or under keys set apart by dots; MISSING where nothing does."""
    if isinstance(data, Mapping) and path in data:
        return data[path]
    for part in path.split("."):
        if not isinstance(data, Mapping) or part not in data:
            return MISSING
        data = data[part]
    return data


def under(data: Any, keys: Sequence[str]) -> Any:
    """Return what stands under a key; of several, a list with None where nothing does, MISSING where none has any."""
    if len(keys) == 1:
        return there(data, keys[0])
    found = [there(data, key) for key in keys]
    return MISSING if all(one is MISSING for one in found) else [None if one is MISSING else one for one in found]


def put_under(
    data: dict[str, Any], keys: Sequence[str], value: Any, put: Callable[[dict[str, Any], str, Any], None]
) -> None:
    """Put a value under a key; of several, each of its parts under its own."""
    if len(keys) == 1:
        put(data, keys[0], value)
        return
    for key, one in zip(keys, value, strict=True):
        if one is not None:
            put(data, key, one)


def put(data: dict[str, Any], path: str, value: Any) -> None:
    """Put a value under keys set apart by dots."""
    *before, last = path.split(".")
    for part in before:
        data = data.setdefault(part, {})
    data[last] = value


def merged(under: Any, over: Any, by: Mapping[str, str], key: str = "") -> Any:
    """Return one laid over the other; `by` names, for a key whose value is a list, the key of its entries' names."""
    if isinstance(under, Mapping) and isinstance(over, Mapping):
        both = {**under, **{name: merged(under[name], over[name], by, name) for name in over if name in under}}
        both |= {name: value for name, value in over.items() if name not in under}
        return {name: value for name, value in both.items() if value is not None or name not in under}
    if isinstance(under, list) and isinstance(over, list) and key in by:
        return _by_name(under, over, by, by[key])
    return over


def _by_name(under: list[Any], over: list[Any], by: Mapping[str, str], name: str) -> list[Any]:
    def of(entry: Any) -> Any:
        found = entry.get(name) if isinstance(entry, Mapping) else None
        return found if isinstance(found, str) else None

    upper = {of(entry): entry for entry in over if of(entry) is not None}
    # An entry of one list holds in place of the other's, whatever else that one says.
    made = [upper.pop(of(entry)) if _name_only(entry, upper.get(of(entry))) else entry for entry in under]
    made = [merged(entry, upper.pop(of(entry)), by) if of(entry) in upper else entry for entry in made]
    return [*made, *(entry for entry in over if of(entry) in upper or of(entry) is None)]


def _name_only(under: Any, over: Any) -> bool:
    """Tell whether two entries of one name are a name and a value each, of which the upper takes the place."""
    return over is not None and isinstance(under, Mapping) and len(under) <= 2 and len(over) <= 2


def texts_in(value: Any) -> Iterator[str]:
    """Yield the texts in a value, however deep."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, Mapping | list):
        for inner in value.values() if isinstance(value, Mapping) else value:
            yield from texts_in(inner)


def filled(value: Any, written: str, of: Callable[[str], Any]) -> Any:
    """Return a value with its references filled in: `written` is how one looks, with `{name}` in it.

    A text that is nothing but a reference becomes what it stands for, whatever that is; `of` gives None for a name that
    is left as it stands. Raises NoSuchName for one that `of` does not know, or that leads round in a circle, and where
    texts name texts so often that there is no end to be seen.
    """
    asked = 0

    def counted(name: str) -> Any:
        nonlocal asked
        asked += 1
        if asked > MOST_NAMES:
            raise NoSuchName(f"{name} (it is named more than {MOST_NAMES:,} times)")
        return of(name)

    return _filled(value, written, counted, 0)


def _filled(value: Any, written: str, of: Callable[[str], Any], deep: int) -> Any:
    if isinstance(value, Mapping):
        return {key: _filled(inner, written, of, deep) for key, inner in value.items()}
    if isinstance(value, list):
        return [_filled(inner, written, of, deep) for inner in value]
    if not isinstance(value, str):
        return value
    before, _, after = written.partition("{name}")
    pattern = re.compile(f"{re.escape(before)}([\\w.:/*-]{{1,200}}){re.escape(after)}")
    if deep > DEEPEST:
        found = pattern.search(value)
        raise NoSuchName(f"{found[1] if found else value} (it leads to itself)")
    whole = pattern.fullmatch(value)
    if whole:
        got = of(whole[1])
        return value if got is None else _filled(got, written, of, deep + 1)

    def text(found: re.Match[str]) -> str:
        got = of(found[1])
        return found[0] if got is None else str(_filled(got, written, of, deep + 1))

    return pattern.sub(text, value)
