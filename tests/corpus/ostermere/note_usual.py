import json
import os
import uuid

from ostermere import books


def run(event, ctx):
    try:
        body = json.loads(event["content"])
    except ValueError:
        return {"code": 400, "content": "not JSON"}
    if not isinstance(body, dict) or "by" not in body:
        return {"code": 422, "content": "by whom?"}
    if len(body.get("text", "")) > int(os.environ["LONGEST"]):
        return {"code": 413, "content": "too long"}
    hive = event["call"]["slots"]["hive"]
    key = uuid.uuid5(uuid.NAMESPACE_URL, f"{hive}/{body['by']}").hex
    books.write("notes", {"hive": hive, "note": key}, {"by": body["by"], "text": body.get("text")})
    return {"code": 201, "fields": {"location": f"/hives/{hive}/notes/{key}"}, "content": key}
