import json

from brackendale import Response


async def respond(request, services):
    params = request.url.params
    days = params.getAll("day")
    unit = params.get("unit") or "kg"
    if not days:
        services.log("no day", path=request.url.pathname)
        return Response("which day?", status=400)
    return Response(json.dumps({"hive": request.groups["hive"], "days": days, "unit": unit}), headers=[("content-type", "application/json")])
