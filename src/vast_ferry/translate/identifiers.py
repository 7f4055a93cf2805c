"""Names of functions and channels as identifiers of a program, no two alike."""

from __future__ import annotations

import keyword
import re
from collections.abc import Iterable


def slug(name: str) -> str:
    """Return a function's name as an identifier."""
    word = re.sub(r"\W", "_", name, flags=re.ASCII)
    return word if word.isidentifier() and not keyword.iskeyword(word) else f"f_{word}"


def unique_slugs(names: Iterable[str]) -> dict[str, str]:
    """Return an identifier for each name, no two alike."""
    made: dict[str, str] = {}
    for name in names:
        word = first = slug(name)
        number = 2
        while word in made.values():
            word, number = f"{first}_{number}", number + 1
        made[name] = word
    return made
