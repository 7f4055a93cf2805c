"""Ways in which functions are handed to functions, written in short, and asked for the first that they give."""

import csv
import io
from contextlib import suppress
from functools import reduce

from ostermere import books, stores


def say(text, code=200):
    return {"code": code, "content": text}


def has(id):
    return books.read("t", {"id": id}) is not None


def process(items, each):
    return [each(item) for item in items]


def a(event, ctx):
    def one(item):
        row = books.read("t", {"id": item})
        return row["n"] if row else event["call"]["path"]

    return say(str(process([1, 2], one)))


def guarded(action, otherwise):
    try:
        return action()
    except LookupError:
        return otherwise


def b(event, ctx):
    first = guarded(lambda: stores.fetch("b", "k.json").decode(), None)
    other = guarded(lambda: (books.read("t", {"id": 1}) or {}).get("n"), 0)
    none = guarded(lambda: stores.fetch("b", "none"), event["call"]["verb"])
    return say(f"{first} {other} {none}")


def retry(times, action, *args, **kwargs):
    for at in range(times):
        try:
            return action(*args, **kwargs)
        except LookupError as error:
            last = error
    raise last


def read(event):
    return books.read("t", {"id": 1}) or event["call"]["path"]


def c(event, ctx):
    return say(str(retry(2, read, event)))


class Store:
    def __init__(self, table):
        self.table = table

    def read(self, id):
        return books.read(self.table, {"id": id})


def each_of(read, ids):
    for one in ids:
        found = read(one)
        if found:
            return found
    return None


def outer(read, ids):
    return each_of(read, ids) or {}


def d(event, ctx):
    store = Store("t")
    return say(str(outer(store.read, [3, 2, 1])) + str({"n": 1}.get("n", 0)))


def step_one(event, state):
    state["one"] = books.read("t", {"id": 1})


def step_two(event, state):
    state["two"] = event["call"]["verb"]


def run_all(steps, event):
    state = {}
    for step in steps:
        step(event, state)
    return state


def e(event, ctx):
    return say(str(run_all([step_one, step_two], event)))


def attempt(act, *given):
    try:
        return act(*given)
    except ValueError as error:
        return say(str(error), 400)


def show(event):
    return say(str(books.read("t", {"id": 1})))


def put(event):
    if event["call"]["search"] == "":
        raise ValueError("no " + event["call"]["path"])
    return say("put")


def f(event, ctx):
    if event["call"]["verb"] == "GET":
        return attempt(show, event)
    return attempt(put, event)


def g(event, ctx):
    out = []
    for one in filter(has, [1, 2]):
        out.append(one)
    for n in map(lambda id: (books.read("t", {"id": id}) or {}).get("n"), [1, 2]):
        out.append(n)
    out += [x for x in filter(has, (1, 2))]
    out += [x for x in map(has, (1, 2)) if x]
    return say(str(out))


def h(event, ctx):
    best = max((books.read("t", {"id": x}) or {"n": 0} for x in (3, 1)), key=lambda row: row["n"])
    return say(str([next(filter(has, (2, 1)), None), sum(map(has, (1, 2))), best, event["call"]["path"]]))


def i(event, ctx):
    if not any(has(x) for x in (2, 3)):
        return say("none of them", 404)
    return say("one")


def j(event, ctx):
    every = all(has(x) for x in (1, 2))
    return say(f"{any(has(x) for x in (2, 1, 3))} {every} {next((x for x in (3, 1) if has(x)), None)}")


def rows(ids):
    for one in ids:
        with suppress(LookupError):
            yield one, stores.fetch("b", one)


def lines_of(item):
    with io.StringIO(stores.fetch("b", item).decode()) as handle:
        yield from csv.reader(handle)


def k(event, ctx):
    out = list(rows(["k.json", "none", "m.txt"]))
    for line in lines_of("k.json"):
        out.append(line)
    return say(f"{out} {event['call']['path']}")


WAYS = {
    "GET": lambda event: say(str(books.read("t", {"id": 1}))),
    "PUT": lambda event: say(event["call"]["path"]),
}


def l(event, ctx):
    return WAYS[event["call"]["verb"]](event)


def m(event, ctx):
    ways = {"GET": lambda: say(str(books.read("t", {"id": 1}))), "PUT": lambda: say(event["call"]["path"])}
    return ways[event["call"]["verb"]]()


def told(steps, event):
    for name, step in steps:
        if name == event["call"]["verb"]:
            return step(event)
    return say("none", 405)


def n(event, ctx):
    return told([("GET", show), ("PUT", put)], event)


def pick(ways, event):
    way = ways.get(event["call"]["verb"])
    return say("none", 405) if way is None else way(event)


def o(event, ctx):
    return pick({"GET": show}, event)


def either(event, then=None):
    return then(event) if then is not None else say(event["call"]["path"])


def p(event, ctx):
    return either(event) if event["call"]["verb"] == "PUT" else either(event, then=show)


def loaded(state):
    return {**state, "row": books.read("t", {"id": 1})}


def counted(state):
    return {**state, "n": len(state)}


STEPS = [loaded, counted]


def q(event, ctx):
    state = reduce(lambda now, step: step(now), STEPS, {"path": event["call"]["path"]})
    return say(str(state))


def joined(text, id):
    return f"{text}{books.read('t', {'id': id})}"


def r(event, ctx):
    return say(folded(event["call"]["verb"]))


def folded(begin):
    return reduce(joined, [1, 2], begin)


def way_lines(event, ctx):
    out = []
    for x in filter(
        has,
        [1]
        + [2],
    ):
        out.append(x)
    out += [x for x in filter(has, [1] if event["call"]["verb"] else [2])]
    out += [x for x in filter(lambda y: has(y)
                              and y > 0, [1])]
    return say(str(out))


def through(state, *steps):
    for step in steps:
        state = step(state)
    return state


def rowed(event, *ways):
    for verb, way in ways:
        if verb == event["call"]["verb"]:
            return way(event)
    return say("no", 405)


def way_through(event, ctx):
    return say(str(through({"p": event["call"]["path"]}, loaded, counted)))


def way_rowed(event, ctx):
    return rowed(event, ("GET", show), ("PUT", put))
