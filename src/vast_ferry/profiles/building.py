"""Shapes of events and answers as an author writes them, made into the tables that the compiler takes.

Every mistake is noted with its line, of rows in `building_rows` and of what stands around them here.
"""

from __future__ import annotations

import ast
import builtins
import re
import sys
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from vast_ferry.hub.fields import EVENTS, Field
from vast_ferry.hub.findings import BadInput, nearest
from vast_ferry.hub.kinds import is_request
from vast_ferry.mapping.clients import class_of
from vast_ferry.mapping.lenses.lens import Plain
from vast_ferry.mapping.lenses.listed import InOrder
from vast_ferry.mapping.places import Access, Attr, Item, Through
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
from vast_ferry.mapping.views import REPLY_RULES, RULES
from vast_ferry.mapping.writers import ByWriter, WriterMethod
from vast_ferry.profiles import schema
from vast_ferry.profiles.building_rows import Names, RowBuilder
from vast_ferry.profiles.read_of import unread_rows


def _stars(name: str, rows: list[Row]) -> str:
    """Return how the entries of a parameter are handed over: in order where it is a list, else by their names."""
    in_order = any(row.at.root == name and not row.at.steps and isinstance(row.lens, InOrder) for row in rows)
    return "*" if in_order else "**"


class Builder(RowBuilder):
    """Turns the kinds of events and answers as written into what the compiler takes, noting every mistake."""

    def constants(
        self, models: list[schema.ConstantModel], *path: str | int, names: Names | None = None
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
        method = model.event.method or handler.method
        return replace(usual, method=method, setup=handler.setup, setup_takes=tuple(handler.setup_takes))

    def event(self, profile: schema.ProfileModel, model: schema.EventModel, kind: str, *at: str | int) -> EventShape:
        """Return a shape of a kind's events; `at` is where it stands, if it is not the usual one."""
        usual = tuple(profile.handler.parameters)
        parameters = tuple(model.parameters) or usual
        own = tuple(model.event) or tuple(name for name in parameters if name in profile.handler.event)
        own = own or parameters[:1]
        path = (kind, *(at or ("event",)))
        names = Names(profile, kind, model.entry, "_".join(map(str, at)))
        if isinstance(model.each, list):
            levels = self._levels(model.each, names, *path, "each")
            each: Access | None = levels[0].of if levels else Access("_")
        else:
            levels, each = (), self._place(model.each, *path, "each") if model.each else None
        for name, text in _in_turn(model.let):
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

    def _unread(self, rows: list[Row], names: Names, *path: str | int) -> None:
        """Refuse rows of which nothing is read, because what they are a view of comes whole from another row."""
        rules = RULES[names.kind] if not names.answers else REPLY_RULES if is_request(names.kind) else ()
        for line, what, remedy in unread_rows(rows, names.fields, names.rules, rules):
            self.problems.append(BadInput(what, remedy, replace(self.document.place(*path), line=line)))

    def _levels(self, models: list[schema.LevelModel], names: Names, *path: str | int) -> tuple[Level, ...]:
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
        names = Names(profile, kind, "", "reply", answers=True)
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


def _in_turn(let: Mapping[str, str]) -> list[tuple[str, str]]:
    """Return named places, each behind those that it begins at, however they are ordered; a circle stays as it is."""
    waiting, made = dict(let), list[tuple[str, str]]()
    while waiting:
        begins = {name: re.split(r"\W", text.strip(), maxsplit=1)[0] for name, text in waiting.items()}
        free = (name for name in waiting if begins[name] not in waiting or begins[name] == name)
        name = next(free, next(iter(waiting)))
        made.append((name, waiting.pop(name)))
    return made
