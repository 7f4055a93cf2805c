"""One project on its way from one provider to another: what all its functions share while they are written."""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping, Set
from dataclasses import dataclass, field, replace

from vast_ferry.hub.functions import Function as Declared
from vast_ferry.hub.kinds import REQUEST, is_request
from vast_ferry.mapping import expressions as ex
from vast_ferry.mapping.batch_made import OF_BATCHES, CannotMake, answer_batch, make_batch, settle_batch, tell_batch
from vast_ferry.mapping.by_functions import read_by_functions, written_by_hand
from vast_ferry.mapping.by_hand import ByHand
from vast_ferry.mapping.clients import Client
from vast_ferry.mapping.compile.functions import Source, lens_source, lens_writer, translate_reply, view_place
from vast_ferry.mapping.compile.reading import reading_of
from vast_ferry.mapping.compile.writing import CannotWrite
from vast_ferry.mapping.emit import beside_source, run_source, stands_alone
from vast_ferry.mapping.helpers import route_to_style
from vast_ferry.mapping.inline import Inline, native_value
from vast_ferry.mapping.lenses.lens import Lens, LensError
from vast_ferry.mapping.lenses.text import RouteStyle
from vast_ferry.mapping.places import Access, Call, Item, Step
from vast_ferry.mapping.places import Function as ByFunction
from vast_ferry.mapping.python import docstring
from vast_ferry.mapping.tables import HUB_DONE, NOTHING_TO_SAY, EventShape, Kind, ReplyShape, Row
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.environment import keeps_elsewhere
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import Function, Module
from vast_ferry.translate.python.imports import Import, parse_import, qualified
from vast_ferry.translate.values import Key, Stop


@dataclass(slots=True)
class Facts:
    """What is known of a function at the target: its parameters there, whether it awaits, whether it makes answers."""

    kind: str
    needs: dict[str, None] = field(default_factory=dict)
    awaits: bool = False
    answers: bool = False
    asked: bool = False  # callers ask whether it gave an answer: None stays None


class Job:
    """One project on its way from one provider to another."""

    def __init__(
        self,
        source: Profile,
        target: Profile,
        module_name: str,
        limit: Callable[[Declared], float],
        *,
        awaits: bool = False,
    ) -> None:
        self.source, self.target, self.module_name = source, target, module_name
        self.limit = limit
        self.flow = Flow(source, target)
        self.target_awaits = target.model.handler.asynchronous  # what handlers give
        self.asynchronous = self.target_awaits or awaits  # functions may await, in a loop of the handler's own
        self.facts: dict[Key, Facts] = {}
        self.called: dict[int, Function] = {}
        self.others: dict[int, tuple[Function, ...]] = {}  # what else a call may call: all of them are written alike
        self.changed = False
        self.batches: dict[Key, tuple[Function, list[str]]] = {}
        self.reads_once: dict[Key, list[ast.AST]] = {}  # where functions read content that can be read once
        self.makes_afresh: dict[Key, list[ast.AST]] = {}  # where functions make what the target never gives
        self.makes_objects: dict[Key, list[ast.AST]] = {}  # where they make what is equal to itself alone
        self.set_ups: dict[Key, tuple[Function, list[str]]] = {}  # methods that handle events, and what they take there
        self.again: set[Key] = set()  # handlers that read content several times which can be read once
        self.kept: frozenset[Key] = frozenset()  # the functions that only such handlers reach
        self.views: dict[str, Source] = {}
        self.answer_views: dict[str, Source] = {}
        self.adapters: dict[str, dict[str, str]] = {}
        self.needed: dict[str, dict[str, set[Import]]] = {}  # imports of what stands beside, by file and name
        self.small: dict[str, set[str]] = {}  # small functions by name: in which files they stand
        self.asks_elsewhere = keeps_elsewhere(target)
        self.any_kind = next(kind for kind in source.kinds if kind in target.kinds)
        self.declared: dict[Key, list[Declared]] = {}
        self.served: dict[Key, list[Declared]] = {}  # of functions, by the handlers that reach them
        self._inlines: dict[str, Inline] = {}
        self.flow.whole_there = self._has_whole
        self._shapes: dict[str, EventShape] = {}
        self._placed: dict[tuple[str, str, tuple[Step, ...]], str] = {}  # place of the source → what gives it is called
        self._readers: dict[str, Source] = {}  # functions that read what no expression reaches
        self.exact: set[Key] = set()  # functions where content must be just as it was, for something asks of what form
        self._names: dict[Key, dict[str, str]] = {}
        self._handed: dict[Key, dict[str, str]] = {}
        self.replies_held: dict[tuple[Key, str], str] = {}
        self._nothing_again: dict[str, str] = {}  # by kind, what says that nothing shall come again
        self.keys_held: dict[tuple[Key, str], tuple[set[str], set[str]]] = {}

    # --- what renderings ask ---

    @property
    def brought(self) -> set[str]:
        """Return the modules that come along with answers written by hand."""
        by_hand = [kind.answered.by_hand for kind in self.target.kinds.values()]
        return {one.form.class_name.rpartition(".")[0] for one in by_hand if one is not None}

    def inline(self, kind: str) -> Inline:
        """Return what reads the target's shape of a kind."""
        if kind not in self._inlines:
            self._inlines[kind] = Inline.of(self.shape(kind))
        return self._inlines[kind]

    def _has_whole(self, spot: Spot) -> bool:
        """Tell whether the target has what stands at a place: without a function that makes it as it was."""
        row = self.flow.shape(spot).row(spot.role, spot.steps)
        return (
            row is None or spot.kind not in self.target.kinds or native_value(row, self.inline(spot.kind)) is not None
        )

    def shape(self, kind: str) -> EventShape:
        """Return the target's shape of a kind as handlers see it: what no expression reaches is a function's."""
        if kind not in self._shapes:
            self._shapes[kind], made = read_by_functions(self.target.kinds[kind].event, self.module_name)
            self._readers |= made
        return self._shapes[kind]

    def answered(self, kind: str) -> ReplyShape:
        """Return how handlers answer at the target, as they write it."""
        shape = self.target.kinds[kind].answered
        return written_by_hand(shape) or shape

    def functions_in(self, at: Access) -> set[Import]:
        """Return the imports of the emitted functions that a place is read by; they come along from now on."""
        names = [step.name for step in at.steps if isinstance(step, ByFunction) and self.reader(step.name)]
        return {Import(self.module_name, name) for name in names}

    def reader(self, name: str) -> Source | None:
        """Return an emitted function that reads a field, which comes along from now on."""
        if name in self._readers:
            self.views[name] = self._readers[name]
        return self._readers.get(name)

    def keep_names(self, function: Function, names: dict[str, str], handed: dict[str, str]) -> None:
        """Note under which names a function that is being written knows what it is handed, and what it has to be."""
        self._names[function.key], self._handed[function.key] = names, handed

    def handed_to(self, function: Function) -> Mapping[str, str]:
        """Return what a function that was written calls the target's parameters."""
        return self._handed.get(function.key, {})

    def names_of(self, function: Function) -> Mapping[str, str]:
        """Return under which names a function that was written knows what it is handed."""
        return self._names.get(function.key, {})

    def again_key(self, kind: str) -> str:
        """Return the key under which an answer at the source names events that shall come again."""
        for form in self.source.kinds[kind].answered.forms:
            for row in form.rows:
                if row.field == "again" and row.at.steps and isinstance(row.at.steps[-1], Item):
                    return str(row.at.steps[-1].key)
        return ""

    def every_called(self, node: ast.AST | None) -> tuple[Function, ...]:
        """Return the functions of the project of which a call calls one; none where it calls something else."""
        first = self.called.get(id(node))
        return () if first is None else (first, *self.others.get(id(node), ()))

    def agree(self) -> None:
        """Let functions of which a call calls one take the same parameters, and all wait where one does."""
        for node, others in self.others.items():
            alike = [self.facts[one.key] for one in (self.called[node], *others)]
            needs = {name: None for facts in alike for name in facts.needs}
            awaits = any(facts.awaits for facts in alike)
            for facts in alike:
                if list(facts.needs) != list(needs) or facts.awaits != awaits:
                    facts.needs, facts.awaits, self.changed = dict(needs), awaits, True

    def makes_answers(self, function: Function) -> bool:
        """Tell whether all that a function returns is answers."""
        facts = self.facts.get(function.key)
        return facts is not None and facts.answers

    def parameter_name(self, function: Function, name: str) -> str:
        """Return what a parameter that was added is called."""
        return self.handed_to(function).get(name, name)

    def is_said(self, kind: str, field: str) -> bool:
        """Tell whether the target says a field, in whatever form."""
        return reading_of(self.target.kinds[kind].event).find(field) is not None

    def fresh(self, name: str) -> ByHand | None:
        """Return what is made afresh where the target has none."""
        if name == "id":
            return ByHand(ex.Attribute(ex.standard("uuid.uuid4", whole=True), "hex"), "str")
        if name == "time":
            utc = ex.Attribute(ex.Standard("datetime", "timezone"), "utc")
            now = ex.method(ex.Standard("datetime", "datetime"), "now", utc)
            told = ex.method(now, "isoformat", timespec=ex.Literal("milliseconds"))
            return ByHand(ex.method(told, "replace", ex.Literal("+00:00"), ex.Literal("Z")), "str")
        return None

    def declared_for(self, function: Function | None) -> list[Declared]:
        """Return what is declared with a handler, or with all handlers that reach a helper; else all there is."""
        known = self.declared.get(function.key) or self.served.get(function.key) if function is not None else None
        return known or [one for several in self.declared.values() for one in several]

    def limit_of(self, function: Function | None, node: ast.AST) -> float:
        """Return how long a function runs at most; it has one limit where its handler is that of one function."""
        limits = {self.limit(one) for one in self.declared_for(function)}
        if len(limits) != 1:
            raise Stop("no-time-left", node)
        return limits.pop()

    def secrets_of(self, function: Function | None) -> Set[str]:
        """Return the names of the secrets that a function may read, or any of the project where it is no handler."""
        return {name for one in self.declared_for(function) for name in one.secrets}

    def only_route(self, function: Function | None) -> str:
        """Return a handler's only route; empty where it has several, or none."""
        routes = {trigger.route for one in self.declared_for(function) for trigger in one.routes}
        return routes.pop() if len(routes) == 1 else ""

    def route(self, function: Function | None, row: Row) -> ByHand | None:
        """Return a handler's only route as the source spells it."""
        route = self.only_route(function)
        if not route or not (row.lens.plain or isinstance(row.lens, RouteStyle)):
            return None
        return ByHand(ex.Literal(route if row.lens.plain else route_to_style(route, *row.lens.args)), "str")

    def view(self, kind: str, role: str, steps: tuple[Step, ...], node: ast.AST) -> Source:
        """Return the emitted function that makes what stands at a place of the source's event."""
        shape = self.source.kinds[kind].event
        words = [str(getattr(step, "key", getattr(step, "name", ""))) for step in steps if not isinstance(step, Call)]
        words = [*([role] if role not in ("event", "entry") else []), *words] or ["event"]
        name = "".join(c if c.isalnum() else "_" for c in "_".join([kind, *words]))
        if words[-1] in OF_BATCHES and len(words) == 1:
            name += "_held"  # what answers a batch, or makes one, has that name
        key, taken = (kind, role, steps), {other: one for one, other in self._placed.items()}
        while taken.get(name, key) != key:
            name += "_"  # two places may be called alike but for their punctuation
        if name in self.views:
            return self.views[name]
        self._placed[key] = name
        own = shape.event_parameters[0]
        if role == "event" and shape.each is not None:
            raise Stop("batch-escapes", node)
        root = own if role in ("event", "entry") else role
        if role == "context":
            root = next(name for name in shape.parameters if name not in shape.event_parameters)
        about = f"Return what {self.source.title} hands over as `{Access(root, steps)}`."
        try:
            made = view_place(name, self.target.kinds[kind].event, shape, Access(root, steps), about)
            known = {one: text for view in self.views.values() for one, text in view.classes.items()}
            if any(known.get(one, text) != text for one, text in made.classes.items()):
                made = view_place(name, self.target.kinds[kind].event, shape, Access(root, steps), about, apart=True)
            self.views[name] = made
        except (CannotWrite, StopIteration):
            raise Stop("no-such-field", node, str(Access(root, steps))) from None
        return self.views[name]

    def batch_view(self, kind: str, node: ast.AST) -> Source:
        """Return the emitted function that makes the source's batch of what the target hands over."""
        about = f"Return the batch as {self.source.title} hands it over."
        return self._of_batches(make_batch, kind, about, node)

    def writer_view(self, kind: str) -> Source:
        """Return the emitted function that makes what the source's handlers answer through."""
        writer = self.source.kinds[kind].answered.writer
        assert writer is not None
        name = f"{kind}_{writer.name}"
        text = f"def {name}():\n    {docstring('Return what a handler answers through.')}\n    return {writer.made()}"
        errors = [error.rpartition(".") for error in writer.errors]
        imports = tuple(f"from {module} import {error}" for module, _, error in errors)
        self.views[name] = Source(name, text, imports=imports)
        return self.views[name]

    def told_view(self, kind: str, node: ast.AST) -> Source:
        """Return the emitted function that calls a handler with the source's batch, and asks how each event went."""
        about = f"Answer with what a handler says of each event of the batch that {self.source.title} hands over."
        return self._of_batches(tell_batch, kind, about, node)

    def settle_view(self, kind: str, node: ast.AST) -> Source:
        """Return the emitted function that answers with what a handler of the source's batches returned."""
        return self._of_batches(settle_batch, kind, "Answer with what the handler returned.", node)

    def again_view(self, kind: str) -> Source:
        """Return the emitted function that answers the target with the ids of what shall come again."""
        made = answer_batch(self.target.kinds[kind], "Answer with the ids of what shall come again.")
        self.views |= {one.name: one for one in made}
        return made[-1]

    def _of_batches(
        self, make: Callable[[Kind, Kind, str], list[Source]], kind: str, about: str, node: ast.AST
    ) -> Source:
        try:
            made = make(self.source.kinds[kind], self.target.kinds[kind], about)
        except (CannotMake, CannotWrite):
            raise Stop("batch-escapes", node) from None
        self.views |= {one.name: one for one in made}
        return made[-1]

    def answer_view(self, kind: str) -> str:
        """Return the name of the emitted function that answers with what the original's handler returned."""
        if is_request(kind):
            shape = self.target.kinds[REQUEST].answered
            if shape.by_hand is not None:
                by_hand = replace(shape.by_hand.form, when="object", written=True)
                shape = ReplyShape((by_hand,), fields=shape.fields, rules=shape.rules)
            elif shape.callback or shape.via:
                raise Stop("reply-unknown", ast.Module([], []))
            source = translate_reply(
                "answer_with", self.source.kinds[REQUEST].answered, shape, "Answer with what the handler returned."
            )
            self.answer_views["answer_with"] = source
            return "answer_with"
        name = f"settle_{kind}"
        answered = self.source.kinds[kind].answered
        source = translate_reply(f"{name}_done", answered, HUB_DONE, "Return what a handler's answer says.")
        self.answer_views[f"{name}_done"] = source
        text = (
            f"def {name}(returned):\n    {docstring('Raise where an answer says that events shall come again.')}\n"
            f"    settled({name}_done(returned))"
        )
        self.answer_views[name] = Source(name, text)
        return name

    def nothing_again(self, kind: str) -> str:
        """Return what says at the target that nothing shall come again, as source; empty where None says so."""
        shape = self.target.kinds[kind].answered
        if shape is NOTHING_TO_SAY or kind == "call" or any(one.when in ("nothing", "always") for one in shape.forms):
            return ""
        if kind not in self._nothing_again:
            try:
                said = run_source(translate_reply("said", HUB_DONE, shape))({"again": [], "value": None})
                self._nothing_again[kind] = repr(ast.literal_eval(repr(said)))
            except Exception:  # an object of the target's, or what only an event tells
                raise Stop("reply-unknown", ast.Module([], [])) from None
        return self._nothing_again[kind]

    def beside(self, module: Module, name: str) -> str:
        """Return the name under which a small function stands in a module, which gets it."""
        made, own = beside_source(name), name
        while own in module.names:
            own += "_"
        wanted = {one for line in made.imports for one in parse_import(line)}
        taken = {one.bound for one in wanted if module.means_otherwise(one.bound, f"{one.module}.{one.name}")}
        text, needed = qualified(made.text, wanted, taken)
        self.adapters.setdefault(module.file, {})[own] = text.replace(f"def {name}(", f"def {own}(")
        self.needed.setdefault(module.file, {})[own] = set(needed)
        if own == name and stands_alone(name):
            self.small.setdefault(name, set()).add(module.file)
        return own

    def share(self) -> list[Source]:
        """Return the small functions that stand in several files: they stand once, in the module that all share."""
        shared = []
        for name, files in sorted(self.small.items()):
            if len(files) > 1:
                made = beside_source(name)
                shared.append(Source(name, made.text.rstrip(), imports=tuple(sorted(made.imports))))
                for file in files:
                    del self.adapters[file][name]
                    self.needed[file][name] = {Import(self.module_name, name)}
        return shared

    def lens_view(self, name: str, lens: Lens, node: ast.AST, *, writes: bool = False) -> Source:
        """Return the emitted function that takes a value out of a form, or `writes` it in one."""
        known = {one: view for one, view in self.views.items() if one.startswith(name)}
        made = None
        for number in range(len(known) + 1):
            own = f"{name}_{number + 1}" if number else name
            try:
                made = (lens_writer if writes else lens_source)(own, lens)
            except (LensError, NotImplementedError):
                raise Stop("argument-form", node, name) from None
            if known.get(own, made) == made:  # another form of the same field has another name
                break
        assert made is not None
        self.views[made.name] = made
        return made

    def reading_adapter(self, module: Module, ours: Client, theirs: Client, parameters: list[str], read: str) -> str:
        """Return the name of a small function that reads step by step, and tells of nothing as the original is told."""
        what = ours.operation.partition(".")[0]
        told = parameters[-1] if parameters else ""
        failed = "return None" if ours.absent == "none" else f"raise {ours.absent}({told}) from None"
        lines = ["try:", f"    return {read}", f"except {theirs.absent}:", f"    {failed}"]
        if theirs.absent == "none":
            raise Stop("steps-at-target", module.tree, theirs.called)
        otherwise = "None" if ours.absent == "none" else f"raise {ours.absent}"
        about = docstring(f"Return {_a(what)}, or {otherwise} where there is none.")
        body = "".join(f"    {line}\n" for line in [about, *lines])
        held = self.adapters.setdefault(module.file, {})
        taken = {*module.names, *module.nodes.named}
        name, rest = f"read_{what}", f"({', '.join(parameters)}):\n{body}"
        while name in taken or held.get(name, f"def {name}{rest}") != f"def {name}{rest}":
            name += "_"  # another call of the same operation may be given less, or read elsewhere
        held[name] = f"def {name}{rest}"
        self.needed.setdefault(module.file, {})[name] = {Import(theirs.root)}
        return name

    def adapter(self, module: Module, ours: Client, theirs: Client, called: str) -> str:
        """Return the name of a small function in a module that reads as the original's client does where nothing is."""
        what, verb = ours.operation.split(".")
        name = f"{'read' if verb == 'read' else verb}_{what}"
        while name in module.names:
            name += "_"
        host = theirs.root if theirs.root in self.target.hosts else ""
        taken = {called.partition(".")[0], host, "found"}  # `store.get(store, name)` would ask the text `store`
        named = [parameter.partition("=")[0] for parameter in theirs.takes]
        parameters = [f"{one}_" if one in taken else one for one in named]
        given = ", ".join([*([host] if host else []), *parameters])
        word, wait = ("async def", "await ") if theirs.awaited else ("def", "")
        call = f"{wait}{called}({', '.join(parameters)})"
        told = parameters[-1]
        if theirs.absent == "none":
            lines = ["found = " + call, "if found is None:", f"    raise {ours.absent}({told})", "return found"]
            about = f"Return {_a(what)}, or raise {ours.absent} where there is none."
        else:
            failed = "return None" if ours.absent == "none" else f"raise {ours.absent}({told}) from None"
            lines = ["try:", f"    return {call}", f"except {theirs.absent}:", f"    {failed}"]
            otherwise = "None" if ours.absent == "none" else f"raise {ours.absent}"
            about = f"Return {_a(what)}, or {otherwise} where there is none."
        body = "".join(f"    {line}\n" for line in lines)
        text = f"{word} {name}({given}):\n    {docstring(about)}\n{body}"
        self.adapters.setdefault(module.file, {})[name] = text
        return name


def _a(what: str) -> str:
    return f"{'an' if what[0] in 'aeiou' else 'a'} {what}{chr(39) + 's content' if what == 'object' else ''}"
