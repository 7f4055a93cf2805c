"""Texts of several parts, and fields of several places, as rules: what a shape's own fields follow from, and back.

A place of several fields is one field of the shape's own, the text; each part follows from it, and it from all parts.
A field of several places is as many fields of the shape's own, put together as a text and taken apart again.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from vast_ferry.hub.fields import Field
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.compile.functions import lens_writer, view_made
from vast_ferry.mapping.emit import run_source
from vast_ferry.mapping.expressions import Expression, helper
from vast_ferry.mapping.helpers.of_texts import split_text
from vast_ferry.mapping.lenses.lens import Lens
from vast_ferry.mapping.losses import Fields, Loss
from vast_ferry.mapping.tables import HUB_ANSWERS, HUB_EVENTS, EventShape
from vast_ferry.mapping.templates import Part, Template
from vast_ferry.mapping.views import Rule

_NOTHING = ex.Literal(None)


def _needs(*lenses: Lens) -> tuple[str, ...]:
    return tuple(dict.fromkeys(field for lens in lenses for field in lens.asks))


def _given(expression: Expression) -> Expression:
    return ex.Choice(ex.Operation("is not", (expression, _NOTHING)), expression, ex.Literal(""))


@dataclass(frozen=True, slots=True)
class Own:
    """The fields and rules of a shape of one kind: its own, which are still being put together, and the hub's."""

    kind: str
    fields: Mapping[str, Field]
    rules: Sequence[Rule]
    answers: bool = False  # they are of an answer

    def hub(self) -> EventShape:
        """Return the hub's shape with all of them; an answer is a mapping of its fields, as an event is."""
        hub = HUB_ANSWERS[self.kind] if self.answers else HUB_EVENTS[self.kind]
        return replace(hub, fields=self.fields, rules=(*self.rules, *hub.rules))


def of_text(own: str, template: Template, names: Own, *, optional: bool = False) -> list[Rule]:
    """Return the rules by which a text (the shape's own field) and the fields in it follow from each other.

    An `optional` text may be nothing: then nothing is told of its fields, and where nothing is told of them it is so.
    """
    fields = names.fields
    told = list(dict.fromkeys(part.field for part in template.parts))
    asked = tuple(dict.fromkeys((*told, *_needs(*(part.lens for part in template.parts)))))
    forms, count = ex.Literal(template.forms), ex.Literal(len(template.parts))

    def text(*values: Expression) -> Expression:
        need = dict(zip(asked, values, strict=True)).__getitem__
        parts = [part.lens.write(need(part.field), need) for part in template.parts]
        if not optional:
            return helper("fill_text", forms, *parts)
        for number, part in enumerate(template.parts):
            if fields[part.field].default == "None":
                there = ex.Operation("is not", (need(part.field), _NOTHING))
                parts[number] = ex.Choice(there, parts[number], _NOTHING)
        return helper("text_if_told", forms, *parts)

    def field_from_text(name: str) -> Rule:
        found = [(number, part) for number, part in enumerate(template.parts) if part.field == name]
        more = _needs(*(part.lens for _, part in found))

        def build(whole: Expression, *values: Expression) -> Expression:
            need = dict(zip(more, values, strict=True)).__getitem__
            parts = helper("split_text", whole, forms, count, name="parts")
            sure = len(template.forms) == 1 and len(found) == 1 and found[0][1].needed
            made: Expression = ex.Given(fields[name].default)
            for number, part in reversed(found):
                one = ex.Item(parts, ex.Literal(number))
                read = part.lens.read(one, None, need)
                made = read if sure else ex.Choice(ex.Operation("is not", (one, _NOTHING)), read, made)
            if not optional:
                return made
            return ex.Choice(ex.Operation("is not", (whole, _NOTHING)), made, ex.Given(fields[name].default))

        rule = Rule(name, (own, *more), build)
        losses = tuple(loss for _, part in found for loss in part.lens.losses(name))

        def again(*values: Expression) -> Expression:
            return build(text(*values), *(values[asked.index(one)] for one in more))

        why = "it can't be told from what stands beside it in one text, or is told only with other parts"
        reshaped = _reshaped(names, name, asked, again, why=why)
        return Rule(rule.gives, rule.needs, rule.build, (*losses, *reshaped))

    return [Rule(own, asked, text), *map(field_from_text, told)]


def _reshaped(
    names: Own,
    name: str,
    asked: tuple[str, ...],
    again: Callable[..., Expression],
    *,
    why: str,
    once: Callable[..., Expression] | None = None,
) -> tuple[Loss, ...]:
    """Return what is lost where a field in a text comes back as another, and where it can't be read back at all.

    With `once`, another than that.
    """
    changed = _changed(names, name, asked, again, once)
    refused = _changed(names, name, asked, again, once, refused=True)
    return (
        Loss("text-reshaped", name, why, "another value arrives", changed, tried=True),
        Loss("text-unreadable", name, why, "the text can't be taken apart", refused, tried=True, unreadable=True),
    )


@dataclass(frozen=True, slots=True)
class Places:
    """A field of several places: their own fields, the text that they make, the form in which that is the field.

    `shared` are the places that another row writes: number → the field and the lens of that row.
    """

    owns: tuple[str, ...]
    field: str
    template: Template
    lens: Lens
    shared: Mapping[int, tuple[str, Lens]]
    optional: bool


def _where_told(part: Part, value: Expression, need: Callable[[str], Expression]) -> Expression:
    """Return what a part stands for; nothing, where the text may lack it and nothing stands there."""
    made = _lens_of(part).read(value, None, need)
    return made if part.needed else ex.Choice(ex.Operation("is not", (value, _NOTHING)), made, _NOTHING)


def _lens_of(part: Part) -> Lens:
    lens: Lens = part.lens
    return lens


def of_places(places: Places, names: Own) -> list[Rule]:
    """Return the rules by which a field, and the places that hold it (the shape's own fields), follow from another."""
    owns, name, lens = places.owns, places.field, places.lens
    template, shared, optional = places.template, places.shared, places.optional
    parts: list[Part] = list(template.parts)
    forms, count = ex.Literal(template.forms), ex.Literal(len(parts))
    more = _needs(lens, *(part.lens for part in parts))

    def together(*values: Expression) -> Expression:
        need = dict(zip(more, values[len(owns) :], strict=True)).__getitem__
        read = [_where_told(part, value, need) for part, value in zip(parts, values, strict=False)]
        made = lens.read(helper("fill_text", forms, *read), None, need)
        if not optional:
            return made
        there = ex.Operation("is not", (values[0], _NOTHING))
        return ex.Choice(there, made, ex.Given(names.fields[name].default))

    def apart(number: int) -> Rule:
        if number in shared:
            other, its = shared[number]
            asked = (other, *its.asks)

            def from_other(*values: Expression) -> Expression:
                return its.write(values[0], dict(zip(asked, values, strict=True)).__getitem__)

            return Rule(owns[number], asked, from_other)
        asked_here = (name, *more)

        def build(*values: Expression) -> Expression:
            need = dict(zip(asked_here, values, strict=True)).__getitem__
            whole, its_own = lens.write(values[0], need), _lens_of(parts[number])
            text = helper("part_or_all", whole, forms, count, ex.Literal(number))
            if parts[number].needed or (not optional and its_own.stands_for_nothing):
                return its_own.write(text, need)
            told = helper("part_if_told", whole, forms, count, ex.Literal(number), name="part")
            made = its_own.write(told, need)
            return ex.Choice(ex.Operation("is not", (told, _NOTHING)), made, _NOTHING)

        return Rule(owns[number], asked_here, build)

    back = [apart(number) for number in range(len(owns))]
    asked = tuple(dict.fromkeys((name, *more, *(one for rule in back for one in rule.needs))))

    def again(*values: Expression) -> Expression:
        held = dict(zip(asked, values, strict=True))
        held_there = [rule.build(*(held[one] for one in rule.needs)) for rule in back]
        return together(*held_there, *(held[one] for one in more))

    def once(*values: Expression) -> Expression:
        need = dict(zip(asked, values, strict=True)).__getitem__
        return lens.read(lens.write(values[0], need), None, need)

    # What the form itself does to a value is told already; the rest is what its places can't hold of it.
    losses = lens.losses(name)
    why = "it is not put together as the provider puts it together"
    losses = (*losses, *_reshaped(names, name, asked, again, why=why, once=once if losses else None))
    return [Rule(name, (*owns, *more), together, losses), *back]


@dataclass(frozen=True, slots=True)
class Either:
    """A field that stands at a place, or where nothing does at another: their own fields, the form of both.

    `left_out`: nothing is written where the field is empty.
    """

    owns: tuple[str, str]
    places: tuple[str, str]
    field: str
    lens: Lens
    optional: bool
    left_out: bool


def of_either(either: Either, names: Own) -> list[Rule]:
    """Return the rules by which a field follows from one of two places, and the first of them from it."""
    name, lens, more = either.field, either.lens, _needs(either.lens)
    usual = ex.Given(names.fields[name].default)

    def read(here: Expression, there: Expression, *values: Expression) -> Expression:
        need = dict(zip(more, values, strict=True)).__getitem__
        second = lens.read(helper("told_at_one", there, *map(ex.Literal, either.places)), None, need)
        if either.optional:
            second = ex.Choice(ex.Operation("is not", (there, _NOTHING)), lens.read(there, None, need), usual)
        return ex.Choice(ex.Operation("is not", (here, _NOTHING)), lens.read(here, None, need), second)

    def written(value: Expression, *values: Expression) -> Expression:
        made = lens.write(value, dict(zip(more, values, strict=True)).__getitem__)
        if not either.left_out:
            return made
        empty = names.fields[name].default == "None"
        told = ex.Operation("is not", (value, _NOTHING)) if empty else value
        return ex.Choice(told, made, _NOTHING)

    rule = Rule(name, (*either.owns, *more), read, lens.losses(name))
    return [rule, Rule(either.owns[0], (name, *more), written)]


def not_apart(field: str, lens: Lens, template: Template) -> str:
    """Return a usual time, and the text that a lens makes of it, where its places can't be made of that; else nothing.

    A text that is put together otherwise than usual arrives as another value, and that is told; a time that any event
    may have must be told as it is.
    """
    if field not in ("time", "due") or lens.asks:
        return ""
    write = run_source(lens_writer("write", lens))
    for usual in ("2027-03-14T09:26:53Z", "2027-03-14T09:26:53.589Z"):
        made = write(usual)
        try:
            split_text(made, template.forms, len(template.parts))
        except ValueError:
            return f"{usual} is {made!r} there"
    return ""


def of_header_fields(whole: str, others: str, owns: Mapping[str, str], names: Own) -> list[Rule]:
    """Return the rules by which header fields, and those that stand apart (name → the shape's own field), follow.

    `others` is the shape's own field of all that don't stand apart; empty where the shape has no others.
    """
    apart = tuple(owns)

    def together(*values: Expression) -> Expression:
        base, told = (values[0], values[1:]) if others else (ex.Literal([]), values)
        return helper("with_fields_apart", base, ex.Literal(apart), *told)

    back = [Rule(own, (whole,), _first_of(name)) for name, own in owns.items()]
    if others:
        back.append(Rule(others, (whole,), lambda headers: helper("without_all", headers, ex.Literal(apart))))

    def again(headers: Expression) -> Expression:
        held = {rule.gives: rule.build(headers) for rule in back}
        return together(*([held[others]] if others else []), *(held[own] for own in owns.values()))

    loss = Loss(
        "header-apart",
        whole,
        "a header field that stands apart repeats, or stands before others"
        if others
        else f"there are other header fields than {', '.join(apart)}",
        "its first value arrives, behind all others" if others else "they do not arrive",
        _changed(names, whole, (whole,), again),
        tried=True,
    )
    needs = (*([others] if others else []), *owns.values())
    return [Rule(whole, needs, together, (loss,)), *back]


def _first_of(name: str) -> Callable[..., Expression]:
    return lambda headers: helper("first_field", headers, ex.Literal(name))


def _changed(
    names: Own,
    name: str,
    asked: tuple[str, ...],
    build: Callable[..., Expression],
    once: Callable[..., Expression] | None = None,
    *,
    refused: bool = False,
) -> Callable[[Fields], bool]:
    """Return whether a field of the hub's comes back as another value, or is `refused`; compiled when first asked.

    With `once`, as another than that makes of it.
    """
    kept: list[Callable[[Fields], tuple[Any, Any]]] = []

    def changed(fields: Fields) -> bool:
        if not kept:
            kept.append(run_source(view_made("again", names.hub(), name, asked, build)))
            if once is not None:
                kept.append(run_source(view_made("again", names.hub(), name, asked, once)))
        try:
            again, before = kept[0](fields)
            before = kept[1](fields)[0] if len(kept) > 1 else before
        except Exception:  # what can't be read back does not arrive
            return True
        return bool(again != before) and not refused

    return changed
