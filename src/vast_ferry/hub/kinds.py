"""The kinds of events as a table: what each holds, how it is answered, and what follows from its kind alone."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from vast_ferry.hub.fields import DONE, EVENTS, HTTP_REPLY, Field


@dataclass(frozen=True, slots=True)
class KindOfEvent:
    """One kind of event: what it holds and what an answer to it holds.

    A `request` waits for its reply; of every other kind a handler only says what shall come again, and several may come
    at once.
    """

    name: str
    fields: Mapping[str, Field]
    request: bool = False
    alone: bool = False  # one event is one call, for somebody waits for what it gives

    @property
    def reply(self) -> Mapping[str, Field]:
        """Return what an answer holds."""
        return HTTP_REPLY if self.request else DONE

    @property
    def prefix(self) -> str:
        """Return what stands before the names of what is made for it, where several kinds stand together."""
        return "" if self.request else f"{self.name}_"

    def named(self, field: str) -> str:
        """Return what a field of it is called where several kinds are told of."""
        return field if self.request else f"{self.name}.{field}"


#: The kind of a request that waits for its reply.
REQUEST: Final = "http"

KINDS: Final[Mapping[str, KindOfEvent]] = {
    name: KindOfEvent(name, fields, request=name == REQUEST, alone=name in (REQUEST, "call"))
    for name, fields in EVENTS.items()
}


def is_request(kind: str) -> bool:
    """Tell whether events of a kind are requests that wait for their reply."""
    return kind == REQUEST
