"""Ways in which a function is handed functions by some, and other things by others."""

from ostermere import books


def say(text, code=200):
    return {"code": code, "content": text}


def through(state, *steps):
    for step in steps:
        state = step(state)
    return state


def loaded(state):
    return {**state, "row": books.read("t", {"id": 1})}


def told(event):
    return event["call"]["path"]


def a(event, ctx):
    return say(str(through({"p": event["call"]["path"]}, loaded)))


def b(event, ctx):
    return say(str(through({"p": event["call"]["path"]}, len, str)))


def c(event, ctx):
    return say(str(through(event, told)) + str(through(event, told, lambda e: e)))


def d(event, ctx):
    return say(str(through({"p": 1}, *[dict, len])))


def either(act, event):
    return act(event) if act else "none"


def e(event, ctx):
    return say(either(told, event))


def f(event, ctx):
    return say(str(either(len, event["call"]["path"])) + either(None, event))


def passed(act, *args, **more):
    return act(*args, **more)


def g(event, ctx):
    return say(passed(told, event))


def h(event, ctx):
    return say(passed("{n} {0}".format, 1, n=event["call"]["verb"]) + passed(str, event["call"]["path"]))


def gone(steps, event):
    return [step(event) for step in steps]


def i(event, ctx):
    return say(str(gone([told, told], event)))


def j(event, ctx):
    return say(str(gone([told, lambda e: len(e["call"]["path"])], event)) + str(gone((), event)))


def asked(ways, event):
    way = ways.get(event["call"]["verb"])
    return way(event) if way else "none"


def k(event, ctx):
    return say(asked({"GET": told}, event))


def l(event, ctx):
    return say(str(asked({"GET": len, "PUT": told}, {"call": {"verb": "GET"}})) + asked({}, event))
