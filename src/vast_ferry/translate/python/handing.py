"""What a call hands to the functions of the project that it calls: what of the event goes on to which parameter."""

from __future__ import annotations

import ast
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.data_classes import factory_of
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import NOTHING, Function
from vast_ferry.translate.python.functions_handed import is_forwarded, taken
from vast_ferry.translate.python.objects import Objects
from vast_ferry.translate.python.types import type_of_constant
from vast_ferry.translate.values import (
    Batch,
    Class,
    Foreign,
    Func,
    Instance,
    Of,
    OneOf,
    Parsed,
    Rest,
    Table,
    Value,
)

#: What asks an object that it is handed for nothing that it keeps.
_ASK_WHAT_IT_IS = frozenset(["isinstance", "type", "callable"])
#: Fields in which handlers look values up by their names.
_LOOKED_UP = frozenset(["headers", "headers.plain", "headers.all", "query"])


def _only_looked_up_in(function: Function, parameter: str) -> bool:
    """Tell whether a function only looks something up in what a parameter holds: by a key, or by a method's call."""
    parents = function.nodes.parents
    return all(_looks_up(use, parents) for use in function.nodes.uses(parameter))


def _looks_up(use: ast.Name, parents: Mapping[int, ast.AST]) -> bool:
    above = parents.get(id(use))
    if isinstance(above, ast.Attribute):
        call = parents.get(id(above))
        return isinstance(call, ast.Call) and call.func is above
    if isinstance(above, ast.Compare):
        return above.left is not use and len(above.ops) == 1 and isinstance(above.ops[0], (ast.In, ast.NotIn))
    return isinstance(above, ast.Subscript) and above.value is use and isinstance(above.ctx, ast.Load)


def _only_asked_by_words(function: Function, parameter: str) -> bool:
    """Tell whether a function asks what a parameter holds for names that stand there, and does nothing else with it."""
    parents = function.nodes.parents
    return all(_asks_by_word(use, parents) for use in function.nodes.uses(parameter))


def _asks_by_word(use: ast.Name, parents: Mapping[int, ast.AST]) -> bool:
    above = parents.get(id(use))
    key: ast.expr | None = None
    if isinstance(above, ast.Attribute) and above.attr == "get":
        call = parents.get(id(above))
        plain = isinstance(call, ast.Call) and call.func is above and len(call.args) in (1, 2) and not call.keywords
        key = call.args[0] if plain else None  # type: ignore[union-attr]
    elif isinstance(above, ast.Compare) and above.left is not use and len(above.ops) == 1:
        key = above.left if isinstance(above.ops[0], (ast.In, ast.NotIn)) else None
    elif isinstance(above, ast.Subscript) and above.value is use and isinstance(above.ctx, ast.Load):
        key = above.slice
    return isinstance(key, ast.Constant) and isinstance(key.value, str)


@dataclass(slots=True)
class _Taker:
    """A function that is called, and what its parameters are given."""

    flow: Flow
    function: Function
    given: dict[str, Value] = field(default_factory=dict)
    rest: list[Value] = field(default_factory=list)  # what `*args` takes
    named: bool = False  # `**kwargs` takes something

    def parameter(self, by: int | str) -> str:
        """Return the parameter that an argument goes to, by its place or its name; empty where there is none."""
        if isinstance(by, int):
            return self.function.parameters[by] if by < len(self.function.parameters) else ""
        arguments = self.function.node.args
        return by if any(one.arg == by for one in (*arguments.args, *arguments.kwonlyargs)) else ""

    def all(self, *, hidden: bool) -> dict[str, Value]:
        """Return what all parameters are given; what goes where can't be told where arguments are `hidden`."""
        arguments = self.function.node.args
        if hidden:
            rest = [one.arg for one in (arguments.vararg, arguments.kwarg) if one is not None]
            named = [one.arg for one in (*arguments.args, *arguments.kwonlyargs)]
            return {**dict.fromkeys([*self.function.parameters, *named, *rest], NOTHING), **self.given}
        return {**_defaults(self.flow, self.function, self.given), **self.given, **self._rest()}

    def _rest(self) -> dict[str, Value]:
        """Return what `*args` and `**kwargs` are given, where they are only handed on."""
        arguments, given = self.function.node.args, dict[str, Value]()
        if arguments.vararg is not None and is_forwarded(self.function, arguments.vararg.arg):
            given[arguments.vararg.arg] = Rest(tuple(self.rest))
        elif arguments.vararg is not None and self.rest:  # other things than the rows that others hand over
            given[arguments.vararg.arg] = NOTHING
        if arguments.kwarg is not None and is_forwarded(self.function, arguments.kwarg.arg):
            given[arguments.kwarg.arg] = NOTHING if self.named else Rest()
        return given


class Handing(Objects):
    """What follows the arguments of calls."""

    every: list[Value]  # what the call that was followed last was handed, by places and keywords

    def arguments(self, node: ast.Call, *called: Function | None) -> list[Value]:
        """Follow the arguments of a call; what a function of the project gets of the event is passed on to it.

        Of several functions that may be `called`, all get the same: what one takes as it was, each does. Returned are
        those that are given by their places; `every` has those that are given by keywords as well.
        """
        values: list[Value] = []
        by_keyword: list[Value] = []
        takers = [_Taker(self.flow, one) for one in called if one is not None]
        at: int | None = 0  # the place of the next; nothing where that can't be told
        rows = self._rows_in_rest(node, takers)
        for argument in node.args[: len(node.args) - rows]:
            if isinstance(argument, ast.Starred):
                at = self._all_given(takers, argument, at)
                values.append(self.eval(argument) if at is None else NOTHING)
            else:
                values.append(self._given(takers, argument, at))
                self._hands_out(node, takers, at, values[-1])
                at = at + 1 if at is not None else None
        hidden = at is None
        for keyword in node.keywords:
            by_keyword.append(self._given(takers, keyword.value, keyword.arg))
            self._hands_out(node, takers, keyword.arg, by_keyword[-1])
            if keyword.arg is None and self._rest_in(keyword.value) == Rest():
                self.flow.known_rests.add(id(keyword))
            elif keyword.arg is None:
                hidden = True
        for taker in takers:
            for name, value in taker.all(hidden=hidden).items():
                self.flow.pass_(taker.function, name, value)
        self.every = [*values, *by_keyword]
        return values

    def _rows_in_rest(self, node: ast.Call, takers: list[_Taker]) -> int:
        """Give functions what `*args` takes as rows of functions, and return how many arguments these are."""
        if not takers or any(isinstance(one, ast.Starred) for one in node.args):
            return 0
        first = max(len(taker.function.parameters) for taker in takers)
        told = {
            taken(self.flow, taker.function, rest.arg)
            if (rest := taker.function.node.args.vararg) is not None and rest.arg not in taker.function.plain
            else None
            for taker in takers
        }
        how = told.pop() if len(told) == 1 else None
        more = node.args[first:]
        if how is None or not more or any(len(taker.function.parameters) != first for taker in takers):
            return 0
        table = self.rows_handed(ast.copy_location(ast.Tuple(more, ast.Load()), more[0]), how.width)
        for taker in takers if table is not None else ():
            rest = taker.function.node.args.vararg
            assert rest is not None
            assert table is not None
            taker.given[rest.arg] = table
        return len(more) if table is not None else 0

    def _hands_out(self, node: ast.Call, takers: list[_Taker], by: int | str | None, value: Value) -> None:
        """Note an object that is handed to whom nobody sees, or under no name: but to what asks only what it is."""
        asks = not takers and isinstance(node.func, ast.Name) and node.func.id in _ASK_WHAT_IT_IS
        if not asks and (by is None or not takers or not all(taker.parameter(by) for taker in takers)):
            self.flow.out_of_sight(value)

    def _rest_in(self, node: ast.expr) -> Rest | None:
        """Return what a name holds that takes the rest of what a function is handed."""
        value = self.lookup(node.id) if isinstance(node, ast.Name) else None
        return value if isinstance(value, Rest) else None

    def _all_given(self, takers: list[_Taker], argument: ast.Starred, at: int | None) -> int | None:
        """Give functions all that `*args` took, and return the place behind that; nothing where it can't be told.

        What stands for the event goes on as such only to parameters that take it so; else nobody hands it over so.
        """
        rest = self._rest_in(argument.value)
        if rest is None or at is None or not takers:
            return None
        places = list(enumerate(rest.values, start=at))
        for place, value in places:
            names = [(taker.function, taker.parameter(place)) for taker in takers]
            if isinstance(value, Foreign) and any(not name or name in one.plain for one, name in names):
                return None
        for place, value in places:
            for taker in takers:
                if name := taker.parameter(place):
                    taker.given[name] = value
                else:
                    taker.rest.append(value)
        self.flow.known_rests.add(id(argument))
        return at + len(rest.values)

    def _given(self, takers: list[_Taker], argument: ast.expr, by: int | str | None) -> Value:
        """Follow an argument, and give it to each function that takes it; nobody sees which does where `by` is None."""
        if by is not None and (functions := self._functions_handed(takers, by, argument)) is not None:
            for taker in takers:
                taker.given[taker.parameter(by)] = functions
            return NOTHING
        value = self.eval(argument)
        if by is None:
            return value
        self._give(takers, by, argument, value)
        for taker in takers:
            if taker.parameter(by):
                continue
            if isinstance(by, int):
                taker.rest.append(self._handed_in_rest(taker.function, argument, value))
            else:
                taker.named = True
        return value

    def _handed_in_rest(self, taker: Function, argument: ast.expr, value: Value) -> Value:
        """Return what `*args` gets: the event, or an entry, goes as what stands for it where it is only handed on."""
        rest = taker.node.args.vararg
        known = rest is not None and rest.arg not in taker.plain and is_forwarded(taker, rest.arg)
        whole = isinstance(value, Spot) and value.of_event and not value.steps
        return self._handed(argument, value, plain=not (known and whole))

    def _functions_handed(self, takers: list[_Taker], by: int | str, argument: ast.expr) -> OneOf | Table | None:
        """Return the functions that an argument is, where all that is done with them is seen."""
        if not isinstance(argument, (ast.Name, ast.Attribute, ast.List, ast.Tuple, ast.Dict)):
            return None
        names = [taker.parameter(by) for taker in takers]
        told = {
            taken(self.flow, one.function, name) if name and name not in one.function.plain else None
            for one, name in zip(takers, names, strict=True)
        }
        how = told.pop() if len(told) == 1 else None
        if how is None:
            return None
        if how.called:
            found = self.in_a_table(argument)
            if isinstance(found, Func) and (found.bound or self.flow.functions[found.key].cls is None):
                return OneOf((found.key,), found.bound)
            return found if isinstance(found, OneOf) else None
        return self.rows_handed(argument, how.width) if how.width else self.mapping_handed(argument)

    def what_it_names(self, node: ast.expr) -> Value:
        """Return what a name, or an attribute of a module, stands for, without noting that it is read."""
        return self.lookup(node.id) if isinstance(node, ast.Name) else self.flow.named(self.module, node)

    def in_a_table(self, node: ast.expr) -> Value:
        """Return what stands in a table of a function: what a name stands for, or a method of an object."""
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name):
            base = self.lookup(node.value.id)
            if isinstance(base, Instance):
                return self.flow.bound_method(base.key, node.attr)
        return self.what_it_names(node)

    def rows_handed(self, node: ast.expr, width: int) -> Table | None:
        """Return the table of functions that is handed on as a list of rows of a width."""
        raise NotImplementedError

    def mapping_handed(self, node: ast.expr) -> Table | None:
        """Return the table of functions that is handed on as a mapping."""
        raise NotImplementedError

    def _give(self, takers: list[_Taker], by: int | str, argument: ast.expr, value: Value) -> None:
        """Give each function the argument that stands at a place, or has a name."""
        names = [taker.parameter(by) for taker in takers]
        if not any(names):
            return
        plain = any(not name or name in one.function.plain for one, name in zip(takers, names, strict=True))
        spot = value.spot if isinstance(value, Parsed) and value.form == "mapping" else value
        if isinstance(spot, Spot) and not plain and self._looked_up(spot, takers, names, isinstance(value, Parsed)):
            self.consume(argument)
            self.flow.handed_on.add(id(argument))
            there = Spot(spot.kind, spot.role, spot.steps)
            handed: Value = replace(value, spot=there) if isinstance(value, Parsed) else there
        else:
            handed = self._handed(argument, value, plain)
        for taker, name in zip(takers, names, strict=True):
            if name:
                taker.given[name] = handed

    def _looked_up(self, spot: Spot, takers: list[_Taker], names: list[str], mapped: bool) -> bool:
        """Tell whether functions only look something up in what stands at a place, and the target has no such thing.

        What stands there may have been `mapped`: by its names, by the handler itself.
        """
        row = self.flow.shape(spot).row(spot.role, spot.steps)
        by_name = row is not None and (mapped or bool(row.lens.methods or row.lens.subscript))
        if row is None or not by_name or row.field not in _LOOKED_UP or (not mapped and self.flow.whole_there(spot)):
            return False
        only = _only_asked_by_words if mapped else _only_looked_up_in
        return all(only(taker.function, name) for taker, name in zip(takers, names, strict=True))

    def _handed(self, argument: ast.expr, value: Value, plain: bool) -> Value:
        """Return what a function is handed: the event, its context or one entry go as what stands for them.

        A `plain` parameter gets them made as they were.
        """
        if isinstance(value, Spot) and self.flow.spot_is_inner(value) and not plain:
            self.consume(argument)
            return Spot(value.kind, value.role, value.steps)
        if isinstance(value, Batch) and not plain:
            self.flow.formed.add(id(argument))
            self.mark(argument)
            return Batch(value.kind, "")
        if isinstance(value, Foreign):
            return self.made(value)
        return value if isinstance(value, (Of, Instance, Func, Class)) else NOTHING


def _defaults(flow: Flow, function: Function, given: Mapping[str, Value]) -> dict[str, Value]:
    """Return what the parameters get that a call does not give."""
    arguments = function.node.args
    every = [*arguments.posonlyargs, *arguments.args]
    pairs = [*zip(every[len(every) - len(arguments.defaults) :], arguments.defaults, strict=True)]
    pairs += [
        (one, default) for one, default in zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True) if default
    ]
    return {one.arg: _default(flow, function, default) for one, default in pairs if one.arg not in given}


def _default(flow: Flow, function: Function, value: ast.expr) -> Value:
    """Return what a default is: of a data class's field also an object that is made by its class."""
    factory = factory_of(value) if function.made_up else None
    made = flow.named(function.module, factory) if factory is not None else None
    return Instance(made.key) if isinstance(made, Class) else Of(type_of_constant(value))
