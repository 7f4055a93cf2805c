"""Triggers and bindings of a definition: where they stand, of what kind each is, and what it says."""

from __future__ import annotations

import keyword
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

from vast_ferry.definitions.at_top import entries_at_top
from vast_ferry.definitions.declared import Declared
from vast_ferry.definitions.filters.ends import from_ends
from vast_ferry.definitions.laid_over import MISSING, there
from vast_ferry.definitions.reading_rows import RowsRead
from vast_ferry.documents.document import Path_
from vast_ferry.hub.findings import BadInput, Place, nearest
from vast_ferry.hub.functions import (
    Binding,
    EventTrigger,
    RouteTrigger,
    Trigger,
)
from vast_ferry.hub.keys import all_of
from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.schedules import Schedule
from vast_ferry.profiles.schema_definition import TriggerModel

#: How a binding hands over what it is of: the native event itself, or its content.
WIRE_FORMS: Final = ("whole", "bytes", "text", "json")
WITH_CONTENT: Final = ("object", "message", "http")


@dataclass(slots=True)
class TriggersRead(RowsRead):
    """A reading of a definition, as far as its triggers go."""

    def triggers(self, declared: Declared) -> tuple[tuple[Trigger, ...], tuple[Binding, ...]]:
        name = declared.name
        found: list[Trigger] = []
        bound: list[Binding] = []
        functions = self.model.functions
        every = [(declared.document, here, item, functions.triggers) for here, item in self._listed_triggers(declared)]
        for document, here, item, kinds in [*every, *self.at_top.get(name, ())]:
            declared = replace(declared, document=document)
            data = self.mapping(item, document, here, f"a trigger of {name}")
            kind = self._kind(data, declared, here, kinds)
            values = {**self.rows(kind.rows, data, declared, here), **_always(kind)}
            code = self.model.functions.code
            known = [kind.key, *(key for row in kind.rows for key in row.keys), *(code.decorators if code else ())]
            self.unknown_within(declared, data, known, here)
            parameter, form = values.pop("parameter", ""), values.pop("form", "whole")
            content_type = values.pop("content_type", "")
            place = self.kept(document.place(*here))
            if parameter:
                self._wire(parameter, form, kind, place)
                key = str(data.get(next((r.keys[0] for r in kind.rows if r.field in ("key", "key_filter")), ""), ""))
                source = values.get("source", "")
                bound.append(Binding(parameter, kind.way, kind.kind, source, key, form, content_type))  # type: ignore[arg-type]
            if kind.way == "event" and kind.kind != "call":
                source = values.get("source", "")
                each = [{"source": one} for one in source] if isinstance(source, tuple) else [{}]
                found += [_trigger(kind.kind, {**values, **one}, place) for one in each]
        return tuple(found), tuple(bound)

    def _listed_triggers(self, declared: Declared) -> list[tuple[Path_, Any]]:
        """Return each trigger, and where it stands: in a list, or under keys of the function itself."""
        functions = self.model.functions
        at = functions.triggers_at
        if not at and functions.triggers_are == "one":
            keys = keys_of(functions.triggers)
            own = {key: one for key, one in declared.data.items() if key in keys}
            told = any(there(own, kind.key) is not MISSING for kind in functions.triggers)
            return [(declared.path, own)] if told else []
        if not at:
            known = dict.fromkeys(kind.key.partition(".")[0] for kind in self.model.functions.triggers)
            made: list[tuple[Path_, Any]] = []
            for key in known:
                held = declared.data.get(key, [])
                several = held if isinstance(held, list) else [held]
                made += [((*declared.path, key, index), {key: one}) for index, one in enumerate(several)]
            return made
        listed = declared.data.get(at, [])
        if functions.triggers_text:
            return self._texts(declared, listed)
        place = declared.document.place(*declared.path, at)
        how = self.model.functions.triggers_are
        if how != "listed" and at in declared.data:
            one = self.mapping(listed, declared.document, (*declared.path, at), f"{at} of {declared.name}")
            here = (*declared.path, at)
            return [(here, one)] if how == "one" else [((*here, key), item) for key, item in one.items()]
        if not isinstance(listed, list):
            raise BadInput(f"{at} of {declared.name} is not a list", "List its triggers there", place)
        return [((*declared.path, at, index), item) for index, item in enumerate(listed)]

    def _texts(self, declared: Declared, listed: Any) -> list[tuple[Path_, Any]]:
        """Return triggers that are each one text, alone or listed, as mappings with that under its name."""
        functions = self.model.functions
        here = (*declared.path, functions.triggers_at)
        every = listed if isinstance(listed, list) else [listed]
        for number, one in enumerate(every):
            if not isinstance(one, str):
                place = declared.document.place(*(here if one is listed else (*here, number)))
                raise BadInput(f"a trigger of {declared.name} is no text", "Write it in one, as the others are", place)
        places = [here if one is listed else (*here, number) for number, one in enumerate(every)]
        return [(place, {functions.triggers_text: one}) for place, one in zip(places, every, strict=True)]

    def _at_top(self, top: dict[str, Any], names: set[str]) -> None:
        """Note the triggers that stand at the top, by the function that each names."""
        for where in self.model.functions.elsewhere:
            held, document = top, self.document
            if where.file:
                known = [one.at for one in self.model.functions.elsewhere if one.file == where.file]
                beside = self.beside(where.file, known)
                held, document = (beside.data, beside) if beside is not None else ({}, self.document)
            for here, item in entries_at_top(where, held, document):
                said = {where.function: item} if where.keyed and isinstance(item, str) else item
                data = dict(self.mapping(said, document, here, f"a trigger under {where.at}"))
                name = data.pop(where.function, None)
                if name not in names:
                    near = nearest(str(name), sorted(names))
                    what = f"there is no function {name!r}{near}" if name else f"it has no {where.function}"
                    raise BadInput(f"{where.at}: {what}", "Name a function of this definition", document.place(*here))
                data = {**dict(zip(where.keys, here[1:], strict=False)), **data}
                self.at_top.setdefault(str(name), []).append((document, here, data, where.triggers))

    def _wire(self, parameter: str, form: str, kind: TriggerModel, place: Place) -> None:
        """Refuse a binding that can't become a parameter, or hands over what it has not."""
        shown = Place(str(self.folder / place.file), place.line, place.column)
        if not parameter.isidentifier() or keyword.iskeyword(parameter):
            raise BadInput(f"a parameter can't be called {parameter!r}", "Give it a name that Python takes", shown)
        known = WIRE_FORMS if kind.kind in WITH_CONTENT else WIRE_FORMS[:1]
        if form not in known:
            what = f"a {kind.kind} has no content that could be handed over as {form!r}{nearest(form, known)}"
            raise BadInput(what, f"Use one of: {', '.join(known)}", shown)

    def _kind(
        self, data: dict[str, Any], declared: Declared, path: Path_, kinds: Sequence[TriggerModel]
    ) -> TriggerModel:
        for kind in kinds:
            way = next((row.keys[0] for row in kind.rows if row.field == "parameter"), kind.key)
            told = there(data, kind.key)
            if told is not MISSING and there(data, way) is not MISSING and kind.is_told_by(told):
                return kind
        beginnings = [one.beginning.strip() for one in kinds if one.beginning is not None]
        text = data.get(self.model.functions.triggers_text) if self.model.functions.triggers_text else None
        if text is not None:
            raise BadInput(
                f"a trigger of {declared.name}, {text!r}, begins with none of {', '.join(beginnings)}",
                "Say what kind of trigger it is",
                declared.document.place(*path),
            )
        known = list(dict.fromkeys(kind.key if kind.word is None else f"{kind.key}: {kind.word}" for kind in kinds))
        told = next((there(data, kind.key) for kind in kinds if kind.word is not None), MISSING)
        word = next(iter(data), "") if told in (MISSING, None) else f"{kinds[0].key}: {told}"
        raise BadInput(
            f"a trigger of {declared.name} has none of the keys {', '.join(known)}{nearest(str(word), known)}",
            "Say what kind of trigger it is",
            declared.document.place(*path),
        )


def keys_of(kinds: Sequence[TriggerModel]) -> set[str]:
    """Return the keys of a function that say something of its trigger, where these are the function's own."""
    found = {key for kind in kinds for key in (kind.key, *(key for row in kind.rows for key in row.keys))}
    return {key.partition(".")[0] for key in found}


def _always(kind: TriggerModel) -> dict[str, Any]:
    """Return what a kind of trigger always means, as the fields of one have it."""
    return {name: tuple(one) if isinstance(one, list) else one for name, one in kind.fixed.items()}


def _trigger(kind: str, values: dict[str, Any], place: Place) -> Trigger:
    if is_request(kind):
        return RouteTrigger(**{"route": "", **values}, place=place)
    ends = from_ends(values.pop("prefix", ""), values.pop("suffix", ""))
    filters = [one for one in (ends, values.pop("key_filter", None)) if one is not None]
    zone = values.pop("zone", "")
    schedule: Schedule | None = values.pop("schedule", None)
    if schedule and zone:
        schedule = Schedule.of(*schedule.rules, zone=zone, since=schedule.since, until=schedule.until)
    return EventTrigger(kind, **values, filter=all_of(*filters), schedule=schedule, place=place)
