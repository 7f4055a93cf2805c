"""Why a handler in JavaScript is left as it is, a part of it is, or it has to be followed under other names."""

from __future__ import annotations

from vast_ferry.documents.javascript_file import Node
from vast_ferry.hub.findings import FerryError


class Stop(FerryError):
    """Why a handler is left as it is; `node` is where, if it is one place."""

    def __init__(self, why: str, node: Node | None = None) -> None:
        super().__init__(why)
        self.why, self.node = why, node


class Whole(FerryError):
    """A use of a parameter that is not understood: it is made whole. `node` is where, the message why."""

    def __init__(self, node: Node, why: str) -> None:
        super().__init__(why)
        self.node, self.why = node, why


class Inside(FerryError):
    """Why what is inside a function around a handler has to stay as it is.

    `caught` where that begins with the outermost function that catches what is thrown inside.
    """

    def __init__(self, why: str, *, caught: bool = False) -> None:
        super().__init__(why)
        self.why, self.caught = why, caught


class Clash(FerryError):
    """What a handler is handed at the target is called as something is that the handler knows."""

    def __init__(self, names: set[str]) -> None:
        super().__init__(", ".join(sorted(names)))
        self.names = names
