"""Ordinary code as handlers: functions of the standard library and of installed packages, with a provider's signature.

Nobody here wrote them, and they were not written for this. What a function takes as parameters is read from the event,
in a name or wherever the parameter stands; what it returns is the answer.
"""

from __future__ import annotations

import ast
import builtins
import functools
import importlib
import inspect
import random
from collections.abc import Iterator

from fuzz_grammar import Piece, Program, Scope, Surface, Writer, answered, kept_as_effect

#: Modules whose functions take texts, mappings and lists, and do nothing to the world.
MODULES = (
    *("textwrap", "string", "html", "shlex", "difflib", "calendar", "statistics", "colorsys", "fnmatch", "posixpath"),
    *("ntpath", "urllib.parse", "email.utils", "email.header", "email.quoprimime", "email.base64mime"),
    *("base64", "binascii", "json.decoder", "json.encoder", "json.scanner", "csv", "configparser", "locale", "token"),
    *("tokenize", "keyword", "pprint", "reprlib", "fractions", "numbers", "decimal", "datetime", "heapq", "bisect"),
    *(
        "collections",
        "functools",
        "operator",
        "copy",
        "types",
        "enum",
        "dataclasses",
        "typing",
        "abc",
        "inspect",
        "ast",
    ),
    *("dis", "linecache", "traceback", "argparse", "optparse", "getopt", "gettext", "http.cookies", "http.cookiejar"),
    *("http.server", "wsgiref.util", "wsgiref.headers", "wsgiref.handlers", "ipaddress", "uuid", "hashlib", "hmac"),
    *("genericpath", "glob", "pathlib", "zipfile", "tarfile", "plistlib", "xml.sax.saxutils", "cgi", "nturl2path"),
    *("quopri", "stringprep", "unicodedata", "sre_parse", "sre_compile", "timeit", "sched", "queue", "random"),
    *("click.utils", "click.formatting", "click.types", "click.parser", "jinja2.utils", "jinja2.filters"),
    *("jinja2.runtime", "jinja2.lexer", "jinja2.idtracking", "markupsafe", "yaml.scanner", "yaml.resolver"),
    *("yaml.constructor", "pydantic.utils", "pydantic._internal._utils", "rich.text", "rich.markup", "rich.cells"),
    *("rich.ansi", "rich.color", "rich.filesize", "pygments.util", "pygments.lexer", "packaging.version"),
    *("packaging.utils", "packaging.specifiers", "packaging.tags", "pluggy._manager", "_pytest.pathlib"),
    *("_pytest.mark.expression", "_pytest.python", "_pytest.assertion.util", "hypothesis.internal.charmap"),
    *("hypothesis.internal.reflection", "hypothesis.internal.intervalsets", "markdown_it.common.utils", "mdurl._parse"),
)


@functools.cache
def functions() -> tuple[tuple[str, ast.FunctionDef], ...]:
    """Return every function that can be made a handler, with its module's name."""
    found = []
    for name in MODULES:
        try:
            module = importlib.import_module(name)
            tree = ast.parse(inspect.getsource(module))
        except Exception:  # not installed here, or no Python
            continue
        known = set(vars(module))
        for node in tree.body:
            if isinstance(node, ast.FunctionDef) and _usable(node, known):
                found.append((name, node))
    return tuple(found)


def _usable(node: ast.FunctionDef, known: set[str]) -> bool:
    arguments = node.args
    if node.decorator_list or arguments.vararg or arguments.kwarg or not 1 <= len(arguments.args) <= 4:
        return False
    body = list(ast.walk(node))
    refused = (ast.Yield, ast.YieldFrom, ast.Await, ast.Global, ast.Nonlocal, ast.Import, ast.ImportFrom)
    if any(isinstance(one, refused) for one in body) or len(body) > 900:
        return False
    names = {one.id for one in body if isinstance(one, ast.Name)}
    if names & {"open", "print", "exec", "eval", "os", "sys", "time", "random", "input", "id", "globals", "locals"}:
        return False
    bound = {one.id for one in body if isinstance(one, ast.Name) and not isinstance(one.ctx, ast.Load)}
    bound |= {one.arg for one in body if isinstance(one, ast.arg)} | {node.name}
    bound |= {
        one.name for one in body if isinstance(one, ast.ExceptHandler | ast.FunctionDef | ast.ClassDef) and one.name
    }
    return all(name in bound or name in known or hasattr(builtins, name) for name in names)


class _InPlace(ast.NodeTransformer):
    """Puts what stands for a parameter wherever it is read."""

    def __init__(self, given: dict[str, str]) -> None:
        self.given = given

    def visit_Name(self, node: ast.Name) -> ast.expr:
        if node.id in self.given and isinstance(node.ctx, ast.Load):
            return ast.parse(self.given[node.id], mode="eval").body
        return node


class _Answering(ast.NodeTransformer):
    """Makes an answer of what is returned, but in functions inside."""

    def __init__(self, answer: list[str]) -> None:
        self.answer = answer

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        return node

    def visit_Lambda(self, node: ast.Lambda) -> ast.AST:
        return node

    def visit_Return(self, node: ast.Return) -> list[ast.stmt]:
        value = ast.unparse(node.value) if node.value is not None else "None"
        return ast.parse("\n".join([f"seen.append(show({value}))", *self.answer])).body


def ordinary(surface: Surface, seed: str) -> Program:
    """Return a program made of a function that somebody wrote for something else."""
    writer = Writer(surface, seed)
    chance: random.Random = writer.random
    name, node = chance.choice(functions())
    scope = Scope(surface.asynchronous, surface.event, surface.parts, surface.inner)
    given = {}
    for at, argument in enumerate(node.args.args):
        code = writer.part(scope, *chance.choice([("text",), ("text",), ("mapping",), ("bytes",), ()]))
        if at and chance.random() < 0.3:
            code = chance.choice([surface.event, *surface.inner, "1", "'a'", "None"])
        given[argument.arg] = code
    for argument in node.args.kwonlyargs:
        given[argument.arg] = "None"
    told = node.body[1:] if ast.get_docstring(node) is not None else node.body
    body = [ast.parse(ast.unparse(one)).body[0] for one in told]
    stored = {
        one.id
        for each in body
        for one in ast.walk(each)
        if isinstance(one, ast.Name) and not isinstance(one.ctx, ast.Load)
    }
    stored |= {one.arg for each in body for one in ast.walk(each) if isinstance(one, ast.arg)}
    in_place = {key: code for key, code in given.items() if key not in stored and chance.random() < 0.5}
    if any(isinstance(one, (ast.FunctionDef, ast.Lambda, ast.GeneratorExp)) for each in body for one in ast.walk(each)):
        # What is inside is no coroutine, and may not await.
        in_place = {key: code for key, code in in_place.items() if "await" not in code}
    top: list[str] = []
    writer.top = top
    answers = answered(writer, scope) if surface.kind == "http" else [*kept_as_effect(writer, scope), "return"]
    body = [one for each in body for one in _listed(_Answering(answers).visit(_InPlace(in_place).visit(each)))]
    lines = [f"{key} = {code}" for key, code in given.items() if key not in in_place]
    lines += "\n".join(ast.unparse(ast.fix_missing_locations(one)) for one in body).split("\n")
    used = {
        one.id
        for each in ast.parse("\n".join(["def f():", *("    " + line for line in lines)])).body
        for one in ast.walk(each)
        if isinstance(one, ast.Name)
    }
    module = vars(importlib.import_module(name))
    wanted = sorted(
        one for one in used if one in module and not hasattr(builtins, one) and one not in (*given, "json", "show")
    )
    top += [f"from {name} import {one}" for one in wanted]
    return Program(surface, (Piece(tuple(lines), tuple(top)),), Piece(tuple(answers), ()), _loop(writer))


def _loop(writer: Writer) -> tuple[str, ...]:
    surface = writer.surface
    return (f"for {surface.event} in {surface.each}:",) if surface.each else surface.levels


def _listed(node: ast.AST | list[ast.stmt]) -> Iterator[ast.stmt]:
    yield from node if isinstance(node, list) else [node]  # type: ignore[misc]
