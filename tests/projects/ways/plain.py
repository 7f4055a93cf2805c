"""Ways in which plain functions get at their request, and answer."""

import collections
import dataclasses
import json
import operator
import types
from contextlib import contextmanager

from thornwick import Reply


def a(request):
    return Reply(request.text())


@contextmanager
def guarded(request):
    try:
        yield request.verb
    except ValueError:
        pass


def b(request):
    with guarded(request) as verb:
        return Reply(verb)


def c(request):
    heads = [("x-n", "1")]
    heads += [("x-a", request.heads.one("x-a") or "-")]
    return Reply("ok", heads=heads)


def d(request):
    fields = request.heads
    return Reply(fields.one("X-A", "none") + str(len(fields.every("x-a"))))


def e(request):
    get = request.params.one
    return Reply(get("day", "-") + str(request.params.every("day")))


def f(request):
    try:
        data = request.json()
    except ValueError:
        return Reply("bad", code=400)
    return Reply(json.dumps(data))


def g(request):
    verb = {"GET": "read", "PUT": "write"}[request.verb]
    return Reply(verb)


def pick(request, name="verb"):
    return getattr(request, name)


def h(request):
    return Reply(pick(request) + pick(request, "route"))


def i(request):
    parts = [*request.params.all()]
    return Reply(repr(sorted(parts)))


def j(request):
    reply = Reply("one")
    reply.code = 202
    return reply


def k(request):
    yielded = (value for name, value in request.params.all() if name == "day")
    return Reply(next(yielded, "none"))


def l(request):
    if not request.params.one("day"):
        return Reply("no day", 400)
    return Reply(request.params.one("day"), 200, [("content-type", "text/plain")])


def m(request):
    return Reply(request.text()[:4].upper() or "none")


def n(request):
    x = request
    y = x
    return Reply(y.verb + x.verb)


def three(more, other, request):
    return f"{more} {other} {request.verb}"


def v(request):
    return Reply(three(*[1, 2], request) + three(1, 2, request))


class Reads:
    def read(self, request):
        return request.verb


def w(request):
    named = operator.methodcaller("read", request)(Reads())
    return Reply(named + Reads().read(request))


@dataclasses.dataclass
class Keeps:
    request: object


BOX = types.SimpleNamespace(keeps=Keeps, same=lambda *two: two[0] == two[1])


def way_kept(request):
    return Reply(f"{BOX.keeps(request) == BOX.keeps(request)} {BOX.same(request, request)}")


def way_sought(request):
    seen = {request: 1}
    return Reply(f"{seen.get(request)} {len({request, request})} {collections.Counter([request, request])[request]}")


def also(request):
    return BOX.keeps(request)


def way_again(request):
    return Reply(str(also(request) == also(request)))


def way_turned(request):
    return Reply(str(len({BOX.keeps(request).request for _ in range(3)})))


def way_either(request):
    if request.verb == "GET":
        return Reply(str(BOX.same(request, request)))
    return Reply(str(BOX.same(request.params, request.params)))


def way_content(request):
    return Reply(f"{request.text()} {BOX.same(request.heads, request.heads)}")


def way_last(request):
    wanted = dict(request.params.pairs())
    return Reply(f'{wanted.get("day")} {wanted.get("none", "-")} {"day" in wanted} {dict(request.heads.pairs()).get("x-a")}')
