import json
import os

LEAST = int(os.environ.get("LEAST", "0"))


class Short(Exception):
    pass


async def take(services, order):
    key = {"kind": order["kind"]}
    stock = await services.records.get("honey", key)
    if stock is None or stock["grams"] < order["grams"]:
        raise Short(order["kind"])
    await services.records.put("honey", key, {"grams": stock["grams"] - order["grams"]})


async def respond(happening, services):
    order = json.loads(await happening.bytes())
    if order["grams"] < LEAST:
        return
    try:
        await take(services, order)
    except Short as short:
        if happening.attempt > 1:
            await services.messages.send("refused", json.dumps({"order": order["order"], "kind": str(short)}), headers=dict(happening.headers))
            return
        raise
    await services.messages.send("packed", order["order"], order=happening.order or "")
