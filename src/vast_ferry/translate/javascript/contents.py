"""Whether an expression certainly gives a text, or certainly bytes: what an answer's content is, told off its source.

What is not told here may be either; nobody guesses. A name stands for what it was declared with where it never gets
another value, a choice between two (`||`, `??`, `? :`) gives what both give, and a call of one of the file's functions
what each of its returns gives.
"""

from __future__ import annotations

import functools
from collections.abc import Mapping
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, string_of
from vast_ferry.mapping.by_hand import How
from vast_ferry.mapping.javascript.names import camel
from vast_ferry.mapping.lenses.pairs import MultiMap
from vast_ferry.mapping.tables import Row
from vast_ferry.translate.javascript.looking import only_asked
from vast_ferry.translate.javascript.scopes import FUNCTIONS, Scopes
from vast_ferry.translate.javascript.values import bare, last_statements, own_nodes

TEXT: Final = "text"
BYTES: Final = "bytes"
#: A text, or nothing (`undefined` or `null`).
MAYBE: Final = "text or nothing"
#: Texts, or lists of texts, by names.
TEXTS: Final = "texts by name"
LISTS: Final = "lists of texts by name"

#: Methods that give a text, of whatever has them.
_TEXTS = frozenset(("toString", "join", "toFixed", "toISOString", "toUTCString", "toUpperCase", "toLowerCase", "trim"))
#: Methods of texts that give a text.
_OF_TEXTS = frozenset(
    ("slice", "substring", "substr", "charAt", "concat", "repeat", "replace", "replaceAll", "padStart", "padEnd")
    + ("normalize", "trimStart", "trimEnd", "toLocaleUpperCase", "toLocaleLowerCase")
)
_TEXT_FUNCTIONS = frozenset(
    ("String", "encodeURIComponent", "encodeURI", "decodeURIComponent", "decodeURI", "btoa", "atob")
)
_BYTES_FUNCTIONS = frozenset(("Buffer.from", "Buffer.concat", "Buffer.alloc"))
_LIST: Final = "list of texts"
#: What a form or a query is read into, and an address: the platform's own (WHATWG URL).
_PARAMS: Final = "parameters"
_ADDRESS: Final = "address"
_OF_ADDRESSES = frozenset(("href", "origin", "protocol", "host", "hostname", "port", "pathname", "search", "hash"))
#: What an error tells; whatever else may be thrown has something else there, or nothing.
_OF_ERRORS = frozenset(("message", "name", "stack"))
_AROUND = frozenset(("parenthesized_expression", "as_expression", "satisfies_expression", "non_null_expression"))
_CHOICES = frozenset(("||", "??"))
_DEEPEST = 8


def given_by(row: Row | None, holds: str) -> str:
    """Return what a handler finds where a row stands; the name of the method that gives a text, where there is one."""
    if row is None:
        return ""
    lens = row.lens
    if isinstance(lens, MultiMap):
        return camel(lens.methods["first"]) if "first" in lens.methods else ""
    if lens.subscript is not None:
        return LISTS if lens.subscript is How.EVERY else TEXTS
    given = lens.gives or (holds if lens.plain else "")
    if given == "texts":
        return TEXTS
    missing = row.optional or row.null_if_empty
    if given == TEXT and missing:
        return MAYBE
    return given if given in (TEXT, BYTES) and not missing else ""


class Contents:
    """Tells what expressions of a file give; `read` is what reads of the event give, by their nodes.

    `stands` has what is handed over for parameters, by the nodes where these are used.
    """

    def __init__(
        self, file: JavaScriptFile, scopes: Scopes, read: Mapping[int, str], stands: Mapping[int, Node] | None = None
    ) -> None:
        self.file, self.scopes, self.read, self.stands = file, scopes, read, stands or {}

    def of(self, node: Node, depth: int = 0) -> str:
        """Return `text`, `bytes` or `text or nothing`; empty where that is not known."""
        if depth > _DEEPEST or node.id in self.read:
            return self.read.get(node.id, "")
        if node.id in self.stands:
            return self.of(self.stands[node.id], depth + 1)
        if node.type in ("string", "template_string"):
            return TEXT
        if node.type in _AROUND or node.type == "await_expression":
            return self.of(node.named_children[0], depth + 1)
        if node.type == "binary_expression":
            return self._of_two(node, depth + 1)
        if node.type == "ternary_expression":
            return self._both(
                *(self.of(node.child_by_field_name(one), depth + 1) for one in ("consequence", "alternative"))
            )
        if node.type in ("call_expression", "new_expression"):
            return self._of_call(node, depth + 1)
        if node.type in ("member_expression", "subscript_expression"):
            return self._of_part(node, depth + 1)
        if node.type in ("identifier", "shorthand_property_identifier"):
            return self._of_name(node, depth + 1)
        return ""

    def is_of_an_error(self, node: Node) -> bool:
        """Tell whether an expression is what an error tells that was caught, which is a text unless it is no error."""
        node = bare(self.stands.get(node.id, node))
        if node.type != "member_expression" or not self._is_caught(node.child_by_field_name("object")):
            return False
        return self.file.text(node.child_by_field_name("property")) in _OF_ERRORS

    def literal(self, node: Node | None) -> str | None:
        """Return the text that a literal is, or that a name stands for which never gets another; else nothing."""
        if node is not None and node.type == "identifier":
            node = self._declared(node)
        return string_of(self.file, node)

    def _both(self, one: str, other: str) -> str:
        if one == other:
            return one
        return MAYBE if {one, other} == {TEXT, MAYBE} else ""

    def _of_two(self, node: Node, depth: int) -> str:
        left, right = node.child_by_field_name("left"), node.child_by_field_name("right")
        operator = node.child_by_field_name("operator").type
        if operator == "+":
            return TEXT if TEXT in (self.of(left, depth), self.of(right, depth)) else ""
        if operator not in _CHOICES:
            return ""
        one, other = self.of(left, depth), self.of(right, depth)
        return other if one == MAYBE and other in (TEXT, MAYBE) else self._both(one, other)

    def _of_part(self, node: Node, depth: int) -> str:
        held = node.child_by_field_name("object")
        if self.file.text(held) == "process.env":
            return MAYBE
        part = self.file.text(node.child_by_field_name("property")) if node.type == "member_expression" else ""
        if part in _OF_ERRORS and self._is_caught(held):
            return MAYBE
        kind = self.of(held, depth)
        if kind == _ADDRESS:
            return _PARAMS if part == "searchParams" else TEXT if part in _OF_ADDRESSES else ""
        if kind == TEXTS:
            return MAYBE
        if kind == LISTS:
            return _LIST
        return MAYBE if kind == _LIST and node.type == "subscript_expression" else ""

    def _of_call(self, node: Node, depth: int) -> str:
        called = node.child_by_field_name("function") or node.child_by_field_name("constructor")
        name = self.file.text(called)
        if name == "JSON.stringify" and self._is_global(called.child_by_field_name("object")):
            return TEXT if self._is_written_as_json(node) else MAYBE
        if node.type == "new_expression" and name in ("URLSearchParams", "URL") and self._is_global(called):
            return _PARAMS if name == "URLSearchParams" else _ADDRESS
        if name == "Object.fromEntries" and self._is_global(called.child_by_field_name("object")):
            given = node.child_by_field_name("arguments").named_children
            return TEXTS if len(given) == 1 and self.of(given[0], depth) == _PARAMS else ""
        if name in _TEXT_FUNCTIONS and node.type == "call_expression":
            return TEXT if self._is_global(called) else ""
        if name in _BYTES_FUNCTIONS and self._is_global(called.child_by_field_name("object")):
            return BYTES
        if node.type != "call_expression":
            return ""
        if called.type in ("member_expression", "subscript_expression") and (given := self._of_entry(called, depth)):
            return given
        of_method = called.type == "member_expression"
        return self._of_method(called, depth) if of_method else self._of_function(called, depth)

    def _of_entry(self, called: Node, depth: int) -> str:
        """Return what a function gives that stands in an object which nobody changes: `render[kind](name)`."""
        holder = called.child_by_field_name("object")
        table = self._declared(holder) if holder.type == "identifier" else None
        if table is None or table.type != "object" or not only_asked(self.scopes, holder):
            return ""
        by_index = called.type == "subscript_expression"
        name = None if by_index else self.file.text(called.child_by_field_name("property"))
        given = [self._of_entry_node(one, name, depth) for one in table.named_children if one.type != "comment"]
        known = [one for one in given if one is not None]
        return functools.reduce(self._both, known) if known else ""

    def _of_entry_node(self, entry: Node, name: str | None, depth: int) -> str | None:
        """Return what one entry of such an object gives when it is called; nothing where another one is."""
        key = entry.child_by_field_name("key") or entry.child_by_field_name("name")
        if key is None or key.type == "computed_property_name":
            return ""
        if name is not None and self.file.text(key).strip("\"'") != name:
            return None
        plain = not any(child.type in ("get", "set") for child in entry.children)
        node = entry if entry.type == "method_definition" and plain else entry.child_by_field_name("value")
        return self._of_function_node(node, depth) if node is not None else ""

    def _of_method(self, called: Node, depth: int) -> str:
        """Return what a call of a method gives."""
        method = self.file.text(called.child_by_field_name("property"))
        if self.read.get(called.child_by_field_name("object").id) == method:  # it is asked for one by its name
            return MAYBE
        if method in _TEXTS:
            return TEXT
        if method == "get" and self.of(called.child_by_field_name("object"), depth) == _PARAMS:
            return MAYBE
        return TEXT if method in _OF_TEXTS and self.of(called.child_by_field_name("object"), depth) == TEXT else ""

    def _of_function(self, called: Node, depth: int) -> str:
        """Return what a function of the file gives at once, where it ends with a `return` wherever it ends."""
        binding = self.scopes.of(called) if called.type == "identifier" else None
        if binding is None or binding.writes or len(binding.declared) != 1:
            return ""
        above = binding.declared[0].parent
        node = above if above is not None and above.type == "function_declaration" else self._declared(called)
        return self._of_function_node(node, depth)

    def _of_function_node(self, node: Node | None, depth: int) -> str:
        if node is None or node.type not in FUNCTIONS or any(one.type in ("async", "*") for one in node.children):
            return ""
        body = node.child_by_field_name("body")
        if body.type != "statement_block":
            return self.of(body, depth)
        ends = all(one.type in ("return_statement", "throw_statement") for one in last_statements(body))
        returns = [one for one in own_nodes(body) if one.type == "return_statement"]
        values = [inside for one in returns for inside in one.named_children if inside.type != "comment"]
        if not ends or not values or len(values) != len(returns):
            return ""
        given = self.of(values[0], depth)
        for one in values[1:]:
            given = self._both(given, self.of(one, depth))
        return given

    def _is_caught(self, name: Node) -> bool:
        """Tell whether a name stands for what a `catch` has caught."""
        binding = self.scopes.of(name) if name.type == "identifier" else None
        return binding is not None and binding.kind == "catch" and not binding.writes

    def _is_written_as_json(self, call: Node) -> bool:
        """Tell whether what is made JSON is there: of nothing, and of a function, it makes nothing."""
        given = call.child_by_field_name("arguments").named_children
        if len(given) > 1 and given[1].type not in ("null", "undefined", "array"):
            return False  # a function may make nothing of it
        first = [self.stands.get(one.id, one) for one in given[:1]]
        while first and first[0].type == "identifier":
            first = [one] if (one := self._declared(first[0])) is not None else []
        return bool(first) and first[0].type in ("object", "array")

    def _is_global(self, name: Node) -> bool:
        return self.scopes.of(name) is None

    def _declared(self, name: Node) -> Node | None:
        """Return the value that a name has from its declaration on, if it never gets another."""
        binding = self.scopes.of(name)
        if binding is None or binding.writes or len(binding.declared) != 1 or binding.kind not in ("const", "let"):
            return None
        declared = binding.declared[0]
        above = declared.parent
        if above is None or above.type != "variable_declarator" or above.child_by_field_name("name") != declared:
            return None
        value: Node | None = above.child_by_field_name("value")
        return value

    def _of_name(self, name: Node, depth: int) -> str:
        binding = self.scopes.of(name)
        if binding is not None and not binding.writes and len(binding.declared) == 1:
            unpacked = self.read.get(binding.declared[0].id)
            if unpacked is not None:
                return unpacked
        value = self._declared(name)
        return self.of(value, depth) if value is not None else ""
