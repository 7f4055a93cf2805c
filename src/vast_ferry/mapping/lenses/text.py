"""How texts stand at native places: encoded, behind a beginning, as one of a provider's words."""

from __future__ import annotations

from collections.abc import Mapping

from vast_ferry.hub.standards import CHANGES
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.by_hand import ByHand, Stands
from vast_ferry.mapping.expressions import Expression, Literal, helper
from vast_ferry.mapping.lenses.lens import Lens, Need, TwoHelpers
from vast_ferry.mapping.losses import Loss


class ChoiceOf(Lens):
    """One of the provider's words, each for one of the hub's: `own=hub`; of several for one, the first is written."""

    __slots__ = ()
    wants_value = True
    name, takes, named, holds = "choice", "own word=hub word", True, ("text", "integer")

    @property
    def words(self) -> Mapping[str, str]:
        return dict(self.options)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("word_of", Literal(dict(self.options)), at)

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("word_of", Literal(self.own), value)

    def inline(self, stands: Stands) -> ByHand | None:
        return _word(stands.at, self.words)

    def inline_write(self, value: ByHand) -> ByHand | None:
        return _word(value, self.own)

    @property
    def own(self) -> dict[str, str]:
        """Return the hub's words → the provider's first for each."""
        first: dict[str, str] = {}
        for own, hub in self.options:
            first.setdefault(hub, own)
        return first

    def losses(self, field: str) -> tuple[Loss, ...]:
        own = self.own
        if field == "scheme" or any(set(own).issuperset(words) for words in CHANGES.values()):
            return ()  # there is no other
        why = f"it is none of {', '.join(map(str, own))}, for which the provider has words"
        none = Loss(
            "no-word-there",
            field,
            why,
            "the event can't be told",
            lambda fields: field in fields and fields[field] not in own,
            tried=True,
            unreadable=True,
        )
        return (none,)

    def inline_from(self, other: Lens, there: ByHand) -> ByHand:
        """Return a word as it stands here, straight from another provider's."""
        mine = self.own
        return _word(there, {word: mine[hub] for word, hub in other.words.items() if hub in mine})


def _word(at: ByHand, words: Mapping[str, str]) -> ByHand:
    entries = tuple(ex.Entry(Literal(word), Literal(other)) for word, other in words.items())
    return at.over(lambda word: ex.Item(ex.Mapping(entries), word), "str")


class FormText(TwoHelpers):
    """Text that is percent-encoded as in a form: `+` for a space, slashes as they are."""

    __slots__ = ()
    wants_value = True
    name, holds, reader, writer = "form_text", ("text",), "from_form_text", "to_form_text"
    undoes = ("urllib.parse.unquote_plus",)
    gives = "text"

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.standard("urllib.parse.unquote_plus", at), "str")

    def inline_write(self, value: ByHand) -> ByHand | None:
        return value.over(lambda text: ex.standard("urllib.parse.quote_plus", text, safe=Literal("/")), "str")


class PercentText(TwoHelpers):
    """Text that is percent-encoded, slashes as they are (RFC 3986 §2.1)."""

    __slots__ = ()
    wants_value = True
    name, holds, reader, writer = "percent_text", ("text",), "from_percent_text", "to_percent_text"
    undoes = ("urllib.parse.unquote",)
    gives = "text"

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.standard("urllib.parse.unquote", at), "str")

    def inline_write(self, value: ByHand) -> ByHand | None:
        return value.over(lambda text: ex.standard("urllib.parse.quote", text), "str")


class PrefixedText(Lens):
    """Text behind a fixed beginning."""

    __slots__ = ()
    wants_value = True
    name, takes, fewest, most, holds = "prefixed", "the beginning", 1, 1, ("text",)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("after_prefix", at, Literal(self.args[0]))

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.Operation("+", (Literal(self.args[0]), value))

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(self._after, "str")

    def inline_write(self, value: ByHand) -> ByHand | None:
        return value.over(lambda text: ex.Operation("+", (Literal(self.args[0]), text)), "str")

    def _after(self, at: Expression) -> Expression:
        return ex.method(at, "removeprefix", Literal(self.args[0]))


class PercentAfter(PrefixedText):
    """Percent-encoded text behind a fixed beginning, slashes encoded too: one segment of a URI reference."""

    __slots__ = ()
    name = "percent_after"

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("from_percent_text", helper("after_prefix", at, Literal(self.args[0])))

    def write(self, value: Expression, need: Need) -> Expression:
        return ex.Operation("+", (Literal(self.args[0]), helper("to_segment", value)))

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.standard("urllib.parse.unquote", self._after(at)), "str")

    def inline_write(self, value: ByHand) -> ByHand | None:
        def behind(text: Expression) -> Expression:
            encoded = ex.standard("urllib.parse.quote", text, safe=Literal(""))
            return ex.Operation("+", (Literal(self.args[0]), encoded))

        return value.over(behind, "str")


class OrNull(TwoHelpers):
    """Text, or null where it is empty."""

    __slots__ = ()
    name, holds, reader, writer, empty = "or_null", ("text",), "text_or_empty", "text_or_null", '""'

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.either(at, Literal("")), "str")

    def inline_write(self, value: ByHand) -> ByHand | None:
        return value.over(lambda text: ex.either(text, Literal(None)))


class NumberText(TwoHelpers):
    """A number as text."""

    __slots__ = ()
    name, holds, reader, writer = "number_text", ("integer", "integer or nothing"), "number_from_text", "number_to_text"
    gives = "text"

    def inline(self, stands: Stands) -> ByHand | None:
        def number(at: Expression) -> Expression:
            made = ex.built_in("int", at)
            return made if stands.holds == "integer" else ex.Choice(at, made, Literal(None))

        return stands.at.over(number, "int")


class LatinBytes(TwoHelpers):
    """Text as bytes, a character a byte: what stands on a request line."""

    __slots__ = ()
    name, holds, reader, writer = "latin_bytes", ("text",), "text_from_latin", "latin_of"

    def on_file(self) -> Lens:
        return Lens()

    def inline(self, stands: Stands) -> ByHand | None:
        return stands.at.over(lambda at: ex.method(at, "decode", Literal("latin-1")), "str")


class RouteStyle(Lens):
    """A route whose captures are spelt in the provider's own way: one segment, and the rest of the path."""

    __slots__ = ()
    wants_value = True
    name, takes, fewest, most, holds = "route", "how 'name' is spelt for one segment and for the rest", 2, 2, ("text",)

    def read(self, at: Expression, flag: Expression | None, need: Need) -> Expression:
        return helper("route_from_style", at, *(Literal(form) for form in self.args), name="route")

    def write(self, value: Expression, need: Need) -> Expression:
        return helper("route_to_style", value, *(Literal(form) for form in self.args))
