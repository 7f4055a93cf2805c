"""Rows as an author writes them, made into the rows of the tables that the compiler takes.

A row of one place and one field is a row of the table. One of several fields (a text of several parts), or of several
places, gives each of its places a field of the shape's own, and rules by which that follows from the hub's fields and
they from it: what the compiler does with views it does with these.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from vast_ferry.documents.document import Document
from vast_ferry.hub.fields import EVENTS, Field
from vast_ferry.hub.findings import BadInput, nearest
from vast_ferry.hub.kinds import KINDS
from vast_ferry.mapping.compile.parts import (
    Either,
    Own,
    Places,
    not_apart,
    of_either,
    of_header_fields,
    of_places,
    of_text,
)
from vast_ferry.mapping.lenses.every import parse_lens, with_words
from vast_ferry.mapping.lenses.lens import Lens, LensError, Plain
from vast_ferry.mapping.lenses.pipeline import Pipeline
from vast_ferry.mapping.places import Access, Item, PlaceError, parse_place
from vast_ferry.mapping.tables import (
    Row,
)
from vast_ferry.mapping.templates import PLAIN, Part, TemplateError, parse_template
from vast_ferry.mapping.views import Rule
from vast_ferry.profiles import schema


def _by_number(at: Access) -> bool:
    """Tell whether a place is an item by its number, of what may be shorter."""
    return any(isinstance(step, Item) and isinstance(step.key, int) for step in at.steps)


def _text_and_forms(text: str) -> tuple[str, str, str]:
    """Return the text in quotes with which `as` begins, and the forms behind it."""
    text = text.strip()
    end = text.find(text[0], 1) if text[:1] in ("'", '"') else -1
    if end < 0:
        return "", "", ""
    rest = text[end + 1 :].strip()
    return text[1:end], "|", rest.removeprefix("|").strip()


@dataclass(slots=True)
class Names:
    """What rows of one shape may name beside its parameters, and the fields and rules of its own that they add."""

    profile: schema.ProfileModel
    kind: str
    entry: str
    which: str
    answers: bool = False  # rows are of an answer
    fields: dict[str, Field] = field(default_factory=dict)
    rules: list[Rule] = field(default_factory=list)
    lets: dict[str, Access] = field(default_factory=dict)
    entries: set[str] = field(default_factory=set)  # what is on the way to an event of a batch

    def __post_init__(self) -> None:
        self.fields.update(self.known)

    @property
    def known(self) -> Mapping[str, Field]:
        """Return the hub's fields."""
        return KINDS[self.kind].reply if self.answers else EVENTS[self.kind]

    @property
    def all_of_them(self) -> Own:
        """Return the fields and rules, which may still become more."""
        return Own(self.kind, self.fields, self.rules, self.answers)

    def own(self, what: str) -> str:
        """Return the name of a new field of the shape's own, which no other shape has."""
        provider = f"{self.profile.provider}_{self.profile.edition}".replace("-", "_")
        name = f"own.{provider}.{self.kind}.{what}{self.which}_{len(self.fields) - len(self.known) + 1}"
        self.fields[name] = Field(name, False, "any", "None", "a field of the shape's own")
        return name

    def found(self, at: Access) -> Access:
        """Return a place whose first name may be one that the shape gives to another place."""
        if at.root in self.lets:
            let = self.lets[at.root]
            return replace(at, root=let.root, steps=(*let.steps, *at.steps))
        if at.root in self.entries:
            return replace(at, root=self.entry, steps=(Item(at.root), *at.steps))
        return at


class RowBuilder:
    """Turns rows as written into rows for the compiler, noting every mistake with its line."""

    def __init__(self, document: Document, *, javascript: bool = False) -> None:
        self.document, self.javascript = document, javascript
        self.problems: list[BadInput] = []

    def _place(self, text: str, *path: str | int, names: Names | None = None) -> Access:
        try:
            at = parse_place(text)
        except PlaceError as error:
            place = self.document.place(*path)
            remedy = 'Write it as an access path, such as event["call"]["verb"] or request.text()'
            self.problems.append(BadInput(str(error), remedy, place))
            return Access("_")
        return names.found(at) if names else at

    def _lens(self, text: str, *path: str | int) -> Lens:
        try:
            return parse_lens(text)
        except (LensError, ValueError) as error:
            self._no(str(error), "See docs/profiles.md for the lenses", *path)
            return Plain()

    def _worded(self, lens: Lens, model: schema.RowModel, *path: str | int) -> Lens:
        """Return a lens with the words that stand in a key of their own."""
        if not model.words:
            try:
                lens.losses("id")
            except LensError as error:
                self._no(str(error), "Add `words:`", *path, "as")
                return Plain()
            return lens
        if lens == Plain():
            lens = parse_lens("choice")
        try:
            return with_words(lens, model.words)
        except LensError as error:
            self._no(str(error), "Name the lens that takes them in `as`", *path, "words")
            return Plain()

    def _no(self, what: str, remedy: str, *path: str | int) -> None:
        self.problems.append(BadInput(what, remedy, self.document.place(*path)))

    def row(self, model: schema.RowModel, *path: str | int, names: Names | None = None) -> Row:
        """Return a row of one place and one field."""
        if not isinstance(model.at, str) or not isinstance(model.is_, str) or "{" in model.is_:
            what = "several places of a field, and several fields of a place, are for the rows of events"
            self._no(what, "Give the row one place and one field", *path)
            return Row(Access("_"), "")
        at = self._place(model.at, *path, "at", names=names)
        lens = self._worded(self._lens(model.as_, *path, "as"), model, *path)
        known = names.fields if names is not None else {}
        if isinstance(lens, Pipeline) and model.is_ in known and (why := lens.breaks(known[model.is_])):
            what = f"the forms {lens} don't follow on each other: {why}"
            self._no(what, "Write them from the place to the field, such as base64 | gzip", *path, "as")
        least = 2 if names is not None and names.entries else 1
        return Row(
            replace(at, gently=model.optional and (len(at.steps) > least or _by_number(at))),
            model.is_,
            lens,
            model.derived,
            model.optional,
            self._flag(model, *path, names=names) if model.flag else None,
            model.offer,
            model.unless_empty,
            model.null_if_empty,
            model.read_only,
            line=self.document.place(*path).line,
        )

    def _flag(self, model: schema.RowModel, *path: str | int, names: Names | None) -> Access:
        """Return a row's second place; what is on the way to it may be missing where the row is optional."""
        flag = self._place(model.flag, *path, "flag", names=names)
        return replace(flag, gently=model.optional and len(flag.steps) > (2 if names and names.entries else 1))

    def rows(self, models: list[schema.RowModel], names: Names, *path: str | int) -> list[Row]:
        """Return the rows of a shape; those of several fields or places add fields and rules to `names`."""
        for index, model in enumerate(models):
            if not model.at or not model.is_:
                self._no("a row has a place and a field, or several of one of them", "Write both", *path, index)
        models = self._with_header_fields([model for model in models if model.at and model.is_], names, *path)
        plain = [
            (index, self.row(model, *path, index, names=names))
            for index, model in enumerate(models)
            if isinstance(model.at, str) and not model.or_at and isinstance(model.is_, str) and "{" not in model.is_
        ]
        made: dict[int, list[Row]] = {index: [row] for index, row in plain}
        for index, model in enumerate(models):
            if index not in made and isinstance(model.at, str):
                of_one = self._of_either if model.or_at else self._of_text
                made[index] = of_one(model, names, *path, index)
        others = [row for rows in made.values() for row in rows]
        for index, model in enumerate(models):
            if index in made:
                continue
            if isinstance(model.is_, str):
                made[index] = self._of_places(model, names, others, *path, index)
            else:
                self._no("a row has several places, or a text of several fields, not both", "Split it", *path, index)
        return [row for index in sorted(made) for row in made[index]]

    def _with_header_fields(
        self, models: list[schema.RowModel], names: Names, *path: str | int
    ) -> list[schema.RowModel]:
        """Return rows of which those for one header field (`header.content-type`) feed a field of the shape's own."""
        apart = {str(model.is_)[7:].lower(): index for index, model in enumerate(models) if _is_header(model)}
        if not apart:
            return models
        of_all = ("headers.plain", "headers")
        whole = next((name for name in of_all if any(model.is_ == name for model in models)), of_all[0])
        if "headers" not in names.known:
            self._no("events of this kind have no header fields", "Take the row out", *path, min(apart.values()))
            return models
        if len(apart) != sum(map(_is_header, models)):
            self._no("two rows feed the same header field", "Keep one of them", *path, min(apart.values()))
            models = [one for at, one in enumerate(models) if not _is_header(one) or at in apart.values()]
            apart = {str(model.is_)[7:].lower(): index for index, model in enumerate(models) if _is_header(model)}
        owns = {name: names.own("header") for name in apart}
        others = names.own("headers") if any(model.is_ == whole for model in models) else ""
        names.rules += of_header_fields(whole, others, owns, names.all_of_them)
        made = list(models)
        for name, index in apart.items():
            made[index] = models[index].model_copy(update={"is_": owns[name]})
        return [
            model.model_copy(update={"is_": others}) if model.is_ == whole and not model.derived else model
            for model in made
        ]

    def _of_text(self, model: schema.RowModel, names: Names, *path: str | int) -> list[Row]:
        texts = [model.is_] if isinstance(model.is_, str) else model.is_
        try:
            template = parse_template(*texts)
        except (TemplateError, LensError, ValueError) as error:
            self._no(str(error), "Write the text with fields in braces, such as '{method} {target}'", *path, "is")
            return []
        template = replace(template, parts=tuple(_as_digits(part, names) for part in template.parts))
        for part in template.parts:
            if not self._fits(part.field, part.lens, names, *path, "is"):
                return []
            holds = names.fields[part.field].holds
            if part.lens is PLAIN and holds not in ("text", "any"):
                what = f"{part.field} holds {holds}, and nothing says how that stands in a text"
                self._no(what, f"Name a form that makes it a text: {{{part.field} | …}}", *path, "is")
                return []
        own = names.own("text")
        names.rules += of_text(own, template, names.all_of_them, optional=model.optional)
        row = self.row(model.model_copy(update={"is_": own}), *path, names=names)
        return [replace(row, shown=" or ".join(texts))]

    def _of_either(self, model: schema.RowModel, names: Names, *path: str | int) -> list[Row]:
        """Return the rows of a field that stands at a place, or where nothing does at another."""
        lens = self._worded(self._lens(model.as_, *path, "as"), model, *path)
        if not isinstance(model.is_, str) or "{" in model.is_ or lens.flagged or model.derived:
            what = "what stands elsewhere where nothing stands here is one field, of one place each"
            self._no(what, "Take `or_at` out, or split the row", *path, "or_at")
            return []
        if not self._fits(model.is_, lens, names, *path, "is"):
            return []
        first, second = names.own("either"), names.own("either")
        each: dict[str, Any] = {"as_": "plain", "words": {}, "or_at": "", "unless_empty": False, "null_if_empty": False}
        here = self.row(model.model_copy(update={**each, "is_": first, "optional": True}), *path, names=names)
        update = {**each, "at": model.or_at, "is_": second, "optional": True, "read_only": True}
        there = self.row(model.model_copy(update=update), *path, names=names)
        places = (str(model.at), model.or_at)
        left_out = model.unless_empty or model.null_if_empty
        either = Either((first, second), places, model.is_, lens, model.optional, left_out)
        names.rules += of_either(either, names.all_of_them)
        here = replace(here, unless_empty=model.unless_empty, shown=model.is_)
        return [here, replace(there, shown=f"{model.is_}, where nothing stands at {model.at}")]

    def _fits(self, name: str, lens: Lens, names: Names, *path: str | int) -> bool:
        if name not in names.fields:
            known = f"Use one of: {', '.join(sorted(names.known))}"
            self._no(f"there is no hub field {name!r}{nearest(name, names.fields)}", known, *path)
            return False
        holds = names.fields[name].holds
        if lens.holds and holds not in lens.holds:
            what = f"lens {lens} is for {' or '.join(lens.holds)}, and {name} holds {holds}"
            self._no(what, "Take another lens, or another field", *path)
            return False
        return True

    def _of_places(self, model: schema.RowModel, names: Names, others: list[Row], *path: str | int) -> list[Row]:
        assert isinstance(model.is_, str)
        text, _, forms = _text_and_forms(model.as_)
        lens = self._worded(self._lens(forms, *path, "as") if forms else Plain(), model, *path)
        try:
            template = parse_template(text)
        except (TemplateError, LensError, ValueError) as error:
            self._no(str(error), "Begin `as` with the text that they make, such as \"'{}T{}Z'\"", *path, "as")
            return []
        if len(template.parts) != len(model.at):
            what = f"{text!r} has {len(template.parts)} parts, and there are {len(model.at)} places"
            self._no(what, "Write {} for each place, in order", *path, "as")
            return []
        if not self._fits(model.is_, lens, names, *path, "is"):
            return []
        if odd := not_apart(model.is_, lens, template):
            remedy = "Put what may be missing there into [ ], such as \"'{ | whole}[.{ | fraction(9)}]'\""
            self._no(f"{odd}, which can't be taken apart as {text!r}", remedy, *path, "as")
            return []
        owns = [names.own("part") for _ in model.at]
        made, shared = [], {}
        for number, at in enumerate(model.at):
            place: dict[str, Any] = {
                "at": at,
                "is_": owns[number],
                "as_": "plain",
                "words": {},
                "read_only": model.read_only,
            }
            if not template.parts[number].needed:
                place["optional"] = True  # what a text may lack may be missing where it stands
            row = self.row(model.model_copy(update=place), *path, names=names)
            other = next((one for one in others if one.at == row.at), None)
            if other is not None:
                shared[number] = (other.field, other.lens)
                row = replace(row, read_only=True)
            made.append(replace(row, shown=f"{model.is_}, part {number + 1} of {model.as_}"))
        places = Places(tuple(owns), model.is_, template, lens, shared, model.optional)
        names.rules += of_places(places, names.all_of_them)
        return made


def _as_digits(part: Part, names: Names) -> Part:
    """Return a part of a text in which a number stands, without a form, as one in digits."""
    known = names.fields.get(part.field)
    if part.lens is not PLAIN or known is None:
        return part
    form = {"integer": "digits", "integer or nothing": "digits", "number": "decimal_text"}.get(known.holds)
    return replace(part, lens=parse_lens(form)) if form else part


def _is_header(model: schema.RowModel) -> bool:
    return isinstance(model.is_, str) and model.is_.startswith("header.") and "{" not in model.is_
