"""Objects of the project's own classes that keep what a handler hands to their constructor.

    class Job { #event; constructor(event) { this.#event = event; } get hive() { return this.#event.call.slots.hive; } }
    ...
    new Job(event)        →        new Job({ call: { slots: slotsOf(request) } })

What its methods, and those of the classes that it inherits from, read of the field is all that they can read of it,
where nobody else reaches that field: one that is private, or whose name nothing but `this` is asked for in all the
files, of a class whose objects are only asked for their parts.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

from vast_ferry.documents.javascript_file import Node
from vast_ferry.translate.javascript.handlers import FunctionOf, Standing, is_class
from vast_ferry.translate.javascript.scopes import FUNCTIONS, is_written

#: Returns the parameters that take what a call hands over at a node: nothing for what takes it otherwise, none if no
#: call does that can be seen.
TakenBy = Callable[[Standing], list[Standing | None]]


@dataclass(frozen=True, slots=True)
class Made:
    """The class of an object that is made, behind it those that it inherits from, and where it is made."""

    classes: tuple[Standing, ...]
    at: Standing  # the name of the class, where an object of it is made

    @classmethod
    def of(cls, named: Standing, function_of: FunctionOf) -> Made | None:
        """Return the class that a name stands for; nothing where it, or one that it inherits from, can't be seen."""
        found: list[Standing] = []
        at: Node | None = named.node
        file, scopes = named.file, named.scopes
        while at is not None:
            by_name = at.type in ("identifier", "type_identifier", "member_expression")
            known = function_of(file, scopes, at, of_class=True) if by_name else None
            if known is None or any(one.node == known.node for one in found):
                return None
            found.append(known)
            file, scopes, at = known.file, known.scopes, inherits_from(known.node)
        return cls(tuple(found), named)

    @property
    def constructor(self) -> Standing | None:
        """Return the constructor that is called: its own, or the next above."""
        return next((made for one in self.classes if (made := _constructor_of(one)) is not None), None)

    def above(self, inside: Node) -> Standing | None:
        """Return the constructor that a call of `super` comes to."""
        numbers = [at for at, one in enumerate(self.classes) if class_around(inside) == one.node]
        behind = self.classes[numbers[0] + 1 :] if numbers else ()
        return next((made for one in behind if (made := _constructor_of(one)) is not None), None)

    def holds(self, node: Node) -> bool:
        """Tell whether a node stands in one of the classes."""
        return any(class_around(node) == one.node for one in self.classes)

    def uses_of(self, field: Node, taken_by: TakenBy) -> list[tuple[Standing, Node]] | None:
        """Return where a field is asked for that is given a value at a node; nothing where others may reach it."""
        own = field.child_by_field_name("object") if field.type == "member_expression" else None
        if own is None or own.type != "this" or not is_of_an_object(own):
            return None
        name = field.child_by_field_name("property")
        private = name.type == "private_property_identifier"
        return self.uses_of_name(self._text(field, name), taken_by, private=private, given=field)

    def uses_of_name(
        self, name: str, taken_by: TakenBy, *, private: bool = False, given: Node | None = None
    ) -> list[tuple[Standing, Node]] | None:
        """Return the same of a field of a name, which `given` gives its value where no parameter does."""
        if not private and not self._is_only_asked(name, taken_by):
            return None
        found: list[tuple[Standing, Node]] = []
        for one, this in self._every_this():
            above = this.parent
            asked = above.type == "member_expression" and above.child_by_field_name("object") == this
            if not asked:
                if private:
                    continue
                return None  # the object itself goes somewhere
            if one.file.text(above.child_by_field_name("property")) != name or above == given:
                continue
            if is_written(above) or not is_of_an_object(this):
                return None
            found.append((one, above))
        return found

    def _text(self, field: Node, name: Node) -> str:
        return next(one.file.text(name) for one in self.classes if class_around(field) == one.node)

    def _every_this(self) -> Iterator[tuple[Standing, Node]]:
        for one in self.classes:
            for this in one.file.of_types(one.node, ("this",)):
                if class_around(this) == one.node:
                    yield one, this

    def _is_only_asked(self, field: str, taken_by: TakenBy) -> bool:
        """Tell whether the object that is made is only asked for its parts, and never for one field."""
        file, made = self.at.file, self.at.node.parent
        above = made.parent
        if _asks(above, made):
            return bool(file.text(above.child_by_field_name("property")) != field)
        if above.type == "arguments":
            return _is_only_asked_there(replace(self.at, node=made), field, taken_by, [])
        declared = above.child_by_field_name("name") if above.type == "variable_declarator" else None
        if declared is None or declared.type != "identifier":
            return False
        return _is_only_asked(replace(self.at, node=declared), field, taken_by, [])


def _is_only_asked(name: Standing, field: str, taken_by: TakenBy, gone: list[Node]) -> bool:
    """Tell whether what a name holds is only asked for its parts, but for one, by all who are handed it as well."""
    binding = name.scopes.of(name.node)
    exported = binding is not None and binding.name in name.file.exports.values()
    if binding is None or binding.writes or len(binding.declared) != 1 or exported:
        return False
    for use in binding.uses:
        if _asks(use.parent, use):
            if name.file.text(use.parent.child_by_field_name("property")) == field:
                return False
        elif not _is_only_asked_there(replace(name, node=use), field, taken_by, gone):
            return False
    return True


def _is_only_asked_there(handed: Standing, field: str, taken_by: TakenBy, gone: list[Node]) -> bool:
    """Tell the same of what a call hands over, by all who may take it."""
    return all(
        taken is not None and (taken.node in gone or _is_only_asked(taken, field, taken_by, [*gone, taken.node]))
        for taken in taken_by(handed) or [None]
    )


def is_of_an_object(this: Node) -> bool:
    """Tell whether `this` is an object of the class around it: it stands in a method, or in an arrow function there."""
    node = this
    while node.parent is not None and node.parent.type != "class_body":
        if node.type in FUNCTIONS and node.type != "arrow_function":
            return False
        node = node.parent
    return node.parent is not None and not any(child.type == "static" for child in node.children)


def goes_somewhere(this: Node) -> bool:
    """Tell whether the object that `this` is may come to have another name: it is more than asked, or given back."""
    above = this.parent
    asked = above.type in ("member_expression", "subscript_expression") and above.child_by_field_name("object") == this
    return not asked and above.type != "return_statement"


def is_field_too(parameter: Node) -> bool:
    """Tell whether a constructor's parameter is a field of the object as well, as TypeScript has it."""
    return any(one.type in ("accessibility_modifier", "readonly", "override_modifier") for one in parameter.children)


def _asks(above: Node, node: Node) -> bool:
    return bool(above.type == "member_expression" and above.child_by_field_name("object") == node)


def class_around(node: Node) -> Node | None:
    """Return the class that a node stands in."""
    while node is not None and not is_class(node):
        node = node.parent
    return node


def inherits_from(node: Node) -> Node | None:
    """Return what a class inherits from."""
    heritage = next((one for one in node.named_children if one.type == "class_heritage"), None)
    if heritage is None:
        return None
    clause = next((one for one in heritage.named_children if one.type == "extends_clause"), heritage)
    return clause.child_by_field_name("value") or clause.named_children[0]


def _constructor_of(one: Standing) -> Standing | None:
    body = one.node.child_by_field_name("body")
    methods = [method for method in body.named_children if method.type == "method_definition"]
    found = [method for method in methods if one.file.text(method.child_by_field_name("name")) == "constructor"]
    return Standing(one.file, one.scopes, found[0]) if len(found) == 1 else None
