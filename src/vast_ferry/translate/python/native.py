"""Handlers rewritten for the target, project by project: which can be, and what each file becomes."""

from __future__ import annotations

import ast
import functools
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from vast_ferry.hub.findings import BadInput, Finding, Place, Severity
from vast_ferry.hub.functions import Binding, Entry
from vast_ferry.hub.functions import Function as Declared
from vast_ferry.hub.kinds import REQUEST, is_request
from vast_ferry.mapping.compile.functions import Source
from vast_ferry.mapping.inline import at_text
from vast_ferry.mapping.places import Item
from vast_ferry.mapping.python import docstring, quoted
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.moves import Done
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.flow import Flow, Function, Module
from vast_ferry.translate.python.follow import follow
from vast_ferry.translate.python.imports import Import, Imports
from vast_ferry.translate.python.job import Facts, Job
from vast_ferry.translate.python.nodes import Nodes
from vast_ferry.translate.python.render import Rendering
from vast_ferry.translate.python.writing import in_return
from vast_ferry.translate.reasons import STOPS, note
from vast_ferry.translate.text import Edit, SourceText
from vast_ferry.translate.values import Class, Func, Key, Own, Stop


@dataclass(slots=True)
class Rewritten:
    """What became of a project's handlers: new files by path, entries, edits, what is shared, and findings.

    `wrapped` tells of each function that was not rewritten why; `shims` of each that was what is made for it;
    `bindings` of those whose calls became declared outputs.
    """

    files: dict[str, bytes] = field(default_factory=dict)
    entries: dict[str, Entry] = field(default_factory=dict)
    edits: list[Done] = field(default_factory=list)
    wrapped: dict[str, Finding] = field(default_factory=dict)
    shims: dict[str, list[str]] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)
    sources: list[Source] = field(default_factory=list)
    answers: bool = False
    services: bool = False
    bindings: dict[str, tuple[Binding, ...]] = field(default_factory=dict)


def rewrite_whole(
    source: Profile,
    target: Profile,
    functions: Iterable[Declared],
    files: Mapping[str, bytes],
    *,
    module_name: str,
    limit: Callable[[Declared], float],
    trees: Mapping[str, Nodes] | None = None,
) -> Rewritten:
    """Return a project's handlers, which take their events whole, rewritten as far as they can be followed.

    `trees` are those of the files that were read already.
    """
    return _Project(Job(source, target, module_name, limit), list(functions), files, trees or {}).made()


def reached_by(
    profile: Profile, functions: Iterable[Declared], files: Mapping[str, bytes]
) -> Iterator[tuple[str, Flow, list[Function]]]:
    """Yield each function's name, the flow of the project's code, and the functions that its handler reaches."""
    project = _Project(Job(profile, profile, "crossing", lambda declared: declared.timeout), list(functions), files)
    broken = project._read()
    for declared in project.functions:
        project._enter(declared, broken)
    follow(project.job.flow, project._reach([handler.key for handler in project.handlers.values()]))
    for name, handler in project.handlers.items():
        reached = sorted(project._reach([handler.key]))
        yield name, project.job.flow, [project.job.flow.functions[key] for key in reached]


class _Project:
    def __init__(
        self,
        job: Job,
        functions: list[Declared],
        files: Mapping[str, bytes],
        trees: Mapping[str, Nodes] | None = None,
    ) -> None:
        self.job, self.functions, self.files, self.trees = job, functions, files, trees or {}
        self.result = Rewritten()
        self._mentioned: dict[Key, list[Key]] = {}
        self.handlers: dict[str, Function] = {}  # by the name of the declared function

    def made(self) -> Rewritten:
        job = self.job
        broken = self._read()
        for declared in self.functions:
            stop = self._enter(declared, broken)
            if stop is not None:
                self._wrap(declared, stop, None)
        if not self.handlers:
            return self.result
        follow(job.flow, self._reach([handler.key for handler in self.handlers.values()]))
        self._mentioned = {}
        self._find_exact()
        self._know_calls()
        for key, function in job.flow.functions.items():
            job.facts[key] = Facts(self._kind(function))
        self._decide()
        self._settle_answers()
        while True:
            if not self.handlers:
                return self.result
            failed = self._write()
            if not failed:
                return self.result
            for declared, stop, module in failed:
                self._wrap(declared, stop, module)
            self._decide()

    # --- reading ---

    def _read(self) -> dict[str, str]:
        broken: dict[str, str] = {}
        for path, raw in self.files.items():
            if not path.endswith(".py"):
                continue
            try:
                text = SourceText(raw, path)
                known = self.trees.get(path) if text.encoding.startswith("utf-8") else None
                nodes = known or Nodes(text.parse())
            except (BadInput, SyntaxError, ValueError, RecursionError, MemoryError) as error:
                broken[path] = str(error)
                continue
            if text.strange:
                broken[path] = "its lines end in several ways"
                continue
            self.job.flow.add(path, text, nodes)
        self.job.flow.link()
        return broken

    def _enter(self, declared: Declared, broken: Mapping[str, str]) -> Stop | None:
        file, name = declared.entry.file, declared.entry.name
        nowhere = ast.Module([], [])
        handler = self.job.source.model.handler
        if handler.script:
            return Stop("script", nowhere)
        if file in broken or file not in self.job.flow.modules:
            return Stop("unreadable", nowhere, broken.get(file, ""))
        if not declared.entry.importable:
            return Stop("not-importable", nowhere)
        if len(declared.kinds) != 1:
            return Stop("several-kinds", nowhere)
        if handler.output and any(b.way != "event" or b.form != "whole" for b in declared.bindings):
            return Stop("bindings", nowhere)
        value = self.job.flow.modules[file].names.get(name)
        function = self.job.flow.functions.get(value.key) if isinstance(value, Func) else None
        if function is None:
            return Stop("no-definition", nowhere, name)
        kind = declared.kinds[0]
        if kind not in self.job.target.kinds or kind not in self.job.source.kinds:
            return Stop("no-kind", function.node, kind)
        if (
            handler.output
            and declared.bindings
            and function.parameters[:1] != [self.job.source.kinds[kind].event.handed_over[0]]
        ):
            return Stop("bindings", function.node)
        others = {one.kinds[0] for one in self.job.declared.get(function.key, [])}
        if others and others != {kind}:
            return Stop("several-kinds", function.node)
        self.job.declared.setdefault(function.key, []).append(declared)
        self.handlers[declared.name] = function
        self.job.flow.enter(function.key, kind, declared.name)
        return None

    def _find_exact(self) -> None:
        """Find the handlers that ask if a content is Base64, other than to decode it just then."""
        flow = self.job.flow
        asks = set()
        for key, function in flow.functions.items():
            for node in function.ops - flow.consumed:
                spot = flow.values.get(node)
                if isinstance(spot, Spot) and (spot.role, spot.steps) in flow.shape(spot).flags:
                    asks.add(key)
        for handler in self.handlers.values() if asks else ():
            reached = self._reach([handler.key])
            if reached.keys() & asks:
                self.job.exact |= reached.keys()

    def _kind(self, function: Function) -> str:
        declared = self.job.declared.get(function.key)
        if declared:
            return declared[0].kinds[0]
        kinds = {value.kind for value in function.params.values() if isinstance(value, Spot) and value.kind}
        if len(kinds) == 1:
            return kinds.pop()
        return self._kind(function.outer) if function.outer is not None else ""

    def _know_calls(self) -> None:
        for function in self.job.flow.functions.values():
            for caller, node in function.calls:
                self.job.called[id(node)] = function
                if caller is not None:
                    caller.callees.setdefault(function.key)

    # --- deciding ---

    def _reach(self, start: Iterable[Key]) -> dict[Key, None]:
        """Return what can be reached, each once and in a fixed order."""
        flow = self.job.flow
        found: dict[Key, None] = {}
        waiting = list(start)
        while waiting:
            key = waiting.pop()
            if key in found or key not in flow.functions:
                continue
            found[key] = None
            waiting += self._mentions(key)
        return found

    def _mentions(self, key: Key) -> list[Key]:
        flow = self.job.flow
        function = flow.functions[key]
        if key in self._mentioned:
            return self._mentioned[key]
        made: list[Key] = list(function.callees)
        made += [inner.key for inner in self._inside().get(key, ())]
        known = function.module.names
        for name in sorted(function.nodes.ids):  # the order of a set is another in each process
            made += self._keys_of(known.get(name))
        for name, attribute in function.nodes.attributes:
            base = known.get(name)
            if isinstance(base, Own):
                made += self._keys_of(flow.attribute(base, attribute))
        # What stands in a table at the top of the module is reached by the table's name.
        for name, keys in self._tables(function.module).items():
            made += keys if name in function.nodes.named else []
        self._mentioned[key] = made
        return made

    def _inside(self) -> dict[Key, list[Function]]:
        """Return the functions inside each function."""
        if not hasattr(self, "_inner"):
            self._inner: dict[Key, list[Function]] = {}
            for function in self.job.flow.functions.values():
                if function.outer is not None:
                    self._inner.setdefault(function.outer.key, []).append(function)
        return self._inner

    def _keys_of(self, value: object) -> list[Key]:
        if isinstance(value, Func):
            return [value.key]
        if isinstance(value, Class):
            return [k for k, f in self.job.flow.functions.items() if f.cls == value.key]
        return []

    def _tables(self, module: Module) -> dict[str, list[Key]]:
        if not hasattr(self, "_listed"):
            self._listed: dict[str, dict[str, list[Key]]] = {}
        if module.file not in self._listed:
            tables: dict[str, list[Key]] = {}
            for node in module.tree.body:
                if isinstance(node, ast.Assign) and len(node.targets) == 1 and isinstance(node.targets[0], ast.Name):
                    names = [n.id for n in ast.walk(node.value) if isinstance(n, ast.Name)]
                    keys = [k for name in names for k in self._keys_of(module.names.get(name))]
                    if keys:
                        tables[node.targets[0].id] = keys
            self._listed[module.file] = tables
        return self._listed[module.file]

    def _decide(self) -> None:
        """Take out, again and again, what can't be rewritten, and what shares code with what is wrapped."""
        flow = self.job.flow
        while True:
            gone: list[tuple[Declared, Stop, Module | None]] = []
            by_name = {declared.name: declared for declared in self.functions}
            wrapped = self._reach(self._wrapped_keys())
            for name, handler in self.handlers.items():
                reached = self._reach([handler.key])
                stops = [
                    (flow.functions[k].stop, flow.functions[k].module)
                    for k in sorted(reached)
                    if flow.functions[k].stop
                ]
                stops += [
                    (flow.functions[k].module.stop, flow.functions[k].module)
                    for k in reached
                    if flow.functions[k].module.stop
                ]
                if stops:
                    why, at = stops[0]
                    assert why is not None
                    gone.append((by_name[name], why, at))
                    continue
                shared = sorted(key for key in reached.keys() & wrapped.keys() if self._touched(flow.functions[key]))
                if shared:
                    function = flow.functions[shared[0]]
                    gone.append((by_name[name], Stop("shares", function.node, function.node.name), function.module))
            if not gone:
                return
            for declared, stop, module in gone:
                self._wrap(declared, stop, module)

    def _wrapped_keys(self) -> list[Key]:
        return [
            (declared.entry.file, declared.entry.name)
            for declared in self.functions
            if declared.name in self.result.wrapped
        ]

    def _touched(self, function: Function) -> bool:
        """Tell whether a function is written otherwise at the target."""
        own = any(id_ in self.job.flow.ops for id_ in function.ops) or any(
            isinstance(v, Spot) for v in function.params.values()
        )
        facts = self.job.facts.get(function.key)
        return own or bool(function.entry) or (facts is not None and (facts.answers or bool(facts.needs)))

    def _wrap(self, declared: Declared, stop: Stop, module: Module | None) -> None:
        self.handlers.pop(declared.name, None)
        self.result.entries.pop(declared.name, None)
        place = Place(module.file if module else declared.entry.file, getattr(stop.node, "lineno", 0))
        column = getattr(stop.node, "col_offset", -1) + 1
        reason, remedy = STOPS[stop.code]
        reason = reason.format(stop.why) if "{}" in reason else f"{reason}{f' ({stop.why})' if stop.why else ''}"
        self.result.wrapped[declared.name] = Finding(
            f"wrapped-{stop.code}" if not stop.code.startswith("wrapped") else stop.code,
            Severity.NOTE,
            f"{declared.name} is wrapped as it is: {reason}",
            remedy,
            Place(place.file, place.line, column if place.line else 0),
            declared.name,
        )

    # --- answers ---

    def _answering_from(self, waiting: list[Function]) -> dict[Key, Function]:
        """Return the functions whose calls are returned by handlers, and by those in turn."""
        candidates: dict[Key, Function] = {}
        while waiting:
            function = waiting.pop()
            for node in _own_returns(function.node):
                for called in self._answering(function, node.value):
                    if called.key not in candidates and not called.entry:
                        candidates[called.key] = called
                        waiting.append(called)
        return candidates

    def _settle_answers(self) -> None:
        """Find the functions all of whose calls are answers: what they return is written anew."""
        job = self.job
        waiting: list[Function] = []
        for handler in {f.key: f for f in self.handlers.values()}.values():
            job.facts[handler.key].answers = True
            if is_request(job.facts[handler.key].kind):
                waiting.append(handler)
        candidates = self._answering_from(waiting)
        changed = True
        while changed:  # one that also serves otherwise makes no answers, nor then do those that only hand its on
            changed = False
            for key, function in list(candidates.items()):
                if function.referred or not all(
                    self._in_answer(caller, call, candidates) for caller, call in function.calls
                ):
                    del candidates[key]
                    changed = True
        for key in candidates:
            job.facts[key].answers = True
            job.facts[key].kind = REQUEST

    def _answering(self, function: Function, node: ast.expr | None) -> list[Function]:
        if isinstance(node, ast.IfExp):
            return [*self._answering(function, node.body), *self._answering(function, node.orelse)]
        if isinstance(node, ast.Await):
            return self._answering(function, node.value)
        if isinstance(node, ast.Call):
            called = self.job.called.get(id(node))
            return [called] if called is not None else []
        if isinstance(node, ast.Name):
            return [
                called
                for inner in function.nodes.all
                if isinstance(inner, ast.Assign)
                and len(inner.targets) == 1
                and isinstance(inner.targets[0], ast.Name)
                and inner.targets[0].id == node.id
                for called in self._answering(function, inner.value if not isinstance(inner.value, ast.Name) else None)
            ]
        return []

    def _in_answer(self, caller: Function | None, call: ast.Call, candidates: Mapping[Key, Function]) -> bool:
        if caller is None:
            return False
        facts = self.job.facts[caller.key]
        if not (caller.key in candidates or (facts.answers and is_request(facts.kind))):
            return False
        parents = caller.nodes.parents
        node: ast.AST = call
        parent = parents.get(id(node))
        while isinstance(parent, ast.Await | ast.IfExp) and getattr(parent, "test", None) is not node:
            node, parent = parent, parents.get(id(parent))
        if isinstance(parent, ast.Return):
            return True
        if isinstance(parent, ast.Assign) and len(parent.targets) == 1 and isinstance(parent.targets[0], ast.Name):
            name = parent.targets[0].id
            reads = [
                n
                for n in ast.walk(caller.node)
                if isinstance(n, ast.Name) and n.id == name and isinstance(n.ctx, ast.Load)
            ]
            return bool(reads) and all(in_return(read, parents) for read in reads)
        return False

    # --- writing ---

    def _write(self) -> list[tuple[Declared, Stop, Module]]:
        """Write every file; return the functions for which that could not be done."""
        job, flow = self.job, self.job.flow
        by_name = {declared.name: declared for declared in self.functions}
        wrapped = self._reach(self._wrapped_keys())
        reached = self._reach([handler.key for handler in self.handlers.values()])
        native = [
            flow.functions[key] for key in sorted(reached.keys() - wrapped.keys()) if flow.functions[key].outer is None
        ]
        renderings: dict[Key, Rendering] = {}
        for _ in range(12):
            job.changed = False
            job.batches, job.adapters, job.needed, job.replies_held = [], {}, {}, {}
            job.views, job.answer_views = {}, {}
            renderings = {}
            for function in native:
                made = Rendering.of(job, function)
                try:
                    made.write()
                except Stop as stop:
                    if stop.node is not None and not hasattr(stop.node, "lineno"):
                        stop.node = function.node
                    function.stop = stop
                    failed = self._affected(function, by_name, stop)
                    if failed:
                        return failed
                    continue
                except (RecursionError, AssertionError, AttributeError, KeyError, TypeError, ValueError) as error:
                    # A mistake of ours must not keep a project from being carried.
                    function.stop = Stop("could-not-write", function.node, f"{type(error).__name__}: {error}")
                    failed = self._affected(function, by_name, function.stop)
                    if failed:
                        return failed
                    continue
                renderings[function.key] = made
            if not job.changed:
                return self._files(renderings, wrapped, by_name)
        # What one function needs changes what another does, and so on without end: none of them is safe to write.
        modules = {name: handler.module for name, handler in self.handlers.items()}
        return [
            (by_name[name], Stop("too-entangled", handler.node), modules[name])
            for name, handler in self.handlers.items()
        ]

    def _affected(
        self, function: Function, by_name: Mapping[str, Declared], stop: Stop
    ) -> list[tuple[Declared, Stop, Module]]:
        return [
            (by_name[name], stop, function.module)
            for name, handler in self.handlers.items()
            if function.key in self._reach([handler.key])
        ]

    def _files(
        self, renderings: Mapping[Key, Rendering], wrapped: Mapping[Key, None], by_name: Mapping[str, Declared]
    ) -> list[tuple[Declared, Stop, Module]]:
        job, flow, result = self.job, self.job.flow, self.result
        result.files, result.edits, result.findings, result.entries, result.shims = {}, [], [], {}, {}
        entries = {name: Entry(f.key[0], f.key[1]) for name, f in self.handlers.items()}
        own: dict[str, list[Rendering]] = {}
        for made in renderings.values():
            own.setdefault(made.module.file, []).append(made)
        for file, module in flow.modules.items():
            edits: list[Edit] = []
            imports: set[Import] = set()
            at_top = Rendering(job, module, None)
            keeps = any(key[0] == file for key in wrapped)
            try:
                top = at_top.write_module() if module.has_ops else []
                if top and keeps:
                    raise Stop("shares", module.tree, "what the module does when it is imported")
            except Stop as stop:
                failed = [
                    (by_name[name], stop, module)
                    for name, handler in self.handlers.items()
                    if any(key[0] == file for key in self._reach([handler.key]))
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
                failed = [
                    (by_name[n], Stop("could-not-write", h.node), module)
                    for n, h in self.handlers.items()
                    if h.key[0] == file
                ]
                if failed:
                    return failed
                continue
            result.files[file] = content
        result.entries = entries
        self._tell(renderings)
        return []

    def _appended(self, module: Module, imports: set[Import], entries: dict[str, Entry]) -> list[Edit]:
        """Return what stands beside the author's code: small functions, and what takes batches apart."""
        job = self.job
        made = []
        for function, parameters in job.batches:
            if function.module is not module:
                continue
            name = f"{function.node.name}_batch"
            while name in module.names:
                name += "_"
            at = module.text.next_line(module.text.end(function.node) - 1)
            lead = "" if module.text.data[at - 1 : at] == b"\n" else "\n"
            made.append(Edit(at, at, f"{lead}\n\n{self._batch_of(function, name, parameters)}", "batch"))
            imports.add(Import("traceback"))
            for one, handler in self.handlers.items():
                if handler is function:
                    entries[one] = Entry(function.key[0], name)
        adapters = job.adapters.get(module.file, {})
        imports |= job.needed.get(module.file, set())
        if adapters:
            tree = module.tree
            last = [n for n in tree.body if isinstance(n, ast.Import | ast.ImportFrom)]
            first = next(
                (n for n in tree.body if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)), None
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

    def _batch_of(self, function: Function, name: str, parameters: list[str]) -> str:
        kind = self.job.facts[function.key].kind
        shape = self.job.target.kinds[kind].event
        assert shape.each is not None
        entry = parameters[shape.parameters.index(shape.event_parameters[0])]
        outer = [shape.each.root if p == entry else p for p in parameters]
        identity = next(row for row in shape.rows if row.field == "id")
        again = next((row for row in self.job.target.kinds[kind].answered.written.rows if row.field == "again"), None)
        lines = [
            f"def {name}({', '.join(outer)}):",
            f"    {docstring('Take a batch one by one: what fails shall come again.')}",
            *(["    again = []"] if again else []),
            f"    for {entry} in {at_text(shape.each, {})}:",
            *(["        try:"] if again else []),
            f"    {'    ' * (2 if again else 1)}{function.node.name}({', '.join(parameters)})",
        ]
        if again:
            key = again.at.steps[-1]
            assert isinstance(key, Item)
            lines += [
                "        except Exception:",
                "            traceback.print_exc()",
                f"            again.append({at_text(identity.at, {identity.at.root: entry})})",
                f"    return {{{quoted(str(key.key))}: again}} if again else None",
            ]
        return "\n".join(lines) + "\n"

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
        draft = text.spliced(edits)
        try:
            used = Nodes(ast.parse(draft))
        except (SyntaxError, ValueError, BadInput):
            return None
        before = module.nodes.ids | module.nodes.exported | self._left_over(module)
        content, spans = text.edited([*editor.edits(used.ids | used.exported, before), *edits])
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
        told: set[tuple[str, str, int]] = set()
        for name, handler in self.handlers.items():
            shims: dict[str, None] = {}
            for key in sorted(self._reach([handler.key])):
                made = renderings.get(key)
                if made is None:
                    continue
                for code, node in made.notes:
                    line = getattr(node, "lineno", 0)
                    if (code, made.module.file, line) in told:
                        continue
                    told.add((code, made.module.file, line))
                    severity, reason, remedy = note(code, job.source.title, job.target.title)
                    place = Place(made.module.file, line, getattr(node, "col_offset", -1) + 1)
                    result.findings.append(Finding(code, severity, reason, remedy, place, name))
                for what, node in made.shims:
                    shims[f"{what or 'the whole event'} at line {getattr(node, 'lineno', 0)}"] = None
                    place = Place(made.module.file, getattr(node, "lineno", 0), getattr(node, "col_offset", -1) + 1)
                    if ("made-as-it-was", place.file, place.line) in told:
                        continue
                    told.add(("made-as-it-was", place.file, place.line))
                    told_of = what or "the whole event"
                    severity, reason, remedy = note("made-as-it-was", job.source.title, job.target.title, told_of)
                    result.findings.append(Finding("made-as-it-was", severity, reason, remedy, place, name))
            if shims:
                result.shims[name] = list(shims)
        result.sources = [*job.views.values(), *job.answer_views.values()]
        result.answers = any(one.module in job.brought for made in renderings.values() for one in made.imports)
        roots = {client.root for client in job.target.clients}
        result.services = any(one.module in roots for made in renderings.values() for one in made.imports)


def _own_returns(node: ast.AST) -> list[ast.Return]:
    found: list[ast.Return] = []
    stack: list[Any] = list(ast.iter_child_nodes(node))
    while stack:
        inner = stack.pop()
        if isinstance(inner, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda | ast.ClassDef):
            continue
        if isinstance(inner, ast.Return):
            found.append(inner)
        stack += ast.iter_child_nodes(inner)
    return found
