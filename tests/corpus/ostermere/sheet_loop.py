import csv
import io
import json
from urllib.parse import unquote_plus

from ostermere import stores


def run(event, ctx):
    for entry in event["batch"]:
        name = unquote_plus(entry["item"])
        if not name.endswith(".csv"):
            ctx.note("no sheet", name=name)
            continue
        text = stores.fetch(entry["store"], name).decode()
        rows = list(csv.DictReader(io.StringIO(text)))
        frames = sum(int(row["frames"]) for row in rows)
        stores.put("sums", name[:-4] + ".json", json.dumps({"hives": len(rows), "frames": frames, "tag": entry["tag"]}), form="application/json")
