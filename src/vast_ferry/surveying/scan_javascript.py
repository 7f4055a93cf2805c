"""Looking at a project's JavaScript and TypeScript without running it: exports, links, calls of clients, settings."""

from __future__ import annotations

import posixpath
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Final

from vast_ferry.documents.javascript_file import (
    JavaScriptFile,
    Link,
    Node,
    linked_file,
    not_stripped,
    parse_javascript,
    string_of,
)
from vast_ferry.hub.findings import BadInput, Finding, Severity
from vast_ferry.mapping.clients import Client, name_of
from vast_ferry.mapping.javascript.names import camel
from vast_ferry.profiles.javascript import module_names
from vast_ferry.profiles.profile import Profile
from vast_ferry.surveying.chained_javascript import StepsInFile
from vast_ferry.surveying.parts import FileScan, Part, Setting, Use


@dataclass(slots=True)
class JavaScriptScan:
    """What a project's files in JavaScript say: each as it was read, its scan, and what could not be read."""

    files: dict[str, JavaScriptFile] = field(default_factory=dict)
    scans: dict[str, FileScan] = field(default_factory=dict)
    broken: dict[str, BadInput] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)


def scan_javascript(surface: Profile, contents: Iterable[tuple[str, bytes]], known: Collection[str]) -> JavaScriptScan:
    """Return what files say, by path and content; `known` are the paths of all files of the project."""
    made = JavaScriptScan()
    scanner = _Scanner(surface, known, made)
    for path, content in contents:
        try:
            made.files[path] = parse_javascript(content, path)
        except BadInput as error:
            made.broken[path] = error
            remedy = "Mend it if anything imports it"
            made.findings.append(Finding("not-javascript", Severity.TODO, error.what, remedy, error.place))
            continue
        made.findings += _not_run(made.files[path])
        made.scans[path] = scanner.scan(made.files[path])
    return made


def _not_run(file: JavaScriptFile) -> Iterable[Finding]:
    """Yield a finding for the first place in a file that Node does not run: it runs TypeScript by taking types away."""
    for node, what in not_stripped(file):
        reason = f"Node takes types away and makes no code for {what}: it refuses this file, and what imports it"
        remedy = "Write it in JavaScript's own terms (an object for an enum, a module for a namespace), or build it"
        if node.type != "decorator":  # of which Node makes nothing, whatever it is told
            reason += "; the check runs it as a build would"
            remedy += ", or start Node with --experimental-transform-types"
        yield Finding("typescript-not-run", Severity.TODO, reason, remedy, file.place(node))
        return


#: The nodes of which a file's survey is made.
_READ: Final = ("identifier", "property_identifier", "shorthand_property_identifier", "member_expression") + (
    "subscript_expression",
    "call_expression",
    "variable_declarator",
)


class _Scanner:
    def __init__(self, surface: Profile, known: Collection[str], made: JavaScriptScan) -> None:
        self.surface, self.known, self.made = surface, known, made
        self.theirs = module_names(surface)
        self.hosts = tuple(map(camel, surface.hosts))
        self.clients = {".".join(map(camel, one.called.split("."))): one for one in surface.clients}
        rows = (row for kind in surface.kinds.values() for row in kind.event.rows if row.field == "secret")
        asked = next((str(row.at) for row in rows), "")
        self.secret = camel(asked.partition("(")[0].rpartition(".")[2])

    def scan(self, file: JavaScriptFile) -> FileScan:
        """Return what one file says, by the names that its top binds."""
        links = {own: link for link in file.links for own in link.names}
        own = {
            name: (there, "" if link.names[name] == "*" else link.names[name])
            for name, link in links.items()
            if (there := linked_file(file.path, link.module, self.known))
        }
        for link in file.links:
            if not link.names and (there := linked_file(file.path, link.module, self.known)):
                own[f"*{link.module}"] = (there, "")
        aliases = {
            name: replace(link, module=module)
            for name, link in links.items()
            if (module := self._theirs(file.path, link.module))
        }
        self._unknown_names(file, aliases)
        self.steps = StepsInFile(
            self.surface.clients,
            self.surface.hosts,
            file,
            lambda name: _thing(aliases, name) if name in aliases else "",
        )
        parts = {name: self._part(file, nodes, aliases) for name, nodes in _by_name(file).items()}
        for name, inner in file.exports.items():  # under each name, what stands behind it
            if name not in parts:
                parts[name] = parts.get(inner, Part(names=frozenset([inner] if inner else [])))
        parts.setdefault("", Part())
        return FileScan(frozenset(file.exports), own, parts, file.more)

    def _theirs(self, path: str, module: str) -> str:
        """Return the provider's module that a link means: by its name, or by a file that was made in its place."""
        if not module.startswith("."):
            return module if module in self.theirs else ""
        there = posixpath.normpath(posixpath.join(posixpath.dirname(path), module)).removesuffix(".mjs")
        return there if there in self.theirs else ""

    def _part(self, file: JavaScriptFile, nodes: list[Node], aliases: dict[str, Link]) -> Part:
        names: set[str] = set()
        uses: list[Use] = []
        settings: list[Setting] = []
        for top in nodes:
            for node in file.of_types(top, _READ):
                uses += [Use(client, file.place(node), on) for client, on in self.steps.calls(node)]
                if node.type in ("identifier", "property_identifier", "shorthand_property_identifier"):
                    names.add(file.text(node))
                elif node.type == "member_expression":
                    settings += self._setting(file, node)
                    uses += self._use(file, node, aliases)
                    self._unknown_step(file, node)
                elif node.type == "subscript_expression":
                    settings += self._setting(file, node)
                elif node.type == "call_expression":
                    settings += self._secret(file, node)
                elif node.type == "variable_declarator":
                    settings += self._unpacked(file, node)
        return Part(tuple(uses), tuple(settings), frozenset(names))

    def _use(self, file: JavaScriptFile, node: Node, aliases: dict[str, Link]) -> Iterable[Use]:
        root, *rest = file.text(node).replace("?.", ".").split(".")
        if root in aliases:
            root = _thing(aliases, root)
        client = self.clients.get(".".join([root, *rest])) or self._handed(file, [root, *rest])
        if client is not None:
            yield Use(client, file.place(node), _named(file, node, client))

    def _handed(self, file: JavaScriptFile, parts: list[str]) -> Client | None:
        """Return the call of a service that a handler is handed, under its name there, or kept in an object."""
        if any(parts[0] in link.names for link in file.links):  # what another module has
            return None
        tails = (".".join(parts[at:]) for at in range(len(parts) - 1))
        found = (self.clients.get(f"{host}.{tail}") for tail in tails for host in self.hosts)
        return next((one for one in found if one is not None), None)

    def _setting(self, file: JavaScriptFile, node: Node) -> Iterable[Setting]:
        base = node.child_by_field_name("object")
        if file.text(base) not in ("process.env", "env"):
            return
        name = node.child_by_field_name("property")
        text = file.text(name) if name is not None else string_of(file, node.child_by_field_name("index"))
        above = node.parent
        written = (
            above is not None and above.type == "assignment_expression" and above.child_by_field_name("left") == node
        )
        if text and not written:
            given = (
                above is not None
                and above.type == "binary_expression"
                and file.text(above.child_by_field_name("operator")) in ("||", "??")
            )
            yield Setting(text, file.place(node), given=given)

    def _unpacked(self, file: JavaScriptFile, node: Node) -> Iterable[Setting]:
        """Yield the settings that `const { NAME, OTHER = "usual" } = process.env` reads."""
        pattern, value = node.child_by_field_name("name"), node.child_by_field_name("value")
        if value is None or pattern.type != "object_pattern" or file.text(value) != "process.env":
            return
        for part in pattern.named_children:
            given = part.type == "object_assignment_pattern"
            name = part.named_children[0] if given or part.type == "pair_pattern" else part
            yield Setting(file.text(name), file.place(part), given=given)

    def _secret(self, file: JavaScriptFile, node: Node) -> Iterable[Setting]:
        function, given = node.child_by_field_name("function"), node.child_by_field_name("arguments")
        asked = self.secret and function.type == "member_expression" and given is not None
        if asked and file.text(function.child_by_field_name("property")) == self.secret:
            text = string_of(file, given.named_children[0]) if given.named_children else None
            if text:
                yield Setting(text, file.place(node), secret=True)

    def _unknown_step(self, file: JavaScriptFile, node: Node) -> None:
        if text := self.steps.unknown(node):
            why = f"{text} is used, and {self.surface.title}'s profile knows no such thing: it fails when it is reached"
            remedy = "Describe it in the profile, or call the target's own client there"
            self.made.findings.append(Finding("client-not-carried", Severity.BLOCKING, why, remedy, file.place(node)))

    def _unknown_names(self, file: JavaScriptFile, aliases: dict[str, Link]) -> None:
        known = self.surface.provided
        for link in {id(link.text): link for link in aliases.values()}.values():
            there = {camel(one) for one in known.get(link.module, ())}
            missing = [name for name in link.names.values() if name not in ("*", "default") and name not in there]
            if missing:
                why = f"{', '.join(missing)} of {self.surface.title} is imported, and its profile knows no such thing"
                remedy = "Call the target's own client there, or leave the function where it is"
                place = file.place(link.text)
                self.made.findings.append(Finding("client-not-carried", Severity.BLOCKING, why, remedy, place))


def _thing(aliases: Mapping[str, Link], name: str) -> str:
    """Return what of the provider's a name is: a module's path, or that of a thing in it."""
    there = aliases[name].names[name]
    return aliases[name].module if there in ("*", "default") else f"{aliases[name].module}.{there}"


def _by_name(file: JavaScriptFile) -> dict[str, list[Node]]:
    """Return what stands at a file's top by the name that it binds or exports; under an empty name all else."""
    found: dict[str, list[Node]] = {"": []}
    for statement in file.root.named_children:
        node = statement
        if statement.type == "export_statement":
            inner = statement.child_by_field_name("declaration")
            node = inner if inner is not None else statement
        names = _bound(file, node)
        for name in names or [""]:
            found.setdefault(name, []).append(statement)
    return found


def _bound(file: JavaScriptFile, node: Node) -> list[str]:
    if node.type in ("function_declaration", "generator_function_declaration", "class_declaration"):
        name = node.child_by_field_name("name")
        return [file.text(name)] if name is not None else ["default"]
    if node.type in ("lexical_declaration", "variable_declaration"):
        held = [one.child_by_field_name("value") for one in node.named_children]
        functions = ("arrow_function", "function_expression", "generator_function", "class")
        if held and all(one is not None and one.type in functions for one in held):
            return [file.text(one.child_by_field_name("name")) for one in node.named_children]
        return []
    if node.type == "export_statement":
        return ["default"] if any(child.type == "default" for child in node.children) else []
    if node.type == "expression_statement" and node.named_children[0].type == "assignment_expression":
        target = file.text(node.named_children[0].child_by_field_name("left"))
        before, _, name = target.rpartition(".")
        return [name] if before in ("exports", "module.exports") else []
    return []


def _named(file: JavaScriptFile, node: Node, client: Client) -> str:
    """Return which bucket, channel or table a call is made on, where it stands in the code."""
    call = node.parent
    if call is None or call.type != "call_expression" or call.child_by_field_name("function") != node:
        return ""
    first = next((name_of(one) for one in client.takes), "")
    rows = {row.at.root: row.field for row in client.arguments.rows}
    if rows.get(first) not in ("bucket", "channel", "table", "name"):
        return ""
    given = call.child_by_field_name("arguments").named_children
    if not given:
        return ""
    text = string_of(file, given[0])
    if text is not None:
        return text
    told = file.text(given[0])
    return f"${told.removeprefix('process.env.')}" if told.startswith("process.env.") else ""
