"""Filters of the CloudEvents Subscriptions API, section 3.2.4, read and written."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from vast_ferry.definitions.filters.ends import FilterError, _overlap
from vast_ferry.definitions.filters.sql import SqlError, read_sql, write_sql
from vast_ferry.hub.keys import ANY, EVERY_KEY, All, AnyOf, KeyFilter, Not, Pattern, all_of, begins, ends

# The dialects of filters that CloudEvents subscriptions have: the members of a mapping that names one attribute, all,
# any and not of filters, and expressions in CloudEvents SQL.

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
