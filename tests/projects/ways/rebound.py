"""Ways in which the name of a request comes to hold something else."""

import contextlib
import json

from thornwick import Reply


@contextlib.contextmanager
def giving(value):
    yield value


class Thing:
    verb = "thing"


def a(request):
    with giving(Thing()) as request:
        return Reply(request.verb)


def b(request):
    try:
        raise ValueError("x")
    except ValueError as request:
        word = type(request).__name__
    return Reply(word)


def c(request):
    verb = request.verb
    match {"v": Thing()}:
        case {"v": request}:
            return Reply(request.verb + verb)


def d(request):
    if (request := Thing()):
        return Reply(request.verb)


def e(request):
    words = [request.verb for request in (Thing(), Thing())]
    return Reply(",".join(words) + request.verb)


def f(request):
    import json as request
    return Reply(request.dumps([1]))


def g(request):
    def request():
        return "inner"
    return Reply(request())


def h(request):
    class request:
        verb = "class"
    return Reply(request.verb)


def i(request):
    for request in (Thing(),):
        pass
    return Reply(request.verb)


def j(request):
    request, other = Thing(), request.verb
    return Reply(request.verb + other)


def k(request):
    while request.verb:
        request = Thing()
        break
    return Reply(request.verb)


def l(request):
    words = {request: request for request in "ab"}
    return Reply("".join(words) + request.verb)


def m(request):
    (request, *rest) = [Thing(), request]
    return Reply(request.verb + str(len(rest)))


def n(request):
    try:
        request = json.loads("{")
    except ValueError:
        pass
    finally:
        last = getattr(request, "verb", "-")
    return Reply(last)


def o(request):
    later = lambda: request.verb
    answer = later()
    request = Thing()
    return Reply(answer + later())


def p(request):
    def later():
        return request.verb
    request = Thing()
    return Reply(later())


def q(request):
    request = request if request.verb == "GET" else Thing()
    return Reply(request.verb)


def r(request):
    request.verb
    try:
        request += "x" if False else None or 0 if False else []
    except TypeError as error:
        return Reply(type(error).__name__)
    return Reply("never")


def t(request):
    def inner(request):
        return request.verb
    return Reply(inner(Thing()) + inner(request))
