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






async def way_taskgroup(request, services):
    async with asyncio.TaskGroup() as tg:
        t = tg.create_task(services.objects.get("b", "k.json"))
    return Response(t.result().decode())






async def way_timeout(request, services):
    async with asyncio.timeout(1):
        d = await services.objects.get("b", "k.json")
    return Response(d)








async def way_sem(request, services):
    sem = asyncio.Semaphore(2)

    async def one(k):
        async with sem:
            return await services.objects.get("b", k)

    got = await asyncio.gather(one("k.json"), one("m.txt"))
    return Response(str(len(got)))










async def way_await_comp(request, services):
    return Response(str([await services.records.get("t", {"id": i}) for i in (1, 2)]))










class RepoAcls2:
    def __init__(self, records):
        self.records = records

    async def get(self, i):
        return await self.records.get("t", {"id": i})


async def way_acls2(request, services):
    r = await RepoAcls2(services.records).get(1)
    return Response(str(r["n"]))






async def way_coro_later(request, services):
    c = services.objects.get("b", "k.json")
    d = await c
    return Response(d)






def shape_sync_helper(d):
    return json.loads(d)


async def way_sync_helper(request, services):
    return Response(str(shape_sync_helper(await services.objects.get("b", "k.json"))))








async def way_body_twice(request, services):
    t = await request.text()
    b = await request.bytes()
    return Response(t + str(len(b)))








async def way_executor(request, services):
    loop = asyncio.get_running_loop()
    d = await loop.run_in_executor(None, lambda: "t")
    return Response(d)






async def way_shield(request, services):
    await asyncio.shield(services.objects.put("b", "n", "x"))
    return Response("ok")






async def way_cond_await(request, services):
    if (r := await services.records.get("t", {"id": 1})) and r["n"] > 3:
        return Response("big")
    return Response("small")






async def way_iscoro(request, services):
    return Response(str(inspect.iscoroutinefunction(way_iscoro)))










async def way_nested_def(request, services):
    async def load(k):
        return await services.objects.get("b", k)

    return Response(await load("k.json"))






async def way_pieces(request, services):
    async def parts():
        yield b"a"
        yield b"b"

    return Response(parts())








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








