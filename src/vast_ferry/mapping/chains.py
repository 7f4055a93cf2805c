"""Calls that are made step by step, as a profile writes them: `open('hold:{bucket}').crate(key).read`.

Each step is an attribute, a call, or a key (`[key]`, which is `.__getitem__(key)`). A call's argument is a parameter's
name, a text (in which `{name}` may stand), a `name=default`, or `**keys` for all that is given by keyword.
"""

from __future__ import annotations

import ast
import re
from dataclasses import dataclass
from typing import Any

from vast_ferry.hub.findings import FerryError


class ChainError(FerryError, ValueError):
    """A path of a client that can't be understood."""


@dataclass(frozen=True, slots=True)
class Chain:
    """The steps of a path, as `helpers.Chained` takes them, and the names of the parameters in them."""

    steps: tuple[tuple[Any, ...], ...]
    names: tuple[str, ...]

    @property
    def root(self) -> str:
        """Return the first name of the path."""
        return str(self.steps[0][1])

    def called_with(self, takes: tuple[str, ...]) -> tuple[tuple[Any, ...], ...]:
        """Return the steps with the last call, whose parameters are written as in a definition."""
        last = tuple(_parameter(one) for one in takes)
        return (*self.steps, ("call", last))

    def call_of(self, root: str, takes: tuple[str, ...], told: str, fed: tuple[str, ...]) -> str:
        """Return the whole call as code, its arguments taken in order from the sequence called `told`.

        Only parameters that are `fed` are given.
        """
        made, number = root, 0
        for kind, about in self.called_with(takes):
            if kind == "attr":
                made += f".{about}"
                continue
            arguments = []
            for sort, *names in about:
                if sort == "text" and not names[1]:
                    arguments.append(repr(names[0]))
                    continue
                if (names[1] if sort == "text" else names[0]) not in fed:
                    continue
                value = f"{told}[{number}]"
                number += 1
                if sort == "text":
                    arguments.append(f"{names[0]!r} + {value} + {names[2]!r}")
                else:
                    arguments.append(f"**{value}" if sort == "keys" else f"{names[0]}={value}")
            made += f"({', '.join(arguments)})"
        return made


def parse_chain(path: str) -> Chain | None:
    """Return the steps of a path, or nothing where it is but names set apart by dots.

    Raises ChainError for what is neither.
    """
    if "(" not in path and "[" not in path:
        return None
    try:
        node: ast.expr = ast.parse(path, mode="eval").body
    except SyntaxError:
        raise ChainError(f"{path!r} is no call: write name(argument).name") from None
    steps: list[tuple[Any, ...]] = []
    while not isinstance(node, ast.Name):
        if isinstance(node, ast.Attribute):
            steps.append(("attr", node.attr))
            node = node.value
        elif isinstance(node, ast.Call):
            arguments = tuple(_argument(one) for one in node.args)
            arguments += tuple(_named(one) for one in node.keywords)
            steps.append(("call", arguments))
            node = node.func
        elif isinstance(node, ast.Subscript):
            steps += [("call", (_argument(node.slice),)), ("attr", "__getitem__")]
            node = node.value
        else:
            raise ChainError(f"{ast.unparse(node)!r} in {path!r} is neither a name, an attribute, a key nor a call")
    steps.append(("attr", node.id))
    steps.reverse()
    if steps[-1][0] != "attr":
        raise ChainError(f"{path!r} ends with a call: end with the name, and say what it takes under `takes`")
    names = [
        name for step in steps if step[0] == "call" for one in step[1] if (name := one[2 if one[0] == "text" else 1])
    ]
    if len(set(names)) < len(names):
        raise ChainError(f"{path!r} names a parameter twice")
    return Chain(tuple(steps), tuple(names))


def _argument(node: ast.expr) -> tuple[Any, ...]:
    if isinstance(node, ast.Name):
        return "given", node.id
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        found = re.fullmatch(r"([^{}]*)(?:\{([A-Za-z_]\w*)\}([^{}]*))?", node.value)
        if found is None:
            raise ChainError(f"{node.value!r} may hold one name in braces")
        return "text", found[1], found[2] or "", found[3] or ""
    raise ChainError(f"{ast.unparse(node)!r} is no argument: write a name, or a text")


def _named(node: ast.keyword) -> tuple[Any, ...]:
    if node.arg is None and isinstance(node.value, ast.Name):
        return "keys", node.value.id
    if node.arg is not None and isinstance(node.value, ast.Constant):
        return "given", node.arg, node.value.value
    raise ChainError(f"{ast.unparse(node.value)!r} is no default: write a constant")


def _parameter(text: str) -> tuple[Any, ...]:
    name, equals, default = text.partition("=")
    if name.startswith("**"):
        return "keys", name[2:]
    return ("given", name, ast.literal_eval(default)) if equals else ("given", name)
