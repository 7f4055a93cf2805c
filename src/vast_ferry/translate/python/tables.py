"""Tables of functions: mappings from words to functions of the project, of which one is called.

    METHODS = {"GET": show, "PUT": store}
    ...
    return METHODS[request.method](request)

Which of them is called is not known before; but that it is one of these is, as long as the table is only asked, and
what it gives is only called or tested. Then each of them gets what the call hands over, and all are written alike: the
parameters that one needs more, all get; where one waits, all do. A table that is handed on, changed, imported by
another module or gone through by its values is none to us, and its functions are called by who can't be seen. One may
stand there without a name: `"PUT": lambda request: store(request)`.

A table may begin empty and be filled by a decorator of the project's own, or by statements at the top of its module:

    ROUTES = {}                                 @on("GET")
    def on(method):                             def show(event, ctx): ...
        def register(function):
            ROUTES[method] = function
            return function
        return register

Then what is decorated stands in it, as long as the decorator is used in no other way. The same holds of lists of
functions, and of rows with functions in some columns, that are only gone through, and may grow by `append`:

    for method, pattern, function in ROUTES:
        if method == event["call"]["verb"] and (found := pattern.match(event["call"]["path"])):
            return function(event, **found.groupdict())

    for check in CHECKS:                            for name, check in CHECKS.items():
        check(order)                                    ...

And of lists of functions in a mapping, or in a column of rows, as long as these are only gone through as well:

    for action in ACTIONS.get(alert["level"], []):  for matches, actions in RULES:
        action(alert)                                   if matches(alert): ...
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace

from vast_ferry.translate.python.functions import Function, Module
from vast_ferry.translate.python.nodes import last_name
from vast_ferry.translate.values import Class, Func, Key, Table, Value

#: What takes a mapping for its words alone.
_TAKE_WORDS = frozenset(["len", "list", "sorted", "tuple", "set", "frozenset", "any", "all", "iter", "bool"])

#: What loops go through that may be a table, or a list that one gives for a word.
_GONE_THROUGH = (ast.Name, ast.Attribute, ast.List, ast.Tuple, ast.Subscript, ast.Call)

#: What may be a function in a table.
_FUNCTIONS = (ast.Name, ast.Attribute, ast.Lambda)


def shown(node: ast.expr | None, lookup: Callable[[ast.expr], Value]) -> Table | None:
    """Return the functions in a mapping that stands there in full; nothing where any of its values is something else.

    All of them are methods that have their object (`{"GET": notes.show}`), or none is.
    """
    if not isinstance(node, ast.Dict) or not node.values:
        return None
    listed = all(isinstance(one, (ast.List, ast.Tuple)) for one in node.values)
    values = _in_lists(node.values) if listed else node.values
    found = [lookup(value) if isinstance(value, _FUNCTIONS) else None for value in values]
    functions = [one for one in found if isinstance(one, Func)]
    words = all(isinstance(one, (ast.Constant, ast.Attribute, ast.Tuple)) for one in node.keys)
    alike = len({one.bound for one in functions}) == 1 and len(functions) == len(found)
    if not words or not alike:
        return None
    keys = tuple(dict.fromkeys(one.key for one in functions))
    return Table(keys, bound=functions[0].bound, lists=frozenset([0] if listed else []))


def _in_lists(nodes: Iterable[ast.expr]) -> list[ast.expr]:
    """Return what stands in some lists that stand there."""
    return [one for node in nodes for one in getattr(node, "elts", ())]


def shown_rows(node: ast.expr | None, lookup: Callable[[ast.expr], Value]) -> Table | None:
    """Return the functions in a list, or in rows, that stands there in full; nothing where it doesn't.

    In a column of functions, None may stand for there being none.
    """
    rows = node.elts if isinstance(node, (ast.List, ast.Tuple)) else []
    widths = {len(row.elts) if isinstance(row, (ast.Tuple, ast.List)) else 1 for row in rows}
    if len(widths) != 1 or widths <= {0}:
        return None
    width = widths.pop()
    parts = [row.elts if isinstance(row, (ast.Tuple, ast.List)) else [row] for row in rows]
    if (width == 1 and any(isinstance(row, (ast.Tuple, ast.List)) for row in rows)) or any(
        isinstance(one, ast.Starred) for row in parts for one in row
    ):
        return None
    in_columns = [[row[at] for row in parts] for at in range(width)]
    lists = {at for at, nodes in enumerate(in_columns) if all(isinstance(one, (ast.List, ast.Tuple)) for one in nodes)}
    columns = [_column(_in_lists(nodes) if at in lists else nodes, lookup) for at, nodes in enumerate(in_columns)]
    keys = tuple(dict.fromkeys(key for one in columns for key in one or ()))
    return (
        Table(keys, width=width, column=0, columns=tuple(one or () for one in columns), lists=frozenset(lists))
        if keys and None not in columns
        else None
    )


def _column(nodes: list[ast.expr], lookup: Callable[[ast.expr], Value]) -> tuple[Key, ...] | None:
    """Return the functions of a column, none where there are only other things; nothing where both stand in it."""
    told = [lookup(one) if isinstance(one, _FUNCTIONS) else None for one in nodes]
    found = [one.key for one in told if isinstance(one, Func) and not one.bound]
    if not any(isinstance(one, (Func, Class)) for one in told):
        return ()
    absent = sum(isinstance(one, ast.Constant) and one.value is None for one in nodes)
    return tuple(dict.fromkeys(found)) if len(found) + absent == len(nodes) else None


@dataclass(frozen=True, slots=True)
class Through:
    """How a loop goes through a table: the table, the names of the parts of a row, and what else it binds."""

    table: ast.expr
    parts: tuple[ast.Name, ...]
    others: tuple[ast.expr, ...] = ()
    mapping: bool = False


def through(node: ast.For | ast.AsyncFor | ast.comprehension) -> Through | None:
    """Return how a loop goes through what may be a table: itself, or what counts or turns it, or a mapping's items."""
    over, target, others = node.iter, node.target, list[ast.expr]()
    called = over.func if isinstance(over, ast.Call) and not over.keywords else None
    named = called.id if isinstance(called, ast.Name) else ""
    pair = target.elts if isinstance(target, ast.Tuple) and len(target.elts) == 2 else []
    mapping = isinstance(called, ast.Attribute) and called.attr in ("items", "values") and not over.args  # type: ignore[attr-defined]
    if mapping and isinstance(called, ast.Attribute):
        over = called.value
        if called.attr == "items":
            others, target = pair[:1], pair[1] if pair else node.iter
    elif named in ("enumerate", "reversed") and isinstance(over, ast.Call) and len(over.args) == 1:
        over = over.args[0]
        if named == "enumerate":
            others, target = pair[:1], pair[1] if pair else node.iter
    elif called is not None and not (isinstance(called, ast.Attribute) and called.attr == "get"):
        return None
    parts = target.elts if isinstance(target, ast.Tuple) and not mapping else [target]
    names = tuple(one for one in parts if isinstance(one, ast.Name))
    known = len(names) == len(parts) and isinstance(over, _GONE_THROUGH)
    return Through(over, names, tuple(others), mapping) if known else None


def only_gone_through(uses: Iterable[ast.Name], parents: Mapping[int, ast.AST], width: int) -> bool:
    """Tell whether rows of such a width are only gone through by loops that name each of their parts."""
    return all(goes_through(use, parents) == width for use in uses if isinstance(use.ctx, ast.Load))


def only_gone_through_or_tested(uses: Iterable[ast.Name], parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether a list of functions is only gone through, or asked whether anything is in it."""
    return all(
        goes_through(use, parents) == 1
        or (is_called_or_tested(use, parents) and not is_called(use, parents) and not name_given(use, parents))
        for use in uses
        if isinstance(use.ctx, ast.Load)
    )


def is_called(node: ast.expr, parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether an expression is what a call calls."""
    above = parents.get(id(node))
    return isinstance(above, ast.Call) and above.func is node


def reads_in_its_loop(
    target: ast.Name, uses: Iterable[ast.Name], parents: Mapping[int, ast.AST]
) -> list[ast.Name] | None:
    """Return what reads a loop's name in that loop; nothing where that name may be read with something else in it.

    Other loops may have the name as well, one after the other, as long as it is read nowhere else.
    """
    every = list(uses)
    loops = {id(use): _binding_loop(use, parents) for use in every if not isinstance(use.ctx, ast.Load)}
    inside = {
        use: {id(part) for node in loop for part in ast.walk(node)} for use, loop in loops.items() if loop is not None
    }
    reads = [use for use in every if isinstance(use.ctx, ast.Load)]
    apart = len(loops) == len(inside) and all(sum(id(read) in one for one in inside.values()) == 1 for read in reads)
    return [read for read in reads if id(read) in inside[id(target)]] if apart and id(target) in inside else None


def _binding_loop(target: ast.expr, parents: Mapping[int, ast.AST]) -> list[ast.AST] | None:
    """Return what a loop does with a name that it binds: its body, or its tests and what a comprehension makes."""
    above = parents.get(id(target))
    while isinstance(above, (ast.Tuple, ast.List)):
        above = parents.get(id(above))
    if isinstance(above, (ast.For, ast.AsyncFor)):
        return [*above.body]
    if not isinstance(above, ast.comprehension):
        return None
    made = parents[id(above)]
    generators: list[ast.comprehension] = made.generators  # type: ignore[attr-defined]
    at = generators.index(above)
    return [*above.ifs, *generators[at + 1 :], *(n for n in ast.iter_child_nodes(made) if n not in generators)]


def rows_gone_through(uses: Iterable[ast.Name], parents: Mapping[int, ast.AST]) -> int:
    """Return how many parts rows have that loops go through, where each names all of them; 0 where one doesn't."""
    widths = {goes_through(use, parents) for use in uses}
    return widths.pop() if len(widths) == 1 else 0


def goes_through(use: ast.expr, parents: Mapping[int, ast.AST]) -> int:
    """Return how many parts a loop names of each row of what it goes through; 0 where it is anything else."""
    told = _loop_of(use, parents)
    return len(told.parts) if told is not None and not told.mapping else 0


def _loop_of(use: ast.expr, parents: Mapping[int, ast.AST]) -> Through | None:
    """Return how a loop goes through what an expression is, if one does."""
    above = parents.get(id(use))
    if isinstance(above, ast.Attribute):
        above = parents.get(id(above))
    if isinstance(above, ast.Call):
        above = parents.get(id(above))
    told = through(above) if isinstance(above, (ast.For, ast.AsyncFor, ast.comprehension)) else None
    return told if told is not None and told.table is use else None


def only_asked(uses: Iterable[ast.Name], parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether a table is only asked for what it has for a word, or for its words; where it is bound counts not."""
    return all(asks(use, parents) for use in uses if isinstance(use.ctx, ast.Load))


def asks(use: ast.expr, parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether an expression that is a table is only asked there for what it has for a word, or for its words."""
    above = parents.get(id(use))
    if isinstance(above, ast.Subscript):
        given = is_called_or_tested(above, parents) or goes_through(above, parents) == 1
        return above.value is use and isinstance(above.ctx, ast.Load) and given
    if isinstance(above, ast.Attribute):
        call = parents.get(id(above))
        if not isinstance(call, ast.Call) or call.func is not above or call.keywords:
            return False
        if above.attr in ("items", "values"):
            return _loop_of(use, parents) is not None
        given = is_called_or_tested(call, parents) or goes_through(call, parents) == 1
        return above.attr == "keys" or (above.attr == "get" and given)
    if isinstance(above, ast.Compare):
        return above.left is not use and all(isinstance(op, (ast.In, ast.NotIn)) for op in above.ops)
    if isinstance(above, ast.Call):
        joins = isinstance(above.func, ast.Attribute) and above.func.attr == "join"
        return use in above.args and (joins or getattr(above.func, "id", "") in _TAKE_WORDS)
    return isinstance(above, (ast.For, ast.comprehension)) and above.iter is use


def is_called_or_tested(node: ast.expr, parents: Mapping[int, ast.AST]) -> bool:
    """Tell whether what a table gives is called, tested, or given a name: what is done with that is told elsewhere."""
    above = parents.get(id(node))
    if isinstance(above, ast.Call):
        return is_called(node, parents)
    if isinstance(above, (ast.Assign, ast.AnnAssign)):
        targets = above.targets if isinstance(above, ast.Assign) else [above.target]
        return len(targets) == 1 and isinstance(targets[0], ast.Name)
    if isinstance(above, ast.NamedExpr):
        return above.value is node and is_called_or_tested(above, parents)
    if isinstance(above, (ast.If, ast.IfExp, ast.While, ast.Assert)):
        return above.test is node
    return isinstance(above, (ast.Compare, ast.Expr)) or (
        isinstance(above, ast.UnaryOp) and isinstance(above.op, ast.Not)
    )


def name_given(node: ast.expr, parents: Mapping[int, ast.AST]) -> str:
    """Return the name that an expression is given, if it is."""
    above = parents.get(id(node))
    target = above.targets[0] if isinstance(above, ast.Assign) else getattr(above, "target", None)
    given = isinstance(above, (ast.Assign, ast.AnnAssign, ast.NamedExpr)) and isinstance(target, ast.Name)
    return target.id if given and isinstance(target, ast.Name) else ""


@dataclass(slots=True)
class Filled:
    """What fills a table that begins empty: decorators, each by its outermost function, and statements, with values."""

    decorators: list[ast.AST] = field(default_factory=list)
    stores: list[ast.AST] = field(default_factory=list)
    values: list[ast.expr] = field(default_factory=list)
    shapes: set[tuple[int | None, int, frozenset[int]]] = field(default_factory=set)  # column and width of rows, lists


@dataclass(frozen=True, slots=True)
class FilledAt:
    """What a use of a table does: it only asks, or a statement stores something, perhaps in a decorator."""

    stores: tuple[ast.AST, ...] = ()  # the statement, and the row in which it stores
    value: ast.Name | None = None
    decorator: ast.FunctionDef | None = None  # the outermost function; nothing at the top of a module
    column: int | None = None
    width: int = 0  # of the rows that are stored, or gone through; 0 of a mapping
    lists: frozenset[int] = frozenset()  # what is stored stands in a list


def decorated(module: Module, uses: Iterable[int], defined: Mapping[int, Function]) -> list[Key] | None:
    """Return the functions at the top of a module that a decorator takes in, whose `uses` these are, by identity.

    Nothing where it is used in another way, stands beside other decorators, or takes in a function whose name another
    takes as well: only the last of these is known by it.
    """
    left, keys = set(uses), list[Key]()
    for node in module.tree.body:
        for one in node.decorator_list if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)) else ():
            called, function = one.func if isinstance(one, ast.Call) else one, defined.get(id(node))
            if id(called) not in left or function is None:
                continue
            known = module.names.get(function.node.name) == Func(function.key)
            if len(function.node.decorator_list) > 1 or not known:
                return None
            keys.append(function.key)
            left.discard(id(called))
    return None if left else keys


def begins_empty(node: ast.expr | None) -> bool:
    """Tell whether a mapping, or a list, stands there that has nothing in it yet."""
    if isinstance(node, ast.Tuple):
        return not node.elts
    if isinstance(node, ast.Call):
        made, given = last_name(node.func), [last_name(one) for one in node.args]
        known = made in ("dict", "list") if not given else (made, given) == ("defaultdict", ["list"])
        return known and not node.keywords
    return (isinstance(node, ast.Dict) and not node.keys) or (isinstance(node, ast.List) and not node.elts)


def filled(uses: Iterable[ast.Name], parents: Mapping[int, ast.AST]) -> Filled | None:
    """Return what fills a table under a name; nothing where that is done, or it is used, in another way."""
    found, asked = Filled(), set[int]()
    for use in (one for one in uses if isinstance(one.ctx, ast.Load)):
        told = filled_at(use, parents)
        if told is None or (told.decorator is not None and not isinstance(parents.get(id(told.decorator)), ast.Module)):
            return None
        if told.value is None:
            asked.add(told.width)
            continue
        found.stores += told.stores
        found.shapes.add((told.column, told.width, told.lists))
        if told.decorator is not None:
            found.decorators.append(told.decorator)
        else:
            found.values.append(told.value)
    alike = len(found.shapes) == 1 and asked <= {width for _, width, _ in found.shapes}
    return found if alike else None


def filled_at(use: ast.expr, parents: Mapping[int, ast.AST]) -> FilledAt | None:
    """Return what a use of a table does; nothing where it may do anything."""
    if width := goes_through(use, parents):
        return FilledAt(width=width)
    if asks(use, parents):
        return FilledAt()
    told = _stored(use, parents) or _appended(use, parents) or _appended_to_one(use, parents)
    if told is None or told.value is None:
        return None
    around = parents.get(id(told.stores[0]))
    if isinstance(around, ast.Module):
        return told
    outer = _registers(around, told, parents) if isinstance(around, ast.FunctionDef) else None
    return replace(told, decorator=outer) if outer is not None else None


def _stored(use: ast.expr, parents: Mapping[int, ast.AST]) -> FilledAt | None:
    """Return what is stored under a word of a mapping: `ROUTES[method] = function`."""
    above = parents.get(id(use))
    store = parents.get(id(above)) if isinstance(above, ast.Subscript) and above.value is use else None
    if not isinstance(store, ast.Assign) or store.targets != [above] or not isinstance(store.value, ast.Name):
        return None
    return FilledAt((store,), store.value)


def _appended(use: ast.expr, parents: Mapping[int, ast.AST]) -> FilledAt | None:
    """Return what is put behind the rows of a list: `ROUTES.append((method, function))`, the last name in it.

    Or `CHECKS.append(function)`, of a list of nothing else.
    """
    above = parents.get(id(use))
    call = parents.get(id(above)) if isinstance(above, ast.Attribute) and above.attr == "append" else None
    row = call.args[0] if isinstance(call, ast.Call) and call.func is above and len(call.args) == 1 else None
    statement = parents.get(id(call))
    if row is None or not isinstance(call, ast.Call) or call.keywords or not isinstance(statement, ast.Expr):
        return None
    if isinstance(row, ast.Name):
        return FilledAt((statement, call, row), row, None, 0, 1)
    if not isinstance(row, ast.Tuple):
        return None
    last = row.elts[-1]
    plain = (
        isinstance(last, ast.Name) and len(row.elts) > 1 and not any(isinstance(one, ast.Starred) for one in row.elts)
    )
    return FilledAt((statement, row), last, None, len(row.elts) - 1, len(row.elts)) if plain else None  # type: ignore[arg-type]


def _appended_to_one(use: ast.expr, parents: Mapping[int, ast.AST]) -> FilledAt | None:
    """Return what is put into the list that a mapping has for a word: `HANDLERS[word].append(function)`.

    Or `HANDLERS.setdefault(word, []).append(function)`.
    """
    above = parents.get(id(use))
    if isinstance(above, ast.Attribute) and above.attr == "setdefault":
        asked, above = above, parents.get(id(above))
        given = above.args[1:] if isinstance(above, ast.Call) and above.func is asked else []
        if len(given) != 1 or not begins_empty(given[0]):
            return None
    elif not isinstance(above, ast.Subscript) or above.value is not use:
        return None
    told = _appended(above, parents) if isinstance(above, ast.expr) else None
    listed = told is not None and told.width == 1 and isinstance(told.value, ast.Name)
    return replace(told, column=None, width=0, lists=frozenset([0])) if listed and told is not None else None


def _registers(inner: ast.FunctionDef, told: FilledAt, parents: Mapping[int, ast.AST]) -> ast.FunctionDef | None:
    """Return the decorator, or what gives it, that does nothing but keep what it is given, and give it back."""
    taken, named = inner.args.args, told.value.id if told.value is not None else ""
    uses = [one for one in ast.walk(told.stores[-1]) if isinstance(one, ast.Name) and one.id == named]
    if len(taken) != 1 or named != taken[0].arg or len(uses) != 1 or not _gives(inner, named, [told.stores[0]]):
        return None
    around = parents.get(id(inner))
    if not isinstance(around, ast.FunctionDef):
        return inner
    before = around.body[:-2]  # what is worked out of the words that the decorator takes
    plain = all(isinstance(one, (ast.Assign, ast.AnnAssign, ast.Expr)) for one in before)
    return around if plain and _gives(around, inner.name, [*before, inner]) else None


def _gives(function: ast.FunctionDef, name: str, does: list[ast.stmt | ast.AST]) -> bool:
    """Tell whether a function only does something, and returns a name; a text that describes it may come first."""
    last, rest = function.body[-1], function.body[:-1]
    if rest and rest != does and isinstance(getattr(rest[0], "value", None), ast.Constant):
        rest = rest[1:]
    given = isinstance(last, ast.Return) and isinstance(last.value, ast.Name) and last.value.id == name
    return given and rest == does and not function.decorator_list
