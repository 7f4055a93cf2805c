"""Calls on services that handlers make step by step: `open("hold:a").crate(key).read()` is one call."""

from __future__ import annotations

from typing import Any


class Chained:
    """What a call on a service gives until the whole call is made: it knows what was told so far.

    `ways` are (steps, function): a step is ("attr", name) or ("call", parameters). A parameter is ("given", name,
    default), of which the default may be missing; ("text", before, name, after), a text in which a name may stand; or
    ("keys", name), all arguments by keyword that are no other's.
    """

    def __init__(
        self, ways: list[tuple[tuple[Any, ...], Any]], at: int = 0, told: dict[str, Any] | None = None
    ) -> None:
        self._ways_of, self._at_step, self._told_yet = ways, at, told or {}

    def __getattr__(self, name: str) -> Chained:
        fits = [way for way in self._ways_of if way[0][self._at_step : self._at_step + 1] == (("attr", name),)]
        if not fits:
            raise AttributeError(f"{name}: the provider's profile knows no such call")
        return Chained(fits, self._at_step + 1, self._told_yet)

    def __call__(self, *given: Any, **named: Any) -> Any:
        fits = []
        for steps, function in self._ways_of:
            step = steps[self._at_step] if self._at_step < len(steps) else ("", ())
            told = bound_to(step[1], given, named) if step[0] == "call" else None
            if told is not None:
                fits.append((steps, function, {**self._told_yet, **told}))
        whole = [one for one in fits if len(one[0]) == self._at_step + 1]
        if whole:
            return whole[0][1](**whole[0][2])
        if not fits:
            raise TypeError(f"no call of the provider takes {len(given)} arguments and {sorted(named)} by name here")
        return Chained([(steps, function) for steps, function, _ in fits], self._at_step + 1, fits[0][2])

    def __enter__(self) -> Any:
        return self.__getattr__("__enter__")()

    def __exit__(self, *_: object) -> None:
        """Do nothing: what a provider does at the end shows in no effect."""

    async def __aenter__(self) -> Any:
        return self.__getattr__("__aenter__")()

    async def __aexit__(self, *_: object) -> None:
        """Do nothing, as `__exit__`."""

    def __getitem__(self, key: Any) -> Any:
        return self.__getattr__("__getitem__")(key)

    def __setitem__(self, key: Any, value: Any) -> None:
        self.__getattr__("__setitem__")(key, value)

    def __delitem__(self, key: Any) -> None:
        self.__getattr__("__delitem__")(key)

    def __contains__(self, key: Any) -> bool:
        return bool(self.__getattr__("__contains__")(key))


def bound_to(parameters: tuple[Any, ...], given: tuple[Any, ...], named: dict[str, Any]) -> dict[str, Any] | None:
    """Return what arguments tell of the parameters of one step, by name; nothing where they don't fit."""
    told: dict[str, Any] = {}
    left, more = list(given), dict(named)
    for kind, *about in parameters:
        if kind == "keys":
            told[about[0]], more = more, {}
        elif kind == "text":
            before, name, after = about
            text = left.pop(0) if left else None
            held = text[len(before) : len(text) - len(after)] if isinstance(text, str) else ""
            if text != f"{before}{held}{after}" or bool(held) != bool(name):
                return None
            told |= {name: held} if name else {}
        elif left:
            told[about[0]] = left.pop(0)
        elif about[0] in more:
            told[about[0]] = more.pop(about[0])
        elif len(about) > 1:
            told[about[0]] = about[1]
        else:
            return None
    return None if left or more else told
