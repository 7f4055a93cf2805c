"""What came of a call: what it answered or how it failed, what it did to the outside, what was printed and logged."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, Final

from vast_ferry.hub.http import HttpReply
from vast_ferry.hub.operations import Effect

#: What a handler raises that has no other way to say that its event shall come again.
NOT_DONE: Final = "not done: it shall come again"


class Ending(StrEnum):
    """How a call ended."""

    REPLIED = "replied"  # to an HTTP request
    RETURNED = "returned"  # a value, to a direct call
    ACKNOWLEDGED = "acknowledged"  # the events are done with
    PARTLY_FAILED = "partly failed"  # some events of a batch shall be delivered again
    FAILED = "failed"  # the handler raised, or answered what its provider does not take, or wants all again
    EXITED = "exited"  # the handler asked the interpreter to end
    TIMED_OUT = "timed out"
    DIED = "died"  # the handler took its process down
    NOT_LOADED = "not loaded"  # the handler's file could not be imported


@dataclass(frozen=True, slots=True)
class Outcome:
    """The end of one call: `reply`, `value`, or the ids of events to deliver `again`; or an `error` and where it was.

    `effects` are what it did to the outside, in order; `unseen` what it started that can do things which nobody sees,
    each with the line that starts it. `reached` is what of the project ran, by file, where that is measured.
    """

    ending: Ending
    reply: HttpReply | None = None
    error: str = ""
    message: str = ""
    trace: str = ""
    output: str = ""
    logs: list[str] = field(default_factory=list)
    seconds: float = 0.0
    value: Any = None
    again: tuple[str, ...] = ()
    effects: tuple[Effect, ...] = ()
    unseen: tuple[tuple[str, str], ...] = ()
    reached: Mapping[str, Sequence[Any]] = field(
        default_factory=dict, compare=False, repr=False
    )  # where it is measured

    def __str__(self) -> str:
        if self.reply is not None:
            text = f"replied {self.reply.status}"
        elif self.ending is Ending.PARTLY_FAILED:
            text = f"partly failed, {', '.join(self.again)} again"
        elif self.ending is Ending.FAILED and self.again and not self.error:
            text = f"failed, {', '.join(self.again)} again"
        else:
            text = ": ".join(part for part in (str(self.ending), self.error, self.message) if part)
        return f"{text}, {len(self.effects)} effect{'s' * (len(self.effects) != 1)}" if self.effects else text
