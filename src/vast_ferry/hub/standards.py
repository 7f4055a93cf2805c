"""What the standards say a hub field's text looks like: what can't be a field's value, and what is odd for one.

A profile that takes a text as it stands may take the wrong one, and the types agree: a day for a time, a word of the
provider's for one of the hub's. What can't be the field's value is refused where the event is read; what is only odd
(it is allowed, and hardly meant) is told.
"""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any, Final

_TIME: Final = re.compile(
    r"[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])[Tt]([01][0-9]|2[0-3]):[0-5][0-9]:([0-5][0-9]|60)(\.[0-9]+)?"
    r"([Zz]|[+-]([01][0-9]|2[0-3]):[0-5][0-9])",
    re.ASCII,
)
_ENTITY: Final = re.compile(r'(W/)?".*"', re.DOTALL)
_MEDIA_TYPE: Final = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+/[!#$%&'*+.^_`|~0-9A-Za-z-]+ *(;.*)?", re.DOTALL)
_NOT_ON_A_REQUEST_LINE: Final = re.compile(r"[^\x21-\x7e]")

#: kind → the words that its `change` may be.
CHANGES: Final[Mapping[str, tuple[str, ...]]] = {
    "object": ("created", "deleted", "relabelled"),
    "record": ("inserted", "updated", "deleted"),
}

#: Who may call: anyone, whoever has a key, or known callers.
CALLERS: Final = ("public", "key", "principal")


def words_of(field: str, kind: str = "") -> tuple[str, ...]:
    """Return the words that a field of a trigger may have, those of all kinds where none is given; none: any."""
    if field == "callers":
        return CALLERS
    kinds = [kind] if kind else list(CHANGES)
    return tuple(dict.fromkeys(word for one in kinds for word in CHANGES.get(one, ()))) if field == "changes" else ()


def _no_time(value: str) -> str:
    return "" if not value or _TIME.fullmatch(value) else "which is no time by RFC 3339, such as 2027-03-14T09:26:53Z"


def _no_scheme(value: str) -> str:
    return "" if value in ("", "http", "https") else "which is neither http nor https"


def no_value(kind: str, field: str) -> Callable[[Any], str] | None:
    """Return what says why a value can't be that of a field, an empty text where it can; None for any other field."""
    if field in ("time", "due"):
        return _no_time
    if field == "scheme":
        return _no_scheme
    words = CHANGES.get(kind, ()) if field == "change" else ()
    if not words:
        return None
    told = f"which is none of {', '.join(words)}: give the row `words`"
    return lambda value: "" if value in words else told


def _odd_method(value: str) -> str:
    return "" if value == value.upper() and value else "a method is in capitals (RFC 9110 §9.1)"


def _odd_path(value: str) -> str:
    found = _NOT_ON_A_REQUEST_LINE.search(value)
    if found or "?" in value or "#" in value:
        what = repr(found[0]) if found else "? or #"
        return f"a path that came on the wire has no {what} (RFC 3986 §3.3); one that is decoded is `path`"
    return "" if value.startswith("/") or value in ("", "*") else "a path begins with a slash (RFC 3986 §3.3)"


def _odd_query(value: str) -> str:
    if value.startswith("?"):
        return "a query has no `?` before it (RFC 3986 §3.4)"
    found = _NOT_ON_A_REQUEST_LINE.search(value)
    return f"a query that came on the wire has no {found[0]!r} (RFC 3986 §3.4)" if found else ""


def _odd_authority(value: str) -> str:
    return "an authority is a host and perhaps a port (RFC 3986 §3.2)" if re.search(r"[/\s]", value) else ""


def _odd_client(value: str) -> str:
    try:
        ipaddress.ip_address(value)
    except ValueError:
        return "it is no IP address" if value else ""
    return ""


def _odd_etag(value: str) -> str:
    return "an entity tag stands here without its quotes: `quoted`" if _ENTITY.fullmatch(value) else ""


def _odd_type(value: str) -> str:
    return "" if not value or _MEDIA_TYPE.fullmatch(value) else "a media type is type/subtype (RFC 9110 §8.3.1)"


def _odd_attempt(value: int) -> str:
    return "the first delivery is 1: `counted_from(0)`" if value < 1 else ""


_ODD: Final[Mapping[str, Callable[[Any], str]]] = {
    "method": _odd_method,
    "path.raw": _odd_path,
    "query.raw": _odd_query,
    "authority": _odd_authority,
    "client": _odd_client,
    "etag": _odd_etag,
    "content_type": _odd_type,
    "attempt": _odd_attempt,
}


def oddities(event: Mapping[str, Any]) -> dict[str, str]:
    """Return what is odd about an event's fields, by name: only those of which something is."""
    return {name: told for name, look in _ODD.items() if name in event and (told := look(event[name]))}


def odd_in(events: Iterable[Mapping[str, Any]]) -> Iterator[tuple[str, str]]:
    """Yield the fields of events that are read oddly, with what they hold and what is odd about that in words."""
    for event in events:
        for name, told in oddities(event).items():
            held = repr(event[name])
            yield name, f"{name} {held if len(held) <= 40 else held[:37] + '…'}: {told}"
