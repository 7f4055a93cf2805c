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
        self.parameters: set[str] = set()
        self.unpacked: set[str] = set()  # names that stand for what something has under them: `({ stores }) => …`
        self._under_way: set[int] = set()
        if self.clients:
            self._learn()
        if self.handed:
            self._learn_parameters()

    def _learn(self) -> None:
        """Find what names hold that are bound once."""
        again: set[str] = set()
        for name, value in _bindings(self.file):
            if name in self.held:
                again.add(name)
            self.held[name] = value
        for name in again:
            del self.held[name]

    def _learn_parameters(self) -> None:
        for node in walk(self.file.root):
            alone = node.child_by_field_name("parameter") if node.type == "arrow_function" else None
            if alone is not None:
                self.parameters.add(self.file.text(alone))
            elif node.type == "formal_parameters":
                self.parameters |= {self.file.text(one) for one in walk(node) if one.type == "identifier"}
            elif node.type == "shorthand_property_identifier_pattern":
                self.unpacked.add(self.file.text(node))
        self.parameters |= self.unpacked
        self.parameters |= {name for name, value in self.held.items() if self.file.text(value) in self.parameters}

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
            name = self.file.text(node)
            return self._of_module(name) or (self._first_step(name) if name in self.unpacked else None)
        if node.type == "member_expression":
            name = self.file.text(node.child_by_field_name("property"))
            base = self._of(node.child_by_field_name("object"))
            return _step(base, name) if base is not None else self._of_host(node, name)
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
        """Return the first step on what a handler is handed: told by its name, on a parameter or what keeps one."""
        root = node.child_by_field_name("object")
        usual = {camel(one.root) for one in self.handed}
        if root.type == "member_expression" and not (
            self.file.text(root.child_by_field_name("property")) in usual
            or root.child_by_field_name("object").type == "this"
        ):
            return None  # neither under the usual name, nor kept by an object of the handler's own
        while root.type == "member_expression":
            root = root.child_by_field_name("object")
        known = root.type == "this" or (root.type == "identifier" and self.file.text(root) in self.parameters)
        return self._first_step(name) if known else None

    def _first_step(self, name: str) -> Handle | None:
        ways = tuple(one for one in self.handed if one.chain is not None and camel(one.chain.root) == name)
        return _step(Handle(ways), name) if ways else None

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
