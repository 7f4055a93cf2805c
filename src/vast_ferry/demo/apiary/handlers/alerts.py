"""A swarm was seen: the wardens are called, over HTTP."""

import json
import os
import urllib.request


def swarm(event, ctx):
    for entry in event["batch"]:
        seen = json.loads(entry["text"])
        call = urllib.request.Request(
            os.environ["WARDENS"],
            data=json.dumps({"where": seen["where"], "high": seen.get("metres", 0) > 3}).encode(),
            headers={"content-type": "application/json", "authorization": "Key " + ctx.sealed("WARDENS_KEY")},
            method="POST",
        )
        with urllib.request.urlopen(call, timeout=ctx.left_ms() / 1000) as answer:
            warden = json.load(answer)["warden"]
        ctx.note("called", warden=warden, tries=entry["tries"])
