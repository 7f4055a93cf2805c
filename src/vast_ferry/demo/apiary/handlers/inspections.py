"""Taking in what members saw in their hives (notes as JSON, or a photograph), and summing up a day of it."""

import base64
import csv
import hashlib
import io
import json
import os
from urllib.parse import unquote_plus

from ostermere import books, stores

from handlers.hives import problem


def record(event, ctx):
    call = event["call"]
    hive = call["slots"]["hive"]
    kind = event["fields"].get("content-type", "").partition(";")[0]
    if kind.startswith("image/"):
        photo = base64.b64decode(event["content"]) if event["packed"] else event["content"].encode()
        return stored(hive, {"photo": hashlib.sha256(photo).hexdigest(), "bytes": len(photo), "kind": kind})
    try:
        seen = json.loads(event["content"])
    except ValueError as error:
        ctx.note("not JSON", error=str(error))
        return problem(400, "The inspection is not JSON", call["path"])
    if not isinstance(seen, dict) or not seen.get("by"):
        return problem(422, "An inspection says by whom it was made", call["path"])
    if len(seen.get("note", "")) > int(os.environ["LONGEST_NOTE"]):
        return problem(413, "That note is too long", call["path"])
    if seen.get("nothing_new"):
        return None
    return stored(hive, seen)


def stored(hive, seen):
    text = json.dumps(seen, ensure_ascii=False, sort_keys=True)
    name = hashlib.sha256(f"{hive}\n{text}".encode()).hexdigest()[:10]
    books.write("inspections", {"hive": hive, "inspection": name}, seen)
    return {
        "code": 201,
        "fields": {"content-type": "application/json", "location": f"/hives/{hive}/inspections/{name}".replace(" ", "%20")},
        "content": f'{{"inspection": "{name}", "seen": {text}}}',
    }


def summarise(event, ctx):
    """For each sheet of inspections under north/DAY.csv, how the hives of that day are, as summaries/north/DAY.json."""
    for entry in event["batch"]:
        sheet = unquote_plus(entry["item"])
        text = stores.fetch(entry["store"], sheet).decode("utf-8-sig")
        rows = list(csv.DictReader(io.StringIO(text)))
        frames = [int(row["frames"]) for row in rows]
        summary = {
            "day": sheet.removeprefix("north/").removesuffix(".csv"),
            "hives": len(rows),
            "frames": sum(frames),
            "weakest": min(rows, key=lambda row: int(row["frames"]))["hive"] if rows else None,
            "queenless": [row["hive"] for row in rows if row["queen"] == "no"],
            "of": {"tag": entry["tag"], "bytes": entry["bytes"]},
        }
        target = sheet.removesuffix(".csv") + ".json"
        stores.put("summaries", target, json.dumps(summary, ensure_ascii=False), form="application/json")
        ctx.note("summed up", sheet=sheet, hives=len(rows))
