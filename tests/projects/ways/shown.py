"""Ways in which objects of data classes that keep the event are shown, compared, kept and lost from sight.

Each handler is a project of its own, with what stands at the top: one that shows a class has all its objects made.
"""

import json
import logging
from dataclasses import asdict, dataclass, field, replace


@dataclass
class Request:
    event: dict

    @property
    def path(self):
        return self.event["call"]["path"]

    def header(self, name, default=""):
        return self.event["fields"].get(name, default)

    def itself(self):
        return self


def say(text):
    return {"code": 200, "content": str(text)}


# --- a


def a(event, ctx):
    request = Request(event)
    return say(request.path + request.header("x-a") + Request(event).path)


# --- b


def b(event, ctx):
    return say(Request(event))


# --- c


def c(event, ctx):
    return say(f"{Request(event)!r}")


# --- d


def d(event, ctx):
    return say(Request(event) == Request(event))


# --- e


def e(event, ctx):
    return say([Request(event)] == [Request(event)])


# --- f


def f(event, ctx):
    return say(Request(event) in [Request(event)])


# --- g


def maybe(event):
    return Request(event) if event["call"]["verb"] == "GET" else None


def g(event, ctx):
    return say(maybe(event))


# --- h


def lost(request=None):
    return str(request)


def h(event, ctx):
    return say(lost() + lost(Request(event)))


# --- i


def i(event, ctx):
    request = Request(event)
    if event["call"]["verb"] == "PUT":
        request = "none"
    return say(request)


# --- j


def j(event, ctx):
    request = Request(event)

    def inner():
        return str(request)

    return say(inner() + request.path)


# --- k


@dataclass
class Outer:
    request: Request
    word: str = "w"


def k(event, ctx):
    outer = Outer(Request(event))
    return say(outer.request.path + str(outer))


# --- l


class Holder:
    def __init__(self, request):
        self.request = request

    def show(self):
        return str(self.request)

    def way(self):
        return self.request.path


def l(event, ctx):
    holder = Holder(Request(event))
    return say(holder.show() + holder.way())


# --- m


def m(event, ctx):
    return say(json.dumps(asdict(Request(event)), sort_keys=True))


# --- n


def n(event, ctx):
    return say(replace(Request(event), event={"x": 1}))


# --- o


class Bad(Exception):
    pass


def o(event, ctx):
    try:
        raise Bad(Request(event))
    except Bad as bad:
        return say(bad)


# --- p


def p(event, ctx):
    ctx.note("seen", request=str(Request(event).itself()))
    logging.getLogger("x").warning("%s", Request(event))
    return say("{}".format(Request(event)) + "%s" % Request(event))


# --- q


@dataclass
class Shown:
    event: dict

    def shown(self):
        return f"{self}"


def q(event, ctx):
    return say(Shown(event).shown())


# --- r


def r(event, ctx):
    requests = {"one": Request(event)}
    return say(requests["one"].path + str(requests))


# --- s


def s(event, ctx):
    request = Request(event) or None
    return say(request)


# --- t


def gives(event):
    yield Request(event)


def t(event, ctx):
    return say([one.path for one in gives(event)] + [str(one) for one in gives(event)])


# --- u


@dataclass(order=True)
class Numbered:
    number: int
    event: dict = field(default_factory=dict)


def u(event, ctx):
    return say(Numbered(1, event) < Numbered(2, event)) if event["call"]["search"] else say(Numbered(1, event).number)


# --- v


def two(one, other):
    return one == other


def v(event, ctx):
    return say(two(Request(event), Request(event)))


# --- w


def w(event, ctx):
    match Request(event):
        case Request(event=held):
            return say(sorted(held))


# --- x


def x(event, ctx):
    request, other = Request(event), 1
    return say(request) if other else say(None)


# --- y


def y(event, ctx):
    requests = [Request(event)]
    requests.append(Request(event))
    return say(requests[0] == requests[1])


# --- z


def z(event, ctx):
    return say(isinstance(Request(event), Request) and Request(event).itself().itself().path)


# --- quoted


class Asked:
    def __init__(self, event):
        self.event = event

    @property
    def path(self):
        return self.event["call"]["path"]

    def header(self, name, default=""):
        return self.event["fields"].get(name.lower(), default)


def quoted(event, ctx):
    request = Asked(event)
    return say(f"{request.path}/{request.header('X-A')!r:>10}" + f"{request.path=}{request.header('x-b', 'none')}")


# --- longer


class Asked:
    def __init__(self, event):
        self.event = event

    @property
    def path(self):
        return self.event["call"]["path"]

    def header(self, name, default=""):
        return self.event["fields"].get(name.lower(), default)


def longer(event, ctx):
    request = Asked(event)
    return say(
        f"""{request.path}
    {request.header("x-a")} "quoted" {f"{request.path}"}"""
    )
