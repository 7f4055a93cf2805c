"""Handlers in JavaScript made callable elsewhere: a shim a function, one module that all shims share, links mended.

A handler's file stays as it is, but for the links to its provider's modules: those lead to modules beside it that do
the same by the target's means.
"""

from __future__ import annotations

import posixpath
import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import PurePosixPath

from vast_ferry.documents.javascript_file import JavaScriptFile, is_typescript, linked_file
from vast_ferry.hub.functions import Entry, Function
from vast_ferry.hub.kinds import REQUEST
from vast_ferry.mapping.clients import Client, name_of
from vast_ferry.mapping.javascript import library
from vast_ferry.mapping.javascript.bindings import bound_call, operate_over, operations_of
from vast_ferry.mapping.javascript.clients import error_there
from vast_ferry.mapping.javascript.declarations import declarations
from vast_ferry.mapping.javascript.delivery import Delivery, deliver
from vast_ferry.mapping.javascript.functions import Takes, there, view_event
from vast_ferry.mapping.javascript.library import module_text
from vast_ferry.mapping.javascript.names import camel, place_there
from vast_ferry.mapping.javascript.writing import in_comment, literal, text
from vast_ferry.profiles.javascript import host_objects, module_names, module_over, takes_of
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.identifiers import slug, unique_slugs
from vast_ferry.translate.javascript.bound import with_calls
from vast_ferry.translate.javascript.edits import Edit, applied, import_of
from vast_ferry.translate.javascript.handlers import handed_over
from vast_ferry.translate.javascript.native import Native, Rewritten

MADE = "Made by Vast Ferry; carry the project again rather than edit this file."


def linked_by(made: Mapping[str, str], paths: Iterable[str]) -> frozenset[str]:
    """Return those paths of files that modules in JavaScript, among what was made, import by name."""
    texts = [text for path, text in made.items() if path.endswith(".mjs")]
    return frozenset(path for path in paths if any(re.search(rf'from "[./]*{re.escape(path)}"', one) for one in texts))


def links_at_home(
    sources: Mapping[str, JavaScriptFile], own: Mapping[str, bytes], made: Iterable[str], home: Profile
) -> dict[str, bytes]:
    """Return the files of a project that comes back, whose links lead to the provider's own modules again."""
    theirs = {f"{name}.mjs": name for name in module_names(home) if f"{name}.mjs" in made}
    changed = {}
    for path, file in sources.items():
        if path not in own:
            continue
        edits = []
        for link in file.links:
            if name := theirs.get(linked_file(path, link.module, theirs), ""):
                quote = file.text(link.text)[0]
                edits.append(Edit(link.text.start_byte, link.text.end_byte, f"{quote}{name}{quote}"))
        if edits:
            changed[path] = applied(own[path], edits)
    return changed


@dataclass(slots=True)
class JavaScriptWrapping:
    """How the handlers of one project are wrapped."""

    source: Profile  # both as handlers in JavaScript meet them
    target: Profile
    functions: list[Function]
    sources: Mapping[str, JavaScriptFile]
    module: str
    slugs: Mapping[str, str]
    rewritten: Rewritten = field(default_factory=Rewritten)
    deliveries: dict[str, Delivery] = field(default_factory=dict)
    needed: set[str] = field(default_factory=set)  # modules of the source that what is made needs
    bound: dict[str, Delivery] = field(default_factory=dict)  # those of functions that are called by their bindings
    anew: frozenset[str] = frozenset()  # the sources in which handlers that were methods are functions that call them

    @property
    def wrapped(self) -> list[Function]:
        """Return the functions that get a shim."""
        return [one for one in self.functions if one.name not in self.rewritten.entries]

    def entry(self, function: Function) -> Entry:
        """Return where a function stands: its handler, or its shim beside its handler's file; and what that exports."""
        if function.name in self.rewritten.entries:
            return self.rewritten.entries[function.name]
        folder = PurePosixPath(function.entry.file).parent
        name = f"{self.slugs[function.name]}_at_{slug(self.target.provider)}.mjs"
        return Entry(str(folder / name), camel(self.target.model.handler.shim or self.slugs[function.name]))

    def files(self, limit_of: Callable[[Function], float]) -> dict[str, str]:
        """Return what is made: the shared module, the provider's modules, a shim a function."""
        project = self.target.model.handler.process == "project"
        shared = bool(self.wrapped or self.rewritten.emitted or self.rewritten.helpers or project)
        made = {f"{self.module}.mjs": self._shared()} if shared else {}
        imports = self._client_imports()
        for name in sorted(self._modules()):
            made[f"{name}.mjs"] = module_over(self.source, name, self._operations, imports, self.target.hosts)
        made.update(self._declared(made))
        for function in self.wrapped:
            made[self.entry(function).file] = self._shim(function, limit_of(function))
        return made

    def _declared(self, made: Mapping[str, str]) -> dict[str, str]:
        """Return what TypeScript is told of the modules that were made, where any file is in it."""
        if not any(map(is_typescript, self.sources.values())):
            return {}
        found = {}
        for path, content in made.items():
            name = path.removesuffix(".mjs")
            links = [link for file in self.sources.values() for link in file.links if link.module == name]
            types = {one for link in links for one in link.names.values() if one not in ("*", "default", "")}
            found[f"{name}.d.mts"] = declarations(content, path, types)
        return found

    def with_methods_called(self, takes: Takes, limit_of: Callable[[Function], float]) -> None:
        """Rewrite handlers that are methods as functions that call them, where these can be rewritten then."""
        wanted = [one for one in self.functions if len(one.kinds) == 1]
        while wanted:
            anew, names = with_calls(self.sources, wanted, self._handed_over)
            if not anew:
                return
            sources = {**self.sources, **anew}
            own = Native(self.source, self.target, sources, takes, limit_of).rewrite(self.functions)
            if not names & own.stopped.keys():
                self.sources, self.anew, self.rewritten = sources, frozenset(anew), own
                return
            wanted = [one for one in wanted if one.name in names - own.stopped.keys()]

    def _handed_over(self, function: Function) -> tuple[str, ...]:
        """Return the names of what the source's provider hands a function."""
        return tuple(map(camel, handed_over(self.source.kind(function.kinds[0]))))

    def edited(self, own: Mapping[str, bytes]) -> dict[str, bytes]:
        """Return the author's files as they become: their links to the provider's modules, their handlers rewritten."""
        changed: dict[str, bytes] = {}
        for path, file in self.sources.items():
            edits = [*self.rewritten.edits.get(path, [])]
            for link in file.links:
                if link.module in self._modules():
                    quote = file.text(link.text)[0]
                    there = f"{quote}{_relative(path, f'{link.module}.mjs')}{quote}"
                    edits.append(Edit(link.text.start_byte, link.text.end_byte, there))
            names = list(dict.fromkeys(self.rewritten.imports.get(path, [])))
            if names:
                edits.append(import_of(file, names, _relative(path, f"{self.module}.mjs")))
            if path in self.anew:
                changed[path] = applied(file.content, edits)
            elif edits:
                changed[path] = applied(own.get(path, file.content), edits)
        return changed

    # --- what is made ---

    @property
    def _operations(self) -> dict[str, Client]:
        """Return the target's calls on services, by what they do, as the modules that are made import them."""
        named = self._named_there
        made = {}
        for operation, client in self.target.operations.items():
            first, dot, rest = client.path.partition(".")
            made[operation] = replace(client, path=f"{named.get(camel(first), first)}{dot}{rest}")
        return made

    @property
    def _named_there(self) -> dict[str, str]:
        """Return those names of the target's modules that mean something else in what is made → their names there."""
        own = {camel(re.split(r"[.(]", client.path)[0]) for client in self.source.clients}
        own |= {name for classes in self.source.model.modules.values() for name in classes} | library.names()
        hosts = self.target.hosts
        theirs = {camel(re.split(r"[.(]", one.path)[0]) for one in self.target.clients if one.root not in hosts}
        # What a call is given has such a name where it is made: another one for what it is made on.
        given = {camel(name_of(one)) for client in self.source.clients for one in client.takes}
        named = {name: f"their{name[:1].upper()}{name[1:]}" for name in theirs & given}
        return {**{name: f"{name}There" for name in theirs & own}, **named}

    def _modules(self) -> set[str]:
        """Return the provider's modules that handlers use, and that the target has not itself."""
        used = self.needed | {link.module for file in self.sources.values() for link in file.links}
        return (used & module_names(self.source)) - module_names(self.target)

    def _client_imports(self) -> list[str]:
        """Return what reaches the target's services: its modules, or what the running handler was called with."""
        hosts, called = self.target.hosts, self._named_there
        roots = dict.fromkeys(one.root for one in self.target.clients if one.root not in hosts)
        made = []
        brought = {file.path.removesuffix(".mjs") for file in self.target.model.files if file.services}
        for root in roots:
            groups = sorted({camel(re.split(r"[.(]", one.path)[0]) for one in self.target.clients if one.root == root})
            absent = {one.absent for one in self.target.clients if one.absent.startswith(f"{root}.")}
            groups = sorted({*groups, *map(error_there, absent)})
            groups = [f"{name} as {called[name]}" if name in called else name for name in groups]
            where = f"./{root}.mjs" if root in brought else root
            made.append(f'import {{ {", ".join(groups)} }} from "{where}";')
        if hosts:
            made.append(f'import {{ HOST }} from "./{self.module}.mjs";')
        return made

    def _shared(self) -> str:
        by_bindings = [one for one in self.wrapped if self.source.binds(one)]
        kinds = dict.fromkeys(kind for one in self.wrapped if one not in by_bindings for kind in one.kinds)
        takes = {**takes_of(self.source), **takes_of(self.target)}
        for function in by_bindings:
            kind = function.kinds[0]
            self.bound[function.name] = bound_call(
                camel(f"call_{self.slugs[function.name]}"),
                (self.source.kind(kind), self.target.kind(kind)),
                function.bindings,
                self.source.model.handler.output,
                takes,
                hosts=self.target.hosts,
            )
        for kind in kinds:
            self.deliveries[kind] = deliver(
                camel(f"call_{kind}"),
                self.source.kind(kind),
                self.target.kind(kind),
                takes,
                f"Call a handler of {self.source.title} with what {self.target.title} hands over.",
                fresh=True,
                hosts=self.target.hosts,
            )
        objects, used = host_objects(self.source, self._operations, self.target.hosts)
        named = {name for name in self.source.kind(next(iter(self.source.kinds))).event.objects.values()}
        texts = [one.text for one in self.rewritten.emitted.values()]
        asked = named & self.rewritten.helpers or any(name in text for name in named for text in texts)
        if not kinds and not asked:
            objects, used = [], frozenset()
        operations = operations_of(binding for one in by_bindings for binding in one.bindings)
        if operations:
            operate, helpers = operate_over(operations, self._operations, self.target.hosts)
            objects, used = [*objects, *operate], used | helpers
        made = [*self.deliveries.values(), *self.bound.values()]
        code = [*objects, *dict.fromkeys(text for one in made for text in one.code)]
        exported = [one.name for one in made]
        used = used.union(*(one.used for one in made))
        for name, source in self.rewritten.emitted.items():
            code.append(source.text)
            exported.append(name)
            used |= source.used
        used |= self.rewritten.helpers
        exported += sorted(self.rewritten.helpers)
        if self.target.model.handler.process == "project":
            event = there(self.target.kind(REQUEST).event)
            views = [view_event("requestPath", event, "path.raw"), view_event("requestMethod", event, "method")]
            code += [one.text for one in views if one.text not in code]
            used = used.union({"matchRoute", "byExactness"}, *(one.used for one in views))
            exported += [*(one.name for one in views), "matchRoute", "byExactness"]
        if any(len(function.kinds) > 1 for function in self.wrapped):
            used |= {"gently"}
            exported.append("gently")
        if self.target.hosts and "HOST" not in exported:
            used |= {"HOST"}
            exported.append("HOST")
        about = (
            f"Between {self.target.title} and handlers written for {self.source.title}: what every shim uses.\n\n{MADE}"
        )
        imports = [line for one in made for line in one.imports]
        imports += [line for one in self.rewritten.emitted.values() for line in one.imports]
        imports += sorted(one for one in used if one.startswith("import "))
        used = frozenset(one for one in used if not one.startswith("import "))
        if objects:
            imports += [line for line in self._client_imports() if f"./{self.module}.mjs" not in line]
        # The classes of answers, and of errors, which handlers need not import themselves.
        self.needed |= {found[1] for line in imports if (found := re.search(r'from "([^"./]+)";$', line))}
        imports = [self._where(line) for line in imports]
        return module_text(about, used, [*code, f"export {{ {', '.join(dict.fromkeys(exported))} }};"], imports)

    def _where(self, line: str) -> str:
        """Return an import of a class of the source's from where that module was made."""
        found = re.search(r'from "([^"./]+)";$', line)
        made = found is not None and found[1] in self._modules()
        return line.replace(f'"{found[1]}"', f'"./{found[1]}.mjs"') if found is not None and made else line

    def _shim(self, function: Function, limit: float) -> str:
        own, name = self.entry(function), function.entry.name
        source = self.sources.get(function.entry.file)
        handler = f"./{PurePosixPath(function.entry.file).name}"
        shared = _relative(own.file, f"{self.module}.mjs")
        given = {"functionName": text(function.name), "limit": f"{limit:g}"}
        # What nothing tells comes last: it is what is left.
        kinds = sorted(function.kinds, key=lambda kind: not self.target.kinds[kind].event.told)
        first = self.bound.get(function.name) or self.deliveries[kinds[0]]
        parameters = [one for one in first.parameters if one not in given]
        lines, used = [], []
        ways = {kind: self.bound.get(function.name) or self.deliveries[kind] for kind in kinds}
        for number, kind in enumerate(kinds):
            one = ways[kind]
            theirs = [name for name in one.parameters if name not in given]
            names = dict(zip(theirs, parameters, strict=True))
            handed = [given.get(name) or names[name] for name in one.parameters]
            call = f"return {one.name}({', '.join(['original', *handed])});"
            used.append(one.name)
            told = self.target.kinds[kind].event.told
            if told and number < len(kinds) - 1:
                tests = [f"{_gently(names, constant.at)} === {literal(constant.value)}" for constant in told]
                used.append("gently")
                call = f"if ({' && '.join(tests)}) {call}"
            lines.append(f"  {call}")
        what = f"calls {name} of {function.entry.file} as {self.source.title} does"
        about = f"{function.name} at {self.target.title}: {what}."
        if source is not None and not source.esm and not function.entry.file.endswith(".mjs"):
            loaded = f"import file from {text(handler)};\n\nconst original = file.{name};"
        else:
            what = (
                "original"
                if name == "default"
                else f"{{ {name} as original }}"
                if name != "original"
                else "{ original }"
            )
            loaded = f"import {what} from {text(handler)};"
        head = (
            f"/**\n * {in_comment(about)}\n *\n * {MADE}\n */\n"
            f"import {{ {', '.join(dict.fromkeys(used))} }} from {text(shared)};\n{loaded}\n\n"
        )
        called_as = self.target.kinds[kinds[0]]
        if not called_as.method:
            return f"{head}export async function {own.name}({', '.join(parameters)}) {{\n" + "\n".join(lines) + "\n}\n"
        # What the class is set up with stands for whatever call is running (the platform sees to that).
        setup = [one for one in parameters if one in map(camel, called_as.setup_takes)]
        rest = [one for one in parameters if one not in setup]
        kept = [f"    const {{ {', '.join(setup)} }} = this.setUpWith;"] if setup else []
        body = "\n".join([*kept, *(f"  {line}" for line in lines)])
        listed = ", ".join(setup)
        held = f"  {camel(called_as.setup)}({listed}) {{\n    this.setUpWith = {{ {listed} }};\n  }}\n\n"
        called = f"  async {camel(called_as.method)}({', '.join(rest)}) {{\n{body}\n  }}\n"
        others = dict.fromkeys(self.target.kinds[kind].method for kind in kinds)
        for other in map(camel, [one for one in others if one != called_as.method]):
            called += f"\n  {other}(...given) {{\n    return this.{camel(called_as.method)}(...given);\n  }}\n"
        return f"{head}export class {own.name} {{\n{held if setup else ''}{called}}}\n"


def _gently(names: Mapping[str, str], at: object) -> str:
    place = place_there(at)  # type: ignore[arg-type]
    steps = [step.key if hasattr(step, "key") else f".{getattr(step, 'name', '')}" for step in place.steps]
    return f"gently({', '.join([names[place.root], *map(literal, steps)])})"


def _relative(path: str, to: str) -> str:
    there = posixpath.relpath(to, posixpath.dirname(path) or ".")
    return there if there.startswith(".") else f"./{there}"


def wrap_javascript(
    surfaces: tuple[Profile, Profile],
    functions: list[Function],
    sources: Mapping[str, JavaScriptFile],
    module: str,
    limit_of: Callable[[Function], float],
    *,
    rewriting: bool = True,
) -> JavaScriptWrapping:
    """Return how functions of one provider's surface are rewritten, or wrapped, for another's.

    Raises NoTwin for what has no form in JavaScript.
    """
    slugs = unique_slugs([function.name for function in functions])
    made = JavaScriptWrapping(*surfaces, functions, sources, module, slugs)
    if rewriting:
        takes = {**takes_of(surfaces[0]), **takes_of(surfaces[1])}
        made.rewritten = Native(*surfaces, sources, takes, limit_of).rewrite(functions)
        made.with_methods_called(takes, limit_of)
    return made
