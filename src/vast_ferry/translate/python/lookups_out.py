"""Small functions that look something up by its name, written out where they are called by a name that stands there.

    def header(visit, name, default=""):             accept = header(visit, "accept", "*/*")
        for key, value in visit["lines"]:
            if key.lower() == name:                  accept = next(
                return value                             (value for key, value in visit["lines"]
        return default                                    if key.lower() == "accept"), "*/*")

The function itself has a form at the target only where names are spelt there as here, for it may be asked for any; a
call of it has one wherever that name has. So the calls are written as what they do, in the author's own language,
before all is followed, and the function goes where nobody calls it any more. That holds for a function at the top of a
module that goes through pairs for the first whose name it is, or returns one expression that looks the name up, and
for calls in that file whose other arguments are names, constants, attributes and items of these.
"""

from __future__ import annotations

import ast
import builtins
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import PurePosixPath

from vast_ferry.hub.findings import BadInput, Finding, Place
from vast_ferry.translate.python.nodes import walk
from vast_ferry.translate.python.source import PythonText
from vast_ferry.translate.python.written_out import binds, may_name
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit

#: Why such a call's text was edited, in the record of a crossing.
REASON = "lookup"
#: A function that returns one expression is a small one up to so many nodes of it.
_MOST_NODES = 40
#: What an expression must not hold that stands in another function than its own, in another text.
_ODD = (ast.Lambda, ast.NamedExpr, ast.Await, ast.Yield, ast.YieldFrom, ast.JoinedStr)


@dataclass(frozen=True, slots=True)
class _Found:
    """A function that looks a name up: the parameter that is the name, and the parts of what its calls become."""

    text: PythonText  # in which it stands
    node: ast.FunctionDef
    named: str
    parts: tuple[str | ast.expr, ...]  # text, and expressions of the function's own
    inside: frozenset[str]  # names that these bind
    operand: bool  # whether they need no parentheses, wherever they stand
    free: frozenset[str] = frozenset()  # built-in functions that they use

    def argument(self, call: ast.Call, name: str) -> ast.expr | None:
        """Return what a call gives a parameter, or its default."""
        arguments = self.node.args
        names = [one.arg for one in arguments.args]
        by_name = {one.arg: one.value for one in call.keywords}
        defaults = dict(zip(reversed(names), reversed(arguments.defaults), strict=False))
        by_place = dict(zip(names, call.args, strict=False))
        return by_place.get(name) or by_name.get(name) or defaults.get(name)


def has_lookups(files: Mapping[str, bytes]) -> bool:
    """Tell whether there are functions in some files whose calls may be written out."""
    return any(_looked_up_in(text, tree) for _, text, tree in _parsed(files))


def lookups_out(files: Mapping[str, bytes]) -> tuple[dict[str, list[Edit]], list[Finding]]:
    """Return the edits, by file, that write such calls out, and what is told of it."""
    edits: dict[str, list[Edit]] = {}
    findings: list[Finding] = []
    every = list(_parsed(files))
    for file, text, tree in every:
        for one in _looked_up_in(text, tree):
            name, made = one.node.name, dict[str, list[Edit]]()
            left = False  # whether somebody still asks it
            for other, theirs, its in every:
                if other != file and not _imports(its, other, name, file):
                    left = left or may_name(files[other], name)
                    continue
                done = list(_written(theirs, its, one))
                calls = {id(call.func) for call, _ in done}
                left = left or any(isinstance(n, ast.Name) and n.id == name and id(n) not in calls for n in walk(its))
                left = left or other != file
                made[other] = [Edit(theirs.start(call), theirs.end(call), text, REASON) for call, text in done]
            if not any(made.values()):
                continue
            made[file] += [] if left else [_without(text, one.node)]
            for other, several in made.items():
                edits.setdefault(other, []).extend(several)
            severity, reason, remedy = note("lookup-written-out", "", "", name)
            findings.append(Finding("lookup-written-out", severity, reason, remedy, Place(file, one.node.lineno)))
    return {file: several for file, several in edits.items() if several}, findings


def _parsed(files: Mapping[str, bytes]) -> Iterator[tuple[str, PythonText, ast.Module]]:
    """Yield the files that can be read."""
    for file, raw in files.items():
        if not file.endswith(".py"):
            continue
        try:
            text = PythonText(raw, file)
            yield file, text, text.parse()
        except (BadInput, SyntaxError, ValueError, RecursionError):
            continue


def _looked_up_in(text: PythonText, tree: ast.Module) -> list[_Found]:
    """Return the functions of a file that look a name up."""
    nodes = [node for node in tree.body if isinstance(node, ast.FunctionDef)]
    found = [one for node in nodes if (one := _looks_up(text, tree, node))]
    # One that asks another stands as it is: its text would be edited twice.
    names = {one.node.name for one in found}
    return [one for one in found if names.isdisjoint(_names(one.node.body))]


def _imports(tree: ast.Module, file: str, name: str, of: str) -> bool:
    """Tell whether a file imports a function of another file under its own name, and means nothing else by it."""
    folders, parts = PurePosixPath(file).parent.parts, PurePosixPath(of).with_suffix("").parts
    for node in tree.body:
        if isinstance(node, ast.ImportFrom) and any(one.name == name and not one.asname for one in node.names):
            above = folders[: len(folders) - node.level + 1] if node.level else ()
            asked = (*above, *(node.module or "").split("."))
            return tuple(one for one in asked if one) == parts and _bound_once(tree, name)
    return False


def _looks_up(text: PythonText, tree: ast.Module, node: ast.FunctionDef) -> _Found | None:
    """Return what a function looks up, if it is one that does nothing else."""
    arguments = node.args
    odd = arguments.posonlyargs or arguments.kwonlyargs or arguments.vararg or arguments.kwarg
    plain = all(isinstance(one, ast.Constant) for one in arguments.defaults)
    if odd or not plain or node.decorator_list or not _bound_once(tree, node.name):
        return None
    told = isinstance(node.body[0], ast.Expr) and isinstance(node.body[0].value, ast.Constant)
    body = node.body[1:] if told else node.body
    found = _going_through(text, node, body) or _returning(text, node, body)
    if found is None:
        return None
    free = _names(part for part in found.parts if isinstance(part, ast.expr)) - found.inside
    free -= {one.arg for one in arguments.args}
    return replace(found, free=free) if all(hasattr(builtins, one) for one in free) else None


def _going_through(text: PythonText, node: ast.FunctionDef, body: list[ast.stmt]) -> _Found | None:
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
    return _Found(text, node, named, (*parts, otherwise, ")"), _names([pair]), operand=True)  # type: ignore[arg-type]


def _compared_with(node: ast.FunctionDef, test: ast.expr, key: str) -> str:
    """Return the parameter with which the name of a pair is compared, one of them perhaps in lower case."""
    if not isinstance(test, ast.Compare) or len(test.ops) != 1 or not isinstance(test.ops[0], ast.Eq):
        return ""
    sides = [_lower_of(one) or one for one in (test.left, test.comparators[0])]
    names = [one.id if isinstance(one, ast.Name) else "" for one in sides]
    other = names[1] if names[0] == key else names[0] if names[1] == key else ""
    return other if any(one.arg == other for one in node.args.args) else ""


def _returning(text: PythonText, node: ast.FunctionDef, body: list[ast.stmt]) -> _Found | None:
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
            odd = any(
                isinstance(n, (ast.Lambda, ast.NamedExpr, ast.Await, ast.Yield, ast.JoinedStr)) for n in walk(made)
            )
            operand = isinstance(made, (ast.Call, ast.Subscript, ast.Attribute))
            return None if odd else _Found(text, node, one.arg, (made,), bound, operand)
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
        found.update(id(_lower_of(one) or one) for one in asked)
    return found


def _lower_of(node: ast.expr) -> ast.expr | None:
    """Return what is put into lower case."""
    lowers = isinstance(node, ast.Call) and not node.args and not node.keywords
    called = node.func if lowers else None  # type: ignore[attr-defined]
    return called.value if isinstance(called, ast.Attribute) and called.attr == "lower" else None


def _written(text: PythonText, tree: ast.Module, one: _Found) -> Iterator[tuple[ast.Call, str]]:
    """Yield the calls of a function that can be written out, and what is written in their place."""
    names = [argument.arg for argument in one.node.args.args]
    within = {id(node) for node in walk(one.node)}
    if any(_is_bound(tree, name) for name in one.free):
        return
    for call in walk(tree):
        called = call.func if isinstance(call, ast.Call) and id(call) not in within else None
        if not isinstance(call, ast.Call) or not isinstance(called, ast.Name) or called.id != one.node.name:
            continue
        given = {name: one.argument(call, name) for name in names}
        known = {keyword.arg for keyword in call.keywords} <= set(names) and len(call.args) <= len(names)
        named = given[one.named]
        said = isinstance(named, ast.Constant) and isinstance(named.value, str) and re.fullmatch(r"[\w-]+", named.value)
        plain = all(value is not None and _is_plain(value) for value in given.values())
        if not known or not said or not plain or not one.inside.isdisjoint(_names(v for v in given.values() if v)):
            continue
        texts = {name: text.of(value) for name, value in given.items() if value is not None}
        made = "".join(part if isinstance(part, str) else _filled(one.text, part, texts) for part in one.parts)
        yield call, made if one.operand else f"({made})"


def _filled(text: PythonText, part: ast.expr, given: Mapping[str, str]) -> str:
    """Return an expression's text with what is given in place of parameters; a constant in lower case is one so."""
    start, data = text.start(part), text.data[text.start(part) : text.end(part)]
    edits: list[tuple[int, int, str]] = []
    lowered: set[int] = set()
    for node in walk(part):
        of = _lower_of(node) if isinstance(node, ast.expr) else None
        if isinstance(of, ast.Name) and of.id in given and given[of.id][:1] in "'\"":
            edits.append((text.start(node), text.end(node), given[of.id].lower()))
            lowered.add(id(of))
        elif isinstance(node, ast.Name) and node.id in given and id(node) not in lowered:
            edits.append((text.start(node), text.end(node), given[node.id]))
    for first, last, word in sorted(edits, reverse=True):
        data = data[: first - start] + word.encode() + data[last - start :]
    return data.decode("utf-8")


def _is_plain(node: ast.expr) -> bool:
    """Tell whether an expression may be read where another stands: names, constants, attributes and items of these."""
    if isinstance(node, ast.Attribute):
        return _is_plain(node.value)
    if isinstance(node, ast.Subscript):
        return _is_plain(node.value) and isinstance(node.slice, ast.Constant)
    return isinstance(node, (ast.Name, ast.Constant))


def _names(nodes: Iterable[ast.AST]) -> frozenset[str]:
    return frozenset(one.id for node in nodes for one in walk(node) if isinstance(one, ast.Name))


def _is_bound(tree: ast.Module, name: str) -> bool:
    """Tell whether a module gives a name a meaning of its own anywhere."""
    return any(binds(node, name) for node in walk(tree))


def _bound_once(tree: ast.Module, name: str) -> bool:
    return sum(binds(node, name) for node in walk(tree)) == 1


def _without(text: PythonText, node: ast.FunctionDef) -> Edit:
    """Return the edit that takes a function away, and the empty lines behind it."""
    end = text.next_line(text.end(node) - 1)
    while text.data[end : end + 1] == b"\n":
        end += 1
    return Edit(text.start(node), end, "", REASON)
