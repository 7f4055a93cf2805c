"""Functions that are handed to functions, written in short, or kept by objects, as a generator of handlers writes them.

Each gives what stands at the top of a file and the statements of a handler. `event` is the handler's name for its
event, `text` and `value` give expressions of the event under a name. Nothing here knows a provider.
"""

from __future__ import annotations

import random
from collections.abc import Callable

Lines = tuple[list[str], list[str]]
Reads = Callable[[str], str]

TAKERS = [
    "def {0}(act, *args, **more):\n    return act(*args, **more)",
    "def {0}(act, *args):\n    try:\n        return act(*args)\n    except (LookupError, TypeError) as error:\n"
    "        return type(error).__name__",
    "def {0}(act, event, n=1):\n    return [act(event) for _ in range(n)]",
    "def {0}(act, event):\n    return act(event) if act is not None else 'none'",
    "def {0}(act, event):\n    def inner():\n        return act(event)\n    return inner()",
    "def {0}(act, event):\n    for way in (act, act):\n        found = way(event)\n    return found",
    "def {0}(act, *args):\n    return [act(*args), len(args), {0}_on(act, *args)]\n\n\n"
    "def {0}_on(act, event):\n    return act(event)",
]


def handed(choices: random.Random, fresh: Callable[[str], str], event: str, text: Reads, value: Reads) -> Lines:
    """Return a function that takes another, and calls of it with functions, methods, lambdas and other things."""
    taker, act, cls = fresh("takes"), fresh("act"), fresh("Acts")
    top = [choices.choice(TAKERS).format(taker)]
    top.append(f"def {act}(event):\n    return {text('event')}")
    top.append(f"def {act}_more(event, more=2):\n    return [more, {value('event')}]")
    top.append(f"class {cls}:\n    def told(self, event):\n        return {text('event')}\n    __call__ = told")
    ways = [
        *(f"{taker}({act}, {event})", f"{taker}({act}, {event})", f"{taker}({act}_more, {event})"),
        *(
            f"{taker}(lambda one: {text('one')}, {event})",
            f"{taker}({cls}().told, {event})",
            f"{taker}({cls}(), {event})",
        ),
        *(f"{taker}({act}, {{}})", f"{taker}(len, 'ab')", f"{taker}(None, {event})", f"[{taker}][0]({act}, {event})"),
        *(f"{taker}(act={act}, event={event})", f"{taker}({act} or len, {event})", f"{taker}(*[{act}, {event}])"),
    ]
    return top, [line for way in choices.sample(ways, choices.randrange(1, 4)) for line in _shown(way)]


def in_short(choices: random.Random, fresh: Callable[[str], str], event: str, text: Reads, value: Reads) -> Lines:
    """Return loops that are written in short: `map`, `filter`, `reduce`, `any`, `all`, `next`, over the event too."""
    act, steps = fresh("act"), fresh("steps").upper()
    top = ["import functools", "from functools import reduce"]
    top.append(f"def {act}(event, more=0):\n    return [{value('event')}, more]")
    top.append(f"def {act}_is(event):\n    return bool({text('event')})")
    top.append(f"def {act}_on(state, n):\n    return [*state, n, len(seen)] if False else [*state, n]")
    top.append(f"def {act}_one(state):\n    return {{**state, 'one': len(state)}}\n{steps} = [{act}_one, {act}_one]")
    held = fresh("held")
    statements = [
        [f"for {held} in filter({act}_is, [{event}, {event}]):", f"    seen.append(show({value(held)}))"],
        [f"for {held} in map({act}, [{event}]):", f"    seen.append(show({held}))"],
        [f"for {held} in map(lambda one: {text('one')}, [{event}]):", f"    seen.append(show({held}))"],
        [f"{held} = reduce({act}_on, [1, {text(event)}], [])", f"seen.append(show({held}))"],
        [
            f"{held} = reduce(lambda made, step: step(made), {steps}, {{'a': {text(event)}}})",
            f"seen.append(show({held}))",
        ],
    ]
    asked = [
        f"list(map({act}, [{event}]))",
        f"[one for one in filter({act}_is, [{event}])]  == [{event}]",
        f"any({act}_is(one) for one in [{event}])",
        f"all({act}_is(one) for one in [{event}, {event}])",
        f"next(({act}(one) for one in [{event}] if {act}_is(one)), None)",
        f"sum(map({act}_is, [{event}, {event}]))",
        f"next(filter(lambda one: {act}_is(one), [{event}]), None) is None",
        f"functools.reduce({act}_on, map(lambda one: {text('one')}, [{event}]), [])",
    ]
    lines = choices.choice([*statements, *map(_shown, asked)])
    return top, lines if lines[0].startswith("try") else _tried(lines)


def in_data_classes(
    choices: random.Random, fresh: Callable[[str], str], event: str, text: Reads, value: Reads
) -> Lines:
    """Return a data class that keeps the event, and what is done with its objects: read, compared, lost, handed on."""
    cls, one = fresh("Data"), fresh("one")
    flags = choices.choice(["", "(frozen=True)", "(eq=False)", "(order=True)"])
    body = f"    event: object\n    n: int = 1\n    def told(self):\n        return {text('self.event')}"
    top = ["from dataclasses import dataclass, replace", f"@dataclass{flags}\nclass {cls}:\n{body}"]
    top.append(f"def {cls.lower()}_of(given, other=None):\n    return given.told() if given is not None else other")
    top.append(f"class {cls}Held:\n    def __init__(self, given):\n        self.given = given")
    made, name = f"{cls}({event})", cls.lower()
    ways = [
        *(f"{made}.told()", f"{name}_of({made})", f"{name}_of(None, {made}) is None", f"{made} == {made}"),
        *(f"{name}_of(given={made})", f"{cls}Held({made}).given.told()", f"({made} or None).told()"),
        *(f"[one.told() for one in [{made}]]", f"{made} in [{made}]", f"replace({made}, n=2).told()"),
        *(f"isinstance({made}, {cls}) and {made}.n", f"{cls}Held({made}).given == {made}", f"hash({made}) == 1"),
        *(f"(lambda given: given.told())({made})", f"{made}.event == {made}.event", f"{name}_of(*[{made}])"),
        *(f"{cls}(1) == {cls}(1)", f"{cls}(n=3, event={event}).told()", f"str({cls}(1))"),
    ]
    lines = [line for way in choices.sample(ways, choices.randrange(1, 4)) for line in _shown(way)]
    lost = [f"{one} = {made}", f"if len(seen) % 2:\n    {one} = None", *_shown(f"{one} and {one}.told()")]
    return top, lines if choices.random() < 0.8 else [line for each in lost for line in each.split("\n")]


#: What a method of a class that inherits does: `{0}` is a text of the event's, `{1}` a value.
OVERRIDING = [
    "return [super().shown(event), {0}]",
    "return [{1}]",
    "return super().shown(event)",
    "try:\n            return super().shown(event)\n        except NotImplementedError:\n            return {0}",
    "return (lambda: {0})()",
]


def in_families(choices: random.Random, fresh: Callable[[str], str], event: str, text: Reads, value: Reads) -> Lines:
    """Return classes that inherit from each other, whose objects stand at the top, and what is asked of them."""
    base, one, name = fresh("Base"), fresh("one"), fresh("made")
    told = choices.choice(["told", "__call__", "get"])
    above = choices.choice(["", "(abc.ABC)", f"({base}Above)"])
    shown = choices.choice([f"return {text('event')}", "raise NotImplementedError", f"return [{text('event')}]"])
    top = ["import abc", f"class {base}Above:\n    def more(self, event):\n        return [{value('event')}]"]
    top.append(
        f"class {base}{above}:\n    word = 'w'\n    def {told}(self, event):\n"
        f"        return [self.shown(event), self.word, {{'a': 1}}.get('a')]\n"
        f"    def shown(self, event):\n        {shown}"
    )
    kinds = [base]
    for number in range(choices.randrange(1, 3)):
        under, way = choices.choice(kinds), choices.choice(OVERRIDING).format(text("event"), value("event"))
        kinds.append(f"{base}{number}")
        top.append(f"class {kinds[-1]}({under}):\n    word = 'v'\n    def shown(self, event):\n        {way}")
    top += [f"{name}{at} = {kind}()" for at, kind in enumerate(kinds)]
    line = "    def line(event):\n        return [step(event) for step in steps]\n    return line"
    top.append(f"def {name}_line(*steps):\n{line}\n\n\ndef {name}_first(event):\n    return {text('event')}")
    top.append(f"{name}_all = {name}_line({name}_first, {name}_first)")
    asked = [
        f"{name}{at}({event})" if told == "__call__" else f"{name}{at}.{told}({event})" for at in range(len(kinds))
    ]
    odd = [
        *(f"{name}_all({event})", f"[{name}0][0].shown({event})", f"{kinds[-1]}().shown({event})"),
        *(f"{{'a': 2}}.get('a', {event})", f"isinstance({name}0, {base})", f"{name}0.shown(event={event})"),
        *(f"getattr({name}0, 'shown')({event})", f"(lambda {one}: {one}.shown({event}))({name}0)"),
    ]
    chosen = [*choices.sample(asked, choices.randrange(1, len(asked) + 1)), *choices.sample(odd, choices.randrange(3))]
    return top, [each for way in chosen for each in _tried([f"seen.append(show({way}))"])]


DECORATORS = [
    "def {0}(act):\n    def inner(*args, **more):\n        return act(*args, **more)\n    return inner",
    "def {0}(act):\n    @wraps(act)\n    def inner(*args, **more):\n        try:\n"
    "            return act(*args, **more)\n"
    "        except LookupError:\n            return act.__name__\n    return inner",
    "def {0}(act):\n    def inner(event, *args, **more):\n        return [act(event, *args, **more), len(args)]\n"
    "    return inner",
    "def {0}(act):\n    def inner(event, n=1):\n        return [act(event, n), act(event, n=2)]\n    return inner",
    "def {0}(act):\n    def inner(*args, **more):\n        return [act(*args, **more), len(more)]\n    return inner",
    "def {0}(act):\n    return act",
]


def hidden(
    choices: random.Random, fresh: Callable[[str], str], event: str, text: Reads, value: Reads, call: str
) -> Lines:
    """Return functions behind decorators, in lists of tables, and properties, that read the event and a service."""
    on, act, cls, lists = fresh("on"), fresh("act"), fresh("Held"), fresh("lists").upper()
    top = ["from functools import cached_property, wraps", choices.choice(DECORATORS).format(on)]
    does = choices.choice(
        [f"[n, {text('event')}]", f"[{value('event')}, n]", f"[{call}, n]", f"{call} if n else {text('event')}"]
    )
    top.append(f"@{on}\ndef {act}(event, n=1):\n    return {does}")
    top.append(f"def {act}_too(event, n=0):\n    return {text('event')}")
    kept = choices.choice(["property", "property", "cached_property"])
    asked = choices.choice([call, text("self.event"), f"[self.n, {call}]"])
    top.append(
        f"class {cls}:\n    def __init__(self, event, n=1):\n        self.event, self.n = event, n\n"
        f"    @{kept}\n    def asked(self):\n        return {asked}\n"
        f"    @{on}\n    def told(self, event, n=1):\n        return [self.asked, n, {text('event')}]"
    )
    top.append(f"{lists} = {{'a': [{act}, {act}_too], 'b': [{act}_too], 'c': []}}")
    top.append(f"{act}_last = partial({act}, n=3)\n" if choices.random() < 0.5 else f"{act}_last = {act}_too\n")
    top.append("from functools import partial")
    top[-1], top[0] = top[0], top[-1]
    made, word = f"{cls}({event})", choices.choice(["'a'", "'b'", "'c'", "'z'"])
    ways = [
        *(f"{act}({event})", f"{act}({event}, 2)", f"{act}({event}, n=0)", f"{act}_last({event})", f"{act}.__name__"),
        *(
            f"{made}.asked",
            f"{made}.told({event})",
            f"{made}.told(event={event}, n=4)",
            f"[{made}.asked, {made}.asked]",
        ),
        *(f"[one({event}) for one in {lists}.get({word}, [])]", f"[one({event}, 2) for one in {lists}[{word}]]"),
        *(f"[one({event}) for several in {lists}.values() for one in several]", f"len({lists}[{word}])"),
        *(f"{lists}[{word}][0]({event})", f"getattr({made}, 'asked')", f"(lambda held: held.asked)({made})"),
        *(f"list(map({act}, [{event}]))", f"[held.asked for held in [{made}]]", f"'{{0.n}}'.format({made})"),
    ]
    return top, [line for way in choices.sample(ways, choices.randrange(1, 4)) for line in _shown(way)]


def by_name(choices: random.Random, fresh: Callable[[str], str], pairs: str) -> Lines:
    """Return loops through pairs, or a mapping's items, for those of one name."""
    key, held, found = fresh("key"), fresh("held"), fresh("found")
    word = choices.choice(["one", "x-a", "accept", "content-type", "day", "a"])
    test = choices.choice([f"{key} == {word!r}", f"{key}.lower() == {word!r}", f"{word!r} == {key}.lower() and {held}"])
    ends = choices.choice([[f"{found} = {held}", "break"], [f"{found} = {held}"], [f"seen.append({held})"]])
    over = choices.choice([pairs, pairs, f"{pairs}.items()", f"list({pairs}.items())", f"{pairs}.pairs()"])
    lines = [
        f"{found} = 'none'",
        f"for {key}, {held} in {over}:",
        f"    if {test}:",
        *(f"        {one}" for one in ends),
    ]
    if choices.random() < 0.3:
        lines += ["else:", f"    {found} = 'end'"]
    return [], _tried([*lines, f"seen.append(show({found}))"])


def _shown(code: str) -> list[str]:
    return _tried([f"seen.append(show({code}))"])


def _tried(lines: list[str]) -> list[str]:
    ending = ["except Exception as error:", "    seen.append(type(error).__name__)"]
    return ["try:", *(f"    {line}" for line in lines), *ending]
