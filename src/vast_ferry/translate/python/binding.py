"""Calls of services made declared inputs and outputs, where a provider has such and a wire can say all of a call.

Works on handlers that are the provider's own already: what a call reads or writes, and where, the declaration then
says; an input is a parameter, and an output is filled by its method. Only what a handler reads at its head in any case
becomes an input: nothing is read that was not, and nothing before what was written.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from vast_ferry.definitions.filters.captures import captures_of, read_captures
from vast_ferry.definitions.filters.ends import FilterError
from vast_ferry.hub.functions import Binding, EventTrigger, Function
from vast_ferry.hub.keys import differing_key, without_captures
from vast_ferry.hub.kinds import REQUEST
from vast_ferry.mapping.clients import Client
from vast_ferry.mapping.inline import at_text
from vast_ferry.mapping.places import Attr, Item
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.identifiers import slug
from vast_ferry.translate.moves import Done, composed
from vast_ferry.translate.python.imports import Imports
from vast_ferry.translate.python.nodes import Nodes, walk
from vast_ferry.translate.python.rewritten import Rewritten
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.text import Edit

#: What may be an output: operation → the field that is written, and those that say where.
_WRITES = {
    "object.write": ("body", ("bucket", "key")),
    "message.send": ("body", ("channel",)),
    "record.write": ("record", ("table", "keys")),
}
#: Modules whose functions only compute; of any other it is not known what a call does before a read.
_COMPUTES = frozenset(
    ["base64", "binascii", "collections", "datetime", "decimal", "fractions", "functools", "hashlib", "hmac", "json"]
    + ["itertools", "math", "operator", "re", "statistics", "string", "struct", "textwrap", "uuid"]
)
#: Builtins that do more than compute.
_ACTS = frozenset(["open", "exec", "eval", "input", "print", "__import__", "breakpoint", "setattr", "delattr"])
#: What is written down only where it is something.
_EMPTY = (None, "", b"")


@dataclass(frozen=True, slots=True)
class _Fill:
    """One call that may become an output: the call, what it writes, and the wire that would say the rest."""

    call: ast.Call
    value: ast.expr
    wire: Binding


@dataclass(frozen=True, slots=True)
class _Take:
    """Statements at a handler's head that read what may become an input, or the content of what triggers it."""

    statements: tuple[ast.stmt, ...]
    wire: Binding


@dataclass(slots=True)
class _Handler:
    function: Function
    node: ast.FunctionDef
    nodes: Nodes
    event: str
    parameters: list[str]
    fills: list[_Fill] = field(default_factory=list)
    takes: list[_Take] = field(default_factory=list)
    pattern: str = ""  # of the keys that trigger it, where what it captures becomes parameters
    captured: tuple[str, ...] = ()
    apart: ast.stmt | None = None  # the statement that took the key apart


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


def _wires(target: Profile, way: str = "out") -> dict[str, set[str]]:
    """Return what can be said of an output, or of an input, of each kind."""
    model = target.model.definition
    rows = model.functions.triggers if model else []
    return {one.kind: {row.field for row in one.rows if row.field} for one in rows if one.way == way}


class _File:
    def __init__(self, target: Profile, result: Rewritten, file: str, functions: Sequence[Function]) -> None:
        self.target, self.result, self.file, self.functions = target, result, file, functions
        self.text = PythonText(result.files[file], file)
        tree = self.text.parse()
        self.tree, self.nodes = tree, Nodes(tree)
        self.wires = _wires(target)
        self.clients = self._clients()
        # What the module defines or imports: calls of it may do anything.
        imported = {alias.asname or alias.name for node in self.nodes.imports for alias in node.names}
        at_top = [name for node in tree.body if isinstance(node, (ast.Assign, ast.AnnAssign)) for name in walk(node)]
        self.defined = {getattr(node, "name", "") for node in tree.body} | imported
        self.defined |= {node.id for node in at_top if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store)}
        self.reads = self._clients(("object.read", "record.read"), "in")

    def bind(self, before: bytes) -> None:
        edits: list[Edit] = []
        for handler in self._handlers():
            handler.takes = list(self._takes(handler))
            handler.fills = list(self._fills(handler))
            if handler.fills or handler.takes:
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
        after = PythonText(content, self.file)
        self.result.edits = [*rest, *composed(first, second, PythonText(before, self.file), self.text, after)]
        self.result.files[self.file] = content

    def _clients(self, operations: Iterable[str] = tuple(_WRITES), way: str = "out") -> dict[str, Client]:
        """Return the clients that may be outputs, or inputs, by how the module calls them."""
        wires = _wires(self.target, way)
        found = {}
        groups = {}
        for node in self.nodes.imports:
            if isinstance(node, ast.ImportFrom) and not node.level:
                groups.update({(node.module, alias.name): alias.asname or alias.name for alias in node.names})
        for client in self.target.clients:
            group, _, rest = client.path.partition(".")
            own = groups.get((client.root, group))
            if own and client.operation in operations and client.operation.partition(".")[0] in wires:
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
            # It must be called by its provider alone, and nothing stand between, with just what that hands over.
            if (
                parameters != list(shape.handed_over)
                or self.nodes.uses(entry.name)
                or node.decorator_list
                or ast.unparse(node.args).count("=")
            ):
                continue
            yield _Handler(function, node, Nodes(node, self.nodes), shape.event_parameters[0], parameters)

    # --- what is read ---

    def _takes(self, handler: _Handler) -> Iterator[_Take]:
        """Yield what a handler reads at its head, before it does anything else."""
        body = list(handler.node.body)
        if isinstance(body[0], ast.Expr) and isinstance(body[0].value, ast.Constant):
            body.pop(0)
        while len(body) > 1:
            statement = body.pop(0)
            if not isinstance(statement, ast.Assign) or not self._harmless(statement):
                return
            if not handler.captured and self._captures(statement, handler):
                continue
            name = statement.targets[0].id if isinstance(statement.targets[0], ast.Name) else ""
            if not name or len(statement.targets) != 1 or name in handler.parameters:
                continue
            form, following = self._form(name, body)
            stores = [use for use in handler.nodes.uses(name) if not isinstance(use.ctx, ast.Load)]
            if len(stores) != 1 + len(following):
                continue
            wire = self._input(statement.value, handler)
            if wire is not None:
                said = Binding(name, "in", wire.kind, wire.source, wire.key, form if wire.kind == "object" else "whole")
            elif self._is_content(statement.value, handler) and form != "text":  # which goes by the content's charset
                said = Binding(name, "event", "object", self._source(handler), "", form)
            else:
                continue
            yield _Take((statement, *following), said)

    def _captures(self, node: ast.Assign, handler: _Handler) -> bool:
        """Tell whether a statement takes the key apart just as the trigger's filter lets it through."""
        target, call = node.targets[0], node.value
        names = [one.id for one in getattr(target, "elts", ()) if isinstance(one, ast.Name)]
        grouped = isinstance(call, ast.Call) and isinstance(call.func, ast.Attribute)
        row = next((row for row in self.target.kind(handler.function.kinds[0]).event.rows if row.field == "key"), None)
        triggers = [one for one in handler.function.triggers if isinstance(one, EventTrigger) and one.kind == "object"]
        if not grouped or not names or row is None or not row.lens.plain or len(triggers) != 1:
            return False
        assert isinstance(call, ast.Call)
        assert isinstance(call.func, ast.Attribute)
        match = call.func.value
        if call.func.attr != "groups" or not isinstance(match, ast.Call) or ast.unparse(match.func) != "re.fullmatch":
            return False
        said = [_constant(match.args[0]), *map(ast.unparse, match.args[1:])]
        place = ast.unparse(ast.parse(at_text(row.at, {row.at.root: handler.event}), mode="eval").body)
        pattern = _pattern_of(said[0], names) if isinstance(said[0], str) else ""
        dots = "." in re.sub(r"\\.|\[\^/\]", "", str(said[0]))
        once = all(len([u for u in handler.nodes.uses(name) if not isinstance(u.ctx, ast.Load)]) == 1 for name in names)
        if not pattern or not once or said[1:] != [place, *(["re.DOTALL"] if dots else [])]:
            return False
        if differing_key(without_captures(read_captures(pattern)), without_captures(triggers[0].filter)) is not None:
            return False
        handler.pattern, handler.captured, handler.apart = pattern, tuple(names), node
        return True

    def _harmless(self, node: ast.Assign) -> bool:
        """Tell whether a statement does nothing to the outside: it calls what only computes, or what only reads."""
        for call in walk(node):
            if not isinstance(call, ast.Call):
                continue
            root: ast.expr = call.func
            while isinstance(root, (ast.Attribute, ast.Subscript, ast.Call)):
                root = root.func if isinstance(root, ast.Call) else root.value
            name = root.id if isinstance(root, ast.Name) else ""
            handed = root is call.func and name in self.nodes.bound  # a function that a variable holds
            own = handed or name in _ACTS or (name in self.defined and name not in _COMPUTES)
            if own and ast.unparse(call.func) not in self.reads:
                return False
        return True

    def _form(self, name: str, body: Sequence[ast.stmt]) -> tuple[str, list[ast.stmt]]:
        """Return in which form a content is taken, and the statement that brings it into that."""
        following = ast.unparse(body[0]) if body else ""
        for form, made in (("json", f"json.loads({name})"), ("text", f"{name}.decode(errors='replace')")):
            if following == f"{name} = None if {name} is None else {made}":
                return form, [body[0]]
        return "bytes", []

    def _input(self, node: ast.expr, handler: _Handler) -> Binding | None:
        """Return the input that a call could be."""
        client = self.reads.get(ast.unparse(node.func)) if isinstance(node, ast.Call) else None
        if client is None or client.absent != "none" or client.awaited:
            return None
        assert isinstance(node, ast.Call)
        fields = _given(client, node)
        source = _constant(fields.get("bucket") or fields.get("table"))
        if not isinstance(source, str) or not source:
            return None
        if client.operation == "record.read":
            return Binding("", "in", "record", source) if self._all_captures(fields.get("keys"), handler) else None
        key = self._key(fields.get("key"), handler)
        return Binding("", "in", "object", source, key) if key is not None else None

    def _is_content(self, node: ast.expr, handler: _Handler) -> bool:
        """Tell whether a call reads the object that the event tells of, and nothing else asks anything of the event."""
        client = self.reads.get(ast.unparse(node.func)) if isinstance(node, ast.Call) else None
        if client is None or client.operation != "object.read" or handler.function.kinds != ("object",):
            return False
        if client.absent != "none" or client.awaited or not self._source(handler):
            return False
        assert isinstance(node, ast.Call)
        fields = _given(client, node)
        rows = {row.field: row for row in self.target.kind("object").event.rows if row.lens.plain}
        for name in ("bucket", "key"):
            place = at_text(rows[name].at, {rows[name].at.root: handler.event}) if name in rows else ""
            said = fields.get(name)
            same = said is not None and place and ast.dump(said) == ast.dump(ast.parse(place, mode="eval").body)
            if not same and not (name == "bucket" and _constant(said) == self._source(handler)):
                return False
        inside = {id(inner) for inner in (*walk(node), *(walk(handler.apart) if handler.apart else ()))}
        return all(id(use) in inside for use in handler.nodes.uses(handler.event))

    def _source(self, handler: _Handler) -> str:
        """Return the only bucket, channel or table that triggers a handler."""
        sources = {getattr(trigger, "source", "") for trigger in handler.function.triggers}
        return sources.pop() if len(sources) == 1 else ""

    # --- which calls ---

    def _fills(self, handler: _Handler) -> Iterator[_Fill]:
        parents = handler.nodes.parents
        taken = {*handler.nodes.named, *self.nodes.bound, *handler.parameters}
        taken |= {take.wire.name for take in handler.takes}
        taken |= {node.name for node in self.nodes.all if isinstance(node, (ast.FunctionDef, ast.ClassDef))}
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
        fields = _given(client, call)
        kind = client.operation.partition(".")[0]
        written, where = _WRITES[client.operation]
        value, source = fields.pop(written, None), _constant(fields.pop(where[0], None))
        if (
            value is None
            or isinstance(value, (ast.Starred, ast.GeneratorExp))
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
        if not isinstance(node, ast.JoinedStr) or handler.function.kinds not in ((REQUEST,), ("object",)):
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
        if isinstance(node, ast.Name) and node.id in handler.captured:
            return node.id
        if isinstance(node, ast.Name) and handler.function.kinds == (REQUEST,):
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
        shape = self.target.kind(REQUEST).event
        row = next((row for row in shape.rows if row.field == "captures" and row.lens.plain), None)
        if row is None or node is None or handler.function.kinds != (REQUEST,):
            return False
        for step in reversed(row.at.steps):
            item = isinstance(step, Item) and isinstance(node, ast.Subscript) and _constant(node.slice) == step.key
            if not item and not (isinstance(step, Attr) and isinstance(node, ast.Attribute) and node.attr == step.name):
                return False
            assert isinstance(node, (ast.Subscript, ast.Attribute))
            node = node.value
        return isinstance(node, ast.Name) and node.id == handler.event

    def _all_captures(self, node: ast.expr | None, handler: _Handler) -> bool:
        """Tell whether the keys of a record are just what the route captures."""
        if self._is_captures(node, handler):
            return True
        names = {name for trigger in handler.function.routes for name in re.findall(r"\{\+?(\w+)", trigger.route)}
        names |= set(handler.captured)
        if not isinstance(node, ast.Dict) or not names:
            return False
        keys = [_constant(key) for key in node.keys]
        held = [self._capture(value, handler) for value in node.values]
        return keys == held and set(held) == names

    # --- what becomes of them ---

    def _edits(self, handler: _Handler) -> list[Edit]:
        method = self.target.model.handler.output
        content = next((take.wire for take in handler.takes if take.wire.way == "event"), None)
        inputs = [take.wire for take in handler.takes if take.wire is not content]
        used = {name for wire in inputs for name in captures_of(wire.key)}
        used |= {name for fill in handler.fills for name in captures_of(fill.wire.key)}
        tables = any(wire.kind == "record" for wire in (*inputs, *(fill.wire for fill in handler.fills)))
        apart = handler.apart if used or tables or content is not None else None
        captured = handler.captured if apart is not None else ()
        wires = [*inputs, *dict.fromkeys(fill.wire for fill in handler.fills)]
        arguments = handler.node.args.args
        last = self.text.end(arguments[-1])
        more = [*captured, *(wire.name for wire in wires)]
        edits = [Edit(last, last, "".join(f", {name}" for name in more), "output")] if more else []
        if content is not None:
            first = next(one for one in arguments if one.arg == handler.event)
            edits.append(Edit(self.text.start(first), self.text.end(first), content.name, "input"))
        gone = [[apart]] if apart is not None else []
        for statements in [*gone, *(take.statements for take in handler.takes)]:
            for statement in statements:
                start = self.text.line_start(self.text.start(statement))
                edits.append(Edit(start, self.text.next_line(self.text.end(statement) - 1), "", "input"))
        for fill in handler.fills:
            start, end = self.text.start(fill.call), self.text.end(fill.call)
            edits.append(Edit(start, self.text.start(fill.value), f"{fill.wire.name}.{method}(", "output"))
            edits.append(Edit(self.text.end(fill.value), end, ")", "output"))
        kind, function = handler.function.kinds[0], handler.function
        source = next((getattr(trigger, "source", "") for trigger in function.triggers), "")
        event = content or Binding(handler.event, "event", kind, source)  # type: ignore[arg-type]
        event = replace(event, key=handler.pattern if apart is not None else "")
        self.result.bindings[function.name] = (event, *wires)
        return edits


def _given(client: Client, call: ast.Call) -> dict[str, ast.expr]:
    """Return what a call says, by the operation's fields; nothing where it can't be told."""
    names = [parameter.partition("=")[0] for parameter in client.takes]
    if any(isinstance(one, ast.Starred) for one in call.args) or any(k.arg not in names for k in call.keywords):
        return {}
    given = dict(zip(names, call.args, strict=False)) | {k.arg: k.value for k in call.keywords if k.arg}
    return {row.field: given[row.at.root] for row in client.arguments.rows if row.at.root in given}


def _pattern_of(regular: str, names: Sequence[str]) -> str:
    """Return the path with captures that a regular expression of groups is; empty where it is none."""
    pieces, left = [], list(names)
    for piece in re.findall(r"\(\[\^/\]\+\)|\(\.\+\)|\[\^/\]\+|\.\*|\\.|[^\\()\[\].*+?^$|{}]|.", regular, re.DOTALL):
        if piece in ("([^/]+)", "(.+)"):
            if not left:
                return ""
            pieces.append(f"{{{left.pop(0)}{'...' * (piece == '(.+)')}}}")
        elif piece in ("[^/]+", ".*"):
            pieces.append("{}" if piece == "[^/]+" else "{...}")
        elif len(piece) == 2 and not piece[1].isalnum():
            pieces.append(piece[1])
        elif len(piece) == 1 and piece not in "\\()[].*+?^$|{}":
            pieces.append(piece)
        else:
            return ""
    try:
        read_captures("".join(pieces))
    except FilterError:
        return ""
    return "" if left else "".join(pieces)


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
