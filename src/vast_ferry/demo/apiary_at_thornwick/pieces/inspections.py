"""Taking in what members saw in their hives, and summing up a day of it."""

import csv
import hashlib
import io
import json
import os

from thornwick import Reply, ledgers, shelves

from pieces.hives import problem


def record(request):
    hive = request.parts["hive"]
    kind = (request.heads.one("Content-Type") or "").partition(";")[0]
    if kind.startswith("image/"):
        photo = request.read()
        return stored(hive, {"photo": hashlib.sha256(photo).hexdigest(), "bytes": len(photo)})
    try:
        seen = request.json()
    except ValueError:
        return problem(400, "The inspection is not JSON", request.path)
    if not isinstance(seen, dict) or not seen.get("by"):
        return problem(422, "An inspection says by whom it was made", request.path)
    if len(seen.get("note", "")) > int(os.environ["LONGEST_NOTE"]):
        return problem(413, "That note is too long", request.path)
    return None if seen.get("nothing_new") else stored(hive, seen)


def stored(hive, seen):
    text = json.dumps(seen, ensure_ascii=False, sort_keys=True)
    name = hashlib.sha256(f"{hive}\n{text}".encode()).hexdigest()[:10]
    ledgers.enter("inspections", {"hive": hive, "inspection": name}, seen)
    return Reply(text, status=201, heads=[("Location", f"/inspections/{name}"), ("Content-Type", "application/json")])


def summarise(notice):
    sheet = notice.thing.path
    content = shelves.read("inspections", sheet)
    if content is None:
        raise LookupError(sheet)
    rows = list(csv.DictReader(io.StringIO(content.decode("utf-8-sig"))))
    summary = {
        "day": sheet.removeprefix("north/").removesuffix(".csv"),
        "hives": len(rows),
        "frames": sum(int(row["frames"]) for row in rows),
        "queenless": [row["hive"] for row in rows if row["queen"] == "no"],
        "of": notice.thing.print,
    }
    target = sheet.removesuffix(".csv") + ".json"
    shelves.store("summaries", target, json.dumps(summary, ensure_ascii=False), media="application/json")
