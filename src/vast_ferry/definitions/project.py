"""Definition files → projects, as a profile's definition tables say; what can't be read is kept as findings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath
from typing import Any

from vast_ferry.definitions.apart import data_apart
from vast_ferry.definitions.declared import Declared, lies_there
from vast_ferry.definitions.laid_over import merged, texts_in
from vast_ferry.definitions.reading_triggers import TriggersRead, keys_of
from vast_ferry.definitions.routes import covers, overlapping, shape_of
from vast_ferry.definitions.secrecy import masked
from vast_ferry.definitions.syntaxes import read_document
from vast_ferry.definitions.tables import checked_definition
from vast_ferry.documents.document import Document, Path_
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity, nearest
from vast_ferry.hub.functions import (
    Function,
    Project,
    Stage,
)
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import all_profiles


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
        if definition and ((folder / definition.file).is_file() or lies_there(folder, definition)):
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
    return [
        one
        for one in profiles
        if one.model.definition
        and ((folder / one.model.definition.file).is_file() or lies_there(folder, one.model.definition))
    ]


@dataclass(slots=True)
class _Reader(TriggersRead):
    """One reading of one project's definition."""

    def read(self) -> Project:
        top = self.mapping(self.document.data, self.document, (), "the definition")
        functions = self.model.functions
        whole = Declared("", top, self.document, ())
        self.unknown_within(whole, top, [*self.keys_at_top, *([functions.at] if functions.at else [])], ())
        every = list(self.declared(top))
        self._at_top(top, {one.name for one in every})
        read = [made for declared in every if (made := self._function(declared)) is not None]
        read = _as_one(read) if functions.usual_name or functions.by_path else read
        twice = _first_twice([function.name for function in read])
        if twice:
            one, other = [f.place for f in read if f.name == twice][:2]
            raise BadInput(f"two functions are called {twice} (the other stands in {one})", "Rename one of them", other)
        self._same_routes(read)
        # A file of handlers is none of the definition's, even where they are declared in it.
        in_files = functions.code or functions.comments or functions.by_path
        files = self.declarations if in_files else self.files.values()
        return Project(
            self.title or str(_at(top, self.model.name) if self.model.name else self.folder.resolve().name),
            str(_at(top, self.model.region)) if self.model.region else "",
            tuple(read),
            (),
            tuple(dict.fromkeys((*([self.model.file] if self.document.places else []), *files))),
            tuple(self._stages(top, every)),
            tuple(self.others),
            tuple(self.withheld),
        )

    def _function(self, declared: Declared) -> Function | None:
        rows = self.model.functions.rows
        values = self.rows(rows, declared.data, declared, declared.path)
        told = keys_of(self.model.functions.triggers) if not self.model.functions.triggers_at else set()
        known = [*(key for row in rows for key in row.keys), self.model.functions.triggers_at, *told]
        self.unknown_within(declared, declared.data, [key for key in known if key], declared.path)
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
                self.unknown_within(
                    one, one.data, [key for row in self.model.functions.rows for key in row.keys], where
                )
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
                document = self.apart(read_document(path, shown, "the definition of a stage", self.model))
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


def _as_one(functions: list[Function]) -> list[Function]:
    """Return functions that have no names as one where all but their triggers is the same."""
    made: dict[str, Function] = {}
    for one in functions:
        own = repr(replace(one, name="", triggers=(), place=Place()))
        first = made.setdefault(own, one)
        if first is not one:
            made[own] = replace(first, triggers=(*first.triggers, *one.triggers))
    return list(made.values())


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
    there = path.is_file() or not model.functions.by_path  # where files tell of functions, there may be no other
    document = read_document(path, shown, "the definition", model) if there else Document(shown, {})
    reader = _Reader(profile, model, folder, document, carry_values=frozenset(carry_values), files={shown: model.file})
    reader.document = reader.apart(document)
    project = reader.read()
    findings = [replace(one, reason=masked(one.reason, project.withheld)) for one in reader.findings]
    return profile, replace(project, findings=tuple(findings))
