import json

from ostermere import stores

ROUTES = {}


def on(method):
    """Take a function for a method."""
    def register(function):
        ROUTES[method] = function
        return function
    return register


def ok(data, code=200):
    return {"code": code, "content": json.dumps(data), "fields": {"content-type": "application/json"}}


@on("GET")
def list_things(event, ctx):
    thing = event["call"]["slots"]["thing"]
    names = stores.list("admin", begins=f"{thing}/{event['call']['first'].get('prefix', '')}")
    return ok({"things": [name.split("/", 1)[1] for name in names]})


@on("POST")
def add_thing(event, ctx):
    key = "/".join([event["call"]["slots"]["thing"], event["content"].strip()])
    stores.put("admin", key, b"", form="text/plain")
    return ok({"key": key}, 201)


@on("DELETE")
def drop_thing(event, ctx):
    stores.drop("admin", f"{event['call']['slots']['thing']}/{event['call']['first']['name']}")
    return {"code": 204}


def run(event, ctx):
    who = event["who"]
    if not who:
        return {"code": 401}
    if who["claims"].get("role") != "admin":
        return ok({"error": "admins only"}, code=403)
    handler = ROUTES.get(event["call"]["verb"])
    if handler is None:
        return {"code": 405, "fields": {"allow": ", ".join(sorted(ROUTES))}}
    return handler(event, ctx)
