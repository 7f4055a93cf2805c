"""A loop over a batch where the target hands over one event at a time: can it go, and the list of what comes again?"""

from __future__ import annotations

import ast
from collections.abc import Iterator, Mapping, Set
from dataclasses import dataclass, field

from vast_ferry.translate.places import Spot
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.values import Batch, Value

_LOOPS = (ast.For, ast.AsyncFor, ast.comprehension)


@dataclass(slots=True)
class Unrolled:
    """The loop of a handler over its batch, and the names of those that shall come again, if it keeps any.

    `flat` where the loop's body can stand in its place; `appends` are the statements that name an event, each with
    whether it handles an error; `drops` are statements that only serve the list.
    """

    loop: ast.For
    flat: bool
    again: str = ""
    appends: dict[int, bool] = field(default_factory=dict)
    drops: list[ast.stmt] = field(default_factory=list)
    after: list[ast.stmt] = field(default_factory=list)


def only_goes_through(node: ast.AST, parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether a batch is only gone through under a name, counted, or asked whether there is anything in it."""
    parent = parents.get(id(node))
    if isinstance(parent, ast.Call) and isinstance(parent.func, ast.Name):
        if parent.func.id in ("len", "bool"):
            return True
        over = parents.get(id(parent))
        return parent.func.id == "enumerate" and isinstance(over, _LOOPS) and isinstance(over.target, ast.Tuple)
    if isinstance(parent, _LOOPS):
        return parent.iter is node and isinstance(parent.target, ast.Name)
    if isinstance(parent, (ast.If, ast.While, ast.IfExp)):
        return parent.test is node
    return isinstance(parent, ast.UnaryOp) and isinstance(parent.op, ast.Not)


def unrolled(
    node: ast.FunctionDef | ast.AsyncFunctionDef, values: dict[int, Value], consumed: Set[int], again: str
) -> Unrolled | None:
    """Return how the loop of a handler over its batch is taken apart; nothing where it has none of its own.

    `again` is the key under which a reply names the events that shall come again; empty where there is none.
    `consumed` are the nodes that what stands around them takes in.
    """
    loops = [s for s in node.body if isinstance(s, ast.For) and isinstance(values.get(id(s.iter)), Batch)]
    others = [
        inner
        for inner in walk(node)
        if isinstance(values.get(id(inner)), Batch) and id(inner) not in consumed
        if inner is not (loops[0].iter if loops else None)
    ]
    if len(loops) != 1 or others or loops[0].orelse:
        return None
    loop, target = loops[0], loops[0].target
    if not isinstance(target, ast.Name):
        return None
    at = node.body.index(loop)
    before, after = node.body[:at], node.body[at + 1 :]
    made = Unrolled(loop, flat=False, after=after)
    returns = [s for s in after if isinstance(s, ast.Return)] or _asked_return(after)
    plain_end = all(isinstance(s, ast.Return) and _nothing(s.value) for s in after)
    name = next((found for s in returns if (found := _named(s.value, again))), "") if again else ""
    if name and len(after) == 1:
        inner = list(_appends(loop, name))
        kept = [s for s in before if _is_list(s, name)]
        reads = [n for n in walk(node) if isinstance(n, ast.Name) and n.id == name and isinstance(n.ctx, ast.Load)]
        in_return = [n for n in walk(after[0]) if isinstance(n, ast.Name) and n.id == name]
        tails = all(_ends_turn(loop, statement) for statement, _ in inner)
        if len(kept) == 1 and len(reads) == len(inner) + len(in_return) and tails and _ids(inner, values, loop):
            made.again = name
            made.appends = {id(statement): handles for statement, handles in inner}
            made.drops = [*kept, *after]
            plain_end = True
    breaks = any(isinstance(n, ast.Break) for n in _own(loop.body))
    turns = any(isinstance(n, ast.Continue) for n in _own(loop.body))
    read_later = {n.id for s in after for n in walk(s) if isinstance(n, ast.Name)}
    stored = {n.id for s in before for n in walk(s) if isinstance(n, ast.Name)}
    own = target.id
    free = own not in read_later and own not in stored
    # What a loop may end early, or goes on after, is not what a function may return from.
    made.flat = free and not breaks and (plain_end or not turns)
    return made


def _asked_return(after: list[ast.stmt]) -> list[ast.Return]:
    """Return the answer of a handler that ends with `if again: return …`, where it answers nothing else."""
    last = after[0] if len(after) == 1 else None
    if not isinstance(last, ast.If) or last.orelse or not isinstance(last.test, ast.Name):
        return []
    one = last.body[0] if len(last.body) == 1 else None
    return [one] if isinstance(one, ast.Return) else []


def _nothing(node: ast.expr | None) -> bool:
    return node is None or (isinstance(node, ast.Constant) and node.value is None)


def _named(node: ast.expr | None, again: str) -> str:
    """Return the list that a reply names in `{again: list}`, or in `{again: list} if list else None`."""
    if isinstance(node, ast.IfExp) and _nothing(node.orelse):
        return _named(node.body, again)
    if isinstance(node, ast.Dict) and len(node.keys) == 1:
        key, value = node.keys[0], node.values[0]
        if isinstance(key, ast.Constant) and key.value == again and isinstance(value, ast.Name):
            return value.id
    return ""


def _is_list(node: ast.stmt, name: str) -> bool:
    target: ast.expr | None = None
    if isinstance(node, ast.Assign) and len(node.targets) == 1:
        target, value = node.targets[0], node.value
    elif isinstance(node, ast.AnnAssign) and node.value is not None:
        target, value = node.target, node.value
    else:
        return False
    empty = isinstance(value, ast.List) and not value.elts
    return isinstance(target, ast.Name) and target.id == name and empty


def _appends(loop: ast.For, name: str) -> Iterator[tuple[ast.stmt, bool]]:
    """Yield the statements `name.append(…)` of a loop, each with whether it stands in the handling of an error."""

    def blocks(body: list[ast.stmt], handling: bool) -> Iterator[tuple[ast.stmt, bool]]:
        for statement in body:
            call = statement.value if isinstance(statement, ast.Expr) else None
            function = call.func if isinstance(call, ast.Call) else None
            if (
                isinstance(function, ast.Attribute)
                and function.attr == "append"
                and isinstance(function.value, ast.Name)
                and function.value.id == name
            ):
                yield statement, handling
            for part in ("body", "orelse", "finalbody"):
                yield from blocks(getattr(statement, part, []), handling)
            for handler in getattr(statement, "handlers", []):
                yield from blocks(handler.body, True)

    return blocks(loop.body, False)


def _ids(appends: list[tuple[ast.stmt, bool]], values: dict[int, Value], loop: ast.For) -> bool:
    """Tell whether what is appended are places of the events themselves."""
    for statement, _ in appends:
        assert isinstance(statement, ast.Expr)
        assert isinstance(statement.value, ast.Call)
        arguments = statement.value.args
        if len(arguments) != 1 or not isinstance(values.get(id(arguments[0])), Spot):
            return False
    return bool(appends)


def _ends_turn(loop: ast.For, statement: ast.stmt) -> bool:
    """Tell whether nothing but the next turn follows a statement."""

    def ends(body: list[ast.stmt], last: bool) -> bool | None:
        for index, inner in enumerate(body):
            rest = body[index + 1 :]
            at_end = last if not rest else isinstance(rest[0], ast.Continue)
            if inner is statement:
                return at_end
            for part in ("body", "orelse", "finalbody"):
                block = getattr(inner, part, None)
                if block:
                    loops = isinstance(inner, (ast.For, ast.While))
                    also = not (isinstance(inner, ast.Try) and (inner.finalbody or (part == "body" and inner.orelse)))
                    guarded = isinstance(inner, ast.Try) and part == "body"
                    found = ends(block, at_end and not loops and also and not guarded)
                    if found is not None:
                        return found
            for handler in getattr(inner, "handlers", []):
                found = ends(handler.body, at_end and not getattr(inner, "finalbody", None))
                if found is not None:
                    return found
        return None

    return bool(ends(loop.body, True))


def _own(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    """Yield the statements that belong to a loop, not to a loop or a function inside it."""
    for statement in body:
        yield statement
        if isinstance(
            statement, (ast.For, ast.AsyncFor, ast.While, ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)
        ):
            if isinstance(statement, (ast.For, ast.While)):
                yield from _own(statement.orelse)
            continue
        for part in ("body", "orelse", "finalbody"):
            yield from _own(getattr(statement, part, []))
        for handler in getattr(statement, "handlers", []):
            yield from _own(handler.body)
        for case in getattr(statement, "cases", []):
            yield from _own(case.body)


own_statements = _own
