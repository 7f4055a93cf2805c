"""Functions that a file's own code puts into a table, one by one, when it is loaded: which they are.

    const routes = {};                                          const routes = new Map();
    const on = (verb, handle) => { routes[verb] = handle; };    routes.set("GET", async (event) => …);
    on("GET", async (event) => …);
    …
    return routes[event.call.verb](event);                      return routes.get(event.call.verb)(event);

Known is a table at the file's top that is only asked for what is in it, but for where a function is put in: by a
statement at the top, or by a function that statements at the top call (`on("GET", …)`, `on("GET")(…)`) and nobody else.
So is one in a field of an object that is the only one of its class, filled by methods of that which are called at the
top: `const router = new Router().on("GET", …)`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from vast_ferry.documents.javascript_file import JavaScriptFile, Node
from vast_ferry.translate.javascript.constructed import class_around, goes_somewhere, inherits_from, is_of_an_object
from vast_ferry.translate.javascript.handlers import PLAIN_FUNCTIONS, FunctionOf, Standing, class_at, name_at_top
from vast_ferry.translate.javascript.looking import asks_for_names, is_asked, only_asked, patterns_of
from vast_ferry.translate.javascript.scopes import FUNCTIONS
from vast_ferry.translate.javascript.values import arguments_of, bare, only_value, own_nodes

#: Gives the functions that an expression may be; none where one can't be seen.
FunctionsAt = Callable[[Standing], list[Standing]]
_ASKED_OF_MAPS = frozenset(("get", "has", "keys", "size"))


@dataclass(slots=True)
class Registered:
    """The functions in a table, where they are put in, and where it is asked for one; empty where that isn't known."""

    functions: list[Standing]
    puts: list[Node]
    asked: list[Node]


@dataclass(frozen=True, slots=True)
class _Table:
    """A table: every use of it, whether it is a `Map`, and whose field it is: the only object of a class."""

    uses: list[Node]
    of_map: bool
    owner: Node | None = None


def registered(holder: Standing, functions_at: FunctionsAt) -> Registered:
    """Return what is put into the table that a name stands for, or a field of `this`."""
    of_name = holder.node.type == "identifier"
    table = _named(holder) if of_name else _field(holder)
    found = Registered([], [], [])
    for use in table.uses if table is not None else ():
        assert table is not None
        value = _put(holder.file, use, of_map=table.of_map)
        if value is not None:
            theirs = _what_is_put(replace(holder, node=value), table, functions_at)
            if not theirs:
                return Registered([], [], [])
            found.functions += theirs
            found.puts.append(use)
        elif asks_for_names(use) or _is_asked(holder.file, use, of_map=table.of_map):
            found.asked.append(use)
        else:
            return Registered([], [], [])
    return found


def plain_functions(function_of: FunctionOf) -> FunctionsAt:
    """Return what knows functions that stand there, and names of them."""

    def at(value: Standing) -> list[Standing]:
        node = bare(value.node)
        if node.type in PLAIN_FUNCTIONS:
            return [replace(value, node=node)]
        by_name = node.type in ("identifier", "shorthand_property_identifier")
        named = function_of(value.file, value.scopes, node) if by_name else None
        return [named] if named is not None else []

    return at


def asked_map(file: JavaScriptFile, call: Node) -> Node | None:
    """Return what is asked for what it has under a key, a name or a field of `this`: `routes.get(method)`."""
    asked = call.child_by_field_name("function")
    if asked.type != "member_expression" or file.text(asked.child_by_field_name("property")) != "get":
        return None
    holder: Node = asked.child_by_field_name("object")
    of_this = holder.type == "member_expression" and holder.child_by_field_name("object").type == "this"
    return holder if of_this or holder.type == "identifier" else None


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


def instance_of(name: Standing) -> Standing | None:
    """Return where the object is made that a name stands for, which is only asked for its parts; else nothing.

    Methods may be called on it at once which give it back: `new Router().on("GET", …)`.
    """
    value = only_value(name.scopes, name.node)
    if value is None or not only_asked(name.scopes, name.node):
        return None
    return _made_by(replace(name, node=value))


def _made_by(value: Standing) -> Standing | None:
    """Return where an object is made on which methods that give it back may be called at once."""
    node = value.node
    links: list[str] = []
    while node.type == "call_expression" and node.child_by_field_name("function").type == "member_expression":
        called = node.child_by_field_name("function")
        links.append(value.file.text(called.child_by_field_name("property")))
        node = called.child_by_field_name("object")
    if node.type != "new_expression":
        return None
    own = _class_of(replace(value, node=node)) if links else None
    known = not links or (own is not None and all(_gives_this(value.file, own, name) for name in links))
    return replace(value, node=node) if known else None


def _class_of(made: Standing) -> Node | None:
    """Return the class of an object that is made, of the same file."""
    named = made.node.child_by_field_name("constructor")
    binding = made.scopes.of(named) if named.type == "identifier" else None
    return class_at(binding.declared[0]) if binding is not None and len(binding.declared) == 1 else None


def _gives_this(file: JavaScriptFile, own: Node, name: str) -> bool:
    """Tell whether a method of a class gives back what it is called on, and nothing else."""
    methods = [one for one in own.child_by_field_name("body").named_children if one.type == "method_definition"]
    found = [one for one in methods if file.text(one.child_by_field_name("name")) == name]
    if len(found) != 1 or any(child.type in ("async", "*", "static", "get") for child in found[0].children):
        return False
    returns = [one for one in own_nodes(found[0].child_by_field_name("body")) if one.type == "return_statement"]
    return bool(returns) and all(one.named_children and one.named_children[0].type == "this" for one in returns)


def _named(name: Standing) -> _Table | None:
    """Return a table that has a name at the file's top, where nothing is in it yet."""
    binding, file = name.scopes.of(name.node), name.file
    if binding is None or binding.name in file.exports.values():
        return None
    value = only_value(name.scopes, name.node)
    if value is None or value.parent.parent.parent.type != "program":
        return None
    of_map = _empty(file, value)
    return _Table(binding.uses, of_map) if of_map is not None else None


def _field(field: Standing) -> _Table | None:
    """Return a table in a field of the only object of a class, which that begins with as an empty one."""
    file = field.file
    this = field.node.child_by_field_name("object") if field.node.type == "member_expression" else None
    own = class_around(field.node)
    if this is None or this.type != "this" or own is None or not is_of_an_object(this):
        return None
    name = file.text(field.node.child_by_field_name("property"))
    made = _only_object(field, own)
    if made is None or not _is_kept_inside(replace(field, node=made), name):
        return None
    begins: list[Node] = []
    uses: list[Node] = []
    for one in own.child_by_field_name("body").named_children:
        key = one.child_by_field_name("name") or one.child_by_field_name("property")
        if one.type.endswith("field_definition") and key is not None and file.text(key) == name:
            begins.append(one)
    for one in file.of_types(own, ("this",)):
        above = one.parent
        if goes_somewhere(one) or above.type == "subscript_expression":
            return None
        named = above.type == "member_expression" and file.text(above.child_by_field_name("property")) == name
        if not named or not is_of_an_object(one):
            continue
        assigned = above.parent.type == "assignment_expression" and above.parent.child_by_field_name("left") == above
        (begins if assigned else uses).append(above.parent if assigned else above)
    value = (begins[0].child_by_field_name("value") or begins[0].child_by_field_name("right")) if begins else None
    of_map = _empty(file, value) if value is not None and len(begins) == 1 else None
    return _Table(uses, of_map, made) if of_map is not None else None


def _only_object(at: Standing, own: Node) -> Node | None:
    """Return where the only object of a class is made, at the file's top; nothing where there may be others."""
    named = own.child_by_field_name("name")
    binding = at.scopes.of(named) if named is not None else None
    if binding is None or binding.writes or binding.name in at.file.exports.values() or inherits_from(own) is not None:
        return None
    used = [use for use in binding.uses if use.parent.type != "binary_expression"]
    made = used[0].parent if len(used) == 1 else None
    if made is None or made.type != "new_expression" or _function_around(made) is not None:
        return None
    return made


def _is_kept_inside(made: Standing, field: str) -> bool:
    """Tell whether nobody asks an object for a field of it but its own class, by whatever gives it back."""
    file = made.file
    for one in file.of_types(file.root, ("member_expression", "subscript_expression")):
        part = one.child_by_field_name("property") or one.child_by_field_name("index")
        if one.child_by_field_name("object").type != "this" and file.text(part).strip("\"'`") == field:
            return False
    name = _name_of_object(made)
    if name is None:
        return bool(made.node.parent.type == "member_expression")
    binding = made.scopes.of(name)
    by_name = binding is not None and all(use.parent.type == "member_expression" for use in binding.uses)
    return by_name and only_asked(made.scopes, name)


def _name_of_object(made: Standing) -> Node | None:
    """Return the name that an object gets where it is made, once methods that give it back were called on it."""
    node = made.node
    while node.parent.type == "member_expression" and node.parent.parent.type == "call_expression":
        node = node.parent.parent
    above = node.parent
    if above.type != "variable_declarator" or _made_by(replace(made, node=node)) is None:
        return None
    name: Node = above.child_by_field_name("name")
    return name if name.type == "identifier" else None


def _empty(file: JavaScriptFile, value: Node) -> bool | None:
    """Tell whether an empty table is a `Map`; nothing where a value is no empty table."""
    if file.text(value) == "Object.create(null)":
        return False
    inside = value if value.type == "object" else value.child_by_field_name("arguments")
    if inside is None or any(one.type != "comment" for one in inside.named_children):
        return None
    if value.type == "object":
        return False
    made = value.type == "new_expression" and file.text(value.child_by_field_name("constructor")) == "Map"
    return True if made else None


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
        given = arguments_of(beyond)
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


def _what_is_put(put: Standing, table: _Table, functions_at: FunctionsAt) -> list[Standing]:
    """Return the functions that a value is which is put into a table; none where one of them can't be seen."""
    around = _function_around(put.node)
    if around is None:
        return functions_at(put)
    name = put.node
    binding = put.scopes.of(name) if name.type == "identifier" else None
    taken = patterns_of(around)
    if binding is None or binding.writes or binding.declared[0] not in taken:
        return []
    if any(one != name and one.parent.type != "return_statement" for one in binding.uses):
        return []
    at = taken.index(binding.declared[0])
    of_method = table.owner is not None and around.type == "method_definition"
    calls = _calls_on(put, table.owner, around) if of_method else _calls_at_top(put, around)
    found: list[Standing] = []
    for given in map(arguments_of, calls):
        spread = any(one.type == "spread_element" for one in given)
        own = functions_at(replace(put, node=given[at])) if at < len(given) and not spread else []
        if not own:
            return []
        found += own
    return found


def _calls_on(put: Standing, owner: Node | None, method: Node) -> list[Node]:
    """Return the calls of a method on the only object of its class; none where one is not at the file's top."""
    file = put.file
    assert owner is not None
    name = file.text(method.child_by_field_name("name"))
    inside = [one.parent for one in file.of_types(class_around(method), ("this",))]
    asks_itself = any(
        one.type == "member_expression" and file.text(one.child_by_field_name("property")) == name for one in inside
    )
    named = _name_of_object(replace(put, node=owner))
    binding = put.scopes.of(named) if named is not None else None
    found: list[Node] = []
    for begin in [owner, *(binding.uses if binding is not None else ())]:
        node = begin
        while node.parent.type == "member_expression" and node.parent.parent.type == "call_expression":
            called = file.text(node.parent.child_by_field_name("property"))
            node = node.parent.parent
            if called != name:
                continue
            if _function_around(node) is not None:
                return []
            found.append(node)
    return [] if asks_itself else found


def _calls_at_top(put: Standing, function: Node) -> list[Node]:
    """Return the calls of a function, where each is a statement at the file's top; none where one is anything else."""
    outer, times = function, 1
    if (named := _own_name(function)) is None:  # what a function gives back that has a name
        around = _function_around(function)
        if around is None or not _gives_only(around, function) or (named := _own_name(around)) is None:
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


def _own_name(function: Node) -> Node | None:
    return name_at_top(function) if function.type != "method_definition" else None


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
