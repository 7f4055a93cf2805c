"""What a lens is: how a value stands at a native place, both ways; and the plainest ones."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

from vast_ferry.mapping.losses import Loss
from vast_ferry.mapping.nodes import Node, call, literal

Need = Callable[[str], Node]


class LensError(ValueError):
    """A lens that does not exist or was given what it does not take."""


@dataclass(frozen=True, slots=True)
class Lens:
    """A form of a value at a native place; this one is the value itself.

    `args` are as the row gives them. `flag` says that the form needs a second place; `spread` that it fills several
    items of the mapping at its place; `holds` lists the kinds of hub fields it is for (empty: any).
    """

    args: tuple[str, ...] = ()
    options: tuple[tuple[str, str], ...] = ()

    name: ClassVar[str] = "plain"
    takes: ClassVar[str] = ""
    fewest: ClassVar[int] = 0
    most: ClassVar[int] = 0
    named: ClassVar[bool] = False
    names: ClassVar[bool] = False  # options become names in generated code
    holds: ClassVar[tuple[str, ...]] = ()
    needs: ClassVar[tuple[str, ...]] = ()
    flagged: ClassVar[bool] = False
    spread: ClassVar[bool] = False
    derived_only: ClassVar[bool] = False
    folded: ClassVar[bool] = False  # reads names in lower case that don't repeat
    reads_only: ClassVar[bool] = False  # another row fills its place
    awaited: ClassVar[bool] = False  # reading it is awaited

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        """Return the hub value of what stands at the place."""
        return at

    def write(self, value: Node, need: Need) -> Node:
        """Return what stands at the place for a hub value."""
        return value

    def write_folded(self, value: Node, need: Need) -> Node:
        """Return what stands at the place for pairs whose names are in lower case and don't repeat."""
        return self.write(value, need)

    def write_flag(self, value: Node, need: Need) -> Node:
        """Return what stands at the second place."""
        raise NotImplementedError

    def told_text(self, at: Node, flag: Node | None) -> Node:
        """Return an expression that tells whether the content at the place was given as text."""
        return literal(True)

    def on_file(self) -> Lens:
        """Return the lens for the same place in an event on file, which is JSON."""
        return self

    def exact(self) -> Lens:
        """Return the lens that keeps decimals as they were written, for what is only passed on."""
        return self

    def losses(self, field: str) -> tuple[Loss, ...]:
        """Return what this form can't hold of `field`."""
        return ()

    def __str__(self) -> str:
        inner = ", ".join([*self.args, *(f"{key}={value}" for key, value in self.options)])
        return f"{self.name}({inner})" if inner else self.name


class TwoHelpers(Lens):
    """A lens that is one helper each way."""

    __slots__ = ()
    reader: ClassVar[str]
    writer: ClassVar[str]

    def read(self, at: Node, flag: Node | None, need: Need) -> Node:
        return call(self.reader, at, *(need(field) for field in self.needs))

    def write(self, value: Node, need: Need) -> Node:
        return call(self.writer, value, *(need(field) for field in self.needs))


class FileBytes(TwoHelpers):
    """Bytes in JSON: text if they are UTF-8, else `{"base64": …}`."""

    __slots__ = ()
    name, holds, reader, writer = "file_bytes", ("bytes",), "bytes_on_file", "file_bytes"


class Plain(Lens):
    """The value itself."""

    __slots__ = ()


class PlainBytes(Lens):
    """Bytes as they are."""

    __slots__ = ()
    name, holds = "bytes", ("bytes",)

    def on_file(self) -> Lens:
        return FileBytes()
