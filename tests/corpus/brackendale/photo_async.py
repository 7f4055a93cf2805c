from brackendale import Response


async def respond(request, services):
    photo = await request.bytes()
    kind = request.headers.get("content-type")
    if kind is None or not kind.startswith("image/"):
        return Response(f"not {kind}", status=415)
    await services.objects.put("photos", request.groups["hive"], photo, media=kind)
    return Response(status=204)
