"""What came of a call: a reply, or how it failed, with what was printed and logged on the way."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum

from vast_ferry.hub.http import HttpReply


class Ending(StrEnum):
    """How a call ended."""

    REPLIED = "replied"
    FAILED = "failed"  # the handler raised, or answered what its provider does not take
    EXITED = "exited"  # the handler asked the interpreter to end
    TIMED_OUT = "timed out"
    DIED = "died"  # the handler took its process down
    NOT_LOADED = "not loaded"  # the handler's file could not be imported


@dataclass(frozen=True, slots=True)
class Outcome:
    """The end of one call: `reply` if it replied, else `error` (type and message) and where it was raised."""

    ending: Ending
    reply: HttpReply | None = None
    error: str = ""
    message: str = ""
    trace: str = ""
    output: str = ""
    logs: list[str] = field(default_factory=list)
    seconds: float = 0.0

    def __str__(self) -> str:
        if self.reply is not None:
            return f"replied {self.reply.status}"
        return ": ".join(part for part in (str(self.ending), self.error, self.message) if part)
