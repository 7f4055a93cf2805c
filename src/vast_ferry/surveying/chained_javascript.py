"""Calls of services that are made step by step, found in a file of JavaScript: `chained` has what they are in Python.

What the first steps give may be kept by a name that is bound once (`const shelf = kit.stores("charts")`), and is
awaited or not. Else the same holds: a step that no call of the profile has is told, and a handle that is handed on may
be asked for all that begins as it does.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Sequence
from typing import Any, Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, string_of, walk
from vast_ferry.mapping.clients import Client, name_of
from vast_ferry.mapping.javascript.names import camel
from vast_ferry.surveying.chained import NAMED_BY, Handle

#: What stands around an expression without doing anything with its value.
_AROUND: Final = ("await_expression", "parenthesized_expression", "non_null_expression")


class StepsInFile:
    """Reads one file; `module_of` tells what of the provider's a name is: a module's path, or that of a thing in it."""

    def __init__(
        self,
        clients: Sequence[Client],
        hosts: Collection[str],
        file: JavaScriptFile,
        module_of: Callable[[str], str],
    ) -> None:
        self.file, self.module_of = file, module_of
        self.clients = [one for one in clients if one.chain is not None]
        self.handed = [one for one in self.clients if one.root in hosts]
        self.held: dict[str, Node] = {}
        self._under_way: set[int] = set()
        if self.clients:
            self._learn()

    def _learn(self) -> None:
        """Find what names hold that are bound once."""
        again: set[str] = set()
        for name, value in _bindings(self.file):
            if name in self.held:
                again.add(name)
            self.held[name] = value
        for name in again:
            del self.held[name]

    def calls(self, node: Node) -> Iterator[tuple[Client, str]]:
        """Yield the clients that are called at a node, or that whoever is handed it may call; and on what each is."""
        handle = self._of(node) if self.clients else None
        if handle is None:
            return
        if handle.whole is not None:
            yield handle.whole, self._named(handle.whole, node, dict(handle.told))
        elif self._is_handed_on(node):
            yield from ((one, "") for one in handle.ways)

    def unknown(self, node: Node) -> str:
        """Return a step that no call of the provider has, as it is written; empty for any other node."""
        if not self.clients or node.type != "member_expression" or self._of(node) is not None:
            return ""
        base = self._of(node.child_by_field_name("object"))
        return self.file.text(node) if base is not None and base.made else ""

    def _of(self, node: Node) -> Handle | None:
        """Return the handle that an expression gives; nothing for anything else."""
        while node.type in _AROUND and node.named_children:
            node = node.named_children[0]
        held = self.held.get(self.file.text(node)) if node.type in ("identifier", "member_expression") else None
        if held is not None and held.id not in self._under_way:
            self._under_way.add(held.id)
            try:
                return self._of(held)
            finally:
                self._under_way.remove(held.id)
        if node.type == "identifier":
            return self._of_module(self.file.text(node))
        if node.type == "member_expression":
            name = self.file.text(node.child_by_field_name("property"))
            base = self._of(node.child_by_field_name("object")) or self._of_host(node, name)
            return _step(base, name) if base is not None else None
        if node.type == "call_expression":
            base = self._of(node.child_by_field_name("function"))
            return self._called(base, node) if base is not None else None
        return None

    def _of_module(self, name: str) -> Handle | None:
        path = self.module_of(name)
        ways = tuple(one for one in self.clients if path and one.root == path)
        if ways:
            return Handle(ways)
        module, _, inside = path.rpartition(".")
        ways = tuple(one for one in self.clients if module and one.root == module)
        return _step(Handle(ways), inside) if ways else None

    def _of_host(self, node: Node, name: str) -> Handle | None:
        """Return what a handler is handed, if this is its first step: told by that step, on any name but a module's."""
        root = node.child_by_field_name("object")
        while root.type == "member_expression":
            root = root.child_by_field_name("object")
        if root.type not in ("identifier", "this") or self.module_of(self.file.text(root)):
            return None
        ways = tuple(one for one in self.handed if one.chain is not None and camel(one.chain.root) == name)
        return Handle(ways) if ways else None

    def _called(self, base: Handle, node: Node) -> Handle | None:
        """Return what a call on the way gives; nothing where no call has one there, or with such arguments."""
        return base.called(lambda parameters: self._said(parameters, node))

    def _said(self, parameters: tuple[Any, ...], node: Node) -> dict[str, str] | None:
        """Return what arguments tell, as far as the code says it; nothing where they can't be those of a step."""
        arguments = node.child_by_field_name("arguments")
        given = [one for one in arguments.named_children if one.type != "comment"] if arguments is not None else []
        told: dict[str, str] = {}
        for at, (kind, *about) in enumerate(parameters):
            text = string_of(self.file, given[at]) if at < len(given) else None
            if kind == "text" and text is not None:
                before, name, after = about
                if not (text.startswith(before) and text.endswith(after)) or (not name and text != before):
                    return None
                told |= {name: text.removeprefix(before).removesuffix(after)} if name else {}
            elif kind == "given" and text is not None:
                told[about[0]] = text
        return told

    def _named(self, client: Client, node: Node, told: dict[str, str]) -> str:
        """Return on what a client is called, as far as the code says it."""
        row = next((row for row in client.arguments.rows if row.field in NAMED_BY), None)
        if row is None or row.at.root in told:
            return told.get(row.at.root, "") if row is not None else ""
        before = client.chain.names if client.chain is not None else ()
        last = [name_of(one) for one in client.takes if name_of(one) not in before]
        call = node.parent
        arguments = call.child_by_field_name("arguments") if call is not None else None
        at = last.index(row.at.root) if row.at.root in last else -1
        given = arguments.named_children if arguments is not None else []
        return string_of(self.file, given[at]) or "" if 0 <= at < len(given) else ""

    def _is_handed_on(self, node: Node) -> bool:
        """Tell whether a handle goes where nobody sees what is called on it."""
        above = node.parent
        while above is not None and above.type in _AROUND:
            node, above = above, above.parent
        if above is None or node.type == "property_identifier":
            return False
        field = next((at for at in ("object", "function", "name", "left") if above.child_by_field_name(at) == node), "")
        kept = above.child_by_field_name("value") == node or above.child_by_field_name("right") == node
        return not field and not (kept and any(one.id == node.id for one in self.held.values()))


def _step(base: Handle, name: str) -> Handle | None:
    fits = tuple(
        way
        for way in base.ways
        if way.chain
        and base.made < len(way.chain.steps)
        and way.chain.steps[base.made][0] == "attr"
        and camel(way.chain.steps[base.made][1]) == name
    )
    return Handle(fits, base.made + 1, base.told) if fits else None


def _bindings(file: JavaScriptFile) -> Iterator[tuple[str, Node]]:
    """Yield what a file binds to one value: names that are declared or assigned to, and attributes of `this`."""
    for node in walk(file.root):
        if node.type == "variable_declarator":
            target, value = node.child_by_field_name("name"), node.child_by_field_name("value")
        elif node.type == "assignment_expression":
            target, value = node.child_by_field_name("left"), node.child_by_field_name("right")
        else:
            continue
        if value is not None and target.type in ("identifier", "member_expression"):
            yield file.text(target), value
