"""Style `wrapped`: the author's file stays as it is, and a small shim beside it speaks the target's signature."""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import PurePosixPath

from vast_ferry.crossing.templates import own_template
from vast_ferry.hub.functions import Entry, Function
from vast_ferry.hub.kinds import REQUEST
from vast_ferry.hub.operations import OPERATIONS
from vast_ferry.mapping.bindings import deliver_bound
from vast_ferry.mapping.clients import HUB_CLIENTS, client_module
from vast_ferry.mapping.compile.functions import Source, view_event
from vast_ferry.mapping.delivery import Delivery, deliver
from vast_ferry.mapping.emit import module_source
from vast_ferry.mapping.places import Access, Call
from vast_ferry.mapping.python import docstring, quoted
from vast_ferry.mapping.tables import HUB_CALLS, Kind, hub_answer, taken
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.identifiers import slug, unique_slugs


@dataclass(frozen=True, slots=True)
class Bound:
    """How a handler whose parameters are named by bindings is called: from the target's event to the hub's, and on."""

    delivery: Delivery  # calls what takes hub fields
    inner: Delivery  # takes hub fields, and calls the handler
    called: Delivery  # puts the two together
    services: tuple[str, ...]  # kinds of services that it reaches


def _bind(source: Profile, target: Profile, function: Function, kind: str, name: str) -> Bound:
    about = f"Call {function.entry.name} with what {target.title} hands over, as its bindings say."
    hub = Kind(HUB_CALLS[kind], hub_answer(kind))
    output, mount = source.model.handler.output, source.model.handler.mount
    services = tuple(one.kind for one in function.bindings)
    called, original = f"{name}_by_its_bindings", "original"
    if output:
        inner = deliver_bound(called, source.kind(kind), function.bindings, output, names=f"{name}_")
    else:
        # A script runs in a folder that holds what its event tells of; what it changes there goes to the services.
        inner = deliver(called, source.kind(kind), hub, names=f"{name}_")
        services = ("object", "message", "record") if mount else ()
        mounted = mount.model_dump() if mount else {}
        original = f"lambda *given: original(hub, *given, (operate, {mounted!r}))"
    outer = deliver(
        f"{name}_from_there",
        hub,
        target.kind(kind),
        about,
        fresh=True,
        hosts=target.hosts,
        names=f"{name}_to_hub_",
    )
    given = ", ".join(outer.parameters)
    word, wait = ("async def", "await ") if outer.asynchronous else ("def", "")
    defaults = {"function": 'function=""', "limit": "limit=60.0"}
    taken = ", ".join(defaults.get(parameter, parameter) for parameter in outer.parameters)
    text = (
        f"{word} call_{name}(original, {taken}):\n    {docstring(about)}\n"
        f"    return {wait}{outer.name}(lambda hub: {inner.name}({original}, hub), {given})"
    )
    return Bound(outer, inner, replace(outer, name=f"call_{name}", text=text), services)


def settings_given(target: Profile, function: Function) -> tuple[str, str]:
    """Return how a shim gives a function its variables: a statement for when it is imported, one for each call.

    Both are empty where they stand in the target's environment, or nothing there tells them.
    """
    if target.model.environment.settings or not function.variables:
        return "", ""
    names = ", ".join(map(quoted, sorted(function.variables)))
    for module, one in target.model.surroundings.items():
        for name, what in one.items():
            if what != "secret":
                asked = f"{name}(variable)" if what == "setting" else f"getattr({name}, variable)"
                made = f"os.environ.update({{variable: str({asked}) for variable in [{names}]}})"
                return f"from {module} import {name}\n\n# {target.title} has them elsewhere.\n{made}", ""
    event = target.kinds[function.kinds[0]].event
    row = next((row for row in event.rows if row.field == "setting" and row.lens.plain), None)
    if row is None or not isinstance(row.at.steps[-1], Call):
        return "", ""
    asked = str(Access(row.at.root, row.at.steps[:-1]))
    return "", f"os.environ.update({{variable: {asked}(variable) for variable in [{names}]}})"


@dataclass(frozen=True, slots=True)
class Wrapping:
    """How the handlers of one project are wrapped: what every shim shares, a delivery a kind of event."""

    source: Profile
    target: Profile
    module: str
    slugs: Mapping[str, str]
    deliveries: Mapping[str, Delivery]
    more: tuple[Source, ...]
    mixed: bool = False  # whether a handler is called with events of several kinds
    # functions that are not called with the event alone → for each kind how
    bound: Mapping[str, Mapping[str, Bound]] = field(default_factory=dict)

    @classmethod
    def between(
        cls,
        source: Profile,
        target: Profile,
        module: str,
        functions: Iterable[Function],
        native: Container[str] = (),
    ) -> Wrapping:
        """Return the wrapping of `source`'s handlers for `target`; `module` is the name of the shared module.

        Those functions whose names are in `native` were rewritten, and need none.
        """
        functions = list(functions)
        slugs = unique_slugs([function.name for function in functions])
        everyone = functions
        functions = [function for function in functions if function.name not in native]
        bound = {
            function.name: {
                kind: _bind(source, target, function, kind, f"{slugs[function.name]}_{kind}") for kind in function.kinds
            }
            for function in functions
            if source.binds(function)
        }
        usual = dict.fromkeys(kind for function in functions if function.name not in bound for kind in function.kinds)
        deliveries = {
            kind: deliver(
                f"call_{kind}",
                source.kind(kind),
                target.kind(kind),
                f"Call a handler of {source.title} with what {target.title} hands over, and answer as it wants.",
                fresh=True,
                hosts=target.hosts,
            )
            for kind in usual
        }
        more = []
        routed = any(REQUEST in function.kinds for function in everyone)
        if target.model.handler.process == "project" and routed:  # such a project routes by itself
            about = "Return the request's path as it came on the wire."
            more.append(view_event("request_path", target.event, "path.raw", about))
            more.append(view_event("request_method", target.event, "method", "Return the request's method."))
        return cls(
            source,
            target,
            module,
            slugs,
            deliveries,
            tuple(more),
            any(len(function.kinds) > 1 for function in functions),
            bound,
        )

    def shared_module(self, beside: Iterable[Source] = ()) -> str:
        """Return the text of the module that all shims import; it needs nothing but the standard library.

        `beside` are functions that rewritten handlers use.
        """
        about = (
            f"Between {self.target.title} and handlers written for {self.source.title}: what every shim uses.\n\n"
            "Made by Vast Ferry from the two profiles; carry the project again rather than edit this file.\n"
        )
        # The router of a whole project needs these; where each function is routed by its provider they cost nothing.
        routing: tuple[str, ...] = ()
        if self.target.model.handler.process == "project":
            routing = ("match_route", "route_order")
        if self.target.model.handler.script:
            routing += (
                ("document_of",)
                if self.target.model.handler.entry
                else ("run_script",)
                if self.deliveries or self.bound
                else ()
            )
        if self.mixed:
            routing += ("gently",)
        if self.bound and not self.source.model.handler.output:
            routing += ("run_script_file",)
        sources = [source for one in self.deliveries.values() for source in one.sources]
        sources += _not_known(sources, list(self.more))
        beside = list(beside)
        context, classes = self.source.context_classes(self.target.operations, self.target.hosts)
        if not (self.deliveries or self.bound or beside):  # nothing is handed what the source has
            context, classes = [], []
        if classes:
            classes = [*self.client_imports(self.module), *classes]
        classes += dict.fromkeys(text for one in self.deliveries.values() for text in one.more)
        texts = [one.text for one in self.deliveries.values()]
        if self.bound:
            reached, code = self._operations()
            sources += reached
            classes += code
            for one in self._every_bound():
                sources += one.delivery.sources
                sources += one.inner.sources
                classes += [text for text in (*one.inner.more, *one.delivery.more) if text not in classes]
                texts += [one.inner.text, one.delivery.text, one.called.text]
        sources += _not_known(sources, beside)
        return module_source(about, [*context, *sources], *classes, *texts, also=routing)

    def _every_bound(self) -> list[Bound]:
        return [one for kinds in self.bound.values() for one in kinds.values()]

    def _operations(self) -> tuple[list[Source], list[str]]:
        """Return what bound handlers reach services by: operations of the hub, made of the target's clients."""
        kinds = [kind for one in self._every_bound() for kind in one.services]
        wanted = [name for name in OPERATIONS if name.partition(".")[0] in kinds]
        ours = [replace(HUB_CLIENTS[name], root="operate", path=name.replace(".", "_")) for name in wanted]
        sources, code = client_module(
            f"{self.target.title}'s services.", "operate", ours, self.target.operations, self.target.hosts
        )
        table = ", ".join(f"{name!r}: {name.replace('.', '_')}" for name in wanted)
        imports = [] if self.source.context_classes(self.target.operations)[1] else self.client_imports(self.module)
        return sources, [*imports, code, f"operate = {{{table}}}"]

    def client_imports(self, here: str = "") -> list[str]:
        """Return what a module other than `here` needs to reach the target's services."""
        roots = {client.root for client in self.target.clients} - set(self.target.hosts)
        made = [f"import {root}" for root in sorted(roots)]
        if self.target.hosts:
            # Looked up when it is called: the two modules may import each other.
            there = "" if here == self.module else f"    from {self.module} import HOST\n\n"
            made.append(
                f'def host(name):\n    """Return what the handler that is running was called with."""\n{there}'
                "    return HOST.get()[name]"
            )
        return made

    def shim_entry(self, function: Function) -> Entry:
        """Return where the shim of a function stands, beside its handler's file, and the callable in it.

        Where each function has a folder of its own at the target, it stands there.
        """
        folder = self._folder_of_its_own(function) or PurePosixPath(function.entry.file).parent
        # A folder that is no package name can't be imported from; the shim then stands at the top.
        if not all(part.isidentifier() for part in folder.parts):
            folder = PurePosixPath()
        name = f"{self.slugs[function.name]}_at_{slug(self.target.provider)}.py"
        own = self.slugs[function.name]
        if any(self.target.kinds[kind].method for kind in function.kinds):
            own = "".join(word.title() for word in own.split("_"))
        return Entry(str(folder / name), self.target.model.handler.shim or own)

    def _settings_there(self, function: Function, kept: Sequence[str]) -> tuple[str, str]:
        """Return the same, what a class is told when it is set up being its object's."""
        first, each = settings_given(self.target, function)
        for name in kept:
            each = each.replace(f": {name}.", f": self.{name}.")
        return first, each

    def stands_apart(self, function: Function) -> bool:
        """Tell whether the target looks for a function in a folder of its own."""
        return self._folder_of_its_own(function) is not None

    def _folder_of_its_own(self, function: Function) -> PurePosixPath | None:
        """Return the folder that the target wants a function's files in, if it wants them in one of its own."""
        model = self.target.model.definition
        files = model.functions.files if model is not None else ""
        return PurePosixPath(files.replace("*", function.name)).parent if "/*/" in files else None

    def shim(self, function: Function, limit: float) -> str:
        """Return the text of a function's shim."""
        entry = self.shim_entry(function)
        # What nothing tells comes last: it is what is left.
        kinds = sorted(function.kinds, key=lambda kind: not self.target.kinds[kind].event.told)
        own_way = {kind: one.called for kind, one in self.bound.get(function.name, {}).items()}
        deliveries = [own_way.get(kind) or self.deliveries[kind] for kind in kinds]
        given = {"function": f"function={function.name!r}", "limit": f"limit={limit:g}"}
        parameters = [[name for name in one.parameters if name not in given] for one in deliveries]
        first = self.target.kinds[kinds[0]]
        told_at_setup = [name for name in parameters[0] if first.method and name in first.setup_takes]
        calls = []
        for kind, one, own in zip(kinds, deliveries, parameters, strict=True):
            # What is told when the object is set up, it keeps.
            kept = [f"self.{name}" if name in told_at_setup else name for name in parameters[0]]
            names = dict(zip(own, kept, strict=True))
            arguments = [given.get(name) or names[name] for name in one.parameters]
            told = self.target.kinds[kind].event.told
            test = " and ".join(f"{Access(names[c.at.root], c.at.steps).gentle()} == {c.value!r}" for c in told)
            call = f"{one.name}({', '.join(['original', *arguments])})"
            calls.append((test, f"{'await ' * one.asynchronous}{call}"))
        return own_template("shim.py.j2").render(
            function=function,
            source=self.source,
            target=self.target,
            crossing=self.module,
            deliveries=deliveries,
            slug=self.slugs[function.name],
            up=".parent" * (len(PurePosixPath(entry.file).parts) - 1),
            handler=entry.name,
            parameters=taken(
                [name for name in parameters[0] if name not in told_at_setup], first.event.spread, function.captured
            ),
            calls=calls,
            method=first.method,
            alike=[
                one for one in dict.fromkeys(self.target.kinds[kind].method for kind in kinds) if one != first.method
            ],
            setup=first.setup if told_at_setup else "",
            told_at_setup=told_at_setup,
            apart=self._folder_of_its_own(function) is not None,
            runs=function.name in self.bound and not self.source.model.handler.output,
            script=self.target.model.handler.script and not self.target.model.handler.entry,
            settings=self._settings_there(function, told_at_setup),
            gently=any("gently(" in test for test, _ in calls) and len(calls) > 1,
        )


def _not_known(known: list[Source], more: list[Source]) -> list[Source]:
    """Return those functions that are not known yet; two of one name that differ would take each other's place."""
    texts = {source.name: source.text for source in known}
    for source in more:
        if texts.setdefault(source.name, source.text) != source.text:
            raise RuntimeError(f"two functions are called {source.name}, which is a fault of Vast Ferry: report it")
    return [source for source in more if all(source.name != other.name for other in known)]
