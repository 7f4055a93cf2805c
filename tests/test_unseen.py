"""What goes out of sight comes out the same: who is called unseen, and what is taken back and changed."""

from __future__ import annotations

import itertools
from pathlib import Path

import pytest
from conftest import Project, declaring, some

from vast_ferry import Verdict, carry, check, find_profile
from vast_ferry.hub.functions import Entry, Function, RouteTrigger

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
    "{0: importlib.import_module(THERE).only}[0]": "import importlib\nTHERE = 'alone'",
    "list(map(import_module, ['alone']))[0].only": "from importlib import import_module",
    "{0: [alone][0].only}[0]": "import alone",
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
    "MODULES[0].seen": "from lib import parsing\n\nMODULES = [parsing]",
    "[one.seen for one in (parsing,)][0]": "from lib import parsing",
    "ROUTES['GET']": "from routes import ROUTES",
    "getattr(hooks, 'on_' + 'get')": "import hooks",
    "hooks.Hooks.on_put": "import hooks",
    "handed_on": "from above import seen as handed_on",
    "third": "import os\nif os.environ.get('QUICK'):\n    from quick import third\nelse:\n    from slow import third",
}
LIBRARY = {
    "lib/__init__.py": "from lib.parsing import raw, TABLE, Raw\n",
    "lib/parsing.py": """import lib


def raw(event):
    return str(event["call"]["verb"]) + (event.get("content") or "")


def seen(event):
    return event["call"]["path"] + event["call"]["verb"]


TABLE = {"raw": raw}


class Raw:
    kinds = []

    def __init_subclass__(cls):
        Raw.kinds.append(cls)


class Plain(Raw):
    def read(self, event):
        return raw(event)
""",
    "alone.py": "def only(event):\n    return event['call']['verb'].lower()\n",
    "counting.py": "def twice(event):\n    return 2 * event['call']['verb']\n",
    "routes.py": """from lib.parsing import seen

ROUTES = {}


def on(verb):
    def register(function):
        ROUTES[verb] = function
        return function

    return register


@on("GET")
def get(event):
    return seen(event)
""",
    "hooks.py": """from lib import parsing


def on_get(event):
    return parsing.seen(event)


class Hooks:
    def on_put(event):
        return on_get(event)
""",
    "quick.py": "def third(event):\n    return 'quick'\n",
    "slow.py": "def third(event):\n    return event['call']['path']\n",
    # Handed on by three files, each read before the one that it has it of.
    "above.py": "from below import seen\n",
    "below.py": "from further import seen\n",
    "further.py": "from lib.parsing import seen\n",
}


def carried(
    project: Project, out: Path, codes: dict[str, str], more: dict[str, str], to: str, source_name: str = "ostermere@1"
) -> dict[str, list[str]]:
    """Carry a handler `a` of each file, and check it with one request; return what was found of each, by its name."""
    source = find_profile(source_name)
    functions = tuple(
        Function(name, Entry(f"h_{name}.py", "a"), (RouteTrigger(f"/{name}", (), "public"),)) for name in codes
    )
    files = {**more, **declaring(source, *functions)}
    for name, code in codes.items():
        files[f"h_{name}.py"] = code
        files[f"samples/{name}/one.yaml"] = f"kind: http\nevent: {{path.raw: /{name}, method: GET}}\n"
    crossing = carry(project(files), to=to, out=out, source=source)
    otherwise = [one for one in check(out).checked if one.verdict is not Verdict.SAME]
    assert not otherwise, otherwise[0]
    return {name: [one.code for one in crossing.findings if one.function == name] for name in codes}


@pytest.mark.parametrize("to", some(["thornwick", "marrowby", "wsgi"], 3))
@pytest.mark.parametrize("part", some(["event", 'event["call"]'], 2))
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


@pytest.mark.parametrize("wrapped", [False, True], ids=["rewritten", "wrapped"])
@pytest.mark.parametrize("called", some(CALLED, 9))
def test_a_helper_is_as_it_was_where_somebody_unseen_may_call_it(
    project: Project, tmp_path: Path, called: str, wrapped: bool
) -> None:
    def handler(call: str, top: str) -> str:
        return f'{top}\n\n\ndef a(event, ctx):\n    return {{"code": 200, "content": {call}(event)}}\n'

    # `raw` is a value in a table as well, `seen` has its name alone.
    own = "seen" if called.startswith(("MODULES", "[one", "ROUTES", "hooks", "getattr(hooks", "handed")) else "raw"
    own, file = ("only", "alone") if ".only" in called else (own, "lib.parsing")
    plain = handler(own, f"from {file} import {own}")
    codes = {"plain": plain, "other": handler(called.strip(), CALLED[called])}
    if wrapped:  # it hands a method of the context on; and for one that does so as well, another helper stands twice
        does = "def a(event, ctx):\n    list(map(ctx.left_ms, ()))\n"
        again = handler("twice", "from counting import twice")
        both = "from counting import twice\n" + plain.replace(f"{own}(event)", f"{own}(event) + twice(event)")
        codes = {"plain": both} | {
            name: code.replace("def a(event, ctx):\n", does)
            for name, code in (("again", again), ("other", codes["other"]))
        }
    found = carried(project, tmp_path / "out", codes, LIBRARY, "thornwick")
    assert all("wrapped-" in " ".join(found[name]) for name in codes if wrapped and name != "plain")


#: How a helper that changes its event is called, by whom nobody sees.
CHANGING = (
    "for step in [change]: step(event)",
    "STEPS['a'](event)",
    "STEPS.get(event['call']['verb'], change)(event)",
    "getattr(sys.modules[__name__], 'change')(event)",
    "list(map(change, [event]))",
    "Step().run(event)",
    "registered[0](event)",
    "globals()['change'](event)",
    "(lambda how: how(event))(change)",
)
CHANGES = """import sys


def change(event):
    event["call"]["path"] = "/changed"


STEPS = {"a": change}
registered = []


class Step:
    how = staticmethod(change)

    def run(self, event):
        self.how(event)


def register(function):
    registered.append(function)
    return function


@register
def also(event):
    event["call"]["path"] = "/also"
"""


def test_what_somebody_unseen_changes_is_seen(project: Project, tmp_path: Path) -> None:
    answer = 'return {"code": 200, "content": event["call"]["path"]}'
    codes = {f"c{at}": f"{CHANGES}\n\ndef a(event, ctx):\n    {how}\n    {answer}\n" for at, how in enumerate(CHANGING)}
    carried(project, tmp_path / "out", codes, {}, "thornwick")


#: What a decorator hands on besides → how the handler takes it, what it says of it, and whether it is rewritten.
GIVEN_MORE = {
    "event.get('who')": ("who", "who and who['id']", True),
    "event['call']['slots'].get('hive', 'none')": ("hive", "hive.upper()", True),
    "who=event['call']['first']": ("*, who", "sorted(who)", True),
    "event['call']['site'], more=1": ("site, late=None, *, more, also=(2,)", "(site, late, more, also)", True),
    "event['call'], limit=3": ("call, limit=2", "(call['path'], limit)", True),
    "json.loads(event['content'] or 'null')": ("body=None", "body", True),
    "event['call']": ("call", "(call.update(path='/changed'), event['call']['path'])", False),
    "lambda: event": ("late", "late()['call']['path']", True),
    "Held(event)": ("held", "held.path()", True),
    "event": ("again", "(again is event, again['call']['path'])", False),
    "*[1]": ("one", "one", True),
}
AROUND = """import functools
import json


class Held:
    def __init__(self, event):
        self.event = event

    def path(self):
        return self.event["call"]["path"]


def around(handler):
    @functools.wraps(handler)
    def inner(event, ctx):
        if event["call"]["verb"] == "PUT":
            return {"code": 405}
        return handler(event, ctx, %s)

    return inner


@around
def a(event, ctx, %s):
    return {"code": 200, "content": repr(%s)}
"""


def test_a_decorator_may_hand_on_more(project: Project, tmp_path: Path) -> None:
    codes = {f"g{at}": AROUND % (given, *taken[:2]) for at, (given, taken) in enumerate(GIVEN_MORE.items())}
    came = carried(project, tmp_path / "out", codes, {}, "thornwick")
    rewritten = [not any(code.startswith("wrapped") for code in came[name]) for name in codes]
    assert dict(zip(GIVEN_MORE, rewritten, strict=True)) == {given: taken[2] for given, taken in GIVEN_MORE.items()}


#: Classes whose objects answer by a method that may be another's → what makes the object, or calls it.
FAMILIES = {
    "overridden": (
        "class Own(View):\n    def get(self, event):\n        return event['call']['path']\n",
        "Own().handle(event)",
    ),
    "overridden twice": (
        "class Own(View):\n    def get(self, event):\n        return event['call']['path']\n\n\n"
        "class Other(Own):\n    def get(self, event):\n        return ['other', *paths(event)]\n",
        "[Own().handle(event), Other().handle(event)]",
    ),
    "called by its object": (
        "class Own(View):\n    def get(self, event):\n        return event['call']['path']\n",
        "Own()(event)",
    ),
    "the call overridden": (
        "class Own(View):\n    def __call__(self, event):\n        return event['call']['path']\n\n\n"
        "def through(view: View, event):\n    return view(event)\n",
        "through(Own(), event)",
    ),
    "a diamond": (
        "class Left(View):\n    pass\n\n\n"
        "class Right(View):\n    def get(self, event):\n        return event['call']['path']\n\n\n"
        "class Own(Left, Right):\n    pass\n",
        "[Own().get(event), Own().handle(event)]",
    ),
    "a mixin": (
        "class Asks:\n    def ask(self, event):\n        return self.get(event)\n\n\n"
        "class Own(Asks, View):\n    def get(self, event):\n        return event['call']['path']\n",
        "Own().ask(event)",
    ),
    "an alias in the class": ("class Own(View):\n    get = by_path\n", "[Own().get(event), Own().handle(event)]"),
    "an alias alone": ("class Own:\n    get = by_path\n", "Own().get(event)"),
    "an attribute of the object": (
        "class Own(View):\n    def __init__(self):\n        self.get = paths\n",
        "[Own().get(event), Own().handle(event)]",
    ),
    "set from outside": (
        "class Own(View):\n    pass\n\n\nOwn.get = by_path\n",
        "[Own().get(event), Own().handle(event)]",
    ),
    "set on the base": ("class Own(View):\n    pass\n\n\nView.get = by_path\n", "Own().handle(event)"),
    "by its name": (
        "class Own(View):\n    def get(self, event):\n        return event['call']['path']\n\n\n"
        "setattr(Own, 'get', by_path)\n",
        "Own().handle(event)",
    ),
    "a class method": (
        "class Own(View):\n    @classmethod\n    def get(cls, event):\n        return [cls.__name__, *paths(event)]\n",
        "Own().handle(event)",
    ),
    "a static method": (
        "class Own(View):\n    @staticmethod\n    def get(event):\n        return event['call']['path']\n",
        "[Own().handle(event), Own.get(event)]",
    ),
    "a property": (
        "class Own(View):\n    @property\n    def get(self):\n        return paths\n",
        "Own().handle(event)",
    ),
    "under a condition": (
        "class Own(View):\n    if TABLE:\n        def get(self, event):\n            return event['call']['path']\n",
        "Own().handle(event)",
    ),
    "of above": (
        "class Own(View):\n    def get(self, event):\n        return [super().get(event), *paths(event)]\n",
        "Own().handle(event)",
    ),
    "one of several": (
        "class Own(View):\n    def get(self, event):\n        return event['call']['path']\n\n\n"
        "class Other(View):\n    def get(self, event):\n        return event['call']['verb']\n",
        "[one().handle(event) for one in (Own, Other)]",
    ),
    "subclasses by their base": (
        "class Own(View):\n    def get(self, event):\n        return event['call']['path']\n",
        "[one().handle(event) for one in View.__subclasses__()]",
    ),
    "made by type": ("Own = type('Own', (View,), {'get': by_path})\n", "[Own().get(event), Own().handle(event)]"),
    "a delegate": (
        "class Own(View):\n    def get(self, event):\n        return event['call']['path']\n\n\n"
        "class Hands:\n    def __init__(self, view: View):\n        self.view = view\n\n"
        "    def go(self, event):\n        return self.view.handle(event)\n",
        "Hands(Own()).go(event)",
    ),
    "a delegate by getattr": (
        "class Hands:\n    def __init__(self, view):\n        self.view = view\n\n"
        "    def __getattr__(self, name):\n        return getattr(self.view, name)\n",
        "Hands(View()).handle(event)",
    ),
    "a slot": (
        "class Own(View):\n    __slots__ = ('get',)\n\n    def __init__(self):\n        self.get = paths\n",
        "Own().handle(event)",
    ),
    "answered for": (
        "class Own:\n    def ask(self, event):\n        return getattr(self, f'g{ENDS}')(event)\n\n"
        "    def __getattr__(self, name):\n        return paths\n\n"
        "    def get_all(self, event):\n        return event['call']['path']\n",
        "Own().ask(event)",
    ),
    "decorated": (
        "def also(method):\n    return lambda self, event: [type(event).__name__, method(self, event)]\n\n\n"
        "class Own(View):\n    @also\n    def get(self, event):\n        return event['call']['path']\n",
        "Own().handle(event)",
    ),
    "the class decorated": (
        "def also(cls):\n    cls.get = by_path\n    return cls\n\n\n"
        "@also\nclass Own(View):\n    def get(self, event):\n        return event['call']['verb']\n",
        "Own().handle(event)",
    ),
    "of a class unseen": (
        "from collections import UserDict\n\n\nclass Own(UserDict, View):\n    pass\n",
        "Own({'get': 1}).handle(event)",
    ),
    "of a class unseen, two further up": (
        "from collections import UserDict\n\n\nclass Left(UserDict):\n    pass\n\n\nclass Own(Left, View):\n    pass\n",
        "Own({'get': 1}).handle(event)",
    ),
    "of a class unseen that stands behind": (
        "class Own(View, dict):\n    pass\n",
        "Own({'get': 1}).handle(event)",
    ),
    "set up by a class unseen": (
        "class Told:\n    def __init__(self, event, *more):\n        self.path = event['call']['path']\n\n\n"
        "from logging import LoggerAdapter\n\n\nclass Own(LoggerAdapter, Told):\n    pass\n",
        "Own(event).logger['call']['path']",
    ),
    "a class inside": (
        "def made():\n    class Own(View):\n        def get(self, event):\n            return event['call']['path']\n\n"
        "    return Own()\n",
        "made().handle(event)",
    ),
}
#: What stands there only where it is named: whatever is asked for anywhere counts as asked for everywhere.
NAMED = {
    "TABLE": "TABLE = {'a': 1}\n\n\n",
    "BEGINS": "BEGINS = 'g'\n\n\n",
    "ENDS": "ENDS = 'et'\n\n\n",
    "paths": "def paths(event):\n    return [event['call']['path'], event['call']['verb']]\n\n\n",
    "by_path": "def by_path(self, event):\n    return event['call']['path']\n\n\n",
}
FAMILY = """class View:
    def handle(self, event):
        return %s(event)
%s
    def get(self, event):
        %s


%s

def a(event, ctx):
    return {"code": 200, "content": repr(%s)}
"""


def family(how: str, above: str, asked: str = "self.get") -> str:
    """Return the code of a family of classes, and of the handler that calls one of its objects."""
    called = "\n    def __call__(self, event):\n        return self.get(event)\n" if "call" in how else ""
    code = FAMILY % (asked, called, above, *FAMILIES[how])
    return "".join(text for name, text in NAMED.items() if name in code) + code


#: How an object asks itself for its method: by the name, or by how the name begins.
ASKED = (
    "self.get",
    "getattr(self, f'{BEGINS}et', None)",
    "getattr(self, f'g{ENDS}', None)",
    "getattr(self, 'g' + ENDS)",
)
#: What the method of the class above does.
ABOVE = ("return ['base']", "raise NotImplementedError", "return event['call']['path']")


SOURCES = ("thornwick@2", "ostermere@1")
#: What a handler reads and answers at a provider whose events are objects.
AS_OBJECTS = {
    'event["call"]["path"]': "event.path",
    "event['call']['path']": "event.path",
    'event["call"]["verb"]': "event.verb",
    "event['call']['verb']": "event.verb",
    "def a(event, ctx)": "def a(event)",
    'return {"code": 200, "content": ': "return (",
    ")}\n": "))\n",
}
#: Each at one of the two providers in turn.
EVERY = [(*one, SOURCES[at % 2]) for at, one in enumerate(itertools.product(FAMILIES, ABOVE, ASKED))]


def out_of_sight() -> dict[str, tuple[str, str]]:
    """Return ways in which code gets hold of an event: what stands at the top of the file, and how it is called."""
    files = [Path(__file__).parent / "projects" / f"{name}.txt" for name in ("out_of_sight", "small_python")]
    texts = [one for file in files for one in file.read_text(encoding="utf-8").split("#### ")[1:]]
    sections = [one.partition("\n") for one in texts]
    return {head.partition(" | ")[0]: (top, head.partition(" | ")[2]) for head, _, top in sections}


def as_there(code: str, source: str) -> tuple[str, str]:
    """Return code as it is at a provider, and where it is carried."""
    if source == "ostermere@1":
        return code, "thornwick"
    for one, other in AS_OBJECTS.items():
        code = code.replace(one, other)
    return code, "ostermere@1"


WAYS = out_of_sight()


@pytest.mark.parametrize(("name", "source"), some(zip(WAYS, itertools.cycle(SOURCES)), 27))
def test_whoever_gets_hold_of_an_event_finds_it_as_it_was(
    project: Project, tmp_path: Path, name: str, source: str
) -> None:
    answer = f'def a(event, ctx):\n    return {{"code": 200, "content": repr({WAYS[name][1]})}}\n'
    code, to = as_there(f"{WAYS[name][0]}\n\n{answer}", source)
    carried(project, tmp_path / "out", {"i": code}, {}, to, source)


@pytest.mark.parametrize(("how", "above", "asked", "source"), some(EVERY, 40))
def test_whichever_class_an_object_is_of_it_gets_its_event(
    project: Project, tmp_path: Path, how: str, above: str, asked: str, source: str
) -> None:
    code, to = as_there(family(how, above, asked), source)
    carried(project, tmp_path / "out", {"i": code}, {}, to, source)
