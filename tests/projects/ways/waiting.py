"""Ways in which handlers wait, together and one after another, and for what."""

import asyncio
import json

from brackendale import Response
from contextlib import asynccontextmanager
import contextvars
import functools
import inspect


async def way_gather(request, services):
    a, b = await asyncio.gather(services.objects.get("b", "k.json"), services.records.get("t", {"id": 1}))
    return Response(a.decode() + str(b["n"]))


async def way_gather_comp(request, services):
    got = await asyncio.gather(*(services.objects.get("b", k) for k in ["k.json", "m.txt"]))
    return Response(str(len(got)))


async def way_gather_exc(request, services):
    got = await asyncio.gather(
        services.objects.get("b", "k.json"), services.objects.get("b", "zz"), return_exceptions=True
    )
    return Response(str([type(g).__name__ for g in got]))


async def way_taskgroup(request, services):
    async with asyncio.TaskGroup() as tg:
        t = tg.create_task(services.objects.get("b", "k.json"))
    return Response(t.result().decode())


async def way_create_task(request, services):
    t = asyncio.create_task(services.objects.put("b", "n", "x"))
    await t
    return Response("done")


async def way_wait_for(request, services):
    try:
        d = await asyncio.wait_for(services.objects.get("b", "k.json"), 1)
    except asyncio.TimeoutError:
        return Response("late", 504)
    return Response(d)


async def way_timeout(request, services):
    async with asyncio.timeout(1):
        d = await services.objects.get("b", "k.json")
    return Response(d)


async def way_sleep(request, services):
    await asyncio.sleep(0.001)
    return Response("slept")


LOCKLock = asyncio.Lock()


async def way_lock(request, services):
    async with LOCKLock:
        await services.objects.put("b", "n", "x")
    return Response("done")


async def way_sem(request, services):
    sem = asyncio.Semaphore(2)

    async def one(k):
        async with sem:
            return await services.objects.get("b", k)

    got = await asyncio.gather(one("k.json"), one("m.txt"))
    return Response(str(len(got)))


async def rows_agen(services):
    for i in (1, 2):
        yield await services.records.get("t", {"id": i})


async def way_agen(request, services):
    out = []
    async for r in rows_agen(services):
        out.append(bool(r))
    return Response(str(out))


async def rows_acomp(services):
    for i in (1, 2):
        yield await services.records.get("t", {"id": i})


async def way_acomp(request, services):
    return Response(str([bool(r) async for r in rows_acomp(services)]))


async def way_await_comp(request, services):
    return Response(str([await services.records.get("t", {"id": i}) for i in (1, 2)]))


@asynccontextmanager
async def held_actx(services):
    await services.objects.put("b", "lock", "1")
    try:
        yield "in"
    finally:
        await services.objects.delete("b", "lock")


async def way_actx(request, services):
    async with held_actx(services) as w:
        return Response(w)


class RepoAcls:
    def __init__(self, services):
        self.services = services

    async def get(self, i):
        return await self.services.records.get("t", {"id": i})


async def way_acls(request, services):
    r = await RepoAcls(services).get(1)
    return Response(str(r["n"]))


class RepoAcls2:
    def __init__(self, records):
        self.records = records

    async def get(self, i):
        return await self.records.get("t", {"id": i})


async def way_acls2(request, services):
    r = await RepoAcls2(services.records).get(1)
    return Response(str(r["n"]))


async def way_local_alias(request, services):
    objects = services.objects
    d = await objects.get("b", "k.json")
    return Response(d)


async def way_unpack(request, services):
    get, put = services.objects.get, services.objects.put
    await put("b", "n", await get("b", "k.json"))
    return Response("done")


async def way_coro_later(request, services):
    c = services.objects.get("b", "k.json")
    d = await c
    return Response(d)


async def way_coro_list(request, services):
    cs = [services.objects.get("b", k) for k in ("k.json", "m.txt")]
    return Response(str([len(await c) for c in cs]))


async def way_as_completed(request, services):
    out = []
    for c in asyncio.as_completed([services.objects.get("b", k) for k in ("k.json", "m.txt")]):
        out.append(len(await c))
    return Response(str(sorted(out)))


def shape_sync_helper(d):
    return json.loads(d)


async def way_sync_helper(request, services):
    return Response(str(shape_sync_helper(await services.objects.get("b", "k.json"))))


async def load_ahelper_twice(services, key):
    try:
        return json.loads(await services.objects.get("b", key))
    except KeyError:
        return None
    except Exception as e:
        return type(e).__name__


async def way_ahelper_twice(request, services):
    return Response(str([await load_ahelper_twice(services, "k.json"), await load_ahelper_twice(services, "zz")]))


async def way_body(request, services):
    d = await request.json() if request.method == "PUT" else {}
    return Response(str(d))


async def way_body_twice(request, services):
    t = await request.text()
    b = await request.bytes()
    return Response(t + str(len(b)))


async def data_body_helper(request):
    return await request.json()


async def way_body_helper(request, services):
    try:
        return Response(str(await data_body_helper(request)))
    except ValueError:
        return Response("bad", 400)


async def way_to_thread(request, services):
    d = await asyncio.to_thread(lambda: "t")
    return Response(d)


async def way_executor(request, services):
    loop = asyncio.get_running_loop()
    d = await loop.run_in_executor(None, lambda: "t")
    return Response(d)


async def way_event(request, services):
    e = asyncio.Event()

    async def later():
        e.set()

    t = asyncio.create_task(later())
    await e.wait()
    return Response("set")


async def way_queue(request, services):
    q = asyncio.Queue()
    await q.put(1)
    return Response(str(await q.get()))


async def way_shield(request, services):
    await asyncio.shield(services.objects.put("b", "n", "x"))
    return Response("ok")


async def way_ternary(request, services):
    d = await (services.objects.get("b", "k.json") if request.method == "GET" else services.objects.get("b", "m.txt"))
    return Response(d)


async def way_or_await(request, services):
    r = await services.records.get("t", {"id": 9}) or {"n": 0}
    return Response(str(r["n"]))


async def way_cond_await(request, services):
    if (r := await services.records.get("t", {"id": 1})) and r["n"] > 3:
        return Response("big")
    return Response("small")


async def way_fstring_await(request, services):
    return Response(f"{(await services.records.get('t', {'id': 1}))['n']}!")


async def way_loop_break(request, services):
    for i in range(3):
        r = await services.records.get("t", {"id": i})
        if r:
            break
    else:
        return Response("none")
    return Response(str(i))


async def way_iscoro(request, services):
    return Response(str(inspect.iscoroutinefunction(way_iscoro)))


def timed_deco(fn):
    @functools.wraps(fn)
    async def inner(*a, **k):
        r = await fn(*a, **k)
        return r

    return inner


@timed_deco
async def way_deco(request, services):
    return Response(str((await services.records.get("t", {"id": 1}))["n"]))


def guard_deco2(fn):
    @functools.wraps(fn)
    async def inner(request, services):
        if request.method == "DELETE":
            return Response("no", 405)
        return await fn(request, services)

    return inner


@guard_deco2
async def way_deco2(request, services):
    return Response("yes")


async def way_nested_def(request, services):
    async def load(k):
        return await services.objects.get("b", k)

    return Response(await load("k.json"))


async def way_lambda_coro(request, services):
    load = lambda k: services.objects.get("b", k)
    return Response(await load("k.json"))


async def way_map_coro(request, services):
    got = await asyncio.gather(*map(lambda k: services.objects.get("b", k), ["k.json"]))
    return Response(got[0])


async def way_pieces(request, services):
    async def parts():
        yield b"a"
        yield b"b"

    return Response(parts())


async def way_pieces2(request, services):
    return Response(x for x in ("a", "b"))


async def rows_anext():
    yield 1
    yield 2


async def way_anext(request, services):
    it = rows_anext()
    return Response(str(await anext(it)) + str(await it.__anext__()))


async def rows_athrow():
    try:
        yield 1
    finally:
        pass


async def way_athrow(request, services):
    it = rows_athrow()
    a = await anext(it)
    await it.aclose()
    return Response(str(a))


VContextvar = contextvars.ContextVar("V", default="d")


async def g_contextvar():
    return VContextvar.get()


async def way_contextvar(request, services):
    VContextvar.set("s")
    return Response(await g_contextvar() + await asyncio.create_task(g_contextvar()))


async def way_current_task(request, services):
    return Response(type(asyncio.current_task()).__name__)
