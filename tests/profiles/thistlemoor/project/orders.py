import base64
import gzip
import json
from datetime import datetime, timezone


def take(turn, kit):
    results = {}
    for lane in turn["lanes"]:
        for item in lane["items"]:
            id = f"{lane['part']}:{lane['first']}+{item['off']}"
            try:
                order = json.loads(gzip.decompress(base64.b64decode(item["load"])))
                kit.sheet("orders").row(id=order["id"]).set({"id": order["id"], "try": int(item["try"].split("/")[0])})
                results[id] = True
            except (ValueError, KeyError):
                results[id] = False
    return {"results": results}


def moved(turn, kit):
    for row in turn["rows"]:
        if row["op"] == "U" and row["was"]["weight"] != row["is"]["weight"]:
            kit.line("moves").send(json.dumps({"hive": row["is"]["hive"], "from": row["was"]["weight"]}))


def night(turn, kit):
    y, mo, d, h, mi, s, us = turn["turn"]["at"]
    at = datetime(y, mo, d, h, mi, s, us, tzinfo=timezone.utc)
    kit.line("reports").send(at.isoformat() + " " + turn["due"])
