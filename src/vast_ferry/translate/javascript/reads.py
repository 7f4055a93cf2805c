"""What is read of the event in JavaScript, and whether somebody could tell that it is made anew at each read.

What can be changed is one thing at the source, however often it is read. Nobody can tell where it is only looked at
(`looking`), or read once. Where somebody could, it is read once, or made whole (`follow`).
"""

from __future__ import annotations

from dataclasses import dataclass

from vast_ferry.documents.javascript_file import Node
from vast_ferry.mapping.places import Call
from vast_ferry.translate.javascript.batches import Batches
from vast_ferry.translate.javascript.handed import again_and_again
from vast_ferry.translate.javascript.looking import Looks
from vast_ferry.translate.javascript.places import Part
from vast_ferry.translate.javascript.stops import Whole


@dataclass(slots=True)
class Read:
    """A read of what stands at a place: the node that gives it, and how it is used."""

    node: Node
    part: Part
    unpacked: bool = False
    handed: bool = False  # it is handed to a helper
    looked_at: bool = False  # and that only looks at it
    once: bool = False  # and that calls it once at most
    listed: bool = False  # it is handed over in a list that is made once


class Reads(Batches):
    """What a follower knows of the reads that it found."""

    reads: dict[str, list[Read]]  # of the parameter that is followed, by the place
    every_read: dict[str, list[Read]]  # of all parameters
    calls: tuple[Node, ...]  # of the function that this one is around
    inner: set[int]
    changes: bool  # whether what is read may be changed where it stands
    theirs: frozenset[str]  # names by which the function has what is the provider's

    def _read_several_times(self) -> set[str]:
        """Return the places where somebody could tell a value that is made at each read from one that is there once."""
        found = set()
        for at, reads in self.reads.items():
            part = reads[0].part
            if self.places.unchanging(part) or (part.row is not None and self._is_call(part)):
                continue
            deep = part.row is not None and self.places.ours.fields[part.row.field].holds in ("record", "value")
            for one in reads:
                if self._only_looked_at(one, deep=deep):
                    continue
                made_there = part.row is not None and part.row.lens.content == "json"  # of its text, at each call
                self.changes = self.changes or not made_there
                handed = one.handed and not (one.listed or one.once)
                several = handed or len(reads) > 1 or (bool(self.inner) and not made_there)
                told_too = not made_there and self._told_elsewhere_too(part)
                if told_too or several or again_and_again(one.node, self.function, self.once):
                    if told_too or is_called(part):  # another each time, here and there
                        raise Whole(one.node, "what stands there may be changed, and is read more than once")
                    found.add(at)
        return found

    def _only_looked_at(self, read: Read, *, deep: bool) -> bool:
        if read.handed:
            return read.looked_at
        looker = Looks(self.file, self.scopes, self.places.modules, (self.function, self.theirs))
        return looker.names(read.node, deep=deep) if read.unpacked else looker.at(read.node, deep=deep)

    def _told_elsewhere_too(self, part: Part) -> bool:
        """Tell whether something else that is read is made of what a method gives: `read()` and `text()`."""
        others = [reads[0].part for at, reads in self.reads.items() if at != str(part.at)]
        row = part.row
        return is_called(part) and any(
            row is not None and one.row is not None and one.row.field == row.field and is_called(one) for one in others
        )

    def reads_behind_a_call(self) -> bool:
        """Tell whether something is read when the function inside has run already, which may have changed it."""
        first = min((call for call in self.calls), default=None, key=lambda one: int(one.start_byte))
        every = [one.node for reads in self.every_read.values() for one in reads]
        return first is not None and any(
            one.end_byte > first.start_byte or again_and_again(one, self.function, set()) for one in every
        )

    def _is_call(self, part: Part) -> bool:
        assert part.row is not None
        return self.places.ours.fields[part.row.field].holds == "call"


def is_called(part: Part) -> bool:
    """Tell whether a part is what a method gives."""
    return any(isinstance(step, Call) for step in part.at.steps)
