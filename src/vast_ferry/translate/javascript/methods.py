"""Methods of objects of the project's own classes: to which of them a call may come.

    const notes = new Notes();            abstract class Job { run(event) { return this.work(this.parse(event)); } }
    notes[verb](event)                    class Audit extends Job { parse(event) { … } }

An object has the methods of its class and of those that this inherits from, in whatever file of the project they
stand. What `this` is in a class may be an object of any class that inherits from it. Nothing is known of a class that
is used for more than to make objects of it and to inherit from it, and of a method that a field, or something that is
assigned, may stand in front of.
"""

from __future__ import annotations

from dataclasses import replace

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, walk
from vast_ferry.translate.javascript.constructed import Made, class_around, goes_somewhere, is_of_an_object
from vast_ferry.translate.javascript.handlers import FunctionOf, Standing
from vast_ferry.translate.javascript.scopes import Scopes, is_written

#: What is certainly no function.
_NO_FUNCTION = frozenset(
    ("string", "template_string", "number", "true", "false", "null", "undefined", "object", "array", "new_expression")
)


def methods_of(made: Standing, name: str | None, function_of: FunctionOf) -> list[Standing]:
    """Return the methods that a call on an object may come to: the one of a name, or all where that is not known.

    `made` is the expression that makes the object.
    """
    named = made.node.child_by_field_name("constructor")
    known = Made.of(Standing(made.file, made.scopes, named), function_of)
    return _found(known.classes, name, function_of) if known is not None else []


def methods_of_this(file: JavaScriptFile, scopes: Scopes, called: Node, function_of: FunctionOf) -> list[Standing]:
    """Return the methods that `this.name(…)` may come to; none where one of them can't be seen."""
    this, own = called.child_by_field_name("object"), class_around(called)
    if called.type != "member_expression" or own is None or not is_of_an_object(this):
        return []
    name = file.text(called.child_by_field_name("property"))
    found: dict[tuple[str, int], Standing] = {}
    for one in function_of.heirs(Standing(file, scopes, own)) or ():
        chain = Made.of(replace(one, node=one.node.child_by_field_name("name")), function_of)
        if chain is None:
            return []
        theirs = _found(chain.classes, name, function_of)
        if not theirs and one.node.type != "abstract_class_declaration":
            return []
        found |= {(each.file.path, each.node.id): each for each in theirs}
    return [*found.values()]


def static_method(own: Standing, name: str, function_of: FunctionOf) -> list[Standing]:
    """Return the method of a name that a class itself has, where nobody may give it another."""
    if function_of.heirs(own) is None or function_of.is_put(name, own.file):
        return []
    members = own.node.child_by_field_name("body").named_children
    found = [one for one in members if own.file.text(one.child_by_field_name("name") or one) == name]
    plain = len(found) == 1 and found[0].type == "method_definition"
    kinds = {child.type for child in found[0].children} if plain else set()
    return [replace(own, node=found[0])] if "static" in kinds and not kinds & {"get", "set", "*"} else []


def _found(classes: tuple[Standing, ...], name: str | None, function_of: FunctionOf) -> list[Standing]:
    """Return the methods of a name that an object of the first of some classes has, or all of them."""
    every: dict[str, Standing] = {}
    for one in classes:
        if function_of.heirs(one) is None or not _nobody_adds(one, name):
            return []
        body = one.node.child_by_field_name("body")
        if (field := _field_function(one, name)) is not None:
            # It stands in front of methods, in whatever class.
            return [field] if len(classes) == 1 and name and not function_of.is_put(name, one.file) else []
        for method in body.named_children:
            own = one.file.text(method.child_by_field_name("name")) if method.type == "method_definition" else ""
            if not own or own == "constructor" or own in every or (name is not None and own != name):
                continue
            plain = not any(child.type in ("get", "set", "static", "*") for child in method.children)
            if not plain or own.startswith("["):
                return []
            every[own] = Standing(one.file, one.scopes, method)
    if any(function_of.is_put(own, method.file) for own, method in every.items()):
        return []
    return [one for own, one in every.items() if name is not None or not own.startswith("#")]


def _field_function(one: Standing, name: str | None) -> Standing | None:
    """Return the arrow function that each object of a class gets under a name: `handle = async (event) => …`."""
    for field in one.node.child_by_field_name("body").named_children:
        key, value = field.child_by_field_name("name") or field.child_by_field_name("property"), None
        if field.type.endswith("field_definition") and key is not None and one.file.text(key) == name:
            value = field.child_by_field_name("value")
        if value is not None and value.type == "arrow_function" and field.children[0].type != "static":
            return replace(one, node=value)
    return None


def _nobody_adds(one: Standing, name: str | None) -> bool:
    """Tell whether a class's objects have no function under a name, or under any, but for its methods."""
    for field in one.node.child_by_field_name("body").named_children:
        key = (field.child_by_field_name("name") or field.child_by_field_name("property")) or None
        value = field.child_by_field_name("value")
        known = name is not None and field.type.endswith("field_definition") and _field_function(one, name) is not None
        if not known and field.type.endswith("field_definition") and _may_be(one.file, key, value, name):
            return False
    for inner in walk(one.node):
        told = inner.type == "member_expression" and inner.child_by_field_name("object").type == "this"
        if told and is_written(inner):
            given = inner.parent.child_by_field_name("right")
            if _may_be(one.file, inner.child_by_field_name("property"), given, name):
                return False
        if inner.type == "subscript_expression" and inner.child_by_field_name("object").type == "this":
            if is_written(inner):
                return False
        elif inner.type == "this" and goes_somewhere(inner):
            return False  # to Object.assign(this, …), or under another name
    return True


def _may_be(file: JavaScriptFile, key: Node | None, value: Node | None, name: str | None) -> bool:
    """Tell whether what is put under a key may be what is called by a name, or by any."""
    if key is None or key.type == "computed_property_name":
        return True
    if name is not None:
        return file.text(key) == name
    return value is not None and value.type not in _NO_FUNCTION
