import json

from brackendale import Response


async def save(services, hive, note):
    await services.records.put("notes", {"hive": hive, "by": note["by"]}, note)
    return f"/hives/{hive}/notes/{note['by']}"


async def respond(request, services):
    try:
        note = await request.json()
    except ValueError:
        return Response("not JSON", status=400)
    if not isinstance(note, dict) or not note.get("by"):
        return Response("by whom?", status=422)
    where = await save(services, request.groups["hive"], note)
    return Response(json.dumps(note), status=201, headers=[("location", where), ("content-type", "application/json")])
