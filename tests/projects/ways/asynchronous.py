"""Ways in which coroutines get at their request."""

import asyncio
import functools
import json

from brackendale import Response


async def text_of(request):
    return (await request.text()) or "none"


async def a(request, services):
    one, two = await asyncio.gather(text_of(request), asyncio.sleep(0, "x"))
    return Response(f"{one} {two}")


async def b(request, services):
    try:
        body = await asyncio.wait_for(request.text(), 1)
    except asyncio.TimeoutError:
        return Response("late", status=504)
    return Response(body or "none")


async def c(request, services):
    task = asyncio.create_task(text_of(request))
    return Response(await task)


class Lock:
    async def __aenter__(self):
        return "in"

    async def __aexit__(self, *more):
        return False


async def d(request, services):
    async with Lock() as word:
        return Response(word + request.method)


async def e(request, services):
    first = await request.text()
    second = await request.text()
    return Response(first + second + "!")


def logged(function):
    @functools.wraps(function)
    async def inner(request, services):
        services.log("called", path=request.url.pathname)
        return await function(request, services)
    return inner


@logged
async def f(request, services):
    return Response(request.headers.get("x-a") or "-")


async def g(request, services):
    return Response("ok", status=int(request.url.params.get("n") or 200), headers=[("x-n", str(3))])


class Json(Response):
    def __init__(self, value, status=200):
        super().__init__(json.dumps(value), status=status, headers=[("content-type", "application/json")])


async def h(request, services):
    return Json({"m": request.method})


async def i(request, services):
    answer = Response("hello")
    if request.method == "PUT":
        answer = Response("put", status=201)
    return answer


async def j(request, services):
    async def lines():
        for part in ("a", request.method):
            yield part
    return Response(lines(), headers=[("content-type", "text/plain")])


async def k(request, services):
    results = [await text_of(request) for _ in range(1)]
    return Response(",".join(results))


async def l(request, services):
    match request.method:
        case "GET":
            return Response("got")
        case other:
            return Response(other)


async def m(request, services):
    wanted = dict(request.url.params.entries()) if hasattr(request.url.params, "entries") else {}
    return Response(json.dumps(wanted))


async def n(request, services):
    headers = {name: value for name, value in request.headers.entries() if name.startswith("x-")}
    return Response(json.dumps(headers))


async def o(request, services):
    try:
        return Response(",".join(part for part in [await request.text()]))
    except TypeError:
        return Response("that is an asynchronous generator")


async def p(request, services):
    try:
        return Response(",".join(await request.text() for _ in range(2)))
    except TypeError:
        return Response("that is an asynchronous generator")


async def doubled(text):
    return text + text


async def q(request, services):
    return Response(await doubled(request.method))


async def r(request, services):
    words = [doubled(request.method), asyncio.sleep(0, "x")]
    return Response(" ".join(await asyncio.gather(*words)))
