"""The classes of a project: which inherit from which, and what objects of one may have under a name.

Which method a call on an object reaches depends on the class that the object is of, and that may be any that inherits
from the one that is seen. So all that define the method count, as Python looks them up (C3); and where something else
may stand under the name (an alias in a class's body, an attribute that is set from anywhere), nobody sees which it is.
"""

from __future__ import annotations

import ast
import builtins
from collections.abc import Collection, Iterable, Iterator, Set

from vast_ferry.translate.python.functions import DEFINITION, Function, Module
from vast_ferry.translate.values import Class, Key, Std, Value

#: Classes that give those which inherit from them no attribute that one would ask for.
_NO_ATTRIBUTES = frozenset(["abc.ABC", "typing.Protocol", "typing.Generic"])
#: In place of a file: a class that stands in none of the project's.
_OUTSIDE = ""


class Classes:
    """What is known of classes once all files are in; `named` is told by who knows what imports bring."""

    def __init__(self, theirs: Set[str]) -> None:
        self.theirs = theirs  # names of modules and parameters that are the provider's
        self.modules: dict[str, Module] = {}
        self.functions: dict[Key, Function] = {}
        self.classes: dict[Key, ast.ClassDef] = {}
        self.defined: dict[int, Function] = {}
        self._related: dict[Key, set[Key]] | None = None  # made once all files are linked
        self._alike: dict[str, list[Function]] | None = None
        self.closed: set[Key] = set()  # classes all of whose objects are seen, wherever they are (`registries.py`)
        self.asked_of: dict[int, set[Key]] = {}  # by attributes, of objects of which of these they may be asked
        self._above: dict[Key, list[Key]] = {}
        self._order: dict[Key, list[Key]] = {}  # the same, with those of outside where they stand among them
        self._otherwise: dict[str, set[Key | None]] | None = None
        self._reached: dict[tuple[Key, str], list[Function]] = {}
        self._over: dict[tuple[Key, str], list[Function | None]] = {}

    def named(self, module: Module, node: ast.expr) -> Value:
        """Return what a name, or a name in a module of the project, stands for."""
        raise NotImplementedError

    def of_a_metaclass(self, cls: Key) -> bool:
        """Tell whether what makes a class's objects is the author's own."""
        given = [k.value for one in self.family(cls) for k in self.classes[one].keywords if k.arg == "metaclass"]
        return any(getattr(one, "attr", getattr(one, "id", "")) not in ("ABCMeta", "EnumMeta") for one in given)

    def family(self, cls: Key) -> frozenset[Key]:
        """Return a class of the project with those that it inherits from and those that inherit from it, and theirs."""
        found, waiting = {cls}, [cls]
        while waiting:
            one = waiting.pop()
            for other in self._kin().get(one, ()):
                if other not in found:
                    found.add(other)
                    waiting.append(other)
        return frozenset(found)

    def _kin(self) -> dict[Key, set[Key]]:
        """Return which classes of the project are bases of which, both ways."""
        if self._related is None:
            self._related = {}
            for key, node in self.classes.items():
                for base in node.bases:
                    value = self.named(self.modules[key[0]], base)
                    if isinstance(value, Class):
                        self._related.setdefault(key, set()).add(value.key)
                        self._related.setdefault(value.key, set()).add(key)
        return self._related

    def method(self, cls: Key, name: str) -> Function | None:
        """Return a method of a class, its own or one that it has from a class of the project."""
        found = (self.functions.get((file, f"{own}.{name}")) for file, own in self.above(cls))
        return next((one for one in found if one is not None), None)

    def called_alike(self, name: str) -> list[Function]:
        """Return the methods of that name, of any class of which an object may be where nobody sees it."""
        if self._alike is None:
            self._alike = {}
            for function in self.functions.values():
                if function.cls is not None and function.cls not in self.closed:
                    self._alike.setdefault(function.node.name, []).append(function)
        return self._alike.get(name, [])

    def may_be_asked(self, node: ast.Attribute) -> list[Function]:
        """Return the methods that may be asked for, of something of which we don't know what it is."""
        seen = (
            self.functions.get((cls[0], f"{cls[1]}.{node.attr}")) for cls in sorted(self.asked_of.get(id(node), ()))
        )
        return [*self.called_alike(node.attr), *(one for one in seen if one is not None)]

    def methods(self, cls: Key, name: str) -> list[Function]:
        """Return the methods that a call on an object of a class, or of one that inherits from it, may reach.

        A method that only says that it must be overridden is none, where one overrides it and nobody makes an object
        that has it.
        """
        if (cls, name) not in self._reached:
            below = [one for one in self.classes if cls in self.above(one)] if self._kin().get(cls) else [cls]
            found = [(each, one) for each in below if (one := self.method(each, name)) is not None]
            plain = {one.key: one for each, one in found if not self._is_abstract(one) or self._may_be_made(each)}
            self._reached[cls, name] = [*(plain or {one.key: one for _, one in found}).values()]
        return self._reached[cls, name]

    def _may_be_made(self, cls: Key) -> bool:
        """Tell whether anybody may make an object of a class itself: it is named, and not to be inherited from."""
        for module in self.modules.values():
            own = [name for name, value in module.names.items() if value == Class(cls)]
            uses: list[ast.expr] = [use for name in own for use in module.nodes.uses(name)]
            uses += [one for one in module.nodes.each(ast.Attribute) if one.attr == cls[1]]
            for use in uses:
                above = module.nodes.parents.get(id(use))
                inherited = isinstance(above, ast.ClassDef) and any(use is base for base in above.bases)
                annotates = isinstance(above, (ast.arg, ast.AnnAssign)) and above.annotation is use
                if not inherited and not annotates and getattr(above, "returns", None) is not use:
                    return True
        return False

    def methods_above(self, cls: Key, name: str) -> list[Function | None]:
        """Return the methods that `super()` may reach in one of a class's; nothing for what is none of the project's.

        Which one that is depends on the class of the object: each that inherits has its own order.
        """
        if (cls, name) in self._over:
            return self._over[cls, name]
        found: dict[Key | None, Function | None] = {}
        for one in sorted(self.family(cls)):
            if cls in self.above(one):
                order = self._order[one][self._order[one].index(cls) + 1 :]
                own = ((key, self.functions.get((key[0], f"{key[1]}.{name}"))) for key in order)
                first = next((each for each in own if each[1] is not None or self._may_have(each[0], name)), None)
                method = first[1] if first is not None else None
                found[method.key if method is not None else None] = method
        self._over[cls, name] = [*found.values()]
        return self._over[cls, name]

    def _may_have(self, cls: Key, name: str) -> bool:
        """Tell whether a class may have something else than a method under a name."""
        if cls[0] == _OUTSIDE:
            return name in _attributes(cls[1], name)
        return name in _bound_in(self.classes[cls].body, all_of_it=True)

    def is_described(self, cls: Key, name: str) -> bool:
        """Tell whether a class has a property by that name, or what else may take what its objects are given."""
        for one in self.family(cls):
            for statement in self.classes[one].body:
                plain = isinstance(statement, (ast.Assign, ast.AnnAssign)) and (
                    statement.value is None or isinstance(statement.value, ast.Constant)
                )
                called = getattr(getattr(statement, "value", None), "func", None)
                field = self.standard_name(self.modules[one[0]], called) if called is not None else ""
                if not plain and field != "dataclasses.field" and name in _bound_in([statement], all_of_it=True):
                    return True
        return False

    def is_told_otherwise(self, cls: Key, name: str) -> bool:
        """Tell whether objects of a class may have something else under a method's name.

        An object, or a class, is given it from wherever; or a class of its family is given it in its body otherwise
        than by a definition.
        """
        if self._otherwise is None:
            self._otherwise = {}
            for module in self.modules.values():
                for node in module.nodes.each(ast.Attribute):
                    if not isinstance(node.ctx, ast.Load):
                        self._otherwise.setdefault(node.attr, set()).add(self._own_class(module, node))
            for key, node in self.classes.items():
                for told in _bound_in(node.body):
                    self._otherwise.setdefault(told, set()).add(key)
        by, family = self._otherwise.get(name, set()), self.family(cls)
        return None in by or not family.isdisjoint(by) or any(self.is_had_from_outside(one, name) for one in family)

    def is_had_from_outside(self, cls: Key, name: str) -> bool:
        """Tell whether a class may have something from outside the project that stands before a method of a class's."""
        self.above(cls)
        order = self._order[cls]
        first = next((at for at, (file, own) in enumerate(order) if (file, f"{own}.{name}") in self.functions), 0)
        return any(file == _OUTSIDE and name in _attributes(own, name) for file, own in order[:first])

    def methods_like(self, cls: Key, begins: str, ends: Set[str] | None = None) -> tuple[Key, ...]:
        """Return the methods that an object of a class may have under names that begin so; none where that is not all.

        With `ends`, one of these stands behind the beginning. It is not all where it may have something else under such
        a name: by another class, a decorator, or an assignment.
        """
        family = self.family(cls)
        plain = all(self._stands_alone(self.modules[one[0]], self.classes[one]) for one in family)

        def fits(name: str) -> bool:
            return name.startswith(begins) and (ends is None or name.removeprefix(begins) in ends)

        found = [one for one in self.functions.values() if one.cls in family and fits(one.node.name)]
        self.is_told_otherwise(cls, "")  # so that it is known who tells what
        for name, by in (self._otherwise or {}).items():
            plain = plain and not (fits(name) and (None in by or not family.isdisjoint(by)))
        asked = any(self.method(cls, name) is not None for name in ("__getattr__", "__getattribute__"))
        names = dict.fromkeys(one.node.name for one in found)
        methods = {one.key: one for name in names for one in self.methods(cls, name)}
        if not plain or asked or any(one.node.decorator_list for one in methods.values()):
            return ()
        return tuple(methods)

    def _stands_alone(self, module: Module, node: ast.ClassDef) -> bool:
        """Tell whether a class has its attributes of the project alone."""
        bases = (self.named(module, one) for one in node.bases)
        told = (self.standard_name(module, one) for one in node.bases)
        own = all(
            isinstance(base, Class) or name in _NO_ATTRIBUTES or getattr(one, "id", "") == "object"
            for base, name, one in zip(bases, told, node.bases, strict=True)
        )
        return own and not node.keywords and not node.decorator_list

    def _own_class(self, module: Module, node: ast.Attribute) -> Key | None:
        """Return the class whose method gives its own object an attribute; nothing where another is given it."""
        at: ast.AST | None = node
        while at is not None and not isinstance(at, DEFINITION):
            at = module.nodes.parents.get(id(at))
        function = self.defined.get(id(at)) if at is not None else None
        if function is None or function.cls is None or function.static or not function.node.args.args:
            return None
        own = isinstance(node.value, ast.Name) and node.value.id == function.node.args.args[0].arg
        return function.cls if own else None

    def _is_abstract(self, function: Function) -> bool:
        """Tell whether a method can't be called, or says by an error that it has to be overridden, and does no more."""
        for one in function.node.decorator_list:
            if self.standard_name(function.module, one) == "abc.abstractmethod":
                return True
        *others, last = function.node.body
        told = all(isinstance(one, ast.Expr) and isinstance(one.value, ast.Constant) for one in others)
        if not told or not isinstance(last, ast.Raise):
            return False
        call = last.exc if isinstance(last.exc, ast.Call) else None
        plain = call is None or all(isinstance(one, ast.Constant) for one in (*call.args, *call.keywords))
        raised = call.func if call is not None else last.exc
        return plain and isinstance(raised, ast.Name) and raised.id == "NotImplementedError"

    def above(self, cls: Key) -> list[Key]:
        """Return a class and those of the project that it inherits from, each once, as they are looked up.

        That is Python's own order (C3): a class before its bases, and bases in the order in which they are named.
        """
        if cls not in self._above:
            self._order[cls] = self._above[cls] = []  # a class that inherits from itself: the file can't be imported
            self._order[cls] = self._in_order(cls)
            self._above[cls] = [one for one in self._order[cls] if one[0] != _OUTSIDE]
        return self._above[cls]

    def has_outside(self, cls: Key) -> bool:
        """Tell whether a class has something from a class that stands in none of the project's files."""
        self.above(cls)
        return any(file == _OUTSIDE and own not in ("object", *_NO_ATTRIBUTES) for file, own in self._order[cls])

    def inherited(self, cls: Key) -> bool:
        """Tell whether another class of the project inherits from a class."""
        return any(one != cls and cls in self.above(one) for one in self.classes)

    def _in_order(self, cls: Key) -> list[Key]:
        if cls not in self.classes:
            return []
        bases = [self._base(self.modules[cls[0]], base) for base in self.classes[cls].bases]
        for base in bases:
            self.above(base)
        rows = [row for row in (*(list(self._order[base]) or [base] for base in bases), bases) if row]
        found = [cls]
        while rows:
            heads = (row[0] for row in rows if not any(row[0] in other[1:] for other in rows))
            one = next(heads, rows[0][0])  # there is none where Python refuses the class
            found.append(one)
            rows = [rest for rest in ([each for each in row if each != one] for row in rows) if rest]
        return list(dict.fromkeys(found))

    def _base(self, module: Module, node: ast.expr) -> Key:
        """Return a class that another inherits from: one of the project's, or the name of one that isn't."""
        if isinstance(value := self.named(module, node), Class) and value.key in self.classes:
            return value.key
        node = node.value if isinstance(node, ast.Subscript) else node
        built_in = isinstance(node, ast.Name) and node.id not in module.nodes.top_names
        return _OUTSIDE, self.standard_name(module, node) or f"{'' if built_in else '?'}{ast.unparse(node)}"

    def is_of_the_provider(self, cls: Key) -> bool:
        """Tell whether a class of the project inherits from one of the provider's, however far up."""
        for one in self.above(cls):
            for base in self.classes[one].bases:
                name = self.standard_name(self.modules[one[0]], base)
                if name and name.partition(".")[0] in self.theirs:
                    return True
        return False

    def standard_name(self, module: Module, node: ast.expr) -> str:
        """Return the full name of something outside the project that an expression names, or an empty text."""
        parts: list[str] = []
        while isinstance(node, ast.Attribute):
            parts.append(node.attr)
            node = node.value
        there = module.names.get(node.id) if isinstance(node, ast.Name) else None
        return ".".join([there.name, *reversed(parts)]) if isinstance(there, Std) else ""


def _attributes(cls: str, asked: str) -> Collection[str]:
    """Return which attributes a class of outside the project has; of one that isn't known, whatever is asked for."""
    if cls in _NO_ATTRIBUTES:
        return ()
    known = getattr(builtins, cls, None)
    return dir(known) if isinstance(known, type) else (asked,)


def _bound_in(body: Iterable[ast.stmt], *, all_of_it: bool = False) -> Iterator[str]:
    """Yield the names that the body of a class binds, but for those that it defines methods by, each on its own.

    With `all_of_it`, these too.
    """
    for statement in body:
        if isinstance(statement, DEFINITION) and not all_of_it:
            continue
        inside: list[ast.AST] = [statement]
        while inside:
            one = inside.pop()
            if isinstance(one, (*DEFINITION, ast.ClassDef)):
                yield one.name
                continue
            if isinstance(one, ast.Name) and not isinstance(one.ctx, ast.Load):
                yield one.id
            elif isinstance(one, ast.alias):
                yield one.asname or one.name
            inside += ast.iter_child_nodes(one)
