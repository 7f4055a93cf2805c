import asyncio


async def respond(happening, services):
    thing = happening.object
    if not thing.key.endswith(".csv"):
        return
    content = await services.objects.get(thing.store, thing.key)
    if content is None:
        raise LookupError(thing.key)
    await asyncio.gather(
        services.objects.put("backup", thing.key, content),
        services.records.put("sizes", {"key": thing.key}, {"bytes": thing.size}),
    )
