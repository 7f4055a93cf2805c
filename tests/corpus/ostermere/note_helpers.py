import json

from ostermere import books

from lib.replies import bad, created


def parse(text):
    try:
        return json.loads(text)
    except json.JSONDecodeError:
        return None


def check(note):
    problems = []
    if not isinstance(note, dict):
        return ["no note"]
    if not note.get("by"):
        problems.append("by whom?")
    if len(note.get("text") or "") > 20:
        problems.append("too long")
    return problems


def store(hive, note):
    books.write("notes", {"hive": hive}, note)
    return hive


def run(event, ctx):
    note = parse(event["content"])
    problems = check(note)
    if problems:
        return bad(problems)
    return created(store(event["call"]["slots"]["hive"], note))
