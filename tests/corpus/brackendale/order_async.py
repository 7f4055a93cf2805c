import json


async def respond(happening, services):
    order = json.loads(await happening.text()) if hasattr(happening, "text") else json.loads(await happening.bytes())
    stock = await services.records.get("honey", {"kind": order["kind"]})
    if not stock:
        raise RuntimeError("no honey")
    await services.messages.send("packing", json.dumps(order), media=happening.type, headers=happening.headers, order=happening.order)
