"""Where the event and its context travel in a project's code, read off its syntax trees without running anything.

Every function is followed with what its callers pass; what is done with a place of the event is noted as an operation,
by the node that does it. A name that holds a place has its uses noted, so that it can be taken out. What can't be
followed stays an ordinary value: the place is then made for it, as it was.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable, Set
from dataclasses import replace

from vast_ferry.mapping.clients import Client
from vast_ferry.mapping.places import Attr, Call, Item
from vast_ferry.mapping.tables import Row
from vast_ferry.profiles.profile import Profile
from vast_ferry.translate.operations import Operation, ReadByStatement
from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.code import Code
from vast_ferry.translate.python.data_classes import is_data_class
from vast_ferry.translate.python.decorators import gives_it_back
from vast_ferry.translate.python.functions import ANYTHING, MADE, NOTHING, Function, Module
from vast_ferry.translate.python.kept import Kept
from vast_ferry.translate.python.types import FIXED
from vast_ferry.translate.shapes import ShapeMap
from vast_ferry.translate.values import (
    Clash,
    Class,
    Foreign,
    Func,
    Instance,
    Key,
    Of,
    OneOf,
    Own,
    Rest,
    Service,
    Std,
    Stop,
    Table,
    Value,
)

#: Decorators that give the class back that they are given.
_CLASS_DECORATORS = frozenset(
    ["dataclasses.dataclass", "functools.total_ordering", "enum.unique", "typing.final", "typing.runtime_checkable"]
)


class Flow(Code):
    """The flow of events through the code of a project at `source`; made once, then asked by node."""

    def __init__(self, source: Profile, target: Profile) -> None:
        theirs = {client.root for client in source.clients} | set(source.model.modules) | set(source.model.decorators)
        super().__init__(theirs, source.provided)
        self.source, self.target = source, target
        self.maps = {kind: ShapeMap.of(tables.event) for kind, tables in source.kinds.items()}
        self.whole: frozenset[str] = frozenset()  # names of handlers whose event is made whole, at their first line
        self.http_methods: Set[str] | None = None  # by which handlers are called, in lower case; nothing: by any
        self._referred: set[str] = set()
        self.in_place: dict[Key, dict[int, ast.AST]] = {}  # by function, where a part is changed in place, as there
        self._the_same: dict[tuple[str, str], bool] = {}
        self.set_up: set[Key] = set()  # classes whose objects are set up once, and handle events
        self.ask_objects: dict[str, dict[Key, None]] = {}  # by attribute, the functions that ask objects for it
        self.objects_made: set[str] = set()  # files in which an object of the provider's is made as it was
        self.compare_parts: dict[Key, None] = {}  # functions that compare what may hold such objects
        self.kept = Kept(self.family, _joined)
        # Methods, or "" for any function, that are handed something of the event's by who can't tell what it calls:
        self.unseen: dict[str, set[str]] = {}  # by whom, as files
        self.called_unseen: dict[str, set[str]] = {}  # the same of all calls: of methods by their names, "" of anything
        self.loads: dict[str, set[Key]] = {}  # by file, the handlers with which it is loaded
        self.followed: dict[Key, None] = {}
        self.alive: dict[Key, None] = {}  # functions that may run, whoever calls them
        self.ops: dict[int, Operation] = {}
        self.values: dict[int, Value] = {}
        self.consumed: set[int] = set()
        # by attributes, the only method that an object of the project's gives, and where
        self.methods_asked: dict[int, tuple[str, ast.Attribute, Key]] = {}
        self.own_calls: set[int] = set()  # calls that come to a function of the project, whatever happened before
        self.formed: set[int] = set()  # reads of a batch that have a form of their own wherever they stand
        self.waiting: dict[Key, None] = {}  # in order, each once
        self.whole_there: Callable[[Spot], bool] = lambda spot: True  # whether the target has what stands at a place
        self.known_rests: set[int] = set()  # `*args` and `**kwargs` in calls, of which is known what they hold
        self.handed_on: set[int] = set()  # arguments in whose place the event goes, for what is looked up in them
        self.either: dict[int, tuple[Key, ...]] = {}  # by calls, the functions of which each calls one
        self.loop_names: dict[int, list[ast.Name]] = {}
        self.lines: dict[int, int] = {}  # of nodes at which something was found
        self.statements: dict[int, ReadByStatement] = {}  # in place of which something else stands
        self.clients: dict[str, Client] = {client.called: client for client in source.clients}
        # A function of a module's own is no part of a group: the module may be named for anything else.
        self.roots = {one.root for one in source.clients if one.root not in source.model.handler.parameters}
        self.groups = {one.called.rpartition(".")[0] for one in source.clients if "." in one.path}
        forms = [form for kind in source.kinds.values() for form in kind.answered.forms]
        self.reply_classes = frozenset(form.class_name for form in forms if form.class_name)

    def keeps_client(self, name: str) -> bool:
        """Tell whether a client of the source's may stay as it is, by the module of its name that comes along.

        It may where handlers reach services at the target without waiting and without what they are handed; and where
        the target has the same calls by the same names.
        """
        root = name.partition(".")[0]
        ours, theirs = (
            {one.called: one for one in side.clients if one.root == root} for side in (self.source, self.target)
        )
        if ours and all(one == theirs.get(called) for called, one in ours.items()):
            return True
        plain = not self.target.hosts and not any(one.awaited for one in (*self.target.clients, *self.source.clients))
        return plain and root in self.source.provided and root not in self.target.provided

    # --- following ---

    def taken_over(self, function: Function) -> Function | None:
        """Return what a decorator puts before a function that takes over for it, and calls it with what it makes."""
        before = self.functions[function.stands_behind] if function.stands_behind is not None else None
        return before if before is not None and before.takes_over else None

    def enter(self, key: Key, kind: str, name: str) -> None:
        """Begin at a handler that gets events of a kind."""
        function, own = self.functions[key], self.source.kinds[kind]
        function.entry = (*function.entry, name)
        shape = self.maps[kind]
        handed = self.handed(kind)
        writer = own.answered.writer
        if writer is not None and (own.by_keyword or len(function.parameters) > len(handed)):
            handed = list(writer.among(tuple(handed)))
        for before in function.together:
            self._enter_set_up(before, own.setup_takes)
        for index, parameter in enumerate(function.named if own.by_keyword else function.parameters):
            given = parameter if own.by_keyword else handed[index] if index < len(handed) else ""
            role = shape.role_of_name(given)
            if writer is not None and given == writer.name:
                function.writer = parameter  # made at the beginning, and asked at the end
            elif role and role != "context" and (shape.shape.levels or name in self.whole):
                if function.batch not in ("", parameter):
                    raise Stop("signature", function.node)  # it stands in several
                function.batch = parameter  # made as it was, at the beginning
                function.whole = name in self.whole and not shape.shape.levels
            elif role:
                spot = Spot("" if role == "context" else kind, role, (), parameter)
                self.pass_(function, parameter, spot)
        self.waiting[key] = None

    def handed(self, kind: str) -> list[str]:
        """Return what the provider hands to a handler itself: not what is told when its object is set up."""
        own = self.source.kinds[kind]
        return [one for one in own.event.handed_over if not own.method or one not in own.setup_takes]

    def _enter_set_up(self, key: Key, takes: tuple[str, ...]) -> None:
        """Begin at what sets a handler's object up; all that it is handed is told of calls."""
        function = self.functions[key]
        for parameter, _ in zip(function.parameters, takes if function.sets_up else (), strict=False):
            self.pass_(function, parameter, Spot("", "context", (), parameter))
        self.waiting[key] = None

    def pass_(self, function: Function, parameter: str, value: Value) -> None:
        """Note what a parameter gets from a caller; what gets the event from one and others from another is plain."""
        before = function.params.get(parameter)
        if parameter in function.plain:
            self.out_of_sight(value)
            if isinstance(value, Of) and (value.made or value.holds) and before != ANYTHING:
                function.params[parameter] = ANYTHING
                self.waiting[function.key] = None
            return
        joined = value if before is None else _joined(before, value)
        if joined != value or (before is not None and joined != before):
            self.out_of_sight(before, value)
        if isinstance(joined, Clash) and not function.entry:
            self.takes_as_it_was(function, parameter)
            joined = NOTHING
        if joined != before:
            function.params[parameter] = joined
            self.waiting[function.key] = None

    def takes_as_it_was(self, function: Function, parameter: str) -> None:
        """Have whoever calls a function hand it a parameter as it was."""
        function.plain.add(parameter)
        self.waiting |= {caller.key: None for caller, _ in function.calls if caller is not None}

    # --- what things are ---

    def raw_query(self, kind: str) -> bool:
        """Tell whether the target hands over the query as it came."""
        return any(row.field == "query.raw" and not row.derived for row in self.target.kinds[kind].event.rows)

    def made(self, value: Value) -> Value:
        """Return what a place is once it was made as it was: an ordinary value, of the type of its row."""
        if isinstance(value, Spot):
            row = self.shape(value).row(value.role, value.steps)
            if row is not None:
                known = "" if row.null_if_empty else self._gives(value, row)
                kind = {"text": "str", "texts": "dict", "bytes": "bytes", "number": "int"}.get(known, "")
                return Of(kind, made=kind not in FIXED and not self.is_the_same_there(value))
            return MADE
        return NOTHING

    def changes_in_place(self, function: Function | None, base: Value, node: ast.AST) -> bool:
        """Note what a function changes in place, if it is one object here and there; tell whether it is."""
        same = isinstance(base, Spot) and self.is_the_same_there(base)
        if same and function is not None:
            self.in_place.setdefault(function.key, {})[id(node)] = node
        return same

    def _gives(self, value: Spot, row: Row) -> str:
        """Return what kind of value a row reads, as the hub calls it; empty where that is not known."""
        if row.lens.plain:
            return str(self.shape(value).shape.fields[row.field].holds)
        if row.lens.words and all(isinstance(word, str) for word in row.lens.words):
            return "text"
        if row.lens.unit:
            return "text" if row.lens.in_text else "number"
        return row.lens.gives

    def is_the_same_there(self, spot: Spot) -> bool:
        """Tell whether what stands at a place is one object, which the target keeps at a place of its own as it is.

        A record's image, or what a signal tells: each read gives the same, and so what a handler changes in it is
        changed for whoever reads it, there as here.
        """
        row = self.shape(spot).row(spot.role, spot.steps)
        if row is None or not spot.kind or not _is_one_object(row):
            return False
        known = self._the_same.get((spot.kind, row.field))
        if known is None:
            theirs = self.target.kinds.get(spot.kind)
            found = [one for one in theirs.event.rows if one.field == row.field] if theirs is not None else []
            known = len(found) == 1 and _is_one_object(found[0])
            self._the_same[spot.kind, row.field] = known
        return known

    def keep_attribute(self, cls: Key, name: str, value: Value) -> None:
        """Note what an attribute of a class's objects holds."""
        before = self.kept.held(cls, name)
        new = self.kept.keep(cls, name, value)
        if self.kept.held(cls, name) != value:
            self.out_of_sight(before, value)
        if new:
            family = self.family(cls)
            self.waiting |= {k: None for k, f in self.functions.items() if f.cls in family}
            self.waiting |= self.ask_objects.get(name, {})

    def is_made_otherwise(self, cls: Key) -> bool:
        """Tell whether a class may be another than stands there: its metaclass or a decorator is the author's own."""
        if self.of_a_metaclass(cls):
            return True
        decorated = [(self.modules[one[0]], d) for one in self.family(cls) for d in self.classes[one].decorator_list]
        return not all(
            self.is_the_providers(module, one, _CLASS_DECORATORS) or gives_it_back(self, module, one)
            for module, one in decorated
        )

    def asked_anywhere(self, name: str, *, stored: bool = False) -> None:
        """Note that an attribute is asked of something of which we don't know what it is, or given a value there."""
        if self.kept.asked(name, stored=stored):
            self.waiting |= dict.fromkeys(self.followed)

    def refer(self, value: Value) -> None:
        """Note that whoever calls a function, a class or what is in a module can't be seen any more."""
        if isinstance(value, (Func, Table, OneOf)):
            for key in (value.key,) if isinstance(value, Func) else value.keys:
                self.functions[key].is_value()
        elif isinstance(value, Class):
            above = self.above(value.key)
            for function in self.functions.values():
                if function.cls in above:
                    function.is_value()
        elif isinstance(value, Own) and value.file not in self._referred:
            self._referred.add(value.file)
            folder = value.file.removesuffix("__init__.py")
            inside = tuple([folder] * folder.endswith("/"))
            for function in self.functions.values():
                if function.module.file == value.file or function.module.file.startswith(inside):
                    function.is_value()

    def may_be_handed(self, function: Function) -> bool:
        """Tell whether somebody whom we don't see may hand a function something of the event's."""
        names = {function.node.name, *([""] if function.a_value else ())}
        if function.cls is not None and function.node.name.startswith("__"):  # called by a sign
            names = set(self.unseen)
        with_it = self.loads.get(function.module.file, set())
        return any(with_it & self.loads.get(file, set()) for name in names for file in self.unseen.get(name, ()))

    def is_whole_in(self, file: str) -> bool:
        """Tell whether every handler with which a file is loaded has its event made whole, at its first line."""
        names = {name for key in self.loads.get(file, ()) for name in self.functions[key].entry}
        return bool(names) and names <= self.whole

    def refer_all(self) -> None:
        """Note that any function of the project may be called by who can't be seen."""
        for file in self.modules:
            self.refer(Own(file))

    def looked_into(self, values: Iterable[Value]) -> None:
        """Note that objects are looked into as a whole, by somebody whom we don't see."""
        for value in values:
            if isinstance(value, Instance) and self.kept.opened(value.key):
                self.waiting |= dict.fromkeys(self.followed)

    def out_of_sight(self, *values: Value | None) -> None:
        """Note that an object goes to where nobody sees what is done with it.

        One of a data class shows what it keeps, and is compared by it: the event must be what it was there.
        """
        for value in values:
            if isinstance(value, Instance) and is_data_class(self, value.key):
                self.looked_into([value])

    def attribute(self, base: Std | Own, name: str) -> Value:
        """Return what an attribute of something outside the project is."""
        if isinstance(base, Own):
            return self.in_module(base.file, name)
        return self.service(Std(f"{base.name}.{name}"))

    def service(self, value: Value) -> Value:
        """Return a client's call where a name stands for one."""
        if isinstance(value, Std) and value.name in self.clients:
            return Service(self.clients[value.name])
        return value

    def read_once(self, spot: Spot) -> bool:
        """Tell whether a place is read by a call that costs: what it gives is kept in a name."""
        return bool(spot.steps) and isinstance(spot.steps[-1], Call) and not spot.steps[-1].parameters

    def patched(self, base: Std | Class, target: ast.Attribute) -> None:
        """Refuse code that changes classes or modules of the provider."""
        if isinstance(base, Std) and base.name.partition(".")[0] in self.theirs:
            raise Stop("provider-changed", target)

    def patched_by_call(self, node: ast.Call, module: Module) -> None:
        """Refuse the same by `setattr`."""
        if self.standard_name(module, node.args[0]).partition(".")[0] in self.theirs:
            raise Stop("provider-changed", node)

    def spot_is_inner(self, spot: Spot) -> bool:
        """Tell whether a place is the event, the context or an entry, or on the way to more."""
        shape = self.shape(spot)
        return shape.row(spot.role, spot.steps) is None and not shape.is_method(spot.role, spot.steps)

    def may_be_kept(self, spot: Spot, *, for_all_calls: bool) -> bool:
        """Tell whether an object may keep a place, under a name that is that place wherever it is read.

        What sets up an object for all calls may keep methods of their context: each call has its own.
        """
        method = self.shape(spot).is_method(spot.role, spot.steps)
        return self.spot_is_inner(spot) or (for_all_calls and spot.role == "context" and method)

    def shape(self, spot: Spot) -> ShapeMap:
        """Return the map of the shape that a place is in."""
        return self.maps[spot.kind] if spot.kind else next(iter(self.maps.values()))


def _is_one_object(row: Row) -> bool:
    """Tell whether what a row reads is the object that stands at its place, and nothing made of it."""
    reached = all(isinstance(step, (Item, Attr)) for step in row.at.steps)
    varies = row.derived or row.optional or row.unless_empty or row.null_if_empty or row.flag or row.offer
    return row.lens.plain and reached and not varies


def _joined(one: Value, other: Value) -> Value:
    if one == other or isinstance(one, Clash):
        return one
    if isinstance(one, Of) and isinstance(other, Of):
        data = one.built_in and other.built_in
        return Of("", one.made or other.made, one.holds or other.holds, data)
    if isinstance(one, OneOf | Table | Rest) or isinstance(other, OneOf | Table | Rest):
        return _one_of_both(one, other)
    held = isinstance(one, Foreign) or isinstance(other, Foreign)
    return Clash(frozenset(), held=held) if held else NOTHING


def _are_alike(one: Table, other: Table) -> bool:
    return (one.width, one.bound, one.lists) == (other.width, other.bound, other.lists)


def _one_of_both(one: Value, other: Value) -> Value:
    """Return what a parameter is that gets functions by one caller, and something, or other functions, by another."""
    if isinstance(one, Of):
        one, other = other, one
    if isinstance(one, OneOf) and other == Of("NoneType"):
        return one
    if isinstance(one, OneOf) and isinstance(other, OneOf) and one.bound == other.bound:
        return replace(one, keys=tuple(dict.fromkeys((*one.keys, *other.keys))))
    if isinstance(one, Table) and isinstance(other, Table) and _are_alike(one, other):
        if one.columns or other.columns:
            width = one.width
            columns = tuple(tuple(dict.fromkeys((*one.at(at), *other.at(at)))) for at in range(width))
            alike = all(bool(one.at(at)) == bool(other.at(at)) for at in range(width))
            keys = tuple(dict.fromkeys((*one.keys, *other.keys)))
            return replace(one, keys=keys, columns=columns) if alike else Clash(frozenset())
        if one.column == other.column:
            return replace(one, keys=tuple(dict.fromkeys((*one.keys, *other.keys))))
    return Clash(frozenset())
