"""Filters as shell patterns, read and written."""

from __future__ import annotations

import re

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.filters.ends import FilterError, _overlap, to_ends
from vast_ferry.hub.keys import ANY, All, KeyFilter, Pattern, Piece


def read_glob(text: str, *, slashes: bool) -> KeyFilter:
    """Return the filter of a shell pattern; `*` stands for slashes as well, or else `**` does."""
    parts: list[str | Piece] = []
    at = 0
    while at < len(text):
        char = text[at]
        if char == "*":
            run = re.match(r"\*+", text[at:])
            assert run
            parts.append(ANY if slashes or len(run[0]) > 1 else Piece("part"))
            at += len(run[0])
        elif char == "?":
            parts.append(Piece("one") if slashes else Piece("but", chars="/"))
            at += 1
        elif char == "[" and (found := re.match(r"\[(!?)(\]?[^\]]*)\]", text[at:])):
            chars = _expanded(found[2], text)
            if len(chars) == 1 and not found[1]:
                parts.append(chars)
            else:
                parts.append(
                    Piece("but" if found[1] else "of", chars=chars if slashes or not found[1] else chars + "/")
                )
            at += len(found[0])
        elif char == "[":
            raise FilterError(f"{text!r} opens a bracket and does not close it; write [[] for the character")
        else:
            parts.append(char)
            at += 1
    return Pattern.of(*parts)


def _expanded(chars: str, text: str) -> str:
    made = ""
    at = 0
    while at < len(chars):
        if at + 2 < len(chars) and chars[at + 1] == "-":
            first, last = ord(chars[at]), ord(chars[at + 2])
            if not 0 <= last - first < 256:
                raise FilterError(f"{text!r} has a range that runs backwards, or is over 256 characters long")
            made += "".join(chr(code) for code in range(first, last + 1))
            at += 3
        else:
            made += chars[at]
            at += 1
    if not made:
        raise FilterError(f"{text!r} has an empty bracket")
    return "".join(sorted(set(made)))


def write_glob(one: KeyFilter, *, slashes: bool) -> str:
    """Return the shell pattern that lets through what a filter does, or raise CannotHold."""
    made = []
    for part in one_pattern(one).parts:
        if isinstance(part, str):
            made.append(re.sub(r"([*?\[])", r"[\1]", part))
        elif part.kind == "any" and not part.name:
            made.append("*" if slashes else "**")
        elif part.kind == "part" and not slashes:
            made.append("*")
        elif (part.kind == "one" and slashes) or (part.kind == "but" and part.chars == "/" and not slashes):
            made.append("?")
        elif part.kind in ("of", "but"):
            chars = part.chars if slashes or part.kind == "of" else part.chars.replace("/", "")
            bracket = "]" * ("]" in chars) + chars.replace("]", "").replace("-", "") + "-" * ("-" in chars)
            made.append(f"[{'!' * (part.kind == 'but')}{bracket}]")
        elif part.kind == "segment" and not slashes:
            made.append("?*")
        else:
            raise CannotHold("its shell patterns have no sign for a part of a key without a slash")
    return "".join(made)


def one_pattern(one: KeyFilter) -> Pattern:
    """Return a filter as a single pattern; a beginning and an end are one where they can't overlap."""
    if isinstance(one, All):
        try:
            prefix, suffix = to_ends(one)
        except CannotHold:
            raise CannotHold("one pattern does not say that") from None
        if _overlap(prefix, suffix):
            raise CannotHold(f"in one pattern the beginning {prefix!r} and the end {suffix!r} can't overlap")
        return Pattern.of(prefix, ANY, suffix)
    if not isinstance(one, Pattern):
        raise CannotHold("one pattern does not say that")
    return one
