"""Which keys of objects a filter lets through, as every dialect's meaning, and whether two let through the same.

A filter is built of patterns, and of all, any and not of filters. No dialect stands here.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final, Literal

from vast_ferry.hub.findings import FerryError

#: More states than filters written by hand have; what has more is not decided.
MOST_STATES: Final = 20_000


@dataclass(frozen=True, slots=True)
class Piece:
    """A part of a pattern that stands for several texts.

    `any` is every text, `part` every text without a slash, `segment` one that is not empty, `one` any single character,
    `of` and `but` a single character of (or not of) `chars`. A segment, and an `any`, may have a `name`: a capture.
    """

    kind: Literal["any", "part", "segment", "one", "of", "but"]
    name: str = ""
    chars: str = ""


def _adds_nothing(before: str | Piece, part: Piece) -> bool:
    """Tell whether a piece after another stands for no text that the other does not."""
    if part.name or isinstance(before, str):
        return False
    return (part.kind in ("any", "part") and before.kind == "any") or (
        part.kind == "part" and before.kind in ("part", "segment")
    )


@dataclass(frozen=True, slots=True)
class Pattern:
    """Keys that are, from one end to the other, what the parts stand for: texts as they are, and pieces."""

    parts: tuple[str | Piece, ...] = ()

    @classmethod
    def of(cls, *parts: str | Piece) -> Pattern:
        """Return the pattern of some parts, texts beside each other joined and what is the same written the same."""
        made: list[str | Piece] = []
        for part in parts:
            if isinstance(part, str) and made and isinstance(made[-1], str):
                made[-1] += part
            elif (
                isinstance(part, Piece)
                and made
                and isinstance(before := made[-1], Piece)
                and _adds_nothing(before, part)
            ):
                continue
            elif part != "":
                made.append(part)
        return cls(tuple(made))


@dataclass(frozen=True, slots=True)
class All:
    """Keys that every one of these filters lets through."""

    filters: tuple[KeyFilter, ...]


@dataclass(frozen=True, slots=True)
class AnyOf:
    """Keys that one of these filters lets through."""

    filters: tuple[KeyFilter, ...]


@dataclass(frozen=True, slots=True)
class Not:
    """Keys that a filter does not let through."""

    filter: KeyFilter


KeyFilter = Pattern | All | AnyOf | Not

ANY: Final = Piece("any")
EVERY_KEY: Final = Pattern((ANY,))


def fits(name: str, pattern: str) -> bool:
    """Tell whether a name is one that a pattern means, in which `*` is any text and all else stands for itself."""
    first, *rest = pattern.split("*")
    parts = [first, *(part for text in rest for part in (ANY, text))]
    return name == pattern or (bool(rest) and admits(Pattern.of(*parts), name))


def begins(prefix: str) -> Pattern:
    """Return the filter of keys that begin so."""
    return Pattern.of(prefix, ANY)


def ends(suffix: str) -> Pattern:
    """Return the filter of keys that end so."""
    return Pattern.of(ANY, suffix)


def all_of(*filters: KeyFilter) -> KeyFilter:
    """Return the filter of keys that all let through, the simplest way."""
    some = tuple(one for one in filters if one != EVERY_KEY)
    return some[0] if len(some) == 1 else All(some) if some else EVERY_KEY


def without_captures(one: KeyFilter) -> KeyFilter:
    """Return a filter that lets through the same keys and captures nothing of them."""
    if isinstance(one, Pattern):
        parts: list[str | Piece] = []
        for part in one.parts:
            if isinstance(part, Piece) and part.kind == "any" and part.name:
                parts += [Piece("one"), ANY]  # which is never empty
            else:
                parts.append(part if isinstance(part, str) else Piece(part.kind, "", part.chars))
        return Pattern.of(*parts)
    if isinstance(one, Not):
        return Not(without_captures(one.filter))
    return type(one)(tuple(without_captures(inner) for inner in one.filters))


# --- deciding --------------------------------------------------------------------------------------------------------

# A pattern is an automaton whose states are places between steps. A step takes one character; a loop takes any number.

_Step = tuple[str, str, bool]  # how characters are told, which, whether it may be taken any number of times


def _steps(pattern: Pattern) -> list[_Step]:
    steps: list[_Step] = []
    for part in pattern.parts:
        if isinstance(part, str):
            steps += [("of", char, False) for char in part]
        elif part.kind == "any":
            # A capture of the rest is not empty; without a name any text will do.
            steps += [("but", "", False)] * bool(part.name) + [("but", "", True)]
        elif part.kind == "part":
            steps.append(("but", "/", True))
        elif part.kind == "segment":
            steps += [("but", "/", False), ("but", "/", True)]
        elif part.kind == "one":
            steps.append(("but", "", False))
        else:
            steps.append((part.kind, part.chars, False))
    return steps


def _takes(step: _Step, char: str) -> bool:
    return (char in step[1]) is (step[0] == "of")


class _Automaton:
    def __init__(self, pattern: Pattern) -> None:
        self.steps = _steps(pattern)
        self.chars = frozenset(char for _, chars, _ in self.steps for char in chars)
        self._next: dict[tuple[frozenset[int], str], frozenset[int]] = {}

    def start(self) -> frozenset[int]:
        return self._closed({0})

    def _closed(self, states: set[int]) -> frozenset[int]:
        for state in sorted(states):
            while state < len(self.steps) and self.steps[state][2]:
                state += 1  # noqa: PLW2901  (a loop may be left without taking anything)
                states.add(state)
        return frozenset(states)

    def after(self, states: frozenset[int], char: str) -> frozenset[int]:
        key = states, char
        found = self._next.get(key)
        if found is None:
            taken = {
                state if self.steps[state][2] else state + 1
                for state in states
                if state < len(self.steps) and _takes(self.steps[state], char)
            }
            found = self._next[key] = self._closed(taken)
        return found

    def accepts(self, states: frozenset[int]) -> bool:
        return len(self.steps) in states


def _patterns(one: KeyFilter) -> Iterator[Pattern]:
    if isinstance(one, Pattern):
        yield one
    elif isinstance(one, Not):
        yield from _patterns(one.filter)
    else:
        for inner in one.filters:
            yield from _patterns(inner)


def _true(one: KeyFilter, truths: dict[Pattern, bool]) -> bool:
    if isinstance(one, Pattern):
        return truths[one]
    if isinstance(one, Not):
        return not _true(one.filter, truths)
    each = (_true(inner, truths) for inner in one.filters)
    return all(each) if isinstance(one, All) else any(each)


def admits(one: KeyFilter, key: str) -> bool:
    """Tell whether a filter lets a key through."""
    truths = {}
    for pattern in _patterns(one):
        automaton = _Automaton(pattern)
        states = automaton.start()
        for char in key:
            states = automaton.after(states, char)
        truths[pattern] = automaton.accepts(states)
    return _true(one, truths)


class Undecided(FerryError, ValueError):
    """Two filters that are too large to be compared."""


def differing_key(one: KeyFilter, other: KeyFilter) -> str | None:
    """Return a shortest key that only one of two filters lets through; None where both let through the same keys.

    Every key is considered, not some: the filters are run side by side over all characters that they tell apart.
    Raises Undecided where that would take too long.
    """
    patterns = list(dict.fromkeys([*_patterns(one), *_patterns(other)]))
    automata = [_Automaton(pattern) for pattern in patterns]
    told = {char for automaton in automata for char in automaton.chars} | {"/"}
    # One character stands for all that no pattern tells apart; a letter reads best.
    other_char = next(char for char in "xyzabcdefghijklmnopqrstuvw0123456789-_." + "§" if char not in told)
    alphabet = [other_char, *sorted(told)]
    start = tuple(automaton.start() for automaton in automata)
    # The start stands for the empty key, which no object has; it counts as seen when another key leads there.
    seen: set[tuple[frozenset[int], ...]] = set()
    waiting = deque([(start, "")])
    while waiting:
        states, key = waiting.popleft()
        pairs = zip(patterns, automata, states, strict=True)
        truths = {pattern: automaton.accepts(state) for pattern, automaton, state in pairs}
        if key and _true(one, truths) != _true(other, truths):
            return key
        for char in alphabet:
            following = tuple(automaton.after(state, char) for automaton, state in zip(automata, states, strict=True))
            if following not in seen:
                if len(seen) >= MOST_STATES:
                    raise Undecided(f"over {MOST_STATES:,} cases")
                seen.add(following)
                waiting.append((following, key + char))
    return None
