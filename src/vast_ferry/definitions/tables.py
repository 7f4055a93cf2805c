"""The definition tables of a profile, checked: every row names a field that functions have and a form that there is."""

from __future__ import annotations

import ast
import functools
import keyword
from collections.abc import Iterator, Mapping
from typing import Final

from vast_ferry.definitions.forms import FORMS, Form
from vast_ferry.definitions.in_words import IN_WORDS
from vast_ferry.definitions.routes import RouteStyle
from vast_ferry.hub.findings import BadInput, FerryError, ManyBadInputs, nearest
from vast_ferry.hub.kinds import is_request
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.schema import DefinitionModel, DefinitionRow, TriggerModel

FUNCTION_FIELDS: Final = (
    "entry",
    "language",
    "memory",
    "timeout",
    "variables",
    "secrets",
    "attempts",
    "dead_letter",
    "concurrency",
    "access",
)
_ANY: Final = ("parameter", "form")
#: kind of trigger → the fields that its rows may name
TRIGGER_FIELDS: Final = {
    "http": ("route", "methods", "callers", "methods_and_route", *_ANY),
    "object": ("source", "changes", "prefix", "suffix", "key_filter", *_ANY),
    "message": ("source", "batch_size", "batch_window", "where", *_ANY),
    "record": ("source", "changes", "batch_size", "batch_window", *_ANY),
    "schedule": ("source", "schedule", "zone", *_ANY),
    "signal": ("source", *_ANY),
    "call": _ANY,
}
#: The same of a declared input or output.
BINDING_FIELDS: Final = {
    "object": ("source", "key", "content_type", *_ANY),
    "message": ("source", "content_type", *_ANY),
    "record": ("source", *_ANY),
}
KINDS: Final = tuple(TRIGGER_FIELDS)


#: Every form by its name.
ALL_FORMS: Final[Mapping[str, type[Form]]] = {**FORMS, **IN_WORDS}


class FormSyntax(FerryError, ValueError):
    """A form that can't be understood."""


@functools.lru_cache(maxsize=64)
def route_style(profile: Profile) -> RouteStyle:
    """Return how routes are spelt at a provider."""
    model = profile.model.routes
    if model is None:
        return RouteStyle()
    return RouteStyle(model.one, model.rest, model.typed, model.types, model.slash, model.leading, model.order)


@functools.lru_cache(maxsize=256)
def forms_of(profile: Profile) -> dict[int, Form]:
    """Return the form of each row of a profile's definition, by the row's identity."""
    model = profile.model.definition
    assert model is not None
    rows = [*model.functions.rows, *(row for kind in model.functions.triggers for row in kind.rows)]
    return {id(row): parse_form(row, route_style(profile)) for row in rows}


def parse_form(row: DefinitionRow, routes: RouteStyle) -> Form:
    """Return the form that a row of a definition names; a route has its own without naming it.

    Raises FormSyntax for an unknown form (the nearest is suggested) or arguments that are no names or texts.
    """
    text = row.is_ if row.as_ == "plain" and row.is_ in ALL_FORMS else row.as_
    try:
        tree = ast.parse(text, mode="eval").body
    except SyntaxError:
        raise FormSyntax(f"{text!r} is not a form: write a name, or name(argument, …)") from None
    function = tree.func if isinstance(tree, ast.Call) else tree
    name = function.id if isinstance(function, ast.Name) else ""
    if name not in ALL_FORMS:
        raise FormSyntax(f"there is no form {text!r}{nearest(name or text, ALL_FORMS)}")
    args, options = _arguments(tree, text)
    form = ALL_FORMS[name]
    if len(args) != form.takes or bool(options) != form.named:
        raise FormSyntax(f"form {name} takes {form.wants}, not {text!r}")
    if form.worded != bool(row.words):
        raise FormSyntax(f"form {name} takes {'the words' if form.worded else 'no words'} of its row")
    if not form.worded and len(set(options.values())) != len(options):
        raise FormSyntax(f"{text!r} can't be written back: two words stand for the same")
    return form(tuple(args), dict(row.words) if form.worded else options, routes)


def _arguments(tree: ast.expr, text: str) -> tuple[list[str], dict[str, str]]:
    """Return the texts and the names that a form is given."""
    args: list[str] = []
    options: dict[str, str] = {}
    if isinstance(tree, ast.Call):
        for argument in tree.args:
            if not isinstance(argument, ast.Constant) or not isinstance(argument.value, str):
                raise FormSyntax(f"{text!r}: an argument is a text in quotes, or name=name")
            args.append(argument.value)
        for keyword in tree.keywords:
            if keyword.arg is None or not isinstance(keyword.value, ast.Name):
                raise FormSyntax(f"{text!r}: an argument is a text in quotes, or name=name")
            options[keyword.arg] = keyword.value.id
    return args, options


@functools.lru_cache(maxsize=64)
def checked_definition(profile: Profile) -> DefinitionModel | None:
    """Return the definition tables of a profile, if it has any.

    Raises ManyBadInputs with the line of every row that can't stand.
    """
    model = profile.model.definition
    problems = list(_problems(profile, model)) if model else []
    if problems:
        raise ManyBadInputs(problems)
    return model


def _is_name(text: str, *, dotted: bool) -> bool:
    """Tell whether a text can stand in code as a parameter's name, or, if `dotted`, as the path of a decorator."""
    parts = text.split(".") if dotted else [text]
    return all(part.isidentifier() and not keyword.iskeyword(part) and not part.startswith("__") for part in parts)


def _problems(profile: Profile, model: DefinitionModel) -> Iterator[BadInput]:
    base: tuple[str | int, ...] = ("definition", "functions")
    groups: list[tuple[tuple[str | int, ...], list[DefinitionRow], tuple[str, ...]]] = [
        ((*base, "rows"), model.functions.rows, FUNCTION_FIELDS)
    ]
    for index, kind in enumerate(model.functions.triggers):
        path: tuple[str | int, ...] = (*base, "triggers", index)
        yield from _problems_of_trigger(profile, model, kind, path)
        of_kind = TRIGGER_FIELDS if kind.way == "event" else BINDING_FIELDS
        groups.append(((*path, "rows"), kind.rows, of_kind.get(kind.kind, ())))
    for at, rows, fields in groups:
        for number, row in enumerate(rows):
            yield from _problems_of_row(profile, model, row, (*at, number), fields)


def _problems_of_trigger(
    profile: Profile, model: DefinitionModel, kind: TriggerModel, path: tuple[str | int, ...]
) -> Iterator[BadInput]:
    if kind.kind not in KINDS:
        yield BadInput(
            f"there is no kind {kind.kind!r}{nearest(kind.kind, KINDS)}",
            f"Use one of: {', '.join(KINDS)}",
            profile.document.place(*path, "kind"),
        )
    if model.functions.code and not _is_name(kind.told_by, dotted=True):
        yield BadInput(
            f"{kind.told_by!r} can't be a decorator, or an argument of one",
            "Write a name as Python takes it",
            profile.document.place(*path, "told_by"),
        )
    whole = {row.is_ for row in kind.rows} & {"route", "methods_and_route"}
    if is_request(kind.kind) and kind.way == "event" and not whole:
        yield BadInput(
            "an HTTP trigger has no row for its route",
            "Add a row with `is: route` or `is: methods_and_route`",
            profile.document.place(*path),
        )


def _problems_of_row(
    profile: Profile, model: DefinitionModel, row: DefinitionRow, at: tuple[str | int, ...], fields: tuple[str, ...]
) -> Iterator[BadInput]:
    place = profile.document.place(*at)
    if model.functions.code and not _is_name(row.at, dotted=at[-3] != "functions" and not row.is_):
        yield BadInput(
            f"{row.at!r} can't be an argument of a decorator, as which it stands in code",
            "Write a name as Python takes it",
            profile.document.place(*at, "at"),
        )
    if row.is_ and row.is_ not in fields:
        yield BadInput(
            f"a definition has no field {row.is_!r}{nearest(row.is_, fields)}",
            f"Use one of: {', '.join(fields)}",
            place,
        )
    try:
        parse_form(row, route_style(profile))
    except FormSyntax as error:
        yield BadInput(str(error), "See docs/profiles.md for the forms", place)
