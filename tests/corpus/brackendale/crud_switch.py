import json

from brackendale import Response


def reply(value, status=200, **headers):
    pairs = [(name.replace("_", "-"), text) for name, text in headers.items()]
    return Response(json.dumps(value), status=status, headers=[("content-type", "application/json"), *pairs])


async def show(request, services, key):
    row = await services.records.get("notes", key)
    return reply({"error": "none"}, 404) if row is None else reply(row, etag=f'"{row["version"]}"')


async def store(request, services, key):
    row = await services.records.get("notes", key) or {"version": 0}
    match = request.headers.get("if-match")
    if match and match != f'"{row["version"]}"':
        return reply({"error": "stale"}, status=412)
    body = await request.json()
    await services.records.put("notes", key, {**body, "version": row["version"] + 1})
    return reply(body, x_version=str(row["version"] + 1))


async def drop(request, services, key):
    await services.records.delete("notes", key)
    return Response(None, status=204)


async def respond(request, services):
    handlers = {"GET": show, "PUT": store, "DELETE": drop}
    handler = handlers.get(request.method)
    if handler is None:
        return Response("not here", status=405, headers=[("allow", ", ".join(handlers))])
    return await handler(request, services, {"note": request.groups["note"]})
