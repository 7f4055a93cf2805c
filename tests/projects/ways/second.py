"""More ways in which an event gets somewhere unseen."""

import copy
import functools
import json
import operator
from dataclasses import dataclass

T = {"content-type": "text/plain"}


def say(text, code=200):
    return {"code": code, "fields": {"content-type": "text/plain"}, "content": text}


def a(event, ctx):
    return say((lambda event=event: event["call"]["verb"])())


def b(event, ctx):
    first = second = event
    return say(first["call"]["verb"] + second["call"]["path"])


def c(event, ctx):
    whole = {**event, "more": 1}
    return say(whole["call"]["verb"])


def part(what, event):
    return event["call"][what]


def d(event, ctx):
    read = functools.partial(part, event=event)
    return say(read("verb"))


def e(event, ctx):
    return say(part(*["verb", event]))


def f(event, ctx):
    call = copy.deepcopy(event)["call"]
    call["verb"] = "X"
    return say(call["verb"] + event["call"]["verb"])


@dataclass
class Request:
    event: dict

    @property
    def verb(self):
        return self.event["call"]["verb"]


def g(event, ctx):
    return say(Request(event).verb)


def h(event, ctx):
    seen = event if event["call"]["verb"] == "GET" else {"call": {"verb": "none"}}
    return say(seen["call"]["verb"])


def i(event, ctx):
    for event in [event]:
        pass
    return say(event["call"]["verb"])


def j(event, ctx):
    try:
        body = json.loads(event["content"])
    except ValueError as error:
        return say(type(error).__name__, 400)
    finally:
        verb = event["call"]["verb"]
    return say(verb + str(body))


def k(event, ctx):
    def walk(value, depth=0):
        if isinstance(value, dict):
            return sum(walk(one, depth + 1) for one in value.values())
        return 1
    return say(str(walk(event["call"]["first"])))


def wrapped(function):
    @functools.wraps(function)
    def inner(event, ctx):
        if event["call"]["verb"] == "PUT":
            return say("no", 405)
        return function(event, ctx)
    return inner


@wrapped
def l(event, ctx):
    return say(event["call"]["path"])


def m(event, ctx):
    if (query := event["call"]["first"]).get("day") == "mon":
        return say(query["day"])
    return say("other")


def n(event, ctx):
    keys = [key for key in event]
    return say(",".join(keys))


class Handler:
    def __init__(self):
        self.seen = []

    def __call__(self, event, ctx):
        self.seen.append(event)
        return say(self.seen[-1]["call"]["verb"])


HANDLER = Handler()


def o(event, ctx):
    return HANDLER(event, ctx)


def p(event, ctx):
    pair = (event, ctx)
    event, _ = pair
    return say(event["call"]["verb"])


def q(event, ctx):
    return say("yes" if "content" in event and event.get("nothing") is None else "no")


def r(event, ctx):
    with open("/dev/null") as file:
        print(event, file=file)
    out = {}
    out["e"] = event
    return say(out["e"]["call"]["verb"])


def s(event, ctx):
    event["extra"] = 1
    return say(str(event["extra"]))


def t(event, ctx):
    verb, path = (event["call"][name] for name in ("verb", "path"))
    return say(f"{verb!r:>8} {path}")


def u(event, ctx):
    def later():
        nonlocal event
        event = {"call": {"verb": "other"}}
    later()
    return say(event["call"]["verb"])


def v(event, ctx):
    return say(str(sorted(event["fields"].items())))


def w(event, ctx):
    names = {"host": event["fields"].get("host", "-"), "cookie": event["fields"].get("cookie", "-"), "len": event["fields"].get("content-length", "-")}
    return say(json.dumps(names))


def way_asked(event, ctx):
    operator.methodcaller("update", extra=3)(event)
    return say(str(event.get("extra")))
