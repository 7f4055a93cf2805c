import base64
import hashlib

from ostermere import stores


def run(event, ctx):
    if event["packed"]:
        photo = base64.b64decode(event["content"])
    else:
        photo = event["content"].encode("utf-8")
    if not photo:
        return {"code": 400}
    kind = event["fields"].get("content-type", "application/octet-stream")
    if not kind.startswith("image/"):
        return {"code": 415, "content": kind}
    stores.put("photos", event["call"]["slots"]["hive"] + ".jpg", photo, form=kind, labels={"sum": hashlib.md5(photo).hexdigest()})
