"""Small faults in JavaScript and TypeScript: the same kinds as in Python, found in tree-sitter's tree."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Mapping
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, parse_javascript, string_of
from vast_ferry.probing.faults import Fault, Piece
from vast_ferry.probing.faults_in_python import LOGGING, Logs

_TURNED: Final = {
    "===": "!==",
    "!==": "===",
    "==": "!=",
    "!=": "==",
    "<": "<=",
    "<=": "<",
    ">": ">=",
    ">=": ">",
    "&&": "||",
    "||": "&&",
    "??": "&&",
    "-": "+",
    "*": "/",
    "/": "*",
    "%": "*",
}
_WORD: Final = re.compile(r"[A-Za-z_$][\w$]*")
_TYPES: Final = frozenset(
    ("type_annotation", "type_arguments", "type_parameters", "interface_declaration", "type_alias_declaration")
    + ("import_statement",)
)


def pieces(text: str, file: str) -> list[Piece]:
    """Return what stands at the top of a file, definition by definition."""
    read = parse_javascript(text.encode("utf-8", "surrogatepass"), file)
    found = []
    for node in read.root.named_children:
        if node.type in ("import_statement", "comment"):
            continue
        head = node.child_by_field_name("declaration") if node.type == "export_statement" else None
        names = _names_at_top(read, head or node)
        words = frozenset(_WORD.findall(read.text(node)))
        found.append(Piece(frozenset(names), node.start_point[0] + 1, node.end_point[0] + 1, words))
    return found


def faults(file: str, text: str, logs: Logs = frozenset()) -> list[Fault]:
    """Return the faults that can be planted in a file, in the order of their lines; none in what `logs` only writes."""
    read = parse_javascript(text.encode("utf-8", "surrogatepass"), file)
    found = dict.fromkeys(_Finder(file, read, logs).all())
    return sorted(found, key=lambda one: (one.line, one.begin, one.end, one.text))


def _names_at_top(read: JavaScriptFile, node: Node) -> set[str]:
    """Return the names that a statement at the top of a file binds, or gives to others."""
    if node.type == "expression_statement":
        left = node.named_children[0].child_by_field_name("left")
        return set(_WORD.findall(read.text(left))) - {"module", "exports"} if left is not None else set()
    named = [one for one in node.named_children if one.type == "variable_declarator"] or [node]
    found = [one.child_by_field_name("name") for one in named]
    return {word for one in found if one is not None for word in _WORD.findall(read.text(one))}


class _Finder:
    def __init__(self, file: str, read: JavaScriptFile, logs: Logs) -> None:
        self.file, self.read, self.logs = file, read, logs
        self.imported = {name for link in read.links for name in link.names}
        self.by_type: Mapping[str, Callable[[Node], Iterator[Fault]]] = {
            "number": self._number,
            "string": self._string,
            "true": self._truth,
            "false": self._truth,
            "binary_expression": self._operator,
            "unary_expression": self._not,
            "await_expression": self._await,
            "call_expression": self._call,
            "object": self._object,
            "array": self._array,
            "if_statement": self._branch,
            "ternary_expression": self._branch,
            "expression_statement": self._statement,
            "return_statement": self._return,
            "throw_statement": self._throw,
            "continue_statement": self._continue,
        }

    def all(self) -> Iterator[Fault]:
        stack = [self.read.root]
        while stack:
            node = stack.pop()
            if node.type in _TYPES or self._is_told_only(node) or self._decides_nothing(node):
                continue
            yield from self.by_type.get(node.type, _none)(node)
            stack += [one for one in node.named_children if one.type != "comment"]

    def _decides_nothing(self, node: Node) -> bool:
        """Tell whether a condition decides on nothing but what is written to a log."""
        if node.type != "if_statement" or node.child_by_field_name("alternative") is not None:
            return False
        then = node.child_by_field_name("consequence")
        inside = then.named_children if then.type == "statement_block" else [then]
        return bool(inside) and all(one.type == "comment" or self._is_told_only(one) for one in inside)

    def _is_told_only(self, node: Node) -> bool:
        if node.type != "expression_statement":
            return False
        inner = node.named_children[0]
        inner = inner.named_children[0] if inner.type == "await_expression" else inner
        if inner.type == "string":
            return True
        called = inner.child_by_field_name("function") if inner.type == "call_expression" else None
        words = _WORD.findall(self.read.text(called)) if called is not None else []
        if not words:
            return False
        told = tuple(words[1:]) in self.logs and words[0] not in self.imported
        return told or words[0] == "console" or bool(LOGGING & {words[0], words[-1]})

    def _fault(self, node: Node, what: str, text: str, span: tuple[int, int] | None = None) -> Fault:
        begin, end = span or (node.start_byte, node.end_byte)
        return Fault(self.file, node.start_point[0] + 1, node.end_point[0] + 1, what, begin, end, text)

    # --- values ---

    def _number(self, node: Node) -> Iterator[Fault]:
        text = self.read.text(node)
        if re.fullmatch(r"\d+(\.\d+)?", text):
            other = str(int(text) + 1) if "." not in text else str(float(text) + 1)
            yield self._fault(node, f"{text} is {other}", other)

    def _string(self, node: Node) -> Iterator[Fault]:
        value = string_of(self.read, node)
        if value is None or (node.parent.type in ("import_statement", "export_statement", "pair") and _is_key(node)):
            return
        if node.parent.type == "arguments" and self.read.text(node.parent.parent).startswith(("require(", "import(")):
            return
        shown = value if len(value) <= 24 else f"{value[:20]}…"
        yield self._fault(node, f"'{shown}' is '{shown}~'", json.dumps(value + "~"))

    def _truth(self, node: Node) -> Iterator[Fault]:
        other = "false" if node.type == "true" else "true"
        yield self._fault(node, f"{node.type} is {other}", other)

    # --- expressions ---

    def _operator(self, node: Node) -> Iterator[Fault]:
        sign = node.child_by_field_name("operator")
        other = _TURNED.get(sign.type)
        if other is not None:
            mixed = {sign.type, other} & {"??"} and any(
                one.type == "binary_expression" and one.child_by_field_name("operator").type in ("||", "&&", "??")
                for one in (*node.named_children, node.parent)
            )
            if not mixed:
                yield self._fault(node, f"`{sign.type}` is `{other}`", other, (sign.start_byte, sign.end_byte))
        if sign.type in ("||", "??"):
            left = self.read.text(node.child_by_field_name("left"))
            yield self._fault(node, f"what stands behind `{sign.type}` is left out", f"({left})")

    def _not(self, node: Node) -> Iterator[Fault]:
        if node.child_by_field_name("operator").type == "!":
            inner = self.read.text(node.child_by_field_name("argument"))
            yield self._fault(node, "a `!` is left out", f"({inner})")

    def _await(self, node: Node) -> Iterator[Fault]:
        yield self._fault(node, "it is not waited for", self.read.text(node.named_children[0]))

    def _call(self, node: Node) -> Iterator[Fault]:
        given = node.child_by_field_name("arguments")
        plain = [one for one in given.named_children if one.type != "comment"] if given.type == "arguments" else []
        if len(plain) > 1 and all(one.type != "spread_element" for one in plain):
            first, second = self.read.text(plain[0]), self.read.text(plain[1])
            between = self.read.content[plain[0].end_byte : plain[1].start_byte].decode("utf-8", "replace")
            if first != second:
                span = (plain[0].start_byte, plain[1].end_byte)
                yield self._fault(node, "two arguments are turned round", f"{second}{between}{first}", span)

    def _object(self, node: Node) -> Iterator[Fault]:
        for one in node.named_children:
            if one.type in ("pair", "shorthand_property_identifier"):
                key = one.child_by_field_name("key") if one.type == "pair" else one
                yield self._without(one, f"the entry {self.read.text(key)} is left out")

    def _array(self, node: Node) -> Iterator[Fault]:
        inside = [one for one in node.named_children if one.type != "comment"]
        if len(inside) > 1:
            yield from (self._without(one, "an entry of a list is left out") for one in inside)

    def _without(self, node: Node, what: str) -> Fault:
        """Return the fault that an entry is left out, with the comma behind it, or before it where it is the last."""
        behind, before = node.next_sibling, node.prev_sibling
        begin, end = node.start_byte, node.end_byte
        if behind is not None and behind.type == ",":
            end = behind.end_byte
        elif before is not None and before.type == ",":
            begin = before.start_byte
        return self._fault(node, what, "", (begin, end))

    # --- statements ---

    def _branch(self, node: Node) -> Iterator[Fault]:
        test = node.child_by_field_name("condition")
        kind = "branch" if node.type == "if_statement" else "choice"
        yield self._fault(test, f"the {kind} is never taken", "(false)")
        yield self._fault(test, f"the {kind} is always taken", "(true)")

    def _statement(self, node: Node) -> Iterator[Fault]:
        inner = node.named_children[0]
        what = "the assignment" if inner.type.endswith("assignment_expression") else "the statement"
        exported = inner.type == "assignment_expression" and self.read.text(inner).startswith(("exports", "module."))
        if inner.type in ("call_expression", "await_expression", "assignment_expression") and not exported:
            yield self._fault(node, f"{what} is left out", ";")

    def _return(self, node: Node) -> Iterator[Fault]:
        value = [one for one in node.named_children if one.type != "comment"]
        if value and self.read.text(value[0]) not in ("null", "undefined"):
            yield self._fault(node, "nothing is returned", "return;")

    def _throw(self, node: Node) -> Iterator[Fault]:
        yield self._fault(node, "nothing is thrown", ";")

    def _continue(self, node: Node) -> Iterator[Fault]:
        yield self._fault(node, "`continue` is left out", ";")


def _none(_: Node) -> Iterator[Fault]:
    return iter(())


def _is_key(node: Node) -> bool:
    return bool(node.parent.child_by_field_name("key") == node) if node.parent.type == "pair" else True
