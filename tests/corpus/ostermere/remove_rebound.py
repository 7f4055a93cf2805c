from ostermere import books


def run(event, ctx):
    hive = event["call"]["slots"]["hive"]
    row = books.read("hives", {"hive": hive})
    if row is None:
        return {"code": 404}
    hive = {"hive": hive}
    if row.get("kept"):
        return {"code": 409, "content": "kept"}
    books.drop("hives", hive)
    return {"code": 204}
