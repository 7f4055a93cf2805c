"""What each name of a file stands for: bindings, by the scopes of ECMAScript 2024 §8, and every use and change of them.

A name is resolved from where it stands outwards: blocks hold `let`, `const`, classes and functions, functions hold
parameters and `var`, the file holds its imports. What is resolved nowhere is global. `with` and a direct `eval` can
bind what nobody sees, so a file that has either resolves nothing (`Scopes.blind`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, walk

FUNCTIONS = frozenset(
    ("arrow_function", "function_declaration", "function_expression", "method_definition")
    + ("generator_function", "generator_function_declaration")
)
LOOPS = frozenset(("for_statement", "for_in_statement", "while_statement", "do_statement"))
_BLOCKS = FUNCTIONS | frozenset(
    ("program", "statement_block", "for_statement", "for_in_statement", "catch_clause", "switch_body", "class_body")
    + ("class_static_block", "class")
)
NAMES = ("identifier", "shorthand_property_identifier", "shorthand_property_identifier_pattern")
#: Where an identifier names something else than a value: a part of a type, a label.
_OF_TYPES = frozenset(("type_annotation", "type_arguments", "type_parameters", "interface_declaration"))


@dataclass(slots=True, eq=False)
class Binding:
    """One name in one scope: where it is declared, where it is used, and where it gets another value."""

    name: str
    scope: Node
    kind: str  # let, const, var, parameter, function, class, import, catch
    declared: list[Node] = field(default_factory=list)
    uses: list[Node] = field(default_factory=list)
    writes: list[Node] = field(default_factory=list)


class Scopes:
    """The bindings of one file, and what each use of a name stands for."""

    def __init__(self, file: JavaScriptFile) -> None:
        self.file = file
        self._tables: dict[int, dict[str, Binding]] = {}
        self._of: dict[int, Binding] = {}
        self._declaring: set[int] = set()
        self._bound: set[str] = set()
        self.free: dict[str, list[Node]] = {}  # global names → where they are used
        self.labels = {file.text(node) for node in file.of_types(file.root, ("statement_identifier",))}
        names = file.of_types(file.root, NAMES)
        self.names = {file.text(node) for node in names}
        for node in file.of_types(file.root, (*_DECLARING, *FUNCTIONS)):
            self._declare(node)
        for node in names:
            if node.id not in self._declaring and not _names_a_part(node):
                self._use(node)
        self.blind = "eval" in self.free or bool(file.of_types(file.root, ("with_statement",)))

    def of(self, node: Node) -> Binding | None:
        """Return the binding that a name stands for, where it is used or declared; nothing for a global one."""
        return self._of.get(node.id)

    def at_top(self, name: str) -> Binding | None:
        """Return the binding of a name of the file's own scope."""
        return self._tables.get(self.file.root.id, {}).get(name)

    def binds(self, name: str) -> bool:
        """Tell whether a name is bound anywhere in the file."""
        return name in self._bound

    # --- declaring ---

    def _declare(self, node: Node) -> None:
        """Bind the names that a node declares."""
        declare = _DECLARING.get(node.type)
        if declare is not None:
            declare(self, node)
        if node.type in FUNCTIONS:
            self._bind_parameters(node)

    def _declare_variables(self, node: Node) -> None:
        word = self.file.text(node.children[0])
        scope = _function_of(node) if word == "var" else _block_of(node)
        for one in node.named_children:
            if one.type == "variable_declarator":
                self._bind_pattern(one.child_by_field_name("name"), scope, word)

    def _declare_named(self, node: Node) -> None:
        self._bind(node.child_by_field_name("name"), _block_of(node), "class" if "class" in node.type else "function")

    def _declare_inside(self, node: Node) -> None:
        self._bind(node.child_by_field_name("name"), node, "function")

    def _declare_turn(self, node: Node) -> None:
        kind = node.child_by_field_name("kind")
        if kind is not None:
            word = self.file.text(kind)
            self._bind_pattern(node.child_by_field_name("left"), _function_of(node) if word == "var" else node, word)

    def _declare_caught(self, node: Node) -> None:
        self._bind_pattern(node.child_by_field_name("parameter"), node, "catch")

    def _declare_imported(self, node: Node) -> None:
        for part in walk(node):
            if part.type != "identifier":
                continue
            alias = part.parent.child_by_field_name("alias") if part.parent.type == "import_specifier" else None
            if alias is None or alias == part:
                self._bind(part, self.file.root, "import")
            else:
                self._declaring.add(part.id)  # the name there, which is no name here

    def _bind_parameters(self, node: Node) -> None:
        single = node.child_by_field_name("parameter")
        if single is not None:
            self._bind_pattern(single, node, "parameter")
        listed = node.child_by_field_name("parameters")
        for one in listed.named_children if listed is not None else ():
            self._bind_pattern(one.child_by_field_name("pattern") or one, node, "parameter")

    def _bind_pattern(self, node: Node | None, scope: Node, kind: str) -> None:
        for name in bound_in(node):
            self._bind(name, scope, kind)

    def _bind(self, node: Node | None, scope: Node, kind: str) -> None:
        if node is None:
            return
        name = self.file.text(node)
        self._bound.add(name)
        table = self._tables.setdefault(scope.id, {})
        binding = table.setdefault(name, Binding(name, scope, kind))
        binding.declared.append(node)
        self._of[node.id] = binding
        self._declaring.add(node.id)

    # --- using ---

    def _use(self, node: Node) -> None:
        name = self.file.text(node)
        scope = node.parent
        while scope is not None:
            binding = self._tables.get(scope.id, {}).get(name)
            if binding is not None:
                self._of[node.id] = binding
                (binding.writes if is_written(node) else binding.uses).append(node)
                return
            scope = scope.parent
        self.free.setdefault(name, []).append(node)


_DECLARING: Final[dict[str, Callable[[Scopes, Node], None]]] = {
    "lexical_declaration": Scopes._declare_variables,
    "variable_declaration": Scopes._declare_variables,
    "function_declaration": Scopes._declare_named,
    "generator_function_declaration": Scopes._declare_named,
    "class_declaration": Scopes._declare_named,
    "abstract_class_declaration": Scopes._declare_named,
    "function_expression": Scopes._declare_inside,
    "generator_function": Scopes._declare_inside,
    "class": Scopes._declare_inside,
    "for_in_statement": Scopes._declare_turn,
    "catch_clause": Scopes._declare_caught,
    "import_statement": Scopes._declare_imported,
}


def bound_in(node: Node | None) -> Iterator[Node]:
    """Yield the names that a pattern binds."""
    if node is None:
        return
    if node.type in ("identifier", "shorthand_property_identifier_pattern"):
        yield node
    elif node.type == "pair_pattern":
        yield from bound_in(node.child_by_field_name("value"))
    elif node.type in ("assignment_pattern", "object_assignment_pattern"):
        yield from bound_in(node.child_by_field_name("left"))
    elif node.type in ("object_pattern", "array_pattern", "rest_pattern"):
        for part in node.named_children:
            yield from bound_in(part)


def is_written(node: Node) -> bool:
    """Tell whether a value is given to what stands at a node: assigned, counted up, unpacked into, deleted."""
    above = node.parent
    while above is not None and above.type in (
        *("object_pattern", "array_pattern", "pair_pattern", "rest_pattern", "assignment_pattern"),
        *("object_assignment_pattern", "parenthesized_expression", "non_null_expression"),
    ):
        if above.type in ("assignment_pattern", "object_assignment_pattern"):
            if above.child_by_field_name("right") == node:
                return False
        elif above.type == "pair_pattern" and above.child_by_field_name("value") != node:
            return False
        node, above = above, above.parent
    if above is None:
        return False
    if above.type in ("assignment_expression", "augmented_assignment_expression", "for_in_statement"):
        return bool(above.child_by_field_name("left") == node)
    deleted = above.type == "unary_expression" and above.children[0].type == "delete"
    return bool(deleted or above.type == "update_expression")


def _names_a_part(node: Node) -> bool:
    """Tell whether an identifier stands where no value is meant."""
    above = node.parent
    if above.type == "export_specifier":
        source = above.parent.parent.child_by_field_name("source")
        return source is not None or above.child_by_field_name("name") != node
    if above.type in ("namespace_import", "import_specifier", "import_clause", "namespace_export"):
        return True
    while above is not None and "statement" not in above.type:
        if above.type in _OF_TYPES:
            return True
        above = above.parent
    return False


def _block_of(node: Node) -> Node:
    scope = node.parent
    while scope.type not in _BLOCKS:
        scope = scope.parent
    # A function's body and its parameters are one scope here: neither may hide the other's names.
    return scope.parent if scope.type == "statement_block" and scope.parent.type in FUNCTIONS else scope


def _function_of(node: Node) -> Node:
    scope = node.parent
    while scope.type not in FUNCTIONS and scope.type not in ("program", "class_static_block"):
        scope = scope.parent
    return scope


def within(node: Node, other: Node) -> bool:
    """Tell whether a node stands in another, or is it."""
    return bool(other.start_byte <= node.start_byte and node.end_byte <= other.end_byte)
