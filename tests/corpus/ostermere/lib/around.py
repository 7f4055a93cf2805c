"""Decorators that handlers share."""

import functools
import json


class Problem(Exception):
    def __init__(self, code, title):
        super().__init__(title)
        self.code, self.title = code, title


def problems(function):
    @functools.wraps(function)
    def wrapper(event, ctx):
        try:
            return function(event, ctx)
        except Problem as problem:
            return {"code": problem.code, "fields": {"content-type": "text/plain"}, "content": problem.title}

    return wrapper


def logged(function):
    @functools.wraps(function)
    def wrapper(event, ctx):
        ctx.note("begin", path=event["call"]["path"])
        return function(event, ctx)

    return wrapper


def json_body(function):
    @functools.wraps(function)
    def wrapper(event, ctx):
        try:
            body = json.loads(event.get("content") or "")
        except ValueError:
            raise Problem(400, "not JSON") from None
        return function(body, event["call"]["slots"]["hive"])

    return wrapper
