"""What a function can reach: by calls, by names, by attributes of modules and classes, and by what those may hold."""

from __future__ import annotations

from collections.abc import Iterable

from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import Function
from vast_ferry.translate.python.holders import Holders
from vast_ferry.translate.values import Key


class Reach:
    """Tells what functions reach; what was found is kept until `forget`, as following finds more."""

    def __init__(self, flow: Flow) -> None:
        self.flow = flow
        self._mentioned: dict[Key, list[Key]] = {}
        self._inner: dict[Key, list[Function]] | None = None
        self._holders: Holders | None = None

    def forget(self) -> None:
        """Look anew at what functions mention."""
        self._mentioned = {}

    def of(self, start: Iterable[Key]) -> dict[Key, None]:
        """Return what can be reached, each once and in a fixed order."""
        found: dict[Key, None] = {}
        waiting = list(start)
        while waiting:
            key = waiting.pop()
            if key in found or key not in self.flow.functions:
                continue
            found[key] = None
            waiting += self._mentions(key)
        return found

    def _mentions(self, key: Key) -> list[Key]:
        function = self.flow.functions[key]
        if key in self._mentioned:
            return self._mentioned[key]
        # A decorator's function hands on to the handler that it stands before: which, says who is decorated.
        made: list[Key] = [key for key in function.callees if key not in function.stands_before]
        made += function.together
        made += [inner.key for inner in self._inside().get(key, ())]
        decorators = (self.flow.decorator(function.module, one) for one in function.node.decorator_list)
        made += [one.key for one in decorators if one is not None]
        if self._holders is None:  # once all files are linked
            self._holders = Holders(self.flow)
        mentioned = self._holders.mentioned_in(function)
        made += mentioned.functions
        for holder in mentioned.holders:
            made += self._holders.held(holder)
        self._mentioned[key] = made
        return made

    def _inside(self) -> dict[Key, list[Function]]:
        """Return the functions inside each function."""
        if self._inner is None:
            self._inner = {}
            for function in self.flow.functions.values():
                if function.outer is not None:
                    self._inner.setdefault(function.outer.key, []).append(function)
        return self._inner
