"""Definition files → projects, as a profile's definition tables say; what can't be read is kept as findings."""

from __future__ import annotations

import keyword
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Final

from vast_ferry.definitions.declared import READERS, Declarations, Declared
from vast_ferry.definitions.filters.ends import from_ends
from vast_ferry.definitions.forms import LANGUAGES, FormError, OtherLanguage
from vast_ferry.definitions.routes import covers, overlapping, shape_of
from vast_ferry.definitions.secrecy import looks_secret, masked
from vast_ferry.definitions.tables import checked_definition, forms_of
from vast_ferry.documents.document import Path_
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity, nearest
from vast_ferry.hub.functions import (
    Binding,
    Entry,
    EventTrigger,
    Function,
    OtherFunction,
    Project,
    RouteTrigger,
    Stage,
    Trigger,
)
from vast_ferry.hub.keys import all_of
from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.schedules import Schedule
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import all_profiles
from vast_ferry.profiles.schema import DefinitionRow, TriggerModel

#: Fields whose value a provider may well understand where we don't: a finding then, not a mistake.
KEPT_BACK: Final = {
    "key_filter": ("filter-not-carried", "Declare it by hand at the target"),
    "schedule": ("schedule-not-carried", "Declare it by hand at the target"),
    "access": ("access-not-carried", "Allow it by hand at the target"),
}
#: How a binding hands over what it is of: the native event itself, or its content.
WIRE_FORMS: Final = ("whole", "bytes", "text", "json")
WITH_CONTENT: Final = ("object", "message", "http")


def find_definition(folder: Path, provider: Profile | None = None) -> tuple[Profile, Path]:
    """Return the profile and the file by which a project is declared, of that provider or of any that ships.

    Raises BadInput where there is none, or where several providers' files lie side by side.
    """
    if not folder.is_dir():
        raise BadInput(f"there is no folder {folder}", "Give the folder of a project")
    candidates = [provider] if provider else all_profiles()
    found: dict[str, tuple[Profile, Path]] = {}
    for profile in candidates:
        definition = profile.model.definition
        if definition and (folder / definition.file).is_file():
            # A file does not say its edition: the first one that can read it stands for all, in the order of editions.
            found.setdefault(definition.file, (profile, folder / definition.file))
    if not found:
        files = sorted({p.model.definition.file for p in candidates if p.model.definition})
        if provider and not files:
            raise BadInput(f"{provider.title} has no definition file to read", "Name another provider with --from")
        raise BadInput(
            f"there is no definition file in {folder}",
            f"Expected {' or '.join(files)}; give the folder that holds it",
        )
    if len(found) > 1:
        raise BadInput(
            f"{folder} holds several definition files: {', '.join(sorted(found))}", "Say which with --from PROVIDER"
        )
    return next(iter(found.values()))


def definition_files(folder: Path) -> list[Profile]:
    """Return the profiles that ship whose definition file lies in a folder."""
    profiles = [one for one in all_profiles() if one.model.definition]
    return [one for one in profiles if one.model.definition and (folder / one.model.definition.file).is_file()]


@dataclass(slots=True)
class _Reader(Declarations):
    """One reading of one project's definition."""

    carry_values: frozenset[str] = frozenset()  # variables that are carried whatever they hold
    withheld: dict[str, None] = field(default_factory=dict)
    others: list[OtherFunction] = field(default_factory=list)

    def _kept_back(self, row: DefinitionRow, error: FormError, declared: Declared, path: Path_) -> None:
        """Note a value that is not carried as it is; raises BadInput for one that is wrong."""
        place = declared.document.place(*path)
        if row.is_ != "secrets" and row.is_ not in KEPT_BACK:
            raise BadInput(f"{'.'.join(map(str, path))}: {error}", "Mend the value", place) from None
        code, remedy = KEPT_BACK.get(row.is_, ("secret-value", "Put it into the vault"))
        self.note(code, Severity.BLOCKING, (str(error), remedy), place, declared.name)

    def rows(self, rows: list[DefinitionRow], data: dict[str, Any], declared: Declared, path: Path_) -> dict[str, Any]:
        values: dict[str, Any] = {}
        forms = forms_of(self.profile)
        for row in rows:
            if row.at not in data:
                continue
            place = declared.document.place(*path, row.at)
            if not row.is_:
                self.note(
                    "not-carried",
                    Severity.TODO,
                    (f"{row.at!r} ({row.about}) is not carried", "Declare it by hand at the target"),
                    place,
                    declared.name,
                )
                continue
            try:
                value = forms[id(row)].read(data[row.at], row.is_)
            except OtherLanguage as error:
                if row.is_ == "entry":
                    self.other(declared, str(data[row.at]), str(error), place)
                continue
            except FormError as error:
                self._kept_back(row, error, declared, (*path, row.at))
                continue
            if row.is_ == "entry" and (other := self.other_file(value)):
                self.other(declared, str(data[row.at]), LANGUAGES[other], place)
                continue
            if row.is_ == "variables":
                value, withheld = self.variables(value, declared, (*path, row.at))
                if withheld:
                    values["withheld"] = withheld
            values.update(value if row.is_ in ("route", "methods_and_route") else {row.is_: value})
        return values

    def other_file(self, entry: Entry) -> str:
        """Return the suffix of the file that an entry means, where it is not Python: `f.js` is no `f/js.py`."""
        stem, _, suffix = entry.file.removesuffix(".py").rpartition("/")
        there = suffix in LANGUAGES and stem and not (self.folder / entry.file).exists()
        return suffix if there and (self.folder / f"{stem}.{suffix}").is_file() else ""

    def other(self, declared: Declared, entry: str, language: str, place: Place) -> None:
        """Tell of a function in a language that is not carried; the others go on."""
        self.others.append(OtherFunction(declared.name, entry, language, self.kept(place)))
        self.note(
            "other-language",
            Severity.BLOCKING,
            (
                f"{declared.name} is written in {language} ({entry}), which is not carried",
                "Carry it by hand, or write it in Python first; everything else goes on without it",
            ),
            place,
            declared.name,
        )

    def variables(
        self, value: dict[str, str], declared: Declared, path: Path_
    ) -> tuple[dict[str, str], tuple[str, ...]]:
        """Return variables without those that are plainly secrets, and these by name.

        Of these a finding tells, not their values.
        """
        kept, withheld = {}, []
        for name, text in value.items():
            why = looks_secret(name, text)
            if not why or name in self.carry_values:
                kept[name] = text
                continue
            withheld.append(name)
            self.withheld[text] = None
            self.note(
                "secret-in-variables",
                Severity.BLOCKING,
                (
                    f"{name} is a variable, and {why}; it was not carried",
                    "Put it into the vault, refer to it there, and make it anew: whoever reads the file knows it. "
                    f"If it is none: --carry-values {name}",
                ),
                declared.document.place(*path, name),
                declared.name,
            )
        return kept, tuple(withheld)

    # --- triggers and bindings ---

    def triggers(self, declared: Declared) -> tuple[tuple[Trigger, ...], tuple[Binding, ...]]:
        at = self.model.functions.triggers_at
        document, name = declared.document, declared.name
        listed = declared.data.get(at, [])
        if not isinstance(listed, list):
            raise BadInput(
                f"{at} of {name} is not a list", "List its triggers there", document.place(*declared.path, at)
            )
        found: list[Trigger] = []
        bound: list[Binding] = []
        for index, item in enumerate(listed):
            here = (*declared.path, at, index)
            data = self.mapping(item, document, here, f"a trigger of {name}")
            kind = self._kind(data, declared, here)
            values = self.rows(kind.rows, data, declared, here)
            code = self.model.functions.code
            known = [kind.told_by, *(row.at for row in kind.rows), *(code.decorators if code else ())]
            self.unknown(declared, data, known, here)
            parameter, form = values.pop("parameter", ""), values.pop("form", "whole")
            content_type = values.pop("content_type", "")
            place = self.kept(document.place(*here))
            if parameter:
                self._wire(parameter, form, kind, place)
                key = str(data.get(next((r.at for r in kind.rows if r.is_ in ("key", "key_filter")), ""), ""))
                source = values.get("source", "")
                bound.append(Binding(parameter, kind.way, kind.kind, source, key, form, content_type))  # type: ignore[arg-type]
            if kind.way == "event" and kind.kind != "call":
                found.append(_trigger(kind.kind, values, place))
        return tuple(found), tuple(bound)

    def _wire(self, parameter: str, form: str, kind: TriggerModel, place: Place) -> None:
        """Refuse a binding that can't become a parameter, or hands over what it has not."""
        shown = Place(str(self.folder / place.file), place.line, place.column)
        if not parameter.isidentifier() or keyword.iskeyword(parameter):
            raise BadInput(f"a parameter can't be called {parameter!r}", "Give it a name that Python takes", shown)
        known = WIRE_FORMS if kind.kind in WITH_CONTENT else WIRE_FORMS[:1]
        if form not in known:
            what = f"a {kind.kind} has no content that could be handed over as {form!r}{nearest(form, known)}"
            raise BadInput(what, f"Use one of: {', '.join(known)}", shown)

    def _kind(self, data: dict[str, Any], declared: Declared, path: Path_) -> TriggerModel:
        for kind in self.model.functions.triggers:
            way = next((row.at for row in kind.rows if row.is_ == "parameter"), kind.told_by)
            if kind.told_by in data and way in data:
                return kind
        known = list(dict.fromkeys(kind.told_by for kind in self.model.functions.triggers))
        word = next(iter(data), "")
        raise BadInput(
            f"a trigger of {declared.name} has none of the keys {', '.join(known)}{nearest(str(word), known)}",
            "Say what kind of trigger it is",
            declared.document.place(*path),
        )

    # --- the whole ---

    def read(self) -> Project:
        top = self.mapping(self.document.data, self.document, (), "the definition")
        stages_at = self.model.stages.at if self.model.stages else ""
        functions = self.model.functions
        keys = (self.model.name, self.model.region, functions.at, functions.more, functions.usual, stages_at)
        whole = Declared("", top, self.document, ())
        self.unknown(whole, top, [key.partition(".")[0] for key in keys if key], ())
        every = list(self.declared(top))
        read = [made for declared in every if (made := self._function(declared)) is not None]
        twice = _first_twice([function.name for function in read])
        if twice:
            one, other = [f.place for f in read if f.name == twice][:2]
            raise BadInput(f"two functions are called {twice} (the other stands in {one})", "Rename one of them", other)
        self._same_routes(read)
        return Project(
            str(_at(top, self.model.name)),
            str(_at(top, self.model.region)) if self.model.region else "",
            tuple(read),
            (),
            tuple(dict.fromkeys((self.model.file, *(self.declarations if functions.code else self.files.values())))),
            tuple(self._stages(top, [declared.name for declared in every])),
            tuple(self.others),
            tuple(self.withheld),
        )

    def _function(self, declared: Declared) -> Function | None:
        rows = self.model.functions.rows
        values = self.rows(rows, declared.data, declared, declared.path)
        known = [*(row.at for row in rows), self.model.functions.triggers_at]
        self.unknown(declared, declared.data, [key for key in known if key], declared.path)
        if declared.entry:
            values["entry"] = declared.entry
        if any(other.name == declared.name for other in self.others):
            return None
        if "entry" not in values:
            key = next(row.at for row in rows if row.is_ == "entry")
            place = declared.document.place(*declared.path)
            raise BadInput(f"function {declared.name} has no {key}", f"Add `{key}`", place)
        triggers, bindings = self.triggers(declared)
        place = self.kept(declared.document.place(*declared.path))
        return Function(declared.name, triggers=triggers, bindings=bindings, place=place, **values)

    def _stages(self, top: dict[str, Any], names: list[str]) -> Iterator[Stage]:
        model = self.model.stages
        if model is None:
            return
        for name, data in self.mapping(top.get(model.at, {}), self.document, (model.at,), model.at).items():
            path = (model.at, name)
            stage = self.mapping(data, self.document, path, f"stage {name}")
            declared = Declared("", stage, self.document, path)
            self.unknown(declared, stage, [key for key in (model.functions, model.only) if key], path)
            overlays = {}
            inner = (*path, model.functions)
            for function, overlay in self.mapping(stage.get(model.functions, {}), self.document, inner, "it").items():
                where = (*inner, function)
                self._known(function, names, where, name)
                one = Declared(str(function), self.mapping(overlay, self.document, where, "it"), self.document, where)
                fields = self.rows(self.model.functions.rows, one.data, one, where)
                overlays[str(function)] = {name: value for name, value in fields.items() if name != "withheld"}
                self.unknown(one, one.data, [row.at for row in self.model.functions.rows], where)
            only = stage.get(model.only, []) if model.only else []
            if not isinstance(only, list):
                raise BadInput(f"{model.only} is not a list", "List functions there", self.document.place(*path))
            for index, function in enumerate(only):
                self._known(function, names, (*path, model.only, index), name)
            yield Stage(str(name), overlays, tuple(only), self.kept(self.document.place(*path)))

    def _known(self, function: Any, names: list[str], path: Path_, stage: str) -> None:
        if function not in names:
            raise BadInput(
                f"stage {stage} names {function!r}, and there is no such function{nearest(str(function), names)}",
                "Correct the name",
                self.document.place(*path),
            )

    def _same_routes(self, functions: list[Function]) -> None:
        """Refuse two functions on one route; note where one route hides another from those who come after it."""
        listed = [(function, trigger) for function in functions for trigger in function.routes]
        seen: dict[tuple[str, str, str], tuple[str, Place]] = {}
        for function, trigger in listed:
            for method in trigger.methods or ("*",):
                key = (method, shape_of(trigger.route), repr(sorted(trigger.types.values())))
                if key in seen:
                    other, place = seen[key]
                    raise BadInput(
                        f"{function.name} takes {method} {trigger.route}, as {other} does already ({place})",
                        "Change one of the two routes",
                        Place(str(self.folder / trigger.place.file), trigger.place.line, trigger.place.column),
                    )
                seen[key] = (function.name, trigger.place)
        if self.profile.model.routes is None or self.profile.model.routes.order != "declared":
            return
        for first, second in overlapping([(t.route, frozenset(t.methods)) for _, t in listed]):
            (one, earlier), (function, later) = listed[first], listed[second]
            every = not earlier.methods or (later.methods and set(later.methods) <= set(earlier.methods))
            if every and covers(earlier.route, later.route) and not earlier.types:
                self.findings.append(
                    Finding(
                        "route-hidden",
                        Severity.BLOCKING,
                        f"{later.route} of {function.name} is never reached: {earlier.route} of {one.name} "
                        f"({earlier.place}) is tried first and takes all its paths",
                        "Declare the more exact route first",
                        later.place,
                        function.name,
                        "route",
                    )
                )


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


def _first_twice(names: list[str]) -> str:
    return next((name for name, count in Counter(names).items() if count > 1), "")


def _at(data: Mapping[str, Any], key: str) -> Any:
    for part in key.split("."):
        data = data.get(part, "") if isinstance(data, Mapping) else ""
    return data


def read_project(
    folder: Path, provider: Profile | None = None, shown: str = "", carry_values: Iterable[str] = ()
) -> tuple[Profile, Project]:
    """Return a project as its definition declares it, and the profile that it was read by.

    Variables that are plainly secrets are left out, but for those named in `carry_values`. What the profile does not
    know, and what can't be carried yet, are the project's findings. Raises BadInput, with file and line, for a file
    that is missing, unparsable, or says something impossible.
    """
    profile, path = find_definition(folder, provider)
    model = checked_definition(profile)
    assert model is not None
    shown = shown or str(path)
    document = READERS[model.syntax](path, shown, "the definition")
    reader = _Reader(profile, model, folder, document, carry_values=frozenset(carry_values), files={shown: model.file})
    project = reader.read()
    findings = [replace(one, reason=masked(one.reason, project.withheld)) for one in reader.findings]
    return profile, replace(project, findings=tuple(findings))
