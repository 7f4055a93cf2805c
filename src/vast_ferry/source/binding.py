"""Calls of services made declared outputs, where the provider has such and a wire can say all that the call says.

Works on handlers that are the provider's own already: what a call writes, the declaration then says, and the handler
fills an output by its method.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from vast_ferry.hub.functions import Binding, Function
from vast_ferry.mapping.clients import Client
from vast_ferry.mapping.places import Attr, Item
from vast_ferry.providers.profile import Profile
from vast_ferry.source.imports import Imports
from vast_ferry.source.moves import Done, composed
from vast_ferry.source.native import Rewritten
from vast_ferry.source.nodes import Nodes
from vast_ferry.source.text import Edit, SourceText
from vast_ferry.source.wrapping import slug

#: What may be an output: operation → the field that is written, and those that say where.
_WRITES = {
    "object.write": ("body", ("bucket", "key")),
    "message.send": ("body", ("channel",)),
    "record.write": ("record", ("table", "keys")),
}
#: What is written down only where it is something.
_EMPTY = (None, "", b"")


@dataclass(frozen=True, slots=True)
class _Fill:
    """One call that may become an output: the call, what it writes, and the wire that would say the rest."""

    call: ast.Call
    value: ast.expr
    wire: Binding


@dataclass(slots=True)
class _Handler:
    function: Function
    node: ast.FunctionDef
    nodes: Nodes
    event: str
    parameters: list[str]
    fills: list[_Fill] = field(default_factory=list)


def bind(target: Profile, result: Rewritten, functions: Iterable[Function], files: Mapping[str, bytes]) -> None:
    """Make calls in rewritten handlers declared outputs; `files` are the author's own, as they were."""
    if not target.model.handler.output:
        return
    by_file: dict[str, list[Function]] = {}
    for function in functions:
        if function.name in result.entries and len(function.kinds) == 1:
            by_file.setdefault(result.entries[function.name].file, []).append(function)
    for file, own in by_file.items():
        if file in result.files:
            _File(target, result, file, own).bind(files[file])


def _wires(target: Profile) -> dict[str, set[str]]:
    """Return what can be said of an output of each kind."""
    model = target.model.definition
    rows = model.functions.triggers if model else []
    return {one.kind: {row.is_ for row in one.rows if row.is_} for one in rows if one.way == "out"}


class _File:
    def __init__(self, target: Profile, result: Rewritten, file: str, functions: Sequence[Function]) -> None:
        self.target, self.result, self.file, self.functions = target, result, file, functions
        self.text = SourceText(result.files[file], file)
        tree = self.text.parse()
        self.tree, self.nodes = tree, Nodes(tree)
        self.wires = _wires(target)
        self.clients = self._clients()

    def bind(self, before: bytes) -> None:
        edits: list[Edit] = []
        for handler in self._handlers():
            handler.fills = list(self._fills(handler))
            if handler.fills:
                edits += self._edits(handler)
        if not edits or self.text.strange:
            return
        draft = Nodes(ast.parse(self.text.spliced(edits)))
        theirs = frozenset({*self.target.model.modules, *(client.root for client in self.target.clients)})
        editor = Imports(self.text, self.tree, theirs)
        edits += editor.edits(draft.ids | draft.exported, self.nodes.ids | self.nodes.exported)
        content, spans = self.text.edited(edits)
        second = [Done(self.file, one, other, edit.reason) for one, other, edit in spans]
        first = [edit for edit in self.result.edits if edit.file == self.file]
        rest = [edit for edit in self.result.edits if edit.file != self.file]
        after = SourceText(content, self.file)
        self.result.edits = [*rest, *composed(first, second, SourceText(before, self.file), self.text, after)]
        self.result.files[self.file] = content

    def _clients(self) -> dict[str, Client]:
        """Return the clients that may be outputs, by how the module calls them."""
        found = {}
        groups = {}
        for node in self.nodes.imports:
            if isinstance(node, ast.ImportFrom) and not node.level:
                groups.update({(node.module, alias.name): alias.asname or alias.name for alias in node.names})
        for client in self.target.clients:
            group, _, rest = client.path.partition(".")
            own = groups.get((client.root, group))
            if own and client.operation in _WRITES and client.operation.partition(".")[0] in self.wires:
                found[f"{own}.{rest}" if rest else own] = client
        return {} if any(client.awaited for client in found.values()) else found

    def _handlers(self) -> Iterator[_Handler]:
        entries = [self.result.entries[one.name] for one in self.functions]
        for function in self.functions:
            entry = self.result.entries[function.name]
            named = [node for node in self.tree.body if getattr(node, "name", "") == entry.name]
            if entries.count(entry) != 1 or len(named) != 1 or not isinstance(named[0], ast.FunctionDef):
                continue
            node, shape = named[0], self.target.kind(function.kinds[0]).event
            parameters = [argument.arg for argument in node.args.args]
            # It must be called by its provider alone, with just what that hands over.
            if (
                parameters != list(shape.handed_over)
                or self.nodes.uses(entry.name)
                or ast.unparse(node.args).count("=")
            ):
                continue
            yield _Handler(function, node, Nodes(node, self.nodes), shape.event_parameters[0], parameters)

    # --- which calls ---

    def _fills(self, handler: _Handler) -> Iterator[_Fill]:
        parents = handler.nodes.parents
        taken = {*handler.nodes.named, *self.nodes.bound, *handler.parameters}
        taken |= {node.name for node in self.nodes.all if isinstance(node, ast.FunctionDef | ast.ClassDef)}
        names: dict[Binding, str] = {}
        for node in handler.nodes.all:
            if not isinstance(node, ast.Call) or not isinstance(parents.get(id(node)), ast.Expr):
                continue
            client = self.clients.get(ast.unparse(node.func)) if isinstance(node.func, ast.Attribute) else None
            made = self._wire(client, node, handler) if client is not None else None
            if made is None:
                continue
            wire, value = made
            if wire not in names:
                name = slug(wire.source)
                while name in taken:
                    name += "_"
                taken.add(name)
                names[wire] = name
            said = Binding(names[wire], "out", wire.kind, wire.source, wire.key, wire.form, wire.content_type)
            yield _Fill(node, value, said)

    def _wire(self, client: Client, call: ast.Call, handler: _Handler) -> tuple[Binding, ast.expr] | None:
        """Return the output that a call could be, and what it writes; nothing where a wire can't say all of it."""
        names = [parameter.partition("=")[0] for parameter in client.takes]
        if any(isinstance(one, ast.Starred) for one in call.args) or any(k.arg not in names for k in call.keywords):
            return None
        given = dict(zip(names, call.args, strict=False)) | {k.arg: k.value for k in call.keywords if k.arg}
        fields = {row.field: given[row.at.root] for row in client.arguments.rows if row.at.root in given}
        kind = client.operation.partition(".")[0]
        written, where = _WRITES[client.operation]
        value, source = fields.pop(written, None), _constant(fields.pop(where[0], None))
        if (
            value is None
            or isinstance(value, ast.Starred | ast.GeneratorExp)
            or not isinstance(source, str)
            or not source
        ):
            return None
        key = ""
        if "key" in where:
            found = self._key(fields.pop("key", None), handler)
            if found is None:
                return None
            key = found
        if "keys" in where and not self._all_captures(fields.pop("keys", None), handler):
            return None
        content_type = ""
        if "content_type" in fields and "content_type" in self.wires[kind]:
            said = _constant(fields.pop("content_type"))
            if not isinstance(said, str):
                return None
            content_type = said
        if any(_constant(other) not in _EMPTY and not _is_empty(other) for other in fields.values()):
            return None
        form, value = _formed(value) if written == "body" else ("whole", value)
        return Binding("", "out", kind, source, key, form, content_type), value  # type: ignore[arg-type]

    def _key(self, node: ast.expr | None, handler: _Handler) -> str | None:
        """Return the key of an object as a wire says it: a text, in which captures of the route may stand."""
        said = _constant(node)
        if isinstance(said, str):
            return said if said and not set("{}") & set(said) else None
        if not isinstance(node, ast.JoinedStr) or handler.function.kinds != ("http",):
            return None
        pieces = []
        for part in node.values:
            if isinstance(part, ast.Constant) and isinstance(part.value, str) and not set("{}") & set(part.value):
                pieces.append(part.value)
                continue
            plain = isinstance(part, ast.FormattedValue) and part.conversion == -1 and part.format_spec is None
            name = self._capture(part.value, handler) if plain else ""  # type: ignore[attr-defined]
            if not name:
                return None
            pieces.append(f"{{{name}}}")
        return "".join(pieces)

    def _capture(self, node: ast.expr, handler: _Handler) -> str:
        """Return the name of the capture that an expression is, or that the name holds which it is."""
        if isinstance(node, ast.Name):
            bound = [use for use in handler.nodes.uses(node.id) if not isinstance(use.ctx, ast.Load)]
            statement = handler.nodes.parents.get(id(bound[0])) if len(bound) == 1 else None
            at_top = isinstance(statement, ast.Assign) and statement in handler.node.body
            return self._capture(statement.value, handler) if at_top else ""  # type: ignore[union-attr]
        if not isinstance(node, ast.Subscript) or not self._is_captures(node.value, handler):
            return ""
        name = _constant(node.slice)
        routes = [trigger.route for trigger in handler.function.routes]
        there = isinstance(name, str) and all(re.search(rf"\{{\+?{re.escape(name)}[}}*]", route) for route in routes)
        return str(name) if there and routes else ""

    def _is_captures(self, node: ast.expr | None, handler: _Handler) -> bool:
        shape = self.target.kind("http").event
        row = next((row for row in shape.rows if row.field == "captures" and row.codec.name == "plain"), None)
        if row is None or node is None or handler.function.kinds != ("http",):
            return False
        for step in reversed(row.at.steps):
            item = isinstance(step, Item) and isinstance(node, ast.Subscript) and _constant(node.slice) == step.key
            if not item and not (isinstance(step, Attr) and isinstance(node, ast.Attribute) and node.attr == step.name):
                return False
            assert isinstance(node, ast.Subscript | ast.Attribute)
            node = node.value
        return isinstance(node, ast.Name) and node.id == handler.event

    def _all_captures(self, node: ast.expr | None, handler: _Handler) -> bool:
        """Tell whether the keys of a record are just what the route captures."""
        if self._is_captures(node, handler):
            return True
        names = {name for trigger in handler.function.routes for name in re.findall(r"\{\+?(\w+)", trigger.route)}
        if not isinstance(node, ast.Dict) or not names or handler.function.kinds != ("http",):
            return False
        keys = [_constant(key) for key in node.keys]
        held = [self._capture(value, handler) for value in node.values]
        return keys == held and set(held) == names

    # --- what becomes of them ---

    def _edits(self, handler: _Handler) -> list[Edit]:
        method = self.target.model.handler.output
        wires = list(dict.fromkeys(fill.wire for fill in handler.fills))
        last = self.text.end(handler.node.args.args[-1])
        edits = [Edit(last, last, "".join(f", {wire.name}" for wire in wires), "output")]
        for fill in handler.fills:
            start, end = self.text.start(fill.call), self.text.end(fill.call)
            edits.append(Edit(start, self.text.start(fill.value), f"{fill.wire.name}.{method}(", "output"))
            edits.append(Edit(self.text.end(fill.value), end, ")", "output"))
        kind, function = handler.function.kinds[0], handler.function
        source = next((getattr(trigger, "source", "") for trigger in function.triggers), "")
        event = Binding(handler.event, "event", kind, source)  # type: ignore[arg-type]
        self.result.bindings[function.name] = (event, *wires)
        return edits


def _constant(node: ast.expr | None) -> object:
    return node.value if isinstance(node, ast.Constant) else node


def _formed(node: ast.expr) -> tuple[str, ast.expr]:
    """Return in which form an output takes a content, and what it then takes."""
    if not isinstance(node, ast.Call) or ast.unparse(node.func) != "json.dumps" or len(node.args) != 1:
        return "whole", node
    said = {keyword.arg: ast.unparse(keyword.value) for keyword in node.keywords}
    as_written = said == {"ensure_ascii": "False", "separators": "(',', ':')"}
    return ("json", node.args[0]) if as_written else ("whole", node)


def _is_empty(node: ast.expr) -> bool:
    return isinstance(node, ast.Dict) and not node.keys
