import json

from ostermere import books

CORS = {
    "access-control-allow-origin": "*",
    "access-control-allow-methods": "GET, PUT, DELETE",
}


def get(event, key):
    row = books.read("notes", key)
    if row is None:
        return 404, None, {}
    return 200, row, {"etag": f'"{row["version"]}"'}


def put(event, key):
    row = books.read("notes", key) or {"version": 0}
    wanted = event["fields"].get("if-match")
    if wanted is not None and wanted.strip('"') != str(row["version"]):
        return 412, {"error": "changed meanwhile"}, {}
    new = {**json.loads(event["content"]), "version": row["version"] + 1}
    books.write("notes", key, new)
    return 200, new, {"etag": f'"{new["version"]}"'}


def delete(event, key):
    books.drop("notes", key)
    return 204, None, {}


METHODS = {"GET": get, "PUT": put, "DELETE": delete}


def run(event, ctx):
    verb = event["call"]["verb"]
    if verb == "OPTIONS":
        return {"code": 204, "fields": dict(CORS)}
    action = METHODS.get(verb)
    if action is None:
        return {"code": 405, "fields": {**CORS, "allow": ", ".join(METHODS)}}
    code, body, extra = action(event, {"note": event["call"]["slots"]["note"]})
    fields = {**CORS, **extra}
    if body is None:
        return {"code": code, "fields": fields}
    fields["content-type"] = "application/json"
    return {"code": code, "fields": fields, "content": json.dumps(body)}
