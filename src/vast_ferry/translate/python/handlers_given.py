"""Handlers that a statement gives, written as the functions that they are.

    run = with_errors(with_auth(core))          @with_errors
                                                @with_auth
                                                def run(event, ctx):
                                                    return core(event, ctx)

    run = partial(core, table="notes")          def run(event, ctx):
                                                    return core(event, ctx, table="notes")

    run = router.dispatch                       def run(event, ctx):
                                                    return router.dispatch(event, ctx)

    run = Notes("notes")                        _run = Notes("notes")


                                                def run(event, ctx):
                                                    return _run(event, ctx)

A handler that is no `def` can't be followed by what the provider hands over; as a function that calls what the
statement gives it is. That holds for one statement at the top of a module that binds the handler's name, and nothing
else does: what it calls are decorators and functions of the project, an object's method, or an object that is called,
and what these take is read off their definition. A decorator must not ask for the name of what it is given, for that is
another then.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.hub.functions import Function as Declared
from vast_ferry.translate.python.functions import DEFINITION, Definition
from vast_ferry.translate.python.nodes import is_path, last_name, walk
from vast_ferry.translate.python.source import PythonText, parsed
from vast_ferry.translate.python.written_out import binds, is_the_same_ever
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit

#: Why such a statement's text was edited, in the record of a crossing.
REASON = "handler"
#: Attributes of functions that tell one from another.
_NAMING = frozenset(["__name__", "__qualname__", "__doc__", "__module__", "__code__", "__wrapped__"])


def handlers_given(
    files: Mapping[str, bytes], functions: Iterable[Declared]
) -> tuple[dict[str, list[Edit]], list[Finding]]:
    """Return the edits, by file, that write such handlers as functions, and what is told of it."""
    read = {file: found for file in files if file.endswith(".py") and (found := parsed(files, file)) is not None}
    project = _Project([tree for _, tree in read.values()])
    edits: dict[str, list[Edit]] = {}
    findings: list[Finding] = []
    wanted = {(one.entry.file, one.entry.name): one.name for one in functions if not one.bindings}
    for (file, name), function in wanted.items():
        text, tree = read.get(file, (None, None))
        statement = _given_by(tree, name) if tree is not None else None
        if text is None or tree is None or statement is None:
            continue
        written = project.written(text, tree, name, statement.value)
        if written is None:
            continue
        edits.setdefault(file, []).append(Edit(text.start(statement), text.end(statement), written, REASON))
        severity, reason, remedy = note("handler-defined", "", "", name)
        findings.append(Finding("handler-defined", severity, reason, remedy, Place(file, statement.lineno), function))
    return edits, findings


def _given_by(tree: ast.Module, name: str) -> ast.Assign | None:
    """Return the one statement at the top of a module that gives a name what it stands for."""
    found = [one for one in tree.body if isinstance(one, ast.Assign) and any(binds(node, name) for node in walk(one))]
    bound = [node for node in walk(tree) if binds(node, name)]
    alone = len(found) == len(bound) == 1 and len(found[0].targets) == 1
    return found[0] if alone and isinstance(found[0].targets[0], ast.Name) else None


@dataclass(frozen=True, slots=True)
class _Project:
    """The files of a project, by which what a statement names is found."""

    trees: list[ast.Module]

    def written(self, text: PythonText, tree: ast.Module, name: str, value: ast.expr) -> str | None:
        """Return a handler's statement as a function; nothing where what it gives is not known."""
        if not all(is_the_same_ever(tree, one) for one in walk(value) if isinstance(one, ast.Name)):
            return None  # it stands for what a name was then
        decorators, core = list[str](), value
        while isinstance(core, ast.Call) and self._is_decorator(core):
            decorators.append(f"@{text.of(core.func)}\n")
            core = core.args[0]
        begins, called, more = "", text.of(core), list[str]()
        taken: Definition | None = None
        if isinstance(core, ast.Name):
            taken = self._one(self._functions(core.id))
        elif isinstance(core, ast.Attribute) and is_path(core):
            taken = self._one(self._methods(core.attr))
        elif isinstance(core, ast.Call) and last_name(core.func) == "partial" and core.args:
            taken = self._one(self._functions(core.args[0].id)) if isinstance(core.args[0], ast.Name) else None
            called, more = text.of(core.args[0]), [*(text.of(one) for one in core.args[1:])]
            named = [one.arg for one in core.keywords]
            told = [*core.args[1:], *(one.value for one in core.keywords)]
            # What is worked out once, when the module is loaded, must not be worked out at each call.
            if taken is None or None in named or not all(is_the_same_ever(tree, one) for one in told):
                return None
            own = [one for one in _parameters(taken)[len(more) :] if one not in named]
            given = [*more, *own, *(text.of(one) for one in core.keywords)]
            return self._function(taken, name, own, f"{called}({', '.join(given)})", decorators)
        elif isinstance(core, ast.Call):
            taken = self._one(self._calls_of_class(last_name(core.func)))
            called = f"_{name}"
            begins = f"{called} = {text.of(core)}\n\n\n"
        if taken is None or any(binds(node, called) for node in walk(tree) if begins):
            return None
        own = _parameters(taken)
        return begins + self._function(taken, name, own, f"{called}({', '.join(own)})", decorators)

    @staticmethod
    def _function(taken: Definition, name: str, own: list[str], call: str, decorators: list[str]) -> str:
        word, wait = ("async def", "await ") if isinstance(taken, ast.AsyncFunctionDef) else ("def", "")
        return f"{''.join(decorators)}{word} {name}({', '.join(own)}):\n    return {wait}{call}"

    def _is_decorator(self, call: ast.Call) -> bool:
        """Tell whether a call may stand as a decorator: of a function of the project that asks for no names."""
        named = call.func.func if isinstance(call.func, ast.Call) else call.func
        alone = (
            len(call.args) == 1 and not call.keywords and isinstance(call.args[0], (ast.Name, ast.Call, ast.Attribute))
        )
        found = self._functions(named.id) if isinstance(named, ast.Name) else []
        return alone and len(found) == 1 and not any(getattr(one, "attr", "") in _NAMING for one in walk(found[0]))

    @staticmethod
    def _one(found: list[Definition]) -> Definition | None:
        """Return the one definition that is meant, if it takes what is handed to it by its place and nothing else."""
        one = found[0] if len(found) == 1 else None
        if one is None or one.args.vararg or one.args.kwarg or one.args.posonlyargs:
            return None
        return one

    def _functions(self, name: str) -> list[Definition]:
        return [one for tree in self.trees for one in tree.body if isinstance(one, DEFINITION) and one.name == name]

    def _classes(self) -> Iterator[ast.ClassDef]:
        return (one for tree in self.trees for one in walk(tree) if isinstance(one, ast.ClassDef))

    def _methods(self, name: str) -> list[Definition]:
        return [
            one
            for cls in self._classes()
            for one in cls.body
            if isinstance(one, DEFINITION) and one.name == name and not one.decorator_list
        ]

    def _calls_of_class(self, name: str) -> list[Definition]:
        bodies = [cls.body for cls in self._classes() if cls.name == name]
        return [one for body in bodies for one in body if isinstance(one, DEFINITION) and one.name == "__call__"]


def _parameters(function: Definition) -> list[str]:
    """Return the names of what a function takes by its place and must be given, without a method's own object."""
    names = [one.arg for one in function.args.args]
    names = names[: len(names) - len(function.args.defaults)]
    return names[1:] if names[:1] == ["self"] else names
