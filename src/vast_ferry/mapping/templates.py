"""Texts of several parts as an author writes them: `{method} {target}`, `hold/{bucket}/{key | percent}[;v={version}]`.

A part in braces is a hub field (or, in order, one of several places), perhaps through forms behind `|`; `{_}` is
nobody's and `{_=x}` is written as x. `{field...}` takes as much as it can, any other as little as it can. What stands
in brackets may be missing as a whole. `{{`, `}}`, `[[`, `]]` stand for themselves.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

from vast_ferry.hub.findings import FerryError
from vast_ferry.mapping.lenses.every import parse_lens
from vast_ferry.mapping.lenses.lens import Plain


class TemplateError(FerryError, ValueError):
    """A text of several parts that can't be understood, or can't be taken apart again; `column` counts from 1."""

    def __init__(self, message: str, column: int) -> None:
        super().__init__(message)
        self.column = column


@dataclass(frozen=True, slots=True)
class Part:
    """A part of a text: the field that it feeds (empty: a place, in order), and the form in which it stands there."""

    field: str
    lens: Any  # a Lens; of a definition, a Form
    needed: bool  # that the text has it in any case


@dataclass(frozen=True, slots=True)
class Template:
    """The forms of a text, as `helpers.of_texts` takes them, and the parts by their numbers."""

    forms: tuple[tuple[Any, ...], ...]
    parts: tuple[Part, ...]


#: A part without forms: the text itself.
PLAIN: Final = Plain()
_PIECES: Final = re.compile(r"\{\{|\}\}|\[\[|\]\]|\{[^{}]*\}|\[|\]|[^{}\[\]]+|.", re.DOTALL)
#: What always begins with a slash, which tells it from the part before it: `{authority}{target}`.
_BEGINS_WITH_SLASH: Final = re.compile(r"\}\{(target|path|path\.raw|route)\}")
#: An address that has a colon of its own only in brackets: it is a form with these, and one without.
_BRACKETED: Final = re.compile(r"\{\s*([a-z_]*(?:\.[a-z_]+)*)\s*\|\s*bracketed\s*\}")
#: More parts than any text of a provider has.
_MOST_PARTS: Final = 32


def parse_template(*texts: str, reads: Callable[[str], Any] = parse_lens, plain: Any = PLAIN) -> Template:
    """Return the forms of a text, the first that fits being the one that is read.

    `reads` takes what follows a `|`, and `plain` stands for nothing there.

    Raises TemplateError, with the column, for a part that can't be told from the next, and LensError for a form.
    """
    parts: list[Part] = []
    forms = []
    ways = [way for text in texts for way in _each_way(text)]
    for text in (_BEGINS_WITH_SLASH.sub(r"}/{\1 | unprefixed('/')}", way) for way in ways):
        pieces = [(found[0], found.start() + 1) for found in _PIECES.finditer(text)]
        form = _form(text, pieces, parts, needed=True)
        if pieces:
            raise TemplateError(f"{text!r}: there is no [ to this ]", pieces[0][1])
        forms.append(form)
    if len(parts) > _MOST_PARTS:
        raise TemplateError(f"{texts[0]!r} has more than {_MOST_PARTS} parts", 1)
    known = [replace(part, lens=plain if part.lens is None else reads(part.lens)) for part in parts]
    return Template(tuple(forms), tuple(known))


def _each_way(text: str) -> list[str]:
    """Return a text once with its bracketed address in brackets, and once without; any other as it is."""
    if _BRACKETED.search(text) is None:
        return [text]
    return [_BRACKETED.sub(r"[[{\1 | ipv6}]]", text), _BRACKETED.sub(r"{\1}", text)]


def _form(text: str, pieces: list[tuple[str, int]], parts: list[Part], *, needed: bool) -> tuple[Any, ...]:
    made: list[Any] = []
    while pieces:
        piece, column = pieces[0]
        if piece == "]":
            break
        pieces.pop(0)
        if piece in ("{", "}"):
            raise TemplateError(f"{text!r}: write {piece * 2} for a brace that stands there", column)
        if piece == "[":
            inner = _form(text, pieces, parts, needed=False)
            if not pieces:
                raise TemplateError(f"{text!r}: there is no ] to this [", column)
            pieces.pop(0)
            if not inner or not isinstance(inner[0], str):
                why = "what may be missing begins with a text by which it is told; else give several texts"
                raise TemplateError(f"{text!r}: {why}", column)
            made.append(("[", inner))
        elif piece.startswith("{") and piece != "{{":
            if not _ends_in_text(made):
                raise TemplateError(f"{text!r}: two parts with no text between them can't be told apart", column)
            made.append(_part(text, piece[1:-1], column, parts, needed=needed))
        else:
            plain = piece[0] if piece in ("{{", "}}", "[[", "]]") else piece
            if made and isinstance(made[-1], str):
                made[-1] += plain
            else:
                made.append(plain)
    return tuple(made)


def _ends_in_text(made: Sequence[Any]) -> bool:
    """Tell whether what stands before a part ends in a text, or is nothing: also without what may be missing."""
    if not made:
        return True
    if isinstance(made[-1], tuple) and made[-1][0] == "[":
        return isinstance(made[-1][1][-1], str) and _ends_in_text(made[:-1])
    return isinstance(made[-1], str)


def _part(text: str, inside: str, column: int, parts: list[Part], *, needed: bool) -> Any:
    name, mark, forms = inside.partition("|")
    name = name.strip()
    most = name.endswith("...")
    name = name.removesuffix("...")
    if name == "_" or name.startswith("_="):
        return ("_", name[2:], most)
    if name and not re.fullmatch(r"[a-z_]+(\.[a-z_]+)*", name):
        raise TemplateError(f"{text!r}: {name!r} can't be the name of a field", column)
    parts.append(Part(name, forms if mark else None, needed))
    number = len(parts) - 1
    return ("...", number) if most else number
