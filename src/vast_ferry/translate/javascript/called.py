"""Which functions of the project a call may come to: all of them, or none where one can't be seen.

A function that has a name; one of those that stand in an object that nobody changes (`routes[method](…)`), in a list
that is gone through, or in a table that the file fills itself; a method of an object that is made once, or of `this`;
what a function gives back (`only("warden", handle)(…)`); the first of several that are called one with what the other
gives (`pipe(read, check)(…)`); and what a function of the file is given under the name of its parameter, where all
calls of it can be seen.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

from vast_ferry.documents.javascript_file import JavaScriptFile, Node, string_of
from vast_ferry.translate.javascript.composed import first_called
from vast_ferry.translate.javascript.function_lists import part_of, things_in_map, things_listed
from vast_ferry.translate.javascript.handlers import (
    PLAIN_FUNCTIONS,
    FunctionOf,
    Standing,
    given_back,
    one_answer,
    takes_otherwise,
)
from vast_ferry.translate.javascript.looking import only_asked, patterns_of
from vast_ferry.translate.javascript.methods import methods_of, methods_of_this, static_method
from vast_ferry.translate.javascript.registered import FunctionsAt, asked_map, instance_of, registered
from vast_ferry.translate.javascript.scopes import Binding, Scopes
from vast_ferry.translate.javascript.values import arguments_of, bare, only_value

#: What is asked of something that has a name.
_ASKED: Final = ("member_expression", "subscript_expression")


def called_functions(file: JavaScriptFile, scopes: Scopes, called: Node, function_of: FunctionOf) -> list[Standing]:
    """Return the functions of the project that a call may come to: all of them, or none."""
    return _Calls(function_of).to(Standing(file, scopes, called))


def parameters_handed(handed: Standing, function_of: FunctionOf) -> list[Standing | None]:
    """Return the parameters that take what a call hands over: nothing for what takes it otherwise, none if no call."""
    call = handed.node.parent.parent if handed.node.parent.type == "arguments" else None
    if call is None or call.type != "call_expression":
        return []
    given = [one for one in handed.node.parent.named_children if one.type != "comment"]
    at = given.index(handed.node)
    if any(one.type == "spread_element" for one in given[: at + 1]):
        return []
    called = called_functions(handed.file, handed.scopes, call.child_by_field_name("function"), function_of)
    return [_parameter(one, at) for one in called]


def _parameter(function: Standing, at: int) -> Standing | None:
    """Return the name by which alone a function knows what it is handed at a place."""
    taken = patterns_of(function.node)
    plain = at < len(taken) and taken[at].type == "identifier" and not takes_otherwise(function)
    return replace(function, node=taken[at]) if plain else None


class _Calls:
    """Finds what calls may come to; `asked` are the parameters of which that is looked for just now."""

    def __init__(self, function_of: FunctionOf) -> None:
        self.function_of = function_of
        self.asked: list[Node] = []

    def to(self, at: Standing) -> list[Standing]:
        """Return the functions that a call may come to of what stands there."""
        called = bare(at.node)
        at = replace(at, node=called)
        if called.type in PLAIN_FUNCTIONS:
            return [at]
        if (sides := _sides(at.file, called)) is not None:
            return self._every([self.to(replace(at, node=one)) for one in sides])
        if called.type in ("identifier", "shorthand_property_identifier"):
            return self._by_name(at)
        if called.type == "call_expression":
            return self._given_by(at)
        return self._part_of(at) if called.type in _ASKED else []

    @staticmethod
    def _every(found: list[list[Standing]]) -> list[Standing]:
        return [one for each in found for one in each] if all(found) else []

    def _by_name(self, name: Standing) -> list[Standing]:
        """Return the functions that a name may stand for."""
        one = self.function_of(name.file, name.scopes, name.node)
        if one is not None:
            return [one]
        if things := things_listed(name.scopes, name.node, only_value):
            return self._each_of(name, things)
        binding = name.scopes.of(name.node)
        if binding is not None and binding.kind == "parameter":
            return self._handed_to_all(name, binding)
        value = only_value(name.scopes, name.node)
        return [] if value is None or value.type == "identifier" else self.to(replace(name, node=value))

    def _handed_to_all(self, name: Standing, binding: Binding) -> list[Standing]:
        """Return what a function of a file's top is handed as one of its parameters, by all the calls of it."""
        given = self._given_for(name, binding)
        if given is None:
            return []
        self.asked.append(binding.declared[0])
        try:
            return self._every([self.to(one) for one in given])
        finally:
            self.asked.pop()

    def _given_for(self, name: Standing, binding: Binding) -> list[Standing] | None:
        """Return what all calls of a function of a file's top hand it for a parameter; nothing where one is unseen."""
        declared = binding.declared[0]
        taken = patterns_of(binding.scope)
        if binding.writes or declared not in taken or declared in self.asked:
            return None
        at, found = taken.index(declared), list[Standing]()
        for call in self.function_of.calls_of(replace(name, node=binding.scope)):
            given = arguments_of(call.node)
            if len(given) <= at or any(one.type == "spread_element" for one in given):
                return None
            found.append(replace(call, node=given[at]))
        return found

    def _given_by(self, call: Standing) -> list[Standing]:
        """Return the functions that a call gives, of which one is called then."""
        holder = asked_map(call.file, call.node)
        if holder is not None and (things := things_in_map(call.scopes, holder, only_value)):
            return self._each_of(call, things)
        if holder is not None:
            return registered(replace(call, node=holder), self.to).functions
        if (first := first_called(call, self.function_of)) is not None:
            return self.to(replace(call, node=first))
        named = call.node.child_by_field_name("function")
        by_name = named.type in ("identifier", "member_expression")
        maker = self.function_of(call.file, call.scopes, named) if by_name else None
        if maker is None or any(child.type in ("async", "*") for child in maker.node.children):
            return []
        node = given_back(maker)
        return [replace(maker, node=node)] if node is not None else []

    def _part_of(self, at: Standing) -> list[Standing]:
        """Return the functions that may be asked of something that has a name."""
        file, scopes, called = at.file, at.scopes, at.node
        by_name = called.type == "member_expression"
        of_module = self.function_of(file, scopes, called) if by_name else None
        if of_module is not None:
            return [of_module]
        holder = called.child_by_field_name("object")
        if holder.type == "this":
            return methods_of_this(file, scopes, called, self.function_of)
        asked = called.child_by_field_name("property" if by_name else "index")
        name = file.text(asked) if by_name else string_of(file, asked)
        held = replace(at, node=holder)
        if holder.type != "identifier":
            return registered(held, self.to).functions
        if by_name and (things := things_listed(scopes, holder, only_value)):
            return self._each_of(at, [part_of(file, bare(one), name or "") for one in things])
        return self._of_named(held, name) or registered(held, self.to).functions

    def _of_named(self, held: Standing, name: str | None) -> list[Standing]:
        """Return the functions that something has under a name, which is a class or is only asked for its parts."""
        own = self.function_of(held.file, held.scopes, held.node, of_class=True)
        if own is not None:
            return static_method(own, name, self.function_of) if name is not None else []
        binding = held.scopes.of(held.node)
        if binding is not None and binding.kind == "parameter":
            return self._of_tables(held, binding, name)
        value = only_value(held.scopes, held.node)
        if value is not None and only_asked(held.scopes, held.node):
            made = self._object_made(replace(held, node=value)) if value.type == "call_expression" else None
            made = replace(held, node=value) if value.type == "object" else made
            if made is not None:
                return entries_of(made, name, self.to)
        instance = instance_of(held)
        return methods_of(instance, name, self.function_of) if instance is not None else []

    def _of_tables(self, held: Standing, binding: Binding, name: str | None) -> list[Standing]:
        """Return the functions that an object has under a name which stands where a function is handed it."""
        given = self._given_for(held, binding) if only_asked(held.scopes, held.node) else None
        if not given or any(bare(one.node).type != "object" for one in given):
            return []
        self.asked.append(binding.declared[0])
        try:
            return self._every([entries_of(replace(one, node=bare(one.node)), name, self.to) for one in given])
        finally:
            self.asked.pop()

    def _object_made(self, call: Standing) -> Standing | None:
        """Return the object that a function of the project gives back, made anew at each call."""
        named = call.node.child_by_field_name("function")
        by_name = named.type in ("identifier", "member_expression")
        maker = self.function_of(call.file, call.scopes, named) if by_name else None
        if maker is None or any(child.type in ("async", "*") for child in maker.node.children):
            return None
        made = one_answer(maker.node)
        return replace(maker, node=made) if made is not None and made.type == "object" else None

    def _each_of(self, at: Standing, things: Sequence[Node | None]) -> list[Standing]:
        """Return the functions that expressions are, of which each may be called; none where one is anything else."""
        found: list[list[Standing]] = []
        for one in things:
            if one is not None and one.type == "method_definition":
                found.append([replace(at, node=one)])
                continue
            named = one is not None and one.type in (*PLAIN_FUNCTIONS, "identifier", "shorthand_property_identifier")
            found.append(self.to(replace(at, node=one)) if one is not None and named else [])
        return self._every(found)


def _sides(file: JavaScriptFile, called: Node) -> list[Node] | None:
    """Return the two of which one is called: `ways[method] ?? other`."""
    if called.type == "ternary_expression":
        return [called.child_by_field_name("consequence"), called.child_by_field_name("alternative")]
    if called.type != "binary_expression" or file.text(called.child_by_field_name("operator")) not in ("||", "??"):
        return None
    return [called.child_by_field_name("left"), called.child_by_field_name("right")]


def entries_of(table: Standing, name: str | None, functions_at: FunctionsAt) -> list[Standing]:
    """Return the functions in an object: those under a name, or all where the name is not known."""
    file, found = table.file, list[Standing]()
    for one in table.node.named_children:
        if one.type == "comment":
            continue
        named = one.child_by_field_name("key") or one.child_by_field_name("name")
        key = file.text(named if named is not None else one).strip("\"'")
        worked_out = key.startswith("[")  # which may be any name
        if one.type not in ("method_definition", "pair", "shorthand_property_identifier"):
            return []
        if name is not None and key != name and not worked_out:
            continue
        if one.type == "method_definition":
            plain = not any(child.type in ("get", "set", "*") for child in one.children)
            theirs = [replace(table, node=one)] if plain else []
        else:
            theirs = functions_at(replace(table, node=one.child_by_field_name("value") if one.type == "pair" else one))
        if not theirs:
            return []
        found += theirs
    return found
