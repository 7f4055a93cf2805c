"""What goes out of sight comes out the same: who is called unseen, and what is taken back and changed."""

from __future__ import annotations

from pathlib import Path

import pytest
from conftest import Project, some

from vast_ferry import Verdict, carry, check, find_profile
from vast_ferry.definitions.writing import write_definition
from vast_ferry.hub.functions import Entry, Function, RouteTrigger
from vast_ferry.hub.functions import Project as Declared

#: What puts a part of the event away → what takes it back; what both need stands before a bar.
LOST = {
    "from contextvars import ContextVar|kept = ContextVar('c'); kept.set(X)": "kept.get()",
    "import queue|kept = queue.Queue(); kept.put(X)": "kept.get()",
    "from collections import deque|kept = deque(); kept.append(X)": "kept.popleft()",
    "|kept = {}; kept['e'] = X": "kept.pop('e')",
    "|kept = {}; kept.update({'e': X})": "kept.get('e')",
    "|kept = [0]; kept[:] = [X]": "kept[0]",
    "|kept = []; kept.insert(0, X)": "kept[-1]",
    "from types import SimpleNamespace|kept = SimpleNamespace(e=X)": "kept.e",
    "from types import SimpleNamespace|kept = SimpleNamespace(); kept.e = X": "kept.e",
    "import itertools|kept = itertools.chain([X])": "next(kept)",
    "|kept = iter([X])": "next(kept)",
    "|kept = ValueError(X)": "kept.args[0]",
    "from functools import partial|kept = partial(last, X)": "kept()",
    "import copy|kept = copy.copy({'a': X})": "kept['a']",
    "|kept = dict(a=X)": "kept['a']",
    "|kept = {'a': X} | {'b': 1}": "kept['a']",
    "import functools|kept = [1, X]": "functools.reduce(lambda one, other: other, kept)",
    "import operator|kept = [X]": "operator.itemgetter(0)(kept)",
    "|kept = Box(X)": "kept.get()",
    "|kept = Box(X); kept.x.setdefault('b', 2)": "vars(kept)['x']",
    "|STATE['e'] = X": "STATE['e']",
    "|STATE['e'] = X ": "stated()",
    "|last.e = X": "last.e",
    "|kept = [X]": "list(map(lambda one: one, kept))[0]",
    "|kept = lambda one=X: one": "kept()",
    "|kept = last": "kept(1, X)",
    "|kept = {'a': last}": "kept['a'](X)",
    "|kept = named(a=X)": "kept",
    "from concurrent.futures import ThreadPoolExecutor|pool = ThreadPoolExecutor(1)": "pool.submit(lambda: X).result()",
    "from collections import namedtuple|kept = namedtuple('P', 'e')(X)": "kept.e",
    "from collections import ChainMap|kept = ChainMap({}, X)": "kept.maps[1]",
    "import heapq|kept = []; heapq.heappush(kept, (1, X))": "heapq.heappop(kept)[1]",
    "|kept = 0": "either(X, kept)",
    "|kept = given(X)": "next(kept)",
    "from contextlib import ExitStack, nullcontext|kept = ExitStack()": "kept.enter_context(nullcontext(X))",
    "|kept = memo(last)": "kept(X)",
}
LOST_TOP = """import json

STATE = {}


def last(*given):
    return given[-1]


def named(**given):
    return given["a"]


def stated():
    return STATE["e"]


def given(one):
    yield from [one]


def either(one, other):
    return one if one else other


def memo(function):
    held = {}

    def inner(one):
        held[0] = function(one)
        return held[0]

    return inner


class Box:
    def __init__(self, x):
        self.x = x

    def get(self):
        return self.x
"""

#: How a helper of another module is called, beside a handler that just calls it → what stands before the handler.
CALLED = {
    'getattr(parsing, "raw")': "from lib import parsing",
    'vars(parsing)["raw"]': "from lib import parsing",
    "[parsing][0].raw": "from lib import parsing",
    "other.raw": "from lib import parsing\nother = parsing",
    'importlib.import_module("lib.parsing").raw': "import importlib",
    'sys.modules["lib.parsing"].raw': "import sys\nimport lib.parsing",
    '__import__("lib.parsing", fromlist=["raw"]).raw': "",
    "lib.parsing.raw": "import lib.parsing",
    "read": "from lib.parsing import raw as parse\nread = parse",
    "raw": "try:\n    from lib.quick import raw\nexcept ImportError:\n    from lib.parsing import raw",
    "raw ": "from lib import *",
    "raw  ": "from lib import raw",
    "partial(raw)": "from functools import partial\nfrom lib import raw",
    'TABLE["raw"]': "from lib import TABLE",
    "Raw.kinds[0]().read": "from lib import Raw",
    "Raw.__subclasses__()[0]().read": "from lib import Raw",
    "lib.parsing.lib.raw": "import lib.parsing",
}
LIBRARY = {
    "lib/__init__.py": "from lib.parsing import raw, TABLE, Raw\n",
    "lib/parsing.py": """import lib


def raw(event):
    return str(event["call"]["verb"]) + (event.get("content") or "")


TABLE = {"raw": raw}


class Raw:
    kinds = []

    def __init_subclass__(cls):
        Raw.kinds.append(cls)


class Plain(Raw):
    def read(self, event):
        return raw(event)
""",
}


def carried(project: Project, out: Path, codes: dict[str, str], more: dict[str, str], to: str) -> dict[str, list[str]]:
    """Carry a handler `a` of each file, and check it with one request; return what was found of each, by its name."""
    source = find_profile("ostermere@1")
    functions = tuple(
        Function(name, Entry(f"h_{name}.py", "a"), (RouteTrigger(f"/{name}", (), "public"),)) for name in codes
    )
    files: dict[str, str | bytes] = {**more, **write_definition(Declared("unseen", functions=functions), source)}
    for name, code in codes.items():
        files[f"h_{name}.py"] = code
        files[f"samples/{name}/one.yaml"] = f"kind: http\nevent: {{path.raw: /{name}, method: GET}}\n"
    crossing = carry(project(files), to=to, out=out, source=source)
    otherwise = [one for one in check(out).checked if one.verdict is not Verdict.SAME]
    assert not otherwise, otherwise[0]
    return {name: [one.code for one in crossing.findings if one.function == name] for name in codes}


@pytest.mark.parametrize("to", some(["thornwick", "marrowby", "wsgi"], 3))
@pytest.mark.parametrize("part", ['event["call"]', "event"])
def test_what_is_taken_back_is_not_changed_in_a_copy(project: Project, tmp_path: Path, to: str, part: str) -> None:
    codes = {}
    for at, (away, back) in enumerate(LOST.items()):
        imports, _, lines = f"{away}; e = {back}; e['new'] = 1".replace("X", part).partition("|")
        body = "\n    ".join(lines.split("; "))
        shown = f'json.dumps(["new" in {part}, {part}.get("new")])'
        answer = f'return {{"code": 200, "content": {shown}}}'
        codes[f"w{at}"] = f"{imports}\n{LOST_TOP}\n\ndef a(event, ctx):\n    {body}\n    {answer}\n"
    found = carried(project, tmp_path / "out", codes, {}, to)
    quiet = [
        away for away, codes in zip(LOST, found.values(), strict=True) if not any("event-changed" in c for c in codes)
    ]
    assert not quiet


@pytest.mark.parametrize("called", some(CALLED, 4))
def test_a_helper_is_as_it_was_where_somebody_unseen_may_call_it(project: Project, tmp_path: Path, called: str) -> None:
    def handler(call: str, top: str) -> str:
        return f'{top}\n\n\ndef a(event, ctx):\n    return {{"code": 200, "content": {call}(event)}}\n'

    codes = {"plain": handler("raw", "from lib import raw"), "other": handler(called.strip(), CALLED[called])}
    carried(project, tmp_path / "out", codes, LIBRARY, "thornwick")
