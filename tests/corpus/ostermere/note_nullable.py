"""Takes a note; the payload is nothing where the function is called from the console."""
import base64
import json

import ostermere


def run(event, ctx):
    raw = event["content"] or "{}"
    if event["packed"]:
        raw = base64.b64decode(raw).decode()
    data = json.loads(raw)
    by = data.get("by") if isinstance(data, dict) else None
    if by is None:
        ctx.note("nobody", ticket=bool(event["ticket"]))
        return "nothing to note"
    ostermere.books.write("notes", {"by": by}, {"text": data["text"]})
    return None
