import base64
import json
import os

import cinderwick


def _content(spark):
    content = spark["content"]
    if content.get("chars") is not None:
        return content["chars"]
    return base64.b64decode(content["bytes"]).decode()


def _headers(spark):
    found = {}
    for line in spark["lines"].split("\r\n"):
        if line:
            name, _, value = line.partition(": ")
            found.setdefault(name.lower(), value)
    return found


def notes(spark, hearth):
    hive = dict(spark["path"])["hive"]
    try:
        note = json.loads(_content(spark))
    except ValueError:
        raise cinderwick.Snuffed("400 Bad Request", "not JSON")
    if len(note.get("text", "")) > int(os.environ["LONGEST"]):
        return ["413 Too Long", {}, "too long"]
    badge = spark.get("badge") or {}
    by = badge.get("subject", note.get("by"))
    cinderwick.rows("notes").lay({"hive": hive, "by": by}, note)
    hearth.say("noted", hive=hive, agent=_headers(spark).get("user-agent"))
    verb, target, _ = spark["ask"].split(" ")
    return ["201 Created", {"location": f"{target}/{by}", "content-type": "application/json"}, json.dumps({"hive": hive, "at": spark["when"][0]})]


def moved(spark, hearth):
    was, now = spark["diff"].get("apiary", [None, None])
    if was != now:
        hive = spark["row"].partition("=")[2]
        cinderwick.queue("moves").add(f"{hive}: {was} -> {now}", tags={"deed": spark["deed"]})
