"""Definition files → projects, as a profile's definition tables say; what can't be read is kept as findings."""

from __future__ import annotations

import keyword
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path, PurePosixPath
from typing import Any, Final

from vast_ferry.definitions.apart import data_apart
from vast_ferry.definitions.at_top import entries_at_top
from vast_ferry.definitions.composed import Untold
from vast_ferry.definitions.declared import READERS, Declarations, Declared
from vast_ferry.definitions.filters.ends import from_ends
from vast_ferry.definitions.forms import LANGUAGES, FormError, OtherLanguage, Wider
from vast_ferry.definitions.laid_over import MISSING, merged, texts_in, there, under
from vast_ferry.definitions.routes import covers, overlapping, shape_of
from vast_ferry.definitions.secrecy import looks_secret, masked
from vast_ferry.definitions.tables import checked_definition, forms_of
from vast_ferry.documents.document import Path_
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity, nearest
from vast_ferry.hub.functions import (
    JAVASCRIPT,
    PYTHON,
    Binding,
    Entry,
    EventTrigger,
    Function,
    OtherFunction,
    Project,
    RouteTrigger,
    Stage,
    Trigger,
    language_of,
)
from vast_ferry.hub.keys import all_of
from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.schedules import Schedule
from vast_ferry.hub.standards import words_of
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import all_profiles
from vast_ferry.profiles.schema import DefinitionRow, TriggerModel

#: Fields whose value a provider may well understand where we don't: a finding then, not a mistake.
KEPT_BACK: Final = {
    "key_filter": ("filter-not-carried", "Declare it by hand at the target"),
    "schedule": ("schedule-not-carried", "Declare it by hand at the target"),
    "access": ("access-not-carried", "Allow it by hand at the target"),
}
#: What to do where a trigger takes in more than it did.
WIDER: Final = "Let the handler pass over what it did not get, or narrow the trigger by hand at the target"
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
    at_top: dict[str, list[tuple[Path_, dict[str, Any], list[TriggerModel]]]] = field(default_factory=dict)

    def _kept_back(self, row: DefinitionRow, error: FormError, declared: Declared, path: Path_) -> None:
        """Note a value that is not carried as it is; raises BadInput for one that is wrong."""
        place = declared.document.place(*path)
        if row.field != "secrets" and row.field not in KEPT_BACK:
            raise BadInput(f"{'.'.join(map(str, path))}: {error}", "Mend the value", place) from None
        code, remedy = KEPT_BACK.get(row.field, ("secret-value", "Put it into the vault"))
        self.note(code, Severity.BLOCKING, (str(error), remedy), place, declared.name)

    def rows(
        self, rows: list[DefinitionRow], data: dict[str, Any], declared: Declared, path: Path_, *, usual: bool = True
    ) -> dict[str, Any]:
        """Return what rows say of a mapping, by hub field; `usual`: what holds where a key is missing counts too."""
        values: dict[str, Any] = {}
        language = self._language(rows, data)
        for row in [row for row in rows if row.for_ in ("", language)]:
            said = self._part(row, rows, under(data, row.keys))
            if said is MISSING and row.usual is not None and usual:
                said = row.usual
            if said is MISSING:
                continue
            first = next((key for key in row.keys if there(data, key) is not MISSING), row.keys[0])
            at = (*path, *([first] if first in data else first.split(".")))
            place = declared.document.place(*at)
            if not row.field:
                why = f"{first!r} ({row.about}) is not carried"
                self.note("not-carried", Severity.TODO, (why, "Declare it by hand at the target"), place, declared.name)
                continue
            value = self._read(row, said, declared, at)
            if value is MISSING:
                continue
            if row.field == "entry":
                value = self.meant(value)
                if other := self.other_language(value):
                    self.other(declared, str(said), other, place)
                    continue
            if row.field == "variables":
                value, withheld = self.variables(value, declared, at)
                if withheld:
                    values["withheld"] = withheld
            values.update(value if row.field in ("route", "methods_and_route") else {row.field: value})
        return values

    def _language(self, rows: list[DefinitionRow], data: dict[str, Any]) -> str:
        """Return the language in which a function is written, where rows ask for it."""
        if not any(row.for_ for row in rows):
            return ""
        row = next((row for row in rows if row.field == "entry"), None)
        said = under(data, row.keys) if row is not None else MISSING
        if row is None or said is MISSING:
            return PYTHON
        try:
            entry = self.meant(forms_of(self.profile)[id(row)].read(said, "entry"))
        except FormError:  # which is told where the row itself is read
            return PYTHON
        return entry.language

    def _part(self, row: DefinitionRow, rows: list[DefinitionRow], said: Any) -> Any:
        """Return what is a row's of a mapping that holds variables and secrets, which are two rows of the same key."""
        beside = next((one for one in rows if one is not row and one.keys == row.keys), None)
        if beside is None or not isinstance(said, dict) or {row.field, beside.field} != {"variables", "secrets"}:
            return said
        secrets = forms_of(self.profile)[id(row if row.field == "secrets" else beside)].takes_part(said)
        return {name: one for name, one in said.items() if (name in secrets) == (row.field == "secrets")}

    def _read(self, row: DefinitionRow, said: Any, declared: Declared, at: Path_) -> Any:
        """Return the hub's value of what a definition says; MISSING, and a finding, where that is not carried."""
        place = declared.document.place(*at)
        try:
            value = forms_of(self.profile)[id(row)].read(said, row.field)
            known = words_of(row.field)
            told = [value] if isinstance(value, str) else value
            if known and (strange := [one for one in told if one not in known]):
                expected = f"one of {', '.join(known)} ({row.field}; the profile's row has no `words`)"
                raise FormError(f"expected {expected}, got {strange[0]!r}")
            return value
        except OtherLanguage as error:
            if row.field == "entry":
                self.other(declared, str(said), str(error), place)
        except Untold:  # its text tells of other fields alone
            return MISSING
        except Wider as error:
            self.note("wider-trigger", Severity.TODO, (str(error), WIDER), place, declared.name)
            return error.value
        except FormError as error:
            self._kept_back(row, error, declared, at)
        return MISSING

    def meant(self, entry: Entry) -> Entry:
        """Return an entry with the file that it means, where that is not Python: `f.js` is no `f/js.py`."""
        stem, _, suffix = entry.file.removesuffix(".py").rpartition("/")
        file = f"{stem}.{suffix}"
        other = suffix in LANGUAGES and stem and not (self.folder / entry.file).exists()
        return replace(entry, file=file) if other and (self.folder / file).is_file() else entry

    def other_language(self, entry: Entry) -> str:
        """Return the language of an entry, where it is none that is carried from here."""
        suffix = entry.file.rpartition(".")[2]
        carried = language_of(entry.file) != JAVASCRIPT or self.profile.model.javascript is not None
        return "" if suffix not in LANGUAGES or (carried and language_of(entry.file)) else LANGUAGES[suffix]

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
        document, name = declared.document, declared.name
        found: list[Trigger] = []
        bound: list[Binding] = []
        functions = self.model.functions
        every = [(here, item, functions.triggers) for here, item in self._listed_triggers(declared)]
        for here, item, kinds in [*every, *self.at_top.get(name, ())]:
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
            keys = _keys_of(functions.triggers)
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
            for here, item in entries_at_top(where, top, self.document):
                said = {where.function: item} if where.keyed and isinstance(item, str) else item
                data = dict(self.mapping(said, self.document, here, f"a trigger under {where.at}"))
                name = data.pop(where.function, None)
                if name not in names:
                    known = nearest(str(name), sorted(names))
                    what = f"there is no function {name!r}{known}" if name else f"it has no {where.function}"
                    raise BadInput(
                        f"{where.at}: {what}", "Name a function of this definition", self.document.place(*here)
                    )
                data = {**dict(zip(where.keys, here[1:], strict=False)), **data}
                self.at_top.setdefault(str(name), []).append((here, data, where.triggers))

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

    # --- the whole ---

    def read(self) -> Project:
        top = self.mapping(self.document.data, self.document, (), "the definition")
        functions = self.model.functions
        whole = Declared("", top, self.document, ())
        self.unknown_within(whole, top, [*self.keys_at_top, *([functions.at] if functions.at else [])], ())
        every = list(self.declared(top))
        self._at_top(top, {one.name for one in every})
        read = [made for declared in every if (made := self._function(declared)) is not None]
        twice = _first_twice([function.name for function in read])
        if twice:
            one, other = [f.place for f in read if f.name == twice][:2]
            raise BadInput(f"two functions are called {twice} (the other stands in {one})", "Rename one of them", other)
        self._same_routes(read)
        return Project(
            self.title or str(_at(top, self.model.name) if self.model.name else self.folder.resolve().name),
            str(_at(top, self.model.region)) if self.model.region else "",
            tuple(read),
            (),
            tuple(dict.fromkeys((self.model.file, *(self.declarations if functions.code else self.files.values())))),
            tuple(self._stages(top, every)),
            tuple(self.others),
            tuple(self.withheld),
        )

    def _function(self, declared: Declared) -> Function | None:
        rows = self.model.functions.rows
        values = self.rows(rows, declared.data, declared, declared.path)
        told = _keys_of(self.model.functions.triggers) if not self.model.functions.triggers_at else set()
        known = [*(key for row in rows for key in row.keys), self.model.functions.triggers_at, *told]
        self.unknown(declared, declared.data, [key.partition(".")[0] for key in known if key], declared.path)
        inside = PurePosixPath(self.files.get(declared.document.file, "")).parent.as_posix()
        if self.model.functions.files.count("/") > 1 and "entry" in values:  # its file lies beside its definition
            values["entry"] = replace(values["entry"], file=f"{inside}/{values['entry'].file}")
        if declared.entry:
            values["entry"] = declared.entry
        if any(other.name == declared.name for other in self.others):
            return None
        if "entry" not in values:
            key = next(row.keys[0] for row in rows if row.field == "entry")
            place = declared.document.place(*declared.path)
            raise BadInput(f"function {declared.name} has no {key}", f"Add `{key}`", place)
        triggers, bindings = self.triggers(declared)
        self._named_stages(declared)
        place = self.kept(declared.document.place(*declared.path))
        return Function(declared.name, triggers=triggers, bindings=bindings, place=place, **values)

    def _named_stages(self, declared: Declared) -> None:
        """Tell of texts that name the stage, which is not known where a function is carried without one."""
        references = self.model.references
        stage = next((name for name, means in references.names.items() if means == "stage"), "") if references else ""
        if references is None or not stage:
            return
        written = references.written.replace("{name}", stage)
        texts = [text for text in texts_in(declared.data) if written in text]
        if texts:
            why = f"{', '.join(dict.fromkeys(texts))}: {written} stands for the stage, and is carried as it stands"
            remedy = "Write the name that holds in the stage that you carry"
            self.note(
                "stage-in-text", Severity.TODO, (why, remedy), declared.document.place(*declared.path), declared.name
            )

    def _stages(self, top: dict[str, Any], every: list[Declared]) -> Iterator[Stage]:
        model, names = self.model.stages, [declared.name for declared in every]
        if model is None:
            return
        if model.files or model.inside or model.whole:
            yield from self._laid_over(top, every)
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
                fields = self.rows(self.model.functions.rows, one.data, one, where, usual=False)
                overlays[str(function)] = {name: value for name, value in fields.items() if name != "withheld"}
                self.unknown(one, one.data, [key for row in self.model.functions.rows for key in row.keys], where)
            only = stage.get(model.only, []) if model.only else []
            if not isinstance(only, list):
                raise BadInput(f"{model.only} is not a list", "List functions there", self.document.place(*path))
            for index, function in enumerate(only):
                self._known(function, names, (*path, model.only, index), name)
            yield Stage(str(name), overlays, tuple(only), self.kept(self.document.place(*path)))

    def _overlays(self, top: dict[str, Any], every: list[Declared]) -> dict[str, tuple[dict[str, Any], Place]]:
        """Return what each stage lays over the whole definition, and where that stands."""
        model = self.model.stages
        assert model is not None
        if model.files:
            made = {}
            before, _, after = model.files.partition("*")
            for path in sorted(self.folder.glob(model.files)):
                shown = str(path)
                self.files[shown] = path.name
                self.refuse_outside(path)
                document = self.apart(READERS[self.model.syntax](path, shown, "the definition of a stage"))
                over = self.mapping(document.data, document, (), "the definition of a stage")
                made[path.name.removeprefix(before).removesuffix(after)] = over, document.place()
            return made
        if model.inside:
            listed = (one for declared in every for one in declared.own.get(model.inside, []) if isinstance(one, dict))
            return {str(one.get(model.named_by)): ({}, self.document.place()) for one in listed}
        stages = self.mapping(top.get(model.at, {}), self.document, (model.at,), model.at)
        return {
            str(name): (
                data_apart(self.mapping(over, self.document, (model.at, name), name), self.model.functions.at, ()),
                self.document.place(model.at, name),
            )
            for name, over in stages.items()
        }

    def _laid_over(self, top: dict[str, Any], every: list[Declared]) -> Iterator[Stage]:
        """Yield stages that are a definition each: what differs in one is told function by function."""
        functions = self.model.functions
        by = {**functions.merged_by, **({functions.at: functions.named_by} if functions.named_by else {})}
        usual = {declared.name: self._fields(declared) for declared in every}
        for stage, (over, place) in self._overlays(top, every).items():
            whole = merged(top, over, by)
            own = {name: data for _, name, data in self._of(whole[functions.at], self.document)} if functions.at else {}
            overlays = {}
            for declared in every:
                data = self.whole(declared.name, own.get(declared.name, declared.own), place, whole, stage)
                fields = self._fields(replace(declared, data=data))
                before = usual[declared.name]
                differs = {name: value for name, value in fields.items() if before.get(name) != value}
                if differs.pop("triggers", None):
                    why = f"{declared.name} has other triggers in {stage}, which are not carried: its usual ones are"
                    self.note(
                        "stage-triggers", Severity.TODO, (why, "Declare them by hand there"), place, declared.name
                    )
                if differs:
                    overlays[declared.name] = differs
            yield Stage(stage, overlays, (), self.kept(place))

    def _fields(self, declared: Declared) -> dict[str, Any]:
        """Return what a function's rows and triggers say, without telling anything once more."""
        kept, self.findings = self.findings, []
        others, self.others = self.others, []
        try:
            values = self.rows(self.model.functions.rows, declared.data, declared, declared.path)
            triggers = [replace(one, place=Place()) for one in self.triggers(declared)[0]]
        finally:
            self.findings, self.others = kept, others
        return {**{name: value for name, value in values.items() if name != "withheld"}, "triggers": triggers}

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


def _keys_of(kinds: Sequence[TriggerModel]) -> set[str]:
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
    reader.document = reader.apart(document)
    project = reader.read()
    findings = [replace(one, reason=masked(one.reason, project.withheld)) for one in reader.findings]
    return profile, replace(project, findings=tuple(findings))
