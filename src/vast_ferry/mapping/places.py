"""Places: access paths from a parameter into a provider's native shape, written as a subset of Python expressions.

`event["call"]["verb"]`, `request.verb`, `request.params.one(name)`, `reply` are places. One grammar serves reading,
writing, and events on file; what a place means for each stands with whoever uses it.
"""

from __future__ import annotations

import ast
from dataclasses import dataclass, field, replace

from vast_ferry.hub.findings import FerryError
from vast_ferry.mapping.lenses.lens import Lens


@dataclass(frozen=True, slots=True)
class Item:
    """A step into a mapping or a sequence: `["key"]`."""

    key: str | int

    def after(self, expression: str) -> str:
        return f"{expression}[{self.key!r}]"


@dataclass(frozen=True, slots=True)
class Attr:
    """A step to an attribute: `.name`."""

    name: str

    def after(self, expression: str) -> str:
        return f"{expression}.{self.name}"


@dataclass(frozen=True, slots=True)
class Call:
    """A call; `parameters` as they would stand in a definition (`name`, `**more`), empty for a plain read.

    An `awaited` one is written `(await place())`.
    """

    parameters: tuple[str, ...] = ()
    awaited: bool = False

    def after(self, expression: str) -> str:
        called = f"{expression}({', '.join(self.parameters)})"
        return f"(await {called})" if self.awaited else called


@dataclass(frozen=True, slots=True)
class Through:
    """A step into what is encoded: what a `lens` makes of what stands there."""

    lens: Lens

    def after(self, expression: str) -> str:
        return f"({expression} | {self.lens})"


@dataclass(frozen=True, slots=True)
class Function:
    """A step that is a function of what a handler is handed: its `name`, the `module` that has it, what it takes."""

    name: str
    module: str
    parameters: tuple[str, ...]
    awaited: bool = False

    def after(self, expression: str) -> str:
        called = f"{self.name}({', '.join(self.parameters)})"
        return f"(await {called})" if self.awaited else called


Step = Item | Attr | Call | Through | Function


@dataclass(frozen=True, slots=True)
class Access:
    """A parameter's name and the steps from it; `gently`: anything on the way may be missing or nothing."""

    root: str
    steps: tuple[Step, ...] = ()
    gently: bool = field(default=False, compare=False)

    def __str__(self) -> str:
        text = self.root
        for step in self.steps:
            text = step.after(text)
        return text

    @property
    def on_file(self) -> tuple[str | int, ...]:
        """Return the keys under which this place stands in an event on file: a call is kept as `name()`."""
        keys: list[str | int] = []
        for step in self.steps:
            if isinstance(step, Item):
                keys.append(step.key)
            elif isinstance(step, Attr):
                keys.append(step.name)
            elif isinstance(step, Call):
                keys[-1] = f"{keys[-1]}()"
            else:
                break  # what is encoded has no keys
        return tuple(keys)

    def gentle(self, root: str = "") -> str:
        """Return the source of what stands at a place of which it is not known whether it is there, None if not."""
        steps = [step.key if isinstance(step, Item) else f".{getattr(step, 'name', '')}" for step in self.steps]
        return f"gently({', '.join([root or self.root, *map(repr, steps)])})"

    def filed(self, root: str, before: tuple[str, ...] = ()) -> Access:
        """Return the place where this one stands in an event on file: attributes are items, a call is `name()`."""
        steps: list[Step] = [Item(name) for name in before]
        for step in self.steps:
            if isinstance(step, Attr):
                steps.append(Item(step.name))
            elif isinstance(step, Call):
                last = steps[-1]
                steps[-1] = Item(f"{last.key}()") if isinstance(last, Item) else last
            elif isinstance(step, Through):
                steps.append(Through(step.lens.on_file()))
            else:
                steps.append(step)
        return Access(root, tuple(steps), self.gently)


class PlaceError(FerryError, ValueError):
    """A place that can't be understood; `column` counts from 1."""

    def __init__(self, message: str, column: int) -> None:
        super().__init__(message)
        self.column = column


def _last_step(text: str, tree: ast.expr) -> tuple[Step, ast.expr]:
    """Return the last step of a path, and what it is a step from."""
    if isinstance(tree, ast.Await):
        if not isinstance(tree.value, ast.Call):
            raise PlaceError(f"{text!r}: only a call can be awaited", tree.value.col_offset + 1)
        step, before = _last_step(text, tree.value)
        assert isinstance(step, Call)
        return replace(step, awaited=True), before
    if isinstance(tree, ast.Attribute):
        return Attr(tree.attr), tree.value
    if isinstance(tree, ast.Subscript) and isinstance(tree.slice, ast.Constant):
        key = tree.slice.value
        if not isinstance(key, (str, int)) or isinstance(key, bool):
            raise PlaceError(f"{text!r}: an item is a text or an integer, not {key!r}", tree.slice.col_offset + 1)
        return Item(key), tree.value
    if isinstance(tree, ast.Call):
        if not isinstance(tree.func, ast.Attribute):
            raise PlaceError(f"{text!r}: only a method can be called", tree.func.col_offset + 1)
        return Call(_parameters(text, tree)), tree.func
    raise PlaceError(
        f"{text!r} is not an access path: expected names, .attributes, [items] and calls", tree.col_offset + 1
    )


def parse_place(text: str) -> Access:
    """Return the place that `text` says.

    >>> str(parse_place('event["call"]["verb"]'))
    "event['call']['verb']"

    Raises PlaceError, with the column, for anything but names, attributes, constant items and calls with plain names.
    """
    try:
        tree = ast.parse(text.strip(), mode="eval").body
    except SyntaxError as error:
        raise PlaceError(f"{text!r} is not an access path: {error.msg}", error.offset or 1) from None
    except (ValueError, RecursionError, MemoryError):
        raise PlaceError("this is not an access path: it is too long, or holds a null", 1) from None
    steps: list[Step] = []
    while not isinstance(tree, ast.Name):
        step, tree = _last_step(text, tree)
        steps.append(step)
    place = Access(tree.id, tuple(reversed(steps)))
    own = [step.name for step in place.steps if isinstance(step, Attr) and step.name.startswith("__")]
    if own or place.root.startswith("__"):
        raise PlaceError(f"{text!r} leads to {(own or [place.root])[0]}, which is Python's own", 1)
    return place


def _parameters(text: str, call: ast.Call) -> tuple[str, ...]:
    names: list[str] = []
    for argument in call.args:
        starred = isinstance(argument, ast.Starred)
        name = argument.value if isinstance(argument, ast.Starred) else argument
        if not isinstance(name, ast.Name):
            raise PlaceError(f"{text!r}: a call's parameters are plain names", argument.col_offset + 1)
        names.append(f"*{name.id}" if starred else name.id)
    for keyword in call.keywords:
        if keyword.arg is not None and isinstance(keyword.value, ast.Constant) and keyword.value.value is None:
            names.append(f"{keyword.arg}=None")
            continue
        if keyword.arg is not None or not isinstance(keyword.value, ast.Name):
            raise PlaceError(
                f"{text!r}: a call's parameters are plain names, name=None or **name", keyword.value.col_offset + 1
            )
        names.append(f"**{keyword.value.id}")
    return tuple(names)
