"""Decorators of a project's own written out: what stands before a handler and hands it something else becomes it.

    def json_handler(function):                    def _run(body, hive):
        @wraps(function)                               ...
        def wrapper(event, ctx):
            body = json.loads(event["content"])    def run(event, ctx):
            return function(body, event["hive"])       body = json.loads(event["content"])
        return wrapper                                 return _run(body, event["hive"])

    @json_handler
    def run(body, hive): ...

A handler that gets just what the provider hands over, perhaps with more behind it, is followed through its decorator
(`decorators.py`); one that gets anything else has no form of its own at the target, while the function that stands
before it has: it is the handler, and calls another function of the file. So both are written as what they are, in the
author's own language, before all is followed. That holds for a decorator, the one next to the handler, that does
nothing but give a function of its own, and lets that do nothing with what it is given but call it. What is told to one
that takes more (`@requires("warden")`), constants and names of the module, stands at the head of the function; what it
uses of another file is imported; and the decorators above it stand above what is written.

The same is done to functions and methods that are no handlers, where what a decorator hides of them is needed: whoever
calls them calls what stands before them, of which nobody knew. One that takes whatever it gets and hands on all of it
gets their parameters:

    def retry(function):                           def _stock_of(kind):
        def wrapper(*args, **kwargs):                  ...
            try:
                return function(*args, **kwargs)   def stock_of(kind):
            except ConnectionError:                    try:
                return function(*args, **kwargs)           return _stock_of(kind)
        return wrapper                                 except ConnectionError:
                                                           return _stock_of(kind)
    @retry
    def stock_of(kind): ...
"""

from __future__ import annotations

import ast
import builtins
import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Set
from dataclasses import dataclass, replace

from vast_ferry.hub.findings import Finding, Place
from vast_ferry.translate.python.decorators import given_inside
from vast_ferry.translate.python.functions import DEFINITION, Definition
from vast_ferry.translate.python.imports import imported_from
from vast_ferry.translate.python.nodes import binds, defined, walk
from vast_ferry.translate.python.source import PythonText, parsed
from vast_ferry.translate.reasons import note
from vast_ferry.translate.text import Edit
from vast_ferry.translate.values import Key

#: Attributes that say a function's name.
_NAMES = frozenset(["__name__", "__qualname__"])
#: Why a decorator's text was edited, in the record of a crossing.
REASON = "decorator"


@dataclass(frozen=True, slots=True)
class _Behind:
    """A handler behind a decorator: both definitions, what the decorator takes the handler as, and what it gives."""

    handler: Definition
    decorator: ast.FunctionDef  # at the top of the module, under this name
    takes: str
    inner: Definition
    told: tuple[str, ...] = ()  # statements that bind what the decorator was told
    text: PythonText | None = None  # in which the decorator stands, where that is another
    imports: tuple[Edit, ...] = ()  # what it uses of that file
    cls: ast.ClassDef | None = None  # of a method
    whatever: tuple[ast.Call, ...] = ()  # the calls of one that takes whatever it gets, and hands all of it on

    @property
    def called(self) -> str:
        """Return what is written before the name of what stands behind: of a method, its object."""
        return f"{self.handler.args.args[0].arg}." if self.cls is not None else ""


def written_out(files: Mapping[str, bytes], wanted: Mapping[Key, str]) -> tuple[dict[str, list[Edit]], list[Finding]]:
    """Return the edits, by file, that write the decorators of some functions out, and what is told of it.

    `wanted` has functions of the project with the name that each has as a handler, or an empty one.
    """
    edits: dict[str, list[Edit]] = {}
    findings: list[Finding] = []
    by_file: dict[str, dict[str, str]] = {}  # file → name of a function → of the handler
    for (file, name), handler in wanted.items():
        by_file.setdefault(file, {})[name] = handler
    for file, handlers in by_file.items():
        if (read := parsed(files, file)) is None:
            continue
        text, tree = read
        told = [_behind(text, tree, name, file, files, helper=not handler) for name, handler in handlers.items()]
        found = [one for one in told if one is not None]
        others = [raw for other, raw in files.items() if other != file]
        edits[file] = _edits(text, tree, found, others)
        for behind in found:
            severity, reason, remedy = note("decorator-written-out", "", "", behind.decorator.name)
            place = Place(file, behind.handler.lineno)
            name = handlers.get(behind.handler.name, "") if behind.cls is None else ""
            findings.append(Finding("decorator-written-out", severity, reason, remedy, place, name))
    return {file: several for file, several in edits.items() if several}, findings


def helpers_behind(files: Mapping[str, bytes], within: Collection[str], handlers: Collection[Key]) -> Iterator[Key]:
    """Yield functions and methods, no handlers, whose decorators may be written out; of files and what these import."""
    if any(b"__wrapped__" in raw for raw in files.values()):
        return
    read = {file: found for file in sorted(within) if (found := parsed(files, file)) is not None}
    for file, (_, tree) in [*read.items()]:  # and what is imported there from other files
        for by in (node for node in tree.body if isinstance(node, ast.ImportFrom)):
            there = file_of(file, by)
            if there not in read and (found := parsed(files, there)) is not None:
                read[there] = found
    for file, (text, tree) in read.items():
        for cls in (None, *(one for one in tree.body if isinstance(one, ast.ClassDef))):
            for node in tree.body if cls is None else cls.body:
                if isinstance(node, DEFINITION) and node.decorator_list:
                    name = node.name if cls is None else f"{cls.name}.{node.name}"
                    behind = (file, name) not in handlers and _behind(text, tree, name, file, files, helper=True)
                    if behind:
                        yield file, name


def _behind(
    text: PythonText, tree: ast.Module, name: str, file: str, files: Mapping[str, bytes], *, helper: bool
) -> _Behind | None:
    """Return a handler with the decorator that stands next before it; nothing where that can't be written out."""
    cls, handler = _method(tree, name, files) if "." in name else (None, defined(tree, name))
    told = handler.decorator_list[-1] if handler is not None and handler.decorator_list else None
    named = told.func if isinstance(told, ast.Call) else told
    if handler is None or not isinstance(named, ast.Name):
        return None
    there = None if defined(tree, named.id) else elsewhere(tree, named.id, file, files)
    own, its = (text, tree) if there is None else (there.text, there.tree)
    decorator = defined(its, named.id)
    if not isinstance(decorator, ast.FunctionDef) or decorator.decorator_list:
        return None
    bound = _bound((text, own), tree, decorator.args, told) if isinstance(told, ast.Call) else {}
    taker = gives_alone(decorator) if isinstance(told, ast.Call) else decorator
    inner = gives_alone(taker) if isinstance(taker, ast.FunctionDef) and _takes_one(taker) else None
    if bound is None or taker is None or inner is None or taker.decorator_list or decorator is handler:
        return None
    takes = taker.args.args[0].arg
    plain = all(is_wraps(its, one) for one in inner.decorator_list)
    whatever = _whatever(handler, inner, takes) if helper else ()
    if whatever is None or (cls is not None and (not whatever or _says_its_name_in_a_text(inner, takes))):
        return None
    if not plain or not _only_calls(own, takes, inner) or not stands_anywhere(own, inner):
        return None
    inside = walk(inner)
    if any(binds(node, one) for node in inside for one in bound):
        return None  # a name of its own has the name of what the decorator is told
    asked = {node.id for node in inside if isinstance(node, ast.Name)}
    told_there = tuple(f"{name} = {value}" for name, value in bound.items() if name in asked)
    if there is None:
        return _Behind(handler, decorator, takes, inner, told_there, cls=cls, whatever=whatever)
    imports = imported(text, tree, there, inner, {takes, *bound})
    if imports is None:
        return None
    return _Behind(handler, decorator, takes, inner, told_there, own, imports, cls=cls, whatever=whatever)


def _method(tree: ast.Module, name: str, files: Mapping[str, bytes]) -> tuple[ast.ClassDef | None, Definition | None]:
    """Return a method that its class defines once, and has no other decorator, with its class."""
    named, _, own = name.partition(".")
    cls = next((one for one in tree.body if isinstance(one, ast.ClassDef) and one.name == named), None)
    bound = [node for node in cls.body if any(binds(one, own) for one in _binding(node))] if cls is not None else []
    node = bound[0] if len(bound) == 1 else None
    if cls is None or not isinstance(node, DEFINITION) or len(node.decorator_list) != 1 or not node.args.args:
        return None, None
    if any(re.search(rb"\b_" + re.escape(own.encode()) + rb"\b", raw) for raw in files.values()):
        return None, None  # somebody may have what stands behind it by its name
    return cls, node


def _whatever(function: Definition, inner: Definition, takes: str) -> tuple[ast.Call, ...] | None:
    """Return the calls by which one that takes whatever it gets hands all of it on to what it stands before.

    None are there where it takes parameters of its own; nothing comes back where what it takes goes elsewhere too, or
    is known by other names there.
    """
    rest = (inner.args.vararg, inner.args.kwarg)
    if None in rest:
        return ()
    every, nodes = rest[0], [node for one in inner.body for node in walk(one)]
    names = [one.arg for one in inner.args.args]
    theirs = [one.arg for one in (*function.args.posonlyargs, *function.args.args)]
    odd = inner.args.posonlyargs or inner.args.kwonlyargs or inner.args.defaults or function.args.posonlyargs
    anew = any(isinstance(one, (ast.Call, ast.Lambda)) for one in walk(function.args))  # as defaults stand twice
    if odd or anew or names != theirs[: len(names)] or every is None or rest[1] is None:
        return None
    calls = [one for one in nodes if isinstance(one, ast.Call) and getattr(one.func, "id", "") == takes]
    wanted = [*names, f"*{every.arg}", f"**{rest[1].arg}"]
    uses = [one.id for one in nodes if isinstance(one, ast.Name) and one.id in (every.arg, rest[1].arg)]
    handed = all(_handed(call) == wanted for call in calls)
    every_name = {one.arg for one in walk(function.args) if isinstance(one, ast.arg)}
    taken = any(binds(one, name) for one in nodes for name in every_name) or any(
        isinstance(one, ast.Name) and one.id in every_name - {*names} for one in nodes
    )
    return tuple(calls) if calls and handed and len(uses) == 2 * len(calls) and not taken else None


def _says_its_name_in_a_text(inner: Definition, takes: str) -> bool:
    """Tell whether a formatted text shows the name of what a decorator was given."""
    texts = [one for one in walk(inner) if isinstance(one, ast.JoinedStr)]
    return any(isinstance(one, ast.Name) and one.id == takes for text in texts for one in walk(text))


def _handed(call: ast.Call) -> list[str]:
    """Return what a call hands on, each as it is written."""
    named = ["**" if one.arg is None else f"{one.arg}=" for one in call.keywords]
    by_name = [before + ast.unparse(one.value) for before, one in zip(named, call.keywords, strict=True)]
    return [ast.unparse(one) for one in call.args] + by_name


@dataclass(frozen=True, slots=True)
class Elsewhere:
    """Another file from which a file imports a decorator, and by which statement."""

    text: PythonText
    tree: ast.Module
    by: ast.ImportFrom


def elsewhere(tree: ast.Module, name: str, file: str, files: Mapping[str, bytes]) -> Elsewhere | None:
    """Return the file from which a file imports a function under its own name, and that means nothing else there."""
    by = imported_by(tree, name)
    found = parsed(files, file_of(file, by)) if by is not None else None
    alone = sum(binds(one, name) for one in walk(tree)) == 1
    return Elsewhere(*found, by) if by is not None and found is not None and alone else None


def imported_by(tree: ast.Module, name: str) -> ast.ImportFrom | None:
    """Return the statement at the top of a module that imports something under its own name."""
    statements = (node for node in tree.body if isinstance(node, ast.ImportFrom))
    return next((node for node in statements if any(one.name == name and not one.asname for one in node.names)), None)


def file_of(file: str, by: ast.ImportFrom) -> str:
    """Return the file of the module that a statement of a file imports names from."""
    return imported_from(file, by).replace(".", "/") + ".py"


def imported(
    text: PythonText, tree: ast.Module, there: Elsewhere, inner: Definition, known: Collection[str]
) -> tuple[Edit, ...] | None:
    """Return the edits that import what a function uses of its file; nothing where a name means something else here."""
    nodes = walk(inner)
    named = dict.fromkeys(node.id for node in nodes if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Load))
    decorators = {id(one) for decorator in inner.decorator_list for one in walk(decorator)}
    used = {node.id for node in nodes if isinstance(node, ast.Name) and id(node) not in decorators}
    lines: list[str] = []
    for name in named:
        own = any(binds(node, name) for node in nodes if node is not inner)
        if own or name in known or name not in used:
            continue
        line = _import_of(there, name)
        if name.startswith("__"):  # each module has its own
            return None
        if line is None:
            if hasattr(builtins, name) and not any(binds(one, name) for one in (*walk(there.tree), *walk(tree))):
                continue
            return None
        here = [node for node in walk(tree) if binds(node, name)]
        if not here:
            lines.append(line)
        elif len(here) != 1 or line not in [_line_of(one, here[0], relative=True) for one in tree.body]:
            return None
    at = text.next_line(text.end(there.by) - 1)
    return (Edit(at, at, "".join(f"{line}\n" for line in lines), REASON),) if lines else ()


def _import_of(there: Elsewhere, name: str) -> str | None:
    """Return the statement by which another file may have what a name means in a file."""
    found = [node for node in walk(there.tree) if binds(node, name)]
    if len(found) == 1 and isinstance(found[0], ast.alias):
        return next((line for one in there.tree.body if (line := _line_of(one, found[0]))), None)
    top = [node for node in there.tree.body if any(binds(one, name) for one in _binding(node))]
    dots, module = "." * there.by.level, there.by.module or ""
    return f"from {dots}{module} import {name}" if len(top) == 1 == len(found) else None


def _binding(node: ast.stmt) -> list[ast.AST]:
    """Return what a statement at the top of a module binds names by."""
    return [node] if isinstance(node, (*DEFINITION, ast.ClassDef)) else walk(node)


def _line_of(node: ast.stmt, alias: ast.AST, *, relative: bool = False) -> str:
    """Return an import of one name alone, as a statement has it; empty where it is none, or counts from its folder."""
    if not isinstance(node, (ast.Import, ast.ImportFrom)) or alias not in node.names:
        return ""
    if isinstance(node, ast.Import):
        return ast.unparse(ast.Import([alias]))
    made = ast.ImportFrom(node.module, [alias], node.level)
    return "" if node.level and not relative else ast.unparse(made)


def _bound(
    texts: tuple[PythonText, PythonText], tree: ast.Module, arguments: ast.arguments, call: ast.Call
) -> dict[str, str] | None:
    """Return what a decorator is told, under its own names; nothing where that may be another at each call.

    `texts` are that in which it is told, and that in which the decorator stands, of which the defaults are.
    """
    names = [one.arg for one in (*arguments.posonlyargs, *arguments.args)]
    by_name = {keyword.arg: keyword.value for keyword in call.keywords}
    given: dict[str, ast.expr] = dict(zip(names, call.args, strict=False))
    rest = call.args[len(names) :]
    defaults = dict(zip(reversed(names), reversed(arguments.defaults), strict=False))
    by_keyword = zip(arguments.kwonlyargs, arguments.kw_defaults, strict=True)
    defaults |= {one.arg: usual for one, usual in by_keyword if usual is not None}
    known = {*names, *(one.arg for one in arguments.kwonlyargs)}
    given = {**defaults, **given, **{name: value for name, value in by_name.items() if name is not None}}
    told = [*given.values(), *rest]
    plain = all(is_the_same_ever(tree, one) for one in told)
    if not plain or given.keys() != known or None in by_name or arguments.kwarg or (rest and not arguments.vararg):
        return None
    text, theirs = texts
    usual = {id(one) for one in (*arguments.defaults, *arguments.kw_defaults) if one is not None}
    if text is not theirs and any(id(one) in usual and not isinstance(one, ast.Constant) for one in given.values()):
        return None
    bound = {name: (theirs if id(value) in usual else text).of(value) for name, value in given.items()}
    if arguments.vararg:
        bound[arguments.vararg.arg] = f"({''.join(f'{text.of(one)}, ' for one in rest).rstrip()})"
    return bound


def is_the_same_ever(tree: ast.Module, node: ast.expr) -> bool:
    """Tell whether a constant, or a name of the module that is bound once, means the same whenever it is asked."""
    if isinstance(node, ast.Tuple):
        return all(is_the_same_ever(tree, one) for one in node.elts)
    if isinstance(node, ast.Constant):
        return True
    if not isinstance(node, ast.Name):
        return False
    nodes = walk(tree)
    of_classes = {
        id(one)
        for cls in nodes
        if isinstance(cls, ast.ClassDef)
        for part in cls.body
        for one in ([part] if isinstance(part, DEFINITION) else walk(part))
    }
    return sum(binds(one, node.id) for one in nodes if id(one) not in of_classes) <= 1


def gives_alone(node: ast.FunctionDef) -> Definition | None:
    """Return the function that another gives, where it does nothing else."""
    described = isinstance(node.body[0], ast.Expr) and isinstance(node.body[0].value, ast.Constant)
    return given_inside(node) if len(node.body) == 2 + described else None


def _takes_one(node: ast.FunctionDef) -> bool:
    arguments = node.args
    others = arguments.posonlyargs or arguments.kwonlyargs or arguments.vararg or arguments.kwarg or arguments.defaults
    return len(arguments.args) == 1 and not others


def is_wraps(tree: ast.Module, decorator: ast.expr) -> bool:
    """Tell whether a decorator only gives a function the name of another."""
    called = decorator.func if isinstance(decorator, ast.Call) else decorator
    if isinstance(called, ast.Attribute):
        return called.attr == "wraps" and isinstance(called.value, ast.Name) and called.value.id == "functools"
    froms = [node for node in tree.body if isinstance(node, ast.ImportFrom) and node.module == "functools"]
    told = any(one.name == "wraps" and one.asname is None for node in froms for one in node.names)
    return told and isinstance(called, ast.Name) and called.id == "wraps"


def _only_calls(text: PythonText, name: str, inner: Definition) -> bool:
    """Tell whether a decorator's function does nothing with what the decorator is given, under a name, but call it."""
    inside = [node for statement in inner.body for node in walk(statement)]
    calls = {id(node.func) for node in inside if isinstance(node, ast.Call)}
    asked = {id(node.value) for node in inside if isinstance(node, ast.Attribute) and node.attr in _NAMES}
    uses = [node for node in inside if isinstance(node, ast.Name) and node.id == name]
    odd = any(isinstance(node, (ast.Nonlocal, ast.Global)) for node in inside)
    own = any(isinstance(node, ast.Name) and node.id == inner.name for node in inside)
    bound = any(binds(node, name) for node in (*inside, *walk(inner.args)))
    plain = all(isinstance(one, ast.Constant) for one in (*inner.args.defaults, *inner.args.kw_defaults) if one)
    # What can't be edited in a formatted text is none of it.
    called = all((id(use) in calls or id(use) in asked) and text.of(use) == name for use in uses)
    return any(id(use) in calls for use in uses) and called and not (odd or own or bound) and plain


def stands_anywhere(text: PythonText, inner: Definition) -> bool:
    """Tell whether a function may stand further to the left: no text in it goes over several lines."""
    texts = [node for node in walk(inner) if isinstance(node, (ast.Constant, ast.JoinedStr))]
    alone = inner.body[0].lineno > inner.lineno  # no statement stands in the line of its head
    return alone and all(node.lineno == node.end_lineno for node in texts) and b"\t" not in text.data


def _edits(text: PythonText, tree: ast.Module, found: list[_Behind], others: list[bytes]) -> list[Edit]:
    edits: list[Edit] = []
    told = [one.handler.decorator_list[-1] for one in found]
    gone = {id(one.func if isinstance(one, ast.Call) else one) for one in told}
    for one in found:
        own = text.free(f"_{one.handler.name}")
        start = text.data.rindex(b"@", 0, text.start(one.handler.decorator_list[0]))
        at = re.compile(rb"(?:async\s+)?def\s+").match(text.data, text.start(one.handler))
        assert at is not None
        edits.append(Edit(start, text.start(one.handler), "", REASON))
        edits.append(Edit(at.end(), at.end() + len(one.handler.name.encode()), own, REASON))
        end = text.next_line(text.end(one.handler) - 1)
        lead = "" if text.data[end - 1 : end] == b"\n" else "\n"
        above = "".join(f"@{text.of(decorator)}\n" for decorator in one.handler.decorator_list[:-1])
        written = _written(one.text or text, text, one, own)
        if one.cls is not None:
            indent = text.indent_of(text.start(one.handler))
            written = "\n".join(f"{indent}{line}".rstrip() for line in written.split("\n"))
        gap = "\n" if one.cls is not None else "\n\n"
        edits.append(Edit(end, end, f"{lead}{gap}{above}{written}\n", REASON))
        edits += imports_beside(edits, one.imports)
    return [*edits, *without(text, tree, [one.decorator for one in found if one.text is None], gone, others)]


def without(
    text: PythonText, tree: ast.Module, makers: Iterable[ast.FunctionDef], gone: Set[int], others: list[bytes]
) -> list[Edit]:
    """Return the edits that take functions out that nobody names any more, but where that is `gone`."""
    edits = []
    for one in {maker.name: maker for maker in makers}.values():
        uses = [node for node in walk(tree) if isinstance(node, ast.Name) and node.id == one.name]
        if all(id(use) in gone for use in uses) and not any(may_name(raw, one.name) for raw in others):
            end = text.next_line(text.end(one) - 1)
            while text.data[end : end + 1] == b"\n":
                end += 1
            edits.append(Edit(text.start(one), end, "", REASON))
    return edits


def imports_beside(edits: list[Edit], imports: Iterable[Edit]) -> list[Edit]:
    """Return the edits that import what others import not yet, each name once."""
    known = {(edit.start, line) for edit in edits if edit.start == edit.end for line in edit.text.splitlines()}
    found = []
    for edit in imports:
        lines = [line for line in dict.fromkeys(edit.text.splitlines()) if (edit.start, line) not in known]
        known |= {(edit.start, line) for line in lines}
        found += [replace(edit, text="".join(f"{line}\n" for line in lines))] if lines else []
    return found


def may_name(raw: bytes, name: str) -> bool:
    """Tell whether another file may name a function: it says the word, and defines nothing under it itself."""
    word = re.escape(name.encode())
    mine = re.search(rb"^(?:async\s+)?def\s+" + word + rb"\b", raw, re.MULTILINE)
    asked = re.search(rb"\.\s*" + word + rb"\b", raw)
    return bool(asked or (re.search(rb"\b" + word + rb"\b", raw) and not mine))


def _written(text: PythonText, here: PythonText, one: _Behind, own: str) -> str:
    """Return the function that stands before a handler as the handler itself, which calls what it stood before.

    `text` is that in which it stands, `here` that of the handler.
    """
    inner, given = one.inner, one.takes
    head = re.compile(rb"(?:async\s+)?def\s+").match(text.data, text.start(inner))
    assert head is not None
    named = [(head.end(), len(inner.name.encode()), one.handler.name)]
    inside = [node for part in inner.body for node in walk(part)]
    asked = {id(node.value): node for node in inside if isinstance(node, ast.Attribute) and node.attr in _NAMES}
    for use in (node for node in inside if isinstance(node, ast.Name) and node.id == given):
        if id(use) not in asked:
            named.append((text.start(use), len(given.encode()), one.called + own))
        elif one.cls is None:
            named.append((text.start(use), len(given.encode()), one.handler.name))
        else:  # which nothing hands on so
            said = asked[id(use)]
            of = f"{one.cls.name}." if said.attr == "__qualname__" else ""
            named.append((text.start(said), text.end(said) - text.start(said), f'"{of}{one.handler.name}"'))
    for call in one.whatever:
        at = text.data.index(b"(", text.end(call.func)) + 1
        named.append((at, text.end(call) - 1 - at, _handing_on(one.handler, method=one.cls is not None)))
    if one.whatever:
        at = text.data.index(b"(", head.end()) + 1
        named.append((at, _parameters_end(text, inner, at) - at, _parameters(here, one.handler)))
    return on_its_own(text, inner, named, one.told)


def on_its_own(text: PythonText, inner: Definition, words: Iterable[tuple[int, int, str]], told: Iterable[str]) -> str:
    """Return a function of another as it stands at the top, with other words at places, and what it is told first."""
    start = text.start(inner)
    data = text.data[start : text.end(inner)]
    for at, size, word in sorted(words, reverse=True):
        data = data[: at - start] + word.encode() + data[at - start + size :]
    left = re.compile(rf"^ {{{inner.col_offset}}}", re.MULTILINE)
    lines = left.sub("", data.decode("utf-8")).split("\n")
    first = inner.body[0].lineno - inner.lineno
    indent = " " * (inner.body[0].col_offset - inner.col_offset)
    return "\n".join([*lines[:first], *(f"{indent}{line}" for line in told), *lines[first:]])


def _parameters(text: PythonText, node: Definition) -> str:
    """Return what stands between the parentheses of a function's parameters."""
    at = text.data.index(b"(", text.start(node)) + 1
    return text.data[at : _parameters_end(text, node, at)].decode("utf-8")


def _parameters_end(text: PythonText, node: Definition, at: int) -> int:
    """Return where the parentheses of a function's parameters close, which open before a place."""
    inside = [*walk(node.args)[1:], *([node.returns] if node.returns is not None else [])]
    end = max((text.end(one) for one in inside if hasattr(one, "end_lineno") and one is not node.returns), default=at)
    return text.data.index(b")", end)


def _handing_on(node: Definition, *, method: bool) -> str:
    """Return the arguments by which a function hands on all that it takes, a method its object before the name."""
    arguments = node.args
    names = [one.arg for one in arguments.args][method:]
    names += [f"*{arguments.vararg.arg}"] if arguments.vararg else []
    names += [f"{one.arg}={one.arg}" for one in arguments.kwonlyargs]
    names += [f"**{arguments.kwarg.arg}"] if arguments.kwarg else []
    return ", ".join(names)
