import json

from marrowby import folios


def run(visit, log):
    try:
        note = json.loads(visit["load"])
    except ValueError:
        return {"mark": 400}
    if not isinstance(note, dict):
        return {"mark": 422, "load": "no note"}
    folios.file("notes", {"hive": visit["found"]["hive"]}, {"by": note.get("by"), "text": note.get("text")})
    return None
