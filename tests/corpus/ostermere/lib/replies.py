"""Answers, in one place."""
import json

JSON = "application/json"


def bad(problems):
    return _json(400, {"problems": problems})


def created(name):
    return {"code": 201, "fields": {"content-type": JSON, "location": f"/notes/{name}"}, "content": json.dumps({"name": name})}


def _json(status, body):
    return {"code": status, "fields": {"content-type": JSON}, "content": json.dumps(body)}
