import json

from ostermere import stores

WORDS = {"add": "came", "edit": "changed", "drop": "went"}


def run(event, ctx):
    for entry in event["batch"]:
        member = entry["key"]["member"]
        line = f"{member} {WORDS[entry['change']]}"
        row = entry["now"] or entry["was"]
        stores.put("audit", f"{entry['seq']}.json", json.dumps({"line": line, "row": row, "first": entry["was"] is None}))
