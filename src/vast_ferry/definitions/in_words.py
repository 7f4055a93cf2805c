"""Forms of values that definitions spell in words: sizes, lists in one text, words by beginnings, what may be done."""

from __future__ import annotations

import re
from typing import Any, ClassVar, Final

from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.forms import AccessForm, Form, FormError, Wider, got, listed
from vast_ferry.hub.functions import Access
from vast_ferry.hub.keys import fits


class Each(Form):
    """A text, or a list of texts: one trigger for each of them. One alone is written as a text."""

    __slots__ = ()
    name = "each"

    def read(self, value: Any, field: str) -> tuple[str, ...]:
        return tuple(listed([value] if isinstance(value, str) else value))

    def write(self, value: Any) -> Any:
        return value if isinstance(value, str) else list(value)


class EachWord(Each):
    """Words in one text, set apart by spaces: one trigger for each of them."""

    __slots__ = ()
    name = "each_word"

    def read(self, value: Any, field: str) -> tuple[str, ...]:
        return tuple(listed(value))


class Apart(Form):
    """A list of words in one text, set apart by what is given: `apart('|')`."""

    __slots__ = ()
    name, takes, wants = "apart", 1, "what sets words apart"

    def read(self, value: Any, field: str) -> Any:
        return Form.read(self, listed(value, rf"\s*{re.escape(self.args[0].strip() or ' ')}\s*"), field)

    def write(self, value: Any) -> str:
        return self.args[0].join(value)


class WordsByBeginning(Form):
    """A list of the provider's words, in one text or several, `*` for any rest: each stands for one of the hub's.

    `words` of the row say which; several may stand for one. All that stand for it are written.
    """

    __slots__ = ()
    name, worded = "words_by_beginning", True
    in_one: ClassVar[bool] = False

    def read(self, value: Any, field: str) -> tuple[str, ...]:
        asked: dict[str, None] = {}
        for word in listed(value):
            fitting = [own for own in self.options if fits(own, word)]
            if not fitting:
                raise FormError(f"expected words such as {', '.join(list(self.options)[:4])}, got {got(word)}")
            asked |= dict.fromkeys(fitting)
        hub = dict.fromkeys(self.options[own] for own in asked)
        for meant in hub:
            apart = [own for own, one in self.options.items() if one == meant and own not in asked]
            if apart:
                why = f"{' '.join(listed(value))} leaves out {', '.join(apart)}, which is {meant} as well"
                raise Wider(f"{why}; the function is called for it too", tuple(hub))
        return tuple(hub)

    def write(self, value: Any) -> Any:
        missing = [one for one in value if one not in self.options.values()]
        if missing:
            raise CannotHold(f"it has no word for {', '.join(missing)}")
        made = [own for one in value for own, hub in self.options.items() if hub == one]
        return " ".join(made) if self.in_one else made


class WordsInOneText(WordsByBeginning):
    """The same in one text, set apart by spaces."""

    __slots__ = ()
    name, in_one = "words_in_one_text", True


#: In a sentence: the name of what it is of, and what is not carried.
_MARKED: Final = re.compile(r"\{name\}|\{_(?:=[^{}]*)?\}")


class AccessInWords(AccessForm):
    """What a function may do, each in a sentence: `words` of the row give sentences with `{name}` for what it is of.

    `{_}` stands for what is not carried. Several verbs may stand at a sentence's beginning, set apart by `, `.
    """

    __slots__ = ()
    name, takes, named, worded, wants = "access_in_words", 0, False, True, "no arguments, and sentences as words"

    def wrong(self) -> str:
        for words in self.options:
            if not isinstance(words, str) or words.count("{name}") != 1:
                return f"a sentence says once what it is of, as {{name}}; {words!r} does not"
            if re.search(r"[\[\]{}]", re.sub(r"\[[^\[\]]*\]", "", _MARKED.sub("", words))):
                return f"{words!r} has a bracket or a brace without its other one; [ ] go around what may be missing"
        return super().wrong()

    def read(self, value: Any, field: str) -> tuple[Access, ...]:
        made: dict[Access, None] = {}
        for sentence in listed([value] if isinstance(value, str) else value):
            *verbs, rest = re.split(r",\s+", sentence)
            last, mark, where = rest.partition(" ")
            for one in [rest] if not verbs else [f"{verb}{mark}{where}" for verb in (*verbs, last)]:
                made[self._of(one)] = None
        return tuple(sorted(made))

    def _of(self, sentence: str) -> Access:
        for words, meant in self.options.items():
            found = _sentence(words).fullmatch(sentence)
            if found:
                kind, _, verb = meant.partition("_")
                return Access(kind, verb, found["name"])
        known = "; ".join(self.options)
        raise FormError(f"expected one of: {known}; got {got(sentence)}")

    def write(self, value: tuple[Access, ...]) -> list[str]:
        own = {hub: words for words, hub in reversed(self.options.items())}
        return [self._sentence(own[f"{one.kind}_{one.verb}"], one.name) for one in value if self.holds(one)]

    def _sentence(self, words: str, name: str) -> str:
        needed = re.sub(r"\[[^\]]*\]", "", words)  # what may be missing is not written
        return re.sub(r"\{_=([^{}]*)\}", r"\1", needed).replace("{name}", name)


def _sentence(words: str) -> re.Pattern[str]:
    """Return the pattern of a sentence: `{name}`, `{_=usual}` are a word each; what is in brackets may be missing."""
    made = ""
    for part in re.split(rf"({_MARKED.pattern}|\[|\])", words):
        if part == "{name}":
            made += r"(?P<name>\S+)"
        elif part.startswith("{_"):
            made += r"\S+"
        else:
            made += {"[": "(?:", "]": ")?"}.get(part, re.escape(part))
    return re.compile(made)
