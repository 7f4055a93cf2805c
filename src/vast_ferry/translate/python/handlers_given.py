"""Handlers that a statement gives, written as the functions that they are.

    run = with_errors(with_auth(core))          @with_errors
                                                @with_auth
                                                def run(event, ctx):
                                                    return core(event, ctx)

    run = partial(core, table="notes")          def run(event, ctx):
                                                    return core(event, ctx, table="notes")

    run = partial(core, deps=Deps())            _run_deps = Deps()


                                                def run(event, ctx):
                                                    return core(event, ctx, deps=_run_deps)

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

What a function makes for others of the project, no handler, is written so as well where that lets it be followed.
"""

from __future__ import annotations

import ast
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.hub.functions import Function as Declared
from vast_ferry.translate.python.functions import DEFINITION, Definition
from vast_ferry.translate.python.made_functions import Made, Module, function_made
from vast_ferry.translate.python.nodes import binds, is_path, last_name, walk
from vast_ferry.translate.python.source import parsed
from vast_ferry.translate.python.written_out import imports_beside, is_the_same_ever, without
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Key

#: Why such a statement's text was edited, in the record of a crossing.
REASON = "handler"
#: Attributes of functions that tell one from another.
_NAMING = frozenset(["__name__", "__qualname__", "__doc__", "__module__", "__code__", "__wrapped__"])


def handlers_given(
    files: Mapping[str, bytes], functions: Iterable[Declared], *, outermost: bool = False
) -> tuple[dict[str, list[Edit]], list[Finding]]:
    """Return the edits, by file, that write such handlers as functions, and what is told of it.

    What makes a function is a decorator before it where it can be one; `outermost` where it is written out as well.
    """
    wanted = {(one.entry.file, one.entry.name): one.name for one in functions if not one.bindings}
    return _given(files, wanted, outermost=outermost)


def helpers_given(files: Mapping[str, bytes], names: Collection[Key]) -> tuple[dict[str, list[Edit]], list[Finding]]:
    """Return the edits, by file, that write functions which others make as what they are, and what is told of it."""
    return _given(files, dict.fromkeys(names, ""))


def helpers_made(files: Mapping[str, bytes], within: Collection[str], handlers: Collection[Key]) -> Iterator[Key]:
    """Yield the names at the tops of files, no handlers', that stand for a function which another makes."""
    for file in sorted(within):
        text, tree = parsed(files, file) or (None, None)
        if text is None or tree is None:
            continue
        at = Module(text, tree, file, files)
        for statement in (one for one in tree.body if isinstance(one, ast.Assign) and isinstance(one.value, ast.Call)):
            name = last_name(statement.targets[0])
            if (file, name) not in handlers and _given_by(tree, name) is statement:
                assert isinstance(statement.value, ast.Call)
                if function_made(at, name, statement.value) is not None:
                    yield file, name


def _given(
    files: Mapping[str, bytes], wanted: Mapping[Key, str], *, outermost: bool = False
) -> tuple[dict[str, list[Edit]], list[Finding]]:
    """Return the edits that write what statements give as functions; each is a handler's, or nobody's."""
    read = {file: found for file in files if file.endswith(".py") and (found := parsed(files, file)) is not None}
    project = _Project([tree for _, tree in read.values()], files, outermost)
    edits: dict[str, list[Edit]] = {}
    findings: list[Finding] = []
    makers: dict[str, list[ast.FunctionDef]] = {}
    gone: dict[str, set[int]] = {}
    given = [_given_by(tree, name) for (file, name) in wanted for _, tree in [read.get(file, (None, None))] if tree]
    for (file, name), function in wanted.items():
        text, tree = read.get(file, (None, None))
        statement = _given_by(tree, name) if tree is not None else None
        if text is None or tree is None or statement is None:
            continue
        assert statement.value is not None
        at = Module(text, tree, file, files)
        written = project.written(at, name, statement.value) if function else project.made(at, name, statement.value)
        if written is None:
            continue
        own = edits.setdefault(file, [])
        start, end = text.start(statement), text.end(statement)
        behind = _apart(text.data[end:]) if _next(tree, statement) not in given else ""
        lines = f"{_apart(text.data[:start][::-1])}{written.text}{behind}"
        own.append(Edit(start, end, lines, REASON))
        own += imports_beside(own, written.imports)
        makers.setdefault(file, []).extend(written.makers)
        gone.setdefault(file, set()).update(id(one) for one in walk(statement))
        code = "handler-defined" if function else "function-defined"
        severity, reason, remedy = note(code, "", "", name)
        findings.append(Finding(code, severity, reason, remedy, Place(file, statement.lineno), function))
    for file, several in makers.items():
        text, tree = read[file]
        others = [raw for other, raw in files.items() if other != file]
        edits[file] += without(text, tree, several, gone[file], others)
    return edits, findings


def _next(tree: ast.Module, statement: ast.stmt) -> ast.stmt | None:
    """Return the statement behind another at the top of a module."""
    behind = tree.body[tree.body.index(statement) + 1 :]
    return behind[0] if behind else None


def _apart(beside: bytes) -> str:
    """Return the line ends that are missing where a function stands beside other code."""
    rest = beside.replace(b"\r", b"")
    found = len(rest) - len(rest.lstrip(b"\n"))
    return "" if not rest.strip() else "\n" * max(0, 3 - found)


def _given_by(tree: ast.Module, name: str) -> ast.Assign | ast.AnnAssign | None:
    """Return the one statement at the top of a module that gives a name what it stands for."""
    given = [one for one in tree.body if isinstance(one, (ast.Assign, ast.AnnAssign)) and one.value is not None]
    found = [one for one in given if any(binds(node, name) for node in walk(one))]
    bound = [node for node in walk(tree) if binds(node, name)]
    targets = [target for one in found for target in (one.targets if isinstance(one, ast.Assign) else [one.target])]
    alone = len(found) == len(bound) == len(targets) == 1
    return found[0] if alone and isinstance(targets[0], ast.Name) else None


@dataclass(frozen=True, slots=True)
class _Project:
    """The files of a project, by which what a statement names is found."""

    trees: list[ast.Module]
    files: Mapping[str, bytes]
    outermost: bool

    @staticmethod
    def made(at: Module, name: str, value: ast.expr) -> Made | None:
        """Return the function that another makes; nothing where that can't be written."""
        plain = all(is_the_same_ever(at.tree, one) for one in walk(value) if isinstance(one, ast.Name))
        return function_made(at, name, value) if plain and isinstance(value, ast.Call) else None

    def written(self, at: Module, name: str, value: ast.expr) -> Made | None:
        """Return a handler's statement as a function; nothing where what it gives is not known."""
        text, tree = at.text, at.tree
        if not all(is_the_same_ever(tree, one) for one in walk(value) if isinstance(one, ast.Name)):
            return None  # it stands for what a name was then
        if self.outermost and isinstance(value, ast.Call) and (made := function_made(at, name, value)) is not None:
            return made
        decorators, core = list[str](), value
        while isinstance(core, ast.Call) and self._is_decorator(tree, core):
            decorators.append(f"@{text.of(core.func)}\n")
            core = core.args[0]
        begins, called = "", text.of(core)
        taken: Definition | None = None
        if isinstance(core, ast.Name):
            taken = self._one(self._functions(tree, core.id))
        elif isinstance(core, ast.Attribute) and is_path(core):
            taken = self._one(self._methods(core.attr))
        elif isinstance(core, ast.Call) and last_name(core.func) == "partial" and core.args:
            return self._of_partial(at, name, core, decorators)
        elif isinstance(core, ast.Call):
            if (made := function_made(at, name, core)) is not None:
                *before, last = made.text.split("\n\n\n")
                return Made("\n\n\n".join([*before, "".join(decorators) + last]), made.imports)
            taken = self._one(self._calls_of_class(tree, last_name(core.func)))
            called = f"_{name}"
            begins = f"{called} = {text.of(core)}\n\n\n"
        if taken is None or any(binds(node, called) for node in walk(tree) if begins):
            return None
        own = _parameters(taken)
        return Made(begins + self._function(taken, name, own, f"{called}({', '.join(own)})", decorators))

    def _of_partial(self, at: Module, name: str, call: ast.Call, decorators: list[str]) -> Made | None:
        """Return a function that calls another with what that is given once."""
        text, first = at.text, call.args[0]
        taken = self._one(self._functions(at.tree, first.id)) if isinstance(first, ast.Name) else None
        if taken is None or any(one.arg is None for one in call.keywords):
            return None
        before: dict[str, str] = {}

        def told(value: ast.expr, parameter: str) -> str:
            # What is worked out once, when the module is loaded, must not be worked out at each call.
            if is_the_same_ever(at.tree, value):
                return text.of(value)
            own = text.free(f"_{name.lstrip('_')}_{parameter}")
            before[own] = f"{own} = {text.of(value)}"
            return own

        names = _parameters(taken)
        more = [told(one, parameter) for one, parameter in zip(call.args[1:], names, strict=False)]
        named = {str(one.arg): told(one.value, str(one.arg)) for one in call.keywords}
        own = [one for one in names[len(more) :] if one not in named]
        given = [*more, *own, *(f"{parameter}={value}" for parameter, value in named.items())]
        if len(more) < len(call.args) - 1:
            return None
        lines = self._function(taken, name, own, f"{text.of(first)}({', '.join(given)})", decorators)
        return Made("\n\n\n".join(["\n".join(before.values()), lines] if before else [lines]))

    @staticmethod
    def _function(taken: Definition, name: str, own: list[str], call: str, decorators: list[str]) -> str:
        word, wait = ("async def", "await ") if isinstance(taken, ast.AsyncFunctionDef) else ("def", "")
        return f"{''.join(decorators)}{word} {name}({', '.join(own)}):\n    return {wait}{call}"

    def _is_decorator(self, tree: ast.Module, call: ast.Call) -> bool:
        """Tell whether a call may stand as a decorator: of a function of the project that asks for no names."""
        named = call.func.func if isinstance(call.func, ast.Call) else call.func
        alone = (
            len(call.args) == 1 and not call.keywords and isinstance(call.args[0], (ast.Name, ast.Call, ast.Attribute))
        )
        found = self._functions(tree, named.id) if isinstance(named, ast.Name) else []
        return alone and len(found) == 1 and not any(getattr(one, "attr", "") in _NAMING for one in walk(found[0]))

    @staticmethod
    def _one(found: list[Definition]) -> Definition | None:
        """Return the one definition that is meant, if it takes what is handed to it by its place and nothing else."""
        one = found[0] if len(found) == 1 else None
        if one is None or one.args.vararg or one.args.kwarg or one.args.posonlyargs:
            return None
        return one

    def _functions(self, tree: ast.Module, name: str) -> list[Definition]:
        """Return the functions of that name that a module has, or else those that others have."""
        here = [one for one in tree.body if isinstance(one, DEFINITION) and one.name == name]
        others = (one for other in self.trees for one in other.body if isinstance(one, DEFINITION) and one.name == name)
        return here or [*others]

    def _classes(self) -> Iterator[ast.ClassDef]:
        return (one for tree in self.trees for one in walk(tree) if isinstance(one, ast.ClassDef))

    def _methods(self, name: str) -> list[Definition]:
        return [
            one
            for cls in self._classes()
            for one in cls.body
            if isinstance(one, DEFINITION) and one.name == name and not one.decorator_list
        ]

    def _calls_of_class(self, tree: ast.Module, name: str) -> list[Definition]:
        """Return how objects of a class are called: by a method of its own, or else one of the class above it."""
        seen: set[int] = set()
        while (cls := self._class(tree, name)) is not None and id(cls[1]) not in seen:
            tree, node = cls
            seen.add(id(node))
            own = [one for one in node.body if isinstance(one, DEFINITION) and one.name == "__call__"]
            if own or len(node.bases) != 1:
                return own
            name = last_name(node.bases[0])
        return []

    def _class(self, tree: ast.Module, name: str) -> tuple[ast.Module, ast.ClassDef] | None:
        """Return the module and the class of a name: its own, or else the only one that another has."""
        here = [(tree, one) for one in tree.body if isinstance(one, ast.ClassDef) and one.name == name]
        found = here or [
            (other, one)
            for other in self.trees
            for one in walk(other)
            if isinstance(one, ast.ClassDef) and one.name == name
        ]
        return found[0] if len(found) == 1 else None


def _parameters(function: Definition) -> list[str]:
    """Return the names of what a function takes by its place and must be given, without a method's own object."""
    names = [one.arg for one in function.args.args]
    names = names[: len(names) - len(function.args.defaults)]
    return names[1:] if names[:1] == ["self"] else names
