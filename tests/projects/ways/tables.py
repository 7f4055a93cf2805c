"""Ways in which handlers call functions that stand in lists and mappings."""

from ostermere import books, stores


def say(text):
    return {"code": 200, "content": text}


def keep(event, ctx):
    books.write("kept", {"id": event["call"]["path"]}, {"verb": event["call"]["verb"]})
    return "keep"


def note(event, ctx):
    ctx.note("noted")
    return event["call"]["verb"]


def drop(event, ctx):
    stores.drop("b", "m.txt")
    return event["fields"].get("x-a", "-")


def is_put(event):
    return event["call"]["verb"] == "PUT"


def is_known(event):
    return books.read("t", {"id": 1}) is not None


STEPS = [keep, note]
PAIRS = [(keep, drop), (note, None)]
CHECKS = {"put": is_put, "known": is_known}
NAMED = (("first", keep), ("second", note))
HOOKS = []
BY_TWO = {("GET", "x"): note, ("PUT", "x"): keep}


def hook(function):
    HOOKS.append(function)
    return function


@hook
def one_hook(event, ctx):
    return drop(event, ctx)


@hook
def other_hook(event, ctx):
    return event["call"]["path"]


def a(event, ctx):
    told = []
    for step in STEPS:
        told.append(step(event, ctx))
    return say(str(told))


def b(event, ctx):
    told = ""
    for do, back in PAIRS:
        told += do(event, ctx)
        if back is not None:
            told += back(event, ctx)
    return say(told)


def c(event, ctx):
    return say(",".join([name for name, check in CHECKS.items() if check(event)]))


def d(event, ctx):
    failed = []
    for name, check in CHECKS.items():
        if not check(event):
            failed.append(name)
    return say(str(failed))


def e(event, ctx):
    return say("".join([f"{at}{step(event, ctx)}" for at, step in enumerate(STEPS)]))


def f(event, ctx):
    told = {}
    for name, step in reversed(NAMED):
        told[name] = step(event, ctx)
    return say(str(sorted(told.items())))


def g(event, ctx):
    told = [one(event, ctx) for one in HOOKS]
    return say(str(told))


def h(event, ctx):
    step = BY_TWO.get((event["call"]["verb"], event["call"]["slots"]["one"]), drop)
    return say(step(event, ctx))


def i(event, ctx):
    for step in (note, keep, drop):
        told = step(event, ctx)
    return say(told)


def j(event, ctx):
    steps = [note, drop]
    told = ""
    for step in steps:
        told += step(event, ctx)
    return say(told)


def k(event, ctx):
    steps = [note, drop]
    steps.reverse()
    return say("".join(step(event, ctx) for step in steps))


def l(event, ctx):
    told = [check.__name__ for check in CHECKS.values()]
    return say(str(told))


def m(event, ctx):
    step = None
    for step in STEPS:
        step(event, ctx)
    return say(step.__name__)


def n(event, ctx):
    return say(str(all(check(event) for check in CHECKS.values())))


class Wrapped:
    def __init__(self, event):
        self.event = event

    @property
    def call(self):
        return self.event["call"]

    def header(self, name, default="-"):
        return self.event["fields"].get(name.lower(), default)

    def query(self, name):
        return self.event["call"]["first"].get(name)


class Answer:
    def __init__(self):
        self.code, self.fields = 200, {}

    def status(self, code):
        self.code = code
        return self

    def field(self, name, value):
        self.fields[name] = value
        return self

    def plain(self):
        return self.field("content-type", "text/plain")

    def built(self):
        return {"code": self.code, "fields": self.fields, "content": "built"}


def answering(event):
    if event["call"]["verb"] == "PUT":
        raise ValueError("no")
    return Answer().plain()


class Base:
    def __init__(self, event, ctx):
        self.event, self.ctx = event, ctx

    def checked(self):
        return None

    def run(self):
        return self.checked() or self.told()

    def told(self):
        raise NotImplementedError


class Told(Base):
    def checked(self):
        books.write("checked", {"id": 1}, {"verb": self.event["call"]["verb"]})
        return say("put") if self.event["call"]["verb"] == "PUT" else None

    def told(self):
        return say(self.event["call"]["path"])


def o(event, ctx):
    wrapped = Wrapped(event)
    return say(f'{wrapped.call["verb"]} {wrapped.header("X-A")} {wrapped.header("x-none", "?")} {wrapped.query("day")}')


def p(event, ctx):
    try:
        answer = answering(event)
    except ValueError:
        answer = Answer().status(409).plain()
    return answer.field("x-a", "1").built()


def q(event, ctx):
    return Told(event, ctx).run()


def r(event, ctx):
    name = "x-a"
    return say(Wrapped(event).header(name) + getattr(Wrapped(event), "header")("x-b"))


class Other:
    def built(self):
        return {"code": 418, "content": "other"}


def given(event, answer=None):
    if event["call"]["verb"] == "PUT":
        answer = Answer().status(409)
    return answer


def s(event, ctx):
    return given(event, Other()).built()
