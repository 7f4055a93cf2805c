"""Expressions as operations: what is read, called, chosen and put together, in no language's text.

Lenses, rules and shapes say what they do in these; a backend (`mapping.python`) writes them. An expression is a value:
equal ones are one node of the graph, so a backend can name what is used more than once.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from typing import Any


@dataclass(frozen=True, slots=True, kw_only=True)
class Expression:
    """Something that gives a value; `name` is what a variable for it would be called."""

    name: str = ""
    _hash: int = field(default=0, init=False, repr=False, compare=False)

    @property
    def parts(self) -> tuple[Expression, ...]:
        """Return the expressions that it is made of, in the order in which they are evaluated."""
        return ()

    def called(self, name: str) -> Expression:
        """Return the same, with a name for its variable."""
        return self if self.name == name else replace(self, name=name)


@dataclass(frozen=True, slots=True)
class Variable(Expression):
    """A name of the program."""

    identifier: str


@dataclass(frozen=True, slots=True)
class Parameter(Expression):
    """What a handler is handed under a provider's name for it, whatever a function calls it."""

    identifier: str


@dataclass(frozen=True, slots=True)
class Given(Expression):
    """Source that somebody wrote: an author's own expression, or a field's default. `operand` may stand anywhere."""

    text: str
    operand: bool = True


@dataclass(frozen=True, slots=True, eq=False)
class Literal(Expression):
    """A value: text, bytes, a number, a truth value, nothing, or a collection of these."""

    value: Any

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Literal) and (repr(self.value), self.name) == (repr(other.value), other.name)

    def __hash__(self) -> int:
        return hash(repr(self.value))


@dataclass(frozen=True, slots=True)
class Item(Expression):
    """What stands under a key; with `default`, that where nothing does."""

    base: Expression
    key: Expression
    default: Expression | None = None

    @property
    def parts(self) -> tuple[Expression, ...]:
        return (self.base, self.key) if self.default is None else (self.base, self.key, self.default)


@dataclass(frozen=True, slots=True)
class Attribute(Expression):
    """What an attribute holds; with `default`, that where there is no such attribute."""

    base: Expression
    attribute: str
    default: Expression | None = None

    @property
    def parts(self) -> tuple[Expression, ...]:
        return (self.base,) if self.default is None else (self.base, self.default)


@dataclass(frozen=True, slots=True)
class TextMethod(Expression):
    """A method that every text has, by its name in Python: each language calls it as it does there."""

    base: Expression
    name_there: str

    @property
    def parts(self) -> tuple[Expression, ...]:
        return (self.base,)


@dataclass(frozen=True, slots=True)
class Call(Expression):
    """A call; `lines` sets the arguments out one a line."""

    function: Expression
    arguments: tuple[Expression, ...] = ()
    keywords: tuple[tuple[str, Expression], ...] = ()
    lines: bool = False

    @property
    def parts(self) -> tuple[Expression, ...]:
        return (self.function, *self.arguments, *(value for _, value in self.keywords))


@dataclass(frozen=True, slots=True)
class Helper(Expression):
    """One of `mapping.helpers`, as a function."""

    function: str


@dataclass(frozen=True, slots=True)
class Standard(Expression):
    """Something of the standard library: of a module, imported alone, or with its `whole` module."""

    module: str
    member: str
    whole: bool = False


@dataclass(frozen=True, slots=True)
class Beside(Expression):
    """A small function that stands in the file that uses it (`helpers.beside`)."""

    function: str


@dataclass(frozen=True, slots=True)
class Await(Expression):
    """What an awaitable gives."""

    base: Expression

    @property
    def parts(self) -> tuple[Expression, ...]:
        return (self.base,)


@dataclass(frozen=True, slots=True)
class Operation(Expression):
    """Operands with an operator between them: arithmetic, comparison, membership, identity, `and` and `or`."""

    operator: str
    operands: tuple[Expression, ...]

    @property
    def parts(self) -> tuple[Expression, ...]:
        return self.operands


@dataclass(frozen=True, slots=True)
class Not(Expression):
    """The opposite of a truth."""

    base: Expression

    @property
    def parts(self) -> tuple[Expression, ...]:
        return (self.base,)


@dataclass(frozen=True, slots=True)
class Choice(Expression):
    """One of two, by a test."""

    test: Expression
    then: Expression
    otherwise: Expression

    @property
    def parts(self) -> tuple[Expression, ...]:
        return (self.then, self.test, self.otherwise)


@dataclass(frozen=True, slots=True)
class Entry:
    """An entry of a mapping: a key with a value, or (without a key) another mapping's entries.

    It is left out `unless` the value is not empty (`empty`), or is not nothing (`nothing`); or where the `test` fails.
    """

    key: Expression | None
    value: Expression
    unless: str = ""
    test: Expression | None = None


@dataclass(frozen=True, slots=True)
class Mapping(Expression):
    """A mapping that is put together; `lines` sets it out an entry a line."""

    entries: tuple[Entry, ...]
    lines: bool = False

    @property
    def parts(self) -> tuple[Expression, ...]:
        return tuple(
            part
            for one in self.entries
            for part in ((one.value,) if one.key is None else (one.key, one.value, *((one.test,) if one.test else ())))
        )


@dataclass(frozen=True, slots=True)
class Sequence(Expression):
    """A list, or a `fixed` sequence of a known length."""

    items: tuple[Expression, ...]
    fixed: bool = False

    @property
    def parts(self) -> tuple[Expression, ...]:
        return self.items


@dataclass(frozen=True, slots=True)
class Each(Expression):
    """For each of what `over` gives, under `names`, where `test` holds: `item`, in a `list`, one by one, or by `key`.

    `inner` goes through what each one holds in turn, as names and what they are of.
    """

    item: Expression
    names: tuple[str, ...]
    over: Expression
    test: Expression | None = None
    key: Expression | None = None
    listed: bool = True
    inner: tuple[tuple[str, ...], Expression] | None = None

    @property
    def parts(self) -> tuple[Expression, ...]:
        # What depends on the names can't be evaluated outside, so it is no part of its own.
        return (self.over,)

    @property
    def bound(self) -> tuple[Expression, ...]:
        """Return what is evaluated for each one."""
        return tuple(part for part in (self.item, self.test, self.key, self.inner and self.inner[1]) if part)


@dataclass(frozen=True, slots=True)
class Function(Expression):
    """A function without a name: `parameters` as they would stand in a definition."""

    parameters: str
    body: Expression

    @property
    def parts(self) -> tuple[Expression, ...]:
        return self.body.parts  # what it is made of is evaluated once, outside


def _kept_hash(self: Expression) -> int:
    """Return a hash that is worked out once: an expression is looked up as often as it is a part of others."""
    if not self._hash:
        values = (getattr(self, name) for name in self.__dataclass_fields__ if name != "_hash")
        object.__setattr__(self, "_hash", hash((self.__class__, *values)))
    return self._hash


for _kind in Expression.__subclasses__():
    if _kind.__name__ != "Literal":  # which has its own
        setattr(_kind, "__hash__", _kept_hash)  # noqa: B010  (each class was given one that walks its parts)


#: What costs nothing to write again, so that it never gets a variable.
PLAIN = (Variable, Parameter, Given, Literal, Helper, Standard, Beside)


def helper(function: str, *arguments: Expression, name: str = "") -> Expression:
    """Return a call of one of `mapping.helpers`."""
    return Call(Helper(function), arguments, name=name)


def method(base: Expression, name: str, *arguments: Expression, **keywords: Expression) -> Call:
    """Return a call of a method."""
    return Call(Attribute(base, name), arguments, tuple(keywords.items()))


def text_method(base: Expression, name: str, *arguments: Expression) -> Call:
    """Return a call of a method that every text has: upper, lower, removeprefix, removesuffix."""
    return Call(TextMethod(base, name), arguments)


def standard(path: str, *arguments: Expression, whole: bool = False, **keywords: Expression) -> Call:
    """Return a call of a function of the standard library, named in full."""
    module, _, member = path.rpartition(".")
    return Call(Standard(module, member, whole), arguments, tuple(keywords.items()))


def built_in(function: str, *arguments: Expression) -> Call:
    """Return a call of what the language has by itself."""
    return Call(Variable(function), arguments)


def either(value: Expression, other: Expression) -> Operation:
    """Return a value, or another where it is empty or nothing."""
    return Operation("or", (value, other))


def contains(key: Expression, base: Expression) -> Operation:
    """Return whether a key is in something."""
    return Operation("in", (key, base))


def first(base: Expression) -> Item:
    """Return the first of a sequence."""
    return Item(base, Literal(0))


def walk(root: Expression) -> Iterator[Expression]:
    """Yield an expression and all that it is made of, each as often as it stands there."""
    yield root
    if isinstance(root, Each):
        for part in root.bound:
            yield from walk(part)
    for part in (root.function, *root.parts[1:]) if isinstance(root, Call) else root.parts:
        yield from walk(part)


@functools.lru_cache(1000)
def parameters_of(root: Expression) -> frozenset[str]:
    """Return the parameters that an expression is made of."""
    return frozenset(part.identifier for part in walk(root) if isinstance(part, Parameter))


def with_parameters(root: Expression, found: dict[str, Expression]) -> Expression:
    """Return an expression with others in the place of what a handler is handed."""
    return substituted(root, {Parameter(name): other for name, other in found.items()})


def substituted(root: Expression, others: dict[Expression, Expression]) -> Expression:
    """Return an expression with others in the place of some that it is made of."""
    return _substituted(root, others) if others else root


def _substituted(root: Expression, others: dict[Expression, Expression]) -> Expression:
    if root in others:
        return others[root]
    changed: dict[str, Any] = {}
    for name in root.__dataclass_fields__:
        value = getattr(root, name)
        made = _substituted_in(value, others)
        if made is not value:
            changed[name] = made
    return replace(root, **changed) if changed else root


def _substituted_in(value: Any, others: dict[Expression, Expression]) -> Any:
    if isinstance(value, Expression):
        return _substituted(value, others)
    if isinstance(value, Entry):
        key = _substituted(value.key, others) if value.key is not None else None
        test = _substituted(value.test, others) if value.test is not None else None
        inner = _substituted(value.value, others)
        same = (key, inner, test) == (value.key, value.value, value.test)
        return value if same else replace(value, key=key, value=inner, test=test)
    if isinstance(value, tuple):
        made = tuple(_substituted_in(one, others) for one in value)
        return value if all(one is other for one, other in zip(made, value, strict=True)) else made
    return value


#: Something that makes one expression of another.
Build = Callable[[Expression], Expression]
