"""The definition tables of a profile, checked: every row names a field that functions have and a form that there is."""

from __future__ import annotations

import ast
import functools
import keyword
from collections.abc import Iterator, Mapping
from typing import Any, Final

from vast_ferry.definitions import amounts, forms, in_words, named_values, spelt
from vast_ferry.definitions.composed import KINDS_OF_FIELDS, Behind, BesideKeys, InText, OfKeys, PartOfText, Through
from vast_ferry.definitions.forms import Form
from vast_ferry.definitions.routes import RouteStyle
from vast_ferry.definitions.syntaxes import line_forms
from vast_ferry.documents.lines_file import LineFormError
from vast_ferry.hub.findings import BadInput, FerryError, ManyBadInputs, nearest
from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.standards import words_of
from vast_ferry.mapping.lenses.every import LENSES, parse_lens, with_words
from vast_ferry.mapping.lenses.lens import LensError
from vast_ferry.mapping.templates import parse_template
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.schema_definition import DefinitionModel, DefinitionRow, TriggerModel

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


#: Every form by its name: a new one is a class in the module of its topic, which is found here by itself; what several
#: share begins with an underscore.
ALL_FORMS: Final[Mapping[str, type[Form]]] = {
    form.name: form
    for topic in (forms, amounts, named_values, spelt, in_words)
    for form in vars(topic).values()
    if isinstance(form, type) and issubclass(form, Form) and form.__module__ == topic.__name__
    if not form.__name__.startswith("_")
}


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
    rows = [*model.functions.rows, *(row for kind in model.functions.every_trigger for row in kind.rows)]
    return {id(row): parse_form(row, route_style(profile)) for row in rows}


def parse_form(row: DefinitionRow, routes: RouteStyle) -> Form:
    """Return the form that a row of a definition names; a route has its own without naming it.

    Raises FormSyntax for an unknown form (the nearest is suggested) or arguments that are no names or texts.
    """
    if len(row.keys) > 1:
        return _of_keys(row, routes)
    if row.texts:
        return _in_texts(row, routes) if row.part < 0 else _part_of_text(row, routes)
    form = _of_one_key(row, routes)
    if row.field == "secrets" and (type(form) is Form or (isinstance(form, Behind) and type(form.last) is Form)):
        raise FormSyntax(
            "no form says what of it is a secret's reference: end it with reference('vault/'), or with reference('') "
            "where any text is one; `names` is for a list of their names"
        )
    return form


def _of_one_key(row: DefinitionRow, routes: RouteStyle) -> Form:
    text = row.field if row.as_ == "plain" and row.field in ALL_FORMS else row.as_
    if text == "plain" and row.words:
        text = "choice"
    return _form_of(text, row, routes)


def _of_keys(row: DefinitionRow, routes: RouteStyle) -> Form:
    """Return the form of several keys: `as` begins with the text that they make."""
    tree = _parsed(row.as_)
    steps = _steps(tree)
    first = steps[0]
    if len(steps) == 1 and not row.texts and isinstance(first, ast.Call):
        form, names = _form_of(row.as_, row, routes), tuple(key.rpartition(".")[2] for key in row.keys)
        if form.of_mapping and set(names) <= set(form.args):
            return BesideKeys((), {}, routes, form, names)
    if row.texts or not isinstance(first, ast.Constant) or not isinstance(first.value, str):
        forms = " or ".join(sorted(name for name, form in ALL_FORMS.items() if form.of_mapping))
        raise FormSyntax(
            "a row of several keys begins its `as` with the text that they make, such as \"'{}#{}'\", "
            f"or is {forms} of these keys"
        )
    try:
        template = parse_template(first.value)
    except (FerryError, ValueError) as error:
        raise FormSyntax(str(error)) from None
    if len(template.parts) != len(row.keys) or any(part.field for part in template.parts):
        raise FormSyntax(f"{first.value!r} has to have {{}} for each of the {len(row.keys)} keys, in their order")
    parts = tuple(Through.of(part.lens) for part in template.parts)
    last = _chain(steps[1:], row.as_, row, routes)
    needed = tuple(part.needed for part in template.parts)
    return OfKeys((), {}, routes, last, template.forms[0], parts, needed)


def _in_texts(row: DefinitionRow, routes: RouteStyle) -> Form:
    """Return the form of a value in a text, or in one of several."""
    if row.as_ != "plain":
        raise FormSyntax("what follows the field's name in braces says its form: `{schedule | schedule(cron)}`")
    texts = []
    for text in row.texts:
        try:
            template = parse_template(text, reads=lambda form: _form_of(form, row, routes), plain=None)
        except FormSyntax:
            raise
        except (FerryError, ValueError) as error:
            raise FormSyntax(str(error)) from None
        if [part.field for part in template.parts] != [row.field] or not row.field:
            raise FormSyntax(f"{text!r} has to have {{{row.field or 'a field'}}} once, and no other field")
        usual = "choice" if row.words else row.field if row.field in ALL_FORMS else "plain"
        texts.append((template.forms[0], template.parts[0].lens or _form_of(usual, row, routes)))
    return InText((), {}, routes, tuple(texts))


def _part_of_text(row: DefinitionRow, routes: RouteStyle) -> Form:
    """Return the form of one field of several that stand in a text."""
    if row.as_ != "plain" or row.words:
        raise FormSyntax("what follows a field's name in braces says its form: `{memory | quantity(MB)}/{timeout}`")
    try:
        template = parse_template(row.texts[0], reads=str, plain="")
    except (FerryError, ValueError) as error:
        raise FormSyntax(str(error)) from None
    fields = [part.field for part in template.parts]
    if len(set(fields)) != len(fields) or row.field not in fields:
        raise FormSyntax(f"{row.texts[0]!r} has one field twice, or one that is none")
    number = fields.index(row.field)
    own = template.parts[number]
    usual = row.field if row.field in ALL_FORMS else "plain"
    inner = _form_of(own.lens.strip() or usual, row, routes)
    return PartOfText((), {}, routes, template.forms[0], len(fields), number, inner)


def _parsed(text: str) -> ast.expr:
    try:
        return ast.parse(text.strip(), mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise FormSyntax(f"{text!r} is not a form: write a name, or name(argument, …), perhaps behind lenses") from None


def _steps(tree: ast.expr) -> list[ast.expr]:
    """Return what stands between the `|`, in order."""
    if isinstance(tree, ast.BinOp) and isinstance(tree.op, ast.BitOr):
        return [*_steps(tree.left), tree.right]
    return [tree]


def _form_of(text: str, row: DefinitionRow, routes: RouteStyle) -> Form:
    return _fitting(_chain(_steps(_parsed(text)), text, row, routes), text, row)


def _fitting(form: Form, text: str, row: DefinitionRow) -> Form:
    """Return a form whose values a row's field may have; raises FormSyntax for any other."""
    last = form.last if isinstance(form, Behind) else form
    own = sorted(name for name, one in ALL_FORMS.items() if one.gives == row.field)
    if own and last.gives != row.field:
        raise FormSyntax(f"{row.field} is read by {' or '.join(own)}, and {text} gives another value")
    if last.gives not in ("", row.field):
        raise FormSyntax(f"{text} gives what only {last.gives} holds, and not {row.field}")
    return form


def _chain(steps: list[ast.expr], text: str, row: DefinitionRow, routes: RouteStyle) -> Form:
    """Return a form behind lenses; the value itself, where lenses are all there is."""
    if not steps:
        return Form((), {}, routes)
    function = steps[-1].func if isinstance(steps[-1], ast.Call) else steps[-1]
    name = function.id if isinstance(function, ast.Name) else ""
    is_form = name in ALL_FORMS
    last = _alone(steps[-1], name, text, row, routes) if is_form else Form((), {}, routes)
    lenses = steps[:-1] if is_form else steps
    if not lenses:
        return last
    try:
        lens = parse_lens(" | ".join(map(ast.unparse, lenses)))
        if not is_form and row.words:
            lens = with_words(lens, row.words)
    except (LensError, ValueError) as error:
        known = nearest(name or text, [*ALL_FORMS, *LENSES])
        raise FormSyntax(f"there is no form {text!r}{known}" if name and name not in LENSES else str(error)) from None
    holds = KINDS_OF_FIELDS.get(row.field, "text")
    if not is_form and lens.holds and holds not in lens.holds:
        raise FormSyntax(f"lens {lens} is for {' or '.join(lens.holds)}, and {row.field} holds {holds}")
    if lens.needs or lens.flagged or lens.spread or lens.derived_only or lens.awaited:
        raise FormSyntax(f"lens {lens} needs more than a definition has")
    return Behind((), {}, routes, Through.of(lens), last)


def _alone(tree: ast.expr, name: str, text: str, row: DefinitionRow, routes: RouteStyle) -> Form:
    args, options = _arguments(tree, text)
    form = ALL_FORMS[name]
    words: dict[Any, Any] = dict(row.words)
    if form.named and not options and words:
        options = words
    takes = form.takes <= len(args) <= form.takes + form.may_take
    if not takes or bool(options) != form.named:
        raise FormSyntax(f"form {name} takes {form.wants}, not {text!r}")
    if form.worded and not words:
        raise FormSyntax(f"form {name} takes the words of its row")
    if words and not form.worded and options is not words:
        raise FormSyntax(f"form {name} takes no words of its row")
    if not form.worded and options is not words and len(set(options.values())) != len(options):
        raise FormSyntax(f"{text!r} can't be written back: two words stand for the same")
    made = form(tuple(args), words if form.worded else options, routes)
    wrong = made.wrong()
    if wrong:
        raise FormSyntax(f"form {name}: {wrong}")
    return made


def _arguments(tree: ast.expr, text: str) -> tuple[list[str], dict[Any, Any]]:
    """Return the texts and the names that a form is given."""
    args: list[str] = []
    options: dict[Any, Any] = {}
    if isinstance(tree, ast.Call):
        for argument in tree.args:
            if isinstance(argument, ast.Name):
                args.append(argument.id)
                continue
            if not isinstance(argument, ast.Constant) or not isinstance(argument.value, str):
                raise FormSyntax(f"{text!r}: an argument is a name, a text in quotes, or name=name")
            args.append(argument.value)
        for keyword in tree.keywords:
            if keyword.arg is None or not isinstance(keyword.value, ast.Name):
                raise FormSyntax(f"{text!r}: an argument is a name, a text in quotes, or name=name")
            options[keyword.arg] = keyword.value.id
    return args, options


@functools.lru_cache(maxsize=64)
def checked_definition(profile: Profile) -> DefinitionModel | None:
    """Return the definition tables of a profile, if it has any.

    Raises ManyBadInputs with the line of every row that can't stand.
    """
    model = profile.model.definition
    # A row whose text holds several fields is one for each of them, and says what is wrong with it once.
    problems = list({str(one): one for one in _problems(profile, model)}.values()) if model else []
    if problems:
        raise ManyBadInputs(problems)
    return model


def _is_name(text: str, *, dotted: bool) -> bool:
    """Tell whether a text can stand in code as a parameter's name, or, if `dotted`, as the path of a decorator."""
    parts = text.split(".") if dotted else [text]
    return all(part.isidentifier() and not keyword.iskeyword(part) and not part.startswith("__") for part in parts)


def _problems(profile: Profile, model: DefinitionModel) -> Iterator[BadInput]:
    base: tuple[str | int, ...] = ("definition", "functions")
    for number, line in enumerate(model.lines):
        try:
            line_forms([line])
        except LineFormError as error:
            yield BadInput(f"{error}", "Mend the form", profile.document.place("definition", "lines", number))
    groups: list[tuple[tuple[str | int, ...], list[DefinitionRow], tuple[str, ...]]] = [
        ((*base, "rows"), model.functions.rows, FUNCTION_FIELDS)
    ]
    functions = model.functions
    if not (functions.in_code or any(row.field == "entry" for row in functions.rows)):
        yield BadInput(
            "no row says where a function's code is", "Add one with `is: entry`", profile.document.place(*base, "rows")
        )
    places: list[tuple[TriggerModel, tuple[str | int, ...]]] = [
        (kind, (*base, "triggers", index)) for index, kind in enumerate(model.functions.triggers)
    ]
    for at_top, where in enumerate(model.functions.elsewhere):
        places += [(kind, (*base, "elsewhere", at_top, "triggers", index)) for index, kind in enumerate(where.triggers)]
    for kind, path in places:
        yield from _problems_of_trigger(profile, model, kind, path)
        of_kind = TRIGGER_FIELDS if kind.way == "event" else BINDING_FIELDS
        groups.append(((*path, "rows"), kind.rows, of_kind.get(kind.kind, ())))
    for at, rows, fields in groups:
        for row in rows:
            yield from _problems_of_row(profile, model, row, (*at, row.number), fields)
    for kind, path in places:
        yield from _unknown_words(profile, kind, path)
    yield from _unknown_decorators(profile, model)


def _unknown_decorators(profile: Profile, model: DefinitionModel) -> Iterator[BadInput]:
    """Yield what is wrong with decorators that declare functions, where the provider's module has no such thing."""
    code = model.functions.code
    if code is None:
        return
    known = profile.model.decorators.get(code.module, [])
    for name in dict.fromkeys((*code.decorators, code.settings)):
        if name not in known:
            yield BadInput(
                f"{code.module} has no decorator {name}{nearest(name, known)}",
                f"Name it at the top as well: decorators: {{{code.module}: [{name}]}}",
                profile.document.place("definition", "functions", "code", "decorators"),
            )


def _unknown_words(profile: Profile, kind: TriggerModel, path: tuple[str | int, ...]) -> Iterator[BadInput]:
    """Yield the words of a trigger's rows, and of what it always means, that are none of the hub's for their field."""
    said: list[tuple[str, Any, tuple[str | int, ...]]] = [
        (row.field, word, (*path, "rows", row.number)) for row in kind.rows for word in _meant_by(profile, row)
    ]
    for name, value in kind.fixed.items():
        said += [(name, word, (*path, "fixed")) for word in (value if isinstance(value, list) else [value])]
    for field, word, at in said:
        known = words_of(field, kind.kind)
        if known and word not in known:
            what = f"{word!r} can't be what {field} of a {kind.kind} trigger is{nearest(str(word), known)}"
            yield BadInput(what, f"Use one of: {', '.join(known)}", profile.document.place(*at))


def _meant_by(profile: Profile, row: DefinitionRow) -> Iterator[Any]:
    """Yield what the words of a row stand for."""
    try:
        form = parse_form(row, route_style(profile))
    except FormSyntax:  # which is told with the row
        return
    waiting: list[Any] = [form]
    while waiting:
        one = waiting.pop()
        if isinstance(one, forms.Choice):
            yield from one.options.values()
        elif isinstance(one, Form):
            waiting.append(getattr(one, "last", None))
            waiting += [inner for _, inner in getattr(one, "texts", ())]


def _problems_of_trigger(
    profile: Profile, model: DefinitionModel, kind: TriggerModel, path: tuple[str | int, ...]
) -> Iterator[BadInput]:
    if kind.kind not in KINDS:
        yield BadInput(
            f"there is no kind {kind.kind!r}{nearest(kind.kind, KINDS)}",
            f"Use one of: {', '.join(KINDS)}",
            profile.document.place(*path, "kind"),
        )
    if model.functions.code and not _is_name(kind.key, dotted=True):
        yield BadInput(
            f"{kind.key!r} can't be a decorator, or an argument of one",
            "Write a name as Python takes it",
            profile.document.place(*path, "told_by"),
        )
    if model.functions.calls and path[2] == "triggers" and kind.key not in model.functions.calls.calls:
        yield BadInput(
            f"no call {kind.key!r} declares such a trigger{nearest(kind.key, model.functions.calls.calls)}",
            "Use one of `calls`: " + ", ".join(model.functions.calls.calls),
            profile.document.place(*path, "told_by"),
        )
    whole = {row.field for row in kind.rows} & {"route", "methods_and_route"}
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
    unnamed = [key for key in row.keys if not _is_name(key, dotted=at[-3] != "functions" and not row.field)]
    if not all(part for key in row.keys for part in key.split(".")):
        told = next(key for key in row.keys if not all(key.split(".")))
        yield BadInput(
            f"{told!r} is no key",
            "Name the key, or several, set apart by dots where one stands in another; keys that stand side by side are "
            "a list of them",
            place,
        )
        return
    if model.functions.code and unnamed:
        yield BadInput(
            f"{unnamed[0]!r} can't be an argument of a decorator, as which it stands in code",
            "Write a name as Python takes it",
            profile.document.place(*at, "at"),
        )
    in_call = model.functions.calls and at[2] == "triggers"
    if in_call and (strange := [key for key in row.keys if not _is_name(key.partition(".")[0], dotted=False)]):
        yield BadInput(
            f"{strange[0]!r} can't be an argument of a call, as which it stands in code",
            "Write a name as Python takes it",
            profile.document.place(*at, "at"),
        )
    if row.field and row.field not in fields:
        yield BadInput(
            f"a definition has no field {row.field!r}{nearest(row.field, fields)}",
            f"Use one of: {', '.join(fields)}",
            place,
        )
    try:
        parse_form(row, route_style(profile))
    except FormSyntax as error:
        yield BadInput(str(error), "See docs/profiles.md for the forms", place)
