"""Projects → definition files, and what of a trigger or a function a provider's definition has no words for."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

from vast_ferry.definitions.apart import together
from vast_ferry.definitions.at_top import keyed_by_method, put_at_top
from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.composed import Pieces, put_whole
from vast_ferry.definitions.filters.ends import from_ends, to_ends
from vast_ferry.definitions.forms import AccessForm, Form
from vast_ferry.definitions.in_code import write_calls, write_decorated
from vast_ferry.definitions.laid_over import MISSING, put, put_under, there
from vast_ferry.definitions.routes import TYPES
from vast_ferry.definitions.tables import checked_definition, forms_of
from vast_ferry.documents.ini_file import write_ini
from vast_ferry.documents.json_file import write_json
from vast_ferry.documents.toml_file import write_toml
from vast_ferry.documents.xml_file import write_xml
from vast_ferry.documents.yaml_file import write_yaml
from vast_ferry.hub.findings import BadInput
from vast_ferry.hub.functions import EventTrigger, Function, Project, RouteTrigger, Trigger
from vast_ferry.hub.keys import (
    ANY,
    EVERY_KEY,
    All,
    KeyFilter,
    Pattern,
    Undecided,
    all_of,
    begins,
    differing_key,
    ends,
    without_captures,
)
from vast_ferry.hub.schedules import FROM, Schedule, first_difference
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.schema_definition import DefinitionModel, DefinitionRow, TriggerModel

FIRINGS: Final = 1000


@dataclass(frozen=True, slots=True)
class Unheld:
    """Something that a provider's definition can't say: which field, why, and whether events go astray by it."""

    field: str
    reason: str
    blocking: bool = True


@dataclass(frozen=True, slots=True)
class Fitted:
    """What is declared for one trigger (several entries where one can't say it), and what that can't say."""

    entries: tuple[dict[str, Any], ...]
    unheld: tuple[Unheld, ...] = ()
    kind: TriggerModel | None = None


def declares(profile: Profile, kind: str) -> bool:
    """Tell whether a provider's definition has triggers of a kind."""
    model = checked_definition(profile)
    return model is None or kind == "call" or _model_of(kind, model) is not None


def _model_of(kind: str, model: DefinitionModel) -> TriggerModel | None:
    return next(iter(_models_of(kind, model)), None)


def _models_of(kind: str, model: DefinitionModel) -> list[TriggerModel]:
    return [one for one in model.functions.every_trigger if one.kind == kind and one.way == "event"]


def fit_trigger(trigger: Trigger, profile: Profile) -> Fitted:
    """Return how a provider's definition declares a trigger, as nearly as it can, and what it can't say."""
    model = checked_definition(profile)
    kinds = [kind for kind in _models_of(trigger.kind, model) if kind.rows] if model else []
    if model is None or not kinds:
        return Fitted((), (Unheld("kind", f"{profile.title} declares no {trigger.kind} triggers"),))
    parts = _one_by_one(trigger, kinds, model)
    if len(parts) > 1:  # methods that are declared one by one
        made = [fit_trigger(part, profile) for part in parts]
        unheld = dict.fromkeys(one for fitted in made for one in fitted.unheld)
        if isinstance(trigger, RouteTrigger) and not trigger.methods:
            unheld[
                Unheld("methods", f"a method is declared at a time: others than {', '.join(_USUAL)} don't arrive")
            ] = None
        return Fitted(tuple(entry for fitted in made for entry in fitted.entries), tuple(unheld), made[0].kind)
    # Of several ways to declare it, the one that says most.
    every = [_Fitting(trigger, kind, profile).fitted() for kind in kinds]
    return min(every, key=lambda fitted: (not fitted.entries, len(fitted.unheld)))


#: What any method is taken for where each is declared by itself (RFC 9110 §9.3, RFC 5789).
_USUAL: Final = ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS")


def _one_by_one(trigger: Trigger, kinds: list[TriggerModel], model: DefinitionModel) -> list[Trigger]:
    """Return a trigger as several with a method each, where each kind of it is for a method of its own."""
    if not isinstance(trigger, RouteTrigger):
        return [trigger]
    if all(keyed_by_method(kind, model) for kind in kinds):
        return [replace(trigger, methods=(method,)) for method in trigger.methods or _USUAL]
    if not all("methods" in kind.fixed for kind in kinds):
        return [trigger]
    return [replace(trigger, methods=(method,)) for method in trigger.methods] or [trigger]


class _Fitting:
    def __init__(self, trigger: Trigger, kind: TriggerModel, profile: Profile) -> None:
        self.trigger, self.kind, self.profile = trigger, kind, profile
        self.forms = forms_of(profile)
        self.rows = {row.field: row for row in kind.rows if row.field}
        self.unheld: list[Unheld] = []

    def note(self, field: str, reason: str, *, blocking: bool = True) -> None:
        self.unheld.append(Unheld(field, reason, blocking))

    def form(self, field: str) -> Form:
        return self.forms[id(self.rows[field])]

    def fitted(self) -> Fitted:
        for name, value in self.kind.fixed.items():
            meant = tuple(value) if isinstance(value, list) else value
            if getattr(self.trigger, name, meant) != meant:
                self.note(name, f"such a trigger always has {name} {_brief(meant)}")
        try:
            values = self._http(self.trigger) if isinstance(self.trigger, RouteTrigger) else self._event(self.trigger)
        except CannotHold as error:
            self.note("route", f"it can't spell it: {error}")
            values = []
        entries = [data for one in values if (data := self._entry(one))]
        return Fitted(tuple(entries), tuple(self.unheld), self.kind)

    def _entry(self, said: dict[str, Any]) -> dict[str, Any]:
        """Return what is declared of a trigger; nothing where what tells its kind would be missing."""
        data: dict[str, Any] = {}
        for row in self.kind.rows:
            if row.field in said:
                held = said[row.field]
                before = there(data, row.keys[0]) if isinstance(held, Pieces) else None
                put_under(data, row.keys, _both(before, held) if before else held, self._put)
            elif row.field == "parameter":
                self._put(data, row.keys[0], parameter_of(self.profile, self.trigger.kind))
        for why in put_whole(data):
            self.note(", ".join(row.field for row in self.kind.rows if row.part >= 0), why)
        functions = self.profile.model.definition.functions if self.profile.model.definition else None
        dotted = functions is not None and functions.code is not None and "." in self.kind.key
        called = functions is not None and functions.calls is not None
        decorator = self.kind.decorator or (self.kind.key if dotted or called else "")
        if decorator and (data or decorator == self.kind.key):
            data = {decorator: True, **data}
        if data and self.kind.word is not None and self.kind.beginning is None:
            data = {self.kind.key: self.kind.word, **data}
        return data if data and there(data, self.kind.key) is not MISSING else {}

    def _put(self, data: dict[str, Any], at: str, value: Any) -> None:
        definition = self.profile.model.definition
        if definition and definition.functions.code:  # arguments of decorators, whose names may have dots
            data[at] = value
        else:
            put(data, at, value)

    def written(self, field: str, value: Any) -> dict[str, Any]:
        """Return a field's own spelling under its name; nothing, and a note, where there is none."""
        if not value or field in self.kind.fixed:
            return {}
        if field not in self.rows:
            self.note(
                field, f"it has no way to say {field.replace('_', ' ')} {_brief(value)}", blocking=_matters(field)
            )
            return {}
        try:
            return {field: self.form(field).write(value)}
        except CannotHold as error:
            self.note(field, str(error), blocking=_matters(field))
            return {}

    def _http(self, trigger: RouteTrigger) -> list[dict[str, Any]]:
        whole = "methods_and_route" if "methods_and_route" in self.rows else "route"
        common = self.written("callers", trigger.callers)
        if whole == "route":
            common |= self.written("methods", trigger.methods)
        value = {"route": trigger.route, "types": trigger.types, "slash": trigger.slash, "methods": trigger.methods}
        form = self.form(whole)
        if trigger.types:
            try:
                form.write(value | {"slash": False})
            except CannotHold as error:
                for name, kind in trigger.types.items():
                    self.note("route", f"{error}: {{{name}}} takes any segment, not only {_kind_of(kind)}")
                value["types"] = {}
        if not trigger.slash:
            return [{**common, whole: form.write(value)}]
        try:
            return [{**common, whole: form.write(value)}]
        except CannotHold:  # then it is two routes
            return [{**common, whole: form.write(value | {"slash": False, "route": route})} for route in trigger.every]

    def _event(self, trigger: EventTrigger) -> list[dict[str, Any]]:
        one: dict[str, Any] = {}
        if "source" in self.rows or trigger.kind != "schedule":  # a schedule without a name is its function's
            one |= self.written("source", trigger.source)
        one |= self.written("changes", trigger.changes)
        one |= self.written("where", dict(trigger.where))
        single = trigger.batch_size == 1
        for field in ("batch_size", "batch_window"):
            if not (single and field not in self.rows):
                one |= self.written(field, getattr(trigger, field))
        if trigger.kind == "object":
            one |= self._filter(trigger.filter)
        if trigger.kind == "schedule":
            return [one | more for more in self._schedule(trigger.schedule)]
        return [one]

    # --- filters ---

    def _filter(self, wanted: KeyFilter) -> dict[str, Any]:
        if wanted == EVERY_KEY:
            return {}
        if self.profile.model.handler.output:  # where a capture would become a parameter of the handler
            wanted = without_captures(wanted)
        why = "it has no filter on keys"
        for candidate in _ever_wider(wanted):
            try:
                made = self._spelt(candidate)
            except CannotHold as error:
                why = str(error) if candidate is wanted else why
                continue
            self._compare(wanted, made, why)
            return {name: value for name, value in made.items() if value}
        self._compare(wanted, {}, why)
        return {}

    def _spelt(self, one: KeyFilter) -> dict[str, Any]:
        if "key_filter" in self.rows:
            return {"key_filter": self.form("key_filter").write(one)}
        prefix, suffix = to_ends(one)
        if (prefix and "prefix" not in self.rows) or (suffix and "suffix" not in self.rows):
            raise CannotHold(f"it does not filter by what a key {'begins' if 'suffix' in self.rows else 'ends'} with")
        return {"prefix": prefix, "suffix": suffix}

    def _compare(self, wanted: KeyFilter, made: dict[str, Any], why: str) -> None:
        if made.get("key_filter"):
            there: KeyFilter = self.form("key_filter").read(made["key_filter"], "key_filter")
        else:
            there = from_ends(made.get("prefix", ""), made.get("suffix", ""))
        if _same_ends(wanted, there):
            return
        try:
            key = differing_key(wanted, there)
        except Undecided as error:
            self.note("filter", f"whether its filter lets the same keys through could not be decided ({error})")
            return
        if key is None:
            return
        wider = differing_key(all_of(wanted, there), wanted) is None
        if wider:
            self.note("filter", f"it lets the key {key!r} through, which the original's filter does not: {why}")
        else:
            self.note("filter", f"it may keep the key {key!r} back, which the original's filter lets through")

    # --- schedules ---

    def _schedule(self, wanted: Schedule | None) -> list[dict[str, Any]]:
        if wanted is None:
            return [{}]
        if "schedule" not in self.rows:
            self.note("schedule", "it has no schedules")
            return []
        form = self.form("schedule")
        zones, bounded = form.keeps
        held = wanted
        if wanted.zone and "zone" in self.rows:
            held = replace(wanted, zone="")
        elif wanted.zone and not zones:
            # A person finds a wrong hour sooner than a trigger that is not there.
            self.note("schedule", f"its schedules are in UTC, and this one is in {wanted.zone}; UTC was declared")
            wanted = held = replace(wanted, zone="")
        if (wanted.since or wanted.until) and not bounded:
            bound, moment = ("end", wanted.until) if wanted.until else ("begin", wanted.since)
            self.note("schedule", f"its schedules never {bound}, and this one does at {moment:%Y-%m-%dT%H:%M:%SZ}")
            wanted, held = (replace(one, since=None, until=None) for one in (wanted, held))
        try:
            texts = form.write(held)
        except CannotHold as error:
            self.note("schedule", str(error))
            return []
        parts = [form.read(text, "schedule") for text in texts]
        zone = wanted.zone if "zone" in self.rows else parts[0].zone
        bounds = (parts[0].since, parts[0].until) if bounded and len(parts) == 1 else (wanted.since, wanted.until)
        there = Schedule.of(*(rule for part in parts for rule in part.rules), zone=zone)
        there = replace(there, since=bounds[0], until=bounds[1])
        moment = first_difference(wanted, there, FROM, FIRINGS)
        if moment:
            self.note("schedule", f"at {moment:%Y-%m-%dT%H:%M:%SZ} only one of the two fires")
        if len(parts) > 1:
            moments = [moment for part in parts for moment in part.next(100, FROM)]
            if len(set(moments)) < len(moments):
                self.note("schedule", "it takes several triggers, and some moments fire more than one", blocking=False)
        more = {"zone": wanted.zone} if wanted.zone and "zone" in self.rows else {}
        return [{"schedule": text, **more} for text in texts]


def _same_ends(one: KeyFilter, other: KeyFilter) -> bool:
    """Tell whether two filters are the same beginning and end, the usual case, which needs no automaton."""
    try:
        return to_ends(one) == to_ends(other)
    except CannotHold:
        return False


def parameter_of(profile: Profile, kind: str) -> str:
    """Return the name of the parameter that a handler of a kind takes its event by."""
    return profile.kind(kind).event.event_parameters[0]


def _matters(field: str) -> bool:
    return field not in ("batch_size", "batch_window")


def _kind_of(kind: str) -> str:
    return {"int": "digits", "word": "letters and digits", "uuid": "a UUID"}.get(kind, TYPES.get(kind, kind))


def _brief(value: Any) -> str:
    if isinstance(value, tuple):
        return ", ".join(map(str, value))
    if isinstance(value, dict):
        return ", ".join(f"{name} {' or '.join(held)}" for name, held in value.items())
    return f"{value!r}" if isinstance(value, str) else f"{value:g}"


def _ever_wider(wanted: KeyFilter) -> Iterator[KeyFilter]:
    """Yield a filter, and then filters that let through ever more: what stands for a part, both ends, one, any key."""
    yield wanted
    parts = wanted.parts if isinstance(wanted, Pattern) else ()
    if not parts:
        flat = [one for one in getattr(wanted, "filters", ()) if isinstance(one, Pattern)]
        yield from flat if isinstance(wanted, All) else ()
        yield EVERY_KEY
        return
    yield Pattern.of(*(part if isinstance(part, str) else ANY for part in parts))
    prefix = parts[0] if isinstance(parts[0], str) else ""
    suffix = parts[-1] if isinstance(parts[-1], str) else ""
    if len(parts) > 1:
        yield from_ends(prefix, suffix)
        yield Pattern.of(prefix, ANY, suffix)
    if prefix:
        yield begins(prefix)
    if suffix:
        yield ends(suffix)
    yield EVERY_KEY


# --- functions -------------------------------------------------------------------------------------------------------


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
    forms = forms_of(profile)
    data: dict[str, Any] = {}
    unheld: list[Unheld] = []
    spoken = ("", function.entry.language)
    rows = {row.field: row for row in model.functions.rows if row.field and row.for_ in spoken}
    for field, row in rows.items():
        value = getattr(function, field)
        if field == "entry" and (model.functions.code or model.functions.calls):
            continue
        if value:
            form = forms[id(row)]
            made = _fit_field(field, value, form, unheld)
            if made or (made is not None and not isinstance(form, AccessForm)):
                # A list of names and values may hold what is a setting, and what is a secret.
                both = _both(there(data, row.keys[0]), made) if len(row.keys) == 1 else made
                if model.functions.code:
                    data[row.keys[0]] = both
                else:
                    put_under(data, row.keys, both, put)
    if model.functions.files.count("/") > 1:
        unheld += _entry_inside(function, rows["entry"], forms, model.functions.files, data)
    unheld += [Unheld(", ".join(one.field for one in rows.values() if one.part >= 0), why) for why in put_whole(data)]
    return data, (*unheld, *_no_way_to_say(function, model, set(rows)))


def _no_way_to_say(function: Function, model: DefinitionModel, rows: set[str]) -> Iterator[Unheld]:
    """Yield what a definition has no key for."""
    if model.functions.triggers_are == "one" and len(function.triggers) > 1:
        why = f"a function has one trigger there, and this one has {len(function.triggers)}: only the first is declared"
        yield Unheld("triggers", why)
    for field in ("dead_letter", "attempts", "concurrency"):
        value = getattr(function, field)
        if value and field not in rows and not (field == "concurrency" and value == 1):
            yield Unheld(field, f"it has no way to say {field.replace('_', ' ')} {_brief(value)}")


def _both(before: Any, made: Any) -> Any:
    """Return what two rows say of the same key: settings and secrets, in one list or mapping."""
    if isinstance(before, Pieces) and isinstance(made, Pieces):
        return before.beside(made)
    if isinstance(before, list) and isinstance(made, list):
        return [*before, *made]
    return {**before, **made} if isinstance(before, dict) and isinstance(made, dict) else made


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


def _function_data(function: Function, model: DefinitionModel, profile: Profile, top: dict[str, Any]) -> dict[str, Any]:
    """Return what is declared of a function; triggers that stand at the top are put there."""
    data, _ = fit_function(function, profile)
    triggers = _triggers_of(function, model, profile, top)
    called = _model_of("call", model)
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
    function: Function, model: DefinitionModel, profile: Profile, top: dict[str, Any]
) -> list[dict[str, Any]]:
    """Return a function's triggers as it declares them itself; others are put at the top."""
    triggers: list[dict[str, Any]] = []
    # A trigger of which nothing could be read says nothing; a finding tells of it.
    for fitted in (fit_trigger(trigger, profile) for trigger in function.triggers):
        at_top = [one for one in model.functions.elsewhere if any(fitted.kind is kind for kind in one.triggers)]
        if at_top:
            put_at_top(top, at_top[0], function.name, fitted.entries)
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
    functions = {function.name: _function_data(function, model, profile, data) for function in project.functions}
    files = _stage_files(project, profile, model, data, functions)
    if model.functions.at:
        at = model.functions.triggers_at if model.functions.calls else ""
        told = {
            name: {key: said for key, said in one.items() if key != at or not at} for name, one in functions.items()
        }
        data[model.functions.at] = _named(told, model)
    elif model.functions.files:
        for name, declared in functions.items():
            if not re.fullmatch(r"\w[\w.-]*", name):
                raise BadInput(
                    f"{name!r} can't be the name of a file, as each function has at {profile.title}",
                    "Rename the function: letters, digits, `_`, `-` and dots",
                )
            files[model.functions.files.replace("*", name)] = _text(declared, model.syntax, (), model.functions.root)
    if model.functions.calls:
        files[model.functions.calls.file] = write_calls(project, functions, model, comments)
    if model.functions.code:
        files[model.functions.code.file] = write_decorated(project, functions, profile, model.functions.code, comments)
    whole = together(data, model.functions.at, model.file)
    return {model.file: _text(whole, model.syntax, comments, model.root), **files}


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
                files[where.files.replace("*", stage.name)] = _text(over, model.syntax, (), model.root)
            else:
                data.setdefault(where.at, {})[stage.name] = over
        else:
            only = {where.only: list(stage.only)} if stage.only and where.only else {}
            data.setdefault(where.at, {})[stage.name] = {**only, where.functions: overlays}
    return files


def _named(functions: dict[str, dict[str, Any]], model: DefinitionModel) -> Any:
    """Return functions as they stand in a document: by their names, or in a list, each with its own."""
    by = model.functions.named_by
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
            put_under(made, rows[name].keys, _both(before, said) if before else said, dict.__setitem__)
    put_whole(made)
    return made


def _text(data: Any, syntax: str, comments: tuple[str, ...], root: str) -> str:
    if syntax == "xml":
        return write_xml(data, root, comments)
    if syntax == "toml":
        return write_toml(data, comments)
    if syntax == "ini":
        return write_ini(data, comments)
    if syntax == "json":  # which has no comments: findings tell a person what to do
        return write_json(data)
    return "".join(f"# {comment}\n" for comment in comments) + write_yaml(data)
