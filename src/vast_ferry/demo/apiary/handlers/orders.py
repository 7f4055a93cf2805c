"""Honey orders: a batch of messages, each an order; what can't be filled yet comes again."""

import base64
import json
import os

from ostermere import books, lines


def take(event, ctx):
    again = []
    for entry in event["batch"]:
        body = base64.b64decode(entry["text"]).decode() if entry["packed"] else entry["text"]
        order = json.loads(body)
        if order["grams"] < int(os.environ["SMALLEST_JAR"]):
            ctx.note("too small, dropped", order=order["order"])
            continue
        stock = books.read("honey", {"kind": order["kind"]})
        if stock is None or stock["grams"] < order["grams"]:
            ctx.note("not enough honey", order=order["order"], tries=entry["tries"])
            again.append(entry["ticket"])
            continue
        books.write("honey", {"kind": order["kind"]}, {**stock, "grams": stock["grams"] - order["grams"]})
        books.write("orders", {"order": order["order"]}, {"member": order["member"], "grams": order["grams"]})
        lines.post("packing", json.dumps(order), notes=entry["notes"], group=entry["group"], form=entry["form"])
    return {"again": again} if again else None
