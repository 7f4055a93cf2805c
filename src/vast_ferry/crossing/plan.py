"""The plan of one crossing: what every file will hold, and everything that a person must know; nothing is written."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Collection, Sequence, Set
from dataclasses import replace
from pathlib import Path, PurePosixPath
from typing import Any

from vast_ferry.crossing.home import as_at_home
from vast_ferry.crossing.javascript import (
    JavaScriptWrapping,
    linked_by,
    links_at_home,
    wrap_javascript,
)
from vast_ferry.crossing.templates import filled, own_template
from vast_ferry.crossing.wrapping import Wrapping, settings_given
from vast_ferry.definitions.secrecy import masked
from vast_ferry.definitions.writing import write_definition
from vast_ferry.documents.javascript_file import parse_javascript
from vast_ferry.gap_finding.find import gaps_of
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity
from vast_ferry.hub.functions import JAVASCRIPT, PYTHON, Entry, Function, Project
from vast_ferry.hub.kinds import REQUEST
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.mapping.javascript.writing import NoTwin
from vast_ferry.profiles.javascript import surface_of
from vast_ferry.profiles.profile import Profile
from vast_ferry.profiles.registry import is_shipped
from vast_ferry.surveying.record import EditRecord, FindingRecord, FunctionRecord, Record, SideRecord, home_of
from vast_ferry.surveying.scan import imported_by, names_imported
from vast_ferry.surveying.survey import survey
from vast_ferry.translate.identifiers import slug, unique_slugs
from vast_ferry.translate.moved import in_the_way, moved_files
from vast_ferry.translate.python.rewriting import rewrite
from vast_ferry.translate.python.rewritten import Rewritten

#: A definition begins with no more lines of what is to do than are read.
MOST_COMMENTS = 30
MADE_BY = "Made by Vast Ferry; carry the project again rather than edit this file."


class Plan:
    """One project on its way to `target`; `out` is where the crossing would lie.

    Raises BadInput when it is made, for a project that can't be read or an entry that points nowhere.
    """

    def __init__(
        self,
        folder: Path,
        target: Profile,
        out: Path,
        source: Profile | str | None = None,
        *,
        style: str = "auto",
        carry_values: Sequence[str] = (),
        carry_files: Sequence[str] = (),
        progress: Progress = quietly,
    ) -> None:
        self.folder, self.target, self.out, self.style = folder, target, out, style
        self.carry_values, self.carry_files = list(carry_values), list(carry_files)
        self.rewritten = Rewritten()
        self.progress = progress
        there = survey(
            folder, source, fields=False, carry_values=carry_values, carry_files=carry_files, progress=progress
        )
        self.source, self.project = there.profile, there.project
        if not (target.model.definition or target.model.files):
            raise BadInput(
                f"nothing can be written for {target.title} yet: its profile declares no files",
                "Name another provider with --to",
            )
        if self.source.name == target.name:
            raise BadInput(f"the project is at {target.title} already", "Name another provider with --to")
        self.home = home_of(folder, target)
        # Functions that were wrapped and now go back: their handlers are what they were.
        self.back: frozenset[str] = frozenset()
        if self.home:
            there = as_at_home(there, self.home, target, folder)
            self.project = there.project
            self.back = frozenset(one.name for one in self.home.functions if one.style == "wrapped")
        self.there = there
        self.javascript: JavaScriptWrapping
        self.own, self.scanned = there.own, there.scanned
        self.made: list[str] = []
        self.before: dict[str, bytes] = {}  # files as they were before anything was rewritten
        self.elsewhere: dict[str, str] = {}  # files that stand elsewhere once carried → where
        self.started_by = "" if self.home else _free_start(target, self.own)
        usual, _, _ = target.model.handler.entry.partition(":")
        self.target = target = target.started_by(self.started_by)
        self.gaps = gaps_of(there, target)
        self._note_start(usual)
        self.carried, self.findings = self.gaps.carried, self.gaps.findings
        if not self.carried:
            raise BadInput(
                f"{self.project.name or folder} has no function that can be carried to {target.title}",
                "; ".join(finding.reason for finding in self.findings if finding.code == "function-left-behind"),
            )

    def files(self) -> dict[str, bytes]:
        """Return every file of the crossing but its record: the author's own as they are, and those that are made."""
        own = {path: (self.folder / path).read_bytes() for path in self.own if path not in self.project.files}
        if self.home and self.scanned.javascript and self.target.javascript is not None:
            mended = links_at_home(self.scanned.javascript, own, self.home.made, self.target.javascript)
            own |= mended
            # What else becomes of these files is told by places in them, which are others now.
            read = {path: parse_javascript(text, path) for path, text in mended.items()}
            self.scanned = replace(self.scanned, javascript={**self.scanned.javascript, **read})
        if self.home and all(function.name in self.back for function in self.carried):
            return self._files_at_home(own)
        self._refuse_shadows(own)
        module = _module_name(own)
        self.before = own
        away = [one for one in self.carried if one.name not in self.back and one.entry.language == PYTHON]
        python = [one for one in self.carried if one.entry.language == PYTHON]
        if away and self.style != "wrapped":
            self.rewritten = rewrite(
                self.source,
                self.target,
                away,
                own,
                module_name=module,
                limit=self.gaps.limit_of,
                trees=self.scanned.trees,
                progress=self.progress,
            )
            own = {**own, **self.rewritten.files}
            self._note_rewritten()
        own, away, python = self._moved(own, away, python)
        wrapped = [function for function in away if function.name not in self.rewritten.entries]
        self.wrapping = Wrapping.between(self.source, self.target, module, python, self._not_wrapped)
        made = self._shared(own, wrapped) if python else {}
        own = {**own, **self._in_javascript(own, module, made)}
        for function in wrapped:
            made[self.wrapping.shim_entry(function).file] = self.wrapping.shim(function, self.gaps.limit_of(function))
        if self.target.model.handler.script and not self.target.model.handler.entry:
            for function in away:
                if function.name in self.rewritten.entries:
                    made[self.wrapping.shim_entry(function).file] = self._launcher(function)
        made.update(self._in_folders(away))
        there = self._project_at_target()
        made.update(write_definition(there, self.target, self._comments()))
        modules = {file.path.removesuffix(".py") for file in self.target.model.files if file.services}
        asked = imported_by({path: text.encode("utf-8") for path, text in made.items()}, modules)
        asked |= linked_by(made, {file.path for file in self.target.model.files if file.services})
        services = bool(asked or (self.scanned.uses if wrapped else self.rewritten.services))
        made.update(self._from_templates(there, own, services=services))
        kept = {file.path for file in self.target.model.files if file.keeps}
        above = {str(folder) for path in own if path.endswith(".py") for folder in PurePosixPath(path).parents}
        folders = {f"{folder}.py": folder for folder in above - {"."}}
        shadowed = sorted(path for path in made if path in folders)
        if shadowed:  # Python takes the package, and never looks at the file
            raise BadInput(
                f"the project has a package {folders[shadowed[0]]}, and {self.target.title} needs a file {shadowed[0]}",
                "Rename the package",
                Place(str(self.folder / folders[shadowed[0]])),
            )
        clash = sorted(path for path in made if path in own and path not in kept)
        if clash:
            raise BadInput(
                f"the project has a file {clash[0]}, and {self.target.title} needs one of that name",
                "Rename yours",
                Place(str(self.folder / clash[0])),
            )
        return self._together(own, made)

    def _moved(
        self, own: dict[str, bytes], away: list[Function], python: list[Function]
    ) -> tuple[dict[str, bytes], list[Function], list[Function]]:
        """Return files, and handlers, where they stand once carried: one whose path is no module's stands elsewhere."""
        rewritten = [one for one in away if one.name in self.rewritten.entries]
        ours = {(entry.file, entry.name) for entry in self.rewritten.entries.values()}
        moved = (
            {}
            if self.source.model.handler.script
            else moved_files(self.before, rewritten, in_the_way(own, self.target, ours))
        )
        self.elsewhere = moved
        for file, there in moved.items():
            self.gaps.note(
                "file-moved",
                Severity.NOTE,
                f"{file} is carried as {there}: "
                + ("no import can name it" if not Entry(file, "").importable else "the target would look into it")
                + " where it stood",
                "Nothing, unless something outside of the project looks for it there",
                place=Place(file),
                field=there,
            )
        own = {moved.get(path, path): content for path, content in own.items()}
        self.rewritten.entries.update(
            {
                name: replace(entry, file=moved.get(entry.file, entry.file))
                for name, entry in self.rewritten.entries.items()
            }
        )
        return own, [*map(self._where_it_stands, away)], [*map(self._where_it_stands, python)]

    def _in_javascript(self, own: dict[str, bytes], module: str, made: dict[str, str]) -> dict[str, bytes]:
        """Add to `made` what handlers in JavaScript need there; return their files, of which some links are others."""
        functions = [one for one in self.carried if one.entry.language == JAVASCRIPT and one.name not in self.back]
        if not functions:
            return {}
        try:
            self.javascript = wrap_javascript(
                (surface_of(self.source), surface_of(self.target)),
                functions,
                self.scanned.javascript,
                module,
                self.gaps.limit_of,
                rewriting=self.style != "wrapped",
            )
            made.update(self.javascript.files(self.gaps.limit_of))
        except NoTwin as error:
            raise BadInput(
                f"what is in JavaScript can't go from {self.source.title} to {self.target.title}: {error}",
                "Say it in another way under `javascript:` in a profile, or carry these functions apart",
            ) from None
        told = self.javascript.rewritten
        severity = Severity.BLOCKING if self.style == "native" else Severity.NOTE
        self.findings += [*told.findings, *(replace(one, severity=severity) for one in told.stopped.values())]
        return self.javascript.edited(own)

    @property
    def _not_wrapped(self) -> frozenset[str]:
        return self.back | frozenset(self.rewritten.entries)

    def _shared(self, own: dict[str, bytes], wrapped: list[Function]) -> dict[str, str]:
        """Return the modules that shims, rewritten handlers and the project's entry share."""
        made: dict[str, str] = {}
        project = self.target.model.handler.process == "project"
        if wrapped or self.rewritten.sources or project:
            made[f"{self.wrapping.module}.py"] = self.wrapping.shared_module(self.rewritten.sources)
        used = [use.client for use in self.scanned.uses]
        # Of a module of which a client is called, all are there; what is only imported from others is needed as well.
        asked = names_imported(own, {one.root for one in self.source.clients} - {one.root for one in used})
        used += [one for one in self.source.clients if (one.root, one.path.partition(".")[0]) in asked]
        clients = self.source.modules_over(
            self.target.operations, self.wrapping.client_imports(), used, self.target.hosts
        )
        modules = self.scanned.modules | set(self.source.stepped.values())
        still = imported_by(own, modules) if self.rewritten.entries else self.scanned.modules
        # What is emitted may need a module that no handler imports, such as that of the event's class.
        emitted = {path: text.encode("utf-8") for path, text in made.items()}
        still = still | imported_by(emitted, frozenset(clients))
        taken = {name.partition(".")[0] for name in self.target.provided}
        made.update({f"{name.replace('.', '/')}.py": clients[name] for name in sorted(still) if name not in taken})
        self._note_modules_of_both(own, wrapped, {name for name in taken & still if not self._same_module(name)})
        return made

    def _same_module(self, name: str) -> bool:
        """Tell whether a module has all its names at the target too, and every call of it does the same there."""
        theirs = {client.called: client for client in self.target.clients}
        calls = [client for client in self.source.clients if client.root == name]
        same = all(
            (other := theirs.get(one.called)) is not None
            and (one.operation, one.takes, one.arguments.rows, one.absent, one.awaited)
            == (other.operation, other.takes, other.arguments.rows, other.absent, other.awaited)
            for one in calls
        )
        return same and set(self.source.provided.get(name, ())) <= set(self.target.provided.get(name, ()))

    def _note_modules_of_both(self, own: dict[str, bytes], wrapped: list[Function], names: Set[str]) -> None:
        """Tell of wrapped handlers whose file imports a module that the target has too, under the same name.

        Handlers that were rewritten in that file are loaded with it, and told of as well.
        """
        by_file: dict[str, list[Function]] = {}
        for function in wrapped:
            by_file.setdefault(function.entry.file, []).append(function)
        for file, kept in by_file.items():
            content, there = own.get(file, b""), self.target.title
            beside = [one for one in self.carried if one.entry.file == file and one.name in self.rewritten.entries]
            for name in sorted(imported_by({file: content}, names)):
                lines = enumerate(content.split(b"\n"), 1)
                place = Place(file, next((n for n, text in lines if imported_by({"line.py": text}, [name])), 0))
                for one in kept:
                    why = f"is wrapped as it is, and its file imports {name}, which is another module at {there}"
                    self._note_module_of_both(one, name, place, why)
                others = ", ".join(one.name for one in kept)
                for one in beside:
                    why = f"is rewritten, and its file still imports {name} for {others} (wrapped as it was): another"
                    self._note_module_of_both(one, name, place, f"{why} module at {there}")

    def _note_module_of_both(self, function: Function, name: str, place: Place, why: str) -> None:
        self.gaps.note(
            "module-of-both",
            Severity.BLOCKING,
            f"{function.name} {why}",
            "See why a handler of that file is wrapped, and mend that; or put it into a file of its own",
            function=function,
            place=place,
            field=name,
        )

    def _launcher(self, function: Function) -> str:
        """Return the script that starts a rewritten handler, where a handler is a script."""
        entry, shim = self.rewritten.entries[function.name], self.wrapping.shim_entry(function)
        return own_template("launcher.py.j2").render(
            function=function,
            entry=entry,
            target=self.target,
            up=".parent" * (len(PurePosixPath(shim.file).parts) - 1),
            answers=self.target.kind(function.kinds[0]).answered.via == "document",
            parameters=self.target.kind(function.kinds[0]).event.parameters,
            call=function.kinds[0] == "call",
        )

    def _asked_for_there(self, finding: Finding) -> bool:
        """Tell whether a setting that stands elsewhere at the target is asked for there, or given by a shim."""
        if finding.code != "setting-elsewhere":
            return False
        if finding.function in self.rewritten.entries:
            return True
        function = next(one for one in self.carried if one.name == finding.function)
        first, each = settings_given(self.target, function)
        at_import = self.scanned.files[finding.place.file].parts.get("")
        early = at_import is not None and any(one.name == finding.field for one in at_import.settings)
        return finding.field in function.variables and bool(first or (each and not early))

    def _in_folders(self, away: Sequence[Function]) -> dict[str, str]:
        """Return the files that have rewritten handlers where each function has a folder of its own."""
        made = {}
        for function in away:
            if function.name not in self.rewritten.entries or not self.wrapping.stands_apart(function):
                continue
            file = self.wrapping.shim_entry(function).file
            up = ".parent" * (len(PurePosixPath(file).parts) - 1)
            entry = self.rewritten.entries[function.name]
            made[file] = own_template("in_folder.py.j2").render(
                function=function, entry=entry, target=self.target, up=up
            )
        return made

    def _note_rewritten(self) -> None:
        fails = {"setting-elsewhere": Severity.BLOCKING}  # where nothing asks for it there
        self.findings[:] = [
            replace(finding, severity=fails.get(finding.code, finding.severity))
            for finding in self.findings
            if not self._asked_for_there(finding)
        ]
        self.findings += self.rewritten.findings
        for finding in self.rewritten.wrapped.values():
            severity = Severity.BLOCKING if self.style == "native" else finding.severity
            self.findings.append(replace(finding, severity=severity))

    def _together(self, own: dict[str, bytes], made: dict[str, str]) -> dict[str, bytes]:
        self.made = sorted(made)
        self._note_secrets_in_code(own)
        return {**own, **{path: text.encode("utf-8") for path, text in made.items()}}

    def _note_secrets_in_code(self, own: dict[str, bytes]) -> None:
        """Tell where a value that was not carried as a variable stands in a file that is carried."""
        for path, content in own.items():
            for value in self.project.withheld:
                at = content.find(value.encode("utf-8", "surrogatepass")) if len(value) > 5 else -1
                if at >= 0:
                    self.gaps.note(
                        "secret-in-code",
                        Severity.BLOCKING,
                        f"{path} holds in its text what was not carried as a variable, and is carried as it is",
                        "Take it out of the code, and make it anew: whoever reads the file knows it",
                        place=Place(path, content.count(b"\n", 0, at) + 1),
                    )

    def _comments(self) -> tuple[str, ...]:
        """Return what stands at the head of a definition: that it was made, and where a person must act."""
        made: dict[str, None] = {MADE_BY: None}
        for finding in self.gaps.worst_first:
            act = finding.severity in (Severity.BLOCKING, Severity.TODO)
            if act and (finding.function or finding.field == "region"):
                who = f"{finding.function}: " if finding.function else ""
                # What is told may hold names out of the code: it stays on its line.
                made[" ".join(f"To do: {who}{finding.remedy} ({finding.code})".split())] = None
        more = len(made) - MOST_COMMENTS
        return (*list(made)[:MOST_COMMENTS], *((f"and {more} more: see crossing.json",) if more > 0 else ()))

    def _files_at_home(self, own: dict[str, bytes]) -> dict[str, bytes]:
        """Return the files of a project that comes back: the author's own, and the definition as it is now."""
        there = self._project_at_target()
        made = write_definition(there, self.target, self._comments())
        functions = self.target.model.definition.functions if self.target.model.definition else None
        code = (functions.code or functions.comments) if functions else None
        if code:
            made.pop(code.file, None)
            self.gaps.note(
                "declared-in-code",
                Severity.TODO,
                "decorators or comments in the code declare the functions, as they did before; what was changed since "
                f"then in {', '.join(self.project.files)} is not in them",
                "Compare the two, and change what is in the code by hand",
            )
        return self._together(own, made)

    def _note_start(self, usual: str) -> None:
        """Tell by what a project is started where the usual name was taken."""
        if self.started_by:
            entry = self.target.model.handler.entry
            self.gaps.note(
                "start-elsewhere",
                Severity.NOTE,
                f"the project has an {usual} of its own, so that {self.started_by}.py starts it",
                f"Start {entry}",
                field=self.started_by,
            )

    def _refuse_shadows(self, own: dict[str, bytes]) -> None:
        """Refuse a project whose file would hide a module that the target provides."""
        model = self.target.model
        theirs = {*model.modules, *model.decorators, *(c.root for c in self.target.clients)} - set(
            model.handler.parameters
        )
        brought = {file.path for file in model.files}
        for name in sorted(theirs):
            path = f"{name.replace('.', '/')}.py"
            if path in own and path not in brought:
                raise BadInput(
                    f"the project has a file {path}, and {self.target.title} provides a module of that name",
                    "Rename yours; or, if it was made by a crossing, carry the original project instead",
                    Place(str(self.folder / path)),
                )

    def record(self, files: dict[str, bytes]) -> Record:
        """Return the record of the crossing with these files."""
        return Record(
            source=SideRecord(
                provider=self.source.name,
                project=_relative(self.folder, self.out),
                profile=self._profile_file(self.source),
            ),
            target=SideRecord(
                provider=self.target.name,
                profile=self._profile_file(self.target),
                started_by=self.started_by,
            ),
            functions=[
                FunctionRecord(
                    name=function.name,
                    style="native" if self._is_native(function) else "wrapped",
                    home=function.name in self.back,
                    entry=self._came_by(function),
                    carried_entry="{0.file}#{0.name}".format(self._entry_there(function)),
                    bindings=list(function.bindings),
                )
                for function in self.carried
            ],
            left_behind=[function.name for function in self.gaps.left],
            findings=[FindingRecord.model_validate(self._shown(finding).as_data()) for finding in self.findings],
            carry_values=self.carry_values,
            carry_files=self.carry_files,
            survey=self.there.as_data(),
            checklist=self.gaps.checklist(),
            edits=[
                EditRecord(
                    file=edit.file,
                    reason=masked(edit.reason, self.project.withheld),
                    before=[edit.before.line, edit.before.column, edit.before.end_line, edit.before.end_column],
                    after=[edit.after.line, edit.after.column, edit.after.end_line, edit.after.end_column],
                )
                for edit in self.rewritten.edits
            ],
            files={path: hashlib.sha256(files[path]).hexdigest() for path in sorted(files)},
            made=self.made,
            moved=self.elsewhere,
        )

    def _shown(self, finding: Finding) -> Finding:
        return replace(finding, reason=masked(finding.reason, self.project.withheld))

    def _entry_there(self, function: Function) -> Entry:
        if function.name in self.back:
            return function.entry
        if function.entry.language == JAVASCRIPT:
            return self.javascript.entry(function)
        script = self.target.model.handler.script and not self.target.model.handler.entry
        if function.name in self.rewritten.entries and not script:
            entry = self.rewritten.entries[function.name]
            apart = self.wrapping.stands_apart(function)
            there = self.wrapping.shim_entry(self._where_it_stands(function))
            return replace(there, name=entry.name) if apart else entry
        return self.wrapping.shim_entry(self._where_it_stands(function))

    def _where_it_stands(self, function: Function) -> Function:
        file = self.elsewhere.get(function.entry.file, function.entry.file)
        return replace(function, entry=replace(function.entry, file=file))

    def _came_by(self, function: Function) -> str:
        before = {one.name: one.carried_entry for one in self.home.functions} if self.home else {}
        if function.name in before:
            return before[function.name]
        return f"{function.entry.file}#{function.entry.name}"

    def _is_native(self, function: Function) -> bool:
        """Tell whether a handler was rewritten."""
        if function.entry.language == JAVASCRIPT:
            return function.name not in self.back and function.name in self.javascript.rewritten.entries
        return function.name in self.rewritten.entries

    def _profile_file(self, profile: Profile) -> str:
        return "" if is_shipped(profile) else _relative(profile.path, self.out)

    def _project_at_target(self) -> Project:
        functions = tuple(
            replace(
                self.gaps.fitted[function.name],
                entry=self._entry_there(function),
                bindings=function.bindings
                if function.name in self.back
                else self.rewritten.bindings.get(function.name, ()),
            )
            for function in self.carried
        )
        return replace(self.project, functions=functions, region="", stages=tuple(self.gaps.stages))

    def _variables(self) -> dict[str, str]:
        """Return the variables of a target with one process for all functions; two that can't both hold are noted."""
        variables: dict[str, str] = {}
        setter: dict[str, Function] = {}
        for function in self.carried:
            for name, value in function.variables.items():
                if variables.setdefault(name, value) != value:
                    self.gaps.note(
                        "variable-conflict",
                        Severity.BLOCKING,
                        f"{function.name} sets {name} to {value!r}, {setter[name].name} to {variables[name]!r}, and "
                        f"{self.target.title} runs both in one process; {variables[name]!r} was set",
                        "Give one of them another name, in the definition and in the code",
                        function=function,
                        field=f"variables.{name}",
                    )
                setter.setdefault(name, function)
        return variables

    def _from_templates(self, project: Project, own: dict[str, bytes], *, services: bool) -> dict[str, str]:
        variables = self._variables() if self.target.model.handler.process == "project" else {}
        slugs = unique_slugs([function.name for function in project.functions])
        functions = [
            {
                "name": function.name,
                "routes": function.routes,
                "module": function.entry.module,
                "handler": function.entry.name,
                # No name that a template has of its own ends like this.
                "alias": f"{slugs[function.name]}_handler",
                "file": function.entry.file,
                "secrets": sorted({*function.secrets, *function.withheld}),
            }
            for function in project.functions
        ]
        made = {}
        for file in self.target.model.files:
            if (file.services and not services) or (file.answers and not self.rewritten.answers):
                continue
            if file.services and file.todo:
                self.gaps.note(
                    "services-brought-along",
                    Severity.TODO,
                    f"{self.target.title} has no services: handlers call {file.path}, which keeps them in a folder",
                    f"Keep it where one machine is enough, or put your own services behind the calls in {file.path}",
                    field=file.path,
                )
            before = own.get(file.path, b"").decode("utf-8", "replace") if file.keeps else ""
            made[file.path] = self._filled(
                file.template,
                project=project,
                functions=functions,
                variables=variables,
                crossing=self.wrapping.module,
                before=before,
                via=self.target.kinds[REQUEST].answered.via if REQUEST in self.target.kinds else "",
                entry=self.target.model.handler.entry,
            )
        return made

    def _filled(self, name: str, **values: Any) -> str:
        """Return a template of the target's profile, filled in; raises BadInput for one that fails or does not end."""
        path = self.target.path.parent / name
        return filled(self.target.template(name), values, Place(str(path)), self.target.title)


def _free_start(target: Profile, own: Collection[str]) -> str:
    """Return the module that starts a whole project where a package, or a file, of the project has the usual name."""
    module, _, name = target.model.handler.entry.partition(":")
    taken = any(path == f"{module}.py" or path.startswith(f"{module}/") for path in own if path.endswith(".py"))
    found = f"{module}_at_{slug(target.provider)}"
    while taken and any(path == f"{found}.py" or path.startswith(f"{found}/") for path in own):
        found = f"{found}_"
    return found if name and taken else ""


def _relative(folder: Path, out: Path) -> str:
    try:
        return Path(os.path.relpath(folder.resolve(), out.resolve())).as_posix()
    except ValueError:  # another drive
        return folder.resolve().as_posix()


def _module_name(files: dict[str, bytes]) -> str:
    taken = {PurePosixPath(path).parts[0].removesuffix(".py").removesuffix(".mjs") for path in files}
    return next(name for name in ("crossing", "crossing_shared", "vast_crossing") if name not in taken)
