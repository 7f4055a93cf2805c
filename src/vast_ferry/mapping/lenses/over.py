"""Records that are told by what they have otherwise than another record of the same event."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Any, ClassVar, Final

from vast_ferry.mapping import helpers
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.lenses.lens import Lens, Need
from vast_ferry.mapping.losses import Fields, Loss

#: Records that others may be told by.
_RECORDS: Final = ("keys", "old", "new")


class Over(Lens):
    """A record of which only that is told which another has not, or has otherwise: `over(keys)`, `over(old)`."""

    __slots__ = ()
    name, takes, fewest, most, holds = "over", "keys, old or new", 1, 1, ("record",)
    wants_value = told_after_another = True
    reader: ClassVar[str] = "laid_over"
    writer: ClassVar[str] = "what_is_over"
    lost: ClassVar[tuple[str, str]] = ("it lacks a column that {} has", "it arrives with that column")

    @property
    def asks(self) -> tuple[str, ...]:
        return (self.args[0],)

    def wrong(self, fields: Collection[str]) -> str:
        if self.args[0] not in _RECORDS:
            return f"a record is told over keys, old or new, not over {self.args[0]}"
        return super().wrong(fields)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper(self.reader, at, need(self.args[0]))

    def write(self, value: Expression, need: Need) -> Expression:
        return helper(self.writer, value, need(self.args[0]))

    def losses(self, field: str) -> tuple[Loss, ...]:
        other = self.args[0]
        reader: Callable[..., Any] = getattr(helpers, self.reader)
        writer: Callable[..., Any] = getattr(helpers, self.writer)

        def changed(fields: Fields) -> bool:
            record, beside = fields.get(field), fields.get(other)
            return bool(reader(writer(record, beside), beside) != record)

        when, effect = self.lost
        return (Loss("columns-from-another", field, when.format(other), effect, changed, tried=True),)


class MergePatch(Over):
    """A record told as a JSON Merge Patch of another (RFC 7396), in which null takes a column away."""

    __slots__ = ()
    name, reader, writer = "merge_patch", "merge_patched", "merge_patch_of"
    lost = ("it holds null where {} is patched", "that column does not arrive")


class JsonPatch(Over):
    """A record told as a JSON Patch of another (RFC 6902): the operations that make it; null where there is none."""

    __slots__ = ()
    name, reader, writer = "json_patch", "json_patched", "json_patch_of"
    lost = ("it is not what the operations make of {}", "it arrives as another record")
