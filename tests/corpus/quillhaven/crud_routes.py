import json

from quillhaven import on, volumes


def read(key):
    return volumes.open("notes", key)


ACTIONS = {
    "GET": lambda key, visit: found(read(key)),
    "PUT": lambda key, visit: store(key, visit),
    "DELETE": lambda key, visit: drop(key),
}


def found(row):
    if row is None:
        return {"status": 404}
    return {"status": 200, "headers": [("content-type", "application/json"), ("etag", f'"{row["version"]}"')], "data": json.dumps(row)}


def store(key, visit):
    old = read(key) or {"version": 0}
    if visit.headers.get("if-match", f'"{old["version"]}"') != f'"{old["version"]}"':
        return {"status": 412, "data": "stale"}
    row = dict(visit.json(), version=old["version"] + 1)
    volumes.write("notes", key, row)
    return {"status": 200, "data": json.dumps(row), "headers": [("content-type", "application/json")]}


def drop(key):
    volumes.tear("notes", key)
    return None


@on.task("crud_routes")
@on.route("/notes/{note}", methods=["GET", "PUT", "DELETE", "PATCH", "OPTIONS"])
def run(visit, desk):
    action = ACTIONS.get(visit.method)
    if action is None:
        return {"status": 405, "headers": [("allow", ", ".join(sorted(ACTIONS)))]}
    return action({"note": visit.names["note"]}, visit)
