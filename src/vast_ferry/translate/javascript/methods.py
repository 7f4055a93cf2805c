"""Methods of objects of the project's own classes: to which of them a call may come.

    const notes = new Notes();            abstract class Job { run(event) { return this.work(this.parse(event)); } }
    notes[verb](event)                    class Audit extends Job { parse(event) { … } }

An object that is made in the file has the methods of its class and of those that this inherits from. What `this` is in
a class may be an object of any class of the file that inherits from it, so one that is exported is not looked through.
Nothing is known of a method that a field, or something that is assigned, may stand in front of.
"""

from __future__ import annotations

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
    if known is None or any(one.file != made.file for one in known.classes):
        return []
    return _found(known.classes, name)


def methods_of_this(file: JavaScriptFile, scopes: Scopes, called: Node, function_of: FunctionOf) -> list[Standing]:
    """Return the methods that `this.name(…)` may come to; none where one of them can't be seen."""
    this, own = called.child_by_field_name("object"), class_around(called)
    if called.type != "member_expression" or own is None or not is_of_an_object(this):
        return []
    name = file.text(called.child_by_field_name("property"))
    found: dict[int, Standing] = {}
    for one in _and_below(file, scopes, own):
        named = one.child_by_field_name("name")
        chain = Made.of(Standing(file, scopes, named), function_of) if named is not None else None
        if chain is None or any(each.file != file for each in chain.classes):
            return []
        theirs = _found(chain.classes, name)
        if not theirs and one.type != "abstract_class_declaration":
            return []
        found |= {each.node.id: each for each in theirs}
    return [*found.values()]


def _and_below(file: JavaScriptFile, scopes: Scopes, own: Node) -> list[Node]:
    """Return a class and those of the file that inherit from it; none where there may be others."""
    name = own.child_by_field_name("name")
    binding = scopes.of(name) if name is not None else None
    if binding is None or binding.name in file.exports.values() or binding.writes:
        return []
    found = [own]
    for use in binding.uses:
        if not _inherits(use):
            continue
        below = class_around(use)
        inner = _and_below(file, scopes, below) if below is not None and below != own else []
        if not inner:
            return []
        found += inner
    return found


def _inherits(use: Node) -> bool:
    return use.parent.type in ("class_heritage", "extends_clause")


def _found(classes: tuple[Standing, ...], name: str | None) -> list[Standing]:
    """Return the methods of a name that an object of the first of some classes has, or all of them."""
    every: dict[str, Standing] = {}
    for one in classes:
        if not _nobody_adds(one, name):
            return []
        body = one.node.child_by_field_name("body")
        for method in body.named_children:
            own = one.file.text(method.child_by_field_name("name")) if method.type == "method_definition" else ""
            if not own or own == "constructor" or own in every or (name is not None and own != name):
                continue
            plain = not any(child.type in ("get", "set", "static", "*") for child in method.children)
            if not plain or own.startswith("["):
                return []
            every[own] = Standing(one.file, one.scopes, method)
    if any(_is_put_elsewhere(classes[0].file, own) for own in every):
        return []
    return [one for own, one in every.items() if name is not None or not own.startswith("#")]


def _is_put_elsewhere(file: JavaScriptFile, name: str) -> bool:
    """Tell whether something is put under a method's name into whatever object, in its file."""
    asked = file.of_types(file.root, ("member_expression",))
    return any(is_written(one) and file.text(one.child_by_field_name("property")) == name for one in asked)


def _nobody_adds(one: Standing, name: str | None) -> bool:
    """Tell whether a class's objects have no function under a name, or under any, but for its methods."""
    named = one.node.child_by_field_name("name")
    binding = one.scopes.of(named) if named is not None else None
    used = ("new_expression", "class_heritage", "extends_clause", "binary_expression")
    if binding is None or binding.writes or any(use.parent.type not in used for use in binding.uses):
        return False
    for field in one.node.child_by_field_name("body").named_children:
        key = (field.child_by_field_name("name") or field.child_by_field_name("property")) or None
        value = field.child_by_field_name("value")
        if field.type.endswith("field_definition") and _may_be(one.file, key, value, name):
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
