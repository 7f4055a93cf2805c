"""What a function of the project reads of the event, or of a part of it, that a handler hands to it.

A helper that is handed the event mostly reads two or three things of it. It stays as it is, whoever else calls it: what
it reads is followed as in the handler itself (`follow`), and the call gives it an object that has just that,

    jarOf(event)        →        jarOf({ crumbs: crumbsOf(request) })

under the names that it has at the source; so it does where the helper is handed it in an object (`{ key, request }`). A
mapping, a list or bytes that the helper may change or keep is read once in the handler, so that all have the same. What
is done with the event itself (changed, kept, given back, handed to code that can't be seen) is no reason to guess
(`Whole`): the parameter is made whole.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, string_of, walk
from vast_ferry.mapping.javascript.names import is_identifier
from vast_ferry.mapping.javascript.writing import literal
from vast_ferry.mapping.places import Item
from vast_ferry.translate.javascript.called import called_functions, parameters_handed
from vast_ferry.translate.javascript.constructed import Made, is_field_too
from vast_ferry.translate.javascript.entries import EACH, Entries, taken_by
from vast_ferry.translate.javascript.handlers import FunctionOf, Standing, takes_otherwise
from vast_ferry.translate.javascript.looking import AROUND, Looks, parameters_of
from vast_ferry.translate.javascript.places import Part, Places
from vast_ferry.translate.javascript.scopes import FUNCTIONS, LOOPS, Scopes, bound_in, is_written
from vast_ferry.translate.javascript.stops import Whole

#: Of what a helper reads, so many things are given to it one by one; one that reads more gets the whole.
MOST: Final = 8


@dataclass(slots=True)
class Needed:
    """What is read of a part: the places by their names from there on, and those that are called with something."""

    leaves: dict[tuple[str, ...], Part] = field(default_factory=dict)
    called: dict[tuple[str, ...], bool] = field(default_factory=dict)  # methods; whether with arguments
    once: dict[tuple[str, ...], bool] = field(default_factory=dict)  # methods; whether they are called once at most
    awaited: set[tuple[str, ...]] = field(default_factory=set)  # methods that give a promise
    changed: set[tuple[str, ...]] = field(default_factory=set)  # what may be changed there, or kept
    lists: set[tuple[str, ...]] = field(default_factory=set)  # of events, whatever is read of these
    guarded: bool = False  # an object keeps what gives content that can be read once


def is_awaited(part: Part) -> bool:
    """Tell whether what is called there gives a promise."""
    return any(getattr(step, "awaited", False) for step in part.at.steps)


def again_and_again(node: Node, function: Node, once: set[int]) -> bool:
    """Tell whether a node may be evaluated more than once in a call: it stands in a loop or an inner function."""
    above = node.parent
    while above is not None and above != function:
        if (above.type in (*LOOPS, *FUNCTIONS) and above.id not in once) or above.type == "class_body":
            return True
        above = above.parent
    return False


def step_of(file: JavaScriptFile, node: Node, above: Node) -> str | None:
    """Return the name that is asked of a node, `()` where it is called, nothing where it is used in another way.

    The empty text is what stands around it and changes nothing.
    """
    if above.type == "member_expression" and above.child_by_field_name("object") == node:
        return file.text(above.child_by_field_name("property"))
    if above.type == "subscript_expression" and above.child_by_field_name("object") == node:
        return string_of(file, above.child_by_field_name("index"))
    if above.type == "call_expression" and above.child_by_field_name("function") == node:
        return "()"
    return "" if above.type in (*AROUND, "as_expression", "satisfies_expression") else None


@dataclass(frozen=True, slots=True)
class Put:
    """An object that a call is given, in which a value stands under a key."""

    made: Node
    key: str

    @staticmethod
    def of(file: JavaScriptFile, value: Node) -> Put | None:
        """Return the object in which a value stands that is given to a call, and nothing that may take its place."""
        above = value.parent
        if value.type == "shorthand_property_identifier":
            made, key = above, file.text(value)
        elif above.type == "pair" and above.child_by_field_name("value") == value:
            made, key = above.parent, file.text(above.child_by_field_name("key")).strip("\"'")
        else:
            return None
        inside = [one for one in made.named_children if one.type != "comment"]
        plain = all(one.type in ("pair", "shorthand_property_identifier", "method_definition") for one in inside)
        worked_out = any(
            (one.child_by_field_name("key") or one.child_by_field_name("name") or one).type == "computed_property_name"
            for one in inside
        )
        asks_itself = any(one.type == "this" for one in walk(made))  # a method of it, which may want all of the value
        known = made.type == "object" and plain and not (worked_out or asks_itself) and key != "__proto__"
        return Put(made, key) if known and made.parent.type == "arguments" else None


def key_and_target(node: Node) -> tuple[Node | None, Node | None]:
    """Return the key that a part of a pattern takes, and what it is bound to; a default is never needed."""
    if node.type == "shorthand_property_identifier_pattern":
        return node, node
    if node.type == "object_assignment_pattern":
        left = node.child_by_field_name("left")
        return (left, left) if left.type == "shorthand_property_identifier_pattern" else (None, None)
    if node.type == "pair_pattern":
        key, value = node.child_by_field_name("key"), node.child_by_field_name("value")
        if key.type != "property_identifier":
            return None, None
        return key, value.child_by_field_name("left") if value.type == "assignment_pattern" else value
    return None, None


def rest_of(file: JavaScriptFile, pattern: Node, part: Part) -> Part:
    """Return what the rest of a pattern has of a part: what stands under keys that the pattern does not take itself.

    Raises Whole where a key is worked out, or where what is there may not be its own: methods of an object, say.
    """
    taken = [key_and_target(one)[0] for one in pattern.named_children if one.type not in ("rest_pattern", "comment")]
    if any(key is None for key in taken):
        raise Whole(pattern, "what is taken of it is worked out")
    if any(not isinstance(one.at.steps[-1], Item) or one.called is not None for one in part.parts.values()):
        raise Whole(pattern, "the rest of it is taken")
    names = {file.text(key) for key in taken if key is not None}
    return replace(part, parts={name: one for name, one in part.parts.items() if name not in names})


class Handed(Entries):
    """Finds what is read of a part that is an argument of a call, or of the events of a batch."""

    def __init__(self, places: Places, function_of: FunctionOf) -> None:
        self.places, self.function_of = places, function_of
        self._functions: list[Node] = []  # those that are gone through just now, the innermost last
        self._classes: list[Made] = []  # of which objects are made that keep it
        self._times = 0  # how often content is read that can be read once
        self._file: JavaScriptFile
        self._scopes: Scopes
        self._needed = Needed()

    def needed(self, file: JavaScriptFile, scopes: Scopes, node: Node, part: Part) -> tuple[Needed, list[Node]]:
        """Return what is read of an argument, and the parameters that take it; raises Whole."""
        self._needed, self._functions, self._times, self._classes = Needed(), [], 0, []
        taken = self._follow_call(file, scopes, node, part, ())
        if len(self._needed.leaves) > MOST:
            raise Whole(node, "most of it is handed on")
        return self._needed, taken

    def needed_of_list(self, file: JavaScriptFile, scopes: Scopes, node: Node, part: Part) -> Needed:
        """Return what is read of the events of a batch; raises Whole.

        `node` is where the batch is read, or the name that a pattern gives it.
        """
        self._needed, self._functions, self._times, self._classes = Needed({}), [], 0, []
        self._file, self._scopes = file, scopes
        self._needed.lists.add(())
        if node.type.endswith("_pattern"):
            self._list_bound(node, node, part, ())
        else:
            self._list(node, part, ())
        if len(self._needed.leaves) > MOST:
            raise Whole(node, "most of it is handed on")
        return self._needed

    def _called_with(self, called: Node, numbers: Sequence[int], part: Part, path: tuple[str, ...]) -> None:
        """Follow what the functions do that a list's method calls with each thing in it, in some of their arguments."""
        found = called_functions(self._file, self._scopes, called, self.function_of)
        if not found:
            raise Whole(called, "each event of the batch is handed on")
        kept = self._file, self._scopes
        for stands in found:
            if stands.node in self._functions or takes_otherwise(stands):
                raise Whole(called, "each event of the batch is handed on")
            self._file, self._scopes = stands.file, stands.scopes
            self._functions.append(stands.node)
            try:
                for number in numbers:
                    pattern = taken_by(stands, number, numbers)
                    if pattern is not None:
                        self._bound(called, pattern, part, path)
            finally:
                self._functions.pop()
                self._file, self._scopes = kept

    def _follow_call(
        self, file: JavaScriptFile, scopes: Scopes, node: Node, part: Part, path: tuple[str, ...]
    ) -> list[Node]:
        put = Put.of(file, node)
        argument = put.made if put is not None else node
        arguments = argument.parent
        call = arguments.parent
        called = call.child_by_field_name("function") if call.type == "call_expression" else None
        found = [] if called is None else called_functions(file, scopes, called, self.function_of)
        if call.type == "new_expression":
            called = call.child_by_field_name("constructor")
            found = self._constructors(file, scopes, called)
        elif called is not None and called.type == "super":
            found = self._constructors(file, scopes, called)
        given = [one for one in arguments.named_children if one.type != "comment"]
        at = given.index(argument) if argument in given else -1
        if not found or at < 0 or any(one.type == "spread_element" for one in given[:at]):
            raise Whole(node, "it is used as a whole")
        before = most = self._times
        for stands in found:  # of which one is called
            self._times = before
            self._into(file, called, stands, at, (node, part, path))
            most = max(most, self._times)
        self._times = most
        return [parameter for stands in found for parameter in parameters_of(stands.node)[at : at + 1]]

    def _taken_by(self, handed: Standing) -> list[Standing | None]:
        return parameters_handed(handed, self.function_of)

    def _constructors(self, file: JavaScriptFile, scopes: Scopes, called: Node) -> list[Standing]:
        """Return the function that makes an object of one of the project's classes."""
        if called.type == "super":  # of a class that is gone through just now
            found = next((above for one in self._classes if (above := one.above(called)) is not None), None)
            return [found] if found is not None else []
        made = Made.of(Standing(file, scopes, called), self.function_of)
        if made is None or made.constructor is None:
            return []
        self._classes.append(made)
        return [made.constructor]

    def _into(
        self, file: JavaScriptFile, called: Node, stands: Standing, at: int, handed: tuple[Node, Part, tuple[str, ...]]
    ) -> None:
        """Follow what one function does with its argument number `at`."""
        node, part, path = handed
        if stands.node in self._functions or takes_otherwise(stands):
            raise Whole(node, "it is used as a whole")
        taken = parameters_of(stands.node)
        last = (taken[-1].child_by_field_name("pattern") or taken[-1]) if taken else None
        if last is not None and last.type == "rest_pattern" and at >= len(taken) - 1:
            raise Whole(node, "it is used as a whole")
        if at >= len(taken):  # it does not take it
            return
        kept = getattr(self, "_file", None), getattr(self, "_scopes", None)
        self._file, self._scopes = stands.file, stands.scopes
        self._functions.append(stands.node)
        try:
            pattern = taken[at].child_by_field_name("pattern") or taken[at]
            if pattern.type == "assignment_pattern":  # whose default is never needed
                pattern = pattern.child_by_field_name("left")
            put = Put.of(file, node)
            if put is None:
                self._bound(node, pattern, part, path)
                if is_field_too(taken[at]):
                    self._kept_as(node, self._file.text(pattern), stands, part, path)
            elif pattern.type == "object_pattern":
                self._unpacked_of(put.key, node, pattern, part, path)
            else:
                self._asked_of(put.key, node, pattern, part, path)
        except Whole as error:  # where it is read is in another function: what is told is the call
            raise Whole(node, f"{file.text(called)} is handed it: {error.why}") from None
        finally:
            self._functions.pop()
            if kept[0] is not None:
                self._file, self._scopes = kept  # type: ignore[assignment]

    def _unpacked_of(self, key: str, node: Node, pattern: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow what is unpacked that stands under a key of an object."""
        for one in pattern.named_children:
            own, target = key_and_target(one)
            if one.type != "comment" and (own is None or target is None):
                raise Whole(node, "the rest of an object that it is put into is taken")
            if own is not None and target is not None and self._file.text(own) == key:
                self._bound(node, target, part, path)

    def _asked_of(self, key: str, node: Node, pattern: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow what is asked for under a key of an object that is bound to a name."""
        binding = self._scopes.of(pattern) if pattern.type == "identifier" else None
        if binding is None or binding.writes or len(binding.declared) != 1:
            raise Whole(node, "an object that it is put into gets another value, or is unpacked by number")
        for use in binding.uses:
            above = use.parent
            if above.type != "member_expression" or above.child_by_field_name("object") != use:
                raise Whole(node, "it is put into an object that is used as a whole")
            if self._file.text(above.child_by_field_name("property")) == key:
                if is_written(above):
                    raise Whole(node, f"{key} of an object that it is put into is given another value")
                self._use(above, part, path)

    def _bound(self, node: Node, pattern: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow what is bound to a name, or unpacked."""
        if pattern.type in ("identifier", "shorthand_property_identifier_pattern"):
            binding = self._scopes.of(pattern)
            if binding is None or binding.writes or len(binding.declared) != 1:
                raise Whole(node, f"{self._file.text(pattern)} gets another value")
            for use in binding.uses:
                if use.type == "shorthand_property_identifier" and Put.of(self._file, use) is None:
                    raise Whole(node, f"{self._file.text(pattern)} is put into another object")
                self._use(use, part, path)
        elif pattern.type == "object_pattern":
            for one in pattern.named_children:
                if one.type == "rest_pattern":
                    self._bound(node, one.named_children[0], rest_of(self._file, pattern, part), path)
                elif one.type != "comment":
                    self._unpacked(one, part, path)
        else:
            raise Whole(node, "it is unpacked by number, or the rest of it is taken")

    def _unpacked(self, one: Node, part: Part, path: tuple[str, ...]) -> None:
        key, target = key_and_target(one)
        name = self._file.text(key) if key is not None else ""
        inner = part.parts.get(name)
        if target is None or inner is None:
            worked_out = "what is taken of it is worked out"
            raise Whole(one, worked_out if target is None else f"{name} is taken out of it")
        if inner.called is not None:
            self._method_taken(one, target, inner, (*path, name))
            return
        if inner.batch:
            self._needed.lists.add((*path, name))
            self._list_bound(one, target, inner, (*path, name))
            return
        if not inner.is_leaf:
            self._bound(one, target, inner, (*path, name))
            return
        if not self.places.unchanging(inner) and not Looks(self._file, self._scopes, self.places.modules).names(
            one, deep=self._deep(inner)
        ):
            self._needed.changed.add((*path, name))
        if any(self._scopes.of(bound) is None for bound in bound_in(target)):
            raise Whole(one, "it can't be seen what it is bound to")
        self._leaf(one, inner, (*path, name))

    def _use(self, node: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow one use outwards."""
        while not (part.is_leaf or part.batch):
            above = node.parent
            step = step_of(self._file, node, above)
            if step is None:
                break
            if step == "()":
                self._method(above, part, path)
                return
            node = above
            if step:
                if step not in part.parts:
                    raise Whole(above, f"{step} is asked of it, which nobody knows")
                part, path = part.parts[step], (*path, step)
        if part.is_leaf:
            if is_written(node):
                raise Whole(node, f"{'.'.join(path)} is given another value")
            if not self.places.unchanging(part) and not Looks(self._file, self._scopes, self.places.modules).at(
                node, deep=self._deep(part)
            ):
                self._needed.changed.add(path)
            self._leaf(node, part, path)
        elif part.batch:
            self._needed.lists.add(path)
            self._list(node, part, path)
        else:
            self._held(node, part, path)

    def _held(self, node: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow a part that is more than one row: handed on once more, bound to a name, or unpacked."""
        above = node.parent
        if above.type == "arguments" or Put.of(self._file, node) is not None:
            self._follow_call(self._file, self._scopes, node, part, path)
        elif above.type == "variable_declarator" and above.child_by_field_name("value") == node:
            self._bound(node, above.child_by_field_name("name"), part, path)
        elif above.type == "assignment_expression" and above.child_by_field_name("right") == node:
            self._kept(node, above.child_by_field_name("left"), part, path)
        else:
            raise Whole(node, "it is used as a whole")

    def _kept(self, node: Node, field: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow what an object keeps in a field, wherever its class asks for that."""
        made = next((one for one in self._classes if one.holds(field)), None)
        self._follow_field(node, made.uses_of(field, self._taken_by) if made is not None else None, part, path)

    def _kept_as(self, node: Node, name: str, by: Standing, part: Part, path: tuple[str, ...]) -> None:
        """Follow what a constructor keeps under the name of its parameter."""
        made = next((one for one in self._classes if one.holds(by.node)), None)
        self._follow_field(node, made.uses_of_name(name, self._taken_by) if made is not None else None, part, path)

    def _follow_field(
        self, node: Node, uses: list[tuple[Standing, Node]] | None, part: Part, path: tuple[str, ...]
    ) -> None:
        if uses is None:
            raise Whole(node, "it is used as a whole")
        file, scopes = self._file, self._scopes
        for at, use in uses:
            self._file, self._scopes = at.file, at.scopes
            self._functions.append(at.node)
            try:
                self._use(use, part, path)
            finally:
                self._functions.pop()
        self._file, self._scopes = file, scopes

    def _method(self, call: Node, part: Part, path: tuple[str, ...]) -> None:
        """Take note of a method that is called."""
        inner = part.called
        if inner is None or inner.row is None:
            raise Whole(call, f"{'.'.join(path)} is called")
        if is_awaited(inner) and any(child.type == "*" for one in self._functions for child in one.children):
            raise Whole(call, "its content would be read before it is asked for")
        if is_awaited(inner) and EACH in path:
            raise Whole(call, "its content may be read twice, which fails")
        if is_awaited(inner) and self._classes:  # whoever has the object may ask for it again, and be refused
            self._needed.guarded = True
            self._needed.awaited.add(path)
        elif is_awaited(inner):  # content that can be read once
            self._times += 1
            if self._times > 1 or again_and_again(call, self._functions[-1], set()):
                raise Whole(call, "its content may be read twice, which fails")
            self._needed.awaited.add(path)
        given = bool(call.child_by_field_name("arguments").named_children)
        if given and self.places.ours.fields[inner.row.field].holds != "call":
            raise Whole(call, f"{'.'.join(path)} is called with something")
        if self._needed.called.setdefault(path, given) is not given:
            raise Whole(call, f"{'.'.join(path)} is called in two ways")
        self._needed.once[path] = path not in self._needed.once and self._runs_once(call)
        made_anew = given or inner.row.lens.content == "json"  # at each call
        if not (made_anew or self.places.unchanging(inner) or self._only_looks_at(call, inner)):
            self._needed.changed.add(path)
        self._needed.leaves[path] = inner

    def _runs_once(self, call: Node) -> bool:
        """Tell whether a call runs once at most for what is handed: it stands in the function that takes that."""
        function = self._functions[-1]
        name = function.child_by_field_name("name") if function.type == "method_definition" else None
        of_object = bool(self._classes) and (name is None or self._file.text(name) != "constructor")
        return len(self._functions) == 1 and not of_object and not again_and_again(call, function, set())

    def _method_taken(self, one: Node, target: Node, part: Part, path: tuple[str, ...]) -> None:
        """Follow a method that is taken out and only called, where it is the same without what it was taken out of.

        An object may keep it, and call it as its own.
        """
        row = part.called.row if part.called is not None else None
        known = row is not None and self.places.ours.fields[row.field].holds == "call"
        binding = self._scopes.of(target) if known else None
        uses = binding.uses if binding is not None else []
        if binding is None or binding.writes or len(binding.declared) != 1:
            raise Whole(one, f"{path[-1]} is taken out of it")
        for use in uses:
            above = use.parent
            if step_of(self._file, use, above) == "()":
                self._method(above, part, path)
            elif above.type == "assignment_expression" and above.child_by_field_name("right") == use:
                self._kept(use, above.child_by_field_name("left"), part, path)
            else:
                raise Whole(one, f"{path[-1]} is taken out of it")

    def _only_looks_at(self, call: Node, part: Part) -> bool:
        """Tell whether what a method gives is only looked at."""
        while call.parent.type in ("await_expression", "parenthesized_expression"):
            call = call.parent
        return Looks(self._file, self._scopes, self.places.modules).at(call, deep=self._deep(part))

    def _leaf(self, node: Node, part: Part, path: tuple[str, ...]) -> None:
        if part.row is not None and part.row.optional:
            raise Whole(node, f"{'.'.join(path)} may be missing")
        self._needed.leaves[path] = part

    def _deep(self, part: Part) -> bool:
        return part.row is not None and self.places.ours.fields[part.row.field].holds in ("record", "value")


def object_text(values: dict[tuple[str, ...], str], of_each: Callable[[str], str] = "[{}]".format) -> str:
    """Return the source of an object that has some values, each at its path.

    `of_each` is the source of a list of which each has what is given to it: what stands at a path with `[]` in it.
    """
    if () in values:  # it is handed over itself: a method, say
        return values[()]
    if (EACH,) in {path[:1] for path in values}:
        return of_each(object_text({path[1:]: text for path, text in values.items() if path[1:]}, of_each))
    inner: dict[str, dict[tuple[str, ...], str]] = {}
    for path, text in values.items():
        inner.setdefault(path[0], {})[path[1:]] = text
    parts = []
    for name, below in inner.items():
        text = below.get((), "") or object_text(below, of_each)
        key = name if is_identifier(name) else literal(name)
        parts.append(name if text == name else f"{key}: {text}")
    return f"{{ {', '.join(parts)} }}" if parts else "{}"
