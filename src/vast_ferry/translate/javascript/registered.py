"""Functions that a file's own code puts into a table, one by one, when it is loaded: which they are.

    const routes = {};                                          const routes = new Map();
    const on = (verb, handle) => { routes[verb] = handle; };    routes.set("GET", async (event) => …);
    on("GET", async (event) => …);
    …
    return routes[event.call.verb](event);                      return routes.get(event.call.verb)(event);

Known is a table at the file's top that is only asked for what is in it, but for where a function is put in: by a
statement at the top, or by a function that statements at the top call (`on("GET", …)`, `on("GET")(…)`) and nobody else.
"""

from __future__ import annotations

from dataclasses import dataclass

from vast_ferry.documents.javascript_file import JavaScriptFile, Node
from vast_ferry.translate.javascript.handlers import PLAIN_FUNCTIONS, FunctionOf, Standing
from vast_ferry.translate.javascript.looking import asks_for_names, is_asked, parameters_of
from vast_ferry.translate.javascript.scopes import FUNCTIONS, Scopes
from vast_ferry.translate.javascript.values import bare

_ASKED_OF_MAPS = frozenset(("get", "has", "keys", "size"))


@dataclass(frozen=True, slots=True)
class Registered:
    """The functions in a table, where they are put in, and where the table is asked for one."""

    functions: tuple[Standing, ...]
    puts: tuple[Node, ...]
    asked: tuple[Node, ...]


def registered(file: JavaScriptFile, scopes: Scopes, holder: Node, function_of: FunctionOf) -> Registered | None:
    """Return what is put into the table that a name stands for; nothing where that can't be seen."""
    binding = scopes.of(holder)
    if binding is None or binding.writes or len(binding.declared) != 1 or binding.name in file.exports.values():
        return None
    table = _empty_table(file, binding.declared[0])
    if table is None:
        return None
    puts: list[Node] = []
    asked: list[Node] = []
    found: list[Standing] = []
    for use in binding.uses:
        value = _put(file, use, of_map=table == "map")
        if value is not None:
            theirs = _what_is_put(Standing(file, scopes, value), function_of)
            if not theirs:
                return None
            found += theirs
            puts.append(use)
        elif asks_for_names(use) or _is_asked(file, use, of_map=table == "map"):
            asked.append(use)
        else:
            return None
    return Registered(tuple(found), tuple(puts), tuple(asked)) if found else None


def asked_map(file: JavaScriptFile, call: Node) -> Node | None:
    """Return the name of what is asked for what it has under a key: `routes.get(method)`."""
    asked = call.child_by_field_name("function")
    if asked.type != "member_expression" or file.text(asked.child_by_field_name("property")) != "get":
        return None
    holder: Node = asked.child_by_field_name("object")
    return holder if holder.type == "identifier" else None


def only_tested(file: JavaScriptFile, use: Node) -> bool:
    """Tell whether a use of a table only asks whether something is in it, and of a `Map` what it lists."""
    asked, name = use.parent, use.parent.child_by_field_name("property")
    if name is not None and file.text(name) in ("has", "keys", "size"):
        return True
    if name is not None and file.text(name) == "get" and asked.parent.type == "call_expression":
        asked = asked.parent
    above = asked.parent
    while above.type in ("unary_expression", "parenthesized_expression"):
        asked, above = above, above.parent
    compares = above.type == "binary_expression" and above.child_by_field_name("operator").type in _COMPARES
    tests = above.type in ("if_statement", "ternary_expression") and above.child_by_field_name("condition") == asked
    return compares or tests


_COMPARES = ("===", "!==", "==", "!=")


def _empty_table(file: JavaScriptFile, declared: Node) -> str | None:
    """Return `object` or `map` where a name at a file's top is declared with one that has nothing in it yet."""
    above = declared.parent
    value = above.child_by_field_name("value") if above.type == "variable_declarator" else None
    if value is None or above.parent.parent.type != "program":
        return None
    if file.text(value) == "Object.create(null)":
        return "object"
    inside = value if value.type == "object" else value.child_by_field_name("arguments")
    if inside is None or any(one.type != "comment" for one in inside.named_children):
        return None
    if value.type == "object":
        return "object"
    made = value.type == "new_expression" and file.text(value.child_by_field_name("constructor")) == "Map"
    return "map" if made else None


def _put(file: JavaScriptFile, use: Node, *, of_map: bool) -> Node | None:
    """Return what is put into a table where it is used: `table[name] = value`, `table.set(name, value)`."""
    above = use.parent
    if above.type not in ("member_expression", "subscript_expression") or above.child_by_field_name("object") != use:
        return None
    beyond = above.parent
    if of_map:
        called = above.type == "member_expression" and file.text(above.child_by_field_name("property")) == "set"
        if not called or beyond.type != "call_expression" or beyond.parent.type != "expression_statement":
            return None
        given = [one for one in beyond.child_by_field_name("arguments").named_children if one.type != "comment"]
        return given[1] if len(given) == 2 else None
    if beyond.type != "assignment_expression" or beyond.child_by_field_name("left") != above:
        return None
    value: Node = beyond.child_by_field_name("right")
    return value if beyond.parent.type == "expression_statement" else None


def _is_asked(file: JavaScriptFile, use: Node, *, of_map: bool) -> bool:
    above = use.parent
    if not is_asked(use):
        return False
    return not of_map or (
        above.type == "member_expression" and file.text(above.child_by_field_name("property")) in _ASKED_OF_MAPS
    )


def _what_is_put(put: Standing, function_of: FunctionOf) -> list[Standing]:
    """Return the functions that a value is which is put into a table; none where one of them can't be seen."""
    around = _function_around(put.node)
    if around is None:
        return _as_function(put, function_of)
    name, scopes = put.node, put.scopes
    binding = scopes.of(name) if name.type == "identifier" else None
    taken = [one.child_by_field_name("pattern") or one for one in parameters_of(around)]
    if binding is None or binding.writes or binding.declared[0] not in taken:
        return []
    if any(one != name and one.parent.type != "return_statement" for one in binding.uses):
        return []
    found: list[Standing] = []
    for call in _calls_at_top(put, around):
        given = [one for one in call.child_by_field_name("arguments").named_children if one.type != "comment"]
        at = taken.index(binding.declared[0])
        spread = any(one.type == "spread_element" for one in given)
        own = _as_function(Standing(put.file, scopes, given[at]), function_of) if at < len(given) and not spread else []
        if not own:
            return []
        found += own
    return found


def _as_function(value: Standing, function_of: FunctionOf) -> list[Standing]:
    node = bare(value.node)
    if node.type in PLAIN_FUNCTIONS:
        return [Standing(value.file, value.scopes, node)]
    named = function_of(value.file, value.scopes, node) if node.type == "identifier" else None
    return [named] if named is not None else []


def _calls_at_top(put: Standing, function: Node) -> list[Node]:
    """Return the calls of a function, where each is a statement at the file's top; none where one is anything else."""
    outer, times = function, 1
    if (named := _name_of(function)) is None:  # what a function gives back that has a name
        around = _function_around(function)
        if around is None or not _gives_only(around, function) or (named := _name_of(around)) is None:
            return []
        outer, times = around, 2
    binding = put.scopes.of(named)
    if binding is None or binding.writes or binding.name in put.file.exports.values():
        return []
    if any(child.type in ("async", "*") for one in (outer, function) for child in one.children):
        return []
    found = []
    for use in binding.uses:
        call = use
        for _ in range(times):
            above = call.parent
            if above.type != "call_expression" or above.child_by_field_name("function") != call:
                return []
            call = above
        if call.parent.type != "expression_statement" or call.parent.parent.type != "program":
            return []
        found.append(call)
    return found


def _name_of(function: Node) -> Node | None:
    """Return the name of a function that is declared at its file's top."""
    declared = function if function.type == "function_declaration" else function.parent
    if declared.type not in ("function_declaration", "variable_declarator"):
        return None
    statement = declared if declared.type == "function_declaration" else declared.parent
    name: Node | None = declared.child_by_field_name("name")
    return name if statement.parent.type == "program" and name is not None and name.type == "identifier" else None


def _gives_only(outer: Node, function: Node) -> bool:
    """Tell whether a function does no more than to give another back."""
    body = outer.child_by_field_name("body")
    if body.type != "statement_block":
        return bool(bare(body) == function)
    inside = [one for one in body.named_children if one.type != "comment"]
    returned = len(inside) == 1 and inside[0].type == "return_statement" and inside[0].named_children
    return bool(returned and bare(returned[0]) == function)


def _function_around(node: Node) -> Node | None:
    above = node.parent
    while above is not None and above.type not in FUNCTIONS:
        above = above.parent
    return above
