"""Forms one after another, from what stands at the place to what the hub holds: `base64 | gzip | json_bytes`."""

from __future__ import annotations

import builtins
from collections.abc import Callable
from typing import Any, Final

from vast_ferry.hub.fields import Field
from vast_ferry.mapping import helpers
from vast_ferry.mapping.expressions import Expression
from vast_ferry.mapping.lenses.lens import Formed, Lens, Need
from vast_ferry.mapping.losses import Loss, by_trying

MOMENT: Final = "2027-03-14T09:26:53Z"
#: Values that a field may well have, by what it holds.
_TRIED: Final[dict[str, tuple[Any, ...]]] = {
    "text": ("a", "7"),
    "bytes": (b"7", b'{"a":7}'),
    "integer": (7,),
    "integer or nothing": (7,),
    "number": (7.5,),
    "pairs": ([("a", "7")],),
    "texts": ({"a": "7"},),
    "record": ({"a": "7"}, {"a": 7}),
    "value": ({"a": "7"}, [7]),
    "list of text": (["a=7"],),
}


class Pipeline(Lens):
    """One form after another, from what stands at the place to what the hub holds: `base64 | gzip | json_bytes`."""

    __slots__ = ()

    @property
    def parts(self) -> tuple[Lens, ...]:
        """Return the forms, the one at the place first."""
        return self.args

    @property
    def asks(self) -> tuple[str, ...]:
        return tuple(field for part in self.parts for field in part.asks)

    @property
    def of_names(self) -> Callable[[str], bool] | None:
        return self.parts[0].of_names

    @property
    def may_leave(self) -> bool:
        return any(part.may_leave for part in self.parts)

    def not_taken(self, value: Any) -> tuple[str, ...]:
        for part in self.parts:
            left = part.not_taken(value)
            if left or not hasattr(part, "reader") or part.needs:
                return left
            value = _applied(part, "reader", value)
        return ()

    @property
    def last(self) -> Lens:
        """Return the form that gives what the hub holds."""
        return self.parts[-1]

    name = ""  # no profile says it by itself

    # What a class says of a form, this one says of its parts.
    flagged = property(lambda self: any(part.flagged for part in self.parts))
    spread = property(lambda self: self.parts[0].spread)
    holds = property(lambda self: self.last.holds)
    derived_only = property(lambda self: any(part.derived_only for part in self.parts))
    awaited = property(lambda self: any(part.awaited for part in self.parts))
    needs = property(lambda self: tuple(field for part in self.parts for field in part.needs))
    told_after_another = property(lambda self: any(part.told_after_another for part in self.parts))
    by_hand = property(lambda self: all(part.by_hand for part in self.parts))
    holds_text = property(lambda self: any(part.holds_text for part in self.parts))
    wants_value = True

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        for part in self.parts:
            at = part.read(at, flag if part.flagged else None, need)
        return at

    def write(self, value: Expression, need: Need) -> Expression:
        for part in reversed(self.parts):
            value = part.write(value, need)
        return value

    def on_file(self) -> Lens:
        return Pipeline((self.parts[0].on_file(), *self.parts[1:]))

    def exact(self) -> Lens:
        return Pipeline(tuple(part.exact() for part in self.parts))

    def losses(self, field: str) -> tuple[Loss, ...]:
        alike = [
            part for part in self.parts if not part.holds or part.sets_apart or set(part.holds) & set(self.last.holds)
        ]
        tried = (by_trying(field, self.back, _UNSEEN, "another value arrives"),) if self.last.tries else ()
        return (*(loss for part in alike for loss in part.losses_by(field, self.back)), *tried)

    def back(self, value: Any) -> Any:
        """Return what a value is when it was written and is read again, for forms that need no other field."""
        for part in reversed(self.parts):
            value = _applied(part, "writer", value)
        for part in self.parts:
            value = _applied(part, "reader", value)
        return value

    def breaks(self, field: Field) -> str:
        """Return why no value of a field can go through these forms and back: one takes what another never gives."""
        if not all(isinstance(part, Formed) for part in self.parts) or self.needs or self.asks:
            return ""
        found = ""
        for value in (*_TRIED.get(field.holds, ()), *([MOMENT] if field.name in ("time", "due") else [])):
            try:
                came = self.back(value)
            except Exception as error:
                # Another error may well say that this very value has no place there.
                shape = isinstance(error, TypeError | AttributeError) or "unpack" in str(error)
                found = found or (self._where(value) if shape else "")
            else:
                if type(came) is type(value):
                    return ""
                found = found or f"{value!r} comes back as {came!r}"
        return found

    def _where(self, value: Any) -> str:
        """Return which two of the forms don't follow on each other, by a value that is written and read again."""
        steps = [(part, "writer") for part in reversed(self.parts)] + [(part, "reader") for part in self.parts]
        before = None
        for part, way in steps:
            try:
                value = _applied(part, way, value)
            except Exception:
                given = f"{value!r}"[:60]
                told = f"what {before.name} gives" if before is not None else "a value of the field"
                return f"{part.name} can't take {told}, such as {given}"
            before = part
        return ""

    def __str__(self) -> str:
        return " | ".join(map(str, self.parts))


_UNSEEN: Final = "what stands there can't hold all that it holds"


def _applied(part: Lens, way: str, value: Any) -> Any:
    told = part.told() if isinstance(part, Formed) else ()
    name = getattr(part, way)
    return getattr(helpers, name)(value, *told) if hasattr(helpers, name) else getattr(builtins, name)(value)
