"""Calls that are made step by step, as source: `open("hold:charts").crate(name).write(data, stuff="text/csv")`."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from vast_ferry.mapping.chains import Chain
from vast_ferry.mapping.python import quoted


def by_steps(chain: Chain, takes: tuple[str, ...], made: Mapping[str, str]) -> str:
    """Return the steps of a call behind its root; `made` has the source of what its parameters are given."""
    text = ""
    for kind, about in chain.called_with(takes[len(chain.names) :]):
        text += f".{about}" if kind == "attr" else f"({', '.join(_arguments(about, made))})"
    return text


def _arguments(about: Iterable[tuple[Any, ...]], made: Mapping[str, str]) -> Iterator[str]:
    """Yield the arguments of one step, as source: texts that hold a value, a mapping by keyword, values."""
    by_place = True
    for sort, *names in about:
        if sort == "text" and not names[1]:
            yield quoted(names[0])
        elif sort == "text":
            yield _text_with(names[0], made[names[1]], names[2])
        elif names[0] not in made:
            by_place = False
        elif sort == "keys":
            yield f"**{made[names[0]]}"
        else:
            yield made[names[0]] if by_place else f"{names[0]}={made[names[0]]}"


def _text_with(before: str, value: str, after: str) -> str:
    """Return the source of a text around a value, one literal where the value is one."""
    try:
        inner = ast.literal_eval(value)
    except (ValueError, SyntaxError):
        inner = None
    if not isinstance(inner, str):
        parts = [quoted(before)] if before else []
        parts += [value if value.isidentifier() else f"({value})", *([quoted(after)] if after else [])]
        return " + ".join(parts)
    return quoted(f"{before}{inner}{after}")
