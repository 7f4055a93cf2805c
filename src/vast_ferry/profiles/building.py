"""Rows as an author writes them, made into the tables that the compiler takes; every mistake is noted with its line.

A row of one place and one field is a row of the table. One of several fields (a text of several parts), or of several
places, gives each of its places a field of the shape's own, and rules by which that follows from the hub's fields and
they from it: what the compiler does with views it does with these.
"""

from __future__ import annotations

import ast
import builtins
import sys
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from vast_ferry.documents.document import Document
from vast_ferry.hub.fields import EVENTS, Field
from vast_ferry.hub.findings import BadInput, nearest
from vast_ferry.hub.kinds import KINDS, is_request
from vast_ferry.mapping.clients import class_of
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
from vast_ferry.mapping.lenses.listed import InOrder
from vast_ferry.mapping.lenses.pipeline import Pipeline
from vast_ferry.mapping.places import Access, Attr, Item, PlaceError, Through, parse_place
from vast_ferry.mapping.python import RESERVED
from vast_ferry.mapping.tables import (
    ByHand,
    Callback,
    Constant,
    EventShape,
    Kind,
    Level,
    ReplyForm,
    ReplyShape,
    Row,
    Told,
)
from vast_ferry.mapping.templates import PLAIN, Part, TemplateError, parse_template
from vast_ferry.mapping.views import REPLY_RULES, RULES, Rule
from vast_ferry.mapping.writers import ByWriter, WriterMethod
from vast_ferry.profiles import schema
from vast_ferry.profiles.read_of import unread_rows


def _by_number(at: Access) -> bool:
    """Tell whether a place is an item by its number, of what may be shorter."""
    return any(isinstance(step, Item) and isinstance(step.key, int) for step in at.steps)


def _stars(name: str, rows: list[Row]) -> str:
    """Return how the entries of a parameter are handed over: in order where it is a list, else by their names."""
    in_order = any(row.at.root == name and not row.at.steps and isinstance(row.lens, InOrder) for row in rows)
    return "*" if in_order else "**"


def _text_and_forms(text: str) -> tuple[str, str, str]:
    """Return the text in quotes with which `as` begins, and the forms behind it."""
    text = text.strip()
    end = text.find(text[0], 1) if text[:1] in ("'", '"') else -1
    if end < 0:
        return "", "", ""
    rest = text[end + 1 :].strip()
    return text[1:end], "|", rest.removeprefix("|").strip()


@dataclass(slots=True)
class _Names:
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


class Builder:
    """Turns rows as written into rows for the compiler, noting every mistake with its line."""

    def __init__(self, document: Document, *, javascript: bool = False) -> None:
        self.document, self.javascript = document, javascript
        self.problems: list[BadInput] = []

    def _place(self, text: str, *path: str | int, names: _Names | None = None) -> Access:
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

    def row(self, model: schema.RowModel, *path: str | int, names: _Names | None = None) -> Row:
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

    def _flag(self, model: schema.RowModel, *path: str | int, names: _Names | None) -> Access:
        """Return a row's second place; what is on the way to it may be missing where the row is optional."""
        flag = self._place(model.flag, *path, "flag", names=names)
        return replace(flag, gently=model.optional and len(flag.steps) > (2 if names and names.entries else 1))

    def rows(self, models: list[schema.RowModel], names: _Names, *path: str | int) -> list[Row]:
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
        self, models: list[schema.RowModel], names: _Names, *path: str | int
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

    def _of_text(self, model: schema.RowModel, names: _Names, *path: str | int) -> list[Row]:
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

    def _of_either(self, model: schema.RowModel, names: _Names, *path: str | int) -> list[Row]:
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

    def _fits(self, name: str, lens: Lens, names: _Names, *path: str | int) -> bool:
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

    def _of_places(self, model: schema.RowModel, names: _Names, others: list[Row], *path: str | int) -> list[Row]:
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

    def constants(
        self, models: list[schema.ConstantModel], *path: str | int, names: _Names | None = None
    ) -> tuple[Constant, ...]:
        return tuple(
            Constant(
                self._place(model.at, *path, index, "at", names=names),
                _held(model),
                self.document.place(*path, index).line,
                model.varies,
            )
            for index, model in enumerate(models)
        )

    def kind(self, profile: schema.ProfileModel, name: str) -> Kind:
        model: schema.KindModel = getattr(profile, name)
        event = self.event(profile, model.event, name)
        reply = self.reply(profile, model.reply, name, event) if model.reply else None
        others = tuple(self.event(profile, other, name, "others", index) for index, other in enumerate(model.others))
        handler = profile.handler
        usual = Kind(event, reply, handler.asynchronous, others, handler.by_keyword)
        return replace(usual, method=handler.method, setup=handler.setup, setup_takes=tuple(handler.setup_takes))

    def event(self, profile: schema.ProfileModel, model: schema.EventModel, kind: str, *at: str | int) -> EventShape:
        """Return a shape of a kind's events; `at` is where it stands, if it is not the usual one."""
        usual = tuple(profile.handler.parameters)
        parameters = tuple(model.parameters) or usual
        own = tuple(model.event) or tuple(name for name in parameters if name in profile.handler.event)
        own = own or parameters[:1]
        path = (kind, *(at or ("event",)))
        names = _Names(profile, kind, model.entry, "_".join(map(str, at)))
        if isinstance(model.each, list):
            levels = self._levels(model.each, names, *path, "each")
            each: Access | None = levels[0].of if levels else Access("_")
        else:
            levels, each = (), self._place(model.each, *path, "each") if model.each else None
        for name, text in model.let.items():
            place, _, forms = text.partition("|")
            held = self._place(place, *path, "let", name, names=names)
            steps = (Through(self._lens(forms, *path, "let", name)),) if forms.strip() else ()
            names.lets[name] = Access(held.root, (*held.steps, *steps))
        rows = self.rows(model.rows, names, *path, "rows")
        context = [self.row(row, "context", index) for index, row in enumerate(profile.context)]
        # A context that is part of the event is part of each kind's own event.
        rows += [
            replace(row, at=Access(parameters[0], row.at.steps))
            if row.at.root == usual[0] and parameters != usual
            else row
            for row in context
            if (row.at.root in parameters or row.at.root == usual[0]) and (each is None or row.at.root not in own)
        ]
        objects = {
            Access(root, tuple(Attr(name) for name in group.split("."))): class_of(root, group)
            for root, calls in profile.clients.items()
            if root in parameters or (each is not None and root == each.root)
            for group in dict.fromkeys(map(_begun_by, calls))
            if group
        }
        self._unread(rows, names, *path)
        if each is not None:
            parameters = tuple(model.entry if name in own else name for name in parameters)
            # What a batch stands on may tell of the call as well, and reach services.
            on_it = [row for row in context if row.at.root == each.root]
            rows += on_it
            parameters += (each.root,) if (on_it or each.root in profile.clients) and each.root in own else ()
        classes = dict(model.classes)
        if each is not None and each.root in parameters:
            classes.setdefault(each.root, f"{kind.title()}Call")
        return EventShape(
            parameters,
            tuple(rows),
            self.constants(model.constants, *path, "constants", names=names),
            classes,
            (model.entry,) if each else own,
            kind,
            each,
            self.constants(model.envelope, *path, "envelope"),
            _with_what_is_elsewhere(names.fields if names.rules else EVENTS[kind], profile),
            (*names.rules, *RULES[kind]) if names.rules else RULES[kind],
            objects,
            {
                self._place(at, *path, "nothing", at, names=names): name
                for at, name in model.nothing.items()
                if self._fits(name, Plain(), names, *path, "nothing", at)
            },
            levels,
            tuple(self._place(at, *path, "unused", index, names=names) for index, at in enumerate(model.unused)),
            self._told_of(model, levels, *path),
            tuple(Told(name, tuple(one.takes), one.says) for name, one in model.told_by.items()),
            {name: _stars(name, rows) for name in profile.handler.spread if name in parameters},
        )

    def _told_of(self, model: schema.EventModel, levels: tuple[Level, ...], *path: str | int) -> str:
        items = [level.item for level in levels if level.item]
        if model.told_by and model.told_of not in items[-1:]:
            what = f"{model.told_of or 'nothing'!r} is no event of a batch, and can't be told what became of it"
            remedy = f"Write `told_of: {items[-1]}`" if items else "Give `each` as the way to the events"
            self._no(what, remedy, *path, "told_of" if model.told_of else "told_by")
        return model.told_of

    def _unread(self, rows: list[Row], names: _Names, *path: str | int) -> None:
        """Refuse rows of which nothing is read, because what they are a view of comes whole from another row."""
        rules = RULES[names.kind] if not names.answers else REPLY_RULES if is_request(names.kind) else ()
        for line, what, remedy in unread_rows(rows, names.fields, names.rules, rules):
            self.problems.append(BadInput(what, remedy, replace(self.document.place(*path), line=line)))

    def _levels(self, models: list[schema.LevelModel], names: _Names, *path: str | int) -> tuple[Level, ...]:
        """Return what is gone through to the events of a batch; what it calls something is known from then on."""
        levels = []
        for index, model in enumerate(models):
            line = self.document.place(*path, index).line
            for name in (model.each, model.key, model.index, model.call):
                if name in RESERVED or name == "entries":
                    what = f"nothing can be called {name!r}: generated code uses that name"
                    self._no(what, "Give it another name", *path, index)
            text, _, forms = model.of.partition("|")
            of = self._place(text, *path, index, "of")
            if index == 0:
                names.entries.add(of.root)
            elif of.root not in names.entries:
                self._no(
                    f"{of.root!r} is not called so by what stands before it",
                    f"Begin with one of: {', '.join(sorted(names.entries))}",
                    *(*path, index, "of"),
                )
            if (bool(model.each), bool(model.call)) != (not model.call, bool(forms.strip()) and not model.each):
                self._no(
                    "a level goes through something (`each:`), or reads it through a lens and names it (`call:`)",
                    "Give it one of the two",
                    *path,
                    index,
                )
                names.entries |= {one for one in (model.each, model.key, model.index, model.call) if one}
                continue
            if forms.strip():
                lens = self._lens(forms, *path, index, "of")
                # What is read through a lens and gone through at once has no name in the profile.
                name = model.call or f"read_{index}"
                levels.append(Level(Access(of.root, (*of.steps, Through(lens))), name=name, lens=lens, line=line))
                names.entries.add(name)
                if not model.each:
                    continue
                of = Access(name, ())
            levels.append(Level(of, model.each, model.key, model.index, line=line))
            names.entries |= {one for one in (model.each, model.key, model.index) if one}
        return tuple(levels)

    def _of_an_entry(self, text: str, event: EventShape, *path: str | int) -> Access | None:
        """Return a place of an entry of a batch, which begins at a name that `each` gives."""
        if not text or text in EVENTS[event.kind]:
            return None
        at = self._place(text, *path)
        named = {one for level in event.levels for one in (level.item, level.key, level.index, level.name)} - {""}
        if at.root not in named:
            what = f"{text!r} is no field of {event.kind} events, and begins at no name of `each`"
            self.problems.append(BadInput(what, "Give a hub field, or a place in an event", self.document.place(*path)))
            return None
        if len(event.levels) > 1 and at.root in {level.index for level in event.levels}:
            what = f"{text!r} is a number within its list, and there are several lists"
            self.problems.append(BadInput(what, "Name events by what no two of them have", self.document.place(*path)))
        return Access(event.event_parameters[0], (Item(at.root), *at.steps))

    def _class_of(self, name: str, profile: schema.ProfileModel, *path: str | int) -> str:
        """Return the class of an answer with its module: the provider's, or one that Python has."""
        module, _, own = name.rpartition(".")
        if not name or own in profile.modules.get(module, {}):
            return name
        if self.javascript and not module:
            return name  # one of the platform's
        if not module and isinstance(getattr(builtins, own, None), type):
            return f"builtins.{own}"
        known = module.partition(".")[0] in sys.stdlib_module_names
        if module in profile.modules or not known:
            what = f"no class {own!r} of {module!r} is described" if module else f"{own!r} is none of Python's classes"
            self._no(what, "Describe it under `modules`, and name it with its module", *path)
        elif self.javascript:
            what = f"{name} is a class of Python's, which no handler in JavaScript can have"
            self._no(what, "Say under `javascript` how answers are given there", *path)
        return name

    def reply(self, profile: schema.ProfileModel, model: schema.ReplyModel, kind: str, event: EventShape) -> ReplyShape:
        """Return how handlers of a kind answer."""
        forms = []
        names = _Names(profile, kind, "", "reply", answers=True)
        for index, form in enumerate(model.forms):
            path = (kind, "reply", "forms", index)
            rows = tuple(self.rows(form.rows, names, *path, "rows"))
            types = (form.default_types[0], form.default_types[-1]) if form.default_types else None
            fixed = {
                name: [tuple(pair) for pair in value] if name.startswith("headers") else value
                for name, value in form.fixed.items()
            }
            line = self.document.place(*path).line
            class_name = self._class_of(form.class_, profile, *path, "class")
            made = ReplyForm(form.when, rows, fixed, class_name, types, form.written, line=line)
            forms.append(
                replace(
                    made,
                    keys=tuple(form.keys),
                    types={str(one): name for one, name in form.types.items()},
                    type_first=form.type_first,
                    head=form.head,
                    nothing_at=self._place(form.nothing_at, *path, "nothing_at") if form.nothing_at else None,
                )
            )
        for one in forms:
            self._unread(list(one.rows), names, kind, "reply")
        for row in (row for form in forms for row in form.rows):
            if stray := next((name for name in row.lens.of_event if name not in EVENTS[kind]), ""):
                what = f"there is no hub field {stray!r} of {kind} events{nearest(stray, EVENTS[kind])}"
                place = self.document.place(kind, "reply")
                self.problems.append(
                    BadInput(what, f"Use one of: {', '.join(EVENTS[kind])}", replace(place, line=row.line))
                )
        callback = model.callback
        return ReplyShape(
            tuple(forms),
            model.root,
            Callback(callback.name, tuple(callback.arguments), tuple(callback.defaults)) if callback else None,
            names.fields if names.rules else names.known,
            (*names.rules, *(REPLY_RULES if is_request(kind) else ())),
            model.via,
            self.by_hand(model.by_hand, kind) if model.by_hand else None,
            model.again_by,
            model.again_with,
            tuple(model.bodyless),
            self.writer(model.writer) if model.writer else None,
            again_name=self._of_an_entry(model.again_by, event, kind, "reply", "again_by"),
            again_within=self._of_an_entry(model.again_within, event, kind, "reply", "again_within"),
        )

    def writer(self, model: schema.WriterModel) -> ByWriter:
        methods = {
            name: WriterMethod(
                tuple(one.takes),
                one.sets,
                one.adds,
                {attribute: (pair[0], pair[1]) for attribute, pair in one.puts.items()},
                {parameter: str(kind) for parameter, kind in one.only.items()},
                one.first,
                one.ends,
                one.over,
                tuple(one.seals),
            )
            for name, one in model.methods.items()
        }
        holds = {name: ast.literal_eval(value) for name, _, value in (one.partition("=") for one in model.holds)}
        return ByWriter(model.name, holds, methods, model.first, model.returns)

    def by_hand(self, model: schema.ByHandModel, kind: str) -> ByHand:
        rows = tuple(self.row(row, kind, "reply", "by_hand", "rows", number) for number, row in enumerate(model.rows))
        types = (model.default_types[0], model.default_types[-1]) if model.default_types else None
        form = ReplyForm("object", rows, {}, model.class_, types)
        return ByHand(form, tuple(model.takes), model.ends, model.awaited)


def _begun_by(path: str) -> str:
    """Return the object on which a call of a service is made; of one that is made by steps, what it begins with."""
    begin, by_steps, _ = path.partition("(")
    return begin.partition(".")[0] if by_steps else path.rpartition(".")[0]


def _as_digits(part: Part, names: _Names) -> Part:
    """Return a part of a text in which a number stands, without a form, as one in digits."""
    known = names.fields.get(part.field)
    if part.lens is not PLAIN or known is None:
        return part
    form = {"integer": "digits", "integer or nothing": "digits", "number": "decimal_text"}.get(known.holds)
    return replace(part, lens=parse_lens(form)) if form else part


def _is_header(model: schema.RowModel) -> bool:
    return isinstance(model.is_, str) and model.is_.startswith("header.") and "{" not in model.is_


def _with_what_is_elsewhere(fields: Mapping[str, Field], profile: schema.ProfileModel) -> Mapping[str, Field]:
    """Return fields of which settings and secrets come from where the provider has them, if not from `os.environ`."""
    around = {what: (module, name) for module, one in profile.surroundings.items() for name, what in one.items()}
    made: dict[str, str] = {}
    if profile.environment.secrets == "paths":
        made |= {"secret": "secret_from_file"}
    elif profile.environment.secrets == "nowhere" and "secret" in around:
        made["secret"] = f"from_module{around['secret']!r}"
    if not profile.environment.settings and "setting" in around:
        made["setting"] = f"from_module{around['setting']!r}"
    return {**fields, **{name: replace(fields[name], default=text) for name, text in made.items()}} if made else fields


def _held(model: schema.ConstantModel) -> Any:
    if model.bytes_:
        return str(model.holds).encode("utf-8")
    return tuple(model.holds) if model.tuple_ else model.holds
