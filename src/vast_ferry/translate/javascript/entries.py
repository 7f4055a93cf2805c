"""What is read of the events of a batch, wherever a list of them goes: what the target has to put into such a list.

A list of events is gone through, counted, asked for one by its number, sorted, thinned out, put under a name or handed
to a function of the project. None of that changes where it is made of objects that have just what is read of each
event (`handed`), so the code stays as it is. What is done with an event itself, or with the list in a way that is not
known here, is no reason to guess (`Whole`).
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, string_of
from vast_ferry.translate.javascript.handlers import Standing
from vast_ferry.translate.javascript.looking import AROUND, parameters_of
from vast_ferry.translate.javascript.places import Part, Places
from vast_ferry.translate.javascript.scopes import Scopes, is_written
from vast_ferry.translate.javascript.stops import Whole
from vast_ferry.translate.javascript.values import arguments_of

#: In a path, what leads from a list to each thing in it.
EACH: Final = "[]"
#: Methods of a list that call what they are given with each thing in it, and the numbers of the arguments that are one.
_CALLING: Final = {
    **dict.fromkeys(("map", "forEach", "filter", "some", "every", "flatMap", "find", "findLast"), (0,)),
    **dict.fromkeys(("findIndex", "findLastIndex"), (0,)),
    **dict.fromkeys(("reduce", "reduceRight"), (1,)),
    **dict.fromkeys(("toSorted", "sort"), (0, 1)),
}
#: Methods that give a list of the same things, and those that give one of them.
_GIVES_LIST: Final = frozenset(("filter", "slice", "toReversed", "toSorted", "sort", "reverse"))
_GIVES_ONE: Final = frozenset(("find", "findLast", "at", "pop", "shift"))
_IN_PLACE: Final = frozenset(("sort", "reverse", "pop", "shift"))
_KNOWN: Final = {*_CALLING, *_GIVES_LIST, *_GIVES_ONE, "entries", "keys"}


class Entries(ABC):
    """Follows lists of events, for what follows parts that are handed on."""

    places: Places
    _file: JavaScriptFile
    _scopes: Scopes

    @abstractmethod
    def _bound(self, node: Node, pattern: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow what is bound to a name, or unpacked."""

    @abstractmethod
    def _use(self, node: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow one use outwards."""

    @abstractmethod
    def _follow_call(
        self, file: JavaScriptFile, scopes: Scopes, node: Node, part: Part, path: tuple[str, ...]
    ) -> list[Node]:
        """Follow an argument of a call."""

    @abstractmethod
    def _called_with(self, called: Node, numbers: Sequence[int], part: Part, path: tuple[str, ...]) -> None:
        """Follow what functions that have a name do with some of their arguments."""

    def _entry(self) -> Part:
        return self.places.of_parameter(self.places.ours.event_parameters[0])

    def _list(self, node: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow one use of a list of events outwards; `path` is that of the list, `part` what the batch is."""
        above = node.parent
        if above.type in AROUND or above.type == "as_expression":
            self._list(above, part, path)
        elif above.type == "variable_declarator" and above.child_by_field_name("value") == node:
            self._list_bound(node, above.child_by_field_name("name"), part, path)
        elif above.type == "for_in_statement" and above.child_by_field_name("right") == node:
            self._gone_through(node, above, path)
        elif above.type == "member_expression" and above.child_by_field_name("object") == node:
            self._asked(node, above, part, path)
        elif above.type == "subscript_expression" and above.child_by_field_name("object") == node:
            if is_written(above) or string_of(self._file, above.child_by_field_name("index")) is not None:
                raise Whole(node, "the batch is used in another way than by a loop")
            self._use(above, self._entry(), (*path, EACH))
        elif above.type == "spread_element" and above.parent.type == "array" and len(above.parent.named_children) == 1:
            self._list(above.parent, part, path)
        elif above.type == "arguments":
            self._follow_call(self._file, self._scopes, node, part, path)
        else:
            raise Whole(node, "the batch is used in another way than by a loop")

    def _list_bound(self, node: Node, pattern: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow a list that is bound to a name, or unpacked by number."""
        if pattern.type == "array_pattern":
            for one in pattern.named_children:
                if one.type != "comment":
                    self._bound(node, one, self._entry(), (*path, EACH))
            return
        binding = self._scopes.of(pattern) if pattern.type.endswith(("identifier", "identifier_pattern")) else None
        if binding is None or binding.writes or len(binding.declared) != 1:
            raise Whole(node, "the batch gets another value")
        for use in binding.uses:
            if use.type == "shorthand_property_identifier":
                raise Whole(use, "the batch is put into another object")
            self._list(use, part, path)

    def _gone_through(self, node: Node, loop: Node, path: tuple[str, ...]) -> None:
        word = self._file.text(loop.child_by_field_name("operator"))
        if word != "of" or loop.child_by_field_name("kind") is None:
            raise Whole(node, "the batch is used in another way than by a loop")
        self._bound(node, loop.child_by_field_name("left"), self._entry(), (*path, EACH))

    def _asked(self, node: Node, asked: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow what is asked of a list."""
        name, call = self._file.text(asked.child_by_field_name("property")), asked.parent
        if name == "length" and not is_written(asked):
            return
        called = call.type == "call_expression" and call.child_by_field_name("function") == asked
        if not called or name not in _KNOWN:
            raise Whole(node, "the batch is used in another way than by a loop")
        given = arguments_of(call)
        if name in _IN_PLACE and node.type not in ("call_expression", "array"):
            raise Whole(node, "the batch itself is sorted, or something is taken out of it")
        if name in _CALLING:
            # Without a value to begin with, `reduce` begins with an event, and may give that back.
            if len(given) != (2 if name.startswith("reduce") else 1):
                raise Whole(node, "the batch is used in another way than by a loop")
            self._called_with(given[0], _CALLING[name], self._entry(), (*path, EACH))
        if name == "entries":
            self._numbered(node, call, path)
        elif name in _GIVES_LIST:
            self._list(call, part, path)
        elif name in _GIVES_ONE:
            self._use(call, self._entry(), (*path, EACH))

    def _numbered(self, node: Node, call: Node, path: tuple[str, ...]) -> None:
        """Follow `for (const [at, entry] of batch.entries())`."""
        loop = call.parent
        left = loop.child_by_field_name("left") if loop.type == "for_in_statement" else None
        both = [one for one in left.named_children if one.type != "comment"] if left is not None else []
        if left is None or left.type != "array_pattern" or len(both) != 2:
            raise Whole(node, "the batch is used in another way than by a loop")
        self._bound(node, both[1], self._entry(), (*path, EACH))


def taken_by(stands: Standing, number: int, called: Sequence[int]) -> Node | None:
    """Return the pattern under which a function takes an argument of those that a list's method gives it.

    Nothing where it takes it under none. Raises Whole where it may take the list itself.
    """
    taken = parameters_of(stands.node)
    if any((one.child_by_field_name("pattern") or one).type == "rest_pattern" for one in taken):
        raise Whole(stands.node, "the batch is handed on")
    if len(taken) > max(called) + 2:  # those, and the number; not the list once more
        raise Whole(stands.node, "the batch is handed on")
    if number >= len(taken):
        return None
    pattern = taken[number].child_by_field_name("pattern") or taken[number]
    return pattern.child_by_field_name("left") if pattern.type == "assignment_pattern" else pattern
