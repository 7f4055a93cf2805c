"""Files of JavaScript and TypeScript as trees, without running them: what they export, import and require.

Trees are tree-sitter's; its grammars are loaded with the first such file and never before.
"""

from __future__ import annotations

import functools
import importlib
import json
import posixpath
import re
from bisect import bisect_left
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass, field
from operator import itemgetter
from typing import Any, Final

from vast_ferry.hub.findings import BadInput, Place

EXTRA: Final = "vast-ferry[javascript]"

#: What a file of the project may be called where it is imported without its suffix.
SUFFIXES: Final = (".js", ".mjs", ".cjs", ".ts", ".mts", ".cts", "/index.js", "/index.mjs", "/index.cjs", "/index.ts")

#: What may be a call with types; what is no function that is called, but an operator with what it stands before.
_GENERIC_CALL: Final = re.compile(rb"[^=]>\s*\(")
_OPERATORS: Final = (
    "await_expression",
    "unary_expression",
    "binary_expression",
    "yield_expression",
    "update_expression",
)

#: A node of a tree, as tree-sitter has it: typed here as anything, for its package is an extra.
Node = Any


@functools.cache
def _parser(typescript: bool) -> Any:
    """Return a parser; raises BadInput, with what to install, where the grammars are not there."""
    try:
        tree_sitter = importlib.import_module("tree_sitter")
        if typescript:
            language = importlib.import_module("tree_sitter_typescript").language_typescript()
        else:
            language = importlib.import_module("tree_sitter_javascript").language()
    except ImportError as error:
        raise BadInput(
            f"handlers in JavaScript can't be read: {error.name} is not installed", f"pip install '{EXTRA}'"
        ) from None
    return tree_sitter.Parser(tree_sitter.Language(language))


@dataclass(frozen=True, slots=True)
class Link:
    """A module that a file names, and what it takes from it: own name → name there (`*` the whole, `default`).

    `passed` is what it only passes on, by the name under which it exports that.
    """

    module: str
    names: dict[str, str]
    text: Node  # the text, with its quotes, that names the module
    required: bool = False
    passed: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class JavaScriptFile:
    """A file's tree, and what is read off its top: exports (name there → own name), links, whether it is ESM.

    `more` where it may export names that can't be read off: all of another file's, or what is handed `exports`.
    """

    path: str
    content: bytes
    root: Node
    exports: dict[str, str] = field(default_factory=dict)
    links: list[Link] = field(default_factory=list)
    esm: bool = False
    more: bool = False
    lines: tuple[int, ...] = ()  # by line, the number of the author's own; none where these are all that there are
    blanked: bool = False  # whether the tree is of a text that has blanks where the content has types
    _places: dict[str, list[int]] = field(default_factory=dict)  # type → where its nodes stand among all
    _nodes: dict[str, list[Node]] = field(default_factory=dict)  # and they themselves
    _spans: dict[int, tuple[int, int]] = field(default_factory=dict)  # by a node's id: where it and all below it stand

    def of_types(self, node: Node, types: Iterable[str]) -> list[Node]:
        """Return those of some types among a node and all below it, in the order in which they stand.

        The tree is gone through once a file, for that is what takes the time.
        """
        if not self._spans:
            self._index()
        begin, end = self._spans[node.id]
        found: list[tuple[int, Node]] = []
        for one in set(types):
            places = self._places.get(one, [])
            some = slice(bisect_left(places, begin), bisect_left(places, end))
            found += zip(places[some], self._nodes.get(one, [])[some], strict=True)
        found.sort(key=itemgetter(0))
        return [one for _, one in found]

    def _index(self) -> None:
        cursor, number, above = self.root.walk(), 0, list[tuple[int, int]]()
        places, nodes, spans = self._places, self._nodes, self._spans
        while True:
            node = cursor.node
            above.append((node.id, number))
            if node.is_named:
                kind = node.type
                places.setdefault(kind, []).append(number)
                nodes.setdefault(kind, []).append(node)
            number += 1
            if cursor.goto_first_child():
                continue
            identity, begin = above.pop()
            spans[identity] = (begin, number)
            while not cursor.goto_next_sibling():
                if not cursor.goto_parent():
                    return
                identity, begin = above.pop()
                spans[identity] = (begin, number)

    def text(self, node: Node) -> str:
        """Return the text of a node, which may be one of another file's that is not `blanked`."""
        text = self.content[node.start_byte : node.end_byte] if self.blanked else node.text
        return text.decode("utf-8", "replace")

    def place(self, node: Node) -> Place:
        """Return where a node stands in what the author wrote."""
        line = node.start_point[0]
        return Place(self.path, self.lines[line] if self.lines else line + 1, node.start_point[1] + 1)


def walk(node: Node) -> Iterator[Node]:
    """Yield a node and all below it, in the order in which they stand."""
    cursor = node.walk()
    depth = 0
    while True:
        yield cursor.node
        if cursor.goto_first_child():
            depth += 1
            continue
        while not cursor.goto_next_sibling():
            if depth == 0 or not cursor.goto_parent():
                return
            depth -= 1
            if depth == 0:
                return


def string_of(file: JavaScriptFile, node: Node | None) -> str | None:
    """Return the value of a text literal without escapes or parts that are worked out; nothing for anything else."""
    if node is None or node.type not in ("string", "template_string"):
        return None
    inner = [child for child in node.named_children if child.type != "string_fragment"]
    return None if inner else file.text(node)[1:-1]


def literal_of(file: JavaScriptFile, node: Node) -> Any:
    """Return the value of a literal: a text, a number, a truth, null, an array or an object of these.

    Raises ValueError for what only running the code would tell.
    """
    if node.type in ("object", "array"):
        inner = [one for one in node.named_children if one.type != "comment"]
        if node.type == "array":
            return [literal_of(file, one) for one in inner]
        if any(one.type != "pair" for one in inner):
            raise ValueError(file.text(node))
        both = [(one.child_by_field_name("key"), one.child_by_field_name("value")) for one in inner]
        return {string_of(file, key) or file.text(key): literal_of(file, value) for key, value in both}
    text = string_of(file, node)
    if text is not None:
        return text
    return json.loads(file.text(node))


#: What TypeScript has that makes code, by node: Node takes types away and makes nothing, so it refuses these.
_MADE_BY_TYPESCRIPT: Final = {
    "enum_declaration": "an enum",
    "internal_module": "a namespace",
    "module": "a namespace",
    "import_require_clause": "`import ... = require(...)`",
    "import_alias": "`import ... = ...`",
    "type_assertion": "a type before a value (`<T>value`)",
    "decorator": "a decorator",
}
_PERHAPS_MADE: Final = (*_MADE_BY_TYPESCRIPT, "export_statement", "required_parameter", "optional_parameter")
_JSX: Final = ("jsx_element", "jsx_self_closing_element", "jsx_fragment")
_TYPES_ONLY: Final = ("interface_declaration", "type_alias_declaration", "ambient_declaration", "comment")


def not_stripped(file: JavaScriptFile) -> Iterator[tuple[Node, str]]:
    """Yield what Node does not run of a file in TypeScript, each with what it is called: the file fails to load."""
    for node in file.of_types(file.root, _PERHAPS_MADE):
        what = _MADE_BY_TYPESCRIPT.get(node.type, "")
        if node.type == "export_statement" and any(child.type == "=" for child in node.children):
            what = "`export = ...`"
        elif node.type in ("required_parameter", "optional_parameter") and _is_property(node):
            what = "a parameter that is a property of its class"
        if not what or not node.is_named or _is_ambient(node):
            continue
        if node.type in ("internal_module", "module") and _types_only(node):
            continue
        yield node, what


def _is_property(parameter: Node) -> bool:
    return any(child.type in ("accessibility_modifier", "readonly") for child in parameter.children)


def _is_ambient(node: Node) -> bool:
    while node is not None and node.type != "ambient_declaration":
        node = node.parent
    return node is not None


def _types_only(namespace: Node) -> bool:
    body = namespace.child_by_field_name("body")
    for child in body.named_children if body is not None else ():
        inner = child.child_by_field_name("declaration") or child if child.type == "export_statement" else child
        inner = inner.named_children[0] if inner.type == "expression_statement" else inner
        if inner.type not in _TYPES_ONLY and not (inner.type == "internal_module" and _types_only(inner)):
            return False
    return True


def is_typescript(file: JavaScriptFile) -> bool:
    """Tell whether a file is in TypeScript."""
    return file.path.endswith((".ts", ".mts", ".cts"))


def linked_file(path: str, module: str, known: Collection[str]) -> str:
    """Return the file of the project that a relative link of a file leads to; empty for any other link."""
    if not module.startswith("."):
        return ""
    there = posixpath.normpath(posixpath.join(posixpath.dirname(path), module))
    return next((one for one in (there, *(f"{there}{suffix}" for suffix in SUFFIXES)) if one in known), "")


def parse_javascript(content: bytes, path: str) -> JavaScriptFile:
    """Return a file as a tree; raises BadInput, with line and column, where it is not JavaScript or TypeScript."""
    file = parsed(content, path)
    jsx = next((at for at in file.of_types(file.root, _JSX)), None)
    if jsx is not None:
        raise BadInput(
            "the file holds JSX, which Node does not run", "Build it first, or take the markup out", file.place(jsx)
        )
    for statement in file.root.named_children:
        _read_statement(file, statement)
    for node in file.of_types(file.root, ("call_expression", "identifier")):
        if node.type == "call_expression":
            _read_require(file, node)
        elif not file.esm and file.text(node) in ("exports", "module"):
            file.more = file.more or _hands_out_exports(file, node)
    return file


def parsed(content: bytes, path: str) -> JavaScriptFile:
    """Return a file as a tree of which nothing is read yet; raises BadInput as `parse_javascript` does."""
    typescript = path.endswith((".ts", ".mts", ".cts"))
    file = JavaScriptFile(path, content, _parser(typescript).parse(content).root_node)
    if typescript and _GENERIC_CALL.search(content):
        file = _with_calls_of_their_own(file)
    root = file.root
    if root.has_error:
        wrong = next(node for node in walk(root) if node.is_error or node.is_missing)
        language = "TypeScript" if typescript else "JavaScript"
        near = file.text(wrong).strip().splitlines()
        what = (
            f"{wrong.type} is missing"
            if wrong.is_missing
            else f"{near[0][:40]!r} can't stand here"
            if near
            else "its end is missing"
        )
        raise BadInput(f"the file is not {language}: {what}", "Mend the line", file.place(wrong))
    return file


def _with_calls_of_their_own(file: JavaScriptFile) -> JavaScriptFile:
    """Return a file in whose tree `await read<Hive>(key)` is a call that is waited for.

    The grammar takes an operator before a call with types for a part of what is called: `(await read)<Hive>(key)`. The
    types are left out of the tree there, which stands for the same program without them; the content keeps them.
    """
    text = bytearray(file.content)
    while wrong := [
        one.child_by_field_name("type_arguments")
        for one in file.of_types(file.root, ("call_expression",))
        if one.child_by_field_name("function").type in _OPERATORS
        and one.child_by_field_name("type_arguments") is not None
    ]:
        for one in wrong:
            span = slice(one.start_byte, one.end_byte)
            text[span] = re.sub(rb"[^\n]", b" ", text[span])
        file = JavaScriptFile(file.path, file.content, _parser(True).parse(bytes(text)).root_node, blanked=True)
    return file


def _hands_out_exports(file: JavaScriptFile, node: Node) -> bool:
    """Tell whether a use of `exports` or `module` does more than to name one thing that is exported."""
    above = node.parent
    if file.text(node) == "module":
        if above.type != "member_expression" or file.text(above) != "module.exports":
            return file.text(above.parent) != "require.main === module" and above.type != "binary_expression"
        node, above = above, above.parent
    if above.type == "member_expression" and above.child_by_field_name("object") == node:
        name = file.text(above.child_by_field_name("property"))
        return bool(above.parent.child_by_field_name("left") == above and name not in file.exports)
    whole = above.type == "assignment_expression" and above.child_by_field_name("left") == node
    return not (whole and above.child_by_field_name("right").type == "object" and not _spreads(above))


def _spreads(assignment: Node) -> bool:
    return any(one.type == "spread_element" for one in assignment.child_by_field_name("right").named_children)


def _read_statement(file: JavaScriptFile, node: Node) -> None:
    if node.type == "import_statement":
        file.esm = True
        _read_import(file, node)
    elif node.type == "export_statement":
        file.esm = True
        _read_export(file, node)
    elif node.type == "expression_statement":
        _read_assignment(file, node)


def _read_import(file: JavaScriptFile, node: Node) -> None:
    names: dict[str, str] = {}
    source = node.child_by_field_name("source")
    clause = next((child for child in node.named_children if child.type == "import_clause"), None)
    for part in clause.named_children if clause is not None else ():
        if part.type == "identifier":
            names[file.text(part)] = "default"
        elif part.type == "namespace_import":
            names[file.text(part.named_children[0])] = "*"
        elif part.type == "named_imports":
            for one in part.named_children:
                if one.type == "import_specifier":
                    there = file.text(one.child_by_field_name("name"))
                    alias = one.child_by_field_name("alias")
                    names[file.text(alias) if alias is not None else there] = there
    module = string_of(file, source)
    if module is not None:
        file.links.append(Link(module, names, source))


def _read_export(file: JavaScriptFile, node: Node) -> None:
    source = node.child_by_field_name("source")
    passed: dict[str, str] = {}
    if source is not None and (module := string_of(file, source)) is not None:
        file.links.append(Link(module, {}, source, passed=passed))
    file.more = file.more or any(child.type == "*" for child in node.children)
    for child in node.named_children:
        if child.type == "export_clause":
            for one in child.named_children:
                own = file.text(one.child_by_field_name("name"))
                alias = one.child_by_field_name("alias")
                exported = file.text(alias).strip("\"'") if alias is not None else own
                file.exports[exported] = own if source is None else ""
                if source is not None:
                    passed[exported] = own
    declared = node.child_by_field_name("declaration")
    default = any(child.type == "default" for child in node.children)
    if default:
        value = declared if declared is not None else node.child_by_field_name("value")
        name = value.child_by_field_name("name") if value is not None else None
        own = file.text(value) if value is not None and value.type == "identifier" else file.text(name) if name else ""
        file.exports["default"] = own
    elif declared is not None:
        for name in declared_names(file, declared):
            file.exports[name] = name


def declared_names(file: JavaScriptFile, node: Node) -> list[str]:
    """Return the names that a declaration binds."""
    if node.type in ("lexical_declaration", "variable_declaration"):
        found = []
        for one in node.named_children:
            name = one.child_by_field_name("name")
            if name is not None:
                kinds = ("identifier", "shorthand_property_identifier_pattern")
                found += [file.text(part) for part in walk(name) if part.type in kinds]
        return found
    name = node.child_by_field_name("name")
    return [file.text(name)] if name is not None else []


def _read_assignment(file: JavaScriptFile, statement: Node) -> None:
    """Read `exports.name = …`, `module.exports.name = …` and `module.exports = { … }` at the top of a file."""
    node = statement.named_children[0] if statement.named_children else None
    if node is None or node.type != "assignment_expression":
        return
    left, right = node.child_by_field_name("left"), node.child_by_field_name("right")
    target = file.text(left)
    if target == "module.exports" and right.type == "object":
        for one in right.named_children:
            if one.type == "shorthand_property_identifier":
                file.exports[file.text(one)] = file.text(one)
            elif one.type == "pair":
                value = one.child_by_field_name("value")
                key = file.text(one.child_by_field_name("key")).strip("\"'")
                file.exports[key] = file.text(value) if value.type == "identifier" else ""
            elif one.type == "method_definition":
                file.exports[file.text(one.child_by_field_name("name"))] = ""
        return
    before, _, name = target.rpartition(".")
    if before in ("exports", "module.exports") and name.isidentifier():
        last = right
        while last.type == "assignment_expression":  # exports.one = exports.other = …
            last = last.child_by_field_name("right")
        file.exports[name] = file.text(last) if last.type == "identifier" else ""
        if last != right:
            _read_assignment(file, node)


def _read_require(file: JavaScriptFile, node: Node) -> None:
    function, given = node.child_by_field_name("function"), node.child_by_field_name("arguments")
    if given is None or file.text(function) not in ("require", "import") or len(given.named_children) != 1:
        return
    module = string_of(file, given.named_children[0])
    if module is None:
        return
    names: dict[str, str] = {}
    above = node.parent
    while above is not None and above.type in ("await_expression", "parenthesized_expression"):
        above = above.parent
    if above is not None and above.type == "variable_declarator":
        name = above.child_by_field_name("name")
        if name.type == "identifier":
            names[file.text(name)] = "*"
        for part in name.named_children if name.type == "object_pattern" else ():
            if part.type == "shorthand_property_identifier_pattern":
                names[file.text(part)] = file.text(part)
            elif part.type == "pair_pattern":
                names[file.text(part.child_by_field_name("value"))] = file.text(part.child_by_field_name("key"))
    elif above is not None and above.type == "member_expression":
        names[""] = "*"
    file.links.append(Link(module, names, given.named_children[0], required=file.text(function) == "require"))
