import json

from thornwick import Reply, ledgers

JSON = ("content-type", "application/json")


def look(key):
    try:
        return ledgers.look("notes", key)
    except KeyError:
        return None


def run(request):
    key = {"note": request.parts["note"]}
    match request.verb, look(key):
        case ("GET", None) | ("PUT", None):
            return Reply(status=404)
        case "GET", row:
            return Reply(json.dumps(row), heads=[JSON, ("etag", f'"{row["version"]}"')])
        case "PUT", row:
            version = row["version"]
            wanted = request.heads.one("if-match")
            if wanted is not None and wanted != f'"{version}"':
                return Reply("stale", 412)
            ledgers.enter("notes", key, request.json() | {"version": version + 1})
            return Reply(status=204, heads=[("etag", f'"{version + 1}"')])
        case "DELETE", _:
            ledgers.strike("notes", key)
            return Reply(status=204)
        case "OPTIONS", _:
            origin = request.heads.one("origin", "*")
            return Reply("", 204, [("allow", "GET, PUT, DELETE"), ("access-control-allow-origin", origin)])
        case verb, _:
            return Reply(f"{verb} is not allowed", 405)
