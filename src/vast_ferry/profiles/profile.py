"""A profile that was loaded and checked: tables for the compiler, and the rest as its schema says."""

from __future__ import annotations

import contextlib
import re
import textwrap
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Any, Final

from pydantic import ValidationError

from vast_ferry.documents.document import Document, read_text
from vast_ferry.documents.yaml_file import read_yaml
from vast_ferry.hub.fields import EVENTS
from vast_ferry.hub.findings import BadInput, ManyBadInputs, Place, nearest
from vast_ferry.hub.functions import PYTHON, Function
from vast_ferry.hub.kinds import REQUEST
from vast_ferry.mapping.clients import (
    HUB_CLIENTS,
    Client,
    Converter,
    class_of,
    client_module,
)
from vast_ferry.mapping.compile.functions import Source, lens_source, lens_writer, translate_event, translate_reply
from vast_ferry.mapping.compile.writing import CannotWrite
from vast_ferry.mapping.emit import module_source
from vast_ferry.mapping.expressions import Expression, Variable
from vast_ferry.mapping.javascript import functions as in_javascript
from vast_ferry.mapping.javascript.writing import JavaScript, NoTwin
from vast_ferry.mapping.lenses.lens import LensError
from vast_ferry.mapping.python import docstring
from vast_ferry.mapping.tables import (
    HUB_CALLS,
    HUB_EVENTS,
    EventShape,
    Kind,
    ReplyShape,
    TableProblem,
    check_event,
    check_reply,
    hub_answer,
)
from vast_ferry.profiles import schema, schema_texts
from vast_ferry.profiles.building_clients import BuilderOfAll

#: What handlers find in a module beside classes and clients, as code.
SURROUNDINGS: Final = {
    "settings": "Settings()",
    "typed_settings": "Settings(typed=True)",
    "setting": "setting_of",
    "secret": "secret_of",
}


@dataclass(frozen=True, eq=False, repr=False)
class Profile:
    """One edition of one provider; `kinds` has the tables of each kind of event that it knows."""

    model: schema.ProfileModel
    kinds: Mapping[str, Kind]
    document: Document = field(repr=False)
    path: Path = field(repr=False, default_factory=Path)
    clients: tuple[Client, ...] = ()
    converters: tuple[Converter, ...] = ()

    def __repr__(self) -> str:
        return f"<profile {self.name}>"

    def kind(self, name: str) -> Kind:
        """Return the tables of a kind; raises BadInput where the provider does not know it."""
        if name not in self.kinds:
            raise BadInput(f"{self.title} has no {name} events", f"Kinds that it has: {', '.join(self.kinds)}")
        return self.kinds[name]

    @property
    def event(self) -> EventShape:
        """Return how an HTTP request is handed to a handler."""
        return self.kind(REQUEST).event

    @property
    def http_reply(self) -> ReplyShape | None:
        """Return how a handler answers an HTTP request, where the profile says it."""
        return self.kinds[REQUEST].reply if REQUEST in self.kinds else None

    @property
    def reply(self) -> ReplyShape:
        """Return how a handler answers an HTTP request."""
        reply = self.kind(REQUEST).reply
        assert reply is not None
        return reply

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
    def operations(self) -> Mapping[str, Client]:
        """Return the client for each operation that handlers can do here."""
        return {client.operation: client for client in reversed(self.clients) if not client.pages}

    @cached_property
    def javascript(self) -> Profile | None:
        """Return the same edition as handlers in JavaScript meet it, where it runs any; else nothing.

        Its places are as they stand in the profile's rows; `mapping.javascript` spells them as JavaScript does.
        """
        own = self.model.javascript
        if own is None:
            return None
        usual = {key: value for key, value in self.document.data.items() if key not in ("javascript", "extends")}
        document = replace(self.document, data=_merged(usual, own))
        return _built(document, self.path, str(self.path), javascript=True)

    def started_by(self, module: str) -> Profile:
        """Return the provider with another module to start a whole project by; an empty name is that of its own."""
        own, _, name = self.model.handler.entry.partition(":")
        if not (module and name):
            return self
        files = [
            one.model_copy(update={"path": f"{module}.py"}) if one.path == f"{own}.py" else one
            for one in self.model.files
        ]
        handler = self.model.handler.model_copy(update={"entry": f"{module}:{name}"})
        return replace(self, model=self.model.model_copy(update={"handler": handler, "files": files}))

    def in_language(self, language: str) -> Profile:
        """Return the provider as handlers in a language meet it; without a kind of event where it does not run that."""
        if language == PYTHON:
            return self
        return self.javascript or replace(self, kinds={})

    @cached_property
    def modules(self) -> dict[str, str]:
        """Return the source of each module that handlers import from the provider, over a stand-in's services."""
        return self.modules_over(HUB_CLIENTS)

    @cached_property
    def provided(self) -> Mapping[str, frozenset[str]]:
        """Return what handlers can import from each module of the provider: classes, clients' groups, decorators."""
        found = {name: set(classes) for name, classes in self.model.modules.items()}
        for client in self.clients:
            if client.root not in self.model.handler.parameters:
                found.setdefault(client.root, set()).add(re.split(r"[.(]", client.path)[0])
        for module, around in self.model.surroundings.items():
            found.setdefault(module, set()).update(around)
        for converter in self.converters:
            found.setdefault(converter.module, set()).add(converter.name)
        for name, paths in self.model.decorators.items():
            found.setdefault(name, set()).update(path.partition(".")[0] for path in paths)
        calls = self.model.definition.functions.calls if self.model.definition else None
        if calls is not None:  # what functions are declared by
            found.setdefault(calls.module, set()).add(calls.object)
        return {name: frozenset(names) for name, names in found.items()}

    def binds(self, function: Function) -> bool:
        """Tell whether a handler takes more, or other things, than the event as this provider hands it over."""
        if self.model.handler.script:
            return not self.model.handler.entry
        if not self.model.handler.output or len(function.kinds) != 1:
            return False
        usual = self.kind(function.kinds[0]).event.event_parameters[0]
        return any(
            one.way != "event" or one.form != "whole" or re.search(r"\{\w", one.key) or one.name != usual
            for one in function.bindings
        )

    @property
    def hosts(self) -> tuple[str, ...]:
        """Return the parameters of handlers by which they reach services."""
        return tuple(name for name in self.model.handler.parameters if any(c.root == name for c in self.clients))

    @property
    def stepped(self) -> Mapping[str, str]:
        """Return the parameters on which services are called step by step, each with the module that stands for it."""
        chained = {one.root for one in self.clients if one.chain is not None}
        return {name: f"{self.model.provider.replace('-', '_')}_{name}" for name in self.hosts if name in chained}

    def modules_over(
        self,
        theirs: Mapping[str, Client],
        imports: Iterable[str] = (),
        used: Iterable[Client] | None = None,
        hosts: tuple[str, ...] = (),
    ) -> dict[str, str]:
        """Return the source of each module that handlers import, its clients made of others' `theirs`.

        With `used`, a module of which no client is used has none of them. `hosts` are the other's parameters by which
        it reaches services.
        """
        own = {client.root for client in self.clients} - set(self.model.handler.parameters)
        theirs_too = (*self.model.converters, *self.model.surroundings, *self.model.decorators)
        names = dict.fromkeys([*self.model.modules, *theirs_too, *sorted(own)])
        wanted = own if used is None else {client.root for client in used}
        made = {}
        for name in names:
            ours = [client for client in self.clients if client.root == name and name in wanted]
            made[name] = self._module(name, ours, theirs, imports, hosts)
        for root, name in self.stepped.items():
            ours = [client for client in self.clients if client.root == root and client.chain is not None]
            made[name] = self._module(name, ours, theirs, imports, hosts)
        return made

    def _module(
        self,
        name: str,
        ours: list[Client],
        theirs: Mapping[str, Client],
        imports: Iterable[str],
        hosts: tuple[str, ...],
    ) -> str:
        about = f"What handlers import from {name}: made from its profile."
        sources, code = client_module(f"{self.title}'s services.", name, ours, theirs, hosts)
        own = [one for one in self.converters if one.module == name]
        sources = [*((lens_source if one.reads else lens_writer)(one.name, one.lens) for one in own), *sources]
        around = self.model.surroundings.get(name, {})
        parts = ["\n".join(f"{own} = {SURROUNDINGS[what]}" for own, what in around.items())] if around else []
        parts += [_class_source(title, model) for title, model in self.model.modules.get(name, {}).items()]
        parts += _decorators(self.model.decorators.get(name, []))
        parts += [code] if code else []
        plain = [client.path for client in ours if client.chain is None]
        groups = dict.fromkeys(group for path in plain if (group := path.rpartition(".")[0]))
        parts += ["\n".join(f"{group} = {class_of(name, group)}()" for group in groups)] if groups else []
        return module_source(about, sources, *[*(imports if ours else ()), *parts])

    def context_classes(
        self, theirs: Mapping[str, Client], hosts: tuple[str, ...] = ()
    ) -> tuple[list[Source], list[str]]:
        """Return the classes of the objects by which handlers reach services from their parameters."""
        sources: list[Source] = []
        parts: list[str] = []
        for root in dict.fromkeys(c.root for c in self.clients if c.root in self.model.handler.parameters):
            ours = [client for client in self.clients if client.root == root]
            used, code = client_module(f"{self.title}'s services.", root, ours, theirs, hosts, handed=True)
            sources += used
            parts.append(code)
        return sources, parts

    def template(self, name: str) -> str:
        """Return the text of a template that stands beside the profile."""
        return read_text(self.path.parent / name, str(self.path.parent / name), "the template")


def load_profile(path: Path, shown: str = "") -> Profile:
    """Return the profile in a file.

    Raises BadInput (ManyBadInputs for several mistakes) with the line of each row that can't stand.
    """
    shown = shown or str(path)
    return _built(whole_document(path, shown), path, shown)


def _built(document: Document, path: Path, shown: str, *, javascript: bool = False) -> Profile:
    """Return the profile that a document is, or its surface in JavaScript; raises as `load_profile` does."""
    try:
        model = schema.ProfileModel.model_validate(document.data)
    except ValidationError as error:
        raise _many(document, error) from None
    if model.javascript is not None:
        _declares_javascript(document, model.javascript)
    builder = BuilderOfAll(document, javascript=javascript)
    builder.handler(model)
    clients = tuple(builder.clients(model))
    converters = tuple(builder.converters(model))
    kinds = {name: builder.kind(model, name) for name in EVENTS if getattr(model, name) is not None}
    told = {problem.place.line for problem in builder.problems}
    problems = [
        *builder.problems,
        *(
            BadInput(problem.what, problem.remedy, Place(shown, problem.line))
            for kind in kinds.values()
            for problem in _table_problems(kind, javascript=javascript)
            if problem.line not in told
        ),
        *(
            BadInput(problem.what, problem.remedy, Place(shown, problem.line))
            for client in clients
            for shape in (client.arguments, client.result)
            if shape is not None
            for problem in check_event(shape, of_a_call=True)
            if problem.line not in told
        ),
    ]
    if problems:
        once = {(problem.place.line, problem.what): problem for problem in problems}
        raise ManyBadInputs(sorted(once.values(), key=lambda problem: problem.place.line))
    return Profile(model, kinds, document, path, clients, converters)


def _declares_javascript(document: Document, own: Mapping[str, Any]) -> None:
    """Refuse a profile that has handlers in JavaScript, and no way to declare them."""
    definition = _merged(document.data.get("definition"), own["definition"]) if "definition" in own else None
    definition = definition or document.data.get("definition")
    if isinstance(definition, dict) and (definition.get("functions") or {}).get("code"):
        raise BadInput(
            "functions are declared by decorators of Python, which no handler in JavaScript can have",
            "Write `javascript: null`, or another `definition` in `javascript`",
            document.place("javascript"),
        )


SHIPPED: Final = Path(__file__).parent / "shipped"
#: An edition that extends one that extends one, and so on.
_LONGEST_LINE: Final = 8


def whole_document(path: Path, shown: str, within: tuple[Path, ...] = ()) -> Document:
    """Return the document in a profile's file, put together with those that it extends.

    Raises BadInput where one is not there, is no mapping, or extends itself.
    """
    document = read_yaml(path, shown, "the profile", "words")
    if not isinstance(document.data, dict):
        raise BadInput("the profile is not a mapping", "Begin it with `provider:`", Place(shown, 1))
    base = document.data.get("extends")
    if not base:
        return document
    place = document.place("extends")
    found = re.fullmatch(r"([a-z][a-z0-9_-]*)@(\d{1,9})", base) if isinstance(base, str) else None
    if found is None:
        raise BadInput(f"extends is {base!r}, which names no profile", "Write NAME@EDITION", place)
    file = f"{found[1]}-{found[2]}.yaml"
    there = next((folder / file for folder in (path.parent, SHIPPED) if (folder / file).is_file()), None)
    if there is None:
        raise BadInput(f"there is no profile {base}", f"Put {file} beside this one", place)
    line = (*within, path.resolve())
    if there.resolve() in line or len(line) > _LONGEST_LINE:
        raise BadInput(f"{base} extends this one again, or too many extend each other", "Take one `extends` out", place)
    before = whole_document(there, str(there), line)
    return replace(document, data=_merged(before.data, document.data))


def _merged(base: Any, own: Any) -> Any:
    """Return a mapping put together with another's entries; any other value is the other's, null takes a key away."""
    if not isinstance(base, dict) or not isinstance(own, dict):
        return own
    both = {
        key: _merged(base[key], own[key]) if key in base and key in own else own.get(key, base.get(key))
        for key in {**base, **own}
    }
    return {key: value for key, value in both.items() if not (key in own and own[key] is None and key in base)}


def _table_problems(kind: Kind, *, javascript: bool) -> list[TableProblem]:
    shapes = (kind.event, *kind.others)
    problems = [one for shape in shapes for one in check_event(shape)]
    problems += check_reply(kind.reply) if kind.reply else []
    if problems:
        return problems
    try:
        (_try_in_javascript if javascript else _try)(kind)
    except CannotWrite as error:
        return [TableProblem(1, str(error), "Give each object only attributes and methods, each mapping only items")]
    except NoTwin as error:
        line, form = _without_twin(kind)
        what = f"in JavaScript: {form}{error}"
        return [TableProblem(line, what, "Say it in another way under `javascript:`")]
    return []


def _without_twin(kind: Kind) -> tuple[int, str]:
    """Return the line of the first row that has no form in JavaScript, and its form; the first line for none."""
    forms = kind.answered.forms
    for row in [row for rows in (kind.event.rows, *(form.rows for form in forms)) for row in rows]:
        stands: list[Expression] = []
        with contextlib.suppress(LensError, NotImplementedError):
            stands += [
                row.lens.read(Variable("at"), Variable("flag"), Variable),
                row.lens.write(Variable("at"), Variable),
            ]
        try:
            for one in stands:
                JavaScript().write(one)
        except NoTwin:
            return row.line, f"{row.field} as {row.lens}: "
    return 1, ""


def _try(kind: Kind) -> None:
    for shape in (kind.event, *kind.others):
        translate_event("check", HUB_EVENTS[kind.event.kind], shape)
    if kind.reply:
        translate_reply("check", hub_answer(kind.event.kind), kind.reply)


def _try_in_javascript(kind: Kind) -> None:
    hub, shape = in_javascript.there(HUB_CALLS[kind.event.kind]), in_javascript.there(kind.event)
    in_javascript.translate_event("check", hub, shape)
    in_javascript.translate_event("check", shape, hub)
    if kind.reply:
        answer, hub_reply = in_javascript.reply_there(kind.reply), hub_answer(kind.event.kind)
        in_javascript.translate_reply("check", hub_reply, answer, {})
        in_javascript.translate_reply("check", answer, hub_reply, {})


def _said(message: str) -> str:
    """Return what the schema says is wrong, as it goes on behind the name of what that is."""
    said = message.removeprefix("Value error, ").replace("Input should be", "has to be", 1)
    said = f"has to be {said.removeprefix('must be ')}" if said.startswith("must be ") else said
    return said[:1].lower() + said[1:]


def _many(document: Document, error: ValidationError) -> ManyBadInputs:
    problems = []
    either: dict[tuple[str | int, ...], list[str]] = {}
    for item in error.errors():
        path = tuple(part for part in item["loc"] if isinstance(part, str | int))
        there = _there(document.data, path)
        if item["type"] not in ("extra_forbidden", "missing") and len(there) < len(
            path
        ):  # one of several that may stand
            written = schema_texts.in_words(str(item.get("ctx", {}).get("pattern", "")))
            either.setdefault(there, []).append(written or _said(item["msg"]).removeprefix("has to be "))
            continue
        name = ".".join(str(part) for part in path)
        written = schema_texts.in_words(str(item.get("ctx", {}).get("pattern", "")))
        what, remedy = (
            (f"{name} has to be {written}", "See docs/profiles.md for what stands there")
            if written
            else (f"{name} {_said(item['msg'])}", "See docs/profiles.md for what stands there")
        )
        if item["type"] == "extra_forbidden":
            model = _model_at(path[:-1])
            known = [f.alias or n for n, f in model.model_fields.items()] if model else []
            what = f"{name}: there is no such key{nearest(str(path[-1]), known)}"
            remedy = f"Use one of: {', '.join(known)}" if known else "Take it out"
            if set(str(path[-1])) & set(")|'\""):
                remedy = "It looks like the rest of a value: one that holds a comma stands in quotes between braces"
        elif item["type"] == "missing":
            what, remedy = f"{name} is missing", f"Add `{path[-1]}:`"
        problems.append(BadInput(what, remedy, document.place(*path)))
    for path, wanted in either.items():
        what = f"{'.'.join(map(str, path))} has to be {' or '.join(dict.fromkeys(wanted))}"
        problems.append(BadInput(what, "See docs/profiles.md for what stands there", document.place(*path)))
    return ManyBadInputs(problems)


def _there(data: Any, path: tuple[str | int, ...]) -> tuple[str | int, ...]:
    """Return how far a path leads in a document: behind that are words for what could have stood there."""
    for at, part in enumerate(path):
        known = range(len(data)) if isinstance(data, list) else data if isinstance(data, dict) else ()
        if part not in known:
            return path[:at]
        data = data[part]
    return path


def _model_at(path: tuple[str | int, ...]) -> type[schema_texts.Model] | None:
    import typing

    model: Any = schema.ProfileModel
    for part in path:
        if isinstance(model, type) and issubclass(model, schema_texts.Model):
            named = next((f for n, f in model.model_fields.items() if part in (n, f.alias)), None)
            if named is None:
                return None
            model = named.annotation
        else:
            arguments = [a for a in typing.get_args(model) if a is not type(None)]
            model = arguments[-1] if arguments else None
        arguments = [a for a in typing.get_args(model) if a is not type(None)]
        if len(arguments) == 1 and isinstance(arguments[0], type) and issubclass(arguments[0], schema_texts.Model):
            is_list = typing.get_origin(model) is list
            model = model if is_list else arguments[0]
    return model if isinstance(model, type) and issubclass(model, schema_texts.Model) else None


def _class_source(name: str, model: schema.ClassModel) -> str:
    """Return a class that keeps its constructor's arguments as attributes."""
    names = [parameter.partition("=")[0].strip() for parameter in model.takes]
    base = "(Exception)" if model.error else ""
    lines = [f"class {name}{base}:", f"    {docstring(model.about)}" if model.about else "", ""]
    lines += [f"    __slots__ = {tuple(names)!r}", ""]
    if not names:
        return "\n".join(lines)
    lines += [f"    def __init__(self, {', '.join(model.takes)}):"]
    lines += [f"        self.{n} = {n}" for n in names]
    for method, attribute in model.adds.items():
        added = f"[*header_fields(self.{attribute}, 'name', 'value'), (name, value)]"
        lines += [
            "",
            f"    def {method}(self, name, value):",
            f"        self.{attribute} = {added}",
            "        return self",
        ]
    for method, attribute in model.sets.items():
        lines += ["", f"    def {method}(self, value):", f"        self.{attribute} = value", "        return self"]
    for method, maker in model.makers.items():
        value, *others = [parameter.partition("=")[0].strip() for parameter in maker.takes]
        given = [f"{one}={one}" for one in others if one != maker.fields]
        fields = f"header_fields({maker.fields}, 'name', 'value')" if maker.fields in others else "[]"
        types = f"'json', {{'json': {maker.type!r}}}, {maker.type_first}"
        lines += [
            "",
            "    @classmethod",
            f"    def {method}(cls, {', '.join(maker.takes)}):",
            f"        fields = with_type_for({fields}, {types})",
            f"        content = json_in_style({value}, {tuple(maker.style)!r})",
            f"        return cls({', '.join([f'{maker.content}=content', f'{maker.fields}=fields', *given])})",
        ]
    return "\n".join(lines)


def _decorators(paths: list[str]) -> list[str]:
    """Return decorators that leave a handler as it is: they only declare it."""
    parts = []
    groups: dict[str, list[str]] = {}
    for path in paths:
        group, _, name = path.rpartition(".")
        groups.setdefault(group, []).append(name)
    for group, names in groups.items():
        own = "self, " if group else ""
        made = [f"def {name}({own}*declared, **more):\n    return lambda handler: handler" for name in names]
        if not group:
            parts += made
            continue
        body = "\n\n".join(textwrap.indent(text, "    ") for text in made)
        parts.append(f"class _{group.title()}:\n{body}")
        parts.append(f"{group} = _{group.title()}()")
    return parts
