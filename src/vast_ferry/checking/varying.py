"""Text that varies by itself: what its versions share is kept as a template, and another version held against it.

**How a template is made.** The first text is cut into tokens: words, and every other character by itself. The next is
aligned with it, line by line where both have as many lines, else by the longest runs that they share, and then token by
token within lines that differ; what they do not share becomes a gap. Each further text narrows the template in the same
way: tokens that two random texts share by accident do not survive a third. A text fits a template if the runs of tokens
between the gaps stand in it in order, as whole words, the first at its beginning, the last at its end, and no gap is
much longer there than any that was seen. So of `<p nonce=a1>100</p>` and `<p nonce=b2>100</p>` only the nonce is free.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from difflib import SequenceMatcher

from vast_ferry.hub.findings import FerryError

#: Longer texts that vary are not aligned: it would take more memory and time than a comparison may.
LARGEST = 2 * 1024 * 1024
#: A block of tokens that differs is aligned up to this size (tokens of one side times tokens of the other).
_LARGEST_BLOCK = 4_000_000
#: Fewer octets than this, between others that vary, are taken to be alike by chance.
_FEWEST_OCTETS = 4
_TOKEN = re.compile(r"\w+|[^\w]", re.DOTALL)
_BYTE = re.compile(".", re.DOTALL)


class TooLarge(FerryError, ValueError):
    """Text that varies and is too large to say what of it does."""


@dataclass(frozen=True, slots=True, eq=False)
class Gap:
    """What varies: how long it was at the longest, in characters, and whether it was ever empty."""

    longest: int
    empty: bool


def _tokens(text: str, *, octets: bool) -> list[str]:
    return (_BYTE if octets else _TOKEN).findall(text)


@dataclass(slots=True)
class Template:
    """What several texts share: tokens and gaps, in order."""

    parts: list[str | Gap] = field(default_factory=list)
    octets: bool = False

    @classmethod
    def of(cls, texts: Sequence[str], *, octets: bool = False) -> Template:
        """Return what some texts share, or with `octets` some bytes, each a character; raises TooLarge."""
        if max(len(text) for text in texts) > LARGEST:
            raise TooLarge
        made = cls(list(_tokens(texts[0], octets=octets)), octets)
        for text in texts[1:]:
            made = made.narrowed(text)
        return made

    def narrowed(self, text: str) -> Template:
        """Return what remains of the template once another text is held against it; raises TooLarge."""
        if len(text) > LARGEST:
            raise TooLarge
        made: list[str | Gap] = []
        mine, other = _lines(self.parts), _lines(_tokens(text, octets=self.octets))
        if len(mine) == len(other):
            for one, two in zip(mine, other, strict=True):
                _align(one, two, made)
        else:
            keys, theirs = [_key(line) for line in mine], [_key(line) for line in other]
            at = to = 0
            for match in SequenceMatcher(None, keys, theirs).get_matching_blocks():
                _align(_joined(mine[at : match.a]), _joined(other[to : match.b]), made)
                for line in mine[match.a : match.a + match.size]:
                    made += line
                at, to = match.a + match.size, match.b + match.size
        return Template(_without_chance(made, octets=self.octets), self.octets)

    def misfit(self, text: str) -> int | None:
        """Return nothing if a text fits, else about where it does not."""
        at = 0
        blocks = self._blocks()
        for number, (before, block) in enumerate(blocks):
            last = number == len(blocks) - 1
            found = _find(block, text, at, last=last and before is not None, words=not self.octets)
            if found is None or (before is None and found != 0):
                return _first_difference(block, text, at)
            if before is not None and not _fits_gap(before, text[at:found]):
                return at
            at = found + len(block)
        if not blocks:
            return None if not text else 0
        return None if at == len(text) else at

    def _blocks(self) -> list[tuple[Gap | None, str]]:
        """Return the runs of tokens, each with the gap before it; the last may be empty, for a gap at the end."""
        blocks: list[tuple[Gap | None, str]] = []
        gap: Gap | None = None
        run: list[str] = []
        for part in self.parts:
            if isinstance(part, Gap):
                if run or gap is None:
                    blocks.append((gap, "".join(run)))
                    run = []
                    gap = part
                else:
                    gap = _both(gap, part)
            else:
                run.append(part)
        if run or gap is not None:
            blocks.append((gap, "".join(run)))
        return blocks

    def __str__(self) -> str:
        return "".join("⟨…⟩" if isinstance(part, Gap) else part for part in self.parts)

    def around(self, at: int) -> str:
        """Return the template, cut where it is long."""
        text = str(self)
        start = max(0, min(at, len(text)) - 40)
        return ("…" if start else "") + text[start : start + 120]


def _without_chance(parts: list[str | Gap], *, octets: bool) -> list[str | Gap]:
    """Return parts without what stands between two gaps and is shared by chance: a single sign, or a few octets."""
    kept: list[str | Gap] = []
    run: list[str | Gap] = []  # what stands behind the last gap
    for part in parts:
        if not isinstance(part, Gap):
            run.append(part)
            continue
        by_chance = len(run) < _FEWEST_OCTETS if octets else not run or (len(run) == 1 and _chance(run[0]))
        if kept and by_chance:
            run, part = [], _both(_both(kept.pop(), Gap(len(run), True)), part)  # noqa: PLW2901
        kept += [*run, part]
        run = []
    return kept + run


def _chance(part: str | Gap) -> bool:
    return isinstance(part, str) and not part.isalnum() and not part.isspace()


def _lines(parts: Sequence[str | Gap]) -> list[list[str | Gap]]:
    lines: list[list[str | Gap]] = [[]]
    for part in parts:
        lines[-1].append(part)
        if part == "\n":
            lines.append([])
    return lines


def _joined(lines: list[list[str | Gap]]) -> list[str | Gap]:
    return [part for line in lines for part in line]


def _key(line: list[str | Gap]) -> str | int:
    return id(line) if any(isinstance(part, Gap) for part in line) else "".join(map(str, line))


def _length(parts: Sequence[str | Gap]) -> int:
    return sum(part.longest if isinstance(part, Gap) else len(part) for part in parts)


def _align(mine: Sequence[str | Gap], other: Sequence[str | Gap], made: list[str | Gap]) -> None:
    """Add to `made` what a part of a template and a part of a text share."""
    if not mine and not other:
        return
    start = 0
    while start < min(len(mine), len(other)) and mine[start] == other[start]:
        start += 1
    made += mine[:start]
    mine, other = mine[start:], other[start:]
    end = 0
    while end < min(len(mine), len(other)) and mine[-1 - end] == other[-1 - end]:
        end += 1
    tail = mine[len(mine) - end :]
    mine, other = mine[: len(mine) - end], other[: len(other) - end]
    if len(mine) * len(other) > _LARGEST_BLOCK:
        raise TooLarge
    at = to = 0
    for match in SequenceMatcher(None, mine, other, autojunk=False).get_matching_blocks():
        free, theirs = mine[at : match.a], other[to : match.b]
        if free or theirs:
            fewest = any(isinstance(part, Gap) and part.empty for part in free) and all(
                isinstance(part, Gap) for part in free
            )
            gap = Gap(max(_length(free), _length(theirs)), fewest or not free or not theirs)
            if made and isinstance(made[-1], Gap):
                gap = _both(made.pop(), gap)
            made.append(gap)
        made += mine[match.a : match.a + match.size]
        at, to = match.a + match.size, match.b + match.size
    made += tail


def _both(one: str | Gap, two: Gap) -> Gap:
    assert isinstance(one, Gap)
    return Gap(one.longest + two.longest, one.empty and two.empty)


def _fits_gap(gap: Gap, text: str) -> bool:
    return len(text) <= 2 * gap.longest + 16 and (gap.empty or bool(text))


def _word(text: str, at: int) -> bool:
    return 0 <= at < len(text) and (text[at].isalnum() or text[at] == "_")


def _find(block: str, text: str, at: int, *, last: bool, words: bool) -> int | None:
    """Return where a run of tokens stands in a text, and of `words` as whole ones."""
    if not block:
        return len(text) if last else at
    if last:
        found = len(text) - len(block)
        whole = found >= at and text.endswith(block) and not (words and _word(block, 0) and _word(text, found - 1))
        return found if whole else None
    found = text.find(block, at)
    while found >= 0:
        cut_before = _word(block, 0) and _word(text, found - 1)
        cut_after = _word(block, len(block) - 1) and _word(text, found + len(block))
        if not words or not (cut_before or cut_after):
            return found
        found = text.find(block, found + 1)
    return None


def _first_difference(block: str, text: str, at: int) -> int:
    """Return where a text departs from a run of tokens that it does not hold: behind as much of it as it does hold."""
    low, high = 0, len(block)
    while low < high:
        middle = (low + high + 1) // 2
        if text.find(block[:middle], at) >= 0:
            low = middle
        else:
            high = middle - 1
    return text.find(block[:low], at) + low
