"""Documents of plain lines (`GET /hives/{hive} hives:weight memory=256`), read and written by the forms of lines.

A form is a text with names in braces. Each line fits the first form that it can, and gives a mapping of the names: an
entry of the list under the form's key, or keys of the mapping around it where it has none. A form with lines of its own
opens a block: those that are indented below it, or all up to its end. A value with blanks in it stands in double
quotes, as a JSON string. Whole lines that begin with the mark are comments; `\\` at an end joins the next line.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from vast_ferry.documents.document import Document, Path_, read_text
from vast_ferry.hub.findings import BadInput, FerryError, Place

#: A line that is longer is no line of a definition; texts of several parts are tried in many ways.
LONGEST: Final = 4_000
_QUOTED: Final = r'"(?:[^"\\]|\\.)*"'
_WORD: Final = rf'{_QUOTED}|[^\s"]\S*?'
_PART: Final = re.compile(r"\{\{|\}\}|\[\[|\]\]|\{(?P<name>[a-z_]\w*)(?P<rest>\.\.\.)?\}|\{=\}|\[|\]|\s+|[^\[\]{}\s]+")


class LineFormError(FerryError, ValueError):
    """A text that is no form of a line."""


@dataclass(frozen=True, slots=True)
class _Name:
    """A value: one word, or all that is left of the line."""

    name: str
    rest: bool = False


@dataclass(frozen=True, slots=True)
class _Pairs:
    """Any number of words `key=value`, each a key of its own."""


@dataclass(frozen=True, slots=True)
class _Maybe:
    """What may be missing."""

    pieces: tuple[_Piece, ...]


_Piece = str | _Name | _Pairs | _Maybe


@dataclass(frozen=True, slots=True)
class LineForm:
    """What one kind of line says: its text, the list it is an entry of, and the lines of the block that it opens."""

    text: str
    under: str = ""
    inside: tuple[LineForm, ...] = ()
    ends: str = ""
    pieces: tuple[_Piece, ...] = field(init=False)
    pattern: re.Pattern[str] = field(init=False)

    def __post_init__(self) -> None:
        parts = list(_PART.finditer(self.text))
        if "".join(one[0] for one in parts) != self.text or not parts:
            raise LineFormError(f"expected a text with names in braces such as {{key}}, got {self.text!r}")
        pieces, left = _pieces(parts, 0)
        if left != len(parts):
            raise LineFormError(f"{self.text!r} closes a bracket that it never opened; `]]` stands for one")
        if len(set(self.names)) != len(self.names):
            raise LineFormError(f"{self.text!r} has a name twice")
        object.__setattr__(self, "pieces", pieces)
        object.__setattr__(self, "pattern", re.compile(_regex(pieces)))

    @property
    def names(self) -> list[str]:
        """Return the names in its braces."""
        return [one["name"] for one in _PART.finditer(self.text) if one["name"]]

    def read(self, line: str) -> dict[str, tuple[str, int]] | None:
        """Return what a line says, each value with its column from 0; nothing where the line has another form."""
        found = self.pattern.fullmatch(line)
        if found is None:
            return None
        said = {name: (found[name], found.start(name)) for name in self.names if found[name] is not None}
        if "_pairs" in found.re.groupindex:
            for pair in re.finditer(rf"\s([^\s=]+)=({_QUOTED}|\S*)", found["_pairs"] or ""):
                if pair[1] in said:
                    return None
                said[pair[1]] = (pair[2], found.start("_pairs") + pair.start(2))
        try:
            return {
                name: (json.loads(one) if re.fullmatch(_QUOTED, one) else one, at) for name, (one, at) in said.items()
            }
        except ValueError:  # what looks like a JSON string, and is none
            return None

    def write(self, values: dict[str, str]) -> str | None:
        """Return the line that says some values; nothing where this form can't say them all, or not so."""
        used: set[str] = set()
        more = [name for name in values if name not in self.names]
        line = _written(self.pieces, values, more, used)
        said = self.read(line) if line is not None and used == set(values) else None
        return line if said is not None and {name: one for name, (one, _) in said.items()} == values else None


def _pieces(parts: Sequence[re.Match[str]], at: int, *, inside: bool = False) -> tuple[tuple[_Piece, ...], int]:
    """Return the pieces of a form from one of its parts on, and where they end."""
    made: list[_Piece] = []
    while at < len(parts):
        part = parts[at]
        at += 1
        if part[0] == "[":
            inner, at = _pieces(parts, at, inside=True)
            made.append(_Maybe(inner))
        elif part[0] == "]":
            return tuple(made), at if inside else at - 1
        elif part["name"]:
            made.append(_Name(part["name"], bool(part["rest"])))
        elif part[0] == "{=}":
            made.append(_Pairs())
        else:
            made.append(part[0][0] if part[0] in ("{{", "}}", "[[", "]]") else part[0])
    if inside:
        raise LineFormError("a bracket is opened and not closed; `[[` stands for one")
    return tuple(made), at


def _regex(pieces: tuple[_Piece, ...]) -> str:
    made = ""
    for number, one in enumerate(pieces):
        if isinstance(one, _Maybe):
            made += f"(?:{_regex(one.pieces)})?"
        elif isinstance(one, _Pairs):
            made += rf"(?P<_pairs>(?:\s+[^\s=\"]+=(?:{_QUOTED}|[^\s\"]\S*|))*)"
        elif isinstance(one, _Name):
            made += f"(?P<{one.name}>{'.+?' if one.rest else _WORD})"
        elif one.isspace():
            # The blanks before pairs, or before what may be missing and begins with some, are theirs.
            after = pieces[number + 1] if number + 1 < len(pieces) else ""
            made += "" if isinstance(after, _Pairs) else r"\s+"
        else:
            made += re.escape(one)
    return made


def _written(pieces: tuple[_Piece, ...], values: dict[str, str], more: list[str], used: set[str]) -> str | None:
    """Return some pieces with values in their names; nothing where one is missing that has to be there."""
    made = ""
    for number, one in enumerate(pieces):
        if isinstance(one, _Maybe):
            inner: set[str] = set()
            text = _written(one.pieces, values, more, inner)
            if text is not None and inner:
                made += text
                used |= inner
        elif isinstance(one, _Pairs):
            made += "".join(f" {name}={_quoted(values[name])}" for name in more)
            used |= set(more)
        elif isinstance(one, _Name):
            if one.name not in values:
                return None
            made += values[one.name] if one.rest else _quoted(values[one.name])
            used.add(one.name)
        elif one.isspace() and isinstance(pieces[number + 1] if number + 1 < len(pieces) else "", _Pairs):
            continue
        else:
            made += one
    return made


def _quoted(text: str) -> str:
    return text if re.fullmatch(r'[^\s"]+', text) and text.isprintable() else json.dumps(text, ensure_ascii=False)


# --- reading ---------------------------------------------------------------------------------------------------------


@dataclass(slots=True)
class _Block:
    """A block that is open: what its lines are, and where they go."""

    forms: tuple[LineForm, ...]
    data: dict[str, Any]
    path: Path_
    indent: int = -1
    ends: str = ""


def read_lines(path: Path, shown: str, what: str, forms: tuple[LineForm, ...], mark: str) -> Document:
    """Return the document in a file of lines.

    A line of no form that may stand where it does is kept as it is, as a key of its own that holds nothing: nobody
    knows it, and that is told with its place. Raises BadInput, with the line, for one that is too long, for a block
    without its end, and where a block says something twice.
    """
    return _read(read_text(path, shown, what), _Reader(shown, what, forms), mark)


def _read(text: str, reader: _Reader, mark: str) -> Document:
    for number, line in _joined(text, mark):
        reader.take(number, line)
    return reader.document()


class _Reader:
    """One reading of lines, one after the other."""

    def __init__(self, shown: str, what: str, forms: tuple[LineForm, ...]) -> None:
        self.shown, self.what = shown, what
        self.places: dict[Path_, tuple[int, int]] = {(): (1, 1)}
        self.top: dict[str, Any] = {}
        self.open = [_Block(forms, self.top, ())]

    def take(self, number: int, whole: str) -> None:
        """Take in a line."""
        if len(whole) > LONGEST:
            what = f"{self.what} has a line of {len(whole):,} characters"
            raise BadInput(what, "Split it", Place(self.shown, number))
        line = whole.strip()
        indent = len(whole) - len(whole.lstrip())
        while len(self.open) > 1 and not self.open[-1].ends and indent <= self.open[-1].indent:
            self.open.pop()
        block = self.open[-1]
        if block.ends and line == block.ends:
            self.open.pop()
            return
        read = ((form, form.read(line)) for form in block.forms)
        form, said = next(((form, said) for form, said in read if said is not None), (None, None))
        if form is None or said is None:
            if (*block.path, line) not in self.places:
                block.data[line] = None
                self.places[*block.path, line] = (number, indent + 1)
            return
        into, here = block.data, block.path
        if form.under:
            listed = into.setdefault(form.under, [])
            into, here = {}, (*here, form.under, len(listed))
            listed.append(into)
            self.places.setdefault(here[:-1], (number, indent + 1))
            self.places[here] = (number, indent + 1)
        for name, (value, column) in said.items():
            if name in into:
                before = self.places[*here, name][0]
                place = Place(self.shown, number, indent + column + 1)
                raise BadInput(f"{self.what} says {name} twice (line {before})", "Keep one of them", place)
            into[name] = value
            self.places[*here, name] = (number, indent + column + 1)
        if form.inside:
            self.open.append(_Block(form.inside, into, here, indent, form.ends))

    def document(self) -> Document:
        """Return what was read; raises BadInput for a block without its end."""
        block = self.open[-1]
        if block.ends:
            place = Place(self.shown, *self.places[block.path])
            raise BadInput(f"{self.what} has a block that never ends", f"Write `{block.ends}` below it", place)
        return Document(self.shown, self.top, self.places)


def _joined(text: str, mark: str) -> Iterator[tuple[int, str]]:
    """Yield the lines that say something, with the number of their first: comments left out, and ends joined."""
    held, first = "", 0
    for number, line in enumerate(text.replace("\r\n", "\n").split("\n"), 1):
        if not held and (not line.strip() or line.lstrip().startswith(mark)):
            continue
        first = first if held else number
        if line.endswith("\\"):
            held += line[:-1]
            continue
        yield first, held + line
        held = ""
    if held.strip():
        yield first, held


# --- writing ---------------------------------------------------------------------------------------------------------


@dataclass(slots=True)
class Said:
    """What lines say of a mapping: the lines, what that is when it is read, and the names of what they can't say."""

    lines: list[str] = field(default_factory=list)
    data: dict[str, Any] = field(default_factory=dict)
    unsaid: list[str] = field(default_factory=list)


def write_lines(data: dict[str, Any], forms: tuple[LineForm, ...], mark: str, comments: tuple[str, ...] = ()) -> str:
    """Return nested mappings as lines; raises BadInput for what no form can say, or would be read as something else."""
    made = _said(_texts(data), forms)
    if made.unsaid:
        what = f"no line can say {', '.join(dict.fromkeys(made.unsaid))}"
        raise BadInput(what, "Give the profile a form for it under `lines`")
    text = "".join(f"{mark} {comment}\n" for comment in comments) + "".join(f"{line}\n" for line in made.lines)
    if _read(text, _Reader("", "", forms), mark).data != made.data:
        raise BadInput("what its lines say would be read as something else", "Set the profile's `lines` further apart")
    return text


def said_of(entry: dict[str, Any], under: str, forms: tuple[LineForm, ...]) -> Said | None:
    """Return what the lines can say of one entry of a list; nothing where no form fits it at all."""
    return _said_entry(_texts(entry), under, forms)


def _texts(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _texts(one) for key, one in value.items()}
    if isinstance(value, list):
        return [_texts(one) for one in value]
    return str(value).lower() if isinstance(value, bool) else str(value)


def _said(data: dict[str, Any], forms: Sequence[LineForm], indent: str = "") -> Said:
    """Return what lines say of a mapping: its own values first, then its lists, in the order of the forms."""
    made = Said()
    for form in (one for one in forms if not one.under):
        own = {name: data[name] for name in form.names if isinstance(data.get(name), str) and name not in made.data}
        line = _line_of(form, own, forms) if own else None
        if line is not None:
            made.lines.append(indent + line)
            made.data |= own
    for under in dict.fromkeys(form.under for form in forms if form.under and isinstance(data.get(form.under), list)):
        for entry in data[under]:
            said = _said_entry(entry, under, forms, indent)
            if said is None:
                made.unsaid.append(under)
                continue
            made.lines += said.lines
            made.unsaid += [f"{under}.{name}" for name in said.unsaid]
            made.data.setdefault(under, []).append(said.data)
    made.unsaid += [key for key in data if key not in made.data and key not in made.unsaid]
    return made


def _line_of(form: LineForm, values: dict[str, str], forms: Sequence[LineForm]) -> str | None:
    """Return the line of a form; raises BadInput where one that is tried before it would take the line for its own."""
    line = form.write(values)
    first = form if line is None else next(one for one in forms if one is form or one.read(line) is not None)
    if first is not form:
        what = f"the line `{line}`, of the form `{form.text}`, would be read by `{first.text}`"
        raise BadInput(what, "List the form that takes less before the other, under the profile's `lines`")
    return line


def _said_entry(entry: Any, under: str, forms: Sequence[LineForm], indent: str = "") -> Said | None:
    """Return what lines say of an entry of a list, with the block that it opens, by the form that says most of it."""
    best: Said | None = None
    for form in (one for one in forms if one.under == under and isinstance(entry, dict)):
        inside = {one.under for one in form.inside} | {name for one in form.inside for name in one.names}
        plain = {key: one for key, one in entry.items() if isinstance(one, str) and key not in inside - {*form.names}}
        own = plain if "{=}" in form.text else {key: one for key, one in plain.items() if key in form.names}
        line = _line_of(form, own, forms)
        if line is None:
            continue
        below = _said({key: one for key, one in entry.items() if key not in own}, form.inside, f"{indent}  ")
        lines = [indent + line, *below.lines, *([indent + form.ends] if form.ends else [])]
        if best is None or len(below.unsaid) < len(best.unsaid):
            best = Said(lines, {**own, **below.data}, below.unsaid)
    return best
