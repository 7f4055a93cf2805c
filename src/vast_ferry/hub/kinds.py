"""The kinds of events as a table: what each holds, how it is answered, and what follows from its kind alone."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from vast_ferry.hub.fields import DONE, EVENTS, HTTP_REPLY, Field


@dataclass(frozen=True, slots=True)
class KindOfEvent:
    """One kind of event.

    `answers` says that whoever sent it waits for a reply (else a handler only says what shall come again), `valued`
    that a handler's value goes back to the caller, `batched` that several may come at once. `prefix` stands before the
    names of what is made for it where several kinds stand together; the first kind of a project has none.
    """

    name: str
    fields: Mapping[str, Field]
    answers: bool = False
    valued: bool = False

    @property
    def batched(self) -> bool:
        return not self.answers

    @property
    def reply(self) -> Mapping[str, Field]:
        """Return what an answer holds."""
        return HTTP_REPLY if self.answers else DONE

    @property
    def prefix(self) -> str:
        return "" if self.answers else f"{self.name}_"

    @property
    def class_prefix(self) -> str:
        return "" if self.answers else self.name.title()

    def named(self, field: str) -> str:
        """Return what a field of this kind is called where several kinds are told of."""
        return field if self.answers else f"{self.name}.{field}"


KINDS: Final[Mapping[str, KindOfEvent]] = {
    name: KindOfEvent(name, fields, answers=name == "http", valued=name == "call") for name, fields in EVENTS.items()
}
#: The kind of a request that waits for its reply.
REQUEST: Final = "http"


def is_request(kind: str) -> bool:
    """Tell whether events of a kind are requests that wait for their reply."""
    return kind == REQUEST
