"""Which handlers in JavaScript are rewritten where they stand, and what their files become.

A handler takes what the target hands over, reads it where it stood before (`follow`), and gives its answers through one
emitted function where the target wants them in another form. What can't be seen through is wrapped: a stop says why.
"""

from __future__ import annotations

import contextlib
import functools
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import TypeVar

from vast_ferry.documents.javascript_file import JavaScriptFile, linked_file, parsed
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity
from vast_ferry.hub.functions import Entry, Function
from vast_ferry.mapping.javascript.functions import Source, Takes, there
from vast_ferry.mapping.javascript.writing import NoTwin
from vast_ferry.mapping.tables import Kind
from vast_ferry.profiles.javascript import module_names
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.javascript.answer_helpers import AnswerHelper, give, layers_of
from vast_ferry.translate.javascript.answering import Answering, Called, PartTold, Project
from vast_ferry.translate.javascript.around import Chain, Layer, Way
from vast_ferry.translate.javascript.edits import Edit, Overlapping, applied
from vast_ferry.translate.javascript.follow import Emitted
from vast_ferry.translate.javascript.handlers import (
    handed_over,
    handler_of,
    not_turned,
)
from vast_ferry.translate.javascript.left_imports import without_unused
from vast_ferry.translate.javascript.linked import Linked
from vast_ferry.translate.javascript.part_helpers import PartHelper
from vast_ferry.translate.javascript.scopes import Scopes
from vast_ferry.translate.javascript.shared import Around, Variant
from vast_ferry.translate.javascript.signature import Handler, renamed_parameters
from vast_ferry.translate.javascript.stops import Clash, Inside, Stop
from vast_ferry.translate.javascript.values import in_try

SomeHandler = TypeVar("SomeHandler", bound=Handler)
SomeHelper = TypeVar("SomeHelper", bound=AnswerHelper)


@dataclass(slots=True)
class Rewritten:
    """What came of rewriting: edits by file, functions that the files import, entries, findings."""

    edits: dict[str, list[Edit]] = field(default_factory=dict)
    emitted: dict[str, Source] = field(default_factory=dict)  # by name, in the module that all share
    helpers: set[str] = field(default_factory=set)
    imports: dict[str, list[str]] = field(default_factory=dict)  # file → names that it imports from there
    entries: dict[str, Entry] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)
    stopped: dict[str, Finding] = field(default_factory=dict)


@dataclass(slots=True)
class Native:
    """One rewriting of a project's handlers, from one provider's surface to another's."""

    source: Profile
    target: Profile
    files: Mapping[str, JavaScriptFile]
    takes: Takes
    limit_of: Callable[[Function], float]
    made: Rewritten = field(default_factory=Rewritten)
    _scopes: dict[str, Scopes] = field(default_factory=dict)
    emitted: Emitted = field(default_factory=Emitted)
    around: Around = field(init=False)
    _working: list[int] = field(default_factory=list)  # the functions that are being rewritten for a call
    _entries: set[str] = field(default_factory=set)  # the files that export handlers
    _read_around: dict[tuple[str, tuple[Edit, ...]], str] = field(default_factory=dict)
    function_of: Linked = field(init=False)

    def __post_init__(self) -> None:
        self.around = Around(self.files, self._scopes_of)
        self.function_of = Linked(self.files, self._scopes_of)

    def rewrite(self, functions: list[Function]) -> Rewritten:
        """Return what becomes of the handlers."""
        self._entries = {one.entry.file for one in functions}
        stands: dict[str, list[Layer]] = {}
        for one in functions:
            with self._told_of(one):
                stands[one.name] = self._layers_of(one)
        inmost = [one[-1] for one in stands.values()]
        shared = Counter((one.stands.file.path, one.stands.node.start_byte) for one in inmost if one.is_handler)
        made: dict[str, list[tuple[Function, list[Handler]]]] = {}  # by file
        for one in functions:
            with self._told_of(one):
                if (layers := stands.get(one.name)) is not None:
                    found = layers[-1].stands
                    if shared[found.file.path, found.node.start_byte] > 1:
                        raise Stop("its handler is that of another function too")
                    made.setdefault(found.file.path, []).append((one, self._function(one, layers)))
        for path, theirs in made.items():
            self._taken(path, theirs)
        for path, edit in self.around.edits(self.made.edits):
            self.made.edits.setdefault(path, []).append(edit)
        for path, edits in self.made.edits.items():
            if (file := self.files.get(path)) is not None:
                self.made.edits[path] = [*edits, *without_unused(file, self._scopes_of(file), edits, self.files)]
        return self.made

    def _layers_of(self, one: Function) -> list[Layer]:
        """Return a function's handler, behind the functions around it."""
        found = handler_of(one.entry, self.files, self._scopes_of)
        if len(one.kinds) != 1:
            raise Stop("it is called with events of several kinds")
        kind = self.source.kind(one.kinds[0])
        return Chain(self.function_of, len(handed_over(kind))).layers(found)

    @contextlib.contextmanager
    def _told_of(self, one: Function) -> Iterator[None]:
        """Take note of why a function's handler is not rewritten, where it is not."""
        try:
            yield
        except (Stop, NoTwin) as error:
            node = getattr(error, "node", None)
            known = node is not None and one.entry.file in self.files
            place = self.files[one.entry.file].place(node) if known else one.place
            self.made.stopped[one.name] = _finding(one, str(error), place, self.target)

    def _function(self, one: Function, layers: list[Layer]) -> list[Handler]:
        if self.source.binds(one):
            raise Stop(f"{self.source.title} hands it what its bindings name, and does what they say")
        kind = one.kinds[0]
        ours, theirs = self.source.kind(kind), self.target.kind(kind)
        may_throw = any(map(self.calls_services, {one.entry.file, *(layer.stands.file.path for layer in layers)}))
        if why := not_turned(ours, theirs, (self.source.title, self.target.title), may_throw=may_throw):
            raise Stop(why)
        return self._rewritten(one, (ours, theirs), layers)

    def _scopes_of(self, file: JavaScriptFile) -> Scopes:
        if file.path not in self._scopes:
            self._scopes[file.path] = Scopes(file)
        return self._scopes[file.path]

    def _taken(self, path: str, theirs: list[tuple[Function, list[Handler]]]) -> None:
        """Take the handlers of a file as they were rewritten, but for those by which it would be no JavaScript.

        The whole file is read once; only where that fails it is read after each handler, to find which it was.
        """
        edits = self.made.edits.setdefault(path, [])
        own = [
            (one, made, [edit for part in made if not part.layer.maker for edit in part.edits]) for one, made in theirs
        ]
        wrong = self._wrong(path, [*edits, *(edit for _, _, some in own for edit in some)])
        for one, made, some in own:
            with self._told_of(one):
                around = [part for part in made if part.layer.maker]
                why = self._wrong(path, [*edits, *some]) if wrong else ""
                for part in around:
                    why = why or self._wrong_around(part.file.path, tuple(part.every_edit()))
                if why:
                    raise Stop(f"it would come out wrong ({why}), which is a fault of Vast Ferry: please report it")
                self._take(made)
                self.made.entries[one.name] = one.entry

    def _wrong_around(self, path: str, edits: tuple[Edit, ...]) -> str:
        """Return the same of a function around handlers, which many share: each text of it is read once."""
        if (path, edits) not in self._read_around:
            self._read_around[path, edits] = self._wrong(path, list(edits))
        return self._read_around[path, edits]

    def _wrong(self, path: str, edits: list[Edit]) -> str:
        """Return why a file is no JavaScript any more with some edits, or nothing."""
        try:
            parsed(applied(self.files[path].content, edits), path)
        except (Overlapping, BadInput) as error:
            return str(error)
        return ""

    def _take(self, made: list[Handler]) -> None:
        """Take what became of a handler, of the functions around it, and of those by which these answer."""
        taken: dict[int, Variant] = {}  # by their functions
        for part in made:
            for name, source in part.sources.items():
                own = replace(source, name=name, text=_renamed(source.text, source.name, name))
                self.made.emitted[name] = own
            self.made.helpers |= part.helpers
            if part.layer.maker is None:
                self.made.edits[part.file.path] += part.edits
            else:
                called_in = part.layer.called_in
                by = taken.get(called_in.node.id) if called_in is not None else None
                variant = self.around.take(part, by)
                taken |= dict.fromkeys([one.id for one in part.nodes], variant)
            self.made.imports.setdefault(part.file.path, []).extend([*part.sources, *sorted(part.helpers)])
            self.made.findings += [one for one in part.findings if one not in self.made.findings]

    def _rewritten(self, one: Function, kinds: tuple[Kind, Kind], layers: list[Layer]) -> list[Handler]:
        """Return a handler that is rewritten, and what is around it, the outermost first.

        What is inside of a layer that hands on something else than it was handed stays as it is, and so do the answers
        inside of one that makes others of them.
        """
        by_writer = self.source.kind(one.kinds[0]).answered.writer is not None
        turning = next(
            (at for at, layer in enumerate(layers) if not layer.passes_answers_on(by_writer=by_writer)),
            len(layers) - 1,
        )
        last, why = len(layers) - 1, ""
        if by_writer and turning < last:
            last, why = turning, "what the function inside answers is more than passed on"
        while True:
            made: list[Handler] = []
            try:
                for at, layer in enumerate(layers[: last + 1]):
                    way = Way(
                        layer,
                        outermost=at == 0,
                        turns=at <= min(turning, last),
                        passes=at < min(turning, last),
                        whole=why if at == last else "",
                        caught=any(one.may_catch() for one in layers[:at]),
                        set_anew=_set_anew(made),
                        carried=made[-1].carries_on() if made else (),
                    )
                    made.append(self._layer(one, kinds, way, layers))
                shared = [(at, told) for at, part in enumerate(made) if (told := _of_both(part, made[at + 1 :]))]
                if not shared:
                    return [*made, *(helper for part in made for helper in part.answers_by())]
                last, why = shared[0]
            except Inside as error:
                if error.caught:
                    last, why = next(at for at, layer in enumerate(layers) if layer.may_catch()), error.why
                    continue
                if layers[len(made)].is_handler or (why and len(made) == last):
                    raise Stop(error.why, layers[len(made)].stands.node) from None
                last, why = len(made), error.why

    def _layer(self, one: Function, kinds: tuple[Kind, Kind], way: Way, layers: list[Layer]) -> Handler:
        """Return one layer that is rewritten."""
        helper, part = functools.partial(self._helper, one, kinds), functools.partial(self._part, one, kinds)
        titles, modules = (self.source.title, self.target.title), module_names(self.source)
        project = Project(*titles, self.takes, modules, self.emitted, self.function_of, helper, part)
        # Services are called by the provider's modules, or by what the handler is handed. A function around handlers is
        # the same for all of them.
        paths = {layer.stands.file.path for layer in layers} | (self._entries if layers[0].maker is not None else set())
        hosts = self.target.hosts if self.source.hosts or any(map(self.calls_services, paths)) else ()
        limit = self.limit_of(one)
        return self._with_free_names(
            lambda kinds: Handler(project, one, kinds, way, limit), kinds, way.layer.stands.scopes, hosts
        )

    def _helper(self, one: Function, kinds: tuple[Kind, Kind], called: Called) -> Answering | None:
        """Return a function by which a handler answers as it is rewritten for a call of it, where that can be done."""
        every: list[AnswerHelper] = []
        for layer in self._called(kinds, called):
            made = self._rewritten_for(AnswerHelper, one, kinds, called, layer)
            if made is None:
                return None
            every.append(made)
        for other in every[1:]:
            every[0].take(other)
        return every[0] if every else None

    def _part(self, one: Function, kinds: tuple[Kind, Kind], called: Called) -> PartTold | None:
        """Return what a call tells of an answer, by a function that gives that once it is rewritten; or nothing."""
        layers = self._called(kinds, called)
        made = self._rewritten_for(PartHelper, one, kinds, called, layers[0]) if len(layers) == 1 else None
        told = made.told(called) if made is not None else None
        return PartTold(made, told, made.value) if made is not None and told is not None else None

    def _called(self, kinds: tuple[Kind, Kind], called: Called) -> list[Layer]:
        answered = kinds[0].answered.writer
        assert answered is not None
        number = answered.among(there(kinds[0].event).handed_over).index(answered.name)
        return layers_of(called, number, self.function_of)

    def _rewritten_for(
        self, how: type[SomeHelper], one: Function, kinds: tuple[Kind, Kind], called: Called, layer: Layer
    ) -> SomeHelper | None:
        """Return a function that a handler calls as it is rewritten for that; nothing where it can't be."""
        if layer.stands.node.id in self._working:  # it calls itself, however far around
            return None
        caught = called.by.way.caught or in_try(called.call, called.by.node)
        way = Way(layer, outermost=False, passes=True, caught=caught)

        def make(kinds: tuple[Kind, Kind]) -> SomeHelper:
            made = how(called.by.project, one, kinds, way, self.limit_of(one))
            give(made, called)
            return made

        self._working.append(layer.stands.node.id)
        try:
            return self._with_free_names(make, kinds, layer.stands.scopes, ())
        except (Stop, Inside, NoTwin):
            return None
        finally:
            self._working.pop()

    @staticmethod
    def _with_free_names(
        make: Callable[[tuple[Kind, Kind]], SomeHandler],
        kinds: tuple[Kind, Kind],
        scopes: Scopes,
        hosts: tuple[str, ...],
    ) -> SomeHandler:
        """Return a function that is rewritten; what it is handed there gets other names where it knows these."""
        there, names = kinds[1], set[str]()
        while True:
            made = make((kinds[0], there))
            try:
                made.rewrite(hosts)
            except Clash as error:
                if error.names <= names:
                    raise Stop(f"it has a name {', '.join(sorted(error.names))}") from None
                names |= error.names
                there = renamed_parameters(kinds[1], names, scopes)
            else:
                return made

    def calls_services(self, path: str) -> bool:
        """Tell whether a file, or one that it links to, calls services by the provider's modules."""
        modules, seen, waiting = module_names(self.source), set[str](), [path]
        while waiting:
            at = waiting.pop()
            if at in seen or at not in self.files:
                continue
            seen.add(at)
            for link in self.files[at].links:
                if link.module in modules:
                    return True
                waiting.append(linked_file(at, link.module, self.files))
        return False


def _of_both(layer: Handler, inside: list[Handler]) -> str:
    """Return why a layer and what is inside have to share what they are handed, or nothing."""
    if layer.way.whole:
        return ""
    if layer.follower.reads_content and any(one.made_whole or one.follower.reads_content for one in inside):
        return "its content can be read once, and is read inside too"
    changed = any(one.made_whole or one.follower.changes for one in inside)
    behind = changed and layer.follower.reads_behind_a_call()
    return "the function inside may change what is read behind its call" if behind else ""


def _set_anew(around: list[Handler]) -> frozenset[str]:
    """Return what those of some layers set whatever was told before that answer when they catch something."""
    sets = [one.every_sets for one in around if one.layer.may_catch() and one.every_sets is not None]
    return frozenset.intersection(*sets) if sets else frozenset()


def _finding(one: Function, why: str, place: Place, target: Profile) -> Finding:
    return Finding(
        "wrapped-javascript",
        Severity.NOTE,
        f"{one.name} is wrapped: {why}",
        f"It runs at {target.title} as it is, called by its shim; rewrite it by hand where you want that idiom",
        place,
        one.name,
    )


def _renamed(text: str, name: str, own: str) -> str:
    """Return a function's text under another name; what it calls may well have the first."""
    return text.replace(f"function {name}(", f"function {own}(", 1)
