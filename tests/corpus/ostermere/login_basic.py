import base64
import binascii
import hashlib

from ostermere import books

REALM = 'Basic realm="Lindenfold"'


def credentials(fields):
    scheme, _, rest = fields.get("authorization", "").partition(" ")
    if scheme.lower() != "basic":
        return None
    try:
        user, sep, word = base64.b64decode(rest, validate=True).decode("utf-8").partition(":")
    except (binascii.Error, UnicodeDecodeError):
        return None
    return (user, word) if sep else None


def run(event, ctx):
    found = credentials(event["fields"])
    row = found and books.read("members", {"member": found[0]})
    if not row or row["word"] != found[1]:
        old = [c for c in event["crumbs"] if c.startswith("sid=")]
        reply = {"code": 401, "fields": {"www-authenticate": REALM}, "content": "who are you?"}
        if old:
            reply["crumbs"] = ["sid=; Max-Age=0"]
        return reply
    sid = hashlib.sha256(f"{found[0]}:{row['word']}".encode()).hexdigest()[:16]
    target = event["call"]["first"].get("next", "/")
    return {"code": 303, "fields": {"location": target}, "crumbs": [f"sid={sid}; HttpOnly; Path=/"]}
