"""Functions that stand in a list of the project, and are called one after the other.

    const rules = [{ when: (event) => event.fields.a, to: "a" }, …];
    for (const rule of rules) if (rule.when(event)) …       filters.map((filter) => filter(event))

A name that goes through a list which nobody changes stands for each thing in it; so does what is unpacked of it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node
from vast_ferry.translate.javascript.handlers import PLAIN_FUNCTIONS, given_to_all
from vast_ferry.translate.javascript.looking import parameters_of, patterns_of
from vast_ferry.translate.javascript.scopes import Scopes, is_written
from vast_ferry.translate.javascript.values import bare

#: Methods of a list that call what they are given with each thing in it, first, and change nothing.
_GO_THROUGH: Final = frozenset(
    ("map", "forEach", "filter", "some", "every", "flatMap", "find", "findIndex", "findLast", "findLastIndex")
)
#: What else is asked of a list and changes nothing.
_LOOK: Final = _GO_THROUGH | {
    "length",
    "slice",
    "at",
    "get",
    "has",
    "keys",
    "size",
    "entries",
    "includes",
    "indexOf",
    "join",
}


def things_listed(scopes: Scopes, name: Node, value_of: Callable[[Scopes, Node], Node | None]) -> list[Node]:
    """Return the expressions in a list that a name stands for one after the other; none where it can't be seen."""
    binding = scopes.of(name)
    if binding is None or binding.writes or len(binding.declared) != 1:
        return []
    steps: list[str | int] = []
    declared: Node = binding.declared[0]
    while (step := _step_in_pattern(scopes.file, declared)) is not None:
        declared, name_of_it = step
        steps.insert(0, name_of_it)
    holder, by_key = _gone_through(scopes.file, declared) or (None, False)
    if holder is None:
        return []
    if holder.type == "identifier" and not _never_changed(scopes, holder):
        return []
    things = _handed_as_rest(scopes, holder)
    if not things:
        listed = value_of(scopes, holder) if holder.type == "identifier" else holder
        listed = _listed_in(scopes.file, listed, by_key=by_key)
        things = [one for one in listed.named_children if one.type != "comment"] if listed is not None else []
    steps = [1, *steps] if by_key else steps  # of each pair, what stands under the key
    if any(one.type == "spread_element" for one in things):
        return []
    for own in steps:
        inner = [part_of(scopes.file, bare(one), own) for one in things]
        if any(one is None for one in inner):
            return []
        things = [one for one in inner if one is not None]
    return things


def things_in_map(scopes: Scopes, holder: Node, value_of: Callable[[Scopes, Node], Node | None]) -> list[Node]:
    """Return what a `Map` that a name stands for has under its keys, where nobody changes it."""
    listed = _listed_in(scopes.file, value_of(scopes, holder), by_key=True) if _never_changed(scopes, holder) else None
    pairs = [bare(one) for one in listed.named_children if one.type != "comment"] if listed is not None else []
    things = [part_of(scopes.file, one, 1) for one in pairs]
    return [one for one in things if one is not None] if all(one is not None for one in things) else []


def _handed_as_rest(scopes: Scopes, name: Node) -> list[Node]:
    """Return what a function of the file's top is handed as its rest, by all the calls of it: `(...jobs) => …`."""
    binding = scopes.of(name) if name.type == "identifier" else None
    pattern = binding.declared[0].parent if binding is not None and binding.kind == "parameter" else None
    if binding is None or pattern is None or pattern.type != "rest_pattern":
        return []
    taken = patterns_of(binding.scope)
    at = taken.index(pattern) if pattern in taken else len(taken)
    return [one for given in given_to_all(scopes.file, scopes, binding.scope) for one in given[at:]]


def _listed_in(file: JavaScriptFile, held: Node | None, *, by_key: bool) -> Node | None:
    """Return the list that an expression is; `by_key`, the list of pairs that a `Map` is made of."""
    held = bare(held) if held is not None else None
    if by_key and held is not None:
        made = held.type == "new_expression" and file.text(held.child_by_field_name("constructor")) == "Map"
        given = held.child_by_field_name("arguments").named_children if made else []
        given = [one for one in given if one.type != "comment"]
        held = bare(given[0]) if len(given) == 1 else None
    return held if held is not None and held.type == "array" else None


def part_of(file: JavaScriptFile, thing: Node, step: str | int) -> Node | None:
    """Return what stands in an object under a name, or in an array at a place."""
    if isinstance(step, int):
        inside = [one for one in thing.named_children if one.type != "comment"]
        return inside[step] if thing.type == "array" and step < len(inside) else None
    if thing.type != "object":
        return None
    for one in thing.named_children:
        if one.type == "pair" and file.text(one.child_by_field_name("key")).strip("\"'") == step:
            value: Node = one.child_by_field_name("value")
            return value
        if one.type == "method_definition" and file.text(one.child_by_field_name("name")) == step:
            return one if not any(child.type in ("get", "set", "*") for child in one.children) else None
        if one.type == "shorthand_property_identifier" and file.text(one) == step:
            return one
        if one.type == "spread_element":
            return None
    return None


def _step_in_pattern(file: JavaScriptFile, declared: Node) -> tuple[Node, str | int] | None:
    """Return the pattern in which a name is declared, and what of the thing it takes; nothing for a bare name."""
    above = declared.parent
    if declared.type == "shorthand_property_identifier_pattern" and above.type == "object_pattern":
        return above, file.text(declared)
    if above.type == "pair_pattern" and above.child_by_field_name("value") == declared:
        return above.parent, file.text(above.child_by_field_name("key")).strip("\"'")
    if above.type == "array_pattern":
        return above, [one for one in above.named_children if one.type != "comment"].index(declared)
    return None


def _gone_through(file: JavaScriptFile, declared: Node) -> tuple[Node, bool] | None:
    """Return the list that a name, or a pattern, goes through, and whether it is asked for what is under a key.

    It goes through it in a loop, as what a function is called with, or as what is taken out.
    """
    above = declared.parent
    if above.type == "for_in_statement" and above.child_by_field_name("left") == declared:
        word = file.text(above.child_by_field_name("operator"))
        return (bare(above.child_by_field_name("right")), False) if word == "of" else None
    if above.type == "variable_declarator" and above.child_by_field_name("name") == declared:
        return _taken_out(file, bare(above.child_by_field_name("value")))
    node = above if above.type in ("required_parameter", "formal_parameters") else declared
    node = node.parent if node.type == "required_parameter" else node
    function = node.parent if node.type == "formal_parameters" else above
    taken = parameters_of(function) if function is not None and function.type in PLAIN_FUNCTIONS else []
    first = taken and (taken[0].child_by_field_name("pattern") or taken[0]) == declared
    if not first or function.parent.type != "arguments":
        return None
    asked = function.parent.parent.child_by_field_name("function")
    if asked is None or asked.type != "member_expression":
        return None
    if file.text(asked.child_by_field_name("property")) not in _GO_THROUGH:
        return None
    return bare(asked.child_by_field_name("object")), False


def _taken_out(file: JavaScriptFile, value: Node | None) -> tuple[Node, bool] | None:
    """Return of what an expression gives one thing, and whether that is a map, asked by a key: `ways.get(method)`.

    Else it is a list: the first that fits, or one by its number.
    """
    if value is None:
        return None
    if value.type == "subscript_expression":
        return bare(value.child_by_field_name("object")), False
    asked = value.child_by_field_name("function") if value.type == "call_expression" else None
    if asked is None or asked.type != "member_expression":
        return None
    name = file.text(asked.child_by_field_name("property"))
    takes = name in ("find", "findLast", "at", "get")
    return (bare(asked.child_by_field_name("object")), name == "get") if takes else None


def _never_changed(scopes: Scopes, name: Node) -> bool:
    """Tell whether a list is only gone through, or looked at, wherever it is named, and not exported."""
    binding = scopes.of(name)
    if binding is None or binding.writes or binding.name in scopes.file.exports.values():
        return False
    for use in binding.uses:
        above = use.parent
        if (
            above.type == "subscript_expression"
            and above.child_by_field_name("object") == use
            and not is_written(above)
        ):
            continue
        if above.type == "for_in_statement" and above.child_by_field_name("right") == use:
            continue
        asked = above.type == "member_expression" and above.child_by_field_name("object") == use
        if not asked or scopes.file.text(above.child_by_field_name("property")) not in _LOOK:
            return False
    return True
