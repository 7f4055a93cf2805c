"""How much of its quota a member has used up."""
import json
import logging
import os
from http import HTTPStatus

from ostermere import books

log = logging.getLogger(__name__)
LIMIT = int(os.environ.get("QUOTA", "10"))


class ApiError(Exception):
    def __init__(self, status, message, **extra):
        super().__init__(message)
        self.status = status
        self.message = message
        self.extra = extra

    def to_response(self):
        return response(self.status, {"error": self.message, **self.extra})


def response(status, body=None, headers=None):
    result = {"code": int(status), "fields": {"content-type": "application/json", "cache-control": "no-store"}}
    if headers:
        result["fields"].update(headers)
    if body is not None:
        result["content"] = json.dumps(body)
    return result


def get_member(event):
    member = event["fields"].get("x-member")
    if not member:
        raise ApiError(HTTPStatus.UNAUTHORIZED, "who are you?")
    return member


def handle(event):
    member = get_member(event)
    apiary = event["call"]["slots"]["apiary"]
    key = {"apiary": apiary, "member": member}
    row = books.read("quotas", key) or {"used": 0}
    left = LIMIT - row["used"]
    if left <= 0:
        raise ApiError(HTTPStatus.TOO_MANY_REQUESTS, "no more", left=0)
    books.write("quotas", key, {"used": row["used"] + 1})
    return response(HTTPStatus.OK, {"left": left - 1}, {"x-left": str(left - 1)})


def run(event, ctx):
    log.info("quota for %s", event["call"]["path"])
    try:
        return handle(event)
    except ApiError as e:
        ctx.note("refused", status=int(e.status))
        return e.to_response()
    except Exception:
        log.exception("failed")
        return response(HTTPStatus.INTERNAL_SERVER_ERROR, {"error": "internal"})
