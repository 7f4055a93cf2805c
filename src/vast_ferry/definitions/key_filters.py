"""The spellings of filters on keys, each read and written: shell patterns, paths with captures, CloudEvents filters.

What a spelling can't say raises CannotHold with the reason. Beginnings and ends are fields of their own, put together
by `from_ends` and taken apart by `to_ends`.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, Final

from vast_ferry.definitions.schedules import CannotHold
from vast_ferry.definitions.sql_filters import SqlError, read_sql, write_sql
from vast_ferry.hub.findings import FerryError
from vast_ferry.hub.keys import ANY, EVERY_KEY, All, AnyOf, KeyFilter, Not, Pattern, Piece, all_of, begins, ends


class FilterError(FerryError, ValueError):
    """A text that is no filter in its spelling."""


def from_ends(prefix: str, suffix: str) -> KeyFilter:
    """Return the filter of keys that begin and end so; the two may overlap in a key."""
    return all_of(*([begins(prefix)] if prefix else []), *([ends(suffix)] if suffix else []))


def to_ends(one: KeyFilter) -> tuple[str, str]:
    """Return what a filter's keys begin and end with, or raise CannotHold."""
    prefix, suffix = "", ""
    for pattern in one.filters if isinstance(one, All) else (one,):
        if not isinstance(pattern, Pattern):
            raise CannotHold("a beginning and an end don't say that")
        parts = pattern.parts
        if parts == (ANY,):
            continue
        if len(parts) == 2 and isinstance(parts[0], str) and parts[1] == ANY and not prefix:
            prefix = parts[0]
        elif len(parts) == 2 and parts[0] == ANY and isinstance(parts[1], str) and not suffix:
            suffix = parts[1]
        elif (
            len(parts) == 3
            and isinstance(parts[0], str)
            and parts[1] == ANY
            and isinstance(parts[2], str)
            and not (prefix or suffix)
        ):
            if _overlap(parts[0], parts[2]):
                raise CannotHold(f"a key may be the end of {parts[0]!r} and the beginning of {parts[2]!r} at once")
            prefix, suffix = parts[0], parts[2]
        else:
            raise CannotHold("a beginning and an end don't say that")
    return prefix, suffix


def _overlap(prefix: str, suffix: str) -> bool:
    """Tell whether a text shorter than both together begins with one and ends with the other."""
    return any(prefix.endswith(suffix[:length]) for length in range(1, min(len(prefix), len(suffix)) + 1))


# --- shell patterns --------------------------------------------------------------------------------------------------


def read_glob(text: str, *, slashes: bool) -> KeyFilter:
    """Return the filter of a shell pattern; `*` stands for slashes as well, or else `**` does."""
    parts: list[str | Piece] = []
    at = 0
    while at < len(text):
        char = text[at]
        if char == "*":
            run = re.match(r"\*+", text[at:])
            assert run
            parts.append(ANY if slashes or len(run[0]) > 1 else Piece("part"))
            at += len(run[0])
        elif char == "?":
            parts.append(Piece("one") if slashes else Piece("but", chars="/"))
            at += 1
        elif char == "[" and (found := re.match(r"\[(!?)(\]?[^\]]*)\]", text[at:])):
            chars = _expanded(found[2], text)
            if len(chars) == 1 and not found[1]:
                parts.append(chars)
            else:
                parts.append(
                    Piece("but" if found[1] else "of", chars=chars if slashes or not found[1] else chars + "/")
                )
            at += len(found[0])
        elif char == "[":
            raise FilterError(f"{text!r} opens a bracket and does not close it; write [[] for the character")
        else:
            parts.append(char)
            at += 1
    return Pattern.of(*parts)


def _expanded(chars: str, text: str) -> str:
    made = ""
    at = 0
    while at < len(chars):
        if at + 2 < len(chars) and chars[at + 1] == "-":
            first, last = ord(chars[at]), ord(chars[at + 2])
            if not 0 <= last - first < 256:
                raise FilterError(f"{text!r} has a range that runs backwards, or is over 256 characters long")
            made += "".join(chr(code) for code in range(first, last + 1))
            at += 3
        else:
            made += chars[at]
            at += 1
    if not made:
        raise FilterError(f"{text!r} has an empty bracket")
    return "".join(sorted(set(made)))


def write_glob(one: KeyFilter, *, slashes: bool) -> str:
    """Return the shell pattern that lets through what a filter does, or raise CannotHold."""
    made = []
    for part in _one_pattern(one).parts:
        if isinstance(part, str):
            made.append(re.sub(r"([*?\[])", r"[\1]", part))
        elif part.kind == "any" and not part.name:
            made.append("*" if slashes else "**")
        elif part.kind == "part" and not slashes:
            made.append("*")
        elif (part.kind == "one" and slashes) or (part.kind == "but" and part.chars == "/" and not slashes):
            made.append("?")
        elif part.kind in ("of", "but"):
            chars = part.chars if slashes or part.kind == "of" else part.chars.replace("/", "")
            bracket = "]" * ("]" in chars) + chars.replace("]", "").replace("-", "") + "-" * ("-" in chars)
            made.append(f"[{'!' * (part.kind == 'but')}{bracket}]")
        elif part.kind == "segment" and not slashes:
            made.append("?*")
        else:
            raise CannotHold("its shell patterns have no sign for a part of a key without a slash")
    return "".join(made)


def _one_pattern(one: KeyFilter) -> Pattern:
    """Return a filter as a single pattern; a beginning and an end are one where they can't overlap."""
    if isinstance(one, All):
        try:
            prefix, suffix = to_ends(one)
        except CannotHold:
            raise CannotHold("one pattern does not say that") from None
        if _overlap(prefix, suffix):
            raise CannotHold(f"in one pattern the beginning {prefix!r} and the end {suffix!r} can't overlap")
        return Pattern.of(prefix, ANY, suffix)
    if not isinstance(one, Pattern):
        raise CannotHold("one pattern does not say that")
    return one


# --- paths with captures ---------------------------------------------------------------------------------------------

_CAPTURE = re.compile(r"\{([A-Za-z_]\w*)?(\.\.\.)?\}", re.ASCII)


def read_captures(text: str) -> KeyFilter:
    """Return the filter of a path with captures: `{name}` is a segment or part of one, `{name...}` the rest.

    Without a name nothing is captured; `{...}` may then be empty.
    """
    parts: list[str | Piece] = []
    names: list[str] = []
    at = 0
    for found in _CAPTURE.finditer(text):
        parts.append(text[at : found.start()])
        parts.append(Piece("any" if found[2] else "segment", found[1] or ""))
        names += [found[1]] if found[1] else []
        at = found.end()
    parts.append(text[at:])
    if any(isinstance(part, str) and re.search(r"[{}]", part) for part in parts):
        raise FilterError(f"expected captures such as {{day}} or {{rest...}}, got {text!r}")
    if len(set(names)) != len(names):
        raise FilterError(f"{text!r} captures a name twice")
    return Pattern.of(*parts)


def captures_of(text: str) -> list[str]:
    """Return the names that a path captures, in order."""
    return [found[1] for found in _CAPTURE.finditer(text) if found[1]]


def write_captures(one: KeyFilter) -> str:
    """Return the path with captures that lets through what a filter does."""
    made = []
    for part in _one_pattern(one).parts:
        if isinstance(part, str):
            if re.search(r"[{}]", part):
                raise CannotHold(f"its paths have braces for captures, and {part!r} has some of its own")
            made.append(part)
        elif part.kind == "segment":
            made.append(f"{{{part.name}}}")
        elif part.kind == "any":
            made.append(f"{{{part.name}...}}")
        else:
            raise CannotHold("its paths have no sign for a single character")
    return "".join(made)


# --- CloudEvents filters ---------------------------------------------------------------------------------------------

# The dialects of filters that CloudEvents subscriptions have (CloudEvents Subscriptions API §3.2.4): the members of a
# mapping that names one attribute, all, any and not of filters, and expressions in CloudEvents SQL.

_DIALECTS: Final = ("exact", "prefix", "suffix", "all", "any", "not", "sql")


def read_filters(value: Any, attribute: str) -> KeyFilter:
    """Return the filter that a list of CloudEvents filters on one attribute is: all of them hold."""
    if not isinstance(value, list):
        raise FilterError(f"expected a list of filters, got {value!r}")
    return all_of(*(_read_filter(item, attribute) for item in value))


def _read_filter(value: Any, attribute: str) -> KeyFilter:
    if not isinstance(value, Mapping) or len(value) != 1 or next(iter(value)) not in _DIALECTS:
        raise FilterError(f"expected one of {', '.join(_DIALECTS)}, got {value!r}")
    dialect, inner = next(iter(value.items()))
    if dialect in ("all", "any"):
        if not isinstance(inner, list) or not inner:
            raise FilterError(f"{dialect} takes a list of filters that is not empty, got {inner!r}")
        filters = tuple(_read_filter(item, attribute) for item in inner)
        return all_of(*filters) if dialect == "all" else filters[0] if len(filters) == 1 else AnyOf(filters)
    if dialect == "not":
        return Not(_read_filter(inner, attribute))
    if dialect == "sql":
        if not isinstance(inner, str):
            raise FilterError(f"sql takes an expression, got {inner!r}")
        try:
            return read_sql(inner, attribute)
        except SqlError as error:
            raise FilterError(f"{inner!r}: {error}") from None
    if not isinstance(inner, Mapping) or list(inner) != [attribute] or not isinstance(inner[attribute], str):
        raise FilterError(f"expected {{{dialect}: {{{attribute}: text}}}}, got {value!r}")
    text = inner[attribute]
    return {"exact": Pattern.of(text), "prefix": begins(text), "suffix": ends(text)}[dialect]


def write_filters(one: KeyFilter, attribute: str) -> list[Any]:
    """Return the CloudEvents filters that let through what a filter does, or raise CannotHold."""
    if one == EVERY_KEY:
        return []
    if isinstance(one, All):
        return [_write_filter(inner, attribute) for inner in one.filters]
    made = _write_filter(one, attribute)
    return made["all"] if list(made) == ["all"] else [made]


def _write_filter(one: KeyFilter, attribute: str) -> dict[str, Any]:
    if isinstance(one, Not):
        return {"not": _write_filter(one.filter, attribute)}
    if isinstance(one, All | AnyOf):
        word = "all" if isinstance(one, All) else "any"
        return {word: [_write_filter(inner, attribute) for inner in one.filters]}
    parts = one.parts
    if len(parts) == 1 and isinstance(parts[0], str):
        return {"exact": {attribute: parts[0]}}
    if len(parts) == 2 and isinstance(parts[0], str) and parts[1] == ANY:
        return {"prefix": {attribute: parts[0]}}
    if len(parts) == 2 and parts[0] == ANY and isinstance(parts[1], str):
        return {"suffix": {attribute: parts[1]}}
    if len(parts) == 3 and isinstance(parts[0], str) and parts[1] == ANY and isinstance(parts[2], str):  # noqa: SIM102
        if not _overlap(parts[0], parts[2]):
            return {"all": [{"prefix": {attribute: parts[0]}}, {"suffix": {attribute: parts[2]}}]}
    return {"sql": write_sql(one, attribute)}
