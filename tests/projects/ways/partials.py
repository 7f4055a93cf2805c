"""Functions with some arguments given once, at the top of a module."""

import json
from functools import partial
from ostermere import books

LIMIT = 3


def reply(data, code=200, *, kind="application/json"):
    return {"code": code, "fields": {"content-type": kind}, "content": json.dumps(data)}


def told(data, code=200, kind="application/json"):
    return {"code": code, "fields": {"content-type": kind}, "content": json.dumps(data)}


def fail(code, text, more=None):
    return {"code": code, "content": text + (more or "")}


def read(table, key):
    return books.read(table, {"id": key})


error = partial(told, code=401)
plain = partial(told, kind="text/plain")
not_found = partial(fail, 404)
gone = partial(fail, 410, "gone")
row = partial(read, "t")
limit = partial(fail, LIMIT + 400)


def way_error(event, ctx):
    return error({"a": 1}) if event["call"]["search"] else error({"b": 2}, code=403)


def way_plain(event, ctx):
    return plain("x", 201) if event["call"]["search"] else plain("y")


def way_not_found(event, ctx):
    return not_found(event["call"]["path"]) if event["call"]["search"] else not_found("no", more="!")


def way_gone(event, ctx):
    return gone() if event["call"]["search"] else gone("for ever")


def way_row(event, ctx):
    return f"{row(1)} {row(key=2)}"


def way_limit(event, ctx):
    return limit("x")


def way_wrong(event, ctx):
    try:
        return plain("x", 201, "text/html")
    except TypeError:
        return "wrong"
