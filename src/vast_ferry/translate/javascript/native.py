"""Which handlers in JavaScript are rewritten where they stand, and what their files become.

A handler takes what the target hands over, reads it where it stood before (`follow`), and gives its answers through one
emitted function where the target wants them in another form. What can't be seen through is wrapped: a stop says why.
"""

from __future__ import annotations

import contextlib
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, is_typescript, linked_file, parsed, walk
from vast_ferry.hub.findings import BadInput, Finding, Place, Severity
from vast_ferry.hub.functions import Entry, Function
from vast_ferry.mapping.javascript.functions import Source, Takes, reply_there, there
from vast_ferry.mapping.javascript.names import camel, free
from vast_ferry.mapping.javascript.writing import NoTwin
from vast_ferry.mapping.places import Access, Item
from vast_ferry.mapping.tables import Kind
from vast_ferry.profiles.javascript import module_names
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.javascript.answering import Answering, Project
from vast_ferry.translate.javascript.batches import Followed
from vast_ferry.translate.javascript.edits import Edit, Overlapping, applied, goes_on
from vast_ferry.translate.javascript.follow import Emitted
from vast_ferry.translate.javascript.handed import Whole
from vast_ferry.translate.javascript.handlers import Standing, exported_function, function_at, handler_of, not_turned
from vast_ferry.translate.javascript.scopes import NAMES, Scopes, bound_in, is_written, within
from vast_ferry.translate.javascript.stops import Clash, Stop
from vast_ferry.translate.javascript.values import indent_of


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
    _others: dict[tuple[str, str], bool] = field(default_factory=dict)  # exports that somebody may give another value

    def rewrite(self, functions: list[Function]) -> Rewritten:
        """Return what becomes of the handlers."""
        stands: dict[str, Standing] = {}
        for one in functions:
            with self._told_of(one):
                stands[one.name] = handler_of(one.entry, self.files, self._scopes_of)
        shared = Counter((one.file.path, one.node.start_byte) for one in stands.values())
        made: dict[str, list[tuple[Function, _Handler]]] = {}  # by file
        for one in functions:
            with self._told_of(one):
                if (found := stands.get(one.name)) is not None:
                    if shared[found.file.path, found.node.start_byte] > 1:
                        raise Stop("its handler is that of another function too")
                    made.setdefault(found.file.path, []).append((one, self._function(one, found)))
        for path, theirs in made.items():
            self._taken(path, theirs)
        return self.made

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

    def _function(self, one: Function, stands: Standing) -> _Handler:
        if len(one.kinds) != 1:
            raise Stop("it is called with events of several kinds")
        if self.source.binds(one):
            raise Stop(f"{self.source.title} hands it what its bindings name, and does what they say")
        kind = one.kinds[0]
        ours, theirs = self.source.kind(kind), self.target.kind(kind)
        may_throw = self.calls_services(stands.file.path)
        if why := not_turned(ours, theirs, (self.source.title, self.target.title), may_throw=may_throw):
            raise Stop(why)
        return self._rewritten(one, (ours, theirs), (stands.file, stands.scopes, stands.node))

    def _scopes_of(self, file: JavaScriptFile) -> Scopes:
        if file.path not in self._scopes:
            self._scopes[file.path] = Scopes(file)
        return self._scopes[file.path]

    def _taken(self, path: str, theirs: list[tuple[Function, _Handler]]) -> None:
        """Take the handlers of a file as they were rewritten, but for those by which it would be no JavaScript.

        The whole file is read once; only where that fails it is read after each handler, to find which it was.
        """
        edits = self.made.edits.setdefault(path, [])
        wrong = self._wrong(path, [*edits, *(edit for _, made in theirs for edit in made.edits)])
        for one, made in theirs:
            with self._told_of(one):
                if wrong and (why := self._wrong(path, [*edits, *made.edits])):
                    raise Stop(f"it would come out wrong ({why}), which is a fault of Vast Ferry: please report it")
                self._take(one, made)

    def _wrong(self, path: str, edits: list[Edit]) -> str:
        """Return why a file is no JavaScript any more with some edits, or nothing."""
        try:
            parsed(applied(self.files[path].content, edits), path)
        except (Overlapping, BadInput) as error:
            return str(error)
        return ""

    def _take(self, one: Function, made: _Handler) -> None:
        for name, source in made.sources.items():
            own = replace(source, name=name, text=_renamed(source.text, source.name, name))
            self.made.emitted[name] = own
        self.made.helpers |= made.helpers
        self.made.edits[made.file.path] += made.edits
        self.made.imports.setdefault(made.file.path, []).extend([*made.sources, *sorted(made.helpers)])
        self.made.entries[one.name] = one.entry
        self.made.findings += made.findings

    def _rewritten(
        self, one: Function, kinds: tuple[Kind, Kind], seen: tuple[JavaScriptFile, Scopes, Node]
    ) -> _Handler:
        """Return a handler that is rewritten; what it is handed gets other names where it knows these."""
        project = Project(self.source.title, self.target.title, self.takes, self.emitted, self.function_of)
        # Services are called by the provider's modules, or by what the handler is handed.
        calls = bool(self.source.hosts) or self.calls_services(seen[0].path)
        hosts = self.target.hosts if calls else ()
        limit = self.limit_of(one)
        made = _Handler(project, one, kinds, seen, limit)
        try:
            made.rewrite(hosts)
        except Clash as error:
            made = _Handler(project, one, (kinds[0], _renamed_parameters(kinds[1], error.names, seen[1])), seen, limit)
            made.rewrite(hosts)
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

    def function_of(self, file: JavaScriptFile, scopes: Scopes, name: Node) -> Standing | None:
        """Return the function that a name, or a part of a module, stands for; nothing where that may be another."""
        if name.type == "member_expression":
            holder, part = name.child_by_field_name("object"), file.text(name.child_by_field_name("property"))
            whole = self._linked(file, scopes, holder) if holder.type == "identifier" else None
            return self._exported(whole[0], part) if whole is not None and whole[1] == "*" else None
        binding = scopes.of(name)
        if binding is None or binding.writes or len(binding.declared) != 1:
            return None
        node = function_at(binding.declared[0]) if binding.kind != "import" else None
        if node is not None:
            return Standing(file, scopes, node)
        linked = self._linked(file, scopes, name)
        return self._exported(*linked) if linked is not None and linked[1] != "*" else None

    def _linked(self, file: JavaScriptFile, scopes: Scopes, name: Node) -> tuple[str, str] | None:
        """Return the file of the project that a name is taken from, and its name there; `*` for all of it."""
        binding = scopes.of(name)
        if binding is None or binding.writes or len(binding.declared) != 1 or binding.kind not in ("import", "const"):
            return None
        for link in file.links:
            there = linked_file(file.path, link.module, self.files) if binding.name in link.names else ""
            if there and (binding.kind == "import" or within(link.text, binding.declared[0].parent.parent.parent)):
                return there, link.names[binding.name]
        return None

    def _exported(self, path: str, name: str) -> Standing | None:
        """Return the function that a file exports under a name, where nobody gives that name another."""
        file = self.files[path]
        scopes = self._scopes_of(file)
        if (path, name) not in self._others:
            self._others[path, name] = any(self._gives_another(other, path, name) for other in self.files.values())
        if scopes.blind or self._others[path, name]:
            return None
        node = exported_function(file, scopes, name, file.exports.get(name))
        return Standing(file, scopes, node) if node is not None else None

    def _gives_another(self, file: JavaScriptFile, path: str, name: str) -> bool:
        """Tell whether a file may give what another exports under a name another value, or exports it twice."""
        if file.path == path:
            told = [one for one in file.of_types(file.root, ("member_expression",)) if is_written(one)]
            return (
                sum(file.text(one) in (f"exports.{name}", f"module.exports.{name}", "module.exports") for one in told)
                > 1
            )
        scopes = self._scopes_of(file)
        for link in file.links:
            if linked_file(file.path, link.module, self.files) != path:
                continue
            if link.required and not link.names and link.text.parent.parent.parent.type != "expression_statement":
                return True  # all of it goes somewhere without a name
            for own in (own for own, taken in link.names.items() if taken == "*"):
                binding = scopes.at_top(own)
                if binding is None or any(not _only_reads(use) for use in binding.uses):
                    return True
        return False


def _only_reads(use: Node) -> bool:
    """Tell whether a use of a module's name only reads a part of it."""
    above = use.parent
    asked = above.type == "member_expression" and above.child_by_field_name("object") == use
    return bool(asked and not is_written(above))


def _renamed_parameters(kind: Kind, names: set[str], scopes: Scopes) -> Kind:
    """Return the tables of a kind with other names for what a handler is handed."""
    others = {name: free(f"{name}There", scopes.names) for name in names}
    event = there(kind.event)

    def at(place: Access) -> Access:
        return replace(place, root=others.get(place.root, place.root))

    made = replace(
        event,
        parameters=tuple(others.get(one, one) for one in event.parameters),
        event_parameters=tuple(others.get(one, one) for one in event.event_parameters),
        rows=tuple(replace(row, at=at(row.at), flag=row.flag and at(row.flag)) for row in event.rows),
        constants=tuple(replace(one, at=at(one.at)) for one in event.constants),
        envelope=tuple(replace(one, at=at(one.at)) for one in event.envelope),
        each=event.each and at(event.each),
        nothing={at(place): name for place, name in event.nothing.items()},
    )
    reply = kind.reply
    if reply is not None and reply.writer is not None and reply.writer.name in others:
        reply = replace(reply, writer=replace(reply.writer, name=others[reply.writer.name]))
    return replace(kind, event=made, reply=reply)


def _finding(one: Function, why: str, place: Place, target: Profile) -> Finding:
    return Finding(
        "wrapped-javascript",
        Severity.NOTE,
        f"{one.name} is wrapped: {why}",
        f"It runs at {target.title} as it is, called by its shim; rewrite it by hand where you want that idiom",
        place,
        one.name,
    )


class _Handler(Answering):
    """One handler on its way: its signature, what it reads, how it answers."""

    def rewrite(self, hosts: tuple[str, ...]) -> None:
        """Make the edits; `hosts` are the target's parameters that reach services, where the handler calls any.

        Raises Clash where what it is handed there is called as something that it knows, Stop where it can't be done.
        """
        listed = self._own_parameters()
        handed = there(self.ours.event).handed_over
        writer = self.ours.answered.writer
        if writer is not None:
            handed = writer.among(handed)
        if len(listed) > len(handed):
            raise Stop("it takes more than it is handed", listed[-1])
        for pattern, name in zip(listed, handed, strict=False):
            if writer is not None and name == writer.name:
                self.writer = pattern
            else:
                self._parameter(pattern, name)
        self.follower.check_entries()
        if writer is not None and reply_there(self.ours.answered) != self.reply:
            self._through(writer)
        # What is made at the first lines is named as the parameters were, or as what they are unpacked to.
        kept = [*self.made_whole, *(one for one in listed if one.type != "identifier")]
        taken = self._known() | {self.file.text(name) for one in kept for name in bound_in(one)}
        given = {*self.parameters, *self.event.parameters}
        if taken & given:
            raise Clash(taken & given)
        if hosts:
            # What reaches services there comes with each call: it is kept for the modules that call them.
            held = ", ".join(camel(one) for one in hosts)
            self.first.insert(0, f"HOST.enterWith({{ {held} }})")
            self.helpers.add("HOST")
        self._signature()
        split = self.ours.event.each is None and self.theirs.event.each is not None
        if not split:
            self._answers()
        self._first_lines(self._for_each_event() if split else "")

    # --- parameters ---

    def _own_parameters(self) -> list[Node]:
        single = self.node.child_by_field_name("parameter")
        if single is not None:
            return [single]
        listed = self.node.child_by_field_name("parameters")
        found = []
        for one in listed.named_children:
            if one.type == "comment":
                continue
            pattern = one.child_by_field_name("pattern") or one
            if pattern.type == "assignment_pattern":  # whose default is never needed: it is always handed over
                pattern = pattern.child_by_field_name("left")
            if pattern.type == "rest_pattern":
                raise Stop("a parameter takes the rest", one)
            if pattern.type == "this":
                raise Stop("it asks for what it is called on", one)
            found.append(pattern)
        return found

    def _known(self) -> set[str]:
        """Return the names that mean something in the handler, but for its own parameters."""
        found = set()
        for one in self.file.of_types(self.node, NAMES):
            binding = self.scopes.of(one)
            if binding is not None and not (binding.kind == "parameter" and binding.scope == self.node):
                found.add(binding.name)
        return found

    def _parameter(self, pattern: Node, name: str) -> None:
        try:
            found = self.follower.parameter(pattern, name)
        except Whole as error:
            found = self.follower.whole(pattern, name)
            self.made_whole.append(pattern)
            self.findings.append(
                Finding(
                    "made-whole-javascript",
                    Severity.NOTE,
                    f"{self.one.name} has {name} made as {self.project.title} has it: {error.why}",
                    "It does the same; read it at the target's own places where you want that idiom",
                    self.file.place(error.node),
                    self.one.name,
                )
            )
        self._take(found)

    def _take(self, found: Followed) -> None:
        self.edits += found.edits
        self.first += found.first
        self.sources |= found.sources
        self.helpers |= found.helpers

    def _signature(self) -> None:
        typed = is_typescript(self.file)
        text = ", ".join(f"{name}: {self._type_of(name)}" if typed else name for name in self.parameters)
        single = self.node.child_by_field_name("parameter")
        listed = single if single is not None else self.node.child_by_field_name("parameters")
        if self.file.text(listed) != f"({text})" and not (single is not None and self.file.text(single) == text):
            self.edits.append(Edit(listed.start_byte, listed.end_byte, f"({text})"))

    def _type_of(self, name: str) -> str:
        """Return a parameter's type in TypeScript: that a batch is an array is what callbacks over it rest on."""
        each = self.places.theirs.each
        if each is None or each.root != name:
            return "any"
        made = "any[]"
        for step in reversed(each.steps):
            key = step.key if isinstance(step, Item) else getattr(step, "name", "")
            if not key:
                return "any"
            made = f"{{ {key}: {made}; [name: string]: any }}"
        return made

    # --- first lines ---

    def _further_in(self) -> None:
        """Indent what stands in the handler's body, but for the lines of texts that span several."""
        texts = [(one.start_byte, one.end_byte) for one in walk(self.body) if one.type == "template_string"]
        spans = [*texts, *((one.start, one.end) for one in self.edits if one.end > one.start)]
        content, end = self.file.content, self.body.end_byte - 1
        at = content.find(b"\n", self.body.start_byte) + 1
        while 0 < at <= content.rfind(b"\n", 0, end):
            blank = content[at : at + 1] in (b"\n", b"\r")
            if not blank and not any(low < at < high or low == at for low, high in spans):
                self.edits.append(Edit(at, at, "  "))
            at = content.find(b"\n", at) + 1

    def _first_lines(self, around: str) -> None:
        """Write what stands at the handler's beginning; `around` begins a function that all of it is put into."""
        awaits = any("await " in line for line in self.first) or any("await " in one.text for one in self.edits)
        if awaits and not any(child.type == "async" for child in self.node.children):
            self.edits.append(Edit(self.node.start_byte, self.node.start_byte, "async "))
        lines = [line + self.follower.semicolon for line in self.first]
        if lines and self.has_block and goes_on(self.file, self.body.named_children):
            lines[-1] = f"{lines[-1].removesuffix(';')};"
        if not lines and not around:
            return
        if not self.has_block:
            head = " ".join(f"{line.removesuffix(';')};" for line in lines)
            opens, ends = (f"{{ {head} return ", "; }") if lines else ("", "")
            self.edits.insert(0, Edit(self.body.start_byte, self.body.start_byte, f"{around}{opens}"))
            self.edits.append(Edit(self.body.end_byte, self.body.end_byte, f"{ends}{')' * bool(around)}"))
            return
        if around:
            lines = [f"return {around}{{", *(f"  {line}" for line in lines)]
            self._further_in()
            end = self.body.end_byte - 1
            begin = self.file.content.rfind(b"\n", 0, end)
            pad = self.file.content[begin + 1 : end].decode("utf-8", "replace")
            ended = f"{pad}  }}){self.follower.semicolon}\n" if not pad.strip() else " });"
            at = begin + 1 if not pad.strip() else end
            self.edits.append(Edit(at, at, ended))
        inside = self.body.named_children
        start = self.body.start_byte + 1
        rest = self.file.content[start : inside[0].start_byte if inside else self.body.end_byte - 1]
        if b"\n" in rest and inside:
            indent = indent_of(self.file, inside[0])
            self.edits.insert(0, Edit(start, start, "".join(f"\n{indent}{line}" for line in lines)))
        else:
            self.edits.insert(0, Edit(start, start, "".join(f" {line.removesuffix(';')};" for line in lines)))


def _renamed(text: str, name: str, own: str) -> str:
    """Return a function's text under another name; what it calls may well have the first."""
    return text.replace(f"function {name}(", f"function {own}(", 1)
