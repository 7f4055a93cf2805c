from brackendale import Response


async def respond(request, services):
    data = await services.objects.get("reports", request.groups["name"] + ".txt")
    if data is None:
        return Response("none", status=404)
    return Response(data.decode().title(), headers=[("content-type", "text/plain")])
