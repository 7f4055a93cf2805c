"""The files of a project written with all edits of their functions, and what is told of them."""

from __future__ import annotations

import ast
import functools
from collections.abc import Mapping

from vast_ferry.hub.findings import BadInput, Finding, Place
from vast_ferry.hub.functions import Entry
from vast_ferry.hub.functions import Function as Declared
from vast_ferry.mapping.inline import at_text
from vast_ferry.mapping.places import Item
from vast_ferry.mapping.python import docstring, quoted
from vast_ferry.mapping.tables import EventShape
from vast_ferry.translate.moves import Done
from vast_ferry.translate.python.alive import alive
from vast_ferry.translate.python.environment import at_import, declared_with, uses_it
from vast_ferry.translate.python.functions import Function, Module
from vast_ferry.translate.python.imports import Import, Imports, names_used
from vast_ferry.translate.python.job import Job
from vast_ferry.translate.python.reach import Reach
from vast_ferry.translate.python.render import Rendering
from vast_ferry.translate.python.rewritten import Rewritten
from vast_ferry.translate.python.set_up import class_name, handing_on, name_beside, taking_events
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Key, Stop


class Files:
    """Writes a project's files into `result`: what stands at the top, the functions as rendered, and what is beside."""

    def __init__(self, job: Job, result: Rewritten, handlers: Mapping[str, Function], reach: Reach) -> None:
        self.job, self.result, self.handlers, self.reach = job, result, handlers, reach
        self._in_module: dict[int, list[tuple[str, Function]]] = {}  # by the module's identity
        for name, handler in handlers.items():
            self._in_module.setdefault(id(handler.module), []).append((name, handler))

    def write(
        self, renderings: Mapping[Key, Rendering], wrapped: Mapping[Key, None], by_name: Mapping[str, Declared]
    ) -> list[tuple[Declared, Stop, Module]]:
        job, flow, result = self.job, self.job.flow, self.result
        result.files, result.edits, result.findings, result.entries, result.shims = {}, [], [], {}, {}
        entries = {name: Entry(f.key[0], f.key[1]) for name, f in self.handlers.items()}
        small = job.share()
        own: dict[str, list[Rendering]] = {}
        for made in renderings.values():
            own.setdefault(made.module.file, []).append(made)
        for file, module in flow.modules.items():
            edits: list[Edit] = []
            imports: set[Import] = set()
            at_top = Rendering(job, module, None)
            keeps = any(key[0] == file for key in wrapped)
            try:
                top = self._at_import(module, at_top, keeps=keeps)
            except Stop as stop:
                failed = [
                    (by_name[name], stop, module)
                    for name, handler in self.handlers.items()
                    if any(key[0] == file for key in self.reach.of([handler.key]))
                ]
                if failed:
                    return failed
                top = []
            edits += top
            imports |= at_top.imports
            for made in own.get(file, []):
                edits += made.edits
                imports |= made.imports
            # What stands beside comes first: a definition that it stands before may begin with an edit of its own.
            edits = [*self._appended(module, imports, entries), *edits]
            if not edits:
                continue
            content = self._edited(module, edits, imports)
            if content is None:
                wrong = _refused(module)
                why = ("unreadable", wrong) if wrong else ("could-not-write", "")
                failed = [
                    (by_name[n], Stop(why[0], h.node, why[1]), module)
                    for n, h in self.handlers.items()
                    if any(key[0] == file for key in self.reach.of([h.key]))
                ]
                if failed:
                    return failed
                continue
            result.files[file] = content
        result.entries = entries
        self._tell(renderings)
        result.sources += small
        return []

    def _at_import(self, module: Module, at_top: Rendering, *, keeps: bool) -> list[Edit]:
        """Return the edits of what a module does when it is imported; it can't have any where a part `keeps` it."""
        job, flow = self.job, self.job.flow
        asks = job.asks_elsewhere and uses_it(flow, module, at_import(module.tree))
        if job.asks_elsewhere and uses_it(flow, module, declared_with(module.nodes.all)):
            raise Stop("setting-elsewhere", module.tree)
        top = at_top.write_module() if module.has_ops or asks else []
        if top and keeps:
            raise Stop("shares", module.tree, "what the module does when it is imported")
        return top

    def _appended(self, module: Module, imports: set[Import], entries: dict[str, Entry]) -> list[Edit]:
        """Return what stands beside the author's code: small functions, and what takes batches apart."""
        job = self.job
        made = self._set_up(module, imports, entries)
        for function, parameters in job.batches.values():
            if function.module is not module:
                continue
            theirs = [one for one, handler in self.handlers.items() if handler is function]
            # Of a class, the function beside it takes an event.
            called = entries[theirs[0]].name if function.cls is not None else function.node.name
            name = f"{called}_batch"
            while name in module.names:
                name += "_"
            text = self._batch_of(function, (name, called), parameters, imports)
            node = job.flow.classes[function.cls] if function.cls is not None else function.node
            made.append(self._behind(module, node, text, "batch"))
            imports.add(Import("traceback"))
            for one in theirs:
                entries[one] = Entry(function.key[0], name)
        made += self._classes(module, entries)
        adapters = job.adapters.get(module.file, {})
        imports |= {one for needed in job.needed.get(module.file, {}).values() for one in needed}
        if adapters:
            tree = module.tree
            last = [n for n in tree.body if isinstance(n, (ast.Import, ast.ImportFrom))]
            first = next(
                (n for n in tree.body if isinstance(n, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef))), None
            )
            if first is not None:
                line = min([first.lineno, *(d.lineno for d in first.decorator_list)])
                at = module.text.starts[line - 1]
                # A comment right above belongs to the definition.
                while at and module.text.data[module.text.line_start(at - 1) : at].startswith(b"#"):
                    at = module.text.line_start(at - 1)
            else:
                at = module.text.next_line(module.text.end(last[-1]) - 1) if last else 0
            text = "".join(f"{one}\n\n" for one in adapters.values())
            made.append(Edit(at, at, text, "service"))
        return made

    def _behind(self, module: Module, node: ast.stmt, text: str, reason: str) -> Edit:
        """Return the edit that puts functions behind a definition."""
        at = module.text.next_line(module.text.end(node) - 1)
        lead = "" if module.text.data[at - 1 : at] == b"\n" else "\n"
        return Edit(at, at, f"{lead}\n\n{text}", reason)

    def _set_up(self, module: Module, imports: set[Import], entries: dict[str, Entry]) -> list[Edit]:
        """Return the functions that take the events of classes."""
        edits, set_up = [], dict[Key, str]()  # by class
        own = [one for one in self.job.set_ups.values() if one[0].module is module]
        taken = set(module.names) | set(module.nodes.named)
        for function, parameters in own:
            assert function.cls is not None
            several = sum(one.cls == function.cls for one, _ in own) > 1
            name = name_beside(function, taken, several=several)
            first = function.cls not in set_up
            prepares = set_up.setdefault(function.cls, f"set_up_{name_beside(function, taken)}")
            taken |= {name, prepares}
            text = taking_events(function, name, prepares, parameters, awaited=self.job.target_awaits, first=first)
            edits.append(self._behind(module, self.job.flow.classes[function.cls], text, "signature"))
            imports.add(Import("functools"))
            for one, handler in self.handlers.items():
                if handler is function:
                    entries[one] = Entry(function.key[0], name)
        return edits

    def _classes(self, module: Module, entries: dict[str, Entry]) -> list[Edit]:
        """Return the classes that hand events on to the handlers, where the target calls methods of objects."""
        edits, named = [], dict[str, str]()  # a handler has one class, however many functions are declared with it
        for one, handler in self._in_module.get(id(module), ()):
            kind = self.job.target.kinds[self.job.facts[handler.key].kind]
            if not kind.method:
                continue
            called = entries[one].name
            if called not in named:
                taken = {*module.names, *module.nodes.named, *named.values()}
                named[called] = class_name(called, taken)
                text = handing_on(kind, named[called], called, awaited=self.job.target_awaits)
                definition = self.job.flow.classes[handler.cls] if handler.cls is not None else handler.node
                edits.append(self._behind(module, definition, text, "signature"))
            entries[one] = Entry(module.file, named[called])
        return edits

    def _batch_of(self, function: Function, names: tuple[str, str], parameters: list[str], imports: set[Import]) -> str:
        """Return the function of a name that takes a batch, and calls the one of another for each of its events."""
        name, called = names
        kind = self.job.facts[function.key].kind
        shape, there = self.job.shape(kind), self.job.target.kinds[kind]
        assert shape.each is not None
        entry = parameters[shape.parameters.index(shape.event_parameters[0])]
        outer = [shape.each.root if p == entry else p for p in parameters]
        identity = next(row for row in shape.rows if row.field == "id")
        imports |= self.job.functions_in(shape.each)
        again = there.event.told_by or any(row.field == "again" for row in there.answered.written.rows)
        lines = [
            f"{'async ' * self.job.target_awaits}def {name}({', '.join(outer)}):",
            f"    {docstring('Take a batch one by one: what fails shall come again.')}",
            *(["    again = []"] if again else []),
            f"    for {entry} in {at_text(shape.each, {})}:",
            *(["        try:"] if again else []),
            f"    {'    ' * (2 if again else 1)}{'await ' * self.job.target_awaits}{called}({', '.join(parameters)})",
        ]
        if again:
            imports |= self.job.functions_in(identity.at)
            lines += [
                "        except Exception:",
                "            traceback.print_exc()",
                f"            again.append({at_text(identity.at, {identity.at.root: entry})})",
                f"    return {self._again(kind, shape, imports)} if again else {self.job.nothing_again(kind) or None}",
            ]
        elif nothing := self.job.nothing_again(kind):
            lines.append(f"    return {nothing}")
        return "\n".join(lines) + "\n"

    def _again(self, kind: str, shape: EventShape, imports: set[Import]) -> str:
        """Return the source of what the target is answered where some events shall come again."""
        there = self.job.target.kinds[kind]
        row = next((row for row in there.answered.written.rows if row.field == "again"), None)
        key = row.at.steps[-1] if row is not None and row.at.steps else None
        if isinstance(key, Item) and not there.event.levels:
            return f"{{{quoted(str(key.key))}: again}}"
        view = self.job.again_view(kind)
        imports.add(Import(self.job.module_name, view.name))
        assert shape.each is not None
        return f"{view.name}(again, {shape.each.root})"

    def _edited(self, module: Module, edits: list[Edit], imports: set[Import]) -> bytes | None:
        """Return a file with its edits, its imports put in order; nothing where that is not Python."""
        text = module.text
        # What comes out as it was is no edit.
        edits = [one for one in edits if text.data[one.start : one.end] != one.text.encode("utf-8", "surrogatepass")]
        theirs = frozenset(
            {*self.job.flow.theirs, *self.job.target.model.modules, *self.job.brought, self.job.module_name}
        )
        theirs |= {client.root for client in self.job.target.clients}
        editor = Imports(text, module.tree, theirs, set(imports))
        try:
            used = names_used(text.spliced(edits), module.nodes)
        except (SyntaxError, ValueError, BadInput):
            return None
        before = module.nodes.ids | module.nodes.exported | self._left_over(module)
        of_imports = editor.edits(used, before)
        content, spans = text.edited([*of_imports, *edits])
        kept = {id(edit) for _, _, edit in spans}
        if any(edit.text and id(edit) not in kept for edit in of_imports):
            return None  # a name would be missing
        self.result.edits += [Done(module.file, one, other, edit.reason) for one, other, edit in spans]
        return content

    def _left_over(self, module: Module) -> set[str]:
        """Return the names that a module imports of its provider alone: unused or not, they are not there any more."""
        there = {client.root for client in self.job.target.clients} | set(self.job.target.model.modules)
        found = set()
        for node in module.nodes.imports:
            for alias in node.names:
                name = alias.name if isinstance(node, ast.Import) else node.module or ""
                if name.partition(".")[0] in self.job.flow.theirs - there and not getattr(node, "level", 0):
                    found.add(alias.asname or alias.name.partition(".")[0])
        return found - self._taken_from_others if found else found

    @functools.cached_property
    def _taken_from_others(self) -> set[str]:
        """Return the names that modules of the project import of each other."""
        files = self.job.flow.modules
        return {
            alias.name
            for module in files.values()
            for node in module.nodes.imports
            if isinstance(node, ast.ImportFrom)
            and (node.level or (node.module or "").partition(".")[0] not in self.job.flow.theirs)
            for alias in node.names
        }

    def _tell(self, renderings: Mapping[Key, Rendering]) -> None:
        """Note what the rewritten functions take for granted, what is made for them, and what they bring along."""
        job, result = self.job, self.result
        told: set[tuple[str, str, str, int]] = set()
        running = alive(job.flow, [handler.key for handler in self.handlers.values()])
        for name, handler in self.handlers.items():
            shims: dict[str, None] = {}
            for key in sorted(self.reach.of([handler.key])):
                made = renderings.get(key)
                # A method that no code names is written anew with its class, and takes nothing: it never runs.
                unnamed = made is not None and made.function is not None and made.function.cls is not None
                if made is None or (unnamed and key not in running):
                    continue
                noted = [(code, "", node) for code, node in made.notes]
                noted += [("changed-in-place", "", node) for node in job.flow.in_place.get(key, {}).values()]
                noted += [("by-a-function", what, node) for what, node in made.through]
                noted += [("made-as-it-was", what or "the whole event", node) for what, node in made.shims]
                for code, what, node in noted:
                    line = getattr(node, "lineno", 0)
                    if code == "made-as-it-was":
                        shims[f"{what} at line {line}"] = None
                    at_first = made.function is not None and made.function.whole and node is made.function.node
                    if at_first or (code, what, made.module.file, line) in told:  # why it is, is told by itself
                        continue
                    told.add((code, what, made.module.file, line))
                    severity, reason, remedy = note(code, job.source.title, job.target.title, what)
                    place = Place(made.module.file, line, getattr(node, "col_offset", -1) + 1)
                    result.findings.append(Finding(code, severity, reason, remedy, place, name))
            if shims:
                result.shims[name] = list(shims)
        result.sources = [*job.views.values(), *job.answer_views.values()]
        result.answers = any(one.module in job.brought for made in renderings.values() for one in made.imports)
        result.answers = result.answers or (bool(job.brought) and "answer_with" in job.answer_views)
        roots = {client.root for client in job.target.clients}
        result.services = any(one.module in roots for made in renderings.values() for one in made.imports)


def _refused(module: Module) -> str:
    """Return why Python refuses a file that can be read: a `nonlocal` that nothing binds, a `return` outside."""
    try:
        compile(module.text.data, module.file, "exec", dont_inherit=True)
    except (SyntaxError, ValueError) as error:
        return f"line {error.lineno}: {error.msg}" if isinstance(error, SyntaxError) else str(error)
    return ""
