import json
import re

from ostermere import stores


class App:
    def __init__(self, base):
        self.base = base
        self.routes = []

    def route(self, method, path):
        pattern = re.compile(self.base + path + "$")

        def register(function):
            self.routes.append((method, pattern, function))
            return function

        return register

    def handle(self, event, ctx):
        call = event["call"]
        for method, pattern, function in self.routes:
            match = pattern.match(call["path"])
            if match and method == call["verb"]:
                return function(event, match[1])
        return {"code": 404, "content": json.dumps({"path": call["path"]}), "fields": {"content-type": "application/json"}}


app = App(".*/admin/")


@app.route("GET", r"(\w+)")
def list_things(event, thing):
    names = stores.list("admin", begins=f"{thing}/")
    return {"code": 200, "content": json.dumps(list(names)), "fields": {"content-type": "application/json"}}


@app.route("POST", r"(\w+)")
def add_thing(event, thing):
    stores.put("admin", f"{thing}/{event['content']}", b"")
    return {"code": 201}


def run(event, ctx):
    return app.handle(event, ctx)
