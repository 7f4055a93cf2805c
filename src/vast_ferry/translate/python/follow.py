"""One function followed statement by statement: what its names hold on the way, and what is done with places.

Why what comes out does the same. A handler gets the event only by its parameters, so every value that is the event,
its context, an entry of a batch or a client of the provider (`Foreign`) is known from there on by the name that holds
it: `env` has what each name holds at each point, on every way that leads there (`joined`). At every step it is one of
three:

* understood: an operation (`translate.operations`), or a place one step on, with a form of its own at the target;
* handed on whole to a function of the project, whose parameter then holds it in the same way (`pass_`);
* made as it was: whatever else reads it, any syntax that nobody here knows included (`_children`, `others`), gets from
  an emitted function just what it got before (`made`).

Ways part and meet as Python's do (`statements.py`): a branch that leaves ends there (`dead`); a loop's turns are
followed until one leaves nothing new, begin again at each `continue`, and lead on from each `break`; a handler of
exceptions, what stands behind a `with` that may swallow them, and a `finally` begin wherever the block may have been
left (`ways`); of a condition in an expression, a comprehension or a pattern each part may be the last that was done
(`_met`). A name that is bound on some of the ways that meet is a `Clash`, like one that holds two things; where it is
read unbound, its assignments stay, so that the error is the same.

There is no fourth. Where the third would not be safe the function stops (`Stop`), and with it whatever shares its
code:

* what is made is made anew at each read, so what changes it stops, and what asks for its identity (`MADE`, which goes
  on through names, parts, loops, returns and attributes, into lists and mappings and out of them again (`Of.holds`);
  `CHANGING_METHODS`, `CHANGING`, `_is_one_of_a_kind`);
* a name that holds the event on one way and something else on another stops (`Clash`); so does one that is bound
  outside of what is followed: by `global`, `nonlocal`, `del`, a default value, a decorator, a class inside;
* a name that a lambda or a lazy loop reads after it came to hold something else stops (`_read_later`); one that a
  function inside may see holding two things is made as it was (`_bound_late`);
* what looks behind names stops: frames, a function's code or parameters, `eval` where the event can be seen;
* a batch that is more than gone through stops (`_only_goes_through`); so does what is awaited later
  (`_check_awaited`).

Who calls a function must be known for its parameters to hold the event. So every function is followed that may run at
all, by its name alone (`alive.py`), whether it is known who calls it or not. A parameter that gets the event from one
call and something else, or its default, from another is `plain`: every call hands it things as they were. So does every
call of a function that somebody may call whom we don't see (`referred`): it is a value somewhere (`_handed_on`: in a
table, at the top of a module too; its class or its module is one, or may be loaded by a text, `module_values.py`; a
name that two imports bind may stand for it), a
decorator that can't be seen through stands before it, an operator calls it, or something of which we don't know what it
is may have a method of that name (`_of_any_class`). A name that is defined twice is no function at all to us. A call
on an object reaches whatever any class that it may be of has under that name, or is given from anywhere (`classes.py`);
of several nobody sees which. What a table of functions has for a word is one of those that stand in it (`tables.py`): a
call of it hands all of them the same, and they are written alike. A function that may run and that nobody is known to
call stays as it stands; where it could not run so, because it calls a service that the target reaches otherwise, every
handler that loads it stops (`native.py`). Decorators that can be seen through are in `decorators.py`; what a name at
the top of a module may hold is in `holders.py`.

Whoever is not seen may be handed the event as it was, wherever something of it is given to code of which we don't know
what it is (`_unseen`). A function that may be called so counts all that it is handed as the event's (`ANYTHING`): one
that changes it stops, and with it every handler that may run it.

What was made as it was is lost from sight where it is put somewhere, or handed to code that is not known; taken out
there again it is an ordinary value. So wherever that happens, whatever a handler changes must be known to have been
made anew (`aliases.py`).

An object of the project's may keep the event only as long as each read and each store of that attribute is known to
be of such an object; once its name is asked of something unknown, by a text, or with all others, it is made as it was
when it is kept (`kept.py`).

A batch of several levels is not followed at all: it is made as it was once, at the handler's first line, and is an
ordinary value from there on. An object that a class's set-up made outlives a call, so what it was told is not kept in
it: each read of it asks the call that is running, and a class that hands itself on stops (`set_up.py`). An answer that
is raised is returned instead only where nothing can catch it, and nobody asks for its class otherwise (`raised.py`).
Content that can be read once is read by one function at most on every way (`read_once.py`). A place that is left out
where it is empty is asked of what holds it, made as it was (`ShapeMap.may_be_missing`).

Where no expression reaches a field at the target, what is written is the call of a function that reads it
(`mapping.by_functions`), and all of the above holds of that. What is read from the environment by name is asked for
where a target has it elsewhere; any other use of the environment stops there (`environment.py`).

An assignment is taken out only where every read that it can reach has a form of its own (`uses`, `keep`); names that
are shared by `global` or `nonlocal`, or bound whenever a generator is asked, always stay.

Taken for granted, and said so here: code that is not the project's does not change what it is handed, nor ask for the
identity of what it is handed, but for what `CHANGING` lists; nobody changes the provider's modules from outside of
the project; exceptions leave the context managers that `LET_THROUGH` lists; and what a note of `translate.reasons`
says at its line.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import replace

from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.alive import alive, is_program, loaded
from vast_ferry.translate.python.decorators import is_hidden, only_calls
from vast_ferry.translate.python.flow import Flow
from vast_ferry.translate.python.functions import ANYTHING, DEFINITION, NOTHING, Function, is_property
from vast_ferry.translate.python.module_values import ModuleValues
from vast_ferry.translate.python.objects_given import gives_an_object, is_of_the_class
from vast_ferry.translate.python.statements import Statements
from vast_ferry.translate.values import (
    Batch,
    Bound,
    Clash,
    Class,
    Foreign,
    Handlers,
    Instance,
    Key,
    OneOf,
    Parsed,
    Rest,
    Stop,
    Table,
    Value,
)


def follow(flow: Flow, reached: Iterable[Key]) -> None:
    """Follow the functions until nothing new is found, then what modules do when they are imported."""
    reached = dict.fromkeys(reached)
    flow.alive = alive(flow, reached)
    for key, function in flow.functions.items():
        for file in loaded(flow, [key[0]]) if function.entry else ():
            flow.loads.setdefault(file, set()).add(key)
    _note_who_is_unseen(flow)
    # First what objects of modules are set up with, then from the handlers on, call by call: what an object holds is
    # known before its methods are followed.
    handlers, flow.waiting = flow.waiting, {}
    _follow_objects_of_modules(flow, reached)
    _follow_set_ups(flow)
    for one in _properties_of_objects(flow):  # which may make more of them
        _follow(flow, one)
    _follow_set_ups(flow)
    flow.waiting = handlers | flow.waiting  # their methods are called by handlers, with what these know
    _follow_waiting(flow)
    flow.waiting |= dict.fromkeys(key for key in reached | flow.alive if key not in flow.followed)
    _follow_waiting(flow)
    for file in loaded(flow, [file for file, _ in reached]):
        try:
            Follower(flow, flow.modules[file], None).follow_module()
        except Stop as stop:
            flow.modules[file].stop = stop
    # Whoever calls a function that is handed on as a value can't be seen, and hands it things as they were. What is
    # followed then may hand on more.
    plain: set[tuple[Key, bool]] = set()
    while more := {(one.key, flow.may_be_handed(one)) for one in flow.functions.values() if one.referred} - plain:
        plain |= more
        for key, handed in more:
            _let_be_called(flow, flow.functions[key], handed)
        _follow_waiting(flow)


def _follow_set_ups(flow: Flow) -> None:
    """Follow how objects are set up that wait for that, and those that these make."""
    while set_ups := [key for key in flow.waiting if key[1].endswith(".__init__") and key not in flow.followed]:
        for key in set_ups:
            del flow.waiting[key]
            _follow(flow, flow.functions[key])


def _properties_of_objects(flow: Flow) -> list[Function]:
    """Return the properties of objects that modules keep, which give objects of the project."""
    kept = {
        value.key for module in flow.modules.values() for value in module.names.values() if isinstance(value, Instance)
    }
    properties = [one for one in flow.functions.values() if one.cls in kept and is_property(one.node)]
    return [one for one in properties if gives_an_object(flow, one) is not None]


def _follow_objects_of_modules(flow: Flow, reached: Iterable[Key]) -> None:
    """Follow how modules make the objects that they keep: what these are set up with."""
    for file in loaded(flow, [file for file, _ in reached]):
        module = flow.modules[file]
        kept = [one for one in module.tree.body if isinstance(one, (ast.Assign, ast.AnnAssign))]
        if any(isinstance(value, Instance) for value in module.names.values()):
            follower = Follower(flow, module, None)
            for statement in kept:
                value = statement.value
                if isinstance(value, ast.Call) and isinstance(flow.named(module, value.func), Class):
                    with suppress(Stop):  # told when all of the module is followed
                        follower.eval(value)


def _note_who_is_unseen(flow: Flow) -> None:
    """Note which functions may be called by who can't be seen, and what outlives a call."""
    for value in flow.unclear:
        flow.refer(value)
    for asked in ModuleValues(flow).asked():
        flow.refer(asked)
    for module in flow.modules.values():  # what outlives a call keeps nothing that another could take for its own
        for value in module.names.values():
            if isinstance(value, Instance):
                flow.kept.opened(value.key)
    for function in flow.functions.values():
        known = function.entry or function.stands_behind is not None
        seen = known and all(only_calls(flow, function.module, one) for one in function.node.decorator_list)
        if is_hidden(flow, function) and not seen:
            function.is_value()
        function.unseen = function.unseen or _is_called_by_signs(function)


def _let_be_called(flow: Flow, function: Function, handed: bool) -> None:
    """Let a function be called by who can't be seen: with things as they were, the event's among them if `handed`."""
    for name in function.every_name if not function.entry else ():
        if isinstance(function.params.get(name), Foreign | OneOf | Table | Rest):
            flow.pass_(function, name, NOTHING)
        if handed and function.params.get(name) != ANYTHING:
            function.params[name] = ANYTHING
            flow.waiting[function.key] = None


def _is_called_by_signs(function: Function) -> bool:
    """Tell whether a method is called by an operator, a loop or the like."""
    name = function.node.name
    by_name = name in ("__init__", "__call__", "__new__", "__post_init__")
    return function.cls is not None and name.startswith("__") and name.endswith("__") and not by_name


def _follow_waiting(flow: Flow) -> None:
    """Follow the functions that wait, and those that wait then, until none does."""
    rounds = 0
    while flow.waiting:
        key = next(iter(flow.waiting))
        del flow.waiting[key]
        function = flow.functions[key]
        rounds += 1
        if rounds > 40 * len(flow.functions) + 200:
            function.stop = Stop("too-entangled", function.node)
            continue
        _follow(flow, function)


def _follow(flow: Flow, function: Function) -> None:
    for _ in range(30):
        for node in function.ops:
            flow.ops.pop(node, None)
            flow.consumed.discard(node)
            flow.handed_on.discard(node)
            flow.known_rests.discard(node)
            flow.formed.discard(node)
            flow.values.pop(node, None)
        flow.followed[function.key] = None
        function.ops, function.uses, function.stop, function.callees = set(), {}, None, {}
        before = len(function.keep)
        try:
            Follower(flow, function.module, function).follow()
        except Stop as stop:
            function.stop = function.hidden or stop
            return
        except RecursionError:
            function.stop = Stop("too-entangled", function.node)
            return
        except (AssertionError, AttributeError, KeyError, TypeError, ValueError) as error:
            # A mistake of ours must not keep a project from being carried.
            function.stop = Stop("could-not-follow", function.node, f"{type(error).__name__}: {error}")
            return
        for origin, uses in function.uses.items():
            loose = [read for read in uses.reads if id(read) not in flow.consumed and id(read) not in flow.formed]
            value = flow.values.get(id(uses.value))
            # Another name for the event goes where any read of it has a form of its own: the others get it made there.
            inner = isinstance(value, Spot) and flow.spot_is_inner(value) and len(loose) < len(uses.reads)
            if loose and not inner:
                function.keep.add(origin)
        if len(function.keep) == before:
            return
    function.stop = Stop("too-entangled", function.node)


class Follower(Statements):
    """Follows one function, or (without one) the statements of a module."""

    def follow(self) -> None:
        """Follow the function's body, then the functions inside it."""
        function = self.function
        assert function is not None
        if function.outer is not None:
            self.env = {name: Bound(bound.value, bound.origin) for name, bound in function.outer.env.items()}
            for name in _given_up(function.outer):  # which of the two it finds there depends on when it is called
                self.env[name] = Bound(Clash(frozenset(), held=True))
        node = function.node
        arguments = node.args
        every = [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs]
        every += [one for one in (arguments.vararg, arguments.kwarg) if one]
        for argument in every:
            self.env[argument.arg] = Bound(_held_by(argument.arg, function.params.get(argument.arg, NOTHING)))
        if function.stands_before:
            behind = OneOf(function.stands_before) if function.takes_over else Handlers(function.stands_before)
            self.env[function.given] = Bound(behind)
        if function.cls is not None and not function.static and arguments.args:
            own = is_of_the_class(function) and not self.flow.inherited(function.cls)
            self.env[arguments.args[0].arg] = Bound(Class(function.cls) if own else Instance(function.cls))
        for default in (*arguments.defaults, *(d for d in arguments.kw_defaults if d)):
            self.no_client(default, self.eval(default))
        self.body(node.body if function.is_called_as_written else [])
        function.env = {**self.history, **self.env}
        for inner in self.later:
            self.flow.waiting[inner.key] = None

    def follow_module(self) -> None:
        """Follow the statements at the top of a module."""
        for statement in self.module.tree.body:
            if isinstance(statement, ast.ClassDef):
                for inner in statement.body:
                    if isinstance(inner, (ast.Assign, ast.AnnAssign)) and inner.value is not None:
                        self.no_client(inner.value, self.eval(inner.value))
                    if not isinstance(inner, DEFINITION):
                        self.statement(inner)
            elif not isinstance(statement, DEFINITION) and not is_program(statement):
                self.statement(statement)


def _given_up(function: Function) -> list[str]:
    """Return the parameters that give a function the event, or a part, and hold other things later."""
    return [
        name
        for name, value in function.params.items()
        if isinstance(value, Foreign) and any(isinstance(use.ctx, ast.Store) for use in function.nodes.uses(name))
    ]


def _held_by(parameter: str, value: Value) -> Value:
    """Return what a parameter holds, as something that is held under its name."""
    if isinstance(value, Spot):
        return Spot(value.kind, value.role, value.steps, parameter)
    if isinstance(value, Batch):
        return Batch(value.kind, parameter, handed=True)
    return replace(value, spot=replace(value.spot, holder=parameter)) if isinstance(value, Parsed) else value
