"""Small functions that look something up by its name, or give a part of what their object holds: their recognition.

What is recognised does nothing else: it goes through pairs for the first whose name it is, returns one expression in
which a parameter is only a name that is looked up, or puts pairs into a mapping; or, as a property, it gives a part of
what its object holds. `lookups_out` writes out where they are asked.
"""

from __future__ import annotations

import ast
import builtins
from collections.abc import Iterable
from dataclasses import dataclass, replace

from vast_ferry.translate.python.nodes import binds, lower_of, walk
from vast_ferry.translate.python.source import PythonText

#: A function that returns one expression is a small one up to so many nodes of it.
_MOST_NODES = 40
#: What an expression must not hold that stands in another function than its own, in another text.
_ODD = (ast.Lambda, ast.NamedExpr, ast.Await, ast.Yield, ast.YieldFrom, ast.JoinedStr)


@dataclass(frozen=True, slots=True)
class Small:
    """A function that looks a name up: the parameter that is the name, and the parts of what its calls become."""

    text: PythonText  # in which it stands
    node: ast.FunctionDef
    named: str  # empty of what looks up none
    parts: tuple[str | ast.expr, ...]  # text, and expressions of the function's own
    inside: frozenset[str]  # names that these bind
    operand: bool  # whether they need no parentheses, wherever they stand
    free: frozenset[str] = frozenset()  # built-in functions that they use
    cls: str = ""  # of a method, its class
    called: bool = True  # a property is not

    @property
    def own(self) -> str:
        """Return a method's own name for its object."""
        return self.node.args.args[0].arg if self.cls else ""

    @property
    def parameters(self) -> list[str]:
        """Return the names of what its calls hand over."""
        return [one.arg for one in self.node.args.args[bool(self.cls) :]]

    def argument(self, call: ast.Call, name: str) -> ast.expr | None:
        """Return what a call gives a parameter; nothing where it leaves it to its default."""
        by_name = {one.arg: one.value for one in call.keywords}
        by_place = dict(zip(self.parameters, call.args, strict=False))
        return by_place.get(name) or by_name.get(name)

    def default(self, name: str) -> ast.expr | None:
        """Return what a parameter is where nothing is given: an expression in this function's own text."""
        return dict(zip(reversed(self.parameters), reversed(self.node.args.defaults), strict=False)).get(name)

    def asks(self, attribute: str) -> bool:
        """Tell whether what stands in its place asks for an attribute of a name."""
        return any(
            isinstance(node, ast.Attribute) and node.attr == attribute
            for one in self.parts
            for node in (walk(one) if isinstance(one, ast.expr) else ())
        )


def small_in(text: PythonText, tree: ast.Module) -> list[Small]:
    """Return the small functions at the top of a module, and in its classes."""
    nodes = [node for node in tree.body if isinstance(node, ast.FunctionDef)]
    found = [one for node in nodes if bound_once(tree, node.name) and (one := _small(text, node))]
    # One that asks another stands as it is: its text would be edited twice.
    known = {one.node.name for one in found}
    found = [one for one in found if known.isdisjoint(names_in(one.node.body))]
    for cls in (one for one in tree.body if isinstance(one, ast.ClassDef)):
        for node in cls.body:
            alone = isinstance(node, ast.FunctionDef) and sum(binds(one, node.name) for one in cls.body) == 1
            if isinstance(node, ast.FunctionDef) and alone and (one := _small(text, node, cls.name)):
                found.append(one)
    return found


def _small(text: PythonText, node: ast.FunctionDef, cls: str = "") -> Small | None:
    """Return what a function looks up, if it is one that does nothing else."""
    arguments = node.args
    odd = arguments.posonlyargs or arguments.kwonlyargs or arguments.vararg or arguments.kwarg
    plain = all(isinstance(one, ast.Constant) for one in arguments.defaults)
    if odd or not plain or (cls and not arguments.args):
        return None
    told = isinstance(node.body[0], ast.Expr) and isinstance(node.body[0].value, ast.Constant)
    body = node.body[1:] if told else node.body
    if node.decorator_list:
        return _part_of_itself(text, node, body, cls) if cls else None
    found = _going_through(text, node, body) or _returning(text, node, body) or _mapping(text, node, body)
    if found is None or (cls and found.named == arguments.args[0].arg):
        return None
    free = names_in(part for part in found.parts if isinstance(part, ast.expr)) - found.inside
    free -= {one.arg for one in arguments.args}
    return replace(found, free=free, cls=cls) if all(hasattr(builtins, one) for one in free) else None


def _part_of_itself(text: PythonText, node: ast.FunctionDef, body: list[ast.stmt], cls: str) -> Small | None:
    """Recognise a property that gives a part of what its object holds: `return self.event["call"]`."""
    given = body[0] if len(body) == 1 else None
    made = given.value if isinstance(given, ast.Return) else None
    plain = len(node.decorator_list) == 1 and ast.unparse(node.decorator_list[0]) == "property"
    if made is None or not plain or not is_plain(made) or isinstance(made, (ast.Name, ast.Constant)):
        return None
    rooted = names_in([made]) == {node.args.args[0].arg} and len(node.args.args) == 1
    made_of = Small(text, node, "", (made,), frozenset(), operand=True, cls=cls, called=False)
    return made_of if rooted else None


def _mapping(text: PythonText, node: ast.FunctionDef, body: list[ast.stmt]) -> Small | None:
    """Recognise pairs that are put into a mapping: `return {name.lower(): value for name, value in visit["lines"]}`."""
    given = body[0] if len(body) == 1 else None
    made = given.value if isinstance(given, ast.Return) else None
    if isinstance(made, ast.Call):
        plain = isinstance(made.func, ast.Name) and made.func.id == "dict" and len(made.args) == 1 and not made.keywords
        over = made.args[0] if plain else None
    else:
        alone = isinstance(made, ast.DictComp) and len(made.generators) == 1
        over = made.generators[0].iter if alone else None  # type: ignore[union-attr]
    if over is None or made is None or not is_plain(over) or any(isinstance(n, _ODD) for n in walk(made)):
        return None
    bound = frozenset(n.id for n in walk(made) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load))
    return Small(text, node, "", (made,), bound, operand=isinstance(made, ast.Call))


def _going_through(text: PythonText, node: ast.FunctionDef, body: list[ast.stmt]) -> Small | None:
    """Recognise a loop over pairs that returns the value of the first that has the name."""
    loop = body[0] if body else None
    if len(body) > 2 or not isinstance(loop, ast.For) or loop.orelse or len(loop.body) != 1:
        return None
    test, pair = loop.body[0], loop.target
    if not isinstance(test, ast.If) or test.orelse or len(test.body) != 1 or not isinstance(pair, ast.Tuple):
        return None
    given, last = test.body[0], body[1] if len(body) == 2 else ast.Return(None)
    key, value = pair.elts if len(pair.elts) == 2 else (None, None)
    both = isinstance(key, ast.Name) and isinstance(value, ast.Name)
    if not both or not isinstance(given, ast.Return) or not isinstance(last, ast.Return):
        return None
    named = _compared_with(node, test.test, key.id)  # type: ignore[union-attr]
    if not named or not isinstance(given.value, ast.Name) or given.value.id != value.id:  # type: ignore[union-attr]
        return None
    parts = ("next((", value, " for ", key, ", ", value, " in ", loop.iter, " if ", test.test, "), ")
    otherwise = last.value if last.value is not None else "None"
    return Small(text, node, named, (*parts, otherwise, ")"), names_in([pair]), operand=True)  # type: ignore[arg-type]


def _compared_with(node: ast.FunctionDef, test: ast.expr, key: str) -> str:
    """Return the parameter with which the name of a pair is compared, one of them perhaps in lower case."""
    if not isinstance(test, ast.Compare) or len(test.ops) != 1 or not isinstance(test.ops[0], ast.Eq):
        return ""
    sides = [lower_of(one) or one for one in (test.left, test.comparators[0])]
    names = [one.id if isinstance(one, ast.Name) else "" for one in sides]
    other = names[1] if names[0] == key else names[0] if names[1] == key else ""
    return other if any(one.arg == other for one in node.args.args) else ""


def _returning(text: PythonText, node: ast.FunctionDef, body: list[ast.stmt]) -> Small | None:
    """Recognise one expression in which a parameter is a name that is looked up, and nothing else."""
    given = body[0] if len(body) == 1 else None
    made = given.value if isinstance(given, ast.Return) else None
    if made is None or len(walk(made)) > _MOST_NODES:
        return None
    for one in node.args.args:
        uses = [use for use in walk(made) if isinstance(use, ast.Name) and use.id == one.arg]
        asked = _asked_for(made)
        if uses and all(id(use) in asked for use in uses):
            bound = frozenset(n.id for n in walk(made) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load))
            odd = any(isinstance(n, _ODD) for n in walk(made))
            operand = isinstance(made, (ast.Call, ast.Subscript, ast.Attribute))
            return None if odd else Small(text, node, one.arg, (made,), bound, operand)
    return None


def _asked_for(made: ast.expr) -> set[int]:
    """Return the nodes that are looked up: in `x.get(name)`, `x[name]`, `key == name`; of `name.lower()`, the name."""
    found: set[int] = set()
    for node in walk(made):
        asked: list[ast.expr] = []
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "get":
            asked = node.args[:1]
        elif isinstance(node, ast.Subscript):
            asked = [node.slice]
        elif isinstance(node, ast.Compare) and len(node.ops) == 1 and isinstance(node.ops[0], ast.Eq):
            asked = [node.left, node.comparators[0]]
        found.update(id(lower_of(one) or one) for one in asked)
    return found


def is_plain(node: ast.expr) -> bool:
    """Tell whether an expression may be read where another stands: names, constants, attributes and items of these."""
    if isinstance(node, ast.Attribute):
        return is_plain(node.value)
    if isinstance(node, ast.Subscript):
        return is_plain(node.value) and isinstance(node.slice, ast.Constant)
    return isinstance(node, (ast.Name, ast.Constant))


def names_in(nodes: Iterable[ast.AST]) -> frozenset[str]:
    """Return all names in some nodes."""
    return frozenset(one.id for node in nodes for one in walk(node) if isinstance(one, ast.Name))


def is_bound(tree: ast.Module, name: str) -> bool:
    """Tell whether a module gives a name a meaning of its own anywhere."""
    return any(binds(node, name) for node in walk(tree))


def bound_once(tree: ast.Module, name: str) -> bool:
    """Tell whether a module gives a name one meaning, and no other."""
    return sum(binds(node, name) for node in walk(tree)) == 1
