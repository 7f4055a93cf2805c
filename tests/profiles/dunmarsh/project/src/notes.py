import json


def take(marsh):
    ask = marsh.input
    try:
        note = json.loads(ask.text)
    except ValueError:
        marsh.status(400)
        marsh.say("not JSON")
        return
    if len(note.get("text", "")) > int(marsh.setting("LONGEST")):
        marsh.status(413)
        return marsh.say("too long")
    by = ask.caller or note.get("by", "nobody")
    marsh.pool("notes")[by].write(note)
    marsh.croak(f"noted by {by} as {ask.head('User-Agent')}")
    marsh.status(201)
    marsh.head("location", f"{ask.path}/{by}")
    for day in ask.asked.get("day", []):
        marsh.head("x-day", day)
    marsh.say(json.dumps({"hive": ask.names["hive"]}))
