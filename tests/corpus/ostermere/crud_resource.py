import json

from ostermere import books


class NotFound(Exception):
    pass


class Resource:
    table = ""

    def __init__(self, event):
        self.event = event
        self.call = event["call"]

    @property
    def key(self):
        return dict(self.call["slots"])

    def body(self):
        return json.loads(self.event["content"])

    def dispatch(self):
        method = getattr(self, "on_" + self.call["verb"].lower(), None)
        if method is None:
            return {"code": 405, "fields": {"allow": "GET, PUT, DELETE"}}
        try:
            return method()
        except NotFound:
            return {"code": 404, "content": "not found"}


class Notes(Resource):
    table = "notes"

    def _row(self):
        row = books.read(self.table, self.key)
        if row is None:
            raise NotFound(self.key)
        return row

    def on_get(self):
        row = self._row()
        return {"code": 200, "fields": {"content-type": "application/json", "etag": f'"{row["version"]}"'},
                "content": json.dumps(row)}

    def on_put(self):
        row = self._row()
        wanted = self.event["fields"].get("if-match")
        if wanted and wanted.strip('"') != str(row["version"]):
            return {"code": 412}
        new = {**self.body(), "version": row["version"] + 1}
        books.write(self.table, self.key, new)
        return {"code": 200, "content": json.dumps(new), "fields": {"content-type": "application/json"}}

    def on_delete(self):
        self._row()
        books.drop(self.table, self.key)
        return None


def run(event, ctx):
    return Notes(event).dispatch()
