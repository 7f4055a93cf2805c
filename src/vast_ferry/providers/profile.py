"""A profile that was loaded and checked: tables for the compiler, and the rest as its schema says."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from vast_ferry.documents.document import Document
from vast_ferry.documents.yaml_file import read_yaml
from vast_ferry.hub.findings import BadInput, ManyBadInputs, Place, nearest
from vast_ferry.mapping.codecs import CodecError, parse_codec
from vast_ferry.mapping.compile import CannotWrite, translate_event, translate_reply
from vast_ferry.mapping.nodes import docstring
from vast_ferry.mapping.places import Access, PlaceError, parse_place
from vast_ferry.mapping.tables import (
    HUB_EVENT,
    HUB_REPLY,
    Callback,
    Constant,
    EventShape,
    ReplyForm,
    ReplyShape,
    Row,
    TableProblem,
    check_event,
    check_reply,
)
from vast_ferry.providers import schema


@dataclass(frozen=True, eq=False)
class Profile:
    """One edition of one provider. `event` and `reply` are its HTTP tables."""

    model: schema.ProfileModel
    event: EventShape
    reply: ReplyShape
    document: Document = field(repr=False)
    path: Path = field(repr=False, default_factory=Path)

    @property
    def name(self) -> str:
        """Return the provider's name and edition, as one would type them."""
        return f"{self.model.provider}@{self.model.edition}"

    @property
    def provider(self) -> str:
        """Return the provider's name."""
        return self.model.provider

    @property
    def title(self) -> str:
        """Return the provider's name as a person writes it, with the edition where it has one."""
        return self.model.title if self.model.standard else f"{self.model.title} {self.model.edition}"

    @property
    def routes(self) -> tuple[str, str]:
        """Return how captures are spelt: one segment, and the rest of the path."""
        style = self.model.routes
        return (style.one, style.rest) if style else ("{name}", "{+name}")

    @cached_property
    def modules(self) -> dict[str, str]:
        """Return the source of each module that handlers import from the provider."""
        return {name: _module_source(name, classes) for name, classes in self.model.modules.items()}

    def template(self, name: str) -> str:
        """Return the text of a template that stands beside the profile."""
        return (self.path.parent / name).read_text(encoding="utf-8")


def load_profile(path: Path, shown: str = "") -> Profile:
    """Return the profile in a file.

    Raises BadInput (ManyBadInputs for several mistakes) with the line of each row that can't stand.
    """
    shown = shown or str(path)
    document = read_yaml(path, shown, "the profile")
    if not isinstance(document.data, dict):
        raise BadInput("the profile is not a mapping", "Begin it with `provider:`", Place(shown, 1))
    try:
        model = schema.ProfileModel.model_validate(document.data)
    except ValidationError as error:
        raise _many(document, error) from None
    builder = _Builder(document)
    event = builder.event(model)
    reply = builder.reply(model)
    told = {problem.place.line for problem in builder.problems}
    problems = [
        *builder.problems,
        *(
            BadInput(problem.what, problem.remedy, Place(shown, problem.line))
            for problem in _table_problems(event, reply)
            if problem.line not in told
        ),
    ]
    if problems:
        raise ManyBadInputs(sorted(problems, key=lambda problem: problem.place.line))
    return Profile(model, event, reply, document, path)


def _table_problems(event: EventShape, reply: ReplyShape) -> list[TableProblem]:
    problems = [*check_event(event), *check_reply(reply)]
    if problems:
        return problems
    try:
        translate_event("check", HUB_EVENT, event)
        translate_reply("check", HUB_REPLY, reply)
    except CannotWrite as error:
        return [TableProblem(1, str(error), "Give each object only attributes and methods, each mapping only items")]
    return []


def _many(document: Document, error: ValidationError) -> ManyBadInputs:
    problems = []
    for item in error.errors():
        path = tuple(part for part in item["loc"] if isinstance(part, str | int))
        name = ".".join(str(part) for part in path)
        what, remedy = (
            f"{name}: {item['msg'][:1].lower()}{item['msg'][1:]}",
            "See docs/profiles.md for what stands there",
        )
        if item["type"] == "extra_forbidden":
            model = _model_at(path[:-1])
            known = [f.alias or n for n, f in model.model_fields.items()] if model else []
            what = f"{name}: there is no such key{nearest(str(path[-1]), known)}"
            remedy = f"Use one of: {', '.join(known)}" if known else "Take it out"
        elif item["type"] == "missing":
            what, remedy = f"{name} is missing", f"Add `{path[-1]}:`"
        problems.append(BadInput(what, remedy, document.place(*path)))
    return ManyBadInputs(problems)


def _model_at(path: tuple[str | int, ...]) -> type[schema.Model] | None:
    import typing

    model: Any = schema.ProfileModel
    for part in path:
        if isinstance(model, type) and issubclass(model, schema.Model):
            named = next((f for n, f in model.model_fields.items() if part in (n, f.alias)), None)
            if named is None:
                return None
            model = named.annotation
        else:
            arguments = [a for a in typing.get_args(model) if a is not type(None)]
            model = arguments[-1] if arguments else None
        arguments = [a for a in typing.get_args(model) if a is not type(None)]
        if len(arguments) == 1 and isinstance(arguments[0], type) and issubclass(arguments[0], schema.Model):
            is_list = typing.get_origin(model) is list
            model = model if is_list else arguments[0]
    return model if isinstance(model, type) and issubclass(model, schema.Model) else None


class _Builder:
    """Turns rows as written into rows for the compiler, noting every mistake with its line."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.problems: list[BadInput] = []

    def _place(self, text: str, *path: str | int) -> Access:
        try:
            return parse_place(text)
        except PlaceError as error:
            place = self.document.place(*path)
            remedy = 'Write it as an access path, such as event["call"]["verb"] or request.text()'
            self.problems.append(BadInput(str(error), remedy, place))
            return Access("_")

    def row(self, model: schema.RowModel, *path: str | int) -> Row:
        place = self.document.place(*path)
        try:
            codec = parse_codec(model.as_)
        except CodecError as error:
            self.problems.append(
                BadInput(str(error), "See docs/profiles.md for the codecs", self.document.place(*path, "as"))
            )
            codec = parse_codec("plain")
        return Row(
            self._place(model.at, *path, "at"),
            model.is_,
            codec,
            model.derived,
            model.optional,
            self._place(model.flag, *path, "flag") if model.flag else None,
            model.offer,
            model.unless_empty,
            place.line,
        )

    def event(self, model: schema.ProfileModel) -> EventShape:
        shape = model.http.event
        rows = [self.row(row, "http", "event", "rows", index) for index, row in enumerate(shape.rows)]
        rows += [self.row(row, "context", index) for index, row in enumerate(model.context)]
        constants = tuple(
            Constant(
                self._place(constant.at, "http", "event", "constants", index, "at"),
                tuple(constant.holds) if constant.tuple_ else constant.holds,
                self.document.place("http", "event", "constants", index).line,
            )
            for index, constant in enumerate(shape.constants)
        )
        return EventShape(
            tuple(model.handler.parameters), tuple(rows), constants, shape.classes, tuple(model.handler.event)
        )

    def reply(self, model: schema.ProfileModel) -> ReplyShape:
        shape = model.http.reply
        forms = []
        for index, form in enumerate(shape.forms):
            path = ("http", "reply", "forms", index)
            rows = tuple(self.row(row, *path, "rows", number) for number, row in enumerate(form.rows))
            types = (form.default_types[0], form.default_types[-1]) if form.default_types else None
            fixed = {
                name: [tuple(pair) for pair in value] if name.startswith("headers") else value
                for name, value in form.fixed.items()
            }
            line = self.document.place(*path).line
            forms.append(ReplyForm(form.when, rows, fixed, form.class_, types, form.written, line))
        callback = shape.callback
        return ReplyShape(
            tuple(forms),
            shape.root,
            Callback(callback.name, tuple(callback.arguments), tuple(callback.defaults)) if callback else None,
        )


def _module_source(name: str, classes: dict[str, schema.ClassModel]) -> str:
    """Return a module with these classes: each keeps its constructor's arguments as attributes."""
    parts = [docstring(f"What handlers import from {name}: made from its profile.")]
    for class_name, model in classes.items():
        names = [parameter.partition("=")[0].strip() for parameter in model.takes]
        lines = [f"class {class_name}:", f"    {docstring(model.about)}" if model.about else "", ""]
        lines += [f"    __slots__ = ({', '.join(repr(n) for n in names)},)", ""]
        lines += [f"    def __init__(self, {', '.join(model.takes)}):"]
        lines += [f"        self.{n} = {n}" for n in names]
        parts.append("\n".join(lines))
    return "\n\n\n".join(parts) + "\n"
