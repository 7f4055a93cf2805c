async def tell(services, apiary, hive):
    await services.messages.send("wardens", f"{hive} at {apiary}", order=apiary)


async def respond(happening, services):
    before, after = happening.previous["apiary"], happening.current["apiary"]
    if before != after:
        for apiary in (before, after):
            await tell(services, apiary, happening.key["hive"])
