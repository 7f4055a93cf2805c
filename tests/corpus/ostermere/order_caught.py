import json

from ostermere import books


def handle(order):
    stock = books.read("honey", {"kind": order["kind"]})
    books.write("orders", {"order": order["order"]}, {"left": stock["grams"] - order["grams"]})


def run(event, ctx):
    failed = []
    for entry in event["batch"]:
        try:
            handle(json.loads(entry["text"]))
        except Exception as error:
            ctx.note("failed", error=repr(error))
            failed.append(entry["ticket"])
    return {"again": failed} if failed else None
