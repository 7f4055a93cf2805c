from brackendale import Response


async def rows(services, days):
    """What came in on each day, as it is read."""
    yield "day,grams\n"
    for day in days:
        record = await services.records.get("nectar", {"day": day})
        if record is None:
            continue
        yield f"{day},{record['grams']}\n"


async def respond(request, services):
    days = request.url.params.getAll("day")
    if not days:
        return Response("which day?\n", status=400)
    services.log("listing", days=len(days))
    return Response(rows(services, days), headers=[("content-type", "text/csv")])
