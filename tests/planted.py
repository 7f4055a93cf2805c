"""`make planted`: mistakes planted in the translator, one at a time, and whether generated handlers show them.

Run: .venv/bin/python tests/planted.py [--minutes 1] [NAME ...]
A copy of the sources is changed and `tests/fuzz.py` run on it until it finds something, a minute at most; what it does
not find is given to the tables of handlers (test_soundness.py, test_rewriting.py, test_unseen.py and their like), and then to
the corpus. Printed: who found each, and when.
The exit status is 1 if one was found by nobody. The first are causes of real differences, put back.
"""

# ruff: noqa: E501  (what stands in the sources is quoted as it stands there)

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

ROOT = Path(__file__).parents[1]
WHERE = "src/vast_ferry/translate/python/"

#: name → file, what stands there once, and what is planted in its place
MISTAKES: dict[str, tuple[str, str, str]] = {
    # causes that were found, put back
    "what is read of an attribute counts as no use of the event": (
        "native.py",
        "id_ in flow.ops or isinstance(flow.values.get(id_), Foreign) for id_",
        "id_ in flow.ops for id_",
    ),
    "a content of None has the type of any other": (
        "reply_reading.py",
        " and (not nothing or self._same_if_nothing())",
        "",
    ),
    "what is noted of an answer that stays as it stands is kept": (
        "replies.py",
        "            take_back()\n            self.at.parts(node)",
        "            self.at.parts(node)",
    ),
    "a content that is left out is an empty text": (
        "reply_reading.py",
        'made.body = part(key, "")',
        "made.body = part(key, '\"\"')",
    ),
    "what a package hands on is not known": (
        "code.py",
        "while known < (known := sum(len(module.names) for module in self.modules.values())):",
        "if known < (known := sum(len(module.names) for module in self.modules.values())):",
    ),
    "a module that is a value is not followed": (
        "flow.py",
        "folder = value.file.removesuffix(",
        "return\n            folder = value.file.removesuffix(",
    ),
    "who is called unseen may change what it is handed": (
        "follow.py",
        "if handed and function.params.get(name) != ANYTHING:",
        "if False:",
    ),
    "only what is reached by known names is followed": (
        "follow.py",
        "flow.waiting |= dict.fromkeys(key for key in reached | flow.alive if key not in flow.followed)",
        "flow.waiting |= reached",
    ),
    "a name that two imports bind stands for the first": ("code.py", "if there != value:", "if False:"),
    "an attribute is looked up in one class only": (
        "kept.py",
        "for one in sorted(self._family(cls)):\n            value",
        "for one in [cls]:\n            value",
    ),
    "a default argument that is not the event is forgotten": (
        "calling.py",
        "return {**_defaults(arguments, self.given), **self.given}",
        "return {**self.given}",
    ),
    "an event in a global is not seen": (
        "statements.py",
        "function.shared = function.nodes.told_global | _bound_late(function.nodes)",
        "function.shared = _bound_late(function.nodes)",
    ),
    "a registry's functions are not known to be called unseen": (
        "follow.py",
        "if is_hidden(flow, function):",
        "if False:",
    ),
    "fields that the source never hands over are read": (
        "idioms.py",
        "if field in _HEADERS and _not_given(field, node.args[0]):",
        "if False:",
    ),
    "lists that were made anew are changed": (
        "objects.py",
        "return isinstance(value, (Batch, Parsed)) or (isinstance(value, Of) and value.made)",
        "return False",
    ),
    "content that a decorator reads as well is kept behind it": (
        "native.py",
        "first = self._first_called(self.handlers[one[0].name])",
        "first = self.handlers[one[0].name]",
    ),
    "what was awaited together is not told": (
        "own_calls.py",
        'self.at.notes.append(("one-after-another", node))',
        "pass",
    ),
    "a text that shows its own source": (
        "writing.py",
        "if isinstance(at, ast.FormattedValue) and self._tells_its_source(at):",
        "if False:",
    ),
    "a batch that is sorted or indexed goes through": (
        "batches.py",
        "    parent = parents.get(id(node))\n    if isinstance(parent, ast.Call) and isinstance(parent.func, ast.Name):",
        "    return True\n    if isinstance(parent, ast.Call) and isinstance(parent.func, ast.Name):",
    ),
    "a subclass of a reply class": (
        "objects.py",
        "if self.function is not None and self.flow.is_of_the_provider(value.key):",
        "if False:",
    ),
    "a content that is read twice": ("ops.py", 'raise Stop("content-read-twice", node)', "pass"),
    "an event that is deleted": (
        "statements.py",
        'raise self.stop("event-changed", target)\n                self.env.pop',
        "pass\n                self.env.pop",
    ),
    "coroutines that are handed on become plain": (
        "render.py",
        "if not all(map(self._is_awaited, read or [node])):",
        "if False:",
    ),
    "a coroutine of somebody else's is gathered": ("own_calls.py", "if not self._done_by_itself(part):", "if False:"),
    "a query that repeats is looked up in one value": (
        "idioms.py",
        "if every and default is None and not self._multi(base):",
        "how = How.FIRST if every else how\n        if every and default is None and not self._multi(base):",
    ),
    "an await inside of a generator": (
        "expressions.py",
        "if theirs and self.function is not None and in_generator(node, self.function.nodes.parents):",
        "if False:",
    ),
    "a function that is defined twice": ("code.py", "again |= {node.name} & defined", "pass"),
    "a helper is shared with what is wrapped": (
        "native.py",
        "if shared:\n                function = flow.functions[shared[0]]",
        "if False:\n                function = flow.functions[shared[0]]",
    ),
    "content in another charset is not told": ("ops.py", 'self.at.notes.append(("json-in-utf-8", node))', "pass"),
    "what a list holds is nobody's": (
        "objects.py",
        "return self._is_the_events(value) or (isinstance(value, Of) and value.holds)",
        "return self._is_the_events(value)",
    ),
    # mistakes in following
    "a syntax that nobody knows is not looked into": (
        "expressions.py",
        "for child in ast.iter_child_nodes(node):\n            if isinstance(child, ast.expr):\n                self.eval(child)\n            elif isinstance(child, ast.keyword):",
        "for child in ():\n            if isinstance(child, ast.expr):\n                self.eval(child)\n            elif isinstance(child, ast.keyword):",
    ),
    "where ways meet, the first counts": (
        "following.py",
        "        if len(ends) == 1:\n            return ends[0]",
        "        if ends:\n            return ends[0]",
    ),
    "a loop is followed once": (
        "statements.py",
        "if not turned or not self._comes_round(node, start, again):",
        "if True:",
    ),
    "a handler of exceptions begins where its try does": (
        "statements.py",
        "start = self.joined(self.ways.pop())",
        "start = self.ways.pop()[0]",
    ),
    "what `with` gives is not the event's": (
        "statements.py",
        "plain = MADE if self._is_the_events(held) else NOTHING",
        "plain = NOTHING",
    ),
    "one side of a condition is forgotten": (
        "expressions.py",
        "if self._is_the_events(one) or self._is_the_events(other):\n            return MADE",
        "if self._is_the_events(one):\n            return MADE",
    ),
    "names of a comprehension stay": (
        "expressions.py",
        "        else:\n            self.env = before\n        return Of(type_of_constant(node)",
        "        return Of(type_of_constant(node)",
    ),
    "a name that is read later": (
        "expressions.py",
        "        if function is None:\n            return\n        for name in {inner.id",
        "        return\n        for name in {inner.id",
    ),
    "`or` and `and` give nothing": (
        "expressions.py",
        "made = any(self._is_the_events(value) for value in values)\n        holds",
        "made = False\n        holds",
    ),
    "starred arguments are counted as they stand": (
        "calling.py",
        "starred = starred or isinstance(argument, ast.Starred)",
        "starred = False",
    ),
    "a function that is handed on is only called": (
        "expressions.py",
        "if not _only_named(own, above):",
        "if False:",
    ),
    "methods that are asked for by name": (
        "objects.py",
        "                        function.referred = True",
        "                        pass",
    ),
    "what is added to a part": (
        "statements.py",
        'if self._is_the_events(before):\n                raise self.stop("event-changed", node)',
        "if False:\n                pass",
    ),
    "`finally` is reached in one way": (
        "statements.py",
        "self.env, self.dead = self.joined([*ways, after]), False",
        "self.env, self.dead = after, False",
    ),
    "what `match` names is not the event's": (
        "statements.py",
        "part = MADE if self._gives_parts(self.eval(node.subject)) else NOTHING",
        "self.eval(node.subject)\n        part = NOTHING",
    ),
    "a class inside": (
        "statements.py",
        "if isinstance(value, Foreign) or (",
        "if (",
    ),
    "a default of a function inside": (
        "statements.py",
        'if isinstance(self.lookup(name.id), Foreign):\n                    raise self.stop("at-definition", outside, name.id)',
        "pass",
    ),
    "identity is asked for": (
        "expressions.py",
        "if theirs and not alone:",
        "if False:",
    ),
    "a changing method": (
        "calling.py",
        "if changes and self.idioms.service(base, function.attr) is None:",
        "if False:",
    ),
    "functions of a table don't agree": (
        "job.py",
        "if list(facts.needs) != list(needs) or facts.awaits != awaits:",
        "if False:",
    ),
    "a table that is handed on is only asked": (
        "tables.py",
        "return all(asks(use, parents) for use in uses if isinstance(use.ctx, ast.Load))",
        "return True",
    ),
    "what nobody is seen to call stays as it is": (
        "native.py",
        "if isinstance(op, ServiceCall) and not flow.keeps_client(op.client.called):",
        "if False:",
    ),
    "any decoding is UTF-8": (
        "contents.py",
        "return not isinstance(encoding, ast.Constant) or str(encoding.value).lower() in _UTF_8",
        "return True",
    ),
    "what overrides a method is not seen": (
        "objects.py",
        "[*self.flow.methods(base.key, name)]",
        "[one] if (one := self.flow.method(base.key, name)) else []",
    ),
    "what is given under a method's name is not seen": (
        "objects.py",
        "self.flow.is_told_otherwise(base.key, name) or self.flow.is_made_otherwise(base.key)",
        "False",
    ),
    "an item is set": (
        "statements.py",
        "if isinstance(base, (Spot, Batch, Parsed)) or self._is_the_events(base):",
        "if False:",
    ),
    "an assignment goes though it is read": ("follow.py", "if loose and not inner:", "if False:"),
    "a clash is the first that was there": (
        "flow.py",
        "if isinstance(joined, Clash) and not function.entry:",
        "if isinstance(joined, Clash) and before is not None:\n            joined = before\n        elif isinstance(joined, Clash) and not function.entry:",
    ),
    "a break is forgotten": ("statements.py", "self.loops[-1].left.append(dict(self.env))", "pass"),
    "a continue is forgotten": ("statements.py", "self.loops[-1].turned.append(dict(self.env))", "pass"),
    "no exception is swallowed": (
        "statements.py",
        "self.meet([*ends, *left] if swallows else ends)",
        "self.meet(ends)",
    ),
    "a pattern that does not match binds nothing": (
        "statements.py",
        "self.env = self.joined([before, asked])",
        "self.env = before",
    ),
    "what a condition binds is forgotten": (
        "expressions.py",
        "self.env = before if self.named == named else self.joined(ends)",
        "self.env = before",
    ),
    "a name that is bound on some ways is bound": (
        "following.py",
        "if (everywhere or not foreign) and all(",
        "if all(",
    ),
    "attributes are asked of known objects only": (
        "kept.py",
        "return self._all or name in self._asked or name in self._stored or cls in self._open",
        "return False",
    ),
    "a handler behind a decorator is given outputs as parameters": (
        "binding.py",
        "                or node.decorator_list\n",
        "",
    ),
    "a handler may give nothing where a list is asked for": (
        "job.py",
        'any(one.when in ("nothing", "always") for one in shape.forms)',
        "shape.forms",
    ),
    "an object that is handed on keeps its table to itself": (
        "registries.py",
        "if not attributes or not _is_closed(modules, module, cls, methods):",
        "if not attributes:",
    ),
    "who else names a table that an object keeps is not seen": (
        "registries.py",
        "                    return None\n                continue",
        "                    pass\n                continue",
    ),
    "what a decorator lets through is left out": (
        "signatures.py",
        "if behind or function.leading is not None:",
        "if behind:",
    ),
    "a module that is a value hands nothing out": (
        "follow.py",
        "in ModuleValues(flow).asked():",
        "in ():",
    ),
    "who else tells what a name stands for that begins so is not asked": (
        "classes.py",
        "plain = plain and not (name.startswith(begins) and (None in by or not family.isdisjoint(by)))",
        "plain = plain and True",
    ),
    "what a class of outside the project has before a method of the project's is not asked": (
        "classes.py",
        "any(self.is_had_from_outside(one, name) for one in family)",
        "False",
    ),
    "a class of outside the project sets no object up in place of the project's": (
        "calling.py",
        'if init is not None and self.flow.is_had_from_outside(target.key, "__init__"):',
        "if False and init is not None:",
    ),
    "who asks an object for what it holds is not followed again when that is known": (
        "flow.py",
        "self.waiting |= self.ask_objects.get(name, {})",
        "pass",
    ),
    "what an object is given of the event's later is forgotten": (
        "statements.py",
        "self.flow.keep_attribute(base.key, name, value)",
        "pass",
    ),
    "things of the event that are made at each read are taken for equal": (
        "objects.py",
        'raise self.stop("equality", node)',
        "return",
    ),
    "an object of a data class may be compared by the event that it holds": (
        "expressions.py",
        "if isinstance(held, Foreign) or self._gives_parts(held):",
        "if isinstance(held, Foreign):",
    ),
    "a data class may be found again by what it holds": (
        "objects.py",
        "            self.flow.looked_into([value])\n\n    def compared",
        "            pass\n\n    def compared",
    ),
    "a field of a data class that isn't given counts as given": (
        "data_classes.py",
        "taken = [one for one in fields if one.given]",
        "taken = fields",
    ),
}


def found_by(folder: Path, minutes: float) -> tuple[str, float]:
    """Return who finds a mistake that stands in a copy of the project, and after how many seconds."""
    env = {**os.environ, "PYTHONPATH": str(folder / "src")}
    began = time.monotonic()
    fuzz = [sys.executable, "tests/fuzz.py", "--minutes", str(minutes), "--most", "1", "--seed", "11"]
    if subprocess.run(fuzz, cwd=folder, env=env, capture_output=True, check=False).returncode:
        return "generated handlers", time.monotonic() - began
    tables = [sys.executable, "-m", "pytest", "-q", "-x", "-n", "2", "-p", "no:cacheprovider"]
    tables += [f"tests/test_{one}.py" for one in ("soundness", "rewriting", "unseen", "alike", "unlike", "services")]
    whole = {**env, "SHARE": "whole"}
    if subprocess.run(tables, cwd=folder, env=whole, capture_output=True, check=False).returncode:
        return "the tables", time.monotonic() - began
    corpus = [*tables[:9], "-m", "share or not slow", "tests/test_corpus.py"]
    if subprocess.run(corpus, cwd=folder, env=whole, capture_output=True, check=False).returncode:
        return "the corpus", time.monotonic() - began
    return "nobody", time.monotonic() - began


def main(arguments: Sequence[str]) -> int:
    """Plant each mistake, print who found it, and return the exit status."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=1.0)
    parser.add_argument("names", nargs="*")
    told = parser.parse_args(arguments)
    missed = 0
    for name, (file, before, after) in MISTAKES.items():
        if told.names and name not in told.names:
            continue
        with tempfile.TemporaryDirectory() as made:
            folder = Path(made)
            for part in ("src", "tests", "examples"):
                shutil.copytree(ROOT / part, folder / part, ignore=shutil.ignore_patterns("__pycache__"))
            shutil.copy(ROOT / "pyproject.toml", folder)
            page = folder / WHERE / file
            text = page.read_text(encoding="utf-8")
            if text.count(before) != 1:
                raise SystemExit(f"{name}: what is to be changed in {file} does not stand there once")
            page.write_text(text.replace(before, after), encoding="utf-8")
            who, seconds = found_by(folder, told.minutes)
        missed += who == "nobody"
        print(f"{who:18} {seconds:5.0f} s  {name}", flush=True)
    print(f"{missed} of {len(MISTAKES)} found by nobody")
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
