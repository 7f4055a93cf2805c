import json

from brackendale import Response


async def read_json(request):
    try:
        return json.loads(await request.text())
    except ValueError:
        return None


async def respond(request, services):
    note = await read_json(request)
    if not isinstance(note, dict) or not note.get("by"):
        services.log("bad note", method=request.method)
        return Response("bad note", status=400)
    key = {"hive": request.groups["hive"], "by": note["by"]}
    before = await services.records.get("notes", key)
    await services.records.put("notes", key, {"text": note.get("text"), "edited": before is not None})
    return Response(status=200 if before else 201, headers=[("location", request.url.pathname + "/" + note["by"])])
