"""Handlers rewritten for the target, project by project: which can be, and what each file becomes."""

from __future__ import annotations

import ast
from collections import Counter
from collections.abc import Callable, Collection, Container, Iterable, Iterator, Mapping

from vast_ferry.hub.findings import BadInput, Finding, Place, Severity
from vast_ferry.hub.functions import Function as Declared
from vast_ferry.hub.kinds import is_request
from vast_ferry.hub.progress import Progress, quietly
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.moved import moved_files
from vast_ferry.translate.operations import ServiceCall
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.aliases import Aliases
from vast_ferry.translate.python.alive import loaded
from vast_ferry.translate.python.answers import changed_answers, settle_answers
from vast_ferry.translate.python.copies import copies, of_decorator, used_otherwise
from vast_ferry.translate.python.environment import uses_it
from vast_ferry.translate.python.files import Files
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.follow import follow
from vast_ferry.translate.python.functions import Function, Module
from vast_ferry.translate.python.hosted import stop_hosted
from vast_ferry.translate.python.job import Facts, Job
from vast_ferry.translate.python.nodes import Nodes
from vast_ferry.translate.python.raised import raised_by_anybody, stop_other_uses
from vast_ferry.translate.python.reach import Reach
from vast_ferry.translate.python.read_once import read_twice
from vast_ferry.translate.python.render import Rendering
from vast_ferry.translate.python.rewritten import Rewritten
from vast_ferry.translate.python.set_up import handling, methods_of, stop_used_classes
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.python.standing import Standing
from vast_ferry.translate.reasons import STOPS
from vast_ferry.translate.shapes import beyond_hand
from vast_ferry.translate.values import Batch, Class, Foreign, Func, Key, Stop

#: A function that can't be rewritten, why, and in which file that was found.
_Gone = tuple[Declared, Stop, Module | None]


def rewrite_whole(
    source: Profile,
    target: Profile,
    functions: Iterable[Declared],
    files: Mapping[str, bytes],
    *,
    module_name: str,
    limit: Callable[[Declared], float],
    trees: Mapping[str, Nodes] | None = None,
    wrapped: Mapping[str, Finding] | None = None,
    twice: bool = True,
    whole: Collection[str] = (),
    awaits: bool = False,
    apart: Collection[str] = (),
    progress: Progress = quietly,
) -> Rewritten:
    """Return a project's handlers, which take their events whole, rewritten as far as they can be followed.

    `trees` are those of the files that were read already; what is in `wrapped` stays as it is. Where helpers should
    stand `twice` first, for handlers that are wrapped share them with others, nothing but their `copies` comes back.
    Handlers that are named in `whole` get their event made as it was, at their first line. Where a target takes no
    coroutines, those that have to wait for something may do so (`awaits`) in an event loop of their own. Decorators
    that take over for handlers are rewritten where they stand; they stop those that are named in `apart`.
    """
    job = Job(source, target, module_name, limit, awaits=awaits)
    made = _Project(job, list(functions), files, trees or {}, progress, apart=apart)
    made.twice, made.result.wrapped, made.job.flow.whole = twice, dict(wrapped or {}), frozenset(whole)
    return made.made()


def reached_by(
    profile: Profile, functions: Iterable[Declared], files: Mapping[str, bytes]
) -> Iterator[tuple[str, Flow, list[Function]]]:
    """Yield each function's name, the flow of the project's code, and the functions that its handler reaches."""
    project = _Project(Job(profile, profile, "crossing", lambda declared: declared.timeout), list(functions), files)
    broken = project._read()
    for declared in project.functions:
        project._enter(declared, broken)
    follow(project.job.flow, project.reach.of([handler.key for handler in project.handlers.values()]))
    for name, handler in project.handlers.items():
        reached = sorted(project.reach.of([handler.key]))
        yield name, project.job.flow, [project.job.flow.functions[key] for key in reached]


def _methods_asked(functions: Iterable[Declared]) -> frozenset[str] | None:
    """Return the HTTP methods by which functions are called, in lower case; nothing if they may be any."""
    routes = [route for one in functions for route in one.routes]
    if not all(route.methods for route in routes):
        return None
    methods = {method.lower() for route in routes for method in route.methods}
    return frozenset(methods | ({"head"} if "get" in methods else set()))


class _Project:
    def __init__(
        self,
        job: Job,
        functions: list[Declared],
        files: Mapping[str, bytes],
        trees: Mapping[str, Nodes] | None = None,
        progress: Progress = quietly,
        *,
        apart: Collection[str] = (),
    ) -> None:
        self.job, self.functions, self.files, self.trees = job, functions, files, trees or {}
        self.twice = False
        self.progress = progress
        self.result = Rewritten()
        self.reach, self.aliases = Reach(self.job.flow), Aliases(self.job.flow)
        self.handlers: dict[str, Function] = {}  # by the name of the declared function
        self.standing = Standing(job, apart)
        self.kept_before: frozenset[Key] = frozenset()  # handlers that kept their content when last all was written

    def made(self) -> Rewritten:
        job = self.job
        broken = self._read()
        for declared in self.functions:
            if declared.name in self.result.wrapped:
                continue
            stop = self._enter(declared, broken)
            if stop is not None:
                self._wrap(declared, stop, None)
        if not self.handlers:
            return self.result
        self.progress(f"following {len(self.handlers)} handlers")
        follow(job.flow, self.reach.of([handler.key for handler in self.handlers.values()]))
        self.reach.forget()
        self._tell_methods()
        stop_used_classes(job.flow)
        stop_hosted(job.flow, job.source, job.target, list(self.handlers.values()))
        raised = [form.class_name for kind in job.source.kinds.values() for form in kind.answered.forms if form.raised]
        stop_other_uses(job.flow, raised)
        self._find_exact()
        self._know_calls()
        self._begin_facts()
        self._find_alone()
        self._take_out(self._stopped)
        self._answers_stand_twice()
        self._decide()
        if self.handlers and self.twice and self.result.copies is None:
            self.result.copies = changed_answers(job, self.handlers.values())
        settle_answers(job, self.handlers.values(), shared=self.reach.of(self._wrapped_keys()))
        while True:
            if not self.handlers or self.result.copies is not None:
                return self.result
            failed = self._write()
            if not failed:
                return self.result
            for declared, stop, module in failed:
                self._wrap(declared, stop, module)
            self._decide()

    def _tell_methods(self) -> None:
        """Tell which methods of the project's are asked where, in the text that was followed."""
        told = self.result.methods_asked
        told.content = {file: module.text.raw for file, module in self.job.flow.modules.items()}
        for file, node, key in self.job.flow.methods_asked.values():
            told.by_end.setdefault(file, {})[node.end_lineno or 0, node.end_col_offset or 0] = key
        told.read = {one.key for one in self.job.flow.functions.values() if one.read and not one.unseen}

    def _read(self) -> dict[str, str]:
        broken: dict[str, str] = {}
        for path, raw in self.files.items():
            if not path.endswith(".py"):
                continue
            try:
                text = PythonText(raw, path)
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
        self.job.flow.http_methods = _methods_asked(self.functions)
        return broken

    def _of_its_kind(self, declared: Declared, function: Function) -> Stop | None:
        """Return why no handler of a kind is rewritten between these two, if none is."""
        handler = self.job.source.model.handler
        kind = declared.kinds[0]
        if kind not in self.job.target.kinds or kind not in self.job.source.kinds:
            return Stop("no-kind", function.node, kind)
        for profile in (self.job.source, self.job.target):
            beyond = beyond_hand(profile.kinds[kind], read=profile is self.job.source)
            if beyond:
                return Stop("not-by-hand", function.node, f"{profile.title}: {beyond}")
        if anybody := raised_by_anybody(self.job.source, kind):
            return Stop("answer-raised-anywhere", function.node, ", ".join(anybody))
        if (
            handler.output
            and declared.bindings
            and function.parameters[:1] != [self.job.source.kinds[kind].event.handed_over[0]]
        ):
            return Stop("bindings", function.node)
        return None

    def _enter(self, declared: Declared, broken: Mapping[str, str]) -> Stop | None:
        file, name = declared.entry.file, declared.entry.name
        nowhere = ast.Module([], [])
        handler = self.job.source.model.handler
        if handler.script:
            return Stop("script", nowhere)
        if file in broken or file not in self.job.flow.modules:
            return Stop("unreadable", nowhere, broken.get(file, ""))
        if len(declared.kinds) != 1:
            return Stop("several-kinds", nowhere)
        if not declared.entry.importable and not moved_files(self.files, [declared]):
            return Stop("not-importable", nowhere)
        kind = declared.kinds[0]
        value = self.job.flow.modules[file].names.get(name)
        function = self.job.flow.functions.get(value.key) if isinstance(value, Func) else None
        if handler.output and any(b.way != "event" or b.form != "whole" for b in declared.bindings):
            missing = self._not_taken(declared, function) if function is not None else ""
            return Stop("takes-less", function.node, missing) if function and missing else Stop("bindings", nowhere)
        if isinstance(value, Class) and kind in self.job.source.kinds:
            function = handling(self.job.flow, value.key, self.job.source.kinds[kind])
        if function is None:
            return Stop("no-definition", nowhere, name)
        return self._of_its_kind(declared, function) or self._begin(declared, function, kind)

    def _not_taken(self, declared: Declared, function: Function) -> str:
        """Return what bindings name, or what is told of the call, that a handler has no parameter for."""
        shape = self.job.source.kinds[declared.kinds[0]].event
        told = [name for name in shape.handed_over if name not in shape.event_parameters]
        names = [one.name for one in declared.bindings] + told
        return ", ".join(one for one in names if one not in function.named and not function.node.args.kwarg)

    def _begin(self, declared: Declared, function: Function, kind: str) -> Stop | None:
        """Let the event enter a handler, and what stands before it."""
        others = {one.kinds[0] for one in self.job.declared.get(function.key, [])}
        if others and others != {kind}:
            return Stop("several-kinds", function.node)
        self.job.declared.setdefault(function.key, []).append(declared)
        self.handlers[declared.name] = function
        try:
            self.standing.put_before(function, kind, declared)
            if self.job.flow.taken_over(function) is not None:
                self.result.taken_over.add(declared.name)
            else:
                self.job.flow.enter(function.key, kind, declared.name)
        except Stop as stop:
            return stop
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
            reached = self.reach.of([handler.key])
            if reached.keys() & asks:
                self.job.exact |= reached.keys()

    def _kind(self, function: Function) -> str:
        declared = self.job.declared.get(function.key)
        if declared:
            return declared[0].kinds[0]
        values = [*function.params.values(), *map(self.job.flow.values.get, function.ops)]
        kinds = {value.kind for value in values if isinstance(value, (Spot, Batch)) and value.kind}
        if len(kinds) > 1 and function.stop is None:
            function.stop = Stop("several-kinds", function.node)
        if len(kinds) == 1:
            return kinds.pop()
        return self._kind(function.outer) if function.outer is not None else ""

    def _know_calls(self) -> None:
        for function in self.job.flow.functions.values():
            for caller, node in function.calls:
                self.job.called[id(node)] = function
                several = self.job.flow.either.get(id(node), ())
                others = (self.job.flow.functions[key] for key in several if key != function.key)
                self.job.others[id(node)] = tuple(others)
                if caller is not None:
                    caller.callees.setdefault(function.key)

    def _decide(self) -> None:
        """Take out, again and again, what can't be rewritten, and what shares code with what is wrapped."""
        self._take_out(lambda: self._stopped() or self._sharing())

    def _take_out(self, found: Callable[[], list[_Gone]]) -> None:
        while gone := found():
            for one in gone:
                self._wrap(*one)

    def _begin_facts(self) -> None:
        kinds: dict[Key, set[str]] = {}  # of the handlers that reach a function, which may know of the call alone
        for handler in self.handlers.values():
            for key in self.reach.of([handler.key]):
                kinds.setdefault(key, set()).add(self.job.declared[handler.key][0].kinds[0])
        for key, function in self.job.flow.functions.items():
            reached = kinds.get(key, set())
            self.job.facts[key] = Facts(self._kind(function) or ("".join(reached) if len(reached) == 1 else ""))

    def _find_alone(self) -> None:
        """Note the handlers that share no code that uses the event with another, and that no decorator stands before.

        The event can be made whole for those at their first line, without a difference to any other.
        """
        reached = {name: self.reach.of([handler.key]) for name, handler in self.handlers.items()}
        often = Counter(key for keys in reached.values() for key in keys)
        for name, keys in reached.items():
            handler = self.handlers[name]
            source = self.job.source.kinds[self.job.declared[handler.key][0].kinds[0]].event
            behind = handler.stands_behind is not None or handler.stands_before or handler.calls
            shared = any(often[key] > 1 and self._touched(self.job.flow.functions[key]) for key in keys)
            if not (behind or shared or source.told_by or source.levels):
                self.result.alone.add(name)

    def _answers_stand_twice(self) -> None:
        """Let helpers that make answers for rewritten handlers and for wrapped ones stand twice, where they can."""
        native = self.reach.of([handler.key for handler in self.handlers.values()])
        apart = self.reach.of(self._wrapped_keys()).keys() - native.keys()
        if apart and self.handlers and self.twice and self.result.copies is None:
            settle_answers(self.job, self.handlers.values(), apart=apart)
            self._sharing()
            self._begin_facts()

    def _stopped(self) -> list[_Gone]:
        """Return the functions whose handlers reach what can't be followed."""
        flow, by_name = self.job.flow, {declared.name: declared for declared in self.functions}
        gone: list[_Gone] = []
        reaches = {name: self.reach.of([handler.key]) for name, handler in self.handlers.items()}
        known = set().union(*reaches.values(), self.reach.of(self._wrapped_keys()))
        # Nobody is known to call these, but they may run, with whatever is handed over unseen.
        unseen = [one for one in map(flow.functions.__getitem__, flow.alive) if one.a_value or one.key not in known]
        hidden = {one.key: stop for one in unseen if (stop := one.stop or self._not_as_it_is(one))}
        for name, handler in self.handlers.items():
            reached = [flow.functions[key] for key in sorted(reaches[name])]
            files = loaded(flow, [handler.key[0]]) if hidden else {}
            stops = [(one.stop, one.module) for one in reached if one.stop]
            mine = [key for key in hidden if key[0] in files and key not in reaches[name]]
            mine = [key for key in mine if key not in known or self._called_unseen(flow.functions[key], files)]
            stops += [(hidden[key], flow.modules[key[0]]) for key in mine]
            reached += [flow.functions[key] for key in mine]
            stops += self._changed(reached)
            stops += [(one.module.stop, one.module) for one in reached if one.module.stop]
            if stops:
                gone.append((by_name[name], *stops[0]))
        return gone

    def _called_unseen(self, function: Function, files: Container[str]) -> bool:
        """Tell whether code in some files may call a function that is a value, where nobody sees what it calls."""
        unseen = self.job.flow.called_unseen
        return any(file in files for name in (function.node.name, "") for file in unseen.get(name, ()))

    def _not_as_it_is(self, function: Function) -> Stop | None:
        """Return why a function that nobody is known to call can't run at the target as it stands, if it can't."""
        flow = self.job.flow
        for node in function.ops:
            op = flow.ops.get(node)
            if isinstance(op, ServiceCall) and not flow.keeps_client(op.client.called):
                return Stop("service-unseen", op.call, function.node.name)
        if self.job.asks_elsewhere and uses_it(flow, function.module, function.nodes.all):
            return Stop("setting-elsewhere", function.node)
        return None

    def _changed(self, reached: list[Function]) -> list[tuple[Stop, Module]]:
        """Return where a handler may change something of its event that was lost from sight (`aliases.py`)."""
        if not any(self.aliases.loose(one) for one in reached):
            return []
        found = [(one, self.aliases.changed(one)) for one in reached]
        return [(Stop("event-changed", node), one.module) for one, node in found if node is not None]

    def _sharing(self) -> list[_Gone]:
        """Return the functions whose handlers share code with those that are wrapped, unless it can stand twice."""
        flow, by_name = self.job.flow, {declared.name: declared for declared in self.functions}
        wrapped = self.reach.of(self._wrapped_keys())
        gone: list[_Gone] = []
        for name, handler in self.handlers.items():
            reached = self.reach.of([handler.key])
            shared = sorted(key for key in reached.keys() & wrapped.keys() if self._touched(flow.functions[key]))
            if shared:
                function = flow.functions[shared[0]]
                gone.append((by_name[name], Stop("shares", function.node, function.node.name), function.module))
        return [] if gone and (self.result.copies or self._stand_twice(wrapped)) else gone

    def _stand_twice(self, wrapped: Mapping[Key, None]) -> bool:
        """Tell whether helpers that wrapped handlers share with others can stand twice; how is noted."""
        native = self.reach.of([handler.key for handler in self.handlers.values()])
        shared = [key for key in native if key in wrapped and self._touched(self.job.flow.functions[key])]
        self.result.copies = copies(self.job.flow, shared, wrapped, native) if self.twice else None
        return self.result.copies is not None

    def _wrapped_keys(self) -> list[Key]:
        gone = [one.entry for one in self.functions if one.name in self.result.wrapped]
        methods = [key for entry in gone for key in methods_of(self.job.flow, (entry.file, entry.name))]
        return [*((entry.file, entry.name) for entry in gone), *methods]

    def _touched(self, function: Function) -> bool:
        """Tell whether a function is written otherwise at the target."""
        flow = self.job.flow
        own = any(id_ in flow.ops or isinstance(flow.values.get(id_), Foreign) for id_ in function.ops)
        own = own or bool(function.places)
        facts = self.job.facts.get(function.key)
        own = own or (isinstance(function.node, ast.AsyncFunctionDef) and not self.job.asynchronous)
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
            remedy.format(stop.why),
            Place(place.file, place.line, column if place.line else 0),
            declared.name,
        )

    def _note_served(self, by_name: Mapping[str, Declared]) -> None:
        """Note what is declared with the handlers that reach each function."""
        self.job.served = {}
        for name, handler in self.handlers.items():
            for key in self.reach.of([handler.key]):
                self.job.served.setdefault(key, []).append(by_name[name])

    def _write(self) -> list[tuple[Declared, Stop, Module]]:
        """Write every file; return the functions for which that could not be done."""
        job, flow = self.job, self.job.flow
        by_name = {declared.name: declared for declared in self.functions}
        wrapped = self.reach.of(self._wrapped_keys())
        self._note_served(by_name)
        reached = self.reach.of([handler.key for handler in self.handlers.values()])
        native = [
            flow.functions[key] for key in sorted(reached.keys() - wrapped.keys()) if flow.functions[key].outer is None
        ]
        for _ in range(12):
            job.changed, self.kept_before = False, frozenset(job.again)
            job.batches, job.adapters, job.needed, job.small, job.replies_held = {}, {}, {}, {}, {}
            job.set_ups, job.reads_once, job.makes_afresh, job.makes_objects = {}, {}, {}, {}
            job.views, job.answer_views = {}, {}
            renderings: dict[Key, Rendering] = {}
            for done, function in enumerate(native, 1):
                self.progress(f"{done} of {len(native)} functions written anew")
                made = Rendering.of(job, function)
                stop = self._written(made, function) or self._stands_before_others(made, function)
                if self.result.copies is not None:
                    return []
                if stop is None:
                    renderings[function.key] = made
                    continue
                function.stop = stop
                failed = self._not_kept(self._affected(function, by_name, stop), unwritten=True)
                if failed:
                    return failed
                if stop.code == "content-read-twice":  # it is written again, with its content kept
                    function.stop = None
            job.agree()
            if job.changed:
                continue
            twice = read_twice(flow, job.reads_once, job.every_called, reached)
            twice |= read_twice(flow, job.makes_afresh, job.every_called, reached, "made-at-each-read")
            twice |= read_twice(flow, job.makes_objects, job.every_called, reached, "object-made-twice")
            gone = [one for key, stop in twice.items() for one in self._affected(flow.functions[key], by_name, stop)]
            gone = self._not_kept(gone)
            if gone:
                return gone
            if not job.changed:
                return Files(job, self.result, self.handlers, self.reach).write(renderings, wrapped, by_name)
        # What one function needs changes what another does, and so on without end: none of them is safe to write.
        modules = {name: handler.module for name, handler in self.handlers.items()}
        return [
            (by_name[name], Stop("too-entangled", handler.node), modules[name])
            for name, handler in self.handlers.items()
        ]

    def _stands_before_others(self, made: Rendering, function: Function) -> Stop | None:
        """Return why a decorator can't be written otherwise: it stands before more than rewritten handlers.

        Where the others can have one of their own, as it was, it stands twice (`Copies`).
        """
        if function.key not in self.standing.decorators or not made.edits:
            return None
        handlers = {handler.key for handler in self.handlers.values()}
        if used_otherwise(self.job.flow, function.key, handlers) == []:
            return None
        if self.twice:
            self.result.copies = of_decorator(self.job.flow, function.key, handlers)
        return Stop("shares", function.node, function.node.name)

    @staticmethod
    def _written(made: Rendering, function: Function) -> Stop | None:
        """Write a function; return why that could not be done, if it could not."""
        try:
            made.write()
        except Stop as stop:
            if stop.node is not None and not hasattr(stop.node, "lineno"):
                stop.node = function.node
            return stop
        except (RecursionError, AssertionError, AttributeError, KeyError, TypeError, ValueError) as error:
            # A mistake of ours must not keep a project from being carried.
            return Stop("could-not-write", function.node, f"{type(error).__name__}: {error}")
        return None

    def _not_kept(
        self, gone: Iterable[tuple[Declared, Stop, Module]], *, unwritten: bool = False
    ) -> list[tuple[Declared, Stop, Module]]:
        """Return those of the handlers that can't be written which can't be helped.

        One that reads content twice, which can be read once, keeps it where the target's can be put back: all is
        written again then.
        """
        job, left = self.job, []
        for one in gone:
            first = self._first_called(self.handlers[one[0].name])
            key, kind = first.key, job.facts[first.key].kind
            again = is_request(kind) and any(row.lens.again for row in job.target.kinds[kind].event.rows)
            again = again and not first.whatever  # which has no name for it
            # What could not be written though its content was kept is not written at all.
            if one[1].code != "content-read-twice" or not again or (unwritten and key in self.kept_before):
                left.append(one)
            elif key not in job.again:
                job.again.add(key)
                job.changed = True
        if job.changed:
            firsts = [(handler, self._first_called(handler)) for handler in self.handlers.values()]
            others = [handler.key for handler, first in firsts if first.key not in job.again]
            job.kept = frozenset(self.reach.of(sorted(job.again))) - frozenset(self.reach.of(others))
        return left

    def _first_called(self, handler: Function) -> Function:
        """Return what the provider calls: the handler, or the outermost of the decorators that stand before it."""
        while handler.stands_behind is not None:
            handler = self.job.flow.functions[handler.stands_behind]
        return handler

    def _affected(
        self, function: Function, by_name: Mapping[str, Declared], stop: Stop
    ) -> list[tuple[Declared, Stop, Module]]:
        return [
            (by_name[name], stop, function.module)
            for name, handler in self.handlers.items()
            if function.key in self.reach.of([handler.key])
        ]
