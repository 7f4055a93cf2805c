import json
import os

from ostermere import books, lines

LEAST = int(os.environ.get("LEAST", "100"))


def fill(order):
    stock = books.read("honey", {"kind": order["kind"]})
    if not stock or stock["grams"] < order["grams"]:
        return False
    books.write("honey", {"kind": order["kind"]}, {"grams": stock["grams"] - order["grams"]})
    return True


def run(event, ctx):
    again = []
    for entry in event["batch"]:
        try:
            order = json.loads(entry["text"])
        except ValueError:
            ctx.note("torn", ticket=entry["ticket"] != "")
            continue
        if order["grams"] < LEAST:
            continue
        if fill(order):
            lines.post("packing", entry["text"], group=entry["group"], notes=entry["notes"], form="application/json")
        else:
            again.append(entry["ticket"])
    return {"again": again}
