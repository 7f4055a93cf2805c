from brackendale import Response


def lines(days, known):
    for day, record in zip(days, known):
        yield f"{day}: {record['grams'] if record else 'nothing'}\n".encode()


async def read(services, days):
    return [await services.records.get("nectar", {"day": day}) for day in days]


async def respond(request, services):
    days = request.url.params.getAll("day")
    if "brief" in request.url.params.getAll("form"):
        return Response((f"{day} " for day in days), headers=[("content-type", "text/plain")])
    known = await read(services, days)
    total = sum([record["grams"] async for record in there(known)])
    return Response(lines([*days, "all"], [*known, {"grams": total}]), headers=[("content-type", "text/plain")])


async def there(known):
    for record in known:
        if record is not None:
            yield record
