import json
import logging

from ostermere import stores

logger = logging.getLogger()
logger.setLevel("INFO")


class Router:
    def __init__(self):
        self.routes = {}

    def add(self, method):
        def register(func):
            self.routes[method] = func
            return func
        return register

    def dispatch(self, event, ctx):
        handler = self.routes.get(event["call"]["verb"])
        if handler is None:
            return {"code": 405, "fields": {"allow": ", ".join(sorted(self.routes))}}
        return handler(event, ctx)


router = Router()


def ok(data, code=200):
    return {"code": code, "content": json.dumps(data), "fields": {"content-type": "application/json"}}


@router.add("GET")
def list_things(event, ctx):
    thing = event["call"]["slots"]["thing"]
    prefix = event["call"]["first"].get("prefix", "")
    names = stores.list("admin", begins=f"{thing}/{prefix}")
    return ok({"things": [name.split("/", 1)[1] for name in names]})


@router.add("POST")
def add_thing(event, ctx):
    key = "/".join([event["call"]["slots"]["thing"], event["content"].strip()])
    stores.put("admin", key, b"", form="text/plain")
    return ok({"key": key}, 201)


@router.add("DELETE")
def drop_thing(event, ctx):
    stores.drop("admin", f"{event['call']['slots']['thing']}/{event['call']['first']['name']}")
    return {"code": 204}


def run(event, ctx):
    who = event["who"]
    if not who:
        return {"code": 401}
    if who["claims"].get("role") != "admin":
        logger.warning("refused %s", who["id"])
        return ok({"error": "admins only"}, code=403)
    return router.dispatch(event, ctx)
