"""Taking in what members saw in their hives, and summing up a day of it."""

import csv
import hashlib
import io
import json
import os
from urllib.parse import unquote

from quillhaven import on, shelves, volumes

from tasks.hives import problem


@on.task("record_inspection", python="3.11", settings={"LONGEST_NOTE": "280"})
@on.route("/hives/{hive}/inspections", methods=["POST"], open_to="everyone")
def record(visit, desk):
    kind = (visit.headers.get("content-type") or "").partition(";")[0]
    hive = visit.names["hive"]
    if kind.startswith("image/"):
        return stored(hive, {"photo": hashlib.sha256(visit.data()).hexdigest(), "bytes": len(visit.data())})
    try:
        seen = visit.json()
    except ValueError:
        return problem(400, "The inspection is not JSON", visit.url.raw_path)
    if not isinstance(seen, dict) or not seen.get("by"):
        return problem(422, "An inspection says by whom it was made", visit.url.raw_path)
    if len(seen.get("note", "")) > int(os.environ["LONGEST_NOTE"]):
        return problem(413, "That note is too long", visit.url.raw_path)
    return None if seen.get("nothing_new") else stored(hive, seen)


def stored(hive, seen):
    text = json.dumps(seen, ensure_ascii=False, sort_keys=True)
    name = hashlib.sha256(f"{hive}\n{text}".encode()).hexdigest()[:10]
    volumes.write("inspections", {"hive": hive, "inspection": name}, seen)
    return {"status": 201, "headers": [("location", f"/inspections/{name}"), ("content-type", "application/json")], "data": text}


@on.task("inspection_summary")
@on.event(
    shelf="inspections",
    types=["shelf_placed"],
    filters=[{"prefix": {"subject": "north/"}}, {"suffix": {"subject": ".csv"}}],
)
def summarise(event, desk):
    sheet = unquote(event.subject)
    rows = list(csv.DictReader(io.StringIO(shelves.take("inspections", sheet).decode("utf-8-sig"))))
    summary = {
        "day": sheet.removeprefix("north/").removesuffix(".csv"),
        "hives": len(rows),
        "queenless": [row["hive"] for row in rows if row["queen"] == "no"],
        "of": event.data.etag,
    }
    shelves.place("summaries", sheet.removesuffix(".csv") + ".json", json.dumps(summary), "application/json")
