"""Webhook of the scale maker: verifies the signature, keeps the delivery, passes it on."""
import base64
import hashlib
import hmac
import json
import os

from ostermere import books, lines

HEADERS = {"content-type": "application/json"}


def _reply(code, **body):
    return {"code": code, "fields": HEADERS, "content": json.dumps(body)}


def _raw(event):
    if event["packed"]:
        return base64.b64decode(event["content"])
    return event["content"].encode("utf-8")


def _valid(raw, given):
    if not given or not given.startswith("sha256="):
        return False
    key = os.environ["HOOK_KEY"].encode()
    wanted = hmac.new(key, raw, hashlib.sha256).hexdigest()
    return hmac.compare_digest(wanted, given[len("sha256="):])


def run(event, ctx):
    raw = _raw(event)
    if not _valid(raw, event["fields"].get("x-signature")):
        ctx.note("bad signature", source=event["call"]["slots"]["source"])
        return _reply(401, error="bad signature")
    delivery = event["fields"].get("x-delivery", "none")
    if books.read("deliveries", {"id": delivery}):
        return _reply(200, status="duplicate")
    payload = json.loads(raw)
    books.write("deliveries", {"id": delivery}, {"event": payload["event"]})
    lines.post("weights", json.dumps(payload, sort_keys=True), notes={"source": event["call"]["slots"]["source"]})
    return _reply(202, status="accepted", delivery=delivery)
