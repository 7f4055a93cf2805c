"""How a provider's definition says a trigger, as nearly as it can, and what of it it can't say."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any, Final

from vast_ferry.definitions.at_top import keyed_by_method
from vast_ferry.definitions.cannot_hold import CannotHold
from vast_ferry.definitions.composed import Pieces, put_whole
from vast_ferry.definitions.filters.ends import from_ends, to_ends
from vast_ferry.definitions.forms import Form, OneMethod
from vast_ferry.definitions.laid_over import MISSING, put, put_under, there
from vast_ferry.definitions.routes import TYPES
from vast_ferry.definitions.tables import checked_definition, forms_of
from vast_ferry.hub.functions import EventTrigger, RouteTrigger, Trigger
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
from vast_ferry.profiles.schema_definition import DefinitionModel, TriggerModel

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
    return model is None or kind == "call" or model_of(kind, model) is not None


def model_of(kind: str, model: DefinitionModel) -> TriggerModel | None:
    return next(iter(models_of(kind, model)), None)


def models_of(kind: str, model: DefinitionModel) -> list[TriggerModel]:
    return [one for one in model.functions.every_trigger if one.kind == kind and one.way == "event"]


def fit_trigger(trigger: Trigger, profile: Profile) -> Fitted:
    """Return how a provider's definition declares a trigger, as nearly as it can, and what it can't say."""
    model = checked_definition(profile)
    kinds = [kind for kind in models_of(trigger.kind, model) if kind.rows] if model else []
    if model is None or not kinds:
        return Fitted((), (Unheld("kind", f"{profile.title} declares no {trigger.kind} triggers"),))
    parts = _one_by_one(trigger, kinds, model, profile)
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


def one_by_one(trigger: Trigger, profile: Profile) -> list[Trigger]:
    """Return a trigger as often as a definition declares it: once for each method, where it takes one at a time."""
    model = checked_definition(profile)
    kinds = [kind for kind in models_of(trigger.kind, model) if kind.rows] if model else []
    return _one_by_one(trigger, kinds, model, profile) if model and kinds else [trigger]


def _one_by_one(trigger: Trigger, kinds: list[TriggerModel], model: DefinitionModel, profile: Profile) -> list[Trigger]:
    """Return a trigger as several with a method each, where each kind of it is for a method of its own."""
    if not isinstance(trigger, RouteTrigger):
        return [trigger]
    if all(keyed_by_method(kind, model) or _has_one_method(kind, profile) for kind in kinds):
        return [replace(trigger, methods=(method,)) for method in trigger.methods or _USUAL]
    if not all("methods" in kind.fixed for kind in kinds):
        return [trigger]
    return [replace(trigger, methods=(method,)) for method in trigger.methods] or [trigger]


def _has_one_method(kind: TriggerModel, profile: Profile) -> bool:
    return any(isinstance(forms_of(profile).get(id(row)), OneMethod) for row in kind.rows)


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
                self.note(name, f"such a trigger always has {name} {brief(meant)}")
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
                put_under(data, row.keys, both(before, held) if before else held, self._put)
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
            self.note(field, f"it has no way to say {field.replace('_', ' ')} {brief(value)}", blocking=_matters(field))
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
        return {name: self.form(name).write(text) for name, text in (("prefix", prefix), ("suffix", suffix)) if text}

    def _compare(self, wanted: KeyFilter, made: dict[str, Any], why: str) -> None:
        read = {name: self.form(name).read_again(said, name) for name, said in made.items()}
        there: KeyFilter = read.get("key_filter") or from_ends(read.get("prefix", ""), read.get("suffix", ""))
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
        parts = [form.read_again(text, "schedule") for text in texts]
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
        more = {"zone": self.form("zone").write(wanted.zone)} if wanted.zone and "zone" in self.rows else {}
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


def brief(value: Any) -> str:
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


def both(before: Any, made: Any) -> Any:
    """Return what two rows say of the same key: settings and secrets, in one list or mapping."""
    if isinstance(before, Pieces) and isinstance(made, Pieces):
        return before.beside(made)
    if isinstance(before, list) and isinstance(made, list):
        return [*before, *made]
    return {**before, **made} if isinstance(before, dict) and isinstance(made, dict) else made
