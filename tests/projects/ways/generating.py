"""Ways in which plain generators and context managers call services."""

import contextlib
from contextlib import contextmanager

from ostermere import books, stores


def say(text):
    return {"code": 200, "content": text}


def rows(event, *ids):
    for one in ids:
        row = books.read("t", {"id": one})
        if row is None:
            books.write("missed", {"id": one}, {"path": event["call"]["path"]})
            continue
        yield one, row.get("n")


def a(event, ctx):
    told = []
    for one, n in rows(event, 1, 2):
        told.append(f"{one}={n}")
    return say(str(told))


def b(event, ctx):
    return say(str([n for _, n in rows(event, 2, 1)]) + str({one: n for one, n in rows(event, 1)}))


def c(event, ctx):
    return say(f"{list(rows(event, 1, 3))} {dict(rows(event, 1))} {sorted(rows(event, 1, 1))}")


def names(prefix):
    for name in stores.list("b", prefix):
        yield name


def d(event, ctx):
    for name in names(""):
        if name.endswith(".txt"):
            return say(name)
    return say("none")


def e(event, ctx):
    return say(next(names("k"), "none"))


def f(event, ctx):
    return say(str(sum(len(name) for name in names(""))))


def closing(id):
    try:
        yield books.read("t", {"id": id})
    finally:
        books.write("closed", {"id": id}, {"done": True})


def g(event, ctx):
    for row in closing(1):
        return say(str(row))


@contextmanager
def record(ctx, id):
    row = books.read("t", {"id": id})
    if row is None:
        raise LookupError(f"no {id}")
    try:
        yield row
    except ValueError:
        ctx.note("not kept")
        return
    books.write("t", {"id": id}, row)


def h(event, ctx):
    with record(ctx, 1) as row:
        row["n"] += 1
    return say("kept")


def i(event, ctx):
    with record(ctx, 1) as row:
        row["n"] += 1
        if event["call"]["verb"] == "PUT":
            raise ValueError("no")
    return say("done")


def j(event, ctx):
    try:
        with record(ctx, 9) as row:
            row["n"] += 1
    except LookupError as error:
        return say(str(error))
    return say("kept")


@contextlib.contextmanager
def told(ctx, name):
    stores.put("b", name, b"begun")
    try:
        yield
    finally:
        stores.put("b", name, b"ended")
        ctx.note(f"ended {name}")


def k(event, ctx):
    with told(ctx, "k"):
        stores.put("b", "within", event["call"]["verb"].encode())
    return say("ok")


def l(event, ctx):
    with told(ctx, "l"), told(ctx, "m"):
        return say("two")


def chain(event):
    for one, n in rows(event, 1):
        yield f"{one}:{n}"


def m(event, ctx):
    return say(",".join([part for part in chain(event)]))


def passed_on(event):
    yield from rows(event, 1)


def n(event, ctx):
    return say(str(list(passed_on(event))))


def kept(event, id):
    return books.read("t", {"id": id}) is not None


def o(event, ctx):
    return say(f"{sum(kept(event, id) for id in (1, 2))} {sorted(kept(event, id) for id in (2, 1))}")


def p(event, ctx):
    from collections import Counter

    return say(str(dict(Counter(kept(event, id) for id in (1, 2, 3)))))


def q(event, ctx):
    return say(str(any(kept(event, id) for id in (1, 2))) + ",".join(str(kept(event, id)) for id in (1,)))


def way_asked(event, ctx):
    every = all(len(name) > 3 for name in names(""))
    first = next((name for name in names("m")), None)
    return say(f"{any(name.endswith('txt') for name in names(''))} {every} {first}")


def way_through(event, ctx):
    for name in (name.upper() for name in names("")):
        return say(name + str([x for x in (one.lower() for one in names(""))]))
    return say("none")


def way_both(event, ctx):
    return say(str(sum(len(y) for x in (1, 2) for y in names(""))) + ",".join(n for n in names("")))
