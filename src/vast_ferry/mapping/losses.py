"""What a form can't hold: data beside the lens or the rule that loses it, so that no report is written by hand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

Fields = dict[str, Any]


#: The code of what pairs lose that hold the texts by which they are told apart.
PAIRS_UNREADABLE: Final = "pairs-unreadable"


@dataclass(frozen=True, slots=True)
class Loss:
    """One thing that a form can't hold: `when` (empty: always), what comes of it, and whether a sample meets it.

    `applies` takes the truths of an event (or a reply) by name. `harmless` losses keep the meaning that the field's
    standard gives it. `unless` names what a server may offer that avoids the loss. `degree` is how much is lost, of two
    losses with the same code the more the higher. One that is `tried` looks at what comes back, so it says no more.
    Where one that is `unreadable` applies, the event may be refused where it is read.
    """

    code: str
    field: str
    when: str
    effect: str
    applies: Callable[[Fields], bool]
    harmless: bool = False
    unless: str = ""
    degree: int = 0
    tried: bool = False
    unreadable: bool = False

    def comes_after(self, other: Loss) -> bool:
        """Tell whether nothing of this loss is left to see once another has happened: the same, and as much or more.

        What only respells is the same only if it spells alike.
        """
        if self.tried:
            return False
        alike = (self.code, self.field) == (other.code, other.field) and other.unless in ("", self.unless)
        return alike and (other.degree == self.degree if self.harmless else other.degree >= self.degree)

    @property
    def reason(self) -> str:
        """Return what comes of it, and when, as a clause."""
        return f"when {self.when}, {self.effect}" if self.when else self.effect

    def __str__(self) -> str:
        return f"{self.field}: {self.reason}"


def by_trying(field: str, back: Callable[[Any], Any], when: str, effect: str, code: str = "value-reshaped") -> Loss:
    """Return the loss of a field that comes back as another value; `back` writes it and reads it again."""

    def changed(fields: Fields) -> bool:
        try:
            return bool(back(fields[field]) != fields[field])
        except (ValueError, TypeError, KeyError, AttributeError, RecursionError):
            return True  # what can't be read back does not arrive

    return Loss(code, field, when, effect, changed, tried=True)


def missing(field: str, meaning: str, default: object, view: Callable[[Fields], Any] | None = None) -> Loss:
    """Return the loss of a field that a shape has no place for at all; `view` gives one that is no truth."""
    return Loss(
        f"no-{field.replace('.', '-').replace('_', '-')}",
        field,
        "",
        f"it does not arrive ({meaning})",
        lambda fields: (view(fields) if view is not None else fields.get(field, default)) != default,
    )


#: What a handler of batches meets where events come one at a time: `batch` is the number of events, beside the truths.
SPLIT = Loss(
    "batch-split",
    "batch",
    "a batch holds several events",
    "the handler is called once for each, and a failure concerns that event alone",
    lambda fields: fields.get("batch", 1) > 1,
    harmless=True,
)


def repeats(pairs: Any) -> bool:
    """Tell whether a name stands more than once among `pairs`, without case."""
    names = [name.lower() for name, _ in pairs]
    return len(set(names)) != len(names)


@dataclass(frozen=True, slots=True)
class Broken:
    """A law that does not hold: which, for which kind of event, how, and the smallest event that shows it."""

    law: str
    kind: str
    why: str
    event: Fields
