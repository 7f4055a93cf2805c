import json

from ostermere import books


def run(event, ctx):
    orders = [json.loads(entry["text"]) for entry in event["batch"] if entry["text"] != "{"]
    for order in orders:
        books.write("orders", {"order": order["order"]}, {"grams": order["grams"]})
    ctx.note("taken", count=len(orders))
