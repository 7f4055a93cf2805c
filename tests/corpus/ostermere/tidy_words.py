from ostermere import books, stores
from urllib.parse import unquote_plus


def run(event, ctx):
    for entry in event["batch"]:
        item = unquote_plus(entry["item"])
        if entry["change"] == "drop":
            stores.drop("sums", item)
        elif entry["change"] in ("put", "relabel") and entry["labels"].get("by"):
            books.write("touched", {"item": item}, {"by": entry["labels"]["by"]})
