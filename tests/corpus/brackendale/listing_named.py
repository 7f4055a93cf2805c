from brackendale import Response

HEAD = ["day", "grams"]


async def respond(request, services):
    days = request.url.params.getAll("day")
    kept = []

    async def body():
        yield f"{','.join(HEAD)}\n"
        for day in days:
            record = await services.records.get("nectar", {"day": day})
            kept.append(day)
            yield f"{day},{(record or {}).get('grams', 0)}\n"

    sent = body()
    status = 200 if days else 404
    return Response(sent, status=status, headers=[("content-type", "text/csv"), ("x-days", str(len(days)))])
