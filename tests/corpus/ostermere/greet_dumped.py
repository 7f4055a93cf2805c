"""Says hello, and keeps what came for a look later."""
import json

from ostermere import stores


def run(event, ctx):
    stores.put("debug", "last.json", json.dumps(event["call"], sort_keys=True))
    return {"code": 200, "content": "kept"}
