"""Calls of services that are made step by step, found in a file: `looms = open("looms")`, then `looms.row(1).read()`.

What the first steps give is a handle: a name, or an attribute of an object, may hold it, and the rest is called there.
A step that no call of the profile has is told: nothing else would, until the handler makes it. A handle that is handed
on may be asked for all that begins as it does.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from vast_ferry.mapping.clients import Client

Told = Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Handle:
    """What the first steps of calls give: the clients that begin so, how many steps were made, and what was told."""

    ways: tuple[Client, ...]
    made: int = 0
    told: tuple[tuple[str, str], ...] = ()

    @property
    def whole(self) -> Client | None:
        """Return the client of which all steps but the last call were made."""
        return next((way for way in self.ways if way.chain and len(way.chain.steps) == self.made), None)

    def called(self, said: Callable[[tuple[Any, ...]], dict[str, str] | None]) -> Handle | None:
        """Return what a call gives: `said` is what its arguments tell of a step's parameters, if they can be its."""
        fits, told = [], dict(self.told)
        for way in self.ways:
            step = way.chain.steps[self.made] if way.chain and self.made < len(way.chain.steps) else ("", ())
            if step[0] == "call" and (more := said(step[1])) is not None:
                fits.append(way)
                told |= more
        return Handle(tuple(fits), self.made + 1, tuple(told.items())) if fits else None


@dataclass(slots=True)
class Found:
    """What a file does with handles: calls (node, client, on what), steps that nobody knows, and handles handed on."""

    calls: list[tuple[ast.expr, Client, str]] = field(default_factory=list)
    unknown: list[tuple[ast.expr, str]] = field(default_factory=list)
    handed_on: list[tuple[ast.expr, tuple[Client, ...]]] = field(default_factory=list)


class Handles:
    """Reads one file; `modules` are the names by which it knows the provider's modules, and what it imports of them.

    `hosts` are the parameters by which handlers reach services: whatever they call them, such calls begin the same.
    """

    def __init__(
        self,
        clients: Sequence[Client],
        modules: Mapping[str, str],
        nodes: list[ast.AST],
        parents: Mapping[int, ast.AST],
        text_of: Callable[[ast.expr], str],
        *,
        hosts: Collection[str] = (),
    ) -> None:
        self.modules, self.parents, self.text_of = modules, parents, text_of
        self.clients = [client for client in clients if client.chain is not None]
        self.handed = [client for client in self.clients if client.root in hosts]
        self.parameters = _parameters(nodes) if self.handed else set()
        self.held: dict[str, Handle | None] = {}
        self.found = Found()
        if self.clients and (modules or self.handed):
            self._learn(nodes)
            self._read(nodes)

    # --- what names hold ---

    def _learn(self, nodes: list[ast.AST]) -> None:
        """Find what names and attributes hold a handle, and nothing else ever."""
        bound: dict[str, list[ast.expr | None]] = {}
        for node in nodes:
            for target, value in _bindings(node):
                if name := _named(target):
                    bound.setdefault(name, []).append(value)
        for _ in range(4):  # one handle may be made of another
            for name, values in bound.items():
                handles = [self.of(value) if value is not None else None for value in values]
                first = handles[0]
                alike = all(one is not None and first is not None and one.made == first.made for one in handles)
                self.held[name] = _either([one for one in handles if one is not None]) if alike else None

    def of(self, node: ast.expr) -> Handle | None:
        """Return the handle that an expression gives; nothing for anything else."""
        if isinstance(node, (ast.Name, ast.Attribute)) and (held := self.held.get(_named(node))) is not None:
            return held
        if isinstance(node, ast.Name):
            return self._of_module(node.id)
        if isinstance(node, ast.Attribute):
            base = self.of(node.value) or self._of_host(node)
            return self._step(base, node.attr) if base is not None else None
        if isinstance(node, ast.Call):
            base = self.of(node.func)
            return self._called(base, node) if base is not None else None
        return None

    def _of_host(self, node: ast.Attribute) -> Handle | None:
        """Return what a handler is handed, if this is its first step: told by that step, on a name or what keeps it."""
        held_by = node.value
        usual = {one.root for one in self.handed}
        if isinstance(held_by, ast.Attribute) and held_by.attr not in usual and not _named(held_by):
            return None  # neither under the usual name, nor kept by an object of the handler's own
        while isinstance(held_by, ast.Attribute):
            held_by = held_by.value
        if not isinstance(held_by, ast.Name) or held_by.id not in self.parameters:
            return None
        ways = tuple(one for one in self.handed if one.chain is not None and one.chain.root == node.attr)
        return Handle(ways) if ways else None

    def _of_module(self, name: str) -> Handle | None:
        path = self.modules.get(name, "")
        for end in (path, path.rpartition(".")[0]):
            ways = tuple(client for client in self.clients if end and client.root == end)
            if ways:
                handle: Handle | None = Handle(ways)
                return handle if end == path else self._step(Handle(ways), path.rpartition(".")[2])
        return None

    def _step(self, base: Handle, name: str) -> Handle | None:
        step = ("attr", name)
        fits = tuple(way for way in base.ways if way.chain and step in way.chain.steps[base.made : base.made + 1])
        return Handle(fits, base.made + 1, base.told) if fits else None

    def _called(self, base: Handle, node: ast.Call) -> Handle | None:
        """Return what a call on the way gives; nothing where no call has one there, or with such arguments."""
        return base.called(lambda parameters: self._said(parameters, node))

    def _said(self, parameters: tuple[Any, ...], node: ast.Call) -> dict[str, str] | None:
        """Return what arguments tell, as far as the code says it; nothing where they can't be those of a step."""
        told: dict[str, str] = {}
        for at, (kind, *about) in enumerate(parameters):
            given = node.args[at] if at < len(node.args) else None
            if kind == "text":
                beginning = _beginning(given) if given is not None else None
                before, name, after = about
                if beginning is None:
                    continue  # any of them
                text = self.text_of(given) if given is not None else ""
                if text and not name and text != before:
                    return None
                if not beginning.startswith(before) and not before.startswith(beginning):
                    return None
                if name and text:
                    told[name] = text.removeprefix(before).removesuffix(after)
            elif kind == "given":
                given = given or next((one.value for one in node.keywords if one.arg == about[0]), None)
                if given is not None and not isinstance(given, ast.Starred):
                    told[about[0]] = self.text_of(given)
        return told

    # --- what is done with them ---

    def _read(self, nodes: list[ast.AST]) -> None:
        for node in nodes:
            if isinstance(node, ast.Attribute):
                self._attribute(node)
            elif isinstance(node, ast.Name) and isinstance(node.ctx, ast.Load):
                self._name(node)
            elif isinstance(node, ast.Call):
                base = self.of(node.func)
                if base is not None and base.whole is None:
                    self._call(base, node)
            elif isinstance(node, ast.Subscript) and (base := self.of(node.value)) is not None and base.made:
                item = {ast.Load: "__getitem__", ast.Store: "__setitem__"}.get(type(node.ctx), "__delitem__")
                if self._step(base, item) is None:
                    self.found.unknown.append((node, f"{ast.unparse(node.value)}[…]"))

    def _call(self, base: Handle, node: ast.Call) -> None:
        made = self._called(base, node)
        if made is None:
            self.found.unknown.append((node, ast.unparse(node)))
        else:
            self._used(node, made)

    def _attribute(self, node: ast.Attribute) -> None:
        base = self.of(node.value) or self._of_host(node)
        if base is None or (base.made == 0 and not isinstance(node.ctx, ast.Load)):
            return
        there = self._step(base, node.attr)
        if there is not None and (client := there.whole) is not None:
            parent = self.parents.get(id(node))
            call = parent if isinstance(parent, ast.Call) and parent.func is node else ast.Call(node, [], [])
            self.found.calls.append((node, client, named_in(client, call, self.text_of, dict(there.told))))
        elif there is None and base.made and _named(node) not in self.held:
            self.found.unknown.append((node, ast.unparse(node)))
        elif there is not None:
            self._used(node, there)

    def _name(self, node: ast.Name) -> None:
        held = self.held.get(node.id)
        if held is not None:
            self._used(node, held)

    def _used(self, node: ast.expr, handle: Handle) -> None:
        """Note a handle that is handed on, so that nobody sees what is called on it."""
        parent = self.parents.get(id(node))
        if isinstance(parent, ast.withitem):
            above = self.parents.get(id(parent))
            if isinstance(above, (ast.With, ast.AsyncWith)) and self.of(_entered(node, above)) is None:
                self.found.unknown.append((node, f"with {ast.unparse(node)}"))
            return
        called = isinstance(parent, ast.Call) and parent.func is node
        asked = called or isinstance(parent, (ast.Attribute, ast.Subscript))
        kept = any(self.held.get(_named(target)) for target, value in _bindings(parent or node) if value is node)
        if not asked and not kept:
            self.found.handed_on.append((node, handle.ways))


def named_in(client: Client, call: ast.Call, text_of: Callable[[ast.expr], str], told: Told | None = None) -> str:
    """Return on what a client is called, as far as the code says it; `told` is what the steps before have said."""
    row = next((row for row in client.arguments.rows if row.field in NAMED_BY), None)
    if row is None:
        return ""
    if told and row.at.root in told:
        return told[row.at.root]
    before = client.chain.names if client.chain is not None else ()
    names = [name for one in client.takes if (name := one.partition("=")[0]) not in before]
    at = names.index(row.at.root) if row.at.root in names else len(call.args)
    given = call.args[at] if at < len(call.args) else None
    given = given or next((one.value for one in call.keywords if one.arg == row.at.root), None)
    return text_of(given) if given is not None and not isinstance(given, ast.Starred) else ""


#: The field of a client's arguments that names the bucket, channel, table or function.
NAMED_BY = ("bucket", "channel", "table", "name")


def _either(handles: list[Handle]) -> Handle:
    ways = dict.fromkeys(way.called for one in handles for way in one.ways)
    known = {way.called: way for one in handles for way in one.ways}
    told = handles[0].told if all(one.told == handles[0].told for one in handles) else ()
    return Handle(tuple(known[called] for called in ways), handles[0].made, told)


def _bindings(node: ast.AST) -> Iterator[tuple[ast.expr, ast.expr | None]]:
    """Yield what a node binds, and to what; to nothing known where that is not said plainly."""
    if isinstance(node, ast.Assign):
        for target in node.targets:
            if isinstance(target, (ast.Tuple, ast.List)):
                yield from ((one, None) for one in target.elts)
            else:
                yield target, node.value
    elif isinstance(node, (ast.AnnAssign, ast.NamedExpr)):
        yield node.target, node.value
    elif isinstance(node, (ast.AugAssign, ast.For, ast.AsyncFor, ast.comprehension)):
        yield node.target, None
    elif isinstance(node, (ast.With, ast.AsyncWith)):
        for item in node.items:
            if item.optional_vars is not None:
                yield item.optional_vars, _entered(item.context_expr, node)
    elif isinstance(node, ast.arg):
        yield ast.Name(node.arg), None


def _parameters(nodes: list[ast.AST]) -> set[str]:
    """Return the names of parameters, and those that are other names of one."""
    known = {node.arg for node in nodes if isinstance(node, ast.arg)}
    for node in nodes:
        if isinstance(node, ast.Assign) and isinstance(node.value, ast.Name) and node.value.id in known:
            known |= {target.id for target in node.targets if isinstance(target, ast.Name)}
    return known


def _entered(node: ast.expr, entered: ast.With | ast.AsyncWith) -> ast.expr:
    """Return the call by which a `with` statement gets what it binds."""
    name = "__enter__" if isinstance(entered, ast.With) else "__aenter__"
    return ast.Call(ast.Attribute(node, name, ast.Load()), [], [])


def _named(node: ast.AST) -> str:
    """Return the name of what holds something: a name, or an attribute of `self`, whatever that is called."""
    if isinstance(node, ast.Name):
        return node.id
    if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id in ("self", "cls"):
        return f"self.{node.attr}"
    return ""


def _beginning(node: ast.expr) -> str | None:
    """Return what a text certainly begins with; nothing for what is no text as it stands."""
    if isinstance(node, ast.Constant):
        return node.value if isinstance(node.value, str) else None
    if isinstance(node, ast.JoinedStr):
        first = node.values[0] if node.values else None
        return str(first.value) if isinstance(first, ast.Constant) else ""
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        return _beginning(node.left)
    return None
