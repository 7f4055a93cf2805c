import json
import os

from quillhaven import on, volumes


def refuse(why, status=422):
    return {"status": status, "headers": [("content-type", "application/json")], "data": json.dumps({"why": why})}


@on.task("note_visit", settings={"LONGEST": "20"})
@on.route("/hives/{hive}/notes", methods=["POST"])
def run(visit, desk):
    try:
        note = visit.json()
    except ValueError as error:
        return refuse(type(error).__name__, 400)
    if not isinstance(note, dict) or not note.get("by"):
        return refuse("by whom?")
    if len(note["text"]) > int(os.environ["LONGEST"]):
        return refuse("too long", status=413)
    volumes.write("notes", {"hive": visit.names["hive"], "by": note["by"]}, note)
    return None
