"""What objects of a project's classes keep under their attributes, and who else may reach it.

An object may keep the event, or what stands on the way to its parts: `self.event["verb"]` is then written as the target
has it, wherever it stands. That is right only where each read and each store of that attribute is known to be of such
an object. So a name is remembered that is asked of something of which we don't know what it is (`one.event`, `getattr`,
`del`), and a class whose objects are looked into as a whole (`vars(one)`, `asdict(one)`, `one.__dict__`): what stands
there is made as it was, and what was followed before that was known is followed again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from vast_ferry.translate.python.functions import NOTHING
from vast_ferry.translate.values import Clash, Foreign, Key, Value


class Kept:
    """What the attributes of all objects hold; whoever is told that something changed follows all once more."""

    def __init__(self, family: Callable[[Key], Iterable[Key]], join: Callable[[Value, Value], Value]) -> None:
        self._family, self._join = family, join
        self._held: dict[tuple[Key, str], Value] = {}
        self._asked: set[str] = set()  # names that are read from things unknown
        self._stored: set[str] = set()  # and that are given a value there
        self._open: set[Key] = set()  # classes whose objects are looked into as a whole
        self._all = False  # any name may be asked

    def keep(self, cls: Key, name: str, value: Value) -> bool:
        """Note what an attribute of a class's objects holds; tell whether that is new."""
        before = self._held.get((cls, name))
        joined = value if before is None else self._join(before, value)
        self._held[cls, name] = joined
        return joined != before

    def held(self, cls: Key, name: str) -> Value:
        """Return what an attribute of a class's objects holds, whichever class of its family stores it."""
        if self._all or name in self._stored:
            return NOTHING
        found: Value | None = None
        for one in sorted(self._family(cls)):
            value = self._held.get((one, name))
            if value is not None:
                found = value if found is None else self._join(found, value)
        return NOTHING if found is None else found

    def is_seen(self, cls: Key, name: str) -> bool:
        """Tell whether others than those who know what an object is may reach an attribute of it."""
        return self._all or name in self._asked or name in self._stored or cls in self._open

    def asked(self, name: str, *, stored: bool = False) -> bool:
        """Note that a name is asked of something unknown, or given a value there; tell whether that changes anything.

        An empty name is any.
        """
        names = self._stored if stored else self._asked
        if self._all or name in names:
            return False
        self._all = not name
        names.add(name)
        return self._forget(lambda _, kept: kept == name or not name, of_all=stored)

    def opened(self, cls: Key) -> bool:
        """Note that the objects of a class are looked into as a whole; tell whether that changes anything."""
        if cls in self._open:
            return False
        family = set(self._family(cls))
        self._open |= family
        return self._forget(lambda kept, _: kept in family)

    def _forget(self, which: Callable[[Key, str], bool], *, of_all: bool = False) -> bool:
        """Drop what was kept, of the event's or of anything; tell whether there was something."""
        gone = [
            key for key, value in self._held.items() if which(*key) and (of_all or isinstance(value, (Foreign, Clash)))
        ]
        for key in gone:
            del self._held[key]
        return bool(gone)
