"""Which kind of event native data is, and which of the kind's shapes it has.

Constants tell a kind where a profile gives them. Where it gives none, an event is of the kind whose rows read it: of
several, the one that leaves the fewest keys unread, and then the one that goes through more levels.
"""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any

from vast_ferry.events.compiled import MISSING, at_keys, entries_of, reader_of, shapes_of
from vast_ferry.events.diagnosing import nearest_shape, why_unread
from vast_ferry.events.unread import unread_in
from vast_ferry.hub.fields import CHECKS
from vast_ferry.hub.findings import BadInput, Place
from vast_ferry.mapping.tables import HUB_EVENTS
from vast_ferry.profiles.profile import Profile

#: So many events of a batch are read to tell its kind.
_LOOKED_AT = 50


def kind_of(
    data: Any,
    profile: Profile,
    shown: str,
    line: int = 1,
    *,
    why: Callable[[Any, Profile, str, int, Place], BadInput] = why_unread,
) -> str:
    """Return the kind of a native event on file.

    Raises BadInput where it is of no kind that the provider has; `why` says what keeps the nearest from reading it.
    """
    likely = [name for name in profile.kinds if _has_constants(data, profile, name, 0)]
    if len(likely) == 1 and (told_by(profile, likely[0]) or not profile.kind(likely[0]).event.levels):
        return likely[0]  # reading it says what is wrong, if anything is
    found = sorted(
        (*score, order, kind)
        for order, kind in enumerate(profile.kinds)
        if (score := _how_well(data, profile, kind)) is not None
    )
    if found:
        return str(found[0][-1])
    nearest, number = nearest_shape(data, profile, lambda kind, number: _has_constants(data, profile, kind, number))
    if nearest:
        raise why(data, profile, nearest, number, Place(shown, line))
    told = sorted({str(c.at) for kind in profile.kinds.values() for c in (*kind.event.envelope, *kind.event.constants)})
    text = repr(data)
    raise BadInput(
        f"this is no event of {profile.title} ({text if len(text) <= 60 else text[:57] + '…'})",
        f"Give one of its kinds: {', '.join(profile.kinds)}"
        + (f"; they are told by {', '.join(told)}" if told else ""),
        Place(shown, line),
    )


def _how_well(data: Any, profile: Profile, kind: str) -> tuple[int, int] | None:
    """Return the fewest keys that one of a kind's shapes leaves unread, and its levels below zero, if one fits."""
    numbers = range(len(shapes_of(profile, kind)))
    scores = [
        (len(unread_in(data, profile, kind, number)), -len(shapes_of(profile, kind)[number].levels))
        for number in numbers
        if reads(data, profile, kind, number)
    ]
    return min(scores, default=None)


def shape_of(data: Any, profile: Profile, kind: str) -> int:
    """Return which of a kind's shapes an event has: the usual one where none reads it."""
    numbers = range(len(shapes_of(profile, kind)))
    if len(numbers) == 1:
        return 0
    fit = [
        (len(unread_in(data, profile, kind, number)), number)
        for number in numbers
        if reads(data, profile, kind, number)
    ]
    return min(fit, default=(0, 0))[1]


def reads(data: Any, profile: Profile, kind: str, number: int) -> bool:
    """Tell whether a shape reads an event: each of its rows gives what its field holds."""
    if not _has_constants(data, profile, kind, number):
        return False
    read = reader_of(profile, kind, number)
    fields = HUB_EVENTS[kind].fields
    try:
        for entry in entries_of(data, profile, kind, number)[:_LOOKED_AT]:
            event = read(entry)
            if not all(CHECKS[fields[name].holds](value) for name, value in event.items()):
                return False
    except Exception:  # it is of another kind
        return False
    return True


def is_event(data: Any, profile: Profile) -> bool:
    """Tell whether data has what tells the events of one of a provider's kinds."""
    return any(of_kind(data, profile, kind) for kind in profile.kinds)


@functools.lru_cache(maxsize=256)
def told_by(profile: Profile, kind: str, number: int = 0) -> tuple[tuple[tuple[str | int, ...], str], ...]:
    """Return the places on file that tell a kind, with what stands there."""
    shape = shapes_of(profile, kind)[number]
    constants = shape.envelope if shape.each else shape.on_file().constants
    told = (constant for constant in constants if isinstance(constant.value, str) and not constant.varies)
    return tuple((constant.at.on_file, constant.value) for constant in told)


def of_kind(data: Any, profile: Profile, kind: str) -> bool:
    """Tell whether data has what tells the events of a kind, and nothing speaks against it."""
    return bool(told_by(profile, kind)) and _has_constants(data, profile, kind, 0)


def has_constants(data: Any, profile: Profile, kind: str) -> bool:
    """Tell whether data has the constants of one of a kind's shapes."""
    return any(_has_constants(data, profile, kind, number) for number in range(len(shapes_of(profile, kind))))


def _has_constants(data: Any, profile: Profile, kind: str, number: int) -> bool:
    shape = shapes_of(profile, kind)[number]
    if shape.each is not None:
        held = at_keys(data, shape.each.on_file)
        # What is encoded is a text, or whatever its form is.
        if held is MISSING or (not shape.levels and not isinstance(held, list)):
            return False
    return all(at_keys(data, keys) == value for keys, value in told_by(profile, kind, number))
