"""Functions that put others around a handler, one after the other, written as the decorators that these are.

    def compose(*layers):                      @with_errors
        def around(handler):                   @as_json
            for layer in reversed(layers):     def run(event, ctx): ...
                handler = layer(handler)
            return handler
        return around

    @compose(with_errors, as_json)             run = with_errors(as_json(core))
    def run(event, ctx): ...

    run = compose(with_errors, as_json)(core)

What is applied is read off the one fold that such a function does: a loop in which what it was given becomes what the
next layer makes of it, or `functools.reduce` with a function that calls the one with the other. The layers are what it
is told, one by one or as a list, or a list at the top of the module that nothing changes. Whatever else it does leaves
it as it is: then it is a decorator like any other.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.hub.functions import Function as Declared
from vast_ferry.translate.python.functions import DEFINITION, Definition
from vast_ferry.translate.python.made_functions import Module
from vast_ferry.translate.python.nodes import defined, is_path, last_name, walk
from vast_ferry.translate.python.source import parsed
from vast_ferry.translate.python.written_out import elsewhere, is_the_same_ever, without
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit

#: Why a handler's text was edited, in the record of a crossing.
REASON: Final = "layers"
#: What a file has in it, at least, that folds layers.
_FOLDS: Final = re.compile(rb"\breduce\s*\(|\b(\w+)\s*=\s*\w+\(\s*\1\s*[,)]")
#: What changes a list in its place.
_CHANGING: Final = frozenset(["append", "extend", "insert", "remove", "pop", "clear", "sort", "reverse"])


@dataclass(frozen=True, slots=True)
class _Fold:
    """What a function does: it puts layers around what it takes under a name, the first or the last outermost."""

    taken: str
    layers: str
    last_outermost: bool


def layers_apart(
    files: Mapping[str, bytes], functions: Iterable[Declared]
) -> tuple[dict[str, list[Edit]], list[Finding]]:
    """Return the edits, by file, that write layers of handlers one by one, and what is told of it."""
    edits: dict[str, list[Edit]] = {}
    findings: list[Finding] = []
    if not any(_FOLDS.search(raw) for file, raw in files.items() if file.endswith(".py")):
        return edits, findings
    by_file: dict[str, dict[str, str]] = {}
    for one in functions:
        by_file.setdefault(one.entry.file, {})[one.entry.name] = one.name
    for file, names in by_file.items():
        if (read := parsed(files, file)) is None:
            continue
        at = _Layered(*read, file, files)
        own, makers, gone = list[Edit](), list[ast.FunctionDef](), set[int]()
        for name, function in names.items():
            for call, maker, written in at.applied(name):
                start, end = at.text.start(call), at.text.end(call)
                own.append(Edit(start, end, written, REASON))
                gone.add(id(maker))
                severity, reason, remedy = note("layers-apart", "", "", name)
                findings.append(Finding("layers-apart", severity, reason, remedy, Place(file, call.lineno), function))
                makers += [one for one in at.tree.body if isinstance(one, ast.FunctionDef) and one.name == maker.id]
        if own:
            others = [raw for other, raw in files.items() if other != file]
            out = without(at.text, at.tree, makers, gone, others)
            edits[file] = [*own, *out, *at.lists_without(out)]
    return edits, findings


class _Layered(Module):
    """A module with handlers around which layers are put."""

    __slots__ = ()

    def applied(self, name: str) -> list[tuple[ast.expr, ast.Name, str]]:
        """Return where layers are put around a handler, each with the name of what does it, and what it is instead."""
        node = defined(self.tree, name)
        if node is not None:
            lead = f"\n{self.text.indent_of(self.text.start(node))}@"
            told = [(one, _maker(one), self._layers_of(one)) for one in node.decorator_list]
            plain = [each for each in told if each[2] and all(map(_may_decorate, each[2]))]
            return [(one, maker, lead.join(layers)) for one, maker, layers in plain if maker is not None]
        value = self._given(name)
        if not isinstance(value, ast.Call):
            return []
        core, maker, layers = self._put_around(value)
        if not layers or core is None or maker is None:
            return []
        around = "".join(f"{one}(" for one in layers)
        return [(value, maker, f"{around}{self.text.of(core)}{')' * len(layers)}")]

    def lists_without(self, out: Sequence[Edit]) -> list[Edit]:
        """Return the edits that take out the lists of layers that nothing names but what is taken out."""
        edits = []
        for one in self.tree.body:
            if isinstance(one, ast.Assign) and isinstance(one.targets[0], ast.Name):
                name = one.targets[0].id
                uses = [
                    self.text.start(use) for use in walk(self.tree) if _id(use) == name and use is not one.targets[0]
                ]
                inside = [any(edit.start <= at < edit.end for edit in out) for at in uses]
                if uses and all(inside) and self._listed(name) is not None:
                    end = self.text.next_line(self.text.end(one) - 1)
                    while self.text.data[end : end + 1] == b"\n":
                        end += 1
                    edits.append(Edit(self.text.start(one), end, "", REASON))
        return edits

    def _put_around(self, value: ast.Call) -> tuple[ast.expr | None, ast.Name | None, list[str]]:
        """Return what a statement puts layers around, the name of what does it, and these, the outermost first."""
        if len(value.args) == 1 and not value.keywords and (layers := self._layers_of(value.func)):
            return value.args[0], _maker(value.func), layers  # `compose(a, b)(core)`, or one with layers of its own
        maker = self._function(value.func)
        fold = _fold_of(maker) if maker is not None else None
        given = _arguments(maker.args, value) if maker is not None and fold is not None else None
        if maker is None or fold is None or given is None or len(given.get(fold.taken, ())) != 1:
            return None, None, []
        return given[fold.taken][0], _maker(value.func), self._in_order(fold, given, maker.name) or []

    def _layers_of(self, decorator: ast.expr) -> list[str]:
        """Return the layers that a decorator puts around what it is given, the outermost first."""
        called = decorator.func if isinstance(decorator, ast.Call) else decorator
        maker = self._function(called)
        if maker is None:
            return []
        inner = _given_back(maker) if isinstance(decorator, ast.Call) else maker
        fold = _fold_of(inner) if inner is not None else None
        if fold is None or inner is None or len(inner.args.args) != 1:
            return []
        given = _arguments(maker.args, decorator) if isinstance(decorator, ast.Call) else {}
        return (self._in_order(fold, given, maker.name) or []) if given is not None else []

    def _in_order(self, fold: _Fold, given: Mapping[str, Sequence[ast.expr]], maker: str) -> list[str] | None:
        """Return the layers of a fold, the outermost first; nothing where they are not known."""
        several = given.get(fold.layers)
        if several is None:
            several = self._shared(fold.layers, maker)
        elif len(several) == 1 and not isinstance(several, tuple):  # a list that is told as one
            told = several[0]
            listed = told.elts if isinstance(told, (ast.List, ast.Tuple)) else None
            several = self._shared(told.id, maker) if isinstance(told, ast.Name) else listed
        if several is None or any(isinstance(one, (ast.Starred, ast.Lambda)) for one in several):
            return None
        texts = [self.text.of(one) for one in several]
        return texts[::-1] if fold.last_outermost else texts

    def _shared(self, name: str, maker: str) -> list[ast.expr] | None:
        """Return the layers of a list at the top that a function puts around handlers.

        What is made once for all of them would be made for each, with a state of its own: nothing then.
        """
        found = self._listed(name)
        once = found is not None and (all(map(is_path, found)) or all(map(self._is_used_once, (name, maker))))
        return found if once else None

    def _is_used_once(self, name: str) -> bool:
        """Tell whether a name of the module is read in one place of all the project."""
        others = any(name.encode() in raw for file, raw in self.files.items() if file != self.file)
        reads = [one for one in walk(self.tree) if _id(one) == name and isinstance(one.ctx, ast.Load)]  # type: ignore[attr-defined]
        return not others and len(reads) == 1

    def _listed(self, name: str) -> list[ast.expr] | None:
        """Return what a list at the top of the module has in it, if nothing changes it."""
        bound = [
            one for one in self.tree.body if isinstance(one, (ast.Assign, ast.AnnAssign)) and _gives_alone(one, name)
        ]
        value = bound[0].value if len(bound) == 1 else None
        parents = {id(child): node for node in walk(self.tree) for child in ast.iter_child_nodes(node)}
        uses = [one for one in walk(self.tree) if isinstance(one, ast.Name) and one.id == name]
        only_read = [one for one in uses if isinstance(one.ctx, ast.Load) and not _is_changed(parents, one)]
        if not isinstance(value, (ast.List, ast.Tuple)) or len(uses) - len(only_read) != 1:
            return None
        named = re.compile(rb"\b" + re.escape(name.encode()) + rb"\b")
        if any(named.search(raw) for file, raw in self.files.items() if file != self.file):
            return None
        return value.elts

    def _given(self, name: str) -> ast.expr | None:
        """Return what the one statement at the top of the module gives that gives a name something."""
        told = (one for one in self.tree.body if isinstance(one, (ast.Assign, ast.AnnAssign)))
        found = [one.value for one in told if _gives_alone(one, name)]
        return found[0] if len(found) == 1 else None

    def _function(self, named: ast.expr) -> ast.FunctionDef | None:
        """Return the function of the project that a name means, in this file or where it is imported from."""
        if not isinstance(named, ast.Name) or not is_the_same_ever(self.tree, named):
            return None
        tree = self.tree
        if defined(tree, named.id) is None:
            there = elsewhere(self.tree, named.id, self.file, self.files)
            if there is None:
                return None
            tree = there.tree
        found = defined(tree, named.id)
        return found if isinstance(found, ast.FunctionDef) and not found.decorator_list else None


def _maker(called: ast.expr) -> ast.Name | None:
    """Return the name of what is called to put layers around something."""
    named = called.func if isinstance(called, ast.Call) else called
    return named if isinstance(named, ast.Name) else None


def _gives_alone(statement: ast.Assign | ast.AnnAssign, name: str) -> bool:
    """Tell whether a statement gives a value to one name, and to nothing else."""
    targets = statement.targets if isinstance(statement, ast.Assign) else [statement.target]
    return len(targets) == 1 and isinstance(targets[0], ast.Name) and targets[0].id == name


def _is_changed(parents: Mapping[int, ast.AST], use: ast.Name) -> bool:
    """Tell whether a list may be another after a use of its name: it is only gone through, or measured."""
    above = parents.get(id(use))
    if isinstance(above, ast.Attribute):
        return above.attr in _CHANGING
    if isinstance(above, ast.Subscript):
        return not isinstance(above.ctx, ast.Load)
    if isinstance(above, ast.Call):
        return use not in above.args or not isinstance(above.func, (ast.Name, ast.Attribute))
    return not isinstance(above, (ast.For, ast.comprehension, ast.Starred))


def _may_decorate(layer: str) -> bool:
    """Tell whether a layer may stand as a decorator in a line of its own."""
    node = ast.parse(layer, mode="eval").body
    named = node.func if isinstance(node, ast.Call) else node
    return "\n" not in layer and (isinstance(named, ast.Name) or is_path(named))


def _arguments(arguments: ast.arguments, call: ast.Call) -> dict[str, Sequence[ast.expr]] | None:
    """Return what a function is told by the names of its parameters; a tuple is what came one by one."""
    odd = arguments.kwarg or arguments.posonlyargs or arguments.defaults
    if odd or any(one.arg is None for one in call.keywords) or any(isinstance(a, ast.Starred) for a in call.args):
        return None
    names = [one.arg for one in arguments.args]
    given: dict[str, Sequence[ast.expr]] = {name: [value] for name, value in zip(names, call.args, strict=False)}
    given |= {one.arg: [one.value] for one in call.keywords if one.arg in names}
    rest = call.args[len(names) :]
    if arguments.vararg is not None:
        given[arguments.vararg.arg] = tuple(rest)
    elif rest:
        return None
    return given if len(given) == len(names) + bool(arguments.vararg) else None


def _body(node: Definition) -> list[ast.stmt]:
    documented = isinstance(node.body[0], ast.Expr) and isinstance(node.body[0].value, ast.Constant)
    return node.body[documented:]


def _given_back(maker: ast.FunctionDef) -> Definition | None:
    """Return the function, or the lambda as one, that another gives and that alone."""
    body = _body(maker)
    last = body[-1]
    if not isinstance(last, ast.Return):
        return None
    if len(body) == 1 and isinstance(last.value, ast.Lambda):
        made = ast.Return(last.value.body)
        return ast.FunctionDef("", last.value.args, [made], [])
    inner = body[0]
    named = last.value.id if isinstance(last.value, ast.Name) else ""
    alone = len(body) == 2 and isinstance(inner, ast.FunctionDef) and not inner.decorator_list
    return inner if alone and isinstance(inner, DEFINITION) and inner.name == named else None


def _fold_of(node: Definition) -> _Fold | None:
    """Return the fold that is all that a function does."""
    body = _body(node)
    last = body[-1]
    if not isinstance(last, ast.Return) or not isinstance(node, ast.FunctionDef):
        return None
    if len(body) == 1 and isinstance(last.value, ast.Call):
        return _reduced(last.value)
    loop = body[0]
    if len(body) != 2 or not isinstance(loop, ast.For) or not isinstance(last.value, ast.Name):
        return None
    return _looped(loop, last.value.id)


def _looped(loop: ast.For, name: str) -> _Fold | None:
    """Return the fold of `for layer in reversed(layers): name = layer(name)`."""
    step = loop.body[0]
    if len(loop.body) != 1 or loop.orelse or not isinstance(step, ast.Assign) or not _gives_alone(step, name):
        return None
    layer = loop.target.id if isinstance(loop.target, ast.Name) else ""
    return _over(loop.iter, name) if _calls_with(step.value, layer, name) and layer != name else None


def _reduced(call: ast.Call) -> _Fold | None:
    """Return the fold of `reduce(lambda handler, layer: layer(handler), reversed(layers), name)`."""
    if last_name(call.func) != "reduce" or len(call.args) != 3 or call.keywords:
        return None
    step, several, begun = call.args
    if not isinstance(step, ast.Lambda) or not isinstance(begun, ast.Name):
        return None
    names = [one.arg for one in step.args.args]
    return _over(several, begun.id) if len(names) == 2 and _calls_with(step.body, names[1], names[0]) else None


def _calls_with(node: ast.expr, layer: str, name: str) -> bool:
    """Tell whether an expression calls one name with another, and nothing else."""
    called = isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == layer
    return called and isinstance(node, ast.Call) and not node.keywords and [_id(one) for one in node.args] == [name]


def _over(several: ast.expr, taken: str) -> _Fold | None:
    """Return the fold over a name, or over that name reversed."""
    if isinstance(several, ast.Call) and last_name(several.func) == "reversed" and len(several.args) == 1:
        return _Fold(taken, _id(several.args[0]), False) if _id(several.args[0]) else None
    if isinstance(several, ast.Subscript) and ast.unparse(several.slice) == "::-1":
        return _Fold(taken, _id(several.value), False) if _id(several.value) else None
    return _Fold(taken, _id(several), True) if _id(several) else None


def _id(node: ast.AST) -> str:
    return node.id if isinstance(node, ast.Name) else ""
