"""Taking in what a member saw in a hive: notes as JSON, or a photograph."""

import base64
import hashlib
import json
import os

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
    return {
        "code": 201,
        "fields": {"content-type": "application/json", "location": f"/hives/{hive}/inspections/{name}".replace(" ", "%20")},
        "content": f'{{"inspection": "{name}", "seen": {text}}}',
    }
