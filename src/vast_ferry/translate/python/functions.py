"""A project's files and functions as they stand: the tree of each, and what is found of it while it is followed."""

from __future__ import annotations

import ast
from dataclasses import dataclass, field

from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.nodes import Nodes, last_name, walk
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.values import Env, Key, Of, Parsed, Std, Stop, Uses, Value

NOTHING = Of()
MADE = Of(made=True)
DATA = Of(data=True)
PAIR = Of("pair")  # two texts, that are taken apart where they are bound
ANYTHING = Of(made=True, holds=True)  # whatever somebody whom we don't see hands over
DEFINITION = (ast.FunctionDef, ast.AsyncFunctionDef)
Definition = ast.FunctionDef | ast.AsyncFunctionDef


@dataclass(slots=True)
class Module:
    """One file of the project: its text, its tree, and what its names at the top are."""

    file: str
    text: PythonText
    nodes: Nodes
    names: dict[str, Value] = field(default_factory=dict)
    stop: Stop | None = None
    has_ops: bool = False  # something is done with the provider when it is imported

    @property
    def tree(self) -> ast.Module:
        """Return its syntax tree."""
        assert isinstance(self.nodes.root, ast.Module)
        return self.nodes.root

    def binds(self, name: str) -> bool:
        """Tell whether the file gives a name that is the language's own another meaning, anywhere."""
        if name in self.names:
            return True
        return any(
            (isinstance(one, ast.Name) and one.id == name and not isinstance(one.ctx, ast.Load))
            or (isinstance(one, ast.arg) and one.arg == name)
            or (isinstance(one, (*DEFINITION, ast.ClassDef)) and one.name == name)
            or (isinstance(one, ast.alias) and name in (one.asname, one.name, "*"))
            for one in ast.walk(self.tree)
        )

    def means_otherwise(self, name: str, full: str) -> bool:
        """Tell whether a name at the top of the module stands for something else than what `full` names."""
        there = self.names.get(name)
        return there is not None and not (isinstance(there, Std) and there.name == full)


@dataclass(slots=True)
class Function:
    """One function or method of the project, and what is known of it: parameters, what it returns, who calls it."""

    key: Key
    module: Module
    node: Definition
    cls: Key | None = None
    outer: Function | None = None
    entry: tuple[str, ...] = ()  # names of the functions of the project that it handles, if it is a handler
    params: dict[str, Value] = field(default_factory=dict)
    env: Env = field(default_factory=dict)
    returned: Value | None = None
    calls: list[tuple[Function | None, ast.Call]] = field(default_factory=list)
    callees: dict[Key, None] = field(default_factory=dict)
    unseen: bool = False  # called by who can't be seen
    read: bool = False  # a property, which its objects' readers call without seeing it
    a_value: bool = False  # for it is a value somewhere, and may have any name
    plain: set[str] = field(default_factory=set)  # parameters that get everything as it was
    stands_before: tuple[Key, ...] = ()  # the handlers that this one, a decorator's, hands on to
    given: str = ""  # the decorator's own name for them
    takes_over: bool = False  # as such a one, it hands on what it makes itself: it is the handler, and they are not
    stands_behind: Key | None = None  # the function that a decorator puts before this handler
    hidden: Stop | None = None  # by a decorator that can't be seen through: what it takes may be anything
    given_more: tuple[str, ...] = ()  # the parameters that it gets of that one, behind what the provider hands over
    leading: int | None = None  # as one that stands before handlers: how many arguments of its calls are the provider's
    passes_more: bool = False  # as such a one, it hands on as `*args, **kwargs` what others add
    outermost: set[bool] = field(default_factory=set)  # whether the provider calls one that stands before handlers
    whatever: bool = False  # as one that stands before handlers, it takes and hands on `*args, **kwargs`
    sets_up: bool = False  # it sets a handler's object up, before any event
    writer: str = ""  # the parameter that is what it answers through, which is made at the beginning
    batch: str = ""  # the parameter that takes what is made whole, as it was: a batch of several levels, or any event
    whole: bool = False  # it is an event of any kind
    made_up: bool = False  # it stands in no file: nothing can be written there
    together: tuple[Key, ...] = ()  # functions that go where it goes: those that set its object up
    stop: Stop | None = None
    uses: dict[int, Uses] = field(default_factory=dict)
    keep: set[int] = field(default_factory=set)  # assignments whose value is made as it was
    ops: set[int] = field(default_factory=set)
    shared: frozenset[str] | None = None  # names that it shares with other functions, once asked for
    _nodes: Nodes | None = None

    @property
    def nodes(self) -> Nodes:
        """Return what its tree holds."""
        if self._nodes is None:
            self._nodes = Nodes(self.node, self.module.nodes)
        return self._nodes

    @property
    def hands_on(self) -> bool:
        """Tell whether it is a decorator's and hands on to handlers what the provider hands over."""
        return bool(self.stands_before) and not self.takes_over

    @property
    def parameters(self) -> list[str]:
        """Return the names of its parameters in order, without `self`."""
        arguments = self.node.args
        names = [argument.arg for argument in (*arguments.posonlyargs, *arguments.args)]
        return names[1:] if self.cls is not None and not self.static else names

    def optional(self, taken: int) -> tuple[str, ...]:
        """Return the names of its parameters behind the first `taken` that have defaults."""
        arguments, own = self.node.args, self.parameters[taken:]
        by_name = zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True)
        with_defaults = own[max(0, len(own) - len(arguments.defaults)) :]
        return (*with_defaults, *(one.arg for one, default in by_name if default is not None))

    @property
    def places(self) -> dict[str, Spot]:
        """Return the parameters in whose place the event goes, or a part of it, each with the place that it holds."""
        held = ((name, one.spot if isinstance(one, Parsed) else one) for name, one in self.params.items())
        return {name: one for name, one in held if isinstance(one, Spot)}

    @property
    def named(self) -> list[str]:
        """Return the names of its parameters, and of those that are given by name only."""
        return [*self.parameters, *(argument.arg for argument in self.node.args.kwonlyargs)]

    @property
    def is_called_as_written(self) -> bool:
        """Tell whether its body counts: not that of what stands in no file, as long as nobody calls it."""
        return not self.made_up or bool(self.params)

    def is_value(self) -> None:
        """Note that it is handed on as a value: whoever has that may call it."""
        self.unseen = self.a_value = True

    @property
    def referred(self) -> bool:
        """Tell whether it is called without a call being seen: by who can't be seen, or as a property."""
        return self.unseen or self.read

    @property
    def every_name(self) -> list[str]:
        """Return the names of all that it takes, but for its object."""
        rest = [one.arg for one in (self.node.args.vararg, self.node.args.kwarg) if one is not None]
        return [*self.named, *rest]

    @property
    def takes_more(self) -> bool:
        """Tell whether it may be called with less or more than its parameters: what is added to them goes by name."""
        arguments = self.node.args
        return bool(arguments.defaults or arguments.vararg or arguments.kwonlyargs or arguments.kwarg)

    @property
    def generates(self) -> bool:
        """Tell whether it is a generator."""
        return self.nodes.generates

    @property
    def static(self) -> bool:
        """Tell whether it is a method that gets no object."""
        return any(isinstance(d, ast.Name) and d.id == "staticmethod" for d in self.node.decorator_list)


def argument_of(function: Function, call: ast.Call, name: str) -> ast.expr | None:
    """Return what a call gives a function's parameter, or its default; nothing where that can't be seen."""
    by_name = {keyword.arg: keyword.value for keyword in call.keywords}
    if name in by_name:
        return by_name[name]
    if None in by_name or any(isinstance(one, ast.Starred) for one in call.args):
        return None
    own, arguments = function.parameters, function.node.args
    if name in own and own.index(name) < len(call.args):
        return call.args[own.index(name)]
    defaults = dict(zip(reversed(own), reversed(arguments.defaults), strict=False))
    by_keyword = zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True)
    return {**defaults, **{one.arg: default for one, default in by_keyword if default is not None}}.get(name)


def is_property(node: ast.AST) -> bool:
    """Tell whether a function is a property that is only read, and no other decorator's."""
    decorators = node.decorator_list if isinstance(node, ast.FunctionDef) else []
    return len(decorators) == 1 and last_name(decorators[0]) in ("property", "cached_property")


def is_kept(node: ast.AST) -> bool:
    """Tell whether a property is one whose objects keep what it gave once."""
    return is_property(node) and last_name(node.decorator_list[0]) == "cached_property"  # type: ignore[attr-defined]


def may_take(function: Function, call: ast.Call) -> bool:
    """Tell whether a function can be called with such arguments at all: no other function takes their place."""
    arguments = function.node.args
    if any(isinstance(one, ast.Starred) for one in call.args) or any(one.arg is None for one in call.keywords):
        return True
    if any(not isinstance(one, ast.Name) or one.id != "classmethod" for one in function.node.decorator_list):
        return True  # what it takes is the decorator's matter
    own, given = function.parameters, {one.arg for one in call.keywords}
    too_many = len(call.args) > len(own) and arguments.vararg is None
    if too_many or (given - set(function.named) and not arguments.kwarg):
        return False
    missing = set(own[len(call.args) : len(own) - len(arguments.defaults)]) - given
    by_name = zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True)
    return not missing and all(one.arg in given or default is not None for one, default in by_name)


def own_returns(function: Function) -> list[ast.Return]:
    """Return where a function itself ends, last first; functions inside it end by their own."""
    inside = {
        id(one)
        for node in function.nodes.all[1:]
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef))
        for one in walk(node)
    }
    return [node for node in reversed(function.nodes.all) if node.__class__ is ast.Return and id(node) not in inside]


def set_once(function: Function, name: str) -> ast.expr | None:
    """Return what a name of a function is set to, once and for all; nothing of a parameter, or of what others set."""
    bound = [use for use in function.nodes.uses(name) if not isinstance(use.ctx, ast.Load)]
    above = function.nodes.parents.get(id(bound[0])) if len(bound) == 1 else None
    own = name not in function.every_name and name not in function.nodes.told_global
    alone = isinstance(above, ast.Assign) and len(above.targets) == 1 and above.targets[0] is bound[0]
    return above.value if own and alone and isinstance(above, ast.Assign) else None


def is_built_in(module: Module, function: Function | None, name: str) -> bool:
    """Tell whether neither a function nor its module gives a name a meaning: then it is Python's own."""
    bound = function.nodes.bound if function is not None else ()
    return not any(name in names for names in (bound, module.names, module.nodes.top_names))
