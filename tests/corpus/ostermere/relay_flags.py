import base64

from ostermere import lines


def run(event, ctx):
    for number, entry in enumerate(event["batch"]):
        data = base64.b64decode(entry["text"]) if entry["packed"] else entry["text"].encode()
        notes = dict(entry["notes"], number=str(number))
        lines.post("copy", data, notes=notes, group=entry["group"], form=entry["form"])
