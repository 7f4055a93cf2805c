"""Ways in which an event gets somewhere unseen: each must come out the same, or be told."""

import json


def say(text, code=200):
    return {"code": code, "fields": {"content-type": "text/plain"}, "content": text}


def a(event, ctx):
    return say(f"{event['call']['verb']=}")


def b(event, ctx):
    verb = event["call"]["verb"]
    del event
    return say(verb)


class Base:
    def __init__(self, event):
        self.event = event


class Mixin(Base):
    def verb(self):
        return self.event["call"]["verb"]


def c(event, ctx):
    return say(Mixin(event).verb())


KEPT = {}


def remember(event):
    global LAST
    LAST = event
    KEPT["last"] = event


def d(event, ctx):
    remember(event)
    return say(LAST["call"]["verb"] + KEPT["last"]["call"]["path"])


class Bad(Exception):
    pass


def refuse(event):
    raise Bad(event)


def e(event, ctx):
    try:
        refuse(event)
    except Bad as bad:
        return say(bad.args[0]["call"]["verb"], 400)


ROUTES = {}


def on(verb):
    def keep(function):
        ROUTES[verb] = function
        return function

    return keep


def name_of(event):
    return event["call"]["slots"].get("name", "none") + event["call"]["search"]


@on("GET")
@on("PUT")
def get(event):
    return name_of(event)


def f(event, ctx):
    return say(ROUTES[event["call"]["verb"]](event))


def g(event, ctx):
    def inner(what=event):
        return what["call"]["verb"]

    return say(inner())


def h(event, ctx):
    return say(name_of(event) + ",".join(sorted(event["fields"])[:0]))


def i(event, ctx):
    data = json.loads(event["content"] or "{}")
    if (bad := data.get("bad")) is not None:
        return {"code": 400, "fields": {}, "content": str(bad)}
    return say(json.dumps({**data, "verb": event["call"]["verb"]}))


def j(event, ctx):
    match event["call"]:
        case {"verb": "GET", "path": path}:
            return say(path)
    return {"code": 405}


def k(event, ctx):
    return say("|".join(event["call"][name] for name in ("verb", "path")))


class Named:
    word = "named"


class Pathed:
    def path(self):
        return self.event["call"]["path"]


class Both(Named, Base, Pathed):
    pass


def l(event, ctx):
    return say(Both(event).path() + Both.word)
