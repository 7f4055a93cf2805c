"""Forms of values by name: variables, secrets by reference, values of which each name may have several."""

from __future__ import annotations

import re
from typing import Any

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.forms import Form, FormError, got, listed, scalar_of, text_of


class Entries(Form):
    """Names and values as a list: `entries('k', 'v')`, the keys of each; those without the second are another row's."""

    __slots__ = ()
    name, takes, wants = "entries", 2, "the keys of a name and of a value"

    def read(self, value: Any, field: str) -> dict[str, str]:
        name, held = self.args
        if not isinstance(value, list) or not all(isinstance(one, dict) and name in one for one in value):
            raise FormError(f"expected a list of entries, each with {name}")
        # A name alone has an empty value.
        return {text_of(one[name]): scalar_of(one.get(held, "")) for one in value if held in one or len(one) == 1}

    def write(self, value: dict[str, str]) -> list[dict[str, str]]:
        return [{self.args[0]: name, self.args[1]: held} for name, held in value.items()]


class Assignments(Form):
    """Names and values as a list of texts, or as lines of one: `NAME=value`; a list is written.

    `assignments(lines)` writes one text, `assignments(':')` has another mark.
    """

    __slots__ = ()
    name, may_take, wants = "assignments", 2, "nothing, or lines and a mark"

    @property
    def _mark(self) -> str:
        return next((one for one in self.args if one != "lines"), "=")

    def read(self, value: Any, field: str) -> dict[str, str]:
        listed = value
        if isinstance(value, str):
            listed = [line for line in value.splitlines() if line.strip() and not line.startswith("#")]
        if not isinstance(listed, list) or not all(isinstance(one, str) and self._mark in one for one in listed):
            raise FormError(f"expected texts such as NAME{self._mark}value")
        parts = [one.partition(self._mark) for one in listed]
        return {name.strip(): held for name, _, held in parts}

    def write(self, value: dict[str, str]) -> Any:
        listed = [f"{name}{self._mark}{held}" for name, held in value.items()]
        if "lines" not in self.args:
            return listed
        if any("\n" in one for one in listed):
            raise CannotHold("a value has several lines")
        return "".join(f"{one}\n" for one in listed)


class Under(Form):
    """Secrets as mappings with a reference: `under('secret')` reads `KEY: {secret: vault/key}`."""

    __slots__ = ()
    name, takes, wants = "under", 1, "the key of a reference"

    def takes_part(self, value: Any) -> frozenset[str]:
        held = value.items() if isinstance(value, dict) else ()
        return frozenset(name for name, one in held if isinstance(one, dict) and self.args[0] in one)

    def read(self, value: Any, field: str) -> dict[str, str]:
        if not isinstance(value, dict):
            raise FormError("expected a mapping from names to references")
        for name, one in value.items():
            if not isinstance(one, dict) or list(one) != [self.args[0]] or not isinstance(one[self.args[0]], str):
                raise FormError(f"{name} is not a reference ({self.args[0]}: …): a secret's value must not stand here")
        return {name: one[self.args[0]] for name, one in value.items()}

    def write(self, value: dict[str, str]) -> dict[str, dict[str, str]]:
        return {name: {self.args[0]: reference} for name, reference in value.items()}


class Reference(Form):
    """Secrets by reference: name → reference behind a fixed beginning. A value that is no reference is never kept."""

    __slots__ = ()
    name, takes, wants = "reference", 1, "the beginning of a reference"

    def takes_part(self, value: Any) -> frozenset[str]:
        held = value.items() if isinstance(value, dict) else ()
        return frozenset(name for name, one in held if isinstance(one, str) and one.startswith(self.args[0]))

    def read(self, value: Any, field: str) -> dict[str, str]:
        if not isinstance(value, dict):
            raise FormError("expected a mapping from names to references")
        for name, reference in value.items():
            # The value is not shown: it may be the secret itself.
            if not isinstance(reference, str) or not re.fullmatch(
                rf"{re.escape(self.args[0])}[A-Za-z0-9_./-]+", reference
            ):
                raise FormError(f"{name} is not a reference ({self.args[0]}…): a secret's value must not stand here")
        return {name: reference.removeprefix(self.args[0]) for name, reference in value.items()}

    def write(self, value: dict[str, str]) -> dict[str, str]:
        return {name: f"{self.args[0]}{reference}" for name, reference in value.items()}


class Settings(Form):
    """Variables that are texts, numbers or booleans there; what is carried is their text, `true` and `false`."""

    __slots__ = ()
    name = "settings"

    def read(self, value: Any, field: str) -> Any:
        if not isinstance(value, dict):
            raise FormError(f"expected a mapping, got {got(value)}")
        told = {key: str(one).lower() if isinstance(one, bool) else one for key, one in value.items()}
        return Form.read(self, told, field)


class Names(Form):
    """Secrets by their own names, as a list: each is asked for by its name, which is its reference too."""

    __slots__ = ()
    name = "names"

    def read(self, value: Any, field: str) -> dict[str, str]:
        names = [one.get("name", "") if isinstance(one, dict) else one for one in _entries(value)]
        if not all(names):
            raise FormError(f"expected a list of names, got {got(value)}")
        return {name: name for name in listed(names)}

    def write(self, value: dict[str, str]) -> list[str]:
        return list(value)


class Grouped(Form):
    """Names with the values that each may have, one entry a value: `grouped('name', 'value')`, the keys of an entry."""

    __slots__ = ()
    name, takes, wants = "grouped", 2, "the keys of a name and of a value"

    def read(self, value: Any, field: str) -> dict[str, tuple[str, ...]]:
        name, held = self.args
        made: dict[str, tuple[str, ...]] = {}
        for one in value if isinstance(value, list) else [value]:
            if not isinstance(one, dict) or not isinstance(one.get(name), str) or not isinstance(one.get(held), str):
                raise FormError(f"expected entries of {name} and {held}, got {got(one)}")
            made[one[name]] = (*made.get(one[name], ()), one[held])
        return made

    def write(self, value: dict[str, tuple[str, ...]]) -> list[dict[str, str]]:
        return [{self.args[0]: name, self.args[1]: one} for name, held in value.items() for one in held]


def _entries(value: Any) -> list[Any]:
    return value if isinstance(value, list) else [value]
