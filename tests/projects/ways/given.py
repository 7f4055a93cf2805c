from functools import partial, wraps

from ostermere import books


def say(text, code=200):
    return {"code": code, "content": text}


def with_errors(function):
    @wraps(function)
    def inner(event, ctx):
        try:
            return function(event, ctx)
        except LookupError as error:
            return say(str(error), 404)

    return inner


def only(*verbs):
    def decorator(function):
        def inner(event, ctx):
            return function(event, ctx) if event["call"]["verb"] in verbs else say("no", 405)

        return inner

    return decorator


def core(event, ctx):
    row = books.read("t", {"id": 1})
    if row is None:
        raise LookupError(event["call"]["path"])
    return say(str(row.get("n", 0)))


def more(table, event, ctx, *, shown="n"):
    return say(str((books.read(table, {"id": 1}) or {}).get(shown)) + event["call"]["path"])


class Notes:
    def __init__(self, table):
        self.table = table
        self.ways: dict = {"GET": self.get, "PUT": self.put}

    def get(self, event):
        return say(str(books.read(self.table, {"id": 1})))

    def put(self, event):
        return say(event["call"]["path"], 201)

    def dispatch(self, event, ctx):
        return self.ways[event["call"]["verb"]](event)


class Shown:
    def __init__(self, table):
        self.table = table

    def __call__(self, event, ctx):
        return say(str(books.read(self.table, {"id": 1})) + event["call"]["path"])
