"""Filters on keys in the CloudEvents SQL Expression Language (version 1.0), read and written.

Its operators on texts are here; what needs arithmetic, casts, or other attributes than the one that holds the key is
refused, with the place in the expression.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.hub.findings import FerryError
from vast_ferry.hub.keys import ANY, EVERY_KEY, AnyOf, KeyFilter, Not, Pattern, Piece, all_of, begins, ends


class SqlError(FerryError, ValueError):
    """An expression that is none, or that says more of an event than its key; `at` is where, from 1."""

    def __init__(self, what: str, at: int) -> None:
        super().__init__(f"{what}, at character {at} of the expression")
        self.at = at


_TOKEN: Final = re.compile(
    r"""\s+|(?P<text>'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*")|(?P<word>[A-Za-z_][A-Za-z0-9_]*)"""
    r"""|(?P<number>[0-9]+)|(?P<sign>!=|<>|<=|>=|[-+*/%=<>(),])""",
    re.DOTALL,
)
_WORDS: Final = frozenset(["AND", "OR", "XOR", "NOT", "LIKE", "IN", "EXISTS", "TRUE", "FALSE"])
_NEVER: Final = Not(EVERY_KEY)


@dataclass(frozen=True, slots=True)
class _Token:
    kind: str
    text: str
    at: int

    @property
    def shown(self) -> str:
        return repr(self.text) if self.text else "the end"


def _tokens(text: str) -> list[_Token]:
    made, at = [], 0
    while at < len(text):
        found = _TOKEN.match(text, at)
        if found is None:
            raise SqlError(f"{text[at]!r} is no part of an expression", at + 1)
        kind = found.lastgroup or ""
        if kind:
            word = found[0].upper() if kind == "word" and found[0].upper() in _WORDS else found[0]
            made.append(_Token("sign" if word in _WORDS else kind, word, at + 1))
        at = found.end()
    return [*made, _Token("end", "", len(text) + 1)]


def read_sql(text: str, attribute: str) -> KeyFilter:
    """Return the filter of an expression on one attribute; raises SqlError where it is none, or says more."""
    reader = _Reader(_tokens(text), attribute)
    made = reader.either()
    if reader.now.kind != "end":
        raise SqlError(f"expected the end, got {reader.now.text!r}", reader.now.at)
    return made


class _Reader:
    """Reads an expression by the precedences of CESQL §3.4: comparisons bind closest, then NOT, AND, XOR, OR."""

    def __init__(self, tokens: list[_Token], attribute: str) -> None:
        self.tokens, self.attribute, self.index = tokens, attribute, 0

    @property
    def now(self) -> _Token:
        return self.tokens[self.index]

    def take(self, *signs: str) -> str:
        """Take one of these signs, if it comes next."""
        if self.now.kind == "sign" and self.now.text in signs:
            self.index += 1
            return self.tokens[self.index - 1].text
        return ""

    def need(self, sign: str) -> None:
        if not self.take(sign):
            raise SqlError(f"expected {sign!r}, got {self.now.shown}", self.now.at)

    def either(self) -> KeyFilter:
        found = [self.one_of_two()]
        while self.take("OR"):
            found.append(self.one_of_two())
        return found[0] if len(found) == 1 else AnyOf(tuple(found))

    def one_of_two(self) -> KeyFilter:
        made = self.both()
        while self.take("XOR"):
            other = self.both()
            made = AnyOf((all_of(made, Not(other)), all_of(Not(made), other)))
        return made

    def both(self) -> KeyFilter:
        found = [self.negated()]
        while self.take("AND"):
            found.append(self.negated())
        return all_of(*found)

    def negated(self) -> KeyFilter:
        return Not(self.negated()) if self.take("NOT") else self.compared()

    def compared(self) -> KeyFilter:
        if self.take("("):
            made = self.either()
            self.need(")")
            return made
        if self.take("TRUE"):
            return EVERY_KEY
        if self.take("FALSE"):
            return _NEVER
        if self.take("EXISTS"):
            self.word()
            return EVERY_KEY  # every event on an object has a key
        start = self.now
        if start.kind == "text":
            said = self.text()
            if not self.take("="):
                raise SqlError("a text can be compared by = only", self.now.at)
            return self.side()(said)
        side = self.side()
        sign = self.take("=", "!=", "<>", "LIKE", "IN", "NOT")
        if sign == "NOT":
            return Not(self.like_or_in(self.take("LIKE", "IN"), side, start))
        if sign in ("LIKE", "IN"):
            return self.like_or_in(sign, side, start)
        if not sign:
            raise SqlError(f"{self.now.shown} can't be carried: comparisons of texts can", self.now.at)
        equal = side(self.text())
        return equal if sign == "=" else Not(equal)

    def like_or_in(self, sign: str, side: Callable[[str], KeyFilter], start: _Token) -> KeyFilter:
        if sign == "LIKE":
            if start.text != self.attribute:
                raise SqlError("LIKE of a part of a text can't be carried", start.at)
            return _read_like(self.text())
        if sign == "IN":
            self.need("(")
            texts = [self.text()]
            while self.take(","):
                texts.append(self.text())
            self.need(")")
            return side(texts[0]) if len(texts) == 1 else AnyOf(tuple(map(side, texts)))
        raise SqlError(f"expected LIKE or IN, got {self.now.shown}", self.now.at)

    def side(self) -> Callable[[str], KeyFilter]:
        """Take what is compared, the attribute or one of its ends, and return what being equal to a text then means."""
        token = self.now
        if token.kind == "word" and token.text.upper() in ("LEFT", "RIGHT") and self.tokens[self.index + 1].text == "(":
            self.index += 2
            self.word()
            self.need(",")
            length = self.now
            if length.kind != "number":
                raise SqlError(f"expected a number, got {length.shown}", length.at)
            self.index += 1
            self.need(")")
            count, left = int(length.text), token.text.upper() == "LEFT"

            def equal(text: str) -> KeyFilter:
                if len(text) == count:
                    return begins(text) if left else ends(text)
                return Pattern.of(text) if len(text) < count else _NEVER  # a key that is shorter is its own end

            return equal
        self.word()
        return Pattern.of

    def word(self) -> None:
        token = self.now
        if token.kind == "word" and self.tokens[self.index + 1].text == "(":
            raise SqlError(f"the function {token.text} can't be carried: LEFT and RIGHT can", token.at)
        if token.kind != "word" or token.text != self.attribute:
            raise SqlError(f"{token.shown} can't be carried: {self.attribute} alone is the key", token.at)
        self.index += 1

    def text(self) -> str:
        token = self.now
        if token.kind != "text":
            raise SqlError(f"expected a text, got {token.shown}", token.at)
        self.index += 1
        return re.sub(r"\\(['\"])", r"\1", token.text[1:-1])


def _read_like(text: str) -> KeyFilter:
    """Return the filter of a pattern: `%` for any text, `_` for one character, both escaped by a backslash."""
    parts: list[str | Piece] = []
    for piece in re.findall(r"\\[%_]|[\s\S]", text):
        parts.append({"%": ANY, "_": Piece("one")}.get(piece, piece[-1:]))
    return Pattern.of(*parts)


def write_sql(one: Pattern, attribute: str) -> str:
    """Return the expression that lets through what a pattern does, or raise CannotHold.

    Parts without a slash are told by how many slashes a key has: as many as stand between them, and not one more.
    """
    made, slashes, rest, within = [], 0, False, False
    for part in one.parts:
        if isinstance(part, str):
            made.append(re.sub(r"([%_])", r"\\\1", part))
            slashes += part.count("/")
        elif part.kind == "any":
            made.append("_%" if part.name else "%")
            rest = True
        elif part.kind in ("part", "segment"):
            made.append("_%" if part.kind == "segment" else "%")
            within = True
        elif part.kind == "one":
            made.append("_")
            rest = True  # which may be a slash
        elif part.kind == "but" and part.chars == "/":
            made.append("_")
            within = True
        else:
            raise CannotHold("its expressions have no sign for some characters")
    if rest and within:
        raise CannotHold("its expressions don't tell a part without a slash from one that may have some")
    like = f"{attribute} LIKE {_quoted(''.join(made))}"
    return f"{like} AND {attribute} NOT LIKE {_quoted('%/' * (slashes + 1) + '%')}" if within else like


def _quoted(text: str) -> str:
    if "\\" in text.replace("\\%", "").replace("\\_", ""):
        raise CannotHold("its patterns have no sign for a backslash")
    return "'" + text.replace("'", "\\'") + "'"
