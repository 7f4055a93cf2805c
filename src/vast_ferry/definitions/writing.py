"""Projects → definition files, and what of a trigger or a function a provider's definition has no words for."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

from vast_ferry.definitions.apart import WHOLE, together
from vast_ferry.definitions.at_top import put_at_top
from vast_ferry.definitions.by_path import name_by_path, named_of, placed_files, said_by_path, written
from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.composed import Pieces, put_whole
from vast_ferry.definitions.fitting import Unheld, both, brief, fit_trigger, model_of, one_by_one, parameter_of
from vast_ferry.definitions.forms import AccessForm, Form
from vast_ferry.definitions.in_code import write_calls, write_commented, write_decorated
from vast_ferry.definitions.laid_over import put, put_under, there
from vast_ferry.definitions.syntaxes import line_forms, syntax_of
from vast_ferry.definitions.tables import checked_definition, forms_of
from vast_ferry.documents.ini_file import write_ini
from vast_ferry.documents.json_file import write_json
from vast_ferry.documents.lines_file import said_of, write_lines
from vast_ferry.documents.toml_file import write_toml
from vast_ferry.documents.xml_file import write_xml
from vast_ferry.documents.yaml_file import write_yaml
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import RUNS_ON, Function, Project
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.schema_definition import DefinitionModel, DefinitionRow


def _fit_field(field: str, value: Any, form: Form, unheld: list[Unheld]) -> Any:
    """Return what a definition says of one field of a function; what of it it can't say is added to `unheld`."""
    try:
        made = form.write(value)
    except CannotHold as error:
        unheld.append(Unheld(field, str(error)))
        return None
    if isinstance(form, AccessForm):
        missing = [str(one) for one in value if not form.holds(one)]
        if missing:
            unheld.append(Unheld(field, f"it has no words for: {', '.join(missing)}"))
    return made


def fit_function(function: Function, profile: Profile) -> tuple[dict[str, Any], tuple[Unheld, ...]]:
    """Return what a provider's definition says of a function beside its triggers, and what it can't say."""
    model = checked_definition(profile)
    if model is None:
        return {}, ()
    data, unheld = _fit_rows(function, profile, model)
    if model.lines or model.functions.by_path:
        each = [
            _sayable(_with_triggers(one, dict(data), model, profile, {}), model, function.name)
            for one in _each_declared(function, model, profile)
        ]
        told = dict.fromkeys(name for _, unsaid in each for name in unsaid)
        first = each[0][0] if model.functions.by_path else {}
        known = name_by_path(first, model.functions) if first else function.name
        if known != function.name:
            unheld = (*unheld, Unheld("name", f"functions are told by their files: this one is known by {known}"))
        what = "line" if model.lines else "file"
        unheld = (*unheld, *(Unheld(name, f"no {what} there can say {name}") for name in told))
    return data, unheld


def _each_declared(function: Function, model: DefinitionModel, profile: Profile) -> list[Function]:
    """Return a function as often as it is declared: where functions have no names, once for each of its triggers."""
    nameless = model.functions.usual_name or model.functions.by_path
    if nameless and model.functions.triggers_are == "one" and function.triggers:
        every = [part for trigger in function.triggers for part in one_by_one(trigger, profile)]
        return [replace(function, triggers=(trigger,)) for trigger in every]
    return [function]


def _sayable(data: dict[str, Any], model: DefinitionModel, name: str) -> tuple[dict[str, Any], list[str]]:
    """Return what is declared of a function as far as it can be said there, and what can't."""
    if not model.functions.by_path:
        return _said_in_lines(data, model)
    shared = {key: data[key] for key in model.functions.shared if key in data}
    own = {key: one for key, one in data.items() if key not in shared}
    said, unsaid = said_by_path(own, name, model.functions.by_path)
    return ({**said, **shared} if said else {}), unsaid


def _said_in_lines(data: dict[str, Any], model: DefinitionModel) -> tuple[dict[str, Any], list[str]]:
    """Return what is declared of a function as far as its lines can say it, and what they can't.

    What is shared by all functions stands at the top.
    """
    if not model.lines:
        return data, []
    shared = {key: data[key] for key in model.functions.shared if key in data}
    own = {key: one for key, one in data.items() if key not in shared}
    if model.functions.named_by:
        own = {model.functions.named_by: "f", **own}
    said = said_of(own, model.functions.at, line_forms(model.lines))
    if said is None:
        return {}, ["it without a trigger"]
    kept = {key: one for key, one in said.data.items() if key != model.functions.named_by}
    return {**kept, **shared}, said.unsaid


def _fit_rows(
    function: Function, profile: Profile, model: DefinitionModel
) -> tuple[dict[str, Any], tuple[Unheld, ...]]:
    """Return what the rows of a definition say of a function, and what they can't say."""
    forms = forms_of(profile)
    data: dict[str, Any] = {}
    unheld: list[Unheld] = []
    spoken = ("", function.entry.language)
    rows = {row.field: row for row in model.functions.rows if row.field and row.for_ in spoken}
    for field, row in rows.items():
        value = getattr(function, field)
        if field == "entry" and model.functions.in_code:
            continue
        if value:
            form = forms[id(row)]
            made = _fit_field(field, value, form, unheld)
            if made or (made is not None and not isinstance(form, AccessForm)):
                # A list of names and values may hold what is a setting, and what is a secret.
                said = both(there(data, row.keys[0]), made) if len(row.keys) == 1 else made
                if model.functions.code:
                    data[row.keys[0]] = said
                else:
                    put_under(data, row.keys, said, put)
    if model.functions.files.count("/") > 1:
        unheld += _entry_inside(function, rows["entry"], forms, model.functions.files, data)
    unheld += [Unheld(", ".join(one.field for one in rows.values() if one.part >= 0), why) for why in put_whole(data)]
    if (
        model.functions.usual_name
        and not model.functions.by_path
        and (known := named_of(model.functions.usual_name, data)) != function.name
    ):
        unheld.append(Unheld("name", f"functions have no names in its definition: this one is known by {known}"))
    return data, (*unheld, *_no_way_to_say(function, model, set(rows)))


def _no_way_to_say(function: Function, model: DefinitionModel, rows: set[str]) -> Iterator[Unheld]:
    """Yield what a definition has no key for."""
    nameless = model.functions.usual_name or model.functions.by_path
    if model.functions.triggers_are == "one" and len(function.triggers) > 1 and not nameless:
        why = f"a function has one trigger there, and this one has {len(function.triggers)}: only the first is declared"
        yield Unheld("triggers", why)
    plain = ("dead_letter", "attempts", "concurrency", "memory", "timeout")
    said = {field: f"say {field.replace('_', ' ')} {brief(getattr(function, field))}" for field in plain}
    said["access"] = f"say that it may {', '.join(map(str, function.access))}"
    said["language"] = f"say that it runs on {RUNS_ON[function.entry.language]} {function.language}"
    # Of these the names alone: their values are nobody's business.
    said["variables"] = f"declare variables ({', '.join(function.variables)})"
    said["secrets"] = f"declare secrets ({', '.join(function.secrets)})"
    for field, what in said.items():
        value = getattr(function, field)
        if value and field not in rows and not (field == "concurrency" and value == 1):
            yield Unheld(field, f"it has no way to {what}")


def _entry_inside(
    function: Function, row: DefinitionRow, forms: Mapping[int, Form], files: str, data: dict[str, Any]
) -> list[Unheld]:
    """Say where a handler is from its function's own folder; return what stands in the way."""
    inside = files.rpartition("/")[0].replace("*", function.name) + "/"
    if not function.entry.file.startswith(inside):
        return [Unheld("entry", f"its handler has to lie in {inside}, and lies in {function.entry.file}")]
    own = replace(function.entry, file=function.entry.file.removeprefix(inside))
    put_under(data, row.keys, forms[id(row)].write(own), put)
    return []


def _function_data(
    function: Function, model: DefinitionModel, profile: Profile, tops: dict[str, dict[str, Any]]
) -> dict[str, Any]:
    """Return what is declared of a function; triggers that stand at the top of a file are put there."""
    data, _ = _fit_rows(function, profile, model)
    return _sayable(_with_triggers(function, data, model, profile, tops), model, function.name)[0]


def _with_triggers(
    function: Function,
    data: dict[str, Any],
    model: DefinitionModel,
    profile: Profile,
    tops: dict[str, dict[str, Any]],
) -> dict[str, Any]:
    """Return what is declared of a function and, with it, of its triggers."""
    triggers = _triggers_of(function, model, profile, tops)
    called = model_of("call", model)
    only_called = set(function.kinds) <= {"call"}
    if only_called and called is not None and called.rows:
        handed: dict[str, Any] = {row.keys[0]: parameter_of(profile, "call") for row in called.rows}
        triggers = [{**handed, called.key: called.word or ""}]
    if only_called and model.functions.calls and called is not None:
        triggers = [{called.key: called.word or True}]
    if profile.model.handler.output and function.bindings:
        triggers = _bound(function, triggers, model)
    if model.functions.triggers_at:
        return {**data, model.functions.triggers_at: _as_they_are(triggers, model)} if triggers else data
    if model.functions.triggers_are == "one":
        return {**data, **(triggers[0] if triggers else {})}
    for trigger in triggers:
        for key, value in trigger.items():
            data.setdefault(key, []).append(value)
    return data


def _triggers_of(
    function: Function, model: DefinitionModel, profile: Profile, tops: dict[str, dict[str, Any]]
) -> list[dict[str, Any]]:
    """Return a function's triggers as it declares them itself; others are put at the top."""
    triggers: list[dict[str, Any]] = []
    # A trigger of which nothing could be read says nothing; a finding tells of it.
    for fitted in (fit_trigger(trigger, profile) for trigger in function.triggers):
        at_top = [one for one in model.functions.elsewhere if any(fitted.kind is kind for kind in one.triggers)]
        if at_top:
            where = at_top[0]
            put_at_top(tops.setdefault(where.file, {}), where, function.name, fitted.entries)
        else:
            triggers += fitted.entries
    return triggers


def _as_they_are(triggers: list[dict[str, Any]], model: DefinitionModel) -> Any:
    """Return a function's triggers in the way in which they stand there."""
    how = model.functions.triggers_are
    if (text := model.functions.triggers_text) != "":
        texts = [one[text] for one in triggers]
        return texts if how == "listed" else texts[0]
    if how == "listed":
        return triggers
    if how == "one":
        return triggers[0]
    return {f"trigger{number}": one for number, one in enumerate(triggers, 1)}


def _bound(function: Function, triggers: list[dict[str, Any]], model: DefinitionModel) -> list[dict[str, Any]]:
    """Return triggers with what a function's bindings say of them, and the inputs and outputs beside them."""
    made = [dict(trigger) for trigger in triggers]
    for binding in function.bindings:
        kinds = [one for one in model.functions.triggers if (one.kind, one.way) == (binding.kind, binding.way)]
        if not kinds:
            continue
        values = {
            "parameter": binding.name,
            "source": binding.source,
            "key": binding.key,
            "key_filter": binding.key,
            "form": "" if binding.form == "whole" else binding.form,
            "content_type": binding.content_type,
        }
        rows = {row.keys[0]: values[row.field] for row in kinds[0].rows if values.get(row.field)}
        if binding.way == "event":
            for trigger in made:
                if kinds[0].key in trigger:
                    trigger.update({key: value for key, value in rows.items() if key != kinds[0].key})
        else:
            decorator = next((row.keys[0] for row in kinds[0].rows if not row.field and "." in row.keys[0]), "")
            made.append({**({decorator: True} if decorator else {}), **rows})
    return made


def write_definition(project: Project, profile: Profile, comments: tuple[str, ...] = ()) -> dict[str, str]:
    """Return the definition files that declare `project` at this provider, by path; none if it needs none."""
    model = checked_definition(profile)
    if model is None:
        return {}
    data: dict[str, Any] = {}
    if model.name:
        put(data, model.name, project.name)
    if model.region and project.region:
        put(data, model.region, project.region)
    tops = {"": data}  # by the file that they are of, if it is not the definition's own
    functions = {function.name: _function_data(function, model, profile, tops) for function in project.functions}
    several = [one for function in project.functions for one in _each_declared(function, model, profile)]
    each = [_function_data(one, model, profile, tops) for one in several] if len(several) > len(functions) else []
    for key in model.functions.shared:
        # Lines, and paths of files, have no other place for it.
        _put_what_is_shared(
            data, key, [*functions.values(), *each], required=bool(model.lines or model.functions.by_path)
        )
    files = _stage_files(project, profile, model, data, functions)
    files |= {
        file: _text(held.get(WHOLE, held), model, (), syntax_of(file, model.syntax))
        for file, held in tops.items()
        if file
    }
    if model.functions.at:
        at = model.functions.triggers_at if model.functions.calls else ""
        told = {
            name: {key: said for key, said in one.items() if key != at or not at} for name, one in functions.items()
        }
        data[model.functions.at] = each or _named(told, model)
    elif model.functions.files:
        for name, declared in functions.items():
            if not re.fullmatch(r"\w[\w.-]*", name):
                raise BadInput(
                    f"{name!r} can't be the name of a file, as each function has at {profile.title}",
                    "Rename the function: letters, digits, `_`, `-` and dots",
                )
            files[model.functions.files.replace("*", name)] = _text(declared, model, (), root=model.functions.root)
    files |= _in_code(project, functions, model, profile, comments)
    if model.functions.by_path:
        entries = [(one.entry, said) for one, said in zip(several, each or functions.values(), strict=True)]
        placed = placed_files(entries, model.functions.by_path)
        says = next((one.says for one in model.functions.by_path if one.says), "")
        files |= dict(written(path, one, says, profile.title, comments[:1]) for path, one in placed.items())
    whole = together(data, model.functions.at, model.file)
    return {model.file: _text(whole, model, comments), **files}


def _put_what_is_shared(data: dict[str, Any], key: str, functions: list[dict[str, Any]], *, required: bool) -> None:
    """Put at the top what all functions say of a key that may stand there; where it is `required`, what any says.

    Raises BadInput where it is required, and functions say different things.
    """
    said = [one[key] for one in functions if key in one]
    if not said or (not required and (len(said) < len(functions) or any(one != said[0] for one in said))):
        return
    every = [one if isinstance(one, list) else list(one.items()) if isinstance(one, dict) else [one] for one in said]
    # An entry's first value is its name: what one name says is the same for all.
    entries = {repr(one): one for listed in every for one in listed}
    names = [_first_of(one) for one in entries.values()]
    single = not isinstance(said[0], list | dict)
    if len(entries) > 1 and (single or len(set(map(repr, names))) < len(names)):
        what = f"functions say different things of {key}, and the definition says it once for all of them"
        raise BadInput(what, "Give each what all have in common, or carry them as several projects")
    whole = said[0] if single else list(entries.values()) if isinstance(said[0], list) else dict(entries.values())
    put(data, key, whole)
    for one in functions:
        one.pop(key, None)


def _first_of(entry: Any) -> Any:
    """Return the name of an entry: its first value; of a text, all of it."""
    return (
        next(iter(entry.values()), "") if isinstance(entry, dict) else entry[0] if isinstance(entry, tuple) else entry
    )


def _in_code(
    project: Project,
    functions: dict[str, dict[str, Any]],
    model: DefinitionModel,
    profile: Profile,
    comments: tuple[str, ...],
) -> dict[str, str]:
    """Return the files of code that declare functions."""
    files = {}
    if model.functions.calls:
        files[model.functions.calls.file] = write_calls(project, functions, model, comments)
    if model.functions.comments:
        said = {name: write_yaml(one).splitlines() for name, one in functions.items()}
        files[model.functions.comments.file] = write_commented(
            project, said, profile, model.functions.comments, comments
        )
    if model.functions.code:
        files[model.functions.code.file] = write_decorated(project, functions, profile, model.functions.code, comments)
    return files


def _stage_files(
    project: Project, profile: Profile, model: DefinitionModel, data: dict[str, Any], functions: dict[str, Any]
) -> dict[str, str]:
    """Put what differs in each stage where the definition has it; return the files that it has for that."""
    where, files = model.stages, dict[str, str]()
    for stage in project.stages if where else ():
        assert where is not None
        known = {function.name: function for function in project.functions}
        overlays = {name: _overlay(overlay, known.get(name), profile) for name, overlay in stage.functions.items()}
        if where.inside:
            for name, overlay in overlays.items():
                functions[name].setdefault(where.inside, []).append({where.named_by: stage.name, **overlay})
        elif where.files or where.whole:
            at = model.functions.at
            over = together({at: _named(overlays, model)}, at, model.file) if at else overlays
            if where.files:
                files[where.files.replace("*", stage.name)] = _text(over, model, ())
            else:
                data.setdefault(where.at, {})[stage.name] = over
        else:
            only = {where.only: list(stage.only)} if stage.only and where.only else {}
            data.setdefault(where.at, {})[stage.name] = {**only, where.functions: overlays}
    return files


def _named(functions: dict[str, dict[str, Any]], model: DefinitionModel) -> Any:
    """Return functions as they stand in a document: by their names, or in a list, each with its own."""
    by = model.functions.named_by
    if model.functions.usual_name:
        return list(functions.values())
    return [{by: name, **one} for name, one in functions.items()] if by else functions


def _overlay(overlay: Any, function: Function | None, profile: Profile) -> dict[str, Any]:
    """Return what differs of a function in a stage; of a text that tells of several fields, all that it tells."""
    model = checked_definition(profile)
    assert model is not None
    forms = forms_of(profile)
    rows: dict[str, DefinitionRow] = {row.field: row for row in model.functions.rows}
    together = {rows[name].number for name in overlay if name in rows and rows[name].part >= 0}
    more = {name: getattr(function, name, None) for name, row in rows.items() if row.number in together}
    made: dict[str, Any] = {}
    for name, value in {**{name: value for name, value in more.items() if value}, **overlay}.items():
        if name in rows:
            said = forms[id(rows[name])].write(value)
            before = made.get(rows[name].keys[0]) if isinstance(said, Pieces) else None
            put_under(made, rows[name].keys, both(before, said) if before else said, dict.__setitem__)
    put_whole(made)
    return made


def _text(data: Any, model: DefinitionModel, comments: tuple[str, ...], syntax: str = "", root: str = "") -> str:
    """Return a document as it is written, in the definition's syntax or another one."""
    syntax = syntax or model.syntax
    if syntax == "lines":
        return write_lines(data, line_forms(model.lines), model.comment, comments)
    if syntax == "xml":
        return write_xml(data, root or model.root, comments)
    if syntax == "toml":
        return write_toml(data, comments)
    if syntax == "ini":
        return write_ini(data, comments)
    if syntax == "json":  # which has no comments: findings tell a person what to do
        return write_json(data)
    return "".join(f"# {comment}\n" for comment in comments) + write_yaml(data)
