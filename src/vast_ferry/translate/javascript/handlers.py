"""Which function of a file a handler is, and whether it stands there plainly: nobody else calls it or hands it on."""

from __future__ import annotations

from collections.abc import Mapping

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, walk
from vast_ferry.translate.javascript.scopes import FUNCTIONS, Scopes
from vast_ferry.translate.javascript.stops import Stop

_PLAIN_FUNCTIONS = ("arrow_function", "function_expression")


def handler_of(name: str, file: JavaScriptFile, scopes: Scopes, files: Mapping[str, JavaScriptFile]) -> Node:
    """Return the function that an exported name is; raises Stop where it is none that stands there plainly."""
    if scopes.blind:
        raise Stop("its file may bind names that nobody sees (eval, or with)")
    own = file.exports.get(name)
    node = exported_function(file, scopes, name, own)
    if node is None:
        raise Stop("what it exports is no function that stands there")
    _called_by_none_here(name, own, file, scopes)
    if any(_may_call(other, file.path, name) for path, other in files.items() if path != file.path):
        raise Stop("it may be called by another file")
    own_name = node.child_by_field_name("name") if node.type == "function_expression" else None
    binding = scopes.of(own_name) if own_name is not None else None
    if binding is not None and binding.uses:
        raise Stop("it calls itself, or looks at itself", binding.uses[0])
    for inner in walk(node):
        if inner.type == "identifier" and file.text(inner) == "arguments":
            raise Stop("it asks for its arguments without their names", inner)
        if inner.type == "this" and node.type != "arrow_function" and function_around(inner) == node:
            raise Stop("it asks for what it is called on", inner)
    if any(child.type == "*" for child in node.children):
        raise Stop("it is a generator", node)
    return node


def _called_by_none_here(name: str, own: str | None, file: JavaScriptFile, scopes: Scopes) -> None:
    """Raise Stop where the handler's own file uses it in another way than to export it."""
    binding = scopes.at_top(own) if own else None
    if binding is not None:
        uses = [one for one in binding.uses if one.parent.type != "export_specifier" and not is_export(file, one)]
        if uses or binding.writes:
            raise Stop("it is called or handed on by other code", (uses or binding.writes)[0])
    for inner in walk(file.root):
        if inner.type == "member_expression" and file.text(inner) in (f"exports.{name}", f"module.exports.{name}"):
            above = inner.parent
            if above.type != "assignment_expression" or above.child_by_field_name("left") != inner:
                raise Stop("it is called or handed on by other code", inner)


def _may_call(other: JavaScriptFile, path: str, name: str) -> bool:
    """Tell whether a file has a name of another, or all of it: a link may lead there by its last part."""
    stem = path.rpartition("/")[2].partition(".")[0]
    for link in other.links:
        last = link.module.rpartition("/")[2].partition(".")[0]
        if link.module.startswith(".") and last in (stem, "", "index") and {name, "*"} & set(link.names.values()):
            return True
    return False


def function_around(node: Node) -> Node:
    above = node.parent
    while above.type not in FUNCTIONS or above.type == "arrow_function":
        if above.parent is None:
            return above
        above = above.parent
    return above


def is_export(file: JavaScriptFile, use: Node) -> bool:
    """Tell whether a use of a name only exports it: `exports.run = run`, `module.exports = { run }`."""
    above = use.parent
    if above.type in ("object", "pair"):
        above = above.parent if above.type == "object" else above.parent.parent
    elif use.type == "shorthand_property_identifier":
        above = above.parent
    if above.type == "assignment_expression":
        left = file.text(above.child_by_field_name("left"))
        return bool(left.startswith(("exports.", "module.exports")) and above.parent.parent.type == "program")
    return bool(above.type == "export_statement")


def exported_function(file: JavaScriptFile, scopes: Scopes, name: str, own: str | None) -> Node | None:
    """Return the function behind an exported name."""
    if own:
        binding = scopes.at_top(own)
        if binding is None or len(binding.declared) != 1:
            return None
        return None if binding.writes else function_at(binding.declared[0])
    for statement in file.root.named_children:
        if name == "default" and statement.type == "export_statement":
            for child in statement.named_children:
                if child.type in ("arrow_function", "function_expression", "function_declaration"):
                    return child
        node = (
            statement.named_children[0]
            if statement.type == "expression_statement" and statement.named_children
            else None
        )
        if node is not None and node.type == "assignment_expression":
            found = assigned(file, node, name)
            if found is not None:
                return found
    return None


def function_at(name: Node) -> Node | None:
    """Return the function that is declared under a name."""
    above = name.parent
    if above.type == "function_declaration":
        return above
    value = above.child_by_field_name("value") if above.type == "variable_declarator" else None
    return value if value is not None and value.type in _PLAIN_FUNCTIONS else None


def assigned(file: JavaScriptFile, node: Node, name: str) -> Node | None:
    left, right = file.text(node.child_by_field_name("left")), node.child_by_field_name("right")
    if left in (f"exports.{name}", f"module.exports.{name}"):
        return right if right.type in _PLAIN_FUNCTIONS else None
    if left == "module.exports" and right.type == "object":
        for pair in right.named_children:
            if pair.type == "pair" and file.text(pair.child_by_field_name("key")).strip("\"'") == name:
                value = pair.child_by_field_name("value")
                return value if value.type in _PLAIN_FUNCTIONS else None
    return None
