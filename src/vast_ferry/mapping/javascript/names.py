"""How names and places are spelt in JavaScript: by one rule, so that one table of rows serves both languages.

Keys of data stay what they are. Attributes, methods and parameters are written in lower camel case. What a caller may
leave out stands, by its name, in one object at the end; so does what a log line tells along.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace
from typing import Final

from vast_ferry.mapping.places import Access, Attr, Call, Step

#: ECMAScript 2024 §12.7.2, what strict code reserves as well, and what modules of ours use for something else.
RESERVED: Final = frozenset(
    (  # noqa: SIM905  (as they stand in the standard, line by line)
        "arguments as async await break case catch class const continue debugger default delete do else enum eval "
        "export extends false finally for from function get if implements import in instanceof interface let new null "
        "of package private protected public return set static super switch this throw true try typeof undefined var "
        "void while with yield Array Boolean BigInt Buffer Date Error JSON Map Math Number Object Promise Proxy "
        "RangeError Reflect RegExp Set String Symbol TextDecoder TextEncoder TypeError URL URLSearchParams Uint8Array "
        "WeakMap console crypto fetch global globalThis process queueMicrotask require module exports original "
        "operate returned raised told setTimeout Request Response Headers hub constructor prototype"
    ).split()
)

_IDENTIFIER: Final = re.compile(r"[A-Za-z_$][A-Za-z0-9_$]*")


def camel(name: str) -> str:
    """Return a name in lower camel case.

    >>> camel("left_ms"), camel("leftMs"), camel("_started_at")
    ('leftMs', 'leftMs', '_startedAt')
    """
    head, *rest = re.split(r"(?<=[^_])_+(?=[^_])", name)
    return head + "".join(part[:1].upper() + part[1:] for part in rest)


def is_identifier(name: str) -> bool:
    """Tell whether a text may stand as a name of a property or a variable."""
    return _IDENTIFIER.fullmatch(name) is not None


def free(name: str, taken: Iterable[str]) -> str:
    """Return a name for a variable: in camel case, and none that the language or somebody else has."""
    base = camel(name) if is_identifier(camel(name)) else "value"
    made, number = base, 2
    while made in RESERVED or made in taken:
        made, number = f"{base}{number}", number + 1
    return made


def place_there(at: Access) -> Access:
    """Return a place as it stands in JavaScript: attributes, methods and parameters in camel case, keys as they are."""
    return replace(at, root=camel(at.root), steps=tuple(map(_step, at.steps)))


def _step(step: Step) -> Step:
    if isinstance(step, Attr):
        return Attr(camel(step.name))
    if isinstance(step, Call):
        return replace(step, parameters=tuple(map(camel, step.parameters)))
    return step


def parameters_there(takes: Iterable[str]) -> tuple[list[str], list[tuple[str, str]]]:
    """Return the parameters of a call in JavaScript: those that must be given, and those of the object at its end.

    `takes` are as they stand in a Python definition; of the second each has its default, as Python source.
    """
    must: list[str] = []
    may: list[tuple[str, str]] = []
    for one in takes:
        name, mark, default = one.partition("=")
        name = name.strip()
        if mark:
            may.append((camel(name), default.strip()))
        elif name.startswith("**"):
            may.append((f"...{camel(name[2:])}", ""))
        elif name.startswith("*"):
            must.append(f"...{camel(name[1:])}")
        else:
            must.append(camel(name))
    return must, may
